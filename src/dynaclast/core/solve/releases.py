"""Bodies that wait: for a touch, a cue, or a field."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..arrays import Index, Mask
from .bonds import Bonds
from .deformable.run import DeformableRun
from .events import Event, EventLog
from .model import Hold, Model
from .rigid.run import RigidRun
from .state import State
from .sweeps import Ahead

DUE_TOLERANCE = 1e-9
"""Intervals by which a cue may be early, by rounding."""


class Touch(NamedTuple):
    """What was touched of what waits for it.

    pieces   : (P,) bool; by: name of the body that did so first
    vertices : (N,) bool, of bodies that deform
    bodies   : number of such a body -> name of what touched it first
    """

    pieces: Mask
    by: str
    vertices: Mask
    bodies: dict[int, str]

    def __bool__(self) -> bool:
        return bool(self.pieces.any() or self.bodies)


class Releases:
    """What waits in a run, and is let go."""

    def __init__(
        self, model: Model, state: State, rigid: RigidRun, deformable: DeformableRun | None, bonds: Bonds, log: EventLog
    ) -> None:
        self._model, self._state, self._rigid, self._bonds, self._log = model, state, rigid, bonds, log
        self._deformable = deformable
        self._cued = any(np.isfinite(release.time) for release in model.releases)

    def waiting_for_touch(self) -> bool:
        if not (self._state.hold.any() or self._state.vertex_hold.any()):
            return False
        return bool((self._state.hold == Hold.TOUCH).any() or (self._state.vertex_hold == Hold.TOUCH).any())

    def release_due(self, number: int) -> None:
        """Let go the bodies whose cue falls in interval ``number``."""
        if not self._cued:
            return
        if not ((self._state.hold == Hold.CUE).any() or (self._state.vertex_hold == Hold.CUE).any()):
            return
        interval = self._model.settings.interval
        for b, release in enumerate(self._model.releases):
            if not np.isfinite(release.time) or int(np.floor(release.time / interval + DUE_TOLERANCE)) != number:
                continue
            own = np.flatnonzero((self._model.pieces.body == b) & (self._state.hold == Hold.CUE))
            if len(own):
                self._let_go(own, b, {"cue": release.time})
            if self._deformable is not None:
                self._let_go_vertices(self._deformable, self._state.vertex_hold == Hold.CUE, b, {"cue": release.time})

    def _let_go_vertices(self, run: DeformableRun, waits: Mask, body: int, cause: Event) -> None:
        """Free those vertices of a body that deforms that wait for this (N,) bool."""
        table = run.deformables
        own = (table.body[table.elements.vertices.body] == body) & waits
        if not own.any():
            return
        run.hold(own, Hold.FREE)
        self._state.vertices.velocity[own] = table.start_velocity[own]
        first = int(np.flatnonzero(own)[0])
        vertices = (np.flatnonzero(own) - first).tolist()
        self._log.add("release", body=self._model.body_names[body], vertices=vertices, cause=cause)

    def release_after_touch(self, touch: Touch) -> None:
        """Let go what was touched."""
        self.release_touched(touch.pieces, {"touch": touch.by})
        for body, by in touch.bodies.items():
            self._release_touched_parts(body, touch.vertices, {"touch": by})

    def release_touched_vertices(self, touched: Mask, cause: Event) -> None:
        """Let go of bodies that deform, and wait to be touched, what was at vertices (N,) bool."""
        run, waits = self._deformable, self._state.vertex_hold == Hold.TOUCH
        if run is None or not (touched & waits).any():
            return
        for b in np.unique(run.deformables.elements.vertices.body[touched & waits]):
            self._release_touched_parts(int(run.deformables.body[b]), touched, cause)

    def _release_touched_parts(self, body: int, touched: Mask, cause: Event) -> None:
        """Let go the pieces of a body that deforms, or the chunks, or the whole, as it says, of touched vertices (N,)
        bool; seams to what still waits open, the others hold. What only tears, without a pattern, goes as a whole.
        """
        run, state = self._deformable, self._state
        assert run is not None
        table, part = run.deformables, self._model.releases[body].part
        going = (state.vertex_hold == Hold.TOUCH) & (table.body[table.elements.vertices.body] == body)
        if part != "body" and table.parted[np.searchsorted(table.body, body)]:
            last = len(table.seams.chunks) - 1  # what no seam holds is numbered beyond, and a chunk of its own
            chunk = np.where(table.piece > last, last + table.piece, table.seams.chunks[table.piece.clip(max=last), 1])
            number = table.piece if part == "piece" else chunk
            going &= np.isin(number, number[going & touched])
        self._let_go_vertices(run, going, body, cause)
        waits = state.vertex_hold == Hold.TOUCH
        one, other = table.seams.link.T
        parts = np.unique(table.seams.of[(going[one] & waits[other]) | (waits[one] & going[other])])
        parts = parts[state.seam_broken[parts] == 0]
        if len(parts):
            state.seam_broken[parts] = 1
            run.part(parts)

    def release_touched(self, touched: Mask, cause: Event) -> bool:
        """Let go what waits to be touched and was (P,) bool. Returns whether anything was."""
        model, state = self._model, self._state
        hit = touched & (state.hold == Hold.TOUCH)
        if not hit.any():
            return False
        for b in np.unique(model.pieces.body[hit]):
            own = (model.pieces.body == b) & (state.hold == Hold.TOUCH)
            part = model.releases[b].part
            if part == "piece":
                own &= hit
            elif part == "chunk":
                own &= np.isin(model.pieces.chunk, model.pieces.chunk[hit])
            self._let_go(np.flatnonzero(own), int(b), cause)
        return True

    def _let_go(self, pieces: Index, body: int, cause: Event) -> None:
        """Free pieces of one body; bonds to what still waits part, the others hold."""
        model, state = self._model, self._state
        state.hold[pieces] = Hold.FREE
        going = np.zeros(len(state.hold), bool)
        going[pieces] = True
        waits = state.hold >= Hold.TOUCH
        first, second = model.bonds.piece[:, 0], model.bonds.piece[:, 1]
        if model.bond_count:
            state.bond_broken[(going[first] & waits[second]) | (going[second] & waits[first])] = 1
        self._log.add("release", body=model.body_names[body], pieces=pieces.tolist(), cause=cause)
        self._bonds.part(pieces)

    def release_ahead(self, ahead: Ahead) -> None:
        """Let go what waits to be touched and what is animated runs into in the coming interval."""
        if not self.waiting_for_touch():
            return
        model, run = self._model, self._deformable
        waits = self._state.vertex_hold == Hold.TOUCH
        waiting = np.zeros(0, np.int64) if run is None else np.flatnonzero(run.has(waits))
        pieces, deformables = ahead.run_into(self._state.hold == Hold.TOUCH, waiting)
        if not pieces and not deformables:
            return
        hit, names = np.zeros(model.piece_count, bool), model.body_names
        hit[list(pieces)] = True
        by = [names[model.pieces.body[p]] for p in (*pieces.values(), *deformables.values())]
        vertices, bodies = np.zeros(len(self._state.vertex_hold), bool), dict[int, str]()
        if run is not None:
            vertices[list(deformables)] = True
            of = run.deformables.body[run.deformables.elements.vertices.body]
            for vertex, name in zip(deformables, by[len(pieces) :], strict=True):
                bodies.setdefault(int(of[vertex]), name)
        self.release_after_touch(Touch(hit, by[0], vertices, bodies))

    def touched(self) -> Touch:
        """What waits to be touched, and something that moves touched in this interval."""
        pieces, by = self._touched_pieces()
        run = self._deformable
        if run is None:
            return Touch(pieces, by, np.zeros(0, bool), {})
        more, other = run.touched_pieces(self._state.hold == Hold.TOUCH)
        hit = run.touched_vertices() & (self._state.vertex_hold == Hold.TOUCH)
        bodies = {int(run.deformables.body[b]): name for b, name in run.touched_by(run.has(hit)).items()}
        return Touch(pieces | more, by or other, hit, bodies)

    def _touched_pieces(self) -> tuple[Mask, str]:
        """Pieces (P,) bool that wait to be touched and that another body, moving, pressed on in this interval; and the
        name of the body that did so first, in the order of the contacts.
        """
        model, state = self._model, self._state
        contacts, cache, n = self._rigid.constraints.contacts, state.contact_cache, self._rigid.contact_count
        out = np.zeros(len(state.hold), bool)
        pressed = np.flatnonzero(contacts.total_impulse[:n].sum(axis=1) > 0) if n else np.zeros(0, int)
        k = contacts.cache_index[pressed]
        p, q = model.hulls.piece[cache.shape_a[k]], model.hulls.piece[cache.shape_b[k]]
        other = (cache.shape_b[k] >= 0) & (model.pieces.body[p] != model.pieces.body[q])
        out[p[other & (state.hold[p] == Hold.TOUCH)]] = True
        out[q[other & (state.hold[q] == Hold.TOUCH)]] = True
        for one, two, between in zip(p, q, cache.shape_b[k] >= 0, strict=True):
            if between and (out[one] or out[two]):
                return out, model.body_names[model.pieces.body[two if out[one] else one]]
        return out, ""
