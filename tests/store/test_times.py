"""The time that a bake still takes, by an earlier take and by itself."""

from __future__ import annotations

import numpy as np
import pytest

from dynaclast.core.solve.frame import Frame
from dynaclast.store import shots, takes
from dynaclast.store.database import Store
from dynaclast.store.times import frame_seconds, left_of, seconds_left
from shots import box, shot

CALM_THEN_CRASH = np.concatenate([[0.5], np.full(30, 0.01), np.full(20, 0.8), np.full(49, 0.1)])
"""Seconds of the frames of a take in which something falls at frame 31."""


def test_chunks_are_spread_over_their_frames() -> None:
    assert frame_seconds([(0, 1, 0.4), (1, 4, 2.0)]).tolist() == [0.4, 0.5, 0.5, 0.5, 0.5]
    assert len(frame_seconds([])) == 0


@pytest.mark.parametrize("done", [0, 1, 2, 20, 31, 45, 80, 100])
@pytest.mark.parametrize("pace", [0.7, 1.0, 1.4])
def test_a_shot_that_was_baked_before_tells_within_half_what_is_left(done: int, pace: float) -> None:
    """From the first second on, on a machine as fast or not: also before what takes long has begun."""
    left = seconds_left(pace * CALM_THEN_CRASH[:done], 99, CALM_THEN_CRASH)
    true = pace * CALM_THEN_CRASH[max(done, 1) :].sum()
    assert left is not None and true / 1.5 <= left <= 1.5 * true


def test_what_an_earlier_take_did_not_get_to_is_judged_by_its_end() -> None:
    left = seconds_left(np.zeros(0), 198, CALM_THEN_CRASH)
    assert left == pytest.approx(CALM_THEN_CRASH[1:].sum() + 99 * 0.1)


def test_a_first_take_is_judged_by_its_last_frames() -> None:
    assert seconds_left(np.zeros(0), 99, np.zeros(100)) is None, "a take of which no times are known"
    assert seconds_left(np.zeros(0), 99, None) is None and seconds_left(np.array([0.5]), 99, None) is None
    assert seconds_left(CALM_THEN_CRASH[:60], 99, None) == pytest.approx(40 * CALM_THEN_CRASH[36:60].mean())


def frame(index: int) -> Frame:
    arrays = {"position": np.zeros((1, 3)), "orientation": np.zeros((1, 4)), "state": np.zeros(1, np.uint8)}
    return Frame(index, arrays, {}, [])


def test_the_last_take_with_frames_of_the_same_shot_counts(store: Store) -> None:
    with store.session() as session:
        ids = [shots.create(session, shot(box("a", (0, 1, 0)), name=name)).id for name in ("one", "other")]
        first, empty, last = (takes.ask(session, ids[0], 3).id for _ in range(3))
        alone = takes.ask(session, ids[1], 3).id
    with store.session() as session:
        takes.claim(session, first, "w")
        assert takes.add_chunk(session, first, 1, [frame(0)], b"", 9.0)
        assert takes.add_chunk(session, first, 1, [frame(k) for k in (1, 2, 3)], b"", 6.0)
        takes.claim(session, last, "w")
        assert takes.beat(session, last, 1, prepared=(0.25, 1.0))
    with store.session() as session:
        assert left_of(session, takes.find(session, last)) == pytest.approx(3.0 + 6.0)
        assert left_of(session, takes.find(session, empty)) == 6.0, "not yet begun: as the one before"
        assert left_of(session, takes.find(session, alone)) is None
        assert takes.add_chunk(session, last, 1, [frame(0)], b"", 9.0)
        assert takes.add_chunk(session, last, 1, [frame(1)], b"", 4.0)
    with store.session() as session:
        assert left_of(session, takes.find(session, last)) == pytest.approx(4.0 * (4 + 2) / (2 + 2))
