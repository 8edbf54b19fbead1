"""The deformable bodies of a shot, as a run needs them: nothing in it changes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ...arrays import Array, Flags, Index, Mask
from ...document import Tie
from .tables import AirTable, Elements, LatticeTable, Tables


@dataclass(frozen=True)
class Drawn:
    """What is seen of a deformable body, carried by its vertices.

    name   : of the body
    first  : int, its first vertex among all; count : int
    faces  : (F, 3) int32, of drawn vertices; lines : (G, 2) int32
    carrier : (V, 4) int32, vertices (from the body's first) that carry each drawn one; None: they are the same
    weight  : (V, 4) float64
    """

    name: str
    first: int
    count: int
    faces: Index
    lines: Index
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
class Seams:
    """Where pieces of deformable bodies hang together: Q seams, each between two pieces.

    body     : (Q,) int32, deformable body
    piece    : (Q, 2) int32, numbered over all of them
    strength : (Q,) float64, [N]
    size     : (Q,) float64, [m] of cloth, [m2] of soft bodies, 1 of ropes
    tier     : (Q,) uint8
    chunks   : (pieces, T + 1) int32, chunk of every piece on every tier, numbered over all; tier 0 is the body
    center   : (Q, 3) float64, [m], at the start
    link     : (L, 2) int32, vertices that are one while the seam holds; of (L,) int32, its seam
    element  : (E, 2) int32, triangles, or segments, on both sides of a part of a seam; at (E,) int32, its seam
    edge     : (E, 2) int32, vertices of the edge there, of the first triangle; -1 of ropes
    normal   : (Q, 3) float64, unit, of soft bodies: from the first piece to the second
    second_moment : (Q, 3, 3) float64, [m4], of the face between them about its centre
    cube     : (E,) int32, cubes whose stress decides, where soft matter tears; near (E,) int32, the seam each is at;
    share (E,) float64, how much it counts
    """

    body: Index
    piece: Index
    strength: Array
    size: Array
    tier: Flags
    chunks: Index
    center: Array
    link: Index
    of: Index
    element: Index
    at: Index
    edge: Index
    normal: Array
    second_moment: Array
    cube: Index
    near: Index
    share: Array

    @property
    def count(self) -> int:
        return len(self.strength)


@dataclass(frozen=True)
class DeformableModel:
    """All deformable bodies of a shot.

    names          : of each
    body           : (B,) int32, its number among the bodies of the shot
    tables         : as everything hangs together at the start
    tables_with    : the same by which seams (Q,) uint8 are open, the Hold of vertices (N,) uint8, and how many substeps
                     of rigid bodies a step of each body lasts (B,) int32
    seams          : where pieces hang together
    own_mass       : (N,) float64, [kg], of vertices, each by itself
    own_lattice    : cubes on vertices of their own pieces
    drawn          : what is seen of each
    start          : (N, 3) float64, [m], where vertices are at the start
    start_velocity : (N, 3) float64, [m/s]
    every          : (B,) int32, substeps of rigid bodies in a step of each, by itself
    ties           : of the document, as the first of Elements.ties
    size           : (N,) float64, [m], of vertices
    air            : what meets the air
    hold           : (B,) uint8, Hold of its vertices at the start: whether it waits, and for what
    parted         : (B,) bool, whether it is broken by a pattern: then what waits of it goes piece by piece
    piece          : (N,) int32, of vertices, numbered over all bodies; of those that seams join as Seams.piece
    """

    names: list[str]
    body: Index
    tables: Tables
    tables_with: Callable[[Flags, Flags, Index], Tables]
    seams: Seams
    own_mass: Array
    own_lattice: LatticeTable
    drawn: list[Drawn]
    start: Array
    start_velocity: Array
    every: Index
    ties: list[Tie]
    size: Array
    air: AirTable
    hold: Flags
    parted: Mask
    piece: Index

    @property
    def count(self) -> int:
        """Vertices."""
        return len(self.own_mass)

    @property
    def elements(self) -> Elements:
        """At the start."""
        return self.tables.elements
