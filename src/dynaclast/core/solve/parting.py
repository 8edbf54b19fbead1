"""What parts: bonds that break under hits, strains and weight; bodies that are let go; ties that give way. Each is
written down as an event.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from ..geometry.mesh import Array, rotation_matrix
from .frame import bond_positions, piece_positions
from .loadpath import weigh
from .model import HOLD_CUE, HOLD_FREE, HOLD_TOUCH, Model
from .prepare import piece_reach
from .rigid.assemblies import split, wake_around
from .rigid.ties import tie_loads
from .state import Contacts, State
from .touching import Touching

WEIGH_EVERY = 4
"""Frames between looks at what rests on bodies that can fail under weight."""
MOST_ROUNDS = 6
"""Rounds of breaking under weight in one frame; a collapse that needs more goes on in the next."""
WORST_SHARE = 0.85
"""Overloaded bonds within this share of the worst break together."""


class Parting(Touching):
    """What comes apart in a run, and why."""

    def __init__(self, model: Model, state: State) -> None:
        super().__init__(model, state)
        self._reach = piece_reach(model)
        self._weighed = bool(model.load_path.any()) and len(model.bonds.area) > 0

    def _note(self, kind: str, **more: Any) -> dict[str, Any]:
        frame = self.state.frame + 1
        return {"frame": frame, "time": round(frame / float(self.model.fps), 6), "kind": kind, **more}

    # ------------------------------------------------------------------------------- weight

    def _weigh(self, events: list[dict[str, Any]]) -> None:
        """Follow weight through the bonds of bodies that can fail under it, and break what it breaks: the most
        overloaded first, so that a collapse runs on from bond to bond.

        Done when something parted, and every few frames while things move, since what lands on a body loads it too.
        """
        model, state = self.model, self.state
        if not state.weigh and not (state.frame % WEIGH_EVERY == 0 and len(self._live())):
            return
        state.weigh = 0
        rule = model.load_path[model.pieces.body[model.bonds.piece[:, 0]]]
        for _ in range(MOST_ROUNDS):
            load, ratio = self._weight_loads(rule)
            ratio[rule != 2] = 0.0
            worst = ratio.max(initial=0.0)
            if worst <= 1.0:
                return
            load[ratio < max(1.0, WORST_SHARE * worst)] = 0.0
            body = model.pieces.body[model.bonds.piece[:, 0]]
            self._break(load, lambda b: [{"weight": model.body_names[body[b]], "load": kn(load[b])}], events)  # noqa: B023
        state.weigh = 1

    def _weight_loads(self, rule: np.ndarray) -> tuple[Array, Array]:
        """Load by weight (B,) [N] of bonds with a rule (B,) above 0, and their share of the strength (B,). Each piece's
        worst share is kept.
        """
        model, state = self.model, self.state
        center, middle = piece_positions(model, state), bond_positions(model, state)
        use = np.flatnonzero((state.bond_broken == 0) & (rule > 0))
        extra, torque = self._resting_on(center)
        load = np.zeros(len(state.bond_broken))
        load[use] = weigh(
            center,
            model.pieces.mass * model.pieces.fall,
            model.settings.gravity,
            state.held != 0,
            model.bonds.piece[use],
            middle[use],
            model.bonds.area[use],
            extra,
            torque,
        )
        ratio = load / np.maximum(model.bonds.strength * (1.0 - state.bond_wear), 1e-9)
        share = np.zeros(model.piece_count)
        for side in (0, 1):
            np.maximum.at(share, model.bonds.piece[:, side], np.minimum(ratio, 10.0))
        state.memory["load share"] = share
        return load, ratio

    def _resting_on(self, center: Array) -> tuple[Array, Array]:
        """Forces and torques (P, 3) of what presses on held pieces, by the contacts of the last interval."""
        model, state = self.model, self.state
        force, torque = np.zeros((model.piece_count, 3)), np.zeros((model.piece_count, 3))
        con = state.contacts
        h = model.settings.interval / model.settings.substeps
        for k in np.flatnonzero((con.count > 0) & (con.push.max(axis=1, initial=0.0) > 0)):
            for shape, sign in ((con.a[k], 1.0), (con.b[k], -1.0)):
                if shape < 0 or not state.assemblies.held[state.piece_assembly[model.hulls.piece[shape]]]:
                    continue
                p = model.hulls.piece[shape]
                a = state.piece_assembly[model.hulls.piece[con.a[k]]]
                turn = rotation_matrix(state.assemblies.rot[a])
                n = con.count[k]
                points = con.local[k, :n] @ turn.T + state.assemblies.pos[a]
                pushes = sign * con.push[k, :n, None] * con.axis[k] / h
                force[p] += pushes.sum(axis=0)
                torque[p] += np.cross(points - center[p], pushes).sum(axis=0)
        return force, torque

    # -------------------------------------------------------------------------------- bonds

    def _break(self, load: Array, causes: Callable[[int], list[dict[str, Any]]], events: list[dict[str, Any]]) -> bool:
        """Break what is loaded above its strength, write it down, part the assemblies."""
        model, state = self.model, self.state
        strength = model.bonds.strength * (1.0 - state.bond_wear)
        giving = np.flatnonzero((state.bond_broken == 0) & (load > strength))
        if not len(giving):
            return False
        for b in giving:
            why = causes(int(b))
            total = sum(c["load"] for c in why) or 1.0
            for c in why:
                c["share"] = round(c["load"] / total, 4)
            p, q = (int(x) for x in model.bonds.piece[b])
            events.append(
                self._note(
                    "bond_broken",
                    bond=int(b),
                    body=model.body_names[model.pieces.body[p]],
                    pieces=[p, q],
                    tier=int(model.bonds.tier[b]),
                    load=kn(load[b]),
                    strength=kn(strength[b]),
                    causes=why,
                )
            )
        state.bond_broken[giving] = 1
        self._part(model.bonds.piece[giving, 0])
        return True

    def _part(self, pieces: np.ndarray) -> None:
        """Take the assemblies of these pieces apart where they no longer hang together."""
        model, state = self.model, self.state
        state.weigh = 1
        for slot in np.unique(state.piece_assembly[pieces]):
            wake_around(slot, model.hulls.piece, state.piece_assembly, state.contacts, state.assemblies)
            split(
                slot, self._pieces, model.bonds, state.bond_broken, self._reach, state.piece_assembly, state.assemblies
            )

    # ------------------------------------------------------------------------------ release

    def _release_due(self, number: int, events: list[dict[str, Any]]) -> None:
        """Let go the bodies whose cue has come."""
        if not (self.state.held == HOLD_CUE).any():
            return
        interval = self.model.settings.interval
        due = [
            b
            for b, r in enumerate(self.model.releases)
            if np.isfinite(r.time) and int(np.floor(r.time / interval + 1e-9)) == number
        ]
        for b in due:
            own = np.flatnonzero((self.model.pieces.body == b) & (self.state.held == HOLD_CUE))
            if len(own):
                self._let_go(own, b, {"cue": self.model.releases[b].time}, events)

    def _release(self, touched: np.ndarray, cause: dict[str, Any], events: list[dict[str, Any]]) -> bool:
        """Let go what waits to be touched and was (P,) bool. Returns whether anything was."""
        model, state = self.model, self.state
        hit = touched & (state.held == HOLD_TOUCH)
        if not hit.any():
            return False
        for b in np.unique(model.pieces.body[hit]):
            own = (model.pieces.body == b) & (state.held == HOLD_TOUCH)
            part = model.releases[b].part
            if part == "piece":
                own &= hit
            elif part == "chunk":
                own &= np.isin(model.pieces.chunk, model.pieces.chunk[hit])
            self._let_go(np.flatnonzero(own), int(b), cause, events)
        return True

    def _let_go(self, pieces: np.ndarray, body: int, cause: dict[str, Any], events: list[dict[str, Any]]) -> None:
        """Free pieces of one body; bonds to what still waits part, the others hold."""
        model, state = self.model, self.state
        state.held[pieces] = HOLD_FREE
        going = np.zeros(len(state.held), bool)
        going[pieces] = True
        waits = state.held >= HOLD_TOUCH
        ends = model.bonds.piece
        if len(ends):
            state.bond_broken[(going[ends[:, 0]] & waits[ends[:, 1]]) | (going[ends[:, 1]] & waits[ends[:, 0]])] = 1
        events.append(self._note("release", body=model.body_names[body], pieces=pieces.tolist(), cause=cause))
        self._part(pieces)

    def _touched(self, contacts: Contacts) -> np.ndarray:
        """Pieces (P,) bool that wait to be touched and that another body, moving, pressed on in this interval."""
        model, state, rows, n = self.model, self.state, self._rows, self._row_count
        out = np.zeros(len(state.held), bool)
        pressed = np.flatnonzero(rows.total[:n].sum(axis=1) > 0) if n else np.zeros(0, int)
        k = rows.pair[pressed]
        p = model.hulls.piece[contacts.a[k]]
        q = model.hulls.piece[contacts.b[k]]
        other = (contacts.b[k] >= 0) & (model.pieces.body[p] != model.pieces.body[q])
        out[p[other & (state.held[p] == HOLD_TOUCH)]] = True
        out[q[other & (state.held[q] == HOLD_TOUCH)]] = True
        return out

    # --------------------------------------------------------------------------------- ties

    def _break_ties(self, events: list[dict[str, Any]]) -> None:
        """Remember what the ties did, and part those that bore more than they can."""
        model, state, rows, n = self.model, self.state, self._tie_rows, self._tie_count
        if not n:
            return
        state.tie_push[rows.tie[:n]] = rows.push[:n]
        load = np.zeros(len(model.ties.kind))
        tie_loads(model.ties, model.pieces, rows, n, model.settings.interval, load)
        for i in np.flatnonzero(load > model.ties.breaks):
            state.tie_broken[i] = 1
            state.tie_push[i] = 0.0
            pieces = [int(p) for p in model.ties.piece[i] if p >= 0]
            events.append(
                self._note(
                    "tie_broken",
                    tie=model.tie_names[i],
                    bodies=[model.body_names[model.pieces.body[p]] for p in pieces],
                    pieces=pieces,
                    load=kn(load[i]),
                    strength=kn(model.ties.breaks[i]),
                )
            )

    # ------------------------------------------------------------------------------- causes

    def _toucher(self, contacts: Contacts, touched: np.ndarray) -> str:
        """Name of the body that touched first in the order of the pairs."""
        model, rows = self.model, self._rows
        for r in np.flatnonzero(rows.total[: self._row_count].sum(axis=1) > 0):
            k = rows.pair[r]
            if contacts.b[k] < 0:
                continue
            p, q = model.hulls.piece[contacts.a[k]], model.hulls.piece[contacts.b[k]]
            if touched[p] or touched[q]:
                return model.body_names[model.pieces.body[q if touched[p] else p]]
        return ""

    def _hit_cause(self, body: int, load: float) -> dict[str, Any]:
        return {"impact": self.model.body_names[body] if body >= 0 else "ground", "load": kn(load)}


def kn(newtons: float) -> float:
    return round(float(newtons) / 1000.0, 4)
