"""Loads that go from tier to tier, bonds that break, what is let go, and ties that give way: against slow twins."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import naive
from dynaclast.core.solve.bond_loads import apply_load, bond_graph
from dynaclast.core.solve.impact_loads import (
    GROUND_BODY,
    IMPACT_TIME,
    Struck,
    load_by_impacts,
    make_bond_impacts,
    make_graph_search,
)
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.model import Hold, Model
from dynaclast.core.solve.prepare import Prepared, prepare
from dynaclast.core.solve.rigid.constraints import IMPACT_SPEED, make_constraints
from dynaclast.core.solve.state import make_contact_cache
from shots import box, footing, pillar, run, shot

TIERS = {
    "pattern": {"kind": "cells", "count": 4, "seed": 1},
    "breaks": [{"pattern": {"kind": "cells", "count": 3, "seed": 2}}, {"pattern": {"kind": "cells", "count": 2}}],
    "bonds": {"strength": 100, "unit": "kN"},
}


@pytest.fixture(scope="module")
def tiered() -> Model:
    return prepare(shot(box("block", (0, 2, 0), (3, 3, 3), **TIERS))).model


@given(st.integers(0, 10**6), st.floats(0.2, 6.0), st.floats(0.0, 0.9))
@settings(max_examples=40, deadline=None)
def test_what_a_load_breaks_from_tier_to_tier_equals_the_slow_twin(
    tiered: Model, seed: int, amount: float, worn: float
) -> None:
    rng = np.random.default_rng(seed)
    count = tiered.bond_count
    assert set(tiered.bonds.tier) == {1, 2, 3}
    broken = (rng.random(count) < 0.15).astype(np.uint8)
    wear = worn * rng.random(count)
    reached = np.linalg.norm(tiered.bonds.center - rng.uniform(-1, 3, 3), axis=1) < 1.6
    load = np.where(reached, amount * 1e5 * rng.uniform(0.5, 1.5, count), 0.0)
    failing, total = apply_load(bond_graph(tiered), broken, wear, load)
    want, left = naive.apply_load(
        load, broken, wear, tiered.bonds.strength, tiered.bonds.tier, tiered.bonds.piece, tiered.chunks
    )
    assert failing.tolist() == want.tolist()
    assert total == pytest.approx(left, rel=1e-12)
    assert not (failing & (broken == 1)).any() and (total[failing] > tiered.bonds.strength[failing]).all()


def test_a_load_below_the_strength_breaks_nothing_and_wear_lowers_it(tiered: Model) -> None:
    count, none = tiered.bond_count, np.zeros(tiered.bond_count, np.uint8)
    coarse = tiered.bonds.tier == 1
    load = np.where(coarse, 0.6 * tiered.bonds.strength, 0.0)
    assert not apply_load(bond_graph(tiered), none, np.zeros(count), load)[0].any()
    assert apply_load(bond_graph(tiered), none, np.full(count, 0.5), load)[0][coarse].all()


def struck(prepared: Prepared) -> Run:
    return Run(prepared.shot, prepared.model, prepared.state)


def test_bonds_that_break_say_what_loaded_them_and_by_which_share() -> None:
    prepared = prepare(shot(pillar(), fields=(footing(),)))
    going = struck(prepared)
    load = np.zeros(prepared.model.bond_count)
    load[3] = 5e6
    parts = [{"field": "a", "load": 3000.0}, {"field": "b", "load": 2000.0}]
    assert going.bonds.break_overloaded(load, lambda _: [dict(c) for c in parts])
    (event,) = going.log.take()
    assert event["kind"] == "bond_broken" and event["bond"] == 3 and event["load"] == 5000.0
    assert [c["share"] for c in event["causes"]] == [0.6, 0.4]
    assert prepared.state.bond_broken[3] == 1
    assert not going.bonds.break_overloaded(load, lambda _: [])  # it is broken already


def test_impacts_load_both_sides_and_blame_the_hardest() -> None:
    """Two impacts by hand: on bonded pieces by the ground and by a loose one; loads add up, the larger is blamed."""
    prepared = prepare(shot(pillar(), box("stone", (0, 5, 0), (0.2, 0.2, 0.2))))
    model = prepared.model
    solver, cache = make_constraints(2), make_contact_cache(2)
    contacts = solver.contacts
    contacts.cache_index[:2] = [0, 1]
    contacts.characteristic_speed[:2] = 1.0
    contacts.approach_velocity[:2, 0] = -2 * IMPACT_SPEED
    contacts.approach_velocity[1, 1] = -0.5 * IMPACT_SPEED  # too slow to count
    contacts.total_impulse[0, 0], contacts.total_impulse[1, :2] = 30.0, [50.0, 1e6]
    cache.impact_impulse[1] = 10.0  # of the interval before
    shape = {p: int(np.flatnonzero(model.hulls.piece == p)[0]) for p in (2, 7, 24)}
    cache.shape_a[:2], cache.shape_b[:2] = [shape[2], shape[7]], [-1, shape[24]]
    out, search = make_bond_impacts(model.bond_count), make_graph_search(model.piece_count)
    bonded = prepared.state.assemblies.piece_count[prepared.state.piece_assembly] > 1
    whom = Struck(model.hulls.piece, model.pieces.body, bonded)
    floor = np.ones(model.piece_count)
    hits = load_by_impacts(contacts, 2, cache, whom, model.bonds, prepared.state.bond_broken, floor, out, search)
    assert hits == 2  # the loose stone has no bonds
    pairs, broken = model.bonds.piece, prepared.state.bond_broken
    first = naive.spread_load(2, 30.0 / IMPACT_TIME, 1.0, pairs, broken, 25)
    second = naive.spread_load(7, 60.0 / IMPACT_TIME, 1.0, pairs, broken, 25)
    assert out.load == pytest.approx(first + second)
    assert out.strongest == pytest.approx(np.maximum(first, second))
    hit = out.load > 0
    assert out.blame[hit].tolist() == np.where(first >= second, GROUND_BODY, 1)[hit].tolist()


@pytest.mark.parametrize(("part", "free"), [("piece", 1), ("chunk", 6), ("body", 12)])
def test_what_goes_when_touched_is_the_piece_its_chunk_or_all(part: str, free: int) -> None:
    body = box(
        "block",
        (0, 2, 0),
        (2, 2, 2),
        pattern={"kind": "cells", "count": 2, "seed": 1},
        breaks=[{"pattern": {"kind": "cells", "count": 6, "seed": 2}}],
        release={"kind": "touch", "part": part},
        bonds={"strength": 100},
    )
    prepared = prepare(shot(body))
    going = struck(prepared)
    touched = np.zeros(12, bool)
    touched[4] = True
    assert going.releases.waiting_for_touch()
    assert going.releases.release_touched(touched, {"touch": "hand"})
    assert (prepared.state.hold == Hold.FREE).sum() == free and prepared.state.hold[4] == Hold.FREE
    (event,) = going.log.take()
    assert event["kind"] == "release" and event["cause"] == {"touch": "hand"} and len(event["pieces"]) == free
    ends = prepared.model.bonds.piece
    across = (prepared.state.hold[ends[:, 0]] == Hold.FREE) != (prepared.state.hold[ends[:, 1]] == Hold.FREE)
    assert (prepared.state.bond_broken == across).all()  # bonds to what still waits part, the others hold
    assert not going.releases.release_touched(np.zeros(12, bool), {})


def test_a_release_by_cue_comes_in_the_interval_of_its_time_and_once() -> None:
    late = box("late", (0, 3, 0), release={"kind": "cue", "time": 0.5})
    prepared = prepare(shot(late, box("other", (3, 0.5, 0))))
    going = struck(prepared)
    for number in range(60):
        going.releases.release_due(number)
        got = going.log.take()
        assert bool(got) == (number == 24)
    assert prepared.state.hold[0] == Hold.FREE


def test_a_tie_that_bears_too_much_parts_and_says_so() -> None:
    tie = {"name": "rope", "how": {"kind": "pin"}, "body": "crate", "point": [0, 2.5, 0], "breaks": 9.0}
    heavy = run(box("crate", (0, 2, 0)), ties=[tie], frames=12)  # a cubic metre of 1000 kg/m3 weighs 9.81 kN
    light = run(box("crate", (0, 2, 0)), ties=[tie | {"breaks": 11.0}], frames=12)
    broken = [e for e in heavy.events if e["kind"] == "tie_broken"]
    assert len(broken) == 1 and broken[0]["tie"] == "rope" and broken[0]["strength"] == 9.0
    assert broken[0]["load"] == pytest.approx(9.81, rel=0.02) and broken[0]["bodies"] == ["crate"]
    assert not [e for e in light.events if e["kind"] == "tie_broken"]
    assert light.position[-1, 0, 1] == pytest.approx(2, abs=2e-3) and heavy.position[-1, 0, 1] < 1.6


def test_what_runs_away_is_slowed_to_the_limit_and_named_once_a_frame() -> None:
    fast = box("fast", (0, 5, 0), (0.2, 0.2, 0.2), velocity=[300, 0, 0], spin=[0, 90, 0])
    baked = run(fast, limits={"speed": 50, "spin": 20}, gravity=[0, 0, 0], frames=3)
    limits = [e for e in baked.events if e["kind"] == "limit"]
    assert sorted(e["what"] for e in limits if e["frame"] == 1) == ["speed", "spin"]
    assert {e["limit"] for e in limits} == {50.0, 20.0} and limits[0]["value"] == pytest.approx(300)
    step = baked.position[3, 0, 0] - baked.position[2, 0, 0]
    assert step * 24 == pytest.approx(50, rel=1e-3)


@pytest.mark.parametrize(("along", "slowed"), [(28.0, False), (30.0, True)])
def test_a_limit_is_on_the_whole_speed_not_on_its_parts(along: float, slowed: bool) -> None:
    """Three parts of 28 or 30 m/s are 48.5 or 52 m/s together, either side of a limit of 50."""
    fast = box("fast", (0, 5, 0), (0.2, 0.2, 0.2), velocity=[along] * 3)
    baked = run(fast, limits={"speed": 50}, gravity=[0, 0, 0], frames=2)
    assert bool([e for e in baked.events if e["kind"] == "limit"]) == slowed
    assert baked.stats["top_speed"][-1] == pytest.approx(min(50.0, along * np.sqrt(3)), rel=1e-6)
