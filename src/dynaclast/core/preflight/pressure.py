"""What a wind presses on the faces of bodies that deform, as they open and at rest."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..arrays import Array, Flags, Index, cross, lengths
from ..document import FieldItem, Shot, WindEffect
from ..fields import EFFECTS, EffectContext
from ..fields.base import among
from ..fields.samples import VERTICES, at_rest
from ..fracture.deforming import SurfaceOf
from .reach import Layout, VertexLayout


class OpenFaces:
    """What vertices of a surface turn to the air (fields.samples.Exposure)."""

    def __init__(self, x: Array, faces: Index, two_sided: bool) -> None:
        self._x, self._faces = x, np.ascontiguousarray(faces, np.int32)
        self._two_sided: Flags = np.full(len(faces), two_sided, np.uint8)

    def __call__(self, past: Array) -> tuple[Array, Array]:
        from ..solve.deformable.exposure import project_faces  # compiled where it is used

        area, square = np.zeros(len(past)), np.zeros((len(past), 3))
        project_faces(self._x, np.ascontiguousarray(past), self._faces, self._two_sided, area, square)
        return area, square


def wind_pressures(
    shot: Shot, item: FieldItem, at: Layout, vertices: VertexLayout, surface_of: SurfaceOf
) -> dict[str, Array]:
    """Force of a wind over area (V,) [Pa] at drawn vertices of bodies that it targets and that have faces, by their
    names; none of other fields.
    """
    if not isinstance(item.effect, WindEffect):
        return {}
    out = {}
    for body in (b for b in shot.bodies if b.name in vertices.point):
        faces, x = surface_of(body).faces, vertices.point[body.name]
        if not len(faces) or body.matter.kind == "rope":
            continue
        targets = np.repeat(among(item.targets, [body.column]), len(x))
        samples = replace(at_rest(VERTICES, x), exposure=OpenFaces(x, faces, body.matter.kind == "cloth"))
        # over no time nothing gives way: the force itself, of mass 1
        force = EFFECTS["wind"].forcing(item, EffectContext(samples, targets, at.evaluation, step=0.0)).linear
        assert force is not None
        corner = x[faces]
        double = lengths(cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]))
        area = np.bincount(faces.ravel(), np.repeat(double / 6.0, 3), len(x))
        out[body.name] = lengths(force) / np.maximum(area, 1e-12)
    return out
