"""What does not change during a run: pieces, hulls, bonds, materials.

Index spaces (elements.py): *piece* p of P over all bodies; *bond* b of B; *tie* t of T. Beside them *shape* s of S, a
convex hull of a piece (a whole hollow body has several), and *assembly* a of P + 1 slots: an assembly lives in the slot
of its lowest piece, and slot P is the ground.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum
from typing import NamedTuple

import numpy as np

from ..arrays import Array, Flag, Flags, Index, Int, Int2, Mat2x3, Mat3, Scalar, Vec3
from ..document import Channel
from ..geometry.tree import MeshDistance
from ..timeline.drive import Drive
from .deformable.model import DeformableModel


class Hold(IntEnum):
    """What holds a piece."""

    FREE = 0  # nothing
    FIXED = 1  # an anchor or a passive role, for good
    TOUCH = 2  # its release, until touched
    CUE = 3  # its release, until a cue
    DRIVEN = 4  # its animation
    FROZEN = 5  # a kill that froze it
    REMOVED = 6  # a kill that took it out


class Motion(IntEnum):
    """How an assembly moves."""

    DYNAMIC = 0  # by forces
    FIXED = 1  # not at all
    KINEMATIC = 2  # as its animation has it, whatever pushes back


class TieKind(IntEnum):
    PIN = 0
    STRING = 1
    HINGE = 2
    WELD = 3


class LoadPath(IntEnum):
    """Whether weight is followed through a body's bonds."""

    OFF = 0
    ON = 1  # to be seen
    FAIL = 2  # and bonds break under it


GROUND = -1
"""In place of a shape: the ground plane."""


class Hulls(NamedTuple):
    """Convex cores of all shapes (``rigid.hulls``) at the opening pose, relative to their piece's centre of mass, in
    world axes. A surface lies ``radius`` outside its core.

    piece        : (S,) int32, the piece each belongs to
    radius       : (S,) float64, [m], rounding
    bound        : (S,) float64, [m], the farthest surface point from the piece's centre
    vertex_start : (S + 1,) int32, into vertices
    vertices     : (N, 3) float64, [m]
    face_start   : (S + 1,) int32, into normals
    normals      : (F, 3) float64, unit, outward
    ring_start   : (F + 1,) int32, into ring
    ring         : (R,) int32, rows of vertices round each face, counter-clockwise seen from outside
    """

    piece: Index
    radius: Array
    bound: Array
    vertex_start: Index
    vertices: Array
    face_start: Index
    normals: Array
    ring_start: Index
    ring: Index


class InnerFaces(NamedTuple):
    """What covers faces of hulls from outside; F faces.

    first : (F + 1,) int32, into shape (n,) int32: hulls of the same body that cover a face together; none where it lies
            open, if only in part
    """

    first: Index
    shape: Index


class PieceTable(NamedTuple):
    """Pieces at the opening pose, in world axes.

    body          : (P,) int32
    mass          : (P,) float64, [kg]
    inertia       : (P, 3, 3) float64, [kg m2], about the centre of mass
    rest_center   : (P, 3) float64, [m], centre of mass
    size          : (P,) float64, [m], cube root of the volume
    friction      : (P,) float64, Coulomb's coefficient
    restitution   : (P,) float64
    rolling       : (P,) float64, rolling resistance as a share of the radius
    hold          : (P,) uint8, Hold at the start
    chunk         : (P,) int32, its tier-1 chunk
    gravity_scale : (P,) float64
    """

    body: Int
    mass: Scalar
    inertia: Mat3
    rest_center: Vec3
    size: Scalar
    friction: Scalar
    restitution: Scalar
    rolling: Scalar
    hold: Flag
    chunk: Int
    gravity_scale: Scalar


class Release(NamedTuple):
    """What a body waits for: the part that goes when touched, and the time [s] of its cue (inf: none)."""

    part: str
    time: float


class BondTable(NamedTuple):
    """Bonds, and which of them each piece has.

    piece         : (B, 2) int32
    strength      : (B,) float64, [N]
    center        : (B, 3) float64, [m], of its face, at the opening pose
    area          : (B,) float64, [m2]
    normal        : (B, 3) float64, unit, from the first piece to the second, at the opening pose
    second_moment : (B, 3, 3) float64, [m4], of the face about its centre, likewise
    tier          : (B,) uint8
    link_start    : (P + 1,) int32, into link
    link          : (2 B,) int32, bonds of each piece, ascending
    """

    piece: Index
    strength: Array
    center: Array
    area: Array
    normal: Array
    second_moment: Array
    tier: Flags
    link_start: Index
    link: Index


