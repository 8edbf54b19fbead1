"""Loads on bonds by impacts.

An impact of impulse J on a piece counts as a force J / IMPACT_TIME. A bond at graph distance d from the piece (0: its
own bonds) takes that force times 1/2 to the d. Loads of several impacts add up, fall on the coarsest bonds of a chunk
first and go on from tier to tier (bond_loads). Resting contact is no impact: only points that met faster than a share
of the pair's characteristic speed count, so that bonds never load themselves at rest.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..arrays import Flag, Flags, Index, Int, Mask, Scalar, allocate
from ..kernels import kernel
from .model import BondTable, Model
from .rigid.constraints import IMPACT_SPEED, ContactConstraints
from .rigid.contact_solver import impact_impulse
from .state import ContactCache

IMPACT_TIME = 0.02
"""Length of an impact [s]: turns impulse into force, the same for every quality."""
FADE = 0.5
"""Share of a load that reaches bonds one step farther away."""
FLOOR_SHARES = 0.02, 3e-4
"""A load is spread until it is less than these shares of the strength of the body's weakest bond and of their mean."""
GROUND_BODY = -1
"""In place of a body: the ground."""


class BondImpacts(NamedTuple):
    """What impacts lay on bonds.

    load      : (B,) float64, [N]
    strongest : (B,) float64, [N], the largest share of one impact
    blame     : (B,) int32, the body that gave that share, GROUND_BODY for the ground
    """

    load: Scalar
    strongest: Scalar
    blame: Int


class GraphSearch(NamedTuple):
    """Scratch of a breadth-first search over pieces.

    reached : (P,) uint8, zeros before and after
    depth   : (P,) int32
    queue   : (P,) int32
    """

    reached: Flag
    depth: Int
    queue: Int


@kernel
def spread_load(
    first: int,
    force: float,
    floor: float,
    source: int,
    bonds: BondTable,
    broken: Flags,
    out: BondImpacts,
    search: GraphSearch,
) -> None:
    """Load the bonds around piece ``first`` with ``force`` [N] and what it fades to, down to ``floor`` [N]; ``source``
    is who is to blame. Adds to out.
    """
    reached, depth, queue = search.reached, search.depth, search.queue
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
                continue  # that end has loaded this bond already
            out.load[b] += here
            if here > out.strongest[b]:
                out.strongest[b] = here
                out.blame[b] = source
            if not reached[q]:
                reached[q] = 1
                depth[q] = depth[p] + 1
                queue[tail] = q
                tail += 1
    for i in range(tail):
        reached[queue[i]] = 0


class Struck(NamedTuple):
    """What impacts fall on.

    shape_piece : (S,) int32, piece of each shape
    body        : (P,) int32
    bonded      : (P,) bool, whether a piece hangs together with others
    """

    shape_piece: Index
    body: Index
    bonded: Mask


@kernel
def load_by_impacts(
    contacts: ContactConstraints,
    count: int,
    cache: ContactCache,
    struck: Struck,
    bonds: BondTable,
    broken: Flags,
    floor: Scalar,
    out: BondImpacts,
    search: GraphSearch,
) -> int:
    """Loads on all bonds by this interval's impacts.

    count   : int, contacts
    broken  : (B,) uint8
    floor   : (P,) float64, [N], of the piece that is hit, as in ``spread_load``
    out     : zeros before
    Returns : the number of impacts on bonded pieces
    """
    hits = 0
    for r in range(count):
        impulse = impact_impulse(contacts, r, IMPACT_SPEED)
        if impulse <= 0.0:
            continue
        k = contacts.cache_index[r]
        t = cache.shape_b[k]
        pa = np.int64(struck.shape_piece[cache.shape_a[k]])
        pb = np.int64(struck.shape_piece[t]) if t >= 0 else np.int64(-1)
        force = (impulse + cache.impact_impulse[k]) / IMPACT_TIME  # one impact may fall on both sides of a boundary
        for side in range(2):
            hit, by = (pa, pb) if side == 0 else (pb, pa)
            if hit < 0 or not struck.bonded[hit]:
                continue
            hits += 1
            source = np.int64(struck.body[by] if by >= 0 else GROUND_BODY)
            spread_load(hit, force, floor[hit], source, bonds, broken, out, search)
    return hits


def make_graph_search(pieces: int) -> GraphSearch:
    return allocate(GraphSearch, pieces)


def make_bond_impacts(bonds: int) -> BondImpacts:
    return allocate(BondImpacts, bonds)


def load_floor(model: Model) -> Scalar:
    """Load (P,) [N] below which spreading it further from a piece is of no use: by the strengths of its own body,
    however small and light that is.
    """
    strength, body = model.bonds.strength, model.pieces.body[model.bonds.piece[:, 0]]
    out = np.full(len(model.pieces.body), np.inf)
    for b in np.unique(body):
        own = strength[(body == b) & (strength > 0.0)]
        if len(own):
            weakest, mean = FLOOR_SHARES
            out[model.pieces.body == b] = max(weakest * own.min(), mean * own.mean())
        else:
            out[model.pieces.body == b] = 0.0
    return out
