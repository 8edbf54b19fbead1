"""The search for contact points: what pairs of shapes touch, or may within the next interval.

Points found earlier are carried along with their bodies while these have hardly moved against each other; else the face
that served last is tried again; else the pair is looked at afresh (narrow).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...geometry.mesh import Array, Index
from ...kernels import kernel
from ..model import Hulls, PieceTable, Settings, Sheets
from ..state import Assemblies, Contacts
from .assemblies import rotation, wake, wake_one
from .broad import SLOP_SHARE, place_shape
from .gjk import make_scratch
from .narrow import ROOM, touch, touch_again, touch_ground, touch_sheet

WAKE_SHARE = 0.06
"""A sleeper is woken by what moves faster than this share of sqrt(g * size)."""

WAKE_ALL = 4.0
"""A hit so many times as fast wakes the sleeper's whole island, not it alone."""

REUSE_SHARE = 0.004
"""Contact points are kept while both surfaces have moved past each other less than this share of the smaller piece's
size.
"""

LOOK_REUSE_SHARE = 0.0075
"""The same within an interval, whose end is near."""

AGAIN_LEAN = 0.05**2
"""The face that carried a contact is tried again while the bodies have leant against each other by less (squared,
rad).
"""

NEAR_SHARE = 0.03
"""What parts is left out only beyond this share of the smaller piece's size: a hit may turn it back."""

BESIDE_SHARE = 0.01
"""What moves by this share of its size beside a triangle of an exact body may have come over it."""

FORGIVE_SHARE = 0.3
"""Overlap of a pair of which one side has only just come to be is forgiven up to this share of the smaller piece's
size.
"""


class Scratch(NamedTuple):
    """What the search writes on: a patch of points and their separations, two polygons, directions, three rotations."""

    points: Array
    seps: Array
    poly: Array
    other: Array
    axis: Array
    turn_a: Array
    turn_b: Array
    turn: Array
    point_a: Array
    point_b: Array
    near: Array
    feature: Index
    slip: Array
    old_local: Array
    old_push: Array
    simplex: tuple[Array, ...]


def make_search_scratch() -> Scratch:
    f = np.zeros
    return Scratch(
        f((ROOM, 3)),
        f(ROOM),
        f((ROOM, 4)),
        f((ROOM, 4)),
        f(3),
        f((3, 3)),
        f((3, 3)),
        f((3, 3)),
        f(3),
        f(3),
        f((3, 3)),
        f(1, np.int32),
        f(4),
        f((4, 3)),
        f(4),
        make_scratch(),
    )


@kernel(inner=True)
def sleepers_first(which, hulls: Hulls, piece_asm, asm: Assemblies, con: Contacts, out):
    """The pairs ``which`` (N,) with those first of which one side is asleep, since what they wake must be paired anew;
    into out (N,). Returns how many these are.
    """
    first, n = 0, 0
    for turn in range(2):
        for x in range(len(which)):
            k = which[x]
            calls = (
                con.b[k] >= 0
                and asm.asleep[piece_asm[hulls.piece[con.a[k]]]] != asm.asleep[piece_asm[hulls.piece[con.b[k]]]]
            )
            if calls == (turn == 0):
                out[n] = k
                n += 1
        if turn == 0:
            first = n
    return first


@kernel(inner=True)
def _speed_bound(asm: Assemblies, a, reach):
    v = np.sqrt(asm.vel[a, 0] ** 2 + asm.vel[a, 1] ** 2 + asm.vel[a, 2] ** 2)
    w = np.sqrt(asm.spin[a, 0] ** 2 + asm.spin[a, 1] ** 2 + asm.spin[a, 2] ** 2)
    return v + w * reach


@kernel(inner=True)
def _to_world(m, x, y, z, out):
    for c in range(3):
        out[c] = m[c, 0] * x + m[c, 1] * y + m[c, 2] * z


