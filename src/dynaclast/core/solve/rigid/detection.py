"""Contact detection: what pairs of shapes touch, or may before the next detection.

Points found earlier are carried along with their bodies while these have hardly moved against each other; else the face
that served last is tried again; else the pair is looked at afresh (narrow_phase).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Index
from ...kernels import kernel
from ...kernels.linalg import quaternion_to_matrix
from ..model import GROUND, Motion
from ..state import Assemblies, ContactCache
from .assemblies import wake, wake_one
from .broad_phase import CONTACT_MARGIN, transform_shape
from .contact_cache import KNOWN, LATE, NEW, Pairs, clear_impulses
from .groups import Bodies, Scene, WorldShapes
from .manifold import Patch, make_patch
from .narrow_phase import collide_ground, collide_hulls, collide_on_face, collide_triangle
from .outward import Interior

WAKE_SPEED = 0.06
"""A sleeper is woken by what moves faster than this share of sqrt(g * size)."""

WAKE_ISLAND_FACTOR = 4.0
"""An impact so many times as fast wakes the sleeper's whole island, not it alone."""

REUSE_SHARE = 0.004
"""Contact points are kept while both surfaces have moved past each other less than this share of the smaller piece's
size."""

MID_INTERVAL_REUSE_SHARE = 0.0075
"""The same within an interval, whose end is near."""

FACE_REUSE_ANGLE = 0.05**2
"""The face that carried a contact is tried again while the bodies have turned against each other by less (squared,
rad)."""

SPECULATIVE_MARGIN = 0.03
"""What parts is left out only beyond this share of the smaller piece's size: an impact may turn it back."""

BESIDE_TRIANGLE_SHARE = 0.01
"""What moves by this share of its size beside a triangle of a mesh may have come over it."""

ALLOWANCE_SHARE = 0.3
"""Penetration of a pair of which one side has only just come to be is allowed up to this share of the smaller piece's
size."""

GROUND_ALLOWANCE_SHARE = 0.02
"""The same against the ground."""

NEW_INTERVALS = 1.5
"""What is younger than so many intervals has only just come to be."""

MATCH_SHARE = 0.15
"""A new point takes on the impulse of an old one within this share of the smaller piece's size."""


class DetectionScratch(NamedTuple):
    """What detection writes on.

    patch       : the contact at hand
    matrix_a    : (3, 3) float64, rotation of the first assembly
    matrix_b    : (3, 3) float64, of the second
    matrix      : (3, 3) float64
    at_a        : (3,) float64
    at_b        : (3,) float64
    slip        : (4,) float64, as ``collide_hulls`` wants it
    old_points  : (4, 3) float64
    old_impulse : (4,) float64, negative where it is given on
    """

    patch: Patch
    matrix_a: Array
    matrix_b: Array
    matrix: Array
    at_a: Array
    at_b: Array
    slip: Array
    old_points: Array
    old_impulse: Array


def make_detection_scratch() -> DetectionScratch:
    f = np.zeros
    return DetectionScratch(make_patch(), f((3, 3)), f((3, 3)), f((3, 3)), f(3), f(3), f(4), f((4, 3)), f(4))


class ContactPoints(NamedTuple):
    """Contact points of the entries of the cache, K.

    position   : (K, 4, 3) float64, [m], world frame
    separation : (K, 4) float64, [m], the allowance already taken off; without points, how far apart at least
    """

    position: Array
    separation: Array


def make_contact_points(entries: int) -> ContactPoints:
    return ContactPoints(np.zeros((entries, 4, 3)), np.zeros((entries, 4)))


class Span(NamedTuple):
    """When a detection looks.

    number : int, 0 at the start of an interval, when all shapes are placed; later another for every pose, when they are
             placed as they are wanted, and nothing wakes
    time   : float, [s], until the next detection
    stops  : int, 1 where something else may stop either of a pair meanwhile
    """

    number: int | np.int64
    time: float
    stops: int | np.int64


