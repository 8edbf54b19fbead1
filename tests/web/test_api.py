from __future__ import annotations

import io
import json
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import pytest
from flask.testing import FlaskClient
from openapi_spec_validator import OpenAPIV31SpecValidator
from sqlalchemy import select

from deforming import cloth, pin, rope
from dynaclast.core import document
from dynaclast.core.document import Body
from dynaclast.core.geometry import primitives
from dynaclast.jobs.builds import BuildCancelled
from dynaclast.jobs.take import run_bake
from dynaclast.mariadb import Database
from dynaclast.store import texts
from dynaclast.store.blobs import unpack
from dynaclast.store.database import Store
from dynaclast.store.models import RevisionRow
from dynaclast.web.description import kept
from shots import blow, box, footing, pillar, shot

ROOT = Path(__file__).parents[2]


def make(client: FlaskClient, frames: int = 20) -> dict:
    scene = shot(pillar(), fields=(footing(), blow(1500, (0, 2, 0), 0.9, 0.2)), frames=frames, name="wall")
    return client.post("/api/shots", json={"name": "wall", "document": document.dump(scene)}).get_json()


def build(client: FlaskClient, body: dict) -> dict:
    """What a body is built into, asked for until it is done."""
    for _ in range(400):
        answer = client.post("/api/build", json={"body": body}).get_json()
        if answer["built"]:
            return answer["built"]
        time.sleep(0.05)
    raise AssertionError(answer)


def test_a_shot_is_made_edited_undone_and_deleted(client: FlaskClient) -> None:
    made = make(client)
    edited = made["document"] | {"name": "better"}
    saved = client.put(f"/api/shots/{made['id']}", json={"base": 1, "document": edited, "label": "rename"}).get_json()
    assert (saved["name"], saved["undo"]) == ("better", "rename")
    late = client.put(f"/api/shots/{made['id']}", json={"base": 1, "document": edited, "label": "late"})
    assert late.status_code == 409 and "another tab" in late.get_json()["message"]
    assert client.post(f"/api/shots/{made['id']}/undo", json={"base": saved["revision"]}).get_json()["name"] == "wall"
    assert any(s["id"] == made["id"] for s in client.get("/api/shots").get_json()["shots"])
    assert client.delete(f"/api/shots/{made['id']}").status_code == 200
    gone = client.get(f"/api/shots/{made['id']}")
    assert gone.status_code == 404 and gone.get_json()["code"] == "not_found"
    assert client.post(f"/api/shots/{made['id']}/restore").get_json()["name"] == "wall"
    picture = client.get(f"/api/shots/{made['id']}/picture?version=1")
    assert picture.status_code == 200 and picture.data[:4] == b"\x89PNG"
    client.delete(f"/api/shots/{made['id']}")


def test_a_bad_document_is_answered_with_every_problem_and_its_place(client: FlaskClient) -> None:
    made = make(client)
    answer = client.put(
        f"/api/shots/{made['id']}",
        json={"base": 1, "document": {"quality": "best", "timing": {"fps": -1}}, "label": "x"},
    )
    problems = {p["where"] for p in answer.get_json()["problems"]}
    assert answer.status_code == 422 and problems == {"quality", "timing.fps"}
    assert client.post("/api/shots", json={"name": ""}).status_code == 422
    assert client.post("/api/shots", data=b"{", content_type="application/json").status_code in (400, 422)


def obj(mesh) -> bytes:  # noqa: ANN001
    rows = ["v {} {} {}".format(*v) for v in mesh.vertices] + ["f {} {} {}".format(*(f + 1)) for f in mesh.faces]
    return "\n".join(rows).encode()


def test_a_mesh_comes_in_is_broken_and_fetched(client: FlaskClient) -> None:
    upload = client.post("/api/assets", data={"file": (io.BytesIO(obj(primitives.tube(1, 0.3, 2))), "pipe.obj")})
    asset = upload.get_json()["parts"][0]
    assert upload.status_code == 200 and asset["size"] == pytest.approx([2, 2, 2], abs=1e-3)
    body = box(
        "pipe", (0, 1, 0), pattern={"kind": "cells", "count": 20, "seed": 1}, bonds={"strength": 100, "unit": "kN"}
    )
    body["shape"] = {"kind": "asset", "asset": asset["asset"]}
    built = build(client, body)
    assert built["pieces"] >= 20 and built["bonds"] > 20 and built["strength_low"] == 100
    arrays, _ = unpack(client.get(f"/api/pieces/{built['key']}").data)
    assert len(arrays["volume"]) == built["pieces"] and arrays["faces"].max() < len(arrays["vertices"])
    assert float(arrays["volume"].sum()) * 1000 == pytest.approx(built["mass"], rel=1e-5)


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [("a.obj", b"hello", "a.obj"), ("a.zip", b"PK", "not a mesh file"), ("a.stl", b"\0" * 84 + b"\0" * 50, "a.stl")],
)
def test_an_unusable_file_is_answered_in_words_and_harms_nothing(
    client: FlaskClient, name: str, data: bytes, words: str
) -> None:
    answer = client.post("/api/assets", data={"file": (io.BytesIO(data), name)})
    assert answer.status_code == 422 and words in answer.get_json()["message"]
    assert client.get("/api/shots").status_code == 200


