"""Mesh files in: OBJ, STL, PLY, GLB and glTF by trimesh, USD by OpenUSD.

A file gives parts: meshes with their names, places, colours and texture coordinates. Whatever is wrong with a file ends
in one InputError that names it; limits keep a hostile file from taking the machine (``jobs.reader`` adds a process of
its own).
"""

from __future__ import annotations

import io
import json
import struct
from dataclasses import dataclass, field

import numpy as np
import trimesh

from ..arrays import Array
from ..errors import GeometryError, InputError
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


def read_file(data: bytes, name: str, scale: float | None = None) -> MeshFile:
    """All meshes of a file.

    data  : the file's bytes; name : for its ending and for messages; scale : metres per unit, instead of what the file
    says
    Raises InputError (too large, not readable) or GeometryError (no triangles)
    """
    kind = kind_of(name)
    if len(data) > MOST_BYTES:
        raise InputError(
            f"'{name}' has {len(data) / 1e6:.0f} MB; the limit is {MOST_BYTES / 1e6:.0f} MB. Decimate it before "
            f"bringing it in",
            where=name,
            code="input.size",
        )
    if kind == "stl" and len(data) >= 84 and data[:5].lower() != b"solid":
        _check_stl(data, name)
    if kind in ("glb", "gltf"):
        _check_gltf(data, kind, name)
    try:
        if kind.startswith("usd"):
            from .usd_in import read_usd

            found = read_usd(data, kind, scale)
        else:
            found = _read_trimesh(data, kind, scale)
    except InputError as exc:
        raise InputError(f"'{name}' {exc.message}", where=name, code=exc.code) from None
    except MemoryError:
        raise InputError(
            f"'{name}' unpacks to more than fits; decimate it before bringing it in", where=name, code="input.size"
        ) from None
    except Exception as exc:  # a parser may fail in any way on a broken file: all of them mean the same to the artist
        raise InputError(
            f"'{name}' cannot be read as {kind.upper()}: {_short(exc)}. Export it again and bring in the new file",
            where=name,
            code="input.broken",
        ) from None
    return _checked(found, name)


def _checked(found: MeshFile, name: str) -> MeshFile:
    parts = [p for p in found.parts if len(p.mesh.faces)]
    if not parts:
        raise GeometryError(f"'{name}' holds no triangles", where=name, code="geometry.empty")
    if len(parts) > MOST_PARTS:
        raise InputError(
            f"'{name}' holds {len(parts)} meshes; the limit is {MOST_PARTS}. Join some of them before bringing it in",
            where=name,
            code="input.size",
        )
    count = sum(len(p.mesh.faces) for p in parts)
    if count > MOST_TRIANGLES:
        raise InputError(
            f"'{name}' has {count:,} triangles; the limit is {MOST_TRIANGLES:,}. Decimate it before bringing it in",
            where=name,
            code="input.size",
        )
    for part in parts:
        faces, vertices = part.mesh.faces, part.mesh.vertices
        if faces.min() < 0 or faces.max() >= len(vertices):
            raise InputError(
                f"'{name}' is broken: a triangle names a vertex that is not there", where=name, code="input.broken"
            )
        placed = np.concatenate([vertices.ravel(), part.position, part.rotation])
        if not np.isfinite(placed).all() or np.abs(placed).max() > 1e6:
            raise InputError(
                f"'{name}' has coordinates that are not finite or beyond 1,000 km", where=name, code="input.broken"
            )
    names: set[str] = set()
    unique = []
    for part in parts:
        plain = (part.name or "mesh")[:60]
        free, k = plain, 2
        while free in names:
            free, k = f"{plain} {k}", k + 1
        names.add(free)
        unique.append(PartMesh(free, part.mesh, part.position, part.rotation, part.color, part.uv))
    return MeshFile(unique, found.metres, found.notes)


def read_mesh(data: bytes, name: str, scale: float | None = None, part: str | None = None) -> TriMesh:
    """One named mesh of a file, or all of them as one, in metres, where they stand in the file."""
    found = read_file(data, name, scale)
    if part is None:
        return found.joined()
    for one in found.parts:
        if one.name == part:
            return MeshFile([one], found.metres).joined()
    raise InputError(
        f"'{name}' holds no mesh named '{part}'; it holds {', '.join(p.name for p in found.parts[:12])}", where=name
    )


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


