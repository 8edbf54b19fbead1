"""Strain: load on the bonds in reach, a blow or a tick of wear; a blow may burst what it frees."""

from __future__ import annotations

from ..arrays import Array
from ..document import FieldItem, StrainEffect
from .base import Effect, EffectContext, Forcing, radial


class Strain(Effect):
    def load(self, item: FieldItem, on: EffectContext) -> Array:
        assert isinstance(item.effect, StrainEffect)
        return 1000.0 * item.effect.load * on.reach_of(item)

    def blow(self, item: FieldItem, on: EffectContext) -> Forcing:
        assert isinstance(item.effect, StrainEffect)
        if item.effect.burst == 0.0:
            return Forcing()
        return Forcing(item.effect.burst * on.reach_of(item)[:, None] * radial(item, on))
