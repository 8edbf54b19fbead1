"""How deep two hulls overlap, by separating axes (Gottschalk 1996)."""

from __future__ import annotations

import numpy as np

from ...arrays import Array, lengths
from .hulls import Hull


def _edges(hull: Hull) -> Array:
    """Distinct directions of a core's edges (e, 3), unit."""
    ends = np.concatenate([np.stack([ring, np.roll(ring, -1)], axis=1) for ring in hull.rings])
    d = hull.corners[ends[:, 1]] - hull.corners[ends[:, 0]]
    length = lengths(d)
    d = d[length > 0] / length[length > 0, None]
    d *= np.where(d[:, :1] != 0, np.sign(d[:, :1]), np.where(d[:, 1:2] != 0, np.sign(d[:, 1:2]), 1.0))
    return np.unique(d.round(6), axis=0)


def penetration(a: Hull, b: Hull) -> float:
    """How far hull a must move to leave hull b [m]; 0 where they are apart.

    The least overlap over face normals of both and products of their edges (Gottschalk 1996, separating axes). Balls
    add the directions from their middle to the other's corners.
    """
    both = a.radius + b.radius
    axes = [x.normals for x in (a, b) if len(x.normals)]
    for ball, other in ((a, b), (b, a)):
        if len(ball.corners) == 1:
            axes.append(other.corners - ball.corners[0])
    best = _least(np.concatenate(axes), a.corners, b.corners) + both
    if best <= 0 or not len(a.normals) or not len(b.normals):
        return max(0.0, best)
    crossed = np.cross(_edges(a)[:, None], _edges(b)[None]).reshape(-1, 3)
    return max(0.0, min(best, _least(crossed, a.corners, b.corners) + both))


def deeper_than(most: float, a: Hull, b: Hull) -> bool:
    """Whether two hulls overlap by more than so much [m]; mostly told by their face normals alone."""
    axes = np.concatenate([a.normals, b.normals])
    if len(axes) and _least(axes, a.corners, b.corners) + a.radius + b.radius <= most:
        return False
    return penetration(a, b) > most


def _least(axes: Array, a: Array, b: Array) -> float:
    """Least overlap of two point sets over directions (n, 3) and their opposites."""
    length = lengths(axes)
    axes = axes[length > 1e-9] / length[length > 1e-9, None]
    if not len(axes):
        return np.inf
    pa, pb = a @ axes.T, b @ axes.T
    return float(np.minimum(pa.max(axis=0) - pb.min(axis=0), pb.max(axis=0) - pa.min(axis=0)).min())
