"""How stiff the rows of a step are, what they push with, and which press: ties, contacts, friction."""

from __future__ import annotations

import numpy as np

from ...arrays import Array
from ...kernels import kernel
from ..model import Hold, Hulls, PieceTable
from ..rigid.groups import Bodies
from .contacts import carried, passing
from .meetings import MET
from .parts import Deformables
from .system import Group, Matrix, add_row_force, row_motion, row_stiffness, slot_motion
from .tables import MOST_VERTICES, Rows

CONTACT_STIFFNESS = 10.0
"""A contact is so many times as stiff as what it holds back."""
MEETING_STIFFNESS = 20.0
"""What meets deformable matter is so many times as stiff as masses over the square of the step."""
TIE_STIFFNESS = 10.0
"""A tie, likewise."""
SQUEEZED, BRACED = 0.1, 30.0
"""What an assembly drives against another shape meets that so many times as stiff as the way is long in this share of
the shape's thickness, at most by the second: else it would be pressed through.
"""
PUSH_OUT = 0.2
"""Share of a penetration that is taken out in a step."""
PUSH_OUT_SPEED = 1.0
"""But it goes out no faster than this [m/s]."""
SUNK, HARDER = 0.25, 10.0
"""Points that sink into one another in a step by more than this share of their radius meet harder by this factor."""
PIERCED = 0.01
"""What goes in by more than this share of its edges is not let be."""
FIRMER = 4.0
"""What friction takes a point to be pressed by grows at most by this from step to step."""
CREEP = 5e-4
"""What is held by friction creeps no faster [m/s]."""


@kernel(inner=True)
def tie_rows(
    d: Deformables, bodies: Bodies, pieces: PieceTable, h: float, broken: Array, rows: Rows, count: int
) -> int:
    """Rows of ties that hold something that is still there."""
    ties, x = d.elements.ties, d.vertices.position
    for t in range(len(ties.strength)):
        i = max(ties.vertex[t, 0], ties.vertex[t, 1])  # what is tied to another deformable body wakes with it
        if broken[t] or ties.idle[t] or not d.here[d.elements.vertices.body[i]]:
            continue
        p = max(ties.piece[t, 0], ties.piece[t, 1])
        if p >= 0 and pieces.hold[p] == Hold.REMOVED:
            continue
        rows.vertex[count, :] = -1
        rows.weight[count, :] = 0.0
        rows.slot[count], rows.tie[count], rows.active[count], rows.force[count] = -1, t, 1, 0.0
        rows.gap[count], rows.friction[count], rows.tangential[count] = 0.0, 0.0, 0.0
        n, o = rows.normal[count], rows.passing[count]
        n[0], n[1], n[2] = 0.0, 1.0, 0.0
        o[0], o[1], o[2] = 0.0, 0.0, 0.0
        for end in range(2):
            sign = 1.0 if end == 0 else -1.0
            i, p = ties.vertex[t, end], ties.piece[t, end]
            if i >= 0:
                place = 0 if rows.vertex[count, 0] < 0 else 1
                rows.vertex[count, place], rows.weight[count, place] = i, sign
                for c in range(3):
                    o[c] -= sign * x[i, c]
            elif p >= 0:
                a = bodies.piece_assembly[p]
                px, py, pz = carried(bodies.assemblies, a, ties.point[t, end])
                o[0] -= sign * px
                o[1] -= sign * py
                o[2] -= sign * pz
                ux, uy, uz, free = passing(bodies, a, h, px, py, pz)
                if free:  # the other end is a vertex, so that this one is the second
                    rows.slot[count] = a
                    c3 = bodies.assemblies.position[a]
                    rows.arm[count, 0], rows.arm[count, 1], rows.arm[count, 2] = px - c3[0], py - c3[1], pz - c3[2]
                else:
                    o[0] -= sign * ux
                    o[1] -= sign * uy
                    o[2] -= sign * uz
            else:
                for c in range(3):
                    o[c] -= sign * ties.point[t, end, c]
        count += 1
    return count


@kernel(inner=True)
def _own_stiffness(m: Matrix, i: int) -> float:
    """How stiffly a vertex is held by its own body [N/m]."""
    b = m.blocks[m.pattern.start[i]]
    return m.levels.mass[i] + m.factor.stiffness[i] + (b[0, 0] + b[1, 1] + b[2, 2]) / 3.0


