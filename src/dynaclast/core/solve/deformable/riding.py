"""What lies on an assembly rides on it: in the preconditioner both move as one where that costs little.

Rows between a sheet and a crate are stiff. With each inverted by itself, as if the other stood still, conjugate
gradients need many iterations until both move together. So of the assemblies that rows hold much more stiffly than
their mass does, each of the six motions is taken with how the deformable bodies would roughly follow it,
W = -P^-1 A_vs with P what inverts the bodies, and the system on these Z = [W; 1] is solved exactly: P^-1 + Z (Z'A Z)^-1
Z' is what preconditions.

Source: Nabben and Vuik 2006, "A comparison of deflation and coarse grid correction" (doi 10.1137/040607828).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Index
from ...kernels import kernel
from ...kernels.linalg import solve_cholesky
from ...kernels.rows import add_scaled, dot
from ...kernels.simd import LANES
from .tables import BodyTable, Rows

MOST_CARRIERS = 2
"""So many assemblies of a group, those that rows hold most stiffly against their mass."""
STIFF = 3.0
"""And those that they hold more stiffly than so many times that."""


class Riding(NamedTuple):
    """Motions of assemblies and what follows them, W = 6 MOST_CARRIERS at most, of the group at hand.

    carrier : (MOST_CARRIERS,) int64, places in Slots; used (1,) int64, how many
    hold    : (K,) float64, [N/m], of rows on each slot
    way     : (W, N, 4) float64, how vertices follow each motion, the last column 0
    matrix  : (W, W) float64, Z'A Z, factored (Cholesky)
    force   : (W,) float64, scratch, along each motion; share (W,) float64, of each that takes that
    """

    carrier: Index
    used: Index
    hold: Array
    way: Array
    matrix: Array
    force: Array
    share: Array


def make_riding(vertices: int, slots: int) -> Riding:
    """slots: with that of the ground; where that is the only one nothing carries."""
    f, most = np.zeros, 6 * MOST_CARRIERS
    n = vertices if slots > 1 else 0
    return Riding(
        f(MOST_CARRIERS, np.int64), f(1, np.int64), f(slots), f((most, n, LANES)), f((most, most)), f(most), f(most)
    )


@kernel(inner=True)
def find_carriers(riding: Riding, rows: Rows, row: Index, slot: Index, place: Index, mass: Array) -> int:
    """The assemblies of a group that carry; returns how many.

    row, slot : of the group; place (A,) and mass (K,) as in Slots
    """
    hold, count = riding.hold, 0
    for k in slot:
        hold[k] = 0.0
    for c in row:
        if rows.slot[c] >= 0 and rows.active[c]:
            hold[place[rows.slot[c]]] += rows.stiffness[c]
    while count < MOST_CARRIERS:
        best, most = -1, STIFF
        for k in slot:
            if hold[k] > most * mass[k]:
                best, most = k, hold[k] / mass[k]
        if best < 0:
            break
        riding.carrier[count] = best
        hold[best] = 0.0
        count += 1
    riding.used[0] = count
    return count


@kernel(inner=True)
def _along(way: Array, bodies: BodyTable, body: Index, x: Array) -> float:
    """way . x of the vertices of bodies."""
    s = 0.0
    for b in body:
        s += dot(bodies.leading, bodies.leads[b], bodies.leads[b + 1], way, x)
    return s


@kernel(inner=True)
def add_motion(riding: Riding, j: int, bodies: BodyTable, body: Index, x: Array, slot_x: Array) -> None:
    """Row j of Z'A Z, of motions up to this one, from (x, slot_x), which is A times the motion."""
    for k in range(j + 1):
        s = slot_x[riding.carrier[k // 6], k % 6] + _along(riding.way[k], bodies, body, x)
        riding.matrix[j, k] = s


@kernel(inner=True)
def ride_along(
    riding: Riding, bodies: BodyTable, body: Index, r: Array, z: Array, slot_r: Array, slot_z: Array
) -> float:
    """(z, slot_z) += Z (Z'A Z)^-1 Z' (r, slot_r) of a group of bodies; returns what that adds to r . z [J]."""
    force, share, most, out = riding.force, riding.share, 6 * riding.used[0], 0.0
    for j in range(most):
        force[j] = slot_r[riding.carrier[j // 6], j % 6] + _along(riding.way[j], bodies, body, r)
    solve_cholesky(riding.matrix, most, force, share)
    for j in range(most):
        out += force[j] * share[j]
        slot_z[riding.carrier[j // 6], j % 6] += share[j]
        for b in body:
            add_scaled(bodies.leading, bodies.leads[b], bodies.leads[b + 1], share[j], riding.way[j], z)
    return out
