"""Exact cutting: meshes as manifold3d solids and back, with every triangle's origin known.

A piece is region ^ source, whose result is closed; each of its triangles says which triangle of the source it stems
from, or that it was cut. So skin stays skin through any number of breaks.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

import manifold3d
import numpy as np

from ..arrays import Array
from ..errors import GeometryError
from ..geometry.crossings import crossing_pairs
from ..geometry.mesh import TriMesh, make

ADDS_UP = 1e-6
"""By what share of its volume the pieces of a solid may differ from it."""
ADDS_UP_CROSSING = 1e-3
"""The same of one whose surface crosses itself, where crumbs are lost."""

Progress = Callable[[float], None]
"""Told the share done; may raise to stop the work."""


def unheard(_share: float) -> None:
    """Progress that nobody wants to hear of."""


def solid_of(mesh: TriMesh, name: str) -> tuple[manifold3d.Manifold, int]:
    """A mesh as an exact solid, and the number its triangles carry through cuts.

    Raises GeometryError if it is not a clean closed solid.
    """
    number = manifold3d.Manifold.reserve_ids(1)
    count = len(mesh.faces)
    raw = manifold3d.Mesh64(
        mesh.vertices.copy(),  # what comes from the store may not be written, which is asked of what is handed in
        mesh.faces.astype(np.uint64),
        run_index=np.array([0, 3 * count], np.uint64),
        run_original_id=np.array([number], np.uint32),
        face_id=np.arange(count, dtype=np.uint64),
    )
    out = manifold3d.Manifold(raw)
    if out.status() != manifold3d.Error.NoError or out.is_empty():
        raise GeometryError(
            f"{name} cannot be broken: it is not a clean closed solid ({out.status().name})", where=name
        )
    return out, number


def mesh_of(part: manifold3d.Manifold, number: int) -> tuple[TriMesh, np.ndarray]:
    """The triangles of a solid and, for each, the source triangle it stems from, or -1 where it was cut."""
    raw = part.to_mesh64()
    origin = np.full(len(raw.tri_verts), -1, np.int64)
    index, ids, face = np.asarray(raw.run_index) // 3, np.asarray(raw.run_original_id), np.asarray(raw.face_id)
    for run, original in enumerate(ids):
        if original == number:
            origin[index[run] : index[run + 1]] = face[index[run] : index[run + 1]]
    mesh = make(np.asarray(raw.vert_properties)[:, :3], raw.tri_verts)
    # the raw mesh may repeat vertices along runs; the merge list joins them again
    frm, to = np.asarray(raw.merge_from_vert, dtype=np.int64), np.asarray(raw.merge_to_vert, dtype=np.int64)
    if len(frm):
        target = np.arange(len(mesh.vertices))
        target[frm] = to
        used, inverse = np.unique(target[mesh.faces], return_inverse=True)
        mesh = make(mesh.vertices[used], inverse.reshape(-1, 3))
    return mesh, origin


def hull(corners: Array) -> manifold3d.Manifold:
    """The convex region of (n, 3) corner points."""
    return manifold3d.Manifold.hull_points(np.ascontiguousarray(corners, dtype=np.float64))


def cut(
    mesh: TriMesh,
    skin: np.ndarray,
    regions: Iterable[manifold3d.Manifold],
    count: int,
    name: str,
    progress: Progress | None,
    of: TriMesh | None = None,
) -> tuple[list[TriMesh], list[np.ndarray]]:
    """The parts of a solid inside each region, in order; a region with several parts gives several.

    skin (F,) bool tells which of the mesh's triangles are original surface; count is the expected number of regions,
    for progress; of is the surface the solid was cut from, if it is a piece itself
    Returns meshes and their skin flags. Raises GeometryError where the parts do not add up to the solid (ADDS_UP of
    its volume, ADDS_UP_CROSSING where its surface, or the one it was cut from, crosses itself).
    """
    source, number = solid_of(mesh, name)
    meshes: list[TriMesh] = []
    skins: list[np.ndarray] = []
    total = 0.0
    for done, region in enumerate(regions):
        if progress and done % 8 == 0:
            progress(done / max(count, 1))
        for part in (region ^ source).decompose():
            volume = part.volume()
            total += volume
            if part.is_empty() or volume <= 0.0:  # a crumb that is inside out, where the surface crosses itself
                continue
            part_mesh, origin = mesh_of(part, number)
            if not len(part_mesh.faces):
                continue
            meshes.append(part_mesh)
            skins.append(np.where(origin >= 0, skin[np.maximum(origin, 0)], False))
    wanted = abs(source.volume())
    off = abs(total - wanted)
    if off > ADDS_UP * wanted and (off > ADDS_UP_CROSSING * wanted or not len(crossing_pairs(of or mesh, 1))):
        raise GeometryError(
            f"{name} cannot be broken exactly: the pieces add up to {total:.6g} m3 of {wanted:.6g} m3", where=name
        )
    return meshes, skins
