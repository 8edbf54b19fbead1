"""The sub-stepped impulse solver.

Each substep: add gravity, apply last substep's impulses, sweep the velocities, push overlaps apart by displacements
that never become speed, move. Source: Macklin et al. 2019, "Small steps in physics simulation" (doi
10.1145/3309486.3340247); Catto 2024, "solver2d". The points of one manifold are swept a few times while both velocities
are at hand, which takes the rocking out of stacks. Overlap is corrected on displacements because a correction of
velocities, even when relaxed afterwards, throws heavy pieces off light ones.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...geometry.mesh import Array, Index
from ...kernels import kernel
from ..model import Flags, Settings, TieTable
from ..state import Assemblies, Contacts
from .again import stale_rows
from .islands import calm_swing, islands, kinetic, swing, take_back, watch_hits, watch_spins
from .manifolds import HIT_SHARE, LIVELY_SHARE, Near, Rows, keep_impulses
from .moving import move, move_driven, speed_up
from .ties import (
    FEWEST,
    TIE_CLOSE,
    TIE_SWEEPS,
    TieRows,
    aim_ties,
    count_ties,
    lay_arcs,
    mend_ties,
    sweep_ties,
    warm_ties,
)

BIAS = 0.2
"""Share of an overlap taken out per substep."""
PUSHES = 3
"""Passes a substep that push overlaps apart, at least."""
SLOP = 0.0002
"""Overlap left alone, as a share of the smaller piece's size: keeps resting contacts closed."""
PUSH_OUT = 0.55
"""Fastest push out of an overlap, as a share of the pair's pace."""
OPENING_SWEEPS, OPENING_BUDGET = 20_000, 400_000
"""Where nothing is known yet of what presses on what, as when a run opens on things that rest on one another, the first
substep takes up to so many sweeps, rows times sweeps within the budget: weight not yet carried would let things sink,
and the push back gives energy.
"""
STIR_SHARE, STIR_SWEEPS = 0.05, 10
"""Where a sweep changes how fast something meets by more than this share of the pair's pace, what else its bodies touch
is swept once more, and so on, at most so many times.
"""
INNER = 2
"""Sweeps over one manifold's points per solver sweep."""


class Moves(NamedTuple):
    """What the substeps write on, per slot: displacements shift, tilt (A, 3) that take overlap out; island (A,), leans,
    watch (A,) uint8, size (A,): as ``islands`` fills them; energies had, has, swung, swings, moving (A,) and middle (A,
    4) of islands; stirred (A,) int32; m (3, 3), q (4,), frames (6, 3, 3); most (1,) int64: passes of the row that takes
    most.
    """

    shift: Array
    tilt: Array
    island: Index
    leans: Flags
    watch: Flags
    size: Index
    had: Array
    has: Array
    swung: Array
    swings: Array
    moving: Array
    middle: Array
    stirred: Index
    m: Array
    q: Array
    frames: Array
    most: Index


def make_moves(slots: int) -> Moves:
    f = np.zeros
    return Moves(
        f((slots, 3)),
        f((slots, 3)),
        f(slots, np.int32),
        f(slots, np.uint8),
        f(slots, np.uint8),
        f(slots, np.int32),
        f(slots),
        f(slots),
        f(slots),
        f(slots),
        f(slots),
        f((slots, 4)),
        f(slots, np.int32),
        f((3, 3)),
        f(4),
        f((6, 3, 3)),
        f(1, np.int64),
    )


