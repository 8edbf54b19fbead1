"""What a document may say: every rule with the sentence and the place it answers with."""

from __future__ import annotations

import copy
import json
import math
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from jsonschema import Draft202012Validator

from dynaclast.core import document
from dynaclast.core.document import place_of, still_falloffs
from dynaclast.core.errors import DocumentError
from shots import ball, box, reach_box, reach_sphere

DEMO = sorted((Path(__file__).parents[2] / "demo").glob("*.json"))


def problems(data: object) -> list[tuple[str, str]]:
    with pytest.raises(DocumentError) as caught:
        document.parse(data)
    return caught.value.problems


def numbers(data: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Paths of all numbers of a JSON value."""
    if isinstance(data, dict):
        for key, value in data.items():
            yield from numbers(value, (*path, key))
    elif isinstance(data, list):
        for k, value in enumerate(data):
            yield from numbers(value, (*path, k))
    elif isinstance(data, (int, float)) and not isinstance(data, bool):
        yield path


def put(data: Any, path: tuple[Any, ...], value: Any) -> Any:
    """A copy with one value replaced; only what lies on the path is copied."""
    if not path:
        return value
    out = copy.copy(data)
    out[path[0]] = put(data[path[0]], path[1:], value)
    return out


def shape_of(path: tuple[Any, ...]) -> tuple[Any, ...]:
    """A path with its indices left out: one of many alike."""
    return tuple(p for p in path if isinstance(p, str))


def dotted(path: tuple[Any, ...]) -> str:
    return "".join(f"[{p}]" if isinstance(p, int) else f".{p}" for p in path).lstrip(".")


def every_number() -> list[tuple[dict[str, Any], tuple[Any, ...]]]:
    """One place of each kind of number that the demo documents hold."""
    seen: set[tuple[Any, ...]] = set()
    out = []
    for path in DEMO:
        data = document.dump(document.parse_json(path.read_bytes()))
        for place in numbers(data):
            if shape_of(place) not in seen and place[0] != "version":
                seen.add(shape_of(place))
                out.append((data, place))
    return out


def test_no_number_anywhere_may_be_endless_or_none_and_the_answer_names_its_place() -> None:
    found = every_number()
    assert len(found) > 150
    for data, place in found:
        for bad in (math.nan, math.inf, -math.inf, "three", None, [1]):
            if bad is None and (place[-1] in ("seed", "end", "length", "breaks", "mass", "up_to", "count", "most")):
                continue  # optional there, or a default follows
            try:
                with pytest.raises(DocumentError) as caught:
                    document.parse(put(data, place, bad))
            except pytest.fail.Exception:
                assert bad is None, (dotted(place), bad)  # what may be left out
                continue
            places = [where for where, _ in caught.value.problems]
            assert any(dotted(place).startswith(where) for where in places), (dotted(place), places)


def test_a_key_that_is_none_is_named_wherever_it_stands() -> None:
    data = document.dump(document.parse_json(DEMO[0].read_bytes()))
    parts = {path[:-1] for path in numbers(data) if not isinstance(path[-1], int)}
    for place in parts:
        now: Any = data
        for step in place:
            now = now[step]
        found = problems(put(data, place, now | {"colour": 1}))
        assert any("is not a key" in said and where.endswith("colour") for where, said in found), dotted(place)


def two() -> dict[str, Any]:
    """A document with two bodies and a group, for rules about names."""
    group = {"name": "stones", "body": ball("stone", (0, 0, 0)), "layout": {"kind": "line", "count": 3}}
    return {"bodies": [box("a", (0, 1, 0)), box("b", (3, 1, 0), role="animated")], "groups": [group]}


def field(**more: Any) -> dict[str, Any]:
    return {"name": "f", "effect": {"kind": "push"}, "reach": reach_sphere((0, 0, 0), 1), **more}


def tie(**more: Any) -> dict[str, Any]:
    return {"name": "t", "how": {"kind": "pin"}, "body": "a", "point": [0, 1, 0], **more}


LAYER = {"shape": {"kind": "sphere", "core": 1.0}}


@pytest.mark.parametrize(
    ("change", "where", "says"),
    [
        ({"ties": [tie(to="a")]}, "ties[0]", "ties 'a' to itself"),
        ({"ties": [tie(how={"kind": "string"})]}, "ties[0]", "a string needs 'to_point'"),
        ({"ties": [tie(to_point=[1, 1, 1])]}, "ties[0]", "only a string has two ends; a pin is tied at 'point'"),
        ({"ties": [tie(body="ghost")]}, "", "ties[0].body: there is no body named 'ghost'"),
        ({"ties": [tie(to="stones")]}, "", "ties[0].to: there is no body named 'stones'"),
        ({"ties": [tie(), tie()]}, "", "ties: the name 't' is used twice"),
        ({"ties": [tie(how={"kind": "hinge", "limits": [0.1, 0.5]})]}, "ties[0].how", "least <= 0 <= most"),
        ({"ties": [tie(how={"kind": "hinge", "axis": [0, 0, 0]})]}, "ties[0].how.axis", "must not have zero length"),
        ({"ties": [tie(how={"kind": "glue"})]}, "ties[0].how", "pin"),
        ({"fields": [field(reach={"use": "none"})]}, "", "fields[0].reach.use: there is no falloff named 'none'"),
        ({"fields": [field(aim="f")]}, "", "fields[0].aim: there is no other field or body named 'f'"),
        ({"fields": [field(aim="ghost")]}, "", "fields[0].aim: there is no other field or body named 'ghost'"),
        ({"fields": [field(cue={"kind": "impact", "bodies": ["ghost"]})]}, "", "fields[0].cue.bodies: there is no"),
        ({"fields": [field(cue={"kind": "span", "start": 2, "end": 1})]}, "fields[0].cue", "ends at 1 s, not after"),
        ({"fields": [field(cue={"kind": "hand", "times": [1, 3, 2]})]}, "fields[0].cue.times", "times must rise"),
        ({"fields": [field(targets=["a", "ghost"])]}, "", "fields[0].targets: there is no body or group named 'ghost'"),
        (
            {"fields": [field(effect={"kind": "anchor", "hold": "carried", "carrier": "a"})]},
            "",
            "fields[0].effect.carrier: 'a' is not animated",
        ),
        (
            {"fields": [field(channels=[{"of": "effect.nothing", "keys": [{"time": 0, "value": 1}]}])]},
            "",
            "fields[0].channels[0].of: there is no 'nothing' on the way of 'effect.nothing'",
        ),
        (
            {"fields": [field(channels=[{"of": "reach.layers.0.shape.core", "keys": [{"time": 0, "value": 1}]}] * 2)]},
            "",
            "fields[0].channels[1]: 'reach.layers.0.shape.core' has a channel already",
        ),
        (
            {"fields": [field(channels=[{"of": "reach.layers.0.shape.core", "keys": [{"time": 0, "value": -4}]}])]},
            "",
            "'reach.layers.0.shape.core' cannot be -4",
        ),
        ({"maps": [{"name": "m", "reach": {"use": "none"}}]}, "", "maps[0].reach.use: there is no falloff"),
        (
            {"maps": [{"name": "m", "reach": {"layers": [LAYER]}, "targets": ["ghost"]}]},
            "",
            "maps[0].targets: there is no body or group named 'ghost'",
        ),
        (
            {"falloffs": [{"name": "x", "layers": [{"shape": {"kind": "mesh", "body": "ghost"}}]}]},
            "",
            "falloffs[0].layers[0].shape.body: there is no body named 'ghost'",
        ),
    ],
)
def test_what_parts_ask_of_each_other_is_checked_by_name(change: dict[str, Any], where: str, says: str) -> None:
    found = problems(two() | change)
    assert any(place.startswith(where) and says in said for place, said in found), found


@pytest.mark.parametrize(
    ("body", "where", "says"),
    [
        ({"collision": "exact"}, "bodies[0]", "'exact' is for passive and animated bodies"),
        ({"place": {"rotation": [0, 0, 0, 1.1]}}, "bodies[0].place.rotation", "got length 1.1"),
        ({"place": {"scale": [1, 0, 1]}}, "bodies[0].place.scale[1]", "greater than 0"),
        ({"material": {"look": {"color": "red"}}}, "bodies[0].material.look.color", "pattern"),
        ({"material": {"look": {"opacity": 1.5}}}, "bodies[0].material.look.opacity", "less than or equal to 1"),
        ({"pattern": {"kind": "cells", "count": 8, "up_to": 5}}, "bodies[0].pattern", "must not be below count (8)"),
        ({"pattern": {"kind": "cells", "count": 1}}, "bodies[0].pattern.count", "greater than or equal to 2"),
        ({"pattern": {"kind": "dust"}}, "bodies[0].pattern", "cells"),
        ({"pattern": {}}, "bodies[0].pattern", "needs a 'kind'"),
        ({"bonds": {"tiers": [1, 2, 3, 4]}}, "bodies[0].bonds.tiers", "at most 3 items"),
        ({"gravity": 11}, "bodies[0].gravity", "less than or equal to 10"),
        ({"load_path": "maybe"}, "bodies[0].load_path", "'off', 'on' or 'fail'"),
        (
            {"channels": [{"of": "material.density", "keys": [{"time": 0, "value": 1}]}]},
            "bodies[0]",
            "'material.density' cannot change in a run",
        ),
        (
            {"channels": [{"of": "gravity", "keys": [{"time": 0, "value": 1}, {"time": 0, "value": 2}]}]},
            "bodies[0].channels[0].keys",
            "times must grow from key to key, but key 1 is at 0 s after one at 0 s",
        ),
        (
            {"role": "animated", "motion": {"keys": [{"time": 1, "position": [0, 0, 0]}] * 2}},
            "bodies[0].motion.keys",
            "key 1 is at 1 s after one at 1 s",
        ),
        (
            {"pattern": {"kind": "cells", "crowd": {"reach": {"use": "wet"}}}},
            "",
            "bodies[0].pattern.crowd.reach.use: there is no falloff named 'wet'",
        ),
    ],
)
def test_what_a_body_may_be(body: dict[str, Any], where: str, says: str) -> None:
    found = problems({"bodies": [box("a", (0, 0, 0)) | body]})
    assert any(place.startswith(where) and says in said for place, said in found), found


def test_falloffs_that_need_a_run_cannot_decide_what_is_made_before_it() -> None:
    asked = {"kind": "cells", "crowd": {"reach": {"use": "wet"}}}
    remembers = {"name": "wet", "layers": [LAYER, {"shape": {"kind": "trail"}}]}
    data = {"bodies": [box("a", (0, 0, 0), pattern=asked)], "falloffs": [remembers]}
    assert any("'wet' cannot be used here" in said for _, said in problems(data))


def test_groups_share_no_keys_and_stand_on_bodies_that_are_there() -> None:
    group = {
        "name": "g",
        "body": box("m", (0, 0, 0), role="animated", motion={"keys": [{"time": 0, "position": [0, 0, 0]}]}),
        "layout": {"kind": "line"},
    }
    assert "a group's members cannot share keys" in problems({"groups": [group]})[0][1]
    scatter = {"name": "g", "body": box("m", (0, 0, 0)), "layout": {"kind": "surface", "body": "ghost"}}
    assert "groups[0].layout.body: there is no body named 'ghost'" in problems({"groups": [scatter]})[0][1]
    clash = {"name": "a", "body": box("m", (0, 0, 0)), "layout": {"kind": "line"}}
    assert "the name 'a' is used twice" in problems({"bodies": [box("a", (0, 0, 0))], "groups": [clash]})[0][1]


def test_several_problems_are_all_told() -> None:
    data = {
        "bodies": [box("a", (0, 0, 0), material={"density": -1}), {"name": "", "shape": {"kind": "box"}}],
        "quality": "best",
        "timing": {"fps": 0.5},
    }
    assert {where for where, _ in problems(data)} == {
        "bodies[0].material.density",
        "bodies[1].name",
        "quality",
        "timing.fps",
    }


@pytest.mark.parametrize("data", [None, 3, "shot", [], [1, 2], True])
def test_what_is_no_object_is_no_shot(data: object) -> None:
    assert problems(data) == [("", f"a shot document is a JSON object, got {type(data).__name__}")]


@pytest.mark.parametrize("version", [0, 2, "1", None, 1.5])
def test_another_version_is_refused_before_anything_else(version: object) -> None:
    ((where, said),) = problems({"version": version, "bodies": "nonsense"})
    assert where == "version" and "reads version 1" in said


def test_long_values_are_shown_in_part() -> None:
    ((_, said),) = problems({"quality": "x" * 500})
    assert len(said) < 160 and "..." in said


def test_places_leave_out_the_kinds_that_the_reader_adds() -> None:
    assert place_of(("bodies", 0, "shape", "box", "size", 1)) == "bodies[0].shape.size[1]"
    assert place_of(("fields", 2, "effect", "strain", "load")) == "fields[2].effect.load"
    assert place_of(("bodies", 0, "breaks", 1, "of", "reach", "reach", "layers", 0, "shape", "sphere", "core")) == (
        "bodies[0].breaks[1].of.reach.layers[0].shape.core"
    )
    assert place_of(()) == ""


def test_the_falloffs_of_a_body_are_found_wherever_it_holds_one() -> None:
    still = reach_box((0, 0, 0), (1, 1, 1))
    body = document.parse(
        {
            "bodies": [
                box(
                    "a",
                    (0, 0, 0),
                    steps=[{"kind": "displace", "reach": still}],
                    pattern={"kind": "cells", "crowd": {"reach": still}},
                    breaks=[{"of": {"kind": "reach", "reach": still}, "pattern": {"kind": "slabs"}}],
                    bonds={"by_reach": {"reach": still}},
                )
            ]
        }
    ).bodies[0]
    assert [place for place, _ in still_falloffs(body)] == [
        "steps[0].reach",
        "pattern.crowd.reach",
        "breaks[0].of.reach",
        "bonds.by_reach.reach",
    ]


def test_every_demo_document_says_the_same_after_a_round_trip() -> None:
    for path in DEMO:
        once = document.dump(document.parse_json(path.read_bytes()))
        assert document.dump(document.parse(once)) == once


def test_the_schema_takes_what_the_reader_takes_and_refuses_what_it_refuses() -> None:
    schema = Draft202012Validator(document.schema())
    Draft202012Validator.check_schema(document.schema())
    for path in DEMO:
        assert not list(schema.iter_errors(json.loads(path.read_bytes()))), path.name
    bad = 0
    for data, place in every_number()[::6]:
        other = put(data, place, "three")
        try:
            document.parse(other)
        except DocumentError as exc:
            if all(said.startswith("input should") for _, said in exc.problems):  # no rule between parts
                assert list(schema.iter_errors(json.loads(json.dumps(other)))), dotted(place)
                bad += 1
        else:
            assert not list(schema.iter_errors(json.loads(json.dumps(other)))), dotted(place)
    assert bad > 20
