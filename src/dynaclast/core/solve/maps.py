"""The shot's maps during a run: what their falloffs are at every piece."""

from __future__ import annotations

import numpy as np

from ..document import Shot
from ..falloff import EvaluationContext, value
from ..falloff.value import color, tinted
from ..fields.base import among
from ..timeline.channels import Keyed
from .live_world import LiveWorld
from .model import Model
from .state import State


class RunMaps:
    """Works the maps out, frame by frame; layers that remember do so in the state."""

    def __init__(self, shot: Shot, model: Model, state: State) -> None:
        self._maps, self._state, self._fps = shot.maps, state, float(shot.timing.fps)
        self._shared = Keyed(shot.falloffs)
        self._world = LiveWorld(model, state) if shot.maps else None
        self._own = {m.name: among(m.targets, model.target_names)[model.pieces.body] for m in shot.maps}

    def at(self, time: float) -> dict[str, np.ndarray]:
        """ "map/NAME" (P,) float32, and "tint/NAME" (P, 3) uint8 where the falloff has colours of its own."""
        out: dict[str, np.ndarray] = {}
        if self._world is None:
            return out
        self._world.refresh()
        shared = {f.name: f for f in self._shared.at(time)}
        memory = self._state.memory
        for m in self._maps:
            key = f"map {m.name}"
            last = memory.get(f"{key}:time")
            memory[f"{key}:time"] = np.array([time])
            context = EvaluationContext(
                time, self._fps, shared, self._world, memory, key, 0.0 if last is None else time - float(last[0])
            )
            own = self._own[m.name]
            out[f"map/{m.name}"] = np.where(own, value(m.reach, self._world.center, context), 0.0).astype(np.float32)
            if tinted(m.reach, context):
                out[f"tint/{m.name}"] = np.where(
                    own[:, None], np.rint(255 * color(m.reach, self._world.center, context)), 0
                ).astype(np.uint8)
        return out
