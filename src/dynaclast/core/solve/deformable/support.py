"""What holds assemblies up while a step of deformable bodies takes them along.

In such a step they would fall freely, by g H^2, though they stand on something: what lies on them would follow, and
lie g H^2 over the share of a penetration that a step takes out (row_forces.PUSH_OUT) inside them: 5 mm of canvas.
"""

from __future__ import annotations

import numpy as np

from ...arrays import Array, Mask, lengths
from ..contact_forces import add_contact_forces, add_tie_forces
from ..frame import piece_positions
from ..model import Model, Motion
from ..state import State

BORNE = 0.1
"""What is held up but for this share of its weight, or tilts by so little, is borne."""


def supported(model: Model, state: State) -> Array:
    """What steady contacts and ties gave assemblies in the last interval (A, 3) [m/s2]: at most as much as gravity
    does.
    """
    asm, g = state.assemblies, float(np.linalg.norm(model.settings.gravity))
    moves = (asm.motion == Motion.DYNAMIC) & (asm.mass > 0.0)
    if not moves.any():
        return np.zeros((len(asm.mass), 3))
    center = piece_positions(model, state)
    force, torque = np.zeros_like(center), np.zeros_like(center)
    add_contact_forces(state.contact_cache, model.hulls.piece, state.piece_assembly, asm, center, force, torque)
    add_tie_forces(model, state, center, force, torque)
    out = np.stack([np.bincount(state.piece_assembly, force[:, c], len(asm.mass)) for c in range(3)], axis=1)
    out = np.where(moves[:, None], out / np.where(moves, asm.mass, 1.0)[:, None], 0.0)
    size = lengths(out)
    return np.asarray(out * np.minimum(1.0, g * np.abs(asm.gravity_scale) / np.maximum(size, 1e-300))[:, None])


def borne(model: Model, state: State, support: Array) -> Mask:
    """Assemblies (A,) bool of which that, (A, 3) [m/s2], bears the weight, so that what deforms does not."""
    weight = state.assemblies.gravity_scale[:, None] * model.settings.gravity
    size = lengths(weight)
    return np.asarray((size > 0.0) & (lengths(weight + support) < BORNE * size))
