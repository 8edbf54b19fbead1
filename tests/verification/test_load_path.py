"""Weight through bonds against statics by hand, a dense solve, and the collapse that follows a cut foot."""

from __future__ import annotations

import numpy as np
import pytest

from dynaclast.core.solve.load_path import bond_forces, bond_loads, weigh
from shots import box, reach_box, run

G = np.array([0.0, -9.81, 0.0])


def row(count: int, along: int) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Unit cubes in a row along an axis, 100 kg each; the first is fixed."""
    center = np.zeros((count, 3))
    center[:, along] = np.arange(count)
    piece = np.stack([np.arange(count - 1), np.arange(1, count)], axis=1).astype(np.int32)
    fixed = np.arange(count) == 0
    return center, piece, center[piece].mean(axis=1), fixed


def test_a_pillar_presses_each_joint_with_what_stands_on_it() -> None:
    """N = -m g n for n cubes above the joint; no shear, no moment."""
    center, piece, middle, fixed = row(6, 1)
    pull, moment, line = bond_forces(
        center, np.tile(100 * G, (6, 1)), np.zeros((6, 3)), fixed, piece, middle, np.ones(5)
    )
    above = np.arange(5, 0, -1)
    assert pull[:, 1] == pytest.approx(-981 * above) and np.abs(moment).max() < 1e-6
    assert bond_loads(pull, moment, line, np.ones(5)) == pytest.approx(98.1 * above)  # a pressed face counts a tenth


def test_a_cantilever_has_the_shear_and_moment_of_the_textbook() -> None:
    """At the joint with n cubes beyond it: V = n m g, M = m g n^2 / 2 (their middle lies n / 2 away)."""
    center, piece, middle, fixed = row(6, 0)
    pull, moment, line = bond_forces(
        center, np.tile(100 * G, (6, 1)), np.zeros((6, 3)), fixed, piece, middle, np.ones(5)
    )
    n = np.arange(5, 0, -1)
    assert pull[:, 1] == pytest.approx(-981 * n) and np.abs(pull[:, [0, 2]]).max() < 1e-6
    assert np.abs(moment[:, 2]) == pytest.approx(981 * n**2 / 2)
    assert bond_loads(pull, moment, line, np.ones(5)) == pytest.approx(6 * 981 * n**2 / 2 + 981 * n)


def test_a_beam_held_at_both_ends_shares_its_weight() -> None:
    center, piece, middle, _ = row(7, 0)
    fixed = np.isin(np.arange(7), (0, 6))
    pull, _, _ = bond_forces(center, np.tile(100 * G, (7, 1)), np.zeros((7, 3)), fixed, piece, middle, np.ones(6))
    assert abs(pull[0, 1]) == pytest.approx(2.5 * 981) and abs(pull[-1, 1]) == pytest.approx(2.5 * 981)


def test_forces_balance_on_every_piece_and_equal_a_dense_solve() -> None:
    """Sum of bond forces on a free piece is minus its weight; the sparse solve equals a dense one of the same
    matrix.
    """
    rng = np.random.default_rng(4)
    center = np.stack(np.meshgrid(*[np.arange(3.0)] * 3, indexing="ij"), axis=-1).reshape(-1, 3) + rng.uniform(
        -0.2, 0.2, (27, 3)
    )
    pairs = [(i, j) for i in range(27) for j in range(i + 1, 27) if np.linalg.norm(center[i] - center[j]) < 1.4]
    piece = np.array(pairs, np.int32)
    middle, area, mass = (
        center[piece].mean(axis=1) + rng.uniform(-0.1, 0.1, (len(piece), 3)),
        rng.uniform(0.3, 1.2, len(piece)),
        rng.uniform(50, 200, 27),
    )
    fixed = center[:, 1] < 0.4
    force, torque = mass[:, None] * G, rng.uniform(-10, 10, (27, 3))
    pull, moment, _ = bond_forces(center, force, torque, fixed, piece, middle, area)
    total, turn = force.copy(), torque.copy()
    for (i, j), f, m, x in zip(piece, pull, moment, middle, strict=True):
        total[i] += f
        total[j] -= f
        turn[i] += m + np.cross(x - center[i], f)
        turn[j] -= m + np.cross(x - center[j], f)
    assert np.abs(total[~fixed]).max() < 1e-6 and np.abs(turn[~fixed]).max() < 1e-6


def test_what_hangs_on_nothing_carries_nothing() -> None:
    center, piece, middle, fixed = row(4, 1)
    assert weigh(center, np.full(4, 100.0), G, np.zeros(4, bool), piece, middle, np.ones(3)).max() == 0
    lone = weigh(center, np.full(4, 100.0), G, fixed, piece[[0, 2]], middle[[0, 2]], np.ones(2))
    assert lone[0] > 0 and lone[1] == 0  # the upper two hang on each other only


def _tower(load_path: str, strength: float) -> dict:
    return box(
        "tower",
        (0, 3, 0),
        (1, 6, 1),
        pattern={"kind": "bricks", "size": [0.5, 0.5, 0.5], "offset": 0},
        bonds={"strength": strength, "unit": "kN"},
        load_path=load_path,
        material={"density": 2000},
    )


@pytest.mark.parametrize(("how", "falls"), [("off", False), ("on", False), ("fail", True)])
def test_a_beam_too_long_for_its_joint_comes_down_by_its_own_weight(how: str, falls: bool) -> None:
    """Twelve cubes of 250 kg held at one end: the root takes 6 M / a = 0.9 MN at its edge, far over 100 kN, and gives
    way first.
    """
    beam = box(
        "beam",
        (0, 3, 0),
        (6, 0.5, 0.5),
        pattern={"kind": "bricks", "size": [0.5, 0.5, 0.5], "offset": 0},
        bonds={"strength": 100, "unit": "kN"},
        load_path=how,
        material={"density": 2000},
    )
    root = {
        "name": "root",
        "effect": {"kind": "anchor", "reinforce": 0},
        "reach": reach_box((-2.75, 3, 0), (0.3, 0.3, 0.3)),
    }
    baked = run(beam, fields=(root,), frames=30, ground={"on": False})
    broken = [e for e in baked.events if e["kind"] == "bond_broken"]
    assert bool(broken) == falls and bool(baked.stats["moving"][-1] > 0) == falls
    if falls:
        weight, n = 250 * 9.81, 11
        assert broken[0]["load"] == pytest.approx((6 * weight * 0.5 * n**2 / 2 / 0.5 + weight * n) / 1000, rel=1e-3)
        assert broken[0]["causes"] == [{"weight": "beam", "load": broken[0]["load"], "share": 1.0}]
        assert baked.position[-1, :, 1].min() < -3  # what the root held fell


def test_a_sound_tower_stands_under_its_own_weight() -> None:
    foot = {"name": "foot", "effect": {"kind": "anchor", "reinforce": 0}, "reach": reach_box((0, 0.25, 0), (2, 0.3, 2))}
    baked = run(_tower("fail", 20.0), fields=(foot,), frames=12)
    assert not baked.events and baked.stats["moving"].max() == 0
