"""Meshes that fields and falloffs ask about, and triangles that bodies collide as."""

from __future__ import annotations

import numpy as np

from ...arrays import Index
from ...document import Body, Shot
from ...fracture.bonds import placed
from ...fracture.pieces import Pieces
from ...geometry.mesh import TriMesh, weld
from ...geometry.rotations import rotation_matrix
from ...geometry.tree import MeshDistance
from ..model import TriangleMeshes
from ..rigid.triangle_meshes import build_triangle_meshes


def triangle_meshes_of(shot: Shot, built: list[Pieces], body_first: Index, first: int) -> TriangleMeshes:
    """Trees over the triangles of exact bodies, whose shapes come last."""
    pieces: list[int] = []
    meshes: list[TriMesh] = []
    for body, own, start in zip(shot.bodies, built, body_first, strict=False):
        if body.collision == "exact":
            turn = rotation_matrix(body.place.rotation)
            for p in range(own.count):
                m = own.mesh(p)
                pieces.append(int(start) + p)
                meshes.append(TriMesh((m.vertices - own.center[p]) @ turn.T, m.faces))
    return build_triangle_meshes(first, pieces, meshes)


def surface_of(body: Body, pieces: Pieces) -> MeshDistance:
    """The original surface of a body as it stands at the start, without cut faces, ready to be asked how far points are
    from it.
    """
    offset = np.repeat(pieces.vertex_start[:-1], np.diff(pieces.face_start))[:, None]
    skin = pieces.skin.astype(bool)
    faces = (pieces.faces + offset)[skin if skin.any() else slice(None)]
    return MeshDistance.of(weld(TriMesh(placed(body, pieces.vertices), faces.astype(np.int32))))


def surfaces_of(shot: Shot, built: list[Pieces]) -> dict[str, MeshDistance]:
    """Meshes of rigid bodies that fields and falloffs ask about, as they stand at the start."""
    stacks = [*shot.falloffs, *(f.reach for f in shot.fields), *(m.reach for m in shot.maps)]
    asked = {layer.shape.body for stack in stacks for layer in stack.layers if layer.shape.kind == "mesh"}
    asked |= {body for f in shot.fields if (body := getattr(f.effect, "body", None)) is not None}
    out: dict[str, MeshDistance] = {}
    for body, pieces in zip(shot.bodies, built, strict=True):
        if body.deforms or (body.name not in asked and body.column not in asked) or body.column in out:
            continue
        out[body.column] = surface_of(body, pieces)
    return out
