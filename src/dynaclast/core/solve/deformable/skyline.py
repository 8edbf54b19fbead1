"""Symmetric positive matrices of a few hundred rows, factored whole, row by row from the first column that is not 0.

Source: Jennings 1966, "A compact storage scheme for the solution of symmetric linear simultaneous equations" (doi
10.1093/comjnl/9.3.281); Golub and Van Loan 2013, "Matrix Computations", 4.2 (Cholesky).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Index
from ...kernels import kernel
from ...kernels.simd import LANES, everywhere, four, put, total


class Skyline(NamedTuple):
    """Room for a matrix of up to W rows, W a multiple of four, of which what stands below the diagonal counts.

    whole : (W, W) float64, the matrix, then its factor; lanes (W W / 4, 4) float64, the same memory
    first : (W,) int32, of each row the first column that is not 0, a multiple of four
    side  : (W / 4, 4) float64, the right side of a system, then its solution
    """

    whole: Array
    lanes: Array
    first: Index
    side: Array


def make_skyline(rows: int) -> Skyline:
    """For so many rows."""
    most = LANES * -(-rows // LANES)
    whole = np.zeros((most, most))
    return Skyline(whole, whole.reshape(-1, LANES), np.zeros(most, np.int32), np.zeros((most // LANES, LANES)))


@kernel(inner=True)
def _row_product(matrix: Skyline, row: int, others: Array, other: int, begin: int, end: int) -> float:
    """A row of the matrix times what stands in ``others`` from the place ``other`` on, from a column to another.

    others : (n, 4) float64, of which four times ``other`` is the place of column 0; begin is a multiple of four
    """
    out, lanes, whole = everywhere(0.0), matrix.lanes, matrix.whole
    for c in range(begin // LANES, end // LANES):
        out = four(lanes, row * (whole.shape[1] // LANES) + c) * four(others, other + c) + out
    s, last = total(out), end // LANES
    for c in range(max(begin, LANES * last), end):
        s += whole[row, c] * others[other + last, c - LANES * last]
    return s


@kernel(inner=True)
def factor_skyline(matrix: Skyline, n: int) -> None:
    """Cholesky's factor of the first n rows, in its place; before the first column of each stands 0. Four columns of a
    row are worked out together, so that it is read once for all.
    """
    a, first, lanes, wide = matrix.whole, matrix.first, matrix.lanes, matrix.whole.shape[1] // LANES
    for i in range(n):
        for k in range(first[i], i + 1, LANES):
            last = min(k + LANES - 1, i)
            begin = max(first[i], min(first[k], first[min(k + 1, last)], first[min(k + 2, last)], first[last]))
            p, q, r, s = everywhere(0.0), everywhere(0.0), everywhere(0.0), everywhere(0.0)
            for c in range(begin // LANES, k // LANES):
                own = four(lanes, i * wide + c)
                p = own * four(lanes, k * wide + c) + p
                q = own * four(lanes, (k + 1) * wide + c) + q
                r = own * four(lanes, (k + 2) * wide + c) + r
                s = own * four(lanes, (k + 3) * wide + c) + s
            u, v, w, z = total(p), total(q), total(r), total(s)
            for j in range(k, last + 1):
                left = a[i, j] - (u if j == k else v if j == k + 1 else w if j == k + 2 else z)
                for c in range(k, j):
                    left -= a[i, c] * a[j, c]
                a[i, j] = left / a[j, j] if j < i else np.sqrt(max(left, 1e-300))


@kernel(inner=True)
def solve_skyline(matrix: Skyline, n: int) -> None:
    """What its first n rows, factored, make of ``side``, in its place."""
    a, lanes, y = matrix.whole, matrix.lanes, matrix.side
    wide = a.shape[1] // LANES
    for i in range(n):
        s = y[i // LANES, i % LANES] - _row_product(matrix, i, y, 0, matrix.first[i], i)
        y[i // LANES, i % LANES] = s / a[i, i]
    for i in range(n - 1, -1, -1):
        s = y[i // LANES, i % LANES] / a[i, i]
        y[i // LANES, i % LANES] = s
        for c in range(matrix.first[i] // LANES, i // LANES):
            put(four(y, c) - four(lanes, i * wide + c) * s, y, c)
        for c in range(max(matrix.first[i], i - i % LANES), i):
            y[c // LANES, c % LANES] -= a[i, c] * s
