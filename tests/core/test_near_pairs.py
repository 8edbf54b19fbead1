"""Pairs of balls near each other, against all pairs asked one by one."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dynaclast.core.kernels import kernel
from dynaclast.core.solve.deformable.grid import Balls, Grid, make_grid, near_pairs


@kernel
def _pairs(balls: Balls, use: np.ndarray, grid: Grid, out: np.ndarray) -> int:
    return near_pairs(balls, use, len(use), grid, 1 << 62, out)


def still(at: np.ndarray, radius: np.ndarray) -> Balls:
    return Balls(at, radius, np.zeros((len(at), 3)), radius, np.full(len(at), -1))


def pairs_of(balls: Balls, use: np.ndarray | None = None) -> list[tuple[int, int]]:
    count = len(balls.at)
    use = np.arange(count, dtype=np.int32) if use is None else use.astype(np.int32)
    out = np.zeros((count**2 + 1, 2), np.int32)
    return [tuple(p) for p in out[: _pairs(balls, use, make_grid(count), out)].tolist()]  # type: ignore[misc]


def found(at: np.ndarray, radius: np.ndarray, use: np.ndarray | None = None) -> list[tuple[int, int]]:
    return pairs_of(still(at, radius), use)


def slow(at: np.ndarray, radius: np.ndarray) -> set[tuple[int, int]]:
    far = np.linalg.norm(at[:, None] - at[None], axis=2)
    return set(zip(*np.nonzero(np.triu(far <= radius[:, None] + radius[None], 1)), strict=True))


@given(
    st.integers(0, 2**32 - 1), st.integers(1, 60), st.sampled_from([0.1, 1.0, 1e6]), st.sampled_from([1.0, 30.0, 1e6])
)
def test_pairs_are_those_of_all_pairs_asked_one_by_one(seed: int, count: int, extent: float, ratio: float) -> None:
    rng = np.random.default_rng(seed)
    at = extent * rng.normal(size=(count, 3))
    at[: count // 2] *= 1e-3  # crowded in one place
    radius = 0.02 * ratio ** rng.uniform(-1, 1, count)
    pairs = found(at, radius)
    assert len(set(pairs)) == len(pairs), "each once"
    assert set(pairs) == slow(at, radius)


def test_only_balls_that_are_asked_for_are_paired_the_lower_first() -> None:
    at = np.zeros((6, 3))
    at[:, 0] = 0.1 * np.arange(6)
    pairs = found(at, np.full(6, 0.051), np.array([0, 1, 3, 4, 5]))
    assert sorted(pairs) == [(0, 1), (3, 4), (4, 5)]


def test_a_ball_of_no_size_and_balls_in_one_place_are_paired() -> None:
    assert sorted(found(np.zeros((3, 3)), np.zeros(3))) == [(0, 1), (0, 2), (1, 2)]


def test_more_than_there_is_room_for_is_counted_and_not_written() -> None:
    at, use = np.zeros((5, 3)), np.arange(5, dtype=np.int32)
    out = np.full((2, 2), -1, np.int32)
    assert _pairs(still(at, np.ones(5)), use, make_grid(5), out) == 10
    assert (out >= 0).all()


@given(st.integers(0, 2**32 - 1), st.integers(2, 60))
def test_what_goes_together_or_is_of_a_kind_is_no_pair_however_far_it_goes(seed: int, count: int) -> None:
    rng = np.random.default_rng(seed)
    at, room, kind = rng.uniform(-1, 1, (count, 3)), rng.uniform(0.01, 0.2, count), rng.integers(-1, 4, count)
    way = np.array([[2.0, 0, 0], [0, -1.5, 0.5]])[rng.integers(0, 2, count)] + rng.normal(0, 0.05, (count, 3))
    common = way.mean(axis=0)
    pairs = pairs_of(Balls(at, room, way, room + np.linalg.norm(way - common, axis=1), kind))
    far = np.linalg.norm(at[:, None] - at[None], axis=2)
    touch = far <= room[:, None] + room[None] + np.linalg.norm(way[:, None] - way[None], axis=2)
    touch &= (kind[:, None] != kind[None]) | (kind[:, None] < 0)
    assert len(set(pairs)) == len(pairs) and set(pairs) == set(zip(*np.nonzero(np.triu(touch, 1)), strict=True))


@pytest.mark.parametrize("apart", [1.0, 1e5])
def test_a_small_ball_far_off_and_a_large_one_near_cost_no_pair(apart: float) -> None:
    at = np.array([[0.0, 0, 0], [0.005, 0, 0], [apart, 0, 0], [0.5, 0, 0]])
    assert set(found(at, np.array([0.003, 0.003, 0.003, 0.496]))) == {(0, 1)} | {(1, 3)}
