"""Exports fetched through the web, opened by other readers, and their numbers compared with a bake of the document."""

from __future__ import annotations

import io
import json
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pygltflib
import pytest
from flask.testing import FlaskClient
from pxr import Usd, UsdGeom

from dynaclast.core import document
from dynaclast.core.bake import bake
from dynaclast.core.formats.frames import Baked
from dynaclast.core.solve.frame import STATE_NAMES
from dynaclast.jobs.take import run_bake
from dynaclast.mariadb import Database
from dynaclast.store.blobs import unpack
from dynaclast.web.app import create_app
from shots import ball, blow, footing, pillar, shot

FRAMES = 60


@pytest.fixture(scope="module")
def client(database: Database) -> Iterator[FlaskClient]:
    app = create_app(database.url)
    with app.test_client() as out:
        out.environ_base["HTTP_X_DYNACLAST"] = "1"
        yield out
    app.extensions["dynaclast"].store.engine.dispose()


@pytest.fixture(scope="module")
def take(client: FlaskClient, database: Database) -> tuple[str, Baked]:
    """A take of a pillar that is blown and struck, longer than one chunk; and the bake of its document."""
    scene = shot(
        pillar(),
        ball("stone", (0, 2.2, -4), velocity=[0, 0, 9]),
        fields=(footing(), blow(1500, (0, 2, 0), 0.9, 0.2)),
        maps=[{"name": "high", "reach": {"layers": [{"shape": {"kind": "plane", "normal": [0, 1, 0], "edge": 4}}]}}],
        frames=FRAMES,
        name="struck",
    )
    made = client.post("/api/shots", json={"name": "struck", "document": document.dump(scene)}).get_json()
    started = client.post(f"/api/shots/{made['id']}/takes").get_json()
    assert run_bake(database.url, started["id"]) == "done"
    return started["id"], bake(scene)


def fetched(client: FlaskClient, take: str, kind: str) -> bytes:
    answer = client.get(f"/api/takes/{take}/export?format={kind}")
    assert answer.status_code == 200
    data = answer.data
    answer.close()
    return data


def test_the_chunks_of_a_take_are_the_frames_of_the_bake(client: FlaskClient, take: tuple[str, Baked]) -> None:
    key, baked = take
    rows = client.get(f"/api/takes/{key}/chunks").get_json()["chunks"]
    assert len(rows) > 1 and [r["first"] for r in rows] == np.cumsum([0, *(r["count"] for r in rows[:-1])]).tolist()
    parts = [unpack(client.get(f"/api/takes/{key}/chunks/{r['first']}").data)[0] for r in rows]
    for name, whole in (
        ("position", baked.position),
        ("orientation", baked.orientation),
        ("state", baked.state),
        ("map/high", baked.maps["map/high"]),
    ):
        assert np.concatenate([p[name] for p in parts]).tobytes() == whole.tobytes(), name


def test_events_through_the_web_are_those_of_the_bake(client: FlaskClient, take: tuple[str, Baked]) -> None:
    key, baked = take
    got = client.get(f"/api/takes/{key}/events").get_json()["events"]
    assert got == json.loads(json.dumps(baked.events)) and any(e["kind"] == "bond_broken" for e in got)


