"""Volume, centre of mass and inertia of closed meshes.

Source: Mirtich 1996, "Fast and accurate computation of polyhedral mass properties"
(doi 10.1080/10867651.1996.10487458); here by the equivalent sum over signed tetrahedra from a
point near the mesh, which is shorter and, taken from the mesh's own middle, as exact.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..arrays import Array, Index, cross, sums
from .mesh import TriMesh

UNSOUND = 1e-6
"""Below this share of the largest, no inertia about an axis is that of a solid."""


@dataclass(frozen=True)
class MassProperties:
    """Of a solid of density 1.

    volume  : float, [m3]
    center  : (3,) float64, centre of mass [m], in the mesh's frame
    inertia : (3, 3) float64, about the centre, [m5] (times density: kg m2)
    """

    volume: float
    center: Array
    inertia: Array


def signed_volume(mesh: TriMesh) -> float:
    """Volume [m3]; negative if the faces look inwards."""
    origin = mesh.vertices.mean(axis=0) if len(mesh.vertices) else np.zeros(3)
    a, b, c = (mesh.vertices[mesh.faces[:, k]] - origin for k in range(3))
    return float(np.einsum("ij,ij->i", a, cross(b, c)).sum() / 6.0)


def mass_properties(mesh: TriMesh) -> MassProperties:
    """Mass properties of a closed mesh with outward faces."""
    ends = np.array([0, len(mesh.vertices)]), np.array([0, len(mesh.faces)])
    volume, center, inertia = _integrals(mesh.vertices, mesh.faces, *ends)
    return MassProperties(float(volume[0]), center[0], inertia[0])


def _integrals(vertices: Array, faces: Index, vertex_start: Index, face_start: Index) -> tuple[Array, Array, Array]:
    """Arguments and what is returned as of ``mass_properties_of_many``, whatever comes of it."""
    count = len(face_start) - 1
    own = np.repeat(np.arange(count), np.diff(face_start))
    of = np.repeat(np.arange(count), np.diff(vertex_start))
    origin = sums(vertices, of, count) / np.diff(vertex_start)[:, None]
    a, b, c = (vertices[faces[:, k]] - origin[own] for k in range(3))
    vol = np.einsum("ij,ij->i", a, cross(b, c)) / 6.0
    volume = sums(vol, own, count)
    s = a + b + c
    center = sums(vol[:, None] * s, own, count) / np.where(volume == 0.0, 1.0, 4.0 * volume)[:, None]
    # each by itself and in order, so that what is opposite in a mesh that is alike on both sides cancels to the bit
    products = (((vol[:, None] * p)[:, :, None] * p[:, None, :]).reshape(-1, 9) for p in (a, b, c, s))
    second = np.asarray(sum(sums(x, own, count) for x in products)).reshape(-1, 3, 3) / 20.0
    second = second - volume[:, None, None] * center[:, :, None] * center[:, None, :]
    inertia = np.trace(second, axis1=1, axis2=2)[:, None, None] * np.eye(3) - second
    return volume, center + origin, inertia


def mass_properties_of_many(
    vertices: Array, faces: Index, vertex_start: Index, face_start: Index
) -> tuple[Array, Array, Array]:
    """Volume (P,), centre (P, 3) and inertia (P, 3, 3) of closed meshes, as of ``sound_mass_properties``, all at once.

    vertices     : (V, 3) float64, [m], of one mesh after the other; vertex_start (P + 1,) int
    faces        : (F, 3) int, of one mesh after the other, by vertices of all; face_start (P + 1,) int
    """
    volume, center, inertia = _integrals(vertices, faces, vertex_start, face_start)
    least, _, most = np.linalg.eigvalsh(inertia).T
    for p in np.flatnonzero((volume <= 0.0) | (least <= UNSOUND * most)):
        corners = slice(vertex_start[p], vertex_start[p + 1])
        mesh = TriMesh(vertices[corners], faces[face_start[p] : face_start[p + 1]] - vertex_start[p])
        found = sound_mass_properties(mesh)
        volume[p], center[p], inertia[p] = found.volume, found.center, found.inertia
    return volume, center, inertia


def combine(masses: Array, centers: Array, inertias: Array) -> tuple[float, Array, Array]:
    """Mass, centre and inertia of rigidly joined parts (parallel-axis theorem).

    masses (n,), centers (n, 3), inertias (n, 3, 3) about each centre -> total, (3,), (3, 3).
    """
    total = float(masses.sum())
    center = (masses[:, None] * centers).sum(axis=0) / total
    r = centers - center
    shift = np.einsum("ij,ij->i", r, r)[:, None, None] * np.eye(3) - np.einsum("ij,ik->ijk", r, r)
    return total, center, inertias.sum(axis=0) + (masses[:, None, None] * shift).sum(axis=0)


def sound_mass_properties(mesh: TriMesh) -> MassProperties:
    """Mass properties that no solver stumbles over: where a mesh crosses itself so that its inertia is not positive,
    those of its convex hull, brought to the mesh's own volume.
    """
    found = mass_properties(mesh)
    if found.volume > 0.0:
        low, _, high = np.linalg.eigvalsh(found.inertia)
        if low > UNSOUND * high:
            return found
    from scipy.spatial import ConvexHull, QhullError

    try:
        hull = ConvexHull(mesh.vertices)
    except QhullError:
        return found
    faces = hull.simplices.copy()
    tri = mesh.vertices[faces]
    inward = np.einsum("ij,ij->i", cross(tri[:, 1] - tri[:, 0], tri[:, 2] - tri[:, 0]), hull.equations[:, :3]) < 0
    faces[inward] = faces[inward][:, ::-1]
    outer = mass_properties(TriMesh(mesh.vertices, faces.astype(np.int32)))
    share = found.volume / outer.volume if found.volume > 0.0 else 1.0
    return MassProperties(share * outer.volume, outer.center, share * outer.inertia)
