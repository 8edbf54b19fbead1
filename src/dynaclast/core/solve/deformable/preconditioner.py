"""What roughly inverts the matrix of a step: each body by itself, and each assembly, with the rows on it.

A chain is inverted exactly, a lattice without rows too, a mesh by a cycle over its levels. Where there are no meshes,
and not too many rows, all is inverted exactly, rows too (compliance.py). Otherwise a few assemblies that carry others
are taken with how these follow them; many that lie in meshes are eliminated block by block.

Source: Benzi, Golub and Liesen 2005, "Numerical solution of saddle point problems" (doi 10.1017/S0962492904000212), of
the block factorisation and its Schur complement.
"""

from __future__ import annotations

import numpy as np

from ...arrays import Array
from ...kernels import kernel
from ...kernels.linalg import factor_cholesky
from ...kernels.rows import dot
from ...kernels.simd import clear, four, put
from .chain import factor_chain, solve_chain
from .compliance import note_rows, prepare_compliance, take_compliant
from .cycle import coarsen_blocks, cycle, invert_diagonals
from .joined_slots import factor_slots, solve_slots
from .riding import MOST_CARRIERS, add_motion, find_carriers, ride_along
from .slot_contacts import add_slot_stiffness
from .system import (
    Group,
    Matrix,
    Slots,
    Vectors,
    inner_product,
    multiply,
    push_slot,
    push_vertices,
    row_stiffness,
    slot_motion,
    vertex_motion,
)
from .tables import MOST_VERTICES, BodyTable, Rows, Solver
from .touched_lattices import invert_lattices, invert_touched, solve_lattice


@kernel(inner=True)
def eliminates(bodies: BodyTable, group: Group) -> bool:
    """Whether assemblies are eliminated: where there are more than ride, and all that is deformable has levels."""
    for b in group.body:
        if bodies.solver[b] != Solver.LEVELS:
            return False
    return len(group.slot) > MOST_CARRIERS


@kernel(inner=True)
def _sum_rows_of_slots(rows: Rows, group: Group, slots: Slots) -> None:
    """How stiffly rows hold each assembly of a group, along their normals and across them."""
    for k in group.slot:
        slots.held[k, 0], slots.held[k, 1] = 0.0, 0.0
    for c in group.row:
        if rows.active[c] and rows.slot[c] >= 0:
            k = slots.place[rows.slot[c]]
            slots.held[k, 0] += rows.stiffness[c]
            slots.held[k, 1] += rows.stiffness[c] if rows.tie[c] >= 0 else rows.tangential[c]


@kernel(inner=True)
def _stiffness_of(slots: Slots, slot: int, stiff: float, across: int) -> tuple[float, float]:
    """How stiffly a row holds a vertex whose assembly takes part as well [N/m]: a vertex that moves alone, and all that
    the assembly is held by, for each of them.
    """
    if slot < 0:
        return stiff, stiff
    k = slots.place[slot]
    whole = slots.mass[k] + slots.held[k, across]
    return stiff - stiff * stiff / whole, stiff * slots.mass[k] / whole


@kernel(inner=True)
def _add_to_vertices(m: Matrix, rows: Rows, slots: Slots, c: int, slot: int) -> None:
    """Add a row to the blocks of its vertices; ``slot``: the assembly that goes along, -1 for none."""
    n, stiff, across, whole = rows.normal[c], rows.stiffness[c], rows.tangential[c], 0.0
    if rows.tie[c] >= 0:
        across = stiff
    alone, together = _stiffness_of(slots, slot, stiff, 0)
    alone_across, together_across = _stiffness_of(slots, slot, across, 1)
    for k in range(MOST_VERTICES):
        if rows.vertex[c, k] < 0:
            break
        whole += abs(rows.weight[c, k])
    for k in range(MOST_VERTICES):
        i = rows.vertex[c, k]
        if i < 0:
            break
        weight = whole * abs(rows.weight[c, k])  # a bound of what the row joins
        for p in range(3):
            for q in range(3):
                m.extra[i, p, q] += weight * (alone - alone_across) * n[p] * n[q]
                m.soft[i, p, q] += weight * (together - together_across) * n[p] * n[q]
            m.extra[i, p, p] += weight * alone_across
            m.soft[i, p, p] += weight * together_across


