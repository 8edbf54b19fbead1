"""What preflight says about cloth, soft bodies and ropes."""

from __future__ import annotations

import re
from typing import Any

import pytest

from deforming import EVERYWHERE, cloth, pin, rope, soft
from dynaclast.core.document import parse
from dynaclast.core.fracture.pieces import no_pieces
from dynaclast.core.preflight import Finding, preflight
from dynaclast.core.solve.prepare import prepare
from shots import box, shot


def found(*bodies: dict[str, Any], **more: Any) -> dict[str, Finding]:
    shot = parse({"bodies": list(bodies)} | more)
    return {f.code: f for f in preflight(shot, [no_pieces()] * len(bodies))}


SHEET = cloth("flag", (0, 3, 0), (2, 2), (8, 8), pins=[pin(-1, 3, -1)])


def test_sound_bodies_are_not_spoken_of() -> None:
    line = rope("line", (0, 5, 0), (0, 3, 0), segments=8, pins=[pin(0, 5, 0)])
    assert not set(found(SHEET, line, soft("lump", (0, 1, 0), (1, 1, 1)))) & {"crosses-itself", "gives-way", "too-weak"}


def test_cloth_that_stretches_under_its_own_weight_is_told_the_stiffness_that_would_do() -> None:
    weak = SHEET | {"matter": {"kind": "cloth", "weight": 1.0, "stretch": 0.02, "folds": False}}
    one = found(weak)["gives-way"]
    assert one.about == "flag" and one.grave == "check" and "98 %" in one.sentence  # 1 * 9.81 * 2 / 20
    needed = 1.0 * 9.81 * 2 / 0.02 / 1000
    assert f"{needed:.3g} kN/m" in one.remedy
    better = SHEET | {"matter": {"kind": "cloth", "weight": 1.0, "stretch": needed, "folds": False}}
    assert "gives-way" not in found(better)
    assert "gives-way" not in found({k: v for k, v in weak.items() if k != "pins"})  # nothing holds it
    assert "gives-way" not in found(weak, gravity=[0, 0, 0])


def test_what_cannot_bear_its_own_weight_is_told_how_much_that_is() -> None:
    tearing = SHEET | {"matter": {"kind": "cloth", "weight": 1.0, "tear": 0.01}}
    one = found(tearing)["too-weak"]
    assert "0.0196 kN/m" in one.sentence and "bears 0.01 kN/m" in one.sentence
    line = rope("line", (0, 5, 0), (0, 3, 0), segments=8, matter={"breaks": 0.01}, pins=[pin(0, 5, 0)])
    weight = 2400 * 3.14159e-4 * 2 * 9.81 / 1000
    assert f"{weight:.3g} kN" in found(line)["too-weak"].sentence
    lump = soft("lump", (0, 1, 0), (1, 1, 1), matter={"young": 1000, "tear": 5}, pins=[pin(0.5, 1.5, 0.5)])
    assert f"{9.81:.3g} kN/m2" in found(lump)["too-weak"].sentence
    strong = rope("line", (0, 5, 0), (0, 3, 0), segments=8, matter={"breaks": 0.02}, pins=[pin(0, 5, 0)])
    assert "too-weak" not in found(strong)


def test_a_tie_or_an_anchor_holds_too() -> None:
    free = {k: v for k, v in SHEET.items() if k != "pins"} | {"matter": {"kind": "cloth", "tear": 0.001}}
    assert "too-weak" not in found(free)
    tie = {"name": "t", "how": {"kind": "pin"}, "body": "flag", "point": [-1, 3, -1]}
    assert "too-weak" in found(free, ties=[tie])
    corner = {"layers": [{"shape": {"kind": "sphere", "center": [-1, 3, -1], "core": 0.2}}]}
    assert "too-weak" in found(free, fields=[{"name": "a", "effect": {"kind": "anchor"}, "reach": corner}])


