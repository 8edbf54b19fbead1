"""A bake as a mesh for every frame: OBJ or PLY files in one ZIP, pieces and what deforms together."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from ...arrays import Array, Index
from ...geometry.rotations import rotation_matrix
from .scene import ExportScene, safe_name

KINDS = ("obj", "ply")
STAMP = (1980, 1, 1, 0, 0, 0)
"""Of all files, so that the same bake gives the same bytes."""


class FrameMesh(NamedTuple):
    """What is seen of a piece or of a body that deforms, in one frame.

    name : of the object; vertices : (V, 3) float64, [m], world; faces : (F, 3) int; lines : (G, 2) int, of a rope
    color : (3,) uint8, sRGB
    """

    name: str
    vertices: Array
    faces: Index
    lines: Index
    color: np.ndarray


def _srgb(linear: Array) -> np.ndarray:
    """Bytes (3,) of linear light (IEC 61966-2-1)."""
    coded = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * np.maximum(linear, 1e-9) ** (1 / 2.4) - 0.055)
    return np.rint(255 * np.clip(coded, 0, 1)).astype(np.uint8)


def frame_meshes(scene: ExportScene, frame: int) -> Iterator[FrameMesh]:
    """All that is there to be seen in a frame: pieces in order, then what deforms."""
    none = np.zeros((0, 2), np.int32)
    colors = [_srgb(c) for c in scene.colors]
    for swap in scene.swaps:
        if scene.whole(swap)[frame]:
            yield FrameMesh(
                swap.name,
                _moved(scene, swap.index, frame, swap.mesh.vertices),
                swap.mesh.faces,
                none,
                colors[swap.body],
            )
    for piece in scene.pieces:
        if scene.shown(piece.index)[frame]:
            vertices = _moved(scene, piece.index, frame, piece.mesh.vertices)
            yield FrameMesh(piece.name, vertices, piece.mesh.faces, none, colors[piece.body])
    for soft in scene.deforming:
        gone = soft.gone()[frame]
        faces, lines = (of[~gone[of].any(axis=1)] for of in (soft.faces, soft.lines))
        yield FrameMesh(soft.name, np.asarray(soft.points[frame], float), faces, lines, colors[soft.body])


def _moved(scene: ExportScene, piece: int, frame: int, vertices: Array) -> Array:
    turn = rotation_matrix(scene.baked.orientation[frame, piece])
    return vertices @ turn.T + scene.baked.position[frame, piece]


def obj_text(meshes: Iterator[FrameMesh]) -> str:
    """Wavefront OBJ, an object for each."""
    rows: list[str] = []
    first = 1
    for mesh in meshes:
        rows.append(f"o {mesh.name}")
        rows += [f"v {x:.7g} {y:.7g} {z:.7g}" for x, y, z in mesh.vertices.tolist()]
        rows += [f"f {a} {b} {c}" for a, b, c in (mesh.faces + first).tolist()]
        rows += [f"l {a} {b}" for a, b in (mesh.lines + first).tolist()]
        first += len(mesh.vertices)
    return "\n".join(rows) + "\n"


def ply_bytes(meshes: Iterator[FrameMesh]) -> bytes:
    """Binary PLY of all together: float32 vertices with a colour, triangles, and edges of ropes."""
    vertices, faces, edges, first = [], [], [], 0
    kind = np.dtype([("at", "<f4", 3), ("color", "u1", 3)])
    for mesh in meshes:
        own = np.zeros(len(mesh.vertices), kind)
        own["at"], own["color"] = mesh.vertices, mesh.color
        vertices.append(own)
        faces.append(mesh.faces + first)
        edges.append(mesh.lines + first)
        first += len(own)
    points = np.concatenate([np.zeros(0, kind), *vertices])
    triangles = np.concatenate([np.zeros((0, 3), np.int64), *faces])
    lines = np.concatenate([np.zeros((0, 2), np.int64), *edges])
    row = np.zeros(len(triangles), np.dtype([("n", "u1"), ("v", "<i4", 3)]))
    row["n"], row["v"] = 3, triangles
    head = ["ply", "format binary_little_endian 1.0", f"element vertex {len(points)}"]
    head += [f"property float {c}" for c in "xyz"] + [f"property uchar {c}" for c in ("red", "green", "blue")]
    head += [f"element face {len(triangles)}", "property list uchar int vertex_indices"]
    if len(lines):
        head += [f"element edge {len(lines)}", "property int vertex1", "property int vertex2"]
    text = "\n".join([*head, "end_header"]) + "\n"
    return text.encode() + points.tobytes() + row.tobytes() + lines.astype("<i4").tobytes()


def write_sequence(scene: ExportScene, kind: str) -> bytes:
    """A ZIP with a file for every frame: NAME.0000.obj and so on."""
    name = safe_name(scene.name)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=4) as z:
        for frame in range(len(scene.baked.time)):
            meshes = frame_meshes(scene, frame)
            data = obj_text(meshes).encode() if kind == "obj" else ply_bytes(meshes)
            z.writestr(zipfile.ZipInfo(f"{name}.{frame:04d}.{kind}", STAMP), data, zipfile.ZIP_DEFLATED)
    return out.getvalue()
