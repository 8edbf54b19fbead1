"""What is inside a body that deforms, as it is before a run: its seams, where they lie and how strong they are; the
lattice of a soft body.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import combinations

import numpy as np

from ..arrays import Array, Index
from ..document import Body, Shot
from ..errors import InputError
from ..fracture.build import Resolve, no_files
from ..fracture.deforming import deforming_mesh, soft_pieces
from ..fracture.pieces import Pieces

FLAT = 1e-5
"""How far off a face's plane a vertex may lie, as a share of the body's size."""


@dataclass(frozen=True)
class SeamsSeen:
    """Q seams of one body, between the pieces that its pattern makes.

    piece    : (Q, 2) int32, pieces of the body
    strength : (Q,) float64, [N]; 0 where cut by hand
    size     : (Q,) float64, [m] of cloth, [m2] of soft bodies
    line     : (L, 2) int32, drawn vertices at the ends of lines along them; of (L,) int32, the seam of each
    """

    piece: Index
    strength: Array
    size: Array
    line: Index
    of: Index


def seams_seen(shot: Shot, body: Body, resolve: Resolve = no_files) -> SeamsSeen:
    """The seams of a cloth or soft body of a shot that is broken by a pattern; what tears besides is left out.

    Raises InputError where the body has no pattern, and what making it raises.
    """
    from ..solve.prepare.deformables import part_of  # what it works with takes a while to load

    if body.pattern is None or body.matter.kind not in ("cloth", "soft"):
        raise InputError(f"{body.name} has no seams: break it by a pattern", where=body.name)
    whole = body
    if getattr(body.matter, "tear", None) is not None:
        whole = body.model_copy(update={"matter": body.matter.model_copy(update={"tear": None})})
        whole._factor, whole._group = body._factor, body._group
    seams = part_of(shot, whole, resolve).seams
    assert seams is not None
    line, of = seams.edge, seams.at
    if body.matter.kind == "soft":
        mesh = deforming_mesh(body, resolve)
        pieces = soft_pieces(body, mesh)
        assert pieces is not None
        line, of = _outlines(pieces, seams.piece, FLAT * mesh.size())
    elif getattr(body.matter, "tear", None) is not None:
        line = _of_triangles(body, resolve, line)
    return SeamsSeen(seams.piece, seams.strength, seams.size, line.astype(np.int32), of.astype(np.int32))


def _of_triangles(body: Body, resolve: Resolve, line: Index) -> Index:
    """Vertices of patches as vertices of the triangles that a sheet is drawn in where it can tear."""
    from ..fracture.patches import sheet_of, split

    mesh = deforming_mesh(body, resolve)
    sheet = sheet_of(body, mesh)
    _, by_patch = split(mesh.faces, sheet.patch)
    first = np.zeros(int(by_patch.max()) + 1, np.int64)
    first[by_patch.ravel()[::-1]] = sheet.faces.ravel()[::-1]
    return first[line]


def _outlines(pieces: Pieces, pair: Index, near: float) -> tuple[Index, Index]:
    """Edges (L, 2) of the faces at which pieces are cut, by drawn vertices, and which bond each outlines (L,).

    pair : (Q, 2) int, pieces; near : float, [m]
    """
    bond = {(int(a), int(b)): k for k, (a, b) in enumerate(pieces.bond_piece)}
    lines, of = [np.zeros((0, 2), np.int64)], [np.zeros(0, np.int64)]
    for q, (a, b) in enumerate(pair.tolist()):
        k = bond[min(a, b), max(a, b)] if (min(a, b), max(a, b)) in bond else bond[a, b]
        mesh, first = pieces.mesh(a), int(pieces.vertex_start[a])
        away = np.abs((mesh.vertices - pieces.bond_center[k]) @ pieces.bond_normal[k]) < near
        faces = mesh.faces[away[mesh.faces].all(axis=1)]
        edges = np.sort(np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), axis=1)
        edge, times = np.unique(edges, axis=0, return_counts=True)
        own = edge[times == 1]
        lines.append(own + first)
        of.append(np.full(len(own), q))
    return np.concatenate(lines), np.concatenate(of)


def lattice_edges(body: Body, resolve: Resolve = no_files) -> tuple[Array, int]:
    """Edges (E, 2, 3) of the cubes of a soft body's lattice, where it opens, in its own scaled frame [m]; and how many
    cubes there are. Raises what making it raises.
    """
    from ..solve.prepare.deformables import part_of, started  # what it works with takes a while to load

    place = body.place.model_copy(update={"position": (0.0, 0.0, 0.0), "rotation": (0.0, 0.0, 0.0, 1.0)})
    home = body.model_copy(update={"place": place})
    part = part_of(Shot(bodies=[home]), home, resolve)
    pair = part.tets.reshape(-1, 4)[:, list(combinations(range(4), 2))].reshape(-1, 2)
    pair = np.unique(np.sort(pair, axis=1), axis=0)
    way = np.abs(part.x[pair[:, 1]] - part.x[pair[:, 0]])
    along = (way > 1e-9 * way.max()).sum(axis=1) == 1  # the others are diagonals
    return started(home, part.x)[pair[along]], len(part.tets)