def test_a_broken_mesh_is_kept_reported_and_mended_step_by_step(client: FlaskClient) -> None:
    data = obj(primitives.box((1, 1, 1))).rsplit(b"\n", 2)[0]
    part = client.post("/api/assets", data={"file": (io.BytesIO(data), "open.obj")}).get_json()["parts"][0]
    assert part["defects"] == ["open"]
    body = box("crate", (0, 1, 0))
    body["shape"] = {"kind": "asset", "asset": part["asset"]}
    said = client.post("/api/report", json={"body": body}).get_json()
    assert (
        said["defects"][0]["mends"] == ["weld", "fill", "solid"]
        and len(said["defects"][0]["marks"]) == said["defects"][0]["count"] == 4
    )
    refused = client.post("/api/build", json={"body": body})
    assert refused.status_code == 422 and "open" in refused.get_json()["message"]
    mended = build(client, body | {"steps": [{"kind": "fill"}]})
    assert mended["mass"] == pytest.approx(1000, rel=1e-6)


def test_a_group_stands_where_its_members_say_and_counts_as_one_column(client: FlaskClient) -> None:
    group = {
        "name": "crates",
        "body": box("crate", (0, 0.5, 0)),
        "layout": {"kind": "grid", "count": [3, 1, 3], "step": [2, 1, 2]},
        "size": [0.5, 1.5],
    }
    field = {
        "name": "hold",
        "effect": {"kind": "anchor"},
        "reach": {"layers": [{"shape": {"kind": "box", "core": [1, 9, 9]}}]},
        "targets": ["crates"],
    }
    scene = {"groups": [group], "fields": [field]}
    arrays, _ = unpack(client.post("/api/members", json={"document": scene, "group": "crates"}).data)
    assert arrays["position"].shape == (9, 3) and arrays["factor"].min() >= 0.5 and arrays["factor"].max() <= 1.5
    said = client.post("/api/survey", json={"document": scene}).get_json()
    assert [(c["body"], c["pieces"], c["of"]) for c in said["crossings"]] == [("crates", 3, 9)] and len(
        said["bodies"]
    ) == 9


def test_a_long_build_tells_how_far_it_is_and_can_be_stopped(client: FlaskClient) -> None:
    body = box("wall", (0, 1, 0), pattern={"kind": "cells", "count": 5000, "seed": 9, "even": 1})
    said = client.post("/api/build", json={"body": body}).get_json()
    assert said["built"] is None and 0 <= said["share"] < 1
    builds = client.application.extensions["dynaclast"].builds
    with ThreadPoolExecutor(1) as beside:
        waits = beside.submit(builds.ask, Body.model_validate(body), 120.0)
        while not any(b.waiting for b in builds._running.values()):
            time.sleep(0.01)
        assert client.post("/api/build/cancel", json={"body": body}).get_json()["ok"]
        with pytest.raises(BuildCancelled, match="its settings are kept"):
            waits.result()
    assert not client.post("/api/build/cancel", json={"body": body}).get_json()["ok"]  # there is nothing to stop
    assert build(client, body | {"pattern": None})["pieces"] == 1


def test_materials_are_saved_and_listed_beside_the_presets(client: FlaskClient) -> None:
    mine = {"name": "old mortar", "material": {"density": 1700, "friction": 0.5}, "bonds": {"strength": 90}}
    assert client.put("/api/materials", json=mine).status_code == 200
    listed = client.get("/api/materials").get_json()
    assert {p["name"] for p in listed["presets"]} >= {
        "stone",
        "brick",
        "concrete",
        "wood",
        "glass",
        "ice",
        "steel",
        "rubber",
        "canvas",
        "hemp",
    }
    assert [p["bonds"]["strength"] for p in listed["saved"] if p["name"] == "old mortar"] == [90]
    assert client.delete("/api/materials?name=old mortar").status_code == 200
    assert client.delete("/api/materials?name=old mortar").status_code == 404


