"""Contact constraints out of contact points: lever arms, effective masses, friction, and the impulses known from
before.

Source: sequential impulses, Catto 2005, "Iterative Dynamics with Temporal Coherence".
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import (
    Array,
    Flag,
    Flags,
    Index,
    Int,
    Mat2x3,
    Mat2x12,
    Mat4x3,
    Mat4x12,
    Scalar,
    Vec2,
    Vec3,
    Vec4,
    Vec6,
    Vec9,
    allocate,
)
from ...kernels import kernel
from ...kernels.linalg import quaternion_to_matrix
from ..model import Motion
from ..state import Assemblies, ContactCache
from .detection import ContactPoints
from .groups import Bodies, Scene
from .worklist import Worklist, make_worklist

RESTITUTION_SPEED = 0.14
"""Points that meet slower than this share of the pair's characteristic speed do not bounce."""

IMPACT_SPEED = 0.28
"""Points that meet slower than this share of the pair's characteristic speed are no impact."""


class ContactConstraints(NamedTuple):
    """Contact manifolds of one interval as constraints, M of up to 4 points. Normals point from body b to body a; a
    jacobian row holds ra x d, rb x d, Ia^-1 (ra x d), Ib^-1 (rb x d) for a direction d.

    cache_index          : (M,) int32, the pair in the contact cache
    body_a               : (M,) int32, assembly slot
    body_b               : (M,) int32
    point_count          : (M,) int32, 0 where a manifold parted within the interval
    normal               : (M, 3) float64, unit, world frame
    start_separation     : (M, 4) float64, [m], as if found at the start of the interval
    normal_impulse       : (M, 4) float64, [N s], of the substep
    total_impulse        : (M, 4) float64, [N s], summed over the interval; 0 beyond point_count
    approach_velocity    : (M, 4) float64, [m/s], along the normal when found; 0 beyond point_count
    target_velocity      : (M, 4) float64, [m/s], > 0 where a point bounces in this substep, -1 where it did
    normal_mass          : (M, 4) float64, [kg], effective
    normal_jacobian      : (M, 4, 12) float64
    tangent              : (M, 2, 3) float64, unit
    tangent_jacobian     : (M, 2, 12) float64, at the middle of the patch
    tangent_mass         : (M, 2) float64, [kg], effective
    friction_impulse     : (M, 2) float64, [N s]
    total_friction       : (M, 3) float64, [N s], world frame, summed over the interval
    torsional_mass       : (M,) float64, [kg m2], effective, about the normal
    torsional_impulse    : (M,) float64, [N m s]
    torsional_radius     : (M,) float64, [m], lever of friction about the normal
    torsional_jacobian   : (M, 6) float64, Ia^-1 n, Ib^-1 n
    rolling_length       : (M,) float64, [m], lever of rolling resistance
    rolling_impulse      : (M, 2) float64, [N m s]
    friction             : (M,) float64
    restitution          : (M,) float64
    point                : (M, 4, 3) float64, [m], world frame
    separation           : (M, 4) float64, [m], in this substep; without points, how far apart at least
    size                 : (M,) float64, [m], of the smaller piece
    restitution_active   : (M,) uint8, a point meets fast enough to bounce, or was hit in the last interval
    reference_motion     : (M, 9) float64, when the points were found: displacement of a against b [m], rotations of a
                           and of b [rad], since the start of the interval
    bound                : (M, 2) float64, [m], of the two shapes
    characteristic_speed : (M,) float64, [m/s], sqrt(g size): what is called slow or fast, so that small and large
                           things behave alike
    iterations           : (M,) int32, per substep
    opening              : (M,) int32, in the first substep, where nothing is known yet of what bears what
    """

    cache_index: Int
    body_a: Int
    body_b: Int
    point_count: Int
    normal: Vec3
    start_separation: Vec4
    normal_impulse: Vec4
    total_impulse: Vec4
    approach_velocity: Vec4
    target_velocity: Vec4
    normal_mass: Vec4
    normal_jacobian: Mat4x12
    tangent: Mat2x3
    tangent_jacobian: Mat2x12
    tangent_mass: Vec2
    friction_impulse: Vec2
    total_friction: Vec3
    torsional_mass: Scalar
    torsional_impulse: Scalar
    torsional_radius: Scalar
    torsional_jacobian: Vec6
    rolling_length: Scalar
    rolling_impulse: Vec2
    friction: Scalar
    restitution: Scalar
    point: Mat4x3
    separation: Vec4
    size: Scalar
    restitution_active: Flag
    reference_motion: Vec9
    bound: Vec2
    characteristic_speed: Scalar
    iterations: Int
    opening: Int


