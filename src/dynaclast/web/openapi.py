"""Prints the API's OpenAPI description: `python -m dynaclast.web.openapi > ui/src/api/openapi.json`."""

from __future__ import annotations

import json

from .app import create_app


def description() -> dict:
    """The OpenAPI description as plain JSON values."""
    return create_app("mysql+pymysql://nobody@127.0.0.1:1/none").api_doc


if __name__ == "__main__":
    print(json.dumps(description(), indent=1))
