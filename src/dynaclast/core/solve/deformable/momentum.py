"""Momentum of what only touches itself: what iterations leave over of it is made good by a shift of the whole."""

from __future__ import annotations

from ...arrays import Array, Flags, Index
from ...kernels import kernel
from ...kernels.union_find import find_root, unite
from .system import Slots, Vectors
from .tables import MOST_VERTICES, BodyTable, Rows, VertexTable


@kernel(inner=True)
def keep_momentum(
    bodies: BodyTable,
    table: VertexTable,
    awake: Index,
    rows: Rows,
    count: int,
    slots: Slots,
    v: Vectors,
    parent: Index,
    held: Flags,
    total: Array,
) -> None:
    """Shift each group of bodies and assemblies that touch so that what is left of the forces on it adds up to nothing.
    A group that anything fixed, pinned or drawn back holds is left as it is.

    count  : int, rows
    v      : v.r and v.slot_r, what is left; v.d and v.slot_d are shifted
    parent : (B + K,) int32; held (B + K,) uint8; total (B + K, 4) float64, scratch
    """
    many = len(bodies.solver)
    for k in range(many + slots.used[0]):
        parent[k], held[k] = k, 0
        total[k, 0], total[k, 1], total[k, 2], total[k, 3] = 0.0, 0.0, 0.0, 0.0
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
        root = find_root(parent, b)
        for n in range(bodies.leads[b], bodies.leads[b + 1]):
            i = bodies.leading[n]
            total[root, 0] += v.r[i, 0]
            total[root, 1] += v.r[i, 1]
            total[root, 2] += v.r[i, 2]
            total[root, 3] += table.heavy[i]
            if table.recall[i] > 0.0:
                held[root] = 1
        if held[b]:
            held[root] = 1
    for k in range(slots.used[0]):
        root = find_root(parent, many + k)
        for c in range(3):
            total[root, c] += v.slot_r[k, c]
        total[root, 3] += slots.mass[k]
    for b in awake:
        root = find_root(parent, b)
        if not held[root] and total[root, 3] > 0.0:
            for n in range(bodies.leads[b], bodies.leads[b + 1]):
                i = bodies.leading[n]
                for c in range(3):
                    v.d[i, c] += total[root, c] / total[root, 3]
    for k in range(slots.used[0]):
        root = find_root(parent, many + k)
        if not held[root] and total[root, 3] > 0.0:
            for c in range(3):
                v.slot_d[k, c] += total[root, c] / total[root, 3]
