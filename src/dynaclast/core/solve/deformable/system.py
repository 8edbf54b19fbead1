"""The linear system of a step, and its solution by conjugate gradients.

Unknown are the displacements d of the vertices and, of assemblies that rows lead to, the displacement and the turn of
the centre over the step. The matrix is mass over the square of the step, elements, and rows; the preconditioner inverts
each body by itself (a chain or a lattice exactly, a mesh by a cycle over its levels) and each assembly with the rows on
it. A chain or a lattice that nothing touches is so solved in one iteration.

Source: Baraff and Witkin 1998, "Large steps in cloth simulation" (doi 10.1145/280814.280821); Hestenes and Stiefel
1952, "Methods of conjugate gradients" (doi 10.6028/jres.049.044).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Index
from ...kernels import kernel
from ...kernels.linalg import factor_cholesky, invert_symmetric_3x3, solve_cholesky
from .chain import ChainFactor, factor_chain, solve_chain
from .cycle import coarsen_blocks, cycle, invert_diagonals, mirror_blocks
from .lattice import solve_factored
from .pattern import add_block_product, add_scalar_product
from .riding import Riding, add_motion, find_carriers, ride_along
from .rotations import Rotations, let_turn, turn_on
from .tables import MOST_VERTICES, BlockPattern, BodyTable, FactorTable, Levels, Rows, ScalarRows, Solver

MOST_ITERATIONS = 60
DONE = 1e-18
"""A residual this much smaller than at the start, in the square of its energy norm, is nothing."""
LEFT = 0.2
"""Share of what an iteration took off the error that is taken to be left of it."""
ROUNDS = 2
"""How often rows are looked at again within a step: which press, and how hard."""
MOST_ROUNDS = 6
"""And at most, while something would go through where none pressed."""


class Matrix(NamedTuple):
    """The matrix of deformable bodies: what stays the same in a run, and room for what does not.

    blocks  : (E, 3, 3) float64, [N/m]
    extra   : (M, 3, 3) float64, [N/m], what rows add to a node's own block in the preconditioner
    inverse : (M, 3, 3) float64, [m/N], of diagonal blocks
    island  : (N,) int32, as of the vertices
    riding  : what rides on assemblies
    held    : (N, 3) float64, [m], scratch; left (N, 3) float64, [N], scratch
    """

    rows: ScalarRows
    pattern: BlockPattern
    levels: Levels
    factor: FactorTable
    blocks: Array
    extra: Array
    inverse: Array
    chain: ChainFactor
    turns: Rotations
    island: Index
    work: Array
    pair: Array
    riding: Riding
    held: Array
    left: Array


class Slots(NamedTuple):
    """Assemblies that take part in a step, K of them.

    place   : (A,) int32, of each slot, -1 where it takes no part
    slot    : (K,) int32
    used    : (1,) int64, K
    mass    : (K,) float64, [N/m], over the square of the step
    inertia : (K, 3, 3) float64, [N m], likewise, world frame
    matrix  : (K, 6, 6) float64, with the rows on it, factored (Cholesky)
    """

    place: Index
    slot: Index
    used: Index
    mass: Array
    inertia: Array
    matrix: Array


def make_slots(count: int) -> Slots:
    f = np.zeros
    return Slots(
        np.full(count, -1, np.int32), f(count, np.int32), f(1, np.int64), f(count), f((count, 3, 3)), f((count, 6, 6))
    )


class Vectors(NamedTuple):
    """Vectors of the iteration, over nodes (M, 3) and assemblies (K, 6)."""

    d: Array
    b: Array
    r: Array
    z: Array
    p: Array
    q: Array
    slot_d: Array
    slot_b: Array
    slot_r: Array
    slot_z: Array
    slot_p: Array
    slot_q: Array


def make_vectors(nodes: int, slots: int) -> Vectors:
    return Vectors(*(np.zeros((nodes, 3)) for _ in range(6)), *(np.zeros((slots, 6)) for _ in range(6)))


@kernel(inner=True)
def slot_motion(rows: Rows, slots: Slots, c: int, y: Array) -> tuple[float, float, float]:
    """How far the assembly on the other side of a row moves where the point is; y (K, 6) as of row_motion."""
    a, o = y[slots.place[rows.slot[c]]], rows.arm[c]
    return (a[0] + a[4] * o[2] - a[5] * o[1], a[1] + a[5] * o[0] - a[3] * o[2], a[2] + a[3] * o[1] - a[4] * o[0])


@kernel(inner=True)
def row_motion(rows: Rows, slots: Slots, c: int, x: Array, y: Array) -> tuple[float, float, float]:
    """How far the point of a row moves past the assembly on the other side.

    x : (N, 3) float64, [m], of vertices; y : (K, 6) float64, of assemblies
    """
    u, v, w = 0.0, 0.0, 0.0
    for k in range(MOST_VERTICES):
        i = rows.vertex[c, k]
        if i < 0:
            break
        s = rows.weight[c, k]
        u += s * x[i, 0]
        v += s * x[i, 1]
        w += s * x[i, 2]
    if rows.slot[c] >= 0:
        a, b, e = slot_motion(rows, slots, c, y)
        return u - a, v - b, w - e
    return u, v, w


@kernel(inner=True)
def add_row_force(rows: Rows, slots: Slots, c: int, f: float, g: float, h: float, x: Array, y: Array) -> None:
    """Add a force (f, g, h) on the point of a row to vertices (N, 3), and its opposite to the assembly (K, 6)."""
    for k in range(MOST_VERTICES):
        i = rows.vertex[c, k]
        if i < 0:
            break
        s = rows.weight[c, k]
        x[i, 0] += s * f
        x[i, 1] += s * g
        x[i, 2] += s * h
    if rows.slot[c] >= 0:
        a, o = y[slots.place[rows.slot[c]]], rows.arm[c]
        a[0] -= f
        a[1] -= g
        a[2] -= h
        a[3] -= o[1] * h - o[2] * g
        a[4] -= o[2] * f - o[0] * h
        a[5] -= o[0] * g - o[1] * f


@kernel(inner=True)
def row_stiffness(rows: Rows, c: int, u: float, v: float, w: float) -> tuple[float, float, float]:
    """What a row resists a motion (u, v, w) of its point with [N]."""
    k, t, n = rows.stiffness[c], rows.tangential[c], rows.normal[c]
    if rows.tie[c] >= 0:
        return k * u, k * v, k * w
    along = (k - t) * (n[0] * u + n[1] * v + n[2] * w)
    return along * n[0] + t * u, along * n[1] + t * v, along * n[2] + t * w


class Group(NamedTuple):
    """One system: what rows join.

    body : (n,) int64; row : (m,) int32; slot : (k,) int32, places in Slots
    """

    body: Index
    row: Index
    slot: Index


@kernel(inner=True)
def multiply(
    m: Matrix,
    bodies: BodyTable,
    group: Group,
    rows: Rows,
    slots: Slots,
    pinned: Array,
    x: Array,
    y: Array,
    out: Array,
    slot_out: Array,
) -> None:
    """(out, slot_out) = A (x, y) of a group, nothing for pinned vertices."""
    for b in group.body:
        first, last = bodies.first[b], bodies.first[b + 1]
        for n in range(bodies.leads[b], bodies.leads[b + 1]):
            i = bodies.leading[n]
            out[i, 0], out[i, 1], out[i, 2] = 0.0, 0.0, 0.0
        add_scalar_product(m.rows, first, last, x, out)
        if bodies.solver[b] == Solver.FACTOR:
            if m.turns.able[b]:
                let_turn(m.turns, m.island, bodies.leading[bodies.leads[b] : bodies.leads[b + 1]], x, out)
        else:
            add_block_product(m.pattern, m.blocks, first, last, x, out)
    for k in group.slot:
        s, o = slots.mass[k], slots.inertia[k]
        for c in range(3):
            slot_out[k, c] = s * y[k, c]
            slot_out[k, 3 + c] = o[c, 0] * y[k, 3] + o[c, 1] * y[k, 4] + o[c, 2] * y[k, 5]
    for c in group.row:
        if rows.active[c]:
            u, v, w = row_motion(rows, slots, c, x, y)
            f, g, h = row_stiffness(rows, c, u, v, w)
            add_row_force(rows, slots, c, f, g, h, out, slot_out)
    for b in group.body:
        if bodies.still[b]:
            for n in range(bodies.leads[b], bodies.leads[b + 1]):
                i = bodies.leading[n]
                if pinned[i]:
                    out[i, 0], out[i, 1], out[i, 2] = 0.0, 0.0, 0.0


@kernel(inner=True)
def prepare_preconditioner(m: Matrix, bodies: BodyTable, group: Group, rows: Rows, slots: Slots, pinned: Array) -> None:
    """Inverses of each body and assembly of a group by itself, with the rows on it."""
    extra, levels = m.extra, m.levels
    depth = len(levels.first)
    for b in group.body:
        for level in range(depth if bodies.solver[b] == Solver.LEVELS else 1):
            extra[levels.first[level, b] : levels.first[level, b + 1]] = 0.0
    for k in group.slot:
        a = slots.matrix[k]
        a[:, :] = 0.0
        for c in range(3):
            a[c, c] = slots.mass[k]
            for d in range(3):
                a[3 + c, 3 + d] = slots.inertia[k, c, d]
    s = m.pair[0]
    t = m.pair[1]
    for c in group.row:
        if not rows.active[c]:
            continue
        n = rows.normal[c]
        stiff, across = rows.stiffness[c], rows.tangential[c]
        if rows.tie[c] >= 0:
            across = stiff
        for i in range(3):
            for j in range(3):
                s[i, j] = (stiff - across) * n[i] * n[j]
            s[i, i] += across
        whole = 0.0
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
                    extra[i, p, q] += weight * s[p, q]
        if rows.slot[c] >= 0:
            a, o = slots.matrix[slots.place[rows.slot[c]]], rows.arm[c]
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
    for k in group.slot:
        factor_cholesky(slots.matrix[k], 6)
    for b in group.body:
        if bodies.solver[b] == Solver.CHAIN:
            begin, end = bodies.leads[b], bodies.leads[b + 1]
            factor_chain(m.rows, m.pattern, m.blocks, extra, pinned, bodies.leading, begin, end, m.chain)
        elif bodies.solver[b] == Solver.FACTOR:
            _invert_touched(m, bodies, b, pinned)
        elif bodies.solver[b] == Solver.LEVELS:
            for level in range(depth - 1):
                for i in range(levels.first[level, b], levels.first[level, b + 1]):
                    if extra[i, 0, 0] + extra[i, 1, 1] + extra[i, 2, 2] > 0.0:
                        for k in range(levels.parent_start[i], levels.parent_start[i + 1]):
                            p, weight = levels.parent[k], levels.weight[k]
                            for r in range(3):
                                for c in range(3):
                                    extra[p, r, c] += weight * extra[i, r, c]
            for level in range(depth):
                invert_diagonals(
                    m.pattern,
                    levels.mass,
                    extra,
                    pinned,
                    levels.first[level, b],
                    levels.first[level, b + 1],
                    m.blocks,
                    m.pair,
                    m.inverse,
                )


@kernel(inner=True)
def _invert_touched(m: Matrix, bodies: BodyTable, b: int, pinned: Array) -> None:
    """Inverses of the diagonal blocks of a lattice's vertices that rows hold, none of others."""
    a = m.pair[0]
    for n in range(bodies.leads[b], bodies.leads[b + 1]):
        i = bodies.leading[n]
        o, e = m.inverse[i], m.extra[i]
        if pinned[i] or not e[0, 0] + e[1, 1] + e[2, 2] > 0.0:
            o[:, :] = 0.0
            continue
        for r in range(3):
            for c in range(3):
                a[r, c] = e[r, c]
            a[r, r] += m.levels.mass[i] + m.factor.stiffness[i]
        invert_symmetric_3x3(a, m.pair[1])
        for r in range(3):
            for c in range(3):
                o[r, c] = m.pair[1, r, c]


