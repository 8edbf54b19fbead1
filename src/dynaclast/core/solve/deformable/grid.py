"""Pairs of balls that are near each other, of any sizes, at any distances.

Balls are put into cells by their middles, on the level of a grid whose cells are as wide as they; each looks through
its own cell and the half of its neighbours that come after it on its own level, and through the cells about it on those
of larger ones. Cells are places of a table by a hash of their row, so that none need be kept for empty space. Pairs
come in the same order whenever the balls are the same.

Source: Teschner et al. 2003, "Optimized spatial hashing for collision detection of deformable objects"; levels by size
after Mirtich 1996, "Impulse-based dynamic simulation of rigid body systems".
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Index
from ...kernels import kernel

LEVELS = 16
"""Each with cells twice as wide as the one before."""
WIDEST = 2.0 ** (LEVELS - 2)
"""Balls larger than so many of the smallest set how narrow the narrowest cells are."""
SIDE = 1 << 20
"""Most cells along a side of what is looked through."""
WIDE = 2.0 + 1e-6
"""Cells are as wide as so many radii of the largest ball in them: what touches is in neighbours, also when rounded."""
TABLE = 4
"""Places of the table, for each ball."""


class Balls(NamedTuple):
    """Balls that go somewhere.

    at     : (n, 3) float64, [m], their middles
    room   : (n,) float64, [m], their radii
    way    : (n, 3) float64, [m], where each goes
    radius : (n,) float64, [m], such that two whose middles are further apart than both of theirs touch nowhere on their
             ways: no less than room and the size of way beside what all have in common of it
    kind   : (n,) int64; two of the same kind are no pair, unless it is -1
    """

    at: Array
    room: Array
    way: Array
    radius: Array
    kind: Index


class Grid(NamedTuple):
    """Room to sort up to C balls into cells.

    start : (T + 2,) int32, where the balls of a place of the table start in order, one place on; T a power of two
    order : (C,) int32, balls by place, then by number
    row   : (C,) int64, level and row of cells of each in that order; column (C,) int32, cell of that row
    ball  : (C, 4) float64, [m], middle and radius of each in that order
    level : (C,) uint8, of each ball
    size  : (LEVELS,) float64, [m], of cells, no less than two radii; most (LEVELS,) float64, [m], largest radius
    low   : (3,) float64, [m], lowest corner
    run   : (10, 3) int64, balls of neighbouring cells: from where in the order, up to where, and their row
    """

    start: Index
    order: Index
    row: Index
    column: Index
    ball: Array
    level: Index
    size: Array
    most: Array
    low: Array
    run: Index


def make_grid(count: int) -> Grid:
    """For so many balls."""
    table = 64
    while table < TABLE * count:
        table *= 2
    f = np.zeros
    return Grid(
        f(table + 2, np.int32),
        f(count, np.int32),
        f(count, np.int64),
        f(count, np.int32),
        f((count, 4)),
        f(count, np.uint8),
        f(LEVELS),
        f(LEVELS),
        f(3),
        f((10, 3), np.int64),
    )


@kernel(inner=True)
def _row(level: int, j: int, k: int) -> np.int64:
    """A row of cells as one number."""
    return (np.int64(level) * SIDE + k) * SIDE + j


@kernel(inner=True)
def _place(row: np.int64, i: int, table: int) -> np.int64:
    """Where in the table a cell of a row is. Cells of a row follow one another."""
    h = row * np.int64(0x9E3779B97F4A7C1)
    return ((h ^ (h >> 29)) + i) & (table - 1)


@kernel(inner=True)
def _cell(x: float, low: float, size: float) -> int:
    return min(max(int((x - low) / size), 0), SIDE - 2) + 1


@kernel(inner=True)
def sort_balls(at: Array, radius: Array, use: Index, count: int, grid: Grid) -> int:
    """Put balls into cells. Returns how many levels there are.

    at     : (n, 3) float64, [m]; radius (n,) float64, [m]
    use    : (count,) int32, the balls, ascending
    """
    table = len(grid.start) - 2
    least, widest, far = np.inf, 0.0, 0.0
    grid.low[:] = np.inf
    for u in range(count):
        p = use[u]
        least, widest = min(least, radius[p]), max(widest, radius[p])
        for c in range(3):
            grid.low[c] = min(grid.low[c], at[p, c])
    for u in range(count):
        for c in range(3):
            far = max(far, at[use[u], c] - grid.low[c])
    narrow, levels = max(least, widest / WIDEST, far / SIDE, 1e-300), 1
    grid.size[0] = WIDE * max(widest, narrow)
    while levels < LEVELS and grid.size[0] >= 2.0 * WIDE * narrow:
        grid.size[0] *= 0.5
        levels += 1
    for level in range(1, levels):
        grid.size[level] = 2.0 * grid.size[level - 1]
    grid.most[:] = -1.0
    grid.start[:] = 0
    for u in range(count):
        p = use[u]
        level = 0
        while level < levels - 1 and grid.size[level] < WIDE * radius[p]:
            level += 1
        grid.level[u] = level
        grid.most[level] = max(grid.most[level], radius[p])
        size = grid.size[level]
        row = _row(level, _cell(at[p, 1], grid.low[1], size), _cell(at[p, 2], grid.low[2], size))
        grid.start[_place(row, _cell(at[p, 0], grid.low[0], size), table) + 1] += 1
    for c in range(table):
        grid.start[c + 1] += grid.start[c]
    grid.start[table + 1] = count
    for u in range(count - 1, -1, -1):
        p, level = use[u], grid.level[u]
        size = grid.size[level]
        row = _row(level, _cell(at[p, 1], grid.low[1], size), _cell(at[p, 2], grid.low[2], size))
        column = _cell(at[p, 0], grid.low[0], size)
        c = _place(row, column, table) + 1
        grid.start[c] -= 1
        to = grid.start[c]
        grid.order[to], grid.row[to], grid.column[to] = u, row, column
        ball = grid.ball[to]
        ball[0], ball[1], ball[2], ball[3] = at[p, 0], at[p, 1], at[p, 2], radius[p]
    return levels  # now start[c + 1] is where place c starts, and start[c + 2] where it ends


@kernel(inner=True)
def _find_runs(grid: Grid, row: np.int64, column: int) -> int:
    """Where balls of a cell and of the half of its neighbours that come after it are, into grid.run: of its own row
    from it on, of the four rows beside it that come later three cells each. Returns how many runs.
    """
    table, runs = len(grid.start) - 2, 0
    for k in range(2):
        for j in range(-1 if k else 0, 2):
            other = row + k * SIDE + j
            first = _place(other, column if other == row else column - 1, table)
            after = _place(other, column + 1, table)
            parts = 1 if first <= after else 2  # a row may go on at the table's beginning
            for part in range(parts):
                begin = grid.start[(first if part == 0 else 0) + 1]
                end = grid.start[(after if part == parts - 1 else table - 1) + 2]
                if end > begin:
                    grid.run[runs, 0], grid.run[runs, 1], grid.run[runs, 2] = begin, end, other
                    runs += 1
    return runs


@kernel(inner=True)
def _touch(balls: Balls, p: int, q: int, far: float) -> bool:
    """Whether two balls may touch on their ways; far : float, [m2], square of the distance of their middles."""
    room, way, kind = balls.room, balls.way, balls.kind
    if kind[p] == kind[q] and kind[p] >= 0:
        return False
    gx, gy, gz = way[q, 0] - way[p, 0], way[q, 1] - way[p, 1], way[q, 2] - way[p, 2]
    both = room[p] + room[q] + np.sqrt(gx * gx + gy * gy + gz * gz)
    return bool(far <= both * both)


@kernel(inner=True)
def _add_pair(p: int, q: int, found: int, out: Index) -> int:
    """Put a pair down, the lower first, where there is room. Returns how many there are then."""
    if found < len(out):
        out[found, 0], out[found, 1] = min(p, q), max(p, q)
    return found + 1


@kernel(inner=True)
def near_pairs(balls: Balls, use: Index, count: int, grid: Grid, most: int, out: Index) -> int:
    """Pairs of balls that may touch on their ways, each once, the lower first. Returns how many, written or not; one
    more than most where there are more.

    use, count : as of sort_balls
    out        : (room, 2) int32
    """
    if count == 0:
        return 0
    at, radius = balls.at, balls.radius
    levels, found, runs = sort_balls(at, radius, use, count, grid), 0, 0
    for to in range(count):
        row, column, u = grid.row[to], grid.column[to], grid.order[to]
        if to == 0 or row != grid.row[to - 1] or column != grid.column[to - 1]:
            runs = _find_runs(grid, row, column)
        own = grid.ball[to]
        x, y, z, size = own[0], own[1], own[2], own[3]
        for run in range(runs):
            other_row = grid.run[run, 2]
            left = column if other_row == row else column - 1
            for other in range(grid.run[run, 0], grid.run[run, 1]):
                ball = grid.ball[other]
                both, dx, dy, dz = size + ball[3], ball[0] - x, ball[1] - y, ball[2] - z
                far = dx * dx + dy * dy + dz * dz
                if far > both * both:
                    continue
                there = grid.column[other]
                if grid.row[other] != other_row or there < left or there > column + 1:
                    continue
                if other_row == row and there == column and other <= to:
                    continue
                if _touch(balls, use[u], use[grid.order[other]], far):
                    found = _add_pair(use[u], use[grid.order[other]], found, out)
                    if found > most:
                        return found
        for level in range(grid.level[u] + 1, levels):
            if grid.most[level] >= 0.0:
                found = _pairs_above(balls, use, grid, to, level, found, most, out)
                if found > most:
                    return found
    return found


@kernel(inner=True)
def _pairs_above(balls: Balls, use: Index, grid: Grid, to: int, level: int, found: int, most: int, out: Index) -> int:
    """Pairs of a ball, by its place in the order, and larger ones of another level. Returns how many there are then."""
    table, ball, p = len(grid.start) - 2, grid.ball[to], use[grid.order[to]]
    size, reach = grid.size[level], ball[3] + grid.most[level]
    i0, i1 = _cell(ball[0] - reach, grid.low[0], size), _cell(ball[0] + reach, grid.low[0], size)
    j0, j1 = _cell(ball[1] - reach, grid.low[1], size), _cell(ball[1] + reach, grid.low[1], size)
    k0, k1 = _cell(ball[2] - reach, grid.low[2], size), _cell(ball[2] + reach, grid.low[2], size)
    for k in range(k0, k1 + 1):
        for j in range(j0, j1 + 1):
            row = _row(level, j, k)
            first, after = _place(row, i0, table), _place(row, i1, table)
            parts = 1 if first <= after else 2
            for part in range(parts):
                begin, end = first if part == 0 else 0, after if part == parts - 1 else table - 1
                for other in range(grid.start[begin + 1], grid.start[end + 2]):
                    o = grid.ball[other]
                    both, dx, dy, dz = ball[3] + o[3], o[0] - ball[0], o[1] - ball[1], o[2] - ball[2]
                    far = dx * dx + dy * dy + dz * dz
                    if far > both * both or grid.row[other] != row:
                        continue
                    if grid.column[other] < i0 or grid.column[other] > i1:
                        continue
                    q = use[grid.order[other]]
                    if _touch(balls, p, q, far):
                        found = _add_pair(p, q, found, out)
                        if found > most:
                            return found
    return found
