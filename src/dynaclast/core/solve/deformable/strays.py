"""Points that go where they were not expected to when pairs that may meet were looked for.

That is done once an interval, by the speeds that things then have. What hits something in a step, or is drawn along by
what does, goes elsewhere: then pairs are looked for anew in that step, by where its solution leads. Where so much is so
fast that almost all could meet in an interval, it is looked a shorter time ahead, and again when that is over.
"""

from __future__ import annotations

from ...arrays import Array, Index
from ...kernels import kernel
from .contacts import place_points
from .meetings import ELAPSED, MET, SPAN, WINDOW, Ahead, Meeting, find_meetings, slack
from .parts import Deformables
from .tables import Elements, Rows

FASTER = 30.0
"""By how much things may gain speed in an interval without being missed [m/s2], beside gravity and fields."""
LONGER = 2.0
"""How many times as long as before it is looked ahead, at most, where that is not the whole interval."""


@kernel(inner=True)
def expect(d: Deformables, awake: Index, span: float) -> None:
    """Keep where points of bodies (n,) that may meet are, and how they go, for a time [s] from now."""
    meeting = d.meeting
    meeting.time[ELAPSED], meeting.time[SPAN] = 0.0, span
    points, at, going = d.elements.points, d.scratch.point, d.scratch.point_way
    for b in awake:
        if not meeting.able[b]:
            continue
        for p in range(points.first[b], points.first[b + 1]):
            for c in range(3):
                meeting.at[p, c], meeting.going[p, c] = at[p, c], going[p, c]


@kernel(inner=True)
def strays(d: Deformables, h: float) -> bool:
    """Whether any point gets elsewhere by the end of this step of h [s], by v.d, than it was expected to."""
    points, meeting, at, way = d.elements.points, d.meeting, d.scratch.point, d.scratch.point_way
    time = meeting.time[ELAPSED] + h
    for b in d.awake:
        if not meeting.able[b]:
            continue
        for p in range(points.first[b], points.first[b + 1]):
            if points.between[p]:
                continue
            far = 0.0
            for c in range(3):
                far += (at[p, c] + way[p, c] - meeting.at[p, c] - time * meeting.going[p, c]) ** 2
            if far > slack(points.ball[p], meeting.time[SPAN], FASTER) ** 2:
                return True
    return False


@kernel(inner=True)
def looked_ahead(meeting: Meeting, h: float) -> bool:
    """Whether pairs that may meet are known up to the end of a step of h [s] to come."""
    return meeting.time[ELAPSED] + h <= meeting.time[WINDOW] * (1.0 + 1e-9)


@kernel(inner=True)
def meet_anew(d: Deformables, way: Array, h: float, count: int) -> None:
    """Look for pairs by where things go in a step of h [s], for what is left of the interval; those of the first
    ``count`` rows are marked.

    way : (N, 3) float64, [m], of vertices
    """
    e, meeting, s = d.elements, d.meeting, d.scratch
    left = meeting.time[SPAN] - meeting.time[ELAPSED]
    place_points(e.points, d.awake, d.vertices.position, 1, s.point)
    place_points(e.points, d.awake, way, 1, s.point_way)
    for b in d.awake:
        for p in range(e.points.first[b], e.points.first[b + 1]):
            for c in range(3):
                s.point_way[p, c] /= h
    ahead = Ahead(left, h, max(h, LONGER * meeting.time[WINDOW]), FASTER)
    find_meetings(e, s.point, s.point_way, d.awake, ahead, meeting)
    expect(d, d.awake, left)
    for b in d.awake:
        for p in range(e.points.first[b], e.points.first[b + 1]):
            for c in range(3):
                s.point_way[p, c] *= h
    _mark(e, meeting, d.rows, count)


@kernel(inner=True)
def _mark(e: Elements, meeting: Meeting, rows: Rows, count: int) -> None:
    """Mark pairs that rows are of."""
    n, m = min(meeting.counts[0], len(meeting.point)), min(meeting.counts[1], len(meeting.segment))
    meeting.made[:n] = 0
    meeting.lines[:m] = 0
    for c in range(count):
        if rows.shape[c] > MET or rows.tie[c] >= 0:
            continue
        if rows.face[c] < 0:
            p, q = rows.point[c], MET - rows.shape[c]
            k = _first_of(meeting.point, n, p)
            while k < n and meeting.point[k, 0] == p and meeting.point[k, 1] != q:
                k += 1
            if k < n and meeting.point[k, 0] == p:
                meeting.made[k] = 1
        else:
            k = _first_of(meeting.segment, m, rows.face[c])
            while k < m and meeting.segment[k, 0] == rows.face[c]:
                if _is_second(e, meeting.segment[k, 1], rows, c):
                    meeting.lines[k] = 1
                k += 1


@kernel(inner=True)
def _first_of(pairs: Index, count: int, one: int) -> int:
    """The first of pairs in order whose first number is no less."""
    low, high = 0, count
    while low < high:
        middle = (low + high) // 2
        if pairs[middle, 0] < one:
            low = middle + 1
        else:
            high = middle
    return low


@kernel(inner=True)
def _is_second(e: Elements, t: int, rows: Rows, c: int) -> bool:
    """Whether segment t is the second of a row of two."""
    return e.segments.vertex[t, 0] == rows.vertex[c, 2] and e.segments.vertex[t, 1] == rows.vertex[c, 3]
