"""Starts, watches and ends the parts of a running Dynaclast: database, bake service, web server.

All of it lives in the checkout's own runtime folder with ports of its own, so two checkouts do not meet.
"""

from __future__ import annotations

import contextlib
import json
import os
import signal
import subprocess
import sys
import time
import urllib.request
from pathlib import Path

from .mariadb import Database, free_port
from .setup import ROOT, RUNTIME, Failed, say

WEB_PORT = 8470
STATE = "running.json"


class Parts:
    """The processes of one running Dynaclast over a folder."""

    def __init__(self, folder: Path = RUNTIME) -> None:
        self.folder = folder
        self.database = Database(folder)
        self.web_port = 0
        self.processes: dict[str, subprocess.Popen[bytes]] = {}

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.web_port}"

    def _spawn(self, name: str) -> None:
        if name == "web":
            command = [
                sys.executable,
                "-m",
                "gunicorn",
                "-w",
                "1",
                "-k",
                "gthread",
                "--threads",
                "32",
                "--timeout",
                "120",
                "--graceful-timeout",
                "2",
                "-b",
                f"127.0.0.1:{self.web_port}",
                "--log-level",
                "warning",
                "--no-control-socket",
                "dynaclast.web.serve:app()",
            ]
        else:
            command = [sys.executable, "-m", "dynaclast.jobs.service"]
        env = {
            **os.environ,
            "PYTHONPATH": str(ROOT / "src"),
            "DYNACLAST_URL": self.database.url,
            "DYNACLAST_INTERFACE": str(ROOT / "ui" / "dist"),
            "OMP_NUM_THREADS": "1",
            "OPENBLAS_NUM_THREADS": "1",
            "NUMBA_NUM_THREADS": "1",
        }
        with (self.folder / f"{name}.log").open("ab") as log:
            self.processes[name] = subprocess.Popen(
                command, stdout=log, stderr=log, stdin=subprocess.DEVNULL, env=env, cwd=ROOT, start_new_session=True
            )

    def start(self, ports: dict[str, int] | None = None) -> None:
        """Start everything; returns when the web server answers and the tables are up to date."""
        from .store.database import Store

        ports = ports or {}
        self.folder.mkdir(parents=True, exist_ok=True)
        self.database.start(ports.get("database"))
        store = Store(self.database.url)
        store.migrate()
        store.engine.dispose()
        self.web_port = free_port(ports.get("web", WEB_PORT))
        self._spawn("web")
        self._spawn("jobs")
        until = time.monotonic() + 60
        while True:
            with contextlib.suppress(OSError):
                urllib.request.urlopen(f"{self.address}/api/shots", timeout=5).close()
                return
            if self.processes["web"].poll() is not None or time.monotonic() > until:
                tail = "\n".join((self.folder / "web.log").read_text(errors="replace").splitlines()[-12:])
                raise Failed(f"the web server did not start:\n{tail}")
            time.sleep(0.05)

    def mend(self) -> None:
        """Start again whatever has died."""
        if not self.database.alive():
            say("the database has ended; starting it again")
            self.database.start(self.database.port)
        for name, process in list(self.processes.items()):
            if process.poll() is not None:
                say(f"the {name} process has ended; starting it again (see {self.folder / (name + '.log')})")
                self._spawn(name)

    def stop(self) -> None:
        """End everything, the database last."""
        for process in self.processes.values():
            if process.poll() is None:
                process.terminate()
        for process in self.processes.values():
            with contextlib.suppress(subprocess.TimeoutExpired):
                process.wait(timeout=15)
            # whatever a part started belongs to its own session: nothing of it stays behind
            with contextlib.suppress(ProcessLookupError, PermissionError):
                os.killpg(process.pid, signal.SIGKILL)
            process.wait()
        self.database.stop()


def _read_state() -> dict | None:
    """The running instance's state, or None where it is stale."""
    path = RUNTIME / STATE
    try:
        state = json.loads(path.read_text())
        with open(f"/proc/{state['pid']}/cmdline", "rb") as f:
            ours = b"dynaclast" in f.read()
    except (OSError, ValueError, KeyError):
        return None
    return state if ours else None


def running_url() -> str:
    """The database of the running application. Raises Failed if it does not run."""
    state = _read_state()
    if state is None:
        raise Failed("Dynaclast is not running; start it with ./dynaclast start, or name a folder written by bake")
    database = Database(RUNTIME)
    database.port = state["database_port"]
    return database.url


def status() -> int:
    state = _read_state()
    print(f"running at {state['address']} (process {state['pid']})" if state else "not running")
    return 0 if state else 3


def stop() -> int:
    state = _read_state()
    if state is None:
        print("not running")
        return 0
    os.kill(state["pid"], signal.SIGTERM)
    until = time.monotonic() + 60
    while Path(f"/proc/{state['pid']}").exists() and time.monotonic() < until:
        time.sleep(0.1)
    print("stopped")
    return 0


def run(*, demo: bool) -> int:
    """Start, print the address, and stay until Ctrl-C or `stop`."""
    state = _read_state()
    if state:
        print(f"Dynaclast is already running at {state['address']}")
        return 0
    _end_leftovers()
    remembered = _remembered_ports()
    parts = Parts()
    ended: list[int] = []
    for sign in (signal.SIGINT, signal.SIGTERM):
        signal.signal(sign, lambda number, _frame: ended.append(number))
    try:
        say("starting the database, the bake service and the web server")
        parts.start(remembered)
        ports = {"web": parts.web_port, "database": parts.database.port}
        (RUNTIME / "ports.json").write_text(json.dumps(ports))
        (RUNTIME / STATE).write_text(
            json.dumps(
                {
                    "pid": os.getpid(),
                    "address": parts.address,
                    "web_port": parts.web_port,
                    "database_port": parts.database.port,
                    "parts": [parts.database.process.pid if parts.database.process else 0]
                    + [p.pid for p in parts.processes.values()],
                }
            )
        )
        if demo:
            from .demo import load_demo

            load_demo(parts.database.url, lambda: bool(ended))
        if not ended:
            print(f"\nDynaclast is ready: {parts.address}\n", flush=True)
        while not ended:
            time.sleep(0.5)
            if not ended:
                parts.mend()
    finally:
        say("ending Dynaclast")
        parts.stop()
        (RUNTIME / STATE).unlink(missing_ok=True)
    return 0


def _remembered_ports() -> dict[str, int]:
    try:
        return json.loads((RUNTIME / "ports.json").read_text())
    except (OSError, ValueError):
        return {}


def _end_leftovers() -> None:
    """End parts that a killed supervisor left running: only processes it wrote down, and only if they are still
    ours.
    """
    try:
        state = json.loads((RUNTIME / STATE).read_text())
    except (OSError, ValueError):
        return
    for pid in reversed(state.get("parts", [])):
        try:
            command = Path(f"/proc/{pid}/cmdline").read_bytes()
        except OSError:
            continue
        if str(RUNTIME).encode() in command or b"dynaclast." in command:
            with contextlib.suppress(OSError):
                os.killpg(pid, signal.SIGTERM)
            until = time.monotonic() + 20
            while Path(f"/proc/{pid}").exists() and time.monotonic() < until:
                time.sleep(0.1)
            with contextlib.suppress(OSError):
                os.killpg(pid, signal.SIGKILL)
    (RUNTIME / STATE).unlink(missing_ok=True)
