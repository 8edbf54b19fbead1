"""The faces that pieces share, whatever broke them: area, middle, normal, second moments.

Two pieces share a face where cut triangles of both lie in one plane, look at each other and overlap. Pairs of pieces
are found by their bounds, pairs of triangles by theirs; the overlap is clipped (Sutherland and Hodgman 1974), and its
moments are summed over the fan of triangles it falls into.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..arrays import Array, Index, cross, lengths
from ..kernels import kernel

PLANE = 1e-6
"""Two faces lie in one plane if they are nearer than this share of the whole's size."""
AREA, FIRST, SECOND = 0, 1, 3
"""Places in the moments of a plane figure: area; first moments x, y; second moments xx, yy, xy."""
XX, YY, ZZ, XY, XZ, YZ = range(6)
"""Places in a symmetric tensor of six numbers."""


class SharedFaces(NamedTuple):
    """Faces that pieces share, sorted by their pieces; B of them.

    piece         : (B, 2) int32, lower first
    area          : (B,) float64, [m2]
    center        : (B, 3) float64, [m]
    normal        : (B, 3) float64, unit, from the first piece to the second, the mean by area
    second_moment : (B, 3, 3) float64, [m4], integral of r r^T over the face, r from its centre
    """

    piece: Index
    area: Array
    center: Array
    normal: Array
    second_moment: Array


class CutFaces(NamedTuple):
    """Cut triangles of all pieces, and bounds a tolerance wider than they are; T triangles, P pieces.

    corners                 : (T, 3, 3) float64, [m]
    normal                  : (T, 3) float64, unit
    area                    : (T,) float64, [m2]
    lower, upper            : (T, 3) float64, [m]
    start                   : (P + 1,) int32, triangles of piece p are rows start[p] to start[p + 1]
    piece_lower, piece_upper: (P, 3) float64, [m]
    order                   : (n,) int32, pieces that have triangles, along the sweep
    """

    corners: Array
    normal: Array
    area: Array
    lower: Array
    upper: Array
    start: Index
    piece_lower: Array
    piece_upper: Array
    order: Index


class Clipping(NamedTuple):
    """Scratch of one overlap.

    flat           : (2, 3, 2) float64, two triangles in a plane
    polygon, other : (10, 2) float64
    moments        : (6,) float64, places as AREA and following
    """

    flat: Array
    polygon: Array
    other: Array
    moments: Array


@kernel(inline=True)
def _clip(a: Array, b: Array, polygon: Array, other: Array) -> int:
    """The overlap of two 2D triangles (3, 2), a counter-clockwise, into polygon; returns how many corners it has."""
    for i in range(3):
        polygon[i, 0], polygon[i, 1] = b[i, 0], b[i, 1]
    n = 3
    for e in range(3):
        px, py = a[e, 0], a[e, 1]
        ex, ey = a[(e + 1) % 3, 0] - px, a[(e + 1) % 3, 1] - py
        m = 0
        for i in range(n):
            j = (i + 1) % n
            di = ex * (polygon[i, 1] - py) - ey * (polygon[i, 0] - px)
            dj = ex * (polygon[j, 1] - py) - ey * (polygon[j, 0] - px)
            if di >= 0.0:
                other[m, 0], other[m, 1] = polygon[i, 0], polygon[i, 1]
                m += 1
            if (di > 0.0 and dj < 0.0) or (di < 0.0 and dj > 0.0):
                t = di / (di - dj)
                other[m, 0] = polygon[i, 0] + t * (polygon[j, 0] - polygon[i, 0])
                other[m, 1] = polygon[i, 1] + t * (polygon[j, 1] - polygon[i, 1])
                m += 1
        for i in range(m):
            polygon[i, 0], polygon[i, 1] = other[i, 0], other[i, 1]
        n = m
        if n < 3:
            return 0
    return n


