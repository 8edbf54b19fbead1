"""What deformable bodies met in an interval that had not been looked for.

Shapes near points are found once an interval, for the ways that both could go by then. Where an impact sends a body
elsewhere, or throws the vertices of a sheet, they may meet what was too far away; and what is thrown in the middle of a
step of several substeps is not met by that step at all. Both show at the end of the interval, by the ways that things
went: then it is taken back, and solved again with a look as far as that, and with a step in every substep.
"""

from __future__ import annotations

import numpy as np

from ...arrays import Array, Flags
from ...kernels import kernel
from ..model import Hold, Hulls, PieceTable
from ..rigid.groups import Bodies
from .contacts import carried, place_point
from .looked import ASTRAY, CROSSED, PAIRS_MISSED, THROWN, Looked
from .parts import Deformables
from .tables import Held, PointTable

MOST_TURN = 0.3
"""Where what is near turns by more than this [rad] in a step of several substeps, a step lasts one: in it contacts go
straight on.
"""
STRAYS = 0.1
"""And where others send what touches elsewhere than a step took it, by more than this share of its width."""
FURTHER = 1.25
"""A look again goes further than things went by this factor: solved again, they may go a little further."""


@kernel(inner=True)
def _spare(looked: Looked, points: PointTable, x: Array, i: int, seen: int) -> float:
    """How much further a point at x (C, 3) could have gone without meeting what was not looked for [m]."""
    if not seen:
        return 0.0  # it sleeps, and nothing moved when others were looked at
    u, v, w = x[i, 0] - looked.start[i, 0], x[i, 1] - looked.start[i, 1], x[i, 2] - looked.start[i, 2]
    return looked.margin[i] - points.radius[i] - points.reach[i] - np.sqrt(u * u + v * v + w * w)


@kernel(inner=True)
def _measure_body(looked: Looked, points: PointTable, position: Array, x: Array, b: int) -> None:
    """Of a body, the least that a point of it has to spare, and the box of all their ways with their thickness."""
    box, seen = looked.box[b], np.int64(looked.seen[b])
    box[0, :], box[1, :], looked.spare[b] = np.inf, -np.inf, np.inf
    for i in range(points.first[b], points.first[b + 1]):
        place_point(points, np.int64(i), position, x)
        looked.spare[b] = min(looked.spare[b], _spare(looked, points, x, np.int64(i), seen))
        thick = points.radius[i] + points.reach[i]
        for c in range(3):
            began = looked.start[i, c] if seen else x[i, c]
            box[0, c] = min(box[0, c], min(began, x[i, c]) - thick)
            box[1, c] = max(box[1, c], max(began, x[i, c]) + thick)


@kernel(inner=True)
def _was_near(looked: Looked, bound: float, i: int, s: int) -> bool:
    """Whether point i and shape s were found near each other."""
    far = 0.0
    for c in range(3):
        far += (looked.start[i, c] - looked.center[s, c]) ** 2
    return far <= (bound + looked.far[s] + looked.margin[i]) ** 2


@kernel(inner=True)
def _met(looked: Looked, points: PointTable, bound: float, x: Array, i: int, s: int, seen: int) -> bool:
    """Whether the way of point i, now at x (C, 3), leads through the ball round shape s, now at looked.to."""
    apart, along, length2 = 0.0, 0.0, 0.0
    for c in range(3):
        began = looked.start[i, c] if seen else x[i, c]
        o = began - looked.center[s, c]
        d = x[i, c] - looked.to[c] - o
        apart += o * o
        along -= o * d
        length2 += d * d
    t = min(max(along / max(length2, 1e-300), 0.0), 1.0)
    return apart - t * (2.0 * along - t * length2) <= (bound + points.radius[i] + points.reach[i]) ** 2


