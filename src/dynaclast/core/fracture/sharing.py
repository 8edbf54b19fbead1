"""Area and middle of the faces that pieces share.

Two pieces share a face where cut triangles of both overlap in the plane between their cells. Every
pair of triangles from the two sides is clipped against each other (Sutherland and Hodgman 1974), so cells that fall
into several parts need no special case.
"""

from __future__ import annotations

import numba
import numpy as np

from ..geometry.mesh import Array, Index


@numba.njit(cache=True, error_model="numpy")
def clip_area(a: Array, b: Array, out: Array) -> float:
    """Area of the overlap of two 2D triangles (3, 2), a counter-clockwise; out (2,) gets its centroid."""
    poly = np.empty((10, 2))
    other = np.empty((10, 2))
    poly[:3] = b
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
                other[m] = poly[i]
                m += 1
            if (di > 0.0 and dj < 0.0) or (di < 0.0 and dj > 0.0):
                t = di / (di - dj)
                other[m, 0] = poly[i, 0] + t * (poly[j, 0] - poly[i, 0])
                other[m, 1] = poly[i, 1] + t * (poly[j, 1] - poly[i, 1])
                m += 1
        poly, other = other, poly
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


@numba.njit(cache=True, error_model="numpy")
def _pairs(corners: Array, piece: Index, own: Index, order: Index, start: Index, found: Index, values: Array) -> int:
    """Overlaps of the triangles in each ridge's run of ``order``; returns how many were found."""
    count = 0
    c2 = np.empty(2)
    for r in range(len(start) - 1):
        s, e = start[r], start[r + 1]
        t0 = order[s]
        u = corners[t0, 1] - corners[t0, 0]
        n = np.cross(u, corners[t0, 2] - corners[t0, 0])
        best = np.dot(n, n)
        for k in range(s, e):  # the largest triangle gives the safest plane
            uu = corners[order[k], 1] - corners[order[k], 0]
            nn = np.cross(uu, corners[order[k], 2] - corners[order[k], 0])
            if np.dot(nn, nn) > best:
                best, u, n, t0 = np.dot(nn, nn), uu, nn, order[k]
        if best <= 0.0:
            continue
        n = n / np.sqrt(best)
        u = u / np.sqrt(np.dot(u, u))
        v = np.cross(n, u)
        origin = corners[t0, 0].copy()
        flat = np.empty((e - s, 3, 2))
        for k in range(s, e):
            for c in range(3):
                d = corners[order[k], c] - origin
                flat[k - s, c, 0] = np.dot(d, u)
                flat[k - s, c, 1] = np.dot(d, v)
            f = flat[k - s]
            if (f[1, 0] - f[0, 0]) * (f[2, 1] - f[0, 1]) - (f[1, 1] - f[0, 1]) * (f[2, 0] - f[0, 0]) < 0.0:
                for c in range(2):
                    hold = f[1, c]
                    f[1, c] = f[2, c]
                    f[2, c] = hold
        for i in range(s, e):
            for j in range(i + 1, e):
                a, b = order[i], order[j]
                if own[a] == own[b]:
                    continue
                area = clip_area(flat[i - s], flat[j - s], c2)
                if area <= 0.0:
                    continue
                if count < len(found):
                    found[count, 0] = min(piece[a], piece[b])
                    found[count, 1] = max(piece[a], piece[b])
                    values[count, 0] = area
                    values[count, 1:] = origin + c2[0] * u + c2[1] * v
                count += 1
    return count


def shared_faces(corners: Array, piece: Index, own: Index, other: Index, cells: int) -> tuple[Index, Array, Array]:
    """Faces shared by pieces.

    corners : (T, 3, 3) corner points of all cut triangles [m]
    piece, own, other : (T,) the triangle's piece, its cell and the cell across
    Returns (B, 2) piece pairs, lower first and sorted; (B,) areas [m2]; (B, 3) centres [m]
    """
    key = np.minimum(own, other).astype(np.int64) * cells + np.maximum(own, other)
    order = np.argsort(key, kind="stable")
    start = np.append(np.flatnonzero(np.diff(key[order], prepend=-1)), len(key))
    room = 8 * len(key) + 64
    args = (np.ascontiguousarray(corners), piece.astype(np.int32), own.astype(np.int32), order.astype(np.int32), start.astype(np.int32))
    while True:
        found, values = np.empty((room, 2), np.int32), np.empty((room, 4))
        count = _pairs(*args, found, values)
        if count <= room:
            break
        room = count
    found, values = found[:count], values[:count]
    pair, inverse = np.unique(found, axis=0, return_inverse=True)
    inverse = inverse.reshape(-1)
    area = np.bincount(inverse, values[:, 0], len(pair))
    center = np.stack([np.bincount(inverse, values[:, 0] * values[:, 1 + k], len(pair)) for k in range(3)], axis=1) / area[:, None]
    return pair.astype(np.int32), area, center
