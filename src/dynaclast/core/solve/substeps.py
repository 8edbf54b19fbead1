"""The substeps of an interval, over all kinds of matter.

Each kind gives device functions that begin, iterate and end a substep; here is their order, and nothing of what they
do. Source: Macklin et al. 2019, "Small steps in physics simulation" (doi 10.1145/3309486.3340247).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..arrays import Index
from ..kernels import kernel
from .model import Settings
from .rigid.constraints import ConstraintSet
from .rigid.energy import measure_kinetic_energy
from .rigid.groups import Bodies
from .rigid.joints import Joints
from .rigid.late_pairs import Searched, find_leaving
from .rigid.redetection import find_meeting, find_stale
from .rigid.substep import RigidScratch, begin_interval, begin_substep, end_substep, solve_velocities


class Left(NamedTuple):
    """Where substeps stopped.

    step    : the substep to go on with
    midway  : 1 where that has had its forces and impulses, but nothing has moved yet
    stale   : how many contacts in solver.stale want to be detected anew
    escaped : how many assemblies in searched.left leave what was searched for them
    """

    step: int | np.int64
    midway: int | np.int64
    stale: int | np.int64
    escaped: int | np.int64


@kernel(apart=True)
def run_substeps(
    settings: Settings,
    bodies: Bodies,
    solver: ConstraintSet,
    tied: Joints,
    awake: Index,
    searched: Searched,
    first: int,
    last: int,
    midway: int,
    stale: int,
    regroup: int,
    scratch: RigidScratch,
) -> Left:
    """Substeps ``first`` to ``last``, until contacts want to be detected anew.

    awake   : (n,) int64, slots of assemblies that are awake
    midway  : int, 1 where the first has had its forces, and met something new: it is solved once more
    stale   : int, how many stale contacts were detected anew before
    regroup : int, 1 where there are new contacts
    """
    h = settings.interval / settings.substeps
    begin_interval(settings, bodies, solver, tied, awake, first, stale, regroup, scratch)
    for step in range(first, last):
        again = midway == 1 and step == first
        if not again:
            begin_substep(settings, bodies, solver, tied, awake, step, h, scratch)
        elif regroup:
            measure_kinetic_energy(bodies.assemblies, awake, scratch.islands, scratch.islands.energy_before)
        solve_velocities(settings, bodies, solver, tied, step, h, scratch)
        if not again:
            escaped = find_leaving(bodies, awake, h, settings.gravity, searched)
            meeting = find_meeting(solver, bodies, h, 0)
            if escaped or meeting:
                return Left(np.int64(step), np.int64(1), meeting, escaped)
        end_substep(settings, bodies, solver, tied, awake, h, scratch)
        if step + 1 < settings.substeps:
            found = find_stale(solver, bodies, h)
            if found:
                return Left(np.int64(step + 1), np.int64(0), found, np.int64(0))
    return Left(np.int64(last), np.int64(0), np.int64(0), np.int64(0))
