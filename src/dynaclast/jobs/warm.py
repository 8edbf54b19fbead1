"""Compile or load all kernels once, by a tiny shot that uses each of them."""

from __future__ import annotations

import os
import time
import traceback
from collections.abc import Callable
from typing import Any

from ..core.bake import bake
from ..core.document import Falloff, Shot, parse
from ..core.falloff import EvaluationContext, value
from ..core.kernels import Kernel, rehearse
from ..core.solve.coupled import run_coupled_interval
from ..core.solve.deformable.assembly import hold_back
from ..core.solve.deformable.momentum import keep_momentum
from ..core.solve.deformable.step import go_on, step_deformables
from ..core.solve.interval import STAGE, UNTIL, run_interval
from ..core.solve.rigid.broad_phase import find_pairs, update_shapes
from ..core.solve.rigid.constraints import build_constraints
from ..core.solve.rigid.contact_cache import match_cache
from ..core.solve.rigid.detection import Span, find_contacts
from ..core.solve.rigid.redetection import prepare_redetection
from ..core.solve.substeps import run_substeps
from .loaded import keep_for_good

LAYERS = [{"shape": {"kind": "noise"}}, {"shape": {"kind": "mesh", "body": "floor", "edge": 9}, "blend": "max"}]


def _shot() -> Shot:
    """Small, with something of everything."""
    return parse(
        {
            "name": "warm-up",
            "timing": {"frames": 14},
            "bodies": [
                {
                    "name": "wall",
                    "shape": {"kind": "box", "size": [2, 2, 0.4]},
                    "place": {"position": [0, 1.0, 0]},
                    "pattern": {"kind": "cells", "count": 24, "seed": 3},
                    "bonds": {"strength": 50},
                    "load_path": "fail",
                },
                {
                    "name": "ball",
                    "shape": {"kind": "sphere", "radius": 0.3},
                    "place": {"position": [0, 1, -0.7]},
                    "velocity": [0, 0, 12],
                },
                {
                    "name": "floor",
                    "role": "passive",
                    "shape": {"kind": "tube", "radius": 4, "wall": 1, "height": 0.2},
                    "place": {"position": [0, -0.2, 0]},
                },
                {
                    "name": "shelf",
                    "role": "passive",
                    "collision": "exact",
                    "shape": {"kind": "box", "size": [1, 0.2, 1]},
                    "place": {"position": [3, 0.6, 0]},
                },
                {
                    "name": "swing",
                    "shape": {"kind": "box", "size": [0.4, 0.4, 0.4]},
                    "place": {"position": [3, 1.0, 0]},
                },
                {
                    "name": "sweeper",
                    "role": "animated",
                    "shape": {"kind": "box", "size": [0.3, 0.3, 0.3]},
                    "place": {"position": [3, 1.2, 1]},
                    "velocity": [0, 0, -1],
                },
                {
                    "name": "ram",
                    "role": "animated",
                    "shape": {"kind": "box", "size": [0.3, 0.3, 0.3]},
                    "place": {"position": [-0.6, 1.5, 0.5]},
                    "velocity": [0, 0, -1],
                },
                {
                    "name": "waits",
                    "shape": {"kind": "box", "size": [0.1, 0.1, 0.1]},
                    "place": {"position": [3, 1.3, 0.7]},
                    "release": {"kind": "touch"},
                },
            ],
            "ties": [{"name": "hinge", "how": {"kind": "hinge"}, "body": "swing", "point": [3, 1.2, 0]}],
            "fields": [
                {
                    "name": "hold",
                    "effect": {"kind": "anchor"},
                    "reach": {"layers": [{"shape": {"kind": "box", "core": [3, 0.4, 3]}}]},
                },
                {
                    "name": "blow",
                    "effect": {"kind": "strain", "load": 80, "burst": 1},
                    "cue": {"time": 0.1},
                    "reach": {"layers": [{"shape": {"kind": "sphere", "center": [0, 1.5, 0], "core": 1}}]},
                },
                {
                    "name": "gale",
                    "effect": {"kind": "wind", "gusts": 0.2},
                    "targets": ["swing"],
                    "reach": {"layers": LAYERS},
                },
                {
                    "name": "stir",
                    "effect": {"kind": "turbulence"},
                    "targets": ["swing"],
                    "reach": {"layers": [{"shape": {"kind": "pieces", "body": "ball"}}]},
                },
            ],
        }
    )


