"""One step of all deformable bodies, with what they touch and are tied to.

  (M / H^2 + K) d = M (H v + H^2 a) / H^2 + f(x) + rows,   x <- x + d,   v <- d / H

is one step of Newton's method on implicit Euler, linearised where bodies are. It is solved with the assemblies that
rows lead to, where these would go by themselves; what they get of it is given to them as an acceleration all through
the substeps of the step.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Flags, Index
from ...kernels import kernel
from ...kernels.linalg import multiply_rotated, quaternion_to_matrix
from ..model import Hulls, PieceTable, Settings
from ..rigid.groups import Bodies
from ..state import NOTHING, Touching, Vertices
from .bending import add_curves
from .contacts import Near, carried, edge_rows, ground_rows, hull_rows, passing, place_points
from .groups import Groups, find_groups
from .lattice import add_lattice, safe_share, solve_factored
from .meetings import MET, Meeting, ball_rows, segment_rows
from .membrane import add_membrane
from .momentum import keep_momentum
from .pattern import add_block_product, add_scalar_product, complete_rows
from .segments import add_segments
from .system import (
    MOST_ITERATIONS,
    ROUNDS,
    Group,
    Matrix,
    Slots,
    Vectors,
    add_row_force,
    build_levels_of,
    prepare_preconditioner,
    row_motion,
    row_stiffness,
    solve_system,
)
from .tables import MOST_VERTICES, Elements, Rows, Solver

CONTACT_STIFFNESS = 10.0
"""A contact is so many times as stiff as what it holds back."""
MEETING_STIFFNESS = 20.0
"""What meets deformable matter is so many times as stiff as masses over the square of the step."""
TIE_STIFFNESS = 10.0
PUSH_OUT = 0.2
"""Share of a penetration that is taken out in a step."""
CREEP = 5e-4
"""What is held by friction creeps no faster [m/s]."""
SOME = 0.05
"""Fewer rows than this share that are otherwise than they were do not matter."""
ENOUGH, ENOUGH_SOFT, ENOUGH_CHAIN = 3e-4, 1e-6, 1e-10
"""Error of a step that is let be [J/kg], in the energy norm, of what is solved by levels, of lattices, of chains."""
TOUCHING = 0.2
"""And so much of it where something is touched: what is stopped short goes on as a wave."""
MOST_NEWTON = 3
"""Steps of Newton's method, of which the first does but where something whips."""
STRAINED = 0.03


class StepScratch(NamedTuple):
    """Room for a step.

    way          : (N, 3) float64, [m], how vertices would go by themselves
    acceleration : (N, 3) float64, [m/s2], by fields, the same all through the interval
    point        : (C, 3) float64, [m], where points are; point_way (C, 3), as way
    base         : (N, 3) float64, [N], of the system without rows
    slot_base    : (K, 6) float64
    given        : (A, 6) float64, [m/s2], [rad/s2], what assemblies get in the step
    pressed      : (A,) float64, [N], greatest force of a step of the interval on what sleeps
    pull         : (X,) float64, [N], greatest load of each tie's end in the interval
    numbers      : (4,) int64: rows of the last step, iterations since the start, steps
    matrix3      : (3, 3) float64, scratch; parent, held, total : as keep_momentum
    group_of     : as find_groups
    """

    way: Array
    acceleration: Array
    point: Array
    point_way: Array
    base: Array
    slot_base: Array
    given: Array
    pressed: Array
    pull: Array
    numbers: Index
    matrix3: Array
    parent: Index
    held: Flags
    total: Array
    group_of: Index


ROWS, ITERATIONS, STEPS = range(3)
"""Places in StepScratch.numbers."""


class Deformables(NamedTuple):
    """All that a step works with."""

    elements: Elements
    matrix: Matrix
    slots: Slots
    vectors: Vectors
    rows: Rows
    near: Near
    meeting: Meeting
    groups: Groups
    scratch: StepScratch
    vertices: Vertices
    touching: Touching
    pinned: Array
    awake: Index


