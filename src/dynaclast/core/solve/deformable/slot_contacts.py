"""Contacts of assemblies with one another within a step of deformable bodies.

What a sheet holds back may be pressed on by something else. Solved without that, a step would stop a light crate that a
heavy one goes on to drive forward, and the sheet would come to lie inside it: the rigid contacts of the substeps have
the last word. So points of contact at which an assembly that takes part would go into another press in the step as
well, without friction, as stiffly as contacts of vertices do. What they push is no part of what the step gives to
assemblies: the substeps bring it once more, by the contacts themselves.
"""

from __future__ import annotations

import numpy as np

from ...arrays import Array, Flags
from ...kernels import kernel
from ...kernels.linalg import invert_symmetric_3x3, multiply_rotated, quaternion_to_matrix
from ..model import Hulls, Motion, Settings
from ..rigid.constraints import CONTACTS, RESTITUTION_SPEED, SPECULATIVE, ConstraintSet, ContactConstraints
from ..rigid.groups import Bodies
from ..rigid.redetection import may_meet
from .parts import Deformables
from .row_forces import CONTACT_STIFFNESS
from .system import FOUND, POINTS, Group, Slots, push_slots_apart, slots_apart

LET_BE = 2e-4
"""What would go in by less than this share of the smaller piece's size is left to the substeps."""


@kernel(inner=True)
def _free_way(d: Deformables, bodies: Bodies, settings: Settings, a: int, c: int, h: float) -> tuple[float, float]:
    """How far an assembly that forces move would go along an axis by itself in a step [m], and turn about it [rad]."""
    asm = bodies.assemblies
    gain = asm.gravity_scale[a] * settings.gravity[c] + bodies.acceleration[a, c] + d.scratch.support[a, c]
    turn = bodies.angular_acceleration[a, c]
    return h * (asm.velocity[a, c] + h * gain), h * (asm.angular_velocity[a, c] + h * turn)


@kernel(inner=True)
def enter_slot(d: Deformables, bodies: Bodies, settings: Settings, a: int, h: float) -> None:
    """Let an assembly take part in a step, unless it does, and say how it would go by itself."""
    slots, asm, s = d.slots, bodies.assemblies, d.scratch
    if slots.place[a] >= 0:
        return
    k = slots.used[0]
    slots.place[a], slots.slot[k], slots.used[0] = k, a, k + 1
    slots.mass[k] = asm.mass[a] / (h * h)
    quaternion_to_matrix(asm.orientation[a], s.matrix3)
    o, y = slots.inertia[k], d.vectors.slot_d[k]
    for c in range(3):
        e, f, g = 1.0 if c == 0 else 0.0, 1.0 if c == 1 else 0.0, 1.0 if c == 2 else 0.0
        u, v, w = multiply_rotated(s.matrix3, asm.inertia[a], e, f, g)
        o[0, c], o[1, c], o[2, c] = u / (h * h), v / (h * h), w / (h * h)
        y[c], y[3 + c] = _free_way(d, bodies, settings, a, c, h)
    for c in range(3):
        s.slot_base[k, c] = slots.mass[k] * y[c]
        s.slot_base[k, 3 + c] = o[c, 0] * y[3] + o[c, 1] * y[4] + o[c, 2] * y[5]


@kernel(inner=True)
def _leave_all(slots: Slots) -> None:
    """A new step: nothing takes part yet."""
    for k in range(slots.used[0]):
        slots.place[slots.slot[k]] = -1
    slots.used[0], slots.touch.count[POINTS], slots.touch.made[:] = 0, 0, 0


@kernel(inner=True)
def take_part(d: Deformables, bodies: Bodies, settings: Settings, first: int, count: int, h: float) -> None:
    """The assemblies that rows from the first on lead to, and how they would go by themselves; those that rows before
    lead to stay as they are.
    """
    if first == 0:
        _leave_all(d.slots)
    for c in range(first, count):
        if d.rows.slot[c] >= 0:
            enter_slot(d, bodies, settings, d.rows.slot[c], h)


@kernel(inner=True)
def _goes(
    d: Deformables, bodies: Bodies, settings: Settings, contacts: ContactConstraints, m: int, i: int, end: int, h: float
) -> float:
    """How far an end of point i of contact m goes along the normal in the step [m], by what is known of it yet."""
    a = contacts.body_a[m] if end == 0 else contacts.body_b[m]
    asm, n, j, e, way = bodies.assemblies, contacts.normal[m], contacts.normal_jacobian[m, i], 3 * end, 0.0
    if d.slots.place[a] >= 0:
        y = d.vectors.slot_d[d.slots.place[a]]
        for c in range(3):
            way += n[c] * y[c] + j[e + c] * y[3 + c]
        return way
    free = bodies.inv_mass[a] > 0.0
    if not free and asm.motion[a] != Motion.KINEMATIC:
        return 0.0
    for c in range(3):
        goes, turns = h * asm.velocity[a, c], h * asm.angular_velocity[a, c]
        if free:
            goes, turns = _free_way(d, bodies, settings, a, c, h)
        way += n[c] * goes + j[e + c] * turns
    return way


