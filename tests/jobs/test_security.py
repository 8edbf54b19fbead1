"""Nobody without our keys gives work to a worker, and nothing of the service can be looked at."""

from __future__ import annotations

import contextlib
import os
import socket
import ssl
import stat
import threading
import time
from pathlib import Path

import pytest
from distributed import Client
from distributed.security import Security

from dynaclast.jobs import bell as bells
from dynaclast.jobs.bell import Bell, ring
from dynaclast.jobs.security import security
from dynaclast.keys import CERTIFICATE, KEY
from dynaclast.mariadb import Database
from services import bake_service

ROOT = Path(__file__).parents[2]


def test_keys_are_made_once_for_our_eyes_only(tmp_path: Path) -> None:
    folder = tmp_path / "keys"
    first = security(folder)
    data = (folder / KEY).read_bytes()
    assert first.require_encryption
    assert stat.S_IMODE((folder / KEY).stat().st_mode) == 0o600 and stat.S_IMODE(folder.stat().st_mode) == 0o700
    security(folder)
    assert (folder / KEY).read_bytes() == data
    (folder / CERTIFICATE).unlink()
    security(folder)
    assert (folder / KEY).read_bytes() != data, "a pair belongs together"


def listening(leader: int) -> list[int]:
    """TCP ports on which a session's processes listen."""
    sockets = set()
    for entry in Path("/proc").iterdir():
        try:
            if entry.name.isdigit() and os.getsid(int(entry.name)) == leader:
                sockets |= {os.readlink(x) for x in (entry / "fd").iterdir()}
        except OSError:
            continue
    ports = []
    for line in Path("/proc/net/tcp").read_text().splitlines()[1:]:
        fields = line.split()
        if fields[3] == "0A" and f"socket:[{fields[9]}]" in sockets:
            address, port = fields[1].split(":")
            assert address == "0100007F", "it listens on loopback alone"
            ports.append(int(port, 16))
    return ports


def test_strangers_on_this_machine_can_hand_no_work_to_the_workers(database: Database, tmp_path: Path) -> None:
    settings = {"DYNACLAST_KEYS": str(tmp_path / "keys"), bells.SETTING: str(tmp_path / "b")}
    with bake_service(database, **settings) as process:
        time.sleep(1.0)
        ports = listening(process.pid)
        assert ports
        stranger = tmp_path / "stranger"
        for port in ports:  # each of them wants to see a certificate that ours has signed
            with (
                contextlib.suppress(ConnectionError),
                socket.create_connection(("127.0.0.1", port), timeout=5) as plain,
            ):
                plain.sendall(b"GET / HTTP/1.0\r\n\r\n")
                assert b"HTTP" not in plain.recv(100), "a page"
            context = ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)
            context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
            security(stranger)
            context.load_cert_chain(str(stranger / CERTIFICATE), str(stranger / KEY))
            with (
                pytest.raises((ssl.SSLError, ConnectionError, TimeoutError)),
                socket.create_connection(("127.0.0.1", port), timeout=5) as raw,
                context.wrap_socket(raw) as wrapped,
            ):
                if not wrapped.recv(1):
                    raise ConnectionError
        for address, secret in (
            (f"tcp://127.0.0.1:{ports[0]}", Security()),
            (f"tls://127.0.0.1:{ports[0]}", security(stranger)),
        ):
            with pytest.raises((OSError, TimeoutError)):
                Client(address, security=secret, timeout=1.5, set_as_default=False)


def test_who_rings_wakes_the_service_and_a_bell_nobody_hears_does_no_harm(tmp_path: Path) -> None:
    path = str(tmp_path / "b")
    ring(path)
    ring("")
    ring("x" * 200)
    bell = Bell(path)
    try:
        assert stat.S_IMODE(os.stat(path).st_mode) == 0o600
        threading.Timer(0.1, ring, (path,)).start()
        began = time.monotonic()
        assert bell.wait(20.0) and time.monotonic() - began < 10.0
        for _ in range(5):
            ring(path)
        assert bell.wait(1.0) and not bell.wait(0.01), "rung often, heard once"
    finally:
        bell.close()
    silent = Bell("")
    assert not silent.wait(0.01)
    silent.close()
