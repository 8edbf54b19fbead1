"""Fields and falloffs the artist keeps for other shots."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from .models import LibraryRow
from .names import put
from .shots import NotFound


def listing(session: Session) -> list[LibraryRow]:
    """All of them, by kind and name."""
    return list(session.scalars(select(LibraryRow).order_by(LibraryRow.kind, LibraryRow.name)))


def save(session: Session, kind: str, name: str, item: dict[str, Any], replace: bool = False) -> None:
    """Keep an item under its name. Raises Taken where one has it, unless that is to be replaced."""
    put(session, LibraryRow, {"kind": kind, "name": name}, {"item": item}, replace)


def remove(session: Session, kind: str, name: str) -> None:
    """Raises NotFound."""
    row = session.get(LibraryRow, (kind, name))
    if row is None:
        raise NotFound(f"the library has no {kind} '{name}'", where=name)
    session.delete(row)
