"""Prints the API's OpenAPI description: `python -m dynaclast.web.openapi > ui/src/api/openapi.json`."""

from __future__ import annotations

import json
import os

from .description import ANEW


def main() -> None:
    os.environ[ANEW] = "1"
    from .app import create_app

    print(json.dumps(create_app("mysql+pymysql://nobody@127.0.0.1:1/none").api_doc, indent=1))


if __name__ == "__main__":
    main()
