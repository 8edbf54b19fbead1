"""Everything that acts on the pieces of an assembly flows through its bonds: what its load path carries in a run.

Forces come from sources: a body's weight with what rests on it and hangs from it, each field, and its own motion
(spinning, shaking, being carried). They are taken per piece once a frame, and at every blow; an assembly that nothing
holds is balanced by its inertia. Statics are solved at the opening pose, where the stiffness of an assembly stays what
it is until a bond of it breaks.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

import numpy as np

from ..arrays import Array, Index, Mask
from ..fields import Forcing
from ..geometry.rotations import rotation_matrix
from .bonds import Bonds
from .contact_forces import add_contact_forces, add_tie_forces
from .events import Event, kilonewtons
from .frame import piece_positions
from .impact_loads import IMPACT_TIME
from .kinematics import Kinematics
from .model import Hold, LoadPath, Model, Motion
from .rigid.run import RigidRun
from .state import State
from .statics import Faces, RigidMotion, Sections, Structure, bond_loads, free_motion, inertial_loads, sections_of

MOST_ROUNDS = 6
"""Rounds of breaking in one frame; a collapse that needs more goes on in the next."""
WORST_SHARE = 0.85
"""Overloaded bonds within this share of the worst break together."""
IDLE_SHARE = 0.01
"""What cannot load any bond of an assembly by more than this share of its strength is not followed."""


class Source(NamedTuple):
    """Forces on pieces that stem from one thing.

    kind, name : what it is called among the causes of a broken bond; without a name, it is the body's own
    force       : (P, 3) float64, [N]
    torque      : (P, 3) float64, [N m], about each piece's centre
    """

    kind: str
    name: str
    force: Array
    torque: Array


class Held(NamedTuple):
    """An assembly whose load path is followed, ready to be solved.

    slot     : int
    own      : (n,) int64, its pieces
    rows     : (m,) int64, its bonds
    faces    : at the opening pose, pieces numbered in own
    sections : of them
    held     : (n,) bool
    lever    : float, [1/m], load of a face by a moment of 1 N m, at most
    solved   : the structure, made when first loaded
    """

    slot: int
    own: Index
    rows: Index
    faces: Faces
    sections: Sections
    held: Mask
    lever: float
    solved: list[Structure]


class LoadPaths:
    """The bodies of a run whose load path is followed."""

    def __init__(self, model: Model, state: State, rigid: RigidRun, bonds: Bonds, kinematics: Kinematics) -> None:
        self._model, self._state, self._rigid, self._bonds = model, state, rigid, bonds
        self._kinematics = kinematics
        self.followed = bool(model.load_path.any()) and model.bond_count > 0
        self._rule = model.load_path[model.pieces.body[model.bonds.piece[:, 0]]]
        self._known: dict[int, Held] = {}
        self._parts: tuple[bytes, bytes, bytes] | None = None
        self._last: tuple[list[bytes], Array] | None = None

    # ------------------------------------------------------------------------------ frames

    def follow(self, fields: Iterable[tuple[str, Forcing]] = ()) -> None:
        """Break what bears more than it can: the most overloaded first, so that a collapse runs on from bond to bond
        within the frame. fields : what each does to pieces in this interval.
        """
        if self.followed:
            self._fail([self._weight(), self._motion(), *self._forced(fields)])

    def strike(self, blows: Iterable[tuple[str, Forcing]]) -> None:
        """Break what blows break that would change velocities: a change of momentum over the time of an impact."""
        if not self.followed:
            return
        struck = [s._replace(force=s.force / IMPACT_TIME, torque=s.torque / IMPACT_TIME) for s in self._forced(blows)]
        if struck:
            self._fail([self._weight(), self._motion(), *struck])

    def measure(self, sources: list[Source] | None = None) -> tuple[Array, Array]:
        """Load (B,) [N] of bonds whose load path is followed, and its share of the strength (B,). Each piece's worst
        share is kept.
        """
        model, state = self._model, self._state
        sources = [self._weight(), self._motion()] if sources is None else sources
        force = np.sum([s.force for s in sources], axis=0)
        torque = np.sum([s.torque for s in sources], axis=0)
        given = [*self._group(), force.tobytes(), torque.tobytes(), state.assemblies.orientation.tobytes()]
        strength = np.maximum(model.bonds.strength * (1.0 - state.bond_wear), 1e-9)
        if self._last is not None and self._last[0] == given:
            load = self._last[1].copy()
        else:
            load = np.zeros(model.bond_count)
            for part in self._known.values():
                load[part.rows] = self._loads(part, force, torque, strength)
            self._last = given, load.copy()
        ratio = load / strength
        share = np.zeros(model.piece_count)
        for side in (0, 1):
            np.maximum.at(share, model.bonds.piece[:, side], np.minimum(ratio, 10.0))
        state.memory["load share"] = share
        return load, ratio

    def piece_share(self) -> Array:
        """The worst share of a bond's strength that is taken, of each piece (P,)."""
        return self._state.memory.get("load share", np.zeros(self._model.piece_count))

    def _fail(self, sources: list[Source]) -> None:
        """Break, round by round, what the sources together break."""
        for _ in range(MOST_ROUNDS):
            load, ratio = self.measure(sources)
            ratio[(self._rule != LoadPath.FAIL) | (self._state.bond_broken != 0)] = 0.0
            worst = ratio.max(initial=0.0)
            if worst <= 1.0:
                return
            load[ratio < max(1.0, WORST_SHARE * worst)] = 0.0
            causes = self._causes(np.flatnonzero(load), load, sources)
            self._bonds.break_overloaded(load, causes.__getitem__)

    def _causes(self, failing: Index, load: Array, sources: list[Source]) -> dict[int, list[Event]]:
        """What each failing bond bears, and from where: sources by what each would load it with alone."""
        model = self._model
        strength = np.maximum(model.bonds.strength * (1.0 - self._state.bond_wear), 1e-9)
        alone = np.zeros((len(sources), model.bond_count))
        for row, source in enumerate(sources):
            for part in self._known.values():
                if np.isin(part.rows, failing).any():
                    spins = source.kind == "motion"
                    alone[row, part.rows] = self._loads(part, source.force, source.torque, strength, spins)
        out: dict[int, list[Event]] = {}
        for b in failing.tolist():
            body = model.body_names[model.pieces.body[model.bonds.piece[b, 0]]]
            share = alone[:, b] / max(float(alone[:, b].sum()), 1e-300)
            rows: list[Event] = [
                {s.kind: s.name or body, "load": kilonewtons(share[k] * load[b])}
                for k, s in enumerate(sources)
                if share[k] > 0.005
            ]
            out[b] = rows or [{"weight": body, "load": kilonewtons(load[b])}]
        return out

    # ----------------------------------------------------------------------------- sources

    def _weight(self) -> Source:
        """Weight, what rests on pieces, and what ties them."""
        model, state = self._model, self._state
        center, pieces = piece_positions(model, state), model.pieces
        force = (pieces.mass * pieces.gravity_scale)[:, None] * model.settings.gravity
        torque = np.zeros_like(force)
        add_contact_forces(
            state.contact_cache, model.hulls.piece, state.piece_assembly, state.assemblies, center, force, torque
        )
        add_tie_forces(model, state, center, force, torque)
        return Source("weight", "", force, torque)

    def _motion(self) -> Source:
        """What pieces resist with that an animation carries; that of free assemblies is found with their balance."""
        model, state = self._model, self._state
        asm, center = state.assemblies, piece_positions(model, state)
        force, torque = np.zeros((model.piece_count, 3)), np.zeros((model.piece_count, 3))
        for slot, linear, angular in self._kinematics.accelerations():
            own = np.flatnonzero(state.piece_assembly == slot)
            motion = RigidMotion(asm.position[slot], asm.angular_velocity[slot], linear, angular)
            inertia = self._inertia(own, rotation_matrix(asm.orientation[slot]))
            force[own], torque[own] = inertial_loads(center[own], model.pieces.mass[own], inertia, motion)
        return Source("motion", "", force, torque)

    def _forced(self, fields: Iterable[tuple[str, Forcing]]) -> list[Source]:
        """Forces by accelerations that fields give pieces."""
        model, state, out = self._model, self._state, []
        mass = model.pieces.mass[:, None]
        for name, forcing in fields:
            if forcing.acts() is None:
                continue
            none = np.zeros((model.piece_count, 3))
            force = none if forcing.linear is None else mass * forcing.linear
            torque = none if forcing.torque is None else forcing.torque
            if forcing.angular is not None:
                turn = np.array([rotation_matrix(q) for q in state.assemblies.orientation])[state.piece_assembly]
                inertia = turn @ model.pieces.inertia @ turn.transpose(0, 2, 1)
                torque = torque + np.einsum("pij,pj->pi", inertia, forcing.angular)
            out.append(Source("field", name, force, torque))
        return out

    def _inertia(self, own: Index, turn: Array) -> Array:
        """(n, 3, 3) [kg m2] of pieces about their centres, turned."""
        return turn @ self._model.pieces.inertia[own] @ turn.T

    # ------------------------------------------------------------------------------ solves

    def _group(self) -> tuple[bytes, bytes, bytes]:
        """Bring the followed assemblies up to date; returns what tells one state of parting from another."""
        model, state = self._model, self._state
        now = state.bond_broken.tobytes(), state.piece_assembly.tobytes(), state.hold.tobytes()
        if now == self._parts:
            return now
        self._parts = now
        before, self._known = self._known, {}
        rows = np.flatnonzero((state.bond_broken == 0) & (self._rule != LoadPath.OFF))
        if not len(rows):
            return now
        slot = state.piece_assembly[model.bonds.piece[rows, 0]]
        order = np.argsort(slot, kind="stable")
        slots, first = np.unique(slot[order], return_index=True)
        by_slot = np.argsort(state.piece_assembly, kind="stable")
        starts = np.searchsorted(state.piece_assembly[by_slot], slots)
        ends = np.searchsorted(state.piece_assembly[by_slot], slots, side="right")
        for k, here in enumerate(np.split(order, first[1:])):
            a, own = int(slots[k]), by_slot[starts[k] : ends[k]]
            old = before.get(a)
            held = state.hold[own] != Hold.FREE
            same = old is not None and np.array_equal(old.own, own) and np.array_equal(old.held, held)
            if same and np.array_equal(old.rows, rows[here]):  # type: ignore[union-attr]
                self._known[a] = old  # type: ignore[assignment]
            elif not held.all():
                self._known[a] = self._ready(a, own, rows[here], held)
        return now

    def _ready(self, slot: int, own: Index, rows: Index, held: Mask) -> Held:
        table = self._model.bonds
        faces = Faces(
            np.searchsorted(own, table.piece[rows]).astype(np.int32),
            table.center[rows],
            table.area[rows],
            table.normal[rows],
            table.second_moment[rows],
        )
        sections = sections_of(faces)
        return Held(slot, own, rows, faces, sections, held, float(12.0 / sections.side.min()), [])

    def _loads(self, part: Held, force: Array, torque: Array, strength: Array, spins: bool = True) -> Array:
        """Loads (m,) [N] on an assembly's bonds by forces and torques on all pieces (P, 3); spins: whether it bears its
        own spinning too.
        """
        model, state, own = self._model, self._state, part.own
        asm, slot = state.assemblies, part.slot
        turn = rotation_matrix(asm.orientation[slot])
        center, mass = model.pieces.rest_center[own], model.pieces.mass[own]
        f, t = force[own] @ turn, torque[own] @ turn  # at the opening pose: what is turned back
        if asm.motion[slot] == Motion.DYNAMIC:
            inertia, spin = model.pieces.inertia[own], asm.angular_velocity[slot] @ turn if spins else np.zeros(3)
            motion = free_motion(center, mass, inertia, spin, f, t)
            resists, twists = inertial_loads(center, mass, inertia, motion)
            f, t = f + resists, t + twists
        push, reach = float(np.linalg.norm(f, axis=1).sum()), 2.0 * float(asm.radius[slot])
        most = push + part.lever * (push * reach + float(np.linalg.norm(t, axis=1).sum()))
        if most < IDLE_SHARE * float(strength[part.rows].min()):
            return np.zeros(len(part.rows))
        if not part.solved:
            floats = not part.held.any()
            held = np.arange(len(own)) == 0 if floats else part.held  # what floats balances: the first takes nothing
            part.solved.append(Structure(center, held, part.faces, floats))
        return bond_loads(part.faces, part.sections, *part.solved[0].solve(f, t))
