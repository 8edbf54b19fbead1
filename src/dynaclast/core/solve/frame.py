"""What one frame of a run looks like from outside."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from ..errors import SolveError
from ..geometry.mesh import Array, rotation_matrix
from .model import Model
from .state import State

STATE_NAMES = ["held", "resting", "moving", "frozen", "removed"]
HELD, RESTING, MOVING, FROZEN, REMOVED = range(5)


@dataclass(frozen=True)
class Frame:
    """One frame.

    position (P, 3) float32, centres of mass [m]; orientation (P, 4) float32, from the piece's start; state (P,) uint8
    stats: bonds_broken (in this frame), moving (pieces), energy [J], top_speed [m/s]; events of the frame
    """

    index: int
    position: np.ndarray
    orientation: np.ndarray
    state: np.ndarray
    stats: dict[str, float]
    events: list[dict[str, Any]]


def piece_positions(model: Model, state: State) -> Array:
    """Centres of mass now (P, 3) [m], float64."""
    slot = state.piece_assembly
    asm = state.assemblies
    arm = model.pieces.rest - asm.rest[slot]
    return asm.pos[slot] + _turned(asm.rot[slot], arm)


def bond_positions(model: Model, state: State) -> Array:
    """Bond centres now (B, 3) [m], carried by their first piece."""
    if not len(model.bonds.area):
        return np.zeros((0, 3))
    slot = state.piece_assembly[model.bonds.piece[:, 0]]
    asm = state.assemblies
    return asm.pos[slot] + _turned(asm.rot[slot], model.bonds.center - asm.rest[slot])


def _turned(q: Array, v: Array) -> Array:
    """Vectors (n, 3) turned by unit quaternions (n, 4)."""
    t = 2.0 * np.cross(q[:, :3], v)
    return v + q[:, 3:] * t + np.cross(q[:, :3], t)


def energy(model: Model, state: State) -> float:
    """Kinetic energy of what moves and potential energy of every piece [J], against gravity from the origin.

    Held pieces count too, so that a piece that comes loose adds nothing.
    """
    asm = state.assemblies
    total = -float(model.pieces.mass @ (piece_positions(model, state) @ model.settings.gravity))
    for a in np.flatnonzero((asm.alive == 1) & (asm.held == 0) & (asm.asleep == 0)):
        w = rotation_matrix(asm.rot[a]).T @ asm.spin[a]
        total += 0.5 * float(asm.mass[a] * (asm.vel[a] @ asm.vel[a]) + w @ asm.inertia[a] @ w)
    return total


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
    speed = np.linalg.norm(asm.vel, axis=1)
    stats = {
        "bonds_broken": float(sum(e["kind"] == "bond_broken" for e in events)),
        "moving": float((what == MOVING).sum()),
        "energy": energy(model, state),
        "top_speed": float(speed.max()),
    }
    return Frame(state.frame, position.astype(np.float32), asm.rot[slot].astype(np.float32), what, stats, events)