@kernel(inner=True)
def _sweep(rows: Rows, n_rows, vel, spin, inv_mass, moved, turned, h, turn, least, stirred, now):
    """One pass over all manifolds: friction, twist, rolling, then no approach where the gap is closed.

    turn counts the passes of this substep from 0; a row takes part in the first rows.sweeps[r] of them, at least in
    ``least``, and in more while its bodies are stirred (A,) int32: the pass, of those numbered by ``now``, in which
    their speed last changed much. Returns whether any was.
    """
    first, per_second, any_stirred = turn == 0, 1.0 / h, False
    for r in range(n_rows):
        a, b, n = rows.a[r], rows.b[r], rows.count[r]
        if n == 0 or turn >= max(rows.sweeps[r], least) and max(stirred[a], stirred[b]) < now - 1:
            continue
        ma, mb = inv_mass[a], inv_mass[b]
        vax, vay, vaz = vel[a, 0], vel[a, 1], vel[a, 2]
        wax, way, waz = spin[a, 0], spin[a, 1], spin[a, 2]
        vbx, vby, vbz = vel[b, 0], vel[b, 1], vel[b, 2]
        wbx, wby, wbz = spin[b, 0], spin[b, 1], spin[b, 2]
        nx, ny, nz = rows.normal[r, 0], rows.normal[r, 1], rows.normal[r, 2]
        dx, dy, dz = moved[a, 0] - moved[b, 0], moved[a, 1] - moved[b, 1], moved[a, 2] - moved[b, 2]
        along = nx * dx + ny * dy + nz * dz
        load = 0.0
        for i in range(n):
            load += rows.push[r, i]
        mu = rows.friction[r]
        # friction first, with the load of the last sweep: what must not overlap has the last word. Where the load is
        # gone, what friction put in at the warm start is taken back
        if load > 0.0 or rows.rub[r, 0] != 0.0 or rows.rub[r, 1] != 0.0 or rows.twist[r] != 0.0:
            j = rows.tjac[r, 0]
            t = rows.tangent[r, 0]
            v1 = (
                (t[0] * (vax - vbx) + (j[0] * wax - j[3] * wbx))
                + (t[1] * (vay - vby) + (j[1] * way - j[4] * wby))
                + (t[2] * (vaz - vbz) + (j[2] * waz - j[5] * wbz))
            )
            p = rows.tjac[r, 1]
            q = rows.tangent[r, 1]
            v2 = (
                (q[0] * (vax - vbx) + (p[0] * wax - p[3] * wbx))
                + (q[1] * (vay - vby) + (p[1] * way - p[4] * wby))
                + (q[2] * (vaz - vbz) + (p[2] * waz - p[5] * wbz))
            )
            old1, old2 = rows.rub[r, 0], rows.rub[r, 1]
            new1, new2 = old1 - v1 * rows.tmass[r, 0], old2 - v2 * rows.tmass[r, 1]
            square, most = new1 * new1 + new2 * new2, mu * load
            if square > most * most:
                share = most / np.sqrt(square)
                new1 *= share
                new2 *= share
            rows.rub[r, 0], rows.rub[r, 1] = new1, new2
            d1, d2 = new1 - old1, new2 - old2
            ix, iy, iz = d1 * t[0] + d2 * q[0], d1 * t[1] + d2 * q[1], d1 * t[2] + d2 * q[2]
            vax += ma * ix
            vay += ma * iy
            vaz += ma * iz
            vbx -= mb * ix
            vby -= mb * iy
            vbz -= mb * iz
            wax += d1 * j[6] + d2 * p[6]
            way += d1 * j[7] + d2 * p[7]
            waz += d1 * j[8] + d2 * p[8]
            wbx -= d1 * j[9] + d2 * p[9]
            wby -= d1 * j[10] + d2 * p[10]
            wbz -= d1 * j[11] + d2 * p[11]
            if rows.twist_mass[r] > 0.0:
                w = nx * (wax - wbx) + ny * (way - wby) + nz * (waz - wbz)
                most = mu * load * rows.lever[r]
                old = rows.twist[r]
                new = min(most, max(-most, old - w * rows.twist_mass[r]))
                rows.twist[r] = new
                d = new - old
                k = rows.njac[r]
                wax += d * k[0]
                way += d * k[1]
                waz += d * k[2]
                wbx -= d * k[3]
                wby -= d * k[4]
                wbz -= d * k[5]
            if rows.roll[r] > 0.0:
                # resists relative spin across the normal, up to roll length times load
                most = rows.roll[r] * load
                w1 = t[0] * (wax - wbx) + t[1] * (way - wby) + t[2] * (waz - wbz)
                w2 = q[0] * (wax - wbx) + q[1] * (way - wby) + q[2] * (waz - wbz)
                stiff = rows.twist_mass[r]  # a ball's inertia is the same about every axis
                old1, old2 = rows.roll_rub[r, 0], rows.roll_rub[r, 1]
                new1, new2 = old1 - w1 * stiff, old2 - w2 * stiff
                length = np.sqrt(new1 * new1 + new2 * new2)
                if length > most:
                    new1 *= most / length
                    new2 *= most / length
                rows.roll_rub[r, 0], rows.roll_rub[r, 1] = new1, new2
                d1, d2 = new1 - old1, new2 - old2
                k = rows.njac[r]
                sa = abs(k[0] * nx + k[1] * ny + k[2] * nz)
                sb = abs(k[3] * nx + k[4] * ny + k[5] * nz)
                wax += sa * (d1 * t[0] + d2 * q[0])
                way += sa * (d1 * t[1] + d2 * q[1])
                waz += sa * (d1 * t[2] + d2 * q[2])
                wbx -= sb * (d1 * t[0] + d2 * q[0])
                wby -= sb * (d1 * t[1] + d2 * q[1])
                wbz -= sb * (d1 * t[2] + d2 * q[2])
        if first:
            tax, tay, taz = turned[a, 0], turned[a, 1], turned[a, 2]
            tbx, tby, tbz = turned[b, 0], turned[b, 1], turned[b, 2]
            for i in range(n):
                j = rows.jac[r, i]
                rows.now[r, i] = (
                    (rows.sep[r, i] + along)
                    + (j[0] * tax - j[3] * tbx)
                    + ((j[1] * tay - j[4] * tby) + (j[2] * taz - j[5] * tbz))
                )
        pax, pay, paz, pbx, pby, pbz = ma * nx, ma * ny, ma * nz, mb * nx, mb * ny, mb * nz
        change = 0.0
        for _ in range(INNER if n > 1 else 1):
            same = True
            for i in range(n):
                j = rows.jac[r, i]
                s = rows.now[r, i]
                # sums side by side, not in one chain: each addition waits for the one before
                vn = (
                    (nx * (vax - vbx) + (j[0] * wax - j[3] * wbx))
                    + (ny * (vay - vby) + (j[1] * way - j[4] * wby))
                    + (nz * (vaz - vbz) + (j[2] * waz - j[5] * wbz))
                )
                want = rows.bounce_to[r, i] if rows.bounce_to[r, i] > 0.0 else -max(s, 0.0) * per_second
                old = rows.push[r, i]
                new = max(0.0, old + (want - vn) * rows.mass[r, i])
                rows.push[r, i] = new
                d = new - old
                if d != 0.0:
                    same = False
                    change = max(change, abs(want - vn))
                    vax += d * pax
                    vay += d * pay
                    vaz += d * paz
                    vbx -= d * pbx
                    vby -= d * pby
                    vbz -= d * pbz
                    wax += d * j[6]
                    way += d * j[7]
                    waz += d * j[8]
                    wbx -= d * j[9]
                    wby -= d * j[10]
                    wbz -= d * j[11]
            if same:  # nothing gave: another round would find the same
                break
        stirs = change > STIR_SHARE * rows.pace[r]
        any_stirred |= stirs
        if ma > 0.0:
            if stirs:
                stirred[a] = now
            vel[a, 0], vel[a, 1], vel[a, 2] = vax, vay, vaz
            spin[a, 0], spin[a, 1], spin[a, 2] = wax, way, waz
        if mb > 0.0:
            if stirs:
                stirred[b] = now
            vel[b, 0], vel[b, 1], vel[b, 2] = vbx, vby, vbz
            spin[b, 0], spin[b, 1], spin[b, 2] = wbx, wby, wbz
    return any_stirred