@kernel(inner=True)
def _speed_bound(asm: Assemblies, slot: int, reach: float) -> float:
    """How fast anything of an assembly within ``reach`` [m] of its centre moves at most [m/s]."""
    v, w = asm.velocity[slot], asm.angular_velocity[slot]
    speed = np.sqrt(v[0] ** 2 + v[1] ** 2 + v[2] ** 2)
    turn = np.sqrt(w[0] ** 2 + w[1] ** 2 + w[2] ** 2)
    return speed + turn * reach


@kernel(inner=True)
def _to_world(m: Array, v: Array, out: Array) -> None:
    """m v into out; all (3, 3) and (3,) float64."""
    x, y, z = v[0], v[1], v[2]
    for c in range(3):
        out[c] = m[c, 0] * x + m[c, 1] * y + m[c, 2] * z


@kernel(inline=True)
def _reuse_points(
    cache: ContactCache, k: int, asm: Assemblies, a: int, b: int, size: float, share: float, scratch: DetectionScratch
) -> tuple[int, float]:
    """Carry the points found earlier along with their bodies, if these have hardly moved against each other.

    share   : float, REUSE_SHARE or MID_INTERVAL_REUSE_SHARE
    scratch : in: matrix_a, matrix_b; out: patch.points, patch.separations, patch.normal
    Returns : how many points, or 0 where they must be found anew, and by how much (squared) the normals in both frames
              have come apart
    """
    patch, pa, pb = scratch.patch, scratch.at_a, scratch.at_b
    axis, limit = patch.normal, share * size
    _to_world(scratch.matrix_a, cache.normal_a[k], axis)
    _to_world(scratch.matrix_b, cache.normal_b[k], pb)
    # both normals together: neither body has turned against the other by more than the limit over its size
    bend = (axis[0] - pb[0]) ** 2 + (axis[1] - pb[1]) ** 2 + (axis[2] - pb[2]) ** 2
    if bend > (2.0 * share) ** 2:
        return 0, bend
    n = cache.point_count[k]
    for i in range(n):
        _to_world(scratch.matrix_a, cache.point_a[k, i], pa)
        _to_world(scratch.matrix_b, cache.point_b[k, i], pb)
        gap, d2 = 0.0, 0.0
        for c in range(3):
            pa[c] += asm.position[a, c]
            pb[c] += asm.position[b, c]
            d = pa[c] - pb[c]
            gap += axis[c] * d
            d2 += d * d
        if d2 - gap * gap > limit * limit:
            return 0, bend
        patch.separations[i] = gap
        for c in range(3):
            patch.points[i, c] = 0.5 * (pa[c] + pb[c])
    return n, bend


@kernel(inline=True)
def _predict_motion(
    k: int, cache: ContactCache, scene: Scene, asm: Assemblies, a: int, b: int, size: float, span: Span, slip: Array
) -> float:
    """How far the surfaces of pair k can travel towards each other in a span [m]; slip (4,) as ``collide_hulls`` wants
    it.
    """
    time = span.time
    hulls, pieces, gravity = scene.hulls, scene.pieces, scene.settings.gravity
    g = np.sqrt(gravity[0] ** 2 + gravity[1] ** 2 + gravity[2] ** 2)
    s, t = cache.shape_a[k], cache.shape_b[k]
    vx = asm.velocity[a, 0] - asm.velocity[b, 0]
    vy = asm.velocity[a, 1] - asm.velocity[b, 1]
    vz = asm.velocity[a, 2] - asm.velocity[b, 2]
    swing = 0.0
    for side in range(2):
        c, x = (a, s) if side == 0 else (b, t)
        if x < 0:
            continue
        arm = hulls.bound[x]
        if asm.piece_count[c] > 1:
            p = hulls.piece[x]
            arm += np.sqrt(
                (pieces.rest_center[p, 0] - asm.rest_center[c, 0]) ** 2
                + (pieces.rest_center[p, 1] - asm.rest_center[c, 1]) ** 2
                + (pieces.rest_center[p, 2] - asm.rest_center[c, 2]) ** 2
            )
        w = asm.angular_velocity[c]
        swing += arm * np.sqrt(w[0] ** 2 + w[1] ** 2 + w[2] ** 2)
    if span.stops:
        one, other = asm.velocity[a], asm.velocity[b]
        fastest = max(one[0] ** 2 + one[1] ** 2 + one[2] ** 2, other[0] ** 2 + other[1] ** 2 + other[2] ** 2)
        swing += np.sqrt(fastest)
    slip[0], slip[1], slip[2] = vx * time, vy * time, vz * time
    slip[3] = (swing + g * time) * time + SPECULATIVE_MARGIN * size - cache.penetration_allowance[k]
    return (np.sqrt(vx * vx + vy * vy + vz * vz) + swing + g * time) * time


