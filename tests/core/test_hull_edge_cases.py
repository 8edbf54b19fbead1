from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import ConvexHull
from scipy.spatial.transform import Rotation

from dynaclast.core.bake import bake
from dynaclast.core.document import parse
from dynaclast.core.fracture.build import convex_cells as break_into_cells
from dynaclast.core.geometry import primitives
from dynaclast.core.solve.collision import WHOLE_BODY_PARTS
from dynaclast.core.solve.prepare import intervals, prepare
from dynaclast.core.solve.rigid.hulls import (
    FEW_POINTS,
    MOST_CORNERS,
    ROUNDING,
    Hull,
    _first_of_each,
    convex_core,
    most_blunt,
)
from dynaclast.core.solve.rigid.manifold import reduce_to_four
from dynaclast.core.solve.rigid.polytope import SAME_TURN, SAME_WITHIN, keep_distinct
from playing import played
from shots import ball, box, run, shot


@given(st.integers(0, 10**6), st.floats(1e-3, 1e3))
@settings(max_examples=60, deadline=None)
def test_a_core_lies_inside_its_points_and_grown_again_covers_most_of_them(seed: int, scale: float) -> None:
    points = scale * np.random.default_rng(seed).normal(size=(30, 3)) * [1, 0.5, 0.3]
    core = convex_core(points)
    assert len(core.corners) <= 2 * MOST_CORNERS
    for normal, ring in zip(core.normals, core.rings, strict=True):
        offset = core.corners[ring] @ normal
        assert np.ptp(offset) < 2e-3 * scale  # a face is flat, but for triangles that lean by less than 1.5 mrad
        assert (core.corners @ normal).max() <= offset.max() + 1e-6 * scale  # and on the outside
        assert offset.max() + core.radius <= (points @ normal).max() + 2e-3 * scale


def test_a_core_has_no_more_corners_than_its_solid_even_where_these_come_rounded() -> None:
    cells = break_into_cells(primitives.box((3, 2, 0.6)), 40, 4)
    for p in range(cells.count):
        exact = cells.mesh(p).vertices
        for points in (exact, np.round(exact, 5)):
            core = convex_core(points)
            assert len(core.corners) <= len(np.unique(np.round(points, 4), axis=0))
            assert np.bincount(np.concatenate(core.rings)).min() >= 3  # each is a corner of three faces


@given(
    st.integers(0, 2**32 - 1),
    st.integers(1, 40) | st.integers(FEW_POINTS - 1, FEW_POINTS + 40),
    st.sampled_from([1e-6, 1.0, 1e7]),
)
def test_points_in_one_place_are_one_the_first(seed: int, count: int, scale: float) -> None:
    rng = np.random.default_rng(seed)
    points = rng.integers(-2, 3, (count, 3)) * rng.choice([0.0, -1.0, 1.0], 3)  # with zeros of either sign
    points = scale * (points + rng.choice([0.0, 1e-9, 1e-3], (count, 3)))
    unit = 1e-7 * max(float(np.abs(points).max()), 1e-300)
    _, first = np.unique(np.round(points / unit), axis=0, return_index=True)
    assert _first_of_each(points) == sorted(first.tolist())


@given(st.integers(0, 2**32 - 1), st.floats(0.0, 0.02))
@settings(max_examples=40, deadline=None)
def test_planes_that_say_the_same_of_the_same_corners_are_one(seed: int, turn: float) -> None:
    rng = np.random.default_rng(seed)
    points = primitives.box((2.0, 1.0, 0.6)).vertices
    points = points + rng.normal(size=points.shape) * 10.0 ** rng.uniform(-7, -3)
    axes = np.concatenate([np.eye(3), -np.eye(3)])[rng.integers(0, 6, 12)]
    normals = axes + turn * rng.normal(size=(12, 3)) * rng.integers(0, 2, (12, 1))
    normals /= np.linalg.norm(normals, axis=1)[:, None]
    planes = np.column_stack([normals, -(points @ normals.T).max(axis=0)])
    tol, span = 1e-5, float(np.ptp(points, axis=0).max())

    far = np.abs(points @ normals.T + planes[:, 3])
    on, near, kept = far <= 2 * tol, far <= SAME_WITHIN * span, []
    for f in np.argsort(-on.sum(axis=0), kind="stable"):
        if not any(normals[f] @ normals[g] > SAME_TURN and near[on[:, f], g].all() for g in kept):
            kept.append(f)
    left = planes.copy()
    count = played(lambda: keep_distinct(left, len(left), points, tol, span))
    np.testing.assert_array_equal(left[:count], planes[sorted(kept)])


@pytest.mark.parametrize("height", [0.02, 0.1, 0.5, 3.0])
def test_rounding_takes_little_off_sharp_corners_and_no_more_than_it_must(height: float) -> None:
    """Of a flat pyramid its rim is sharp: the distance from a corner to the rounded core, as a share of its size."""
    corners = np.array([[-1, 0, -1], [1, 0, -1], [1, 0, 1], [-1, 0, 1], [0, height, 0]], float)
    core = convex_core(corners)
    size = (4 * height / 3) ** (1 / 3)
    lost = np.linalg.norm(corners[:, None] - core.corners, axis=2).min(axis=1).max() - core.radius
    full = min(ROUNDING * size, 0.3 * min(height / 5, 1.0))
    least = core.radius <= 0.02 * full  # below which it is not made smaller
    assert core.radius <= full * (1 + 1e-9) and (least or lost <= most_blunt(size) * (1 + 1e-9))
    assert core.radius > 0.9 * full or lost > 0.9 * most_blunt(size)


