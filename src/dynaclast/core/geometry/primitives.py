"""Closed meshes of the shapes a document can name; y is up, the origin in the middle."""

from __future__ import annotations

import numpy as np

from .mesh import TriMesh, make


def box(size: tuple[float, float, float]) -> TriMesh:
    """A box of width, height, depth [m]."""
    corners = np.array([[x, y, z] for x in (-0.5, 0.5) for y in (-0.5, 0.5) for z in (-0.5, 0.5)])
    quads = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
    faces = [tri for a, b, c, d in quads for tri in ((a, b, c), (a, c, d))]
    return make(corners * np.asarray(size), faces)


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
    profile = [(0.0 if k in (0, rows) else float(radius * np.cos(t)), float(radius * np.sin(t))) for k, t in enumerate(lat)]
    return _revolve(profile, segments, closed=False)


def cylinder(radius: float, height: float, taper: float = 1.0, segments: int = 32) -> TriMesh:
    """An upright cylinder or, with a taper, a truncated cone."""
    h = height / 2
    return _revolve([(0.0, -h), (radius, -h), (radius * taper, h), (0.0, h)], segments, closed=False)


def tube(radius: float, wall: float, height: float, taper: float = 1.0, segments: int = 48) -> TriMesh:
    """An upright hollow cylinder; the wall keeps its thickness when tapered."""
    h, top = height / 2, radius * taper
    return _revolve([(radius - wall, -h), (radius, -h), (top, h), (top - wall, h)], segments, closed=True)
