"""When fields act, on whom, and what they leave: cues, staggers, targets, channels, travel, kill, displace, anchors
that carry.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from dynaclast.core import document
from dynaclast.core.bake import bake
from dynaclast.core.document import FieldItem, dump, parse
from dynaclast.core.errors import DocumentError
from dynaclast.core.falloff.context import EvaluationContext
from dynaclast.core.fields.pose import pose_of
from dynaclast.core.solve.loop import Run, frames
from dynaclast.core.solve.prepare import prepare
from dynaclast.core.solve.state import State
from dynaclast.core.timeline.cues import delays, fires, weight
from shots import ball, box, pillar, reach_box, reach_sphere, run, shot

EVERYWHERE = {"layers": [{"shape": {"kind": "everywhere"}}]}
FREE: dict[str, Any] = {"gravity": [0, 0, 0], "ground": {"on": False}}


def field(effect: dict[str, Any], reach: dict[str, Any] = EVERYWHERE, **more: Any) -> dict[str, Any]:
    return {"name": more.pop("name", effect["kind"]), "effect": effect, "reach": reach, **more}


def item(effect: dict[str, Any], **more: Any) -> FieldItem:
    return FieldItem.model_validate(field(effect, **more))


# -------------------------------------------------------------------------------------- cues


def test_a_push_in_pulses_gives_each_its_share() -> None:
    push = field({"kind": "push", "amount": 2}, cue={"kind": "pulse", "start": 0.1, "every": 0.2, "count": 3})
    baked = run(ball("one", (0, 0, 0), 0.1), fields=(push,), frames=24, **FREE)
    assert (baked.position[-1, 0, 0] - baked.position[-2, 0, 0]) * 24 == pytest.approx(6, rel=1e-3)
    assert [e["time"] for e in baked.events if e["kind"] == "cue"] == pytest.approx(
        [3 / 24, 8 / 24, 12 / 24 + 1 / 24], abs=1 / 24
    )


def test_a_span_eases_in_and_out() -> None:
    """The area under smooth ramps of 0.5 s at both ends of 2 s is 1.5 s."""
    push = field(
        {"kind": "push", "amount": 3}, cue={"kind": "span", "start": 0.5, "end": 2.5, "ease_in": 0.5, "ease_out": 0.5}
    )
    baked = run(ball("one", (0, 0, 0), 0.1), fields=(push,), frames=72, **FREE)
    assert (baked.position[-1, 0, 0] - baked.position[-2, 0, 0]) * 24 == pytest.approx(4.5, rel=1e-3)


def test_staggers_start_piece_by_piece() -> None:
    row = [ball(f"b{k}", (float(k), 0, 0), 0.1) for k in range(5)]
    burst = field(
        {"kind": "push", "direction": [0, 1, 0], "amount": 2},
        cue={"kind": "at", "time": 0.0, "stagger": {"over": 1.0, "order": "direction", "direction": [1, 0, 0]}},
    )
    baked = run(*row, fields=(burst,), frames=36, **FREE)
    began = [int(np.flatnonzero(baked.position[:, k, 1] > 1e-4)[0]) for k in range(5)]
    assert began == [1, 7, 13, 19, 25]
    use, at = np.array([True] * 6 + [False] * 2), np.random.default_rng(1).normal(size=(8, 3))
    for order in ("random", "reach", "direction"):
        late = delays(document.Stagger(over=2.0, order=order), use, np.linspace(1, 0, 8), at)
        assert late[:6].min() >= 0 and late.max() <= 2 and not late[6:].any()
    assert (np.diff(delays(document.Stagger(over=2.0, order="reach"), use, np.linspace(1, 0, 8), at)[:6]) > 0).all()


def test_timing_of_cues_by_hand() -> None:
    none = np.zeros(1)
    hand = item({"kind": "burst"}, cue={"kind": "hand", "times": [0.5, 1.25]})
    assert [n for n in range(96) if fires(hand, n, 1 / 48, none) is not None] == [24, 60]
    steps = np.array([weight([(0.2, 0.7, 0.0, 0.0)], n / 48, 1 / 48, none)[0] for n in range(48)])
    assert steps.sum() / 48 == pytest.approx(0.5) and ((steps > 1e-9) & (steps < 1 - 1e-9)).sum() <= 2


def test_a_hit_calls_a_field_to_its_place() -> None:
    """A ball falls beside the middle; what lies round the place it hits is thrown up, what lies elsewhere stays."""
    floor = box("floor", (0, -0.5, 0), (20, 1, 20), role="passive")
    marks = [
        ball(f"m{k}", (x, 0.2, 0), 0.2, release={"kind": "touch", "part": "body"})
        for k, x in enumerate((-6.0, 3.2, 4.8))
    ]
    bomb = ball("bomb", (4, 5, 0), 0.3)
    burst = field(
        {"kind": "burst", "speed": 6},
        reach_sphere((0, 0, 0), 1.5),
        cue={"kind": "impact", "above": 1, "bodies": ["bomb"], "most": 1},
    )
    baked = run(floor, *marks, bomb, fields=(burst,), frames=48, ground={"on": False})
    cue = [e for e in baked.events if e["kind"] == "cue"]
    lands = int(np.ceil(24 * np.sqrt(2 * 4.7 / 9.81)))
    assert [e["frame"] for e in cue] == [lands]
    moved = np.linalg.norm(baked.position[-1, 1:4] - baked.position[0, 1:4], axis=1)
    assert moved[0] < 1e-6 and (moved[1:] > 0.3).all()


# ----------------------------------------------------------------------------------- targets


def test_targets_by_body_tier_and_state() -> None:
    def went(**more: Any) -> np.ndarray:
        slabs = {"kind": "slabs", "count": 3, "axis": [1, 0, 0], "spread": 0, "random": 0}
        a = box(
            "a",
            (0, 0, 0),
            (2, 1, 1),
            pattern=slabs,
            breaks=[{"of": {"kind": "pieces", "pieces": [0]}, "pattern": slabs}],
            material={"friction": 0},
        )
        b = ball("b", (9, 0, 0), 0.3, release={"kind": "cue", "time": 5})
        baked = run(
            a,
            b,
            fields=(
                field({"kind": "push", "direction": [0, 1, 0], "amount": 5}, cue={"kind": "at", "time": 0}, **more),
            ),
            frames=3,
            **FREE,
        )
        return np.abs(baked.position[-1] - baked.position[0]).max(axis=1) > 1e-3

    assert went().tolist() == [True] * 5 + [False]
    assert went(targets=["b"]).sum() == 0 and went(targets=["a"]).sum() == 5
    assert went(tiers=[2]).sum() == 3 and went(tiers=[1]).sum() == 2
    assert went(states=["held"]).sum() == 0 and went(states=["moving"]).sum() == 5


def test_what_rests_wakes_only_where_a_field_changes() -> None:
    crates = [box(f"c{k}", (3.0 * k, 0.5, 0)) for k in range(3)]
    wind = field(
        {"kind": "push", "amount": 9}, reach_sphere((0, 0.5, 0), 1), cue={"kind": "span", "start": 2, "end": 2.5}
    )
    baked = run(*crates, fields=(wind,), frames=96)
    moving = baked.state == baked.state_names.index("moving")
    assert moving[40].sum() == 0 and moving[52].tolist() == [True, False, False] and baked.position[-1, 0, 0] > 0.3


# ------------------------------------------------------------------------ channels and travel


def test_channels_set_numbers_over_time() -> None:
    push = field(
        {"kind": "push", "amount": 0},
        cue={"kind": "span"},
        channels=[
            {
                "of": "effect.amount",
                "keys": [
                    {"time": 0, "value": 0, "how": "linear"},
                    {"time": 1, "value": 6, "how": "step"},
                    {"time": 2, "value": 0},
                ],
            }
        ],
    )
    baked = run(ball("one", (0, 0, 0), 0.1), fields=(push,), frames=72, **FREE)
    assert (baked.position[-1, 0, 0] - baked.position[-2, 0, 0]) * 24 == pytest.approx(3 + 6, rel=0.02)


@pytest.mark.parametrize(
    ("travel", "wanted"),
    [
        (
            {"kind": "path", "points": [[0, 0, 0], [4, 0, 0], [4, 2, 0]], "time": 3, "smooth": False},
            [[1, 0, 0], [3, 0, 0], [4, 2, 0]],
        ),
        (
            {"kind": "round", "center": [0, 0, 0], "axis": [0, 1, 0], "rate": 0.25},
            [[0.7071, 0, -0.7071], [-0.7071, 0, -0.7071], [0, 0, 1]],
        ),
    ],
)
def test_travel_carries_the_origin(travel: dict, wanted: list) -> None:
    one = item({"kind": "wind"}, reach=reach_sphere((1, 0, 0), 1), travel=travel)
    for time, place in zip((0.5, 1.5, 3.0), wanted, strict=True):
        stand = pose_of(one, EvaluationContext(time=time))
        assert stand.origin == pytest.approx(place, abs=1e-3)
        assert stand.to_document(stand.origin[None])[0] == pytest.approx([1, 0, 0], abs=1e-9)  # the reach comes along


def test_a_field_rides_and_aims() -> None:
    cart = {"name": "cart", "role": "animated", "shape": {"kind": "box", "size": [1, 1, 1]}, "velocity": [2, 0, 0]}
    near, far = ball("near", (0, 0, 1.5), 0.1), ball("far", (6, 0, 1.5), 0.1)
    push = field(
        {"kind": "push", "direction": [1, 0, 0], "amount": 5},
        reach_sphere((0, 0, 0), 2, 0),
        cue={"kind": "at", "time": 3.0},
        targets=["near", "far"],
        travel={"kind": "ride", "body": "cart"},
        aim="far",
    )
    baked = run(cart, near, far, fields=(push,), frames=75, **FREE)
    moved = baked.position[-1] - baked.position[0]
    assert np.abs(moved[1]).max() < 1e-6 and moved[2, 2] > 0.3 and abs(moved[2, 0]) < 0.1  # along z, to where it aims


# -------------------------------------------------------------------------------------- kill


@pytest.mark.parametrize("what", ["rest", "freeze", "remove"])
def test_kill_ends_what_is_slow_inside(what: str) -> None:
    inside, outside, fast = (
        ball("in", (0, 0, 0), 0.2),
        ball("out", (9, 0, 0), 0.2),
        ball("fast", (0, 0.5, 0), 0.2, velocity=[0, 0, 3.0]),
    )
    kill = field({"kind": "kill", "what": what, "slower": 0.5, "time": 0.25}, reach_box((0, 0, 0), (4, 4, 40)))
    push = field({"kind": "push", "amount": 4}, name="later", cue={"kind": "at", "time": 1})
    baked = run(inside, outside, fast, fields=(kill, push), frames=48, **FREE)
    ended = [e for e in baked.events if e["kind"] == "kill"]
    assert [(e["body"], e["what"]) for e in ended] == [("in", what)] and ended[0]["frame"] == pytest.approx(6, abs=1)
    state = [baked.state_names[s] for s in baked.state[20]]
    assert state == [{"rest": "resting", "freeze": "frozen", "remove": "removed"}[what], "moving", "moving"]
    went = baked.position[-1, 0, 0] > 1
    assert went == (what == "rest")  # only what rests can be woken


def test_what_a_kill_removes_is_no_longer_in_the_way() -> None:
    shelf, crate = box("shelf", (0, 1, 0), (2, 0.2, 2)), box("crate", (0, 1.61, 0))
    legs = field({"kind": "gravity", "acceleration": [0, 9.81, 0]}, targets=["shelf"])
    kill = field({"kind": "kill", "what": "remove", "age": 1.0, "slower": 0}, targets=["shelf"])
    baked = run(shelf | {"gravity": 0}, crate, fields=(kill,), frames=60)
    assert (
        legs
        and baked.state_names[baked.state[-1, 0]] == "removed"
        and baked.position[-1, 1, 1] == pytest.approx(0.5, abs=0.02)
    )


def test_the_innermost_of_nested_kills_acts() -> None:
    one, two = ball("one", (0, 0, 0), 0.2), ball("two", (4, 0, 0), 0.2)
    wide = field({"kind": "kill", "what": "remove", "time": 0.2}, reach_sphere((0, 0, 0), 8), name="wide")
    small = field({"kind": "kill", "what": "freeze", "time": 0.2}, reach_sphere((0, 0, 0), 1), name="small")
    for order in ((wide, small), (small, wide)):
        baked = run(one, two, fields=order, frames=12, **FREE)
        assert [baked.state_names[s] for s in baked.state[-1]] == ["frozen", "removed"]


# ------------------------------------------------------------------------- displace, anchors


def test_a_passing_displacement_shifts_and_frees() -> None:
    planks = [box(f"p{k}", (2.0 * k, 1, 0), (1, 0.2, 1), release={"kind": "touch", "part": "body"}) for k in range(4)]
    squall = field(
        {"kind": "displace", "offset": [0, 0.5, 0]},
        reach_sphere((-3, 1, 0), 0.6, 0.6),
        cue={"kind": "span"},
        travel={"kind": "path", "points": [[-3, 1, 0], [4.4, 1, 0]], "time": 2, "smooth": False},
    )
    baked = run(*planks, fields=(squall,), frames=60, **FREE)
    top = baked.position[..., 1].max(axis=0)
    assert top[:3] == pytest.approx([1.5, 1.5, 1.5], abs=0.06) and top[3] == 1.0
    assert baked.position[-1, :2, 1] == pytest.approx(
        [1.0, 1.0], abs=0.06
    )  # without weight they are put back as it leaves


def test_anchors_hold_carry_and_wait() -> None:
    cart = {
        "name": "cart",
        "role": "animated",
        "shape": {"kind": "box", "size": [1, 0.2, 1]},
        "place": {"position": [0, 5, 0]},
        "velocity": [1, 0, 0],
    }
    carried = field(
        {"kind": "anchor", "hold": "carried", "carrier": "cart"}, reach_box((0, 3, 0), (3, 0.8, 3)), name="grip"
    )
    baked = run(pillar(), cart, fields=(carried,), frames=24, **FREE)
    own = baked.position[:, baked.piece_body == 0]
    assert own[-1] - own[0] == pytest.approx(
        np.tile([1, 0, 0], (own.shape[1], 1)), abs=1e-3
    )  # its bonds take the rest along
    waits = field({"kind": "anchor", "hold": "touch"}, name="waits")
    baked = run(box("a", (0, 3, 0)), ball("b", (0.2, 6, 0), 0.3), fields=(waits | {"targets": ["a"]},), frames=60)
    assert baked.position[10, 0, 1] == 3.0 and baked.position[-1, 0, 1] < 2.0


# ---------------------------------------------------------------------------------- the rest


def test_a_run_goes_on_from_a_stored_state_to_the_bit() -> None:
    trail = {
        "layers": [
            {"shape": {"kind": "sphere", "core": 2, "edge": 2}},
            {"shape": {"kind": "trail", "rise": 0.2, "fall": 1}},
        ]
    }
    fields = (
        field({"kind": "vortex", "contain": 2}, trail),
        field({"kind": "kill", "time": 0.5}, reach_sphere((0, 0, 0), 1)),
        field({"kind": "strain", "mode": "wear", "load": 20}, trail, cue={"kind": "pulse", "every": 0.2}),
        field({"kind": "displace"}, reach_sphere((0, 1, 0), 1)),
    )
    scene = shot(pillar(), ball("b", (1, 3, 0), 0.2), fields=fields, frames=40)
    whole = bake(scene)
    prepared = prepare(scene)
    list(frames(prepared.shot, prepared.model, prepared.state, 17))
    again = State.unpack(prepared.state.pack())
    later = list(frames(prepared.shot, prepared.model, again, 40))
    assert (np.array([f.position for f in later]) == whole.position[18:]).all()


def test_nothing_held_moves_in_the_first_frame() -> None:
    hold = field({"kind": "anchor"}, reach_box((0, 0, 0), (2, 1, 2)))
    gale = field({"kind": "wind", "speed": 200})
    baked = run(pillar(), fields=(gale, hold), frames=1)
    held = baked.state[0] == baked.state_names.index("held")
    assert held.any() and (baked.position[1, held] == baked.position[0, held]).all()


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"effect": {"kind": "strain"}, "cue": {"kind": "span"}}, "a strain acts in blows"),
        ({"effect": {"kind": "wind"}, "cue": {"kind": "span", "start": 2, "end": 1}}, "not after its start"),
        ({"effect": {"kind": "attractor", "to": "surface"}}, "needs a 'body'"),
        ({"effect": {"kind": "wind"}, "travel": {"kind": "ride", "body": "ghost"}}, "no body named 'ghost'"),
        ({"effect": {"kind": "wind"}, "aim": "ghost"}, "no other field or body named 'ghost'"),
        ({"effect": {"kind": "wind"}, "reach": {"use": "ghost"}}, "no falloff named 'ghost'"),
        (
            {"effect": {"kind": "wind"}, "reach": {"layers": [{"shape": {"kind": "expression", "text": "1 +"}}]}},
            "at character 4",
        ),
        ({"effect": {"kind": "wind"}, "reach": {"layers": []}}, "needs layers"),
        (
            {"effect": {"kind": "wind"}, "channels": [{"of": "effect.flow", "keys": [{"time": 0, "value": 1}]}]},
            "no 'flow'",
        ),
        ({"effect": {"kind": "anchor", "hold": "carried", "carrier": "crate"}}, "not animated"),
    ],
)
def test_bad_fields_are_refused_with_the_place_and_the_reason(change: dict, said: str) -> None:
    good = {
        "bodies": [box("crate", (0, 1, 0))],
        "fields": [{"name": "f", "effect": {"kind": "wind"}, "reach": EVERYWHERE, **change}],
    }
    with pytest.raises(DocumentError) as error:
        parse(good)
    assert any(said in line for line in error.value.lines()), error.value.lines()


@pytest.mark.parametrize(
    "reach",
    [
        {"layers": [{"shape": {"kind": "pieces", "body": "crate"}}]},
        {"layers": [{"shape": {"kind": "everywhere"}}, {"shape": {"kind": "trail"}}]},
    ],
)
def test_a_pattern_takes_no_falloff_that_needs_a_run(reach: dict) -> None:
    crowded = box("crate", (0, 1, 0), pattern={"kind": "cells", "count": 4, "crowd": {"by": 4, "reach": reach}})
    with pytest.raises(DocumentError) as error:
        parse({"bodies": [crowded], "falloffs": [{"name": "near", "layers": EVERYWHERE["layers"]}]})
    assert any("crowd.reach" in line for line in error.value.lines())


def test_a_displacement_lets_go_when_its_cue_ends_and_answers_a_hit() -> None:
    lift = field({"kind": "displace", "offset": [0, 2, 0]}, cue={"kind": "span", "end": 1.0, "ease_in": 0.8})
    baked = run(ball("one", (0, 0, 0), 0.2), fields=(lift,), frames=48, **FREE)
    assert (
        baked.position[23, 0, 1] == pytest.approx(2.0, abs=0.02) and np.ptp(baked.position[26:, 0, 1]) < 1e-4
    )  # neither put back nor flying on
    floor, mark, bomb = (
        box("floor", (0, -0.5, 0), (20, 1, 20), role="passive"),
        ball("mark", (1.2, 0.2, 0), 0.2),
        ball("bomb", (0, 4, 0), 0.3),
    )
    shove = field(
        {"kind": "displace", "offset": [0, 0.6, 0]},
        reach_sphere((0, 0, 0), 2),
        cue={"kind": "impact", "above": 1, "bodies": ["bomb"], "length": 0.2, "most": 1},
        targets=["mark"],
    )
    baked = run(floor, mark, bomb, fields=(shove,), frames=40, ground={"on": False})
    assert baked.position[:, 1, 1].max() > 0.5 and [e["field"] for e in baked.events if e["kind"] == "cue"] == [
        "displace"
    ]


def test_documents_of_before_still_read() -> None:
    old = parse(
        {
            "bodies": [box("crate", (0, 1, 0))],
            "fields": [{"name": "f", "effect": {"kind": "burst"}, "reach": EVERYWHERE, "cue": {"time": 2}}],
        }
    )
    assert old.fields[0].cue == document.AtCue(time=2) and parse(dump(old)) == old
    assert Run(old, *(lambda p: (p.model, p.state))(prepare(old)))


def test_a_body_has_channels_of_its_own_and_sleepers_wake_when_they_weigh_otherwise() -> None:
    def keys(*pairs: tuple[float, float]) -> list[dict]:
        return [{"time": t, "value": v, "how": "step"} for t, v in pairs]

    one = box("one", (0, 0.5, 0), channels=[{"of": "gravity", "keys": keys((0, 1), (2.0, -0.5))}])
    deck = box("deck", (9, -0.5, 0), (40, 1, 4), role="passive")
    slider = box(
        "slider",
        (0, 0.5, 1.2),
        velocity=[4, 0, 0],
        channels=[{"of": "material.friction", "keys": keys((0, 0), (1.0, 1.5))}],
    )
    baked = run(one, deck, slider, frames=72, ground={"on": False})
    assert np.abs(baked.position[:47, 0, 1] - 0.5).max() < 5e-3 and baked.state[40, 0] == 1  # it sleeps
    assert baked.position[72, 0, 1] - 0.5 == pytest.approx(0.5 * 0.5 * 9.81, rel=0.05)  # and rises for a second
    speed = np.diff(baked.position[:, 2, 0].astype(float)) * 24
    assert speed[20] == pytest.approx(4, rel=0.01) and speed[-1] < 0.05
    lone = shot(box("one", (0, 0.5, 0), channels=[{"of": "gravity", "keys": keys((0, 1), (0.2, 0.5))}]), frames=40)
    whole, part = prepare(lone), prepare(lone)
    straight, half = Run(lone, whole.model, whole.state), Run(lone, part.model, part.state)
    went = [straight.advance() for _ in range(40)]
    for _ in range(30):
        half.advance()
    assert went[29].state[0] == 1  # a stored run goes on without waking what sleeps under its changed weight
    again = Run(lone, part.model, State.unpack(part.state.pack()))
    assert [again.advance().state.tolist() for _ in range(10)] == [f.state.tolist() for f in went[30:]]
    with pytest.raises(DocumentError, match="cannot change in a run"):
        parse({"bodies": [box("b", (0, 1, 0), channels=[{"of": "velocity.0", "keys": keys((0, 1))}])]})
    with pytest.raises(DocumentError, match="cannot be 3"):
        parse({"bodies": [box("b", (0, 1, 0), channels=[{"of": "material.bounce", "keys": keys((0, 3))}])]})
