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
    any_impulse,
    apply_split_impulses,
    iterate_contacts,
    set_target_velocities,
    warm_start_contacts,
)
from .energy import clamp_kinetic_energy, clamp_swing_energy, measure_kinetic_energy, measure_swing_energy
from .groups import Bodies
from .integration import integrate_kinematic, integrate_poses, integrate_velocities
from .islands import PROPAGATION_ITERATIONS, UNEVEN_ITERATIONS, Islands, find_islands, watch_impacts, watch_turning
from .joint_solver import (
    CONVERGENCE,
    MAX_ITERATIONS,
    MIN_ITERATIONS,
    accumulate_joint_impulses,
    iterate_joints,
    stabilise_joints,
    update_arc_velocities,
    warm_start_joints,
)
from .joints import Joints, JointScratch, make_joint_scratch, update_joints

OPENING_ITERATIONS, OPENING_BUDGET = 20_000, 400_000
"""Where nothing is known yet of what presses on what, as when a run opens on things that rest on one another, the first
substep takes up to so many passes, contacts times passes within the budget: weight not yet carried would let things
sink, and the push back gives energy."""
UNEVEN_SPREAD = 20_000
"""Passes that follow an impact in a small island in which masses are uneven, at most."""


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
    passes      : (2,) int64: most iterations of any contact; opening passes
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


MOST, OPENING = range(2)
"""Places in RigidScratch.passes."""


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
        f(2, i8),
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
        passes[MOST] = find_islands(solver, tied, bodies, awake, islands)
    else:
        watch_impacts(solver, stale, bodies, islands)
    watch_turning(awake, bodies, settings.interval, islands)
    if tied.active[0]:
        half = 0.5 * settings.interval / settings.substeps
        measure_swing_energy(bodies, awake, islands, settings.gravity, half, islands.swing_before)
    count = solver.counts[CONTACTS]
    resting = first > 0 or any_impulse(solver.contacts, count)
    passes[OPENING] = 0 if resting else min(OPENING_ITERATIONS, OPENING_BUDGET // max(count, 1))


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
    contacts, joints, passes = solver.contacts, tied.constraints, scratch.passes
    count, joint_count = solver.counts[CONTACTS], tied.active[0]
    most = passes[MOST]
    least = passes[OPENING] if step == 0 else 0
    rounds = max(most, least) if count else 0
    most_spread = UNEVEN_SPREAD if most == UNEVEN_ITERATIONS else PROPAGATION_ITERATIONS
    iteration, spreading, opened, parting = -1, False, 0.0, joint_count > 0
    while (
        iteration + 1 < rounds
        or parting
        and iteration + 1 < MAX_ITERATIONS
        or spreading
        and iteration + 1 < most_spread
    ):
        iteration += 1
        if iteration < rounds or spreading:
            spreading = iterate_contacts(solver, bodies, scratch.islands, h, iteration, least)
        if joint_count:
            parted = iterate_joints(tied.ties, joints, joint_count, bodies, h, iteration)
            opened = max(opened, parted)
            parting = iteration < MIN_ITERATIONS or parted > CONVERGENCE * opened
        if iteration == most - 1 and rounds > most and not any_impulse(contacts, count):
            rounds = most  # things fall side by side: nothing bears anything yet


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
    apply_split_impulses(solver, bodies, shift, turn, h, scratch.passes[MOST])
    stabilise_joints(tied.ties, joints, joint_count, shift, turn, bodies)
    accumulate_joint_impulses(tied.ties, joints, joint_count)
    integrate_poses(bodies, awake, h, shift, turn, scratch.matrix, scratch.quaternion)
    integrate_kinematic(bodies, h)
    if joint_count:
        measure_swing_energy(bodies, awake, islands, settings.gravity, 0.5 * h, islands.swing_after)
        clamp_swing_energy(asm, awake, islands)
