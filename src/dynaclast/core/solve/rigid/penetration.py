"""Overlapping cores (rare: the rounding is worn through): a direction of locally least penetration."""

from __future__ import annotations

import numpy as np

from ...arrays import Array
from ...kernels import kernel
from ..model import Hulls
from .gjk import PointSet, dot3, gjk, support
from .groups import WorldShapes
from .manifold import Patch

DESCENT_STEPS = 4
"""Steps towards the direction of least penetration."""


@kernel(inner=True)
def _least_penetration_face(hulls: Hulls, world: WorldShapes, s: int, t: int, axis: Array) -> float:
    """Separation of the cores along the best face normal of either; axis (3,) gets that normal, from t to s."""
    vertices = world.vertices
    best = -np.inf
    t0, t1 = np.int64(hulls.vertex_start[t]), np.int64(hulls.vertex_start[t + 1])
    s0, s1 = np.int64(hulls.vertex_start[s]), np.int64(hulls.vertex_start[s + 1])
    for f in range(hulls.face_start[s], hulls.face_start[s + 1]):
        n = world.normals[f]
        v = hulls.ring[hulls.ring_start[f]]
        k = support(vertices, t0, t1, -n[0], -n[1], -n[2])
        d = dot3(n, vertices[k]) - dot3(n, vertices[v])
        if d > best:
            best = d
            axis[0], axis[1], axis[2] = -n[0], -n[1], -n[2]
    for f in range(hulls.face_start[t], hulls.face_start[t + 1]):
        n = world.normals[f]
        v = hulls.ring[hulls.ring_start[f]]
        k = support(vertices, s0, s1, -n[0], -n[1], -n[2])
        d = dot3(n, vertices[k]) - dot3(n, vertices[v])
        if d > best + 1e-9:
            best = d
            axis[0], axis[1], axis[2] = n[0], n[1], n[2]
    return best


@kernel(inner=True)
def _separation_along(vertices: Array, s0: int, s1: int, t0: int, t1: int, x: float, y: float, z: float) -> float:
    """Separation of two point sets along the unit direction (x, y, z) from t to s."""
    i = support(vertices, s0, s1, -x, -y, -z)
    j = support(vertices, t0, t1, x, y, z)
    return (
        x * (vertices[i, 0] - vertices[j, 0])
        + y * (vertices[i, 1] - vertices[j, 1])
        + z * (vertices[i, 2] - vertices[j, 2])
    )


@kernel(inner=True)
def _descend(
    hulls: Hulls, vertices: Array, s: int, t: int, ax: float, ay: float, az: float, dist: float, patch: Patch
) -> float:
    """Follow the overlap from a unit direction, along which it is ``dist`` (< 0) [m], to one of locally least
    penetration: where s, moved out along it, is nearest to t gives the next, as long as that is better.

    Writes patch.normal and patch.witness as ``penetration_direction``; returns the separation along the normal.
    """
    axis, witness = patch.normal, patch.witness
    s0, s1 = np.int64(hulls.vertex_start[s]), np.int64(hulls.vertex_start[s + 1])
    t0, t1 = np.int64(hulls.vertex_start[t]), np.int64(hulls.vertex_start[t + 1])
    for _ in range(DESCENT_STEPS):
        out = hulls.radius[s] + hulls.radius[t] - dist
        witness[2, 0], witness[2, 1], witness[2, 2] = ax * out, ay * out, az * out
        axis[0], axis[1], axis[2] = ax, ay, az
        apart = gjk(PointSet(vertices, s0, s1), PointSet(vertices, t0, t1), np.inf, axis, witness, patch.simplex)
        if apart < 0.0:
            i = support(vertices, s0, s1, -ax, -ay, -az)
            for c in range(3):
                witness[0, c] = vertices[i, c]
                witness[1, c] = vertices[i, c] - witness[2, c] / out * dist
            break
        d = _separation_along(vertices, s0, s1, t0, t1, axis[0], axis[1], axis[2])
        if d <= dist + 1e-9:
            break
        dist = d
        ax, ay, az = axis[0], axis[1], axis[2]
    for c in range(3):
        witness[2, c] = 0.0
    axis[0], axis[1], axis[2] = ax, ay, az
    return dist


@kernel(inner=True)
def penetration_direction(hulls: Hulls, world: WorldShapes, s: int, t: int, patch: Patch) -> float:
    """Separation (< 0) [m] of overlapping cores along a direction of locally least penetration: that to which the
    direction remembered or guessed leads, or the best face normal where that is better.

    Writes patch.normal, and patch.witness: the points that would touch.
    """
    axis, vertices = patch.normal, world.vertices
    s0, s1 = np.int64(hulls.vertex_start[s]), np.int64(hulls.vertex_start[s + 1])
    t0, t1 = np.int64(hulls.vertex_start[t]), np.int64(hulls.vertex_start[t + 1])
    bx, by, bz = axis[0], axis[1], axis[2]
    length = np.sqrt(bx * bx + by * by + bz * bz)
    dist = -np.inf
    for start in range(2):  # one call of _descend: it would be laid in twice
        ax, ay, az = bx, by, bz
        if start == 0 and length > 0.0:
            ax, ay, az = bx / length, by / length, bz / length
            from_here = _separation_along(vertices, s0, s1, t0, t1, ax, ay, az)
        elif start == 1:
            from_here = _least_penetration_face(hulls, world, s, t, axis)
            ax, ay, az = axis[0], axis[1], axis[2]
            if from_here == -np.inf and dist == -np.inf:  # two balls with one centre
                ax, ay, az, from_here = 0.0, 1.0, 0.0, 0.0
            if from_here <= dist:
                break
        else:
            continue
        dist = _descend(hulls, vertices, s, t, ax, ay, az, from_here, patch)
        bx, by, bz = axis[0], axis[1], axis[2]
    axis[0], axis[1], axis[2] = bx, by, bz
    return dist
