"""Bodies that deform in GLB: meshes whose shapes in frames are morph targets, one after the other in full.

A target is a shape less that of the first frame, normals too; weights go from one to the next, so that points move in
straight lines between frames. Faces that are taken out shrink to a point; ropes are tubes. Source: glTF 2.0, sections
3.7.2.2 (morph targets) and 3.11 (animations of weights).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pygltflib as gltf

from ...arrays import Index
from ...geometry.tubes import faces_of_tube, tube
from .changes import changes
from .glb_buffer import Buffer
from .normals import smooth_normals
from .scene import ExportDeforming

SIDES, SIDES_OF_NETS = 8, 4
"""Of the tube of a rope, and of each of the many short ones of a net."""


@dataclass(frozen=True)
class Shapes:
    """A mesh of one topology in some frames.

    frames  : (K,) int, ascending, the first is 0
    points  : (K, N, 3) float32, [m], world frame
    normals : (K, N, 3) float32
    faces   : (F, 3) uint32
    uv      : (N, 2) float32, or None
    """

    frames: Index
    points: np.ndarray
    normals: np.ndarray
    faces: np.ndarray
    uv: np.ndarray | None


def shapes_of(one: ExportDeforming) -> Shapes:
    """What a body looks like in the frames that a linear reading needs."""
    rows = np.concatenate([one.points.reshape(len(one.points), -1), one.gone().astype(np.float32)], axis=1)
    frames = changes(rows)
    return _surface(one, frames) if len(one.faces) else _tubes(one, frames)


def _surface(one: ExportDeforming, frames: Index) -> Shapes:
    """Its own points; corners of faces that are taken out once are points of their own."""
    gone = one.gone()[frames]
    leaves = gone[:, one.faces].any(axis=(0, 2))
    stays, apart = one.faces[~leaves], one.faces[leaves]
    count = one.points.shape[1]
    source = np.concatenate([np.arange(count), apart.ravel()])
    faces = np.concatenate([stays, count + np.arange(apart.size).reshape(-1, 3)])
    points = one.points[frames][:, source]
    hidden = np.repeat(gone[:, apart].any(axis=2), 3, axis=1)
    first = np.repeat(points[:, count::3], 3, axis=1)
    points[:, count:] = np.where(hidden[:, :, None], first, points[:, count:])
    place = one.places()
    normals = np.stack([smooth_normals(one.points[f], one.faces, place) for f in frames])[:, source]
    uv = None if one.uv is None else one.uv[source].astype(np.float32)
    return Shapes(frames, points, normals, faces.astype(np.uint32), uv)


def _tubes(one: ExportDeforming, frames: Index) -> Shapes:
    """A tube round every curve, closed at its ends; it has no width where points are taken out."""
    order, counts = one.curves()
    frame, curve, count = len(frames), len(counts), counts[0]  # one, or many of two points
    sides = SIDES if curve == 1 else SIDES_OF_NETS
    at = one.points[frames][:, order].astype(float).reshape(-1, count, 3)
    wide = np.where(one.gone()[frames][:, order], 0.0, 0.5 * one.width).reshape(-1, count)
    ring, outwards, ends = tube(at, wide, sides)
    together = [
        np.concatenate([rows.reshape(len(at), -1, 3), closing], axis=1).reshape(frame, -1, 3).astype(np.float32)
        for rows, closing in ((ring, at[:, [0, -1]]), (outwards, ends))
    ]
    first = np.arange(curve)[:, None, None] * (count * sides + 2)
    faces = (first + faces_of_tube(count, sides)).reshape(-1, 3)
    return Shapes(frames, together[0], together[1], faces.astype(np.uint32), None)


def add_deforming(
    buffer: Buffer, animation: gltf.Animation, one: ExportDeforming, material: int, times: np.ndarray
) -> int:
    """A node with a body that deforms, its targets, and the channel that goes through them; returns its number.

    times : (frames,) float, [s]
    """
    doc, shapes = buffer.doc, shapes_of(one)
    attributes = gltf.Attributes(
        POSITION=buffer.add(shapes.points[0], gltf.VEC3, target=gltf.ARRAY_BUFFER, bounds=True),
        NORMAL=buffer.add(shapes.normals[0], gltf.VEC3, target=gltf.ARRAY_BUFFER),
    )
    if shapes.uv is not None:
        attributes.TEXCOORD_0 = buffer.add(shapes.uv, gltf.VEC2, target=gltf.ARRAY_BUFFER)
    moves = [k for k in range(1, len(shapes.frames)) if (shapes.points[k] != shapes.points[0]).any()]
    targets = [
        {
            "POSITION": buffer.add(shapes.points[k] - shapes.points[0], gltf.VEC3, bounds=True),
            "NORMAL": buffer.add(shapes.normals[k] - shapes.normals[0], gltf.VEC3),
        }
        for k in moves
    ]
    corners = buffer.add(shapes.faces.reshape(-1), gltf.SCALAR, target=gltf.ELEMENT_ARRAY_BUFFER)
    primitive = gltf.Primitive(attributes=attributes, indices=corners, material=material, targets=targets)
    doc.meshes.append(gltf.Mesh(name=one.name, primitives=[primitive], weights=[0.0] * len(targets)))
    extras = {"thickness": one.thickness} if one.thickness else {}
    doc.nodes.append(gltf.Node(name=one.name, mesh=len(doc.meshes) - 1, extras=extras))
    node = len(doc.nodes) - 1
    if targets:
        weights = np.zeros((len(shapes.frames), len(targets)), np.float32)
        weights[moves, np.arange(len(targets))] = 1.0
        animation.samplers.append(
            gltf.AnimationSampler(
                input=buffer.add(times[shapes.frames].astype(np.float32), gltf.SCALAR, bounds=True),
                output=buffer.add(weights.reshape(-1), gltf.SCALAR),
                interpolation="LINEAR",
            )
        )
        animation.channels.append(
            gltf.AnimationChannel(
                sampler=len(animation.samplers) - 1, target=gltf.AnimationChannelTarget(node=node, path="weights")
            )
        )
    return node
