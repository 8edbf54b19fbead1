"""Cloth, soft bodies and ropes of the document as a model."""

from __future__ import annotations

import numpy as np
from scipy import sparse

from ....arrays import Array, Flags, Index
from ....document import Body, ClothMatter, RopeMatter, Shot, SoftMatter
from ....fracture.build import Resolve
from ....fracture.deforming import Surface, opening_points
from ....fracture.pieces import Pieces
from ...deformable.levels import stack_levels
from ...deformable.model import DeformableModel, Drawn
from ...deformable.pattern import scalar_rows
from ...deformable.tables import BodyTable, Elements, Solver, Tables, TieEnds, VertexTable
from ...model import Hold
from ..motion import hold_of
from .cloth import cloth
from .contacts import collisions, contact_points, finer, finest_beside, points_of
from .holds import hold
from .joining import Joined, join, leaders, stands
from .part import Part, concatenate, offsets, placed_at_size
from .rope import rope
from .seams import pieces_of, seams_of
from .soft import soft, solutions
from .tables import air, carried, curves, drawn, factors, lattices, membranes, segments, sizes
from .twists import twists
from .vertex_ties import vertex_ties
from .weights import Weights


def part_of(shot: Shot, body: Body, resolve: Resolve) -> Part:
    matter, weights = body.matter, Weights(shot, body.weights)
    if isinstance(matter, ClothMatter):
        return cloth(body, matter, weights, resolve)
    if isinstance(matter, RopeMatter):
        return rope(body, matter, weights, resolve)
    assert isinstance(matter, SoftMatter)
    return soft(body, matter, weights, resolve)


def started(body: Body, x: Array) -> Array:
    """Where the vertices of a body that rest at x (V, 3) are at the start. Raises InputError where its opening shape is
    another's.
    """
    if body.opening is None:
        return x
    return placed_at_size(body, opening_points(body, body.opening.points, len(x)))


def build_deformables(
    shot: Shot, built: list[Pieces], body_first: Index, resolve: Resolve, interval: float, substeps: int
) -> DeformableModel:
    """The deformable bodies of a written-out shot.

    interval : [s]; substeps : of rigid bodies, in an interval
    Raises InputError and GeometryError where one cannot be made.
    """
    use = [b for b, body in enumerate(shot.bodies) if body.deforms]
    parts = _parts_of(shot, use, built, body_first, resolve)
    first = offsets([len(p.x) for p in parts])
    seams = seams_of(shot, use, parts, first)
    ends, ties = vertex_ties(shot, use, parts, first, built, body_first)
    piece_body = np.repeat(np.arange(len(built)), [b.count for b in built])
    substep = interval / substeps
    maker = TableMaker(shot, use, parts, first, ends, seams.body, substep, piece_body)
    every = substeps_each(parts, substeps)
    tables = maker((seams.strength <= 0.0).astype(np.uint8), np.zeros(int(first[-1]), np.uint8), every)
    seen = [
        Drawn(shot.bodies[b].name, int(k), len(p.x), p.seen_faces(), p.segment, p.carrier, p.weight)
        for b, p, k in zip(use, parts, first, strict=False)
    ]
    start = concatenate([_start_velocity(shot.bodies[b], p) for b, p in zip(use, parts, strict=True)], (3,))
    # speeds are those of the way in a step: what falls from rest is half a step late (and as late as rigid pieces)
    late = 0.5 * substep * (np.repeat(every, np.diff(first)) - 1)
    vertices = tables.elements.vertices
    late = (late * vertices.gravity_scale)[:, None] * np.asarray(shot.gravity, float)
    start = np.where(vertices.pinned[:, None] != 0, 0.0, start - late)
    return DeformableModel(
        [shot.bodies[b].name for b in use],
        np.array(use, np.int32),
        tables,
        maker,
        seams,
        concatenate([p.mass for p in parts]),
        lattices([p.tets for p in parts], parts, first),
        seen,
        concatenate([p.start for p in parts], (3,)),
        start,
        every,
        ties,
        sizes(parts),
        air(parts, first),
        np.array([hold_of(shot.bodies[b]) for b in use], np.uint8),
        np.array([shot.bodies[b].pattern is not None for b in use], bool),
        pieces_of(seams, parts, first),
    )


