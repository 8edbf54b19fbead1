"""The curve between core and edge, and how layers are laid over each other."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from ..arrays import Array

NAMED: dict[str, Callable[[Array], Array]] = {
    "linear": lambda t: 1.0 - t,
    "smooth": lambda t: 1.0 - t * t * (3.0 - 2.0 * t),
    "sharp": lambda t: (1.0 - t) ** 2,
    "round": lambda t: np.sqrt(np.maximum(0.0, 1.0 - t * t)),
}


def profile_value(profile: str | list[tuple[float, float]], place: Array) -> Array:
    """Value (n,) at places (n,) across the edge; points are joined by a monotone cubic (Fritsch and Carlson 1980)."""
    if isinstance(profile, str):
        return NAMED[profile](place)
    from scipy.interpolate import PchipInterpolator

    where, values = np.array(profile, dtype=np.float64).T
    return np.clip(PchipInterpolator(where, values)(np.clip(place, where[0], where[-1])), 0.0, 1.0)


def _overlay(a: Array, b: Array) -> Array:
    return np.where(a < 0.5, 2 * a * b, 1 - 2 * (1 - a) * (1 - b))


BLEND: dict[str, Callable[[Array, Array], Array]] = {
    "normal": lambda a, b: b,
    "max": np.maximum,
    "min": np.minimum,
    "add": lambda a, b: a + b,
    "subtract": lambda a, b: a - b,
    "multiply": lambda a, b: a * b,
    "screen": lambda a, b: a + b - a * b,
    "overlay": _overlay,
}
"""Of what lies beneath (a) and the layer (b); W3C Compositing and Blending, level 1."""
