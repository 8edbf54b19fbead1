"""Which points lie inside a closed mesh.

Source: generalised winding number, Jacobson et al. 2013 (doi 10.1145/2461912.2461916), with the solid angle of
Van Oosterom and Strackee 1983.
"""

from __future__ import annotations

import numba
import numpy as np

from .mesh import Array, Index, TriMesh


@numba.njit(cache=True, error_model="numpy")
def _winding(points: Array, vertices: Array, faces: Index, out: Array) -> None:
    for p in range(len(points)):
        total = 0.0
        px, py, pz = points[p, 0], points[p, 1], points[p, 2]
        for f in range(len(faces)):
            i, j, k = faces[f, 0], faces[f, 1], faces[f, 2]
            ax, ay, az = vertices[i, 0] - px, vertices[i, 1] - py, vertices[i, 2] - pz
            bx, by, bz = vertices[j, 0] - px, vertices[j, 1] - py, vertices[j, 2] - pz
            cx, cy, cz = vertices[k, 0] - px, vertices[k, 1] - py, vertices[k, 2] - pz
            la = np.sqrt(ax * ax + ay * ay + az * az)
            lb = np.sqrt(bx * bx + by * by + bz * bz)
            lc = np.sqrt(cx * cx + cy * cy + cz * cz)
            det = ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)
            div = la * lb * lc + (ax * bx + ay * by + az * bz) * lc + (bx * cx + by * cy + bz * cz) * la + (cx * ax + cy * ay + cz * az) * lb
            total += 2.0 * np.arctan2(det, div)
        out[p] = total / (4.0 * np.pi)


def winding_number(mesh: TriMesh, points: Array) -> Array:
    """(n,) winding numbers of (n, 3) points: about 1 inside, 0 outside."""
    out = np.empty(len(points))
    _winding(np.ascontiguousarray(points), mesh.vertices, mesh.faces, out)
    return out


def scatter_inside(mesh: TriMesh, count: int, rng: np.random.Generator) -> Array:
    """``count`` points drawn evenly from the inside of a closed mesh, (count, 3) [m]."""
    lo, hi = mesh.bounds()
    kept: list[Array] = []
    total = 0
    share = 0.5
    while total < count:
        batch = lo + rng.random((int((count - total) / share * 1.1) + 16, 3)) * (hi - lo)
        inside = batch[winding_number(mesh, batch) > 0.5]
        share = max(0.25 * share, len(inside) / len(batch), 1e-3)
        kept.append(inside)
        total += len(inside)
    return np.concatenate(kept)[:count]
