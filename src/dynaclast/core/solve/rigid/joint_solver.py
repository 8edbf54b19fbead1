"""The velocity solver of joints, and their stabilisation by pseudo-displacements that never become speed."""

from __future__ import annotations

import numpy as np

from ...arrays import Array
from ...kernels import kernel
from ...kernels.linalg import multiply, squared_length
from ..model import PieceTable, TieKind, TieTable
from .groups import Bodies
from .islands import Islands, island_of
from .joints import FRICTION, LIMIT, JointConstraints

JOINT_CORRECTION = 0.3
"""Share of the drift taken back per substep."""
STABILISATION_ITERATIONS = 2
MIN_ITERATIONS, MAX_ITERATIONS = 4, 400
"""Passes over all joints per substep, at least and at most. They are few, and a chain that carries something heavy
needs many."""
CONVERGENCE = 1e-4
"""They end once no joint's ends part faster than this share of how fast they parted in the first pass."""


@kernel(inner=True)
def _apply_impulse(
    joints: JointConstraints, r: int, px: float, py: float, pz: float, linear: Array, angular: Array, bodies: Bodies
) -> None:
    """An impulse on a's end, and its opposite on b's.

    linear, angular : (A, 3) float64, velocities or pseudo-displacements, in place
    """
    inv_mass, inv_inertia = bodies.inv_mass, bodies.inv_inertia
    for end in range(2):
        s = joints.body_a[r] if end == 0 else joints.body_b[r]
        if inv_mass[s] == 0.0:
            continue
        sign = 1.0 if end == 0 else -1.0
        arm = joints.arm_a[r] if end == 0 else joints.arm_b[r]
        x, y, z = sign * px, sign * py, sign * pz
        linear[s, 0] += inv_mass[s] * x
        linear[s, 1] += inv_mass[s] * y
        linear[s, 2] += inv_mass[s] * z
        tx, ty, tz = arm[1] * z - arm[2] * y, arm[2] * x - arm[0] * z, arm[0] * y - arm[1] * x
        for c in range(3):
            angular[s, c] += inv_inertia[s, c, 0] * tx + inv_inertia[s, c, 1] * ty + inv_inertia[s, c, 2] * tz


@kernel(inner=True)
def _apply_angular_impulse(
    joints: JointConstraints, r: int, tx: float, ty: float, tz: float, angular: Array, bodies: Bodies
) -> None:
    """An angular impulse on a, and its opposite on b; angular as in ``_apply_impulse``."""
    inv_inertia = bodies.inv_inertia
    for end in range(2):
        s = joints.body_a[r] if end == 0 else joints.body_b[r]
        if bodies.inv_mass[s] == 0.0:
            continue
        sign = 1.0 if end == 0 else -1.0
        for c in range(3):
            angular[s, c] += sign * (inv_inertia[s, c, 0] * tx + inv_inertia[s, c, 1] * ty + inv_inertia[s, c, 2] * tz)


@kernel(inline=True)
def _separating_velocity(joints: JointConstraints, r: int, linear: Array, angular: Array) -> tuple[float, float, float]:
    """How fast the ends of a joint part [m/s]; linear, angular (A, 3) velocities, or displacements for one [m]."""
    a, b, ra, rb = joints.body_a[r], joints.body_b[r], joints.arm_a[r], joints.arm_b[r]
    wa, wb = angular[a], angular[b]
    vx = linear[a, 0] - linear[b, 0] + wa[1] * ra[2] - wa[2] * ra[1] - wb[1] * rb[2] + wb[2] * rb[1]
    vy = linear[a, 1] - linear[b, 1] + wa[2] * ra[0] - wa[0] * ra[2] - wb[2] * rb[0] + wb[0] * rb[2]
    vz = linear[a, 2] - linear[b, 2] + wa[0] * ra[1] - wa[1] * ra[0] - wb[0] * rb[1] + wb[1] * rb[0]
    return vx, vy, vz


@kernel(inline=True)
def _relative_angular(joints: JointConstraints, r: int, angular: Array) -> tuple[float, float, float]:
    a, b = joints.body_a[r], joints.body_b[r]
    return angular[a, 0] - angular[b, 0], angular[a, 1] - angular[b, 1], angular[a, 2] - angular[b, 2]


