"""Requests made out of the description of the API: what it says may be asked is answered as it says, and nothing with a
fault.
"""

from __future__ import annotations

import os
from collections.abc import Iterator

import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import content_type_conformance, response_schema_conformance

from dynaclast.mariadb import Database
from dynaclast.web.app import create_app
from dynaclast.web.description import kept
from dynaclast.web.guard import HEADER

OPERATIONS = sorted(f"{method.upper()} {path}" for path, methods in kept()["paths"].items() for method in methods)
EXAMPLES = int(os.environ.get("DYNACLAST_EXAMPLES", "6"))
"""Requests of each operation; more in the soak."""


@pytest.fixture(scope="module")
def schema(database: Database) -> Iterator[schemathesis.BaseSchema]:
    app = create_app(database.url)
    yield schemathesis.openapi.from_wsgi("/api/doc/openapi.json", app)
    app.extensions["dynaclast"].store.engine.dispose()


@pytest.mark.parametrize("operation", OPERATIONS)
def test_every_operation_answers_what_its_description_allows(schema: schemathesis.BaseSchema, operation: str) -> None:
    method, path = operation.split()

    @given(case=schema[path][method.lower()].as_strategy())
    @settings(
        max_examples=EXAMPLES,
        deadline=None,
        derandomize=True,
        database=None,
        phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )
    def ask(case: schemathesis.Case) -> None:
        response = case.call(headers={HEADER: "1"})
        case.validate_response(
            response, checks=[not_a_server_error, content_type_conformance, response_schema_conformance]
        )

    ask()