@kernel(inner=True)
def _push_apart(rows: Rows, n_rows, live, inv_mass, shift, tilt, h, most):
    """Displacements shift (A, 3) [m] and tilt (A, 3) [rad] that take a share of every overlap out, by the separations
    of this substep, and bring what bounces to where it does.
    """
    for k in range(len(live)):
        for c in range(3):
            shift[live[k], c] = 0.0
            tilt[live[k], c] = 0.0
    for turn in range(max(most, PUSHES)):
        for r in range(n_rows):
            if turn >= max(rows.sweeps[r], PUSHES):
                continue
            a, b = rows.a[r], rows.b[r]
            first = np.inf
            for i in range(rows.count[r]):
                first = min(first, rows.now[r, i])
            for i in range(rows.count[r]):
                s = rows.now[r, i]
                back = (
                    first > 0.0 and rows.bounce_to[r, i] > 0.0 and rows.sweeps[r] > 1
                )  # in a crowd it would press others
                if s > -SLOP * rows.size[r] and not back:
                    continue
                nx, ny, nz = rows.normal[r, 0], rows.normal[r, 1], rows.normal[r, 2]
                j = rows.jac[r, i]
                # what bounces turns round where it first meets, not where the substep began
                want = (
                    -(1.0 + rows.bounce[r]) * first
                    if back
                    else min(PUSH_OUT * rows.pace[r] * h, BIAS * (-s - SLOP * rows.size[r]))
                )
                done = (
                    nx * (shift[a, 0] - shift[b, 0])
                    + ny * (shift[a, 1] - shift[b, 1])
                    + nz * (shift[a, 2] - shift[b, 2])
                )
                done += (
                    j[0] * tilt[a, 0]
                    + j[1] * tilt[a, 1]
                    + j[2] * tilt[a, 2]
                    - j[3] * tilt[b, 0]
                    - j[4] * tilt[b, 1]
                    - j[5] * tilt[b, 2]
                )
                if done <= want if back else done >= want:
                    continue
                p = (want - done) * rows.mass[r, i]
                pa, pb = p * inv_mass[a], p * inv_mass[b]
                if pa != 0.0:
                    shift[a, 0] += pa * nx
                    shift[a, 1] += pa * ny
                    shift[a, 2] += pa * nz
                    tilt[a, 0] += p * j[6]
                    tilt[a, 1] += p * j[7]
                    tilt[a, 2] += p * j[8]
                if pb != 0.0:
                    shift[b, 0] -= pb * nx
                    shift[b, 1] -= pb * ny
                    shift[b, 2] -= pb * nz
                    tilt[b, 0] -= p * j[9]
                    tilt[b, 1] -= p * j[10]
                    tilt[b, 2] -= p * j[11]


