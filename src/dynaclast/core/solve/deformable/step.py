"""One step of all deformable bodies, with what they touch and are tied to.

  (M / H^2 + K) d = M (H v + H^2 a) / H^2 + f(x) + rows,   x <- x + d,   v <- d / H

is one step of Newton's method on implicit Euler, linearised where bodies are. It is solved with the assemblies that
rows lead to, where these would go by themselves; what they get of it is given to them as an acceleration all through
the substeps of the step.
"""

from __future__ import annotations

import numpy as np

from ...arrays import Array
from ...kernels import kernel
from ..model import GROUND, Hulls, Motion, PieceTable, Settings
from ..rigid.constraints import ConstraintSet
from ..rigid.groups import Bodies
from ..state import NOTHING, Assemblies
from .assembly import assemble, assemble_again, assemble_lattices, hold_back, note_linear, strained
from .compliance import rows_to_solve_with
from .conjugate_gradients import MOST_ITERATIONS, solve_system
from .contacts import Look, carried, edge_rows, ground_rows, hull_rows, passing, place_points
from .face_contacts import face_rows, note_side
from .groups import find_groups
from .meetings import ELAPSED, MET, ball_rows, place_between, segment_rows
from .momentum import keep_momentum
from .parts import FULL, ITERATIONS, ROWS, STEPS, Deformables
from .preconditioner import eliminates, prepare_preconditioner
from .row_forces import begin_friction, brace, look_again, pull_of_rows, stiffen, tie_rows
from .slot_contacts import find_slot_contacts, leave_to_substeps, look_again_at_contacts, pull_of_contacts, take_part
from .strays import looked_ahead, meet_anew, strays
from .system import FEW_COMPLIANT, MOST_COMPLIANT, Group, row_motion
from .tables import MOST_VERTICES, Solver
from .turning_ahead import go_on_turned, turn_ahead
from .twist import twist_ropes
from .wholes import balance_wholes

SOME = 0.05
"""Fewer rows than this share that are otherwise than they were do not matter."""
ROUNDS = 2
"""How often rows are looked at again within a step: which press, and how hard."""
MOST_ROUNDS = 6
"""And at most, while something would go through where none pressed."""
MOST_EXACT = 3
"""How often at most it is solved without leaving anything over at last: what went in far only then is held, too."""
PATIENCE = 20
"""Iterations after which more rows are solved with exactly: to make that ready takes as long as so many."""
MOST_NEWTON = 8
"""Steps of Newton's method, of which the first does but where something whips."""
MOST_LOOKS = 3
"""How often rows are looked for: once by how things would go by themselves, then by what was solved."""
ROUGH = 1e-4
"""Share of the square of an error in the energy norm that is let be as long as it is not known what presses, and where
bodies are linearised: a last round makes it good.
"""
ENOUGH, ENOUGH_SOFT, ENOUGH_CHAIN = 3e-4, 1e-6, 1e-10
"""Error of a step that is let be [J/kg], in the energy norm, of what is solved by levels, of lattices, of chains."""
FINE = 2000.0
"""And less by the share of this in its vertices, where it has more: what is left over gathers at a few of them."""
TOUCHING = 0.2
"""And so much of it where something is touched: what is stopped short goes on as a wave."""
LYING = 0.01
"""And so much again of lattices that touch something: what tips over starts with a small part of its weight, step after
step, which would be let be where the rest is stiff."""
LONG = 1.0 / 96.0
"""And where nothing is touched, less by the square of the share of this [s] in the step: shorter steps leave it over
more often, and slow down less of what it stirs, so that the sway it keeps up would grow as they get shorter.
"""
CALM, CALMEST = 0.02, 1e-7
"""And where nothing is touched and the body moves with less than so much [J/kg], less by the square of the share, at
least to this one: what is left over in a step stirs the body in the next, and nothing would come to rest below it.
"""
SHAKING, SHAKING_MANY = 0.05, 5e-5
"""And of what is solved by levels where assemblies take part: the rest would shake those that lie in a sheet. Less
where these are eliminated, which leaves over slow motions that an iteration hardly shows.
"""
SHAKEN = 1e-6
"""But it may be as much as moves the lightest of them with so much [J/kg], 1.4 mm/s: a crate under a canvas hardly
feels what is left over of it, and what stands on something is held by that. Where they are eliminated it is as the
third power of that share, down to the other.
"""
STIRRED = 1e-6
"""And as much as this share of the energy with which all that moves past one another: what moves is not shaken."""


