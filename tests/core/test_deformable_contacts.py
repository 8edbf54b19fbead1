"""Where points, edges and ropes of deformable bodies meet something, against slow twins; groups of what rows join."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deforming import cloth, rope, soft, started
from dynaclast.core.geometry import primitives
from dynaclast.core.kernels import kernel
from dynaclast.core.kernels.direct import DirectCall
from dynaclast.core.solve.collision import pack_hulls
from dynaclast.core.solve.deformable.crossings import cross_hull, cross_triangle, edge_across, nearer_out
from dynaclast.core.solve.deformable.groups import find_groups, make_groups
from dynaclast.core.solve.deformable.meetings import MET, ball_rows, segment_rows, with_room
from dynaclast.core.solve.deformable.nearby import find_nearby
from dynaclast.core.solve.deformable.pushes import Before, make_before
from dynaclast.core.solve.deformable.stillness import find_neighbours, make_stillness_scratch
from dynaclast.core.solve.deformable.strays import FASTER
from dynaclast.core.solve.deformable.system import POINTS, make_slots
from dynaclast.core.solve.deformable.tables import VertexTable, make_rows
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.model import InnerFaces
from dynaclast.core.solve.rigid.hulls import Hull, convex_core
from dynaclast.core.solve.rigid.sleep import make_links
from dynaclast.core.solve.state import NOTHING
from playing import played
from shots import box, shot


@kernel(allocates=True)
def _hull(hulls, radius, known, a, way):  # type: ignore[no-untyped-def]
    none = np.zeros(len(hulls.normals) + 1, np.int32)
    alone = np.zeros(1, np.int32)
    inner = InnerFaces(none, none)
    return cross_hull(hulls, inner, alone, 0, radius, known, a[0], a[1], a[2], way[0], way[1], way[2])


@kernel
def _triangle(hulls, radius, a, way):  # type: ignore[no-untyped-def]
    return cross_triangle(hulls, 0, radius, a[0], a[1], a[2], way[0], way[1], way[2])


@kernel
def _edge(hulls, radius, a, way):  # type: ignore[no-untyped-def]
    return edge_across(hulls, 0, radius, a[0], a[1], a[2], way[0], way[1], way[2])


@kernel
def _balls(points, meeting, at, way, rows):  # type: ignore[no-untyped-def]
    return ball_rows(points, meeting, at, way, 0, rows, 0)


@kernel
def _capsules(points, segments, meeting, at, way, rows):  # type: ignore[no-untyped-def]
    return segment_rows(points, segments, meeting, at, way, 0, rows, 0)


@kernel
def _groups(table, bodies, awake, rows, count, slots, out, scratch):  # type: ignore[no-untyped-def]
    return find_groups(table, bodies, awake, rows, count, slots, out, scratch)


def brick() -> Any:
    """One hull: a box of 2 x 1 x 0.6 m about the origin."""
    return pack_hulls([convex_core(primitives.box((2, 1, 0.6)).vertices)], [0])


HALF = np.array([1.0, 0.5, 0.3])


def entry(start: np.ndarray, way: np.ndarray, radius: float) -> tuple[float, np.ndarray] | None:
    """When a way comes into the box (slabs), and the outward normal there; None where it does not, or starts inside."""
    half = HALF + radius
    if (np.abs(start) < half).all():
        return None
    with np.errstate(divide="ignore", invalid="ignore"):
        near, far = (-np.sign(way) * half - start) / way, (np.sign(way) * half - start) / way
    axis = int(np.argmax(near))
    if near[axis] > far.min() or not 0 <= near[axis] <= 1:
        return None
    normal = np.zeros(3)
    normal[axis] = -np.sign(way[axis])
    return float(near[axis]), normal


@settings(max_examples=300)
@given(st.integers(0, 10**9))
def test_a_way_into_a_hull_comes_in_by_the_face_that_slabs_say(seed: int) -> None:
    rng = np.random.default_rng(seed)
    hulls, radius = brick(), float(rng.choice([0.0, 0.05]))
    start, way = rng.uniform(-2, 2, 3), rng.uniform(-4, 4, 3)
    face, gap = _hull(hulls, radius, -1, start, way)
    inside = (np.abs(start) < HALF + radius - 1e-6).all()
    wanted = entry(start, way, radius)
    if inside:  # nothing is known of before: the nearest face
        normal = hulls.normals[face]
        assert gap == pytest.approx(-(HALF + radius - np.abs(start)).min(), abs=1e-6)
        assert np.abs(normal @ start) == pytest.approx(
            np.abs(start)[np.argmin(HALF + radius - np.abs(start))], abs=1e-6
        )
    elif wanted is None:
        assert face == -1
    else:
        assert hulls.normals[face] == pytest.approx(wanted[1], abs=1e-6)
        assert gap == pytest.approx(np.abs(start @ wanted[1]) - HALF @ np.abs(wanted[1]) - radius, abs=1e-5)


def test_what_is_inside_stays_with_the_face_it_came_in_by() -> None:
    hulls = brick()
    top = int(np.argmax(hulls.normals[:, 1]))
    start = np.array([0.0, -0.2, 0.0])  # nearer to the bottom and to both sides
    face, gap = _hull(hulls, 0.0, top, start, np.zeros(3))
    assert face == top and gap == pytest.approx(-0.7, abs=1e-6)
    assert _hull(hulls, 0.0, -1, start, np.zeros(3))[0] != top


def test_what_is_inside_and_comes_to_a_corner_goes_over_to_the_next_face_but_not_to_the_other_side() -> None:
    hulls = brick()
    top, end = (int(np.argmax(hulls.normals[:, k])) for k in (1, 0))
    near_end = np.array([0.98, 0.3, 0.0])  # 20 cm below the top, 2 cm from the end
    assert _hull(hulls, 0.0, top, near_end, np.zeros(3)) == (end, pytest.approx(-0.02, abs=1e-6))
    assert _hull(hulls, 0.0, top, np.array([0.9, 0.3, 0.0]), np.zeros(3))[0] == top  # 10 cm: half as deep
    assert _hull(hulls, 0.0, top, np.array([0.0, -0.49, 0.0]), np.zeros(3))[0] == top  # 1 cm from the bottom
    out = np.array([1.05, 0.2, 0.0])  # it left by the end, and comes back by it
    assert _hull(hulls, 0.0, top, out, np.array([-0.1, 0, 0])) == (end, pytest.approx(0.05, abs=1e-6))
    assert _hull(hulls, 0.0, top, out, np.array([0.1, 0, 0]))[0] == -1


@settings(max_examples=200)
@given(st.integers(0, 10**9))
def test_an_edge_is_deepest_in_a_hull_where_sampling_says(seed: int) -> None:
    rng = np.random.default_rng(seed)
    hulls = brick()
    a, b = rng.uniform(-1.6, 1.6, 3), rng.uniform(-1.6, 1.6, 3)
    t = np.linspace(0, 1, 2001)
    out = (np.abs(a + t[:, None] * (b - a)) - HALF).max(axis=1)  # distance from the planes, the greatest
    f, g, share = _edge(hulls, 0.0, a, b - a)
    if out.min() < -1e-3 and 0 < np.argmin(out) < 2000:
        assert f >= 0 and g >= 0
        assert (np.abs(a + share * (b - a)) - HALF).max() == pytest.approx(out.min(), abs=2e-3)
    if out.min() > 1e-3:
        assert f == -1


@pytest.mark.parametrize("seed", range(12))
def test_a_point_is_nearer_out_of_another_face_where_its_distance_says(seed: int) -> None:
    rng, hulls = np.random.default_rng(seed), brick()
    normals = hulls.normals
    f = int(rng.integers(0, 6))
    g = int(rng.choice(np.flatnonzero(np.abs(normals @ normals[f]) < 0.5)))
    point = rng.uniform(-1, 1, 3) * HALF
    away = normals @ point - np.abs(normals) @ HALF
    deep = float(rng.uniform(away.min(), 0.0))
    others = [k for k in range(6) if k not in (f, g)]
    got = played(lambda: nearer_out(hulls, 0, f, g, deep, *point.tolist()))
    assert got == (away[others].max() > deep)
    on_top = point.copy()  # just above the face of an end of the edge of f and g
    end = int(np.flatnonzero((np.abs(normals @ normals[f]) < 0.5) & (np.abs(normals @ normals[g]) < 0.5))[0])
    on_top += (np.abs(normals[end]) @ HALF + 3e-4 - normals[end] @ point) * normals[end]
    assert played(lambda: nearer_out(hulls, 0, f, g, -0.003, *on_top.tolist()))


def test_a_triangle_is_met_within_its_sides_from_the_front_or_from_behind() -> None:
    corners = np.array([[0.0, 0, 0], [0, 0, 1], [1, 0, 0]])  # facing up
    hull = pack_hulls([Hull(corners, np.array([[0.0, 1.0, 0.0]]), [np.arange(3)], 0.0)], [0])
    down, up = np.array([0.0, -1.0, 0.0]), np.array([0.0, 1.0, 0.0])
    inside, beside = np.array([0.2, 0.4, 0.2]), np.array([0.8, 0.4, 0.8])
    side, gap = _triangle(hull, 0.01, inside, down)
    assert side == 1 and gap == pytest.approx(0.39)
    assert _triangle(hull, 0.01, beside, down)[0] == 0
    assert _triangle(hull, 0.01, inside, up)[0] == 0
    side, gap = _triangle(hull, 0.01, inside * [1, -1, 1], up)
    assert side == -1 and gap == pytest.approx(0.39)
    side, gap = _triangle(hull, 0.01, np.array([0.2, -0.005, 0.2]), 0 * up)  # pressed in from the front
    assert side == 1 and gap == pytest.approx(-0.015)


# ---------------------------------------------------------------------------- each other


def strewn(seed: int, speed: float) -> Run:
    """A run of two sheets and a lump whose vertices are anywhere, and go anywhere."""
    run = started(
        shot(
            cloth("a", (0, 1, 0), (1, 1), (8, 8), matter={"folds": True}),
            cloth("b", (0, 2, 0), (1, 1), (6, 6), matter={"folds": False}),
            soft("c", (0, 3, 0), (0.5, 0.5, 0.5), matter={"detail": 3}),
        )
    )
    rng, vertices = np.random.default_rng(seed), run.state.vertices
    vertices.position[:] = rng.uniform(-0.5, 0.5, vertices.position.shape)
    vertices.velocity[:] = speed * rng.normal(size=vertices.velocity.shape)
    return run


def looked(run: Run, room: int) -> tuple[Any, Before]:
    """Parts of a run, and how fast all was, after looking for what is near, with room for so many pairs."""
    assert run.deformable is not None and run.model.deformables is not None
    parts, scene, bodies = run.deformable.parts, run.rigid.scene, run.rigid.bodies
    parts = parts._replace(meeting=with_room(parts.meeting, room, 0))
    before = make_before(3, run.model.piece_count + 1)
    given = scene.hulls, scene.pieces, bodies, scene.settings, np.arange(3), 1
    DirectCall(find_nearby)(parts, before, run.model.deformables.own_mass, *given)
    return parts, before


@pytest.mark.parametrize("speed", [0.0, 1.0])
@pytest.mark.parametrize("seed", [1, 2])
def test_pairs_that_may_meet_are_those_that_brute_force_finds(seed: int, speed: float) -> None:
    run = strewn(seed, speed)
    parts, _ = looked(run, 40000)
    meeting, at, going = parts.meeting, parts.scratch.point, parts.scratch.point_way
    found = {tuple(sorted(p)) for p in meeting.point[: meeting.counts[0]].tolist()}
    assert len(found) == meeting.counts[0], "each pair once"
    points, body, span = parts.elements.points, meeting.body, run.model.settings.interval
    touching = 0
    for p in range(len(at)):
        for q in range(p + 1, len(at)):
            own = body[p] == body[q]
            size = points.ball if own else points.fine
            both = size[p] + size[q]
            apart = np.linalg.norm(at[p] - at[q])
            between = points.between[p] or points.between[q]
            lone = own and (body[p] != 0 or between or np.linalg.norm(meeting.start[p] - meeting.start[q]) < 1.1 * both)
            if lone:
                assert (p, q) not in found
            elif apart < both + span * np.linalg.norm(going[p] - going[q]):
                assert (p, q) in found
                touching += 1
    assert touching > 100


def test_as_an_interval_begins_nothing_is_touched_and_speeds_are_kept() -> None:
    run = strewn(5, 2.0)
    assert run.deformable is not None and run.model.deformables is not None
    touches = run.deformable.parts.scratch.touches
    for values in touches:
        values[:] = 1
    _, before = looked(run, 4)
    assert not any(x.any() for x in touches._replace(on=touches.on - NOTHING, waits=touches.waits - 1))
    mass, of = run.model.deformables.own_mass, run.model.deformables.elements.vertices.body
    for b in range(3):
        mean = mass[of == b] @ run.state.vertices.velocity[of == b] / mass[of == b].sum()
        assert before.body[b] == pytest.approx(mean, rel=1e-12)


@pytest.mark.parametrize(("speed", "tied"), [(0.0, False), (3.0, False), (0.0, True)])
def test_neighbours_are_those_whose_boxes_meet_within_an_interval_and_what_is_tied(speed: float, tied: bool) -> None:
    places = [(0.0, 1.0), (0.45, 1.02), (2.0, 1.0), (2.35, 1.2), (9.0, 5.0)]
    sheets = [cloth(str(k), (x, y, 0), (0.4, 0.4), (3, 3)) for k, (x, y) in enumerate(places)]
    knot = {"name": "knot", "how": {"kind": "pin"}, "body": "0", "to": "4", "point": [0, 1, 0]}
    run = started(shot(*sheets, ties=[knot] if tied else []))
    assert run.deformable is not None
    parts, e = run.deformable.parts, run.deformable.parts.elements
    run.state.vertices.velocity[:] = speed * np.random.default_rng(4).normal(size=run.state.vertices.velocity.shape)
    span, links = run.model.settings.interval, make_links(64, 5)
    DirectCall(find_neighbours)(parts, run.state.vertex_tie_broken, span, make_stillness_scratch(5), links)
    count = int(links.count[0])
    found = set(zip(links.slot[:count].tolist(), links.node[:count].tolist(), strict=True))
    boxes = []
    for b in range(5):
        own = slice(e.bodies.first[b], e.bodies.first[b + 1])
        x, v = run.state.vertices.position[own], run.state.vertices.velocity[own]
        room = e.points.ball[e.points.first[b]] + span * (np.linalg.norm(v, axis=1).max() + FASTER * span)
        boxes.append((x.min(axis=0) - room, x.max(axis=0) + room))
    near = {
        (a, b)
        for a in range(5)
        for b in range(5)
        if a != b and (boxes[a][0] <= boxes[b][1]).all() and (boxes[b][0] <= boxes[a][1]).all()
    }
    assert found == near | ({(0, 4), (4, 0)} if tied else set())
    assert (0, 1) in found and (0, 2) not in found


def test_balls_that_would_overlap_get_a_row_and_others_none() -> None:
    parts, _ = looked(strewn(3, 0.0), 4)
    at = parts.scratch.point
    points = parts.elements.points
    at[:] = 10.0 * np.arange(len(at))[:, None]
    at[100] = at[3] + [0.0, 0.3, 0.0]
    way = np.zeros_like(at)
    meeting = parts.meeting._replace(point=np.array([[3, 100]], np.int32))
    body = meeting.body.copy()
    meeting.counts[0] = 1
    rows = make_rows(4)
    assert _balls(points, meeting, at, way, rows) == 0
    way[3] = [0, 0.29, 0]
    assert _balls(points, meeting, at, way, rows) == 1
    assert rows.normal[0] == pytest.approx([0, -1, 0])
    assert body[3] != body[100] and points.fine[100] < points.ball[100]
    assert rows.gap[0] == pytest.approx(0.3 - points.fine[3] - points.fine[100])
    rows = make_rows(4)
    meeting.body[100], meeting.made[0] = body[3], 0
    assert _balls(points, meeting, at, way, rows) == 1
    assert rows.gap[0] == pytest.approx(0.3 - points.ball[3] - points.ball[100])
    assert rows.shape[0] == MET - 100 and rows.weight[0].sum() == pytest.approx(0.0, abs=1e-12)


@settings(max_examples=100)
@given(st.integers(0, 10**9))
def test_ropes_meet_where_their_segments_are_nearest(seed: int) -> None:
    rng = np.random.default_rng(seed)
    run = started(shot(rope("a", (0, 0, 0), (1, 0, 0), segments=1), rope("b", (0, 1, 0), (1, 1, 0), segments=1)))
    parts = run.deformable.parts  # type: ignore[union-attr]
    points, segments = parts.elements.points, parts.elements.segments
    at = np.zeros((len(points.radius), 3))
    ends = rng.uniform(-1, 1, (4, 3))
    at[points.of[segments.vertex.ravel()]] = ends
    meeting = parts.meeting._replace(segment=np.array([[0, 1]], np.int32))
    meeting.counts[1] = 1
    way, rows = np.zeros_like(at), make_rows(2)
    s = np.linspace(0, 1, 301)
    one, other = ends[0] + s[:, None] * (ends[1] - ends[0]), ends[2] + s[:, None] * (ends[3] - ends[2])
    nearest = np.linalg.norm(one[:, None] - other[None], axis=2).min()
    way[points.of[segments.vertex[0]]] = 5.0 * (ends[2:].mean(axis=0) - ends[:2].mean(axis=0))
    count = _capsules(points, segments, meeting, at, way, rows)
    if count:
        assert rows.gap[0] + 0.02 == pytest.approx(nearest, abs=6e-3)
        at_rows = sum(rows.weight[0, k] * ends[k] for k in range(4))
        assert np.linalg.norm(at_rows) == pytest.approx(nearest, abs=6e-3)
        assert rows.weight[0, :2].sum() == pytest.approx(1) and rows.weight[0, 2:4].sum() == pytest.approx(-1)


# -------------------------------------------------------------------------------- groups


def test_rows_gather_bodies_and_assemblies_in_groups_in_order() -> None:
    bodies, f = 5, np.zeros
    body = np.repeat(np.arange(5, dtype=np.int32), 2)
    lead = np.arange(10, dtype=np.int32)
    table = VertexTable(
        body, lead, lead, lead, *(f(10) for _ in range(2)), f(10, np.uint8), f((10, 3)), *(f(10) for _ in range(3))
    )
    rows, slots, groups = make_rows(8), make_slots(4, 2), make_groups(bodies, 4)
    rows.vertex[:] = -1
    rows.slot[:] = -1
    slots.used[0], slots.place[7 % 4] = 2, 0
    slots.place[1] = 1
    rows.vertex[0, :2] = 0, 6  # bodies 0 and 3 meet
    rows.vertex[1, 0], rows.slot[1] = 2, 3  # body 1 on the first assembly
    rows.vertex[2, 0], rows.slot[2] = 8, 3  # and body 4
    rows.vertex[3, 0] = 1  # body 0 on the ground
    rows.vertex[4, 0], rows.slot[4] = 7, 1  # body 3 on the second
    awake = np.array([0, 1, 2, 3, 4])
    count = _groups(table, bodies, awake, rows, 5, slots, groups, f(32, np.int32))
    assert count == 3

    def members(order: np.ndarray, start: np.ndarray) -> list[list[int]]:
        return [order[a:b].tolist() for a, b in pairwise(start[: count + 1])]

    assert members(groups.body, groups.body_start) == [[0, 3], [1, 4], [2]]
    assert members(rows.order, groups.row_start) == [[0, 3, 4], [1, 2], []]
    assert members(groups.slot, groups.slot_start) == [[1], [0], []]

    touch = slots.touch  # a third assembly lies between the second and a wall; it touches the first, too
    slots.used[0], slots.place[2] = 3, 2
    touch.count[POINTS], touch.slot[:3] = 3, [[1, 2], [2, -1], [-1, 1]]
    count = _groups(table, bodies, awake, rows, 5, slots, groups, f(32, np.int32))
    assert members(groups.slot, groups.slot_start) == [[1, 2], [0], []]
    assert members(touch.order, groups.touch_start) == [[0, 1, 2], [], []]
    touch.count[POINTS], touch.slot[3] = 4, [3, 2]
    count = _groups(table, bodies, awake, rows, 5, slots, groups, f(32, np.int32))
    assert members(groups.body, groups.body_start) == [[0, 1, 3, 4], [2]]
    assert members(groups.slot, groups.slot_start) == [[0, 1, 2], []]
    assert members(touch.order, groups.touch_start) == [[0, 1, 2, 3], []]


def test_what_is_tied_does_not_touch_unless_it_says_so() -> None:
    def fallen(collide: bool) -> float:
        tie = {
            "name": "t",
            "how": {"kind": "pin"},
            "body": "lump",
            "to": "block",
            "point": [0, 1.0, 0],
            "collide": collide,
        }
        bodies = [soft("lump", (0, 1.25, 0), (0.4, 0.5, 0.4)), box("block", (0, 0.5, 0), role="passive")]
        run = started(shot(*bodies, ties=[tie], frames=24))
        run.opening()
        for _ in range(24):
            run.advance()
        return float(run.state.vertices.position[:, 1].min())

    assert fallen(True) > 0.998 and fallen(False) < 0.985
