"""From pairs to rows for the solver: contact search, warm start, effective masses."""

from __future__ import annotations

from typing import NamedTuple

import numba
import numpy as np

from ...geometry.mesh import Array, Index
from ..model import Flags, Hulls, PieceTable, Settings, Sheets
from ..state import Assemblies, Contacts
from .assemblies import FUSED, rotation, wake, wake_one
from .broad import SLOP_SHARE, place_shape
from .gjk import make_scratch
from .narrow import ROOM, touch, touch_again, touch_ground, touch_sheet

WAKE_SHARE = 0.06
"""A sleeper is woken by what moves faster than this share of sqrt(g * size)."""

LIVELY_SHARE = 0.14
"""Points that meet slower than this share of the pair's pace do not bounce."""

HIT_SHARE = 0.28
"""Points that meet slower than this share of the pair's pace are no hit."""

AGAIN_LEAN = 0.05**2
"""The face that carried a contact is tried again while the bodies have leant against each other by less (squared, rad)."""

WAKE_ALL = 4.0
"""A hit so many times as fast wakes the sleeper's whole island, not it alone."""

REUSE_SHARE = 0.004
"""Contact points are kept while both surfaces have moved past each other less than this share of the smaller piece's size."""

LOOK_SHARE = 0.01
"""Within an interval contact points are looked for again once their bodies' surfaces have turned by more than this share of the smaller piece's size."""
SLIDE_WEIGHT = 0.25
"""What sliding along each other counts against turning."""

NEAR_SHARE = 0.03
"""What parts is left out only beyond this share of the smaller piece's size: a hit may turn it back."""

FORGIVE_SHARE = 0.3
"""Overlap of a pair of which one side has only just come to be is forgiven up to this share of the smaller piece's size."""


class Rows(NamedTuple):
    """Contact rows of one interval; M manifolds of up to 4 points. Normals point from b to a.

    pair (M,) row in Contacts; a, b (M,) assembly slots; count (M,) points; normal (M, 3)
    sep (M, 4) separation at the search [m]; push (M, 4) impulse of a substep; total (M, 4) summed over the
    interval; approach (M, 4) normal velocity at the search [m/s]; bounce_to (M, 4) velocity wanted; mass (M, 4)
    jac (M, 4, 12): ra x n, rb x n, Ia^-1 (ra x n), Ib^-1 (rb x n)
    tangent (M, 2, 3); tjac (M, 2, 12) as jac at the patch's centre; tmass (M, 2); rub (M, 2)
    twist_mass, twist, lever (M,); njac (M, 6): Ia^-1 n, Ib^-1 n; roll (M,) rolling length [m], roll_rub (M, 2)
    total and approach stay 0 beyond count; what the points did in an interval goes to those found within it (``_hand_on``)
    seen (M, 9): what a had moved against b [m], and what a and b had turned [rad], when the points were found; reach (M, 2) of the two shapes [m]
    pace (M,) sqrt(g size) [m/s], by which speeds are called slow or fast, so that small and large things behave alike
    friction, bounce (M,); point (M, 4, 3) world [m]; now (M, 4) separation in this substep [m], without points how far apart they were at least; size (M,) of the smaller piece [m];
    lively (M,) uint8: a point meets fast enough to bounce
    """

    pair: Index
    a: Index
    b: Index
    count: Index
    normal: Array
    sep: Array
    push: Array
    total: Array
    approach: Array
    bounce_to: Array
    mass: Array
    jac: Array
    tangent: Array
    tjac: Array
    tmass: Array
    rub: Array
    twist_mass: Array
    twist: Array
    lever: Array
    njac: Array
    roll: Array
    roll_rub: Array
    friction: Array
    bounce: Array
    point: Array
    now: Array
    size: Array
    lively: Flags
    seen: Array
    reach: Array
    pace: Array


