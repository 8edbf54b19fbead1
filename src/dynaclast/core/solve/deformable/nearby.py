"""What deformable bodies may meet in an interval: shapes near their points, and one another.

It is looked for once an interval, for the way that each could come by then. One kernel: what it goes through is little
where little moves, and Python between its parts would take longer than they do.
"""

from __future__ import annotations

import numpy as np

from ...arrays import Array, Index
from ...kernels import kernel
from ...kernels.simd import clear
from ..model import Hold, Hulls, PieceTable, Settings
from ..rigid.groups import Bodies
from ..state import NOTHING
from .contacts import carried, place_points
from .looked import Looked
from .meetings import Ahead, find_meetings
from .parts import FULL, Deformables
from .pushes import Before
from .strays import FASTER, expect
from .tables import Held

BUNCH = 32
"""Vertices that are looked at together when near hulls are looked for."""


@kernel(apart=True)
def find_nearby(
    parts: Deformables,
    before: Before,
    mass: Array,
    hulls: Hulls,
    pieces: PieceTable,
    bodies: Bodies,
    settings: Settings,
    awake: Index,
    begins: int,
) -> None:
    """Points of deformable bodies near shapes, into parts.near, and near one another, into parts.meeting. Where there
    are more than there is room for, as many are counted: make room, and look again.

    before : kept, as an interval begins
    mass   : (N,) float64, [kg], of each vertex by itself
    awake  : (n,) int64, deformable bodies that are looked at
    begins : int, 1 at the start of an interval, of which nothing is known yet; 0: shapes alone are looked for
    """
    e, scratch = parts.elements, parts.scratch
    if begins:
        _begin(parts, mass, bodies, before)
    place_points(e.points, awake, parts.vertices.position, 1, scratch.point)
    place_points(e.points, awake, parts.vertices.velocity, 1, scratch.point_way)
    _expect_shapes(parts.looked, hulls, pieces, bodies, settings.interval)
    _find_shapes(parts, hulls, pieces, bodies, settings, awake)
    if begins:
        span = settings.interval
        ahead = Ahead(span, span / settings.substeps, span, FASTER)
        find_meetings(e, scratch.point, scratch.point_way, awake, ahead, parts.meeting)
        expect(parts, awake, settings.interval)


@kernel(inner=True)
def _begin(parts: Deformables, mass: Array, bodies: Bodies, before: Before) -> None:
    """Nothing is touched yet in the interval, nothing pulls; and how fast everything is before it."""
    scratch, touches, first = parts.scratch, parts.scratch.touches, parts.elements.bodies.first
    for k in range(parts.slots.used[0]):
        parts.slots.place[parts.slots.slot[k]] = -1
    parts.slots.used[0] = 0
    clear(scratch.expected, 0, len(scratch.expected))
    scratch.pressed[:] = 0.0
    scratch.pull[:] = 0.0
    scratch.numbers[FULL] = 0
    parts.meeting.most[:] = 0
    touches.body[:] = 0
    touches.piece[:] = 0
    touches.at[:] = 0
    touches.push[:, :] = 0.0
    touches.pull[:, :] = 0.0
    touches.on[:] = NOTHING
    touches.most[:] = 0.0
    velocity = parts.vertices.velocity
    for b in range(len(first) - 1):
        whole, x, y, z = 0.0, 0.0, 0.0, 0.0
        for i in range(first[b], first[b + 1]):
            whole += mass[i]
            x += mass[i] * velocity[i, 0]
            y += mass[i] * velocity[i, 1]
            z += mass[i] * velocity[i, 2]
        before.body[b, 0], before.body[b, 1], before.body[b, 2] = x / whole, y / whole, z / whole
    for a in range(len(before.linear)):
        for c in range(3):
            before.linear[a, c] = bodies.assemblies.velocity[a, c]
            before.angular[a, c] = bodies.assemblies.angular_velocity[a, c]


