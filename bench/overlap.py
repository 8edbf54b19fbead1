"""How deep pieces overlap, measured by code that shares nothing with the solver: drawn corners, face normals, and where
faces alone do not part two pieces, the hull of the Minkowski difference by Qhull, whose nearest face to the origin is
the depth.
"""

from __future__ import annotations

import numpy as np
from scipy.spatial import ConvexHull, QhullError
from scipy.spatial.transform import Rotation

from dynaclast.core.document import Shot
from dynaclast.core.fracture.build import build_pieces

SEEN = 5e-4
"""Shallower overlaps are not looked at closer [m]."""


class Solids:
    """Corners and face normals of every piece from its centre of mass, opening pose."""

    def __init__(self, shot: Shot) -> None:
        self.corners: list[np.ndarray] = []
        self.normals: list[np.ndarray] = []
        for body in shot.bodies:
            pieces = build_pieces(body)
            turn = Rotation.from_quat(body.place.rotation)
            for p in range(pieces.count):
                hull = ConvexHull(turn.apply(pieces.mesh(p).vertices - pieces.center[p]))
                _, first = np.unique(np.round(hull.equations[:, :3], 4), axis=0, return_index=True)
                self.corners.append(hull.points[hull.vertices])
                self.normals.append(hull.equations[first, :3])

    def overlaps(self, position: np.ndarray, orientation: np.ndarray) -> dict[tuple[int, int], float]:
        """Depth [m] of every pair deeper than SEEN, at position (P, 3) and orientation (P, 4)."""
        turns = Rotation.from_quat(orientation).as_matrix()
        corners = [position[p] + c @ turns[p].T for p, c in enumerate(self.corners)]
        lo, hi = np.array([c.min(axis=0) for c in corners]), np.array([c.max(axis=0) for c in corners])
        out = {}
        for p in range(len(corners)):
            near = np.flatnonzero(((lo[p] <= hi[p + 1 :]) & (lo[p + 1 :] <= hi[p])).all(axis=1)) + p + 1
            for q in near:
                axes = np.concatenate([self.normals[p] @ turns[p].T, -self.normals[q] @ turns[q].T])
                deep = float(((corners[p] @ axes.T).max(axis=0) - (corners[q] @ axes.T).min(axis=0)).min())
                if deep > SEEN:
                    deep = min(deep, depth(corners[p], corners[q]))
                if deep > SEEN:
                    out[p, int(q)] = deep
        return out


def depth(a: np.ndarray, b: np.ndarray) -> float:
    """How deep the hulls of (n, 3) and (m, 3) points overlap [m]; 0 where they are apart."""
    difference = (a[:, None] - b[None]).reshape(-1, 3)
    try:
        hull = ConvexHull(difference)
    except QhullError:
        return 0.0
    return max(0.0, float(-hull.equations[:, 3].max()))
