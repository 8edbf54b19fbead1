"""Cloth as wholes: what iterations leave over of its balance as rigid things is made good exactly.

What is let be of a step is small, but where it is a slow motion of the whole it is the same in every step: friction
that hardly shows against the stiffness of cloth never came to slow a sheet that spins on the ground. So after the
iterations each thing that hangs together is shifted and turned so that what is left of its forces has no sum and no
moment: the best correction, in the energy norm, along the motion that its mass and its rows alone ask for.

Source: Nicolaides 1987, "Deflation of conjugate gradients with applications to boundary value problems" (doi
10.1137/0724027): rigid motions as the coarse space.
"""

from __future__ import annotations

from ...arrays import Array
from ...kernels import kernel
from ...kernels.linalg import factor_cholesky, solve_cholesky
from ...kernels.simd import clear
from .momentum import ROUND
from .parts import Deformables
from .system import Group, multiply
from .tables import MOST_VERTICES, Solver


@kernel(inner=True)
def _begin(d: Deformables, group: Group) -> bool:
    """Of each thing of a group that is solved by levels, into scratch.wholes: its centre [0:3], its mass over the
    square of the step [3], and the force and torque that are left on it [4:10]; the inertia against both into
    scratch.resists; whether there is any that nothing pins.
    """
    t, s, table, x, r = d.elements.bodies, d.scratch, d.elements.vertices, d.vertices.position, d.vectors.r
    found = False
    for b in group.body:
        if t.solver[b] != Solver.LEVELS:
            continue
        last = -1
        for n in range(t.leads[b], t.leads[b + 1]):
            k = table.island[t.leading[n]]
            if k != last:
                clear(s.wholes, k, k + 1)
                clear(s.resists, k, k + 1)
                s.held[k], last = 0, k
        for n in range(t.leads[b], t.leads[b + 1]):
            i = t.leading[n]
            g, m = s.wholes[table.island[i]], table.heavy[i]
            g[3] += m
            for c in range(3):
                g[c] += m * x[i, c]
            if d.pinned[i] or table.recall[i] > 0.0:
                s.held[table.island[i]] = 1
        for n in range(t.leads[b], t.leads[b + 1]):
            i = t.leading[n]
            k = table.island[i]
            found = found or not s.held[k]
            g, a, m = s.wholes[k], s.resists[k], table.heavy[i]
            p, q, u = x[i, 0] - g[0] / g[3], x[i, 1] - g[1] / g[3], x[i, 2] - g[2] / g[3]
            for c in range(3):
                g[4 + c] += r[i, c]
                a[c, c] += m
            g[7] += q * r[i, 2] - u * r[i, 1]
            g[8] += u * r[i, 0] - p * r[i, 2]
            g[9] += p * r[i, 1] - q * r[i, 0]
            a[3, 3] += m * (q * q + u * u)
            a[4, 4] += m * (p * p + u * u)
            a[5, 5] += m * (p * p + q * q)
            a[4, 3] -= m * p * q
            a[5, 3] -= m * p * u
            a[5, 4] -= m * q * u
    return found