class TieTable(NamedTuple):
    """Ties between two pieces, or a piece and the world.

    kind     : (T,) uint8, TieKind
    piece    : (T, 2) int32, the second -1 for the world
    point    : (T, 2, 3) float64, [m], its ends at the opening pose
    axis     : (T, 3) float64, unit, of hinges at the opening pose
    low      : (T,) float64, [rad], lower limit of hinges, -inf without one
    high     : (T,) float64, [rad], upper limit of hinges, inf without one
    friction : (T,) float64, [N m], torque of hinges
    length   : (T,) float64, [m], of strings
    strength : (T,) float64, [N], inf where it never breaks
    """

    kind: Flag
    piece: Int2
    point: Mat2x3
    axis: Vec3
    low: Scalar
    high: Scalar
    friction: Scalar
    length: Scalar
    strength: Scalar


class TriangleMeshes(NamedTuple):
    """Bodies that collide as their very triangles, with a bounding-volume tree each. Their shapes, one a triangle, come
    after all others in Hulls. X such pieces, N nodes.

    first_shape : int, the first shape that is a triangle
    piece       : (X,) int32
    root        : (X,) int32, node of each tree
    lower       : (N, 3) float64, [m], bounds relative to the piece's centre at the opening pose
    upper       : (N, 3) float64, [m]
    child       : (N,) int32, the left child, the right one behind it; -1 at leaves
    start       : (N,) int32, of a leaf's triangles in order
    triangle_count : (N,) int32
    order       : (F,) int32, shapes
    convex_edge : (F, 3) uint8, whether an edge stands out, by shape - first_shape
    """

    first_shape: int
    piece: Index
    root: Index
    lower: Array
    upper: Array
    child: Index
    start: Index
    triangle_count: Index
    order: Index
    convex_edge: Flags


class Settings(NamedTuple):
    """Numbers of the run, read by the kernels.

    interval           : float, [s], between contact detections
    substeps           : int, per interval
    gravity            : (3,) float64, [m/s2]
    ground_on          : int, 0 or 1
    ground_height      : float, [m]
    ground_friction    : float
    ground_restitution : float
    """

    interval: float
    substeps: int
    gravity: Array
    ground_on: int
    ground_height: float
    ground_friction: float
    ground_restitution: float


@dataclass(frozen=True)
class Model:
    """Everything a run needs and never changes.

    body_names             : name of each body
    body_first             : (bodies + 1,) int32, first piece of each
    inner_faces            : of which faces of hulls others lie
    start_velocity         : (bodies, 3) float64, [m/s]
    start_angular_velocity : (bodies, 3) float64, [rad/s]
    fps                    : float, frames a second
    intervals_per_frame    : int
    releases               : what each body waits for
    load_path              : (bodies,) uint8, LoadPath
    drives                 : how each animated body moves, None for others
    tie_names              : name of each tie
    uncollided             : (N, 2) int32, bodies that do not touch, since a tie joins them
    speed_limit            : float, [m/s]
    angular_speed_limit    : float, [rad/s]
    piece_tier             : (P,) int32, the tier each piece was made on
    chunks                 : (P, tiers + 1) int32, chunk of every tier, numbered over all bodies; tier 0 is the body
    carrier                : (P,) int32, the body whose animation carries a piece, -1 for none
    surfaces               : meshes that fields ask about, at the opening pose in the world, by name
    target_names           : of each body, its own name or its group's: what a field's targets name
    channels               : numbers of bodies over time, each with its body
    deformables            : cloth, soft bodies and ropes; None where there are none
    """

    body_names: list[str]
    body_first: Index
    hulls: Hulls
    inner_faces: InnerFaces
    pieces: PieceTable
    bonds: BondTable
    settings: Settings
    start_velocity: Array
    start_angular_velocity: Array
    fps: float
    intervals_per_frame: int
    releases: list[Release]
    load_path: Flags
    drives: list[Drive | None]
    ties: TieTable
    tie_names: list[str]
    uncollided: Index
    triangle_meshes: TriangleMeshes
    speed_limit: float
    angular_speed_limit: float
    piece_tier: Index
    chunks: Index
    carrier: Index
    surfaces: dict[str, MeshDistance]
    target_names: list[str]
    channels: list[tuple[int, Channel]]
    deformables: DeformableModel | None = None

    @property
    def piece_count(self) -> int:
        return len(self.pieces.mass)

    @property
    def bond_count(self) -> int:
        return len(self.bonds.strength)

    def piece_reach(self) -> Array:
        """Farthest surface point of each piece from its centre of mass (P,) [m]."""
        out = np.zeros(self.piece_count)
        if len(out):
            np.maximum.at(out, self.hulls.piece, self.hulls.bound)
        return out


def linked(bonds: BondTable, pieces: int) -> BondTable:
    """A bond table with the bonds of each of so many pieces filled in."""
    ends = bonds.piece.reshape(-1)
    owner = np.repeat(np.arange(len(bonds.piece)), 2)
    order = np.argsort(ends, kind="stable")
    start = np.searchsorted(ends[order], np.arange(pieces + 1)).astype(np.int32)
    return bonds._replace(link_start=start, link=owner[order].astype(np.int32))
