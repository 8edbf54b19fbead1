"""Where each pattern cuts: convex regions that together cover the solid and nowhere overlap.

One function per kind, from the pattern and the mesh to corner points of the regions, found by the document's kind.
Voronoi cells come from SciPy (Qhull); far guard points make all of them finite.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any, NamedTuple

import manifold3d
import numpy as np
from scipy.spatial import Voronoi, cKDTree

from ..arrays import Array, lengths
from ..document import BricksPattern, CellsPattern, Crowd, RadialPattern, SlabsPattern, SplintersPattern
from ..errors import InputError
from ..falloff import value
from ..geometry.inside import scatter_inside
from ..geometry.mesh import TriMesh
from ..geometry.sampling import scatter_on
from .solids import hull

MOST_PIECES = 5000


class Scatter(NamedTuple):
    """Where seeds fall.

    points : gives so many points of a mesh
    power  : cells of seeds of density rho to this power have density rho after Lloyd steps: (d + 2) / d
    """

    points: Callable[[TriMesh, int, np.random.Generator], Array]
    power: float


IN_SOLID = Scatter(scatter_inside, 5.0 / 3.0)
ON_SURFACE = Scatter(scatter_on, 2.0)


def count_of(pattern: CellsPattern | SplintersPattern) -> int:
    """How many cells: the count, or one drawn between the two numbers."""
    if pattern.up_to is None:
        return pattern.count
    return int(np.random.default_rng([pattern.seed, 7]).integers(pattern.count, pattern.up_to + 1))


def _guarded(seeds: Array, lo: Array, hi: Array) -> list[Array]:
    """Corner points of every seed's Voronoi cell."""
    mid, reach = ((lo + hi) / 2, max(float(np.linalg.norm(hi - lo)), float(lengths(seeds - (lo + hi) / 2).max())))
    guard = mid + 6.0 * reach * np.array(
        [[x, y, z] for x in (-1, 0, 1) for y in (-1, 0, 1) for z in (-1, 0, 1) if x or y or z]
    )
    vor = Voronoi(np.concatenate([seeds, guard]))
    return [vor.vertices[vor.regions[vor.point_region[i]]] for i in range(len(seeds))]


def _seeds(mesh: TriMesh, count: int, seed: int, even: float, crowd: Crowd | None, scatter: Scatter) -> Array:
    """``count`` points of the mesh: scattered, crowded by a falloff, evened out (Lloyd 1982 on a cloud of samples)."""
    rng = np.random.default_rng([seed, 101])
    if even == 0.0 and crowd is None:
        return scatter.points(mesh, count, rng)
    cloud = scatter.points(mesh, min(40 * count + 400, 120_000), rng)
    weight = np.ones(len(cloud)) if crowd is None else 1.0 + (crowd.by - 1.0) * value(crowd.reach, cloud)
    seeds = cloud[np.sort(rng.choice(len(cloud), count, replace=False, p=weight / weight.sum()))]
    pull = weight**scatter.power if crowd is not None else weight
    for _ in range(round(12 * even)):
        own = cKDTree(seeds).query(cloud)[1]
        total = np.bincount(own, pull, count)
        moved = np.stack([np.bincount(own, pull * cloud[:, k], count) for k in range(3)], axis=1)
        seeds = np.where(total[:, None] > 0, moved / np.where(total > 0, total, 1.0)[:, None], seeds)
    return seeds


def cells(pattern: CellsPattern, mesh: TriMesh, scatter: Scatter = IN_SOLID) -> list[Array]:
    lo, hi = mesh.bounds()
    return _guarded(_seeds(mesh, count_of(pattern), pattern.seed, pattern.even, pattern.crowd, scatter), lo, hi)


def _frame(axis: tuple[float, float, float]) -> Array:
    """(3, 3) orthonormal rows u, v, w with w along ``axis``; u as level as can be."""
    w = np.asarray(axis, float) / np.linalg.norm(axis)
    u = np.cross([0.0, 1.0, 0.0], w)
    if np.linalg.norm(u) < 1e-6:
        u = np.cross(w, [0.0, 0.0, 1.0])
    u /= np.linalg.norm(u)
    return np.stack([u, np.cross(w, u), w])


