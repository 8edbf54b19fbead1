"""Mesh files in: OBJ, STL, PLY, GLB and glTF, read by trimesh.

Whatever is wrong with a file ends in one InputError that names it; limits keep a hostile file from taking the machine.
"""

from __future__ import annotations

import io
import json
import struct

import numpy as np
import trimesh

from ..errors import GeometryError, InputError
from ..geometry.mesh import TriMesh, make

KINDS = ("obj", "stl", "ply", "glb", "gltf")
MOST_BYTES = 64 * 1024 * 1024
MOST_TRIANGLES = 2_000_000


def kind_of(name: str) -> str:
    """The format of a file by its ending. Raises InputError for one we do not read."""
    kind = name.rsplit(".", 1)[-1].lower() if "." in name else ""
    if kind not in KINDS:
        raise InputError(f"'{name}' is not a mesh file this program reads; bring in one of {', '.join(k.upper() for k in KINDS)}", where=name, code="input.kind")
    return kind


def read_mesh(data: bytes, name: str, scale: float = 1.0) -> TriMesh:
    """All triangles of a mesh file as one mesh, in metres.

    data  : the file's bytes; name : for its ending and for messages; scale : metres per unit
    Raises InputError (too large, not readable) or GeometryError (no triangles)
    """
    kind = kind_of(name)
    if len(data) > MOST_BYTES:
        raise InputError(f"'{name}' has {len(data) / 1e6:.0f} MB; the limit is {MOST_BYTES / 1e6:.0f} MB. Decimate it before bringing it in", where=name, code="input.size")
    if kind == "stl" and len(data) >= 84 and not data[:5].lower() == b"solid":
        _check_stl(data, name)
    if kind in ("glb", "gltf"):
        _check_gltf(data, kind, name)
    try:
        scene = trimesh.load_scene(io.BytesIO(data), file_type=kind, process=False, resolver=None)
        mesh = scene.to_mesh() if scene.geometry else None
        vertices = np.asarray(mesh.vertices, dtype=np.float64) if mesh is not None else np.zeros((0, 3))
        faces = np.asarray(getattr(mesh, "faces", np.zeros((0, 3)))) if mesh is not None else np.zeros((0, 3), int)
    except MemoryError:
        raise InputError(f"'{name}' unpacks to more than fits; decimate it before bringing it in", where=name, code="input.size") from None
    except Exception as exc:  # a parser may fail in any way on a broken file: all of them mean the same to the artist
        raise InputError(f"'{name}' cannot be read as {kind.upper()}: {_short(exc)}. Export it again and bring in the new file", where=name, code="input.broken") from None
    if len(faces) == 0:
        raise GeometryError(f"'{name}' holds no triangles", where=name, code="geometry.empty")
    if len(faces) > MOST_TRIANGLES:
        raise InputError(f"'{name}' has {len(faces):,} triangles; the limit is {MOST_TRIANGLES:,}. Decimate it before bringing it in", where=name, code="input.size")
    if faces.min() < 0 or faces.max() >= len(vertices):
        raise InputError(f"'{name}' is broken: a triangle names a vertex that is not there", where=name, code="input.broken")
    if not np.isfinite(vertices).all() or np.abs(vertices).max() * scale > 1e6:
        raise InputError(f"'{name}' has coordinates that are not finite or beyond 1,000 km", where=name, code="input.broken")
    return make(vertices * scale, faces)


def _short(exc: Exception) -> str:
    text = str(exc).strip().splitlines()
    return (text[0] if text else type(exc).__name__)[:120]


def _check_stl(data: bytes, name: str) -> None:
    """A binary STL says how many triangles follow: 50 bytes each."""
    (count,) = struct.unpack_from("<I", data, 80)
    if 84 + 50 * count > len(data):
        raise InputError(f"'{name}' is cut short: it promises {count:,} triangles and holds {(len(data) - 84) // 50:,}", where=name, code="input.broken")


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
        raise InputError(f"'{name}' cannot be read as {kind.upper()}: {_short(exc)}", where=name, code="input.broken") from None
