"""Sleep: what is in balance for half a second costs nothing until something wakes it.

Slow is not still: what falls slowly, leans past tipping, swings a little or creeps gets away from its place, while what
bears itself trembles about it. So stillness is measured by distance, over half a second, against what the least lack of
balance would do; and only what is held up, in the end, by something fixed or asleep can rest.

What can fall asleep is a *node* of one union-find: the first nodes are assemblies by their slots, and bodies of other
matter follow. What falls asleep together and touches is one island, which an impact wakes together.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Flag, Flags, Index, Int, Scalar
from ...kernels import kernel
from ...kernels.union_find import find_root, unite
from ..model import Motion, Settings
from ..state import NOT_MEASURED, Assemblies
from .assemblies import wake
from .constraints import ContactConstraints
from .joints import Joints

BALANCE = 8e-4
"""What rests is out of balance by less than this share of gravity: in SLEEP_AFTER it comes no farther than that would
take it from rest."""
JOINT_BALANCE = 4e-5
"""The same of what hangs from joints, which do not tremble."""
LEAST_GRAVITY = 0.1
"""Where there is less gravity [m/s2], balance is measured against this."""
SLEEP_AFTER = 0.5
"""Seconds without leaving its place after which an island sleeps."""
SLOW_SPEED = 0.03
"""An assembly is slow below this share of sqrt(g * size) [m/s]."""
FASTEST = 100.0
"""Speeds are smoothed up to this [m/s]."""
BALANCED = 0.02
"""A sleeper is pressed up by no more than this share above its weight."""
UPWARD = 0.3
"""What a contact pushes up by more than this share of its force rests on the other side."""
SMOOTHING = 0.1
"""Share of the newest speed in the mean."""


class Links(NamedTuple):
    """Where bodies of other matter press on, or are tied to, assemblies or one another; there is room for L of them.

    count   : (1,) int64, how many there are
    slot    : (L,) int64, node of what it presses on: of an assembly its slot
    node    : (L,) int64, node of the body
    presses : (L,) uint8, a contact; 0 for a tie
    still   : (M,) uint8, bodies of other matter that have been still long enough, their nodes in order
    """

    count: Index
    slot: Index
    node: Index
    presses: Flag
    still: Flag


def make_links(room: int, bodies: int) -> Links:
    """None yet, with room for so many, of so many bodies of other matter."""
    none = np.zeros(room, np.int64)
    return Links(np.zeros(1, np.int64), none, none.copy(), np.zeros(room, np.uint8), np.zeros(bodies, np.uint8))


class SleepScratch(NamedTuple):
    """Scratch by node (n >= A).

    parent    : (n,) int32, of the union-find
    supported : (n,) uint8, something presses on it
    carried   : (n,) uint8, what is kinematic presses on it
    jointed   : (n,) uint8
    restless  : (n,) uint8, not still for long enough
    awake     : (n,) uint8, it stays awake
    grounded  : (n,) uint8, of roots: something fixed or asleep holds it up
    pressed   : (n,) float64, [N s], what presses on sleepers from below that is awake
    """

    parent: Int
    supported: Flag
    carried: Flag
    jointed: Flag
    restless: Flag
    awake: Flag
    grounded: Flag
    pressed: Scalar


@kernel
def any_awake(alive: Flags, motion: Flags, asleep: Flags) -> int:
    """Whether an assembly is awake and free to move, by columns of these (A,)."""
    for a in range(len(alive)):
        if alive[a] == 1 and motion[a] == Motion.DYNAMIC and asleep[a] == 0:
            return 1
    return 0


@kernel(inline=True)
def _load(contacts: ContactConstraints, r: int) -> float:
    """Sum of a manifold's normal impulses [N s]."""
    load = 0.0
    for i in range(contacts.point_count[r]):
        load += contacts.normal_impulse[r, i]
    return load


@kernel(inner=True)
def _slow_speed(asm: Assemblies, a: int, g: float) -> float:
    """Speed below which an assembly is slow [m/s]; g [m/s2]."""
    return SLOW_SPEED * np.sqrt(max(g, 1.0) * asm.radius[a] * 2.0)