@kernel(inner=True)
def _error_let_be(solver: int) -> float:
    """Of a body by how it is solved [J/kg]."""
    if solver == Solver.LEVELS:
        return ENOUGH
    return ENOUGH_SOFT if solver == Solver.FACTOR else ENOUGH_CHAIN


@kernel(inner=True)
def _motion(d: Deformables, b: int) -> float:
    """Of a body, its kinetic energy by its mass [J/kg]."""
    t, mass, v = d.elements.bodies, d.elements.vertices.mass, d.vertices.velocity
    energy, whole = 0.0, 0.0
    for n in range(t.leads[b], t.leads[b + 1]):
        i = t.leading[n]
        energy += 0.5 * mass[i] * (v[i, 0] * v[i, 0] + v[i, 1] * v[i, 1] + v[i, 2] * v[i, 2])
        whole += mass[i]
    return energy / max(whole, 1e-300)


@kernel(inner=True)
def _motion_between(d: Deformables, asm: Assemblies, group: Group) -> float:
    """Of what is solved by levels and of assemblies, kinetic energy but for that of their common motion [J]."""
    t, mass, v = d.elements.bodies, d.elements.vertices.mass, d.vertices.velocity
    whole, energy, x, y, z = 0.0, 0.0, 0.0, 0.0, 0.0
    for b in group.body:
        for n in range(t.leads[b], t.leads[b + 1] if t.solver[b] == Solver.LEVELS else t.leads[b]):
            i = t.leading[n]
            m, p, q, r = mass[i], v[i, 0], v[i, 1], v[i, 2]
            whole, energy = whole + m, energy + m * (p * p + q * q + r * r)
            x, y, z = x + m * p, y + m * q, z + m * r
    for k in group.slot:
        a = d.slots.slot[k]
        m, p, q, r = asm.mass[a], asm.velocity[a, 0], asm.velocity[a, 1], asm.velocity[a, 2]
        whole, energy = whole + m, energy + m * (p * p + q * q + r * r)
        x, y, z = x + m * p, y + m * q, z + m * r
    return 0.5 * max(energy - (x * x + y * y + z * z) / max(whole, 1e-300), 0.0)


@kernel(inner=True)
def _error_let_be_of(d: Deformables, asm: Assemblies, group: Group, h: float) -> float:
    """Of a group, square of the error of a step of h [s] in the energy norm [J]."""
    t, enough, of_levels = d.elements.bodies, 0.0, 0.0
    for b in group.body:
        each, all_of_it = _error_let_be(t.solver[b]), 0.0
        if t.solver[b] == Solver.FACTOR and len(group.row):
            each *= LYING
        if t.solver[b] == Solver.LEVELS:
            each *= min(1.0, FINE / max(t.leads[b + 1] - t.leads[b], 1))
            if len(group.row) == 0:
                each *= min(1.0, (h / LONG) ** 2) * min(1.0, max(CALMEST, (_motion(d, b) / CALM) ** 2))
        for n in range(t.leads[b], t.leads[b + 1]):
            all_of_it += d.elements.vertices.mass[t.leading[n]] * each
        if len(group.row):
            all_of_it *= TOUCHING
        if t.solver[b] == Solver.LEVELS:
            of_levels += all_of_it
        else:
            enough += all_of_it
    if len(group.slot) and of_levels > 0.0:
        lightest = np.inf
        for k in group.slot:
            if not d.scratch.borne[d.slots.slot[k]]:
                lightest = min(lightest, d.slots.mass[k] * h * h)
        share = min(1.0, SHAKEN * lightest / of_levels)
        share = max(SHAKING_MANY, share**3) if eliminates(t, group) else max(SHAKING, share)
        of_levels *= min(1.0, max(share, STIRRED * _motion_between(d, asm, group) / of_levels))
    return enough + of_levels


