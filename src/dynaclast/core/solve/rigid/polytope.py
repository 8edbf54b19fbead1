"""Small convex polytopes by trying everything: faces of up to 64 points, corners of up to 96 planes.

For the few corners a piece has, enumeration in a kernel is faster than a general hull program and gives whole flat
faces at once, instead of triangles to be merged.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from ...arrays import Array, Index
from ...kernels import kernel

MOST_FACES, MOST_CORNERS = 96, 128
ONE_WITHIN = 5e-4
"""Corners of a solid this near to each other are one, as a share of its size: nearly flat edges leave them in doubt."""
SAME_WITHIN, SAME_TURN = 3e-4, np.cos(0.01)
"""Two planes are one face where the corners of the smaller are this near to the larger, as a share of the solid's size,
and their normals this alike.
"""


class Solid(NamedTuple):
    """A convex solid, with room for the largest.

    planes  : (96, 4) float64, n . x + d = 0, n outward
    corners : (128, 3) float64, [m]; on (128, 2) uint64, the planes that meet there, as bits
    start   : (97,) int64, into ring (1024,) int64: the corners of every face, counter-clockwise
    """

    planes: Array
    corners: Array
    on: Index
    start: Index
    ring: Index


def empty_solid() -> Solid:
    f = np.empty
    return Solid(
        f((MOST_FACES, 4)),
        f((MOST_CORNERS, 3)),
        f((MOST_CORNERS, 2), np.uint64),
        f(MOST_FACES + 1, np.int64),
        f(8 * MOST_CORNERS, np.int64),
    )


@kernel(inner=True)
def _plane_of(points: Array, i: int, j: int, k: int, out: Array) -> bool:
    """Unit normal and offset (n . x + d = 0) of the plane through three points; returns twice their triangle's area."""
    ax, ay, az = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1], points[j, 2] - points[i, 2]
    bx, by, bz = points[k, 0] - points[i, 0], points[k, 1] - points[i, 1], points[k, 2] - points[i, 2]
    x, y, z = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    area = np.sqrt(x * x + y * y + z * z)
    if area > 0.0:
        out[0], out[1], out[2] = x / area, y / area, z / area
        out[3] = -(out[0] * points[i, 0] + out[1] * points[i, 1] + out[2] * points[i, 2])
    return area


@kernel(inner=True)
def _one_sided(points: Array, n: int, plane: Array, tol: float) -> tuple[Any, int]:
    """Which points lie on the plane, as bits, and the side the rest lies on: -1 behind, 1 before, 0 on both."""
    bits = np.uint64(0)
    low, high = 0.0, 0.0
    for p in range(n):
        d = plane[0] * points[p, 0] + plane[1] * points[p, 1] + plane[2] * points[p, 2] + plane[3]
        low = min(low, d)
        high = max(high, d)
        if low < -tol and high > tol:
            return bits, 0
        if abs(d) <= tol:
            bits |= np.uint64(1) << np.uint64(p)
    return bits, (1 if high > tol else -1)


@kernel(allocates=True, inner=True)
def _widest(points: Array, n: int, bits: int, out: Array) -> None:
    """The plane through the widest triangle that can be had quickly among the points in ``bits``."""
    first, far, third, most = -1, -1, -1, -1.0
    for p in range(n):
        if (bits >> np.uint64(p)) & np.uint64(1):
            if first < 0:
                first = p
                continue
            d = (
                (points[p, 0] - points[first, 0]) ** 2
                + (points[p, 1] - points[first, 1]) ** 2
                + (points[p, 2] - points[first, 2]) ** 2
            )
            if d > most:
                most, far = d, p
    most = 0.0
    trial = np.empty(4)
    for p in range(n):
        if (bits >> np.uint64(p)) & np.uint64(1) and p != first and p != far:
            area = _plane_of(points, first, far, p, trial)
            if area > most:
                most, third = area, p
    if third >= 0:
        _plane_of(points, first, far, third, out)


