"""What a picture of a shot or a take shows: the opening, or the moment after most bonds had broken."""

from __future__ import annotations

import hashlib

import numpy as np
from numpy.typing import NDArray

from ..core import document
from ..core.document import Body, Shot
from ..core.document.matter import RopeMatter
from ..core.errors import DynaclastError
from ..core.fracture.bonds import placed
from ..core.fracture.deforming import drawn_surface
from ..core.fracture.pieces import Pieces
from ..core.geometry.rotations import rotation_matrix
from ..core.geometry.tubes import faces_of_tube, tube
from ..core.layout import written_out
from ..core.remembered import Remembered
from ..core.solve.frame import PieceState
from ..store import takes, texts
from ..store.assets import PieceCache
from ..store.blobs import unpack
from ..store.database import Store
from .picture import draw

Array = NDArray[np.float64]
PLACES = ("position", "orientation", "state")
OF_DEFORMING = ("points/", "state/")
SIDES = 5
"""Of a rope as it is drawn."""
LEAST_WIDE = 0.002
"""Radius of a rope as it is drawn, at least, in lengths of its box."""
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


def _corners(body: Body, cache: PieceCache, arrays: dict[str, NDArray[np.generic]] | None) -> Array:
    """Triangles (F, 3, 3) of a body that deforms, of cloth both sides, of ropes tubes [m]; none where it cannot be made
    or has ended.
    """
    try:
        surface = drawn_surface(body, cache.resolve)
    except DynaclastError:
        return np.zeros((0, 3, 3))
    found = None if arrays is None else arrays.get(f"points/{body.name}")
    at = placed(body, body.factor * surface.start) if found is None else np.asarray(found, float)
    if len(at) != len(surface.vertices):
        return np.zeros((0, 3, 3))
    gone = None if arrays is None else arrays.get(f"state/{body.name}")
    here = np.ones(len(at), bool) if gone is None else np.asarray(gone) != PieceState.REMOVED
    if isinstance(body.matter, RopeMatter):
        return _tubes(at[surface.lines[here[surface.lines].all(axis=1)]], body.matter.radius)
    corners = at[surface.faces[here[surface.faces].all(axis=1)]]
    return np.concatenate([corners, corners[:, ::-1]]) if body.matter.kind == "cloth" else corners


def _tubes(ends: Array, radius: float) -> Array:
    """Triangles (F, 3, 3) round segments with ends (G, 2, 3) [m], wide enough to be seen."""
    if not len(ends):
        return np.zeros((0, 3, 3))
    wide = max(radius, LEAST_WIDE * float(np.ptp(ends.reshape(-1, 3), axis=0).max()))
    rings, _, _ = tube(ends, np.full((len(ends), 2), wide), SIDES)
    points = np.concatenate([rings.reshape(len(ends), -1, 3), ends], axis=1)
    return points[:, faces_of_tube(2, SIDES)].reshape(-1, 3, 3)


def picture_of(shot: Shot, cache: PieceCache, arrays: dict[str, NDArray[np.generic]] | None = None) -> bytes:
    """The bodies of a shot as PNG, as they are set up; with the arrays of one frame, as they are at it.

    arrays : position (N, 3) [m], orientation (N, 4) scalar last, state (N,), of all pieces; points/NAME (V, 3) [m] and
             state/NAME (V,) of bodies that deform
    """
    shot = written_out(shot, cache.resolve)
    corners: list[Array] = []
    colors: list[Array] = []
    first = 0
    for body in shot.bodies:
        if body.deforms:
            found = _corners(body, cache, arrays)
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


class Pictures:
    """Pictures of takes and shots, each drawn once: those of the last few hundred are remembered."""

    MOST_BYTES = 20_000_000

    def __init__(self, store: Store, cache: PieceCache) -> None:
        self._store, self._cache = store, cache
        self._drawn: Remembered[bytes] = Remembered(self.MOST_BYTES, lambda _, picture: len(picture))

    def of_shot(self, text: str) -> bytes:
        """A shot as it is set up, by its document. Raises InputError."""
        key = hashlib.sha256(text.encode()).digest()  # documents may be large
        return self._drawn.recall(key, lambda: picture_of(document.parse_json(text), self._cache))

    def of_take(self, take_id: str) -> bytes:
        """A take by the frame that tells most of it. Raises NotFound."""
        with self._store.session() as session:
            take = takes.find(session, take_id)
            chunks = takes.chunks(session, take_id)
            if not chunks:
                return self.of_shot(texts.read(session, take))
            frame = moment_of([n for c in chunks for n in c["stats"].get("bonds_broken", [])])
            known = self._drawn.get((take_id, frame))
            if known is not None:
                return known
            chunk = next(c for c in reversed(chunks) if c["first"] <= frame)
            arrays, _ = unpack(takes.chunk_data(session, take_id, chunk["first"]))
            shot = document.parse_json(texts.read(session, take))
        k = min(frame - chunk["first"], len(arrays["position"]) - 1)
        shown = {name: values[k] for name, values in arrays.items() if name in PLACES or name.startswith(OF_DEFORMING)}
        return self._drawn.put((take_id, frame), picture_of(shot, self._cache, shown))