def splinters(pattern: SplintersPattern, mesh: TriMesh, scatter: Scatter = IN_SOLID) -> list[Array]:
    """Cells of a space squeezed along the grain, stretched back."""
    frame = _frame(pattern.grain)
    squeeze = np.array([1.0, 1.0, 1.0 / pattern.stretch])
    rng = np.random.default_rng([pattern.seed, 102])
    seeds = scatter.points(mesh, count_of(pattern), rng) @ frame.T * squeeze
    turned = mesh.vertices @ frame.T * squeeze
    return [(c / squeeze) @ frame for c in _guarded(seeds, turned.min(axis=0), turned.max(axis=0))]


def radial(pattern: RadialPattern, mesh: TriMesh) -> list[Array]:
    """Voronoi cells of seeds on rings and spokes in one plane: prisms along the axis."""
    rng = np.random.default_rng([pattern.seed, 103])
    width = pattern.growth ** np.arange(pattern.rings)
    width *= pattern.radius / width.sum()
    inner = np.concatenate([[0.0], np.cumsum(width)[:-1]])
    step = 2 * np.pi / pattern.spokes
    ring, spoke = (x.ravel() for x in np.meshgrid(np.arange(pattern.rings), np.arange(pattern.spokes), indexing="ij"))
    loose = 0.45 * pattern.random
    r = inner[ring] + width[ring] * (0.5 + loose * rng.uniform(-1, 1, len(ring)))
    lean = np.concatenate([[0.0], np.cumsum(rng.uniform(-1, 1, pattern.rings))[1:]]) * 0.2 * pattern.random
    angle = step * (spoke + lean[ring] + loose * rng.uniform(-1, 1, len(ring)))
    frame = _frame(pattern.axis)
    seeds = np.asarray(pattern.center) + np.outer(r * np.cos(angle), frame[0]) + np.outer(r * np.sin(angle), frame[1])
    lo, hi = mesh.bounds()
    middle = np.asarray(pattern.center)
    return _guarded(seeds, np.minimum(lo, middle), np.maximum(hi, middle))


def _cube(mesh: TriMesh) -> manifold3d.Manifold:
    lo, hi = mesh.bounds()
    grow = 0.1 * float(np.linalg.norm(hi - lo))
    return manifold3d.Manifold.cube(hi - lo + 2 * grow).translate(lo - grow)


def slabs(pattern: SlabsPattern, mesh: TriMesh) -> Iterator[manifold3d.Manifold]:
    """What lies below each leaning plane and above those before."""
    rng = np.random.default_rng([pattern.seed, 104])
    frame = _frame(pattern.axis)
    along = mesh.vertices @ frame[2]
    inside = mesh.vertices.mean(axis=0)
    share = np.arange(1, pattern.count) / pattern.count
    share = share + rng.uniform(-0.45, 0.45, len(share)) * pattern.random / pattern.count
    rest = _cube(mesh)
    for s in share:
        lean, turn = pattern.spread * np.sqrt(rng.random()), 2 * np.pi * rng.random()
        normal = np.cos(lean) * frame[2] + np.sin(lean) * (np.cos(turn) * frame[0] + np.sin(turn) * frame[1])
        on = inside + (along.min() + s * np.ptp(along) - inside @ frame[2]) * frame[2]
        rest, below = rest.split_by_plane(normal, float(normal @ on))
        yield below
    yield rest


def _joints(rng: np.random.Generator, lo: float, hi: float, length: float, shift: float, jitter: float) -> Array:
    """Places of joints one brick apart, the first before lo and the last beyond hi.

    None lies on an end of the solid, where a cut along the solid's own face would pass for its skin.
    """
    first = np.floor((lo - shift) / length) - 1
    places = shift + length * (first + np.arange(int(np.ceil((hi - lo) / length)) + 4))
    places = places + rng.uniform(-1, 1, len(places)) * jitter * length
    clear = 1e-6 * (hi - lo)
    return np.concatenate([[lo - length], places[(places > lo + clear) & (places < hi - clear)], [hi + length]])


