"""Soft bodies: a lattice of cubes round a mesh."""

from __future__ import annotations

import numpy as np
import trimesh
from scipy.spatial import cKDTree

from ....arrays import Array, Index
from ....document import Body, SoftMatter
from ....errors import InputError
from ....fracture.build import Resolve
from ....fracture.deforming import deforming_mesh
from ....geometry.inside import inside
from ....geometry.mesh import TriMesh
from ...deformable.lattice import BOUND, VISCOUS_BOUND, lame, shape_gradients, stiffness_bound, tetrahedra_of
from ...deformable.tables import Solver
from .part import Part, placed_at_size

MOST_CELLS = 1_000_000
MOST_POINTS = 20_000
"""A soft body touches by no more than about so many points of its surface."""
LEAST_FULL = 0.05
"""A cube counts as full by at least so much."""
HELD_BACK = 0.05
"""Share of its mass that a soft body may seem to have more when it deforms slowly."""
MOST_SOLUTIONS = 16


def soft(body: Body, matter: SoftMatter, resolve: Resolve) -> Part:
    """Cubes that the body's mesh lies in, each counted by how full it is.

    Raises GeometryError for a mesh that is not a solid, InputError for a lattice that is too large.
    """
    mesh = deforming_mesh(body, resolve)
    low, high = mesh.bounds()
    side = float((high - low).max()) / matter.detail
    count = np.maximum(np.ceil((high - low) / side - 1e-6).astype(int), 1)
    if np.prod(count.astype(float)) > MOST_CELLS:
        raise InputError(
            f"the lattice of {body.name} would have {np.prod(count.astype(float)):.3g} cubes; the limit is "
            f"{MOST_CELLS}. Give it less detail",
            where=f"{body.name}.matter.detail",
        )
    edge = (high - low) / count  # cubes are stretched a little, so that the lattice is as long as the body
    cells = np.stack(np.meshgrid(*(np.arange(k) for k in count), indexing="ij"), axis=-1).reshape(-1, 3)
    fine = (np.arange(4) + 0.5) / 4
    sample = np.stack(np.meshgrid(fine, fine, fine, indexing="ij"), axis=-1).reshape(-1, 3)
    at = low + (cells[:, None, :] + sample) * edge
    full = inside(mesh, at.reshape(-1, 3)).reshape(len(cells), -1).mean(axis=1)
    touched = np.floor((mesh.vertices - low) / edge - 1e-9).astype(int).clip(0, count - 1)
    keep = full > 0
    keep[np.ravel_multi_index(tuple(touched.T), tuple(count))] = True
    cells, full = cells[keep], np.maximum(full[keep], LEAST_FULL)
    corner, tets = tetrahedra_of(cells)
    local = low + corner * edge
    x = placed_at_size(body, local)
    flat = tets.reshape(-1, 4)
    gradient, volume = shape_gradients(x, flat)
    volume = volume * np.repeat(full, 6)
    density = body.material.density_for(float(volume.sum()))
    mass = np.zeros(len(x))
    np.add.at(mass, flat.ravel(), np.repeat(0.25 * density * volume, 4))
    mu, lam = lame(1000.0 * matter.young, matter.poisson)
    carrier, weight = _embed(mesh.vertices, low, edge, count, cells, local, tets)
    touch = _embed(_dense_surface(mesh, float(edge.max())), low, edge, count, cells, local, tets)
    return Part(
        x,
        np.tile([0.0, 1.0, 0.0], (len(x), 1)),
        mass,
        0.0,
        Solver.FACTOR,
        stiffness_bound(len(x), flat, gradient, volume * (mu + BOUND * lam)),
        np.zeros((0, 2), int),
        mesh.faces.astype(np.int32),
        tets=tets.astype(np.int32),
        gradient=gradient,
        volume=volume,
        material=(mu, lam, matter.damping * mu),
        rate=stiffness_bound(len(x), flat, gradient, volume * VISCOUS_BOUND * matter.damping * mu),
        carrier=carrier,
        weight=weight,
        touch=touch,
    )


def _dense_surface(mesh: TriMesh, most: float) -> Array:
    """Points of a surface no farther apart along its edges than about so much [m]."""
    vertices, faces = mesh.vertices, mesh.faces
    while len(vertices) < MOST_POINTS:
        corner = vertices[faces]
        if max(np.linalg.norm(corner[:, k] - corner[:, k - 1], axis=1).max() for k in range(3)) <= 1.5 * most:
            break
        vertices, faces = trimesh.remesh.subdivide(vertices, faces)
    return np.asarray(vertices)


def _embed(
    points: Array, low: Array, edge: Array, count: Index, cells: Index, local: Array, tets: Index
) -> tuple[Index, Array]:
    """The tetrahedron that each drawn vertex lies in, as vertices (V, 4) and weights (V, 4)."""
    place = np.full(tuple(count), -1)
    place[tuple(cells.T)] = np.arange(len(cells))
    at = np.clip((points - low) / edge, 0, count)
    cell = np.minimum(np.floor(at).astype(int), count - 1)
    own = place[tuple(cell.T)]
    lost = own < 0  # on a border: the nearest cube
    if lost.any():
        tree = cKDTree(cells + 0.5)
        own[lost] = tree.query(at[lost])[1]
    best = np.full(len(points), -np.inf)
    carrier, weight = np.zeros((len(points), 4), np.int32), np.zeros((len(points), 4))
    for k in range(6):
        vertex = tets[own, k]
        corner = local[vertex]
        edges = np.swapaxes(corner[:, 1:] - corner[:, :1], 1, 2)
        rest = np.linalg.solve(edges, (points - corner[:, 0])[:, :, None])[:, :, 0]
        share = np.concatenate([1 - rest.sum(axis=1, keepdims=True), rest], axis=1)
        better = share.min(axis=1) > best + 1e-12
        best[better] = share.min(axis=1)[better]
        carrier[better], weight[better] = vertex[better], share[better]
    return carrier, weight


def solutions(part: Part, step: float) -> int:
    """How many solutions of its constant matrix a soft body needs in a step, so that its slowest way of deforming is
    not held back by more than HELD_BACK.
    """
    if part.solver != Solver.FACTOR:
        return 1
    mu, lam, viscosity = part.material
    density = part.mass.sum() / part.volume.sum()
    slowest = np.pi / (2.0 * np.ptp(part.x, axis=0).max())
    added = step**2 * (mu + BOUND * lam + VISCOUS_BOUND * viscosity / step) * slowest**2 / density
    return int(np.clip(np.ceil(np.log(HELD_BACK) / np.log(added / (1.0 + added))), 1, MOST_SOLUTIONS))
