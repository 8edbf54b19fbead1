"""USD out: every piece a mesh with an animated transform, under its body.

Custom attributes carry what other departments ask for: ``dynaclast:mass`` [kg], ``dynaclast:state`` (animated), and
the primvar ``dynaclast:skin`` (1 on original surface, 0 on cut faces); animated where the bake has them,
``dynaclast:weight`` and ``dynaclast:map:NAME``.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade, Vt

from ...geometry.mesh import TriMesh
from .changes import changes
from .scene import ExportScene, Swap, safe_name


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
        numbers = [
            (mesh.GetPrim().CreateAttribute(name, Sdf.ValueTypeNames.Float).GetPath(), values[:, piece.index])
            for name, values in _numbers(scene).items()
        ]
        samples.append((piece.index, move.GetAttr().GetPath(), turn.GetAttr().GetPath(), state.GetPath(), numbers))
    with Sdf.ChangeBlock():
        for index, move_path, turn_path, state_path, numbers in samples:
            _animate(layer, scene, index, move_path, turn_path, state_path)
            for path, values in numbers:
                for f in changes(values[:, None]):
                    layer.SetTimeSample(path, float(f), float(values[f]))
    for swap in scene.swaps:
        _swap(stage, bodies[swap.body], scene, swap)
    return stage


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
    shown = mesh.CreateVisibilityAttr()
    shown.Set(UsdGeom.Tokens.inherited, 0)
    hidden = [
        UsdGeom.Imageable(stage.GetPrimAtPath(body.AppendChild(scene.pieces[p].name))).CreateVisibilityAttr()
        for p in swap.pieces
    ]
    for attribute in hidden:
        attribute.Set(UsdGeom.Tokens.invisible, 0)
    if swap.frame is not None:
        shown.Set(UsdGeom.Tokens.invisible, swap.frame)
        for attribute in hidden:
            attribute.Set(UsdGeom.Tokens.inherited, swap.frame)


def _geometry(mesh: UsdGeom.Mesh, tri: TriMesh) -> None:
    mesh.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(tri.vertices.astype(np.float32)))
    mesh.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(tri.faces), 3, np.int32)))
    mesh.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(np.ascontiguousarray(tri.faces.reshape(-1))))
    mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
    mesh.CreateExtentAttr(Vt.Vec3fArray.FromNumpy(np.array(tri.bounds(), np.float32)))


def _bodies(stage: Usd.Stage, root: UsdGeom.Xform, scene: ExportScene) -> list[Sdf.Path]:
    out: list[Sdf.Path] = []
    for name, color, rough in zip(scene.body_names, scene.colors, scene.roughness, strict=True):
        body = UsdGeom.Xform.Define(stage, root.GetPath().AppendChild(safe_name(name)))
        body.GetPrim().SetDisplayName(name)
        material = UsdShade.Material.Define(stage, body.GetPath().AppendChild("look"))
        shader = UsdShade.Shader.Define(stage, material.GetPath().AppendChild("surface"))
        shader.CreateIdAttr("UsdPreviewSurface")
        shader.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).Set(Gf.Vec3f(*map(float, color)))
        shader.CreateInput("roughness", Sdf.ValueTypeNames.Float).Set(float(rough))
        material.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
        UsdShade.MaterialBindingAPI.Apply(body.GetPrim()).Bind(material)
        out.append(body.GetPath())
    return out


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
