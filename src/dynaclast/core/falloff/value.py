"""The value of a falloff at points."""

from __future__ import annotations

import numpy as np

from ..document import Falloff
from ..geometry.mesh import Array
from .profile import BLEND, profile_value
from .shapes import across_edge


def value(falloff: Falloff, points: Array) -> Array:
    """Values (n,) in [0, 1] at points (n, 3), world frame [m]."""
    points = np.asarray(points, dtype=np.float64).reshape(-1, 3)
    out = np.zeros(len(points))
    for layer in falloff.layers:
        top = profile_value(layer.profile, across_edge(layer.shape, points))
        if layer.invert:
            top = 1.0 - top
        mixed = np.clip(BLEND[layer.blend](out, top), 0.0, 1.0)
        out = out + layer.opacity * (mixed - out)
    return out


def origin(falloff: Falloff) -> Array:
    """The point a radial effect works from: the middle of the first layer's shape (3,)."""
    return np.asarray(falloff.layers[0].shape.center, dtype=np.float64)
