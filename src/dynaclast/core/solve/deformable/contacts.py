"""What vertices and edges of deformable bodies touch: hulls, triangles of meshes, the ground.

Near pairs are found once an interval. In every step a vertex's way past a hull, seen from the hull, is cut by the
planes of its faces: it comes in by the one it crosses last, however fast it goes. What is inside stays with the face it
came in by. An edge that would cut off a hull's edge is pushed out across both.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Flags, Index
from ...kernels import kernel
from ...kernels.linalg import rotate_by
from ..inner_faces import leads_inside
from ..model import GROUND, Hulls, InnerFaces, Motion, PieceTable
from ..rigid.groups import Bodies
from ..state import Assemblies
from .crossings import cross_hull, cross_triangle, edge_across, nearer_out
from .system import Slots
from .tables import MOST_VERTICES, BlockPattern, Held, PointTable, Rows

LIES = 1.0
"""Share of its radius by which an edge may be off what it touched, and is still taken to lie on it."""
STAYS = 0.1
"""What would leave what it touches by less than this share of its edges is taken to stay there at first."""
TOLERATED = 0.1
"""What goes in by less than this share of its own radius in a solution is left to the next step."""


class Near(NamedTuple):
    """Points near shapes.

    point : (n,) int32; shape : (n,) int32
    made  : (n,) uint8, whether there is a row of them in this step
    found : (1,) int64, how many; more than n where there was no room
    """

    point: Index
    shape: Index
    made: Flags
    found: Index


def make_near(room: int) -> Near:
    return Near(np.zeros(room, np.int32), np.zeros(room, np.int32), np.zeros(room, np.uint8), np.zeros(1, np.int64))


class Look(NamedTuple):
    """Points and hulls near each other, and how they go in a step, as rows are looked for.

    h      : float, [s], of the step
    x, way : (C, 3) float64, [m], where points are and how they would go
    solved : int, 0 where that is by themselves; 1 where it is what a solution says, and assemblies go by ``moved``
             (K, 6) float64, [m], [rad]: then rows are added that are not there yet
    inner  : faces of hulls that others of the body cover
    """

    points: PointTable
    near: Near
    hulls: Hulls
    pieces: PieceTable
    bodies: Bodies
    h: float
    x: Array
    way: Array
    slots: Slots
    moved: Array
    solved: int
    inner: InnerFaces


@kernel(inner=True)
def place_point(points: PointTable, p: int, x: Array, out: Array) -> None:
    """What vertices (N, 3) have at a point they carry, into out (C, 3)."""
    u, v, w = 0.0, 0.0, 0.0
    for k in range(4):
        i, s = points.vertex[p, k], points.weight[p, k]
        if i >= 0:
            u += s * x[i, 0]
            v += s * x[i, 1]
            w += s * x[i, 2]
    out[p, 0], out[p, 1], out[p, 2] = u, v, w


@kernel(inner=True)
def place_points(points: PointTable, awake: Index, x: Array, between: int, out: Array) -> None:
    """What vertices (N, 3) have at the points (C, 3) they carry; between: int, 0 without those between."""
    for b in awake:
        for p in range(points.first[b], points.first[b + 1]):
            if between or not points.between[p]:
                place_point(points, p, x, out)


@kernel(inner=True)
def _of_point(points: PointTable, p: int, rows: Rows, count: int) -> None:
    """A row on a point."""
    for k in range(4):
        rows.vertex[count, k], rows.weight[count, k] = points.vertex[p, k], points.weight[p, k]


@kernel(inner=True)
def carried(asm: Assemblies, a: int, point: Array) -> tuple[float, float, float]:
    """Where assembly a has carried a point (3,) of the opening pose."""
    q = asm.orientation[a]
    x, y, z = rotate_by(
        q[0],
        q[1],
        q[2],
        q[3],
        point[0] - asm.rest_center[a, 0],
        point[1] - asm.rest_center[a, 1],
        point[2] - asm.rest_center[a, 2],
    )
    return asm.position[a, 0] + x, asm.position[a, 1] + y, asm.position[a, 2] + z


@kernel(inner=True)
def into(
    asm: Assemblies, a: int, pieces: PieceTable, p: int, x: float, y: float, z: float
) -> tuple[float, float, float]:
    """A point of the world in the opening frame of a piece, from its centre."""
    q = asm.orientation[a]
    u, v, w = rotate_by(
        -q[0], -q[1], -q[2], q[3], x - asm.position[a, 0], y - asm.position[a, 1], z - asm.position[a, 2]
    )
    c = pieces.rest_center[p]
    return u + asm.rest_center[a, 0] - c[0], v + asm.rest_center[a, 1] - c[1], w + asm.rest_center[a, 2] - c[2]


@kernel(inner=True)
def new_row(rows: Rows, count: int, point: int, shape: int, face: int, slot: int, friction: float) -> None:
    """A row with nothing on it yet but these."""
    for k in range(MOST_VERTICES):
        rows.vertex[count, k], rows.weight[count, k] = -1, 0.0
    rows.slot[count], rows.tie[count], rows.active[count] = slot, -1, 1
    rows.shape[count], rows.face[count], rows.point[count] = shape, face, point
    rows.lies[count], rows.behind[count] = -1, 0
    rows.friction[count], rows.tangential[count], rows.force[count] = friction, 0.0, 0.0
    rows.passing[count, :] = 0.0
    rows.arm[count, :] = 0.0


@kernel(inner=True)
def ground_rows(
    points: PointTable,
    awake: Index,
    height: float,
    friction: float,
    x: Array,
    way: Array,
    solved: int,
    made: Flags,
    rows: Rows,
    count: int,
) -> int:
    """Rows of points of bodies that would go into the ground; returns how many rows there are then.

    awake  : (n,) int64, the bodies
    way    : (C, 3) float64, [m], where points would go in the step
    solved : int, 0 where that is by themselves; 1 where a solution says so: then rows are added that are not there yet
    made   : (C,) uint8, whether there is a row of a point in this step
    """
    for b in awake:
        for i in range(points.first[b], points.first[b + 1]):
            if solved == 0:
                made[i] = 0
            elif made[i]:
                continue
            gap = x[i, 1] - points.radius[i] - height
            end = gap + (way[i, 1] if solved == 1 else min(way[i, 1], 0.0))
            pressed = end < -solved * TOLERATED * points.radius[i]
            if pressed and not points.held[i] and not points.between[i] and count < len(rows.gap):
                new_row(rows, count, i, GROUND, -1, -1, np.sqrt(friction * points.friction[i]))
                _of_point(points, i, rows, count)
                rows.normal[count, 0], rows.normal[count, 1], rows.normal[count, 2] = 0.0, 1.0, 0.0
                rows.gap[count] = gap
                made[i] = 1
                count += 1
    return count


@kernel(inner=True)
def hull_rows(look: Look, touch_shape: Index, touch_face: Index, rows: Rows, count: int) -> int:
    """Rows of points that would go into hulls; returns how many rows there are then.

    touch_shape : (C,) int32, what each touched in the last step; touch_face (C,) int32
    """
    points, near, hulls, pieces, bodies, _, x, way, _, _, solved, inner = look
    for k in range(min(near.found[0], len(near.point))):
        i, s = near.point[k], near.shape[k]
        if solved == 0:
            near.made[k] = 0
        if count == len(rows.gap) or points.held[i] == Held.FOLLOWS or near.made[k]:
            continue
        p = hulls.piece[s]
        a = bodies.piece_assembly[p]
        ux, uy, uz, free = _goes(look, a, x[i, 0], x[i, 1], x[i, 2])
        if points.held[i] and not free:
            continue  # neither gives way
        lx, ly, lz = into(bodies.assemblies, a, pieces, p, x[i, 0], x[i, 1], x[i, 2])
        wx, wy, wz = way[i, 0] - ux, way[i, 1] - uy, way[i, 2] - uz
        size = hulls.bound[s] + points.radius[i]
        travel, leaves = np.sqrt(wx * wx + wy * wy + wz * wz), False
        if lx * lx + ly * ly + lz * lz > (size + travel) ** 2:
            continue
        q = bodies.assemblies.orientation[a]
        wx, wy, wz = rotate_by(-q[0], -q[1], -q[2], q[3], wx, wy, wz)
        if hulls.face_start[s + 1] == hulls.face_start[s]:  # a ball
            far = np.sqrt(lx * lx + ly * ly + lz * lz)
            if far < 1e-12:
                continue
            face, nx, ny, nz = 0, lx / far, ly / far, lz / far
            gap = far - hulls.radius[s] - points.radius[i]
            if gap + nx * wx + ny * wy + nz * wz >= 0.0:
                # past it within the step: where it comes nearest
                t = -(lx * wx + ly * wy + lz * wz) / max(travel * travel, 1e-300)
                cx, cy, cz = lx + t * wx, ly + t * wy, lz + t * wz
                if t <= 0.0 or t >= 1.0 or gap < 0.0 or cx * cx + cy * cy + cz * cz >= (far - gap) ** 2:
                    leaves = touch_shape[i] == s  # what pulls on it may bring it back to what it touches
                    if not leaves:
                        continue
        elif hulls.face_start[s + 1] - hulls.face_start[s] == 1:
            side, gap = cross_triangle(hulls, s, points.radius[i], lx, ly, lz, wx, wy, wz)
            if side == 0:
                continue
            face = hulls.face_start[s]
            nx, ny, nz = side * hulls.normals[face, 0], side * hulls.normals[face, 1], side * hulls.normals[face, 2]
        else:
            known = touch_face[i] if touch_shape[i] == s else -1
            face, gap = cross_hull(
                hulls, inner, bodies.piece_assembly, s, points.radius[i], known, lx, ly, lz, wx, wy, wz
            )
            if face < 0 and known >= 0:  # it would leave what it touched: what pulls on it may bring it back
                face, leaves = known, True
                f, o = hulls.normals[face], hulls.vertices[hulls.ring[hulls.ring_start[face]]]
                gap = f[0] * (lx - o[0]) + f[1] * (ly - o[1]) + f[2] * (lz - o[2])
                gap -= hulls.radius[s] + points.radius[i]
            if face < 0:
                continue
            nx, ny, nz = hulls.normals[face, 0], hulls.normals[face, 1], hulls.normals[face, 2]
        end = gap + nx * wx + ny * wy + nz * wz
        if solved == 1 and (leaves or (end < 0.0 and end > -TOLERATED * points.radius[i])):
            continue
        near.made[k] = 1
        new_row(rows, count, i, s, face, a if free else -1, np.sqrt(pieces.friction[p] * points.friction[i]))
        _of_point(points, i, rows, count)
        nx, ny, nz = rotate_by(q[0], q[1], q[2], q[3], nx, ny, nz)
        n = rows.normal[count]
        n[0], n[1], n[2] = nx, ny, nz
        rows.gap[count] = gap
        if leaves and travel > STAYS * points.edge[i]:
            rows.active[count] = 0
        if free:
            o, c = rows.arm[count], bodies.assemblies.position[a]
            for d in range(3):
                o[d] = x[i, d] - points.radius[i] * n[d] - c[d]
        else:
            o = rows.passing[count]
            o[0], o[1], o[2] = ux, uy, uz
        count += 1
    return count


@kernel(inner=True)
def passing(bodies: Bodies, a: int, h: float, x: float, y: float, z: float) -> tuple[float, float, float, bool]:
    """How a point of an assembly moves by itself in a step [m], and whether forces move it."""
    asm = bodies.assemblies
    v, w, c = asm.velocity[a], asm.angular_velocity[a], asm.position[a]
    if bodies.inv_mass[a] == 0.0 and (asm.motion[a] == Motion.FIXED or asm.asleep[a]):
        return 0.0, 0.0, 0.0, False
    rx, ry, rz = x - c[0], y - c[1], z - c[2]
    return (
        h * (v[0] + w[1] * rz - w[2] * ry),
        h * (v[1] + w[2] * rx - w[0] * rz),
        h * (v[2] + w[0] * ry - w[1] * rx),
        bodies.inv_mass[a] > 0.0,
    )


@kernel(inner=True)
def _goes(look: Look, a: int, x: float, y: float, z: float) -> tuple[float, float, float, bool]:
    """As passing, where a solution says how assemblies go, by that."""
    ux, uy, uz, free = passing(look.bodies, a, look.h, x, y, z)
    place = look.slots.place[a]
    if look.solved == 1 and free and place >= 0:
        m, c = look.moved[place], look.bodies.assemblies.position[a]
        rx, ry, rz = x - c[0], y - c[1], z - c[2]
        ux, uy, uz = m[0] + m[4] * rz - m[5] * ry, m[1] + m[5] * rx - m[3] * rz, m[2] + m[3] * ry - m[4] * rx
    return ux, uy, uz, free


@kernel(inner=True)
def _has_row(rows: Rows, count: int, vertex: int, other: int, s: int) -> bool:
    """Whether an edge has a row with a hull."""
    for c in range(count):
        if rows.vertex[c, 0] == vertex and rows.vertex[c, 1] == other and rows.shape[c] == s and rows.face[c] < 0:
            return True
    return False


@kernel(inner=True)
def edge_rows(look: Look, pattern: BlockPattern, touch_shape: Index, rows: Rows, count: int) -> int:
    """Rows of edges that would cut off edges of hulls, found at the end of the step; returns how many there are then.
    Those that lie on what an end of theirs touched in the last step have one already where they are near it: what pulls
    on them may bring them back.

    pattern     : of which the blocks of vertices are the edges
    touch_shape : (C,) int32, what each point touched in the last step
    """
    points, near, hulls, pieces, bodies, _, x, way = look[:8]
    n = min(near.found[0], len(near.point))
    for k in range(n):
        i, s = near.point[k], near.shape[k]
        if hulls.face_start[s + 1] - hulls.face_start[s] < 4 or points.vertex[i, 1] >= 0:
            continue
        p = hulls.piece[s]
        a = bodies.piece_assembly[p]
        q = bodies.assemblies.orientation[a]
        ux, uy, uz, free = _goes(look, a, x[i, 0], x[i, 1], x[i, 2])
        ax, ay, az = into(
            bodies.assemblies,
            a,
            pieces,
            p,
            x[i, 0] + way[i, 0] - ux,
            x[i, 1] + way[i, 1] - uy,
            x[i, 2] + way[i, 2] - uz,
        )
        vertex = points.vertex[i, 0]
        for e in range(pattern.start[vertex] + 1, pattern.start[vertex + 1]):
            other = pattern.column[e]
            j = points.of[other]
            if count == len(rows.gap) or (points.held[i] and points.held[j] and not free):
                continue
            if points.tied[j] == pieces.body[p]:
                continue
            ux, uy, uz, free = _goes(look, a, x[j, 0], x[j, 1], x[j, 2])
            bx, by, bz = into(
                bodies.assemblies,
                a,
                pieces,
                p,
                x[j, 0] + way[j, 0] - ux,
                x[j, 1] + way[j, 1] - uy,
                x[j, 2] + way[j, 2] - uz,
            )
            ex, ey, ez = bx - ax, by - ay, bz - az
            mx, my, mz = ax + 0.5 * ex, ay + 0.5 * ey, az + 0.5 * ez
            lies = touch_shape[i] == s or touch_shape[j] == s
            room = points.radius[i] * (1.0 - TOLERATED if look.solved == 1 else 1.0 + LIES * lies)
            reach = hulls.bound[s] + room + 0.5 * np.sqrt(ex * ex + ey * ey + ez * ez)
            if mx * mx + my * my + mz * mz > reach * reach:
                continue
            f, g, t = edge_across(hulls, s, room, ax, ay, az, ex, ey, ez)
            if f < 0 or t < 0.02 or t > 0.98 or (look.solved == 1 and _has_row(rows, count, vertex, other, s)):
                continue
            joined = bodies.piece_assembly
            if leads_inside(look.inner, hulls, joined, s, f) or leads_inside(look.inner, hulls, joined, s, g):
                continue  # the pieces beside have it on them, by its vertices
            nf, ng = hulls.normals[f], hulls.normals[g]
            sf = -(nf[0] * ex + nf[1] * ey + nf[2] * ez)
            sg = ng[0] * ex + ng[1] * ey + ng[2] * ez
            wf, wg = sg / (sf + sg), sf / (sf + sg)
            nx, ny, nz = wf * nf[0] + wg * ng[0], wf * nf[1] + wg * ng[1], wf * nf[2] + wg * ng[2]
            long = np.sqrt(nx * nx + ny * ny + nz * nz)
            if long < 0.1:
                continue  # two sides of something thin
            new_row(rows, count, i, s, -1, a if free else -1, np.sqrt(pieces.friction[p] * points.friction[i]))
            rows.vertex[count, 0], rows.vertex[count, 1] = vertex, other
            rows.weight[count, 0], rows.weight[count, 1] = 1.0 - t, t
            cx, cy, cz = (
                (1.0 - t) * x[i, 0] + t * x[j, 0],
                (1.0 - t) * x[i, 1] + t * x[j, 1],
                (1.0 - t) * x[i, 2] + t * x[j, 2],
            )
            lx, ly, lz = into(bodies.assemblies, a, pieces, p, cx, cy, cz)
            o = hulls.vertices[hulls.ring[hulls.ring_start[f]]]
            df = nf[0] * (lx - o[0]) + nf[1] * (ly - o[1]) + nf[2] * (lz - o[2])
            o = hulls.vertices[hulls.ring[hulls.ring_start[g]]]
            dg = ng[0] * (lx - o[0]) + ng[1] * (ly - o[1]) + ng[2] * (lz - o[2])
            rows.gap[count] = (wf * df + wg * dg) / long - hulls.radius[s] - points.radius[i]
            if rows.gap[count] < 0.0 and nearer_out(hulls, s, f, g, rows.gap[count] + points.radius[i], lx, ly, lz):
                continue  # it did not come in that way
            nx, ny, nz = rotate_by(q[0], q[1], q[2], q[3], nx / long, ny / long, nz / long)
            m = rows.normal[count]
            m[0], m[1], m[2] = nx, ny, nz
            if free:
                c = bodies.assemblies.position[a]
                o = rows.arm[count]
                o[0], o[1], o[2] = cx - c[0], cy - c[1], cz - c[2]
            else:
                ux, uy, uz, free = _goes(look, a, cx, cy, cz)
                o = rows.passing[count]
                o[0], o[1], o[2] = ux, uy, uz
            count += 1
    return count
