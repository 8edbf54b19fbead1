"""Coarser levels of a mesh, and the cycle over them that roughly inverts the matrix.

Nodes are thinned out over the pattern of the matrix: a node stays if none of its neighbours does. One that goes lies
between up to three that stay, so that what is linear over the surface at rest is carried exactly. The matrix of a
coarser level is P'AP (Galerkin). A cycle goes down with a forward sweep (Gauss and Seidel) and up with a backward one,
so that it is symmetric and positive: it serves in conjugate gradients.

Source: Trottenberg, Oosterlee and Schueller 2001, "Multigrid".
"""

from __future__ import annotations

from itertools import combinations
from typing import NamedTuple

import numpy as np

from ...arrays import Array, Index, Mask
from .pattern import block_of, block_pattern
from .tables import BlockPattern, Levels

COARSEST = 24
"""A body is not thinned out below so many nodes."""
NEAREST = 8
"""Among so many of the nearest that stay, a node looks for those it lies between."""
SWEEPS = 4
"""Forward and backward sweeps on the coarsest level."""
CLOSE = 1.5
"""A node is near one that stays if it is its neighbour, or a neighbour's within so many of its mean edge lengths."""
SMALL = 1e-9


class Thinned(NamedTuple):
    """One body's step from a level to the next.

    kept   : (k,) int, nodes that stay, ascending
    parent : (n, 3) int, places in kept, -1 where there is none
    weight : (n, 3) float64
    """

    kept: Index
    parent: Index
    weight: Array


def keep(x: Array, pattern: BlockPattern, free: Mask) -> Index:
    """Nodes that stay: none near another, those with few neighbours (corners, rims) first.

    x    : (n, 3) float64, at rest
    free : (n,) bool; what is pinned never stays
    """
    count = np.diff(pattern.start)
    row = np.repeat(np.arange(len(x)), count)
    length = np.linalg.norm(x[pattern.column] - x[row], axis=1)
    reach = CLOSE * np.bincount(row, length, len(x)) / np.maximum(count - 1, 1)
    taken, out = ~free, np.zeros(len(x), bool)
    for i in np.argsort(count, kind="stable"):
        if not taken[i]:
            out[i] = True
            ring = pattern.column[pattern.start[i] : pattern.start[i + 1]]
            taken[ring] = True
            wider = np.concatenate([pattern.column[pattern.start[j] : pattern.start[j + 1]] for j in ring])
            taken[wider[((x[wider] - x[i]) ** 2).sum(axis=1) <= reach[i] ** 2]] = True
    return np.flatnonzero(out)


def parents(x: Array, normal: Array, pattern: BlockPattern, kept: Index, free: Mask) -> tuple[Index, Array]:
    """What each node lies between, of those that stay, at most two steps away.

    x, normal : (n, 3) float64, at rest
    free      : (n,) bool; what is pinned has no parents
    Returns   : (n, 3) int, places in kept or -1; (n, 3) float64
    """
    n = len(x)
    place = np.full(n, -1)
    place[kept] = np.arange(len(kept))
    near = np.full((n, NEAREST), -1)
    for i in np.flatnonzero(free & (place < 0)):
        ring = pattern.column[pattern.start[i] : pattern.start[i + 1]]
        wider = np.unique(np.concatenate([pattern.column[pattern.start[j] : pattern.start[j + 1]] for j in ring]))
        own = wider[place[wider] >= 0]
        far = ((x[own] - x[i]) ** 2).sum(axis=1)
        own = own[np.argsort(far, kind="stable")[:NEAREST]]
        near[i, : len(own)] = place[own]
    parent, weight = np.full((n, 3), -1), np.zeros((n, 3))
    parent[kept, 0], weight[kept, 0] = place[kept], 1.0
    rest = np.flatnonzero(near[:, 0] >= 0)
    if len(rest):
        parent[rest], weight[rest] = _between(x[rest], normal[rest], x[kept], near[rest])
    return parent, weight


