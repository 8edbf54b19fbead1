"""Trees of boxes over triangles, and the distance to a mesh by one."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numba
import numpy as np

from .inside import inside
from .mesh import Array, Index, TriMesh

LEAF = 4


class Tree(NamedTuple):
    """N nodes, the first is the root: lo, hi (N, 3); child (N,) left child, the right one behind it, -1 at leaves; start, count (N,)
    the leaf's triangles in ``order`` (T,)."""

    lo: Array
    hi: Array
    child: Index
    start: Index
    count: Index
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
    return Tree(np.array(lo), np.array(hi), np.array(child, i4), np.array(start, i4), np.array(count, i4), np.concatenate(order))


@numba.njit(cache=True, error_model="numpy")
def closest_on_triangle(p, a, b, c, out):
    """The point of a triangle nearest to p (Ericson 2005, Real-Time Collision Detection, 5.1.5)."""
    ab, ac, ap = b - a, c - a, p - a
    d1, d2 = ab @ ap, ac @ ap
    if d1 <= 0.0 and d2 <= 0.0:
        out[:] = a
        return
    bp = p - b
    d3, d4 = ab @ bp, ac @ bp
    if d3 >= 0.0 and d4 <= d3:
        out[:] = b
        return
    vc = d1 * d4 - d3 * d2
    if vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        out[:] = a + d1 / (d1 - d3) * ab
        return
    cp = p - c
    d5, d6 = ab @ cp, ac @ cp
    if d6 >= 0.0 and d5 <= d6:
        out[:] = c
        return
    vb = d5 * d2 - d1 * d6
    if vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        out[:] = a + d2 / (d2 - d6) * ac
        return
    va = d3 * d6 - d5 * d4
    if va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
        out[:] = b + (d4 - d3) / ((d4 - d3) + (d5 - d6)) * (c - b)
        return
    down = 1.0 / (va + vb + vc)
    out[:] = a + vb * down * ab + vc * down * ac


@numba.njit(cache=True, error_model="numpy")
def _nearest(points, corners, tree, most, distance, near):
    """Distance of points (n, 3) to the nearest triangle, ``most`` where none is nearer; near (n, 3) gets the point there."""
    stack = np.empty(128, np.int32)
    gap = np.empty(128)
    q = np.empty(3)
    for i in range(len(points)):
        p = points[i]
        best = most * most
        top = 0
        stack[0] = 0
        gap[0] = 0.0
        top = 1
        while top > 0:
            top -= 1
            if gap[top] >= best:
                continue
            node = stack[top]
            left = tree.child[node]
            if left < 0:
                for k in range(tree.start[node], tree.start[node] + tree.count[node]):
                    t = tree.order[k]
                    closest_on_triangle(p, corners[t, 0], corners[t, 1], corners[t, 2], q)
                    d = (p[0] - q[0]) ** 2 + (p[1] - q[1]) ** 2 + (p[2] - q[2]) ** 2
                    if d < best:
                        best = d
                        near[i] = q
                continue
            ga, gb = 0.0, 0.0
            for k in range(3):
                da = max(max(tree.lo[left, k] - p[k], p[k] - tree.hi[left, k]), 0.0)
                db = max(max(tree.lo[left + 1, k] - p[k], p[k] - tree.hi[left + 1, k]), 0.0)
                ga += da * da
                gb += db * db
            first, second = (left, left + 1) if ga <= gb else (left + 1, left)
            if max(ga, gb) < best:
                stack[top] = second
                gap[top] = max(ga, gb)
                top += 1
            if min(ga, gb) < best:
                stack[top] = first
                gap[top] = min(ga, gb)
                top += 1
        distance[i] = np.sqrt(best)


@dataclass(frozen=True)
class MeshDistance:
    """A mesh ready to be asked how far points are from it."""

    mesh: TriMesh
    corners: Array
    tree: Tree
    closed: bool

    @staticmethod
    def of(mesh: TriMesh) -> MeshDistance:
        corners = np.ascontiguousarray(mesh.vertices[mesh.faces])
        ends = np.sort(np.concatenate([mesh.faces[:, [0, 1]], mesh.faces[:, [1, 2]], mesh.faces[:, [2, 0]]]), axis=1)
        _, shared = np.unique(ends, axis=0, return_counts=True)
        return MeshDistance(mesh, corners, triangle_tree(corners), bool((shared == 2).all()))

    def signed(self, points: Array, most: float) -> Array:
        """Distance (n,) to the surface, negative inside a closed mesh; no more than ``most`` outside [m]."""
        lo, hi = self.mesh.bounds()
        close = ((points >= lo) & (points <= hi)).all(axis=1)
        out = np.full(len(points), most)
        for part, reach in ((close, np.inf), (~close, most)):
            if part.any():
                own = np.ascontiguousarray(points[part])
                distance, near = np.empty(len(own)), np.zeros((len(own), 3))
                _nearest(own, self.corners, self.tree, reach, distance, near)
                out[part] = distance
        if self.closed and close.any():
            own = np.flatnonzero(close)
            out[own[inside(self.mesh, points[own])]] *= -1.0
        return np.minimum(out, most)

    def closest(self, points: Array) -> Array:
        """The nearest points of the surface (n, 3)."""
        distance, near = np.empty(len(points)), np.zeros((len(points), 3))
        _nearest(np.ascontiguousarray(points), self.corners, self.tree, np.inf, distance, near)
        return near
