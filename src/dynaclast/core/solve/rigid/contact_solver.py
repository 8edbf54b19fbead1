"""The velocity solver of contacts: sequential impulses with split impulses for penetration.

The points of one manifold are solved a few times while both velocities are at hand, which takes the rocking out of
stacks. Penetration is corrected by pseudo-displacements that never become speed, because a correction of velocities,
even when relaxed afterwards, throws heavy pieces off light ones.

Sources: Catto 2005, "Iterative Dynamics with Temporal Coherence"; Macklin et al. 2019, "Small steps in physics
simulation" (doi 10.1145/3309486.3340247); Catto 2024, "solver2d".
"""

from __future__ import annotations

import numpy as np

from ...arrays import Array
from ...kernels import kernel
from ...kernels.linalg import multiply
from ..state import ContactCache
from .constraints import (
    CONTACTS,
    IMPACT_SPEED,
    RESTITUTION_SPEED,
    ConstraintSet,
    ContactConstraints,
    store_contact_impulses,
)
from .groups import Bodies
from .islands import PROPAGATION_ITERATIONS, UNEVEN_ITERATIONS, Islands, go_on_opening, island_of
from .worklist import call_neighbours

CORRECTION_SHARE = 0.2
"""Share of a penetration taken out per substep."""
SPLIT_IMPULSE_ITERATIONS = 3
"""Passes a substep that take penetration out, at least."""
PENETRATION_SLOP = 0.0002
"""Penetration left alone, as a share of the smaller piece's size: keeps resting contacts closed."""
CORRECTION_SPEED = 0.55
"""Fastest correction of a penetration, as a share of the pair's characteristic speed."""
PROPAGATION_SPEED = 0.05
"""Where a pass changes how fast something meets by more than this share of the pair's characteristic speed, what else
its bodies touch is solved once more."""
APART_SHARE = 0.002
"""Points that have come apart by less than this share of the smaller piece's size count as one."""
UNEVEN_PROPAGATION_SPEED = 0.002
"""The same of small islands in which masses are uneven: what is not solved to the end acts as a spring, and throws the
heavy back."""
UNEVEN_SHARE = 0.1
"""And by less the more uneven they are: as if this share of the greatest ratio of masses, if above one, divided that.
Each pass over a heavy body on light ones changes little, and all of them together much."""
UNEVEN_SPREAD, UNEVEN_BUDGET = 20_000, 100_000
"""Passes that follow an impact in a small island in which masses are uneven, at most, and its contacts times these."""
POINT_ITERATIONS = 2
"""Passes over one manifold's points per solver pass."""

Vector = tuple[float, float, float]
Velocities = tuple[Vector, Vector, Vector, Vector]
"""Velocity and angular velocity of body a, then of body b."""


STEADY_TIME = 0.04
"""What presses for less time than this [s] hardly counts as a steady load."""


@kernel(inline=True)
def _relative_velocity(d: Array, j: Array, va: Vector, wa: Vector, vb: Vector, wb: Vector) -> float:
    """Velocity of a against b along a direction at a constraint's point [m/s].

    Summed side by side, not in one chain: each addition waits for the one before.
    """
    return (
        (d[0] * (va[0] - vb[0]) + (j[0] * wa[0] - j[3] * wb[0]))
        + (d[1] * (va[1] - vb[1]) + (j[1] * wa[1] - j[4] * wb[1]))
        + (d[2] * (va[2] - vb[2]) + (j[2] * wa[2] - j[5] * wb[2]))
    )