def _between(x: Array, normal: Array, other: Array, near: Index) -> tuple[Index, Array]:
    """The three of the nearest (n, NEAREST) that points (n, 3) lie between, with the least sum of squared distances by
    share; where there are none, the place on the line through two that comes closest.
    """
    n = len(x)
    arm = other[near] - x[:, None]
    e1 = arm[:, 0] - np.einsum("nc,nc->n", arm[:, 0], normal)[:, None] * normal
    e1 /= np.maximum(np.linalg.norm(e1, axis=1), 1e-300)[:, None]
    e2 = np.cross(normal, e1)
    u, v = np.einsum("nkc,nc->nk", arm, e1), np.einsum("nkc,nc->nk", arm, e2)
    far = (arm**2).sum(axis=2)
    known = near >= 0
    best, parent, weight = np.full(n, np.inf), np.full((n, 3), -1), np.zeros((n, 3))
    parent[:, 0], weight[:, 0] = near[:, 0], 1.0
    scale = far[:, 0]
    for a, b, c in combinations(range(NEAREST), 3):
        cross = (u[:, b] - u[:, a]) * (v[:, c] - v[:, a]) - (u[:, c] - u[:, a]) * (v[:, b] - v[:, a])
        good = known[:, c] & (np.abs(cross) > 1e-6 * scale)
        divisor = np.where(good, cross, 1.0)
        wb = (v[:, a] * (u[:, c] - u[:, a]) - u[:, a] * (v[:, c] - v[:, a])) / divisor
        wc = (u[:, a] * (v[:, b] - v[:, a]) - v[:, a] * (u[:, b] - u[:, a])) / divisor
        share = np.stack([1 - wb - wc, wb, wc], axis=1)
        cost = (np.maximum(share, 0) * far[:, [a, b, c]]).sum(axis=1)
        better = good & (share.min(axis=1) > -SMALL) & (cost < best * (1 - SMALL))
        best[better] = cost[better]
        parent[better] = near[better][:, [a, b, c]]
        weight[better] = np.maximum(share[better], 0)
    lone = ~np.isfinite(best)
    for a, b in combinations(range(NEAREST), 2):
        way = arm[:, b] - arm[:, a]
        share = np.clip(-np.einsum("nc,nc->n", arm[:, a], way) / np.maximum((way**2).sum(axis=1), 1e-300), 0, 1)
        cost = ((arm[:, a] + share[:, None] * way) ** 2).sum(axis=1) + 1e-3 * far[:, b]
        better = lone & known[:, b] & (cost < best * (1 - SMALL))
        best[better] = cost[better]
        parent[better] = np.stack([near[better, a], near[better, b], np.full(better.sum(), -1)], axis=1)
        weight[better] = np.stack([1 - share[better], share[better], np.zeros(better.sum())], axis=1)
    weight[weight < 1e-6] = 0.0
    weight /= weight.sum(axis=1)[:, None]
    parent[weight == 0.0] = -1
    return parent, weight


def thin_out(x: Array, normal: Array, pattern: BlockPattern, free: Mask) -> Thinned:
    """A body's next level; itself, where it is small or would not get smaller."""
    n = len(x)
    kept = keep(x, pattern, free) if n > COARSEST else np.flatnonzero(free)
    if not len(kept) or len(kept) > 0.7 * n:
        kept = np.flatnonzero(free)
    parent, weight = parents(x, normal, pattern, kept, free)
    return Thinned(kept, parent, weight)


