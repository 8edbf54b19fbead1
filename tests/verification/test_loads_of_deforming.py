"""What deforms loads the bonds of what it lies on, hangs from and hits, as rigid bodies do."""

from __future__ import annotations

from typing import Any

import pytest

from deforming import cloth, ends_alike, rope, soft
from dynaclast.core.document import Shot
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.prepare import prepare
from shots import box, reach_box, shot

OFF: dict[str, Any] = {"ground": {"on": False}}
CUBE, AT = (0.4, 0.4, 0.4), (0.7, 3.301, 0)
PLANK = box(
    "plank",
    (0, 3, 0),
    (2, 0.2, 0.5),
    pattern={"kind": "slabs", "count": 2, "axis": [1, 0, 0]},
    bonds={"strength": 300},
    load_path="on",
    material={"density": 500},
)
HELD = {"name": "held", "effect": {"kind": "anchor"}, "reach": reach_box((-1, 3, 0), (1.2, 1, 1))}


def tie(name: str, how: dict[str, Any], body: str, to: str, y: float, **more: Any) -> dict[str, Any]:
    return {"name": name, "how": how, "body": body, "to": to, "point": [0.9, y, 0]} | more


def root_load(*bodies: dict[str, Any], ties: tuple[dict[str, Any], ...] = (), quality: str = "standard") -> float:
    """What the joint of a plank that sticks out bears [N] after four seconds with something on it."""
    ready = prepare(shot(PLANK, *bodies, frames=96, fields=(HELD,), ties=list(ties), quality=quality, **OFF))
    run = Run(ready.shot, ready.model, ready.state)
    for _ in range(96):
        run.advance()
    return float(run.load_paths.measure()[0][0])


@pytest.fixture(scope="module")
def by_rigid() -> float:
    """What 64 kg of stone add to the joint."""
    return root_load(box("b", AT, CUBE, material={"density": 1000})) - root_load()


@pytest.mark.parametrize("quality", ["draft", "standard", "fine"])
def test_a_soft_body_at_rest_weighs_on_bonds_what_a_stone_does(quality: str, by_rigid: float) -> None:
    lump = soft("b", AT, CUBE, material={"density": 1000}, matter={"young": 1000})
    assert root_load(lump, quality=quality) - root_load() == pytest.approx(by_rigid, rel=0.01)


def test_and_so_does_a_sheet_by_its_own_weight(by_rigid: float) -> None:
    sheet = cloth("b", (0.7, 3.12, 0), (0.4, 0.4), (8, 8), matter={"weight": 200, "thickness": 0.02})
    assert root_load(sheet) - root_load() == pytest.approx(by_rigid * 200 * 0.4**2 / 64, rel=0.005)


@pytest.mark.parametrize("end", [{"kind": "pin"}, {"kind": "weld"}])
def test_what_hangs_on_a_rope_pulls_on_bonds_as_on_a_string(end: dict[str, Any]) -> None:
    weight = box("w", (0.9, 1, 0), CUBE, material={"density": 1000})
    line = tie("line", {"kind": "string"}, "plank", "w", 2.9, to_point=[0.9, 1.2, 0])
    cord = rope("cord", (0.9, 2.9, 0), (0.9, 1.2, 0), segments=10, material={"density": 1})
    knots = tie("up", end, "cord", "plank", 2.9), tie("down", {"kind": "pin"}, "cord", "w", 1.2)
    assert root_load(weight, cord, ties=knots) == pytest.approx(root_load(weight, ties=(line,)), rel=0.01)


def wall(strength: float = 200.0, **more: Any) -> dict[str, Any]:
    bricks = {"kind": "bricks", "size": [0.6, 0.3, 0.3]}
    return box("wall", (0, 1.5, 0), (3, 3, 0.3), pattern=bricks, bonds={"strength": strength}, **more)


FOOT = {"name": "foot", "effect": {"kind": "anchor"}, "reach": reach_box((0, 0, 0), (5, 0.3, 5))}
FLAT = {"position": [0, 1.6, 2], "rotation": [0.7071068, 0, 0, 0.7071068]}


def thrown(kind: str, speed: float) -> dict[str, Any]:
    if kind == "soft":
        return soft("b", (0, 1.6, 2), (0.8,) * 3, velocity=[0, 0, -speed], matter={"young": 5000}, gravity=0)
    sheet = cloth("b", (0, 1.6, 2), (2, 2), (12, 12), matter={"weight": 50, "thickness": 0.05}, gravity=0)
    return sheet | {"place": FLAT, "velocity": [0, 0, -speed]}


