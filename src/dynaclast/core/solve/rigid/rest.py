"""Sleep: what has been slow for half a second costs nothing until something wakes it."""

from __future__ import annotations

import numpy as np

from ...kernels import kernel
from ..model import Settings
from ..state import Assemblies
from .assemblies import join, root
from .manifolds import Rows
from .ties import TieRows

CALM_SHARE = 0.03
"""An assembly is calm below this share of sqrt(g * size) [m/s]."""
STILL_FOR = 0.5
"""Seconds of calm after which an island sleeps."""
CREEP_SHARE = 0.06
"""Sliding slower than this share of the calm speed is trembling, not sliding."""
DWELL_SHARE = 0.03
"""A body that in DWELL_FOR seconds moves less than this share of its radius, and turns less than twice as many radians,
trembles in place.
"""
DWELL_FOR = 0.75
SLIPS_AFTER = 0.06
"""Seconds of sliding without a break after which it is believed, and neither eased nor put to sleep."""
EASE = 6.0
"""Damping of calm assemblies [1/s], so that the last tremble dies away."""


@kernel(inner=True)
def _sliding(asm: Assemblies, rows: Rows, n_rows, g, out):
    """Which assemblies slide, into out (A,) uint8 of zeros: a contact's friction is used up and it creeps on. They are
    neither eased nor put to sleep, so that a block on a slope a little too steep gets going.
    """
    for r in range(n_rows):
        load = 0.0
        for i in range(rows.count[r]):
            load += rows.push[r, i]
        rub = np.sqrt(rows.rub[r, 0] ** 2 + rows.rub[r, 1] ** 2)
        if load <= 0.0 or rub < 0.999 * rows.friction[r] * load:
            continue
        a, b = rows.a[r], rows.b[r]
        creep = 0.0
        for d in range(2):
            v = 0.0
            for c in range(3):
                v += (
                    rows.tangent[r, d, c] * (asm.vel[a, c] - asm.vel[b, c])
                    + rows.tjac[r, d, c] * asm.spin[a, c]
                    - rows.tjac[r, d, 3 + c] * asm.spin[b, c]
                )
            creep += v * v
        size = max(asm.radius[a], asm.radius[b])
        if creep > (CREEP_SHARE * CALM_SHARE) ** 2 * max(g, 1.0) * size * 2.0:
            out[a] = 1
            out[b] = 1


@kernel(inner=True)
def _dwell(asm: Assemblies, a, dt, slides):
    """Count how long the body has hardly left its place, however it trembles there."""
    d2, dot = 0.0, 0.0
    for c in range(3):
        d2 += (asm.pos[a, c] - asm.mark[a, c]) ** 2
    for c in range(4):
        dot += asm.rot[a, c] * asm.mark_rot[a, c]
    # half the angle between the two turns has cosine |dot|
    if (
        asm.dwell[a] > 0.0
        and not slides
        and d2 < (DWELL_SHARE * asm.radius[a]) ** 2
        and abs(dot) > 1.0 - 0.5 * DWELL_SHARE**2
    ):
        asm.dwell[a] += dt
        return
    asm.dwell[a] = 1e-9
    for c in range(3):
        asm.mark[a, c] = asm.pos[a, c]
    for c in range(4):
        asm.mark_rot[a, c] = asm.rot[a, c]


