"""Writes the demo shots as documents. Run it again after changing it: `python demo/make.py`."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
from scipy.spatial import ConvexHull

HERE = Path(__file__).parent


def rock(seed: int, size: tuple[float, float, float], corners: int) -> dict:
    """A boulder: the hull of jittered points on an ellipsoid, flat on top."""
    rng = np.random.default_rng(seed)
    points = rng.normal(size=(corners, 3))
    points /= np.linalg.norm(points, axis=1, keepdims=True)
    points *= 1 + rng.uniform(-0.12, 0.12, (corners, 1))
    points[:, 1] = np.minimum(points[:, 1], 0.32)
    points *= size
    points[:, 1] -= points[:, 1].max()
    hull = ConvexHull(points)
    used = hull.points[hull.vertices]
    order = np.full(len(points), -1)
    order[hull.vertices] = np.arange(len(hull.vertices))
    faces = order[hull.simplices]
    corner = used[faces]
    out = np.einsum("ij,ij->i", np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]), hull.equations[:, :3])
    faces[out < 0] = faces[out < 0][:, ::-1]
    return {"kind": "mesh", "vertices": np.round(used, 4).tolist(), "faces": faces.tolist()}


def lower_tower() -> dict:
    """A hollow stone tower on rock, anchored at the bedrock, struck by lightning."""
    skerry = rock(11, (7.5, 4.2, 7.0), 90)
    return {
        "version": 1,
        "name": "Skerry Light: the lower tower",
        "timing": {"fps": 24, "frames": 240},
        "quality": "standard",
        "ground": {"on": True, "height": 0.0, "friction": 0.8, "bounce": 0.05},
        "bodies": [
            {
                "name": "skerry", "role": "passive", "shape": skerry, "place": {"position": [0, 1.1, 0]},
                "material": {"density": 2700, "friction": 0.8, "bounce": 0.05, "look": {"color": "#4b5654", "roughness": 0.95}},
            },
            {
                "name": "tower",
                "shape": {"kind": "tube", "radius": 2.6, "wall": 0.75, "height": 9.5, "taper": 0.78, "segments": 56},
                "place": {"position": [0, 5.85, 0]},
                "material": {"density": 2400, "friction": 0.7, "bounce": 0.05, "look": {"color": "#b9b5a6", "roughness": 0.88}},
                "pattern": {"kind": "cells", "count": 400, "seed": 7},
                "bonds": {"strength": 700, "unit": "kN/m2"},
            },
        ],
        "fields": [
            {
                "name": "bedrock", "effect": {"kind": "anchor", "cut": 0.5, "reinforce": 4},
                "reach": {"layers": [{"shape": {"kind": "box", "center": [0, 1.5, 0], "core": [6.4, 1.4, 6.4], "edge": 0.8}}]},
            },
            {
                "name": "lightning", "effect": {"kind": "strain", "load": 1500, "burst": 2.5},
                "reach": {"layers": [{"shape": {"kind": "sphere", "center": [1.3, 5.0, 1.0], "core": 2.2, "edge": 2.4}}]},
                "cue": {"kind": "at", "time": 1.0},
            },
        ],
    }


if __name__ == "__main__":
    (HERE / "skerry-light-lower-tower.json").write_text(json.dumps(lower_tower(), indent=1) + "\n")
