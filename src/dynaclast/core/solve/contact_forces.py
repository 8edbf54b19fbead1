"""Forces of steady contacts and of ties on single pieces, by what the last interval left in the State."""

from __future__ import annotations

import numpy as np

from ..arrays import Array, Index
from ..geometry.rotations import rotation_matrix
from ..kernels import kernel
from ..kernels.linalg import rotate_by
from .model import Model, TieKind
from .rigid.joints import FRICTION, LIMIT
from .state import Assemblies, ContactCache, State


@kernel
def add_contact_forces(
    cache: ContactCache,
    shape_piece: Index,
    piece_assembly: Index,
    asm: Assemblies,
    center: Array,
    force: Array,
    torque: Array,
) -> None:
    """Add the mean forces of contacts that are no impacts, as they lay on their points in the last interval.

    shape_piece    : (S,) int32; piece_assembly : (P,) int32
    center         : (P, 3) float64, [m]
    force, torque  : (P, 3) float64, [N], [N m] about each piece's centre, in and out
    """
    for k in range(len(cache.shape_a)):
        if cache.point_count[k] == 0 or cache.impact_impulse[k] > 0.0:
            continue
        whole, x, y, z = 0.0, 0.0, 0.0, 0.0  # the middle of pressure, from the assembly's centre at the opening pose
        for i in range(cache.point_count[k]):
            load = cache.total_impulse[k, i]
            whole += load
            x += load * cache.point_a[k, i, 0]
            y += load * cache.point_a[k, i, 1]
            z += load * cache.point_a[k, i, 2]
        if whole <= 0.0:
            continue
        p = shape_piece[cache.shape_a[k]]
        q = shape_piece[cache.shape_b[k]] if cache.shape_b[k] >= 0 else -1
        a = piece_assembly[p]
        w = asm.orientation[a]
        x, y, z = rotate_by(w[0], w[1], w[2], w[3], x / whole, y / whole, z / whole)
        px, py, pz = asm.position[a, 0] + x, asm.position[a, 1] + y, asm.position[a, 2] + z
        for side in range(2):
            piece, sign = (p, 1.0) if side == 0 else (q, -1.0)
            if piece < 0:
                continue
            rx, ry, rz = px - center[piece, 0], py - center[piece, 1], pz - center[piece, 2]
            fx, fy, fz = sign * cache.mean_force[k, 0], sign * cache.mean_force[k, 1], sign * cache.mean_force[k, 2]
            force[piece, 0] += fx
            force[piece, 1] += fy
            force[piece, 2] += fz
            torque[piece, 0] += ry * fz - rz * fy
            torque[piece, 1] += rz * fx - rx * fz
            torque[piece, 2] += rx * fy - ry * fx


def add_tie_forces(model: Model, state: State, center: Array, force: Array, torque: Array) -> None:
    """Add what ties did in the last substep.

    center        : (P, 3) float64, [m]
    force, torque : (P, 3) float64, [N], [N m] about each piece's centre, in and out
    """
    asm, ties = state.assemblies, model.ties
    if not len(ties.kind):
        return
    h = model.settings.interval / model.settings.substeps
    for i in np.flatnonzero((state.tie_broken == 0) & (state.tie_impulse != 0).any(axis=1)):
        impulse, ends = state.tie_impulse[i] / h, []
        for piece, point in zip(ties.piece[i], ties.point[i], strict=True):
            if piece < 0:
                ends.append(point)
                continue
            slot = state.piece_assembly[piece]
            turn = rotation_matrix(asm.orientation[slot])
            ends.append(asm.position[slot] + turn @ (point - asm.rest_center[slot]))
        pull, twist = impulse[:3], np.zeros(3)
        if ties.kind[i] == TieKind.STRING:
            along = ends[0] - ends[1]
            pull = impulse[0] * along / max(float(np.linalg.norm(along)), 1e-12)
        elif ties.kind[i] in (TieKind.HINGE, TieKind.WELD):
            axis = rotation_matrix(asm.orientation[state.piece_assembly[ties.piece[i, 0]]]) @ ties.axis[i]
            twist = impulse[3:6] + (impulse[LIMIT] + impulse[FRICTION]) * axis
        for piece, at, sign in zip(ties.piece[i], ends, (1.0, -1.0), strict=True):
            if piece >= 0:
                force[piece] += sign * pull
                torque[piece] += sign * (twist + np.cross(at - center[piece], pull))
