"""Narrow phase: contact points of a pair of shapes.

The distance query gives a direction; where a face of either hull looks along it, the other's opposite face is clipped
against it and up to four points that span the largest patch are kept; edge against edge gives one point.
"""

from __future__ import annotations

import numpy as np

from ...arrays import Array, Flags
from ...kernels import kernel
from ..model import Hulls
from .gjk import PointSet, gjk, support
from .groups import WorldShapes
from .manifold import (
    MAX_POLYGON,
    Patch,
    add_witness_point,
    face_manifold,
    most_facing_face,
    reduce_to_four,
    witness_midpoint,
)
from .outward import (
    AS_FOUND,
    NOTHING,
    Interior,
    has_inside,
    leads_into_others,
    least_penetration_outward,
    open_face_instead,
)
from .penetration import penetration_direction

FACE_COSINE = 0.985
"""Cosine above which a face counts as looking along the contact direction (10 degrees)."""

PATCH_TOLERANCE = 0.1
"""What a clipped patch may miss of the overlap, as a share of the roundings."""

BESIDE_RIM = 1e-4
"""A ball is still on a face that it is no further beside than by this share of its hull's bound: one that is just over
where two pieces meet is on both, not on neither.
"""


@kernel(inner=True)
def _parting(patch: Patch, gap: float, margin: float, slip: Array) -> bool:
    """Whether surfaces a gap [m] apart along the normal cannot meet until the next detection; slip as in
    ``collide_hulls``.
    """
    axis = patch.normal
    away = axis[0] * slip[0] + axis[1] * slip[1] + axis[2] * slip[2]
    return gap > margin or gap > 0.0 and gap + away - slip[3] > 0.0


@kernel
def collide_hulls(
    hulls: Hulls,
    world: WorldShapes,
    inside: Interior,
    s: int,
    t: int,
    remembered: bool,
    margin: float,
    slip: Array,
    patch: Patch,
) -> int:
    """Contact of shapes s and t.

    remembered : bool, patch.normal is that of the last detection, not a guess
    margin     : float, [m], surfaces farther apart than this give nothing
    slip       : (4,) float64, [m], displacement of s against t expected until the next detection, and how far turning
                 may add to it: what parts faster than it turns gives nothing
    patch      : in: normal; out: everything of the contact; no normal where they are beside each other, at an edge
                 that leads into the next shape
    Returns    : the number of points, 0 to 4
    """
    axis = patch.normal
    s0, s1 = np.int64(hulls.vertex_start[s]), np.int64(hulls.vertex_start[s + 1])
    t0, t1 = np.int64(hulls.vertex_start[t]), np.int64(hulls.vertex_start[t + 1])
    vertices, rs, rt = world.vertices, hulls.radius[s], hulls.radius[t]
    both = rs + rt
    patch.feature[0] = 0
    if remembered:  # that direction may already show a gap
        i = support(vertices, s0, s1, -axis[0], -axis[1], -axis[2])
        j = support(vertices, t0, t1, axis[0], axis[1], axis[2])
        gap = (
            axis[0] * (vertices[i, 0] - vertices[j, 0])
            + axis[1] * (vertices[i, 1] - vertices[j, 1])
            + axis[2] * (vertices[i, 2] - vertices[j, 2])
            - both
        )
        if _parting(patch, gap, margin, slip):
            patch.separations[0] = gap
            return 0
    core_s, core_t = PointSet(vertices, s0, s1), PointSet(vertices, t0, t1)
    dist = gjk(core_s, core_t, margin + both, axis, patch.witness, patch.simplex)
    faced = hulls.face_start[s + 1] > hulls.face_start[s] and hulls.face_start[t + 1] > hulls.face_start[t]
    overlap = dist < 0.0
    if overlap:
        dist = penetration_direction(hulls, world, s, t, patch)
    gap = dist - both
    if _parting(patch, gap, margin, slip):
        patch.separations[0] = gap
        return 0
    if has_inside(inside, hulls, s) or has_inside(inside, hulls, t):
        face = AS_FOUND
        if not overlap:
            face = open_face_instead(hulls, world, inside, t, axis[0], axis[1], axis[2], patch.witness[1])
            if face == AS_FOUND:
                face = open_face_instead(hulls, world, inside, s, -axis[0], -axis[1], -axis[2], patch.witness[0])
        elif leads_into_others(hulls, world, inside, s, t, axis):
            face = least_penetration_outward(hulls, world, inside, s, t)
        if face != AS_FOUND:
            return _collide_outward(hulls, world, s, t, face, margin, gap, patch)
    if faced:
        fs, cs = most_facing_face(hulls, world.normals, s, -axis[0], -axis[1], -axis[2])
        ft, ct = most_facing_face(hulls, world.normals, t, axis[0], axis[1], axis[2])
        if max(cs, ct) > FACE_COSINE:
            owned = cs >= ct - 1e-4
            count, _ = face_manifold(hulls, world, s, t, np.int64(fs if owned else ft), owned, margin, patch)
            if count > 0:
                patch.feature[0] = fs + 1 if owned else -(ft + 1)
                return add_witness_point(patch, count, gap, PATCH_TOLERANCE * both, rs, rt)
    patch.separations[0] = gap
    witness_midpoint(patch, 0, rs, rt)
    return 1


