"""Compile or load all kernels once, by a tiny shot that uses each of them."""

from __future__ import annotations

import os
import time
from typing import Any

from ..core.bake import bake
from ..core.document import Falloff, Shot, parse
from ..core.falloff import Moment, value
from ..core.solve import touching
from ..core.solve.rigid.again import make_ready
from ..core.solve.rigid.sweep import solve_interval

LAYERS = [{"shape": {"kind": "noise"}}, {"shape": {"kind": "mesh", "body": "floor", "edge": 9}, "blend": "max"}]


def _shot(fields: bool) -> Shot:
    """The tiny shot; without fields that move things, where these are compiled elsewhere."""
    moving = [
        {"name": "gale", "effect": {"kind": "wind", "gusts": 0.2}, "targets": ["swing"], "reach": {"layers": LAYERS}},
        {"name": "stir", "effect": {"kind": "turbulence"}, "targets": ["swing"], "reach": {"layers": [{"shape": {"kind": "pieces", "body": "ball"}}]}},
    ]
    return parse({
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
            *(moving if fields else []),
        ],
    })


def warm() -> float:
    """Returns the seconds it took."""
    began = time.monotonic()
    bake(_shot(True))
    return time.monotonic() - began


class _Enough(Exception):
    """This process has compiled its share."""


def compile_all() -> None:
    """As ``warm``, but shared between two processes at a time where nothing is compiled yet: first one takes the kernels of fields beside those of
    breaking; then both run the tiny shot, and from the first contact on one takes the kernels that find contacts and what comes after the
    solver, the other the solver."""
    if not hasattr(os, "fork"):
        warm()
        return
    fields = os.fork()
    if not fields:
        try:
            _fields()
        finally:
            os._exit(0)
    real = {name: getattr(touching, name) for name in ("find_contacts", "build_rows", "run_interval")}
    other = -1

    def find(*args: Any) -> int:
        nonlocal other
        if other < 0:
            other = os.fork()
            if other == 0:
                touching.build_rows, touching.run_interval = lambda *_: (0, 0), ready
                real["find_contacts"](*args)
        return 0  # nothing touches anything

    def ready(*args: Any) -> tuple[int, int]:
        given = dict(zip(real["run_interval"].py_func.__code__.co_varnames, args, strict=False))
        none = given["again"][:0], given["which"][:0]
        make_ready(
            given["rows"], given["near"], none[0], *(given[x] for x in ("hulls", "pieces", "piece_asm", "asm", "con", "stamp", "wverts", "wnormals", "wcenter", "inv_mass", "inv_inertia", "turn")), none[1],
        )
        return 0, 0

    def solve(*args: Any) -> None:
        given = dict(zip(real["run_interval"].py_func.__code__.co_varnames, args, strict=False))
        solve_interval(*(given.get(x, 0) for x in solve_interval.py_func.__code__.co_varnames[: solve_interval.py_func.__code__.co_argcount]))
        raise _Enough

    touching.find_contacts, touching.run_interval = find, solve
    try:
        bake(_shot(False))
    except _Enough:
        pass
    finally:
        if other == 0:
            os._exit(0)
        for name, kernel in real.items():
            setattr(touching, name, kernel)
        os.waitpid(fields, 0)
        if other > 0:
            os.waitpid(other, 0)
    warm()  # what is left, and whether all goes together


def _fields() -> None:
    """Kernels of falloffs and of what moves things, without a run."""
    import numpy as np

    from ..core.falloff.noise import curl_noise, noise
    from ..core.geometry.primitives import box
    from ..core.geometry.tree import MeshDistance

    points = np.zeros((4, 3))
    value(Falloff.model_validate({"layers": LAYERS[:1]}), points, Moment())
    curl_noise(points, 1.0, 0.0, 1)
    noise(points, 1.0, 0.0, 1)
    MeshDistance.of(box((1, 1, 1))).signed(points, 1.0)
