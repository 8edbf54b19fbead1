"""What the view asks about fields, animated bodies and collision shapes before a run."""

from __future__ import annotations

import numpy as np
import pytest
from flask.testing import FlaskClient

from dynaclast.core import document
from dynaclast.store.blobs import unpack
from shots import ball, box, reach_sphere, shot


def survey(client: FlaskClient, *bodies: dict, frame: int = 0, field: str = "", **more: object) -> dict:
    scene = document.dump(shot(*bodies, **more))
    return client.post("/api/survey", json={"document": scene, "frame": frame, "field": field}).get_json()


def test_reach_follows_the_playhead(client: FlaskClient) -> None:
    """A cart that drives into a field that stands, and a field that travels to a body that stands."""
    cart = box(
        "cart",
        (0, 0.5, 0),
        role="animated",
        motion={"keys": [{"time": 0, "position": [0, 0.5, 0], "how": "linear"}, {"time": 1, "position": [10, 0.5, 0]}]},
    )
    stands = {"name": "stands", "effect": {"kind": "turbulence"}, "reach": reach_sphere((10, 0.5, 0), 1)}
    travels = {
        "name": "travels",
        "effect": {"kind": "push"},
        "cue": {"kind": "span"},
        "reach": reach_sphere((0, 9, 0), 1),
        "travel": {"kind": "path", "points": [[0, 9, 0], [5, 9, 0]], "time": 1, "smooth": False},
    }
    for frame, wanted in ((0, {"stands": 0, "travels": 0}), (24, {"stands": 1, "travels": 1})):
        said = survey(client, cart, ball("hung", (5, 9, 0)), fields=(stands, travels), frames=48, frame=frame)
        assert {f: sum(c["pieces"] for c in said["crossings"] if c["field"] == f) for f in wanted} == wanted
    assert said["stands"]["travels"]["shift"] == pytest.approx([5, 0, 0]) and not [
        f for f in said["findings"] if f["code"] == "reaches-nothing"
    ]


def test_arrows_are_what_the_field_would_do(client: FlaskClient) -> None:
    pull = {
        "name": "pull",
        "effect": {"kind": "attractor", "strength": 8, "law": "inverse"},
        "reach": reach_sphere((0, 3, 0), 50),
    }
    said = survey(client, ball("a", (2, 3, 0)), ball("b", (0, 7, 0)), fields=(pull,), field="pull")
    assert np.array(said["arrows"]) == pytest.approx(np.array([[-4, 0, 0], [0, -2, 0]]), abs=1e-3)
    assert survey(client, ball("a", (2, 3, 0)), fields=(pull,))["arrows"] == []


def test_a_whole_body_gets_arrows_over_its_surface_and_one_of_many_pieces_none(client: FlaskClient) -> None:
    pull = {
        "name": "pull",
        "effect": {"kind": "attractor", "strength": 8, "law": "inverse"},
        "reach": reach_sphere((0, 3, 0), 50),
        "targets": ["a", "wall"],
    }
    wall = {
        "name": "wall",
        "shape": {"kind": "box", "size": [2, 2, 2]},
        "place": {"position": [9, 1, 0]},
        "pattern": {"kind": "cells", "count": 12},
    }
    said = survey(client, ball("a", (2, 3, 0)), ball("b", (0, 7, 0)), wall, fields=(pull,), field="pull")
    spread = np.array(said["spread"])
    point, pulled = spread[:24, :3], spread[:24, 3:]
    assert len(spread) == 48 and not spread[24:, 3:].any()  # the ball that is no target is not pulled
    out = point - (2, 3, 0)
    assert np.linalg.norm(out, axis=1) == pytest.approx(np.full(24, np.linalg.norm(out[0])), rel=0.1)
    way = point - (0, 3, 0)
    assert pulled == pytest.approx(-8 * way / (way**2).sum(axis=1)[:, None], rel=1e-2, abs=1e-3)
    hold = {"name": "hold", "effect": {"kind": "anchor"}, "reach": reach_sphere((0, 3, 0), 1)}
    mixed = survey(client, ball("a", (2, 3, 0)), fields=(hold,), field="hold")
    assert mixed["spread"] == []


