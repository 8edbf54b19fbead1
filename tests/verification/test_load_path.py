"""Forces through bonds against statics by hand, a balance of every piece, and the collapse after a cut foot."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

import naive
from dynaclast.core.solve.statics import Faces, bond_loads, inertial_loads, sections_of, structure_of, weigh
from shots import box, reach_box, run

G = np.array([0.0, -9.81, 0.0])


def faces_of(piece: np.ndarray, center: np.ndarray, normal: np.ndarray, sides: tuple[float, float]) -> Faces:
    """Rectangles across a direction: their first side along (0, 1, 0), or along x where that is the normal."""
    first = np.array([0.0, 1.0, 0.0]) if abs(normal[1]) < 0.5 else np.array([1.0, 0.0, 0.0])
    second, area, n = np.cross(normal, first), sides[0] * sides[1], len(piece)
    moment = area / 12 * (sides[0] ** 2 * np.outer(first, first) + sides[1] ** 2 * np.outer(second, second))
    return Faces(piece, center, np.full(n, area), np.tile(normal, (n, 1)), np.tile(moment, (n, 1, 1)))


def row(count: int, along: int, sides: tuple[float, float] = (1.0, 1.0)) -> tuple[np.ndarray, Faces, np.ndarray]:
    """Blocks 1 m long in a row along an axis; the first is fixed. sides: of their faces, the first upright."""
    center = np.zeros((count, 3))
    center[:, along] = np.arange(count)
    piece = np.stack([np.arange(count - 1), np.arange(1, count)], axis=1).astype(np.int32)
    return center, faces_of(piece, center[piece].mean(axis=1), np.eye(3)[along], sides), np.arange(count) == 0


def loads(faces: Faces, pull: np.ndarray, moment: np.ndarray) -> np.ndarray:
    return bond_loads(faces, sections_of(faces), pull, moment)


def test_a_pillar_presses_each_joint_with_what_stands_on_it() -> None:
    """N = -m g n for n cubes above the joint; no shear, no moment."""
    center, faces, fixed = row(6, 1)
    pull, moment = structure_of(center, fixed, faces).solve(np.tile(100 * G, (6, 1)), np.zeros((6, 3)))
    above = np.arange(5, 0, -1)
    assert pull[:, 1] == pytest.approx(-981 * above) and np.abs(moment).max() < 1e-6
    assert loads(faces, pull, moment) == pytest.approx(98.1 * above)  # a pressed face counts a tenth


@pytest.mark.parametrize("sides", [(1.0, 1.0), (0.6, 0.2), (0.2, 0.6)])
def test_a_cantilever_has_the_shear_and_moment_of_the_textbook(sides: tuple[float, float]) -> None:
    """At the joint with n blocks beyond it V = n m g, M = m g n^2 / 2 (their middle lies n / 2 away); the stress is
    6 M / (b h^2), with h the upright side: a plank on edge is stiff, laid flat it is not.
    """
    center, faces, fixed = row(6, 0, sides)
    pull, moment = structure_of(center, fixed, faces).solve(np.tile(100 * G, (6, 1)), np.zeros((6, 3)))
    n = np.arange(5, 0, -1)
    assert pull[:, 1] == pytest.approx(-981 * n) and np.abs(pull[:, [0, 2]]).max() < 1e-6
    assert np.abs(moment[:, 2]) == pytest.approx(981 * n**2 / 2)
    assert loads(faces, pull, moment) == pytest.approx(6 * 981 * n**2 / 2 / sides[0])


def test_a_beam_held_at_both_ends_shares_its_weight() -> None:
    """Built in at both ends: V = W / 2 and M = W L / 12 at the ends, W L / 24 in the middle, within what few blocks
    between give.
    """
    count = 21
    center, faces, _ = row(count, 0)
    fixed = np.isin(np.arange(count), (0, count - 1))
    pull, moment = structure_of(center, fixed, faces).solve(np.tile(100 * G, (count, 1)), np.zeros((count, 3)))
    span = count - 2
    assert abs(pull[0, 1]) == pytest.approx(span / 2 * 981) and abs(pull[-1, 1]) == pytest.approx(span / 2 * 981)
    assert abs(moment[0, 2]) == pytest.approx(span**2 * 981 / 12, rel=0.03)
    assert abs(moment[count // 2, 2]) == pytest.approx(span**2 * 981 / 24, rel=0.03)


def test_a_twisted_bar_has_the_torsion_of_the_textbook() -> None:
    """Every joint carries T; a square of side a bears 4.8 T / a^3."""
    center, faces, fixed = row(5, 0, (0.5, 0.5))
    torque = np.zeros((5, 3))
    torque[4, 0] = 70.0
    pull, moment = structure_of(center, fixed, faces).solve(np.zeros((5, 3)), torque)
    assert moment[:, 0] == pytest.approx(70) and np.abs(pull).max() < 1e-6
    assert loads(faces, pull, moment) == pytest.approx(4.8 * 70 / 0.5**3 * 0.25)


def test_a_sheared_lap_bears_its_shear_and_pressure_helps_it() -> None:
    center, faces, fixed = row(2, 1)
    at_face = np.array([[0.0, 0, 0], [0, 0, -500 * 0.5]])  # the push is through the face: no bending
    push = np.array([[0.0, 0, 0], [500.0, 0, 0]])
    pull, moment = structure_of(center, fixed, faces).solve(push, at_face * [0, 0, -1])
    assert loads(faces, pull, moment) == pytest.approx([500], rel=1e-6)
    pressed = push + [[0, 0, 0], [0, -300.0, 0]]
    pull, moment = structure_of(center, fixed, faces).solve(pressed, at_face * [0, 0, -1])
    assert loads(faces, pull, moment) == pytest.approx([500 - 0.6 * 300], rel=1e-6)


def lattice(seed: int) -> tuple[np.ndarray, Faces, np.random.Generator]:
    """Pieces scattered round a grid, bonded to their neighbours by faces of any shape."""
    rng = np.random.default_rng(seed)
    center = np.stack(np.meshgrid(*[np.arange(3.0)] * 3, indexing="ij"), axis=-1).reshape(-1, 3)
    center = center + rng.uniform(-0.2, 0.2, (27, 3))
    pairs = [(i, j) for i in range(27) for j in range(i + 1, 27) if np.linalg.norm(center[i] - center[j]) < 1.4]
    piece = np.array(pairs, np.int32)
    area, turn = rng.uniform(0.3, 1.2, len(piece)), Rotation.random(len(piece), random_state=seed).as_matrix()
    moment = np.zeros((len(piece), 3, 3))
    moment[:, 0, 0], moment[:, 1, 1] = area**2 / 12, area**2 / rng.uniform(12, 60, len(piece))
    middle = center[piece].mean(axis=1) + rng.uniform(-0.1, 0.1, (len(piece), 3))
    return center, Faces(piece, middle, area, turn[:, :, 2], turn @ moment @ turn.transpose(0, 2, 1)), rng


def left_over(center: np.ndarray, faces: Faces, force: np.ndarray, torque: np.ndarray, held: np.ndarray) -> np.ndarray:
    """Forces and torques on pieces that bonds do not balance."""
    pull, moment = structure_of(center, held, faces).solve(force, torque)
    total, turn = force.copy(), torque.copy()
    for (i, j), f, m, x in zip(faces.piece, pull, moment, faces.center, strict=True):
        total[i] += f
        total[j] -= f
        turn[i] += m + np.cross(x - center[i], f)
        turn[j] -= m + np.cross(x - center[j], f)
    return np.abs(np.concatenate([total, turn], axis=1)).max(axis=1)


@pytest.mark.parametrize("seed", [4, 5])
def test_bond_forces_balance_every_piece(seed: int) -> None:
    center, faces, rng = lattice(seed)
    held = center[:, 1] < 0.4
    force, torque = rng.uniform(50, 200, (27, 1)) * G, rng.uniform(-10, 10, (27, 3))
    assert left_over(center, faces, force, torque, held)[~held].max() < 1e-6


def test_what_nothing_holds_is_balanced_by_its_own_inertia() -> None:
    """Whichever piece is taken as held, the balanced loads leave nothing to it."""
    center, faces, rng = lattice(7)
    mass, inertia = rng.uniform(50, 200, 27), np.array([np.diag(rng.uniform(2, 9, 3)) for _ in range(27)])
    force, torque, spin = rng.normal(size=(27, 3)) * 900, rng.normal(size=(27, 3)) * 90, rng.normal(size=3) * 4
    motion = naive.free_motion(center, mass, inertia, spin, force, torque)
    resists, twists = inertial_loads(center, mass, inertia, motion)
    force, torque = force + resists, torque + twists
    assert np.abs(force.sum(axis=0)).max() < 1e-9 * np.abs(force).max() * 27
    assert np.abs((torque + np.cross(center, force)).sum(axis=0)).max() < 1e-7
    for k in (0, 13):
        assert left_over(center, faces, force, torque, np.arange(27) == k).max() < 1e-6


def test_what_hangs_on_nothing_carries_nothing() -> None:
    center, faces, fixed = row(4, 1)
    mass = np.full(4, 100.0)
    assert weigh(center, mass, G, np.zeros(4, bool), faces).max() == 0
    lone = weigh(center, mass, G, fixed, faces.at(np.array([0, 2])))
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
        assert broken[0]["load"] == pytest.approx(6 * weight * 0.5 * n**2 / 2 / 0.5 / 1000, rel=1e-3)
        assert broken[0]["causes"] == [{"weight": "beam", "load": broken[0]["load"], "share": 1.0}]
        assert baked.position[-1, :, 1].min() < -3  # what the root held fell


def test_a_sound_tower_stands_under_its_own_weight() -> None:
    foot = {"name": "foot", "effect": {"kind": "anchor", "reinforce": 0}, "reach": reach_box((0, 0.25, 0), (2, 0.3, 2))}
    baked = run(_tower("fail", 20.0), fields=(foot,), frames=12)
    assert not baked.events and baked.stats["moving"].max() == 0