@kernel(inner=True)
def _reach(parts: Deformables, settings: Settings, b: int) -> float:
    """How fast a body may gain speed [m/s2]."""
    most, first, acceleration = 0.0, parts.elements.bodies.first, parts.scratch.acceleration
    for i in range(first[b], first[b + 1]):
        for c in range(3):
            most = max(most, abs(acceleration[i, c]))
    g = settings.gravity
    return FASTER + np.sqrt(g[0] * g[0] + g[1] * g[1] + g[2] * g[2]) + most


@kernel(inner=True)
def _expect_shapes(looked: Looked, hulls: Hulls, pieces: PieceTable, bodies: Bodies, span: float) -> None:
    """Where shapes are, and how far they could go in a time [s]."""
    asm = bodies.assemblies
    for s in range(len(hulls.piece)):
        p = hulls.piece[s]
        a = bodies.piece_assembly[p]
        w, o = asm.angular_velocity[a], looked.center[s]
        o[0], o[1], o[2] = carried(asm, a, pieces.rest_center[p])
        speed = np.sqrt(asm.velocity[a, 0] ** 2 + asm.velocity[a, 1] ** 2 + asm.velocity[a, 2] ** 2)
        speed += np.sqrt(w[0] * w[0] + w[1] * w[1] + w[2] * w[2]) * asm.radius[a]
        looked.far[s] = span * max(speed, looked.faster[a])


@kernel(inner=True)
def _find_shapes(
    parts: Deformables, hulls: Hulls, pieces: PieceTable, bodies: Bodies, settings: Settings, awake: Index
) -> None:
    """Points that may meet a shape."""
    points, collides, out, span = parts.elements.points, parts.elements.collides, parts.near, settings.interval
    at, going, looked = parts.scratch.point, parts.scratch.point_way, parts.looked
    count = 0
    for b in awake:
        reach = _reach(parts, settings, np.int64(b))
        looked.seen[b] = 1
        for start in range(points.first[b], points.first[b + 1], BUNCH):
            last = min(start + BUNCH, points.first[b + 1])
            lx, ly, lz, hx, hy, hz = np.inf, np.inf, np.inf, -np.inf, -np.inf, -np.inf
            fast, thick = 0.0, 0.0
            for i in range(start, last):
                lx, hx = min(lx, at[i, 0]), max(hx, at[i, 0])
                ly, hy = min(ly, at[i, 1]), max(hy, at[i, 1])
                lz, hz = min(lz, at[i, 2]), max(hz, at[i, 2])
                fast = max(fast, going[i, 0] * going[i, 0] + going[i, 1] * going[i, 1] + going[i, 2] * going[i, 2])
                thick = max(thick, points.radius[i] + points.reach[i])
            margin = thick + span * (np.sqrt(fast) + reach * span) + looked.wider[b]
            for i in range(start, last):
                looked.margin[i] = margin
                looked.start[i, 0], looked.start[i, 1], looked.start[i, 2] = at[i, 0], at[i, 1], at[i, 2]
            for s in range(len(hulls.piece)):
                p = hulls.piece[s]
                if not collides[b, pieces.body[p]] or pieces.hold[p] == Hold.REMOVED:
                    continue
                cx, cy, cz = looked.center[s, 0], looked.center[s, 1], looked.center[s, 2]
                far = hulls.bound[s] + looked.far[s] + margin
                if cx + far < lx or cx - far > hx or cy + far < ly or cy - far > hy or cz + far < lz or cz - far > hz:
                    continue
                for i in range(start, last):
                    dx, dy, dz = at[i, 0] - cx, at[i, 1] - cy, at[i, 2] - cz
                    if (
                        dx * dx + dy * dy + dz * dz <= far * far
                        and points.held[i] != Held.FOLLOWS
                        and not points.between[i]
                        and points.tied[i] != pieces.body[p]
                    ):
                        if count < len(out.point):
                            out.point[count], out.shape[count] = i, s
                        count += 1
    out.found[0] = count
