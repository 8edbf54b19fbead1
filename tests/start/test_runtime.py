"""What runs in a folder: who holds its lock, what a kill leaves behind, and what is never ended."""

from __future__ import annotations

import json
import os
import signal
import socket
import stat
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from sqlalchemy import create_engine, text

from dynaclast import mariadb, runtime
from dynaclast.mariadb import Database
from dynaclast.processes import (
    LIST,
    Lock,
    Process,
    began,
    end,
    process,
    read_json,
    write_down,
    write_json,
    written_down,
)
from dynaclast.runtime import Parts
from dynaclast.setup import Failed
from dynaclast.store.database import NewerDatabase, Store

SOURCES = Path(runtime.__file__).parents[1]


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setattr(runtime, "RUNTIME", tmp_path)
    return tmp_path


@contextmanager
def sleeper(*command: str) -> Iterator[subprocess.Popen[bytes]]:
    one = subprocess.Popen(command or ("/bin/sleep", "60"), start_new_session=True)
    try:
        yield one
    finally:
        one.kill()
        one.wait()


@contextmanager
def holding(folder: Path) -> Iterator[subprocess.Popen[bytes]]:
    """Another process that holds a folder's lock until it is told to end."""
    program = (
        "import sys, time; from pathlib import Path; from dynaclast.processes import Lock\n"
        "lock = Lock(Path(sys.argv[1])); print(lock.take(), flush=True); time.sleep(60)"
    )
    one = subprocess.Popen(
        [sys.executable, "-c", program, str(folder)],
        stdout=subprocess.PIPE,
        env={**os.environ, "PYTHONPATH": str(SOURCES)},
    )
    assert one.stdout is not None
    assert one.stdout.readline() == b"True\n"
    try:
        yield one
    finally:
        one.kill()
        one.wait()
        one.stdout.close()


# -------------------------------------------------------------------------------- the lock


def test_one_holds_the_lock_and_a_kill_frees_it(folder: Path) -> None:
    with holding(folder) as other:
        lock = Lock(folder)
        assert lock.holder() == other.pid and not lock.take()
        other.kill()
        other.wait()
        assert lock.holder() is None and lock.take()
        lock.release()


@pytest.mark.parametrize("state", [None, "", "{", "[]", "{}", '{"address": 7}', '{"pid": 1, "address": "x"}'])
def test_whether_it_runs_hangs_on_the_lock_alone_and_never_on_what_is_written(
    folder: Path, state: str | None, capsys: pytest.CaptureFixture[str]
) -> None:
    if state is not None:
        (folder / runtime.STATE).write_text(state)
    assert runtime.status() == 3 and runtime.stop() == 0
    with pytest.raises(Failed, match="start it with ./dynaclast start"):
        runtime.running_url()
    with holding(folder) as other:
        assert runtime.status() == 0
        assert runtime.run(demo=False) == 0, "a second start touches nothing"
        assert other.poll() is None
        said = capsys.readouterr().out
        assert f"process {other.pid}" in said and ("already" in said or "being started" in said)
        other_ends = runtime.stop()
        assert other_ends == 0 and other.wait(timeout=10) == -signal.SIGTERM