def _first_touch() -> Shot:
    """Two bonded halves that a blow parts, and a box that meets them: a frame of it calls most kernels once."""
    return parse(
        {
            "name": "first touch",
            "timing": {"frames": 2},
            "bodies": [
                {
                    "name": "halves",
                    "shape": {"kind": "box", "size": [2, 1, 1]},
                    "place": {"position": [0, 0.5, 0]},
                    "pattern": {"kind": "cells", "count": 2, "seed": 3},
                    "bonds": {"strength": 50},
                    "load_path": "fail",
                },
                {
                    "name": "box",
                    "shape": {"kind": "box", "size": [1, 1, 1]},
                    "place": {"position": [0, 1.52, 0]},
                    "velocity": [0, -2, 0],
                },
            ],
            "ties": [{"name": "hinge", "how": {"kind": "hinge"}, "body": "box", "point": [0, 2.02, 0]}],
            "fields": [
                {
                    "name": "blow",
                    "effect": {"kind": "strain", "load": 1e6, "burst": 1},
                    "cue": {"time": 0.03},
                    "reach": {"layers": [{"shape": {"kind": "sphere", "center": [0, 0.5, 0], "core": 3}}]},
                },
                {
                    "name": "breeze",
                    "effect": {"kind": "wind", "shelter": 5},
                    "targets": ["box"],
                    "reach": {"layers": [{"shape": {"kind": "sphere", "core": 9}}]},
                },
            ],
        }
    )


def _deforming() -> Shot:
    """Something of everything that deforms, touching and tied."""
    everywhere = {"layers": [{"shape": {"kind": "everywhere"}}]}
    sheet = {"kind": "sheet", "size": [1, 1], "divisions": [6, 6]}
    line = {"kind": "line", "points": [[2, 1, 0], [3, 1, 0]], "segments": 4}
    held = {"layers": [{"shape": {"kind": "sphere", "center": [2, 1, 0], "core": 0.1}}]}
    return parse(
        {
            "name": "deforming",
            "timing": {"frames": 2},
            "bodies": [
                {
                    "name": "sheet",
                    "matter": {"kind": "cloth", "tear": 50},
                    "shape": sheet,
                    "place": {"position": [0, 0.62, 0]},
                    "velocity": [0, -2, 0],
                },
                {
                    "name": "block",
                    "shape": {"kind": "box", "size": [0.6, 0.6, 0.6]},
                    "place": {"position": [0, 0.3, 0]},
                },
                {
                    "name": "lump",
                    "matter": {"kind": "soft", "detail": 2},
                    "shape": {"kind": "box", "size": [0.4, 0.4, 0.4]},
                    "place": {"position": [-1, 0.2, 0]},
                    "pattern": {"kind": "slabs", "count": 2},
                    "bonds": {"strength": 500},
                },
                {"name": "line", "matter": {"kind": "rope"}, "shape": line, "pins": [{"reach": held}]},
                {"name": "weight", "shape": {"kind": "sphere", "radius": 0.1}, "place": {"position": [3.1, 1, 0]}},
            ],
            "ties": [{"name": "knot", "how": {"kind": "pin"}, "body": "line", "to": "weight", "point": [3, 1, 0]}],
            "fields": [{"name": "air", "effect": {"kind": "wind", "shelter": 5}, "reach": everywhere}],
        }
    )


def warm() -> float:
    """Returns the seconds it took."""
    began = time.monotonic()
    bake(_shot())
    keep_for_good()
    return time.monotonic() - began


def compile_all() -> None:
    """As ``warm``, but shared between two processes where nothing is compiled yet."""
    if hasattr(os, "fork"):
        _share(_tasks())
    bake(_deforming())  # what is left, and whether all goes together
    warm()


def _share(tasks: list[Callable[[], Any]]) -> None:
    """Do all tasks in two processes: each takes the next that nobody has taken."""
    taking, numbers = os.pipe()
    os.write(numbers, bytes(range(len(tasks))))
    os.close(numbers)
    other = os.fork()
    failed = 1
    try:
        while number := os.read(taking, 1):
            tasks[number[0]]()
        failed = 0
    finally:
        if other == 0:
            if failed:
                traceback.print_exc()
            os._exit(failed)
        os.close(taking)
        _, status = os.waitpid(other, 0)
    if status:
        raise RuntimeError("the other process failed, as it says above")


