"""What is read off deformable bodies at the end of a frame, from the State alone: how far they are stretched, how near
their seams are to opening, where they touch.
"""

from __future__ import annotations

import numpy as np

from ...arrays import Array, Flags, Index, lengths
from ..state import NOTHING, State
from .model import DeformableModel
from .parts import Deformables
from .seam_loads import SeamLoads


class Readings:
    """Readings of a run's deformable bodies."""

    def __init__(self, deformables: DeformableModel) -> None:
        self._model = deformables
        self._edge, self._length = edges_of(deformables)
        seams = deformables.seams
        self._loads = SeamLoads(deformables) if seams.count else None
        self._read = [d for k, d in enumerate(deformables.names) if (seams.body == k).any()]

    def stretch(self, position: Array) -> float:
        """How much longer the most stretched edge of cloth or segment of a rope is than at rest, as a share of that.

        position : (N, 3) float64, [m]
        """
        if not len(self._edge):
            return 0.0
        way = position[self._edge[:, 1]] - position[self._edge[:, 0]]
        return max(0.0, float(np.sqrt(((way**2).sum(axis=1) / self._length**2).max())) - 1.0)

    def energy(self, parts: Deformables, state: State, gravity: Array) -> float:
        """Kinetic energy of vertices and that of their weight [J], without what stretching stores; gravity (3,)."""
        table, vertices = parts.elements.vertices, state.vertices
        speed = np.einsum("nc,nc->n", vertices.velocity, vertices.velocity)
        lift = table.gravity_scale * (vertices.position @ gravity)
        return float(table.mass @ (0.5 * speed - lift))

    def tension(self, parts: Deformables, state: State) -> dict[str, Flags]:
        """By their names, of bodies that can part: what seams at drawn points bear of their strength (V,) uint8,
        255 all of it; 0 where they are open.
        """
        if self._loads is None:
            return {}
        seams = self._model.seams
        strength = seams.strength * (1.0 - state.seam_wear)
        share = self._loads.measure(parts, state) / np.maximum(strength, 1e-9)
        share = np.where((state.seam_broken == 0) & (seams.strength > 0.0), share, 0.0)
        at = np.zeros(self._model.count)
        for k in range(2):
            np.maximum.at(at, seams.link[:, k], share[seams.of])
        most = np.rint(255.0 * np.minimum(at, 1.0)).astype(np.uint8)
        return {d.name: most[d.nearest()] for d in self._model.drawn if d.name in self._read}

    def touching(self, state: State) -> dict[str, Flags]:
        """By their names, which drawn points (V,) uint8 are pressed onto something rigid or the ground: 1."""
        points, at = self._model.elements.points, np.zeros(self._model.count, np.uint8)
        touched = (state.touching.shape != NOTHING) & (state.touching.force > 0.0)
        vertex = points.vertex[touched]
        at[vertex[points.weight[touched] > 0.0]] = 1
        return {d.name: at[d.nearest()] for d in self._model.drawn}


def edges_of(deformables: DeformableModel) -> tuple[Index, Array]:
    """Edges of cloth and segments of ropes (E, 2), by vertices of their own pieces, and their lengths at rest (E,)."""
    pairs, rest = [np.zeros((0, 2), np.int64)], deformables.elements.vertices.rest
    for d in deformables.drawn:
        if d.carrier is not None:
            continue
        faces = d.faces
        sides = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]], d.lines]).astype(np.int64)
        pairs.append(np.unique(np.sort(sides, axis=1), axis=0) + d.first)
    edge = np.concatenate(pairs)
    length = lengths(rest[edge[:, 1]] - rest[edge[:, 0]])
    return edge[length > 0.0], length[length > 0.0]
