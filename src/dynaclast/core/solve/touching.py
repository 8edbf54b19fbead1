"""Scratch memory of a run, and an interval's middle: find contacts and solve them."""

from __future__ import annotations

import numpy as np

from ..geometry.mesh import Array
from .frame import piece_positions
from .model import Model
from .rigid.broad import make_pairing
from .rigid.interval import DONE, SEARCH, make_found, make_work, run_interval
from .rigid.manifolds import Near, Rows, make_near, make_rows, world_inertia
from .rigid.ties import make_tie_rows
from .state import Contacts, State, no_contacts


class Touching:
    """What touches in an interval. Scratch holds nothing a step needs from the one before; everything that must survive
    is in the State.
    """

    def __init__(self, model: Model, state: State) -> None:
        self.model, self.state = model, state
        self._pieces = model.pieces._replace(held=state.held)
        slots = model.piece_count + 1
        self._work = make_work(model.hulls, model.sheets.first, slots, piece_positions(model, state)[model.hulls.piece])
        self._room = 1024
        self._found = make_found(self._room, 0)
        self._rows: Rows = make_rows(self._room)
        self._near: Near = make_near(self._room)
        self._memory, self._pairing = no_contacts(0), make_pairing(0)
        self._tie_rows, self._tie_count = make_tie_rows(len(model.ties.kind)), 0
        self._row_count = self._near_count = 0
        self._stale = True
        self._parent, self._marks = np.zeros(slots, np.int32), np.zeros((6, slots), np.uint8)
        self._driven = np.zeros(0, np.int64)
        self._push: Array | None = None
        self._twist: Array | None = None

    def _live(self) -> np.ndarray:
        asm = self.state.assemblies
        return np.flatnonzero((asm.alive == 1) & (asm.held == 0) & (asm.asleep == 0))

    def _aggregate(self) -> tuple[Array, Array]:
        """Accelerations and angular accelerations (A, 3) of assemblies by what fields do to their pieces."""
        model, state = self.model, self.state
        asm, slot = state.assemblies, state.piece_assembly
        slots = len(asm.pos)
        push, twist = np.zeros((slots, 3)), np.zeros((slots, 3))
        if self._push is None and self._twist is None:
            return push, twist
        mass = model.pieces.mass
        whole = np.maximum(np.bincount(slot, mass, slots), 1e-300)
        if self._push is not None:
            for c in range(3):
                push[:, c] = np.bincount(slot, mass * self._push[:, c], slots) / whole
            many = asm.pieces > 1
            if many.any():
                own = np.flatnonzero(many[slot])
                turn = np.cross(
                    piece_positions(model, state)[own] - asm.pos[slot[own]], mass[own, None] * self._push[own]
                )
                torque = np.stack([np.bincount(slot[own], turn[:, c], slots) for c in range(3)], axis=1)
                world_inertia(asm, self._work.inv_mass, self._work.inv_inertia)
                twist += np.einsum("aij,aj->ai", self._work.inv_inertia, torque) * many[:, None]
        if self._twist is not None:
            for c in range(3):
                twist[:, c] += np.bincount(slot, mass * self._twist[:, c], slots) / whole
        still = asm.held != 0
        push[still] = twist[still] = 0.0
        return push, twist

    def _touch(self, stage: int = SEARCH, until: int = DONE) -> np.ndarray:
        """An interval: find what touches and build the solver's rows, then all substeps; or one of the two. Returns the
        slots that are awake.
        """
        model, state = self.model, self.state
        push, twist = self._aggregate()
        memory = self._memory_with(self._room)
        while True:
            stage, wanted, count, self._row_count, self._near_count, self._tie_count, live = run_interval(
                model.hulls,
                self._pieces,
                state.piece_assembly,
                model.apart,
                state.assemblies,
                self._driven,
                memory,
                len(state.contacts.a),
                self._pairing,
                self._found,
                self._rows,
                self._row_count,
                self._near,
                self._near_count,
                model.ties,
                state.tie_broken,
                state.tie_push,
                self._tie_rows,
                model.settings,
                model.sheets,
                push,
                twist,
                self._work,
                int(self._stale),
                stage,
                until,
            )
            state.contacts = Contacts(*(x[:count] for x in memory))
            self._stale = False
            if stage >= until:
                return self._work.live[:live]
            memory = self._memory_with(wanted + wanted // 2)

    def _memory_with(self, room: int) -> Contacts:
        """The memory of pairs as it stands in the state, with room for so many pairs of an interval."""
        held = self.state.contacts
        entries = max(len(held.a) + room, len(self._memory.a))
        if room > self._room:
            self._room = room
            self._rows, self._near = make_rows(room), make_near(room)
        if room > len(self._found.which) or entries > len(self._found.known):
            self._found = make_found(self._room, entries + entries // 2)
        if (
            entries > len(self._memory.a) or held.a.base is not self._memory.a
        ):  # it grows, or the state came from elsewhere
            if entries > len(self._memory.a):
                self._memory, self._pairing = no_contacts(len(self._found.known)), make_pairing(len(self._found.known))
            for own, given in zip(self._memory, held, strict=True):
                own[: len(given)] = given
        return self._memory
