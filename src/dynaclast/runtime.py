"""Starts, watches and ends the parts of a running Dynaclast: database, bake service, web server.

All of it lives in the checkout's own runtime folder with ports of its own, so two checkouts do not meet. Who holds the
folder's lock runs it; all else that is written there can be lost or odd, and is written anew.
"""

from __future__ import annotations

import contextlib
import ipaddress
import logging
import os
import secrets
import shutil
import signal
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import NamedTuple

from .jobs.bell import SETTING
from .keys import REACHED, Reached, as_host, ensure, read_reached, whole, write_reached
from .mariadb import Database, free_port, short_socket
from .processes import Lock, Process, end, end_session, process, read_json, write_down, write_json, written_down
from .setup import ROOT, RUNTIME, Failed, say

WEB_PORT, SCHEDULER_PORT = 8470, 8471
STATE = "running.json"
PORTS = "ports.json"
ACCESS = "access.json"
POKE = "jobs.poke"
"""A socket that the bake service looks up from its sleep by."""
STARTS_WITHIN = 180.0
"""Seconds in which the web server answers, also on a machine that is busy with other things."""


class Listen(NamedTuple):
    """Where the web server is asked for beside loopback, and the token that lets in there."""

    address: str
    token: str

    @property
    def host(self) -> str:
        return as_host(self.address)


def interface_address(address: str, option: str) -> str:
    """The address of one of this machine's network interfaces, given by an option. Raises Failed."""
    try:
        ip = ipaddress.ip_address(address)
    except ValueError:
        raise Failed(
            f"{option} takes the address of a network interface, such as 192.168.1.20, not '{address}'"
        ) from None
    if ip.is_unspecified:
        raise Failed(f"{option} takes the address of one network interface; Dynaclast does not listen at all of them")
    return str(ip)


def listen_at(address: str, folder: Path) -> Listen:
    """Listen at the address of one of this machine's network interfaces. Raises Failed."""
    address = interface_address(address, "--listen")
    token = read_json(folder / ACCESS).get("token")
    if not isinstance(token, str) or len(token) < 20:
        token = secrets.token_urlsafe(24)
        folder.mkdir(parents=True, exist_ok=True)
        write_json(folder / ACCESS, {"token": token}, 0o600)
    return Listen(address, token)


