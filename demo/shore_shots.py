"""The demo shots of the shore: boathouse, jetties, rocks and panes. Written by `python demo/make.py`."""

from __future__ import annotations

import numpy as np
from demo_parts import SEA_BED, SKERRY, box_reach, material, outward, rock, sphere, turned
from scipy.spatial import ConvexHull


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
    faces = outward(ConvexHull(points))
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


SHOTS = {
    "boathouse": boathouse,
    "jetty": jetty,
    "lantern-glass": lantern,
    "rocks": rocks,
    "bell": bell,
    "tilting-jetty": tilting_jetty,
    "drifting-wreck": wreck,
}
