"""Coarser levels of a mesh, and the cycle over them that roughly inverts the matrix.

Nodes are thinned out over the pattern of the matrix: a node stays if none of its neighbours does. One that goes lies
between up to three that stay, so that what is linear over the surface at rest is carried exactly. The matrix of a
coarser level is P'AP (Galerkin). A cycle goes down with a backward sweep (Gauss and Seidel) and up with a forward one,
so that it is symmetric and positive: it serves in conjugate gradients.

Source: Trottenberg, Oosterlee and Schueller 2001, "Multigrid".
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from ...arrays import Array, Flags, Index, Mask, lengths, sums
from ...kernels import kernel
from .pattern import block_of, block_pattern, neighbours
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


def keep(x: Array, near: sparse.csr_matrix, free: Mask) -> Index:
    """Nodes that stay: none near another, those with few neighbours (corners, rims) first.

    x    : (n, 3) float64, at rest
    near : (n, n), of neighbours
    free : (n,) bool; what is pinned never stays
    """
    count = np.diff(near.indptr)
    row = np.repeat(np.arange(len(x)), count)
    length = lengths(x[near.indices] - x[row])
    reach = CLOSE * np.bincount(row, length, len(x)) / np.maximum(count - 1, 1)
    taken, out = (~free).astype(np.uint8), np.zeros(len(x), np.uint8)
    keep_apart(np.argsort(count, kind="stable"), near.indptr, near.indices, x, reach**2, taken, out)
    return np.flatnonzero(out)


@kernel
def keep_apart(order: Index, start: Index, column: Index, x: Array, reach2: Array, taken: Flags, out: Flags) -> None:
    """Keep nodes one by one, where nothing near is kept already: no neighbour, and no neighbour's within reach.

    order  : (n,) int64, in which they are asked
    start, column : of their pattern
    reach2 : (n,) float64, [m2]
    taken  : (n,) uint8, near one that is kept, written; out (n,) uint8, kept, written
    """
    for i in order:
        if taken[i]:
            continue
        out[i] = 1
        for e in range(start[i], start[i + 1]):
            j = column[e]
            taken[j] = 1
            for f in range(start[j], start[j + 1]):
                k = column[f]
                if (x[k, 0] - x[i, 0]) ** 2 + (x[k, 1] - x[i, 1]) ** 2 + (x[k, 2] - x[i, 2]) ** 2 <= reach2[i]:
                    taken[k] = 1


def parents(x: Array, normal: Array, next_to: sparse.csr_matrix, kept: Index, free: Mask) -> tuple[Index, Array]:
    """What each node lies between, of those that stay, at most two steps away.

    x, normal : (n, 3) float64, at rest
    next_to   : (n, n), of neighbours
    free      : (n,) bool; what is pinned has no parents
    Returns   : (n, 3) int, places in kept or -1; (n, 3) float64
    """
    n = len(x)
    place = np.full(n, -1)
    place[kept] = np.arange(len(kept))
    near = np.full((n, NEAREST), -1)
    rest = np.flatnonzero(free & (place < 0))
    two_steps = (next_to[rest] @ next_to[:, kept]).tocoo()
    row, other = two_steps.row, two_steps.col
    far = ((x[kept[other]] - x[rest[row]]) ** 2).sum(axis=1)
    order = np.lexsort((other, far, row))
    row, other = row[order], other[order]
    rank = np.arange(len(row)) - np.searchsorted(row, row)
    some = rank < NEAREST
    near[rest[row[some]], rank[some]] = other[some]
    parent, weight = np.full((n, 3), -1), np.zeros((n, 3))
    parent[kept, 0], weight[kept, 0] = place[kept], 1.0
    rest = np.flatnonzero(near[:, 0] >= 0)
    between, share = np.full((len(rest), 3), -1), np.zeros((len(rest), 3))
    lie_between(x[rest], normal[rest], x[kept], near[rest], between, share)
    share[share < 1e-6] = 0.0
    share /= share.sum(axis=1)[:, None]
    between[share == 0.0] = -1
    parent[rest], weight[rest] = between, share
    return parent, weight


@kernel
def lie_between(x: Array, normal: Array, other: Array, near: Index, parent: Index, weight: Array) -> None:
    """The three of the nearest that points lie between, with the least sum of squared distances by share; where there
    are none, the place on the line through two that comes closest.

    x, normal : (n, 3) float64; other (k, 3) float64
    near      : (n, NEAREST) int64, places in other, -1 where there are fewer
    parent    : (n, 3) int64, -1 where there is none, written; weight (n, 3) float64, written
    """
    for i in range(len(x)):
        e = other[near[i, 0]]
        ax, ay, az = e[0] - x[i, 0], e[1] - x[i, 1], e[2] - x[i, 2]
        nx, ny, nz = normal[i, 0], normal[i, 1], normal[i, 2]
        up = ax * nx + ay * ny + az * nz
        ux, uy, uz = ax - up * nx, ay - up * ny, az - up * nz
        long = max(np.sqrt(ux * ux + uy * uy + uz * uz), 1e-300)
        ux, uy, uz = ux / long, uy / long, uz / long
        vx, vy, vz = ny * uz - nz * uy, nz * ux - nx * uz, nx * uy - ny * ux
        scale = ax * ax + ay * ay + az * az
        parent[i, 0], parent[i, 1], parent[i, 2] = near[i, 0], -1, -1
        weight[i, 0], weight[i, 1], weight[i, 2] = 1.0, 0.0, 0.0
        best, count = np.inf, 0
        while count < NEAREST and near[i, count] >= 0:
            count += 1
        for p in range(count):
            a = other[near[i, p]]
            a0, a1, a2 = a[0] - x[i, 0], a[1] - x[i, 1], a[2] - x[i, 2]
            far_a, au, av = a0 * a0 + a1 * a1 + a2 * a2, a0 * ux + a1 * uy + a2 * uz, a0 * vx + a1 * vy + a2 * vz
            for q in range(p + 1, count):
                b = other[near[i, q]]
                b0, b1, b2 = b[0] - x[i, 0], b[1] - x[i, 1], b[2] - x[i, 2]
                far_b, bu, bv = b0 * b0 + b1 * b1 + b2 * b2, b0 * ux + b1 * uy + b2 * uz, b0 * vx + b1 * vy + b2 * vz
                for r in range(q + 1, count):
                    c = other[near[i, r]]
                    c0, c1, c2 = c[0] - x[i, 0], c[1] - x[i, 1], c[2] - x[i, 2]
                    cu, cv = c0 * ux + c1 * uy + c2 * uz, c0 * vx + c1 * vy + c2 * vz
                    cross = (bu - au) * (cv - av) - (bv - av) * (cu - au)
                    if abs(cross) <= 1e-6 * scale:
                        continue
                    wb = (av * (cu - au) - au * (cv - av)) / cross
                    wc = (au * (bv - av) - av * (bu - au)) / cross
                    wa = 1.0 - wb - wc
                    if wa <= -SMALL or wb <= -SMALL or wc <= -SMALL:
                        continue
                    wa, wb, wc = max(wa, 0.0), max(wb, 0.0), max(wc, 0.0)
                    cost = wa * far_a + wb * far_b + wc * (c0 * c0 + c1 * c1 + c2 * c2)
                    if cost < best * (1.0 - SMALL):
                        best = cost
                        parent[i, 0], parent[i, 1], parent[i, 2] = near[i, p], near[i, q], near[i, r]
                        weight[i, 0], weight[i, 1], weight[i, 2] = wa, wb, wc
        if np.isfinite(best):
            continue
        for p in range(count):
            a = other[near[i, p]]
            a0, a1, a2 = a[0] - x[i, 0], a[1] - x[i, 1], a[2] - x[i, 2]
            for q in range(p + 1, count):
                b = other[near[i, q]]
                b0, b1, b2 = b[0] - x[i, 0], b[1] - x[i, 1], b[2] - x[i, 2]
                w0, w1, w2 = b0 - a0, b1 - a1, b2 - a2
                share = -(a0 * w0 + a1 * w1 + a2 * w2) / max(w0 * w0 + w1 * w1 + w2 * w2, 1e-300)
                share = min(max(share, 0.0), 1.0)
                cost = (a0 + share * w0) ** 2 + (a1 + share * w1) ** 2 + (a2 + share * w2) ** 2
                cost += 1e-3 * (b0 * b0 + b1 * b1 + b2 * b2)
                if cost < best * (1.0 - SMALL):
                    best = cost
                    parent[i, 0], parent[i, 1], parent[i, 2] = near[i, p], near[i, q], -1
                    weight[i, 0], weight[i, 1], weight[i, 2] = 1.0 - share, share, 0.0


def thin_out(x: Array, normal: Array, near: sparse.csr_matrix, free: Mask) -> Thinned:
    """A body's next level; itself, where it is small or would not get smaller."""
    n = len(x)
    kept = keep(x, near, free) if n > COARSEST else np.flatnonzero(free)
    if not len(kept) or len(kept) > 0.7 * n:
        kept = np.flatnonzero(free)
    parent, weight = parents(x, normal, near, kept, free)
    return Thinned(kept, parent, weight)