def test_the_trace_of_a_piece_is_its_part_of_the_bake(client: FlaskClient, take: tuple[str, Baked]) -> None:
    id, made = take
    struck = next(e for e in made.events if e["kind"] == "bond_broken")["pieces"][0]
    got = client.get(f"/api/takes/{id}/trace?piece={struck}").get_json()
    assert got["frames"] == FRAMES + 1 and got["load"] == []  # its loads were not followed
    way = np.diff(made.position[:, struck].astype(float), axis=0)
    assert got["speed"] == pytest.approx([0.0, *(24 * np.linalg.norm(way, axis=1))], abs=1e-4)
    assert got["events"] == [e for e in made.events if e["kind"] != "cue" and struck in e["pieces"]]
    state = np.full(FRAMES + 1, -1)
    for lane in got["states"]:
        for first, last in lane["spans"]:
            assert (state[first : last + 1] == -1).all()
            state[first : last + 1] = STATE_NAMES.index(lane["name"])
    assert (state == made.state[:, struck]).all()
    acted = np.unpackbits(made.maps["acted"][:, struck], axis=1, bitorder="little")
    for lane in got["fields"]:
        own = acted[:, made.field_names.index(lane["name"])]
        assert np.flatnonzero(own).tolist() == [k for first, last in lane["spans"] for k in range(first, last + 1)]
    assert {lane["name"] for lane in got["fields"]} == {made.field_names[k] for k in np.flatnonzero(acted.any(axis=0))}


def test_what_the_bonds_of_a_piece_bear_is_computed_again_at_a_frame(
    client: FlaskClient, take: tuple[str, Baked]
) -> None:
    id, made = take
    for piece in range(24):
        for frame in (0, 20, FRAMES):
            for bond in client.get(f"/api/takes/{id}/loads?piece={piece}&frame={frame}").get_json()["bonds"]:
                assert 0 <= bond["load"] and bond["strength"] > 0 and bond["piece"] != piece
                broken = [e for e in made.events if e["kind"] == "bond_broken" and e["bond"] == bond["bond"]]
                assert all(e["frame"] >= frame for e in broken)
                assert sum(c["load"] for c in bond["causes"]) == pytest.approx(bond["load"], rel=0.02, abs=1e-3)


@pytest.mark.parametrize(
    ("what", "says"),
    [
        ("trace?piece=99", "the take has 25 pieces, so there is no piece 99"),
        ("loads?piece=25&frame=3", "the take has 25 pieces, so there is no piece 25"),
        ("loads?piece=0&frame=61", "the take goes from frame 0 to 60, so there is no frame 61"),
    ],
)
def test_a_trace_of_what_is_not_there_is_refused_in_words(
    client: FlaskClient, take: tuple[str, Baked], what: str, says: str
) -> None:
    answer = client.get(f"/api/takes/{take[0]}/{what}")
    assert answer.status_code == 422 and says in answer.get_data(as_text=True)


def test_npz_through_the_web_is_the_bake_to_the_bit(client: FlaskClient, take: tuple[str, Baked]) -> None:
    key, baked = take
    with np.load(io.BytesIO(fetched(client, key, "npz")), allow_pickle=False) as z:
        assert z["position"].tobytes() == baked.position.tobytes()
        assert z["orientation"].tobytes() == baked.orientation.tobytes()
        assert z["state"].tobytes() == baked.state.tobytes()
        assert z["map/high"].tobytes() == baked.maps["map/high"].tobytes()
        assert z["piece_mass"] == pytest.approx(baked.piece_mass, rel=1e-12)
        assert [str(x) for x in z["body_names"]] == ["pillar", "stone"]


def test_a_part_through_the_web_is_that_part(client: FlaskClient, take: tuple[str, Baked]) -> None:
    key, baked = take
    asked = "npz&first=4&last=20&step=8&backwards=true&bodies=stone"
    with np.load(io.BytesIO(fetched(client, key, asked)), allow_pickle=False) as z:
        assert z["position"].tobytes() == baked.position[[20, 12, 4]][:, -1:].tobytes()
        assert [str(x) for x in z["body_names"]] == ["stone"] and z["time"].tolist() == [0, 8 / 24, 16 / 24]
    wrong = client.get(f"/api/takes/{key}/export?format=npz&first=900")
    assert wrong.status_code == 422 and wrong.get_json()["where"] == "first"


