"""Sheets broken into patches: every patch is a set of triangles of the mesh, and borders run along its edges."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from scipy import sparse
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from ..arrays import Index, sums
from ..document import Body, BreakStep, ChunksPattern, FacesPattern
from ..errors import InputError
from ..geometry.inside import inside
from ..geometry.mesh import Borders, TriMesh, borders_of, make, triangle_normals
from .patterns import MOST_PIECES, ON_SURFACE, regions
from .pieces import TIERS, Pieces, no_pieces
from .solids import mesh_of
from .tiers import chosen, cluster, not_too_small, refined_seed, tier_of_bonds


def split(element: Index, piece: Index) -> tuple[Index, Index]:
    """Give the pieces of a mesh vertices of their own.

    element : (E, k) int, vertices; piece (E,) int, of each element
    Returns : (V,) int, the vertex of the mesh that each new one comes from: first one for each, ascending, then those
              that more pieces have; (E, k) int, elements by these
    """
    many = int(piece.max(initial=0)) + 1
    key = element.astype(np.int64) * many + piece[:, None]
    own, back = np.unique(key, return_inverse=True)
    origin = own // many
    more = np.concatenate([[False], origin[1:] == origin[:-1]])
    order = np.argsort(more, kind="stable")
    place = np.empty(len(own), np.int64)
    place[order] = np.arange(len(own))
    return origin[order], place[back.reshape(element.shape)]


@dataclass(frozen=True)
class Sheet:
    """A sheet as its pieces have it: its patches, or where it can tear each of its triangles.

    patch  : (F,) int, patch of every triangle; patches : as pieces, as patches gives them
    piece  : (F,) int
    border : edges between triangles
    origin : (V,) int, the vertex of the mesh that each vertex comes from; faces (F, 3) int
    """

    patch: Index
    patches: Pieces
    piece: Index
    border: Borders
    origin: Index
    faces: Index


def sheet_of(body: Body, mesh: TriMesh) -> Sheet:
    """A cloth body's mesh in pieces. Raises as patches."""
    border = borders_of(mesh)
    patch, pieces = patches(body, mesh, border)
    tears = getattr(body.matter, "tear", None) is not None
    piece = np.arange(len(mesh.faces)) if tears else patch
    return Sheet(patch, pieces, piece, border, *split(mesh.faces, piece))


def patches(body: Body, mesh: TriMesh, border: Borders) -> tuple[Index, Pieces]:
    """The patches of a sheet, by its pattern and breaks.

    mesh    : in the body's own scaled frame; border : edges between its triangles
    Returns : (F,) int, patch of every triangle; the patches as pieces, whose bonds have lengths [m] for areas and whose
              sizes are roots of areas
    Raises  : InputError where there would be too many, or a step cannot be carried out; GeometryError where patches are
              smaller than allowed
    """
    if body.pattern is None:
        return np.zeros(len(mesh.faces), int), no_pieces()
    if isinstance(body.pattern, FacesPattern):
        label: Index = np.arange(len(mesh.faces))
    else:
        label = _connected(_regions_of(body.pattern, mesh), border)
    _not_too_many(label, "pattern")
    path = np.full((int(label.max()) + 1, TIERS), -1)
    path[:, 0] = np.arange(len(path))
    out = _gathered(mesh, label, path, border)
    not_too_small(out, body.pattern, "pattern")
    for number, step in enumerate(body.breaks):
        where = f"breaks[{number}]"
        if isinstance(step.pattern, ChunksPattern):
            out = tier_of_bonds(cluster(out, step, mesh, where))
        else:
            label, out = _again(mesh, label, out, step, border, where)
    return label, out


def _not_too_many(label: Index, where: str) -> None:
    if label.max() >= MOST_PIECES:
        raise InputError(
            f"this would give {label.max() + 1} patches; the limit is {MOST_PIECES}. Ask for fewer, or for a coarser "
            f"mesh",
            where=where,
        )


