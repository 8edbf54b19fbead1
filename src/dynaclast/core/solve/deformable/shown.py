"""What frames show of deformable bodies: where drawn points are, what they do, and readings of them."""

from __future__ import annotations

import numpy as np

from ...errors import SolveError
from ..frame import PieceState
from ..model import Hold, Model
from ..state import State
from .model import DeformableModel
from .parts import Deformables
from .readings import Readings


class Shown:
    """The deformable bodies of a run as frames show them."""

    def __init__(self, deformables: DeformableModel, model: Model, state: State) -> None:
        self._deformables, self._model, self._state = deformables, model, state
        self._readings = Readings(deformables)
        self._arrays: dict[str, np.ndarray] | None = None

    def forget(self) -> None:
        """Something may have moved, or does something else."""
        self._arrays = None

    def bits(self, name: str, bits: np.ndarray) -> dict[str, np.ndarray]:
        """What vertices (N, n) have, at the points that are drawn, by the names that frames give them."""
        return {f"{name}/{d.name}": bits[d.nearest()] for d in self._deformables.drawn}

    def arrays(self, parts: Deformables) -> dict[str, np.ndarray]:
        """Where drawn points of each body are and what they do, by the names that frames give these arrays; the same
        arrays as before while nothing moves.
        """
        if self._arrays is None:
            self._arrays = self._points() | self._states(parts) | self._read(parts)
        return self._arrays

    def stats(self, parts: Deformables) -> dict[str, float]:
        """Numbers of a frame: bodies that move, the greatest stretch, as a share, and the energy of their motion and
        their weight [J].
        """
        state = self._state
        return {
            "deforming": float((state.deformables.asleep == 0).sum()),
            "stretch": self._readings.stretch(state.vertices.position),
            "energy": self._readings.energy(parts, state, self._model.settings.gravity),
        }

    def _read(self, parts: Deformables) -> dict[str, np.ndarray]:
        read, state = self._readings, self._state
        tension = {f"tension/{name}": values for name, values in read.tension(parts, state).items()}
        return tension | {f"touch/{name}": values for name, values in read.touching(state).items()}

    def _states(self, parts: Deformables) -> dict[str, np.ndarray]:
        """What drawn points of each body do (V,) uint8 (frame.PieceState), by their names."""
        state, table = self._state, parts.elements.vertices
        asleep = state.deformables.asleep[table.body] != 0
        out = np.where(asleep, PieceState.RESTING, PieceState.MOVING).astype(np.uint8)
        out[self._deformables.elements.vertices.pinned != 0] = PieceState.HELD
        pins = slice(len(self._deformables.ties), None)  # to active bodies
        ties = self._deformables.elements.ties
        if len(piece := ties.piece[pins].max(axis=1)):
            held = ~np.isin(piece, np.flatnonzero(state.hold == Hold.REMOVED))
            out[ties.vertex[pins].max(axis=1)[held]] = PieceState.HELD
        if state.vertex_hold.any():
            out[(state.vertex_hold == Hold.CUE) | (state.vertex_hold == Hold.TOUCH)] = PieceState.HELD
            out[state.vertex_hold == Hold.FROZEN] = PieceState.FROZEN
            out[state.vertex_hold == Hold.REMOVED] = PieceState.REMOVED
        return {f"state/{d.name}": out[d.nearest()] for d in self._deformables.drawn}

    def _points(self) -> dict[str, np.ndarray]:
        """Points that are drawn of each body (V, 3) float32 [m], by their names.

        Raises SolveError naming frame and body where one is not finite.
        """
        position = self._state.vertices.position
        if not np.isfinite(position).all():
            lost = np.flatnonzero(~np.isfinite(position).all(axis=1))[0]
            name = self._deformables.names[self._deformables.elements.vertices.body[lost]]
            frame = self._state.frame
            raise SolveError(
                f"a vertex of {name} has no finite position at frame {frame}; the last good frame is {frame - 1}",
                where=name,
            )
        return {f"points/{d.name}": d.points(position).astype(np.float32) for d in self._deformables.drawn}
