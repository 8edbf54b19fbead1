"""Assemblies of a group that touch one another, solved together in the preconditioner.

Springs between them are much stiffer than they are heavy, and a push goes on through a heap from one to the next: with
each by itself that takes as many iterations as there are layers. There are few in a group, so that their matrix is
factored whole, row by row from the first column that is not 0 (of four).

Source: Jennings 1966, "A compact storage scheme for the solution of symmetric linear simultaneous equations" (doi
10.1093/comjnl/9.3.281).
"""

from __future__ import annotations

import numpy as np

from ...arrays import Array
from ...kernels import kernel
from ...kernels.linalg import factor_cholesky, solve_cholesky
from ...kernels.simd import LANES, everywhere, four, put, total
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
    whole, first = slots.whole, slots.first
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
    _factor(slots, 6 * count)


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
        slots.first[i] = min(slots.first[i], 6 * b - 6 * b % LANES)
        of = touch.stiffness[q] * (n[r] if r < 3 else j[low + r - 3])
        for c in range(6):
            slots.whole[i, 6 * b + c] -= of * (n[c] if c < 3 else j[high + c - 3])


@kernel(inner=True)
def _row_product(slots: Slots, row: int, others: Array, other: int, begin: int, end: int) -> float:
    """A row of the matrix times what stands in ``others`` from the place ``other`` on, from a column to another.

    others : (n, 4) float64, of which four times ``other`` is the place of column 0; begin is a multiple of four
    """
    out, lanes, whole = everywhere(0.0), slots.lanes, slots.whole
    for c in range(begin // LANES, end // LANES):
        out = four(lanes, row * (whole.shape[1] // LANES) + c) * four(others, other + c) + out
    s, last = total(out), end // LANES
    for c in range(max(begin, LANES * last), end):
        s += whole[row, c] * others[other + last, c - LANES * last]
    return s


@kernel(inner=True)
def _factor(slots: Slots, n: int) -> None:
    """Cholesky's factor of a positive matrix in its place, row by row from the first column that is not 0."""
    a, first, wide = slots.whole, slots.first, slots.whole.shape[1] // LANES
    for i in range(n):
        for k in range(first[i], i + 1):
            begin = max(first[i], first[k])
            s = a[i, k] - (_row_product(slots, i, slots.lanes, k * wide, begin, k) if k > begin else 0.0)
            a[i, k] = s / a[k, k] if k < i else np.sqrt(max(s, 1e-300))


@kernel(inner=True)
def solve_slots(slots: Slots, group: Group, r: Array, z: Array) -> None:
    """z (K, 6) of the assemblies of a group by themselves, or together, for forces r (K, 6)."""
    n, a, lanes, y = slots.joined[0], slots.whole, slots.lanes, slots.together
    if n == 0:
        for k in group.slot:
            solve_cholesky(slots.matrix[k], 6, r[k], z[k])
        return
    for order in range(len(group.slot)):
        for c in range(6):
            y[(6 * order + c) // LANES, (6 * order + c) % LANES] = r[group.slot[order], c]
    wide = a.shape[1] // LANES
    for i in range(n):
        s = y[i // LANES, i % LANES] - _row_product(slots, i, y, 0, slots.first[i], i)
        y[i // LANES, i % LANES] = s / a[i, i]
    for i in range(n - 1, -1, -1):
        s = y[i // LANES, i % LANES] / a[i, i]
        y[i // LANES, i % LANES] = s
        for c in range(slots.first[i] // LANES, i // LANES):
            put(four(y, c) - four(lanes, i * wide + c) * s, y, c)
        for c in range(max(slots.first[i], i - i % LANES), i):
            y[c // LANES, c % LANES] -= a[i, c] * s
    for order in range(len(group.slot)):
        for c in range(6):
            z[group.slot[order], c] = y[(6 * order + c) // LANES, (6 * order + c) % LANES]