@kernel(inner=True)
def _stiffness_behind(d: Deformables, c: int) -> float:
    """How stiffly what a row holds back is held by its own bodies [N/m]."""
    rows, own = d.rows, 0.0
    for k in range(MOST_VERTICES):
        i = rows.vertex[c, k]
        if i >= 0:
            own += rows.weight[c, k] ** 2 * _own_stiffness(d.matrix, i)
    return own


@kernel(inner=True)
def _mass_behind(d: Deformables, c: int) -> float:
    """The mass of what a row holds back, over the square of the step [N/m]."""
    rows, own = d.rows, 0.0
    for k in range(MOST_VERTICES):
        i = rows.vertex[c, k]
        if i >= 0:
            own += rows.weight[c, k] ** 2 * d.elements.vertices.heavy[i]
    return own


@kernel(inner=True)
def stiffen(d: Deformables, first: int, count: int, h: float) -> None:
    """How stiff each row from the first on is."""
    rows = d.rows
    for c in range(first, count):
        own = _stiffness_behind(d, c)
        if rows.tie[c] >= 0:
            rows.stiffness[c] = TIE_STIFFNESS * own
            continue
        if rows.shape[c] <= MET:  # soft enough that what lies in many layers is still solved
            rows.stiffness[c] = MEETING_STIFFNESS * _mass_behind(d, c)
        else:
            rows.stiffness[c] = CONTACT_STIFFNESS * own
        if rows.gap[c] < 0.0:
            rows.gap[c] = max(PUSH_OUT * rows.gap[c], -PUSH_OUT_SPEED * h)


@kernel(inner=True)
def brace(d: Deformables, hulls: Hulls, count: int) -> None:
    """Make rows of shapes stiffer whose vertices another assembly is about to drive far into them."""
    rows, squeezed, by = d.rows, d.scratch.squeezed, d.scratch.squeezed_by
    for c in range(count):
        for k in range(MOST_VERTICES):
            if rows.vertex[c, k] >= 0:
                squeezed[rows.vertex[c, k]] = 0.0
    driven = False
    for c in range(count):
        if rows.slot[c] < 0 or rows.shape[c] < 0 or rows.tie[c] >= 0:
            continue
        n = rows.normal[c]
        u, v, w = slot_motion(rows, d.slots, c, d.vectors.slot_d)
        way = n[0] * u + n[1] * v + n[2] * w + min(-rows.gap[c], 0.0)
        for k in range(MOST_VERTICES):
            i = rows.vertex[c, k]
            if i >= 0 and way > squeezed[i]:
                squeezed[i], by[i], driven = way, rows.slot[c], True
    if not driven:
        return
    for c in range(count):
        s, way = rows.shape[c], 0.0
        if s < 0 or rows.tie[c] >= 0:
            continue
        for k in range(MOST_VERTICES):
            i = rows.vertex[c, k]
            if i >= 0 and by[i] != rows.slot[c]:
                way = max(way, squeezed[i])
        thick = d.cores.width[s] if d.cores.width[s] < np.inf else hulls.bound[s]
        times = min(way / (SQUEEZED * thick), BRACED)
        if times > 1.0:
            rows.stiffness[c] = max(rows.stiffness[c], times * CONTACT_STIFFNESS * _stiffness_behind(d, c))


@kernel(inner=True)
def pull_of_rows(d: Deformables, group: Group) -> None:
    """The right side of a group: that without rows, and what rows push before anything has moved."""
    v, rows, slots, s, bodies = d.vectors, d.rows, d.slots, d.scratch, d.elements.bodies
    for b in group.body:
        for n in range(bodies.leads[b], bodies.leads[b + 1]):
            i = bodies.leading[n]
            for c in range(3):
                v.b[i, c] = s.base[i, c]
    for k in group.slot:
        for c in range(6):
            v.slot_b[k, c] = s.slot_base[k, c]
    for c in group.row:
        rows.solved[c] = rows.active[c]
        if rows.active[c]:
            o, n = rows.passing[c], rows.normal[c]
            x, y, z = row_stiffness(rows, c, o[0], o[1], o[2])
            f = rows.stiffness[c] * rows.gap[c] if rows.tie[c] < 0 else 0.0
            add_row_force(rows, slots, c, x - f * n[0], y - f * n[1], z - f * n[2], v.b, v.slot_b)