def make_rows(room: int) -> Rows:
    m, i4, f = room, np.int32, np.zeros
    return Rows(
        f(m, i4), f(m, i4), f(m, i4), f(m, i4), f((m, 3)), f((m, 4)), f((m, 4)), f((m, 4)), f((m, 4)), f((m, 4)), f((m, 4)), f((m, 4, 12)),
        f((m, 2, 3)), f((m, 2, 12)), f((m, 2)), f((m, 2)), f(m), f(m), f(m), f((m, 6)), f(m), f((m, 2)), f(m), f(m), f((m, 4, 3)),
        f((m, 4)), f(m), f(m, np.uint8), f((m, 9)), f((m, 2)), f(m),
    )


@numba.njit(cache=True, error_model="numpy")
def _speed_bound(asm: Assemblies, a, reach):
    v = np.sqrt(asm.vel[a, 0] ** 2 + asm.vel[a, 1] ** 2 + asm.vel[a, 2] ** 2)
    w = np.sqrt(asm.spin[a, 0] ** 2 + asm.spin[a, 1] ** 2 + asm.spin[a, 2] ** 2)
    return v + w * reach


@numba.njit(cache=True, error_model="numpy", fastmath=FUSED)
def _to_world(m, x, y, z, out):
    for c in range(3):
        out[c] = m[c, 0] * x + m[c, 1] * y + m[c, 2] * z


@numba.njit(cache=True, error_model="numpy", fastmath=FUSED, inline="always")
def _reuse(con: Contacts, k, asm: Assemblies, a, b, ma, mb, size, points, seps, axis, pa, pb):
    """Carry the points found earlier along with their bodies, if these have hardly moved against each other.

    ma, mb (3, 3): rotations of the assemblies. Fills points (n, 3), seps (n,), axis (3,); returns n, or 0 where they must be found
    anew, and by how much (squared) the normals in both frames have come apart
    """
    limit = REUSE_SHARE * size
    _to_world(ma, con.face[k, 0], con.face[k, 1], con.face[k, 2], axis)
    _to_world(mb, con.face_b[k, 0], con.face_b[k, 1], con.face_b[k, 2], pb)
    # both normals together: neither body has leant against the other by more than the limit over its size
    lean = (axis[0] - pb[0]) ** 2 + (axis[1] - pb[1]) ** 2 + (axis[2] - pb[2]) ** 2
    if lean > (2.0 * REUSE_SHARE) ** 2:
        return 0, lean
    n = con.count[k]
    for i in range(n):
        _to_world(ma, con.local[k, i, 0], con.local[k, i, 1], con.local[k, i, 2], pa)
        _to_world(mb, con.local_b[k, i, 0], con.local_b[k, i, 1], con.local_b[k, i, 2], pb)
        gap, d2 = 0.0, 0.0
        for c in range(3):
            pa[c] += asm.pos[a, c]
            pb[c] += asm.pos[b, c]
            d = pa[c] - pb[c]
            gap += axis[c] * d
            d2 += d * d
        if d2 - gap * gap > limit * limit:
            return 0, lean
        seps[i] = gap
        for c in range(3):
            points[i, c] = 0.5 * (pa[c] + pb[c])
    return n, lean


@numba.njit(cache=True, error_model="numpy", inline="always")
def _outlook(k, con: Contacts, asm: Assemblies, hulls: Hulls, wcenter, a, b, size, g, span, slip):
    """What the pair k may do within ``span`` [s]: how far its surfaces can travel towards each other [m]; slip (4,) as ``touch`` wants it."""
    s, t = con.a[k], con.b[k]
    vx, vy, vz = asm.vel[a, 0] - asm.vel[b, 0], asm.vel[a, 1] - asm.vel[b, 1], asm.vel[a, 2] - asm.vel[b, 2]
    swing = 0.0
    for side in range(2):
        c, x = (a, s) if side == 0 else (b, t)
        if x < 0:
            continue
        arm = hulls.bound[x]
        if asm.pieces[c] > 1:
            arm += np.sqrt((wcenter[x, 0] - asm.pos[c, 0]) ** 2 + (wcenter[x, 1] - asm.pos[c, 1]) ** 2 + (wcenter[x, 2] - asm.pos[c, 2]) ** 2)
        swing += arm * np.sqrt(asm.spin[c, 0] ** 2 + asm.spin[c, 1] ** 2 + asm.spin[c, 2] ** 2)
    slip[0], slip[1], slip[2] = vx * span, vy * span, vz * span
    slip[3] = (swing + g * span) * span + NEAR_SHARE * size - con.slack[k]
    return (np.sqrt(vx * vx + vy * vy + vz * vz) + swing + g * span) * span


