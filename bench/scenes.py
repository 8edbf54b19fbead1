"""Scenes the solver is measured on, as shot documents: loose Voronoi pieces as bodies of their own, a bin of boxes, a
stack, a mass ratio.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from scipy.spatial import ConvexHull, Voronoi

from dynaclast.core.document import Shot, parse

SEED = 12345
MATERIAL = {"density": 2000, "friction": 0.6, "bounce": 0.1}
GROUND = {"friction": 0.6, "bounce": 0.1}


def voronoi_pieces(
    lo: list[float], hi: list[float], count: int, rng: np.random.Generator
) -> list[tuple[np.ndarray, np.ndarray]]:
    """Vertices and outward faces of convex cells that tile the box (seeds mirrored over all six sides)."""
    low, high = np.asarray(lo, float), np.asarray(hi, float)
    seeds = low + rng.random((count, 3)) * (high - low)
    points = [seeds]
    for axis in range(3):
        for side in (low, high):
            mirrored = seeds.copy()
            mirrored[:, axis] = 2 * side[axis] - mirrored[:, axis]
            points.append(mirrored)
    vor = Voronoi(np.vstack(points))
    out = []
    for k in range(count):
        corners = np.unique(np.round(np.clip(vor.vertices[vor.regions[vor.point_region[k]]], low, high), 5), axis=0)
        hull = ConvexHull(corners)
        used, inverse = np.unique(hull.simplices, return_inverse=True)
        faces = inverse.reshape(-1, 3)
        tri = corners[hull.simplices]
        inward = (
            np.einsum("ij,ij->i", np.cross(tri[:, 1] - tri[:, 0], tri[:, 2] - tri[:, 0]), hull.equations[:, :3]) < 0
        )
        faces[inward] = faces[inward][:, ::-1]
        out.append((corners[used], faces))
    return out


def _hulls(pieces: list[tuple[np.ndarray, np.ndarray]]) -> list[dict[str, Any]]:
    return [
        {"name": f"p{k}", "shape": {"kind": "mesh", "vertices": v.tolist(), "faces": f.tolist()}, "material": MATERIAL}
        for k, (v, f) in enumerate(pieces)
    ]


def _ball() -> dict[str, Any]:
    return {
        "name": "ball",
        "shape": {"kind": "sphere", "radius": 0.6},
        "place": {"position": [0, 2.5, -3]},
        "material": MATERIAL | {"density": 2000.0 / (4 / 3 * np.pi * 0.6**3)},
        "velocity": [0, 0, 12],
    }


def _box(name: str, half: list[float], at: list[float], q: list[float] | None = None, **more: Any) -> dict[str, Any]:
    return {
        "name": name,
        "shape": {"kind": "box", "size": [2 * h for h in half]},
        "place": {"position": at, "rotation": q or [0, 0, 0, 1]},
        "material": MATERIAL,
    } | more


def wall500() -> Shot:
    """500 loose Voronoi pieces, a 2 t ball at 12 m/s."""
    return parse(
        {
            "timing": {"frames": 240},
            "ground": GROUND,
            "bodies": [
                *_hulls(voronoi_pieces([-5, 0, -0.25], [5, 5, 0.25], 500, np.random.default_rng(SEED))),
                _ball(),
            ],
        }
    )


def slab2000() -> Shot:
    """2,000 loose Voronoi pieces fall 4 m flat."""
    return parse(
        {
            "timing": {"frames": 120},
            "ground": GROUND,
            "bodies": _hulls(voronoi_pieces([-10, 4, -10], [10, 4.4, 10], 2000, np.random.default_rng(SEED + 1))),
        }
    )


def pile1000() -> Shot:
    """1,000 boxes into a bin."""
    rng = np.random.default_rng(SEED + 2)
    bodies = [
        _box(f"side {k}", [0.5 if sx else 3.5, 4, 0.5 if sz else 3.5], [3 * sx, 4, 3 * sz], role="passive")
        for k, (sx, sz) in enumerate(((1, 0), (-1, 0), (0, 1), (0, -1)))
    ]
    for j in range(10):
        for i in range(10):
            for k in range(10):
                at = np.array([(i - 4.5) * 0.48, 0.45 + j * 0.5, (k - 4.5) * 0.48]) + rng.uniform(-0.02, 0.02, 3)
                axis = rng.normal(size=3)
                axis /= np.linalg.norm(axis)
                a = rng.uniform(-0.1, 0.1)
                bodies.append(
                    _box(
                        f"b{len(bodies)}",
                        [0.2] * 3,
                        at.tolist(),
                        [*(axis * np.sin(a / 2)).tolist(), float(np.cos(a / 2))],
                    )
                )
    return parse({"timing": {"frames": 240}, "ground": GROUND, "bodies": bodies})


def bonded_wall() -> Shot:
    """The same wall as one bonded assembly, struck and breaking."""
    wall = {
        "name": "wall",
        "shape": {"kind": "box", "size": [10, 5, 0.5]},
        "place": {"position": [0, 2.5, 0]},
        "material": MATERIAL,
        "pattern": {"kind": "cells", "count": 500, "seed": 12},
        "bonds": {"strength": 300},
    }
    return parse({"timing": {"frames": 240}, "ground": GROUND, "bodies": [wall, _ball()]})


def bonded_slab() -> Shot:
    slab = {
        "name": "slab",
        "shape": {"kind": "box", "size": [20, 0.4, 20]},
        "place": {"position": [0, 4.2, 0]},
        "material": MATERIAL,
        "pattern": {"kind": "cells", "count": 2000, "seed": 12},
        "bonds": {"strength": 300},
    }
    return parse({"timing": {"frames": 120}, "ground": GROUND, "bodies": [slab]})


def stack20() -> Shot:
    return parse(
        {
            "timing": {"frames": 240},
            "ground": GROUND,
            "bodies": [_box(f"c{k}", [0.5] * 3, [0, 0.5 + k, 0]) for k in range(20)],
        }
    )


def heavy_on_light(ratio: float) -> Shot:
    pair = [
        _box("light", [0.5] * 3, [0, 0.5, 0], material=MATERIAL | {"density": 10}),
        _box("heavy", [0.5] * 3, [0, 1.5, 0], material=MATERIAL | {"density": 10 * ratio}),
    ]
    return parse({"timing": {"frames": 240}, "ground": GROUND, "bodies": pair})


def tower5000() -> Shot:
    """5,000 bonded, anchored pieces; nothing happens."""
    body = {
        "name": "tower",
        "shape": {"kind": "cylinder", "radius": 3, "height": 30},
        "place": {"position": [0, 15, 0]},
        "pattern": {"kind": "cells", "count": 5000, "seed": 1},
        "bonds": {},
    }
    anchor = {
        "name": "foot",
        "effect": {"kind": "anchor"},
        "reach": {"layers": [{"shape": {"kind": "box", "core": [9, 2, 9]}}]},
    }
    return parse({"bodies": [body], "fields": [anchor], "timing": {"frames": 240}})
