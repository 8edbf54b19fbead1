"""Rows solved with exactly, where what they hold is: lattices, chains and assemblies.

What stands still without rows, A, is inverted once and for all, or is a chain or a few assemblies. Rows, each of a
stiffness K = Q Q, whose points move by J, add J' K J to it. Iterations would have to find out how a push on one goes on
to the others; but there are few, and how far each point goes by a force at each, G = J A^-1 J', is soon worked out:

  (A + J' K J)^-1 = A^-1 - A^-1 J' Q (I + Q G Q)^-1 Q J A^-1.

The matrix of a lattice is the same along x, y and z but for how it turns, B^-1 = A^-1 + W H W' (rotations.py): so one
solution for each row does for three, and four are worked out at a time.

Source: Hager 1989, "Updating the inverse of a matrix" (doi 10.1137/1031049); Delassus's operator, as in Duriez, Dubois,
Kheddar and Andriot 2006, "Realistic haptic rendering of interacting deformable objects in virtual environments" (doi
10.1109/TVCG.2006.13).
"""

from __future__ import annotations

import numpy as np

from ...arrays import Array
from ...kernels import kernel
from ...kernels.simd import LANES, clear
from .chain import solve_chain
from .factor import solve_for_four
from .joined_slots import solve_slots
from .skyline import factor_skyline, solve_skyline
from .system import (
    MOST_COMPLIANT,
    Compliance,
    Group,
    Matrix,
    Slots,
    Vectors,
    add_row_force,
    push_slot,
    row_motion,
    slot_motion,
)
from .tables import MOST_VERTICES, BodyTable, Rows, Solver


@kernel(inner=True)
def rows_to_solve_with(bodies: BodyTable, group: Group, rows: Rows) -> int:
    """How many rows of a group press or pull; more than may be solved with so where it has meshes."""
    n = 0
    for b in group.body:
        if bodies.solver[b] == Solver.LEVELS:
            return MOST_COMPLIANT + 1
    for r in group.row:
        n += rows.active[r]
    return n


@kernel(inner=True)
def note_rows(m: Matrix, bodies: BodyTable, group: Group, rows: Rows, most: int) -> bool:
    """Note the rows of a group that press or pull, where it is solved with them so, which it is with so many of them at
    most; whether it is.
    """
    c, n = m.compliance, 0
    c.used[0] = 0
    if rows_to_solve_with(bodies, group, rows) > most:
        return False
    for r in group.row:
        if rows.active[r]:
            c.row[n] = r
            n += 1
    c.used[0] = n
    return n > 0


@kernel(inner=True)
def _note_touching(c: Compliance, bodies: BodyTable, rows: Rows, b: int) -> int:
    """Which of the rows hold a body, into c.touches, by their places; how many."""
    n = 0
    for place in range(c.used[0]):
        for k in range(MOST_VERTICES):
            i = rows.vertex[c.row[place], k]
            if i < 0:
                break
            if bodies.first[b] <= i < bodies.first[b + 1]:
                c.touches[n] = place
                n += 1
                break
    return n


@kernel(inner=True)
def _load(bodies: BodyTable, b: int, rows: Rows, r: int, pinned: Array, out: Array, column: int) -> None:
    """Add a unit force on the point of a row to a column of out (N, 4), as vertices of a body that can move bear it."""
    for k in range(MOST_VERTICES):
        i = rows.vertex[r, k]
        if i < 0:
            break
        if bodies.first[b] <= i < bodies.first[b + 1] and not pinned[i]:
            out[i, column] += rows.weight[r, k]


@kernel(inner=True)
def _moves(bodies: BodyTable, b: int, rows: Rows, r: int, x: Array, column: int) -> float:
    """How far the point of a row goes with a body, by a column of x (N, 4)."""
    out = 0.0
    for k in range(MOST_VERTICES):
        i = rows.vertex[r, k]
        if i < 0:
            break
        if bodies.first[b] <= i < bodies.first[b + 1]:
            out += rows.weight[r, k] * x[i, column]
    return out


