"""A part of ``./dynaclast soak`` in every run."""

from __future__ import annotations

import random
import threading
from collections.abc import Iterator
from pathlib import Path

import pytest
from flask import Flask
from flask.testing import FlaskClient

from dynaclast.core import document
from dynaclast.core.geometry import primitives
from dynaclast.mariadb import Database
from dynaclast.web.app import create_app
from dynaclast.web.description import kept
from faults import hostile, kills
from shots import box, shot


@pytest.fixture
def app(database: Database) -> Iterator[Flask]:
    out = create_app(database.url)
    yield out
    out.extensions["dynaclast"].store.engine.dispose()


def client_of(app: Flask) -> FlaskClient:
    client = app.test_client()
    client.environ_base["HTTP_X_DYNACLAST"] = "1"
    return client


def test_kills_and_pauses_of_any_process_lose_nothing(tmp_path: Path) -> None:
    count = kills.run(tmp_path, 8.0, seed=7, edits=20)
    assert not count.lost and count.disturbances > 2 and count.edits > 10


@pytest.mark.parametrize("seed", range(3))
def test_wrong_requests_are_answered_with_a_reason(app: Flask, seed: int) -> None:
    assert hostile.requests(client_of(app), random.Random(seed), 150, kept()["paths"]) == []


def test_twelve_of_the_same_at_once_are_all_answered(app: Flask) -> None:
    client = client_of(app)
    made = client.post(
        "/api/shots", json={"name": "a", "document": document.dump(shot(box("a", (0, 1, 0))))}
    ).get_json()
    mesh = primitives.box((1.0, 2.0, 3.37))
    text = "\n".join(
        ["v {} {} {}".format(*v) for v in mesh.vertices] + ["f {} {} {}".format(*(f + 1)) for f in mesh.faces]
    ).encode()
    preset = client.get("/api/materials").get_json()["presets"][0] | {"name": "at once"}
    body = box("b", (0, 1, 0), pattern={"kind": "cells", "count": 12, "seed": 4711})
    statuses: dict[str, list[int]] = {"take": [], "upload": [], "put": [], "build": [], "save": []}

    def work(k: int) -> None:
        import io

        own = client_of(app)
        statuses["take"].append(own.post(f"/api/shots/{made['id']}/takes").status_code)
        statuses["upload"].append(own.post("/api/assets", data={"file": (io.BytesIO(text), "c.obj")}).status_code)
        statuses["put"].append(own.put("/api/materials?replace=true", json=preset).status_code)
        statuses["build"].append(own.post("/api/build", json={"body": body}).status_code)
        save = {"base": 1, "document": made["document"] | {"name": f"n{k}"}, "label": "x", "number": f"n{k}"}
        statuses["save"].append(own.put(f"/api/shots/{made['id']}", json=save).status_code)

    threads = [threading.Thread(target=work, args=(k,)) for k in range(12)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    for kind in ("take", "upload", "put", "build"):
        assert statuses[kind] == [200] * 12, kind
    assert sorted(statuses["save"]) == [200] + [409] * 11
    numbers = [t["number"] for t in client.get(f"/api/shots/{made['id']}/takes").get_json()["takes"]]
    assert sorted(numbers) == list(range(1, 13))
    client.delete("/api/materials?name=at once")
