"""All layers of a falloff in one pass over the points."""

from __future__ import annotations

from enum import IntEnum
from typing import Any, NamedTuple

import numpy as np

from ..arrays import Array, Index
from ..document import Layer
from ..geometry.rotations import rotation_matrix
from ..kernels import kernel
from .noise import noise_at
from .shapes import ON_BORDER


class Kind(IntEnum):
    """What a layer is worked out by; those before EVERYWHERE have a place."""

    SPHERE = 0
    BOX = 1
    PLANE = 2
    CYLINDER = 3
    CAPSULE = 4
    CONE = 5
    TORUS = 6
    EVERYWHERE = 7
    NOISE = 8
    GIVEN_PLACE = 20  # worked out beforehand, as a place across the edge
    GIVEN_VALUE = 21  # or as a value


class Profile(IntEnum):
    LINEAR = 0
    SMOOTH = 1
    SHARP = 2
    ROUND = 3
    POINTS = 4


class Blend(IntEnum):
    NORMAL = 0
    MAX = 1
    MIN = 2
    ADD = 3
    SUBTRACT = 4
    MULTIPLY = 5
    SCREEN = 6
    OVERLAY = 7


ROOM = 32
"""Most points of a profile that is given by points."""
EDGE, INVERT, OPACITY, LOW, HIGH = range(5)
"""Places in LayerTable.strength."""
GRAIN, PHASE, CONTRAST = range(3)
"""Places in LayerTable.noise."""


class LayerTable(NamedTuple):
    """Layers as the kernel reads them; L of them.

    kind     : (L,) int64, Kind
    profile  : (L,) int64, Profile
    blend    : (L,) int64, Blend
    center   : (L, 3) float64, [m]
    turn     : (L, 3, 3) float64, columns are the shape's axes
    size     : (L, 4) float64, [m]; of a plane its normal
    strength : (L, 5) float64, places as EDGE and following
    knots    : (L, ROOM) float64, of a profile by points
    curve    : (L, ROOM, 4) float64, its cubic pieces
    pieces   : (L,) int64, how many
    noise    : (L, 3) float64, places as GRAIN and following
    seed     : (L,) int64
    """

    kind: Index
    profile: Index
    blend: Index
    center: Array
    turn: Array
    size: Array
    strength: Array
    knots: Array
    curve: Array
    pieces: Index
    noise: Array
    seed: Index


def _empty(n: int) -> LayerTable:
    kind, profile, blend, pieces, seed = (np.zeros(n, np.int64) for _ in range(5))
    return LayerTable(
        kind,
        profile,
        blend,
        np.zeros((n, 3)),
        np.tile(np.eye(3), (n, 1, 1)),
        np.zeros((n, 4)),
        np.zeros((n, 5)),
        np.zeros((n, ROOM)),
        np.zeros((n, ROOM, 4)),
        pieces,
        np.ones((n, 3)),
        seed,
    )


def _kind_of(name: str) -> Kind:
    if name in ("mesh", "pieces"):
        return Kind.GIVEN_PLACE
    return Kind[name.upper()] if name.upper() in Kind.__members__ else Kind.GIVEN_VALUE


class ComposedLayers:
    """Some layers, ready to be laid over each other at any points.

    asked : which of them are worked out beforehand
    """

    def __init__(self, layers: list[Layer], places: list[tuple[Array, Array] | None], time: float) -> None:
        self.table, self._rate = _empty(len(layers)), np.zeros(len(layers))
        for k, layer in enumerate(layers):
            self._fill(k, layer, places[k], time)
        self.asked: list[int] = np.flatnonzero(self.table.kind >= Kind.GIVEN_PLACE).tolist()

    def _fill(self, k: int, layer: Layer, place: tuple[Array, Array] | None, time: float) -> None:
        table, shape = self.table, layer.shape
        table.kind[k], table.blend[k] = _kind_of(shape.kind), Blend[layer.blend.upper()]
        if isinstance(layer.profile, str):
            table.profile[k] = Profile[layer.profile.upper()]
        else:
            from scipy.interpolate import PchipInterpolator

            where, values = np.array(layer.profile, float).T
            cubic = PchipInterpolator(where, values)
            count = min(ROOM - 1, len(where) - 1)
            table.profile[k], table.pieces[k] = Profile.POINTS, count
            table.knots[k, : count + 1] = where[: count + 1]
            table.curve[k, :count] = cubic.c[:, :count].T
        table.strength[k] = getattr(shape, "edge", 0.0), layer.invert, layer.opacity, layer.low, layer.high
        if shape.kind == "noise":
            table.noise[k] = shape.size, time * shape.rate, shape.contrast
            table.seed[k], self._rate[k] = shape.seed, shape.rate
        if table.kind[k] < Kind.EVERYWHERE:
            self._place(k, shape, place)

    def _place(self, k: int, shape: Any, place: tuple[Array, Array] | None) -> None:
        """Where a shape is and how large; which numbers it has goes by its kind."""
        table = self.table
        table.center[k] = shape.center
        if shape.kind == "plane":
            table.size[k, :3] = np.asarray(shape.normal) / np.linalg.norm(shape.normal)
        elif shape.kind == "box":
            table.size[k, :3] = 0.5 * np.asarray(shape.core)
        elif shape.kind == "torus":
            table.size[k, :2] = shape.ring, shape.core
        else:
            table.size[k, :2] = shape.core, getattr(shape, "height", 0.0)
        if hasattr(shape, "rotation"):
            table.turn[k] = rotation_matrix(shape.rotation)
        if place is not None:  # it rides: its own place comes first
            point, turned = place
            table.center[k] = point
            table.turn[k] = turned @ table.turn[k]
            if shape.kind == "plane":
                table.size[k, :3] = turned @ table.size[k, :3]

    def at(self, time: float) -> None:
        """Go on to a time [s]: noise changes with it."""
        self.table.noise[:, PHASE] = time * self._rate

    def compose(self, points: Array, given: Array, out: Array) -> None:
        """Lay the layers over what is in out (n,); given (L, n): what was worked out beforehand."""
        _compose(points, self.table, given, out)