class SpeculativePairs(NamedTuple):
    """Pairs of one interval that do not touch, but might if an impact sends them towards each other; N of them.

    cache_index      : (N,) int32, the pair in the contact cache
    body_a           : (N,) int32, assembly slot
    body_b           : (N,) int32
    normal           : (N, 3) float64, from b to a, along which they are apart; zeros where that holds along any
    separation       : (N,) float64, [m], at least; inf: no longer here
    reference_motion : (N, 9) float64, as in ContactConstraints
    bound            : (N, 2) float64, [m], likewise
    """

    cache_index: Int
    body_a: Int
    body_b: Int
    normal: Vec3
    separation: Scalar
    reference_motion: Vec9
    bound: Vec2


class Arms(NamedTuple):
    """Scratch for one manifold.

    a         : (3,) float64, [m], lever arm of the first body
    b         : (3,) float64, [m], of the second
    middle    : (3,) float64, [m], middle of the patch
    old_point : (4, 3) float64, [m], points before
    old       : (4, 3) float64, their impulse, approach velocity and target velocity
    """

    a: Array
    b: Array
    middle: Array
    old_point: Array
    old: Array


def make_arms() -> Arms:
    f = np.zeros
    return Arms(f(3), f(3), f(3), f((4, 3)), f((4, 3)))


class StaleContacts(NamedTuple):
    """What must be detected anew within an interval, R at most.

    place       : (R,) int32, in the contacts, or into the speculative pairs
    speculative : (R,) uint8, 1 where it is a speculative pair
    entry       : (R,) int64, its entry of the contact cache
    """

    place: Index
    speculative: Flags
    entry: Index


CONTACTS, SPECULATIVE = range(2)
"""Places in ConstraintSet.counts."""


class ConstraintSet(NamedTuple):
    """All constraints of contacts in an interval.

    counts : (2,) int64, how many contacts and speculative pairs there are
    """

    contacts: ContactConstraints
    speculative: SpeculativePairs
    stale: StaleContacts
    counts: Index
    work: Worklist


def make_constraints(pairs: int) -> ConstraintSet:
    """Room for the constraints of so many pairs."""
    stale = StaleContacts(np.zeros(pairs, np.int32), np.zeros(pairs, np.uint8), np.zeros(pairs, np.int64))
    return ConstraintSet(
        allocate(ContactConstraints, pairs),
        allocate(SpeculativePairs, pairs),
        stale,
        np.zeros(2, np.int64),
        make_worklist(pairs),
    )


@kernel(inline=True)
def rotate_inverse_inertia(asm: Assemblies, slot: int, m: Array, inv_inertia: Array) -> None:
    """R I^-1 R^T of one assembly.

    m           : (3, 3) float64, its rotation
    inv_inertia : (A, 3, 3) float64, world frame, written at the slot
    """
    for i in range(3):
        x = (
            m[i, 0] * asm.inv_inertia[slot, 0, 0]
            + m[i, 1] * asm.inv_inertia[slot, 1, 0]
            + m[i, 2] * asm.inv_inertia[slot, 2, 0]
        )
        y = (
            m[i, 0] * asm.inv_inertia[slot, 0, 1]
            + m[i, 1] * asm.inv_inertia[slot, 1, 1]
            + m[i, 2] * asm.inv_inertia[slot, 2, 1]
        )
        z = (
            m[i, 0] * asm.inv_inertia[slot, 0, 2]
            + m[i, 1] * asm.inv_inertia[slot, 1, 2]
            + m[i, 2] * asm.inv_inertia[slot, 2, 2]
        )
        for j in range(3):
            inv_inertia[slot, i, j] = x * m[j, 0] + y * m[j, 1] + z * m[j, 2]


