"""The matrix of lattices with the rows that hold them, A + C, roughly inverted: A is factored once and for all.

Source: Smith, Bjorstad and Gropp 1996, "Domain decomposition" (multiplicative Schwarz, made symmetric).
"""

from __future__ import annotations

from ...arrays import Array
from ...kernels import kernel
from ...kernels.linalg import invert_symmetric_3x3
from .factor import solve_factored
from .rotations import turn_on
from .system import Group, Matrix, multiply_body, row_stiffness
from .tables import MOST_VERTICES, BodyTable, Rows, Solver


@kernel(inner=True)
def invert_touched(m: Matrix, bodies: BodyTable, b: int, pinned: Array) -> None:
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
        invert_symmetric_3x3(a, o)


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
def solve_lattice(m: Matrix, bodies: BodyTable, b: int, r: Array, z: Array) -> None:
    """z = A^-1 r of a lattice without rows; r, z (N, 3)."""
    solve_factored(m.factor, bodies.first[b], bodies.first[b + 1], r, z, m.work)
    if m.turns.able[b]:
        turn_on(m.turns, m.island, bodies.leading[bodies.leads[b] : bodies.leads[b + 1]], r, z)


@kernel(inner=True)
def invert_lattices(m: Matrix, bodies: BodyTable, group: Group, rows: Rows, pinned: Array, r: Array, z: Array) -> None:
    """z, roughly what the matrix A + C of the lattices of a group makes of r: A is factored, C is of rows.

    What rows hold is let go by itself, then the whole without rows, then the first again: I - (A + C) times it is X'
    (I - (A + C) / A) X, X what the first leaves, which has little of what rows resist. So it is symmetric, and at least
    the inverse, since A + C is at least A.
    """
    held, left = m.held, m.left
    _let_touched_go(m, bodies, group, r, held)
    for b in group.body:
        if bodies.solver[b] == Solver.FACTOR:
            multiply_body(m, bodies, b, held, left)
    _add_rows_of_lattices(m, group, rows, held, left)
    for b in group.body:
        if bodies.solver[b] == Solver.FACTOR:
            for n in range(bodies.leads[b], bodies.leads[b + 1]):
                i = bodies.leading[n]
                free = not (bodies.still[b] and pinned[i])
                for c in range(3):
                    left[i, c] = r[i, c] - left[i, c] if free else 0.0
            solve_lattice(m, bodies, b, left, z)
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
