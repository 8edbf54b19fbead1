"""The substeps of an interval, over all kinds of matter.

Each kind gives device functions that begin, iterate and end a substep; here is their order, and nothing of what they
do. Source: Macklin et al. 2019, "Small steps in physics simulation" (doi 10.1145/3309486.3340247).
"""

from __future__ import annotations

import numpy as np

from ..arrays import Index
from ..kernels import kernel
from .model import Settings
from .rigid.constraints import ConstraintSet
from .rigid.groups import Bodies
from .rigid.joints import Joints
from .rigid.redetection import find_stale
from .rigid.substep import RigidScratch, begin_interval, begin_substep, end_substep, solve_velocities


@kernel(apart=True)
def run_substeps(
    settings: Settings,
    bodies: Bodies,
    solver: ConstraintSet,
    tied: Joints,
    awake: Index,
    first: int,
    last: int,
    stale: int,
    regroup: int,
    scratch: RigidScratch,
) -> tuple[int, int]:
    """Substeps ``first`` to ``last``, until contacts want to be detected anew.

    awake   : (n,) int64, slots of assemblies that are awake
    stale   : int, how many stale contacts were detected anew before
    regroup : int, 1 where there are new contacts
    Returns : the substep to go on with, and how many contacts in solver.stale want to be detected anew
    """
    h = settings.interval / settings.substeps
    begin_interval(settings, bodies, solver, tied, awake, first, stale, regroup, scratch)
    for step in range(first, last):
        begin_substep(settings, bodies, solver, tied, awake, step, h, scratch)
        solve_velocities(settings, bodies, solver, tied, step, h, scratch)
        end_substep(settings, bodies, solver, tied, awake, h, scratch)
        if step + 1 < settings.substeps:
            found = find_stale(solver, bodies, h)
            if found:
                return step + 1, found
    return np.int64(last), 0  # type: ignore[return-value]