def test_a_file_of_200_mb_is_refused(client: FlaskClient) -> None:
    answer = client.post("/api/assets", data={"file": (io.BytesIO(bytes(200_000_000)), "big.stl")})
    assert answer.status_code == 413 and "limit" in answer.get_json()["message"]


def test_the_survey_counts_reach_and_lists_findings_of_an_unsaved_document(client: FlaskClient) -> None:
    scene = document.dump(shot(pillar(), fields=(footing(), blow(900))))
    answer = client.post("/api/survey", json={"document": scene}).get_json()
    assert [f["code"] for f in answer["findings"]] == ["too-weak"]
    assert {c["field"]: c["pieces"] for c in answer["crossings"]}["footing"] > 0
    assert len(answer["values"]["blow"]) == 24
    scene["bodies"].append(
        box("hole", (0, 1, 0))
        | {
            "shape": {
                "kind": "mesh",
                "vertices": [[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]],
                "faces": [[0, 2, 1], [0, 1, 3], [0, 3, 2], [0, 3, 2]],
            }
        }
    )
    assert client.post("/api/survey", json={"document": scene}).get_json()["findings"][0]["about"] == "hole"


def test_a_take_is_baked_followed_fetched_and_exported(client: FlaskClient, database: Database) -> None:
    made = make(client)
    take = client.post(f"/api/shots/{made['id']}/takes").get_json()
    assert take["status"] == "queued" and take["number"] == 1
    assert run_bake(database.url, take["id"]) == "done"
    now = client.get(f"/api/takes/{take['id']}/progress?after=-1").get_json()
    assert now["take"]["status"] == "done" and now["chunks"][0]["first"] == 0
    later = client.get(f"/api/takes/{take['id']}/progress?after={now['chunks'][0]['first']}").get_json()
    assert later["chunks"] == now["chunks"][1:]
    chunks = client.get(f"/api/takes/{take['id']}/chunks").get_json()["chunks"]
    assert sum(c["count"] for c in chunks) == 21 and chunks[0]["first"] == 0
    arrays, _ = unpack(client.get(f"/api/takes/{take['id']}/chunks/0").data)
    assert arrays["position"].shape == (chunks[0]["count"], 24, 3) and arrays["position"].dtype == np.float32
    assert any(e["kind"] == "bond_broken" for e in client.get(f"/api/takes/{take['id']}/events").get_json()["events"])
    whole = client.get(f"/api/takes/{take['id']}").get_json()
    assert whole["document"]["name"] == "wall" and whole["take"]["frames_done"] == 20
    for kind, magic in (("glb", b"glTF"), ("usdc", b"PXR-USDC"), ("npz", b"PK")):
        answer = client.get(f"/api/takes/{take['id']}/export?format={kind}")
        assert answer.data[: len(magic)] == magic and f"wall-take-01.{kind}" in answer.headers["Content-Disposition"]
        answer.close()
    assert client.get(f"/api/takes/{take['id']}/export?format=exe").status_code == 422
    assert client.get(f"/api/takes/{take['id']}/chunks/7").status_code == 404
    assert client.delete(f"/api/takes/{take['id']}").status_code == 200


def test_an_empty_shot_cannot_be_baked(client: FlaskClient) -> None:
    made = client.post("/api/shots", json={"name": "empty"}).get_json()
    answer = client.post(f"/api/shots/{made['id']}/takes")
    assert answer.status_code == 422 and "no bodies" in answer.get_json()["message"]


def test_the_generated_types_are_fresh(tmp_path: Path) -> None:
    """The interface's types come from the API's description: `python -m dynaclast.web.openapi > ui/src/api/openapi.json
    && npm run api`.
    """
    anew = subprocess.run([sys.executable, "-m", "dynaclast.web.openapi"], capture_output=True, text=True, check=True)
    assert json.loads(anew.stdout) == kept()
    made = {
        "generated.ts": ["npx", "openapi-typescript", "src/api/openapi.json", "-o"],
        "words.json": ["node", "words.mjs"],
    }
    for name, command in made.items():
        out = tmp_path / name
        done = subprocess.run([*command, str(out)], cwd=ROOT / "ui", capture_output=True, text=True)
        assert done.returncode == 0, done.stderr
        assert out.read_text() == (ROOT / "ui/src/api" / name).read_text(), name


