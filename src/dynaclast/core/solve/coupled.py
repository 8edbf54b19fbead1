"""An interval of rigid and deformable bodies together.

The order is that of ``interval.run_interval``. Before the first of every few substeps, or before each (strides.py),
deformable bodies take a step with the assemblies that they touch or are tied to, where these would go by themselves;
what assemblies get of it is added to their velocities substep by substep, before their own contacts, which so have the
last word.
"""

from __future__ import annotations

import numpy as np

from ..arrays import Flags, Index
from ..kernels import kernel
from ..kernels.apart import call_apart
from .deformable.missed import find_astray, find_missed
from .deformable.parts import Deformables
from .deformable.slot_contacts import find_coming, note_beside
from .deformable.step import step_deformables
from .interval import AWAKE, STAGE, UNTIL, Apart, IntervalScratch, Stage, _begin, _detect, _detect_again
from .model import Settings
from .rigid.constraints import ConstraintSet
from .rigid.contact_cache import Pairing, Pairs
from .rigid.detection import ContactPoints
from .rigid.groups import Bodies, Scene
from .rigid.joints import Joints
from .state import ContactCache
from .substeps import Left, run_substeps


@kernel(apart=True)
def run_coupled_interval(
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
    deformables: Deformables,
    often: Deformables,
    tie_broken: Flags,
    every: int,
) -> None:
    """As ``run_interval``, with deformable bodies.

    often      : those that take a step in every substep, while the others' lasts several; nobody where all are alike
    tie_broken : (X,) uint8, of ties of vertices
    every      : int, substeps in a step of deformable bodies
    """
    if not _detect(scene, bodies, cache, pairing, pairs, points, solver, scratch, apart, numbers):
        return
    if numbers[UNTIL] == Stage.SOLVE:
        tied.active[0] = 0
        return
    settings, rigid, searched = scene.settings, scratch.rigid, scratch.searched
    _begin(scene, bodies, tied, scratch, numbers)
    awake = rigid.awake[: numbers[AWAKE]]
    at, regroup = Left(np.int64(0), np.int64(0), np.int64(0), np.int64(0)), 1
    h = settings.interval / settings.substeps
    note_beside(deformables, scene.hulls, bodies)
    if len(often.awake):
        note_beside(often, scene.hulls, bodies)
    for number in range(settings.substeps):
        begins, anew = int(number % every == 0), int(number == 0)
        for which in range(2):
            coming = 0
            if which == 0 and begins:
                coming = find_coming(deformables, bodies, solver, h * every)
            elif which == 1 and len(often.awake):
                coming = find_coming(often, bodies, solver, h)
            if coming:
                at = Left(np.int64(number), np.int64(0), np.int64(coming), np.int64(0))
                new = _detect_again(scene, bodies, cache, pairs, points, solver, scratch, apart, at, 1, numbers)
                regroup = max(regroup, new)
            if which == 0 and begins:
                call_apart(
                    apart.step_deformables,
                    step_deformables,
                    (deformables, scene.hulls, scene.pieces, bodies, solver, settings, tie_broken, h * every, anew),
                )
            elif which == 1 and len(often.awake):
                call_apart(
                    apart.step_deformables,
                    step_deformables,
                    (often, scene.hulls, scene.pieces, bodies, solver, settings, tie_broken, h, anew),
                )
        _give(deformables, bodies, settings, h, every, begins)
        if len(often.awake):
            _give(often, bodies, settings, h, 1, 1)
        end = number + 1
        while True:
            at = call_apart(
                apart.run_substeps,
                run_substeps,
                (settings, bodies, solver, tied, awake, searched, at.step, end, at.midway, at.stale, regroup, rigid),
            )
            regroup = 0
            if at.stale or at.escaped:
                regroup = _detect_again(scene, bodies, cache, pairs, points, solver, scratch, apart, at, 0, numbers)
            if at.step == end:
                break
        if every > 1 and end % every == 0:
            find_astray(deformables, bodies, h * every)
    find_missed(deformables, scene.hulls, scene.pieces, bodies, searched.thrown, settings.interval)
    numbers[STAGE] = Stage.DONE


@kernel(inner=True)
def _give(deformables: Deformables, bodies: Bodies, settings: Settings, h: float, every: int, begins: int) -> None:
    """Let assemblies go in a substep as the step of deformable bodies has them go: all they gain in it they get as it
    begins, and what gravity and fields give them in later substeps is taken back. So they get as far as well as as
    fast, and what is pressed together stays where the step put it.

    begins : int, 1 in the first substep of the step
    """
    asm, given, slots = bodies.assemblies, deformables.scratch.given, deformables.slots
    for k in range(slots.used[0]):
        a = slots.slot[k]
        for c in range(3):
            field, turn = bodies.acceleration[a, c], bodies.angular_acceleration[a, c]
            gain = asm.gravity_scale[a] * settings.gravity[c] + field
            if begins == 1:
                more, turns = every * given[a, c], every * given[a, 3 + c]
                if every > 1:
                    more += (every - 1) * gain + field  # poses go back by half of a field's (integrate_poses)
                    turns += every * turn
            else:
                more, turns = -gain - field / (every - 1), -turn - turn / (every - 1)
            asm.velocity[a, c] += h * more
            asm.angular_velocity[a, c] += h * turns
