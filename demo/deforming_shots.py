"""The demo shots of what deforms, from the flag to the slates. Written by `python demo/make.py`."""

from __future__ import annotations

import math

from demo_parts import SEA_BED

EVERYWHERE = {"layers": [{"shape": {"kind": "everywhere"}}]}


def look(color: str, roughness: float = 0.85) -> dict:
    return {"look": {"color": color, "roughness": roughness}}


def reach(*shapes: dict) -> dict:
    return {"layers": [{"shape": shape} | ({"blend": "max"} if k else {}) for k, shape in enumerate(shapes)]}


def box(center: list, core: list, edge: float = 0.0) -> dict:
    return {"kind": "box", "center": center, "core": core, "edge": edge}


def ball(center: list, core: float, edge: float = 0.0) -> dict:
    return {"kind": "sphere", "center": center, "core": core, "edge": edge}


def signal_flag() -> dict:
    """The signal flag in a rising gale: it flutters, and frays from its worn end on."""
    return {
        "version": 1,
        "name": "Skerry Light: the signal flag",
        "timing": {"fps": 24, "frames": 144},
        "ground": SEA_BED,
        "bodies": [
            {
                "name": "staff",
                "role": "passive",
                "shape": {"kind": "cylinder", "radius": 0.05, "height": 5, "segments": 16},
                "place": {"position": [-0.06, 2.5, 0]},
                "material": look("#8d7a5f"),
            },
            {
                "name": "flag",
                "shape": {"kind": "sheet", "size": [2.4, 1.6], "divisions": [20, 14]},
                "place": {"position": [1.2, 4.0, 0], "angles": [90, 0, 0]},
                "matter": {"kind": "cloth", "preset": "canvas", "tear": 2.4},
                "material": look("#b5524a", 0.95),
                "pins": [{"reach": reach(box([0, 4, 0], [0.08, 1.8, 0.2]))}],
                "weights": [
                    {"of": "strength", "reach": reach(ball([2.4, 4.0, 0], 0.9, 1.3)), "low": 1.0, "high": 0.03}
                ],
            },
        ],
        "fields": [
            {
                "name": "gale",
                "effect": {"kind": "wind", "direction": [1, 0, 0.25], "speed": 10, "gusts": 0.6, "gust_size": 1.5},
                "reach": EVERYWHERE,
                "targets": ["flag"],
                "channels": [
                    {
                        "of": "effect.speed",
                        "keys": [{"time": 0, "value": 8, "how": "smooth"}, {"time": 5, "value": 30, "how": "smooth"}],
                    }
                ],
            }
        ],
    }


def mooring() -> dict:
    """The boat strains at three mooring ropes; they part one after the other, each at its own load."""
    ropes = []
    ties = []
    for k, (z, breaks) in enumerate(((-1.2, 3.0), (0.0, 4.5), (1.2, 7.0))):
        name = f"rope {k + 1}"
        post, cleat = [-2.0, 1.2, z], [0.0, 0.9, 0.7 * z]
        ropes.append(
            {
                "name": name,
                "shape": {"kind": "line", "points": [post, [-1.0, 0.75, 0.85 * z], cleat], "segments": 36},
                "matter": {"kind": "rope", "preset": "hemp", "radius": 0.02, "breaks": breaks},
                "material": look("#c2a878", 0.95),
                "pins": [{"reach": reach(ball(post, 0.03))}],
            }
        )
        ties.append({"name": f"cleat {k + 1}", "how": {"kind": "pin"}, "body": name, "point": cleat, "to": "boat"})
    return {
        "version": 1,
        "name": "Skerry Light: the mooring",
        "timing": {"fps": 24, "frames": 144},
        "ground": SEA_BED,
        "bodies": [
            {
                "name": "jetty",
                "role": "passive",
                "shape": {"kind": "box", "size": [1.2, 1.2, 4.2]},
                "place": {"position": [-2.6, 0.6, 0]},
                "material": look("#77705f"),
            },
            {
                "name": "boat",
                "shape": {"kind": "box", "size": [1.5, 0.8, 3.2]},
                "place": {"position": [0.75, 0.5, 0]},
                "material": {"density": 500, "friction": 0.05} | look("#4d6b7a"),
                "gravity": 0.0,
            },
            *ropes,
        ],
        "ties": ties,
        "fields": [
            {
                "name": "ebb",
                "effect": {"kind": "push", "direction": [1, 0, 0.12], "amount": 500, "unit": "N"},
                "reach": EVERYWHERE,
                "targets": ["boat"],
                "cue": {"kind": "span", "end": 2.3, "ease_out": 0.4},
                "channels": [
                    {
                        "of": "effect.amount",
                        "keys": [
                            {"time": 0, "value": 200, "how": "smooth"},
                            {"time": 5, "value": 16000, "how": "smooth"},
                        ],
                    }
                ],
            },
            {"name": "water", "effect": {"kind": "drag", "amount": 0.8}, "reach": EVERYWHERE, "targets": ["boat"]},
        ],
    }


