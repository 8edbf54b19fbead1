"""Trees of boxes over triangles, and the distance to a mesh by one."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from ..arrays import Array, Index, lengths
from ..kernels import kernel
from .inside import Inside
from .mesh import TriMesh, edges_of

LEAF = 8


class Tree(NamedTuple):
    """N nodes, the first is the root: lo, hi (N, 3); child (N,) left child, the right one behind it, -1 at leaves;
    start, triangle_count (N,) the leaf's triangles in ``order`` (T,).
    """

    lo: Array
    hi: Array
    child: Index
    start: Index
    triangle_count: Index
    order: Index


def triangle_tree(corners: Array) -> Tree:
    """A tree over triangles (T, 3, 3), by halving along the longest side of their middles."""
    low, high = corners.min(axis=1), corners.max(axis=1)
    middle = 0.5 * (low + high)
    lo, hi = [low.min(axis=0)], [high.max(axis=0)]
    child, start, count = [-1], [0], [0]
    order: list[Index] = []
    filled = 0
    work = [(0, np.arange(len(corners)))]
    while work:
        node, own = work.pop()
        if len(own) <= LEAF:
            start[node], count[node] = filled, len(own)
            order.append(own.astype(np.int32))
            filled += len(own)
            continue
        axis = int(np.argmax(np.ptp(middle[own], axis=0)))
        own = own[np.argsort(middle[own, axis], kind="stable")]
        half = len(own) // 2
        child[node] = len(lo)
        for part in (own[:half], own[half:]):
            work.append((len(lo), part))
            lo.append(low[part].min(axis=0))
            hi.append(high[part].max(axis=0))
            child.append(-1)
            start.append(0)
            count.append(0)
    i4 = np.int32
    return Tree(
        np.array(lo), np.array(hi), np.array(child, i4), np.array(start, i4), np.array(count, i4), np.concatenate(order)
    )


@kernel(fastmath={"contract", "nsz", "arcp"}, inner=True)
def closest_on_triangle(px: float, py: float, pz: float, t: int, corners: Array) -> tuple[float, float, float]:
    """The point of triangle t nearest to a point (Ericson 2005, Real-Time Collision Detection, 5.1.5)."""
    ax, ay, az = corners[t, 0, 0], corners[t, 0, 1], corners[t, 0, 2]
    bx, by, bz = corners[t, 1, 0], corners[t, 1, 1], corners[t, 1, 2]
    cx, cy, cz = corners[t, 2, 0], corners[t, 2, 1], corners[t, 2, 2]
    ux, uy, uz = bx - ax, by - ay, bz - az
    vx, vy, vz = cx - ax, cy - ay, cz - az
    x, y, z = px - ax, py - ay, pz - az
    d1, d2 = ux * x + uy * y + uz * z, vx * x + vy * y + vz * z
    if d1 <= 0.0 and d2 <= 0.0:
        return ax, ay, az
    x, y, z = px - bx, py - by, pz - bz
    d3, d4 = ux * x + uy * y + uz * z, vx * x + vy * y + vz * z
    if d3 >= 0.0 and d4 <= d3:
        return bx, by, bz
    w = d1 * d4 - d3 * d2
    if w <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        s = d1 / (d1 - d3)
        return ax + s * ux, ay + s * uy, az + s * uz
    x, y, z = px - cx, py - cy, pz - cz
    d5, d6 = ux * x + uy * y + uz * z, vx * x + vy * y + vz * z
    if d6 >= 0.0 and d5 <= d6:
        return cx, cy, cz
    v = d5 * d2 - d1 * d6
    if v <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        s = d2 / (d2 - d6)
        return ax + s * vx, ay + s * vy, az + s * vz
    u = d3 * d6 - d5 * d4
    if u <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
        s = (d4 - d3) / ((d4 - d3) + (d5 - d6))
        return bx + s * (cx - bx), by + s * (cy - by), bz + s * (cz - bz)
    down = 1.0 / (u + v + w)
    s, q = v * down, w * down
    return ax + s * ux + q * vx, ay + s * uy + q * vy, az + s * uz + q * vz


@kernel(inline=True, fastmath={"contract", "nsz", "nnan"})
def _away(lo: Array, hi: Array, node: int, px: float, py: float, pz: float) -> float:
    """Squared distance of a point from a node's box."""
    x = max(max(lo[node, 0] - px, px - hi[node, 0]), 0.0)
    y = max(max(lo[node, 1] - py, py - hi[node, 1]), 0.0)
    z = max(max(lo[node, 2] - pz, pz - hi[node, 2]), 0.0)
    return x * x + y * y + z * z


