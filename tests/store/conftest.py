"""What tests of the database share."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from dynaclast.mariadb import Database


@pytest.fixture(scope="module")
def bare(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Database]:
    """A server beside that of the other tests, with no table in it."""
    server = Database(tmp_path_factory.mktemp("bare"))
    server.start()
    yield server
    server.stop()
