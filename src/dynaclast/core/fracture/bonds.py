"""How strong a body's bonds are, before fields act on them."""

from __future__ import annotations

import numpy as np

from ..arrays import Array
from ..document import Body
from ..falloff import value
from ..geometry.rotations import rotation_matrix
from .pieces import Pieces


def placed(body: Body, points: Array) -> Array:
    """Points (n, 3) of the body's own frame in the world [m]."""
    return points @ rotation_matrix(body.place.rotation).T + np.asarray(body.place.position)


def bond_strengths(body: Body, pieces: Pieces) -> Array:
    """Strength (B,) [N] of every bond: by tier, area, size and falloff; 0 for bonds cut by hand; all 0 without
    bonds.
    """
    count = len(pieces.bond_area)
    bonds = body.bonds
    if bonds is None or not count:
        return np.zeros(count)
    per_tier = [bonds.strength]
    for tier in range(1, 4):
        per_tier.append(bonds.tiers[tier - 1] if tier - 1 < len(bonds.tiers) else per_tier[-1])
    out = 1000.0 * np.array(per_tier)[pieces.bond_tier.astype(int) - 1]
    if bonds.unit != "kN":  # of cloth, areas are lengths
        out = out * pieces.bond_area
    if bonds.by_size:
        smaller = pieces.size[pieces.bond_piece].min(axis=1)
        out = out * (smaller / smaller.mean()) ** bonds.by_size
    if bonds.by_reach is not None:
        share = value(bonds.by_reach.reach, placed(body, pieces.bond_center))
        out = out * (bonds.by_reach.low + share * (bonds.by_reach.high - bonds.by_reach.low))
    return np.where(bonds_cut(body, pieces), 0.0, out)


def bonds_cut(body: Body, pieces: Pieces) -> np.ndarray:
    """Which bonds (B,) bool are cut by hand."""
    if body.bonds is None or not body.bonds.cut:
        return np.zeros(len(pieces.bond_area), bool)
    cut = {(min(a, b), max(a, b)) for a, b in body.bonds.cut}
    return np.array([(a, b) in cut for a, b in pieces.bond_piece.tolist()], bool)
