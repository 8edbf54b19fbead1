"""A sparse symmetric positive definite system over pieces, six freedoms each, of which a little changes at a time.

The multifrontal method: pieces are taken apart by nested dissection into fronts, each of which passes on to the one
above it what it leaves of the system there (its Schur complement). Where a bond breaks, the fronts from there to the
top are factored anew and no others. Each is made of the same numbers by the same steps as if all were, so a factor does
not hang on how it came about.

Sources: George 1973, "Nested Dissection of a Regular Finite Element Mesh", doi 10.1137/0710032; Liu 1992, "The
Multifrontal Method for Sparse Matrix Solution", doi 10.1137/1034004; of factoring parts anew, Herholz and Alexa 2018,
"Factor Once", doi 10.1145/3272127.3275107.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from scipy.linalg.lapack import dpotrf, dtrtri
from scipy.sparse import csr_matrix

from ..arrays import Array, Index, Mask
from ..kernels import kernel

LEAF = 16
"""Pieces that are not taken further apart."""
SPARE = 1e-12
"""Added to a front's diagonal, as a share of its greatest, where rounding took it below zero."""


class Fronts(NamedTuple):
    """Pieces by the fronts that eliminate them; G fronts, each after all below it.

    parent : (G,) int64, the front that takes on what it leaves; -1 where nothing is left
    own    : of each front (n,) int64, the pieces it eliminates
    edge   : of each front (m,) int64, the pieces of fronts above that it reaches
    of     : (P,) int64, the front of each piece
    """

    parent: Index
    own: list[Index]
    edge: list[Index]
    of: Index


def fronts_of(center: Array, piece: Index) -> Fronts:
    """Fronts of pieces with centres (P, 3) [m] that bonds (B, 2) join."""
    joined = np.concatenate([piece, piece[:, ::-1]])
    beside = csr_matrix((np.ones(len(joined), np.int32), joined.T), shape=(len(center),) * 2)
    own: list[Index] = []

    def dissect(nodes: Index) -> None:
        apart = _apart(center, beside, nodes) if len(nodes) > LEAF else None
        if apart is None:
            own.append(nodes)
            return
        for part in apart[:2]:
            dissect(part)
        own.append(apart[2])

    dissect(np.arange(len(center)))
    own = [nodes for nodes in own if len(nodes)]
    of, place = np.zeros(len(center), np.int64), np.zeros(len(center), np.int64)
    of[np.concatenate([np.zeros(0, np.int64), *own])] = np.repeat(np.arange(len(own)), [len(nodes) for nodes in own])
    place[np.concatenate([np.zeros(0, np.int64), *own])] = np.arange(len(center))
    edge: list[Index] = []
    parent = np.full(len(own), -1)
    reached: list[list[Index]] = [[] for _ in own]
    for front, nodes in enumerate(own):
        around = np.unique(np.concatenate([beside[nodes].indices, *reached[front]])).astype(np.int64)
        around = around[of[around] > front]
        edge.append(around[np.argsort(place[around])])
        if len(around):
            parent[front] = of[around].min()
            reached[parent[front]].append(around)
    return Fronts(parent, own, edge, of)


