"""An interval from its contact detection to its last substep: find pairs and where they touch, solve until contacts
want to be detected anew, detect them, go on.

One kernel, since what Python does between kernels would take longer than some of them.
"""

from __future__ import annotations

from enum import IntEnum
from typing import NamedTuple

import numpy as np

from ..arrays import Array, Flags, Index
from ..kernels import kernel
from ..kernels.apart import call_apart
from ..kernels.sorting import sort_pairs
from .model import Model, Motion
from .rigid.broad_phase import find_pairs, sort_along, update_shapes, widest_axis
from .rigid.constraints import (
    CONTACTS,
    SPECULATIVE,
    Arms,
    ConstraintSet,
    build_constraints,
    make_arms,
    update_inverse_masses,
)
from .rigid.contact_cache import KNOWN, Pairing, Pairs, match_cache, sleeping_pairs_first
from .rigid.detection import ContactPoints, DetectionScratch, Span, find_contacts, make_detection_scratch
from .rigid.groups import Bodies, Scene, WorldShapes, make_world_shapes
from .rigid.joints import Joints, gather_joints
from .rigid.late_pairs import Searched, add_late_pairs, begin_search, make_searched, most_late
from .rigid.redetection import prepare_redetection, turn_inertias
from .rigid.substep import RigidScratch, make_rigid_scratch
from .state import Assemblies, ContactCache
from .substeps import Left, run_substeps


class Stage(IntEnum):
    """Where an interval stands."""

    DETECT = 0  # before its detection
    DETECT_AGAIN = 1  # before that again, since sleepers woke
    SOLVE = 2  # before its substeps
    DONE = 3


BLOCK = 16
"""Pairs are detected and made constraints of in blocks: what was read of a pair is still at hand."""


STAGE, UNTIL, EVERYTHING, PAIRS, ENTRIES, AWAKE, CAPACITY = range(7)
"""Places in the numbers that Python and the kernel tell each other: the stage, and where to stop (Stage); whether fixed
and sleeping shapes must be placed too; pairs found; entries of the contact cache in use; awake slots; room for
pairs.
"""


class IntervalScratch(NamedTuple):
    """What an interval is worked out on. Nothing in it is needed from one interval to the next but the shapes of what
    stands still and the order of the broad phase.

    order    : (3, n) int32, shapes along each axis, the triangles of meshes left out
    activity : (n,) uint8, of the broad phase
    start    : (S + 2,) int32, for putting pairs in order
    """

    world: WorldShapes
    order: Index
    activity: Flags
    start: Index
    detection: DetectionScratch
    rigid: RigidScratch
    arms: Arms
    searched: Searched


class Apart(NamedTuple):
    """Where the machine code is of what is compiled apart from an interval (kernels.apart); that of a step of
    deformable bodies, where there are any.
    """

    find_contacts: int
    build_constraints: int
    run_substeps: int
    step_deformables: int


Parts = tuple[ContactCache, Pairing, Pairs, ContactPoints, ConstraintSet, Joints, IntervalScratch]
"""What an interval works with besides scene and bodies, in the order of ``run_interval``."""


def apart_for(scene: Scene, bodies: Bodies, parts: Parts, step: int) -> Apart:
    """That for such arguments; step: of deformable bodies, 0 for none."""
    cache, _, pairs, points, solver, tied, scratch = parts
    rigid, which = scratch.rigid, pairs.entry
    return Apart(
        find_contacts.address(
            scene, bodies, cache, pairs, which, Span(0, 0.0, 0), scratch.world, points, scratch.detection
        ),
        build_constraints.address(scene, bodies, cache, which, points, solver, 0, scratch.arms),
        run_substeps.address(scene.settings, bodies, solver, tied, rigid.awake, scratch.searched, 0, 0, 0, 0, 0, rigid),
        step,
    )


def make_interval_scratch(model: Model, center: Array) -> IntervalScratch:
    """Scratch for a model.

    center : (S, 3) float64, [m], where shapes are, by which they are put in order for a start
    """
    first_mesh = model.triangle_meshes.first_shape
    order = np.argsort(center[:first_mesh], axis=0, kind="stable").T.astype(np.int32, order="C")
    return IntervalScratch(
        make_world_shapes(model.hulls),
        order,
        np.zeros(first_mesh, np.uint8),
        np.zeros(len(center) + 2, np.int32),
        make_detection_scratch(),
        make_rigid_scratch(model.piece_count + 1),
        make_arms(),
        make_searched(model.piece_count + 1, len(center)),
    )


