"""Ropes that resist twisting: torque on what they hold, when they throw loops, and what they must not do."""

from __future__ import annotations

import copy
from typing import Any

import numpy as np
import pytest

from deforming import ends_alike, pin, rope
from dynaclast.core.arrays import Array, Index
from dynaclast.core.document import Shot
from dynaclast.core.errors import DocumentError
from dynaclast.core.geometry.rotations import rotation_matrix
from dynaclast.core.kernels import kernel
from dynaclast.core.solve.deformable.twist import twist_angle, twist_forces
from dynaclast.core.solve.frame import Frame
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.prepare import prepare
from shots import box, shot

TURN = 2.0 * np.pi
OFF: dict[str, Any] = {"ground": {"on": False}}
LIMP = {"radius": 0.01, "young": 1e5, "bending": 0.5, "twist": 0.5}


@kernel
def angle_of(x: Array, line: Index, near: tuple[float, float, float], far: tuple[float, float, float]) -> float:
    return twist_angle(x, line, near, far, 0.0)


@kernel
def forces_of(x: Array, line: Index, torque: float, out: Array) -> None:
    twist_forces(x, line, torque, out)


def across(way: Array, towards: Array) -> tuple[float, float, float]:
    mark = np.cross(way, towards)
    mark /= np.linalg.norm(mark)
    return float(mark[0]), float(mark[1]), float(mark[2])


@pytest.mark.parametrize("seed", range(4))
def test_forces_are_the_derivative_of_the_energy_and_turn_nothing(seed: int) -> None:
    rng = np.random.default_rng(seed)
    x = np.cumsum(rng.normal(size=(9, 3)) * 0.4 + [1, 0, 0], axis=0)
    line, ways = np.arange(9, dtype=np.int32), np.diff(x, axis=0)
    near, far = across(ways[0], rng.normal(size=3)), across(ways[-1], rng.normal(size=3))
    forces, slope = np.zeros_like(x), np.zeros_like(x)
    forces_of(x, line, 1.0, forces)
    for i, c in np.ndindex(x.shape):
        step = np.zeros_like(x)
        step[i, c] = 1e-6
        slope[i, c] = (angle_of(x + step, line, near, far) - angle_of(x - step, line, near, far)) / 2e-6
    np.testing.assert_allclose(forces, -slope, atol=1e-8)
    ends = ways[[0, -1]] / np.linalg.norm(ways[[0, -1]], axis=1)[:, None]
    np.testing.assert_allclose(forces.sum(axis=0), 0.0, atol=1e-12)
    np.testing.assert_allclose(np.cross(x, forces).sum(axis=0), ends[1] - ends[0], atol=1e-12)


def test_the_angle_of_a_helix_is_what_its_frame_turns() -> None:
    """Of a helix of radius r and pitch 2 pi p, a frame that does not turn about it lags p/sqrt(r2 + p2) turns."""
    r, p, count = 0.7, 0.4, 4001
    t = np.linspace(0, TURN, count)
    x = np.stack([r * np.cos(t), r * np.sin(t), p * t], axis=1)
    inwards = (-1.0, 0.0, 0.0)  # the principal normal is the same after a whole turn
    lag = TURN * p / np.hypot(r, p)
    angle = angle_of(x, np.arange(count, dtype=np.int32), inwards, inwards)
    assert np.mod(angle - lag, TURN) == pytest.approx(0.0, abs=2e-3)


def hung(turns: float, stiff: float, high: float, mass: float, segments: int, frames: int, quality: str) -> Shot:
    """A plate that hangs on a rope wound up by turns."""
    cord = rope(
        "cord",
        (0, 4, 0),
        (0, 4 - high, 0),
        segments=segments,
        matter={"radius": 0.01, "young": 1e6, "bending": stiff, "twist": stiff, "turns": turns},
        pins=[pin(0, 4, 0, reach=1.2 * high / segments)],
    )
    plate = box("plate", (0, 4 - high - 0.05, 0), (0.4, 0.1, 0.6), material={"mass": mass})
    weld = {"name": "weld", "how": {"kind": "weld"}, "body": "cord", "to": "plate", "point": [0, 4 - high, 0]}
    return shot(cord, plate, frames=frames, quality=quality, ties=[weld], **OFF)


def wound(made: Shot) -> tuple[Run, Array, list[Frame]]:
    """A run of all its frames, and the turns of its rope after each."""
    ready = prepare(made)
    run, turns, frames = Run(ready.shot, ready.model, ready.state), [], []
    for _ in range(made.timing.frames):
        frames.append(run.advance())
        turns.append(run.state.deformables.twist[0] / TURN)
    return run, np.array(turns), frames


