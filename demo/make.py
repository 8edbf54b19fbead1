"""Writes the demo shots as documents. Run it again after changing it: `python demo/make.py`."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np
from scipy.spatial import ConvexHull

HERE = Path(__file__).parent
sys.path[:0] = [str(HERE), str(HERE.parent / "src")]

from deforming_shots import SETTLED  # noqa: E402
from deforming_shots import SHOTS as DEFORMING  # noqa: E402

from dynaclast.core.materials import PRESETS  # noqa: E402


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
    out = np.einsum(
        "ij,ij->i", np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]), hull.equations[:, :3]
    )
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
                "name": "skerry",
                "role": "passive",
                "shape": skerry,
                "place": {"position": [0, 1.1, 0]},
                "material": {
                    "density": 2700,
                    "friction": 0.8,
                    "bounce": 0.05,
                    "look": {"color": "#4b5654", "roughness": 0.95},
                },
            },
            {
                "name": "tower",
                "shape": {"kind": "tube", "radius": 2.6, "wall": 0.75, "height": 9.5, "taper": 0.78, "segments": 56},
                "place": {"position": [0, 5.85, 0]},
                "material": {
                    "density": 2400,
                    "friction": 0.7,
                    "bounce": 0.05,
                    "look": {"color": "#b9b5a6", "roughness": 0.88},
                },
                "pattern": {"kind": "cells", "count": 400, "seed": 7},
                "bonds": {"strength": 700, "unit": "kN/m2"},
            },
        ],
        "fields": [
            {
                "name": "bedrock",
                "effect": {"kind": "anchor", "cut": 0.5, "reinforce": 4},
                "reach": {
                    "layers": [{"shape": {"kind": "box", "center": [0, 1.5, 0], "core": [6.4, 1.4, 6.4], "edge": 0.8}}]
                },
            },
            {
                "name": "lightning",
                "effect": {"kind": "strain", "load": 1500, "burst": 2.5},
                "reach": {
                    "layers": [{"shape": {"kind": "sphere", "center": [1.3, 5.0, 1.0], "core": 2.2, "edge": 2.4}}]
                },
                "cue": {"kind": "at", "time": 1.0},
            },
        ],
    }


SKERRY = {"density": 2700, "friction": 0.8, "bounce": 0.05, "look": {"color": "#4b5654", "roughness": 0.95}}
SEA_BED = {"on": True, "height": 0.0, "friction": 0.8, "bounce": 0.05}


def material(preset: str, **more: object) -> dict:
    """A shipped material, some values changed."""
    found = next(p for p in PRESETS if p.name == preset)
    return found.material.model_dump(mode="json") | more


def sphere(center: list, core: float, edge: float) -> dict:
    return {"layers": [{"shape": {"kind": "sphere", "center": center, "core": core, "edge": edge}}]}


def box_reach(center: list, core: list, edge: float = 0.0) -> dict:
    return {"layers": [{"shape": {"kind": "box", "center": center, "core": core, "edge": edge}}]}


def two_tiers() -> dict:
    """The tower in ashlar chunks that break into rubble where the lightning strikes and where they land."""
    shot = lower_tower()
    shot["name"] = "Skerry Light: the tower in two tiers"
    tower = shot["bodies"][1]
    tower |= {
        "shape": {"kind": "tube", "radius": 2.6, "wall": 0.75, "height": 7.0, "taper": 0.84, "segments": 48},
        "place": {"position": [0, 4.6, 0]},
        "pattern": {
            "kind": "bricks",
            "layout": "round",
            "size": [2.0, 1.0, 0.8],
            "offset": 0.5,
            "jitter": 0.08,
            "gap": 0.03,
            "seed": 3,
        },
        "breaks": [
            {
                "of": {"kind": "reach", "reach": sphere([1.6, 1.2, 1.4], 2.0, 0.5)},
                "pattern": {"kind": "cells", "count": 6, "seed": 4},
            }
        ],
        "bonds": {"strength": 500, "tiers": [180]},
        "release": {"kind": "intact"},
    }
    shot["fields"][1] |= {
        "effect": {"kind": "strain", "load": 900, "burst": 8.0},
        "reach": sphere([1.2, 4.4, 1.0], 1.8, 2.0),
    }
    return shot


def boathouse() -> dict:
    """A brick boathouse under a slate roof; a squall bursts it from inside. Slates of thin slabs, ridge flashing of
    flakes.
    """
    wall = {"material": material("brick"), "bonds": {"strength": 300}}
    roof = []
    for side, lean in ((-1, 0.61), (1, -0.61)):
        q = [0.0, 0.0, float(np.sin(lean / -2)), float(np.cos(lean / 2))]
        roof.append(
            {
                "name": "slates " + ("west" if side < 0 else "east"),
                "shape": {"kind": "sheet", "size": [2.5, 6.4], "thickness": 0.06, "divisions": [2, 2]},
                "place": {"position": [side * 1.045, 3.4, 0], "rotation": q},
                "material": material("stone", look={"color": "#59656b", "roughness": 0.7}),
                "pattern": {
                    "kind": "bricks",
                    "size": [0.42, 0.5, 0.4],
                    "offset": 0.5,
                    "jitter": 0.05,
                    "gap": 0.012,
                    "seed": 5,
                },
                "bonds": {"strength": 12, "unit": "kN", "by_size": 1.0},
                "release": {"kind": "cue", "time": 0.75},
            }
        )
    walls = []
    for name, size, place, seed in (
        ("west wall", [0.3, 2.4, 6], [-1.75, 1.2, 0], 1),
        ("east wall", [0.3, 2.4, 6], [1.75, 1.2, 0], 2),
        ("back wall", [3.2, 2.4, 0.3], [0, 1.2, -2.85], 3),
    ):
        walls.append(
            {
                "name": name,
                "shape": {"kind": "box", "size": size},
                "place": {"position": place},
                "pattern": {
                    "kind": "bricks",
                    "size": [0.6, 0.3, 0.6] if size[0] < 1 else [0.6, 0.3, 0.3],
                    "offset": 0.5,
                    "jitter": 0.05,
                    "gap": 0.015,
                    "seed": seed,
                }
                if size[0] > 1
                else {"kind": "slabs", "count": 8, "axis": [0, 1, 0], "spread": 0.02, "random": 0.1, "seed": seed},
                "breaks": []
                if size[0] > 1
                else [
                    {
                        "pattern": {
                            "kind": "slabs",
                            "count": 8,
                            "axis": [0, 0, 1],
                            "spread": 0.05,
                            "random": 0.4,
                            "seed": seed,
                        }
                    }
                ],
                **wall,
            }
        )
    flashing = {
        "name": "ridge flashing",
        "shape": {"kind": "cylinder", "radius": 0.14, "height": 6.4, "segments": 10, "divisions": 10},
        "place": {"position": [0, 4.28, 0], "rotation": [0.7071068, 0, 0, 0.7071068]},
        "material": material("steel", look={"color": "#7f9a92", "roughness": 0.4}),
        "pattern": {"kind": "faces", "thickness": 0.012, "rough": 0.5, "seed": 2},
        "bonds": {"strength": 3, "unit": "kN"},
        "release": {"kind": "cue", "time": 0.75},
    }
    return {
        "version": 1,
        "name": "Skerry Light: the boathouse",
        "timing": {"fps": 24, "frames": 144},
        "ground": SEA_BED,
        "bodies": [*walls, *roof, flashing],
        "fields": [
            {"name": "footing", "effect": {"kind": "anchor"}, "reach": box_reach([0, 0, 0], [5, 0.5, 8])},
            {
                "name": "squall",
                "effect": {"kind": "strain", "load": 160, "burst": 5.5},
                "reach": sphere([0.4, 2.2, 0.6], 1.6, 1.4),
                "cue": {"kind": "at", "time": 0.75},
            },
        ],
    }


def jetty() -> dict:
    """Planks on posts; a beam swept in by the sea smashes through. Planks splinter along their grain."""
    plank = {
        "name": "plank",
        "shape": {"kind": "box", "size": [3.0, 0.1, 0.42]},
        "place": {"position": [0, 1.29, 0]},
        "material": material("wood"),
        "pattern": {"kind": "splinters", "count": 14, "grain": [1, 0, 0], "stretch": 9, "seed": 6},
        "bonds": {"strength": 900},
        "roughness": {"size": 0.06, "depth": 0.012},
    }
    post = {
        "name": "post",
        "role": "passive",
        "shape": {"kind": "cylinder", "radius": 0.14, "height": 1.24, "segments": 14},
        "place": {"position": [0, 0.62, 0]},
        "material": material("wood", look={"color": "#6e5236", "roughness": 0.9}),
    }
    beam = {
        "name": "beam",
        "shape": {"kind": "box", "size": [0.5, 0.5, 3.2]},
        "place": {"position": [0.3, 5.2, 0.3], "rotation": [0.0, 0.1736, 0.0, 0.9848]},
        "material": material("wood", look={"color": "#8d6a45", "roughness": 0.8}),
        "velocity": [0, -7, 0],
        "spin": [0.4, 0.2, 0],
    }
    return {
        "version": 1,
        "name": "Skerry Light: the jetty",
        "timing": {"fps": 24, "frames": 120},
        "ground": SEA_BED,
        "bodies": [beam],
        "groups": [
            {
                "name": "planks",
                "body": plank,
                "layout": {"kind": "grid", "count": [1, 1, 12], "step": [1, 1, 0.45]},
                "size": [1, 1],
                "seed": 1,
            },
            {
                "name": "posts",
                "body": post,
                "layout": {"kind": "grid", "count": [2, 1, 4], "step": [2.4, 1, 1.6]},
                "size": [1, 1],
                "seed": 1,
            },
        ],
        "fields": [],
    }


def lantern() -> dict:
    """The lantern room's panes, struck by a gull-sized stone: radial cracks, the pane whole until the hit."""
    panes = []
    for k in range(6):
        a = k * np.pi / 3
        panes.append(
            {
                "name": f"pane {k + 1}",
                "shape": {"kind": "box", "size": [1.3, 1.7, 0.05]},
                "place": {
                    "position": [float(1.2 * np.sin(a)), 1.06, float(1.2 * np.cos(a))],
                    "rotation": [0, float(np.sin(a / 2)), 0, float(np.cos(a / 2))],
                },
                "material": material("glass"),
                "pattern": {
                    "kind": "radial",
                    "center": [0.1, 0.15, 0],
                    "axis": [0, 0, 1],
                    "rings": 6,
                    "spokes": 13,
                    "radius": 0.9,
                    "growth": 1.5,
                    "random": 0.35,
                    "seed": k + 1,
                },
                "bonds": {"strength": 2.2, "unit": "kN"},
                "release": {"kind": "intact"},
            }
        )
    return {
        "version": 1,
        "name": "Skerry Light: the lantern glass",
        "timing": {"fps": 24, "frames": 96},
        "ground": {"on": True, "height": 0.0, "friction": 0.5, "bounce": 0.1},
        "bodies": [
            *panes,
            {
                "name": "gallery",
                "role": "passive",
                "shape": {"kind": "cylinder", "radius": 2.1, "height": 0.2, "segments": 36},
                "place": {"position": [0, 0.1, 0]},
                "material": SKERRY,
            },
            {
                "name": "thrown stone",
                "shape": {"kind": "sphere", "radius": 0.13},
                "place": {"position": [0.3, 1.5, 3.4]},
                "material": material("stone"),
                "velocity": [0, 1.0, -11],
            },
        ],
        "fields": [
            {
                "name": "glazing bars",
                "effect": {"kind": "anchor", "reinforce": 0},
                "reach": box_reach([0, 0.2, 0], [3.2, 0.55, 3.2]),
            }
        ],
    }


