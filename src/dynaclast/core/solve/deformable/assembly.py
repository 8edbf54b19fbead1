"""Forces and blocks of all elements of a step, and how far a step can be relied on."""

from __future__ import annotations

import numpy as np

from ...arrays import Array, Index
from ...kernels import kernel
from ...kernels.simd import clear
from .bending import add_curves
from .factor import solve_factored
from .lattice import add_lattice, safe_share
from .meetings import MET
from .membrane import add_membrane
from .parts import Deformables
from .pattern import add_block_product, add_scalar_product, complete_rows
from .preconditioner import build_levels_of
from .rotations import let_turn, move_as_rigid, prepare_rotations, take_torque, turn_on
from .segments import add_segments
from .system import Group, Matrix
from .tables import MOST_VERTICES, Elements, Solver

HOLD_OFF_PASSES = 4
STRAINED = 0.015
"""What gets longer in a step by more than this share beside what it was linearised for is so again."""
PULLED, PULLED_STEPS = 0.03, 2
"""And by more than this in all, so many times at most: where much is pulled, it stays so."""


@kernel(inner=True)
def assemble(
    m: Matrix, e: Elements, awake: Index, x: Array, h: float, anew: int, goal: Array, force: Array, scratch: Array
) -> None:
    """Forces of elements, and blocks of the matrix; of coarser levels where anew is 1; recall draws to the goal."""
    t = e.bodies
    for b in awake:
        first, last = t.first[b], t.first[b + 1]
        if t.solver[b] == Solver.FACTOR:
            continue  # assemble_lattices
        for n in range(t.leads[b], t.leads[b + 1]):
            i = t.leading[n]
            force[i, 0], force[i, 1], force[i, 2] = 0.0, 0.0, 0.0
        clear(m.blocks, m.pattern.start[first], m.pattern.start[last])
        damping = 1.0 + t.damping[b] / h
        add_scalar_product(m.rows, first, last, x, force)  # mass over the square of the step, and bending
        for n in range(t.leads[b], t.leads[b + 1]):
            i = t.leading[n]
            heavy = m.levels.mass[i]
            for c in range(3):
                force[i, c] = heavy * x[i, c] - force[i, c] - e.vertices.recall[i] * (x[i, c] - goal[i, c])
        add_membrane(e.membrane, t.triangle[b], t.triangle[b + 1], x, damping, force, m.blocks)
        if t.curve[b + 1] > t.curve[b]:
            add_curves(e.curves, t.curve[b], t.curve[b + 1], first, last, x, force, scratch)
        add_segments(e.segments, t.segment[b], t.segment[b + 1], x, damping, force, m.blocks)
        complete_rows(m.pattern, first, last, m.blocks)
        if anew and t.solver[b] == Solver.LEVELS:
            build_levels_of(m, b)


@kernel(inner=True)
def strained(d: Deformables, group: Group, number: int) -> bool:
    """Whether anything of a group got longer by more than STRAINED than where it was linearised says: it turned too far
    for what it was taken for. In the first steps of Newton's method, also what got longer by more than PULLED.

    number : int, steps of Newton's method before this one
    """
    e, x, way, at = d.elements, d.vertices.position, d.vectors.d, d.scratch.linear
    pulled = PULLED if number < PULLED_STEPS else np.inf
    for b in group.body:
        for t in range(e.bodies.triangle[b], e.bodies.triangle[b + 1]):
            for k in range(3):
                i, j = e.membrane.vertex[t, (k + 1) % 3], e.membrane.vertex[t, (k + 2) % 3]
                if _is_longer(x, way, at, i, j, e.membrane.length2[t, k], pulled):
                    return True
        for t in range(e.bodies.segment[b], e.bodies.segment[b + 1]):
            i, j = e.segments.vertex[t, 0], e.segments.vertex[t, 1]
            if _is_longer(x, way, at, i, j, e.segments.length[t] ** 2, pulled):
                return True
    return False


