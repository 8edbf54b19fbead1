"""The web application on the tests' database."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from flask.testing import FlaskClient

from dynaclast.mariadb import Database
from dynaclast.web.app import create_app


@pytest.fixture
def client(database: Database) -> Iterator[FlaskClient]:
    app = create_app(database.url)
    with app.test_client() as out:
        out.environ_base["HTTP_X_DYNACLAST"] = "1"  # as programs say that they mean us
        yield out
    app.extensions["dynaclast"].store.engine.dispose()