@kernel(inner=True)
def _separation(bodies: Bodies, contacts: ContactConstraints, m: int, i: int) -> float:
    """Of point i of contact m, now [m]."""
    a, b, n, j = contacts.body_a[m], contacts.body_b[m], contacts.normal[m], contacts.normal_jacobian[m, i]
    out = contacts.start_separation[m, i]
    for c in range(3):
        out += n[c] * (bodies.displacement[a, c] - bodies.displacement[b, c])
        out += j[c] * bodies.rotation[a, c] - j[3 + c] * bodies.rotation[b, c]
    return out


@kernel(inner=True)
def _bounce(bodies: Bodies, contacts: ContactConstraints, m: int, i: int, gap: float, h: float) -> float:
    """How far point i of contact m parts again within the step, where it meets fast enough to bounce [m]."""
    slow, asm = -RESTITUTION_SPEED * contacts.characteristic_speed[m], bodies.assemblies
    if contacts.restitution[m] <= 0.0 or contacts.target_velocity[m, i] != 0.0:
        return 0.0
    a, b, n, j, along = contacts.body_a[m], contacts.body_b[m], contacts.normal[m], contacts.normal_jacobian[m, i], 0.0
    for c in range(3):
        along += n[c] * (asm.velocity[a, c] - asm.velocity[b, c])
        along += j[c] * asm.angular_velocity[a, c] - j[3 + c] * asm.angular_velocity[b, c]
    if along > slow or contacts.approach_velocity[m, i] > slow:
        return 0.0
    return contacts.restitution[m] * max(-along * h - gap, 0.0)


@kernel(inner=True)
def _heavier(bodies: Bodies, contacts: ContactConstraints, m: int, i: int) -> float:
    """Mass that the heavier of the two has at point i of contact m along its normal [kg], of those that forces move:
    what is light between it and a sheet shall not give way.
    """
    a, b, j = contacts.body_a[m], contacts.body_b[m], contacts.normal_jacobian[m, i]
    one, other = bodies.inv_mass[a], bodies.inv_mass[b]
    for c in range(3):
        one += j[c] * j[6 + c]
        other += j[3 + c] * j[9 + c]
    least = min(one if one > 0.0 else np.inf, other if other > 0.0 else np.inf)
    return 1.0 / least


@kernel(inner=True)
def note_beside(d: Deformables, hulls: Hulls, bodies: Bodies) -> None:
    """Which assemblies are near deformable bodies in an interval."""
    near, beside = d.near, d.scratch.beside
    beside[:] = 0
    for k in range(min(near.found[0], len(near.point))):
        beside[bodies.piece_assembly[hulls.piece[near.shape[k]]]] = 1


@kernel(inner=True)
def find_coming(d: Deformables, bodies: Bodies, constraints: ConstraintSet, h: float) -> int:
    """What may meet an assembly beside a deformable body within the step, though that stops: into constraints.stale.
    Returns how many pairs.
    """
    contacts, speculative, stale = constraints.contacts, constraints.speculative, constraints.stale
    beside, n = d.scratch.beside, 0
    for r in range(constraints.counts[CONTACTS]):
        a, b = contacts.body_a[r], contacts.body_b[r]
        if contacts.point_count[r] == 0 and (beside[a] or beside[b]):
            motion, bound, normal = contacts.reference_motion[r], contacts.bound[r], contacts.normal[r]
            if _comes(motion, bound, a, b, normal, contacts.separation[r, 0], bodies, beside, h):
                stale.place[n], stale.speculative[n] = r, 0
                n += 1
    for s in range(constraints.counts[SPECULATIVE]):
        a, b = speculative.body_a[s], speculative.body_b[s]
        if speculative.separation[s] < np.inf and (beside[a] or beside[b]):
            motion, bound, normal = speculative.reference_motion[s], speculative.bound[s], speculative.normal[s]
            if _comes(motion, bound, a, b, normal, speculative.separation[s], bodies, beside, h):
                stale.place[n], stale.speculative[n] = s, 1
                n += 1
    return n


@kernel(inner=True)
def _comes(
    motion: Array, bound: Array, a: int, b: int, normal: Array, gap: float, bodies: Bodies, beside: Flags, h: float
) -> bool:
    """Whether two bodies meet within h [s], as they go now, or if one is stopped by what it is beside."""
    if may_meet(motion, bound, a, b, normal, gap, bodies, h, 1.0, 1.0):
        return True
    if beside[a] and may_meet(motion, bound, a, b, normal, gap, bodies, h, 0.0, 1.0):
        return True
    return beside[b] != 0 and may_meet(motion, bound, a, b, normal, gap, bodies, h, 1.0, 0.0)


