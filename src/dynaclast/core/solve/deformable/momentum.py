"""Momentum of what only touches itself: what iterations leave over of it is made good by a motion of the whole."""

from __future__ import annotations

import numpy as np

from ...arrays import Array
from ...kernels import kernel
from ...kernels.linalg import invert_symmetric_3x3
from ...kernels.union_find import find_root, unite
from ..state import Assemblies
from .parts import Deformables
from .system import POINTS
from .tables import MOST_VERTICES

ROUND = 1e-9
"""A share of its inertia that a group is given about every axis, so that a straight line is not spun about itself."""


@kernel(inner=True)
def _arm(at: Array, group: Array) -> tuple[float, float, float]:
    """From the centre of a group, of which the sums are known."""
    return at[0] - group[4] / group[3], at[1] - group[5] / group[3], at[2] - group[6] / group[3]


@kernel(inner=True)
def add_inertia(m: float, x: float, y: float, z: float, out: Array) -> None:
    """Add that of a mass at an arm to (9,)."""
    out[0] += m * (y * y + z * z)
    out[1] -= m * x * y
    out[2] -= m * x * z
    out[4] += m * (x * x + z * z)
    out[5] -= m * y * z
    out[8] += m * (x * x + y * y)


@kernel(inner=True)
def invert_inertia(inertia: Array, out: Array) -> None:
    """Of what ``add_inertia`` summed (9,), with a little more about every axis (ROUND), into (3, 3)."""
    least = ROUND * (inertia[0] + inertia[4] + inertia[8])
    out[0, 0], out[0, 1], out[0, 2] = inertia[0] + least, inertia[1], inertia[2]
    out[1, 1], out[1, 2], out[2, 2] = inertia[4] + least, inertia[5], inertia[8] + least
    invert_symmetric_3x3(out, out)


@kernel(inner=True)
def _add_lost(m: float, x: float, y: float, z: float, d: Array, way: Array, out: Array) -> None:
    """Add angular momentum of a mass at an arm that moves by d, and half the mass times the square of what it moves
    otherwise than by itself, to (4,).
    """
    out[0] += m * (y * d[2] - z * d[1])
    out[1] += m * (z * d[0] - x * d[2])
    out[2] += m * (x * d[1] - y * d[0])
    u, v, w = d[0] - way[0], d[1] - way[1], d[2] - way[2]
    out[3] += 0.5 * m * (u * u + v * v + w * w)


@kernel(inner=True)
def _find_turn(group: Array, matrix: Array) -> None:
    """What turn (3,) [rad] makes good the torque of a group, in the torque's place; no more of it than brings back the
    energy of motion that implicit Euler takes at least, 1/2 M |d - way|^2.
    """
    invert_inertia(group[10:], matrix)
    a, b, c = group[7], group[8], group[9]
    given, square = 0.0, 0.0
    for r in range(3):
        t = matrix[r, 0] * a + matrix[r, 1] * b + matrix[r, 2] * c
        given += t * group[19 + r]
        square += t * group[7 + r]
        group[16 + r] = t
    lost, share = group[22], 1.0
    if given + 0.5 * square > lost and square > 0.0:
        share = min(1.0, (np.sqrt(given * given + 2.0 * square * lost) - given) / square)
    for r in range(3):
        group[7 + r] = share * group[16 + r]


@kernel(inner=True)
def _find_motion(group: Array, matrix: Array) -> None:
    """In place of a group's sums, its shift, centre and turn; its mass becomes 0 as a sign of that."""
    _find_turn(group, matrix)
    for c in range(3):
        group[c] /= group[3]
        group[4 + c] /= group[3]
    group[3] = 0.0


@kernel(inner=True)
def _find_groups(d: Deformables, count: int) -> None:
    """What hangs together and assemblies, united where rows join them; held where anything fixed, pinned or drawn back
    holds one.
    """
    bodies, table, rows, slots, s = d.elements.bodies, d.elements.vertices, d.rows, d.slots, d.scratch
    parent, held, many = s.parent, s.held, len(table.island)
    for b in d.awake:
        for n in range(bodies.leads[b], bodies.leads[b + 1]):
            k = table.island[bodies.leading[n]]
            parent[k], held[k] = k, 0
            s.total[k, :] = 0.0
    for k in range(many, many + slots.used[0]):
        parent[k], held[k] = k, 0
        s.total[k, :] = 0.0
    for c in range(count):
        if not rows.solved[c]:  # what has come loose since was held by it all the same
            continue
        first, alone = table.island[rows.vertex[c, 0]], True
        for k in range(1, MOST_VERTICES):
            if rows.vertex[c, k] < 0:
                break
            other = table.island[rows.vertex[c, k]]
            if other != first:
                unite(parent, first, other)
        for k in range(MOST_VERTICES):
            if rows.vertex[c, k] >= 0 and rows.weight[c, k] < 0.0:
                alone = False
        if rows.slot[c] >= 0:
            unite(parent, first, np.int32(many + slots.place[rows.slot[c]]))
        elif alone:
            held[first] = 1
    touch = slots.touch
    for q in range(touch.count[POINTS]):
        if not touch.solved[q]:
            continue
        one, other = touch.slot[q, 0], touch.slot[q, 1]
        if one >= 0 and other >= 0:
            unite(parent, np.int32(many + slots.place[one]), np.int32(many + slots.place[other]))
        else:
            held[many + slots.place[max(one, other)]] = 1
    for b in d.awake:
        for n in range(bodies.leads[b], bodies.leads[b + 1]):
            i = bodies.leading[n]
            if d.pinned[i] or table.recall[i] > 0.0 or held[table.island[i]]:
                held[find_root(parent, table.island[i])] = 1
    for k in range(many, many + slots.used[0]):
        if held[k]:
            held[find_root(parent, k)] = 1


