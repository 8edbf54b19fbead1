"""Cues, channels, keys, drives and travel over time, against brute force and closed forms."""

from __future__ import annotations

import itertools
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from dynaclast.core import document
from dynaclast.core.document import Channel, FieldItem, Motion, PathTravel, Place, Stagger
from dynaclast.core.document.base import turned
from dynaclast.core.errors import DocumentError
from dynaclast.core.timeline.channels import Keyed, channel_value
from dynaclast.core.timeline.cues import begins, delays, fires, spans, weight
from dynaclast.core.timeline.drive import Drive
from dynaclast.core.timeline.keys import Path, bezier_share, eased, slerp
from dynaclast.core.timeline.travel import along_path
from shots import reach_box, reach_sphere

STEP = 1 / 48


def item(cue: dict, effect: dict | None = None) -> FieldItem:
    return FieldItem.model_validate(
        {
            "name": "f",
            "effect": effect or {"kind": "strain", "load": 5},
            "reach": reach_box((0, 0, 0), (1, 1, 1)),
            "cue": cue,
        }
    )


def fired_at(one: FieldItem, delay: np.ndarray, until: int = 200) -> list[list[int]]:
    """Intervals in which each piece is fired."""
    out: list[list[int]] = [[] for _ in delay]
    for number in range(until):
        mask = fires(one, number, STEP, delay)
        for piece in np.flatnonzero(mask) if mask is not None else []:
            out[piece].append(number)
    return out


@given(st.floats(0, 2), st.floats(0.03, 0.5), st.integers(1, 9), st.floats(0, 0.6))
@settings(max_examples=40)
def test_a_pulse_falls_once_for_each_start_and_never_twice(start: float, every: float, count: int, late: float) -> None:
    cue = {"kind": "pulse", "start": start, "every": every, "count": count}
    delay = np.array([0.0, late])
    got = fired_at(item(cue), delay, 400)
    for piece, d in enumerate(delay):
        want = sorted({int(np.floor((start + k * every + d) / STEP + 1e-9)) for k in range(count)})
        assert got[piece] == [n for n in want if n < 400]


def test_a_cue_at_a_time_falls_in_the_interval_that_holds_it() -> None:
    for time in (0.0, 0.02, STEP, 0.5, 1.0):
        assert fired_at(item({"kind": "at", "time": time}), np.zeros(1)) == [[int(time / STEP + 1e-9)]]


def test_cues_by_hand_fall_at_their_times_and_nowhere_else() -> None:
    assert fired_at(item({"kind": "hand", "times": [0.1, 0.5]}), np.zeros(1)) == [[4, 24]]
    assert fired_at(item({"kind": "hand"}), np.zeros(1)) == [[]]


def share_by_sampling(lo: float, hi: float, start: float, end: float) -> float:
    return max(0.0, min(hi, end) - max(lo, start)) / (hi - lo)


@given(st.floats(0, 1), st.floats(0.001, 1), st.floats(0, 0.3))
@settings(max_examples=60)
def test_the_share_of_an_interval_that_a_span_is_on(start: float, length: float, late: float) -> None:
    one = item({"kind": "span", "start": start, "end": start + length}, {"kind": "wind"})
    delay = np.array([0.0, late])
    total = np.zeros(2)
    for number in range(140):
        found = spans(one, number * STEP, STEP, late, None)
        got = weight(found, number * STEP, STEP, delay)
        for piece, d in enumerate(delay):
            want = share_by_sampling(number * STEP, (number + 1) * STEP, start + d, start + length + d)
            assert got[piece] == pytest.approx(want if want > 1e-9 else 0.0, abs=1e-6)
        total += got * STEP
    assert total == pytest.approx(length, abs=1e-6)


def test_easing_rises_and_falls_smoothly_and_is_whole_between() -> None:
    one = item({"kind": "span", "start": 1.0, "end": 3.0, "ease_in": 0.5, "ease_out": 1.0}, {"kind": "wind"})
    level = []
    for number in range(200):
        found = spans(one, number * STEP, STEP, 0.0, None)
        level.append(float(weight(found, number * STEP, STEP, np.zeros(1))[0]))
    assert level[47] == 0 and level[80] == pytest.approx(1.0) and level[145] == 0
    rise, fall = np.diff(level[48:72]), np.diff(level[96:144])
    assert (rise >= 0).all() and (fall <= 0).all() and 0.4 < level[59] < 0.6


def test_what_acts_over_time_begins_once() -> None:
    one = item({"kind": "span", "start": 0.5, "end": 1.0}, {"kind": "wind"})
    assert [n for n in range(100) if begins(one, n, STEP)] == [24]


