"""USD in: meshes of a stage with their transforms, names, colours and texture coordinates; units and up-axis
honoured.
"""

from __future__ import annotations

import numpy as np
from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade

from ...arrays import Index
from ...errors import InputError
from ..parts import MOST_PARTS, MOST_TRIANGLES, MeshFile, PartMesh, hex_color, placed_part


def read_usd(layer: Sdf.Layer | None, scale: float | None) -> MeshFile:
    """Meshes of a USD layer at its default time; None: it could not be opened. Raises InputError where it refers to
    other files or is no USD.
    """
    if layer is None:
        raise InputError(
            "is not a USD file, or is damaged; export it again and bring in the new file", code="input.broken"
        )
    if any(layer.GetCompositionAssetDependencies()):  # what it has within itself has no name
        raise InputError("refers to other files; flatten it into one and bring that in", code="input.broken")
    stage = Usd.Stage.Open(layer)
    metres = scale if scale is not None else float(UsdGeom.GetStageMetersPerUnit(stage))
    if not 1e-9 < metres < 1e9:
        raise InputError(f"says {metres:g} m per unit, which cannot be right", code="input.broken")
    z_up = UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z
    turned = " (turned to y up)" if z_up else ""
    notes = [f"{metres:g} m per unit, {'z' if z_up else 'y'} up{turned}, as the file says"]
    return MeshFile(_parts(stage, metres, z_up, notes), metres, notes)


def _parts(stage: Usd.Stage, metres: float, z_up: bool, notes: list[str]) -> list[PartMesh]:
    up = np.array([[1, 0, 0, 0], [0, 0, 1, 0], [0, -1, 0, 0], [0, 0, 0, 1]], float) if z_up else np.eye(4)
    cache = UsdGeom.XformCache()
    parts: list[PartMesh] = []
    total = polygons = 0
    for prim in stage.Traverse(Usd.TraverseInstanceProxies()):
        if not prim.IsA(UsdGeom.Mesh) or UsdGeom.Imageable(prim).ComputeVisibility() == UsdGeom.Tokens.invisible:
            continue
        mesh = UsdGeom.Mesh(prim)
        points, counts, indices = (
            a.Get() for a in (mesh.GetPointsAttr(), mesh.GetFaceVertexCountsAttr(), mesh.GetFaceVertexIndicesAttr())
        )
        if not points or not counts or not indices:
            continue
        vertices, counts, indices = (
            np.asarray(points, float).reshape(-1, 3),
            np.asarray(counts, np.int64),
            np.asarray(indices, np.int64),
        )
        if counts.min() < 3 or counts.sum() != len(indices) or indices.min() < 0 or indices.max() >= len(vertices):
            raise InputError(f"is broken: the faces of {prim.GetPath()} do not fit its points", code="input.broken")
        total += int((counts - 2).sum())
        if total > MOST_TRIANGLES or len(parts) > MOST_PARTS:
            raise InputError(
                f"unpacks to more than {MOST_TRIANGLES:,} triangles or {MOST_PARTS} meshes; decimate it before "
                f"bringing it in",
                code="input.size",
            )
        polygons += int((counts > 3).sum())
        corner = _fans(counts)
        faces = indices[corner]
        if mesh.GetOrientationAttr().Get() == UsdGeom.Tokens.leftHanded:
            corner, faces = corner[:, ::-1], faces[:, ::-1]
        matrix = up @ np.array(cache.GetLocalToWorldTransform(prim)).T
        parts.append(
            placed_part(_name(prim), vertices, faces, matrix, metres, _color(mesh), _uv(mesh, indices, corner))
        )
    if polygons:
        notes.append(f"{polygons} faces of four and more corners were triangulated")
    return parts


def _fans(counts: Index) -> np.ndarray:
    """Rows of corner numbers (T, 3) that split polygons of so many corners into fans."""
    start = np.concatenate([[0], np.cumsum(counts)[:-1]])
    owner = np.repeat(np.arange(len(counts)), counts - 2)
    step = np.arange(len(owner)) - np.repeat(np.concatenate([[0], np.cumsum(counts - 2)[:-1]]), counts - 2)
    first = start[owner]
    return np.stack([first, first + step + 1, first + step + 2], axis=1)


def _name(prim: Usd.Prim) -> str:
    """The mesh's name, or its parent's where the mesh's says nothing."""
    shown = prim.GetDisplayName() or prim.GetName()
    plain = shown.lower() in ("mesh", "geometry", "shape", "geom")
    return (prim.GetParent().GetDisplayName() or prim.GetParent().GetName() or shown) if plain else shown


def _color(mesh: UsdGeom.Mesh) -> str | None:
    """The bound preview surface's plain colour, or the display colour; linear to sRGB (IEC 61966-2-1)."""
    value = None
    material = UsdShade.MaterialBindingAPI(mesh.GetPrim()).ComputeBoundMaterial()[0]
    if material:
        surface = material.ComputeSurfaceSource()[0]
        entry = surface.GetInput("diffuseColor") if surface else None
        value = entry.Get() if entry and not entry.HasConnectedSource() else None
    if value is None:
        colors = mesh.GetDisplayColorAttr().Get()
        value = colors[0] if colors else None
    if not isinstance(value, Gf.Vec3f):
        return None
    linear = np.clip(np.array(value), 0, 1)
    return hex_color(255 * np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055))


def _uv(mesh: UsdGeom.Mesh, indices: np.ndarray, corner: np.ndarray) -> np.ndarray | None:
    """Texture coordinates of the primvar ``st`` at the triangles' corners, or None."""
    primvar = UsdGeom.PrimvarsAPI(mesh).GetPrimvar("st")
    values = primvar.ComputeFlattened() if primvar and primvar.HasValue() else None
    if values is None:
        return None
    flat = np.asarray(values, np.float32).reshape(-1, 2)
    if primvar.GetInterpolation() == UsdGeom.Tokens.faceVarying and len(flat) == len(indices):
        return flat[corner]
    if primvar.GetInterpolation() in (UsdGeom.Tokens.vertex, UsdGeom.Tokens.varying) and len(flat) > indices.max():
        return flat[indices[corner]]
    return None