def buoys() -> dict:
    """Soft buoys that a passing pull draws off their places, and that go back to them when it has gone by."""
    bodies = []
    for k in range(5):
        at = [-4 + 2 * k, 1.4, 0.4 * math.sin(2 * k)]
        bodies.append(
            {
                "name": f"buoy {k + 1}",
                "shape": {"kind": "sphere", "radius": 0.55, "segments": 28},
                "place": {"position": at},
                "matter": {"kind": "soft", "preset": "gel", "detail": 6},
                "material": look(["#c4694b", "#c9a24f", "#6f9a8d", "#58809a", "#8d6f93"][k], 0.6),
                "gravity": 0.0,
                "recall": [{"reach": reach(ball([at[0], at[1] - 0.4, at[2]], 0.5, 0.8)), "rate": 3.0}],
            }
        )
    return {
        "version": 1,
        "name": "Skerry Light: the buoys",
        "timing": {"fps": 24, "frames": 192},
        "ground": SEA_BED,
        "bodies": bodies,
        "fields": [
            {
                "name": "wake",
                "effect": {"kind": "attractor", "strength": 22, "settle": 0.3},
                "reach": reach(ball([-6, 2.6, 1.2], 0.8, 1.6)),
                "cue": {"kind": "span", "end": 5},
                "travel": {"kind": "path", "points": [[-6, 2.6, 1.2], [6, 2.6, 1.2]], "time": 5, "smooth": False},
            },
            {"name": "water", "effect": {"kind": "drag", "amount": 0.6}, "reach": EVERYWHERE},
        ],
        "maps": [
            {
                "name": "held",
                "reach": reach(*[ball([-4 + 2 * k, 1.0, 0.4 * math.sin(2 * k)], 0.5, 0.8) for k in range(5)]),
            }
        ],
    }


def strip() -> dict:
    """A strip of canvas is drawn onto the bell, winds itself round it and clings."""
    return {
        "version": 1,
        "name": "Skerry Light: the strip on the bell",
        "timing": {"fps": 24, "frames": 120},
        "ground": SEA_BED,
        "bodies": [
            {
                "name": "bell",
                "role": "passive",
                "shape": {"kind": "cylinder", "radius": 0.7, "height": 1.6, "taper": 0.6, "segments": 40},
                "place": {"position": [0, 1.6, 0]},
                "material": {"friction": 0.8} | look("#b08d57", 0.4),
            },
            {
                "name": "strip",
                "shape": {"kind": "sheet", "size": [4.4, 0.35], "divisions": [88, 7]},
                "place": {"position": [0, 1.7, 1.1], "angles": [90, 0, 0]},
                "matter": {"kind": "cloth", "preset": "canvas"},
                "material": {"friction": 0.8} | look("#d8d2bd", 0.95),
            },
        ],
        "fields": [
            {
                "name": "draws",
                "effect": {"kind": "attractor", "to": "surface", "body": "bell", "strength": 40, "settle": 0.15},
                "reach": EVERYWHERE,
                "targets": ["strip"],
            },
            {"name": "air", "effect": {"kind": "drag", "amount": 1.5}, "reach": EVERYWHERE, "targets": ["strip"]},
        ],
    }


