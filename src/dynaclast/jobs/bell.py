"""A bell at the bake service's door: who has work rings, so that it need not keep looking."""

from __future__ import annotations

import contextlib
import os
import select
import socket
from pathlib import Path

SETTING = "DYNACLAST_POKE"
"""Environment variable with the path of the socket."""
LONGEST = 100
"""Characters of a socket's path."""


class Bell:
    """Hears who rings at a path; without one only time passes."""

    def __init__(self, path: str) -> None:
        self._socket: socket.socket | None = None
        if path and len(path) <= LONGEST:
            Path(path).unlink(missing_ok=True)
            self._socket = socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM)
            self._socket.setblocking(False)
            self._socket.bind(path)
            os.chmod(path, 0o600)

    def wait(self, seconds: float) -> bool:
        """Wait until someone rings, or so long. Whether someone rang."""
        if self._socket is None:
            select.select([], [], [], seconds)
            return False
        rang = bool(select.select([self._socket], [], [], seconds)[0])
        with contextlib.suppress(BlockingIOError):
            while rang:
                self._socket.recv(16)
        return rang

    def close(self) -> None:
        if self._socket is not None:
            self._socket.close()


def ring(path: str) -> None:
    """Ring at a path. Nobody there is no harm: the service looks by itself now and then."""
    if not path or len(path) > LONGEST:
        return
    with contextlib.suppress(OSError), socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as bell:
        bell.setblocking(False)
        bell.sendto(b"!", path)
