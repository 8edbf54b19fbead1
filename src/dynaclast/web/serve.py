"""The web server's entry: settings come once, from the environment of the process that starts it."""

from __future__ import annotations

import os
from pathlib import Path

from flask import Flask

from .app import create_app
from .services import NAME
from .workshop import SETTING, hand_on


def app() -> Flask:
    """The application for gunicorn."""
    given = os.environ
    names = frozenset(x for x in given.get("DYNACLAST_NAMES", "").split(",") if x)
    out = create_app(
        given["DYNACLAST_URL"], Path(given["DYNACLAST_INTERFACE"]), names, given.get("DYNACLAST_TOKEN", "")
    )
    out.extensions[NAME].store.connect_ahead()
    if given.get(SETTING):
        hand_on(out, given[SETTING])
    return out
