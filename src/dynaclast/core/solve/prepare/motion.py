"""What moves bodies, or holds them until something happens."""

from __future__ import annotations

import numpy as np

from ...document import Body, ReleaseCue, ReleaseTouch, Shot
from ...timeline.drive import Drive
from ...timeline.keys import Path
from ..model import Hold, PieceTable, Release


def hold_of(body: Body) -> Hold:
    """What holds a body's pieces at the start, anchors left out."""
    if body.role != "active":
        return Hold.FIXED if body.role == "passive" else Hold.DRIVEN
    if isinstance(body.release, ReleaseTouch):
        return Hold.TOUCH
    return Hold.CUE if isinstance(body.release, ReleaseCue) else Hold.FREE


def releases(shot: Shot) -> list[Release]:
    """What each body waits for."""
    out = []
    for body in shot.bodies:
        if isinstance(body.release, ReleaseTouch):
            out.append(Release(body.release.part, np.inf))
        else:
            out.append(
                Release("body", body.release.time) if isinstance(body.release, ReleaseCue) else Release("piece", np.inf)
            )
    return out


def drives_of(shot: Shot, table: PieceTable) -> list[Drive | None]:
    """How each animated body moves."""
    out: list[Drive | None] = []
    for b, body in enumerate(shot.bodies):
        if body.role != "animated":
            out.append(None)
        elif body.motion is not None:
            out.append(Drive(np.asarray(body.place.position, float), Path.of(body.motion), np.zeros(3), np.zeros(3)))
        else:
            own = table.body == b
            middle = (table.mass[own, None] * table.rest_center[own]).sum(axis=0) / table.mass[own].sum()
            out.append(Drive(middle, None, np.asarray(body.velocity, float), np.asarray(body.spin, float)))
    return out
