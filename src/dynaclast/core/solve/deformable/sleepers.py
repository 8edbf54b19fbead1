"""Which deformable bodies of a run sleep, and what wakes them: what moves beside them, holds them or leans on them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from ...arrays import Index, Mask
from ...kernels.direct import DirectCall, WrittenGroups
from ..model import Model, Motion
from ..rigid.assemblies import wake_one
from ..rigid.groups import Bodies
from ..rigid.sleep import LEAST_GRAVITY, Links, make_links
from ..state import State
from .contacts import Near
from .model import DeformableModel
from .parts import Deformables
from .stillness import find_neighbours, make_stillness_scratch, measure_stillness

WAKES_FROM = 0.05
"""A sleeping assembly wakes where it is pressed by more than this share of its weight."""


class Sleepers:
    """The deformable bodies of a run, as those that sleep or do not; what it keeps is scratch."""

    def __init__(self, deformables: DeformableModel, model: Model, state: State, groups: WrittenGroups) -> None:
        self._deformables, self._model, self._state = deformables, model, state
        bodies = len(deformables.names)
        self._still, self._links = make_stillness_scratch(bodies), make_links(64, bodies)
        self._find_neighbours = DirectCall(find_neighbours, groups)
        self._measure_stillness = DirectCall(measure_stillness, groups)

    def awake(self) -> Index:
        """Deformable bodies that are awake (n,) int64."""
        return np.flatnonzero(self._state.deformables.asleep == 0)

    def all_asleep(self) -> bool:
        return bool(self._state.deformables.asleep.all())

    # ------------------------------------------------------------------------------- falling asleep

    def rest(self, vertices: Mask) -> None:
        """Put bodies to sleep of which all vertices (N,) bool are to rest."""
        body = self._deformables.elements.vertices.body
        for b in np.unique(body[vertices]):
            if vertices[body == b].all():
                self._put_to_sleep(int(b))

    def measure_stillness(self, parts: Deformables, often: Deformables, bodies: Bodies) -> Links:
        """Count how long bodies have stayed in their place at the end of an interval. Returns what of it decides who
        sleeps (rigid.sleep).

        often : those that take a step in every substep, where not all do
        """
        state, settings, counts = self._state, self._model.settings, 1
        while True:
            broken, given = state.vertex_tie_broken, (self._still, self._links)
            self._measure_stillness(parts, often, state.deformables, bodies, settings, broken, counts, *given)
            if self._has_room():
                return self._links
            counts = 0

    def fall_asleep(self, awake: Index, kept: Mask) -> None:
        """Put bodies (n,) to sleep that were awake in the interval, but those (B,) bool that are kept awake."""
        for b in awake[~kept[awake]]:
            self._put_to_sleep(int(b))

    def _put_to_sleep(self, body: int) -> None:
        state, first = self._state, self._deformables.elements.bodies.first
        state.deformables.asleep[body] = 1
        state.vertices.velocity[first[body] : first[body + 1]] = 0.0

    def _has_room(self) -> bool:
        """Whether there was room for all links; there is now."""
        found = int(self._links.count[0])
        if found <= len(self._links.slot):
            return True
        self._links = make_links(found + found // 2, len(self._deformables.names))
        return False

    # -------------------------------------------------------------------------------------- waking

    def wake(self, bodies: Index) -> None:
        """Let deformable bodies move again, with the assemblies that lie on those of them that slept."""
        state = self._state
        slept = bodies[state.deformables.asleep[bodies] != 0]
        state.deformables.asleep[bodies] = 0
        state.deformables.dwell_time[bodies] = 0.0
        body, piece = self._leaning()
        self._wake_assemblies(state.piece_assembly[piece[np.isin(body, slept)]])

    def wake_with(self, pieces: Index) -> None:
        """Let deformable bodies move again that lean on pieces of the rigid bodies, or are tied to them."""
        body, piece = self._leaning()
        ties, of = self._deformables.elements.ties, self._deformables.elements.vertices.body
        tied = np.isin(ties.piece, pieces).any(axis=1) & (self._state.vertex_tie_broken == 0)
        self.wake(np.unique(np.concatenate([body[np.isin(piece, pieces)], of[ties.vertex[tied].max(axis=1)]])))

    def wake_by_others(self, parts: Deformables, look: Callable[[Index], Near]) -> None:
        """Wake what sleeps where something moves near it, or moves what holds it; and wake assemblies that it hangs
        from.

        look : points of deformable bodies (n,) that may meet a shape in the interval
        """
        if self._state.deformables.asleep.any():
            self._wake_sleepers(parts, look)
        if self._state.assemblies.asleep.any() and not self.all_asleep():
            self._wake_held()

    def wake_pressed(self, parts: Deformables) -> None:
        """Wake assemblies that sleep and were pressed in the interval."""
        pressed = parts.scratch.pressed
        if pressed.any():
            g = max(float(np.linalg.norm(self._model.settings.gravity)), LEAST_GRAVITY)
            self._wake_assemblies(np.flatnonzero(pressed > WAKES_FROM * self._state.assemblies.mass * g))

    def _wake_assemblies(self, slots: Index) -> None:
        """Those of them that sleep."""
        asm = self._state.assemblies
        for slot in np.unique(slots):
            if asm.asleep[slot] and asm.motion[slot] == Motion.DYNAMIC:
                wake_one(int(slot), asm)

    def _wake_sleepers(self, parts: Deformables, look: Callable[[Index], Near]) -> None:
        """Wake deformable bodies that sleep where something moves near them, or moves what holds them."""
        state, e = self._state, self._deformables.elements
        moves = self._moving() | (parts.looked.faster > 0.0)
        if moves.any():
            self.wake(np.flatnonzero(self._carried_along()))
            held = state.vertex_tie_broken == 0
            for end in range(2):
                own = held & (e.ties.piece[:, end] >= 0)
                own[own] = moves[state.piece_assembly[e.ties.piece[own, end]]]
                self.wake(np.unique(e.vertices.body[e.ties.vertex[own].max(axis=1)]))
            asleep = np.flatnonzero(state.deformables.asleep)
            if len(asleep):
                near = look(asleep)
                found = int(near.found[0])
                by = moves[state.piece_assembly[self._model.hulls.piece[near.shape[:found]]]]
                points = near.point[:found][by]
                self.wake(np.unique(e.vertices.body[e.points.vertex[points, 0]]))
        lies = state.deformables.asleep != 0
        if lies.any() and not lies.all():
            one, other = self._neighbours(parts).T
            while len(woken := np.unique(one[lies[one] & ~lies[other]])):
                self.wake(woken)
                lies[woken] = False

    def _wake_held(self) -> None:
        """Wake assemblies that sleep and are tied to deformable bodies that do not."""
        state, e = self._state, self._deformables.elements
        awake = state.deformables.asleep[e.vertices.body[e.ties.vertex.max(axis=1)]] == 0
        own = (awake & (state.vertex_tie_broken == 0))[:, None] & (e.ties.piece >= 0)
        self._wake_assemblies(state.piece_assembly[e.ties.piece[own]])

    # -------------------------------------------------------------------------------- who is beside whom

    def _moving(self) -> Mask:
        """Assemblies (A,) bool that move."""
        asm = self._state.assemblies
        return np.asarray((asm.motion == Motion.KINEMATIC) | ((asm.motion == Motion.DYNAMIC) & (asm.asleep == 0)))

    def _leaning(self) -> tuple[Index, Index]:
        """Deformable bodies (n,) and pieces (n,) that touched where they last moved."""
        points, shape = self._deformables.elements.points, self._state.touching.shape
        own = np.flatnonzero(shape >= 0)
        body = self._deformables.elements.vertices.body[points.vertex[own, 0]]
        return body, self._model.hulls.piece[shape[own]]

    def _carried_along(self) -> Mask:
        """Deformable bodies (B,) with vertices that an assembly which moves takes along, or draws."""
        e, moves = self._deformables.elements, self._moving()
        out = np.zeros(len(self._deformables.names), bool)
        for along in (e.carried, e.drawn):
            out[e.vertices.body[along.vertex[moves[self._state.piece_assembly[along.piece]]]]] = True
        return out

    def _neighbours(self, parts: Deformables) -> Index:
        """Pairs of deformable bodies (n, 2) int64, both ways, that may touch in an interval, or are tied."""
        while True:
            broken, span = self._state.vertex_tie_broken, self._model.settings.interval
            self._find_neighbours(parts, broken, span, self._still, self._links)
            if self._has_room():
                count = int(self._links.count[0])
                return np.stack([self._links.slot[:count], self._links.node[:count]], axis=1)