@kernel(inner=True)
def _is_longer(x: Array, way: Array, at: Array, i: int, j: int, length2: float, pulled: float) -> bool:
    """Whether two vertices come further apart on their way than they may: by STRAINED of their distance at rest beside
    what they would if that turned nothing, or by ``pulled`` of it in all.

    x, way, at : (N, 3 or more) float64, [m], where they are, how they go, and where they were linearised
    length2    : float, [m2], square of their distance at rest
    """
    long2, along, now2, was2 = 0.0, 0.0, 0.0, 0.0
    for c in range(3):
        a = at[j, c] - at[i, c]
        b = x[j, c] + way[j, c] - x[i, c] - way[i, c]
        long2 += a * a
        along += a * b
        now2 += b * b
        was2 += (x[j, c] - x[i, c]) ** 2
    # 1 - cos <= sin^2, and a - b <= (a^2 - b^2) / 2b: what these rule out needs no root
    more2 = now2 - was2
    if more2 <= 0.0 or more2 * more2 <= 4.0 * was2 * length2 * pulled * pulled:
        aside = now2 * long2 - along * along
        if along > 0.0 and aside * aside <= now2 * long2 * long2 * length2 * STRAINED * STRAINED:
            return False
    now, length = np.sqrt(now2), np.sqrt(length2)
    turned = now - along / np.sqrt(max(long2, 1e-300))
    return turned > STRAINED * length or now - np.sqrt(was2) > pulled * length


@kernel(inner=True)
def note_linear(d: Deformables, bodies: Index) -> None:
    """Keep where bodies (n,) are linearised, v.p."""
    t, at = d.elements.bodies, d.vectors.p
    for b in bodies:
        for n in range(t.leads[b], t.leads[b + 1]):
            i = t.leading[n]
            for c in range(3):
                d.scratch.linear[i, c] = at[i, c]


@kernel(inner=True)
def assemble_again(d: Deformables, group: Group, h: float) -> None:
    """A further step of Newton's method for cloth and ropes of a group: linearised where the last one led."""
    t, v, s, m, e = d.elements.bodies, d.vectors, d.scratch, d.matrix, d.elements
    for b in group.body:
        for n in range(t.leads[b], t.leads[b + 1]):
            i = t.leading[n]
            for c in range(3):
                v.p[i, c] = d.vertices.position[i, c] + v.d[i, c]
    note_linear(d, group.body)
    assemble(m, e, group.body, v.p, h, 1, s.goal, s.base, v.z)
    for b in group.body:
        if t.solver[b] == Solver.FACTOR:
            continue
        first, last = t.first[b], t.first[b + 1]
        for n in range(t.leads[b], t.leads[b + 1]):
            i = t.leading[n]
            heavy, slow = e.vertices.heavy[i], e.vertices.recall_damping[i]
            for c in range(3):
                s.base[i, c] += heavy * s.way[i, c] - (heavy + slow) * v.d[i, c] + slow * s.goal_way[i, c]
        add_scalar_product(m.rows, first, last, v.d, s.base)
        add_block_product(m.pattern, m.blocks, first, last, v.d, s.base)


@kernel(inner=True)
def assemble_lattices(d: Deformables, h: float) -> None:
    """Forces of soft bodies where vertices would be with the velocities they have, or nearer to where they will be.

    The constant matrix holds back what deforms, as if it had more mass. So it is not left to one solution where that
    would show: some come before, and only what is left goes into the system. Not of what touched or was tied to
    something in the last step: the system knows what holds it, these do not.
    """
    t, v, s, m, state = d.elements.bodies, d.vectors, d.scratch, d.matrix, d.vertices
    for b in d.awake:
        if t.solver[b] != Solver.FACTOR:
            continue
        first, last, leading = t.first[b], t.first[b + 1], t.leading[t.leads[b] : t.leads[b + 1]]
        prepare_rotations(
            m.turns,
            m.factor,
            m.rows,
            m.levels.mass,
            m.island,
            leading,
            b,
            (first, last),
            d.pinned,
            state.position,
            m.work,
        )
        most = t.solutions[b]
        for n in range(t.leads[b], t.leads[b + 1]):
            i = t.leading[n]
            if state.push[i, 0] != 0.0 or state.push[i, 1] != 0.0 or state.push[i, 2] != 0.0:
                most = 1
                break
        for number in range(most):
            table = d.elements.vertices
            for n in range(t.leads[b], t.leads[b + 1]):
                i = t.leading[n]
                mass, back, slow = table.heavy[i], table.recall[i], table.recall_damping[i]
                for c in range(3):
                    v.p[i, c] = d.vertices.position[i, c] + v.d[i, c]
                    v.q[i, c] = v.d[i, c] / h
                    v.r[i, c] = mass * (s.way[i, c] - v.d[i, c]) - slow * (v.d[i, c] - s.goal_way[i, c])
                    v.r[i, c] -= back * (v.p[i, c] - s.goal[i, c])
                    v.z[i, c] = 0.0
            add_lattice(d.elements.lattice, t.cell[b], t.cell[b + 1], v.p, v.q, v.z)
            if m.turns.able[b]:
                take_torque(m.turns, m.levels.mass, m.island, leading, d.pinned, v.z)
            for i in leading:
                for c in range(3):
                    v.r[i, c] += v.z[i, c]
            if number == most - 1:
                for n in range(t.leads[b], t.leads[b + 1]):
                    i = t.leading[n]
                    s.base[i, 0], s.base[i, 1], s.base[i, 2] = v.r[i, 0], v.r[i, 1], v.r[i, 2]
                add_scalar_product(m.rows, first, last, v.d, s.base)
                if m.turns.able[b]:
                    let_turn(m.turns, m.island, leading, v.d, s.base)
                break
            for n in range(t.leads[b], t.leads[b + 1]):
                i = t.leading[n]
                held = t.still[b] and d.pinned[i]
                for c in range(3):
                    v.r[i, c] = 0.0 if held else v.r[i, c]
            solve_factored(m.factor, first, last, v.r, v.z, m.work)
            if m.turns.able[b]:
                turn_on(m.turns, m.island, leading, v.r, v.z)
            for n in range(t.leads[b], t.leads[b + 1]):
                i = t.leading[n]
                for c in range(3):
                    v.d[i, c] += v.z[i, c]