@kernel(inner=True)
def _update_dwell(asm: Assemblies, a: int, dt: float, farthest: float) -> None:
    """Count how long no point of a body has left its place by more than ``farthest`` [m]."""
    d2, dot = 0.0, 0.0
    for c in range(3):
        d2 += (asm.position[a, c] - asm.dwell_position[a, c]) ** 2
    for c in range(4):
        dot += asm.orientation[a, c] * asm.dwell_orientation[a, c]
    angle = np.sqrt(8.0 * max(0.0, 1.0 - abs(dot)))  # half of it has cosine |dot|
    if asm.dwell_time[a] > 0.0 and np.sqrt(d2) + angle * asm.radius[a] <= farthest:
        asm.dwell_time[a] += dt
        return
    asm.dwell_time[a] = 1e-9
    for c in range(3):
        asm.dwell_position[a, c] = asm.position[a, c]
    for c in range(4):
        asm.dwell_orientation[a, c] = asm.orientation[a, c]


@kernel(inner=True)
def _mark_support(
    asm: Assemblies, contacts: ContactConstraints, contact_count: int, tied: Joints, links: Links, scratch: SleepScratch
) -> None:
    """What presses on what, carries it, or is joined to it."""
    for k in range(links.count[0]):
        if links.presses[k]:
            scratch.supported[links.slot[k]] = 1
        else:
            scratch.jointed[links.slot[k]] = 1
    for r in range(contact_count):
        a, b = contacts.body_a[r], contacts.body_b[r]
        kinematic = asm.motion[a] == Motion.KINEMATIC or asm.motion[b] == Motion.KINEMATIC
        for i in range(contacts.point_count[r]):
            if contacts.normal_impulse[r, i] > 0.0:
                scratch.supported[a] = 1
                scratch.supported[b] = 1
                if kinematic:
                    scratch.carried[a] = 1
                    scratch.carried[b] = 1
    for r in range(tied.active[0]):
        a, b = tied.constraints.body_a[r], tied.constraints.body_b[r]
        scratch.jointed[a] = 1
        scratch.jointed[b] = 1
        if asm.motion[a] == Motion.KINEMATIC or asm.motion[b] == Motion.KINEMATIC:
            scratch.carried[a] = 1
            scratch.carried[b] = 1


@kernel(inner=True)
def _update_stillness(asm: Assemblies, a: int, g: float, dt: float, scratch: SleepScratch) -> None:
    """Bring the mean of a body's speed up to date, and count how long it has stayed in its place."""
    v, w = asm.velocity[a], asm.angular_velocity[a]
    speed = np.sqrt(v[0] ** 2 + v[1] ** 2 + v[2] ** 2) + np.sqrt(w[0] ** 2 + w[1] ** 2 + w[2] ** 2) * asm.radius[a]
    newest = 1.0 if asm.mean_speed[a] > 0.5 * NOT_MEASURED else SMOOTHING
    asm.mean_speed[a] += newest * (min(speed, FASTEST) - asm.mean_speed[a])
    pull = max(g * abs(asm.gravity_scale[a]), LEAST_GRAVITY)
    share = BALANCE if scratch.supported[a] else JOINT_BALANCE
    _update_dwell(asm, a, dt, 0.5 * share * pull * SLEEP_AFTER * SLEEP_AFTER)


@kernel(inline=True)
def _upper_and_lower(contacts: ContactConstraints, r: int, gravity: Array) -> tuple[int, int]:
    """Of a contact that presses, what rests on the other side, and that; -1 where neither does."""
    up, g2 = 0.0, 0.0
    for c in range(3):
        up -= contacts.normal[r, c] * gravity[c]
        g2 += gravity[c] * gravity[c]
    if up * up <= UPWARD * UPWARD * g2 or _load(contacts, r) <= 0.0:
        return -1, -1
    if up > 0.0:
        return contacts.body_a[r], contacts.body_b[r]
    return contacts.body_b[r], contacts.body_a[r]


