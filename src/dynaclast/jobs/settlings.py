"""Letting bodies settle as a job: one at a time, with progress, time left and cancel."""

from __future__ import annotations

import threading
import time
import uuid
from dataclasses import dataclass, field

from ..core.document import Shot
from ..core.errors import DynaclastError, InputError
from ..core.fracture.build import Resolve
from ..core.settling import Settled, settle
from ..store.shots import NotFound
from .builds import UnderWay

ABANDONED = 30.0
"""Seconds after which one is dropped that nobody asks for."""
AT_ONCE = 3
"""How many may be under way or waiting."""


class Stopped(InputError):
    """The artist stopped it."""

    code = "settling.stopped"


@dataclass
class Settling(UnderWay):
    """One, by its id, and how it ended."""

    id: str = field(default_factory=lambda: uuid.uuid4().hex)
    result: Settled | None = None
    error: DynaclastError | None = None


class Settlings:
    """Those under way, by id."""

    def __init__(self, resolve: Resolve) -> None:
        self._resolve = resolve
        self._running: dict[str, Settling] = {}
        self._turn, self._lock = threading.Lock(), threading.Lock()

    def begin(self, shot: Shot, names: list[str], with_fields: bool) -> Settling:
        """Start one. Raises InputError where there are enough already."""
        one = Settling()
        with self._lock:
            for key, other in list(self._running.items()):
                if time.monotonic() - other.asked > ABANDONED:
                    other.cancel = True
                    del self._running[key]
            if len(self._running) >= AT_ONCE:
                raise InputError("enough is settling already; wait for it, or cancel it")
            self._running[one.id] = one
        threading.Thread(target=self._run, args=(one, shot, names, with_fields), daemon=True).start()
        return one

    def ask(self, key: str) -> Settling:
        """How far one is; it is forgotten once it has said how it ended. Raises NotFound, and what ended it."""
        with self._lock:
            one = self._running.get(key)
            if one is None:
                raise NotFound("nothing settles under this number; begin again", where=key)
            one.asked = time.monotonic()
            if one.result is not None or one.error is not None:
                del self._running[key]
        if one.error is not None:
            raise one.error
        return one

    def cancel(self, key: str) -> bool:
        """Stop one; returns whether it was under way."""
        with self._lock:
            one = self._running.get(key)
            if one is not None:
                one.cancel = True
            return one is not None

    def _run(self, one: Settling, shot: Shot, names: list[str], with_fields: bool) -> None:
        def tell(share: float) -> None:
            one.share = share
            if time.monotonic() - one.asked > ABANDONED:
                one.cancel = True
            if one.cancel:
                raise Stopped("settling was stopped; everything opens as before")

        try:
            with self._turn:
                one.began = time.monotonic()
                tell(0.0)
                one.result = settle(shot, names, with_fields=with_fields, resolve=self._resolve, tell=tell)
        except DynaclastError as exc:
            one.error = exc
        except Exception as exc:  # whatever it is, who asked must not be left waiting
            one.error = InputError(f"it cannot settle: {type(exc).__name__}: {exc}")
