"""A database of every earlier revision comes up to date with what was in it, and migrations go both ways."""

from __future__ import annotations

from pathlib import Path

import pytest
from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory
from sqlalchemy import MetaData, create_engine, inspect, text

import dynaclast.store
from dynaclast.mariadb import Database
from dynaclast.store.models import Base

MIGRATIONS = Path(dynaclast.store.__file__).parent / "migrations"


def config(url: str) -> Config:
    out = Config()
    out.set_main_option("script_location", str(MIGRATIONS))
    out.attributes["url"] = url
    return out


REVISIONS = [r.revision for r in ScriptDirectory(str(MIGRATIONS)).walk_revisions()][::-1]


@pytest.fixture
def fresh(bare: Database) -> str:
    """Its address, emptied of what an earlier test made."""
    engine = create_engine(bare.url)
    made = MetaData()
    made.reflect(engine)
    made.drop_all(engine)
    engine.dispose()
    return bare.url


def shape(url: str) -> dict[str, dict[str, str]]:
    engine = create_engine(url)
    found = inspect(engine)
    out = {
        table: {c["name"]: str(c["type"]).split(" COLLATE")[0] for c in found.get_columns(table)}
        for table in found.get_table_names()
        if table != "alembic_version"
    }
    engine.dispose()
    return out


def test_revisions_follow_one_another() -> None:
    assert REVISIONS == sorted(REVISIONS) and len(REVISIONS) >= 4


@pytest.mark.parametrize("start", REVISIONS)
def test_a_database_of_an_earlier_revision_comes_up_to_date_and_keeps_its_shots(fresh: str, start: str) -> None:
    command.upgrade(config(fresh), start)
    engine = create_engine(fresh)
    with engine.begin() as connection:
        connection.execute(
            text(
                "INSERT INTO shots (id, name, head, version, created, changed) "
                "VALUES ('s1', 'Lower tower', 1, 1, NOW(6), NOW(6))"
            )
        )
    command.upgrade(config(fresh), "head")
    command.upgrade(config(fresh), "head")  # again: nothing to do
    with engine.begin() as connection:
        assert connection.execute(text("SELECT name FROM shots")).scalar_one() == "Lower tower"
    engine.dispose()
    got = shape(fresh)
    assert set(got) == set(Base.metadata.tables)
    for name, table in Base.metadata.tables.items():
        assert set(got[name]) == {c.name for c in table.columns}, name


def test_a_migration_that_was_cut_off_is_begun_again(fresh: str) -> None:
    command.upgrade(config(fresh), "0004")
    engine = create_engine(fresh)
    with engine.begin() as connection:  # some of what the next one does
        connection.execute(text("ALTER TABLE revisions DROP FOREIGN KEY revisions_ibfk_1"))
        connection.execute(text("ALTER TABLE shots CONVERT TO CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin"))
        connection.execute(text("ALTER TABLE shots ADD COLUMN last_save VARCHAR(40) NOT NULL DEFAULT ''"))
        connection.execute(text("ALTER TABLE takes DROP COLUMN heartbeat"))
    command.upgrade(config(fresh), "head")
    for revision in REVISIONS:
        with engine.begin() as connection:  # as if the number had not been written down
            connection.execute(text("UPDATE alembic_version SET version_num = :v"), {"v": revision})
        command.upgrade(config(fresh), "head")
    keys = [key for table in ("revisions", "takes", "chunks") for key in inspect(engine).get_foreign_keys(table)]
    engine.dispose()
    assert len(keys) == 3 and all(key["options"]["ondelete"] == "CASCADE" for key in keys)


def test_migrations_can_be_taken_back_and_made_again(fresh: str) -> None:
    command.upgrade(config(fresh), "head")
    whole = shape(fresh)
    for revision in REVISIONS[:-1][::-1]:
        command.downgrade(config(fresh), revision)
    command.upgrade(config(fresh), "head")
    assert shape(fresh) == whole
