"""Where an animated body is at a time."""

from __future__ import annotations

from dataclasses import dataclass

from ..arrays import Array
from ..geometry.rotations import quaternion_product, vector_to_quaternion
from .keys import Path


@dataclass(frozen=True)
class Drive:
    """How an animated body moves: along its path, or steadily about its centre of mass.

    pivot : (3,) the point of the opening pose that ``at`` gives the place of [m]
    """

    pivot: Array
    path: Path | None
    velocity: Array
    angular_velocity: Array

    def at(self, time: float) -> tuple[Array, Array]:
        """Where the pivot is (3,) [m], and the turn (4,) from the opening pose."""
        if self.path is None:
            return self.pivot + time * self.velocity, vector_to_quaternion(time * self.angular_velocity)
        position, turn = self.path.at(time)
        return position, quaternion_product(turn, self.path.at(0.0)[1] * [-1, -1, -1, 1])
