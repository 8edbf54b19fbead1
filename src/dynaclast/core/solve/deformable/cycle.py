"""A cycle over the levels of a body: kernels (levels.py says what it is)."""

from __future__ import annotations

from ...arrays import Array
from ...kernels import kernel
from ...kernels.linalg import write_inverse_3x3
from ...kernels.rows import add_value_row, relax, spread_value_row
from ...kernels.simd import add_block, clear
from .levels import SWEEPS
from .tables import BlockPattern, Levels


@kernel(inner=True)
def coarsen_blocks(pattern: BlockPattern, levels: Levels, first: int, last: int, blocks: Array, turned: Array) -> None:
    """Add the blocks of nodes first to last, which are complete, to those of the next level (P'AP).

    blocks : (E, 3, 3) float64; those of the next level that this body has are zero
    turned : (2, 3, 3) float64, scratch
    """
    for i in range(first, last):
        for e in range(pattern.start[i], pattern.start[i + 1]):
            begin, end = levels.spread_start[e], levels.spread_start[e + 1]
            if end > begin and e > pattern.start[i]:
                m = blocks[e]
                for r in range(3):
                    for c in range(3):
                        turned[0, r, c], turned[1, r, c] = m[c, r], m[r, c] + m[c, r]
            for k in range(begin, end):
                if levels.flip[k] == 0:
                    add_block(blocks, e, levels.share[k], blocks, levels.target[k])
                else:
                    add_block(turned, levels.flip[k] - 1, levels.share[k], blocks, levels.target[k])


@kernel(inner=True)
def invert_diagonals(
    pattern: BlockPattern,
    mass: Array,
    extra: Array,
    pinned: Array,
    first: int,
    last: int,
    blocks: Array,
    inverse: Array,
) -> None:
    """Inverses of the diagonal blocks of rows first to last.

    mass    : (M,) float64, [N/m], added to the diagonal
    extra   : (M, 3, 3) float64, [N/m], added to the blocks: contacts
    pinned  : (M,) uint8, nodes that stay where they are: their inverse is nothing
    inverse : (M, 3, 3) float, [m/N]
    """
    for i in range(first, last):
        if pinned[i]:
            inverse[i, :, :] = 0.0
            continue
        d, o = blocks[pattern.start[i]], extra[i]
        a, b, c = d[0, 0] + o[0, 0] + mass[i], d[0, 1] + o[0, 1], d[0, 2] + o[0, 2]
        write_inverse_3x3(
            a, b, c, d[1, 1] + o[1, 1] + mass[i], d[1, 2] + o[1, 2], d[2, 2] + o[2, 2] + mass[i], inverse[i]
        )


@kernel(inner=True)
def _relax_backwards(
    pattern: BlockPattern,
    blocks: Array,
    inverse: Array,
    nodes: tuple[int, int],
    r: Array,
    left: Array,
    z: Array,
    spread: int,
) -> None:
    """Solve the rows of nodes for their own node, the last first; arguments as of ``relax``."""
    for i in range(nodes[1] - 1, nodes[0] - 1, -1):
        relax(blocks, pattern.column, pattern.start[i] + 1, pattern.start[i + 1], inverse, i, r, left, z, spread)


@kernel(inner=True)
def _relax_forwards(
    pattern: BlockPattern, blocks: Array, inverse: Array, nodes: tuple[int, int], r: Array, left: Array, z: Array
) -> None:
    """Solve the rows of nodes for their own node, the first first."""
    clear(left, nodes[0], nodes[1])
    for i in range(nodes[0], nodes[1]):
        relax(blocks, pattern.column, pattern.start[i] + 1, pattern.start[i + 1], inverse, i, r, left, z, 1)


@kernel(inner=True)
def cycle(
    pattern: BlockPattern, levels: Levels, body: int, blocks: Array, inverse: Array, r: Array, left: Array, z: Array
) -> None:
    """z, roughly the inverse of a body's matrix times r.

    blocks  : (E, 3, 3) float64, [N/m], complete on all levels
    inverse : (M, 3, 3) float64, [m/N], of the diagonal blocks
    r       : (M, 4) float64, [N]; of coarser nodes written here
    left    : (M, 4) float64, [N], scratch
    z       : (M, 4) float64, [m]
    """
    bottom = 0
    for level in range(len(levels.first)):
        if levels.first[level, body + 1] > levels.first[level, body]:
            bottom = level
    for level in range(bottom + 1):
        nodes = levels.first[level, body], levels.first[level, body + 1]
        clear(left, nodes[0], nodes[1])
        if level == bottom:
            _relax_backwards(pattern, blocks, inverse, nodes, r, left, z, 0)
            break
        _relax_backwards(pattern, blocks, inverse, nodes, r, left, z, 1)
        clear(r, levels.first[level + 1, body], levels.first[level + 1, body + 1])
        for i in range(nodes[0], nodes[1]):  # r - A z: a sweep backwards leaves what is below the diagonal
            begin, end = levels.parent_start[i], levels.parent_start[i + 1]
            spread_value_row(levels.weight, levels.parent, begin, end, 1.0, left, i, r)
    nodes = levels.first[bottom, body], levels.first[bottom, body + 1]
    _relax_forwards(pattern, blocks, inverse, nodes, r, left, z)
    for _ in range(SWEEPS - 1):
        _relax_backwards(pattern, blocks, inverse, nodes, r, left, z, 0)
        _relax_forwards(pattern, blocks, inverse, nodes, r, left, z)
    for level in range(bottom - 1, -1, -1):
        nodes = levels.first[level, body], levels.first[level, body + 1]
        for i in range(nodes[0], nodes[1]):
            begin, end = levels.parent_start[i], levels.parent_start[i + 1]
            add_value_row(levels.weight, levels.parent, begin, end, 1.0, z, i, z)
        _relax_forwards(pattern, blocks, inverse, nodes, r, left, z)
