"""Whatever comes in, an answer in words goes out: no request of any route ends in an error inside the program."""

from __future__ import annotations

import io
import json
from typing import Any

import pytest
from flask.testing import FlaskClient

from dynaclast.core import document
from dynaclast.web.description import kept
from shots import box, reach_sphere, shot

ROUTES = [(method, path) for path, ways in kept()["paths"].items() for method in ways]

BODIES: list[Any] = [
    None,
    [],
    {},
    "text",
    3,
    {"base": "one", "document": [], "label": 5},
    {"document": {"bodies": [{"name": "x"}]}, "base": 1, "label": "y"},
    {"body": None, "name": "n", "document": "shot"},
    {"body": {"name": "a", "shape": {"kind": "box", "size": [1, 1, -1]}}, "frames": -3},
    {"kind": "dream", "name": "", "item": {}},
    {"name": "x" * 5000, "material": {"density": "heavy"}},
]


def filled(path: str, value: str) -> str:
    return "/".join(value if part.startswith("{") else part for part in path.split("/"))


@pytest.mark.parametrize(("method", "path"), ROUTES)
def test_every_route_answers_nonsense_in_words(client: FlaskClient, method: str, path: str) -> None:
    for key in ("nothing", "0", "-1", "a b", "%00", "é", "x" * 300):
        for body in BODIES if method in ("post", "put") else [None]:
            answer = client.open(filled(path, key), method=method.upper(), json=body)
            assert answer.status_code < 500, (method, path, key, body, answer.get_data(as_text=True)[:300])
            if answer.status_code >= 400 and answer.mimetype == "application/json":
                said = answer.get_json()
                first = said[0] if isinstance(said, list) else said
                assert first.get("message") or first.get("msg"), (method, path, key, body)


@pytest.mark.parametrize(
    "data", [b"", b"{", b"\xff\xfe\x00", b"[" * 3000, b'{"base": NaN, "document": {}, "label": ""}']
)
def test_what_is_no_json_is_answered_in_words(client: FlaskClient, data: bytes) -> None:
    for method, path in ROUTES:
        if method in ("post", "put"):
            answer = client.open(filled(path, "x"), method=method.upper(), data=data, content_type="application/json")
            assert 400 <= answer.status_code < 500 or answer.status_code == 200, (method, path, answer.status_code)


def test_a_way_that_is_not_there_and_a_method_that_is_not_are_told_apart(client: FlaskClient) -> None:
    assert client.get("/api/dreams").status_code == 404
    assert client.delete("/api/shots").status_code == 405


@pytest.mark.parametrize(
    ("scale", "says"), [("two", "must be a number"), ("0", "above 0"), ("-1", "above 0"), ("nan", "above 0")]
)
def test_a_scale_that_is_none_is_named(client: FlaskClient, scale: str, says: str) -> None:
    data = {"file": (io.BytesIO(b"v 0 0 0"), "a.obj"), "scale": scale}
    answer = client.post("/api/assets", data=data)
    assert answer.status_code == 422 and says in answer.get_json()["message"]
    assert client.post("/api/assets", data={}).get_json()["message"] == "no file came with the request"


def test_numbers_that_are_none_are_refused_wherever_they_come_in(client: FlaskClient) -> None:
    """They would be sent on as JSON that no browser reads."""
    made = client.post("/api/shots", json={"name": "s"}).get_json()
    key = {"time": 0, "value": 1, "how": "bezier", "curve": [0.1, float("nan"), 0.5, 1]}
    field = {
        "name": "f",
        "effect": {"kind": "push"},
        "reach": reach_sphere((0, 0, 0), 1),
        "channels": [{"of": "effect.amount", "keys": [key]}],
    }
    bad = document.dump(shot(box("a", (0, 1, 0)))) | {"fields": [field]}
    save = {"base": 1, "document": bad, "label": "x"}
    answer = client.put(f"/api/shots/{made['id']}", data=json.dumps(save), content_type="application/json")
    assert answer.status_code == 422 and "curve[1]" in answer.get_json()["problems"][0]["where"]
    item = {"kind": "field", "name": "f", "item": field}
    assert client.put("/api/library", data=json.dumps(item), content_type="application/json").status_code == 422
    preset = {"name": "odd", "material": {"density": float("inf")}, "bonds": {"strength": 1}}
    assert client.put("/api/materials", data=json.dumps(preset), content_type="application/json").status_code == 422
    assert client.get(f"/api/shots/{made['id']}").get_json()["revision"] == 1


def test_a_survey_of_a_field_or_a_frame_that_is_not_there_is_no_error(client: FlaskClient) -> None:
    scene = document.dump(shot(box("a", (0, 1, 0))))
    for more in ({"field": "ghost"}, {"frame": 100_000}, {"frame": 0, "field": ""}):
        answer = client.post("/api/survey", json={"document": scene, **more})
        assert answer.status_code in (200, 422), answer.get_json()
