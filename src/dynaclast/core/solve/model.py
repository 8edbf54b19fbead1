"""What does not change during a run: pieces, hulls, bonds, materials.

Index spaces: *piece* p of P over all bodies; *shape* s of S (a convex hull; a whole hollow body has several);
*assembly* a of P + 1 slots (an assembly lives in the slot of its lowest piece; slot P is the ground); *bond* b of B.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..document import Channel
from ..geometry.mesh import Array, Index
from ..geometry.tree import MeshDistance
from ..motion import Drive

Flags = NDArray[np.uint8]


class Hulls(NamedTuple):
    """Convex cores of all shapes (``rigid.hulls``), at the opening pose, relative to the piece's centre of mass.

    piece (S,) int32; radius (S,) rounding [m]; bound (S,) farthest surface point from the piece's centre [m]
    vert_start (S + 1,), verts (N, 3) [m]; face_start (S + 1,), normals (F, 3); ring_start (F + 1,), ring: corner
    rows into verts, counter-clockwise
    """

    piece: Index
    radius: Array
    bound: Array
    vert_start: Index
    verts: Array
    face_start: Index
    normals: Array
    ring_start: Index
    ring: Index


class PieceTable(NamedTuple):
    """Per piece, opening pose, world axes.

    body (P,) int32; mass (P,) [kg]; inertia (P, 3, 3) about the centre [kg m2]; rest (P, 3) centre of mass [m];
    size (P,) cube root of the volume [m]; friction, bounce, rolling (P,); held (P,) uint8, what holds it at the start
    (HOLD_*); chunk (P,) int32, its tier-1 chunk; fall (P,) share of gravity
    """

    body: Index
    mass: Array
    inertia: Array
    rest: Array
    size: Array
    friction: Array
    bounce: Array
    rolling: Array
    held: Flags
    chunk: Index
    fall: Array


HOLD_FREE, HOLD_FIXED, HOLD_TOUCH, HOLD_CUE, HOLD_DRIVEN, HOLD_FROZEN, HOLD_REMOVED = range(7)
"""What holds a piece: nothing; an anchor or a passive role, for good; its release, until touched; its release, until a
cue; its animation; a kill that froze it; a kill that took it out.
"""


class Release(NamedTuple):
    """What a body waits for: the part that goes when touched, and the time [s] of its cue (inf: none)."""

    part: str
    time: float


class BondTable(NamedTuple):
    """Per bond: piece (B, 2) int32; strength (B,) [N]; center (B, 3) at the opening pose [m]; area (B,) [m2]; tier (B,)
    uint8; adjacency as CSR over pieces: link_start (P + 1,), link (2B,) bond indices.
    """

    piece: Index
    strength: Array
    center: Array
    area: Array
    tier: Flags
    link_start: Index
    link: Index


TIE_PIN, TIE_STRING, TIE_HINGE, TIE_WELD = range(4)


class TieTable(NamedTuple):
    """Per tie: kind (T,) TIE_*; piece (T, 2) int32, the second -1 for the world; point (T, 2, 3) its ends at the
    opening pose [m]; axis (T, 3) of hinges, unit, at the opening pose; low, high (T,) limits of hinges [rad], infinite
    where there are none; friction (T,) torque [N m]; length (T,) of strings [m]; breaks (T,) [N], infinite where it
    never does.
    """

    kind: Flags
    piece: Index
    point: Array
    axis: Array
    low: Array
    high: Array
    friction: Array
    length: Array
    breaks: Array


class Sheets(NamedTuple):
    """Bodies that collide as their very triangles. Their shapes come after all others in Hulls; X such pieces, N nodes
    of trees.

    first: the first shape that is a triangle; piece (X,) int32; root (X,) node of each tree
    lo, hi (N, 3) bounds relative to the piece's centre at the opening pose [m]; child (N,) left child, the right one
    behind it, -1 at leaves; start, count (N,) the leaf's triangles in ``order``; order (T,) shapes; sharp (T, 3) uint8:
    the edge stands out (shape - first)
    """

    first: int
    piece: Index
    root: Index
    lo: Array
    hi: Array
    child: Index
    start: Index
    count: Index
    order: Index
    sharp: Flags


class Settings(NamedTuple):
    """Numbers of the run, read by the kernels.

    interval [s] between contact searches; substeps per interval; gravity (3,) [m/s2]; ground on (0/1), height [m],
    friction, bounce
    """

    interval: float
    substeps: int
    gravity: Array
    ground_on: int
    ground_height: float
    ground_friction: float
    ground_bounce: float


@dataclass(frozen=True)
class Model:
    """Everything a run needs and never changes.

    piece_tier (P,): the tier each piece was made on; chunks (P, T + 1): each piece's chunk of every tier, numbered over
    all, tier 0 being its body; carried_by (P,): the body whose animation carries a piece, -1 for none; surfaces: meshes
    that fields ask about, at the opening pose in the world; columns: per body, its own name or its group's load_path:
    per body, whether weight is followed through its bonds: 0 not, 1 to be seen, 2 they fail under it channels: numbers
    of bodies over time, each with its body drives: per body, how an animated one moves; apart (N, 2): pairs of bodies
    that do not touch, since a tie joins them
    """

    body_names: list[str]
    body_first: Index
    hulls: Hulls
    pieces: PieceTable
    bonds: BondTable
    settings: Settings
    start_velocity: Array
    start_spin: Array
    fps: float
    intervals_per_frame: int
    releases: list[Release]
    load_path: Flags
    drives: list[Drive | None]
    ties: TieTable
    tie_names: list[str]
    apart: Index
    sheets: Sheets
    most_speed: float
    most_spin: float
    piece_tier: Index
    chunks: Index
    carried_by: Index
    surfaces: dict[str, MeshDistance]
    columns: list[str]
    channels: list[tuple[int, Channel]]

    @property
    def piece_count(self) -> int:
        return len(self.pieces.mass)


def bond_table(piece: Index, strength: Array, center: Array, area: Array, tier: Flags, pieces: int) -> BondTable:
    """A bond table with its adjacency; links of a piece are in ascending bond order."""
    ends = piece.reshape(-1)
    owner = np.repeat(np.arange(len(piece)), 2)
    order = np.argsort(ends, kind="stable")
    start = np.searchsorted(ends[order], np.arange(pieces + 1)).astype(np.int32)
    return BondTable(
        np.ascontiguousarray(piece, dtype=np.int32).reshape(-1, 2),
        strength,
        center.reshape(-1, 3),
        area,
        tier,
        start,
        owner[order].astype(np.int32),
    )
