"""Exact bodies: trees over their triangles, and which of their edges stand out."""

from __future__ import annotations

import numpy as np

from ...geometry.mesh import Array, Index, TriMesh, triangle_normals
from ..model import Flags, Sheets

LEAF = 4
SHARP = 0.05
"""An edge stands out where its faces bend away from each other by more than this [rad]."""


def sharp_edges(mesh: TriMesh) -> Flags:
    """Which edges (F, 3) stand out: open ones, and those whose other face bends away. Edge e runs from corner e to corner e + 1."""
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
    stands = ((away < 0) & (bend > SHARP)).astype(np.uint8)
    out[a] = stands
    out[b] = stands
    return out.reshape(-1, 3)


def no_sheets(shapes: int) -> Sheets:
    i4 = np.zeros(0, np.int32)
    return Sheets(shapes, i4, i4, np.zeros((0, 3)), np.zeros((0, 3)), i4, i4, i4, i4, np.zeros((0, 3), np.uint8))


def build_sheets(first: int, pieces: list[int], meshes: list[TriMesh]) -> Sheets:
    """Trees by halving along the longest side (one per piece); meshes relative to the piece's centre, at the opening pose."""
    if not pieces:
        return no_sheets(first)
    lo: list[Array] = []
    hi: list[Array] = []
    child: list[int] = []
    start: list[int] = []
    count: list[int] = []
    order: list[Index] = []
    roots: list[int] = []
    base, filled = first, 0
    for mesh in meshes:
        tri = mesh.vertices[mesh.faces]
        low, high = tri.min(axis=1), tri.max(axis=1)
        middle = 0.5 * (low + high)
        roots.append(len(lo))
        lo.append(low.min(axis=0))
        hi.append(high.max(axis=0))
        child.append(-1)
        start.append(0)
        count.append(0)
        work = [(roots[-1], np.arange(len(tri)))]
        while work:
            node, own = work.pop()
            if len(own) <= LEAF:
                start[node], count[node] = filled, len(own)
                order.append((own + base).astype(np.int32))
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
        base += len(tri)
    return Sheets(
        first, np.array(pieces, np.int32), np.array(roots, np.int32), np.array(lo), np.array(hi), np.array(child, np.int32), np.array(start, np.int32),
        np.array(count, np.int32), np.concatenate(order), np.concatenate([sharp_edges(m) for m in meshes]),
    )
