"""What happens in a frame, written down in order."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

from .model import Model
from .state import State

Event = dict[str, Any]
Causes = Callable[[int], list[Event]]
"""Gives, for a bond, what loads it and by how much (load [kN])."""


def readable(value: float, decimals: int) -> float:
    """A number of an event: to so many decimals, and what is small to as many digits."""
    size = abs(float(value))
    finer = 0 if size >= 0.1 or size < 1e-300 else -math.floor(math.log10(size)) - 1
    return round(float(value), decimals + finer)


def kilonewtons(newtons: float) -> float:
    return readable(float(newtons) / 1000.0, 4)


def with_shares(causes: list[Event]) -> list[Event]:
    """Causes, each with its share of the whole load."""
    total = sum(c["load"] for c in causes) or 1.0
    for cause in causes:
        cause["share"] = round(cause["load"] / total, 4)
    return causes


class EventLog:
    """The events of the frame at hand; ``take`` hands them out and begins the next."""

    def __init__(self, model: Model, state: State) -> None:
        self._model, self._state = model, state
        self._events: list[Event] = []

    def add(self, kind: str, **more: Any) -> None:
        frame = self._state.frame + 1
        self._events.append({"frame": frame, "time": round(frame / float(self._model.fps), 6), "kind": kind, **more})

    def take(self) -> list[Event]:
        out, self._events = self._events, []
        return out

    def __bool__(self) -> bool:
        return bool(self._events)
