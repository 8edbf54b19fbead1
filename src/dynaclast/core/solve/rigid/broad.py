"""Which pairs of shapes may touch within the next interval.

Sort and sweep over swept bounds (Cohen et al. 1995, doi 10.1145/199404.199437), along the axis where the pieces spread
most. Pairs of which neither is awake are not looked for: what they remember is carried along.
"""

from __future__ import annotations

import numpy as np

from ...kernels import kernel
from ..model import HOLD_REMOVED, Hulls, PieceTable, Settings, Sheets
from ..state import Assemblies, Contacts
from .assemblies import rotation

SLOP_SHARE = 0.005
"""Contact margin at rest as a share of the piece's size."""


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


@kernel
def place_shapes(hulls: Hulls, pieces: PieceTable, piece_asm, asm: Assemblies, everything, wverts, wnormals, wcenter, lo, hi, settings: Settings, push, m):
    """World corners, face normals, centres and swept bounds of all shapes that are awake (or of all). m (3, 3) scratch."""
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
        grow = hulls.radius[s] + SLOP_SHARE * pieces.size[p]
        turn = np.sqrt(asm.spin[a, 0] ** 2 + asm.spin[a, 1] ** 2 + asm.spin[a, 2] ** 2)
        arm = np.sqrt((wcenter[s, 0] - asm.pos[a, 0]) ** 2 + (wcenter[s, 1] - asm.pos[a, 1]) ** 2 + (wcenter[s, 2] - asm.pos[a, 2]) ** 2)
        swing = min(turn * settings.interval, 2.0) * (hulls.bound[s] + arm)
        for k in range(3):
            fall = (abs(settings.gravity[k]) + abs(push[a, k])) * settings.interval * settings.interval
            d = asm.vel[a, k] * settings.interval
            lo[s, k] += min(d, 0.0) - grow - swing - fall
            hi[s, k] += max(d, 0.0) + grow + swing + fall


@kernel(allocates=True)
def find_pairs(hulls: Hulls, pieces: PieceTable, piece_asm, apart, asm: Assemblies, settings: Settings, sheets: Sheets, lo, hi, axis, order, out_a, out_b):
    """Pairs with overlapping bounds, at least one awake or one asleep and the other driven; ground pairs have b = -1. Returns the count found
    (which may exceed the room in out_a, out_b: then nothing beyond the room is written)."""
    count = 0
    room = len(out_a)
    shapes = len(order)  # all but the triangles of exact bodies
    ax1, ax2 = (axis + 1) % 3, (axis + 2) % 3
    active = np.empty(shapes, np.uint8)  # 0 stands still, 1 moves, 2 is asleep, 3 is driven
    for s in range(shapes):
        a = piece_asm[hulls.piece[s]]
        if pieces.held[hulls.piece[s]] == HOLD_REMOVED:
            active[s] = 4  # it is gone
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
            if piece_asm[hulls.piece[t]] == asm_s or _kept_apart(apart, pieces.body[hulls.piece[s]], pieces.body[hulls.piece[t]]):
                continue
            if count < room:
                out_a[count] = min(s, t)
                out_b[count] = max(s, t)
            count += 1
    for x in range(len(sheets.piece)):
        count = _sheet_pairs(hulls, pieces, piece_asm, apart, asm, sheets, x, active, lo, hi, out_a, out_b, np.int64(count))
    return count


@kernel(inner=True)
def _kept_apart(apart, a, b):
    """Whether a tie keeps the two bodies from touching."""
    for k in range(len(apart)):
        if (apart[k, 0] == a and apart[k, 1] == b) or (apart[k, 0] == b and apart[k, 1] == a):
            return True
    return False


@kernel(allocates=True, inner=True)
def _sheet_pairs(hulls: Hulls, pieces: PieceTable, piece_asm, apart, asm: Assemblies, sheets: Sheets, x, active, lo, hi, out_a, out_b, count):
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
            if sheets.lo[n, 0] > qhi[0] or sheets.hi[n, 0] < qlo[0] or sheets.lo[n, 1] > qhi[1] or sheets.hi[n, 1] < qlo[1] or sheets.lo[n, 2] > qhi[2] or sheets.hi[n, 2] < qlo[2]:
                continue
            if sheets.child[n] >= 0:
                stack[top] = sheets.child[n]
                stack[top + 1] = sheets.child[n] + 1
                top += 2
                continue
            for k in range(sheets.start[n], sheets.start[n] + sheets.count[n]):
                t = sheets.order[k]
                if lo[t, 0] > hi[s, 0] or hi[t, 0] < lo[s, 0] or lo[t, 1] > hi[s, 1] or hi[t, 1] < lo[s, 1] or lo[t, 2] > hi[s, 2] or hi[t, 2] < lo[s, 2]:
                    continue
                if count < len(out_a):
                    out_a[count] = s
                    out_b[count] = t
                count += 1
    return count


