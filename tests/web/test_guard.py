"""Who is let in: our own pages, programs that say so, and beyond loopback those who know the token."""

from __future__ import annotations

import json
from collections.abc import Iterator

import pytest
from flask.testing import FlaskClient

from dynaclast.mariadb import Database
from dynaclast.web.app import create_app
from dynaclast.web.guard import COOKIE, HEADER


@pytest.fixture
def bare(database: Database) -> Iterator[FlaskClient]:
    app = create_app(database.url)
    with app.test_client() as out:
        yield out
    app.extensions["dynaclast"].store.engine.dispose()


@pytest.fixture
def listening(database: Database) -> Iterator[FlaskClient]:
    app = create_app(database.url, names=frozenset({"192.0.2.7"}), token="a-long-secret")
    with app.test_client() as out:
        yield out
    app.extensions["dynaclast"].store.engine.dispose()


def make(client: FlaskClient, **headers: str) -> int:
    return client.post("/api/shots", json={"name": "a"}, headers=headers).status_code


@pytest.mark.parametrize("host", ["127.0.0.1:8470", "localhost", "[::1]:9000"])
def test_own_pages_and_programs_that_say_so_may_change_something(bare: FlaskClient, host: str) -> None:
    assert make(bare, Host=host, Origin=f"http://{host}") == 200
    assert make(bare, Host=host, **{HEADER: "1"}) == 200
    assert make(bare, Host=host, **{"Sec-Fetch-Site": "same-origin"}) == 200


@pytest.mark.parametrize(
    "headers",
    [
        {},
        {"Origin": "http://evil.example"},
        {"Origin": "null"},
        {"Origin": "http://localhost:1", HEADER: "1"},
        {"Sec-Fetch-Site": "cross-site"},
        {"Origin": "http://evil.example", HEADER: "1"},
    ],
)
def test_pages_of_others_may_not_and_nothing_is_changed(bare: FlaskClient, headers: dict) -> None:
    before = len(bare.get("/api/shots").get_json()["shots"])
    answer = bare.post("/api/shots", json={"name": "a"}, headers=headers)
    assert answer.status_code == 403 and answer.get_json()["message"]
    assert bare.put("/api/materials", json={}, headers=headers).status_code == 403
    assert len(bare.get("/api/shots").get_json()["shots"]) == before


@pytest.mark.parametrize("host", ["evil.example", "evil.example:8470", "127.0.0.1.evil.example", "", "[", "192.0.2.7"])
def test_a_name_that_is_made_to_point_here_is_no_address_of_ours(bare: FlaskClient, host: str) -> None:
    answer = bare.get("/api/shots", headers={"Host": host})
    assert answer.status_code in (400, 421)
    assert b"shots" not in answer.data or "open the address" in answer.get_json()["message"]


def test_a_page_of_another_origin_may_not_read_either(bare: FlaskClient) -> None:
    assert bare.get("/api/shots", headers={"Origin": "http://evil.example"}).status_code == 403


def test_pages_are_held_to_our_own_scripts(bare: FlaskClient) -> None:
    for path in ("/api/shots", "/api/none"):
        headers = bare.get(path).headers
        policy = headers["Content-Security-Policy"]
        assert "script-src 'self'" in policy and "unsafe-eval" not in policy
        assert "frame-ancestors 'none'" in policy
        assert headers["X-Content-Type-Options"] == "nosniff" and headers["Referrer-Policy"] == "no-referrer"


def test_beyond_loopback_the_printed_address_lets_in_once_and_a_cookie_from_then_on(listening: FlaskClient) -> None:
    where = {"Host": "192.0.2.7:8470"}
    assert listening.get("/api/shots", headers=where).status_code == 401
    assert listening.get("/api/shots").status_code == 401  # on loopback too
    assert listening.get("/api/shots?token=wrong", headers=where).status_code == 401
    for secret, status in (("a-long-secret", 200), ("a-long-secre", 401), ("", 401)):
        bearer = {**where, "Authorization": f"Bearer {secret}"}
        assert listening.get("/api/shots", headers=bearer).status_code == status
    opened = listening.get("/?token=a-long-secret&x=1", headers=where)
    assert (opened.status_code, opened.location) == (302, "/?x=1")
    cookie = opened.headers["Set-Cookie"]
    assert COOKIE in cookie and "HttpOnly" in cookie and "SameSite=Strict" in cookie
    other = {**where, "Cookie": cookie.split(";")[0]}
    assert listening.get("/api/shots", headers=other).status_code == 200


@pytest.mark.parametrize("number", ["NaN", "Infinity", "-Infinity", "1e999"])
def test_no_number_that_is_none_comes_in(bare: FlaskClient, number: str) -> None:
    body = json.dumps({"document": {"bodies": []}, "frame": 7, "field": None}).replace("7", number)
    answer = bare.post("/api/survey", data=body, content_type="application/json", headers={HEADER: "1"})
    assert answer.status_code in (400, 422)
    json.loads(answer.data, parse_constant=lambda x: pytest.fail(f"{x} was sent"))
