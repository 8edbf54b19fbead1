"""Where bodies that deform are during a run, for fields and falloffs that follow them."""

from __future__ import annotations

import numpy as np
from scipy.spatial import cKDTree

from ..arrays import Array, Index, Mask
from ..geometry.mesh import TriMesh
from ..geometry.rotations import best_rotation, quaternion_of
from ..geometry.tree import MeshDistance
from .deformable.model import DeformableModel, Drawn
from .model import Hold
from .state import State

AROUND = 12
"""Vertices round a point that take it along."""


class DeformingWorld:
    """Vertices and drawn surfaces of bodies that deform, by the names of these and of their groups."""

    def __init__(self, deformables: DeformableModel, state: State, columns: list[str]) -> None:
        """columns: of all bodies of the shot, each body's own name or its group's"""
        self._model, self._state = deformables, state
        self._drawn: dict[str, list[Drawn]] = {}
        for drawn, body in zip(deformables.drawn, deformables.body, strict=True):
            for name in {drawn.name, columns[body]}:
                self._drawn.setdefault(name, []).append(drawn)
        self._around: dict[tuple[str, bytes], Index] = {}
        self._left: dict[str, tuple[bytes, MeshDistance]] = {}  # what is left of it, as it stood at the start
        self._surfaces: dict[str, MeshDistance] = {}

    def __contains__(self, name: str) -> bool:
        return name in self._drawn

    def refresh(self) -> None:
        self._surfaces.clear()

    def carried(self, body: str, point: Array) -> tuple[Array, Array]:
        """As World.carried, by the rigid motion that fits best what the vertices round the point did."""
        key = (body, point.tobytes())
        if key not in self._around:
            own = np.concatenate([np.arange(d.first, d.first + d.count) for d in self._drawn[body]])
            _, near = cKDTree(self._model.start[own]).query(point, min(AROUND, len(own)))
            self._around[key] = np.sort(own[np.atleast_1d(near)])
        around = self._around[key]
        then, now = self._model.start[around], self._state.vertices.position[around]
        turn = best_rotation(then - then.mean(axis=0), now - now.mean(axis=0))
        return now.mean(axis=0) + turn @ (point - then.mean(axis=0)), quaternion_of(turn)

    def points(self, body: str) -> Array:
        """Drawn vertices (n, 3) [m] that are not removed."""
        return np.concatenate([self._points(drawn)[~self._removed(drawn)] for drawn in self._drawn[body]])

    def surface(self, body: str) -> MeshDistance:
        """What is drawn of it now, without what is removed unless that is all."""
        if body not in self._surfaces:
            drawn = self._drawn[body][0]
            self._surfaces[body] = self._at_start(body, drawn).moved(self._points(drawn))
        return self._surfaces[body]

    def _at_start(self, body: str, drawn: Drawn) -> MeshDistance:
        removed = self._removed(drawn)
        known = self._left.get(body)
        if known is None or known[0] != removed.tobytes():
            left = drawn.faces[~removed[drawn.faces].any(axis=1)]
            mesh = TriMesh(drawn.points(self._model.start), left if len(left) else drawn.faces)
            known = self._left[body] = (removed.tobytes(), MeshDistance.of(mesh))
        return known[1]

    def _points(self, drawn: Drawn) -> Array:
        return drawn.points(self._state.vertices.position)

    def _removed(self, drawn: Drawn) -> Mask:
        return self._state.vertex_hold[drawn.nearest()] == Hold.REMOVED