@kernel(inner=True)
def find_missed(d: Deformables, hulls: Hulls, pieces: PieceTable, bodies: Bodies, thrown: Flags, span: float) -> None:
    """At the end of an interval of ``span`` [s]: into d.looked.missed, and how far to look for it.

    thrown : (A,) uint8, assemblies that left what was searched for them
    """
    looked, points, asm, every = d.looked, d.elements.points, bodies.assemblies, d.elements.bodies.every
    looked.missed[PAIRS_MISSED] = looked.missed[THROWN] = 0
    for b in range(len(looked.seen)):
        _measure_body(looked, points, d.vertices.position, d.scratch.point, np.int64(b))
    for s in range(len(hulls.piece)):
        p = hulls.piece[s]
        if pieces.hold[p] == Hold.REMOVED:
            continue
        a, went = bodies.piece_assembly[p], 0.0
        looked.to[0], looked.to[1], looked.to[2] = carried(asm, a, pieces.rest_center[p])
        for c in range(3):
            went += (looked.to[c] - looked.center[s, c]) ** 2
        went = np.sqrt(went)
        more = went - looked.far[s]
        for b in range(len(looked.seen)):
            breaks_in = more > 0.0 and every[b] > 1 and thrown[a] != 0
            if (breaks_in or more > looked.spare[b]) and d.elements.collides[b, pieces.body[p]]:
                missed = _look_at(d, hulls.bound[s], np.int64(b), np.int64(s), pieces.body[p], more, breaks_in)
                if missed and more > 0.0:
                    looked.faster[a] = max(looked.faster[a], FURTHER * went / span)
    _find_crossed(d)


@kernel(inner=True)
def _find_crossed(d: Deformables) -> None:
    """Bodies whose steps last differently long, and which so were not looked for beside each other, but whose ways lead
    through the same place: add them to d.looked.missed.
    """
    looked, every, meets = d.looked, d.elements.bodies.every, d.elements.meets
    for b in range(len(looked.seen)):
        for o in range(b):
            if not (looked.seen[b] and looked.seen[o] and meets[b, o]) or every[b] == every[o]:
                continue
            one, other, apart = looked.box[b], looked.box[o], False
            for c in range(3):
                apart = apart or one[0, c] > other[1, c] or other[0, c] > one[1, c]
            looked.missed[CROSSED] += not apart


@kernel(inner=True)
def _look_at(d: Deformables, bound: float, b: int, s: int, of: int, more: float, breaks_in: bool) -> bool:
    """Whether the points of a body missed shape s of rigid body ``of``, which went ``more`` [m] further than expected.

    breaks_in : whether it is missed, too, where it was near
    """
    looked, points, x = d.looked, d.elements.points, d.scratch.point
    seen, box, missed = np.int64(looked.seen[b]), looked.box[b], False
    for c in range(3):
        one, other = looked.center[s, c], looked.to[c]
        if min(one, other) - bound > box[1, c] or max(one, other) + bound < box[0, c]:
            return False
    for i in range(points.first[b], points.first[b + 1]):
        spare = _spare(looked, points, x, np.int64(i), seen)
        if points.held[i] == Held.FOLLOWS or points.between[i] or points.tied[i] == of:
            continue
        if more <= spare and not breaks_in:
            continue
        near = seen and _was_near(looked, bound, np.int64(i), s)
        if (near and not breaks_in) or not _met(looked, points, bound, x, np.int64(i), s, seen):
            continue
        missed = True
        looked.missed[PAIRS_MISSED] += 1
        if breaks_in:
            looked.missed[THROWN] += 1
            looked.thrown_at[b] = 1
        if seen and more > spare:
            looked.wider[b] = max(looked.wider[b], -FURTHER * spare)
    return missed


@kernel(inner=True)
def find_astray(d: Deformables, bodies: Bodies, h: float) -> None:
    """At the end of a step of h [s]: add to d.looked.missed how many assemblies beside deformable bodies turn far in
    such a step, or went elsewhere than it took them.
    """
    asm, beside, expected = bodies.assemblies, d.scratch.beside, d.scratch.expected
    w = asm.angular_velocity
    for a in range(len(beside)):
        if not beside[a] or bodies.inv_mass[a] == 0.0:
            continue
        strays = 0.0
        for c in range(3):
            strays += (asm.position[a, c] - expected[a, c]) ** 2
        turns = (w[a, 0] ** 2 + w[a, 1] ** 2 + w[a, 2] ** 2) * h * h
        far = STRAYS * expected[a, 3]
        if turns > MOST_TURN * MOST_TURN or (far > 0.0 and strays > far * far):
            d.looked.missed[ASTRAY] += 1
            d.looked.astray[a] = 1
