"""Steps of migrations that do nothing where they were done before: the database makes each at once, so that a migration
that is cut off leaves some of them made, and is begun again.
"""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa
from alembic import op


def _found() -> sa.Inspector:
    return sa.inspect(op.get_bind())


def create_table(name: str, *parts: Any) -> None:
    if not _found().has_table(name):
        op.create_table(name, *parts)


def drop_table(name: str) -> None:
    if _found().has_table(name):
        op.drop_table(name)


def create_index(name: str, table: str, columns: list[str]) -> None:
    if name not in {x["name"] for x in _found().get_indexes(table)}:
        op.create_index(name, table, columns)


def _columns(table: str) -> dict[str, Any]:
    return {c["name"]: c for c in _found().get_columns(table)}


def add_column(table: str, column: sa.Column[Any]) -> None:
    if column.name not in _columns(table):
        op.add_column(table, column)


def drop_column(table: str, name: str) -> None:
    if name in _columns(table):
        op.drop_column(table, name)


def drop_references(table: str) -> None:
    """Drop the foreign keys of a table."""
    for key in _found().get_foreign_keys(table):
        op.drop_constraint(str(key["name"]), table, type_="foreignkey")