@kernel(inner=True)
def build_levels_of(m: Matrix, body: int) -> None:
    """The blocks of a body's coarser levels, from those of its vertices."""
    levels = m.levels
    for level in range(len(levels.first) - 1):
        first, last = levels.first[level + 1, body], levels.first[level + 1, body + 1]
        if last == first:
            return
        for e in range(m.pattern.start[first], m.pattern.start[last]):
            m.blocks[e, :, :] = 0.0
        coarsen_blocks(m.pattern, levels, levels.first[level, body], levels.first[level, body + 1], m.blocks)
        mirror_blocks(m.pattern, first, last, m.blocks)


@kernel(inner=True)
def _precondition(
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
    """(z, slot_z), roughly A^-1 (r, slot_r). Returns r . z [J]."""
    out = _invert_bodies(m, bodies, group, rows, pinned, r, z)
    for k in group.slot:
        solve_cholesky(slots.matrix[k], 6, slot_r[k], slot_z[k])
        for c in range(6):
            out += slot_r[k, c] * slot_z[k, c]
    if m.riding.used[0]:
        out += ride_along(m.riding, bodies, group.body, r, z, slot_r, slot_z)
    return out


@kernel(inner=True)
def _prepare_riding(
    m: Matrix, bodies: BodyTable, group: Group, rows: Rows, slots: Slots, pinned: Array, v: Vectors
) -> None:
    """How bodies follow the assemblies that carry them, and the system of that."""
    if len(group.slot) == 0:
        m.riding.used[0] = 0
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
                for k in range(MOST_VERTICES):
                    i = rows.vertex[c, k]
                    if i < 0:
                        break
                    s = rows.weight[c, k]
                    v.r[i, 0] += s * f
                    v.r[i, 1] += s * g
                    v.r[i, 2] += s * h
        _invert_bodies(m, bodies, group, rows, pinned, v.r, v.z)
        for b in group.body:
            for n in range(bodies.leads[b], bodies.leads[b + 1]):
                i = bodies.leading[n]
                for c in range(3):
                    m.riding.way[j, i, c] = v.p[i, c] = v.z[i, c]
        multiply(m, bodies, group, rows, slots, pinned, v.p, v.slot_p, v.q, v.slot_q)
        add_motion(m.riding, j, bodies, group.body, v.q, v.slot_q)
    factor_cholesky(m.riding.matrix, 6 * count)


@kernel(inner=True)
def _add_rows_of_lattices(m: Matrix, group: Group, rows: Rows, x: Array, out: Array) -> None:
    """out += what rows add to the matrix of lattices, times x, where all else stands still; x, out (N, 3)."""
    for c in group.row:
        if not rows.active[c]:
            continue
        u, v, w, any_of = 0.0, 0.0, 0.0, False
        for k in range(MOST_VERTICES):
            i = rows.vertex[c, k]
            if i < 0:
                break
            if m.factor.stiffness[i] > 0.0:
                any_of, s = True, rows.weight[c, k]
                u, v, w = u + s * x[i, 0], v + s * x[i, 1], w + s * x[i, 2]
        if not any_of:
            continue
        f, g, h = row_stiffness(rows, c, u, v, w)
        for k in range(MOST_VERTICES):
            i = rows.vertex[c, k]
            if i < 0:
                break
            if m.factor.stiffness[i] > 0.0:
                s = rows.weight[c, k]
                out[i, 0] += s * f
                out[i, 1] += s * g
                out[i, 2] += s * h


@kernel(inner=True)
def _let_touched_go(m: Matrix, bodies: BodyTable, group: Group, r: Array, out: Array) -> None:
    """What vertices of lattices that rows hold make of r, each by itself."""
    for b in group.body:
        if bodies.solver[b] == Solver.FACTOR:
            for n in range(bodies.leads[b], bodies.leads[b + 1]):
                i = bodies.leading[n]
                o, x, y, z = m.inverse[i], r[i, 0], r[i, 1], r[i, 2]
                for c in range(3):
                    out[i, c] = o[c, 0] * x + o[c, 1] * y + o[c, 2] * z


@kernel(inner=True)
def _invert_lattices(m: Matrix, bodies: BodyTable, group: Group, rows: Rows, pinned: Array, r: Array, z: Array) -> None:
    """z, roughly what the matrix A + C of the lattices of a group makes of r: A is factored, C is of rows.

    What rows hold is let go by itself, then the whole without rows, then the first again: I - (A + C) times it is X'
    (I - (A + C) / A) X, X what the first leaves, which has little of what rows resist. So it is symmetric, and at least
    the inverse, since A + C is at least A.
    """
    held, left = m.held, m.left
    _let_touched_go(m, bodies, group, r, held)
    for b in group.body:
        if bodies.solver[b] == Solver.FACTOR:
            for n in range(bodies.leads[b], bodies.leads[b + 1]):
                i = bodies.leading[n]
                left[i, 0], left[i, 1], left[i, 2] = 0.0, 0.0, 0.0
            add_scalar_product(m.rows, bodies.first[b], bodies.first[b + 1], held, left)
            if m.turns.able[b]:
                let_turn(m.turns, m.island, bodies.leading[bodies.leads[b] : bodies.leads[b + 1]], held, left)
    _add_rows_of_lattices(m, group, rows, held, left)
    for b in group.body:
        if bodies.solver[b] == Solver.FACTOR:
            first, last = bodies.first[b], bodies.first[b + 1]
            for n in range(bodies.leads[b], bodies.leads[b + 1]):
                i = bodies.leading[n]
                free = not (bodies.still[b] and pinned[i])
                for c in range(3):
                    left[i, c] = r[i, c] - left[i, c] if free else 0.0
            solve_factored(m.factor, first, last, left, z, m.work)
            if m.turns.able[b]:
                turn_on(m.turns, m.island, bodies.leading[bodies.leads[b] : bodies.leads[b + 1]], left, z)
            for n in range(bodies.leads[b], bodies.leads[b + 1]):
                i = bodies.leading[n]
                if bodies.still[b] and pinned[i]:
                    z[i, 0], z[i, 1], z[i, 2] = 0.0, 0.0, 0.0
                for c in range(3):
                    z[i, c] += held[i, c]
                    held[i, c], left[i, c] = z[i, c] - held[i, c], 0.0
    _add_rows_of_lattices(m, group, rows, held, left)
    _let_touched_go(m, bodies, group, left, held)
    for b in group.body:
        if bodies.solver[b] == Solver.FACTOR:
            for n in range(bodies.leads[b], bodies.leads[b + 1]):
                i = bodies.leading[n]
                for c in range(3):
                    z[i, c] -= held[i, c]


@kernel(inner=True)
def _invert_bodies(m: Matrix, bodies: BodyTable, group: Group, rows: Rows, pinned: Array, r: Array, z: Array) -> float:
    """z, roughly what each body's own matrix makes of r. Returns r . z [J]."""
    out, touched = 0.0, len(group.row) > 0
    if touched:
        _invert_lattices(m, bodies, group, rows, pinned, r, z)
    for b in group.body:
        first, last = bodies.first[b], bodies.first[b + 1]
        if bodies.solver[b] == Solver.CHAIN:
            solve_chain(m.chain, bodies.leading, bodies.leads[b], bodies.leads[b + 1], r, z)
        elif bodies.solver[b] == Solver.FACTOR:
            if not touched:
                solve_factored(m.factor, first, last, r, z, m.work)
                if m.turns.able[b]:
                    turn_on(m.turns, m.island, bodies.leading[bodies.leads[b] : bodies.leads[b + 1]], r, z)
        else:
            cycle(m.pattern, m.levels, b, m.blocks, m.inverse, r, z)
        for n in range(bodies.leads[b], bodies.leads[b + 1]):
            i = bodies.leading[n]
            if bodies.still[b] and pinned[i]:
                z[i, 0], z[i, 1], z[i, 2] = 0.0, 0.0, 0.0
            out += r[i, 0] * z[i, 0] + r[i, 1] * z[i, 1] + r[i, 2] * z[i, 2]
    return out


@kernel(inner=True)
def solve_system(
    m: Matrix,
    bodies: BodyTable,
    group: Group,
    rows: Rows,
    slots: Slots,
    pinned: Array,
    v: Vectors,
    enough: float,
    most: int,
) -> int:
    """From displacements in v.d and v.slot_d on to those that solve the system for the forces in v.b and v.slot_b.

    enough  : float, [J], square of the error in the energy norm that is let be, as far as it is known
    most    : int, iterations
    Returns : iterations
    """
    d, r, z, p, q = v.d, v.r, v.z, v.p, v.q
    _prepare_riding(m, bodies, group, rows, slots, pinned, v)
    multiply(m, bodies, group, rows, slots, pinned, d, v.slot_d, q, v.slot_q)
    for b in group.body:
        for n in range(bodies.leads[b], bodies.leads[b + 1]):
            i = bodies.leading[n]
            free = not (bodies.still[b] and pinned[i])
            for c in range(3):
                r[i, c] = v.b[i, c] - q[i, c] if free else 0.0
                p[i, c] = 0.0
    for k in group.slot:
        for c in range(6):
            v.slot_r[k, c] = v.slot_b[k, c] - v.slot_q[k, c]
            v.slot_p[k, c] = 0.0
    before, least, first_size = 0.0, 0.0, 0.0
    for iteration in range(most):
        size = 0.0
        for b in group.body:
            for n in range(bodies.leads[b], bodies.leads[b + 1]):
                i = bodies.leading[n]
                size += r[i, 0] * r[i, 0] + r[i, 1] * r[i, 1] + r[i, 2] * r[i, 2]
        for k in group.slot:
            for c in range(6):
                size += v.slot_r[k, c] * v.slot_r[k, c]
        if iteration == 0:
            first_size = size
        elif size <= DONE * first_size:
            return iteration
        now = _precondition(m, bodies, group, rows, slots, pinned, r, z, v.slot_r, v.slot_z)
        if iteration == 0:
            least = DONE * now
        if now <= least or not now > 0.0:
            return iteration
        beta = now / before if iteration else 0.0
        before = now
        for b in group.body:
            for n in range(bodies.leads[b], bodies.leads[b + 1]):
                i = bodies.leading[n]
                for c in range(3):
                    p[i, c] = z[i, c] + beta * p[i, c]
        for k in group.slot:
            for c in range(6):
                v.slot_p[k, c] = v.slot_z[k, c] + beta * v.slot_p[k, c]
        multiply(m, bodies, group, rows, slots, pinned, p, v.slot_p, q, v.slot_q)
        along = 0.0
        for b in group.body:
            for n in range(bodies.leads[b], bodies.leads[b + 1]):
                i = bodies.leading[n]
                along += p[i, 0] * q[i, 0] + p[i, 1] * q[i, 1] + p[i, 2] * q[i, 2]
        for k in group.slot:
            for c in range(6):
                along += v.slot_p[k, c] * v.slot_q[k, c]
        if not along > 0.0:
            return iteration
        step = now / along
        for b in group.body:
            for n in range(bodies.leads[b], bodies.leads[b + 1]):
                i = bodies.leading[n]
                for c in range(3):
                    d[i, c] += step * p[i, c]
                    r[i, c] -= step * q[i, c]
        for k in group.slot:
            for c in range(6):
                v.slot_d[k, c] += step * v.slot_p[k, c]
                v.slot_r[k, c] -= step * v.slot_q[k, c]
        if LEFT * step * now < enough:
            return iteration + 1
    return most
