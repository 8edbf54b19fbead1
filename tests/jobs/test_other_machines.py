"""Workers on other machines: database and bake service in one network namespace, a worker in each of two others, over
a network that joins them to the first.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pymysql
import pytest

from dynaclast.core import document
from dynaclast.core.bake import bake
from dynaclast.jobs.machines import own_address
from dynaclast.jobs.take_export import baked_take
from dynaclast.keys import REACHED, Reached, read_reached, write_reached
from dynaclast.store import shots, takes
from dynaclast.store.database import Store
from shots import ball, box, shot

ROOT = Path(__file__).parents[2]
NET = "10.213.77"
HOME = """
import os, sys, time
from pathlib import Path
from dynaclast.runtime import Parts
parts = Parts(Path(sys.argv[1]), reached_at=sys.argv[2])
try:
    parts.start()
    print("ready", parts.database.url, flush=True)
    sys.stdin.readline()
finally:
    parts.stop()
"""


def can() -> bool:
    name = f"dyn-try-{os.getpid()}"
    if shutil.which("ip") is None or subprocess.run(["ip", "netns", "add", name], capture_output=True).returncode:
        return False
    subprocess.run(["ip", "netns", "del", name], check=True)
    return True


@pytest.fixture
def spaces() -> Iterator[list[str]]:
    """Names of three network namespaces, the first joined to each of the others, at NET.1 to NET.3."""
    if not can():
        pytest.skip("network namespaces need the rights of root and the command ip")
    names = [f"dyn{os.getpid()}-{k}" for k in range(3)]

    def ip(*words: str, at: str = "") -> None:
        subprocess.run(["ip", *(["-n", at] if at else []), *words], check=True, capture_output=True)

    try:
        for name in names:
            ip("netns", "add", name)
            ip("link", "set", "lo", "up", at=name)
        for k, name in enumerate(names[1:], start=2):
            ip("link", "add", f"v{k}", "type", "veth", "peer", "name", "e", "netns", name, at=names[0])
            for at, device, own, other in ((names[0], f"v{k}", 1, k), (name, "e", k, 1)):
                ip("addr", "add", f"{NET}.{own}", "peer", f"{NET}.{other}", "dev", device, at=at)
                ip("link", "set", device, "up", at=at)
        yield names
    finally:
        for name in names:
            subprocess.run(["ip", "netns", "del", name], capture_output=True)


@contextlib.contextmanager
def inside(space: str, *command: str, **more: str) -> Iterator[subprocess.Popen[str]]:
    env = {**os.environ, "PYTHONPATH": str(ROOT / "src"), **more}
    process = subprocess.Popen(
        ["ip", "netns", "exec", space, sys.executable, *command],
        env=env,
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
        start_new_session=True,
    )
    try:
        yield process
    finally:
        process.terminate()
        with contextlib.suppress(subprocess.TimeoutExpired):
            process.wait(timeout=40)
        with contextlib.suppress(ProcessLookupError):
            os.killpg(process.pid, signal.SIGKILL)


LOOK = """
import sys, pymysql
at, port, password, ca, cert, key = sys.argv[1:]
tls = {"ca": ca, "cert": cert, "key": key, "check_hostname": False}
for ssl in (None, {"ca": ca, "check_hostname": False}, tls):
    try:
        with pymysql.connect(host=at, port=int(port), user="dynaclast_worker", password=password, ssl=ssl,
                             database="dynaclast") as c, c.cursor() as cursor:
            cursor.execute("SHOW STATUS LIKE 'Ssl_cipher'")
            print("in", bool(cursor.fetchone()[1]))
            try:
                cursor.execute("DROP TABLE takes")
                print("dropped")
            except pymysql.err.OperationalError:
                print("may not drop")
    except pymysql.err.OperationalError as exc:
        print("refused", exc.args[0])
"""


def test_two_workers_elsewhere_bake_by_the_keys_they_were_given(spaces: list[str], tmp_path: Path) -> None:
    home, *others = spaces
    with contextlib.ExitStack() as stack:
        main = stack.enter_context(inside(home, "-c", HOME, str(tmp_path / "home"), f"{NET}.1"))
        assert main.stdout is not None and main.stdin is not None
        words = main.stdout.readline().split()
        assert words[:1] == ["ready"]
        keys = tmp_path / "copied"
        shutil.copytree(tmp_path / "home" / "keys", keys)
        reached = read_reached(keys)
        assert reached is not None
        pair = [str(keys / "certificate.pem"), str(keys / "certificate.pem"), str(keys / "key.pem")]
        where = [reached.address, str(reached.database_port), reached.password]
        with inside(others[0], "-c", LOOK, *where, *pair) as looks:
            assert looks.stdout is not None
            said = looks.stdout.read().splitlines()
        denied = f"refused {pymysql.constants.ER.ACCESS_DENIED_ERROR}"
        assert said == [denied, denied, "in True", "may not drop"]
        for space in others:
            worker = stack.enter_context(inside(space, "-m", "dynaclast", "worker", "--keys", str(keys)))
            assert worker.stdout is not None
            while "working for" not in (line := worker.stdout.readline()):
                assert line, "the worker has ended"
        # the address of the database inside its namespace: this process goes there for as long as it looks
        with as_if_in(home):
            _bake_and_look(words[1])
        main.stdin.write("\n")
        main.stdin.flush()
        main.wait(timeout=60)  # it ends its database


@contextlib.contextmanager
def as_if_in(space: str) -> Iterator[None]:
    """This thread in a network namespace."""
    import ctypes

    libc = ctypes.CDLL(None, use_errno=True)
    with open("/proc/self/ns/net") as before, open(f"/run/netns/{space}") as there:
        assert libc.setns(there.fileno(), 0x40000000) == 0
        try:
            yield
        finally:
            assert libc.setns(before.fileno(), 0x40000000) == 0


def _bake_and_look(url: str) -> None:
    """Six takes at once: some are baked in either of the other places, and all as anywhere."""
    scene = shot(box("a", (0, 2, 0)), ball("b", (0.2, 4, 0)), frames=40)
    store = Store(url)
    try:
        with store.session() as session:
            made = shots.create(session, scene)
            ids = [takes.ask(session, made.id, 40).id for _ in range(6)]
        until = time.monotonic() + 120
        while True:
            with store.session() as session:
                rows = [takes.find(session, k) for k in ids]
                stand = [(r.status, r.worker, r.message) for r in rows]
            if all(s in ("done", "failed") for s, _, _ in stand):
                break
            assert time.monotonic() < until, stand
            time.sleep(0.2)
        assert [s for s, _, _ in stand] == ["done"] * 6, stand
        assert len({worker for _, worker, _ in stand}) >= 2, "home's own, or one of two others, does not do it alone"
        want = bake(document.parse(document.dump(scene)))
        for one in ids:
            assert np.array_equal(baked_take(store, one)[2].position, want.position)
    finally:
        store.engine.dispose()


def test_what_is_told_of_the_way_is_read_again_and_odd_is_nothing(tmp_path: Path) -> None:
    assert read_reached(tmp_path) is None
    write_reached(tmp_path, Reached("fd00::1", 8471, 3306, "p"))
    assert (back := read_reached(tmp_path)) == Reached("fd00::1", 8471, 3306, "p") and back.host == "[fd00::1]"
    (tmp_path / REACHED).write_text('{"address": "10.0.0.1", "scheduler_port": "8471"}')
    assert read_reached(tmp_path) is None
    assert own_address(Reached("127.0.0.1", 9, 9, "")) == "127.0.0.1"
