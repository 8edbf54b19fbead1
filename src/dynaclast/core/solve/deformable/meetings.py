"""Deformable bodies that meet each other and themselves: balls at the points of surfaces, capsules of ropes.

Pairs that may meet are found once an interval: balls over a grid of cells in order of index, capsules along one axis.
What lies nearer at the start than balls would let it is left out; but pieces of a soft body that have parted meet
there too, face to face along their normals.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Flags, Index
from ...kernels import kernel
from .contacts import new_row
from .tables import MOST_VERTICES, Elements, Held, PointTable, Rows, SegmentTable

MET = -10
"""In place of a shape: less the point that is met."""
CELLS = 32
"""Room for cells of the grid, for each point."""
OPPOSED = -0.5
"""Faces whose normals have a product below this face each other."""
AT_START = 1.1
"""Balls that at the start are nearer than so many times the sum of their radii do not meet."""


class Meeting(NamedTuple):
    """Pairs that may meet, and what they are found with.

    point   : (n, 2) int32; facing (n,) uint8, whether face to face; segment : (m, 2) int32
    counts  : (2,) int64, found; more than there is room for where there was none
    start   : (C, 3) float64, [m], where points are at the start
    normal  : (C, 3) float64, outwards, of points with a skin; 0 of others
    body    : (C,) int32; is_rope : (C,) uint8, whether a rope's capsules stand for its balls
    start_of : (K + 1,) int32, where cells of the grid start in order, one place on
    order   : (C,) int32, points by cell; cell (C,) int64, of each point
    """

    point: Index
    facing: Flags
    segment: Index
    counts: Index
    start: Array
    normal: Array
    body: Index
    is_rope: Array
    start_of: Index
    order: Index
    cell: Index


def make_meeting(e: Elements, points: int, segments: int) -> Meeting:
    """Room for so many pairs of points and of segments."""
    count = len(e.points.radius)
    first = np.maximum(e.points.vertex[:, 0], 0)
    share = e.points.weight[:, :, None] * e.vertices.start[np.maximum(e.points.vertex, 0)]
    body = e.vertices.body[first] if count else np.zeros(0, np.int32)
    line = np.diff(e.bodies.segment) > 0
    return Meeting(
        np.zeros((points, 2), np.int32),
        np.zeros(points, np.uint8),
        np.zeros((segments, 2), np.int32),
        np.zeros(2, np.int64),
        share.sum(axis=1),
        np.zeros((count, 3)),
        body,
        line[body].astype(np.uint8),
        np.zeros(CELLS * count + 64, np.int32),
        np.zeros(count, np.int32),
        np.zeros(count, np.int64),
    )


@kernel
def find_meetings(e: Elements, at: Array, going: Array, awake: Index, span: float, reach: float, out: Meeting) -> None:
    """Pairs that may meet within a time; arguments as of contacts.find_near."""
    points, count = e.points, 0
    out.counts[0] = 0
    out.counts[1] = 0
    some = False
    for b in awake:
        some = some or e.bodies.apart[b] != 0
        for other in awake:
            some = some or e.meets[b, other]
    if not some:
        return
    widest, fastest, n = 0.0, 0.0, 0
    mx, my, mz = 0.0, 0.0, 0.0
    lx, ly, lz, hx, hy, hz = np.inf, np.inf, np.inf, -np.inf, -np.inf, -np.inf
    for b in awake:
        for p in range(points.first[b], points.first[b + 1]):
            if points.held[p] == Held.FOLLOWS:
                continue
            widest = max(widest, points.ball[p])
            mx += going[p, 0]
            my += going[p, 1]
            mz += going[p, 2]
            lx, hx = min(lx, at[p, 0]), max(hx, at[p, 0])
            ly, hy = min(ly, at[p, 1]), max(hy, at[p, 1])
            lz, hz = min(lz, at[p, 2]), max(hz, at[p, 2])
            n += 1
    if n == 0 or not np.isfinite(hx - lx + hy - ly + hz - lz):
        return
    if len(points.skin):
        turn_normals(points.skin, at, out.normal)
    mx, my, mz = mx / n, my / n, mz / n
    for b in awake:
        for p in range(points.first[b], points.first[b + 1]):
            if points.held[p] == Held.FOLLOWS:
                continue
            x, y, z = going[p, 0] - mx, going[p, 1] - my, going[p, 2] - mz
            fastest = max(fastest, x * x + y * y + z * z)
    slack = min(reach * span * span, 0.5 * widest)
    size = 2.0 * widest + span * min(2.0 * np.sqrt(fastest), 4.0 * widest / span) + slack
    nx, ny, nz = 1, 1, 1
    while True:  # cells that there is room for
        nx, ny, nz = int((hx - lx) / size) + 1, int((hy - ly) / size) + 1, int((hz - lz) / size) + 1
        if float(nx) * float(ny) * float(nz) <= len(out.start_of) - 1:
            break
        size *= 1.25
    cells = nx * ny * nz
    out.start_of[: cells + 1] = 0
    for b in awake:
        for p in range(points.first[b], points.first[b + 1]):
            if points.held[p] == Held.FOLLOWS:
                continue
            i, j, k = int((at[p, 0] - lx) / size), int((at[p, 1] - ly) / size), int((at[p, 2] - lz) / size)
            out.cell[p] = (k * ny + j) * nx + i
            out.start_of[out.cell[p] + 1] += 1
    for c in range(cells):
        out.start_of[c + 1] += out.start_of[c]
    for place in range(len(awake) - 1, -1, -1):
        b = awake[place]
        for p in range(points.first[b + 1] - 1, points.first[b] - 1, -1):
            if points.held[p] == Held.FOLLOWS:
                continue
            c = out.cell[p] + 1
            out.start_of[c] -= 1
            out.order[out.start_of[c]] = p
    # now start_of[c + 1] is where cell c starts, and start_of[c + 2] where it ends
    for b in awake:
        for p in range(points.first[b], points.first[b + 1]):
            if points.held[p] == Held.FOLLOWS:
                continue
            c = out.cell[p]
            i, j, k = c % nx, (c // nx) % ny, c // (nx * ny)
            for w in range(max(k - 1, 0), min(k + 2, nz)):
                for v in range(max(j - 1, 0), min(j + 2, ny)):
                    row = (w * ny + v) * nx
                    c = row + min(i + 1, nx - 1)
                    last = out.start_of[c + 2] if c + 2 <= cells else n
                    for place in range(out.start_of[row + max(i - 1, 0) + 1], last):
                        q = out.order[place]
                        how = _may_meet(e, at, going, p, q, span, slack, out) if q > p else 0
                        if how == 0:
                            continue
                        if count < len(out.point):
                            out.point[count, 0], out.point[count, 1] = p, q
                            out.facing[count] = how == 2
                        count += 1
    out.counts[0] = count
    out.counts[1] = _find_segments(e, at, going, awake, span, slack, out.segment)


@kernel(inline=True)
def _island(e: Elements, p: int) -> int:
    """What hangs together with a point."""
    return e.vertices.island[e.points.vertex[p, 0]]


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
def _may_meet(e: Elements, at: Array, going: Array, p: int, q: int, span: float, slack: float, out: Meeting) -> int:
    """Whether two points may meet within a time: 1 as balls, 2 face to face, 0 not at all."""
    both = e.points.ball[p] + e.points.ball[q]
    dx, dy, dz = at[q, 0] - at[p, 0], at[q, 1] - at[p, 1], at[q, 2] - at[p, 2]
    far = dx * dx + dy * dy + dz * dz
    gx, gy, gz = going[q, 0] - going[p, 0], going[q, 1] - going[p, 1], going[q, 2] - going[p, 2]
    room = both + slack + span * np.sqrt(gx * gx + gy * gy + gz * gz)
    if far > room * room:
        return 0
    a, b = out.body[p], out.body[q]
    apart = a == b and e.bodies.apart[a] and _island(e, p) != _island(e, q)
    if not (e.meets[a, b] or apart) or (out.is_rope[p] and out.is_rope[q]):
        return 0
    if a != b:
        return 1
    sx, sy, sz = out.start[q, 0] - out.start[p, 0], out.start[q, 1] - out.start[p, 1], out.start[q, 2] - out.start[p, 2]
    if sx * sx + sy * sy + sz * sz >= (AT_START * both) ** 2:
        return 1
    n, m = out.normal[p], out.normal[q]
    return 2 if apart and n[0] * m[0] + n[1] * m[1] + n[2] * m[2] < OPPOSED else 0


@kernel(inner=True)
def _find_segments(e: Elements, at: Array, going: Array, awake: Index, span: float, slack: float, out: Index) -> int:
    """Segments of ropes that may meet; those that share a vertex, or did at the start, do not."""
    count, table, points, root = 0, e.segments, e.points, e.vertices.root
    for b in awake:
        for s in range(e.bodies.segment[b], e.bodies.segment[b + 1]):
            a, c = points.of[table.vertex[s, 0]], points.of[table.vertex[s, 1]]
            p, q = root[table.vertex[s, 0]], root[table.vertex[s, 1]]
            thick = max(points.radius[a], points.radius[c])
            for other in awake:
                if other < b or not (e.meets[b, other] or (other == b and e.bodies.apart[b])):
                    continue
                begin = s + 1 if other == b else e.bodies.segment[other]
                for t in range(begin, e.bodies.segment[other + 1]):
                    u, v = root[table.vertex[t, 0]], root[table.vertex[t, 1]]
                    if p == u or p == v or q == u or q == v:
                        continue
                    f, g = points.of[table.vertex[t, 0]], points.of[table.vertex[t, 1]]
                    if not e.meets[b, other] and _island(e, a) == _island(e, f):
                        continue
                    room = thick + max(points.radius[f], points.radius[g]) + slack
                    apart = False
                    for d in range(3):
                        low = min(at[a, d], at[c, d], at[a, d] + span * going[a, d], at[c, d] + span * going[c, d])
                        high = max(at[a, d], at[c, d], at[a, d] + span * going[a, d], at[c, d] + span * going[c, d])
                        least = min(at[f, d], at[g, d], at[f, d] + span * going[f, d], at[g, d] + span * going[g, d])
                        most = max(at[f, d], at[g, d], at[f, d] + span * going[f, d], at[g, d] + span * going[g, d])
                        if low > most + room or least > high + room:
                            apart = True
                            break
                    if apart:
                        continue
                    if count < len(out):
                        out[count, 0], out[count, 1] = s, t
                    count += 1
    return count


@kernel(inner=True)
def ball_rows(points: PointTable, meeting: Meeting, at: Array, way: Array, rows: Rows, count: int) -> int:
    """Rows of balls that would overlap at the end of the step; returns how many rows there are then."""
    for k in range(min(meeting.counts[0], len(meeting.point))):
        p, q = meeting.point[k, 0], meeting.point[k, 1]
        dx, dy, dz = at[p, 0] - at[q, 0], at[p, 1] - at[q, 1], at[p, 2] - at[q, 2]
        far = np.sqrt(dx * dx + dy * dy + dz * dz)
        if count == len(rows.gap) or (points.held[p] and points.held[q]):
            continue
        both = points.ball[p] + points.ball[q]
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
        if gap + closing >= 0.0:
            continue
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
    points: PointTable, table: SegmentTable, meeting: Meeting, at: Array, way: Array, rows: Rows, count: int
) -> int:
    """The same of capsules round segments of ropes, where they are nearest (Ericson 2005, 5.1.9)."""
    for k in range(min(meeting.counts[1], len(meeting.segment))):
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
        if gap + closing >= 0.0:
            continue
        new_row(rows, count, a, MET - f, -1, -1, np.sqrt(points.friction[a] * points.friction[f]))
        n = rows.normal[count]
        n[0], n[1], n[2] = nx, ny, nz
        rows.gap[count] = gap
        rows.vertex[count, 0], rows.weight[count, 0] = table.vertex[s, 0], 1.0 - x
        rows.vertex[count, 1], rows.weight[count, 1] = table.vertex[s, 1], x
        rows.vertex[count, 2], rows.weight[count, 2] = table.vertex[t, 0], y - 1.0
        rows.vertex[count, 3], rows.weight[count, 3] = table.vertex[t, 1], -y
        count += 1
    return count
