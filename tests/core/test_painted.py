"""Strokes of a brush as a layer: what they cover, what they do to what lies beneath, in which frame."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from dynaclast.core.document import Falloff, PaintedReach, Stroke
from dynaclast.core.falloff import value
from dynaclast.core.falloff.sources import covered, distance_to_line
from shots import reach_sphere


def painted(*strokes: dict[str, Any], beneath: float | None = None, **frame: Any) -> Falloff:
    layers: list[dict[str, Any]] = [{"shape": {"kind": "painted", "strokes": list(strokes)} | frame}]
    if beneath is not None:
        layers.insert(0, {"shape": {"kind": "everywhere"}, "high": beneath})
    return Falloff.model_validate({"layers": layers})


def at(*points: tuple[float, float, float]) -> np.ndarray:
    return np.array(points, float)


def slow_distance(point: np.ndarray, line: np.ndarray) -> float:
    """The distance of one point to a line, segment by segment."""
    best = float(np.linalg.norm(point - line[0]))
    for a, b in zip(line, line[1:], strict=False):
        long2 = float((b - a) @ (b - a))
        share = min(1.0, max(0.0, float((point - a) @ (b - a)) / long2)) if long2 else 0.0
        best = min(best, float(np.linalg.norm(point - a - share * (b - a))))
    return best


@settings(max_examples=60, deadline=None)
@given(seed=st.integers(0, 2**31), long=st.integers(1, 9), most=st.floats(0.05, 1.5))
def test_distance_to_a_line_is_that_of_its_segments_up_to_the_reach(seed: int, long: int, most: float) -> None:
    rng = np.random.default_rng(seed)
    line, points = rng.normal(size=(long, 3)), rng.normal(size=(80, 3))
    found = distance_to_line(points, line, most)
    true = np.array([slow_distance(p, line) for p in points])
    near = true <= most
    assert found[near] == pytest.approx(true[near], abs=1e-12)
    assert np.isinf(found[~near & (true > most + 1e-9)]).all()


def test_a_stroke_is_whole_at_its_line_and_fades_over_its_soft_share() -> None:
    stroke = Stroke(points=[(0, 0, 0), (1, 0, 0)], radius=0.4, soft=0.5)
    got = covered(stroke, at((0.5, 0, 0), (0.5, 0.2, 0), (0.5, 0.3, 0), (0.5, 0.4, 0), (1.5, 0, 0)))
    assert got == pytest.approx([1, 1, 0.5, 0, 0])
    hard = Stroke(points=[(0, 0, 0)], radius=0.4, soft=0)
    assert covered(hard, at((0.39, 0, 0), (0.41, 0, 0))).tolist() == [1, 0]


def test_a_line_that_passes_twice_counts_once_and_two_strokes_twice() -> None:
    there_and_back = {"points": [[0, 0, 0], [1, 0, 0], [0, 0, 0]], "strength": 0.4}
    assert value(painted(there_and_back), at((0.5, 0, 0))) == pytest.approx([0.4])
    assert value(painted(there_and_back, there_and_back), at((0.5, 0, 0))) == pytest.approx([0.8])
    assert value(painted(*[there_and_back] * 4), at((0.5, 0, 0))) == pytest.approx([1.0])


@pytest.mark.parametrize(("how", "strength", "wanted"), [("add", 0.25, 0.75), ("remove", 0.2, 0.3), ("set", 0.9, 0.9)])
def test_what_a_stroke_does_to_the_value_beneath(how: str, strength: float, wanted: float) -> None:
    reach = painted({"points": [[0, 0, 0]], "radius": 1, "soft": 0, "how": how, "strength": strength}, beneath=0.5)
    assert value(reach, at((0.5, 0, 0), (2, 0, 0))) == pytest.approx([wanted, 0.5])


def test_a_stroke_takes_away_from_the_shapes_beneath() -> None:
    sphere = reach_sphere((0, 0, 0), 2.0)["layers"][0]
    hole = {"shape": {"kind": "painted", "strokes": [{"points": [[1, 0, 0]], "radius": 0.5, "how": "remove"}]}}
    got = value(Falloff.model_validate({"layers": [sphere, hole]}), at((0, 0, 0), (1, 0, 0)))
    assert got == pytest.approx([1, 0])


def test_strokes_stand_in_the_layers_frame_and_its_mirror_too() -> None:
    quarter = (0.0, np.sqrt(0.5), 0.0, np.sqrt(0.5))  # about y: x of the frame is -z of the world
    stroke = {"points": [[1, 0, 0]], "radius": 0.2, "soft": 0, "mirror": "x"}
    reach = painted(stroke, center=[5, 0, 0], rotation=quarter)
    assert value(reach, at((5, 0, -1), (5, 0, 1), (6, 0, 0), (1, 0, 0))).tolist() == [1, 1, 0, 0]
    alone = painted(stroke | {"mirror": None}, center=[5, 0, 0], rotation=quarter)
    assert value(alone, at((5, 0, -1), (5, 0, 1))).tolist() == [1, 0]


def test_painting_leaves_no_trace_in_what_it_is_asked_with() -> None:
    points = np.random.default_rng(3).normal(size=(40, 3))
    before = points.copy()
    reach = painted({"points": [[0, 0, 0], [1, 1, 1]], "radius": 2})
    first = value(reach, points)
    assert (value(reach, points) == first).all() and (points == before).all()
    assert PaintedReach().strokes == [] and value(painted(), points).tolist() == [0.0] * 40


@pytest.mark.parametrize(
    "wrong", [{"points": []}, {"points": [[0, 0, 0]], "radius": 0}, {"points": [[0, 0, 0]], "strength": 2}]
)
def test_a_stroke_that_cannot_be_is_refused(wrong: dict[str, Any]) -> None:
    with pytest.raises(ValidationError):
        painted(wrong)
