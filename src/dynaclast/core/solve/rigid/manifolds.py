"""Rows for the solver out of contact points: arms, effective masses, friction, and the impulses known from before."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...geometry.mesh import Array, Index
from ...kernels import kernel
from ..model import Flags, Hulls, PieceTable, Settings
from ..state import Assemblies, Contacts
from .assemblies import rotation

LIVELY_SHARE = 0.14
"""Points that meet slower than this share of the pair's pace do not bounce."""

HIT_SHARE = 0.28
"""Points that meet slower than this share of the pair's pace are no hit."""


class Rows(NamedTuple):
    """Contact rows of one interval; M manifolds of up to 4 points. Normals point from b to a.

    pair (M,) row in Contacts; a, b (M,) assembly slots; count (M,) points; normal (M, 3)
    sep (M, 4) separation at the search [m]; push (M, 4) impulse of a substep; total (M, 4) summed over the
    interval; approach (M, 4) normal velocity at the search [m/s]; bounce_to (M, 4) velocity wanted; mass (M, 4)
    jac (M, 4, 12): ra x n, rb x n, Ia^-1 (ra x n), Ib^-1 (rb x n)
    tangent (M, 2, 3); tjac (M, 2, 12) as jac at the patch's centre; tmass (M, 2); rub (M, 2)
    twist_mass, twist, lever (M,); njac (M, 6): Ia^-1 n, Ib^-1 n; roll (M,) rolling length [m], roll_rub (M, 2)
    total and approach stay 0 beyond count; what the points did in an interval goes to those found within it
    (``_hand_on``) seen (M, 9): what a had moved against b [m], and what a and b had turned [rad], when the points were
    found; reach (M, 2) of the two shapes [m] pace (M,) sqrt(g size) [m/s], by which speeds are called slow or fast, so
    that small and large things behave alike friction, bounce (M,); point (M, 4, 3) world [m]; now (M, 4) separation in
    this substep [m], without points how far apart they were at least; size (M,) of the smaller piece [m]; lively (M,)
    uint8: a point meets fast enough to bounce, or was hit in the last interval; sweeps (M,): passes a substep
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
    sweeps: Index


class Near(NamedTuple):
    """Pairs of one interval that do not touch, but might if a hit sends them towards each other; N of them.

    pair (N,) row in Contacts; a, b (N,) assembly slots; axis (N, 3) from b to a, along which they are ``gap`` (N,)
    apart at least [m], zeros where that holds along any; infinite gap: no longer here. seen (N, 9), reach (N, 2): as in
    Rows
    """

    pair: Index
    a: Index
    b: Index
    axis: Array
    gap: Array
    seen: Array
    reach: Array


def make_near(room: int) -> Near:
    i4, f = np.int32, np.zeros
    return Near(f(room, i4), f(room, i4), f(room, i4), f((room, 3)), f(room), f((room, 9)), f((room, 2)))


def make_rows(room: int) -> Rows:
    m, i4, f = room, np.int32, np.zeros
    return Rows(
        f(m, i4),
        f(m, i4),
        f(m, i4),
        f(m, i4),
        f((m, 3)),
        f((m, 4)),
        f((m, 4)),
        f((m, 4)),
        f((m, 4)),
        f((m, 4)),
        f((m, 4)),
        f((m, 4, 12)),
        f((m, 2, 3)),
        f((m, 2, 12)),
        f((m, 2)),
        f((m, 2)),
        f(m),
        f(m),
        f(m),
        f((m, 6)),
        f(m),
        f((m, 2)),
        f(m),
        f(m),
        f((m, 4, 3)),
        f((m, 4)),
        f(m),
        f(m, np.uint8),
        f((m, 9)),
        f((m, 2)),
        f(m),
        f(m, i4),
    )


@kernel(inline=True)
def turn_inertia(asm: Assemblies, a, m, inv_inertia):
    """World inverse inertia of slot a at its rotation m (3, 3), into inv_inertia (A, 3, 3)."""
    for i in range(3):
        x = m[i, 0] * asm.inv_inertia[a, 0, 0] + m[i, 1] * asm.inv_inertia[a, 1, 0] + m[i, 2] * asm.inv_inertia[a, 2, 0]
        y = m[i, 0] * asm.inv_inertia[a, 0, 1] + m[i, 1] * asm.inv_inertia[a, 1, 1] + m[i, 2] * asm.inv_inertia[a, 2, 1]
        z = m[i, 0] * asm.inv_inertia[a, 0, 2] + m[i, 1] * asm.inv_inertia[a, 1, 2] + m[i, 2] * asm.inv_inertia[a, 2, 2]
        for j in range(3):
            inv_inertia[a, i, j] = x * m[j, 0] + y * m[j, 1] + z * m[j, 2]


@kernel(allocates=True)
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


@kernel
def _fill(out, ra, rb, n, ia, ib):
    """Angular parts of a row along n at arms ra, rb; returns the angular share of the inverse mass."""
    ax, ay, az = ra[1] * n[2] - ra[2] * n[1], ra[2] * n[0] - ra[0] * n[2], ra[0] * n[1] - ra[1] * n[0]
    bx, by, bz = rb[1] * n[2] - rb[2] * n[1], rb[2] * n[0] - rb[0] * n[2], rb[0] * n[1] - rb[1] * n[0]
    out[0], out[1], out[2], out[3], out[4], out[5] = ax, ay, az, bx, by, bz
    for i in range(3):
        out[6 + i] = ia[i, 0] * ax + ia[i, 1] * ay + ia[i, 2] * az
        out[9 + i] = ib[i, 0] * bx + ib[i, 1] * by + ib[i, 2] * bz
    return ax * out[6] + ay * out[7] + az * out[8] + bx * out[9] + by * out[10] + bz * out[11]


@kernel(inline=True)
def _hand_on(rows: Rows, r, old_point, old):
    """Give what the old points of row r did in this interval to the new points nearest to them; where there are none,
    the first place keeps it. old_point (4, 3), old (4, 3): impulse summed, normal velocity at the search, velocity
    wanted, 0 where there was no point.
    """
    given = 0
    for j in range(4):
        if old[j, 0] == 0.0 and old[j, 1] == 0.0 and old[j, 2] == 0.0:
            continue
        best, least = 0, np.inf
        for i in range(rows.count[r]):
            d2 = 0.0
            for c in range(3):
                d2 += (rows.point[r, i, c] - old_point[j, c]) ** 2
            if d2 < least:
                best, least = i, d2
        rows.total[r, best] += old[j, 0]
        rows.approach[r, best] = min(rows.approach[r, best], old[j, 1]) if given >> best & 1 else old[j, 1]
        given |= 1 << best
        if old[j, 2] != 0.0:
            rows.bounce_to[r, best] = old[j, 2]


@kernel(inline=True)
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


@kernel(inline=True)
def _rub_rows(rows: Rows, r, con: Contacts, k, points, n, mid, asm: Assemblies, a, b, ground, im, ia, ib, ra, rb):
    """Friction and twist of row r, at the middle of its patch."""
    nx, ny, nz = rows.normal[r, 0], rows.normal[r, 1], rows.normal[r, 2]
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
        rows.rub[r, d] = (
            con.rub[k, 0] * rows.tangent[r, d, 0]
            + con.rub[k, 1] * rows.tangent[r, d, 1]
            + con.rub[k, 2] * rows.tangent[r, d, 2]
        )
        rows.roll_rub[r, d] = 0.0
    den = 0.0
    for i in range(3):
        rows.njac[r, i] = ia[i, 0] * nx + ia[i, 1] * ny + ia[i, 2] * nz
        rows.njac[r, 3 + i] = ib[i, 0] * nx + ib[i, 1] * ny + ib[i, 2] * nz
        den += rows.normal[r, i] * (rows.njac[r, i] + rows.njac[r, 3 + i])
    rows.twist_mass[r] = 1.0 / den if den > 0.0 else 0.0
    rows.twist[r] = con.rub[k, 3]
    rows.lever[r] = max(lever, rows.roll[r])  # a ball's contact resists spin as it resists rolling


@kernel(inline=True)
def _watch(near: Near, w, k, s, t, a, b, hulls: Hulls, con: Contacts, gap, moved, turned):
    """Entry w of what is near: pair k, whose shapes s and t are a gap apart."""
    near.pair[w], near.a[w], near.b[w], near.gap[w] = k, a, b, gap
    con.hit[k] = 0.0  # it has parted: what fell on it in the last interval goes on in no row
    near.reach[w, 0], near.reach[w, 1] = hulls.bound[s], hulls.bound[t] if t >= 0 else 0.0
    for c in range(3):
        near.axis[w, c] = con.axis[k, c]
        near.seen[w, c] = moved[a, c] - moved[b, c]
        near.seen[w, 3 + c] = turned[a, c]
        near.seen[w, 6 + c] = turned[b, c]


@kernel(inner=True)
def build_rows(
    hulls: Hulls,
    pieces: PieceTable,
    piece_asm,
    asm: Assemblies,
    con: Contacts,
    which,
    again,
    settings: Settings,
    points,
    seps,
    inv_mass,
    inv_inertia,
    moved,
    turned,
    arms,
    rows: Rows,
    n_rows,
    near: Near,
    n_near,
):
    """Solver rows of the pairs ``which`` between assemblies of which one can move, and what is near without touching;
    returns how many there are of both.

    again (N,) int32: within an interval, the rows that are written anew, in place and with as many points as there are
        now, or where negative the places in ``near``, from -1 down: what touches gets a new row; empty at the start of
        an interval, when n_rows and n_near are 0 moved, turned (A, 3): what the bodies have done since the start of the
        interval, which the separations are counted from arms (11, 3): scratch
    """
    ground = len(asm.alive) - 1
    g = np.sqrt(settings.gravity[0] ** 2 + settings.gravity[1] ** 2 + settings.gravity[2] ** 2)
    ra, rb, mid, old_point, old = arms[0], arms[1], arms[2], arms[3:7], arms[7:11]
    for x in range(len(which)):
        k = which[x]
        n = con.count[k]
        s, t = con.a[k], con.b[k]
        ps = hulls.piece[s]
        a = piece_asm[ps]
        b = piece_asm[hulls.piece[t]] if t >= 0 else ground
        if inv_mass[a] == 0.0 and inv_mass[b] == 0.0:
            continue
        r = again[x] if len(again) else -1
        if r < 0 and n == 0:
            w = -1 - r if len(again) else n_near
            n_near = max(n_near, w + 1)
            _watch(near, w, k, s, t, a, b, hulls, con, seps[k, 0], moved, turned)
            continue
        old_row = r >= 0
        if old_row:
            lively = rows.lively[r]
            for i in range(4):
                old[i, 0], old[i, 1], old[i, 2] = rows.total[r, i], rows.approach[r, i], rows.bounce_to[r, i]
                for c in range(3):
                    old_point[i, c] = rows.point[r, i, c]
        else:
            if len(again):
                near.gap[-1 - r] = np.inf
            r = n_rows
            n_rows += 1
            lively = np.uint8(0)
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
        rows.lively[r] = 1 if lively or con.hit[k] > 0.0 else 0
        nx, ny, nz = con.axis[k, 0], con.axis[k, 1], con.axis[k, 2]
        rows.normal[r, 0], rows.normal[r, 1], rows.normal[r, 2] = nx, ny, nz
        im = inv_mass[a] + inv_mass[b]
        ia, ib = inv_inertia[a], inv_inertia[b]
        mid[0], mid[1], mid[2] = 0.0, 0.0, 0.0
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
                vn += (
                    rows.normal[r, c] * (asm.vel[a, c] - asm.vel[b, c])
                    + j[c] * asm.spin[a, c]
                    + j[3 + c] * -asm.spin[b, c]
                )
                turns += j[c] * turned[a, c] - j[3 + c] * turned[b, c]
            rows.sep[r, i] = seps[k, i] - along - turns
            rows.approach[r, i] = vn
            if rows.bounce[r] > 0.0 and vn < -LIVELY_SHARE * rows.pace[r]:
                rows.lively[r] = 1
            rows.bounce_to[r, i] = 0.0
        if old_row:
            _hand_on(rows, r, old_point, old)
        if n == 0:
            rows.now[r, 0] = seps[k, 0]
            rows.rub[r, 0], rows.rub[r, 1], rows.twist[r] = 0.0, 0.0, 0.0
            continue
        _rub_rows(rows, r, con, k, points, n, mid, asm, a, b, ground, im, ia, ib, ra, rb)
    return n_rows, n_near


@kernel(inline=True)
def keep_impulses(rows: Rows, r, con: Contacts):
    """Write the last substep's impulses of row r back to its pair."""
    k = rows.pair[r]
    for i in range(rows.count[r]):
        con.push[k, i] = rows.push[r, i]
    for c in range(3):
        con.rub[k, c] = rows.rub[r, 0] * rows.tangent[r, 0, c] + rows.rub[r, 1] * rows.tangent[r, 1, c]
    con.rub[k, 3] = rows.twist[r]