@kernel(inner=True)
def _place_shape(
    scene: Scene, asm: Assemblies, shape: int, slot: int, number: int, world: WorldShapes, m: Array
) -> None:
    """Place a shape where its assembly is, if that was not done for another pair of this detection. m (3, 3)
    scratch.
    """
    if world.placed_at[shape] == number or asm.motion[slot] == Motion.FIXED or asm.asleep[slot]:
        return
    world.placed_at[shape] = number
    quaternion_to_matrix(asm.orientation[slot], m)
    transform_shape(scene.hulls, scene.pieces, asm, shape, slot, m, world)


@kernel(inline=True)
def _store_points(
    k: int,
    cache: ContactCache,
    asm: Assemblies,
    a: int,
    b: int,
    size: float,
    n: int,
    had: int,
    scratch: DetectionScratch,
) -> None:
    """Write n new points of pair k into the cache; each takes on the impulse of the old point, of which there were
    ``had``, that is nearest in the frame of a.
    """
    ma, mb, patch, old_points, old_impulse = (
        scratch.matrix_a,
        scratch.matrix_b,
        scratch.patch,
        scratch.old_points,
        scratch.old_impulse,
    )
    axis, t = patch.normal, cache.shape_b[k]
    if t >= 0:
        for c in range(3):
            cache.normal_a[k, c] = ma[0, c] * axis[0] + ma[1, c] * axis[1] + ma[2, c] * axis[2]
            cache.normal_b[k, c] = mb[0, c] * axis[0] + mb[1, c] * axis[1] + mb[2, c] * axis[2]
    for i in range(had):
        for c in range(3):
            old_points[i, c] = cache.point_a[k, i, c]
        old_impulse[i] = cache.normal_impulse[k, i]
    for i in range(4):
        cache.normal_impulse[k, i] = 0.0
    reach2 = (MATCH_SHARE * size) ** 2
    for i in range(n):
        for c in range(3):
            at, at_b = 0.0, 0.0
            for r in range(3):
                at += ma[r, c] * (patch.points[i, r] + 0.5 * patch.separations[i] * axis[r] - asm.position[a, r])
                if t >= 0:
                    at_b += mb[r, c] * (patch.points[i, r] - 0.5 * patch.separations[i] * axis[r] - asm.position[b, r])
            cache.point_a[k, i, c] = at
            cache.point_b[k, i, c] = at_b
        best, least = -1, reach2
        for j in range(had):
            if old_impulse[j] < 0.0:
                continue
            d2 = (
                (cache.point_a[k, i, 0] - old_points[j, 0]) ** 2
                + (cache.point_a[k, i, 1] - old_points[j, 1]) ** 2
                + (cache.point_a[k, i, 2] - old_points[j, 2]) ** 2
            )
            if d2 < least:
                least = d2
                best = j
        if best >= 0:
            cache.normal_impulse[k, i] = old_impulse[best]
            old_impulse[best] = -1.0


@kernel(inline=True)
def _load_normal(cache: ContactCache, k: int, axis: Array) -> None:
    for c in range(3):
        axis[c] = cache.normal[k, c]