@kernel
def clip_moments(a: Array, b: Array, polygon: Array, other: Array, out: Array) -> float:
    """Moments (6,) about the origin of the overlap of two 2D triangles (3, 2), a counter-clockwise; returns its area.

    polygon, other : (10, 2) float64, scratch
    out            : (6,) float64, places as AREA and following
    Source         : second moments of a triangle are A / 12 (aa + bb + cc + ss), s = a + b + c, of its corners
    """
    n = _clip(a, b, polygon, other)
    for c in range(6):
        out[c] = 0.0
    ax, ay = polygon[0, 0], polygon[0, 1]
    for i in range(1, n - 1):
        bx, by, cx, cy = polygon[i, 0], polygon[i, 1], polygon[i + 1, 0], polygon[i + 1, 1]
        t = 0.5 * ((bx - ax) * (cy - ay) - (by - ay) * (cx - ax))
        sx, sy = ax + bx + cx, ay + by + cy
        out[AREA] += t
        out[FIRST] += t * sx / 3.0
        out[FIRST + 1] += t * sy / 3.0
        out[SECOND] += t / 12.0 * (ax * ax + bx * bx + cx * cx + sx * sx)
        out[SECOND + 1] += t / 12.0 * (ay * ay + by * by + cy * cy + sy * sy)
        out[SECOND + 2] += t / 12.0 * (ax * ay + bx * by + cx * cy + sx * sy)
    if out[AREA] < 0.0:
        for c in range(6):
            out[c] = -out[c]
    return out[AREA]


@kernel(inner=True)
def _overlap(faces: CutFaces, s: int, t: int, tolerance: float, clipping: Clipping, origin: Array, sums: Array) -> None:
    """Add the overlap of triangles s and t to a shared face, if they face each other in one plane.

    origin : (3,) float64, [m], what moments are taken about
    sums   : (13,) float64: area; first moments; area times the normal of s; second moments, places as XX and following
    """
    corners, normal = faces.corners, faces.normal
    sign = 1.0
    if normal[s, 0] * normal[t, 0] + normal[s, 1] * normal[t, 1] + normal[s, 2] * normal[t, 2] >= 0.0:
        return
    if faces.area[t] > faces.area[s]:
        s, t = t, s
        sign = -1.0
    nx, ny, nz = normal[s, 0], normal[s, 1], normal[s, 2]
    ox, oy, oz = corners[s, 0, 0], corners[s, 0, 1], corners[s, 0, 2]
    for c in range(3):
        d = nx * (corners[t, c, 0] - ox) + ny * (corners[t, c, 1] - oy) + nz * (corners[t, c, 2] - oz)
        if abs(d) > tolerance:
            return
    # axes in the plane of the larger triangle
    ux, uy, uz = corners[s, 1, 0] - ox, corners[s, 1, 1] - oy, corners[s, 1, 2] - oz
    length = np.sqrt(ux * ux + uy * uy + uz * uz)
    ux, uy, uz = ux / length, uy / length, uz / length
    vx, vy, vz = ny * uz - nz * uy, nz * ux - nx * uz, nx * uy - ny * ux
    for k in range(2):
        tri = s if k == 0 else t
        for c in range(3):
            # the other triangle looks the other way: read it backwards, so that both are counter-clockwise
            row = c if k == 0 else 2 - c
            dx, dy, dz = corners[tri, row, 0] - ox, corners[tri, row, 1] - oy, corners[tri, row, 2] - oz
            clipping.flat[k, c, 0] = dx * ux + dy * uy + dz * uz
            clipping.flat[k, c, 1] = dx * vx + dy * vy + dz * vz
    m = clipping.moments
    area = clip_moments(clipping.flat[0], clipping.flat[1], clipping.polygon, clipping.other, m)
    if area <= 0.0:
        return
    u1, v1, uu, vv, uv = m[FIRST], m[FIRST + 1], m[SECOND], m[SECOND + 1], m[SECOND + 2]
    # a point is o + p u + q v from the origin; the integrals of p, q, pp, qq, pq are the moments
    ox, oy, oz = ox - origin[0], oy - origin[1], oz - origin[2]
    fx, fy, fz = u1 * ux + v1 * vx, u1 * uy + v1 * vy, u1 * uz + v1 * vz
    sums[0] += area
    sums[1] += area * ox + fx
    sums[2] += area * oy + fy
    sums[3] += area * oz + fz
    sums[4] += sign * area * nx
    sums[5] += sign * area * ny
    sums[6] += sign * area * nz
    sums[7 + XX] += area * ox * ox + 2.0 * ox * fx + uu * ux * ux + vv * vx * vx + 2.0 * uv * ux * vx
    sums[7 + YY] += area * oy * oy + 2.0 * oy * fy + uu * uy * uy + vv * vy * vy + 2.0 * uv * uy * vy
    sums[7 + ZZ] += area * oz * oz + 2.0 * oz * fz + uu * uz * uz + vv * vz * vz + 2.0 * uv * uz * vz
    sums[7 + XY] += area * ox * oy + ox * fy + oy * fx + uu * ux * uy + vv * vx * vy + uv * (ux * vy + uy * vx)
    sums[7 + XZ] += area * ox * oz + ox * fz + oz * fx + uu * ux * uz + vv * vx * vz + uv * (ux * vz + uz * vx)
    sums[7 + YZ] += area * oy * oz + oy * fz + oz * fy + uu * uy * uz + vv * vy * vz + uv * (uy * vz + uz * vy)


