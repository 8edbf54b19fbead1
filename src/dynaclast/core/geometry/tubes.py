"""Tubes round curves: what ropes are drawn as."""

from __future__ import annotations

import numpy as np

from ..arrays import Array, Index


def tube(at: Array, wide: Array, sides: int) -> tuple[Array, Array, Array]:
    """Rings of so many points along a curve, carried along without twist.

    at : (K, n, 3), [m], the curve in K frames;  wide : (K, n), [m], radii
    Returns rings (K, n, sides, 3) [m], their normals, and those of the curve's ends (K, 2, 3).
    Source: Bishop 1975, doi 10.1080/00029890.1975.11993807.
    """
    way = np.diff(at, axis=1)
    way /= np.maximum(np.linalg.norm(way, axis=2, keepdims=True), 1e-12)
    along = np.concatenate([way[:, :1], way[:, :-1] + way[:, 1:], way[:, -1:]], axis=1)
    along /= np.maximum(np.linalg.norm(along, axis=2, keepdims=True), 1e-12)
    least = np.abs(along[:, 0]).argmin(axis=1)
    side = np.cross(along[:, 0], np.eye(3)[least])
    across = []
    for k in range(at.shape[1]):
        t = along[:, k]
        side = side - (side * t).sum(axis=1, keepdims=True) * t
        long = np.linalg.norm(side, axis=1, keepdims=True)
        side = np.where(long > 1e-9, side / np.maximum(long, 1e-9), np.cross(t, np.eye(3)[np.abs(t).argmin(axis=1)]))
        across.append(side)
    u = np.stack(across, axis=1)
    v = np.cross(along, u)
    angle = 2.0 * np.pi * np.arange(sides) / sides
    out = np.cos(angle)[:, None] * u[:, :, None] + np.sin(angle)[:, None] * v[:, :, None]
    return at[:, :, None] + wide[:, :, None, None] * out, out, np.stack([-along[:, 0], along[:, -1]], axis=1)


def faces_of_tube(count: int, sides: int) -> Index:
    """Triangles (F, 3) of a tube of so many rings with so many points each; the two points behind them close it."""
    a = np.arange(sides)
    b = (a + 1) % sides
    start = sides * np.arange(count - 1)[:, None]
    out = [np.stack([start + a, start + b, start + sides + b], axis=-1).reshape(-1, 3)]
    out.append(np.stack([start + a, start + sides + b, start + sides + a], axis=-1).reshape(-1, 3))
    low, high, last = count * sides, count * sides + 1, (count - 1) * sides
    out.append(np.stack([np.full(sides, low), b, a], axis=1))
    out.append(np.stack([np.full(sides, high), last + a, last + b], axis=1))
    return np.concatenate(out)
