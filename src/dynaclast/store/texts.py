"""Documents as differences to one that is kept whole, so that an edit costs what it changes.

A row of a revision or a take names a text and holds what differs from it, compressed with the text at hand. Where a
document has come too far from its text it becomes a text itself. Texts that nothing names any more are dropped.
"""

from __future__ import annotations

import datetime as dt
import uuid

import zstandard
from sqlalchemy import delete, select, union
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from .models import RevisionRow, TakeRow, TextRow, Written

LEVEL = 3
SMALL = 0.25
"""A difference larger than this share of its text, both compressed, makes a text of its own."""
LEAST = 2048
"""Bytes below which a difference is always small."""
MOST_BYTES = 1 << 30
"""Of a document."""


def _compressor(text: bytes) -> zstandard.ZstdCompressor:
    """One that knows all places of a text: its table has room for them."""
    bits = len(text).bit_length()
    how = zstandard.ZstdCompressionParameters.from_level(
        LEVEL, window_log=min(max(bits + 1, 18), 27), hash_log=min(max(bits, 14), 24), strategy=zstandard.STRATEGY_FAST
    )
    return zstandard.ZstdCompressor(
        dict_data=zstandard.ZstdCompressionDict(text, dict_type=zstandard.DICT_TYPE_RAWCONTENT), compression_params=how
    )


def difference(text: bytes, whole: bytes) -> bytes:
    """What makes ``whole`` of ``text``."""
    return _compressor(text).compress(whole)


def applied(text: bytes, change: bytes) -> bytes:
    """The whole that a difference makes of a text."""
    plain = zstandard.ZstdCompressionDict(text, dict_type=zstandard.DICT_TYPE_RAWCONTENT)
    return zstandard.ZstdDecompressor(dict_data=plain, max_window_size=1 << 27).decompress(
        change, max_output_size=MOST_BYTES
    )


def _data(session: Session, name: str) -> bytes:
    data = session.scalar(select(TextRow.data).where(TextRow.id == name))
    assert data is not None
    return data


def _plain(data: bytes) -> bytes:
    return zstandard.ZstdDecompressor().decompress(data, max_output_size=MOST_BYTES)


def read(session: Session, row: Written) -> str:
    """The document of a row."""
    if row.text is None or row.difference is None:
        assert row.document is not None
        return row.document
    return applied(_plain(_data(session, row.text)), row.difference).decode()


def write(session: Session, row: Written, document: str, near: Written | None = None) -> None:
    """Give a row its document, kept as what differs from the text of a row that is like it, if there is one."""
    whole = document.encode()
    row.document = None
    if near is not None and near.text is not None:
        data = _data(session, near.text)
        change = difference(_plain(data), whole)
        if len(change) <= max(SMALL * len(data), LEAST):
            row.text, row.difference = near.text, change
            return
    name = uuid.uuid4().hex  # its own, so that what nothing names is never named again
    session.execute(insert(TextRow).values(id=name, data=zstandard.ZstdCompressor(level=LEVEL).compress(whole)))
    row.text, row.difference = name, difference(whole, whole)


def drop_unnamed(session: Session, before: dt.datetime) -> int:
    """Drop texts older than a moment that no revision and no take names. Returns how many.

    A younger one may be of a row that is being written: it can be there before who names it is seen.
    """
    named = union(*(select(row.text).where(row.text.is_not(None)) for row in (RevisionRow, TakeRow)))
    gone = delete(TextRow).where(TextRow.created < before, TextRow.id.not_in(named))
    return int(session.execute(gone).rowcount)  # type: ignore[attr-defined]
