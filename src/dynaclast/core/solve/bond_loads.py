"""Load on bonds that goes on from tier to tier.

A load in reach of a chunk falls on its coarsest bonds first. A bond fails when what loads it is more than its
strength; what is over goes on to the next finer bonds of the chunk that came free (Miner 1945, Cumulative
Damage in Fatigue, for what adds up and stays).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..arrays import Array, Flags, Index, Mask
from .model import Model


class BondGraph(NamedTuple):
    """What joins pieces: bonds, or seams of deformable bodies; B of them.

    strength : (B,) float64, [N]
    tier     : (B,) uint8
    piece    : (B, 2) int32
    chunks   : (P, T + 1) int32, chunk of every piece on every tier
    """

    strength: Array
    tier: Flags
    piece: Index
    chunks: Index


def bond_graph(model: Model) -> BondGraph:
    """The bonds of a model."""
    return BondGraph(model.bonds.strength, model.bonds.tier, model.bonds.piece, model.chunks)


def wear_down(bonds: BondGraph, broken: Flags, wear: Array, load: Array) -> Array:
    """A tick of wear: the load (B,) [N] stays. Returns loads (B,) [N] of those that fail under it, 0 of others.

    wear : (B,) float64, share of strength lost, written
    """
    failing, total = apply_load(bonds, broken, wear, load)
    whole = np.maximum(bonds.strength, 1e-9)
    wear[:] = np.where(failing, 0.0, np.minimum(total / whole, 1.0))
    return np.where(failing, np.maximum(total, whole * (1 + 1e-12)), 0.0)


def _shielded(bonds: BondGraph, intact: Mask) -> Mask:
    """Bonds (B,) bool that wait: a coarser bond of the chunk they lie in still stands in reach (``intact`` (B,)
    bool).
    """
    chunks = bonds.chunks
    out = np.zeros(len(bonds.tier), bool)
    top = int(bonds.tier.max(initial=0))
    for tier in range(2, top + 1):
        own = bonds.tier == tier
        if not own.any():
            continue
        level = min(tier - 1, chunks.shape[1] - 1)
        coarse = intact & (bonds.tier < tier)
        held = np.zeros(int(chunks[:, level].max()) + 1, bool)
        held[chunks[bonds.piece[coarse].ravel(), level]] = True
        out[own] = held[chunks[bonds.piece[own, 0], level]]
    return out


def apply_load(bonds: BondGraph, broken: Flags, wear: Array, load: Array) -> tuple[Mask, Array]:
    """Load bonds that are worn, and carry over what is left when they fail.

    broken  : (B,) uint8
    wear    : (B,) float64, share of strength lost
    load    : (B,) float64, [N]
    Returns : (B,) bool, which fail; (B,) float64, [N], what then loads each bond, wear included
    """
    strength = np.maximum(bonds.strength, 1e-9)
    total = wear * strength
    gone = broken.astype(bool)
    if bonds.tier.max(initial=0) <= 1:  # nothing finer that it could go on to
        total = np.where(load > 0, total + load, total)
        return (load > 0) & ~gone & (total > strength), total
    failed = np.zeros(len(gone), bool)
    reached = (load > 0) & ~gone
    open_ = reached & ~_shielded(bonds, reached & ~gone)
    total[open_] += load[open_]
    while True:
        failing = open_ & ~gone & (total > strength)
        if not failing.any():
            return failed, total
        failed |= failing
        gone |= failing
        fresh = reached & ~gone & ~open_
        fresh &= ~_shielded(bonds, reached & ~gone)
        if fresh.any():
            total[fresh] += _remaining_load(bonds, failing, total - strength, fresh)
            open_ |= fresh


def _remaining_load(bonds: BondGraph, failing: Mask, over: Array, fresh: Mask) -> Array:
    """Mean of what was over on the bonds that just failed around the chunk each fresh bond lies in (n,)."""
    chunks = bonds.chunks
    out = np.zeros(int(fresh.sum()))
    tiers = bonds.tier[fresh]
    for tier in np.unique(tiers):
        level = min(int(tier) - 1, chunks.shape[1] - 1)
        size = int(chunks[:, level].max()) + 1
        total, many = np.zeros(size), np.zeros(size)
        for end in (0, 1):
            at = chunks[bonds.piece[failing, end], level]
            np.add.at(total, at, over[failing])
            np.add.at(many, at, 1.0)
        own = chunks[bonds.piece[fresh, 0][tiers == tier], level]
        out[tiers == tier] = total[own] / np.maximum(many[own], 1.0)
    return out