@kernel(inline=True)
def _find_points(
    scene: Scene,
    world: WorldShapes,
    inside: Interior,
    cache: ContactCache,
    k: int,
    new: bool,
    bend: float,
    margin: float,
    scratch: DetectionScratch,
) -> int:
    """Contact points of pair k by the face that served last, or afresh; returns how many.

    new  : bool, whether it was never looked at
    bend : float, how much its bodies have turned against each other since (squared, rad); inf where that is not known
    """
    hulls, meshes, patch = scene.hulls, scene.meshes, scratch.patch
    s, t, axis = cache.shape_a[k], cache.shape_b[k], patch.normal
    if new:
        for c in range(3):
            axis[c] = world.center[s, c] - world.center[t, c]
        length = np.sqrt(axis[0] ** 2 + axis[1] ** 2 + axis[2] ** 2)
        for c in range(3):
            axis[c] = axis[c] / (4.0 * length) if length > 0.0 else 0.0
    n = 0
    if bend < FACE_REUSE_ANGLE and cache.feature[k] != 0:
        n = collide_on_face(hulls, world, s, t, margin, cache.feature[k], cache.penetration_allowance[k], patch)
    if n == 0:
        if bend < np.inf:
            _load_normal(cache, k, axis)
        patch.separations[0] = margin
        if t >= meshes.first_shape:
            n = collide_triangle(hulls, world, s, t, meshes.convex_edge[t - meshes.first_shape], margin, patch)
        else:
            n = collide_hulls(hulls, world, inside, s, t, not new, margin, scratch.slip, patch)
        cache.feature[k] = patch.feature[0]
    return n


@kernel(inline=True)
def _forget_contact(scene: Scene, cache: ContactCache, k: int, size: float, patch: Patch, out: ContactPoints) -> None:
    """Pair k does not touch: how far apart it is at least goes into out."""
    out.separation[k, 0] = max(patch.separations[0], 0.0)
    if cache.shape_b[k] >= scene.meshes.first_shape:  # how far apart, but not along what
        out.separation[k, 0] = max(patch.separations[0], BESIDE_TRIANGLE_SHARE * size)
        cache.normal[k, 0], cache.normal[k, 1], cache.normal[k, 2] = 0.0, 0.0, 0.0
    cache.penetration_allowance[k] = 0.0
    cache.penetration[k] = 0.0
    cache.feature[k] = 0
    clear_impulses(cache, k)


@kernel(apart=True)
def find_contacts(
    scene: Scene,
    bodies: Bodies,
    cache: ContactCache,
    known: Pairs,
    which: Index,
    span: Span,
    world: WorldShapes,
    out: ContactPoints,
    scratch: DetectionScratch,
) -> int:
    """Contact points of some pairs, into the cache and into out.

    known   : of which the flags of the entries are read
    which   : (N,) int64, entries of the cache
    Returns : 1 if something fast woke a sleeper, else 0
    """
    hulls, asm, number = scene.hulls, bodies.assemblies, span.number
    inside = Interior(scene.inner_faces, bodies.piece_assembly)
    patch = scratch.patch
    axis, separations = patch.normal, patch.separations
    ground = len(asm.alive) - 1
    woke = 0
    for x in range(len(which)):
        k = which[x]
        s, t = cache.shape_a[k], cache.shape_b[k]
        a = bodies.piece_assembly[hulls.piece[s]]
        size = scene.pieces.size[hulls.piece[s]]
        b = ground
        if t >= 0:
            b = bodies.piece_assembly[hulls.piece[t]]
            size = min(size, scene.pieces.size[hulls.piece[t]])
        cache.penetration_allowance[k] = min(cache.penetration_allowance[k], 0.0)
        travel = _predict_motion(k, cache, scene, asm, a, b, size, span, scratch.slip)
        margin = travel + CONTACT_MARGIN * size - cache.penetration_allowance[k]
        _load_normal(cache, k, axis)
        kept, bend = 0, 0.0 if number > 0 and cache.point_count[k] > 0 else np.inf
        carried = t >= 0 and (known.known[k] == KNOWN or number > 0) and cache.point_count[k] > 0
        if carried:
            quaternion_to_matrix(asm.orientation[a], scratch.matrix_a)
            quaternion_to_matrix(asm.orientation[b], scratch.matrix_b)
            share = REUSE_SHARE if number == 0 else MID_INTERVAL_REUSE_SHARE
            kept, bend = _reuse_points(cache, k, asm, a, b, size, share, scratch)
            if kept == 0:
                _load_normal(cache, k, axis)
        if kept == 0 and number > 0:
            _place_shape(scene, asm, s, a, number, world, scratch.matrix)
            if t >= 0:
                _place_shape(scene, asm, t, b, number, world, scratch.matrix)
        new = known.known[k] == NEW and number == 0
        if kept > 0:
            n = kept
        elif t == GROUND:
            separations[0] = margin
            n = collide_ground(hulls, world, s, scene.settings.ground_height, margin, patch)
            axis[0], axis[1], axis[2] = 0.0, 1.0, 0.0
        else:
            unseen = new or known.known[k] == LATE
            n = _find_points(scene, world, inside, cache, k, unseen, bend, margin, scratch)
        for c in range(3):
            cache.normal[k, c] = axis[c]
        had = cache.point_count[k]
        cache.point_count[k] = n
        if n == 0:
            _forget_contact(scene, cache, k, size, patch, out)
            continue
        deepest = separations[0]
        for i in range(1, n):
            deepest = min(deepest, separations[i])
        _allow_penetration(scene, asm, cache, k, a, b, size, new, min(deepest, 0.0))
        for i in range(n):
            for c in range(3):
                out.position[k, i, c] = patch.points[i, c]
            out.separation[k, i] = separations[i] - cache.penetration_allowance[k]
        if kept == 0:
            if not carried:
                quaternion_to_matrix(asm.orientation[a], scratch.matrix_a)
                quaternion_to_matrix(asm.orientation[b], scratch.matrix_b)
            _store_points(k, cache, asm, a, b, size, n, had, scratch)
        if number == 0 and t >= 0:
            woke |= _wake_on_contact(k, a, b, cache, asm, scene, size, deepest, travel)
    return woke