def test_a_damaged_picture_is_a_finding_and_the_rest_goes_on(client: FlaskClient) -> None:
    bad = {
        "name": "bad",
        "effect": {"kind": "push"},
        "reach": {"layers": [{"shape": {"kind": "image", "picture": "bm8="}}]},
    }
    good = {"name": "good", "effect": {"kind": "burst"}, "reach": reach_sphere((0, 2, 0), 3)}
    said = survey(client, ball("a", (0, 2, 0)), fields=(bad, good))
    assert [f["about"] for f in said["findings"] if f["code"] == "bad-falloff"] == ["bad"]
    assert [c["pieces"] for c in said["crossings"]] == [1]


def test_cloth_and_ropes_have_no_collision_shapes_of_their_own(client: FlaskClient) -> None:
    for matter, shape in (
        ("cloth", {"kind": "sheet", "size": [1, 1], "divisions": [4, 4]}),
        ("rope", {"kind": "line", "points": [[0, 1, 0], [1, 1, 0]]}),
    ):
        body = {"name": "x", "matter": {"kind": matter}, "shape": shape}
        found, _ = unpack(client.post("/api/collision", json={"body": body}).data)
        assert found["edges"].shape == (0, 6) and found["shapes"].tolist() == [0]


def test_collision_shapes_can_be_fetched(client: FlaskClient) -> None:
    for kind, shapes in (("hull", 1), ("ball", 1), ("exact", 12)):
        body = document.dump(shot(box("crate", (3, 1, 0), role="passive", collision=kind)))["bodies"][0]
        found, _ = unpack(client.post("/api/collision", json={"body": body}).data)
        assert found["shapes"][0] == shapes and len(found["edges"]) == len(found["piece"]) > 11
        assert np.abs(found["edges"]).max() <= 0.51


def test_a_bake_with_a_field_that_cannot_act_is_refused_or_goes_without_it(client: FlaskClient) -> None:
    bad = {
        "name": "idle",
        "effect": {"kind": "drag"},
        "reach": {"layers": [{"shape": {"kind": "everywhere"}}]},
        "targets": [],
    }
    made = client.post(
        "/api/shots", json={"name": "faulty", "document": {"bodies": [box("crate", (0, 1, 0))], "fields": [bad]}}
    ).get_json()
    answer = client.post(f"/api/shots/{made['id']}/takes")
    assert answer.status_code == 422 and answer.get_json()["problems"][0] == {
        "where": "fields[0]",
        "message": "idle cannot act: it has no targets. Mend it, switch it off, or bake without it",
    }
    take = client.post(f"/api/shots/{made['id']}/takes?without_faulty=true").get_json()
    assert take["status"] == "queued"
    assert [f["on"] for f in client.get(f"/api/takes/{take['id']}").get_json()["document"]["fields"]] == [False]


def test_the_library_keeps_fields_and_falloffs_and_refuses_what_is_neither(client: FlaskClient) -> None:
    field = {"name": "gale", "effect": {"kind": "wind"}, "reach": {"layers": [{"shape": {"kind": "everywhere"}}]}}
    for speed in (5, 9):  # the second in place of the first
        assert (
            client.put(
                f"/api/library?replace={speed == 9}",
                json={"kind": "field", "name": "gale", "item": {**field, "effect": {"kind": "wind", "speed": speed}}},
            ).status_code
            == 200
        )

    def kept() -> list[dict]:
        return [x for x in client.get("/api/library").get_json()["items"] if x["name"] == "gale"]

    items = kept()
    assert [(x["kind"], x["name"], x["item"]["effect"]["speed"]) for x in items] == [("field", "gale", 9)]
    answer = client.put("/api/library", json={"kind": "falloff", "name": "gale", "item": field})
    assert answer.status_code == 422 and "effect" in answer.get_json()["message"] + str(answer.get_json()["problems"])
    assert (
        client.delete("/api/library?kind=field&name=gale").status_code == 200
        and client.delete("/api/library?kind=field&name=gale").status_code == 404
    )
    assert kept() == []
