"""What stands in the lee of something: rays against the wind, from points to hulls of pieces and to triangles of what
deforms (Moeller and Trumbore 1997, doi 10.1080/10867651.1997.10487468).

The air behind an obstacle is taken to be still where it begins and to be itself again after a length that the artist
gives; what streams round it, and gusts that reach in, are left out. A ray for each vertex and five for each piece.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..arrays import Array, Index
from ..kernels import kernel
from ..kernels.linalg import rotate_by
from .model import Hold, Hulls, Model
from .state import State

CELLS = 48
"""Cells along each side of the map across the wind in which obstacles are looked up."""
CLEAR = 0.05
"""What begins nearer than this share of a triangle's size hangs together with it at a seam, and is not before it."""
AROUND = 0.3
"""How far the rays of a piece stand from its middle, as a share of its size."""


class Obstacles(NamedTuple):
    """What stands in the air, as it is now.

    center      : (S, 3) float64, [m], middles of the pieces that hulls belong to, where they are
    orientation : (S, 4) float64, of these
    vertex      : (N, 3) float64, [m], of what deforms; face: (F, 3) int32
    """

    center: Array
    orientation: Array
    vertex: Array
    face: Index


class Lookup(NamedTuple):
    """Obstacles by cells across the wind: hulls by their number, triangles of what deforms after them.

    across : (2, 3) float64, unit, the axes of the map
    low    : (2,) float64, [m]; cell : float, [m], side of a cell
    start  : (CELLS^2 + 1,) int64; item: (M,) int64
    """

    across: Array
    low: Array
    cell: float
    start: Index
    item: Index


@kernel
def fill_lookup(uv: Array, reach: Array, low: Array, cell: float, next_: Index, item: Index) -> None:
    """Put obstacles into the cells that they may cover; where ``item`` is empty they are only counted.

    uv    : (n, 2) float64, [m]; reach : (n,) float64, [m], negative for what is left out
    next_ : (CELLS^2,) int64, where the next item of each cell goes, in place; counting, how many there are
    item  : (M,) int64, out
    """
    for n in range(len(reach)):
        if reach[n] < 0.0:
            continue
        i0 = max(0, int(np.floor((uv[n, 0] - reach[n] - low[0]) / cell)))
        i1 = min(CELLS - 1, int(np.floor((uv[n, 0] + reach[n] - low[0]) / cell)))
        j0 = max(0, int(np.floor((uv[n, 1] - reach[n] - low[1]) / cell)))
        j1 = min(CELLS - 1, int(np.floor((uv[n, 1] + reach[n] - low[1]) / cell)))
        for i in range(i0, i1 + 1):
            for j in range(j0, j1 + 1):
                if len(item):
                    item[next_[i * CELLS + j]] = n
                next_[i * CELLS + j] += 1


@kernel(inline=True)
def _hull_ahead(hulls: Hulls, s: int, px: float, py: float, pz: float, dx: float, dy: float, dz: float) -> float:
    """How far along a ray a hull begins [m], in the hull's own frame; 0 from inside, -1 where it is missed."""
    if hulls.face_start[s + 1] == hulls.face_start[s]:  # a ball
        v = hulls.vertex_start[s]
        px, py, pz = px - hulls.vertices[v, 0], py - hulls.vertices[v, 1], pz - hulls.vertices[v, 2]
        along = px * dx + py * dy + pz * dz
        room = along * along - (px * px + py * py + pz * pz - hulls.radius[s] ** 2)
        if room < 0.0 or -along + np.sqrt(room) < 0.0:
            return -1.0
        return max(0.0, -along - np.sqrt(room))
    near, far = 0.0, np.inf
    for f in range(hulls.face_start[s], hulls.face_start[s + 1]):
        nx, ny, nz = hulls.normals[f, 0], hulls.normals[f, 1], hulls.normals[f, 2]
        v = hulls.ring[hulls.ring_start[f]]
        out = (
            nx * (px - hulls.vertices[v, 0])
            + ny * (py - hulls.vertices[v, 1])
            + nz * (pz - hulls.vertices[v, 2])
            - hulls.radius[s]
        )
        rate = nx * dx + ny * dy + nz * dz
        if abs(rate) < 1e-12:
            if out > 0.0:
                return -1.0
        elif rate < 0.0:
            near = max(near, -out / rate)
        else:
            far = min(far, -out / rate)
    return near if near <= far else -1.0