@kernel(inline=True)
def _allow_penetration(
    scene: Scene, asm: Assemblies, cache: ContactCache, k: int, a: int, b: int, size: float, new: bool, deepest: float
) -> None:
    """What penetration of pair k (deepest <= 0) [m] is never pushed out: that of what came to be just now, touching or
    overlapping; what met later has no excuse. It only shrinks.
    """
    cache.penetration[k] = -deepest
    if not new:
        cache.penetration_allowance[k] = max(deepest, cache.penetration_allowance[k])
        return
    young = NEW_INTERVALS * scene.settings.interval
    share = ALLOWANCE_SHARE if cache.shape_b[k] >= 0 else GROUND_ALLOWANCE_SHARE
    fresh = asm.age[a] < young or asm.age[b] < young
    cache.penetration_allowance[k] = max(deepest, -share * size) if fresh else 0.0


@kernel(inline=True)
def _wake_on_contact(
    k: int,
    a: int,
    b: int,
    cache: ContactCache,
    asm: Assemblies,
    scene: Scene,
    size: float,
    deepest: float,
    travel: float,
) -> int:
    """Wake a sleeper that something meets fast enough to move it; returns 1 if it was woken.

    What counts is the speed the sleeper would take on. A light tap wakes it alone, an impact its whole island.
    """
    if asm.asleep[a] == asm.asleep[b]:
        return 0
    hulls, gravity = scene.hulls, scene.settings.gravity
    mover, sleeper = (b, a) if asm.asleep[a] else (a, b)
    shape = cache.shape_b[k] if asm.asleep[a] else cache.shape_a[k]
    near = deepest - cache.penetration_allowance[k] < CONTACT_MARGIN * size + travel
    if asm.motion[mover] == Motion.FIXED or not near:
        return 0
    if asm.motion[mover] == Motion.KINEMATIC:  # it does not stop for a sleeper, however slow it is
        wake(sleeper, asm)
        return 1
    g = np.sqrt(gravity[0] ** 2 + gravity[1] ** 2 + gravity[2] ** 2)
    limit = WAKE_SPEED * np.sqrt(g * size + 1e-12)
    speed = _speed_bound(asm, mover, hulls.bound[shape]) * 2.0 * asm.mass[mover] / (asm.mass[mover] + asm.mass[sleeper])
    if speed <= limit:
        return 0
    if speed > WAKE_ISLAND_FACTOR * limit:
        wake(sleeper, asm)
    else:
        wake_one(sleeper, asm)
    return 1
