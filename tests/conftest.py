"""Shared fixtures: small shots, and one real MariaDB for the whole run."""

from __future__ import annotations

import gc
from collections.abc import Iterator

import pytest
from hypothesis import settings

from dynaclast.mariadb import Database
from dynaclast.store.database import Store

# the same examples on every run; look for new ones with --hypothesis-profile=search
settings.register_profile("steady", derandomize=True, deadline=None)
settings.register_profile("search", deadline=None)
settings.load_profile("steady")


def pytest_collection_finish() -> None:
    """What is loaded by now stays to the end: the collector of what is not need not look through it again and again.
    Nor need it look as often: it took a twentieth of the time.
    """
    gc.collect()
    gc.freeze()
    gc.set_threshold(50_000, 20, 20)


@pytest.fixture(scope="session")
def database(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Database]:
    """A server of the tests' own, in a folder of their own."""
    server = Database(tmp_path_factory.mktemp("runtime"))
    server.start()
    Store(server.url).migrate()
    yield server
    server.stop()


@pytest.fixture
def store(database: Database) -> Iterator[Store]:
    out = Store(database.url)
    yield out
    out.engine.dispose()
