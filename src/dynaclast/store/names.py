"""Things kept under a name that the artist chose: names are exact, and none is overwritten unasked."""

from __future__ import annotations

from typing import Any

from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ..core.errors import InputError
from .models import Base


class Taken(InputError):
    """Something has this name already."""

    code = "taken"


def put(session: Session, table: type[Base], names: dict[str, str], values: dict[str, Any], replace: bool) -> None:
    """Keep a row under its names.

    names  : the columns of its primary key; the last is the name that is told
    Raises Taken where there is one and it is not to be replaced.
    """
    row = insert(table).values(**names, **values)
    if replace:
        session.execute(row.on_duplicate_key_update(**values))
    elif not session.execute(row.prefix_with("IGNORE")).rowcount:  # type: ignore[attr-defined]
        name = list(names.values())[-1]
        raise Taken(f"'{name}' is there already; replace it, or choose another name", where=name)
