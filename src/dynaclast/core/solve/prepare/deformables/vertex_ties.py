"""Ties with an end on a deformable body."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from ....arrays import Array, Index, lengths
from ....document import Body, SewnTie, Shot, Tie, WeldTie
from ....errors import InputError
from ....falloff import EvaluationContext, value
from ....fracture.pieces import Pieces
from ....geometry.rotations import rotation_matrix
from ....timeline.channels import shared_at
from ...deformable.tables import TieEnds
from ..ties import nearest_piece
from .part import Part


@dataclass(frozen=True)
class Parts:
    """What ties can end on: bodies of the shot, parts of those that deform, pieces of the others.

    place : of each body of the shot that deforms, its part; first : (B + 1,), vertices of each
    """

    shot: Shot
    place: dict[int, int]
    parts: list[Part]
    first: Index
    built: list[Pieces]
    body_first: Index


Stitch = tuple[tuple[int, int], tuple[int, int], Array]
"""Vertices and pieces at both ends, -1 for none, and where (3,)."""


def vertex_ties(
    shot: Shot, use: list[int], parts: list[Part], first: Index, built: list[Pieces], body_first: Index
) -> tuple[TieEnds, list[Tie]]:
    """Ties with an end on a deformable body, which is put first; what is sewn has one for each stitch. After those of
    the document, one for each vertex that is pinned to an active body.

    Raises InputError where a seam has no stitch.
    """
    number = {body.name: b for b, body in enumerate(shot.bodies)}
    all_parts = Parts(shot, {b: k for k, b in enumerate(use)}, parts, first, built, body_first)
    ties: list[Tie] = []
    stitches: list[Stitch] = []
    for row, one in enumerate(shot.ties):
        ends = [-1 if name is None else number[name] for name in (one.body, one.to)]  # -1: the world
        if not one.on or not any(b in all_parts.place for b in ends):
            continue
        if ends[0] not in all_parts.place:
            ends.reverse()
        if isinstance(one.how, WeldTie):
            own = list(_clamp(_pin(one, ends, all_parts), ends[0], all_parts))
        elif not isinstance(one.how, SewnTie):
            own = [_pin(one, ends, all_parts)]
        elif not (own := list(_sewn(one.how, ends, all_parts))):
            raise InputError(
                f"no vertex of {shot.bodies[ends[0]].name} lies within {one.how.within:g} m of what it is sewn to; "
                f"move them together, or widen its reach",
                where=f"ties[{row}].how.within",
            )
        stitches += own
        ties += [one] * len(own)
    for part, k in zip(parts, first, strict=False):
        stitches += [((int(k + i), -1), (-1, int(part.tied_to[i])), part.start[i]) for i in _tied(part)]
    count = len(stitches)
    strength = [np.inf if one.breaks is None else 1000.0 * one.breaks for one in ties]
    table = TieEnds(
        np.array(strength + [np.inf] * (count - len(ties)), float),
        np.array([vertex for vertex, _, _ in stitches], np.int32).reshape(count, 2),
        np.array([piece for _, piece, _ in stitches], np.int32).reshape(count, 2),
        np.repeat(np.array([at for _, _, at in stitches], float).reshape(count, 1, 3), 2, axis=1),
        np.zeros(count, np.uint8),
    )
    return table, ties


def _tied(part: Part) -> Index:
    return np.flatnonzero(part.tied_to >= 0)


def _pin(tie: Tie, ends: list[int], all_parts: Parts) -> Stitch:
    """The vertices, or the piece, nearest to the tie's point; what is tied keeps the places it has at the start."""
    at, on, point = [-1, -1], [-1, -1], np.asarray(tie.point)
    for k, b in enumerate(ends):
        if b in all_parts.place:
            part = all_parts.parts[all_parts.place[b]]
            at[k] = int(all_parts.first[all_parts.place[b]] + np.argmin(((part.start - point) ** 2).sum(axis=1)))
        elif b >= 0:
            on[k] = int(all_parts.body_first[b] + nearest_piece(all_parts.shot.bodies[b], all_parts.built[b], point))
    k = all_parts.place[ends[0]]
    return (at[0], at[1]), (on[0], on[1]), all_parts.parts[k].start[at[0] - all_parts.first[k]]


def _clamp(stitch: Stitch, body: int, all_parts: Parts) -> Iterator[Stitch]:
    """A stitch of a rope, and the same of the vertices next to it, so that it keeps its direction too."""
    (vertex, other), on, at = stitch
    yield stitch
    part, first = all_parts.parts[all_parts.place[body]], int(all_parts.first[all_parts.place[body]])
    here = (part.start[part.segment] == at).all(axis=2)  # of a rope that can break, each segment has its own
    for far in part.segment[here.any(axis=1)][~here[here.any(axis=1)]]:
        lead = int(np.argmin(((part.start - part.start[far]) ** 2).sum(axis=1)))
        yield (first + lead, other), on, part.start[lead]


def _sewn(how: SewnTie, ends: list[int], all_parts: Parts) -> Iterator[Stitch]:
    """A stitch for every vertex of the first body that lies near the other; of the world, for every vertex in reach."""
    shot, k, other = all_parts.shot, all_parts.place[ends[0]], ends[1]
    x, first = all_parts.parts[k].start, int(all_parts.first[k])
    own = _leading(all_parts.parts[k].x)
    if how.reach is not None:
        evaluation = EvaluationContext(fps=float(shot.timing.fps), shared=shared_at(shot.falloffs, 0.0))
        own = own[value(how.reach, x[own], evaluation) >= 0.5]
    if other in all_parts.place:
        there = all_parts.parts[all_parts.place[other]].start
        leading = _leading(all_parts.parts[all_parts.place[other]].x)
        far, near = cKDTree(there[leading]).query(x[own])
        for i, d, j in zip(own, np.atleast_1d(far), leading[np.atleast_1d(near)], strict=True):
            if d <= how.within:
                yield (first + int(i), int(all_parts.first[all_parts.place[other]] + j)), (-1, -1), x[i]
    elif other < 0:
        for i in own:
            yield (first + int(i), -1), (-1, -1), x[i]
    else:
        piece, far = _nearest_pieces(shot.bodies[other], all_parts.built[other], x[own])
        for i, p, d in zip(own, piece, far, strict=True):
            if d <= how.within:
                yield (first + int(i), -1), (-1, int(all_parts.body_first[other] + p)), x[i]


def _leading(x: Array) -> Index:
    """Of vertices (V, 3) at one place the first, which leads while others can join it, in order."""
    return np.sort(np.unique(x.round(9), axis=0, return_index=True)[1])


def _nearest_pieces(body: Body, pieces: Pieces, x: Array) -> tuple[Index, Array]:
    """The piece of a body nearest to each point (n, 3) of the world, and how far (n,) [m]: by bounds in the
    body's frame, then by centres, as ties.nearest_piece.
    """
    local = (x - np.asarray(body.place.position)) @ rotation_matrix(body.place.rotation)
    best, least = np.zeros(len(x), int), np.full((2, len(x)), np.inf)
    for p in range(pieces.count):
        v = pieces.mesh(p).vertices
        away = lengths(np.maximum(np.maximum(v.min(axis=0) - local, local - v.max(axis=0)), 0.0)).round(9)
        middle = lengths(pieces.center[p] - local)
        nearer = (away < least[0]) | ((away == least[0]) & (middle < least[1]))
        best[nearer] = p
        least[0][nearer], least[1][nearer] = away[nearer], middle[nearer]
    return best, least[0]