def missed(points: np.ndarray, core: Hull) -> tuple[float, float]:
    """By how much corners stick out of the faces of the collision surface, and these of the hull of the points."""
    hull = ConvexHull(points)
    beyond = points[hull.vertices] @ core.normals.T - (core.corners @ core.normals.T).max(axis=0) - core.radius
    out = core.corners @ hull.equations[:, :3].T + hull.equations[:, 3] + core.radius
    return float(beyond.max()), float(out.max())


@pytest.mark.parametrize("sides", [7, 24, 32, 48, 64, 200])
@pytest.mark.parametrize("height", [0.3, 2.0])
def test_what_is_round_collides_as_it_is_drawn(sides: int, height: float) -> None:
    """A drum of 1 m: with 40 of its corners it stood up to 5 cm in the ground."""
    points = primitives.cylinder(1.0, height, 1.0, sides).vertices
    core = convex_core(points)
    within, out = missed(points, core)
    assert within < (1e-6 if sides <= 32 else 6e-3) and out < 1e-6
    assert core.radius > 1e-3 and len(core.corners) <= MOST_CORNERS


@given(st.integers(0, 2**32 - 1), st.integers(60, 900), st.floats(0.2, 1.0))
@settings(max_examples=20, deadline=None)
def test_of_many_corners_those_are_kept_that_reach_furthest(seed: int, count: int, flat: float) -> None:
    rng = np.random.default_rng(seed)
    points = rng.normal(size=(count, 3))
    points *= [1.0, flat, 0.7] / np.linalg.norm(points, axis=1)[:, None]
    core = convex_core(points)
    within, out = missed(points, core)
    assert within < 0.06 and out < 2e-3 and len(core.corners) <= 2 * MOST_CORNERS


@pytest.mark.parametrize("segments", [24, 60])
def test_a_drum_lies_on_the_ground_on_one_of_its_sides(segments: int) -> None:
    on_a_side = Rotation.from_euler("z", np.pi / 2) * Rotation.from_euler("y", np.pi / segments)
    drum = {
        "name": "drum",
        "shape": {"kind": "cylinder", "radius": 1.0, "height": 1.6, "segments": segments},
        "place": {"position": [0, 1.0, 0], "rotation": on_a_side.as_quat().tolist()},
    }
    baked = run(drum, frames=24)
    assert baked.stats["moving"][-1] == 0
    assert baked.position[-1, 0, 1] == pytest.approx(np.cos(np.pi / segments), abs=5e-4)


def test_slivers_still_get_a_core() -> None:
    for pieces in (
        break_into_cells(primitives.box((4, 0.01, 4)), 60, 2),
        break_into_cells(primitives.tube(1, 0.02, 3), 80, 2),
    ):
        for p in range(pieces.count):
            assert convex_core(pieces.mesh(p).vertices).radius >= 0


@given(st.integers(5, 20), st.integers(0, 10**6))
@settings(max_examples=60, deadline=None)
def test_the_four_points_kept_hold_the_deepest_and_most_of_the_patch(n: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    angle = np.sort(rng.uniform(0, 2 * np.pi, n))
    points = np.zeros((64, 3))
    points[:n, 0], points[:n, 2] = np.cos(angle), np.sin(angle)
    seps = np.zeros(64)
    seps[:n] = rng.uniform(-0.01, 0, n)
    deepest = seps[:n].min()
    before = {tuple(p) for p in points[:n]}
    kept = reduce_to_four(points, seps, n)
    assert 3 <= kept <= 4 and seps[:kept].min() == deepest
    assert all(tuple(p) in before for p in points[:kept]) and len({tuple(p) for p in points[:kept]}) == kept


def test_a_hollow_body_is_hollow_to_what_falls_into_it() -> None:
    """A ball dropped into an upright pipe lands on the ground inside, not on a lid."""
    pipe = {
        "name": "pipe",
        "role": "passive",
        "shape": {"kind": "tube", "radius": 1.2, "wall": 0.3, "height": 2},
        "place": {"position": [0, 1, 0]},
    }
    baked = run(pipe, ball("ball", (0.1, 3, 0.05), 0.3), frames=60)
    assert baked.position[-1, 1, 1] == pytest.approx(0.3, abs=0.01)
    assert np.hypot(*baked.position[-1, 1, [0, 2]]) < 0.7
    model = prepare(shot(pipe)).model
    assert len(model.hulls.piece) >= WHOLE_BODY_PARTS and model.piece_count == 1


def test_steps_last_about_as_long_at_any_frame_rate() -> None:
    for fps in (12.0, 24.0, 25.0, 48.0, 60.0, 120.0):
        searches, substeps = intervals("standard", fps)
        assert 1 / 700 < 1 / (fps * searches * substeps) < 1 / 280, fps


@pytest.mark.parametrize("fps", [12, 30, 60])
def test_a_fall_takes_as_long_at_any_frame_rate(fps: int) -> None:
    baked = bake(parse({"bodies": [box("a", (0, 20, 0))], "timing": {"fps": fps, "frames": fps}}))
    assert baked.position[-1, 0, 1] == pytest.approx(20 - 9.81 / 2, rel=0.01)


def test_an_unbroken_body_is_one_piece() -> None:
    model = prepare(
        shot(
            box("a", (0, 1, 0)),
            ball("b", (3, 1, 0)),
            box("c", (6, 1, 0), pattern={"kind": "cells", "count": 5, "seed": 1}),
        )
    ).model
    assert list(model.body_first) == [0, 1, 2, 7] and list(model.pieces.body) == [0, 1, 2, 2, 2, 2, 2]
