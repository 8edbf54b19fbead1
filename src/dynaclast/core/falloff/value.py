"""The value and the colour of a falloff at points."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, cast

import numpy as np

from ..arrays import Array, lengths
from ..document import Falloff, Layer, Stack
from ..errors import InputError
from ..geometry.rotations import rotation_matrix
from .compose import ComposedLayers
from .context import NOW, EvaluationContext
from .formula import formula
from .profile import BLEND
from .sources import REMEMBERS, near_mesh, near_pieces, painted, picture, sound

GIVES: dict[str, Callable[..., Array]] = {"mesh": near_mesh, "pieces": near_pieces, "image": picture, "sound": sound}
NEEDS_BENEATH = ("expression", "painted", *REMEMBERS)


def layers_of(falloff: Stack, context: EvaluationContext) -> Stack:
    """The falloff itself, or the shared one it is."""
    own = vars(falloff)  # to ask a model for what it has not takes longer than all the rest
    given = own.get("given")
    if given is not None:
        return cast(Stack, given)
    name = own.get("use")
    if name is None:
        return falloff
    if name not in context.shared:
        raise InputError(f"there is no falloff named '{name}' here", where=name)
    return context.shared[name]


def value(falloff: Stack, points: Array, context: EvaluationContext = NOW) -> Array:
    """Values (n,) in [0, 1] at points (n, 3) [m], in the world, or of a body's own falloff in its frame."""
    points = np.ascontiguousarray(points, dtype=np.float64).reshape(-1, 3)
    stands: Any = vars(falloff).get("stands")
    if stands is not None:
        points = points @ rotation_matrix(stands.rotation).T + np.asarray(stands.position)
    stack = layers_of(falloff, context)
    out = np.zeros(len(points))
    run: list[tuple[int, Layer]] = []
    for k, layer in enumerate(stack.layers):
        if layer.shape.kind in NEEDS_BENEATH:
            _compose_run(run, points, context, stack, out)
            run = []
        run.append((k, layer))
    _compose_run(run, points, context, stack, out)
    whole = falloff.strength * (stack.strength if stack is not falloff else 1.0)
    if whole != 1.0:
        out *= whole
    _limit(out, *stack.limits)
    if stack is not falloff:
        _limit(out, *falloff.limits)
    return out


def _limit(out: Array, least: float, most: float) -> None:
    np.minimum(np.maximum(out, least, out=out), most, out=out)  # a third of the time of ``np.clip`` where few are asked


def _compose_run(
    run: list[tuple[int, Layer]], points: Array, context: EvaluationContext, stack: Stack, out: Array
) -> None:
    """Lay some layers over what is in out; only the first of them may ask for what lies beneath."""
    if not run or not len(points):
        return
    layers = [layer for _, layer in run]
    composed = _composed(layers, [_place(layer, context) for layer in layers], context.time, stack)
    given = np.zeros((len(run), len(points) if len(composed.asked) else 0))
    for row in composed.asked:
        k, layer = run[row]
        shape = layer.shape
        if shape.kind == "expression":
            given[row] = formula(shape.text, names_at(points, out, stack, context, shape.seed), len(points))
        elif shape.kind == "painted":
            given[row] = painted(shape, out, points)
        elif shape.kind in REMEMBERS:
            given[row] = REMEMBERS[shape.kind](shape, out.copy(), context, k)
        else:
            given[row] = GIVES[shape.kind](shape, points, context)
    composed.compose(points, given, out)


def _composed(
    layers: list[Layer], places: list[tuple[Array, Array] | None], time: float, stack: Stack
) -> ComposedLayers:
    """The layers as the kernel reads them; kept with their stack while nothing in them rides or is keyed
    (timeline.channels.Keyed drops what is kept).
    """
    if any(place is not None for place in places):
        return ComposedLayers(layers, places, time)
    key = tuple(map(id, layers))
    known = stack._kept.get(key)
    if known is None or any(a is not b for a, b in zip(known[0], layers, strict=True)):
        known = stack._kept[key] = (layers, ComposedLayers(layers, places, time))
    known[1].at(time)
    return known[1]


def _place(layer: Layer, context: EvaluationContext) -> tuple[Array, Array] | None:
    """Where a shape that rides has got to, and its body's turn as a matrix."""
    shape: Any = layer.shape
    body = vars(shape).get("ride")
    if body is None or context.world is None:
        return None
    point, turn = context.world.carried(body, np.asarray(shape.center, float))
    return point, rotation_matrix(turn)


def names_at(
    points: Array, beneath: Array, stack: Stack, context: EvaluationContext, seed: int
) -> dict[str, Array | np.float64]:
    """What the names of an expression stand for at points."""
    away = points - origin(stack, context)
    distance = lengths(away)
    unit = away / np.where(distance > 0, distance, 1.0)[:, None]
    return {
        "value": beneath.copy(),
        "x": points[:, 0],
        "y": points[:, 1],
        "z": points[:, 2],
        "distance": distance,
        "nx": unit[:, 0],
        "ny": unit[:, 1],
        "nz": unit[:, 2],
        "time": np.float64(context.time),
        "frame": np.float64(context.time * context.fps),
        "seed": np.float64(seed),
        "pi": np.float64(np.pi),
    }


def origin(falloff: Stack, context: EvaluationContext = NOW) -> Array:
    """The point a radial effect works from: the middle of the first layer that has one (3,)."""
    for layer in layers_of(falloff, context).layers:
        if hasattr(layer.shape, "center"):
            place = _place(layer, context)
            return place[0] if place is not None else np.asarray(layer.shape.center, dtype=np.float64)
        if layer.shape.kind in ("mesh", "pieces") and context.world is not None:
            middle, _ = context.world.pieces(layer.shape.body)
            return middle.mean(axis=0) if len(middle) else np.zeros(3)
    return np.zeros(3)


def tinted(falloff: Stack, context: EvaluationContext = NOW) -> bool:
    """Whether any layer has a colour of its own."""
    return any(layer.color is not None for layer in layers_of(falloff, context).layers)


def color(falloff: Stack, points: Array, context: EvaluationContext = NOW) -> Array:
    """Colours (n, 3) in [0, 1]: each layer's own laid over those beneath, by its value; black where no layer has one.
    Layers that remember do so apart from those of ``value``, so that both may be asked in one context.
    """
    points = np.ascontiguousarray(points, dtype=np.float64).reshape(-1, 3)
    stack = layers_of(falloff, context)
    out = np.zeros((len(points), 3))
    for k, layer in enumerate(stack.layers):
        if layer.color is None:
            continue
        own = np.array([int(layer.color[i : i + 2], 16) / 255.0 for i in (1, 3, 5)])
        alone = (
            Falloff(layers=[layer.model_copy(update={"blend": "normal", "opacity": 1.0})])
            if layer.shape.kind not in NEEDS_BENEATH
            else Falloff(layers=list(stack.layers[: k + 1]))
        )
        cover = layer.color_opacity * value(alone, points, context._replace(key=f"{context.key}:tint{k}"))
        mixed = np.clip(BLEND[layer.color_blend](out, own[None]), 0.0, 1.0)
        out = out + cover[:, None] * (mixed - out)
    return out
