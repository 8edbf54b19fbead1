"""What a step changes, all of it: a run continued from a stored State is the run that was never interrupted."""

from __future__ import annotations

import io
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
import zstandard

from ..geometry.mesh import Array, Index
from .model import Flags


class Assemblies(NamedTuple):
    """Per slot (P + 1; the last is the ground).

    pos (3) centre of mass [m]; rot quaternion x, y, z, w from the opening pose; vel [m/s]; spin [rad/s], world
    rest (3) centre of mass at the opening pose [m]; mass [kg]; inv_mass [1/kg], 0 if held
    inertia, inv_inertia (3, 3) at the opening pose, world axes; radius: farthest piece's reach from the centre [m]
    alive, asleep (uint8); held (uint8): 1 stands still, 2 is moved by its animation; pieces: count; calm: smoothed
    speed [m/s]; still: seconds of stillness; slip: seconds of sliding without a break; mark (3), mark_rot (4), dwell:
    where it was ``dwell`` seconds ago, since when it has hardly left that place age: seconds since it came to be, at
    the start or by a split fall: share of gravity, by its pieces' masses island: lowest slot of the sleeping island, -1
    while awake
    """

    pos: Array
    rot: Array
    vel: Array
    spin: Array
    rest: Array
    mass: Array
    inv_mass: Array
    inertia: Array
    inv_inertia: Array
    radius: Array
    alive: Flags
    held: Flags
    asleep: Flags
    pieces: Index
    calm: Array
    still: Array
    slip: Array
    mark: Array
    mark_rot: Array
    dwell: Array
    age: Array
    fall: Array
    island: Index


class Contacts(NamedTuple):
    """Pairs of shapes that are near each other, and what they remember between searches.

    a, b (K,) shapes, b = -1 for the ground; axis (K, 3) last separating direction from b to a; slack (K,) overlap
    present when the pair was first met, forgiven [m], <= 0; count (K,) contact points; depth (K,) overlap [m] when last
    looked at, what is forgiven included; local, local_b (K, 4, 3) the points on the surfaces of a and b, in their
    opening frames about their assemblies' centres; face, face_b (K, 3) the normal in both frames when the points were
    found; feature (K,) reference face + 1, negative if b's, 0 for edges and corners; push (K, 4) normal impulse of a
    substep [N s]; rub (K, 4) friction impulse (world xyz, twist); hit (K,) impulse of the hit that fell in the last
    interval [N s]
    """

    a: Index
    b: Index
    axis: Array
    slack: Array
    depth: Array
    count: Index
    local: Array
    local_b: Array
    face: Array
    face_b: Array
    feature: Index
    push: Array
    rub: Array
    hit: Array


def no_contacts(room: int = 0) -> Contacts:
    """Room for so many pairs."""
    return Contacts(
        np.zeros(room, np.int32),
        np.zeros(room, np.int32),
        np.zeros((room, 3)),
        np.zeros(room),
        np.zeros(room),
        np.zeros(room, np.int32),
        np.zeros((room, 4, 3)),
        np.zeros((room, 4, 3)),
        np.zeros((room, 3)),
        np.zeros((room, 3)),
        np.zeros(room, np.int32),
        np.zeros((room, 4)),
        np.zeros((room, 4)),
        np.zeros(room),
    )


@dataclass
class State:
    """The state of a run after ``frame`` frames.

    piece_assembly (P,) int32; bond_broken (B,) uint8; bond_wear (B,) share of strength lost
    held (P,) uint8, what holds each piece now (model.HOLD_*)
    tie_broken (T,) uint8; tie_push (T, 8): what each tie ended the last interval with (rigid.ties.TieRows)
    memory: what fields and falloffs remember, by their own keys
    weigh: 1 where weight must be followed through the bonds again, since something parted
    """

    frame: int
    piece_assembly: Index
    assemblies: Assemblies
    bond_broken: Flags
    bond_wear: Array
    held: Flags
    tie_broken: Flags
    tie_push: Array
    weigh: int = 1
    memory: dict[str, Array] = field(default_factory=dict)
    contacts: Contacts = field(default_factory=no_contacts)

    def copy(self) -> State:
        return State(
            self.frame,
            self.piece_assembly.copy(),
            Assemblies(*(x.copy() for x in self.assemblies)),
            self.bond_broken.copy(),
            self.bond_wear.copy(),
            self.held.copy(),
            self.tie_broken.copy(),
            self.tie_push.copy(),
            self.weigh,
            {k: v.copy() for k, v in self.memory.items()},
            Contacts(*(x.copy() for x in self.contacts)),
        )

    def pack(self) -> bytes:
        """The whole state as compressed bytes."""
        out = io.BytesIO()
        np.savez(
            out,
            frame=self.frame,
            piece_assembly=self.piece_assembly,
            bond_broken=self.bond_broken,
            bond_wear=self.bond_wear,
            held=self.held,
            tie_broken=self.tie_broken,
            tie_push=self.tie_push,
            weigh=self.weigh,
            **{f"mem_{k}": v for k, v in self.memory.items()},
            **{f"asm_{k}": v for k, v in self.assemblies._asdict().items()},
            **{f"con_{k}": v for k, v in self.contacts._asdict().items()},
        )
        return zstandard.ZstdCompressor(level=3).compress(out.getvalue())

    @staticmethod
    def unpack(data: bytes) -> State:
        with np.load(io.BytesIO(zstandard.ZstdDecompressor().decompress(data)), allow_pickle=False) as z:
            return State(
                int(z["frame"]),
                z["piece_assembly"],
                Assemblies(*(z[f"asm_{k}"] for k in Assemblies._fields)),
                z["bond_broken"],
                z["bond_wear"],
                z["held"],
                z["tie_broken"],
                z["tie_push"],
                int(z["weigh"]),
                {k[4:]: z[k] for k in z.files if k.startswith("mem_")},
                Contacts(*(z[f"con_{k}"] for k in Contacts._fields)),
            )
