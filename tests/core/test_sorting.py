"""Pairs in order, against Python's own sort."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from dynaclast.core.kernels import kernel
from dynaclast.core.kernels.sorting import sort_pairs


@kernel
def _sort(pairs, count, start, spare):  # type: ignore[no-untyped-def]
    sort_pairs(pairs[:, 0], pairs[:, 1], count, start, spare[0], spare[1])


@given(st.lists(st.tuples(st.integers(0, 30), st.integers(-1, 40)), max_size=60), st.integers(0, 5))
def test_pairs_are_sorted_by_their_first_number_and_then_their_second(pairs: list[tuple[int, int]], more: int) -> None:
    given_ = np.array([*pairs, *[(7, 7)] * more], np.int32).reshape(-1, 2)
    _sort(given_, len(pairs), np.ones(33, np.int32), np.zeros((2, len(given_)), np.int32))
    assert [tuple(x) for x in given_.tolist()] == [*sorted(pairs), *[(7, 7)] * more]