@kernel(inner=True)
def _assemble(
    m: Matrix, e: Elements, awake: Index, x: Array, h: float, anew: int, force: Array, scratch: Array
) -> None:
    """Forces of elements, and blocks of the matrix; of coarser levels where anew is 1."""
    t = e.bodies
    for b in awake:
        first, last = t.first[b], t.first[b + 1]
        if t.solver[b] == Solver.FACTOR:
            continue  # _assemble_lattices
        for i in range(first, last):
            force[i, 0], force[i, 1], force[i, 2] = 0.0, 0.0, 0.0
        for k in range(m.pattern.start[first], m.pattern.start[last]):
            m.blocks[k, :, :] = 0.0
        damping = 1.0 + t.damping[b] / h
        add_scalar_product(m.rows, first, last, x, force)  # mass over the square of the step, and bending
        for i in range(first, last):
            heavy = m.levels.mass[i]
            for c in range(3):
                force[i, c] = heavy * x[i, c] - force[i, c] - e.vertices.recall[i] * (x[i, c] - e.vertices.start[i, c])
        add_membrane(e.membrane, t.triangle[b], t.triangle[b + 1], x, damping, force, m.blocks)
        if t.curve[b + 1] > t.curve[b]:
            add_curves(e.curves, t.curve[b], t.curve[b + 1], first, last, x, force, scratch)
        add_segments(e.segments, t.segment[b], t.segment[b + 1], x, damping, force, m.blocks)
        complete_rows(m.pattern, first, last, m.blocks)
        if anew and t.solver[b] == Solver.LEVELS:
            build_levels_of(m, b)


@kernel(inner=True)
def _strained(d: Deformables) -> bool:
    """Whether anything got longer in the step by more than STRAINED: it turned too far for what it was taken for."""
    e, x, way = d.elements, d.vertices.position, d.vectors.d
    for b in d.awake:
        for t in range(e.bodies.triangle[b], e.bodies.triangle[b + 1]):
            for k in range(3):
                i, j = e.membrane.vertex[t, (k + 1) % 3], e.membrane.vertex[t, (k + 2) % 3]
                if _longer(x, way, i, j) > STRAINED * np.sqrt(e.membrane.length2[t, k]):
                    return True
        for t in range(e.bodies.segment[b], e.bodies.segment[b + 1]):
            if _longer(x, way, e.segments.vertex[t, 0], e.segments.vertex[t, 1]) > STRAINED * e.segments.length[t]:
                return True
    return False


@kernel(inline=True)
def _longer(x: Array, way: Array, i: int, j: int) -> float:
    """By how much two vertices come apart [m]."""
    ax, ay, az = x[j, 0] - x[i, 0], x[j, 1] - x[i, 1], x[j, 2] - x[i, 2]
    bx, by, bz = ax + way[j, 0] - way[i, 0], ay + way[j, 1] - way[i, 1], az + way[j, 2] - way[i, 2]
    return np.sqrt(bx * bx + by * by + bz * bz) - np.sqrt(ax * ax + ay * ay + az * az)


@kernel(inner=True)
def _assemble_again(d: Deformables, h: float) -> None:
    """A further step of Newton's method for cloth and ropes: linearised where the last one led."""
    t, v, s, m, e = d.elements.bodies, d.vectors, d.scratch, d.matrix, d.elements
    for b in d.awake:
        for i in range(t.first[b], t.first[b + 1]):
            for c in range(3):
                v.p[i, c] = d.vertices.position[i, c] + v.d[i, c]
    _assemble(m, e, d.awake, v.p, h, 1, s.base, v.z)
    for b in d.awake:
        if t.solver[b] == Solver.FACTOR:
            continue
        first, last = t.first[b], t.first[b + 1]
        for i in range(first, last):
            heavy, slow = e.vertices.heavy[i], e.vertices.recall_damping[i]
            for c in range(3):
                s.base[i, c] += heavy * s.way[i, c] - (heavy + slow) * v.d[i, c]
        add_scalar_product(m.rows, first, last, v.d, s.base)
        add_block_product(m.pattern, m.blocks, first, last, v.d, s.base)