@kernel(inner=True)
def _find_awake(asm: Assemblies, awake: Index) -> int:
    """Slots that are awake and free to move, into awake (A,) int64; returns how many."""
    n = 0
    for a in range(len(asm.alive)):
        if asm.alive[a] == 1 and asm.motion[a] == Motion.DYNAMIC and asm.asleep[a] == 0:
            awake[n] = a
            n += 1
    return n


@kernel(inline=True)
def _detect(
    scene: Scene,
    bodies: Bodies,
    cache: ContactCache,
    pairing: Pairing,
    pairs: Pairs,
    points: ContactPoints,
    solver: ConstraintSet,
    scratch: IntervalScratch,
    apart: Apart,
    numbers: Index,
) -> bool:
    """Find pairs, contact points and constraints. Where there is no room, it stops at the broad phase, with the number
    of pairs in numbers: make room and go on. Returns whether it is done.
    """
    hulls, world = scene.hulls, scratch.world
    while numbers[STAGE] < Stage.SOLVE:
        update_shapes(scene, bodies, world, numbers[EVERYTHING], scratch.detection.matrix)
        numbers[EVERYTHING] = 0
        axis = np.int64(widest_axis(world.lower, scene.meshes.first_shape))
        order = scratch.order[axis]
        sort_along(world.lower, axis, order)
        found = find_pairs(scene, bodies, world, axis, order, scratch.activity, pairs.shape_a, pairs.shape_b)
        numbers[PAIRS] = found
        most = found + most_late(found)
        if most > numbers[CAPACITY] or numbers[ENTRIES] + most > len(cache.shape_a):
            return False
        scratch.searched.found[0] = found
        sort_pairs(pairs.shape_a, pairs.shape_b, found, scratch.start, pairs.entry, pairs.ordered)
        entries = match_cache(pairs, found, hulls, bodies, cache, numbers[ENTRIES], pairing)
        numbers[ENTRIES] = entries
        sleepers = sleeping_pairs_first(pairs, found, hulls, bodies, cache)
        span = Span(np.int64(0), scene.settings.interval, np.int64(0))
        which = pairs.ordered[:sleepers]
        woke = call_apart(
            apart.find_contacts,
            find_contacts,
            (scene, bodies, cache, pairs, which, span, world, points, scratch.detection),
        )
        if woke and numbers[STAGE] == Stage.DETECT:  # sleepers that woke take part in this very interval
            numbers[STAGE] = Stage.DETECT_AGAIN
            continue
        update_inverse_masses(bodies.assemblies, bodies.inv_mass, bodies.inv_inertia)
        bodies.displacement[:, :] = 0.0
        bodies.rotation[:, :] = 0.0
        solver.counts[CONTACTS] = solver.counts[SPECULATIVE] = 0
        first = sleepers
        for x in range(0, found, BLOCK):
            which, last = pairs.entry[x : min(x + BLOCK, found)], first
            for k in which:
                if last < found and pairs.ordered[last] == k:
                    last += 1
            anew = pairs.ordered[first:last]
            call_apart(
                apart.find_contacts,
                find_contacts,
                (scene, bodies, cache, pairs, anew, span, world, points, scratch.detection),
            )
            first = last
            call_apart(
                apart.build_constraints,
                build_constraints,
                (scene, bodies, cache, which, points, solver, -1, scratch.arms),
            )
        numbers[STAGE] = Stage.SOLVE
    return True


@kernel(inline=True)
def _begin(scene: Scene, bodies: Bodies, tied: Joints, scratch: IntervalScratch, numbers: Index) -> None:
    """Before the first substep: what takes part in them."""
    world, rigid = scratch.world, scratch.rigid
    gather_joints(tied, bodies)
    numbers[AWAKE] = _find_awake(bodies.assemblies, rigid.awake)
    world.placed_at[:] = 0
    rigid.inertia_at[:] = 0
    scratch.searched.met[:] = 0
    begin_search(scene, bodies, world, rigid.awake[: numbers[AWAKE]], scratch.searched)


