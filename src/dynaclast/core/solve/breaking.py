"""Loads on bonds from hits, and which bonds give way.

A hit of impulse J on a piece counts as a force J / IMPACT_TIME. A bond at graph distance d from the piece (0: its own
bonds) takes that force times 1/2 to the d. Loads of several hits add up, fall on the coarsest bonds of a chunk first
and go on from tier to tier (wear). Resting contact is not a hit: only points that met faster than a share of the pair's
pace count, so that bonds never load themselves at rest.
"""

from __future__ import annotations

import numpy as np

from ..kernels import kernel
from .model import BondTable, Hulls
from .rigid.manifolds import HIT_SHARE, Rows
from .rigid.sweep import hit_impulse
from .state import Assemblies, Contacts

IMPACT_TIME = 0.02
"""Length of a hit [s]: turns impulse into force, the same for every quality."""
FADE = 0.5
"""Share of a load that reaches bonds one step farther away."""


@kernel
def spread_load(first, force, floor, bonds: BondTable, broken, source, load, strongest, blame, reached, queue, depth):
    """Lay ``force`` [N] on piece ``first`` and spread it over the bonds around, down to ``floor``.

    load (B,) is added to; where this is a bond's largest single share (strongest), blame gets ``source``
    reached (P,) int32, depth (P,) int32, queue (P,): scratch; reached must hold no value equal to first + 1 twice in
    one call sequence, so it is cleared here for the pieces used
    """
    head, tail = 0, 1
    queue[0] = first
    reached[first] = 1
    depth[first] = 0
    while head < tail:
        p = queue[head]
        head += 1
        here = force * FADE ** depth[p]
        if here < floor:
            continue
        for k in range(bonds.link_start[p], bonds.link_start[p + 1]):
            b = bonds.link[k]
            if broken[b]:
                continue
            q = bonds.piece[b, 0] + bonds.piece[b, 1] - p
            if reached[q] and (depth[q] < depth[p] or (depth[q] == depth[p] and q < p)):
                continue  # that end has laid its load on this bond already
            load[b] += here
            if here > strongest[b]:
                strongest[b] = here
                blame[b] = source
            if not reached[q]:
                reached[q] = 1
                depth[q] = depth[p] + 1
                queue[tail] = q
                tail += 1
    for i in range(tail):
        reached[queue[i]] = 0


@kernel
def impact_loads(
    rows: Rows,
    n_rows,
    con: Contacts,
    hulls: Hulls,
    piece_body,
    piece_asm,
    asm: Assemblies,
    bonds: BondTable,
    broken,
    floor,
    load,
    blame,
    strongest,
    reached,
    depth,
    queue,
):
    """Loads (B,) [N] on all bonds from this interval's hits; blame (B,) gets the body that hit hardest, -1 the ground.

    strongest (B,), reached (P,) uint8, depth, queue (P,) int32: scratch of zeros
    Returns the number of hits on bonded assemblies.
    """
    for i in range(len(load)):
        load[i] = 0.0
        blame[i] = -2
    hits = 0
    for r in range(n_rows):
        impulse = hit_impulse(rows, r, HIT_SHARE)
        if impulse <= 0.0:
            continue
        k = rows.pair[r]
        pa = hulls.piece[con.a[k]]
        pb = hulls.piece[con.b[k]] if con.b[k] >= 0 else -1
        force = (impulse + con.hit[k]) / IMPACT_TIME  # one hit may fall on both sides of the end of an interval
        if asm.pieces[piece_asm[pa]] > 1:
            hits += 1
            spread_load(
                np.int64(pa),
                force,
                floor,
                bonds,
                broken,
                np.int64(piece_body[pb] if pb >= 0 else -1),
                load,
                strongest,
                blame,
                reached,
                queue,
                depth,
            )
        if pb >= 0 and asm.pieces[piece_asm[pb]] > 1:
            hits += 1
            spread_load(
                np.int64(pb),
                force,
                floor,
                bonds,
                broken,
                np.int64(piece_body[pa]),
                load,
                strongest,
                blame,
                reached,
                queue,
                depth,
            )
    return hits
