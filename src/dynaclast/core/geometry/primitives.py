"""Closed meshes of the shapes a document can name; y is up, the origin in the middle."""

from __future__ import annotations

import numpy as np

from .mesh import TriMesh, make, weld


def box(size: tuple[float, float, float], divisions: tuple[int, int, int] = (1, 1, 1)) -> TriMesh:
    """A box of width, height, depth [m], each side divided into so many facets."""
    half = 0.5 * np.asarray(size, float)
    vertices: list[np.ndarray] = []
    faces: list[np.ndarray] = []
    count = 0
    for axis in range(3):
        u, v = (axis + 1) % 3, (axis + 2) % 3
        nu, nv = divisions[u], divisions[v]
        gu, gv = np.meshgrid(
            np.linspace(-half[u], half[u], nu + 1), np.linspace(-half[v], half[v], nv + 1), indexing="ij"
        )
        i, j = (x.ravel() for x in np.meshgrid(np.arange(nu), np.arange(nv), indexing="ij"))
        a = i * (nv + 1) + j
        quad = np.stack([a, a + nv + 1, a + nv + 2, a + 1], axis=1)
        for side in (-1.0, 1.0):
            points = np.empty((gu.size, 3))
            points[:, axis], points[:, u], points[:, v] = side * half[axis], gu.ravel(), gv.ravel()
            q = (quad if side > 0 else quad[:, ::-1]) + count
            vertices.append(points)
            faces.append(np.concatenate([q[:, [0, 1, 2]], q[:, [0, 2, 3]]]))
            count += len(points)
    return weld(make(np.concatenate(vertices), np.concatenate(faces)))


def sheet(size: tuple[float, float], thickness: float, divisions: tuple[int, int] = (8, 8)) -> TriMesh:
    """A level plate of width and depth [m]."""
    return box((size[0], thickness, size[1]), (divisions[0], 1, divisions[1]))


def flat_sheet(size: tuple[float, float], divisions: tuple[int, int] = (8, 8)) -> TriMesh:
    """One level layer of width and depth [m], its diagonals turned by turns, facing up."""
    n, m = divisions
    x, z = np.meshgrid(np.linspace(-0.5, 0.5, n + 1) * size[0], np.linspace(-0.5, 0.5, m + 1) * size[1], indexing="ij")
    at = np.arange((n + 1) * (m + 1)).reshape(n + 1, m + 1)
    a, b, c, d = at[:-1, :-1].ravel(), at[1:, :-1].ravel(), at[1:, 1:].ravel(), at[:-1, 1:].ravel()
    turned = ((np.arange(n)[:, None] + np.arange(m)) % 2 == 1).reshape(-1, 1)
    first = np.where(turned, np.stack([a, d, b], axis=1), np.stack([a, d, c], axis=1))
    second = np.where(turned, np.stack([b, d, c], axis=1), np.stack([a, c, b], axis=1))
    faces = np.stack([first, second], axis=1).reshape(-1, 3)
    return make(np.stack([x.ravel(), np.zeros(x.size), z.ravel()], axis=1), faces)


def _revolve(profile: list[tuple[float, float]], segments: int, *, closed: bool) -> TriMesh:
    """Turn a profile of (radius, y), going up the outside, about the y axis.

    An open profile must begin and end on the axis (radius 0). A closed one never touches it.
    """
    angle = 2.0 * np.pi * np.arange(segments) / segments
    vertices: list[np.ndarray] = []
    rings: list[np.ndarray] = []
    count = 0
    for radius, y in profile:
        if radius == 0.0:
            vertices.append(np.array([[0.0, y, 0.0]]))
            rings.append(np.full(segments, count))
            count += 1
        else:
            vertices.append(np.stack([radius * np.cos(angle), np.full(segments, y), radius * np.sin(angle)], axis=1))
            rings.append(count + np.arange(segments))
            count += segments
    faces: list[np.ndarray] = []
    pairs = list(zip(rings, rings[1:], strict=False)) + ([(rings[-1], rings[0])] if closed else [])
    for low, high in pairs:
        nlow, nhigh = np.roll(low, -1), np.roll(high, -1)
        if low[0] != low[-1]:
            faces.append(np.stack([low, high, nlow], axis=1))
        if high[0] != high[-1]:
            faces.append(np.stack([nlow, high, nhigh], axis=1))
    return make(np.concatenate(vertices), np.concatenate(faces))


def sphere(radius: float, segments: int = 24) -> TriMesh:
    """A sphere by latitude and longitude."""
    rows = max(3, segments // 2)
    lat = -np.pi / 2 + np.pi * np.arange(rows + 1) / rows
    profile = [
        (0.0 if k in (0, rows) else float(radius * np.cos(t)), float(radius * np.sin(t))) for k, t in enumerate(lat)
    ]
    return _revolve(profile, segments, closed=False)


def _rows(low: tuple[float, float], high: tuple[float, float], divisions: int) -> list[tuple[float, float]]:
    """Points (radius, y) from low to high, both included."""
    return [
        (low[0] + (high[0] - low[0]) * k / divisions, low[1] + (high[1] - low[1]) * k / divisions)
        for k in range(divisions + 1)
    ]


def cylinder(radius: float, height: float, taper: float = 1.0, segments: int = 32, divisions: int = 1) -> TriMesh:
    """An upright cylinder or, with a taper, a truncated cone."""
    h = height / 2
    return _revolve([(0.0, -h), *_rows((radius, -h), (radius * taper, h), divisions), (0.0, h)], segments, closed=False)


def cone(radius: float, height: float, segments: int = 32, divisions: int = 1) -> TriMesh:
    """An upright cone with a sharp tip."""
    h = height / 2
    return _revolve([(0.0, -h), *_rows((radius, -h), (0.0, h), divisions)], segments, closed=False)


def tube(
    radius: float, wall: float, height: float, taper: float = 1.0, segments: int = 48, divisions: int = 1
) -> TriMesh:
    """An upright hollow cylinder; the wall keeps its thickness when tapered."""
    h, top = height / 2, radius * taper
    outside = _rows((radius, -h), (top, h), divisions)
    return _revolve([*outside, *_rows((top - wall, h), (radius - wall, -h), divisions)], segments, closed=True)


def torus(radius: float, thickness: float, segments: int = 48, sides: int = 20) -> TriMesh:
    """A level ring; radius to the middle of its section, thickness the section's radius [m]."""
    turn = 2.0 * np.pi * np.arange(sides) / sides - np.pi / 2
    return _revolve(
        [(float(radius + thickness * np.cos(a)), float(thickness * np.sin(a))) for a in turn], segments, closed=True
    )
