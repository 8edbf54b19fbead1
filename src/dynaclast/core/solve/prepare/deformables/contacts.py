"""Points by which deformable bodies touch, and whom."""

from __future__ import annotations

import numpy as np
from scipy.spatial import cKDTree

from ....arrays import Array, Flags, Index
from ....document import Shot
from ...deformable.tables import PointTable
from .part import Part, concatenate, offsets

BALL = 0.4
"""Radius of the balls of a surface, as a share of its edges: what is as large cannot slip between them."""
MOST_BETWEEN = 40
"""Points of a rope between two of its vertices."""


def contact_points(shot: Shot, use: list[int], parts: list[Part], first: Index) -> PointTable:
    """Points of all parts; use: their bodies in the shot."""
    vertex, weight, radius, ball, edge, held = [], [], [], [], [], []
    counts: list[int] = []
    of = np.full(int(first[-1]), -1, np.int32)
    for part, k in zip(parts, first, strict=False):
        own, share, size, longest = _points_of(part)
        if part.touch is None:
            of[k : k + len(part.x)] = sum(counts) + np.arange(len(part.x))
        vertex.append(np.where(own >= 0, own + k, -1))
        weight.append(share)
        radius.append(np.full(len(own), part.radius))
        ball.append(size)
        edge.append(longest)
        held.append((part.pinned[np.maximum(own, 0)] | (share == 0)).all(axis=1))
        counts.append(len(own))
    return PointTable(
        offsets(counts),
        np.concatenate([np.zeros((0, 4), int), *vertex]).astype(np.int32),
        concatenate(weight, (4,)),
        concatenate(radius),
        concatenate(ball),
        concatenate(edge),
        np.repeat([shot.bodies[b].material.friction for b in use], counts).astype(float),
        np.concatenate([np.zeros(0, bool), *held]).astype(np.uint8),
        of,
    )


def _points_of(part: Part) -> tuple[Index, Array, Array, Array]:
    """Points of a body: vertices (C, 4) and weights (C, 4) that carry them, radius of their balls (C,) [m], and the
    longest edge at each (C,) [m].
    """
    n = len(part.x)
    if part.touch is not None:
        own, share = part.touch
        at = (share[:, :, None] * part.x[own]).sum(axis=1)
        near = np.asarray(cKDTree(at).query(at, k=min(2, len(at)))[0]).reshape(len(at), -1)[:, -1]
        return own, share, BALL * near, np.zeros(len(own))
    own, share = np.full((n, 4), -1), np.zeros((n, 4))
    own[:, 0], share[:, 0] = np.arange(n), 1.0
    a, b = part.pairs[:, 0], part.pairs[:, 1]
    length = np.linalg.norm(part.x[b] - part.x[a], axis=1)
    longest, total, count = np.zeros(n), np.zeros(n), np.zeros(n)
    for end in (a, b):
        np.maximum.at(longest, end, length)
        np.add.at(total, end, length)
        np.add.at(count, end, 1.0)
    if len(part.triangle):
        return own, share, np.maximum(BALL * total / np.maximum(count, 1), part.radius), longest
    # between the vertices of a rope, so many that nothing slips through
    more = np.minimum(np.ceil(length / (3.0 * part.radius)).astype(int) - 1, MOST_BETWEEN)
    which = np.repeat(np.arange(len(more)), np.maximum(more, 0))
    place = np.concatenate([np.zeros(0), *(np.arange(1, k + 1) / (k + 1) for k in more)])
    between, between_share = np.full((len(which), 4), -1), np.zeros((len(which), 4))
    between[:, 0], between[:, 1] = a[which], b[which]
    between_share[:, 0], between_share[:, 1] = 1.0 - place, place
    total_count = n + len(which)
    return (
        np.concatenate([own, between]),
        np.concatenate([share, between_share]),
        np.full(total_count, part.radius),
        np.concatenate([longest, np.zeros(len(which))]),
    )


def collisions(shot: Shot, use: list[int]) -> tuple[Flags, Flags]:
    """Which deformable bodies touch which bodies of the shot (B, bodies), and each other (B, B): not those a tie joins,
    unless it says so.
    """
    out = np.ones((len(use), len(shot.bodies)), np.uint8)
    number = {body.name: b for b, body in enumerate(shot.bodies)}
    place = {b: k for k, b in enumerate(use)}
    for tie in shot.ties:
        if tie.on and tie.to is not None and not tie.collide:
            for one, other in ((number[tie.body], number[tie.to]), (number[tie.to], number[tie.body])):
                if one in place:
                    out[place[one], other] = 0
    meets = out[:, use].copy() if use else np.zeros((0, 0), np.uint8)
    for k, b in enumerate(use):
        meets[k, k] = getattr(shot.bodies[b].matter, "folds", True)
    return out, meets
