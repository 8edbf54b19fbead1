"""Contact points of a pair of shapes.

The distance query gives a direction; where a face of either hull looks along it, the other's opposite face is
clipped against it and up to four points that span the largest patch are kept; edge against edge gives one
point. Overlapping cores (rare: the rounding is worn through) fall back to the face with the least overlap.
"""

from __future__ import annotations

import numba
import numpy as np

from ..model import Hulls
from .gjk import dot3, gjk, support

FACE_ON = 0.985
"""Cosine above which a face counts as looking along the contact direction (10 degrees)."""

ROOM = 64


@numba.njit(cache=True, error_model="numpy")
def _facing(hulls: Hulls, wnormals, s, x, y, z):
    """Face of shape s that looks most along (x, y, z), and the cosine."""
    best, most = -1, -2.0
    for f in range(hulls.face_start[s], hulls.face_start[s + 1]):
        d = wnormals[f, 0] * x + wnormals[f, 1] * y + wnormals[f, 2] * z
        if d > most:
            most = d
            best = f
    return best, most


@numba.njit(cache=True, error_model="numpy")
def _least_overlap(hulls: Hulls, wverts, wnormals, s, t, axis):
    """Separation of the cores along the best face normal of either; axis gets that normal, from t to s."""
    best = -np.inf
    t0, t1 = hulls.vert_start[t], hulls.vert_start[t + 1]
    s0, s1 = hulls.vert_start[s], hulls.vert_start[s + 1]
    for f in range(hulls.face_start[s], hulls.face_start[s + 1]):
        n = wnormals[f]
        v = hulls.ring[hulls.ring_start[f]]
        k = support(wverts, t0, t1, -n[0], -n[1], -n[2])
        d = dot3(n, wverts[k]) - dot3(n, wverts[v])
        if d > best:
            best = d
            axis[0], axis[1], axis[2] = -n[0], -n[1], -n[2]
    for f in range(hulls.face_start[t], hulls.face_start[t + 1]):
        n = wnormals[f]
        v = hulls.ring[hulls.ring_start[f]]
        k = support(wverts, s0, s1, -n[0], -n[1], -n[2])
        d = dot3(n, wverts[k]) - dot3(n, wverts[v])
        if d > best + 1e-9:
            best = d
            axis[0], axis[1], axis[2] = n[0], n[1], n[2]
    return best


@numba.njit(cache=True, error_model="numpy")
def keep_four(points, seps, n):
    """Reorder so that the first min(n, 4) rows span the patch: deepest, farthest, widest to both sides."""
    if n <= 4:
        return n
    first = 0
    for i in range(1, n):
        if seps[i] < seps[first] - 1e-9:
            first = i
    _swap(points, seps, 0, first)
    far, most = 1, -1.0
    for i in range(1, n):
        d = points[i] - points[0]
        dd = dot3(d, d)
        if dd > most:
            most = dd
            far = i
    _swap(points, seps, 1, far)
    e = points[1] - points[0]
    third, most = 2, -1.0
    for i in range(2, n):
        c = np.cross(e, points[i] - points[0])
        dd = dot3(c, c)
        if dd > most:
            most = dd
            third = i
    _swap(points, seps, 2, third)
    up = np.cross(e, points[2] - points[0])
    fourth, most = -1, 0.0
    for i in range(3, n):
        # farthest outside the triangle's other edges
        d0 = dot3(np.cross(e, points[i] - points[0]), up)
        d1 = dot3(np.cross(points[2] - points[1], points[i] - points[1]), up)
        d2 = dot3(np.cross(points[0] - points[2], points[i] - points[2]), up)
        d = min(d0, min(d1, d2))
        if d < most:
            most = d
            fourth = i
    if fourth < 0:
        return 3
    _swap(points, seps, 3, fourth)
    return 4


@numba.njit(cache=True, error_model="numpy")
def _swap(points, seps, i, j):
    if i == j:
        return
    for c in range(3):
        hold = points[i, c]
        points[i, c] = points[j, c]
        points[j, c] = hold
    hold = seps[i]
    seps[i] = seps[j]
    seps[j] = hold