@kernel(inline=True)
def _triangle_ahead(
    vertex: Array, a: int, b: int, c: int, px: float, py: float, pz: float, dx: float, dy: float, dz: float, near: float
) -> float:
    """How far along a ray the triangle of vertices a, b, c is [m]; -1 where it is missed, or nearer than a share
    ``near`` of its size.
    """
    e0, e1, e2 = vertex[b, 0] - vertex[a, 0], vertex[b, 1] - vertex[a, 1], vertex[b, 2] - vertex[a, 2]
    f0, f1, f2 = vertex[c, 0] - vertex[a, 0], vertex[c, 1] - vertex[a, 1], vertex[c, 2] - vertex[a, 2]
    h0, h1, h2 = dy * f2 - dz * f1, dz * f0 - dx * f2, dx * f1 - dy * f0
    det = e0 * h0 + e1 * h1 + e2 * h2
    if abs(det) < 1e-14:
        return -1.0
    s0, s1, s2 = px - vertex[a, 0], py - vertex[a, 1], pz - vertex[a, 2]
    u = (s0 * h0 + s1 * h1 + s2 * h2) / det
    q0, q1, q2 = s1 * e2 - s2 * e1, s2 * e0 - s0 * e2, s0 * e1 - s1 * e0
    v = (dx * q0 + dy * q1 + dz * q2) / det
    if u < 0.0 or v < 0.0 or u + v > 1.0:
        return -1.0
    away = (f0 * q0 + f1 * q1 + f2 * q2) / det
    size = np.sqrt(np.sqrt((e0 * e0 + e1 * e1 + e2 * e2) * (f0 * f0 + f1 * f1 + f2 * f2)))
    return away if away >= near * size else -1.0


@kernel
def find_lee(
    points: Array,
    own: Index,
    vertex: Index,
    wind: Array,
    length: float,
    hulls: Hulls,
    obstacles: Obstacles,
    lookup: Lookup,
    lee: Array,
) -> None:
    """How far each point stands in the lee of something, from 0 to 1.

    points : (n, 3) float64, [m]; wind: (3,) float64, unit
    own    : (n,) int64, the piece it is of; vertex : (n,) int64, the vertex that it is; -1 for none
    length : float, [m], behind what stands before the wind, after which it blows as before
    lee    : (n,) float64, out
    """
    for n in range(len(points)):
        x, y, z = points[n, 0], points[n, 1], points[n, 2]
        most = 0.0
        u = lookup.across[0, 0] * x + lookup.across[0, 1] * y + lookup.across[0, 2] * z
        v = lookup.across[1, 0] * x + lookup.across[1, 1] * y + lookup.across[1, 2] * z
        i = min(CELLS - 1, max(0, int(np.floor((u - lookup.low[0]) / lookup.cell))))
        j = min(CELLS - 1, max(0, int(np.floor((v - lookup.low[1]) / lookup.cell))))
        for k in range(lookup.start[i * CELLS + j], lookup.start[i * CELLS + j + 1]):
            s = lookup.item[k]
            if s < len(hulls.piece):
                if hulls.piece[s] == own[n]:
                    continue
                q, c = obstacles.orientation[s], obstacles.center[s]
                px, py, pz = rotate_by(-q[0], -q[1], -q[2], q[3], x - c[0], y - c[1], z - c[2])
                dx, dy, dz = rotate_by(-q[0], -q[1], -q[2], q[3], -wind[0], -wind[1], -wind[2])
                f = hulls.face_start[s]
                if hulls.face_start[s + 1] - f == 1:  # of a body that collides as its triangles
                    r = hulls.ring_start[f]
                    a, b, d = hulls.ring[r], hulls.ring[r + 1], hulls.ring[r + 2]
                    away = _triangle_ahead(hulls.vertices, a, b, d, px, py, pz, dx, dy, dz, 0.0)
                else:
                    away = _hull_ahead(hulls, s, px, py, pz, dx, dy, dz)
                if away >= 0.0:
                    most = max(most, 1.0 - away / length)
                continue
            t, face = s - len(hulls.piece), obstacles.face
            a, b, d = face[t, 0], face[t, 1], face[t, 2]
            if a == vertex[n] or b == vertex[n] or d == vertex[n]:
                continue
            away = _triangle_ahead(obstacles.vertex, a, b, d, x, y, z, -wind[0], -wind[1], -wind[2], CLEAR)
            if away >= 0.0:
                most = max(most, 1.0 - away / length)
        lee[n] = max(0.0, most)