def mast() -> dict:
    """A signal mast of rubber bends in a wind that walks round it."""
    turns = [{"time": k, "value": 0.0, "how": "smooth"} for k in range(7)]
    along = [
        {"of": f"effect.direction.{c}", "keys": [t | {"value": f(math.pi / 2 * t["time"])} for t in turns]}
        for c, f in ((0, math.cos), (2, math.sin))
    ]
    return {
        "version": 1,
        "name": "Skerry Light: the rubber mast",
        "timing": {"fps": 24, "frames": 144},
        "ground": SEA_BED,
        "bodies": [
            {
                "name": "mast",
                "shape": {
                    "kind": "cylinder",
                    "radius": 0.16,
                    "height": 4,
                    "taper": 0.5,
                    "segments": 24,
                    "divisions": 24,
                },
                "place": {"position": [0, 2, 0]},
                "matter": {"kind": "soft", "preset": "rubber", "young": 9000, "detail": 24},
                "material": look("#c9523f", 0.5),
                "pins": [{"reach": reach(box([0, 0, 0], [1, 0.4, 1]))}],
            }
        ],
        "fields": [
            {
                "name": "walking wind",
                "effect": {"kind": "wind", "direction": [1, 0, 0], "speed": 24, "lift": 0},
                "reach": EVERYWHERE,
                "channels": along,
            }
        ],
    }


def figurehead() -> dict:
    """The figurehead comes off in flakes, from one side to where it is held, and a whirl carries them away."""
    return {
        "version": 1,
        "name": "Skerry Light: the figurehead",
        "timing": {"fps": 24, "frames": 120},
        "ground": SEA_BED,
        "bodies": [
            {
                "name": "figurehead",
                "shape": {"kind": "torus", "radius": 0.9, "thickness": 0.35, "segments": 30, "sides": 14},
                "place": {"position": [0, 2.2, 0], "angles": [90, 0, 0]},
                "matter": {"kind": "cloth", "preset": "paper", "folds": False},
                "material": look("#caa25f", 0.7),
                "pattern": {"kind": "faces"},
                "bonds": {"strength": 0.5, "unit": "kN/m"},
                "pins": [{"reach": reach(ball([1.2, 2.2, 0], 0.45, 0))}],
                "gravity": 0.0,
            }
        ],
        "fields": [
            {
                "name": "loosens",
                "effect": {"kind": "strain", "load": 40},
                "reach": reach(ball([-2.6, 2.2, 0], 0.6, 0.5)),
                "cue": {"kind": "pulse", "start": 0.4, "every": 0.1, "count": 40},
                "travel": {"kind": "path", "points": [[-2.6, 2.2, 0], [2.2, 2.2, 0]], "time": 3.5, "smooth": False},
            },
            {
                "name": "whirl",
                "effect": {"kind": "vortex", "axis": [1, 0, 0], "swirl": 5, "core": 1.2, "inward": 2, "lift": 5},
                "reach": reach(ball([-2.6, 2.2, 0], 1.0, 0.4)),
                "cue": {"kind": "span", "start": 0.4},
                "travel": {"kind": "path", "points": [[-2.6, 2.2, 0], [4.4, 2.2, 0]], "time": 5, "smooth": False},
            },
        ],
    }


def crate(name: str, at: list, turn: float, size: list) -> dict:
    return {
        "name": name,
        "role": "passive",
        "shape": {"kind": "box", "size": size},
        "place": {"position": at, "angles": [0, turn, 0]},
        "material": {"friction": 0.7} | look("#8a7351"),
    }


def tarpaulin() -> dict:
    """A tarpaulin lies over the crates as it had settled; the gale gets under it, and ropes at its corners hold it."""
    half, ropes, ties = 1.7, [], []
    for k, (x, z) in enumerate(((-half, -half), (half, -half), (half, half), (-half, half))):
        corner, stake = [x, 1.25, z], [1.5 * x, 0.05, 1.5 * z]
        name = f"guy {k + 1}"
        ropes.append(
            {
                "name": name,
                "shape": {"kind": "line", "points": [stake, corner], "segments": 16},
                "matter": {"kind": "rope", "preset": "hemp", "radius": 0.012},
                "material": look("#c2a878", 0.95),
                "pins": [{"reach": reach(ball(stake, 0.03))}],
            }
        )
        tie = {"name": f"eyelet {k + 1}", "how": {"kind": "pin"}, "body": name, "to": "tarpaulin", "point": corner}
        ties.append(tie)
    return {
        "version": 1,
        "name": "Skerry Light: the tarpaulin",
        "timing": {"fps": 24, "frames": 120},
        "ground": SEA_BED,
        "bodies": [
            crate("crate 1", [-0.55, 0.5, -0.3], 8, [1.0, 1.0, 1.0]),
            crate("crate 2", [0.6, 0.4, 0.35], -14, [0.9, 0.8, 1.1]),
            crate("crate 3", [0.1, 0.35, -0.95], 30, [0.7, 0.7, 0.7]),
            {
                "name": "tarpaulin",
                "shape": {"kind": "sheet", "size": [2 * half, 2 * half], "divisions": [26, 26]},
                "place": {"position": [0, 1.25, 0]},
                "matter": {"kind": "cloth", "preset": "canvas"},
                "material": {"friction": 0.5} | look("#5d7358", 0.9),
            },
            *ropes,
        ],
        "ties": ties,
        "fields": [
            {
                "name": "gale",
                "effect": {"kind": "wind", "direction": [0.8, 0.55, 0.2], "speed": 12, "gusts": 0.5, "gust_size": 2},
                "reach": EVERYWHERE,
                "targets": ["tarpaulin"],
                "cue": {"kind": "span", "start": 0.8, "ease_in": 0.5},
            }
        ],
    }


