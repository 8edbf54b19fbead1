from __future__ import annotations

import json
from pathlib import Path

import pytest

from dynaclast.core import document
from dynaclast.core.errors import DocumentError
from shots import box, shot

DEMO = Path(__file__).parents[2] / "demo"


def problems(data: object) -> list[tuple[str, str]]:
    with pytest.raises(DocumentError) as caught:
        document.parse(data)
    return caught.value.problems


def test_a_shot_survives_json_both_ways() -> None:
    for path in DEMO.glob("*.json"):
        once = document.parse_json(path.read_bytes())
        assert document.parse(json.loads(json.dumps(document.dump(once)))) == once


def test_errors_name_the_place_the_value_and_what_is_allowed() -> None:
    bad = {"bodies": [box("a", (0, 0, 0), material={"density": -5})]}
    assert problems(bad) == [("bodies[0].material.density", "input should be greater than 0, got -5")]
    assert (
        problems({"bodies": [{"name": "a", "shape": {"kind": "box", "size": [1, 0, 1]}}]})[0][0]
        == "bodies[0].shape.size[1]"
    )
    assert "not a key" in problems({"colour": 1})[0][1]
    assert "used twice" in problems({"bodies": [box("a", (0, 0, 0)), box("a", (0, 0, 0))]})[0][1]
    field = {
        "name": "f",
        "effect": {"kind": "burst"},
        "reach": {"layers": [{"shape": {"kind": "sphere"}}]},
        "targets": ["ghost"],
    }
    assert "no body or group named 'ghost'" in problems({"fields": [field]})[0][1]
    assert "version 1" in problems({"version": 7})[0][1]
    assert "unit quaternion" in problems({"bodies": [box("a", (0, 0, 0), place={"rotation": [0, 0, 0, 2]})]})[0][1]
    assert (
        "greater" in problems({"timing": {"frames": 0}})[0][1]
        and "2000" in problems({"timing": {"frames": 2001}})[0][1]
    )
    for not_a_number in (float("nan"), float("inf")):
        assert problems({"bodies": [box("a", (not_a_number, 0, 0))]})


def test_bounce_above_one_is_refused() -> None:
    assert "less than or equal to 1" in problems({"bodies": [box("a", (0, 0, 0), material={"bounce": 1.1})]})[0][1]


@pytest.mark.parametrize("text", [b"", b"{", b"[]", b"\xff\xfe", b'"shot"', b"[" * 5000])
def test_text_that_is_no_document_gives_one_sentence(text: bytes) -> None:
    with pytest.raises(DocumentError):
        document.parse_json(text)


def test_the_schema_describes_every_part() -> None:
    parts = document.schema()["$defs"]
    assert {"Body", "FieldItem", "Falloff", "CellsPattern", "StrainEffect", "AnchorEffect", "BurstEffect"} <= set(parts)
    silent = [
        f"{part}.{key}"
        for part, own in {**parts, "Shot": document.schema()}.items()
        for key, value in own.get("properties", {}).items()
        if key != "kind" and not value.get("description")
    ]
    assert not silent


def test_the_smallest_document_is_empty() -> None:
    assert shot().bodies == []
    assert document.parse({}).timing.frames == 240
