"""Turning of soft bodies as a whole, which their constant matrix alone would hold back.

That matrix A = M + L, mass over the square of the step and a bound L of the stiffness, is the same for x, y and z, so
that L resists turning as it resists deforming: with R the displacements by a small turn about each axis, L R is not
nothing, though elastic forces are the same after a turn. What is solved has

  B = A - L R (R' L R)^-1 R' L,   B R = M R,   B positive,

by Woodbury's formula with W = A^-1 L R:  B^-1 = A^-1 + W (R' M W)^-1 W'. L R is, of each axis e, e x (L x) of the arms
x from the centre of turning: so one solution a step is all it takes.

What hangs together turns about its own centre where nothing holds it, about a vertex that is pinned, or about the line
through vertices that are; else not.

Source: Hager 1989, "Updating the inverse of a matrix" (doi 10.1137/1031049); that the bound does so: Liu, Bouaziz and
Kavan 2017, "Quasi-Newton methods for real-time simulation of hyperelastic materials" (doi 10.1145/2990496).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Flags, Index
from ...kernels import kernel
from ...kernels.linalg import invert_symmetric_3x3
from ...kernels.simd import LANES, block_row, clear, cross_three, everywhere, four, put, sums, three
from .factor import solve_factored
from .pattern import add_scalar_product
from .tables import FactorTable, Hinge, ScalarRows


class Rotations(NamedTuple):
    """Of each vertex, and by number of what hangs together.

    arm    : (N, 3) float64, [m], from the centre of turning
    load   : (N, 3) float64, [N], L x; 0 of what is pinned
    way    : (N, 3) float64, [m], A^-1 L x
    center : (N, 4) float64, [m], and mass over the square of the step [N/m]
    bound  : (N, 3, 3) float64, [N m], R' L R, then its inverse
    heavy  : (N, 3, 3) float64, [N m], R' M W, then its inverse
    inertia : (N, 3, 3) float64, [N m], R' M R, then its inverse
    able   : (N,) uint8, by body, whether any of it can turn
    total  : (N, 4) float64, [N m], scratch, the last column 0
    matrix : (3, 3) float64, scratch
    """

    arm: Array
    load: Array
    way: Array
    center: Array
    bound: Array
    heavy: Array
    inertia: Array
    able: Flags
    total: Array
    matrix: Array


def make_rotations(count: int) -> Rotations:
    f = np.zeros
    v, m = (count, 3), (count, 3, 3)
    return Rotations(
        f(v), f(v), f(v), f((count, 4)), f(m), f(m), f(m), f(count, np.uint8), f((count, LANES)), f((3, 3))
    )


@kernel(inner=True)
def prepare_rotations(
    turns: Rotations,
    factor: FactorTable,
    rows: ScalarRows,
    stays: Array,
    island: Index,
    leading: Index,
    body: int,
    span: tuple[int, int],
    pinned: Flags,
    x: Array,
    work: Array,
) -> None:
    """Work out how a body turns from where it is.

    stays   : (N,) float64, [N/m], what M has of each vertex
    island  : (N,) int32, the same number where vertices hang together
    leading : (n,) int32, vertices of the body that stand for themselves
    span    : the body's vertices, first to last
    """
    first, last = span
    turns.able[body] = 0
    for i in leading:
        if factor.hinge[island[i], 0] != Hinge.HELD:
            turns.able[body] = 1
            break
    arm, load, center = turns.arm, turns.load, turns.center
    for i in leading:
        k = island[i]
        for c in range(4):
            center[k, c] = 0.0
        turns.bound[k, :, :], turns.heavy[k, :, :], turns.inertia[k, :, :] = 0.0, 0.0, 0.0
    for i in leading:
        k = island[i]
        for c in range(3):
            center[k, c] += stays[i] * x[i, c]
        center[k, 3] += stays[i]
    arm[first:last, :] = 0.0
    load[first:last, :] = 0.0
    for i in leading:
        k = island[i]
        a = factor.hinge[k, 0]
        for c in range(3):
            arm[i, c] = x[i, c] - (x[a, c] if a >= 0 else center[k, c] / center[k, 3])
    if not turns.able[body]:
        turns.inertia[first:last, :, :] = 0.0
        return
    add_scalar_product(rows, first, last, arm, load)
    for i in range(first, last):
        free = 0.0 if pinned[i] else 1.0
        for c in range(3):
            load[i, c] = free * (load[i, c] - stays[i] * arm[i, c])
    solve_factored(factor, first, last, load, turns.way, work)
    for i in leading:
        if not pinned[i]:
            k = island[i]
            _add_turning(arm[i], load[i], 1.0, turns.bound[k])
            _add_turning(arm[i], turns.way[i], stays[i], turns.heavy[k])
            _add_turning(arm[i], arm[i], stays[i], turns.inertia[k])
    for i in leading:
        k = island[i]
        if center[k, 3] > 0.0:  # the first of its own
            center[k, 3] = 0.0
            _invert(turns.bound[k], factor.hinge[k], x, turns.matrix)
            _invert(turns.heavy[k], factor.hinge[k], x, turns.matrix)
            _invert(turns.inertia[k], factor.hinge[k], x, turns.matrix)


@kernel(inner=True)
def _add_turning(arm: Array, of: Array, weight: float, out: Array) -> None:
    """out += weight ((arm . of) 1 - of arm'): by each axis a, of turning about each axis b, (a x arm) . (b x of)."""
    s = arm[0] * of[0] + arm[1] * of[1] + arm[2] * of[2]
    for r in range(3):
        for c in range(3):
            out[r, c] -= weight * of[r] * arm[c]
        out[r, r] += weight * s


@kernel(inner=True)
def _invert(matrix: Array, hinge: Index, x: Array, work: Array) -> None:
    """The inverse of a matrix over axes (3, 3), in its place, for the turns that a hinge leaves free."""
    for r in range(3):
        for c in range(3):
            work[r, c] = 0.5 * (matrix[r, c] + matrix[c, r])
    a, b = hinge[0], hinge[1]
    if a == Hinge.HELD:
        matrix[:, :] = 0.0
    elif a == b:
        invert_symmetric_3x3(work, matrix)
    else:
        u, v, w = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2]
        e = matrix[0]
        e[0], e[1], e[2] = u, v, w
        along = 0.0
        for r in range(3):
            for c in range(3):
                along += e[r] * work[r, c] * e[c]
        s = 1.0 / along if along > 0.0 else 0.0
        for r in range(3):
            p = u if r == 0 else v if r == 1 else w
            work[r, 0], work[r, 1], work[r, 2] = s * p * u, s * p * v, s * p * w
        for r in range(3):
            for c in range(3):
                matrix[r, c] = work[r, c]


