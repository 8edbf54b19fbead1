"""Pairs looked for anew in a step where it leads elsewhere than was expected, and what sinks in meets harder."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from deforming import cloth, rope, started
from dynaclast.core.document import Shot
from dynaclast.core.geometry.crossings import crossing_pairs
from dynaclast.core.geometry.mesh import make
from dynaclast.core.kernels import kernel
from dynaclast.core.solve.deformable import rooms
from dynaclast.core.solve.deformable.meetings import (
    ELAPSED,
    LEAST_MANY,
    MANY,
    MET,
    SPAN,
    WINDOW,
    ball_rows,
    find_flow,
    with_room,
)
from dynaclast.core.solve.deformable.row_forces import CONTACT_STIFFNESS, HARDER, SUNK, _harden, _own_stiffness
from dynaclast.core.solve.deformable.run import DeformableRun
from dynaclast.core.solve.deformable.strays import FASTER, LONGER, looked_ahead, meet_anew, strays
from dynaclast.core.solve.deformable.tables import make_rows, points_at
from dynaclast.core.solve.loop import Run
from playing import played
from resuming import interrupted, same
from shots import ball, shot

CANVAS = {"weight": 0.3, "stretch": 50, "shear": 10, "bending": 1e-5, "thickness": 0.004, "folds": True}


def dropped(cells: int, radius: float, height: float, frames: int = 30, *others: dict[str, Any]) -> Shot:
    """A canvas of 2 m falls over a ball and onto the ground, in folds."""
    stone = ball("stone", (0, radius + 0.05, 0), radius, role="passive", material={"friction": 0.4})
    sheet = cloth("sheet", (0, height, 0), (2, 2), (cells, cells), matter=CANVAS, material={"friction": 0.4})
    return shot(sheet, stone, *others, frames=frames)


@pytest.mark.parametrize(
    ("cells", "radius", "height", "since"), [(40, 0.15, 2.0, 12), (40, 0.15, 1.3, 9), (32, 0.22, 4.0, 18)]
)
def test_what_falls_in_folds_neither_crosses_itself_nor_stretches(
    cells: int, radius: float, height: float, since: int
) -> None:
    scene = dropped(cells, radius, height, since + 12)
    run = started(scene)
    assert run.model.deformables is not None
    faces = run.model.deformables.drawn[0].faces
    for k in range(since + 12):
        frame = run.advance()
        assert frame.stats["stretch"] < 0.03
        if k > since and k % 2:
            assert len(crossing_pairs(make(frame.arrays["points/sheet"].astype(float), faces))) == 0


def test_what_is_found_does_not_depend_on_the_room_there_is(monkeypatch: pytest.MonkeyPatch) -> None:
    frames, grown = [], [0, 0]
    for way in range(2):

        def exact(meeting: Any, points: int, segments: int, way: int = way) -> Any:
            grown[way] += 1
            return with_room(meeting, *(meeting.most.tolist() if way else (points, segments)))

        monkeypatch.setattr(rooms, "with_room", exact)
        run = started(dropped(16, 0.3, 1.0))
        frames.append([run.advance() for _ in range(16)])
    assert grown[1] > grown[0]
    assert all(same(one, other) for one, other in zip(*frames, strict=True))


def test_what_falls_in_folds_meets_itself_alike_whatever_finer_is_far_from_it() -> None:
    """For what is finer a sheet has points on its faces too, and smaller balls: that is nothing to itself."""
    cord = rope("cord", (5, 1, 0), (5, 1, 0.5), matter={"radius": 0.004})
    one, other = started(dropped(14, 0.2, 0.8, 20)), started(dropped(14, 0.2, 0.8, 20, cord))
    met = 0
    for _ in range(20):
        frames = one.advance(), other.advance()
        assert (frames[0].arrays["points/sheet"] == frames[1].arrays["points/sheet"]).all()
        d = parts_of(other)
        met += int(d.meeting.counts[0])
    points = d.elements.points
    assert met > 100 and points.between.any() and (points.fine < points.ball).any()


def test_a_run_goes_on_to_the_bit_from_the_middle_of_a_landing() -> None:
    assert interrupted(dropped(14, 0.2, 0.8, 14), every=2) == []


def test_a_run_goes_on_to_the_bit_where_it_is_looked_a_shorter_time_ahead(monkeypatch: pytest.MonkeyPatch) -> None:
    """Five sheets one above the other, each spun about another axis by tens of radians a second."""
    begin, ahead = DeformableRun.begin_interval, []

    def begins(self: DeformableRun, *given: Any) -> None:
        begin(self, *given)
        ahead.append(self.parts.meeting.time[WINDOW] / self.parts.meeting.time[SPAN])

    monkeypatch.setattr(DeformableRun, "begin_interval", begins)
    sheets = [
        cloth(f"sheet {k}", (0, 1 + 0.03 * k, 0), (0.5, 0.5), (6, 6), matter=CANVAS)
        | {"spin": [60.0 * (-1) ** k, 9.0 * k, 60.0 * (k % 3 - 1)]}
        for k in range(5)
    ]
    assert interrupted(shot(*sheets, frames=3), every=1) == []
    assert min(ahead) < 0.5 and max(ahead) == 1.0


# -------------------------------------------------------------------------------- twins


def strewn(seed: int, cells: int = 6) -> Run:
    """A run of a sheet that meets itself, one that meets that, and ropes, all anywhere, just looked at."""
    run = started(
        shot(
            cloth("a", (0, 1, 0), (1, 1), (cells, cells), matter={"folds": True}),
            cloth("b", (0, 2, 0), (1, 1), (5, 5), matter={"folds": False}),
            rope("c", (0, 1, 0), (1, 1, 0), segments=12),
            rope("d", (0, 2, 0), (1, 2, 0), segments=12),
        )
    )
    rng, vertices = np.random.default_rng(seed), run.state.vertices
    vertices.position[:] = rng.uniform(-0.3, 0.3, vertices.position.shape)
    vertices.velocity[:] = rng.normal(size=vertices.velocity.shape)
    assert run.deformable is not None
    run.deformable.begin_interval(run.rigid.scene, run.rigid.bodies)
    return run


def parts_of(run: Run) -> Any:
    assert run.deformable is not None
    return run.deformable.parts


def test_a_point_strays_that_gets_further_from_where_it_was_expected_than_its_slack() -> None:
    run = strewn(1)
    d, h, vertices = parts_of(run), run.model.settings.interval / 2, run.state.vertices
    points = d.elements.points

    def strayed() -> bool:
        d.scratch.point[:] = points_at(points, vertices.position)
        d.scratch.point_way[:] = points_at(points, d.vectors.d[: len(vertices.position), :3])
        return played(lambda: strays(d, h))

    d.vectors.d[: len(vertices.position), :3] = h * vertices.velocity
    assert not strayed()
    slack = min(0.5 * FASTER * (2 * h) ** 2, 0.25 * points.ball[9])
    v = points.vertex[9, 0]
    for share, wanted in ((0.9, False), (1.1, True)):
        d.vectors.d[v, :3] = h * vertices.velocity[v] + [0, share * slack, 0]
        assert strayed() == wanted
    d.vectors.d[v, :3] = h * vertices.velocity[v]
    d.meeting.time[ELAPSED] = h  # half an interval later all stands where it stood
    assert strayed()


@kernel
def _find_flow(at: np.ndarray, going: np.ndarray, use: np.ndarray, flow: np.ndarray) -> None:
    find_flow(at, going, use, len(use), flow)


def test_the_flow_of_points_is_the_gradient_of_their_speed() -> None:
    rng = np.random.default_rng(6)
    gradient, at, flow = rng.normal(size=(3, 3)), rng.normal(size=(30, 3)) + [5, 0, 0], np.full((11, 3), 9.0)
    use = np.arange(0, 30, 2, dtype=np.int32)
    going = at @ gradient.T + [0, -3, 0]
    at[1::2], going[1::2] = np.nan, 1e9  # what is not used has no part in it
    _find_flow(at, going, use, flow)
    assert flow[0] == pytest.approx(at[use].mean(axis=0)) and flow[1] == pytest.approx(going[use].mean(axis=0))
    assert flow[2:5] == pytest.approx(gradient, abs=1e-4)
    flat = at.copy()
    flat[:, 1] = 0.0
    _find_flow(flat, flat @ gradient.T, use, flow)
    assert flow[2:5, [0, 2]] == pytest.approx(gradient[:, [0, 2]], abs=1e-4)
    assert np.abs(flow[2:5, 1]).max() < 1e-9, "nothing is known of what goes on across a plane"
    _find_flow(at, going, use[:1], flow)
    assert not flow[2:5].any()


@pytest.mark.parametrize(("seed", "turn"), [(2, 0.0), (3, 20.0), (3, 40.0)])
def test_pairs_looked_for_anew_are_those_of_the_ways_a_solution_says(seed: int, turn: float) -> None:
    """Also where all turns [rad/s] and is drawn out besides, and where that is more than is counted apart."""
    run = strewn(seed)
    d, h, vertices = parts_of(run), run.model.settings.interval / 2, run.state.vertices
    d = d._replace(meeting=with_room(d.meeting, 200000, 4000), rows=make_rows(64))
    points, body = d.elements.points, d.meeting.body
    n = len(vertices.position)
    gradient = turn * np.array([[0.2, 0, 1], [0, -0.3, 0], [-1, 0, 0.1]])
    d.vectors.d[:n, :3] = h * (np.random.default_rng(seed).normal(size=(n, 3)) + vertices.position @ gradient.T)
    d.meeting.time[:] = h, 2 * h, 2 * h
    mesh = [p for p in range(len(points.radius)) if body[p] < 2]
    d.rows.tie[:], d.rows.face[:], d.rows.shape[:] = -1, -1, 0
    d.rows.point[:3], d.rows.shape[:3] = [0, 5, 3], [MET - 20, MET - 71, MET - 40]
    played(lambda: meet_anew(d, d.vectors.d, h, 3))
    meeting = d.meeting
    pairs = [tuple(p) for p in meeting.point[: meeting.counts[0]].tolist()]
    found = set(pairs)
    assert len(found) == len(pairs) and meeting.counts[0] <= len(meeting.point)
    at, way = points_at(points, vertices.position), points_at(points, d.vectors.d[:n, :3])
    near = 0
    for p in mesh[::3]:
        others = np.array([q for q in mesh if q > p], int)
        own = body[others] == body[p]
        both = np.where(own, points.ball[p] + points.ball[others], points.fine[p] + points.fine[others])
        beside = np.linalg.norm(meeting.start[p] - meeting.start[others], axis=1) < 1.1 * both
        between = (points.between[p] | points.between[others]) != 0
        never = own & ((body[p] != 0) | beside | between)
        gone = np.linspace(0, 1, 40)[:, None, None] * (way[p] - way[others])
        nearest = np.linalg.norm(at[p] - at[others] + gone, axis=2).min(axis=0)
        meets = {(p, int(q)) for q in others[~never & (nearest < both)]}
        assert meets <= found and not {(p, int(q)) for q in others[never]} & found
        near += len(meets)
    assert near > 30
    marked = {pairs[k] for k in np.flatnonzero(meeting.made[: len(pairs)])}
    assert marked == {(0, 20), (5, 71), (3, 40)} & set(found)
    assert meeting.time[ELAPSED] == 0 and meeting.time[SPAN] == h
    assert meeting.going[mesh] == pytest.approx(way[mesh] / h)


def test_segments_that_a_row_is_of_are_marked() -> None:
    run = strewn(4)
    d, h = parts_of(run), run.model.settings.interval / 2
    segments, rows = d.elements.segments.vertex, make_rows(8)
    d = d._replace(meeting=with_room(d.meeting, 40000, 4000), rows=rows)
    d.meeting.time[:] = 0, 2 * h, 2 * h
    d.vectors.d[: len(run.state.vertices.position)] = 0.0
    rows.tie[:], rows.face[:] = -1, -1
    played(lambda: meet_anew(d, d.vectors.d, h, 0))
    pairs = d.meeting.segment[: d.meeting.counts[1]].tolist()
    assert len(pairs) > 20
    for c, k in enumerate((3, 11, 17)):
        s, t = pairs[k]
        rows.shape[c], rows.face[c], rows.vertex[c, :2], rows.vertex[c, 2:4] = MET - 1, s, segments[s], segments[t]
    played(lambda: meet_anew(d, d.vectors.d, h, 3))
    assert np.flatnonzero(d.meeting.lines[: len(pairs)]).tolist() == [3, 11, 17]


def test_what_a_solution_brings_together_gets_a_row_where_there_is_none_and_it_is_by_much() -> None:
    d = parts_of(strewn(5))
    points, at = d.elements.points, 10.0 * np.arange(len(d.scratch.point))[:, None] * np.ones(3)
    both = points.ball[3] + points.ball[40]
    at[40] = at[3] + [0.0, 2 * both, 0.0]
    meeting = d.meeting._replace(point=np.array([[3, 40]], np.int32), made=np.zeros(1, np.uint8))
    meeting.counts[0] = 1
    way, rows = np.zeros_like(at), make_rows(4)

    def count(solved: int, sinks: float) -> int:
        way[3] = [0, both + sinks * points.ball[3], 0]
        return played(lambda: ball_rows(points, meeting, at, way, solved, rows, 0))

    assert [count(1, 0.4), count(1, 0.6), count(1, 0.6)] == [0, 1, 0]
    assert [count(0, -0.1), count(0, 0.1), count(1, 0.6)] == [0, 1, 0]


def test_points_that_sink_in_meet_harder_up_to_what_holds_shapes() -> None:
    d = parts_of(strewn(6))
    rows, size = d.rows, d.elements.points.fine[3]
    own = played(lambda: [_own_stiffness(d.matrix, i) for i in (3, 40)])
    rows.vertex[0, :] = -1
    rows.vertex[0, :2], rows.weight[0, :2] = [3, 40], [1.0, -1.0]
    rows.point[0], rows.gap[0], rows.stiffness[0] = 3, 0.0, 0.004 * CONTACT_STIFFNESS * sum(own)

    def harden(gap: float) -> bool:
        return played(lambda: _harden(d, 0, gap))

    assert not harden(-0.9 * SUNK * size)
    for times in (HARDER, HARDER**2, 250.0):
        assert harden(-1.1 * SUNK * size)
        assert rows.stiffness[0] == pytest.approx(times * 0.004 * CONTACT_STIFFNESS * sum(own))
    assert not harden(-1.1 * SUNK * size)
    rows.gap[0], rows.stiffness[0] = -2 * SUNK * size, 1.0
    assert not harden(-2.9 * SUNK * size) and harden(-3.1 * SUNK * size)


def test_where_almost_all_could_meet_it_is_looked_a_shorter_time_ahead() -> None:
    run = strewn(5, 10)
    d, span, vertices = parts_of(run), run.model.settings.interval, run.state.vertices
    points, body, h = d.elements.points, d.meeting.body, run.model.settings.interval / run.model.settings.substeps
    mesh = np.flatnonzero(body < 2)
    assert run.deformable is not None
    for faster, whole in ((1e-3, True), (3e3, False)):
        vertices.velocity[:] *= faster
        run.deformable.begin_interval(run.rigid.scene, run.rigid.bodies)
        assert (parts_of(run).meeting.time[WINDOW] == span) == whole
    meeting = parts_of(run).meeting
    window = meeting.time[WINDOW]
    assert h <= window < span and meeting.time[SPAN] == span
    found = {tuple(p) for p in meeting.point[: meeting.counts[0]].tolist()}
    assert len(found) == meeting.counts[0] <= max(MANY * len(mesh), LEAST_MANY)
    at, way = points_at(points, vertices.position), window * points_at(points, vertices.velocity)
    gone = np.linspace(0, 1, 60)[:, None, None]
    near = 0
    for p in mesh[body[mesh] == 0][::9]:
        others = mesh[body[mesh] == 1]
        nearest = np.linalg.norm(at[p] - at[others] + gone * (way[p] - way[others]), axis=2).min(axis=0)
        meets = {(int(p), int(q)) for q in others[nearest < points.ball[p] + points.ball[others]]}
        assert meets <= found
        near += len(meets)
    assert near > 3
    for elapsed, known in ((0.0, True), (window - h, True), (window - 0.5 * h, False)):
        meeting.time[ELAPSED] = elapsed
        assert played(lambda: looked_ahead(meeting, h)) == known
    meeting.time[ELAPSED] = window
    d = parts_of(run)._replace(meeting=meeting)
    d.vectors.d[: len(vertices.position), :3] = h * vertices.velocity
    played(lambda: meet_anew(d, d.vectors.d, h, 0))
    assert meeting.time[SPAN] == pytest.approx(span - window) and h <= meeting.time[WINDOW] <= LONGER * window
