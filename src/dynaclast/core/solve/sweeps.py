"""What animated bodies run into, of what waits to be touched and of what bonds hold.

Neither gives way to the other, so that the solver makes no contact between them; nor do pieces that bonds hold to what
is fixed. Animated bodies are known to go where they go: the hull of a convex shape at two poses holds all the places
between them, but for the bulge of the arc it is turned along; an interval is taken in steps that turn little. Where
such a hull and what stands still overlap, they touch (distance of convex sets by Gilbert, Johnson and Keerthi 1988).
"""

from __future__ import annotations

from functools import cached_property
from typing import NamedTuple

import numpy as np

from ..arrays import Array, Flags, Index, Mask
from ..geometry.rotations import rotation_matrices, rotation_matrix, vector_to_quaternion
from ..kernels import kernel
from .deformable.tables import Elements, Held
from .frame import piece_positions
from .model import GROUND, Hold, Model, Motion
from .rigid.gjk import PointSet, Simplex, gjk, make_scratch
from .state import State

STEP = 0.2
"""By so much an animated body turns between two poses [rad]: the bulge of its arc is 0.5 % of its arm."""
PRESSED = 0.5
"""What is pressed in by more than this share of the rounding of both does not only touch."""
NOBODY = -2
"""In place of a piece, where GROUND is another."""
SLACK = 1e-5
"""What stands on an animated body does not overlap it by more, by rounding [m]."""


class ConvexSets(NamedTuple):
    """Convex shapes with a rounding, world frame. K of them.

    points : (N, 3) float64, [m]; start (K + 1,) int64, those of each
    radius : (K,) float64, [m]
    owner  : (K,) int64, the piece that each belongs to; of deformable bodies, a vertex
    kind   : (K,) int64, the body of the shot, or of deformable bodies, bodies of the shot + their number
    lower  : (K, 3) float64, [m], bounds; upper (K, 3), likewise
    """

    points: Array
    start: Index
    radius: Array
    owner: Index
    kind: Index
    lower: Array
    upper: Array


def _runs(start: Index, count: Index) -> Index:
    """Rows start to start + count of each, one after another."""
    rows: Index = np.repeat(start - np.cumsum(count) + count, count) + np.arange(count.sum())
    return rows


def only(sets: ConvexSets, which: Index) -> ConvexSets:
    """Some of them."""
    count = np.diff(sets.start)[which]
    rows = _runs(sets.start[which], count)
    return convex_sets(sets.points[rows], count, sets.radius[which], sets.owner[which], sets.kind[which])


def convex_sets(points: Array, count: Index, radius: Array, owner: Index, kind: Index) -> ConvexSets:
    """Sets of so many points each, one after another."""
    start = np.concatenate([[0], np.cumsum(count)]).astype(np.int64)
    owner, kind = owner.astype(np.int64), kind.astype(np.int64)  # the kernel is compiled for these
    if not len(count):
        return ConvexSets(np.zeros((0, 3)), start, np.zeros(0), owner, kind, np.zeros((0, 3)), np.zeros((0, 3)))
    lower = np.minimum.reduceat(points, start[:-1]) - radius[:, None]
    upper = np.maximum.reduceat(points, start[:-1]) + radius[:, None]
    return ConvexSets(np.ascontiguousarray(points), start, radius, owner, kind, lower, upper)


class Sorted(NamedTuple):
    """Sets that stand still in the order of their lower bounds along an axis.

    axis  : int
    order : (K,) int64
    begin : (M,) int64, before such a place all lie lower than each moving set
    """

    axis: int
    order: Index
    begin: Index


@kernel
def _first_touches(
    moving: ConvexSets,
    still: ConvexSets,
    touch: Flags,
    along: Sorted,
    scratch: tuple[Array, Array, Simplex],
    deep: float,
    out: Index,
) -> None:
    """As ``first_touches``."""
    way, witness, simplex = scratch
    for m in range(len(moving.radius)):
        for x in range(along.begin[m], len(along.order)):
            k = along.order[x]
            if still.lower[k, along.axis] > moving.upper[m, along.axis]:
                break
            apart = out[k] >= 0 or not touch[moving.kind[m], still.kind[k]]
            for c in range(3):
                apart = apart or moving.lower[m, c] > still.upper[k, c] or moving.upper[m, c] < still.lower[k, c]
            if apart:
                continue
            near = moving.radius[m] + still.radius[k]
            for c in range(3):
                way[c] = moving.points[moving.start[m], c] - still.points[still.start[k], c]
            one = PointSet(moving.points, moving.start[m], moving.start[m + 1])
            other = PointSet(still.points, still.start[k], still.start[k + 1])
            less = deep if deep >= 0.0 else -deep * near
            if gjk(one, other, near, way, witness, simplex) < near - less:
                out[k] = m