@kernel(allocates=True)
def update_inverse_masses(asm: Assemblies, inv_mass: Array, inv_inertia: Array) -> None:
    """Inverse masses and inertias as the solver sees them.

    inv_mass    : (A,) float64, [1/kg], out; 0 for what is fixed, kinematic or asleep
    inv_inertia : (A, 3, 3) float64, [1/(kg m2)], out, world frame, likewise
    """
    m = np.empty((3, 3))
    for a in range(len(asm.alive)):
        if not asm.alive[a] or asm.motion[a] != Motion.DYNAMIC or asm.asleep[a]:
            if inv_mass[a] != 0.0:
                inv_mass[a] = 0.0
                for i in range(3):
                    for j in range(3):
                        inv_inertia[a, i, j] = 0.0
            continue
        inv_mass[a] = asm.inv_mass[a]
        quaternion_to_matrix(asm.orientation[a], m)
        rotate_inverse_inertia(asm, a, m, inv_inertia)


@kernel
def _fill_jacobian(out: Array, ra: Array, rb: Array, n: Array, ia: Array, ib: Array) -> float:
    """The jacobian row along a direction; returns the angular share of the inverse effective mass.

    out    : (12,) float64
    ra, rb : (3,) float64, [m], lever arms
    n      : (3,) float64, unit
    ia, ib : (3, 3) float64, inverse inertias, world frame
    """
    ax, ay, az = ra[1] * n[2] - ra[2] * n[1], ra[2] * n[0] - ra[0] * n[2], ra[0] * n[1] - ra[1] * n[0]
    bx, by, bz = rb[1] * n[2] - rb[2] * n[1], rb[2] * n[0] - rb[0] * n[2], rb[0] * n[1] - rb[1] * n[0]
    out[0], out[1], out[2], out[3], out[4], out[5] = ax, ay, az, bx, by, bz
    for i in range(3):
        out[6 + i] = ia[i, 0] * ax + ia[i, 1] * ay + ia[i, 2] * az
        out[9 + i] = ib[i, 0] * bx + ib[i, 1] * by + ib[i, 2] * bz
    return ax * out[6] + ay * out[7] + az * out[8] + bx * out[9] + by * out[10] + bz * out[11]


@kernel(inline=True)
def _transfer_points(contacts: ContactConstraints, r: int, old_point: Array, old: Array) -> None:
    """Give what the old points of a manifold did in this interval to the new points nearest to them; where there are
    none, the first place keeps it.

    old_point : (4, 3) float64, [m]
    old       : (4, 3) float64, total impulse, approach velocity and target velocity; 0 where there was no point
    """
    given = 0
    for j in range(4):
        if old[j, 0] == 0.0 and old[j, 1] == 0.0 and old[j, 2] == 0.0:
            continue
        best, least = 0, np.inf
        for i in range(contacts.point_count[r]):
            d2 = 0.0
            for c in range(3):
                d2 += (contacts.point[r, i, c] - old_point[j, c]) ** 2
            if d2 < least:
                best, least = i, d2
        contacts.total_impulse[r, best] += old[j, 0]
        had = contacts.approach_velocity[r, best]
        contacts.approach_velocity[r, best] = min(had, old[j, 1]) if given >> best & 1 else old[j, 1]
        given |= 1 << best
        if old[j, 2] != 0.0:
            contacts.target_velocity[r, best] = old[j, 2]


@kernel(inline=True)
def _combine_materials(contacts: ContactConstraints, r: int, scene: Scene, s: int, t: int) -> None:
    """Friction (geometric mean), restitution (the larger) and rolling length of a manifold between shapes s and t
    (GROUND: the ground).
    """
    hulls, pieces, settings = scene.hulls, scene.pieces, scene.settings
    ps = hulls.piece[s]
    mu, e, roll = pieces.friction[ps], pieces.restitution[ps], 0.0
    if hulls.vertex_start[s + 1] - hulls.vertex_start[s] == 1:
        roll = pieces.rolling[ps] * hulls.radius[s]
    if t >= 0:
        pt = hulls.piece[t]
        mu = np.sqrt(mu * pieces.friction[pt])
        e = max(e, pieces.restitution[pt])
        if hulls.vertex_start[t + 1] - hulls.vertex_start[t] == 1:
            roll = max(roll, pieces.rolling[pt] * hulls.radius[t])
    else:
        mu = np.sqrt(mu * settings.ground_friction)
        e = max(e, settings.ground_restitution)
    contacts.friction[r], contacts.restitution[r], contacts.rolling_length[r] = mu, e, roll


