"""Areas that vertices of deformable bodies turn to the air: both sides of cloth, the surface of soft bodies, the flanks
of ropes.
"""

from __future__ import annotations

import numpy as np

from ...arrays import Array, Index
from ...kernels import kernel
from ..state import Vertices
from .model import DeformableModel


class ExposedFaces:
    """What vertices turn to the air (fields.samples.Exposure)."""

    def __init__(self, deformables: DeformableModel, vertices: Vertices) -> None:
        self._vertices, self._air = vertices, deformables.air

    def __call__(self, past: Array) -> tuple[Array, Array]:
        area, square = np.zeros(len(past)), np.zeros((len(past), 3))
        x, air = self._vertices.position, self._air
        project_faces(x, past, air.face, air.two_sided, area, square)
        project_segments(x, past, air.segment, air.radius, area, square)
        return area, square


@kernel
def project_faces(x: Array, past: Array, face: Index, two_sided: Array, area: Array, square: Array) -> None:
    """Add a third of what each face turns to the air to its vertices.

    x, past   : (N, 3) float64, [m], [m/s] of the air past each
    face      : (F, 3) int32; two_sided (F,) uint8
    area      : (N,) float64, [m2], area met; square (N, 3) float64, [m2], windward normals by area and squareness
    """
    for f in range(len(face)):
        a, b, c = face[f, 0], face[f, 1], face[f, 2]
        ux, uy, uz = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2]
        vx, vy, vz = x[c, 0] - x[a, 0], x[c, 1] - x[a, 1], x[c, 2] - x[a, 2]
        nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        double = np.sqrt(nx * nx + ny * ny + nz * nz)
        wx, wy, wz = past[a, 0] + past[b, 0] + past[c, 0], past[a, 1] + past[b, 1] + past[c, 1], 0.0
        wz = past[a, 2] + past[b, 2] + past[c, 2]
        speed = np.sqrt(wx * wx + wy * wy + wz * wz)
        if speed < 1e-12 or double < 1e-300:
            continue
        facing = -(nx * wx + ny * wy + nz * wz) / (double * speed)
        if facing < 0.0 and not two_sided[f]:
            continue
        met = abs(facing) * double / 6.0
        side = met / double if facing > 0.0 else -met / double
        for i in (a, b, c):
            area[i] += met
            square[i, 0] += side * nx
            square[i, 1] += side * ny
            square[i, 2] += side * nz


@kernel
def project_segments(x: Array, past: Array, segment: Index, radius: Array, area: Array, square: Array) -> None:
    """Add half of what each segment of a rope turns to the air to its ends; arguments as of project_faces."""
    for s in range(len(segment)):
        a, b = segment[s, 0], segment[s, 1]
        ux, uy, uz = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2]
        wx, wy, wz = past[a, 0] + past[b, 0], past[a, 1] + past[b, 1], past[a, 2] + past[b, 2]
        speed = np.sqrt(wx * wx + wy * wy + wz * wz)
        length = np.sqrt(ux * ux + uy * uy + uz * uz)
        if speed < 1e-12 or length < 1e-12:
            continue
        along = (ux * wx + uy * wy + uz * wz) / length
        cx, cy, cz = wx - along * ux / length, wy - along * uy / length, wz - along * uz / length
        across = np.sqrt(cx * cx + cy * cy + cz * cz)
        met = radius[s] * length * across / speed  # half of 2 r l, seen from the air
        for i in (a, b):
            area[i] += met
            if across > 1e-12:
                square[i, 0] -= met * cx / speed
                square[i, 1] -= met * cy / speed
                square[i, 2] -= met * cz / speed
