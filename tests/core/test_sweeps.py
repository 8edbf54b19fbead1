"""What animated bodies run into: swept shapes against places between, and pairs against all pairs."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from deforming import cloth, rope, soft
from dynaclast.core.geometry.rotations import rotation_matrix, vector_to_quaternion
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.model import Hold
from dynaclast.core.solve.prepare import prepare
from dynaclast.core.solve.rigid.gjk import hull_distance
from dynaclast.core.solve.sweeps import Ahead, ConvexSets, convex_sets, first_touches, shapes_of, surfaces_of, swept
from shots import ball, box, shot

RNG = np.random.default_rng


def scattered(rng: np.random.Generator, count: int, size: float, kinds: int) -> ConvexSets:
    corners = rng.integers(1, 7, count)
    middle = np.repeat(rng.uniform(-2, 2, (count, 3)), corners, axis=0)
    points = middle + rng.uniform(-size, size, (len(middle), 3))
    return convex_sets(points, corners, rng.uniform(0, 0.2, count), np.arange(count), rng.integers(0, kinds, count))


@pytest.mark.parametrize("seed", range(6))
def test_the_first_that_touches_is_that_of_all_pairs(seed: int) -> None:
    rng = RNG(seed)
    moving, still = scattered(rng, 40, 0.5, 4), scattered(rng, 60, 0.3, 4)
    touch = rng.integers(0, 2, (4, 4)).astype(np.uint8)
    want = np.full(60, -1)
    for k in range(60):
        for m in range(40):
            a, b = (x.points[x.start[j] : x.start[j + 1]] for x, j in ((moving, m), (still, k)))
            if touch[moving.kind[m], still.kind[k]] and hull_distance(a, b) < moving.radius[m] + still.radius[k]:
                want[k] = m
                break
    assert (want >= 0).any() and (want < 0).any()
    assert (first_touches(moving, still, touch) == want).all()


def animated(shape: dict[str, Any], velocity: list[float], spin: list[float]) -> Run:
    ready = prepare(shot(shape | {"role": "animated", "velocity": velocity, "spin": spin}, frames=4))
    run = Run(ready.shot, ready.model, ready.state)
    run.kinematics.aim(0)
    return run


@pytest.mark.parametrize("spin", [[0, 0, 0], [0, 5, 0], [40, -30, 20]])
def test_a_swept_shape_holds_all_places_between(spin: list[float]) -> None:
    run = animated(box("x", (1, 2, 3), (0.4, 0.2, 0.6)), [8, -3, 1], spin)
    model, asm = run.model, run.state.assemblies
    sets, own = swept(model, run.state, run.rigid.kinematic), shapes_of(model, run.state, np.array([0]))
    slot, span = run.rigid.kinematic[0], model.settings.interval
    for share in np.linspace(0, 1, 23):
        turn = rotation_matrix(vector_to_quaternion(asm.angular_velocity[slot] * (span * share)))
        at = asm.position[slot]
        there = (own.points - at) @ turn.T + at + asm.velocity[slot] * (span * share)
        for point in there:
            least = min(
                hull_distance(point[None], sets.points[a:b]) for a, b in zip(sets.start, sets.start[1:], strict=False)
            )
            assert least < 0.006 * 0.4  # half a per cent of the arm, by the bulge
    every = [sets.points[a:b] for a, b in zip(sets.start, sets.start[1:], strict=False)]
    assert len(every) == max(1, int(np.ceil(np.linalg.norm(spin) * span / 0.2)))


def test_shapes_are_where_their_pieces_are() -> None:
    tumbling = box("x", (5, 9, 0), (2, 1, 0.4), velocity=[3, 0, 1], spin=[1, 2, -3])
    ready = prepare(shot(box("y", (0, 9, 0)), tumbling, frames=4))
    run = Run(ready.shot, ready.model, ready.state)
    for _ in range(5):
        run.advance()
    asm, shapes = run.state.assemblies, shapes_of(run.model, run.state, np.array([1]))
    assert shapes.owner.tolist() == [1] and shapes.kind.tolist() == [1]
    own = (shapes.points - asm.position[1]) @ rotation_matrix(asm.orientation[1])
    assert np.abs(own).max(axis=0) + shapes.radius == pytest.approx([1.0, 0.5, 0.2], abs=1e-9)
    assert (shapes.upper - shapes.points.max(axis=0))[0] == pytest.approx(shapes.radius.repeat(3))


def test_surfaces_of_what_deforms_are_faces_segments_and_skins() -> None:
    sheet = cloth("sheet", (0, 3, 0), (2, 1), (4, 2), matter={"thickness": 0.02})
    cord = rope("cord", (0, 5, 0), (1, 5, 0), segments=6, matter={"radius": 0.03})
    model = prepare(shot(sheet, cord, soft("lump", (9, 3, 0), (1, 1, 1)), frames=4)).model
    assert model.deformables is not None
    e, x = model.deformables.elements, model.deformables.elements.vertices.rest
    flat, line, skin = (surfaces_of(e, x, np.array([b]), 4) for b in range(3))
    assert (len(flat.radius), len(line.radius)) == (16, 6)
    assert flat.lower.min(axis=0) == pytest.approx([-1.01, 2.99, -0.51]) and set(flat.kind) == {4}
    assert line.upper.max(axis=0) == pytest.approx([1.03, 5.03, 0.03]) and set(line.kind) == {5}
    assert skin.upper.max(axis=0) == pytest.approx([9.5, 3.5, 0.5], abs=0.02) and set(skin.kind) == {6}
    assert skin.lower.min(axis=0) == pytest.approx([8.5, 2.5, -0.5], abs=0.02)


@pytest.mark.parametrize("speed", [3.0, 60.0, 200.0])
def test_nothing_is_passed_through_and_what_is_passed_by_is_not_met(speed: float) -> None:
    sheet = cloth("x", (0, 3, 0), (2, 2), (8, 8), matter={"thickness": 0.002}, release={"kind": "touch"})
    tile = box("y", (0, 2.5, 0), (2, 0.02, 2), release={"kind": "touch"})
    for aside, met in ((0.0, True), (1.3, False)):
        span = 1 / 24 / 2
        pin = ball("pin", (aside, 3.1 + speed * span * 0.4, 0), 0.05, role="animated", velocity=[0, -speed, 0])
        ready = prepare(shot(sheet, tile, pin, frames=30))
        run = Run(ready.shot, ready.model, ready.state)
        found: list[set[str]] = []
        for number in range(60):
            run.kinematics.aim(number)
            ahead = Ahead(run.model, run.state, run.rigid.kinematic)
            pieces, bodies = ahead.run_into(run.state.hold == Hold.TOUCH, np.array([0]))
            found += [{"x"} if bodies else set(), {"y"} if pieces else set()]
            run.kinematics.arrive()
        assert (set().union(*found) == {"x", "y"}) == met
        assert met or not any(found)
    assert (run.state.hold[:1] == Hold.TOUCH).all()
