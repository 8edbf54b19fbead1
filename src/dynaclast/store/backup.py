"""All that the database holds as one file, and back.

The file is a ZIP archive: ``backup.json`` says of which version the tables are and how many rows each has; a table is a
member of its own. A row is a line of JSON with its plain values, followed by its bytes, whose lengths the line tells.
Rows are read in one transaction, so that they belong together while everything goes on; one is in memory at a time.
"""

from __future__ import annotations

import datetime as dt
import json
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import IO, Any

from sqlalchemy import Connection, Engine, MetaData, Table, func, insert, select, text

from ..core.errors import InputError

HEAD = "backup.json"
KIND = "dynaclast backup"
AT_ONCE = 4_000_000
"""Bytes of rows in one insert."""

Tell = Callable[[int, int], None]
"""Rows done, rows in all."""


def _nobody(_done: int, _all: int) -> None:
    pass


def _tables(engine: Engine) -> list[Table]:
    """The tables as they are in the database, whatever its version; what is referred to before what refers."""
    found = MetaData()
    found.reflect(engine)
    return [t for t in found.sorted_tables if t.name != "alembic_version"]


def _plain(value: Any) -> Any:
    if isinstance(value, dt.datetime):
        return {"time": value.isoformat()}
    return {"bytes": len(value)} if isinstance(value, bytes) else value


def _write_row(row: dict[str, Any], out: IO[bytes]) -> None:
    out.write(json.dumps({k: _plain(v) for k, v in row.items()}).encode() + b"\n")
    for value in row.values():
        if isinstance(value, bytes):
            out.write(value)


def _read_rows(source: IO[bytes]) -> Iterator[dict[str, Any]]:
    while line := source.readline():
        row = json.loads(line)
        for key, value in row.items():
            match value:
                case {"bytes": int(length)}:
                    row[key] = source.read(length)
                    if len(row[key]) != length:
                        raise ValueError("cut off")
                case {"time": str(moment)}:
                    row[key] = dt.datetime.fromisoformat(moment)
        yield row


def write_backup(engine: Engine, to: Path, tell: Tell = _nobody) -> dict[str, int]:
    """Write all rows to a file, whole or not at all. Returns how many of each table.

    Raises InputError where it cannot be written.
    """
    beside, tables = to.with_name(to.name + ".new"), _tables(engine)
    try:
        with engine.connect() as connection, zipfile.ZipFile(beside, "w", zipfile.ZIP_STORED) as archive:
            connection.execute(text("SET SESSION TRANSACTION ISOLATION LEVEL REPEATABLE READ"))
            connection.commit()
            connection.execute(text("START TRANSACTION WITH CONSISTENT SNAPSHOT"))
            version = connection.execute(text("SELECT version_num FROM alembic_version")).scalar_one()
            counts = {t.name: connection.execute(select(func.count()).select_from(t)).scalar_one() for t in tables}
            done, whole = 0, sum(counts.values())
            for table in tables:
                with archive.open(table.name, "w", force_zip64=True) as out:
                    for row in _rows(connection, table):
                        _write_row(row, out)
                        done += 1
                        tell(done, whole)
            archive.writestr(HEAD, json.dumps({"kind": KIND, "version": version, "rows": counts}))
            connection.invalidate()  # its way of reading is not for others
        beside.replace(to)
    except OSError as exc:
        beside.unlink(missing_ok=True)
        raise InputError(f"cannot be written: {exc.strerror}", where=str(to)) from None
    return counts


def _rows(connection: Connection, table: Table) -> Iterator[dict[str, Any]]:
    found = connection.execution_options(stream_results=True, max_row_buffer=1).execute(select(table))
    for row in found.mappings():
        yield dict(row)


def head_of(file: Path) -> dict[str, Any]:
    """What a backup says of itself. Raises InputError where it is none, or damaged."""
    try:
        with zipfile.ZipFile(file) as archive:
            if (damaged := archive.testzip()) is not None:
                raise InputError(f"is damaged ({damaged})", where=str(file))
            head = json.loads(archive.read(HEAD))
        if head["kind"] != KIND or not isinstance(head["version"], str) or not isinstance(head["rows"], dict):
            raise ValueError
    except OSError as exc:
        raise InputError(f"cannot be read: {exc.strerror}", where=str(file)) from None
    except (zipfile.BadZipFile, KeyError, ValueError, AttributeError, TypeError):
        raise InputError("is no backup written by `dynaclast backup`, or is cut off", where=str(file)) from None
    return dict(head)


def read_backup(engine: Engine, file: Path, tell: Tell = _nobody) -> dict[str, int]:
    """Put all rows of a backup into empty tables of its version. Returns how many of each table. Raises InputError."""
    try:
        return _read(engine, file, head_of(file)["rows"], tell)
    except (KeyError, ValueError, TypeError, zipfile.BadZipFile):
        raise InputError("is damaged: what it says it has is not in it", where=str(file)) from None


def _read(engine: Engine, file: Path, counts: dict[str, int], tell: Tell) -> dict[str, int]:
    done, whole = 0, sum(counts.values())
    with zipfile.ZipFile(file) as archive, engine.begin() as connection:
        for table in _tables(engine):
            batch: list[dict[str, Any]] = []
            size = 0
            with archive.open(table.name) as source:
                for row in _read_rows(source):  # type: ignore[arg-type]
                    batch.append(row)
                    size += sum(len(v) for v in row.values() if isinstance(v, bytes | str))
                    done += 1
                    if size > AT_ONCE:
                        connection.execute(insert(table), batch)
                        batch, size = [], 0
                        tell(done, whole)
            if batch:
                connection.execute(insert(table), batch)
            found = connection.execute(select(func.count()).select_from(table)).scalar_one()
            if found != counts[table.name]:
                raise InputError(f"has {found} of {counts[table.name]} {table.name}; it is damaged", where=str(file))
        tell(whole, whole)
    return counts
