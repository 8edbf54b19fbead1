"""A body's list of breaks, carried out in order: tiers, chunks, and the bonds between what results."""

from __future__ import annotations

from dataclasses import replace
from heapq import heappop, heappush
from typing import Any

import numpy as np

from ..arrays import Index, lengths
from ..document import (
    AllPieces,
    BreakStep,
    Choice,
    ChunksPattern,
    FacesPattern,
    LargerPieces,
    ListedPieces,
    PiecesInReach,
)
from ..errors import GeometryError, InputError
from ..falloff import value
from ..geometry.inside import inside
from ..geometry.mesh import TriMesh
from .patterns import MOST_PIECES, regions
from .pieces import TIERS, Pieces, collect, whole
from .sharing import shared_faces
from .shells import flakes
from .solids import Progress, cut, mesh_of


def break_mesh(
    mesh: TriMesh, pattern: object, breaks: list[BreakStep], *, name: str = "the mesh", progress: Progress | None = None
) -> Pieces:
    """Carry out a body's breaks.

    mesh   : a closed, outward-facing mesh (any mesh for the faces pattern)
    Raises : GeometryError (not a clean solid; pieces smaller than allowed), InputError (a step that cannot be carried
    out)
    """
    steps = 1 + len(breaks)

    def share(step: int) -> Progress | None:
        return (lambda done: progress((step + done) / steps)) if progress else None

    if isinstance(pattern, FacesPattern):
        meshes, skins = flakes(mesh, pattern, name)
    else:
        found, count = regions(pattern, mesh)
        meshes, skins = cut(mesh, np.ones(len(mesh.faces), bool), found, count, name, share(0))
    if len(meshes) > MOST_PIECES:
        raise InputError(
            f"the break gives {len(meshes)} pieces; the limit is {MOST_PIECES}. Ask for fewer", where="pattern"
        )
    if len(meshes) == 1:
        return whole(mesh)
    path = np.full((len(meshes), TIERS), -1)
    path[:, 0] = np.arange(len(meshes))
    pieces = collect(meshes, skins, path)
    not_too_small(pieces, pattern, "pattern")
    for number, step in enumerate(breaks):
        where = f"breaks[{number}]"
        if isinstance(step.pattern, ChunksPattern):
            pieces = cluster(_bonded(pieces, mesh.size()), step, mesh, where)
        else:
            pieces = _break_again(pieces, step, mesh, name, where, share(number + 1))
    return _bonded(pieces, mesh.size())


def not_too_small(pieces: Pieces, pattern: object, where: str) -> None:
    least = getattr(pattern, "smallest", 0.0)
    small = int((pieces.size < least).sum())
    if small:
        raise GeometryError(
            f"{small} of {pieces.count} pieces would be smaller than {least:g} m (the smallest "
            f"{pieces.size.min():.3g} m); ask for fewer or more even pieces, or allow smaller ones",
            where=f"{where}.smallest",
            code="geometry.smallest",
        )


def chosen(pieces: Pieces, choice: Choice, where: str) -> np.ndarray:
    """Which pieces (P,) bool a break step is about. Raises InputError where it is about none."""
    if isinstance(choice, AllPieces):
        out = np.ones(pieces.count, bool)
    elif isinstance(choice, ListedPieces):
        beyond = [p for p in choice.pieces if p >= pieces.count]
        if beyond:
            raise InputError(
                f"there is no piece {beyond[0]}; the step before leaves pieces 0 to {pieces.count - 1}. Choose the "
                f"pieces again",
                where=f"{where}.of",
            )
        out = np.zeros(pieces.count, bool)
        out[choice.pieces] = True
    elif isinstance(choice, LargerPieces):
        out = pieces.size > choice.size
    else:
        assert isinstance(choice, PiecesInReach)
        out = value(choice.reach, pieces.center) >= choice.above
    if not out.any():
        raise InputError(
            "this step is about no piece; move its reach, lower its limit, or choose pieces", where=f"{where}.of"
        )
    return out


def refined_seed(pattern: Any, piece: int) -> Any:
    """The pattern of a break step for one piece: no two pieces break alike."""
    if not hasattr(pattern, "seed"):
        return pattern
    return pattern.model_copy(update={"seed": (pattern.seed * 7919 + piece * 104729 + 1) % (2**31 - 1)})


