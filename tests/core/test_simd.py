"""Four numbers at a time, and rows of sparse matrices by them, against their plain twins and dense products."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from dynaclast.core.kernels import kernel
from dynaclast.core.kernels.rows import (
    add_block_row,
    add_scaled,
    add_to_scaled,
    add_value_row,
    dot,
    relax,
    spread_value_row,
    value_row,
)
from dynaclast.core.kernels.simd import (
    add_block,
    block_row,
    clear,
    cross_three,
    everywhere,
    four,
    lane,
    put,
    spread,
    sums,
    three,
    total,
)
from playing import played

RNG = np.random.default_rng(4)
VALUE, COLUMN = RNG.normal(size=9), np.array([1, 2, 4, 0, 5, 6, 3, 1, 6], np.int32)
ROW = (2, 7)
"""Of the values and columns, those of the row that is tried."""


def vectors(count: int = 7, columns: int = 4) -> np.ndarray:
    out = RNG.normal(size=(count, columns))
    out[:, 3:] = 0.0
    return out


@kernel
def _value_row(value, column, begin, end, x, out):  # type: ignore[no-untyped-def]
    out[0], out[1], out[2] = value_row(value, column, begin, end, x)


@kernel
def _add_value_row(value, column, begin, end, scale, x, k, out):  # type: ignore[no-untyped-def]
    add_value_row(value, column, begin, end, scale, x, k, out)


@kernel
def _spread_value_row(value, column, begin, end, scale, x, k, out):  # type: ignore[no-untyped-def]
    spread_value_row(value, column, begin, end, scale, x, k, out)


@kernel
def _add_block_row(blocks, column, begin, end, i, x, out):  # type: ignore[no-untyped-def]
    add_block_row(blocks, column, begin, end, i, x, out)


@kernel
def _relax(blocks, column, begin, end, inverse, i, r, left, z, spread):  # type: ignore[no-untyped-def]
    relax(blocks, column, begin, end, inverse, i, r, left, z, spread)


@kernel
def _add_scaled(node, begin, end, scale, x, out):  # type: ignore[no-untyped-def]
    add_scaled(node, begin, end, scale, x, out)


@kernel
def _add_to_scaled(node, begin, end, scale, x, out):  # type: ignore[no-untyped-def]
    add_to_scaled(node, begin, end, scale, x, out)


@kernel
def _dot(node, begin, end, x, y, out):  # type: ignore[no-untyped-def]
    out[0] = dot(node, begin, end, x, y)


@kernel
def _add_block(blocks, e, scale, out, o):  # type: ignore[no-untyped-def]
    add_block(blocks, e, scale, out, o)


@kernel
def _clear(x, begin, end):  # type: ignore[no-untyped-def]
    clear(x, begin, end)


@kernel
def _arithmetic(x, m, s, out):  # type: ignore[no-untyped-def]
    a, b, c = four(x, 0), three(x, 1), block_row(m, 1, 2)
    a += b * s
    a -= everywhere(0.25) * c
    put(a * b - s * c + spread(b, 1), out, 0)
    put(s + cross_three(a, b), out, 1)
    put(sums(a, b, c), out, 2)
    out[3, 0], out[3, 1] = total(a), lane(a, 2)


def both(compiled: Any, given: tuple[Any, ...], written: np.ndarray) -> np.ndarray:
    """What is in an array that a kernel writes, after it did the same compiled and played; and that it did."""
    before = written.copy()
    played(lambda: compiled(*given))
    wanted = written.copy()
    written[...] = before
    compiled(*given)
    assert written == pytest.approx(wanted, rel=1e-13, abs=1e-13)
    return written


def test_four_numbers_are_taken_by_four_and_by_one() -> None:
    x, m, s, out = vectors(), RNG.normal(size=(2, 3, 3)), 1.5, np.zeros((4, 4))
    both(_arithmetic, (x, m, s, out), out)
    a, b, c = x[0], x[1], np.append(m[1, 2], 0.0)
    a = a + b * s - 0.25 * c
    assert out[0] == pytest.approx(a * b - s * c + b[1])
    assert out[1] == pytest.approx(s + np.append(np.cross(a[:3], b[:3]), 0.0))
    assert out[2] == pytest.approx([a.sum(), b.sum(), c.sum(), 0.0]) and out[3, :2] == pytest.approx([a.sum(), a[2]])


@pytest.mark.parametrize("columns", [3, 4, 6])
def test_a_row_of_values_takes_the_first_three_columns_of_vectors_of_any_width(columns: int) -> None:
    x, out = RNG.normal(size=(7, columns)), np.zeros(3)
    begin, end = ROW
    _value_row(VALUE, COLUMN, begin, end, x, out)
    assert out == pytest.approx(VALUE[begin:end] @ x[COLUMN[begin:end], :3], rel=1e-14)


def test_the_last_row_of_an_array_is_read_to_its_end_and_no_further() -> None:
    room = np.full(8, np.nan)
    x = room[:6].reshape(2, 3)
    x[:] = [[1, 2, 3], [4, 5, 6]]
    out = np.zeros(3)
    _value_row(np.array([2.0]), np.array([1], np.int32), 0, 1, x, out)
    assert out.tolist() == [8, 10, 12]


def test_vectors_taken_whole_must_have_four_columns() -> None:
    x, out = RNG.normal(size=(7, 3)), np.zeros(3)
    for call in (
        lambda: _add_scaled(COLUMN, 0, 2, 1.0, vectors(), x),
        lambda: _add_scaled(COLUMN, 0, 2, 1.0, x, vectors()),
        lambda: _dot(COLUMN, 0, 2, x, x, out),
    ):
        with pytest.raises(ValueError, match="give it 4 columns"):
            played(call)


def test_no_values_are_nothing() -> None:
    out = np.ones(3)
    _value_row(VALUE, COLUMN, 4, 4, vectors(), out)
    assert out.tolist() == [0, 0, 0]


@pytest.mark.parametrize("given", ["apart", "in place"])
def test_rows_of_values_are_added_and_spread_as_by_the_plain_twins(given: str) -> None:
    out = vectors()
    x = out if given == "in place" else vectors()
    both(_add_value_row, (VALUE, COLUMN, *ROW, -1.5, x, 1, out), out)
    both(_spread_value_row, (VALUE, COLUMN, *ROW, 0.75, x, 1, out), out)
    assert (out[:, 3] == 0.0).all()


def test_rows_of_blocks_make_the_product_with_the_whole_symmetric_matrix() -> None:
    count, dense = 5, np.zeros((5, 3, 5, 3))
    start, column, blocks = [0], [], []
    for i in range(count):
        for j in range(i, count):
            if j == i or (i + j) % 3:
                block = RNG.normal(size=(3, 3))
                block += block.T if j == i else 0.0
                dense[i, :, j], dense[j, :, i] = block, block.T
                column.append(j)
                blocks.append(block)
        start.append(len(column))
    x, out = vectors(count), np.zeros((count, 4))
    given = np.array(blocks), np.array(column, np.int32)
    for i in range(count):
        both(_add_block_row, (*given, start[i], start[i + 1], i, x, out), out)
    assert out[:, :3].ravel() == pytest.approx(dense.reshape(15, 15) @ x[:, :3].ravel())
    assert (out[:, 3] == 0.0).all()


@pytest.mark.parametrize("spread", [0, 1])
def test_a_row_is_solved_for_its_own_node(spread: int) -> None:
    blocks, column = RNG.normal(size=(4, 3, 3)), np.array([0, 3, 4, 6], np.int32)
    inverse = RNG.normal(size=(7, 3, 3))
    inverse += np.swapaxes(inverse, 1, 2)
    r, left, z = vectors(), vectors(), vectors()
    untouched = left.copy()
    force = r[2, :3] + left[2, :3] - np.einsum("eij,ej->i", blocks[1:], z[column[1:], :3])
    both(_relax, (blocks, column, 1, 4, inverse, 2, r, left, z, 0), z)
    assert z[2, :3] == pytest.approx(inverse[2] @ force)
    z[2] = 0.0
    both(_relax, (blocks, column, 1, 4, inverse, 2, r, left, z, spread), left)
    assert left[[0, 1, 2, 5]] == pytest.approx(untouched[[0, 1, 2, 5]])
    wanted = untouched[column[1:], :3] - spread * np.einsum("eij,i->ej", blocks[1:], z[2, :3])
    assert left[column[1:], :3] == pytest.approx(wanted)
    assert (left[:, 3] == 0.0).all() and (z[:, 3] == 0.0).all()


def test_vectors_are_scaled_and_summed_at_some_nodes() -> None:
    node, x, y, out = np.array([5, 0, 3, 6], np.int32), vectors(), vectors(), np.zeros(3)
    kept = y[[0, 1, 2, 4, 5, 6]].copy()
    both(_add_scaled, (node, 2, 3, 0.3, x, y), y)
    assert y[[0, 1, 2, 4, 5, 6]] == pytest.approx(kept)
    both(_add_to_scaled, (node, 0, 4, -0.3, x, y), y)
    both(_dot, (node, 1, 4, x, y, out), out)
    assert out[0] == pytest.approx((x * y)[[0, 3, 6]].sum())


def test_a_block_is_added_without_its_neighbours() -> None:
    blocks, out = RNG.normal(size=(3, 3, 3)), RNG.normal(size=(3, 3, 3))
    kept = out.copy()
    both(_add_block, (blocks, 2, np.float32(0.5), out, 1), out)
    assert (out[[0, 2]] == kept[[0, 2]]).all() and out[1] == pytest.approx(kept[1] + 0.5 * blocks[2])


def test_what_is_cleared_is_cleared_and_nothing_else() -> None:
    x = RNG.normal(size=(5, 3, 3))
    kept = x.copy()
    both(_clear, (x, 1, 3), x)
    assert (x[1:3] == 0.0).all() and (x[[0, 3, 4]] == kept[[0, 3, 4]]).all()
    both(_clear, (x, 2, 2), x)
