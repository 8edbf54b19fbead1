"""Tables. Scene descriptions are rows; meshes and frames are compressed blobs of about a megabyte."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import (
    JSON,
    BigInteger,
    Boolean,
    ColumnElement,
    Float,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    String,
    Text,
    UniqueConstraint,
    func,
    literal_column,
)
from sqlalchemy.dialects.mysql import DATETIME, LONGBLOB, LONGTEXT, MEDIUMBLOB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

Blob = LargeBinary().with_variant(MEDIUMBLOB(), "mysql", "mariadb")
BigBlob = LargeBinary().with_variant(LONGBLOB(), "mysql", "mariadb")
LongText = Text().with_variant(LONGTEXT(), "mysql", "mariadb")
Moment = DATETIME(fsp=6)
NOW: ColumnElement[Any] = func.utc_timestamp(literal_column("6"))
"""The database's time: the same for all who write, whatever their own clocks say."""


class Base(DeclarativeBase):
    pass


class ShotRow(Base):
    """A shot. ``head`` is the number of the revision shown now; undo and redo move it. ``version`` grows with every
    change of either kind, so that an editor can tell whether anything happened since it looked. ``last_save`` is the
    number that the last change carried. What is ``deleted`` is kept for a while (store.collect).
    """

    __tablename__ = "shots"
    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    note: Mapped[str] = mapped_column(String(400), default="")
    head: Mapped[int] = mapped_column(Integer)
    version: Mapped[int] = mapped_column(Integer, default=1)
    last_save: Mapped[str] = mapped_column(String(40), default="")
    created: Mapped[dt.datetime] = mapped_column(Moment, default=NOW)
    changed: Mapped[dt.datetime] = mapped_column(Moment, default=NOW)
    deleted: Mapped[dt.datetime | None] = mapped_column(Moment, nullable=True)


class TextRow(Base):
    """A document, compressed, that others are kept as differences to (store.texts)."""

    __tablename__ = "texts"
    id: Mapped[str] = mapped_column(String(64), primary_key=True)
    data: Mapped[bytes] = mapped_column(BigBlob)
    created: Mapped[dt.datetime] = mapped_column(Moment, default=NOW)


class Written:
    """Columns of a row that has a document: how it differs from a text (store.texts). ``document`` holds it whole in
    rows of before 0.9.
    """

    document: Mapped[str | None] = mapped_column(LongText, nullable=True)
    text: Mapped[str | None] = mapped_column(String(64), nullable=True)
    difference: Mapped[bytes | None] = mapped_column(BigBlob, nullable=True)


class RevisionRow(Written, Base):
    """One state of a shot's document. Numbers grow along the line of edits; an edit after undo drops what was
    undone.
    """

    __tablename__ = "revisions"
    __table_args__ = (UniqueConstraint("shot_id", "number"),)
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=True)
    shot_id: Mapped[str] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"))
    number: Mapped[int] = mapped_column(Integer)
    label: Mapped[str] = mapped_column(String(120), default="")
    created: Mapped[dt.datetime] = mapped_column(Moment, default=NOW)