def rocks() -> dict:
    """Boulders scattered round the skerry, held until the sea tumbles one into them."""
    boulder = rock(5, (0.5, 0.5, 0.5), 26)
    low = min(v[1] for v in boulder["vertices"])
    return {
        "version": 1,
        "name": "Skerry Light: rocks round the skerry",
        "timing": {"fps": 24, "frames": 144},
        "ground": SEA_BED,
        "bodies": [
            {
                "name": "skerry",
                "role": "passive",
                "shape": rock(11, (7.5, 4.2, 7.0), 90),
                "place": {"position": [0, 1.1, 0]},
                "material": SKERRY,
            },
            {
                "name": "great stone",
                "shape": rock(8, (1.3, 1.3, 1.3), 40),
                "place": {"position": [-12.5, 3.0, 1.5]},
                "material": material("stone"),
                "velocity": [9.0, 0, 0.5],
                "spin": [0, 0, -6],
            },
        ],
        "groups": [
            {
                "name": name,
                "body": {
                    "name": "rock",
                    "shape": boulder,
                    "place": {"position": [0, -low, 0]},
                    "material": material("stone", look={"color": color, "roughness": 0.95}),
                    "release": {"kind": "touch", "part": "body"},
                },
                "layout": {
                    "kind": "surface",
                    "count": 150,
                    "inside": {"kind": "box", "center": [x, 0, 0], "core": [9, 4, 30]},
                    "gap": -0.05,
                },
                "size": [0.35, 1.3],
                "turn": 3.1,
                "tilt": 0.3,
                "seed": seed,
            }
            for name, x, seed, color in (("rocks west", -12.5, 4, "#6f7a78"), ("rocks east", 12.5, 5, "#7d7f74"))
        ],
        "fields": [],
    }


