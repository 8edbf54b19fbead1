"""Broad phase: which pairs of shapes may touch within the next interval.

Sort and sweep over swept bounds (Cohen et al. 1995, doi 10.1145/199404.199437), along the axis where the pieces spread
most. Pairs of which neither is awake are not looked for: what they remember is carried along.
"""

from __future__ import annotations

from enum import IntEnum

import numpy as np

from ...arrays import Array, Flags, Index
from ...kernels import kernel
from ...kernels.linalg import quaternion_to_matrix
from ..model import GROUND, Hold, Hulls, Motion, PieceTable
from ..state import Assemblies
from .groups import Bodies, Scene, WorldShapes

CONTACT_MARGIN = 0.005
"""Contact margin at rest as a share of the piece's size."""

IMPACT_MARGIN = 0.03
"""By this share of its size the bounds of what can move are wider than where it is headed: an impact may send it
elsewhere."""

MOST_TURN = 2.0
"""Surfaces swing no further than by so many radians [rad], however far they turn: that is as wide as they are."""

TREE_DEPTH = 128
"""Room for nodes of a bounding-volume tree that wait to be visited."""


class Activity(IntEnum):
    """What a shape does as the broad phase sees it."""

    STILL = 0
    MOVING = 1
    ASLEEP = 2
    KINEMATIC = 3
    GONE = 4


ASLEEP_AND_KINEMATIC = int(Activity.ASLEEP) + int(Activity.KINEMATIC)


@kernel(inline=True)
def transform_shape(
    hulls: Hulls, pieces: PieceTable, asm: Assemblies, shape: int, slot: int, m: Array, world: WorldShapes
) -> None:
    """Vertices, face normals and piece's centre of one shape where its assembly is.

    m     : (3, 3) float64, rotation of the assembly
    world : written at the shape
    """
    p = hulls.piece[shape]
    for i in range(3):
        world.center[shape, i] = asm.position[slot, i]
        for j in range(3):
            world.center[shape, i] += m[i, j] * (pieces.rest_center[p, j] - asm.rest_center[slot, j])
    for v in range(hulls.vertex_start[shape], hulls.vertex_start[shape + 1]):
        x, y, z = hulls.vertices[v, 0], hulls.vertices[v, 1], hulls.vertices[v, 2]
        for i in range(3):
            world.vertices[v, i] = world.center[shape, i] + m[i, 0] * x + m[i, 1] * y + m[i, 2] * z
    for f in range(hulls.face_start[shape], hulls.face_start[shape + 1]):
        x, y, z = hulls.normals[f, 0], hulls.normals[f, 1], hulls.normals[f, 2]
        for i in range(3):
            world.normals[f, i] = m[i, 0] * x + m[i, 1] * y + m[i, 2] * z


@kernel(inner=True)
def sweep_bounds(scene: Scene, bodies: Bodies, world: WorldShapes, s: int, a: int, time: float) -> None:
    """Bounds of a placed shape s of assembly a, over a time [s] from now on."""
    hulls, pieces, settings, asm = scene.hulls, scene.pieces, scene.settings, bodies.assemblies
    lower, upper = world.lower, world.upper
    for k in range(3):
        lower[s, k] = np.inf
        upper[s, k] = -np.inf
    for v in range(hulls.vertex_start[s], hulls.vertex_start[s + 1]):
        for i in range(3):
            lower[s, i] = min(lower[s, i], world.vertices[v, i])
            upper[s, i] = max(upper[s, i], world.vertices[v, i])
    margin = IMPACT_MARGIN if asm.motion[a] == Motion.DYNAMIC else CONTACT_MARGIN
    grow = hulls.radius[s] + margin * pieces.size[hulls.piece[s]]
    w = asm.angular_velocity[a]
    turn = np.sqrt(w[0] ** 2 + w[1] ** 2 + w[2] ** 2)
    swing = min(turn * time, MOST_TURN) * (hulls.bound[s] + arm_of(world, asm, s, a))
    for k in range(3):
        fall = (abs(settings.gravity[k]) + abs(bodies.acceleration[a, k])) * time * time
        d = asm.velocity[a, k] * time
        lower[s, k] += min(d, 0.0) - grow - swing - fall
        upper[s, k] += max(d, 0.0) + grow + swing + fall


@kernel(inline=True)
def arm_of(world: WorldShapes, asm: Assemblies, s: int, a: int) -> float:
    """How far the centre of a placed shape's piece is from that of its assembly [m]."""
    return np.sqrt(
        (world.center[s, 0] - asm.position[a, 0]) ** 2
        + (world.center[s, 1] - asm.position[a, 1]) ** 2
        + (world.center[s, 2] - asm.position[a, 2]) ** 2
    )


