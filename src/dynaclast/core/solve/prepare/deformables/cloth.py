"""Cloth: the triangles of a mesh."""

from __future__ import annotations

import numpy as np
from scipy import sparse

from ....arrays import Array
from ....document import Body, ClothMatter
from ....fracture.build import Resolve
from ....fracture.deforming import deforming_mesh
from ....geometry.rotations import rotation_matrix
from ...deformable.bending import bending_matrix, curved_rest, vertex_normals
from ...deformable.membrane import ascending, membrane_stiffness
from ...deformable.tables import Solver
from .part import Part, placed_at_size


def cloth(body: Body, matter: ClothMatter, resolve: Resolve) -> Part:
    """The triangles of a body's mesh. Raises GeometryError where there is none with an area."""
    mesh = deforming_mesh(body, resolve)
    x, faces = placed_at_size(body, mesh.vertices), mesh.faces
    turn = rotation_matrix(body.place.rotation)
    low = ascending(faces)
    corner = x[low]
    normal = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    area = 0.5 * np.linalg.norm(normal, axis=1)
    normal /= 2 * area[:, None]
    warp = in_plane(turn[:, 0], normal)
    steep = np.linalg.norm(warp, axis=1) < 0.3  # nearly across the first axis: by the third
    warp[steep] = in_plane(turn[:, 2], normal)[steep]
    warp /= np.linalg.norm(warp, axis=1)[:, None]
    along = np.full((len(low), 2), 1000.0 * matter.stretch)
    length2, stiffness = membrane_stiffness(corner, warp, along, np.full(len(low), 1000.0 * matter.shear))
    mass = np.zeros(len(x))
    np.add.at(mass, low.ravel(), np.repeat(area * matter.weight / 3, 3))
    if body.material.mass is not None:
        mass *= body.material.mass / mass.sum()
    count = len(x)
    bends = matter.bending > 0
    return Part(
        x,
        vertex_normals(x, faces),
        mass,
        0.5 * matter.thickness,
        Solver.LEVELS,
        bending_matrix(x, faces, matter.bending) if bends else sparse.csr_matrix((count, count)),
        np.concatenate([low[:, [0, 1]], low[:, [0, 2]], low[:, [1, 2]]]),
        faces.astype(np.int32),
        triangle=low,
        length2=length2,
        stiffness=stiffness,
        curves=curved_rest(x, faces, matter.bending) if bends else None,
    )


def in_plane(axis: Array, normal: Array) -> Array:
    """An axis (3,) without what of it is along each normal (T, 3)."""
    return axis - (normal @ axis)[:, None] * normal