@kernel(inner=True)
def _assemble_lattices(d: Deformables, h: float) -> None:
    """Forces of soft bodies where vertices would be with the velocities they have, or nearer to where they will be.

    The constant matrix holds back what deforms, as if it had more mass. So it is not left to one solution where that
    would show: some come before, and only what is left goes into the system. Not of what touched or was tied to
    something in the last step: the system knows what holds it, these do not.
    """
    t, v, s, m, state = d.elements.bodies, d.vectors, d.scratch, d.matrix, d.vertices
    for b in d.awake:
        if t.solver[b] != Solver.FACTOR:
            continue
        first, last = t.first[b], t.first[b + 1]
        most = t.solutions[b]
        for i in range(first, last):
            if state.push[i, 0] != 0.0 or state.push[i, 1] != 0.0 or state.push[i, 2] != 0.0:
                most = 1
                break
        for number in range(most):
            table = d.elements.vertices
            for i in range(first, last):
                mass, back, slow = table.heavy[i], table.recall[i], table.recall_damping[i]
                for c in range(3):
                    v.p[i, c] = d.vertices.position[i, c] + v.d[i, c]
                    v.q[i, c] = v.d[i, c] / h
                    v.r[i, c] = mass * (s.way[i, c] - v.d[i, c]) - slow * v.d[i, c]
                    v.r[i, c] -= back * (v.p[i, c] - table.start[i, c])
            add_lattice(d.elements.lattice, t.cell[b], t.cell[b + 1], v.p, v.q, v.r)
            if number == most - 1:
                for i in range(first, last):
                    s.base[i, 0], s.base[i, 1], s.base[i, 2] = v.r[i, 0], v.r[i, 1], v.r[i, 2]
                add_scalar_product(m.rows, first, last, v.d, s.base)
                break
            for i in range(first, last):
                held = t.pinned[b] and d.pinned[i]
                for c in range(3):
                    v.r[i, c] = 0.0 if held else v.r[i, c]
            solve_factored(m.factor, first, last, v.r, v.z, m.work)
            for i in range(first, last):
                for c in range(3):
                    v.d[i, c] += v.z[i, c]


@kernel(inner=True)
def _hold_back(d: Deformables) -> None:
    """Keep soft bodies from deforming more in a step than it can be relied on; they go on as a whole as they would."""
    t, v, s, table = d.elements.bodies, d.vectors, d.scratch, d.elements.vertices
    for b in d.awake:
        if t.solver[b] != Solver.FACTOR:
            continue
        first, last = t.first[b], t.first[b + 1]
        mean, mass = s.matrix3[0], 0.0
        mean[0], mean[1], mean[2] = 0.0, 0.0, 0.0
        for i in range(first, last):
            for c in range(3):
                mean[c] += 0.0 if t.pinned[b] else table.mass[i] * v.d[i, c]
            mass += table.mass[i]
        for c in range(3):
            mean[c] /= mass
        share = safe_share(d.elements.lattice, t.cell[b], t.cell[b + 1], d.vertices.position, v.d, mean, v.p)
        if share < 1.0:
            for i in range(first, last):
                if not (t.pinned[b] and d.pinned[i]):
                    for c in range(3):
                        v.d[i, c] = mean[c] + share * (v.d[i, c] - mean[c])


@kernel(inner=True)
def _own_stiffness(m: Matrix, i: int) -> float:
    """How stiffly a vertex is held by its own body [N/m]."""
    b = m.blocks[m.pattern.diagonal[i]]
    return m.levels.mass[i] + m.factor.stiffness[i] + (b[0, 0] + b[1, 1] + b[2, 2]) / 3.0