@kernel(inner=True)
def _keep_awake(
    asm: Assemblies,
    awake: Index,
    contacts: ContactConstraints,
    contact_count: int,
    tied: Joints,
    links: Links,
    gravity: Array,
    scratch: SleepScratch,
) -> None:
    """What is restless stays awake, with what it is joined to and what presses on it, and what rests on that, in turn.
    What it rests on may sleep: a trembling piece does not keep the heap awake.
    """
    g = np.sqrt(gravity[0] ** 2 + gravity[1] ** 2 + gravity[2] ** 2)
    restless = scratch.restless
    ground = len(asm.alive) - 1
    for k in range(len(awake)):
        a = awake[k]
        if asm.dwell_time[a] < SLEEP_AFTER:
            restless[a] = 1
            scratch.awake[a] = 1
    for r in range(tied.active[0]):
        a, b = tied.constraints.body_a[r], tied.constraints.body_b[r]
        if asm.motion[a] != Motion.DYNAMIC or asm.motion[b] != Motion.DYNAMIC or a == ground or b == ground:
            continue
        if restless[a]:
            scratch.awake[b] = 1
        if restless[b]:
            scratch.awake[a] = 1
    for r in range(contact_count):
        a, b = contacts.body_a[r], contacts.body_b[r]
        if _load(contacts, r) <= 0.0 or not _may_sleep(asm, a, b):
            continue
        if restless[a] and not asm.mean_speed[a] < _slow_speed(asm, a, g):
            scratch.awake[b] = 1
        if restless[b] and not asm.mean_speed[b] < _slow_speed(asm, b, g):
            scratch.awake[a] = 1
    for k in range(len(awake)):
        a = awake[k]
        held_up = scratch.grounded[find_root(scratch.parent, np.int64(a))]
        if scratch.carried[a] or not held_up:
            scratch.awake[a] = 1
    for m in range(len(links.still)):
        scratch.awake[len(asm.alive) + m] = not links.still[m]
    changed = True
    while changed:
        changed = False
        for r in range(contact_count):
            upper, lower = _upper_and_lower(contacts, r, gravity)
            if upper >= 0 and scratch.awake[lower] and not scratch.awake[upper] and _may_sleep(asm, upper, lower):
                scratch.awake[upper] = 1
                changed = True
        # what bodies of other matter bear, or are held by, sleeps when they do
        for k in range(links.count[0]):
            a, node = links.slot[k], links.node[k]
            if scratch.awake[a] != scratch.awake[node]:
                scratch.awake[a] = scratch.awake[node] = 1
                changed = True


@kernel(inner=True)
def _find_grounded(
    asm: Assemblies, contacts: ContactConstraints, contact_count: int, tied: Joints, links: Links, scratch: SleepScratch
) -> None:
    """Join what presses on, or is joined to, one another, and mark of each such group whether something that is not
    moved by forces now bears it: also a body of other matter that has been still for long.
    """
    for k in range(links.count[0]):
        if links.still[links.node[k] - len(asm.alive)]:
            scratch.grounded[links.slot[k]] = 1
    for r in range(contact_count):
        if _load(contacts, r) > 0.0:
            _bear(asm, contacts.body_a[r], contacts.body_b[r], scratch)
    for r in range(tied.active[0]):
        _bear(asm, tied.constraints.body_a[r], tied.constraints.body_b[r], scratch)
    for a in range(len(asm.alive)):
        if scratch.grounded[a]:
            scratch.grounded[find_root(scratch.parent, np.int64(a))] = 1


@kernel(inner=True)
def _bear(asm: Assemblies, a: int, b: int, scratch: SleepScratch) -> None:
    """One holds the other up."""
    if _may_sleep(asm, a, b):
        unite(scratch.parent, np.int64(a), np.int64(b))
        return
    for x in (a, b):
        scratch.grounded[x] = 1


