"""How many bonds a strain breaks by itself: worked out as the solver does, on a structure that stays where it is."""

from __future__ import annotations

import numpy as np

from ..arrays import Array, Mask
from ..document import AnchorEffect, AtCue, FieldItem, HandCue, PulseCue, Shot, StrainEffect
from ..fields import EFFECTS, EffectContext
from ..fields.base import among
from ..fracture.pieces import Pieces
from ..solve.bond_loads import BondGraph, apply_load, wear_down
from ..solve.prepare.pieces import gather_bonds, tier_chunks

MOST_LOADINGS = 1_500_000
"""Bonds times ticks that are worked out; of more ticks of wear several are laid on as one."""


def bond_graph(shot: Shot, built: list[Pieces], strength: Array) -> BondGraph:
    """The bonds of a written-out shot, as the solver has them.

    strength : (B,) float64 [N]
    """
    first = np.cumsum([0, *(p.count for p in built)])
    bonds = gather_bonds(shot, built, first[:-1])
    body = np.repeat(np.arange(len(built)), [p.count for p in built])
    return BondGraph(strength, bonds.tier, bonds.piece, tier_chunks([p.path for p in built], body))


def strengthened(items: list[FieldItem], on: EffectContext, bond_column: Array, columns: list[str]) -> Array:
    """What anchors multiply the strength of every bond (B,) by."""
    out = np.ones(len(on.samples))
    for item in items:
        if item.on and isinstance(item.effect, AnchorEffect):
            factor = EFFECTS["anchor"].strength_factor(item, on)
            if factor is not None:
                out *= np.where(among(item.targets, columns)[bond_column], factor, 1.0)
    return out


def firings(item: FieldItem, duration: float) -> int:
    """How often a strain falls in a run; once where hits call it, as nobody knows how often they will."""
    cue = item.cue
    if isinstance(cue, AtCue):
        return int(cue.time <= duration)
    if isinstance(cue, HandCue):
        return sum(t <= duration for t in cue.times)
    if isinstance(cue, PulseCue):
        count = int((duration - cue.start) / cue.every + 1e-9) + 1 if duration >= cue.start else 0
        return count if cue.count is None else min(count, cue.count)
    return 1


def broken_by(item: FieldItem, load: Array, graph: BondGraph, targeted: Mask, times: int) -> Mask:
    """Bonds (B,) bool that a strain breaks by itself, falling so often.

    load : (B,) float64 [N], of one firing;  targeted : (B,) bool
    """
    assert isinstance(item.effect, StrainEffect)
    load = np.where(targeted, load, 0.0)
    wears = item.effect.mode == "wear"
    steps = min(times, max(40, MOST_LOADINGS // max(1, len(load))))
    if wears and steps:
        load = load * (times / steps)
    broken, wear = np.zeros(len(load), np.uint8), np.zeros(len(load))
    laid = np.zeros(len(load))
    most = np.inf if item.effect.cap is None else 1000.0 * item.effect.cap
    for _ in range(steps):
        if wears:
            now = np.minimum(load, np.maximum(0.0, most - laid))
            laid += now
            if not now.any():
                break
            failing = wear_down(graph, broken, wear, now) > 0
        else:
            failing, _ = apply_load(graph, broken, wear, load)
            if not failing.any():
                break
        broken[failing] = 1
        if broken[load > 0].all():
            break
    return broken.astype(bool)
