"""What deformable bodies are made of: presets, and numbers that differ from place to place."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from deforming import EVERYWHERE, cloth, frames_of, pin, points, rope, soft, started
from dynaclast.core.document import Shot, parse
from dynaclast.core.document.presets import PRESETS
from dynaclast.core.errors import DocumentError
from shots import box

KINDS = [(name, kind) for name, preset in PRESETS.items() for kind in preset.matter]


def body_of(kind: str, preset: str, **more: Any) -> dict[str, Any]:
    matter = {"kind": kind, "preset": preset} | more
    if kind == "rope":
        return {
            "name": "b",
            "shape": {"kind": "line", "points": [[0, 2, 0], [1, 2, 0]], "segments": 10},
            "matter": matter,
        }
    shape = {"kind": "sheet", "size": [0.5, 0.5], "divisions": [6, 6]} if kind == "cloth" else {"kind": "box"}
    return {"name": "b", "shape": shape, "matter": matter, "place": {"position": [0, 2, 0]}}


def shot_of(*bodies: dict[str, Any], frames: int = 12, **more: Any) -> Shot:
    return parse({"bodies": list(bodies), "timing": {"frames": frames}, "ground": {"on": False}} | more)


@pytest.mark.parametrize(("name", "kind"), KINDS)
def test_a_preset_fills_what_is_not_given_and_computes(name: str, kind: str) -> None:
    preset = PRESETS[name]
    assert len(preset.source) > 20
    body = shot_of(body_of(kind, name)).bodies[0]
    for key, number in preset.matter[kind].items():
        assert getattr(body.matter, key) == number
    assert body.material.density == preset.density and body.material.friction == preset.friction
    own = shot_of(body_of(kind, name, damping=0.5) | {"material": {"density": 77}}).bodies[0]
    assert own.matter.damping == 0.5 and own.material.density == 77 and own.material.friction == preset.friction
    shot = shot_of(body_of(kind, name))
    assert parse(shot.model_dump(mode="json")) == shot
    assert np.isfinite(points(frames_of(shot_of(body_of(kind, name), frames=4)), "b")).all()


def test_a_preset_for_other_matter_is_refused_with_those_that_fit() -> None:
    with pytest.raises(DocumentError, match="'hemp' is no preset for cloth matter; these are: canvas, silk"):
        shot_of(body_of("cloth", "hemp"))
    with pytest.raises(DocumentError, match="input should be .canvas"):
        shot_of(body_of("cloth", "tartan"))


def test_solid_sheets_bend_as_plates_of_their_thickness() -> None:
    for name, young, poisson, thick in (("sheet metal", 210e9, 0.29, 5e-4), ("leather", 0.3e9, 0.3, 2e-3)):
        numbers = PRESETS[name].matter["cloth"]
        assert numbers["stretch"] == pytest.approx(young * thick / 1000, rel=0.01)
        assert numbers["bending"] == pytest.approx(young * thick**3 / 12 / (1 - poisson**2), rel=0.02)
        assert numbers["weight"] == pytest.approx(PRESETS[name].density * thick, rel=0.01)


def test_sheet_metal_hardly_sags_where_canvas_hangs() -> None:
    low = {}
    for name in ("sheet metal", "canvas"):
        sheet = body_of("cloth", name) | {"pins": [{"reach": edge}]}
        low[name] = 2 - points(frames_of(shot_of(sheet, frames=48)), "b")[:, :, 1].min()
    assert 0.02 < low["sheet metal"] < 0.15 and low["canvas"] > 0.3


edge = {"layers": [{"shape": {"kind": "box", "center": [-0.25, 2, 0], "core": [0.2, 1, 1]}}]}


# ------------------------------------------------------------------------------- weights


def halves(low: float, high: float, of: str) -> dict[str, Any]:
    """1 at x > 0, and from there low and high by a box."""
    box = {"kind": "box", "center": [5, 0, 0], "core": [10, 99, 99], "edge": 0}
    return {"of": of, "reach": {"layers": [{"shape": box}]}, "low": low, "high": high}


def test_a_rope_stretches_by_its_own_stiffness_at_each_place() -> None:
    line = rope("r", (-1, 3, 0), (1, 3, 0), segments=20, pins=[pin(-1, 3, 0)], matter={"young": 1e4, "damping": 0.02})
    push = {"name": "p", "effect": {"kind": "push", "amount": 40}, "reach": EVERYWHERE, "cue": {"kind": "span"}}
    weights = [halves(1.0, 0.25, "stiffness")]
    shot = shot_of(line | {"weights": weights}, gravity=[0, 0, 0], fields=[push], frames=72)
    at = points(frames_of(shot), "r")[-1, :, 0]
    strain = np.diff(at) / 0.1 - 1
    mass = 2400 * np.pi * 1e-4
    load = mass * 40 * (2 - 0.1 * np.arange(1, 21) + 0.05)
    stiff = 1e7 * np.pi * 1e-4 * np.where(np.arange(20) < 10, 1.0, 0.25)
    assert strain == pytest.approx(load / stiff, rel=0.02)


def test_cloth_and_soft_bodies_give_more_where_they_are_weaker() -> None:
    push = {"name": "p", "effect": {"kind": "push", "amount": 20}, "reach": EVERYWHERE, "cue": {"kind": "span"}}
    sheet = cloth("b", (0, 3, 0), (2, 0.2), (20, 2), matter={"weight": 1, "stretch": 1, "shear": 1, "damping": 0.05})
    bar: dict[str, Any] = soft("b", (0, 3, 0), (2, 0.2, 0.2), matter={"detail": 20, "young": 300, "damping": 0.05})
    held = {"layers": [{"shape": {"kind": "box", "center": [-1, 3, 0], "core": [0.02, 9, 9]}}]}
    for body in (sheet, bar):
        body |= {"pins": [{"reach": held}], "weights": [halves(1.0, 0.25, "stiffness")]}
        shot = shot_of(body, gravity=[0, 0, 0], fields=[push], frames=60)
        ran = points(frames_of(shot), "b")
        start, end = ran[0, :, 0], ran[-1, :, 0]
        near = [end[np.abs(start - x) < 1e-3].mean() for x in (-1.0, 0.0, 1.0)] if body is sheet else None
        if near is None:
            near = [end[start < -0.99].mean(), np.interp(0.0, [-1, 1], [0, 0]), end[start > 0.99].mean()]
            e = started(shot).model.deformables.elements  # type: ignore[union-attr]
            assert sorted({round(m / e.lattice.mu.max(), 3) for m in e.lattice.mu}) == [0.25, 1.0]
            continue
        left, right = near[1] - near[0] - 1, near[2] - near[1] - 1
        assert right / left == pytest.approx(4 * (0.5 / 1.5), rel=0.1)  # half the load, a quarter of the stiffness


def test_thickness_differs_from_place_to_place() -> None:
    plate = cloth("b", (0, 0.5, 0), (2, 1), (8, 4), matter={"thickness": 0.02, "damping": 0.01, "bending": 0.01})
    shot = shot_of(plate | {"weights": [halves(1.0, 3.0, "thickness")]}, frames=40, ground={"on": True})
    frames = frames_of(shot)
    at = points(frames, "b")
    left, right = at[0, :, 0] < -0.3, at[0, :, 0] > 0.3
    assert at[-1, left, 1].mean() == pytest.approx(0.01, abs=0.002)
    assert at[-1, right, 1].mean() == pytest.approx(0.03, abs=0.002)


def test_strength_differs_from_place_to_place() -> None:
    tearing = cloth("b", (0, 3, 0), (2, 1), (8, 4), matter={"tear": 2.0})
    weak = started(shot_of(tearing | {"weights": [halves(1.0, 0.25, "strength")]})).model.deformables
    plain = started(shot_of(tearing)).model.deformables
    assert weak is not None and plain is not None
    ratio = weak.seams.strength / plain.seams.strength
    assert ratio == pytest.approx(np.where(weak.seams.center[:, 0] >= 0, 0.25, 1.0))


def test_weights_are_for_what_deforms() -> None:
    with pytest.raises(DocumentError, match="pins, recall and weights are for cloth"):
        shot_of({"name": "b", "shape": {"kind": "box"}, "weights": [halves(1, 2, "stiffness")]})


@pytest.mark.parametrize("odd", [[], {}, 7, None, "nothing"])
def test_a_preset_that_is_no_name_of_one_is_refused_or_left_out(odd: object) -> None:
    for kind in ("cloth", "rigid"):
        body = box("a", (0, 1, 0)) | {"matter": {"kind": kind, "preset": odd}}
        if odd is None and kind == "cloth":
            assert parse({"bodies": [body]}).bodies[0].matter.kind == "cloth"
            continue
        with pytest.raises(DocumentError):
            parse({"bodies": [body]})


def test_a_rope_given_by_its_working_load_is_that_much_longer_under_it() -> None:
    matter = {"radius": 0.02, "working_load": 3.0, "working_stretch": 0.06, "damping": 0.1}
    line = rope("r", (0, 6, 0), (0, 3, 0), segments=12, pins=[pin(0, 6, 0)], matter=matter, material={"density": 1})
    young = getattr(shot_of(line).bodies[0].matter, "young")  # noqa: B009 - other kinds of matter have none
    assert young == pytest.approx(3.0 / (np.pi * 0.02**2 * 0.06))
    weight = box("w", (0, 2.8, 0), (0.4, 0.4, 0.4), material={"mass": 1500.0 / 9.81})
    tie = {"name": "knot", "how": {"kind": "pin"}, "body": "r", "to": "w", "point": [0, 3, 0]}
    end = points(frames_of(shot_of(line, weight, ties=[tie], frames=48)), "r")[-1]
    assert np.ptp(end[:, 1]) == pytest.approx(3.0 * 1.03, rel=2e-3), "half the load"


def test_a_working_load_that_asks_for_too_stiff_a_rope_is_refused_with_what_will_do() -> None:
    with pytest.raises(DocumentError, match=r"let it stretch more, or be thicker than 0\.0178 m") as caught:
        shot_of(rope("r", (0, 6, 0), (0, 3, 0), matter={"radius": 0.01, "working_load": 1e3, "working_stretch": 1e-3}))
    assert caught.value.problems[0][0].startswith("bodies[0].matter")