def _parts_of(shot: Shot, use: list[int], built: list[Pieces], body_first: Index, resolve: Resolve) -> list[Part]:
    """Bodies that deform, where they start and as they are held."""
    parts = []
    for b in use:
        part = part_of(shot, shot.bodies[b], resolve)
        part.start = started(shot.bodies[b], part.x)
        hold(shot, shot.bodies[b], part, built, body_first)
        parts.append(part)
    return parts


def loose_ends(shot: Shot, built: list[Pieces], resolve: Resolve) -> list[str]:
    """Ropes of a written-out shot that resist twisting, and of which an end can turn: it is not felt."""
    use = [b for b, body in enumerate(shot.bodies) if isinstance(body.matter, RopeMatter)]
    if not any(getattr(shot.bodies[b].matter, "twist", 0.0) for b in use):
        return []
    names, others = {shot.bodies[b].name for b in use}, {b.name for b in shot.bodies if b.deforms}
    ties = [tie for tie in shot.ties if not (others - names) & {tie.body, tie.to}]
    shot, body_first = shot.model_copy(update={"ties": ties}), offsets([p.count for p in built])
    parts = _parts_of(shot, use, built, body_first, resolve)
    first, bodies = offsets([len(p.x) for p in parts]), [shot.bodies[b] for b in use]
    ends, _ = vertex_ties(shot, use, parts, first, built, body_first)
    roots = [leaders(p, np.zeros(0 if p.seams is None else len(p.seams.strength), bool)) for p in parts]
    felt = twists(bodies, parts, roots, first, ends).body
    return [b.name for k, b in enumerate(bodies) if getattr(b.matter, "twist", 0.0) and k not in felt]


def _start_velocity(body: Body, part: Part) -> Array:
    """Velocities (V, 3) [m/s] of its vertices at the start: its own, and of turning about its centre of mass."""
    arm = part.start - part.mass @ part.start / part.mass.sum()
    return np.asarray(np.array(body.velocity, float) + np.cross(np.array(body.spin, float), arm))