def first_touches(moving: ConvexSets, still: ConvexSets, touch: Flags, deep: float = SLACK) -> Index:
    """The first of the moving sets that overlaps each of those that stand still (K,) int64, -1 where none does.

    touch : (kinds, kinds) uint8, whether such bodies touch
    deep  : float, by more than this [m], or below 0 this share of their roundings
    """
    out = np.full(len(still.radius), -1)
    if not len(out) or not len(moving.radius):
        return out
    axis = int(np.argmax(np.ptp(still.lower, axis=0)))
    low, widest = still.lower[:, axis], float((still.upper - still.lower)[:, axis].max())
    order = np.argsort(low, kind="stable")
    along = Sorted(axis, order, np.searchsorted(low[order], moving.lower[:, axis] - widest))
    _first_touches(moving, still, touch, along, (np.zeros(3), np.zeros((3, 3)), make_scratch()), deep, out)
    return out


def shapes_of(model: Model, state: State, pieces: Index) -> ConvexSets:
    """The collision shapes of pieces where they are, but of those that were taken out."""
    hulls, asm = model.hulls, state.assemblies
    shape = np.flatnonzero(np.isin(hulls.piece, pieces[state.hold[pieces] != Hold.REMOVED]))
    piece, count = hulls.piece[shape], np.diff(hulls.vertex_start)[shape]
    rows = _runs(hulls.vertex_start[shape], count)
    slot, of = state.piece_assembly[piece], np.repeat(np.arange(len(shape)), count)
    points = hulls.vertices[rows] + (model.pieces.rest_center[piece] - asm.rest_center[slot])[of]
    slots, which = np.unique(slot, return_inverse=True)
    turn = rotation_matrices(asm.orientation[slots])
    points = np.einsum("nij,nj->ni", turn[which[of]], points) + asm.position[slot][of]
    return convex_sets(points, count, hulls.radius[shape], piece.astype(np.int64), model.pieces.body[piece])


def swept(model: Model, state: State, slots: Index, seen_from: int = -1) -> ConvexSets:
    """What the shapes of animated assemblies pass over in the coming interval, by the velocities these have; in the
    world, or as an assembly sees them that moves too, from where it is at the start.
    """
    asm, span, parts = state.assemblies, model.settings.interval, []

    def carried(slot: int, points: Array, share: float, back: bool = False) -> Array:
        """Points where an assembly takes them in a share of the interval, or whence it does."""
        turn = rotation_matrix(vector_to_quaternion(asm.angular_velocity[slot] * (span * share)))
        center, way = asm.position[slot], asm.velocity[slot] * (span * share)
        return (points - way - center) @ turn + center if back else (points - center) @ turn.T + center + way

    for slot in slots:
        own = shapes_of(model, state, np.flatnonzero(state.piece_assembly == slot))
        angle = np.linalg.norm(asm.angular_velocity[slot])
        if seen_from >= 0:
            angle += np.linalg.norm(asm.angular_velocity[seen_from])
        steps, count, poses = max(1, int(np.ceil(angle * span / STEP))), np.diff(own.start), []
        for k in range(steps + 1):
            there = carried(slot, own.points, k / steps)
            poses.append(there if seen_from < 0 else carried(seen_from, there, k / steps, back=True))
        for then, next_ in zip(poses[:-1], poses[1:], strict=True):
            both = np.concatenate([then, next_])
            at = np.concatenate([np.repeat(np.arange(len(count)), count)] * 2)
            order = np.argsort(at, kind="stable")
            parts.append(convex_sets(both[order], 2 * count, own.radius, own.owner, own.kind))
    return _together(parts)


def _together(parts: list[ConvexSets]) -> ConvexSets:
    if not parts:
        nothing = np.zeros(0, np.int64)
        return convex_sets(np.zeros((0, 3)), nothing, np.zeros(0), nothing, nothing)
    joined = [np.concatenate(x) for x in zip(*parts, strict=True)]
    count = np.concatenate([np.diff(x.start) for x in parts])
    return convex_sets(joined[0], count, *joined[2:5])


