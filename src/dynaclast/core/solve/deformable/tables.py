"""What deformable bodies are made of, which does not change in a run: vertices, elements, the pattern of their matrix.

Vertex n of N over all deformable bodies; node i of M, the vertices and then the nodes of coarser levels (levels.py);
block e of E, a 3 x 3 matrix that joins two nodes of one level.
"""

from __future__ import annotations

from enum import IntEnum
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...arrays import Array, Flag, Flags, Index, Int, Int8, Scalar, Vec3, Vec8, allocate


class Solver(IntEnum):
    """How the matrix of a body is inverted, exactly or roughly."""

    CHAIN = 0  # a polyline: directly
    LEVELS = 1  # any mesh: by a cycle over levels
    FACTOR = 2  # a lattice: by a matrix that stays the same, factored once


class Held(IntEnum):
    """Whether a point can move by itself."""

    FREE = 0
    STILL = 1  # all that carries it is pinned
    FOLLOWS = 2  # another point stands for it


class VertexTable(NamedTuple):
    """Vertices as the run starts.

    body          : (N,) int32, deformable body
    lead          : (N,) int32, the vertex that stands for it and all it is joined with: the lowest of these
    root          : (N,) int32, the same where nothing is open
    island        : (N,) int32, the same of vertices that hang together by elements
    mass          : (N,) float64, [kg], of all that are joined; 0 of those that follow
    gravity_scale : (N,) float64
    pinned        : (N,) uint8, whether something holds it where it is, or takes it along
    rest          : (N, 3) float64, [m], world frame, in the shape it rests in
    heavy         : (N,) float64, [N/m], mass over the square of the step
    recall        : (N,) float64, [N/m], stiffness with which it is drawn back to its rest, where that is now
    recall_damping : (N,) float64, [N/m], of that, over the step
    """

    body: Int
    lead: Int
    root: Int
    island: Int
    mass: Scalar
    gravity_scale: Scalar
    pinned: Flag
    rest: Vec3
    heavy: Scalar
    recall: Scalar
    recall_damping: Scalar


class PointTable(NamedTuple):
    """Points by which deformable bodies touch: the vertices of cloth and ropes, the surface of soft bodies. C points.

    first    : (B + 1,) int32, points of each body
    vertex   : (C, 4) int32, vertices that carry it, -1 where there are fewer
    weight   : (C, 4) float64
    radius   : (C,) float64, [m], half of the thickness
    ball     : (C,) float64, [m], radius of the ball by which it meets its own body
    fine     : (C,) float64, [m], by which it meets other deformable bodies; no more than that
    edge     : (C,) float64, [m], the longest edge that begins there, 0 without edges
    reach    : (C,) float64, [m], likewise, of faces too that are not of elements
    friction : (C,) float64, Coulomb's coefficient
    held     : (C,) uint8, Held
    of       : (N,) int32, the point of a vertex that carries one alone, -1
    skin     : (F, 3) int32, points of faces of soft bodies in pieces, facing outwards
    face     : (T, 3) int32, points of triangles of cloth, and of the surfaces of soft bodies, facing as they are drawn,
               the lowest first; sorted by that
    face_first : (C + 1,) int32, into face, those of which each point is the lowest
    solid    : (T,) uint8, whether a face is of a soft body
    bent_first : (T + 1,) int32, into bent (n,) int32: faces of the same solid that share a corner with each, and bend
               away from it
    sided    : (C,) uint8, of cloth, whether its faces all look to the same side
    between  : (C,) uint8, whether it meets other deformable bodies alone
    tied     : (C,) int32, the active body of the shot that what carries it is pinned to, which it does not meet, or -1
    """

    first: Index
    vertex: Index
    weight: Array
    radius: Array
    ball: Array
    fine: Array
    edge: Array
    reach: Array
    friction: Array
    held: Flags
    of: Index
    skin: Index
    face: Index
    face_first: Index
    solid: Flags
    bent_first: Index
    bent: Index
    sided: Flags
    between: Flags
    tied: Index


def points_at(points: PointTable, x: Array) -> Array:
    """Points (C, 3) where vertices are at x (N, 3)."""
    return np.asarray((points.weight[:, :, None] * x[np.maximum(points.vertex, 0)]).sum(axis=1))


class MembraneTable(NamedTuple):
    """Triangles of cloth, their vertices in ascending order. Edge k is opposite vertex k.

    vertex    : (T, 3) int32
    length2   : (T, 3) float64, [m2], squares of the edges at rest
    stiffness : (T, 3, 3) float64, [N/m3], energy 1/2 d'Cd of the changes d of squared lengths
    block     : (T, 3) int32, blocks of the vertex pairs 01, 02, 12
    """

    vertex: Index
    length2: Array
    stiffness: Array
    block: Index


class ScalarRows(NamedTuple):
    """The part of the matrix that is the same for x, y, z and never changes: mass over the square of the step, bending,
    and the share of soft bodies. Compressed rows.

    start  : (N + 1,) int32, into column
    column : (K,) int32, vertices
    value  : (K,) float64, [N/m]
    """

    start: Index
    column: Index
    value: Array


