"""Scratch memory of a run, and an interval's middle: find contacts, solve them, look again on the way."""

from __future__ import annotations

import numpy as np

from ..geometry.mesh import Array
from .frame import piece_positions
from .model import Model
from .rigid.broad import carry_over, find_pairs, make_pairing, place_shapes
from .rigid.interval import run_interval
from .rigid.manifolds import Near, Rows, build_rows, make_near, make_rows, world_inertia
from .rigid.search import find_contacts, make_search_scratch
from .rigid.ties import make_tie_rows
from .state import Contacts, State, no_contacts


class Touching:
    """What touches in an interval. Scratch holds nothing a step needs from the one before; everything that must survive is in the State."""

    def __init__(self, model: Model, state: State) -> None:
        self.model, self.state = model, state
        self._pieces = model.pieces._replace(held=state.held)
        shapes, slots = len(model.hulls.piece), model.piece_count + 1
        self._lo, self._hi = np.zeros((shapes, 3)), np.zeros((shapes, 3))
        self._verts, self._normals = np.zeros_like(model.hulls.verts), np.zeros_like(model.hulls.normals)
        self._centers = np.zeros((shapes, 3))
        self._placed_at, self._turned_at = np.zeros(shapes, np.int64), np.zeros(slots, np.int64)
        self._points, self._seps, self._known = np.zeros((0, 4, 3)), np.zeros((0, 4)), np.zeros(0, np.uint8)
        self._scratch, self._turn, self._arms = make_search_scratch(), np.zeros((3, 3)), np.zeros((11, 3))
        self._stale = True
        self._inv_mass, self._inv_inertia = np.zeros(slots), np.zeros((slots, 3, 3))
        self._moved, self._turned = np.zeros((slots, 3)), np.zeros((slots, 3))
        self._pair_a, self._pair_b = np.zeros(1024, np.int32), np.zeros(1024, np.int32)
        self._rows: Rows = make_rows(0)
        self._near: Near = make_near(0)
        self._tie_rows, self._tie_count = make_tie_rows(len(model.ties.kind)), 0
        self._memory, self._pairing = no_contacts(0), make_pairing(0)
        self._row_count = self._near_count = 0
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
                turn = np.cross(piece_positions(model, state)[own] - asm.pos[slot[own]], mass[own, None] * self._push[own])
                torque = np.stack([np.bincount(slot[own], turn[:, c], slots) for c in range(3)], axis=1)
                world_inertia(asm, self._inv_mass, self._inv_inertia)
                twist += np.einsum("aij,aj->ai", self._inv_inertia, torque) * many[:, None]
        if self._twist is not None:
            for c in range(3):
                twist[:, c] += np.bincount(slot, mass * self._twist[:, c], slots) / whole
        still = asm.held != 0
        push[still] = twist[still] = 0.0
        return push, twist

    def _search(self) -> None:
        """Find this interval's contacts and build the solver's rows."""
        model, state, asm = self.model, self.state, self.state.assemblies
        settings = model.settings
        which = self._pairs()
        calls = self._calls_sleepers(which)
        if self._look(which[calls]):  # sleepers that woke take part in this very interval
            which = self._pairs()
            calls = self._calls_sleepers(which)
            self._look(which[calls])
        self._look(which[~calls])
        world_inertia(asm, self._inv_mass, self._inv_inertia)
        if len(self._rows.a) < len(which):
            self._rows, self._near = make_rows(len(which) + len(which) // 2), make_near(len(which) + len(which) // 2)
        self._moved[:] = self._turned[:] = 0.0
        self._row_count, self._near_count = build_rows(
            model.hulls, model.pieces, state.piece_assembly, asm, state.contacts, which, np.zeros(0, np.int32), settings,
            self._points, self._seps, self._inv_mass, self._inv_inertia, self._moved, self._turned, self._arms, self._rows, 0, self._near, 0,
        )

    def _calls_sleepers(self, which: np.ndarray) -> np.ndarray:
        """Pairs (N,) bool of which one side is asleep: they are looked at before the others, since what they wake must be paired anew."""
        slot = self.state.piece_assembly[self.model.hulls.piece]
        asleep = self.state.assemblies.asleep
        if not asleep.any():
            return np.zeros(len(which), bool)
        b = self.state.contacts.b[which]
        return (asleep[slot[self.state.contacts.a[which]]] != asleep[slot[b]]) & (b >= 0)

    def _look(self, which: np.ndarray) -> int:
        model, state = self.model, self.state
        return find_contacts(
            model.hulls, model.pieces, state.piece_assembly, state.assemblies, state.contacts, self._known, which, 0, model.settings.interval, model.settings, model.sheets,
            self._verts, self._normals, self._centers, self._placed_at, self._points, self._seps, self._scratch,
        )

    def _solve(self, live: np.ndarray) -> None:
        """All substeps of an interval; pairs whose bodies turn far within it are looked at again on the way."""
        model, state, pairs = self.model, self.state, self._row_count + self._near_count
        self._row_count, self._near_count = run_interval(
            model.hulls, model.pieces, state.piece_assembly, state.assemblies, live, self._driven, state.contacts, self._known, self._rows, self._row_count, self._near, self._near_count,
            model.ties, self._tie_rows, self._tie_count, self._inv_mass, self._inv_inertia, model.settings, model.sheets, *self._aggregate(), self._moved, self._turned,
            self._verts, self._normals, self._centers, self._points, self._seps, self._placed_at, self._turned_at, np.zeros(pairs, np.int32), np.zeros(pairs, np.int64), self._turn, self._arms, self._scratch,
        )

    def _pairs(self) -> np.ndarray:
        """Bring the memory of pairs up to date. Returns where in it stand those to be looked at."""
        model, state = self.model, self.state
        hulls, asm = model.hulls, state.assemblies
        place_shapes(hulls, model.pieces, state.piece_assembly, asm, self._stale, self._verts, self._normals, self._centers, self._lo, self._hi, model.settings, self._aggregate()[0], self._turn)
        self._stale = False
        axis = int(np.argmax(np.ptp(self._lo[: model.sheets.first], axis=0))) if model.sheets.first else 0
        order = np.argsort(self._lo[: model.sheets.first, axis], kind="stable")
        while True:
            fresh = find_pairs(hulls, self._pieces, state.piece_assembly, model.apart, asm, model.settings, model.sheets, self._lo, self._hi, axis, order, self._pair_a, self._pair_b)
            if fresh <= len(self._pair_a):
                break
            self._pair_a, self._pair_b = np.zeros(fresh * 2, np.int32), np.zeros(fresh * 2, np.int32)
        count = len(state.contacts.a)
        memory, which = self._memory_for(count + fresh), np.zeros(fresh, np.int64)
        count = carry_over(self._pair_a, self._pair_b, fresh, hulls, state.piece_assembly, asm, memory, count, self._known, which, self._pairing)
        if len(self._seps) < count:
            self._points, self._seps = np.zeros((count + count // 2, 4, 3)), np.zeros((count + count // 2, 4))
        state.contacts = Contacts(*(x[:count] for x in memory))
        return which

    def _memory_for(self, room: int) -> Contacts:
        """The memory of pairs, with room for so many."""
        held = self.state.contacts
        if len(self._memory.a) < room or held.a.base is not self._memory.a:  # it grows, or the state came from elsewhere
            if len(self._memory.a) < room:
                self._memory, self._known, self._pairing = no_contacts(room + room // 2), np.zeros(room + room // 2, np.uint8), make_pairing(room + room // 2)
            for own, given in zip(self._memory, held, strict=True):
                own[: len(given)] = given
        return self._memory