@kernel(inline=True)
def _tangents(contacts: ContactConstraints, r: int) -> None:
    """Two unit tangents across the normal."""
    nx, ny, nz = contacts.normal[r, 0], contacts.normal[r, 1], contacts.normal[r, 2]
    if abs(nx) > 0.6:
        tx, ty, tz = ny, -nx, 0.0
    else:
        tx, ty, tz = 0.0, nz, -ny
    length = np.sqrt(tx * tx + ty * ty + tz * tz)
    t1, t2 = contacts.tangent[r, 0], contacts.tangent[r, 1]
    t1[0], t1[1], t1[2] = tx / length, ty / length, tz / length
    t2[0], t2[1], t2[2] = ny * t1[2] - nz * t1[1], nz * t1[0] - nx * t1[2], nx * t1[1] - ny * t1[0]


@kernel(inline=True)
def _friction_constraint(contacts: ContactConstraints, r: int, cache: ContactCache, bodies: Bodies, arms: Arms) -> None:
    """Friction along two tangents and about the normal, at the middle of the patch (arms.middle)."""
    k, a, b = contacts.cache_index[r], contacts.body_a[r], contacts.body_b[r]
    asm, ground, n = bodies.assemblies, len(bodies.inv_mass) - 1, contacts.point_count[r]
    nx, ny, nz = contacts.normal[r, 0], contacts.normal[r, 1], contacts.normal[r, 2]
    inv_mass = bodies.inv_mass[a] + bodies.inv_mass[b]
    ia, ib = bodies.inv_inertia[a], bodies.inv_inertia[b]
    _tangents(contacts, r)
    lever = 0.0
    for c in range(3):
        arms.a[c] = arms.middle[c] - asm.position[a, c]
        arms.b[c] = arms.middle[c] - asm.position[b, c] if b != ground else 0.0
    for i in range(n):
        d2 = 0.0
        for c in range(3):
            d2 += (contacts.point[r, i, c] - arms.middle[c]) ** 2
        lever += np.sqrt(d2) / n
    for d in range(2):
        w = _fill_jacobian(contacts.tangent_jacobian[r, d], arms.a, arms.b, contacts.tangent[r, d], ia, ib)
        contacts.tangent_mass[r, d] = 1.0 / (inv_mass + w)
        contacts.friction_impulse[r, d] = (
            cache.friction_impulse[k, 0] * contacts.tangent[r, d, 0]
            + cache.friction_impulse[k, 1] * contacts.tangent[r, d, 1]
            + cache.friction_impulse[k, 2] * contacts.tangent[r, d, 2]
        )
        contacts.rolling_impulse[r, d] = 0.0
    den = 0.0
    for i in range(3):
        contacts.torsional_jacobian[r, i] = ia[i, 0] * nx + ia[i, 1] * ny + ia[i, 2] * nz
        contacts.torsional_jacobian[r, 3 + i] = ib[i, 0] * nx + ib[i, 1] * ny + ib[i, 2] * nz
        den += contacts.normal[r, i] * (contacts.torsional_jacobian[r, i] + contacts.torsional_jacobian[r, 3 + i])
    contacts.torsional_mass[r] = 1.0 / den if den > 0.0 else 0.0
    contacts.torsional_impulse[r] = cache.friction_impulse[k, 3]
    # a ball's contact resists turning about the normal as it resists rolling
    contacts.torsional_radius[r] = max(lever, contacts.rolling_length[r])