@pytest.mark.parametrize("quality", ["draft", "standard", "fine"])
@pytest.mark.parametrize(("stiff", "high", "mass", "segments"), [(0.8, 1.5, 5.0, 15), (3.0, 2.4, 20.0, 40)])
def test_a_weight_on_a_wound_rope_swings_in_the_period_of_a_torsion_pendulum(
    quality: str, stiff: float, high: float, mass: float, segments: int
) -> None:
    half = np.pi * np.sqrt(mass * (0.4**2 + 0.6**2) / 12.0 * high / stiff)
    run, turns, frames = wound(hung(1.6, stiff, high, mass, segments, int(24 * 2.6 * half), quality))
    at = np.flatnonzero(np.diff(np.sign(turns)))
    zero = (at + 1 + turns[at] / (turns[at] - turns[at + 1])) / 24.0
    assert zero[0] == pytest.approx(0.5 * half, rel=0.01)
    assert np.diff(zero) == pytest.approx(half, rel=0.003)
    assert -turns.min() == pytest.approx(1.6, rel=0.01) and turns[at[1] :].max() == pytest.approx(1.6, rel=0.01)
    assert np.abs(frames[-1].arrays["position"][0] - frames[0].arrays["position"][0]).max() < 2e-3


@pytest.mark.parametrize("quality", ["draft", "standard"])
@pytest.mark.parametrize(("segments", "ratio"), [(20, 1.0), (40, 0.7)])
def test_a_rod_between_clamps_throws_a_loop_at_the_torque_of_theory(quality: str, segments: int, ratio: float) -> None:
    """Greenhill 1883, both ends clamped: M = 8.987 B / L, with the length between what is held."""
    free = 1.0 - 2.0 / segments
    critical = 8.987 / free / ratio / TURN  # with twist = ratio bending, over a length of 1 m
    aside = []
    for share in (0.94, 1.06):
        matter = LIMP | {"twist": 0.5 * ratio, "turns": share * critical}
        held = [pin(x, 3, 0, reach=1.2 / segments) for x in (0.0, 1.0)]
        rod = rope("rod", (0, 3, 0), (1, 3, 0), segments=segments, matter=matter, pins=held)
        *_, last = wound(shot(rod, frames=96, quality=quality, gravity=[0, -1e-3, 0], **OFF))[2]
        x = last.arrays["points/rod"]
        aside.append(np.hypot(x[:, 1] - 3, x[:, 2]).max())
    assert aside[0] < 5e-5 and aside[1] > 1.5e-3


def test_what_is_animated_winds_it_up_and_the_end_that_is_pinned_to_it_too() -> None:
    crank = box("crank", (-0.2, 3, 0), (0.4, 0.4, 0.4), role="animated", spin=[-3.0, 0, 0])
    far = pin(1, 3, 0, reach=0.06)
    turns = {}
    for how in ("weld", "pins"):
        held = [far] if how == "weld" else [far, pin(0, 3, 0, reach=0.06, to="crank")]
        rod = rope("rod", (0, 3, 0), (1, 3, 0), segments=20, matter=LIMP, pins=held)
        weld = {"name": "weld", "how": {"kind": "weld"}, "body": "rod", "to": "crank", "point": [0, 3, 0]}
        made = shot(rod, crank, frames=48, gravity=[0, 0, 0], ties=[weld] if how == "weld" else [], **OFF)
        turns[how] = wound(made)[1]
    for each in turns.values():
        assert each[-1] == pytest.approx(3.0 * 2.0 / TURN, rel=0.01)  # the near end turns back: the far one is ahead


def test_two_free_bodies_on_a_bent_rope_turn_each_other_and_nothing_else() -> None:
    bend = [(-1.0, 3, 0), (-0.5, 3, 0), (0, 3.3, 0), (0.4, 3.2, 0.4), (0.9, 3.2, 0.5)]
    cord = rope("cord", *bend, segments=24, matter=LIMP | {"bending": 0.2, "turns": 3.0})
    ends = [box("a", (-1.2, 3, 0), (0.4, 0.3, 0.3), gravity=0), box("b", (1.1, 3.2, 0.5), (0.4, 0.4, 0.4), gravity=0)]
    ties = [
        {"name": n, "how": {"kind": "weld"}, "body": "cord", "to": n, "point": list(p)}
        for n, p in (("a", bend[0]), ("b", bend[-1]))
    ]
    run, turns, _ = wound(shot(cord | {"gravity": 0}, *ends, frames=24, ties=ties, **OFF))
    assert run.model.deformables is not None
    asm, vertices, mass = run.state.assemblies, run.state.vertices, run.model.deformables.own_mass
    spin, most = np.zeros(3), 0.0
    for a in range(2):
        turn = rotation_matrix(asm.orientation[a])
        own = turn @ asm.inertia[a] @ turn.T @ asm.angular_velocity[a]
        most = max(most, float(np.linalg.norm(own)))
        spin += own + asm.mass[a] * np.cross(asm.position[a], asm.velocity[a])
    spin += (mass[:, None] * np.cross(vertices.position, vertices.velocity)).sum(axis=0)
    momentum = asm.mass[:2] @ asm.velocity[:2] + mass @ vertices.velocity
    assert turns[-1] < 2.9 and most > 0.05
    assert np.linalg.norm(spin) < 0.01 * most
    assert np.linalg.norm(momentum) < 1e-9