def _look(mesh: trimesh.Trimesh) -> tuple[str | None, np.ndarray | None]:
    """Colour and corner texture coordinates of a mesh, as far as it has them."""
    visual = getattr(mesh, "visual", None)
    color, uv = None, None
    try:
        if getattr(visual, "kind", None) == "texture":
            main = getattr(visual.material, "main_color", None)
            color = hex_color(np.asarray(main)) if main is not None else None
            points = getattr(visual, "uv", None)
            if points is not None and len(points) == len(mesh.vertices):
                uv = np.asarray(points, np.float32)[mesh.faces]
        elif getattr(visual, "kind", None) in ("vertex", "face"):
            color = hex_color(np.asarray(visual.main_color))
    except Exception:  # a broken look is no reason to refuse a mesh
        return None, None
    return color, uv


def _read_trimesh(data: bytes, kind: str, scale: float | None) -> MeshFile:
    scene = trimesh.load_scene(io.BytesIO(data), file_type=kind, process=False, resolver=None)
    metres = scale if scale is not None else 1.0
    parts: list[PartMesh] = []
    total = 0
    for node in sorted(scene.graph.nodes_geometry, key=str):
        matrix, key = scene.graph[node]
        mesh = scene.geometry[key]
        if not isinstance(mesh, trimesh.Trimesh):
            continue
        total += len(mesh.faces)
        if total > MOST_TRIANGLES or len(parts) > MOST_PARTS:
            raise InputError(
                f"unpacks to more than {MOST_TRIANGLES:,} triangles or {MOST_PARTS} meshes; decimate it before "
                f"bringing it in",
                code="input.size",
            )
        color, uv = _look(mesh)
        label = str(node) if kind in ("glb", "gltf") else str(mesh.metadata.get("name", key) if kind != "obj" else key)
        if label.startswith("geometry_"):
            label = ""
        parts.append(
            placed_part(
                label,
                np.asarray(mesh.vertices, float),
                np.asarray(mesh.faces),
                np.asarray(matrix, float),
                metres,
                color,
                uv,
            )
        )
    if kind in ("glb", "gltf"):
        note = "glTF is in metres with y up"
    else:
        note = f"{kind.upper()} says no unit: read as {'metres' if metres == 1 else f'{metres:g} m per unit'}, y up"
    return MeshFile(parts, metres, [note])


def _short(exc: Exception) -> str:
    text = str(exc).strip().splitlines()
    return (text[0] if text else type(exc).__name__)[:120]


def _check_stl(data: bytes, name: str) -> None:
    """A binary STL says how many triangles follow: 50 bytes each."""
    (count,) = struct.unpack_from("<I", data, 80)
    if 84 + 50 * count > len(data):
        raise InputError(
            f"'{name}' is cut short: it promises {count:,} triangles and holds {(len(data) - 84) // 50:,}",
            where=name,
            code="input.broken",
        )


def _check_gltf(data: bytes, kind: str, name: str) -> None:
    """Counts inside the JSON part must fit the file, so that a small file cannot ask for a huge array."""
    try:
        if kind == "glb":
            if data[:4] != b"glTF":
                raise ValueError("it does not begin as a GLB file")
            length = struct.unpack_from("<I", data, 12)[0]
            head = json.loads(data[20 : 20 + length])
        else:
            head = json.loads(data)
        for accessor in head.get("accessors", []):
            if not 0 <= int(accessor.get("count", 0)) <= 12 * len(data):
                raise ValueError("an array is larger than the file")
        for buffer in head.get("buffers", []):
            uri = buffer.get("uri", "")
            if uri and not uri.startswith("data:"):
                raise ValueError("it refers to other files; export it as one GLB")
    except (ValueError, struct.error, AttributeError, TypeError, RecursionError) as exc:
        raise InputError(
            f"'{name}' cannot be read as {kind.upper()}: {_short(exc)}", where=name, code="input.broken"
        ) from None
