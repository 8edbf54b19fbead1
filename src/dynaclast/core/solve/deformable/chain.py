"""Ropes that are one line of vertices: their matrix, two blocks to each side of the diagonal, is solved directly.

Block elimination forwards, substitution backwards, without fill (Golub and Van Loan 2013, "Matrix Computations", 4.5).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Index
from ...kernels import kernel
from ...kernels.linalg import invert_symmetric_3x3
from .tables import BlockPattern, ScalarRows


class ChainFactor(NamedTuple):
    """A chain's matrix after elimination, by place in the order.

    inverse : (N, 3, 3) float64, [m/N], of the pivots
    near    : (N, 3, 3) float64, multiplier of the vertex before
    far     : (N, 3, 3) float64, multiplier of the one before that
    work    : (4, 3, 3) float64, scratch
    """

    inverse: Array
    near: Array
    far: Array
    work: Array


def make_chain_factor(count: int) -> ChainFactor:
    f = np.zeros
    return ChainFactor(f((count, 3, 3)), f((count, 3, 3)), f((count, 3, 3)), f((4, 3, 3)))


@kernel(inner=True)
def _gather(rows: ScalarRows, pattern: BlockPattern, blocks: Array, i: int, j: int, out: Array) -> None:
    """The block of vertices i and j: of elements, and what is the same for x, y, z."""
    out[:, :] = 0.0
    low, high = min(i, j), max(i, j)
    for e in range(pattern.start[low], pattern.start[low + 1]):
        if pattern.column[e] == high:
            for r in range(3):
                for c in range(3):
                    out[r, c] = blocks[e, r, c] if i == low else blocks[e, c, r]
    for k in range(rows.start[i], rows.start[i + 1]):
        if rows.column[k] == j:
            for r in range(3):
                out[r, r] += rows.value[k]


@kernel(inner=True)
def _times(a: Array, b: Array, out: Array) -> None:
    """out = a b, 3 x 3."""
    for r in range(3):
        for c in range(3):
            out[r, c] = a[r, 0] * b[0, c] + a[r, 1] * b[1, c] + a[r, 2] * b[2, c]


@kernel(inner=True)
def _subtract_times_transpose(a: Array, b: Array, out: Array) -> None:
    """out -= a b', 3 x 3."""
    for r in range(3):
        for c in range(3):
            out[r, c] -= a[r, 0] * b[c, 0] + a[r, 1] * b[c, 1] + a[r, 2] * b[c, 2]


@kernel(inner=True)
def factor_chain(
    rows: ScalarRows,
    pattern: BlockPattern,
    blocks: Array,
    extra: Array,
    pinned: Array,
    order: Index,
    first: int,
    last: int,
    factor: ChainFactor,
) -> None:
    """Eliminate the chain of places first to last in the order.

    extra  : (N, 3, 3) float64, [N/m], added to the diagonal blocks: contacts
    pinned : (N,) uint8, vertices that stay where they are
    order  : (n,) int32, vertices along the chain
    """
    d, n, f, t = factor.work[0], factor.work[1], factor.work[2], factor.work[3]
    for k in range(first, last):
        i = order[k]
        _gather(rows, pattern, blocks, i, i, d)
        for r in range(3):
            for c in range(3):
                d[r, c] += extra[i, r, c]
        if k >= first + 2:
            _gather(rows, pattern, blocks, i, order[k - 2], f)  # A_k,k-2 = F P_k-2
            _times(f, factor.inverse[k - 2], factor.far[k])
            _subtract_times_transpose(factor.far[k], f, d)
        if k >= first + 1:
            _gather(rows, pattern, blocks, i, order[k - 1], n)
            if k >= first + 2:
                _subtract_times_transpose(factor.far[k], t, n)  # t: the same block of the vertex before, reduced
            _times(n, factor.inverse[k - 1], factor.near[k])
            _subtract_times_transpose(factor.near[k], n, d)
            for r in range(3):
                for c in range(3):
                    t[r, c] = n[r, c]
        if pinned[i]:
            factor.inverse[k, :, :] = 0.0
        else:
            invert_symmetric_3x3(d, factor.inverse[k])


@kernel(inner=True)
def solve_chain(factor: ChainFactor, order: Index, first: int, last: int, r: Array, z: Array) -> None:
    """z = A^-1 r of the chain of places first to last in the order (n,).

    r, z : (N, 3) float64
    """
    for k in range(first, last):
        i = order[k]
        a, b, c = r[i, 0], r[i, 1], r[i, 2]
        if k >= first + 1:
            j = order[k - 1]
            m, u, v, w = factor.near[k], z[j, 0], z[j, 1], z[j, 2]
            a -= m[0, 0] * u + m[0, 1] * v + m[0, 2] * w
            b -= m[1, 0] * u + m[1, 1] * v + m[1, 2] * w
            c -= m[2, 0] * u + m[2, 1] * v + m[2, 2] * w
        if k >= first + 2:
            j = order[k - 2]
            m, u, v, w = factor.far[k], z[j, 0], z[j, 1], z[j, 2]
            a -= m[0, 0] * u + m[0, 1] * v + m[0, 2] * w
            b -= m[1, 0] * u + m[1, 1] * v + m[1, 2] * w
            c -= m[2, 0] * u + m[2, 1] * v + m[2, 2] * w
        z[i, 0], z[i, 1], z[i, 2] = a, b, c
    for k in range(last - 1, first - 1, -1):
        i = order[k]
        m, u, v, w = factor.inverse[k], z[i, 0], z[i, 1], z[i, 2]
        a = m[0, 0] * u + m[0, 1] * v + m[0, 2] * w
        b = m[1, 0] * u + m[1, 1] * v + m[1, 2] * w
        c = m[2, 0] * u + m[2, 1] * v + m[2, 2] * w
        if k + 1 < last:
            j = order[k + 1]
            m, u, v, w = factor.near[k + 1], z[j, 0], z[j, 1], z[j, 2]
            a -= m[0, 0] * u + m[1, 0] * v + m[2, 0] * w
            b -= m[0, 1] * u + m[1, 1] * v + m[2, 1] * w
            c -= m[0, 2] * u + m[1, 2] * v + m[2, 2] * w
        if k + 2 < last:
            j = order[k + 2]
            m, u, v, w = factor.far[k + 2], z[j, 0], z[j, 1], z[j, 2]
            a -= m[0, 0] * u + m[1, 0] * v + m[2, 0] * w
            b -= m[0, 1] * u + m[1, 1] * v + m[2, 1] * w
            c -= m[0, 2] * u + m[1, 2] * v + m[2, 2] * w
        z[i, 0], z[i, 1], z[i, 2] = a, b, c
