"""Kinetic-energy clamps: contact alone, and joints alone, give an island no energy."""

from __future__ import annotations

import numpy as np

from ...arrays import Array, Index
from ...kernels import kernel
from ...kernels.linalg import invert_symmetric_3x3, multiply, multiply_rotated, quaternion_to_matrix, squared_length
from ..state import Assemblies
from .groups import Bodies
from .islands import CONTACT_ALONE, Islands, Watch

GAIN_TOLERANCE = 1e-12
"""Kinetic energy may seem to grow by this share, by rounding."""

JOINT_GAIN_TOLERANCE = 4e-6
"""What joints may seem to gain in a substep, as a share of what moves: a swing measured in steps wavers by as much."""


@kernel(inner=True)
def kinetic_energy(asm: Assemblies, slot: int) -> float:
    """Kinetic energy of one assembly [J], by its true inertia at its present orientation."""
    v, w, q = asm.velocity[slot], asm.angular_velocity[slot], asm.orientation[slot]
    e = asm.mass[slot] * (v[0] ** 2 + v[1] ** 2 + v[2] ** 2)
    wx, wy, wz = w[0], w[1], w[2]
    if wx != 0.0 or wy != 0.0 or wz != 0.0:
        qx, qy, qz, qw = q[0], q[1], q[2], q[3]
        # the angular velocity in the opening frame
        tx, ty, tz = 2.0 * (wy * qz - wz * qy), 2.0 * (wz * qx - wx * qz), 2.0 * (wx * qy - wy * qx)
        x = wx + qw * tx + ty * qz - tz * qy
        y = wy + qw * ty + tz * qx - tx * qz
        z = wz + qw * tz + tx * qy - ty * qx
        i = asm.inertia[slot]
        e += (
            i[0, 0] * x * x
            + i[1, 1] * y * y
            + i[2, 2] * z * z
            + 2.0 * (i[0, 1] * x * y + i[0, 2] * x * z + i[1, 2] * y * z)
        )
    return 0.5 * e


@kernel(inner=True)
def measure_kinetic_energy(asm: Assemblies, awake: Index, islands: Islands, out: Array) -> None:
    """Kinetic energy of islands that can gain by contact alone, out (A,) float64, [J]; 0 of others."""
    for k in range(len(awake)):
        out[islands.island[awake[k]]] = 0.0
    for k in range(len(awake)):
        a = awake[k]
        i = islands.island[a]
        if islands.watch[i] & CONTACT_ALONE == Watch.MOTION:
            out[i] += kinetic_energy(asm, a)


@kernel(inline=True)
def _gained(islands: Islands, i: int) -> bool:
    return islands.energy_after[i] > islands.energy_before[i] * (1.0 + GAIN_TOLERANCE)  # type: ignore[no-any-return]


@kernel(inner=True)
def _move_as_one(asm: Assemblies, awake: Index, islands: Islands, m: Array, inverse: Array) -> None:
    """The rigid motion with the momentum and the angular momentum of each island that gained and touches nothing fixed;
    0 of those that do.

    m, inverse : (3, 3) float64, scratch
    """
    mass, center, velocity, spin, inertia = (
        islands.mass,
        islands.center,
        islands.velocity,
        islands.spin,
        islands.inertia,
    )
    for k in range(len(awake)):
        i = awake[k]
        mass[i] = islands.rigid_energy[i] = 0.0
        for c in range(3):
            center[i, c] = velocity[i, c] = spin[i, c] = 0.0
            for d in range(3):
                inertia[i, c, d] = 0.0
    for k in range(len(awake)):
        a = awake[k]
        i = islands.island[a]
        if _gained(islands, i) and not islands.grounded[i]:
            mass[i] += asm.mass[a]
            for c in range(3):
                center[i, c] += asm.mass[a] * asm.position[a, c]
                velocity[i, c] += asm.mass[a] * asm.velocity[a, c]
    for k in range(len(awake)):
        i = awake[k]
        if mass[i] > 0.0:
            for c in range(3):
                center[i, c] /= mass[i]
                velocity[i, c] /= mass[i]
    for k in range(len(awake)):
        a = awake[k]
        i = islands.island[a]
        if mass[i] <= 0.0:
            continue
        x, y, z = (
            asm.position[a, 0] - center[i, 0],
            asm.position[a, 1] - center[i, 1],
            asm.position[a, 2] - center[i, 2],
        )
        u, v, w = asm.mass[a] * asm.velocity[a, 0], asm.mass[a] * asm.velocity[a, 1], asm.mass[a] * asm.velocity[a, 2]
        quaternion_to_matrix(asm.orientation[a], m)
        own = asm.angular_velocity[a]
        lx, ly, lz = multiply_rotated(m, asm.inertia[a], own[0], own[1], own[2])
        spin[i, 0] += lx + y * w - z * v
        spin[i, 1] += ly + z * u - x * w
        spin[i, 2] += lz + x * v - y * u
        arm, square = (x, y, z), x * x + y * y + z * z
        for d in range(3):
            column = multiply_rotated(
                m, asm.inertia[a], 1.0 if d == 0 else 0.0, 1.0 if d == 1 else 0.0, 1.0 if d == 2 else 0.0
            )
            for c in range(3):
                inertia[i, c, d] += column[c] + asm.mass[a] * ((square if c == d else 0.0) - arm[c] * arm[d])
    for k in range(len(awake)):
        i = awake[k]
        if mass[i] <= 0.0:
            continue
        invert_symmetric_3x3(inertia[i], inverse)
        lx, ly, lz = spin[i, 0], spin[i, 1], spin[i, 2]
        wx, wy, wz = multiply(inverse, lx, ly, lz)
        spin[i, 0], spin[i, 1], spin[i, 2] = wx, wy, wz
        islands.rigid_energy[i] = 0.5 * (mass[i] * squared_length(velocity[i]) + wx * lx + wy * ly + wz * lz)