@kernel(inner=True)
def _tie_rows(
    d: Deformables, bodies: Bodies, pieces: PieceTable, h: float, broken: Array, rows: Rows, count: int
) -> int:
    """Rows of ties that hold."""
    ties, x = d.elements.ties, d.vertices.position
    for t in range(len(ties.strength)):
        if broken[t]:
            continue
        rows.vertex[count, :] = -1
        rows.weight[count, :] = 0.0
        rows.slot[count], rows.tie[count], rows.active[count], rows.force[count] = -1, t, 1, 0.0
        rows.gap[count], rows.friction[count], rows.tangential[count] = 0.0, 0.0, 0.0
        n, o = rows.normal[count], rows.passing[count]
        n[0], n[1], n[2] = 0.0, 1.0, 0.0
        o[0], o[1], o[2] = 0.0, 0.0, 0.0
        for end in range(2):
            sign = 1.0 if end == 0 else -1.0
            i, p = ties.vertex[t, end], ties.piece[t, end]
            if i >= 0:
                place = 0 if rows.vertex[count, 0] < 0 else 1
                rows.vertex[count, place], rows.weight[count, place] = i, sign
                for c in range(3):
                    o[c] -= sign * x[i, c]
            elif p >= 0:
                a = bodies.piece_assembly[p]
                px, py, pz = carried(bodies.assemblies, a, ties.point[t, end])
                o[0] -= sign * px
                o[1] -= sign * py
                o[2] -= sign * pz
                ux, uy, uz, free = passing(bodies, a, h, px, py, pz)
                if free:  # the other end is a vertex, so that this one is the second
                    rows.slot[count] = a
                    c3 = bodies.assemblies.position[a]
                    rows.arm[count, 0], rows.arm[count, 1], rows.arm[count, 2] = px - c3[0], py - c3[1], pz - c3[2]
                else:
                    o[0] -= sign * ux
                    o[1] -= sign * uy
                    o[2] -= sign * uz
            else:
                for c in range(3):
                    o[c] -= sign * ties.point[t, end, c]
        count += 1
    return count


@kernel(inner=True)
def _take_part(d: Deformables, bodies: Bodies, settings: Settings, count: int, h: float) -> None:
    """The assemblies that rows lead to, and how they would go by themselves."""
    slots, rows, asm, s = d.slots, d.rows, bodies.assemblies, d.scratch
    for k in range(slots.used[0]):
        slots.place[slots.slot[k]] = -1
    n = 0
    for c in range(count):
        a = rows.slot[c]
        if a < 0:
            continue
        if slots.place[a] < 0:
            slots.place[a], slots.slot[n] = n, a
            n += 1
    slots.used[0] = n
    for k in range(n):
        a = slots.slot[k]
        slots.mass[k] = asm.mass[a] / (h * h)
        quaternion_to_matrix(asm.orientation[a], s.matrix3)
        for c in range(3):
            x, y, z = 1.0 if c == 0 else 0.0, 1.0 if c == 1 else 0.0, 1.0 if c == 2 else 0.0
            u, v, w = multiply_rotated(s.matrix3, asm.inertia[a], x, y, z)
            o = slots.inertia[k]
            o[0, c], o[1, c], o[2, c] = u / (h * h), v / (h * h), w / (h * h)
        y = d.vectors.slot_d[k]
        for c in range(3):
            gain = asm.gravity_scale[a] * settings.gravity[c] + bodies.acceleration[a, c]
            y[c] = h * (asm.velocity[a, c] + h * gain)
            y[3 + c] = h * (asm.angular_velocity[a, c] + h * bodies.angular_acceleration[a, c])
        o = slots.inertia[k]
        for c in range(3):
            s.slot_base[k, c] = slots.mass[k] * y[c]
            s.slot_base[k, 3 + c] = o[c, 0] * y[3] + o[c, 1] * y[4] + o[c, 2] * y[5]


@kernel(inner=True)
def _stiffen(d: Deformables, count: int) -> None:
    """How stiff each row is, and how friction begins."""
    rows, m = d.rows, d.matrix
    for c in range(count):
        own = 0.0
        for k in range(MOST_VERTICES):
            i = rows.vertex[c, k]
            if i >= 0:
                own += rows.weight[c, k] ** 2 * _own_stiffness(m, i)
        if rows.tie[c] >= 0:
            rows.stiffness[c] = TIE_STIFFNESS * own
            continue
        if rows.shape[c] <= MET:  # soft enough that what lies in many layers is still solved
            own = 0.0
            for k in range(MOST_VERTICES):
                i = rows.vertex[c, k]
                if i >= 0:
                    own += rows.weight[c, k] ** 2 * d.elements.vertices.heavy[i]
            rows.stiffness[c] = MEETING_STIFFNESS * own
        else:
            rows.stiffness[c] = CONTACT_STIFFNESS * own
        if rows.gap[c] < 0.0:
            rows.gap[c] *= PUSH_OUT


