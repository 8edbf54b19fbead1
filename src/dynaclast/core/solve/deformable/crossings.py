"""Where a way crosses a hull or a triangle of a mesh, and where an edge is deepest in a hull, in the frame of the hull.

What is inside of a hull stays with the face it came in by: a vertex that is pushed out across another would jump.

Source: Cyrus and Beck 1978, "Generalized two- and three-dimensional clipping" (doi 10.1016/0097-8493(78)90021-3).
"""

from __future__ import annotations

import numpy as np

from ...arrays import Index
from ...kernels import kernel
from ..inner_faces import leads_inside
from ..model import Hulls, InnerFaces

BEHIND = 0.05
"""What is behind a triangle by less than this share of its size was in front."""
AWAY, SHALLOW = -0.3, 0.25
"""What came in by a face goes out by it, but where it has come to another, by less than this share of the depth, whose
normal has no smaller product with that of the first: faces that look away are those of the other side."""
PARALLEL = 1e-9
"""A way along a face this little steep does not cross it."""


@kernel(inner=True)
def cross_hull(
    hulls: Hulls,
    inner: InnerFaces,
    piece_assembly: Index,
    s: int,
    radius: float,
    known: int,
    x: float,
    y: float,
    z: float,
    u: float,
    v: float,
    w: float,
) -> tuple[int, float]:
    """The face by which a way from (x, y, z) by (u, v, w), in the frame of a hull, comes in, and the distance from it
    at the start [m]; -1 where it does not, or comes from a piece beside of the same assembly, which holds it.

    known : int, the face it came in by before, -1 for none
    """
    if known >= 0 and leads_inside(inner, hulls, piece_assembly, s, known):
        known = -1
    enter, leave = 0.0, 1.0
    face, gap = -1, 0.0
    inside, least, nearest, deep = True, -np.inf, -1, 0.0
    m = hulls.normals[max(known, hulls.face_start[s])]
    for f in range(hulls.face_start[s], hulls.face_start[s + 1]):
        n, o = hulls.normals[f], hulls.vertices[hulls.ring[hulls.ring_start[f]]]
        offset = n[0] * o[0] + n[1] * o[1] + n[2] * o[2] + hulls.radius[s] + radius
        here = n[0] * x + n[1] * y + n[2] * z - offset
        by = n[0] * u + n[1] * v + n[2] * w
        if here > 0.0:
            inside = False
            if by >= -PARALLEL * here:
                return -1, 0.0  # it goes along or away
            t = here / -by
            if t >= enter:
                enter, face, gap = t, f, here
        else:
            if by > 0.0:
                leave = min(leave, -here / by)
            if leads_inside(inner, hulls, piece_assembly, s, f):
                continue
            if here > least and (known < 0 or n[0] * m[0] + n[1] * m[1] + n[2] * m[2] > AWAY):
                least, nearest = here, f
            if f == known:
                deep = here
    if inside:
        return (known, deep) if known >= 0 and least < SHALLOW * deep else (nearest, least)
    if enter > leave or face < 0 or leads_inside(inner, hulls, piece_assembly, s, face):
        return -1, 0.0
    return face, gap


@kernel(inner=True)
def cross_triangle(
    hulls: Hulls, s: int, radius: float, x: float, y: float, z: float, u: float, v: float, w: float
) -> tuple[int, float]:
    """The same of a triangle of a mesh: 1 where the way comes to its front, -1 to its back, 0 where it does neither.

    What is behind it by less than a share of its size is taken to be in front: it was pressed in.
    """
    f = hulls.face_start[s]
    n, first = hulls.normals[f], hulls.ring_start[f]
    a, b, c = (
        hulls.vertices[hulls.ring[first]],
        hulls.vertices[hulls.ring[first + 1]],
        hulls.vertices[hulls.ring[first + 2]],
    )
    here = n[0] * (x - a[0]) + n[1] * (y - a[1]) + n[2] * (z - a[2])
    by = n[0] * u + n[1] * v + n[2] * w
    pressed = radius + BEHIND * hulls.bound[s]
    side = 1 if here > -pressed else -1
    gap = side * here - radius
    if gap + side * by >= 0.0:
        return 0, 0.0
    t = min(gap / (-side * by), 1.0) if gap > 0.0 else 0.0
    px, py, pz = x + t * u, y + t * v, z + t * w
    # inside of all three sides, seen along the normal
    for edge in range(3):
        if edge == 0:
            p, q = a, b
        elif edge == 1:
            p, q = b, c
        else:
            p, q = c, a
        ex, ey, ez = q[0] - p[0], q[1] - p[1], q[2] - p[2]
        rx, ry, rz = px - p[0], py - p[1], pz - p[2]
        inward = n[0] * (ey * rz - ez * ry) + n[1] * (ez * rx - ex * rz) + n[2] * (ex * ry - ey * rx)
        if inward < -1e-6 * (ex * ex + ey * ey + ez * ez):
            return 0, 0.0
    return side, gap


