"""How broken pieces are drawn: rough cut faces and brick joints. Nothing here changes what is computed.

Cut faces are subdivided and displaced by a smooth vector noise of place, the same on both sides of a cut, so that
pieces that touch still fit; corners on the original surface stay where they are.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from scipy.spatial import cKDTree

from ..arrays import Array, lengths
from ..document import Body, BricksPattern, Roughness
from ..geometry.mesh import TriMesh, make, triangle_normals, weld
from .pieces import Pieces

MOST_CORNERS = 1_500_000


def _hash(cells: np.ndarray, seed: int) -> Array:
    """Three numbers in [-1, 1] for each lattice point (n, 3) int64: a hash, so that it never depends on the order of
    asking.
    """
    h = cells[:, 0].astype(np.uint64) * np.uint64(0x9E3779B97F4A7C15)
    h ^= cells[:, 1].astype(np.uint64) * np.uint64(0xC2B2AE3D27D4EB4F)
    h ^= cells[:, 2].astype(np.uint64) * np.uint64(0x165667B19E3779F9)
    h ^= np.uint64(seed) * np.uint64(0xD6E8FEB86659FD93)
    out = []
    for k in range(3):
        h = (h ^ (h >> np.uint64(29))) * np.uint64(0xBF58476D1CE4E5B9 + 2 * k)
        h ^= h >> np.uint64(32)
        out.append((h >> np.uint64(11)).astype(np.float64) / 2**52 - 1.0)
    return np.stack(out, axis=1)


def noise(points: Array, size: float, seed: int) -> Array:
    """Smooth vector noise (n, 3) in [-1, 1] at points (n, 3) [m]: value noise on a lattice of ``size`` (Perlin 2002
    fade).
    """
    at = points / size
    base = np.floor(at).astype(np.int64)
    f = at - base
    f = f * f * f * (f * (f * 6 - 15) + 10)
    out = np.zeros_like(points)
    for corner in np.ndindex(2, 2, 2):
        weight = np.prod(np.where(corner, f, 1 - f), axis=1)
        out += weight[:, None] * _hash(base + np.array(corner), seed)
    return out


def roughened(pieces: Pieces, rough: Roughness) -> Pieces:
    """The pieces with cut faces subdivided to half the size of the bumps and displaced."""
    _, corners_of = pieces.corners()
    vertices, faces = pieces.vertices, pieces.faces + pieces.vertex_start[corners_of][:, None]
    skin, owner = pieces.skin, corners_of
    for _ in range(5):
        a, b, c = (vertices[faces[:, k]] for k in range(3))
        longest = np.maximum(np.maximum(lengths(b - a), lengths(c - b)), lengths(a - c))
        if not ((~skin) & (longest > 0.6 * rough.size)).any() or 3 * len(faces) > MOST_CORNERS:
            break
        vertices, faces, skin, owner = _split_long(vertices, faces, skin, owner, 0.6 * rough.size)
    on_skin = np.zeros(len(vertices), bool)
    on_skin[faces[skin]] = True
    on_cut = np.zeros(len(vertices), bool)
    on_cut[faces[~skin]] = True
    move = on_cut & ~on_skin
    moved = vertices.copy()
    # bumps fade towards the skin, so that nothing sticks out of it
    near = cKDTree(vertices[on_skin]).query(vertices[move])[0] if on_skin.any() else np.full(int(move.sum()), np.inf)
    fade = np.minimum(1.0, near / (0.8 * rough.size))
    moved[move] += rough.depth * fade[:, None] * noise(vertices[move], rough.size, rough.seed)
    return _regrouped(pieces, moved, faces, skin, owner)


def _split_long(
    vertices: Array, faces: np.ndarray, skin: np.ndarray, owner: np.ndarray, limit: float
) -> tuple[Array, np.ndarray, np.ndarray, np.ndarray]:
    """Split every edge of a cut face that is longer than ``limit`` in its middle; faces that share it are split with
    it.
    """
    edges = np.sort(np.stack([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]], axis=1), axis=2)
    flat = edges.reshape(-1, 2)
    unique, inverse = np.unique(flat, axis=0, return_inverse=True)
    inverse = inverse.reshape(-1, 3)
    length = lengths(vertices[unique[:, 0]] - vertices[unique[:, 1]])
    wanted = np.zeros(len(unique), bool)
    wanted[inverse[~skin].ravel()] = True
    split = wanted & (length > limit)
    number = np.full(len(unique), -1, np.int64)
    number[split] = len(vertices) + np.arange(split.sum())
    vertices = np.concatenate([vertices, vertices[unique[split]].mean(axis=1)])
    mid = number[inverse]
    out, parent = [], []
    has = mid >= 0
    count = has.sum(axis=1)
    rows = np.flatnonzero(count == 0)
    out.append(faces[rows])
    parent.append(rows)
    rows = np.flatnonzero(count == 3)
    a, b, c = faces[rows].T
    ab, bc, ca = mid[rows].T
    for tri in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca)):
        out.append(np.stack(tri, axis=1))
        parent.append(rows)
    for k in range(3):
        rows = np.flatnonzero((count == 1) & has[:, k])
        a, b, c = faces[rows, k], faces[rows, (k + 1) % 3], faces[rows, (k + 2) % 3]
        m = mid[rows, k]
        for tri in ((a, m, c), (m, b, c)):
            out.append(np.stack(tri, axis=1))
            parent.append(rows)
        # two long edges: k is the short one
        rows = np.flatnonzero((count == 2) & ~has[:, k])
        a, b, c = faces[rows, k], faces[rows, (k + 1) % 3], faces[rows, (k + 2) % 3]
        bc, ca = mid[rows, (k + 1) % 3], mid[rows, (k + 2) % 3]
        for tri in ((ca, bc, c), (a, bc, ca), (a, b, bc)):
            out.append(np.stack(tri, axis=1))
            parent.append(rows)
    parents = np.concatenate(parent)
    return vertices, np.concatenate(out), skin[parents], owner[parents]


def jointed(pieces: Pieces, gap: float) -> Pieces:
    """The pieces with cut faces drawn back by half a gap, so that joints show."""
    corners, owner = pieces.corners()
    faces = pieces.faces + pieces.vertex_start[owner][:, None]
    normal, _ = triangle_normals(TriMesh(pieces.vertices, faces))
    moved = pieces.vertices.copy()
    done: dict[int, list[Array]] = {}
    for f in np.flatnonzero(~pieces.skin):
        for v in faces[f].tolist():
            seen = done.setdefault(v, [])
            if not any(n @ normal[f] > 0.95 for n in seen):
                seen.append(normal[f])
                moved[v] -= 0.5 * gap * normal[f]
    return replace(pieces, vertices=moved)


def _regrouped(pieces: Pieces, vertices: Array, faces: np.ndarray, skin: np.ndarray, owner: np.ndarray) -> Pieces:
    """Flat vertices and faces, sorted by piece again."""
    vertex_owner = np.zeros(len(vertices), np.int64)
    vertex_owner[faces.ravel()] = np.repeat(owner, 3)
    order = np.argsort(vertex_owner, kind="stable")
    rank = np.empty(len(order), np.int64)
    rank[order] = np.arange(len(order))
    vertex_start = np.searchsorted(vertex_owner[order], np.arange(pieces.count + 1)).astype(np.int32)
    face_order = np.argsort(owner, kind="stable")
    own = owner[face_order]
    local = rank[faces[face_order]] - vertex_start[own][:, None]
    return replace(
        pieces,
        vertices=np.ascontiguousarray(vertices[order]),
        faces=np.ascontiguousarray(local.astype(np.int32)),
        vertex_start=vertex_start,
        face_start=np.searchsorted(own, np.arange(pieces.count + 1)).astype(np.int32),
        skin=skin[face_order],
    )


def drawn(body: Body, pieces: Pieces) -> Pieces:
    """The body's pieces as they are drawn and exported."""
    gap = body.pattern.gap if isinstance(body.pattern, BricksPattern) else 0.0
    if gap > 0.0 and pieces.count > 1:
        pieces = jointed(pieces, gap)
    if body.roughness is not None and body.roughness.depth > 0.0 and pieces.count > 1:
        pieces = roughened(pieces, body.roughness)
    return pieces


def drawing_key(body: Body) -> str:
    """What of a body's document decides its drawing beyond its pieces; empty for a plain drawing."""
    return body.roughness.model_dump_json() if body.roughness is not None and body.pattern is not None else ""


def whole_skin(pieces: Pieces) -> TriMesh:
    """The original surface put together again from the pieces' skin."""
    corners, _ = pieces.corners()
    kept = corners[pieces.skin]
    return weld(make(kept.reshape(-1, 3), np.arange(3 * len(kept)).reshape(-1, 3)))
