"""Assemblies: which pieces move together, their mass, and how one comes apart.

Momentum and angular momentum are kept by a split: every part gets v + w x r of its own centre.
"""

from __future__ import annotations

import numpy as np

from ...kernels import kernel
from ..model import BondTable, PieceTable
from ..state import Assemblies, Contacts


@kernel
def rotation(q, out):
    """Rotation matrix (3, 3) of a unit quaternion x, y, z, w."""
    x, y, z, w = q[0], q[1], q[2], q[3]
    out[0, 0] = 1 - 2 * (y * y + z * z)
    out[0, 1] = 2 * (x * y - z * w)
    out[0, 2] = 2 * (x * z + y * w)
    out[1, 0] = 2 * (x * y + z * w)
    out[1, 1] = 1 - 2 * (x * x + z * z)
    out[1, 2] = 2 * (y * z - x * w)
    out[2, 0] = 2 * (x * z - y * w)
    out[2, 1] = 2 * (y * z + x * w)
    out[2, 2] = 1 - 2 * (x * x + y * y)


@kernel
def root(parent, i):
    """The lowest slot that stands for i in a forest of parents; shortens the way it went."""
    while parent[i] != i:
        parent[i] = parent[parent[i]]
        i = parent[i]
    return i


@kernel
def join(parent, i, j):
    """Let the lower slot of two forests stand for both."""
    i, j = root(parent, i), root(parent, j)
    if i != j:
        parent[max(i, j)] = min(i, j)


@kernel(inner=True)
def _invert3(m, out):
    a, b, c = m[0, 0], m[0, 1], m[0, 2]
    d, e, f = m[1, 0], m[1, 1], m[1, 2]
    g, h, i = m[2, 0], m[2, 1], m[2, 2]
    det = a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g)
    out[0, 0], out[0, 1], out[0, 2] = (e * i - f * h) / det, (c * h - b * i) / det, (b * f - c * e) / det
    out[1, 0], out[1, 1], out[1, 2] = (f * g - d * i) / det, (a * i - c * g) / det, (c * d - a * f) / det
    out[2, 0], out[2, 1], out[2, 2] = (d * h - e * g) / det, (b * g - a * h) / det, (a * e - b * d) / det


@kernel(allocates=True, inner=True)
def _gather(members, n, pieces: PieceTable, reach, asm: Assemblies):
    """Fill the slot of the lowest member with the joined mass properties of members[:n] (ascending)."""
    slot = members[0]
    total, falling = 0.0, 0.0
    center = np.zeros(3)
    held = 0
    for k in range(n):
        p = members[k]
        total += pieces.mass[p]
        falling += pieces.mass[p] * pieces.fall[p]
        center += pieces.mass[p] * pieces.rest[p]
        if pieces.held[p]:
            held = 1
    center /= total
    inertia = asm.inertia[slot]
    inertia[:, :] = 0.0
    radius = 0.0
    for k in range(n):
        p = members[k]
        r = pieces.rest[p] - center
        rr = r[0] * r[0] + r[1] * r[1] + r[2] * r[2]
        radius = max(radius, np.sqrt(rr) + reach[p])
        m = pieces.mass[p]
        for i in range(3):
            for j in range(3):
                inertia[i, j] += pieces.inertia[p, i, j] - m * r[i] * r[j]
            inertia[i, i] += m * rr
    _invert3(inertia, asm.inv_inertia[slot])
    asm.mass[slot] = total
    asm.fall[slot] = falling / total
    asm.inv_mass[slot] = 0.0 if held else 1.0 / total
    if held:
        asm.inv_inertia[slot][:, :] = 0.0
    for c in range(3):
        asm.rest[slot, c] = center[c]
    asm.radius[slot] = radius
    asm.pieces[slot] = n
    asm.alive[slot] = 1
    asm.held[slot] = held
    asm.asleep[slot] = 0
    asm.calm[slot] = 1.0e3
    asm.still[slot] = 0.0
    asm.slip[slot] = 0.0
    asm.dwell[slot] = 0.0
    asm.age[slot] = 0.0
    asm.island[slot] = -1
    return slot


@kernel(inner=True)
def _ascending(label, mine, first, n, out):
    """The n pieces with this label, of which ``first`` is the lowest, into out."""
    found = 0
    p = first
    while found < n:
        if label[p] == mine:
            out[found] = p
            found += 1
        p += 1