@kernel(inner=True)
def _turn_by(
    arms: Array, inverse: Array, sign: float, turns: Rotations, island: Index, leading: Index, x: Array, y: Array
) -> None:
    """y += sign (inverse sum(arms x x)) x arms, the sum and the inverse (N, 3, 3) of each that hangs together.

    arms, x : (N, 3 or more) float64
    y       : (N, 4) float64, the last column 0
    """
    last = -1
    for i in leading:
        if island[i] != last:
            last = island[i]
            clear(turns.total, last, last + 1)
    last, sum_of, turn = -1, everywhere(0.0), everywhere(0.0)
    for i in leading:
        if island[i] != last:
            if last >= 0:
                put(sum_of, turns.total, last)
            last = island[i]
            sum_of = four(turns.total, last)
        sum_of = sum_of + cross_three(three(arms, i), three(x, i))
    if last >= 0:
        put(sum_of, turns.total, last)
    last = -1
    for i in leading:
        if island[i] != last:
            last = island[i]
            of = four(turns.total, last)
            u, v, w = block_row(inverse, last, 0), block_row(inverse, last, 1), block_row(inverse, last, 2)
            turn = sums(u * of, v * of, w * of) * sign
        put(four(y, i) + cross_three(turn, three(arms, i)), y, i)


@kernel(inner=True)
def let_turn(turns: Rotations, island: Index, leading: Index, x: Array, out: Array) -> None:
    """out (N, 4), which is A x, becomes B x, of the vertices that lead (n,) of one body."""
    _turn_by(turns.load, turns.bound, -1.0, turns, island, leading, x, out)