@kernel(inner=True)
def hold_back(d: Deformables, count: int, h: float) -> None:
    """Keep soft bodies from deforming more in a step than it can be relied on; they go on as a whole as they would, but
    not into what the rows hold them off from.
    """
    t, v, s, m, table = d.elements.bodies, d.vectors, d.scratch, d.matrix, d.elements.vertices
    for b in d.awake:
        if t.solver[b] != Solver.FACTOR:
            continue
        leading, rigid, beyond, mass = t.leading[t.leads[b] : t.leads[b + 1]], v.q, v.z, 0.0
        move_as_rigid(m.turns, m.factor, m.levels.mass, m.island, leading, d.pinned, v.d, rigid)
        for i in leading:
            mass += table.mass[i]
            for c in range(3):
                beyond[i, c] = v.d[i, c] - rigid[i, c]
        share = safe_share(d.elements.lattice, t.cell[b], t.cell[b + 1], d.vertices.position, rigid, beyond, v.p)
        if share < 1.0:
            shift = s.matrix3[0]
            shift[0], shift[1], shift[2] = 0.0, 0.0, 0.0
            _hold_off(d, b, count, mass, 1.0 - share, h, shift)
            for i in leading:
                if not (t.still[b] and d.pinned[i]):
                    for c in range(3):
                        v.d[i, c] = rigid[i, c] + share * beyond[i, c] + (1.0 - share) * shift[c]


@kernel(inner=True)
def _hold_off(d: Deformables, b: int, count: int, mass: float, left: float, h: float, way: Array) -> None:
    """Shift a body that moves as one, as v.q has it, by a way (3,) [m] so that it goes into nothing that touches it;
    what is free gives way too, each as the other's mass says, so that momentum is kept.

    mass : float, [kg]; left : float, share of its momentum that goes by that way; h : float, [s], of the step
    """
    rows, slots, body, square = d.rows, d.slots, d.elements.vertices.body, h * h
    fixed = d.elements.bodies.pinned[b] != 0
    for _ in range(HOLD_OFF_PASSES):
        for c in range(count):
            if not rows.active[c] or rows.tie[c] >= 0 or rows.shape[c] <= MET or body[rows.vertex[c, 0]] != b:
                continue
            n, o, a = rows.normal[c], rows.passing[c], slots.place[rows.slot[c]] if rows.slot[c] >= 0 else -1
            if fixed and a < 0:
                continue
            gap, give = rows.gap[c], 0.0
            for k in range(3):
                gap += n[k] * (way[k] - o[k])
            for k in range(MOST_VERTICES):
                i = rows.vertex[c, k]
                if i >= 0:
                    x = d.vectors.q[i]
                    gap += rows.weight[c, k] * (n[0] * x[0] + n[1] * x[1] + n[2] * x[2])
            if a >= 0:
                y, r = d.vectors.slot_d[a], rows.arm[c]
                gap -= n[0] * (y[0] + y[4] * r[2] - y[5] * r[1])
                gap -= n[1] * (y[1] + y[5] * r[0] - y[3] * r[2])
                gap -= n[2] * (y[2] + y[3] * r[1] - y[4] * r[0])
                other = slots.mass[a] * square  # [kg]
                give = 1.0 if fixed else left * mass / (left * mass + other)
            if gap >= 0.0:
                continue
            for k in range(3):
                way[k] -= (1.0 - give) * gap * n[k]
                if a >= 0:
                    d.vectors.slot_d[a, k] += give * gap * n[k]