@kernel(inner=True)
def _add_to_slot(m: Matrix, rows: Rows, slots: Slots, c: int) -> None:
    """Add a row to the matrix of its assembly by itself."""
    n, stiff, across = rows.normal[c], rows.stiffness[c], rows.tangential[c]
    if rows.tie[c] >= 0:
        across = stiff
    s, t = m.pair[0], m.pair[1]
    a, o = slots.matrix[slots.place[rows.slot[c]]], rows.arm[c]
    for i in range(3):
        for j in range(3):
            s[i, j] = (stiff - across) * n[i] * n[j]
        s[i, i] += across
    for i in range(3):  # s times the cross product matrix of the arm
        t[i, 0] = s[i, 1] * o[2] - s[i, 2] * o[1]
        t[i, 1] = s[i, 2] * o[0] - s[i, 0] * o[2]
        t[i, 2] = s[i, 0] * o[1] - s[i, 1] * o[0]
        for j in range(3):
            a[i, j] += s[i, j]
    # the point moves by dX - [o] w: rows of -[o]' s
    for i in range(3):
        for j in range(3):
            a[3 + j, i] -= t[i, j]
            a[i, 3 + j] -= t[i, j]
    for j in range(3):
        a[3, 3 + j] += o[2] * t[1, j] - o[1] * t[2, j]
        a[4, 3 + j] += o[0] * t[2, j] - o[2] * t[0, j]
        a[5, 3 + j] += o[1] * t[0, j] - o[0] * t[1, j]


@kernel(inner=True)
def _coarsen_extra(m: Matrix, body: int) -> None:
    """What rows add to nodes of a body's coarser levels: the more vertices a node stands for, the more of what holds
    them goes along, so that there it counts by what all of them resist together.
    """
    levels = m.levels
    for level in range(len(levels.first) - 1):
        for i in range(levels.first[level, body], levels.first[level, body + 1]):
            on = m.soft[i] if level == 0 else m.extra[i]
            if on[0, 0] + on[1, 1] + on[2, 2] > 0.0:
                for k in range(levels.parent_start[i], levels.parent_start[i + 1]):
                    p, weight = levels.parent[k], levels.weight[k]
                    for r in range(3):
                        for c in range(3):
                            m.extra[p, r, c] += weight * on[r, c]


@kernel(inner=True)
def prepare_preconditioner(
    m: Matrix, bodies: BodyTable, group: Group, rows: Rows, slots: Slots, pinned: Array, most: int
) -> None:
    """Inverses of each body and assembly of a group by itself, with the rows on it; without them where they are no more
    than so many, and solved with exactly.
    """
    levels, go_along = m.levels, eliminates(bodies, group)
    depth = len(levels.first)
    for b in group.body:
        clear(m.soft, bodies.first[b], bodies.first[b + 1])
        for level in range(depth if bodies.solver[b] == Solver.LEVELS else 1):
            clear(m.extra, levels.first[level, b], levels.first[level, b + 1])
    for k in group.slot:
        a = slots.matrix[k]
        a[:, :] = 0.0
        for c in range(3):
            a[c, c] = slots.mass[k]
            for d in range(3):
                a[3 + c, 3 + d] = slots.inertia[k, c, d]
    exact = note_rows(m, bodies, group, rows, most)
    _sum_rows_of_slots(rows, group, slots)
    for c in group.row:
        if rows.active[c] and not exact:
            _add_to_vertices(m, rows, slots, c, np.int64(rows.slot[c]) if go_along else np.int64(-1))
            if rows.slot[c] >= 0:
                _add_to_slot(m, rows, slots, c)
    for q in group.touch:
        if slots.touch.active[q]:
            add_slot_stiffness(slots, q)
    factor_slots(slots, group)
    for b in group.body:
        if bodies.solver[b] == Solver.CHAIN:
            begin, end = bodies.leads[b], bodies.leads[b + 1]
            factor_chain(m.rows, m.pattern, m.blocks, m.extra, pinned, bodies.leading, begin, end, m.chain)
        elif bodies.solver[b] == Solver.FACTOR and not exact:
            invert_touched(m, bodies, b, pinned)
        elif bodies.solver[b] == Solver.LEVELS:
            _coarsen_extra(m, b)
            for level in range(depth):
                invert_diagonals(
                    m.pattern,
                    levels.mass,
                    m.extra,
                    pinned,
                    levels.first[level, b],
                    levels.first[level, b + 1],
                    m.blocks,
                    m.inverse,
                )


