"""Islands: what hangs together by contacts and joints, and how many passes it gets."""

from __future__ import annotations

from enum import IntEnum
from typing import NamedTuple

from ...arrays import Flag, Index, Int, Mat3, Scalar, Vec3
from ...kernels import kernel
from ...kernels.union_find import find_root, unite
from ..model import Motion
from .constraints import CONTACTS, IMPACT_SPEED, ConstraintSet, ContactConstraints
from .groups import Bodies
from .joints import Joints
from .worklist import Worklist, list_rows

ITERATIONS_OF = ((24, 6), (60, 3))
"""Passes a substep of islands with at most so many contacts; larger ones take one. Few contacts cost little, and stacks
and mass ratios need them."""

SMALL_ISLAND = ITERATIONS_OF[-1][0]
"""The most contacts of an island that gets more passes than one."""

UNEVEN_MASS_RATIO = 4.0
"""A body on one so many times lighter needs more passes, in small islands."""

VERY_UNEVEN, UNEVEN_ISLAND = 50.0, 200
"""On one so many times lighter it does in islands of up to so many contacts too."""
UNEVEN_ITERATIONS = 24
PROPAGATION_ITERATIONS = 500
"""Passes that follow an impact from contact to contact, at most; in small uneven islands more."""

CALM_SPEED = 0.1
"""What has been slower than this share of a contact's characteristic speed for a while lies there, or trembles."""
CALM_ITERATIONS = 20
"""Passes of islands in which nothing does more: what is not solved to the end creeps and trembles on."""

OPENING_ITERATIONS, OPENING_BUDGET = 20_000, 400_000
"""Where nothing is known yet of what presses on what, as when a run opens on things that rest on one another or lets
them go, the first substep takes up to so many passes, contacts of the island times passes within the budget: weight not
yet carried would let things sink, and the push back gives energy."""

OPENED = 1e-9
"""An island has opened once a pass changes by no more than this share of characteristic speeds how fast things meet."""

FAR_TURN = 0.01
"""What turns farther than this within an interval (squared, rad) may gain energy by it."""


class Watch(IntEnum):
    """Bits of Islands.watch: what may give an island energy."""

    MOTION = 1  # something is hit, bounces or turns far within the interval
    UNEVEN = 2  # masses are uneven
    DRIVEN = 4  # something kinematic pushes
    JOINTED = 8  # it has a joint
    RESTLESS = 16  # something in it does not just lie there


CONTACT_ALONE = int(Watch.MOTION) | int(Watch.DRIVEN)
"""Of these bits, MOTION alone: all energy it can gain is of its contacts."""


class Islands(NamedTuple):
    """Islands by assembly slot (A); what is said of an island stands at its lowest slot.

    island        : (A,) int32, lowest slot of the island each moving slot is in
    grounded      : (A,) uint8, it meets what cannot move
    watch         : (A,) uint8, bits of Watch
    size          : (A,) int32, its contacts
    uneven        : (A,) float64, the greatest ratio of masses of two bodies that touch in it, where both can move
    passes        : (A,) int32, of its contacts, in a substep
    loaded        : (A,) uint8, something in it bore something before
    change        : (A,) float64, most that a pass changed in it, of characteristic speeds, while it opens
    stirred       : (A,) uint8, the last pass changed a body's velocity much
    parting       : (A,) uint8, joints of it have not converged
    parted        : (A,) float64, [m/s], how fast ends of a joint parted at most in a pass
    opened        : (A,) float64, [m/s], and in any pass of the substep
    first_row     : (A,) int32, of slots that move: where their contacts begin in Worklist.row
    rows          : (A,) int32, and how many these are
    energy_before : (A,) float64, [J], kinetic, before its contacts are solved in a substep
    energy_after  : (A,) float64, [J], after
    swing_before  : (A,) float64, [J], of islands with joints, in the middle of the last substep
    swing_after   : (A,) float64, [J], in the middle of this one
    swing_kinetic : (A,) float64, [J], kinetic part of it
    mass          : (A,) float64, [kg], of islands that are clamped, as the following
    center        : (A, 3) float64, [m]
    velocity      : (A, 3) float64, [m/s], of the centre
    spin          : (A, 3) float64, [rad/s], as one; angular momentum [kg m2/s] while that is summed
    inertia       : (A, 3, 3) float64, [kg m2], about the centre
    rigid_energy  : (A,) float64, [J], of the motion as one
    """

    island: Int
    grounded: Flag
    watch: Flag
    size: Int
    uneven: Scalar
    passes: Int
    loaded: Flag
    change: Scalar
    stirred: Flag
    parting: Flag
    parted: Scalar
    opened: Scalar
    first_row: Int
    rows: Int
    energy_before: Scalar
    energy_after: Scalar
    swing_before: Scalar
    swing_after: Scalar
    swing_kinetic: Scalar
    mass: Scalar
    center: Vec3
    velocity: Vec3
    spin: Vec3
    inertia: Mat3
    rigid_energy: Scalar


