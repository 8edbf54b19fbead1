"""Which blocks the matrix of deformable bodies has, level by level, and what each vertex keeps the same."""

from __future__ import annotations

from typing import Any

import numpy as np

from ...arrays import Array, Index
from ...kernels import kernel
from .tables import BlockPattern, ScalarRows


def block_pattern(pairs: Index, count: int) -> BlockPattern:
    """The pattern of these pairs of nodes and the diagonal.

    pairs : (n, 2) int, nodes; each pair once or often, either way round
    count : int, nodes
    """
    own = np.arange(count)
    row = np.concatenate([pairs[:, 0], pairs[:, 1], own])
    column = np.concatenate([pairs[:, 1], pairs[:, 0], own])
    keys = np.unique(row.astype(np.int64) * max(count, 1) + column)
    row, column = keys // max(count, 1), keys % max(count, 1)
    start = np.searchsorted(row, np.arange(count + 1)).astype(np.int32)
    mirror = np.searchsorted(keys, column * count + row).astype(np.int32)
    diagonal = np.searchsorted(keys, own * (count + 1)).astype(np.int32)
    return BlockPattern(start, column.astype(np.int32), diagonal, mirror)


def block_of(pattern: BlockPattern, row: Index, column: Index) -> Index:
    """Blocks (n,) int32 of pairs of nodes that have one."""
    count = len(pattern.diagonal)
    rows = np.repeat(np.arange(count, dtype=np.int64), np.diff(pattern.start))
    keys = rows * count + pattern.column
    return np.searchsorted(keys, np.asarray(row, np.int64) * count + column).astype(np.int32)


def scalar_rows(matrix: Any) -> ScalarRows:
    """A sparse matrix (N, N) as rows."""
    rows = matrix.tocsr().sorted_indices()
    return ScalarRows(rows.indptr.astype(np.int32), rows.indices.astype(np.int32), rows.data.astype(np.float64))


@kernel(inner=True)
def complete_rows(pattern: BlockPattern, first: int, last: int, blocks: Array) -> None:
    """From the blocks above the diagonal of what only joins nodes, those below it and on it: a row adds up to nothing.

    blocks : (E, 3, 3) float, of rows first to last
    """
    for i in range(first, last):
        d = blocks[pattern.diagonal[i]]
        d[:, :] = 0.0
        for e in range(pattern.start[i], pattern.start[i + 1]):
            j = pattern.column[e]
            if j == i:
                continue
            m = blocks[e]
            if j < i:
                o = blocks[pattern.mirror[e]]
                m[0, 0], m[0, 1], m[0, 2] = o[0, 0], o[1, 0], o[2, 0]
                m[1, 0], m[1, 1], m[1, 2] = o[0, 1], o[1, 1], o[2, 1]
                m[2, 0], m[2, 1], m[2, 2] = o[0, 2], o[1, 2], o[2, 2]
            d[0, 0] -= m[0, 0]
            d[0, 1] -= m[0, 1]
            d[0, 2] -= m[0, 2]
            d[1, 0] -= m[1, 0]
            d[1, 1] -= m[1, 1]
            d[1, 2] -= m[1, 2]
            d[2, 0] -= m[2, 0]
            d[2, 1] -= m[2, 1]
            d[2, 2] -= m[2, 2]


@kernel(inner=True)
def add_scalar_product(rows: ScalarRows, first: int, last: int, x: Array, out: Array) -> None:
    """out += S x, of rows first to last.

    x, out : (N, 3) float64
    """
    for i in range(first, last):
        a, b, c = 0.0, 0.0, 0.0
        for k in range(rows.start[i], rows.start[i + 1]):
            j, s = rows.column[k], rows.value[k]
            a += s * x[j, 0]
            b += s * x[j, 1]
            c += s * x[j, 2]
        out[i, 0] += a
        out[i, 1] += b
        out[i, 2] += c


@kernel(inner=True)
def add_block_product(pattern: BlockPattern, blocks: Array, first: int, last: int, x: Array, out: Array) -> None:
    """out += B x, of rows first to last.

    x, out : (N, 3) float64
    """
    for i in range(first, last):
        a, b, c = 0.0, 0.0, 0.0
        for e in range(pattern.start[i], pattern.start[i + 1]):
            j, m = pattern.column[e], blocks[e]
            u, v, w = x[j, 0], x[j, 1], x[j, 2]
            a += m[0, 0] * u + m[0, 1] * v + m[0, 2] * w
            b += m[1, 0] * u + m[1, 1] * v + m[1, 2] * w
            c += m[2, 0] * u + m[2, 1] * v + m[2, 2] * w
        out[i, 0] += a
        out[i, 1] += b
        out[i, 2] += c