class CurveTable(NamedTuple):
    """Cloth that is curved at rest; of flat cloth, the matrix of bending says all.

    face : (F, 3) int32, facing outwards
    rows : of all vertices: times their normals, the forces that hold up the curvature at rest [N]
    """

    face: Index
    rows: ScalarRows


class SegmentTable(NamedTuple):
    """Segments of ropes.

    vertex    : (G, 2) int32, ascending
    length    : (G,) float64, [m], at rest
    stiffness : (G,) float64, [N/m]
    block     : (G,) int32
    """

    vertex: Index
    length: Array
    stiffness: Array
    block: Index


class LatticeTable(NamedTuple):
    """Tetrahedra of soft bodies, cube by cube.

    vertex     : (T, 4) int32
    gradient   : (T, 4, 3) float64, [1/m], of the shape functions at rest
    volume     : (T,) float64, [m3], that counts: less where a cube is not full
    cell_start : (C + 1,) int32, tetrahedra of each cube
    mu, lam    : (C,) float64, [N/m2]
    viscosity  : (C,) float64, [N s/m2]
    """

    vertex: Index
    gradient: Array
    volume: Array
    cell_start: Index
    mu: Array
    lam: Array
    viscosity: Array


class FactorTable(NamedTuple):
    """The factored constant matrices P'LDL'P of soft bodies, by vertex.

    start : (N + 1,) int32, into row: columns of L below the diagonal
    row   : (K,) int32, places in the order
    value : (K,) float64
    pivot : (N,) float64, [N/m]
    order : (N,) int32, the vertex at each place
    panel : (N,) int32, columns that are taken together from each on (factor.panels)
    stiffness : (N,) float64, [N/m], of the matrix's diagonal, without mass; 0 of other vertices
    hinge : (N, 2) int32, by number of what hangs together, vertices about which it can turn as a whole: one twice, or
            two on a line; FREE where nothing holds it, HELD where it cannot
    """

    start: Index
    row: Index
    value: Array
    pivot: Array
    order: Index
    panel: Index
    stiffness: Array
    hinge: Index


class Hinge(IntEnum):
    """In place of a vertex about which something turns."""

    FREE = -1
    HELD = -2


class BlockPattern(NamedTuple):
    """Which nodes of a level have a block between them: compressed rows of a symmetric matrix, from the diagonal on. A
    row begins with its node's own block, and its columns ascend.

    start  : (M + 1,) int32, into column
    column : (E,) int32, nodes
    """

    start: Index
    column: Index


class Levels(NamedTuple):
    """Coarser and coarser nodes of each body that is solved by levels; L levels, the vertices being the first.

    first        : (L, B + 1) int32, nodes of each body on each level
    mass         : (M,) float64, [N/m], mass over the square of the step, and recall, that is counted for a node
    parent_start : (M + 1,) int32, into parent
    parent       : (Q,) int32, nodes of the next level that a node lies between
    weight       : (Q,) float64, their shares, which add up to 1
    spread_start : (E + 1,) int32, into target: where a block goes on the next level; none below the diagonal
    target       : (R,) int32, blocks
    share        : (R,) float32
    flip         : (R,) uint8, 0: the block, 1: its transpose, 2: both
    """

    first: Index
    mass: Array
    parent_start: Index
    parent: Index
    weight: Array
    spread_start: Index
    target: Index
    share: NDArray[np.float32]
    flip: Flags


class BodyTable(NamedTuple):
    """Deformable bodies.

    first    : (B + 1,) int32, vertices of each
    triangle : (B + 1,) int32, triangles of each
    curve    : (B + 1,) int32, faces of each that is curved at rest
    segment  : (B + 1,) int32, segments of each
    cell     : (B + 1,) int32, cubes of each
    solver   : (B,) uint8, Solver
    damping  : (B,) float64, [s], of stiffness
    pinned   : (B,) uint8, whether any of its vertices is
    still    : (B,) uint8, whether any is pinned or follows another
    leads    : (B + 1,) int32, into leading; leading (n,) int32, vertices that lead, of ropes that are lines along them
    folds    : (B,) uint8, whether it meets itself
    apart    : (B,) uint8, whether its pieces do not all hang together: what is apart meets
    solutions : (B,) int32, of its own constant matrix in a step, where it has one
    every    : (B,) int32, substeps of rigid bodies in a step of it
    """

    first: Index
    triangle: Index
    curve: Index
    segment: Index
    cell: Index
    solver: Flag
    damping: Scalar
    pinned: Flag
    still: Flag
    leads: Index
    leading: Index
    folds: Flag
    apart: Flag
    solutions: Int
    every: Int


MOST_VERTICES = 8
"""Vertices of a row: four of a point on each side."""


