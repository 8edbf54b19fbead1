"""Pieces of all bodies as one table, their chunks and their bonds."""

from __future__ import annotations

from functools import partial
from typing import Protocol

import numpy as np

from ...arrays import Index, allocate
from ...document import Body, Shot
from ...fracture.bonds import bond_strengths, bonds_cut, placed
from ...fracture.build import content_key
from ...fracture.pieces import Pieces
from ...fracture.solids import Progress
from ...geometry.rotations import rotation_matrix
from ..model import BondTable, PieceTable
from .motion import hold_of


class GetPieces(Protocol):
    """Gives a body's pieces, and tells how far it is; callers that keep built pieces hand in their own."""

    def __call__(self, body: Body, *, progress: Progress) -> Pieces: ...


NO_LINKS = np.zeros(0, np.int32), np.zeros(0, np.int32)
NO_BONDS = BondTable(
    np.zeros((0, 2), np.int32),
    np.zeros(0),
    np.zeros((0, 3)),
    np.zeros(0),
    np.zeros((0, 3)),
    np.zeros((0, 3, 3)),
    np.zeros(0, np.uint8),
    *NO_LINKS,
)


def _nth(progress: Progress, k: int, of: int, share: float) -> None:
    progress((k + share) / of)


def build_each_once(bodies: list[Body], get: GetPieces, progress: Progress) -> list[Pieces]:
    """Pieces of every body before its size in a group; bodies that are alike share them."""
    keys = [content_key(body) for body in bodies]
    different = dict(zip(keys, bodies, strict=True))
    made: dict[str, Pieces] = {}
    for k, (key, body) in enumerate(different.items()):
        progress(k / len(different))
        made[key] = get(body, progress=partial(_nth, progress, k, len(different)))
    return [made[key] for key in keys]


def piece_table(shot: Shot, built: list[Pieces]) -> PieceTable:
    """All pieces in order of the bodies; chunks are left 0."""
    table = allocate(PieceTable, sum(p.count for p in built))
    first = 0
    for index, (body, pieces) in enumerate(zip(shot.bodies, built, strict=True)):
        own = slice(first, first + pieces.count)
        first += pieces.count
        turn, material = rotation_matrix(body.place.rotation), body.material
        density = material.density_for(float(pieces.volume.sum()))
        table.body[own] = index
        table.mass[own] = density * pieces.volume
        table.inertia[own] = density * (turn @ pieces.inertia @ turn.T)
        table.rest_center[own] = pieces.center @ turn.T + np.asarray(body.place.position)
        table.size[own] = np.cbrt(pieces.volume)
        table.friction[own] = material.friction
        table.restitution[own] = material.bounce
        table.rolling[own] = material.rolling
        table.hold[own] = hold_of(body)
        table.gravity_scale[own] = body.gravity
    return table


def first_chunks(built: list[Pieces], body_first: Index) -> Index:
    """Tier-1 chunk of every piece (P,), numbered over all bodies by their lowest piece."""
    out = [np.zeros(0, np.int32)]
    for pieces, first in zip(built, body_first, strict=False):
        _, lowest, back = np.unique(pieces.path[:, 0], return_index=True, return_inverse=True)
        out.append(first + lowest[back.reshape(-1)])
    return np.concatenate(out).astype(np.int32)


def tier_chunks(paths: list[Index], piece_body: Index) -> Index:
    """Chunk of every piece on every tier (P, T + 1), numbered over all bodies by their paths; tier 0 is the body, and a
    piece made on an earlier tier is its own chunk from there on.
    """
    depth = max((p.shape[1] for p in paths), default=0)
    path = np.full((len(piece_body), depth), -1, np.int64)
    first = 0
    for own in paths:
        path[first : first + len(own), : own.shape[1]] = own
        first += len(own)
    out = np.zeros((len(piece_body), depth + 1), np.int32)
    out[:, 0] = piece_body
    for level in range(1, depth + 1):
        rows = np.stack([out[:, level - 1].astype(np.int64), path[:, level - 1]], axis=1)
        _, back = np.unique(rows, axis=0, return_inverse=True)
        out[:, level] = back.reshape(-1)
    return out


def gather_bonds(shot: Shot, built: list[Pieces], body_first: Index) -> BondTable:
    """Bonds of all bodies but those cut by hand, before fields act on them."""
    parts = []
    for body, pieces, first in zip(shot.bodies, built, body_first, strict=False):
        if body.bonds is None or not len(pieces.bond_area):
            continue
        keep, turn = ~bonds_cut(body, pieces), rotation_matrix(body.place.rotation)
        parts.append(
            BondTable(
                pieces.bond_piece[keep] + np.int32(first),
                bond_strengths(body, pieces)[keep],
                placed(body, pieces.bond_center[keep]),
                pieces.bond_area[keep],
                pieces.bond_normal[keep] @ turn.T,
                turn @ pieces.bond_second_moment[keep] @ turn.T,
                pieces.bond_tier[keep],
                *NO_LINKS,
            )
        )
    return BondTable(*(np.concatenate(column) for column in zip(NO_BONDS, *parts, strict=True)))
