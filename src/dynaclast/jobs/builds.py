"""Building pieces as a job: one at a time, with progress, time left and cancel.

A build that takes no longer than a moment is answered at once; others go on in the background, and asking again tells
how far they are.
"""

from __future__ import annotations

import queue
import threading
import time
from dataclasses import dataclass, field

from ..core.document import Body
from ..core.errors import DynaclastError, InputError
from ..core.fracture.build import content_key
from ..core.fracture.pieces import Pieces
from ..store.assets import PieceCache

ABANDONED = 60.0
"""Seconds after which a build is dropped that nobody asks for."""


SLICE = 0.5
"""Seconds of waiting in one go."""


class BuildCancelled(InputError):
    """The artist stopped this build."""

    code = "build.cancelled"


@dataclass
class UnderWay:
    """Work under way: its share done (0 to 1), when it began and was last asked for, whether it is to stop."""

    share: float = 0.0
    began: float = field(default_factory=time.monotonic)
    asked: float = field(default_factory=time.monotonic)
    cancel: bool = False

    @property
    def left(self) -> float | None:
        """Seconds still to go, once there is something to judge by."""
        spent = time.monotonic() - self.began
        return spent / self.share * (1 - self.share) if self.share > 0.02 else None


@dataclass
class Build(UnderWay):
    """One build: how it ended, and how many wait for it."""

    pieces: Pieces | None = None
    error: Exception | None = None
    ended: threading.Event = field(default_factory=threading.Event)
    waiting: int = 0


class Builds:
    """Builds under way, by content key."""

    def __init__(self, cache: PieceCache) -> None:
        self.cache = cache
        self._lock = threading.Lock()
        self._running: dict[str, Build] = {}
        self._queue: queue.SimpleQueue[tuple[Body, str, Build]] = queue.SimpleQueue()
        self._thread: threading.Thread | None = None

    def ask(self, body: Body, patience: float) -> Pieces | Build:
        """The body's pieces, or the build under way if they are not there within ``patience`` seconds.

        Raises what the build raised: GeometryError, InputError, BuildCancelled.
        """
        known = self.cache.known(body)
        if known is not None:
            return known
        key = content_key(body)
        with self._lock:
            build = self._running.get(key)
            if build is None:
                build = self._running[key] = Build()
                self._queue.put((body, key, build))
                if self._thread is None:
                    self._thread = threading.Thread(target=self._work, daemon=True)
                    self._thread.start()
            build.waiting += 1
        try:
            until = time.monotonic() + patience
            while not build.ended.wait(min(SLICE, max(0.0, until - time.monotonic()))) and time.monotonic() < until:
                pass  # an interrupt comes between two waits
        finally:
            with self._lock:
                build.waiting -= 1
                build.asked = time.monotonic()
        if not build.ended.is_set():
            return build
        if build.error is not None:
            raise build.error
        assert build.pieces is not None
        return build.pieces

    def _work(self) -> None:
        while True:
            self._run(*self._queue.get())

    def _run(self, body: Body, key: str, build: Build) -> None:
        def tell(share: float) -> None:
            build.share = share
            if not build.waiting and time.monotonic() - build.asked > ABANDONED:
                build.cancel = True
            if build.cancel:
                raise BuildCancelled(f"breaking {body.name} was stopped; its settings are kept", where="pattern")

        try:
            build.began = time.monotonic()
            tell(0.0)
            build.pieces = self.cache.get(body, tell)
        except DynaclastError as exc:
            build.error = exc
        except Exception as exc:  # whatever it is, who asked must not be left waiting
            build.error = InputError(f"{body.name} cannot be built: {type(exc).__name__}: {exc}", where=body.name)
        with self._lock:
            self._running.pop(key, None)
        build.ended.set()

    def cancel(self, body: Body) -> bool:
        """Stop a build under way; returns whether there was one."""
        with self._lock:
            build = self._running.get(content_key(body))
        if build is None:
            return False
        build.cancel = True
        return True