def test_a_folder_that_cannot_be_written_is_said_in_a_sentence(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    with pytest.raises(Failed, match="cannot be written to.*Make it writable"):
        Lock(tmp_path / "file" / "runtime").take()


# ------------------------------------------------------------------------ what a kill leaves


def test_only_the_very_process_that_was_written_down_is_ours(folder: Path) -> None:
    with sleeper() as one, sleeper() as stranger:
        ours = process("web", one.pid)
        write_down(folder, [ours, Process("jobs", stranger.pid, ours.began - 1), Process("web", 999_999_999, 5)])
        assert written_down(folder) == [ours]
        assert runtime._end_leftovers() == 1
        assert one.wait(timeout=5) == -signal.SIGTERM
        assert stranger.poll() is None, "a number that another process has by now"
        assert written_down(folder) == []


@pytest.mark.parametrize(
    "text", ["", "{", "[]", '{"processes": 7}', '{"processes": [[1], "x", ["web", -1, 0], ["web", 1, 1]]}']
)
def test_a_list_that_is_odd_ends_nobody(folder: Path, text: str) -> None:
    (folder / LIST).write_text(text)
    assert written_down(folder) == [] and runtime._end_leftovers() == 0


def test_ending_takes_what_it_started_along_also_where_it_is_paused(folder: Path) -> None:
    with sleeper("/bin/sh", "-c", "trap '' TERM; sleep 61 & sleep 62 & wait") as one:
        ours = process("jobs", one.pid)
        time.sleep(0.3)
        one.send_signal(signal.SIGSTOP)
        children = [int(x) for x in Path(f"/proc/{one.pid}/task/{one.pid}/children").read_text().split()]
        assert len(children) == 2
        end(ours, within=0.5)
        assert one.wait(timeout=5) == -signal.SIGKILL
        until = time.monotonic() + 5
        while any(began(pid) is not None for pid in children):
            assert time.monotonic() < until
            time.sleep(0.02)


def test_what_is_written_is_there_whole_or_not_at_all(tmp_path: Path) -> None:
    path = tmp_path / "x.json"
    write_json(path, {"a": 1}, 0o600)
    assert read_json(path) == {"a": 1} and stat.S_IMODE(path.stat().st_mode) == 0o600
    path.write_text("[" * 100_000)
    assert read_json(path) == {}
    write_json(path, {"a": 2})
    assert read_json(path) == {"a": 2} and list(tmp_path.iterdir()) == [path]


@pytest.mark.parametrize("text", ["", "no json", "[1", '{"web": "x", "database": 80}', '{"web": 99999999}'])
def test_ports_that_cannot_be_read_are_chosen_anew(folder: Path, text: str) -> None:
    (folder / runtime.PORTS).write_text(text)
    assert runtime._remembered_ports() == {}
    (folder / runtime.PORTS).write_text('{"web": 8500}')
    assert runtime._remembered_ports() == {"web": 8500}


# -------------------------------------------------------------------------------- listening


@pytest.mark.parametrize("address", ["0.0.0.0", "::", "my-host", "192.168.1", ""])
def test_it_listens_at_one_interface_or_not_at_all(folder: Path, address: str) -> None:
    with pytest.raises(Failed, match="--listen takes the address"):
        runtime.listen_at(address, folder)


def test_the_token_stays_the_same_and_is_for_our_eyes(folder: Path) -> None:
    first = runtime.listen_at("192.0.2.7", folder)
    assert len(first.token) >= 30 and runtime.listen_at("192.0.2.8", folder).token == first.token
    assert stat.S_IMODE((folder / runtime.ACCESS).stat().st_mode) == 0o600
    (folder / runtime.ACCESS).write_text('{"token": "short"}')
    assert len(runtime.listen_at("192.0.2.7", folder).token) >= 30


# ---------------------------------------------------------------------------- the real parts


def ask(url: str, token: str = "") -> int:
    asked = urllib.request.Request(f"{url}/api/shots", headers={"Authorization": f"Bearer {token}"})
    with urllib.request.urlopen(asked, timeout=10) as answer:
        json.load(answer)
        return int(answer.status)


def patiently(url: str, token: str = "") -> int:
    until = time.monotonic() + 60
    while True:
        try:
            return ask(url, token)
        except OSError:
            assert time.monotonic() < until
            time.sleep(0.1)


def test_a_stuck_server_is_started_again_and_a_database_that_comes_back_elsewhere_is_found(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    listen = runtime.listen_at("127.0.0.2", tmp_path)
    parts = Parts(tmp_path, listen)
    taken = socket.socket()
    try:
        parts.start()
        names = {p.name for p in written_down(tmp_path)}
        assert names == {"database", "workshop", "web", "jobs"}, "written down as they were started"
        assert ask(parts.address, listen.token) == 200
        assert ask(f"http://127.0.0.2:{parts.web_port}", listen.token) == 200
        monkeypatch.setattr(runtime, "PROBE_EVERY", 0.0)
        monkeypatch.setattr(runtime, "MOST_SILENT", 1)
        monkeypatch.setattr(runtime, "ENDS_WITHIN", 1.0)
        stuck = parts.processes["web"]
        for pid in [stuck.pid, *map(int, Path(f"/proc/{stuck.pid}/task/{stuck.pid}/children").read_text().split())]:
            os.kill(pid, signal.SIGSTOP)
        parts.mend()
        assert parts.processes["web"].pid != stuck.pid and patiently(parts.address, listen.token) == 200
        server, before = parts.database.process, parts.database.port
        assert server is not None
        server.kill()
        server.wait()
        (tmp_path / "database.json").unlink()
        taken.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        taken.bind(("127.0.0.1", before))
        taken.listen()
        parts.mend()
        assert parts.database.port != before
        assert patiently(parts.address, listen.token) == 200
        assert stat.S_IMODE((tmp_path / "database.json").stat().st_mode) == 0o600
        assert not (tmp_path / "database.start.sql").exists(), "passwords are not left lying about"
    finally:
        taken.close()
        parts.stop()
    assert written_down(tmp_path) == []


def test_a_server_that_outlived_its_supervisor_is_told_by_its_folder(tmp_path: Path) -> None:
    server = Database(tmp_path / "one")
    others = Path(tempfile.gettempdir()) / f"#sql-temptable-{os.getpid()}-1-1.MAI"
    others.write_text("a table that another server is at work with")
    server.start()
    try:
        assert others.exists(), "it deletes what it finds where its own lie"
        assert server.process is not None
        assert Database(tmp_path / "one").leftover() == server.process.pid
        (tmp_path / "two").mkdir()
        (tmp_path / "two" / "database.pid").write_text(str(server.process.pid))
        assert Database(tmp_path / "two").leftover() is None, "one of another checkout"
    finally:
        others.unlink(missing_ok=True)
        server.stop()


def test_a_database_of_a_newer_program_and_a_full_disk_are_said_in_a_sentence(
    database: Database, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    engine = create_engine(database.url)
    with engine.begin() as connection:
        known = connection.execute(text("SELECT version_num FROM alembic_version")).scalar_one()
        connection.execute(text("UPDATE alembic_version SET version_num = '9999'"))
    try:
        with pytest.raises(NewerDatabase, match="made by a newer Dynaclast"):
            Store(database.url).migrate()
    finally:
        with engine.begin() as connection:
            connection.execute(text("UPDATE alembic_version SET version_num = :v"), {"v": known})
        engine.dispose()
    monkeypatch.setattr(mariadb, "LEAST_ROOM", 1 << 60)
    with pytest.raises(Failed, match="MB left and the database needs"):
        Database(tmp_path / "full").start()