@kernel(inner=True)
def _pull_of_rows(d: Deformables, count: int) -> None:
    """The right side: that without rows, and what rows push before anything has moved."""
    v, rows, slots, s, bodies = d.vectors, d.rows, d.slots, d.scratch, d.elements.bodies
    for b in d.awake:
        for i in range(bodies.first[b], bodies.first[b + 1]):
            for c in range(3):
                v.b[i, c] = s.base[i, c]
    for k in range(slots.used[0]):
        for c in range(6):
            v.slot_b[k, c] = s.slot_base[k, c]
    for c in range(count):
        if rows.active[c]:
            o, n = rows.passing[c], rows.normal[c]
            x, y, z = row_stiffness(rows, c, o[0], o[1], o[2])
            f = rows.stiffness[c] * rows.gap[c] if rows.tie[c] < 0 else 0.0
            add_row_force(rows, slots, c, x - f * n[0], y - f * n[1], z - f * n[2], v.b, v.slot_b)


@kernel(inline=True)
def _error_let_be(solver: int) -> float:
    """Of a body by how it is solved [J/kg]."""
    if solver == Solver.LEVELS:
        return ENOUGH
    return ENOUGH_SOFT if solver == Solver.FACTOR else ENOUGH_CHAIN


@kernel(inner=True)
def _solve_groups(d: Deformables, count: int) -> None:
    """Solve so many groups, each as closely as it needs."""
    g, t, table = d.groups, d.elements.bodies, d.elements.vertices
    for k in range(count):
        group = Group(
            g.body[g.body_start[k] : g.body_start[k + 1]],
            d.rows.order[g.row_start[k] : g.row_start[k + 1]],
            g.slot[g.slot_start[k] : g.slot_start[k + 1]],
        )
        enough = 0.0
        for b in group.body:
            for i in range(t.first[b], t.first[b + 1]):
                enough += table.mass[i] * _error_let_be(t.solver[b])
        if len(group.row):
            enough *= TOUCHING
        d.scratch.numbers[ITERATIONS] += solve_system(
            d.matrix, t, group, d.rows, d.slots, d.pinned, d.vectors, enough, MOST_ITERATIONS
        )


@kernel(inner=True)
def _look_again(d: Deformables, count: int, h: float) -> int:
    """Which rows press, and how hard, now that all have moved; for how many that is otherwise than it was."""
    rows, v, changed = d.rows, d.vectors, 0
    for c in range(count):
        u, w, t = row_motion(rows, d.slots, c, v.d, v.slot_d)
        o, n = rows.passing[c], rows.normal[c]
        u, w, t = u - o[0], w - o[1], t - o[2]
        k = rows.stiffness[c]
        if rows.tie[c] >= 0:
            rows.force[c] = k * np.sqrt(u * u + w * w + t * t)
            continue
        along = n[0] * u + n[1] * w + n[2] * t
        gap = rows.gap[c] + along
        if (gap < 0.0) != (rows.active[c] == 1):
            rows.active[c] = 1 - rows.active[c]
            changed += 1
        rows.force[c] = -k * gap if gap < 0.0 else 0.0
        slip = np.sqrt(max(u * u + w * w + t * t - along * along, 0.0))
        kt = min(rows.friction[c] * rows.force[c] / max(slip, CREEP * h), rows.stiffness[c])
        if rows.active[c] and abs(kt - rows.tangential[c]) > 0.5 * max(kt, rows.tangential[c]):
            changed += 1
        rows.tangential[c] = kt
    return changed


