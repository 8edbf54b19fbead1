"""Stopping a thread between any two of Python's steps: for work that has no place of its own where it could stop."""

from __future__ import annotations

import ctypes
import threading
from types import TracebackType


class Interrupted(BaseException):
    """The work is to stop. Not one of the errors that are told."""


class Interruptible:
    """A stretch of work of the thread that enters it. What interrupts it raises Interrupted there; it never does so
    after the stretch, however late it comes.
    """

    def __init__(self) -> None:
        self.why = ""
        self._thread: int | None = None
        self._lock = threading.Lock()

    def interrupt(self, why: str = "") -> None:
        """Stop the work, or refuse it where it has not begun."""
        with self._lock:
            self.why = why or "it was stopped"
            if self._thread is not None:
                _raise(self._thread, Interrupted)

    def __enter__(self) -> Interruptible:
        with self._lock:
            if self.why:
                raise Interrupted
            self._thread = threading.get_ident()
        return self

    def __exit__(self, kind: type[BaseException] | None, *_: BaseException | TracebackType | None) -> None:
        thread = threading.get_ident()
        while True:
            try:
                with self._lock:
                    self._thread = None
                    _raise(thread, None)  # one that was on its way
                return
            except Interrupted:
                continue


def _raise(thread: int, what: type[BaseException] | None) -> None:
    ctypes.pythonapi.PyThreadState_SetAsyncExc(
        ctypes.c_ulong(thread), ctypes.c_void_p(None) if what is None else ctypes.py_object(what)
    )
