"""Pairs in the order of their numbers, whoever found them and in whatever order."""

from __future__ import annotations

from ..arrays import Index
from . import kernel


@kernel(inner=True)
def sort_pairs(a: Index, b: Index, count: int, start: Index, spare_a: Index, spare_b: Index) -> None:
    """Put pairs in order by their first number, those alike by their second; in place.

    What is solved pair by pair then comes in an order that is the pairs' own: not that of where they lie among others,
    which changes with what happens elsewhere.

    a, b             : (n,) int32, of which the first ``count`` are in use; a not negative
    start            : (m + 2,) int32, scratch, m more than any of a
    spare_a, spare_b : (n,) int32 or int64, scratch
    """
    start[:] = 0
    for k in range(count):
        start[a[k] + 2] += 1
    for p in range(1, len(start)):
        start[p] += start[p - 1]
    for k in range(count):
        to = start[a[k] + 1]
        start[a[k] + 1] += 1
        spare_a[to], spare_b[to] = a[k], b[k]
    for k in range(count):
        p, q, to = spare_a[k], spare_b[k], k
        while to > 0 and a[to - 1] == p and b[to - 1] > q:
            a[to], b[to] = a[to - 1], b[to - 1]
            to -= 1
        a[to], b[to] = p, q
