"""Meshes of a file as plain parts: what readers give, and what they may hold."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from ..arrays import Array
from ..errors import InputError
from ..geometry.mesh import TriMesh, make

KINDS = ("obj", "stl", "ply", "glb", "gltf", "usd", "usda", "usdc")
MOST_BYTES = 64 * 1024 * 1024
MOST_TRIANGLES = 2_000_000
MOST_PARTS = 500


@dataclass(frozen=True)
class PartMesh:
    """One mesh of a file.

    mesh: in its own frame [m]; position (3,) [m], rotation (4,) x, y, z, w: where it stands; color '#rrggbb' or None
    uv: (F, 3, 2) float32 texture coordinates at the triangles' corners, or None
    """

    name: str
    mesh: TriMesh
    position: tuple[float, float, float] = (0.0, 0.0, 0.0)
    rotation: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 1.0)
    color: str | None = None
    uv: np.ndarray | None = None


@dataclass(frozen=True)
class MeshFile:
    """What a file holds: parts, metres per unit, and remarks for the artist."""

    parts: list[PartMesh]
    metres: float
    notes: list[str] = field(default_factory=list)

    def joined(self) -> TriMesh:
        """All parts as one mesh, where they stand."""
        vertices, faces, count = [], [], 0
        for part in self.parts:
            moved = part.mesh.moved(np.ones(3), np.asarray(part.rotation), np.asarray(part.position))
            vertices.append(moved.vertices)
            faces.append(moved.faces + count)
            count += len(moved.vertices)
        return make(np.concatenate(vertices), np.concatenate(faces))


def kind_of(name: str) -> str:
    """The format of a file by its ending. Raises InputError for one we do not read."""
    kind = name.rsplit(".", 1)[-1].lower() if "." in name else ""
    if kind not in KINDS:
        raise InputError(
            f"'{name}' is not a mesh file this program reads; bring in one of OBJ, STL, PLY, GLB, GLTF, USD, "
            f"USDA, USDC",
            where=name,
            code="input.kind",
        )
    return kind


def decompose(matrix: Array) -> tuple[Array, Array, Array] | None:
    """A (4, 4) transform as scale (3,), rotation x, y, z, w (4,) and position (3,); None where it shears or mirrors."""
    from scipy.spatial.transform import Rotation

    linear = matrix[:3, :3]
    scale = np.linalg.norm(linear, axis=0)
    if not np.isfinite(matrix).all() or scale.min() <= 1e-12:
        return None
    turn = linear / scale
    if np.abs(turn.T @ turn - np.eye(3)).max() > 1e-5 or np.linalg.det(turn) < 0:
        return None
    return scale, Rotation.from_matrix(turn).as_quat(), matrix[:3, 3]


def placed_part(
    name: str,
    vertices: Array,
    faces: np.ndarray,
    matrix: Array,
    metres: float,
    color: str | None,
    uv: np.ndarray | None,
) -> PartMesh:
    """A part from a mesh in file units and its transform: scale goes into the mesh, turn and move into the place."""
    apart = decompose(matrix)
    if apart is None:
        moved = vertices @ matrix[:3, :3].T + matrix[:3, 3]
        faces = faces[:, ::-1] if np.linalg.det(matrix[:3, :3]) < 0 else faces
        uv = uv[:, ::-1] if uv is not None and np.linalg.det(matrix[:3, :3]) < 0 else uv
        return PartMesh(name, make(moved * metres, faces), color=color, uv=uv)
    scale, turn, position = apart
    return PartMesh(
        name,
        make(vertices * scale * metres, faces),
        tuple((position * metres).tolist()),
        tuple(turn.tolist()),
        color,
        uv,
    )


def hex_color(rgb: Array) -> str:
    """'#rrggbb' of sRGB values 0 to 255."""
    return "#" + "".join(f"{int(np.clip(round(float(c)), 0, 255)):02x}" for c in rgb[:3])