@kernel(allocates=True)
def split(parent, pieces: PieceTable, bonds: BondTable, broken, reach, piece_asm, asm: Assemblies):
    """Part the assembly in slot ``parent`` into its connected parts; returns how many there are. What no longer holds a
    held piece is free.
    """
    count = len(piece_asm)
    members, queue = np.empty(asm.pieces[parent], np.int32), np.empty(asm.pieces[parent], np.int32)
    part = np.zeros(count, np.int32)  # from 1; 0 for pieces not reached yet
    p_pos, p_vel, p_spin = asm.pos[parent].copy(), asm.vel[parent].copy(), asm.spin[parent].copy()
    p_rot, p_rest = asm.rot[parent].copy(), asm.rest[parent].copy()
    size = asm.pieces[parent]
    was_held = asm.held[parent]
    m, arm = np.empty((3, 3)), np.empty(3)
    rotation(p_rot, m)
    parts = 0
    done = 0
    for first in range(parent, count):
        if piece_asm[first] != parent or part[first]:
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
                m[c, 0] * (asm.rest[slot, 0] - p_rest[0])
                + m[c, 1] * (asm.rest[slot, 1] - p_rest[1])
                + m[c, 2] * (asm.rest[slot, 2] - p_rest[2])
            )
            asm.pos[slot, c] = p_pos[c] + arm[c]
        for c in range(4):
            asm.rot[slot, c] = p_rot[c]
        if asm.held[slot] or was_held:
            asm.vel[slot] = 0.0
            asm.spin[slot] = 0.0
        else:
            asm.vel[slot, 0] = p_vel[0] + p_spin[1] * arm[2] - p_spin[2] * arm[1]
            asm.vel[slot, 1] = p_vel[1] + p_spin[2] * arm[0] - p_spin[0] * arm[2]
            asm.vel[slot, 2] = p_vel[2] + p_spin[0] * arm[1] - p_spin[1] * arm[0]
            for c in range(3):
                asm.spin[slot, c] = p_spin[c]
        if slot != parent:  # the parent's slot is its own lowest piece's: pieces found later still carry its number
            for k in range(n):
                piece_asm[members[k]] = slot
        if done == size:
            break
    return parts


@kernel
def wake(slot, asm: Assemblies):
    """Wake an assembly and, if it sleeps in an island, all of that island."""
    if not asm.asleep[slot]:
        return
    island = asm.island[slot]
    for a in range(len(asm.alive)):
        if asm.asleep[a] and asm.island[a] == island:
            asm.asleep[a] = 0
            asm.island[a] = -1
            asm.still[a] = 0.0
            asm.dwell[a] = 0.0
            asm.calm[a] = 1.0e3


@kernel
def wake_one(slot, asm: Assemblies):
    """Wake an assembly alone: what it sleeps against stays."""
    asm.asleep[slot] = 0
    asm.island[slot] = -1
    asm.still[slot] = 0.0
    asm.dwell[slot] = 0.0
    asm.calm[slot] = 1.0e3


@kernel
def wake_around(slot, shape_piece, piece_asm, con: Contacts, asm: Assemblies):
    """Wake whatever sleeps against an assembly that is about to change."""
    wake(np.int64(slot), asm)
    for k in range(len(con.a)):
        if con.b[k] < 0:
            continue
        a, b = piece_asm[shape_piece[con.a[k]]], piece_asm[shape_piece[con.b[k]]]
        if a == slot:
            wake(np.int64(b), asm)
        elif b == slot:
            wake(np.int64(a), asm)


def first_assemblies(
    pieces: PieceTable, bonds: BondTable, reach: np.ndarray, velocity: np.ndarray, spin: np.ndarray
) -> tuple[np.ndarray, Assemblies]:
    """Assemblies at the opening pose.

    velocity, spin : (P, 3) start values of each piece's body [m/s], [rad/s]; the spin is about the assembly's centre
    Returns piece_assembly (P,) and the slots
    """
    count = len(pieces.mass)
    slots = count + 1
    asm = Assemblies(
        np.zeros((slots, 3)),
        np.tile([0.0, 0, 0, 1], (slots, 1)),
        np.zeros((slots, 3)),
        np.zeros((slots, 3)),
        np.zeros((slots, 3)),
        np.zeros(slots),
        np.zeros(slots),
        np.zeros((slots, 3, 3)),
        np.zeros((slots, 3, 3)),
        np.zeros(slots),
        np.zeros(slots, np.uint8),
        np.zeros(slots, np.uint8),
        np.zeros(slots, np.uint8),
        np.zeros(slots, np.int32),
        np.zeros(slots),
        np.zeros(slots),
        np.zeros(slots),
        np.zeros((slots, 3)),
        np.zeros((slots, 4)),
        np.zeros(slots),
        np.zeros(slots),
        np.ones(slots),
        np.full(slots, -1, np.int32),
    )
    piece_asm = np.full(count, -1, np.int32)
    _label(pieces, bonds, reach, piece_asm, asm)
    asm.alive[count] = asm.held[count] = 1
    asm.age[count] = 1.0
    live = np.flatnonzero(asm.alive[:count])
    asm.pos[live] = asm.rest[live]
    free = live[asm.held[live] == 0]
    asm.vel[free] = velocity[free]
    asm.spin[free] = spin[free]
    return piece_asm, asm


@kernel(allocates=True)
def _label(pieces: PieceTable, bonds: BondTable, reach, piece_asm, asm: Assemblies):
    count = len(piece_asm)
    queue = np.empty(count, np.int32)
    for first in range(count):
        if piece_asm[first] >= 0:
            continue
        queue[0] = first
        piece_asm[first] = first
        head, tail = 0, 1
        while head < tail:
            p = queue[head]
            head += 1
            for k in range(bonds.link_start[p], bonds.link_start[p + 1]):
                q = bonds.piece[bonds.link[k], 0] + bonds.piece[bonds.link[k], 1] - p
                if piece_asm[q] < 0:
                    piece_asm[q] = first
                    queue[tail] = q
                    tail += 1
        _ascending(piece_asm, np.int64(first), np.int64(first), np.int64(tail), queue)
        _gather(queue, np.int64(tail), pieces, reach, asm)