@kernel(inline=True)
def _apart(lower_a: Array, upper_a: Array, lower_b: Array, upper_b: Array) -> bool:
    """Whether two boxes with corners (3,) do not meet."""
    return (
        lower_a[0] > upper_b[0]
        or upper_a[0] < lower_b[0]
        or lower_a[1] > upper_b[1]
        or upper_a[1] < lower_b[1]
        or lower_a[2] > upper_b[2]
        or upper_a[2] < lower_b[2]
    )


@kernel(allocates=True)
def _pairs(faces: CutFaces, tolerance: float, found: Index, values: Array) -> int:
    """All shared faces. Returns how many piece pairs share area (which may exceed the room in found: then nothing
    beyond it is written).

    found  : (n, 2) int32, out, pieces, lower first
    values : (n, 13) float64, out: area, centre, normal times area, second moments about the centre
    """
    count = 0
    clipping = Clipping(np.empty((2, 3, 2)), np.empty((10, 2)), np.empty((10, 2)), np.empty(6))
    sums, origin, order, start = np.empty(13), np.empty(3), faces.order, faces.start
    near = np.empty(len(faces.area), np.int32)  # triangles of one piece that reach into another's bounds
    for i in range(len(order)):
        p = order[i]
        for j in range(i + 1, len(order)):
            q = order[j]
            if faces.piece_lower[q, 0] > faces.piece_upper[p, 0]:
                break
            if _apart(faces.piece_lower[q], faces.piece_upper[q], faces.piece_lower[p], faces.piece_upper[p]):
                continue
            for c in range(13):
                sums[c] = 0.0
            for c in range(3):
                origin[c] = 0.5 * (faces.piece_lower[q, c] + faces.piece_upper[q, c])
            close = 0
            for t in range(start[q], start[q + 1]):
                if not _apart(faces.lower[t], faces.upper[t], faces.piece_lower[p], faces.piece_upper[p]):
                    near[close] = t
                    close += 1
            if close == 0:
                continue
            for s in range(start[p], start[p + 1]):
                if _apart(faces.lower[s], faces.upper[s], faces.piece_lower[q], faces.piece_upper[q]):
                    continue
                for k in range(close):
                    t = near[k]
                    if not _apart(faces.lower[t], faces.upper[t], faces.lower[s], faces.upper[s]):
                        _overlap(faces, s, t, tolerance, clipping, origin, sums)
            if sums[0] <= 0.0:
                continue
            if count < len(found):
                _finish(sums, origin, p < q, values[count])
                found[count, 0], found[count, 1] = min(p, q), max(p, q)
            count += 1
    return count


