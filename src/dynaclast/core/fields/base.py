"""What an effect may do, and what it is told."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from ..document import FieldItem
from ..falloff import Moment, value
from ..falloff.moment import NOW
from ..geometry.mesh import Array
from .stand import Stand, stand_of


@dataclass(frozen=True)
class Targets:
    """Which pieces (P,) and bonds (B,) a field may act on, as booleans."""

    pieces: np.ndarray
    bonds: np.ndarray


@dataclass(frozen=True)
class Matter:
    """What pieces are and do: mass (P,) [kg], size (P,) [m], velocity, spin (P, 3) [m/s], [rad/s], gravity (P, 3)
    [m/s2] as it acts on each; start (P, 3) where they are at the start of the step [m], halfway (P, 3) the velocity
    they are likely to have half way through it.

    facing: gives, for a velocity of the air past each piece (P, 3), the area (P,) [m2] the piece turns to it, and the
    sum of its windward faces' normals (P, 3), each times its area and how squarely it faces the air
    """

    mass: Array
    size: Array
    velocity: Array
    spin: Array
    gravity: Array
    start: Array
    halfway: Array
    facing: object = None


@dataclass(frozen=True)
class Setting:
    """The world as a field finds it.

    piece_center (P, 3), bond_center (B, 3): where they are now [m], half way through the step for effects over time;
    moment: when; stand: where the field is (None: by its own travel) matter: None before a run; step [s]: how long an
    effect over time acts; pieces, bonds: reach worked out already (P,), (B,)
    """

    piece_center: Array
    bond_center: Array
    moment: Moment = field(default_factory=lambda: NOW)
    stand: Stand | None = None
    matter: Matter | None = None
    step: float = 1.0 / 48.0
    pieces: Array | None = None
    bonds: Array | None = None

    def at(self, item: FieldItem) -> Stand:
        return self.stand or stand_of(item, self.moment)


class Effect:
    """Base of all effects: does nothing anywhere.

    ``held`` and ``strengthen`` act once before the first step; ``load`` and ``kick`` when the cue fires; ``flow`` all
    the while it is on.
    """

    def held(self, item: FieldItem, setting: Setting, targets: Targets) -> Array | None:
        """Pieces (P,) bool to hold from the start."""
        return None

    def strengthen(self, item: FieldItem, setting: Setting, targets: Targets) -> Array | None:
        """Factor (B,) on bond strength, from the start."""
        return None

    def load(self, item: FieldItem, setting: Setting, targets: Targets) -> Array | None:
        """Load (B,) [N] laid on bonds when the cue fires."""
        return None

    def kick(self, item: FieldItem, setting: Setting, targets: Targets) -> Array | None:
        """Change of velocity (P, 3) [m/s] given to pieces that can move when the cue fires."""
        return None

    def whirl(self, item: FieldItem, setting: Setting, targets: Targets) -> Array | None:
        """Change of spin (P, 3) [rad/s] given to pieces that can move when the cue fires."""
        return None

    def flow(self, item: FieldItem, setting: Setting, targets: Targets) -> tuple[Array | None, Array | None]:
        """Acceleration (P, 3) [m/s2] and angular acceleration (P, 3) [rad/s2], as their mean over the step."""
        return None, None


def among(targets: Literal["all"] | list[str], columns: list[str]) -> np.ndarray:
    """Which of the columns (bodies and groups by name) are targets (C,) bool."""
    return np.array([targets == "all" or name in targets for name in columns], bool)


def reach_of_pieces(item: FieldItem, setting: Setting, targets: Targets) -> Array:
    """Falloff values (P,), 0 for pieces that are not targets."""
    if setting.pieces is not None:
        return setting.pieces
    return np.where(targets.pieces, value(item.reach, setting.at(item).back(setting.piece_center), setting.moment), 0.0)


def reach_of_bonds(item: FieldItem, setting: Setting, targets: Targets) -> Array:
    """Falloff values (B,), 0 for bonds of bodies that are not targets."""
    if setting.bonds is not None:
        return setting.bonds
    return np.where(targets.bonds, value(item.reach, setting.at(item).back(setting.bond_center), setting.moment), 0.0)


def radial(item: FieldItem, setting: Setting) -> Array:
    """Unit vectors (P, 3) from the reach's origin to the pieces; 0 for a piece at the origin."""
    out = setting.piece_center - setting.at(item).origin
    length = np.linalg.norm(out, axis=1)
    return out / np.where(length > 0, length, 1.0)[:, None]


def differing(count: int, noise: float, seed: int) -> Array:
    """Factors (P,) from 1 - noise to 1 + noise, piece by piece, from a seed."""
    if noise <= 0:
        return np.ones(count)
    return 1.0 + noise * np.random.default_rng(seed).uniform(-1, 1, count)


def per_mass(unit: str, mass: Array) -> Array:
    """1 (P,) for an effect given by its motion, 1 / mass for one given by its force."""
    return 1.0 / mass if unit.startswith("N") else np.ones(len(mass))
