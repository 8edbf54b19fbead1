"""Bonds that break, and what then comes apart: by loads that are given, by impacts, by weight."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from ..arrays import Array, Index
from .bond_loads import apply_load, bond_graph
from .events import Causes, EventLog, kilonewtons, with_shares
from .frame import piece_positions
from .impact_loads import (
    GROUND_BODY,
    IMPACT_TIME,
    Struck,
    load_by_impacts,
    load_floor,
    make_bond_impacts,
    make_graph_search,
    spread_load,
)
from .model import Hold, Model, Motion
from .rigid.run import RigidRun
from .state import State
from .sweeps import Ahead, ConvexSets, still_meshes

Hits = tuple[Index, Array, Index]
"""Of each: the piece, the force [N], the body of the shot that hit."""


class Bonds:
    """The bonds of a run."""

    def __init__(self, model: Model, state: State, rigid: RigidRun, log: EventLog) -> None:
        self._model, self._state, self._rigid, self._log = model, state, rigid, log
        self._search = make_graph_search(model.piece_count)
        self._floor = load_floor(model)

    def break_overloaded(self, load: Array, causes: Causes) -> bool:
        """Break what is loaded (B,) [N] above its strength, write it down, part the assemblies. Returns whether
        anything broke.
        """
        model, state = self._model, self._state
        strength = model.bonds.strength * (1.0 - state.bond_wear)
        failing = np.flatnonzero((state.bond_broken == 0) & (load > strength))
        if not len(failing):
            return False
        for b in failing:
            p, q = (int(x) for x in model.bonds.piece[b])
            self._log.add(
                "bond_broken",
                bond=int(b),
                body=model.body_names[model.pieces.body[p]],
                pieces=[p, q],
                tier=int(model.bonds.tier[b]),
                load=kilonewtons(load[b]),
                strength=kilonewtons(strength[b]),
                causes=with_shares(causes(int(b))),
            )
        state.bond_broken[failing] = 1
        self.part(model.bonds.piece[failing, 0])
        return True

    def part(self, pieces: Index) -> None:
        """Take the assemblies of these pieces apart where they no longer hang together."""
        self._rigid.part(pieces)

    def impact_load(self, hits: Hits | None = None) -> tuple[Array, Index] | None:
        """Loads (B,) [N] of the bonds that fail under the impacts of the interval, 0 of others, and the body to blame
        for each (B,), GROUND_BODY for the ground; None where none fails.

        hits : by what deforms
        """
        model, state, rigid = self._model, self._state, self._rigid
        out = make_bond_impacts(model.bond_count)
        out.blame[:] = GROUND_BODY
        struck = Struck(model.hulls.piece, model.pieces.body, state.assemblies.piece_count[state.piece_assembly] > 1)
        struck_any = 0 < load_by_impacts(
            rigid.constraints.contacts,
            rigid.contact_count,
            state.contact_cache,
            struck,
            model.bonds,
            state.bond_broken,
            self._floor,
            out,
            self._search,
        )
        if hits is not None:
            for piece, force, body in zip(*hits, strict=True):
                if struck.bonded[piece]:
                    struck_any = True
                    spread_load(
                        piece, force, self._floor[piece], body, model.bonds, state.bond_broken, out, self._search
                    )
        if not struck_any:
            return None
        failing, load = apply_load(bond_graph(model), state.bond_broken, state.bond_wear, out.load)
        return (np.where(failing, load, 0.0), out.blame) if failing.any() else None

    @cached_property
    def _still_meshes(self) -> ConvexSets:
        return still_meshes(self._model, self._state)

    def break_ahead(self, ahead: Ahead) -> None:
        """Break out of what is held what an animated body runs into in the coming interval: that does not stop; and out
        of what an animated body takes along what it presses into something fixed. It counts as a hit that gives the
        piece the speed at which they meet; and its own bonds give way to any.
        """
        model, state = self._model, self._state
        asm, bonds = state.assemblies, model.bonds
        bonded = np.zeros(model.piece_count, bool)
        bonded[bonds.piece[state.bond_broken == 0].ravel()] = True
        bonded &= state.hold == Hold.FREE
        held, taken = (bonded & (asm.motion[state.piece_assembly] == m) for m in (Motion.FIXED, Motion.KINEMATIC))
        entered = ahead.entered(held) if held.any() else {}
        if taken.any():
            entered |= ahead.enters(taken, self._still_meshes)
        if not entered:
            return
        out, center = make_bond_impacts(model.bond_count), piece_positions(model, state)
        for piece, other in entered.items():
            by, speed = int(model.pieces.body[other]) if other >= 0 else GROUND_BODY, np.zeros(3)
            for one, sign in ((piece, -1.0), (other, 1.0)):
                if one >= 0:
                    slot = state.piece_assembly[one]
                    arm = center[piece] - asm.position[slot]
                    speed += sign * (asm.velocity[slot] + np.cross(asm.angular_velocity[slot], arm))
            force = float(model.pieces.mass[piece] * np.linalg.norm(speed)) / IMPACT_TIME
            spread_load(piece, force, self._floor[piece], by, bonds, state.bond_broken, out, self._search)
            out.blame[(bonds.piece == piece).any(axis=1) & (out.load == 0.0)] = by
        failing, load = apply_load(bond_graph(model), state.bond_broken, state.bond_wear, out.load)
        load = np.where(failing, load, 0.0)
        own = (state.bond_broken == 0) & np.isin(bonds.piece, list(entered)).any(axis=1)
        load[own] = np.maximum(load[own], np.nextafter(bonds.strength[own] * (1.0 - state.bond_wear[own]), np.inf))
        self.break_by_impacts(load, out.blame)

    def break_by_impacts(self, load: Array, blame: Index) -> None:
        """Break bonds by what ``impact_load`` gave."""
        names = [*self._model.body_names, "ground"]  # GROUND_BODY is the last
        self.break_overloaded(load, lambda b: [{"impact": names[blame[b]], "load": kilonewtons(load[b])}])
