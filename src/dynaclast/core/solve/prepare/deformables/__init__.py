"""Cloth, soft bodies and ropes of the document as a model."""

from __future__ import annotations

import numpy as np
from scipy import sparse

from ....arrays import Index
from ....document import Body, ClothMatter, RopeMatter, Shot, SoftMatter
from ....errors import GeometryError, InputError
from ....fracture.build import Resolve
from ....fracture.pieces import Pieces
from ...deformable.levels import build_levels
from ...deformable.model import DeformableModel, Drawn
from ...deformable.pattern import scalar_rows
from ...deformable.tables import BodyTable, Elements, Solver, VertexTable
from .cloth import cloth
from .contacts import collisions, contact_points
from .holds import hold
from .part import Part, concatenate, offsets
from .rope import rope
from .soft import soft, solutions
from .tables import air, carried, curves, factors, lattices, membranes, segments, sizes
from .vertex_ties import vertex_ties


def part_of(body: Body, resolve: Resolve) -> Part:
    matter = body.matter
    if isinstance(matter, ClothMatter):
        return cloth(body, matter, resolve)
    if isinstance(matter, RopeMatter):
        return rope(body, matter, resolve)
    assert isinstance(matter, SoftMatter)
    return soft(body, matter, resolve)


def build_deformables(
    shot: Shot, built: list[Pieces], body_first: Index, resolve: Resolve, interval: float, substeps: int
) -> DeformableModel:
    """The deformable bodies of a written-out shot.

    interval : [s]; substeps : of rigid bodies, in an interval
    Raises InputError and GeometryError where one cannot be made.
    """
    use = [b for b, body in enumerate(shot.bodies) if body.deforms]
    parts = []
    for b in use:
        part = part_of(shot.bodies[b], resolve)
        hold(shot, shot.bodies[b], part, built, body_first)
        parts.append(part)
    every = substeps_each(parts, substeps)
    step = interval / substeps * every
    first = offsets([len(p.x) for p in parts])
    count = int(first[-1])
    x, mass = concatenate([p.x for p in parts], (3,)), concatenate([p.mass for p in parts])
    pinned = np.concatenate([np.zeros(0, bool), *(p.pinned for p in parts)])
    heavy = mass / step**2
    for part in parts:
        if part.rate is not None:
            part.scalar = part.scalar + part.rate / step
    pairs = np.concatenate([np.zeros((0, 2), int), *(p.pairs + k for p, k in zip(parts, first, strict=False))])
    by_levels = np.array([p.solver == Solver.LEVELS for p in parts], bool)
    rate = concatenate([p.recall for p in parts])
    held_back = np.expm1(rate * step) / step  # by which implicit steps come back at the rate
    recall, recall_damping = mass * held_back**2, 2.0 * mass * held_back / step
    stays_put = heavy + recall + recall_damping
    pattern, levels = build_levels(
        first, by_levels, x, concatenate([p.normal for p in parts], (3,)), pairs, stays_put, pinned
    )
    scalar = sparse.block_diag([p.scalar for p in parts], format="csr") if parts else sparse.csr_matrix((0, 0))
    stays = scalar + sparse.diags(stays_put)
    ends, ties = vertex_ties(shot, use, parts, first, built, body_first)
    elements = Elements(
        BodyTable(
            first,
            offsets([len(p.triangle) for p in parts]),
            offsets([len(p.curves.face) if p.curves is not None else 0 for p in parts]),
            offsets([len(p.segment) for p in parts]),
            offsets([len(p.tets) for p in parts]),
            np.array([p.solver for p in parts], np.uint8),
            np.array([getattr(shot.bodies[b].matter, "damping", 0.0) for b in use], float),
            np.array([p.pinned.any() for p in parts], np.uint8),
            np.array([getattr(shot.bodies[b].matter, "folds", True) for b in use], np.uint8),
            np.array([solutions(p, step) for p in parts], np.int32),
        ),
        VertexTable(
            np.repeat(np.arange(len(parts), dtype=np.int32), np.diff(first)),
            mass,
            np.repeat([shot.bodies[b].gravity for b in use], np.diff(first)).astype(float),
            pinned.astype(np.uint8),
            x,
            heavy,
            recall,
            recall_damping,
        ),
        membranes(parts, first, pattern),
        curves(parts, first),
        segments(parts, first, pattern),
        lattices(parts, first),
        ends,
        carried(parts, first),
        contact_points(shot, use, parts, first),
        *collisions(shot, use),
    )
    drawn = [
        Drawn(shot.bodies[b].name, int(k), len(p.x), p.drawn_faces, p.carrier, p.weight)
        for b, p, k in zip(use, parts, first, strict=False)
    ]
    start = np.repeat(np.array([shot.bodies[b].velocity for b in use], float).reshape(-1, 3), np.diff(first), axis=0)
    # speeds are those of the way in a step: what falls from rest is half a step late (and as late as rigid pieces)
    late = 0.5 * (1.0 - 1.0 / every) * step * np.asarray(shot.gravity, float)
    start = np.where(pinned[:, None], 0.0, start - elements.vertices.gravity_scale[:, None] * late)
    return DeformableModel(
        [shot.bodies[b].name for b in use],
        np.array(use, np.int32),
        elements,
        scalar_rows(stays.tocsr()),
        pattern,
        levels,
        factors(parts, first, stays_put, count),
        drawn,
        start,
        step,
        every,
        ties,
        sizes(parts),
        air(parts, first),
    )


def substeps_each(parts: list[Part], substeps: int) -> int:
    """How many substeps of rigid bodies one step of deformable ones lasts: cloth is solved well in two an interval."""
    kinds = {p.solver for p in parts}
    if Solver.LEVELS in kinds and Solver.FACTOR not in kinds:
        return substeps // 2
    return 1
