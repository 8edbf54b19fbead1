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
    faces = np.array(whole.GetFaceVertexIndicesAttr().Get()).reshape(-1, 3)
    mesh = TriMesh(np.array(whole.GetPointsAttr().Get(), np.float64), faces)
    assert signed_volume(mesh) == pytest.approx(pieces[0].volume.sum(), rel=1e-5)


def scales_of(doc: pygltflib.GLTF2, baked: Baked) -> dict[str, np.ndarray]:
    """Scale of every node that has keys of it, in every frame."""
    blob = doc.binary_blob()

    def read(index: int) -> np.ndarray:
        accessor = doc.accessors[index]
        view = doc.bufferViews[accessor.bufferView]
        width = {"SCALAR": 1, "VEC3": 3}[accessor.type]
        start = (view.byteOffset or 0) + (accessor.byteOffset or 0)
        return np.frombuffer(blob, np.float32, accessor.count * width, start).reshape(-1, width)

    scales = {}
    for animation in doc.animations:
        for channel in animation.channels:
            if channel.target.path == "scale":
                sampler = animation.samplers[channel.sampler]
                assert sampler.interpolation == "STEP"
                times, values = read(sampler.input)[:, 0], read(sampler.output)
                at = np.searchsorted(times, baked.time.astype(np.float32), side="right") - 1
                scales[doc.nodes[channel.target.node].name] = values[np.maximum(at, 0), 0]
    return scales


def test_glb_swaps_the_same_by_a_scale_that_jumps(intact, tmp_path) -> None:  # noqa: ANN001
    made, pieces, baked, broke = intact
    write_scene(made, pieces, baked, tmp_path / "a.glb")
    doc = pygltflib.GLTF2().load(str(tmp_path / "a.glb"))
    scales = scales_of(doc, baked)
    before = np.arange(len(baked.time)) < broke
    assert (scales["pillar_whole"] == before).all()
    assert len(scales) == 1 + pieces[0].count
    assert all((scale == ~before).all() for name, scale in scales.items() if name != "pillar_whole")


@pytest.fixture(scope="module")
def taken_out() -> tuple:
    """Six pieces of a glass pane fall into a region that takes them out; a second pane stays."""
    pane = box(
        "pane",
        (0, 4, 0),
        (1, 1, 0.1),
        pattern={"kind": "cells", "count": 6, "seed": 2},
        material={"look": {"color": "#80c0c0", "roughness": 0.1, "opacity": 0.4}},
    )
    kill = {
        "name": "end",
        "effect": {"kind": "kill", "what": "remove", "slower": 0.1, "age": 0.05},
        "reach": reach_box((0, 1, 0), (9, 2, 9)),
        "cue": {"kind": "span", "start": 0.0},
    }
    made = shot(pane, box("stays", (5, 0.5, 0)), fields=({**kill, "targets": ["pane"]},), frames=30)
    baked = bake(made)
    assert (baked.state[-1, :6] == baked.state_names.index("removed")).all()
    return made, [build_pieces(b) for b in made.bodies], baked


def there(baked: Baked, piece: int) -> list[bool]:
    return (baked.state[:, piece] != baked.state_names.index("removed")).tolist()


def test_what_was_taken_out_is_gone_from_usd(taken_out, tmp_path) -> None:  # noqa: ANN001
    made, pieces, baked = taken_out
    write_scene(made, pieces, baked, tmp_path / "a.usdc")
    stage = Usd.Stage.Open(str(tmp_path / "a.usdc"))
    for p in range(6):
        assert seen_in_usd(stage, len(baked.time), f"pane_{p:04d}") == there(baked, p)
    assert all(seen_in_usd(stage, len(baked.time), "stays"))


