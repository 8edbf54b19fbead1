"""The parts of all deformable bodies, one after another, as tables."""

from __future__ import annotations

import numpy as np
from scipy import sparse

from ....arrays import Array, Index
from ...deformable.lattice import boundary, factored
from ...deformable.pattern import block_of, scalar_rows
from ...deformable.tables import (
    AirTable,
    BlockPattern,
    Carried,
    CurveTable,
    FactorTable,
    LatticeTable,
    MembraneTable,
    SegmentTable,
    Solver,
)
from .part import Part, concatenate


def membranes(parts: list[Part], first: Index, pattern: BlockPattern) -> MembraneTable:
    """Triangles of all parts; first (B + 1,): vertices of each."""
    vertex = np.concatenate([np.zeros((0, 3), int), *(p.triangle + k for p, k in zip(parts, first, strict=False))])
    block = np.stack([block_of(pattern, vertex[:, a], vertex[:, b]) for a, b in ((0, 1), (0, 2), (1, 2))], axis=1)
    return MembraneTable(
        vertex.astype(np.int32),
        concatenate([p.length2 for p in parts], (3,)),
        concatenate([p.stiffness for p in parts], (3, 3)),
        block.astype(np.int32),
    )


def curves(parts: list[Part], first: Index) -> CurveTable:
    """What keeps parts as curved as they are at rest."""
    own = [(p.curves, k) for p, k in zip(parts, first, strict=False) if p.curves is not None]
    face = np.concatenate([np.zeros((0, 3), np.int32), *(c.face + k for c, k in own)]).astype(np.int32)
    still = [p.curves.matrix if p.curves is not None else sparse.csr_matrix((len(p.x), len(p.x))) for p in parts]
    return CurveTable(face, scalar_rows(sparse.block_diag(still, format="csr")))


def segments(parts: list[Part], first: Index, pattern: BlockPattern) -> SegmentTable:
    """Segments of all parts."""
    vertex = np.concatenate([np.zeros((0, 2), int), *(p.segment + k for p, k in zip(parts, first, strict=False))])
    return SegmentTable(
        vertex.astype(np.int32),
        concatenate([p.length for p in parts]),
        concatenate([p.pull for p in parts]),
        block_of(pattern, vertex[:, 0], vertex[:, 1]),
    )


def lattices(parts: list[Part], first: Index) -> LatticeTable:
    """Cubes of all parts."""
    tets = np.concatenate(
        [np.zeros((0, 4), int), *(p.tets.reshape(-1, 4) + k for p, k in zip(parts, first, strict=False))]
    )
    cells = [len(p.tets) for p in parts]
    return LatticeTable(
        tets.astype(np.int32),
        concatenate([p.gradient for p in parts], (4, 3)),
        concatenate([p.volume for p in parts]),
        (6 * np.arange(sum(cells) + 1)).astype(np.int32),
        *(np.repeat([p.material[k] for p in parts], cells).astype(float) for k in range(3)),
    )


def factors(parts: list[Part], first: Index, heavy: Array, count: int) -> FactorTable:
    """Constant matrices of soft bodies, factored; pinned vertices stand for themselves."""
    start, row, entry = np.zeros(count + 1, np.int32), [np.zeros(0, np.int32)], [np.zeros(0)]
    pivot, order, own = np.ones(count), np.arange(count, dtype=np.int32), np.zeros(count)
    for part, k in zip(parts, first, strict=False):
        here = slice(k, k + len(part.x))
        if part.solver == Solver.FACTOR:
            free = sparse.diags((~part.pinned).astype(float))
            matrix = free @ (part.scalar + sparse.diags(heavy[here])) @ free
            table = factored((matrix + sparse.diags(part.pinned.astype(float))).tocsr())
            start[k + 1 : k + len(part.x) + 1] = np.diff(table.start)
            row.append(table.row + k)
            entry.append(table.value)
            pivot[here], order[here] = table.pivot, table.order + k
            own[here] = part.scalar.diagonal()
    return FactorTable(
        np.cumsum(start).astype(np.int32),
        np.concatenate(row).astype(np.int32),
        np.concatenate(entry),
        pivot,
        order,
        own,
    )


def carried(parts: list[Part], first: Index) -> Carried:
    """Vertices that ride on pieces."""
    vertex = np.concatenate(
        [np.zeros(0, int), *(np.flatnonzero(p.carried_by >= 0) + k for p, k in zip(parts, first, strict=False))]
    )
    piece = np.concatenate([np.zeros(0, int), *(p.carried_by[p.carried_by >= 0] for p in parts)])
    return Carried(vertex.astype(np.int32), piece.astype(np.int32))


def sizes(parts: list[Part]) -> Array:
    """Size of vertices (N,) [m]: root of a sheet's share of area, cube root of a solid's of volume, and the like."""
    out = []
    for part in parts:
        share = part.mass / part.mass.sum()
        if len(part.triangle):
            corner = part.x[part.triangle]
            normal = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
            out.append(np.sqrt(share * 0.5 * np.linalg.norm(normal, axis=1).sum()))
        elif len(part.tets):
            out.append(np.cbrt(share * part.volume.sum()))
        else:
            out.append(np.sqrt(share * part.length.sum() * 2.0 * part.radius))
    return concatenate(out)


def air(parts: list[Part], first: Index) -> AirTable:
    """Faces and segments that meet the air."""
    face, two_sided, segment, radius = [], [], [], []
    for part, k in zip(parts, first, strict=False):
        own = part.triangle if len(part.triangle) else boundary(part.tets.reshape(-1, 4))
        face.append(own + k)
        two_sided.append(np.full(len(own), len(part.triangle) > 0))
        segment.append(part.segment + k)
        radius.append(np.full(len(part.segment), part.radius))
    return AirTable(
        np.concatenate(face).astype(np.int32),
        np.concatenate(two_sided).astype(np.uint8),
        np.concatenate(segment).astype(np.int32),
        concatenate(radius),
    )
