"""Speed limits of the shot."""

from __future__ import annotations

import math

import numpy as np

from ..arrays import Array, Index, lengths
from .events import EventLog
from .model import Model
from .state import State


def _surely_below(values: Array, limit: float) -> bool:
    """Whether no row (n, 3) can be longer than the limit, by its largest number."""
    return bool(max(values.max(initial=0.0), -values.min(initial=0.0)) * math.sqrt(3.0) <= limit)


class Limits:
    """Slows down what runs away, and writes it down once a frame and body."""

    def __init__(self, model: Model, state: State, log: EventLog) -> None:
        self._model, self._state, self._log = model, state, log
        self._said: set[tuple[int, str]] = set()

    def begin_frame(self) -> None:
        self._said.clear()

    def apply(self, awake: Index) -> None:
        """awake : (n,) int64, slots"""
        model, asm = self._model, self._state.assemblies
        kinds = (asm.velocity, model.speed_limit, "speed"), (asm.angular_velocity, model.angular_speed_limit, "spin")
        for values, limit, what in kinds:
            if _surely_below(values, limit):
                continue
            size = lengths(values[awake])
            for slot, now in zip(awake[size > limit], size[size > limit], strict=True):
                values[slot] *= limit / now
                body = int(model.pieces.body[slot])
                if (body, what) not in self._said:
                    self._said.add((body, what))
                    name, value = model.body_names[body], round(float(now), 3)
                    self._log.add("limit", body=name, pieces=[int(slot)], what=what, value=value, limit=limit)
        self._slow_vertices()

    def _slow_vertices(self) -> None:
        """The same of vertices of deformable bodies."""
        deformables, limit = self._model.deformables, self._model.speed_limit
        if deformables is None:
            return
        velocity = self._state.vertices.velocity
        if _surely_below(velocity, limit):
            return
        speed = lengths(velocity)
        fast = np.flatnonzero(speed > limit)
        velocity[fast] *= (limit / speed[fast])[:, None]
        of = deformables.elements.vertices.body
        for b in np.unique(of[fast]):
            own, name = fast[of[fast] == b], deformables.names[b]
            if (-1 - int(b), "speed") in self._said:
                continue
            self._said.add((-1 - int(b), "speed"))
            value = round(float(speed[own].max()), 3)
            self._log.add("limit", body=name, vertices=len(own), what="speed", value=value, limit=limit)