def test_a_document_with_bodies_that_deform_is_surveyed_saved_and_fetched(client: FlaskClient) -> None:
    flag = cloth("flag", (0, 3, 0), (1, 1), (4, 4), pins=[pin(-0.5, 3, 0.5)])
    everywhere = {"layers": [{"shape": {"kind": "everywhere"}}]}
    wind = {"name": "breeze", "effect": {"kind": "wind"}, "reach": everywhere, "targets": ["flag"]}
    scene = {"bodies": [flag, box("crate", (4, 0.5, 0))], "fields": [wind]}
    said = client.post("/api/survey", json={"document": scene})
    assert said.status_code == 200
    assert said.get_json()["findings"] == [] and said.get_json()["bodies"] == [["flag", 0], ["crate", 1]]
    made = build(client, flag)
    assert made["pieces"] == 1
    assert client.get(f"/api/pieces/{made['key']}").status_code == 200


def test_the_description_of_the_api_is_one_and_is_what_servers_send(client: FlaskClient) -> None:
    assert client.get("/api/doc/openapi.json").get_json() == kept()
    assert [e.message for e in OpenAPIV31SpecValidator(kept()).iter_errors()] == []


def test_many_bodies_are_built_and_fetched_in_one_request_each(client: FlaskClient) -> None:
    bodies: list[dict] = [box(f"b{k}", (0, 1, 0), (1, 1, 1 + k / 50)) for k in range(40)]
    bodies[3] = {"name": "bad", "shape": {"kind": "box", "size": [1, -1, 1]}}
    bodies[4] = {"name": "open", "shape": {"kind": "mesh", "vertices": [[0, 0, 0], [1, 0, 0], [0, 1, 0]], "faces": []}}
    found: list[dict] = []
    for _ in range(50):
        found = client.post("/api/builds", json={"bodies": bodies}).get_json()["builds"]
        if all(one["built"] or one["error"] for one in found):
            break
        time.sleep(0.05)
    assert [k for k, one in enumerate(found) if one["error"]] == [3, 4]
    assert found[3]["error"]["where"] == "shape.box.size[1]" or "size" in found[3]["error"]["where"]
    assert found[7]["built"] == build(client, bodies[7])
    keys = [one["built"]["key"] for one in found if one["built"]]
    many, _ = unpack(client.post("/api/pieces", json={"keys": keys}).data)
    for place in (0, 20, 37):
        one, _ = unpack(client.get(f"/api/pieces/{keys[place]}").data)
        assert {n for n in many if n.startswith(f"{place}/")} == {f"{place}/{n}" for n in one}
        assert all((many[f"{place}/{n}"] == one[n]).all() for n in one)
    assert client.post("/api/pieces", json={"keys": ["none"]}).status_code == 404


def test_a_shot_kept_by_an_older_program_is_opened_with_all_that_has_been_added_since(
    client: FlaskClient, store: Store
) -> None:
    made = client.post("/api/shots", json={"name": "old", "document": {"bodies": [box("crate", (0, 1, 0))]}}).get_json()
    path = f"/api/shots/{made['id']}"
    with store.session() as session:  # as it was kept before bodies had matter
        row = session.scalars(select(RevisionRow).where(RevisionRow.shot_id == made["id"])).one()
        old = json.loads(texts.read(session, row))
        for word in ("matter", "pins", "recall", "weights"):
            del old["bodies"][0][word]
        texts.write(session, row, json.dumps(old))
    opened = client.get(path).get_json()
    assert opened["document"]["bodies"][0]["matter"] == {"kind": "rigid"} and opened["revision"] == made["revision"]
    assert opened["document"] == made["document"]
    changed = opened["document"] | {"name": "new"}
    client.put(path, json={"base": opened["revision"], "document": changed, "label": "rename"})
    back = client.post(f"{path}/undo", json={"base": opened["revision"] + 1}).get_json()
    assert back["document"] == made["document"]  # also when it is come back to


@pytest.mark.parametrize(
    ("body", "faces", "lines"),
    [
        (cloth("x", (0, 3, 0), (1, 1), (2, 2)), 8, 0),
        (rope("x", (0, 0, 0), (1, 0, 0), segments=5), 0, 5),
        (cloth("x", (0, 3, 0), (1, 1), (2, 2)) | {"matter": {"kind": "rope"}}, 0, 12),  # a net of squares
    ],
)
def test_what_deforms_is_fetched_as_a_surface_or_as_lines(
    client: FlaskClient, body: dict, faces: int, lines: int
) -> None:
    made = build(client, body)
    found, _ = unpack(client.get(f"/api/pieces/{made['key']}").data)
    assert (len(found["faces"]), len(found["lines"]), len(found["volume"])) == (faces, lines, 0)
    assert len(found["vertices"]) == made["vertices"] and made["mass"] > 0 and max(made["size"]) == pytest.approx(1)
