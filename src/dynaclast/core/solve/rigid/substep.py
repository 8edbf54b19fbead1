"""The rigid half of a substep: begin, iterate, end. ``solve.substeps`` calls these, beside those of other matter."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Index, allocate
from ...kernels import kernel
from ..model import Settings
from .constraints import CONTACTS, ConstraintSet
from .contact_solver import (
    accumulate_impulses,
    apply_split_impulses,
    iterate_contacts,
    set_target_velocities,
    warm_start_contacts,
)
from .energy import clamp_kinetic_energy, clamp_swing_energy, measure_kinetic_energy, measure_swing_energy
from .groups import Bodies
from .integration import integrate_kinematic, integrate_poses, integrate_velocities
from .islands import Islands, find_islands, watch_impacts, watch_turning
from .joint_solver import (
    MAX_ITERATIONS,
    accumulate_joint_impulses,
    iterate_joints,
    stabilise_joints,
    update_arc_velocities,
    warm_start_joints,
)
from .joints import Joints, JointScratch, make_joint_scratch, update_joints


class RigidScratch(NamedTuple):
    """What the substeps of rigid bodies write on.

    islands     : by assembly slot
    shift       : (A, 3) float64, [m], pseudo-displacements
    turn        : (A, 3) float64, [rad]
    awake       : (A,) int64, slots that are awake, the first so many
    inertia_at  : (A,) int64, the detection an inverse inertia was last turned for
    matrix      : (3, 3) float64
    inverse     : (3, 3) float64
    quaternion  : (4,) float64
    joint       : for one joint
    passes      : (1,) int64: most iterations of any contact
    """

    islands: Islands
    shift: Array
    turn: Array
    awake: Index
    inertia_at: Index
    matrix: Array
    inverse: Array
    quaternion: Array
    joint: JointScratch
    passes: Index


def make_rigid_scratch(slots: int) -> RigidScratch:
    f, i8 = np.zeros, np.int64
    return RigidScratch(
        allocate(Islands, slots),
        f((slots, 3)),
        f((slots, 3)),
        f(slots, i8),
        f(slots, i8),
        f((3, 3)),
        f((3, 3)),
        f(4),
        make_joint_scratch(),
        f(1, i8),
    )


@kernel(inline=True)
def begin_interval(
    settings: Settings,
    bodies: Bodies,
    solver: ConstraintSet,
    tied: Joints,
    awake: Index,
    first: int,
    stale: int,
    regroup: int,
    scratch: RigidScratch,
) -> None:
    """Before the substeps of an interval, or those left of it after a detection within it.

    awake   : (n,) int64, slots
    first   : int, the substep to go on with
    stale   : int, how many stale contacts were detected anew
    regroup : int, 1 where islands must be found, since there are new contacts
    """
    islands, passes = scratch.islands, scratch.passes
    if first == 0:
        bodies.displacement[:, :] = 0.0
        bodies.rotation[:, :] = 0.0
    scratch.shift[:, :] = 0.0  # what fell asleep keeps none
    scratch.turn[:, :] = 0.0
    if regroup:
        passes[0] = find_islands(solver, tied, bodies, awake, first, islands)
    if first == 0:
        watch_turning(awake, bodies, settings.interval, islands)
    else:
        watch_impacts(solver, stale, bodies, settings.interval, islands)
    if tied.active[0] and (first == 0 or regroup):
        half = 0.5 * settings.interval / settings.substeps
        measure_swing_energy(bodies, awake, islands, settings.gravity, half, islands.swing_before)


@kernel(inline=True)
def begin_substep(
    settings: Settings,
    bodies: Bodies,
    solver: ConstraintSet,
    tied: Joints,
    awake: Index,
    step: int,
    h: float,
    scratch: RigidScratch,
) -> None:
    """Forces, and the impulses of the last substep again."""
    ties, joints, contacts = tied.ties, tied.constraints, solver.contacts
    count, joint_count = solver.counts[CONTACTS], tied.active[0]
    integrate_velocities(bodies, awake, h, settings.gravity)
    update_joints(ties, joints, joint_count, bodies, scratch.joint)
    update_arc_velocities(ties, joints, joint_count, bodies, h)
    measure_kinetic_energy(bodies.assemblies, awake, scratch.islands, scratch.islands.energy_before)
    set_target_velocities(contacts, count, bodies, h, (step + 0.5) * h, settings.gravity)
    warm_start_contacts(contacts, count, bodies)
    warm_start_joints(ties, joints, joint_count, bodies)


@kernel(inline=True)
def solve_velocities(
    settings: Settings, bodies: Bodies, solver: ConstraintSet, tied: Joints, step: int, h: float, scratch: RigidScratch
) -> None:
    """Pass over contacts and joints until every contact had its passes, joints hold, and impacts have spread."""
    islands, joints, passes = scratch.islands, tied.constraints, scratch.passes
    count, joint_count = solver.counts[CONTACTS], tied.active[0]
    rounds, opens = passes[0] if count else 0, int(step == 0 and count > 0)
    iteration, spreading, opening, parting = -1, False, False, joint_count > 0
    while iteration + 1 < rounds or spreading or opening or parting and iteration + 1 < MAX_ITERATIONS:
        iteration += 1
        if iteration < rounds or spreading or opening:
            spreading, opening = iterate_contacts(solver, bodies, islands, h, iteration, opens)
        if joint_count:
            parting = iterate_joints(tied.ties, joints, joint_count, bodies, islands, h, iteration)


@kernel(inline=True)
def end_substep(
    settings: Settings,
    bodies: Bodies,
    solver: ConstraintSet,
    tied: Joints,
    awake: Index,
    h: float,
    scratch: RigidScratch,
) -> None:
    """Clamp energy, take penetration and drift out, and go on."""
    asm, islands, contacts, joints = bodies.assemblies, scratch.islands, solver.contacts, tied.constraints
    count, joint_count = solver.counts[CONTACTS], tied.active[0]
    shift, turn = scratch.shift, scratch.turn
    accumulate_impulses(contacts, count, bodies)
    measure_kinetic_energy(asm, awake, islands, islands.energy_after)
    clamp_kinetic_energy(asm, awake, islands, scratch.matrix, scratch.inverse)
    for k in range(len(awake)):
        for c in range(3):
            shift[awake[k], c] = 0.0
            turn[awake[k], c] = 0.0
    apply_split_impulses(solver, bodies, shift, turn, h, scratch.passes[0])
    stabilise_joints(tied.ties, joints, joint_count, shift, turn, bodies)
    accumulate_joint_impulses(tied.ties, joints, joint_count)
    integrate_poses(bodies, awake, h, shift, turn, scratch.matrix, scratch.quaternion)
    integrate_kinematic(bodies, h)
    if joint_count:
        measure_swing_energy(bodies, awake, islands, settings.gravity, 0.5 * h, islands.swing_after)
        clamp_swing_energy(asm, awake, islands)
