"""The pieces of a body as flat arrays."""

from __future__ import annotations

from dataclasses import dataclass, fields

import numpy as np
from numpy.typing import NDArray

from ..geometry.mass import mass_properties
from ..geometry.mesh import Array, Index, TriMesh, make


@dataclass(frozen=True)
class Pieces:
    """P pieces of one body, in the body's own frame (scaled, not yet turned or moved).

    vertices     : (V, 3) float64 [m]; those of piece p are rows vertex_start[p] to vertex_start[p + 1]
    faces        : (F, 3) int32, indices into the piece's own vertices (0 is its first)
    vertex_start : (P + 1,) int32;  face_start : (P + 1,) int32
    skin         : (F,) bool, true where the triangle is part of the original surface, false where cut
    volume       : (P,) float64 [m3];  center : (P, 3) centre of mass [m]
    inertia      : (P, 3, 3) about the centre, of density 1 [m5]
    bond_piece   : (B, 2) int32, lower index first
    bond_area    : (B,) float64 [m2];  bond_center : (B, 3) [m]
    """

    vertices: Array
    faces: Index
    vertex_start: Index
    face_start: Index
    skin: NDArray[np.bool_]
    volume: Array
    center: Array
    inertia: Array
    bond_piece: Index
    bond_area: Array
    bond_center: Array

    @property
    def count(self) -> int:
        return len(self.volume)

    def mesh(self, piece: int) -> TriMesh:
        """The closed mesh of one piece."""
        v0, v1 = self.vertex_start[piece : piece + 2]
        f0, f1 = self.face_start[piece : piece + 2]
        return TriMesh(self.vertices[v0:v1], self.faces[f0:f1])

    def arrays(self) -> dict[str, np.ndarray]:
        """All arrays by name, for storing."""
        return {f.name: getattr(self, f.name) for f in fields(self)}

    @staticmethod
    def from_arrays(arrays: dict[str, np.ndarray]) -> Pieces:
        return Pieces(**{f.name: np.ascontiguousarray(arrays[f.name]) for f in fields(Pieces)})


def collect(meshes: list[TriMesh], skins: list[NDArray[np.bool_]]) -> Pieces:
    """Pieces without bonds from closed meshes and their skin flags."""
    props = [mass_properties(m) for m in meshes]
    return Pieces(
        vertices=np.concatenate([m.vertices for m in meshes]),
        faces=np.concatenate([m.faces for m in meshes]),
        vertex_start=np.cumsum([0] + [len(m.vertices) for m in meshes]).astype(np.int32),
        face_start=np.cumsum([0] + [len(m.faces) for m in meshes]).astype(np.int32),
        skin=np.concatenate(skins),
        volume=np.array([p.volume for p in props]),
        center=np.array([p.center for p in props]),
        inertia=np.array([p.inertia for p in props]),
        bond_piece=np.zeros((0, 2), np.int32),
        bond_area=np.zeros(0),
        bond_center=np.zeros((0, 3)),
    )


def whole(mesh: TriMesh) -> Pieces:
    """An unbroken body: one piece, all skin."""
    return collect([make(mesh.vertices, mesh.faces)], [np.ones(len(mesh.faces), bool)])
