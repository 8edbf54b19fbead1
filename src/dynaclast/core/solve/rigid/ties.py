"""Ties between assemblies, or between one and the world: pins, strings, hinges, welds.

Each is solved as a block of velocities in every substep (point: 3 x 3, turn: 3 x 3; Catto 2009, "Modeling and solving
constraints"), and drift is taken back by displacements that never become speed, as overlaps are.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...geometry.mesh import Array, Index
from ...kernels import kernel
from ..model import TIE_HINGE, TIE_STRING, TIE_WELD, PieceTable, TieTable
from ..state import Assemblies
from .assemblies import rotation, wake

TIE_BIAS = 0.3
"""Share of the drift taken back per substep."""
FEWEST, TIE_SWEEPS = 4, 400
"""Passes over all ties per substep, at least and at most. They are few, and a chain that carries something heavy needs
many.
"""
TIE_CLOSE = 1e-4
"""They end once no tie's ends part faster than this share of how fast they parted in the first pass."""


class TieRows(NamedTuple):
    """The ties at work in an interval, M of them.

    tie (M,) row of the table; a, b (M,) assembly slots (the ground for the world); ra, rb (M, 3) arms in the world [m];
    gap (M, 3) from b's end to a's [m]; lean (M, 3) turn that would set a right against b [rad]; axis (M, 3) hinge axis
    or line of the string, world; angle (M,) of the hinge [rad], stretch (M,) of the string beyond its length [m] arc
    (M, 3) speed that the ends' arcs add over a substep, of a string its first entry along it [m/s] point_mass,
    turn_mass (M, 3, 3), line_mass (M,): effective masses; push (M, 8): impulses of a substep, 3 at the point [N s], 3
    of turn [N m s], limit and friction about the axis; pull, wrench (M,): sums over the interval of their sizes
    """

    tie: Index
    a: Index
    b: Index
    ra: Array
    rb: Array
    gap: Array
    lean: Array
    axis: Array
    angle: Array
    stretch: Array
    arc: Array
    point_mass: Array
    turn_mass: Array
    line_mass: Array
    push: Array
    pull: Array
    wrench: Array


def make_tie_rows(room: int) -> TieRows:
    m, i4, f = room, np.int32, np.zeros
    return TieRows(
        f(m, i4),
        f(m, i4),
        f(m, i4),
        f((m, 3)),
        f((m, 3)),
        f((m, 3)),
        f((m, 3)),
        f((m, 3)),
        f(m),
        f(m),
        f((m, 3)),
        f((m, 3, 3)),
        f((m, 3, 3)),
        f(m),
        f((m, 8)),
        f(m),
        f(m),
    )


@kernel
def wake_tied(ties: TieTable, broken, piece_asm, asm: Assemblies):
    """Wake what sleeps at the other end of a tie to something awake; returns 1 if anything woke."""
    woke = 0
    ground = len(asm.alive) - 1
    for i in range(len(ties.kind)):
        if broken[i] or ties.piece[i, 1] < 0:
            continue
        a, b = piece_asm[ties.piece[i, 0]], piece_asm[ties.piece[i, 1]]
        for x, y in ((a, b), (b, a)):
            awake = x != ground and not asm.asleep[x] and (not asm.held[x] or asm.held[x] == 2)
            if awake and asm.asleep[y]:
                wake(np.int64(y), asm)
                woke = 1
    return woke


@kernel(inner=True)
def gather_ties(ties: TieTable, broken, kept, piece_asm, asm: Assemblies, inv_mass, rows: TieRows):
    """The ties between ends of which one can move, with the impulses they ended the last interval with; returns how
    many.
    """
    ground = len(asm.alive) - 1
    n = 0
    for i in range(len(ties.kind)):
        if broken[i]:
            continue
        a = piece_asm[ties.piece[i, 0]]
        b = piece_asm[ties.piece[i, 1]] if ties.piece[i, 1] >= 0 else ground
        if a == b or (inv_mass[a] == 0.0 and inv_mass[b] == 0.0):
            continue
        rows.tie[n], rows.a[n], rows.b[n] = i, a, b
        rows.pull[n] = 0.0
        rows.wrench[n] = 0.0
        for c in range(8):
            rows.push[n, c] = kept[i, c]
        n += 1
    return n


