"""Mesh files of any kind, whole and damaged, through the reader that the server uses."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Iterator

import numpy as np
import pytest
import trimesh
from pxr import Gf, Usd, UsdGeom

from dynaclast.core.errors import DynaclastError, InputError
from dynaclast.core.geometry import primitives
from dynaclast.jobs.interrupt import Interrupted, Interruptible
from dynaclast.jobs.reader import Reader, _answer
from dynaclast.store.blobs import pack, unpack


@pytest.fixture(scope="module")
def reader() -> Iterator[Reader]:
    out = Reader(seconds=20)
    yield out
    out.close()


def two_crates(ending: str) -> bytes:
    """Two boxes, one of them turned, lifted and scaled, as a GLB."""
    scene = trimesh.Scene()
    scene.add_geometry(trimesh.creation.box((1, 2, 3)), node_name="crate", geom_name="crate")
    move = trimesh.transformations.compose_matrix(scale=(2, 2, 2), angles=(0, 0, np.pi / 2), translate=(5, 1, 0))
    lid = trimesh.creation.box((1, 1, 1))
    lid.visual = trimesh.visual.TextureVisuals(
        uv=np.zeros((8, 2)), material=trimesh.visual.material.PBRMaterial(baseColorFactor=[255, 0, 0, 255])
    )
    scene.add_geometry(lid, node_name="lid", geom_name="lid", transform=move)
    out = scene.export(file_type=ending)
    return out if isinstance(out, bytes) else out.encode()


def usd_crate(tmp: str, up: str, metres: float) -> bytes:
    stage = Usd.Stage.CreateNew(tmp)
    UsdGeom.SetStageUpAxis(stage, up)
    UsdGeom.SetStageMetersPerUnit(stage, metres)
    UsdGeom.Xform.Define(stage, "/rig").AddTranslateOp().Set(Gf.Vec3d(0, 0, 100))
    mesh = UsdGeom.Mesh.Define(stage, "/rig/crate")
    box = primitives.box((100, 200, 300))
    quads = [[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]]
    corners = np.array([[x, y, z] for x in (-50, 50) for y in (-100, 100) for z in (-150, 150)], np.float32)
    assert len(box.vertices) == 8
    mesh.CreatePointsAttr([Gf.Vec3f(*map(float, p)) for p in corners])
    mesh.CreateFaceVertexCountsAttr([4] * 6)
    mesh.CreateFaceVertexIndicesAttr([i for q in quads for i in q])
    mesh.CreateDisplayColorAttr([Gf.Vec3f(1, 0, 0)])
    stage.GetRootLayer().Save()
    with open(tmp, "rb") as f:
        return f.read()


def test_a_glb_gives_its_meshes_with_names_places_colours_and_coordinates(reader: Reader) -> None:
    found = reader.read(two_crates("glb"), "crates.glb")
    assert [p.name for p in found.parts] == ["crate", "lid"] and "metres" in found.notes[0]
    lid = found.parts[1]
    assert np.ptp(lid.mesh.vertices, axis=0) == pytest.approx([2, 2, 2], abs=1e-5) and lid.position == pytest.approx(
        (5, 1, 0), abs=1e-6
    )
    assert abs(lid.rotation[2]) == pytest.approx(np.sin(np.pi / 4), abs=1e-6) and lid.color == "#ff0000"
    assert lid.uv is not None and lid.uv.shape == (12, 3, 2)


def test_usd_that_refers_to_itself_is_read_wherever_it_stands(reader: Reader) -> None:
    stage = Usd.Stage.CreateInMemory()
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    stage.CreateClassPrim("/_crate")
    box, mesh = UsdGeom.Mesh.Define(stage, "/_crate/mesh"), primitives.box((1, 2, 3))
    box.CreatePointsAttr(mesh.vertices.tolist())
    box.CreateFaceVertexCountsAttr([3] * len(mesh.faces))
    box.CreateFaceVertexIndicesAttr(mesh.faces.ravel().tolist())
    for k in range(3):
        crate = UsdGeom.Xform.Define(stage, f"/world/crate{k}")
        crate.AddTranslateOp().Set((2.0 * k, 0.0, 0.0))
        crate.GetPrim().GetReferences().AddInternalReference("/_crate")
        crate.GetPrim().SetInstanceable(k == 2)
    found = reader.read(stage.GetRootLayer().ExportToString().encode(), "a.usda")
    assert [p.position[0] for p in found.parts] == [0.0, 2.0, 4.0]
    assert all(len(p.mesh.faces) == 12 for p in found.parts)
    crate.GetPrim().GetReferences().AddReference("./other.usda")
    with pytest.raises(InputError, match="refers to other files"):
        reader.read(stage.GetRootLayer().ExportToString().encode(), "a.usda")


def test_usd_honours_units_and_up_axis(reader: Reader, tmp_path) -> None:  # noqa: ANN001
    found = reader.read(usd_crate(str(tmp_path / "a.usdc"), UsdGeom.Tokens.z, 0.01), "a.usdc")
    part = found.parts[0]
    assert (
        part.name == "crate"
        and part.color == "#ff0000"
        and "0.01 m per unit, z up" in found.notes[0]
        and "6 faces" in found.notes[1]
    )
    joined = found.joined()
    assert np.ptp(joined.vertices, axis=0) == pytest.approx([1, 3, 2], abs=1e-6)  # z of the file is y here
    assert joined.vertices[:, 1].mean() == pytest.approx(1.0, abs=1e-6)
    assert (
        len(reader.read(usd_crate(str(tmp_path / "b.usda"), UsdGeom.Tokens.y, 1.0), "b.usda").parts[0].mesh.faces) == 12
    )


def test_a_reader_that_dies_or_hangs_is_replaced(reader: Reader) -> None:
    reader.read(two_crates("glb"), "a.glb")
    assert reader._child is not None
    reader._child.kill()
    reader._child.wait()
    assert len(reader.read(two_crates("glb"), "a.glb").parts) == 2
    slow = Reader(seconds=0.0)
    with pytest.raises(InputError, match="took longer"):
        slow.read(two_crates("glb"), "a.glb")
    slow.close()
    with pytest.raises(InputError, match="not a mesh file"):
        reader.read(b"", "notes.txt")


def test_a_reader_started_ahead_is_the_one_that_reads() -> None:
    ahead = Reader(seconds=60)
    ahead.begin()
    child = ahead._child
    assert child is not None and child.poll() is None
    ahead.begin()
    assert len(ahead.read(two_crates("glb"), "a.glb").parts) == 2 and ahead._child is child
    ahead.close()
    assert child.poll() is not None


def test_who_stops_waiting_for_a_file_takes_nothing_from_the_next(reader: Reader) -> None:
    """What was answered to the one is never taken for an answer to the other."""
    many = trimesh.util.concatenate([trimesh.creation.icosphere(subdivisions=4) for _ in range(12)])
    large = many.export(file_type="obj").encode()
    for wait in (0.0, 0.05, 0.3):
        work = Interruptible()
        threading.Timer(wait, work.interrupt).start()
        with contextlib.suppress(Interrupted), work:
            reader.read(large, "large.obj")
        assert [p.name for p in reader.read(two_crates("glb"), "a.glb").parts] == ["crate", "lid"]


def mutated(data: bytes, rng: np.random.Generator) -> bytes:
    """The bytes with a few of them changed, cut, doubled or made extreme."""
    out = bytearray(data)
    for _ in range(int(rng.integers(1, 4))):
        way, at = int(rng.integers(6)), int(rng.integers(len(out)))
        if way == 0:
            out[at] = int(rng.integers(256))
        elif way == 1:
            out[at] ^= 1 << int(rng.integers(8))
        elif way == 2 and len(out) > 40:
            del out[at : at + int(rng.integers(1, 20))]
        elif way == 3:
            out[at:at] = out[at : at + int(rng.integers(1, 40))]
        elif way == 4:
            out[at : at + 4] = rng.choice([b"\xff\xff\xff\xff", b"\xff\xff\xff\x7f", b"\0\0\0\0", b"\0\0\xc0\x7f"])
        elif len(out) > 40:
            del out[at:]
        if not out:
            return b"\0"
    return bytes(out)


def test_hundreds_of_damaged_files_never_take_the_reader_along(reader: Reader, tmp_path) -> None:  # noqa: ANN001
    ball = trimesh.creation.icosphere(1)
    box = trimesh.creation.box((1, 2, 3))
    whole = {
        "obj": box.export(file_type="obj").encode(),
        "ply": ball.export(file_type="ply"),
        "stl": box.export(file_type="stl"),
        "glb": two_crates("glb"),
        "usdc": usd_crate(str(tmp_path / "c.usdc"), UsdGeom.Tokens.y, 1.0),
        "usda": usd_crate(str(tmp_path / "c.usda"), UsdGeom.Tokens.y, 1.0),
    }
    whole["text.ply"] = ball.export(file_type="ply", encoding="ascii")
    rng = np.random.default_rng(5)
    read = refused = 0
    began = time.monotonic()
    # damaged USD stops its reader more often than not, and a new one takes a second: fewer of those
    count = {"usdc": 5, "usda": 12}
    for ending, data in whole.items():
        assert reader.read(data, f"whole.{ending}").parts
        for k in range(count.get(ending, 60)):
            try:
                found = reader.read(mutated(data, rng), f"v{k}.{ending}")
            except DynaclastError as exc:
                refused += 1
                assert exc.message and "Traceback" not in exc.message
            else:
                read += 1
                assert all(
                    np.isfinite(p.mesh.vertices).all() and p.mesh.faces.max() < len(p.mesh.vertices)
                    for p in found.parts
                )
    assert read + refused == 317 and read > 20 and refused > 30
    assert time.monotonic() - began < 600  # none hung until its limit


BOX = primitives.box((1, 1, 1))
PART = {"name": "a", "position": [0, 0, 0], "rotation": [0, 0, 0, 1], "color": None}


def answered(part: dict | None = None, **arrays: np.ndarray) -> bytes:
    given = {"0/vertices": BOX.vertices, "0/faces": BOX.faces} | {f"0/{k}": v for k, v in arrays.items()}
    return pack(given, parts=[part or PART], metres=1.0, notes=["one"])


def test_an_answer_that_is_one_is_read() -> None:
    found = _answer(*unpack(answered()))
    assert found.parts[0].mesh.vertices.flags.writeable and found.notes == ["one"] and found.metres == 1.0


@pytest.mark.parametrize(
    "message",
    [
        b"cos\nsystem\n(S'true'\ntR.",  # an object to be made anew, as another format would have it
        answered()[:40],
        answered()[:-64],
        answered(faces=np.array([[0, 1, 99]], np.int32)),
        answered(faces=np.array([[0, 1, -1]], np.int32)),
        answered(vertices=np.full((8, 3), np.nan)),
        answered(vertices=np.zeros(7)),
        answered(PART | {"position": [0, 0]}),
        answered(PART | {"rotation": "none"}),
        answered({"name": "a"}),
        pack({}, parts=[PART], metres=1.0, notes=[]),
        pack({}, parts=[], metres=[], notes=[]),
        pack({}, error="SystemExit", message="", where="", code=""),
        answered().replace(b'"f8", [8, 3]', b'"O", [8, 3] '),
        answered().replace(b'"f8", [8, 3]', b'"f8",[-8,3]'),
    ],
)
def test_an_answer_that_is_none_is_refused_as_damage_and_runs_nothing(message: bytes) -> None:
    with pytest.raises((ValueError, KeyError, TypeError, AttributeError, EOFError)):
        _answer(*unpack(message))
