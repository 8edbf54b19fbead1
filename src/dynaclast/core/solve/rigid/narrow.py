"""Contact points of a pair of shapes.

The distance query gives a direction; where a face of either hull looks along it, the other's opposite face is
clipped against it and up to four points that span the largest patch are kept; edge against edge gives one
point. Overlapping cores (rare: the rounding is worn through) fall back to the face with the least overlap.
"""

from __future__ import annotations

import numpy as np

from ...kernels import kernel
from ..model import Hulls
from .gjk import dot3, gjk, support

FACE_ON = 0.985
"""Cosine above which a face counts as looking along the contact direction (10 degrees)."""

MISSED = 0.1
"""What a clipped patch may miss of the overlap, as a share of the roundings."""

LIFT = 5.0
"""How much nearer a contact point counts, where only four are kept, for what it is higher than the deepest."""

MOST_LEANS = 4
"""Steps towards the direction of least overlap."""

ROOM = 64


@kernel
def _facing(hulls: Hulls, wnormals, s, x, y, z):
    """Face of shape s that looks most along (x, y, z), and the cosine."""
    best, most = -1, -2.0
    for f in range(hulls.face_start[s], hulls.face_start[s + 1]):
        d = wnormals[f, 0] * x + wnormals[f, 1] * y + wnormals[f, 2] * z
        if d > most:
            most = d
            best = f
    return best, most


@kernel
def _across(hulls: Hulls, wnormals, s, k, x, y, z):
    """Of the faces of shape s that meet at its corner k, the one that looks most along (x, y, z): where k is the
    farthest corner that way, no other face holds what lies deepest (at obtuse slivers the face that looks most that way
    may lie elsewhere).
    """
    best, most = hulls.face_start[s], -2.0
    for f in range(hulls.face_start[s], hulls.face_start[s + 1]):
        d = wnormals[f, 0] * x + wnormals[f, 1] * y + wnormals[f, 2] * z
        if d <= most:
            continue
        for i in range(hulls.ring_start[f], hulls.ring_start[f + 1]):
            if hulls.ring[i] == k:
                most = d
                best = f
                break
    return best


@kernel(inner=True)
def _least_overlap(hulls: Hulls, wverts, wnormals, s, t, axis):
    """Separation of the cores along the best face normal of either; axis gets that normal, from t to s."""
    best = -np.inf
    t0, t1 = np.int64(hulls.vert_start[t]), np.int64(hulls.vert_start[t + 1])
    s0, s1 = np.int64(hulls.vert_start[s]), np.int64(hulls.vert_start[s + 1])
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


@kernel(inner=True)
def _apart_along(wverts, s0, s1, t0, t1, x, y, z):
    """Separation of two point sets along the unit direction (x, y, z) from t to s."""
    i = support(wverts, s0, s1, -x, -y, -z)
    j = support(wverts, t0, t1, x, y, z)
    return x * (wverts[i, 0] - wverts[j, 0]) + y * (wverts[i, 1] - wverts[j, 1]) + z * (wverts[i, 2] - wverts[j, 2])


@kernel(inner=True)
def _lean(hulls: Hulls, wverts, s, t, ax, ay, az, dist, axis, near, scratch):
    """Follow the overlap from a unit direction, along which it is ``dist`` (< 0), to one of locally least overlap:
    where s, moved out along it, is nearest to t gives the next, as long as that is better. axis (3,), near (3, 3) out,
    as in ``_out_of_overlap``; returns the separation along axis.
    """
    s0, s1 = np.int64(hulls.vert_start[s]), np.int64(hulls.vert_start[s + 1])
    t0, t1 = np.int64(hulls.vert_start[t]), np.int64(hulls.vert_start[t + 1])
    for _ in range(MOST_LEANS):
        out = hulls.radius[s] + hulls.radius[t] - dist
        near[2, 0], near[2, 1], near[2, 2] = ax * out, ay * out, az * out
        axis[0], axis[1], axis[2] = ax, ay, az
        if gjk(wverts, s0, s1, wverts, t0, t1, near[2], np.inf, axis, near[0], near[1], scratch) < 0.0:
            i = support(wverts, s0, s1, -ax, -ay, -az)
            for c in range(3):
                near[0, c] = wverts[i, c]
                near[1, c] = wverts[i, c] - near[2, c] / out * dist
            break
        d = _apart_along(wverts, s0, s1, t0, t1, axis[0], axis[1], axis[2])
        if d <= dist + 1e-9:
            break
        dist = d
        ax, ay, az = axis[0], axis[1], axis[2]
    for c in range(3):
        near[2, c] = 0.0
    axis[0], axis[1], axis[2] = ax, ay, az
    return dist


