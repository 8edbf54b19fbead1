"""All layers of a falloff in one pass over the points."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..arrays import Array, Index
from ..document import Layer
from ..geometry.rotations import rotation_matrix
from ..kernels import kernel
from .noise import noise_at

SHAPES = {
    "sphere": 0,
    "box": 1,
    "plane": 2,
    "cylinder": 3,
    "capsule": 4,
    "cone": 5,
    "torus": 6,
    "everywhere": 7,
    "noise": 8,
}
GIVEN_PLACE, GIVEN_VALUE = 20, 21
"""Layers worked out beforehand: as a place across the edge, or as a value."""
PROFILES = {"linear": 0, "smooth": 1, "sharp": 2, "round": 3}
BLENDS = {"normal": 0, "max": 1, "min": 2, "add": 3, "subtract": 4, "multiply": 5, "screen": 6, "overlay": 7}
ROOM = 32
"""Most points of a profile that is given by points."""


class Rows:
    """The numbers of some layers, as the kernel reads them.

    kind, profile, blend (L,) int; center (L, 3); turn (L, 3, 3) columns are the shape's axes; size (L, 4); look (L, 6):
    edge, invert, opacity, low, high, unused; knots (L, ROOM), curve (L, ROOM, 4): a profile by points, as cubic pieces;
    pieces (L,) how many; noise (L, 3): size, phase, contrast; seed (L,)
    """

    def __init__(self, layers: list[Layer], places: list[tuple[Array, Array] | None], time: float) -> None:
        n = len(layers)
        self.kind, self.profile, self.blend, self.seed, self.pieces = (np.zeros(n, np.int64) for _ in range(5))
        self.center, self.turn = np.zeros((n, 3)), np.tile(np.eye(3), (n, 1, 1))
        self.size, self.look, self.noise = np.zeros((n, 4)), np.zeros((n, 6)), np.ones((n, 3))
        self.rate = np.zeros(n)
        self.knots, self.curve = np.zeros((n, ROOM)), np.zeros((n, ROOM, 4))
        for k, layer in enumerate(layers):
            self._fill(k, layer, places[k], time)

    def _fill(self, k: int, layer: Layer, place: tuple[Array, Array] | None, time: float) -> None:
        shape: Any = layer.shape  # which numbers it has goes by its kind
        self.kind[k] = SHAPES.get(shape.kind, GIVEN_PLACE if shape.kind in ("mesh", "pieces") else GIVEN_VALUE)
        if isinstance(layer.profile, str):
            self.profile[k] = PROFILES[layer.profile]
        else:
            from scipy.interpolate import PchipInterpolator

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
            self.rate[k] = shape.rate
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

    def at(self, time: float) -> None:
        """Go on to a time [s]: noise changes with it."""
        self.noise[:, 1] = time * self.rate

    def compose(self, points: Array, given: Array, out: Array) -> None:
        """Lay the layers over what is in out (n,); given (L, n): what was worked out beforehand."""
        _compose(
            points,
            self.kind,
            self.profile,
            self.blend,
            self.center,
            self.turn,
            self.size,
            self.look,
            self.knots,
            self.curve,
            self.pieces,
            self.noise,
            self.seed,
            given,
            out,
        )


@kernel(fastmath={"contract"}, inner=True)
def _distance(what: int, points: Array, center: Array, m: Array, size: Array, out: Array) -> None:
    """Signed distance of points (n, 3) to one core; m (3, 3) its axes as columns."""
    cx, cy, cz = center[0], center[1], center[2]
    s0, s1, s2 = size[0], size[1], size[2]
    if what == 0:
        for i in range(len(points)):
            x, y, z = points[i, 0] - cx, points[i, 1] - cy, points[i, 2] - cz
            out[i] = np.sqrt(x * x + y * y + z * z) - s0
        return
    if what == 2:
        for i in range(len(points)):
            out[i] = (points[i, 0] - cx) * s0 + (points[i, 1] - cy) * s1 + (points[i, 2] - cz) * s2
        return
    m00, m10, m20, m01, m11, m21, m02, m12, m22 = (
        m[0, 0],
        m[1, 0],
        m[2, 0],
        m[0, 1],
        m[1, 1],
        m[2, 1],
        m[0, 2],
        m[1, 2],
        m[2, 2],
    )
    if what == 1:
        for i in range(len(points)):
            dx, dy, dz = points[i, 0] - cx, points[i, 1] - cy, points[i, 2] - cz
            qx, qy, qz = (
                abs(dx * m00 + dy * m10 + dz * m20) - s0,
                abs(dx * m01 + dy * m11 + dz * m21) - s1,
                abs(dx * m02 + dy * m12 + dz * m22) - s2,
            )
            ox, oy, oz = max(qx, 0.0), max(qy, 0.0), max(qz, 0.0)
            out[i] = np.sqrt(ox * ox + oy * oy + oz * oz) + min(max(qx, max(qy, qz)), 0.0)
        return
    for i in range(len(points)):
        dx, dy, dz = points[i, 0] - cx, points[i, 1] - cy, points[i, 2] - cz
        x, y, z = dx * m00 + dy * m10 + dz * m20, dx * m01 + dy * m11 + dz * m21, dx * m02 + dy * m12 + dz * m22
        r = np.sqrt(x * x + z * z)
        if what == 3:
            q, h = r - s0, abs(y) - 0.5 * s1
            oq, oh = max(q, 0.0), max(h, 0.0)
            out[i] = np.sqrt(oq * oq + oh * oh) + min(max(q, h), 0.0)
        elif what == 4:
            d = y - min(max(y, -0.5 * s1), 0.5 * s1)
            out[i] = np.sqrt(r * r + d * d) - s0
        elif what == 5:
            h = y - 0.5 * s1
            t = min(max((r * s0 - h * s1) / (s0 * s0 + s1 * s1), 0.0), 1.0)
            sx, sy = r - t * s0, h + t * s1
            bx, by = r - min(r, s0), h + s1
            d = np.sqrt(min(sx * sx + sy * sy, bx * bx + by * by))
            out[i] = -d if h > -s1 and r * s1 < -h * s0 else d
        else:
            q = r - s0
            out[i] = np.sqrt(q * q + y * y) - s1


@kernel(inner=True)
def _shape(profile: int, knots: Array, curve: Array, pieces: int, t: Array) -> None:
    """Places across the edge (n,) into values, in place."""
    n = len(t)
    if profile == 0:
        for i in range(n):
            t[i] = 1.0 - t[i]
    elif profile == 1:
        for i in range(n):
            t[i] = 1.0 - t[i] * t[i] * (3.0 - 2.0 * t[i])
    elif profile == 2:
        for i in range(n):
            t[i] = (1.0 - t[i]) * (1.0 - t[i])
    elif profile == 3:
        for i in range(n):
            t[i] = np.sqrt(max(0.0, 1.0 - t[i] * t[i]))
    else:
        for i in range(n):
            x = min(max(t[i], knots[0]), knots[pieces])
            k = 0
            while k < pieces - 1 and x >= knots[k + 1]:
                k += 1
            s = x - knots[k]
            t[i] = min(max(((curve[k, 0] * s + curve[k, 1]) * s + curve[k, 2]) * s + curve[k, 3], 0.0), 1.0)


@kernel
def _blend(how: int, opacity: float, top: Array, out: Array) -> None:
    """Lay values (n,) over what is beneath, in place (W3C Compositing and Blending, level 1)."""
    for i in range(len(out)):
        a, b = out[i], top[i]
        if how == 0:
            c = b
        elif how == 1:
            c = max(a, b)
        elif how == 2:
            c = min(a, b)
        elif how == 3:
            c = a + b
        elif how == 4:
            c = a - b
        elif how == 5:
            c = a * b
        elif how == 6:
            c = a + b - a * b
        else:
            c = 2.0 * a * b if a < 0.5 else 1.0 - 2.0 * (1.0 - a) * (1.0 - b)
        out[i] = a + opacity * (min(max(c, 0.0), 1.0) - a)


@kernel(allocates=True)
def _compose(
    points: Array,
    kind: Index,
    profile: Index,
    blend: Index,
    center: Array,
    turn: Array,
    size: Array,
    look: Array,
    knots: Array,
    curve: Array,
    pieces: Index,
    grain: Index,
    seed: Index,
    given: Array,
    out: Array,
) -> None:
    n = len(points)
    top, hold = np.empty(n), np.empty(4)
    for k in range(len(kind)):
        what = kind[k]
        if what == GIVEN_VALUE or what == GIVEN_PLACE:
            for i in range(n):
                top[i] = given[k, i]
        elif what == 7:
            top[:] = 0.0
        elif what == 8:
            for i in range(n):
                noise_at(
                    points[i, 0] / grain[k, 0],
                    points[i, 1] / grain[k, 0],
                    points[i, 2] / grain[k, 0],
                    grain[k, 1],
                    seed[k],
                    hold,
                )
                top[i] = min(max(0.5 + grain[k, 2] * (hold[0] - 0.5), 0.0), 1.0)
        else:
            _distance(what, points, center[k], turn[k], size[k], top)
            edge = look[k, 0]
            for i in range(n):
                top[i] = (1.0 if top[i] > 0.0 else 0.0) if edge <= 0.0 else min(max(top[i] / edge, 0.0), 1.0)
        if what != GIVEN_VALUE and what != 8:
            _shape(profile[k], knots[k], curve[k], pieces[k], top)
        least, most = look[k, 3], look[k, 4]
        if look[k, 1] != 0.0:
            least, most = most, least
        if least != 0.0 or most != 1.0:
            for i in range(n):
                top[i] = least + (most - least) * top[i]
        _blend(blend[k], look[k, 2], top, out)
