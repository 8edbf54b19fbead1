"""Deformable bodies that meet each other and themselves: balls at the points of surfaces, capsules of ropes.

Pairs that may meet are found once an interval, of the bodies that have another within reach or may meet themselves
(grid.py).
What lies nearer at the start than balls would let it is left out; but pieces of a soft body that have parted meet
there too, face to face along their normals.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Flags, Index
from ...kernels import kernel
from ...kernels.linalg import invert_symmetric_3x3
from ...kernels.sorting import sort_pairs
from .contacts import new_row, place_point
from .grid import Balls, Grid, make_grid, near_pairs
from .tables import MOST_VERTICES, Elements, Held, PointTable, Rows, SegmentTable, points_at

MET = -10
"""In place of a shape: less the point that is met."""
ELAPSED, SPAN, WINDOW = range(3)
"""Places in Meeting.time."""
MANY, LEAST_MANY, ANY = 12, 4096, 1 << 62
"""Pairs for each point that are many, and in all: then it is looked a shorter time ahead, and again when it is over."""
BALLS, CAPSULES, BESIDE = 1, 2, 4
"""By which a body takes part, and whether another is within reach."""
MOST_SLACK = 0.25
"""So much of its radius is left for the speed that a ball gains in the time for which pairs are looked for."""
TOLERATED = 0.5
"""What a solution brings nearer than it may be by less than this share of its radius is left to the next step."""
OPPOSED = -0.5
"""Faces whose normals have a product below this face each other."""
MOST_FLOW = 0.5
"""What all turn and stretch alike in the time that pairs are looked for ahead is counted apart, up to so much."""
FLAT = 1e-6
"""Where points lie in a plane, as if they were spread across it by this share of their square."""
AT_START = 1.1
"""Balls that at the start are nearer than so many times the sum of their radii do not meet."""


class Ahead(NamedTuple):
    """How far ahead pairs that may meet are looked for.

    span     : float, [s], at most; shortest : float, [s], at least; window : float, [s], what is tried first
    gain     : float, [m/s2], how fast things may gain speed
    """

    span: float
    shortest: float
    window: float
    gain: float


class Meeting(NamedTuple):
    """Pairs that may meet, and what they are found with.

    point   : (n, 2) int32; facing (n,) uint8, whether face to face; segment : (m, 2) int32
    made    : (n,) uint8, whether there is a row of a pair in the step; of segments, lines (m,)
    counts  : (2,) int64, found; more than there is room for where there was none
    most    : (2,) int64, the most that were found since the interval began
    start   : (C, 3) float64, [m], where points are at the start
    normal  : (C, 3) float64, outwards, of points with a skin; 0 of others
    body    : (C,) int32; is_rope : (C,) uint8, whether a rope's capsules stand for its balls
    grid    : Grid, with room for points, and for segments
    places  : (max(C, S) + 2,) int32, and spare (2, max(n, m)) int32, for putting pairs in order
    use     : (max(C, S),) int32, those that are looked at; reach (max(C, S),) float64, [m], how far each gets
    room    : (max(C, S),) float64, [m], how large each is; way (max(C, S), 3) float64, [m], where it goes
    kind    : (max(C, S),) int64, as of Balls
    middle  : (S, 3) float64, [m], of segments
    box     : (B, 2, 3) float64, [m], round bodies and where they get to; part (B,) uint8, which take part; able (B,)
              uint8, which would if they came near
    at      : (C, 3) float64, [m], where points were when it was looked; going (C, 3), [m/s], how they went
    time    : (3,) float64, [s], since then, to the end of the interval from then, and for which it was looked
    flow    : (11, 3) float64, as of find_flow
    """

    point: Index
    facing: Flags
    segment: Index
    made: Flags
    lines: Flags
    counts: Index
    most: Index
    start: Array
    normal: Array
    body: Index
    is_rope: Flags
    grid: Grid
    places: Index
    spare: Index
    use: Index
    reach: Array
    room: Array
    way: Array
    kind: Index
    middle: Array
    box: Array
    part: Flags
    able: Flags
    at: Array
    going: Array
    time: Array
    flow: Array


def make_meeting(e: Elements, points: int, segments: int) -> Meeting:
    """Room for so many pairs of points and of segments."""
    count, lines, bodies = len(e.points.radius), len(e.segments.vertex), len(e.bodies.solver)
    first = np.maximum(e.points.vertex[:, 0], 0)
    body = e.vertices.body[first] if count else np.zeros(0, np.int32)
    most, line = max(count, lines), np.diff(e.bodies.segment) > 0
    return Meeting(
        np.zeros((points, 2), np.int32),
        np.zeros(points, np.uint8),
        np.zeros((segments, 2), np.int32),
        np.zeros(points, np.uint8),
        np.zeros(segments, np.uint8),
        np.zeros(2, np.int64),
        np.zeros(2, np.int64),
        points_at(e.points, e.vertices.rest),
        np.zeros((count, 3)),
        body,
        line[body].astype(np.uint8),
        make_grid(most),
        np.zeros(most + 2, np.int32),
        np.zeros((2, max(points, segments)), np.int32),
        np.zeros(most, np.int32),
        np.zeros(most),
        np.zeros(most),
        np.zeros((most, 3)),
        np.zeros(most, np.int64),
        np.zeros((lines, 3)),
        np.zeros((bodies, 2, 3)),
        np.zeros(bodies, np.uint8),
        np.zeros(bodies, np.uint8),
        np.zeros((count, 3)),
        np.zeros((count, 3)),
        np.zeros(3),
        np.zeros((11, 3)),
    )


def with_room(meeting: Meeting, points: int, segments: int) -> Meeting:
    """The same with room for so many pairs."""
    return meeting._replace(
        point=np.zeros((points, 2), np.int32),
        facing=np.zeros(points, np.uint8),
        segment=np.zeros((segments, 2), np.int32),
        made=np.zeros(points, np.uint8),
        lines=np.zeros(segments, np.uint8),
        spare=np.zeros((2, max(points, segments)), np.int32),
    )


@kernel(inner=True)
def find_meetings(e: Elements, at: Array, going: Array, awake: Index, ahead: Ahead, out: Meeting) -> None:
    """Pairs that may meet within a time, or within less where they would be too many: that of out.time[WINDOW].

    at, going : (C, 3) float64, [m], [m/s], of points
    awake     : (n,) int64, deformable bodies
    """
    span, gain = ahead.span, ahead.gain
    out.counts[0] = 0
    out.counts[1] = 0
    out.time[WINDOW] = span
    found = _find_parts(e, at, going, awake, span, gain, out)
    if found & BALLS:
        out.time[WINDOW] = _find_points(e, at, going, awake, ahead, out)
    if found & CAPSULES:
        _find_segments(e, at, going, awake, span, gain, out)


@kernel(inner=True)
def slack(size: float, span: float, gain: float) -> float:
    """How far one may get in a time beside what its speed lets it."""
    return min(0.5 * gain * span * span, MOST_SLACK * size)


@kernel(inner=True)
def _find_parts(e: Elements, at: Array, going: Array, awake: Index, span: float, gain: float, out: Meeting) -> int:
    """Which bodies can meet another or themselves, by their balls or their capsules, into out.part; any of them."""
    points, box, found = e.points, out.box, 0
    for b in awake:
        out.part[b] = 0
        out.able[b] = e.meets[b, b] or e.bodies.apart[b]
        box[b, 0, :], box[b, 1, :] = np.inf, -np.inf
        for p in range(points.first[b], points.first[b + 1]):
            room = points.ball[p] + slack(points.ball[p], span, gain)
            for c in range(3):
                way = span * going[p, c]
                box[b, 0, c] = min(box[b, 0, c], at[p, c] - room, at[p, c] + way - room)
                box[b, 1, c] = max(box[b, 1, c], at[p, c] + room, at[p, c] + way + room)
    for place in range(len(awake)):
        b = awake[place]
        line = e.bodies.segment[b + 1] > e.bodies.segment[b]
        if e.meets[b, b] or e.bodies.apart[b]:
            out.part[b] |= CAPSULES if line else BALLS
        for other_place in range(place + 1, len(awake)):
            o = awake[other_place]
            if not e.meets[b, o]:
                continue
            out.able[b], out.able[o] = 1, 1
            if (
                box[b, 0, 0] > box[o, 1, 0]
                or box[o, 0, 0] > box[b, 1, 0]
                or box[b, 0, 1] > box[o, 1, 1]
                or box[o, 0, 1] > box[b, 1, 1]
                or box[b, 0, 2] > box[o, 1, 2]
                or box[o, 0, 2] > box[b, 1, 2]
            ):
                continue
            both = CAPSULES if line and e.bodies.segment[o + 1] > e.bodies.segment[o] else BALLS
            out.part[b] |= both | BESIDE
            out.part[o] |= both | BESIDE
        found |= out.part[b]
    return found


@kernel(inner=True)
def _find_points(e: Elements, at: Array, going: Array, awake: Index, ahead: Ahead, out: Meeting) -> float:
    """Pairs of points of the bodies that take part. Returns for how long [s] they are all."""
    points, use, n = e.points, out.use, 0
    for b in awake:
        if not out.part[b] & BALLS:
            continue
        alone = not out.part[b] & BESIDE
        for p in range(points.first[b], points.first[b + 1]):
            if points.between[p] and alone:
                continue
            if points.held[p] != Held.FOLLOWS and np.isfinite(at[p, 0] + at[p, 1] + at[p, 2]):
                use[n] = p
                n += 1
    if n == 0:
        return ahead.span
    if len(points.skin):
        turn_normals(points.skin, at, out.normal)
    window = min(ahead.window, ahead.span)
    find_flow(at, going, use, n, out.flow)
    while True:
        most = max(MANY * n, LEAST_MANY) if window > ahead.shortest else ANY
        near = _pairs_within(e, at, going, n, window, ahead, most, out)
        if near <= most:
            break
        window = max(ahead.shortest, 0.5 * window)
    out.counts[0] = near
    out.most[0] = max(out.most[0], near)
    if near > len(out.point):
        return window
    sort_pairs(out.point[:, 0], out.point[:, 1], near, out.places, out.spare[0], out.spare[1])
    count = 0
    for k in range(near):
        p, q = out.point[k, 0], out.point[k, 1]
        how = _may_meet(e, p, q, out)
        if how:
            out.point[count, 0], out.point[count, 1], out.facing[count] = p, q, how == 2
            count += 1
    out.counts[0] = count
    return window


@kernel(inner=True)
def find_flow(at: Array, going: Array, use: Index, count: int, flow: Array) -> None:
    """How points go all in all: the gradient G of the speed that fits them best, by least squares.

    at, going  : (n, 3) float64, [m], [m/s]
    use, count : (count,) int32, the points
    flow       : (11, 3) float64, written: mean place, mean speed, G [1/s] in rows, and scratch
    """
    flow[:, :] = 0.0
    for u in range(count):
        p = use[u]
        for c in range(3):
            flow[0, c] += at[p, c] / count
            flow[1, c] += going[p, c] / count
    gradient, spread, inverse = flow[2:5], flow[5:8], flow[8:11]
    for u in range(count):
        p = use[u]
        for c in range(3):
            x = at[p, c] - flow[0, c]
            for r in range(3):
                spread[r, c] += (at[p, r] - flow[0, r]) * x
                inverse[r, c] += (going[p, r] - flow[1, r]) * x
    least = FLAT * (spread[0, 0] + spread[1, 1] + spread[2, 2]) + 1e-300
    for c in range(3):
        spread[c, c] += least
    for r in range(3):
        gradient[r, 0], gradient[r, 1], gradient[r, 2] = inverse[r, 0], inverse[r, 1], inverse[r, 2]
    invert_symmetric_3x3(spread, inverse)
    for r in range(3):
        x, y, z = gradient[r, 0], gradient[r, 1], gradient[r, 2]
        for c in range(3):
            gradient[r, c] = x * inverse[0, c] + y * inverse[1, c] + z * inverse[2, c]


@kernel(inner=True)
def _pairs_within(
    e: Elements, at: Array, going: Array, count: int, window: float, ahead: Ahead, most: int, out: Meeting
) -> int:
    """Pairs of the points in out.use that may touch within a time, into out.point; as of near_pairs. Two that go as
    out.flow has it come together only by what separates them, |G dx| <= |G| |dx|: the rest is what they go beside it.

    window : float, [s]; ahead : for all of its span they have slack
    """
    points, flow, size = e.points, out.flow, 0.0
    for r in range(2, 5):
        for c in range(3):
            size += flow[r, c] * flow[r, c]
    share = window * np.sqrt(size)
    follow = 1.0 if share < MOST_FLOW else 0.0
    for u in range(count):
        p = out.use[u]
        x, y, z = at[p, 0] - flow[0, 0], at[p, 1] - flow[0, 1], at[p, 2] - flow[0, 2]
        beside = 0.0
        for c in range(3):
            g = flow[2 + c]
            beside += (going[p, c] - flow[1, c] - follow * (g[0] * x + g[1] * y + g[2] * z)) ** 2
        out.room[p] = points.ball[p] + slack(points.ball[p], ahead.span, ahead.gain)
        out.reach[p] = (out.room[p] + window * np.sqrt(beside)) / (1.0 - follow * share)
        out.way[p, 0], out.way[p, 1], out.way[p, 2] = window * going[p, 0], window * going[p, 1], window * going[p, 2]
        out.kind[p] = _kind(e, out.body[p], p)
    return near_pairs(Balls(at, out.room, out.way, out.reach, out.kind), out.use, count, out.grid, most, out.point)


@kernel(inner=True)
def _island(e: Elements, p: int) -> int:
    """What hangs together with a point."""
    return e.vertices.island[e.points.vertex[p, 0]]


@kernel(inner=True)
def _kind(e: Elements, body: int, p: int) -> int:
    """Points of one kind do not meet: those of a body that does not meet itself, or of what hangs together of it; and
    those that meet other bodies alone.
    """
    if e.points.between[p]:
        return body
    if e.meets[body, body]:
        return -1
    bodies = len(e.bodies.solver)
    return body + bodies * (1 + _island(e, p)) if e.bodies.apart[body] else body


@kernel(inner=True)
def turn_normals(skin: Index, at: Array, normal: Array) -> None:
    """Unit normals (C, 3) of the points of a skin (F, 3) where they are (C, 3) [m], by the areas of faces."""
    for f in range(len(skin)):
        for k in range(3):
            p = skin[f, k]
            normal[p, 0], normal[p, 1], normal[p, 2] = 0.0, 0.0, 0.0
    for f in range(len(skin)):
        a, b, c = skin[f, 0], skin[f, 1], skin[f, 2]
        ux, uy, uz = at[b, 0] - at[a, 0], at[b, 1] - at[a, 1], at[b, 2] - at[a, 2]
        vx, vy, vz = at[c, 0] - at[a, 0], at[c, 1] - at[a, 1], at[c, 2] - at[a, 2]
        for p in (a, b, c):
            normal[p, 0] += uy * vz - uz * vy
            normal[p, 1] += uz * vx - ux * vz
            normal[p, 2] += ux * vy - uy * vx
    for f in range(len(skin)):
        for k in range(3):
            n = normal[skin[f, k]]
            long = np.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2])
            if long > 0.0:
                n[0], n[1], n[2] = n[0] / long, n[1] / long, n[2] / long


@kernel(inner=True)
def _may_meet(e: Elements, p: int, q: int, out: Meeting) -> int:
    """How two points that come near each other meet: 1 as balls, 2 face to face, 0 not at all."""
    a, b = out.body[p], out.body[q]
    apart = a == b and e.bodies.apart[a] and _island(e, p) != _island(e, q)
    if not (e.meets[a, b] or apart) or (out.is_rope[p] and out.is_rope[q]):
        return 0
    if a != b:
        return 1
    if e.points.between[p] or e.points.between[q]:
        return 0
    sx, sy, sz = out.start[q, 0] - out.start[p, 0], out.start[q, 1] - out.start[p, 1], out.start[q, 2] - out.start[p, 2]
    if sx * sx + sy * sy + sz * sz >= (AT_START * (e.points.ball[p] + e.points.ball[q])) ** 2:
        return 1
    n, m = out.normal[p], out.normal[q]
    return 2 if apart and n[0] * m[0] + n[1] * m[1] + n[2] * m[2] < OPPOSED else 0


@kernel(inner=True)
def _find_segments(e: Elements, at: Array, going: Array, awake: Index, span: float, gain: float, out: Meeting) -> None:
    """Pairs of segments of ropes; those that share a vertex, or did at the start, do not meet."""
    table, points, root, use, n = e.segments, e.points, e.vertices.root, out.use, 0
    mx, my, mz = 0.0, 0.0, 0.0
    for b in awake:
        if not out.part[b] & CAPSULES:
            continue
        for s in range(e.bodies.segment[b], e.bodies.segment[b + 1]):
            a, c = points.of[table.vertex[s, 0]], points.of[table.vertex[s, 1]]
            for d in range(3):
                out.middle[s, d] = 0.5 * (at[a, d] + at[c, d])
            if np.isfinite(out.middle[s, 0] + out.middle[s, 1] + out.middle[s, 2]):
                use[n] = s
                mx += 0.5 * (going[a, 0] + going[c, 0])
                my += 0.5 * (going[a, 1] + going[c, 1])
                mz += 0.5 * (going[a, 2] + going[c, 2])
                n += 1
    mx, my, mz = mx / max(n, 1), my / max(n, 1), mz / max(n, 1)
    for u in range(n):
        s = use[u]
        fast, long = 0.0, 0.0
        thick = 0.0
        for k in range(2):
            p = points.of[table.vertex[s, k]]
            x, y, z = going[p, 0] - mx, going[p, 1] - my, going[p, 2] - mz
            fast = max(fast, x * x + y * y + z * z)
            x, y, z = at[p, 0] - out.middle[s, 0], at[p, 1] - out.middle[s, 1], at[p, 2] - out.middle[s, 2]
            long = max(long, x * x + y * y + z * z)
            thick = max(thick, points.radius[p])
        out.reach[s] = thick + slack(thick, span, gain) + np.sqrt(long) + span * np.sqrt(fast)
        out.way[s, 0], out.way[s, 1], out.way[s, 2], out.kind[s] = 0.0, 0.0, 0.0, -1  # reach has it all
    near = near_pairs(Balls(out.middle, out.reach, out.way, out.reach, out.kind), use, n, out.grid, ANY, out.segment)
    out.counts[1] = near
    out.most[1] = max(out.most[1], near)
    if near > len(out.segment):
        return
    sort_pairs(out.segment[:, 0], out.segment[:, 1], near, out.places, out.spare[0], out.spare[1])
    count = 0
    for k in range(near):
        s, t = out.segment[k, 0], out.segment[k, 1]
        p, q = root[table.vertex[s, 0]], root[table.vertex[s, 1]]
        u, v = root[table.vertex[t, 0]], root[table.vertex[t, 1]]
        if p == u or p == v or q == u or q == v:
            continue
        a, c = points.of[table.vertex[s, 0]], points.of[table.vertex[s, 1]]
        f, g = points.of[table.vertex[t, 0]], points.of[table.vertex[t, 1]]
        own, other = out.body[a], out.body[f]
        apart = own == other and e.bodies.apart[own] and _island(e, a) != _island(e, f)
        if not (e.meets[own, other] or apart):
            continue
        one, two = max(points.radius[a], points.radius[c]), max(points.radius[f], points.radius[g])
        room = one + two + slack(one, span, gain) + slack(two, span, gain)
        clear = False
        for d in range(3):
            low = min(at[a, d], at[c, d], at[a, d] + span * going[a, d], at[c, d] + span * going[c, d])
            high = max(at[a, d], at[c, d], at[a, d] + span * going[a, d], at[c, d] + span * going[c, d])
            least = min(at[f, d], at[g, d], at[f, d] + span * going[f, d], at[g, d] + span * going[g, d])
            most = max(at[f, d], at[g, d], at[f, d] + span * going[f, d], at[g, d] + span * going[g, d])
            clear = clear or low > most + room or least > high + room
        if not clear:
            out.segment[count, 0], out.segment[count, 1] = s, t
            count += 1
    out.counts[1] = count


@kernel(inner=True)
def place_between(points: PointTable, meeting: Meeting, x: Array, out: Array) -> None:
    """What vertices (N, 3) have at points between them (C, 3), of those that may meet."""
    for k in range(min(meeting.counts[0], len(meeting.point))):
        for side in range(2):
            p = meeting.point[k, side]
            if points.between[p]:
                place_point(points, p, x, out)


@kernel(inner=True)
def ball_rows(points: PointTable, meeting: Meeting, at: Array, way: Array, solved: int, rows: Rows, count: int) -> int:
    """Rows of balls that would overlap at the end of the step; returns how many rows there are then.

    solved : int, 0 where way is how points go by themselves; 1 where a solution says so: then rows are added that are
             not there yet
    """
    for k in range(min(meeting.counts[0], len(meeting.point))):
        if solved == 0:
            meeting.made[k] = 0
        elif meeting.made[k]:
            continue
        p, q = meeting.point[k, 0], meeting.point[k, 1]
        dx, dy, dz = at[p, 0] - at[q, 0], at[p, 1] - at[q, 1], at[p, 2] - at[q, 2]
        far = np.sqrt(dx * dx + dy * dy + dz * dz)
        if count == len(rows.gap) or (points.held[p] and points.held[q]):
            continue
        one, other = points.fine[p], points.fine[q]
        if meeting.body[p] == meeting.body[q]:
            one, other = points.ball[p], points.ball[q]
        both = one + other
        if meeting.facing[k]:
            n, m = meeting.normal[q], meeting.normal[p]
            nx, ny, nz = n[0] - m[0], n[1] - m[1], n[2] - m[2]
            long = np.sqrt(nx * nx + ny * ny + nz * nz)
            nx, ny, nz = nx / long, ny / long, nz / long
            gap = nx * dx + ny * dy + nz * dz
            if far * far - gap * gap > both * both or gap < -both:
                continue  # beside each other
        elif far < 1e-12:
            continue
        else:
            nx, ny, nz = dx / far, dy / far, dz / far
            gap = far - both
        closing = nx * (way[p, 0] - way[q, 0]) + ny * (way[p, 1] - way[q, 1]) + nz * (way[p, 2] - way[q, 2])
        if gap + closing >= -solved * TOLERATED * min(one, other):
            continue
        meeting.made[k] = 1
        new_row(rows, count, p, MET - q, -1, -1, np.sqrt(points.friction[p] * points.friction[q]))
        o = rows.normal[count]
        o[0], o[1], o[2] = nx, ny, nz
        rows.gap[count] = gap
        _join(points, p, 1.0, rows, count)
        _join(points, q, -1.0, rows, count)
        count += 1
    return count


@kernel(inner=True)
def _join(points: PointTable, p: int, sign: float, rows: Rows, count: int) -> None:
    """Put the vertices of a point on a row, behind those that are there."""
    place = 0
    while place < MOST_VERTICES and rows.vertex[count, place] >= 0:
        place += 1
    for k in range(4):
        i = points.vertex[p, k]
        if i >= 0 and place < MOST_VERTICES:
            rows.vertex[count, place], rows.weight[count, place] = i, sign * points.weight[p, k]
            place += 1


@kernel(inner=True)
def segment_rows(
    points: PointTable,
    table: SegmentTable,
    meeting: Meeting,
    at: Array,
    way: Array,
    solved: int,
    rows: Rows,
    count: int,
) -> int:
    """The same of capsules round segments of ropes, where they are nearest (Ericson 2005, 5.1.9).

    The face of such a row is the first segment.
    """
    for k in range(min(meeting.counts[1], len(meeting.segment))):
        if solved == 0:
            meeting.lines[k] = 0
        elif meeting.lines[k]:
            continue
        s, t = meeting.segment[k, 0], meeting.segment[k, 1]
        a, b = points.of[table.vertex[s, 0]], points.of[table.vertex[s, 1]]
        f, g = points.of[table.vertex[t, 0]], points.of[table.vertex[t, 1]]
        ux, uy, uz = at[b, 0] - at[a, 0], at[b, 1] - at[a, 1], at[b, 2] - at[a, 2]
        vx, vy, vz = at[g, 0] - at[f, 0], at[g, 1] - at[f, 1], at[g, 2] - at[f, 2]
        rx, ry, rz = at[a, 0] - at[f, 0], at[a, 1] - at[f, 1], at[a, 2] - at[f, 2]
        uu, vv, uv = ux * ux + uy * uy + uz * uz, vx * vx + vy * vy + vz * vz, ux * vx + uy * vy + uz * vz
        ur, vr = ux * rx + uy * ry + uz * rz, vx * rx + vy * ry + vz * rz
        if uu < 1e-18 or vv < 1e-18:
            continue
        below = uu * vv - uv * uv
        x = min(max((uv * vr - ur * vv) / below, 0.0), 1.0) if below > 1e-9 * uu * vv else 0.5
        y = (uv * x + vr) / vv
        if y < 0.0 or y > 1.0:
            y = min(max(y, 0.0), 1.0)
            x = min(max((uv * y - ur) / uu, 0.0), 1.0)
        dx, dy, dz = rx + x * ux - y * vx, ry + x * uy - y * vy, rz + x * uz - y * vz
        far = np.sqrt(dx * dx + dy * dy + dz * dz)
        if far < 1e-12 or count == len(rows.gap):
            continue
        nx, ny, nz = dx / far, dy / far, dz / far
        gap = far - (1.0 - x) * points.radius[a] - x * points.radius[b]
        gap -= (1.0 - y) * points.radius[f] + y * points.radius[g]
        closing = (
            nx * ((1.0 - x) * way[a, 0] + x * way[b, 0] - (1.0 - y) * way[f, 0] - y * way[g, 0])
            + ny * ((1.0 - x) * way[a, 1] + x * way[b, 1] - (1.0 - y) * way[f, 1] - y * way[g, 1])
            + nz * ((1.0 - x) * way[a, 2] + x * way[b, 2] - (1.0 - y) * way[f, 2] - y * way[g, 2])
        )
        if gap + closing >= -solved * TOLERATED * min(points.radius[a], points.radius[f]):
            continue
        meeting.lines[k] = 1
        new_row(rows, count, a, MET - f, s, -1, np.sqrt(points.friction[a] * points.friction[f]))
        n = rows.normal[count]
        n[0], n[1], n[2] = nx, ny, nz
        rows.gap[count] = gap
        rows.vertex[count, 0], rows.weight[count, 0] = table.vertex[s, 0], 1.0 - x
        rows.vertex[count, 1], rows.weight[count, 1] = table.vertex[s, 1], x
        rows.vertex[count, 2], rows.weight[count, 2] = table.vertex[t, 0], y - 1.0
        rows.vertex[count, 3], rows.weight[count, 3] = table.vertex[t, 1], -y
        count += 1
    return count
