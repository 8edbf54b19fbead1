"""Small shot documents that tests build on."""

from __future__ import annotations

from typing import Any

from dynaclast.core.bake import bake
from dynaclast.core.document import Body, Shot, parse
from dynaclast.core.formats.frames import Baked
from dynaclast.core.fracture.build import build_pieces, content_key
from dynaclast.core.fracture.pieces import Pieces
from dynaclast.core.fracture.solids import Progress, unheard

_built: dict[str, Pieces] = {}


def built_once(body: Body, *, progress: Progress = unheard) -> Pieces:
    """The pieces of a body, as all tests of a run share them."""
    key = content_key(body)
    if key not in _built:
        _built[key] = build_pieces(body, progress=progress)
    return _built[key]


def box(
    name: str, position: tuple[float, float, float], size: tuple[float, float, float] = (1, 1, 1), **more: Any
) -> dict[str, Any]:
    material = {"density": 1000, "friction": 0.6, "bounce": 0.0} | more.pop("material", {})
    place = {"position": list(position)} | more.pop("place", {})
    return {"name": name, "shape": {"kind": "box", "size": list(size)}, "place": place, "material": material, **more}


def ball(name: str, position: tuple[float, float, float], radius: float = 0.5, **more: Any) -> dict[str, Any]:
    material = {"density": 1000, "friction": 0.6, "bounce": 0.0} | more.pop("material", {})
    return {
        "name": name,
        "shape": {"kind": "sphere", "radius": radius},
        "place": {"position": list(position)},
        "material": material,
        **more,
    }


def reach_box(
    center: tuple[float, float, float], core: tuple[float, float, float], edge: float = 0.0
) -> dict[str, Any]:
    return {"layers": [{"shape": {"kind": "box", "center": list(center), "core": list(core), "edge": edge}}]}


def reach_sphere(center: tuple[float, float, float], core: float, edge: float = 0.0) -> dict[str, Any]:
    return {"layers": [{"shape": {"kind": "sphere", "center": list(center), "core": core, "edge": edge}}]}


def shot(*bodies: dict[str, Any], frames: int = 24, fields: tuple[dict[str, Any], ...] = (), **more: Any) -> Shot:
    ground = {"on": True, "height": 0.0, "friction": 0.6, "bounce": 0.0} | more.pop("ground", {})
    return parse(
        {
            "bodies": list(bodies),
            "fields": list(fields),
            "timing": {"fps": 24, "frames": frames} | more.pop("timing", {}),
            "ground": ground,
            **more,
        }
    )


def run(*bodies: dict[str, Any], **more: Any) -> Baked:
    return bake(shot(*bodies, **more))


def pillar(**more: Any) -> dict[str, Any]:
    """A pillar of 24 bonded pieces, 3 m high."""
    return box(
        "pillar",
        (0, 1.5, 0),
        (0.8, 3, 0.8),
        pattern={"kind": "cells", "count": 24, "seed": 4},
        bonds={"strength": 1000, "unit": "kN"},
        **more,
    )


def footing(**more: Any) -> dict[str, Any]:
    """An anchor that holds the pillar's foot."""
    return {"name": "footing", "effect": {"kind": "anchor"}, "reach": reach_box((0, 0, 0), (2, 1.0, 2)), **more}


def blow(
    load: float, center: tuple[float, float, float] = (0, 1.5, 0), core: float = 1.0, time: float = 0.5, **more: Any
) -> dict[str, Any]:
    return {
        "name": "blow",
        "effect": {"kind": "strain", "load": load},
        "reach": reach_sphere(center, core),
        "cue": {"kind": "at", "time": time},
        **more,
    }
