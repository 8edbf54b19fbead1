"""Looking again within an interval: where bodies turn or slide far, other points may meet than those found at its start."""

from __future__ import annotations

import numpy as np

from ...kernels import kernel
from ..model import Hulls, PieceTable
from ..state import Assemblies, Contacts
from .assemblies import rotation
from .broad import place_shape
from .manifolds import Near, Rows, keep_impulses, turn_inertia

LOOK_EVERY = 1
"""Substeps between looks at which rows have gone stale."""

LOOK_SHARE = 0.01
"""Within an interval contact points are looked for again once their bodies' surfaces have turned by more than this share of the smaller piece's size."""

SLIDE_WEIGHT = 0.25
"""What sliding along each other counts against turning."""


@kernel
def _may_meet(nx, ny, nz, x, y, z, far, gap):
    """Whether two surfaces that were a gap apart along the normal may meet, one having moved by (x, y, z) against the other, and both having
    turned by ``far`` [m] at most. Without a normal, in whatever direction."""
    if nx == 0.0 and ny == 0.0 and nz == 0.0:
        return far + np.sqrt(x * x + y * y + z * z) > gap
    return far - (nx * x + ny * y + nz * z) > gap


@kernel
def stale_rows(rows: Rows, n_rows, near: Near, n_near, moved, turned, vel, spin, h, out):
    """Rows whose bodies have turned, or slid along each other, so far since their points were found that other points may meet: their
    indices into out (n_rows + n_near,) int32; and what is near and may
    meet within the next substep h [s], as -1 and down. Returns how many."""
    n = 0
    for r in range(n_rows):
        a, b = rows.a[r], rows.b[r]
        xa, ya, za = turned[a, 0] - rows.seen[r, 3], turned[a, 1] - rows.seen[r, 4], turned[a, 2] - rows.seen[r, 5]
        xb, yb, zb = turned[b, 0] - rows.seen[r, 6], turned[b, 1] - rows.seen[r, 7], turned[b, 2] - rows.seen[r, 8]
        far = rows.reach[r, 0] * np.sqrt(xa * xa + ya * ya + za * za) + rows.reach[r, 1] * np.sqrt(xb * xb + yb * yb + zb * zb)
        x, y, z = moved[a, 0] - moved[b, 0] - rows.seen[r, 0], moved[a, 1] - moved[b, 1] - rows.seen[r, 1], moved[a, 2] - moved[b, 2] - rows.seen[r, 2]
        if rows.count[r] == 0:
            if _may_meet(rows.normal[r, 0], rows.normal[r, 1], rows.normal[r, 2], x, y, z, far, rows.now[r, 0]):
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
    for w in range(n_near):
        if near.gap[w] == np.inf:
            continue
        a, b = near.a[w], near.b[w]
        x = moved[a, 0] - moved[b, 0] - near.seen[w, 0] + h * (vel[a, 0] - vel[b, 0])
        y = moved[a, 1] - moved[b, 1] - near.seen[w, 1] + h * (vel[a, 1] - vel[b, 1])
        z = moved[a, 2] - moved[b, 2] - near.seen[w, 2] + h * (vel[a, 2] - vel[b, 2])
        xa, ya, za = turned[a, 0] - near.seen[w, 3], turned[a, 1] - near.seen[w, 4], turned[a, 2] - near.seen[w, 5]
        xa, ya, za = xa + h * spin[a, 0], ya + h * spin[a, 1], za + h * spin[a, 2]
        xb, yb, zb = turned[b, 0] - near.seen[w, 6], turned[b, 1] - near.seen[w, 7], turned[b, 2] - near.seen[w, 8]
        xb, yb, zb = xb + h * spin[b, 0], yb + h * spin[b, 1], zb + h * spin[b, 2]
        far = near.reach[w, 0] * np.sqrt(xa * xa + ya * ya + za * za) + near.reach[w, 1] * np.sqrt(xb * xb + yb * yb + zb * zb)
        if _may_meet(near.axis[w, 0], near.axis[w, 1], near.axis[w, 2], x, y, z, far, near.gap[w]):
            out[n] = -1 - w
            n += 1
    return n


@kernel
def make_ready(rows: Rows, near: Near, again, hulls: Hulls, pieces: PieceTable, piece_asm, asm: Assemblies, con: Contacts, stamp, wverts, wnormals, wcenter, inv_mass, inv_inertia, m, which):
    """Before the pairs of the rows ``again`` are looked at within an interval: their shapes are placed, their bodies' inertias turned, and their
    impulses laid back into con. which (N,) int64 out: the pairs; stamp (S,) uint8 scratch of zeros, left so; m (3, 3) scratch."""
    for x in range(len(again)):
        r = again[x]
        k = rows.pair[r] if r >= 0 else near.pair[-1 - r]
        a, b = (rows.a[r], rows.b[r]) if r >= 0 else (near.a[-1 - r], near.b[-1 - r])
        which[x] = k
        if r >= 0:
            keep_impulses(rows, r, con)
        for side in range(2):
            c, s = (a, con.a[k]) if side == 0 else (b, con.b[k])
            if s < 0 or stamp[s] or asm.held[c] == 1 or asm.asleep[c]:
                continue
            stamp[s] = 1
            rotation(asm.rot[c], m)
            place_shape(hulls, pieces, asm, s, c, m, wverts, wnormals, wcenter)
            if inv_mass[c] > 0.0:
                turn_inertia(asm, c, m, inv_inertia)
    for x in range(len(again)):
        k = which[x]
        stamp[con.a[k]] = 0
        if con.b[k] >= 0:
            stamp[con.b[k]] = 0
