"""What a picture of a shot or a take shows: the opening, or the moment after most bonds had broken."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..core.document import Body, Shot
from ..core.errors import DynaclastError
from ..core.fracture.bonds import placed
from ..core.fracture.deforming import drawn_surface
from ..core.fracture.pieces import Pieces
from ..core.geometry.rotations import rotation_matrix
from ..core.layout import written_out
from ..core.solve.frame import PieceState
from ..store import takes
from ..store.assets import PieceCache
from ..store.blobs import unpack
from ..store.database import Store
from .picture import draw

Array = NDArray[np.float64]
LATER = 12
"""Frames after the one at which most bonds broke: what broke is seen apart."""


def _rgb(color: str) -> Array:
    return np.array([int(color[k : k + 2], 16) / 255 for k in (1, 3, 5)])


def moment_of(broken: list[float]) -> int:
    """The frame a take is shown by: a while after that at which most bonds broke, or its last."""
    if not broken or max(broken) <= 0:
        return max(0, len(broken) - 1)
    return min(len(broken) - 1, int(np.argmax(broken)) + LATER)


def _pieces(body: Body, cache: PieceCache, whole: bool) -> Pieces | None:
    """A body's pieces; those of the whole body, where nothing is baked, as breaking it takes long. None of a mesh that
    cannot be used.
    """
    if whole:
        body = body.model_copy(update={"pattern": None, "breaks": [], "bonds": None, "roughness": None})
    try:
        return cache.get(body).scaled(body.factor)
    except DynaclastError:
        return None


def _corners(body: Body, cache: PieceCache, points: NDArray[np.generic] | None) -> Array:
    """Triangles (F, 3, 3) of a body that deforms, of cloth both sides [m]; none where it cannot be made."""
    try:
        surface = drawn_surface(body, cache.resolve)
    except DynaclastError:
        return np.zeros((0, 3, 3))
    at = placed(body, body.factor * surface.vertices) if points is None else np.asarray(points, float)
    if len(at) != len(surface.vertices) or not len(surface.faces):
        return np.zeros((0, 3, 3))
    own = at[surface.faces]
    return np.concatenate([own, own[:, ::-1]]) if body.matter.kind == "cloth" else own


def picture_of(shot: Shot, cache: PieceCache, arrays: dict[str, NDArray[np.generic]] | None = None) -> bytes:
    """The bodies of a shot but its ropes as PNG, as they are set up; with the arrays of one frame, as they are at it.

    arrays : position (N, 3) [m], orientation (N, 4) scalar last, state (N,), of all pieces; points/NAME (V, 3) [m]
    """
    shot = written_out(shot, cache.resolve)
    corners: list[Array] = []
    colors: list[Array] = []
    first = 0
    for body in shot.bodies:
        if body.deforms:
            own = None if arrays is None else arrays.get(f"points/{body.name}")
            found = _corners(body, cache, own)
            corners.append(found)
            colors.append(np.repeat(_rgb(body.material.look.color)[None], len(found), 0))
            continue
        pieces = _pieces(body, cache, arrays is None)
        if pieces is None:
            continue
        at, q, here = (
            np.repeat(np.array([body.place.position]), pieces.count, 0),
            np.repeat(np.array([body.place.rotation]), pieces.count, 0),
            np.ones(pieces.count, bool),
        )
        local = pieces.vertices
        owner = np.repeat(np.arange(pieces.count), np.diff(pieces.vertex_start))
        if arrays is not None:
            own = slice(first, first + pieces.count)
            at, q = np.asarray(arrays["position"][own], float), np.asarray(arrays["orientation"][own], float)
            here = np.asarray(arrays["state"][own]) != PieceState.REMOVED
            local = local - pieces.center[owner]
        first += pieces.count
        turn = np.array([rotation_matrix(x) for x in q])
        world = np.einsum("vij,vj->vi", turn[owner], local) + at[owner]
        face_owner = np.repeat(np.arange(pieces.count), np.diff(pieces.face_start))
        faces = (pieces.faces + pieces.vertex_start[face_owner][:, None])[here[face_owner]]
        corners.append(world[faces])
        colors.append(np.repeat(_rgb(body.material.look.color)[None], len(faces), 0))
    if not corners:
        return draw(np.zeros((0, 3, 3)), np.zeros((0, 3)))
    return draw(np.concatenate(corners), np.concatenate(colors))


def picture_of_take(store: Store, take_id: str, shot: Shot, cache: PieceCache) -> bytes:
    """A take by the frame that tells most of it. Raises NotFound."""
    with store.session() as session:
        chunks = takes.chunks(session, take_id)
        if not chunks:
            return picture_of(shot, cache)
        frame = moment_of([n for c in chunks for n in c["stats"].get("bonds_broken", [])])
        chunk = next(c for c in reversed(chunks) if c["first"] <= frame)
        arrays, _ = unpack(takes.chunk_data(session, take_id, chunk["first"]))
    k = min(frame - chunk["first"], len(arrays["position"]) - 1)
    return picture_of(shot, cache, {name: arrays[name][k] for name in ("position", "orientation", "state")})
