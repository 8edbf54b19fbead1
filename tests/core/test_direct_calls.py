"""A kernel that Python calls by its address does what its function does, whatever has changed between calls."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import pytest

from dynaclast.core.kernels import kernel, rehearse
from dynaclast.core.kernels.direct import DirectCall, WrittenGroups


class Inner(NamedTuple):
    rows: np.ndarray
    on: bool
    n: int


class Group(NamedTuple):
    """Large enough to be handed on by its address."""

    first: np.ndarray
    table: np.ndarray
    share: float
    inner: Inner
    last: np.ndarray


class Two(NamedTuple):
    """Small: its numbers are handed on one by one."""

    a: int
    b: int


def sums(group, two, array, factor, k, out):
    out[0] = group.share * group.table[two.a, two.b] + group.first[k] * factor
    out[1] = group.inner.n + 100 * group.inner.on + group.inner.rows[1]
    out[2] = len(group.last) + group.last[0] + array[k, 1]


by_address = kernel(apart=True)(sums)


@kernel(apart=True)
def counted(group: Group, another: Group) -> int:
    """Of two groups of one kind, which lie apart."""
    return len(group.first) + 1000 * len(another.last) if group.share != another.share else -1


def arguments(seed: int, rows: int = 4) -> tuple:
    rng = np.random.default_rng(seed)
    inner = Inner(rng.integers(0, 9, 3).astype(np.int32), bool(seed % 2), seed)
    group = Group(rng.random(rows), rng.random((rows, 3)), 0.25 + seed, inner, rng.random(rows + 1).astype(np.float32))
    return group, Two(2, 1), rng.random((rows, 2)), 1.5 + seed, 1, np.zeros(3)


def expected(given: tuple) -> np.ndarray:
    out = np.zeros(3)
    sums(*given[:-1], out)
    return out


def test_arguments_come_as_they_are_and_only_what_changed_is_written_anew() -> None:
    call = DirectCall(by_address)
    given = list(arguments(1))
    call(*given)
    assert np.allclose(given[-1], expected(tuple(given)), rtol=1e-7)
    group = given[0]
    changes = [
        (0, group._replace(share=9.0)),
        (0, group._replace(first=np.arange(7.0), inner=group.inner._replace(on=False, n=12))),
        (0, group._replace(last=np.ones(20, np.float32))),
        (1, Two(1, 2)),
        (2, np.full((9, 2), 0.5)),
        (3, -2.25),
        (4, 3),
    ]
    for place, value in changes:
        given[place] = value
        call(*given)
        assert np.allclose(given[-1], expected(tuple(given)), rtol=1e-7), place
    group.first[:] = 7.0  # the same array with other numbers in it
    call(*given)
    assert np.allclose(given[-1], expected(tuple(given)), rtol=1e-7)


def test_arrays_of_another_kind_are_compiled_for() -> None:
    call = DirectCall(by_address)
    group, two, array, factor, k, out = arguments(3)
    for table in (group.table, np.asfortranarray(group.table), group.table[:, ::-1], group.table.astype(np.float32)):
        given = (group._replace(table=table), two, array, factor, k, out)
        call(*given)
        assert np.allclose(out, expected(given), rtol=1e-6)
    assert len(by_address.overloads) == 4


def test_calls_do_not_mix_what_they_were_given() -> None:
    one, other = DirectCall(by_address), DirectCall(by_address)
    for seed in (1, 2, 3):
        for call, given in ((one, arguments(seed)), (other, arguments(seed + 10, rows=9))):
            call(*given)
            assert np.allclose(given[-1], expected(given), rtol=1e-7)


def test_what_several_share_is_written_by_whoever_calls() -> None:
    groups = WrittenGroups()
    one, other = DirectCall(by_address, groups), DirectCall(counted, groups)
    for seed in (1, 2, 1, 3, 3):
        given, others = arguments(seed), arguments(seed + 10, rows=9)
        one(*given)
        assert other(others[0], others[0]._replace(share=2.0)) == 9 + 1000 * len(others[0].last)
        assert np.allclose(given[-1], expected(given), rtol=1e-7)
        one(*given)  # nothing of it is new, but another wrote there since
        assert np.allclose(given[-1], expected(given), rtol=1e-7)
    group = given[0]
    with pytest.raises(AttributeError):
        one(group._replace(first=7.0), *given[1:])  # ends half-way
    one(*given)
    assert np.allclose(given[-1], expected(given), rtol=1e-7)


def test_it_is_played_in_a_rehearsal() -> None:
    given = arguments(5)
    calls = rehearse(lambda: DirectCall(by_address)(*given), {})
    assert list(calls) == [by_address] and np.allclose(given[-1], expected(given))


def test_python_cannot_call_it_otherwise() -> None:
    with pytest.raises(TypeError, match="inner kernel"):
        by_address(*arguments(1))