@kernel(allocates=True, inner=True)
def faces_of(points: Array, tol: float, planes: Array) -> int:
    """Planes (n . x + d = 0, n outward) of the faces of the hull of points (n, 3), n <= 64, into planes (96, 4).

    tol : points nearer than this to a face's plane lie on it [m]
    Returns how many, or -1 where there are more than fit
    """
    n = len(points)
    found = np.zeros(MOST_FACES, np.uint64)
    count = 0
    plane = np.empty(4)
    span = 0.0
    for p in range(1, n):
        for c in range(3):
            span = max(span, abs(points[p, c] - points[0, c]))
    for i in range(n):
        for j in range(i + 1, n):
            for k in range(j + 1, n):
                three = (np.uint64(1) << np.uint64(i)) | (np.uint64(1) << np.uint64(j)) | (np.uint64(1) << np.uint64(k))
                known = False
                for f in range(count):
                    if found[f] & three == three:
                        known = True
                        break
                if known or _plane_of(points, i, j, k, plane) <= 10.0 * tol * span:
                    continue
                bits, side = _one_sided(points, n, plane, tol)
                if side == 0:
                    continue
                _widest(points, n, bits, plane)
                bits, side = _one_sided(points, n, plane, tol)
                if side == 0:
                    continue
                for f in range(count):  # the wider triangle may show a face that is known
                    if found[f] & bits == bits:
                        known = True
                if known:
                    continue
                if count == MOST_FACES:
                    return -1
                found[count] = bits
                for c in range(4):
                    planes[count, c] = -side * plane[c]
                count += 1
    return count


@kernel(inner=True)
def corners_of(planes: Array, count: int, inset: float, tol: float, near: float, corners: Array, on: Index) -> int:
    """Corners of the solid behind planes[:count], each moved inwards by ``inset`` [m], into corners (128, 3); those
    nearer than ``near`` are one.

    tol : a corner may lie this far outside a plane [m]
    on  : (128, 2) uint64 out: the planes that meet at each corner, as bits
    Returns how many, or -1 where there are more than fit
    """
    n = 0
    for i in range(count):
        for j in range(i + 1, count):
            ux = planes[i, 1] * planes[j, 2] - planes[i, 2] * planes[j, 1]
            uy = planes[i, 2] * planes[j, 0] - planes[i, 0] * planes[j, 2]
            uz = planes[i, 0] * planes[j, 1] - planes[i, 1] * planes[j, 0]
            if ux * ux + uy * uy + uz * uz < 1e-10:
                continue
            for k in range(j + 1, count):
                det = ux * planes[k, 0] + uy * planes[k, 1] + uz * planes[k, 2]
                if abs(det) < 1e-6:
                    continue
                a, b, c = -planes[i, 3] - inset, -planes[j, 3] - inset, -planes[k, 3] - inset
                vx = planes[j, 1] * planes[k, 2] - planes[j, 2] * planes[k, 1]
                vy = planes[j, 2] * planes[k, 0] - planes[j, 0] * planes[k, 2]
                vz = planes[j, 0] * planes[k, 1] - planes[j, 1] * planes[k, 0]
                wx = planes[k, 1] * planes[i, 2] - planes[k, 2] * planes[i, 1]
                wy = planes[k, 2] * planes[i, 0] - planes[k, 0] * planes[i, 2]
                wz = planes[k, 0] * planes[i, 1] - planes[k, 1] * planes[i, 0]
                x, y, z = (
                    (a * vx + b * wx + c * ux) / det,
                    (a * vy + b * wy + c * uy) / det,
                    (a * vz + b * wz + c * uz) / det,
                )
                ok = True
                for f in range(count):
                    if planes[f, 0] * x + planes[f, 1] * y + planes[f, 2] * z + planes[f, 3] + inset > tol:
                        ok = False
                        break
                if not ok:
                    continue
                at = n
                for m in range(n):
                    if (corners[m, 0] - x) ** 2 + (corners[m, 1] - y) ** 2 + (corners[m, 2] - z) ** 2 < near * near:
                        at = m
                        break
                if at == n:
                    if n == MOST_CORNERS:
                        return -1
                    corners[n, 0], corners[n, 1], corners[n, 2] = x, y, z
                    on[n, 0] = on[n, 1] = np.uint64(0)
                    n += 1
                for f in (i, j, k):
                    on[at, f >> 6] |= np.uint64(1) << np.uint64(f & 63)
    return n


