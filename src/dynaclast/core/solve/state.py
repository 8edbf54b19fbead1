"""What a step changes, all of it: a run continued from a stored State is the run that was never interrupted.

Copying, packing and unpacking walk over whatever the State holds, so that a part added to it needs no line here.
"""

from __future__ import annotations

import io
from collections.abc import Iterator
from dataclasses import dataclass, field, fields, is_dataclass
from typing import Any, NamedTuple, cast, get_type_hints

import numpy as np
import zstandard

from ..arrays import Array, Flag, Flags, Index, Int, Int8, Mat3, Mat4x3, Scalar, Vec3, Vec4, allocate, entries
from ..errors import InputError

FORMAT = 6
"""Grows when what is packed is named or meant otherwise: what an older program packed is not gone on from."""

NOT_MEASURED = 1.0e3
"""Mean speed of what has just come to be or woken [m/s]: the first speed measured takes its place."""


class Assemblies(NamedTuple):
    """Assemblies by slot: one of each piece, and last the ground (A = P + 1).

    position          : (A, 3) float64, [m], world frame, centre of mass
    orientation       : (A, 4) float64, unit quaternion x, y, z, w from the opening pose
    velocity          : (A, 3) float64, [m/s], world frame
    angular_velocity  : (A, 3) float64, [rad/s], world frame
    rest_center       : (A, 3) float64, [m], centre of mass at the opening pose
    mass              : (A,) float64, [kg]
    inv_mass          : (A,) float64, [1/kg]; 0 unless dynamic
    inertia           : (A, 3, 3) float64, [kg m2], at the opening pose, world axes
    inv_inertia       : (A, 3, 3) float64, [1/(kg m2)], likewise; 0 unless dynamic
    radius            : (A,) float64, [m], the farthest piece's reach from the centre
    alive             : (A,) uint8, whether an assembly lives in the slot
    motion            : (A,) uint8, Motion
    asleep            : (A,) uint8
    piece_count       : (A,) int32
    mean_speed        : (A,) float64, [m/s], smoothed over some intervals
    dwell_position    : (A, 3) float64, [m], where it was when dwell_time began
    dwell_orientation : (A, 4) float64
    dwell_time        : (A,) float64, [s], how long it has not left that place
    age               : (A,) float64, [s], since it came to be, at the start or by a split; 1 at most
    gravity_scale     : (A,) float64, by its pieces' masses
    sleep_island      : (A,) int32, lowest slot of the island it sleeps in, -1 while awake
    """

    position: Vec3
    orientation: Vec4
    velocity: Vec3
    angular_velocity: Vec3
    rest_center: Vec3
    mass: Scalar
    inv_mass: Scalar
    inertia: Mat3
    inv_inertia: Mat3
    radius: Scalar
    alive: Flag
    motion: Flag
    asleep: Flag
    piece_count: Int
    mean_speed: Scalar
    dwell_position: Vec3
    dwell_orientation: Vec4
    dwell_time: Scalar
    age: Scalar
    gravity_scale: Scalar
    sleep_island: Int


