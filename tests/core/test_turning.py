"""What deforms is turned as a whole: by a spin at the start, by blows and over a span, by rates and by torques."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from deforming import EVERYWHERE, cloth, rope, soft, spin_of, started
from dynaclast.core.fields import Forcing
from dynaclast.core.solve.deformable.turning import motion_of
from shots import shot

AXIS = np.array([1.0, 2.0, -2.0]) / 3.0


def things() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Two lumps and a straight line of five: which, masses and places of their vertices."""
    rng = np.random.default_rng(4)
    line = np.array([3.0, 1.0, 0.0]) + np.linspace(0, 1, 5)[:, None] * AXIS
    point = np.concatenate([rng.normal(size=(9, 3)), 5.0 + rng.normal(size=(7, 3)), line])
    return np.repeat([4, 7, 20], (9, 7, 5)).astype(np.int32), rng.uniform(0.5, 2.0, 21), point


@pytest.mark.parametrize("kind", ["angular", "torque"])
def test_every_thing_turns_about_its_own_centre_as_a_rigid_body_would(kind: str) -> None:
    of, mass, point = things()
    rng = np.random.default_rng(5)
    given = rng.normal(size=(21, 3)) * (rng.random(21) > 0.3)[:, None]
    linear = rng.normal(size=(21, 3))
    got = motion_of(Forcing(linear, **{kind: given}), of, mass, point)
    assert got is not None
    for thing in (4, 7):
        own = of == thing
        m, arm = mass[own], point[own] - mass[own] @ point[own] / mass[own].sum()
        mean, inertia = m @ given[own] / m.sum(), np.zeros((3, 3))
        for each, r in zip(m, arm, strict=True):
            inertia += each * (r @ r * np.eye(3) - np.outer(r, r))
        turn = mean if kind == "angular" else np.linalg.solve(inertia, mean)
        np.testing.assert_allclose(got[own] - linear[own], np.cross(turn, arm), atol=1e-12)
        assert np.abs(m @ (got[own] - linear[own])).max() < 1e-12  # its centre of mass stays


def test_a_straight_line_is_turned_across_but_not_about_itself() -> None:
    of, mass, point = things()
    torque = np.zeros((21, 3))
    torque[of == 20] = AXIS
    still = motion_of(Forcing(torque=torque), of, mass, point)
    assert still is not None and np.abs(still).max() < 1e-9
    torque[of == 20] += [2.0, -1.0, 0.0]
    turned = motion_of(Forcing(torque=torque), of, mass, point)
    assert turned is not None and np.abs(turned @ AXIS).max() < 1e-9 and np.abs(turned[of == 20]).max() > 0.1


def test_without_turning_it_is_what_it_was() -> None:
    of, mass, point = things()
    assert motion_of(Forcing(), of, mass, point) is None
    linear = np.ones((21, 3))
    assert motion_of(Forcing(linear), of, mass, point) is linear


EMPTY: dict[str, Any] = {"gravity": [0, 0, 0], "ground": {"on": False}, "frames": 12}
STIFF = {"kind": "soft", "young": 1e5, "detail": 4}


def spin(amount: float, unit: str, **more: Any) -> dict[str, Any]:
    effect = {"kind": "spin", "axis": AXIS.tolist(), "amount": amount, "unit": unit}
    return {"name": "turn", "effect": effect, "reach": EVERYWHERE, "cue": {"time": 0.0}} | more


@pytest.mark.parametrize("quality", ["draft", "standard", "fine"])
def test_a_soft_cube_that_starts_with_a_spin_keeps_it(quality: str) -> None:
    body = soft("cube", (0, 2, 0), (0.4, 0.4, 0.4), matter=STIFF, spin=(3 * AXIS).tolist(), velocity=[1, 0, 0])
    run = started(shot(body, quality=quality, **EMPTY))
    np.testing.assert_allclose(spin_of(run), 3 * AXIS, atol=1e-9)
    for _ in range(12):
        run.advance()
    np.testing.assert_allclose(spin_of(run), 3 * AXIS, rtol=0.02, atol=0.02)


def test_a_blow_of_spin_turns_a_soft_cube_by_its_rate() -> None:
    run = started(shot(soft("cube", (0, 2, 0), (0.4, 0.4, 0.4), matter=STIFF), fields=(spin(4, "rad/s"),), **EMPTY))
    run.advance()
    np.testing.assert_allclose(spin_of(run), 4 * AXIS, rtol=0.01, atol=0.01)


def test_a_torque_over_a_span_turns_it_as_a_rigid_one() -> None:
    """A block of 0.2 x 0.4 x 0.6 m and 48 kg about x: I = m (b2 + c2) / 12."""
    field = spin(10, "N m", cue={"kind": "span", "start": 0.0, "end": 0.25})
    field["effect"]["axis"] = [1, 0, 0]
    body = soft("block", (0, 2, 0), (0.2, 0.4, 0.6), matter=STIFF)
    run = started(shot(body, fields=(field,), **EMPTY))
    for _ in range(10):
        run.advance()
    deformables = run.model.deformables
    assert deformables is not None
    x, m = deformables.start - m_mean(deformables.own_mass, deformables.start), deformables.own_mass
    inertia = m @ (x[:, 1] ** 2 + x[:, 2] ** 2)  # the lattice's own: its masses are lumped at its vertices
    assert inertia == pytest.approx(48 * (0.16 + 0.36) / 12, rel=0.2)
    np.testing.assert_allclose(spin_of(run), [10 * 0.25 / inertia, 0, 0], rtol=0.02, atol=0.01)


def m_mean(mass: np.ndarray, x: np.ndarray) -> np.ndarray:
    return np.asarray(mass @ x / mass.sum())


def test_each_flake_turns_about_itself_and_the_same_bytes_come_twice() -> None:
    flakes = cloth("flakes", (0, 2, 0), (1, 1), (4, 4), pattern={"kind": "faces"})
    ends = []
    for _ in range(2):
        run = started(shot(flakes, fields=(spin(6, "rad/s"),), **EMPTY))
        before = run.state.vertices.position.copy()
        run.advance()
        ends.append(run.state.vertices.position.copy())
        moved = ends[-1] - before
        assert np.linalg.norm(moved, axis=1).max() > 0.01
        island = run.deformable.parts.elements.vertices.island  # type: ignore[union-attr]
        mass = run.model.deformables.own_mass  # type: ignore[union-attr]
        for thing in np.unique(island):
            own = island == thing
            assert np.linalg.norm(mass[own] @ moved[own] / mass[own].sum()) < 2e-3  # neighbours touch
    assert ends[0].tobytes() == ends[1].tobytes()


def test_a_rope_that_spins_at_the_start_flies_on_about_its_middle() -> None:
    line = rope("line", (-1, 2, 0), (1, 2, 0), matter={"young": 1e6, "folds": False}, spin=[0, 2, 5])
    run = started(shot(line, **EMPTY))
    assert run.state.vertices.velocity[0] == pytest.approx([0, -5, 2], abs=1e-9)
    for _ in range(12):
        run.advance()
    middle = run.state.vertices.position.mean(axis=0)
    assert middle == pytest.approx([0, 2, 0], abs=1e-6)
    length = np.linalg.norm(run.state.vertices.position[-1] - run.state.vertices.position[0])
    assert length == pytest.approx(2.0, rel=0.01)
