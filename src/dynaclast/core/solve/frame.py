"""What one frame of a run looks like from outside."""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum
from typing import Any

import numpy as np

from ..arrays import Array, Flags, Index
from ..errors import SolveError
from ..kernels import kernel
from .model import Hold, Model, Motion, PieceTable
from .rigid.energy import kinetic_energy
from .state import Assemblies, State


class PieceState(IntEnum):
    """What a piece is doing in a frame."""

    HELD = 0
    RESTING = 1
    MOVING = 2
    FROZEN = 3
    REMOVED = 4


STATE_NAMES = [s.name.lower() for s in PieceState]
OF_PIECES = ("position", "orientation", "state")
"""Arrays that every frame has of its pieces."""


@dataclass(frozen=True)
class Frame:
    """One frame: arrays by name, over the index spaces they belong to.

    Of pieces (P):

    position    : (P, 3) float32, [m], centres of mass
    orientation : (P, 4) float32, from the piece's start
    state       : (P,) uint8, PieceState
    load        : (P,) float32, the largest share of a bond's strength that weight takes
    acted       : (P, n) uint8, a bit for every field of the shot that acted on it
    map/NAME    : (P,) float32, a map of the shot; tint/NAME : (P, 3) uint8, its colours

    Of the vertices of a deformable body NAME:

    points/NAME : (V, 3) float32, [m]

    stats       : bonds_broken (in this frame, seams counted in), moving (pieces), energy [J], top_speed [m/s], overlap
                  [m], the deepest penetration when last looked at
    events      : of the frame
    """

    index: int
    arrays: dict[str, np.ndarray]
    stats: dict[str, float]
    events: list[dict[str, Any]]

    @property
    def position(self) -> np.ndarray:
        return self.arrays["position"]

    @property
    def orientation(self) -> np.ndarray:
        return self.arrays["orientation"]

    @property
    def state(self) -> np.ndarray:
        return self.arrays["state"]

    @property
    def maps(self) -> dict[str, np.ndarray]:
        """What is there beside where things are."""
        return {k: v for k, v in self.arrays.items() if k not in OF_PIECES and not k.startswith("points/")}


def piece_positions(model: Model, state: State) -> Array:
    """Centres of mass now (P, 3) float64, [m]."""
    out = np.empty((model.piece_count, 3))
    _carry_points(model.pieces.rest_center, state.piece_assembly, state.assemblies, out)
    return out


def bond_positions(model: Model, state: State) -> Array:
    """Bond centres now (B, 3) float64, [m], carried by their first piece."""
    if not model.bond_count:
        return np.zeros((0, 3))
    out = np.empty((model.bond_count, 3))
    _carry_points(model.bonds.center, state.piece_assembly[model.bonds.piece[:, 0]], state.assemblies, out)
    return out


@kernel(inline=True)
def carry(asm: Assemblies, a: int, point: Array) -> tuple[float, float, float]:
    """Where assembly a has carried a point (3,) of the opening pose [m]."""
    x, y, z = point[0] - asm.rest_center[a, 0], point[1] - asm.rest_center[a, 1], point[2] - asm.rest_center[a, 2]
    qx, qy, qz, qw = asm.orientation[a, 0], asm.orientation[a, 1], asm.orientation[a, 2], asm.orientation[a, 3]
    tx, ty, tz = 2.0 * (qy * z - qz * y), 2.0 * (qz * x - qx * z), 2.0 * (qx * y - qy * x)
    return (
        asm.position[a, 0] + x + qw * tx + qy * tz - qz * ty,
        asm.position[a, 1] + y + qw * ty + qz * tx - qx * tz,
        asm.position[a, 2] + z + qw * tz + qx * ty - qy * tx,
    )


@kernel
def _carry_points(points: Array, slot: Index, asm: Assemblies, out: Array) -> None:
    """Points (n, 3) of the opening pose where their assemblies (n,) have carried them."""
    for p in range(len(points)):
        out[p, 0], out[p, 1], out[p, 2] = carry(asm, slot[p], points[p])