@kernel(inner=True)
def _begin_friction(d: Deformables, count: int, h: float) -> None:
    """Friction of the first round, by how hard points were pressed in the last step and how far they slipped: so it
    settles from step to step where it does not within one.
    """
    rows = d.rows
    for c in range(count):
        if rows.tie[c] >= 0:
            continue
        p = rows.point[c]
        if d.touching.shape[p] == rows.shape[c]:
            press, slip = d.touching.force[p], d.touching.slip[p]
        else:
            press, slip = 0.0, 0.0
        kt = rows.friction[c] * max(press, 0.0) / max(slip, CREEP * h)
        rows.tangential[c] = min(kt, rows.stiffness[c])  # as stiff as the contact at most, or iterations do not end


@kernel(inner=True)
def step_deformables(
    d: Deformables,
    hulls: Hulls,
    pieces: PieceTable,
    bodies: Bodies,
    settings: Settings,
    broken: Array,
    h: float,
    anew: int,
) -> None:
    """A step of h [s]; what assemblies get of it is in d.scratch.given.

    broken : (X,) uint8, ties that gave way
    anew   : int, 1 where the coarser levels are worked out anew
    """
    e, m, v, s, rows = d.elements, d.matrix, d.vectors, d.scratch, d.rows
    x, speed, t = d.vertices.position, d.vertices.velocity, e.bodies
    for k in range(d.slots.used[0]):
        s.given[d.slots.slot[k], :] = 0.0
    _assemble(m, e, d.awake, x, h, anew, s.base, v.z)
    for b in d.awake:
        for i in range(t.first[b], t.first[b + 1]):
            for c in range(3):
                gain = e.vertices.gravity_scale[i] * settings.gravity[c] + s.acceleration[i, c]
                s.way[i, c] = h * (speed[i, c] + h * gain)
                s.base[i, c] += e.vertices.heavy[i] * s.way[i, c]
                v.d[i, c] = h * speed[i, c]
            if d.pinned[i]:
                v.d[i, 0], v.d[i, 1], v.d[i, 2] = 0.0, 0.0, 0.0
                s.way[i, 0], s.way[i, 1], s.way[i, 2] = 0.0, 0.0, 0.0
    for k in range(len(e.carried.vertex)):
        i, p = e.carried.vertex[k], e.carried.piece[k]
        a = bodies.piece_assembly[p]
        px, py, pz = carried(bodies.assemblies, a, e.vertices.start[i])
        ux, uy, uz, _ = passing(bodies, a, h, px, py, pz)
        v.d[i, 0], v.d[i, 1], v.d[i, 2] = px + ux - x[i, 0], py + uy - x[i, 1], pz + uz - x[i, 2]
        s.way[i, 0], s.way[i, 1], s.way[i, 2] = v.d[i, 0], v.d[i, 1], v.d[i, 2]
    _assemble_lattices(d, h)
    place_points(e.points, d.awake, x, s.point)
    place_points(e.points, d.awake, s.way, s.point_way)
    count = _tie_rows(d, bodies, pieces, h, broken, rows, 0)
    if settings.ground_on:
        for b in d.awake:
            count = ground_rows(
                e.points,
                e.points.first[b],
                e.points.first[b + 1],
                settings.ground_height,
                settings.ground_friction,
                s.point,
                s.point_way,
                rows,
                count,
            )
    touching = d.touching
    count = hull_rows(
        e.points, d.near, hulls, pieces, bodies, h, s.point, s.point_way, touching.shape, touching.face, rows, count
    )
    count = ball_rows(e.points, d.meeting, s.point, s.point_way, rows, count)
    count = segment_rows(e.points, e.segments, d.meeting, s.point, s.point_way, rows, count)
    count = edge_rows(e.points, m.pattern, d.near, hulls, pieces, bodies, h, s.point, s.point_way, rows, count)
    _take_part(d, bodies, settings, count, h)
    _stiffen(d, count)
    _begin_friction(d, count, h)
    groups = find_groups(e.vertices, len(t.solver), d.awake, rows, count, d.slots, d.groups, s.group_of)
    for newton in range(MOST_NEWTON):
        for number in range(ROUNDS):
            prepare_preconditioner(m, t, d.awake, rows, count, d.slots, d.pinned)
            _pull_of_rows(d, count)
            _solve_groups(d, groups)
            if count == 0:
                break
            changed = _look_again(d, count, h)
            if changed == 0 or (number > 0 and changed < SOME * count):
                break
        if newton == MOST_NEWTON - 1 or not _strained(d):
            break
        _assemble_again(d, h)
    keep_momentum(t, e.vertices, d.awake, rows, count, d.slots, v, s.parent, s.held, s.total)
    _hold_back(d)
    _go_on(d, hulls, bodies, settings, count, h)
    s.numbers[ROWS] = count
    s.numbers[STEPS] += 1


