"""How far was looked for what deformable bodies may meet in an interval."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Flags, Index

PAIRS_MISSED, THROWN, ASTRAY, CROSSED = range(4)
"""Places in Looked.missed: pairs of a point and a shape; those of them for which a step is to last one substep;
assemblies that turn so fast, or get so far from where a step took them, that it is; and pairs of deformable bodies of
which steps last differently long, and whose ways crossed."""


class Looked(NamedTuple):
    """How far points and shapes were expected to go when near pairs were looked for, and how far to look.

    seen   : (B,) uint8, whether a deformable body was looked at
    start  : (C, 3) float64, [m], where points were; margin (C,), [m], that far from them, their thickness included
    center : (S, 3) float64, [m], where shapes were; far (S,), [m], so far they could go
    wider  : (B,) float64, [m], added to the margin of all points of a body
    faster : (A,) float64, [m/s], speed that an assembly is expected to reach at least
    thrown_at : (B,) uint8, bodies that something was thrown at in the middle of a step
    astray : (A,) uint8, assemblies that turn too fast for such a step, or went elsewhere than it took them
    spare  : (B,) float64, [m], and box (B, 2, 3), of each body at the end: how far its points could still have gone,
             and round the ways they went
    to     : (3,) float64, [m], scratch
    missed : (4,) int64
    """

    seen: Flags
    start: Array
    margin: Array
    center: Array
    far: Array
    wider: Array
    faster: Array
    thrown_at: Flags
    astray: Flags
    spare: Array
    box: Array
    to: Array
    missed: Index


def make_looked(bodies: int, points: int, shapes: int, slots: int) -> Looked:
    f = np.zeros
    return Looked(
        f(bodies, np.uint8),
        f((points, 3)),
        f(points),
        f((shapes, 3)),
        f(shapes),
        f(bodies),
        f(slots),
        f(bodies, np.uint8),
        f(slots, np.uint8),
        f(bodies),
        f((bodies, 2, 3)),
        f(3),
        f(4, np.int64),
    )
