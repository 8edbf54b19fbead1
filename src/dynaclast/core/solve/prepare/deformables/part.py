"""One deformable body of the document: its vertices and elements, numbered from 0, as it stands at the start."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from scipy import sparse

from ....arrays import Array, Flags, Index, Mask, lengths
from ....document import Body
from ....fracture.bonds import placed
from ...deformable.tables import Solver
from .weights import Weights


@dataclass(frozen=True)
class PartSeams:
    """Where the pieces of a body hang together; Q seams, each between two pieces.

    piece    : (Q, 2) int32, pieces of the body
    strength : (Q,) float64, [N]; size (Q,) float64, [m] of cloth, [m2] of soft bodies, 1 of ropes
    tier     : (Q,) uint8
    path     : (pieces, T) int32, as fracture.pieces.Pieces
    link     : (L, 2) int32, vertices that are one while the seam holds; of (L,) int32, its seam
    element  : (E, 2) int32, triangles or segments on both sides of a part of a seam; at (E,) int32, its seam
    edge     : (E, 2) int32, vertices of the triangle's edge there, of the first side; -1 of ropes
    center   : (Q, 3) float64, [m]
    normal   : (Q, 3) float64, unit, of soft bodies: from the first piece to the second
    second_moment : (Q, 3, 3) float64, [m4], of the face between them about its centre
    cube     : (E,) int32, cubes of the lattice whose stress decides, where soft matter tears; near (E,) int32, the seam
    each is at; share (E,) float64, how much it counts
    """

    piece: Index
    strength: Array
    size: Array
    tier: Flags
    path: Index
    link: Index
    of: Index
    element: Index
    at: Index
    edge: Index
    center: Array
    normal: Array
    second_moment: Array
    cube: Index = field(default_factory=lambda: np.zeros(0, np.int32))
    near: Index = field(default_factory=lambda: np.zeros(0, np.int32))
    share: Array = field(default_factory=lambda: np.zeros(0))

    def weighted(self, weights: Weights) -> PartSeams:
        """The seams with their strengths as they differ from place to place."""
        return replace(self, strength=self.strength * weights("strength", self.center))


@dataclass
class Part:
    """One deformable body, its V vertices numbered from 0; world frame, in the shape it rests in. Where pieces meet,
    each has vertices of its own, at the same places.

    x, normal   : (V, 3) float64, [m]
    mass        : (V,) float64, [kg]
    radius      : (V,) float64, [m], half of the thickness
    bending     : (V,) float64, bending stiffness: [N m] of cloth, [N m2] of ropes; None without
    drawn_faces : (F, 3) int32, of drawn vertices
    triangle, length2, stiffness : as MembraneTable
    segment, length, pull        : as SegmentTable
    tets        : (C, 6, 4) int32; gradient, volume : as LatticeTable; mu, lam, viscosity (C,) float64
    bound, rate : (V, V) [N/m], [N s/m], bounds of the stiffness of a lattice and, over the step, of its viscosity
    surface     : (F, 3) int32, faces of a lattice that meet the air
    carrier, weight : what carries each drawn vertex, as Drawn; touch : the same of points that touch
    skin        : (F, 3) int32, faces of these points, of soft bodies in pieces; outside (F, 3) those of the surface
    pinned      : (V,) bool; carried_by (V,) int, pieces that pinned vertices ride on, or -1
    tied_to     : (V,) int, pieces of active bodies that vertices are pinned to, or -1: they hold each other
    recall      : (V,) float64, [1/s]; drawn_by (V,) int, pieces that take along where a vertex is drawn to, or -1
    seams       : where its pieces hang together
    start       : (V, 3) float64, [m], where vertices are at the start
    origin      : (V,) int, of a rope of pieces: the vertex of the line that each comes from
    """

    x: Array
    normal: Array
    mass: Array
    radius: Array
    solver: Solver
    drawn_faces: Index
    bending: Array | None = None
    triangle: Index = field(default_factory=lambda: np.zeros((0, 3), np.int32))
    length2: Array = field(default_factory=lambda: np.zeros((0, 3)))
    stiffness: Array = field(default_factory=lambda: np.zeros((0, 3, 3)))
    segment: Index = field(default_factory=lambda: np.zeros((0, 2), np.int32))
    length: Array = field(default_factory=lambda: np.zeros(0))
    pull: Array = field(default_factory=lambda: np.zeros(0))
    tets: Index = field(default_factory=lambda: np.zeros((0, 6, 4), np.int32))
    gradient: Array = field(default_factory=lambda: np.zeros((0, 4, 3)))
    volume: Array = field(default_factory=lambda: np.zeros(0))
    mu: Array = field(default_factory=lambda: np.zeros(0))
    lam: Array = field(default_factory=lambda: np.zeros(0))
    viscosity: Array = field(default_factory=lambda: np.zeros(0))
    bound: sparse.csr_matrix | None = None
    rate: sparse.csr_matrix | None = None
    surface: Index = field(default_factory=lambda: np.zeros((0, 3), np.int32))
    carrier: Index | None = None
    weight: Array | None = None
    touch: tuple[Index, Array] | None = None
    skin: Index = field(default_factory=lambda: np.zeros((0, 3), np.int32))
    outside: Index = field(default_factory=lambda: np.zeros((0, 3), np.int32))
    pinned: Mask = field(init=False)
    carried_by: Index = field(init=False)
    tied_to: Index = field(init=False)
    recall: Array = field(init=False)
    drawn_by: Index = field(init=False)
    start: Array = field(init=False)
    seams: PartSeams | None = None
    origin: Index | None = None

    def __post_init__(self) -> None:
        count = len(self.x)
        self.pinned, self.carried_by, self.recall = np.zeros(count, bool), np.full(count, -1), np.zeros(count)
        self.drawn_by, self.tied_to = np.full(count, -1), np.full(count, -1)
        self.start = self.x

    def seen_faces(self) -> Index:
        """Faces that are seen (F, 3) int32, of drawn vertices: none of a net, whose strands are."""
        return self.drawn_faces if not len(self.segment) else np.zeros((0, 3), np.int32)


def carried_by(tets: Index, x: Array, points: Array) -> tuple[Index, Array]:
    """Which of some tetrahedra (n, k, 4) of vertices (V, 3) [m] carries each point (n, 3) [m] best: its vertices (n, 4)
    and their weights (n, 4).
    """
    best = np.full(len(points), -np.inf)
    carrier, weight = np.zeros((len(points), 4), np.int32), np.zeros((len(points), 4))
    for k in range(tets.shape[1]):
        vertex = tets[:, k]
        corner = x[vertex]
        edges = np.swapaxes(corner[:, 1:] - corner[:, :1], 1, 2)
        rest = np.linalg.solve(edges, (points - corner[:, 0])[:, :, None])[:, :, 0]
        share = np.concatenate([1 - rest.sum(axis=1, keepdims=True), rest], axis=1)
        better = share.min(axis=1) > best + 1e-12
        best[better] = share.min(axis=1)[better]
        carrier[better], weight[better] = vertex[better], share[better]
    return carrier, weight


def max_sides(corner: Array) -> Array:
    """The longest sides (F,) [m] of triangles (F, 3, 3)."""
    return np.max([lengths(corner[:, k] - corner[:, k - 1]) for k in range(3)], axis=0)


def placed_at_size(body: Body, x: Array) -> Array:
    """Points (n, 3) of a body's own frame in the world, at its size in its group [m]."""
    return placed(body, body.factor * x)


def concatenate(parts: list[Array], shape: tuple[int, ...] = ()) -> Array:
    """Arrays of entries of this shape one after another; there may be none."""
    return np.concatenate([np.zeros((0, *shape)), *parts])


def offsets(counts: list[int]) -> Index:
    """Where each of several parts of so many entries starts, and the last ends (n + 1,)."""
    return np.concatenate([[0], np.cumsum(counts)]).astype(np.int32)
