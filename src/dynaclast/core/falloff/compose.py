"""All layers of a falloff in one pass over the points."""

from __future__ import annotations

import numba
import numpy as np
from scipy.interpolate import PchipInterpolator

from ..document import Layer
from ..geometry.mesh import Array, rotation_matrix
from .noise import noise_at

SHAPES = {"sphere": 0, "box": 1, "plane": 2, "cylinder": 3, "capsule": 4, "cone": 5, "torus": 6, "everywhere": 7, "noise": 8}
GIVEN_PLACE, GIVEN_VALUE = 20, 21
"""Layers worked out beforehand: as a place across the edge, or as a value."""
PROFILES = {"linear": 0, "smooth": 1, "sharp": 2, "round": 3}
BLENDS = {"normal": 0, "max": 1, "min": 2, "add": 3, "subtract": 4, "multiply": 5, "screen": 6, "overlay": 7}
ROOM = 32
"""Most points of a profile that is given by points."""


class Rows:
    """The numbers of some layers, as the kernel reads them.

    kind, profile, blend (L,) int; center (L, 3); turn (L, 3, 3) columns are the shape's axes; size (L, 4); look (L, 6): edge, invert, opacity,
    low, high, unused; knots (L, ROOM), curve (L, ROOM, 4): a profile by points, as cubic pieces; pieces (L,) how many; noise (L, 3): size, phase, contrast; seed (L,)
    """

    def __init__(self, layers: list[Layer], places: list[tuple[Array, Array] | None], time: float) -> None:
        n = len(layers)
        self.kind, self.profile, self.blend, self.seed, self.pieces = (np.zeros(n, np.int64) for _ in range(5))
        self.center, self.turn = np.zeros((n, 3)), np.tile(np.eye(3), (n, 1, 1))
        self.size, self.look, self.noise = np.zeros((n, 4)), np.zeros((n, 6)), np.ones((n, 3))
        self.knots, self.curve = np.zeros((n, ROOM)), np.zeros((n, ROOM, 4))
        for k, layer in enumerate(layers):
            self._fill(k, layer, places[k], time)

    def _fill(self, k: int, layer: Layer, place: tuple[Array, Array] | None, time: float) -> None:
        shape = layer.shape
        self.kind[k] = SHAPES.get(shape.kind, GIVEN_PLACE if shape.kind in ("mesh", "pieces") else GIVEN_VALUE)
        if isinstance(layer.profile, str):
            self.profile[k] = PROFILES[layer.profile]
        else:
            where, values = np.array(layer.profile, float).T
            cubic = PchipInterpolator(where, values)
            count = min(ROOM - 1, len(where) - 1)
            self.profile[k], self.pieces[k] = 4, count
            self.knots[k, : count + 1] = where[: count + 1]
            self.curve[k, :count] = cubic.c[:, :count].T
        self.blend[k] = BLENDS[layer.blend]
        self.look[k] = getattr(shape, "edge", 0.0), layer.invert, layer.opacity, layer.low, layer.high, 0.0
        if shape.kind == "noise":
            self.noise[k] = shape.size, time * shape.rate, shape.contrast
            self.seed[k] = shape.seed
        if self.kind[k] >= 7:
            return
        self.center[k] = shape.center
        if shape.kind == "plane":
            self.size[k, :3] = np.asarray(shape.normal) / np.linalg.norm(shape.normal)
        elif shape.kind == "box":
            self.size[k, :3] = 0.5 * np.asarray(shape.core)
        elif shape.kind == "torus":
            self.size[k, :2] = shape.ring, shape.core
        else:
            self.size[k, :2] = shape.core, getattr(shape, "height", 0.0)
        if hasattr(shape, "rotation"):
            self.turn[k] = rotation_matrix(shape.rotation)
        if place is not None:  # it rides: its own place comes first
            point, turned = place
            self.center[k] = point
            self.turn[k] = turned @ self.turn[k]
            if shape.kind == "plane":
                self.size[k, :3] = turned @ self.size[k, :3]

    def compose(self, points: Array, given: Array, out: Array) -> None:
        """Lay the layers over what is in out (n,); given (L, n): what was worked out beforehand."""
        _compose(
            points, self.kind, self.profile, self.blend, self.center, self.turn, self.size, self.look, self.knots, self.curve, self.pieces,
            self.noise, self.seed, given, out,
        )