@kernel(inline=True)
def _normal_constraint(
    contacts: ContactConstraints, r: int, cache: ContactCache, bodies: Bodies, points: ContactPoints, arms: Arms
) -> None:
    """Non-penetration at each point; the middle of the patch goes into arms.middle."""
    k, a, b = contacts.cache_index[r], contacts.body_a[r], contacts.body_b[r]
    asm, ground, n = bodies.assemblies, len(bodies.inv_mass) - 1, contacts.point_count[r]
    inv_mass = bodies.inv_mass[a] + bodies.inv_mass[b]
    ia, ib = bodies.inv_inertia[a], bodies.inv_inertia[b]
    nx, ny, nz = contacts.normal[r, 0], contacts.normal[r, 1], contacts.normal[r, 2]
    arms.middle[0], arms.middle[1], arms.middle[2] = 0.0, 0.0, 0.0
    reference = contacts.reference_motion[r]
    along = nx * reference[0] + ny * reference[1] + nz * reference[2]
    for i in range(n):
        for c in range(3):
            at = points.position[k, i, c]
            arms.middle[c] += at / n
            arms.a[c] = at - asm.position[a, c]
            arms.b[c] = at - asm.position[b, c] if b != ground else 0.0
            contacts.point[r, i, c] = at
        w = _fill_jacobian(contacts.normal_jacobian[r, i], arms.a, arms.b, contacts.normal[r], ia, ib)
        contacts.normal_mass[r, i] = 1.0 / (inv_mass + w)
        contacts.normal_impulse[r, i] = cache.normal_impulse[k, i]
        contacts.total_impulse[r, i] = 0.0
        j = contacts.normal_jacobian[r, i]
        vn, turns = 0.0, 0.0
        for c in range(3):
            vn += (
                contacts.normal[r, c] * (asm.velocity[a, c] - asm.velocity[b, c])
                + j[c] * asm.angular_velocity[a, c]
                + j[3 + c] * -asm.angular_velocity[b, c]
            )
            turns += j[c] * bodies.rotation[a, c] - j[3 + c] * bodies.rotation[b, c]
        contacts.start_separation[r, i] = points.separation[k, i] - along - turns
        contacts.approach_velocity[r, i] = vn
        if contacts.restitution[r] > 0.0 and vn < -RESTITUTION_SPEED * contacts.characteristic_speed[r]:
            contacts.restitution_active[r] = 1
        contacts.target_velocity[r, i] = 0.0


@kernel(inline=True)
def _reference_motion(out: Array, bodies: Bodies, a: int, b: int) -> None:
    """What a has moved against b, and what both have turned, since the start of the interval, into out (9,)."""
    for c in range(3):
        out[c] = bodies.displacement[a, c] - bodies.displacement[b, c]
        out[3 + c] = bodies.rotation[a, c]
        out[6 + c] = bodies.rotation[b, c]


@kernel(inline=True)
def _watch_pair(
    speculative: SpeculativePairs,
    w: int,
    k: int,
    a: int,
    b: int,
    scene: Scene,
    bodies: Bodies,
    cache: ContactCache,
    gap: float,
) -> None:
    """Speculative pair w: entry k of the cache, whose surfaces are a gap apart [m]."""
    t = cache.shape_b[k]
    speculative.cache_index[w], speculative.body_a[w], speculative.body_b[w], speculative.separation[w] = k, a, b, gap
    cache.impact_impulse[k] = 0.0  # it has parted: what fell on it in the last interval goes on in no contact
    speculative.bound[w, 0] = scene.hulls.bound[cache.shape_a[k]]
    speculative.bound[w, 1] = scene.hulls.bound[t] if t >= 0 else 0.0
    for c in range(3):
        speculative.normal[w, c] = cache.normal[k, c]
    _reference_motion(speculative.reference_motion[w], bodies, a, b)


@kernel(inline=True)
def _open_contact(
    contacts: ContactConstraints, r: int, k: int, a: int, b: int, scene: Scene, cache: ContactCache
) -> None:
    """A new manifold r of entry k of the cache."""
    hulls, pieces, gravity = scene.hulls, scene.pieces, scene.settings.gravity
    s, t = cache.shape_a[k], cache.shape_b[k]
    ps = hulls.piece[s]
    g = np.sqrt(gravity[0] ** 2 + gravity[1] ** 2 + gravity[2] ** 2)
    contacts.cache_index[r], contacts.body_a[r], contacts.body_b[r] = k, a, b
    for c in range(3):
        contacts.total_friction[r, c] = 0.0
    contacts.bound[r, 0], contacts.bound[r, 1] = hulls.bound[s], hulls.bound[t] if t >= 0 else 0.0
    contacts.size[r] = min(pieces.size[ps], pieces.size[hulls.piece[t]]) if t >= 0 else pieces.size[ps]
    contacts.characteristic_speed[r] = np.sqrt(max(g, 1.0) * contacts.size[r])
    _combine_materials(contacts, r, scene, s, t)


