"""Index spaces of a run: what fields, falloffs, maps and reach counts need of pieces and of bonds.

A space gives samples (fields.samples) of whatever it numbers, so that an effect is written once. *Movable* spaces take
velocities and accelerations, *joined* ones loads. Vertices of deformable bodies are one more movable space.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

import numpy as np

from ..arrays import Array, Flags, Index, Mask, cross, lengths, means
from ..document import FieldItem
from ..fields.base import among
from ..fields.samples import BONDS, PIECES, SEAMS, VERTICES, Samples, at_rest
from ..geometry.rotations import rotation_matrices
from .deformable.exposure import ExposedFaces
from .frame import bond_positions
from .live_world import Exposed, LiveWorld
from .model import Hold, Model, Motion
from .shelter import Shelter
from .state import State

NO_JUMP = 1e-3
"""A change of acceleration up to this [m/s2] is no blow."""


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


class JoinedSpace(Space, Protocol):
    """A space of what joins samples of a movable one, whose name is ``of``."""

    of: str

    def any_of(self, samples: Mask) -> Mask:
        """Which of it (n,) bool joins any of these samples (m,) bool."""

    def ends(self, joined: Mask) -> Mask:
        """The samples (m,) bool that these (n,) bool join."""


class PieceSpace:
    """Pieces."""

    name, key = PIECES, "p"

    def __init__(self, model: Model, state: State, world: LiveWorld, exposed: bool) -> None:
        self._model, self._state, self._world = model, state, world
        self._exposed = Exposed(model, state) if exposed else None
        self._shelter = Shelter(model, state)

    def _lee(self, wind: Array, length: float) -> Array:
        return self._shelter.of_pieces(self._world.center, wind, length)

    @property
    def count(self) -> int:
        return self._model.piece_count

    def samples(self, number: int | None) -> Samples:
        model, asm, slot = self._model, self._state.assemblies, self._state.piece_assembly
        arm = self._world.center - asm.position[slot]
        velocity = asm.velocity[slot] + cross(asm.angular_velocity[slot], arm)
        last, lead = (None, 0.0) if number is None else self._last_motion(velocity, number)
        likely = 0.0 if last is None else self._likely_acceleration(last)
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
            last,
            lead,
            self._lee,
        )

    def doing(self, states: Sequence[str]) -> Mask:
        asm, slot = self._state.assemblies, self._state.piece_assembly
        held, asleep = asm.motion[slot] != Motion.DYNAMIC, asm.asleep[slot] != 0
        out = np.zeros(len(held), bool)
        for name, mask in (("held", held), ("resting", asleep & ~held), ("moving", ~held & ~asleep)):
            if name in states:
                out |= mask
        return out

    def _last_motion(self, velocity: Array, number: int) -> tuple[Array, Array]:
        """Acceleration (P, 3) [m/s2] of pieces over the last interval, not a number where that is not known, or where
        it was a jump, by a blow or an impact; and their lead (P, 3) [m/s], as of Samples.
        """
        memory, step, asm = self._state.memory, self._model.settings.interval, self._state.assemblies
        before, last = memory.get("velocity"), memory.get("velocity at")
        memory["velocity"], memory["velocity at"] = velocity.copy(), np.array([number])
        start, memory["point"] = memory.get("point"), self._world.center
        still = (asm.motion != Motion.DYNAMIC) | (asm.asleep != 0)
        usual = memory.pop("acceleration", None)
        memory.pop("acceleration before", None)
        if before is None or start is None or last is None or last[0] != number - 1:
            unknown = np.where(still[self._state.piece_assembly, None], 0.0, np.full_like(velocity, np.nan))
            return unknown, np.zeros_like(velocity)
        lead = (self._world.center - start) / step - 0.5 * (velocity + before)
        change = (velocity - before) / step
        memory["acceleration"] = change
        if usual is None:
            return change, lead
        size = lengths(change) + lengths(usual)
        jump = lengths(change - usual) > 0.5 * size + NO_JUMP
        memory["acceleration before"] = usual
        return np.where(jump[:, None], np.nan, change), np.where(jump[:, None], 0.0, lead)

    def _likely_acceleration(self, last: Array) -> Array:
        """Acceleration (P, 3) [m/s2] that pieces are likely to have, by that over the last interval and the trend."""
        usual = self._state.memory.get("acceleration before")
        if usual is None:
            return np.zeros_like(last)
        return np.nan_to_num(1.5 * last - 0.5 * usual)


class VolumePoints:
    """Bodies that are one piece, each as six points of a sixth of its mass that have its second moments: on its
    principal axes, sqrt(3 c / m) to both sides of its centre, with c the second moment of mass along the axis.

    piece : (W,) int64
    """

    def __init__(self, model: Model, state: State) -> None:
        self._state = state
        of_body = np.diff(model.body_first)
        self.piece = np.asarray(model.body_first[:-1][of_body == 1], np.int64)
        self._arm = np.zeros((len(self.piece), 6, 3))
        for row, p in enumerate(self.piece):
            inertia = model.pieces.inertia[p]
            second, axes = np.linalg.eigh(0.5 * np.trace(inertia) * np.eye(3) - inertia)
            reach = np.sqrt(3.0 * np.maximum(second, 0.0) / model.pieces.mass[p])
            self._arm[row] = np.concatenate([reach[:, None] * axes.T, -reach[:, None] * axes.T])

    def samples(self, pieces: Samples) -> tuple[Samples, Array]:
        """The points as samples (6 W) with the masses and sizes of whole pieces, and their arms (6 W, 3) [m], by the
        samples of all pieces.
        """
        asm, slot, row = self._state.assemblies, self._state.piece_assembly[self.piece], np.repeat(self.piece, 6)
        turn = rotation_matrices(asm.orientation[slot])
        arm = np.einsum("wij,wkj->wki", turn, self._arm).reshape(-1, 3)
        spin = cross(pieces.angular_velocity[row], arm)
        known = None if pieces.acceleration is None else pieces.acceleration[row]
        return Samples(
            PIECES,
            pieces.point[row] + arm,
            pieces.mass[row],
            pieces.size[row],
            pieces.velocity[row] + spin,
            pieces.angular_velocity[row],
            pieces.gravity[row],
            pieces.midpoint_velocity[row] + spin,
            None,
            known,
        ), arm


class BondSpace:
    """Bonds; what the first piece of a bond does, the bond does."""

    name, key, of = BONDS, "b", PIECES

    def __init__(self, model: Model, state: State, pieces: PieceSpace) -> None:
        self._model, self._state, self._pieces = model, state, pieces

    @property
    def count(self) -> int:
        return self._model.bond_count

    def samples(self, number: int | None) -> Samples:
        return at_rest(BONDS, bond_positions(self._model, self._state))

    def doing(self, states: Sequence[str]) -> Mask:
        return self._pieces.doing(states)[self._model.bonds.piece[:, 0]]

    def any_of(self, samples: Mask) -> Mask:
        return np.asarray(samples[self._model.bonds.piece].any(axis=1))

    def ends(self, joined: Mask) -> Mask:
        out = np.zeros(self._model.piece_count, bool)
        out[self._model.bonds.piece[joined].ravel()] = True
        return out


class VertexSpace:
    """Vertices of deformable bodies. What is pinned is held; what a body that sleeps has rests."""

    name, key = VERTICES, "v"

    def __init__(self, model: Model, state: State, world: LiveWorld, exposed: bool) -> None:
        assert model.deformables is not None
        self._world, self._shelter = world, Shelter(model, state)
        self._model, self._state, self._table = model, state, model.deformables.elements.vertices
        self._size, self._mass = model.deformables.size, model.deformables.own_mass
        self._exposed = ExposedFaces(model.deformables, state.vertices) if exposed else None

    @property
    def count(self) -> int:
        return len(self._mass)

    def samples(self, number: int | None) -> Samples:
        vertices, step = self._state.vertices, self._model.settings.interval
        velocity, still = vertices.velocity.copy(), np.zeros_like(vertices.velocity)
        last = None if number is None else self._last_acceleration(velocity, number)
        likely = 0.0 if last is None else np.nan_to_num(last)
        return Samples(
            VERTICES,
            vertices.position.copy(),
            self._mass,
            self._size,
            velocity,
            still,
            self._table.gravity_scale[:, None] * self._model.settings.gravity,
            velocity + 0.5 * step * likely,
            self._exposed,
            last,
            lee=self._lee,
        )

    def _lee(self, wind: Array, length: float) -> Array:
        return self._shelter.of_vertices(self._world.center, wind, length)

    def doing(self, states: Sequence[str]) -> Mask:
        asleep = self._state.deformables.asleep[self._table.body] != 0
        held = (self._table.pinned != 0) | (self._state.vertex_hold != Hold.FREE)
        out = np.zeros(len(held), bool)
        for name, mask in (("held", held), ("resting", asleep & ~held), ("moving", ~held & ~asleep)):
            if name in states:
                out |= mask
        return out

    def _last_acceleration(self, velocity: Array, number: int) -> Array:
        """Acceleration (N, 3) [m/s2] of vertices over the last interval, not a number where that is not known."""
        memory = self._state.memory
        before, last = memory.get("vertex velocity"), memory.get("vertex velocity at")
        memory["vertex velocity"], memory["vertex velocity at"] = velocity, np.array([number])
        if before is None or last is None or last[0] != number - 1:
            return np.full_like(velocity, np.nan)
        return (velocity - before) / self._model.settings.interval


class SeamSpace:
    """Seams of deformable bodies; what the first vertex of a seam does, the seam does."""

    name, key, of = SEAMS, "s", VERTICES

    def __init__(self, model: Model, state: State, vertices: VertexSpace) -> None:
        assert model.deformables is not None
        self._seams, self._state, self._vertices = model.deformables.seams, state, vertices
        self._first = np.unique(self._seams.of, return_index=True)[1]

    @property
    def count(self) -> int:
        return self._seams.count

    def samples(self, number: int | None) -> Samples:
        seams, x = self._seams, self._state.vertices.position
        return at_rest(SEAMS, means(x[seams.link[:, 0]], seams.of, self.count))

    def doing(self, states: Sequence[str]) -> Mask:
        return self._vertices.doing(states)[self._seams.link[self._first, 0]]

    def any_of(self, samples: Mask) -> Mask:
        out = np.zeros(self.count, bool)
        out[self._seams.of[samples[self._seams.link].any(axis=1)]] = True
        return out

    def ends(self, joined: Mask) -> Mask:
        out = np.zeros(self._vertices.count, bool)
        out[self._seams.link[joined[self._seams.of]].ravel()] = True
        return out


class Elements:
    """All index spaces of a run."""

    def __init__(self, model: Model, state: State, world: LiveWorld, exposed: bool = False) -> None:
        """exposed : bool, whether anything asks for areas turned to the air."""
        pieces = PieceSpace(model, state, world, exposed)
        self.pieces, self.bonds = pieces, BondSpace(model, state, pieces)
        self.volume = VolumePoints(model, state)
        self.movable: list[Space] = [self.pieces]
        self.joined: list[JoinedSpace] = [self.bonds]
        if model.deformables is not None:
            vertices = VertexSpace(model, state, world, exposed)
            self.movable.append(vertices)
            if model.deformables.seams.count:
                self.joined.append(SeamSpace(model, state, vertices))

    @property
    def spaces(self) -> list[Space]:
        return [*self.movable, *self.joined]


def target_masks(
    item: FieldItem,
    names: list[str],
    body: Index,
    bond_piece: Index,
    piece_tier: Index,
    bond_tier: Flags,
    vertex_body: Index | None = None,
    seam_body: Index | None = None,
    seam_tier: Flags | None = None,
) -> dict[str, Mask]:
    """Which samples of each space are a field's targets.

    names      : of each body, what targets name
    body       : (P,) int32
    bond_piece : (B, 2) int32
    piece_tier : (P,) int32
    bond_tier  : (B,) uint8
    vertex_body : (N,) int32, the bodies that vertices belong to, of which all are targets whatever the tiers
    seam_body   : (Q,) int32, likewise of seams; seam_tier (Q,) uint8
    """
    pieces = among(item.targets, names)[body] if len(names) else np.zeros(0, bool)
    bonds = pieces[bond_piece[:, 0]] if len(bond_piece) else np.zeros(0, bool)
    if item.tiers is not None:
        pieces = pieces & np.isin(piece_tier, item.tiers)
        bonds = bonds & np.isin(bond_tier, item.tiers)
    vertices = np.zeros(0, bool) if vertex_body is None else among(item.targets, names)[vertex_body]
    seams = np.zeros(0, bool) if seam_body is None else among(item.targets, names)[seam_body]
    if item.tiers is not None and seam_tier is not None:
        seams = seams & np.isin(seam_tier, item.tiers)
    return {PIECES: pieces, BONDS: bonds, VERTICES: vertices, SEAMS: seams}


def targets_of(item: FieldItem, model: Model) -> dict[str, Mask]:
    """Which samples of each space are a field's targets, in a model."""
    deformables = model.deformables
    vertex_body, seam_body, seam_tier = None, None, None
    if deformables is not None:
        vertex_body = deformables.body[deformables.elements.vertices.body]
        seam_body = deformables.body[deformables.seams.body]
        seam_tier = deformables.seams.tier
    return target_masks(
        item,
        model.target_names,
        model.pieces.body,
        model.bonds.piece,
        model.piece_tier,
        model.bonds.tier,
        vertex_body,
        seam_body,
        seam_tier,
    )
