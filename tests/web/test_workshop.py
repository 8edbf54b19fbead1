"""Heavy requests: handed on, answered, and stopped where nobody waits for them any more."""

from __future__ import annotations

import socket
import socketserver
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler
from pathlib import Path
from typing import Any

import pytest
from flask.testing import FlaskClient

from dynaclast.core.document import Body
from dynaclast.jobs.builds import Builds
from dynaclast.jobs.interrupt import Interrupted, Interruptible
from dynaclast.mariadb import Database
from dynaclast.web import workshop
from dynaclast.web.app import create_app
from dynaclast.web.guard import HEADER
from dynaclast.web.workshop import GONE, Watched, hand_on
from shots import box


def endless(_environ: dict[str, Any], _start: Any) -> list[bytes]:
    while True:
        time.sleep(0.005)


def answer(app: Watched, peer: socket.socket | None = None) -> tuple[str, bytes]:
    said: list[str] = []
    body = b"".join(app({"gunicorn.socket": peer}, lambda status, _headers: said.append(status)))
    return said[0], body


# ---------------------------------------------------------------------------- the workshop's side


def test_a_request_whose_client_has_left_is_stopped() -> None:
    app = Watched(endless)
    ours, theirs = socket.socketpair()
    threading.Timer(0.3, theirs.close).start()
    began = time.monotonic()
    assert answer(app, ours)[0].startswith(str(GONE)) and time.monotonic() - began < 8.0
    ours.close()


def test_a_request_that_takes_too_long_is_stopped_and_the_thread_goes_on() -> None:
    app = Watched(endless, longest=0.2)
    for _ in range(3):
        assert answer(app)[0].startswith(str(GONE))
    total = sum(range(200_000))  # no interrupt comes late
    assert total == 19999900000


def test_what_needs_more_memory_than_there_is_says_so() -> None:
    def eats(_environ: dict[str, Any], _start: Any) -> list[bytes]:
        raise MemoryError

    status, body = answer(Watched(eats))
    assert status.startswith("413") and b"make it smaller" in body


def test_an_interrupt_reaches_the_stretch_and_nothing_after_it() -> None:
    for k in range(60):
        work = Interruptible()
        threading.Timer(0.0005 * (k % 7), work.interrupt).start()
        try:
            with work:
                for _ in range(300 * (k % 5)):
                    pass
        except Interrupted:
            pass
        time.sleep(0.004)
    late = Interruptible()
    late.interrupt("no more")
    with pytest.raises(Interrupted), late:
        pytest.fail("it had not begun")
    assert late.why == "no more"


def test_who_waits_for_a_long_build_can_be_interrupted() -> None:
    class Slow:
        def known(self, _body: Body) -> None:
            return None

        def get(self, _body: Body, _tell: Any) -> None:
            time.sleep(20)

    work, builds = Interruptible(), Builds(Slow())  # type: ignore[arg-type]
    threading.Timer(0.2, work.interrupt).start()
    began = time.monotonic()
    with pytest.raises(Interrupted), work:
        builds.ask(Body.model_validate(box("a", (0, 1, 0))), 3600.0)
    assert time.monotonic() - began < 8.0


# ------------------------------------------------------------------------- the web server's side


@contextmanager
def elsewhere(path: Path, seen: list[tuple[str, str, bytes]]) -> Iterator[None]:
    """A workshop that notes what it is asked, and answers with it."""

    class Handler(BaseHTTPRequestHandler):
        def do_POST(self) -> None:  # noqa: N802 - the library's name
            body = self.rfile.read(int(self.headers.get("Content-Length", 0)))
            seen.append((self.path, self.headers["Host"], body))
            assert self.headers[HEADER]
            self.send_response(422)
            self.send_header("Content-Type", "application/json")
            self.send_header("Set-Cookie", "not=ours")
            self.end_headers()
            self.wfile.write(body)

        do_GET = do_PUT = do_POST

        def log_message(self, *_: object) -> None:
            pass

        def address_string(self) -> str:
            return ""

    with socketserver.ThreadingUnixStreamServer(str(path), Handler) as server:
        threading.Thread(target=server.serve_forever, args=(0.05,), daemon=True).start()
        yield
        server.shutdown()


@pytest.fixture
def front(database: Database, tmp_path: Path) -> Iterator[FlaskClient]:
    app = create_app(database.url)
    hand_on(app, str(tmp_path / "w"))
    with app.test_client() as out:
        out.environ_base["HTTP_X_DYNACLAST"] = "1"
        yield out
    app.extensions["dynaclast"].store.engine.dispose()


def test_all_about_bodies_and_what_is_large_is_handed_on_as_it_came_and_saving_is_not(
    front: FlaskClient, tmp_path: Path
) -> None:
    seen: list[tuple[str, str, bytes]] = []
    with elsewhere(tmp_path / "w", seen):
        got = front.post("/api/survey", data=b'{"frame": NaN}', content_type="application/json")
        assert (got.status_code, got.data) == (422, b'{"frame": NaN}')
        assert "Set-Cookie" not in got.headers and got.headers["Content-Security-Policy"]
        front.get("/api/takes/abc/export?format=npz")
        assert front.get("/api/shots").status_code == 200
        assert front.post("/api/shots", json={"name": "a"}).status_code == 200
        front.put("/api/shots/x", data=b" " * (workshop.LARGE + 1), content_type="application/json")
    assert [s[0] for s in seen] == ["/api/survey?", "/api/takes/abc/export?format=npz", "/api/shots/x?"]
    assert {s[1] for s in seen} == {"localhost"}


def test_an_answer_that_nobody_reads_leaves_its_place(
    database: Database, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(workshop, "AT_ONCE", 1)
    monkeypatch.setattr(workshop, "WAITS", 0.2)
    app = create_app(database.url)
    hand_on(app, str(tmp_path / "w"))
    with elsewhere(tmp_path / "w", []), app.test_client() as client:
        for _ in range(3):
            got = client.post("/api/survey", data=b"{}", headers={HEADER: "1"}, buffered=False)
            assert got.status_code == 422
            got.close()
    app.extensions["dynaclast"].store.engine.dispose()


def test_a_workshop_that_is_away_is_said_and_nothing_else_suffers(front: FlaskClient) -> None:
    got = front.post("/api/survey", json={})
    assert got.status_code == 503 and "try again" in got.get_json()["message"]
    assert front.get("/api/shots").status_code == 200


def test_more_than_there_is_room_for_wait_and_are_sent_away(
    database: Database, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(workshop, "AT_ONCE", 1)
    monkeypatch.setattr(workshop, "WAITS", 0.2)
    app = create_app(database.url)
    hand_on(app, str(tmp_path / "w"))
    silent = socket.socket(socket.AF_UNIX)
    silent.bind(str(tmp_path / "w"))
    silent.listen(5)

    def ask() -> int:
        with app.test_client() as client:
            return int(client.post("/api/survey", json={}, headers={HEADER: "1"}).status_code)

    first = threading.Thread(target=ask)
    first.start()
    time.sleep(0.3)
    assert ask() == 503
    taken, _ = silent.accept()
    taken.close()  # the first is told that it has ended, and leaves its place
    first.join(timeout=10)
    silent.close()
    assert ask() == 503
    app.extensions["dynaclast"].store.engine.dispose()
