"""Which pairs of shapes may touch within the next interval.

Sort and sweep over swept bounds (Cohen et al. 1995, doi 10.1145/199404.199437), along the axis where the pieces spread
most. Pairs of which neither is awake are not looked for: what they remember is carried along.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...kernels import kernel
from ..model import HOLD_REMOVED, Hulls, PieceTable, Settings, Sheets
from ..state import Assemblies, Contacts
from .assemblies import rotation

SLOP_SHARE = 0.005
"""Contact margin at rest as a share of the piece's size."""

ROOM_SHARE = 0.03
"""By this share of its size the bounds of what can move are wider than where it is headed: a hit may send it
elsewhere.
"""


@kernel(inline=True)
def place_shape(hulls: Hulls, pieces: PieceTable, asm: Assemblies, s, a, m, wverts, wnormals, wcenter):
    """World corners, face normals and piece's centre of shape s of assembly a, whose rotation is m (3, 3)."""
    p = hulls.piece[s]
    for i in range(3):
        wcenter[s, i] = asm.pos[a, i]
        for j in range(3):
            wcenter[s, i] += m[i, j] * (pieces.rest[p, j] - asm.rest[a, j])
    for v in range(hulls.vert_start[s], hulls.vert_start[s + 1]):
        x, y, z = hulls.verts[v, 0], hulls.verts[v, 1], hulls.verts[v, 2]
        for i in range(3):
            wverts[v, i] = wcenter[s, i] + m[i, 0] * x + m[i, 1] * y + m[i, 2] * z
    for f in range(hulls.face_start[s], hulls.face_start[s + 1]):
        x, y, z = hulls.normals[f, 0], hulls.normals[f, 1], hulls.normals[f, 2]
        for i in range(3):
            wnormals[f, i] = m[i, 0] * x + m[i, 1] * y + m[i, 2] * z


@kernel(inner=True)
def place_shapes(
    hulls: Hulls,
    pieces: PieceTable,
    piece_asm,
    asm: Assemblies,
    everything,
    wverts,
    wnormals,
    wcenter,
    lo,
    hi,
    settings: Settings,
    push,
    m,
):
    """World corners, face normals, centres and swept bounds of all shapes that are awake (or of all). m (3, 3)
    scratch.
    """
    for s in range(len(hulls.piece)):
        p = hulls.piece[s]
        a = piece_asm[p]
        if not everything and (asm.held[a] == 1 or asm.asleep[a]):
            continue
        rotation(asm.rot[a], m)
        place_shape(hulls, pieces, asm, s, a, m, wverts, wnormals, wcenter)
        for k in range(3):
            lo[s, k] = np.inf
            hi[s, k] = -np.inf
        for v in range(hulls.vert_start[s], hulls.vert_start[s + 1]):
            for i in range(3):
                lo[s, i] = min(lo[s, i], wverts[v, i])
                hi[s, i] = max(hi[s, i], wverts[v, i])
        grow = hulls.radius[s] + (SLOP_SHARE if asm.held[a] else ROOM_SHARE) * pieces.size[p]
        turn = np.sqrt(asm.spin[a, 0] ** 2 + asm.spin[a, 1] ** 2 + asm.spin[a, 2] ** 2)
        arm = np.sqrt(
            (wcenter[s, 0] - asm.pos[a, 0]) ** 2
            + (wcenter[s, 1] - asm.pos[a, 1]) ** 2
            + (wcenter[s, 2] - asm.pos[a, 2]) ** 2
        )
        swing = min(turn * settings.interval, 2.0) * (hulls.bound[s] + arm)
        for k in range(3):
            fall = (abs(settings.gravity[k]) + abs(push[a, k])) * settings.interval * settings.interval
            d = asm.vel[a, k] * settings.interval
            lo[s, k] += min(d, 0.0) - grow - swing - fall
            hi[s, k] += max(d, 0.0) + grow + swing + fall


@kernel(inner=True)
def widest(lo, shapes):
    """The axis along which the lower bounds lo (S, 3) of the first so many shapes spread most."""
    best, most = 0, -np.inf
    for c in range(3):
        low, high = np.inf, -np.inf
        for s in range(shapes):
            low, high = min(low, lo[s, c]), max(high, lo[s, c])
        if high - low > most:
            best, most = c, high - low
    return best


