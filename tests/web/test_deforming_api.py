"""What the view asks about bodies that deform: opening shapes, weights."""

from __future__ import annotations

import time
from typing import Any

import numpy as np
import pytest
from flask.testing import FlaskClient

from deforming import cloth, pin
from dynaclast.core import document
from dynaclast.store.blobs import unpack
from shots import reach_sphere, shot

FLAG = cloth("flag", (0, 3, 0), (2, 1), (6, 4), pins=[pin(-1, 3, -0.5, reach=0.05)])


def settled(client: FlaskClient, scene: dict[str, Any]) -> dict[str, Any]:
    said = client.post("/api/settle", json={"document": scene, "bodies": ["flag"]}).get_json()
    end = time.monotonic() + 60
    while said["openings"] is None and time.monotonic() < end:
        time.sleep(0.02)
        said = client.get(f"/api/settle/{said['key']}").get_json()
    return said


def test_a_body_settles_and_is_drawn_as_it_opens_with_its_shape_at_rest(client: FlaskClient) -> None:
    scene = document.dump(shot(FLAG, frames=5))
    said = settled(client, scene)
    assert said["rests"] and said["seconds"] > 0.5
    body = scene["bodies"][0] | {"opening": said["openings"]["flag"]}
    before = client.post("/api/build", json={"body": scene["bodies"][0]}).get_json()["built"]
    after = client.post("/api/build", json={"body": body}).get_json()["built"]
    assert before["key"] != after["key"] and before["mass"] == after["mass"]
    flat, hung = (unpack(client.get(f"/api/pieces/{b['key']}").data)[0] for b in (before, after))
    assert (flat["vertices"] == flat["rest"]).all() and (hung["rest"] == flat["rest"]).all()
    assert np.ptp(hung["vertices"][:, 1]) > 1.0 > np.ptp(flat["vertices"][:, 1])


def test_a_settling_can_be_stopped_and_its_number_means_nothing_afterwards(client: FlaskClient) -> None:
    scene = document.dump(shot(FLAG, frames=5))
    key = client.post("/api/settle", json={"document": scene, "bodies": ["flag"]}).get_json()["key"]
    assert client.post(f"/api/settle/{key}/cancel").get_json()["ok"]
    end = time.monotonic() + 30
    while (answer := client.get(f"/api/settle/{key}")).status_code == 200 and time.monotonic() < end:
        time.sleep(0.02)
    assert answer.get_json()["code"] == "settling.stopped"
    assert client.get(f"/api/settle/{key}").status_code == 404


def test_weights_of_a_body_are_what_its_falloffs_give_and_what_they_come_to(client: FlaskClient) -> None:
    reach = reach_sphere((1, 3, 0.5), 0.3)
    far = reach_sphere((-1, 3, -0.5), 0.3)
    body = FLAG | {
        "recall": [{"reach": reach, "rate": 3.0}, {"reach": far, "rate": 2.0}],
        "weights": [
            {"of": "stiffness", "reach": reach, "low": 1, "high": 4},
            {"of": "stiffness", "reach": reach, "low": 0.5, "high": 2},
        ],
    }
    scene = document.dump(shot(body, frames=5))
    ask = {"document": scene, "frame": 0, "field": ""}
    assert client.post("/api/survey", json=ask).get_json()["weights"] == {}
    got = client.post("/api/survey", json=ask | {"weighs": "flag"}).get_json()["weights"]
    assert set(got) == {"pins.0", "pins", "recall.0", "recall.1", "recall", "weights.0", "weights.1", "stiffness"}
    at = [int(np.argmax(got[f"recall.{k}"])) for k in range(2)]
    assert [got["recall"][k] for k in at] == [3.0, 2.0]
    assert [got["stiffness"][k] for k in at] == pytest.approx([8.0, 0.5])
    assert max(got["pins"]) == 1 and len(got["pins"]) == 35
