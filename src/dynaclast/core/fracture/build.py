"""From a body's description to its pieces."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from typing import Any

import numpy as np

from ..document import (
    AssetShape,
    Body,
    BoxShape,
    CellsPattern,
    ConeShape,
    CylinderShape,
    FacesPattern,
    FalloffShape,
    FileShape,
    LineShape,
    MeshShape,
    SheetShape,
    SphereShape,
    TorusShape,
    TubeShape,
)
from ..errors import InputError
from ..falloff import value
from ..geometry import primitives
from ..geometry.check import solid
from ..geometry.isosurface import level_surface
from ..geometry.mesh import TriMesh, make, weld
from ..geometry.steps import apply_steps
from .pieces import Pieces, no_pieces, whole
from .solids import Progress
from .tiers import break_mesh

Resolve = Callable[[FileShape | AssetShape], TriMesh]
"""Gives the mesh a document only refers to; handed in by whoever may open files or the store."""

PIECES_FORMAT = 7
"""Part of every content key: grows when the same description would give other pieces."""


def no_files(shape: FileShape | AssetShape) -> TriMesh:
    """A resolver for documents that must stand alone."""
    name = shape.path if isinstance(shape, FileShape) else shape.asset
    raise InputError(f"refers to '{name}', which is not at hand here")


PRIMITIVES: dict[type, Callable[..., TriMesh]] = {
    FalloffShape: lambda s: level_surface(lambda p: value(s.reach, p), s.level, s.center, s.size, s.detail),
    BoxShape: lambda s: primitives.box(s.size, s.divisions),
    SheetShape: lambda s: primitives.sheet(s.size, s.thickness, s.divisions),
    SphereShape: lambda s: primitives.sphere(s.radius, s.segments),
    CylinderShape: lambda s: primitives.cylinder(s.radius, s.height, s.taper, s.segments, s.divisions),
    ConeShape: lambda s: primitives.cone(s.radius, s.height, s.segments, s.divisions),
    TubeShape: lambda s: primitives.tube(s.radius, s.wall, s.height, s.taper, s.segments, s.divisions),
    LineShape: lambda s: make(s.points, np.zeros((0, 3), np.int32)),
    TorusShape: lambda s: primitives.torus(s.radius, s.thickness, s.segments, s.sides),
    MeshShape: lambda s: make(s.vertices, s.faces),
}


def raw_mesh(body: Body, resolve: Resolve = no_files, told: list[str] | None = None) -> TriMesh:
    """The body's mesh after its steps, at its true size: scaled, not turned or moved; whatever its state. ``told`` gets
    what each step did.
    """
    primitive = PRIMITIVES.get(type(body.shape))
    shape: Any = body.shape
    mesh = primitive(shape) if primitive else resolve(shape)
    mesh = apply_steps(mesh, body.steps, value, told)
    return TriMesh(np.ascontiguousarray(mesh.vertices * np.asarray(body.place.scale)), mesh.faces)


def shape_mesh(body: Body, resolve: Resolve = no_files) -> TriMesh:
    """The body's mesh, closed and facing outwards. Raises GeometryError where it is not a solid."""
    return solid(raw_mesh(body, resolve), body.name)[0]


def content_key(body: Body) -> str:
    """Hash of all that decides the pieces of a body; place, material, names and the size of group members are left
    out.
    """
    if body.deforms:
        return "deforms"
    what = {
        "format": PIECES_FORMAT,
        "shape": body.shape.model_dump(mode="json"),
        "steps": [s.model_dump(mode="json") for s in body.steps],
        "scale": body.place.scale,
        "pattern": body.pattern.model_dump(mode="json") if body.pattern else None,
        "breaks": [b.model_dump(mode="json") for b in body.breaks] if body.pattern else [],
    }
    return hashlib.sha256(json.dumps(what, sort_keys=True).encode()).hexdigest()[:40]


def build_pieces(body: Body, resolve: Resolve = no_files, progress: Progress | None = None) -> Pieces:
    """The pieces of a body in its own scaled frame (of group members: before their own size).

    Raises GeometryError for a mesh that is not a solid (the faces pattern takes any mesh).
    """
    if body.deforms:
        return no_pieces()
    if isinstance(body.pattern, FacesPattern):
        return break_mesh(weld(raw_mesh(body, resolve)), body.pattern, body.breaks, name=body.name, progress=progress)
    mesh = shape_mesh(body, resolve)
    if body.pattern is not None:
        return break_mesh(mesh, body.pattern, body.breaks, name=body.name, progress=progress)
    return whole(mesh)


def member_pieces(body: Body, get: Callable[[Body], Pieces] = build_pieces) -> Pieces:
    """A body's pieces at the size it has in its group."""
    return get(body).scaled(body.factor)


def convex_cells(mesh: TriMesh, count: int, seed: int, name: str = "the mesh") -> Pieces:
    """A solid broken into plain cells."""
    return break_mesh(mesh, CellsPattern(count=count, seed=seed), [], name=name)