@kernel(inner=True)
def _out_of_overlap(hulls: Hulls, wverts, wnormals, s, t, axis, near, scratch):
    """Separation (< 0) of overlapping cores along a direction of locally least overlap: that to which the direction
    remembered or guessed leads, or the best face normal where that is better.

    axis as in ``touch``; near (3, 3) out: the points that would touch; its last row is left 0
    """
    s0, s1 = np.int64(hulls.vert_start[s]), np.int64(hulls.vert_start[s + 1])
    t0, t1 = np.int64(hulls.vert_start[t]), np.int64(hulls.vert_start[t + 1])
    bx, by, bz = axis[0], axis[1], axis[2]
    length = np.sqrt(bx * bx + by * by + bz * bz)
    dist = -np.inf
    for start in range(2):  # one call of _lean: it would be laid in twice
        ax, ay, az = bx, by, bz
        if start == 0 and length > 0.0:
            ax, ay, az = bx / length, by / length, bz / length
            from_here = _apart_along(wverts, s0, s1, t0, t1, ax, ay, az)
        elif start == 1:
            from_here = _least_overlap(hulls, wverts, wnormals, s, t, axis)
            ax, ay, az = axis[0], axis[1], axis[2]
            if from_here == -np.inf and dist == -np.inf:  # two balls with one centre
                ax, ay, az, from_here = 0.0, 1.0, 0.0, 0.0
            if from_here <= dist:
                break
        else:
            continue
        dist = _lean(hulls, wverts, s, t, ax, ay, az, from_here, axis, near, scratch)
        bx, by, bz = axis[0], axis[1], axis[2]
    axis[0], axis[1], axis[2] = bx, by, bz
    return dist


@kernel(inner=True)
def _wing(points, i, j, k, ux, uy, uz):
    """Twice the area of triangle (i, j, k), signed by the direction u."""
    ax, ay, az = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1], points[j, 2] - points[i, 2]
    bx, by, bz = points[k, 0] - points[i, 0], points[k, 1] - points[i, 1], points[k, 2] - points[i, 2]
    return (ay * bz - az * by) * ux + (az * bx - ax * bz) * uy + (ax * by - ay * bx) * uz


@kernel
def keep_four(points, seps, n):
    """Reorder so that the first min(n, 4) rows span the patch: deepest, farthest, widest to both sides. What is higher
    than the deepest point counts as so much nearer (LIFT), so that of a body that turns down on a side that side is
    kept.

    Places are handed on as int64: a literal would have the callee compiled once more for each.
    """
    if n <= 4:
        return n
    first = 0
    for i in range(1, n):
        if seps[i] < seps[first] - 1e-9:
            first = i
    _swap(points, seps, np.int64(0), np.int64(first))
    far, most = 1, -np.inf
    for i in range(1, n):
        dd = (
            (points[i, 0] - points[0, 0]) ** 2 + (points[i, 1] - points[0, 1]) ** 2 + (points[i, 2] - points[0, 2]) ** 2
        )
        d = np.sqrt(dd) - LIFT * (seps[i] - seps[0])
        if d > most:
            most = d
            far = i
    _swap(points, seps, np.int64(1), np.int64(far))
    ex, ey, ez = points[1, 0] - points[0, 0], points[1, 1] - points[0, 1], points[1, 2] - points[0, 2]
    length = np.sqrt(ex * ex + ey * ey + ez * ez) + 1e-300
    third, most = 2, -np.inf
    ux, uy, uz = 0.0, 0.0, 0.0
    for i in range(2, n):
        dx, dy, dz = points[i, 0] - points[0, 0], points[i, 1] - points[0, 1], points[i, 2] - points[0, 2]
        cx, cy, cz = ey * dz - ez * dy, ez * dx - ex * dz, ex * dy - ey * dx
        d = np.sqrt(cx * cx + cy * cy + cz * cz) / length - LIFT * (seps[i] - seps[0])
        if d > most:
            most = d
            third = i
            ux, uy, uz = cx, cy, cz
    _swap(points, seps, np.int64(2), np.int64(third))
    fourth, most = -1, -np.inf
    area = np.sqrt(ux * ux + uy * uy + uz * uz) + 1e-300
    for i in range(3, n):
        # farthest outside the triangle's other edges
        out = 0.0
        for side in range(3):
            j = (side + 1) % 3
            edge = (
                (points[j, 0] - points[side, 0]) ** 2
                + (points[j, 1] - points[side, 1]) ** 2
                + (points[j, 2] - points[side, 2]) ** 2
            )
            out = max(out, -_wing(points, side, j, i, ux, uy, uz) / (area * (np.sqrt(edge) + 1e-300)))
        d = out - LIFT * (seps[i] - seps[0])
        if out > 0.0 and d > most:
            most = d
            fourth = i
    if fourth < 0:
        return 3
    _swap(points, seps, np.int64(3), np.int64(fourth))
    return 4


