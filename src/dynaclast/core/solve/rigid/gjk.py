"""Distance between convex point sets.

Source: Gilbert, Johnson and Keerthi 1988 (doi 10.1109/56.2083), with the closest-point sub-algorithms of
Ericson 2004, "Real-Time Collision Detection", chapter 5.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Index
from ...kernels import kernel

MOST_STEPS = 40

ROUNDING = 1e-12
"""What rounding may take from a step forward, as a share of the distance times the size."""


@kernel(inline=True)
def dot3(a: Array, b: Array) -> float:
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@kernel(inner=True)
def support(points: Array, start: int, end: int, dx: float, dy: float, dz: float) -> int:
    """Row of the point farthest along (dx, dy, dz); the first of equals."""
    best = start
    most = points[start, 0] * dx + points[start, 1] * dy + points[start, 2] * dz
    for i in range(start + 1, end):
        d = points[i, 0] * dx + points[i, 1] * dy + points[i, 2] * dz
        farther = d > most  # chosen, not branched on: which corner is the farthest cannot be foreseen
        most = d if farther else most
        best = i if farther else best
    return best


@kernel(inner=True)
def _closest_on_segment(w: Array, i: int, j: int, bary: Array) -> float:
    """Barycentric weights of the point of segment (w[i], w[j]) nearest the origin; returns squared distance."""
    ex, ey, ez = w[j, 0] - w[i, 0], w[j, 1] - w[i, 1], w[j, 2] - w[i, 2]
    den = ex * ex + ey * ey + ez * ez
    t = 0.0
    if den > 0.0:
        t = -(w[i, 0] * ex + w[i, 1] * ey + w[i, 2] * ez) / den
    t = min(1.0, max(0.0, t))
    bary[i] = 1.0 - t
    bary[j] = t
    x, y, z = w[i, 0] + t * ex, w[i, 1] + t * ey, w[i, 2] + t * ez
    return x * x + y * y + z * z


@kernel(inner=True)
def _closest_on_triangle(w: Array, i: int, j: int, k: int, bary: Array) -> float:
    """The same for triangle (w[i], w[j], w[k]). Written out in scalars: small arrays here would cost more than the
    arithmetic.
    """
    ax, ay, az = w[i, 0], w[i, 1], w[i, 2]
    bx, by, bz = w[j, 0], w[j, 1], w[j, 2]
    cx, cy, cz = w[k, 0], w[k, 1], w[k, 2]
    ux, uy, uz = bx - ax, by - ay, bz - az
    vx, vy, vz = cx - ax, cy - ay, cz - az
    d1 = -(ux * ax + uy * ay + uz * az)
    d2 = -(vx * ax + vy * ay + vz * az)
    if d1 <= 0.0 and d2 <= 0.0:
        bary[i] = 1.0
        return ax * ax + ay * ay + az * az
    d3 = -(ux * bx + uy * by + uz * bz)
    d4 = -(vx * bx + vy * by + vz * bz)
    if d3 >= 0.0 and d4 <= d3:
        bary[j] = 1.0
        return bx * bx + by * by + bz * bz
    vc = d1 * d4 - d3 * d2
    if vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        return _closest_on_segment(w, i, j, bary)
    d5 = -(ux * cx + uy * cy + uz * cz)
    d6 = -(vx * cx + vy * cy + vz * cz)
    if d6 >= 0.0 and d5 <= d6:
        bary[k] = 1.0
        return cx * cx + cy * cy + cz * cz
    vb = d5 * d2 - d1 * d6
    if vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        return _closest_on_segment(w, i, k, bary)
    va = d3 * d6 - d5 * d4
    if va <= 0.0 and (d4 - d3) >= 0.0 and (d5 - d6) >= 0.0:
        return _closest_on_segment(w, j, k, bary)
    total = va + vb + vc
    v = vb / total
    u = vc / total
    bary[i] = 1.0 - v - u
    bary[j] = v
    bary[k] = u
    x, y, z = ax + v * ux + u * vx, ay + v * uy + u * vy, az + v * uz + u * vz
    return x * x + y * y + z * z


@kernel(inner=True)
def _outside(w: Array, f: int, i: int, j: int, k: int) -> bool:
    """Is the origin on the other side of face (i, j, k) than corner f (or the tetrahedron flat there)?"""
    ux, uy, uz = w[j, 0] - w[i, 0], w[j, 1] - w[i, 1], w[j, 2] - w[i, 2]
    vx, vy, vz = w[k, 0] - w[i, 0], w[k, 1] - w[i, 1], w[k, 2] - w[i, 2]
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    towards_origin = -(nx * w[i, 0] + ny * w[i, 1] + nz * w[i, 2])
    towards_f = nx * (w[f, 0] - w[i, 0]) + ny * (w[f, 1] - w[i, 1]) + nz * (w[f, 2] - w[i, 2])
    return towards_origin * towards_f < 0.0 or abs(towards_f) < 1e-30


class PointSet(NamedTuple):
    """The corners of one convex shape among those of all."""

    points: Array
    start: int | np.int64
    end: int | np.int64


Simplex = tuple[Array, Array, Array, Array, Index, Index]
"""What ``make_scratch`` gives."""


def make_scratch() -> Simplex:
    """Simplex corners, barycentric weights, and the rows they stem from."""
    return np.empty((4, 3)), np.zeros(4), np.zeros(4), np.zeros(4), np.zeros(4, np.int32), np.zeros(4, np.int32)


@kernel
def gjk(a: PointSet, b: PointSet, limit: float, axis: Array, witness: Array, scratch: Simplex) -> float:
    """Distance between the hulls of a, moved by ``witness[2]``, and b.

    limit   : float, [m], where they are farther apart than this, a bound of the distance will do, and the closest
              points stay out
    axis    : (3,) float64, in: first guess of the direction from b to a; out: that direction, unit, if apart
    witness : (3, 3) float64, [m]; in: row 2, by how much a is moved; out: rows 0 and 1, the closest points of a, as it
              lies before that, and of b
    scratch : what ``make_scratch`` gives, kept by the caller: memory here would cost more than the search
    Returns : the distance [m], or -1 where the hulls overlap
    """
    pa, pb = a.points, b.points
    w, bary, trial, best_bary, ia, ib = scratch
    vx, vy, vz = axis[0], axis[1], axis[2]
    if vx * vx + vy * vy + vz * vz < 1e-20:
        vx = 1.0
    n = 0
    dist2, big = np.inf, 0.0
    for step in range(MOST_STEPS):
        sa = support(pa, a.start, a.end, -vx, -vy, -vz)
        sb = support(pb, b.start, b.end, vx, vy, vz)
        wx = pa[sa, 0] + witness[2, 0] - pb[sb, 0]
        wy = pa[sa, 1] + witness[2, 1] - pb[sb, 1]
        wz = pa[sa, 2] + witness[2, 2] - pb[sb, 2]
        if step > 0:
            bound = vx * wx + vy * wy + vz * wz
            if bound > 0.0 and bound * bound > limit * limit * dist2:
                axis[0], axis[1], axis[2] = vx / np.sqrt(dist2), vy / np.sqrt(dist2), vz / np.sqrt(dist2)
                return bound / np.sqrt(dist2)
            # no progress possible, but for rounding: v is the closest point
            if dist2 - bound <= 1e-10 * dist2 + ROUNDING * np.sqrt(dist2 * big):
                break
            seen = False
            for i in range(n):
                if ia[i] == sa and ib[i] == sb:
                    seen = True
            if seen:
                break
        w[n, 0], w[n, 1], w[n, 2] = wx, wy, wz
        ia[n], ib[n] = sa, sb
        n += 1
        for i in range(4):
            bary[i] = 0.0
        if n == 1:
            bary[0] = 1.0
        elif n == 2:
            _closest_on_segment(w, 0, 1, bary)
        elif n == 3:
            _closest_on_triangle(w, 0, 1, 2, bary)
        else:
            inside = True
            best = np.inf
            for f in range(4):
                # face f leaves out corner f
                i, j, k = (f + 1) % 4, (f + 2) % 4, (f + 3) % 4
                if _outside(w, f, i, j, k):
                    inside = False
                    for m in range(4):
                        trial[m] = 0.0
                    d2 = _closest_on_triangle(w, i, j, k, trial)
                    if d2 < best:
                        best = d2
                        for m in range(4):
                            best_bary[m] = trial[m]
            if inside:
                return -1.0
            for m in range(4):
                bary[m] = best_bary[m]
        # keep only the corners that carry weight
        m = 0
        for i in range(n):
            if bary[i] > 0.0:
                if m != i:
                    w[m, 0], w[m, 1], w[m, 2] = w[i, 0], w[i, 1], w[i, 2]
                    ia[m], ib[m], bary[m] = ia[i], ib[i], bary[i]
                m += 1
        n = m
        x, y, z = 0.0, 0.0, 0.0
        big = 0.0
        for i in range(n):
            x += bary[i] * w[i, 0]
            y += bary[i] * w[i, 1]
            z += bary[i] * w[i, 2]
            big = max(big, w[i, 0] * w[i, 0] + w[i, 1] * w[i, 1] + w[i, 2] * w[i, 2])
        square = x * x + y * y + z * z
        if square <= 1e-16 * big:
            return -1.0
        if square >= dist2:  # a flat simplex misled it: what was found before stands
            break
        vx, vy, vz, dist2 = x, y, z, square
        for c in range(3):
            witness[0, c], witness[1, c] = 0.0, 0.0
            for i in range(n):
                witness[0, c] += bary[i] * pa[ia[i], c]
                witness[1, c] += bary[i] * pb[ib[i], c]
    dist = np.sqrt(dist2)
    axis[0], axis[1], axis[2] = vx / dist, vy / dist, vz / dist
    return dist


def hull_distance(a: Array, b: Array) -> float:
    """Distance [m] between the convex hulls of (n, 3) and (m, 3) points; 0 where they overlap."""
    one, other = PointSet(np.ascontiguousarray(a), 0, len(a)), PointSet(np.ascontiguousarray(b), 0, len(b))
    axis = a.mean(axis=0) - b.mean(axis=0)
    return max(0.0, float(gjk(one, other, np.inf, axis, np.zeros((3, 3)), make_scratch())))
