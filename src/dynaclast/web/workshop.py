"""Heavy requests leave the web server for a process of their own, so that saving never waits for a survey.

The web server hands them on over a socket, and leaves one as soon as who asked has gone. The workshop stops what nobody
waits for any more, and what takes too long; it has a limit of memory.
"""

from __future__ import annotations

import http.client
import importlib
import os
import resource
import select
import socket
import threading
import time
from collections.abc import Callable, Iterable
from functools import partial
from pathlib import Path
from typing import Any

from flask import Flask, Response, request

from ..jobs.interrupt import Interrupted, Interruptible
from ..jobs.loaded import keep_for_good
from .app import create_app, problem
from .guard import HEADER
from .services import services_of

SETTING = "DYNACLAST_WORKSHOP"
"""Environment variable with the path of the socket."""
HEAVY = frozenset(
    {"takes.get_take", "takes.export", "takes.shot_picture", "takes.take_picture", "takes.loads_on_piece"}
)
"""Endpoints that go there, beside all about bodies."""
LARGE = 1 << 20
"""Bytes of a request from which on it goes there whatever it asks: reading 60 MB of JSON takes seconds."""
AT_ONCE = 24
"""Requests that may be under way there; more wait, for so long [s]:"""
WAITS = 15.0
LONGEST = 180.0
"""Seconds a request may take. Builds go on beside requests, with progress."""
MOST_MEMORY = 10 * 1024**3
NEEDED = ("scipy.interpolate", "scipy.ndimage", "PIL.Image")
"""Libraries that are whole before threads ask for parts of them, who would find them half there."""
LOOK_EVERY = 0.25
PART = 1 << 18
GONE = 499
"""Status of an answer that nobody waits for."""
KEPT = ("Content-Type", "Content-Length", "Content-Disposition", "Cache-Control", "ETag", "Last-Modified")

Wsgi = Callable[[dict[str, Any], Callable[..., Any]], Iterable[bytes]]


class _Connection(http.client.HTTPConnection):
    """To a socket in the file system."""

    def __init__(self, path: str) -> None:
        super().__init__("localhost")
        self._path = path

    def connect(self) -> None:
        self.sock = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        self.sock.connect(self._path)


def _has_left(peer: socket.socket | None) -> bool:
    """Whether who asked has closed its end."""
    if peer is None:
        return False
    try:
        if not select.select([peer], [], [], 0.0)[0]:
            return False
        return peer.recv(1, socket.MSG_PEEK) == b""
    except (OSError, ValueError):
        return True


# ------------------------------------------------------------------------- the web server's side


def hand_on(app: Flask, path: str) -> None:
    """Let heavy requests of an application be answered by the workshop at a path."""
    room = threading.BoundedSemaphore(AT_ONCE)

    @app.before_request
    def _heavy() -> Any:
        large = (request.content_length or 0) > LARGE
        if request.blueprint != "bodies" and request.endpoint not in HEAVY and not large:
            return None
        if not room.acquire(timeout=WAITS):
            return problem(503, "busy", "too much is being worked out at once; try again in a moment", request.path)
        connection = _Connection(path)

        def leave() -> None:
            connection.close()
            room.release()

        try:
            answer = _ask(connection)
        except (OSError, http.client.HTTPException):
            leave()
            return problem(
                503, "away", "what works this out has ended and is being started again; try again", request.path
            )
        except BaseException:
            leave()
            raise
        if answer is None:
            leave()
            return Response(status=GONE)
        headers = {k: v for k in KEPT if (v := answer.headers.get(k)) is not None}
        out = Response(iter(partial(answer.read, PART), b""), status=answer.status, headers=headers)
        out.call_on_close(leave)  # also where nobody reads it
        return out


def _ask(connection: _Connection) -> http.client.HTTPResponse | None:
    """Its answer, without its content; None where who asked has left meanwhile."""
    headers = {"Host": request.host, HEADER: "1"}
    if request.content_type:
        headers["Content-Type"] = request.content_type
    body = request.get_data(cache=False)
    connection.request(request.method, request.full_path, body or None, headers)
    peer = request.environ.get("gunicorn.socket")
    while not select.select([connection.sock], [], [], LOOK_EVERY)[0]:
        if _has_left(peer):
            return None
    return connection.getresponse()


# ---------------------------------------------------------------------------- the workshop's side


class Watched:
    """A WSGI application whose requests stop when who asked has left, or when they take too long."""

    def __init__(self, app: Wsgi, longest: float = LONGEST) -> None:
        self._app, self._longest = app, longest
        self._under_way: dict[Interruptible, tuple[socket.socket | None, float]] = {}
        self._lock = threading.Lock()
        threading.Thread(target=self._watch, daemon=True).start()

    def __call__(self, environ: dict[str, Any], start_response: Callable[..., Any]) -> Iterable[bytes]:
        work = Interruptible()
        with self._lock:
            self._under_way[work] = environ.get("gunicorn.socket"), time.monotonic() + self._longest
        try:
            with work:
                return self._app(environ, start_response)
        except Interrupted:
            start_response(f"{GONE} Gone", [("Content-Type", "application/json"), ("Content-Length", "0")])
            return []
        except MemoryError:
            start_response("413 Too Large", [("Content-Type", "application/json")])
            return [b'{"code": "input.size", "message": "this needs more memory than there is; make it smaller"}']
        finally:
            with self._lock:
                self._under_way.pop(work, None)

    def _watch(self) -> None:
        while True:
            time.sleep(LOOK_EVERY if self._under_way else 4 * LOOK_EVERY)
            with self._lock:
                found = list(self._under_way.items())
            for work, (peer, until) in found:
                if _has_left(peer) or time.monotonic() > until:
                    work.interrupt()


def app() -> Watched:
    """The workshop for gunicorn: the whole application on a socket that only the web server knows."""
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    os.nice(5)  # saving comes first
    given = os.environ
    names = frozenset(x for x in given.get("DYNACLAST_NAMES", "").split(",") if x)
    application = create_app(given["DYNACLAST_URL"], Path(given["DYNACLAST_INTERFACE"]), names)
    services_of(application).reader.begin()
    for library in NEEDED:
        importlib.import_module(library)
    keep_for_good()
    return Watched(application.wsgi_app)
