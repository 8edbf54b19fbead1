"""Mesh files are read in a process of their own: a parser that crashes, hangs or eats memory takes nothing else with
it.

The process stays for the next file, so that its imports are paid once; it is replaced when it dies or takes too long.
"""

from __future__ import annotations

import contextlib
import os
import pickle
import select
import struct
import subprocess
import sys
import threading
import time
from pathlib import Path
from typing import Any, BinaryIO

from ..core.errors import DynaclastError, InputError
from ..core.formats.meshes import MeshFile, kind_of

MOST_SECONDS = 60.0
MOST_MEMORY = 6 * 1024**3


class Reader:
    """Reads mesh files in a child process, one at a time."""

    def __init__(self, seconds: float = MOST_SECONDS) -> None:
        self.seconds = seconds
        self._lock = threading.Lock()
        self._child: subprocess.Popen[bytes] | None = None

    def read(self, data: bytes, name: str, scale: float | None = None) -> MeshFile:
        """All meshes of a file. Raises InputError or GeometryError, whatever the file does to its reader."""
        kind_of(name)
        with self._lock:
            child = self._child
            if child is None or child.poll() is not None:
                child = self._child = _start()
            assert child.stdin and child.stdout
            try:
                _send(child.stdin, (data, name, scale))
                answer = _receive(child.stdout, time.monotonic() + self.seconds)
            except TimeoutError:
                self._end()
                raise InputError(
                    f"'{name}' took longer than {self.seconds:.0f} s to read; decimate it, or export it again",
                    where=name,
                    code="input.size",
                ) from None
            except (OSError, EOFError, pickle.UnpicklingError):
                self._end()
                raise InputError(
                    f"'{name}' is damaged in a way that stops its reader; export it again and bring in the new file",
                    where=name,
                    code="input.broken",
                ) from None
        if isinstance(answer, MeshFile):
            return answer
        kind, message, where, code = answer
        raise kind(message, where=where, code=code)

    def _end(self) -> None:
        if self._child is not None:
            self._child.kill()
            self._child.wait()
            for pipe in (self._child.stdin, self._child.stdout):
                if pipe:
                    with contextlib.suppress(OSError):
                        pipe.close()
            self._child = None

    def close(self) -> None:
        with self._lock:
            self._end()


def _start() -> subprocess.Popen[bytes]:
    env = {**os.environ, "PYTHONPATH": str(Path(__file__).parents[2])}
    return subprocess.Popen(
        [sys.executable, "-m", "dynaclast.jobs.reader"],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        env=env,
    )


def _send(pipe: BinaryIO, what: Any) -> None:
    raw = pickle.dumps(what, protocol=5)
    pipe.write(struct.pack("<Q", len(raw)))
    pipe.write(raw)
    pipe.flush()


def _receive(pipe: BinaryIO, until: float | None = None) -> Any:
    """The next message. Raises TimeoutError, or EOFError at the end of the pipe."""
    (length,) = struct.unpack("<Q", _exactly(pipe, 8, until))
    return pickle.loads(_exactly(pipe, length, until))


def _exactly(pipe: BinaryIO, count: int, until: float | None) -> bytes:
    parts: list[bytes] = []
    while count:
        if until is not None:
            left = until - time.monotonic()
            if left <= 0 or not select.select([pipe], [], [], left)[0]:
                raise TimeoutError
        part = pipe.read1(min(count, 1 << 20)) if hasattr(pipe, "read1") else pipe.read(count)
        if not part:
            raise EOFError
        parts.append(part)
        count -= len(part)
    return b"".join(parts)


def main() -> None:
    """The child: reads requests from its input until that ends."""
    import resource

    from ..core.formats.meshes import read_file

    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    source, sink = sys.stdin.buffer, sys.stdout.buffer
    while True:
        try:
            data, name, scale = _receive(source)
        except EOFError:
            return
        try:
            _send(sink, read_file(data, name, scale))
        except DynaclastError as exc:
            _send(sink, (type(exc), exc.message, exc.where, exc.code))


if __name__ == "__main__":
    main()
