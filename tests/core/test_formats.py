from __future__ import annotations

import contextlib
import io
import json
import re
import zipfile
from pathlib import Path

import numpy as np
import pygltflib
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from pxr import Usd, UsdGeom, UsdShade

from deforming import cloth, pin, rope
from dynaclast.core.bake import bake
from dynaclast.core.errors import InputError
from dynaclast.core.formats.frames import Baked, read_baked, write_events, write_frames
from dynaclast.core.formats.read import MOST_BYTES
from dynaclast.core.formats.read import read_mesh as read_bytes
from dynaclast.core.fracture.build import build_pieces
from dynaclast.core.geometry import primitives
from dynaclast.core.geometry.check import solid
from dynaclast.core.geometry.mass import signed_volume
from dynaclast.core.geometry.mesh import TriMesh
from dynaclast.core.geometry.rotations import rotation_matrix
from dynaclast.files import usd_layer, write_scene
from shots import blow, box, footing, pillar, reach_box, run, shot

TUBE = primitives.tube(1.0, 0.3, 2.0, segments=16)


def read_mesh(data: bytes, name: str, *more: object, **named: object) -> TriMesh:
    return read_bytes(data, name, usd_layer, *more, **named)


def as_file(kind: str) -> bytes:
    data = trimesh.Trimesh(TUBE.vertices, TUBE.faces, process=False).export(file_type=kind)
    return data.encode() if isinstance(data, str) else data


@pytest.mark.parametrize("kind", ["obj", "stl", "ply", "glb"])
def test_mesh_files_come_in_closed_and_at_their_size(kind: str) -> None:
    mesh, _ = solid(read_mesh(as_file(kind), f"thing.{kind}", 0.5), "thing")
    assert signed_volume(mesh) == pytest.approx(signed_volume(TUBE) / 8, rel=1e-5)
    assert np.ptp(mesh.vertices, axis=0) == pytest.approx([1, 1, 1], rel=1e-5)


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("a.blob", b"", "not a mesh file"),
        ("a.obj", b"\x00\x01\x02", "a.obj"),
        ("a.ply", b"ply\nformat ascii 1.0\nelement vertex 9999999999\n", "a.ply"),
        ("a.stl", b"\0" * 80 + b"\xff\xff\xff\x00" + b"\0" * 50, "cut short"),
        ("a.glb", b"glTF" + b"\0" * 40, "GLB"),
        ("a.gltf", b'{"buffers": [{"uri": "secret.bin", "byteLength": 4}]}', "other files"),
        ("a.obj", b"v 0 0 0\nv 1 0 0\nv nan 1 0\nf 1 2 3\n", "finite"),
    ],
)
def test_a_bad_file_gives_one_sentence_that_names_it(name: str, data: bytes, words: str) -> None:
    with pytest.raises(InputError) as caught:
        read_mesh(data, name)
    assert words in str(caught.value)


def test_a_file_over_the_limit_is_refused_before_it_is_read() -> None:
    with pytest.raises(InputError, match="200 MB"):
        read_mesh(bytes(200_000_000), "big.stl")
    assert MOST_BYTES < 200_000_000


@given(st.sampled_from(["obj", "stl", "ply", "glb"]), st.integers(0, 2**31))
@settings(max_examples=120, deadline=None)
def test_mutated_files_end_in_a_mesh_or_an_input_error(kind: str, seed: int) -> None:
    rng = np.random.default_rng(seed)
    data = bytearray(as_file(kind))
    for _ in range(int(rng.integers(1, 12))):
        data[int(rng.integers(len(data)))] = int(rng.integers(256))
    if rng.random() < 0.3:
        data = data[: int(rng.integers(len(data)))]
    with np.errstate(all="ignore"), contextlib.suppress(InputError):
        read_mesh(bytes(data), f"thing.{kind}")