@kernel(inner=True)
def _invert(m, out):
    """Inverse of a symmetric positive (3, 3)."""
    a, b, c, d, e, f = m[0, 0], m[0, 1], m[0, 2], m[1, 1], m[1, 2], m[2, 2]
    p, q, r = d * f - e * e, c * e - b * f, b * e - c * d
    det = a * p + b * q + c * r
    s = 1.0 / det if det > 0.0 else 0.0
    out[0, 0], out[0, 1], out[0, 2] = p * s, q * s, r * s
    out[1, 0], out[1, 1], out[1, 2] = q * s, (a * f - c * c) * s, (b * c - a * e) * s
    out[2, 0], out[2, 1], out[2, 2] = r * s, (b * c - a * e) * s, (a * d - b * b) * s


@kernel(inner=True)
def _lean_of(qa, qb, out):
    """Rotation vector that takes turn qa to turn qb, the short way."""
    ax, ay, az, aw = -qa[0], -qa[1], -qa[2], qa[3]
    bx, by, bz, bw = qb[0], qb[1], qb[2], qb[3]
    x, y = bw * ax + bx * aw + by * az - bz * ay, bw * ay - bx * az + by * aw + bz * ax
    z, w = bw * az + bx * ay - by * ax + bz * aw, bw * aw - bx * ax - by * ay - bz * az
    s = -2.0 if w < 0.0 else 2.0
    out[0], out[1], out[2] = s * x, s * y, s * z


@kernel(inner=True)
def _angle_about(qa, qb, axis):
    """Angle (-pi, pi] by which a has turned against b about an axis of the opening frame."""
    bx, by, bz, bw = -qb[0], -qb[1], -qb[2], qb[3]
    ax, ay, az, aw = qa[0], qa[1], qa[2], qa[3]
    x, y = bw * ax + bx * aw + by * az - bz * ay, bw * ay - bx * az + by * aw + bz * ax
    z, w = bw * az + bx * ay - by * ax + bz * aw, bw * aw - bx * ax - by * ay - bz * az
    turn = 2.0 * np.arctan2(x * axis[0] + y * axis[1] + z * axis[2], w)
    if turn > np.pi:
        turn -= 2.0 * np.pi
    if turn <= -np.pi:
        turn += 2.0 * np.pi
    return turn


@kernel(inner=True)
def aim_ties(ties: TieTable, rows: TieRows, n, asm: Assemblies, inv_mass, inv_inertia, scratch):
    """Arms, errors and effective masses as the bodies stand now. Refreshes the world inertia of what is tied. scratch
    (6, 3, 3)
    """
    m, half, k, mb, cross, u, v = (
        scratch[0],
        scratch[1],
        scratch[2],
        scratch[3],
        scratch[4],
        scratch[5, 0],
        scratch[5, 1],
    )
    for r in range(n):
        for end in range(2):
            s = rows.a[r] if end == 0 else rows.b[r]
            rotation(asm.rot[s], m)
            i = rows.tie[r]
            for c in range(3):
                arm = 0.0
                for d in range(3):
                    arm += m[c, d] * (ties.point[i, end, d] - asm.rest[s, d])
                if end == 0:
                    rows.ra[r, c] = arm
                else:
                    rows.rb[r, c] = arm
            if inv_mass[s] == 0.0:
                continue
            for p in range(3):
                for q in range(3):
                    half[p, q] = (
                        m[p, 0] * asm.inv_inertia[s, 0, q]
                        + m[p, 1] * asm.inv_inertia[s, 1, q]
                        + m[p, 2] * asm.inv_inertia[s, 2, q]
                    )
            for p in range(3):
                for q in range(3):
                    inv_inertia[s, p, q] = half[p, 0] * m[q, 0] + half[p, 1] * m[q, 1] + half[p, 2] * m[q, 2]
    for r in range(n):
        i, a, b = rows.tie[r], rows.a[r], rows.b[r]
        length = 0.0
        for c in range(3):
            rows.gap[r, c] = asm.pos[a, c] + rows.ra[r, c] - asm.pos[b, c] - rows.rb[r, c]
            length += rows.gap[r, c] ** 2
        length = np.sqrt(length)
        _point_mass(rows.ra[r], rows.rb[r], inv_mass[a] + inv_mass[b], inv_inertia[a], inv_inertia[b], cross, k)
        if ties.kind[i] == TIE_STRING:
            rows.stretch[r] = length - ties.length[i]
            w = 0.0
            for c in range(3):
                rows.axis[r, c] = rows.gap[r, c] / length if length > 1e-12 else (1.0 if c == 1 else 0.0)
            for c in range(3):
                for d in range(3):
                    w += rows.axis[r, c] * k[c, d] * rows.axis[r, d]
            rows.line_mass[r] = 1.0 / w if w > 0.0 else 0.0
            continue
        _invert(k, rows.point_mass[r])
        if ties.kind[i] == TIE_WELD:
            for c in range(3):
                for d in range(3):
                    k[c, d] = inv_inertia[a, c, d] + inv_inertia[b, c, d]
            _invert(k, rows.turn_mass[r])
            _lean_of(asm.rot[a], asm.rot[b], rows.lean[r])
        elif ties.kind[i] == TIE_HINGE:
            rotation(asm.rot[a], m)
            rotation(asm.rot[b], mb)
            for c in range(3):
                u[c] = m[c, 0] * ties.axis[i, 0] + m[c, 1] * ties.axis[i, 1] + m[c, 2] * ties.axis[i, 2]
                v[c] = mb[c, 0] * ties.axis[i, 0] + mb[c, 1] * ties.axis[i, 1] + mb[c, 2] * ties.axis[i, 2]
                rows.axis[r, c] = u[c]
            rows.lean[r, 0], rows.lean[r, 1], rows.lean[r, 2] = (
                u[1] * v[2] - u[2] * v[1],
                u[2] * v[0] - u[0] * v[2],
                u[0] * v[1] - u[1] * v[0],
            )
            rows.angle[r] = _angle_about(asm.rot[a], asm.rot[b], ties.axis[i])
            _across(u, inv_inertia[a], inv_inertia[b], k)
            w = 0.0
            for c in range(3):
                for d in range(3):
                    w += u[c] * (inv_inertia[a, c, d] + inv_inertia[b, c, d]) * u[d]
            rows.line_mass[r] = 1.0 / w if w > 0.0 else 0.0
            _invert(k, rows.turn_mass[r])


