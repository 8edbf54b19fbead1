"""What loads the bonds of one piece at a frame: against statics by hand, and without a trace on the run itself."""

from __future__ import annotations

import numpy as np
import pytest

from dynaclast.core.document import Shot
from dynaclast.core.solve.load_paths import BondLoad
from dynaclast.core.solve.loop import frames
from dynaclast.core.solve.prepare import prepare
from dynaclast.core.solve.trace import loads_at
from shots import ball, blow, box, footing, pillar, reach_box, shot

MASS = 250.0
ROOT = {
    "name": "root",
    "effect": {"kind": "anchor", "reinforce": 0},
    "reach": reach_box((-2.75, 3, 0), (0.3, 0.3, 0.3)),
}
UP = {
    "name": "updraft",
    "effect": {"kind": "push", "amount": 4.0, "direction": [0, 1, 0]},
    "reach": reach_box((2, 3, 0), (2, 1, 1)),
    "cue": {"kind": "span", "start": 0.25, "end": 0.5},
}


def beam(load_path: str = "off") -> Shot:
    """Twelve cubes of 250 kg in a row of 6 m, held at one end; a push lifts the four at the other for a while."""
    row = box(
        "beam",
        (0, 3, 0),
        (6, 0.5, 0.5),
        pattern={"kind": "bricks", "size": [0.5, 0.5, 0.5], "offset": 0},
        bonds={"strength": 9000, "unit": "kN"},
        load_path=load_path,
        material={"density": 2000},
    )
    return shot(row, fields=(ROOT, UP), ground={"on": False})


def traced(scene: Shot, frame: int, where: tuple[float, float, float], start: int = 0) -> list[BondLoad]:
    """Of the piece nearest to a place at the opening pose; going on from a state at a frame."""
    prepared = prepare(scene)
    piece = int(np.linalg.norm(prepared.model.pieces.rest_center - where, axis=1).argmin())
    if start:
        list(frames(prepared.shot, prepared.model, prepared.state, start))
    return loads_at(prepared.shot, prepared.model, prepared.state, frame, piece)


def bending(load: float, arms: list[float]) -> float:
    """[kN] at the edge of the root's face: 6 M / a, of loads [N] on cubes at such arms [m]."""
    return 6 * load * sum(arms) / 0.5 / 1000


def test_the_root_of_a_beam_bears_its_weight_and_less_while_a_push_lifts_its_end() -> None:
    root = (-2.75, 3, 0)
    arms = [0.5 * n - 0.25 for n in range(1, 12)]  # from the root's face to the cubes beyond
    (alone,) = traced(beam(), 2, root)
    assert alone.load == pytest.approx(bending(MASS * 9.81, arms), rel=1e-3) and alone.strength == 9000
    assert alone.causes == [{"weight": "beam", "load": alone.load}]
    assert traced(beam(), 0, root)[0].load == alone.load  # the opening

    (lifted,) = traced(beam(), 9, root)
    down, up = bending(MASS * 9.81, arms), bending(MASS * 4.0, arms[-4:])
    assert lifted.load == pytest.approx(down - up, rel=1e-3)
    rows = {next(k for k in c if k != "load"): c for c in lifted.causes}
    assert rows["field"]["field"] == "updraft" and rows["weight"]["weight"] == "beam"
    assert rows["field"]["load"] / rows["weight"]["load"] == pytest.approx(up / down, rel=1e-3)


def test_the_fullest_bond_comes_first_and_names_the_piece_beyond() -> None:
    bonds = traced(beam(), 2, (0.25, 3, 0))
    assert [b.load for b in bonds] == sorted((b.load for b in bonds), reverse=True) and len(bonds) == 2
    model = prepare(beam()).model
    assert model.pieces.rest_center[[b.piece for b in bonds], 0] == pytest.approx([-0.25, 0.75])


@pytest.mark.parametrize("how", ["off", "on", "fail"])
def test_a_trace_says_the_same_from_any_state_and_however_bodies_follow_their_loads(how: str) -> None:
    whole = traced(beam("off"), 9, (-0.25, 3, 0))
    assert whole and traced(beam(how), 9, (-0.25, 3, 0), start=5) == whole


def test_the_frames_on_the_way_to_a_trace_are_those_of_the_run() -> None:
    """What follows loads to say them changes nothing, also where hits break bonds."""
    stone = ball("stone", (0, 2.2, -4), velocity=[0, 0, 9])
    scene = shot(pillar(), stone, fields=(footing(), blow(1500, (0, 2, 0), 0.9, 0.2)))
    plain, prepared = prepare(scene), prepare(scene)
    made = list(frames(plain.shot, plain.model, plain.state, 16))
    assert any(e["kind"] == "bond_broken" for f in made for e in f.events)
    loads_at(prepared.shot, prepared.model, prepared.state, 16, 0)
    assert prepared.state.frame == 16
    np.testing.assert_array_equal(prepared.state.assemblies.position, plain.state.assemblies.position)
    np.testing.assert_array_equal(prepared.state.bond_broken, plain.state.bond_broken)