@kernel(inner=True)
def warm_start_joints(ties: TieTable, joints: JointConstraints, count: int, bodies: Bodies) -> None:
    """Apply the impulses of the last substep again."""
    v, w = bodies.assemblies.velocity, bodies.assemblies.angular_velocity
    for r in range(count):
        p, u = joints.impulse[r], joints.axis[r]
        kind = ties.kind[joints.tie[r]]
        if kind == TieKind.STRING:
            _apply_impulse(joints, r, p[0] * u[0], p[0] * u[1], p[0] * u[2], v, w, bodies)
            continue
        _apply_impulse(joints, r, p[0], p[1], p[2], v, w, bodies)
        if kind == TieKind.HINGE or kind == TieKind.WELD:
            along = p[LIMIT] + p[FRICTION]
            _apply_angular_impulse(joints, r, p[3] + along * u[0], p[4] + along * u[1], p[5] + along * u[2], w, bodies)


@kernel(inner=True)
def update_arc_velocities(ties: TieTable, joints: JointConstraints, count: int, bodies: Bodies, h: float) -> None:
    """Ends travel on arcs: half the turn's square over the substep (as SHAKE; Ryckaert et al. 1977, doi
    10.1016/0021-9991(77)90098-5), without which every substep would lose the share that points outwards. By the turn at
    the substep's start, so that what is solved is linear and its solution is come to however fast things turn.
    """
    v, w = bodies.assemblies.velocity, bodies.assemblies.angular_velocity
    for r in range(count):
        a, b = joints.body_a[r], joints.body_b[r]
        x, y, z = 0.0, 0.0, 0.0
        for end in range(2):
            s = a if end == 0 else b
            wx, wy, wz = w[s, 0], w[s, 1], w[s, 2]
            if bodies.inv_mass[s] == 0.0 and wx == 0.0 and wy == 0.0 and wz == 0.0:
                continue
            arm = joints.arm_a[r] if end == 0 else joints.arm_b[r]
            dot, square = wx * arm[0] + wy * arm[1] + wz * arm[2], wx * wx + wy * wy + wz * wz
            half = 0.5 * h if end == 0 else -0.5 * h
            x += half * (wx * dot - square * arm[0])
            y += half * (wy * dot - square * arm[1])
            z += half * (wz * dot - square * arm[2])
        if ties.kind[joints.tie[r]] == TieKind.STRING:
            u = joints.axis[r]
            vx, vy, vz = _separating_velocity(joints, r, v, w)
            along = vx * u[0] + vy * u[1] + vz * u[2]
            swing = vx * vx + vy * vy + vz * vz - along * along
            x = x * u[0] + y * u[1] + z * u[2] + 0.5 * h * swing / max(1e-12, ties.length[joints.tie[r]])
            y, z = 0.0, 0.0
        joints.arc_velocity[r, 0], joints.arc_velocity[r, 1], joints.arc_velocity[r, 2] = x, y, z


@kernel(inner=True)
def _solve_axis(ties: TieTable, joints: JointConstraints, r: int, h: float, along: float) -> float:
    """Friction and limits of a hinge that turns at ``along`` [rad/s] about its axis: what it would turn on past a limit
    within the substep h [s] is stopped there. Returns the angular impulse about the axis [N m s].
    """
    i, p = joints.tie[r], joints.impulse[r]
    most = ties.friction[i] * h
    new = min(most, max(-most, p[FRICTION] - along * joints.axial_mass[r]))
    d = new - p[FRICTION]
    p[FRICTION] = new
    if ties.low[i] > -np.inf or ties.high[i] < np.inf:
        if joints.angle[r] > 0.5 * (ties.low[i] + ties.high[i]):
            to = min(0.0, p[LIMIT] + ((ties.high[i] - joints.angle[r]) / h - along) * joints.axial_mass[r])
        else:
            to = max(0.0, p[LIMIT] + ((ties.low[i] - joints.angle[r]) / h - along) * joints.axial_mass[r])
        d += to - p[LIMIT]
        p[LIMIT] = to
    return d


