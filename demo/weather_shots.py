"""The demo shots of wind and water: gales, whirls, and what they take along. Written by `python demo/make.py`."""

from __future__ import annotations

from demo_parts import SEA_BED, box_reach, layers, material, rock, sphere
from shore_shots import jetty


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


SHOTS = {
    "waterspout": waterspout,
    "turning-gale": gale,
    "whirlpool": whirlpool,
    "squall-line": squall,
    "drifting-rocks": drifting,
}