@kernel(apart=True)
def build_constraints(
    scene: Scene,
    bodies: Bodies,
    cache: ContactCache,
    which: Index,
    points: ContactPoints,
    solver: ConstraintSet,
    first_stale: int,
    arms: Arms,
) -> None:
    """Contact constraints of some pairs between assemblies of which one can move, and what is near without touching.

    which       : (N,) int64, entries of the cache
    first_stale : int, -1 at the start of an interval; within it, where in solver.stale the pairs stand: their
                  constraints are written anew, in place and with as many points as there are now, and a speculative
                  pair that touches becomes a contact
    solver      : contacts, speculative and their counts are written
    """
    contacts, speculative, counts = solver.contacts, solver.speculative, solver.counts
    again = first_stale >= 0
    for x in range(len(which)):
        k = which[x]
        n, t = cache.point_count[k], cache.shape_b[k]
        a = bodies.piece_assembly[scene.hulls.piece[cache.shape_a[k]]]
        b = bodies.piece_assembly[scene.hulls.piece[t]] if t >= 0 else len(bodies.inv_mass) - 1
        if bodies.inv_mass[a] == 0.0 and bodies.inv_mass[b] == 0.0:
            continue
        r = np.int64(-1)
        w = counts[SPECULATIVE]
        if again and solver.stale.speculative[first_stale + x]:
            w = np.int64(solver.stale.place[first_stale + x])
        elif again:
            r = np.int64(solver.stale.place[first_stale + x])
        was_contact = r >= 0
        if not was_contact and n == 0:
            counts[SPECULATIVE] = max(counts[SPECULATIVE], w + 1)
            _watch_pair(speculative, w, k, a, b, scene, bodies, cache, points.separation[k, 0])
            continue
        active = np.uint8(0)
        if was_contact:
            active = contacts.restitution_active[r]
            for i in range(4):
                arms.old[i, 0] = contacts.total_impulse[r, i]
                arms.old[i, 1] = contacts.approach_velocity[r, i]
                arms.old[i, 2] = contacts.target_velocity[r, i]
                for c in range(3):
                    arms.old_point[i, c] = contacts.point[r, i, c]
        else:
            if again:
                speculative.separation[w] = np.inf
            r = counts[CONTACTS]
            counts[CONTACTS] += 1
            _open_contact(contacts, r, k, a, b, scene, cache)
        contacts.point_count[r] = n
        for i in range(n, 4):
            contacts.total_impulse[r, i] = contacts.approach_velocity[r, i] = contacts.target_velocity[r, i] = 0.0
        _reference_motion(contacts.reference_motion[r], bodies, a, b)
        contacts.restitution_active[r] = 1 if active or cache.impact_impulse[k] > 0.0 else 0
        for c in range(3):
            contacts.normal[r, c] = cache.normal[k, c]
        _normal_constraint(contacts, r, cache, bodies, points, arms)
        if was_contact:
            _transfer_points(contacts, r, arms.old_point, arms.old)
        if n == 0:
            contacts.separation[r, 0] = points.separation[k, 0]
            contacts.friction_impulse[r, 0] = contacts.friction_impulse[r, 1] = contacts.torsional_impulse[r] = 0.0
            continue
        _friction_constraint(contacts, r, cache, bodies, arms)


@kernel(inline=True)
def store_contact_impulses(contacts: ContactConstraints, r: int, cache: ContactCache) -> None:
    """Write the last substep's impulses of a manifold back to the cache."""
    k = contacts.cache_index[r]
    for i in range(contacts.point_count[r]):
        cache.normal_impulse[k, i] = contacts.normal_impulse[r, i]
    for c in range(3):
        cache.friction_impulse[k, c] = (
            contacts.friction_impulse[r, 0] * contacts.tangent[r, 0, c]
            + contacts.friction_impulse[r, 1] * contacts.tangent[r, 1, c]
        )
    cache.friction_impulse[k, 3] = contacts.torsional_impulse[r]