@kernel(inner=True)
def _ball_on_face(
    hulls: Hulls, world: WorldShapes, own: int, ball: int, face: int, margin: float, sign: float, patch: Patch
) -> int:
    """Contact of a ball over a face of shape ``own``, grown by its rounding; returns how many points.

    sign : float, 1 where the normal of the face leads from t to s, else -1
    """
    n, at = world.normals[face], world.vertices[hulls.vertex_start[ball]]
    r0, r1, r = hulls.ring_start[face], hulls.ring_start[face + 1], hulls.radius[own]
    wide = r + BESIDE_RIM * hulls.bound[own]
    for k in range(r0, r1):
        p, q = world.vertices[hulls.ring[k]], world.vertices[hulls.ring[k + 1 if k + 1 < r1 else r0]]
        ex, ey, ez = q[0] - p[0], q[1] - p[1], q[2] - p[2]
        ox, oy, oz = ey * n[2] - ez * n[1], ez * n[0] - ex * n[2], ex * n[1] - ey * n[0]  # out of the face
        out = ox * (at[0] - p[0]) + oy * (at[1] - p[1]) + oz * (at[2] - p[2])
        if out > wide * np.sqrt(ox * ox + oy * oy + oz * oz):
            return 0
    p = world.vertices[hulls.ring[r0]]
    high = n[0] * (at[0] - p[0]) + n[1] * (at[1] - p[1]) + n[2] * (at[2] - p[2])
    gap = high - r - hulls.radius[ball]
    if gap > margin:
        return 0
    patch.separations[0] = gap
    for c in range(3):
        patch.normal[c] = sign * n[c]
        patch.points[0, c] = at[c] - n[c] * (high - r - 0.5 * gap)
    return 1


@kernel(inner=True)
def _collide_outward(
    hulls: Hulls, world: WorldShapes, s: int, t: int, face: int, margin: float, gap: float, patch: Patch
) -> int:
    """``collide_hulls`` on an open face of either that serves in place of the direction found, or NOTHING.

    gap : float, [m], between the surfaces
    """
    if face != NOTHING:
        owned = hulls.face_start[s] <= face < hulls.face_start[s + 1]
        own, other = (s, t) if owned else (t, s)
        if hulls.face_start[other + 1] == hulls.face_start[other]:
            count = _ball_on_face(hulls, world, own, other, face, margin, -1.0 if owned else 1.0, patch)
        else:
            count, _ = face_manifold(hulls, world, s, t, np.int64(face), owned, margin, patch)
            patch.feature[0] = face + 1 if owned else -(face + 1)
        if count > 0:
            return count
        patch.feature[0] = 0
    patch.normal[0], patch.normal[1], patch.normal[2] = 0.0, 0.0, 0.0
    patch.separations[0] = max(gap, 0.1 * (hulls.radius[s] + hulls.radius[t]))
    return 0


@kernel(inner=True)
def collide_on_face(
    hulls: Hulls, world: WorldShapes, s: int, t: int, margin: float, feature: int, allowance: float, patch: Patch
) -> int:
    """Contact of shapes s and t on the reference face of the last detection; 0 where it no longer serves and
    ``collide_hulls`` must look.

    It serves while the other side still lies over it, with what is nearest to it, and the gap along it has not turned
    into a penetration deeper than the allowance by more than a quarter of the roundings: then another direction may
    part them sooner.

    feature   : int, as Patch.feature, not 0
    allowance : float, [m], <= 0
    """
    count, lowest = face_manifold(hulls, world, s, t, np.int64(abs(feature) - 1), feature > 0, margin, patch)
    low = np.inf
    for i in range(count):
        low = min(low, patch.separations[i])
    both = hulls.radius[s] + hulls.radius[t]
    if low < min(0.0, allowance) - 0.25 * both or lowest < min(low, margin) - PATCH_TOLERANCE * both:
        return 0
    return count


