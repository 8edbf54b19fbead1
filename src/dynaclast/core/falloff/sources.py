"""Layers that are no shape: near a mesh or pieces, a picture, a recording, a memory of what lies beneath. Each gives
values (n,).
"""

from __future__ import annotations

import base64
import binascii
import io
import warnings
from collections.abc import Callable
from typing import Any

import numpy as np
from scipy.spatial import cKDTree

from ..arrays import Array, lengths
from ..document import (
    DelayReach,
    HoldReach,
    ImageReach,
    MeshReach,
    PaintedReach,
    PiecesReach,
    SoundReach,
    Stroke,
    TrailReach,
)
from ..errors import InputError
from ..geometry.rotations import rotation_matrix
from ..remembered import Remembered
from .context import EvaluationContext, remembered
from .shapes import ON_BORDER


def across(distance: Array, core: float, edge: float) -> Array:
    """Place across the edge (n,) from a distance: 0 in the core, 1 at and beyond the outer limit."""
    d = distance - core
    return (d > ON_BORDER).astype(np.float64) if edge <= 0.0 else np.clip(d / edge, 0.0, 1.0)


def near_mesh(shape: MeshReach, points: Array, context: EvaluationContext) -> Array:
    """Place across the edge (n,) of a mesh; everything lies outside where the body is not known."""
    if context.world is None:
        return np.ones(len(points))
    mesh, turn, offset = context.world.surface(shape.body)
    local = (points - offset) @ rotation_matrix(turn)
    if shape.of == "vertices":
        distance, _ = cKDTree(mesh.mesh.vertices).query(local, distance_upper_bound=shape.core + shape.edge + 1e-9)
        distance = np.minimum(distance, shape.core + shape.edge + 1e-9)
    else:
        distance = mesh.signed(np.ascontiguousarray(local), shape.core + shape.edge + 1e-9)
    return across(distance, shape.core, shape.edge)


def near_pieces(shape: PiecesReach, points: Array, context: EvaluationContext) -> Array:
    if context.world is None:
        return np.ones(len(points))
    middle, size = context.world.pieces(shape.body)
    if not len(middle):
        return np.ones(len(points))
    # balls of different size: the nearest surface is among the balls whose middle is within reach of the largest
    top = 0.5 * float(size.max())
    tree = cKDTree(middle)
    k = min(8, len(middle))
    found: Any = tree.query(points, k=k, distance_upper_bound=shape.core + shape.edge + top + 1e-9)
    d, which = found[0].reshape(len(points), k), found[1].reshape(len(points), k)
    radius = np.append(0.5 * size, 0.0)[which]
    return across(np.where(np.isfinite(d), d - radius, np.inf).min(axis=1), shape.core, shape.edge)


MOST_PIXELS = 16_000_000
"""Of a picture."""
MOST_SAMPLES = 50_000_000
"""Of a recording, over all its channels."""


def _bytes_of(key: Any, value: Any) -> int:
    """Of a text with what it says, and of arrays."""
    texts = sum(len(x) for x in key if isinstance(x, str))
    return texts + sum(x.nbytes for x in (value if isinstance(value, tuple) else (value,)) if isinstance(x, np.ndarray))


_pictures: Remembered[Array] = Remembered(256_000_000, _bytes_of)
_recordings: Remembered[tuple[Array, float]] = Remembered(128_000_000, _bytes_of)


def _png(text: str) -> Array:
    """Brightness (h, w) in [0, 1] of a picture, by the luma of ITU-R BT.709; clear parts count as black."""
    return _pictures.recall((text,), lambda: _decode_png(text))


def _decode_png(text: str) -> Array:
    from PIL import Image  # few shots have pictures

    try:
        with Image.open(io.BytesIO(base64.b64decode(text, validate=True)), formats=["PNG"]) as found:
            w, h = found.size  # of its header: nothing is decoded yet
            if w * h > MOST_PIXELS:
                raise InputError(
                    f"the picture has {w} x {h} pixels; make it smaller than {MOST_PIXELS // 1_000_000} million",
                    where="picture",
                )
            pixels = np.asarray(found.convert("RGBA"), float) / 255.0
    except (binascii.Error, ValueError, OSError, Image.DecompressionBombError, Image.DecompressionBombWarning):
        raise InputError("the picture is not a PNG file that can be read", where="picture") from None
    return (pixels[..., :3] @ np.array([0.2126, 0.7152, 0.0722])) * pixels[..., 3]