@pytest.mark.parametrize("folds", [True, False])
def test_cloth_that_crosses_itself_is_told_where_it_matters(folds: bool) -> None:
    flat = [[0, 0, 0], [1, 0, 0], [1, 0, 1], [0, 0, 1]]
    across = [[0.5, -0.5, 0.2], [0.5, 0.5, 0.2], [0.5, 0.5, 0.8], [0.5, -0.5, 0.8]]
    faces = [[0, 1, 2], [0, 2, 3], [4, 5, 6], [4, 6, 7]]
    shape = {"kind": "mesh", "vertices": flat + across, "faces": faces}
    body = {"name": "knot", "shape": shape, "matter": {"kind": "cloth", "folds": folds}}
    got = found(body)
    assert ("crosses-itself" in got) == folds
    if folds:
        assert "at 2 pairs of triangles" in got["crosses-itself"].sentence


def test_soft_bodies_hang_too() -> None:
    jelly: dict[str, Any] = soft("jelly", (0, 3, 0), (1, 2, 1), matter={"young": 10})
    jelly["pins"] = [pin(0, 4, 0, reach=1.0)]
    assert "196 %" in found(jelly)["gives-way"].sentence  # 1000 * 9.81 * 2 / 10,000


def test_a_mass_that_is_given_counts() -> None:
    sheet = SHEET | {"matter": {"kind": "cloth", "tear": 0.05}, "material": {"mass": 40}}  # 10 kg/m2
    assert "0.196 kN/m" in found(sheet)["too-weak"].sentence
    jelly: dict[str, Any] = soft("jelly", (0, 3, 0), (1, 2, 1), matter={"young": 10}, material={"mass": 1000})
    jelly["pins"] = [pin(0, 4, 0, reach=1.0)]
    assert "98 %" in found(jelly)["gives-way"].sentence


STRONG = [
    (
        {"kind": "push", "amount": 900.0, "unit": "m/s"},
        {"kind": "at", "time": 0.1},
        "gives a speed of 900 m/s",
        "Up to 500 m/s",
    ),
    ({"kind": "gravity", "acceleration": [0, -3e4, 0]}, {"kind": "span"}, "pulls with 30000 m/s2", "Up to 24000 m/s2"),
]


@pytest.mark.parametrize(("effect", "cue", "does", "remedy"), STRONG)
@pytest.mark.parametrize("body", [cloth("x", (0, 2, 0), (1, 1), (4, 4)), box("x", (0, 2, 0), (1, 1, 1))])
def test_a_field_past_the_speed_limit_is_told_with_the_strength_that_acts_in_full(
    body: dict[str, Any], effect: dict[str, Any], cue: dict[str, Any], does: str, remedy: str
) -> None:
    def past(**limits: float) -> Finding | None:
        field = {"name": "f", "effect": effect, "cue": cue, "reach": EVERYWHERE}
        ready = prepare(shot(body, fields=(field,), limits=limits))
        return next((f for f in preflight(ready.shot, ready.pieces) if f.code == "past-limit"), None)

    told = past()
    assert told is not None
    assert re.search(does, told.sentence)
    assert re.match(remedy, told.remedy)
    assert past(speed=1000.0) is None


@pytest.mark.parametrize(
    ("ends", "told"),
    [(("weld", "weld"), []), (("pin", "weld"), ["cord"]), (("weld", None), ["cord"]), (("pins", "weld"), [])],
)
def test_a_rope_of_which_an_end_turns_freely_is_told(ends: tuple[str | None, str | None], told: list[str]) -> None:
    cord = rope("cord", (0, 3, 0), (1, 3, 0), segments=10, matter={"bending": 0.1, "twist": 0.1})
    posts = [box(name, (x, 3, 0), (0.2, 0.2, 0.2), role="passive") for name, x in (("a", -0.1), ("b", 1.1))]
    ties, pins = [], []
    for how, to, x in zip(ends, ("a", "b"), (0.0, 1.0), strict=True):
        if how == "pins":
            pins.append(pin(x, 3, 0, reach=0.15))
        elif how is not None:
            ties.append({"name": to, "how": {"kind": how}, "body": "cord", "to": to, "point": [x, 3, 0]})
    ready = prepare(shot(cord | {"pins": pins}, *posts, frames=4, ties=ties))
    found = [f for f in preflight(ready.shot, ready.pieces) if f.code == "turns-freely"]
    assert [f.about for f in found] == told
    assert all("turns freely" in f.sentence and f.step == "bind" for f in found)