@numba.njit(cache=True, error_model="numpy")
def _clip(hulls: Hulls, wverts, wnormals, ref_face, inc_face, grow, limit, points, seps, poly, other):
    """Clip a face against a reference face. Points come out on the incident core, seps as core distance from
    the reference plane; only those nearer than ``limit``. Returns how many."""
    nr = wnormals[ref_face]
    r0, r1 = hulls.ring_start[ref_face], hulls.ring_start[ref_face + 1]
    i0, i1 = hulls.ring_start[inc_face], hulls.ring_start[inc_face + 1]
    n = 0
    for k in range(i0, i1):
        if n < ROOM:
            poly[n] = wverts[hulls.ring[k]]
            n += 1
    for k in range(r0, r1):
        p = wverts[hulls.ring[k]]
        q = wverts[hulls.ring[k + 1 if k + 1 < r1 else r0]]
        ex, ey, ez = q[0] - p[0], q[1] - p[1], q[2] - p[2]
        # outward side normal: edge x face normal
        sx, sy, sz = ey * nr[2] - ez * nr[1], ez * nr[0] - ex * nr[2], ex * nr[1] - ey * nr[0]
        length = np.sqrt(sx * sx + sy * sy + sz * sz)
        if length <= 0.0:
            continue
        off = sx * p[0] + sy * p[1] + sz * p[2] + grow * length
        m = 0
        for i in range(n):
            j = i + 1 if i + 1 < n else 0
            di = sx * poly[i, 0] + sy * poly[i, 1] + sz * poly[i, 2] - off
            dj = sx * poly[j, 0] + sy * poly[j, 1] + sz * poly[j, 2] - off
            if di <= 0.0 and m < ROOM:
                for c in range(3):
                    other[m, c] = poly[i, c]
                m += 1
            if (di < 0.0 and dj > 0.0) or (di > 0.0 and dj < 0.0):
                if m < ROOM:
                    t = di / (di - dj)
                    for c in range(3):
                        other[m, c] = poly[i, c] + t * (poly[j, c] - poly[i, c])
                    m += 1
        for i in range(m):
            for c in range(3):
                poly[i, c] = other[i, c]
        n = m
        if n == 0:
            return 0
    base = wverts[hulls.ring[r0]]
    plane = dot3(nr, base)
    m = 0
    for i in range(n):
        d = nr[0] * poly[i, 0] + nr[1] * poly[i, 1] + nr[2] * poly[i, 2] - plane
        if d < limit:
            for c in range(3):
                points[m, c] = poly[i, c]
            seps[m] = d
            m += 1
    return m


@numba.njit(cache=True, error_model="numpy")
def touch(hulls: Hulls, wverts, wnormals, s, t, margin, axis, points, seps, poly, other):
    """Contact of shapes s and t.

    margin : surfaces farther apart than this give nothing [m]
    axis   : (3,) in: direction from t to s remembered or guessed; out: the contact normal, from t to s
    points : (ROOM, 3) out: points midway between the surfaces; seps (ROOM,) out: their separations, < 0 overlapping
    Returns the number of points, 0 to 4
    """
    s0, s1 = hulls.vert_start[s], hulls.vert_start[s + 1]
    t0, t1 = hulls.vert_start[t], hulls.vert_start[t + 1]
    rs, rt = hulls.radius[s], hulls.radius[t]
    both = rs + rt
    # the remembered direction may already show a gap
    length = np.sqrt(dot3(axis, axis))
    if length > 0.5:
        i = support(wverts, s0, s1, -axis[0], -axis[1], -axis[2])
        j = support(wverts, t0, t1, axis[0], axis[1], axis[2])
        if dot3(axis, wverts[i]) - dot3(axis, wverts[j]) - both > margin:
            return 0
    near_s, near_t = np.empty(3), np.empty(3)
    dist = gjk(wverts, s0, s1, wverts, t0, t1, axis, near_s, near_t)
    faced = hulls.face_start[s + 1] > hulls.face_start[s] and hulls.face_start[t + 1] > hulls.face_start[t]
    if dist < 0.0:
        dist = _least_overlap(hulls, wverts, wnormals, s, t, axis)
        if dist == -np.inf:  # two balls with one centre
            axis[0], axis[1], axis[2] = 0.0, 1.0, 0.0
            dist = 0.0
        i = support(wverts, s0, s1, -axis[0], -axis[1], -axis[2])
        for c in range(3):
            near_s[c] = wverts[i, c]
            near_t[c] = wverts[i, c] - axis[c] * dist
    if dist - both > margin:
        return 0
    if faced:
        fs, cs = _facing(hulls, wnormals, s, -axis[0], -axis[1], -axis[2])
        ft, ct = _facing(hulls, wnormals, t, axis[0], axis[1], axis[2])
        if max(cs, ct) > FACE_ON:
            if cs >= ct - 1e-4:
                n = wnormals[fs]
                f, _ = _facing(hulls, wnormals, t, -n[0], -n[1], -n[2])
                count = _clip(hulls, wverts, wnormals, fs, f, rs, margin + both, points, seps, poly, other)
                sign, inc_r = -1.0, rt
            else:
                n = wnormals[ft]
                f, _ = _facing(hulls, wnormals, s, -n[0], -n[1], -n[2])
                count = _clip(hulls, wverts, wnormals, ft, f, rt, margin + both, points, seps, poly, other)
                sign, inc_r = 1.0, rs
            if count > 0:
                count = keep_four(points, seps, count)
                for i in range(count):
                    seps[i] -= both
                    for c in range(3):
                        points[i, c] -= n[c] * (inc_r + 0.5 * seps[i])
                for c in range(3):
                    axis[c] = sign * n[c]
                return count
    seps[0] = dist - both
    for c in range(3):
        points[0, c] = 0.5 * ((near_s[c] - axis[c] * rs) + (near_t[c] + axis[c] * rt))
    return 1


@numba.njit(cache=True, error_model="numpy")
def touch_ground(hulls: Hulls, wverts, s, height, margin, points, seps):
    """Contact of shape s with the ground plane; as ``touch``, the normal being (0, 1, 0)."""
    n = 0
    r = hulls.radius[s]
    for v in range(hulls.vert_start[s], hulls.vert_start[s + 1]):
        d = wverts[v, 1] - r - height
        if d < margin and n < ROOM:
            points[n, 0], points[n, 1], points[n, 2] = wverts[v, 0], height, wverts[v, 2]
            seps[n] = d
            n += 1
    return keep_four(points, seps, n)
