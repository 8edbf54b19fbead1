from __future__ import annotations

import numpy as np
import pytest

from dynaclast.core.document import Falloff
from dynaclast.core.falloff import value

LINE = np.stack([np.linspace(0, 4, 41), np.zeros(41), np.zeros(41)], axis=1)


def falloff(*layers: dict) -> Falloff:
    return Falloff.model_validate({"layers": list(layers)})


def sphere(**more: object) -> dict:
    return {"shape": {"kind": "sphere", "core": 1, "edge": 2}, **more}


def test_a_linear_sphere_is_one_in_the_core_and_falls_to_zero_at_the_edge() -> None:
    x = LINE[:, 0]
    assert value(falloff(sphere(profile="linear")), LINE) == pytest.approx(np.clip((3 - x) / 2, 0, 1))


@pytest.mark.parametrize("profile", ["linear", "smooth", "sharp", "round", [[0, 1], [0.3, 0.9], [0.6, 0.2], [1, 0]]])
def test_every_profile_falls_from_core_to_edge(profile: object) -> None:
    v = value(falloff(sphere(profile=profile)), LINE)
    assert v[0] == 1 and v[-1] == pytest.approx(0, abs=1e-12) and (np.diff(v) <= 1e-12).all()


def test_a_box_measures_from_its_surface_and_turns_with_its_rotation() -> None:
    quarter = [0, 0, np.sqrt(0.5), np.sqrt(0.5)]  # x becomes y
    flat = {"shape": {"kind": "box", "core": [2, 4, 2], "edge": 1}, "profile": "linear"}
    turned = {"shape": flat["shape"] | {"rotation": quarter}, "profile": "linear"}
    assert value(falloff(flat), np.array([[1.5, 0, 0], [0, 2.5, 0], [0.9, 1.9, 0.9]])) == pytest.approx([0.5, 0.5, 1])
    assert value(falloff(turned), np.array([[2.5, 0, 0], [0, 1.5, 0]])) == pytest.approx([0.5, 0.5])
    corner = value(falloff(flat), np.array([[1.0 + 0.3, 2.0 + 0.4, 0]]))
    assert corner == pytest.approx([0.5])  # 0.3, 0.4, 0.5: the band is rounded


def test_a_plane_is_solid_behind_and_fades_in_front() -> None:
    plane = {"shape": {"kind": "plane", "center": [0, 1, 0], "normal": [0, 2, 0], "edge": 2}, "profile": "linear"}
    assert value(falloff(plane), np.array([[9, -5, 3], [0, 1, 0], [0, 2, 0], [0, 3.5, 0]])) == pytest.approx(
        [1, 1, 0.5, 0]
    )


def test_without_an_edge_the_border_is_sharp() -> None:
    v = value(falloff({"shape": {"kind": "sphere", "core": 1, "edge": 0}}), np.array([[1.0, 0, 0], [1.0001, 0, 0]]))
    assert list(v) == [1, 0]


def test_what_lies_on_the_border_but_for_rounding_is_in_it() -> None:
    """Centres of bricks 0.3 high, in a box of 0.3: some came to lie 1e-17 above it, and were not held."""
    turn = [0.0, 0.0, 0.38268343236508984, 0.9238795325112867]
    box_reach = falloff({"shape": {"kind": "box", "core": [0.6, 0.3, 0.6], "edge": 0, "rotation": turn}})
    up = np.array([-np.sin(np.pi / 4), np.cos(np.pi / 4), 0.0])
    heights = 0.15 * (1.0 + np.array([-3e-16, 0.0, 3e-16, 1e-14, 1e-6]))
    assert list(value(box_reach, heights[:, None] * up)) == [1, 1, 1, 1, 0]


def test_layers_blend_by_the_usual_formulas() -> None:
    a, b = 0.5, 0.25  # linear sphere of core 1, edge 2 at x = 2; and at x = 2.5
    low, high = (
        sphere(profile="linear"),
        {"shape": {"kind": "sphere", "center": [-0.5, 0, 0], "core": 1, "edge": 2}, "profile": "linear"},
    )
    expected = {
        "normal": b,
        "max": a,
        "min": b,
        "add": a + b,
        "subtract": a - b,
        "multiply": a * b,
        "screen": a + b - a * b,
        "overlay": 1 - 2 * (1 - a) * (1 - b),
    }
    for blend, want in expected.items():
        assert value(falloff(low, high | {"blend": blend}), np.array([[2.0, 0, 0]])) == pytest.approx([want]), blend
    half = value(falloff(low, high | {"blend": "multiply", "opacity": 0.5}), np.array([[2.0, 0, 0]]))
    assert half == pytest.approx([a + 0.5 * (a * b - a)])
    assert value(falloff(sphere(profile="linear", invert=True)), np.array([[2.0, 0, 0]])) == pytest.approx([0.5])
