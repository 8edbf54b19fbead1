"""The faces pattern: every triangle of a mesh, open or closed, its own thin shell piece.

A flake is the triangle drawn inwards along the vertices' normals; the walls between neighbours are the same quads split
along the same diagonal, so flakes fit without a gap. Rough edges bend the walls' lines, the same for both neighbours.
"""

from __future__ import annotations

import numpy as np

from ..arrays import Array, lengths
from ..document import FacesPattern
from ..errors import GeometryError, InputError
from ..geometry.mesh import TriMesh, make, triangle_normals
from .patterns import MOST_PIECES

POINTS = 4
"""Bends along a rough edge."""


def _vertex_normals(mesh: TriMesh) -> Array:
    """Unit normals (V, 3): the faces' normals weighted by angle (Thuermer and Wuethrich 1998)."""
    normal, _ = triangle_normals(mesh)
    out = np.zeros_like(mesh.vertices)
    for k in range(3):
        at, nxt, prv = (mesh.vertices[mesh.faces[:, (k + j) % 3]] for j in range(3))
        u, v = nxt - at, prv - at
        cos = np.einsum("ij,ij->i", u, v) / np.maximum(lengths(u) * lengths(v), 1e-300)
        np.add.at(out, mesh.faces[:, k], np.arccos(np.clip(cos, -1, 1))[:, None] * normal)
    length = lengths(out)
    return out / np.where(length > 0, length, 1.0)[:, None]


def _edge_points(mesh: TriMesh, normals: Array, pattern: FacesPattern) -> dict[tuple[int, int], Array]:
    """Points between the ends of every edge (lower vertex first), bent aside where edges are rough."""
    rng = np.random.default_rng([pattern.seed, 106])
    edges = np.unique(
        np.sort(np.concatenate([mesh.faces[:, [0, 1]], mesh.faces[:, [1, 2]], mesh.faces[:, [2, 0]]]), axis=1), axis=0
    )
    share = np.linspace(0, 1, POINTS + 2)[1:-1]
    noise = rng.uniform(-1, 1, (len(edges), POINTS))
    out: dict[tuple[int, int], Array] = {}
    height = _least_heights(mesh)
    taper = 4.0 * share * (1.0 - share)
    for (a, b), bend in zip(edges.tolist(), noise, strict=True):
        p, q = mesh.vertices[a], mesh.vertices[b]
        aside = np.cross(q - p, normals[a] + normals[b])
        length = np.linalg.norm(aside)
        # no farther than the flakes on both sides are wide there, or edges would cross each other
        aside = aside / length * min(0.55 * float(np.linalg.norm(q - p)), height[a, b]) if length > 0 else np.zeros(3)
        out[a, b] = p + share[:, None] * (q - p) + (0.2 * pattern.rough * taper * bend)[:, None] * aside
    return out


def _least_heights(mesh: TriMesh) -> dict[tuple[int, int], float]:
    """For every edge (lower vertex first), the least height of its triangles [m]."""
    _, area = triangle_normals(mesh)
    out: dict[tuple[int, int], float] = {}
    for face, a in zip(mesh.faces.tolist(), area, strict=True):
        longest = max(float(np.linalg.norm(mesh.vertices[face[k]] - mesh.vertices[face[k - 1]])) for k in range(3))
        for k in range(3):
            key = (min(face[k], face[k - 1]), max(face[k], face[k - 1]))
            out[key] = min(out.get(key, np.inf), 2.0 * a / max(longest, 1e-300))
    return out


def flakes(mesh: TriMesh, pattern: FacesPattern, name: str) -> tuple[list[TriMesh], list[np.ndarray]]:
    """Closed shells, one per triangle, and which of their triangles are skin.

    Raises InputError for more faces than pieces allowed, GeometryError where the shell is thicker than the mesh allows.
    """
    if len(mesh.faces) > MOST_PIECES:
        raise InputError(
            f"{name} has {len(mesh.faces)} faces; a break into faces makes at most {MOST_PIECES} pieces. Decimate "
            f"it first",
            where="pattern",
        )
    normals = _vertex_normals(mesh)
    between = _edge_points(mesh, normals, pattern) if pattern.rough > 0 else {}
    meshes: list[TriMesh] = []
    skins: list[np.ndarray] = []
    face_normal, area = triangle_normals(mesh)
    for row, face in enumerate(mesh.faces.tolist()):
        if area[row] <= 0.0:
            continue
        outline: list[Array] = []
        inward: list[Array] = []
        for k in range(3):
            a, b = face[k], face[(k + 1) % 3]
            line = [mesh.vertices[a], *_along(between, a, b)]
            share = np.linspace(0, 1, len(line) + 1)[:-1]
            outline.extend(line)
            inward.extend((1 - s) * normals[a] + s * normals[b] for s in share)
        top = np.array(outline)
        low = top - pattern.thickness * np.array(inward)
        n = len(top)
        points = np.concatenate([top, low, [top.mean(axis=0)], [low.mean(axis=0)]])
        ring = np.arange(n)
        nxt = np.roll(ring, -1)
        if n == 3:
            caps, under = np.array([[0, 1, 2]]), np.array([[n, n + 2, n + 1]])
            points = points[:-2]
        else:
            caps = np.stack([ring, nxt, np.full(n, 2 * n)], axis=1)
            under = np.stack([nxt + n, ring + n, np.full(n, 2 * n + 1)], axis=1)
        # the wall's diagonal runs the same way for both neighbours: from the end that comes first in space
        first = np.array([tuple(top[i]) < tuple(top[j]) for i, j in zip(ring, nxt, strict=True)])
        wall_a = np.where(
            first[:, None], np.stack([ring, ring + n, nxt + n], axis=1), np.stack([ring, ring + n, nxt], axis=1)
        )
        wall_b = np.where(
            first[:, None], np.stack([ring, nxt + n, nxt], axis=1), np.stack([nxt, ring + n, nxt + n], axis=1)
        )
        faces = np.concatenate([caps, under, wall_a, wall_b])
        skin = np.zeros(len(faces), bool)
        skin[: len(caps) + len(under)] = True
        meshes.append(make(points, faces))
        skins.append(skin)
    if not meshes:
        raise GeometryError(f"{name} has no face with an area", where=name)
    return meshes, skins


def _along(between: dict[tuple[int, int], Array], a: int, b: int) -> list[Array]:
    if not between:
        return []
    return list(between[a, b]) if a < b else list(between[b, a][::-1])