@numba.njit(cache=True, error_model="numpy", inline="always")
def _match(k, con: Contacts, asm: Assemblies, a, b, ma, mb, size, n, had, axis, points, seps, old_local, old_push):
    """Write n new points of pair k into its memory; each takes on the impulse of the old point that is nearest in the frame of a."""
    t = con.b[k]
    if t >= 0:
        for c in range(3):
            con.face[k, c] = ma[0, c] * axis[0] + ma[1, c] * axis[1] + ma[2, c] * axis[2]
            con.face_b[k, c] = mb[0, c] * axis[0] + mb[1, c] * axis[1] + mb[2, c] * axis[2]
    for i in range(had):
        for c in range(3):
            old_local[i, c] = con.local[k, i, c]
        old_push[i] = con.push[k, i]
    for i in range(4):
        con.push[k, i] = 0.0
    reach2 = (0.15 * size) ** 2
    for i in range(n):
        for c in range(3):
            at, at_b = 0.0, 0.0
            for r in range(3):
                at += ma[r, c] * (points[i, r] + 0.5 * seps[i] * axis[r] - asm.pos[a, r])
                if t >= 0:
                    at_b += mb[r, c] * (points[i, r] - 0.5 * seps[i] * axis[r] - asm.pos[b, r])
            con.local[k, i, c] = at
            con.local_b[k, i, c] = at_b
        best, least = -1, reach2
        for j in range(had):
            if old_push[j] < 0.0:
                continue
            d2 = (con.local[k, i, 0] - old_local[j, 0]) ** 2 + (con.local[k, i, 1] - old_local[j, 1]) ** 2 + (con.local[k, i, 2] - old_local[j, 2]) ** 2
            if d2 < least:
                least = d2
                best = j
        if best >= 0:
            con.push[k, i] = old_push[best]
            old_push[best] = -1.0


