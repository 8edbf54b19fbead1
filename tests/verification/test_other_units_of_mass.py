"""Nothing knows how heavy a kilogram is: where all masses, strengths and stiffnesses are the same power of two larger
or smaller, everything goes to the same places, to the bit. What is given in kN is multiplied; speeds stay.
"""

from __future__ import annotations

import copy
from typing import Any

import numpy as np
import pytest

from deforming import cloth, pin, rope, soft
from dynaclast.core.bake import bake
from dynaclast.core.document import Shot, parse
from shots import ball, box, reach_box, reach_sphere, shot

WALL = box("wall", (0, 1, 0), (2, 2, 0.3), pattern={"kind": "cells", "count": 24, "seed": 3}, bonds={"strength": 64})
STONE = ball("stone", (0.1, 1.2, -1.5), 0.3, velocity=[0, 0, 12])
BLOW = {
    "name": "blow",
    "effect": {"kind": "strain", "load": 64.0, "burst": 2.0},
    "reach": reach_sphere((0.2, 1.5, 0), 0.5, 0.5),
    "cue": {"time": 0.1},
}
FOOT = {"name": "foot", "effect": {"kind": "anchor"}, "reach": reach_box((0, 0, 0), (3, 0.4, 3))}
HINGE = {"how": {"kind": "hinge", "axis": [0, 0, 1]}, "body": "bob", "to": "post", "point": [0.1, 2, 0]}
SHEET = cloth(
    "sheet",
    (0, 1.2, 0),
    (1.5, 1.5),
    (8, 8),
    matter={"weight": 0.25, "stretch": 64.0, "shear": 32.0, "bending": 2**-10, "folds": True},
)
SCENES: dict[str, tuple[tuple[Any, ...], dict[str, Any]]] = {
    "struck": ((WALL, STONE), {}),
    "struck and loaded by all that acts": ((WALL | {"load_path": "fail"}, STONE), {"fields": [FOOT]}),
    "strained": ((WALL,), {"fields": [FOOT, BLOW]}),
    "a hinge that breaks": (
        (box("post", (0, 2, 0), (0.2, 0.2, 0.2), role="passive"), box("bob", (1.2, 2, 0), (0.4, 0.4, 0.4))),
        {"ties": [HINGE | {"name": "pin", "breaks": 2.0}]},
    ),
    "cloth on a ball, a stone on it": (
        (SHEET, ball("ball", (0.1, 0.5, 0.05), 0.4, role="passive"), box("stone", (0.2, 1.6, 0), (0.2, 0.2, 0.2))),
        {},
    ),
    "a soft body and a rope": (
        (
            soft("lump", (0, 1.5, 0), (0.6, 0.5, 0.7), matter={"detail": 3, "young": 256.0, "poisson": 0.4}),
            box("block", (0.2, 0.3, 0), (0.5, 0.6, 0.5)),
            rope("line", (2, 2, 0), (3, 2, 0), segments=10, matter={"young": 65536.0}, pins=[pin(2, 2, 0)]),
        ),
        {},
    ),
}


def at_mass(scene: Shot, factor: float) -> Shot:
    """The scene with all masses, strengths and stiffnesses so many times as large."""
    out = copy.deepcopy(scene.model_dump(mode="json"))
    for body in out["bodies"]:
        body["material"]["density"] = 2048.0 * factor
        for name in ("weight", "stretch", "shear", "bending", "young"):
            if name in body["matter"]:
                body["matter"][name] *= factor
        if body.get("bonds"):
            body["bonds"]["strength"] *= factor
    for field in out["fields"]:
        if "load" in field["effect"]:
            field["effect"]["load"] *= factor
    for tie in out["ties"]:
        tie["breaks"] *= factor
    return parse(out)


@pytest.mark.parametrize("name", SCENES)
def test_all_heavier_or_lighter_and_as_much_stronger_goes_to_the_same_places(name: str) -> None:
    things, more = SCENES[name]
    scene = shot(*things, frames=14, **more)
    base = bake(at_mass(scene, 1.0))
    for factor in (2.0**-20, 2.0**8):
        other = bake(at_mass(scene, factor))
        assert other.position.tobytes() == base.position.tobytes(), factor
        for key, points in base.maps.items():
            if key.startswith("points/"):
                assert other.maps[key].tobytes() == points.tobytes(), (factor, key)
        broken = [e["bond"] for e in base.events if e["kind"] == "bond_broken"]
        assert [e["bond"] for e in other.events if e["kind"] == "bond_broken"] == broken
        assert bool(broken) == ("wall" in scene.bodies[0].name)
        loads = [(e["load"], e["strength"]) for e in base.events if e["kind"] == "bond_broken"]
        others = [(e["load"], e["strength"]) for e in other.events if e["kind"] == "bond_broken"]
        if loads:  # told to four digits, however small
            assert np.array(others) == pytest.approx(factor * np.array(loads), rel=2e-3, abs=1e-30)
