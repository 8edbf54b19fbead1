"""The linear system of a step: its matrix, and the products with it.

Unknown are the displacements d of the vertices and, of assemblies that rows lead to, the displacement and the turn of
the centre over the step. The matrix is mass over the square of the step, elements, rows, and contacts of assemblies.

Source: Baraff and Witkin 1998, "Large steps in cloth simulation" (doi 10.1145/280814.280821).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Flags, Index
from ...kernels import kernel
from ...kernels.rows import dot
from ...kernels.simd import LANES
from .chain import ChainFactor
from .pattern import add_block_product, add_scalar_product
from .riding import Riding
from .rotations import Rotations, let_turn
from .skyline import Skyline, make_skyline
from .tables import MOST_VERTICES, BlockPattern, BodyTable, FactorTable, Levels, Rows, ScalarRows, Solver


class Matrix(NamedTuple):
    """The matrix of deformable bodies: what stays the same in a run, and room for what does not.

    blocks  : (E, 3, 3) float64, [N/m]
    extra   : (M, 3, 3) float64, [N/m], what rows add to a node's own block in the preconditioner
    inverse : (M, 3, 3) float64, [m/N], of diagonal blocks
    island  : (N,) int32, as of the vertices
    riding  : what rides on assemblies
    compliance : rows that are solved with exactly
    held    : (N, 4) float64, [m], scratch, the last column 0; left (N, 4) float64, [N], likewise
    soft    : (N, 3, 3) float64, [N/m], what rows add to a vertex where what they lead to goes along
    eliminated : (M, 4) float64, [N], forces without those that assemblies take; swept (M, 4) float64, [N], scratch
    """

    rows: ScalarRows
    pattern: BlockPattern
    levels: Levels
    factor: FactorTable
    blocks: Array
    extra: Array
    inverse: Array
    chain: ChainFactor
    turns: Rotations
    island: Index
    work: Array
    pair: Array
    riding: Riding
    compliance: Compliance
    held: Array
    left: Array
    soft: Array
    eliminated: Array
    swept: Array


class Compliance(NamedTuple):
    """Rows of a group that are solved with by how their points give way, all together (compliance.py); R of them.

    used   : (1,) int64, R, 0 where that is not done
    row    : (MOST_COMPLIANT,) int32, into Rows; touches (MOST_COMPLIANT,) int32, those of them that hold a body
    root   : (MOST_COMPLIANT, 3, 3) float64, [sqrt(N/m)], Q, whose square is the stiffness of each
    matrix : I + Q G Q, factored, G how far their points go by unit forces
    """

    used: Index
    row: Index
    touches: Index
    root: Array
    matrix: Skyline


FEW_COMPLIANT, MOST_COMPLIANT = 64, 128
"""Rows of a group that are solved with so from the start, and at most, where iterations go on for long."""


def make_compliance(used: bool) -> Compliance:
    """used: whether anything can be."""
    n, i4 = MOST_COMPLIANT if used else 0, np.int32
    return Compliance(np.zeros(1, np.int64), np.zeros(n, i4), np.zeros(n, i4), np.zeros((n, 3, 3)), make_skyline(3 * n))


class SlotContacts(NamedTuple):
    """Points at which assemblies that take part touch others, R of them: as rows without friction.

    slot      : (R, 2) int32, the assemblies a and b, -1 where one is moved by no force
    normal    : (R, 3) float64, unit, from b to a
    jacobian  : (R, 6) float64, [m], arm times normal, of a and of b
    gap       : (R,) float64, [m], between them
    passing   : (R,) float64, [m], along the normal, how a goes past b by what no force moves
    stiffness : (R,) float64, [N/m]
    active    : (R,) uint8, whether it presses
    solved    : (R,) uint8, whether it pressed in what was solved last
    group     : (R,) int32, of each; order (R,) int32, points by groups
    made      : (M,) uint8, contacts of the interval that have their points here
    count     : (2,) int64, how many points there are, and contacts in the interval
    """

    slot: Index
    normal: Array
    jacobian: Array
    gap: Array
    passing: Array
    stiffness: Array
    active: Flags
    solved: Flags
    group: Index
    order: Index
    made: Flags
    count: Index


POINTS, FOUND = range(2)
"""Places in SlotContacts.count."""


def make_slot_contacts(contacts: int) -> SlotContacts:
    """Room for those of so many contacts."""
    n, f = 4 * contacts, np.zeros
    return SlotContacts(
        f((n, 2), np.int32),
        f((n, 3)),
        f((n, 6)),
        f(n),
        f(n),
        f(n),
        f(n, np.uint8),
        f(n, np.uint8),
        f(n, np.int32),
        f(n, np.int32),
        f(contacts, np.uint8),
        f(2, np.int64),
    )


class Slots(NamedTuple):
    """Assemblies that take part in a step, K of them.

    place   : (A,) int32, of each slot, -1 where it takes no part
    slot    : (K,) int32
    used    : (1,) int64, K
    mass    : (K,) float64, [N/m], over the square of the step
    inertia : (K, 3, 3) float64, [N m], likewise, world frame
    matrix  : (K, 6, 6) float64, with the rows on it, factored (Cholesky)
    held    : (K, 2) float64, [N/m], how stiffly rows hold each, along their normals and across; force (K, 6), scratch
    touch   : where they touch one another
    joined  : (1,) int64, rows of the matrix of those that are solved together, 0 where each is by itself
    together : that matrix, factored, for MOST_JOINED
    rank    : (K,) int32, where each has its rows
    """

    place: Index
    slot: Index
    used: Index
    mass: Array
    inertia: Array
    matrix: Array
    held: Array
    force: Array
    touch: SlotContacts
    joined: Index
    together: Skyline
    rank: Index


MOST_JOINED = 64
"""Assemblies of a group that are solved together, at most."""


def make_slots(count: int, contacts: int) -> Slots:
    f = np.zeros
    return Slots(
        np.full(count, -1, np.int32),
        f(count, np.int32),
        f(1, np.int64),
        f(count),
        f((count, 3, 3)),
        f((count, 6, 6)),
        f((count, 2)),
        f((count, 6)),
        make_slot_contacts(contacts),
        f(1, np.int64),
        make_skyline(6 * min(count, MOST_JOINED)),
        f(count, np.int32),
    )


class Vectors(NamedTuple):
    """Vectors of the iteration, over nodes (M, 4), the last column 0, and assemblies (K, 6)."""

    d: Array
    b: Array
    r: Array
    z: Array
    p: Array
    q: Array
    slot_d: Array
    slot_b: Array
    slot_r: Array
    slot_z: Array
    slot_p: Array
    slot_q: Array


def make_vectors(nodes: int, slots: int) -> Vectors:
    return Vectors(*(np.zeros((nodes, LANES)) for _ in range(6)), *(np.zeros((slots, 6)) for _ in range(6)))


@kernel(inner=True)
def slot_motion(rows: Rows, slots: Slots, c: int, y: Array) -> tuple[float, float, float]:
    """How far the assembly on the other side of a row moves where the point is; y (K, 6) as of row_motion."""
    a, o = y[slots.place[rows.slot[c]]], rows.arm[c]
    return (a[0] + a[4] * o[2] - a[5] * o[1], a[1] + a[5] * o[0] - a[3] * o[2], a[2] + a[3] * o[1] - a[4] * o[0])


@kernel(inner=True)
def vertex_motion(rows: Rows, c: int, x: Array) -> tuple[float, float, float]:
    """How far the point of a row moves with vertices x (N, 3)."""
    u, v, w = 0.0, 0.0, 0.0
    for k in range(MOST_VERTICES):
        i = rows.vertex[c, k]
        if i < 0:
            break
        s = rows.weight[c, k]
        u += s * x[i, 0]
        v += s * x[i, 1]
        w += s * x[i, 2]
    return u, v, w


@kernel(inner=True)
def row_motion(rows: Rows, slots: Slots, c: int, x: Array, y: Array) -> tuple[float, float, float]:
    """How far the point of a row moves past the assembly on the other side.

    x : (N, 3) float64, [m], of vertices; y : (K, 6) float64, of assemblies
    """
    u, v, w = vertex_motion(rows, c, x)
    if rows.slot[c] >= 0:
        a, b, e = slot_motion(rows, slots, c, y)
        return u - a, v - b, w - e
    return u, v, w


@kernel(inner=True)
def push_slot(rows: Rows, slots: Slots, c: int, f: float, g: float, h: float, y: Array) -> None:
    """Take a force (f, g, h) on the point of a row from the assembly on its other side (K, 6)."""
    a, o = y[slots.place[rows.slot[c]]], rows.arm[c]
    a[0] -= f
    a[1] -= g
    a[2] -= h
    a[3] -= o[1] * h - o[2] * g
    a[4] -= o[2] * f - o[0] * h
    a[5] -= o[0] * g - o[1] * f


@kernel(inner=True)
def push_vertices(rows: Rows, c: int, f: float, g: float, h: float, x: Array) -> None:
    """Add a force (f, g, h) on the point of a row to the vertices (N, 3) that carry it."""
    for k in range(MOST_VERTICES):
        i = rows.vertex[c, k]
        if i < 0:
            break
        s = rows.weight[c, k]
        x[i, 0] += s * f
        x[i, 1] += s * g
        x[i, 2] += s * h


@kernel(inner=True)
def add_row_force(rows: Rows, slots: Slots, c: int, f: float, g: float, h: float, x: Array, y: Array) -> None:
    """Add a force (f, g, h) on the point of a row to vertices (N, 3), and its opposite to the assembly (K, 6)."""
    push_vertices(rows, c, f, g, h, x)
    if rows.slot[c] >= 0:
        push_slot(rows, slots, c, f, g, h, y)


@kernel(inner=True)
def slots_apart(slots: Slots, q: int, y: Array) -> float:
    """How far a point of contact of assemblies opens, by those that forces move; y (K, 6) as of row_motion."""
    touch, out = slots.touch, 0.0
    n, j = touch.normal[q], touch.jacobian[q]
    for end in range(2):
        a = touch.slot[q, end]
        if a >= 0:
            o, e = y[slots.place[a]], 3 * end
            way = n[0] * o[0] + n[1] * o[1] + n[2] * o[2] + j[e] * o[3] + j[e + 1] * o[4] + j[e + 2] * o[5]
            out += way if end == 0 else -way
    return out


@kernel(inner=True)
def push_slots_apart(slots: Slots, q: int, f: float, y: Array) -> None:
    """Add a force f [N] that pushes assemblies apart at a point of contact to both (K, 6)."""
    touch = slots.touch
    for end in range(2):
        a = touch.slot[q, end]
        if a >= 0:
            o, g = y[slots.place[a]], f if end == 0 else -f
            for c in range(3):
                o[c] += g * touch.normal[q, c]
                o[3 + c] += g * touch.jacobian[q, 3 * end + c]


@kernel(inner=True)
def row_stiffness(rows: Rows, c: int, u: float, v: float, w: float) -> tuple[float, float, float]:
    """What a row resists a motion (u, v, w) of its point with [N]."""
    k, t, n = rows.stiffness[c], rows.tangential[c], rows.normal[c]
    if rows.tie[c] >= 0:
        return k * u, k * v, k * w
    along = (k - t) * (n[0] * u + n[1] * v + n[2] * w)
    return along * n[0] + t * u, along * n[1] + t * v, along * n[2] + t * w


class Group(NamedTuple):
    """One system: what rows join.

    body : (n,) int64; row : (m,) int32; slot : (k,) int32, places in Slots; touch : (q,) int32, into SlotContacts
    """

    body: Index
    row: Index
    slot: Index
    touch: Index


@kernel(inner=True)
def inner_product(bodies: BodyTable, group: Group, x: Array, y: Array, slot_x: Array, slot_y: Array) -> float:
    """(x, slot_x) . (y, slot_y) of a group."""
    out = 0.0
    for b in group.body:
        out += dot(bodies.leading, bodies.leads[b], bodies.leads[b + 1], x, y)
    for k in group.slot:
        for c in range(6):
            out += slot_x[k, c] * slot_y[k, c]
    return out


@kernel(inner=True)
def multiply_body(m: Matrix, bodies: BodyTable, b: int, x: Array, out: Array) -> None:
    """out = A x of a body without rows, also for pinned vertices; x, out (N, 3)."""
    first, last = bodies.first[b], bodies.first[b + 1]
    leading = bodies.leading[bodies.leads[b] : bodies.leads[b + 1]]
    for i in leading:
        out[i, 0], out[i, 1], out[i, 2] = 0.0, 0.0, 0.0
    add_scalar_product(m.rows, first, last, x, out)
    if bodies.solver[b] != Solver.FACTOR:
        add_block_product(m.pattern, m.blocks, first, last, x, out)
    elif m.turns.able[b]:
        let_turn(m.turns, m.island, leading, x, out)


@kernel(inner=True)
def multiply(
    m: Matrix,
    bodies: BodyTable,
    group: Group,
    rows: Rows,
    slots: Slots,
    pinned: Array,
    x: Array,
    y: Array,
    out: Array,
    slot_out: Array,
) -> None:
    """(out, slot_out) = A (x, y) of a group, nothing for pinned vertices."""
    for b in group.body:
        multiply_body(m, bodies, b, x, out)
    for k in group.slot:
        s, o = slots.mass[k], slots.inertia[k]
        for c in range(3):
            slot_out[k, c] = s * y[k, c]
            slot_out[k, 3 + c] = o[c, 0] * y[k, 3] + o[c, 1] * y[k, 4] + o[c, 2] * y[k, 5]
    for c in group.row:
        if rows.active[c]:
            u, v, w = row_motion(rows, slots, c, x, y)
            f, g, h = row_stiffness(rows, c, u, v, w)
            add_row_force(rows, slots, c, f, g, h, out, slot_out)
    for q in group.touch:
        if slots.touch.active[q]:
            push_slots_apart(slots, q, slots.touch.stiffness[q] * slots_apart(slots, q, y), slot_out)
    for b in group.body:
        if bodies.still[b]:
            for n in range(bodies.leads[b], bodies.leads[b + 1]):
                i = bodies.leading[n]
                if pinned[i]:
                    out[i, 0], out[i, 1], out[i, 2] = 0.0, 0.0, 0.0