@kernel(allocates=True, fastmath={"contract", "nsz", "nnan"})
def _nearest(
    points: Array, corners: Array, balls: Array, tree: Tree, most: Array, distance: Array, near: Array
) -> None:
    """Distance of points (n, 3) to the nearest triangle, ``most`` where none is nearer; near (n, 3) gets the point
    there.

    corners (T, 3, 3) in the order of the tree's leaves; balls (T, 4) round them: middle and radius, which rule most
    triangles out
    """
    stack = np.empty(128, np.int32)
    gap = np.empty(128)
    lo, hi, child = tree.lo, tree.hi, tree.child
    for i in range(len(points)):
        px, py, pz = points[i, 0], points[i, 1], points[i, 2]
        best, reach = most * most, most
        stack[0] = 0
        gap[0] = _away(lo, hi, 0, px, py, pz)
        top = 1
        while top > 0:
            top -= 1
            if gap[top] >= best:
                continue
            node = stack[top]
            left = child[node]
            if left < 0:
                for k in range(tree.start[node], tree.start[node] + tree.triangle_count[node]):
                    far = reach + balls[k, 3]
                    if (px - balls[k, 0]) ** 2 + (py - balls[k, 1]) ** 2 + (pz - balls[k, 2]) ** 2 > far * far:
                        continue
                    x, y, z = closest_on_triangle(px, py, pz, k, corners)
                    d = (px - x) ** 2 + (py - y) ** 2 + (pz - z) ** 2
                    if d < best:
                        best = d
                        reach = np.sqrt(d) * (1.0 + 1e-12)
                        near[i, 0], near[i, 1], near[i, 2] = x, y, z
                continue
            ga, gb = _away(lo, hi, left, px, py, pz), _away(lo, hi, left + 1, px, py, pz)
            first, second = (left, left + 1) if ga <= gb else (left + 1, left)
            for node, d in ((second, max(ga, gb)), (first, min(ga, gb))):
                if d < best:
                    stack[top] = node
                    gap[top] = d
                    top += 1
        distance[i] = np.sqrt(best)


def _balls(corners: Array) -> Array:
    """Middle and radius (T, 4) of balls round triangles (T, 3, 3)."""
    middle = 0.5 * (corners.min(axis=1) + corners.max(axis=1))
    radius = lengths(corners - middle[:, None]).max(axis=1) * (1.0 + 1e-12)
    return np.concatenate([middle, radius[:, None]], axis=1)


@kernel
def _fit(low: Array, high: Array, tree: Tree) -> None:
    """Boxes of a tree's nodes by those of its triangles (T, 3), in the order of its leaves."""
    for node in range(len(tree.child) - 1, -1, -1):
        left = tree.child[node]
        for k in range(3):
            lo, hi = np.inf, -np.inf
            if left >= 0:
                lo = min(tree.lo[left, k], tree.lo[left + 1, k])
                hi = max(tree.hi[left, k], tree.hi[left + 1, k])
            else:
                for t in range(tree.start[node], tree.start[node] + tree.triangle_count[node]):
                    lo, hi = min(lo, low[t, k]), max(hi, high[t, k])
            tree.lo[node, k], tree.hi[node, k] = lo, hi


@dataclass(frozen=True)
class MeshDistance:
    """A mesh ready to be asked how far points are from it."""

    mesh: TriMesh
    corners: Array
    balls: Array
    tree: Tree
    inside: Inside | None

    @staticmethod
    def of(mesh: TriMesh) -> MeshDistance:
        corners = np.ascontiguousarray(mesh.vertices[mesh.faces])
        shared = edges_of(mesh.faces).shared
        tree = triangle_tree(corners)
        corners = corners[tree.order]
        return MeshDistance(mesh, corners, _balls(corners), tree, Inside(mesh) if (shared == 2).all() else None)

    def moved(self, vertices: Array) -> MeshDistance:
        """The same triangles with their vertices (V, 3) elsewhere [m]; boxes of the tree are fitted to them."""
        mesh = TriMesh(vertices, self.mesh.faces)
        corners = vertices[mesh.faces[self.tree.order]]
        tree = self.tree._replace(lo=np.empty_like(self.tree.lo), hi=np.empty_like(self.tree.hi))
        _fit(corners.min(axis=1), corners.max(axis=1), tree)
        return MeshDistance(mesh, corners, _balls(corners), tree, None if self.inside is None else Inside(mesh))

    def distance(self, points: Array, most: float) -> Array:
        """Distance (n,) to the surface, never farther than ``most`` [m]."""
        distance, near = np.empty(len(points)), np.zeros((len(points), 3))
        _nearest(np.ascontiguousarray(points), self.corners, self.balls, self.tree, most, distance, near)
        return distance

    def signed(self, points: Array, most: float) -> Array:
        """Distance (n,) to the surface, negative inside a closed mesh; never farther than ``most`` either way [m]."""
        distance = self.distance(points, most)
        lo, hi = self.mesh.bounds()
        within = [c for k in range(3) for c in (points[:, k] >= lo[k], points[:, k] <= hi[k])]
        close = np.flatnonzero(np.logical_and.reduce(within)) if self.inside is not None else np.zeros(0, int)
        if self.inside is not None and len(close):
            distance[close[self.inside(points[close])]] *= -1.0
        return distance

    def closest(self, points: Array) -> Array:
        """The nearest points of the surface (n, 3)."""
        distance, near = np.empty(len(points)), np.zeros((len(points), 3))
        _nearest(np.ascontiguousarray(points), self.corners, self.balls, self.tree, np.inf, distance, near)
        return near