@kernel(inner=True)
def _go_on(d: Deformables, hulls: Hulls, bodies: Bodies, settings: Settings, count: int, h: float) -> None:
    """Move vertices, remember what they touch, and say what assemblies get."""
    v, rows, s, t, state = d.vectors, d.rows, d.scratch, d.elements.bodies, d.vertices
    asm, touching, points = bodies.assemblies, d.touching, d.elements.points
    for b in d.awake:
        for p in range(points.first[b], points.first[b + 1]):
            touching.force[p], touching.slip[p], touching.shape[p], touching.face[p] = 0.0, 0.0, NOTHING, -1
        for i in range(t.first[b], t.first[b + 1]):
            for c in range(3):
                state.position[i, c] += v.d[i, c]
                state.push[i, c] = 0.0
                state.velocity[i, c] = v.d[i, c] / h
    for c in range(count):
        u, w, z = row_motion(rows, d.slots, c, v.d, v.slot_d)
        o, n = rows.passing[c], rows.normal[c]
        if rows.active[c]:
            f, g, t3 = row_stiffness(rows, c, u - o[0], w - o[1], z - o[2])
            pressed = rows.stiffness[c] * rows.gap[c] if rows.tie[c] < 0 else 0.0
            f, g, t3 = -f - pressed * n[0], -g - pressed * n[1], -t3 - pressed * n[2]
            for k in range(MOST_VERTICES):
                i = rows.vertex[c, k]
                if i >= 0:
                    state.push[i, 0] += rows.weight[c, k] * f
                    state.push[i, 1] += rows.weight[c, k] * g
                    state.push[i, 2] += rows.weight[c, k] * t3
        if rows.tie[c] >= 0:
            s.pull[rows.tie[c]] = max(s.pull[rows.tie[c]], rows.force[c])
            continue
        if not rows.force[c] > 0.0:
            continue
        on = rows.point[c]
        if rows.force[c] >= touching.force[on]:
            touching.force[on], touching.shape[on], touching.face[on] = rows.force[c], rows.shape[c], rows.face[c]
            along = n[0] * (u - o[0]) + n[1] * (w - o[1]) + n[2] * (z - o[2])
            slip = (u - o[0]) ** 2 + (w - o[1]) ** 2 + (z - o[2]) ** 2 - along * along
            touching.slip[on] = np.sqrt(max(slip, 0.0))
        if rows.slot[c] < 0 and rows.shape[c] >= 0:
            a = bodies.piece_assembly[hulls.piece[rows.shape[c]]]
            s.pressed[a] = max(s.pressed[a], rows.force[c])
        out = (n[0] * (u - o[0]) + n[1] * (w - o[1]) + n[2] * (z - o[2])) / h
        if rows.slot[c] >= 0 or rows.shape[c] <= MET:
            continue  # what moves as well keeps the momentum
        back = min(max(out, 0.0), max(-rows.gap[c] / h, 0.0))  # speed that came of being pushed out
        for k in range(MOST_VERTICES):
            i = rows.vertex[c, k]
            if i >= 0:
                for r in range(3):
                    state.velocity[i, r] -= back * n[r] * rows.weight[c, k]
    for k in range(d.slots.used[0]):
        a, y = d.slots.slot[k], v.slot_d[k]
        for c in range(3):
            gain = asm.gravity_scale[a] * settings.gravity[c] + bodies.acceleration[a, c]
            s.given[a, c] = (y[c] / h - asm.velocity[a, c]) / h - gain
            turn = bodies.angular_acceleration[a, c]
            s.given[a, 3 + c] = (y[3 + c] / h - asm.angular_velocity[a, c]) / h - turn
