"""The surface of a body that deforms: what its vertices are, and what is drawn and exported of it."""

from __future__ import annotations

import base64
import hashlib
import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Protocol

import numpy as np

from ..arrays import Array, Index, cross, lengths
from ..document import Body, Bonds, CellsPattern, ClothMatter, LineShape, RopeMatter, SheetShape, SoftMatter
from ..errors import GeometryError, InputError
from ..geometry import primitives
from ..geometry.mass import signed_volume
from ..geometry.mesh import TriMesh, make, triangle_normals, weld
from ..geometry.rotations import rotation_matrix
from .build import Resolve, no_files, raw_mesh, shape_mesh
from .patches import sheet_of, split
from .pieces import Pieces
from .tiers import break_mesh

LUMP = 2.5
"""Size of what a soft body tears into, in cubes of its lattice."""
MOST_LUMPS = 200


def line_points(shape: LineShape) -> Array:
    """Vertices (V, 3) of a line: its points, or as many equal steps along it as it is divided into."""
    points = np.asarray(shape.points, float)
    if shape.segments is None:
        return points
    at = np.concatenate([[0.0], np.cumsum(lengths(np.diff(points, axis=0)))])
    return np.stack([np.interp(np.linspace(0, at[-1], shape.segments + 1), at, points[:, c]) for c in range(3)], axis=1)


def deforming_mesh(body: Body, resolve: Resolve = no_files) -> TriMesh:
    """The drawn mesh of a body that deforms, in its own frame; of a line, vertices without faces.

    Raises GeometryError where soft matter is not a solid, or cloth has no face with an area.
    """
    scale = np.asarray(body.place.scale)
    if isinstance(body.shape, LineShape):
        return make(line_points(body.shape) * scale, np.zeros((0, 3), np.int32))
    if body.matter.kind == "soft":
        return shape_mesh(body, resolve)
    plain = isinstance(body.shape, SheetShape) and not body.steps
    if body.matter.kind == "rope" and not plain:
        return weld(raw_mesh(body, resolve))
    if isinstance(body.shape, SheetShape) and plain:
        flat = primitives.flat_sheet(body.shape.size, body.shape.divisions)
        return make(flat.vertices * scale, flat.faces)
    mesh = weld(raw_mesh(body, resolve))
    corner = mesh.vertices[mesh.faces]
    double = lengths(cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]))
    used, faces = np.unique(mesh.faces[double > 1e-12 * mesh.size() ** 2], return_inverse=True)
    if not len(used):
        raise GeometryError(f"{body.name} has no triangle with an area, so that it cannot be cloth", where=body.name)
    return make(mesh.vertices[used], faces.reshape(-1, 3))


def rope_segments(body: Body, mesh: TriMesh) -> Index:
    """Segments (G, 2) int32 of a rope: of a line in order, of a mesh its edges, of a plain sheet those of its grid."""
    if isinstance(body.shape, LineShape):
        first = np.arange(len(mesh.vertices) - 1)
        return np.stack([first, first + 1], axis=1).astype(np.int32)
    faces = mesh.faces
    edges = np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])
    edges = np.unique(np.sort(edges, axis=1), axis=0)
    if isinstance(body.shape, SheetShape) and not body.steps:
        way = np.abs(mesh.vertices[edges[:, 1]] - mesh.vertices[edges[:, 0]])
        edges = edges[(way > 1e-9 * mesh.size()).sum(axis=1) == 1]  # without the diagonals: meshes are square
    return edges.astype(np.int32)


def as_it_tears(body: Body, mesh: TriMesh) -> Body:
    """A soft body that can tear, with the lumps it tears into as its pattern; any other body as it is."""
    matter = body.matter
    if not isinstance(matter, SoftMatter) or matter.tear is None or body.pattern is not None:
        return body
    low, high = mesh.bounds()
    lump = LUMP * float((high - low).max()) / matter.detail
    count = int(np.clip(round(signed_volume(mesh) / lump**3), 2, MOST_LUMPS))
    pattern = CellsPattern(count=count, even=0.5, seed=1)
    out = body.model_copy(update={"pattern": pattern, "breaks": [], "bonds": Bonds(strength=matter.tear)})
    out._factor, out._group = body._factor, body._group
    return out


def soft_pieces(body: Body, mesh: TriMesh) -> Pieces | None:
    """The pieces of a soft body, in its own scaled frame; None where it is whole."""
    body = as_it_tears(body, mesh)
    return None if body.pattern is None else break_mesh(mesh, body.pattern, body.breaks, name=body.name)


@dataclass(frozen=True)
class Surface:
    """What is drawn of a body that deforms: pieces have vertices of their own.

    vertices : (V, 3) float64, [m], own scaled frame, at rest
    faces    : (F, 3) int32, of drawn vertices
    lines    : (G, 2) int32, segments of a rope; none of others
    pieces   : those that its pattern makes, None without one
    piece    : (V,) int32, to which of them each vertex belongs; (0,) without
    opening  : (V, 3) float64, [m], where the vertices stand at the start, where that is elsewhere
    """

    vertices: Array
    faces: Index
    lines: Index
    pieces: Pieces | None = None
    piece: Index = field(default_factory=lambda: np.zeros(0, np.int32))
    opening: Array | None = None

    @property
    def parts(self) -> int:
        """How many pieces it is in."""
        return 1 if self.pieces is None else self.pieces.count

    @property
    def start(self) -> Array:
        """Where its vertices (V, 3) stand at the start, own scaled frame [m]."""
        return self.vertices if self.opening is None else self.opening