@kernel
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


@kernel(inner=True)
def _clip(hulls: Hulls, wverts, wnormals, ref_face, inc_face, grow, limit, points, seps, poly, other):
    """Clip a face against the sides of a reference face, grown by ``grow`` [m]. Points come out on the incident core,
    seps as core distance from the reference plane; only those nearer than ``limit``. Returns how many.

    poly, other : (ROOM, 4) scratch: place in the reference plane (2), distance from it, and from the side at hand
    """
    nx, ny, nz = wnormals[ref_face, 0], wnormals[ref_face, 1], wnormals[ref_face, 2]
    r0, r1 = hulls.ring_start[ref_face], hulls.ring_start[ref_face + 1]
    p, q = hulls.ring[r0], hulls.ring[r0 + 1]
    bx, by, bz = wverts[p, 0], wverts[p, 1], wverts[p, 2]
    ux, uy, uz = wverts[q, 0] - bx, wverts[q, 1] - by, wverts[q, 2] - bz
    length = np.sqrt(ux * ux + uy * uy + uz * uz)
    ux, uy, uz = ux / length, uy / length, uz / length
    vx, vy, vz = ny * uz - nz * uy, nz * ux - nx * uz, nx * uy - ny * ux
    n = 0
    for k in range(hulls.ring_start[inc_face], min(hulls.ring_start[inc_face + 1], hulls.ring_start[inc_face] + ROOM)):
        i = hulls.ring[k]
        x, y, z = wverts[i, 0] - bx, wverts[i, 1] - by, wverts[i, 2] - bz
        poly[n, 0], poly[n, 1], poly[n, 2] = (
            ux * x + uy * y + uz * z,
            vx * x + vy * y + vz * z,
            nx * x + ny * y + nz * z,
        )
        n += 1
    pu, pv = 0.0, 0.0
    for k in range(r0, r1):
        i = hulls.ring[k + 1 if k + 1 < r1 else r0]
        x, y, z = wverts[i, 0] - bx, wverts[i, 1] - by, wverts[i, 2] - bz
        qu, qv = ux * x + uy * y + uz * z, vx * x + vy * y + vz * z
        eu, ev = qu - pu, qv - pv
        length = np.sqrt(eu * eu + ev * ev)
        off = (ev * pu - eu * pv) + grow * length  # outward: (ev, -eu)
        out = 0
        for i in range(n):
            d = ev * poly[i, 0] - eu * poly[i, 1] - off
            poly[i, 3] = d
            if d > 0.0:
                out += 1
        pu, pv = qu, qv
        if length <= 0.0 or out == 0:
            continue
        if out == n:
            return 0
        m = 0
        for i in range(n):
            j = i + 1 if i + 1 < n else 0
            di, dj = poly[i, 3], poly[j, 3]
            if di <= 0.0 and m < ROOM:
                other[m, 0], other[m, 1], other[m, 2] = poly[i, 0], poly[i, 1], poly[i, 2]
                m += 1
            if (di < 0.0 and dj > 0.0 or di > 0.0 and dj < 0.0) and m < ROOM:
                t = di / (di - dj)
                for c in range(3):
                    other[m, c] = poly[i, c] + t * (poly[j, c] - poly[i, c])
                m += 1
        poly, other = other, poly
        n = m
    m = 0
    for i in range(n):
        d = poly[i, 2]
        if d < limit:
            x, y = poly[i, 0], poly[i, 1]
            points[m, 0], points[m, 1], points[m, 2] = (
                bx + ux * x + vx * y + nx * d,
                by + uy * x + vy * y + ny * d,
                bz + uz * x + vz * y + nz * d,
            )
            seps[m] = d
            m += 1
    return m


