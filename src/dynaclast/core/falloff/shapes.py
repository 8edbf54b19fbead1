"""Where a shape's core and edge lie: distance from the core's surface in units of the edge's width.

Each shape is one function from points (n, 3) to signed distance [m] from its core, found by the document's kind.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from ..document import BoxReach, PlaneReach, SphereReach
from ..geometry.mesh import Array, rotation_matrix


def sphere_distance(shape: SphereReach, points: Array) -> Array:
    return np.linalg.norm(points - np.asarray(shape.center), axis=1) - shape.core


def box_distance(shape: BoxReach, points: Array) -> Array:
    """Exact signed distance of a box (rounded outside its corners)."""
    local = (points - np.asarray(shape.center)) @ rotation_matrix(shape.rotation)
    q = np.abs(local) - 0.5 * np.asarray(shape.core)
    outside = np.linalg.norm(np.maximum(q, 0.0), axis=1)
    return outside + np.minimum(q.max(axis=1), 0.0)


def plane_distance(shape: PlaneReach, points: Array) -> Array:
    n = np.asarray(shape.normal) / np.linalg.norm(shape.normal)
    return (points - np.asarray(shape.center)) @ n


DISTANCE: dict[str, Callable[..., Array]] = {"sphere": sphere_distance, "box": box_distance, "plane": plane_distance}


def across_edge(shape: SphereReach | BoxReach | PlaneReach, points: Array) -> Array:
    """Place across the edge (n,): 0 in the core, 1 at and beyond the outer limit."""
    d = DISTANCE[shape.kind](shape, points)
    if shape.edge <= 0.0:
        return (d > 0.0).astype(np.float64)
    return np.clip(d / shape.edge, 0.0, 1.0)
