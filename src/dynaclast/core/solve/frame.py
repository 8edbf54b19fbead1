"""What one frame of a run looks like from outside."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ..errors import SolveError
from ..geometry.mesh import Array
from ..kernels import kernel
from .model import HOLD_FROZEN, HOLD_REMOVED, Model, PieceTable
from .rigid.islands import kinetic_of
from .state import Assemblies, State

STATE_NAMES = ["held", "resting", "moving", "frozen", "removed"]
HELD, RESTING, MOVING, FROZEN, REMOVED = range(5)


@dataclass(frozen=True)
class Frame:
    """One frame.

    position (P, 3) float32, centres of mass [m]; orientation (P, 4) float32, from the piece's start; state (P,) uint8
    stats: bonds_broken (in this frame), moving (pieces), energy [J], top_speed [m/s], overlap [m], the deepest between
    collision shapes when last looked at; events of the frame maps: more numbers of pieces by name: "load" (P,) float32,
    the largest share of a bond's strength that weight takes; "acted" (P, n) uint8, a bit for every field of the shot
    that acted on it; "map/NAME" (P,) float32 and "tint/NAME" (P, 3) uint8, the shot's maps
    """

    index: int
    position: np.ndarray
    orientation: np.ndarray
    state: np.ndarray
    stats: dict[str, float]
    events: list[dict[str, Any]]
    maps: dict[str, np.ndarray] = field(default_factory=dict)


def piece_positions(model: Model, state: State) -> Array:
    """Centres of mass now (P, 3) [m], float64."""
    out = np.empty((model.piece_count, 3))
    _carried(model.pieces.rest, state.piece_assembly, state.assemblies, out)
    return out


def bond_positions(model: Model, state: State) -> Array:
    """Bond centres now (B, 3) [m], carried by their first piece."""
    if not len(model.bonds.area):
        return np.zeros((0, 3))
    out = np.empty((len(model.bonds.area), 3))
    _carried(model.bonds.center, state.piece_assembly[model.bonds.piece[:, 0]], state.assemblies, out)
    return out


@kernel(inline=True)
def _carry(asm: Assemblies, a, point):
    """Where assembly a has carried a point (3,) of the opening pose [m]."""
    x, y, z = point[0] - asm.rest[a, 0], point[1] - asm.rest[a, 1], point[2] - asm.rest[a, 2]
    qx, qy, qz, qw = asm.rot[a, 0], asm.rot[a, 1], asm.rot[a, 2], asm.rot[a, 3]
    tx, ty, tz = 2.0 * (qy * z - qz * y), 2.0 * (qz * x - qx * z), 2.0 * (qx * y - qy * x)
    return (
        asm.pos[a, 0] + x + qw * tx + qy * tz - qz * ty,
        asm.pos[a, 1] + y + qw * ty + qz * tx - qx * tz,
        asm.pos[a, 2] + z + qw * tz + qx * ty - qy * tx,
    )


@kernel
def _carried(points, slot, asm: Assemblies, out):
    """Points (n, 3) of the opening pose where their assemblies (n,) have carried them."""
    for p in range(len(points)):
        out[p, 0], out[p, 1], out[p, 2] = _carry(asm, slot[p], points[p])


@kernel
def _picture(pieces: PieceTable, held, slot, asm: Assemblies, gravity, half, position, orientation, what, numbers):
    """Fill position (P, 3) and orientation (P, 4) float32, what (P,) uint8, numbers: energy [J], top speed [m/s],
    pieces that move, the first piece that is nowhere or -1. half: of a substep [s]

    Energy is kinetic of what moves and potential of every piece against gravity from the origin.
    Speeds are those of the middle of the last substep, so places are taken there too, half a substep back; at its end
    what swings would seem to gain and lose by turns (leapfrog: Hairer, Lubich, Wanner 2003, doi
    10.1017/S0962492902000144). Held pieces count too, so that a piece that comes loose adds nothing.
    """
    energy, top, moving, lost = 0.0, 0.0, 0, -1
    for a in range(len(asm.alive)):
        top = max(top, asm.vel[a, 0] ** 2 + asm.vel[a, 1] ** 2 + asm.vel[a, 2] ** 2)
        if asm.alive[a] and not asm.held[a] and not asm.asleep[a]:
            energy += kinetic_of(asm, a)
    for p in range(len(slot)):
        a = slot[p]
        if held[p] == HOLD_FROZEN or held[p] == HOLD_REMOVED:
            what[p] = FROZEN if held[p] == HOLD_FROZEN else REMOVED
        elif asm.held[a] == 1:
            what[p] = HELD
        elif asm.asleep[a] == 1:
            what[p] = RESTING
        else:
            what[p] = MOVING
            moving += 1
        x, y, z = _carry(asm, a, pieces.rest[p])
        if lost < 0 and not (np.isfinite(x) and np.isfinite(y) and np.isfinite(z)):
            lost = p
        position[p, 0], position[p, 1], position[p, 2] = x, y, z
        for c in range(4):
            orientation[p, c] = asm.rot[a, c]
        down = (
            gravity[0] * (x - half * asm.vel[a, 0])
            + gravity[1] * (y - half * asm.vel[a, 1])
            + gravity[2] * (z - half * asm.vel[a, 2])
        )
        energy -= pieces.fall[p] * pieces.mass[p] * down
    numbers[0], numbers[1], numbers[2], numbers[3] = energy, np.sqrt(top), moving, lost


def snapshot(model: Model, state: State, events: list[dict[str, Any]]) -> Frame:
    """The frame a state shows.

    Raises SolveError naming frame and body where a number is not finite.
    """
    pieces = model.piece_count
    position, orientation, what, numbers = (
        np.empty((pieces, 3), np.float32),
        np.empty((pieces, 4), np.float32),
        np.empty(pieces, np.uint8),
        np.empty(4),
    )
    half = 0.5 * model.settings.interval / model.settings.substeps
    _picture(
        model.pieces,
        state.held,
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
        "bonds_broken": float(sum(e["kind"] == "bond_broken" for e in events)),
        "moving": moving,
        "energy": energy,
        "top_speed": top,
        "overlap": max(0.0, float(state.contacts.depth.max(initial=0.0))),
    }
    return Frame(state.frame, position, orientation, what, stats, events)