@pytest.mark.parametrize("quality", ["draft", "standard", "fine"])
@pytest.mark.parametrize("turns", [12.0, -80.0])
def test_a_slack_rope_wound_far_up_throws_loops_and_comes_to_rest(quality: str, turns: float) -> None:
    arc = [(0.5 * np.cos(a), 3 - 0.45 * np.sin(a), 0) for a in np.linspace(np.pi, 0, 13)]
    matter = {"radius": 0.01, "young": 1e4, "bending": 0.02, "twist": 0.02, "turns": turns}
    held = [pin(x, 3, 0, reach=0.04) for x in (-0.5, 0.5)]
    run, made, frames = wound(
        shot(rope("cord", *arc, segments=40, matter=matter, pins=held), frames=120, quality=quality, **OFF)
    )
    x, first = frames[-1].arrays["points/cord"], frames[0].arrays["points/cord"]
    assert np.isfinite(x).all() and np.abs(x[:, 2]).max() > 0.008
    assert np.abs(made).max() < 1.02 * abs(turns) and abs(made[-1]) < 0.98 * abs(turns)
    assert np.linalg.norm(run.state.vertices.velocity, axis=1).max() < 0.5
    length = np.linalg.norm(np.diff(x, axis=0), axis=1).sum()
    assert length == pytest.approx(np.linalg.norm(np.diff(first, axis=0), axis=1).sum(), rel=0.02)


def test_what_parts_from_its_holder_unwinds() -> None:
    made = hung(2.0, 1.0, 1.5, 10.0, 15, 12, "standard")
    weak = made.model_copy(update={"ties": [made.ties[0].model_copy(update={"breaks": 0.02})]})
    run, turns, frames = wound(weak)
    assert any(e["kind"] == "tie_broken" for f in frames for e in f.events)
    assert turns[-1] == 0.0 and run.state.deformables.twist[0] == 0.0
    body = made.bodies[0]
    thin = body.model_copy(update={"matter": body.matter.model_copy(update={"breaks": 0.05})})
    run, turns, frames = wound(made.model_copy(update={"bodies": [thin, made.bodies[1]]}))
    assert any(e["kind"] == "seam_opened" for f in frames for e in f.events)
    assert turns[-1] == 0.0


def test_a_rope_that_can_break_and_does_not_is_twisted_like_one_that_cannot() -> None:
    made = hung(1.0, 1.0, 1.5, 10.0, 15, 24, "standard")
    body = made.bodies[0]
    strong = body.model_copy(update={"matter": body.matter.model_copy(update={"breaks": 100.0})})
    other = wound(made.model_copy(update={"bodies": [strong, made.bodies[1]]}))[1]
    assert other == pytest.approx(wound(made)[1], rel=1e-6)


def test_a_run_goes_on_to_the_bit() -> None:
    assert ends_alike(hung(2.0, 1.0, 1.5, 10.0, 15, 20, "standard"), (3, 11))


def test_of_an_end_that_turns_freely_nothing_is_felt() -> None:
    loose = hung(2.0, 1.0, 1.5, 10.0, 15, 12, "standard").model_dump()
    loose["ties"][0]["how"] = {"kind": "pin"}
    limp = copy.deepcopy(loose)
    limp["bodies"][0]["matter"] |= {"twist": 0.0, "turns": 0.0}
    one, other = (wound(Shot.model_validate(x))[2][-1].arrays["points/cord"] for x in (loose, limp))
    assert (one == other).all()


@pytest.mark.parametrize(
    ("matter", "tie", "says"),
    [
        ({"twist": 1.0}, None, "what resists twisting resists bending; give 'bending' too"),
        ({"turns": 2.0}, None, "without 'twist' nothing winds up"),
        ({}, {"kind": "hinge"}, "a body that deforms is tied by a pin, or sewn, and a rope welded"),
    ],
)
def test_what_cannot_be_is_said(matter: dict[str, Any], tie: dict[str, Any] | None, says: str) -> None:
    cord = rope("cord", (0, 3, 0), (1, 3, 0), matter=matter)
    ties = [] if tie is None else [{"name": "t", "how": tie, "body": "cord", "point": [0, 3, 0]}]
    with pytest.raises(DocumentError, match=says):
        shot(cord, frames=4, ties=ties)
