"""Seams of all deformable bodies as one table."""

from __future__ import annotations

import numpy as np
from scipy import sparse
from scipy.sparse.csgraph import connected_components

from ....arrays import Array, Index
from ....document import AnchorEffect, Shot
from ....falloff import EvaluationContext
from ....fields import EFFECTS, SEAMS, EffectContext
from ....fields.base import among
from ....fields.samples import at_rest
from ....timeline.channels import shared_at
from ...deformable.model import Seams
from ..pieces import tier_chunks
from .part import Part, PartSeams, concatenate, offsets

NONE = PartSeams(
    np.zeros((0, 2), np.int32),
    np.zeros(0),
    np.zeros(0),
    np.zeros(0, np.uint8),
    np.zeros((1, 4), np.int32),
    np.zeros((0, 2), np.int32),
    np.zeros(0, np.int32),
    np.zeros((0, 2), np.int32),
    np.zeros(0, np.int32),
    np.zeros((0, 2), np.int32),
    np.zeros((0, 3)),
    np.zeros((0, 3)),
    np.zeros((0, 3, 3)),
)
"""Of a body that is one piece."""


def seams_of(shot: Shot, use: list[int], parts: list[Part], first: Index) -> Seams:
    """Seams of all parts, with what fields add to their strength; use: bodies; first (B + 1,): vertices of each."""
    own = [p.seams or NONE for p in parts]
    count = [len(s.strength) for s in own]
    seam, piece = offsets(count), offsets([len(s.path) for s in own])
    triangle, segment = offsets([len(p.triangle) for p in parts]), offsets([len(p.segment) for p in parts])
    element = np.where([len(p.triangle) > 0 for p in parts], triangle[:-1], segment[:-1])

    def placed(pick: str, shift: Index, width: tuple[int, ...] = ()) -> Index:
        found = [getattr(s, pick).astype(np.int64) + k for s, k in zip(own, shift, strict=False)]
        return np.concatenate([np.zeros((0, *width), np.int64), *found]).astype(np.int32)

    edge = [np.where(s.edge >= 0, s.edge + k, -1) for s, k in zip(own, first, strict=False)]
    paths = np.repeat(np.arange(len(parts)), [len(s.path) for s in own])
    center = concatenate([s.center for s in own], (3,))
    body = np.repeat(np.arange(len(parts), dtype=np.int32), count)
    strength = concatenate([s.strength for s in own]) * _strengthened(shot, use, body, center)
    return Seams(
        body,
        placed("piece", piece, (2,)),
        strength,
        concatenate([s.size for s in own]),
        np.concatenate([np.zeros(0, np.uint8), *(s.tier for s in own)]),
        tier_chunks([s.path for s in own], paths),
        center,
        placed("link", first, (2,)),
        placed("of", seam),
        placed("element", element, (2,)),
        placed("at", seam),
        np.concatenate([np.zeros((0, 2), np.int64), *edge]).astype(np.int32),
        concatenate([s.normal for s in own], (3,)),
        concatenate([s.second_moment for s in own], (3, 3)),
        placed("cube", offsets([len(p.tets) for p in parts])),
        placed("near", seam),
        concatenate([s.share for s in own]),
    )


def pieces_of(seams: Seams, parts: list[Part], first: Index) -> Index:
    """The piece of every vertex (N,) int32, by elements; numbered as seams have it, and further for bodies without."""
    count, pairs = int(first[-1]), [np.zeros((0, 2), np.int64)]
    for part, k in zip(parts, first, strict=False):
        for element in (part.triangle, part.segment, part.tets.reshape(-1, 4)):
            pairs += [element[:, [0, c]].astype(np.int64) + k for c in range(1, element.shape[1])]
    joined = np.concatenate(pairs)
    graph = sparse.coo_matrix((np.ones(len(joined), np.int8), tuple(joined.T)), shape=(count, count))
    label = connected_components(graph, directed=False)[1]
    number = len(seams.chunks) + np.arange(label.max(initial=-1) + 1)
    for side in range(2):
        number[label[seams.link[:, side]]] = seams.piece[seams.of, side]
    return np.asarray(number[label], np.int32)


def _strengthened(shot: Shot, use: list[int], body: Index, center: Array) -> Array:
    """By how much anchors strengthen seams (Q,), at their places (Q, 3) [m]."""
    out = np.ones(len(body))
    evaluation = EvaluationContext(fps=float(shot.timing.fps), shared=shared_at(shot.falloffs, 0.0))
    names = [shot.bodies[b].column for b in use]
    for item in shot.fields:
        if item.on and isinstance(item.effect, AnchorEffect) and len(body):
            targets = among(item.targets, names)[body]
            factor = EFFECTS["anchor"].strength_factor(item, EffectContext(at_rest(SEAMS, center), targets, evaluation))
            out = out if factor is None else out * factor
    return out
