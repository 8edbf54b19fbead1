"""Bodies that deform in USD: meshes and curves whose points move.

Points, normals and velocities are sampled over time, faces where some of them go. ``primvars:Pref`` is where points
rest, ``primvars:st`` lies over sheets, ``primvars:width`` is the thickness of cloth; ``dynaclast:state``, maps and the
rest of what frames have at points are primvars of their own.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from pxr import Sdf, Usd, UsdGeom, Vt

from ...arrays import Index
from .changes import changes
from .normals import smooth_normals
from .scene import ExportDeforming, safe_name


def write_deforming(stage: Usd.Stage, body: Sdf.Path, one: ExportDeforming, fps: float) -> None:
    """A body that deforms under its body's prim; runs of equal frames are written at their ends."""
    path = body.AppendChild(one.name)
    order: Index | None = None
    if len(one.faces):
        shape: Any = UsdGeom.Mesh.Define(stage, path)
        scheme = UsdGeom.Tokens.loop if one.smooth else UsdGeom.Tokens.none
        shape.CreateSubdivisionSchemeAttr(scheme)
        _faces(shape, one)
    else:
        shape = UsdGeom.BasisCurves.Define(stage, path)
        shape.CreateTypeAttr(UsdGeom.Tokens.linear)
        order, counts = one.curves()
        shape.CreateCurveVertexCountsAttr(counts)
        shape.CreateWidthsAttr([one.width])
        shape.SetWidthsInterpolation(UsdGeom.Tokens.constant)
    _points(shape, one, order, fps)
    _primvars(UsdGeom.PrimvarsAPI(shape), one, order)


def _faces(shape: UsdGeom.Mesh, one: ExportDeforming) -> None:
    """Faces whose points are there: written anew in frames in which others go."""
    counts, corners = shape.CreateFaceVertexCountsAttr(), shape.CreateFaceVertexIndicesAttr()
    gone = one.gone()
    for f in changes(gone) if gone.any() else [None]:
        faces = one.faces if f is None else one.faces[~gone[f][one.faces].any(axis=1)]
        time = Usd.TimeCode.Default() if f is None else Usd.TimeCode(float(f))
        counts.Set(Vt.IntArray.FromNumpy(np.full(len(faces), 3, np.int32)), time)
        corners.Set(Vt.IntArray.FromNumpy(np.ascontiguousarray(faces.reshape(-1), np.int32)), time)


def _points(shape: Any, one: ExportDeforming, order: Index | None, fps: float) -> None:
    points, extent, moves = shape.CreatePointsAttr(), shape.CreateExtentAttr(), shape.CreateVelocitiesAttr()
    normals = shape.CreateNormalsAttr() if order is None and not one.smooth else None
    if normals is not None:
        shape.SetNormalsInterpolation(UsdGeom.Tokens.vertex)
    frames = len(one.points)
    place = one.places() if normals is not None else None
    kept = changes(one.points.reshape(frames, -1))
    for f in kept:
        at = np.ascontiguousarray(one.points[f] if order is None else one.points[f][order], np.float32)
        points.Set(_vectors(at), float(f))
        wide = 0.5 * one.width
        extent.Set(_vectors(np.array([at.min(axis=0) - wide, at.max(axis=0) + wide])), float(f))
        if normals is not None and place is not None:
            normals.Set(_vectors(smooth_normals(one.points[f], one.faces, place)), float(f))
    for f in sorted({g for k in kept for g in (k - 1, k, k + 1) if 0 <= g < frames}):
        before, after = max(0, f - 1), min(frames - 1, f + 1)
        way = (one.points[after].astype(float) - one.points[before]) * (fps / max(1, after - before))
        moves.Set(_vectors(way if order is None else way[order]), float(f))


def _primvars(primvars: UsdGeom.PrimvarsAPI, one: ExportDeforming, order: Index | None) -> None:
    kinds = Sdf.ValueTypeNames

    def made(name: str, kind: Any, over: Any = UsdGeom.Tokens.vertex) -> Any:
        return primvars.CreatePrimvar(name, kind, over)

    def ordered(values: np.ndarray) -> np.ndarray:
        return np.ascontiguousarray(values if order is None else values[order])

    made("Pref", kinds.Point3fArray).Set(_vectors(ordered(one.rest.astype(np.float32))))
    if one.uv is not None:
        made("st", kinds.TexCoord2fArray).Set(Vt.Vec2fArray.FromNumpy(ordered(one.uv.astype(np.float32))))
    if one.thickness:
        made("width", kinds.Float, UsdGeom.Tokens.constant).Set(one.thickness)
    for name, values in one.numbers.items():
        wide, whole = values.ndim == 3, values.dtype == np.uint8
        kind = kinds.Color3fArray if wide else kinds.IntArray if whole else kinds.FloatArray
        primvar = made(f"dynaclast:{':'.join(map(safe_name, name.split('/')))}", kind)
        for f in changes(values.reshape(len(values), -1)):
            now = ordered(values[f])
            if wide:
                primvar.Set(_vectors(_linear(now)), float(f))
            else:
                vt = Vt.IntArray if whole else Vt.FloatArray
                primvar.Set(vt.FromNumpy(now.astype(np.int32 if whole else np.float32)), float(f))


def _linear(color: np.ndarray) -> np.ndarray:
    """Colours (V, 3) uint8 sRGB as linear light (IEC 61966-2-1) float32."""
    c = color / 255.0
    return np.where(c <= 0.04045, c / 12.92, ((c + 0.055) / 1.055) ** 2.4).astype(np.float32)


def _vectors(values: np.ndarray) -> Any:
    return Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(values, np.float32))