@pytest.fixture(scope="module")
def fallen(tmp_path_factory: pytest.TempPathFactory):  # noqa: ANN201
    high = {
        "layers": [
            {"shape": {"kind": "plane", "center": [0, 3, 0], "normal": [0, -1, 0], "edge": 3}, "profile": "linear"}
        ]
    }
    more = {
        "fields": (footing(), blow(1500, (0, 2, 0), 0.9, 0.2)),
        "frames": 30,
        "maps": [{"name": "high up", "reach": high}],
    }
    scene, baked = shot(pillar(), **more), run(pillar(), **more)
    folder = tmp_path_factory.mktemp("export")
    for ending in ("usdc", "glb"):
        write_scene(scene, [build_pieces(b) for b in scene.bodies], baked, folder / f"take.{ending}")
    return baked, folder, build_pieces(scene.bodies[0])


def test_frames_and_events_read_back_the_same_and_are_the_same_bytes(fallen) -> None:  # noqa: ANN001
    baked = fallen[0]
    back = read_baked(write_frames(baked), write_events(baked.events))
    assert (
        (back.position == baked.position).all()
        and (back.state == baked.state).all()
        and back.events == json.loads(json.dumps(baked.events))
    )
    assert write_frames(baked) == write_frames(back)


def test_usd_holds_every_pieces_mesh_and_motion(fallen: tuple) -> None:
    baked, folder, pieces = fallen
    stage = Usd.Stage.Open(str(folder / "take.usdc"))
    assert (
        UsdGeom.GetStageUpAxis(stage) == "Y"
        and UsdGeom.GetStageMetersPerUnit(stage) == 1
        and stage.GetEndTimeCode() == 30
    )
    meshes = [UsdGeom.Mesh(p) for p in stage.Traverse() if p.IsA(UsdGeom.Mesh)]
    assert len(meshes) == pieces.count
    moving = int(np.argmax(np.linalg.norm(baked.position[-1] - baked.position[0], axis=1)))
    for p in (0, moving):
        points = np.array(meshes[p].GetPointsAttr().Get())
        for f in (0, 11, 30):
            world = np.array(meshes[p].ComputeLocalToWorldTransform(f))
            got = np.c_[points, np.ones(len(points))] @ world
            want = points @ rotation_matrix(baked.orientation[f, p]).T + baked.position[f, p]
            assert got[:, :3] == pytest.approx(want, abs=1e-4)
    prim = meshes[moving].GetPrim()
    assert prim.GetAttribute("dynaclast:mass").Get() == pytest.approx(baked.piece_mass[moving])
    assert prim.GetAttribute("dynaclast:state").Get(30) in ("moving", "resting")
    for f in (0, 13, 30):
        assert prim.GetAttribute("primvars:dynaclast:map:high_up").Get(f) == pytest.approx(
            float(baked.maps["map/high up"][f, moving]), abs=1e-6
        )
    assert np.ptp(baked.maps["map/high up"][:, moving]) > 0.1


def test_glb_holds_animated_nodes_that_match_the_frames(fallen: tuple) -> None:
    baked, folder, pieces = fallen
    path: Path = folder / "take.glb"
    doc = pygltflib.GLTF2.load_from_bytes(path.read_bytes())
    nodes = [n for n in doc.nodes if n.mesh is not None]
    assert len(nodes) == pieces.count and len(doc.animations) == 1
    moving = int(np.argmax(np.linalg.norm(baked.position[-1] - baked.position[0], axis=1)))
    index = doc.nodes.index(nodes[moving])
    channel = next(c for c in doc.animations[0].channels if c.target.node == index and c.target.path == "translation")
    sampler = doc.animations[0].samplers[channel.sampler]

    def array(accessor: int, width: int) -> np.ndarray:
        a = doc.accessors[accessor]
        view = doc.bufferViews[a.bufferView]
        return np.frombuffer(doc.binary_blob(), np.float32, a.count * width, view.byteOffset).reshape(-1, width)

    times, values = array(sampler.input, 1)[:, 0], array(sampler.output, 3)
    for f in (0, 15, 30):
        got = [np.interp(f / 24, times, values[:, k]) for k in range(3)]
        assert got == pytest.approx(baked.position[f, moving], abs=1e-4)
    loaded = trimesh.load_scene(io.BytesIO(path.read_bytes()), file_type="glb")
    assert sum(g.volume for g in (m.process(validate=True) or m for m in loaded.geometry.values())) == pytest.approx(
        pieces.volume.sum(), rel=1e-4
    )


