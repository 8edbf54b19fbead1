"""Sleep: islands that have been slow for half a second cost nothing until something wakes them."""

from __future__ import annotations

import numba
import numpy as np

from ..model import Settings
from ..state import Assemblies
from .manifolds import Rows

CALM_SHARE = 0.03
"""An assembly is calm below this share of sqrt(g * size) [m/s]."""
STILL_FOR = 0.5
"""Seconds of calm after which an island sleeps."""
CREEP_SHARE = 0.06
"""Sliding slower than this share of the calm speed is trembling, not sliding."""
EASE = 6.0
"""Damping of calm assemblies [1/s], so that the last tremble dies away."""


@numba.njit(cache=True, error_model="numpy")
def _root(parent, i):
    while parent[i] != i:
        parent[i] = parent[parent[i]]
        i = parent[i]
    return i


@numba.njit(cache=True, error_model="numpy")
def _sliding(asm: Assemblies, rows: Rows, n_rows, g):
    """Which assemblies slide (A,) uint8: a contact's friction is used up and it creeps on. They are neither eased nor put to sleep,
    so that a block on a slope a little too steep gets going."""
    out = np.zeros(len(asm.alive), np.uint8)
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
                v += rows.tangent[r, d, c] * (asm.vel[a, c] - asm.vel[b, c]) + rows.tjac[r, d, c] * asm.spin[a, c] - rows.tjac[r, d, 3 + c] * asm.spin[b, c]
            creep += v * v
        size = max(asm.radius[a], asm.radius[b])
        if creep > (CREEP_SHARE * CALM_SHARE) ** 2 * max(g, 1.0) * size * 2.0:
            out[a] = 1
            out[b] = 1
    return out


@numba.njit(cache=True, error_model="numpy")
def settle(asm: Assemblies, live, rows: Rows, n_rows, settings: Settings):
    """Ease what is calm, count its stillness, and put whole islands to sleep. Returns how many fell asleep.

    Speed is smoothed over a few intervals, and a body up to twice too fast counts its stillness slowly
    down instead of starting over, so that one trembling piece does not keep a heap awake.
    """
    g = np.sqrt(settings.gravity[0] ** 2 + settings.gravity[1] ** 2 + settings.gravity[2] ** 2)
    parent = np.arange(len(asm.alive))
    dt = settings.interval
    sliding = _sliding(asm, rows, n_rows, g)
    for k in range(len(live)):
        a = live[k]
        v = np.sqrt(asm.vel[a, 0] ** 2 + asm.vel[a, 1] ** 2 + asm.vel[a, 2] ** 2)
        w = np.sqrt(asm.spin[a, 0] ** 2 + asm.spin[a, 1] ** 2 + asm.spin[a, 2] ** 2)
        speed = v + w * asm.radius[a]
        asm.calm[a] = min(speed, 100.0) if asm.calm[a] > 500.0 else asm.calm[a] + 0.25 * (min(speed, 100.0) - asm.calm[a])
        limit = CALM_SHARE * np.sqrt(max(g, 1.0) * asm.radius[a] * 2.0)
        if asm.calm[a] < limit and not sliding[a]:
            asm.still[a] += dt
            ease = max(0.0, 1.0 - EASE * dt)
            for c in range(3):
                asm.vel[a, c] *= ease
                asm.spin[a, c] *= ease
        elif asm.calm[a] < 2.0 * limit:
            asm.still[a] = max(0.0, asm.still[a] - 0.5 * dt)
        else:
            asm.still[a] = 0.0
    ground = len(asm.alive) - 1
    supported = np.zeros(len(asm.alive), np.uint8)
    for r in range(n_rows):
        a, b = rows.a[r], rows.b[r]
        load = 0.0
        for i in range(rows.count[r]):
            load += rows.push[r, i]
        if load <= 0.0:
            continue
        supported[a] = 1
        supported[b] = 1
        if b == ground or asm.held[a] or asm.held[b] or asm.asleep[a] or asm.asleep[b]:
            continue
        i, j = _root(parent, a), _root(parent, b)
        if i != j:
            parent[max(i, j)] = min(i, j)
    least = np.full(len(asm.alive), np.inf)
    for k in range(len(live)):
        a = live[k]
        i = _root(parent, a)
        still = asm.still[a] if supported[a] or g == 0.0 else 0.0
        least[i] = min(least[i], still)
    slept = 0
    for k in range(len(live)):
        a = live[k]
        i = _root(parent, a)
        if least[i] >= STILL_FOR:
            asm.asleep[a] = 1
            asm.island[a] = i
            asm.vel[a] = 0.0
            asm.spin[a] = 0.0
            slept += 1
    return slept
