"""Load on bonds that goes on from tier to tier.

A load in reach of a chunk falls on its coarsest bonds first. A bond gives way when what has been laid on it is more
than its strength; what is over goes on to the next finer bonds of the chunk that came free (Miner 1945, Cumulative
Damage in Fatigue, for what adds up and stays).
"""

from __future__ import annotations

import numpy as np

from ..geometry.mesh import Array
from .model import Model


def _barred(model: Model, standing: np.ndarray) -> np.ndarray:
    """Bonds (B,) bool that wait: a coarser bond of the chunk they lie in still stands in reach (``standing`` (B,)
    bool).
    """
    bonds, chunks = model.bonds, model.chunks
    out = np.zeros(len(bonds.tier), bool)
    top = int(bonds.tier.max(initial=0))
    for tier in range(2, top + 1):
        own = bonds.tier == tier
        if not own.any():
            continue
        level = min(tier - 1, chunks.shape[1] - 1)
        coarse = standing & (bonds.tier < tier)
        held = np.zeros(int(chunks[:, level].max()) + 1, bool)
        held[chunks[bonds.piece[coarse].ravel(), level]] = True
        out[own] = held[chunks[bonds.piece[own, 0], level]]
    return out


def lay_on(model: Model, broken: np.ndarray, wear: Array, load: Array) -> tuple[np.ndarray, Array]:
    """Lay loads (B,) [N] on bonds with their wear (B,).

    Returns which give way (B,) bool, and what then lies on every bond (B,) [N], wear included.
    """
    strength = np.maximum(model.bonds.strength, 1e-9)
    total = wear * strength
    gone = broken.astype(bool)
    if model.bonds.tier.max(initial=0) <= 1:  # nothing finer that it could go on to
        total = np.where(load > 0, total + load, total)
        return (load > 0) & ~gone & (total > strength), total
    gave = np.zeros(len(gone), bool)
    reached = (load > 0) & ~gone
    open_ = reached & ~_barred(model, reached & ~gone)
    total[open_] += load[open_]
    while True:
        give = open_ & ~gone & (total > strength)
        if not give.any():
            return gave, total
        gave |= give
        gone |= give
        fresh = reached & ~gone & ~open_
        fresh &= ~_barred(model, reached & ~gone)
        if fresh.any():
            total[fresh] += _left_over(model, give, total - strength, fresh)
            open_ |= fresh


def _left_over(model: Model, give: np.ndarray, over: Array, fresh: np.ndarray) -> Array:
    """Mean of what was over on the bonds that just gave way around the chunk each fresh bond lies in (n,)."""
    bonds, chunks = model.bonds, model.chunks
    out = np.zeros(int(fresh.sum()))
    tiers = bonds.tier[fresh]
    for tier in np.unique(tiers):
        level = min(int(tier) - 1, chunks.shape[1] - 1)
        size = int(chunks[:, level].max()) + 1
        total, many = np.zeros(size), np.zeros(size)
        for end in (0, 1):
            at = chunks[bonds.piece[give, end], level]
            np.add.at(total, at, over[give])
            np.add.at(many, at, 1.0)
        own = chunks[bonds.piece[fresh, 0][tiers == tier], level]
        out[tiers == tier] = total[own] / np.maximum(many[own], 1.0)
    return out