@kernel(inner=True)
def collide_triangle(
    hulls: Hulls, world: WorldShapes, s: int, t: int, convex_edge: Flags, margin: float, patch: Patch
) -> int:
    """Contact of shape s with triangle t of a mesh, which is solid behind its face; as ``collide_hulls``.

    convex_edge : (3,) uint8, which of the triangle's edges stand out. Contact elsewhere goes along the triangle's own
                  normal, so that nothing catches on the seams of a smooth surface
    """
    axis, witness, vertices = patch.normal, patch.witness, world.vertices
    s0, s1 = np.int64(hulls.vertex_start[s]), np.int64(hulls.vertex_start[s + 1])
    t0 = np.int64(hulls.vertex_start[t])
    radius, face = hulls.radius[s], hulls.face_start[t]
    nx, ny, nz = world.normals[face, 0], world.normals[face, 1], world.normals[face, 2]
    patch.feature[0] = 0
    base = nx * vertices[t0, 0] + ny * vertices[t0, 1] + nz * vertices[t0, 2]
    low = support(vertices, s0, s1, -nx, -ny, -nz)
    if nx * vertices[low, 0] + ny * vertices[low, 1] + nz * vertices[low, 2] - base - radius > margin:
        return 0
    if nx * world.center[s, 0] + ny * world.center[s, 1] + nz * world.center[s, 2] - base <= 0.0:
        return 0  # behind the face: another side of the body must hold it
    core, triangle = PointSet(vertices, s0, s1), PointSet(vertices, t0, t0 + 3)
    dist = gjk(core, triangle, margin + radius, axis, witness, patch.simplex)
    flat, gap = dist < 0.0, dist - radius
    if not flat:
        if gap > margin:
            return 0
        cosine = axis[0] * nx + axis[1] * ny + axis[2] * nz
        if cosine > FACE_COSINE or cosine < 0.0:
            flat = True
        else:
            flat = not _on_convex_edge(vertices, t0, witness[1], convex_edge)
    if flat:
        axis[0], axis[1], axis[2] = nx, ny, nz
        if hulls.face_start[s + 1] > hulls.face_start[s]:
            count, _ = face_manifold(hulls, world, s, t, np.int64(face), face < 0, margin, patch)
            patch.feature[0] = -(face + 1)
            patch.separations[0] = patch.separations[0] if count else 0.0  # near the plane, beside the triangle
            return count
        for c in range(3):  # a ball: its lowest point, where that lies over the triangle
            witness[0, c] = vertices[s0, c]
        d = nx * witness[0, 0] + ny * witness[0, 1] + nz * witness[0, 2] - base
        for c in range(3):
            witness[1, c] = witness[0, c] - axis[c] * d
        beside = _distance_outside(vertices, t0, witness[1], nx, ny, nz)
        if beside > 0.0:
            patch.separations[0] = beside
            return 0
        gap = d - radius
    patch.separations[0] = gap
    for c in range(3):
        patch.points[0, c] = 0.5 * (witness[0, c] - axis[c] * radius + witness[1, c])
    return 1


@kernel(inner=True)
def _distance_inside_edge(vertices: Array, t0: int, e: int, p: Array, nx: float, ny: float, nz: float) -> float:
    """How far point p (3,) lies inside edge e of the triangle that begins at vertex t0 [m], in its plane of normal
    n.
    """
    i, j = t0 + e, t0 + (e + 1) % 3
    ex, ey, ez = vertices[j, 0] - vertices[i, 0], vertices[j, 1] - vertices[i, 1], vertices[j, 2] - vertices[i, 2]
    length = np.sqrt(ex * ex + ey * ey + ez * ez)
    ix, iy, iz = ny * ez - nz * ey, nz * ex - nx * ez, nx * ey - ny * ex
    inside = ix * (p[0] - vertices[i, 0]) + iy * (p[1] - vertices[i, 1]) + iz * (p[2] - vertices[i, 2])
    return inside / max(length, 1e-300)


@kernel(inner=True)
def _distance_outside(vertices: Array, t0: int, p: Array, nx: float, ny: float, nz: float) -> float:
    """How far a point of a triangle's plane lies outside the triangle at least [m]; 0 within."""
    out = 0.0
    for e in range(3):
        out = max(out, -_distance_inside_edge(vertices, t0, e, p, nx, ny, nz))
    return out


@kernel(inner=True)
def _on_convex_edge(vertices: Array, t0: int, p: Array, convex_edge: Flags) -> bool:
    """Whether a point of a triangle lies on an edge that stands out."""
    a, b, c = t0, t0 + 1, t0 + 2
    ax, ay, az = vertices[b, 0] - vertices[a, 0], vertices[b, 1] - vertices[a, 1], vertices[b, 2] - vertices[a, 2]
    bx, by, bz = vertices[c, 0] - vertices[a, 0], vertices[c, 1] - vertices[a, 1], vertices[c, 2] - vertices[a, 2]
    nx, ny, nz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    area = np.sqrt(nx * nx + ny * ny + nz * nz)
    for e in range(3):
        if not convex_edge[e]:
            continue
        if _distance_inside_edge(vertices, t0, e, p, nx / area, ny / area, nz / area) < 1e-6 * np.sqrt(area):
            return True
    return False


@kernel(inner=True)
def collide_ground(hulls: Hulls, world: WorldShapes, s: int, height: float, margin: float, patch: Patch) -> int:
    """Contact of shape s with the ground plane; as ``collide_hulls``, the normal being (0, 1, 0)."""
    n = 0
    r = hulls.radius[s]
    for v in range(hulls.vertex_start[s], hulls.vertex_start[s + 1]):
        d = world.vertices[v, 1] - r - height
        if d < margin and n < MAX_POLYGON:
            patch.points[n, 0], patch.points[n, 1], patch.points[n, 2] = (
                world.vertices[v, 0],
                height,
                world.vertices[v, 2],
            )
            patch.separations[n] = d
            n += 1
    return reduce_to_four(patch.points, patch.separations, np.int64(n))
