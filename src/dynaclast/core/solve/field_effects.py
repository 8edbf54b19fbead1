"""Carrying out what fields do: loads on bonds, wear, changes of velocity, accelerations, and ends."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..arrays import Array, Index, Mask, cross, lengths
from ..document import FieldItem, KillEffect, StrainEffect
from ..fields import BONDS, PIECES, SEAMS, VERTICES, Forcing
from .actions import Actions
from .bond_loads import apply_load, bond_graph, wear_down
from .bonds import Bonds
from .deformable.run import DeformableRun
from .events import Causes, EventLog, kilonewtons
from .field_actions import ActiveFields
from .frame import piece_positions
from .impacts import Impacts
from .load_paths import LoadPaths
from .model import Hold, Model, Motion
from .releases import Releases
from .rigid.assemblies import wake, wake_around, wake_one
from .rigid.run import RigidRun
from .seams import Seams
from .state import State
from .vertex_ends import VertexEnds, bodies_of

WAKES_FROM = 0.02
"""What sleeps wakes where fields change by more than this share of gravity."""


def _fields(shares: list[tuple[str, Array]]) -> Causes:
    """What loads a bond, by what each field does to all of them [N]."""
    return lambda b: [{"field": name, "load": kilonewtons(own[b])} for name, own in shares if own[b] > 0]


class Joins(NamedTuple):
    """What holds things together, or back, and can let go."""

    bonds: Bonds
    seams: Seams | None
    load_paths: LoadPaths
    releases: Releases


class FieldEffects:
    """The fields of a run at work."""

    def __init__(
        self,
        active: ActiveFields,
        model: Model,
        state: State,
        rigid: RigidRun,
        deformable: DeformableRun | None,
        joins: Joins,
        log: EventLog,
    ) -> None:
        self._active, self._model, self._state, self._rigid = active, model, state, rigid
        self._deformable, self._graph = deformable, bond_graph(model)
        self._vertex_ends = None if deformable is None else VertexEnds(deformable.deformables, state)
        self._bonds, self._seams, self._load_paths, self._releases = joins
        self._log = log

    def act(self, number: int, hands: Array | None = None) -> list[tuple[str, Forcing]]:
        """Let the fields act in an interval: blows at its start, accelerations all through it. Returns what each does
        all through it.

        hands : (P, 3) float64, [m/s2], what hands add to what fields do
        """
        if not self._active:
            self._rigid.set_forcing(Forcing(hands))
            return []
        quiet = not self._rigid.active() and not (self._deformable and self._deformable.active())
        actions = self._active.actions(number, quiet=quiet)
        for item in actions.started:
            self._log.add("cue", field=item.name, effect=item.effect.kind)
        self.carry_out(actions)
        self._release(actions)
        forcing = actions.forcing.get(PIECES, Forcing())
        self._wake_where_changed(forcing)
        for item, pieces in actions.ends:
            self._end(item, self._active.innermost(item, [i for i, _ in actions.ends], pieces))
        self._end_vertices(actions.vertex_ends)
        self._rigid.set_forcing(forcing + Forcing(hands))
        if self._deformable is not None:
            self._deformable.set_acceleration(actions.forcing.get(VERTICES, Forcing()))
        return [(item.name, own) for item, own in actions.acting]

    def fire_impact_cues(self, number: int, impacts: Impacts) -> None:
        """Fields that wait for an impact act at once where it fell."""
        found = impacts.of_interval()
        if not found:
            return
        for item, at_once in self._active.called_by(number, found):
            if at_once:
                self.carry_out(self._active.blow_at_impact(item, number))
            else:
                self._log.add("cue", field=item.name, effect=item.effect.kind)

    # ------------------------------------------------------------------------------- blows

    def carry_out(self, actions: Actions) -> None:
        """Blows and ticks: let go what they touch, break what they break, then move what is free."""
        self._break(actions)
        self._load_paths.strike(
            (blow.item.name, blow.changes[PIECES])
            for blow in actions.blows
            if PIECES in blow.changes and not isinstance(blow.item.effect, StrainEffect)
        )
        self._load_paths.carry((item.name, change) for item, change in actions.displacing)
        for blow in actions.blows:
            self._change_velocity(blow.changes.get(PIECES, Forcing()))
            if self._deformable is not None:
                self._deformable.change_velocity(blow.changes.get(VERTICES, Forcing()))
        if PIECES in actions.displaced:
            self._change_velocity(actions.displaced[PIECES])
        if self._deformable is not None and VERTICES in actions.displaced:
            self._deformable.change_velocity(actions.displaced[VERTICES])

    def _release(self, actions: Actions) -> None:
        """Let go what waits to be touched and a field over time moves."""
        if self._releases.waiting_for_touch():
            for item, forcing in actions.acting:
                if (acts := forcing.acts()) is not None:
                    self._releases.release_touched(acts, {"field": item.name})
            for item, forcing in actions.acting_on_vertices:
                if (acts := forcing.acts()) is not None:
                    self._releases.release_touched_vertices(acts, {"field": item.name})

    def _break(self, actions: Actions) -> None:
        model, state = self._model, self._state
        load = np.zeros(model.bond_count)
        shares: list[tuple[str, Array]] = []
        for item, space, moved in actions.releases:
            if space == PIECES:
                self._releases.release_touched(moved, {"field": item.name})
            else:
                self._releases.release_touched_vertices(moved, {"field": item.name})
        touched, felt = np.zeros(model.piece_count, bool), np.zeros(len(state.vertex_hold), bool)
        first = ""
        for blow in actions.blows:
            first = first or blow.item.name
            self._log.add("cue", field=blow.item.name, effect=blow.item.effect.kind)
            own = blow.loads.get(BONDS)
            if own is not None:
                shares.append((blow.item.name, own))
                load += own
            if (acts := blow.changes.get(PIECES, Forcing()).acts()) is not None:
                touched |= acts
            if (acts := blow.changes.get(VERTICES, Forcing()).acts()) is not None:
                felt |= acts
        touched[model.bonds.piece[load > 0].ravel()] = True
        if touched.any():
            self._releases.release_touched(touched, {"field": first})
        if self._seams:
            for blow in (b for b in actions.blows if SEAMS in b.loads):
                felt |= self._seams.of_vertices(blow.loads[SEAMS] > 0)
        if felt.any():
            self._releases.release_touched_vertices(felt, {"field": first})
        if shares:
            failing, total = apply_load(self._graph, state.bond_broken, state.bond_wear, load)
            self._bonds.break_overloaded(np.where(failing, total, 0.0), _fields(shares))
        self._open_seams([(b.item.name, b.loads[SEAMS]) for b in actions.blows if SEAMS in b.loads])
        for item, loads in actions.ticks:
            self._log.add("cue", field=item.name, effect="strain")
            worn = wear_down(self._graph, state.bond_broken, state.bond_wear, loads[BONDS])
            self._bonds.break_overloaded(worn, _fields([(item.name, worn)]))
            if self._seams:
                worn = wear_down(self._seams.graph, state.seam_broken, state.seam_wear, loads[SEAMS])
                self._seams.open_overloaded(worn, _fields([(item.name, worn)]))

    def _open_seams(self, shares: list[tuple[str, Array]]) -> None:
        """Open what blows load more than it bears: of each field, loads (Q,) [N] of seams."""
        if not self._seams or not shares:
            return
        load = np.sum([own for _, own in shares], axis=0)
        failing, total = apply_load(self._seams.graph, self._state.seam_broken, self._state.seam_wear, load)
        self._seams.open_overloaded(np.where(failing, total, 0.0), _fields(shares))

    def _change_velocity(self, change: Forcing) -> None:
        """Change the velocities of pieces; an assembly takes the sum of its pieces' momenta and angular impulses, and
        the mean of their angular velocities by mass.
        """
        linear, angular, torque = change
        asm, mass, slots = self._state.assemblies, self._model.pieces.mass, self._state.piece_assembly
        if angular is not None:
            for slot in np.unique(slots[(angular != 0).any(axis=1)]):
                if asm.motion[slot] == Motion.DYNAMIC:
                    wake(int(slot), asm)
                    own = np.flatnonzero(slots == slot)
                    asm.angular_velocity[slot] += (mass[own, None] * angular[own]).sum(axis=0) / mass[own].sum()
        if torque is not None:
            twisted = np.flatnonzero((torque != 0).any(axis=1))
            for slot in np.unique(slots[twisted]):
                if asm.motion[slot] == Motion.DYNAMIC:
                    wake(int(slot), asm)
                    own = twisted[slots[twisted] == slot]
                    asm.angular_velocity[slot] += self._rigid.inverse_inertia(slot) @ torque[own].sum(axis=0)
        if linear is None:
            return
        moved = np.flatnonzero((linear != 0).any(axis=1))
        center = piece_positions(self._model, self._state)
        for slot in np.unique(slots[moved]):
            if asm.motion[slot] != Motion.DYNAMIC:
                continue
            wake(int(slot), asm)
            own = moved[slots[moved] == slot]
            impulse = mass[own, None] * linear[own]
            asm.velocity[slot] += impulse.sum(axis=0) * asm.inv_mass[slot]
            if asm.piece_count[slot] > 1:
                moment = cross(center[own] - asm.position[slot], impulse).sum(axis=0)
                asm.angular_velocity[slot] += self._rigid.inverse_inertia(slot) @ moment

    # ------------------------------------------------------------------------------- sleep

    def _wake_where_changed(self, forcing: Forcing) -> None:
        """Wake what sleeps where fields now act otherwise than when it fell asleep."""
        state = self._state
        asm = state.assemblies
        acceleration, turning = self._rigid.gather(forcing)
        felt = state.memory.get("felt")
        if felt is None:
            if all(x is None for x in forcing):
                return
            felt = state.memory["felt"] = np.zeros((len(asm.mass), 3))
        g = float(np.linalg.norm(self._model.settings.gravity))
        change = lengths(acceleration - felt) + lengths(turning) * asm.radius
        asleep = asm.asleep == 1
        for slot in np.flatnonzero(asleep & (asm.alive == 1) & (change > WAKES_FROM * max(g, 1.0))):
            wake_one(slot, asm)
        felt[:] = np.where((asm.asleep == 1)[:, None], felt, acceleration)

    def _end_vertices(self, kills: list[tuple[FieldItem, Mask]]) -> None:
        """The same of what hangs together of deformable bodies, by kills with the vertices (N,) bool in their reach."""
        run, ends = self._deformable, self._vertex_ends
        if run is None or ends is None or not kills:
            return
        island, body = run.parts.elements.vertices.island, run.deformables.elements.vertices.body
        due = []
        for item, inside in kills:
            assert isinstance(item.effect, KillEffect)
            wanted, within = ends.due(item.name, item.effect, inside, island, self._model.settings.interval)
            self._active.acted.mark(item, VERTICES, within)
            due.append((item, item.effect.what, wanted))
        for item, what, wanted in due:
            vertices = self._active.innermost(item, [i for i, _ in kills], wanted, "v:")
            if what == "rest":
                awake = self._state.deformables.asleep[body] == 0
                run.rest(vertices & awake)
                vertices = vertices & awake & (self._state.deformables.asleep[body] != 0)
            elif vertices.any():
                run.hold(vertices, Hold.FROZEN if what == "freeze" else Hold.REMOVED)
            for name, own in bodies_of(vertices, body, run.deformables.names):
                self._log.add("kill", field=item.name, what=what, body=name, vertices=own.tolist())

    def _let_go(self, pieces: Index) -> None:
        """Wake what pieces are tied to, and let go of it where they have been removed."""
        state, ties = self._state, self._model.ties
        for i in np.flatnonzero(np.isin(ties.piece, pieces).any(axis=1) & (state.tie_broken == 0)):
            for p in ties.piece[i][ties.piece[i] >= 0]:
                slot = int(state.piece_assembly[p])
                if state.assemblies.asleep[slot]:
                    wake_one(slot, state.assemblies)
            if (state.hold[pieces] == Hold.REMOVED).all():
                state.tie_impulse[i] = 0.0

    def _end(self, item: FieldItem, pieces: Mask) -> None:
        """Put to rest, freeze or take out whole assemblies (pieces (P,) bool)."""
        assert isinstance(item.effect, KillEffect)
        state, what = self._state, item.effect.what
        asm = state.assemblies
        for slot in np.unique(state.piece_assembly[pieces]):
            own = np.flatnonzero(state.piece_assembly == slot)
            if what != "rest":
                wake_around(slot, self._model.hulls.piece, state.piece_assembly, state.contact_cache, asm)
                state.hold[own] = Hold.FROZEN if what == "freeze" else Hold.REMOVED
                if self._deformable is not None:
                    self._deformable.sleepers.wake_with(own)
                self._let_go(own)
                asm.motion[slot], asm.inv_mass[slot], asm.inv_inertia[slot] = Motion.FIXED, 0.0, 0.0
            else:
                asm.asleep[slot], asm.sleep_island[slot] = 1, slot
            asm.velocity[slot] = asm.angular_velocity[slot] = 0.0
            self._rigid.place_everything()
            body = self._model.body_names[self._model.pieces.body[own[0]]]
            self._log.add("kill", field=item.name, what=what, body=body, pieces=own.tolist())
