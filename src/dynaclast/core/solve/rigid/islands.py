"""Islands: what hangs together by contacts and ties, how many sweeps it gets, and that contact alone gives it no
energy.
"""

from __future__ import annotations

import numpy as np

from ...kernels import kernel
from ..state import Assemblies
from .assemblies import join, root
from .manifolds import HIT_SHARE, Rows
from .ties import TieRows

SWEEPS_OF = ((24, 6), (60, 3))
"""Sweeps a substep of islands with at most so many rows; larger ones take one. Few rows cost little, and stacks and
mass ratios need them.
"""

SMALL = SWEEPS_OF[-1][0]
"""The most rows of an island that gets more sweeps than one."""

UNEVEN = 50.0
"""A heavy body on one so many times lighter needs more sweeps, in small islands."""

UNEVEN_SWEEPS = 24

GAIN = 4e-6
"""What ties may seem to gain in a substep, as a share of what moves: a swing measured in steps wavers by as much."""


@kernel(inner=True)
def islands(rows: Rows, n_rows, ties: TieRows, n_ties, live, inv_mass, held, island, leans, watch, size):
    """Movers joined by rows, known by their lowest slot: island (A,) int32.

    leans (A,) uint8: an island meets what cannot move; watch (A,) uint8, bits: 1, its energy must be watched, since
    something in it is hit, bounces or turns far within the interval; 2, masses are uneven; 4, something animated gives
    it energy; 8, it is tied. size (A,) int32: its rows. Fills rows.sweeps and returns the largest of these.
    """
    for k in range(len(live)):
        island[live[k]] = live[k]
        leans[live[k]] = 0
        watch[live[k]] = 0
        size[live[k]] = 0
    for r in range(n_rows):
        a, b = rows.a[r], rows.b[r]
        if inv_mass[a] > 0.0 and inv_mass[b] > 0.0:
            join(island, np.int64(a), np.int64(b))
    for r in range(n_ties):
        a, b = ties.a[r], ties.b[r]
        if inv_mass[a] > 0.0 and inv_mass[b] > 0.0:
            join(island, np.int64(a), np.int64(b))
    for k in range(len(live)):
        a = live[k]
        island[a] = root(island, np.int64(a))
    for r in range(n_rows):
        a, b = rows.a[r], rows.b[r]
        i = island[a] if inv_mass[a] > 0.0 else island[b]
        size[i] += 1
        if inv_mass[a] > UNEVEN * inv_mass[b] > 0.0 or inv_mass[b] > UNEVEN * inv_mass[a] > 0.0:
            watch[i] |= 2
        if inv_mass[a] == 0.0 or inv_mass[b] == 0.0:
            leans[i] = 1
        if _is_hit(rows, r):
            watch[i] |= 1
        if held[a] == 2 or held[b] == 2:
            watch[i] |= 4
    for r in range(n_ties):
        a, b = ties.a[r], ties.b[r]
        i = island[a] if inv_mass[a] > 0.0 else island[b]
        watch[i] |= 8
        if inv_mass[a] == 0.0 or inv_mass[b] == 0.0:
            leans[i] = 1
        if held[a] == 2 or held[b] == 2:
            watch[i] |= 4
    most = 1
    for r in range(n_rows):
        a, b = rows.a[r], rows.b[r]
        i = island[a] if inv_mass[a] > 0.0 else island[b]
        rows.sweeps[r] = UNEVEN_SWEEPS if watch[i] & 2 and size[i] <= SMALL else 1
        for k in range(len(SWEEPS_OF)):
            if size[i] <= SWEEPS_OF[k][0]:
                rows.sweeps[r] = max(rows.sweeps[r], SWEEPS_OF[k][1])
                break
        most = max(most, rows.sweeps[r])
    return most


@kernel(inline=True)
def _is_hit(rows: Rows, r):
    """Whether a point of row r meets fast enough to bounce or to be a hit."""
    hit = rows.lively[r] != 0
    for k in range(rows.count[r]):
        hit |= rows.approach[r, k] < -HIT_SHARE * rows.pace[r]
    return hit


@kernel(inner=True)
def watch_hits(rows: Rows, which, inv_mass, island, watch):
    """Watch islands in which one of the rows ``which`` (N,) is hit; entries below 0 are no rows."""
    for x in range(len(which)):
        r = which[x]
        if r >= 0 and _is_hit(rows, r):
            watch[island[rows.a[r]] if inv_mass[rows.a[r]] > 0.0 else island[rows.b[r]]] |= 1


@kernel(inner=True)
def watch_spins(live, spin, interval, island, watch):
    """Watch islands in which something turns far within the interval."""
    for k in range(len(live)):
        a = live[k]
        if (spin[a, 0] ** 2 + spin[a, 1] ** 2 + spin[a, 2] ** 2) * interval * interval > 0.01:
            watch[island[a]] |= 1