@kernel
def settle(asm: Assemblies, live, rows: Rows, n_rows, settings: Settings, ties: TieRows, n_ties, parent, marks):
    """Ease what is calm, count its stillness, and put to sleep what has been still long enough. Returns how many fell
    asleep.

    Speed is smoothed over a few intervals, and a body up to twice too fast counts its stillness slowly down instead of
    starting over. A trembling piece keeps only what presses on it awake, not the heap. What falls asleep together and
    touches is one island, which a hit wakes together.

    parent (A,) int32, marks (6, A) uint8: scratch
    """
    g = np.sqrt(settings.gravity[0] ** 2 + settings.gravity[1] ** 2 + settings.gravity[2] ** 2)
    sliding, supported, rides, hung, restless, stays = marks[0], marks[1], marks[2], marks[3], marks[4], marks[5]
    dt = settings.interval
    for a in range(len(asm.alive)):
        asm.age[a] = min(1.0, asm.age[a] + dt)
        parent[a] = a
        for k in range(6):
            marks[k, a] = 0
    _sliding(asm, rows, n_rows, g, sliding)
    for r in range(n_rows):
        for i in range(rows.count[r]):
            if rows.push[r, i] > 0.0:
                supported[rows.a[r]] = 1
                supported[rows.b[r]] = 1
    for r in range(n_rows):
        if asm.held[rows.a[r]] == 2 or asm.held[rows.b[r]] == 2:  # carried or pushed by what an animation moves
            for i in range(rows.count[r]):
                if rows.push[r, i] > 0.0:
                    rides[rows.a[r]] = 1
                    rides[rows.b[r]] = 1
    for r in range(n_ties):
        a, b = ties.a[r], ties.b[r]
        hung[a] = 1
        hung[b] = 1
        if asm.held[a] == 2 or asm.held[b] == 2:
            rides[a] = 1
            rides[b] = 1
    for k in range(len(live)):
        a = live[k]
        v = np.sqrt(asm.vel[a, 0] ** 2 + asm.vel[a, 1] ** 2 + asm.vel[a, 2] ** 2)
        w = np.sqrt(asm.spin[a, 0] ** 2 + asm.spin[a, 1] ** 2 + asm.spin[a, 2] ** 2)
        speed = v + w * asm.radius[a]
        asm.calm[a] = (
            min(speed, 100.0) if asm.calm[a] > 500.0 else asm.calm[a] + 0.25 * (min(speed, 100.0) - asm.calm[a])
        )
        limit = CALM_SHARE * np.sqrt(max(g, 1.0) * asm.radius[a] * 2.0)
        asm.slip[a] = asm.slip[a] + dt if sliding[a] else 0.0
        slides = asm.slip[a] >= SLIPS_AFTER
        _dwell(asm, a, dt, slides)
        if asm.calm[a] < limit and not slides:
            asm.still[a] += dt
            ease = 1.0 if sliding[a] or rides[a] or hung[a] or not supported[a] else max(0.0, 1.0 - EASE * dt)
            for c in range(3):
                asm.vel[a, c] *= ease
                asm.spin[a, c] *= ease
        elif asm.calm[a] < 2.0 * limit:
            asm.still[a] = max(0.0, asm.still[a] - 0.5 * dt)
        else:
            asm.still[a] = 0.0
    ground = len(asm.alive) - 1
    for k in range(len(live)):
        if asm.still[live[k]] < STILL_FOR and asm.dwell[live[k]] < DWELL_FOR:
            restless[live[k]] = 1
            stays[live[k]] = 1
    for r in range(n_ties):  # what hangs together sleeps together
        a, b = ties.a[r], ties.b[r]
        if asm.held[a] or asm.held[b] or a == ground or b == ground:
            continue
        if restless[a]:
            stays[b] = 1
        if restless[b]:
            stays[a] = 1
    for r in range(n_rows):
        a, b = rows.a[r], rows.b[r]
        load = 0.0
        for i in range(rows.count[r]):
            load += rows.push[r, i]
        if load <= 0.0:
            continue
        if b == ground or asm.held[a] or asm.held[b] or asm.asleep[a] or asm.asleep[b]:
            continue
        # what presses on something restless stays awake with it, but not what presses on that in turn
        if restless[a] and not _quiet(asm, a, g):
            stays[b] = 1
        if restless[b] and not _quiet(asm, b, g):
            stays[a] = 1
    for k in range(len(live)):
        a = live[k]
        if rides[a] or not (supported[a] or hung[a]):
            stays[a] = 1
    for r in range(n_rows):
        a, b = rows.a[r], rows.b[r]
        if b == ground or stays[a] or stays[b] or asm.held[a] or asm.held[b] or asm.asleep[a] or asm.asleep[b]:
            continue
        join(parent, np.int64(a), np.int64(b))
    for r in range(n_ties):
        a, b = ties.a[r], ties.b[r]
        if (
            a == ground
            or b == ground
            or stays[a]
            or stays[b]
            or asm.held[a]
            or asm.held[b]
            or asm.asleep[a]
            or asm.asleep[b]
        ):
            continue
        join(parent, np.int64(a), np.int64(b))
    slept = 0
    for k in range(len(live)):
        a = live[k]
        if not stays[a]:
            asm.asleep[a] = 1
            asm.island[a] = root(parent, np.int64(a))
            for c in range(3):
                asm.vel[a, c] = 0.0
                asm.spin[a, c] = 0.0
            slept += 1
    return slept


@kernel(inner=True)
def _quiet(asm: Assemblies, a, g):
    """Below the calm speed now, though not yet for long."""
    return asm.calm[a] < CALM_SHARE * np.sqrt(max(g, 1.0) * asm.radius[a] * 2.0)