def surfaces_of(e: Elements, position: Array, bodies: Index, first_kind: int) -> ConvexSets:
    """The faces of deformable bodies, the segments of ropes, and vertices that have neither, where they are.

    position : (N, 3) float64, [m], of vertices; first_kind: ConvexSets.kind of the first deformable body
    """
    points = e.points
    of = np.repeat(np.arange(len(points.first) - 1), np.diff(points.first))
    use = np.isin(of, bodies) & (points.between == 0)
    at = np.where(points.vertex >= 0, points.vertex, 0)
    place = (position[at] * np.where(points.vertex >= 0, points.weight, 0.0)[:, :, None]).sum(axis=1)
    faces = points.face[use[points.face].all(axis=1)]
    segments = points.of[e.segments.vertex]
    segments = segments[(segments >= 0).all(axis=1) & use[segments].all(axis=1)]
    alone = use & (points.held != Held.FOLLOWS)
    alone[faces] = False
    alone &= ~np.isin(of, of[segments[:, 0]])  # what a rope carries else lies on its segments
    sets = [faces, segments, np.flatnonzero(alone)[:, None]]
    rows = np.concatenate([x.ravel() for x in sets])
    count = np.repeat([3, 2, 1], [len(x) for x in sets])
    first = np.concatenate([x[:, 0] for x in sets])
    vertex = points.vertex[first, 0].astype(np.int64)
    return convex_sets(place[rows], count, points.radius[first], vertex, first_kind + of[first])


def may_touch(model: Model) -> Flags:
    """Whether kinds touch (kinds, kinds) uint8: bodies of the shot, and after them deformable bodies."""
    bodies, table = len(model.body_names), model.deformables
    more = 0 if table is None else len(table.names)
    out = np.ones((bodies + more, bodies + more), np.uint8)
    out[np.arange(bodies), np.arange(bodies)] = 0
    out[model.uncollided[:, 0], model.uncollided[:, 1]] = out[model.uncollided[:, 1], model.uncollided[:, 0]] = 0
    if table is not None:
        out[:bodies, bodies:] = table.elements.collides.T
    return out


def still_meshes(model: Model, state: State) -> ConvexSets:
    """The triangles of bodies that collide as these and never move."""
    own = model.triangle_meshes.piece
    return shapes_of(model, state, own[model.carrier[own] < 0])


def _within(sets: ConvexSets, others: ConvexSets) -> ConvexSets:
    """Those in the bounds of some others."""
    low, high = others.lower.min(axis=0), others.upper.max(axis=0)
    return only(sets, np.flatnonzero(((sets.lower <= high) & (sets.upper >= low)).all(axis=1)))


