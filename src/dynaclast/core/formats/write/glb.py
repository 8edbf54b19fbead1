"""GLB out (glTF 2.0), built with pygltflib: one node per piece with translation and rotation tracks, one per body that
deforms with its shapes (glb_deforming.py).
"""

from __future__ import annotations

import numpy as np
import pygltflib as gltf

from ...arrays import cross
from ...geometry.mesh import TriMesh
from .changes import changes
from .glb_buffer import Buffer
from .glb_deforming import add_deforming
from .scene import ExportPiece, ExportScene


def write_glb(scene: ExportScene) -> bytes:
    """The scene as one GLB file; pieces keep flat shading (a vertex per face corner)."""
    doc = gltf.GLTF2(asset=gltf.Asset(version="2.0", generator="Dynaclast"), scene=0)
    buffer = Buffer(doc)
    for body, color in [(b, c) for b, skin in enumerate(scene.colors) for c in (skin, scene.inside(b))]:
        opaque = float(scene.opacity[body])
        pbr = gltf.PbrMetallicRoughness(
            baseColorFactor=[*map(float, color), opaque],
            metallicFactor=0.0,
            roughnessFactor=float(scene.roughness[body]),
        )
        see_through = {} if opaque == 1.0 else {"alphaMode": gltf.BLEND}
        doc.materials.append(gltf.Material(pbrMetallicRoughness=pbr, **see_through))
    roots: list[int] = []
    for name in scene.body_names:
        doc.nodes.append(gltf.Node(name=name, children=[]))
        roots.append(len(doc.nodes) - 1)
    animation = gltf.Animation(name=scene.name, channels=[], samplers=[])
    times: dict[bytes, int] = {}
    for piece in [
        *scene.pieces,
        *(ExportPiece(s.name, s.body, s.mesh, np.ones(len(s.mesh.faces), bool), s.index) for s in scene.swaps),
    ]:
        swap = next((s for s in scene.swaps if s.name == piece.name), None)
        parts = [(piece.skin, 2 * piece.body), (~piece.skin, 2 * piece.body + 1)]
        primitives = [_primitive(buffer, piece.mesh, faces, material) for faces, material in parts if faces.any()]
        doc.meshes.append(gltf.Mesh(name=piece.name, primitives=primitives))
        pos, rot = scene.baked.position[:, piece.index], scene.baked.orientation[:, piece.index]
        doc.nodes.append(
            gltf.Node(
                name=piece.name,
                mesh=len(doc.meshes) - 1,
                translation=pos[0].astype(float).tolist(),
                rotation=rot[0].astype(float).tolist(),
                extras={"mass": float(scene.baked.piece_mass[piece.index])},
            )
        )
        node = len(doc.nodes) - 1
        doc.nodes[roots[piece.body]].children.append(node)
        shown = scene.shown(piece.index) if swap is None else scene.whole(swap)
        if not shown.all():
            _shown(buffer, animation, node, doc.nodes[node], shown, scene.baked.time)
        keep = changes(np.concatenate([pos, rot], axis=1))
        if len(keep) < 2 or (pos[keep] == pos[0]).all() and (rot[keep] == rot[0]).all():
            continue
        stamp = scene.baked.time[keep].astype(np.float32)
        if stamp.tobytes() not in times:
            times[stamp.tobytes()] = buffer.add(stamp, gltf.SCALAR, bounds=True)
        for path, values, kind in (
            ("translation", pos[keep], gltf.VEC3),
            ("rotation", _continuous(rot[keep]), gltf.VEC4),
        ):
            animation.samplers.append(
                gltf.AnimationSampler(
                    input=times[stamp.tobytes()],
                    output=buffer.add(values.astype(np.float32), kind),
                    interpolation="LINEAR",
                )
            )
            animation.channels.append(
                gltf.AnimationChannel(
                    sampler=len(animation.samplers) - 1, target=gltf.AnimationChannelTarget(node=node, path=path)
                )
            )
    for one in scene.deforming:
        doc.materials[2 * one.body].doubleSided = True
        node = add_deforming(buffer, animation, one, 2 * one.body, scene.baked.time)
        doc.nodes[roots[one.body]].children.append(node)
    if animation.channels:
        doc.animations.append(animation)
    doc.scenes.append(gltf.Scene(name=scene.name, nodes=roots))
    doc.buffers.append(gltf.Buffer(byteLength=buffer.size))
    doc.set_binary_blob(b"".join(buffer.parts))
    return b"".join(doc.save_to_bytes())


def _primitive(buffer: Buffer, mesh: TriMesh, faces: np.ndarray, material: int) -> gltf.Primitive:
    """Some faces (F,) bool of a mesh, with a vertex per corner."""
    corners = mesh.vertices[mesh.faces[faces]].astype(np.float32)
    normals = cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    length = np.linalg.norm(normals, axis=1, keepdims=True)
    normals = np.where(length > 0, normals / np.where(length > 0, length, 1), [0, 1, 0]).astype(np.float32)
    position = buffer.add(corners.reshape(-1, 3), gltf.VEC3, target=gltf.ARRAY_BUFFER, bounds=True)
    normal = buffer.add(np.repeat(normals, 3, axis=0), gltf.VEC3, target=gltf.ARRAY_BUFFER)
    return gltf.Primitive(attributes=gltf.Attributes(POSITION=position, NORMAL=normal), material=material)


def _shown(
    buffer: Buffer, animation: gltf.Animation, node: int, part: gltf.Node, shown: np.ndarray, times: np.ndarray
) -> None:
    """Shows a node in some frames (F,) bool only, by a scale that jumps between 1 and 0."""
    part.scale = [float(shown[0])] * 3
    frames = [0, *(np.flatnonzero(shown[1:] != shown[:-1]) + 1).tolist()]
    if len(frames) < 2:
        return
    stamp = buffer.add(times[frames].astype(np.float32), gltf.SCALAR, bounds=True)
    values = buffer.add(np.repeat(shown[frames, None], 3, axis=1).astype(np.float32), gltf.VEC3)
    animation.samplers.append(gltf.AnimationSampler(input=stamp, output=values, interpolation="STEP"))
    animation.channels.append(
        gltf.AnimationChannel(
            sampler=len(animation.samplers) - 1, target=gltf.AnimationChannelTarget(node=node, path="scale")
        )
    )


def _continuous(q: np.ndarray) -> np.ndarray:
    """The same rotations with signs chosen so that neighbours are close."""
    sign = np.cumprod(np.concatenate([[1.0], np.where((q[1:] * q[:-1]).sum(axis=1) < 0, -1.0, 1.0)]))
    return (q * sign[:, None]).astype(np.float32)