def undercut() -> dict:
    """A tower whose foot the sea breaks and carries off on one side: the last bonds give way under its own weight, it
    leans, topples, and comes apart where it falls.
    """
    shot = lower_tower()
    shot["name"] = "Skerry Light: the undercut tower"
    tower = shot["bodies"][1]
    tower |= {
        "shape": {"kind": "tube", "radius": 2.2, "wall": 0.6, "height": 9.0, "taper": 0.8, "segments": 40},
        "place": {"position": [0, 5.6, 0]},
        "pattern": {"kind": "cells", "count": 260, "seed": 5, "even": 0.5},
        "bonds": {"strength": 300},
        "load_path": "fail",
    }
    shot["fields"] = [
        {"name": "bedrock", "effect": {"kind": "anchor", "reinforce": 0}, "reach": box_reach([0, 1.4, 0], [6, 1.0, 6])},
        {
            "name": "breaker",
            "effect": {"kind": "strain", "load": 2500},
            "reach": box_reach([0.5, 2.5, 0.3], [3.6, 1.7, 5.2], 0.3),
            "cue": {"kind": "at", "time": 1.0},
        },
        {
            "name": "backwash",
            "effect": {"kind": "kill", "what": "remove", "slower": 2, "time": 0},
            "reach": box_reach([0.5, 2.5, 0.3], [3.4, 1.6, 5.0]),
            "cue": {"kind": "span", "start": 1.05, "end": 1.5},
            "targets": ["tower"],
        },
    ]
    return shot


def turned(axis: list, degrees: float) -> list:
    """A unit quaternion."""
    half = np.radians(degrees) / 2
    return [*(float(x) for x in np.sin(half) * np.array(axis, float)), float(np.cos(half))]


