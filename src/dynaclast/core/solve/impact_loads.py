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
FLOOR_SHARE = 0.02
"""A load is spread until it is less than this share of the weakest bond's strength."""
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
    floor: float,
    out: BondImpacts,
    search: GraphSearch,
) -> int:
    """Loads on all bonds by this interval's impacts.

    count   : int, contacts
    broken  : (B,) uint8
    floor   : float, [N], as in ``spread_load``
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
            spread_load(hit, force, floor, source, bonds, broken, out, search)
    return hits


def make_graph_search(pieces: int) -> GraphSearch:
    return allocate(GraphSearch, pieces)


def make_bond_impacts(bonds: int) -> BondImpacts:
    return allocate(BondImpacts, bonds)


def load_floor(model: Model) -> float:
    """Load [N] below which spreading it further is of no use."""
    return FLOOR_SHARE * float(model.bonds.strength.min()) + 1.0