@kernel(inner=True)
def _rows_of_ground(d: Deformables, settings: Settings, solved: int, count: int) -> int:
    """Rows of points with the ground; solved as of ground_rows."""
    points, at, way, made = d.elements.points, d.scratch.point, d.scratch.point_way, d.scratch.grounded
    height, friction = settings.ground_height, settings.ground_friction
    return ground_rows(points, d.awake, height, friction, at, way, solved, made, d.rows, count)


@kernel(inner=True)
def _rows_of_shapes(look: Look, d: Deformables, count: int) -> int:
    """Rows of points and of faces with hulls."""
    touching = d.touching
    count = hull_rows(look, touching.shape, touching.face, d.rows, count)
    return face_rows(look, d.cores, touching.sides, d.scratch.corner, d.rows, count)


@kernel(inner=True)
def _rows_of_meetings(d: Deformables, solved: int, count: int) -> int:
    """Rows of points and of ropes with one another."""
    points, at, way = d.elements.points, d.scratch.point, d.scratch.point_way
    count = ball_rows(points, d.meeting, at, way, solved, d.rows, count)
    return segment_rows(points, d.elements.segments, d.meeting, at, way, solved, d.rows, count)


@kernel(inner=True)
def _solve_round(d: Deformables, group: Group, enough: float, share: float) -> bool:
    """A solution with the rows that press now; whether it leaves no more than enough."""
    m, t, rows, most = d.matrix, d.elements.bodies, d.rows, MOST_ITERATIONS
    if FEW_COMPLIANT < rows_to_solve_with(t, group, rows) <= MOST_COMPLIANT:
        most = PATIENCE
    prepare_preconditioner(m, t, group, rows, d.slots, d.pinned, FEW_COMPLIANT)
    pull_of_rows(d, group)
    pull_of_contacts(d, group)
    iterations, exact = solve_system(m, t, group, rows, d.slots, d.pinned, d.vectors, enough, share, most)
    d.scratch.numbers[ITERATIONS] += iterations
    if iterations == most < MOST_ITERATIONS:
        prepare_preconditioner(m, t, group, rows, d.slots, d.pinned, MOST_COMPLIANT)
        more = MOST_ITERATIONS
        iterations, exact = solve_system(m, t, group, rows, d.slots, d.pinned, d.vectors, enough, share, more)
        d.scratch.numbers[ITERATIONS] += iterations
    if len(group.row):
        balance_wholes(d, group)
    return exact


@kernel(inner=True)
def _solve_group(d: Deformables, asm: Assemblies, group: Group, h: float) -> None:
    """Where the vertices and assemblies of a group go in the step."""
    count = len(group.row)
    enough, exact, rough = _error_let_be_of(d, asm, group, h), True, 0.0
    for b in group.body:
        if count and d.elements.bodies.solver[b] == Solver.LEVELS:
            rough = ROUGH
    for newton in range(MOST_NEWTON):
        for number in range(MOST_ROUNDS):
            exact = _solve_round(d, group, enough, rough)
            if count == 0:
                break
            changed, pierced = look_again(d, group, h, int(number + 1 < ROUNDS))
            changed += look_again_at_contacts(d, group)
            if not pierced and (changed == 0 or number + 1 >= ROUNDS or (number > 0 and changed < SOME * count)):
                break
        if newton == MOST_NEWTON - 1 or not strained(d, group, newton):
            break
        assemble_again(d, group, h)
    if exact:
        return
    for _ in range(MOST_EXACT):
        _solve_round(d, group, enough, 0.0)
        _, pierced = look_again(d, group, h, 0)
        look_again_at_contacts(d, group)
        if not pierced:
            break


@kernel(inner=True)
def _solve(d: Deformables, asm: Assemblies, groups: int, first: int, first_touch: int, h: float) -> None:
    """Solve so many groups, each by itself: nothing changes what happens in one but what is in it.

    first       : int, rows from this one on are new; groups without any are solved already, unless it is 0
    first_touch : int, points of contact of assemblies from this one on are new, likewise
    """
    g, order, touch = d.groups, d.rows.order, d.slots.touch.order
    for k in range(groups):
        begin, end = g.row_start[k], g.row_start[k + 1]
        from_touch, to_touch = g.touch_start[k], g.touch_start[k + 1]
        rows_new = end > begin and order[end - 1] >= first
        touch_new = to_touch > from_touch and touch[to_touch - 1] >= first_touch
        if first > 0 and not rows_new and not touch_new:
            continue
        group = Group(
            g.body[g.body_start[k] : g.body_start[k + 1]],
            order[begin:end],
            g.slot[g.slot_start[k] : g.slot_start[k + 1]],
            touch[from_touch:to_touch],
        )
        _solve_group(d, asm, group, h)


