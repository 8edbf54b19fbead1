"""Effects that move things all the while they are on.

Each gives the mean acceleration over a step. What depends on velocity is solved over the step in closed form
(exponential or rational decay), so that a strong grip on a light piece never overshoots, whatever the step.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from ..arrays import Array, cross, lengths
from ..document import AttractorEffect, DragEffect, FieldItem, GravityEffect, TurbulenceEffect, VortexEffect, WindEffect
from ..falloff.noise import curl_noise, noise
from ..geometry.rotations import rotation_matrix
from .base import Effect, EffectContext, Forcing, per_mass
from .pose import Pose

SMALL = 1e-12


def towards(wanted: Array, velocity: Array, rate: Array, step: float) -> Array:
    """Mean acceleration (n, 3) over a step of dv/dt = rate (wanted - v), exactly."""
    return (wanted - velocity) * (-np.expm1(-rate * step) / step)[:, None]


def unit(vectors: Array) -> tuple[Array, Array]:
    """Unit vectors (n, 3), 0 for the zero vector, and lengths (n,)."""
    length = lengths(vectors)
    return vectors / np.where(length > SMALL, length, 1.0)[:, None], length


class Vortex(Effect):
    """Rankine: v_t(r) = swirl r / core inside the core, swirl core / r outside (Saffman 1992, Vortex Dynamics, 2.2)."""

    def forcing(self, item: FieldItem, on: EffectContext) -> Forcing:
        effect = item.effect
        assert isinstance(effect, VortexEffect)
        pose, samples, f = on.pose_of(item), on.samples, on.reach_of(item)
        axis = pose.direction
        from_axis = on.at - pose.origin
        height = from_axis @ axis
        out, r = unit(from_axis - height[:, None] * axis)
        tangent = cross(axis, out)
        speed = effect.swirl * np.where(r < effect.core, r / effect.core, effect.core / np.maximum(r, SMALL))
        now = np.einsum("ij,ij->i", samples.midpoint_velocity, tangent)
        acc = (
            (((speed - now) * -np.expm1(-effect.grip * on.step) / on.step)[:, None] * tangent)
            if effect.swirl
            else np.zeros_like(out)
        )
        acc = acc - effect.inward * out + effect.lift * axis
        if effect.contain > 0:
            # towards the ring, critically damped, with the turn about the axis carried and weight borne
            w = effect.contain
            off = (r - effect.ring)[:, None] * out + height[:, None] * axis
            go = samples.midpoint_velocity - now[:, None] * tangent
            acc = (
                acc
                + effect.inward * out
                - effect.lift * axis
                - w * w * off
                - 2 * w * go
                - (now**2 / np.maximum(r, 0.1 * effect.ring + SMALL))[:, None] * out
                - samples.gravity
            )
        return Forcing(f[:, None] * acc)


class Wind(Effect):
    """Drag 1/2 rho C A |w| w on the area turned to the air that streams past at w, and pressure along the normals of
    the faces that meet it.
    """

    over_volume = False

    def forcing(self, item: FieldItem, on: EffectContext) -> Forcing:
        effect = item.effect
        assert isinstance(effect, WindEffect)
        pose, samples, f = on.pose_of(item), on.samples, on.reach_of(item)
        air = self.air(effect, pose.direction, on.at, on.evaluation.time) * f[:, None]
        if effect.shelter > 0.0 and samples.lee is not None:
            air *= 1.0 - samples.lee(pose.direction, effect.shelter)[:, None]
        past = air - samples.midpoint_velocity
        way, speed = unit(past)
        if samples.exposure is None:
            area, square = samples.size**2, np.zeros_like(way)
            lift = 0.0
        else:
            area, square = samples.exposure(past)
            lift = effect.lift
        per = 0.5 * effect.density * effect.drag / samples.mass
        drag = (per * area * speed)[:, None] * past
        # pressure pushes against the outward normals; its part along the air is what drag has of it
        press = (per * speed**2)[:, None] * -square
        force = (1.0 - lift) * drag + lift * press
        # where the air would stop a piece within the step, as much as brings it to the air's speed; else what it is
        # half way through
        size = per * area * speed * on.step
        return Forcing(np.where(f > 0, 1.0, 0.0)[:, None] * force / (1.0 + size * size / (1.0 + size))[:, None])

    @staticmethod
    def air(effect: WindEffect, direction: Array, points: Array, time: float) -> Array:
        """Velocity of the air (n, 3) [m/s]; gusts drift with it."""
        speed = np.full(len(points), effect.speed)
        if effect.gusts > 0:
            drifted = points - effect.speed * time * direction
            speed = speed * (
                1.0
                + effect.gusts * 2.0 * (noise(drifted, effect.gust_size, time / effect.gust_time, effect.seed) - 0.5)
            )
        return speed[:, None] * direction


class Attractor(Effect):
    """A pull by the distance to a point, a line or a surface."""

    def forcing(self, item: FieldItem, on: EffectContext) -> Forcing:
        effect = item.effect
        assert isinstance(effect, AttractorEffect)
        pose, samples, f = on.pose_of(item), on.samples, on.reach_of(item)
        to = self.target(effect, on, on.at, pose) - on.at
        way, d = unit(to)
        law: Callable[[Array], Array] = {
            "constant": lambda x: np.ones_like(x),
            "linear": lambda x: x,
            "inverse": lambda x: 1.0 / x,
            "inverse-square": lambda x: 1.0 / x**2,
        }[effect.law]
        scale = per_mass(effect.unit, samples.mass)
        pull = effect.strength * law(np.maximum(d, effect.near)) * scale
        if effect.law == "constant":
            pull = pull * np.minimum(1.0, d / effect.near)
        speed = np.einsum("ij,ij->i", samples.velocity, way)
        if effect.top_speed is not None:
            room = (
                (effect.top_speed - speed) / on.step if effect.strength >= 0 else (speed + effect.top_speed) / on.step
            )
            pull = np.sign(pull) * np.clip(np.abs(pull), 0.0, np.maximum(room, 0.0))
        acc = pull[:, None] * way
        if effect.settle > 0 and effect.strength > 0:
            to = self.target(effect, on, samples.point, pose) - samples.point
            way, d = unit(to)
            speed = np.einsum("ij,ij->i", samples.velocity, way)
            near = d < effect.settle
            # critically damped, as fast as what comes in needs so as not to pass by
            own = np.sqrt(
                effect.strength * law(np.full_like(d, max(effect.settle, effect.near))) * scale / effect.settle
            )
            w = np.minimum(np.maximum(own, np.maximum(speed, 0.0) / np.maximum(d, SMALL)), 0.5 / on.step)
            calm = critical_acceleration(to, samples.velocity, w, on.step)
            acc = np.where(near[:, None], calm - samples.gravity, acc)
        return Forcing(f[:, None] * acc)

    @staticmethod
    def target(effect: AttractorEffect, on: EffectContext, at: Array, pose: Pose) -> Array:
        """Where samples at (n, 3) are pulled to (n, 3)."""
        if effect.to == "point":
            return np.broadcast_to(pose.origin, at.shape)
        if effect.to == "line":
            return pose.origin + ((at - pose.origin) @ pose.direction)[:, None] * pose.direction
        world = on.evaluation.world
        if world is None:
            return at
        assert effect.body is not None
        mesh, turn, offset = world.surface(effect.body)
        m = rotation_matrix(turn)
        return mesh.closest((at - offset) @ m) @ m.T + offset


def critical_acceleration(to: Array, velocity: Array, w: Array, step: float) -> Array:
    """Mean acceleration (n, 3) over a step of the critically damped x'' = -w^2 x - 2 w x' towards x = 0 at ``to`` from
    here, exactly.
    """
    x, c = -to, velocity - w[:, None] * to
    after = np.exp(-w * step)[:, None] * (c - w[:, None] * (x + c * step))
    return (after - velocity) / step


class Turbulence(Effect):
    def forcing(self, item: FieldItem, on: EffectContext) -> Forcing:
        effect = item.effect
        assert isinstance(effect, TurbulenceEffect)
        f = on.reach_of(item)
        whirl = curl_noise(on.at, effect.size, effect.rate * on.evaluation.time, effect.seed)
        return Forcing((effect.strength * f)[:, None] * whirl)


class Drag(Effect):
    """dv/dt = a - c v over the step, exactly, with a what everything else does to a sample: so that what falls comes to
    g / c at every step.
    """

    over_volume = False
    remembers = True

    def forcing(self, item: FieldItem, on: EffectContext) -> Forcing:
        effect = item.effect
        assert isinstance(effect, DragEffect)
        samples, f = on.samples, on.reach_of(item)
        rate = effect.amount * f
        # a, by what samples did over the last step without what this field did; what is not known falls
        other = samples.gravity
        if samples.acceleration is not None:
            last = samples.acceleration - (0.0 if on.before is None else on.before)
            other = np.where(np.isfinite(last), last, other)
        share = -np.expm1(-rate * on.step) / np.maximum(rate * on.step, SMALL)
        held_back = (np.where(rate > 0, share, 1.0) - 1.0)[:, None] * other
        still = np.zeros_like(samples.velocity)
        return Forcing(
            towards(still, samples.velocity + samples.lead, rate, on.step) + held_back,
            towards(still, samples.angular_velocity, effect.turning * f, on.step),
        )


class Gravity(Effect):
    def forcing(self, item: FieldItem, on: EffectContext) -> Forcing:
        assert isinstance(item.effect, GravityEffect)
        return Forcing(on.reach_of(item)[:, None] * np.asarray(item.effect.acceleration))
