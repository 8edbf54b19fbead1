"""What an effect may do, and what it is told."""

from __future__ import annotations

from typing import Literal, NamedTuple

import numpy as np

from ..arrays import Array, Mask, lengths
from ..document import FieldItem
from ..falloff import EvaluationContext, value
from ..falloff.context import NOW
from .pose import Pose, pose_of
from .samples import Samples


class Forcing(NamedTuple):
    """What is done to the samples of one space, n of them; None for what is not done.

    linear  : (n, 3) float64, [m/s2], acceleration; [m/s] of a blow, change of velocity
    angular : (n, 3) float64, [rad/s2], angular acceleration; [rad/s] of a blow
    torque  : (n, 3) float64, [N m], or [N m s] of a blow
    """

    linear: Array | None = None
    angular: Array | None = None
    torque: Array | None = None

    def __add__(self, other: Forcing) -> Forcing:  # type: ignore[override]
        return Forcing(*(b if a is None else a if b is None else a + b for a, b in zip(self, other, strict=True)))

    def acts(self) -> Mask | None:
        """Samples (n,) bool to which anything is done; None where nothing is done to any."""
        given = [x for x in self if x is not None]
        return np.any([(x != 0).any(axis=1) for x in given], axis=0) if given else None


class EffectContext(NamedTuple):
    """The world as a field finds it, over the samples of one index space.

    samples    : what it may act on
    targets    : (n,) bool, which of them it may act on
    evaluation : when, and what falloffs may ask
    pose       : where the field is; None: by its own travel
    step       : float, [s], how long an effect over time acts
    points     : (n, 3) float64, [m], where the effect is worked out, half way through the step for one over time; None:
                 where samples are now
    reach      : (n,) float64, in [0, 1], if worked out already
    before     : (n, 3) float64, [m/s2], acceleration that the field gave in the last interval; None where that is not
                 known
    """

    samples: Samples
    targets: Mask
    evaluation: EvaluationContext = NOW
    pose: Pose | None = None
    step: float = 1.0 / 48.0
    points: Array | None = None
    reach: Array | None = None
    before: Array | None = None

    @property
    def at(self) -> Array:
        """(n, 3) float64, [m]: where the effect is worked out."""
        return self.samples.point if self.points is None else self.points

    def pose_of(self, item: FieldItem) -> Pose:
        return self.pose or pose_of(item, self.evaluation)

    def reach_of(self, item: FieldItem) -> Array:
        """Falloff values (n,), 0 for samples that are not targets."""
        if self.reach is not None:
            return self.reach
        values = value(item.reach, self.pose_of(item).to_document(self.at), self.evaluation)
        return np.where(self.targets, values, 0.0)


class Effect:
    """Base of all effects: does nothing anywhere.

    ``holds`` and ``strength_factor`` act once before the first step; ``load`` and ``blow`` when the cue fires;
    ``forcing`` all the while it is on. Each is asked over the samples of one space at a time: loads and strengths over
    what is joined there (bonds), the rest over what moves.

    over_volume : whether it acts over time on a body that is one piece by several points spread in it, so that what
                  differs from side to side also turns it
    remembers   : whether it wants to be told what it gave in the last interval
    """

    over_volume = True
    remembers = False

    def holds(self, item: FieldItem, on: EffectContext) -> Mask | None:
        """Samples (n,) bool to hold from the start."""
        return None

    def strength_factor(self, item: FieldItem, on: EffectContext) -> Array | None:
        """Factor (n,) on strength, from the start."""
        return None

    def load(self, item: FieldItem, on: EffectContext) -> Array | None:
        """Load (n,) [N] added when the cue fires."""
        return None

    def blow(self, item: FieldItem, on: EffectContext) -> Forcing:
        """Changes of velocity given to what can move when the cue fires."""
        return Forcing()

    def forcing(self, item: FieldItem, on: EffectContext) -> Forcing:
        """Accelerations of what can move, as their mean over the step."""
        return Forcing()


def among(targets: Literal["all"] | list[str], names: list[str]) -> Mask:
    """Which of the names (bodies and groups) are targets (C,) bool."""
    return np.array([targets == "all" or name in targets for name in names], bool)


def radial(item: FieldItem, on: EffectContext) -> Array:
    """Unit vectors (n, 3) from the reach's origin to the samples; 0 for one at the origin."""
    out = on.at - on.pose_of(item).origin
    length = lengths(out)
    return out / np.where(length > 0, length, 1.0)[:, None]


def differing(count: int, noise: float, seed: int) -> Array:
    """Factors (n,) from 1 - noise to 1 + noise, sample by sample, from a seed."""
    if noise <= 0:
        return np.ones(count)
    return 1.0 + noise * np.random.default_rng(seed).uniform(-1, 1, count)


def per_mass(unit: str, mass: Array) -> Array:
    """1 (n,) for an effect given by its motion, 1 / mass for one given by its force."""
    return 1.0 / mass if unit.startswith("N") else np.ones(len(mass))
