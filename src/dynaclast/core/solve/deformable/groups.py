"""Groups: bodies and assemblies that rows join. Each is a system of its own, solved as long as it needs."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Index
from ...kernels import kernel
from ...kernels.union_find import find_root, unite
from .system import POINTS, Slots
from .tables import MOST_VERTICES, Rows, VertexTable


class Groups(NamedTuple):
    """Groups of a step, G of them, by their lowest body.

    parent     : (B + K,) int32, of the union-find
    number     : (B + K,) int32, the group of each root
    body       : (B,) int64, bodies by group; body_start (B + 1,) int32
    slot       : (K,) int32, places in Slots by group; slot_start (B + 1,) int32
    row_start  : (B + 1,) int32, into Rows.order; touch_start (B + 1,) int32, into SlotContacts.order
    """

    parent: Index
    number: Index
    body: Index
    body_start: Index
    slot: Index
    slot_start: Index
    row_start: Index
    touch_start: Index


def make_groups(bodies: int, slots: int) -> Groups:
    i4 = np.int32
    return Groups(
        np.zeros(bodies + slots, i4),
        np.zeros(bodies + slots, i4),
        np.zeros(bodies, np.int64),
        np.zeros(bodies + 1, i4),
        np.zeros(slots, i4),
        np.zeros(bodies + 1, i4),
        np.zeros(bodies + 1, i4),
        np.zeros(bodies + 1, i4),
    )


@kernel(inner=True)
def _sort(group_of: Index, many: int, groups: int, start: Index, order: Index) -> None:
    """Entries 0 to many in order by their groups.

    group_of : (many,) int32; start (groups + 1,) int32 and order (many,), written
    """
    for g in range(groups + 1):
        start[g] = 0
    for k in range(many):
        start[group_of[k] + 1] += 1
    for g in range(groups):
        start[g + 1] += start[g]
    for k in range(many):
        g = group_of[k]
        order[start[g]] = k
        start[g] += 1
    for g in range(groups, 0, -1):
        start[g] = start[g - 1]
    start[0] = 0


@kernel(inner=True)
def find_groups(
    table: VertexTable, bodies: int, awake: Index, rows: Rows, count: int, slots: Slots, out: Groups, group_of: Index
) -> int:
    """Groups of the rows of a step, and of contacts of assemblies, whether they press or not; returns how many.

    bodies   : int, deformable bodies; awake (n,) int64, of which these
    count    : int, rows
    group_of : (R + K + B,) int32, scratch
    """
    parent, number, touch = out.parent, out.number, slots.touch
    for k in range(bodies + slots.used[0]):
        parent[k], number[k] = k, -1
    for c in range(count):
        first = table.body[rows.vertex[c, 0]]
        for k in range(1, MOST_VERTICES):
            if rows.vertex[c, k] < 0:
                break
            unite(parent, first, table.body[rows.vertex[c, k]])
        if rows.slot[c] >= 0:
            unite(parent, first, np.int32(bodies + slots.place[rows.slot[c]]))
    for q in range(touch.count[POINTS]):
        if touch.slot[q, 0] >= 0 and touch.slot[q, 1] >= 0:
            one, other = slots.place[touch.slot[q, 0]], slots.place[touch.slot[q, 1]]
            unite(parent, np.int32(bodies + one), np.int32(bodies + other))
    groups = 0
    for b in awake:
        root = find_root(parent, b)
        if number[root] < 0:
            number[root] = groups
            groups += 1
    for k in range(len(awake)):
        group_of[k] = number[find_root(parent, awake[k])]
    _sort(group_of, len(awake), groups, out.body_start, out.body)
    for k in range(len(awake)):
        out.body[k] = awake[out.body[k]]
    for c in range(count):
        group_of[c] = number[find_root(parent, table.body[rows.vertex[c, 0]])]
    _sort(group_of, count, groups, out.row_start, rows.order)
    for k in range(slots.used[0]):
        group_of[k] = number[find_root(parent, bodies + k)]
    _sort(group_of, slots.used[0], groups, out.slot_start, out.slot)
    for q in range(touch.count[POINTS]):
        touch.group[q] = number[find_root(parent, bodies + slots.place[max(touch.slot[q, 0], touch.slot[q, 1])])]
    _sort(touch.group, touch.count[POINTS], groups, out.touch_start, touch.order)
    return groups