def _break_again(
    pieces: Pieces, step: BreakStep, body: TriMesh, name: str, where: str, progress: Progress | None
) -> Pieces:
    pick = chosen(pieces, step.of, where)
    deep = pieces.tier[pick].max()
    if deep >= TIERS:
        raise InputError(
            f"a body has at most {TIERS} tiers, and some of the chosen pieces are on the last", where=f"{where}.of"
        )
    meshes: list[TriMesh] = []
    skins: list[np.ndarray] = []
    path: list[np.ndarray] = []
    total, done = int(pick.sum()), 0
    for p in range(pieces.count):
        mesh, skin, own = pieces.mesh(p), pieces.skin_of(p), pieces.path[p]
        if not pick[p]:
            meshes.append(mesh)
            skins.append(skin)
            path.append(own)
            continue
        pattern = refined_seed(step.pattern, p)
        found, count = regions(pattern, mesh)
        parts, part_skins = cut(mesh, skin, found, count, f"piece {p} of {name}", None, body)
        if progress:
            progress(done / total)
        done += 1
        for k, (part, part_skin) in enumerate(zip(parts, part_skins, strict=True)):
            mine = own.copy()
            if len(parts) > 1:
                mine[(own >= 0).sum()] = k
            meshes.append(part)
            skins.append(part_skin)
            path.append(mine)
        if len(meshes) > MOST_PIECES:
            raise InputError(
                f"this step would give more than {MOST_PIECES} pieces; choose fewer pieces or a lower count",
                where=f"{where}.pattern",
            )
    out = collect(meshes, skins, np.array(path))
    not_too_small(out, step.pattern, f"{where}.pattern")
    return out


def _bonded(pieces: Pieces, size: float) -> Pieces:
    """The pieces with the faces they share, and each bond's tier: the first on which its two pieces part ways."""
    corners, piece = pieces.corners()
    faces = shared_faces(corners[~pieces.skin], piece[~pieces.skin], pieces.count, size)
    keep = faces.area > 1e-10 * size * size
    return tier_of_bonds(
        replace(
            pieces,
            bond_piece=faces.piece[keep],
            bond_area=faces.area[keep],
            bond_center=faces.center[keep],
            bond_normal=faces.normal[keep],
            bond_second_moment=faces.second_moment[keep],
        )
    )


def tier_of_bonds(pieces: Pieces) -> Pieces:
    """The pieces with each bond's tier by their paths."""
    differ = pieces.path[pieces.bond_piece[:, 0]] != pieces.path[pieces.bond_piece[:, 1]]
    return replace(pieces, bond_tier=(1 + np.argmax(differ, axis=1)).astype(np.uint8))


# -------------------------------------------------------------------------------- chunks


def cluster(pieces: Pieces, step: BreakStep, mesh: TriMesh, where: str) -> Pieces:
    """Put chosen pieces of tier 1 into chunks: their own tier becomes one finer."""
    pick = chosen(pieces, step.of, where)
    if pieces.tier[pick].max() >= TIERS:
        raise InputError(f"a body has at most {TIERS} tiers", where=f"{where}.of")
    pattern = step.pattern
    assert isinstance(pattern, ChunksPattern)
    label = _guided(pieces, pattern, mesh) if pattern.guide is not None else _grown(pieces, pick, pattern)
    path = pieces.path.copy()
    path[pick, 1:] = pieces.path[pick, :-1]
    path[pick, 0] = label[pick] + int(pieces.path[:, 0].max()) + 1
    return replace(pieces, path=path.astype(np.int32))


def _guided(pieces: Pieces, pattern: ChunksPattern, mesh: TriMesh) -> Index:
    """Number of the guide's region each piece's centre falls into."""
    label = np.full(pieces.count, -1, np.int64)
    found, _ = regions(pattern.guide, mesh)
    for number, region in enumerate(found):
        shape, _ = mesh_of(region, -1)
        label[(label < 0) & inside(shape, pieces.center)] = number  # type: ignore[operator]
    label[label < 0] = label.max() + 1
    return label


def _grown(pieces: Pieces, pick: np.ndarray, pattern: ChunksPattern) -> Index:
    """Chunks grown from scattered pieces along the bonds, nearest first, so that every chunk hangs together."""
    own = np.flatnonzero(pick)
    count = min(pattern.count, len(own))
    rng = np.random.default_rng([pattern.seed, 107])
    # start far apart: each next start is the piece farthest from those so far (Gonzalez 1985)
    starts = [int(own[rng.integers(len(own))])]
    far = lengths(pieces.center[own] - pieces.center[starts[0]])
    for _ in range(count - 1):
        starts.append(int(own[np.argmax(far)]))
        far = np.minimum(far, lengths(pieces.center[own] - pieces.center[starts[-1]]))
    links: list[list[int]] = [[] for _ in range(pieces.count)]
    for a, b in pieces.bond_piece.tolist():
        if pick[a] and pick[b]:
            links[a].append(b)
            links[b].append(a)
    label = np.full(pieces.count, -1, np.int64)
    queue = [(0.0, s, k) for k, s in enumerate(starts)]
    while queue:
        length, p, k = heappop(queue)
        if label[p] >= 0:
            continue
        label[p] = k
        for q in links[p]:
            if label[q] < 0:
                heappush(queue, (length + float(np.linalg.norm(pieces.center[q] - pieces.center[p])), q, k))
    lonely = own[label[own] < 0]
    label[lonely] = count + np.arange(len(lonely))
    return label
