"""Anchor: pieces in reach are held before step one; softer reach strengthens bonds instead."""

from __future__ import annotations

import numpy as np

from ..arrays import Array, Mask
from ..document import AnchorEffect, FieldItem
from .base import Effect, EffectContext


class Anchor(Effect):
    def holds(self, item: FieldItem, on: EffectContext) -> Mask:
        assert isinstance(item.effect, AnchorEffect)
        return on.reach_of(item) >= item.effect.cut

    def strength_factor(self, item: FieldItem, on: EffectContext) -> Array:
        assert isinstance(item.effect, AnchorEffect)
        f = on.reach_of(item)
        return np.where(
            f < item.effect.cut, 1.0 + item.effect.reinforce * f, 1.0 + item.effect.reinforce * item.effect.cut
        )