@numba.njit(cache=True, error_model="numpy")
def _distance(kind, x, y, z, size):
    """Signed distance to a core from a point in the shape's own frame."""
    if kind == 0:
        return np.sqrt(x * x + y * y + z * z) - size[0]
    if kind == 1:
        qx, qy, qz = abs(x) - size[0], abs(y) - size[1], abs(z) - size[2]
        ox, oy, oz = max(qx, 0.0), max(qy, 0.0), max(qz, 0.0)
        return np.sqrt(ox * ox + oy * oy + oz * oz) + min(max(qx, max(qy, qz)), 0.0)
    r = np.sqrt(x * x + z * z)
    if kind == 3:
        q, h = r - size[0], abs(y) - 0.5 * size[1]
        oq, oh = max(q, 0.0), max(h, 0.0)
        return np.sqrt(oq * oq + oh * oh) + min(max(q, h), 0.0)
    if kind == 4:
        d = y - min(max(y, -0.5 * size[1]), 0.5 * size[1])
        return np.sqrt(r * r + d * d) - size[0]
    if kind == 5:
        h = y - 0.5 * size[1]
        t = min(max((r * size[0] - h * size[1]) / (size[0] * size[0] + size[1] * size[1]), 0.0), 1.0)
        sx, sy = r - t * size[0], h + t * size[1]
        bx, by = r - min(r, size[0]), h + size[1]
        d = np.sqrt(min(sx * sx + sy * sy, bx * bx + by * by))
        return -d if h > -size[1] and r * size[1] < -h * size[0] else d
    q = r - size[0]
    return np.sqrt(q * q + y * y) - size[1]


@numba.njit(cache=True, error_model="numpy")
def _curve(profile, t, knots, curve, pieces):
    """Value across the edge."""
    if profile == 0:
        return 1.0 - t
    if profile == 1:
        return 1.0 - t * t * (3.0 - 2.0 * t)
    if profile == 2:
        return (1.0 - t) * (1.0 - t)
    if profile == 3:
        return np.sqrt(max(0.0, 1.0 - t * t))
    t = min(max(t, knots[0]), knots[pieces])
    k = 0
    while k < pieces - 1 and t >= knots[k + 1]:
        k += 1
    s = t - knots[k]
    return min(max(((curve[k, 0] * s + curve[k, 1]) * s + curve[k, 2]) * s + curve[k, 3], 0.0), 1.0)


@numba.njit(cache=True, error_model="numpy")
def _blend(how, a, b):
    if how == 0:
        return b
    if how == 1:
        return max(a, b)
    if how == 2:
        return min(a, b)
    if how == 3:
        return a + b
    if how == 4:
        return a - b
    if how == 5:
        return a * b
    if how == 6:
        return a + b - a * b
    return 2.0 * a * b if a < 0.5 else 1.0 - 2.0 * (1.0 - a) * (1.0 - b)


@numba.njit(cache=True, error_model="numpy")
def _compose(points, kind, profile, blend, center, turn, size, look, knots, curve, pieces, grain, seed, given, out):
    hold = np.empty(4)
    for i in range(len(points)):
        value = out[i]
        for k in range(len(kind)):
            what = kind[k]
            if what == GIVEN_VALUE:
                top = given[k, i]
            elif what == 7:
                top = 1.0
            elif what == 8:
                noise_at(points[i, 0] / grain[k, 0], points[i, 1] / grain[k, 0], points[i, 2] / grain[k, 0], grain[k, 1], seed[k], hold)
                top = min(max(0.5 + grain[k, 2] * (hold[0] - 0.5), 0.0), 1.0)
            else:
                if what == GIVEN_PLACE:
                    t = given[k, i]
                else:
                    dx, dy, dz = points[i, 0] - center[k, 0], points[i, 1] - center[k, 1], points[i, 2] - center[k, 2]
                    if what == 2:
                        d = dx * size[k, 0] + dy * size[k, 1] + dz * size[k, 2]
                    else:
                        m = turn[k]
                        d = _distance(
                            what, dx * m[0, 0] + dy * m[1, 0] + dz * m[2, 0], dx * m[0, 1] + dy * m[1, 1] + dz * m[2, 1],
                            dx * m[0, 2] + dy * m[1, 2] + dz * m[2, 2], size[k],
                        )
                    edge = look[k, 0]
                    t = (1.0 if d > 0.0 else 0.0) if edge <= 0.0 else min(max(d / edge, 0.0), 1.0)
                top = _curve(profile[k], t, knots[k], curve[k], pieces[k])
            if look[k, 1] != 0.0:
                top = 1.0 - top
            top = look[k, 3] + (look[k, 4] - look[k, 3]) * top
            mixed = min(max(_blend(blend[k], value, top), 0.0), 1.0)
            value += look[k, 2] * (mixed - value)
        out[i] = value
