"""The deformable bodies of a shot, as a run needs them: nothing in it changes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...arrays import Array, Index
from ...document import Tie
from .tables import AirTable, BlockPattern, Elements, FactorTable, Levels, ScalarRows


@dataclass(frozen=True)
class Drawn:
    """What is seen of a deformable body, carried by its vertices.

    name   : of the body
    first  : int, its first vertex among all; count : int
    faces  : (F, 3) int32, of drawn vertices; none for a rope that is a line
    carrier : (V, 4) int32, vertices (from the body's first) that carry each drawn one; None: they are the same
    weight  : (V, 4) float64
    """

    name: str
    first: int
    count: int
    faces: Index
    carrier: Index | None = None
    weight: Array | None = None

    def nearest(self) -> Index:
        """The vertex among all (V,) that has most to do with each drawn one."""
        if self.carrier is None:
            return self.first + np.arange(self.count)
        assert self.weight is not None
        return self.first + np.take_along_axis(self.carrier, self.weight.argmax(axis=1)[:, None], axis=1)[:, 0]

    def points(self, position: Array) -> Array:
        """Where drawn vertices (V, 3) are, by those of all bodies (N, 3) [m]."""
        own = position[self.first : self.first + self.count]
        if self.carrier is None:
            return own
        assert self.weight is not None
        return np.einsum("vk,vkc->vc", self.weight, own[self.carrier])


@dataclass(frozen=True)
class DeformableModel:
    """All deformable bodies of a shot.

    names          : of each
    body           : (B,) int32, its number among the bodies of the shot
    drawn          : what is seen of each
    start_velocity : (N, 3) float64, [m/s]
    step           : float, [s]; every : int, substeps of rigid bodies in it
    ties           : of the document, as Elements.ties
    size           : (N,) float64, [m], of vertices
    air            : what meets the air
    """

    names: list[str]
    body: Index
    elements: Elements
    scalar: ScalarRows
    pattern: BlockPattern
    levels: Levels
    factor: FactorTable
    drawn: list[Drawn]
    start_velocity: Array
    step: float
    every: int
    ties: list[Tie]
    size: Array
    air: AirTable

    @property
    def count(self) -> int:
        """Vertices."""
        return len(self.elements.vertices.mass)