@dataclass(frozen=True)
class BodyLevels:
    """The levels of one body, each with its nodes numbered from 0; the first has its vertices.

    count  : nodes of each level
    pairs  : (n, 2) int, of each level, nodes that share a block
    parent : (nodes, 3) int, of each level but the last, as Thinned; weight (nodes, 3) float64
    """

    count: list[int]
    pairs: list[Index]
    parent: list[Index]
    weight: list[Array]


def body_levels(x: Array, normal: Array, pairs: Index, pinned: Mask, thins: bool) -> BodyLevels:
    """All levels of a body.

    x, normal : (n, 3) float64, at rest
    pairs     : (m, 2) int, vertices that share an element
    pinned    : (n,) bool
    thins     : bool, whether it has levels
    """
    out = BodyLevels([len(x)], [pairs], [], [])
    free = ~np.asarray(pinned, bool)
    while thins and len(x) > COARSEST:
        step = thin_out(x, normal, neighbours(pairs, len(x)), free)
        if len(step.kept) == len(x):
            break
        i, j = pairs[:, 0], pairs[:, 1]
        i, j = np.concatenate([i, np.arange(len(x))]), np.concatenate([j, np.arange(len(x))])
        both = np.stack([(step.parent[i, p], step.parent[j, q]) for p in range(3) for q in range(3)], axis=0)
        both = np.swapaxes(both, 1, 2).reshape(-1, 2)
        both = both[(both[:, 0] >= 0) & (both[:, 1] >= 0) & (both[:, 0] != both[:, 1])]
        key = np.unique(both.min(axis=1).astype(np.int64) * len(x) + both.max(axis=1))
        pairs = np.stack([key // len(x), key % len(x)], axis=1)
        x, normal, free = x[step.kept], normal[step.kept], np.ones(len(step.kept), bool)
        out.parent.append(step.parent)
        out.weight.append(step.weight)
        out.count.append(len(x))
        out.pairs.append(pairs)
    return out


def stack_levels(bodies: list[BodyLevels], mass: Array) -> tuple[BlockPattern, Levels]:
    """Levels of all bodies, level by level.

    mass : (N,) float64, [N/m], over the square of the step, of all vertices
    """
    depth = max((len(b.count) for b in bodies), default=1)
    counts = np.array([[b.count[k] if k < len(b.count) else 0 for b in bodies] for k in range(depth)], np.int64)
    counts = counts.reshape(depth, len(bodies))
    offset = np.concatenate([[0], np.cumsum(counts.sum(axis=1))])
    first = offset[:-1, None] + np.concatenate([np.zeros((depth, 1), np.int64), np.cumsum(counts, axis=1)], axis=1)
    parent_of: list[Index] = []
    weight_of: list[Array] = []
    masses, joined = [mass], [np.zeros((0, 2), np.int64)]
    for level in range(depth):
        parent: list[Index] = [np.zeros((0, 3), np.int64)]
        weight: list[Array] = [np.zeros((0, 3))]
        for b, own in enumerate(bodies):
            if level < len(own.pairs):
                joined.append(own.pairs[level] + first[level, b])
            if level < len(own.parent):
                parent.append(np.where(own.parent[level] >= 0, own.parent[level] + first[level + 1, b], -1))
                weight.append(own.weight[level])
            else:
                parent.append(np.full((counts[level, b], 3), -1))
                weight.append(np.zeros((counts[level, b], 3)))
        parent_of.append(np.concatenate(parent))
        weight_of.append(np.concatenate(weight))
        if level + 1 < depth:
            above, share = parent_of[-1], weight_of[-1]
            good = above >= 0
            carried = (share * masses[-1][:, None])[good]
            masses.append(sums(carried, above[good] - offset[level + 1], int(counts[level + 1].sum())))
    pattern = block_pattern(np.concatenate(joined), int(offset[-1]))
    parent3, weight3 = np.concatenate(parent_of), np.concatenate(weight_of)
    spread = _spread(pattern, parent3, weight3)
    has = parent3 >= 0
    start = np.concatenate([[0], np.cumsum(has.sum(axis=1))]).astype(np.int32)
    return pattern, Levels(
        first.astype(np.int32), np.concatenate(masses), start, parent3[has].astype(np.int32), weight3[has], *spread
    )


def _spread(pattern: BlockPattern, parent: Index, weight: Array) -> tuple[Index, Index, NDArray[np.float32], Flags]:
    """Where blocks go on the next level (Levels.spread_start, target, share, flip)."""
    i, j = np.repeat(np.arange(len(pattern.start) - 1), np.diff(pattern.start)), pattern.column
    source: list[Index] = []
    target: list[Index] = []
    share: list[Array] = []
    flip: list[Index] = []
    for p in range(3):
        for q in range(3):
            a, b, w = parent[i, p], parent[j, q], weight[i, p] * weight[j, q]
            on = i == j
            good = (a >= 0) & (b >= 0) & ~(on & (a > b))  # a diagonal block is symmetric: once is enough
            low, high = np.minimum(a[good], b[good]), np.maximum(a[good], b[good])
            source.append(np.flatnonzero(good))
            target.append(block_of(pattern, low, high))
            share.append(w[good])
            same = (low == high) & ~on[good]
            flip.append(np.where(same, 2, np.where(a[good] > b[good], 1, 0)))
    where = np.concatenate(source)
    order = np.argsort(where, kind="stable")
    start = np.searchsorted(where[order], np.arange(len(i) + 1)).astype(np.int32)
    return (
        start,
        np.concatenate(target)[order],
        np.concatenate(share)[order].astype(np.float32),
        np.concatenate(flip)[order].astype(np.uint8),
    )