@kernel(inner=True)
def find_slot_contacts(d: Deformables, bodies: Bodies, settings: Settings, constraints: ConstraintSet, h: float) -> int:
    """Contacts in which an assembly that takes part would go into another, which then takes part, too; by how these
    would go by themselves, or by what a solution says. Returns how many points of contact there are then.
    """
    slots, touch, contacts, place = d.slots, d.slots.touch, constraints.contacts, d.slots.place
    count = constraints.counts[CONTACTS]
    if slots.used[0] == 0:
        return touch.count[POINTS]
    touch.count[FOUND] = max(touch.count[FOUND], count)
    if count > len(touch.made):  # without room, the interval is solved again
        return touch.count[POINTS]
    for m in range(count):
        a, b = contacts.body_a[m], contacts.body_b[m]
        if touch.made[m] or contacts.point_count[m] == 0 or (place[a] < 0 and place[b] < 0):
            continue
        goes_in = False
        for i in range(contacts.point_count[m]):
            end = _separation(bodies, contacts, m, i)
            end += _goes(d, bodies, settings, contacts, m, i, 0, h) - _goes(d, bodies, settings, contacts, m, i, 1, h)
            goes_in = goes_in or end < -LET_BE * contacts.size[m]
        if not goes_in:
            continue
        touch.made[m] = 1
        for i in range(contacts.point_count[m]):
            q = touch.count[POINTS]
            touch.count[POINTS] += 1
            touch.slot[q, 0], touch.slot[q, 1], touch.passing[q] = -1, -1, 0.0
            for end in range(2):
                s = a if end == 0 else b
                if bodies.inv_mass[s] > 0.0:
                    enter_slot(d, bodies, settings, s, h)
                    touch.slot[q, end] = s
                else:
                    way = _goes(d, bodies, settings, contacts, m, i, end, h)
                    touch.passing[q] += way if end == 0 else -way
            for c in range(3):
                touch.normal[q, c] = contacts.normal[m, c]
                touch.jacobian[q, c] = contacts.normal_jacobian[m, i, c]
                touch.jacobian[q, 3 + c] = contacts.normal_jacobian[m, i, 3 + c]
            touch.gap[q] = max(_separation(bodies, contacts, m, i), 0.0)
            touch.gap[q] -= _bounce(bodies, contacts, m, i, touch.gap[q], h)
            touch.stiffness[q] = CONTACT_STIFFNESS * _heavier(bodies, contacts, m, i) / (h * h)
            touch.active[q] = 1
    return touch.count[POINTS]


@kernel(inner=True)
def add_slot_stiffness(slots: Slots, q: int) -> None:
    """Add that of a point of contact to the matrix of each assembly by itself."""
    touch = slots.touch
    n, k = touch.normal[q], touch.stiffness[q]
    for end in range(2):
        s = touch.slot[q, end]
        if s < 0:
            continue
        a, j = slots.matrix[slots.place[s]], touch.jacobian[q, 3 * end : 3 * end + 3]
        for r in range(3):
            for c in range(3):
                a[r, c] += k * n[r] * n[c]
                a[3 + r, c] += k * j[r] * n[c]
                a[r, 3 + c] += k * n[r] * j[c]
                a[3 + r, 3 + c] += k * j[r] * j[c]


@kernel(inner=True)
def pull_of_contacts(d: Deformables, group: Group) -> None:
    """Add what contacts of assemblies push before anything has moved to the right side of a group."""
    touch = d.slots.touch
    for q in group.touch:
        touch.solved[q] = touch.active[q]
        if touch.active[q]:
            push_slots_apart(d.slots, q, -touch.stiffness[q] * (touch.gap[q] + touch.passing[q]), d.vectors.slot_b)


@kernel(inner=True)
def look_again_at_contacts(d: Deformables, group: Group) -> int:
    """Which contacts of assemblies press in a group, now that all have moved; for how many that is otherwise."""
    touch, changed = d.slots.touch, 0
    for q in group.touch:
        gap = touch.gap[q] + touch.passing[q] + slots_apart(d.slots, q, d.vectors.slot_d)
        presses = np.uint8(gap < 0.0)
        changed += touch.active[q] != presses
        touch.active[q] = presses
    return changed


@kernel(inner=True)
def leave_to_substeps(d: Deformables, h: float) -> None:
    """Take out of d.scratch.given what contacts of assemblies pushed in the step."""
    slots, touch, v, given = d.slots, d.slots.touch, d.vectors, d.scratch.given
    if touch.count[POINTS] == 0:
        return
    for k in range(slots.used[0]):
        v.slot_p[k, :] = 0.0
    for q in range(touch.count[POINTS]):
        if touch.solved[q]:
            gap = touch.gap[q] + touch.passing[q] + slots_apart(slots, q, v.slot_d)
            push_slots_apart(slots, q, -touch.stiffness[q] * gap, v.slot_p)
    for k in range(slots.used[0]):
        a, f, m = slots.slot[k], v.slot_p[k], d.scratch.matrix3
        invert_symmetric_3x3(slots.inertia[k], m)
        for c in range(3):
            given[a, c] -= f[c] / (slots.mass[k] * h * h)
            given[a, 3 + c] -= (m[c, 0] * f[3] + m[c, 1] * f[4] + m[c, 2] * f[5]) / (h * h)