@kernel(fastmath={"contract"}, inner=True)
def _distance(what: int, points: Array, center: Array, m: Array, size: Array, out: Array) -> None:
    """Signed distance of points (n, 3) to one core; m (3, 3) its axes as columns."""
    cx, cy, cz = center[0], center[1], center[2]
    s0, s1, s2 = size[0], size[1], size[2]
    if what == Kind.SPHERE:
        for i in range(len(points)):
            x, y, z = points[i, 0] - cx, points[i, 1] - cy, points[i, 2] - cz
            out[i] = np.sqrt(x * x + y * y + z * z) - s0
        return
    if what == Kind.PLANE:
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
    if what == Kind.BOX:
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
        if what == Kind.CYLINDER:
            q, h = r - s0, abs(y) - 0.5 * s1
            oq, oh = max(q, 0.0), max(h, 0.0)
            out[i] = np.sqrt(oq * oq + oh * oh) + min(max(q, h), 0.0)
        elif what == Kind.CAPSULE:
            d = y - min(max(y, -0.5 * s1), 0.5 * s1)
            out[i] = np.sqrt(r * r + d * d) - s0
        elif what == Kind.CONE:
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
    if profile == Profile.LINEAR:
        for i in range(n):
            t[i] = 1.0 - t[i]
    elif profile == Profile.SMOOTH:
        for i in range(n):
            t[i] = 1.0 - t[i] * t[i] * (3.0 - 2.0 * t[i])
    elif profile == Profile.SHARP:
        for i in range(n):
            t[i] = (1.0 - t[i]) * (1.0 - t[i])
    elif profile == Profile.ROUND:
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
        if how == Blend.NORMAL:
            c = b
        elif how == Blend.MAX:
            c = max(a, b)
        elif how == Blend.MIN:
            c = min(a, b)
        elif how == Blend.ADD:
            c = a + b
        elif how == Blend.SUBTRACT:
            c = a - b
        elif how == Blend.MULTIPLY:
            c = a * b
        elif how == Blend.SCREEN:
            c = a + b - a * b
        else:
            c = 2.0 * a * b if a < 0.5 else 1.0 - 2.0 * (1.0 - a) * (1.0 - b)
        out[i] = a + opacity * (min(max(c, 0.0), 1.0) - a)


@kernel(allocates=True)
def _compose(points: Array, layers: LayerTable, given: Array, out: Array) -> None:
    """Lay layers over what is in out.

    points : (n, 3) float64, [m]
    given  : (L, n) float64, what was worked out beforehand
    out    : (n,) float64, in and out
    """
    n = len(points)
    top, hold = np.empty(n), np.empty(4)
    for k in range(len(layers.kind)):
        what, grain, strength = layers.kind[k], layers.noise[k], layers.strength[k]
        if what == Kind.GIVEN_VALUE or what == Kind.GIVEN_PLACE:
            for i in range(n):
                top[i] = given[k, i]
        elif what == Kind.EVERYWHERE:
            top[:] = 0.0
        elif what == Kind.NOISE:
            for i in range(n):
                noise_at(
                    points[i, 0] / grain[GRAIN],
                    points[i, 1] / grain[GRAIN],
                    points[i, 2] / grain[GRAIN],
                    grain[PHASE],
                    layers.seed[k],
                    hold,
                )
                top[i] = min(max(0.5 + grain[CONTRAST] * (hold[0] - 0.5), 0.0), 1.0)
        else:
            _distance(what, points, layers.center[k], layers.turn[k], layers.size[k], top)
            edge = strength[EDGE]
            for i in range(n):
                top[i] = (1.0 if top[i] > ON_BORDER else 0.0) if edge <= 0.0 else min(max(top[i] / edge, 0.0), 1.0)
        if what != Kind.GIVEN_VALUE and what != Kind.NOISE:
            _shape(layers.profile[k], layers.knots[k], layers.curve[k], layers.pieces[k], top)
        least, most = strength[LOW], strength[HIGH]
        if strength[INVERT] != 0.0:
            least, most = most, least
        if least != 0.0 or most != 1.0:
            for i in range(n):
                top[i] = least + (most - least) * top[i]
        _blend(layers.blend[k], strength[OPACITY], top, out)
