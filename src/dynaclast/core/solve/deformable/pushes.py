"""What deformable bodies do to pieces and to the ground in an interval: pushes, and which of them are hits."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Index, Mask, cross, lengths, sums
from ..frame import piece_positions
from ..model import GROUND, Model, Motion
from ..rigid.constraints import IMPACT_SPEED
from ..state import NOTHING, State
from .model import DeformableModel
from .parts import Deformables


class Before(NamedTuple):
    """Speeds at the start of an interval [m/s], [rad/s].

    body    : (B, 3) float64, of deformable bodies as a whole
    linear  : (A, 3) float64, of assemblies; angular (A, 3) float64
    """

    body: Array
    linear: Array
    angular: Array


class Pushes(NamedTuple):
    """What each deformable body did to each piece it touched, over an interval. M pairs, by body and piece.

    body   : (M,) int64, deformable
    piece  : (M,) int64, or GROUND
    force  : (M, 3) float64, [N], on the piece, the mean of the interval
    place  : (M, 3) float64, [m], the middle of it
    speed  : (M,) float64, [m/s], at which they met, along the force; characteristic (M,) float64, [m/s]
    """

    body: Index
    piece: Index
    force: Array
    place: Array
    speed: Array
    characteristic: Array

    def faster_than(self, share: float) -> Mask:
        """Hits (M,) bool: those that met faster than this share of their characteristic speed."""
        return self.speed > share * self.characteristic


class Sizes(NamedTuple):
    """What of pieces and deformable bodies never changes.

    piece  : (S + 1,) int64, of each shape; GROUND in the last place
    piece_size : (P + 1,) float64, [m]; without end in the last place
    body   : (B,) float64, [m], how large deformable bodies are at rest, along the longest of the axes
    """

    piece: Index
    piece_size: Array
    body: Array


def sizes_of(table: DeformableModel, model: Model) -> Sizes:
    first, x = table.elements.bodies.first[:-1], table.elements.vertices.rest
    size = np.maximum.reduceat(x, first) - np.minimum.reduceat(x, first)
    piece = np.append(model.hulls.piece, GROUND).astype(np.int64)
    return Sizes(piece, np.append(model.pieces.size, np.inf), size.max(axis=1))


def make_before(bodies: int, slots: int) -> Before:
    return Before(*(np.zeros((n, 3)) for n in (bodies, slots, slots)))


def pushes(parts: Deformables, model: Model, state: State, then: Before, sizes: Sizes) -> Pushes:
    """What was done in the interval just solved."""
    touches, points, interval = parts.scratch.touches, parts.elements.points, model.settings.interval
    at = np.flatnonzero(touches.on != NOTHING)
    if not len(at):
        none, zero = np.zeros(0, np.int64), np.zeros(0)
        return Pushes(none, none, np.zeros((0, 3)), np.zeros((0, 3)), zero, zero)
    piece = sizes.piece[touches.on[at]]
    body = parts.elements.vertices.body[points.vertex[at, 0]].astype(np.int64)
    pairs, of = np.unique(body * (model.piece_count + 1) + piece + 1, return_inverse=True)
    count = len(pairs)
    body, piece = np.divmod(pairs, model.piece_count + 1)
    piece -= 1
    push = touches.push[at] / interval
    size = lengths(push) + 1e-300
    force = -sums(push, of, count)
    place = sums(size[:, None] * parts.scratch.point[at], of, count) / np.bincount(of, size, count)[:, None]
    slot = state.piece_assembly[np.maximum(piece, 0)] if model.piece_count else np.zeros(count, np.int64)
    moves = (piece >= 0) & (state.assemblies.motion[slot] != Motion.FIXED)
    arm = place - state.assemblies.position[slot]
    own = np.where(moves[:, None], then.linear[slot] + cross(then.angular[slot], arm), 0.0)
    along = force / np.maximum(lengths(force), 1e-300)[:, None]
    g = max(float(np.linalg.norm(model.settings.gravity)), 1.0)
    smaller = np.where(piece >= 0, sizes.piece_size[piece], sizes.body[body])
    speed = ((then.body[body] - own) * along).sum(axis=1)
    return Pushes(body, piece, force, place, speed, np.sqrt(g * smaller))


def keep_steady(parts: Deformables, was_awake: Index, model: Model, state: State, found: Pushes, sizes: Sizes) -> None:
    """Keep in the state what presses and pulls on pieces without a hit, of bodies (n,) that were awake."""
    touches, points, interval = parts.scratch.touches, parts.elements.points, model.settings.interval
    hit = found.faster_than(IMPACT_SPEED)
    struck = np.zeros((0, 2), np.int64) if not hit.any() else np.stack([found.body[hit], found.piece[hit]], axis=1)
    awake = np.zeros(len(points.first) - 1, bool)
    awake[was_awake] = True
    new = np.repeat(awake, np.diff(points.first))
    state.touching.push[new], state.touching.on[new] = touches.push[new] / interval, touches.on[new]
    for b, piece in struck[awake[struck[:, 0]]]:
        own = slice(points.first[b], points.first[b + 1])
        on = state.touching.on[own]
        there = sizes.piece[np.maximum(on, GROUND)] == piece
        state.touching.push[own][there & (on != NOTHING)] = 0.0
    ties = parts.elements.ties
    if not len(ties.strength):
        return
    pulls = awake[parts.elements.vertices.body[ties.vertex.max(axis=1)]]
    state.vertex_tie_pull[pulls] = touches.pull[pulls] / interval
    state.vertex_tie_pull[state.vertex_tie_broken != 0] = 0.0


def add_pushes(table: DeformableModel, model: Model, state: State, force: Array, torque: Array) -> None:
    """Add what deformable bodies press and pull steadily on pieces with to forces (P, 3) [N], and torques (P, 3) [N m]
    about the pieces' centres.
    """
    points, ties, x = table.elements.points, table.elements.ties, state.vertices.position
    at = np.flatnonzero((state.touching.on >= 0) & (state.touching.push != 0.0).any(axis=1))
    vertex = points.vertex[at]
    place = (x[np.maximum(vertex, 0)] * np.where(vertex >= 0, points.weight[at], 0.0)[:, :, None]).sum(axis=1)
    found = [(model.hulls.piece[state.touching.on[at]].astype(np.int64), place, -state.touching.push[at])]
    end = ties.piece.max(axis=1)  # the other end is a vertex
    held = np.flatnonzero((end >= 0) & (state.vertex_tie_pull != 0.0).any(axis=1))
    found.append((end[held].astype(np.int64), x[ties.vertex[held].max(axis=1)], -state.vertex_tie_pull[held]))
    center = piece_positions(model, state)
    for piece, where, push in found:
        force += sums(push, piece, model.piece_count)
        torque += sums(cross(where - center[piece], push), piece, model.piece_count)


def struck_pieces(found: Pushes, table: DeformableModel) -> tuple[Index, Array, Index]:
    """Hits on pieces: the piece, the force [N], and the body of the shot that hit, of each."""
    hit = found.faster_than(IMPACT_SPEED) & (found.piece >= 0)
    return found.piece[hit], lengths(found.force[hit]), table.body[found.body[hit]].astype(np.int64)