@kernel(inner=True)
def _solve_rotation(ties: TieTable, joints: JointConstraints, r: int, hinge: bool, h: float, bodies: Bodies) -> float:
    """No rotation of a against b, of a hinge but about its axis; returns how fast the ends parted by it [m/s]."""
    w, p, u = bodies.assemblies.angular_velocity, joints.impulse[r], joints.axis[r]
    wx, wy, wz = _relative_angular(joints, r, w)
    if hinge:
        d = _solve_axis(ties, joints, r, h, wx * u[0] + wy * u[1] + wz * u[2])
        if d != 0.0:
            _apply_angular_impulse(joints, r, d * u[0], d * u[1], d * u[2], w, bodies)
            wx, wy, wz = _relative_angular(joints, r, w)
        along = wx * u[0] + wy * u[1] + wz * u[2]
        wx, wy, wz = wx - along * u[0], wy - along * u[1], wz - along * u[2]
    arms = squared_length(joints.arm_a[r]) + squared_length(joints.arm_b[r])
    parted = np.sqrt((wx * wx + wy * wy + wz * wz) * arms)
    x, y, z = multiply(joints.rotation_mass[r], wx, wy, wz)
    tx, ty, tz = -x, -y, -z
    p[3] += tx
    p[4] += ty
    p[5] += tz
    _apply_angular_impulse(joints, r, tx, ty, tz, w, bodies)
    return parted


@kernel(inner=True)
def iterate_joints(
    ties: TieTable, joints: JointConstraints, count: int, bodies: Bodies, islands: Islands, h: float, iteration: int
) -> bool:
    """One pass over the joints of islands that have not converged or in which a contact changed much: rotations first,
    then points, which must hold most. Every other pass goes backwards, so that a chain's ends hear of each other.

    Returns : whether the ends of a joint of any island still part too fast
    """
    for r in range(count):
        i = island_of(islands, bodies, joints.body_a[r], joints.body_b[r])
        if iteration == 0:
            islands.opened[i], islands.parting[i] = 0.0, 1
        if iteration >= MAX_ITERATIONS:
            islands.parting[i] = 0
        if islands.stirred[i] or iteration < islands.passes[i]:
            islands.parting[i] = 1
    for r in range(count):
        i = island_of(islands, bodies, joints.body_a[r], joints.body_b[r])
        islands.parted[i], islands.stirred[i] = 0.0, 0
    for k in range(count):
        r = count - 1 - k if iteration % 2 == 1 else k
        i = island_of(islands, bodies, joints.body_a[r], joints.body_b[r])
        if islands.parting[i]:
            islands.parted[i] = max(islands.parted[i], _solve_joint(ties, joints, r, bodies, h))
    going = False
    for r in range(count):
        i = island_of(islands, bodies, joints.body_a[r], joints.body_b[r])
        islands.opened[i] = max(islands.opened[i], islands.parted[i])
        islands.parting[i] = iteration < MIN_ITERATIONS or islands.parted[i] > CONVERGENCE * islands.opened[i]
        going |= islands.parting[i] == 1
    return going


@kernel(inner=True)
def _solve_joint(ties: TieTable, joints: JointConstraints, r: int, bodies: Bodies, h: float) -> float:
    """Solve a joint. Returns how fast its ends parted at most before [m/s]."""
    v, w, parted = bodies.assemblies.velocity, bodies.assemblies.angular_velocity, 0.0
    kind, p, u = ties.kind[joints.tie[r]], joints.impulse[r], joints.axis[r]
    if kind == TieKind.HINGE or kind == TieKind.WELD:
        parted = max(parted, _solve_rotation(ties, joints, r, kind == TieKind.HINGE, h, bodies))
    vx, vy, vz = _separating_velocity(joints, r, v, w)
    if kind == TieKind.STRING:
        along = vx * u[0] + vy * u[1] + vz * u[2] + joints.arc_velocity[r, 0]
        new = min(0.0, p[0] + (max(0.0, -joints.stretch[r]) / h - along) * joints.axial_mass[r])
        d = new - p[0]
        p[0] = new
        if d != 0.0:
            parted = max(parted, abs(d) / joints.axial_mass[r])
            _apply_impulse(joints, r, d * u[0], d * u[1], d * u[2], v, w, bodies)
        return parted
    vx, vy, vz = vx + joints.arc_velocity[r, 0], vy + joints.arc_velocity[r, 1], vz + joints.arc_velocity[r, 2]
    parted = max(parted, np.sqrt(vx * vx + vy * vy + vz * vz))
    mx, my, mz = multiply(joints.point_mass[r], vx, vy, vz)
    x, y, z = -mx, -my, -mz
    p[0] += x
    p[1] += y
    p[2] += z
    _apply_impulse(joints, r, x, y, z, v, w, bodies)
    return parted