@kernel(inline=True)
def _may_sleep(asm: Assemblies, a: int, b: int) -> bool:
    """Whether both are awake and dynamic."""
    if b == len(asm.alive) - 1 or a == len(asm.alive) - 1:
        return False
    if asm.motion[a] != Motion.DYNAMIC or asm.motion[b] != Motion.DYNAMIC:
        return False
    return not asm.asleep[a] and not asm.asleep[b]


@kernel(inner=True)
def _wake_upper(
    asm: Assemblies, contacts: ContactConstraints, contact_count: int, settings: Settings, pressed: Array
) -> None:
    """Wake what is pressed up, by what is awake under it, with more than its weight. What sleeps does not give way:
    between it and the ground, what is awake would be pressed as in a vice, by forces that grow and that nothing weighs.
    """
    gravity = settings.gravity
    g = np.sqrt(gravity[0] ** 2 + gravity[1] ** 2 + gravity[2] ** 2)
    h = settings.interval / settings.substeps
    for r in range(contact_count):
        upper, lower = _upper_and_lower(contacts, r, gravity)
        if upper < 0 or not asm.asleep[upper] or asm.asleep[lower] or lower == len(asm.alive) - 1:
            continue
        if asm.motion[upper] == Motion.DYNAMIC and asm.motion[lower] == Motion.DYNAMIC:
            pressed[upper] += _load(contacts, r)
            if pressed[upper] > (1.0 + BALANCED) * asm.mass[upper] * g * abs(asm.gravity_scale[upper]) * h:
                wake(np.int64(upper), asm)


@kernel(inner=True)
def _couple(asm: Assemblies, a: int, b: int, scratch: SleepScratch) -> None:
    """What falls asleep touching, or joined, is one island."""
    if not scratch.awake[a] and not scratch.awake[b] and _may_sleep(asm, a, b):
        unite(scratch.parent, np.int64(a), np.int64(b))


@kernel(apart=True)
def update_sleep(
    asm: Assemblies,
    awake: Index,
    contacts: ContactConstraints,
    contact_count: int,
    tied: Joints,
    links: Links,
    settings: Settings,
    scratch: SleepScratch,
) -> int:
    """Put to sleep what has been still long enough; ``scratch.awake`` then says which bodies of other matter may.

    awake   : (n,) int64, slots
    Returns : how many fell asleep
    """
    gravity = settings.gravity
    g = np.sqrt(gravity[0] ** 2 + gravity[1] ** 2 + gravity[2] ** 2)
    for n in range(len(scratch.parent)):
        scratch.parent[n] = n
        scratch.supported[n] = scratch.carried[n] = scratch.jointed[n] = 0
        scratch.restless[n] = scratch.awake[n] = scratch.grounded[n] = 0
        scratch.pressed[n] = 0.0
    for a in range(len(asm.alive)):
        asm.age[a] = min(1.0, asm.age[a] + settings.interval)
    _mark_support(asm, contacts, contact_count, tied, links, scratch)
    _find_grounded(asm, contacts, contact_count, tied, links, scratch)
    for k in range(len(awake)):
        _update_stillness(asm, awake[k], g, settings.interval, scratch)
    _keep_awake(asm, awake, contacts, contact_count, tied, links, gravity, scratch)
    for n in range(len(scratch.parent)):
        scratch.parent[n] = n
    for r in range(contact_count):
        _couple(asm, contacts.body_a[r], contacts.body_b[r], scratch)
    for r in range(tied.active[0]):
        _couple(asm, tied.constraints.body_a[r], tied.constraints.body_b[r], scratch)
    slept = 0
    for k in range(len(awake)):
        a = awake[k]
        if scratch.awake[a]:
            continue
        asm.asleep[a] = 1
        asm.sleep_island[a] = find_root(scratch.parent, np.int64(a))
        for c in range(3):
            asm.velocity[a, c] = 0.0
            asm.angular_velocity[a, c] = 0.0
        slept += 1
    _wake_upper(asm, contacts, contact_count, settings, scratch.pressed)
    return slept
