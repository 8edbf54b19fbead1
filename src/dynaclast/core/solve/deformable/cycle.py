"""A cycle over the levels of a body: kernels (levels.py says what it is)."""

from __future__ import annotations

from ...arrays import Array
from ...kernels import kernel
from ...kernels.linalg import invert_symmetric_3x3
from .levels import SWEEPS
from .tables import BlockPattern, Levels


@kernel(inner=True)
def coarsen_blocks(pattern: BlockPattern, levels: Levels, first: int, last: int, blocks: Array) -> None:
    """Add the blocks of nodes first to last, which are complete, to those of the next level (P'AP).

    blocks : (E, 3, 3) float; those of the next level that this body has are zero
    """
    for i in range(first, last):
        for e in range(pattern.diagonal[i], pattern.start[i + 1]):
            m = blocks[e]
            for k in range(levels.spread_start[e], levels.spread_start[e + 1]):
                w, o = levels.share[k], blocks[levels.target[k]]
                if levels.flip[k] == 0:
                    for r in range(3):
                        for c in range(3):
                            o[r, c] += w * m[r, c]
                elif levels.flip[k] == 1:
                    for r in range(3):
                        for c in range(3):
                            o[r, c] += w * m[c, r]
                else:
                    for r in range(3):
                        for c in range(3):
                            o[r, c] += w * (m[r, c] + m[c, r])


@kernel(inner=True)
def mirror_blocks(pattern: BlockPattern, first: int, last: int, blocks: Array) -> None:
    """Fill in the blocks below the diagonal of rows first to last."""
    for i in range(first, last):
        for e in range(pattern.start[i], pattern.diagonal[i]):
            m, o = blocks[e], blocks[pattern.mirror[e]]
            for r in range(3):
                for c in range(3):
                    m[r, c] = o[c, r]


@kernel(inner=True)
def invert_diagonals(
    pattern: BlockPattern,
    mass: Array,
    extra: Array,
    pinned: Array,
    first: int,
    last: int,
    blocks: Array,
    m: Array,
    inverse: Array,
) -> None:
    """Inverses of the diagonal blocks of rows first to last.

    mass    : (M,) float64, [N/m], added to the diagonal
    extra   : (M, 3, 3) float64, [N/m], added to the blocks: contacts
    pinned  : (M,) uint8, nodes that stay where they are: their inverse is nothing
    m       : (2, 3, 3) float64, scratch
    inverse : (M, 3, 3) float, [m/N]
    """
    for i in range(first, last):
        if pinned[i]:
            inverse[i, :, :] = 0.0
            continue
        d, a = blocks[pattern.diagonal[i]], m[0]
        for r in range(3):
            for c in range(3):
                a[r, c] = d[r, c] + extra[i, r, c]
            a[r, r] += mass[i]
        invert_symmetric_3x3(a, m[1])
        for r in range(3):
            for c in range(3):
                inverse[i, r, c] = m[1, r, c]


@kernel(inner=True)
def _forward(pattern: BlockPattern, blocks: Array, inverse: Array, first: int, last: int, r: Array, z: Array) -> None:
    """A forward sweep from z = 0."""
    for i in range(first, last):
        a, b, c = r[i, 0], r[i, 1], r[i, 2]
        for e in range(pattern.start[i], pattern.diagonal[i]):
            j, m = pattern.column[e], blocks[e]
            u, v, w = z[j, 0], z[j, 1], z[j, 2]
            a -= m[0, 0] * u + m[0, 1] * v + m[0, 2] * w
            b -= m[1, 0] * u + m[1, 1] * v + m[1, 2] * w
            c -= m[2, 0] * u + m[2, 1] * v + m[2, 2] * w
        d = inverse[i]
        z[i, 0] = d[0, 0] * a + d[0, 1] * b + d[0, 2] * c
        z[i, 1] = d[1, 0] * a + d[1, 1] * b + d[1, 2] * c
        z[i, 2] = d[2, 0] * a + d[2, 1] * b + d[2, 2] * c


