"""Area and middle of the faces that pieces share, whatever broke them.

Two pieces share a face where cut triangles of both lie in one plane, look at each other and overlap. Pairs of pieces
are found by their bounds, pairs of triangles by theirs; the overlap is clipped (Sutherland and Hodgman 1974).
"""

from __future__ import annotations

import numpy as np

from ..arrays import Array, Index
from ..kernels import kernel

PLANE = 1e-6
"""Two faces lie in one plane if they are nearer than this share of the whole's size."""


@kernel
def clip_area(a: Array, b: Array, poly: Array, other: Array, out: Array) -> float:
    """Area of the overlap of two 2D triangles (3, 2), a counter-clockwise; out (2,) gets its centroid. poly, other (10,
    2): scratch.
    """
    for i in range(3):
        poly[i, 0], poly[i, 1] = b[i, 0], b[i, 1]
    n = 3
    for e in range(3):
        px, py = a[e, 0], a[e, 1]
        ex, ey = a[(e + 1) % 3, 0] - px, a[(e + 1) % 3, 1] - py
        m = 0
        for i in range(n):
            j = (i + 1) % n
            di = ex * (poly[i, 1] - py) - ey * (poly[i, 0] - px)
            dj = ex * (poly[j, 1] - py) - ey * (poly[j, 0] - px)
            if di >= 0.0:
                other[m, 0], other[m, 1] = poly[i, 0], poly[i, 1]
                m += 1
            if (di > 0.0 and dj < 0.0) or (di < 0.0 and dj > 0.0):
                t = di / (di - dj)
                other[m, 0] = poly[i, 0] + t * (poly[j, 0] - poly[i, 0])
                other[m, 1] = poly[i, 1] + t * (poly[j, 1] - poly[i, 1])
                m += 1
        for i in range(m):
            poly[i, 0], poly[i, 1] = other[i, 0], other[i, 1]
        n = m
        if n < 3:
            return 0.0
    area, cx, cy = 0.0, 0.0, 0.0
    for i in range(1, n - 1):
        ux, uy = poly[i, 0] - poly[0, 0], poly[i, 1] - poly[0, 1]
        vx, vy = poly[i + 1, 0] - poly[0, 0], poly[i + 1, 1] - poly[0, 1]
        t = 0.5 * (ux * vy - uy * vx)
        area += t
        cx += t * (ux + vx) / 3.0
        cy += t * (uy + vy) / 3.0
    if abs(area) > 0.0:
        out[0] = poly[0, 0] + cx / area
        out[1] = poly[0, 1] + cy / area
    return abs(area)


@kernel(inner=True)
def _overlap(
    corners: Array,
    normal: Array,
    area: Array,
    s: int,
    t: int,
    tolerance: float,
    flat: Array,
    poly: Array,
    other: Array,
    c2: Array,
    middle: Array,
) -> float:
    """Overlap area of triangles s and t if they face each other in one plane; middle (3,) gets its centre."""
    if normal[s, 0] * normal[t, 0] + normal[s, 1] * normal[t, 1] + normal[s, 2] * normal[t, 2] >= 0.0:
        return 0.0
    if area[t] > area[s]:
        s, t = t, s
    nx, ny, nz = normal[s, 0], normal[s, 1], normal[s, 2]
    ox, oy, oz = corners[s, 0, 0], corners[s, 0, 1], corners[s, 0, 2]
    for c in range(3):
        d = nx * (corners[t, c, 0] - ox) + ny * (corners[t, c, 1] - oy) + nz * (corners[t, c, 2] - oz)
        if abs(d) > tolerance:
            return 0.0
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
            flat[k, c, 0] = dx * ux + dy * uy + dz * uz
            flat[k, c, 1] = dx * vx + dy * vy + dz * vz
    got = clip_area(flat[0], flat[1], poly, other, c2)
    if got > 0.0:
        middle[0] = ox + c2[0] * ux + c2[1] * vx
        middle[1] = oy + c2[0] * uy + c2[1] * vy
        middle[2] = oz + c2[0] * uz + c2[1] * vz
    return got


