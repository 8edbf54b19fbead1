"""Burst, push and spin: blows, or steady while a span is on."""

from __future__ import annotations

import numpy as np

from ..document import BurstEffect, FieldItem, PushEffect, SpinEffect
from ..geometry.mesh import Array
from .base import Effect, Setting, Targets, differing, per_mass, radial, reach_of_pieces


def _mass(setting: Setting) -> Array:
    return setting.matter.mass if setting.matter is not None else np.ones(len(setting.piece_center))


class Burst(Effect):
    """Radial."""

    def kick(self, item: FieldItem, setting: Setting, targets: Targets) -> Array:
        effect = item.effect
        assert isinstance(effect, BurstEffect)
        mass = _mass(setting)
        amount = (
            effect.speed
            * per_mass(effect.unit, mass)
            * differing(len(mass), effect.noise, effect.seed)
            * reach_of_pieces(item, setting, targets)
        )
        return amount[:, None] * radial(item, setting)

    def flow(self, item: FieldItem, setting: Setting, targets: Targets) -> tuple[Array, None]:
        return self.kick(item, setting, targets), None


class Push(Effect):
    """Along a direction."""

    def kick(self, item: FieldItem, setting: Setting, targets: Targets) -> Array:
        effect = item.effect
        assert isinstance(effect, PushEffect)
        mass = _mass(setting)
        amount = (
            effect.amount
            * per_mass(effect.unit, mass)
            * differing(len(mass), effect.noise, effect.seed)
            * reach_of_pieces(item, setting, targets)
        )
        return amount[:, None] * setting.at(item).direction

    def flow(self, item: FieldItem, setting: Setting, targets: Targets) -> tuple[Array, None]:
        return self.kick(item, setting, targets), None


class Spin(Effect):
    """Each piece about itself; given as a torque it divides by the inertia of a ball of the piece's mass and size."""

    def whirl(self, item: FieldItem, setting: Setting, targets: Targets) -> Array:
        effect = item.effect
        assert isinstance(effect, SpinEffect)
        count = len(setting.piece_center)
        weigh = np.ones(count)
        if effect.unit == "N m" and setting.matter is not None:
            radius = setting.matter.size * (3.0 / (4.0 * np.pi)) ** (1.0 / 3.0)
            weigh = 1.0 / (0.4 * setting.matter.mass * radius**2)
        amount = (
            effect.amount
            * weigh
            * differing(count, effect.noise, effect.seed)
            * reach_of_pieces(item, setting, targets)
        )
        return amount[:, None] * setting.at(item).direction

    def flow(self, item: FieldItem, setting: Setting, targets: Targets) -> tuple[None, Array]:
        return None, self.whirl(item, setting, targets)