@kernel(inner=True)
def clamp_kinetic_energy(asm: Assemblies, awake: Index, islands: Islands, m: Array, inverse: Array) -> None:
    """Where contact alone has made energy (bodies turned on while their constraints stood still; bounces at several
    points that were not solved to the end), slow the island's inner motion to what it had. An island that touches
    nothing fixed keeps its momentum and its angular momentum: the rigid motion with them stays.

    m, inverse : (3, 3) float64, scratch
    """
    excess = False
    for k in range(len(awake)):
        excess |= _gained(islands, islands.island[awake[k]])
    if not excess:
        return
    _move_as_one(asm, awake, islands, m, inverse)
    for k in range(len(awake)):
        a = awake[k]
        i = islands.island[a]
        if not _gained(islands, i):
            continue
        whole = islands.rigid_energy[i]
        s = np.sqrt(max(0.0, islands.energy_before[i] - whole) / max(islands.energy_after[i] - whole, 1e-300))
        s = min(s, 1.0)
        x, y, z = 0.0, 0.0, 0.0
        if islands.mass[i] > 0.0:
            x, y, z = (
                asm.position[a, 0] - islands.center[i, 0],
                asm.position[a, 1] - islands.center[i, 1],
                asm.position[a, 2] - islands.center[i, 2],
            )
        w, v = islands.spin[i], islands.velocity[i]
        mean = v[0] + w[1] * z - w[2] * y, v[1] + w[2] * x - w[0] * z, v[2] + w[0] * y - w[1] * x
        for c in range(3):
            asm.velocity[a, c] = mean[c] + s * (asm.velocity[a, c] - mean[c])
            asm.angular_velocity[a, c] = w[c] + s * (asm.angular_velocity[a, c] - w[c])


@kernel(inner=True)
def measure_swing_energy(
    bodies: Bodies, awake: Index, islands: Islands, gravity: Array, half: float, out: Array
) -> None:
    """Energy of islands with joints in the middle of the last substep, ``half`` [s] ago, into out (A,) float64, [J],
    and its kinetic part into islands; infinite where something gives them energy: what is kinematic, or a field.

    gravity : (3,) float64, [m/s2]
    """
    asm = bodies.assemblies
    for k in range(len(awake)):
        out[islands.island[awake[k]]] = 0.0
        islands.swing_kinetic[islands.island[awake[k]]] = 0.0
    for k in range(len(awake)):
        a = awake[k]
        i = islands.island[a]
        if islands.watch[i] & Watch.JOINTED == 0:
            continue
        given = islands.watch[i] & Watch.DRIVEN != 0
        e = kinetic_energy(asm, a)
        islands.swing_kinetic[i] += e
        for c in range(3):
            given |= bodies.acceleration[a, c] != 0.0 or bodies.angular_acceleration[a, c] != 0.0
            e -= asm.mass[a] * asm.gravity_scale[a] * gravity[c] * (asm.position[a, c] - half * asm.velocity[a, c])
        out[i] = np.inf if given else out[i] + e


@kernel(inner=True)
def clamp_swing_energy(asm: Assemblies, awake: Index, islands: Islands) -> None:
    """Slow islands with joints whose energy grew by more than JOINT_GAIN_TOLERANCE of what moves. What is tied and
    heavily loaded trembles faster than a substep can follow, and would tear itself away.
    """
    before, after, kinetic = islands.swing_before, islands.swing_after, islands.swing_kinetic
    for k in range(len(awake)):
        a = awake[k]
        i = islands.island[a]
        if islands.watch[i] & Watch.JOINTED == 0 or not after[i] > before[i] + JOINT_GAIN_TOLERANCE * kinetic[i]:
            continue
        s = np.sqrt(max(0.0, 1.0 - (after[i] - before[i]) / max(kinetic[i], 1e-300)))
        for c in range(3):
            asm.velocity[a, c] *= s
            asm.angular_velocity[a, c] *= s
    for k in range(len(awake)):
        i = islands.island[awake[k]]
        if not after[i] > before[i] + JOINT_GAIN_TOLERANCE * kinetic[i]:
            before[i] = after[i]
