"""Meshes brought in, and built pieces, both by the hash of what made them."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Hashable

import numpy as np
from sqlalchemy import select, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ..core.document import AssetShape, Body, FileShape
from ..core.errors import InputError
from ..core.fracture.build import build_pieces, content_key
from ..core.fracture.pieces import Pieces
from ..core.geometry.mesh import TriMesh
from ..core.remembered import Remembered
from .blobs import pack, squeeze, unpack, unsqueeze
from .database import Store
from .models import NOW, AssetRow, DrawingRow, PiecesRow
from .shots import NotFound


def keep_mesh(session: Session, mesh: TriMesh, name: str, notes: list[str], uv: np.ndarray | None = None) -> AssetRow:
    """Keep a mesh as it came, with its corners' texture coordinates; the same mesh is kept once."""
    arrays = {"vertices": mesh.vertices, "faces": mesh.faces}
    data = pack(arrays if uv is None else arrays | {"uv": np.asarray(uv, np.float32)})
    key = hashlib.sha256(data).hexdigest()[:40]
    # brought in again, it is as new: no document may name it yet (collect.GRACE). One statement each, so that nobody
    # holds a lock to read while waiting for one to write.
    seen = update(AssetRow).where(AssetRow.id == key).values(created=NOW)
    if not session.execute(seen).rowcount:  # type: ignore[attr-defined]
        values = {"id": key, "name": name[:200], "triangles": len(mesh.faces), "notes": notes, "data": squeeze(data)}
        session.execute(insert(AssetRow).values(values).on_duplicate_key_update(created=NOW))
    return session.get_one(AssetRow, key)


def mesh_of(session: Session, asset: str) -> TriMesh:
    """A kept mesh. Raises NotFound."""
    row = session.get(AssetRow, asset)
    if row is None:
        raise NotFound("this mesh is not in the store; bring the file in again", where=asset)
    arrays, _ = unpack(unsqueeze(row.data))
    return TriMesh(arrays["vertices"].copy(), arrays["faces"].copy())


def _bytes_of(_key: Hashable, pieces: Pieces) -> int:
    return sum(array.nbytes for array in pieces.arrays().values())


class PieceCache:
    """Builds pieces once: remembered in this process (the last few) and in the store."""

    MOST_BYTES = 300_000_000
    MOST_DRAWINGS = 5000

    def __init__(self, store: Store) -> None:
        self._store = store
        self._near: Remembered[Pieces] = Remembered(self.MOST_BYTES, _bytes_of)
        self._drawn: dict[str, Body] = {}

    def resolve(self, shape: FileShape | AssetShape) -> TriMesh:
        if isinstance(shape, FileShape):
            raise InputError(
                f"'{shape.path}' is a file beside a document; in the application, drop the file onto the view instead"
            )
        return self._store.patiently(lambda s: mesh_of(s, shape.asset))

    def known(self, body: Body) -> Pieces | None:
        """The body's pieces if they need no computing. Those of whole bodies are not stored: they are soon made."""
        key = content_key(body)
        near = self._near.get(key)
        if near is not None or body.pattern is None:
            return near
        data = self._store.patiently(lambda s: s.scalar(select(PiecesRow.data).where(PiecesRow.key == key)))
        return None if data is None else self._near.put(key, Pieces.from_arrays(unpack(unsqueeze(data))[0]))

    def remember_drawings(self, bodies: dict[str, Body]) -> None:
        """Keep what bodies drawings are of, by their names."""
        fresh = {name: body for name, body in bodies.items() if name not in self._drawn}
        if not fresh:
            return
        rows = [{"name": name, "body": body.model_dump(mode="json")} for name, body in fresh.items()]
        self._store.patiently(lambda s: s.execute(insert(DrawingRow).prefix_with("IGNORE"), rows))
        self._drawn |= fresh
        while len(self._drawn) > self.MOST_DRAWINGS:
            self._drawn.pop(next(iter(self._drawn)))

    def drawn_body(self, name: str) -> Body:
        """The body a drawing is of. Raises NotFound."""
        if name not in self._drawn:
            row = self._store.patiently(lambda s: s.get(DrawingRow, name))
            if row is None:
                raise NotFound("these pieces are not built yet; ask /build first", where=name)
            self._drawn[name] = Body.model_validate(row.body)
        return self._drawn[name]

    def get(self, body: Body, progress: Callable[[float], None] | None = None) -> Pieces:
        """The body's pieces, built now if need be. Raises GeometryError or InputError."""
        pieces = self.known(body)
        if pieces is None:
            made = pieces = build_pieces(body, self.resolve, progress)
            key = content_key(body)
            if body.pattern is not None:
                data = squeeze(pack(made.arrays()))
                self._store.patiently(
                    lambda s: s.execute(
                        insert(PiecesRow).values(key=key, count=made.count, data=data).prefix_with("IGNORE")
                    )
                )
            self._near.put(key, made)
        return pieces


def as_arrays(pieces: Pieces) -> dict[str, np.ndarray]:
    """What the view needs of a body's pieces, in small types."""
    counts = np.diff(pieces.face_start)
    offset = np.repeat(pieces.vertex_start[:-1], counts)[:, None]
    return {
        "vertices": pieces.vertices.astype(np.float32),
        "faces": (pieces.faces + offset).astype(np.uint32),
        "face_start": pieces.face_start.astype(np.uint32),
        "vertex_start": pieces.vertex_start.astype(np.uint32),
        "skin": pieces.skin.astype(np.uint8),
        "center": pieces.center.astype(np.float32),
        "volume": pieces.volume.astype(np.float32),
        "bond_piece": pieces.bond_piece.astype(np.uint32),
        "bond_area": pieces.bond_area.astype(np.float32),
        "bond_center": pieces.bond_center.astype(np.float32),
        "bond_tier": pieces.bond_tier,
        "path": pieces.path.astype(np.int32),
    }