@kernel(apart=True)
def step_deformables(
    d: Deformables,
    hulls: Hulls,
    pieces: PieceTable,
    bodies: Bodies,
    constraints: ConstraintSet,
    settings: Settings,
    broken: Array,
    h: float,
    anew: int,
) -> None:
    """A step of h [s]; what assemblies get of it is in d.scratch.given.

    constraints : contacts of assemblies with one another in the interval
    broken : (X,) uint8, ties that gave way
    anew   : int, 1 where the coarser levels are worked out anew
    """
    e, m, v, s, rows = d.elements, d.matrix, d.vectors, d.scratch, d.rows
    x, speed, t = d.vertices.position, d.vertices.velocity, e.bodies
    for k in range(d.slots.used[0]):
        s.given[d.slots.slot[k], :], s.expected[d.slots.slot[k], :] = 0.0, 0.0
    twist_ropes(e.twists, t, d.here, e.vertices.mass, x, e.segments, h, bodies, d.twisted, s.twist)
    for k in range(len(e.drawn.vertex)):
        i = e.drawn.vertex[k]
        a = bodies.piece_assembly[e.drawn.piece[k]]
        px, py, pz = carried(bodies.assemblies, a, e.drawn.start[k])
        ux, uy, uz, _ = passing(bodies, a, h, px, py, pz)
        s.goal[i, 0], s.goal[i, 1], s.goal[i, 2] = px + ux, py + uy, pz + uz
        s.goal_way[i, 0], s.goal_way[i, 1], s.goal_way[i, 2] = ux, uy, uz
    turn_ahead(d, h)
    note_linear(d, d.awake)
    assemble(m, e, d.awake, v.p, h, anew, s.goal, s.base, v.z)
    for b in d.awake:
        for n in range(t.leads[b], t.leads[b + 1]):
            i = t.leading[n]
            for c in range(3):
                gain = e.vertices.gravity_scale[i] * settings.gravity[c] + s.acceleration[i, c] + s.twist.gain[i, c]
                s.way[i, c] = h * (speed[i, c] + h * gain)
                s.base[i, c] += e.vertices.heavy[i] * s.way[i, c] + e.vertices.recall_damping[i] * s.goal_way[i, c]
                v.d[i, c] = h * speed[i, c]
            if d.pinned[i]:
                v.d[i, 0], v.d[i, 1], v.d[i, 2] = 0.0, 0.0, 0.0
                s.way[i, 0], s.way[i, 1], s.way[i, 2] = 0.0, 0.0, 0.0
    go_on_turned(d)
    for k in range(len(e.carried.vertex)):
        i, p = e.carried.vertex[k], e.carried.piece[k]
        a = bodies.piece_assembly[p]
        px, py, pz = carried(bodies.assemblies, a, e.carried.start[k])
        ux, uy, uz, _ = passing(bodies, a, h, px, py, pz)
        v.d[i, 0], v.d[i, 1], v.d[i, 2] = px + ux - x[i, 0], py + uy - x[i, 1], pz + uz - x[i, 2]
        s.way[i, 0], s.way[i, 1], s.way[i, 2] = v.d[i, 0], v.d[i, 1], v.d[i, 2]
    assemble_lattices(d, h)
    if not looked_ahead(d.meeting, h):
        meet_anew(d, s.way, h, 0)
    place_points(e.points, d.awake, x, 0, s.point)
    place_points(e.points, d.awake, s.way, 0, s.point_way)
    place_between(e.points, d.meeting, x, s.point)
    place_between(e.points, d.meeting, s.way, s.point_way)
    count = tie_rows(d, bodies, pieces, h, broken, rows, 0)
    if settings.ground_on:
        count = _rows_of_ground(d, settings, 0, count)
    look = Look(e.points, d.near, hulls, pieces, bodies, h, s.point, s.point_way, d.slots, v.slot_d, 0, d.inner)
    count = _rows_of_shapes(look, d, count)
    count = _rows_of_meetings(d, 0, count)
    count = edge_rows(look, m.pattern, d.touching.shape, rows, count)
    s.numbers[FULL] |= int(count == len(rows.gap))
    first, first_touch = 0, 0
    for look_number in range(MOST_LOOKS):
        take_part(d, bodies, settings, first, count, h)
        touches = find_slot_contacts(d, bodies, settings, constraints, h)
        if look_number and count == first and touches == first_touch:
            break
        stiffen(d, first, count, h)
        brace(d, hulls, count)
        begin_friction(d, first, count, h)
        groups = find_groups(e.vertices, len(t.solver), d.awake, rows, count, d.slots, d.groups, s.group_of)
        _solve(d, bodies.assemblies, groups, first, first_touch, h)
        first, first_touch = count, touches
        # what elastic forces and contacts bring where it would not go by itself
        place_points(e.points, d.awake, v.d, 0, s.point_way)
        if settings.ground_on:
            count = _rows_of_ground(d, settings, 1, count)
        if len(d.near.point) and d.near.found[0]:
            look = Look(e.points, d.near, hulls, pieces, bodies, h, s.point, s.point_way, d.slots, v.slot_d, 1, d.inner)
            count = _rows_of_shapes(look, d, count)
            if look_number == 0:
                count = edge_rows(look, m.pattern, d.touching.shape, rows, count)
        if strays(d, h):
            meet_anew(d, v.d, h, count)
        place_between(e.points, d.meeting, x, s.point)
        place_between(e.points, d.meeting, v.d, s.point_way)
        count = _rows_of_meetings(d, 1, count)
        s.numbers[FULL] |= int(count == len(rows.gap))
    count = first
    keep_momentum(d, bodies.assemblies, count)
    hold_back(d, count, h)
    go_on(d, hulls, bodies, settings, count, h)
    s.numbers[ROWS] = count
    s.numbers[STEPS] += 1
    d.meeting.time[ELAPSED] += h


