"""How many pieces and bonds each field reaches in each body: the figures of the reach grid."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..document import Shot
from ..fields import EFFECTS, Setting, Targets
from ..fields.base import reach_of_bonds, reach_of_pieces
from ..fracture.pieces import Pieces
from ..geometry.mesh import rotation_matrix


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


def placed_centers(shot: Shot, built: list[Pieces], index: int) -> tuple[np.ndarray, np.ndarray]:
    """World centres of a body's pieces (P, 3) and bonds (B, 3) [m]."""
    place = shot.bodies[index].place
    turn, at = rotation_matrix(place.rotation).T, np.asarray(place.position)
    return built[index].center @ turn + at, built[index].bond_center @ turn + at


def bond_strength(shot: Shot, built: list[Pieces], index: int) -> np.ndarray:
    """Strength of a body's bonds (B,) [N], before fields; empty without bonds."""
    bonds, area = shot.bodies[index].bonds, built[index].bond_area
    if bonds is None:
        return np.zeros(0)
    return 1000.0 * bonds.strength * (area if bonds.unit == "kN/m2" else np.ones(len(area)))


def crossings(shot: Shot, built: list[Pieces]) -> list[Crossing]:
    """Every field against every body, fields in order, then bodies."""
    out: list[Crossing] = []
    for item in shot.fields:
        effect = EFFECTS[item.effect.kind]
        for index, body in enumerate(shot.bodies):
            pieces, bonds = placed_centers(shot, built, index)
            strength = bond_strength(shot, built, index)
            bonds = bonds[: len(strength)]
            targeted = item.on and (item.targets == "all" or body.name in item.targets)
            targets = Targets(np.ones(len(pieces), bool), np.ones(len(bonds), bool))
            setting = Setting(pieces, bonds)
            held = effect.held(item, setting, targets)
            count = int(held.sum()) if held is not None else int((reach_of_pieces(item, setting, targets) > 0).sum())
            near = reach_of_bonds(item, setting, targets) > 0
            load = effect.load(item, setting, targets)
            broken = int((load > strength).sum()) if load is not None else 0
            out.append(
                Crossing(
                    item.name, body.name, targeted, count, len(pieces), int(near.sum()), broken,
                    float(load.max(initial=0.0)) / 1000 if load is not None else 0.0,
                    float(strength[near].min(initial=np.inf)) / 1000 if near.any() else 0.0,
                    float(strength[near].max(initial=0.0)) / 1000 if near.any() else 0.0,
                )
            )
    return out