@kernel(inner=True)
def stabilise_joints(
    ties: TieTable, joints: JointConstraints, count: int, shift: Array, turn: Array, bodies: Bodies
) -> None:
    """Pseudo-displacements that take a share of the drift back.

    shift, turn : (A, 3) float64, [m], [rad], in place
    """
    for _ in range(STABILISATION_ITERATIONS):
        for r in range(count):
            kind, u = ties.kind[joints.tie[r]], joints.axis[r]
            if kind == TieKind.HINGE or kind == TieKind.WELD:
                wx, wy, wz = _relative_angular(joints, r, turn)
                e0 = JOINT_CORRECTION * joints.rotation_error[r, 0] - wx
                e1 = JOINT_CORRECTION * joints.rotation_error[r, 1] - wy
                e2 = JOINT_CORRECTION * joints.rotation_error[r, 2] - wz
                if kind == TieKind.HINGE:
                    along = e0 * u[0] + e1 * u[1] + e2 * u[2]
                    e0, e1, e2 = e0 - along * u[0], e1 - along * u[1], e2 - along * u[2]
                tx, ty, tz = multiply(joints.rotation_mass[r], e0, e1, e2)
                _apply_angular_impulse(joints, r, tx, ty, tz, turn, bodies)
            dx, dy, dz = _separating_velocity(joints, r, shift, turn)
            if kind == TieKind.STRING:
                if joints.stretch[r] <= 0.0:
                    continue
                along = dx * u[0] + dy * u[1] + dz * u[2]
                d = (-JOINT_CORRECTION * joints.stretch[r] - along) * joints.axial_mass[r]
                _apply_impulse(joints, r, d * u[0], d * u[1], d * u[2], shift, turn, bodies)
                continue
            error = joints.position_error[r]
            x, y, z = multiply(
                joints.point_mass[r],
                -JOINT_CORRECTION * error[0] - dx,
                -JOINT_CORRECTION * error[1] - dy,
                -JOINT_CORRECTION * error[2] - dz,
            )
            _apply_impulse(joints, r, x, y, z, shift, turn, bodies)


@kernel(inner=True)
def accumulate_joint_impulses(ties: TieTable, joints: JointConstraints, count: int) -> None:
    """Add this substep's impulses to the sums of the interval."""
    for r in range(count):
        p = joints.impulse[r]
        if ties.kind[joints.tie[r]] == TieKind.STRING:
            joints.total_impulse[r] += abs(p[0])
        else:
            joints.total_impulse[r] += np.sqrt(p[0] ** 2 + p[1] ** 2 + p[2] ** 2)
            joints.total_angular_impulse[r] += np.sqrt(p[3] ** 2 + p[4] ** 2 + p[5] ** 2)


@kernel
def joint_loads(
    ties: TieTable, pieces: PieceTable, joints: JointConstraints, count: int, interval: float, load: Array
) -> None:
    """Mean load of every tie at work over the interval [s]: its force, and the moment of a hinge or weld over the
    smaller piece's size.

    load : (T,) float64, [N], out
    """
    for r in range(count):
        i = joints.tie[r]
        size = pieces.size[ties.piece[i, 0]]
        if ties.piece[i, 1] >= 0:
            size = min(size, pieces.size[ties.piece[i, 1]])
        load[i] = (joints.total_impulse[r] + joints.total_angular_impulse[r] / size) / interval