def events(made: Shot, kind: str) -> list[tuple[int, dict[str, Any]]]:
    ready = prepare(made)
    run = Run(ready.shot, ready.model, ready.state)
    return [
        (f.index, e) for f in (run.advance() for _ in range(made.timing.frames)) for e in f.events if e["kind"] == kind
    ]


@pytest.mark.parametrize("follows", ["off", "fail"])
@pytest.mark.parametrize("kind", ["soft", "cloth"])
def test_what_hits_a_wall_breaks_it_by_its_momentum_and_is_to_blame(kind: str, follows: str) -> None:
    fast, slow = (
        events(shot(wall(load_path=follows), thrown(kind, v), frames=round(48 / v) + 6, fields=(FOOT,)), "bond_broken")
        for v in (12.0, 0.3)
    )
    assert len(fast) > 20 and not slow
    first = fast[0][1]["causes"][0]
    assert first["impact"] == "b" and first["load"] > 1.0
    assert abs(fast[0][0] - (2.0 - 0.15 - (0.4 if kind == "soft" else 0.025)) / 12 * 24) < 2


def test_a_hit_is_told_and_hardly_differs_from_a_stones_in_what_it_gives() -> None:
    given = {}
    for name, body in (
        ("soft", soft("b", (0, 5, 0), (0.5,) * 3, velocity=[0, -6, 0], matter={"young": 20000}, gravity=0)),
        ("rigid", box("b", (0, 5, 0), (0.5,) * 3, velocity=[0, -6, 0], gravity=0, material={"density": 1100})),
    ):
        block = box("block", (0, 3, 0), (1, 1, 1), material={"density": 9000}, gravity=0)
        body = body | {"material": {"density": 1100, "bounce": 0.0}}
        told = events(shot(block, body, frames=18, **OFF), "impact")
        assert told and all(set(e["bodies"]) == {"block", "b"} for _, e in told)
        assert all(e["speed"] == pytest.approx(6.0, rel=0.1) for _, e in told[:1])
        given[name] = sum(e["impulse"] for _, e in told)
    momentum = 0.125 * 1100 * 6.0
    assert 0.85 * momentum < given["rigid"] < 1.1 * momentum
    assert 0.5 * momentum < given["soft"] < 2.1 * momentum  # it may bounce back; at rest it is no hit any more


def test_a_cue_waits_for_what_deforms_on_either_side() -> None:
    floor = box("floor", (0, 0.5, 0), (4, 1, 4), role="passive")
    lump = soft("lump", (0, 2.25, 0), (0.5, 0.5, 0.5))
    for targets in (["floor"], ["lump"]):
        puff = {
            "name": "puff",
            "effect": {"kind": "burst", "speed": 1.0},
            "cue": {"kind": "impact", "above": 0.1, "bodies": targets, "rest": 9.0},
            "reach": {"layers": [{"shape": {"kind": "everywhere"}}]},
        }
        called = events(shot(floor, lump, frames=24, fields=(puff,)), "cue")
        assert [i for i, _ in called] == [pytest.approx(12, abs=2)]  # a metre of fall
    puff["cue"]["bodies"] = ["lump"]
    called = events(shot(lump, frames=24, fields=(puff,)), "cue")
    assert [i for i, _ in called] == [pytest.approx((2 * 2.0 / 9.81) ** 0.5 * 24, abs=2)]


def test_what_lies_on_bonds_that_bear_it_is_no_hit() -> None:
    shelf = PLANK | {"load_path": "fail", "bonds": {"strength": 600}}
    lump = soft("b", AT, CUBE, material={"density": 1000}, matter={"young": 1000})
    rug = cloth("rug", (-0.5, 3.15, 0), (0.6, 0.4), (8, 6), matter={"weight": 20, "thickness": 0.02})
    made = shot(shelf, lump, rug, frames=72, fields=(HELD,), **OFF)
    assert events(made, "bond_broken") == [] and events(made, "impact") == []


def test_a_run_goes_on_to_the_bit_from_before_and_after_a_hit() -> None:
    made = shot(wall(load_path="fail"), thrown("soft", 10.0), frames=14, fields=(FOOT,))
    assert ends_alike(made, (3, 5, 9))
