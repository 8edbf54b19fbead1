"""Which deformable bodies take a step in every substep, and the steps of which last several.

Cloth is solved well in two steps an interval, what is soft is not. What may touch within the interval, is tied, or may
press on the same assemblies is one system of equations: it steps alike, and in every substep where any of it must; so
it does, too, where something turns so fast, or was thrown, that contacts must not go straight on for longer.
"""

from __future__ import annotations

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from ...arrays import Array, Index, Mask, lengths
from ..model import GROUND, Model, Motion
from ..state import State
from .missed import MOST_TURN
from .parts import Deformables
from .strays import FASTER
from .tables import Solver


def steps_often(parts: Deformables, model: Model, state: State, awake: Index, step: float) -> Mask:
    """Which of bodies (n,) take a step in every substep: what goes together with a soft one, or with no cloth, or with
    what is fast for a step [s] of cloth.
    """
    looked, solver = parts.looked, parts.elements.bodies.solver
    cloth, soft = solver == Solver.LEVELS, solver == Solver.FACTOR
    turns = lengths(state.assemblies.angular_velocity) * step > MOST_TURN
    fast = (looked.astray != 0) | (turns & (state.assemblies.motion == Motion.DYNAMIC))
    must = np.concatenate([soft | (looked.thrown_at != 0), fast])
    if not cloth[awake].any() or not (must[awake].any() or fast.any() or not cloth[awake].all()):
        return ~cloth[awake]
    group = _groups(parts, model, state, awake)
    hurried = np.isin(group, group[must])
    return np.asarray(hurried[awake] | ~np.isin(group[awake], group[np.flatnonzero(cloth)]))


def _groups(parts: Deformables, model: Model, state: State, awake: Index) -> Index:
    """A number for each of all bodies and assemblies (B + A,): the same for those of these bodies (n,), and what is
    beside them, that go together in the interval.
    """
    e, asm, bodies = parts.elements, state.assemblies, len(parts.elements.bodies.solver)
    moves = (asm.alive == 1) & (asm.motion == Motion.DYNAMIC)
    box, slot = _boxes(parts, model), np.flatnonzero(moves)
    center, far = asm.position[slot], _reach(parts, model, state)[slot]
    links = [_of_ties(parts, state, moves), _of_contacts(model, state, moves) + bodies]
    for place, b in enumerate(awake):
        other = awake[place + 1 :]
        near = e.meets[b, other].astype(bool) & (box[other, 0] <= box[b, 1]).all(axis=1)
        near &= (box[other, 1] >= box[b, 0]).all(axis=1)
        apart = lengths(np.clip(center, box[b, 0], box[b, 1]) - center)
        beside = np.concatenate([other[near], bodies + slot[apart <= far]])
        links.append(np.stack([np.full(len(beside), b), beside], axis=1))
    pair, count = np.concatenate(links), bodies + len(moves)
    graph = coo_matrix((np.ones(len(pair), np.int8), (pair[:, 0], pair[:, 1])), shape=(count, count))
    return np.asarray(connected_components(graph, directed=False)[1])


def _boxes(parts: Deformables, model: Model) -> Array:
    """Boxes (B, 2, 3) [m] round bodies and where their points may come in an interval, as nearby.find_nearby has it."""
    e, span, first = parts.elements, model.settings.interval, parts.elements.bodies.first[:-1]
    points, x = e.points, parts.vertices.position
    gain = np.maximum.reduceat(np.abs(parts.scratch.acceleration).max(axis=1), first)
    gain += FASTER + float(np.linalg.norm(model.settings.gravity))
    fast = np.maximum.reduceat(lengths(parts.vertices.velocity), first)
    thick = np.maximum.reduceat(np.maximum(points.radius + points.reach, points.ball), points.first[:-1])
    far = (thick + span * (fast + gain * span) + parts.looked.wider)[:, None]
    return np.stack([np.fmin.reduceat(x, first) - far, np.fmax.reduceat(x, first) + far], axis=1)


def _reach(parts: Deformables, model: Model, state: State) -> Array:
    """How far from their centres assemblies may come in an interval (A,) [m]."""
    asm = state.assemblies
    speed = lengths(asm.velocity) + lengths(asm.angular_velocity) * asm.radius
    return np.asarray(asm.radius + model.settings.interval * np.maximum(speed, parts.looked.faster))


def _of_ties(parts: Deformables, state: State, moves: Mask) -> Index:
    """Bodies that ties join with each other, or with assemblies, numbered after them (n, 2)."""
    ties, of = parts.elements.ties, parts.elements.vertices.body
    holds = (state.vertex_tie_broken == 0) & (ties.idle == 0)
    slot = np.append(state.piece_assembly, len(moves) - 1)[ties.piece[holds]]  # the world as what never moves
    on_slot = np.where(moves[slot], len(parts.looked.seen) + slot, -1)
    end = np.where(ties.vertex[holds] >= 0, of[ties.vertex[holds]], on_slot)
    return np.asarray(end[(end >= 0).all(axis=1)], np.int64)


def _of_contacts(model: Model, state: State, moves: Mask) -> Index:
    """Assemblies that were near each other in the last interval (n, 2)."""
    cache = state.contact_cache
    shapes = np.stack([cache.shape_a, cache.shape_b], axis=1)[cache.shape_b != GROUND]
    pair = state.piece_assembly[model.hulls.piece[shapes]]
    return np.asarray(pair[moves[pair].all(axis=1)], np.int64)
