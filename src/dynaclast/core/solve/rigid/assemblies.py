"""Assemblies: which pieces move together, their mass, and how one comes apart.

Momentum and angular momentum are kept by a split: every part gets v + w x r of its own centre.
"""

from __future__ import annotations

import numpy as np

from ...arrays import Array, Flags, Index, allocate
from ...kernels import kernel
from ...kernels.linalg import invert_3x3, quaternion_to_matrix
from ..model import BondTable, Hold, Motion, PieceTable
from ..state import NOT_MEASURED, Assemblies, ContactCache


@kernel(allocates=True, inner=True)
def _gather(members: Index, n: int, pieces: PieceTable, reach: Array, asm: Assemblies) -> int:
    """Fill the slot of the lowest member with the joined mass properties of the first n members, which ascend.

    members : (>= n,) int32, pieces
    reach   : (P,) float64, [m], farthest surface point of each piece from its centre
    Returns : the slot
    """
    slot = members[0]
    total, falling = 0.0, 0.0
    center = np.zeros(3)
    held = False
    for k in range(n):
        p = members[k]
        total += pieces.mass[p]
        falling += pieces.mass[p] * pieces.gravity_scale[p]
        center += pieces.mass[p] * pieces.rest_center[p]
        if pieces.hold[p] != Hold.FREE:
            held = True
    center /= total
    inertia = asm.inertia[slot]
    inertia[:, :] = 0.0
    radius = 0.0
    for k in range(n):
        p = members[k]
        r = pieces.rest_center[p] - center
        rr = r[0] * r[0] + r[1] * r[1] + r[2] * r[2]
        radius = max(radius, np.sqrt(rr) + reach[p])
        m = pieces.mass[p]
        for i in range(3):
            for j in range(3):
                inertia[i, j] += pieces.inertia[p, i, j] - m * r[i] * r[j]
            inertia[i, i] += m * rr
    invert_3x3(inertia, asm.inv_inertia[slot])
    asm.mass[slot] = total
    asm.gravity_scale[slot] = falling / total
    asm.inv_mass[slot] = 0.0 if held else 1.0 / total
    if held:
        asm.inv_inertia[slot][:, :] = 0.0
    for c in range(3):
        asm.rest_center[slot, c] = center[c]
    asm.radius[slot] = radius
    asm.piece_count[slot] = n
    asm.alive[slot] = 1
    asm.motion[slot] = Motion.FIXED if held else Motion.DYNAMIC
    asm.asleep[slot] = 0
    asm.mean_speed[slot] = NOT_MEASURED
    asm.dwell_time[slot] = 0.0
    asm.age[slot] = 0.0
    asm.sleep_island[slot] = -1
    return slot


@kernel(inner=True)
def _ascending(label: Index, mine: int, first: int, n: int, out: Index) -> None:
    """The n pieces with the label ``mine``, of which ``first`` is the lowest, into out."""
    found = 0
    p = first
    while found < n:
        if label[p] == mine:
            out[found] = p
            found += 1
        p += 1


@kernel(allocates=True)
def split(
    parent: int,
    pieces: PieceTable,
    bonds: BondTable,
    broken: Flags,
    reach: Array,
    piece_assembly: Index,
    asm: Assemblies,
) -> int:
    """Part the assembly in slot ``parent`` into its connected parts; returns how many there are. What no longer holds a
    held piece is free.
    """
    count = len(piece_assembly)
    members, queue = np.empty(asm.piece_count[parent], np.int32), np.empty(asm.piece_count[parent], np.int32)
    part = np.zeros(count, np.int32)  # from 1; 0 for pieces not reached yet
    p_pos, p_vel, p_spin = asm.position[parent].copy(), asm.velocity[parent].copy(), asm.angular_velocity[parent].copy()
    p_rot, p_rest = asm.orientation[parent].copy(), asm.rest_center[parent].copy()
    size = asm.piece_count[parent]
    was_held = asm.motion[parent] != Motion.DYNAMIC
    m, arm = np.empty((3, 3)), np.empty(3)
    quaternion_to_matrix(p_rot, m)
    parts = 0
    done = 0
    for first in range(parent, count):
        if piece_assembly[first] != parent or part[first]:
            continue
        head = 0
        queue[0] = first
        tail = 1
        part[first] = parts + 1
        while head < tail:
            p = queue[head]
            head += 1
            for k in range(bonds.link_start[p], bonds.link_start[p + 1]):
                b = bonds.link[k]
                if broken[b]:
                    continue
                q = bonds.piece[b, 0] + bonds.piece[b, 1] - p
                if not part[q]:
                    part[q] = parts + 1
                    queue[tail] = q
                    tail += 1
        n = tail
        done += n
        if n == size and not was_held:
            return 1
        parts += 1
        _ascending(part, np.int64(parts), np.int64(first), np.int64(n), members)
        slot = _gather(members, np.int64(n), pieces, reach, asm)
        for c in range(3):
            arm[c] = (
                m[c, 0] * (asm.rest_center[slot, 0] - p_rest[0])
                + m[c, 1] * (asm.rest_center[slot, 1] - p_rest[1])
                + m[c, 2] * (asm.rest_center[slot, 2] - p_rest[2])
            )
            asm.position[slot, c] = p_pos[c] + arm[c]
        for c in range(4):
            asm.orientation[slot, c] = p_rot[c]
        if asm.motion[slot] != Motion.DYNAMIC or was_held:
            asm.velocity[slot] = 0.0
            asm.angular_velocity[slot] = 0.0
        else:
            asm.velocity[slot, 0] = p_vel[0] + p_spin[1] * arm[2] - p_spin[2] * arm[1]
            asm.velocity[slot, 1] = p_vel[1] + p_spin[2] * arm[0] - p_spin[0] * arm[2]
            asm.velocity[slot, 2] = p_vel[2] + p_spin[0] * arm[1] - p_spin[1] * arm[0]
            for c in range(3):
                asm.angular_velocity[slot, c] = p_spin[c]
        if slot != parent:  # the parent's slot is its own lowest piece's: pieces found later still carry its number
            for k in range(n):
                piece_assembly[members[k]] = slot
        if done == size:
            break
    return parts


