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

from ...arrays import Array, lengths
from .polytope import core_of, empty_solid, first_of_each, solid_of

ROUNDING = 0.01
"""Rounding radius as a share of the hull's size (cube root of its volume)."""

MOST_BLUNT = 0.005, 0.006
"""The rounding is made smaller where it would take more than this off a sharp corner: [m], and as a share of the hull's
size.
"""

MANY_TO_KEEP, MOST_CORNERS = 64, 128
"""A hull with more corners than the first is replaced by that of fewer of them, at most the second."""

CORNERS_WITHIN = 0.003
"""What is left out of it reaches no further beyond it than by this share of its size, where that many corners do."""

FIRST_DIRECTIONS = 40
"""They begin with the extreme points in this many directions."""

FLAT_WITHIN = (2e-6, 2e-5, 1e-4)
"""Points this near to a face count as on it, as a share of the hull's size: tried one after another, since meshes come
rounded.
"""
MANY_CORNERS = 30
"""From so many corners on, looser tries cost more than the general way."""
FEW_POINTS = 128
"""Up to so many are compared each with each."""


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


def most_blunt(size: float) -> float:
    """How much rounding may take off a corner of a hull of this size [m]."""
    return min(MOST_BLUNT[0], MOST_BLUNT[1] * size)


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


def convex_core(points: Array) -> Hull:
    """The core of the convex hull of (n, 3) points.

    Raises ValueError where the points span no volume.
    """
    few = np.ascontiguousarray(points[_first_of_each(points)], float)
    if len(few) > FIRST_DIRECTIONS:
        few = _fewer(few)
    if 4 <= len(few) <= MANY_TO_KEEP:
        for flat in FLAT_WITHIN if len(few) < MANY_CORNERS else FLAT_WITHIN[:1]:
            made = _small_core(few, flat * float(np.ptp(few, axis=0).max()))
            if made is not None:
                return made
    return general_core(few)


def _first_of_each(points: Array) -> list[int]:
    """Which of points (n, 3) are the first in their place, to a ten-millionth of how far away they are."""
    step = 1e-7 * max(float(np.abs(points).max(initial=0.0)), 1e-300)
    if len(points) <= FEW_POINTS:
        first = np.empty(len(points), np.int64)
        return first[: first_of_each(np.ascontiguousarray(points, float), step, first)].tolist()
    places = np.round(points / step) + 0.0  # no -0
    seen: dict[bytes, int] = {}
    for k, place in enumerate(places):
        seen.setdefault(place.tobytes(), k)
    return list(seen.values())


def _fewer(points: Array) -> Array:
    """The corners of the hull of (n, 3) points; where there are too many, so few of them that what is left out hardly
    reaches beyond their own hull: again and again those that reach furthest beyond each of its faces are added.
    """
    try:
        hull = ConvexHull(points)
    except (QhullError, ValueError) as exc:
        raise ValueError("the points span no volume") from exc
    corners = points[hull.vertices]
    if len(corners) <= MANY_TO_KEEP:
        return corners
    within = CORNERS_WITHIN * hull.volume ** (1 / 3)
    chosen = np.unique(np.argmax(corners @ _directions(FIRST_DIRECTIONS).T, axis=0))
    while len(chosen) < MOST_CORNERS:
        planes = ConvexHull(corners[chosen]).equations
        beyond = corners @ planes[:, :3].T + planes[:, 3]
        beyond[chosen] = 0.0
        furthest = np.unique(np.argmax(beyond, axis=0))
        reach = beyond[furthest].max(axis=1)
        more = furthest[np.argsort(-reach, kind="stable")][: MOST_CORNERS - len(chosen)]
        more = more[beyond[more].max(axis=1) > within]
        if not len(more):
            break
        chosen = np.sort(np.append(chosen, more))
    return corners[chosen]


