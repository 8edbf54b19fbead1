"""Materials the artist saved."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.materials import Preset
from .models import MaterialRow
from .names import put
from .shots import NotFound


def listing(session: Session) -> list[Preset]:
    """All saved materials by name."""
    return [
        Preset.model_validate(row.preset) for row in session.scalars(select(MaterialRow).order_by(MaterialRow.name))
    ]


def save(session: Session, preset: Preset, replace: bool = False) -> None:
    """Save a material under its name. Raises Taken where one has it, unless that is to be replaced."""
    put(session, MaterialRow, {"name": preset.name}, {"preset": preset.model_dump(mode="json")}, replace)


def remove(session: Session, name: str) -> None:
    """Raises NotFound."""
    row = session.get(MaterialRow, name)
    if row is None:
        raise NotFound(f"there is no saved material '{name}'", where=name)
    session.delete(row)
