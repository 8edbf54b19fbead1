"""What a falloff may ask of the world: the time, where bodies are, and what was before."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import NamedTuple, Protocol

import numpy as np

from ..arrays import Array
from ..document import Stack
from ..geometry.tree import MeshDistance


class World(Protocol):
    """Where bodies are now."""

    def carried(self, body: str, point: Array) -> tuple[Array, Array]:
        """Where a point (3,), given for the start, has been carried by the body's nearest piece, or by what deforms
        around it, and how that has turned (4,).
        """

    def pieces(self, body: str) -> tuple[Array, Array]:
        """Middles (n, 3) [m] and sizes (n,) [m] of the pieces of a body or group that are there; of what deforms,
        drawn vertices without a size.
        """

    def surface(self, body: str) -> tuple[MeshDistance, Array, Array]:
        """The mesh of a body in its opening pose in the world, of what deforms as it is now, the turn (4,) since, and
        the offset (3,): now = turn(then) + offset.
        """


NONE_SHARED: Mapping[str, Stack] = MappingProxyType({})


class EvaluationContext(NamedTuple):
    """When and where a falloff is asked.

    time [s]; fps; shared: falloffs by name as they are now; world: None where only shapes that stand alone are known
    memory: arrays kept from one time step to the next, by key; None where nothing is remembered and memory layers let
    through what lies beneath; key: the user's own; step: since the last time it was asked [s], 0 the first time
    """

    time: float = 0.0
    fps: float = 24.0
    shared: Mapping[str, Stack] = NONE_SHARED
    world: World | None = None
    memory: dict[str, Array] | None = None
    key: str = ""
    step: float = 0.0


NOW = EvaluationContext()


def remembered(context: EvaluationContext, layer: int, fill: Array) -> Array:
    """The array a layer remembers, ``fill`` the first time."""
    assert context.memory is not None
    return context.memory.setdefault(f"{context.key}:{layer}", np.array(fill, float))
