"""What a field acts on: n points of matter in one index space.

An effect is written once, over samples, and so acts on pieces, on bonds, and on the vertices of deformable bodies.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from ..arrays import Array

PIECES, BONDS, VERTICES, SEAMS = "pieces", "bonds", "vertices", "seams"
"""Names of index spaces."""


class Exposure(Protocol):
    """Areas that samples turn to the air."""

    def __call__(self, past: Array) -> tuple[Array, Array]:
        """For air that streams past.

        past    : (n, 3) float64, [m/s]
        Returns : (n,) float64, [m2], area met; (n, 3) float64, [m2], sum of the windward faces' normals, each times its
                  area and how squarely it faces the air
        """


@dataclass(frozen=True)
class Samples:
    """Samples of one index space, n of them.

    space             : name of the index space
    point             : (n, 3) float64, [m], where they are now
    mass              : (n,) float64, [kg]
    size              : (n,) float64, [m]
    velocity          : (n, 3) float64, [m/s]
    angular_velocity  : (n, 3) float64, [rad/s]
    gravity           : (n, 3) float64, [m/s2], as it acts on each
    midpoint_velocity : (n, 3) float64, [m/s], that they are likely to have half way through the step
    exposure          : what they turn to the air; None where that is not known: then size squared
    acceleration      : (n, 3) float64, [m/s2], over the last interval; not a number where that is not known, or where
                        it was a jump; None where it is known of none
    lead              : (n, 3) float64, [m/s], by how much they moved faster in the last interval than their velocities
                        say, since what falls in substeps runs half a substep ahead; 0 where that is not known
    lee               : by a direction (3,), unit, of the wind and a length [m], how far each stands in the lee of
                        something (n,), 0 to 1; None where that is not known
    """

    space: str
    point: Array
    mass: Array
    size: Array
    velocity: Array
    angular_velocity: Array
    gravity: Array
    midpoint_velocity: Array
    exposure: Exposure | None = None
    acceleration: Array | None = None
    lead: Array | float = 0.0
    lee: Callable[[Array, float], Array] | None = None

    def __len__(self) -> int:
        return len(self.point)


def at_rest(space: str, point: Array, mass: Array | None = None, size: Array | None = None) -> Samples:
    """Samples that nothing moves, weightless; of mass and size 1 unless given."""
    n = len(point)
    still, one = np.zeros((n, 3)), np.ones(n)
    return Samples(
        space, point, one if mass is None else mass, one if size is None else size, still, still, still, still
    )