@kernel(inner=True)
def put_in_order(lo, axis, order):
    """Sort the shapes in order by their lower bounds along an axis, equals by their numbers; what was in order before
    is put right in as many steps as shapes have passed each other since.
    """
    for i in range(1, len(order)):
        s = order[i]
        at = lo[s, axis]
        j = i - 1
        while j >= 0 and (lo[order[j], axis] > at or lo[order[j], axis] == at and order[j] > s):
            order[j + 1] = order[j]
            j -= 1
        order[j + 1] = s


@kernel(inner=True)
def find_pairs(
    hulls: Hulls,
    pieces: PieceTable,
    piece_asm,
    apart,
    asm: Assemblies,
    settings: Settings,
    sheets: Sheets,
    lo,
    hi,
    axis,
    order,
    active,
    out_a,
    out_b,
):
    """Pairs with overlapping bounds, at least one awake or one asleep and the other driven; ground pairs have b = -1.
    Returns the count found (which may exceed the room in out_a, out_b: then nothing beyond the room is written). order:
    all shapes but the triangles of exact bodies; active: scratch as long.
    """
    count = _hull_pairs(hulls, pieces, piece_asm, apart, asm, settings, active, lo, hi, axis, order, out_a, out_b)
    for x in range(len(sheets.piece)):
        count = _sheet_pairs(
            hulls, pieces, piece_asm, apart, asm, sheets, x, active, lo, hi, out_a, out_b, np.int64(count)
        )
    return count


@kernel(inner=True)
def _hull_pairs(
    hulls: Hulls,
    pieces: PieceTable,
    piece_asm,
    apart,
    asm: Assemblies,
    settings: Settings,
    active,
    lo,
    hi,
    axis,
    order,
    out_a,
    out_b,
):
    """Pairs of hulls and of these with the ground. active (S,) uint8 out: 0 stands still, 1 moves, 2 is asleep, 3 is
    driven, 4 is gone.
    """
    count = 0
    room = len(out_a)
    shapes = len(order)
    ax1, ax2 = (axis + 1) % 3, (axis + 2) % 3
    for s in range(shapes):
        a = piece_asm[hulls.piece[s]]
        if pieces.held[hulls.piece[s]] == HOLD_REMOVED:
            active[s] = 4
            continue
        active[s] = (3 if asm.held[a] == 2 else 0) if asm.held[a] else 2 if asm.asleep[a] else 1
    if settings.ground_on:
        for s in range(shapes):
            if active[s] == 1 and lo[s, 1] < settings.ground_height:
                if count < room:
                    out_a[count] = s
                    out_b[count] = -1
                count += 1
    for i in range(shapes):
        s = order[i]
        end = hi[s, axis]
        awake_s = active[s]
        asm_s = piece_asm[hulls.piece[s]]
        for j in range(i + 1, shapes):
            t = order[j]
            if lo[t, axis] > end:
                break
            if awake_s == 4 or active[t] == 4 or (awake_s != 1 and active[t] != 1 and awake_s + active[t] != 5):
                continue
            if lo[t, ax1] > hi[s, ax1] or hi[t, ax1] < lo[s, ax1] or lo[t, ax2] > hi[s, ax2] or hi[t, ax2] < lo[s, ax2]:
                continue
            if piece_asm[hulls.piece[t]] == asm_s or _kept_apart(
                apart, pieces.body[hulls.piece[s]], pieces.body[hulls.piece[t]]
            ):
                continue
            if count < room:
                out_a[count] = min(s, t)
                out_b[count] = max(s, t)
            count += 1
    return count


@kernel(inner=True)
def _kept_apart(apart, a, b):
    """Whether a tie keeps the two bodies from touching."""
    for k in range(len(apart)):
        if (apart[k, 0] == a and apart[k, 1] == b) or (apart[k, 0] == b and apart[k, 1] == a):
            return True
    return False


