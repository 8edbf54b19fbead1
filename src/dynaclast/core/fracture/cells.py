"""The cells pattern: convex cells of scattered seeds, cut out of the solid exactly.

The cells are the Voronoi cells of points drawn evenly inside the mesh (SciPy, Qhull); each is intersected with the
solid by manifold3d, whose result is closed and says which triangles are original skin. A cell that falls into
several parts becomes several pieces.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import manifold3d
import numpy as np
from scipy.spatial import Voronoi, cKDTree

from ..errors import GeometryError
from ..geometry.inside import scatter_inside
from ..geometry.mesh import Array, TriMesh, make, triangle_normals
from .pieces import Pieces, collect, whole
from .sharing import shared_faces

Progress = Callable[[float], None]


def _as_manifold(mesh: TriMesh, name: str) -> manifold3d.Manifold:
    out = manifold3d.Manifold(manifold3d.Mesh64(mesh.vertices, mesh.faces.astype(np.uint64))).as_original()
    if out.status() != manifold3d.Error.NoError or out.is_empty():
        raise GeometryError(f"{name} cannot be broken: it is not a clean closed solid ({out.status().name})", where=name)
    return out


def _as_mesh(part: manifold3d.Manifold, source_id: int) -> tuple[TriMesh, np.ndarray]:
    """The triangles of a manifold and which of them stem from the source's surface."""
    raw = part.to_mesh64()
    skin = np.zeros(len(raw.tri_verts), bool)
    index, ids = np.asarray(raw.run_index) // 3, np.asarray(raw.run_original_id)
    for run, original in enumerate(ids):
        if original == source_id:
            skin[index[run] : index[run + 1]] = True
    mesh = make(np.asarray(raw.vert_properties)[:, :3], raw.tri_verts)
    # the renderer's mesh may repeat vertices along runs; the merge list joins them again
    frm, to = np.asarray(raw.merge_from_vert, dtype=np.int64), np.asarray(raw.merge_to_vert, dtype=np.int64)
    if len(frm):
        target = np.arange(len(mesh.vertices))
        target[frm] = to
        used, inverse = np.unique(target[mesh.faces], return_inverse=True)
        mesh = make(mesh.vertices[used], inverse.reshape(-1, 3))
    return mesh, skin


def _regions(seeds: Array, lo: Array, hi: Array) -> list[Array]:
    """Corner points of every seed's cell; far guard points make all of them finite."""
    mid, reach = (lo + hi) / 2, np.linalg.norm(hi - lo)
    guard = mid + 6.0 * reach * np.array([[x, y, z] for x in (-1, 0, 1) for y in (-1, 0, 1) for z in (-1, 0, 1) if x or y or z])
    vor = Voronoi(np.concatenate([seeds, guard]))
    return [vor.vertices[vor.regions[vor.point_region[i]]] for i in range(len(seeds))]


def break_into_cells(mesh: TriMesh, count: int, seed: int, *, name: str = "the mesh", progress: Progress | None = None) -> Pieces:
    """Break a solid into ``count`` cells (a cell in several parts counts as several pieces).

    mesh   : a closed, outward-facing mesh (``geometry.check.solid``)
    seed   : names the scatter; the same seed gives the same pieces
    Raises : GeometryError if the mesh is not a clean solid or the cells do not fill it
    """
    source = _as_manifold(mesh, name)
    source_id = source.original_id()
    lo, hi = mesh.bounds()
    seeds = scatter_inside(mesh, count, np.random.default_rng([seed, 101]))
    meshes: list[TriMesh] = []
    skins: list[np.ndarray] = []
    cell_of: list[int] = []
    for cell, corners in enumerate(_regions(seeds, lo, hi)):
        cut = manifold3d.Manifold.hull_points(np.ascontiguousarray(corners)) ^ source
        for part in cut.decompose():
            if part.is_empty() or part.volume() <= 0.0:
                continue
            part_mesh, skin = _as_mesh(part, source_id)
            meshes.append(part_mesh)
            skins.append(skin)
            cell_of.append(cell)
        if progress and cell % 16 == 0:
            progress(cell / count)
    pieces = collect(meshes, skins)
    total = abs(source.volume())
    if abs(pieces.volume.sum() - total) > 1e-6 * total:
        raise GeometryError(f"{name} cannot be broken exactly: the pieces add up to {pieces.volume.sum():.6g} m3 of {total:.6g} m3", where=name)
    if pieces.count == 1:
        return whole(mesh)
    return _with_bonds(pieces, np.array(cell_of), seeds, mesh.size())


def _with_bonds(pieces: Pieces, cell_of: np.ndarray, seeds: Array, size: float) -> Pieces:
    """Find the faces pieces share.

    A cut face lies in the plane between two seeds, so the two seeds nearest to a point of it name its two cells.
    """
    cut = np.flatnonzero(~pieces.skin)
    piece = np.searchsorted(pieces.face_start, cut, side="right") - 1
    corners = pieces.vertices[pieces.faces[cut] + pieces.vertex_start[piece][:, None]]
    nearest = cKDTree(seeds).query(corners.mean(axis=1), k=2)[1]
    own = cell_of[piece]
    other = np.where(nearest[:, 0] == own, nearest[:, 1], nearest[:, 0])
    pair, area, center = shared_faces(corners, piece, own, other, len(seeds))
    keep = area > 1e-10 * size * size
    return replace(pieces, bond_piece=pair[keep], bond_area=area[keep], bond_center=center[keep])


def cut_normals(pieces: Pieces) -> Array:
    """Unit normals (F, 3) of all piece triangles, for display."""
    faces = pieces.faces + np.repeat(pieces.vertex_start[:-1], np.diff(pieces.face_start))[:, None]
    return triangle_normals(TriMesh(pieces.vertices, faces))[0]