@kernel(inner=True)
def _relax(pattern: BlockPattern, blocks: Array, inverse: Array, i: int, r: Array, z: Array) -> None:
    """Solve row i for its own node."""
    a, b, c = r[i, 0], r[i, 1], r[i, 2]
    d = pattern.diagonal[i]
    for e in range(pattern.start[i], pattern.start[i + 1]):
        if e == d:
            continue
        j, m = pattern.column[e], blocks[e]
        u, v, w = z[j, 0], z[j, 1], z[j, 2]
        a -= m[0, 0] * u + m[0, 1] * v + m[0, 2] * w
        b -= m[1, 0] * u + m[1, 1] * v + m[1, 2] * w
        c -= m[2, 0] * u + m[2, 1] * v + m[2, 2] * w
    o = inverse[i]
    z[i, 0] = o[0, 0] * a + o[0, 1] * b + o[0, 2] * c
    z[i, 1] = o[1, 0] * a + o[1, 1] * b + o[1, 2] * c
    z[i, 2] = o[2, 0] * a + o[2, 1] * b + o[2, 2] * c


@kernel(inner=True)
def cycle(pattern: BlockPattern, levels: Levels, body: int, blocks: Array, inverse: Array, r: Array, z: Array) -> None:
    """z, roughly the inverse of a body's matrix times r.

    blocks  : (E, 3, 3) float, [N/m], complete on all levels
    inverse : (M, 3, 3) float, [m/N], of the diagonal blocks
    r       : (M, 3) float64, [N]; of coarser nodes written here
    z       : (M, 3) float64, [m]
    """
    count = len(levels.first)
    bottom = 0
    for level in range(count):
        first, last = levels.first[level, body], levels.first[level, body + 1]
        if last > first:
            bottom = level
    for level in range(bottom + 1):
        first, last = levels.first[level, body], levels.first[level, body + 1]
        _forward(pattern, blocks, inverse, first, last, r, z)
        if level == bottom:
            break
        r[levels.first[level + 1, body] : levels.first[level + 1, body + 1]] = 0.0
        for i in range(first, last):
            if levels.parent_start[i + 1] == levels.parent_start[i]:
                continue
            a, b, c = 0.0, 0.0, 0.0  # what a forward sweep leaves: the part above the diagonal
            for e in range(pattern.diagonal[i] + 1, pattern.start[i + 1]):
                j, m = pattern.column[e], blocks[e]
                u, v, w = z[j, 0], z[j, 1], z[j, 2]
                a -= m[0, 0] * u + m[0, 1] * v + m[0, 2] * w
                b -= m[1, 0] * u + m[1, 1] * v + m[1, 2] * w
                c -= m[2, 0] * u + m[2, 1] * v + m[2, 2] * w
            for k in range(levels.parent_start[i], levels.parent_start[i + 1]):
                p, share = levels.parent[k], levels.weight[k]
                r[p, 0] += share * a
                r[p, 1] += share * b
                r[p, 2] += share * c
    first, last = levels.first[bottom, body], levels.first[bottom, body + 1]
    for sweep in range(SWEEPS):
        for i in range(last - 1, first - 1, -1):
            _relax(pattern, blocks, inverse, i, r, z)
        if sweep < SWEEPS - 1:
            for i in range(first, last):
                _relax(pattern, blocks, inverse, i, r, z)
    for level in range(bottom - 1, -1, -1):
        first, last = levels.first[level, body], levels.first[level, body + 1]
        for i in range(first, last):
            for k in range(levels.parent_start[i], levels.parent_start[i + 1]):
                p, share = levels.parent[k], levels.weight[k]
                z[i, 0] += share * z[p, 0]
                z[i, 1] += share * z[p, 1]
                z[i, 2] += share * z[p, 2]
        for i in range(last - 1, first - 1, -1):
            _relax(pattern, blocks, inverse, i, r, z)