SURFACE_FORMAT = 2
"""Part of every key of a surface: grows when the same description would be drawn otherwise."""

SurfaceOf = Callable[[Body], Surface]
"""Where surfaces of bodies that deform are had from."""


def opening_points(body: Body, text: str, count: int) -> Array:
    """Places (count, 3) of an opening shape, in the body's own scaled frame [m].

    Raises InputError where it was made for another number of vertices.
    """
    points = np.frombuffer(base64.b64decode(text), "<f4").reshape(-1, 3).astype(float)
    if len(points) != count:
        raise InputError(
            f"{body.name} opens in a shape of {len(points)} vertices, but has {count} now; let it settle again, or "
            f"let it open as it is made",
            where=f"{body.name}.opening",
        )
    return points * np.asarray(body.place.scale)


def opening_text(body: Body, x: Array) -> str:
    """An opening shape as the document keeps it; x (V, 3) float64, [m], world."""
    place = body.place
    local = (x - np.asarray(place.position)) @ rotation_matrix(place.rotation)
    local /= body.factor * np.asarray(place.scale)
    return base64.b64encode(local.astype("<f4").tobytes()).decode()


class Drawable(Protocol):
    """What has faces and lines of drawn vertices."""

    @property
    def faces(self) -> Index: ...
    @property
    def lines(self) -> Index: ...


def shapes(surfaces: Mapping[str, Drawable]) -> dict[str, Index]:
    """Faces and lines of bodies that deform, by the names that a bake gives them."""
    out = {f"faces/{name}": surface.faces for name, surface in surfaces.items() if len(surface.faces)}
    return out | {f"lines/{name}": surface.lines for name, surface in surfaces.items() if len(surface.lines)}


def drawn_surface(body: Body, resolve: Resolve = no_files) -> Surface:
    """What is drawn of a body that deforms, as it rests and as it opens. Raises as deforming_mesh, where its pattern
    cannot be, and where its opening shape is another's.
    """
    out = _at_rest(body, resolve)
    if body.opening is None:
        return out
    text = body.opening.drawn if body.matter.kind == "soft" else body.opening.points
    return replace(out, opening=opening_points(body, text or body.opening.points, len(out.vertices)))


def _at_rest(body: Body, resolve: Resolve) -> Surface:
    mesh, none = deforming_mesh(body, resolve), np.zeros((0, 2), np.int32)
    vertices, faces = mesh.vertices, mesh.faces
    if isinstance(body.matter, RopeMatter):
        faces, lines = np.zeros((0, 3), np.int32), rope_segments(body, mesh)
        if body.matter.breaks is not None and len(lines) > 1:
            origin, own = split(lines, np.arange(len(lines)))
            return Surface(vertices[origin], faces, own.astype(np.int32))
        return Surface(vertices, faces, lines)
    if body.matter.kind == "soft":
        pieces = soft_pieces(body, mesh)
        return (
            Surface(vertices, faces, none)
            if pieces is None
            else Surface(pieces.vertices, pieces.own_faces(), none, pieces, _of_vertices(pieces))
        )
    if body.pattern is None and getattr(body.matter, "tear", None) is None:
        return Surface(vertices, faces, none)
    sheet = sheet_of(body, mesh)
    out = Surface(vertices[sheet.origin], sheet.faces.astype(np.int32), none)
    if body.pattern is None:
        return out
    piece = np.zeros(len(sheet.origin), np.int32)
    piece[sheet.faces] = sheet.patch[:, None]
    return replace(out, pieces=sheet.patches, piece=piece)


def _of_vertices(pieces: Pieces) -> Index:
    """The piece of every vertex."""
    return np.repeat(np.arange(pieces.count, dtype=np.int32), np.diff(pieces.vertex_start))


def surface_key(body: Body) -> str:
    """Hash of all that decides the drawn surface of a body that deforms."""
    matter = body.matter
    what = {
        "format": SURFACE_FORMAT,
        "shape": body.shape.model_dump(mode="json"),
        "steps": [s.model_dump(mode="json") for s in body.steps],
        "scale": body.place.scale,
        "matter": matter.kind,
        "parts": [getattr(matter, name, None) is not None for name in ("tear", "breaks")],
        "detail": getattr(matter, "detail", None) if getattr(matter, "tear", None) is not None else None,
        "pattern": body.pattern.model_dump(mode="json") if body.pattern else None,
        "breaks": [b.model_dump(mode="json") for b in body.breaks] if body.pattern else [],
    }
    if body.opening is not None:
        what["opening"] = body.opening.model_dump(mode="json")
    return hashlib.sha256(json.dumps(what, sort_keys=True).encode()).hexdigest()[:40]


def mass_of(body: Body, surface: Surface) -> float:
    """Mass [kg] of a body that deforms, before its size in a group."""
    if body.material.mass is not None:
        return body.material.mass
    mesh = TriMesh(surface.vertices, surface.faces)
    if isinstance(body.matter, ClothMatter):
        return body.matter.weight * float(triangle_normals(mesh)[1].sum())
    if isinstance(body.matter, RopeMatter):
        ends = surface.vertices[surface.lines]
        long = float(lengths(ends[:, 1] - ends[:, 0]).sum())
        return body.material.density * np.pi * body.matter.radius**2 * long
    return body.material.density * signed_volume(mesh)