@kernel(allocates=True, inner=True)
def rings_of(planes: Array, count: int, corners: Array, n: int, on: Index, start: Index, ring: Index) -> float:
    """The corners of every face, counter-clockwise from outside: ring[start[f]:start[f + 1]]. start (count + 1,), ring
    (1024,); on as ``corners_of`` gives it.

    Returns the volume [m3], or -1 where the faces do not close (Euler)
    """
    m = 0
    used = 0
    volume = 0.0
    angle = np.empty(MOST_CORNERS)
    for f in range(count):
        start[f] = m
        nx, ny, nz = planes[f, 0], planes[f, 1], planes[f, 2]
        cx, cy, cz, own = 0.0, 0.0, 0.0, 0
        for p in range(n):
            if (on[p, f >> 6] >> np.uint64(f & 63)) & np.uint64(1):
                if m + own >= len(ring):
                    return -1.0
                ring[m + own] = p
                own += 1
                cx += corners[p, 0]
                cy += corners[p, 1]
                cz += corners[p, 2]
        if own < 3:
            continue
        cx, cy, cz = cx / own, cy / own, cz / own
        p = ring[m]
        ux, uy, uz = corners[p, 0] - cx, corners[p, 1] - cy, corners[p, 2] - cz
        vx, vy, vz = ny * uz - nz * uy, nz * ux - nx * uz, nx * uy - ny * ux
        for i in range(own):
            p = ring[m + i]
            x, y, z = corners[p, 0] - cx, corners[p, 1] - cy, corners[p, 2] - cz
            angle[i] = np.arctan2(x * vx + y * vy + z * vz, x * ux + y * uy + z * uz)
        for i in range(1, own):  # few: by insertion
            a, p = angle[i], ring[m + i]
            j = i - 1
            while j >= 0 and angle[j] > a:
                angle[j + 1], ring[m + j + 1] = angle[j], ring[m + j]
                j -= 1
            angle[j + 1], ring[m + j + 1] = a, p
        for i in range(1, own - 1):
            p, q, r = ring[m], ring[m + i], ring[m + i + 1]
            volume += (
                corners[p, 0] * (corners[q, 1] * corners[r, 2] - corners[q, 2] * corners[r, 1])
                + corners[p, 1] * (corners[q, 2] * corners[r, 0] - corners[q, 0] * corners[r, 2])
                + corners[p, 2] * (corners[q, 0] * corners[r, 1] - corners[q, 1] * corners[r, 0])
            ) / 6.0
        m += own
        used += 1
    start[count] = m
    if n - m // 2 + used != 2 or m % 2:
        return -1.0
    return volume


@kernel(inner=True)
def _alike(planes: Array, f: int, g: int) -> bool:
    return planes[f, 0] * planes[g, 0] + planes[f, 1] * planes[g, 1] + planes[f, 2] * planes[g, 2] > SAME_TURN


@kernel(inner=True)
def _far(plane: Array, point: Array) -> float:
    return abs(plane[0] * point[0] + plane[1] * point[1] + plane[2] * point[2] + plane[3])


@kernel(allocates=True, inner=True)
def keep_distinct(planes: Array, count: int, points: Array, tol: float, span: float) -> int:
    """Leave out planes[:count] that say of the same corners the same as one with more corners, which the noise of the
    corners gives: those left come first, in their order. Returns how many.
    """
    unlike = True
    for f in range(count):
        for g in range(f):
            unlike = unlike and not _alike(planes, f, g)
    if unlike:
        return count
    corners, kept = np.zeros(count, np.int64), np.zeros(count, np.uint8)
    for f in range(count):
        for p in range(len(points)):
            corners[f] += _far(planes[f], points[p]) <= 2.0 * tol
    asked, left = np.zeros(count, np.uint8), 0
    for _ in range(count):
        f = -1
        for g in range(count):  # of those with most corners the first
            if not asked[g] and (f < 0 or corners[g] > corners[f]):
                f = g
        asked[f], kept[f] = 1, 1
        for g in range(count):
            if g == f or not kept[g] or not _alike(planes, f, g):
                continue
            same = True
            for p in range(len(points)):
                if _far(planes[f], points[p]) <= 2.0 * tol and _far(planes[g], points[p]) > SAME_WITHIN * span:
                    same = False
            if same:
                kept[f] = 0
                break
    for f in range(count):
        if kept[f]:
            planes[left, :] = planes[f, :]
            left += 1
    return left