@numba.njit(cache=True, error_model="numpy")
def find_contacts(hulls: Hulls, pieces: PieceTable, piece_asm, asm: Assemblies, con: Contacts, known, which, again, span, settings: Settings, sheets: Sheets, wverts, wnormals, wcenter, points_out, seps_out):
    """Contact points of the pairs ``which`` (N,) int64, written into con (count, axis, slack, push matched to the new points).

    again : within an interval: every pair is looked at afresh, and nothing wakes
    span  : time until the next search [s]
    points_out (K, 4, 3), seps_out (K, 4): world points and separations, slack already taken off; where there are no points, how far the surfaces
    are apart at least
    Wakes sleepers that something fast touches; returns 1 if any was woken.
    """
    ground = len(asm.alive) - 1
    points, seps = np.empty((ROOM, 3)), np.empty(ROOM)
    poly, other = np.empty((ROOM, 4)), np.empty((ROOM, 4))
    axis = np.empty(3)
    m, mb = np.empty((3, 3)), np.empty((3, 3))
    pa, pb = np.empty(3), np.empty(3)
    near, feature, slip, scratch = np.zeros((3, 3)), np.zeros(1, np.int32), np.empty(4), make_scratch()
    old_local, old_push = np.empty((4, 3)), np.empty(4)
    woke = 0
    g = np.sqrt(settings.gravity[0] ** 2 + settings.gravity[1] ** 2 + settings.gravity[2] ** 2)
    for x in range(len(which)):
        k = which[x]
        s, t = con.a[k], con.b[k]
        ps = hulls.piece[s]
        a = piece_asm[ps]
        size = pieces.size[ps]
        b = ground
        if t >= 0:
            b = piece_asm[hulls.piece[t]]
            size = min(size, pieces.size[hulls.piece[t]])
        travel = _outlook(k, con, asm, hulls, wcenter, a, b, size, g, span, slip)
        margin = travel + SLOP_SHARE * size - con.slack[k]
        for c in range(3):
            axis[c] = con.axis[k, c]
        kept, lean = 0, 0.0 if again and con.count[k] > 0 else np.inf
        rotation(asm.rot[a], m)
        rotation(asm.rot[b], mb)
        if t >= 0 and known[k] == 1 and con.count[k] > 0 and not again:
            kept, lean = _reuse(con, k, asm, a, b, m, mb, size, points, seps, axis, pa, pb)
            if kept == 0:
                for c in range(3):
                    axis[c] = con.axis[k, c]
        if kept > 0:
            n = kept
        elif t < 0:
            seps[0] = margin
            n = touch_ground(hulls, wverts, s, settings.ground_height, margin, points, seps)
            axis[0], axis[1], axis[2] = 0.0, 1.0, 0.0
        else:
            if known[k] == 0 and not again:
                for c in range(3):
                    axis[c] = wcenter[s, c] - wcenter[t, c]
                length = np.sqrt(axis[0] ** 2 + axis[1] ** 2 + axis[2] ** 2)
                if length > 0.0:
                    axis /= 4.0 * length  # below one half: a guess, not a remembered direction
            n = 0
            if lean < AGAIN_LEAN and con.feature[k] != 0:
                n = touch_again(hulls, wverts, wnormals, s, t, margin, con.feature[k], con.slack[k], axis, points, seps, poly, other)
            if n == 0:
                if lean < np.inf:
                    for c in range(3):
                        axis[c] = con.axis[k, c]
                seps[0] = margin
                if t >= sheets.first:
                    n = touch_sheet(hulls, wverts, wnormals, wcenter, s, t, sheets.sharp[t - sheets.first], margin, axis, points, seps, poly, other, near, feature, scratch)
                else:
                    n = touch(hulls, wverts, wnormals, s, t, margin, slip, axis, points, seps, poly, other, near, feature, scratch)
                con.feature[k] = feature[0]
        for c in range(3):
            con.axis[k, c] = axis[c]
        had = con.count[k]
        con.count[k] = n
        if n == 0:
            seps_out[k, 0] = max(seps[0], 0.0)
            con.slack[k] = 0.0
            con.depth[k] = 0.0
            con.feature[k] = 0
            for c in range(4):
                con.push[k, c] = 0.0
                con.rub[k, c] = 0.0
            continue
        deepest = seps[0]
        for i in range(1, n):
            deepest = min(deepest, seps[i])
        slack = min(deepest, 0.0)
        con.depth[k] = -slack
        if known[k] == 0 and not again:
            # only what came to be just now, touching or overlapping, is forgiven; what met later has no excuse
            new = asm.age[a] < 1.5 * settings.interval or asm.age[b] < 1.5 * settings.interval
            con.slack[k] = max(slack, -(FORGIVE_SHARE if t >= 0 else 0.02) * size) if new else 0.0
        else:
            con.slack[k] = max(slack, con.slack[k])
        for i in range(n):
            for c in range(3):
                points_out[k, i, c] = points[i, c]
            seps_out[k, i] = seps[i] - con.slack[k]
        if kept == 0:
            _match(k, con, asm, a, b, m, mb, size, n, had, axis, points, seps, old_local, old_push)
        if not again:
            woke |= _wake_by_touch(k, t, s, a, b, con, asm, hulls, pieces, settings, size, deepest, travel, g)
    return woke