@kernel(inline=True)
def _solve_friction(
    contacts: ContactConstraints,
    r: int,
    load: float,
    ma: float,
    mb: float,
    va: Vector,
    wa: Vector,
    vb: Vector,
    wb: Vector,
) -> Velocities:
    """Coulomb friction along both tangents, within the cone of the load [N s].

    ma, mb  : float, [1/kg]
    Returns : velocities after the impulse
    """
    j, t = contacts.tangent_jacobian[r, 0], contacts.tangent[r, 0]
    v1 = _relative_velocity(t, j, va, wa, vb, wb)
    p, q = contacts.tangent_jacobian[r, 1], contacts.tangent[r, 1]
    v2 = _relative_velocity(q, p, va, wa, vb, wb)
    old1, old2 = contacts.friction_impulse[r, 0], contacts.friction_impulse[r, 1]
    new1, new2 = old1 - v1 * contacts.tangent_mass[r, 0], old2 - v2 * contacts.tangent_mass[r, 1]
    square, most = new1 * new1 + new2 * new2, contacts.friction[r] * load
    if square > most * most:
        share = most / np.sqrt(square)
        new1 *= share
        new2 *= share
    contacts.friction_impulse[r, 0], contacts.friction_impulse[r, 1] = new1, new2
    d1, d2 = new1 - old1, new2 - old2
    ix, iy, iz = d1 * t[0] + d2 * q[0], d1 * t[1] + d2 * q[1], d1 * t[2] + d2 * q[2]
    return (
        (va[0] + ma * ix, va[1] + ma * iy, va[2] + ma * iz),
        (wa[0] + (d1 * j[6] + d2 * p[6]), wa[1] + (d1 * j[7] + d2 * p[7]), wa[2] + (d1 * j[8] + d2 * p[8])),
        (vb[0] - mb * ix, vb[1] - mb * iy, vb[2] - mb * iz),
        (wb[0] - (d1 * j[9] + d2 * p[9]), wb[1] - (d1 * j[10] + d2 * p[10]), wb[2] - (d1 * j[11] + d2 * p[11])),
    )


@kernel(inline=True)
def _solve_torsion(contacts: ContactConstraints, r: int, load: float, wa: Vector, wb: Vector) -> tuple[Vector, Vector]:
    """Friction about the normal, up to friction times load times the radius of the patch; angular velocities after
    it.
    """
    n, k = contacts.normal[r], contacts.torsional_jacobian[r]
    w = n[0] * (wa[0] - wb[0]) + n[1] * (wa[1] - wb[1]) + n[2] * (wa[2] - wb[2])
    most = contacts.friction[r] * load * contacts.torsional_radius[r]
    old = contacts.torsional_impulse[r]
    new = min(most, max(-most, old - w * contacts.torsional_mass[r]))
    contacts.torsional_impulse[r] = new
    d = new - old
    return (
        (wa[0] + d * k[0], wa[1] + d * k[1], wa[2] + d * k[2]),
        (wb[0] - d * k[3], wb[1] - d * k[4], wb[2] - d * k[5]),
    )


@kernel(inline=True)
def _solve_rolling(contacts: ContactConstraints, r: int, load: float, wa: Vector, wb: Vector) -> tuple[Vector, Vector]:
    """Resistance to turning across the normal, up to the rolling length times the load; angular velocities after it."""
    n, k, t, q = contacts.normal[r], contacts.torsional_jacobian[r], contacts.tangent[r, 0], contacts.tangent[r, 1]
    most = contacts.rolling_length[r] * load
    w1 = t[0] * (wa[0] - wb[0]) + t[1] * (wa[1] - wb[1]) + t[2] * (wa[2] - wb[2])
    w2 = q[0] * (wa[0] - wb[0]) + q[1] * (wa[1] - wb[1]) + q[2] * (wa[2] - wb[2])
    mass = contacts.torsional_mass[r]  # a ball's inertia is the same about every axis
    old1, old2 = contacts.rolling_impulse[r, 0], contacts.rolling_impulse[r, 1]
    new1, new2 = old1 - w1 * mass, old2 - w2 * mass
    length = np.sqrt(new1 * new1 + new2 * new2)
    if length > most:
        new1 *= most / length
        new2 *= most / length
    contacts.rolling_impulse[r, 0], contacts.rolling_impulse[r, 1] = new1, new2
    d1, d2 = new1 - old1, new2 - old2
    sa = abs(k[0] * n[0] + k[1] * n[1] + k[2] * n[2])
    sb = abs(k[3] * n[0] + k[4] * n[1] + k[5] * n[2])
    x, y, z = d1 * t[0] + d2 * q[0], d1 * t[1] + d2 * q[1], d1 * t[2] + d2 * q[2]
    return (wa[0] + sa * x, wa[1] + sa * y, wa[2] + sa * z), (wb[0] - sb * x, wb[1] - sb * y, wb[2] - sb * z)


