"""The shot's maps during a run: what their falloffs are at every piece and every drawn point of what deforms."""

from __future__ import annotations

import numpy as np

from ..arrays import Array, Mask
from ..document import Shot, Stack
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
        self._deformables = model.deformables if shot.maps else None
        targets = {m.name: among(m.targets, model.target_names) for m in shot.maps}
        self._own = {name: own[model.pieces.body] for name, own in targets.items()}
        self._vertices: dict[str, Mask] = {}
        if self._deformables is not None:
            body = self._deformables.body[self._deformables.elements.vertices.body]
            self._vertices = {name: own[body] for name, own in targets.items()}

    def at(self, time: float) -> dict[str, np.ndarray]:
        """ "map/NAME" (P,) float32, and "tint/NAME" (P, 3) uint8 where the falloff has colours of its own; of what
        deforms "value/NAME/BODY" (V,) and "color/NAME/BODY" (V, 3).
        """
        out: dict[str, np.ndarray] = {}
        if self._world is None:
            return out
        self._world.refresh()
        shared = {f.name: f for f in self._shared.at(time)}
        for m in self._maps:
            context = self._context(f"map {m.name}", time, shared)
            values, colors = _values(m.reach, self._own[m.name], self._world.center, context)
            out[f"map/{m.name}"] = values
            if colors is not None:
                out[f"tint/{m.name}"] = colors
            if self._deformables is None:
                continue
            context = self._context(f"map {m.name}:v", time, shared)
            values, colors = _values(m.reach, self._vertices[m.name], self._state.vertices.position, context)
            for drawn in self._deformables.drawn:
                near = drawn.nearest()
                out[f"value/{m.name}/{drawn.name}"] = values[near]
                if colors is not None:
                    out[f"color/{m.name}/{drawn.name}"] = colors[near]
        return out

    def _context(self, key: str, time: float, shared: dict[str, Stack]) -> EvaluationContext:
        memory = self._state.memory
        last = memory.get(f"{key}:time")
        memory[f"{key}:time"] = np.array([time])
        since = 0.0 if last is None else time - float(last[0])
        return EvaluationContext(time, self._fps, shared, self._world, memory, key, since)


def _values(reach: Stack, own: Mask, at: Array, context: EvaluationContext) -> tuple[np.ndarray, np.ndarray | None]:
    """Values (n,) float32 of a falloff at points (n, 3) [m], 0 of those that are not its own, and colours (n, 3) uint8
    where it has some.
    """
    values = np.where(own, value(reach, at, context), 0.0).astype(np.float32)
    if not tinted(reach, context):
        return values, None
    return values, np.where(own[:, None], np.rint(255 * color(reach, at, context)), 0).astype(np.uint8)
