"""Stretch of ropes: a spring a segment, in both directions.

Energy k/2 (l - L)^2, k = E A / L. Second derivative k n n' + max(tension, 0)/l (1 - n n'): the last is what a taut line
resists across (Tournier et al. 2015, doi 10.1145/2766969); without it a heavy load on a light rope gains energy.
"""

from __future__ import annotations

import numpy as np

from ...arrays import Array
from ...kernels import kernel
from .tables import SegmentTable


@kernel(inner=True)
def add_segments(
    table: SegmentTable, first: int, last: int, x: Array, damping: float, force: Array, blocks: Array
) -> None:
    """Forces of segments first to last, and their part of the matrix above the diagonal (as membrane.add_membrane)."""
    for s in range(first, last):
        a, b = table.vertex[s, 0], table.vertex[s, 1]
        ux, uy, uz = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2]
        length = np.sqrt(ux * ux + uy * uy + uz * uz)
        if length < 1e-12:
            continue
        nx, ny, nz = ux / length, uy / length, uz / length
        k = table.stiffness[s]
        tension = k * (length - table.length[s])
        force[a, 0] += tension * nx
        force[a, 1] += tension * ny
        force[a, 2] += tension * nz
        force[b, 0] -= tension * nx
        force[b, 1] -= tension * ny
        force[b, 2] -= tension * nz
        across = damping * max(tension, 0.0) / length
        along = damping * k - across
        m = blocks[table.block[s]]
        m[0, 0] -= along * nx * nx + across
        m[0, 1] -= along * nx * ny
        m[0, 2] -= along * nx * nz
        m[1, 0] -= along * ny * nx
        m[1, 1] -= along * ny * ny + across
        m[1, 2] -= along * ny * nz
        m[2, 0] -= along * nz * nx
        m[2, 1] -= along * nz * ny
        m[2, 2] -= along * nz * nz + across