@numba.njit(cache=True, error_model="numpy", inline="always")
def _wake_by_touch(k, t, s, a, b, con: Contacts, asm: Assemblies, hulls: Hulls, pieces: PieceTable, settings: Settings, size, deepest, travel, g):
    """Wake a sleeper that something meets fast enough to move it; returns 1 if it was woken.

    What counts is the speed the sleeper would take on. A light tap wakes it alone, a hit its whole island.
    """
    if t < 0 or asm.asleep[a] == asm.asleep[b]:
        return 0
    mover, sleeper, shape = (b, a, t) if asm.asleep[a] else (a, b, s)
    if asm.held[mover] == 1 or deepest - con.slack[k] >= SLOP_SHARE * size + travel:
        return 0
    if asm.held[mover] == 2:  # what an animation moves does not stop for a sleeper, however slow it is
        wake(np.int64(sleeper), asm)
        return 1
    limit = WAKE_SHARE * np.sqrt(g * size + 1e-12)
    speed = _speed_bound(asm, mover, hulls.bound[shape]) * 2.0 * asm.mass[mover] / (asm.mass[mover] + asm.mass[sleeper])
    if speed <= limit:
        return 0
    if speed > WAKE_ALL * limit:
        wake(np.int64(sleeper), asm)
    else:
        wake_one(sleeper, asm)
    return 1


@numba.njit(cache=True, error_model="numpy", inline="always")
def turn_inertia(asm: Assemblies, a, m, inv_inertia):
    """World inverse inertia of slot a at its rotation m (3, 3), into inv_inertia (A, 3, 3)."""
    for i in range(3):
        x = m[i, 0] * asm.inv_inertia[a, 0, 0] + m[i, 1] * asm.inv_inertia[a, 1, 0] + m[i, 2] * asm.inv_inertia[a, 2, 0]
        y = m[i, 0] * asm.inv_inertia[a, 0, 1] + m[i, 1] * asm.inv_inertia[a, 1, 1] + m[i, 2] * asm.inv_inertia[a, 2, 1]
        z = m[i, 0] * asm.inv_inertia[a, 0, 2] + m[i, 1] * asm.inv_inertia[a, 1, 2] + m[i, 2] * asm.inv_inertia[a, 2, 2]
        for j in range(3):
            inv_inertia[a, i, j] = x * m[j, 0] + y * m[j, 1] + z * m[j, 2]


@numba.njit(cache=True, error_model="numpy")
def world_inertia(asm: Assemblies, inv_mass, inv_inertia):
    """Inverse masses (A,) and world inverse inertias (A, 3, 3) as the solver sees them: 0 for held and sleeping."""
    m = np.empty((3, 3))
    for a in range(len(asm.alive)):
        if not asm.alive[a] or asm.held[a] or asm.asleep[a]:
            if inv_mass[a] != 0.0:
                inv_mass[a] = 0.0
                for i in range(3):
                    for j in range(3):
                        inv_inertia[a, i, j] = 0.0
            continue
        inv_mass[a] = asm.inv_mass[a]
        rotation(asm.rot[a], m)
        turn_inertia(asm, a, m, inv_inertia)


@numba.njit(cache=True, error_model="numpy", fastmath=FUSED)
def _fill(out, ra, rb, n, ia, ib):
    """Angular parts of a row along n at arms ra, rb; returns the angular share of the inverse mass."""
    ax, ay, az = ra[1] * n[2] - ra[2] * n[1], ra[2] * n[0] - ra[0] * n[2], ra[0] * n[1] - ra[1] * n[0]
    bx, by, bz = rb[1] * n[2] - rb[2] * n[1], rb[2] * n[0] - rb[0] * n[2], rb[0] * n[1] - rb[1] * n[0]
    out[0], out[1], out[2], out[3], out[4], out[5] = ax, ay, az, bx, by, bz
    for i in range(3):
        out[6 + i] = ia[i, 0] * ax + ia[i, 1] * ay + ia[i, 2] * az
        out[9 + i] = ib[i, 0] * bx + ib[i, 1] * by + ib[i, 2] * bz
    return ax * out[6] + ay * out[7] + az * out[8] + bx * out[9] + by * out[10] + bz * out[11]


