"""Smooth noise in space and time, with its slopes.

Values on a unit lattice from an integer hash (Jarzynski and Olano 2020, "Hash Functions for GPU Rendering", pcg3d) are
joined by the quintic fade of Perlin (2002, doi 10.1145/566570.566636), whose second derivative is continuous. Time goes
from one lattice of values to the next by the same fade.
"""

from __future__ import annotations

import numpy as np

from ..arrays import Array
from ..kernels import kernel


@kernel(inline=True)
def _hash(x: int, y: int, z: int, seed: int) -> float:
    """A number in [0, 1) for a lattice point."""
    a = np.uint32(np.int64(x) & 0xFFFFFFFF) * np.uint32(1664525) + np.uint32(1013904223)
    b = np.uint32(np.int64(y) & 0xFFFFFFFF) * np.uint32(1664525) + np.uint32(1013904223)
    c = np.uint32(np.int64(z + 7919 * seed) & 0xFFFFFFFF) * np.uint32(1664525) + np.uint32(1013904223)
    a = np.uint32(a + b * c)
    b = np.uint32(b + c * a)
    c = np.uint32(c + a * b)
    a = a ^ (a >> np.uint32(16))
    b = b ^ (b >> np.uint32(16))
    c = c ^ (c >> np.uint32(16))
    a = np.uint32(a + b * c)
    b = np.uint32(b + c * a)
    c = np.uint32(c + a * b)
    return (c >> np.uint32(8)) * (1.0 / 16777216.0)


@kernel(inner=True)
def value_and_slope(x: float, y: float, z: float, seed: int, out: Array) -> None:
    """Noise at a point in lattice units: its value in [0, 1), and its slopes along x, y, z, into out (4,)."""
    fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
    i, j, k = int(fx), int(fy), int(fz)
    tx, ty, tz = x - fx, y - fy, z - fz
    ux, uy, uz = (
        tx * tx * tx * (tx * (tx * 6 - 15) + 10),
        ty * ty * ty * (ty * (ty * 6 - 15) + 10),
        tz * tz * tz * (tz * (tz * 6 - 15) + 10),
    )
    dx, dy, dz = (
        30 * tx * tx * (tx * (tx - 2) + 1),
        30 * ty * ty * (ty * (ty - 2) + 1),
        30 * tz * tz * (tz * (tz - 2) + 1),
    )
    a, b = _hash(i, j, k, seed), _hash(i + 1, j, k, seed)
    c, d = _hash(i, j + 1, k, seed), _hash(i + 1, j + 1, k, seed)
    e, f = _hash(i, j, k + 1, seed), _hash(i + 1, j, k + 1, seed)
    g, h = _hash(i, j + 1, k + 1, seed), _hash(i + 1, j + 1, k + 1, seed)
    ab, cd, ef, gh = a + ux * (b - a), c + ux * (d - c), e + ux * (f - e), g + ux * (h - g)
    near, far = ab + uy * (cd - ab), ef + uy * (gh - ef)
    out[0] = near + uz * (far - near)
    low = (b - a) + uy * ((d - c) - (b - a))
    high = (f - e) + uy * ((h - g) - (f - e))
    out[1] = dx * (low + uz * (high - low))
    out[2] = dy * ((cd - ab) + uz * ((gh - ef) - (cd - ab)))
    out[3] = dz * (far - near)


@kernel(inner=True)
def noise_at(x: float, y: float, z: float, phase: float, seed: int, out: Array) -> None:
    """``value_and_slope`` at a phase: a whole number is one lattice of values, between two it goes from one to the
    next.
    """
    n = np.floor(phase)
    t = phase - n
    value_and_slope(x, y, z, seed + 131 * int(n), out)
    if t > 0.0:
        u = t * t * t * (t * (t * 6 - 15) + 10)
        v0, v1, v2, v3 = out[0], out[1], out[2], out[3]
        value_and_slope(x, y, z, seed + 131 * (int(n) + 1), out)
        out[0] = v0 + u * (out[0] - v0)
        out[1] = v1 + u * (out[1] - v1)
        out[2] = v2 + u * (out[2] - v2)
        out[3] = v3 + u * (out[3] - v3)


@kernel(allocates=True)
def _noise(points: Array, size: float, phase: float, seed: int, out: Array) -> None:
    hold = np.empty(4)
    for i in range(len(points)):
        noise_at(points[i, 0] / size, points[i, 1] / size, points[i, 2] / size, phase, seed, hold)
        out[i] = hold[0]


def noise(points: Array, size: float, phase: float, seed: int) -> Array:
    """Values (n,) in [0, 1) at points (n, 3) [m] of grain ``size`` [m]."""
    out = np.empty(len(points))
    _noise(np.ascontiguousarray(points, dtype=np.float64), size, phase, seed, out)
    return out


@kernel(allocates=True)
def _curl(points: Array, size: float, phase: float, seed: int, out: Array) -> None:
    a, b, c = np.empty(4), np.empty(4), np.empty(4)
    for i in range(len(points)):
        x, y, z = points[i, 0] / size, points[i, 1] / size, points[i, 2] / size
        noise_at(x, y, z, phase, seed, a)
        noise_at(x + 37.2, y - 11.7, z + 5.1, phase, seed + 1013, b)
        noise_at(x - 19.4, y + 83.9, z - 47.3, phase, seed + 2027, c)
        out[i, 0] = c[2] - b[3]
        out[i, 1] = a[3] - c[1]
        out[i, 2] = b[1] - a[2]


def curl_noise(points: Array, size: float, phase: float, seed: int) -> Array:
    """A field (n, 3) without sources or sinks, of typical length 1: the curl of three noises (Bridson et al. 2007, doi
    10.1145/1276377.1276435).
    """
    out = np.empty((len(points), 3))
    _curl(np.ascontiguousarray(points, dtype=np.float64), size, phase, seed, out)
    return out / CURL_LENGTH


CURL_LENGTH = 0.937
"""Root mean square length of the curl of three such noises, measured over 100,000 points."""
