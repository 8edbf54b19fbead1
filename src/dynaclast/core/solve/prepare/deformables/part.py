"""One deformable body of the document: its vertices and elements, numbered from 0, as it stands at the start."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from scipy import sparse

from ....arrays import Array, Index, Mask
from ....document import Body
from ....fracture.bonds import placed
from ...deformable.bending import CurvedRest
from ...deformable.tables import Solver


@dataclass
class Part:
    """One deformable body, its V vertices numbered from 0; world frame, at the start.

    x, normal   : (V, 3) float64, [m]
    mass        : (V,) float64, [kg]
    radius      : float, [m], half of the thickness
    scalar      : (V, V) [N/m], what of the matrix never changes, without mass; rate (V, V) [N s/m], over the step
    pairs       : (n, 2) int, vertices that share an element
    drawn_faces : (F, 3) int32, of drawn vertices
    triangle, length2, stiffness : as MembraneTable; curves : of cloth that bends
    segment, length, pull        : as SegmentTable
    tets        : (C, 6, 4) int32; gradient, volume : as LatticeTable; material : mu, lam, viscosity
    carrier, weight : what carries each drawn vertex, as Drawn; touch : the same of points that touch
    pinned      : (V,) bool; carried_by (V,) int, pieces that pinned vertices ride on, or -1
    recall      : (V,) float64, [1/s]
    """

    x: Array
    normal: Array
    mass: Array
    radius: float
    solver: Solver
    scalar: sparse.csr_matrix
    pairs: Index
    drawn_faces: Index
    triangle: Index = field(default_factory=lambda: np.zeros((0, 3), np.int32))
    length2: Array = field(default_factory=lambda: np.zeros((0, 3)))
    stiffness: Array = field(default_factory=lambda: np.zeros((0, 3, 3)))
    curves: CurvedRest | None = None
    segment: Index = field(default_factory=lambda: np.zeros((0, 2), np.int32))
    length: Array = field(default_factory=lambda: np.zeros(0))
    pull: Array = field(default_factory=lambda: np.zeros(0))
    tets: Index = field(default_factory=lambda: np.zeros((0, 6, 4), np.int32))
    gradient: Array = field(default_factory=lambda: np.zeros((0, 4, 3)))
    volume: Array = field(default_factory=lambda: np.zeros(0))
    rate: sparse.csr_matrix | None = None
    material: tuple[float, float, float] = (0.0, 0.0, 0.0)
    carrier: Index | None = None
    weight: Array | None = None
    touch: tuple[Index, Array] | None = None
    pinned: Mask = field(init=False)
    carried_by: Index = field(init=False)
    recall: Array = field(init=False)

    def __post_init__(self) -> None:
        count = len(self.x)
        self.pinned, self.carried_by, self.recall = np.zeros(count, bool), np.full(count, -1), np.zeros(count)


def placed_at_size(body: Body, x: Array) -> Array:
    """Points (n, 3) of a body's own frame in the world, at its size in its group [m]."""
    return placed(body, body.factor * x)


def concatenate(parts: list[Array], shape: tuple[int, ...] = ()) -> Array:
    """Arrays of entries of this shape one after another; there may be none."""
    return np.concatenate([np.zeros((0, *shape)), *parts])


def offsets(counts: list[int]) -> Index:
    """Where each of several parts of so many entries starts, and the last ends (n + 1,)."""
    return np.concatenate([[0], np.cumsum(counts)]).astype(np.int32)
