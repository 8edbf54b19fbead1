"""Index spaces of a run: what fields, falloffs, maps and reach counts need of pieces and of bonds.

A space gives samples (fields.samples) of whatever it numbers, so that an effect is written once. *Movable* spaces take
velocities and accelerations, *joined* ones loads. Vertices of deformable bodies are one more movable space.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

import numpy as np

from ..arrays import Array, Flags, Index, Mask
from ..document import FieldItem
from ..fields.base import among
from ..fields.samples import BONDS, PIECES, Samples, at_rest
from .frame import bond_positions
from .live_world import Exposed, LiveWorld
from .model import Model, Motion
from .state import State


class Space(Protocol):
    """One index space of a run.

    name : what it is called in Samples
    key  : short name under which falloffs remember their values there
    """

    name: str
    key: str

    @property
    def count(self) -> int: ...

    def samples(self, number: int | None) -> Samples:
        """Samples as they are.

        number : int, the interval that starts; None within one, where nothing is said of how they will move
        """

    def doing(self, states: Sequence[str]) -> Mask:
        """Which samples (n,) bool do one of these things: held, resting, moving."""


class PieceSpace:
    """Pieces."""

    name, key = PIECES, "p"

    def __init__(self, model: Model, state: State, world: LiveWorld, exposed: bool) -> None:
        self._model, self._state, self._world = model, state, world
        self._exposed = Exposed(model, state) if exposed else None

    @property
    def count(self) -> int:
        return self._model.piece_count

    def samples(self, number: int | None) -> Samples:
        model, asm, slot = self._model, self._state.assemblies, self._state.piece_assembly
        arm = self._world.center - asm.position[slot]
        velocity = asm.velocity[slot] + np.cross(asm.angular_velocity[slot], arm)
        likely = 0.0 if number is None else self._likely_acceleration(velocity, number)
        return Samples(
            PIECES,
            self._world.center,
            model.pieces.mass,
            model.pieces.size,
            velocity,
            asm.angular_velocity[slot],
            model.pieces.gravity_scale[:, None] * model.settings.gravity,
            velocity + 0.5 * model.settings.interval * likely,
            self._exposed,
        )

    def doing(self, states: Sequence[str]) -> Mask:
        asm, slot = self._state.assemblies, self._state.piece_assembly
        held, asleep = asm.motion[slot] != Motion.DYNAMIC, asm.asleep[slot] != 0
        out = np.zeros(len(held), bool)
        for name, mask in (("held", held), ("resting", asleep & ~held), ("moving", ~held & ~asleep)):
            if name in states:
                out |= mask
        return out

    def _likely_acceleration(self, velocity: Array, number: int) -> Array:
        """Acceleration (P, 3) [m/s2] that pieces are likely to have: what they had over the last interval, a jump by a
        blow or an impact left out.
        """
        memory, step = self._state.memory, self._model.settings.interval
        before, last = memory.get("velocity"), memory.get("velocity at")
        memory["velocity"], memory["velocity at"] = velocity.copy(), np.array([number])
        if before is None or last is None or last[0] != number - 1:
            memory.pop("acceleration", None)
            return np.zeros_like(velocity)
        change = (velocity - before) / step
        usual = memory.get("acceleration")
        memory["acceleration"] = change
        if usual is None:
            return np.zeros_like(velocity)
        size = np.linalg.norm(change, axis=1) + np.linalg.norm(usual, axis=1)
        jump = np.linalg.norm(change - usual, axis=1) > 0.5 * size
        return np.where(jump[:, None], 0.0, 1.5 * change - 0.5 * usual)


class BondSpace:
    """Bonds; what the first piece of a bond does, the bond does."""

    name, key = BONDS, "b"

    def __init__(self, model: Model, state: State, pieces: PieceSpace) -> None:
        self._model, self._state, self._pieces = model, state, pieces

    @property
    def count(self) -> int:
        return self._model.bond_count

    def samples(self, number: int | None) -> Samples:
        return at_rest(BONDS, bond_positions(self._model, self._state))

    def doing(self, states: Sequence[str]) -> Mask:
        return self._pieces.doing(states)[self._model.bonds.piece[:, 0]]


class Elements:
    """All index spaces of a run."""

    def __init__(self, model: Model, state: State, world: LiveWorld, exposed: bool = False) -> None:
        """exposed : bool, whether anything asks for areas turned to the air."""
        pieces = PieceSpace(model, state, world, exposed)
        self.pieces, self.bonds = pieces, BondSpace(model, state, pieces)
        self.movable: list[Space] = [self.pieces]
        self.joined: list[Space] = [self.bonds]

    @property
    def spaces(self) -> list[Space]:
        return [*self.movable, *self.joined]


def target_masks(
    item: FieldItem, names: list[str], body: Index, bond_piece: Index, piece_tier: Index, bond_tier: Flags
) -> dict[str, Mask]:
    """Which samples of each space are a field's targets.

    names      : of each body, what targets name
    body       : (P,) int32
    bond_piece : (B, 2) int32
    piece_tier : (P,) int32
    bond_tier  : (B,) uint8
    """
    pieces = among(item.targets, names)[body] if len(names) else np.zeros(0, bool)
    bonds = pieces[bond_piece[:, 0]] if len(bond_piece) else np.zeros(0, bool)
    if item.tiers is not None:
        pieces = pieces & np.isin(piece_tier, item.tiers)
        bonds = bonds & np.isin(bond_tier, item.tiers)
    return {PIECES: pieces, BONDS: bonds}


def targets_of(item: FieldItem, model: Model) -> dict[str, Mask]:
    """Which samples of each space are a field's targets, in a model."""
    return target_masks(
        item, model.target_names, model.pieces.body, model.bonds.piece, model.piece_tier, model.bonds.tier
    )
