"""What one frame of a run looks like from outside."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ..errors import SolveError
from ..geometry.mesh import Array
from ..kernels import kernel
from .model import HOLD_FROZEN, HOLD_REMOVED, Model
from .rigid.islands import kinetic_of
from .state import Assemblies, State

STATE_NAMES = ["held", "resting", "moving", "frozen", "removed"]
HELD, RESTING, MOVING, FROZEN, REMOVED = range(5)


@dataclass(frozen=True)
class Frame:
    """One frame.

    position (P, 3) float32, centres of mass [m]; orientation (P, 4) float32, from the piece's start; state (P,) uint8
    stats: bonds_broken (in this frame), moving (pieces), energy [J], top_speed [m/s], overlap [m], the deepest between collision shapes when last looked at; events of the frame
    maps: more numbers of pieces by name: "load" (P,) float32, the largest share of a bond's strength that weight takes; "acted" (P, n) uint8, a bit for
    every field of the shot that acted on it; "map/NAME" (P,) float32 and "tint/NAME" (P, 3) uint8, the shot's maps
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


@kernel
def _carried(points, slot, asm: Assemblies, out):
    """Points (n, 3) of the opening pose where their assemblies (n,) have carried them."""
    for p in range(len(points)):
        a = slot[p]
        x, y, z = points[p, 0] - asm.rest[a, 0], points[p, 1] - asm.rest[a, 1], points[p, 2] - asm.rest[a, 2]
        qx, qy, qz, qw = asm.rot[a, 0], asm.rot[a, 1], asm.rot[a, 2], asm.rot[a, 3]
        tx, ty, tz = 2.0 * (qy * z - qz * y), 2.0 * (qz * x - qx * z), 2.0 * (qx * y - qy * x)
        out[p, 0] = asm.pos[a, 0] + x + qw * tx + qy * tz - qz * ty
        out[p, 1] = asm.pos[a, 1] + y + qw * ty + qz * tx - qx * tz
        out[p, 2] = asm.pos[a, 2] + z + qw * tz + qx * ty - qy * tx


@kernel
def _kinetic(asm: Assemblies):
    """Kinetic energy of all that moves [J]."""
    total = 0.0
    for a in range(len(asm.alive)):
        if not asm.alive[a] or asm.held[a] or asm.asleep[a]:
            continue
        total += kinetic_of(asm, a)
    return total


def energy(model: Model, state: State) -> float:
    """Kinetic energy of what moves and potential energy of every piece [J], against gravity from the origin.

    Speeds are those of the middle of the last substep, so places are taken there too, half a substep back; at its end what swings would seem to gain and lose
    by turns (leapfrog: Hairer, Lubich, Wanner 2003, doi 10.1017/S0962492902000144).
    Held pieces count too, so that a piece that comes loose adds nothing.
    """
    half = 0.5 * model.settings.interval / model.settings.substeps
    place = piece_positions(model, state) - half * state.assemblies.vel[state.piece_assembly]
    return float(_kinetic(state.assemblies)) - float((model.pieces.fall * model.pieces.mass) @ (place @ model.settings.gravity))


def snapshot(model: Model, state: State, events: list[dict[str, Any]]) -> Frame:
    """The frame a state shows.

    Raises SolveError naming frame and body where a number is not finite.
    """
    asm = state.assemblies
    slot = state.piece_assembly
    position = piece_positions(model, state)
    bad = np.flatnonzero(~np.isfinite(position).all(axis=1))
    if len(bad):
        name = model.body_names[model.pieces.body[bad[0]]]
        raise SolveError(f"piece {bad[0]} of {name} has no finite position at frame {state.frame}; the last good frame is {state.frame - 1}", where=name)
    what = np.where(asm.held[slot] == 1, HELD, np.where(asm.asleep[slot] == 1, RESTING, MOVING)).astype(np.uint8)
    what[state.held == HOLD_FROZEN] = FROZEN
    what[state.held == HOLD_REMOVED] = REMOVED
    speed = np.linalg.norm(asm.vel, axis=1)
    stats = {
        "bonds_broken": float(sum(e["kind"] == "bond_broken" for e in events)),
        "moving": float((what == MOVING).sum()),
        "energy": energy(model, state),
        "top_speed": float(speed.max()),
        "overlap": float(state.contacts.depth.max(initial=0.0)),
    }
    return Frame(state.frame, position.astype(np.float32), asm.rot[slot].astype(np.float32), what, stats, events)
