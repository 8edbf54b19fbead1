"""Ropes: lines, and the edges of meshes."""

from __future__ import annotations

import numpy as np
from scipy import sparse

from ....document import Body, LineShape, RopeMatter
from ....fracture.build import Resolve
from ....fracture.deforming import deforming_mesh
from ...deformable.bending import chain_bending, vertex_normals
from ...deformable.tables import Solver
from .part import Part, placed_at_size


def rope(body: Body, matter: RopeMatter, resolve: Resolve) -> Part:
    """A line, or the edges of a mesh, each once."""
    section = np.pi * matter.radius**2
    mesh = deforming_mesh(body, resolve)
    local, faces = mesh.vertices, mesh.faces
    if isinstance(body.shape, LineShape):
        solver = Solver.CHAIN
        segment = np.stack([np.arange(len(local) - 1), np.arange(1, len(local))], axis=1)
    else:
        solver = Solver.LEVELS
        segment = np.unique(
            np.sort(np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), axis=1), axis=0
        )
    x = placed_at_size(body, local)
    length = np.linalg.norm(x[segment[:, 1]] - x[segment[:, 0]], axis=1)
    density = body.material.density_for(section * float(length.sum()))
    mass = np.zeros(len(x))
    for k in range(2):
        np.add.at(mass, segment[:, k], 0.5 * density * section * length)
    bends = matter.bending > 0 and solver == Solver.CHAIN
    normal = vertex_normals(x, faces) if len(faces) else np.tile([0.0, 1.0, 0.0], (len(x), 1))
    return Part(
        x,
        normal,
        mass,
        matter.radius,
        solver,
        chain_bending(length, matter.bending) if bends else sparse.csr_matrix((len(x), len(x))),
        segment,
        faces,
        segment=segment.astype(np.int32),
        length=length,
        pull=1000.0 * matter.young * section / length,
    )
