"""Seams of bodies whose pieces have vertices of their own: which are the same while a seam holds."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ....arrays import Array, Index, lengths, sums
from ....document import Body
from ....fracture.bonds import bond_strengths, bonds_cut, placed
from ....fracture.patches import Sheet
from ....fracture.pieces import TIERS, Pieces
from ....geometry.rotations import rotation_matrix
from .part import PartSeams


def cloth_seams(body: Body, sheet: Sheet, faces: Index, x: Array, tear: float | None) -> PartSeams:
    """Seams of cloth: along the borders of its patches, and of all its triangles where it can tear.

    sheet : its patches at the body's size
    faces : (F, 3) int, vertices of the mesh; x (V, 3) float64, [m], of these
    tear  : float, [N/m], None where it does not
    """
    patch, pieces, piece, own, border = sheet.patch, sheet.patches, sheet.piece, sheet.faces, sheet.border
    pair = np.sort(piece[border.face], axis=1)
    use = np.flatnonzero(pair[:, 0] != pair[:, 1])
    pair, face, vertex = pair[use], border.face[use], border.vertex[use]
    length = lengths(x[vertex[:, 1]] - x[vertex[:, 0]])
    bond = _bond_between(patch[face], pieces)
    strength, tier = np.append(_per_length(body, pieces), tear or 0.0), np.append(pieces.bond_tier, TIERS)
    seam, at = np.unique(pair, axis=0, return_inverse=True)
    at, count = at.reshape(-1), len(seam)
    size = sums(length, at, count)
    middle = 0.5 * x[vertex].sum(axis=1) * length[:, None]
    center = sums(middle, at, count) / size[:, None]
    coarsest = np.full(count, TIERS, np.uint8)
    np.minimum.at(coarsest, at, tier[bond])
    path = pieces.path[patch] if tear is not None and pieces.count else pieces.path
    first, second = corner_of(faces, own, face[:, 0], vertex), corner_of(faces, own, face[:, 1], vertex)
    link = np.concatenate([np.stack([first[:, k], second[:, k]], axis=1) for k in range(2)])
    return PartSeams(
        seam.astype(np.int32),
        sums(strength[bond] * length, at, count),
        size,
        coarsest,
        path if len(path) else np.full((int(piece.max()) + 1, TIERS), -1, np.int32),
        link.astype(np.int32),
        np.tile(at, 2).astype(np.int32),
        face.astype(np.int32),
        at.astype(np.int32),
        first.astype(np.int32),
        center,
        *no_face(count),
    )


def _per_length(body: Body, pieces: Pieces) -> Array:
    """Strength (B,) [N/m] of the bonds between patches; 0 where there is none."""
    free = bonds_cut(body, pieces) | (body.bonds is None)
    return np.where(free, 0.0, bond_strengths(body, pieces) / np.maximum(pieces.bond_area, 1e-300))


def _bond_between(patch: Index, pieces: Pieces) -> Index:
    """The bond of each pair of patches (n, 2), -1 within one."""
    if not len(pieces.bond_area):
        return np.full(len(patch), -1)
    key = pieces.bond_piece.astype(np.int64) @ [pieces.count, 1]
    want = np.sort(patch, axis=1).astype(np.int64) @ [pieces.count, 1]
    order = np.argsort(key)
    at = order[np.minimum(np.searchsorted(key[order], want), len(key) - 1)]
    return np.where(patch[:, 0] == patch[:, 1], -1, at)


def corner_of(faces: Index, own: Index, face: Index, vertex: Index) -> Index:
    """What own (F, k) has where faces (F, k) has these vertices (n, m), of faces (n,): (n, m)."""
    out = np.zeros(vertex.shape, np.int64)
    for k in range(vertex.shape[1]):
        place = np.argmax(faces[face] == vertex[:, k : k + 1], axis=1)
        out[:, k] = own[face, place]
    return out


def no_face(count: int) -> tuple[Array, Array]:
    """Normals and second moments of so many seams that are no faces."""
    return np.zeros((count, 3)), np.zeros((count, 3, 3))


def rope_seams(segment: Index, own: Index, x: Array, load: float) -> PartSeams:
    """Seams of a rope: between any two segments that share a vertex.

    segment : (G, 2) int, vertices; own (G, 2) int, of each segment by itself; x (V, 3) float64, [m]
    load    : float, [N], at which it breaks
    """
    vertex, which = segment.ravel(), np.repeat(np.arange(len(segment)), 2)
    order = np.lexsort((which, vertex))
    vertex, which, site = vertex[order], which[order], own.ravel()[order]
    many = np.bincount(vertex)
    first, second = [np.zeros(0, int)], [np.zeros(0, int)]
    for step in range(1, int(many.max())):
        same = np.flatnonzero(vertex[step:] == vertex[:-step])
        first.append(same)
        second.append(same + step)
    a, b = np.concatenate(first), np.concatenate(second)
    order = np.lexsort((which[b], which[a]))
    a, b = a[order], b[order]
    pair = np.stack([which[a], which[b]], axis=1).astype(np.int32)
    count, row = len(pair), np.arange(len(pair), dtype=np.int32)
    return PartSeams(
        pair,
        np.full(count, load),
        np.ones(count),
        np.ones(count, np.uint8),
        np.full((len(segment), TIERS), -1, np.int32),
        np.stack([site[a], site[b]], axis=1).astype(np.int32),
        row,
        pair,
        row,
        np.full((count, 2), -1, np.int32),
        x[vertex[a]],
        *no_face(count),
    )


def torn_by_stress(seams: PartSeams, tets: Index) -> PartSeams:
    """Seams of soft matter that tears: what decides is the stress in the cubes (C, 6, 4) along each, of which those
    that the face between its pieces goes through have all their vertices on it.
    """
    cube = np.repeat(np.arange(len(tets)), 8)
    corners = np.sort(tets.reshape(len(tets), -1), axis=1)
    vertex = corners[np.diff(corners, axis=1, prepend=-1) > 0]
    order = np.argsort(vertex, kind="stable")
    start = np.searchsorted(vertex[order], np.arange(int(vertex.max()) + 2))
    end, seam = seams.link.ravel(), np.repeat(seams.of, 2)
    many = start[end + 1] - start[end]
    first = np.repeat(start[end] - np.cumsum(many) + many, many)
    found = cube[order][first + np.arange(many.sum())]
    key, count = np.unique(np.repeat(seam, many).astype(np.int64) * len(tets) + found, return_counts=True)
    near, at = np.divmod(key, len(tets))
    share = (np.minimum(count, 8) / 8.0) ** 2
    return replace(seams, cube=at.astype(np.int32), near=near.astype(np.int32), share=share)


def solid_seams(body: Body, pieces: Pieces, corner: Index, own: Index) -> PartSeams:
    """Seams of a soft body: where vertices of its lattice belong to two pieces with a bond.

    pieces : at the body's size
    corner : (V,) int, the lattice's vertex that each vertex comes from; own (V,) int, the piece it belongs to
    """
    many = int(corner.max()) + 1
    key = own.astype(np.int64) * many + corner
    order = np.argsort(key)
    start = np.searchsorted(key[order], np.arange(pieces.count + 1, dtype=np.int64) * many)
    link, of = [np.zeros((0, 2), int)], [np.zeros(0, int)]
    use: list[int] = []
    for bond, (p, q) in enumerate(pieces.bond_piece.tolist()):
        of_p, of_q = order[start[p] : start[p + 1]], order[start[q] : start[q + 1]]
        _, at_p, at_q = np.intersect1d(corner[of_p], corner[of_q], return_indices=True)
        if len(at_p):
            link.append(np.stack([of_p[at_p], of_q[at_q]], axis=1))
            of.append(np.full(len(at_p), len(use)))
            use.append(bond)
    strength = np.where(bonds_cut(body, pieces) | (body.bonds is None), 0.0, bond_strengths(body, pieces))
    none, turn = np.zeros((0, 2), np.int32), rotation_matrix(body.place.rotation)
    return PartSeams(
        pieces.bond_piece[use].reshape(-1, 2),
        strength[use],
        pieces.bond_area[use],
        pieces.bond_tier[use],
        pieces.path,
        np.concatenate(link).astype(np.int32),
        np.concatenate(of).astype(np.int32),
        none,
        np.zeros(0, np.int32),
        none,
        placed(body, pieces.bond_center[use]),
        pieces.bond_normal[use] @ turn.T,
        turn @ pieces.bond_second_moment[use] @ turn.T,
    )