def build_levels(
    first: Index, by_levels: Mask, x: Array, normal: Array, pairs: Index, mass: Array, pinned: Mask
) -> tuple[BlockPattern, Levels]:
    """All levels of all bodies.

    first     : (B + 1,) int, vertices of each body
    by_levels : (B,) bool, which bodies have levels
    x, normal : (N, 3) float64, at rest
    pairs     : (n, 2) int, vertices that share an element
    mass      : (N,) float64, [N/m], over the square of the step
    pinned    : (N,) bool
    """
    bodies, n = len(first) - 1, len(x)
    rows = [np.asarray(first, np.int64)]  # of each level, nodes of each body
    pattern = block_pattern(pairs, n)
    at, around, free, mass_of = x, normal, ~np.asarray(pinned, bool), mass
    where, offset, own_pairs = np.asarray(first, np.int64), 0, pairs
    parent_of, weight_of, masses, joined = [], [], [mass], [pairs]
    while any(by_levels[b] and where[b + 1] - where[b] > COARSEST for b in range(bodies)):
        kept, parent, weight, count = [], [], [], 0
        local = block_pattern(own_pairs, len(at))
        starts = [0]
        for b in range(bodies):
            a, z = where[b], where[b + 1]
            if by_levels[b] and z > a:
                own = _of_rows(local, a, z)
                step = thin_out(at[a:z], around[a:z], own, free[a:z])
                kept.append(step.kept + a)
                parent.append(np.where(step.parent >= 0, step.parent + count, -1))
                weight.append(step.weight)
                count += len(step.kept)
            else:
                parent.append(np.full((z - a, 3), -1))
                weight.append(np.zeros((z - a, 3)))
            starts.append(count)
        stays = np.concatenate([np.zeros(0, int), *kept])
        if len(stays) == sum(int(where[b + 1] - where[b]) for b in range(bodies) if by_levels[b]):
            break
        above, share = np.concatenate(parent), np.concatenate(weight)
        next_offset = offset + len(at)
        parent_of.append(np.where(above >= 0, above + next_offset, -1))
        weight_of.append(share)
        mass_next = np.zeros(count)
        for k in range(3):
            good = above[:, k] >= 0
            np.add.at(mass_next, above[good, k], share[good, k] * mass_of[good])
        i, j = own_pairs[:, 0], own_pairs[:, 1]
        i, j = np.concatenate([i, np.arange(len(at))]), np.concatenate([j, np.arange(len(at))])
        both = np.stack([(above[i, p], above[j, q]) for p in range(3) for q in range(3)], axis=0)
        both = np.swapaxes(both, 1, 2).reshape(-1, 2)
        both = both[(both >= 0).all(axis=1)]
        own_pairs = np.unique(np.sort(both, axis=1), axis=0)
        own_pairs = own_pairs[own_pairs[:, 0] != own_pairs[:, 1]]
        at, around, free, mass_of = at[stays], around[stays], np.ones(count, bool), mass_next
        where, offset = np.asarray(starts), next_offset
        rows.append(where + offset)
        masses.append(mass_next)
        joined.append(own_pairs + offset)
    total = offset + len(at)
    parent_of.append(np.full((len(at), 3), -1))
    weight_of.append(np.zeros((len(at), 3)))
    pattern = block_pattern(np.concatenate(joined), total)
    parent3, weight3 = np.concatenate(parent_of), np.concatenate(weight_of)
    spread = _spread(pattern, parent3, weight3)
    has = parent3 >= 0
    start = np.concatenate([[0], np.cumsum(has.sum(axis=1))]).astype(np.int32)
    return pattern, Levels(
        np.stack(rows).astype(np.int32),
        np.concatenate(masses),
        start,
        parent3[has].astype(np.int32),
        weight3[has],
        *spread,
    )


def _of_rows(pattern: BlockPattern, first: int, last: int) -> BlockPattern:
    """The pattern of one body's nodes, numbered from 0."""
    a, z = pattern.start[first], pattern.start[last]
    none = np.zeros(0, np.int32)
    return BlockPattern(pattern.start[first : last + 1] - a, pattern.column[a:z] - first, none, none)


def _spread(pattern: BlockPattern, parent: Index, weight: Array) -> tuple[Index, Index, Array, Index]:
    """Where blocks go on the next level (Levels.spread_start, target, share, flip)."""
    rows = np.repeat(np.arange(len(pattern.diagonal)), np.diff(pattern.start))
    upper = np.flatnonzero(rows <= pattern.column)
    i, j = rows[upper], pattern.column[upper]
    source, target, share, flip = [], [], [], []
    for p in range(3):
        for q in range(3):
            a, b, w = parent[i, p], parent[j, q], weight[i, p] * weight[j, q]
            on = i == j
            good = (a >= 0) & (b >= 0) & ~(on & (a > b))  # a diagonal block is symmetric: once is enough
            low, high = np.minimum(a[good], b[good]), np.maximum(a[good], b[good])
            source.append(upper[good])
            target.append(block_of(pattern, low, high))
            share.append(w[good])
            same = (low == high) & ~on[good]
            flip.append(np.where(same, 2, np.where(a[good] > b[good], 1, 0)))
    where = np.concatenate(source)
    order = np.argsort(where, kind="stable")
    start = np.searchsorted(where[order], np.arange(len(rows) + 1)).astype(np.int32)
    return (
        start,
        np.concatenate(target)[order],
        np.concatenate(share)[order].astype(np.float32),
        np.concatenate(flip)[order].astype(np.uint8),
    )