class AssetRow(Base):
    """A mesh brought in, by the hash of its content; ``data`` is compressed packed arrays: vertices, faces, and uv
    where the file had texture coordinates.
    """

    __tablename__ = "assets"
    id: Mapped[str] = mapped_column(String(64), primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    triangles: Mapped[int] = mapped_column(Integer)
    notes: Mapped[Any] = mapped_column(JSON, default=list)
    data: Mapped[bytes] = mapped_column(BigBlob)
    created: Mapped[dt.datetime] = mapped_column(Moment, default=NOW)


class MaterialRow(Base):
    """A material the artist saved: a preset of the core, by its name."""

    __tablename__ = "materials"
    name: Mapped[str] = mapped_column(String(80), primary_key=True)
    preset: Mapped[Any] = mapped_column(JSON)
    created: Mapped[dt.datetime] = mapped_column(Moment, default=NOW)


class LibraryRow(Base):
    """A field or falloff the artist keeps for other shots, by kind and name."""

    __tablename__ = "library"
    kind: Mapped[str] = mapped_column(String(20), primary_key=True)
    name: Mapped[str] = mapped_column(String(80), primary_key=True)
    item: Mapped[Any] = mapped_column(JSON)
    created: Mapped[dt.datetime] = mapped_column(Moment, default=NOW)


class PiecesRow(Base):
    """Built pieces of a body by content key, so that the same break is computed once."""

    __tablename__ = "pieces"
    key: Mapped[str] = mapped_column(String(64), primary_key=True)
    count: Mapped[int] = mapped_column(Integer)
    data: Mapped[bytes] = mapped_column(BigBlob)
    created: Mapped[dt.datetime] = mapped_column(Moment, default=NOW)


class DrawingRow(Base):
    """What body a drawing's name stands for: pieces are fetched by that name, also after a restart."""

    __tablename__ = "drawings"
    name: Mapped[str] = mapped_column(String(64), primary_key=True)
    body: Mapped[Any] = mapped_column(JSON)
    created: Mapped[dt.datetime] = mapped_column(Moment, default=NOW)


class TakeRow(Written, Base):
    """A bake: its exact document, where it stands, and who works on it.

    status: queued, baking, done, cancelled, failed; beats: signs of life of its workers; progress: grows whenever they
    got any further; attempt grows when a bake is taken up again; lost: workers that were lost at it since its last
    frame; prepared: share of its preparation that is done, 0 to 1, which took so many seconds so far (preparing);
    behind: nobody waits for it, so it gives way to bakes that are waited for
    """

    __tablename__ = "takes"
    __table_args__ = (UniqueConstraint("shot_id", "number"), Index("takes_by_status", "status"))
    id: Mapped[str] = mapped_column(String(32), primary_key=True)
    shot_id: Mapped[str] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"))
    number: Mapped[int] = mapped_column(Integer)
    name: Mapped[str] = mapped_column(String(80), default="")
    note: Mapped[str] = mapped_column(String(400), default="")
    revision: Mapped[int] = mapped_column(Integer)
    status: Mapped[str] = mapped_column(String(16))
    frames_total: Mapped[int] = mapped_column(Integer)
    frames_done: Mapped[int] = mapped_column(Integer, default=0)
    pieces: Mapped[int] = mapped_column(Integer, default=0)
    attempt: Mapped[int] = mapped_column(Integer, default=0)
    lost: Mapped[int] = mapped_column(Integer, default=0)
    cancel: Mapped[bool] = mapped_column(Boolean, default=False)
    worker: Mapped[str] = mapped_column(String(120), default="")
    message: Mapped[str] = mapped_column(Text, default="")
    seconds: Mapped[float] = mapped_column(Float, default=0.0)
    prepared: Mapped[float] = mapped_column(Float, default=0.0)
    preparing: Mapped[float] = mapped_column(Float, default=0.0)
    beats: Mapped[int] = mapped_column(Integer, default=0)
    progress: Mapped[int] = mapped_column(Integer, default=0)
    behind: Mapped[bool] = mapped_column(Boolean, default=False)
    created: Mapped[dt.datetime] = mapped_column(Moment, default=NOW)
    finished: Mapped[dt.datetime | None] = mapped_column(Moment, nullable=True)
    deleted: Mapped[dt.datetime | None] = mapped_column(Moment, nullable=True)


class ChunkRow(Base):
    """Frames first to first + count - 1 of a take, and the seconds they took. ``carry`` is the state after the last of
    them; only the newest chunk keeps it.
    """

    __tablename__ = "chunks"
    __table_args__ = (UniqueConstraint("take_id", "first"),)
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=True)
    take_id: Mapped[str] = mapped_column(ForeignKey("takes.id", ondelete="CASCADE"))
    first: Mapped[int] = mapped_column(Integer)
    count: Mapped[int] = mapped_column(Integer)
    data: Mapped[bytes] = mapped_column(Blob)
    events: Mapped[str] = mapped_column(LongText)
    stats: Mapped[Any] = mapped_column(JSON)
    carry: Mapped[bytes | None] = mapped_column(BigBlob, nullable=True)
    seconds: Mapped[float] = mapped_column(Float, default=0.0)
