"""Where a field is at a time, by its travel, and where it aims."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..arrays import Array
from ..document import FieldItem, PathTravel, RideTravel, RoundTravel
from ..falloff.context import NOW, EvaluationContext
from ..falloff.value import origin
from ..geometry.rotations import rotation_matrix, vector_to_quaternion
from ..timeline.travel import along_path

UNTURNED = np.eye(3)


class Pose(NamedTuple):
    """How a field has moved from where the document puts it: first turned, then shifted.

    rotation  : (3, 3) float64
    shift     : (3,) float64, [m]
    origin    : (3,) float64, [m], now
    direction : (3,) float64, unit direction or axis now; zero for effects without one
    """

    rotation: Array
    shift: Array
    origin: Array
    direction: Array

    def to_document(self, points: Array) -> Array:
        """Points (n, 3) of the world where the document's reach sees them."""
        if not self.shift.any() and self.rotation is UNTURNED:
            return points
        return (points - self.shift) @ self.rotation


def direction_of(item: FieldItem) -> Array:
    """The effect's own direction or axis, unit (3,); zero where it has none."""
    given = vars(item.effect)
    own = given.get("direction", given.get("axis"))
    return np.zeros(3) if own is None else np.asarray(own, float) / np.linalg.norm(own)


def _middle(context: EvaluationContext, body: str) -> Array | None:
    """Middle (3,) of a body's or group's pieces; None where it has none."""
    if context.world is None:
        return None
    middle, _ = context.world.pieces(body)
    return middle.mean(axis=0) if len(middle) else None


def pose_of(item: FieldItem, context: EvaluationContext = NOW, origins: dict[str, Array] | None = None) -> Pose:
    """Where a field is. ``origins``: where other fields are, for aims."""
    start = origin(item.reach, context)
    rotation, shift, direction = UNTURNED, np.zeros(3), direction_of(item)
    travel = item.travel
    if isinstance(travel, PathTravel):
        shift = along_path(travel, context.time) - start
    elif isinstance(travel, RoundTravel):
        center = np.asarray(travel.center, float)
        if travel.body is not None:
            middle = _middle(context, travel.body)
            center = center if middle is None else middle
        axis = np.asarray(travel.axis, float) / np.linalg.norm(travel.axis)
        m = rotation_matrix(vector_to_quaternion(2 * np.pi * travel.rate * context.time * axis))
        if travel.turning:
            rotation, shift, direction = m, center - m @ center, m @ direction
        else:
            shift = center + m @ (start - center) - start
    elif isinstance(travel, RideTravel) and context.world is not None:
        point, q = context.world.carried(travel.body, start)
        rotation = rotation_matrix(q)
        shift, direction = point - rotation @ start, rotation @ direction
    now = rotation @ start + shift
    if item.aim is not None and direction.any():
        target = (origins or {}).get(item.aim)
        if target is None:
            target = _middle(context, item.aim)
        if target is not None and np.linalg.norm(target - now) > 1e-9:
            direction = (target - now) / np.linalg.norm(target - now)
    return Pose(rotation, shift, now, direction)


def pose_at_impact(item: FieldItem, place: Array, normal: Array, context: EvaluationContext = NOW) -> Pose:
    """Where a field is that was called to an impact: its origin at the place (3,), its y axis along the normal (3,)."""
    start = origin(item.reach, context)
    y = np.array([0.0, 1.0, 0.0])
    axis = np.cross(y, normal)
    sine, cosine = float(np.linalg.norm(axis)), float(y @ normal)
    if sine > 1e-9:
        rotation = rotation_matrix(vector_to_quaternion(axis / sine * np.arctan2(sine, cosine)))
    else:
        rotation = UNTURNED if cosine > 0 else np.diag([1.0, -1.0, -1.0])
    return Pose(rotation, place - rotation @ start, np.asarray(place, float), rotation @ direction_of(item))
