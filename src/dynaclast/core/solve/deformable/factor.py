"""Constant matrices of soft bodies, factored once, L D L': and solved with.

In a factor of little fill most columns near the end have the rows of the one before, but itself. Such columns are taken
four at a time: what they are multiplied with, and what they add to, is then read and written once for all four.

Source: Liu, Ng and Peyton 1993, "On finding supernodes for sparse matrix computations" (doi 10.1137/0614019).
"""

from __future__ import annotations

import numpy as np
from scipy import sparse
from scipy.sparse.linalg import splu

from ...arrays import Array, Index
from ...kernels import kernel
from ...kernels.rows import add_value_row, spread_value_row
from ...kernels.simd import LANES, four, put
from .tables import FactorTable, Hinge

PANEL = 4
"""Columns that are taken together."""


def factored(matrix: sparse.csr_matrix) -> FactorTable:
    """A symmetric positive matrix factored in an order of little fill (minimum degree)."""
    lu = splu(matrix.tocsc(), permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True})
    lower = lu.L.tocsc()
    lower.sort_indices()
    n = matrix.shape[0]
    column = np.repeat(np.arange(n), np.diff(lower.indptr))
    below = lower.indices > column
    start = np.searchsorted(column[below], np.arange(n + 1)).astype(np.int32)
    order = np.empty(n, np.int32)
    order[lu.perm_r] = np.arange(n)
    free = np.full((n, 2), Hinge.FREE, np.int32)
    row = lower.indices[below].astype(np.int32)
    return FactorTable(start, row, lower.data[below], lu.U.diagonal(), order, panels(start, row), np.zeros(n), free)


def panels(start: Index, row: Index) -> Index:
    """How many columns are taken together from each on (N,) int32: PANEL, 1, or 0 of one that is taken with others.

    start, row : as of FactorTable
    """
    count = np.diff(start)
    n, begin = len(count), start[:-1].astype(np.int64)
    after = np.zeros(n, bool)  # the next column has the same rows, but itself
    for k in np.flatnonzero(count[:-1] == count[1:] + 1).tolist():
        own = row[begin[k] : begin[k] + count[k]]
        after[k] = own[0] == k + 1 and bool((own[1:] == row[begin[k + 1] : begin[k + 1] + count[k + 1]]).all())
    out, k = np.ones(n, np.int32), 0
    while k < n:
        if k + PANEL <= n and after[k : k + PANEL - 1].all():
            out[k : k + PANEL] = [PANEL] + [0] * (PANEL - 1)
            k += PANEL
        else:
            k += 1
    return out


@kernel(inner=True)
def _eliminate_panel(table: FactorTable, k: int, work: Array) -> None:
    """Take four columns of L from k on, times what stands there, from the rows below."""
    v, p, q, r, s = table.value, table.start[k], table.start[k + 1], table.start[k + 2], table.start[k + 3]
    a = four(work, k)
    b = four(work, k + 1) - a * v[p]
    c = four(work, k + 2) - a * v[p + 1] - b * v[q]
    d = four(work, k + 3) - a * v[p + 2] - b * v[q + 1] - c * v[r]
    put(b, work, k + 1)
    put(c, work, k + 2)
    put(d, work, k + 3)
    for e in range(table.start[k + 4] - s):
        j = table.row[s + e]
        left = four(work, j) - a * v[p + 3 + e] - b * v[q + 2 + e] - c * v[r + 1 + e] - d * v[s + e]
        put(left, work, j)


@kernel(inner=True)
def _substitute_panel(table: FactorTable, k: int, work: Array) -> None:
    """Take from four places from k on what the rows of L' there make of the places behind them."""
    v, p, q, r, s = table.value, table.start[k], table.start[k + 1], table.start[k + 2], table.start[k + 3]
    a, b, c, d = four(work, k), four(work, k + 1), four(work, k + 2), four(work, k + 3)
    for e in range(table.start[k + 4] - s):
        x = four(work, table.row[s + e])
        a, b, c, d = a - x * v[p + 3 + e], b - x * v[q + 2 + e], c - x * v[r + 1 + e], d - x * v[s + e]
    c = c - d * v[r]
    b = b - d * v[q + 1] - c * v[q]
    a = a - d * v[p + 2] - c * v[p + 1] - b * v[p]
    put(a, work, k)
    put(b, work, k + 1)
    put(c, work, k + 2)
    put(d, work, k + 3)


@kernel(inner=True)
def solve_factored(table: FactorTable, first: int, last: int, r: Array, z: Array, work: Array) -> None:
    """z = A^-1 r of the constant matrix of vertices first to last.

    r, z : (N, 3 or more) float64
    work : (N, 4) float64, the last column 0, scratch
    """
    for k in range(first, last):
        i = table.order[k]
        work[k, 0], work[k, 1], work[k, 2] = r[i, 0], r[i, 1], r[i, 2]
    _solve_in_place(table, first, last, work)
    for k in range(first, last):
        i = table.order[k]
        z[i, 0], z[i, 1], z[i, 2] = work[k, 0], work[k, 1], work[k, 2]


@kernel(inner=True)
def solve_for_four(table: FactorTable, first: int, last: int, r: Array, z: Array, work: Array) -> None:
    """The same for four right sides at once: r, z (N, 4) float64."""
    for k in range(first, last):
        put(four(r, table.order[k]), work, k)
    _solve_in_place(table, first, last, work)
    for k in range(first, last):
        put(four(work, k), z, table.order[k])
        work[k, LANES - 1] = 0.0


@kernel(inner=True)
def _solve_in_place(table: FactorTable, first: int, last: int, work: Array) -> None:
    """What A^-1 makes of work (N, 4), both by places in the order."""
    for k in range(first, last):
        if table.panel[k] == PANEL:
            _eliminate_panel(table, k, work)
        elif table.panel[k]:
            spread_value_row(table.value, table.row, table.start[k], table.start[k + 1], -1.0, work, k, work)
    for k in range(first, last):
        put(four(work, k) * (1.0 / table.pivot[k]), work, k)
    for k in range(last - 1, first - 1, -1):
        if table.panel[k] == PANEL:
            _substitute_panel(table, k, work)
        elif table.panel[k]:
            add_value_row(table.value, table.row, table.start[k], table.start[k + 1], -1.0, work, k, work)