def bell() -> dict:
    """The gallery bell on its hinge: a gust has swung it up; its clapper rings, it comes down on the railing, and the
    stay that held it snaps.
    """
    wood = material("wood", look={"color": "#a58459", "roughness": 0.9})
    bronze = material("steel", density=8700, look={"color": "#a58a4e", "roughness": 0.35})
    passive = {"role": "passive", "material": material("wood", look={"color": "#7a6247", "roughness": 0.9})}
    # the bell hangs from a point 0.75 m over its middle, swung out to 62 degrees
    lean = np.radians(62)
    pivot = np.array([0.0, 3.2, 0.0])
    hang = lambda d: [float(x) for x in pivot + d * np.array([np.sin(lean), -np.cos(lean), 0])]  # noqa: E731
    rails = []
    for k, height in enumerate((1.65, 2.0, 2.35)):
        rails.append(
            {
                "name": f"rail {k + 1}",
                "shape": {"kind": "box", "size": [0.09, 0.14, 3.2]},
                "place": {"position": [-1.0, height, 0]},
                "material": wood,
                "pattern": {"kind": "splinters", "count": 26, "grain": [0, 0, 1], "stretch": 7, "seed": k + 1},
                "bonds": {"strength": 1500},
                "roughness": {"size": 0.05, "depth": 0.01},
            }
        )
    return {
        "version": 1,
        "name": "Skerry Light: the bell",
        "timing": {"fps": 24, "frames": 168},
        "ground": {"on": True, "height": 0.0, "friction": 0.7, "bounce": 0.05},
        "bodies": [
            {
                "name": "bell",
                "shape": {"kind": "tube", "radius": 0.55, "wall": 0.08, "height": 0.9, "taper": 0.6, "segments": 32},
                "place": {"position": hang(0.8), "rotation": turned([0, 0, 1], 62)},
                "material": bronze,
                "collision": "parts",
            },
            {
                "name": "clapper",
                "shape": {"kind": "cylinder", "radius": 0.05, "height": 0.66, "taper": 1.8, "segments": 12},
                "place": {"position": hang(0.78), "rotation": turned([0, 0, 1], 242)},
                "material": bronze,
            },
            *rails,
            {
                "name": "west post",
                "shape": {"kind": "box", "size": [0.2, 3.4, 0.2]},
                "place": {"position": [0, 1.7, -1.05]},
                **passive,
            },
            {
                "name": "east post",
                "shape": {"kind": "box", "size": [0.2, 3.4, 0.2]},
                "place": {"position": [0, 1.7, 1.05]},
                **passive,
            },
            {
                "name": "yoke",
                "shape": {"kind": "box", "size": [0.22, 0.22, 2.5]},
                "place": {"position": [0, 3.51, 0]},
                **passive,
            },
            {
                "name": "bucket",
                "shape": {"kind": "cylinder", "radius": 0.2, "height": 0.4, "segments": 16},
                "place": {"position": [1.9, 1.1, 1.05]},
                "material": wood,
            },
        ],
        "ties": [
            {
                "name": "bell hinge",
                "how": {"kind": "hinge", "axis": [0, 0, 1], "friction": 15},
                "body": "bell",
                "point": pivot.tolist(),
            },
            {
                "name": "clapper pin",
                "how": {"kind": "pin"},
                "body": "clapper",
                "to": "bell",
                "point": hang(0.45),
                "collide": True,
            },
            {
                "name": "bucket line",
                "how": {"kind": "string"},
                "body": "bucket",
                "point": [1.9, 1.3, 1.05],
                "to": "yoke",
                "to_point": [0.1, 3.42, 1.05],
            },
            {
                "name": "stay",
                "how": {"kind": "string", "length": 2.35},
                "body": "bell",
                "point": hang(1.25),
                "to_point": [3.2, 2.9, 0],
                "breaks": 14,
            },
        ],
        "fields": [
            {
                "name": "rail ends",
                "effect": {"kind": "anchor", "reinforce": 0},
                "reach": {
                    "layers": [
                        {"shape": {"kind": "box", "center": [-1.0, 2.0, 0], "core": [0.6, 2.0, 2.7]}, "invert": True}
                    ]
                },
                "targets": ["rail 1", "rail 2", "rail 3"],
            }
        ],
    }


def tilting_jetty() -> dict:
    """A loose jetty deck heaves and tilts on the swell; crates and barrels slide across it and over the edge, one kept
    by its mooring.
    """
    flat, swell = turned([0, 0, 1], 0), turned([0, 0, 1], -33)
    crate = {
        "name": "crate",
        "shape": {"kind": "box", "size": [0.6, 0.6, 0.6]},
        "place": {"position": [-1.9, 1.56, 0.55]},
        "material": material("wood", friction=0.25),
    }
    barrel = {
        "name": "barrel",
        "shape": {"kind": "cylinder", "radius": 0.28, "height": 0.8, "segments": 20},
        "place": {"position": [0.4, 1.65, -0.9]},
        "material": material("wood", friction=0.22, look={"color": "#8a5a36", "roughness": 0.8}),
    }
    return {
        "version": 1,
        "name": "Skerry Light: the tilting jetty",
        "timing": {"fps": 24, "frames": 168},
        "ground": SEA_BED,
        "bodies": [
            {
                "name": "deck",
                "role": "animated",
                "shape": {"kind": "box", "size": [6.0, 0.3, 3.4]},
                "material": material("wood", friction=0.4, look={"color": "#6e5236", "roughness": 0.9}),
                "motion": {
                    "keys": [
                        {"time": 0, "position": [0, 1.1, 0], "rotation": flat},
                        {"time": 1.0, "position": [0, 1.1, 0], "rotation": flat},
                        {"time": 2.6, "position": [0, 2.1, 0], "rotation": swell},
                        {"time": 4.6, "position": [0, 1.5, 0], "rotation": turned([0, 0, 1], 9)},
                        {"time": 6.4, "position": [0, 1.1, 0], "rotation": flat},
                    ]
                },
            },
            {
                "name": "moored barrel",
                **{k: v for k, v in barrel.items() if k != "name"},
                "place": {"position": [1.2, 1.65, 1.2]},
            },
        ],
        "groups": [
            {
                "name": "crates",
                "body": crate,
                "layout": {"kind": "grid", "count": [3, 2, 1], "step": [0.66, 0.605, 0.7]},
                "size": [1, 1],
                "seed": 2,
            },
            {
                "name": "barrels",
                "body": barrel,
                "layout": {"kind": "grid", "count": [3, 1, 2], "step": [0.62, 1, 0.7]},
                "size": [1, 1],
                "seed": 1,
            },
        ],
        "ties": [
            {
                "name": "mooring",
                "how": {"kind": "string", "length": 2.2},
                "body": "moored barrel",
                "point": [1.2, 2.05, 1.2],
                "to": "deck",
                "to_point": [-0.6, 1.25, 1.2],
                "collide": True,
            }
        ],
        "fields": [],
    }


