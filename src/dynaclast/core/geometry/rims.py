"""Holes of a surface: their rims, and triangles that close them."""

from __future__ import annotations

import numpy as np

from ..arrays import Array, Flags, Index
from ..kernels import kernel
from .mesh import TriMesh, edges_of

MOST_CORNERS = 400
"""Rims of more corners are closed by a fan round their middle."""


def open_loops(mesh: TriMesh) -> list[list[int]]:
    """Rims of holes: vertices in the order that makes a filling face look outwards. Rims that branch are walked as far
    as they go; one that comes through a vertex twice is two.
    """
    _, number, count = edges_of(mesh.faces)
    sides = np.stack([mesh.faces, np.roll(mesh.faces, -1, axis=1)], axis=2)
    rim = np.concatenate([sides[:, k][count[number[:, k]] == 1] for k in range(3)])
    after: dict[int, list[int]] = {}
    for a, b in rim[:, ::-1].tolist():  # the missing face runs along the edge the other way
        after.setdefault(a, []).append(b)
    loops: list[list[int]] = []
    for start in list(after):
        while after.get(start):
            walk, place = [start], {start: 0}
            while after.get(walk[-1]):
                at = after[walk[-1]].pop()
                if at in place:  # a loop is closed: it goes out of the walk
                    loop = walk[place[at] :]
                    if len(loop) >= 3:
                        loops.append(loop)
                    for gone in loop[1:]:
                        del place[gone]
                    walk = walk[: place[at] + 1]
                else:
                    place[at] = len(walk)
                    walk.append(at)
    return loops


@kernel(inner=True)
def _area(points: Array, i: int, j: int, k: int) -> float:
    ax, ay, az = points[j, 0] - points[i, 0], points[j, 1] - points[i, 1], points[j, 2] - points[i, 2]
    bx, by, bz = points[k, 0] - points[i, 0], points[k, 1] - points[i, 1], points[k, 2] - points[i, 2]
    x, y, z = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    return 0.5 * np.sqrt(x * x + y * y + z * z)


@kernel
def _least_area(points: Array, taken: Flags, cost: Array, split: Index) -> None:
    """Least area of triangles that close a rim (Barequet and Sharir 1995, doi 10.1007/BF02574050).

    points : (n, 3) float64, [m], the rim in order
    taken  : (n, n) uint8, pairs of corners that an edge of the surface joins already: no new edge may
    cost   : (n, n) float64, out: [m2] of the part from corner i to corner j
    split  : (n, n) int32, out: the third corner of the triangle on i and j
    """
    n = len(points)
    for i in range(n - 1):
        cost[i, i + 1] = 0.0
    for far in range(2, n):
        for i in range(n - far):
            j = i + far
            cost[i, j] = np.inf
            split[i, j] = -1
            if taken[i, j] and far < n - 1:
                continue
            for k in range(i + 1, j):
                c = cost[i, k] + cost[k, j] + _area(points, i, k, j)
                if c < cost[i, j]:
                    cost[i, j] = c
                    split[i, j] = k


def close_rim(points: Array, taken: Flags) -> Index | None:
    """Triangles (n - 2, 3) over a rim (n, 3) that close it with the least area; None where every way needs an edge
    that is taken. ``taken`` as of ``_least_area``.
    """
    n = len(points)
    cost, split = np.zeros((n, n)), np.full((n, n), -1, np.int32)
    _least_area(np.ascontiguousarray(points), taken, cost, split)
    if not np.isfinite(cost[0, n - 1]):
        return None
    out: list[tuple[int, int, int]] = []
    work = [(0, n - 1)]
    while work:
        i, j = work.pop()
        if j - i < 2:
            continue
        k = int(split[i, j])
        out.append((i, k, j))
        work.extend([(i, k), (k, j)])
    return np.array(out, np.int32)
