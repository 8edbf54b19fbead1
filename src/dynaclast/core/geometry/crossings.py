"""Where a surface crosses itself: pairs of triangles without a common corner that cut each other."""

from __future__ import annotations

import numpy as np

from ..arrays import Array, Index
from ..kernels import kernel
from .mesh import TriMesh

MOST_PAIRS = 4000
"""More pairs than this are not listed."""


@kernel(inner=True)
def _segment_hits(p: Array, q: Array, a: Array, b: Array, c: Array) -> bool:
    """Does the segment pq pass through the inside of triangle abc (both strictly)?

    Source: Moller and Trumbore 1997 (doi 10.1080/10867651.1997.10487468).
    """
    dx, dy, dz = q[0] - p[0], q[1] - p[1], q[2] - p[2]
    ax, ay, az = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    bx, by, bz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
    hx, hy, hz = dy * bz - dz * by, dz * bx - dx * bz, dx * by - dy * bx
    det = ax * hx + ay * hy + az * hz
    scale = np.sqrt((dx * dx + dy * dy + dz * dz) * (ax * ax + ay * ay + az * az) * (bx * bx + by * by + bz * bz))
    if abs(det) < 1e-9 * scale or scale == 0.0:
        return False
    sx, sy, sz = p[0] - a[0], p[1] - a[1], p[2] - a[2]
    gx, gy, gz = sy * az - sz * ay, sz * ax - sx * az, sx * ay - sy * ax
    u = (sx * hx + sy * hy + sz * hz) / det
    v = (dx * gx + dy * gy + dz * gz) / det
    t = (bx * gx + by * gy + bz * gz) / det
    eps = 1e-7
    return u > eps and v > eps and u + v < 1.0 - eps and t > eps and t < 1.0 - eps


@kernel(inner=True)
def _cut(vertices: Array, faces: Index, i: int, j: int) -> bool:
    """Whether a side of one of two triangles passes through the other; none where they have a corner in common."""
    for k in range(3):
        for m in range(3):
            if faces[i, k] == faces[j, m]:
                return False
    for k in range(3):
        n = (k + 1) % 3
        if _segment_hits(
            vertices[faces[i, k]],
            vertices[faces[i, n]],
            vertices[faces[j, 0]],
            vertices[faces[j, 1]],
            vertices[faces[j, 2]],
        ):
            return True
        if _segment_hits(
            vertices[faces[j, k]],
            vertices[faces[j, n]],
            vertices[faces[i, 0]],
            vertices[faces[i, 1]],
            vertices[faces[i, 2]],
        ):
            return True
    return False


@kernel
def _fill_slabs(order: Index, first: Index, last: Index, place: Index, member: Index) -> None:
    """Triangles in ``order`` into the slabs they reach, each slab's in that order.

    first, last : (F,) int32, slabs of each triangle
    place       : (S,) int32, in: where each slab begins in member; out: where it ends
    """
    for i in order:
        for slab in range(first[i], last[i] + 1):
            member[place[slab]] = i
            place[slab] += 1


@kernel
def _find_crossings(
    vertices: Array, faces: Index, lo: Array, hi: Array, first: Index, start: Index, member: Index, out: Index
) -> int:
    """Crossing pairs into out (M, 2), at most M; returns how many.

    start  : (S + 1,) int32, where the triangles of each slab are in member, in order of their low ends along x
    """
    found = 0
    for slab in range(len(start) - 1):
        for x in range(start[slab], start[slab + 1]):
            i = member[x]
            for y in range(x + 1, start[slab + 1]):
                j = member[y]
                if lo[j, 0] > hi[i, 0]:
                    break
                if lo[j, 1] > hi[i, 1] or hi[j, 1] < lo[i, 1] or lo[j, 2] > hi[i, 2] or hi[j, 2] < lo[i, 2]:
                    continue
                if max(first[i], first[j]) == slab and _cut(vertices, faces, i, j):  # in the first slab both reach
                    out[found, 0], out[found, 1] = i, j
                    found += 1
                    if found == len(out):
                        return found
    return found


def crossing_pairs(mesh: TriMesh, most: int = MOST_PAIRS) -> Index:
    """Pairs of triangles that cut each other (n, 2) int32, at most so many, found by sweeping along the longest axis
    in slabs across the next.
    """
    out = np.zeros((most, 2), np.int32)
    if not len(mesh.faces):
        return out[:0]
    axes = np.argsort(-np.ptp(mesh.vertices, axis=0), kind="stable")
    turned = np.ascontiguousarray(mesh.vertices[:, axes])
    corners = turned[mesh.faces]
    lo, hi = corners.min(axis=1), corners.max(axis=1)
    slabs = max(1, int(np.sqrt(len(mesh.faces)) / 4))
    width = max(float(np.ptp(turned[:, 1])) / slabs, 1e-300)
    base = float(turned[:, 1].min())
    first, last = (np.clip((x[:, 1] - base) / width, 0, slabs - 1).astype(np.int32) for x in (lo, hi))
    reached = np.bincount(first, minlength=slabs + 1) - np.bincount(last + 1, minlength=slabs + 1)[: slabs + 1]
    start = np.concatenate([[0], np.cumsum(np.cumsum(reached)[:slabs])]).astype(np.int32)
    member = np.zeros(int(start[-1]), np.int32)
    order = np.argsort(lo[:, 0], kind="stable").astype(np.int32)
    _fill_slabs(order, first, last, start[:-1].copy(), member)
    return out[: _find_crossings(turned, mesh.faces, lo, hi, first, start, member, out)]
