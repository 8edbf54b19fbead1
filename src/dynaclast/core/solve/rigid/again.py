"""Looking again within an interval: where bodies turn or slide far, other points may meet than those found at its
start.
"""

from __future__ import annotations

import numpy as np

from ...kernels import kernel
from ..state import Assemblies, Contacts
from .assemblies import rotation
from .manifolds import Near, Rows, keep_impulses, turn_inertia

LOOK_SHARE = 0.01
"""Within an interval contact points are looked for again once their bodies' surfaces have turned by more than this
share of the smaller piece's size.
"""

SLIDE_WEIGHT = 0.25
"""What sliding along each other counts against turning."""


@kernel(inline=True)
def _since(seen, reach, r, a, b, moved, turned):
    """What a has moved against b since entry r was seen (x, y, z) [m], and how far the surfaces of both have turned
    [m].
    """
    xa, ya, za = turned[a, 0] - seen[r, 3], turned[a, 1] - seen[r, 4], turned[a, 2] - seen[r, 5]
    xb, yb, zb = turned[b, 0] - seen[r, 6], turned[b, 1] - seen[r, 7], turned[b, 2] - seen[r, 8]
    far = reach[r, 0] * np.sqrt(xa * xa + ya * ya + za * za) + reach[r, 1] * np.sqrt(xb * xb + yb * yb + zb * zb)
    return (
        moved[a, 0] - moved[b, 0] - seen[r, 0],
        moved[a, 1] - moved[b, 1] - seen[r, 1],
        moved[a, 2] - moved[b, 2] - seen[r, 2],
        far,
    )


@kernel(inner=True)
def _may_meet(nx, ny, nz, x, y, z, far, gap):
    """Whether two surfaces that were a gap apart along the normal may meet, one having moved by (x, y, z) against the
    other, and both having turned by ``far`` [m] at most. Without a normal, in whatever direction.
    """
    if nx == 0.0 and ny == 0.0 and nz == 0.0:
        return far + np.sqrt(x * x + y * y + z * z) > gap
    return far - (nx * x + ny * y + nz * z) > gap


@kernel(inner=True)
def stale_rows(rows: Rows, n_rows, near: Near, n_near, moved, turned, vel, spin, h, out):
    """Rows whose bodies have turned, or slid along each other, so far since their points were found that other points
    may meet: their indices into out (n_rows + n_near,) int32; and what is near and may meet within the next substep h
    [s], as -1 and down. Returns how many.
    """
    n = 0
    for r in range(n_rows):
        a, b = rows.a[r], rows.b[r]
        x, y, z, far = _since(rows.seen, rows.reach, r, a, b, moved, turned)
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
        x, y, z, far = _since(near.seen, near.reach, w, a, b, moved, turned)
        x, y, z = x + h * (vel[a, 0] - vel[b, 0]), y + h * (vel[a, 1] - vel[b, 1]), z + h * (vel[a, 2] - vel[b, 2])
        far += h * near.reach[w, 0] * np.sqrt(spin[a, 0] ** 2 + spin[a, 1] ** 2 + spin[a, 2] ** 2)
        far += h * near.reach[w, 1] * np.sqrt(spin[b, 0] ** 2 + spin[b, 1] ** 2 + spin[b, 2] ** 2)
        if _may_meet(near.axis[w, 0], near.axis[w, 1], near.axis[w, 2], x, y, z, far, near.gap[w]):
            out[n] = -1 - w
            n += 1
    return n


@kernel(inner=True)
def make_ready(
    rows: Rows, near: Near, again, asm: Assemblies, con: Contacts, look, turned_at, inv_mass, inv_inertia, m, which
):
    """Before the pairs of the rows ``again`` are looked at within an interval: their bodies' inertias are turned, and
    their impulses laid back into con. which (N,) int64 out: the pairs; turned_at (A,) int64: the last look for which an
    inertia was turned; m (3, 3) scratch.
    """
    for x in range(len(again)):
        r = again[x]
        k = rows.pair[r] if r >= 0 else near.pair[-1 - r]
        a, b = (rows.a[r], rows.b[r]) if r >= 0 else (near.a[-1 - r], near.b[-1 - r])
        which[x] = k
        if r >= 0:
            keep_impulses(rows, r, con)
        for side in range(2):
            c = a if side == 0 else b
            if turned_at[c] != look and inv_mass[c] > 0.0:
                turned_at[c] = look
                rotation(asm.rot[c], m)
                turn_inertia(asm, c, m, inv_inertia)
