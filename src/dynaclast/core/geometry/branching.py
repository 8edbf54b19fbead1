"""Edges that more than two faces share: parts that hang on them and enclose nothing are taken away."""

from __future__ import annotations

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from ..arrays import Array, Index
from .mesh import TriMesh, edges_of, make, triangle_normals

MOST_AREA = 0.25
"""Share of the surface above which a part is no fin."""


def bad(count: Index) -> Array:
    """1 (E,) for edges that no closed surface has: on one face, or on an odd number of them."""
    return (count % 2 == 1).astype(np.float64)


def sheets(number: Index, count: Index) -> Index:
    """Parts (F,) that hang together along edges of two faces."""
    side = np.flatnonzero(count[number.ravel()] == 2)
    order = side[np.argsort(number.ravel()[side], kind="stable")]
    a, b = order[0::2] // 3, order[1::2] // 3
    faces = len(number)
    graph = coo_matrix((np.ones(len(a), np.int8), (a, b)), shape=(faces, faces))
    return connected_components(graph, directed=False)[1]


def without_fins(mesh: TriMesh) -> TriMesh:
    """The mesh without parts whose edges branch off from others, as long as that leaves fewer bad edges: walls inside a
    solid, flaps, doubled patches. Of several at one edge, the smallest goes.
    """
    faces = mesh.faces
    while True:
        _, number, count = edges_of(faces)
        if not (bad(count)[count > 2] > 0).any():
            break
        part = sheets(number, count)
        parts = int(part.max()) + 1
        side, own = number.ravel(), np.repeat(part, 3)
        border = count[side] != 2
        key, times = np.unique(own[border].astype(np.int64) * len(count) + side[border], return_counts=True)
        of, edge = key // len(count), key % len(count)
        start = np.searchsorted(of, np.arange(parts + 1))
        gain = np.bincount(of, bad(count)[edge] - bad(count[edge] - times), parts)
        area = np.bincount(part, triangle_normals(TriMesh(mesh.vertices, faces))[1], parts)
        gone = np.zeros(parts, bool)
        touched = np.zeros(len(count), bool)
        hangs = (gain > 0) & (area < MOST_AREA * area.sum())
        for smallest in np.argsort(area, kind="stable"):
            if not hangs[smallest]:
                continue
            own_edges = edge[start[smallest] : start[smallest + 1]]
            if not touched[own_edges].any():
                gone[smallest] = True
                touched[own_edges] = True
        if not gone.any():
            break
        faces = faces[~gone[part]]
    return make(mesh.vertices, faces)
