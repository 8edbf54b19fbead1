"""The system of a step solved by conjugate gradients. A chain or a lattice that nothing touches takes one iteration.

Source: Hestenes and Stiefel 1952, "Methods of conjugate gradients" (doi 10.6028/jres.049.044).
"""

from __future__ import annotations

from ...arrays import Array
from ...kernels import kernel
from ...kernels.rows import add_scaled, add_to_scaled
from .preconditioner import precondition, prepare_riding
from .system import Group, Matrix, Slots, Vectors, inner_product, multiply
from .tables import BodyTable, Rows

MOST_ITERATIONS = 60
DONE = 1e-18
"""A residual this much smaller than at the start, in the square of its energy norm, is nothing."""
DONE_EXACTLY = 1e-14
"""And so much smaller, where the matrix is inverted exactly: it is what rounding leaves."""
LEFT = 0.2
"""Share of what an iteration took off the error that is taken to be left of it."""


@kernel(inner=True)
def solve_system(
    m: Matrix,
    bodies: BodyTable,
    group: Group,
    rows: Rows,
    slots: Slots,
    pinned: Array,
    v: Vectors,
    enough: float,
    share: float,
    most: int,
) -> tuple[int, bool]:
    """From displacements in v.d and v.slot_d on to those that solve the system for the forces in v.b and v.slot_b.

    enough  : float, [J], square of the error in the energy norm that is let be, as far as it is known
    share   : float, of what the first iteration took off it, which is let be as well
    most    : int, iterations
    Returns : iterations, and whether going on would change nothing that counts: not where ``share`` ended it
    """
    d, r, z, p, q = v.d, v.r, v.z, v.p, v.q
    prepare_riding(m, bodies, group, rows, slots, pinned, v)
    multiply(m, bodies, group, rows, slots, pinned, d, v.slot_d, q, v.slot_q)
    for b in group.body:
        for n in range(bodies.leads[b], bodies.leads[b + 1]):
            i = bodies.leading[n]
            free = not (bodies.still[b] and pinned[i])
            for c in range(3):
                r[i, c] = v.b[i, c] - q[i, c] if free else 0.0
                p[i, c] = 0.0
    for k in group.slot:
        for c in range(6):
            v.slot_r[k, c] = v.slot_b[k, c] - v.slot_q[k, c]
            v.slot_p[k, c] = 0.0
    before, least, first_size, first = 0.0, 0.0, 0.0, 0.0
    done = DONE_EXACTLY if m.compliance.used[0] else DONE
    for iteration in range(most):
        size = inner_product(bodies, group, r, r, v.slot_r, v.slot_r)
        if iteration == 0:
            first_size = size
        elif size <= done * first_size:
            return iteration, True
        now = precondition(m, bodies, group, rows, slots, pinned, r, z, v.slot_r, v.slot_z)
        if iteration == 0:
            least = DONE * now
        if now <= least or not now > 0.0:
            return iteration, True
        beta = now / before if iteration else 0.0
        before = now
        for b in group.body:
            add_to_scaled(bodies.leading, bodies.leads[b], bodies.leads[b + 1], beta, z, p)
        for k in group.slot:
            for c in range(6):
                v.slot_p[k, c] = v.slot_z[k, c] + beta * v.slot_p[k, c]
        multiply(m, bodies, group, rows, slots, pinned, p, v.slot_p, q, v.slot_q)
        along = inner_product(bodies, group, p, q, v.slot_p, v.slot_q)
        if not along > 0.0:
            return iteration, True
        step = now / along
        for b in group.body:
            add_scaled(bodies.leading, bodies.leads[b], bodies.leads[b + 1], step, p, d)
            add_scaled(bodies.leading, bodies.leads[b], bodies.leads[b + 1], -step, q, r)
        for k in group.slot:
            for c in range(6):
                v.slot_d[k, c] += step * v.slot_p[k, c]
                v.slot_r[k, c] -= step * v.slot_q[k, c]
        left = LEFT * step * now
        if iteration == 0:
            first = left
        if left < max(enough, share * first):
            return iteration + 1, left < enough
    return most, True
