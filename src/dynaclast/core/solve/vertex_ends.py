"""What kills end of deformable bodies: what hangs together ends as one."""

from __future__ import annotations

import numpy as np

from ..arrays import Array, Index, Mask, sums
from ..document import KillEffect
from .deformable.model import DeformableModel
from .model import Hold
from .state import State


class VertexEnds:
    """Counts how long things have been slow in a kill, and how long inside; a thing is inside with half of its mass."""

    def __init__(self, deformables: DeformableModel, state: State) -> None:
        self._mass, self._state = deformables.own_mass, state

    def due(self, name: str, effect: KillEffect, inside: Mask, island: Index, step: float) -> tuple[Mask, Mask]:
        """Vertices (N,) bool that a kill ends now, and those of things that are inside.

        inside : (N,) bool, in reach of it while it acts
        island : (N,) int32, the same of vertices that hang together
        step   : float, [s]
        """
        state, memory, mass, count = self._state, self._state.memory, self._mass, len(island)
        whole = np.maximum(sums(mass, island, count), 1e-300)
        within = (sums(mass * inside, island, count) >= 0.5 * whole)[island]
        moving = mass * (state.vertices.velocity**2).sum(axis=1)
        speed = np.sqrt(sums(moving, island, count) / whole)[island]
        slow = memory.setdefault(f"{name}:v:slow", np.zeros(count))
        age = memory.setdefault(f"{name}:v:age", np.zeros(count))
        slow[:] = np.where(within & (speed < effect.slower), slow + step, 0.0)
        age[:] = np.where(within, age + step, 0.0)
        due = within & (state.vertex_hold == Hold.FREE)
        due &= (slow >= effect.time) & (speed < effect.slower) | (age >= (effect.age or np.inf))
        memory[f"{name}:v:inside"] = within.astype(float)
        return due, within


def bodies_of(vertices: Mask, body: Index, names: list[str]) -> list[tuple[str, Array]]:
    """The bodies that vertices (N,) bool belong to, each with their numbers among its own."""
    first = np.searchsorted(body, np.arange(len(names)))
    own = np.flatnonzero(vertices)
    return [(names[b], own[body[own] == b] - first[b]) for b in np.unique(body[own])]