def axes_across(wind: Array) -> Array:
    """Two unit vectors (2, 3) across a direction (3,) and each other."""
    first = np.cross(wind, np.eye(3)[int(np.argmin(np.abs(wind)))])
    first /= np.linalg.norm(first)
    return np.stack([first, np.cross(wind, first)])


class Shelter:
    """Lees in a run, as things stand now."""

    def __init__(self, model: Model, state: State) -> None:
        self._model, self._state = model, state

    def lee(self, points: Array, own: Index, vertex: Index, center: Array, wind: Array, length: float) -> Array:
        """How far each point (n, 3) [m] stands in a lee (n,), from 0 to 1.

        own, vertex : (n,) int64, as of ``find_lee``; center : (P, 3) float64, [m], middles of the pieces
        """
        if not len(points):
            return np.zeros(0)
        model, state, across = self._model, self._state, axes_across(wind)
        of, x = model.hulls.piece, state.vertices.position
        face: Index = np.zeros((0, 3), np.int32)
        turn = state.assemblies.orientation[state.piece_assembly[of]]
        if model.deformables is not None:
            face = model.deformables.air.face
            face = face[(state.vertex_hold[face] != Hold.REMOVED).all(axis=1)]
        middle = x[face].mean(axis=1)
        size = np.sqrt(((x[face] - middle[:, None]) ** 2).sum(axis=2).max(axis=1, initial=0.0))
        reach = np.concatenate([np.where(state.hold[of] != Hold.REMOVED, model.hulls.bound, -1.0), size])
        uv, at = np.concatenate([center[of], middle]) @ across.T, points @ across.T
        low = at.min(axis=0)
        cell = max(float(np.ptp(at, axis=0).max()), 1e-6) / CELLS * (1.0 + 1e-9)
        counts = np.zeros(CELLS * CELLS, np.int64)
        fill_lookup(uv, reach, low, cell, counts, np.zeros(0, np.int64))
        start = np.concatenate([np.zeros(1, np.int64), np.cumsum(counts)])
        item = np.zeros(int(start[-1]), np.int64)
        fill_lookup(uv, reach, low, cell, start[:-1].copy(), item)
        out = np.zeros(len(points))
        obstacles, lookup = Obstacles(center[of], turn, x, face), Lookup(across, low, cell, start, item)
        find_lee(np.ascontiguousarray(points), own, vertex, wind, length, model.hulls, obstacles, lookup, out)
        return out

    def of_pieces(self, center: Array, wind: Array, length: float) -> Array:
        """Lees (P,) of pieces, at their middles and four places round each."""
        count, across = len(center), axes_across(wind)
        shift = np.concatenate([np.zeros((1, 3)), across, -across])
        points = center[:, None] + AROUND * self._model.pieces.size[:, None, None] * shift
        own = np.repeat(np.arange(count, dtype=np.int64), len(shift))
        none = np.full(len(own), -1, np.int64)
        return self.lee(points.reshape(-1, 3), own, none, center, wind, length).reshape(count, -1).mean(axis=1)

    def of_vertices(self, center: Array, wind: Array, length: float) -> Array:
        """Lees (N,) of vertices of what deforms."""
        points = self._state.vertices.position
        number = np.arange(len(points), dtype=np.int64)
        return self.lee(points, np.full(len(points), -1, np.int64), number, center, wind, length)
