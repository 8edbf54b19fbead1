"""The API's description.

Routes describe themselves where they are declared. To work that out takes longer than the rest of a server's start, so
it is done once (openapi.py) and kept beside the interface, whose types come from it; servers send what is kept.
"""

from __future__ import annotations

import json
import os
from pathlib import Path
from typing import Any

from flask_openapi3 import APIBlueprint, Tag

from .schemas import Problem

ANEW = "DYNACLAST_DESCRIBES"
"""Environment variable, of a process that works it out, before it imports any route."""
KEPT = Path(__file__).parents[3] / "ui" / "src" / "api" / "openapi.json"


def anew() -> bool:
    return ANEW in os.environ


def kept() -> dict[str, Any]:
    """As JSON values."""
    return dict(json.loads(KEPT.read_text()))


def routes(name: str, module: str, *, conflicts: bool = True) -> APIBlueprint:
    """Room for the routes about one thing; conflicts: whether they can answer that others were there first."""
    answers = {"404": Problem, "409": Problem, "422": Problem} if conflicts else {"404": Problem, "422": Problem}
    return APIBlueprint(
        name, module, url_prefix="/api", abp_tags=[Tag(name=name)], abp_responses=answers, doc_ui=anew()
    )