@numba.njit(cache=True, error_model="numpy", fastmath=FUSED, inline="always")
def _hand_on(rows: Rows, r, had, old_point, old):
    """Give what the ``had`` old points of row r did in this interval to the new points nearest to them. old_point (4, 3), old (4, 3): impulse
    summed, normal velocity at the search, velocity wanted."""
    for j in range(had):
        best, least = 0, np.inf
        for i in range(rows.count[r]):
            d2 = 0.0
            for c in range(3):
                d2 += (rows.point[r, i, c] - old_point[j, c]) ** 2
            if d2 < least:
                best, least = i, d2
        first = rows.total[r, best] == 0.0
        rows.total[r, best] += old[j, 0]
        rows.approach[r, best] = old[j, 1] if first else min(rows.approach[r, best], old[j, 1])
        if old[j, 2] != 0.0:
            rows.bounce_to[r, best] = old[j, 2]


@numba.njit(cache=True, error_model="numpy", fastmath=FUSED)
def build_rows(hulls: Hulls, pieces: PieceTable, piece_asm, asm: Assemblies, con: Contacts, which, again, settings: Settings, points, seps, inv_mass, inv_inertia, moved, turned, rows: Rows):
    """Solver rows of the manifolds ``which`` between assemblies of which one can move; returns how many.

    again (N,) int32: within an interval, the rows that are written anew, in place and with as many points as there are now; empty at its start
    moved, turned (A, 3): what the bodies have done since the start of the interval, which the separations are counted from
    """
    ground = len(asm.alive) - 1
    n_rows = 0
    g = np.sqrt(settings.gravity[0] ** 2 + settings.gravity[1] ** 2 + settings.gravity[2] ** 2)
    ra, rb, mid = np.empty(3), np.empty(3), np.empty(3)
    old_point, old = np.empty((4, 3)), np.empty((4, 3))
    for x in range(len(which)):
        k = which[x]
        n = con.count[k]
        if n == 0 and not len(again):
            continue
        s, t = con.a[k], con.b[k]
        ps = hulls.piece[s]
        a = piece_asm[ps]
        b = piece_asm[hulls.piece[t]] if t >= 0 else ground
        if inv_mass[a] == 0.0 and inv_mass[b] == 0.0:
            continue
        if len(again):
            r = again[x]
            had, lively = rows.count[r], rows.lively[r]
            for i in range(4):
                old[i, 0], old[i, 1], old[i, 2] = rows.total[r, i], rows.approach[r, i], rows.bounce_to[r, i]
                for c in range(3):
                    old_point[i, c] = rows.point[r, i, c]
        else:
            r = n_rows
            n_rows += 1
            had, lively = np.int32(0), np.uint8(0)
            rows.pair[r], rows.a[r], rows.b[r] = k, a, b
            rows.reach[r, 0], rows.reach[r, 1] = hulls.bound[s], hulls.bound[t] if t >= 0 else 0.0
            rows.size[r] = min(pieces.size[ps], pieces.size[hulls.piece[t]]) if t >= 0 else pieces.size[ps]
            rows.pace[r] = np.sqrt(max(g, 1.0) * rows.size[r])
            _surface(rows, r, hulls, pieces, settings, s, t)
        rows.count[r] = n
        for i in range(n, 4):
            rows.total[r, i], rows.approach[r, i], rows.bounce_to[r, i] = 0.0, 0.0, 0.0
        for c in range(3):
            rows.seen[r, c] = moved[a, c] - moved[b, c]
            rows.seen[r, 3 + c] = turned[a, c]
            rows.seen[r, 6 + c] = turned[b, c]
        rows.lively[r] = lively
        nx, ny, nz = con.axis[k, 0], con.axis[k, 1], con.axis[k, 2]
        rows.normal[r, 0], rows.normal[r, 1], rows.normal[r, 2] = nx, ny, nz
        im = inv_mass[a] + inv_mass[b]
        ia, ib = inv_inertia[a], inv_inertia[b]
        mid[:] = 0.0
        along = nx * rows.seen[r, 0] + ny * rows.seen[r, 1] + nz * rows.seen[r, 2]
        for i in range(n):
            for c in range(3):
                at = points[k, i, c]
                mid[c] += at / n
                ra[c] = at - asm.pos[a, c]
                rb[c] = at - asm.pos[b, c] if b != ground else 0.0
                rows.point[r, i, c] = at
            w = _fill(rows.jac[r, i], ra, rb, rows.normal[r], ia, ib)
            rows.mass[r, i] = 1.0 / (im + w)
            rows.push[r, i] = con.push[k, i]
            rows.total[r, i] = 0.0
            j = rows.jac[r, i]
            vn, turns = 0.0, 0.0
            for c in range(3):
                vn += rows.normal[r, c] * (asm.vel[a, c] - asm.vel[b, c]) + j[c] * asm.spin[a, c] + j[3 + c] * -asm.spin[b, c]
                turns += j[c] * turned[a, c] - j[3 + c] * turned[b, c]
            rows.sep[r, i] = seps[k, i] - along - turns
            rows.approach[r, i] = vn
            if rows.bounce[r] > 0.0 and vn < -LIVELY_SHARE * rows.pace[r]:
                rows.lively[r] = 1
            rows.bounce_to[r, i] = 0.0
        _hand_on(rows, r, had, old_point, old)
        if n == 0:
            rows.now[r, 0] = seps[k, 0]
            rows.rub[r, 0], rows.rub[r, 1], rows.twist[r] = 0.0, 0.0, 0.0
            continue
        # tangents at the middle of the patch
        if abs(nx) > 0.6:
            tx, ty, tz = ny, -nx, 0.0
        else:
            tx, ty, tz = 0.0, nz, -ny
        length = np.sqrt(tx * tx + ty * ty + tz * tz)
        t1, t2 = rows.tangent[r, 0], rows.tangent[r, 1]
        t1[0], t1[1], t1[2] = tx / length, ty / length, tz / length
        t2[0], t2[1], t2[2] = ny * t1[2] - nz * t1[1], nz * t1[0] - nx * t1[2], nx * t1[1] - ny * t1[0]
        lever = 0.0
        for c in range(3):
            ra[c] = mid[c] - asm.pos[a, c]
            rb[c] = mid[c] - asm.pos[b, c] if b != ground else 0.0
        for i in range(n):
            d2 = 0.0
            for c in range(3):
                d2 += (points[k, i, c] - mid[c]) ** 2
            lever += np.sqrt(d2) / n
        for d in range(2):
            w = _fill(rows.tjac[r, d], ra, rb, rows.tangent[r, d], ia, ib)
            rows.tmass[r, d] = 1.0 / (im + w)
            rows.rub[r, d] = con.rub[k, 0] * rows.tangent[r, d, 0] + con.rub[k, 1] * rows.tangent[r, d, 1] + con.rub[k, 2] * rows.tangent[r, d, 2]
            rows.roll_rub[r, d] = 0.0
        den = 0.0
        for i in range(3):
            rows.njac[r, i] = ia[i, 0] * nx + ia[i, 1] * ny + ia[i, 2] * nz
            rows.njac[r, 3 + i] = ib[i, 0] * nx + ib[i, 1] * ny + ib[i, 2] * nz
            den += rows.normal[r, i] * (rows.njac[r, i] + rows.njac[r, 3 + i])
        rows.twist_mass[r] = 1.0 / den if den > 0.0 else 0.0
        rows.twist[r] = con.rub[k, 3]
        rows.lever[r] = max(lever, rows.roll[r])  # a ball's contact resists spin as it resists rolling
    return n_rows


