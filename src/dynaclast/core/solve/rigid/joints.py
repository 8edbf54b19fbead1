"""Joints: ties between assemblies, or between one and the world, as constraints. Pins, strings, hinges, welds.

Each is a block of velocities (point: 3 x 3, rotation: 3 x 3; Catto 2009, "Modeling and Solving Constraints").
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Flags, Index, Int, Mat3, Scalar, Vec3, Vec8, allocate
from ...kernels import kernel
from ...kernels.linalg import invert_symmetric_3x3, multiply_quaternions, quaternion_to_matrix
from ..model import Model, Motion, TieKind, TieTable
from ..state import Assemblies, State
from .assemblies import wake
from .groups import Bodies

LIMIT, FRICTION = 6, 7
"""Places in JointConstraints.impulse: 0 to 2 at the point [N s], 3 to 5 of rotation [N m s], then these about the axis
of a hinge. Of a string, the first along it."""


class JointConstraints(NamedTuple):
    """The ties at work in an interval, M of them.

    tie                   : (M,) int32, row of the tie table
    body_a                : (M,) int32, assembly slot
    body_b                : (M,) int32, the ground's for the world
    arm_a                 : (M, 3) float64, [m], world frame, from the centre of a to its end
    arm_b                 : (M, 3) float64, [m]
    position_error        : (M, 3) float64, [m], from b's end to a's
    rotation_error        : (M, 3) float64, [rad], rotation that would set a right against b
    axis                  : (M, 3) float64, unit, world frame: hinge axis, or line of the string
    angle                 : (M,) float64, [rad], of a hinge
    stretch               : (M,) float64, [m], of a string beyond its length
    arc_velocity          : (M, 3) float64, [m/s], what the ends' arcs add over a substep; of a string the first entry,
                            along it
    point_mass            : (M, 3, 3) float64, [kg], effective
    rotation_mass         : (M, 3, 3) float64, [kg m2], effective
    axial_mass            : (M,) float64, effective, along or about the axis
    impulse               : (M, 8) float64, of a substep, places as LIMIT and FRICTION say
    total_impulse         : (M,) float64, [N s], sum of its sizes over the interval
    total_angular_impulse : (M,) float64, [N m s], likewise
    """

    tie: Int
    body_a: Int
    body_b: Int
    arm_a: Vec3
    arm_b: Vec3
    position_error: Vec3
    rotation_error: Vec3
    axis: Vec3
    angle: Scalar
    stretch: Scalar
    arc_velocity: Vec3
    point_mass: Mat3
    rotation_mass: Mat3
    axial_mass: Scalar
    impulse: Vec8
    total_impulse: Scalar
    total_angular_impulse: Scalar


class Joints(NamedTuple):
    """Ties, and the joints they are in an interval.

    broken      : (T,) uint8
    impulse     : (T, 8) float64, what each tie ended the last interval with
    constraints : of which the first active[0] are in use
    active      : (1,) int64, how many
    """

    ties: TieTable
    broken: Flags
    impulse: Array
    constraints: JointConstraints
    active: Index


def joints_of(model: Model, state: State) -> Joints:
    constraints = allocate(JointConstraints, len(model.ties.kind))
    return Joints(model.ties, state.tie_broken, state.tie_impulse, constraints, np.zeros(1, np.int64))


class JointScratch(NamedTuple):
    """Scratch for one joint: five matrices (3, 3) and two vectors (3,)."""

    a: Array
    b: Array
    half: Array
    inverse: Array
    cross: Array
    u: Array
    v: Array


def make_joint_scratch() -> JointScratch:
    a, b, half, inverse, cross = (np.zeros((3, 3)) for _ in range(5))
    return JointScratch(a, b, half, inverse, cross, np.zeros(3), np.zeros(3))


@kernel
def wake_joined(ties: TieTable, broken: Flags, piece_assembly: Index, asm: Assemblies) -> int:
    """Wake what sleeps at the other end of a tie to something awake; returns 1 if anything woke."""
    woke = 0
    ground = len(asm.alive) - 1
    for i in range(len(ties.kind)):
        if broken[i] or ties.piece[i, 1] < 0:
            continue
        a, b = piece_assembly[ties.piece[i, 0]], piece_assembly[ties.piece[i, 1]]
        for x, y in ((a, b), (b, a)):
            awake = x != ground and not asm.asleep[x] and asm.motion[x] != Motion.FIXED
            if awake and asm.asleep[y]:
                wake(y, asm)
                woke = 1
    return woke


@kernel(inner=True)
def gather_joints(tied: Joints, bodies: Bodies) -> None:
    """The ties between ends of which one can move, with the impulses they ended the last interval with."""
    ties, joints, inv_mass = tied.ties, tied.constraints, bodies.inv_mass
    ground = len(inv_mass) - 1
    n = 0
    for i in range(len(ties.kind)):
        if tied.broken[i]:
            continue
        a = bodies.piece_assembly[ties.piece[i, 0]]
        b = bodies.piece_assembly[ties.piece[i, 1]] if ties.piece[i, 1] >= 0 else ground
        if a == b or (inv_mass[a] == 0.0 and inv_mass[b] == 0.0):
            continue
        joints.tie[n], joints.body_a[n], joints.body_b[n] = i, a, b
        joints.total_impulse[n] = 0.0
        joints.total_angular_impulse[n] = 0.0
        for c in range(8):
            joints.impulse[n, c] = tied.impulse[i, c]
        n += 1
    tied.active[0] = n


@kernel(inner=True)
def _rotation_error(qa: Array, qb: Array, out: Array) -> None:
    """Rotation vector (3,) that takes orientation qa to orientation qb, the short way, small angles."""
    x, y, z, w = multiply_quaternions(qb[0], qb[1], qb[2], qb[3], -qa[0], -qa[1], -qa[2], qa[3])
    s = -2.0 if w < 0.0 else 2.0
    out[0], out[1], out[2] = s * x, s * y, s * z


@kernel(inner=True)
def _hinge_angle(qa: Array, qb: Array, axis: Array) -> float:
    """Angle (-pi, pi] by which a has turned against b about an axis of the opening frame."""
    x, y, z, w = multiply_quaternions(-qb[0], -qb[1], -qb[2], qb[3], qa[0], qa[1], qa[2], qa[3])
    turn = 2.0 * np.arctan2(x * axis[0] + y * axis[1] + z * axis[2], w)
    if turn > np.pi:
        turn -= 2.0 * np.pi
    if turn <= -np.pi:
        turn += 2.0 * np.pi
    return turn


@kernel(inner=True)
def _update_end(ties: TieTable, i: int, end: int, s: int, bodies: Bodies, arm: Array, scratch: JointScratch) -> None:
    """Lever arm (3,) of one end of tie i, in slot s, and the inverse inertia of that slot as it stands now."""
    asm, m, half, inv_inertia = bodies.assemblies, scratch.a, scratch.half, bodies.inv_inertia
    quaternion_to_matrix(asm.orientation[s], m)
    for c in range(3):
        at = 0.0
        for d in range(3):
            at += m[c, d] * (ties.point[i, end, d] - asm.rest_center[s, d])
        arm[c] = at
    if bodies.inv_mass[s] == 0.0:
        return
    for p in range(3):
        for q in range(3):
            half[p, q] = (
                m[p, 0] * asm.inv_inertia[s, 0, q]
                + m[p, 1] * asm.inv_inertia[s, 1, q]
                + m[p, 2] * asm.inv_inertia[s, 2, q]
            )
    for p in range(3):
        for q in range(3):
            inv_inertia[s, p, q] = half[p, 0] * m[q, 0] + half[p, 1] * m[q, 1] + half[p, 2] * m[q, 2]


@kernel(inner=True)
def update_joints(ties: TieTable, joints: JointConstraints, count: int, bodies: Bodies, scratch: JointScratch) -> None:
    """Arms, errors and effective masses as the bodies stand now. Refreshes the inverse inertia of what is tied."""
    asm, inv_mass, inv_inertia = bodies.assemblies, bodies.inv_mass, bodies.inv_inertia
    k = scratch.inverse
    for r in range(count):
        _update_end(ties, joints.tie[r], 0, joints.body_a[r], bodies, joints.arm_a[r], scratch)
        _update_end(ties, joints.tie[r], 1, joints.body_b[r], bodies, joints.arm_b[r], scratch)
    for r in range(count):
        i, a, b = joints.tie[r], joints.body_a[r], joints.body_b[r]
        length = 0.0
        for c in range(3):
            joints.position_error[r, c] = (
                asm.position[a, c] + joints.arm_a[r, c] - asm.position[b, c] - joints.arm_b[r, c]
            )
            length += joints.position_error[r, c] ** 2
        length = np.sqrt(length)
        _point_inverse_mass(
            joints.arm_a[r],
            joints.arm_b[r],
            inv_mass[a] + inv_mass[b],
            inv_inertia[a],
            inv_inertia[b],
            scratch.cross,
            k,
        )
        kind = ties.kind[i]
        if kind == TieKind.STRING:
            _update_string(joints, r, length, ties.length[i], k)
            continue
        invert_symmetric_3x3(k, joints.point_mass[r])
        if kind == TieKind.WELD:
            for c in range(3):
                for d in range(3):
                    k[c, d] = inv_inertia[a, c, d] + inv_inertia[b, c, d]
            invert_symmetric_3x3(k, joints.rotation_mass[r])
            _rotation_error(asm.orientation[a], asm.orientation[b], joints.rotation_error[r])
        elif kind == TieKind.HINGE:
            _update_hinge(joints, r, ties.axis[i], bodies, scratch)


@kernel(inner=True)
def _update_string(joints: JointConstraints, r: int, length: float, rest: float, k: Array) -> None:
    """Axis, stretch and effective mass of a string between ends ``length`` [m] apart, ``rest`` [m] long."""
    joints.stretch[r] = length - rest
    w = 0.0
    for c in range(3):
        joints.axis[r, c] = joints.position_error[r, c] / length if length > 1e-12 else (1.0 if c == 1 else 0.0)
    for c in range(3):
        for d in range(3):
            w += joints.axis[r, c] * k[c, d] * joints.axis[r, d]
    joints.axial_mass[r] = 1.0 / w if w > 0.0 else 0.0


@kernel(inner=True)
def _update_hinge(joints: JointConstraints, r: int, axis: Array, bodies: Bodies, scratch: JointScratch) -> None:
    """Axis, angle, rotation error across it, and effective masses of a hinge; axis (3,) at the opening pose."""
    asm, inv_inertia, k = bodies.assemblies, bodies.inv_inertia, scratch.inverse
    m, mb, u, v = scratch.a, scratch.b, scratch.u, scratch.v
    a, b = joints.body_a[r], joints.body_b[r]
    quaternion_to_matrix(asm.orientation[a], m)
    quaternion_to_matrix(asm.orientation[b], mb)
    for c in range(3):
        u[c] = m[c, 0] * axis[0] + m[c, 1] * axis[1] + m[c, 2] * axis[2]
        v[c] = mb[c, 0] * axis[0] + mb[c, 1] * axis[1] + mb[c, 2] * axis[2]
        joints.axis[r, c] = u[c]
    joints.rotation_error[r, 0] = u[1] * v[2] - u[2] * v[1]
    joints.rotation_error[r, 1] = u[2] * v[0] - u[0] * v[2]
    joints.rotation_error[r, 2] = u[0] * v[1] - u[1] * v[0]
    joints.angle[r] = _hinge_angle(asm.orientation[a], asm.orientation[b], axis)
    _across_axis(u, inv_inertia[a], inv_inertia[b], k)
    w = 0.0
    for c in range(3):
        for d in range(3):
            w += u[c] * (inv_inertia[a, c, d] + inv_inertia[b, c, d]) * u[d]
    joints.axial_mass[r] = 1.0 / w if w > 0.0 else 0.0
    invert_symmetric_3x3(k, joints.rotation_mass[r])


@kernel(inner=True)
def _point_inverse_mass(ra: Array, rb: Array, inv_mass: float, ia: Array, ib: Array, cross: Array, k: Array) -> None:
    """Inverse effective mass of two points moving as one: m^-1 1 - [ra] Ia^-1 [ra] - [rb] Ib^-1 [rb].

    ra, rb   : (3,) float64, [m]
    inv_mass : float, [1/kg], of both
    ia, ib   : (3, 3) float64
    cross    : (3, 3) float64, scratch
    k        : (3, 3) float64, out
    """
    for i in range(3):
        for j in range(3):
            k[i, j] = inv_mass if i == j else 0.0
    for end in range(2):
        v = ra if end == 0 else rb
        inv = ia if end == 0 else ib
        cross[0, 0], cross[0, 1], cross[0, 2] = 0.0, -v[2], v[1]
        cross[1, 0], cross[1, 1], cross[1, 2] = v[2], 0.0, -v[0]
        cross[2, 0], cross[2, 1], cross[2, 2] = -v[1], v[0], 0.0
        for i in range(3):
            for j in range(3):
                t = 0.0
                for p in range(3):
                    for q in range(3):
                        t += cross[i, p] * inv[p, q] * cross[j, q]
                k[i, j] += t


@kernel(inner=True)
def _across_axis(u: Array, ia: Array, ib: Array, k: Array) -> None:
    """Inverse effective inertia across a unit axis u (3,), made invertible along it, into k (3, 3)."""
    scale = 0.0
    for c in range(3):
        scale += ia[c, c] + ib[c, c]
    for i in range(3):
        for j in range(3):
            t = 0.0
            for p in range(3):
                for q in range(3):
                    left, right = (1.0 if i == p else 0.0) - u[i] * u[p], (1.0 if q == j else 0.0) - u[q] * u[j]
                    t += left * (ia[p, q] + ib[p, q]) * right
            k[i, j] = t + scale * u[i] * u[j]