def wreck() -> dict:
    """A drifting wreck, eighty times as heavy as what it meets, ploughs through flotsam without turning aside."""
    side = [
        [-4.2, 0.9, 1.0],
        [-4.2, -0.75, 0.7],
        [2.2, 1.0, 1.25],
        [2.2, -0.75, 0.75],
        [4.6, 1.15, 0.12],
        [3.6, -0.6, 0.1],
    ]
    points = np.array([[x, y, s * z] for x, y, z in side for s in (-1, 1)])
    hull = ConvexHull(points)
    faces = hull.simplices.copy()
    corner = points[faces]
    out = np.einsum(
        "ij,ij->i", np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]), hull.equations[:, :3]
    )
    faces[out < 0] = faces[out < 0][:, ::-1]
    float_ = {"friction": 0.12, "bounce": 0.1}
    keel = float_ | {"friction": 0.004}
    return {
        "version": 1,
        "name": "Skerry Light: the drifting wreck",
        "timing": {"fps": 24, "frames": 144},
        "ground": {"on": True, "height": 0.0, "friction": 0.15, "bounce": 0.05},
        "bodies": [
            {
                "name": "wreck",
                "shape": {"kind": "mesh", "vertices": points.round(4).tolist(), "faces": faces.tolist()},
                "place": {"position": [-9.5, 0.76, 0]},
                "material": material("wood", mass=4800, **keel, look={"color": "#5d4a38", "roughness": 0.9}),
                "velocity": [4.5, 0, 0],
            }
        ],
        "groups": [
            {
                "name": name,
                "body": {
                    "name": name[:-1],
                    "shape": shape,
                    "place": {"position": [0, lift, 0]},
                    "material": material("wood", mass=60, **float_, look={"color": color, "roughness": 0.85}),
                    "release": {"kind": "touch", "part": "body"},
                },
                "layout": {
                    "kind": "surface",
                    "count": 32,
                    "inside": {"kind": "box", "center": [3.5, 0, z], "core": [13, 4, 3.2]},
                    "gap": 0.02,
                },
                "size": [1, 1],
                "turn": 3.1,
                "seed": seed,
            }
            for name, shape, lift, color, z, seed in (
                ("crates", {"kind": "box", "size": [0.5, 0.5, 0.5]}, 0.251, "#9a7a4e", -1.95, 3),
                (
                    "barrels",
                    {"kind": "cylinder", "radius": 0.25, "height": 0.7, "segments": 18},
                    0.351,
                    "#8a5a36",
                    1.95,
                    9,
                ),
            )
        ],
        "fields": [],
    }


def layers(*rows: dict) -> dict:
    """A falloff of several layers; each row is a shape, with what else a layer has beside it under "layer"."""
    return {
        "layers": [{"shape": {k: v for k, v in row.items() if k != "layer"}, **row.get("layer", {})} for row in rows]
    }


def gnawed() -> dict:
    """Waves gnaw at the tower's foot, wave by wave; where a wave has been the stone stays wet for a while. What the
    foot can no longer carry comes down by its own weight.
    """
    shot = undercut()
    shot["name"] = "Skerry Light: the gnawing waves"
    shot["bodies"][1]["bonds"]["strength"] = 420
    shot["timing"]["frames"] = 192
    water = [
        {"kind": "box", "center": [2.2, 2.6, 0], "core": [2.6, 1.4, 5.0], "edge": 0.8},
        {"kind": "noise", "size": 1.2, "rate": 1.5, "contrast": 3, "layer": {"blend": "multiply"}},
    ]
    shot["falloffs"] = [{"name": "swash", **layers(*water, {"kind": "trail", "rise": 0.05, "fall": 1.2})}]
    shot["maps"] = [
        {"name": "spray", "reach": {"use": "swash"}, "targets": ["tower"], "ramp": "tide"},
        {"name": "soaked", "reach": layers(*water, {"kind": "hold"}), "targets": ["tower"], "ramp": "tide"},
    ]
    shot["fields"][1:] = [
        {
            "name": "waves",
            "effect": {"kind": "strain", "mode": "wear", "load": 260},
            "reach": {"use": "swash"},
            "cue": {"kind": "pulse", "start": 0.5, "every": 0.5, "count": 10},
        }
    ]
    shot["fields"].append(
        {
            "name": "undertow",
            "effect": {"kind": "push", "direction": [1, 0, 0.15], "amount": 4, "noise": 0.4},
            "reach": box_reach([2.2, 2.6, 0], [3.2, 1.8, 5.0], 0.8),
            "cue": {"kind": "pulse", "start": 2.75, "every": 0.5, "count": 9},
            "targets": ["tower"],
        }
    )
    return shot