@kernel(inner=True)
def _on_face(hulls: Hulls, wverts, wnormals, s, t, ref, owned, margin, axis, points, seps, poly, other):
    """Contact of s and t on a reference face: ref belongs to s if owned, else to t. Returns the number of points, 0
    where none is near, and how far the other surface is from the face where it is nearest to its plane [m].
    """
    rs, rt = hulls.radius[s], hulls.radius[t]
    both = rs + rt
    nx, ny, nz = wnormals[ref, 0], wnormals[ref, 1], wnormals[ref, 2]
    o = t if owned else s
    low = support(wverts, np.int64(hulls.vert_start[o]), np.int64(hulls.vert_start[o + 1]), -nx, -ny, -nz)
    facing = _across(hulls, wnormals, o, low, -nx, -ny, -nz)
    count = _clip(
        hulls, wverts, wnormals, np.int64(ref), facing, rs if owned else rt, margin + both, points, seps, poly, other
    )
    v = hulls.ring[hulls.ring_start[ref]]
    lowest = (
        nx * (wverts[low, 0] - wverts[v, 0])
        + ny * (wverts[low, 1] - wverts[v, 1])
        + nz * (wverts[low, 2] - wverts[v, 2])
        - both
    )
    if count == 0:
        return 0, lowest
    count = keep_four(points, seps, np.int64(count))
    reach = rt if owned else rs
    for i in range(count):
        seps[i] -= both
        back = reach + 0.5 * seps[i]
        points[i, 0] -= nx * back
        points[i, 1] -= ny * back
        points[i, 2] -= nz * back
    sign = -1.0 if owned else 1.0
    axis[0], axis[1], axis[2] = sign * nx, sign * ny, sign * nz
    return count, lowest


@kernel(inner=True)
def _with_nearest(points, seps, count, gap, missed, axis, near, rs, rt):
    """Add the nearest points of the cores to a clipped patch that missed them; returns how many points there are."""
    last = 0
    for i in range(count):
        if seps[i] <= gap + missed:
            return count
        if seps[i] > seps[last]:
            last = i
    if count < 4:
        last = count
        count += 1
    seps[last] = gap
    for c in range(3):
        points[last, c] = 0.5 * ((near[0, c] - axis[c] * rs) + (near[1, c] + axis[c] * rt))
    return count