def _tasks() -> list[Callable[[], Any]]:
    """What can be compiled apart: first what takes longest, with a part of it for the other process, and what is laid
    into others; the intervals last.
    """
    calls = _calls(_first_touch(), run_interval) | _calls(_deforming(), run_coupled_interval)
    given = dict(zip(run_interval.arguments, calls[run_interval], strict=True))
    scratch, pairs, world = given["scratch"], given["pairs"], given["scratch"].world
    given |= {"world": world, "known": pairs, "which": pairs.entry, "span": Span(0, 0.01, 0), "out": given["points"]}
    given |= {"m": scratch.detection.matrix, "arms": scratch.arms, "inertia_at": scratch.rigid.inertia_at}
    given |= {"awake": scratch.rigid.awake, "order": scratch.order[0], "activity": scratch.activity, "axis": 0}
    given |= {"out_a": pairs.shape_a, "out_b": pairs.shape_b, "everything": 1, "first_stale": 0, "number": 0}
    given |= {"settings": given["scene"].settings, "first": 0, "last": 0, "stale": 0, "regroup": 1}
    given |= {"searched": scratch.searched, "midway": 0}
    coupled = dict(zip(run_coupled_interval.arguments, calls[run_coupled_interval], strict=True))
    scene, bodies, deformables = coupled["scene"], coupled["bodies"], coupled["deformables"]
    between, broken = coupled["solver"], coupled["tie_broken"]
    step = deformables, scene.hulls, scene.pieces, bodies, between, scene.settings, broken, 0.01, 0
    given |= {"d": deformables, "assemblies": bodies.assemblies, "hulls": scene.hulls, "count": 0, "h": 0.01}

    def calling(kernel: Kernel) -> Callable[[], None]:
        return lambda: kernel.compile_for(*calls[kernel])

    def inner(kernel: Kernel, **other: Any) -> Callable[[], None]:
        return lambda: kernel.compile_for(*((given | other)[name] for name in kernel.arguments))

    last = (run_interval, run_coupled_interval)
    return [
        lambda: step_deformables.compile_for(*step),
        inner(keep_momentum),  # what the step comes to last
        inner(hold_back),
        inner(go_on),
        inner(run_substeps, scratch=scratch.rigid),
        inner(find_contacts, scratch=scratch.detection),
        inner(build_constraints),
        inner(match_cache, found=0, count=0, hulls=given["scene"].hulls, scratch=given["pairing"]),
        inner(find_pairs),
        inner(update_shapes),
        inner(prepare_redetection),
        _fields,
        _mending,
        *(calling(kernel) for kernel in calls if kernel not in last),
        *(calling(kernel) for kernel in last),
    ]


def _calls(shot: Shot, interval: Kernel) -> dict[Kernel, tuple[Any, ...]]:
    """Kernels that Python calls in a run of the shot, and with what; without its intervals."""
    at = interval.arguments.index("numbers")

    def whole(*args: Any) -> None:  # in place of an interval: it says that it is done
        args[at][STAGE] = args[at][UNTIL]

    return rehearse(lambda: bake(shot), instead={interval: whole})


def _fields() -> None:
    """Kernels of falloffs and of what moves things, without a run."""
    import numpy as np

    from ..core.falloff.noise import curl_noise, noise
    from ..core.geometry.primitives import box
    from ..core.geometry.tree import MeshDistance

    points = np.zeros((4, 3))
    value(Falloff.model_validate({"layers": LAYERS[:1]}), points, EvaluationContext())
    curl_noise(points, 1.0, 0.0, 1)
    noise(points, 1.0, 0.0, 1)
    MeshDistance.of(box((1, 1, 1))).signed(points, 1.0)


def _mending() -> None:
    """Kernels by which a mesh is mended: two balls that cross, one with a hole, some faces the other way round."""
    import numpy as np

    from ..core.document.shapes import FillHoles, MakeSolid, Unify
    from ..core.geometry.check import diagnose
    from ..core.geometry.mesh import make
    from ..core.geometry.primitives import sphere
    from ..core.geometry.steps import apply_steps

    ball = sphere(0.5, 8)
    other = make(ball.vertices + [0.4, 0.0, 0.0], ball.faces[4:])
    faces = np.concatenate([ball.faces, other.faces + len(ball.vertices)])
    faces[::5] = faces[::5, ::-1]
    mesh = make(np.concatenate([ball.vertices, other.vertices]), faces)
    diagnose(mesh)
    apply_steps(mesh, [Unify(), FillHoles(), MakeSolid(detail=16)], lambda _, points: np.zeros(len(points)))
