"""How many pieces and bonds each field reaches in each body: the figures of the reach grid."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..document import Shot
from ..fields import EFFECTS, Setting, Targets
from ..fields.base import reach_of_bonds, reach_of_pieces
from ..fracture.bonds import bond_strengths, bonds_cut, placed
from ..fracture.pieces import Pieces


@dataclass(frozen=True)
class Crossing:
    """One field against one body.

    pieces: how many it reaches (for an anchor: holds); of: all; bonds: how many it reaches; breaks: how many a strain
    would break by itself; load_top, strength_low, strength_high [kN] over the bonds in reach
    """

    field: str
    body: str
    targeted: bool
    pieces: int
    of: int
    bonds: int
    breaks: int
    load_top: float
    strength_low: float
    strength_high: float


@dataclass(frozen=True)
class Standing:
    """Everything a shot's fields can act on, where it stands at the start; bodies in order, groups written out.

    piece_center (P, 3), bond_center (B, 3) [m]; strength (B,) [N] before fields; piece_column (P,), bond_column (B,): index into
    columns, the names of single bodies and groups
    """

    piece_center: np.ndarray
    bond_center: np.ndarray
    strength: np.ndarray
    piece_column: np.ndarray
    bond_column: np.ndarray
    columns: list[str]


def standing(shot: Shot, built: list[Pieces]) -> Standing:
    """Gather a written-out shot's pieces and bonds."""
    columns = list(dict.fromkeys(b.column for b in shot.bodies))
    number = {name: k for k, name in enumerate(columns)}
    centers, bonds, strength, piece_column, bond_column = [np.zeros((0, 3))], [np.zeros((0, 3))], [np.zeros(0)], [np.zeros(0, int)], [np.zeros(0, int)]
    for body, pieces in zip(shot.bodies, built, strict=True):
        centers.append(placed(body, pieces.center))
        piece_column.append(np.full(pieces.count, number[body.column]))
        if body.bonds is not None and len(pieces.bond_area):
            keep = ~bonds_cut(body, pieces)
            bonds.append(placed(body, pieces.bond_center[keep]))
            strength.append(bond_strengths(body, pieces)[keep])
            bond_column.append(np.full(int(keep.sum()), number[body.column]))
    return Standing(np.concatenate(centers), np.concatenate(bonds), np.concatenate(strength), np.concatenate(piece_column), np.concatenate(bond_column), columns)


def crossings(shot: Shot, built: list[Pieces], at: Standing | None = None) -> list[Crossing]:
    """Every field against every body and group, fields in order, then columns."""
    at = at or standing(shot, built)
    out: list[Crossing] = []
    setting = Setting(at.piece_center, at.bond_center)
    everything = Targets(np.ones(len(at.piece_center), bool), np.ones(len(at.bond_center), bool))
    for item in shot.fields:
        effect = EFFECTS[item.effect.kind]
        held = effect.held(item, setting, everything)
        reached = held if held is not None else reach_of_pieces(item, setting, everything) > 0
        near = reach_of_bonds(item, setting, everything) > 0
        load = effect.load(item, setting, everything)
        for k, name in enumerate(at.columns):
            own, bonds = at.piece_column == k, at.bond_column == k
            close = at.strength[near & bonds]
            out.append(
                Crossing(
                    item.name, name, item.on and (item.targets == "all" or name in item.targets), int(reached[own].sum()), int(own.sum()), len(close),
                    int((load > at.strength)[bonds].sum()) if load is not None else 0,
                    float(load[bonds].max(initial=0.0)) / 1000 if load is not None else 0.0,
                    float(close.min()) / 1000 if len(close) else 0.0,
                    float(close.max()) / 1000 if len(close) else 0.0,
                )
            )
    return out