@kernel(inner=True)
def turn_on(turns: Rotations, island: Index, leading: Index, r: Array, z: Array) -> None:
    """z (N, 4), which is A^-1 r, becomes B^-1 r, likewise."""
    _turn_by(turns.way, turns.heavy, 1.0, turns, island, leading, r, z)


@kernel(inner=True)
def take_torque(turns: Rotations, stays: Array, island: Index, leading: Index, pinned: Flags, force: Array) -> None:
    """Take from forces (N, 3) [N] inside a body what would turn it. Elastic forces turn nothing where they are worked
    out; but that is where vertices are likely to go, and a step turns them about where they are.
    """
    total = turns.total
    for i in leading:
        k = island[i]
        total[k, 0], total[k, 1], total[k, 2] = 0.0, 0.0, 0.0
    for i in leading:
        if not pinned[i]:
            k, r, f = island[i], turns.arm[i], force[i]
            total[k, 0] += r[1] * f[2] - r[2] * f[1]
            total[k, 1] += r[2] * f[0] - r[0] * f[2]
            total[k, 2] += r[0] * f[1] - r[1] * f[0]
    for i in leading:
        k, r, s = island[i], turns.arm[i], stays[i]
        u, v, w = _turn_of(turns.inertia[k], total[k])
        force[i, 0] -= s * (v * r[2] - w * r[1])
        force[i, 1] -= s * (w * r[0] - u * r[2])
        force[i, 2] -= s * (u * r[1] - v * r[0])


@kernel(inner=True)
def _turn_of(m: Array, t: Array) -> tuple[float, float, float]:
    return (
        m[0, 0] * t[0] + m[0, 1] * t[1] + m[0, 2] * t[2],
        m[1, 0] * t[0] + m[1, 1] * t[1] + m[1, 2] * t[2],
        m[2, 0] * t[0] + m[2, 1] * t[1] + m[2, 2] * t[2],
    )


@kernel(inner=True)
def move_as_rigid(
    turns: Rotations,
    factor: FactorTable,
    stays: Array,
    island: Index,
    leading: Index,
    pinned: Flags,
    d: Array,
    out: Array,
) -> None:
    """What displacements have of a motion as one, of each that hangs together: a shift and a small turn that have their
    momentum and angular momentum; about its hinge where it has one, nothing where it is held.

    d, out : (N, 3) float64, [m]
    """
    center, total = turns.center, turns.total
    for i in leading:
        k = island[i]
        center[k, 0], center[k, 1], center[k, 2], center[k, 3] = 0.0, 0.0, 0.0, 0.0
        total[k, 0], total[k, 1], total[k, 2] = 0.0, 0.0, 0.0
    for i in leading:
        k = island[i]
        for c in range(3):
            center[k, c] += stays[i] * d[i, c]
        center[k, 3] += stays[i]
    for i in leading:
        k, s, r = island[i], stays[i], turns.arm[i]
        a = factor.hinge[k, 0]
        u, v, w = center[k, 0] / center[k, 3], center[k, 1] / center[k, 3], center[k, 2] / center[k, 3]
        if a >= 0:
            u, v, w = d[a, 0], d[a, 1], d[a, 2]
        u, v, w = d[i, 0] - u, d[i, 1] - v, d[i, 2] - w
        if pinned[i]:
            continue
        total[k, 0] += s * (r[1] * w - r[2] * v)
        total[k, 1] += s * (r[2] * u - r[0] * w)
        total[k, 2] += s * (r[0] * v - r[1] * u)
    for i in leading:
        k = island[i]
        if center[k, 3] > 0.0:  # the first of its own
            a = factor.hinge[k, 0]
            for c in range(3):
                center[k, c] = center[k, c] / center[k, 3] if a == Hinge.FREE else d[a, c] if a >= 0 else 0.0
            center[k, 3] = 0.0
            t = total[k]
            u, v, w = _turn_of(turns.inertia[k], t)
            t[0], t[1], t[2] = u, v, w
    for i in leading:
        k, r = island[i], turns.arm[i]
        t = total[k]
        out[i, 0] = center[k, 0] + t[1] * r[2] - t[2] * r[1]
        out[i, 1] = center[k, 1] + t[2] * r[0] - t[0] * r[2]
        out[i, 2] = center[k, 2] + t[0] * r[1] - t[1] * r[0]