def picture(shape: ImageReach, points: Array, context: EvaluationContext) -> Array:
    """Brightness where a point is seen along z, between pixels by straight lines."""
    pixels = _png(shape.picture)
    local = (points - np.asarray(shape.center)) @ rotation_matrix(shape.rotation)
    h, w = pixels.shape
    u, v = (local[:, 0] / shape.size[0] + 0.5) * w - 0.5, (0.5 - local[:, 1] / shape.size[1]) * h - 0.5
    seen = (u >= -0.5) & (u <= w - 0.5) & (v >= -0.5) & (v <= h - 0.5)
    u, v = np.clip(u, 0, w - 1), np.clip(v, 0, h - 1)
    i, j = np.minimum(u.astype(int), max(0, w - 2)), np.minimum(v.astype(int), max(0, h - 2))
    s, t = u - i, v - j
    i2, j2 = np.minimum(i + 1, w - 1), np.minimum(j + 1, h - 1)
    value = (1 - t) * ((1 - s) * pixels[j, i] + s * pixels[j, i2]) + t * ((1 - s) * pixels[j2, i] + s * pixels[j2, i2])
    return np.where(seen, value, 0.0)


def _loudness(text: str, window: float) -> tuple[Array, float]:
    """Root mean square over windows, the loudest 1, and the time between two of them [s]."""
    return _recordings.recall((text, window), lambda: _listen(text, window))