@kernel(inner=True)
def close(solid: Solid, count: int, inset: float, tol: float, size: float) -> tuple[int, float]:
    """Corners and rings of the solid behind its first planes, each moved inwards by ``inset`` [m].

    tol : a corner may lie this far outside a plane [m]; size : of the solid [m]
    Returns how many corners, and the volume [m3]; 0 where its faces do not close
    """
    near = max(3.0 * tol, ONE_WITHIN * size)
    n = corners_of(solid.planes, count, inset, tol, near, solid.corners, solid.on)
    if n < 4:
        return 0, 0.0
    volume = rings_of(solid.planes, count, solid.corners, n, solid.on, solid.start, solid.ring)
    return (n, volume) if volume > 0.0 else (0, 0.0)


@kernel
def solid_of(points: Array, tol: float, span: float, out: Solid) -> tuple[int, int, float]:
    """The hull of points (n, 3), n <= 64, that reach over ``span`` [m].

    tol : points nearer than this to a face lie on it [m]
    Returns how many planes and corners, and the volume [m3]; no corners where the enumeration finds no closed solid
    """
    count = faces_of(points, tol, out.planes)
    if count < 4:
        return 0, 0, 0.0
    count = keep_distinct(out.planes, count, points, tol, span)
    if count < 4:
        return 0, 0, 0.0
    n, volume = close(out, count, 0.0, tol, span)
    return count, n, volume


@kernel(fastmath=frozenset())  # products are not fused into sums: hulls, and takes baked of them, keep their bytes
def core_of(
    outer: Array, count: int, whole: float, full: float, tol: float, most: float, out: Solid
) -> tuple[int, float]:
    """The solid behind the first planes of ``out`` moved inwards by its rounding radius, into the rest of it: by
    ``full`` [m], or by less where that takes more than ``most`` [m] off a corner of the hull.

    outer : (n, 3) float64, [m], corners of the hull; whole : its volume [m3]
    tol   : as of ``solid_of``
    Returns how many corners, and the radius [m]; none where it has no good core
    """
    size, share = whole ** (1 / 3), 1.0
    while True:
        radius = share * full
        n, volume = close(out, count, radius, tol, size)
        if volume <= 0.5 * whole:
            return 0, 0.0
        blunt = 0.0
        for p in range(len(outer)):
            least = np.inf
            for q in range(n):
                x, y, z = (
                    outer[p, 0] - out.corners[q, 0],
                    outer[p, 1] - out.corners[q, 1],
                    outer[p, 2] - out.corners[q, 2],
                )
                least = min(least, x * x + y * y + z * z)
            blunt = max(blunt, least)
        blunt = np.sqrt(blunt) - radius
        if blunt <= most or share <= 0.02:  # the loss grows in proportion to the radius
            return n, radius
        share *= max(0.02, 0.95 * most / blunt)


@kernel
def first_of_each(points: Array, step: float, out: Index) -> int:
    """Which of points (n, 3) are the first in their place, of those ``step`` [m] apart, into out (n,). Returns how
    many.
    """
    n = 0
    for p in range(len(points)):
        known = False
        for k in range(n):
            q = out[k]
            if (
                np.rint(points[p, 0] / step) == np.rint(points[q, 0] / step)
                and np.rint(points[p, 1] / step) == np.rint(points[q, 1] / step)
                and np.rint(points[p, 2] / step) == np.rint(points[q, 2] / step)
            ):
                known = True
                break
        if not known:
            out[n] = p
            n += 1
    return n
