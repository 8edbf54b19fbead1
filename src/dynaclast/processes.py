"""Which processes are ours: one holds the lock of a folder, and every other is written down when it starts.

A process is told by its number and the moment it began, so that a number that another process has by now is never taken
for ours. The lock goes with the process that holds it, however that ends.
"""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import signal
import struct
import time
from pathlib import Path
from typing import NamedTuple

from .setup import Failed

LOCK = "lock"
LIST = "processes.json"
ENDS_WITHIN = 20.0
"""Seconds that a process is given to end by itself."""
FLOCK = struct.Struct("hhqqi")
"""struct flock of fcntl(2)."""


class Process(NamedTuple):
    """A process that was started for a folder.

    began : when, in ticks since the machine started
    """

    name: str
    pid: int
    began: int


def began(pid: int) -> int | None:
    """When a process began; None where there is none, or only what it leaves behind."""
    try:
        fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    except OSError:
        return None
    return None if fields[0] in ("Z", "X") else int(fields[19])


def process(name: str, pid: int) -> Process:
    """A process of ours as it is written down."""
    return Process(name, pid, began(pid) or 0)


class Lock:
    """The lock of a folder: who holds it runs Dynaclast there."""

    def __init__(self, folder: Path) -> None:
        self.path = folder / LOCK
        self._file: int | None = None

    def take(self) -> bool:
        """Hold it until this process ends or lets go. False where another does."""
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            file = os.open(self.path, os.O_RDWR | os.O_CREAT, 0o600)
        except OSError as exc:
            raise Failed(
                f"{self.path.parent} cannot be written to ({exc.strerror}); Dynaclast keeps all it has there. Make it "
                f"writable, or put the checkout on a disk that is"
            ) from None
        try:
            fcntl.lockf(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            os.close(file)
            return False
        self._file = file
        return True

    def release(self) -> None:
        if self._file is not None:
            os.close(self._file)
            self._file = None

    def holder(self) -> int | None:
        """The process that holds it."""
        try:
            file = os.open(self.path, os.O_RDWR)
        except OSError:
            return None
        try:
            asked = FLOCK.pack(fcntl.F_WRLCK, os.SEEK_SET, 0, 0, 0)
            kind, _, _, _, pid = FLOCK.unpack(fcntl.fcntl(file, fcntl.F_GETLK, asked))
        finally:
            os.close(file)
        return None if kind == fcntl.F_UNLCK else pid


def read_json(path: Path) -> dict[str, object]:
    """An object that was written to a file; empty where there is none, or nothing that can be read."""
    try:
        found = json.loads(path.read_text())
    except (OSError, ValueError, RecursionError):
        return {}
    return found if isinstance(found, dict) else {}


def write_json(path: Path, value: dict[str, object], mode: int = 0o644) -> None:
    """Write an object to a file whole or not at all."""
    beside = path.with_name(path.name + ".new")
    file = os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, mode)
    with os.fdopen(file, "w") as out:
        json.dump(value, out)
    beside.replace(path)


def write_down(folder: Path, running: list[Process]) -> None:
    """Keep what runs, for a start after a kill."""
    write_json(folder / LIST, {"processes": [list(p) for p in running]})


def written_down(folder: Path) -> list[Process]:
    """What was kept and still runs."""
    found = read_json(folder / LIST).get("processes")
    out = []
    for entry in found if isinstance(found, list) else []:
        match entry:
            case [str(name), int(pid), int(since)] if pid > 1 and began(pid) == since:
                out.append(Process(name, pid, since))
    return out


def end(one: Process, within: float = ENDS_WITHIN) -> None:
    """End a process of ours with all that it started, kindly first."""
    for sign, wait in ((signal.SIGTERM, within), (signal.SIGKILL, 5.0)):
        if began(one.pid) != one.began:
            break
        with contextlib.suppress(OSError):
            os.kill(one.pid, signal.SIGCONT)
            os.kill(one.pid, sign)
        until = time.monotonic() + wait
        while began(one.pid) == one.began and time.monotonic() < until:
            time.sleep(0.05)
    end_session(one.pid)


def end_session(leader: int) -> None:
    """End at once all processes of a session whose leader has ended."""
    for entry in Path("/proc").iterdir():
        if not entry.name.isdigit():
            continue
        try:
            fields = (entry / "stat").read_text().rpartition(")")[2].split()
        except OSError:
            continue
        if int(fields[3]) == leader and int(entry.name) != leader:
            with contextlib.suppress(OSError):
                os.kill(int(entry.name), signal.SIGKILL)
