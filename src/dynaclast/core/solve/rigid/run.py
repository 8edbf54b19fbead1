"""Rigid bodies in a run: the scratch memory of their solver, and what the run asks of it."""

from __future__ import annotations

from typing import Any

import numpy as np

from ...arrays import Array, Index, Mask, allocate
from ...fields import Forcing
from ...kernels.direct import DirectCall, WrittenGroups
from ..coupled import run_coupled_interval
from ..deformable.run import DeformableRun
from ..frame import piece_positions
from ..interval import (
    AWAKE,
    CAPACITY,
    ENTRIES,
    EVERYTHING,
    PAIRS,
    STAGE,
    UNTIL,
    Apart,
    Stage,
    apart_for,
    make_interval_scratch,
    run_interval,
)
from ..model import Hold, Model, Motion
from ..state import ContactCache, State, make_contact_cache
from .assemblies import split, wake_around
from .constraints import CONTACTS, ConstraintSet, make_constraints, update_inverse_masses
from .contact_cache import make_pairing, make_pairs
from .contact_solver import store_impulses
from .detection import make_contact_points
from .forcing import gather_forcing
from .groups import bodies_of, scene_of
from .joint_solver import joint_loads
from .joints import joints_of, wake_joined
from .late_pairs import LATE_AT_LEAST, LATE_SHARE
from .sleep import Links, SleepScratch, any_awake, make_links, update_sleep

NOTHING_DONE = np.zeros((0, 3))
FIRST_ROOM = 1024 + LATE_AT_LEAST
"""Pairs there is room for at the start; more is made as it is needed."""


