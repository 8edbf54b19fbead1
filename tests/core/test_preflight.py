"""What is said before a run: every finding where it belongs, with what to do, and none where all is well."""

from __future__ import annotations

from typing import Any

import pytest

from dynaclast.core.preflight import Finding, preflight
from dynaclast.core.preflight.checks import _length
from dynaclast.core.solve.prepare import prepare
from shots import ball, blow, box, footing, pillar, reach_sphere, shot


def found(*bodies: dict[str, Any], **more: Any) -> dict[str, Finding]:
    """Findings of a shot by their code."""
    ready = prepare(shot(*bodies, **more))
    return {f.code: f for f in preflight(ready.shot, ready.pieces)}


def test_nothing_is_found_where_all_is_well() -> None:
    assert found(pillar(), fields=(footing(), blow(5e3)), frames=48) == {}


LATE = blow(5e3, time=9.0)
WEAK = blow(0.1)
FAR = {**blow(5e3, (50, 0, 0)), "name": "far"}
NO_TARGETS = {**blow(5e3), "targets": []}
LOOSE = {**pillar(), "bonds": None}
TIE = {"name": "tie", "how": {"kind": "pin"}, "body": "a", "point": [0, 3, 0]}

CASES: dict[str, tuple[tuple[dict[str, Any], ...], dict[str, Any], str, str]] = {
    "nothing-active": ((box("a", (0, 1, 0), role="passive"),), {}, "build", "active"),
    "stands-still": ((box("a", (0, 3, 0), role="animated"), ball("b", (4, 3, 0))), {}, "build", "keys"),
    "below-ground": ((box("a", (0, 0.2, 0)),), {}, "build", "Lift"),
    "overlap": ((box("a", (0, 3, 0)), box("b", (0.7, 3, 0))), {}, "build", "Move"),
    "no-bonds": ((LOOSE,), {}, "bind", "Add bonds"),
    "cue-late": ((pillar(),), {"fields": (footing(), LATE), "frames": 24}, "drive", "earlier"),
    "too-weak": ((pillar(),), {"fields": (footing(), WEAK)}, "drive", "Raise the load"),
    "reaches-nothing": ((pillar(),), {"fields": (footing(), FAR)}, "drive", "Move or widen"),
    "strains-nothing": ((box("a", (0, 1, 0)),), {"fields": (blow(5e3),)}, "drive", "bonds"),
    "cannot-act": ((pillar(),), {"fields": (footing(), NO_TARGETS)}, "drive", "targets"),
    "tie-far": ((box("a", (0, 8, 0)),), {"ties": [TIE]}, "bind", "Move the point"),
    "tie-idle": ((box("a", (0, 3, 0), role="passive"), ball("b", (9, 3, 0))), {"ties": [TIE]}, "bind", "active"),
}


@pytest.mark.parametrize("code", CASES)
def test_each_finding_names_its_part_and_its_remedy(code: str) -> None:
    bodies, more, step, remedy = CASES[code]
    findings = found(*bodies, **more)
    assert code in findings, f"found only {sorted(findings)}"
    one = findings[code]
    assert one.step == step and remedy.lower() in one.remedy.lower()
    assert one.sentence.endswith(".") and (one.about in one.sentence or not one.about)
    assert one.grave == ("stop" if code == "cannot-act" else "check")


def test_what_would_stop_a_bake_comes_first() -> None:
    ready = prepare(shot(pillar(), box("low", (5, 0.1, 0)), fields=(footing(), NO_TARGETS)))
    grave = [f.grave for f in preflight(ready.shot, ready.pieces)]
    assert grave == sorted(grave, key=lambda g: g != "stop") and grave[0] == "stop" and "check" in grave


def test_a_moving_field_is_looked_at_all_along_its_way() -> None:
    """It reaches nothing where it starts, but passes the pillar on its path."""
    path = {"kind": "path", "points": [[-9, 1.5, 0], [9, 1.5, 0]], "start": 0.0, "time": 2.0}
    passing = {
        "name": "wind",
        "effect": {"kind": "push"},
        "reach": reach_sphere((0, 0, 0), 1.0),
        "travel": path,
        "cue": {"kind": "span", "start": 0.0, "end": 2.0},
    }
    assert "reaches-nothing" not in found(pillar(), fields=(footing(), passing), frames=60)
    away = {**passing, "travel": {**path, "points": [[-9, 40, 0], [9, 40, 0]]}}
    assert found(pillar(), fields=(footing(), away), frames=60)["reaches-nothing"].about == "wind"


def test_what_is_off_is_not_spoken_of() -> None:
    assert found(pillar(), fields=(footing(), {**FAR, "on": False}), frames=48) == {}
    assert found(box("a", (0, 8, 0)), ties=[{**TIE, "on": False}]) == {}


@pytest.mark.parametrize(("metres", "words"), [(2.5, "2.50 m"), (0.25, "25.0 cm"), (0.0042, "4.2 mm")])
def test_lengths_are_said_in_a_fitting_unit(metres: float, words: str) -> None:
    assert _length(metres) == words