@kernel(inner=True)
def update_shapes(scene: Scene, bodies: Bodies, world: WorldShapes, everything: int, m: Array) -> None:
    """Place all shapes that may have moved, and sweep their bounds over the interval.

    everything : int, 1 where what is fixed or asleep must be placed too
    m          : (3, 3) float64, scratch
    """
    hulls, pieces, settings, asm = scene.hulls, scene.pieces, scene.settings, bodies.assemblies
    for s in range(len(hulls.piece)):
        p = hulls.piece[s]
        a = bodies.piece_assembly[p]
        if not everything and (asm.motion[a] == Motion.FIXED or asm.asleep[a]):
            continue
        quaternion_to_matrix(asm.orientation[a], m)
        transform_shape(hulls, pieces, asm, s, a, m, world)
        sweep_bounds(scene, bodies, world, s, a, settings.interval)


@kernel(inner=True)
def widest_axis(lower: Array, shapes: int) -> int:
    """The axis along which the lower bounds of the first so many shapes spread most.

    lower : (S, 3) float64, [m]
    """
    best, most = 0, -np.inf
    for c in range(3):
        low, high = np.inf, -np.inf
        for s in range(shapes):
            low, high = min(low, lower[s, c]), max(high, lower[s, c])
        if high - low > most:
            best, most = c, high - low
    return best


@kernel(inner=True)
def sort_along(lower: Array, axis: int, order: Index) -> None:
    """Insertion sort of the shapes by their lower bounds along an axis, equals by their numbers. What was in order
    before is put right in as many steps as shapes have passed each other since.

    lower : (S, 3) float64, [m]
    order : (n,) int32, shapes, in place
    """
    for i in range(1, len(order)):
        s = order[i]
        at = lower[s, axis]
        j = i - 1
        while j >= 0 and (lower[order[j], axis] > at or lower[order[j], axis] == at and order[j] > s):
            order[j + 1] = order[j]
            j -= 1
        order[j + 1] = s


@kernel(inner=True)
def find_pairs(
    scene: Scene,
    bodies: Bodies,
    world: WorldShapes,
    axis: int,
    order: Index,
    activity: Flags,
    out_a: Index,
    out_b: Index,
) -> int:
    """Pairs with overlapping bounds, of which one is awake, or one asleep and the other kinematic.

    order        : (n,) int32, all shapes but the triangles of meshes, sorted along the axis
    activity     : (n,) uint8, scratch
    out_a, out_b : (room,) int32, shapes; GROUND as the second for the ground
    Returns      : how many were found, which may exceed the room: then nothing beyond it is written
    """
    count = _hull_pairs(scene, bodies, world, axis, order, activity, out_a, out_b)
    for x in range(len(scene.meshes.piece)):
        count = _mesh_pairs(scene, bodies, world, x, activity, out_a, out_b, count)
    return count


@kernel(inner=True)
def _classify(scene: Scene, bodies: Bodies, activity: Flags) -> None:
    """What each shape does, Activity, into activity (n,) uint8."""
    asm = bodies.assemblies
    for s in range(len(activity)):
        p = scene.hulls.piece[s]
        a = bodies.piece_assembly[p]
        if scene.pieces.hold[p] == Hold.REMOVED:
            activity[s] = Activity.GONE
        elif asm.motion[a] == Motion.KINEMATIC:
            activity[s] = Activity.KINEMATIC
        elif asm.motion[a] == Motion.FIXED:
            activity[s] = Activity.STILL
        elif asm.asleep[a]:
            activity[s] = Activity.ASLEEP
        else:
            activity[s] = Activity.MOVING


@kernel(inner=True)
def _hull_pairs(
    scene: Scene,
    bodies: Bodies,
    world: WorldShapes,
    axis: int,
    order: Index,
    activity: Flags,
    out_a: Index,
    out_b: Index,
) -> int:
    """Pairs of hulls, and of these with the ground; arguments as ``find_pairs``."""
    hulls, settings, lower, upper = scene.hulls, scene.settings, world.lower, world.upper
    count = 0
    room = len(out_a)
    shapes = len(order)
    ax1, ax2 = (axis + 1) % 3, (axis + 2) % 3
    _classify(scene, bodies, activity)
    if settings.ground_on:
        for s in range(shapes):
            if activity[s] == Activity.MOVING and lower[s, 1] < settings.ground_height:
                if count < room:
                    out_a[count] = s
                    out_b[count] = GROUND
                count += 1
    for i in range(shapes):
        s = order[i]
        end = upper[s, axis]
        does_s = activity[s]
        slot_s = bodies.piece_assembly[hulls.piece[s]]
        for j in range(i + 1, shapes):
            t = order[j]
            if lower[t, axis] > end:
                break
            does_t = activity[t]
            if does_s == Activity.GONE or does_t == Activity.GONE:
                continue
            if does_s != Activity.MOVING and does_t != Activity.MOVING and does_s + does_t != ASLEEP_AND_KINEMATIC:
                continue
            if lower[t, ax1] > upper[s, ax1] or upper[t, ax1] < lower[s, ax1]:
                continue
            if lower[t, ax2] > upper[s, ax2] or upper[t, ax2] < lower[s, ax2]:
                continue
            if bodies.piece_assembly[hulls.piece[t]] == slot_s:
                continue
            if uncollided(scene.uncollided, scene.pieces.body[hulls.piece[s]], scene.pieces.body[hulls.piece[t]]):
                continue
            if count < room:
                out_a[count] = min(s, t)
                out_b[count] = max(s, t)
            count += 1
    return count


