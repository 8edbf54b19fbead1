"""Loads the demo shots into the store and bakes them once."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable

from sqlalchemy import select

from .core import document
from .jobs.bell import ring
from .setup import ROOT, say
from .store import shots, takes
from .store.database import Store
from .store.models import ShotRow, TakeRow


def load_demo(url: str, stopped: Callable[[], bool], bell: str = "") -> None:
    """Add every shot of demo/ that is not there yet, bake each once, and wait until the first of them is baked; the
    others go on behind.
    """
    store = Store(url)
    asked: list[tuple[str, str]] = []
    for path in sorted((ROOT / "demo").glob("*.json")):
        shot = document.parse_json(path.read_bytes())
        with store.session() as session:
            there = session.scalar(select(ShotRow.id).where(ShotRow.name == shot.name, ShotRow.deleted.is_(None)))
            if there is None:
                there = shots.create(session, shot, "demo shot").id
            if session.scalar(select(TakeRow.id).where(TakeRow.shot_id == there)) is None:
                asked.append((takes.ask(session, there, shot.timing.frames, behind=True).id, shot.name))
    ring(bell)
    if asked:
        _wait(store, *asked[0], stopped)
    if len(asked) > 1:
        say(f"baking {len(asked) - 1} more demo shots behind")
    store.engine.dispose()


def _wait(store: Store, take_id: str, name: str, stopped: Callable[[], bool]) -> None:
    say(f"baking '{name}'")
    while not stopped():
        with store.session() as session:
            row = takes.find(session, take_id)
            done, total, status, message = row.frames_done, row.frames_total, row.status, row.message
        if sys.stderr.isatty():
            print(f"\r  frame {max(0, done)} of {total} ", end="", file=sys.stderr, flush=True)
        if status not in takes.ACTIVE:
            if sys.stderr.isatty():
                print(file=sys.stderr)
            if status == "failed":
                say(f"'{name}' could not be baked: {message}")
            return
        time.sleep(0.3)
