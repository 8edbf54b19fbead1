"""Ties that bear more than they can."""

from __future__ import annotations

import numpy as np

from .deformable.run import DeformableRun
from .events import EventLog, kilonewtons
from .model import Model
from .rigid.run import RigidRun
from .state import State


class TieBreaks:
    """The ties of a run."""

    def __init__(self, model: Model, state: State, rigid: RigidRun, log: EventLog) -> None:
        self._model, self._state, self._rigid, self._log = model, state, rigid, log

    def break_vertex_ties(self, deformable: DeformableRun) -> None:
        """The same of ties with an end on a deformable body."""
        for k, load in deformable.overloaded():
            self._state.vertex_tie_broken[k] = 1
            tie, ends = deformable.deformables.ties[k], deformable.deformables.elements.ties
            self._log.add(
                "tie_broken",
                tie=tie.name,
                bodies=[name for name in (tie.body, tie.to) if name is not None],
                pieces=[int(p) for p in ends.piece[k] if p >= 0],
                load=kilonewtons(load),
                strength=kilonewtons(ends.strength[k]),
            )

    def break_overloaded(self) -> None:
        """Part the ties that bore more than they can in this interval."""
        found = self._rigid.joint_loads()
        if found is None:
            return
        model, state = self._model, self._state
        _, load = found
        for i in np.flatnonzero(load > model.ties.strength):
            state.tie_broken[i] = 1
            state.tie_impulse[i] = 0.0
            pieces = [int(p) for p in model.ties.piece[i] if p >= 0]
            self._log.add(
                "tie_broken",
                tie=model.tie_names[i],
                bodies=[model.body_names[model.pieces.body[p]] for p in pieces],
                pieces=pieces,
                load=kilonewtons(load[i]),
                strength=kilonewtons(model.ties.strength[i]),
            )
