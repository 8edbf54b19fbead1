"""Where bodies are during a run, for fields and falloffs."""

from __future__ import annotations

import numpy as np

from ..arrays import Array, Index
from ..geometry.rotations import rotation_matrix
from ..geometry.tree import MeshDistance
from ..kernels import kernel
from .deforming_world import DeformingWorld
from .frame import piece_positions
from .inner_faces import leads_inside
from .model import Hold, Hulls, InnerFaces, Model
from .state import State


class LiveWorld:
    """The world of a run as it is now. ``refresh`` before each use."""

    def __init__(self, model: Model, state: State) -> None:
        self._model, self._state = model, state
        self._nearest: dict[tuple[str, bytes], int] = {}
        self.center: Array = np.zeros((0, 3))
        names: dict[str, list[int]] = {}
        for b, (name, column) in enumerate(zip(model.body_names, model.target_names, strict=True)):
            names.setdefault(name, []).append(b)
            if column != name:
                names.setdefault(column, []).append(b)
        order = np.argsort(model.pieces.body, kind="stable")
        of_body = np.split(order, np.searchsorted(model.pieces.body[order], np.arange(1, len(model.body_names))))
        self._own = {name: np.sort(np.concatenate([of_body[b] for b in bodies])) for name, bodies in names.items()}
        self._deforming = None
        if model.deformables is not None:
            self._deforming = DeformingWorld(model.deformables, state, model.target_names)

    def refresh(self) -> None:
        self.center = piece_positions(self._model, self._state)
        if self._deforming is not None:
            self._deforming.refresh()

    def own(self, name: str) -> np.ndarray:
        """Pieces of a body or group."""
        return self._own.get(name, np.zeros(0, int))

    def carried(self, body: str, point: Array) -> tuple[Array, Array]:
        if self._deforming is not None and body in self._deforming:
            return self._deforming.carried(body, point)
        own = self.own(body)
        asm = self._state.assemblies
        if not len(own):
            return point, np.array([0.0, 0.0, 0.0, 1.0])
        key = (body, point.tobytes())
        if key not in self._nearest:
            self._nearest[key] = int(own[np.argmin(((self._model.pieces.rest_center[own] - point) ** 2).sum(axis=1))])
        slot = self._state.piece_assembly[self._nearest[key]]
        return asm.position[slot] + rotation_matrix(asm.orientation[slot]) @ (
            point - asm.rest_center[slot]
        ), asm.orientation[slot].copy()

    def pieces(self, body: str) -> tuple[Array, Array]:
        if self._deforming is not None and body in self._deforming:
            points = self._deforming.points(body)
            return points, np.zeros(len(points))
        own = self.own(body)
        own = own[self._state.hold[own] != Hold.REMOVED]
        return self.center[own], self._model.pieces.size[own]

    def surface(self, body: str) -> tuple[MeshDistance, Array, Array]:
        if self._deforming is not None and body in self._deforming:
            return self._deforming.surface(body), np.array([0.0, 0.0, 0.0, 1.0]), np.zeros(3)
        own = self.own(body)
        asm, slot = self._state.assemblies, self._state.piece_assembly[own[0]]
        return (
            self._model.surfaces[body],
            asm.orientation[slot].copy(),
            asm.position[slot] - rotation_matrix(asm.orientation[slot]) @ asm.rest_center[slot],
        )


class Exposed:
    """Areas that pieces turn to the air, by the faces of their collision hulls but those that lead into another piece
    of the same assembly.
    """

    def __init__(self, model: Model, state: State) -> None:
        hulls = model.hulls
        self._model, self._state = model, state
        self._area = np.zeros(len(hulls.normals))
        _face_areas(hulls, self._area)

    def __call__(self, past: Array) -> tuple[Array, Array]:
        """For air that streams past at (P, 3) [m/s]: area met (P,) [m2], and windward normals by area and squareness
        (P, 3).
        """
        area, square = np.zeros(len(past)), np.zeros((len(past), 3))
        _project(
            past,
            self._model.hulls,
            self._area,
            self._model.inner_faces,
            self._state.piece_assembly,
            self._state.assemblies.orientation,
            area,
            square,
        )
        return area, square


@kernel
def _face_areas(hulls: Hulls, out: Array) -> None:
    """Area of every face (F,) [m2]: it was moved in by the rounding, and its rim grows out again by as much."""
    for s in range(len(hulls.piece)):
        for f in range(hulls.face_start[s], hulls.face_start[s + 1]):
            a, b = hulls.ring_start[f], hulls.ring_start[f + 1]
            nx, ny, nz, rim = 0.0, 0.0, 0.0, 0.0
            for k in range(a, b):
                i, j = hulls.ring[k], hulls.ring[k + 1 if k + 1 < b else a]
                x0, y0, z0 = hulls.vertices[i, 0], hulls.vertices[i, 1], hulls.vertices[i, 2]
                x1, y1, z1 = hulls.vertices[j, 0], hulls.vertices[j, 1], hulls.vertices[j, 2]
                nx += y0 * z1 - z0 * y1
                ny += z0 * x1 - x0 * z1
                nz += x0 * y1 - y0 * x1
                rim += np.sqrt((x1 - x0) ** 2 + (y1 - y0) ** 2 + (z1 - z0) ** 2)
            out[f] = 0.5 * np.sqrt(nx * nx + ny * ny + nz * nz) + rim * hulls.radius[s]


@kernel
def _project(
    past: Array,
    hulls: Hulls,
    face_area: Array,
    inner: InnerFaces,
    piece_assembly: Index,
    rotation: Array,
    area: Array,
    square: Array,
) -> None:
    """Area that each piece turns to the air; arguments and results as ``Exposed``. rotation (A, 4): of assemblies."""
    for s in range(len(hulls.piece)):
        p = hulls.piece[s]
        speed = np.sqrt(past[p, 0] ** 2 + past[p, 1] ** 2 + past[p, 2] ** 2)
        if speed < 1e-12:
            continue
        wx, wy, wz = past[p, 0] / speed, past[p, 1] / speed, past[p, 2] / speed
        if hulls.face_start[s + 1] == hulls.face_start[s]:  # a ball
            disc = np.pi * hulls.radius[s] ** 2
            area[p] += disc
            square[p, 0] -= disc * wx * 2.0 / 3.0
            square[p, 1] -= disc * wy * 2.0 / 3.0
            square[p, 2] -= disc * wz * 2.0 / 3.0
            continue
        q = rotation[piece_assembly[p]]
        for f in range(hulls.face_start[s], hulls.face_start[s + 1]):
            x, y, z = hulls.normals[f, 0], hulls.normals[f, 1], hulls.normals[f, 2]
            tx, ty, tz = 2.0 * (q[1] * z - q[2] * y), 2.0 * (q[2] * x - q[0] * z), 2.0 * (q[0] * y - q[1] * x)
            nx, ny, nz = (
                x + q[3] * tx + q[1] * tz - q[2] * ty,
                y + q[3] * ty + q[2] * tx - q[0] * tz,
                z + q[3] * tz + q[0] * ty - q[1] * tx,
            )
            c = -(nx * wx + ny * wy + nz * wz)
            if c > 0.0 and not leads_inside(inner, hulls, piece_assembly, s, f):
                a = face_area[f] * c
                area[p] += a
                square[p, 0] += a * nx
                square[p, 1] += a * ny
                square[p, 2] += a * nz