class ContactCache(NamedTuple):
    """Pairs of shapes that are near each other, and what they remember from one detection to the next; K pairs.

    shape_a               : (K,) int32
    shape_b               : (K,) int32, GROUND for the ground
    normal                : (K, 3) float64, unit, from b to a: of the contact, or the last separating direction
    penetration_allowance : (K,) float64, [m], <= 0: penetration the pair was met with, never pushed out
    penetration           : (K,) float64, [m], >= 0, when last looked at, the allowance included
    point_count           : (K,) int32, 0 to 4
    point_a               : (K, 4, 3) float64, [m], contact points on a, opening frame, about its assembly's centre
    point_b               : (K, 4, 3) float64, [m], on b
    normal_a              : (K, 3) float64, the normal when the points were found, in the opening frame of a
    normal_b              : (K, 3) float64, in that of b
    feature               : (K,) int32, reference face + 1, negative if it is b's; 0 for an edge or a corner
    normal_impulse        : (K, 4) float64, [N s], of the last substep
    total_impulse         : (K, 4) float64, [N s], normal, over the last interval
    mean_force            : (K, 3) float64, [N], world, on a, friction and all, smoothed over some intervals
    friction_impulse      : (K, 4) float64, [N s], world x, y, z, and torsional [N m s], of the last substep
    impact_impulse        : (K,) float64, [N s], of an impact in the last interval
    """

    shape_a: Int
    shape_b: Int
    normal: Vec3
    penetration_allowance: Scalar
    penetration: Scalar
    point_count: Int
    point_a: Mat4x3
    point_b: Mat4x3
    normal_a: Vec3
    normal_b: Vec3
    feature: Int
    normal_impulse: Vec4
    total_impulse: Vec4
    mean_force: Vec3
    friction_impulse: Vec4
    impact_impulse: Scalar


def make_contact_cache(room: int = 0) -> ContactCache:
    """Room for so many pairs."""
    return allocate(ContactCache, room)


class Vertices(NamedTuple):
    """Vertices of deformable bodies (N).

    position : (N, 3) float64, [m], world frame
    velocity : (N, 3) float64, [m/s]
    push     : (N, 3) float64, [N], by what it touched or was tied to in the last step
    dwell    : (N, 3) float64, [m], where it was when its body's dwell time began
    """

    position: Vec3
    velocity: Vec3
    push: Vec3
    dwell: Vec3


NOTHING = -2
"""In place of a shape that is touched."""


class Touching(NamedTuple):
    """What the points of deformable bodies (C) touched in the last step.

    force : (C,) float64, [N], with which it was pressed
    slip  : (C,) float64, [m], how far it slipped in the step
    shape : (C,) int32, GROUND, or NOTHING
    face  : (C,) int32, of the shape, or -1
    sides : (C, 8) int32, hulls, counted from 1, that touched faces at the point in front; less than 0 those behind; 0
            where there are no more
    push  : (C, 3) float64, [N], on it without a hit, the mean of the last interval
    on    : (C,) int32, the shape, or GROUND, that did so; NOTHING
    """

    force: Scalar
    slip: Scalar
    shape: Int
    face: Int
    sides: Int8
    push: Vec3
    on: Int


class DeformableBodies(NamedTuple):
    """Deformable bodies (B).

    asleep     : (B,) uint8
    dwell_time : (B,) float64, [s], how long none of its vertices has left its place
    twist      : (B,) float64, [rad], how far a rope is twisted, where it resists that
    """

    asleep: Flag
    dwell_time: Scalar
    twist: Scalar


def no_vertices() -> Vertices:
    return allocate(Vertices, 0)


def no_touching() -> Touching:
    return allocate(Touching, 0)


def no_deformables() -> DeformableBodies:
    return allocate(DeformableBodies, 0)