@numba.njit(cache=True, error_model="numpy", fastmath=FUSED, inline="always")
def _surface(rows: Rows, r, hulls: Hulls, pieces: PieceTable, settings: Settings, s, t):
    """Friction, bounce and rolling of row r between shapes s and t (-1: the ground)."""
    ps = hulls.piece[s]
    mu, e, roll = pieces.friction[ps], pieces.bounce[ps], 0.0
    if hulls.vert_start[s + 1] - hulls.vert_start[s] == 1:
        roll = pieces.rolling[ps] * hulls.radius[s]
    if t >= 0:
        pt = hulls.piece[t]
        mu = np.sqrt(mu * pieces.friction[pt])
        e = max(e, pieces.bounce[pt])
        if hulls.vert_start[t + 1] - hulls.vert_start[t] == 1:
            roll = max(roll, pieces.rolling[pt] * hulls.radius[t])
    else:
        mu = np.sqrt(mu * settings.ground_friction)
        e = max(e, settings.ground_bounce)
    rows.friction[r], rows.bounce[r], rows.roll[r] = mu, e, roll


@numba.njit(cache=True, error_model="numpy", fastmath=FUSED)
def stale_rows(rows: Rows, n_rows, inv_mass, moved, turned, out):
    """Rows whose bodies have turned, or slid along each other, so far since their points were found that other points may meet: their
    indices into out (n_rows,) int32; returns how many."""
    n = 0
    for r in range(n_rows):
        a, b = rows.a[r], rows.b[r]
        xa, ya, za = turned[a, 0] - rows.seen[r, 3], turned[a, 1] - rows.seen[r, 4], turned[a, 2] - rows.seen[r, 5]
        xb, yb, zb = turned[b, 0] - rows.seen[r, 6], turned[b, 1] - rows.seen[r, 7], turned[b, 2] - rows.seen[r, 8]
        far = rows.reach[r, 0] * np.sqrt(xa * xa + ya * ya + za * za) + rows.reach[r, 1] * np.sqrt(xb * xb + yb * yb + zb * zb)
        x, y, z = moved[a, 0] - moved[b, 0] - rows.seen[r, 0], moved[a, 1] - moved[b, 1] - rows.seen[r, 1], moved[a, 2] - moved[b, 2] - rows.seen[r, 2]
        if rows.count[r] == 0:
            if far + np.sqrt(x * x + y * y + z * z) > rows.now[r, 0]:
                out[n] = r
                n += 1
            continue
        along = rows.normal[r, 0] * x + rows.normal[r, 1] * y + rows.normal[r, 2] * z
        far += SLIDE_WEIGHT * np.sqrt(max(0.0, x * x + y * y + z * z - along * along))
        if far <= LOOK_SHARE * rows.size[r]:
            continue
        gap = rows.now[r, 0]
        for i in range(1, rows.count[r]):
            gap = min(gap, rows.now[r, i])
        if far > gap:
            out[n] = r
            n += 1
    return n


