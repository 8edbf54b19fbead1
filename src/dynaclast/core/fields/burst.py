"""Burst, push and spin: blows, or steady while a span is on."""

from __future__ import annotations

from ..document import BurstEffect, FieldItem, PushEffect, SpinEffect
from .base import Effect, EffectContext, Forcing, differing, per_mass, radial


class Burst(Effect):
    """Radial: the speed it gives is that of a thing as a whole."""

    over_volume = False

    def blow(self, item: FieldItem, on: EffectContext) -> Forcing:
        effect = item.effect
        assert isinstance(effect, BurstEffect)
        mass = on.samples.mass
        amount = (
            effect.speed
            * per_mass(effect.unit, mass)
            * differing(len(mass), effect.noise, effect.seed)
            * on.reach_of(item)
        )
        return Forcing(amount[:, None] * radial(item, on))

    def forcing(self, item: FieldItem, on: EffectContext) -> Forcing:
        return self.blow(item, on)


class Push(Effect):
    """Along a direction."""

    def blow(self, item: FieldItem, on: EffectContext) -> Forcing:
        effect = item.effect
        assert isinstance(effect, PushEffect)
        mass = on.samples.mass
        amount = (
            effect.amount
            * per_mass(effect.unit, mass)
            * differing(len(mass), effect.noise, effect.seed)
            * on.reach_of(item)
        )
        return Forcing(amount[:, None] * on.pose_of(item).direction)

    def forcing(self, item: FieldItem, on: EffectContext) -> Forcing:
        return self.blow(item, on)


class Spin(Effect):
    """Each piece about itself: by an angular velocity, or by a torque, which turns it as its inertia has it."""

    over_volume = False

    def blow(self, item: FieldItem, on: EffectContext) -> Forcing:
        effect = item.effect
        assert isinstance(effect, SpinEffect)
        amount = effect.amount * differing(len(on.samples), effect.noise, effect.seed) * on.reach_of(item)
        about = amount[:, None] * on.pose_of(item).direction
        return Forcing(torque=about) if effect.unit == "N m" else Forcing(angular=about)

    def forcing(self, item: FieldItem, on: EffectContext) -> Forcing:
        return self.blow(item, on)