def test_a_take_has_a_picture_a_name_and_a_note(
    client: FlaskClient, take: tuple[str, Baked], monkeypatch: pytest.MonkeyPatch
) -> None:
    key, _ = take
    alone = client.get(f"/api/takes/{key}/document").get_json()
    assert alone == client.get(f"/api/takes/{key}").get_json()["document"]
    card = next(s for s in client.get("/api/shots").get_json()["shots"] if s["name"] == "struck")
    assert card["picture"] == f"1-{FRAMES}"
    picture = client.get(f"/api/takes/{key}/picture")
    assert picture.status_code == 200 and picture.data[:4] == b"\x89PNG"
    pictures = client.application.extensions["dynaclast"].pictures
    with monkeypatch.context() as patch:  # it is drawn once; a moment later in the take would be another picture
        patch.setattr("dynaclast.jobs.take_picture.picture_of", lambda *_: b"drawn again")
        assert client.get(f"/api/shots/{card['id']}/picture").data == picture.data == pictures.of_take(key)
        patch.setattr("dynaclast.jobs.take_picture.moment_of", lambda _: 3)
        assert client.get(f"/api/takes/{key}/picture").data == b"drawn again"
    named = client.put(f"/api/takes/{key}", json={"name": "struck twice", "note": "half the load"}).get_json()
    assert (named["name"], named["note"]) == ("struck twice", "half the load")
    assert client.put(f"/api/takes/{key}", json={"name": "x" * 81}).status_code == 422


@pytest.mark.parametrize("kind", ["usda", "usdc"])
def test_usd_through_the_web_has_every_piece_where_the_bake_has_it(
    client: FlaskClient, take: tuple[str, Baked], tmp_path: Path, kind: str
) -> None:
    key, baked = take
    path = tmp_path / f"take.{kind}"
    path.write_bytes(fetched(client, key, kind))
    stage = Usd.Stage.Open(str(path))
    meshes = [p for p in stage.Traverse() if p.IsA(UsdGeom.Mesh)]
    assert len(meshes) == len(baked.piece_mass) and stage.GetEndTimeCode() == FRAMES
    for f in (0, 7, 33, FRAMES):
        times = UsdGeom.XformCache(f)
        at = np.array([times.GetLocalToWorldTransform(p).ExtractTranslation() for p in meshes])
        assert at == pytest.approx(baked.position[f].astype(float), abs=1e-6)
    states = [p.GetAttribute("dynaclast:state").Get(40) for p in meshes]
    assert states == [baked.state_names[s] for s in baked.state[40]]


def test_glb_through_the_web_moves_every_node_as_the_bake_does(client: FlaskClient, take: tuple[str, Baked]) -> None:
    key, baked = take
    doc = pygltflib.GLTF2.load_from_bytes(fetched(client, key, "glb"))
    nodes = [k for k, n in enumerate(doc.nodes) if n.mesh is not None]
    assert len(nodes) == len(baked.piece_mass)
    blob = doc.binary_blob()

    def column(index: int, width: int) -> np.ndarray:
        accessor = doc.accessors[index]
        start = doc.bufferViews[accessor.bufferView].byteOffset
        return np.frombuffer(blob, np.float32, accessor.count * width, start).reshape(-1, width)

    moved = 0
    for channel in doc.animations[0].channels:
        if channel.target.path != "translation":
            continue
        sampler, p = doc.animations[0].samplers[channel.sampler], nodes.index(channel.target.node)
        times, values = column(sampler.input, 1)[:, 0], column(sampler.output, 3)
        got = np.stack([np.interp(baked.time, times, values[:, k]) for k in range(3)], axis=1)
        assert got == pytest.approx(baked.position[:, p].astype(float), abs=2e-5)
        moved += 1
    still = np.abs(baked.position - baked.position[0]).max(axis=(0, 2)) == 0
    assert moved >= int((~still).sum())
    for p, k in enumerate(nodes):
        assert doc.nodes[k].extras["mass"] == pytest.approx(baked.piece_mass[p], rel=1e-9)
        assert doc.nodes[k].translation == pytest.approx(baked.position[0, p].tolist(), abs=1e-6)
