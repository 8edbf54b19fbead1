"""Where a field stands at a time: its numbers as their channels have them, its travel, and where it aims."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ..document import Channel, FieldItem, PathTravel, RideTravel, RoundTravel, SharedFalloff, Stack, set_number
from ..falloff.moment import NOW, Moment
from ..falloff.value import origin
from ..geometry.mesh import Array, rotation_matrix
from ..motion import bezier_share, eased, turn_by

UNIT = np.eye(3)


def number(channel: Channel, time: float) -> float:
    """What a channel's number is at a time [s]."""
    keys = channel.keys
    k = len(keys) - 1
    while k > 0 and keys[k].time > time:
        k -= 1
    here = keys[k]
    if k == len(keys) - 1 or time <= here.time or here.how == "step":
        return here.value
    there = keys[k + 1]
    if here.how == "smooth":
        return float(eased(np.array([x.time for x in keys]), np.array([[x.value] for x in keys]))(time)[0])
    share = (time - here.time) / (there.time - here.time)
    if here.how == "bezier":
        share = bezier_share(here.curve, share)
    return here.value + share * (there.value - here.value)


class Keyed:
    """Parts of a document with channels, at a time. The copies handed out are changed by the next call."""

    def __init__(self, parts: list) -> None:
        self._parts = [p.model_copy(deep=True) if p.channels else p for p in parts]

    def at(self, time: float) -> list:
        for part in self._parts:
            for channel in part.channels:
                set_number(part, channel.of, number(channel, time))
            if part.channels:
                getattr(part, "reach", part)._kept.clear()
        return self._parts


def shared_at(falloffs: list[SharedFalloff], time: float) -> dict[str, Stack]:
    """The shared falloffs by name, as they are at a time."""
    return {f.name: f for f in Keyed(falloffs).at(time)}


@dataclass(frozen=True)
class Stand:
    """How a field has moved from where the document puts it: first turned (3, 3), then shifted (3,); its origin (3,)
    now, and its unit direction or axis (3,), zero for effects without one.
    """

    turn: Array = field(default_factory=lambda: np.eye(3))
    shift: Array = field(default_factory=lambda: np.zeros(3))
    origin: Array = field(default_factory=lambda: np.zeros(3))
    direction: Array = field(default_factory=lambda: np.zeros(3))

    def back(self, points: Array) -> Array:
        """Points (n, 3) of the world where the document's reach sees them."""
        if not self.shift.any() and self.turn is UNIT:
            return points
        return (points - self.shift) @ self.turn


def _along(travel: PathTravel, time: float) -> Array:
    """The place (3,) on a path at a time, at even speed by its length; smooth: rounded, gently started and stopped."""
    points = np.asarray(travel.points, float)
    share = float(np.clip((time - travel.start) / travel.time, 0.0, 1.0))
    steps = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    if steps[-1] <= 0:
        return points[0]
    if not travel.smooth:
        return np.array([np.interp(share * steps[-1], steps, points[:, c]) for c in range(3)])
    from scipy.interpolate import PchipInterpolator

    keep = np.append(True, np.diff(steps) > 0)
    share = share * share * (3 - 2 * share)
    return np.asarray(PchipInterpolator(steps[keep], points[keep])(share * steps[-1])) if keep.sum() > 1 else points[0]


def direction_of(item: FieldItem) -> Array:
    """The effect's own direction or axis, unit (3,); zero where it has none."""
    own = getattr(item.effect, "direction", getattr(item.effect, "axis", None))
    return np.zeros(3) if own is None else np.asarray(own, float) / np.linalg.norm(own)


def stand_of(item: FieldItem, moment: Moment = NOW, origins: dict[str, Array] | None = None) -> Stand:
    """Where a field stands at the moment. ``origins``: where other fields are, for aims."""
    start = origin(item.reach, moment)
    turn, shift, direction = UNIT, np.zeros(3), direction_of(item)
    travel = item.travel
    if isinstance(travel, PathTravel):
        shift = _along(travel, moment.time) - start
    elif isinstance(travel, RoundTravel):
        center = np.asarray(travel.center, float)
        if travel.body is not None and moment.world is not None:
            middle, _ = moment.world.pieces(travel.body)
            center = middle.mean(axis=0) if len(middle) else center
        axis = np.asarray(travel.axis, float) / np.linalg.norm(travel.axis)
        m = rotation_matrix(turn_by(2 * np.pi * travel.rate * moment.time * axis))
        if travel.turning:
            turn, shift, direction = m, center - m @ center, m @ direction
        else:
            shift = center + m @ (start - center) - start
    elif isinstance(travel, RideTravel) and moment.world is not None:
        point, q = moment.world.carried(travel.body, start)
        turn = rotation_matrix(q)
        shift, direction = point - turn @ start, turn @ direction
    now = turn @ start + shift
    if item.aim is not None and direction.any():
        target = (origins or {}).get(item.aim)
        if target is None and moment.world is not None:
            middle, _ = moment.world.pieces(item.aim)
            target = middle.mean(axis=0) if len(middle) else None
        if target is not None and np.linalg.norm(target - now) > 1e-9:
            direction = (target - now) / np.linalg.norm(target - now)
    return Stand(turn, shift, now, direction)


def moved_to(item: FieldItem, place: Array, normal: Array, moment: Moment = NOW) -> Stand:
    """Where a field stands that was called to a hit: its origin at the place, its y axis along the normal."""
    start = origin(item.reach, moment)
    y = np.array([0.0, 1.0, 0.0])
    axis = np.cross(y, normal)
    sine, cosine = float(np.linalg.norm(axis)), float(y @ normal)
    turn = (
        rotation_matrix(turn_by(axis / sine * np.arctan2(sine, cosine)))
        if sine > 1e-9
        else (UNIT if cosine > 0 else np.diag([1.0, -1.0, -1.0]))
    )
    return Stand(turn, place - turn @ start, np.asarray(place, float), turn @ direction_of(item))
