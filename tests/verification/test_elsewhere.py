"""What happens elsewhere changes nothing: what touches nothing of a scene leaves it as it is, to the bit."""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np
import pytest

from deforming import cloth, frames_of, pin, rope, soft
from dynaclast.core.solve.frame import Frame
from shots import ball, box, reach_sphere, shot

FRAMES = 14


def wall(name: str, x: float, z: float, **more: Any) -> dict[str, Any]:
    pattern = {"kind": "cells", "count": 20, "seed": 3}
    return box(name, (x, 0.8, z), (1.6, 1.6, 0.3), pattern=pattern, bonds={"strength": 40}, load_path="fail", **more)


def weighted(name: str, x: float) -> dict[str, Any]:
    return rope(name, (x, 2, 0), (x + 1, 2.2, 0), segments=12, pins=[pin(x, 2, 0)])


SCENES: dict[str, list[dict[str, Any]]] = {
    "a wall that is struck": [wall("wall", 0, 0), ball("ball", (0.1, 1.0, -0.9), 0.25, velocity=[0, 0, 12])],
    "a dry stack, let go while other things lie": [
        box(f"stone {k}", (0, 0.15 + 0.3 * k, 0), (0.5, 0.3, 0.4), release={"kind": "cue", "time": 0.2})
        for k in range(5)
    ],
    "a bell on a chain": [
        box("bell", (0.9, 2, 0), (0.3, 0.3, 0.3), spin=[2, 0, 1]),
        box("link", (0.3, 2, 0), (0.5, 0.1, 0.1)),
    ],
    "cloth that meets a stone and itself": [
        cloth("sheet", (0, 1, 0), (1.2, 1.2), (10, 10), matter={"folds": True}),
        ball("stone", (0.05, 0.45, 0.02), 0.3, role="passive"),
        box("pebble", (0.1, 1.2, 0), (0.15, 0.15, 0.15)),
    ],
    "a soft block on stones": [
        soft("lump", (0, 0.95, 0), (0.5, 0.4, 0.5), matter={"detail": 3}),
        box("left", (-0.3, 0.3, 0), (0.4, 0.6, 0.4)),
        box("right", (0.3, 0.3, 0), (0.4, 0.6, 0.4)),
    ],
    "a rope and a flag": [weighted("line", 0), cloth("flag", (0, 3, 1), (0.8, 0.6), (6, 5), pins=[pin(-0.4, 3, 0.7)])],
}
TIES = [
    {"name": "hook", "how": {"kind": "pin"}, "body": "link", "point": [0, 2, 0]},
    {"name": "eye", "how": {"kind": "pin"}, "body": "bell", "to": "link", "point": [0.6, 2, 0]},
]
HERE = reach_sphere((0, 1, 0), 3.0, 1.0)
FIELDS = (
    {"name": "gusts", "effect": {"kind": "wind", "speed": 6, "gusts": 0.3}, "reach": HERE},
    {"name": "stir", "effect": {"kind": "turbulence", "strength": 3}, "reach": HERE},
)
RIGID = [wall("far wall", 40, 30), ball("far ball", (40, 1.1, 29), 0.3, velocity=[0, 3, 15], spin=[9, 0, 4])]
FAR_TIES = [{"name": "far pin", "how": {"kind": "hinge"}, "body": "far ball", "point": [40, 1.5, 29]}]
CLOTH = [
    cloth("far sheet", (-30, 0.4, 9), (1, 1), (8, 8), matter={"folds": True}),
    weighted("far line", -35),
    ball("far stone", (-30, 0.15, 9), 0.15),
    cloth("blown", (-25, 2, 9), (0.5, 0.5), (3, 3), velocity=[30, 60, 0]),
]
SOFT = [soft("far lump", (25, 0.6, -20), (0.4, 0.4, 0.4), matter={"detail": 2}, velocity=[0, -8, 0])]


def own(frames: list[Frame], bodies: list[dict[str, Any]], first: int) -> list[bytes]:
    """What frames say of the bodies of a scene, of which pieces come after so many others."""
    names = [b["name"] for b in bodies if "matter" in b]
    pieces = sum(b.get("pattern", {"count": 1})["count"] for b in bodies if "matter" not in b)
    out = []
    for frame in frames:
        of_pieces = [frame.arrays[k][first : first + pieces] for k in ("position", "orientation", "state")]
        parts = of_pieces + [frame.arrays[k] for k in sorted(frame.arrays) if k.partition("/")[2] in names]
        out.append(b"".join(np.ascontiguousarray(x).tobytes() for x in parts))
    return out


def ties_of(scene: str) -> list[dict[str, Any]]:
    return TIES if "bell" in scene else []


@cache
def by_itself(scene: str) -> list[Frame]:
    return frames_of(shot(*SCENES[scene], frames=FRAMES, fields=FIELDS, ties=ties_of(scene)))


@pytest.mark.parametrize("first", [False, True], ids=["after", "before"])
@pytest.mark.parametrize("scene", SCENES)
def test_what_touches_nothing_changes_nothing(scene: str, first: bool) -> None:
    """Things that fall, break and blow about elsewhere, which stand before or after a scene's in the document. What
    deforms is solved in steps that are shorter where soft bodies are, so those are beside their like only.
    """
    bodies = SCENES[scene]
    far = RIGID + (SOFT if "soft" in scene else []) + (CLOTH if any("matter" in b for b in bodies) else [])
    ties = ties_of(scene)
    alone = by_itself(scene)
    among = [*far, *bodies] if first else [*bodies, *far]
    beside = frames_of(shot(*among, frames=FRAMES, fields=FIELDS, ties=ties + FAR_TIES))
    assert alone[0].arrays["position"].tobytes() != alone[-1].arrays["position"].tobytes() or "rope" in scene
    pieces = sum(b.get("pattern", {"count": 1})["count"] for b in far if "matter" not in b)
    assert own(beside, bodies, pieces if first else 0) == own(alone, bodies, 0)