@pytest.mark.parametrize("order", ["reach", "direction", "random"])
def test_staggered_starts_are_spread_over_the_whole_time(order: str) -> None:
    stagger = Stagger.model_validate({"over": 2.0, "order": order, "seed": 4, "direction": [1, 0, 0]})
    use = np.array([True] * 9 + [False])
    reach, center = np.linspace(1, 0, 10), np.stack([np.arange(10.0), np.zeros(10), np.zeros(10)], axis=1)
    got = delays(stagger, use, reach, center)
    assert got[9] == 0 and (got >= 0).all() and got.max() <= 2.0
    if order != "random":
        assert got[:9] == pytest.approx(np.linspace(0, 2, 9))
    assert delays(stagger, use, reach, center).tolist() == got.tolist()
    assert not delays(None, use, reach, center).any()


KEYS = [(0.5, 2.0), (1.0, 6.0), (2.0, -1.0)]


def channel(how: str, curve: tuple[float, ...] = (0.4, 0.0, 0.6, 1.0)) -> Channel:
    keys = [{"time": t, "value": v, "how": how, "curve": curve} for t, v in KEYS]
    return Channel.model_validate({"of": "effect.load", "keys": keys})


@pytest.mark.parametrize("how", ["linear", "smooth", "step", "bezier"])
def test_a_channel_goes_through_its_keys_and_stands_still_outside(how: str) -> None:
    one = channel(how)
    assert [channel_value(one, t) for t, _ in KEYS] == pytest.approx([v for _, v in KEYS])
    assert channel_value(one, -3.0) == 2.0 and channel_value(one, 99.0) == -1.0
    for a, b in zip(KEYS, KEYS[1:], strict=False):
        between = [channel_value(one, t) for t in np.linspace(a[0], b[0], 21)]
        low, high = sorted((a[1], b[1]))
        assert low - 1e-9 <= min(between) and max(between) <= high + 1e-9


def test_a_straight_and_a_stepped_channel_half_way() -> None:
    assert channel_value(channel("linear"), 0.75) == pytest.approx(4.0)
    assert channel_value(channel("step"), 0.999) == 2.0 and channel_value(channel("step"), 1.0) == 6.0


@given(st.floats(0, 1), st.floats(0, 1), st.floats(-1, 2), st.floats(-1, 2))
@settings(max_examples=40)
def test_a_bezier_curve_solved_for_its_time(x1: float, x2: float, y1: float, y2: float) -> None:
    """At parameters spread evenly, the share at x(t) is y(t)."""
    for t in (0.1, 0.35, 0.5, 0.8):
        x = 3 * (1 - t) ** 2 * t * x1 + 3 * (1 - t) * t * t * x2 + t**3
        y = 3 * (1 - t) ** 2 * t * y1 + 3 * (1 - t) * t * t * y2 + t**3
        slope = 3 * (1 - t) ** 2 * x1 + 6 * (1 - t) * t * (x2 - x1) + 3 * t * t * (1 - x2)
        if slope > 0.05:
            assert bezier_share((x1, y1, x2, y2), x) == pytest.approx(y, abs=1e-6)


def test_keyed_parts_are_copies_and_come_back_to_their_numbers() -> None:
    plain = item({"kind": "at", "time": 1.0})
    moved = plain.model_copy(update={"channels": [channel("linear")]})
    keyed = Keyed([plain, moved])
    assert [p.effect.load for p in keyed.at(1.0)] == [5.0, 6.0]
    assert [p.effect.load for p in keyed.at(0.75)] == [5.0, 4.0]
    assert moved.effect.load == 5.0 and keyed.at(0.0)[0] is plain


def test_a_smooth_curve_is_level_at_its_ends_and_never_leaves_its_keys() -> None:
    times, rows = np.array([0.0, 1.0, 1.5, 4.0]), np.array([[0.0], [3.0], [3.0], [1.0]])
    curve = eased(times, rows)
    at = np.linspace(0, 4, 401)
    values = curve(at)[:, 0]
    assert abs(curve(1e-6)[0]) < 1e-9 and abs(curve(4 - 1e-6)[0] - 1) < 1e-9
    assert values.min() >= -1e-12 and values.max() <= 3 + 1e-12 and (values[100:151] == pytest.approx(3.0))


@given(st.integers(0, 10**6), st.floats(0, 1))
@settings(max_examples=30)
def test_orientations_are_joined_at_constant_rate(seed: int, share: float) -> None:
    a, b = (Rotation.random(random_state=seed + k) for k in range(2))
    got = Rotation.from_quat(slerp(a.as_quat(), b.as_quat(), share))
    whole = (b * a.inv()).magnitude()
    assert (got * a.inv()).magnitude() == pytest.approx(share * whole, abs=1e-6)
    assert (b * got.inv()).magnitude() == pytest.approx((1 - share) * whole, abs=1e-6)


