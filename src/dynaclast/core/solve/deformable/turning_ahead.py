"""Cloth that turns as a whole is linearised where that turns it to, not where it is.

A step takes every vertex along a straight line first. What turns is so stretched, by half the square of the angle, and
stretched cloth resists turning on with all its stiffness: linearised where it is, a sheet of canvas that spun on the
ground lost most of its spin in a step or two. Elements turned like a rigid body are not stretched, and resist only what
is left: that the sheet does not fly apart.

Source: Hauth, Etzmuss and Strasser 2003, "Analysis of numerical methods for the simulation of deformable models" (doi
10.1007/s00371-003-0206-2): where implicit steps are linearised; Rodrigues' formula.
"""

from __future__ import annotations

import numpy as np

from ...kernels import kernel
from .momentum import add_inertia, invert_inertia
from .parts import Deformables
from .pattern import add_block_product, add_scalar_product
from .tables import Solver

HARDLY = 1e-4
"""What turns by less in a step [rad] is not stretched by it to speak of."""
AS_ONE = 0.8
"""And what has less than this share of its own motion in the turn flaps or whips: that is no turn of the whole."""


@kernel(inner=True)
def _find_turns(d: Deformables, b: int, h: float) -> bool:
    """The centre, [0:3], and the turn in the step, [7:10] [rad], of what hangs together in a body, into scratch.total;
    whether any turns. What is pinned or drawn to somewhere does not.
    """
    t, s, table, x, v = d.elements.bodies, d.scratch, d.elements.vertices, d.vertices.position, d.vertices.velocity
    begin, end = t.leads[b], t.leads[b + 1]
    for n in range(begin, end):
        k = table.island[t.leading[n]]
        s.total[k, :], s.held[k] = 0.0, 0
    for n in range(begin, end):
        i = t.leading[n]
        g, m = s.total[table.island[i]], table.heavy[i]
        for c in range(3):
            g[c] += m * x[i, c]
            g[4 + c] += m * v[i, c]
        g[3] += m
        g[19] += m * (v[i, 0] * v[i, 0] + v[i, 1] * v[i, 1] + v[i, 2] * v[i, 2])
        if d.pinned[i] or table.recall[i] > 0.0:
            s.held[table.island[i]] = 1
    for n in range(begin, end):
        i = t.leading[n]
        g, m = s.total[table.island[i]], table.heavy[i]
        p, q, r = x[i, 0] - g[0] / g[3], x[i, 1] - g[1] / g[3], x[i, 2] - g[2] / g[3]
        g[7] += m * (q * v[i, 2] - r * v[i, 1])
        g[8] += m * (r * v[i, 0] - p * v[i, 2])
        g[9] += m * (p * v[i, 1] - q * v[i, 0])
        add_inertia(m, p, q, r, g[10:])
    turns = False
    for n in range(begin, end):
        k = table.island[t.leading[n]]
        g = s.total[k]
        if g[3] == 0.0:  # not the first of its own
            continue
        p, q, r = h * g[7], h * g[8], h * g[9]
        moves = h * h * (g[19] - (g[4] * g[4] + g[5] * g[5] + g[6] * g[6]) / g[3])
        for c in range(3):
            g[c] /= g[3]
            g[7 + c] = 0.0
        g[3] = 0.0
        if s.held[k] or not g[10] + g[14] + g[18] > 0.0:
            continue
        o = s.matrix3
        invert_inertia(g[10:], o)
        for c in range(3):
            g[7 + c] = o[c, 0] * p + o[c, 1] * q + o[c, 2] * r
        if g[7] * p + g[8] * q + g[9] * r < AS_ONE * moves:
            g[7], g[8], g[9] = 0.0, 0.0, 0.0
        turns = turns or g[7] * g[7] + g[8] * g[8] + g[9] * g[9] > HARDLY * HARDLY
    return turns


@kernel(inner=True)
def turn_ahead(d: Deformables, h: float) -> None:
    """Of cloth, into d.vectors: p, where a turn of the step [s] as a whole takes vertices, without the shift;
    b, how far that is; r, by how much that is not along a straight line; all (N, 3) [m]. Of what turns, scratch.turned
    is 1. Of ropes p is where they are.
    """
    t, s, x, v = d.elements.bodies, d.scratch, d.vertices.position, d.vectors
    for b in d.awake:
        if t.solver[b] == Solver.FACTOR:
            continue
        s.turned[b] = t.solver[b] == Solver.LEVELS and _find_turns(d, b, h)
        for n in range(t.leads[b], t.leads[b + 1]):
            i = t.leading[n]
            if not s.turned[b]:
                v.p[i, 0], v.p[i, 1], v.p[i, 2] = x[i, 0], x[i, 1], x[i, 2]
                continue
            g = s.total[d.elements.vertices.island[i]]
            a = np.sqrt(g[7] * g[7] + g[8] * g[8] + g[9] * g[9])
            once, twice = 1.0 - a * a / 6.0, 0.5 - a * a / 24.0
            if a > 1e-3:
                once, twice = np.sin(a) / a, (1.0 - np.cos(a)) / (a * a)
            p, q, r = x[i, 0] - g[0], x[i, 1] - g[1], x[i, 2] - g[2]
            along = g[7] * p + g[8] * q + g[9] * r
            for c in range(3):
                e, f = (c + 1) % 3, (c + 2) % 3
                line = g[7 + e] * (x[i, f] - g[f]) - g[7 + f] * (x[i, e] - g[e])
                v.b[i, c] = once * line + twice * (along * g[7 + c] - a * a * (x[i, c] - g[c]))
                v.r[i, c] = v.b[i, c] - line
                v.p[i, c] = x[i, c] + v.b[i, c]


@kernel(inner=True)
def go_on_turned(d: Deformables) -> None:
    """The system of what turns, linearised where that turns it to; displacements to begin with are there too."""
    t, table, v, s, m = d.elements.bodies, d.elements.vertices, d.vectors, d.scratch, d.matrix
    for b in d.awake:
        if not s.turned[b]:
            continue
        for n in range(t.leads[b], t.leads[b + 1]):
            i = t.leading[n]
            for c in range(3):
                s.base[i, c] -= (table.heavy[i] + table.recall_damping[i]) * v.b[i, c]
                v.d[i, c] += v.r[i, c]
        add_scalar_product(m.rows, t.first[b], t.first[b + 1], v.b, s.base)
        add_block_product(m.pattern, m.blocks, t.first[b], t.first[b + 1], v.b, s.base)
