"""Burst, push and spin: blows, or steady while a span is on."""

from __future__ import annotations

import numpy as np

from ..arrays import Array
from ..document import BurstEffect, FieldItem, PushEffect, SpinEffect
from .base import Effect, EffectContext, differing, per_mass, radial


class Burst(Effect):
    """Radial."""

    def velocity_change(self, item: FieldItem, on: EffectContext) -> Array:
        effect = item.effect
        assert isinstance(effect, BurstEffect)
        mass = on.samples.mass
        amount = (
            effect.speed
            * per_mass(effect.unit, mass)
            * differing(len(mass), effect.noise, effect.seed)
            * on.reach_of(item)
        )
        return amount[:, None] * radial(item, on)

    def acceleration(self, item: FieldItem, on: EffectContext) -> tuple[Array, None]:
        return self.velocity_change(item, on), None


class Push(Effect):
    """Along a direction."""

    def velocity_change(self, item: FieldItem, on: EffectContext) -> Array:
        effect = item.effect
        assert isinstance(effect, PushEffect)
        mass = on.samples.mass
        amount = (
            effect.amount
            * per_mass(effect.unit, mass)
            * differing(len(mass), effect.noise, effect.seed)
            * on.reach_of(item)
        )
        return amount[:, None] * on.pose_of(item).direction

    def acceleration(self, item: FieldItem, on: EffectContext) -> tuple[Array, None]:
        return self.velocity_change(item, on), None


class Spin(Effect):
    """Each piece about itself; given as a torque it divides by the inertia of a ball of the piece's mass and size."""

    def angular_velocity_change(self, item: FieldItem, on: EffectContext) -> Array:
        effect = item.effect
        assert isinstance(effect, SpinEffect)
        count = len(on.samples)
        weigh = np.ones(count)
        if effect.unit == "N m":
            radius = on.samples.size * (3.0 / (4.0 * np.pi)) ** (1.0 / 3.0)
            weigh = 1.0 / (0.4 * on.samples.mass * radius**2)
        amount = effect.amount * weigh * differing(count, effect.noise, effect.seed) * on.reach_of(item)
        return amount[:, None] * on.pose_of(item).direction

    def acceleration(self, item: FieldItem, on: EffectContext) -> tuple[None, Array]:
        return None, self.angular_velocity_change(item, on)