@kernel(inline=True)
def island_of(islands: Islands, bodies: Bodies, a: int, b: int) -> int:
    """The island of a constraint between two slots of which one can move."""
    return islands.island[a] if bodies.inv_mass[a] > 0.0 else islands.island[b]


@kernel(inline=True)
def _is_driven(bodies: Bodies, a: int, b: int) -> bool:
    motion = bodies.assemblies.motion
    return motion[a] == Motion.KINEMATIC or motion[b] == Motion.KINEMATIC


@kernel(inner=True)
def _join(islands: Islands, solver: ConstraintSet, tied: Joints, awake: Index, inv_mass: Scalar) -> None:
    """Fill islands.island."""
    island, contacts, joints = islands.island, solver.contacts, tied.constraints
    for r in range(solver.counts[CONTACTS]):
        a, b = contacts.body_a[r], contacts.body_b[r]
        if inv_mass[a] > 0.0 and inv_mass[b] > 0.0:
            unite(island, a, b)
    for r in range(tied.active[0]):
        a, b = joints.body_a[r], joints.body_b[r]
        if inv_mass[a] > 0.0 and inv_mass[b] > 0.0:
            unite(island, a, b)
    for k in range(len(awake)):
        a = awake[k]
        island[a] = find_root(island, a)


@kernel(inner=True)
def find_islands(
    solver: ConstraintSet, tied: Joints, bodies: Bodies, awake: Index, first: int, islands: Islands
) -> int:
    """Moving slots joined by contacts and joints; fills islands, but for energies, and passes of contacts.

    awake   : (n,) int64, slots that are awake
    first   : int, the substep to go on with: after the first of an interval, islands are watched for what they were
    Returns : the most iterations of any contact
    """
    contacts, joints, inv_mass, asm = solver.contacts, tied.constraints, bodies.inv_mass, bodies.assemblies
    count = solver.counts[CONTACTS]
    list_rows(solver.work, contacts.body_a, contacts.body_b, count, awake, inv_mass, islands.first_row, islands.rows)
    watch, grounded, size = islands.watch, islands.grounded, islands.size
    for k in range(len(awake)):
        a = awake[k]
        watch[a] = watch[islands.island[a]] if first > 0 else 0
    for k in range(len(awake)):
        a = awake[k]
        islands.island[a] = a
        grounded[a], size[a], islands.loaded[a], islands.passes[a] = 0, 0, 0, 0
        islands.uneven[a] = 1.0
    _join(islands, solver, tied, awake, inv_mass)
    for r in range(solver.counts[CONTACTS]):
        a, b = contacts.body_a[r], contacts.body_b[r]
        i = island_of(islands, bodies, a, b)
        size[i] += 1
        for c in range(contacts.point_count[r]):
            if contacts.normal_impulse[r, c] > 0.0:
                islands.loaded[i] = 1
        if inv_mass[a] > 0.0 and inv_mass[b] > 0.0:
            ratio = max(inv_mass[a] / inv_mass[b], inv_mass[b] / inv_mass[a])
            islands.uneven[i] = max(islands.uneven[i], ratio)
            if ratio > UNEVEN_MASS_RATIO:
                watch[i] |= Watch.UNEVEN
        if inv_mass[a] == 0.0 or inv_mass[b] == 0.0:
            grounded[i] = 1
        if _is_impact(contacts, r):
            watch[i] |= Watch.MOTION
        if _is_driven(bodies, a, b):
            watch[i] |= Watch.DRIVEN
        if max(asm.mean_speed[a], asm.mean_speed[b]) > CALM_SPEED * contacts.characteristic_speed[r]:
            watch[i] |= Watch.RESTLESS
    for r in range(tied.active[0]):
        a, b = joints.body_a[r], joints.body_b[r]
        i = island_of(islands, bodies, a, b)
        watch[i] |= Watch.JOINTED
        if inv_mass[a] == 0.0 or inv_mass[b] == 0.0:
            grounded[i] = 1
        if _is_driven(bodies, a, b):
            watch[i] |= Watch.DRIVEN
    for k in range(len(awake)):
        watch[islands.island[awake[k]]] |= watch[awake[k]]
    most, more = 1, 0
    for r in range(solver.counts[CONTACTS]):
        i = island_of(islands, bodies, contacts.body_a[r], contacts.body_b[r])
        room = UNEVEN_ISLAND if islands.uneven[i] > VERY_UNEVEN else SMALL_ISLAND
        uneven = watch[i] & Watch.UNEVEN != 0 and size[i] <= room
        contacts.iterations[r] = UNEVEN_ITERATIONS if uneven else 1
        for k in range(len(ITERATIONS_OF)):
            if size[i] <= ITERATIONS_OF[k][0]:
                contacts.iterations[r] = max(contacts.iterations[r], ITERATIONS_OF[k][1])
                break
        if watch[i] & Watch.RESTLESS == 0:
            contacts.iterations[r] = max(contacts.iterations[r], CALM_ITERATIONS)
        islands.passes[i] = contacts.iterations[r]
        most = max(most, contacts.iterations[r])
        contacts.opening[r] = 0
        if first == 0 and grounded[i] and not islands.loaded[i]:
            contacts.opening[r] = min(OPENING_ITERATIONS, OPENING_BUDGET // size[i])
        if contacts.iterations[r] > 1 or contacts.opening[r] > 0:
            solver.work.more[more] = r
            more += 1
    solver.work.listed[0] = more
    return most


@kernel(inline=True)
def _is_impact(contacts: ContactConstraints, r: int) -> bool:
    """Whether a point of a manifold meets fast enough to bounce or to be an impact."""
    hit = contacts.restitution_active[r] != 0
    for k in range(contacts.point_count[r]):
        hit |= contacts.approach_velocity[r, k] < -IMPACT_SPEED * contacts.characteristic_speed[r]
    return hit


@kernel(inner=True)
def watch_impacts(solver: ConstraintSet, count: int, bodies: Bodies, interval: float, islands: Islands) -> None:
    """Watch islands in which one of the first ``count`` stale contacts, detected anew, is hit, or a body of one turns
    far within the interval [s].
    """
    contacts, speculative, stale = solver.contacts, solver.speculative, solver.stale
    for x in range(count):
        r = stale.place[x]
        if stale.speculative[x]:
            a, b, hit = speculative.body_a[r], speculative.body_b[r], False
        else:
            a, b, hit = contacts.body_a[r], contacts.body_b[r], _is_impact(contacts, r)
        if hit or _turns_far(bodies, a, interval) or _turns_far(bodies, b, interval):
            islands.watch[island_of(islands, bodies, a, b)] |= Watch.MOTION


@kernel(inline=True)
def _turns_far(bodies: Bodies, a: int, interval: float) -> bool:
    """Whether what can move turns far within the interval."""
    w = bodies.assemblies.angular_velocity[a]
    return bodies.inv_mass[a] > 0.0 and (w[0] ** 2 + w[1] ** 2 + w[2] ** 2) * interval * interval > FAR_TURN


@kernel(inner=True)
def watch_turning(awake: Index, bodies: Bodies, interval: float, islands: Islands) -> None:
    """Watch islands in which something awake turns far within the interval [s]."""
    for k in range(len(awake)):
        if _turns_far(bodies, awake[k], interval):
            islands.watch[islands.island[awake[k]]] |= Watch.MOTION


@kernel(inner=True)
def go_on_opening(
    contacts: ContactConstraints, work: Worklist, bodies: Bodies, islands: Islands, iteration: int
) -> bool:
    """After a pass: an island in which nothing changed any more has opened. Returns whether any goes on."""
    left = False
    for k in range(work.listed[0]):
        r = work.more[k]
        if contacts.opening[r] > 0:
            if islands.change[island_of(islands, bodies, contacts.body_a[r], contacts.body_b[r])] <= OPENED:
                contacts.opening[r] = 0
            left |= contacts.opening[r] > iteration + 1
    for k in range(work.listed[0]):
        r = work.more[k]
        islands.change[island_of(islands, bodies, contacts.body_a[r], contacts.body_b[r])] = 0.0
    return left