class Rows(NamedTuple):
    """What pushes or pulls a point between up to eight vertices against something else, for one step. R rows.

    With u how far the point moves past the other side, along the normal n: force k (gap + n.u) along n where that is
    negative (a contact), or of either sign (a tie: then k (gap n + u) in all directions); and kt u across.

    vertex     : (R, 8) int32, -1 behind the last
    weight     : (R, 8) float64
    slot       : (R,) int32, assembly on the other side, -1 for none that moves freely
    arm        : (R, 3) float64, [m], from that assembly's centre to the point
    normal     : (R, 3) float64, unit, world frame, away from the other side
    gap        : (R,) float64, [m], before the step
    passing    : (R, 3) float64, [m], how the other side moves in the step by itself, where it has no slot
    stiffness  : (R,) float64, k [N/m]
    tangential : (R,) float64, kt [N/m]
    friction   : (R,) float64, Coulomb's coefficient
    active     : (R,) uint8
    solved     : (R,) uint8, whether it was in the last solution
    tie        : (R,) int32, -1 for a contact
    force      : (R,) float64, [N], along the normal, of the last solution
    acting     : (R, 3) float64, [N], on the point, likewise, with friction and of either sign
    most       : (R,) float64, [N], the greatest force that friction goes by
    shape      : (R,) int32, what it touches
    face       : (R,) int32, of that
    lies       : (R,) int32, face of the body that lies on it, if that has two sides, or -1
    behind     : (R,) uint8, whether it does by its back
    point      : (R,) int32, the point that touches
    order      : (R,) int32, rows by their groups (groups.py)
    """

    vertex: Int8
    weight: Vec8
    slot: Int
    arm: Vec3
    normal: Vec3
    gap: Scalar
    passing: Vec3
    stiffness: Scalar
    tangential: Scalar
    friction: Scalar
    active: Flag
    tie: Int
    force: Scalar
    shape: Int
    face: Int
    lies: Int
    behind: Flag
    point: Int
    order: Int
    solved: Flag
    most: Scalar
    acting: Vec3


def make_rows(count: int) -> Rows:
    return allocate(Rows, count)


class TieEnds(NamedTuple):
    """Ties with an end on a deformable body. X ties.

    strength : (X,) float64, [N], inf where it never breaks
    vertex : (X, 2) int32, -1 where the end is not on a deformable body
    piece  : (X, 2) int32, -1 where the end is not on a piece; with neither, it is the world
    point  : (X, 2, 3) float64, [m], of ends at the opening pose
    idle   : (X,) uint8, 1 where what it ends on was removed, or another tie at the same place holds in its stead
    """

    strength: Array
    vertex: Index
    piece: Index
    point: Array
    idle: Flags


class TwistTable(NamedTuple):
    """Ropes that resist twisting, and of which both ends are held with the vertices next to them. K ropes.

    body      : (K,) int32, deformable body
    stiffness : (K,) float64, [N m], torque for a radian between its ends
    laid      : (K,) float64, [rad], by which it is twisted at the start
    bending   : (K,) float64, [N m2]
    finest    : (K,) float64, [1/m], the greatest wave number of a helix that its segments can follow
    holder    : (K, 2) int32, the piece that holds each end, -1 for the world
    tie       : (K, 2, 2) int32, the ties by which it does, -1 where it is pinned
    director  : (K, 2, 3) float64, unit, across the line at its ends at the opening pose; they turn with what holds them
    whole     : (K,) int32, vertices of it as long as it is whole
    """

    body: Index
    stiffness: Array
    laid: Array
    bending: Array
    finest: Array
    holder: Index
    tie: Index
    director: Array
    whole: Index


class AirTable(NamedTuple):
    """What meets the air.

    face    : (F, 3) int32, vertices; two_sided : (F,) uint8, of cloth
    segment : (G, 2) int32, of ropes; radius : (G,) float64, [m]
    """

    face: Index
    two_sided: Flags
    segment: Index
    radius: Array


class Carried(NamedTuple):
    """Vertices that a piece takes along, or draws to where it takes them.

    vertex : (X,) int32
    piece  : (X,) int32
    start  : (X, 3) float64, [m], world frame, where it is when the piece is in its opening pose
    """

    vertex: Index
    piece: Index
    start: Array


class Elements(NamedTuple):
    """What deformable bodies are made of.

    collides : (B, bodies) uint8, whether a deformable body and a body of the shot touch
    meets    : (B, B) uint8, whether two deformable bodies do, or one itself
    """

    bodies: BodyTable
    vertices: VertexTable
    membrane: MembraneTable
    curves: CurveTable
    segments: SegmentTable
    lattice: LatticeTable
    ties: TieEnds
    twists: TwistTable
    carried: Carried
    drawn: Carried
    points: PointTable
    collides: Flags
    meets: Flags


class Tables(NamedTuple):
    """All that does not change while no seam opens."""

    elements: Elements
    scalar: ScalarRows
    pattern: BlockPattern
    levels: Levels
    factor: FactorTable
