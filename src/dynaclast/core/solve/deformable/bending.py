"""Bending of cloth and ropes as quadratic energies: constant, the same for x, y, z.

Cloth: D/2 times the square of the mean curvature, by the Laplacian of positions at the vertices, with the metric at
rest (isometric: Bergou et al. 2006, "A quadratic bending model for inextensible surfaces", doi
10.2312/SGP/SGP06/227-230; by vertices instead of edges, since the sum over edges depends on how the mesh is cut: 0.9 to
1.5 times, or twice where it is irregular, of what a cylinder stores). Ropes: second differences along them.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from scipy import sparse

from ...arrays import Array, Index, cross, lengths
from ...kernels import kernel
from .pattern import add_scalar_product
from .tables import CurveTable

FLAT = 1e-6
"""What bends less at rest, as a share of the edge, is flat."""


class Curvature(NamedTuple):
    """How a mesh bends: the Laplacian of positions over the surface, which is the mean curvature along the normal.

    laplacian : (V, V), cotangents; rows of rims are empty: they are free, and bear no bending
    area      : (V,) float64, [m2], of each vertex (Voronoi, as far as triangles are not obtuse)
    counted   : (V,) float64, [m2], the same with that of rims given to their neighbours
    """

    laplacian: sparse.csr_matrix
    area: Array
    counted: Array


def curvature_of(x: Array, faces: Index) -> Curvature:
    """Of a mesh at rest, x (V, 3) float64 [m].

    Source: Meyer et al. 2003, "Discrete differential-geometry operators for triangulated 2-manifolds" (doi
    10.1007/978-3-662-05105-4_2)
    """
    n = len(x)
    corner = x[faces]
    edge = [corner[:, (k + 2) % 3] - corner[:, (k + 1) % 3] for k in range(3)]  # opposite corner k
    double = np.maximum(lengths(cross(edge[0], edge[1])), 1e-300)
    cotangent = np.stack(
        [-np.einsum("tc,tc->t", edge[(k + 1) % 3], edge[(k + 2) % 3]) / double for k in range(3)], axis=1
    )
    obtuse = cotangent < 0
    area: Array = np.zeros(n)
    rows, columns, values = [], [], []
    for k in range(3):
        i, j = faces[:, (k + 1) % 3], faces[:, (k + 2) % 3]
        half = 0.5 * cotangent[:, k]
        rows += [i, j, i, j]
        columns += [j, i, i, j]
        values += [half, half, -half, -half]
        voronoi = sum(
            0.125 * cotangent[:, other] * (edge[other] ** 2).sum(axis=1) for other in ((k + 1) % 3, (k + 2) % 3)
        )
        own = np.where(obtuse.any(axis=1), np.where(obtuse[:, k], 0.25, 0.125) * double, voronoi)
        np.add.at(area, faces[:, k], own)
    entries = (np.concatenate(values), (np.concatenate(rows), np.concatenate(columns)))
    laplacian = sparse.coo_matrix(entries, shape=(n, n)).tocsr()
    ends = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]).astype(np.int64)
    key, shared = np.unique(ends.min(axis=1) * n + ends.max(axis=1), return_counts=True)
    side = np.stack([key // n, key % n], axis=1)
    rim = np.zeros(n, bool)
    rim[side[shared == 1]] = True
    both = np.concatenate([side, side[:, ::-1]])
    given = both[rim[both[:, 0]] & ~rim[both[:, 1]]]
    many = np.maximum(np.bincount(given[:, 0], minlength=n), 1)
    counted: Array = np.where(rim, 0.0, area)
    counted += np.bincount(given[:, 1], area[given[:, 0]] / many[given[:, 0]], n)
    return Curvature((sparse.diags((~rim).astype(float)) @ laplacian).tocsr(), area, counted)


def bending_matrix(found: Curvature, stiffness: Array | float) -> sparse.csr_matrix:
    """Second derivative (V, V) [N/m] of the bending energy of a mesh.

    stiffness : float, or (V,) float64, [N m]
    """
    return (found.laplacian.T @ sparse.diags(_weight(found, stiffness)) @ found.laplacian).tocsr()


def _weight(found: Curvature, stiffness: Array | float) -> Array:
    """What the square of a vertex's Laplacian counts (V,)."""
    return np.where(found.counted > 0, stiffness * found.counted / np.maximum(found.area, 1e-150) ** 2, 0.0)


