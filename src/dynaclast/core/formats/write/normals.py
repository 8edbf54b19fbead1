"""Normals of meshes that move and tear."""

from __future__ import annotations

import numpy as np

from ...arrays import Index, cross, lengths


def smooth_normals(points: np.ndarray, faces: Index, place: Index) -> np.ndarray:
    """Unit normals (V, 3) float32 at points (V, 3), by the area of the faces round them.

    place : (V,) int, the same of points that were one at rest: those of them that are still together count as one, so
            that what can tear is smooth as long as it hangs together
    """
    x = np.asarray(points, float)
    own = cross(x[faces[:, 1]] - x[faces[:, 0]], x[faces[:, 2]] - x[faces[:, 0]])
    key = np.concatenate(
        [place[:, None], np.ascontiguousarray(points, np.float32).view(np.int32).reshape(-1, 3)], axis=1
    )
    order = np.lexsort(key.T)
    new = np.concatenate([[True], (key[order][1:] != key[order][:-1]).any(axis=1)])
    group = np.empty(len(x), np.int64)
    group[order] = np.cumsum(new) - 1
    out = np.zeros((int(group.max(initial=0)) + 1, 3))
    for k in range(3):
        np.add.at(out, group[faces[:, k]], own)
    out /= np.maximum(lengths(out), 1e-30)[:, None]
    return out[group].astype(np.float32)