class Parts:
    """The processes of one running Dynaclast over a folder.

    reached_at : address of this machine at which workers on others find it; "" for nowhere
    told       : more environment variables of its Python processes
    """

    def __init__(self, folder: Path = RUNTIME, listen: Listen | None = None, reached_at: str = "") -> None:
        self.folder = folder
        self.database = Database(folder, reached_at)
        self.web_port = self.scheduler_port = 0
        self.listen = listen
        self._probed, self._silent = time.monotonic(), 0
        self._to_write = False
        self.told: dict[str, str] = {}
        self.processes: dict[str, subprocess.Popen[bytes]] = {}

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.web_port}"

    @property
    def address_told(self) -> str:
        """What the user opens."""
        if self.listen is None:
            return self.address
        return f"http://{self.listen.host}:{self.web_port}/?token={self.listen.token}"

    @property
    def workshop(self) -> Path:
        """The socket of what works out heavy requests."""
        return short_socket(self.folder, "workshop.sock")

    def _spawn(self, name: str) -> None:
        gunicorn = [sys.executable, "-m", "gunicorn", "-w", "1", "-k", "gthread", "--timeout", "120"]
        gunicorn += ["--graceful-timeout", "2", "--log-level", "warning", "--no-control-socket"]
        loopback = ["-b", f"127.0.0.1:{self.web_port}", *self._also()]
        workshop = ["-b", f"unix:{self.workshop}", "-m", "0o177"]
        command = {
            "web": [*gunicorn, "--threads", "64", *loopback, "dynaclast.web.serve:app()"],
            "workshop": [*gunicorn, "--threads", "32", *workshop, "dynaclast.web.workshop:app()"],
            "jobs": [sys.executable, "-m", "dynaclast.jobs.service"],
        }[name]
        env = {
            **os.environ,
            "PYTHONPATH": str(ROOT / "src"),
            "DYNACLAST_URL": self.database.url,
            "DYNACLAST_INTERFACE": str(ROOT / "ui" / "dist"),
            "DYNACLAST_NAMES": self.listen.address if self.listen else "",
            "DYNACLAST_TOKEN": self.listen.token if self.listen else "",
            SETTING: str(short_socket(self.folder, POKE)),
            "DYNACLAST_WORKSHOP": str(self.workshop),
            "DYNACLAST_KEYS": str(self.folder / "keys"),
            "DYNACLAST_REACHED_AT": self.database.reached_at,
            "DYNACLAST_SCHEDULER_PORT": str(self.scheduler_port),
            **self.told,
        }
        with (self.folder / f"{name}.log").open("ab") as log:
            self.processes[name] = subprocess.Popen(
                command, stdout=log, stderr=log, stdin=subprocess.DEVNULL, env=env, cwd=ROOT, start_new_session=True
            )
        self._write_down()

    def _also(self) -> list[str]:
        """Where else the web server listens."""
        return [] if self.listen is None else ["-b", f"{self.listen.host}:{self.web_port}"]

    def _write_down(self) -> None:
        """Keep the parts' processes, as soon as each runs, for a start after a kill."""
        database = self.database.process
        running = [] if database is None else [process("database", database.pid)]
        self._to_write = True
        with contextlib.suppress(OSError):  # a full disk: as soon as there is room
            write_down(self.folder, running + [process(name, p.pid) for name, p in self.processes.items()])
            self._to_write = False

    def start(self, ports: dict[str, int] | None = None) -> None:
        """Start everything; returns when the web server answers and the tables are up to date. Raises Failed."""
        from .store.database import NewerDatabase, Store

        ports = ports or {}
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            self.database.start(ports.get("database"))
            self._write_down()
            store = Store(self.database.url)
            try:
                store.migrate()
            except NewerDatabase as exc:
                raise Failed(str(exc)) from None
            finally:
                store.engine.dispose()
            self.web_port = free_port(ports.get("web", WEB_PORT))
            if self.database.reached_at:
                self.scheduler_port = free_port(ports.get("scheduler", SCHEDULER_PORT))
            self._tell_where()
            self._spawn("workshop")
            self._spawn("web")
            self._spawn("jobs")
        except OSError as exc:
            raise Failed(f"{exc.filename or self.folder}: {exc.strerror}; mend that and start again") from None
        until = time.monotonic() + STARTS_WITHIN
        while not self._answers():
            if self.processes["web"].poll() is not None or time.monotonic() > until:
                tail = "\n".join((self.folder / "web.log").read_text(errors="replace").splitlines()[-12:])
                raise Failed(f"the web server did not start:\n{tail}")
            time.sleep(0.05)

    def _tell_where(self) -> None:
        """Lay down beside the keys where workers on other machines find everything, if they are to."""
        keys, at, database = self.folder / "keys", self.database.reached_at, self.database
        if not at:
            (keys / REACHED).unlink(missing_ok=True)
            return
        ensure(keys)
        write_reached(keys, Reached(at, self.scheduler_port, database.port, database.worker_password))

    def _answers(self) -> bool:
        token = self.listen.token if self.listen else ""
        asked = urllib.request.Request(f"{self.address}/api/shots", headers={"Authorization": f"Bearer {token}"})
        with contextlib.suppress(OSError):
            urllib.request.urlopen(asked, timeout=5).close()
            return True
        return False

    def mend(self) -> None:
        """Start again whatever has died. A database that comes back elsewhere takes the others along."""
        if self._to_write:
            self._write_down()
        if not self.database.alive():
            say("the database has ended; starting it again")
            before = self.database.url
            self.database.start(self.database.port)
            if self.database.url != before:
                for one in self.processes.values():
                    self._end(one)
                self._tell_where()
            self._write_down()
        if time.monotonic() - self._probed > PROBE_EVERY:
            self._probed = time.monotonic()
            self._silent = 0 if self._answers() else self._silent + 1
            if self._silent >= MOST_SILENT:
                say("the web server has not answered for a while; starting it again")
                self._silent = 0
                for name in ("web", "workshop"):
                    self._end(self.processes[name])
        for name, one in list(self.processes.items()):
            if one.poll() is not None:
                say(f"the {name} process has ended; starting it again (see {self.folder / (name + '.log')})")
                end_session(one.pid)
                self._spawn(name)

    def _end(self, one: subprocess.Popen[bytes]) -> None:
        """End a part with whatever it started."""
        if one.poll() is None:
            one.send_signal(signal.SIGCONT)
            one.terminate()
            with contextlib.suppress(subprocess.TimeoutExpired):
                one.wait(timeout=ENDS_WITHIN)
        with contextlib.suppress(ProcessLookupError, PermissionError):
            os.killpg(one.pid, signal.SIGKILL)
        one.wait()
        end_session(one.pid)

    def stop(self) -> None:
        """End everything, the database last."""
        for one in self.processes.values():
            if one.poll() is None:
                one.terminate()
        for one in self.processes.values():
            self._end(one)
        self.processes = {}
        self.database.stop()
        write_down(self.folder, [])