@kernel(inline=True)
def _reuse(con: Contacts, k, asm: Assemblies, a, b, ma, mb, size, share, points, seps, axis, pa, pb):
    """Carry the points found earlier along with their bodies, if these have hardly moved against each other.

    ma, mb (3, 3): rotations of the assemblies; share: REUSE_SHARE or LOOK_REUSE_SHARE. Fills points (n, 3), seps (n,),
    axis (3,); returns n, or 0 where they must be found anew, and by how much (squared) the normals in both frames have
    come apart
    """
    limit = share * size
    _to_world(ma, con.face[k, 0], con.face[k, 1], con.face[k, 2], axis)
    _to_world(mb, con.face_b[k, 0], con.face_b[k, 1], con.face_b[k, 2], pb)
    # both normals together: neither body has leant against the other by more than the limit over its size
    lean = (axis[0] - pb[0]) ** 2 + (axis[1] - pb[1]) ** 2 + (axis[2] - pb[2]) ** 2
    if lean > (2.0 * share) ** 2:
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


@kernel(inline=True)
def _outlook(k, con: Contacts, asm: Assemblies, hulls: Hulls, pieces: PieceTable, a, b, size, g, span, slip):
    """What the pair k may do within ``span`` [s]: how far its surfaces can travel towards each other [m]; slip (4,) as
    ``touch`` wants it.
    """
    s, t = con.a[k], con.b[k]
    vx, vy, vz = asm.vel[a, 0] - asm.vel[b, 0], asm.vel[a, 1] - asm.vel[b, 1], asm.vel[a, 2] - asm.vel[b, 2]
    swing = 0.0
    for side in range(2):
        c, x = (a, s) if side == 0 else (b, t)
        if x < 0:
            continue
        arm = hulls.bound[x]
        if asm.pieces[c] > 1:
            p = hulls.piece[x]
            arm += np.sqrt(
                (pieces.rest[p, 0] - asm.rest[c, 0]) ** 2
                + (pieces.rest[p, 1] - asm.rest[c, 1]) ** 2
                + (pieces.rest[p, 2] - asm.rest[c, 2]) ** 2
            )
        swing += arm * np.sqrt(asm.spin[c, 0] ** 2 + asm.spin[c, 1] ** 2 + asm.spin[c, 2] ** 2)
    slip[0], slip[1], slip[2] = vx * span, vy * span, vz * span
    slip[3] = (swing + g * span) * span + NEAR_SHARE * size - con.slack[k]
    return (np.sqrt(vx * vx + vy * vy + vz * vz) + swing + g * span) * span


@kernel(inner=True)
def _place(hulls: Hulls, pieces: PieceTable, asm: Assemblies, s, a, look, placed_at, wverts, wnormals, wcenter, m):
    """Place shape s of assembly a where it is at this look, if that was not done for another pair. m (3, 3) scratch."""
    if placed_at[s] == look or asm.held[a] == 1 or asm.asleep[a]:
        return
    placed_at[s] = look
    rotation(asm.rot[a], m)
    place_shape(hulls, pieces, asm, s, a, m, wverts, wnormals, wcenter)


@kernel(inline=True)
def _match(k, con: Contacts, asm: Assemblies, a, b, ma, mb, size, n, had, axis, points, seps, old_local, old_push):
    """Write n new points of pair k into its memory; each takes on the impulse of the old point that is nearest in the
    frame of a.
    """
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
            d2 = (
                (con.local[k, i, 0] - old_local[j, 0]) ** 2
                + (con.local[k, i, 1] - old_local[j, 1]) ** 2
                + (con.local[k, i, 2] - old_local[j, 2]) ** 2
            )
            if d2 < least:
                least = d2
                best = j
        if best >= 0:
            con.push[k, i] = old_push[best]
            old_push[best] = -1.0


