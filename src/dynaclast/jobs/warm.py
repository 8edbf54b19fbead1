"""Compile or load all kernels once, by a tiny shot that uses each of them."""

from __future__ import annotations

from ..core.bake import bake
from ..core.document import parse


def warm() -> float:
    """Returns the seconds it took."""
    import time

    began = time.monotonic()
    bake(parse({
        "name": "warm-up",
        "timing": {"frames": 14},
        "bodies": [
            {"name": "wall", "shape": {"kind": "box", "size": [2, 2, 0.4]}, "place": {"position": [0, 1.0, 0]}, "pattern": {"kind": "cells", "count": 8, "seed": 3}, "bonds": {"strength": 50}},
            {"name": "ball", "shape": {"kind": "sphere", "radius": 0.3}, "place": {"position": [0, 1, -0.7]}, "velocity": [0, 0, 12]},
            {"name": "floor", "role": "passive", "shape": {"kind": "tube", "radius": 4, "wall": 1, "height": 0.2}, "place": {"position": [0, -0.2, 0]}},
            {"name": "shelf", "role": "passive", "collision": "exact", "shape": {"kind": "box", "size": [1, 0.2, 1]}, "place": {"position": [3, 0.6, 0]}},
            {"name": "swing", "shape": {"kind": "box", "size": [0.4, 0.4, 0.4]}, "place": {"position": [3, 1.0, 0]}},
            {"name": "sweeper", "role": "animated", "shape": {"kind": "box", "size": [0.3, 0.3, 0.3]}, "place": {"position": [3, 1.2, 1]}, "velocity": [0, 0, -1]},
        ],
        "ties": [{"name": "hinge", "how": {"kind": "hinge"}, "body": "swing", "point": [3, 1.2, 0]}],
        "fields": [
            {"name": "hold", "effect": {"kind": "anchor"}, "reach": {"layers": [{"shape": {"kind": "box", "core": [3, 0.4, 3]}}]}},
            {"name": "blow", "effect": {"kind": "strain", "load": 80, "burst": 1}, "cue": {"time": 0.1}, "reach": {"layers": [{"shape": {"kind": "sphere", "center": [0, 1.5, 0], "core": 1}}]}},
            {"name": "gale", "effect": {"kind": "wind", "gusts": 0.2}, "targets": ["swing"], "reach": {"layers": [{"shape": {"kind": "noise"}}, {"shape": {"kind": "mesh", "body": "floor", "edge": 9}, "blend": "max"}]}},
            {"name": "stir", "effect": {"kind": "turbulence"}, "targets": ["swing"], "reach": {"layers": [{"shape": {"kind": "pieces", "body": "ball"}}]}},
        ],
    }))
    return time.monotonic() - began