def _told() -> str:
    """Where the running application can be opened."""
    address = read_json(RUNTIME / STATE).get("address")
    return address if isinstance(address, str) else "an address that will be written down in a moment; ask again"


def running_url() -> str:
    """The database of the running application. Raises Failed if it does not run."""
    port = read_json(RUNTIME / STATE).get("database_port")
    if Lock(RUNTIME).holder() is None or not isinstance(port, int):
        raise Failed("Dynaclast is not running; start it with ./dynaclast start, or name a folder written by bake")
    database = Database(RUNTIME)
    database.port = port
    return database.url


@contextlib.contextmanager
def _alone() -> Iterator[None]:
    """Nothing of ours runs as long as this lasts. Raises Failed where the application does."""
    lock = Lock(RUNTIME)
    if not lock.take():
        raise Failed("Dynaclast is running; end it with ./dynaclast stop, then try again")
    try:
        _end_leftovers()
        yield
    finally:
        lock.release()


@contextlib.contextmanager
def _database() -> Iterator[Database]:
    """The database by itself, as long as this lasts."""
    database = Database(RUNTIME)
    try:
        database.start()
        write_down(RUNTIME, [process("database", database.process.pid)] if database.process else [])
        yield database
    finally:
        database.stop()
        write_down(RUNTIME, [])


def _tell_rows(what: str) -> Callable[[int, int], None]:
    def tell(done: int, whole: int) -> None:
        if sys.stderr.isatty() and (done == whole or done % 50 == 0):
            print(f"\r{what} row {done} of {whole}  ", end="\n" if done == whole else "", file=sys.stderr, flush=True)

    return tell


def backup(to: Path) -> int:
    """Write all shots, takes, meshes, materials and library items to a file, also while Dynaclast runs."""
    from .store.backup import write_backup
    from .store.database import Store

    with contextlib.ExitStack() as stack:
        if Lock(RUNTIME).holder() is not None:
            url = running_url()
        elif (RUNTIME / "database").exists():
            stack.enter_context(_alone())
            url = stack.enter_context(_database()).url
        else:
            raise Failed("there is nothing to back up: Dynaclast was never started here")
        store = Store(url)
        try:
            store.migrate()
            counts = write_backup(store.engine, to, _tell_rows("writing"))
        finally:
            store.engine.dispose()
    print(f"wrote {counts['shots']} shots and {counts['takes']} takes to {to} ({to.stat().st_size / 1e6:.1f} MB)")
    return 0


def restore(file: Path) -> int:
    """Put a backup in place of what is here, which is kept beside it. Dynaclast must not run."""
    from .store.backup import head_of, read_backup
    from .store.database import NewerDatabase, Store

    head = head_of(file)
    data, aside = RUNTIME / "database", RUNTIME / time.strftime("database-before-%Y%m%d-%H%M%S")
    with _alone():
        if data.exists():
            data.rename(aside)
        try:
            with _database() as database:
                store = Store(database.url)
                try:
                    store.migrate(head["version"])
                    counts = read_backup(store.engine, file, _tell_rows("reading"))
                    store.migrate()
                except NewerDatabase as exc:
                    raise Failed(str(exc)) from None
                finally:
                    store.engine.dispose()
        except BaseException:
            shutil.rmtree(data, ignore_errors=True)
            if aside.exists():
                aside.rename(data)
            raise
    kept = f"; what was here is in {aside}" if aside.exists() else ""
    print(f"restored {counts['shots']} shots and {counts['takes']} takes{kept}")
    return 0


def status() -> int:
    pid = Lock(RUNTIME).holder()
    print(f"running at {_told()} (process {pid})" if pid else "not running")
    return 0 if pid else 3


def stop() -> int:
    """End the running Dynaclast of this checkout; only that."""
    lock = Lock(RUNTIME)
    pid = lock.holder()
    if pid is None and lock.take():  # so that none is started meanwhile
        left = _end_leftovers()
        lock.release()
        print(f"not running; ended {left} parts that a killed one left behind" if left else "not running")
        return 0
    pid = pid or lock.holder()
    if pid is None:
        return stop()
    os.kill(pid, signal.SIGTERM)
    until = time.monotonic() + 60
    while lock.holder() == pid:
        if time.monotonic() > until:
            raise Failed(
                f"it has not ended within a minute; end process {pid} by hand, then run ./dynaclast stop again"
            )
        time.sleep(0.1)
    print("stopped")
    return 0


