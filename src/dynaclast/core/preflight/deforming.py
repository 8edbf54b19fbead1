"""Findings about cloth, soft bodies and ropes: what crosses itself, or does not bear its own weight."""

from __future__ import annotations

import numpy as np

from ..arrays import lengths
from ..document import AnchorEffect, Body, ClothMatter, RopeMatter, Shot, SoftMatter
from ..errors import GeometryError, InputError
from ..fields.base import among
from ..fracture.build import Resolve
from ..fracture.deforming import deforming_mesh, rope_segments
from ..fracture.pieces import Pieces
from ..geometry.crossings import crossing_pairs
from ..geometry.mass import signed_volume
from ..geometry.mesh import TriMesh, triangle_normals
from ..geometry.rotations import rotation_matrix
from .finding import Finding

MUCH = 0.2
"""What stretches by more than this share under its own weight surprises."""
GOOD = 0.02
"""And by so much would not."""


def deforming_findings(shot: Shot, resolve: Resolve) -> list[Finding]:
    """Findings of all bodies that deform, of a written-out shot; those whose files are not at hand are left out."""
    out: list[Finding] = []
    said: set[str] = set()
    for body in shot.bodies:
        if not body.deforms or body.column in said:  # members of a group are alike
            continue
        said.add(body.column)
        try:
            mesh = deforming_mesh(body, resolve)
        except (GeometryError, InputError):
            continue  # what cannot be built is said by who builds it
        out += _crossing(body, mesh)
        if _hangs(shot, body):
            out += _weight(shot, body, mesh)
    return out


def twist_findings(shot: Shot, built: list[Pieces], resolve: Resolve) -> list[Finding]:
    """Ropes that could be twisted, and are not since an end turns freely."""
    if not any(isinstance(b.matter, RopeMatter) and b.matter.twist for b in shot.bodies):
        return []
    from ..solve.prepare.deformables import loose_ends  # what it works with takes a while to load

    try:
        loose = loose_ends(shot, built, resolve)
    except (GeometryError, InputError):
        return []  # what cannot be built is said by who builds it
    return [
        Finding(
            "turns-freely",
            "check",
            "bind",
            name,
            f"{name} resists twisting, but an end of it turns freely: its twist is not felt.",
            "Weld both ends to what should turn them, or pin the vertices next to them too; of a mesh it is never felt",
        )
        for name in loose
    ]


def _crossing(body: Body, mesh: TriMesh) -> list[Finding]:
    """Cloth that meets itself and crosses itself at the start."""
    if not isinstance(body.matter, ClothMatter) or not body.matter.folds:
        return []
    count = len(crossing_pairs(mesh))
    if not count:
        return []
    return [
        Finding(
            "crosses-itself",
            "check",
            "build",
            body.name,
            f"The mesh of {body.name} crosses itself at {count} pairs of triangles: there it cannot be kept apart.",
            "Mend the mesh, or switch off that it meets itself",
        )
    ]


def _hangs(shot: Shot, body: Body) -> bool:
    """Whether something holds it: pins, an anchor, a tie."""
    anchors = any(
        f.on and isinstance(f.effect, AnchorEffect) and among(f.targets, [body.column])[0] for f in shot.fields
    )
    return bool(body.pins) or anchors or any(t.on and body.name in (t.body, t.to) for t in shot.ties)


def _area(body: Body, mesh: TriMesh) -> float:
    """Of a sheet at its size in its group [m2]."""
    return body.factor**2 * float(triangle_normals(mesh)[1].sum())


def _weight(shot: Shot, body: Body, mesh: TriMesh) -> list[Finding]:
    """What its own weight, hanging down all its height, does to it."""
    gravity = float(np.linalg.norm(shot.gravity)) * abs(body.gravity)
    if gravity == 0.0:
        return []
    down = np.asarray(shot.gravity) / np.linalg.norm(shot.gravity)
    local = body.factor * mesh.vertices @ rotation_matrix(body.place.rotation).T
    long = float(max(np.ptp(local @ down), np.ptp(local, axis=0).max()))
    matter, section = body.matter, 1.0
    if isinstance(matter, ClothMatter):
        weight = matter.weight if body.material.mass is None else body.material.mass / _area(body, mesh)
        load, stiff, unit, word = weight * gravity * long, 1000.0 * matter.stretch, "kN/m", "stretch"
        bears = matter.tear
    elif isinstance(matter, RopeMatter):
        section = np.pi * matter.radius**2
        ends = local[rope_segments(body, mesh)]
        total = float(lengths(ends[:, 1] - ends[:, 0]).sum())
        load = body.material.density_for(section * total) * section * gravity * min(long, total)
        stiff, unit, word, bears = 1000.0 * matter.young * section, "kN/m2", "young", matter.breaks
    else:
        assert isinstance(matter, SoftMatter)
        density = body.material.density_for(body.factor**3 * signed_volume(mesh))
        load, stiff = density * gravity * long, 1000.0 * matter.young
        unit, word, bears = "kN/m2", "young", matter.tear
    out = []
    if load / stiff > MUCH:
        needed = load / GOOD / section / 1000.0
        out.append(
            Finding(
                "gives-way",
                "check",
                "build",
                body.name,
                f"{body.name} stretches by {100 * load / stiff:.0f} % where all its {long:.3g} m hang from one end.",
                f"With a '{word}' of {needed:.3g} {unit} it would be {100 * GOOD:.0f} %",
            )
        )
    if bears is not None and load / 1000.0 > bears:
        per = " kN" if isinstance(matter, RopeMatter) else f" {unit}"
        weighs = f"{load / 1000.0:.3g}{per}"
        out.append(
            Finding(
                "too-weak",
                "check",
                "build",
                body.name,
                f"{body.name} weighs {weighs} where all of it hangs, and bears {bears:.3g}{per}: it parts by itself.",
                f"Let it bear more than {weighs}, or make it lighter",
            )
        )
    return out
