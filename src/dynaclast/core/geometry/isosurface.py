"""Closed surfaces where a function of space has a value."""

from __future__ import annotations

from collections.abc import Callable

import manifold3d
import numpy as np

from ..arrays import Array
from ..errors import GeometryError
from .mesh import TriMesh, make

FINER_UP_TO = 80
"""Up to this detail the function is asked at twice as many points along each side."""


def surface_of_grid(grid: Array, low: Array, cell: float, empty: str, edge: float) -> TriMesh:
    """The surface round where a grid (nx, ny, nz) is above 0, between its points by straight lines.

    low (3,) [m]: the first grid point; cell [m]: between two; edge [m]: about the length of the surface's
    triangles. Raises GeometryError with the text ``empty`` where nothing is above 0.
    """
    shape = grid.shape
    flat: list[float] = (
        grid.ravel().tolist()
    )  # plain numbers: the function is asked hundreds of thousands of times, point by point
    lx, ly, lz = (float(v) for v in low)
    mx, my, mz = (n - 2 for n in shape)
    row, slab, per = shape[2], shape[1] * shape[2], 1.0 / cell

    def level(x: float, y: float, z: float) -> float:
        u, v, w = (x - lx) * per, (y - ly) * per, (z - lz) * per
        i, j, k = int(u) if u > 0 else 0, int(v) if v > 0 else 0, int(w) if w > 0 else 0
        i, j, k = i if i < mx else mx, j if j < my else my, k if k < mz else mz
        u, v, w = u - i, v - j, w - k
        o = i * slab + j * row + k
        p, q = o + slab, o + row
        r = p + row
        a = flat[o] + u * (flat[p] - flat[o])
        b = flat[q] + u * (flat[r] - flat[q])
        c = flat[o + 1] + u * (flat[p + 1] - flat[o + 1])
        d = flat[q + 1] + u * (flat[r + 1] - flat[q + 1])
        a, c = a + v * (b - a), c + v * (d - c)
        return a + w * (c - a)

    out = manifold3d.Manifold.level_set(level, [*low, *(low + cell * (np.array(shape) - 1))], edge, 0.0)
    if out.is_empty():
        raise GeometryError(empty)
    raw = out.to_mesh64()
    return make(np.asarray(raw.vert_properties)[:, :3], raw.tri_verts)


def level_surface(
    value: Callable[[Array], Array],
    level: float,
    center: tuple[float, float, float],
    size: tuple[float, float, float],
    detail: int,
) -> TriMesh:
    """The surface where ``value`` of points (n, 3) is ``level``, within a box, closed where it leaves it; inside, the
    value is higher.

    detail: cells along the box's longest side. Raises GeometryError where the box holds no such surface.
    """
    extent = np.asarray(size, float)
    edge = float(extent.max()) / detail
    cell = edge / (
        2 if detail <= FINER_UP_TO else 1
    )  # looked at more closely than the triangles are large, or it comes out in steps
    count = np.maximum(2, np.ceil(extent / cell - 1e-9).astype(int) + 1)
    low = np.asarray(center, float) - 0.5 * cell * (count - 1)
    axes = [low[k] + cell * np.arange(count[k]) for k in range(3)]
    points = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)
    grid = value(points).reshape(tuple(count)) - level
    into = [
        level * np.minimum(np.arange(n), np.arange(n)[::-1]) for n in count
    ]  # 0 on the box, so that the surface is cut clean there
    grid = np.minimum(
        grid, np.minimum(np.minimum(into[0][:, None, None], into[1][None, :, None]), into[2][None, None, :])
    )
    grid = np.pad(grid, 1, constant_values=-level)
    if not (grid > 0).any():
        raise GeometryError(
            f"the falloff is nowhere above {level:g} in this box; move or widen the box, or lower the level"
        )
    return surface_of_grid(
        grid, low - cell, cell, "the part above the level is thinner than a cell; raise the detail", edge
    )
