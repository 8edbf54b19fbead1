"""The web server's entry: settings come once, from the environment of the process that starts it."""

from __future__ import annotations

import os
from pathlib import Path

from flask import Flask

from .app import create_app


def app() -> Flask:
    """The application for gunicorn."""
    return create_app(os.environ["DYNACLAST_URL"], Path(os.environ["DYNACLAST_INTERFACE"]))