def chain_bending(length: Array, stiffness: Array | float) -> sparse.csr_matrix:
    """The same of a polyline (V, V) [N/m] that is straight at rest.

    length    : (V - 1,) float64, [m], of its segments
    stiffness : float, or (V,) float64, [N m2]
    """
    n = len(length) + 1
    if n < 3:
        return sparse.csr_matrix((n, n))
    before, after = length[:-1], length[1:]
    mean = 0.5 * (before + after)
    # curvature at an inner vertex: ((x2 - x1) / after - (x1 - x0) / before) / mean
    weight = np.stack([1 / before, -1 / before - 1 / after, 1 / after], axis=1) / mean[:, None]
    row = np.arange(n - 2)
    column = row[:, None] + np.arange(3)
    curvature = sparse.coo_matrix((weight.ravel(), (np.repeat(row, 3), column.ravel())), shape=(n - 2, n))
    own = np.broadcast_to(stiffness, n)[1:-1]
    return (curvature.T @ sparse.diags(own * mean) @ curvature).tocsr()


class CurvedRest(NamedTuple):
    """What keeps a mesh as curved as it is at rest: faces as CurveTable, and the rows of its matrix."""

    face: Index
    matrix: sparse.csr_matrix


def curved_rest(found: Curvature, x: Array, faces: Index, stiffness: Array | float) -> CurvedRest | None:
    """Of a mesh (x (V, 3) [m] at rest); None where it is flat. Stiffness as of bending_matrix.

    Normals of the vertices times the matrix are the forces that hold up the curvature at rest.
    """
    bent = found.laplacian @ x
    if lengths(bent).max(initial=0.0) <= FLAT * np.sqrt(found.area.max(initial=0.0)):
        return None
    normal = vertex_normals(x, faces)
    along = _weight(found, stiffness) * np.einsum("vc,vc->v", bent, normal)
    return CurvedRest(faces.astype(np.int32), (found.laplacian.T @ sparse.diags(along)).tocsr())


def vertex_normals(x: Array, faces: Index) -> Array:
    """Unit normals (V, 3), by the areas of the triangles (F, 3) round each vertex."""
    corner = x[faces]
    normal = cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    out = np.zeros_like(x)
    for k in range(3):
        np.add.at(out, faces[:, k], normal)
    return out / np.maximum(lengths(out), 1e-300)[:, None]


@kernel(inner=True)
def add_curves(
    table: CurveTable, first_face: int, last_face: int, first: int, last: int, x: Array, force: Array, normal: Array
) -> None:
    """What holds up the curvature at rest of vertices first to last, along their normals as they are.

    x      : (N, 3) float64, [m]
    force  : (N, 3) float64, [N], is added to
    normal : (N, 3) float64, scratch
    """
    for i in range(first, last):
        normal[i, 0], normal[i, 1], normal[i, 2] = 0.0, 0.0, 0.0
    for f in range(first_face, last_face):
        a, b, c = table.face[f, 0], table.face[f, 1], table.face[f, 2]
        ux, uy, uz = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2]
        wx, wy, wz = x[c, 0] - x[a, 0], x[c, 1] - x[a, 1], x[c, 2] - x[a, 2]
        nx, ny, nz = uy * wz - uz * wy, uz * wx - ux * wz, ux * wy - uy * wx
        for i in (a, b, c):
            normal[i, 0] += nx
            normal[i, 1] += ny
            normal[i, 2] += nz
    for i in range(first, last):
        long = np.sqrt(normal[i, 0] ** 2 + normal[i, 1] ** 2 + normal[i, 2] ** 2)
        if long > 0.0:
            for c in range(3):
                normal[i, c] /= long
    add_scalar_product(table.rows, first, last, normal, force)
