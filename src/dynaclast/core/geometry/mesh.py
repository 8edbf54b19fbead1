"""Triangle meshes and rigid transforms as plain arrays."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from scipy import sparse
from scipy.sparse.csgraph import connected_components

from ..arrays import Array, Index, cross, lengths
from .rotations import rotation_matrix


@dataclass(frozen=True)
class TriMesh:
    """A triangle mesh.

    vertices : (V, 3) float64, [m]
    faces    : (F, 3) int32, counter-clockwise seen from outside
    """

    vertices: Array
    faces: Index

    def size(self) -> float:
        """Diagonal of the bounding box [m]."""
        return float(np.linalg.norm(np.ptp(self.vertices, axis=0))) if len(self.vertices) else 0.0

    def bounds(self) -> tuple[Array, Array]:
        return self.vertices.min(axis=0), self.vertices.max(axis=0)

    def moved(self, scale: Array, rotation: Array, position: Array) -> TriMesh:
        """Scaled, then turned (quaternion x, y, z, w), then moved."""
        return TriMesh((self.vertices * scale) @ rotation_matrix(rotation).T + position, self.faces)

    def flipped(self) -> TriMesh:
        return TriMesh(self.vertices, np.ascontiguousarray(self.faces[:, ::-1]))


def make(vertices: object, faces: object) -> TriMesh:
    """A mesh from anything array-like, contiguous and of the right types."""
    return TriMesh(
        np.ascontiguousarray(vertices, dtype=np.float64).reshape(-1, 3),
        np.ascontiguousarray(faces, dtype=np.int32).reshape(-1, 3),
    )


class Edges(NamedTuple):
    """Edges of triangles, E of them, in the order of their ends.

    ends   : (E, 2) int64, lower vertex first
    number : (F, 3) int64, of the edge from each corner of a face to the next
    shared : (E,) int64, by how many faces
    """

    ends: Index
    number: Index
    shared: Index


def edges_of(faces: Index) -> Edges:
    first, second = faces.astype(np.int64), np.roll(faces, -1, axis=1).astype(np.int64)
    stride = int(faces.max(initial=0)) + 1
    key = np.minimum(first, second) * stride + np.maximum(first, second)
    unique, number, shared = np.unique(key, return_inverse=True, return_counts=True)
    ends = np.stack([unique // stride, unique % stride], axis=1)
    return Edges(ends, number.reshape(-1, 3), shared)  # type: ignore[arg-type]


def triangle_normals(mesh: TriMesh) -> tuple[Array, Array]:
    """Unit normals (F, 3) and areas (F,) [m2]; a triangle without area gets normal 0."""
    a, b, c = (mesh.vertices[mesh.faces[:, k]] for k in range(3))
    across = cross(b - a, c - a)
    length = lengths(across)
    return across / np.where(length > 0, length, 1.0)[:, None], 0.5 * length


@dataclass(frozen=True)
class Borders:
    """Edges between triangles, n of them.

    face   : (n, 2) int, the triangles on both sides, the lower first
    vertex : (n, 2) int, ends
    length : (n,) float64, [m]
    """

    face: Index
    vertex: Index
    length: Array


def borders_of(mesh: TriMesh) -> Borders:
    """Every edge that triangles share; one that k share counts k - 1 times, between triangles in order."""
    faces = mesh.faces.astype(np.int64)
    ends = np.sort(np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), axis=1)
    face = np.tile(np.arange(len(faces)), 3)
    order = np.lexsort((face, ends[:, 1], ends[:, 0]))
    ends, face = ends[order], face[order]
    same = np.flatnonzero((ends[1:] == ends[:-1]).all(axis=1) & (face[1:] != face[:-1]))
    vertex = ends[same]
    length = lengths(mesh.vertices[vertex[:, 1]] - mesh.vertices[vertex[:, 0]])
    return Borders(np.stack([face[same], face[same + 1]], axis=1), vertex, length)


CREASE = 0.7
"""Faces whose normals have a product below this meet in a crease."""


def creased(mesh: TriMesh) -> TriMesh:
    """The mesh with a vertex of its own for each smooth part of the surface that meets at one."""
    border, (normal, _) = borders_of(mesh), triangle_normals(mesh)
    smooth = np.einsum("nc,nc->n", normal[border.face[:, 0]], normal[border.face[:, 1]]) > CREASE
    (a, b), ends = border.face[smooth].T, border.vertex[smooth]
    row, other = [], []
    for k in range(2):
        row.append(3 * a + np.argmax(mesh.faces[a] == ends[:, k : k + 1], axis=1))
        other.append(3 * b + np.argmax(mesh.faces[b] == ends[:, k : k + 1], axis=1))
    count = 3 * len(mesh.faces)
    links = (np.ones(2 * len(a), np.int8), (np.concatenate(row), np.concatenate(other)))
    part = connected_components(sparse.coo_matrix(links, shape=(count, count)), directed=False)[1]
    first = np.unique(part, return_index=True)[1]
    return make(mesh.vertices[mesh.faces.ravel()[first]], part.reshape(-1, 3))


def weld(mesh: TriMesh, tolerance: float = 1e-7) -> TriMesh:
    """Vertices closer than ``tolerance`` times the mesh's size become one; empty triangles go."""
    if not len(mesh.vertices):
        return mesh
    step = max(mesh.size() * tolerance, 1e-300)
    keys = np.round((mesh.vertices - mesh.vertices.min(axis=0)) / step).astype(np.int64)
    _, first, inverse = np.unique(keys, axis=0, return_index=True, return_inverse=True)
    order = np.argsort(first)
    rank = np.empty_like(order)
    rank[order] = np.arange(len(order))
    faces = rank[inverse.reshape(-1)][mesh.faces]
    solid = (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])
    return make(mesh.vertices[first[order]], faces[solid])