def run(*, demo: bool, listen: str | None = None, workers_at: str | None = None) -> int:
    """Start, print the address, and stay until Ctrl-C or `stop`.

    listen, workers_at : addresses of this machine where browsers and workers of others find it
    """
    lock = Lock(RUNTIME)
    if not lock.take():
        state = read_json(RUNTIME / STATE)
        print(
            f"Dynaclast is already running at {_told()}" if state else "Dynaclast is being started by another process"
        )
        return 0
    parts = Parts(
        listen=listen_at(listen, RUNTIME) if listen else None,
        reached_at=interface_address(workers_at, "--workers-at") if workers_at else "",
    )
    ended: list[int] = []
    for sign in (signal.SIGINT, signal.SIGTERM):
        signal.signal(sign, lambda number, _frame: ended.append(number))
    try:
        _end_leftovers()
        (RUNTIME / STATE).unlink(missing_ok=True)
        say("starting the database, the bake service and the web server")
        parts.start(_remembered_ports())
        _remember(parts)
        if demo:
            from .demo import load_demo

            load_demo(parts.database.url, lambda: bool(ended), str(short_socket(RUNTIME, POKE)))
        if not ended:
            print(f"\nDynaclast is ready: {parts.address_told}\n", flush=True)
            if workers_at:
                print(f"Workers on other machines: copy {RUNTIME / 'keys'} to runtime/keys there, ./dynaclast worker\n")
        told = ""
        while not ended:
            time.sleep(LOOK_EVERY)
            if ended:
                break
            try:
                parts.mend()
                told = ""
                _remember(parts)
            except (Failed, OSError) as exc:  # a full disk, for one: it goes on as soon as that is mended
                if str(exc) != told:
                    say(told := str(exc))
    finally:
        say("ending Dynaclast")
        parts.stop()
        (RUNTIME / STATE).unlink(missing_ok=True)
        lock.release()
    return 0


PROBE_EVERY = 15.0
"""Seconds between looks whether the web server answers."""
MOST_SILENT = 3
"""Times it may not answer in a row before it is taken for stuck."""
ENDS_WITHIN = 6.0
"""Seconds that a part is given to end by itself."""
LOOK_EVERY = 1.0
"""Seconds between looks whether all parts run."""


def _remember(parts: Parts) -> None:
    """Write down where the parts are, if that is not what is there."""
    state: dict[str, object] = {
        "pid": os.getpid(),
        "address": parts.address_told,
        "web_port": parts.web_port,
        "database_port": parts.database.port,
    }
    ports: dict[str, object] = {"web": parts.web_port, "database": parts.database.port}
    if parts.scheduler_port:
        ports["scheduler"] = parts.scheduler_port
    for path, value, mode in ((RUNTIME / STATE, state, 0o600), (RUNTIME / PORTS, ports, 0o644)):
        if read_json(path) != value:
            write_json(path, value, mode)


def _remembered_ports() -> dict[str, int]:
    found = read_json(RUNTIME / PORTS)
    return {k: v for k, v in found.items() if isinstance(v, int) and 1024 <= v < 65536}


def _end_leftovers() -> int:
    """End parts that a killed supervisor left running: only processes it wrote down that are still the same, and a
    server on our own data. Returns how many there were.
    """
    left = written_down(RUNTIME)
    server = Database(RUNTIME).leftover()
    if server is not None and server not in {p.pid for p in left}:
        left.append(process("database", server))
    for one in sorted(left, key=_database_last):
        end(one)
    write_down(RUNTIME, [])
    return len(left)


def _database_last(one: Process) -> bool:
    return one.name == "database"


def worker(keys: Path) -> int:
    """Bake for a Dynaclast on another machine, whose keys were copied here, until Ctrl-C. Raises Failed."""
    reached = read_reached(keys)
    if reached is None or not whole(keys):
        raise Failed(
            f"{keys} does not say whom to work for; start Dynaclast there with --workers-at ADDRESS and copy its "
            f"runtime/keys here"
        )
    from .jobs.machines import work

    logging.basicConfig(level=logging.WARNING, format="%(message)s", stream=sys.stdout)
    logging.getLogger("distributed").setLevel(logging.ERROR)
    stop = threading.Event()
    for sign in (signal.SIGINT, signal.SIGTERM):
        signal.signal(sign, lambda _number, _frame: stop.set())
    work(reached, keys, stop)
    return 0