@kernel(inline=True)
def _update_separations(contacts: ContactConstraints, r: int, displacement: Array, rotation: Array) -> None:
    """Separations of this substep, by how far both bodies have come since the start of the interval.

    displacement, rotation : (A, 3) float64, [m], [rad]
    """
    a, b, n = contacts.body_a[r], contacts.body_b[r], contacts.normal[r]
    dx = displacement[a, 0] - displacement[b, 0]
    dy = displacement[a, 1] - displacement[b, 1]
    dz = displacement[a, 2] - displacement[b, 2]
    along = n[0] * dx + n[1] * dy + n[2] * dz
    tax, tay, taz = rotation[a, 0], rotation[a, 1], rotation[a, 2]
    tbx, tby, tbz = rotation[b, 0], rotation[b, 1], rotation[b, 2]
    for i in range(contacts.point_count[r]):
        j = contacts.normal_jacobian[r, i]
        contacts.separation[r, i] = (
            (contacts.start_separation[r, i] + along)
            + (j[0] * tax - j[3] * tbx)
            + ((j[1] * tay - j[4] * tby) + (j[2] * taz - j[5] * tbz))
        )


@kernel(inline=True)
def _solve_normals(
    contacts: ContactConstraints,
    r: int,
    per_second: float,
    ma: float,
    mb: float,
    va: Vector,
    wa: Vector,
    vb: Vector,
    wb: Vector,
) -> tuple[Vector, Vector, Vector, Vector, float]:
    """No approach faster than the gap closes in the substep, or the target velocity of what bounces; impulses only
    push.

    per_second : float, [1/s], one over the substep
    Returns    : velocities after it, and the largest change wanted of how fast a point meets [m/s]
    """
    n, count = contacts.normal[r], contacts.point_count[r]
    nx, ny, nz = n[0], n[1], n[2]
    pax, pay, paz, pbx, pby, pbz = ma * nx, ma * ny, ma * nz, mb * nx, mb * ny, mb * nz
    change = 0.0
    for _ in range(POINT_ITERATIONS if count > 1 else 1):
        same = True
        for i in range(count):
            j = contacts.normal_jacobian[r, i]
            vn = _relative_velocity(n, j, va, wa, vb, wb)
            target = contacts.target_velocity[r, i]
            want = target if target > 0.0 else -max(contacts.separation[r, i], 0.0) * per_second
            old = contacts.normal_impulse[r, i]
            new = max(0.0, old + (want - vn) * contacts.normal_mass[r, i])
            contacts.normal_impulse[r, i] = new
            d = new - old
            if d != 0.0:
                same = False
                change = max(change, abs(want - vn))
                va = (va[0] + d * pax, va[1] + d * pay, va[2] + d * paz)
                vb = (vb[0] - d * pbx, vb[1] - d * pby, vb[2] - d * pbz)
                wa = (wa[0] + d * j[6], wa[1] + d * j[7], wa[2] + d * j[8])
                wb = (wb[0] - d * j[9], wb[1] - d * j[10], wb[2] - d * j[11])
        if same:  # nothing gave: another round would find the same
            break
    return va, wa, vb, wb, change


@kernel(inline=True)
def _normal_load(contacts: ContactConstraints, r: int) -> float:
    """Sum of a manifold's normal impulses [N s]."""
    load = 0.0
    for i in range(contacts.point_count[r]):
        load += contacts.normal_impulse[r, i]
    return load


