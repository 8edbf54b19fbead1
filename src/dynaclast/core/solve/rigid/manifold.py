"""Contact manifolds: a face clipped against a reference face, and the four points of a patch that are kept.

Source: face clipping after Sutherland and Hodgman 1974 (doi 10.1145/360767.360802).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Index
from ...kernels import kernel
from ..model import Hulls
from .gjk import Simplex, make_scratch, support
from .groups import WorldShapes

HEIGHT_WEIGHT = 5.0
"""How much nearer a contact point counts, where only four are kept, for what it is higher than the deepest."""

MAX_POLYGON = 128
"""Room for the corners of a clipped face."""


class Patch(NamedTuple):
    """One contact as it is found. C = MAX_POLYGON.

    normal      : (3,) float64, unit, from shape t to shape s; in: the direction remembered, or a guess of any length
    points      : (C, 3) float64, [m], world frame, midway between the surfaces
    separations : (C,) float64, [m], < 0 where they overlap; without points, the first is a distance that the surfaces
                  are at least apart
    witness     : (3, 3) float64, [m], the nearest points of the cores of s and of t; the last row a shift, left 0
    feature     : (1,) int32, the reference face + 1, negative if it is t's; 0 for an edge or a corner
    polygon     : (C, 4) float64, scratch: place in the reference plane (2), distance from it, and from the side at hand
    clipped     : (C, 4) float64, scratch, likewise
    simplex     : scratch of the distance query
    """

    normal: Array
    points: Array
    separations: Array
    witness: Array
    feature: Index
    polygon: Array
    clipped: Array
    simplex: Simplex


def make_patch() -> Patch:
    f = np.zeros
    return Patch(
        f(3),
        f((MAX_POLYGON, 3)),
        f(MAX_POLYGON),
        f((3, 3)),
        f(1, np.int32),
        f((MAX_POLYGON, 4)),
        f((MAX_POLYGON, 4)),
        make_scratch(),
    )


@kernel
def most_facing_face(hulls: Hulls, normals: Array, s: int, x: float, y: float, z: float) -> tuple[int, float]:
    """Face of shape s that looks most along the unit direction (x, y, z), and the cosine.

    normals : (F, 3) float64, world frame
    """
    best, most = -1, -2.0
    for f in range(hulls.face_start[s], hulls.face_start[s + 1]):
        d = normals[f, 0] * x + normals[f, 1] * y + normals[f, 2] * z
        if d > most:
            most = d
            best = f
    return best, most


@kernel
def _face_at_vertex(hulls: Hulls, normals: Array, s: int, k: int, x: float, y: float, z: float) -> int:
    """Of the faces of shape s that meet at its vertex k, the one that looks most along (x, y, z): where k is the
    farthest vertex that way, no other face holds what lies deepest (at obtuse slivers the face that looks most that way
    may lie elsewhere).
    """
    best, most = hulls.face_start[s], -2.0
    for f in range(hulls.face_start[s], hulls.face_start[s + 1]):
        d = normals[f, 0] * x + normals[f, 1] * y + normals[f, 2] * z
        if d <= most:
            continue
        for i in range(hulls.ring_start[f], hulls.ring_start[f + 1]):
            if hulls.ring[i] == k:
                most = d
                best = f
                break
    return best


@kernel(inner=True)
def _signed_area(points: Array, i: int, j: int, k: int, ux: float, uy: float, uz: float) -> float:
    """Twice the area of triangle (i, j, k), signed by the direction u."""
    ax, ay, az = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1], points[j, 2] - points[i, 2]
    bx, by, bz = points[k, 0] - points[i, 0], points[k, 1] - points[i, 1], points[k, 2] - points[i, 2]
    return (ay * bz - az * by) * ux + (az * bx - ax * bz) * uy + (ax * by - ay * bx) * uz


@kernel
def reduce_to_four(points: Array, separations: Array, n: int) -> int:
    """Reorder so that the first min(n, 4) rows span the patch: deepest, farthest, widest to both sides. What is higher
    than the deepest point counts as so much nearer (HEIGHT_WEIGHT), so that of a body that turns down on a side that
    side is kept.

    Places are handed on as int64: a literal would have the callee compiled once more for each.

    points      : (>= n, 3) float64, [m]
    separations : (>= n,) float64, [m]
    Returns     : how many points are kept
    """
    if n <= 4:
        return n
    first = 0
    for i in range(1, n):
        if separations[i] < separations[first] - 1e-9:
            first = i
    _swap(points, separations, 0, first)
    far, most = 1, -np.inf
    for i in range(1, n):
        dd = (
            (points[i, 0] - points[0, 0]) ** 2 + (points[i, 1] - points[0, 1]) ** 2 + (points[i, 2] - points[0, 2]) ** 2
        )
        d = np.sqrt(dd) - HEIGHT_WEIGHT * (separations[i] - separations[0])
        if d > most:
            most = d
            far = i
    _swap(points, separations, np.int64(1), np.int64(far))
    ex, ey, ez = points[1, 0] - points[0, 0], points[1, 1] - points[0, 1], points[1, 2] - points[0, 2]
    length = np.sqrt(ex * ex + ey * ey + ez * ez) + 1e-300
    third, most = 2, -np.inf
    ux, uy, uz = 0.0, 0.0, 0.0
    for i in range(2, n):
        dx, dy, dz = points[i, 0] - points[0, 0], points[i, 1] - points[0, 1], points[i, 2] - points[0, 2]
        cx, cy, cz = ey * dz - ez * dy, ez * dx - ex * dz, ex * dy - ey * dx
        d = np.sqrt(cx * cx + cy * cy + cz * cz) / length - HEIGHT_WEIGHT * (separations[i] - separations[0])
        if d > most:
            most = d
            third = i
            ux, uy, uz = cx, cy, cz
    _swap(points, separations, np.int64(2), np.int64(third))
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
            out = max(out, -_signed_area(points, side, j, i, ux, uy, uz) / (area * (np.sqrt(edge) + 1e-300)))
        d = out - HEIGHT_WEIGHT * (separations[i] - separations[0])
        if out > 0.0 and d > most:
            most = d
            fourth = i
    if fourth < 0:
        return 3
    _swap(points, separations, np.int64(3), np.int64(fourth))
    return 4


@kernel
def _swap(points: Array, separations: Array, i: int, j: int) -> None:
    if i == j:
        return
    for c in range(3):
        hold = points[i, c]
        points[i, c] = points[j, c]
        points[j, c] = hold
    hold = separations[i]
    separations[i] = separations[j]
    separations[j] = hold


@kernel(inner=True)
def _clip_face(
    hulls: Hulls, world: WorldShapes, reference: int, incident: int, grow: float, limit: float, patch: Patch
) -> int:
    """Clip the incident face against the sides of the reference face, grown by ``grow`` [m].

    patch.points come out on the incident core, patch.separations as distances of the core from the reference plane;
    only those nearer than ``limit`` [m].
    Returns : how many points there are
    """
    normals, vertices = world.normals, world.vertices
    polygon, clipped = patch.polygon, patch.clipped
    nx, ny, nz = normals[reference, 0], normals[reference, 1], normals[reference, 2]
    r0, r1 = hulls.ring_start[reference], hulls.ring_start[reference + 1]
    p, q = hulls.ring[r0], hulls.ring[r0 + 1]
    bx, by, bz = vertices[p, 0], vertices[p, 1], vertices[p, 2]
    ux, uy, uz = vertices[q, 0] - bx, vertices[q, 1] - by, vertices[q, 2] - bz
    length = np.sqrt(ux * ux + uy * uy + uz * uz)
    ux, uy, uz = ux / length, uy / length, uz / length
    vx, vy, vz = ny * uz - nz * uy, nz * ux - nx * uz, nx * uy - ny * ux
    n = 0
    i0 = hulls.ring_start[incident]
    for k in range(i0, min(hulls.ring_start[incident + 1], i0 + MAX_POLYGON)):
        i = hulls.ring[k]
        x, y, z = vertices[i, 0] - bx, vertices[i, 1] - by, vertices[i, 2] - bz
        polygon[n, 0] = ux * x + uy * y + uz * z
        polygon[n, 1] = vx * x + vy * y + vz * z
        polygon[n, 2] = nx * x + ny * y + nz * z
        n += 1
    pu, pv = 0.0, 0.0
    for k in range(r0, r1):
        i = hulls.ring[k + 1 if k + 1 < r1 else r0]
        x, y, z = vertices[i, 0] - bx, vertices[i, 1] - by, vertices[i, 2] - bz
        qu, qv = ux * x + uy * y + uz * z, vx * x + vy * y + vz * z
        eu, ev = qu - pu, qv - pv
        length = np.sqrt(eu * eu + ev * ev)
        off = (ev * pu - eu * pv) + grow * length  # outward: (ev, -eu)
        out = 0
        for i in range(n):
            d = ev * polygon[i, 0] - eu * polygon[i, 1] - off
            polygon[i, 3] = d
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
            di, dj = polygon[i, 3], polygon[j, 3]
            if di <= 0.0 and m < MAX_POLYGON:
                clipped[m, 0], clipped[m, 1], clipped[m, 2] = polygon[i, 0], polygon[i, 1], polygon[i, 2]
                m += 1
            if (di < 0.0 and dj > 0.0 or di > 0.0 and dj < 0.0) and m < MAX_POLYGON:
                t = di / (di - dj)
                for c in range(3):
                    clipped[m, c] = polygon[i, c] + t * (polygon[j, c] - polygon[i, c])
                m += 1
        polygon, clipped = clipped, polygon
        n = m
    m = 0
    for i in range(n):
        d = polygon[i, 2]
        if d < limit:
            x, y = polygon[i, 0], polygon[i, 1]
            patch.points[m, 0] = bx + ux * x + vx * y + nx * d
            patch.points[m, 1] = by + uy * x + vy * y + ny * d
            patch.points[m, 2] = bz + uz * x + vz * y + nz * d
            patch.separations[m] = d
            m += 1
    return m


@kernel(inner=True)
def face_manifold(
    hulls: Hulls, world: WorldShapes, s: int, t: int, reference: int, owned: bool, margin: float, patch: Patch
) -> tuple[int, float]:
    """Contact of shapes s and t on a reference face: of s if owned, else of t.

    margin  : float, [m], surfaces farther apart than this give nothing
    Returns : the number of points, 0 where none is near, and how far the other surface is from the face where it is
              nearest to its plane [m]
    """
    vertices = world.vertices
    rs, rt = hulls.radius[s], hulls.radius[t]
    both = rs + rt
    nx, ny, nz = world.normals[reference, 0], world.normals[reference, 1], world.normals[reference, 2]
    o = t if owned else s
    low = support(vertices, np.int64(hulls.vertex_start[o]), np.int64(hulls.vertex_start[o + 1]), -nx, -ny, -nz)
    incident = _face_at_vertex(hulls, world.normals, o, low, -nx, -ny, -nz)
    count = _clip_face(hulls, world, np.int64(reference), incident, rs if owned else rt, margin + both, patch)
    v = hulls.ring[hulls.ring_start[reference]]
    lowest = (
        nx * (vertices[low, 0] - vertices[v, 0])
        + ny * (vertices[low, 1] - vertices[v, 1])
        + nz * (vertices[low, 2] - vertices[v, 2])
        - both
    )
    if count == 0:
        return 0, lowest
    points, separations = patch.points, patch.separations
    count = reduce_to_four(points, separations, np.int64(count))
    reach = rt if owned else rs
    for i in range(count):
        separations[i] -= both
        back = reach + 0.5 * separations[i]
        points[i, 0] -= nx * back
        points[i, 1] -= ny * back
        points[i, 2] -= nz * back
    sign = -1.0 if owned else 1.0
    patch.normal[0], patch.normal[1], patch.normal[2] = sign * nx, sign * ny, sign * nz
    return count, lowest


@kernel(inline=True)
def witness_midpoint(patch: Patch, row: int, rs: float, rt: float) -> None:
    """The point midway between the surfaces at the nearest points of the cores, into a row of the patch.

    rs, rt : float, [m], roundings
    """
    for c in range(3):
        patch.points[row, c] = 0.5 * (
            (patch.witness[0, c] - patch.normal[c] * rs) + (patch.witness[1, c] + patch.normal[c] * rt)
        )


@kernel(inner=True)
def add_witness_point(patch: Patch, count: int, gap: float, missed: float, rs: float, rt: float) -> int:
    """Add the nearest points of the cores to a clipped patch that missed them by more than ``missed`` [m]; returns how
    many points there are.
    """
    last = 0
    for i in range(count):
        if patch.separations[i] <= gap + missed:
            return count
        if patch.separations[i] > patch.separations[last]:
            last = i
    if count < 4:
        last = count
        count += 1
    patch.separations[last] = gap
    witness_midpoint(patch, last, rs, rt)
    return count