@kernel(inner=True)
def uncollided(pairs: Index, a: int, b: int) -> bool:
    """Whether two bodies do not touch, since a tie joins them, as the (n, 2) pairs do that are joined so."""
    for k in range(len(pairs)):
        if (pairs[k, 0] == a and pairs[k, 1] == b) or (pairs[k, 0] == b and pairs[k, 1] == a):
            return True
    return False


@kernel(inner=True)
def overlap(lower: Array, upper: Array, s: int, t: int) -> bool:
    """Whether the bounds of two shapes overlap."""
    for c in range(3):
        if lower[t, c] > upper[s, c] or upper[t, c] < lower[s, c]:
            return False
    return True


@kernel(inner=True)
def _mesh_pairs(
    scene: Scene, bodies: Bodies, world: WorldShapes, x: int, activity: Flags, out_a: Index, out_b: Index, count: int
) -> int:
    """Pairs of the triangles of mesh x with the shapes whose bounds meet theirs; ``count`` were found."""
    kinematic = bodies.assemblies.motion[bodies.piece_assembly[scene.meshes.piece[x]]] == Motion.KINEMATIC
    for s in range(len(activity)):
        if activity[s] == Activity.MOVING or (kinematic and activity[s] == Activity.ASLEEP):
            count = triangles_near(scene, bodies, world, x, s, out_a, out_b, count)
    return count


@kernel(allocates=True, inner=True)
def triangles_near(
    scene: Scene, bodies: Bodies, world: WorldShapes, x: int, s: int, out_a: Index, out_b: Index, count: int
) -> int:
    """Pairs of a shape s with the triangles of mesh x whose bounds meet its own, by the tree of the mesh; ``count``
    were found before, and beyond the room of out_a nothing is written.
    """
    hulls, pieces, meshes, asm = scene.hulls, scene.pieces, scene.meshes, bodies.assemblies
    piece = meshes.piece[x]
    if uncollided(scene.uncollided, pieces.body[hulls.piece[s]], pieces.body[piece]):
        return count
    a = bodies.piece_assembly[piece]
    m = np.empty((3, 3))
    quaternion_to_matrix(asm.orientation[a], m)
    stack = np.empty(TREE_DEPTH, np.int32)
    mid, half, low, high = np.empty(3), np.empty(3), np.empty(3), np.empty(3)
    for c in range(3):
        center = asm.position[a, c]
        for d in range(3):
            center += m[c, d] * (pieces.rest_center[piece, d] - asm.rest_center[a, d])
        mid[c] = 0.5 * (world.lower[s, c] + world.upper[s, c]) - center
        half[c] = 0.5 * (world.upper[s, c] - world.lower[s, c])
    for c in range(3):
        at = m[0, c] * mid[0] + m[1, c] * mid[1] + m[2, c] * mid[2]
        reach = abs(m[0, c]) * half[0] + abs(m[1, c]) * half[1] + abs(m[2, c]) * half[2]
        low[c], high[c] = at - reach, at + reach
    stack[0] = meshes.root[x]
    top = 1
    while top > 0:
        top -= 1
        n = stack[top]
        apart = False
        for c in range(3):
            if meshes.lower[n, c] > high[c] or meshes.upper[n, c] < low[c]:
                apart = True
        if apart:
            continue
        if meshes.child[n] >= 0:
            stack[top] = meshes.child[n]
            stack[top + 1] = meshes.child[n] + 1
            top += 2
            continue
        for k in range(meshes.start[n], meshes.start[n] + meshes.triangle_count[n]):
            t = meshes.order[k]
            if not overlap(world.lower, world.upper, s, t):
                continue
            if count < len(out_a):
                out_a[count] = s
                out_b[count] = t
            count += 1
    return count