@kernel
def touch(hulls: Hulls, wverts, wnormals, s, t, margin, slip, axis, points, seps, poly, other, near, feature, scratch):
    """Contact of shapes s and t.

    margin : surfaces farther apart than this give nothing [m]
    slip   : (4,) relative displacement of s against t expected until the next search [m], and how far turning may add
             to it: what parts faster than it turns gives nothing
    axis   : (3,) in: direction from t to s remembered or guessed; out: the contact normal, from t to s
    points : (ROOM, 3) out: points midway between the surfaces; seps (ROOM,) out: their separations, < 0 overlapping
    near   : (3, 3) scratch, its last row 0; feature (1,) out: the reference face, + 1, negative if it is t's; 0 for an
    edge or corner
    Returns the number of points, 0 to 4; where there are none, seps[0] is a distance that the surfaces are at least
    apart
    """
    s0, s1 = np.int64(hulls.vert_start[s]), np.int64(hulls.vert_start[s + 1])
    t0, t1 = np.int64(hulls.vert_start[t]), np.int64(hulls.vert_start[t + 1])
    rs, rt = hulls.radius[s], hulls.radius[t]
    both = rs + rt
    feature[0] = 0
    # the remembered direction may already show a gap
    if axis[0] * axis[0] + axis[1] * axis[1] + axis[2] * axis[2] > 0.25:
        i = support(wverts, s0, s1, -axis[0], -axis[1], -axis[2])
        j = support(wverts, t0, t1, axis[0], axis[1], axis[2])
        gap = (
            axis[0] * (wverts[i, 0] - wverts[j, 0])
            + axis[1] * (wverts[i, 1] - wverts[j, 1])
            + axis[2] * (wverts[i, 2] - wverts[j, 2])
            - both
        )
        away = axis[0] * slip[0] + axis[1] * slip[1] + axis[2] * slip[2]
        if gap > margin or gap > 0.0 and gap + away - slip[3] > 0.0:
            seps[0] = gap
            return 0
    dist = gjk(wverts, s0, s1, wverts, t0, t1, near[2], margin + both, axis, near[0], near[1], scratch)
    faced = hulls.face_start[s + 1] > hulls.face_start[s] and hulls.face_start[t + 1] > hulls.face_start[t]
    if dist < 0.0:
        dist = _out_of_overlap(hulls, wverts, wnormals, s, t, axis, near, scratch)
    gap = dist - both
    if gap > margin or gap > 0.0 and gap + axis[0] * slip[0] + axis[1] * slip[1] + axis[2] * slip[2] - slip[3] > 0.0:
        seps[0] = gap
        return 0
    if faced:
        fs, cs = _facing(hulls, wnormals, s, -axis[0], -axis[1], -axis[2])
        ft, ct = _facing(hulls, wnormals, t, axis[0], axis[1], axis[2])
        if max(cs, ct) > FACE_ON:
            owned = cs >= ct - 1e-4
            count, _ = _on_face(
                hulls,
                wverts,
                wnormals,
                s,
                t,
                np.int64(fs if owned else ft),
                owned,
                margin,
                axis,
                points,
                seps,
                poly,
                other,
            )
            if count > 0:
                feature[0] = fs + 1 if owned else -(ft + 1)
                return _with_nearest(points, seps, count, gap, MISSED * both, axis, near, rs, rt)
    seps[0] = gap
    for c in range(3):
        points[0, c] = 0.5 * ((near[0, c] - axis[c] * rs) + (near[1, c] + axis[c] * rt))
    return 1


@kernel(inner=True)
def touch_again(hulls: Hulls, wverts, wnormals, s, t, margin, feature, deepest, axis, points, seps, poly, other):
    """Contact of shapes s and t on the reference face of the last search; 0 where it no longer serves and ``touch``
    must look.

    It serves while the other side still lies over it, with what is nearest to it, and the gap along it has not turned
    into an overlap deeper than before by more than a quarter of the roundings: then another direction may part them
    sooner.
    """
    count, lowest = _on_face(
        hulls, wverts, wnormals, s, t, np.int64(abs(feature) - 1), feature > 0, margin, axis, points, seps, poly, other
    )
    low = np.inf
    for i in range(count):
        low = min(low, seps[i])
    both = hulls.radius[s] + hulls.radius[t]
    if low < min(0.0, deepest) - 0.25 * both or lowest < min(low, margin) - MISSED * both:
        return 0
    return count


