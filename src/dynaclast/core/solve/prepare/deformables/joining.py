"""A deformable body as it hangs together: vertices of pieces that are joined are one."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import sparse
from scipy.sparse.csgraph import connected_components

from ....arrays import Array, Flags, Index, Mask, sums
from ...deformable.bending import CurvedRest, bending_matrix, chain_bending, curvature_of, curved_rest
from ...deformable.factor import factored
from ...deformable.levels import BodyLevels, body_levels
from ...deformable.tables import FactorTable, Solver
from ...model import Hold
from .part import Part


def leaders(part: Part, open_: Mask) -> Index:
    """The lowest of the vertices that each vertex is joined with (V,), by which seams (Q,) bool are open."""
    count = len(part.x)
    if part.seams is None:
        return np.arange(count)
    link = part.seams.link[~open_[part.seams.of]]
    graph = sparse.coo_matrix((np.ones(len(link), np.int8), (link[:, 0], link[:, 1])), shape=(count, count))
    label = connected_components(graph, directed=False)[1]
    first = np.unique(label, return_index=True)[1]
    return np.asarray(first[label])


@dataclass(frozen=True)
class Joined:
    """A part, its elements on the vertices that lead.

    lead     : (V,) int, as leaders
    mass     : (V,) float64, [kg], of all that are joined; 0 of those that follow
    pinned   : (V,) bool, pinned, or frozen since; gone (V,) bool, taken out
    still    : (V,) bool, any of these, or following
    triangle, length2, stiffness : as MembraneTable
    segment  : (G, 2) int, ascending; order (n,) int, vertices that lead, along a chain
    tets     : (C, 6, 4) int; touch : vertices of points that touch, as Part
    scalar   : (V, V) [N/m], bending, or the bound of a lattice
    curves   : of cloth that is curved at rest
    island   : (V,) int, the same of vertices that hang together by elements
    levels   : BodyLevels
    factor   : the factored matrix of a lattice
    """

    lead: Index
    mass: Array
    pinned: Mask
    gone: Mask
    still: Mask
    triangle: Index
    length2: Array
    stiffness: Array
    segment: Index
    order: Index
    tets: Index
    scalar: sparse.csr_matrix
    curves: CurvedRest | None
    island: Index
    levels: BodyLevels
    factor: FactorTable | None


def stands(hold: Flags) -> Mask:
    """Which vertices (N,) bool stay where they are by their Hold (N,) uint8: frozen, or waiting."""
    return (hold == Hold.FROZEN) | (hold == Hold.CUE) | (hold == Hold.TOUCH)


def join(part: Part, lead: Index, hold: Flags, stays: Array, step: float) -> Joined:
    """A part with these leaders.

    hold  : (V,) uint8, Hold
    stays : (V,) float64, [N/m], what each vertex adds to the diagonal by itself: mass, recall
    step  : float, [s]
    """
    count = len(part.x)
    follows = lead != np.arange(count)
    mass = sums(part.mass, lead, count)
    pinned, gone = part.pinned | stands(hold), hold == Hold.REMOVED
    still = pinned | gone | follows
    triangle = lead[part.triangle]
    order = np.argsort(triangle, axis=1)
    triangle = np.take_along_axis(triangle, order, axis=1)
    length2 = np.take_along_axis(part.length2, order, axis=1)
    stiffness = np.take_along_axis(part.stiffness, order[:, :, None], axis=1)
    stiffness = np.take_along_axis(stiffness, order[:, None, :], axis=2)
    segment = np.sort(lead[part.segment], axis=1)
    tets = lead[part.tets]
    pairs = np.concatenate([triangle[:, [0, 1]], triangle[:, [0, 2]], triangle[:, [1, 2]], segment])
    curves, factor = None, None
    if part.bound is not None and part.rate is not None:
        scalar = _merged(part.bound + part.rate / step, lead)
        free = sparse.diags((~still).astype(float))
        own = scalar + sparse.diags(sums(stays, lead, count))
        factor = factored((free @ own @ free + sparse.diags(still.astype(float))).tocsr())
    elif len(triangle) and part.bending is not None:
        faces = lead[part.drawn_faces]
        found = curvature_of(part.x, faces)
        scalar, curves = bending_matrix(found, part.bending), curved_rest(found, part.x, faces, part.bending)
    elif part.bending is not None:
        scalar = _chain_bending(part, part.bending, lead)
    else:
        scalar = sparse.csr_matrix((count, count))
    levels = body_levels(part.x, part.normal, pairs, still, part.solver == Solver.LEVELS)
    return Joined(
        lead,
        mass,
        pinned,
        gone,
        still,
        triangle,
        length2,
        stiffness,
        segment,
        _along(part, np.flatnonzero(~follows)),
        tets,
        scalar,
        curves,
        np.zeros(count, int) if part.seams is None else _islands(lead, [triangle, segment, tets.reshape(-1, 4)]),
        levels,
        factor,
    )


def _along(part: Part, leading: Index) -> Index:
    """Vertices that lead, of a rope along it."""
    if part.origin is None:
        return leading
    return np.asarray(leading[np.lexsort((leading, part.origin[leading]))])


def _islands(lead: Index, elements: list[Index]) -> Index:
    """A number (V,) that is the same of vertices that elements (n, k) join."""
    count = len(lead)
    pair = np.concatenate([np.stack([e[:, 0], e[:, k]], axis=1) for e in elements for k in range(1, e.shape[1])])
    graph = sparse.coo_matrix((np.ones(len(pair), np.int8), (pair[:, 0], pair[:, 1])), shape=(count, count))
    return np.asarray(connected_components(graph, directed=False)[1][lead])


def _merged(matrix: sparse.csr_matrix, lead: Index) -> sparse.csr_matrix:
    """A matrix (V, V) with the rows and columns of those that follow added to those that lead."""
    count = len(lead)
    gather = sparse.csr_matrix((np.ones(count), (lead, np.arange(count))), shape=(count, count))
    return (gather @ matrix @ gather.T).tocsr()


def _chain_bending(part: Part, bending: Array, lead: Index) -> sparse.csr_matrix:
    """Bending of a chain, of each stretch that hangs together."""
    count, ends = len(part.x), lead[part.segment]
    begins = np.concatenate([[0], np.flatnonzero(ends[1:, 0] != ends[:-1, 1]) + 1, [len(ends)]])
    out = sparse.csr_matrix((count, count))
    for a, z in zip(begins, begins[1:], strict=False):
        vertex = np.append(ends[a:z, 0], ends[z - 1, 1])
        place = sparse.csr_matrix((np.ones(len(vertex)), (vertex, np.arange(len(vertex)))), shape=(count, len(vertex)))
        out = out + place @ chain_bending(part.length[a:z], bending[vertex]) @ place.T
    return out.tocsr()
