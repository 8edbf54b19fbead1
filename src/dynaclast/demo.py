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
    """Add every shot of demo/ that is not there yet, and wait until its first take is baked."""
    store = Store(url)
    asked: list[str] = []
    for path in sorted((ROOT / "demo").glob("*.json")):
        shot = document.parse_json(path.read_bytes())
        with store.session() as session:
            there = session.scalar(select(ShotRow.id).where(ShotRow.name == shot.name))
            if there is None:
                there = shots.create(session, shot, "demo shot").id
            if session.scalar(select(TakeRow.id).where(TakeRow.shot_id == there)) is None:
                asked.append(takes.ask(session, there, shot.timing.frames).id)
    ring(bell)
    for take_id in asked:
        _wait(store, take_id, stopped)
    store.engine.dispose()


def _wait(store: Store, take_id: str, stopped: Callable[[], bool]) -> None:
    say("baking the demo shot")
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
                say(f"the demo shot could not be baked: {message}")
            return
        time.sleep(0.3)