@kernel(inner=True)
def build_levels_of(m: Matrix, body: int) -> None:
    """The blocks of a body's coarser levels, from those of its vertices."""
    levels = m.levels
    for level in range(len(levels.first) - 1):
        first, last = levels.first[level + 1, body], levels.first[level + 1, body + 1]
        if last == first:
            return
        clear(m.blocks, m.pattern.start[first], m.pattern.start[last])
        coarsen_blocks(m.pattern, levels, levels.first[level, body], levels.first[level, body + 1], m.blocks, m.pair)


@kernel(inner=True)
def invert_bodies(m: Matrix, bodies: BodyTable, group: Group, rows: Rows, pinned: Array, r: Array, z: Array) -> float:
    """z, roughly what each body's own matrix makes of r. Returns r . z [J]."""
    out, touched = 0.0, False
    for b in group.body:
        touched |= bodies.solver[b] == Solver.FACTOR and len(group.row) > 0 and m.compliance.used[0] == 0
    if touched:
        invert_lattices(m, bodies, group, rows, pinned, r, z)
    for b in group.body:
        if bodies.solver[b] == Solver.CHAIN:
            solve_chain(m.chain, bodies.leading, bodies.leads[b], bodies.leads[b + 1], r, z)
        elif bodies.solver[b] == Solver.FACTOR:
            if not touched:
                solve_lattice(m, bodies, b, r, z)
        else:
            cycle(m.pattern, m.levels, b, m.blocks, m.inverse, r, m.swept, z)
        if bodies.still[b]:
            for n in range(bodies.leads[b], bodies.leads[b + 1]):
                i = bodies.leading[n]
                if pinned[i]:
                    z[i, 0], z[i, 1], z[i, 2] = 0.0, 0.0, 0.0
        out += dot(bodies.leading, bodies.leads[b], bodies.leads[b + 1], r, z)
    return out


