"""Expression layers at points."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from ..arrays import Array
from ..document.expression import Node, read
from .noise import noise


def _truth(x: Array) -> Array:
    return np.asarray(x, dtype=np.float64)


def _smooth(a: Array, b: Array, x: Array) -> Array:
    width = np.subtract(b, a)
    t = np.clip(np.divide(np.subtract(x, a), np.where(width == 0, 1e-300, width)), 0.0, 1.0)
    return t * t * (3.0 - 2.0 * t)


def _random(x: Array) -> Array:
    return noise(
        np.stack([np.floor(np.asarray(x, float)).reshape(-1), np.zeros(np.size(x)), np.zeros(np.size(x))], axis=1),
        1.0,
        0.0,
        77,
    ).reshape(np.shape(x))


def _noise3(x: Array, y: Array, z: Array) -> Array:
    x, y, z = np.broadcast_arrays(*(np.asarray(k, float) for k in (x, y, z)))
    return noise(np.stack([x.reshape(-1), y.reshape(-1), z.reshape(-1)], axis=1), 1.0, 0.0, 5).reshape(x.shape)


DOES: dict[str, Callable[..., Any]] = {
    "+": np.add,
    "-": np.subtract,
    "*": np.multiply,
    "/": np.divide,
    "%": np.mod,
    "pow": np.power,
    "negative": np.negative,
    "<": lambda a, b: _truth(a < b),
    "<=": lambda a, b: _truth(a <= b),
    ">": lambda a, b: _truth(a > b),
    ">=": lambda a, b: _truth(a >= b),
    "==": lambda a, b: _truth(np.equal(a, b)),
    "!=": lambda a, b: _truth(np.not_equal(a, b)),
    "and": lambda a, b: _truth(np.logical_and(a, b)),
    "or": lambda a, b: _truth(np.logical_or(a, b)),
    "not": lambda a: _truth(np.logical_not(a)),
    "choose": lambda c, a, b: np.where(np.not_equal(c, 0), a, b),
    "sin": np.sin,
    "cos": np.cos,
    "tan": np.tan,
    "atan2": np.arctan2,
    "sqrt": np.sqrt,
    "abs": np.abs,
    "exp": np.exp,
    "log": np.log,
    "floor": np.floor,
    "ceil": np.ceil,
    "round": np.rint,
    "sign": np.sign,
    "min": np.minimum,
    "max": np.maximum,
    "clamp": lambda x, a, b: np.minimum(np.maximum(x, a), b),
    "mix": lambda a, b, t: a + (b - a) * t,
    "step": lambda edge, x: _truth(np.greater_equal(x, edge)),
    "smooth": _smooth,
    "noise": _noise3,
    "random": _random,
}


def _work(node: Node, names: Mapping[str, Array | np.float64]) -> Array | np.float64:
    if node.what == "number":
        return np.asarray(node.args[0], np.float64)[()]
    if node.what == "name":
        return names[node.args[0]]
    return DOES[node.what](*(_work(a, names) for a in node.args))


def _worked_out(text: str, names: Mapping[str, Array | np.float64], count: int) -> Array:
    with np.errstate(all="ignore"):
        return np.broadcast_to(np.asarray(_work(read(text), names), float), (count,))


def formula(text: str, names: Mapping[str, Array | np.float64], count: int) -> Array:
    """Values (n,) of an expression; what is no number (a root of a negative, 0 / 0) counts as 0, what is endless as 0
    or 1.
    """
    return np.clip(np.nan_to_num(_worked_out(text, names, count), nan=0.0, posinf=1.0, neginf=0.0), 0.0, 1.0)


def is_number(text: str, names: Mapping[str, Array | np.float64], count: int) -> bool:
    """Whether an expression is a number at any of the points."""
    return not bool(np.isnan(_worked_out(text, names, count)).all())