@kernel(inner=True)
def _add_lattice(m: Matrix, bodies: BodyTable, b: int, rows: Rows, pinned: Array) -> None:
    """Add how points go with a lattice by forces on it to G."""
    c, first, last = m.compliance, bodies.first[b], bodies.first[b + 1]
    n = _note_touching(c, bodies, rows, b)
    for start in range(0, n, LANES):
        clear(m.held, first, last)
        for q in range(start, min(start + LANES, n)):
            _load(bodies, b, rows, np.int64(c.row[c.touches[q]]), pinned, m.held, q - start)
        solve_for_four(m.factor, first, last, m.held, m.left, m.work)
        for q in range(start, min(start + LANES, n)):
            for p in range(q, n):
                s, r = 3 * c.touches[p], 3 * c.touches[q]
                g = _moves(bodies, b, rows, np.int64(c.row[c.touches[p]]), m.left, q - start)
                for a in range(3):
                    c.matrix.whole[s + a, r + a] += g
    if m.turns.able[b]:
        for q in range(n):
            for p in range(q, n):
                _add_turns(m, bodies, b, rows, np.int64(c.touches[p]), np.int64(c.touches[q]))
    clear(m.held, first, last)
    clear(m.left, first, last)


@kernel(inner=True)
def _turns_by(m: Matrix, bodies: BodyTable, b: int, rows: Rows, r: int, island: int, out: Array) -> bool:
    """W' of a unit force on the point of a row, as an arm into out (3,), of what hangs together of a body; whether any
    of that bears it.
    """
    out[0], out[1], out[2], any_of = 0.0, 0.0, 0.0, False
    for k in range(MOST_VERTICES):
        i = rows.vertex[r, k]
        if i < 0:
            break
        if bodies.first[b] <= i < bodies.first[b + 1] and m.island[i] == island:
            any_of = True
            for c in range(3):
                out[c] += rows.weight[r, k] * m.turns.way[i, c]
    return any_of


@kernel(inner=True)
def _add_turns(m: Matrix, bodies: BodyTable, b: int, rows: Rows, s: int, r: int) -> None:
    """Add how the points of two rows go as the body turns to G: [t_s]' H [t_r] of each that hangs together."""
    c, t, u, out = m.compliance, m.pair[0, 0], m.pair[0, 1], m.compliance.matrix.whole
    for k in range(MOST_VERTICES):
        i = rows.vertex[c.row[r], k]
        if i < 0:
            break
        if not bodies.first[b] <= i < bodies.first[b + 1]:
            continue
        island, seen, other = m.island[i], False, 0
        while other < k and not seen:
            j = rows.vertex[c.row[r], other]
            seen = bodies.first[b] <= j < bodies.first[b + 1] and m.island[j] == island
            other += 1
        if seen or not _turns_by(m, bodies, b, rows, np.int64(c.row[s]), np.int64(island), u):
            continue
        _turns_by(m, bodies, b, rows, np.int64(c.row[r]), np.int64(island), t)
        h = m.turns.heavy[island]
        for a in range(3):
            # H (t x e_a), and that x u
            d, e = (a + 1) % 3, (a + 2) % 3
            x = h[0, d] * t[e] - h[0, e] * t[d]
            y = h[1, d] * t[e] - h[1, e] * t[d]
            z = h[2, d] * t[e] - h[2, e] * t[d]
            out[3 * s, 3 * r + a] += y * u[2] - z * u[1]
            out[3 * s + 1, 3 * r + a] += z * u[0] - x * u[2]
            out[3 * s + 2, 3 * r + a] += x * u[1] - y * u[0]


@kernel(inner=True)
def _add_chain(m: Matrix, bodies: BodyTable, b: int, rows: Rows, pinned: Array) -> None:
    """Add how points go with a chain by forces on it to G."""
    c, first, last = m.compliance, bodies.first[b], bodies.first[b + 1]
    n = _note_touching(c, bodies, rows, b)
    for q in range(n):
        for a in range(3):
            clear(m.held, first, last)
            _load(bodies, b, rows, np.int64(c.row[c.touches[q]]), pinned, m.held, a)
            solve_chain(m.chain, bodies.leading, bodies.leads[b], bodies.leads[b + 1], m.held, m.left)
            for p in range(q, n):
                s, r = 3 * c.touches[p], 3 * c.touches[q]
                for d in range(3):
                    c.matrix.whole[s + d, r + a] += _moves(bodies, b, rows, np.int64(c.row[c.touches[p]]), m.left, d)
    clear(m.held, first, last)
    clear(m.left, first, last)