def _listen(text: str, window: float) -> tuple[Array, float]:
    from scipy.io import wavfile

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # what is cut off is heard as far as it goes
            rate, samples = wavfile.read(io.BytesIO(base64.b64decode(text, validate=True)))
    except Exception:
        raise InputError("the recording is not a WAV file that can be read", where="recording") from None
    if not samples.size or rate <= 0 or not np.isfinite(samples).all():
        raise InputError("the recording holds no sound, or samples that are no numbers", where="recording")
    if samples.size > MOST_SAMPLES:
        raise InputError(
            f"the recording has {samples.size // 1_000_000} million samples; the limit is "
            f"{MOST_SAMPLES // 1_000_000}. Make it shorter, or of one channel",
            where="recording",
        )
    top = float(np.iinfo(samples.dtype).max) if samples.dtype.kind in "iu" else 1.0
    wave = samples.astype(float).reshape(len(samples), -1).mean(axis=1) / top
    if samples.dtype == np.uint8:
        wave = wave * 2.0 - 1.0
    width = max(1, round(window * rate))
    count = max(1, -(-len(wave) // width))
    padded = np.zeros(count * width)
    padded[: len(wave)] = wave
    loud = np.sqrt((padded.reshape(count, width) ** 2).mean(axis=1))
    return loud / max(float(loud.max()), 1e-12), width / rate


def sound(shape: SoundReach, points: Array, context: EvaluationContext) -> Array:
    loud, step = _loudness(shape.recording, shape.window)
    at = (context.time - shape.start) / step - 0.5
    now = float(np.interp(at, np.arange(len(loud)), loud)) if -0.5 <= at <= len(loud) - 0.5 else 0.0
    return np.full(len(points), min(1.0, shape.gain * now))


# ------------------------------------------------------------------------------------- brush

MIRROR = {"x": (-1.0, 1.0, 1.0), "y": (1.0, -1.0, 1.0), "z": (1.0, 1.0, -1.0)}


def distance_to_line(points: Array, line: Array, most: float) -> Array:
    """Distance (n,) [m] of points (n, 3) to a line through others (m, 3); infinite where it is more than so much."""
    out = np.full(len(points), np.inf)
    low, high = line.min(axis=0) - most, line.max(axis=0) + most
    near = np.flatnonzero(((points >= low) & (points <= high)).all(axis=1))
    if not len(near):
        return out
    own = points[near]
    ends = line[1:] if len(line) > 1 else line
    step = np.diff(line, axis=0) if len(line) > 1 else np.zeros((1, 3))
    tree, best = cKDTree(own), np.full(len(own), np.inf)
    for start, along, end in zip(line, step, ends, strict=False):
        some = tree.query_ball_point(0.5 * (start + end), most + 0.5 * float(np.linalg.norm(along)))
        away, long2 = own[some] - start, float(along @ along)
        share = np.clip(away @ along / long2, 0.0, 1.0) if long2 > 0 else np.zeros(len(some))
        found = lengths(away - share[:, None] * along)
        best[some] = np.minimum(best[some], found)
    out[near] = np.where(best <= most, best, np.inf)
    return out


def covered(stroke: Stroke, points: Array) -> Array:
    """How much of a stroke lies on points (n, 3) of its layer's frame: (n,), 1 at its line, 0 beyond its radius."""
    line, most = np.asarray(stroke.points, float), stroke.radius
    distance = distance_to_line(points, line, most)
    if stroke.mirror is not None:
        distance = np.minimum(distance, distance_to_line(points, line * MIRROR[stroke.mirror], most))
    fade = stroke.soft * most
    place = np.clip((most - distance) / fade, 0.0, 1.0) if fade > 0 else (distance <= most).astype(float)
    return place * place * (3.0 - 2.0 * place)


def painted(shape: PaintedReach, beneath: Array, points: Array) -> Array:
    """What lies beneath (n,), painted over at points (n, 3)."""
    local = (points - np.asarray(shape.center)) @ rotation_matrix(shape.rotation)
    out = beneath.copy()
    for stroke in shape.strokes:
        cover = covered(stroke, local)
        if stroke.how == "set":
            out += cover * (stroke.strength - out)
        else:
            out += (1.0 if stroke.how == "add" else -1.0) * stroke.strength * cover
            np.clip(out, 0.0, 1.0, out=out)
    return out


# ------------------------------------------------------------------------------------ memory


def trail(shape: TrailReach, beneath: Array, context: EvaluationContext, layer: int) -> Array:
    """Follows with at most 1 / rise up and 1 / fall down a second: the same however often it is asked, where what lies
    beneath is steady.
    """
    if context.memory is None:
        return beneath
    kept = remembered(context, layer, np.zeros(len(beneath)) if shape.rise > 0 else beneath)
    up = context.step / shape.rise if shape.rise > 0 else np.inf
    down = context.step / shape.fall if shape.fall > 0 else np.inf
    kept += np.clip(beneath - kept, -down, up)
    return kept.copy()


def hold(shape: HoldReach, beneath: Array, context: EvaluationContext, layer: int) -> Array:
    if context.memory is None:
        return beneath
    kept = remembered(context, layer, beneath)
    np.maximum(kept, beneath, out=kept)
    return kept.copy()


def delay(shape: DelayReach, beneath: Array, context: EvaluationContext, layer: int) -> Array:
    """What lay beneath ``by`` seconds ago, between two looks by a straight line; before there was a look, 0."""
    if context.memory is None or shape.by <= 0:
        return beneath
    key = f"{context.key}:{layer}"
    rows = context.memory.get(key, np.zeros((0, len(beneath) + 1)))
    rows = np.concatenate([rows, np.append(context.time, beneath)[None]])
    wanted = context.time - shape.by
    first = int(np.searchsorted(rows[:, 0], wanted, side="right")) - 1
    context.memory[key] = rows[max(0, first) :]
    if first < 0:
        return np.zeros(len(beneath))
    if first == len(rows) - 1:
        return rows[first, 1:].copy()
    t0, t1 = rows[first, 0], rows[first + 1, 0]
    share = (wanted - t0) / (t1 - t0)
    return (1 - share) * rows[first, 1:] + share * rows[first + 1, 1:]


REMEMBERS: dict[str, Callable[..., Array]] = {"trail": trail, "delay": delay, "hold": hold}