@kernel(inner=True)
def find_contacts(
    hulls: Hulls,
    pieces: PieceTable,
    piece_asm,
    asm: Assemblies,
    con: Contacts,
    known,
    which,
    look,
    span,
    settings: Settings,
    sheets: Sheets,
    wverts,
    wnormals,
    wcenter,
    placed_at,
    points_out,
    seps_out,
    scratch: Scratch,
):
    """Contact points of the pairs ``which`` (N,) int64, written into con (count, axis, slack, push matched to the new
    points).

    look  : 0, at the start of an interval, when all shapes are placed; within it the number of this look, when shapes
            are placed as they are wanted and nothing wakes placed_at (S,) int64: the look for which each shape was
            placed last
    span  : time until the next search [s]
    points_out (K, 4, 3), seps_out (K, 4): world points and separations, slack already taken off; where there are no
    points, how far the surfaces are apart at least Wakes sleepers that something fast touches; returns 1 if any was
    woken.
    """
    ground = len(asm.alive) - 1
    points, seps, poly, other, axis, m, mb, turn, pa, pb, near, feature, slip, old_local, old_push, simplex = scratch
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
        travel = _outlook(k, con, asm, hulls, pieces, a, b, size, g, span, slip)
        margin = travel + SLOP_SHARE * size - con.slack[k]
        for c in range(3):
            axis[c] = con.axis[k, c]
        kept, lean = 0, 0.0 if look > 0 and con.count[k] > 0 else np.inf
        turned = t >= 0 and (known[k] == 1 or look > 0) and con.count[k] > 0
        if turned:
            rotation(asm.rot[a], m)
            rotation(asm.rot[b], mb)
            kept, lean = _reuse(
                con,
                k,
                asm,
                a,
                b,
                m,
                mb,
                size,
                REUSE_SHARE if look == 0 else LOOK_REUSE_SHARE,
                points,
                seps,
                axis,
                pa,
                pb,
            )
            if kept == 0:
                for c in range(3):
                    axis[c] = con.axis[k, c]
        if kept == 0 and look > 0:
            _place(hulls, pieces, asm, s, a, look, placed_at, wverts, wnormals, wcenter, turn)
            if t >= 0:
                _place(hulls, pieces, asm, t, b, look, placed_at, wverts, wnormals, wcenter, turn)
        if kept > 0:
            n = kept
        elif t < 0:
            seps[0] = margin
            n = touch_ground(hulls, wverts, s, settings.ground_height, margin, points, seps)
            axis[0], axis[1], axis[2] = 0.0, 1.0, 0.0
        else:
            if known[k] == 0 and look == 0:
                for c in range(3):
                    axis[c] = wcenter[s, c] - wcenter[t, c]
                length = np.sqrt(axis[0] ** 2 + axis[1] ** 2 + axis[2] ** 2)
                for c in range(3):  # below one half: a guess, not a remembered direction
                    axis[c] = axis[c] / (4.0 * length) if length > 0.0 else 0.0
            n = 0
            if lean < AGAIN_LEAN and con.feature[k] != 0:
                n = touch_again(
                    hulls, wverts, wnormals, s, t, margin, con.feature[k], con.slack[k], axis, points, seps, poly, other
                )
            if n == 0:
                if lean < np.inf:
                    for c in range(3):
                        axis[c] = con.axis[k, c]
                seps[0] = margin
                if t >= sheets.first:
                    n = touch_sheet(
                        hulls,
                        wverts,
                        wnormals,
                        wcenter,
                        s,
                        t,
                        sheets.sharp[t - sheets.first],
                        margin,
                        axis,
                        points,
                        seps,
                        poly,
                        other,
                        near,
                        feature,
                        simplex,
                    )
                else:
                    n = touch(
                        hulls,
                        wverts,
                        wnormals,
                        s,
                        t,
                        margin,
                        slip,
                        axis,
                        points,
                        seps,
                        poly,
                        other,
                        near,
                        feature,
                        simplex,
                    )
                con.feature[k] = feature[0]
        for c in range(3):
            con.axis[k, c] = axis[c]
        had = con.count[k]
        con.count[k] = n
        if n == 0:
            seps_out[k, 0] = max(seps[0], 0.0)
            if t >= sheets.first:  # how far apart, but not along what
                seps_out[k, 0] = max(seps[0], BESIDE_SHARE * size)
                con.axis[k, 0], con.axis[k, 1], con.axis[k, 2] = 0.0, 0.0, 0.0
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
        if known[k] == 0 and look == 0:
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
            if not turned:
                rotation(asm.rot[a], m)
                rotation(asm.rot[b], mb)
            _match(k, con, asm, a, b, m, mb, size, n, had, axis, points, seps, old_local, old_push)
        if look == 0:
            woke |= _wake_by_touch(k, t, s, a, b, con, asm, hulls, pieces, settings, size, deepest, travel, g)
    return woke


@kernel(inline=True)
def _wake_by_touch(
    k,
    t,
    s,
    a,
    b,
    con: Contacts,
    asm: Assemblies,
    hulls: Hulls,
    pieces: PieceTable,
    settings: Settings,
    size,
    deepest,
    travel,
    g,
):
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