@kernel(allocates=True, inner=True)
def _sheet_pairs(
    hulls: Hulls,
    pieces: PieceTable,
    piece_asm,
    apart,
    asm: Assemblies,
    sheets: Sheets,
    x,
    active,
    lo,
    hi,
    out_a,
    out_b,
    count,
):
    """Pairs of one exact body's triangles with the shapes whose bounds meet theirs, by its tree."""
    piece = sheets.piece[x]
    a = piece_asm[piece]
    driven = asm.held[a] == 2
    m = np.empty((3, 3))
    rotation(asm.rot[a], m)
    stack = np.empty(128, np.int32)
    mid, half, qlo, qhi = np.empty(3), np.empty(3), np.empty(3), np.empty(3)
    center = np.empty(3)
    for c in range(3):
        center[c] = asm.pos[a, c]
        for d in range(3):
            center[c] += m[c, d] * (pieces.rest[piece, d] - asm.rest[a, d])
    for s in range(len(active)):
        if active[s] != 1 and not (driven and active[s] == 2):
            continue
        if _kept_apart(apart, pieces.body[hulls.piece[s]], pieces.body[piece]):
            continue
        for c in range(3):
            mid[c] = 0.5 * (lo[s, c] + hi[s, c]) - center[c]
            half[c] = 0.5 * (hi[s, c] - lo[s, c])
        for c in range(3):
            at = m[0, c] * mid[0] + m[1, c] * mid[1] + m[2, c] * mid[2]
            reach = abs(m[0, c]) * half[0] + abs(m[1, c]) * half[1] + abs(m[2, c]) * half[2]
            qlo[c], qhi[c] = at - reach, at + reach
        stack[0] = sheets.root[x]
        top = 1
        while top > 0:
            top -= 1
            n = stack[top]
            if (
                sheets.lo[n, 0] > qhi[0]
                or sheets.hi[n, 0] < qlo[0]
                or sheets.lo[n, 1] > qhi[1]
                or sheets.hi[n, 1] < qlo[1]
                or sheets.lo[n, 2] > qhi[2]
                or sheets.hi[n, 2] < qlo[2]
            ):
                continue
            if sheets.child[n] >= 0:
                stack[top] = sheets.child[n]
                stack[top + 1] = sheets.child[n] + 1
                top += 2
                continue
            for k in range(sheets.start[n], sheets.start[n] + sheets.count[n]):
                t = sheets.order[k]
                if (
                    lo[t, 0] > hi[s, 0]
                    or hi[t, 0] < lo[s, 0]
                    or lo[t, 1] > hi[s, 1]
                    or hi[t, 1] < lo[s, 1]
                    or lo[t, 2] > hi[s, 2]
                    or hi[t, 2] < lo[s, 2]
                ):
                    continue
                if count < len(out_a):
                    out_a[count] = s
                    out_b[count] = t
                count += 1
    return count


@kernel(inner=True)
def _slot(a, b, mask):
    """Where to look for a pair in a table of mask + 1 places (Fibonacci hashing, Knuth 1973), and the number that
    stands for the pair.
    """
    key = (np.int64(a) << np.int64(32)) + np.int64(b)
    h = np.uint64(key) * np.uint64(0x9E3779B97F4A7C15)
    return np.int64((h >> np.uint64(32)) & np.uint64(mask)), key


class Pairing(NamedTuple):
    """Scratch of ``carry_over`` for at most K entries: a table (2^n > 2 K) of entries by the numbers of their pairs,
    each entry's pair, gaps.
    """

    table: np.ndarray
    keys: np.ndarray
    pair: np.ndarray
    gaps: np.ndarray


def make_pairing(room: int) -> Pairing:
    size = max(16, 2 << (2 * room + 2).bit_length())
    return Pairing(
        np.zeros(size, np.int32), np.zeros(size, np.int64), np.zeros(room, np.int32), np.zeros(room, np.int32)
    )