def fenders() -> dict:
    """The boat swings against the jetty; two rubber fenders take the blow and give it back."""
    hung = [
        {
            "name": f"fender {k + 1}",
            "shape": {"kind": "cylinder", "radius": 0.3, "height": 1.1, "segments": 20},
            "place": {"position": [-1.69, 0.8, z]},
            "matter": {"kind": "soft", "preset": "rubber", "detail": 8},
            "material": look("#3f4347", 0.6),
            "pins": [{"reach": reach(box([-1.99, 0.8, z], [0.14, 0.7, 0.5])), "to": "jetty"}],
        }
        for k, z in enumerate((-1.0, 1.0))
    ]
    return {
        "version": 1,
        "name": "Skerry Light: the fenders",
        "timing": {"fps": 24, "frames": 96},
        "ground": SEA_BED,
        "bodies": [
            {
                "name": "jetty",
                "role": "passive",
                "shape": {"kind": "box", "size": [1.2, 1.5, 4.2]},
                "place": {"position": [-2.6, 0.75, 0]},
                "material": look("#77705f"),
            },
            {
                "name": "boat",
                "shape": {"kind": "box", "size": [1.6, 1.0, 3.4]},
                "place": {"position": [0.6, 0.8, 0], "angles": [0, 6, 0]},
                "material": {"density": 600, "friction": 0.2} | look("#4d6b7a"),
                "gravity": 0.0,
                "velocity": [-1.3, 0, 0],
            },
            *hung,
        ],
        "fields": [
            {"name": "water", "effect": {"kind": "drag", "amount": 0.25}, "reach": EVERYWHERE, "targets": ["boat"]}
        ],
    }


def net() -> dict:
    """A net between four posts catches rocks that come down the cliff."""
    rocks = []
    for k in range(9):
        at = [0.9 * math.sin(2.4 * k), 3.2 + 0.75 * k, 0.9 * math.cos(2.4 * k)]
        rocks.append(
            {
                "name": f"rock {k + 1}",
                "shape": {"kind": "sphere", "radius": 0.22 + 0.03 * (k % 4), "segments": 8},
                "place": {"position": at, "scale": [1, 0.8, 1.2]},
                "material": {"density": 2400, "friction": 0.6} | look(["#7d7a74", "#6b6f72", "#8a8378"][k % 3]),
                "spin": [1.5, 0, 1.0 - 0.3 * k],
            }
        )
    posts = [
        {
            "name": f"post {k + 1}",
            "role": "passive",
            "shape": {"kind": "cylinder", "radius": 0.09, "height": 2.3, "segments": 12},
            "place": {"position": [x, 1.15, z]},
            "material": look("#8d7a5f"),
        }
        for k, (x, z) in enumerate(((-2.1, -2.1), (2.1, -2.1), (2.1, 2.1), (-2.1, 2.1)))
    ]
    rim = {"kind": "box", "center": [0, 2.2, 0], "core": [3.85, 1, 3.85], "edge": 0}
    return {
        "version": 1,
        "name": "Skerry Light: the net",
        "timing": {"fps": 24, "frames": 120},
        "ground": SEA_BED,
        "bodies": [
            *posts,
            {
                "name": "net",
                "shape": {"kind": "sheet", "size": [4, 4], "divisions": [20, 20]},
                "place": {"position": [0, 2.2, 0]},
                "matter": {"kind": "rope", "preset": "hemp", "radius": 0.012},
                "material": {"friction": 0.6} | look("#b9a06a", 0.95),
                "pins": [{"reach": {"layers": [{"shape": rim, "invert": True}]}}],
            },
            *rocks,
        ],
    }


