"""Collision hulls: each piece as a slightly shrunken convex core with a rounding radius.

A core is the convex hull of the piece with every face moved inwards by the radius; the collision surface is the core
grown by the radius again, so faces stay exactly where they were and only edges are rounded. Shallow contact then
always finds the cores apart, where distance and direction are well defined (van den Bergen 2003, "Collision
Detection in Interactive 3D Environments"). A ball is a core of one point.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial import ConvexHull, HalfspaceIntersection, QhullError

from ...geometry.mesh import Array

ROUNDING = 0.01
"""Rounding radius as a share of the hull's size (cube root of its volume)."""

MOST_BLUNT = 0.006
"""The rounding is made smaller where it would take more than this share of the hull's size off a sharp corner."""

MOST_CORNERS = 40
"""A hull with more corners is replaced by the hull of its extreme points in this many directions."""


@dataclass(frozen=True)
class Hull:
    """One convex core.

    corners      : (n, 3) float64 [m], in the frame of the points given
    normals      : (f, 3) unit face normals, outward; rings : f rows of corner indices, counter-clockwise
    radius       : rounding [m]
    """

    corners: Array
    normals: Array
    rings: list[np.ndarray]
    radius: float


def ball(center: Array, radius: float) -> Hull:
    return Hull(np.asarray(center, float).reshape(1, 3), np.zeros((0, 3)), [], radius)


def _directions(count: int) -> Array:
    """Evenly spread unit vectors (Fibonacci sphere)."""
    k = np.arange(count) + 0.5
    y = 1 - 2 * k / count
    turn = np.pi * (1 + 5**0.5) * k
    r = np.sqrt(1 - y * y)
    return np.stack([r * np.cos(turn), y, r * np.sin(turn)], axis=1)


def _planes(hull: ConvexHull) -> Array:
    """Distinct face planes (n, 4) of a hull: normal and offset with n.x + d <= 0 inside."""
    scale = float(np.ptp(hull.points, axis=0).max())
    eq = hull.equations
    key = np.round(eq / [1e-4, 1e-4, 1e-4, 1e-5 * scale]).astype(np.int64)
    _, first = np.unique(key, axis=0, return_index=True)
    return eq[np.sort(first)]


def convex_core(points: Array, share: float = 1.0) -> Hull:
    """The core of the convex hull of (n, 3) points; share: of the full rounding.

    Raises ValueError where the points span no volume.
    """
    try:
        hull = ConvexHull(points)
    except (QhullError, ValueError) as exc:
        raise ValueError("the points span no volume") from exc
    if len(hull.vertices) > MOST_CORNERS:
        chosen = np.unique(np.argmax(points @ _directions(MOST_CORNERS).T, axis=0))
        hull = ConvexHull(points[chosen])
    planes = _planes(hull)
    corners = hull.points[hull.vertices]
    middle = corners.mean(axis=0)
    inside = -(planes[:, :3] @ middle + planes[:, 3])
    radius = share * min(ROUNDING * hull.volume ** (1 / 3), 0.3 * float(inside.min()))
    if radius > 0:
        try:
            shrunk = HalfspaceIntersection(planes + [0, 0, 0, radius], middle).intersections
            scale = float(np.ptp(corners, axis=0).max())
            _, first = np.unique(np.round(shrunk / (1e-6 * scale)).astype(np.int64), axis=0, return_index=True)
            core = ConvexHull(shrunk[np.sort(first)])
            blunt = float(np.min(np.linalg.norm(corners[:, None] - core.points[core.vertices][None], axis=2), axis=1).max()) - radius
            limit = MOST_BLUNT * hull.volume ** (1 / 3)
            if blunt > limit and share > 0.02:  # the loss grows in proportion to the radius
                return convex_core(points, share * max(0.02, 0.95 * limit / blunt))
            if core.volume > 0.5 * hull.volume:
                return _rings(core, radius)
        except (QhullError, ValueError):
            pass  # a sliver whose faces pass each other when moved: shrink towards the middle instead
    return _rings(ConvexHull(middle + (corners - middle) * (1 - radius / max(float(inside.max()), 1e-300))), radius)


def _rings(hull: ConvexHull, radius: float) -> Hull:
    """Merge the triangles of a hull into flat faces with ordered corners."""
    corners = hull.points[hull.vertices]
    order = np.full(len(hull.points), -1)
    order[hull.vertices] = np.arange(len(hull.vertices))
    normals: list[Array] = []
    rings: list[np.ndarray] = []
    tri_n = hull.equations[:, :3]
    left = np.ones(len(tri_n), bool)
    for t in range(len(tri_n)):
        if not left[t]:
            continue
        same = left & (tri_n @ tri_n[t] > 1 - 1e-6)
        left &= ~same
        ids = np.unique(order[hull.simplices[same]])
        n = tri_n[t]
        flat = corners[ids] - corners[ids].mean(axis=0)
        u = flat[0] - n * (flat[0] @ n)
        v = np.cross(n, u)
        normals.append(n)
        rings.append(ids[np.argsort(np.arctan2(flat @ v, flat @ u), kind="stable")])
    return Hull(np.ascontiguousarray(corners), np.array(normals), rings, radius)
