"""Soft bodies: a lattice of cubes round a mesh."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import trimesh
from scipy.spatial import cKDTree

from ....arrays import Array, Index, sums
from ....document import Body, SoftMatter
from ....errors import InputError
from ....fracture.build import Resolve
from ....fracture.deforming import as_it_tears, deforming_mesh, soft_pieces
from ....fracture.patches import split
from ....geometry.inside import inside
from ....geometry.mass import signed_volume
from ....geometry.mesh import TriMesh, creased, make
from ...deformable.lattice import BOUND, VISCOUS_BOUND, boundary, lame, shape_gradients, stiffness_bound, tetrahedra_of
from ...deformable.tables import Solver
from .part import Part, carried_by, max_sides, placed_at_size
from .splitting import corner_of, solid_seams, torn_by_stress
from .weights import Weights

MOST_CELLS = 1_000_000
MOST_POINTS = 20_000
"""A soft body touches by no more than about so many points of its surface."""
LEAST_FULL = 0.05
"""A cube counts as full by at least so much."""
HELD_BACK = 0.05
"""Share of its mass that a soft body may seem to have more when it deforms slowly."""
MOST_SOLUTIONS = 16


def soft(body: Body, matter: SoftMatter, weights: Weights, resolve: Resolve) -> Part:
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
    grid = Grid(low, edge, count)
    pieces = soft_pieces(body, mesh)
    solids = [mesh] if pieces is None else [pieces.mesh(p) for p in range(pieces.count)]
    filled = [_fill(grid, solid) for solid in solids]
    cells = np.concatenate([c for c, _ in filled])
    full = np.concatenate([f for _, f in filled])
    piece = np.repeat(np.arange(len(solids)), [len(c) for c, _ in filled])
    corner, grid_tets = tetrahedra_of(cells)
    origin, flat = split(grid_tets.reshape(-1, 4), np.repeat(piece, 6))
    tets = flat.reshape(-1, 6, 4)
    local = (low + corner * edge)[origin]
    x = placed_at_size(body, local)
    gradient, volume = shape_gradients(x, flat)
    volume = volume * np.repeat(full, 6)
    mass = np.zeros(len(x))
    np.add.at(mass, flat.ravel(), np.repeat(0.25 * _true_masses(body, solids, np.repeat(piece, 6), volume), 4))
    stiff = weights("stiffness", x[tets.reshape(-1, 24)].mean(axis=1))
    mu, lam = (m * stiff for m in lame(1000.0 * matter.young, matter.poisson))
    fine_mu, fine_lam = np.repeat(mu, 6), np.repeat(lam, 6)
    carrier, weight, touch, share, skin, outside, many = [], [], [], [], [np.zeros((0, 3), int)], [], 0
    for p, solid in enumerate(solids):
        lattice = Lattice(grid, cells[piece == p], local, tets[piece == p])
        own, part_of = _embed(solid.vertices, lattice)
        carrier.append(own)
        weight.append(part_of)
        dense = _dense_surface(solid if pieces is None else creased(solid), float(edge.max()), len(solids))
        own, part_of = _embed(dense.vertices, lattice)
        if pieces is not None:
            skin.append(dense.faces + many)
        cut = np.zeros(len(solid.faces), bool) if pieces is None else ~pieces.skin_of(p)
        outside.append(dense.faces[~np.repeat(cut, len(dense.faces) // len(cut))] + many)
        many += len(dense.vertices)
        touch.append(own)
        share.append(part_of)
    faces, seams = mesh.faces, None
    if pieces is not None:
        faces = pieces.own_faces()
        own = np.zeros(len(x), int)
        own[flat] = np.repeat(piece, 6)[:, None]
        seams = solid_seams(as_it_tears(body, mesh), pieces.scaled(body.factor), origin, own)
        seams = torn_by_stress(seams, tets) if matter.tear is not None else seams
    once = np.unique(cells, axis=0, return_index=True)[1]
    whole = grid_tets[once].reshape(-1, 4)
    return Part(
        x,
        np.tile([0.0, 1.0, 0.0], (len(x), 1)),
        mass,
        np.zeros(len(x)),
        Solver.FACTOR,
        faces.astype(np.int32),
        tets=tets.astype(np.int32),
        gradient=gradient,
        volume=volume,
        mu=mu,
        lam=lam,
        viscosity=matter.damping * mu,
        bound=stiffness_bound(len(x), flat, gradient, volume * (fine_mu + BOUND * fine_lam)),
        rate=stiffness_bound(len(x), flat, gradient, volume * VISCOUS_BOUND * matter.damping * fine_mu),
        surface=corner_of(whole, tets[once].reshape(-1, 4), *boundary(whole)),
        carrier=np.concatenate(carrier),
        weight=np.concatenate(weight),
        touch=(np.concatenate(touch), np.concatenate(share)),
        skin=np.concatenate(skin).astype(np.int32),
        outside=np.concatenate(outside).astype(np.int32),
        seams=seams and seams.weighted(weights),
    )


def _true_masses(body: Body, solids: list[TriMesh], piece: Index, volume: Array) -> Array:
    """Masses (T,) [kg] of tetrahedra, so that each piece weighs what its solid does: cubes count as full by more than
    they are where little of them is.

    piece : (T,) int, of each; volume (T,) float64, [m3], as it counts
    """
    true = body.factor**3 * np.array([signed_volume(solid) for solid in solids])
    share = true / np.maximum(sums(volume, piece, len(solids)), 1e-300)
    return body.material.density_for(float(true.sum())) * share[piece] * volume


class Grid(NamedTuple):
    """Cubes: low (3,) float64, [m], their corner; edge (3,) float64, [m]; number (3,) int, along each axis."""

    low: Array
    edge: Array
    number: Index


class Lattice(NamedTuple):
    """Cubes of one piece.

    cells : (C, 3) int, places; local (V, 3) float64, [m], vertices of all; tets (C, 6, 4) int
    """

    grid: Grid
    cells: Index
    local: Array
    tets: Index


def _fill(grid: Grid, mesh: TriMesh) -> tuple[Index, Array]:
    """Cubes (C, 3) that a solid lies in, and how full each is (C,)."""
    low, high = mesh.bounds()
    least = np.floor((low - grid.low) / grid.edge - 1e-9).astype(int).clip(0, grid.number - 1)
    most = np.floor((high - grid.low) / grid.edge + 1e-9).astype(int).clip(0, grid.number - 1)
    ranges = [np.arange(a, z + 1) for a, z in zip(least, most, strict=True)]
    cells = np.stack(np.meshgrid(*ranges, indexing="ij"), axis=-1).reshape(-1, 3)
    fine = (np.arange(4) + 0.5) / 4
    sample = np.stack(np.meshgrid(fine, fine, fine, indexing="ij"), axis=-1).reshape(-1, 3)
    at = grid.low + (cells[:, None, :] + sample) * grid.edge
    full = inside(mesh, at.reshape(-1, 3)).reshape(len(cells), -1).mean(axis=1)
    touched = np.floor((mesh.vertices - grid.low) / grid.edge - 1e-9).astype(int).clip(least, most) - least
    keep = full > 0
    keep[np.ravel_multi_index(tuple(touched.T), tuple(most - least + 1))] = True
    return cells[keep], np.maximum(full[keep], LEAST_FULL)


def _dense_surface(mesh: TriMesh, most: float, many: int) -> TriMesh:
    """A surface, one of so many, with points no farther apart along its edges than about so much [m]; the faces of each
    of its own follow one another.
    """
    vertices, faces = mesh.vertices, mesh.faces
    while len(vertices) < MOST_POINTS / many:
        if max_sides(vertices[faces]).max() <= 1.5 * most:
            break
        vertices, faces = trimesh.remesh.subdivide(vertices, faces)
    return make(np.asarray(vertices), np.asarray(faces))


def _embed(points: Array, lattice: Lattice) -> tuple[Index, Array]:
    """The tetrahedron that each point lies in, as vertices (V, 4) and weights (V, 4)."""
    (low, edge, count), cells, local, tets = lattice
    place = np.full(tuple(count), -1)
    place[tuple(cells.T)] = np.arange(len(cells))
    at = np.clip((points - low) / edge, 0, count)
    cell = np.minimum(np.floor(at).astype(int), count - 1)
    own = place[tuple(cell.T)]
    lost = own < 0  # on a border: the nearest cube
    if lost.any():
        tree = cKDTree(cells + 0.5)
        own[lost] = tree.query(at[lost])[1]
    return carried_by(tets[own], local, points)


def solutions(part: Part, step: float) -> int:
    """How many solutions of its constant matrix a soft body needs in a step, so that its slowest way of deforming is
    not held back by more than HELD_BACK.
    """
    if part.solver != Solver.FACTOR:
        return 1
    mu, lam, viscosity = part.mu.mean(), part.lam.mean(), part.viscosity.mean()
    density = part.mass.sum() / part.volume.sum()
    slowest = np.pi / (2.0 * np.ptp(part.x, axis=0).max())
    added = step**2 * (mu + BOUND * lam + VISCOUS_BOUND * viscosity / step) * slowest**2 / density
    return int(np.clip(np.ceil(np.log(HELD_BACK) / np.log(added / (1.0 + added))), 1, MOST_SOLUTIONS))
