"""About what soft bodies, or their pieces, can turn as a whole: what is pinned may leave them that."""

from __future__ import annotations

import numpy as np

from ....arrays import Index, lengths
from ...deformable.tables import Hinge
from .joining import Joined
from .part import Part

NO_WIDTH = 1e-3
"""What is pinned lies in one place, or on one line, up to this share of the size of what hangs together."""


def hinges(part: Part, joined: Joined) -> Index:
    """By number of what hangs together (V, 2): as FactorTable.hinge, of the part's own vertices."""
    out = np.full((len(part.x), 2), Hinge.FREE, np.int32)
    leads = joined.lead == np.arange(len(part.x))
    held = leads & (joined.pinned | joined.gone)
    for island in np.unique(joined.island[held]):
        own = np.flatnonzero(held & (joined.island == island))
        out[island] = _hinge(part, own, np.flatnonzero(leads & (joined.island == island)))
    return out


def _hinge(part: Part, held: Index, whole: Index) -> tuple[int, int]:
    """Of pinned vertices (n,) among all that hang together (m,)."""
    x = part.start[held]
    width = NO_WIDTH * np.ptp(part.start[whole], axis=0).max()
    off = x - x[0]
    far = int(np.argmax((off**2).sum(axis=1)))
    length = np.linalg.norm(off[far])
    if length <= width:
        return int(held[0]), int(held[0])
    along = off[far] / length
    beside = lengths(off - (off @ along)[:, None] * along).max()
    rides = len(held) > 2 and bool((part.carried_by[held] >= 0).any())  # they may leave their line
    if beside > width or rides:
        return Hinge.HELD, Hinge.HELD
    return int(held[0]), int(held[far])