@kernel
def wake(slot: int, asm: Assemblies) -> None:
    """Wake an assembly and, if it sleeps in an island, all of that island."""
    if not asm.asleep[slot]:
        return
    island = asm.sleep_island[slot]
    for a in range(len(asm.alive)):
        if asm.asleep[a] and asm.sleep_island[a] == island:
            asm.asleep[a] = 0
            asm.sleep_island[a] = -1
            asm.dwell_time[a] = 0.0
            asm.mean_speed[a] = NOT_MEASURED


@kernel
def wake_one(slot: int, asm: Assemblies) -> None:
    """Wake an assembly alone: what it sleeps against stays."""
    asm.asleep[slot] = 0
    asm.sleep_island[slot] = -1
    asm.dwell_time[slot] = 0.0
    asm.mean_speed[slot] = NOT_MEASURED


@kernel
def wake_around(slot: int, shape_piece: Index, piece_assembly: Index, cache: ContactCache, asm: Assemblies) -> None:
    """Wake whatever sleeps against an assembly that is about to change."""
    wake(np.int64(slot), asm)
    for k in range(len(cache.shape_a)):
        if cache.shape_b[k] < 0:
            continue
        a, b = piece_assembly[shape_piece[cache.shape_a[k]]], piece_assembly[shape_piece[cache.shape_b[k]]]
        if a == slot:
            wake(np.int64(b), asm)
        elif b == slot:
            wake(np.int64(a), asm)


def first_assemblies(
    pieces: PieceTable, bonds: BondTable, reach: Array, velocity: Array, angular_velocity: Array
) -> tuple[Index, Assemblies]:
    """Assemblies at the opening pose.

    reach            : (P,) float64, [m], farthest surface point of each piece from its centre
    velocity         : (P, 3) float64, [m/s], of each piece's body at the start
    angular_velocity : (P, 3) float64, [rad/s], likewise, about the assembly's centre
    Returns          : (P,) int32, slot of each piece, and the slots
    """
    count = len(pieces.mass)
    asm = allocate(Assemblies, count + 1)
    asm.orientation[:, 3] = 1.0
    asm.gravity_scale[:] = 1.0
    asm.sleep_island[:] = -1
    piece_assembly = np.full(count, -1, np.int32)
    _label(pieces, bonds, reach, piece_assembly, asm)
    asm.alive[count], asm.motion[count], asm.age[count] = 1, Motion.FIXED, 1.0
    alive = np.flatnonzero(asm.alive[:count])
    asm.position[alive] = asm.rest_center[alive]
    free = alive[asm.motion[alive] == Motion.DYNAMIC]
    asm.velocity[free] = velocity[free]
    asm.angular_velocity[free] = angular_velocity[free]
    return piece_assembly, asm


@kernel(allocates=True)
def _label(pieces: PieceTable, bonds: BondTable, reach: Array, piece_assembly: Index, asm: Assemblies) -> None:
    """Number the connected parts of all pieces, and gather their assemblies."""
    count = len(piece_assembly)
    queue = np.empty(count, np.int32)
    for first in range(count):
        if piece_assembly[first] >= 0:
            continue
        queue[0] = first
        piece_assembly[first] = first
        head, tail = 0, 1
        while head < tail:
            p = queue[head]
            head += 1
            for k in range(bonds.link_start[p], bonds.link_start[p + 1]):
                q = bonds.piece[bonds.link[k], 0] + bonds.piece[bonds.link[k], 1] - p
                if piece_assembly[q] < 0:
                    piece_assembly[q] = first
                    queue[tail] = q
                    tail += 1
        _ascending(piece_assembly, np.int64(first), np.int64(first), np.int64(tail), queue)
        _gather(queue, np.int64(tail), pieces, reach, asm)
