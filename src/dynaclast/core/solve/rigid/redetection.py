"""Mid-interval detection: where bodies turn or slide far, other points may meet than those found at the start."""

from __future__ import annotations

import numpy as np

from ...arrays import Array, Index
from ...kernels import kernel
from ...kernels.linalg import quaternion_to_matrix
from ..state import ContactCache
from .constraints import CONTACTS, SPECULATIVE, ConstraintSet, rotate_inverse_inertia, store_contact_impulses
from .groups import Bodies, Scene

REDETECTION_SHARE = 0.01
"""Contact points are looked for again once their bodies' surfaces have turned by more than this share of the smaller
piece's size."""

SLIDE_WEIGHT = 0.25
"""What sliding along each other counts against turning."""


@kernel(inline=True)
def _relative_motion(
    reference: Array, bound: Array, a: int, b: int, displacement: Array, rotation: Array
) -> tuple[float, float, float, float]:
    """What a has moved against b since the reference motion (x, y, z) [m], and how far the surfaces of both have turned
    [m].

    reference    : (9,) float64, ContactConstraints.reference_motion of one pair
    bound        : (2,) float64, [m]
    displacement : (A, 3) float64, [m]
    rotation     : (A, 3) float64, [rad]
    """
    xa, ya, za = rotation[a, 0] - reference[3], rotation[a, 1] - reference[4], rotation[a, 2] - reference[5]
    xb, yb, zb = rotation[b, 0] - reference[6], rotation[b, 1] - reference[7], rotation[b, 2] - reference[8]
    far = bound[0] * np.sqrt(xa * xa + ya * ya + za * za) + bound[1] * np.sqrt(xb * xb + yb * yb + zb * zb)
    return (
        displacement[a, 0] - displacement[b, 0] - reference[0],
        displacement[a, 1] - displacement[b, 1] - reference[1],
        displacement[a, 2] - displacement[b, 2] - reference[2],
        far,
    )


@kernel(inner=True)
def _may_touch(normal: Array, x: float, y: float, z: float, far: float, gap: float) -> bool:
    """Whether two surfaces that were a gap apart along the normal (3,) may meet, one having moved by (x, y, z) against
    the other, and both having turned by ``far`` [m] at most. Without a normal, in whatever direction.
    """
    nx, ny, nz = normal[0], normal[1], normal[2]
    if nx == 0.0 and ny == 0.0 and nz == 0.0:
        return far + np.sqrt(x * x + y * y + z * z) > gap
    return far - (nx * x + ny * y + nz * z) > gap


@kernel(inner=True)
def find_stale(solver: ConstraintSet, bodies: Bodies, h: float) -> int:
    """Contacts whose bodies have turned, or slid along each other, so far since their points were found that other
    points may meet, and what ``find_meeting`` finds: into solver.stale. Returns how many.
    """
    contacts, stale = solver.contacts, solver.stale
    displacement, rotation = bodies.displacement, bodies.rotation
    n = 0
    for r in range(solver.counts[CONTACTS]):
        if contacts.point_count[r] == 0:
            continue
        a, b = contacts.body_a[r], contacts.body_b[r]
        x, y, z, far = _relative_motion(contacts.reference_motion[r], contacts.bound[r], a, b, displacement, rotation)
        along = contacts.normal[r, 0] * x + contacts.normal[r, 1] * y + contacts.normal[r, 2] * z
        far += SLIDE_WEIGHT * np.sqrt(max(0.0, x * x + y * y + z * z - along * along))
        if far <= REDETECTION_SHARE * contacts.size[r]:
            continue
        gap = contacts.separation[r, 0]
        for i in range(1, contacts.point_count[r]):
            gap = min(gap, contacts.separation[r, i])
        if far > gap:
            stale.place[n], stale.speculative[n] = r, 0
            n += 1
    return find_meeting(solver, bodies, h, n)