@kernel(inner=True)
def iterate_contacts(
    solver: ConstraintSet, bodies: Bodies, islands: Islands, h: float, iteration: int, opens: int
) -> tuple[bool, bool]:
    """One pass over manifolds: friction, torsion, rolling, then no approach where the gap is closed.

    Friction comes first, with the load of the last pass: what must not penetrate has the last word. Where the load is
    gone, what friction put in at the warm start is taken back.

    A manifold takes part as often as its number says, and wherever a body of it changed its velocity much in the last
    pass, or earlier in this one; in an island that opens, until a pass changes nothing in it any more.

    h         : float, [s], substep
    iteration : int, passes of this substep before this one
    opens     : int, 1 in the substep in which islands may open
    Returns   : whether any body's velocity changed much; whether an island still opens
    """
    contacts, work, count = solver.contacts, solver.work, solver.counts[CONTACTS]
    asm, inv_mass = bodies.assemblies, bodies.inv_mass
    v, w = asm.velocity, asm.angular_velocity
    first, per_second, any_changed = iteration == 0, 1.0 / h, False
    turn = iteration % 2
    now, words = work.flags[turn], work.words
    if first:
        work.words[1 - turn, :] = 0
    else:
        for k in range(work.listed[0]):
            r = work.more[k]
            if contacts.iterations[r] > iteration or (opens == 1 and contacts.opening[r] > iteration):
                now[r] = 1
    for place in range((count + 7) // 8):
        if not first and words[turn, place] == 0:
            continue
        for r in range(8 * place, min(8 * place + 8, count)):
            if not first and now[r] == 0:
                continue
            now[r] = 0
            own, opening = contacts.iterations[r], opens == 1 and contacts.opening[r] > iteration
            a, b = contacts.body_a[r], contacts.body_b[r]
            island, farthest = island_of(islands, bodies, a, b), PROPAGATION_ITERATIONS
            if own >= UNEVEN_ITERATIONS:
                farthest = max(farthest, min(UNEVEN_SPREAD, UNEVEN_BUDGET // islands.size[island]))
            if contacts.point_count[r] == 0 or (iteration >= farthest and not opening):
                continue
            ma, mb = inv_mass[a], inv_mass[b]
            va, wa = (v[a, 0], v[a, 1], v[a, 2]), (w[a, 0], w[a, 1], w[a, 2])
            vb, wb = (v[b, 0], v[b, 1], v[b, 2]), (w[b, 0], w[b, 1], w[b, 2])
            load = _normal_load(contacts, r)
            rubs = contacts.friction_impulse[r, 0] != 0.0 or contacts.friction_impulse[r, 1] != 0.0
            if load > 0.0 or rubs or contacts.torsional_impulse[r] != 0.0:
                va, wa, vb, wb = _solve_friction(contacts, r, load, ma, mb, va, wa, vb, wb)
                if contacts.torsional_mass[r] > 0.0:
                    wa, wb = _solve_torsion(contacts, r, load, wa, wb)
                if contacts.rolling_length[r] > 0.0:
                    wa, wb = _solve_rolling(contacts, r, load, wa, wb)
            if first:
                _update_separations(contacts, r, bodies.displacement, bodies.rotation)
            va, wa, vb, wb, change = _solve_normals(contacts, r, per_second, ma, mb, va, wa, vb, wb)
            least_change = PROPAGATION_SPEED
            if own >= UNEVEN_ITERATIONS:
                least_change = UNEVEN_PROPAGATION_SPEED / max(1.0, UNEVEN_SHARE * islands.uneven[island])
            changes = change > least_change * contacts.characteristic_speed[r]
            any_changed |= changes
            if changes or (opening and change > 0.0):
                islands.stirred[island] = 1
            if opening:
                islands.change[island] = max(islands.change[island], change / contacts.characteristic_speed[r])
            if ma > 0.0:
                if changes:
                    call_neighbours(work, islands.first_row, islands.rows, np.int64(a), r, turn)
                v[a, 0], v[a, 1], v[a, 2] = va
                w[a, 0], w[a, 1], w[a, 2] = wa
            if mb > 0.0:
                if changes:
                    call_neighbours(work, islands.first_row, islands.rows, np.int64(b), r, turn)
                v[b, 0], v[b, 1], v[b, 2] = vb
                w[b, 0], w[b, 1], w[b, 2] = wb
    return any_changed, opens == 1 and go_on_opening(contacts, work, bodies, islands, iteration)


@kernel(inner=True)
def apply_split_impulses(solver: ConstraintSet, bodies: Bodies, shift: Array, turn: Array, h: float, most: int) -> None:
    """Pseudo-displacements that take a share of every penetration out, by the separations of this substep, and bring
    what bounces to where it does: what bounces turns round where it first meets, not where the substep began.

    shift, turn : (A, 3) float64, [m], [rad], in: 0; out: pseudo-displacements
    most        : int, passes over velocities of the manifold that takes most
    """
    contacts, work, inv_mass = solver.contacts, solver.work, bodies.inv_mass
    for iteration in range(min(max(most, SPLIT_IMPULSE_ITERATIONS), UNEVEN_ITERATIONS)):
        every = iteration < SPLIT_IMPULSE_ITERATIONS  # later on only those of more passes
        for k in range(solver.counts[CONTACTS] if every else work.listed[0]):
            r = np.int64(k if every else work.more[k])
            if not every and iteration >= contacts.iterations[r]:
                continue
            a, b = contacts.body_a[r], contacts.body_b[r]
            first = np.inf
            for i in range(contacts.point_count[r]):
                first = min(first, contacts.separation[r, i])
            for i in range(contacts.point_count[r]):
                s = contacts.separation[r, i]
                # in a crowd the way back would press others
                back = first > 0.0 and contacts.target_velocity[r, i] > 0.0 and contacts.iterations[r] > 1
                if s > -PENETRATION_SLOP * contacts.size[r] and not back:
                    continue
                nx, ny, nz = contacts.normal[r, 0], contacts.normal[r, 1], contacts.normal[r, 2]
                j = contacts.normal_jacobian[r, i]
                if back:
                    want = -(1.0 + contacts.restitution[r]) * first
                else:
                    fastest = CORRECTION_SPEED * contacts.characteristic_speed[r] * h
                    want = min(fastest, CORRECTION_SHARE * (-s - PENETRATION_SLOP * contacts.size[r]))
                done = (
                    nx * (shift[a, 0] - shift[b, 0])
                    + ny * (shift[a, 1] - shift[b, 1])
                    + nz * (shift[a, 2] - shift[b, 2])
                )
                done += (
                    j[0] * turn[a, 0]
                    + j[1] * turn[a, 1]
                    + j[2] * turn[a, 2]
                    - j[3] * turn[b, 0]
                    - j[4] * turn[b, 1]
                    - j[5] * turn[b, 2]
                )
                if done <= want if back else done >= want:
                    continue
                p = (want - done) * contacts.normal_mass[r, i]
                pa, pb = p * inv_mass[a], p * inv_mass[b]
                if pa != 0.0:
                    shift[a, 0] += pa * nx
                    shift[a, 1] += pa * ny
                    shift[a, 2] += pa * nz
                    turn[a, 0] += p * j[6]
                    turn[a, 1] += p * j[7]
                    turn[a, 2] += p * j[8]
                if pb != 0.0:
                    shift[b, 0] -= pb * nx
                    shift[b, 1] -= pb * ny
                    shift[b, 2] -= pb * nz
                    turn[b, 0] -= p * j[9]
                    turn[b, 1] -= p * j[10]
                    turn[b, 2] -= p * j[11]


@kernel(inner=True)
def warm_start_contacts(contacts: ContactConstraints, count: int, bodies: Bodies) -> None:
    """Apply the impulses of the last substep again."""
    v, w, inv_mass = bodies.assemblies.velocity, bodies.assemblies.angular_velocity, bodies.inv_mass
    for r in range(count):
        contacts.rolling_impulse[r, 0] = 0.0
        contacts.rolling_impulse[r, 1] = 0.0
        n = contacts.point_count[r]
        d1, d2, tw = contacts.friction_impulse[r, 0], contacts.friction_impulse[r, 1], contacts.torsional_impulse[r]
        load = _normal_load(contacts, r)
        if load == 0.0 and d1 == 0.0 and d2 == 0.0 and tw == 0.0:
            continue
        a, b = contacts.body_a[r], contacts.body_b[r]
        ma, mb = inv_mass[a], inv_mass[b]
        t, q, k = contacts.tangent[r, 0], contacts.tangent[r, 1], contacts.torsional_jacobian[r]
        j1, j2 = contacts.tangent_jacobian[r, 0], contacts.tangent_jacobian[r, 1]
        px = load * contacts.normal[r, 0] + d1 * t[0] + d2 * q[0]
        py = load * contacts.normal[r, 1] + d1 * t[1] + d2 * q[1]
        pz = load * contacts.normal[r, 2] + d1 * t[2] + d2 * q[2]
        ax = d1 * j1[6] + d2 * j2[6] + tw * k[0]
        ay = d1 * j1[7] + d2 * j2[7] + tw * k[1]
        az = d1 * j1[8] + d2 * j2[8] + tw * k[2]
        bx = d1 * j1[9] + d2 * j2[9] + tw * k[3]
        by = d1 * j1[10] + d2 * j2[10] + tw * k[4]
        bz = d1 * j1[11] + d2 * j2[11] + tw * k[5]
        for i in range(n):
            p = contacts.normal_impulse[r, i]
            if p == 0.0:
                continue
            j = contacts.normal_jacobian[r, i]
            ax += p * j[6]
            ay += p * j[7]
            az += p * j[8]
            bx += p * j[9]
            by += p * j[10]
            bz += p * j[11]
        if ma > 0.0:
            v[a, 0] += ma * px
            v[a, 1] += ma * py
            v[a, 2] += ma * pz
            w[a, 0] += ax
            w[a, 1] += ay
            w[a, 2] += az
        if mb > 0.0:
            v[b, 0] -= mb * px
            v[b, 1] -= mb * py
            v[b, 2] -= mb * pz
            w[b, 0] -= bx
            w[b, 1] -= by
            w[b, 2] -= bz


@kernel(inner=True)
def set_target_velocities(
    contacts: ContactConstraints, count: int, bodies: Bodies, h: float, since: float, gravity: Array
) -> None:
    """Restitution (Newton): points that meet within this substep fast enough get the speed they shall leave with.

    The speed of meeting is taken in the middle of the substep: semi-implicit stepping runs half a substep of gravity
    ahead. Only what came in fast bounces, once, and never faster than it came.

    since   : float, [s], from the start of the interval to the middle of the substep
    gravity : (3,) float64, [m/s2]
    """
    asm, inv_mass, displacement, rotation = bodies.assemblies, bodies.inv_mass, bodies.displacement, bodies.rotation
    fall = since * np.sqrt(gravity[0] ** 2 + gravity[1] ** 2 + gravity[2] ** 2)
    for r in range(count):
        e = contacts.restitution[r]
        if e <= 0.0 or not contacts.restitution_active[r]:
            continue
        a, b = contacts.body_a[r], contacts.body_b[r]
        half, slow = 0.0, -RESTITUTION_SPEED * contacts.characteristic_speed[r]
        for c in range(3):
            half += contacts.normal[r, c] * gravity[c] * 0.5 * h
        half *= (1.0 if inv_mass[a] > 0.0 else 0.0) - (1.0 if inv_mass[b] > 0.0 else 0.0)
        for i in range(contacts.point_count[r]):
            j = contacts.normal_jacobian[r, i]
            vn, s = 0.0, contacts.start_separation[r, i]
            for c in range(3):
                n = contacts.normal[r, c]
                vn += (
                    n * (asm.velocity[a, c] - asm.velocity[b, c])
                    + j[c] * asm.angular_velocity[a, c]
                    - j[3 + c] * asm.angular_velocity[b, c]
                )
                s += n * (displacement[a, c] - displacement[b, c]) + j[c] * rotation[a, c] - j[3 + c] * rotation[b, c]
            if contacts.target_velocity[r, i] > 0.0:
                contacts.target_velocity[r, i] = -1.0
            came = contacts.approach_velocity[r, i]
            if contacts.target_velocity[r, i] == 0.0 and came < slow and vn < slow and s + vn * h < 0.0:
                contacts.target_velocity[r, i] = e * min(half - vn, -came + fall)


@kernel(inline=True)
def _keep_angular_momentum(contacts: ContactConstraints, r: int, bodies: Bodies) -> None:
    """Where the points of two free bodies have come apart since they were found, an impulse at both turns the pair out
    of nothing: by their distance times the impulse. Half of that is taken back from each.
    """
    a, b, reference = contacts.body_a[r], contacts.body_b[r], contacts.reference_motion[r]
    if bodies.inv_mass[a] == 0.0 or bodies.inv_mass[b] == 0.0:
        return
    displacement = bodies.displacement
    x = displacement[a, 0] - displacement[b, 0] - reference[0]
    y = displacement[a, 1] - displacement[b, 1] - reference[1]
    z = displacement[a, 2] - displacement[b, 2] - reference[2]
    if x * x + y * y + z * z < (APART_SHARE * contacts.size[r]) ** 2:
        return
    load, n, t, q = _normal_load(contacts, r), contacts.normal[r], contacts.tangent[r, 0], contacts.tangent[r, 1]
    d1, d2 = contacts.friction_impulse[r, 0], contacts.friction_impulse[r, 1]
    px = load * n[0] + d1 * t[0] + d2 * q[0]
    py = load * n[1] + d1 * t[1] + d2 * q[1]
    pz = load * n[2] + d1 * t[2] + d2 * q[2]
    tx, ty, tz = 0.5 * (y * pz - z * py), 0.5 * (z * px - x * pz), 0.5 * (x * py - y * px)
    w = bodies.assemblies.angular_velocity
    for s in (a, b):
        ux, uy, uz = multiply(bodies.inv_inertia[s], tx, ty, tz)
        w[s, 0] -= ux
        w[s, 1] -= uy
        w[s, 2] -= uz


@kernel(inner=True)
def accumulate_impulses(contacts: ContactConstraints, count: int, bodies: Bodies) -> None:
    """Add a substep's impulses to those of the interval."""
    for r in range(count):
        if contacts.point_count[r]:
            _keep_angular_momentum(contacts, r, bodies)
        t, q = contacts.tangent[r, 0], contacts.tangent[r, 1]
        d1, d2 = contacts.friction_impulse[r, 0], contacts.friction_impulse[r, 1]
        for c in range(3):
            contacts.total_friction[r, c] += d1 * t[c] + d2 * q[c]
        for i in range(contacts.point_count[r]):
            contacts.total_impulse[r, i] += contacts.normal_impulse[r, i]
            if contacts.target_velocity[r, i] > 0.0:  # a bounce is over at once
                contacts.normal_impulse[r, i] = 0.0


@kernel(inner=True)
def impact_impulse(contacts: ContactConstraints, r: int, share: float) -> float:
    """Impulse over the interval of the points that met faster than this share of the characteristic speed [N s]."""
    total = 0.0
    for i in range(4):
        if contacts.approach_velocity[r, i] < -share * contacts.characteristic_speed[r]:
            total += contacts.total_impulse[r, i]
    return total


@kernel(apart=True)
def store_impulses(
    contacts: ContactConstraints, count: int, cache: ContactCache, interval: float, share: float, out: Array
) -> int:
    """Write the last substep's impulses and the impacts back to the cache.

    interval : float, [s]
    out     : (count,) float64, [N s], out: impulse of the points of each manifold that met faster than this share of
              the characteristic speed
    Returns : how many manifolds have any
    """
    hard = 0
    for r in range(count):
        store_contact_impulses(contacts, r, cache)
        k = contacts.cache_index[r]
        cache.impact_impulse[k] = impact_impulse(contacts, r, IMPACT_SPEED)
        whole = 0.0
        for i in range(4):
            cache.total_impulse[k, i] = contacts.total_impulse[r, i]
            whole += contacts.total_impulse[r, i]
        if cache.impact_impulse[k] == 0.0:
            for c in range(3):
                force = (whole * contacts.normal[r, c] + contacts.total_friction[r, c]) / interval
                cache.mean_force[k, c] += interval / (interval + STEADY_TIME) * (force - cache.mean_force[k, c])
        out[r] = impact_impulse(contacts, r, share)
        hard += out[r] > 0.0
    return hard
