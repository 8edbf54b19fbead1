"""Ties with an end on a deformable body."""

from __future__ import annotations

import numpy as np

from ....arrays import Index
from ....document import Shot, Tie
from ....fracture.pieces import Pieces
from ...deformable.tables import TieEnds
from ..ties import nearest_piece
from .part import Part


def vertex_ties(
    shot: Shot, use: list[int], parts: list[Part], first: Index, built: list[Pieces], body_first: Index
) -> tuple[TieEnds, list[Tie]]:
    """Ties with an end on a deformable body, which is put first."""
    number = {body.name: b for b, body in enumerate(shot.bodies)}
    place = {b: k for k, b in enumerate(use)}
    tie, vertex, piece, point = [], [], [], []
    for one in shot.ties:
        ends = [-1 if name is None else number[name] for name in (one.body, one.to)]  # -1: the world
        if not one.on or not any(b in place for b in ends):
            continue
        if ends[0] not in place:
            ends.reverse()
        at, on = np.full(2, -1), np.full(2, -1)
        for k, b in enumerate(ends):
            if b in place:
                part = parts[place[b]]
                at[k] = first[place[b]] + np.argmin(((part.x - np.asarray(one.point)) ** 2).sum(axis=1))
            elif b >= 0:
                on[k] = body_first[b] + nearest_piece(shot.bodies[b], built[b], np.asarray(one.point))
        tie.append(one)
        vertex.append(at)
        piece.append(on)
        where = parts[place[ends[0]]].x[at[0] - first[place[ends[0]]]]
        point.append([where, where])  # what is tied keeps the places that it has at the start
    count = len(tie)
    table = TieEnds(
        np.array([np.inf if one.breaks is None else 1000.0 * one.breaks for one in tie], float),
        np.array(vertex, np.int32).reshape(count, 2),
        np.array(piece, np.int32).reshape(count, 2),
        np.array(point, float).reshape(count, 2, 3),
    )
    return table, tie
