"""Bodies that deform in USD, written and read back with the library."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from pxr import Usd, UsdGeom

from deforming import cloth, pin, rope, soft
from dynaclast.core.document import Shot
from dynaclast.core.formats.frames import Baked
from dynaclast.core.formats.write.normals import smooth_normals
from dynaclast.core.fracture.build import build_pieces
from dynaclast.files import write_scene
from shots import reach_sphere, run, shot

FLAG = cloth(
    "flag", (0, 3, 0), (2, 1), (6, 4), matter={"tear": 0.5, "thickness": 0.004}, pins=[pin(-1, 3, -0.5, reach=0.1)]
)
THINGS = (FLAG, rope("guy", (3, 2, 0), (4, 2, 0), segments=6), soft("buoy", (6, 2, 0), (1, 1, 1)))
GONE = {
    "name": "gone",
    "effect": {"kind": "kill", "what": "remove", "age": 0.1},
    "reach": reach_sphere((6, 2, 0), 3),
    "targets": ["buoy"],
}
SLOPE = {"layers": [{"shape": {"kind": "plane", "normal": [1, 0, 0], "edge": 2}}]}
MAP = {"name": "heat", "reach": SLOPE, "targets": "all"}


@pytest.fixture(scope="module")
def written(tmp_path_factory: pytest.TempPathFactory) -> tuple[Shot, Baked, Usd.Stage]:
    scene = shot(*THINGS, fields=[GONE], maps=[MAP], frames=6)
    baked = run(*THINGS, fields=[GONE], maps=[MAP], frames=6)
    path = tmp_path_factory.mktemp("usd") / "take.usdc"
    write_scene(scene, [build_pieces(b) for b in scene.bodies], baked, path)
    return scene, baked, Usd.Stage.Open(str(path))


def prim(stage: Usd.Stage, name: str, kind: Any) -> Any:
    return kind(next(p for p in stage.Traverse() if p.GetName() == name and p.IsA(kind)))


def test_points_are_those_of_the_bake_and_velocities_their_differences(written: tuple) -> None:
    _, baked, stage = written
    for name, kind in (("flag", UsdGeom.Mesh), ("guy", UsdGeom.BasisCurves), ("buoy", UsdGeom.Mesh)):
        at, shape = baked.maps[f"points/{name}"], prim(stage, name, kind)
        found = np.array([shape.GetPointsAttr().Get(f) for f in range(7)])
        assert (found == at).all()
        speed = np.array(shape.GetVelocitiesAttr().Get(3))
        assert speed == pytest.approx((at[4].astype(float) - at[2]) * 12.0, abs=1e-4)  # over two of 24 frames a second
        assert np.array(shape.GetVelocitiesAttr().Get(0)) == pytest.approx((at[1].astype(float) - at[0]) * 24, abs=1e-4)


def test_what_can_tear_is_smooth_where_it_hangs_together(written: tuple) -> None:
    _, baked, stage = written
    mesh = prim(stage, "flag", UsdGeom.Mesh)
    normals, at = np.array(mesh.GetNormalsAttr().Get(5)), baked.maps["points/flag"][5]
    assert mesh.GetNormalsInterpolation() == UsdGeom.Tokens.vertex
    assert np.linalg.norm(normals, axis=1) == pytest.approx(np.ones(len(at)), abs=1e-5)
    _, same = np.unique(at, axis=0, return_inverse=True)
    same = same.reshape(-1)
    assert len(set(same)) == 35 < len(at)  # 48 triangles of their own, hanging together
    for k in range(35):
        assert np.ptp(normals[same == k], axis=0).max() < 1e-6


def test_normals_part_where_points_do() -> None:
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 0, 1], [1, 0, 0], [1, 1, 1], [0, 0, 1]], np.float32)
    faces, place = np.array([[0, 2, 1], [3, 5, 4]]), np.array([0, 1, 2, 1, 3, 2])
    together = smooth_normals(points, faces, place)
    assert together[1] == pytest.approx(together[3]) and together[0] == pytest.approx([0, 1, 0])
    torn = points.copy()
    torn[3:] += [0, 0.5, 0]
    apart = smooth_normals(torn, faces, place)
    assert apart[1] == pytest.approx([0, 1, 0]) and apart[3] != pytest.approx(apart[1])
    assert smooth_normals(points, faces, np.arange(6))[1] == pytest.approx([0, 1, 0])  # never one at rest


def test_rest_places_thickness_and_coordinates_come_along(written: tuple) -> None:
    _, baked, stage = written
    mesh = prim(stage, "flag", UsdGeom.Mesh)
    primvars = UsdGeom.PrimvarsAPI(mesh)
    assert np.array(primvars.GetPrimvar("Pref").Get()) == pytest.approx(baked.maps["points/flag"][0], abs=1e-5)
    st = np.array(primvars.GetPrimvar("st").Get())
    assert (st.min(axis=0), st.max(axis=0)) == (pytest.approx([0, 0]), pytest.approx([1, 1]))
    assert primvars.GetPrimvar("width").Get() == pytest.approx(0.004)
    curve = prim(stage, "guy", UsdGeom.BasisCurves)
    assert list(curve.GetWidthsAttr().Get()) == pytest.approx([0.02])
    assert not UsdGeom.PrimvarsAPI(prim(stage, "buoy", UsdGeom.Mesh)).HasPrimvar("st")


def test_states_maps_and_readings_are_primvars_at_points(written: tuple) -> None:
    _, baked, stage = written
    primvars = UsdGeom.PrimvarsAPI(prim(stage, "flag", UsdGeom.Mesh))
    for name, key in (
        ("state", "state/flag"),
        ("map:heat", "value/heat/flag"),
        ("tension", "tension/flag"),
        ("touch", "touch/flag"),
    ):
        primvar = primvars.GetPrimvar(f"dynaclast:{name}")
        assert primvar.GetInterpolation() == UsdGeom.Tokens.vertex
        for f in (0, 4):
            assert np.array(primvar.Get(f)) == pytest.approx(baked.maps[key][f])


def test_faces_go_in_the_frame_in_which_their_points_do(written: tuple) -> None:
    _, baked, stage = written
    mesh, gone = prim(stage, "buoy", UsdGeom.Mesh), baked.maps["state/buoy"] == baked.state_names.index("removed")
    first = int(np.argmax(gone.all(axis=1)))
    assert 0 < first <= 4
    counts = [len(mesh.GetFaceVertexCountsAttr().Get(f)) for f in range(7)]
    assert [n > 0 for n in counts] == [f < first for f in range(7)]
    whole = prim(stage, "flag", UsdGeom.Mesh)
    assert whole.GetFaceVertexIndicesAttr().GetNumTimeSamples() == 0  # nothing of it goes


def test_what_is_rounded_for_the_eye_is_a_subdivision_surface(tmp_path: Path) -> None:
    seen = FLAG | {"material": {"look": {"smooth": 2, "thickness": 0.05}}}
    scene = shot(seen, frames=2)
    write_scene(scene, [build_pieces(b) for b in scene.bodies], run(seen, frames=2), tmp_path / "a.usda")
    stage = Usd.Stage.Open(str(tmp_path / "a.usda"))
    mesh = prim(stage, "flag", UsdGeom.Mesh)
    assert mesh.GetSubdivisionSchemeAttr().Get() == UsdGeom.Tokens.loop
    assert not mesh.GetNormalsAttr().HasValue()  # they would hide it
    assert UsdGeom.PrimvarsAPI(mesh).GetPrimvar("width").Get() == pytest.approx(0.05)