@kernel(allocates=True)
def _pairs(
    corners: Array,
    normal: Array,
    area: Array,
    lo: Array,
    hi: Array,
    start: Index,
    piece_lo: Array,
    piece_hi: Array,
    order: Index,
    tolerance: float,
    found: Index,
    values: Array,
) -> int:
    """All shared faces; triangles of piece p are rows start[p] to start[p + 1]. Returns how many piece pairs share area
    (which may exceed the room in found: then nothing beyond it is written)."""
    count = 0
    flat, poly, other = np.empty((2, 3, 2)), np.empty((10, 2)), np.empty((10, 2))
    c2, middle = np.empty(2), np.empty(3)
    for i in range(len(order)):
        p = order[i]
        for j in range(i + 1, len(order)):
            q = order[j]
            if piece_lo[q, 0] > piece_hi[p, 0]:
                break
            if (
                piece_lo[q, 1] > piece_hi[p, 1]
                or piece_hi[q, 1] < piece_lo[p, 1]
                or piece_lo[q, 2] > piece_hi[p, 2]
                or piece_hi[q, 2] < piece_lo[p, 2]
            ):
                continue
            total, mx, my, mz = 0.0, 0.0, 0.0, 0.0
            for s in range(start[p], start[p + 1]):
                if (
                    lo[s, 0] > piece_hi[q, 0]
                    or hi[s, 0] < piece_lo[q, 0]
                    or lo[s, 1] > piece_hi[q, 1]
                    or hi[s, 1] < piece_lo[q, 1]
                    or lo[s, 2] > piece_hi[q, 2]
                    or hi[s, 2] < piece_lo[q, 2]
                ):
                    continue
                for t in range(start[q], start[q + 1]):
                    if (
                        lo[t, 0] > hi[s, 0]
                        or hi[t, 0] < lo[s, 0]
                        or lo[t, 1] > hi[s, 1]
                        or hi[t, 1] < lo[s, 1]
                        or lo[t, 2] > hi[s, 2]
                        or hi[t, 2] < lo[s, 2]
                    ):
                        continue
                    got = _overlap(corners, normal, area, s, t, tolerance, flat, poly, other, c2, middle)
                    if got > 0.0:
                        total += got
                        mx += got * middle[0]
                        my += got * middle[1]
                        mz += got * middle[2]
            if total > 0.0:
                if count < len(found):
                    found[count, 0], found[count, 1] = min(p, q), max(p, q)
                    values[count, 0] = total
                    values[count, 1], values[count, 2], values[count, 3] = mx / total, my / total, mz / total
                count += 1
    return count


def shared_faces(corners: Array, piece: Index, pieces: int, size: float) -> tuple[Index, Array, Array]:
    """Faces shared by pieces.

    corners : (T, 3, 3) corner points of all cut triangles [m], counter-clockwise seen from outside their piece
    piece   : (T,) the piece each belongs to, ascending;  size : of the whole [m], sets the tolerance
    Returns (B, 2) piece pairs, lower first and sorted; (B,) areas [m2]; (B, 3) centres [m]
    """
    empty = np.zeros((0, 2), np.int32), np.zeros(0), np.zeros((0, 3))
    if not len(corners):
        return empty
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    double = np.linalg.norm(cross, axis=1)
    keep = double > 1e-16 * size * size
    corners, piece, cross, double = np.ascontiguousarray(corners[keep]), piece[keep], cross[keep], double[keep]
    tolerance = PLANE * size
    lo, hi = corners.min(axis=1) - tolerance, corners.max(axis=1) + tolerance
    start = np.searchsorted(piece, np.arange(pieces + 1)).astype(np.int32)
    piece_lo, piece_hi = np.full((pieces, 3), np.inf), np.full((pieces, 3), -np.inf)
    np.minimum.at(piece_lo, piece, lo)
    np.maximum.at(piece_hi, piece, hi)
    axis = int(np.argmax(hi.max(axis=0) - lo.min(axis=0)))  # sweep along the longest side
    turn = np.roll(np.arange(3), -axis)
    order = np.argsort(piece_lo[:, axis], kind="stable").astype(np.int32)
    order = order[np.diff(start)[order] > 0]
    fixed = [np.ascontiguousarray(x[:, turn]) for x in (cross / double[:, None], lo, hi, piece_lo, piece_hi)]
    turned = np.ascontiguousarray(corners[:, :, turn])
    room = 12 * pieces + 64
    while True:
        found, values = np.empty((room, 2), np.int32), np.empty((room, 4))
        count = _pairs(
            turned,
            fixed[0],
            0.5 * double,
            fixed[1],
            fixed[2],
            start,
            fixed[3],
            fixed[4],
            order,
            tolerance,
            found,
            values,
        )
        if count <= room:
            break
        room = count
    if not count:
        return empty
    found, values = found[:count], values[:count]
    rows = np.lexsort((found[:, 1], found[:, 0]))
    back = np.empty(3, int)
    back[turn] = np.arange(3)
    return found[rows], values[rows, 0], np.ascontiguousarray(values[rows][:, 1:][:, back])
