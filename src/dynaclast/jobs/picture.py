"""Small pictures of shots and takes for lists, drawn without a graphics card: faces, the farthest first."""

from __future__ import annotations

import io

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

Array = NDArray[np.float64]
SIZE = (320, 200)
FINER = 2
"""Drawn so many times as large, then made smaller, for smooth edges."""
MOST_FACES = 60_000
"""Of more, only as many are drawn, evenly taken."""
AZIMUTH, POLAR, FIELD_OF_VIEW = 0.62, 1.25, 0.6
"""As shots are looked at when they open [rad]."""
FILL = 0.86
RARE = 1.5
"""Share of the corners that may lie outside the picture on either side [%]."""
LIGHT = np.array([0.45, 0.8, 0.4]) / np.linalg.norm([0.45, 0.8, 0.4])


def _axes() -> Array:
    """Rows: to the right, up, and towards the camera."""
    sa, ca, sp, cp = np.sin(AZIMUTH), np.cos(AZIMUTH), np.sin(POLAR), np.cos(POLAR)
    return np.array([[ca, 0, -sa], [-cp * sa, sp, -cp * ca], [sp * sa, cp, sp * ca]])


def _on_screen(corners: Array, size: tuple[int, int]) -> tuple[Array, Array]:
    """Where points are seen, nearly all of them in the picture, and how far they are from the camera.

    corners : (F, 3, 3) [m]
    Returns (F, 3, 2) [pixels] and (F, 3) [m].
    """
    seen = corners @ _axes().T
    lo, hi = np.percentile(seen.reshape(-1, 3), [RARE, 100 - RARE], axis=0)  # a few far pieces may lie outside
    flat = np.clip(seen.reshape(-1, 3), lo, hi)
    middle = (lo + hi) / 2
    width, height = size
    tall = np.tan(FIELD_OF_VIEW / 2) * FILL
    wide = tall * width / height
    away = flat - middle
    distance = max((np.abs(away[:, 0]) / wide + away[:, 2]).max(), (np.abs(away[:, 1]) / tall + away[:, 2]).max(), 1e-6)
    depth = np.maximum(distance - (seen - middle)[..., 2], 0.2 * distance)
    scale = height / 2 / np.tan(FIELD_OF_VIEW / 2) / depth
    x = width / 2 + (seen - middle)[..., 0] * scale
    y = height / 2 - (seen - middle)[..., 1] * scale
    return np.stack([x, y], axis=-1), depth


def draw(corners: Array, color: Array) -> bytes:
    """A picture of triangles as PNG, clear where nothing is.

    corners : (F, 3, 3) float64, world [m], counter-clockwise from outside;  color : (F, 3) in [0, 1]
    """
    if len(corners) > MOST_FACES:
        keep = np.linspace(0, len(corners) - 1, MOST_FACES).astype(np.int64)
        corners, color = corners[keep], color[keep]
    size = (SIZE[0] * FINER, SIZE[1] * FINER)
    picture = Image.new("RGBA", size, (0, 0, 0, 0))
    if len(corners):
        at, depth = _on_screen(corners, size)
        normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        length = np.linalg.norm(normal, axis=1)
        normal /= np.where(length > 0, length, 1)[:, None]
        ab, ac = at[:, 1] - at[:, 0], at[:, 2] - at[:, 0]
        front = ab[:, 0] * ac[:, 1] - ab[:, 1] * ac[:, 0] < 0  # y goes down
        light = 0.34 + 0.66 * np.clip(normal @ LIGHT, 0, 1)
        shade = np.clip(color * light[:, None] * 255, 0, 255).astype(np.uint8)
        pen = ImageDraw.Draw(picture)
        order = np.argsort(-depth.mean(axis=1))
        for f in order[front[order]]:
            ink = (int(shade[f, 0]), int(shade[f, 1]), int(shade[f, 2]), 255)
            pen.polygon([(float(x), float(y)) for x, y in at[f]], fill=ink, outline=ink)
    out = io.BytesIO()
    picture.resize(SIZE, Image.Resampling.LANCZOS).save(out, "PNG")
    return out.getvalue()


STONE, INSIDE = np.array([0.72, 0.71, 0.66]), np.array([0.95, 0.45, 0.27])


def draw_mesh(corners: Array) -> bytes:
    """A mesh as PNG, usable or not: faces that are seen from behind, through holes or turned, in a colour that warns.

    corners : (F, 3, 3) float64 [m], counter-clockwise from outside
    """
    both = np.concatenate([corners, corners[:, ::-1]])
    color = np.repeat(np.stack([STONE, INSIDE]), len(corners), axis=0)
    return draw(both, color)
