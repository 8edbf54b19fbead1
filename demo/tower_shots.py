"""The demo shots of the tower and the rock it stands on. Written by `python demo/make.py`."""

from __future__ import annotations

from demo_parts import SEA_BED, box_reach, layers, material, rock, sphere


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
    "gnawing-waves": gnawed,
    "sea-stack": sea_stack,
}