@kernel(inner=True)
def _add_slots(m: Matrix, group: Group, rows: Rows, slots: Slots, v: Vectors) -> None:
    """Add how points go with assemblies by forces on these to G."""
    c, joined = m.compliance, slots.joined[0] > 0
    for q in range(c.used[0]):
        r = c.row[q]
        if rows.slot[r] < 0:
            continue
        for a in range(3):
            for k in group.slot:
                v.slot_p[k, :] = 0.0
            push_slot(rows, slots, r, 1.0 * (a == 0), 1.0 * (a == 1), 1.0 * (a == 2), v.slot_p)
            solve_slots(slots, group, v.slot_p, v.slot_q)
            for p in range(q, c.used[0]):
                s = c.row[p]
                if rows.slot[s] >= 0 and (joined or rows.slot[s] == rows.slot[r]):
                    x, y, z = slot_motion(rows, slots, s, v.slot_q)
                    c.matrix.whole[3 * p, 3 * q + a] -= x
                    c.matrix.whole[3 * p + 1, 3 * q + a] -= y
                    c.matrix.whole[3 * p + 2, 3 * q + a] -= z


@kernel(inner=True)
def _root_of(rows: Rows, r: int, out: Array) -> None:
    """Q of a row (3, 3)."""
    n, along, across = rows.normal[r], np.sqrt(rows.stiffness[r]), np.sqrt(rows.tangential[r])
    if rows.tie[r] >= 0:
        across = along
    for a in range(3):
        for b in range(3):
            out[a, b] = (along - across) * n[a] * n[b]
        out[a, a] += across


@kernel(inner=True)
def prepare_compliance(
    m: Matrix, bodies: BodyTable, group: Group, rows: Rows, slots: Slots, pinned: Array, v: Vectors
) -> None:
    """Work out and factor I + Q G Q of the rows noted; v.slot_p and v.slot_q are scratch."""
    c = m.compliance
    n, whole, work = c.used[0], c.matrix.whole, m.pair
    for i in range(3 * n):
        c.matrix.first[i] = 0
        for j in range(i + 3 - i % 3):
            whole[i, j] = 0.0
    for b in group.body:
        if bodies.solver[b] == Solver.FACTOR:
            _add_lattice(m, bodies, b, rows, pinned)
        else:
            _add_chain(m, bodies, b, rows, pinned)
    _add_slots(m, group, rows, slots, v)
    for q in range(n):
        _root_of(rows, np.int64(c.row[q]), c.root[q])
    for p in range(n):
        for q in range(p + 1):
            one, other = c.root[p], c.root[q]
            for a in range(3):
                for b in range(3):
                    s = 0.0
                    for d in range(3):
                        s += one[a, d] * whole[3 * p + d, 3 * q + b]
                    work[0, a, b] = s
            for a in range(3):
                for b in range(3):
                    s = 0.0
                    for d in range(3):
                        s += work[0, a, d] * other[d, b]
                    whole[3 * p + a, 3 * q + b] = s
        for a in range(3):
            whole[3 * p + a, 3 * p + a] += 1.0
    factor_skyline(c.matrix, 3 * n)


@kernel(inner=True)
def take_compliant(m: Matrix, rows: Rows, slots: Slots, x: Array, y: Array, out: Array, slot_out: Array) -> None:
    """Take Q (I + Q G Q)^-1 Q J (x, y) on the points of rows from forces out (N, 4), slot_out (K, 6).

    x, y : (N, 4), (K, 6) float64, how all moves without rows
    """
    c, side = m.compliance, m.compliance.matrix.side
    for q in range(c.used[0]):
        f, g, h = row_motion(rows, slots, np.int64(c.row[q]), x, y)
        for a in range(3):
            i = 3 * q + a
            side[i // LANES, i % LANES] = c.root[q, a, 0] * f + c.root[q, a, 1] * g + c.root[q, a, 2] * h
    solve_skyline(c.matrix, 3 * c.used[0])
    for q in range(c.used[0]):
        f, g, h = 0.0, 0.0, 0.0
        for a in range(3):
            i = 3 * q + a
            s = side[i // LANES, i % LANES]
            f += c.root[q, 0, a] * s
            g += c.root[q, 1, a] * s
            h += c.root[q, 2, a] * s
        add_row_force(rows, slots, np.int64(c.row[q]), -f, -g, -h, out, slot_out)
