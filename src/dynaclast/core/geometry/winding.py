"""Winding numbers of a mesh, open ones included: how often it goes round a point (Jacobson et al. 2013, doi
10.1145/2461912.2461916, with the solid angle of Van Oosterom and Strackee 1983).

``WindingTree`` asks far parts of the surface as one dipole each (Barill et al. 2018, doi 10.1145/3197517.3201337, of
first order), so that a million triangles can be asked at a hundred thousand points.
"""

from __future__ import annotations

import numpy as np

from ..arrays import Array, cross, lengths
from ..kernels import kernel
from .mesh import TriMesh
from .tree import Tree, triangle_tree

FAR = 3.0
"""A part is far where it is farther than so many times its radius."""


@kernel(inner=True)
def _solid_angle(px: float, py: float, pz: float, corners: Array, t: int) -> float:
    """Solid angle [sr] of triangle t seen from a point, positive where it is seen from inside."""
    ax, ay, az = corners[t, 0, 0] - px, corners[t, 0, 1] - py, corners[t, 0, 2] - pz
    bx, by, bz = corners[t, 1, 0] - px, corners[t, 1, 1] - py, corners[t, 1, 2] - pz
    cx, cy, cz = corners[t, 2, 0] - px, corners[t, 2, 1] - py, corners[t, 2, 2] - pz
    la = np.sqrt(ax * ax + ay * ay + az * az)
    lb = np.sqrt(bx * bx + by * by + bz * bz)
    lc = np.sqrt(cx * cx + cy * cy + cz * cz)
    det = ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)
    div = (
        la * lb * lc
        + (ax * bx + ay * by + az * bz) * lc
        + (bx * cx + by * cy + bz * cz) * la
        + (cx * ax + cy * ay + cz * az) * lb
    )
    return 2.0 * np.arctan2(det, div)


@kernel
def _winding(points: Array, corners: Array, out: Array) -> None:
    for p in range(len(points)):
        total = 0.0
        for t in range(len(corners)):
            total += _solid_angle(points[p, 0], points[p, 1], points[p, 2], corners, t)
        out[p] = total / (4.0 * np.pi)


def winding_number(mesh: TriMesh, points: Array) -> Array:
    """(n,) winding numbers of (n, 3) points, exactly: about 1 inside, 0 outside."""
    out = np.empty(len(points))
    _winding(np.ascontiguousarray(points), np.ascontiguousarray(mesh.vertices[mesh.faces]), out)
    return out


@kernel(allocates=True)
def _winding_by_tree(points: Array, corners: Array, tree: Tree, dipole: Array, middle: Array, out: Array) -> None:
    """As ``_winding``, with the triangles in the order of the tree's leaves.

    dipole : (N, 3) float64, [m2], sum of area times normal of a node's triangles
    middle : (N, 4) float64, [m], their middle, weighed by area, and their radius about it
    """
    stack = np.empty(128, np.int32)
    child, start, count = tree.child, tree.start, tree.triangle_count
    for p in range(len(points)):
        px, py, pz = points[p, 0], points[p, 1], points[p, 2]
        total = 0.0
        stack[0] = 0
        top = 1
        while top > 0:
            top -= 1
            node = stack[top]
            x, y, z = middle[node, 0] - px, middle[node, 1] - py, middle[node, 2] - pz
            square = x * x + y * y + z * z
            if square > (FAR * middle[node, 3]) ** 2:
                total += (x * dipole[node, 0] + y * dipole[node, 1] + z * dipole[node, 2]) / (square * np.sqrt(square))
            elif child[node] < 0:
                for t in range(start[node], start[node] + count[node]):
                    total += _solid_angle(px, py, pz, corners, t)
            else:
                stack[top] = child[node]
                stack[top + 1] = child[node] + 1
                top += 2
        out[p] = total / (4.0 * np.pi)


class WindingTree:
    """A mesh ready to be asked for winding numbers, to about a fiftieth."""

    def __init__(self, mesh: TriMesh) -> None:
        corners = np.ascontiguousarray(mesh.vertices[mesh.faces])
        self._tree = triangle_tree(corners)
        self._corners = corners[self._tree.order]
        self._dipole, self._middle = self._moments()

    def _moments(self) -> tuple[Array, Array]:
        tree, corners = self._tree, self._corners
        across = 0.5 * cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        area = lengths(across) + 1e-300
        moment = area[:, None] * corners.mean(axis=1)
        sums = np.zeros((len(tree.child), 7))
        leaf = np.flatnonzero(tree.child < 0)
        of_leaf = np.repeat(leaf, tree.triangle_count[leaf])
        place = np.concatenate([np.arange(tree.start[n], tree.start[n] + tree.triangle_count[n]) for n in leaf])
        np.add.at(sums, of_leaf, np.concatenate([across, moment, area[:, None]], axis=1)[place])
        lo, hi = tree.lo, tree.hi
        for node in range(len(tree.child) - 1, -1, -1):  # children stand behind their parents
            left = tree.child[node]
            if left >= 0:
                sums[node] = sums[left] + sums[left + 1]
        middle = sums[:, 3:6] / sums[:, 6:]
        radius = lengths(np.maximum(middle - lo, hi - middle))
        return sums[:, :3].copy(), np.concatenate([middle, radius[:, None]], axis=1)

    def __call__(self, points: Array) -> Array:
        """(n,) winding numbers of (n, 3) points."""
        out = np.empty(len(points))
        points = np.ascontiguousarray(points, dtype=np.float64)
        _winding_by_tree(points, self._corners, self._tree, self._dipole, self._middle, out)
        return out
