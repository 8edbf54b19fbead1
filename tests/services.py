"""The real bake service, as tests start it."""

from __future__ import annotations

import contextlib
import os
import signal
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from dynaclast.mariadb import Database

ROOT = Path(__file__).parents[1]


@contextmanager
def bake_service(database: Database, **settings: str) -> Iterator[subprocess.Popen[bytes]]:
    """The real service with its scheduler and worker process."""
    keys = str(database.folder / "keys")
    env = {**os.environ, "DYNACLAST_URL": database.url, "PYTHONPATH": str(ROOT / "src"), "DYNACLAST_KEYS": keys}
    env |= settings
    process = subprocess.Popen(
        [sys.executable, "-m", "dynaclast.jobs.service"],
        env=env,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        start_new_session=True,
    )
    assert process.stdout is not None
    assert b"ready" in process.stdout.readline()
    try:
        yield process
    finally:
        process.terminate()
        try:
            process.wait(timeout=20)
        finally:
            with contextlib.suppress(ProcessLookupError):
                os.killpg(process.pid, signal.SIGKILL)
            process.stdout.close()
