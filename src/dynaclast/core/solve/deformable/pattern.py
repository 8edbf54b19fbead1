"""Which blocks the matrix of deformable bodies has, level by level, and what each vertex keeps the same."""

from __future__ import annotations

from typing import Any

import numpy as np
from scipy import sparse

from ...arrays import Array, Index
from ...kernels import kernel
from ...kernels.rows import add_block_row, value_row
from .tables import BlockPattern, ScalarRows


def block_pattern(pairs: Index, count: int) -> BlockPattern:
    """The pattern of these pairs of nodes and the diagonal.

    pairs : (n, 2) int, nodes; each pair once or often, either way round
    count : int, nodes
    """
    own = np.arange(count, dtype=np.int64)
    low, high = np.sort(pairs, axis=1).astype(np.int64).T
    keys = np.unique(np.concatenate([low * count + high, own * (count + 1)]))
    row, column = keys // max(count, 1), keys % max(count, 1)
    return BlockPattern(np.searchsorted(row, np.arange(count + 1)).astype(np.int32), column.astype(np.int32))


def neighbours(pairs: Index, count: int) -> sparse.csr_matrix:
    """Which nodes share a block, both ways and each with itself: (count, count), anything but 0 where they do."""
    own = np.arange(count)
    row, column = np.concatenate([pairs, pairs[:, ::-1], np.stack([own, own], axis=1)]).T
    out = sparse.csr_matrix((np.ones(len(row), np.int32), (row, column)), shape=(count, count))
    out.sum_duplicates()
    return out


def block_of(pattern: BlockPattern, row: Index, column: Index) -> Index:
    """Blocks (n,) int32 of pairs of nodes that have one, the lower node as the row."""
    count = len(pattern.start) - 1
    rows = np.repeat(np.arange(count, dtype=np.int64), np.diff(pattern.start))
    keys = rows * count + pattern.column
    return np.searchsorted(keys, np.asarray(row, np.int64) * count + column).astype(np.int32)


def scalar_rows(matrix: Any) -> ScalarRows:
    """A sparse matrix (N, N) as rows."""
    rows = matrix.tocsr().sorted_indices()
    return ScalarRows(rows.indptr.astype(np.int32), rows.indices.astype(np.int32), rows.data.astype(np.float64))


@kernel(inner=True)
def complete_rows(pattern: BlockPattern, first: int, last: int, blocks: Array) -> None:
    """From the blocks above the diagonal of what only joins nodes, those on it: a row adds up to nothing.

    blocks : (E, 3, 3) float64, of rows first to last; those on the diagonal are 0
    """
    for i in range(first, last):
        d = blocks[pattern.start[i]]
        for e in range(pattern.start[i] + 1, pattern.start[i + 1]):
            m, o = blocks[e], blocks[pattern.start[pattern.column[e]]]
            for r in range(3):
                for c in range(3):
                    d[r, c] -= m[r, c]
                    o[c, r] -= m[r, c]


@kernel(inner=True)
def add_scalar_product(rows: ScalarRows, first: int, last: int, x: Array, out: Array) -> None:
    """out += S x, of rows first to last.

    x, out : (N, 3 or more) float64
    """
    for i in range(first, last):
        a, b, c = value_row(rows.value, rows.column, rows.start[i], rows.start[i + 1], x)
        out[i, 0] += a
        out[i, 1] += b
        out[i, 2] += c


@kernel(inner=True)
def add_block_product(pattern: BlockPattern, blocks: Array, first: int, last: int, x: Array, out: Array) -> None:
    """out += B x, of rows first to last.

    x   : (N, 3 or more) float64
    out : (N, 4) float64, the last column 0
    """
    for i in range(first, last):
        add_block_row(blocks, pattern.column, pattern.start[i], pattern.start[i + 1], i, x, out)
