"""Exact bodies: trees over their triangles, and which of their edges stand out."""

from __future__ import annotations

import numpy as np

from ...arrays import Flags
from ...geometry.mesh import TriMesh, triangle_normals
from ...geometry.tree import triangle_tree
from ..model import TriangleMeshes

CONVEX_EDGE_ANGLE = 0.05
"""An edge stands out where its faces bend away from each other by more than this [rad]."""


def find_convex_edges(mesh: TriMesh) -> Flags:
    """Which edges (F, 3) stand out: open ones, and those whose other face bends away. Edge e runs from corner e to
    corner e + 1.
    """
    faces = mesh.faces
    ends = np.stack([faces, np.roll(faces, -1, axis=1)], axis=2).reshape(-1, 2)
    key = np.sort(ends, axis=1)
    order = np.lexsort((key[:, 1], key[:, 0]))
    out = np.ones(len(ends), np.uint8)
    normals = triangle_normals(mesh)[0]
    same = np.flatnonzero((key[order[1:]] == key[order[:-1]]).all(axis=1))
    a, b = order[same], order[same + 1]
    fa, fb = a // 3, b // 3
    corner = mesh.vertices[faces[fb, (b % 3 + 2) % 3]]  # the other face's far corner
    away = np.einsum("ij,ij->i", normals[fa], corner - mesh.vertices[ends[a, 0]])
    bend = np.arccos(np.clip(np.einsum("ij,ij->i", normals[fa], normals[fb]), -1, 1))
    stands = ((away < 0) & (bend > CONVEX_EDGE_ANGLE)).astype(np.uint8)
    out[a] = stands
    out[b] = stands
    return out.reshape(-1, 3)


def no_triangle_meshes(shapes: int) -> TriangleMeshes:
    i4 = np.zeros(0, np.int32)
    return TriangleMeshes(
        shapes, i4, i4, np.zeros((0, 3)), np.zeros((0, 3)), i4, i4, i4, i4, np.zeros((0, 3), np.uint8)
    )


def build_triangle_meshes(first: int, pieces: list[int], meshes: list[TriMesh]) -> TriangleMeshes:
    """Trees by halving along the longest side (one per piece); meshes relative to the piece's centre, at the opening
    pose.
    """
    if not pieces:
        return no_triangle_meshes(first)
    lo, hi, child, start, count, order, roots = [], [], [], [], [], [], []
    base, nodes, filled = first, 0, 0
    for mesh in meshes:
        tree = triangle_tree(mesh.vertices[mesh.faces])
        roots.append(nodes)
        lo.append(tree.lo)
        hi.append(tree.hi)
        child.append(np.where(tree.child < 0, -1, tree.child + nodes))
        start.append(tree.start + filled)
        count.append(tree.triangle_count)
        order.append(tree.order + base)
        nodes += len(tree.child)
        filled += len(tree.order)
        base += len(mesh.faces)
    i4 = np.int32
    return TriangleMeshes(
        first,
        np.array(pieces, i4),
        np.array(roots, i4),
        np.concatenate(lo),
        np.concatenate(hi),
        np.concatenate(child).astype(i4),
        np.concatenate(start).astype(i4),
        np.concatenate(count).astype(i4),
        np.concatenate(order).astype(i4),
        np.concatenate([find_convex_edges(m) for m in meshes]),
    )
