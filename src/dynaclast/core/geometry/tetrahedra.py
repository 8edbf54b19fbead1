"""Surfaces of a grid of values by marching tetrahedra: closed, manifold and free of crossings whatever the values.

Every cube is cut into six tetrahedra round its long diagonal (Freudenthal 1942), the same way everywhere, so that
neighbours agree on their faces; within each, the surface is one triangle or two (Doi and Koide 1991). Corners of the
surface stay inside the edges they lie on, so triangles of different tetrahedra never meet but along shared edges.
"""

from __future__ import annotations

from itertools import permutations

import numpy as np

from ..arrays import Array, Index, Mask
from .mesh import TriMesh, make

ALONG_EDGE = (0.08, 0.92)
"""Between which shares of an edge the surface may cross it: no slivers at its ends."""

_CORNER = np.eye(3, dtype=int)


def _tetrahedra() -> Index:
    """Corners (6, 4, 3) of the six tetrahedra of the unit cube, each turned so that its volume is positive."""
    out = []
    for p in permutations(range(3)):
        way = np.cumsum([np.zeros(3, int), *(_CORNER[k] for k in p)], axis=0)
        if np.linalg.det(way[1:] - way[0]) < 0:
            way = way[[0, 1, 3, 2]]
        out.append(way)
    return np.array(out, np.int32)


TETRAHEDRA = _tetrahedra()
ONE_IN = ((0, 1, 2, 3), (1, 0, 3, 2), (2, 0, 1, 3), (3, 0, 2, 1))
"""Even permutations of a tetrahedron's corners that begin with each."""
TWO_IN = ((0, 1, 2, 3), (0, 2, 3, 1), (0, 3, 1, 2), (1, 2, 0, 3), (1, 3, 2, 0), (2, 3, 0, 1))
"""Even permutations that begin with each pair."""


def surface(grid: Array, low: Array, cell: float) -> TriMesh:
    """The surface round where a grid is above 0, looking outwards.

    grid : (nx, ny, nz) float64, below 0 on its border
    low  : (3,) float64, [m], place of the first grid point
    cell : float, [m], between two
    """
    shape = grid.shape
    inside = grid > 0.0
    corner = [
        inside[i : shape[0] - 1 + i, j : shape[1] - 1 + j, k : shape[2] - 1 + k] for i, j, k in np.ndindex(2, 2, 2)
    ]
    mixed = np.argwhere(np.logical_or.reduce(corner) & ~np.logical_and.reduce(corner))
    points = mixed[:, None, None, :] + TETRAHEDRA[None]
    number = np.ravel_multi_index(tuple(np.moveaxis(points, -1, 0)), shape).reshape(-1, 4)
    within: Mask = inside.ravel()[number]
    count = within.sum(axis=1)
    triangles: list[Index] = []  # (n, 3, 2): three edges by their two grid points
    for order in ONE_IN:
        a, b, c, d = order
        alone = np.flatnonzero((count == 1) & within[:, a])
        n = number[alone]
        triangles.append(_edges(n, ((a, b), (a, c), (a, d))))
        rest = np.flatnonzero((count == 3) & ~within[:, a])
        n = number[rest]
        triangles.append(_edges(n, ((a, b), (a, d), (a, c))))
    for order in TWO_IN:
        a, b, c, d = order
        pair = np.flatnonzero((count == 2) & within[:, a] & within[:, b])
        n = number[pair]
        triangles.append(_edges(n, ((a, c), (a, d), (b, d))))
        triangles.append(_edges(n, ((a, c), (b, d), (b, c))))
    ends = np.sort(np.concatenate(triangles).reshape(-1, 2), axis=1)
    unique, inverse = np.unique(ends, axis=0, return_inverse=True)
    first, second = grid.ravel()[unique[:, 0]], grid.ravel()[unique[:, 1]]
    share = np.clip(first / (first - second), *ALONG_EDGE)[:, None]
    place = [np.stack(np.unravel_index(unique[:, k], shape), axis=1) for k in (0, 1)]
    return make(low + cell * ((1.0 - share) * place[0] + share * place[1]), inverse.reshape(-1, 3))


def _edges(number: Index, edges: tuple[tuple[int, int], ...]) -> Index:
    return np.stack([number[:, list(e)] for e in edges], axis=1)