@kernel(inner=True)
def kinetic_of(asm: Assemblies, a):
    """Kinetic energy of one assembly [J], by its true inertia at its present turn."""
    e = asm.mass[a] * (asm.vel[a, 0] ** 2 + asm.vel[a, 1] ** 2 + asm.vel[a, 2] ** 2)
    wx, wy, wz = asm.spin[a, 0], asm.spin[a, 1], asm.spin[a, 2]
    if wx != 0.0 or wy != 0.0 or wz != 0.0:
        qx, qy, qz, qw = asm.rot[a, 0], asm.rot[a, 1], asm.rot[a, 2], asm.rot[a, 3]
        tx, ty, tz = (
            2.0 * (wy * qz - wz * qy),
            2.0 * (wz * qx - wx * qz),
            2.0 * (wx * qy - wy * qx),
        )  # the spin in the opening frame
        x = wx + qw * tx + ty * qz - tz * qy
        y = wy + qw * ty + tz * qx - tx * qz
        z = wz + qw * tz + tx * qy - ty * qx
        i = asm.inertia[a]
        e += (
            i[0, 0] * x * x
            + i[1, 1] * y * y
            + i[2, 2] * z * z
            + 2.0 * (i[0, 1] * x * y + i[0, 2] * x * z + i[1, 2] * y * z)
        )
    return 0.5 * e


@kernel(inner=True)
def kinetic(asm: Assemblies, live, island, watch, out):
    """Kinetic energy per watched island (A,) [J]."""
    for k in range(len(live)):
        out[island[live[k]]] = 0.0
    for k in range(len(live)):
        a = live[k]
        if watch[island[a]] & 5 != 1:
            continue
        out[island[a]] += kinetic_of(asm, a)


@kernel(inner=True)
def take_back(asm: Assemblies, live, island, leans, had, has, middle):
    """Where contact alone has made energy (bodies turned on while their rows stood still; bounces at several points
    that were not solved to the end), slow the island's relative motion to what it had. An island that touches nothing
    held keeps its momentum.
    """
    excess = False
    for k in range(len(live)):
        i = island[live[k]]
        if has[i] > had[i] * (1.0 + 1e-12):
            excess = True
            for c in range(4):
                middle[i, c] = 0.0
    if not excess:
        return
    for k in range(len(live)):
        a = live[k]
        i = island[a]
        if has[i] > had[i] * (1.0 + 1e-12) and not leans[i]:
            middle[i, 3] += asm.mass[a]
            for c in range(3):
                middle[i, c] += asm.mass[a] * asm.vel[a, c]
    for k in range(len(live)):
        a = live[k]
        i = island[a]
        if has[i] <= had[i] * (1.0 + 1e-12):
            continue
        whole = 0.0  # energy of the motion as one, which stays
        for c in range(3):
            if middle[i, 3] > 0.0:
                whole += 0.5 * middle[i, c] ** 2 / middle[i, 3]
        s = np.sqrt(max(0.0, had[i] - whole) / max(has[i] - whole, 1e-300))
        for c in range(3):
            mean = middle[i, c] / middle[i, 3] if middle[i, 3] > 0.0 else 0.0
            asm.vel[a, c] = mean + s * (asm.vel[a, c] - mean)
            asm.spin[a, c] *= s


@kernel(inner=True)
def swing(asm: Assemblies, live, island, watch, push, twist, gravity, half, out, moving):
    """Energy (A,) of islands with ties in the middle of the last substep, half a substep ago [J], and its kinetic part;
    infinite where something gives them energy: what is animated, or a field by push (A, 3) [m/s2] or twist (A, 3)
    [rad/s2].
    """
    for k in range(len(live)):
        out[island[live[k]]] = 0.0
        moving[island[live[k]]] = 0.0
    for k in range(len(live)):
        a = live[k]
        i = island[a]
        if watch[i] & 8 == 0:
            continue
        given = watch[i] & 4 != 0
        e = kinetic_of(asm, a)
        moving[i] += e
        for c in range(3):
            given |= push[a, c] != 0.0 or twist[a, c] != 0.0
            e -= asm.mass[a] * asm.fall[a] * gravity[c] * (asm.pos[a, c] - half * asm.vel[a, c])
        out[i] = np.inf if given else out[i] + e


@kernel(inner=True)
def calm_swing(asm: Assemblies, live, island, watch, had, has, moving):
    """Slow islands with ties whose energy grew by more than GAIN of what moves. What is tied and heavily loaded
    trembles faster than a substep can follow, and would tear itself away.
    """
    for k in range(len(live)):
        a = live[k]
        i = island[a]
        if watch[i] & 8 == 0 or not has[i] > had[i] + GAIN * moving[i]:
            continue
        s = np.sqrt(max(0.0, 1.0 - (has[i] - had[i]) / max(moving[i], 1e-300)))
        for c in range(3):
            asm.vel[a, c] *= s
            asm.spin[a, c] *= s
    for k in range(len(live)):
        i = island[live[k]]
        if not has[i] > had[i] + GAIN * moving[i]:
            had[i] = has[i]
