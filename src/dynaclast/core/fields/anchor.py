"""Anchor: pieces in reach are held before step one; softer reach strengthens bonds instead."""

from __future__ import annotations

import numpy as np

from ..document import AnchorEffect, FieldItem
from ..geometry.mesh import Array
from .base import Effect, Setting, Targets, reach_of_bonds, reach_of_pieces


class Anchor(Effect):
    def held(self, item: FieldItem, setting: Setting, targets: Targets) -> Array:
        assert isinstance(item.effect, AnchorEffect)
        return reach_of_pieces(item, setting, targets) >= item.effect.cut

    def strengthen(self, item: FieldItem, setting: Setting, targets: Targets) -> Array:
        assert isinstance(item.effect, AnchorEffect)
        f = reach_of_bonds(item, setting, targets)
        return np.where(
            f < item.effect.cut, 1.0 + item.effect.reinforce * f, 1.0 + item.effect.reinforce * item.effect.cut
        )