def _regions_of(pattern: object, mesh: TriMesh) -> Index:
    """The region of a pattern that each triangle's middle falls into (F,)."""
    middle = mesh.vertices[mesh.faces].mean(axis=1)
    label: Index = np.full(len(middle), -1, np.int64)
    found, _ = regions(pattern, mesh, ON_SURFACE)
    for number, region in enumerate(found):
        shape, _ = mesh_of(region, -1)
        left = np.flatnonzero(label < 0)
        label[left[inside(shape, middle[left])]] = number
    if (label < 0).all():
        label[:] = 0
    lost, known = np.flatnonzero(label < 0), np.flatnonzero(label >= 0)
    label[lost] = label[known[cKDTree(middle[known]).query(middle[lost])[1]]]
    return label


def _connected(label: Index, border: Borders) -> Index:
    """Labels (F,) of triangles told apart where they do not hang together, from 0 in order of their first triangle."""
    same = label[border.face[:, 0]] == label[border.face[:, 1]]
    a, b = border.face[same].T
    graph = sparse.coo_matrix((np.ones(len(a)), (a, b)), shape=(len(label), len(label)))
    part = connected_components(graph, directed=False)[1]
    _, first, back = np.unique(part, return_index=True, return_inverse=True)
    rank = np.argsort(np.argsort(first))
    return np.asarray(rank[back.reshape(-1)])


def _again(
    mesh: TriMesh, label: Index, pieces: Pieces, step: BreakStep, border: Borders, where: str
) -> tuple[Index, Pieces]:
    """Break chosen patches again."""
    pick = chosen(pieces, step.of, where)
    if pieces.tier[pick].max() >= TIERS:
        raise InputError(
            f"a body has at most {TIERS} tiers, and some of the chosen pieces are on the last", where=f"{where}.of"
        )
    finer = label * np.int64(len(mesh.faces))
    for p in np.flatnonzero(pick):
        own = np.flatnonzero(label == p)
        finer[own] += _regions_of(refined_seed(step.pattern, int(p)), make(mesh.vertices, mesh.faces[own]))
    now = _connected(finer, border)
    _not_too_many(now, f"{where}.pattern")
    of = np.zeros(int(now.max()) + 1, int)
    of[now] = label
    path = pieces.path[of].copy()
    count = np.bincount(of, minlength=pieces.count)
    for p in np.flatnonzero(pick & (count > 1)):
        path[of == p, int((pieces.path[p] >= 0).sum())] = np.arange(count[p])
    out = _gathered(mesh, now, path, border)
    not_too_small(out, step.pattern, f"{where}.pattern")
    return now, out


def _gathered(mesh: TriMesh, label: Index, path: Index, border: Borders) -> Pieces:
    """Patches as pieces, with the lengths along which they meet."""
    area, count = triangle_normals(mesh)[1], len(path)
    whole = sums(area, label, count)
    middle = mesh.vertices[mesh.faces].mean(axis=1)
    center = sums(area[:, None] * middle, label, count)
    pair = np.sort(label[border.face], axis=1)
    between = pair[:, 0] != pair[:, 1]
    joined, back = np.unique(pair[between], axis=0, return_inverse=True)
    back = back.reshape(-1)
    length = sums(border.length[between], back, len(joined))
    mid = 0.5 * mesh.vertices[border.vertex[between]].sum(axis=1) * border.length[between][:, None]
    place = sums(mid, back, len(joined))
    f = np.zeros
    out = replace(
        no_pieces(),
        volume=whole**1.5,
        center=center / np.maximum(whole, 1e-300)[:, None],
        inertia=f((count, 3, 3)),
        path=path.astype(np.int32),
        bond_piece=joined.astype(np.int32).reshape(-1, 2),
        bond_area=length,
        bond_center=place / np.maximum(length, 1e-300)[:, None],
        bond_normal=f((len(joined), 3)),
        bond_second_moment=f((len(joined), 3, 3)),
        bond_tier=np.ones(len(joined), np.uint8),
    )
    return tier_of_bonds(out)