@kernel(inner=True)
def _warm_start(rows: Rows, n_rows, vel, spin, inv_mass):
    """Apply the impulses found in the last substep again."""
    for r in range(n_rows):
        rows.roll_rub[r, 0] = 0.0
        rows.roll_rub[r, 1] = 0.0
        n, d1, d2, tw = rows.count[r], rows.rub[r, 0], rows.rub[r, 1], rows.twist[r]
        load = 0.0
        for i in range(n):
            load += rows.push[r, i]
        if load == 0.0 and d1 == 0.0 and d2 == 0.0 and tw == 0.0:
            continue
        a, b = rows.a[r], rows.b[r]
        ma, mb = inv_mass[a], inv_mass[b]
        t, q, j1, j2, k = rows.tangent[r, 0], rows.tangent[r, 1], rows.tjac[r, 0], rows.tjac[r, 1], rows.njac[r]
        px, py, pz = (
            load * rows.normal[r, 0] + d1 * t[0] + d2 * q[0],
            load * rows.normal[r, 1] + d1 * t[1] + d2 * q[1],
            load * rows.normal[r, 2] + d1 * t[2] + d2 * q[2],
        )
        ax, ay, az = (
            d1 * j1[6] + d2 * j2[6] + tw * k[0],
            d1 * j1[7] + d2 * j2[7] + tw * k[1],
            d1 * j1[8] + d2 * j2[8] + tw * k[2],
        )
        bx, by, bz = (
            d1 * j1[9] + d2 * j2[9] + tw * k[3],
            d1 * j1[10] + d2 * j2[10] + tw * k[4],
            d1 * j1[11] + d2 * j2[11] + tw * k[5],
        )
        for i in range(n):
            p = rows.push[r, i]
            if p == 0.0:
                continue
            j = rows.jac[r, i]
            ax += p * j[6]
            ay += p * j[7]
            az += p * j[8]
            bx += p * j[9]
            by += p * j[10]
            bz += p * j[11]
        if ma > 0.0:
            vel[a, 0] += ma * px
            vel[a, 1] += ma * py
            vel[a, 2] += ma * pz
            spin[a, 0] += ax
            spin[a, 1] += ay
            spin[a, 2] += az
        if mb > 0.0:
            vel[b, 0] -= mb * px
            vel[b, 1] -= mb * py
            vel[b, 2] -= mb * pz
            spin[b, 0] -= bx
            spin[b, 1] -= by
            spin[b, 2] -= bz


