"""How long deformable bodies have stayed in their place, and what they bear and hold, for who may sleep (rigid.sleep).

A body has stayed where none of its vertices has got farther from where it was than the least lack of balance would
take it from rest in the time after which things sleep. What touches, or may touch, falls asleep together.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Flags
from ...kernels import kernel
from ..model import Motion, Settings
from ..rigid.groups import Bodies
from ..rigid.sleep import BALANCE, LEAST_GRAVITY, SLEEP_AFTER, Links
from ..state import Assemblies, DeformableBodies
from .parts import ROWS, Deformables
from .strays import FASTER


class StillnessScratch(NamedTuple):
    """Scratch by deformable body (B).

    along : (B,) uint8, whether an assembly that moves takes vertices of it along, or draws them
    box   : (B, 2, 3) float64, [m], round it and where it gets to in an interval
    """

    along: Flags
    box: Array


def make_stillness_scratch(bodies: int) -> StillnessScratch:
    return StillnessScratch(np.zeros(bodies, np.uint8), np.zeros((bodies, 2, 3)))


@kernel(inline=True)
def moves(asm: Assemblies, a: int) -> bool:
    """Whether an assembly does."""
    return asm.motion[a] == Motion.KINEMATIC or (asm.motion[a] == Motion.DYNAMIC and asm.asleep[a] == 0)


@kernel(inner=True)
def _mark_along(parts: Deformables, bodies: Bodies, along: Flags) -> None:
    e, of = parts.elements, parts.elements.vertices.body
    along[:] = 0
    for k in range(len(e.carried.vertex)):
        if moves(bodies.assemblies, np.int64(bodies.piece_assembly[e.carried.piece[k]])):
            along[of[e.carried.vertex[k]]] = 1
    for k in range(len(e.drawn.vertex)):
        if moves(bodies.assemblies, np.int64(bodies.piece_assembly[e.drawn.piece[k]])):
            along[of[e.drawn.vertex[k]]] = 1


@kernel(inner=True)
def _count_dwelling(parts: Deformables, states: DeformableBodies, settings: Settings) -> None:
    """How long bodies that are awake have stayed in their place."""
    first, x, dwell = parts.elements.bodies.first, parts.vertices.position, parts.vertices.dwell
    g = settings.gravity
    pull = max(np.sqrt(g[0] * g[0] + g[1] * g[1] + g[2] * g[2]), LEAST_GRAVITY)
    far = BALANCE * pull * SLEEP_AFTER * SLEEP_AFTER / 2.0
    for b in parts.awake:
        stays = True
        for i in range(first[b], first[b + 1]):
            if max(abs(x[i, 0] - dwell[i, 0]), abs(x[i, 1] - dwell[i, 1]), abs(x[i, 2] - dwell[i, 2])) > far:
                stays = False
                break
        if stays:
            states.dwell_time[b] += settings.interval
            continue
        states.dwell_time[b] = 0.0
        for i in range(first[b], first[b + 1]):
            for c in range(3):
                dwell[i, c] = x[i, c]


@kernel(inner=True)
def _place_boxes(parts: Deformables, span: float, box: Array) -> None:
    """Boxes round bodies, and where they get to within a time [s]."""
    e, x, v = parts.elements, parts.vertices.position, parts.vertices.velocity
    for b in range(len(box)):
        fast, size = 0.0, 0.0
        box[b, 0, :], box[b, 1, :] = np.inf, -np.inf
        for i in range(e.bodies.first[b], e.bodies.first[b + 1]):
            fast = max(fast, v[i, 0] * v[i, 0] + v[i, 1] * v[i, 1] + v[i, 2] * v[i, 2])
            for c in range(3):
                box[b, 0, c], box[b, 1, c] = min(box[b, 0, c], x[i, c]), max(box[b, 1, c], x[i, c])
        for p in range(e.points.first[b], e.points.first[b + 1]):
            size = max(size, e.points.ball[p])
        margin = size + span * (np.sqrt(fast) + FASTER * span)
        for c in range(3):
            box[b, 0, c] -= margin
            box[b, 1, c] += margin


@kernel(inner=True)
def _are_beside(box: Array, a: int, b: int) -> bool:
    for c in range(3):
        if box[a, 0, c] > box[b, 1, c] or box[b, 0, c] > box[a, 1, c]:
            return False
    return True


@kernel(inner=True)
def _link(links: Links, slot: int, node: int, presses: bool) -> None:
    n = links.count[0]
    if n < len(links.slot):
        links.slot[n], links.node[n], links.presses[n] = slot, node, presses
    links.count[0] = n + 1


@kernel(inner=True)
def _link_neighbours(parts: Deformables, tie_broken: Flags, span: float, first: int, box: Array, links: Links) -> None:
    """Deformable bodies that may touch within a time [s], or are tied to each other, both ways.

    tie_broken : (X,) uint8
    first      : int, node of the first of them
    """
    e, bodies, of = parts.elements, len(box), parts.elements.vertices.body
    if bodies < 2:
        return
    _place_boxes(parts, span, box)
    for a in range(bodies):
        for b in range(bodies):
            if a != b and e.meets[a, b] and _are_beside(box, a, b):
                _link(links, first + a, first + b, True)
    for k in range(len(e.ties.vertex)):
        p, q = e.ties.vertex[k, 0], e.ties.vertex[k, 1]
        if tie_broken[k] == 0 and p >= 0 and q >= 0 and of[p] != of[q]:
            _link(links, first + of[p], first + of[q], True)
            _link(links, first + of[q], first + of[p], True)


@kernel(inner=True)
def _link_touched(parts: Deformables, first: int, links: Links) -> None:
    """Deformable bodies, by rows of the last step, to the assemblies that they touch or are tied to."""
    rows, of = parts.rows, parts.elements.vertices.body
    for r in range(parts.scratch.numbers[ROWS]):
        if rows.slot[r] >= 0 and rows.active[r]:
            _link(links, np.int64(rows.slot[r]), first + of[rows.vertex[r, 0]], rows.tie[r] < 0)


@kernel(apart=True)
def measure_stillness(
    parts: Deformables,
    often: Deformables,
    states: DeformableBodies,
    bodies: Bodies,
    settings: Settings,
    tie_broken: Flags,
    counts: int,
    scratch: StillnessScratch,
    links: Links,
) -> None:
    """At the end of an interval: who has been still, and what of it decides who sleeps, into links. Where there are
    more than there is room for, as many are counted: make room, and ask again.

    often      : those that take a step in every substep, where not all do
    tie_broken : (X,) uint8
    counts     : int, 1 where the interval counts, 0 where it did already
    """
    first = len(bodies.assemblies.alive)
    if counts:
        _count_dwelling(parts, states, settings)
        _count_dwelling(often, states, settings)
    _mark_along(parts, bodies, scratch.along)
    for b in range(len(links.still)):
        still = states.asleep[b] != 0 or states.dwell_time[b] > SLEEP_AFTER
        links.still[b] = still and not scratch.along[b]
    links.count[0] = 0
    _link_touched(parts, first, links)
    if len(often.awake):
        _link_touched(often, first, links)
    _link_neighbours(parts, tie_broken, settings.interval, first, scratch.box, links)


@kernel(apart=True)
def find_neighbours(
    parts: Deformables, tie_broken: Flags, span: float, scratch: StillnessScratch, links: Links
) -> None:
    """Deformable bodies that may touch within a time [s], or are tied, both ways, by their numbers, into links."""
    links.count[0] = 0
    _link_neighbours(parts, tie_broken, span, 0, scratch.box, links)
