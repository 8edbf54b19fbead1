"""From a body's description to its pieces."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable

import numpy as np

from ..document import AssetShape, Body, BoxShape, CellsPattern, CylinderShape, FileShape, MeshShape, SphereShape, TubeShape
from ..errors import InputError
from ..geometry import primitives
from ..geometry.check import solid
from ..geometry.mesh import TriMesh, make
from .cells import Progress, break_into_cells
from .pieces import Pieces, whole

Resolve = Callable[[FileShape | AssetShape], TriMesh]
"""Gives the mesh a document only refers to; handed in by whoever may open files or the store."""

PIECES_FORMAT = 2
"""Part of every content key: grows when the same description would give other pieces."""


def no_files(shape: FileShape | AssetShape) -> TriMesh:
    """A resolver for documents that must stand alone."""
    name = shape.path if isinstance(shape, FileShape) else shape.asset
    raise InputError(f"refers to '{name}', which is not at hand here")


def shape_mesh(body: Body, resolve: Resolve = no_files) -> TriMesh:
    """The body's mesh at its true size: scaled, not turned or moved; closed and facing outwards."""
    shape = body.shape
    if isinstance(shape, BoxShape):
        mesh = primitives.box(shape.size)
    elif isinstance(shape, SphereShape):
        mesh = primitives.sphere(shape.radius, shape.segments)
    elif isinstance(shape, CylinderShape):
        mesh = primitives.cylinder(shape.radius, shape.height, shape.taper, shape.segments)
    elif isinstance(shape, TubeShape):
        mesh = primitives.tube(shape.radius, shape.wall, shape.height, shape.taper, shape.segments)
    elif isinstance(shape, MeshShape):
        mesh = make(shape.vertices, shape.faces)
    else:
        mesh = resolve(shape)
    mesh = TriMesh(np.ascontiguousarray(mesh.vertices * np.asarray(body.place.scale)), mesh.faces)
    return solid(mesh, body.name)[0]


def content_key(body: Body) -> str:
    """Hash of all that decides the pieces of a body; place, material and names are left out."""
    what = {
        "format": PIECES_FORMAT,
        "shape": body.shape.model_dump(mode="json"),
        "scale": body.place.scale,
        "pattern": body.pattern.model_dump(mode="json") if body.pattern else None,
    }
    return hashlib.sha256(json.dumps(what, sort_keys=True).encode()).hexdigest()[:40]


def build_pieces(body: Body, resolve: Resolve = no_files, progress: Progress | None = None) -> Pieces:
    """The pieces of a body in its own scaled frame.

    Raises GeometryError for a mesh that is not a solid.
    """
    mesh = shape_mesh(body, resolve)
    if isinstance(body.pattern, CellsPattern):
        return break_into_cells(mesh, body.pattern.count, body.pattern.seed, name=body.name, progress=progress)
    return whole(mesh)
