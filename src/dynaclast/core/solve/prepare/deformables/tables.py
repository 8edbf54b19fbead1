"""The parts of all deformable bodies, one after another, as tables: as they hang together."""

from __future__ import annotations

import numpy as np
from scipy import sparse

from ....arrays import Array, Index, cross, lengths
from ...deformable.pattern import block_of, scalar_rows
from ...deformable.tables import (
    AirTable,
    BlockPattern,
    Carried,
    CurveTable,
    FactorTable,
    Hinge,
    LatticeTable,
    MembraneTable,
    SegmentTable,
)
from .hinges import hinges
from .joining import Joined
from .part import Part, concatenate


def membranes(joined: list[Joined], first: Index, pattern: BlockPattern) -> MembraneTable:
    """Triangles of all parts; first (B + 1,): vertices of each."""
    vertex = np.concatenate([np.zeros((0, 3), int), *(p.triangle + k for p, k in zip(joined, first, strict=False))])
    block = np.stack([block_of(pattern, vertex[:, a], vertex[:, b]) for a, b in ((0, 1), (0, 2), (1, 2))], axis=1)
    return MembraneTable(
        vertex.astype(np.int32),
        concatenate([p.length2 for p in joined], (3,)),
        concatenate([p.stiffness for p in joined], (3, 3)),
        block.astype(np.int32),
    )


def curves(joined: list[Joined], first: Index) -> CurveTable:
    """What keeps parts as curved as they are at rest."""
    own = [(p.curves, k) for p, k in zip(joined, first, strict=False) if p.curves is not None]
    face = np.concatenate([np.zeros((0, 3), np.int32), *(c.face + k for c, k in own)]).astype(np.int32)
    still = [p.curves.matrix if p.curves is not None else sparse.csr_matrix(p.scalar.shape) for p in joined]
    return CurveTable(face, scalar_rows(sparse.block_diag(still, format="csr")))


def segments(joined: list[Joined], parts: list[Part], first: Index, pattern: BlockPattern) -> SegmentTable:
    """Segments of all parts."""
    vertex = np.concatenate([np.zeros((0, 2), int), *(p.segment + k for p, k in zip(joined, first, strict=False))])
    return SegmentTable(
        vertex.astype(np.int32),
        concatenate([p.length for p in parts]),
        concatenate([p.pull for p in parts]),
        block_of(pattern, vertex[:, 0], vertex[:, 1]),
    )


def lattices(own: list[Index], parts: list[Part], first: Index) -> LatticeTable:
    """Cubes of all parts; own: the tetrahedra (C, 6, 4) of each."""
    tets = np.concatenate([np.zeros((0, 4), int), *(t.reshape(-1, 4) + k for t, k in zip(own, first, strict=False))])
    cells = [len(p.tets) for p in parts]
    return LatticeTable(
        tets.astype(np.int32),
        concatenate([p.gradient for p in parts], (4, 3)),
        concatenate([p.volume for p in parts]),
        (6 * np.arange(sum(cells) + 1)).astype(np.int32),
        concatenate([p.mu for p in parts]),
        concatenate([p.lam for p in parts]),
        concatenate([p.viscosity for p in parts]),
    )


def factors(parts: list[Part], joined: list[Joined], first: Index, count: int) -> FactorTable:
    """The factored matrices of lattices."""
    start, row, entry = np.zeros(count + 1, np.int64), [np.zeros(0, int)], [np.zeros(0)]
    pivot, order, own = np.ones(count), np.arange(count, dtype=np.int32), np.zeros(count)
    panel = np.ones(count, np.int32)
    hinge = np.full((count, 2), Hinge.FREE, np.int32)
    for made, part, k in zip(parts, joined, first, strict=False):
        table = part.factor
        if table is not None:
            here = slice(int(k), int(k) + len(part.lead))
            start[k + 1 : k + len(part.lead) + 1] = np.diff(table.start)
            row.append(table.row + k)
            entry.append(table.value)
            pivot[here], order[here], panel[here] = table.pivot, table.order + k, table.panel
            own[here] = part.scalar.diagonal()
            turning = hinges(made, part)
            hinge[here] = np.where(turning >= 0, turning + k, turning)
    return FactorTable(
        np.cumsum(start).astype(np.int32),
        np.concatenate(row).astype(np.int32),
        np.concatenate(entry),
        pivot,
        order,
        panel,
        own,
        hinge,
    )


def carried(parts: list[Part], joined: list[Joined], first: Index) -> Carried:
    """Vertices that ride on pieces."""
    return _taken_along([p.carried_by for p in parts], [p.start for p in parts], joined, first)


def drawn(parts: list[Part], joined: list[Joined], first: Index) -> Carried:
    """Vertices that are drawn to where pieces take them."""
    return _taken_along([p.drawn_by for p in parts], [p.x for p in parts], joined, first)


def _taken_along(by: list[Index], start: list[Array], joined: list[Joined], first: Index) -> Carried:
    rides = [np.flatnonzero((b >= 0) & (own.lead == np.arange(len(b)))) for b, own in zip(by, joined, strict=True)]
    vertex = np.concatenate([np.zeros(0, int), *(r + k for r, k in zip(rides, first, strict=False))])
    piece = np.concatenate([np.zeros(0, int), *(b[r] for b, r in zip(by, rides, strict=True))])
    place = np.concatenate([np.zeros((0, 3)), *(x[r] for x, r in zip(start, rides, strict=True))])
    return Carried(vertex.astype(np.int32), piece.astype(np.int32), place)


def sizes(parts: list[Part]) -> Array:
    """Size of vertices (N,) [m]: root of a sheet's share of area, cube root of a solid's of volume, and the like."""
    out = []
    for part in parts:
        share = part.mass / part.mass.sum()
        if len(part.triangle):
            corner = part.x[part.triangle]
            normal = cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
            out.append(np.sqrt(share * 0.5 * lengths(normal).sum()))
        elif len(part.tets):
            out.append(np.cbrt(share * part.volume.sum()))
        else:
            out.append(np.sqrt(share * part.length.sum() * 2.0 * part.radius.mean()))
    return concatenate(out)


def air(parts: list[Part], first: Index) -> AirTable:
    """Faces and segments that meet the air."""
    face, two_sided, segment, radius = [], [], [], []
    for part, k in zip(parts, first, strict=False):
        own = part.triangle if len(part.triangle) else part.surface
        face.append(own + k)
        two_sided.append(np.full(len(own), len(part.triangle) > 0))
        segment.append(part.segment + k)
        radius.append(part.radius[part.segment].mean(axis=1))
    return AirTable(
        np.concatenate(face).astype(np.int32),
        np.concatenate(two_sided).astype(np.uint8),
        np.concatenate(segment).astype(np.int32),
        concatenate(radius),
    )