@kernel(inline=True)
def _finish(sums: Array, origin: Array, ascending: bool, out: Array) -> None:
    """A shared face's numbers (13,) out of its sums about an origin; ascending: the normal looks the right way."""
    area = sums[0]
    x, y, z = sums[1] / area, sums[2] / area, sums[3] / area
    out[0] = area
    out[1], out[2], out[3] = origin[0] + x, origin[1] + y, origin[2] + z
    for c in range(4, 7):
        out[c] = sums[c] if ascending else -sums[c]
    out[7 + XX], out[7 + YY], out[7 + ZZ] = sums[7] - area * x * x, sums[8] - area * y * y, sums[9] - area * z * z
    out[7 + XY], out[7 + XZ], out[7 + YZ] = sums[10] - area * x * y, sums[11] - area * x * z, sums[12] - area * y * z


def no_faces() -> SharedFaces:
    return SharedFaces(np.zeros((0, 2), np.int32), np.zeros(0), np.zeros((0, 3)), np.zeros((0, 3)), np.zeros((0, 3, 3)))


def shared_faces(corners: Array, piece: Index, pieces: int, size: float) -> SharedFaces:
    """Faces shared by pieces.

    corners : (T, 3, 3) float64, [m], corner points of all cut triangles, counter-clockwise seen from outside their
              piece
    piece   : (T,) int32, the piece each belongs to, ascending
    size    : float, [m], of the whole; sets the tolerance
    """
    if not len(corners):
        return no_faces()
    across = cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    double = lengths(across)
    keep = double > 1e-16 * size * size
    corners, piece, across, double = np.ascontiguousarray(corners[keep]), piece[keep], across[keep], double[keep]
    tolerance = PLANE * size
    lower, upper = corners.min(axis=1) - tolerance, corners.max(axis=1) + tolerance
    start = np.searchsorted(piece, np.arange(pieces + 1)).astype(np.int32)
    piece_lower, piece_upper = np.full((pieces, 3), np.inf), np.full((pieces, 3), -np.inf)
    np.minimum.at(piece_lower, piece, lower)
    np.maximum.at(piece_upper, piece, upper)
    axis = int(np.argmax(upper.max(axis=0) - lower.min(axis=0)))  # sweep along the longest side, as the first axis
    turn = np.roll(np.arange(3), -axis)
    order = np.argsort(piece_lower[:, axis], kind="stable").astype(np.int32)

    def turned(x: Array) -> Array:
        return np.ascontiguousarray(x[..., turn])

    faces = CutFaces(
        turned(corners),
        turned(across / double[:, None]),
        0.5 * double,
        turned(lower),
        turned(upper),
        start,
        turned(piece_lower),
        turned(piece_upper),
        order[np.diff(start)[order] > 0],
    )
    room = 12 * pieces + 64
    while True:
        found, values = np.empty((room, 2), np.int32), np.empty((room, 13))
        count = _pairs(faces, tolerance, found, values)
        if count <= room:
            break
        room = count
    if not count:
        return no_faces()
    rows = np.lexsort((found[:count, 1], found[:count, 0]))
    values, back = values[rows], np.argsort(turn)
    tensor = values[:, 7:][:, [XX, XY, XZ, XY, YY, YZ, XZ, YZ, ZZ]].reshape(-1, 3, 3)
    normal = values[:, 4:7][:, back]
    return SharedFaces(
        found[rows],
        values[:, 0].copy(),
        np.ascontiguousarray(values[:, 1:4][:, back]),
        normal / np.maximum(lengths(normal), 1e-300)[:, None],
        np.ascontiguousarray(tensor[:, back][:, :, back]),
    )