def lines() -> dict:
    """Lines lie over a rail as they had settled there; their weight is gone, and a pull draws them into a ball."""
    strands = [
        {
            "name": f"line {k + 1}",
            "shape": {
                "kind": "line",
                "points": [[-1.3 + 0.05 * (k % 3), 3.16, 0.11 * k - 0.72], [1.3, 3.16, 0.11 * k - 0.72]],
                "segments": 44,
            },
            "matter": {"kind": "rope", "preset": "hemp", "radius": 0.022, "damping": 0.01},
            "material": {"friction": 0.3} | look(["#c9b07a", "#a98f5b", "#d8cba3"][k % 3], 0.95),
        }
        for k in range(14)
    ]
    rail = {
        "name": "rail",
        "role": "passive",
        "shape": {"kind": "cylinder", "radius": 0.12, "height": 2.4, "segments": 20},
        "place": {"position": [0, 3.0, 0], "angles": [90, 0, 0]},
        "material": {"friction": 0.3} | look("#8d7a5f"),
    }
    return {
        "version": 1,
        "name": "Skerry Light: the lines",
        "timing": {"fps": 24, "frames": 120},
        "gravity": [0, 0, 0],
        "ground": SEA_BED,
        "bodies": [rail, *strands],
        "fields": [
            {
                "name": "gathers",
                "effect": {"kind": "attractor", "strength": 60, "law": "constant", "settle": 0.3},
                "reach": reach(ball([0, 4.8, 0], 4.5, 1.0)),
                "targets": [s["name"] for s in strands],
                "cue": {"kind": "span", "start": 0.5, "ease_in": 0.8},
            },
            {"name": "air", "effect": {"kind": "drag", "amount": 2.0}, "reach": EVERYWHERE},
        ],
    }


def slates() -> dict:
    """Slates are sewn to a canvas; the waterspout lifts it, and those whose stitches give way fly off."""
    canvas = "roof canvas"
    tiles, sewn = [], []
    for k in range(16):
        at = [-1.05 + 0.7 * (k % 4), 0.735, -1.05 + 0.7 * (k // 4)]
        tiles.append(
            {
                "name": f"slate {k + 1}",
                "shape": {"kind": "box", "size": [0.5, 0.02, 0.5]},
                "place": {"position": at},
                "material": {"density": 2700, "friction": 0.5, "mass": 1.5} | look(["#59636b", "#4c565f"][k % 2]),
            }
        )
        sewn.append(
            {
                "name": f"stitches {k + 1}",
                "how": {"kind": "sewn", "within": 0.03},
                "body": canvas,
                "to": f"slate {k + 1}",
                "point": at,
                "breaks": 0.05 if k % 5 == 0 else 0.4,
            }
        )
    return {
        "version": 1,
        "name": "Skerry Light: the slates",
        "timing": {"fps": 24, "frames": 120},
        "ground": SEA_BED,
        "bodies": [
            {
                "name": canvas,
                "shape": {"kind": "sheet", "size": [3, 3], "divisions": [30, 30]},
                "place": {"position": [0, 0.7, 0]},
                "matter": {"kind": "cloth", "preset": "canvas", "folds": False},
                "material": {"friction": 0.5} | look("#8c8a7c", 0.95),
            },
            *tiles,
        ],
        "ties": sewn,
        "fields": [
            {
                "name": "waterspout",
                "effect": {"kind": "vortex", "axis": [0, 1, 0], "swirl": 7, "core": 1.0, "inward": 4, "lift": 17},
                "reach": reach({"kind": "capsule", "center": [-3.5, 3, 0], "core": 1.2, "edge": 1.2, "height": 8}),
                "cue": {"kind": "span", "start": 0.2},
                "travel": {"kind": "path", "points": [[-3.5, 3, 0], [3.5, 3, 0.4]], "time": 3.5, "smooth": False},
            }
        ],
    }


SHOTS = {
    "signal-flag": signal_flag,
    "mooring": mooring,
    "buoys": buoys,
    "bell-strip": strip,
    "rubber-mast": mast,
    "figurehead": figurehead,
    "tarpaulin": tarpaulin,
    "fenders": fenders,
    "net": net,
    "lines": lines,
    "slates": slates,
}
SETTLED = {"tarpaulin": (["tarpaulin"], [0, -9.81, 0]), "lines": ([f"line {k + 1}" for k in range(14)], [0, -9.81, 0])}
"""Shots whose bodies open as they had come to rest: which of them, and under what gravity [m/s2]."""