class RigidRun:
    """The rigid bodies of a run.

    Scratch holds nothing a step needs from the one before; everything that must survive is in the State.
    """

    def __init__(self, model: Model, state: State, beside: DeformableRun | None = None) -> None:
        """beside: deformable bodies that intervals are solved with."""
        self.model, self.state, self._beside = model, state, beside
        self.scene, self.bodies, self.tied = scene_of(model, state), bodies_of(state), joints_of(model, state)
        self.tied = self.tied._replace(broken=self.tied.broken.copy())
        slots = model.piece_count + 1
        self._scratch = make_interval_scratch(model, piece_positions(model, state)[model.hulls.piece])
        self._room = FIRST_ROOM
        self._pairs, self._points = make_pairs(self._room, 0), make_contact_points(0)
        self.constraints: ConstraintSet = make_constraints(self._room)
        self._cache, self._pairing = make_contact_cache(0), make_pairing(0)
        others = 0 if beside is None else len(beside.deformables.names)
        self._sleep = allocate(SleepScratch, slots + others)
        self._numbers = np.zeros(7, np.int64)
        self._reach = model.piece_reach()
        self.forcing = Forcing()
        self._all_moved = True
        self._apart: Apart | None = None
        groups = WrittenGroups() if beside is None else beside.groups
        self._interval = DirectCall(run_interval if beside is None else run_coupled_interval, groups)
        self._gather = DirectCall(gather_forcing, groups)
        self._store = DirectCall(store_impulses, groups)
        self._update_sleep, self._links = DirectCall(update_sleep, groups), make_links(0, 0)

    # ------------------------------------------------------------------------------- state

    @property
    def contact_count(self) -> int:
        return int(self.constraints.counts[CONTACTS])

    @property
    def kinematic(self) -> Index:
        """Slots that an animation moves (K,) int64."""
        return self.bodies.kinematic

    def set_kinematic(self, slots: Index) -> None:
        self.bodies = self.bodies._replace(kinematic=slots)

    def awake(self) -> Index:
        """Slots that are awake and free to move (n,) int64."""
        asm = self.state.assemblies
        return np.flatnonzero((asm.alive == 1) & (asm.motion == Motion.DYNAMIC) & (asm.asleep == 0))

    def active(self) -> bool:
        """Whether anything moves."""
        asm = self.state.assemblies
        return len(self.kinematic) > 0 or any_awake(asm.alive, asm.motion, asm.asleep) > 0

    def place_everything(self) -> None:
        """What stands still or sleeps has moved: its shapes are placed anew before the next detection."""
        self._all_moved = True

    def part(self, pieces: Index) -> None:
        """Take the assemblies of these pieces apart where they no longer hang together."""
        model, state = self.model, self.state
        for slot in np.unique(state.piece_assembly[pieces]):
            wake_around(slot, model.hulls.piece, state.piece_assembly, state.contact_cache, state.assemblies)
            split(
                slot,
                self.scene.pieces,
                model.bonds,
                state.bond_broken,
                self._reach,
                state.piece_assembly,
                state.assemblies,
            )
        self.place_everything()  # what stays held stands where it stood, but by another rounding

    def inverse_inertia(self, slot: int) -> Array:
        """(3, 3) float64, [1/(kg m2)], world frame, as an assembly stands now."""
        update_inverse_masses(self.state.assemblies, self.bodies.inv_mass, self.bodies.inv_inertia)
        return self.bodies.inv_inertia[slot]

    # ------------------------------------------------------------------------------ forces

    def set_forcing(self, forcing: Forcing) -> None:
        """What fields do to pieces (P, 3) all through the interval."""
        self.forcing = forcing

    def gather(self, forcing: Forcing) -> tuple[Array, Array]:
        """Accelerations and angular accelerations (A, 3) of assemblies by what is done to their pieces (P, 3)."""
        out, turning = np.zeros((2, len(self.state.assemblies.mass), 3))
        if any(x is not None for x in forcing):
            given = (NOTHING_DONE if x is None else x for x in forcing)
            self._gather(self.scene.pieces, self.bodies, *given, out, turning)
        return out, turning

    # ---------------------------------------------------------------------------- interval

    def wake_joined(self) -> None:
        tied, state = self.tied, self.state
        self._see_ties()
        if len(tied.ties.kind) and wake_joined(tied.ties, tied.broken, state.piece_assembly, state.assemblies):
            self.place_everything()

    def _see_ties(self) -> None:
        """Which ties hold: not those that broke, nor those of which an end was removed, or is yet to come."""
        piece = self.tied.ties.piece
        if len(piece):
            removed = np.append(self.state.hold == Hold.REMOVED, False)  # the last place is of what is no piece
            gone = removed[piece].any(axis=1)
            self.tied.broken[:] = (self.state.tie_broken != 0) | gone

    def solve(self, stage: Stage = Stage.DETECT, until: Stage = Stage.DONE) -> Index:
        """An interval: detect contacts and build constraints, then all substeps; or one of the two. Returns the slots
        that are awake.
        """
        state, numbers = self.state, self._numbers
        if self._beside is not None:
            self._beside.begin_interval(self.scene, self.bodies)
        self._see_ties()
        # by assembly: what hangs together may have changed since the interval was solved last
        self.bodies.acceleration[:], self.bodies.angular_acceleration[:] = self.gather(self.forcing)
        numbers[STAGE], numbers[UNTIL] = stage, until
        numbers[EVERYTHING], numbers[ENTRIES] = int(self._all_moved), len(state.contact_cache.shape_a)
        while True:
            self._make_room()
            numbers[CAPACITY] = self._room
            parts = (self._cache, self._pairing, self._pairs, self._points, self.constraints, self.tied, self._scratch)
            beside = self._beside
            if self._apart is None:
                step = 0 if beside is None else beside.step_address(self.scene, self.bodies, self.constraints)
                self._apart = apart_for(self.scene, self.bodies, parts, step)
            if beside is None:
                self._interval(self.scene, self.bodies, *parts, self._apart, numbers)
            else:
                given = beside.parts, beside.often, state.vertex_tie_broken, beside.every
                self._interval(self.scene, self.bodies, *parts, self._apart, numbers, *given)
            used: list[Any] = [x[: numbers[ENTRIES]] for x in self._cache]
            state.contact_cache = ContactCache(*used)
            self._all_moved = False
            if numbers[STAGE] >= until:
                return self._scratch.rigid.awake[: numbers[AWAKE]]
            wanted = int(numbers[PAIRS])
            self._grow(wanted + wanted // 2 + wanted // LATE_SHARE + LATE_AT_LEAST)

    def _grow(self, room: int) -> None:
        """Room for more pairs of an interval."""
        self._room = max(room, self._room)
        if self._room > len(self.constraints.contacts.body_a):
            self.constraints = make_constraints(self._room)

    def _make_room(self) -> None:
        """Bring the cache of the state into memory with room for an interval's pairs."""
        held = self.state.contact_cache
        used = len(held.shape_a)
        entries = max(used + self._room, len(self._cache.shape_a))
        if self._room > len(self._pairs.entry) or entries > len(self._pairs.known):
            room = entries + entries // 2
            self._pairs, self._points = make_pairs(self._room, room), make_contact_points(room)
        grows = entries > len(self._cache.shape_a)
        if grows:
            self._cache = make_contact_cache(len(self._pairs.known))
            self._pairing = make_pairing(len(self._pairs.known))
        if grows or held.shape_a.base is not self._cache.shape_a:  # or the state came from elsewhere
            for own, given in zip(self._cache, held, strict=True):
                own[:used] = given

    def store_impulses(self, share: float) -> Array | None:
        """Write the interval's impulses and impacts to the cache of the state. Returns the impulse of each contact that
        met faster than this share of its characteristic speed (M,) [N s], None where none did.
        """
        out, interval = np.empty(self.contact_count), self.model.settings.interval
        # that of the state lies in it
        hard = self._store(self.constraints.contacts, self.contact_count, self._cache, interval, share, out)
        return out if hard else None

    def joint_loads(self) -> tuple[Index, Array] | None:
        """The ties at work in the interval (M,), and the load of every tie (T,) [N]; None where there are none. What
        they did is written to the state.
        """
        model, joints, count = self.model, self.tied.constraints, int(self.tied.active[0])
        if not count:
            return None
        tie = joints.tie[:count]
        self.state.tie_impulse[tie] = joints.impulse[:count]
        load = np.zeros(len(model.ties.kind))
        joint_loads(model.ties, self.scene.pieces, joints, count, model.settings.interval, load)
        return tie, load

    def fall_asleep(self, awake: Index, links: Links | None = None) -> Mask:
        """Put to sleep what has been still long enough. Returns the bodies of other matter (M,) bool that stay awake.

        links : what such bodies bear and hold, None where there are none
        """
        contacts, tied, asm = self.constraints.contacts, self.tied, self.state.assemblies
        given = links or self._links, self.model.settings, self._sleep
        if self._update_sleep(asm, awake, contacts, self.contact_count, tied, *given):
            self.place_everything()  # sleepers' shapes are placed once more, where they came to lie
        return self._sleep.awake[len(asm.alive) :] != 0