def _small_core(points: Array, tol: float) -> Hull | None:
    """``general_core`` of few points, by enumeration; None where that finds no closed solid with a good core. tol:
    points nearer than this to a face lie on it [m]
    """
    solid, span = empty_solid(), float(np.ptp(points, axis=0).max())
    count, n, whole = solid_of(points, tol, span, solid)
    if n == 0:
        return None
    planes, outer, size = solid.planes[:count], solid.corners[:n].copy(), whole ** (1 / 3)
    inside = -(planes[:, :3] @ outer.mean(axis=0) + planes[:, 3])
    full = min(ROUNDING * size, 0.3 * float(inside.min()))
    n, radius = core_of(outer, count, whole, full, tol, most_blunt(size), solid)
    if n == 0:
        return None
    ring, begins = solid.ring[: solid.start[count]].copy(), solid.start[: count + 1].tolist()
    use = [f for f in range(count) if begins[f + 1] - begins[f] >= 3]
    return Hull(solid.corners[:n].copy(), planes[use, :3], [ring[begins[f] : begins[f + 1]] for f in use], radius)


def general_core(points: Array, share: float = 1.0) -> Hull:
    """``convex_core`` of points of which all are corners."""
    try:
        hull = ConvexHull(points)
    except (QhullError, ValueError) as exc:
        raise ValueError("the points span no volume") from exc
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
            blunt = float(np.min(lengths(corners[:, None] - core.points[core.vertices][None]), axis=1).max()) - radius
            limit = most_blunt(hull.volume ** (1 / 3))
            if len(core.vertices) > MOST_CORNERS:
                return _drawn_in(hull, radius, limit)
            if blunt > limit and share > 0.02:  # the loss grows in proportion to the radius
                return general_core(points, share * max(0.02, 0.95 * limit / blunt))
            if core.volume > 0.5 * hull.volume:
                return _rings(core, radius)
        except (QhullError, ValueError):
            pass  # a sliver whose faces pass each other when moved: shrink towards the middle instead
    return _rings(ConvexHull(middle + (corners - middle) * (1 - radius / max(float(inside.max()), 1e-300))), radius)


def _drawn_in(hull: ConvexHull, radius: float, limit: float) -> Hull:
    """A core with as many corners as the hull, where faces moved inwards meet in many more: each corner is moved along
    the mean of its faces' normals until it is deep enough for all of them; faces then lie a little deeper.

    radius : at most, and such that corners move by no more than it and a limit [m]
    """
    normal, at = hull.equations[:, :3], hull.points[hull.simplices]
    side = np.roll(at, -1, axis=1) - at
    side /= lengths(side)[:, :, None]
    angle = np.arccos(np.clip(-(side * np.roll(side, 1, axis=1)).sum(axis=2), -1.0, 1.0))
    mean = np.zeros_like(hull.points)
    np.add.at(mean, hull.simplices, angle[:, :, None] * normal[:, None, :])
    mean /= np.maximum(lengths(mean), 1e-300)[:, None]
    steep = np.full(len(mean), 1.0)
    np.minimum.at(steep, hull.simplices, (mean[hull.simplices] * normal[:, None, :]).sum(axis=2))
    steep = np.maximum(steep, 1e-3)
    radius = min(radius, limit / max(1.0 / float(steep.min()) - 1.0, 1e-300))
    own = hull.vertices
    return _rings(ConvexHull(hull.points[own] - radius * (mean[own] / steep[own, None])), radius)


def _rings(hull: ConvexHull, radius: float) -> Hull:
    """Merge the triangles of a hull into flat faces with ordered corners."""
    corners = hull.points[hull.vertices]
    order = np.full(len(hull.points), -1)
    order[hull.vertices] = np.arange(len(hull.vertices))
    normals: list[Array] = []
    rings: list[np.ndarray] = []
    tri_n = hull.equations[:, :3]
    together = tri_n @ tri_n.T > 1 - 1e-6
    own = order[hull.simplices]
    left = np.ones(len(tri_n), bool)
    for t in range(len(tri_n)):
        if not left[t]:
            continue
        same = left & together[t]
        left &= ~same
        ids = np.array(sorted(set(own[same].ravel().tolist())))
        n = tri_n[t]
        flat = corners[ids]
        flat = flat - flat.sum(axis=0) / len(ids)
        u = flat[0] - n * (flat[0] @ n)
        v = np.array([n[1] * u[2] - n[2] * u[1], n[2] * u[0] - n[0] * u[2], n[0] * u[1] - n[1] * u[0]])
        normals.append(n)
        rings.append(ids[np.argsort(np.arctan2(flat @ v, flat @ u), kind="stable")])
    return Hull(np.ascontiguousarray(corners), np.array(normals), rings, radius)
