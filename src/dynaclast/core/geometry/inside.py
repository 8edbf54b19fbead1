"""Which points lie inside a closed mesh, by counting crossings of an upward line, with the triangles sorted into a
grid. ``winding`` tells it of any mesh, open ones included.
"""

from __future__ import annotations

import numpy as np

from ..arrays import Array, Index
from ..kernels import kernel
from .mesh import TriMesh


@kernel
def _parity(
    points: Array,
    vertices: Array,
    faces: Index,
    origin: Array,
    cell: float,
    nx: int,
    nz: int,
    start: Index,
    member: Index,
    out: Array,
) -> None:
    for p in range(len(points)):
        x, y, z = points[p, 0], points[p, 1], points[p, 2]
        i, k = int((x - origin[0]) / cell), int((z - origin[2]) / cell)
        out[p] = 0.0
        if i < 0 or k < 0 or i >= nx or k >= nz:
            continue
        above = 0
        for m in range(start[i * nz + k], start[i * nz + k + 1]):
            f = member[m]
            a, b, c = faces[f, 0], faces[f, 1], faces[f, 2]
            ax, az = vertices[a, 0] - x, vertices[a, 2] - z
            bx, bz = vertices[b, 0] - x, vertices[b, 2] - z
            cx, cz = vertices[c, 0] - x, vertices[c, 2] - z
            # half-open rule: every line crosses a closed surface an even number of times, edges and corners included
            ab = (az > 0.0) != (bz > 0.0) and (bx - ax) * (0.0 - az) / (bz - az) + ax > 0.0
            bc = (bz > 0.0) != (cz > 0.0) and (cx - bx) * (0.0 - bz) / (cz - bz) + bx > 0.0
            ca = (cz > 0.0) != (az > 0.0) and (ax - cx) * (0.0 - cz) / (az - cz) + cx > 0.0
            crossed = (ab != bc) != ca
            if not crossed:
                continue
            area = bx * cz - bz * cx + cx * az - cz * ax + ax * bz - az * bx
            height = (
                (bx * cz - bz * cx) * vertices[a, 1]
                + (cx * az - cz * ax) * vertices[b, 1]
                + (ax * bz - az * bx) * vertices[c, 1]
            ) / area
            if height > y:
                above += 1
        out[p] = above % 2


@kernel
def _bin(
    lo: Array, hi: Array, origin: Array, cell: float, nx: int, nz: int, start: Index, member: Index, fill: bool
) -> None:
    for f in range(len(lo)):
        i0, i1 = max(0, int((lo[f, 0] - origin[0]) / cell)), min(nx - 1, int((hi[f, 0] - origin[0]) / cell))
        k0, k1 = max(0, int((lo[f, 2] - origin[2]) / cell)), min(nz - 1, int((hi[f, 2] - origin[2]) / cell))
        for i in range(i0, i1 + 1):
            for k in range(k0, k1 + 1):
                if fill:
                    member[start[i * nz + k]] = f
                start[i * nz + k] += 1


class Inside:
    """A closed mesh ready to be asked which points lie inside: its triangles sorted into a grid of upward columns."""

    def __init__(self, mesh: TriMesh) -> None:
        corners = mesh.vertices[mesh.faces]
        lo, hi = corners.min(axis=1), corners.max(axis=1)
        self._mesh = mesh
        self._low, high = mesh.bounds()
        span = high - self._low
        self._cell = max(float(max(span[0], span[2])) / max(4.0, np.sqrt(len(mesh.faces) / 2)), 1e-300)
        self._nx, self._nz = int(span[0] / self._cell) + 1, int(span[2] / self._cell) + 1
        count = np.zeros(self._nx * self._nz + 1, np.int32)
        _bin(lo, hi, self._low, self._cell, self._nx, self._nz, count, np.zeros(0, np.int32), False)
        self._start = np.concatenate([[0], np.cumsum(count[:-1])]).astype(np.int32)
        self._member = np.zeros(max(1, int(self._start[-1])), np.int32)
        _bin(lo, hi, self._low, self._cell, self._nx, self._nz, self._start.copy(), self._member, True)

    def __call__(self, points: Array) -> Array:
        """(n,) bool of (n, 3) points."""
        out = np.empty(len(points))
        _parity(
            np.ascontiguousarray(points, dtype=np.float64),
            self._mesh.vertices,
            self._mesh.faces,
            self._low,
            self._cell,
            self._nx,
            self._nz,
            self._start,
            self._member,
            out,
        )
        return out > 0.5  # type: ignore[return-value]


def inside(mesh: TriMesh, points: Array) -> Array:
    """(n,) bool: which of (n, 3) points lie inside a closed mesh."""
    return Inside(mesh)(points)


def scatter_inside(mesh: TriMesh, count: int, rng: np.random.Generator) -> Array:
    """``count`` points drawn evenly from the inside of a closed mesh, (count, 3) [m]."""
    lo, hi = mesh.bounds()
    kept: list[Array] = []
    total = 0
    share = 0.5
    while total < count:
        batch = lo + rng.random((int((count - total) / share * 1.1) + 16, 3)) * (hi - lo)
        found = batch[inside(mesh, batch)]
        share = max(0.25 * share, len(found) / len(batch), 1e-3)
        kept.append(found)
        total += len(found)
    return np.concatenate(kept)[:count]