def waterspout() -> dict:
    """A waterspout wanders in over the boathouse: slates knocked loose fly up and are kept in its ring. What falls out
    and lies still is put to rest.
    """
    slate = {
        "name": "slate",
        "shape": {"kind": "box", "size": [0.42, 0.03, 0.34]},
        "place": {"position": [0, 2.62, 0]},
        "material": material("stone", density=1400, look={"color": "#59656b", "roughness": 0.7}),
        "release": {"kind": "touch", "part": "body"},
    }
    spout = {
        "kind": "path",
        "points": [[-7, 4.2, -3], [-1.5, 4.2, -0.5], [0.5, 4.2, 0.5], [6, 4.2, 2.5]],
        "start": 0,
        "time": 8,
        "smooth": True,
    }
    return {
        "version": 1,
        "name": "Skerry Light: the waterspout",
        "timing": {"fps": 24, "frames": 192},
        "ground": SEA_BED,
        "bodies": [
            {
                "name": "boathouse",
                "role": "passive",
                "shape": {"kind": "box", "size": [3.6, 2.4, 4.4]},
                "place": {"position": [0, 1.2, 0]},
                "material": material("brick"),
            },
            {
                "name": "roof",
                "role": "passive",
                "shape": {"kind": "box", "size": [4.0, 0.2, 4.8]},
                "place": {"position": [0, 2.5, 0]},
                "material": material("wood"),
            },
        ],
        "groups": [
            {
                "name": "slates",
                "body": slate,
                "layout": {"kind": "grid", "count": [8, 2, 11], "step": [0.46, 0.032, 0.42]},
                "size": [1, 1],
                "seed": 1,
            }
        ],
        "falloffs": [
            {
                "name": "funnel",
                **layers({"kind": "torus", "center": [-7, 4.2, -3], "ring": 1.6, "core": 1.3, "edge": 1.2}),
            }
        ],
        "fields": [
            {
                "name": "waterspout",
                "effect": {"kind": "vortex", "swirl": 9, "core": 1.2, "grip": 2.5, "contain": 2.2, "ring": 1.7},
                "reach": {"use": "funnel"},
                "travel": spout,
                "targets": ["slates"],
                "cue": {"kind": "span", "end": 7.5, "ease_out": 1},
            },
            {
                "name": "loosens",
                "effect": {"kind": "displace", "offset": [0, 0.12, 0]},
                "reach": {"use": "funnel"},
                "travel": spout,
                "targets": ["slates"],
                "cue": {"kind": "span", "end": 7},
            },
            {
                "name": "shore",
                "effect": {"kind": "kill", "what": "rest", "slower": 0.4, "time": 0.4},
                "reach": box_reach([0, 0, 0], [60, 0.5, 60]),
                "targets": ["slates"],
            },
        ],
    }


def gale() -> dict:
    """A gale that turns right round the tower, its gusts keyed: loose stones of the broken parapet go over, now on this
    side, now on that.
    """
    stone = {
        "name": "stone",
        "shape": {"kind": "box", "size": [0.34, 0.3, 0.34]},
        "place": {"position": [0, 6.76, 0]},
        "material": material("stone", density=320, friction=0.5, look={"color": "#b9b5a6", "roughness": 0.9}),
    }
    return {
        "version": 1,
        "name": "Skerry Light: the turning gale",
        "timing": {"fps": 24, "frames": 168},
        "ground": SEA_BED,
        "bodies": [
            {
                "name": "tower",
                "role": "passive",
                "shape": {"kind": "cylinder", "radius": 2.0, "height": 6.6, "taper": 0.9, "segments": 48},
                "place": {"position": [0, 3.3, 0]},
                "material": material("stone"),
            },
            {
                "name": "vane",
                "shape": {"kind": "box", "size": [1.6, 0.5, 0.04]},
                "place": {"position": [0.16, 9.5, 0]},
                "material": material("wood"),
            },
            {
                "name": "mast",
                "role": "passive",
                "shape": {"kind": "cylinder", "radius": 0.06, "height": 2.6, "segments": 12},
                "place": {"position": [-0.7, 7.9, 0]},
                "material": material("wood"),
            },
        ],
        "groups": [
            {
                "name": "parapet",
                "body": stone,
                "layout": {"kind": "ring", "count": 22, "radius": 1.55, "arc": 6.2831853, "face": True},
                "size": [0.85, 1.1],
                "turn": 0.3,
                "seed": 3,
            }
        ],
        "ties": [
            {
                "name": "vane pin",
                "how": {"kind": "hinge", "axis": [0, 1, 0], "friction": 0.4},
                "body": "vane",
                "point": [-0.7, 9.5, 0],
            }
        ],
        "fields": [
            {
                "name": "gale",
                "effect": {
                    "kind": "wind",
                    "direction": [1, 0, 0],
                    "speed": 20,
                    "gusts": 0.5,
                    "gust_time": 0.8,
                    "gust_size": 3,
                    "lift": 0.3,
                },
                "reach": layers({"kind": "cylinder", "center": [-9, 7, 0], "core": 14, "height": 9, "edge": 3}),
                "travel": {"kind": "round", "center": [0, 7, 0], "axis": [0, 1, 0], "rate": 0.16, "turning": True},
                "aim": "tower",
                "channels": [
                    {
                        "of": "effect.speed",
                        "keys": [
                            {"time": 0, "value": 6, "how": "smooth"},
                            {"time": 1.5, "value": 30, "how": "smooth"},
                            {"time": 2.6, "value": 14, "how": "smooth"},
                            {"time": 4.2, "value": 36, "how": "smooth"},
                            {"time": 6.5, "value": 5},
                        ],
                    }
                ],
            }
        ],
    }


