"""What nothing refers to any more goes, after a time of grace, so that nothing grows for ever."""

from __future__ import annotations

import datetime as dt
import json
import re
from collections.abc import Callable
from typing import NamedTuple

from sqlalchemy import delete, func, select, text
from sqlalchemy.orm import Session

from . import texts
from .database import Store
from .models import NOW, AssetRow, DrawingRow, LibraryRow, PiecesRow, RevisionRow, ShotRow, TakeRow

GRACE = dt.timedelta(days=2)
"""For which what nothing refers to is kept: a mesh just brought in is in no document yet."""
MOST_PIECES = 3_000_000_000
"""Bytes of built pieces that are kept; they can be built again."""
DRAWINGS_KEPT = dt.timedelta(days=60)
"""For which it is known what a drawing's name stands for. Opening a take makes it known again."""
MOST_FREE = 256_000_000
"""Bytes of deleted rows that a table may hold before it is written anew without them, if they are half of it."""
DELETED_KEPT = dt.timedelta(days=7)
"""For which deleted shots and takes can be brought back."""
ASSET = re.compile(r'"asset": ?"([0-9a-f]{8,64})"')


class Collected(NamedTuple):
    """How many of each were dropped; tables that were written anew."""

    texts: int = 0
    assets: int = 0
    pieces: int = 0
    drawings: int = 0
    deleted: int = 0
    rewritten: tuple[str, ...] = ()


def _ago(session: Session, time: dt.timedelta) -> dt.datetime:
    """So long ago by the database's time."""
    now = session.scalar(select(NOW))
    assert isinstance(now, dt.datetime)
    return now - time


def named_assets(session: Session) -> set[str]:
    """Meshes that any revision, take or library item names."""
    out: set[str] = set()
    tables: tuple[type[RevisionRow] | type[TakeRow], ...] = (RevisionRow, TakeRow)
    for item in session.scalars(select(LibraryRow.item)):
        out |= set(ASSET.findall(json.dumps(item)))
    for table in tables:
        for key in session.scalars(select(table.id)).all():
            row: RevisionRow | TakeRow = session.get_one(table, key)  # type: ignore[assignment]
            out |= set(ASSET.findall(texts.read(session, row)))
            session.expunge(row)
    return out


def drop_assets(session: Session, grace: dt.timedelta = GRACE) -> int:
    """Drop meshes that are older than the grace and that nothing names. Returns how many."""
    old = set(session.scalars(select(AssetRow.id).where(AssetRow.created < _ago(session, grace))))
    gone = old - named_assets(session) if old else set()
    if gone:
        session.execute(delete(AssetRow).where(AssetRow.id.in_(gone)))
    return len(gone)


def drop_texts(session: Session, grace: dt.timedelta = GRACE) -> int:
    """Drop texts that are older than the grace and that nothing names. Returns how many."""
    return texts.drop_unnamed(session, _ago(session, grace))


def drop_pieces(session: Session, most: int = MOST_PIECES) -> int:
    """Drop the oldest built pieces beyond so many bytes. Returns how many."""
    size, drop = 0, []
    rows = session.execute(select(PiecesRow.key, func.length(PiecesRow.data)).order_by(PiecesRow.created.desc()))
    for key, length in rows:
        size += int(length)
        if size > most:
            drop.append(key)
    if drop:
        session.execute(delete(PiecesRow).where(PiecesRow.key.in_(drop)))
    return len(drop)


def drop_drawings(session: Session, kept: dt.timedelta = DRAWINGS_KEPT) -> int:
    """Drop names of drawings that are old. Returns how many."""
    found = session.execute(delete(DrawingRow).where(DrawingRow.created < _ago(session, kept)))
    return int(found.rowcount)  # type: ignore[attr-defined]


def drop_deleted(session: Session, kept: dt.timedelta = DELETED_KEPT) -> int:
    """Drop shots and takes that were deleted long ago. Returns how many."""
    since = _ago(session, kept)
    gone = 0
    tables: tuple[type[ShotRow] | type[TakeRow], ...] = (TakeRow, ShotRow)
    for table in tables:
        gone += session.execute(delete(table).where(table.deleted < since)).rowcount  # type: ignore[attr-defined]
    return gone


def give_back(store: Store, most_free: int = MOST_FREE) -> list[str]:
    """Write tables anew that are mostly room of what was deleted, so that the disk has it back. Returns which."""
    with store.engine.connect() as connection:
        rows = connection.execute(
            text(
                "SELECT table_name, data_free, data_length FROM information_schema.tables "
                "WHERE table_schema = DATABASE() AND engine = 'InnoDB'"
            )
        ).all()
        names = [name for name, free, used in rows if free > most_free and free > used]
        for name in names:
            connection.execute(text(f"OPTIMIZE TABLE `{name}`")).all()
    return sorted(names)


def collect(store: Store) -> Collected:
    """All of it, each in a transaction of its own."""
    counts: list[int] = []
    works: tuple[Callable[[Session], int], ...] = (drop_deleted, drop_texts, drop_assets, drop_pieces, drop_drawings)
    for work in works:
        with store.session() as session:
            counts.append(work(session))
    deleted, of_texts, of_assets, of_pieces, of_drawings = counts
    return Collected(of_texts, of_assets, of_pieces, of_drawings, deleted, tuple(give_back(store)))
