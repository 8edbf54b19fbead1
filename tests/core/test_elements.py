"""Index spaces: an effect is written once and acts on samples of whatever they are."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dynaclast.core.document import FieldItem
from dynaclast.core.falloff import EvaluationContext
from dynaclast.core.fields import BONDS, EFFECTS, PIECES, EffectContext, Samples
from dynaclast.core.fields.samples import at_rest
from dynaclast.core.solve.elements import Elements, targets_of
from dynaclast.core.solve.live_world import LiveWorld
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.prepare import prepare
from shots import ball, box, footing, pillar, reach_box, reach_sphere, shot

EVERY = [
    {"kind": "vortex", "swirl": 4, "core": 1, "inward": 2, "lift": 1},
    {"kind": "wind", "speed": 12},
    {"kind": "attractor", "strength": 5, "law": "inverse", "top_speed": 3},
    {"kind": "attractor", "strength": 5, "settle": 2},
    {"kind": "turbulence", "strength": 3},
    {"kind": "drag", "amount": 2},
    {"kind": "gravity", "acceleration": [0, 4, 0]},
    {"kind": "push", "amount": 3, "direction": [1, 0, 0], "noise": 0.5},
    {"kind": "burst", "speed": 3, "noise": 0.5},
    {"kind": "spin", "amount": 3, "axis": [0, 1, 0]},
]


def field(effect: dict, **more: object) -> FieldItem:
    return FieldItem.model_validate({"name": "f", "effect": effect, "reach": reach_sphere((0, 1, 0), 2, 3), **more})


def samples(space: str, n: int = 40) -> Samples:
    rng = np.random.default_rng(4)
    plain = at_rest(space, rng.normal(size=(n, 3)), rng.uniform(1, 9, n), rng.uniform(0.1, 0.9, n))
    velocity = rng.normal(size=(n, 3))
    return replace(
        plain, velocity=velocity, midpoint_velocity=velocity + 0.01, angular_velocity=rng.normal(size=(n, 3))
    )


@pytest.mark.parametrize("effect", EVERY, ids=lambda e: e["kind"])
def test_an_effect_does_to_vertices_what_it_does_to_pieces(effect: dict) -> None:
    """The same arrays under the name of another space give the same bits; half of them give half of the rows."""
    item = field(effect, cue={"kind": "span", "start": 0.0})
    whole = EffectContext(samples(PIECES), np.ones(40, bool), EvaluationContext(time=0.3))
    vertices = EffectContext(samples("vertices/sail"), np.ones(40, bool), EvaluationContext(time=0.3))
    got = EFFECTS[effect["kind"]].forcing(item, whole)
    other = EFFECTS[effect["kind"]].forcing(item, vertices)
    assert any(x is not None and np.abs(x).max() > 0 for x in got)
    for a, b in zip(got, other, strict=True):
        assert (a is None) == (b is None) and (a is None or a.tobytes() == b.tobytes())
    none = EffectContext(samples(PIECES), np.zeros(40, bool), EvaluationContext(time=0.3))
    for a in EFFECTS[effect["kind"]].forcing(item, none):
        assert a is None or not a.any()  # what is no target is left alone


def test_the_context_of_an_effect_says_where_it_is_worked_out_and_how_far_it_reaches() -> None:
    item = field({"kind": "push", "amount": 1, "direction": [1, 0, 0]})
    points = np.array([[0.0, 1, 0], [0, 4.5, 0], [0, 9, 0]])
    on = EffectContext(at_rest(PIECES, points), np.array([True, True, True]))
    assert on.reach_of(item)[[0, 2]].tolist() == [1.0, 0.0] and 0 < on.reach_of(item)[1] < 1
    assert on.at is on.samples.point and len(on.samples) == 3
    moved = on._replace(points=points[::-1])
    assert moved.reach_of(item).tolist() == on.reach_of(item)[::-1].tolist()
    assert on._replace(reach=np.array([0.2, 0.3, 0.4])).reach_of(item).tolist() == [0.2, 0.3, 0.4]
    assert on._replace(targets=np.array([False, True, True])).reach_of(item)[0] == 0


def going() -> tuple[Run, Elements]:
    scene = shot(pillar(), ball("stone", (0, 2, -1.2), 0.3, velocity=[0, 0, 20], spin=[3, 0, 0]), fields=(footing(),))
    prepared = prepare(scene)
    run = Run(scene, prepared.model, prepared.state)
    for _ in range(4):
        run.advance()
    world = LiveWorld(prepared.model, prepared.state)
    world.refresh()
    return run, Elements(prepared.model, prepared.state, world, exposed=True)


def test_samples_of_pieces_are_where_the_frame_shows_them_and_as_fast_as_they_go() -> None:
    run, elements = going()
    state, model = run.state, run.model
    got = elements.pieces.samples(None)
    assert got.space == PIECES and got.mass is model.pieces.mass and elements.pieces.count == 25
    for p in range(25):
        slot = state.piece_assembly[p]
        arm = got.point[p] - state.assemblies.position[slot]
        want = state.assemblies.velocity[slot] + np.cross(state.assemblies.angular_velocity[slot], arm)
        assert got.velocity[p] == pytest.approx(want, abs=1e-12)
    assert got.gravity[0] == pytest.approx([0, -9.81, 0]) and got.midpoint_velocity is not None
    area, square = got.exposure(np.tile([0.0, 0.0, -5.0], (25, 1)))
    assert area[24] == pytest.approx(np.pi * 0.3**2) and square[24, 2] == pytest.approx(2 / 3 * area[24])


def test_samples_of_bonds_go_with_their_first_piece() -> None:
    run, elements = going()
    got = elements.bonds.samples(None)
    assert got.space == BONDS and len(got) == run.model.bond_count == elements.bonds.count
    own = run.model.bonds.piece[:, 0]
    states = (["held"], ["moving"], ["held", "moving"], ["resting"], [])
    for names in states:
        assert elements.bonds.doing(names).tolist() == elements.pieces.doing(names)[own].tolist()
    held = elements.pieces.doing(["held"])
    assert held.any() and not held[24] and elements.pieces.doing(["held", "resting", "moving"]).all()
    assert [s.name for s in elements.spaces] == [PIECES, BONDS]


def test_targets_by_body_group_and_tier_in_every_space() -> None:
    model = prepare(shot(pillar(), box("crate", (4, 0.5, 0)))).model
    only = targets_of(field({"kind": "wind"}, targets=["crate"]), model)
    assert only[PIECES].tolist() == [False] * 24 + [True] and not only[BONDS].any()
    first = targets_of(field({"kind": "wind"}, tiers=[1]), model)
    assert first[PIECES].tolist() == [True] * 24 + [False] and first[BONDS].all()
    everything = targets_of(field({"kind": "wind"}), model)
    assert everything[PIECES].all() and everything[BONDS].all()


def test_an_anchor_holds_samples_and_strengthens_joints_by_one_reach() -> None:
    item = FieldItem.model_validate(
        {
            "name": "a",
            "effect": {"kind": "anchor", "cut": 0.5, "reinforce": 3},
            "reach": reach_box((0, 0, 0), (2, 2, 2), 2),
        }
    )
    points = np.array([[0.0, 0, 0], [0, 1.5, 0], [0, 9, 0]])
    on = EffectContext(at_rest(PIECES, points), np.ones(3, bool))
    held = EFFECTS["anchor"].holds(item, on)
    factor = EFFECTS["anchor"].strength_factor(item, on._replace(samples=at_rest(BONDS, points)))
    assert held.tolist() == [True, bool(on.reach_of(item)[1] >= 0.5), False]
    assert factor[[0, 2]].tolist() == [2.5, 1.0]