@kernel(inner=True)
def _aim_bounces(rows: Rows, n_rows, vel, spin, moved, turned, inv_mass, h, since, gravity):
    """Points that meet within this substep fast enough get the speed they shall leave with.

    The speed of meeting is taken in the middle of the substep: semi-implicit stepping runs half a substep of gravity
    ahead.
    """
    fall = since * np.sqrt(gravity[0] ** 2 + gravity[1] ** 2 + gravity[2] ** 2)
    for r in range(n_rows):
        e = rows.bounce[r]
        if e <= 0.0 or not rows.lively[r]:
            continue
        a, b = rows.a[r], rows.b[r]
        half, slow = 0.0, -LIVELY_SHARE * rows.pace[r]
        for c in range(3):
            half += rows.normal[r, c] * gravity[c] * 0.5 * h
        half *= (1.0 if inv_mass[a] > 0.0 else 0.0) - (1.0 if inv_mass[b] > 0.0 else 0.0)
        for i in range(rows.count[r]):
            j = rows.jac[r, i]
            vn, s = 0.0, rows.sep[r, i]
            for c in range(3):
                vn += rows.normal[r, c] * (vel[a, c] - vel[b, c]) + j[c] * spin[a, c] - j[3 + c] * spin[b, c]
                s += rows.normal[r, c] * (moved[a, c] - moved[b, c]) + j[c] * turned[a, c] - j[3 + c] * turned[b, c]
            if rows.bounce_to[r, i] > 0.0:
                rows.bounce_to[r, i] = -1.0
            # only what came in fast bounces, once, and never faster than it came
            came = rows.approach[r, i]
            if rows.bounce_to[r, i] == 0.0 and came < slow and vn < slow and s + vn * h < 0.0:
                rows.bounce_to[r, i] = e * min(half - vn, -came + fall)


@kernel(inner=True)
def _sum_up(rows: Rows, n_rows):
    """Add a substep's impulses to those of the interval."""
    for r in range(n_rows):
        for i in range(rows.count[r]):
            rows.total[r, i] += rows.push[r, i]
            if rows.bounce_to[r, i] > 0.0:  # a bounce is over at once
                rows.push[r, i] = 0.0


@kernel(inner=True)
def _pressed(rows: Rows, n_rows):
    """Whether any row carries an impulse from before."""
    for r in range(n_rows):
        for i in range(rows.count[r]):
            if rows.push[r, i] > 0.0:
                return True
    return False


