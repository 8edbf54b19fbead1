"""USD out: every piece a mesh with an animated transform, under its body.

Custom attributes carry what other departments ask for: ``dynaclast:mass`` [kg], ``dynaclast:state`` (animated), and
the primvar ``dynaclast:skin`` (1 on original surface, 0 on cut faces); animated where the bake has them, the primvars
``dynaclast:weight`` and ``dynaclast:map:NAME``. Cut faces are a subset with a material of their own; what is removed,
or not there yet, is invisible. Bodies that deform: usd_deforming.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade, Vt

from ...geometry.mesh import TriMesh
from .changes import changes
from .scene import ExportScene, Swap, safe_name
from .usd_deforming import write_deforming


def write_usd(scene: ExportScene) -> Usd.Stage:
    """The scene as a stage in memory, to be exported to a .usdc, .usda or .usd file; frame 0 is time code 0."""
    stage = Usd.Stage.CreateInMemory("export.usdc")
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    frames = len(scene.baked.time)
    stage.SetStartTimeCode(0)
    stage.SetEndTimeCode(frames - 1)
    stage.SetTimeCodesPerSecond(scene.fps)
    stage.SetFramesPerSecond(scene.fps)
    root = UsdGeom.Xform.Define(stage, "/" + safe_name(scene.name))
    stage.SetDefaultPrim(root.GetPrim())
    layer = stage.GetRootLayer()
    bodies = _bodies(stage, root, scene)
    samples: list[tuple[Any, ...]] = []
    for piece in scene.pieces:
        mesh = UsdGeom.Mesh.Define(stage, bodies[piece.body].AppendChild(piece.name))
        _geometry(mesh, piece.mesh)
        _cut_faces(stage, mesh, bodies[piece.body], np.flatnonzero(~piece.skin))
        skin = UsdGeom.PrimvarsAPI(mesh).CreatePrimvar(
            "dynaclast:skin", Sdf.ValueTypeNames.IntArray, UsdGeom.Tokens.uniform
        )
        skin.Set(Vt.IntArray.FromNumpy(piece.skin.astype(np.int32)))
        mesh.GetPrim().CreateAttribute("dynaclast:mass", Sdf.ValueTypeNames.Double).Set(
            float(scene.baked.piece_mass[piece.index])
        )
        state = mesh.GetPrim().CreateAttribute("dynaclast:state", Sdf.ValueTypeNames.Token)
        move, turn = (
            mesh.AddTranslateOp(UsdGeom.XformOp.PrecisionDouble),
            mesh.AddOrientOp(UsdGeom.XformOp.PrecisionDouble),
        )
        primvars = UsdGeom.PrimvarsAPI(mesh)
        numbers = [
            (
                primvars.CreatePrimvar(name, Sdf.ValueTypeNames.Float, UsdGeom.Tokens.constant).GetAttr().GetPath(),
                values[:, piece.index],
            )
            for name, values in _numbers(scene).items()
        ]
        samples.append((piece.index, move.GetAttr().GetPath(), turn.GetAttr().GetPath(), state.GetPath(), numbers))
    with Sdf.ChangeBlock():
        for index, move_path, turn_path, state_path, numbers in samples:
            _animate(layer, scene, index, move_path, turn_path, state_path)
            for path, values in numbers:
                for f in changes(values[:, None]):
                    layer.SetTimeSample(path, float(f), float(values[f]))
    for piece in scene.pieces:
        _visibility(stage, bodies[piece.body].AppendChild(piece.name), scene.shown(piece.index))
    for swap in scene.swaps:
        _swap(stage, bodies[swap.body], scene, swap)
    for deforming in scene.deforming:
        write_deforming(stage, bodies[deforming.body], deforming, scene.fps)
    return stage


def _visibility(stage: Usd.Stage, path: Sdf.Path, shown: np.ndarray) -> None:
    """Show a prim in some frames (F,) bool only."""
    if shown.all():
        return
    attribute = UsdGeom.Imageable(stage.GetPrimAtPath(path)).CreateVisibilityAttr()
    for f in [0, *(np.flatnonzero(shown[1:] != shown[:-1]) + 1)]:
        attribute.Set(UsdGeom.Tokens.inherited if shown[f] else UsdGeom.Tokens.invisible, float(f))


def _numbers(scene: ExportScene) -> dict[str, np.ndarray]:
    """Numbers (F, P) of pieces beside their motion, by the attribute they are written to."""
    names = {"load": "dynaclast:weight"} | {
        key: f"dynaclast:map:{safe_name(key[4:])}" for key in scene.baked.maps if key.startswith("map/")
    }
    return {names[key]: values for key, values in scene.baked.maps.items() if key in names}


def _swap(stage: Usd.Stage, body: Sdf.Path, scene: ExportScene, swap: Swap) -> None:
    """The intact mesh, seen until its body breaks; its pieces from then on."""
    mesh = UsdGeom.Mesh.Define(stage, body.AppendChild(swap.name))
    _geometry(mesh, swap.mesh)
    move, turn = mesh.AddTranslateOp(UsdGeom.XformOp.PrecisionDouble), mesh.AddOrientOp(UsdGeom.XformOp.PrecisionDouble)
    with Sdf.ChangeBlock():
        _animate(
            stage.GetRootLayer(),
            scene,
            swap.index,
            move.GetAttr().GetPath(),
            turn.GetAttr().GetPath(),
            None,
            swap.frame,
        )
    _visibility(stage, mesh.GetPath(), scene.whole(swap))


def _geometry(mesh: UsdGeom.Mesh, tri: TriMesh) -> None:
    mesh.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(tri.vertices.astype(np.float32)))
    mesh.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(tri.faces), 3, np.int32)))
    mesh.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(np.ascontiguousarray(tri.faces.reshape(-1))))
    mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
    mesh.CreateExtentAttr(Vt.Vec3fArray.FromNumpy(np.array(tri.bounds(), np.float32)))


def _bodies(stage: Usd.Stage, root: UsdGeom.Xform, scene: ExportScene) -> list[Sdf.Path]:
    out: list[Sdf.Path] = []
    for row, name in enumerate(scene.body_names):
        body = UsdGeom.Xform.Define(stage, root.GetPath().AppendChild(safe_name(name)))
        body.GetPrim().SetDisplayName(name)
        material = _material(stage, body.GetPath().AppendChild("look"), scene, row, scene.colors[row])
        _material(stage, body.GetPath().AppendChild("inside"), scene, row, scene.inside(row))
        UsdShade.MaterialBindingAPI.Apply(body.GetPrim()).Bind(material)
        out.append(body.GetPath())
    return out


def _material(stage: Usd.Stage, path: Sdf.Path, scene: ExportScene, row: int, color: np.ndarray) -> UsdShade.Material:
    material = UsdShade.Material.Define(stage, path)
    shader = UsdShade.Shader.Define(stage, path.AppendChild("surface"))
    shader.CreateIdAttr("UsdPreviewSurface")
    shader.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).Set(Gf.Vec3f(*map(float, color)))
    shader.CreateInput("roughness", Sdf.ValueTypeNames.Float).Set(float(scene.roughness[row]))
    if scene.opacity[row] < 1.0:
        shader.CreateInput("opacity", Sdf.ValueTypeNames.Float).Set(float(scene.opacity[row]))
    material.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
    return material


def _cut_faces(stage: Usd.Stage, mesh: UsdGeom.Mesh, body: Sdf.Path, cut: np.ndarray) -> None:
    """Faces (n,) of a piece that were cut, as a subset with the material of the inside."""
    if not len(cut):
        return
    subset = UsdGeom.Subset.CreateGeomSubset(
        mesh, "cut", UsdGeom.Tokens.face, Vt.IntArray.FromNumpy(cut.astype(np.int32)), "materialBind"
    )
    inside = UsdShade.Material(stage.GetPrimAtPath(body.AppendChild("inside")))
    UsdShade.MaterialBindingAPI.Apply(subset.GetPrim()).Bind(inside)


def _animate(
    layer: Sdf.Layer,
    scene: ExportScene,
    index: int,
    move: Sdf.Path,
    turn: Sdf.Path,
    state: Sdf.Path | None,
    until: int | None = None,
) -> None:
    """Samples of one piece; a run of equal frames is written at its ends only."""
    baked = scene.baked
    pos, rot, what = baked.position[:until, index], baked.orientation[:until, index], baked.state[:until, index]
    keep = changes(np.concatenate([pos, rot, what[:, None]], axis=1))
    for f in keep:
        p, q = pos[f], rot[f]
        layer.SetTimeSample(move, float(f), Gf.Vec3d(float(p[0]), float(p[1]), float(p[2])))
        layer.SetTimeSample(turn, float(f), Gf.Quatd(_real_part(q), float(q[0]), float(q[1]), float(q[2])))
        if state is not None:
            layer.SetTimeSample(state, float(f), baked.state_names[int(what[f])])


def _real_part(q: np.ndarray) -> float:
    """The real part of a unit quaternion in double precision: of a small turn, single precision keeps no angle below
    3e-4 rad.
    """
    x, y, z, w = (float(v) for v in q)
    return float(np.copysign(np.sqrt(max(0.0, 1.0 - x * x - y * y - z * z)), w)) if abs(w) > 0.5 else w