@kernel(inner=True)
def edge_across(
    hulls: Hulls, s: int, radius: float, ax: float, ay: float, az: float, ex: float, ey: float, ez: float
) -> tuple[int, int, float]:
    """Where an edge from a by e, in the frame of a hull, is deepest in it: the face that gets nearer along the edge
    and the one that gets farther, and how far along [0, 1]; -1 where it is not in.
    """
    # the greatest distance from any face is convex along the edge: halve the span by its slope
    low, high = 0.0, 1.0
    t, falls, rises = 0.5, -1, -1
    for _ in range(24):
        top, face, slope = -np.inf, -1, 0.0
        for f in range(hulls.face_start[s], hulls.face_start[s + 1]):
            n, o = hulls.normals[f], hulls.vertices[hulls.ring[hulls.ring_start[f]]]
            here = n[0] * (ax + t * ex - o[0]) + n[1] * (ay + t * ey - o[1]) + n[2] * (az + t * ez - o[2])
            if here > top:
                top, face = here, f
                slope = n[0] * ex + n[1] * ey + n[2] * ez
        if slope < 0.0:
            low, falls = t, face
        else:
            high, rises = t, face
        if falls >= 0 and rises >= 0:  # where the two planes are as far away is the next to look at
            n, o = hulls.normals[falls], hulls.vertices[hulls.ring[hulls.ring_start[falls]]]
            g = n[0] * (ax - o[0]) + n[1] * (ay - o[1]) + n[2] * (az - o[2])
            gs = n[0] * ex + n[1] * ey + n[2] * ez
            n, o = hulls.normals[rises], hulls.vertices[hulls.ring[hulls.ring_start[rises]]]
            h = n[0] * (ax - o[0]) + n[1] * (ay - o[1]) + n[2] * (az - o[2])
            hs = n[0] * ex + n[1] * ey + n[2] * ez
            after = (g - h) / (hs - gs) if hs > gs else t
            if abs(after - t) < 1e-9 or after <= low or after >= high:
                after = 0.5 * (low + high) if after <= low or after >= high else after
                if abs(after - t) < 1e-9:
                    break
            t = after
        else:
            t = 0.5 * (low + high)
    if falls < 0 or rises < 0:
        return -1, -1, 0.0
    for f in range(hulls.face_start[s], hulls.face_start[s + 1]):
        n, o = hulls.normals[f], hulls.vertices[hulls.ring[hulls.ring_start[f]]]
        here = n[0] * (ax + t * ex - o[0]) + n[1] * (ay + t * ey - o[1]) + n[2] * (az + t * ez - o[2])
        if here > hulls.radius[s] + radius:
            return -1, -1, 0.0
    return falls, rises, t


@kernel(inner=True)
def nearer_out(hulls: Hulls, s: int, f: int, g: int, deep: float, x: float, y: float, z: float) -> bool:
    """Whether a point, in the frame of a hull, is less far behind another of its faces than so deep, which it is behind
    the edge of f and g.
    """
    for k in range(hulls.face_start[s], hulls.face_start[s + 1]):
        n, o = hulls.normals[k], hulls.vertices[hulls.ring[hulls.ring_start[k]]]
        away = n[0] * (x - o[0]) + n[1] * (y - o[1]) + n[2] * (z - o[2]) - hulls.radius[s]
        if k != f and k != g and away > deep:
            return True
    return False
