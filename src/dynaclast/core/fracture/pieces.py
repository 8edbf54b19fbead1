"""The pieces of a body as flat arrays."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace

import numpy as np
from numpy.typing import NDArray

from ..arrays import Array, Index
from ..geometry.mass import mass_properties_of_many
from ..geometry.mesh import TriMesh, make

TIERS = 4


@dataclass(frozen=True)
class Pieces:
    """P pieces of one body, in the body's own frame (scaled, not yet turned or moved).

    vertices     : (V, 3) float64 [m]; those of piece p are rows vertex_start[p] to vertex_start[p + 1]
    faces        : (F, 3) int32, indices into the piece's own vertices (0 is its first)
    vertex_start : (P + 1,) int32;  face_start : (P + 1,) int32
    skin         : (F,) bool, true where the triangle is part of the original surface, false where cut
    volume       : (P,) float64 [m3];  center : (P, 3) centre of mass [m]
    inertia      : (P, 3, 3) about the centre, of density 1 [m5]
    path         : (P, 4) int32, which chunk the piece belongs to on tiers 1 to 4; the same number on a tier (and those
                   before) is the same chunk, -1 below the piece's own tier
    bond_piece   : (B, 2) int32, lower index first
    bond_area    : (B,) float64 [m2];  bond_center : (B, 3) [m]
    bond_normal  : (B, 3) float64, unit, of each bond's face, from its first piece to its second
    bond_second_moment : (B, 3, 3) float64 [m4], of the face about its centre
    bond_tier    : (B,) uint8, 1 for bonds between chunks of tier 1, and so on
    """

    vertices: Array
    faces: Index
    vertex_start: Index
    face_start: Index
    skin: NDArray[np.bool_]
    volume: Array
    center: Array
    inertia: Array
    path: Index
    bond_piece: Index
    bond_area: Array
    bond_center: Array
    bond_normal: Array
    bond_second_moment: Array
    bond_tier: NDArray[np.uint8]

    @property
    def count(self) -> int:
        return len(self.volume)

    @property
    def whole(self) -> TriMesh:
        """All pieces as one mesh."""
        return TriMesh(self.vertices, self.own_faces())

    @property
    def size(self) -> Array:
        """Size of each piece (P,): cube root of its volume [m]."""
        return np.cbrt(self.volume)

    @property
    def tier(self) -> Index:
        """The tier each piece was made on (P,); 0 for an unbroken body."""
        return (self.path >= 0).sum(axis=1)

    def mesh(self, piece: int) -> TriMesh:
        """The closed mesh of one piece."""
        v0, v1 = self.vertex_start[piece : piece + 2]
        f0, f1 = self.face_start[piece : piece + 2]
        return TriMesh(self.vertices[v0:v1], self.faces[f0:f1])

    def skin_of(self, piece: int) -> NDArray[np.bool_]:
        return self.skin[self.face_start[piece] : self.face_start[piece + 1]]

    def corners(self) -> tuple[Array, Index]:
        """Corner points (F, 3, 3) of all triangles [m], and the piece (F,) each belongs to."""
        piece = np.repeat(np.arange(self.count, dtype=np.int32), np.diff(self.face_start))
        return self.vertices[self.own_faces()], piece

    def own_faces(self) -> Index:
        """Faces (F, 3) int32, by the vertices of all pieces."""
        return (self.faces + np.repeat(self.vertex_start[:-1], np.diff(self.face_start))[:, None]).astype(np.int32)

    def scaled(self, factor: float) -> Pieces:
        """The same pieces, uniformly sized."""
        if factor == 1.0:
            return self
        return replace(
            self,
            vertices=self.vertices * factor,
            volume=self.volume * factor**3,
            center=self.center * factor,
            inertia=self.inertia * factor**5,
            bond_area=self.bond_area * factor**2,
            bond_center=self.bond_center * factor,
            bond_second_moment=self.bond_second_moment * factor**4,
        )

    def arrays(self) -> dict[str, np.ndarray]:
        """All arrays by name, for storing."""
        return {f.name: getattr(self, f.name) for f in fields(self)}

    @staticmethod
    def from_arrays(arrays: dict[str, np.ndarray]) -> Pieces:
        return Pieces(**{f.name: np.ascontiguousarray(arrays[f.name]) for f in fields(Pieces)})


def collect(meshes: list[TriMesh], skins: list[NDArray[np.bool_]], path: Index | None = None) -> Pieces:
    """Pieces without bonds from closed meshes and their skin flags."""
    vertices, faces = np.concatenate([m.vertices for m in meshes]), np.concatenate([m.faces for m in meshes])
    vertex_start = np.cumsum([0] + [len(m.vertices) for m in meshes]).astype(np.int32)
    face_start = np.cumsum([0] + [len(m.faces) for m in meshes]).astype(np.int32)
    of_all = faces + np.repeat(vertex_start[:-1], np.diff(face_start))[:, None]
    volume, center, inertia = mass_properties_of_many(vertices, of_all, vertex_start, face_start)
    return Pieces(
        vertices=vertices,
        faces=faces,
        vertex_start=vertex_start,
        face_start=face_start,
        skin=np.concatenate(skins),
        volume=volume,
        center=center,
        inertia=inertia,
        path=np.full((len(meshes), TIERS), -1, np.int32) if path is None else path.astype(np.int32),
        bond_piece=np.zeros((0, 2), np.int32),
        bond_area=np.zeros(0),
        bond_center=np.zeros((0, 3)),
        bond_normal=np.zeros((0, 3)),
        bond_second_moment=np.zeros((0, 3, 3)),
        bond_tier=np.zeros(0, np.uint8),
    )


def whole(mesh: TriMesh) -> Pieces:
    """An unbroken body: one piece, all skin."""
    return collect([make(mesh.vertices, mesh.faces)], [np.ones(len(mesh.faces), bool)])


def no_pieces() -> Pieces:
    """Of a body that is not made of pieces."""
    none = make(np.zeros((0, 3)), np.zeros((0, 3), np.int32))
    f = np.zeros
    return Pieces(
        none.vertices,
        none.faces,
        f(1, np.int32),
        f(1, np.int32),
        f(0, bool),
        f(0),
        f((0, 3)),
        f((0, 3, 3)),
        f((0, TIERS), np.int32),
        f((0, 2), np.int32),
        f(0),
        f((0, 3)),
        f((0, 3)),
        f((0, 3, 3)),
        f(0, np.uint8),
    )


def as_it_is(mesh: TriMesh) -> Pieces:
    """A mesh in any state as one piece, for drawing only: its volume may mean nothing."""
    middle = mesh.vertices.mean(axis=0) if len(mesh.vertices) else np.zeros(3)
    return Pieces(
        mesh.vertices,
        mesh.faces,
        np.array([0, len(mesh.vertices)], np.int32),
        np.array([0, len(mesh.faces)], np.int32),
        np.ones(len(mesh.faces), bool),
        np.array([max(mesh.size() ** 3, 1e-12)]),
        middle[None],
        np.eye(3)[None],
        np.full((1, TIERS), -1, np.int32),
        np.zeros((0, 2), np.int32),
        np.zeros(0),
        np.zeros((0, 3)),
        np.zeros((0, 3)),
        np.zeros((0, 3, 3)),
        np.zeros(0, np.uint8),
    )