@kernel(inner=True)
def _stopping_force(d: Deformables, c: int) -> float:
    """What stops the mass of a row that goes by itself into the other side [N]."""
    rows = d.rows
    n, o = rows.normal[c], rows.passing[c]
    u, v, w = row_motion(rows, d.slots, c, d.scratch.way, d.vectors.slot_d)
    return _mass_behind(d, c) * abs(n[0] * (u - o[0]) + n[1] * (v - o[1]) + n[2] * (w - o[2]))


@kernel(inner=True)
def begin_friction(d: Deformables, first: int, count: int, h: float) -> None:
    """Friction of the first round, of rows from the first on, by how hard points were pressed in the last step and how
    far they slipped: so it settles from step to step where it does not within one. Contacts are stiff, and what a
    solution leaves over is much to them: friction does not take a point to be pressed harder all of a sudden.
    """
    rows = d.rows
    for c in range(first, count):
        if rows.tie[c] >= 0:
            continue
        p = rows.point[c]
        if d.touching.shape[p] == rows.shape[c]:
            press, slip = d.touching.force[p], d.touching.slip[p]
        else:
            press, slip = 0.0, 0.0
        rows.most[c] = FIRMER * max(press, _stopping_force(d, c))
        kt = rows.friction[c] * max(press, 0.0) / max(slip, CREEP * h)
        rows.tangential[c] = min(kt, rows.stiffness[c])  # as stiff as the contact at most, or iterations do not end


@kernel(inner=True)
def _harden(d: Deformables, c: int, gap: float) -> bool:
    """Let points of a row meet harder that have sunk into one another, up to what holds shapes; whether they do."""
    rows = d.rows
    if gap >= min(rows.gap[c], 0.0) - SUNK * d.elements.points.fine[rows.point[c]]:
        return False
    hardest = CONTACT_STIFFNESS * _stiffness_behind(d, c)
    if rows.stiffness[c] >= hardest:
        return False
    rows.stiffness[c] = min(HARDER * rows.stiffness[c], hardest)
    return True


@kernel(inner=True)
def look_again(d: Deformables, group: Group, h: float, parts: int) -> tuple[int, bool]:
    """Which rows of a group press, and how hard, now that all have moved, and what they did.

    parts   : int, 1 where what comes loose is let go; else it is held for this step: let go to and fro, it falls in
    Returns : for how many that is otherwise than it was, and whether something went in far where none did
    """
    rows, v, changed, pierced = d.rows, d.vectors, 0, False
    for c in group.row:
        u, w, t = row_motion(rows, d.slots, c, v.d, v.slot_d)
        o, n = rows.passing[c], rows.normal[c]
        u, w, t = u - o[0], w - o[1], t - o[2]
        k, f = rows.stiffness[c], rows.acting[c]
        f[0], f[1], f[2] = 0.0, 0.0, 0.0
        if rows.solved[c]:
            x, y, z = row_stiffness(rows, c, u, w, t)
            pressed = k * rows.gap[c] if rows.tie[c] < 0 else 0.0
            f[0], f[1], f[2] = -x - pressed * n[0], -y - pressed * n[1], -z - pressed * n[2]
        if rows.tie[c] >= 0:
            rows.force[c] = k * np.sqrt(u * u + w * w + t * t)
            continue
        along = n[0] * u + n[1] * w + n[2] * t
        gap = rows.gap[c] + along
        if rows.shape[c] <= MET and rows.solved[c] and _harden(d, c, gap):
            changed += 1
            pierced = True
        if gap < 0.0 and rows.active[c] == 0:
            rows.active[c] = 1
            changed += 1
            pierced |= gap < -PIERCED * d.elements.points.reach[rows.point[c]]
        elif gap >= 0.0 and rows.active[c] == 1 and parts == 1:
            rows.active[c] = 0
            changed += 1
        press = -k * gap if gap < 0.0 else 0.0
        rows.force[c] = press if rows.solved[c] else 0.0  # what goes in only now has pushed nothing yet
        slip = np.sqrt(max(u * u + w * w + t * t - along * along, 0.0))
        press = min(press, rows.most[c])
        kt = min(rows.friction[c] * press / max(slip, CREEP * h), rows.stiffness[c])
        if rows.active[c] and abs(kt - rows.tangential[c]) > 0.5 * max(kt, rows.tangential[c]):
            changed += 1
        rows.tangential[c] = kt
    return changed, pierced