def whirlpool() -> dict:
    """A whirlpool gathers flotsam: the pull settles what arrives, the sea's surface takes what sinks out, and within it
    the calm at the eye lets it rest.
    """
    cask = {
        "name": "cask",
        "shape": {"kind": "cylinder", "radius": 0.2, "height": 0.5, "segments": 16},
        "place": {"position": [0, 0.26, 0]},
        "material": material("wood", friction=0.05, look={"color": "#8a5a36", "roughness": 0.8}),
    }
    board = {
        "name": "board",
        "shape": {"kind": "box", "size": [0.9, 0.08, 0.3]},
        "place": {"position": [0, 0.05, 0]},
        "material": material("wood", friction=0.05),
    }
    eye = [0, 0.2, 0]
    return {
        "version": 1,
        "name": "Skerry Light: the whirlpool",
        "timing": {"fps": 24, "frames": 192},
        "ground": {"on": True, "height": 0.0, "friction": 0.05, "bounce": 0.05},
        "bodies": [],
        "groups": [
            {
                "name": name,
                "body": body,
                "layout": {
                    "kind": "surface",
                    "count": count,
                    "inside": {"kind": "box", "center": [0, 0, 0], "core": [14, 3, 14]},
                    "gap": 0.05,
                },
                "size": [0.8, 1.2],
                "turn": 3.1,
                "seed": seed,
            }
            for name, body, count, seed in (("boards", board, 60, 3),)
        ]
        + [
            {
                "name": "casks",
                "body": cask | {"place": {"position": [0, 0.26, 0]}},
                "layout": {"kind": "ring", "count": 14, "radius": 10.6, "arc": 6.2831853, "face": True},
                "size": [1, 1],
                "seed": 4,
            }
        ],
        "falloffs": [
            {"name": "maelstrom", **layers({"kind": "cylinder", "center": eye, "core": 8, "height": 3, "edge": 4})}
        ],
        "fields": [
            {
                "name": "whirl",
                "effect": {"kind": "vortex", "swirl": 5, "core": 2.0, "grip": 1.5, "inward": 0, "lift": 0},
                "reach": {"use": "maelstrom"},
                "cue": {"kind": "span", "end": 6, "ease_in": 1, "ease_out": 2},
            },
            {
                "name": "pull",
                "effect": {
                    "kind": "attractor",
                    "to": "line",
                    "axis": [0, 1, 0],
                    "strength": 5,
                    "law": "constant",
                    "top_speed": 3,
                    "near": 0.5,
                },
                "reach": {"use": "maelstrom", "strength": 0.8},
                "cue": {"kind": "span", "end": 6, "ease_in": 1},
            },
            {
                "name": "sea surface",
                "effect": {"kind": "kill", "what": "remove", "slower": 0.5, "time": 1.0, "age": 7},
                "reach": layers({"kind": "cylinder", "center": eye, "core": 20, "height": 6, "edge": 0}),
                "cue": {"kind": "span", "start": 6.5},
            },
            {
                "name": "calm eye",
                "effect": {"kind": "kill", "what": "rest", "slower": 1.2, "time": 0.3},
                "reach": sphere(eye, 3.0, 0.0),
                "cue": {"kind": "span", "start": 6},
            },
        ],
    }


def squall() -> dict:
    """A squall line passes over the jetty and knocks its planks loose as it goes; a hit on the beam below throws what
    lies round it.
    """
    shot = jetty()
    shot["name"] = "Skerry Light: the squall line"
    shot["bodies"] = [
        {
            "name": "barrel",
            "shape": {"kind": "cylinder", "radius": 0.3, "height": 0.8, "segments": 18},
            "place": {"position": [0.4, 4.6, 1.2]},
            "material": material("wood"),
        }
    ]
    planks = shot["groups"][0]
    planks["body"] |= {"pattern": None, "bonds": None, "roughness": None, "release": {"kind": "touch", "part": "body"}}
    shot["fields"] = [
        {
            "name": "squall line",
            "effect": {"kind": "displace", "offset": [0.15, 0.5, 0], "axis": [0, 0, 1], "angle": 0.5},
            "reach": layers({"kind": "box", "center": [0, 1.3, -6], "core": [6, 2, 0.5], "edge": 0.5}),
            "targets": ["planks"],
            "cue": {"kind": "span", "end": 4},
            "travel": {
                "kind": "path",
                "points": [[0, 1.3, -6], [0, 1.3, 5]],
                "start": 0.5,
                "time": 3.0,
                "smooth": False,
            },
        },
        {
            "name": "splash",
            "effect": {"kind": "burst", "speed": 4, "noise": 0.3},
            "reach": sphere([0, 0, 0], 0.5, 1.5),
            "cue": {"kind": "impact", "above": 2, "bodies": ["barrel"], "most": 2},
        },
    ]
    return shot


def drifting() -> dict:
    """Rocks set going one after another by a push that fades to nothing, through water that slows them; further in it
    is rougher.
    """
    boulder = rock(5, (0.5, 0.5, 0.5), 26)
    return {
        "version": 1,
        "name": "Skerry Light: drifting rocks",
        "timing": {"fps": 24, "frames": 168},
        "gravity": [0, 0, 0],
        "ground": {"on": False},
        "bodies": [],
        "groups": [
            {
                "name": "rocks",
                "body": {
                    "name": "rock",
                    "shape": boulder,
                    "place": {"position": [0, 0, 0]},
                    "material": material("stone", look={"color": "#6f7a78", "roughness": 0.95}),
                },
                "layout": {
                    "kind": "volume",
                    "count": 70,
                    "inside": {"kind": "box", "center": [-4, 2, 0], "core": [5, 4, 6]},
                    "gap": 0.02,
                },
                "size": [0.4, 1.1],
                "turn": 3.1,
                "tilt": 3.1,
                "seed": 8,
            }
        ],
        "fields": [
            {
                "name": "swell",
                "effect": {"kind": "push", "direction": [1, 0.05, 0], "amount": 4, "noise": 0.3},
                "reach": layers({"kind": "everywhere"}),
                "cue": {
                    "kind": "span",
                    "end": 2.5,
                    "ease_in": 0.3,
                    "ease_out": 1.5,
                    "stagger": {"over": 1.5, "order": "direction", "direction": [-1, 0, 0]},
                },
            },
            {
                "name": "water",
                "effect": {"kind": "drag", "amount": 0.35, "turning": 0.3},
                "reach": layers({"kind": "everywhere"}),
            },
            {
                "name": "rough water",
                "effect": {"kind": "turbulence", "strength": 4, "size": 2.5, "rate": 0.6},
                "reach": layers(
                    {"kind": "plane", "center": [-1, 0, 0], "normal": [-1, 0, 0], "edge": 5},
                    {"kind": "expression", "text": "value * smooth(0, 2, time)"},
                ),
            },
            {
                "name": "tumble",
                "effect": {"kind": "spin", "axis": [0.3, 1, 0.2], "amount": 1.2, "noise": 1},
                "reach": layers({"kind": "everywhere"}),
                "cue": {"kind": "at", "time": 0.2, "stagger": {"over": 1.5, "order": "random"}},
            },
        ],
    }