@kernel(inner=True)
def _add_rows(d: Deformables, group: Group) -> None:
    """What the rows that press hold each thing with, as if what they lead to stood still."""
    rows, s, table, x, w = d.rows, d.scratch, d.elements.vertices, d.vertices.position, d.scratch.corner
    solver, body = d.elements.bodies.solver, table.body
    for c in group.row:
        if not rows.active[c]:
            continue
        n, along, across = rows.normal[c], rows.stiffness[c], rows.tangential[c]
        if rows.tie[c] >= 0:
            across = along
        for k in range(MOST_VERTICES):
            i = rows.vertex[c, k]
            if i < 0:
                break
            of, seen = table.island[i], False
            for e in range(k):
                seen = seen or table.island[rows.vertex[c, e]] == of
            if seen or solver[body[i]] != Solver.LEVELS:
                continue
            g = s.wholes[of]
            share, p, q, u = 0.0, 0.0, 0.0, 0.0
            for e in range(k, MOST_VERTICES):
                j = rows.vertex[c, e]
                if j < 0:
                    break
                if table.island[j] == of:
                    f = rows.weight[c, e]
                    share += f
                    p += f * (x[j, 0] - g[0] / g[3])
                    q += f * (x[j, 1] - g[1] / g[3])
                    u += f * (x[j, 2] - g[2] / g[3])
            a = s.resists[of]
            for axis in range(4):  # along each, and along the normal: how the point moves there with shift and turn
                e, stiff = s.matrix3[0], across
                e[0], e[1], e[2] = n[0], n[1], n[2]
                if axis < 3:
                    e[0], e[1], e[2] = 0.0, 0.0, 0.0
                    e[axis] = 1.0
                else:
                    stiff = along - across
                w[0, 0], w[0, 1], w[0, 2] = share * e[0], share * e[1], share * e[2]
                w[0, 3], w[0, 4], w[0, 5] = q * e[2] - u * e[1], u * e[0] - p * e[2], p * e[1] - q * e[0]
                for row in range(6):
                    for column in range(row + 1):
                        a[row, column] += stiff * w[0, row] * w[0, column]


@kernel(inner=True)
def _solve(g: Array, a: Array) -> None:
    """In place of force and torque g[4:10], the shift and the turn that take them; a (6, 6), what resists."""
    least = ROUND * (a[3, 3] + a[4, 4] + a[5, 5])
    for c in range(3, 6):
        a[c, c] += least
    factor_cholesky(a, 6)
    solve_cholesky(a, 6, g[4:10], g[4:10])


@kernel(inner=True)
def balance_wholes(d: Deformables, group: Group) -> None:
    """Shift and turn what hangs together in a group that rows hold, on from a solution: d.vectors.d, and r, what is
    left of the forces.
    """
    t, s, table, x, v = d.elements.bodies, d.scratch, d.elements.vertices, d.vertices.position, d.vectors
    if len(group.row) == 0 or not _begin(d, group):
        return
    _add_rows(d, group)
    for b in group.body:
        levels = t.solver[b] == Solver.LEVELS
        for n in range(t.leads[b], t.leads[b + 1]):
            i = t.leading[n]
            v.p[i, 0], v.p[i, 1], v.p[i, 2] = 0.0, 0.0, 0.0
            k = table.island[i]
            if not levels or s.held[k]:
                continue
            g = s.wholes[k]
            if g[3] > 0.0:  # the first of its own
                _solve(g, s.resists[k])
                for c in range(3):
                    g[c] /= g[3]
                g[3] = 0.0
            p, q, u = x[i, 0] - g[0], x[i, 1] - g[1], x[i, 2] - g[2]
            v.p[i, 0] = g[4] + g[8] * u - g[9] * q
            v.p[i, 1] = g[5] + g[9] * p - g[7] * u
            v.p[i, 2] = g[6] + g[7] * q - g[8] * p
    for k in group.slot:
        v.slot_p[k, :] = 0.0
    multiply(d.matrix, t, group, d.rows, d.slots, d.pinned, v.p, v.slot_p, v.q, v.slot_q)
    force, along = 0.0, 0.0
    for b in group.body:
        for n in range(t.leads[b], t.leads[b + 1]):
            i = t.leading[n]
            for c in range(3):
                force += v.p[i, c] * v.r[i, c]
                along += v.p[i, c] * v.q[i, c]
    if not along > 0.0:
        return
    share = force / along
    for b in group.body:
        for n in range(t.leads[b], t.leads[b + 1]):
            i = t.leading[n]
            for c in range(3):
                v.d[i, c] += share * v.p[i, c]
                v.r[i, c] -= share * v.q[i, c]
    for k in group.slot:
        for c in range(6):
            v.slot_r[k, c] -= share * v.slot_q[k, c]
