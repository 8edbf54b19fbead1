"""OBJ, STL, PLY, GLB and glTF by trimesh."""

from __future__ import annotations

import io
import json
import struct
from typing import Any

import numpy as np
import trimesh

from ...errors import InputError
from ..parts import MOST_PARTS, MOST_TRIANGLES, MeshFile, PartMesh, hex_color, placed_part


def _look(mesh: trimesh.Trimesh) -> tuple[str | None, np.ndarray | None]:
    """Colour and corner texture coordinates of a mesh, as far as it has them."""
    visual: Any = getattr(mesh, "visual", None)
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


def read_trimesh(data: bytes, kind: str, scale: float | None) -> MeshFile:
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


def short_reason(exc: Exception) -> str:
    text = str(exc).strip().splitlines()
    return (text[0] if text else type(exc).__name__)[:120]


def check_stl(data: bytes, name: str) -> None:
    """A binary STL says how many triangles follow: 50 bytes each."""
    (count,) = struct.unpack_from("<I", data, 80)
    if 84 + 50 * count > len(data):
        raise InputError(
            f"'{name}' is cut short: it promises {count:,} triangles and holds {(len(data) - 84) // 50:,}",
            where=name,
            code="input.broken",
        )


def check_gltf(data: bytes, kind: str, name: str) -> None:
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
            f"'{name}' cannot be read as {kind.upper()}: {short_reason(exc)}", where=name, code="input.broken"
        ) from None
