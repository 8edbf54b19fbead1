"""Mesh files are read in a process of their own: a parser that crashes, hangs or eats memory takes nothing else with
it.

The process stays for the next file, so that its imports are paid once, and may be started ahead of the first; it is
replaced when it dies or takes too long.
"""

from __future__ import annotations

import contextlib
import os
import select
import struct
import subprocess
import sys
import threading
import time
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np

from ..core.errors import DynaclastError, GeometryError, InputError
from ..core.formats.parts import MeshFile, PartMesh, kind_of
from ..core.geometry.mesh import make
from ..store.blobs import pack, unpack

MOST_SECONDS = 60.0
MOST_MEMORY = 6 * 1024**3


class Reader:
    """Reads mesh files in a child process, one at a time."""

    def __init__(self, seconds: float = MOST_SECONDS) -> None:
        self.seconds = seconds
        self._lock = threading.Lock()
        self._child: subprocess.Popen[bytes] | None = None

    def begin(self) -> None:
        """Start the child, so that the first file need not wait for its imports."""
        with self._lock:
            self._running_child()

    def read(self, data: bytes, name: str, scale: float | None = None) -> MeshFile:
        """All meshes of a file. Raises InputError or GeometryError, whatever the file does to its reader."""
        kind_of(name)
        with self._lock:
            child = self._running_child()
            assert child.stdin and child.stdout
            try:
                _send(child.stdin, pack({"data": np.frombuffer(data, np.uint8)}, name=name, scale=scale))
                arrays, said = unpack(_receive(child.stdout, time.monotonic() + self.seconds))
                return _answer(arrays, said)
            except TimeoutError:
                self._replace()
                raise InputError(
                    f"'{name}' took longer than {self.seconds:.0f} s to read; decimate it, or export it again",
                    where=name,
                    code="input.size",
                ) from None
            except (OSError, EOFError, ValueError, KeyError, TypeError, AttributeError):
                self._replace()
                raise InputError(
                    f"'{name}' is damaged in a way that stops its reader; export it again and bring in the new file",
                    where=name,
                    code="input.broken",
                ) from None
            except DynaclastError:  # the reader's own answer
                raise
            except BaseException:
                self._replace()  # its answer would be taken for that to the next file
                raise

    def _running_child(self) -> subprocess.Popen[bytes]:
        """The child, started anew if there is none or it has ended."""
        if self._child is None or self._child.poll() is not None:
            self._child = _start()
        return self._child

    def _replace(self) -> None:
        """End the child and start another, for the next file."""
        self._end()
        self._running_child()

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


ERRORS: dict[str, type[DynaclastError]] = {kind.__name__: kind for kind in (InputError, GeometryError)}


def _question(message: bytes) -> tuple[bytes, str, float | None]:
    """What the child is asked: the file's bytes, its name, metres per unit."""
    arrays, said = unpack(message)
    scale = said["scale"]
    return arrays["data"].tobytes(), str(said["name"]), None if scale is None else float(str(scale))


def _parts(found: MeshFile) -> bytes:
    """A file's parts as a message."""
    arrays: dict[str, np.ndarray] = {}
    parts = []
    for k, part in enumerate(found.parts):
        arrays |= {f"{k}/vertices": part.mesh.vertices, f"{k}/faces": part.mesh.faces}
        if part.uv is not None:
            arrays[f"{k}/uv"] = part.uv
        plain = {"name": part.name, "position": part.position, "rotation": part.rotation, "color": part.color}
        parts.append(plain)
    return pack(arrays, parts=parts, metres=found.metres, notes=found.notes)


def _answer(arrays: dict[str, np.ndarray], said: dict[str, Any]) -> MeshFile:
    """What the child answered. Raises the error it tells; ValueError, KeyError or TypeError where it is no answer."""
    if "error" in said:
        kind = ERRORS[said["error"]]
        raise kind(str(said["message"]), where=str(said["where"]), code=str(said["code"]))
    parts = []
    for k, plain in enumerate(said["parts"]):
        mesh = make(arrays[f"{k}/vertices"].copy(), arrays[f"{k}/faces"].copy())
        uv = arrays.get(f"{k}/uv")
        position, rotation = (tuple(float(x) for x in plain[key]) for key in ("position", "rotation"))
        if len(position) != 3 or len(rotation) != 4 or not np.isfinite(mesh.vertices).all():
            raise ValueError("not a part")
        if len(mesh.faces) and not 0 <= mesh.faces.min() <= mesh.faces.max() < len(mesh.vertices):
            raise ValueError("not a mesh")
        color = None if plain["color"] is None else str(plain["color"])
        parts.append(PartMesh(str(plain["name"]), mesh, position, rotation, color, None if uv is None else uv.copy()))
    return MeshFile(parts, float(said["metres"]), [str(x) for x in said["notes"]])


def _send(pipe: BinaryIO, message: bytes) -> None:
    pipe.write(struct.pack("<Q", len(message)))
    pipe.write(message)
    pipe.flush()


def _receive(pipe: BinaryIO, until: float | None = None) -> bytes:
    """The next message. Raises TimeoutError, or EOFError at the end of the pipe; ValueError where it is too long."""
    (length,) = struct.unpack("<Q", _exactly(pipe, 8, until))
    if length > MOST_MEMORY:
        raise ValueError("no message is so long")
    return _exactly(pipe, length, until)


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

    from ..core.formats.read import read_file
    from ..files import usd_layer

    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    source, sink = sys.stdin.buffer, sys.stdout.buffer
    while True:
        try:
            data, name, scale = _question(_receive(source))
        except EOFError:
            return
        try:
            answer = _parts(read_file(data, name, usd_layer, scale))
        except DynaclastError as exc:
            kind = type(exc).__name__
            answer = pack({}, error=kind, message=exc.message, where=exc.where, code=exc.code)
        _send(sink, answer)


if __name__ == "__main__":
    main()
