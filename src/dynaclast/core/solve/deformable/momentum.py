"""Momentum of what only touches itself: what iterations leave over of it is made good by a motion of the whole."""

from __future__ import annotations

from ...arrays import Array, Flags, Index
from ...kernels import kernel
from ...kernels.linalg import invert_symmetric_3x3
from ...kernels.union_find import find_root, unite
from ..state import Assemblies
from .system import Slots, Vectors
from .tables import MOST_VERTICES, BodyTable, Rows, VertexTable

ROUND = 1e-9
"""A share of its inertia that a group is given about every axis, so that a straight line is not spun about itself."""


@kernel(inner=True)
def _add_inertia(m: float, x: float, y: float, z: float, out: Array) -> None:
    """Add that of a mass at an arm to (9,)."""
    out[0] += m * (y * y + z * z)
    out[1] -= m * x * y
    out[2] -= m * x * z
    out[4] += m * (x * x + z * z)
    out[5] -= m * y * z
    out[8] += m * (x * x + y * y)


@kernel(inner=True)
def _find_turn(group: Array, matrix: Array) -> None:
    """What turn (3,) [rad] makes good the torque of a group, in the torque's place."""
    inertia = group[10:]
    least = ROUND * (inertia[0] + inertia[4] + inertia[8])
    matrix[0, 0], matrix[0, 1], matrix[0, 2] = inertia[0] + least, inertia[1], inertia[2]
    matrix[1, 1], matrix[1, 2], matrix[2, 2] = inertia[4] + least, inertia[5], inertia[8] + least
    invert_symmetric_3x3(matrix, matrix)
    a, b, c = group[7], group[8], group[9]
    for r in range(3):
        group[7 + r] = matrix[r, 0] * a + matrix[r, 1] * b + matrix[r, 2] * c


@kernel(inner=True)
def keep_momentum(
    bodies: BodyTable,
    table: VertexTable,
    awake: Index,
    rows: Rows,
    count: int,
    slots: Slots,
    assemblies: Assemblies,
    x: Array,
    v: Vectors,
    parent: Index,
    held: Flags,
    total: Array,
    matrix: Array,
) -> None:
    """Shift and turn each group of bodies and assemblies that touch so that what is left of the forces on it, and of
    their torques, adds up to nothing. A group that anything fixed, pinned or drawn back holds is left as it is.

    count  : int, rows
    x      : (N, 3) float64, [m]
    v      : v.r and v.slot_r, what is left; v.d and v.slot_d are moved
    parent : (B + K,) int32; held (B + K,) uint8; total (B + K, 4 + 3 + 3 + 9) float64, scratch: force and mass, centre,
             torque and then turn, inertia
    matrix : (3, 3) float64, scratch
    """
    many = len(bodies.solver)
    for k in range(many + slots.used[0]):
        parent[k], held[k] = k, 0
        total[k, :] = 0.0
    for b in awake:
        held[b] = bodies.pinned[b]
    for c in range(count):
        if not rows.solved[c]:  # what has come loose since was held by it all the same
            continue
        first, alone = table.body[rows.vertex[c, 0]], True
        for k in range(1, MOST_VERTICES):
            if rows.vertex[c, k] < 0:
                break
            other = table.body[rows.vertex[c, k]]
            if other != first:
                unite(parent, first, other)
        for k in range(MOST_VERTICES):
            if rows.vertex[c, k] >= 0 and rows.weight[c, k] < 0.0:
                alone = False
        if rows.slot[c] >= 0:
            unite(parent, first, many + slots.place[rows.slot[c]])
        elif alone:
            held[first] = 1
    for b in awake:
        group = total[find_root(parent, b)]
        for n in range(bodies.leads[b], bodies.leads[b + 1]):
            i = bodies.leading[n]
            for c in range(3):
                group[c] += v.r[i, c]
                group[4 + c] += table.heavy[i] * x[i, c]
            group[3] += table.heavy[i]
            if table.recall[i] > 0.0:
                held[find_root(parent, b)] = 1
        if held[b]:
            held[find_root(parent, b)] = 1
    for k in range(slots.used[0]):
        group, at = total[find_root(parent, many + k)], assemblies.position[slots.slot[k]]
        for c in range(3):
            group[c] += v.slot_r[k, c]
            group[4 + c] += slots.mass[k] * at[c]
        group[3] += slots.mass[k]
    for k in range(many + slots.used[0]):
        if total[k, 3] > 0.0:
            for c in range(3):
                total[k, 4 + c] /= total[k, 3]
    for b in awake:
        group = total[find_root(parent, b)]
        for n in range(bodies.leads[b], bodies.leads[b + 1]):
            i = bodies.leading[n]
            p, q, r = x[i, 0] - group[4], x[i, 1] - group[5], x[i, 2] - group[6]
            group[7] += q * v.r[i, 2] - r * v.r[i, 1]
            group[8] += r * v.r[i, 0] - p * v.r[i, 2]
            group[9] += p * v.r[i, 1] - q * v.r[i, 0]
            _add_inertia(table.heavy[i], p, q, r, group[10:])
    for k in range(slots.used[0]):
        group, at, left = total[find_root(parent, many + k)], assemblies.position[slots.slot[k]], v.slot_r[k]
        p, q, r = at[0] - group[4], at[1] - group[5], at[2] - group[6]
        group[7] += q * left[2] - r * left[1] + left[3]
        group[8] += r * left[0] - p * left[2] + left[4]
        group[9] += p * left[1] - q * left[0] + left[5]
        _add_inertia(slots.mass[k], p, q, r, group[10:])
        for i in range(3):
            for c in range(3):
                group[10 + 3 * i + c] += slots.inertia[k, i, c]
    for k in range(many + slots.used[0]):
        if total[k, 3] > 0.0 and not held[k]:
            _find_turn(total[k], matrix)
    for b in awake:
        root = find_root(parent, b)
        if not held[root] and total[root, 3] > 0.0:
            group = total[root]
            for n in range(bodies.leads[b], bodies.leads[b + 1]):
                i = bodies.leading[n]
                p, q, r = x[i, 0] - group[4], x[i, 1] - group[5], x[i, 2] - group[6]
                v.d[i, 0] += group[0] / group[3] + group[8] * r - group[9] * q
                v.d[i, 1] += group[1] / group[3] + group[9] * p - group[7] * r
                v.d[i, 2] += group[2] / group[3] + group[7] * q - group[8] * p
    for k in range(slots.used[0]):
        root = find_root(parent, many + k)
        if not held[root] and total[root, 3] > 0.0:
            group, at = total[root], assemblies.position[slots.slot[k]]
            p, q, r = at[0] - group[4], at[1] - group[5], at[2] - group[6]
            v.slot_d[k, 0] += group[0] / group[3] + group[8] * r - group[9] * q
            v.slot_d[k, 1] += group[1] / group[3] + group[9] * p - group[7] * r
            v.slot_d[k, 2] += group[2] / group[3] + group[7] * q - group[8] * p
            for c in range(3):
                v.slot_d[k, 3 + c] += group[7 + c]
