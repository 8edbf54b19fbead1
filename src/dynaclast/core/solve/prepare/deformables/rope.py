"""Ropes: lines, and the edges of meshes."""

from __future__ import annotations

import numpy as np

from ....arrays import lengths
from ....document import Body, LineShape, RopeMatter
from ....fracture.build import Resolve
from ....fracture.deforming import deforming_mesh, rope_segments
from ....fracture.patches import split
from ...deformable.bending import vertex_normals
from ...deformable.tables import Solver
from .part import Part, placed_at_size
from .splitting import rope_seams
from .weights import Weights


def rope(body: Body, matter: RopeMatter, weights: Weights, resolve: Resolve) -> Part:
    """A line, or the edges of a mesh, each once."""
    section = np.pi * matter.radius**2
    mesh = deforming_mesh(body, resolve)
    local, faces = mesh.vertices, mesh.faces
    solver = Solver.CHAIN if isinstance(body.shape, LineShape) else Solver.LEVELS
    segment = rope_segments(body, mesh)
    x = placed_at_size(body, local)
    length = lengths(x[segment[:, 1]] - x[segment[:, 0]])
    density = body.material.density_for(section * float(length.sum()))
    normal = vertex_normals(x, faces) if len(faces) else np.tile([0.0, 1.0, 0.0], (len(x), 1))
    seams, origin = None, None
    if matter.breaks is not None and len(segment) > 1:
        origin, own = split(segment, np.arange(len(segment)))
        seams = rope_seams(segment, own, x, 1000.0 * matter.breaks)
        segment = own
        x, normal, faces = x[origin], normal[origin], np.zeros((0, 3), np.int32)
    mass = np.zeros(len(x))
    for k in range(2):
        np.add.at(mass, segment[:, k], 0.5 * density * section * length)
    bends = matter.bending > 0 and solver == Solver.CHAIN
    return Part(
        x,
        normal,
        mass,
        matter.radius * weights("thickness", x),
        solver,
        faces,
        bending=matter.bending * weights("stiffness", x) if bends else None,
        segment=segment.astype(np.int32),
        length=length,
        pull=1000.0 * matter.young * section / length * weights("stiffness", 0.5 * x[segment].sum(axis=1)),
        seams=seams and seams.weighted(weights),
        origin=origin,
    )