ENERGY, TOP_SPEED, MOVING, LOST = range(4)
"""Places in the numbers of a picture."""


@kernel
def _picture(
    pieces: PieceTable,
    slot: Index,
    asm: Assemblies,
    gravity: Array,
    half: float,
    position: Array,
    orientation: Array,
    state: Flags,
    numbers: Array,
) -> None:
    """Fill the arrays of a frame and its numbers: energy [J], top speed [m/s], pieces that move, the first piece that
    is nowhere or -1.

    Energy is kinetic of what moves and potential of every piece against gravity from the origin; held pieces count too,
    so that a piece that comes loose adds nothing. Velocities are those of the middle of the last substep, so positions
    are taken there too, half a substep (half [s]) back; at its end what swings would seem to gain and lose by turns
    (leapfrog: Hairer, Lubich, Wanner 2003, doi 10.1017/S0962492902000144).
    """
    energy, top, moving, lost = 0.0, 0.0, 0, -1
    for a in range(len(asm.alive)):
        top = max(top, asm.velocity[a, 0] ** 2 + asm.velocity[a, 1] ** 2 + asm.velocity[a, 2] ** 2)
        if asm.alive[a] and asm.motion[a] == Motion.DYNAMIC and not asm.asleep[a]:
            energy += kinetic_energy(asm, a)
    for p in range(len(slot)):
        a = slot[p]
        if pieces.hold[p] == Hold.FROZEN:
            state[p] = PieceState.FROZEN
        elif pieces.hold[p] == Hold.REMOVED:
            state[p] = PieceState.REMOVED
        elif asm.motion[a] == Motion.FIXED:
            state[p] = PieceState.HELD
        elif asm.asleep[a] == 1:
            state[p] = PieceState.RESTING
        else:
            state[p] = PieceState.MOVING
            moving += 1
        x, y, z = carry(asm, a, pieces.rest_center[p])
        if lost < 0 and not (np.isfinite(x) and np.isfinite(y) and np.isfinite(z)):
            lost = p
        position[p, 0], position[p, 1], position[p, 2] = x, y, z
        for c in range(4):
            orientation[p, c] = asm.orientation[a, c]
        down = (
            gravity[0] * (x - half * asm.velocity[a, 0])
            + gravity[1] * (y - half * asm.velocity[a, 1])
            + gravity[2] * (z - half * asm.velocity[a, 2])
        )
        energy -= pieces.gravity_scale[p] * pieces.mass[p] * down
    numbers[ENERGY], numbers[TOP_SPEED], numbers[MOVING], numbers[LOST] = energy, np.sqrt(top), moving, lost


def snapshot(model: Model, state: State, events: list[dict[str, Any]], more: dict[str, np.ndarray]) -> Frame:
    """The frame a state shows; ``more``: further arrays of it by name.

    Raises SolveError naming frame and body where a number is not finite.
    """
    n = model.piece_count
    position, orientation = np.empty((n, 3), np.float32), np.empty((n, 4), np.float32)
    what, numbers = np.empty(n, np.uint8), np.empty(4)
    half = 0.5 * model.settings.interval / model.settings.substeps
    pieces = model.pieces._replace(hold=state.hold)
    _picture(
        pieces,
        state.piece_assembly,
        state.assemblies,
        model.settings.gravity,
        half,
        position,
        orientation,
        what,
        numbers,
    )
    energy, top, moving, lost = numbers.tolist()
    if lost >= 0:
        name = model.body_names[model.pieces.body[int(lost)]]
        raise SolveError(
            f"piece {lost:.0f} of {name} has no finite position at frame {state.frame}; the last good frame is "
            f"{state.frame - 1}",
            where=name,
        )
    stats = {
        "bonds_broken": float(sum(e["kind"] in ("bond_broken", "seam_opened") for e in events)),
        "moving": moving,
        "energy": energy,
        "top_speed": top,
        "overlap": max(0.0, float(state.contact_cache.penetration.max(initial=0.0))),
    }
    arrays: dict[str, np.ndarray] = {"position": position, "orientation": orientation, "state": what}
    return Frame(state.frame, arrays | more, stats, events)