@pytest.fixture(scope="module")
def intact() -> tuple:
    """A pillar that is drawn whole until a blow at frame 3 breaks its first bond."""
    made = shot(pillar(release={"kind": "intact"}), fields=(footing(), blow(1500, time=0.1)), frames=6)
    baked = bake(made)
    pieces = [build_pieces(b) for b in made.bodies]
    broke = min(e["frame"] for e in baked.events if e["kind"] == "bond_broken")
    return made, pieces, baked, broke


def seen_in_usd(stage: Usd.Stage, frames: int, name: str) -> list[bool]:
    prim = next(p for p in stage.Traverse() if p.GetName() == name)
    return [UsdGeom.Imageable(prim).ComputeVisibility(f) != UsdGeom.Tokens.invisible for f in range(frames)]


def test_usd_shows_a_body_whole_until_its_first_bond_breaks_and_its_pieces_from_then_on(intact, tmp_path) -> None:  # noqa: ANN001
    made, pieces, baked, broke = intact
    write_scene(made, pieces, baked, tmp_path / "a.usdc")
    stage = Usd.Stage.Open(str(tmp_path / "a.usdc"))
    frames = len(baked.time)
    assert 0 < broke < frames - 1
    assert seen_in_usd(stage, frames, "pillar_whole") == [f < broke for f in range(frames)]
    for p in range(pieces[0].count):
        assert seen_in_usd(stage, frames, f"pillar_{p:04d}") == [f >= broke for f in range(frames)]
    whole = UsdGeom.Mesh(next(p for p in stage.Traverse() if p.GetName() == "pillar_whole"))
    assert len(found.faces) == 12 + 32
    points = (
        np.array([row.split()[1:4] for row in data.decode().splitlines() if row.startswith("v ")], float)
        if kind == "obj"
        else found.vertices
    )
    flag, guy = baked.maps["points/flag"][3], baked.maps["points/guy"][3]
    assert len(points) == 8 + 25 + 7
    assert points[8:33] == pytest.approx(flag, abs=2e-5) and points[33:] == pytest.approx(guy, abs=2e-5)
    assert points[:8].mean(axis=0) == pytest.approx(baked.position[3, 0], abs=2e-5)


def test_a_sequence_names_its_objects_and_draws_ropes_as_lines(flown: tuple) -> None:
    with zipfile.ZipFile(flown[1] / "take.obj.zip") as z:
        text = z.read(z.namelist()[0]).decode()
    assert re.findall(r"^o (.*)$", text, re.M) == ["crate", "flag", "guy"]
    assert len(re.findall(r"^l ", text, re.M)) == 6
    with zipfile.ZipFile(flown[1] / "take.ply.zip") as z:
        assert b"element edge 6" in z.read(z.namelist()[0])


def test_the_same_sequence_is_the_same_bytes_and_other_endings_are_refused(flown: tuple, tmp_path: Path) -> None:
    baked, folder = flown
    scene = shot(box("crate", (0, 1, 0)), frames=2)
    alone = run(box("crate", (0, 1, 0)), frames=2)
    for name in ("a.ply.zip", "b.ply.zip"):
        write_scene(scene, [build_pieces(b) for b in scene.bodies], alone, tmp_path / name)
    assert (tmp_path / "a.ply.zip").read_bytes() == (tmp_path / "b.ply.zip").read_bytes()
    with pytest.raises(InputError, match="obj.zip"):
        write_scene(scene, [], alone, tmp_path / "take.zip")