@kernel(inner=True)
def _slot(a, b, mask):
    h = (np.uint64(a) * np.uint64(0x9E3779B97F4A7C15)) ^ (np.uint64(b + 1) * np.uint64(0xC2B2AE3D27D4EB4F))
    h ^= h >> np.uint64(29)
    h *= np.uint64(0xBF58476D1CE4E5B9)
    h ^= h >> np.uint64(32)
    return np.int64(h & np.uint64(mask))


@kernel(allocates=True)
def carry_over(pair_a, pair_b, fresh, hulls: Hulls, piece_asm, asm: Assemblies, old: Contacts, new: Contacts, known):
    """Lay the memory of the last search beside the new pairs.

    The first ``fresh`` rows of ``new`` become the given pairs, with what is remembered of them (known = 1) or
    nothing (known = 0); behind them come the remembered pairs of which neither side is awake (known = 2). Returns the
    number of rows.
    """
    bits = 4
    while (1 << bits) < 2 * len(old.a) + 2:
        bits += 1
    mask = (1 << bits) - 1
    table = np.full(mask + 1, -1, np.int32)
    for k in range(len(old.a)):
        h = _slot(old.a[k], old.b[k], mask)
        while table[h] >= 0:
            h = (h + 1) & mask
        table[h] = k
    for n in range(fresh):
        a, b = pair_a[n], pair_b[n]
        h = _slot(a, b, mask)
        found = -1
        while table[h] >= 0:
            k = table[h]
            if old.a[k] == a and old.b[k] == b:
                found = k
                break
            h = (h + 1) & mask
        new.a[n] = a
        new.b[n] = b
        if found >= 0:
            known[n] = 1
            _copy(old, found, new, n)
        else:
            known[n] = 0
            new.slack[n] = 0.0
            new.depth[n] = 0.0
            new.hit[n] = 0.0
            new.count[n] = 0
            new.feature[n] = 0
            for c in range(3):
                new.axis[n, c] = 0.0
            for c in range(4):
                new.push[n, c] = 0.0
                new.rub[n, c] = 0.0
    n = fresh
    for k in range(len(old.a)):
        a = piece_asm[hulls.piece[old.a[k]]]
        if not (asm.held[a] or asm.asleep[a]):
            continue
        if old.b[k] >= 0:
            b = piece_asm[hulls.piece[old.b[k]]]
            if a == b or not (asm.held[b] or asm.asleep[b]) or (asm.held[a] and asm.held[b]) or asm.held[a] == 2 or asm.held[b] == 2:
                continue
        elif asm.held[a]:
            continue
        new.a[n] = old.a[k]
        new.b[n] = old.b[k]
        known[n] = 2
        _copy(old, k, new, n)
        new.hit[n] = 0.0
        n += 1
    return n


@kernel(inline=True)
def _copy(old: Contacts, k, new: Contacts, n):
    new.slack[n] = old.slack[k]
    new.depth[n] = old.depth[k]
    new.hit[n] = old.hit[k]
    new.count[n] = old.count[k]
    new.feature[n] = old.feature[k]
    for c in range(3):
        new.axis[n, c] = old.axis[k, c]
    if old.count[k] == 0:  # the buffer may hold another pair's
        for c in range(4):
            new.push[n, c] = 0.0
            new.rub[n, c] = 0.0
        return
    for c in range(3):
        new.face[n, c] = old.face[k, c]
        new.face_b[n, c] = old.face_b[k, c]
    for c in range(4):
        new.push[n, c] = old.push[k, c]
        new.rub[n, c] = old.rub[k, c]
    for i in range(old.count[k]):
        for c in range(3):
            new.local[n, i, c] = old.local[k, i, c]
            new.local_b[n, i, c] = old.local_b[k, i, c]
