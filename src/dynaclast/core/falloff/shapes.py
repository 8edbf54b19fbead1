"""Where a shape's core and edge lie: distance from the core's surface in units of the edge's width.

Each shape is one function from points (n, 3) to signed distance [m] from its core, found by the document's kind. The
functions here are plain; ``compose`` has the same as a kernel, and the tests hold one against the other.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from ..arrays import Array, lengths
from ..geometry.rotations import rotation_matrix

ON_BORDER = 1e-9
"""So far outside a shape without an edge [m] a point is still taken to lie on its border, and so in it: the centre of a
brick half as high as a box is known no better than numbers are rounded."""


def _local(shape: Any, points: Array) -> Array:
    return (points - np.asarray(shape.center)) @ rotation_matrix(shape.rotation)


def sphere_distance(shape: Any, points: Array) -> Array:
    return lengths(points - np.asarray(shape.center)) - shape.core


def box_distance(shape: Any, points: Array) -> Array:
    """Exact signed distance of a box (rounded outside its corners)."""
    q = np.abs(_local(shape, points)) - 0.5 * np.asarray(shape.core)
    return lengths(np.maximum(q, 0.0)) + np.minimum(q.max(axis=1), 0.0)


def plane_distance(shape: Any, points: Array) -> Array:
    n = np.asarray(shape.normal) / np.linalg.norm(shape.normal)
    return (points - np.asarray(shape.center)) @ n


def cylinder_distance(shape: Any, points: Array) -> Array:
    p = _local(shape, points)
    q = np.stack([np.hypot(p[:, 0], p[:, 2]) - shape.core, np.abs(p[:, 1]) - 0.5 * shape.height], axis=1)
    return lengths(np.maximum(q, 0.0)) + np.minimum(q.max(axis=1), 0.0)


def capsule_distance(shape: Any, points: Array) -> Array:
    p = _local(shape, points)
    along = np.clip(p[:, 1], -0.5 * shape.height, 0.5 * shape.height)
    return lengths(p - np.stack([0 * along, along, 0 * along], axis=1)) - shape.core


def cone_distance(shape: Any, points: Array) -> Array:
    """Exact distance of a solid cone in the half plane of radius and height (I. Quilez, "Distance functions")."""
    p = _local(shape, points)
    w = np.stack([np.hypot(p[:, 0], p[:, 2]), p[:, 1] - 0.5 * shape.height], axis=1)  # from the tip
    foot = np.array([shape.core, -shape.height])
    side = w - foot * np.clip(w @ foot / (foot @ foot), 0.0, 1.0)[:, None]
    base = w - np.stack([np.clip(w[:, 0], 0.0, shape.core), np.full(len(w), -shape.height)], axis=1)
    d = np.sqrt(np.minimum((side**2).sum(axis=1), (base**2).sum(axis=1)))
    inside = (w[:, 1] > -shape.height) & (w[:, 0] * shape.height < -w[:, 1] * shape.core)
    return np.where(inside, -d, d)


def torus_distance(shape: Any, points: Array) -> Array:
    p = _local(shape, points)
    return np.hypot(np.hypot(p[:, 0], p[:, 2]) - shape.ring, p[:, 1]) - shape.core


DISTANCE: dict[str, Callable[..., Array]] = {
    "sphere": sphere_distance,
    "box": box_distance,
    "plane": plane_distance,
    "cylinder": cylinder_distance,
    "capsule": capsule_distance,
    "cone": cone_distance,
    "torus": torus_distance,
}


def across_edge(shape: Any, points: Array) -> Array:
    """Place across the edge (n,): 0 in the core, 1 at and beyond the outer limit."""
    if shape.kind == "everywhere":
        return np.zeros(len(points))
    d = DISTANCE[shape.kind](shape, points)
    if shape.edge <= 0.0:
        return (d > ON_BORDER).astype(np.float64)
    return np.clip(d / shape.edge, 0.0, 1.0)
