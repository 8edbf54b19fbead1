"""Pairs within an interval: where an impact sends a body out of what was searched for it, others may be met than those
that the broad phase found at the start.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Flags, Index
from ...kernels import kernel
from ...kernels.linalg import quaternion_to_matrix
from ..model import GROUND
from ..state import ContactCache
from .broad_phase import (
    IMPACT_MARGIN,
    MOST_TURN,
    Activity,
    arm_of,
    overlap,
    sweep_bounds,
    transform_shape,
    triangles_near,
    uncollided,
)
from .contact_cache import LATE, Pairs, enter_pair
from .groups import Bodies, Scene, WorldShapes

LATE_SHARE, LATE_AT_LEAST = 2, 4096
"""Late pairs of an interval: at most the found ones by the first, and the second more, as many as a body that is thrown
at a dense mesh may need. So much room an interval has, and what is found never depends on what there was room for.
"""


class Searched(NamedTuple):
    """Where bodies were expected to get in an interval when pairs were looked for, by assembly slot (A).

    velocity     : (A, 3) float64, [m/s], then
    displacement : (A, 3) float64, [m], Bodies.displacement then
    rotation     : (A, 3) float64, [rad], likewise
    turn         : (A,) float64, [rad], by how much it was expected to turn at most
    time         : (A,) float64, [s], which was left then
    reach        : (A,) float64, [m], from its centre to its furthest surface
    margin       : (A,) float64, [m], by which its bounds were wider
    thrown       : (A,) uint8, whether it left what was searched for it
    left         : (A,) int64, those that are about to leave, the first so many
    met          : (S + 1,) int64, shapes that a shape is paired with, the ground last: its number + 1
    found        : (1,) int64, pairs that the broad phase found
    """

    velocity: Array
    displacement: Array
    rotation: Array
    turn: Array
    time: Array
    reach: Array
    margin: Array
    thrown: Flags
    left: Index
    met: Index
    found: Index


def make_searched(slots: int, shapes: int) -> Searched:
    f, i8 = np.zeros, np.int64
    three = (slots, 3)
    return Searched(
        f(three),
        f(three),
        f(three),
        f(slots),
        f(slots),
        f(slots),
        f(slots),
        f(slots, np.uint8),
        f(slots, i8),
        f(shapes + 1, i8),
        f(1, i8),
    )


@kernel(inline=True)
def most_late(found: int) -> int:
    """How many late pairs there may be of an interval whose broad phase found so many."""
    return found // LATE_SHARE + LATE_AT_LEAST


@kernel(inline=True)
def _expect(searched: Searched, bodies: Bodies, a: int, time: float) -> None:
    """Assembly a goes on as it does now for a time [s]."""
    asm, turn = bodies.assemblies, 0.0
    for c in range(3):
        searched.velocity[a, c] = asm.velocity[a, c]
        searched.displacement[a, c], searched.rotation[a, c] = bodies.displacement[a, c], bodies.rotation[a, c]
        turn += asm.angular_velocity[a, c] ** 2
    searched.turn[a], searched.time[a] = min(np.sqrt(turn) * time, MOST_TURN), time


@kernel(inner=True)
def begin_search(scene: Scene, bodies: Bodies, world: WorldShapes, awake: Index, searched: Searched) -> None:
    """At the start of an interval, shapes placed: what the broad phase expects of assemblies that are awake (n,)."""
    hulls, asm = scene.hulls, bodies.assemblies
    searched.thrown[:] = 0
    for k in range(len(awake)):
        a = awake[k]
        searched.reach[a], searched.margin[a] = 0.0, np.inf
        _expect(searched, bodies, a, scene.settings.interval)
    for s in range(len(hulls.piece)):
        p = hulls.piece[s]
        a = bodies.piece_assembly[p]
        searched.reach[a] = max(searched.reach[a], hulls.bound[s] + arm_of(world, asm, s, a))
        searched.margin[a] = min(searched.margin[a], IMPACT_MARGIN * scene.pieces.size[p])


@kernel(inner=True)
def find_leaving(bodies: Bodies, awake: Index, h: float, gravity: Array, searched: Searched) -> int:
    """Assemblies that may leave within the next h [s] what was searched for them, into searched.left; returns how many.

    gravity : (3,) float64, [m/s2]
    """
    asm, displacement, rotation = bodies.assemblies, bodies.displacement, bodies.rotation
    n = 0
    for k in range(len(awake)):
        a = awake[k]
        time, out, turned, w = searched.time[a], -np.inf, 0.0, 0.0
        for c in range(3):
            d = displacement[a, c] - searched.displacement[a, c] + h * asm.velocity[a, c]
            expected = searched.velocity[a, c] * time
            fall = (abs(gravity[c]) + abs(bodies.acceleration[a, c])) * time * time
            out = max(out, d - max(expected, 0.0) - fall, min(expected, 0.0) - d - fall)
            turned += (rotation[a, c] - searched.rotation[a, c]) ** 2
            w += asm.angular_velocity[a, c] ** 2
        more = min(np.sqrt(turned) + h * np.sqrt(w), MOST_TURN) - searched.turn[a]
        if out + max(more, 0.0) * searched.reach[a] > searched.margin[a]:
            searched.left[n] = a
            n += 1
    return n


@kernel(inner=True)
def add_late_pairs(
    scene: Scene,
    bodies: Bodies,
    world: WorldShapes,
    left: int,
    number: int,
    time: float,
    activity: Flags,
    cache: ContactCache,
    entries: int,
    pairs: Pairs,
    found: int,
    searched: Searched,
    m: Array,
) -> int:
    """Pairs that the first ``left`` of searched.left may come to be in the time [s] that is left, and are not yet:
    behind the first ``found``, with new entries of the cache behind the first ``entries``. Returns how many pairs there
    are then.

    number   : of the detection they are for
    activity : (n,) uint8, of hulls, as the broad phase found it
    m        : (3, 3) float64, scratch
    """
    hulls, asm, first = scene.hulls, bodies.assemblies, found
    room = searched.found[0] + most_late(searched.found[0])
    for k in range(left):
        a = searched.left[k]
        _expect(searched, bodies, a, time)
        searched.thrown[a] = 1
        quaternion_to_matrix(asm.orientation[a], m)
        for s in range(len(activity)):
            if bodies.piece_assembly[hulls.piece[s]] != a or activity[s] == Activity.GONE:
                continue
            if world.placed_at[s] != number:
                world.placed_at[s] = number
                transform_shape(hulls, scene.pieces, asm, s, a, m, world)
            sweep_bounds(scene, bodies, world, s, a, time)
            found = _pairs_of(scene, bodies, world, s, a, activity, pairs, found, room, searched)
    for x in range(first, found):
        entry = entries + x - first
        pairs.entry[x] = entry
        pairs.known[entry] = LATE
        enter_pair(cache, entry, pairs.shape_a[x], pairs.shape_b[x])
        cache.penetration_allowance[entry] = 0.0  # it was apart
    return found


@kernel(inner=True)
def _pairs_of(
    scene: Scene,
    bodies: Bodies,
    world: WorldShapes,
    s: int,
    a: int,
    activity: Flags,
    pairs: Pairs,
    found: int,
    room: int,
    searched: Searched,
) -> int:
    """The same of shape s of assembly a, as far as there is room; returns how many pairs there are."""
    hulls, met = scene.hulls, searched.met
    ground = len(met) - 1
    for x in range(found):
        if pairs.shape_a[x] == s:
            met[ground if pairs.shape_b[x] == GROUND else pairs.shape_b[x]] = s + 1
        elif pairs.shape_b[x] == s:
            met[pairs.shape_a[x]] = s + 1
    on_ground = scene.settings.ground_on and world.lower[s, 1] < scene.settings.ground_height
    if on_ground and met[ground] != s + 1 and found < room:
        pairs.shape_a[found], pairs.shape_b[found] = s, GROUND
        found += 1
    for t in range(len(activity)):
        if met[t] == s + 1 or activity[t] == Activity.GONE or found >= room:
            continue
        if not overlap(world.lower, world.upper, s, t):
            continue
        p, q = hulls.piece[s], hulls.piece[t]
        if bodies.piece_assembly[q] == a or uncollided(scene.uncollided, scene.pieces.body[p], scene.pieces.body[q]):
            continue
        pairs.shape_a[found], pairs.shape_b[found] = min(s, t), max(s, t)
        found += 1
    for x in range(len(scene.meshes.piece)):
        begin = found
        last = triangles_near(scene, bodies, world, x, s, pairs.shape_a[:room], pairs.shape_b[:room], begin)
        for y in range(begin, min(last, room)):
            if met[pairs.shape_b[y]] != s + 1:
                pairs.shape_a[found], pairs.shape_b[found] = s, pairs.shape_b[y]
                found += 1
    return found