@numba.njit(cache=True, error_model="numpy", fastmath=FUSED)
def make_ready(rows: Rows, again, hulls: Hulls, pieces: PieceTable, piece_asm, asm: Assemblies, con: Contacts, stamp, wverts, wnormals, wcenter, inv_mass, inv_inertia, which):
    """Before the pairs of the rows ``again`` are looked at within an interval: their shapes are placed, their bodies' inertias turned, and their
    impulses laid back into con. which (N,) int64 out: the pairs; stamp (S,) uint8 scratch of zeros, left so."""
    m = np.empty((3, 3))
    for x in range(len(again)):
        r = again[x]
        k = rows.pair[r]
        which[x] = k
        keep_impulses(rows, r, con)
        for side in range(2):
            c, s = (rows.a[r], con.a[k]) if side == 0 else (rows.b[r], con.b[k])
            if s < 0 or stamp[s] or asm.held[c] == 1 or asm.asleep[c]:
                continue
            stamp[s] = 1
            rotation(asm.rot[c], m)
            place_shape(hulls, pieces, asm, s, c, m, wverts, wnormals, wcenter)
            if inv_mass[c] > 0.0:
                turn_inertia(asm, c, m, inv_inertia)
    for x in range(len(again)):
        k = rows.pair[again[x]]
        stamp[con.a[k]] = 0
        if con.b[k] >= 0:
            stamp[con.b[k]] = 0


@numba.njit(cache=True, error_model="numpy", fastmath=FUSED, inline="always")
def keep_impulses(rows: Rows, r, con: Contacts):
    """Write the last substep's impulses of row r back to its pair."""
    k = rows.pair[r]
    for i in range(rows.count[r]):
        con.push[k, i] = rows.push[r, i]
    for c in range(3):
        con.rub[k, c] = rows.rub[r, 0] * rows.tangent[r, 0, c] + rows.rub[r, 1] * rows.tangent[r, 1, c]
    con.rub[k, 3] = rows.twist[r]
