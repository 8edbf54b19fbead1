"""Ties of the document as a table."""

from __future__ import annotations

import numpy as np

from ...arrays import Array, Index, allocate
from ...document import Body, Shot
from ...fracture.pieces import Pieces
from ...geometry.rotations import rotation_matrix
from ..model import TieKind, TieTable


def nearest_piece(body: Body, pieces: Pieces, point: Array) -> int:
    """The piece of a body nearest to a point of the world: by its bounds in the body's frame, then by its centre."""
    local = (np.asarray(point) - np.asarray(body.place.position)) @ rotation_matrix(body.place.rotation)
    best, least = 0, (np.inf, np.inf)
    for p in range(pieces.count):
        v = pieces.mesh(p).vertices
        away = float(np.linalg.norm(np.maximum(np.maximum(v.min(axis=0) - local, local - v.max(axis=0)), 0.0)))
        rank = (round(away, 9), float(np.linalg.norm(pieces.center[p] - local)))
        if rank < least:
            best, least = p, rank
    return best


def tie_table(shot: Shot, built: list[Pieces], body_first: Index) -> tuple[TieTable, list[str], Index]:
    """The ties that are on between rigid bodies, or one and the world, their names, and the pairs of bodies (N, 2) they
    keep from touching.
    """
    number = {body.name: b for b, body in enumerate(shot.bodies)}
    deforms = {body.name for body in shot.bodies if body.deforms}
    use = [t for t in shot.ties if t.on and not {t.body, t.to} & deforms]  # others are ties of vertices
    table = allocate(TieTable, len(use))
    table.piece[:] = -1
    table.axis[:] = (0.0, 1.0, 0.0)
    table.low[:], table.high[:], table.strength[:] = -np.inf, np.inf, np.inf
    uncollided = []
    for i, tie in enumerate(use):
        table.kind[i] = TieKind[tie.how.kind.upper()]
        ends = table.point[i]
        ends[0] = tie.point
        ends[1] = tie.to_point if tie.to_point is not None else tie.point
        for end, name in ((0, tie.body), (1, tie.to)):
            if name is not None:
                b = number[name]
                table.piece[i, end] = body_first[b] + nearest_piece(shot.bodies[b], built[b], ends[end])
        if tie.how.kind == "hinge":
            table.axis[i] = np.asarray(tie.how.axis) / np.linalg.norm(tie.how.axis)
            table.friction[i] = tie.how.friction
            if tie.how.limits is not None:
                table.low[i], table.high[i] = tie.how.limits
        if tie.how.kind == "string":
            table.length[i] = tie.how.length if tie.how.length is not None else np.linalg.norm(ends[0] - ends[1])
        if tie.breaks is not None:
            table.strength[i] = 1000.0 * tie.breaks
        if tie.to is not None and not tie.collide:
            uncollided.append((number[tie.body], number[tie.to]))
    return table, [t.name for t in use], np.array(uncollided, np.int32).reshape(-1, 2)
