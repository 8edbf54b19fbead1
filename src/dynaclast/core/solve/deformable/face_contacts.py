"""Contact of faces of cloth and of soft bodies with hulls that are small beside them: these would pass between the
vertices.

A hull is on that side of a face on which its middle is; or on which it was in the last step, if it touched the face, or
one beside it: others may have struck it since, or the face may have turned. A fold may lie on it with the other side.
Each of its vertices is held there where it would come to the face within the step, or has come through it; a ball by
its point that is nearest.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Index
from ...kernels import kernel
from ...kernels.linalg import rotate_by
from ..inner_faces import is_in_hull, leads_inside
from ..model import Hulls
from ..rigid.manifold import most_facing_face
from .contacts import Look, carried, into, new_row, passing
from .tables import MOST_VERTICES, PointTable, Rows

SMALL = 2.0
"""Hulls that are narrower than so many edges of a face meet it."""
NEAR = 0.1
"""A vertex of a hull is held from where it is as near to a face as this share of the hull's width: what pulls on the
face may bring it there.
"""
BESIDE = 0.01
"""Share of a face by which a point may lie beside it."""
BESIDE_BALL = 0.3
"""And the middle of a ball: over a ridge it is beside both faces, and held by their edge."""


class Cores(NamedTuple):
    """Hulls by their smallest measures; S hulls.

    middle : (S, 3) float64, [m], mean of the core's vertices, from the piece's centre
    width  : (S,) float64, [m], across, where it is narrowest; of single triangles of a mesh inf
    """

    middle: Array
    width: Array


def cores_of(hulls: Hulls) -> Cores:
    count = len(hulls.piece)
    middle, width = np.zeros((count, 3)), np.full(count, np.inf)
    for s in range(count):
        core = hulls.vertices[hulls.vertex_start[s] : hulls.vertex_start[s + 1]]
        normals = hulls.normals[hulls.face_start[s] : hulls.face_start[s + 1]]
        middle[s] = core.mean(axis=0)
        if len(normals) != 1:
            across = core @ normals.T
            width[s] = np.ptp(across, axis=0).min(initial=np.inf) if len(normals) else 0.0
            width[s] += 2.0 * hulls.radius[s]
    return Cores(middle, width)


@kernel(inner=True)
def _seen(look: Look, p: int, i: int) -> tuple[float, float, float, float, float, float]:
    """Where a point is in the frame of a piece, and how it goes there within a step."""
    bodies, slots, x = look.bodies, look.slots, look.x[i]
    a = bodies.piece_assembly[p]
    ux, uy, uz, free = passing(bodies, a, look.h, x[0], x[1], x[2])
    if look.solved == 1 and free and slots.place[a] >= 0:
        y, c = look.moved[slots.place[a]], bodies.assemblies.position[a]
        rx, ry, rz = x[0] - c[0], x[1] - c[1], x[2] - c[2]
        ux, uy, uz = y[0] + y[4] * rz - y[5] * ry, y[1] + y[5] * rx - y[3] * rz, y[2] + y[3] * ry - y[4] * rx
    lx, ly, lz = into(bodies.assemblies, a, look.pieces, p, x[0], x[1], x[2])
    q, way = bodies.assemblies.orientation[a], look.way[i]
    wx, wy, wz = rotate_by(-q[0], -q[1], -q[2], q[3], way[0] - ux, way[1] - uy, way[2] - uz)
    return lx, ly, lz, wx, wy, wz


@kernel(inner=True)
def _shares(corner: Array, t: float, vx: float, vy: float, vz: float) -> tuple[float, float, float]:
    """Shares of the corners (3, 6) of a triangle, which go on for a part t of the step, in the point of its plane that
    is nearest to v.
    """
    ax, ay, az = corner[0, 0] + t * corner[0, 3], corner[0, 1] + t * corner[0, 4], corner[0, 2] + t * corner[0, 5]
    bx, by, bz = (
        corner[1, 0] + t * corner[1, 3] - ax,
        corner[1, 1] + t * corner[1, 4] - ay,
        corner[1, 2] + t * corner[1, 5] - az,
    )
    cx, cy, cz = (
        corner[2, 0] + t * corner[2, 3] - ax,
        corner[2, 1] + t * corner[2, 4] - ay,
        corner[2, 2] + t * corner[2, 5] - az,
    )
    vx, vy, vz = vx - ax, vy - ay, vz - az
    bb, bc, cc = bx * bx + by * by + bz * bz, bx * cx + by * cy + bz * cz, cx * cx + cy * cy + cz * cz
    vb, vc = vx * bx + vy * by + vz * bz, vx * cx + vy * cy + vz * cz
    whole = max(bb * cc - bc * bc, 1e-300)
    second, third = (cc * vb - bc * vc) / whole, (bb * vc - bc * vb) / whole
    return 1.0 - second - third, second, third


@kernel(inner=True)
def note_side(points: PointTable, face: int, behind: bool, s: int, sides: Index) -> None:
    """Remember on which side hull s touches a face at the face's corners (C, 8), as Touching.sides: of more than a
    corner has room for, the first.
    """
    mark = -1 - s if behind else 1 + s
    for c in range(3):
        at = sides[points.face[face, c]]
        for k in range(len(at)):
            if at[k] == mark:
                break
            if at[k] == 0:
                at[k] = mark
                break


@kernel(inner=True)
def known_side(points: PointTable, face: int, s: int, sides: Index) -> int:
    """On which side of a face hull s touched it in the last step, or one that shares a corner: 1 in front, -1 behind, 0
    where it did not.
    """
    for c in range(3):
        at = sides[points.face[face, c]]
        for k in range(len(at)):
            if at[k] == 0:
                break
            if abs(at[k]) == 1 + s:
                return 1 if at[k] > 0 else -1
    return 0


@kernel(inner=True)
def face_rows(look: Look, cores: Cores, sides: Index, corner: Array, rows: Rows, count: int) -> int:
    """Rows of faces that vertices of hulls would go through, or have; returns how many rows there are then.

    sides  : (C, 8) int32, as Touching.sides
    corner : (4, 6) float64, scratch: corners of a face in the frame of a hull, and how they go; its normal
    """
    points, near, hulls = look.points, look.near, look.hulls
    if len(points.face) == 0:
        return count
    for k in range(min(near.found[0], len(near.point))):
        i, s = near.point[k], near.shape[k]
        if cores.width[s] > SMALL * points.reach[i]:
            continue
        p = hulls.piece[s]
        free = look.bodies.inv_mass[look.bodies.piece_assembly[p]] > 0.0
        for face in range(points.face_first[i], points.face_first[i + 1]):
            if not free and points.held[i] and points.held[points.face[face, 1]] and points.held[points.face[face, 2]]:
                continue
            own = look.pieces.body[p]
            if points.tied[points.face[face, 1]] == own or points.tied[points.face[face, 2]] == own:
                continue
            far, travel = np.inf, 0.0
            for c in range(3):
                j = points.face[face, c]
                lx, ly, lz, wx, wy, wz = _seen(look, p, j)
                corner[c, 0], corner[c, 1], corner[c, 2] = lx, ly, lz
                corner[c, 3], corner[c, 4], corner[c, 5] = wx, wy, wz
                far = min(far, np.sqrt(lx * lx + ly * ly + lz * lz))
                travel = max(travel, np.sqrt(wx * wx + wy * wy + wz * wz))
            if far > hulls.bound[s] + points.radius[i] + travel + points.reach[i]:
                continue
            bx, by, bz = corner[1, 0] - corner[0, 0], corner[1, 1] - corner[0, 1], corner[1, 2] - corner[0, 2]
            cx, cy, cz = corner[2, 0] - corner[0, 0], corner[2, 1] - corner[0, 1], corner[2, 2] - corner[0, 2]
            nx, ny, nz = by * cz - bz * cy, bz * cx - bx * cz, bx * cy - by * cx
            area = np.sqrt(nx * nx + ny * ny + nz * nz)
            if area < 1e-18:
                continue
            m = cores.middle[s]
            side = nx * (m[0] - corner[0, 0]) + ny * (m[1] - corner[0, 1]) + nz * (m[2] - corner[0, 2])
            before = known_side(points, face, s, sides)
            known, front = before != 0, before > 0 if before != 0 else side > 0.0
            if points.solid[face]:  # all is in front
                front, known = True, False
            area = -area if front else area  # from the hull to the face
            nx, ny, nz = nx / area, ny / area, nz / area
            corner[3, 0], corner[3, 1], corner[3, 2] = nx, ny, nz
            facing, _ = most_facing_face(hulls, hulls.normals, s, nx, ny, nz)
            if facing >= 0 and leads_inside(look.inner, hulls, look.bodies.piece_assembly, s, facing):
                continue  # a piece beside it is there
            first = count
            count = _rows_of_face(look, face, s, cores, corner, known, rows, count)
            for c in range(first, count):
                if points.sided[i]:
                    rows.lies[c], rows.behind[c] = face, not front
    return count


@kernel(inner=True)
def _join_corners(points: PointTable, face: int, e: float, f: float, g: float, rows: Rows, count: int) -> None:
    """A row on the point of a face with such shares of its corners: on the vertices that carry these, of more than a
    row has room for the most.
    """
    used, whole, first = 0, 0.0, 0
    for place in range(3):  # the nearest corner first
        share, c = e, 0
        if place == 0:
            if f > share:
                share, c = f, 1
            if g > share:
                share, c = g, 2
            first = c
        else:
            c = (first + place) % 3
            share = e if c == 0 else (f if c == 1 else g)
        p = points.face[face, c]
        for k in range(4):
            i, weight = points.vertex[p, k], share * points.weight[p, k]
            if i < 0 or weight == 0.0:
                continue
            at = 0
            while at < used and rows.vertex[count, at] != i:
                at += 1
            if at == MOST_VERTICES:
                continue
            if at == used:
                rows.vertex[count, at], rows.weight[count, at] = i, 0.0
                used += 1
            rows.weight[count, at] += weight
            whole += weight
    for k in range(used):
        rows.weight[count, k] /= whole


@kernel(inner=True)
def _nearer_beside(look: Look, face: int, p: int, deep: float, x: float, y: float, z: float) -> bool:
    """Whether a point (x, y, z) in the frame of a piece, so deep [m] behind a face of a solid, is less deep behind one
    that bends away from it beside it, or not behind that at all: it has not come through this face, then.
    """
    points = look.points
    for k in range(points.bent_first[face], points.bent_first[face + 1]):
        other = points.bent[k]
        ax, ay, az, _, _, _ = _seen(look, p, points.face[other, 0])
        bx, by, bz, _, _, _ = _seen(look, p, points.face[other, 1])
        cx, cy, cz, _, _, _ = _seen(look, p, points.face[other, 2])
        bx, by, bz, cx, cy, cz = bx - ax, by - ay, bz - az, cx - ax, cy - ay, cz - az
        nx, ny, nz = by * cz - bz * cy, bz * cx - bx * cz, bx * cy - by * cx
        if nx * (x - ax) + ny * (y - ay) + nz * (z - az) > -deep * np.sqrt(nx * nx + ny * ny + nz * nz):
            return True
    return False


@kernel(inner=True)
def _made(rows: Rows, count: int) -> bool:
    """Whether a row is the same as one before it: of the same hull, on the same point of a face."""
    for c in range(count):
        if rows.shape[c] != rows.shape[count] or rows.point[c] != rows.point[count]:
            continue
        same = True
        for k in range(MOST_VERTICES):
            same = same and rows.vertex[c, k] == rows.vertex[count, k] and rows.weight[c, k] == rows.weight[count, k]
        if same:
            return True
    return False


@kernel(inner=True)
def _rows_of_face(
    look: Look, face: int, s: int, cores: Cores, corner: Array, known: bool, rows: Rows, count: int
) -> int:
    """Rows of a face with a hull, in whose frame its corners and its normal are (4, 6), which looks to it.

    known : bool, whether it is known on which side the hull is, however deep it may be
    """
    points, hulls, pieces, bodies, h = look.points, look.hulls, look.pieces, look.bodies, look.h
    nx, ny, nz = corner[3, 0], corner[3, 1], corner[3, 2]
    m, width = cores.middle[s], cores.width[s]
    i, p = points.face[face, 0], hulls.piece[s]
    a = bodies.piece_assembly[p]
    thick = points.radius[i] + hulls.radius[s]
    ball = hulls.face_start[s + 1] == hulls.face_start[s]
    beside = BESIDE_BALL if ball else BESIDE
    for number in range(hulls.vertex_start[s], hulls.vertex_start[s + 1]):
        v = hulls.vertices[number]
        if nx * (m[0] - v[0]) + ny * (m[1] - v[1]) + nz * (m[2] - v[2]) > 0.0:
            continue  # a vertex of its other end: what is before that is not the hull's way to the face
        ox, oy, oz = nx, ny, nz
        here = nx * (corner[0, 0] - v[0]) + ny * (corner[0, 1] - v[1]) + nz * (corner[0, 2] - v[2])
        gap = here - thick
        by0 = nx * corner[0, 3] + ny * corner[0, 4] + nz * corner[0, 5]
        by1 = nx * corner[1, 3] + ny * corner[1, 4] + nz * corner[1, 5]
        by2 = nx * corner[2, 3] + ny * corner[2, 4] + nz * corner[2, 5]
        if gap > NEAR * width and gap + min(by0, by1, by2) > 0.0:
            continue
        e, f, g = _shares(corner, 0.0, v[0], v[1], v[2])
        by = e * by0 + f * by1 + g * by2
        if gap > 0.0 and gap + by < 0.0:  # where it comes to the face
            t = gap / -by
            e, f, g = _shares(corner, t, v[0], v[1], v[2])
            by = e * by0 + f * by1 + g * by2
        elif gap > NEAR * width:
            continue
        if min(e, f, g) < -beside or count == len(rows.gap):
            continue
        if here < 0.0 and points.solid[face] and _nearer_beside(look, face, p, -here, v[0], v[1], v[2]):
            continue
        e, f, g = max(e, 0.0), max(f, 0.0), max(g, 0.0)
        whole = e + f + g
        e, f, g = e / whole, f / whole, g / whole
        if ball and whole > 1.0 and here > 0.0:  # beside the face: its edge is nearest
            ox = e * corner[0, 0] + f * corner[1, 0] + g * corner[2, 0] - v[0]
            oy = e * corner[0, 1] + f * corner[1, 1] + g * corner[2, 1] - v[1]
            oz = e * corner[0, 2] + f * corner[1, 2] + g * corner[2, 2] - v[2]
            here = np.sqrt(ox * ox + oy * oy + oz * oz)
            if here < 1e-12:
                continue
            ox, oy, oz, gap = ox / here, oy / here, oz / here, here - thick
            by = e * (ox * corner[0, 3] + oy * corner[0, 4] + oz * corner[0, 5])
            by += f * (ox * corner[1, 3] + oy * corner[1, 4] + oz * corner[1, 5])
            by += g * (ox * corner[2, 3] + oy * corner[2, 4] + oz * corner[2, 5])
        if look.solved == 1 and gap + by > -NEAR * width:
            continue
        if ball and not known and here < -hulls.radius[s]:
            continue
        if (
            gap < 0.0
            and not known
            and not is_in_hull(hulls, s, v[0] + here * nx, v[1] + here * ny, v[2] + here * nz, NEAR * width)
        ):
            continue  # another part of the hull is on the other side, beside the face
        free = bodies.inv_mass[a] > 0.0
        new_row(rows, count, i, s, -1, a if free else -1, np.sqrt(pieces.friction[p] * points.friction[i]))
        _join_corners(points, face, e, f, g, rows, count)
        if look.solved == 1 and _made(rows, count):
            continue
        q = bodies.assemblies.orientation[a]
        n = rows.normal[count]
        n[0], n[1], n[2] = rotate_by(q[0], q[1], q[2], q[3], ox, oy, oz)
        rows.gap[count] = gap
        rows.active[count] = 1 if gap + by < 0.0 else 0
        r, o = hulls.radius[s], rows.arm[count]
        x, y, z = rotate_by(q[0], q[1], q[2], q[3], v[0] + r * ox, v[1] + r * oy, v[2] + r * oz)
        px, py, pz = carried(bodies.assemblies, a, pieces.rest_center[p])
        if free:
            c = bodies.assemblies.position[a]
            o[0], o[1], o[2] = px + x - c[0], py + y - c[1], pz + z - c[2]
        else:
            ux, uy, uz, _ = passing(bodies, a, h, px + x, py + y, pz + z)
            o = rows.passing[count]
            o[0], o[1], o[2] = ux, uy, uz
        count += 1
    return count