@kernel(inner=True)
def solve_interval(
    asm: Assemblies,
    live,
    driven,
    rows: Rows,
    n_rows,
    near: Near,
    n_near,
    ties: TieTable,
    tie_rows: TieRows,
    n_ties,
    inv_mass,
    inv_inertia,
    settings: Settings,
    push,
    twist,
    moved,
    turned,
    moves: Moves,
    start,
    again,
    looked,
    regroup,
):
    """The substeps of one interval over the awake assemblies ``live``, and those an animation moves: from ``start`` on,
    until rows want to be looked at again. Returns the substep to go on with, and how many entries of again (n_rows +
    n_near,) int32 say which.

    looked : rows that were looked at again before; regroup: 1 where islands must be found, since there are new rows

    push, twist (A, 3): what fields add, as acceleration [m/s2] and angular acceleration [rad/s2], the same in every
    substep moves: scratch
    """
    h = settings.interval / settings.substeps
    if start == 0:
        moved[:, :] = 0.0
        turned[:, :] = 0.0
    shift, tilt, island, leans, watch, size, had, has, swung, swings, moving, middle, stirred, m, q, frames, _ = moves
    shift[:, :] = 0.0  # what fell asleep keeps none
    tilt[:, :] = 0.0
    stirred[:] = 0
    passed = 1
    if regroup:
        moves.most[0] = islands(rows, n_rows, tie_rows, n_ties, live, inv_mass, asm.held, island, leans, watch, size)
    else:
        watch_hits(rows, looked, inv_mass, island, watch)
    watch_spins(live, asm.spin, settings.interval, island, watch)
    most = moves.most[0]
    if n_ties:
        swing(asm, live, island, watch, push, twist, settings.gravity, 0.5 * h, swung, moving)
    opening = 0 if start > 0 or _pressed(rows, n_rows) else min(OPENING_SWEEPS, OPENING_BUDGET // max(n_rows, 1))
    for step in range(start, settings.substeps):
        least = opening if step == 0 else 0
        rounds = max(most, least) if n_rows else 0
        speed_up(asm, live, h, settings.gravity, push, twist)
        aim_ties(ties, tie_rows, n_ties, asm, inv_mass, inv_inertia, frames)
        lay_arcs(ties, tie_rows, n_ties, asm.vel, asm.spin, inv_mass, h)
        kinetic(asm, live, island, watch, had)
        _aim_bounces(rows, n_rows, asm.vel, asm.spin, moved, turned, inv_mass, h, (step + 0.5) * h, settings.gravity)
        _warm_start(rows, n_rows, asm.vel, asm.spin, inv_mass)
        warm_ties(ties, tie_rows, n_ties, asm.vel, asm.spin, inv_mass, inv_inertia)
        turn, stirs, opened, parts = -1, False, 0.0, n_ties > 0
        while turn + 1 < rounds or parts and turn + 1 < TIE_SWEEPS or stirs and turn + 1 < STIR_SWEEPS:
            turn += 1
            passed += 1
            if turn < rounds or stirs:
                stirs = _sweep(
                    rows, n_rows, asm.vel, asm.spin, inv_mass, moved, turned, h, turn, least, stirred, passed
                )
            if n_ties:
                parted = sweep_ties(ties, tie_rows, n_ties, asm.vel, asm.spin, inv_mass, inv_inertia, h, turn)
                opened = max(opened, parted)
                parts = turn < FEWEST or parted > TIE_CLOSE * opened
            if turn == most - 1 and rounds > most and not _pressed(rows, n_rows):
                rounds = most  # things fall side by side: nothing bears anything yet
        kinetic(asm, live, island, watch, has)
        take_back(asm, live, island, leans, had, has, middle)
        _push_apart(rows, n_rows, live, inv_mass, shift, tilt, h, most)
        mend_ties(ties, tie_rows, n_ties, shift, tilt, inv_mass, inv_inertia)
        count_ties(ties, tie_rows, n_ties)
        move(asm, live, h, moved, turned, shift, tilt, push, m, q)
        move_driven(asm, driven, h, moved, turned)
        _sum_up(rows, n_rows)
        if n_ties:
            swing(asm, live, island, watch, push, twist, settings.gravity, 0.5 * h, swings, moving)
            calm_swing(asm, live, island, watch, swung, swings, moving)
        if step + 1 < settings.substeps:
            stale = stale_rows(rows, n_rows, near, n_near, moved, turned, asm.vel, asm.spin, h, again)
            if stale:
                return step + 1, stale
    return settings.substeps, 0


@kernel(inner=True)
def hit_impulse(rows: Rows, r, share):
    """Impulse of the points of row r that met faster than this share of the pair's pace [N s]."""
    total = 0.0
    for i in range(4):
        if rows.approach[r, i] < -share * rows.pace[r]:
            total += rows.total[r, i]
    return total


@kernel
def remember(rows: Rows, n_rows, con: Contacts, share, out):
    """Write the last substep's impulses and the hits back to the pairs. Into out (n_rows,) go the impulses of the
    points of each row that met faster than this share of the pair's pace [N s]; returns how many rows have any.
    """
    hard = 0
    for r in range(n_rows):
        keep_impulses(rows, r, con)
        con.hit[rows.pair[r]] = hit_impulse(rows, r, HIT_SHARE)
        out[r] = hit_impulse(rows, r, share)
        hard += out[r] > 0.0
    return hard
