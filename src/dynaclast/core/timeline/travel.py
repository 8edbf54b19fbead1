"""Where a field has travelled to on its path or round its centre."""

from __future__ import annotations

import numpy as np

from ..arrays import Array, lengths
from ..document import PathTravel


def along_path(travel: PathTravel, time: float) -> Array:
    """The place (3,) on a path at a time, at even speed by its length; smooth: rounded, gently started and stopped."""
    points = np.asarray(travel.points, float)
    share = float(np.clip((time - travel.start) / travel.time, 0.0, 1.0))
    steps = np.concatenate([[0.0], np.cumsum(lengths(np.diff(points, axis=0)))])
    if steps[-1] <= 0:
        return points[0]
    if not travel.smooth:
        return np.array([np.interp(share * steps[-1], steps, points[:, c]) for c in range(3)])
    from scipy.interpolate import PchipInterpolator

    keep = np.append(True, np.diff(steps) > 0)
    share = share * share * (3 - 2 * share)
    return np.asarray(PchipInterpolator(steps[keep], points[keep])(share * steps[-1])) if keep.sum() > 1 else points[0]
