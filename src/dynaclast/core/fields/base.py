"""What an effect may do, and what it is told."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..document import FieldItem
from ..geometry.mesh import Array
from ..falloff import value
from ..falloff.value import origin


@dataclass(frozen=True)
class Targets:
    """Which pieces (P,) and bonds (B,) a field may act on, as booleans."""

    pieces: np.ndarray
    bonds: np.ndarray


@dataclass(frozen=True)
class Setting:
    """The world as a field finds it.

    piece_center (P, 3), bond_center (B, 3): where they are now [m]
    """

    piece_center: Array
    bond_center: Array


class Effect:
    """Base of all effects: does nothing anywhere.

    ``start`` acts once before the first step; ``blow`` acts when the cue fires.
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


def reach_of_pieces(item: FieldItem, setting: Setting, targets: Targets) -> Array:
    """Falloff values (P,), 0 for pieces that are not targets."""
    return np.where(targets.pieces, value(item.reach, setting.piece_center), 0.0)


def reach_of_bonds(item: FieldItem, setting: Setting, targets: Targets) -> Array:
    """Falloff values (B,), 0 for bonds of bodies that are not targets."""
    return np.where(targets.bonds, value(item.reach, setting.bond_center), 0.0)


def radial(item: FieldItem, setting: Setting) -> Array:
    """Unit vectors (P, 3) from the reach's origin to the pieces; 0 for a piece at the origin."""
    out = setting.piece_center - origin(item.reach)
    length = np.linalg.norm(out, axis=1)
    return out / np.where(length > 0, length, 1.0)[:, None]
