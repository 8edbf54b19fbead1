"""Rows of sparse matrices times vectors, and vectors at some nodes, four numbers at a time (simd.py).

Of a matrix that is the same for x, y, z a value is one number, of others a block (3, 3). Vectors have four columns
where they are written, of which the last is 0, and three or more where they are only read.
"""

from __future__ import annotations

from ..arrays import Array, Index
from . import kernel
from .simd import block_row, everywhere, four, lane, put, spread, sums, three


@kernel(inline=True)
def value_row(value: Array, column: Index, begin: int, end: int, x: Array) -> tuple[float, float, float]:
    """A row of a matrix of values times x.

    value, column : (E,) float64 and int32, of the matrix; the row is begin to end
    x             : (n, 3 or more) float64
    """
    out = everywhere(0.0)
    for e in range(begin, end):
        out = three(x, column[e]) * value[e] + out
    return lane(out, 0), lane(out, 1), lane(out, 2)


@kernel(inline=True)
def add_value_row(
    value: Array, column: Index, begin: int, end: int, scale: float, x: Array, k: int, out: Array
) -> None:
    """out[k] += scale times a row of a matrix of values times x.

    value, column : (E,) float64 and int32, of the matrix; the row is begin to end
    x, out        : (n, 4) float64; may be the same, where the row does not have k
    """
    whole = four(out, k)
    for e in range(begin, end):
        whole = four(x, column[e]) * (scale * value[e]) + whole
    put(whole, out, k)


@kernel(inline=True)
def spread_value_row(
    value: Array, column: Index, begin: int, end: int, scale: float, x: Array, k: int, out: Array
) -> None:
    """out += scale times the transpose of that row times x[k]; arguments as of ``add_value_row``."""
    own = four(x, k) * scale
    for e in range(begin, end):
        put(own * value[e] + four(out, column[e]), out, column[e])


@kernel(inline=True)
def add_block_row(blocks: Array, column: Index, begin: int, end: int, i: int, x: Array, out: Array) -> None:
    """out += what the blocks of a symmetric matrix that stand in row i, from the diagonal on, make of x: of the row,
    and of the columns they stand in.

    blocks, column : (E, 3, 3) float64 and (E,) int32, of the matrix; those of the row are begin to end
    x              : (n, 3 or more) float64
    out            : (n, 4) float64
    """
    own = three(x, i)
    a, b, c = block_row(blocks, begin, 0) * own, block_row(blocks, begin, 1) * own, block_row(blocks, begin, 2) * own
    u, v, w = spread(own, 0), spread(own, 1), spread(own, 2)
    for e in range(begin + 1, end):
        j = column[e]
        beside = three(x, j)
        p, q, r = block_row(blocks, e, 0), block_row(blocks, e, 1), block_row(blocks, e, 2)
        a, b, c = p * beside + a, q * beside + b, r * beside + c
        put(r * w + (q * v + (p * u + four(out, j))), out, j)
    put(four(out, i) + sums(a, b, c), out, i)


@kernel(inline=True)
def relax(
    blocks: Array,
    column: Index,
    begin: int,
    end: int,
    inverse: Array,
    i: int,
    r: Array,
    left: Array,
    z: Array,
    spreads: int,
) -> None:
    """Solve row i of a symmetric matrix for its own node: z[i].

    blocks, column : (E, 3, 3) float64 and (E,) int32, of those above the diagonal; those of the row are begin to end
    inverse : (n, 3, 3) float64, symmetric, of blocks on the diagonal
    r       : (n, 4) float64
    left    : (n, 4) float64, of r, what nodes before this one in the matrix take (with a minus)
    z       : (n, 4) float64
    spreads : int, 1 to take from left what this node takes of r of those behind it
    """
    a, b, c = everywhere(0.0), everywhere(0.0), everywhere(0.0)
    for e in range(begin, end):
        beside = four(z, column[e])
        a = block_row(blocks, e, 0) * beside + a
        b = block_row(blocks, e, 1) * beside + b
        c = block_row(blocks, e, 2) * beside + c
    force = four(r, i) + four(left, i) - sums(a, b, c)
    own = block_row(inverse, i, 0) * spread(force, 0)
    own = block_row(inverse, i, 1) * spread(force, 1) + own
    own = block_row(inverse, i, 2) * spread(force, 2) + own
    put(own, z, i)
    if spreads:
        u, v, w = spread(own, 0), spread(own, 1), spread(own, 2)
        for e in range(begin, end):
            j = column[e]
            less = four(left, j) - block_row(blocks, e, 0) * u
            less = less - block_row(blocks, e, 1) * v
            put(less - block_row(blocks, e, 2) * w, left, j)


@kernel(inline=True)
def add_scaled(node: Index, begin: int, end: int, scale: float, x: Array, out: Array) -> None:
    """out += scale x at some nodes.

    node   : (m,) int32, of which begin to end
    x, out : (n, 4) float64
    """
    for n in range(begin, end):
        i = node[n]
        put(four(x, i) * scale + four(out, i), out, i)


@kernel(inline=True)
def add_to_scaled(node: Index, begin: int, end: int, scale: float, x: Array, out: Array) -> None:
    """out = x + scale out at some nodes; arguments as of ``add_scaled``."""
    for n in range(begin, end):
        i = node[n]
        put(four(out, i) * scale + four(x, i), out, i)


@kernel(inline=True)
def dot(node: Index, begin: int, end: int, x: Array, y: Array) -> float:
    """x . y over some nodes; arguments as of ``add_scaled``."""
    out = everywhere(0.0)
    for n in range(begin, end):
        out = four(x, node[n]) * four(y, node[n]) + out
    return lane(out, 0) + lane(out, 1) + lane(out, 2)