def test_a_drive_is_at_its_keys_and_turns_from_its_first() -> None:
    turned = Rotation.from_euler("y", 90, degrees=True).as_quat().tolist()
    motion = Motion.model_validate(
        {"keys": [{"time": 0, "position": [0, 0, 0]}, {"time": 2, "position": [4, 0, 0], "rotation": turned}]}
    )
    drive = Drive(np.zeros(3), Path.of(motion), np.zeros(3), np.zeros(3))
    position, turn = drive.at(2.0)
    assert position == pytest.approx([4, 0, 0]) and Rotation.from_quat(turn).magnitude() == pytest.approx(np.pi / 2)
    assert drive.at(0.0)[1] == pytest.approx([0, 0, 0, 1]) and drive.at(1.0)[0][0] == pytest.approx(2.0)
    steady = Drive(np.array([1.0, 2, 3]), None, np.array([0.5, 0, 0]), np.array([0, 2.0, 0]))
    position, turn = steady.at(3.0)
    assert position == pytest.approx([2.5, 2, 3])
    assert Rotation.from_quat(turn).as_matrix() == pytest.approx(Rotation.from_rotvec([0, 6, 0]).as_matrix())


@given(st.tuples(*[st.floats(-900, 900)] * 3))
def test_angles_are_turns_about_the_axes_of_the_world_one_after_the_other(angles: tuple[float, float, float]) -> None:
    want = Rotation.from_euler("xyz", angles, degrees=True).as_matrix()
    assert Rotation.from_quat(turned(angles)).as_matrix() == pytest.approx(want, abs=1e-9)
    place = Place.model_validate({"angles": angles, "rotation": [0.6, 0, 0, 0.8]})
    assert place.rotation == turned(angles) and place.angles == angles


@pytest.mark.parametrize("how", ["linear", "smooth", "bezier"])
def test_keys_with_angles_turn_as_often_as_they_say(how: str) -> None:
    keys = [{"time": t, "position": [t, 0, 0], "angles": [0, a, 0], "how": how} for t, a in ((0, 0), (2, 720))]
    path = Path.of(Motion.model_validate({"keys": keys}))
    steps = [Rotation.from_quat(path.at(t)[1]) for t in np.linspace(0, 2, 401)]
    whole = sum((b * a.inv()).as_rotvec()[1] for a, b in itertools.pairwise(steps))
    assert whole == pytest.approx(4 * np.pi)
    assert path.at(1.0)[0] == pytest.approx([1, 0, 0])
    assert Rotation.from_quat(path.at(1.0)[1]).magnitude() == pytest.approx(0, abs=1e-9)


def test_one_key_without_angles_is_met_the_short_way() -> None:
    keys = [{"time": 0, "position": [0, 0, 0], "angles": [0, 400, 0]}, {"time": 2, "position": [0, 0, 0]}]
    path = Path.of(Motion.model_validate({"keys": keys}))
    assert path.angles is None
    assert Rotation.from_quat(path.at(1.0)[1]).magnitude() == pytest.approx(np.radians(20))


def test_a_path_is_travelled_at_even_speed() -> None:
    points = [[0, 0, 0], [3, 0, 0], [3, 1, 0]]
    travel = PathTravel.model_validate({"kind": "path", "points": points, "start": 1.0, "time": 4.0, "smooth": False})
    assert along_path(travel, 0.0) == pytest.approx([0, 0, 0]) and along_path(travel, 9.0) == pytest.approx([3, 1, 0])
    assert along_path(travel, 3.0) == pytest.approx([2, 0, 0]) and along_path(travel, 4.5) == pytest.approx([3, 0.5, 0])
    speed = [np.linalg.norm(along_path(travel, t + 0.01) - along_path(travel, t)) for t in (1.2, 2.0, 3.5)]
    assert speed == pytest.approx([0.01, 0.01, 0.01])


def test_a_direction_may_be_keyed_through_nothing_of_one_axis_but_not_of_all() -> None:
    """Each number goes by the others of its vector: a wind that turns from x to z."""

    def wind(*last: float) -> dict[str, Any]:
        keys = [
            {"of": f"effect.direction.{c}", "keys": [{"time": 0, "value": a}, {"time": 1, "value": z}]}
            for c, a, z in zip((0, 1, 2), (1, 0, 0), last, strict=True)
        ]
        effect = {"kind": "wind", "direction": [1, 0, 0]}
        return {"name": "wind", "effect": effect, "reach": reach_sphere((0, 0, 0), 1), "channels": keys}

    document.parse({"bodies": [], "fields": [wind(0, 0, 1)]})
    with pytest.raises(DocumentError, match="must not have zero length"):
        document.parse({"bodies": [], "fields": [wind(0, 0, 0)]})
    alone = wind(0, 0, 1)
    alone["channels"] = alone["channels"][:1]
    with pytest.raises(DocumentError, match="cannot be 0"):
        document.parse({"bodies": [], "fields": [alone]})
