"""The surface of a body that deforms: what its vertices are, and what is drawn and exported of it."""

from __future__ import annotations

import numpy as np

from ..arrays import Array
from ..document import Body, LineShape, SheetShape
from ..errors import GeometryError
from ..geometry import primitives
from ..geometry.mesh import TriMesh, make, weld
from .build import Resolve, no_files, raw_mesh, shape_mesh


def line_points(shape: LineShape) -> Array:
    """Vertices (V, 3) of a line: its points, or as many equal steps along it as it is divided into."""
    points = np.asarray(shape.points, float)
    if shape.segments is None:
        return points
    at = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
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
    if body.matter.kind == "rope":
        return weld(raw_mesh(body, resolve))
    if isinstance(body.shape, SheetShape) and not body.steps:
        flat = primitives.flat_sheet(body.shape.size, body.shape.divisions)
        return make(flat.vertices * scale, flat.faces)
    mesh = weld(raw_mesh(body, resolve))
    corner = mesh.vertices[mesh.faces]
    double = np.linalg.norm(np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]), axis=1)
    used, faces = np.unique(mesh.faces[double > 1e-12 * mesh.size() ** 2], return_inverse=True)
    if not len(used):
        raise GeometryError(f"{body.name} has no triangle with an area, so that it cannot be cloth", where=body.name)
    return make(mesh.vertices[used], faces.reshape(-1, 3))
