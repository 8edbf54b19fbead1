from __future__ import annotations

import numpy as np
import pytest

from dynaclast.core.fracture.build import build_pieces
from dynaclast.core.preflight import preflight
from dynaclast.core.preflight.reach import crossings
from dynaclast.core.solve.prepare import prepare
from shots import ball, blow, box, footing, pillar, reach_box, reach_sphere, run, shot


def test_an_anchor_holds_what_is_in_reach_and_strengthens_what_is_near() -> None:
    soft = footing(reach=reach_box((0, 0, 0), (2, 0.6, 2), edge=2.0))
    plain, held = prepare(shot(pillar())), prepare(shot(pillar(), fields=(soft,)))
    low = held.model.pieces.rest_center[:, 1] < 0.3
    assert (
        held.model.pieces.hold[low].all()
        and not held.model.pieces.hold[held.model.pieces.rest_center[:, 1] > 2.3].any()
    )
    ratio = held.model.bonds.strength / plain.model.bonds.strength
    assert ratio.min() == pytest.approx(1.0, abs=0.05) and ratio.max() == pytest.approx(1 + 4 * 0.5)


def test_a_blow_breaks_bonds_above_their_strength_only_and_says_why() -> None:
    weak = run(pillar(), fields=(footing(), blow(999, core=9)), frames=16)
    strong = run(pillar(), fields=(footing(), blow(1001, core=9)), frames=16)
    assert not [e for e in weak.events if e["kind"] == "bond_broken"]
    broken = [e for e in strong.events if e["kind"] == "bond_broken" and "field" in e["causes"][0]]
    assert len(broken) > 20
    first = broken[0]
    assert first["frame"] == 13 and first["tier"] == 1 and first["load"] == 1001 and first["strength"] == 1000
    assert first["causes"] == [{"field": "blow", "load": 1001.0, "share": 1.0}]
    assert [e["field"] for e in strong.events if e["kind"] == "cue"] == ["blow"]


def test_two_blows_at_once_add_up_and_share_the_blame() -> None:
    baked = run(pillar(), fields=(footing(), blow(700, core=9), blow(400, core=9) | {"name": "second"}), frames=14)
    causes = next(e for e in baked.events if e["kind"] == "bond_broken")["causes"]
    assert [(c["field"], c["share"]) for c in causes] == [
        ("blow", pytest.approx(7 / 11, abs=1e-3)),
        ("second", pytest.approx(4 / 11, abs=1e-3)),
    ]


def test_a_burst_gives_light_and_heavy_the_same_speed_outwards() -> None:
    burst = {
        "name": "burst",
        "effect": {"kind": "burst", "speed": 4},
        "reach": reach_sphere((0, 5, 0), 9),
        "cue": {"kind": "at", "time": 0.0},
    }
    baked = run(
        ball("light", (-2, 5, 0), material={"density": 100}),
        ball("heavy", (3, 5, 0), material={"density": 9000}),
        fields=(burst,),
        gravity=[0, 0, 0],
        frames=24,
    )
    moved = baked.position[-1] - baked.position[0]
    assert moved[:, 0] == pytest.approx([-4, 4], rel=1e-4) and np.abs(moved[:, 1:]).max() < 1e-4


def test_a_field_acts_on_its_targets_only() -> None:
    other = box(
        "other",
        (4, 1.5, 0),
        (0.8, 3, 0.8),
        pattern={"kind": "cells", "count": 12, "seed": 1},
        bonds={"strength": 10, "unit": "kN"},
    )
    baked = run(
        pillar(), other, fields=(footing(targets=["pillar"]), blow(5000, core=20, targets=["pillar"])), frames=14
    )
    broken_by_field = {e["body"] for e in baked.events if e["kind"] == "bond_broken" and "field" in e["causes"][0]}
    assert broken_by_field == {"pillar"}


def test_switched_off_a_field_does_nothing() -> None:
    baked = run(pillar(), fields=(footing(), blow(5000, core=9) | {"on": False}), frames=14)
    assert not baked.events and (baked.position == baked.position[0]).all()


def test_the_reach_grid_counts_what_the_solver_holds_and_breaks() -> None:
    scene = shot(pillar(), ball("stone", (5, 0.5, 0)), fields=(footing(), blow(1001, core=0.7)), frames=14)
    built = [build_pieces(b) for b in scene.bodies]
    grid = {(c.field, c.body): c for c in crossings(scene, built)}
    prepared = prepare(scene)
    assert (
        grid["footing", "pillar"].pieces == int(prepared.model.pieces.hold.sum())
        and grid["footing", "stone"].pieces == 0
    )
    baked = run(
        pillar(),
        ball("stone", (5, 0.5, 0)),
        fields=(footing(reach=reach_box((0, 0, 0), (2, 1, 2))), blow(1001, core=0.7)),
        frames=14,
    )
    by_field = sum("field" in e["causes"][0] for e in baked.events if e["kind"] == "bond_broken")
    assert grid["blow", "pillar"].breaks == by_field > 0


def test_preflight_names_the_field_and_the_remedy() -> None:
    def codes(*fields: dict, bodies: tuple = (pillar(),), frames: int = 48) -> dict[str, str]:
        scene = shot(*bodies, fields=fields, frames=frames)
        return {f.code: f.sentence for f in preflight(scene, [build_pieces(b) for b in scene.bodies])}

    assert codes(footing(), blow(5000)) == {}
    assert "reaches no piece" in codes(footing(reach=reach_sphere((50, 0, 0), 1)))["reaches-nothing"]
    assert "at most 900 kN" in codes(footing(), blow(900))["too-weak"]
    assert "after the last frame" in codes(footing(), blow(5000, time=9))["cue-late"]
    assert (
        "loose from the first frame"
        in codes(bodies=(box("a", (0, 1, 0), pattern={"kind": "cells", "count": 4}),))["no-bonds"]
    )
    assert "below the ground" in codes(bodies=(box("a", (0, 0.2, 0)),))["below-ground"]
    assert "nothing is moved by physics" in codes(bodies=(box("a", (0, 1, 0), role="passive"),))["nothing-active"]
    assert set(codes(bodies=())) == {"no-bodies"}