class Ahead:
    """Where what is animated goes in the coming interval; worked out when asked for."""

    def __init__(self, model: Model, state: State, slots: Index) -> None:
        self._model, self._state, self._slots = model, state, slots

    @cached_property
    def _moving(self) -> ConvexSets:
        return swept(self._model, self._state, self._slots)

    @cached_property
    def _movers(self) -> ConvexSets:
        """Where it is now."""
        pieces = np.flatnonzero(np.isin(self._state.piece_assembly, self._slots))
        return shapes_of(self._model, self._state, pieces)

    @cached_property
    def _spheres(self) -> tuple[Array, Array]:
        """Round pieces: centres (P, 3) and radii (P,) [m]."""
        return piece_positions(self._model, self._state), self._model.piece_reach()

    def _reaches(self, pieces: Mask, slots: Index, seen_from: int = -1) -> bool:
        """Whether any of some assemblies may come to one of these pieces (P,) bool, by spheres round both."""
        asm, span, (center, reach) = self._state.assemblies, self._model.settings.interval, self._spheres
        center, reach = center[pieces], reach[pieces]
        for slot in slots:
            way = asm.velocity[slot] - (asm.velocity[seen_from] if seen_from >= 0 else 0.0)
            far = reach + asm.radius[slot] + span * np.linalg.norm(way)
            if (((center - asm.position[slot]) ** 2).sum(axis=1) < far**2).any():
                return True
        return False

    def _near(self, pieces: Mask, moving: ConvexSets) -> ConvexSets:
        """The shapes of those pieces (P,) bool that lie in the bounds of what moves."""
        low, high, (center, reach) = moving.lower.min(axis=0), moving.upper.max(axis=0), self._spheres
        near = pieces & ((center - reach[:, None] <= high) & (center + reach[:, None] >= low)).all(axis=1)
        return _within(shapes_of(self._model, self._state, np.flatnonzero(near)), moving)

    def run_into(self, pieces: Mask, bodies: Index) -> tuple[dict[int, int], dict[int, int]]:
        """What of pieces (P,) bool is run into, and which vertices of deformable bodies (n,), each with the piece that
        does.
        """
        if not len(bodies) and not self._reaches(pieces, self._slots):
            return {}, {}
        model, moving = self._model, self._moving
        if not len(moving.owner):
            return {}, {}
        kinds, table = len(model.body_names), model.deformables
        sets = [self._near(pieces, moving)]
        if len(bodies):
            assert table is not None
            sets.append(surfaces_of(table.elements, self._state.vertices.position, bodies, kinds))
        still = _together(sets)
        out = first_touches(moving, still, may_touch(model), SLACK)
        found: tuple[dict[int, int], dict[int, int]] = {}, {}
        for k in np.flatnonzero(out >= 0):
            found[int(still.kind[k] >= kinds)].setdefault(int(still.owner[k]), int(moving.owner[out[k]]))
        return found

    def entered(self, pieces: Mask) -> dict[int, int]:
        """Those of pieces (P,) bool that are pressed in by more than half of their rounding at the end of the interval,
        and were not at its start; each with the piece that does.
        """
        if not self._reaches(pieces, self._slots):
            return {}
        still = self._near(pieces, self._moving)
        return _newly_pressed(self._moving, self._movers, still, may_touch(self._model))

    def enters(self, pieces: Mask, meshes: ConvexSets) -> dict[int, int]:
        """The other way round: those of pieces (P,) bool that are taken along, and so pressed into what is fixed, or
        into what else is animated; each with the piece it enters, or GROUND.

        meshes : as ``still_meshes``
        """
        return self._enters_fixed(pieces, meshes) | self._enters_others(pieces)

    def _enters_others(self, pieces: Mask) -> dict[int, int]:
        model, state, touch = self._model, self._state, may_touch(self._model)
        found: dict[int, int] = {}
        for slot in np.unique(state.piece_assembly[pieces]):
            own, others = pieces & (state.piece_assembly == slot), self._slots[self._slots != slot]
            if not self._reaches(own, others, int(slot)):
                continue
            moving = swept(model, state, others, int(slot))
            there = shapes_of(model, state, np.flatnonzero(np.isin(state.piece_assembly, others)))
            found |= _newly_pressed(moving, there, self._near(own, moving), touch)
        return found

    def _enters_fixed(self, pieces: Mask, meshes: ConvexSets) -> dict[int, int]:
        model, state, moving = self._model, self._state, self._moving
        own = only(moving, np.flatnonzero(pieces[moving.owner]))
        if not len(own.owner):
            return {}
        other = state.assemblies.motion[state.piece_assembly] == Motion.FIXED
        other[meshes.owner] = False
        there = only(meshes, np.flatnonzero(state.hold[meshes.owner] != Hold.REMOVED))
        fixed = _together([self._near(other, own), _within(there, own)])
        touch, at = may_touch(model), shapes_of(model, state, np.flatnonzero(pieces))
        out, had = (first_touches(fixed, sets, touch, -PRESSED) for sets in (own, at))
        into = np.where(out >= 0, np.append(fixed.owner, NOBODY)[out], NOBODY)
        below, was = (sets.lower[:, 1] + PRESSED * sets.radius < model.settings.ground_height for sets in (own, at))
        if model.settings.ground_on:
            into = np.where((into == NOBODY) & below, GROUND, into)
            return _new_ones(own.owner, into, at.owner[(had >= 0) | was])
        return _new_ones(own.owner, into, at.owner[had >= 0])


def _newly_pressed(moving: ConvexSets, there: ConvexSets, still: ConvexSets, touch: Flags) -> dict[int, int]:
    """What of those that stand still is pressed in by what moves, and is not where that is at the start."""
    out = first_touches(moving, still, touch, -PRESSED)
    if not (out >= 0).any():
        return {}
    had = first_touches(there, still, touch, -PRESSED) >= 0
    return _new_ones(still.owner, np.where(out >= 0, moving.owner[out], NOBODY), still.owner[had])


def _new_ones(owner: Index, by: Index, had: Index) -> dict[int, int]:
    """By the owner (K,) of a shape, what it is pressed in by (K,), NOBODY for none, but for those that had been."""
    found: dict[int, int] = {}
    before = set(had.tolist())
    for own, other in zip(owner.tolist(), by.tolist(), strict=True):
        if other != NOBODY and own not in before:
            found.setdefault(own, other)
    return found