@kernel(inner=True)
def _point_mass(ra, rb, im, ia, ib, cross, k):
    """Inverse effective mass (3, 3) of two points moving as one: im 1 - [ra] Ia^-1 [ra] - [rb] Ib^-1 [rb]. cross (3, 3)
    scratch
    """
    for i in range(3):
        for j in range(3):
            k[i, j] = im if i == j else 0.0
    for end in range(2):
        v = ra if end == 0 else rb
        inv = ia if end == 0 else ib
        cross[0, 0], cross[0, 1], cross[0, 2] = 0.0, -v[2], v[1]
        cross[1, 0], cross[1, 1], cross[1, 2] = v[2], 0.0, -v[0]
        cross[2, 0], cross[2, 1], cross[2, 2] = -v[1], v[0], 0.0
        for i in range(3):
            for j in range(3):
                t = 0.0
                for p in range(3):
                    for q in range(3):
                        t += cross[i, p] * inv[p, q] * cross[j, q]
                k[i, j] += t


@kernel(inner=True)
def _across(u, ia, ib, k):
    """Inverse effective inertia across axis u, made invertible along it."""
    scale = 0.0
    for c in range(3):
        scale += ia[c, c] + ib[c, c]
    for i in range(3):
        for j in range(3):
            t = 0.0
            for p in range(3):
                for q in range(3):
                    t += (
                        ((1.0 if i == p else 0.0) - u[i] * u[p])
                        * (ia[p, q] + ib[p, q])
                        * ((1.0 if q == j else 0.0) - u[q] * u[j])
                    )
            k[i, j] = t + scale * u[i] * u[j]


@kernel(inner=True)
def _apply(rows: TieRows, r, px, py, pz, vel, spin, inv_mass, inv_inertia):
    """An impulse on a's end, and its opposite on b's."""
    for end in range(2):
        s = rows.a[r] if end == 0 else rows.b[r]
        if inv_mass[s] == 0.0:
            continue
        sign = 1.0 if end == 0 else -1.0
        arm = rows.ra[r] if end == 0 else rows.rb[r]
        x, y, z = sign * px, sign * py, sign * pz
        vel[s, 0] += inv_mass[s] * x
        vel[s, 1] += inv_mass[s] * y
        vel[s, 2] += inv_mass[s] * z
        tx, ty, tz = arm[1] * z - arm[2] * y, arm[2] * x - arm[0] * z, arm[0] * y - arm[1] * x
        for c in range(3):
            spin[s, c] += inv_inertia[s, c, 0] * tx + inv_inertia[s, c, 1] * ty + inv_inertia[s, c, 2] * tz


