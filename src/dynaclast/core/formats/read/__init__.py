"""Mesh files in: OBJ, STL, PLY, GLB and glTF by trimesh, USD by OpenUSD.

A file gives parts: meshes with their names, places, colours and texture coordinates. Whatever is wrong with a file ends
in one InputError that names it; limits keep a hostile file from taking the machine (``jobs.reader`` adds a process of
its own).
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import AbstractContextManager
from typing import Any

import numpy as np

from ...errors import GeometryError, InputError
from ...geometry.mesh import TriMesh
from ..parts import MOST_BYTES, MOST_PARTS, MOST_TRIANGLES, MeshFile, PartMesh, kind_of
from .trimesh import check_gltf, check_stl, read_trimesh, short_reason

OpenLayer = Callable[[bytes, str], AbstractContextManager[Any]]
"""Opens the bytes of a USD file of a kind as a layer, None if they are none. OpenUSD reads from paths alone, and the
core opens none, so the caller does (``files.usd_layer``)."""


def read_file(data: bytes, name: str, open_usd: OpenLayer, scale: float | None = None) -> MeshFile:
    """All meshes of a file.

    name     : for its ending and for messages
    open_usd : as OpenLayer
    scale    : metres per unit, instead of what the file says
    Raises   : InputError (too large, not readable) or GeometryError (no triangles)
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
        check_stl(data, name)
    if kind in ("glb", "gltf"):
        check_gltf(data, kind, name)
    try:
        if kind.startswith("usd"):
            from .usd import read_usd

            with open_usd(data, kind) as layer:
                found = read_usd(layer, scale)
        else:
            found = read_trimesh(data, kind, scale)
    except InputError as exc:
        raise InputError(f"'{name}' {exc.message}", where=name, code=exc.code) from None
    except MemoryError:
        raise InputError(
            f"'{name}' unpacks to more than fits; decimate it before bringing it in", where=name, code="input.size"
        ) from None
    except Exception as exc:  # a parser may fail in any way on a broken file: all of them mean the same to the artist
        raise InputError(
            f"'{name}' cannot be read as {kind.upper()}: {short_reason(exc)}. Export it again and bring in the new "
            f"file",
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


def read_mesh(
    data: bytes, name: str, open_usd: OpenLayer, scale: float | None = None, part: str | None = None
) -> TriMesh:
    """One named mesh of a file, or all of them as one, in metres, where they stand in the file."""
    found = read_file(data, name, open_usd, scale)
    if part is None:
        return found.joined()
    for one in found.parts:
        if one.name == part:
            return MeshFile([one], found.metres).joined()
    raise InputError(
        f"'{name}' holds no mesh named '{part}'; it holds {', '.join(p.name for p in found.parts[:12])}", where=name
    )


__all__ = ["MOST_BYTES", "MeshFile", "OpenLayer", "PartMesh", "kind_of", "read_file", "read_mesh"]
