"""Meshes brought in, and built pieces, both by the hash of what made them."""

from __future__ import annotations

import hashlib
from collections.abc import Callable

import numpy as np
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ..core.document import AssetShape, Body, FileShape
from ..core.errors import InputError
from ..core.fracture.build import build_pieces, content_key
from ..core.fracture.pieces import Pieces
from ..core.geometry.mesh import TriMesh
from .blobs import pack, squeeze, unpack, unsqueeze
from .database import Store
from .models import AssetRow, PiecesRow
from .shots import NotFound


def keep_mesh(session: Session, mesh: TriMesh, name: str, notes: list[str]) -> AssetRow:
    """Keep a mesh; the same mesh is kept once."""
    data = pack({"vertices": mesh.vertices, "faces": mesh.faces})
    key = hashlib.sha256(data).hexdigest()[:40]
    row = session.get(AssetRow, key)
    if row is None:
        row = AssetRow(id=key, name=name[:200], triangles=len(mesh.faces), notes=notes, data=squeeze(data))
        session.add(row)
        session.flush()
    return row


def mesh_of(session: Session, asset: str) -> TriMesh:
    """A kept mesh. Raises NotFound."""
    row = session.get(AssetRow, asset)
    if row is None:
        raise NotFound("this mesh is not in the store; bring the file in again", where=asset)
    arrays, _ = unpack(unsqueeze(row.data))
    return TriMesh(arrays["vertices"].copy(), arrays["faces"].copy())


class PieceCache:
    """Builds pieces once: remembered in this process (the last few) and in the store."""

    MOST = 64

    def __init__(self, store: Store) -> None:
        self._store = store
        self._near: dict[str, Pieces] = {}

    def resolve(self, shape: FileShape | AssetShape) -> TriMesh:
        if isinstance(shape, FileShape):
            raise InputError(f"'{shape.path}' is a file beside a document; in the application, drop the file onto the view instead")
        return self._store.patiently(lambda s: mesh_of(s, shape.asset))

    def get(self, body: Body, progress: Callable[[float], None] | None = None) -> Pieces:
        """The body's pieces, built now if need be. Raises GeometryError or InputError."""
        key = content_key(body)
        pieces = self._near.pop(key, None)
        if pieces is None:
            row = self._store.patiently(lambda s: s.get(PiecesRow, key))
            if row is not None:
                pieces = Pieces.from_arrays(unpack(unsqueeze(row.data))[0])
            else:
                pieces = build_pieces(body, self.resolve, progress)
                if body.pattern is not None:
                    made = pieces
                    data = squeeze(pack(made.arrays()))
                    self._store.patiently(lambda s: s.execute(insert(PiecesRow).values(key=key, count=made.count, data=data).prefix_with("IGNORE")))
        self._near[key] = pieces
        while len(self._near) > self.MOST:
            self._near.pop(next(iter(self._near)))
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
    }