@kernel(inner=True)
def touch_sheet(
    hulls: Hulls,
    wverts,
    wnormals,
    wcenter,
    s,
    t,
    sharp,
    margin,
    axis,
    points,
    seps,
    poly,
    other,
    near,
    feature,
    scratch,
):
    """Contact of shape s with triangle t of an exact body, which is solid behind its face; as ``touch``.

    sharp : (3,) which of the triangle's edges stand out. Contact elsewhere goes along the triangle's own normal, so
    that nothing catches on the seams of a smooth surface Where there are no points, seps[0] is how far the shape must
    move at least before there are
    """
    s0, s1 = np.int64(hulls.vert_start[s]), np.int64(hulls.vert_start[s + 1])
    t0 = np.int64(hulls.vert_start[t])
    face = hulls.face_start[t]
    nx, ny, nz = wnormals[face, 0], wnormals[face, 1], wnormals[face, 2]
    feature[0] = 0
    base = nx * wverts[t0, 0] + ny * wverts[t0, 1] + nz * wverts[t0, 2]
    low = support(wverts, s0, s1, -nx, -ny, -nz)
    if nx * wverts[low, 0] + ny * wverts[low, 1] + nz * wverts[low, 2] - base - hulls.radius[s] > margin:
        return 0
    if nx * wcenter[s, 0] + ny * wcenter[s, 1] + nz * wcenter[s, 2] - base <= 0.0:
        return 0  # behind the face: another side of the body must hold it
    dist = gjk(wverts, s0, s1, wverts, t0, t0 + 3, near[2], margin + hulls.radius[s], axis, near[0], near[1], scratch)
    flat = dist < 0.0
    if not flat:
        gap = dist - hulls.radius[s]
        if gap > margin:
            return 0
        cosine = axis[0] * nx + axis[1] * ny + axis[2] * nz
        if cosine > FACE_ON or cosine < 0.0:
            flat = True
        else:
            flat = not _on_sharp_edge(wverts, t0, near[1], sharp)
    if flat:
        axis[0], axis[1], axis[2] = nx, ny, nz
        if hulls.face_start[s + 1] > hulls.face_start[s]:
            count, _ = _on_face(
                hulls, wverts, wnormals, s, t, np.int64(face), face < 0, margin, axis, points, seps, poly, other
            )
            feature[0] = -(face + 1)
            seps[0] = seps[0] if count else 0.0  # near the plane, beside the triangle
            return count
        for c in range(3):  # a ball: its lowest point, where that lies over the triangle
            near[0, c] = wverts[s0, c]
        d = nx * near[0, 0] + ny * near[0, 1] + nz * near[0, 2] - base
        for c in range(3):
            near[1, c] = near[0, c] - axis[c] * d
        beside = _beside(wverts, t0, near[1], nx, ny, nz)
        if beside > 0.0:
            seps[0] = beside
            return 0
        gap = d - hulls.radius[s]
    seps[0] = gap
    for c in range(3):
        points[0, c] = 0.5 * (near[0, c] - axis[c] * hulls.radius[s] + near[1, c])
    return 1


@kernel(inner=True)
def _edge_side(wverts, t0, e, p, nx, ny, nz):
    """How far point p lies inside edge e of a triangle [m], in its plane."""
    i, j = t0 + e, t0 + (e + 1) % 3
    ex, ey, ez = wverts[j, 0] - wverts[i, 0], wverts[j, 1] - wverts[i, 1], wverts[j, 2] - wverts[i, 2]
    length = np.sqrt(ex * ex + ey * ey + ez * ez)
    ix, iy, iz = ny * ez - nz * ey, nz * ex - nx * ez, nx * ey - ny * ex
    return (ix * (p[0] - wverts[i, 0]) + iy * (p[1] - wverts[i, 1]) + iz * (p[2] - wverts[i, 2])) / max(length, 1e-300)


@kernel(inner=True)
def _beside(wverts, t0, p, nx, ny, nz):
    """How far a point of a triangle's plane lies outside the triangle at least [m]; 0 within."""
    out = 0.0
    for e in range(3):
        out = max(out, -_edge_side(wverts, t0, e, p, nx, ny, nz))
    return out


@kernel(inner=True)
def _on_sharp_edge(wverts, t0, p, sharp):
    """Whether a point of a triangle lies on an edge that stands out."""
    ax, ay, az = wverts[t0 + 1, 0] - wverts[t0, 0], wverts[t0 + 1, 1] - wverts[t0, 1], wverts[t0 + 1, 2] - wverts[t0, 2]
    bx, by, bz = wverts[t0 + 2, 0] - wverts[t0, 0], wverts[t0 + 2, 1] - wverts[t0, 1], wverts[t0 + 2, 2] - wverts[t0, 2]
    nx, ny, nz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    area = np.sqrt(nx * nx + ny * ny + nz * nz)
    for e in range(3):
        if sharp[e] and _edge_side(wverts, t0, e, p, nx / area, ny / area, nz / area) < 1e-6 * np.sqrt(area):
            return True
    return False


@kernel(inner=True)
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
    return keep_four(points, seps, np.int64(n))