@kernel(inner=True)
def prepare_riding(
    m: Matrix, bodies: BodyTable, group: Group, rows: Rows, slots: Slots, pinned: Array, v: Vectors
) -> None:
    """How bodies follow the assemblies that carry them, and the system of that; or how all gives way to rows."""
    m.riding.used[0] = 0
    if m.compliance.used[0]:
        prepare_compliance(m, bodies, group, rows, slots, pinned, v)
        return
    if len(group.slot) == 0 or eliminates(bodies, group):
        return
    count = find_carriers(m.riding, rows, group.row, group.slot, slots.place, slots.mass)
    for j in range(6 * count):
        for b in group.body:
            for n in range(bodies.leads[b], bodies.leads[b + 1]):
                i = bodies.leading[n]
                v.r[i, 0], v.r[i, 1], v.r[i, 2] = 0.0, 0.0, 0.0
        for k in group.slot:
            v.slot_p[k, :] = 0.0
        v.slot_p[m.riding.carrier[j // 6], j % 6] = 1.0
        for c in group.row:
            if rows.active[c] and rows.slot[c] >= 0:
                x, y, z = slot_motion(rows, slots, c, v.slot_p)
                f, g, h = row_stiffness(rows, c, x, y, z)
                push_vertices(rows, c, f, g, h, v.r)
        invert_bodies(m, bodies, group, rows, pinned, v.r, v.z)
        for b in group.body:
            for n in range(bodies.leads[b], bodies.leads[b + 1]):
                i = bodies.leading[n]
                for c in range(3):
                    m.riding.way[j, i, c] = v.p[i, c] = v.z[i, c]
        multiply(m, bodies, group, rows, slots, pinned, v.p, v.slot_p, v.q, v.slot_q)
        add_motion(m.riding, j, bodies, group.body, v.q, v.slot_q)
    factor_cholesky(m.riding.matrix, 6 * count)


@kernel(inner=True)
def _forces_on_vertices(
    m: Matrix, bodies: BodyTable, group: Group, rows: Rows, slots: Slots, pinned: Array, r: Array, y: Array
) -> None:
    """Into m.eliminated, forces r (N, 3) on the vertices of a group, and what its assemblies bring to them by rows
    where these move by y (K, 6).
    """
    out = m.eliminated
    for b in group.body:
        for n in range(bodies.leads[b], bodies.leads[b + 1]):
            i = bodies.leading[n]
            out[i, 0], out[i, 1], out[i, 2] = r[i, 0], r[i, 1], r[i, 2]
    for c in group.row:
        if rows.active[c] and rows.slot[c] >= 0:
            u, v, w = slot_motion(rows, slots, c, y)
            f, g, h = row_stiffness(rows, c, u, v, w)
            push_vertices(rows, c, f, g, h, out)
    for b in group.body:
        if bodies.still[b]:
            for n in range(bodies.leads[b], bodies.leads[b + 1]):
                i = bodies.leading[n]
                if pinned[i]:
                    out[i, 0], out[i, 1], out[i, 2] = 0.0, 0.0, 0.0


@kernel(inner=True)
def _forces_on_slots(group: Group, rows: Rows, slots: Slots, r: Array, x: Array) -> None:
    """Into slots.force, forces r (K, 6) on the assemblies of a group, and what vertices bring to them by rows where
    these move by x (N, 3).
    """
    for k in group.slot:
        for c in range(6):
            slots.force[k, c] = r[k, c]
    for c in group.row:
        if rows.active[c] and rows.slot[c] >= 0:
            u, v, w = vertex_motion(rows, c, x)
            f, g, h = row_stiffness(rows, c, u, v, w)
            push_slot(rows, slots, c, -f, -g, -h, slots.force)


@kernel(inner=True)
def precondition(
    m: Matrix,
    bodies: BodyTable,
    group: Group,
    rows: Rows,
    slots: Slots,
    pinned: Array,
    r: Array,
    z: Array,
    slot_r: Array,
    slot_z: Array,
) -> float:
    """(z, slot_z), roughly A^-1 (r, slot_r). Returns r . z [J].

    With few rows, and without meshes, it is the inverse. Else few assemblies are inverted by themselves, and ride. More
    are eliminated: they take their forces by themselves, vertices what that and their own forces bring to them, and
    assemblies then what vertices bring. With D the matrix of assemblies by themselves and C that joins both, what is
    left to vertices is S = A_vv - C D^-1 C', roughly inverted by the bodies (_stiffness_of).
    """
    if m.compliance.used[0]:
        invert_bodies(m, bodies, group, rows, pinned, r, z)
        solve_slots(slots, group, slot_r, slot_z)
        for b in group.body:
            for n in range(bodies.leads[b], bodies.leads[b + 1]):
                put(four(r, bodies.leading[n]), m.eliminated, bodies.leading[n])
        for k in group.slot:
            for c in range(6):
                slots.force[k, c] = slot_r[k, c]
        take_compliant(m, rows, slots, z, slot_z, m.eliminated, slots.force)
        invert_bodies(m, bodies, group, rows, pinned, m.eliminated, z)
        solve_slots(slots, group, slots.force, slot_z)
        return inner_product(bodies, group, r, z, slot_r, slot_z)
    if not eliminates(bodies, group):
        out = invert_bodies(m, bodies, group, rows, pinned, r, z)
        solve_slots(slots, group, slot_r, slot_z)
        for k in group.slot:
            for c in range(6):
                out += slot_r[k, c] * slot_z[k, c]
        if m.riding.used[0]:
            out += ride_along(m.riding, bodies, group.body, r, z, slot_r, slot_z)
        return out
    solve_slots(slots, group, slot_r, slot_z)
    _forces_on_vertices(m, bodies, group, rows, slots, pinned, r, slot_z)
    invert_bodies(m, bodies, group, rows, pinned, m.eliminated, z)
    _forces_on_slots(group, rows, slots, slot_r, z)
    solve_slots(slots, group, slots.force, slot_z)
    return inner_product(bodies, group, r, z, slot_r, slot_z)
