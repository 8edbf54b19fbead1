"""Bodies that deform in GLB: meshes whose shapes in frames are morph targets, one after the other in full.

A target is a shape less that of the first frame, normals too; weights go from one to the next, so that points move in
straight lines between frames. Faces that are taken out shrink to a point; ropes are tubes. Source: glTF 2.0, sections
3.7.2.2 (morph targets) and 3.11 (animations of weights).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pygltflib as gltf

from ...arrays import Array, Index
from .changes import changes
from .glb_buffer import Buffer
from .normals import smooth_normals
from .scene import ExportDeforming

SIDES = 8
"""Of the tube of a rope."""


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
    at = one.points[frames][:, order].astype(float)
    wide = np.where(one.gone()[frames][:, order], 0.0, 0.5 * one.width)
    points, normals, faces, first, made = [], [], [], 0, 0
    for count in counts:
        own = slice(first, first + count)
        ring, outwards, ends = _tube(at[:, own], wide[:, own])
        points.append(np.concatenate([ring.reshape(len(at), -1, 3), at[:, [first, first + count - 1]]], axis=1))
        normals.append(np.concatenate([outwards.reshape(len(at), -1, 3), ends], axis=1))
        faces.append(made + _faces_of_tube(count))
        first, made = first + count, made + count * SIDES + 2
    together = [np.concatenate(x, axis=1).astype(np.float32) for x in (points, normals)]
    return Shapes(frames, together[0], together[1], np.concatenate(faces).astype(np.uint32), None)


def _tube(at: Array, wide: Array) -> tuple[Array, Array, Array]:
    """Rings (K, n, SIDES, 3) round a curve (K, n, 3) with radii (K, n), their normals, and those of its ends (K, 2, 3).
    Rings are carried along the curve without twist (Bishop 1975, doi 10.1080/00029890.1975.11993807).
    """
    way = np.diff(at, axis=1)
    way /= np.maximum(np.linalg.norm(way, axis=2, keepdims=True), 1e-12)
    along = np.concatenate([way[:, :1], way[:, :-1] + way[:, 1:], way[:, -1:]], axis=1)
    along /= np.maximum(np.linalg.norm(along, axis=2, keepdims=True), 1e-12)
    least = np.abs(along[:, 0]).argmin(axis=1)
    side = np.cross(along[:, 0], np.eye(3)[least])
    sides = []
    for k in range(at.shape[1]):
        t = along[:, k]
        side = side - (side * t).sum(axis=1, keepdims=True) * t
        long = np.linalg.norm(side, axis=1, keepdims=True)
        side = np.where(long > 1e-9, side / np.maximum(long, 1e-9), np.cross(t, np.eye(3)[np.abs(t).argmin(axis=1)]))
        sides.append(side)
    u = np.stack(sides, axis=1)
    v = np.cross(along, u)
    angle = 2.0 * np.pi * np.arange(SIDES) / SIDES
    out = np.cos(angle)[:, None] * u[:, :, None] + np.sin(angle)[:, None] * v[:, :, None]
    return at[:, :, None] + wide[:, :, None, None] * out, out, np.stack([-along[:, 0], along[:, -1]], axis=1)


def _faces_of_tube(count: int) -> Index:
    """Triangles (F, 3) of a tube of so many rings, of which the two points behind them close it."""
    a = np.arange(SIDES)
    b = (a + 1) % SIDES
    start = SIDES * np.arange(count - 1)[:, None]
    sides = [np.stack([start + a, start + b, start + SIDES + b], axis=-1).reshape(-1, 3)]
    sides.append(np.stack([start + a, start + SIDES + b, start + SIDES + a], axis=-1).reshape(-1, 3))
    low, high, last = count * SIDES, count * SIDES + 1, (count - 1) * SIDES
    sides.append(np.stack([np.full(SIDES, low), b, a], axis=1))
    sides.append(np.stack([np.full(SIDES, high), last + a, last + b], axis=1))
    return np.concatenate(sides)


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