@kernel
def carry_over(
    pair_a,
    pair_b,
    fresh,
    hulls: Hulls,
    piece_asm,
    asm: Assemblies,
    con: Contacts,
    count,
    known,
    which,
    scratch: Pairing,
):
    """Bring the memory of the last search, the first ``count`` entries of con, up to date for the first ``fresh`` of
    the given pairs. Returns how many entries there are then; con and known have room for count + fresh.

    What is remembered stays where it is. which (fresh,) int64 out: the entry of each pair; known (K,) uint8 out: 1
    where it was remembered, 0 where it is new, 2 for entries of other pairs, of which neither side is awake. All others
    are forgotten, and the last entries take their places.
    """
    bits = 4
    while (1 << bits) < 2 * count + 2:
        bits += 1
    mask = (1 << bits) - 1
    table, keys, pair_of, gaps = scratch.table, scratch.keys, scratch.pair, scratch.gaps
    for h in range(mask + 1):
        table[h] = -1
    for k in range(count + fresh):
        pair_of[k] = -1
    for k in range(count):
        h, key = _slot(con.a[k], con.b[k], mask)
        while table[h] >= 0:
            h = (h + 1) & mask
        table[h], keys[h] = k, key
    for n in range(fresh):
        h, key = _slot(pair_a[n], pair_b[n], mask)
        which[n] = -1
        while table[h] >= 0:
            if keys[h] == key:
                k = table[h]
                which[n] = k
                pair_of[k] = n
                known[k] = 1
                if con.count[k] == 0:
                    _let_go(con, k)
                break
            h = (h + 1) & mask
    first, n_gaps = 0, 0
    for k in range(count):
        if pair_of[k] >= 0:
            continue
        if _rests(con, k, hulls, piece_asm, asm):
            known[k] = 2
            con.hit[k] = 0.0
        else:
            gaps[n_gaps] = k
            n_gaps += 1
    for n in range(fresh):
        if which[n] >= 0:
            continue
        if first < n_gaps:
            k = gaps[first]
            first += 1
        else:
            k = count
            count += 1
        which[n] = k
        pair_of[k] = n
        known[k] = 0
        con.a[k], con.b[k] = pair_a[n], pair_b[n]
        con.slack[k] = con.depth[k] = con.hit[k] = 0.0
        con.count[k] = con.feature[k] = 0
        for c in range(3):
            con.axis[k, c] = 0.0
        _let_go(con, k)
    while first < n_gaps:  # gaps ascend: the last one is closed first where the last entries are gaps themselves
        count -= 1
        if gaps[n_gaps - 1] == count:
            n_gaps -= 1
            continue
        k = gaps[first]
        first += 1
        _move_entry(con, count, k)
        known[k] = known[count]
        if pair_of[count] >= 0:
            which[pair_of[count]] = k
    return count


@kernel(inline=True)
def _rests(con: Contacts, k, hulls: Hulls, piece_asm, asm: Assemblies):
    """Whether neither side of the pair is awake, and what they know of each other is still of use."""
    a = piece_asm[hulls.piece[con.a[k]]]
    if con.b[k] < 0:
        return asm.asleep[a] != 0 and asm.held[a] == 0
    b = piece_asm[hulls.piece[con.b[k]]]
    still = (asm.held[a] != 0 or asm.asleep[a] != 0) and (asm.held[b] != 0 or asm.asleep[b] != 0)
    return still and a != b and not (asm.held[a] != 0 and asm.held[b] != 0) and asm.held[a] != 2 and asm.held[b] != 2


@kernel(inline=True)
def _let_go(con: Contacts, k):
    for c in range(4):
        con.push[k, c] = 0.0
        con.rub[k, c] = 0.0


@kernel(inner=True)
def _move_entry(con: Contacts, k, n):
    """Entry k of the memory becomes entry n."""
    con.a[n], con.b[n] = con.a[k], con.b[k]
    con.slack[n], con.depth[n], con.hit[n] = con.slack[k], con.depth[k], con.hit[k]
    con.count[n], con.feature[n] = con.count[k], con.feature[k]
    for c in range(3):
        con.axis[n, c] = con.axis[k, c]
        con.face[n, c] = con.face[k, c]
        con.face_b[n, c] = con.face_b[k, c]
    for c in range(4):
        con.push[n, c] = con.push[k, c]
        con.rub[n, c] = con.rub[k, c]
    for i in range(con.count[k]):
        for c in range(3):
            con.local[n, i, c] = con.local[k, i, c]
            con.local_b[n, i, c] = con.local_b[k, i, c]
