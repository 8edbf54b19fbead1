"""What is done to pieces, as their assemblies take it."""

from __future__ import annotations

from ...arrays import Array
from ...kernels import kernel
from ..frame import carry
from ..model import Motion, PieceTable
from .constraints import update_inverse_masses
from .groups import Bodies


@kernel(apart=True)
def gather_forcing(
    pieces: PieceTable, bodies: Bodies, linear: Array, angular: Array, torque: Array, out: Array, turning: Array
) -> None:
    """Accelerations and angular accelerations of assemblies by those of their pieces, and by torques on these: the mean
    by mass, and by the inertia of the whole what moments and torques add up to. What is not dynamic has none.

    linear       : (P, 3) float64, [m/s2]; angular (P, 3), [rad/s2]; torque (P, 3), [N m]; or (0, 3) for none
    out, turning : (A, 3) float64, [m/s2], [rad/s2], out
    """
    asm = bodies.assemblies
    out[:, :] = 0.0
    turning[:, :] = 0.0
    update_inverse_masses(asm, bodies.inv_mass, bodies.inv_inertia)
    for p in range(len(linear)):
        a, m = bodies.piece_assembly[p], pieces.mass[p]
        x, y, z = m * linear[p, 0], m * linear[p, 1], m * linear[p, 2]
        out[a, 0] += x
        out[a, 1] += y
        out[a, 2] += z
        if asm.piece_count[a] > 1:
            px, py, pz = carry(asm, a, pieces.rest_center[p])
            px, py, pz = px - asm.position[a, 0], py - asm.position[a, 1], pz - asm.position[a, 2]
            turning[a, 0] += py * z - pz * y
            turning[a, 1] += pz * x - px * z
            turning[a, 2] += px * y - py * x
    for p in range(len(torque)):
        a = bodies.piece_assembly[p]
        for c in range(3):
            turning[a, c] += torque[p, c]
    for a in range(len(asm.alive)):
        if asm.alive[a] == 0 or asm.motion[a] != Motion.DYNAMIC:
            for c in range(3):
                out[a, c] = turning[a, c] = 0.0
            continue
        w = bodies.inv_inertia[a]
        x, y, z = turning[a, 0], turning[a, 1], turning[a, 2]
        for c in range(3):
            out[a, c] /= asm.mass[a]
            turning[a, c] = w[c, 0] * x + w[c, 1] * y + w[c, 2] * z
    for p in range(len(angular)):
        a = bodies.piece_assembly[p]
        if asm.motion[a] == Motion.DYNAMIC:
            for c in range(3):
                turning[a, c] += pieces.mass[p] * angular[p, c] / asm.mass[a]