@kernel(inner=True)
def _follow(d: Deformables) -> None:
    """Take the vertices that follow others along."""
    t, state, lead = d.elements.bodies, d.vertices, d.elements.vertices.lead
    for b in d.awake:
        if t.leads[b + 1] - t.leads[b] == t.first[b + 1] - t.first[b]:
            continue
        for i in range(t.first[b], t.first[b + 1]):
            k = lead[i]
            if k != i:
                for c in range(3):
                    state.position[i, c] = state.position[k, c]
                    state.velocity[i, c] = state.velocity[k, c]


@kernel(inner=True)
def _note_touch(d: Deformables, hulls: Hulls, bodies: Bodies, c: int) -> None:
    """Remember of a row what moves and touched the other side by it first (Touches)."""
    rows, body, asm, touches = d.rows, d.elements.vertices.body, bodies.assemblies, d.scratch.touches
    one = body[rows.vertex[c, 0]]
    moves = not touches.waits[one] and not d.asleep[one]
    if rows.shape[c] >= 0:
        p = hulls.piece[rows.shape[c]]
        a = bodies.piece_assembly[p]
        if moves and touches.piece[p] == 0:
            touches.piece[p] = 1 + one
        if asm.motion[a] != Motion.FIXED and not asm.asleep[a]:
            if touches.body[one] == 0:
                touches.body[one] = 1 + p
            for k in range(MOST_VERTICES):
                if rows.vertex[c, k] >= 0:
                    touches.at[rows.vertex[c, k]] = 1
        return
    met = False  # by something that moves
    for k in range(1, MOST_VERTICES):
        i = rows.vertex[c, k]
        if i < 0 or body[i] == one:
            continue
        if moves:
            touches.at[i] = 1
            if touches.body[body[i]] == 0:
                touches.body[body[i]] = -1 - one
        if not touches.waits[body[i]] and not d.asleep[body[i]]:
            met = True
            if touches.body[one] == 0:
                touches.body[one] = -1 - body[i]
    for k in range(MOST_VERTICES):
        i = rows.vertex[c, k]
        if met and i >= 0 and body[i] == one:
            touches.at[i] = 1


