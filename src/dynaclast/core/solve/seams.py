"""Seams of deformable bodies that open: by what they bear, by fields, by wear; and what then comes apart.

What bears too much opens where it bears most, one place at a time in what hangs together: the rest is relieved within
the interval. A seam beside an open one is the tip of a tear and goes on whatever the rest does.
"""

from __future__ import annotations

import numpy as np
from scipy import sparse
from scipy.sparse.csgraph import connected_components

from ..arrays import Array, Mask
from .bond_loads import BondGraph
from .deformable.model import DeformableModel
from .deformable.run import DeformableRun
from .deformable.seam_loads import SeamLoads
from .events import Causes, EventLog, kilonewtons, with_shares
from .state import State


class Seams:
    """The seams of a run."""

    def __init__(self, deformables: DeformableModel, state: State, run: DeformableRun, log: EventLog) -> None:
        self._model, self._state, self._run, self._log = deformables, state, run, log
        self._seams, self._loads = deformables.seams, SeamLoads(deformables)
        seams = self._seams
        self.graph = BondGraph(seams.strength, seams.tier, seams.piece, seams.chunks)

    def __bool__(self) -> bool:
        return bool(self._seams.count)

    def of_vertices(self, seams: Mask) -> Mask:
        """Vertices (N,) bool of the pieces that these seams (Q,) bool join."""
        return np.isin(self._model.piece, self._seams.piece[seams])

    def open_overloaded(self, load: Array, causes: Causes) -> bool:
        """Open what is loaded (Q,) [N] above its strength, and write it down. Returns whether anything opened."""
        state, seams = self._state, self._seams
        strength = seams.strength * (1.0 - state.seam_wear)
        failing = np.flatnonzero((state.seam_broken == 0) & (load > strength))
        if not len(failing):
            return False
        for q in failing:
            self._log.add(
                "seam_opened",
                seam=int(q),
                body=self._model.names[seams.body[q]],
                pieces=self._pieces(int(q)),
                tier=int(seams.tier[q]),
                load=kilonewtons(load[q]),
                strength=kilonewtons(strength[q]),
                causes=with_shares(causes(int(q))),
            )
        state.seam_broken[failing] = 1
        self._run.part(failing)
        return True

    def open_by_tension(self) -> None:
        """Open what bears more than it can at the end of an interval."""
        state, seams = self._state, self._seams
        if not len(seams.strength) or state.seam_broken.all() or not self._run.active():
            return
        load = self._loads.measure(self._run.parts, state)
        strength = np.maximum(seams.strength * (1.0 - state.seam_wear), 1e-9)
        share = load / strength
        awake = state.deformables.asleep[seams.body] == 0
        if not (awake & (share > 1.0)).any():
            return
        opens = awake & (share > 1.0) & self._worst(share)
        self.open_overloaded(np.where(opens, load, 0.0), lambda q: [{"tension": True, "load": kilonewtons(load[q])}])

    def _worst(self, share: Array) -> Mask:
        """Seams (Q,) bool that bear more of their strength than any other of what hangs together; or than their
        neighbours, at the tip of a tear.
        """
        seams, intact = self._seams, self._state.seam_broken == 0
        count = len(seams.chunks)
        a, b = seams.piece[intact].T
        graph = sparse.coo_matrix((np.ones(len(a), np.int8), (a, b)), shape=(count, count))
        island = connected_components(graph, directed=False)[1][seams.piece[:, 0]]
        order = np.lexsort((np.arange(len(share)), -share, island))
        out = np.zeros(len(share), bool)
        out[order[np.unique(island[order], return_index=True)[1]]] = True
        torn = np.zeros(count, bool)
        torn[seams.piece[~intact & (seams.strength > 0.0)].ravel()] = True
        most = np.zeros(count)
        np.maximum.at(most, seams.piece[:, 0], share)
        np.maximum.at(most, seams.piece[:, 1], share)
        tip = torn[seams.piece].any(axis=1) & (share >= most[seams.piece].max(axis=1))
        return out | tip

    def _pieces(self, q: int) -> list[int]:
        """Pieces on both sides of a seam, numbered in their body."""
        seams = self._seams
        first = int(np.searchsorted(seams.chunks[:, 0], seams.body[q]))
        return [int(p) - first for p in seams.piece[q]]
