"""Burst: one radial blow, in speed, the same for light and heavy."""

from __future__ import annotations

from ..document import BurstEffect, FieldItem
from ..geometry.mesh import Array
from .base import Effect, Setting, Targets, radial, reach_of_pieces


class Burst(Effect):
    def kick(self, item: FieldItem, setting: Setting, targets: Targets) -> Array:
        assert isinstance(item.effect, BurstEffect)
        return item.effect.speed * reach_of_pieces(item, setting, targets)[:, None] * radial(item, setting)