def _apart(center: Array, beside: csr_matrix, nodes: Index) -> tuple[Index, Index, Index] | None:
    """Two lots of pieces that nothing joins, and the few that keep them apart; None where these would be half."""
    spread = center[nodes]
    order = np.argsort(spread[:, int(np.argmax(np.ptp(spread, axis=0)))], kind="stable")
    side = np.zeros(len(center), np.int8)
    halves = [nodes[order[: len(nodes) // 2]], nodes[order[len(nodes) // 2 :]]]
    side[halves[0]], side[halves[1]] = 1, 2
    seams = [half[beside[half] @ (side == 2 - k) > 0] for k, half in enumerate(halves)]
    small = int(len(seams[1]) < len(seams[0]))
    if 2 * len(seams[small]) > len(nodes):
        return None
    halves[small] = np.setdiff1d(halves[small], seams[small])
    return np.sort(halves[0]), np.sort(halves[1]), np.sort(seams[small])


@kernel
def add_blocks(matrix: Array, bonds: Index, active: Mask, piece: Index, block: Array, at: Index) -> None:
    """Add the stiffness of bonds to a front's matrix.

    matrix : (6 n, 6 n) float64, in and out
    bonds  : (m,) int64; active : (B,) bool; piece : (B, 2) int32; block : (B, 12, 12) float64
    at     : (P,) int64, places of pieces in the front; -1 of those that do not move
    """
    for b in bonds:
        if not active[b]:
            continue
        for side in range(2):
            row = 6 * at[piece[b, side]]
            if row < 0:
                continue
            for other in range(2):
                column = 6 * at[piece[b, other]]
                if column < 0:
                    continue
                for i in range(6):
                    for j in range(6):
                        matrix[row + i, column + j] += block[b, 6 * side + i, 6 * other + j]


@kernel
def add_left(matrix: Array, left: Array, nodes: Index, at: Index) -> None:
    """Add what a front below leaves (6 m, 6 m) of its pieces (m,) to a matrix (6 n, 6 n), at their places (P,)."""
    for p in range(len(nodes)):
        row = 6 * at[nodes[p]]
        for q in range(len(nodes)):
            column = 6 * at[nodes[q]]
            for i in range(6):
                for j in range(6):
                    matrix[row + i, column + j] += left[6 * p + i, 6 * q + j]


class Factors(NamedTuple):
    """Factors of all fronts in a row; G fronts.

    nodes  : (N,) int64, own pieces of each front that move, then those of its edge
    first  : (G,) int64, where its nodes begin; many (G, 2) int64, how many of both there are
    number : (L,) float64, of each front the inverse (6 n, 6 n) of its triangle, then what is below that (6 m, 6 n)
    start  : (G,) int64, where its numbers begin
    """

    nodes: Index
    first: Index
    many: Index
    number: Array
    start: Index


@kernel
def substitute(factors: Factors, use: Mask, x: Array, own: Array) -> None:
    """Solve forwards and backwards.

    use : (G,) bool, the fronts of pieces that are loaded or joined to such
    x   : (P, 6) float64, in: loads; out: what they cause; of pieces that do not move as it was
    own : (E,) float64, scratch: as many as any front has freedoms of its own
    """
    number = factors.number
    for g in range(len(use)):
        if not use[g]:
            continue
        nodes, start, wide = factors.first[g], factors.start[g], 6 * factors.many[g, 0]
        _gather(factors.nodes, nodes, x, wide, own)
        for row in range(wide - 6, -1, -6):  # from below, since each takes those before it
            at = start + row * wide
            own[row], own[row + 1], own[row + 2], own[row + 3], own[row + 4], own[row + 5] = _times(
                number, at, wide, row + 6, own
            )
        _scatter(factors.nodes, nodes, own, wide, x)
        for p in range(factors.many[g, 1]):
            a, b, c, d, e, f = _times(number, start + (wide + 6 * p) * wide, wide, wide, own)
            n = factors.nodes[nodes + factors.many[g, 0] + p]
            x[n, 0] -= a
            x[n, 1] -= b
            x[n, 2] -= c
            x[n, 3] -= d
            x[n, 4] -= e
            x[n, 5] -= f
    for back in range(len(use)):
        g = len(use) - 1 - back
        if not use[g]:
            continue
        nodes, start, wide = factors.first[g], factors.start[g], 6 * factors.many[g, 0]
        _gather(factors.nodes, nodes, x, wide, own)
        for p in range(factors.many[g, 1]):
            n = factors.nodes[nodes + factors.many[g, 0] + p]
            times = -x[n, 0], -x[n, 1], -x[n, 2], -x[n, 3], -x[n, 4], -x[n, 5]
            _add_times(number, start + (wide + 6 * p) * wide, wide, wide, times, own)
        for row in range(0, wide, 6):
            times = own[row], own[row + 1], own[row + 2], own[row + 3], own[row + 4], own[row + 5]
            own[row : row + 6] = 0.0
            _add_times(number, start + row * wide, wide, row + 6, times, own)
        _scatter(factors.nodes, nodes, own, wide, x)


@kernel(inline=True)
def _gather(nodes: Index, first: int, x: Array, wide: int, own: Array) -> None:
    for k in range(wide):
        own[k] = x[nodes[first + k // 6], k % 6]


@kernel(inline=True)
def _scatter(nodes: Index, first: int, own: Array, wide: int, x: Array) -> None:
    for k in range(wide):
        x[nodes[first + k // 6], k % 6] = own[k]


@kernel(inner=True)
def _times(number: Array, at: int, wide: int, count: int, v: Array) -> tuple[float, float, float, float, float, float]:
    """Six rows of a matrix, ``wide`` apart, times the first numbers of a vector."""
    a, b, c, d, e, f = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    for k in range(count):
        x = v[k]
        a += number[at + k] * x
        b += number[at + wide + k] * x
        c += number[at + 2 * wide + k] * x
        d += number[at + 3 * wide + k] * x
        e += number[at + 4 * wide + k] * x
        f += number[at + 5 * wide + k] * x
    return a, b, c, d, e, f


@kernel(inner=True)
def _add_times(
    number: Array, at: int, wide: int, count: int, times: tuple[float, float, float, float, float, float], out: Array
) -> None:
    """Add six rows of a matrix, each so many times, to the first numbers of a vector."""
    a, b, c, d, e, f = times
    for k in range(count):
        out[k] += (
            a * number[at + k]
            + b * number[at + wide + k]
            + c * number[at + 2 * wide + k]
            + d * number[at + 3 * wide + k]
            + e * number[at + 4 * wide + k]
            + f * number[at + 5 * wide + k]
        )


class Multifrontal:
    """The stiffness of pieces that bonds join, factored. Nothing moves until `update` says so."""

    def __init__(self, center: Array, piece: Index) -> None:
        """center : (P, 3) float64, [m], in which nearness counts; piece : (B, 2) int32"""
        self._piece = piece
        self._fronts = fronts = fronts_of(center, piece)
        count = len(fronts.own)
        own, edge = np.array([len(x) for x in fronts.own], np.int64), np.array([len(x) for x in fronts.edge], np.int64)
        self._bond_front = fronts.of[piece].min(axis=1)
        by_front = np.argsort(self._bond_front, kind="stable")
        self._bonds = np.split(by_front, np.searchsorted(self._bond_front[by_front], np.arange(1, count)))
        self._below: list[list[int]] = [[] for _ in range(count)]
        for k in np.flatnonzero(fronts.parent >= 0).tolist():
            self._below[fronts.parent[k]].append(k)
        self._nodes = np.concatenate(
            [np.zeros(0, np.int64), *(x for g in zip(fronts.own, fronts.edge, strict=True) for x in g)]
        )
        self._active, self._moves = np.zeros(len(piece), bool), np.zeros(len(center), bool)
        self._block: Array | None = None
        self._at = np.full(len(center), -1)
        self._left: list[tuple[Index, Array] | None] = [None] * count
        size = 36 * own * (own + edge)
        self._factors = Factors(
            np.zeros(int((own + edge).sum()), np.int64),
            np.cumsum([0, *(own + edge)], dtype=np.int64)[:-1],
            np.zeros((count, 2), np.int64),
            np.empty(int(size.sum())),
            np.cumsum([0, *size], dtype=np.int64)[:-1],
        )
        self._own = np.empty(6 * int(own.max(initial=0)))

    def update(self, block: Array, active: Mask, moves: Mask) -> Mask:
        """Factor anew what has changed. Returns the pieces (P,) bool whose solutions may differ now.

        block  : (B, 12, 12) float64, stiffness of bonds over the freedoms of both pieces; changed by another array only
        active : (B,) bool, bonds that hold
        moves  : (P,) bool, pieces that can move; all of them must reach one that cannot by bonds
        """
        stale = np.zeros(len(self._fronts.own), bool)
        changed = active != self._active
        if self._block is not None and block is not self._block:
            changed |= (block != self._block).any(axis=(1, 2))
        stale[self._bond_front[changed]] = True
        if (moves != self._moves).any():
            stale |= np.logical_or.reduceat((moves != self._moves)[self._nodes], self._factors.first)
        self._block, self._active, self._moves = block, active.copy(), moves.copy()
        for front, parent in enumerate(self._fronts.parent.tolist()):
            if stale[front]:
                self._factor(front)
                if parent >= 0:
                    stale[parent] = True
        return stale[self._fronts.of] & moves

    def _factor(self, front: int) -> None:
        fronts, packed = self._fronts, self._factors
        own, edge = (x[self._moves[x]] for x in (fronts.own[front], fronts.edge[front]))
        nodes, wide = np.concatenate([own, edge]), 6 * len(own)
        packed.many[front] = len(own), len(edge)
        first, start = int(packed.first[front]), int(packed.start[front])
        packed.nodes[first : first + len(nodes)] = nodes
        self._left[front] = None
        if not len(nodes):
            return
        self._at[nodes] = np.arange(len(nodes))
        matrix = np.zeros((6 * len(nodes), 6 * len(nodes)))
        add_blocks(matrix, self._bonds[front], self._active, self._piece, self._block, self._at)
        for below in self._below[front]:
            left = self._left[below]
            if left is not None:
                add_left(matrix, left[1], left[0], self._at)
        self._at[nodes] = -1
        triangle = _inverse_triangle(matrix[:wide, :wide])
        under = matrix[wide:, :wide] @ triangle.T
        packed.number[start : start + wide * wide] = triangle.ravel()
        packed.number[start + wide * wide : start + 6 * len(nodes) * wide] = under.ravel()
        if len(edge):
            self._left[front] = edge, matrix[wide:, wide:] - under @ under.T

    def solve(self, load: Array, pieces: Mask) -> Array:
        """Displacements (P, 6) by loads (P, 6); of pieces that do not move 0.

        pieces : (P,) bool, all that bonds join to what is loaded
        """
        use = np.zeros(len(self._fronts.own), bool)
        use[self._fronts.of[pieces & self._moves]] = True
        x = np.where(self._moves[:, None], load, 0.0)
        substitute(self._factors, use, x, self._own)
        return x


def _inverse_triangle(matrix: Array) -> Array:
    """The inverse of the lower triangle L of a symmetric matrix = L L^T."""
    if not len(matrix):
        return matrix
    spare = SPARE
    while True:
        factor, wrong = dpotrf(matrix, lower=1, clean=1)
        if not wrong:
            return np.ascontiguousarray(dtrtri(factor, lower=1)[0])
        matrix = matrix + spare * np.abs(matrix).max() * np.eye(len(matrix))
        spare *= 100.0
