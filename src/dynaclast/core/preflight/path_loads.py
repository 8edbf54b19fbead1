"""What a field would put through the bonds of what it acts on, where things open."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..document import Body, FieldItem, Shot
from ..fields import EFFECTS, Forcing
from ..fields.base import among
from ..fracture.pieces import Pieces
from ..solve.impact_loads import IMPACT_TIME
from ..timeline.cues import lasts
from .loads import Bonded, bonded
from .reach import Layout, on_pieces

MOST_PIECES = 2000
"""Pieces in all for which it is worked out while one edits; bodies beyond that are left out."""


@dataclass(frozen=True)
class PathLoad:
    """What flows through the bonds of a body, or of the members of a group, by a field and the weight of what is held.

    body     : the column
    bonds    : how many were looked at; 0 where there are too many pieces for it while one edits
    load     : [kN], of the bond of which the greatest share of its strength is taken
    strength : [kN], of that bond
    over     : how many bonds bear more than they can
    rule     : off, on or fail, as the body has it
    """

    body: str
    bonds: int
    load: float
    strength: float
    over: int
    rule: str


def path_loads(shot: Shot, built: list[Pieces], at: Layout, item: FieldItem, most: int = MOST_PIECES) -> list[PathLoad]:
    """Of the bodies with bonds that a field targets, in order; of a strain by their weight alone.

    shot : written out; at : as ``lay_out`` gives it of the same; most : pieces in all
    """
    forcing = _forcing(at, item)
    first, left = np.cumsum([0, *(p.count for p in built)]), most
    found: dict[str, PathLoad] = {}
    for index, (body, pieces) in enumerate(zip(shot.bodies, built, strict=True)):
        if body.bonds is None or body.role != "active" or not len(pieces.bond_area):
            continue
        if not among(item.targets, [body.column])[0]:
            continue
        before = found.setdefault(body.column, PathLoad(body.column, 0, 0.0, 0.0, 0, body.load_path))
        left -= pieces.count
        if left < 0:
            continue
        own = slice(first[index], first[index + 1])
        mine = Forcing(*(None if x is None else x[own] for x in forcing))
        now = _told(body, bonded(shot, built, index), mine)
        worse = now if now.load * before.strength >= before.load * now.strength else before
        found[body.column] = PathLoad(
            body.column, before.bonds + now.bonds, worse.load, worse.strength, before.over + now.over, body.load_path
        )
    return list(found.values())


def _forcing(at: Layout, item: FieldItem) -> Forcing:
    """What a field does to all pieces; of a blow, its change of velocity over the time of an impact."""
    effect, on = EFFECTS[item.effect.kind], on_pieces(at, among(item.targets, at.columns)[at.piece_column])
    if item.effect.kind == "strain":
        return Forcing()
    if lasts(item):
        return effect.forcing(item, on)
    return Forcing(*(None if x is None else x / IMPACT_TIME for x in effect.blow(item, on)))


def _told(body: Body, own: Bonded, forcing: Forcing) -> PathLoad:
    if not len(own.rows):
        return PathLoad(body.column, 0, 0.0, 0.0, 0, body.load_path)
    load = own.driven(forcing)
    share = load / np.maximum(own.strength, 1e-9)
    worst = int(share.argmax())
    kilonewtons = float(load[worst]) / 1000, float(own.strength[worst]) / 1000
    return PathLoad(body.column, len(load), *kilonewtons, int((share > 1).sum()), body.load_path)
