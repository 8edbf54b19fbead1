"""The world before a run, for fields and falloffs: bodies where the document puts them at a time, nothing moved by
physics.
"""

from __future__ import annotations

import numpy as np

from ..arrays import Array
from ..document import Body, Shot
from ..fracture.bonds import placed
from ..fracture.deforming import SurfaceOf, drawn_surface
from ..fracture.pieces import Pieces
from ..geometry.mesh import TriMesh
from ..geometry.rotations import quaternion_product, rotation_matrix
from ..geometry.tree import MeshDistance
from ..solve.prepare.surfaces import surface_of
from ..timeline.drive import Drive
from ..timeline.keys import Path

LEVEL = np.array([0.0, 0.0, 0.0, 1.0])


class StillWorld:
    """Bodies of a written-out shot at a time [s]; animated ones where their keys or their steady motion have them, and
    what deforms as it opens.
    """

    def __init__(
        self, shot: Shot, built: list[Pieces], time: float = 0.0, surface_of: SurfaceOf = drawn_surface
    ) -> None:
        self._shot, self._built, self._surface_of = shot, built, surface_of
        self._names: dict[str, list[int]] = {}
        self._meshes: dict[str, MeshDistance] = {}
        self._moves = [_move(body, pieces, time) for body, pieces in zip(shot.bodies, built, strict=True)]
        for b, body in enumerate(shot.bodies):
            for name in {body.name, body.column}:
                self._names.setdefault(name, []).append(b)
        self._centers = [
            self.moved(b, placed(body, pieces.center))
            for b, (body, pieces) in enumerate(zip(shot.bodies, built, strict=True))
        ]

    def moved(self, body: int, points: Array) -> Array:
        """Points (n, 3) of a body as placed at the start, where they are now."""
        move = self._moves[body]
        return points if move is None else points @ rotation_matrix(move[0]).T + move[1]

    def carried(self, body: str, point: Array) -> tuple[Array, Array]:
        own = self._names.get(body)
        if not own:
            return point, LEVEL
        move = self._moves[own[0]]
        return (point, LEVEL) if move is None else (rotation_matrix(move[0]) @ point + move[1], move[0])

    def pieces(self, body: str) -> tuple[Array, Array]:
        own = self._names.get(body, [])
        if not own:
            return np.zeros((0, 3)), np.zeros(0)
        middle, size = zip(*(self._pieces(b) for b in own), strict=True)
        return np.concatenate(middle), np.concatenate(size)

    def _pieces(self, b: int) -> tuple[Array, Array]:
        if self._shot.bodies[b].deforms:
            points = self._opening(b).vertices
            return points, np.zeros(len(points))
        return self._centers[b], np.cbrt(self._built[b].volume)

    def _opening(self, b: int) -> TriMesh:
        """What is drawn of a body that deforms, where it opens in the world."""
        body = self._shot.bodies[b]
        surface = self._surface_of(body)
        return TriMesh(placed(body, body.factor * surface.start), surface.faces)

    def surface(self, body: str) -> tuple[MeshDistance, Array, Array]:
        b = self._names[body][0]
        if body not in self._meshes:
            one = self._shot.bodies[b]
            mesh = MeshDistance.of(self._opening(b)) if one.deforms else surface_of(one, self._built[b])
            self._meshes[body] = mesh
        turn, shift = self._moves[b] or (LEVEL, np.zeros(3))
        return self._meshes[body], turn, shift


def _move(body: Body, pieces: Pieces, time: float) -> tuple[Array, Array] | None:
    """Turn (4,) and shift (3,) of an animated body since the start; None where it stands still."""
    if body.role != "animated":
        return None
    start = np.asarray(body.place.position, float)
    if body.motion is not None:
        path = Path.of(body.motion)
        start, first = path.at(0.0)
        now, turn = path.at(time)
        turn = quaternion_product(turn, first * [-1, -1, -1, 1])
    else:
        middle = placed(body, (pieces.volume[:, None] * pieces.center).sum(axis=0)[None] / pieces.volume.sum())[0]
        now, turn = Drive(middle, None, np.asarray(body.velocity, float), np.asarray(body.spin, float)).at(time)
        start = middle
    return turn, now - rotation_matrix(turn) @ start
