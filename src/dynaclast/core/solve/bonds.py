"""Bonds that break, and what then comes apart: by loads that are given, by impacts, by weight."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from ..arrays import Array, Index
from ..geometry.rotations import rotation_matrix
from .bond_loads import apply_load
from .events import Event, EventLog, kilonewtons
from .frame import bond_positions, piece_positions
from .impact_loads import GROUND_BODY, Struck, load_by_impacts, load_floor, make_bond_impacts, make_graph_search
from .load_path import weigh
from .model import LoadPath, Model, Motion
from .rigid.run import RigidRun
from .state import State

WEIGH_EVERY = 4
"""Frames between looks at what rests on bodies that can fail under weight."""
MOST_ROUNDS = 6
"""Rounds of breaking under weight in one frame; a collapse that needs more goes on in the next."""
WORST_SHARE = 0.85
"""Overloaded bonds within this share of the worst break together."""

Causes = Callable[[int], list[Event]]
"""Gives, for a bond, what loads it and by how much (load [kN])."""


class Bonds:
    """The bonds of a run."""

    def __init__(self, model: Model, state: State, rigid: RigidRun, log: EventLog) -> None:
        self._model, self._state, self._rigid, self._log = model, state, rigid, log
        self._search = make_graph_search(model.piece_count)

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
            why = causes(int(b))
            total = sum(c["load"] for c in why) or 1.0
            for c in why:
                c["share"] = round(c["load"] / total, 4)
            p, q = (int(x) for x in model.bonds.piece[b])
            self._log.add(
                "bond_broken",
                bond=int(b),
                body=model.body_names[model.pieces.body[p]],
                pieces=[p, q],
                tier=int(model.bonds.tier[b]),
                load=kilonewtons(load[b]),
                strength=kilonewtons(strength[b]),
                causes=why,
            )
        state.bond_broken[failing] = 1
        self.part(model.bonds.piece[failing, 0])
        return True

    def part(self, pieces: Index) -> None:
        """Take the assemblies of these pieces apart where they no longer hang together."""
        self._state.load_path_due = 1
        self._rigid.part(pieces)

    def impact_load(self) -> tuple[Array, Index] | None:
        """Loads (B,) [N] of the bonds that fail under the impacts of the interval, 0 of others, and the body to blame
        for each (B,), GROUND_BODY for the ground; None where none fails.
        """
        model, state, rigid = self._model, self._state, self._rigid
        out = make_bond_impacts(model.bond_count)
        out.blame[:] = GROUND_BODY
        struck = Struck(model.hulls.piece, model.pieces.body, state.assemblies.piece_count[state.piece_assembly] > 1)
        hits = load_by_impacts(
            rigid.constraints.contacts,
            rigid.contact_count,
            state.contact_cache,
            struck,
            model.bonds,
            state.bond_broken,
            load_floor(model),
            out,
            self._search,
        )
        if not hits:
            return None
        failing, load = apply_load(model, state.bond_broken, state.bond_wear, out.load)
        return (np.where(failing, load, 0.0), out.blame) if failing.any() else None

    def break_by_impacts(self, load: Array, blame: Index) -> None:
        """Break bonds by what ``impact_load`` gave."""
        names = [*self._model.body_names, "ground"]  # GROUND_BODY is the last
        self.break_overloaded(load, lambda b: [{"impact": names[blame[b]], "load": kilonewtons(load[b])}])


class LoadPaths:
    """Weight that flows through the bonds of bodies whose load path is followed."""

    def __init__(self, model: Model, state: State, rigid: RigidRun, bonds: Bonds) -> None:
        self._model, self._state, self._rigid, self._bonds = model, state, rigid, bonds
        self.followed = bool(model.load_path.any()) and model.bond_count > 0
        self._rule = model.load_path[model.pieces.body[model.bonds.piece[:, 0]]]

    def follow(self) -> None:
        """Break what weight breaks: the most overloaded first, so that a collapse runs on from bond to bond.

        Done when something parted, and every few frames while things move, since what lands on a body loads it too.
        """
        model, state = self._model, self._state
        if not self.followed:
            return
        if not state.load_path_due and not (state.frame % WEIGH_EVERY == 0 and len(self._rigid.awake())):
            return
        state.load_path_due = 0
        body = model.pieces.body[model.bonds.piece[:, 0]]
        for _ in range(MOST_ROUNDS):
            load, ratio = self.measure()
            ratio[self._rule != LoadPath.FAIL] = 0.0
            worst = ratio.max(initial=0.0)
            if worst <= 1.0:
                return
            load[ratio < max(1.0, WORST_SHARE * worst)] = 0.0
            self._bonds.break_overloaded(
                load,
                lambda b: [{"weight": model.body_names[body[b]], "load": kilonewtons(load[b])}],  # noqa: B023
            )
        state.load_path_due = 1

    def measure(self) -> tuple[Array, Array]:
        """Load by weight (B,) [N] of bonds whose load path is followed, and its share of the strength (B,). Each
        piece's worst share is kept.
        """
        model, state = self._model, self._state
        center, middle = piece_positions(model, state), bond_positions(model, state)
        use = np.flatnonzero((state.bond_broken == 0) & (self._rule != LoadPath.OFF))
        force, torque = self._resting_on(center)
        load = np.zeros(model.bond_count)
        load[use] = weigh(
            center,
            model.pieces.mass * model.pieces.gravity_scale,
            model.settings.gravity,
            state.hold != 0,
            model.bonds.piece[use],
            middle[use],
            model.bonds.area[use],
            force,
            torque,
        )
        ratio = load / np.maximum(model.bonds.strength * (1.0 - state.bond_wear), 1e-9)
        share = np.zeros(model.piece_count)
        for side in (0, 1):
            np.maximum.at(share, model.bonds.piece[:, side], np.minimum(ratio, 10.0))
        state.memory["load share"] = share
        return load, ratio

    def piece_share(self) -> Array:
        """The worst share of a bond's strength that weight takes, of each piece (P,)."""
        return self._state.memory.get("load share", np.zeros(self._model.piece_count))

    def _resting_on(self, center: Array) -> tuple[Array, Array]:
        """Forces and torques (P, 3) of what presses on held pieces, by the contacts of the last interval."""
        model, state = self._model, self._state
        asm, cache, piece = state.assemblies, state.contact_cache, model.hulls.piece
        force, torque = np.zeros((model.piece_count, 3)), np.zeros((model.piece_count, 3))
        h = model.settings.interval / model.settings.substeps
        pressing = (cache.point_count > 0) & (cache.normal_impulse.max(axis=1, initial=0.0) > 0)
        for k in np.flatnonzero(pressing):
            for shape, sign in ((cache.shape_a[k], 1.0), (cache.shape_b[k], -1.0)):
                if shape < 0 or asm.motion[state.piece_assembly[piece[shape]]] == Motion.DYNAMIC:
                    continue
                p = piece[shape]
                a = state.piece_assembly[piece[cache.shape_a[k]]]
                turn = rotation_matrix(asm.orientation[a])
                n = cache.point_count[k]
                points = cache.point_a[k, :n] @ turn.T + asm.position[a]
                impulses = sign * cache.normal_impulse[k, :n, None] * cache.normal[k] / h
                force[p] += impulses.sum(axis=0)
                torque[p] += np.cross(points - center[p], impulses).sum(axis=0)
        return force, torque