def _box(x0: float, x1: float, y0: float, y1: float, z0: float, z1: float) -> Array:
    return np.array([[x, y, z] for x in (x0, x1) for y in (y0, y1) for z in (z0, z1)])


def _courses(lo: Array, hi: Array, height: float) -> Array:
    """Heights of the bed joints from below the foot to above the top."""
    inner = lo[1] + height * np.arange(1, max(1, int(np.ceil((hi[1] - lo[1]) / height - 1e-6))))
    return np.concatenate([[lo[1] - height], inner, [hi[1] + height]])


def bricks(pattern: BricksPattern, mesh: TriMesh) -> list[Array]:
    """Boxes in running bond along x, or wedges round the y axis; courses from the foot upwards."""
    rng = np.random.default_rng([pattern.seed, 105])
    lo, hi = mesh.bounds()
    length, height, depth = pattern.size
    guess = float(np.prod(np.maximum(1.0, np.ceil((hi - lo) / np.array(pattern.size)))))
    if guess > 4 * MOST_PIECES:
        raise InputError(
            f"bricks of this size would give about {guess:.0f} pieces; the limit is {MOST_PIECES}. Use larger bricks",
            where="pattern.size",
        )
    levels = _courses(lo, hi, height)
    out: list[Array] = []
    if pattern.layout == "round":
        radius = float(np.hypot(mesh.vertices[:, 0], mesh.vertices[:, 2]).max())
        number = max(3, round(2 * np.pi * radius / length))
        step = 2 * np.pi / number
        rings = [
            0.0,
            *reversed(
                [radius - k * depth for k in range(1, 1 + int(radius / depth)) if radius - k * depth > 0.4 * depth]
            ),
            1.2 * radius / np.cos(step / 2),
        ]
        for course in range(len(levels) - 1):
            shift = pattern.offset * step * (course % 2)
            angles = shift + step * np.arange(number) + rng.uniform(-1, 1, number) * pattern.jitter * step
            for k in range(number):
                a, b = angles[k], angles[(k + 1) % number] + (2 * np.pi if k + 1 == number else 0.0)
                for r0, r1 in zip(rings, rings[1:], strict=False):
                    out.append(
                        np.array(
                            [
                                [r * np.cos(t), y, r * np.sin(t)]
                                for r in (r0, r1)
                                for t in (a, b)
                                for y in levels[course : course + 2]
                            ]
                        )
                    )
        return out
    rows = np.concatenate(
        [[lo[2] - depth], lo[2] + depth * np.arange(1, max(1, round((hi[2] - lo[2]) / depth))), [hi[2] + depth]]
    )
    for course in range(len(levels) - 1):
        for row in range(len(rows) - 1):
            x = _joints(
                rng, lo[0], hi[0], length, lo[0] + pattern.offset * length * ((course + row) % 2), pattern.jitter
            )
            out.extend(
                _box(x[k], x[k + 1], levels[course], levels[course + 1], rows[row], rows[row + 1])
                for k in range(len(x) - 1)
            )
    return out


REGIONS: dict[str, Callable[..., object]] = {
    "cells": cells,
    "splinters": splinters,
    "radial": radial,
    "slabs": slabs,
    "bricks": bricks,
}
SCATTERED = ("cells", "splinters")


def regions(pattern: Any, mesh: TriMesh, scatter: Scatter = IN_SOLID) -> tuple[Iterator[manifold3d.Manifold], int]:
    """The pattern's regions over a mesh, as solids, and how many there will be."""
    make: Any = REGIONS[pattern.kind]
    made: Any = make(pattern, mesh, scatter) if pattern.kind in SCATTERED else make(pattern, mesh)
    if isinstance(made, list):
        return (hull(corners) for corners in made), len(made)
    return made, int(pattern.count)
