"""Cloth: the triangles of a mesh."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ....arrays import Array, cross, lengths
from ....document import Body, ClothMatter
from ....fracture.build import Resolve
from ....fracture.deforming import deforming_mesh
from ....fracture.patches import sheet_of
from ....geometry.rotations import rotation_matrix
from ...deformable.bending import vertex_normals
from ...deformable.membrane import ascending, membrane_stiffness
from ...deformable.tables import Solver
from .part import Part, placed_at_size
from .splitting import cloth_seams
from .weights import Weights


def cloth(body: Body, matter: ClothMatter, weights: Weights, resolve: Resolve) -> Part:
    """The triangles of a body's mesh. Raises GeometryError where there is none with an area."""
    mesh = deforming_mesh(body, resolve)
    x, faces = placed_at_size(body, mesh.vertices), mesh.faces
    turn = rotation_matrix(body.place.rotation)
    normals = vertex_normals(x, faces)
    seams, drawn = None, faces
    low = ascending(faces)
    corner = x[low]
    normal = cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    area = 0.5 * lengths(normal)
    normal /= 2 * area[:, None]
    warp = in_plane(turn[:, 0], normal)
    steep = lengths(warp) < 0.3  # nearly across the first axis: by the third
    warp[steep] = in_plane(turn[:, 2], normal)[steep]
    warp /= lengths(warp)[:, None]
    stiff = 1000.0 * weights("stiffness", corner.mean(axis=1))
    along = np.repeat(matter.stretch * stiff[:, None], 2, axis=1)
    length2, stiffness = membrane_stiffness(corner, warp, along, matter.shear * stiff)
    if body.pattern is not None or matter.tear is not None:
        sheet = sheet_of(body, mesh)
        at_size = replace(sheet.patches, bond_area=body.factor * sheet.patches.bond_area)
        tear = None if matter.tear is None else 1000.0 * matter.tear
        seams = cloth_seams(body, replace(sheet, patches=at_size), faces, x, tear)
        drawn, x, normals = sheet.faces, x[sheet.origin], normals[sheet.origin]
        low = np.take_along_axis(drawn, np.argsort(faces, axis=1), axis=1)
    mass = np.zeros(len(x))
    np.add.at(mass, low.ravel(), np.repeat(area * matter.weight / 3, 3))
    if body.material.mass is not None:
        mass *= body.material.mass / mass.sum()
    return Part(
        x,
        normals,
        mass,
        0.5 * matter.thickness * weights("thickness", x),
        Solver.LEVELS,
        drawn.astype(np.int32),
        bending=matter.bending * weights("stiffness", x) if matter.bending > 0 else None,
        triangle=low.astype(np.int32),
        length2=length2,
        stiffness=stiffness,
        seams=seams and seams.weighted(weights),
    )


def in_plane(axis: Array, normal: Array) -> Array:
    """An axis (3,) without what of it is along each normal (T, 3)."""
    return axis - (normal @ axis)[:, None] * normal