@kernel(inner=True)
def _apply_turn(rows: TieRows, r, tx, ty, tz, spin, inv_mass, inv_inertia):
    """A turning impulse on a, and its opposite on b."""
    for end in range(2):
        s = rows.a[r] if end == 0 else rows.b[r]
        if inv_mass[s] == 0.0:
            continue
        sign = 1.0 if end == 0 else -1.0
        for c in range(3):
            spin[s, c] += sign * (inv_inertia[s, c, 0] * tx + inv_inertia[s, c, 1] * ty + inv_inertia[s, c, 2] * tz)


@kernel(inner=True)
def warm_ties(ties: TieTable, rows: TieRows, n, vel, spin, inv_mass, inv_inertia):
    """Apply the impulses of the last substep again."""
    for r in range(n):
        p, u = rows.push[r], rows.axis[r]
        kind = ties.kind[rows.tie[r]]
        if kind == TIE_STRING:
            _apply(rows, r, p[0] * u[0], p[0] * u[1], p[0] * u[2], vel, spin, inv_mass, inv_inertia)
            continue
        _apply(rows, r, p[0], p[1], p[2], vel, spin, inv_mass, inv_inertia)
        if kind == TIE_HINGE or kind == TIE_WELD:
            along = p[6] + p[7]
            _apply_turn(
                rows, r, p[3] + along * u[0], p[4] + along * u[1], p[5] + along * u[2], spin, inv_mass, inv_inertia
            )


@kernel(inner=True)
def _square(v):
    return v[0] * v[0] + v[1] * v[1] + v[2] * v[2]


@kernel(inner=True)
def lay_arcs(ties: TieTable, rows: TieRows, n, vel, spin, inv_mass, h):
    """Ends travel on arcs: half the turn's square over the substep (as SHAKE; Ryckaert et al. 1977, doi
    10.1016/0021-9991(77)90098-5), without which every substep would lose the share that points outwards. By the turn at
    the substep's start, so that what is solved is linear and its solution is come to however fast things turn.
    """
    for r in range(n):
        a, b = rows.a[r], rows.b[r]
        x, y, z = 0.0, 0.0, 0.0
        for end in range(2):
            s = a if end == 0 else b
            wx, wy, wz = spin[s, 0], spin[s, 1], spin[s, 2]
            if inv_mass[s] == 0.0 and wx == 0.0 and wy == 0.0 and wz == 0.0:
                continue
            arm = rows.ra[r] if end == 0 else rows.rb[r]
            dot, square = wx * arm[0] + wy * arm[1] + wz * arm[2], wx * wx + wy * wy + wz * wz
            half = 0.5 * h if end == 0 else -0.5 * h
            x += half * (wx * dot - square * arm[0])
            y += half * (wy * dot - square * arm[1])
            z += half * (wz * dot - square * arm[2])
        if ties.kind[rows.tie[r]] == TIE_STRING:
            u = rows.axis[r]
            vx, vy, vz = _parting(rows, r, vel, spin)
            v = vx * u[0] + vy * u[1] + vz * u[2]
            x = (
                x * u[0]
                + y * u[1]
                + z * u[2]
                + 0.5 * h * (vx * vx + vy * vy + vz * vz - v * v) / max(1e-12, ties.length[rows.tie[r]])
            )
            y, z = 0.0, 0.0
        rows.arc[r, 0], rows.arc[r, 1], rows.arc[r, 2] = x, y, z


@kernel(inline=True)
def _parting(rows: TieRows, r, vel, spin):
    """How fast the ends of a tie part [m/s]."""
    a, b, ra, rb = rows.a[r], rows.b[r], rows.ra[r], rows.rb[r]
    vx = vel[a, 0] - vel[b, 0] + spin[a, 1] * ra[2] - spin[a, 2] * ra[1] - spin[b, 1] * rb[2] + spin[b, 2] * rb[1]
    vy = vel[a, 1] - vel[b, 1] + spin[a, 2] * ra[0] - spin[a, 0] * ra[2] - spin[b, 2] * rb[0] + spin[b, 0] * rb[2]
    vz = vel[a, 2] - vel[b, 2] + spin[a, 0] * ra[1] - spin[a, 1] * ra[0] - spin[b, 0] * rb[1] + spin[b, 1] * rb[0]
    return vx, vy, vz


