"""What a substep does to positions, orientations and velocities apart from constraints."""

from __future__ import annotations

from ...arrays import Array, Index
from ...kernels import kernel
from ...kernels.linalg import multiply_rotated, quaternion_to_matrix, rotate_quaternion
from .groups import Bodies

SLOW_TURN = 1e-3
"""What turns slower than this (squared, rad/s) goes on as it turns: its gyroscopic torque is lost in rounding."""


@kernel(inner=True)
def integrate_velocities(bodies: Bodies, awake: Index, h: float, gravity: Array) -> None:
    """Gravity and fields over a substep h [s].

    awake   : (n,) int64, slots
    gravity : (3,) float64, [m/s2]
    """
    asm = bodies.assemblies
    for k in range(len(awake)):
        a = awake[k]
        for c in range(3):
            asm.velocity[a, c] += h * asm.gravity_scale[a] * gravity[c]
            asm.velocity[a, c] += h * bodies.acceleration[a, c]
            asm.angular_velocity[a, c] += h * bodies.angular_acceleration[a, c]


@kernel
def integrate_poses(bodies: Bodies, awake: Index, h: float, shift: Array, turn: Array, m: Array, q: Array) -> None:
    """Advance positions and orientations over a substep h [s]; a free body keeps its angular momentum (midpoint rule).

    Over an interval a field's acceleration gives a T^2 / 2, as in a leapfrog, however many substeps there are.

    shift, turn : (A, 3) float64, [m], [rad], pseudo-displacements
    m, q        : (3, 3) and (4,) float64, scratch
    Source      : Hairer, Lubich and Wanner 2006, "Geometric Numerical Integration", VII.5
    """
    asm, displacement, rotation = bodies.assemblies, bodies.displacement, bodies.rotation
    for k in range(len(awake)):
        a = awake[k]
        for c in range(3):
            d = h * asm.velocity[a, c] + (shift[a, c] - 0.5 * h * h * bodies.acceleration[a, c])
            asm.position[a, c] += d
            displacement[a, c] += d
        w = asm.angular_velocity[a]
        by_field = bodies.angular_acceleration[a]
        bx, by, bz = 0.5 * h * h * by_field[0], 0.5 * h * h * by_field[1], 0.5 * h * h * by_field[2]
        fast = w[0] * w[0] + w[1] * w[1] + w[2] * w[2]
        if fast < SLOW_TURN:
            tx, ty, tz = h * w[0] + (turn[a, 0] - bx), h * w[1] + (turn[a, 1] - by), h * w[2] + (turn[a, 2] - bz)
            rotate_quaternion(asm.orientation[a], tx, ty, tz)
            rotation[a, 0] += tx
            rotation[a, 1] += ty
            rotation[a, 2] += tz
            continue
        quaternion_to_matrix(asm.orientation[a], m)
        lx, ly, lz = multiply_rotated(m, asm.inertia[a], w[0], w[1], w[2])
        for c in range(4):
            q[c] = asm.orientation[a, c]
        rotate_quaternion(q, 0.5 * h * w[0], 0.5 * h * w[1], 0.5 * h * w[2])
        quaternion_to_matrix(q, m)
        mx, my, mz = multiply_rotated(m, asm.inv_inertia[a], lx, ly, lz)
        tx, ty, tz = h * mx + (turn[a, 0] - bx), h * my + (turn[a, 1] - by), h * mz + (turn[a, 2] - bz)
        rotate_quaternion(asm.orientation[a], tx, ty, tz)
        rotation[a, 0] += tx
        rotation[a, 1] += ty
        rotation[a, 2] += tz
        quaternion_to_matrix(asm.orientation[a], m)
        w[0], w[1], w[2] = multiply_rotated(m, asm.inv_inertia[a], lx, ly, lz)


@kernel(inner=True)
def integrate_kinematic(bodies: Bodies, h: float) -> None:
    """What an animation moves keeps its velocity over a substep h [s]."""
    asm = bodies.assemblies
    for k in range(len(bodies.kinematic)):
        a = bodies.kinematic[k]
        w = asm.angular_velocity[a]
        rotate_quaternion(asm.orientation[a], h * w[0], h * w[1], h * w[2])
        for c in range(3):
            asm.position[a, c] += h * asm.velocity[a, c]
            bodies.displacement[a, c] += h * asm.velocity[a, c]
            bodies.rotation[a, c] += h * w[c]
