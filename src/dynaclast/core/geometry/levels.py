"""Closed surfaces where a function of space has a value."""

from __future__ import annotations

from collections.abc import Callable

import manifold3d
import numpy as np

from ..errors import GeometryError
from .mesh import Array, TriMesh, make

MOST_CELLS = 2_000_000


def surface_of_grid(grid: Array, low: Array, cell: float, empty: str) -> TriMesh:
    """The surface round where a grid (nx, ny, nz) is above 0, between its points by straight lines.

    low (3,) [m]: the first grid point; cell [m]: between two. Raises GeometryError with the text ``empty`` where nothing is above 0.
    """
    shape = grid.shape

    def level(x: float, y: float, z: float) -> float:
        i, j, k = ((v - w) / cell for v, w in zip((x, y, z), low, strict=True))
        i0, j0, k0 = (min(max(int(v), 0), n - 2) for v, n in zip((i, j, k), shape, strict=True))
        u, v, w = i - i0, j - j0, k - k0
        d = grid[i0 : i0 + 2, j0 : j0 + 2, k0 : k0 + 2]
        d = d[0] * (1 - u) + d[1] * u
        d = d[0] * (1 - v) + d[1] * v
        return float(d[0] * (1 - w) + d[1] * w)

    out = manifold3d.Manifold.level_set(level, [*low, *(low + cell * (np.array(shape) - 1))], cell, 0.0)
    if out.is_empty():
        raise GeometryError(empty)
    raw = out.to_mesh64()
    return make(np.asarray(raw.vert_properties)[:, :3], raw.tri_verts)


def level_surface(value: Callable[[Array], Array], level: float, center: tuple[float, float, float], size: tuple[float, float, float], detail: int) -> TriMesh:
    """The surface where ``value`` of points (n, 3) is ``level``, within a box, closed where it leaves it; inside, the value is higher.

    detail: cells along the box's longest side. Raises GeometryError where the box holds no such surface.
    """
    extent = np.asarray(size, float)
    cell = float(extent.max()) / detail
    count = np.maximum(2, np.ceil(extent / cell - 1e-9).astype(int) + 1)
    low = np.asarray(center, float) - 0.5 * cell * (count - 1)
    axes = [low[k] + cell * np.arange(count[k]) for k in range(3)]
    points = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)
    grid = np.pad(value(points).reshape(tuple(count)) - level, 1, constant_values=-level)
    if not (grid > 0).any():
        raise GeometryError(f"the falloff is nowhere above {level:g} in this box; move or widen the box, or lower the level")
    return surface_of_grid(grid, low - cell, cell, "the part above the level is thinner than a cell; raise the detail")