class TableMaker:
    """Makes the tables of all deformable bodies by which seams are open. Bodies that hang together as they did are not
    worked out again.
    """

    def __init__(
        self,
        shot: Shot,
        use: list[int],
        parts: list[Part],
        first: Index,
        ends: TieEnds,
        seam_body: Index,
        substep: float,
        piece_body: Index,
    ) -> None:
        """use: bodies of the shot; first (B + 1,): vertices of each; ends: TieEnds; substep: [s]; piece_body (P,)."""
        self._piece_body = piece_body
        self._shot, self._use, self._parts, self._first, self._ends = shot, use, parts, first, ends
        self._bodies, self._substep = [shot.bodies[b] for b in use], substep
        self._of = [np.flatnonzero(seam_body == k) for k in range(len(parts))]
        self._root = [leaders(p, np.zeros(len(of), bool)) for p, of in zip(parts, self._of, strict=True)]
        made = [points_of(p, root) for p, root in zip(parts, self._root, strict=True)]
        apart = finest_beside(made, parts, collisions(shot, use)[1])
        self._points = [finer(*each) for each in zip(made, parts, self._root, apart, strict=True)]
        self._twists = twists(self._bodies, parts, self._root, first, ends)
        self._joined: list[Joined | None] = [None] * len(parts)

    def __call__(self, open_: Flags, hold: Flags, every: Index) -> Tables:
        """open_ : (Q,) uint8, seams that are open; hold : (N,) uint8, Hold of vertices; every : (B,) int, substeps in a
        step of each, 1 of what is solved by a factor.
        """
        parts, first, steps = self._parts, self._first, self._substep * every
        # by which implicit steps come back at the rate
        rate = [np.expm1(p.recall * h) / h for p, h in zip(parts, steps, strict=True)]
        joined = [self._join(k, open_, hold, rate[k], float(h)) for k, h in enumerate(steps)]
        count, step = int(first[-1]), np.repeat(steps, np.diff(first))
        mass = concatenate([p.mass for p in joined])
        heavy, back = mass / step**2, concatenate(rate)
        recall, recall_damping = mass * back**2, 2.0 * mass * back / step
        stays = heavy + recall + recall_damping
        pattern, levels = stack_levels([p.levels for p in joined], stays)
        scalar = sparse.block_diag([p.scalar for p in joined], format="csr") if parts else sparse.csr_matrix((0, 0))
        pinned = np.concatenate([np.zeros(0, bool), *(p.pinned | p.gone for p in joined)])
        elements = Elements(
            self._body_table(joined, every),
            VertexTable(
                np.repeat(np.arange(len(parts), dtype=np.int32), np.diff(first)),
                self._numbered([p.lead for p in joined]),
                self._numbered(self._root),
                self._numbered([p.island for p in joined]),
                mass,
                np.repeat([b.gravity for b in self._bodies], np.diff(first)).astype(float),
                pinned.astype(np.uint8),
                concatenate([p.x for p in parts], (3,)),
                heavy,
                recall,
                recall_damping,
            ),
            membranes(joined, first, pattern),
            curves(joined, first),
            segments(joined, parts, first, pattern),
            lattices([p.tets for p in joined], parts, first),
            self._holding(joined),
            self._twists,
            carried(parts, joined, first),
            drawn(parts, joined, first),
            contact_points(self._shot, self._use, parts, self._points, joined, first, self._piece_body),
            *collisions(self._shot, self._use),
        )
        return Tables(
            elements,
            scalar_rows((scalar + sparse.diags(stays)).tocsr()),
            pattern,
            levels,
            factors(parts, joined, first, count),
        )

    def _holding(self, joined: list[Joined]) -> TieEnds:
        """The ties; none of what has been removed, and of vertices at one place, pinned to an active body, of the one
        that leads.
        """
        vertex = self._ends.vertex
        out = self._numbered([p.lead for p in joined]) != np.arange(int(self._first[-1]))
        out |= np.concatenate([np.zeros(0, bool), *(p.gone for p in joined)])
        return self._ends._replace(idle=((vertex >= 0) & out[vertex]).any(axis=1).astype(np.uint8))

    def _join(self, k: int, open_: Flags, hold: Flags, rate: Array, step: float) -> Joined:
        part, made = self._parts[k], self._joined[k]
        lead, own_hold = leaders(part, open_[self._of[k]] != 0), hold[self._first[k] : self._first[k + 1]]
        same = (
            made is not None
            and (made.lead == lead).all()
            and (made.gone == (own_hold == Hold.REMOVED)).all()
            and (made.pinned == (part.pinned | stands(own_hold))).all()
        )
        if made is None or not same:
            own = part.mass * (1.0 / step + rate) ** 2  # mass over the square of the step, and recall
            made = self._joined[k] = join(part, lead, own_hold, own, step)
        return made

    def _apart(self, k: int, own: Joined) -> bool:
        """Whether pieces of a body meet that hang together no longer; those of cloth only where it folds."""
        islands = own.island[own.order]
        meets = self._parts[k].solver == Solver.FACTOR or getattr(self._bodies[k].matter, "folds", True)
        return bool(meets and islands.max(initial=0) > islands.min(initial=0))

    def _numbered(self, own: list[Index]) -> Index:
        return np.concatenate([np.zeros(0, np.int32), *(a + k for a, k in zip(own, self._first, strict=False))]).astype(
            np.int32
        )

    def _body_table(self, joined: list[Joined], every: Index) -> BodyTable:
        parts, steps = self._parts, self._substep * every
        return BodyTable(
            self._first,
            offsets([len(p.triangle) for p in parts]),
            offsets([len(p.curves.face) if p.curves is not None else 0 for p in joined]),
            offsets([len(p.segment) for p in parts]),
            offsets([len(p.tets) for p in parts]),
            np.array([p.solver for p in parts], np.uint8),
            np.array([getattr(b.matter, "damping", 0.0) for b in self._bodies], float),
            np.array([p.pinned.any() or p.gone.any() for p in joined], np.uint8),
            np.array([p.still.any() for p in joined], np.uint8),
            offsets([len(p.order) for p in joined]),
            self._numbered([p.order for p in joined]),
            np.array([getattr(b.matter, "folds", True) for b in self._bodies], np.uint8),
            np.array([self._apart(k, own) for k, own in enumerate(joined)], np.uint8),
            np.array([solutions(p, float(h)) for p, h in zip(parts, steps, strict=True)], np.int32),
            every.astype(np.int32),
        )


def substeps_each(parts: list[Part], substeps: int) -> Index:
    """How many substeps of rigid bodies a step of each body lasts (B,) int32, by itself. Whole steps fill an interval;
    cloth is solved well in two.
    """
    longest = next(n for n in range(substeps // 2, 0, -1) if substeps % n == 0)
    return np.array([longest if p.solver == Solver.LEVELS else 1 for p in parts], np.int32)