@kernel(inner=True)
def go_on(d: Deformables, hulls: Hulls, bodies: Bodies, settings: Settings, count: int, h: float) -> None:
    """Move vertices, remember what they touch, and say what assemblies get."""
    v, rows, s, t, state = d.vectors, d.rows, d.scratch, d.elements.bodies, d.vertices
    asm, touching, points = bodies.assemblies, d.touching, d.elements.points
    for b in d.awake:
        for p in range(points.first[b], points.first[b + 1]):
            touching.force[p], touching.slip[p], touching.shape[p], touching.face[p] = 0.0, 0.0, NOTHING, -1
            touching.sides[p, :] = 0
        for n in range(t.leads[b], t.leads[b + 1]):
            i = t.leading[n]
            for c in range(3):
                state.position[i, c] += v.d[i, c]
                state.push[i, c] = 0.0
                state.velocity[i, c] = v.d[i, c] / h
    for c in range(count):
        u, w, z = row_motion(rows, d.slots, c, v.d, v.slot_d)
        o, n, f = rows.passing[c], rows.normal[c], rows.acting[c]
        for k in range(MOST_VERTICES):
            i = rows.vertex[c, k]
            if i >= 0:
                for r in range(3):
                    state.push[i, r] += rows.weight[c, k] * f[r]
        if rows.tie[c] >= 0:
            s.pull[rows.tie[c]] = max(s.pull[rows.tie[c]], rows.force[c])
            for r in range(3):
                s.touches.pull[rows.tie[c], r] += h * f[r]
            continue
        if rows.lies[c] >= 0 and (rows.force[c] > 0.0 or rows.gap[c] < 0.0):
            note_side(points, rows.lies[c], rows.behind[c] != 0, rows.shape[c], touching.sides)
        on = rows.point[c]
        if rows.shape[c] >= GROUND and rows.solved[c]:  # what came loose meanwhile, too: it was held back
            for r in range(3):
                s.touches.push[on, r] += h * f[r]
            if rows.force[c] >= s.touches.most[on]:
                s.touches.most[on], s.touches.on[on] = rows.force[c], rows.shape[c]
        if not rows.force[c] > 0.0:
            continue
        _note_touch(d, hulls, bodies, c)
        if rows.force[c] >= touching.force[on]:
            touching.force[on], touching.shape[on], touching.face[on] = rows.force[c], rows.shape[c], rows.face[c]
            along = n[0] * (u - o[0]) + n[1] * (w - o[1]) + n[2] * (z - o[2])
            slip = (u - o[0]) ** 2 + (w - o[1]) ** 2 + (z - o[2]) ** 2 - along * along
            touching.slip[on] = np.sqrt(max(slip, 0.0))
        if rows.slot[c] >= 0:
            on_slot, width = s.expected[rows.slot[c]], d.cores.width[rows.shape[c]]
            on_slot[3] = min(on_slot[3], width) if on_slot[3] > 0.0 else width
        elif rows.shape[c] >= 0:
            a = bodies.piece_assembly[hulls.piece[rows.shape[c]]]
            s.pressed[a] = max(s.pressed[a], rows.force[c])
        out = (n[0] * (u - o[0]) + n[1] * (w - o[1]) + n[2] * (z - o[2])) / h
        if rows.slot[c] >= 0 or rows.shape[c] <= MET:
            continue  # what moves as well keeps the momentum
        back = min(max(out, 0.0), max(-rows.gap[c] / h, 0.0))  # speed that came of being pushed out
        for k in range(MOST_VERTICES):
            i = rows.vertex[c, k]
            if i >= 0:
                away = back * rows.weight[c, k]
                for r in range(3):
                    state.velocity[i, r] -= away * n[r]
                    s.touches.push[on, r] -= d.elements.vertices.mass[i] * away * n[r]
    _follow(d)
    for k in range(d.slots.used[0]):
        a, y = d.slots.slot[k], v.slot_d[k]
        for c in range(3):
            s.expected[a, c] = asm.position[a, c] + y[c]
            gain = asm.gravity_scale[a] * settings.gravity[c] + bodies.acceleration[a, c] + s.support[a, c]
            s.given[a, c] = (y[c] / h - asm.velocity[a, c]) / h - gain
            turn = bodies.angular_acceleration[a, c]
            s.given[a, 3 + c] = (y[3 + c] / h - asm.angular_velocity[a, c]) / h - turn
    leave_to_substeps(d, h)