def sea_stack() -> dict:
    """A sea stack carved out of a falloff. One more, the bite, crowds its break, weakens its bonds and says where the
    swell eats a hollow into it; what hangs over gives way by its own weight.
    """
    return {
        "version": 1,
        "name": "Skerry Light: the sea stack",
        "timing": {"fps": 24, "frames": 168},
        "ground": SEA_BED,
        "falloffs": [
            {
                "name": "stack",
                **layers(
                    {"kind": "capsule", "center": [0, 3.0, 0], "core": 0.7, "height": 4.2, "edge": 2.2},
                    {
                        "kind": "noise",
                        "size": 1.5,
                        "contrast": 2,
                        "seed": 8,
                        "layer": {"blend": "multiply", "opacity": 0.55},
                    },
                    {
                        "kind": "cone",
                        "center": [0, 0.9, 0],
                        "core": 1.5,
                        "height": 2.4,
                        "edge": 0.7,
                        "layer": {"blend": "screen", "opacity": 0.8},
                    },
                ),
            },
            {"name": "bite", **layers({"kind": "sphere", "center": [1.3, 2.4, 0.4], "core": 0.5, "edge": 1.4})},
        ],
        "bodies": [
            {
                "name": "stack",
                "shape": {
                    "kind": "falloff",
                    "reach": {"use": "stack"},
                    "level": 0.38,
                    "center": [0, 3.1, 0],
                    "size": [5.2, 6.2, 5.2],
                    "detail": 44,
                },
                "material": material("stone", look={"color": "#8f8a7c", "roughness": 0.95}),
                "pattern": {"kind": "cells", "count": 190, "seed": 3, "crowd": {"by": 14, "reach": {"use": "bite"}}},
                "bonds": {"strength": 500, "by_reach": {"reach": {"use": "bite"}, "low": 1.0, "high": 0.5}},
                "load_path": "fail",
            }
        ],
        "fields": [
            {"name": "bedrock", "effect": {"kind": "anchor"}, "reach": box_reach([0, 0, 0], [6, 1.2, 6])},
            {
                "name": "swell",
                "effect": {"kind": "strain", "mode": "wear", "load": 110},
                "reach": {"use": "bite"},
                "cue": {"kind": "pulse", "start": 0.5, "every": 0.5, "count": 9},
            },
        ],
        "maps": [{"name": "bitten", "reach": {"use": "bite"}, "ramp": "ember"}],
    }


SHOTS = {
    "undercut-tower": undercut,
    "lower-tower": lower_tower,
    "tower-two-tiers": two_tiers,
    "boathouse": boathouse,
    "jetty": jetty,
    "lantern-glass": lantern,
    "rocks": rocks,
    "bell": bell,
    "tilting-jetty": tilting_jetty,
    "drifting-wreck": wreck,
    "gnawing-waves": gnawed,
    "waterspout": waterspout,
    "turning-gale": gale,
    "whirlpool": whirlpool,
    "squall-line": squall,
    "drifting-rocks": drifting,
    "sea-stack": sea_stack,
    **DEFORMING,
}


def settled(name: str, make: Callable[[], dict]) -> tuple[dict[str, dict], dict[str, list[float]]]:
    """The shapes that bodies of a shot open in where it says so, as they come to rest without its fields, and where its
    ties are then.
    """
    from dynaclast.core.document import parse
    from dynaclast.core.settling import settle

    if name not in SETTLED:
        return {}, {}
    names, gravity = SETTLED[name]
    found = settle(parse(make() | {"gravity": gravity}), names)
    openings = {body: found.openings[body].model_dump(mode="json") for body in sorted(found.openings)}
    return openings, {tie: point.round(5).tolist() for tie, point in found.ties.items()}


def settled_in(path: Path) -> tuple[dict[str, dict], dict[str, list[float]]]:
    """The same of a shot that is written."""
    made = json.loads(path.read_text())
    openings = {b["name"]: b["opening"] for b in made["bodies"] if "opening" in b}
    return openings, {t["name"]: t["point"] for t in made.get("ties", [])} if openings else {}


def written(make: Callable[[], dict], openings: dict[str, dict], points: dict[str, list[float]]) -> str:
    """A shot's document as text, with what it is for as its note."""
    made = make()
    for body in made["bodies"]:
        if body["name"] in openings:
            body["opening"] = openings[body["name"]]
    for tie in made.get("ties", []):
        tie["point"] = points.get(tie["name"], tie["point"])
    note = " ".join((make.__doc__ or "").split())
    return json.dumps({"version": made.pop("version"), "name": made.pop("name"), "note": note, **made}, indent=1) + "\n"


if __name__ == "__main__":
    for name, make in SHOTS.items():
        (HERE / f"skerry-light-{name}.json").write_text(written(make, *settled(name, make)))