@kernel(inner=True)
def _add_forces(d: Deformables, assemblies: Assemblies) -> None:
    """What is left of the forces on each group, its mass, and that times its centre."""
    bodies, table, slots, v, s = d.elements.bodies, d.elements.vertices, d.slots, d.vectors, d.scratch
    for b in d.awake:
        for n in range(bodies.leads[b], bodies.leads[b + 1]):
            i = bodies.leading[n]
            group = s.total[find_root(s.parent, table.island[i])]
            for c in range(3):
                group[c] += v.r[i, c]
                group[4 + c] += table.heavy[i] * d.vertices.position[i, c]
            group[3] += table.heavy[i]
    for k in range(slots.used[0]):
        group, at = s.total[find_root(s.parent, len(table.island) + k)], assemblies.position[slots.slot[k]]
        for c in range(3):
            group[c] += v.slot_r[k, c]
            group[4 + c] += slots.mass[k] * at[c]
        group[3] += slots.mass[k]


@kernel(inner=True)
def _add_torques(d: Deformables, assemblies: Assemblies) -> None:
    """By how much the angular momentum of each group is not what it would be by itself, its inertia, its angular
    momentum, and half of its mass times the square of what it moves otherwise.
    """
    bodies, table, slots, v, s = d.elements.bodies, d.elements.vertices, d.slots, d.vectors, d.scratch
    for b in d.awake:
        for n in range(bodies.leads[b], bodies.leads[b + 1]):
            i = bodies.leading[n]
            group, m, way = s.total[find_root(s.parent, table.island[i])], table.heavy[i], s.way[i]
            p, q, r = _arm(d.vertices.position[i], group)
            u, w, z = m * (way[0] - v.d[i, 0]), m * (way[1] - v.d[i, 1]), m * (way[2] - v.d[i, 2])
            group[7] += q * z - r * w
            group[8] += r * u - p * z
            group[9] += p * w - q * u
            add_inertia(m, p, q, r, group[10:])
            _add_lost(m, p, q, r, v.d[i], way, group[19:])
    for k in range(slots.used[0]):
        group, m, y = s.total[find_root(s.parent, len(table.island) + k)], slots.mass[k], v.slot_d[k]
        p, q, r = _arm(assemblies.position[slots.slot[k]], group)
        base = s.slot_base[k]
        u, w, z = base[0] - m * y[0], base[1] - m * y[1], base[2] - m * y[2]
        group[7] += q * z - r * w
        group[8] += r * u - p * z
        group[9] += p * w - q * u
        add_inertia(m, p, q, r, group[10:])
        group[19] += m * (q * y[2] - r * y[1])
        group[20] += m * (r * y[0] - p * y[2])
        group[21] += m * (p * y[1] - q * y[0])
        group[22] += 0.5 * (u * u + w * w + z * z) / m
        for i in range(3):
            turning = 0.0
            for c in range(3):
                turning += slots.inertia[k, i, c] * y[3 + c]
                group[10 + 3 * i + c] += slots.inertia[k, i, c]
            group[7 + i] += base[3 + i] - turning
            group[19 + i] += turning


@kernel(inner=True)
def _move(at: Array, group: Array, matrix: Array, d: Array) -> None:
    """Add the motion of a group to the displacement (3,) of what is at a place (3,)."""
    if group[3] > 0.0:
        _find_motion(group, matrix)
    p, q, r = at[0] - group[4], at[1] - group[5], at[2] - group[6]
    d[0] += group[0] + group[8] * r - group[9] * q
    d[1] += group[1] + group[9] * p - group[7] * r
    d[2] += group[2] + group[7] * q - group[8] * p


@kernel(inner=True)
def keep_momentum(d: Deformables, assemblies: Assemblies, count: int) -> None:
    """Shift and turn each group of what hangs together and of assemblies that touch, so that it has the momentum and
    the angular momentum that it would have without forces between its parts. A group that anything fixed, pinned or
    drawn back holds is left as it is.

    Without, a step of implicit Euler takes h sum(v x f) of angular momentum by its inner forces f, and what turns comes
    to a stop (Simo, Tarnow and Wong 1992, "Exact energy-momentum conserving algorithms", doi
    10.1016/0045-7825(92)90115-Z).

    count : int, rows; what is left of forces is in d.vectors.r and slot_r, displacements in d.vectors.d and slot_d
    """
    bodies, table, slots, v, s = d.elements.bodies, d.elements.vertices, d.slots, d.vectors, d.scratch
    _find_groups(d, count)
    _add_forces(d, assemblies)
    _add_torques(d, assemblies)
    for b in d.awake:
        for n in range(bodies.leads[b], bodies.leads[b + 1]):
            i = bodies.leading[n]
            root = find_root(s.parent, table.island[i])
            if not s.held[root]:
                _move(d.vertices.position[i], s.total[root], s.matrix3, v.d[i])
    for k in range(slots.used[0]):
        root = find_root(s.parent, len(table.island) + k)
        if not s.held[root]:
            group, y = s.total[root], v.slot_d[k]
            _move(assemblies.position[slots.slot[k]], group, s.matrix3, y)
            for c in range(3):
                y[3 + c] += group[7 + c]
