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


def hull_of(points: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Vertices and outward faces of the convex hull of points (n, 3)."""
    hull = ConvexHull(points)
    used, inverse = np.unique(hull.simplices, return_inverse=True)
    faces, tri = inverse.reshape(-1, 3), points[hull.simplices]
    across = np.cross(tri[:, 1] - tri[:, 0], tri[:, 2] - tri[:, 0])
    inward = np.einsum("ij,ij->i", across, hull.equations[:, :3]) < 0
    faces[inward] = faces[inward][:, ::-1]
    return points[used], faces


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
        out.append(hull_of(corners))
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


def in_gale(size: list[float], at: list[float], count: int, held: list[float], gale: dict[str, Any]) -> Shot:
    """A plate whose bonds bear all that acts on them, held in a box round the point (0, ``at``, 0), in a wind."""
    body = {
        "name": "plate",
        "shape": {"kind": "box", "size": size},
        "place": {"position": at},
        "material": MATERIAL,
        "pattern": {"kind": "cells", "count": count, "seed": 12},
        "bonds": {"strength": 300},
        "load_path": "fail",
    }
    hold = {"shape": {"kind": "box", "center": [0, held[0], 0], "core": held[1:], "edge": 0}}
    fields = [
        {"name": "hold", "effect": {"kind": "anchor"}, "reach": {"layers": [hold]}},
        {"name": "gale", "effect": gale, "reach": {"layers": [{"shape": {"kind": "sphere", "core": 1e4}}]}},
    ]
    return parse({"timing": {"frames": 120}, "ground": GROUND, "bodies": [body], "fields": fields})


def wall_in_gale() -> Shot:
    gale = {"kind": "wind", "direction": [0, 0, 1], "speed": 80}
    return in_gale([10, 5, 0.5], [0, 2.5, 0], 500, [0, 20, 0.15, 20], gale)


def wall_in_vortex() -> Shot:
    return in_gale([10, 5, 0.5], [0, 2.5, 0], 500, [0, 20, 0.15, 20], {"kind": "vortex", "swirl": 30, "core": 1})


def slab_in_gale() -> Shot:
    """Held in its middle, and lifted all round."""
    gale = {"kind": "wind", "direction": [0, 1, 0], "speed": 30}
    return in_gale([20, 0.4, 20], [0, 4.2, 0], 2000, [4.2, 1.5, 1, 1.5], gale)


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


# ------------------------------------------- other shapes, sizes and speeds than those the solver was tuned on


def _cells(name: str, shape: dict[str, Any], at: list[float], count: int, seed: int, **more: Any) -> dict[str, Any]:
    """A shape in loose cells."""
    pattern = {"kind": "cells", "count": count, "seed": seed}
    return {"name": name, "shape": shape, "place": {"position": at}, "material": MATERIAL, "pattern": pattern, **more}


def drum_and_wall() -> Shot:
    """A drum of 9 t at 16 m/s, rolling, into 700 pieces of a wall as thick as they are large."""
    wall = _cells("wall", {"kind": "box", "size": [7, 5, 0.8]}, [0, 2.5, 0], 700, 21)
    drum = {
        "name": "drum",
        "shape": {"kind": "cylinder", "radius": 1.0, "height": 1.6, "segments": 24},
        "place": {"position": [0.4, 1.05, -4], "rotation": [0, 0, 0.7071067811865476, 0.7071067811865476]},
        "material": MATERIAL | {"mass": 9000},
        "velocity": [0, 0, 16],
        "spin": [16, 0, 0],
    }
    return parse({"timing": {"frames": 168}, "ground": GROUND, "bodies": [wall, drum]})


def falling_cube() -> Shot:
    """A cube of 600 loose pieces that lands on a corner from 5 m."""
    turn = np.array([0.36, 0.15, 0.36, 0.85])
    cube = _cells("cube", {"kind": "box", "size": [2.5, 2.5, 2.5]}, [0, 7.2, 0], 600, 22)
    cube["place"]["rotation"] = (turn / np.linalg.norm(turn)).tolist()
    return parse({"timing": {"frames": 144}, "ground": GROUND, "bodies": [cube]})


def stones() -> Shot:
    """800 stones of all sizes, each the hull of some random points, poured into a heap."""
    rng = np.random.default_rng(SEED + 7)
    bodies = []
    for k in range(800):
        vertices, faces = hull_of(rng.normal(size=(14, 3)) * rng.uniform(0.05, 0.11))
        shape = {"kind": "mesh", "vertices": vertices.tolist(), "faces": faces.tolist()}
        layer, place = divmod(k, 36)
        at = np.array([0.8 * (place % 6) - 2.0, 0.8 + 0.8 * layer, 0.8 * (place // 6) - 2.0]) + rng.uniform(
            -0.04, 0.04, 3
        )
        bodies.append({"name": f"s{k}", "shape": shape, "place": {"position": at.tolist()}, "material": MATERIAL})
    return parse({"timing": {"frames": 168}, "ground": GROUND, "bodies": bodies})


def hollow_tower() -> Shot:
    """A hollow tower of 500 loose pieces on two posts; it comes down between them."""
    tower = _cells("tower", {"kind": "tube", "radius": 1.6, "wall": 0.4, "height": 6}, [0, 4.0, 0], 500, 24)
    posts = [_box(f"post {x}", [0.3, 0.5, 0.6], [x, 0.5, 0], role="passive") for x in (-1.4, 1.4)]
    return parse({"timing": {"frames": 144}, "ground": GROUND, "bodies": [tower, *posts]})


def slates() -> Shot:
    """300 thin slates that slide down a slope onto each other."""
    tilt = float(np.deg2rad(38))
    q = [float(np.sin(tilt / 2)), 0.0, 0.0, float(np.cos(tilt / 2))]
    slate = MATERIAL | {"friction": 0.3}
    slope = _box("slope", [4, 0.2, 4], [0, 2.0, 0], q, role="passive", material=slate)
    along, up = np.array([0, -np.sin(tilt), np.cos(tilt)]), np.array([0, np.cos(tilt), np.sin(tilt)])
    bodies = []
    for row in range(15):
        for k in range(20):
            at = np.array([(k - 9.5) * 0.36, 2.0, 0]) + along * (row * 0.36 - 3.2) + up * (0.23 + 0.05 * (row % 3))
            bodies.append(_box(f"s{row}-{k}", [0.17, 0.012, 0.17], at.tolist(), q, material=slate))
    return parse({"timing": {"frames": 144}, "ground": GROUND, "bodies": [slope, *bodies]})


def rain1900() -> Shot:
    """1,872 small boxes of three kinds, all awake, fall in layers onto the ground."""
    groups = []
    for k, size in enumerate(([0.3, 0.14, 0.22], [0.2, 0.2, 0.2], [0.12, 0.3, 0.16])):
        turn = np.array([0.1 * k, 0.3, 0.2 - 0.1 * k, 1.0])
        box = {"name": f"kind {k}", "shape": {"kind": "box", "size": size}, "material": MATERIAL}
        box["place"] = {
            "position": [0.06 * k, 1.0 + 1.2 * k, 0.04 * k],
            "rotation": (turn / np.linalg.norm(turn)).tolist(),
        }
        layout = {"kind": "grid", "count": [24, 2, 13], "step": [0.45, 0.4, 0.45]}
        groups.append({"name": f"rain {k}", "body": box, "layout": layout})
    return parse({"timing": {"frames": 72}, "ground": GROUND, "groups": groups})


UNSEEN = (drum_and_wall, falling_cube, stones, hollow_tower, slates, rain1900)