@kernel(inner=True)
def find_meeting(solver: ConstraintSet, bodies: Bodies, h: float, n: int) -> int:
    """What was apart and may meet within the next h [s]: contacts without points, and speculative pairs; into
    solver.stale, behind the first n there. Returns how many are there then.
    """
    contacts, speculative, stale = solver.contacts, solver.speculative, solver.stale
    for r in range(solver.counts[CONTACTS]):
        if contacts.point_count[r] == 0 and may_meet(
            contacts.reference_motion[r],
            contacts.bound[r],
            contacts.body_a[r],
            contacts.body_b[r],
            contacts.normal[r],
            contacts.separation[r, 0],
            bodies,
            h,
            1.0,
            1.0,
        ):
            stale.place[n], stale.speculative[n] = r, 0
            n += 1
    for s in range(solver.counts[SPECULATIVE]):
        if speculative.separation[s] < np.inf and may_meet(
            speculative.reference_motion[s],
            speculative.bound[s],
            speculative.body_a[s],
            speculative.body_b[s],
            speculative.normal[s],
            speculative.separation[s],
            bodies,
            h,
            1.0,
            1.0,
        ):
            stale.place[n], stale.speculative[n] = s, 1
            n += 1
    return n


@kernel(inner=True)
def may_meet(
    reference: Array,
    bound: Array,
    a: int,
    b: int,
    normal: Array,
    gap: float,
    bodies: Bodies,
    h: float,
    goes_a: float,
    goes_b: float,
) -> bool:
    """Whether two bodies whose surfaces were a gap apart along the normal (3,) may meet within the next h [s].

    goes_a, goes_b : float, 1 where the body goes on as it does now, 0 where it stops
    """
    v, w = bodies.assemblies.velocity, bodies.assemblies.angular_velocity
    x, y, z, far = _relative_motion(reference, bound, a, b, bodies.displacement, bodies.rotation)
    x += h * (goes_a * v[a, 0] - goes_b * v[b, 0])
    y += h * (goes_a * v[a, 1] - goes_b * v[b, 1])
    z += h * (goes_a * v[a, 2] - goes_b * v[b, 2])
    far += goes_a * h * bound[0] * np.sqrt(w[a, 0] ** 2 + w[a, 1] ** 2 + w[a, 2] ** 2)
    far += goes_b * h * bound[1] * np.sqrt(w[b, 0] ** 2 + w[b, 1] ** 2 + w[b, 2] ** 2)
    return _may_touch(normal, x, y, z, far, gap)


@kernel(inner=True)
def prepare_redetection(
    solver: ConstraintSet,
    first: int,
    last: int,
    bodies: Bodies,
    cache: ContactCache,
    number: int,
    inertia_at: Index,
    m: Array,
) -> None:
    """Before the stale entries ``first`` to ``last`` are looked at: their bodies' inertias are turned, their impulses
    written back to the cache, and solver.stale.entry filled.

    number     : int, of the detection
    inertia_at : (A,) int64, the last detection for which an inertia was turned
    m          : (3, 3) float64, scratch
    """
    contacts, speculative, stale = solver.contacts, solver.speculative, solver.stale
    for x in range(first, last):
        r = stale.place[x]
        if stale.speculative[x]:
            k, a, b = speculative.cache_index[r], speculative.body_a[r], speculative.body_b[r]
        else:
            k, a, b = contacts.cache_index[r], contacts.body_a[r], contacts.body_b[r]
            store_contact_impulses(contacts, r, cache)
        stale.entry[x] = k
        _turn_inertia(a, bodies, number, inertia_at, m)
        _turn_inertia(b, bodies, number, inertia_at, m)


@kernel(inner=True)
def turn_inertias(
    scene: Scene, which: Index, bodies: Bodies, cache: ContactCache, number: int, inertia_at: Index, m: Array
) -> None:
    """Turn the inertias of what new entries (n,) of the cache are of; other arguments as ``prepare_redetection``."""
    for k in which:
        _turn_inertia(bodies.piece_assembly[scene.hulls.piece[cache.shape_a[k]]], bodies, number, inertia_at, m)
        if cache.shape_b[k] >= 0:
            _turn_inertia(bodies.piece_assembly[scene.hulls.piece[cache.shape_b[k]]], bodies, number, inertia_at, m)


@kernel(inner=True)
def _turn_inertia(a: int, bodies: Bodies, number: int, inertia_at: Index, m: Array) -> None:
    """Turn the inertia of assembly a, where that was not done for this detection."""
    if inertia_at[a] != number and bodies.inv_mass[a] > 0.0:
        inertia_at[a] = number
        quaternion_to_matrix(bodies.assemblies.orientation[a], m)
        rotate_inverse_inertia(bodies.assemblies, a, m, bodies.inv_inertia)
