"""Faces of pieces that lead into the next piece of what hangs together: nothing comes in or goes out by them.

What is a hair below the top of a bonded wall passes from one piece's hull into the next by their common face. Held by
that face it would stop there, or, as it goes on, be taken for ever deeper behind it and be thrown out at last.
"""

from __future__ import annotations

import numpy as np

from ..arrays import Array, Index
from ..kernels import kernel
from .model import Hulls, InnerFaces, PieceTable

BEYOND = 0.01, 0.1
"""A face is looked through so far beyond it: the lesser of these shares of the hull's and of the face's own size."""
AT_ONCE = 200_000
"""So many pairs are looked at together."""
WITHIN = 0.75
"""Where: at its middle, and so far from there to its corners."""


def inner_faces(hulls: Hulls, pieces: PieceTable) -> InnerFaces:
    """Which faces others cover at the opening pose."""
    pairs = shapes_beside(hulls, pieces)
    start = np.searchsorted(pairs[:, 0], np.arange(len(hulls.piece) + 1))
    room = 8 * len(hulls.normals)
    while True:
        first, shape = np.zeros(len(hulls.normals) + 1, np.int32), np.zeros(room, np.int32)
        used = _cover(hulls, pieces.rest_center, start, np.ascontiguousarray(pairs[:, 1]), first, shape)
        if used <= room:
            return InnerFaces(first, shape[:used])
        room = used


def nothing_inside(hulls: Hulls) -> InnerFaces:
    """Of hulls that lie apart."""
    return InnerFaces(np.zeros(len(hulls.normals) + 1, np.int32), np.zeros(0, np.int32))


def shapes_beside(hulls: Hulls, pieces: PieceTable) -> Index:
    """Pairs (n, 2) of hulls of a body whose bounds touch, both ways round, in order: sort and sweep along the axis of
    widest spread, body by body.

    Source: Cohen et al. 1995, doi 10.1145/199404.199437.
    """
    count = len(hulls.piece)
    own = np.flatnonzero(np.diff(hulls.face_start) >= 4)
    low, high = np.zeros((count, 3)), np.zeros((count, 3))
    for s in own:
        core = hulls.vertices[hulls.vertex_start[s] : hulls.vertex_start[s + 1]] + pieces.rest_center[hulls.piece[s]]
        spare = hulls.radius[s] + BEYOND[0] * hulls.bound[s]
        low[s], high[s] = core.min(axis=0) - spare, core.max(axis=0) + spare
    found = [np.zeros((0, 2), np.int64)]
    body = pieces.body[hulls.piece]
    for b in np.unique(body[own]):
        shapes = own[body[own] == b]
        axis = int(np.argmax(high[shapes].max(axis=0) - low[shapes].min(axis=0)))
        shapes = shapes[np.argsort(low[shapes, axis], kind="stable")]
        last = np.searchsorted(low[shapes, axis], high[shapes, axis], side="right")
        ahead = np.maximum(last - np.arange(1, len(shapes) + 1), 0)
        block = np.cumsum(ahead) // AT_ONCE
        for part in range(int(block[-1]) + 1):
            rows = np.flatnonzero(block == part)
            one = np.repeat(rows, ahead[rows])
            step = np.arange(len(one)) - np.repeat(np.cumsum(ahead[rows]) - ahead[rows], ahead[rows])
            s, other = shapes[one], shapes[one + 1 + step]
            touch = ((low[other] <= high[s]) & (high[other] >= low[s])).all(axis=1)
            found.append(np.stack([s[touch], other[touch]], axis=1))
    pairs = np.concatenate(found)
    pairs = np.concatenate([pairs, pairs[:, ::-1]])
    return pairs[np.lexsort((pairs[:, 1], pairs[:, 0]))]


@kernel(inner=True)
def is_in_hull(hulls: Hulls, s: int, x: float, y: float, z: float, spare: float) -> bool:
    """Whether a point in the frame of a hull is in it, or outside by so much [m]."""
    for f in range(hulls.face_start[s], hulls.face_start[s + 1]):
        n, o = hulls.normals[f], hulls.vertices[hulls.ring[hulls.ring_start[f]]]
        if n[0] * (x - o[0]) + n[1] * (y - o[1]) + n[2] * (z - o[2]) > hulls.radius[s] + spare:
            return False
    return True


@kernel
def _cover(hulls: Hulls, center: Array, start: Index, beside: Index, first: Index, shape: Index) -> int:
    """What covers each face, into first (F + 1,) and shape (n,); returns how many, more than n where there is no room.

    center : (P, 3) float64, [m], of pieces; start (S + 1,), into beside (m,): hulls whose bounds touch each
    """
    used = 0
    for s in range(len(hulls.piece)):
        c = center[hulls.piece[s]]
        for f in range(hulls.face_start[s], hulls.face_start[s + 1]):
            first[f] = min(used, len(shape))
            begin, end, n = hulls.ring_start[f], hulls.ring_start[f + 1], hulls.normals[f]
            if start[s + 1] == start[s] or end - begin < 3:
                continue
            mx, my, mz, size = 0.0, 0.0, 0.0, 0.0
            for k in range(begin, end):
                v, w = hulls.vertices[hulls.ring[k]], hulls.vertices[hulls.ring[begin]]
                mx, my, mz = mx + v[0] / (end - begin), my + v[1] / (end - begin), mz + v[2] / (end - begin)
                size = max(size, (v[0] - w[0]) ** 2 + (v[1] - w[1]) ** 2 + (v[2] - w[2]) ** 2)
            far = hulls.radius[s] + min(BEYOND[0] * hulls.bound[s], BEYOND[1] * np.sqrt(size))
            before, open_ = used, False
            for k in range(begin - 1, end):
                x, y, z = mx, my, mz
                if k >= begin:
                    v = hulls.vertices[hulls.ring[k]]
                    x, y, z = mx + WITHIN * (v[0] - mx), my + WITHIN * (v[1] - my), mz + WITHIN * (v[2] - mz)
                x, y, z = x + far * n[0] + c[0], y + far * n[1] + c[1], z + far * n[2] + c[2]
                covered = False
                for j in range(start[s], start[s + 1]):
                    t = beside[j]
                    o = center[hulls.piece[t]]
                    if not is_in_hull(hulls, t, x - o[0], y - o[1], z - o[2], 0.0):
                        continue
                    covered, known = True, False
                    for i in range(before, min(used, len(shape))):
                        known = known or shape[i] == t
                    if not known:
                        if used < len(shape):
                            shape[used] = t
                        used += 1
                if not covered:
                    open_ = True
                    break
            if open_:
                used = before
    first[len(first) - 1] = min(used, len(shape))
    return used


@kernel(inner=True)
def leads_inside(inner: InnerFaces, hulls: Hulls, piece_assembly: Index, s: int, f: int) -> bool:
    """Whether a face of hull s leads into others of the same assembly."""
    if inner.first[f] == inner.first[f + 1]:
        return False
    a = piece_assembly[hulls.piece[s]]
    for k in range(inner.first[f], inner.first[f + 1]):
        if piece_assembly[hulls.piece[inner.shape[k]]] != a:
            return False
    return True