def test_usd_gives_cut_faces_a_material_of_their_own_and_glass_its_opacity(taken_out, tmp_path) -> None:  # noqa: ANN001
    made, pieces, baked = taken_out
    write_scene(made, pieces, baked, tmp_path / "a.usda")
    stage = Usd.Stage.Open(str(tmp_path / "a.usda"))
    prim = next(p for p in stage.Traverse() if p.GetName() == "pane_0003")
    subset = UsdGeom.Subset(next(c for c in prim.GetChildren() if c.IsA(UsdGeom.Subset)))
    assert np.array(subset.GetIndicesAttr().Get()).tolist() == np.flatnonzero(~pieces[0].skin_of(3)).tolist()
    bound = UsdShade.MaterialBindingAPI(subset.GetPrim()).ComputeBoundMaterial()[0]
    assert bound.GetPath().name == "inside"
    for name in ("look", "inside"):
        shader = UsdShade.Shader(stage.GetPrimAtPath(bound.GetPath().GetParentPath().AppendPath(f"{name}/surface")))
        assert shader.GetInput("opacity").Get() == pytest.approx(0.4)
    solid = next(p for p in stage.Traverse() if p.GetPath().pathString.endswith("stays/look/surface"))
    assert not UsdShade.Shader(solid).GetInput("opacity")


def test_glb_takes_out_what_was_and_gives_cut_faces_their_material(taken_out, tmp_path) -> None:  # noqa: ANN001
    made, pieces, baked = taken_out
    write_scene(made, pieces, baked, tmp_path / "a.glb")
    doc = pygltflib.GLTF2().load(str(tmp_path / "a.glb"))
    scales = scales_of(doc, baked)
    for p in range(6):
        assert scales[f"pane_{p:04d}"].astype(bool).tolist() == there(baked, p)
    assert "stays" not in scales
    mesh = next(m for m in doc.meshes if m.name == "pane_0003")
    assert [x.material for x in mesh.primitives] == [0, 1]
    counts = [doc.accessors[x.attributes.POSITION].count for x in mesh.primitives]
    skin = pieces[0].skin_of(3)
    assert counts == [3 * int(skin.sum()), 3 * int((~skin).sum())]
    alpha = [(m.alphaMode, m.pbrMetallicRoughness.baseColorFactor[3]) for m in doc.materials]
    assert alpha == [("BLEND", pytest.approx(0.4))] * 2 + [("OPAQUE", 1.0)] * 2


@pytest.fixture(scope="module")
def flown(tmp_path_factory: pytest.TempPathFactory) -> tuple:
    """A crate that falls, a sheet pinned at a side and a rope, as written in both sequences."""
    sheet = cloth("flag", (0, 3, 0), (1, 1), (4, 4), pins=[pin(-0.5, 3, 0.5)])
    things = (box("crate", (0, 1, 0)), sheet, rope("guy", (3, 2, 0), (4, 2, 0), segments=6))
    scene, baked = shot(*things, frames=4), run(*things, frames=4)
    folder = tmp_path_factory.mktemp("sequence")
    for kind in ("obj", "ply"):
        write_scene(scene, [build_pieces(b) for b in scene.bodies], baked, folder / f"take.{kind}.zip")
    return baked, folder


@pytest.mark.parametrize("kind", ["obj", "ply"])
def test_a_sequence_has_a_mesh_for_every_frame_with_pieces_and_what_deforms(flown: tuple, kind: str) -> None:
    baked, folder = flown
    with zipfile.ZipFile(folder / f"take.{kind}.zip") as z:
        names = z.namelist()
        assert len(names) == 5 and names[3].endswith(f".0003.{kind}")
        data = z.read(names[3])
    found = trimesh.load(io.BytesIO(data), file_type=kind, process=False)
    assert len(found.faces) == 12 + 32
    rows = [row.split()[1:4] for row in data.decode().splitlines() if row.startswith("v ")] if kind == "obj" else []
    points = np.array(rows, float) if rows else found.vertices
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


def test_the_same_sequence_is_the_same_bytes_and_other_endings_are_refused(tmp_path: Path) -> None:
    scene = shot(box("crate", (0, 1, 0)), frames=2)
    alone = run(box("crate", (0, 1, 0)), frames=2)
    for name in ("a.ply.zip", "b.ply.zip"):
        write_scene(scene, [build_pieces(b) for b in scene.bodies], alone, tmp_path / name)
    assert (tmp_path / "a.ply.zip").read_bytes() == (tmp_path / "b.ply.zip").read_bytes()
    with pytest.raises(InputError, match="obj.zip"):
        write_scene(scene, [], alone, tmp_path / "take.zip")
