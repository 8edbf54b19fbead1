"""Directions that lead out of what hangs together.

A piece of a bonded wall has faces that lead into its neighbours. The distance of another body from that piece alone may
well be along one of them: the body would be stopped by an edge that nobody sees, or be lifted over it. Where a
direction comes out of such a face, one of the piece's open faces that meet there serves in its place; where there is
none, the neighbours hold what is there.

Source: Ericson 2004, "Real-Time Collision Detection", chapter 12 (internal edges).
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Index
from ...kernels import kernel
from ..inner_faces import leads_inside
from ..model import Hulls, InnerFaces
from .gjk import dot3, support
from .groups import WorldShapes
from .manifold import most_facing_face

TOUCHING = 1e-3
"""A point of a core is on those of its faces that it is this near to, as a share of the hull's bound."""
FACING = 0.99999
"""A direction comes out of a face where the cosine between them is more (a quarter of a degree)."""
ASIDE = 0.1
"""And out of the edge between two, where it leaves the plane of their normals by less."""
AS_FOUND, NOTHING = -1, -2
"""In place of a face: where the direction found is right, and where no face serves."""


class Interior(NamedTuple):
    """What tells which faces lead inside.

    faces          : what lies behind each
    piece_assembly : (P,) int32, slot of each piece
    """

    faces: InnerFaces
    piece_assembly: Index


@kernel(inner=True)
def has_inside(inside: Interior, hulls: Hulls, s: int) -> bool:
    """Whether any face of hull s was ever one that leads into another."""
    return bool(inside.faces.first[hulls.face_start[s]] < inside.faces.first[hulls.face_start[s + 1]])


@kernel(inner=True)
def open_face_instead(
    hulls: Hulls, world: WorldShapes, inside: Interior, s: int, x: float, y: float, z: float, at: Array
) -> int:
    """The open face of hull s that serves in place of a unit direction (x, y, z) out of it, which holds at a point (3,)
    of its core; AS_FOUND where the direction is right, NOTHING where none serves.
    """
    near, inner = TOUCHING * hulls.bound[s], False
    best, next_best, most, next_most = NOTHING, NOTHING, -2.0, -2.0
    for f in range(hulls.face_start[s], hulls.face_start[s + 1]):
        n, v = world.normals[f], world.vertices[hulls.ring[hulls.ring_start[f]]]
        if n[0] * (at[0] - v[0]) + n[1] * (at[1] - v[1]) + n[2] * (at[2] - v[2]) < -near:
            continue
        along = n[0] * x + n[1] * y + n[2] * z
        if leads_inside(inside.faces, hulls, inside.piece_assembly, s, f):
            inner = True
        elif along > most:
            next_best, next_most = best, most
            best, most = f, along
        elif along > next_most:
            next_best, next_most = f, along
    if not inner or most > FACING:
        return AS_FOUND
    if next_best != NOTHING:
        n, o = world.normals[best], world.normals[next_best]
        beside = x * (n[1] * o[2] - n[2] * o[1]) + y * (n[2] * o[0] - n[0] * o[2]) + z * (n[0] * o[1] - n[1] * o[0])
        between = dot3(n, o)
        if next_most > between and beside * beside < ASIDE * ASIDE * (1.0 - between * between):
            return AS_FOUND  # out of the edge between two open faces
    return best


@kernel(inner=True)
def _closed(hulls: Hulls, world: WorldShapes, inside: Interior, s: int, x: float, y: float, z: float) -> bool:
    """Whether the face of hull s that looks most along (x, y, z) leads inside."""
    f, _ = most_facing_face(hulls, world.normals, s, x, y, z)
    return f >= 0 and leads_inside(inside.faces, hulls, inside.piece_assembly, s, f)


@kernel(inner=True)
def leads_into_others(hulls: Hulls, world: WorldShapes, inside: Interior, s: int, t: int, axis: Array) -> bool:
    """Whether a direction (3,) from t to s comes out of a face of either that leads inside."""
    return _closed(hulls, world, inside, t, axis[0], axis[1], axis[2]) or _closed(
        hulls, world, inside, s, -axis[0], -axis[1], -axis[2]
    )


@kernel(inner=True)
def least_penetration_outward(hulls: Hulls, world: WorldShapes, inside: Interior, s: int, t: int) -> int:
    """Of the open faces of s and t, of which the cores overlap, that along which they do so least and that leads out of
    both; NOTHING where there is none: of those that the other's centre is behind, another side of what hangs together
    must hold it.
    """
    vertices, best, face = world.vertices, -np.inf, NOTHING
    for side in range(2):
        own, other = (s, t) if side == 0 else (t, s)
        o0, o1 = np.int64(hulls.vertex_start[other]), np.int64(hulls.vertex_start[other + 1])
        for f in range(hulls.face_start[own], hulls.face_start[own + 1]):
            n, v = world.normals[f], vertices[hulls.ring[hulls.ring_start[f]]]
            k = support(vertices, o0, o1, -n[0], -n[1], -n[2])
            d = dot3(n, vertices[k]) - dot3(n, v)
            if d <= best or dot3(n, world.center[other]) <= dot3(n, v):
                continue
            if leads_inside(inside.faces, hulls, inside.piece_assembly, own, f):
                continue
            if not _closed(hulls, world, inside, other, -n[0], -n[1], -n[2]):
                best, face = d, f
    return face
