"""Strain: load on the bonds in reach, a blow or a tick of wear; a blow may burst what it frees."""

from __future__ import annotations

from ..document import FieldItem, StrainEffect
from ..geometry.mesh import Array
from .base import Effect, Setting, Targets, radial, reach_of_bonds, reach_of_pieces


class Strain(Effect):
    def load(self, item: FieldItem, setting: Setting, targets: Targets) -> Array:
        assert isinstance(item.effect, StrainEffect)
        return 1000.0 * item.effect.load * reach_of_bonds(item, setting, targets)

    def kick(self, item: FieldItem, setting: Setting, targets: Targets) -> Array | None:
        assert isinstance(item.effect, StrainEffect)
        if item.effect.burst == 0.0:
            return None
        return item.effect.burst * reach_of_pieces(item, setting, targets)[:, None] * radial(item, setting)