@dataclass
class State:
    """The state of a run after ``frame`` frames.

    frame          : int
    piece_assembly : (P,) int32, slot of each piece's assembly
    bond_broken    : (B,) uint8
    bond_wear      : (B,) float64, share of strength lost
    hold           : (P,) uint8, Hold of each piece now
    tie_broken     : (T,) uint8
    vertex_tie_broken : (X,) uint8, ties with an end on a deformable body
    vertex_tie_pull : (X, 3) float64, [N], on their vertices, the mean of the last interval
    seam_broken    : (Q,) uint8, of deformable bodies
    seam_wear      : (Q,) float64, share of strength lost
    vertex_hold    : (N,) uint8, Hold of each vertex of deformable bodies: free, frozen or taken out
    tie_impulse    : (T, 8) float64, what each tie ended the last interval with (rigid.joints)
    memory         : what fields and falloffs remember, by their own keys
    """

    frame: int
    piece_assembly: Index
    assemblies: Assemblies
    bond_broken: Flags
    bond_wear: Array
    hold: Flags
    tie_broken: Flags
    tie_impulse: Array
    memory: dict[str, Array] = field(default_factory=dict)
    contact_cache: ContactCache = field(default_factory=make_contact_cache)
    vertices: Vertices = field(default_factory=no_vertices)
    touching: Touching = field(default_factory=no_touching)
    vertex_tie_broken: Flags = field(default_factory=lambda: np.zeros(0, np.uint8))
    vertex_tie_pull: Array = field(default_factory=lambda: np.zeros((0, 3)))
    seam_broken: Flags = field(default_factory=lambda: np.zeros(0, np.uint8))
    seam_wear: Array = field(default_factory=lambda: np.zeros(0))
    vertex_hold: Flags = field(default_factory=lambda: np.zeros(0, np.uint8))
    deformables: DeformableBodies = field(default_factory=no_deformables)

    def copy(self) -> State:
        return cast(State, copied(self))

    def pack(self) -> bytes:
        """The whole state as compressed bytes."""
        out = io.BytesIO()
        np.savez(out, allow_pickle=False, format=np.int64(FORMAT), **dict(_leaves(self)))
        return zstandard.ZstdCompressor(level=3).compress(out.getvalue())

    @staticmethod
    def unpack(data: bytes) -> State:
        """What ``pack`` gave. Raises InputError where another version packed it."""
        with np.load(io.BytesIO(zstandard.ZstdDecompressor().decompress(data)), allow_pickle=False) as z:
            if "format" not in z.files or int(z["format"]) != FORMAT:
                raise InputError("this state was stored by another version of the program; bake the shot again")
            return cast(State, _assembled(State, "", {name: z[name] for name in z.files}))


def copied(part: Any) -> Any:
    """A copy of a part of a state, with all the arrays in it."""
    if isinstance(part, np.ndarray):
        return part.copy()
    if isinstance(part, dict):
        return {k: copied(v) for k, v in part.items()}
    if isinstance(part, tuple):
        parts = [copied(x) for x in part]
        return type(part)(*parts) if hasattr(part, "_fields") else tuple(parts)
    if is_dataclass(part) and not isinstance(part, type):
        return type(part)(**{f.name: copied(getattr(part, f.name)) for f in fields(part)})
    return part


def put_back(part: Any, earlier: Any) -> None:
    """Give the arrays of a part of a state, in place, what they held in a copy of it."""
    if isinstance(part, np.ndarray):
        part[:] = earlier
        return
    for now, then in zip(part, earlier, strict=True):
        put_back(now, then)


def _leaves(part: Any, path: str = "") -> Iterator[tuple[str, Any]]:
    """Everything in a state that is an array or a number, by its path."""
    if is_dataclass(part):
        named: Any = {f.name: getattr(part, f.name) for f in fields(part)}
    elif isinstance(part, dict):
        named = part
    elif isinstance(part, tuple):
        named = cast(Any, part)._asdict()
    else:
        yield path, part
        return
    for name, value in named.items():
        yield from _leaves(value, f"{path}.{name}" if path else name)


def _assembled(kind: Any, path: str, found: dict[str, Any]) -> Any:
    """A part of a state of this kind, out of leaves by their paths."""
    if kind is int:
        return int(found[path])
    if getattr(kind, "__origin__", None) is dict:
        return {name[len(path) + 1 :]: value for name, value in found.items() if name.startswith(f"{path}.")}
    if is_dataclass(kind) or hasattr(kind, "_fields"):
        hints = get_type_hints(kind)
        at = {name: f"{path}.{name}" if path else name for name in hints}
        if hasattr(kind, "_fields"):  # a column that is younger than the state is all zero
            first, dtypes = found[next(iter(at.values()))], entries(kind)
            for name in hints:
                found.setdefault(at[name], np.zeros((len(first), *dtypes[name].shape), dtypes[name].dtype))
        return kind(**{name: _assembled(hint, at[name], found) for name, hint in hints.items()})
    return found[path]