@kernel(inner=True)
def sweep_ties(ties: TieTable, rows: TieRows, n, vel, spin, inv_mass, inv_inertia, h, turn):
    """Pass number ``turn`` over all ties: turns first, then points, which must hold most. Every other pass goes
    backwards, so that a chain's ends hear of each other. Returns how fast the ends of a tie parted at most before it
    was held [m/s].
    """
    backwards, parted = turn % 2 == 1, 0.0
    for k in range(n):
        r = n - 1 - k if backwards else k
        i, a, b = rows.tie[r], rows.a[r], rows.b[r]
        kind, p, u = ties.kind[i], rows.push[r], rows.axis[r]
        if kind == TIE_HINGE or kind == TIE_WELD:
            wx, wy, wz = spin[a, 0] - spin[b, 0], spin[a, 1] - spin[b, 1], spin[a, 2] - spin[b, 2]
            if kind == TIE_HINGE:
                along = wx * u[0] + wy * u[1] + wz * u[2]
                most = ties.friction[i] * h
                new = min(most, max(-most, p[7] - along * rows.line_mass[r]))
                d = new - p[7]
                p[7] = new
                if ties.low[i] > -np.inf or ties.high[i] < np.inf:
                    # what turns on past a limit within this substep is stopped there
                    if rows.angle[r] > 0.5 * (ties.low[i] + ties.high[i]):
                        to = min(0.0, p[6] + ((ties.high[i] - rows.angle[r]) / h - along) * rows.line_mass[r])
                    else:
                        to = max(0.0, p[6] + ((ties.low[i] - rows.angle[r]) / h - along) * rows.line_mass[r])
                    d += to - p[6]
                    p[6] = to
                if d != 0.0:
                    _apply_turn(rows, r, d * u[0], d * u[1], d * u[2], spin, inv_mass, inv_inertia)
                    wx, wy, wz = spin[a, 0] - spin[b, 0], spin[a, 1] - spin[b, 1], spin[a, 2] - spin[b, 2]
                along = wx * u[0] + wy * u[1] + wz * u[2]
                wx, wy, wz = wx - along * u[0], wy - along * u[1], wz - along * u[2]
            parted = max(parted, np.sqrt((wx * wx + wy * wy + wz * wz) * (_square(rows.ra[r]) + _square(rows.rb[r]))))
            m = rows.turn_mass[r]
            tx = -(m[0, 0] * wx + m[0, 1] * wy + m[0, 2] * wz)
            ty = -(m[1, 0] * wx + m[1, 1] * wy + m[1, 2] * wz)
            tz = -(m[2, 0] * wx + m[2, 1] * wy + m[2, 2] * wz)
            p[3] += tx
            p[4] += ty
            p[5] += tz
            _apply_turn(rows, r, tx, ty, tz, spin, inv_mass, inv_inertia)
        vx, vy, vz = _parting(rows, r, vel, spin)
        if kind == TIE_STRING:
            v = vx * u[0] + vy * u[1] + vz * u[2] + rows.arc[r, 0]
            new = min(0.0, p[0] + (max(0.0, -rows.stretch[r]) / h - v) * rows.line_mass[r])
            d = new - p[0]
            p[0] = new
            if d != 0.0:
                parted = max(parted, abs(d) / rows.line_mass[r])
                _apply(rows, r, d * u[0], d * u[1], d * u[2], vel, spin, inv_mass, inv_inertia)
            continue
        vx, vy, vz = vx + rows.arc[r, 0], vy + rows.arc[r, 1], vz + rows.arc[r, 2]
        parted = max(parted, np.sqrt(vx * vx + vy * vy + vz * vz))
        m = rows.point_mass[r]
        x = -(m[0, 0] * vx + m[0, 1] * vy + m[0, 2] * vz)
        y = -(m[1, 0] * vx + m[1, 1] * vy + m[1, 2] * vz)
        z = -(m[2, 0] * vx + m[2, 1] * vy + m[2, 2] * vz)
        p[0] += x
        p[1] += y
        p[2] += z
        _apply(rows, r, x, y, z, vel, spin, inv_mass, inv_inertia)
    return parted