@kernel(inline=True)
def _detect_again(
    scene: Scene,
    bodies: Bodies,
    cache: ContactCache,
    pairs: Pairs,
    points: ContactPoints,
    solver: ConstraintSet,
    scratch: IntervalScratch,
    apart: Apart,
    at: Left,
    stops: int,
    numbers: Index,
) -> int:
    """Detect stale contacts anew where substeps stopped, and what is met by what leaves where it was expected; returns
    1 where there are new contacts.

    stops : int, as Span
    """
    settings, world, stale, rigid = scene.settings, scratch.world, solver.stale, scratch.rigid
    number = np.int64(at.step if at.step > 0 else settings.substeps)  # 0 is that at the start of the interval
    span = Span(number, settings.interval * (1.0 - at.step / settings.substeps), np.int64(stops))
    had, known, matrix = solver.counts[CONTACTS], numbers[PAIRS], scratch.detection.matrix
    if at.escaped:
        numbers[PAIRS] = add_late_pairs(
            scene,
            bodies,
            world,
            at.escaped,
            number,
            span.time,
            scratch.activity,
            cache,
            numbers[ENTRIES],
            pairs,
            known,
            scratch.searched,
            matrix,
        )
        numbers[ENTRIES] += numbers[PAIRS] - known
    for x in range(0, at.stale, BLOCK):
        last = min(x + BLOCK, at.stale)
        prepare_redetection(solver, x, last, bodies, cache, number, rigid.inertia_at, matrix)
        which = stale.entry[x:last]
        call_apart(
            apart.find_contacts,
            find_contacts,
            (scene, bodies, cache, pairs, which, span, world, points, scratch.detection),
        )
        call_apart(
            apart.build_constraints, build_constraints, (scene, bodies, cache, which, points, solver, x, scratch.arms)
        )
    if numbers[PAIRS] > known:
        late = pairs.entry[known : numbers[PAIRS]]
        turn_inertias(scene, late, bodies, cache, number, rigid.inertia_at, matrix)
        call_apart(
            apart.find_contacts,
            find_contacts,
            (scene, bodies, cache, pairs, late, span, world, points, scratch.detection),
        )
        call_apart(
            apart.build_constraints, build_constraints, (scene, bodies, cache, late, points, solver, -1, scratch.arms)
        )
        for k in late:
            pairs.known[k] = KNOWN
    return np.int64(solver.counts[CONTACTS] > had)  # type: ignore[return-value]


@kernel(apart=True)
def run_interval(
    scene: Scene,
    bodies: Bodies,
    cache: ContactCache,
    pairing: Pairing,
    pairs: Pairs,
    points: ContactPoints,
    solver: ConstraintSet,
    tied: Joints,
    scratch: IntervalScratch,
    apart: Apart,
    numbers: Index,
) -> None:
    """From one stage of an interval until another (SOLVE, DONE).

    cache   : of which the first numbers[ENTRIES] entries are in use; pairing, pairs and points have room for as many
    numbers : (7,) int64, in and out, places as STAGE and following; where the stage is still DETECT or DETECT_AGAIN
              afterwards, there was no room for numbers[PAIRS] pairs and those to come: make room and go on
    """
    if not _detect(scene, bodies, cache, pairing, pairs, points, solver, scratch, apart, numbers):
        return
    if numbers[UNTIL] == Stage.SOLVE:
        tied.active[0] = 0
        return
    settings, rigid, searched = scene.settings, scratch.rigid, scratch.searched
    _begin(scene, bodies, tied, scratch, numbers)
    awake = rigid.awake[: numbers[AWAKE]]
    at, regroup, end = Left(np.int64(0), np.int64(0), np.int64(0), np.int64(0)), 1, settings.substeps
    while True:
        at = call_apart(
            apart.run_substeps,
            run_substeps,
            (settings, bodies, solver, tied, awake, searched, at.step, end, at.midway, at.stale, regroup, rigid),
        )
        if at.stale == 0 and at.escaped == 0:
            break
        regroup = _detect_again(scene, bodies, cache, pairs, points, solver, scratch, apart, at, 0, numbers)
    numbers[STAGE] = Stage.DONE
