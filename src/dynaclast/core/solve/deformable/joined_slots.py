"""Assemblies of a group that touch one another, solved together in the preconditioner.

Springs between them are much stiffer than they are heavy, and a push goes on through a heap from one to the next: with
each by itself that takes as many iterations as there are layers. There are few in a group, so that their matrix is
factored whole (skyline.py).
"""

from __future__ import annotations

from ...arrays import Array
from ...kernels import kernel
from ...kernels.linalg import factor_cholesky, solve_cholesky
from ...kernels.simd import LANES
from .skyline import factor_skyline, solve_skyline
from .system import MOST_JOINED, Group, Slots


@kernel(inner=True)
def factor_slots(slots: Slots, group: Group) -> None:
    """Factor the matrices of a group's assemblies, together where they touch one another and are not too many."""
    touch, count, joined = slots.touch, len(group.slot), False
    if 2 <= count <= MOST_JOINED:
        for q in group.touch:
            joined |= touch.active[q] and touch.slot[q, 0] >= 0 and touch.slot[q, 1] >= 0
    slots.joined[0] = 6 * count if joined else 0
    if not joined:
        for k in group.slot:
            factor_cholesky(slots.matrix[k], 6)
        return
    whole, first = slots.together.whole, slots.together.first
    for order in range(count):
        k = group.slot[order]
        slots.rank[k] = order
        for r in range(6):
            i = 6 * order + r
            first[i] = 6 * order - 6 * order % LANES
            for c in range(i):
                whole[i, c] = 0.0
            for c in range(r + 1):
                whole[i, 6 * order + c] = slots.matrix[k, r, c]
    for q in group.touch:
        if touch.active[q] and touch.slot[q, 0] >= 0 and touch.slot[q, 1] >= 0:
            _join(slots, q)
    factor_skyline(slots.together, 6 * count)


@kernel(inner=True)
def _join(slots: Slots, q: int) -> None:
    """What a point of contact joins two assemblies with, below the diagonal."""
    touch = slots.touch
    a, b = slots.rank[slots.place[touch.slot[q, 0]]], slots.rank[slots.place[touch.slot[q, 1]]]
    n, j, low, high = touch.normal[q], touch.jacobian[q], 0, 3
    if a < b:
        a, b, low, high = b, a, 3, 0
    for r in range(6):
        i = 6 * a + r
        slots.together.first[i] = min(slots.together.first[i], 6 * b - 6 * b % LANES)
        of = touch.stiffness[q] * (n[r] if r < 3 else j[low + r - 3])
        for c in range(6):
            slots.together.whole[i, 6 * b + c] -= of * (n[c] if c < 3 else j[high + c - 3])


@kernel(inner=True)
def solve_slots(slots: Slots, group: Group, r: Array, z: Array) -> None:
    """z (K, 6) of the assemblies of a group by themselves, or together, for forces r (K, 6)."""
    n, y = slots.joined[0], slots.together.side
    if n == 0:
        for k in group.slot:
            solve_cholesky(slots.matrix[k], 6, r[k], z[k])
        return
    for order in range(len(group.slot)):
        for c in range(6):
            y[(6 * order + c) // LANES, (6 * order + c) % LANES] = r[group.slot[order], c]
    solve_skyline(slots.together, n)
    for order in range(len(group.slot)):
        for c in range(6):
            z[group.slot[order], c] = y[(6 * order + c) // LANES, (6 * order + c) % LANES]
