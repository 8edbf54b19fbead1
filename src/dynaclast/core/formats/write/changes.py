"""Which frames of an animation need writing."""

from __future__ import annotations

import numpy as np


def changes(rows: np.ndarray) -> np.ndarray:
    """Frames (ascending) that a linear reading needs: first, last, and both ends of every run of equal rows."""
    same = (rows[1:] == rows[:-1]).all(axis=1)
    keep = np.ones(len(rows), bool)
    keep[1:-1] = ~(same[:-1] & same[1:])
    return np.flatnonzero(keep)
