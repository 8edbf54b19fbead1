"""A run that goes on from a stored state is, to the bit, the run that never stopped: frames, events and state.
Of the demo shots, which are built once for all tests of them, test_demo_shots.py says the same.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from dynaclast.core.document import Shot
from resuming import interrupted
from shots import ball, box, reach_box, reach_sphere, shot

SPHERE = {"kind": "sphere", "center": [0, 2, 0], "core": 1.5, "edge": 2.0}


def some_field(rng: np.random.Generator, k: int) -> dict[str, Any]:
    """A field of any kind, acting at any time."""
    kinds: list[dict[str, Any]] = [
        {"kind": "strain", "load": float(10 ** rng.uniform(0, 3)), "burst": float(rng.choice([0, 2]))},
        {"kind": "strain", "mode": "wear", "load": float(10 ** rng.uniform(0, 2))},
        {"kind": "kill", "what": str(rng.choice(["rest", "freeze", "remove"])), "slower": 0.5, "time": 0.2},
        {"kind": "vortex", "swirl": float(rng.uniform(2, 20)), "core": 1.5},
        {"kind": "wind", "speed": float(rng.uniform(5, 40)), "gusts": 0.3},
        {"kind": "attractor", "strength": float(rng.uniform(1, 15))},
        {"kind": "burst", "speed": float(rng.uniform(1, 6))},
        {"kind": "push", "amount": float(rng.uniform(1, 6))},
        {"kind": "spin", "amount": float(rng.uniform(1, 60)), "unit": str(rng.choice(["rad/s", "N m"]))},
        {"kind": "turbulence", "strength": 6.0},
        {"kind": "drag", "amount": float(rng.uniform(0.5, 8))},
        {"kind": "gravity", "acceleration": [0, float(rng.uniform(-6, 14)), 0]},
        {"kind": "displace", "offset": [0.4, 0.2, 0]},
    ]
    effect = kinds[k % len(kinds)]
    start = float(rng.uniform(0, 0.8))
    blows = effect["kind"] in ("strain", "burst", "push", "spin")
    cues: list[dict[str, Any]] = [{"kind": "span", "start": start, "end": start + 0.7, "ease_in": 0.2}]
    if blows:
        cues = [{"kind": "at", "time": start}, {"kind": "pulse", "start": start, "every": 0.25}]
    shape = dict(SPHERE)
    if rng.random() < 0.3:
        shape["center"] = [float(x) for x in rng.uniform(-1, 1, 3)]
    return {"name": f"f{k}", "effect": effect, "reach": {"layers": [{"shape": shape}]}, "cue": cues[k % len(cues)]}


def any_scene(seed: int) -> Shot:
    """Broken, bonded, anchored, waiting, tied and animated bodies, with four fields of different kinds."""
    rng = np.random.default_rng(seed)
    pattern = {"kind": "cells", "count": int(rng.integers(6, 20)), "seed": seed}
    wall = box(
        "wall",
        (0, 1.5, 0),
        (3, 3, 0.5),
        pattern=pattern,
        bonds={"strength": float(10 ** rng.uniform(0, 3)), "unit": "kN"},
        load_path=str(rng.choice(["off", "on", "fail"])),
    )
    loose = box("loose", (2.5, 0.8, 0.3), (1, 1.5, 1), pattern={**pattern, "count": 8})
    waits = box(
        "waits",
        (-2.6, 1, 0),
        (1, 2, 1),
        pattern={**pattern, "count": 7},
        bonds={"strength": 30},
        release={"kind": str(rng.choice(["touch", "cue", "start"]))},
    )
    if waits["release"]["kind"] == "cue":
        waits["release"]["time"] = 0.6
    thrown = ball("ball", (0.2, 1.5, 6), 0.4, velocity=[0, 1, -12], material={"density": 4000, "bounce": 0.3})
    arm = box("arm", (0, 4.5, 0), (2, 0.2, 0.2), role="animated", spin=[0, 1.5, 0])
    bell = ball("bell", (0.9, 3.6, 0), 0.25)
    tie = {
        "name": "rope",
        "how": {"kind": "string"},
        "body": "bell",
        "to": "arm",
        "point": [0.9, 3.85, 0],
        "to_point": [0.9, 4.4, 0],
    }
    fields = [some_field(rng, int(k)) for k in rng.choice(13, 4, replace=False)]
    foot = {
        "name": "foot",
        "effect": {"kind": "anchor"},
        "reach": reach_box((0, 0, 0), (9, 0.6, 9)),
        "targets": ["wall"],
    }
    gone = {
        "name": "hit",
        "effect": {"kind": "burst", "speed": 2},
        "reach": reach_sphere((0, 0, 0), 1),
        "cue": {"kind": "impact", "above": 5, "bodies": ["ball"]},
    }
    quality = str(rng.choice(["draft", "standard"]))
    return shot(
        wall, loose, waits, thrown, arm, bell, ties=[tie], fields=(*fields, foot, gone), frames=24, quality=quality
    )


@pytest.mark.parametrize("seed", range(30))
def test_any_scene_with_any_field_goes_on_from_every_chunk(seed: int) -> None:
    assert interrupted(any_scene(seed), every=6) == []
