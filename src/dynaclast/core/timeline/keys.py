"""Keys of a motion: positions and orientations over time."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ..arrays import Array
from ..document import Motion, PlaceKey
from ..document.base import turned

if TYPE_CHECKING:
    from scipy.interpolate import CubicHermiteSpline


def bezier_share(curve: tuple[float, float, float, float], share: float) -> float:
    """Share of the way at a share of the time on a cubic curve from (0, 0) to (1, 1) with two handles (W3C CSS Easing
    Functions, level 2). Solved by bisection: x grows with the parameter.
    """
    x1, y1, x2, y2 = curve
    lo, hi = 0.0, 1.0
    for _ in range(48):
        t = 0.5 * (lo + hi)
        if 3 * (1 - t) ** 2 * t * x1 + 3 * (1 - t) * t * t * x2 + t**3 < share:
            lo = t
        else:
            hi = t
    t = 0.5 * (lo + hi)
    return 3 * (1 - t) ** 2 * t * y1 + 3 * (1 - t) * t * t * y2 + t**3


def slerp(a: Array, b: Array, share: float) -> Array:
    """The turn between two turns (4,), at constant rate the short way round (Shoemake 1985, doi
    10.1145/325334.325242).
    """
    b = -b if a @ b < 0 else b
    angle = np.arccos(min(1.0, float(a @ b)))
    if angle < 1e-6:
        out = a + share * (b - a)
    else:
        out = (np.sin((1 - share) * angle) * a + np.sin(share * angle) * b) / np.sin(angle)
    return out / np.linalg.norm(out)


def eased(times: Array, rows: Array) -> CubicHermiteSpline:
    """The curve through rows (n, k) at times (n,), n > 1: a monotone cubic (Fritsch and Carlson 1980), level at both
    ends.
    """
    from scipy.interpolate import CubicHermiteSpline, PchipInterpolator

    slopes = PchipInterpolator(times, rows).derivative()(times)
    slopes[[0, -1]] = 0.0
    return CubicHermiteSpline(times, rows, slopes)


@dataclass(frozen=True)
class Path:
    """The keys of a motion, ready to be asked."""

    keys: list[PlaceKey]
    times: Array
    smooth: CubicHermiteSpline | None
    turns: Array
    angles: Array | None = None
    """(n, 3) turns about x, y, z [degrees], where all keys are given by them."""

    @staticmethod
    def of(motion: Motion) -> Path:
        keys = motion.keys
        times = np.array([k.time for k in keys])
        turns = np.array([k.rotation for k in keys], float)
        turns /= np.linalg.norm(turns, axis=1, keepdims=True)
        for k in range(1, len(turns)):
            if turns[k] @ turns[k - 1] < 0:
                turns[k] = -turns[k]
        said = [k.angles for k in keys if k.angles is not None]
        angles = np.array(said, float) if len(said) == len(keys) else None
        rows = np.concatenate(
            [np.array([k.position for k in keys], float), turns if angles is None else angles], axis=1
        )
        return Path(keys, times, eased(times, rows) if len(keys) > 1 else None, turns, angles)

    def at(self, time: float) -> tuple[Array, Array]:
        """Position (3,) [m] and turn (4,) at a time [s]; smooth keys are joined as ``eased``."""
        k = int(np.searchsorted(self.times, time, side="right")) - 1
        if k < 0 or k >= len(self.keys) - 1 or self.keys[k].how == "step":
            k = max(k, 0)
            return np.array(self.keys[k].position, float), self.turns[k]
        here, there = self.keys[k], self.keys[k + 1]
        share = (time - here.time) / (there.time - here.time)
        if here.how == "smooth" and self.smooth is not None:
            row = self.smooth(time)
            if self.angles is not None:
                return row[:3], np.array(turned(tuple(row[3:])))
            return row[:3], row[3:] / np.linalg.norm(row[3:])
        if here.how == "bezier":
            share = bezier_share(here.curve, share)
        a, b = np.array(here.position, float), np.array(there.position, float)
        if self.angles is not None:
            now = self.angles[k] + share * (self.angles[k + 1] - self.angles[k])
            return a + share * (b - a), np.array(turned(tuple(now)))
        return a + share * (b - a), slerp(self.turns[k], self.turns[k + 1], share)