@kernel(inner=True)
def mend_ties(ties: TieTable, rows: TieRows, n, shift, tilt, inv_mass, inv_inertia):
    """Displacements shift [m] and tilt [rad] (A, 3) that take a share of the drift back."""
    for _ in range(2):
        for r in range(n):
            i, a, b = rows.tie[r], rows.a[r], rows.b[r]
            kind, u = ties.kind[i], rows.axis[r]
            ra, rb = rows.ra[r], rows.rb[r]
            if kind == TIE_HINGE or kind == TIE_WELD:
                e0 = TIE_BIAS * rows.lean[r, 0] - (tilt[a, 0] - tilt[b, 0])
                e1 = TIE_BIAS * rows.lean[r, 1] - (tilt[a, 1] - tilt[b, 1])
                e2 = TIE_BIAS * rows.lean[r, 2] - (tilt[a, 2] - tilt[b, 2])
                if kind == TIE_HINGE:
                    along = e0 * u[0] + e1 * u[1] + e2 * u[2]
                    e0, e1, e2 = e0 - along * u[0], e1 - along * u[1], e2 - along * u[2]
                m = rows.turn_mass[r]
                _apply_turn(
                    rows,
                    r,
                    m[0, 0] * e0 + m[0, 1] * e1 + m[0, 2] * e2,
                    m[1, 0] * e0 + m[1, 1] * e1 + m[1, 2] * e2,
                    m[2, 0] * e0 + m[2, 1] * e1 + m[2, 2] * e2,
                    tilt,
                    inv_mass,
                    inv_inertia,
                )
            dx = (
                shift[a, 0]
                - shift[b, 0]
                + tilt[a, 1] * ra[2]
                - tilt[a, 2] * ra[1]
                - tilt[b, 1] * rb[2]
                + tilt[b, 2] * rb[1]
            )
            dy = (
                shift[a, 1]
                - shift[b, 1]
                + tilt[a, 2] * ra[0]
                - tilt[a, 0] * ra[2]
                - tilt[b, 2] * rb[0]
                + tilt[b, 0] * rb[2]
            )
            dz = (
                shift[a, 2]
                - shift[b, 2]
                + tilt[a, 0] * ra[1]
                - tilt[a, 1] * ra[0]
                - tilt[b, 0] * rb[1]
                + tilt[b, 1] * rb[0]
            )
            if kind == TIE_STRING:
                if rows.stretch[r] <= 0.0:
                    continue
                d = (-TIE_BIAS * rows.stretch[r] - (dx * u[0] + dy * u[1] + dz * u[2])) * rows.line_mass[r]
                _apply(rows, r, d * u[0], d * u[1], d * u[2], shift, tilt, inv_mass, inv_inertia)
                continue
            x, y, z = -TIE_BIAS * rows.gap[r, 0] - dx, -TIE_BIAS * rows.gap[r, 1] - dy, -TIE_BIAS * rows.gap[r, 2] - dz
            m = rows.point_mass[r]
            _apply(
                rows,
                r,
                m[0, 0] * x + m[0, 1] * y + m[0, 2] * z,
                m[1, 0] * x + m[1, 1] * y + m[1, 2] * z,
                m[2, 0] * x + m[2, 1] * y + m[2, 2] * z,
                shift,
                tilt,
                inv_mass,
                inv_inertia,
            )


@kernel(inner=True)
def count_ties(ties: TieTable, rows: TieRows, n):
    """Add this substep's impulses to the sums of the interval."""
    for r in range(n):
        p = rows.push[r]
        if ties.kind[rows.tie[r]] == TIE_STRING:
            rows.pull[r] += abs(p[0])
        else:
            rows.pull[r] += np.sqrt(p[0] ** 2 + p[1] ** 2 + p[2] ** 2)
            rows.wrench[r] += np.sqrt(p[3] ** 2 + p[4] ** 2 + p[5] ** 2)


@kernel
def tie_loads(ties: TieTable, pieces: PieceTable, rows: TieRows, n, interval, load):
    """Mean load (T,) [N] of every tie at work over the interval: its force, and the moment of a hinge or weld over the
    smaller piece's size.
    """
    for r in range(n):
        i = rows.tie[r]
        size = pieces.size[ties.piece[i, 0]]
        if ties.piece[i, 1] >= 0:
            size = min(size, pieces.size[ties.piece[i, 1]])
        load[i] = (rows.pull[r] + rows.wrench[r] / size) / interval
