"""Points by which deformable bodies touch, and whom."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import sparse
from scipy.spatial import cKDTree

from ....arrays import Array, Flags, Index, cross, lengths
from ....document import Shot
from ...deformable.tables import Held, PointTable
from .joining import Joined
from .part import Part, carried_by, concatenate, max_sides, offsets

BALL = 0.4
"""Radius of the balls of a surface, as a share of its edges: what is as large cannot slip between them."""
SLIPS, ROPE_SLIPS = 3.0, 6.0
"""Balls slip between others that are apart by more than so many times their radius; ropes lie across several."""
MOST_ON_FACES = 4000
"""Points that are put on the faces of cloth for finer things to meet."""
FLAT = 0.97
"""Faces whose normals have a larger product hardly bend away from each other."""
MOST_BETWEEN = 40
"""Points of a rope between two of its vertices."""


@dataclass(frozen=True)
class Points:
    """Points of a part: vertices (C, 4) and weights (C, 4) that carry them, radius of their balls (C,) [m] among
    themselves, and of those that other bodies meet, the longest edge at each (C,) [m], of its faces (C,) [m], whether
    faces look to the same side where they meet, and how many points come first that meet rigid bodies too.
    """

    vertex: Index
    weight: Array
    ball: Array
    fine: Array
    edge: Array
    reach: Array
    sided: bool = False
    own: int | None = None


def contact_points(
    shot: Shot,
    use: list[int],
    parts: list[Part],
    made: list[Points],
    joined: list[Joined],
    first: Index,
    piece_body: Index,
) -> PointTable:
    """Points of all parts; use: their bodies in the shot; piece_body (P,): of pieces."""
    vertex, weight, radius, ball, fine, edge, reach, held = [], [], [], [], [], [], [], []
    counts: list[int] = []
    face, bent, sided, between = [np.zeros((0, 3), int)], [np.zeros((0, 2), int)], [], [np.zeros(0, bool)]
    solid = [np.zeros(0, bool)]
    tied = [np.zeros(0, int)]
    of = np.full(int(first[-1]), -1, np.int32)
    for part, points, now, k in zip(parts, made, joined, first, strict=False):
        own, share = points.vertex, points.weight
        alone = own[:, 1] < 0
        follows = alone & (now.lead[own[:, 0]] != own[:, 0])
        own = np.where(own >= 0, now.lead[own], -1)
        if part.touch is None:
            of[k : k + len(part.x)] = sum(counts) + np.arange(len(part.x))
            drawn = now.lead[part.drawn_faces]
            own_faces = drawn[~now.gone[drawn].any(axis=1)]
        else:
            there = ~now.gone[now.lead[points.vertex[:, 0]]]
            own_faces = part.outside[there[part.outside].all(axis=1)]
            place = (points.weight[:, :, None] * part.x[points.vertex]).sum(axis=1)
            bent.append(faces_bent_away(place, own_faces) + sum(map(len, face)))
        face.append(own_faces + sum(counts))
        solid.append(np.full(len(own_faces), part.touch is not None))
        vertex.append(np.where(own >= 0, own + k, -1))
        weight.append(share)
        radius.append((share * part.radius[np.maximum(points.vertex, 0)]).sum(axis=1))
        ball.append(points.ball)
        fine.append(points.fine)
        edge.append(points.edge)
        reach.append(points.reach)
        apart = np.arange(len(own)) >= (len(own) if points.own is None else points.own)
        between.append(apart)
        tied.append(np.where(share > 0, part.tied_to[np.maximum(points.vertex, 0)], -1).max(axis=1))
        still = ((now.pinned | now.gone)[np.maximum(own, 0)] | (share == 0)).all(axis=1)
        follows |= now.gone[own[:, 0]]
        sided.append(np.full(len(own), points.sided, np.uint8))
        held.append(np.where(follows, Held.FOLLOWS, np.where(still, Held.STILL, Held.FREE)))
        counts.append(len(own))
    faces = np.concatenate(face)
    turn = (np.argmin(faces, axis=1)[:, None] + np.arange(3)) % 3
    faces = np.take_along_axis(faces, turn, axis=1)
    order = np.argsort(faces[:, 0], kind="stable")
    faces = faces[order].astype(np.int32)
    pairs = np.argsort(order)[np.concatenate(bent)]
    pairs = pairs[np.lexsort((pairs[:, 1], pairs[:, 0]))]
    return PointTable(
        offsets(counts),
        np.concatenate([np.zeros((0, 4), int), *vertex]).astype(np.int32),
        concatenate(weight, (4,)),
        concatenate(radius),
        concatenate(ball),
        concatenate(fine),
        concatenate(edge),
        concatenate(reach),
        np.repeat([shot.bodies[b].material.friction for b in use], counts).astype(float),
        np.concatenate([np.zeros(0, int), *held]).astype(np.uint8),
        of,
        np.concatenate(
            [np.zeros((0, 3), int), *(p.skin + k for p, k in zip(parts, offsets(counts), strict=False))]
        ).astype(np.int32),
        faces,
        np.searchsorted(faces[:, 0], np.arange(sum(counts) + 1)).astype(np.int32),
        np.concatenate(solid)[order].astype(np.uint8),
        np.searchsorted(pairs[:, 0], np.arange(len(faces) + 1)).astype(np.int32),
        np.ascontiguousarray(pairs[:, 1], np.int32),
        np.concatenate([np.zeros(0, np.uint8), *sided]),
        np.concatenate(between).astype(np.uint8),
        np.append(piece_body, -1)[np.concatenate(tied)].astype(np.int32),
    )


def faces_bent_away(x: Array, faces: Index) -> Index:
    """Pairs (n, 2) of faces (F, 3) of a closed surface, seen from outside, that share a corner and bend away from each
    other, both ways round.

    x : (V, 3) float64, [m]; corners join where they are at the same places
    """
    if not len(faces):
        return np.zeros((0, 2), np.int64)
    same = np.unique(x.round(9), axis=0, return_inverse=True)[1].reshape(-1)
    corner = x[faces]
    middle, normal = corner.mean(axis=1), cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    normal /= np.maximum(lengths(normal), 1e-300)[:, None]
    has = sparse.csr_matrix((np.ones(faces.size), (np.repeat(np.arange(len(faces)), 3), same[faces].ravel())))
    f, g = (has @ has.T).nonzero()
    keep = (f != g) & ((normal[f] * normal[g]).sum(axis=1) < FLAT)
    f, g = f[keep], g[keep]
    far = middle[g] - middle[f]
    keep = ((far * normal[f]).sum(axis=1) < 0.0) & ((far * normal[g]).sum(axis=1) > 0.0)
    return np.stack([f[keep], g[keep]], axis=1).astype(np.int64)


def points_of(part: Part, root: Index) -> Points:
    """Points of a body, however it hangs together; root (V,): vertices that lead while nothing is open."""
    n = len(part.x)
    if part.touch is not None:
        own, share = part.touch
        at = (share[:, :, None] * part.x[own]).sum(axis=1)
        place = np.unique(at.round(9), axis=0)  # in a crease there are several at one place
        near = np.asarray(cKDTree(place).query(at, k=min(2, len(place)))[0]).reshape(len(at), -1)[:, -1]
        reach = np.zeros(len(own))
        for k in range(3):
            ends = part.outside[:, [k, k - 2]]
            length = lengths(at[ends[:, 1]] - at[ends[:, 0]])
            np.maximum.at(reach, ends.ravel(), np.repeat(length, 2))
        return Points(own, share, BALL * near, BALL * near, np.zeros(len(own)), reach)
    own, share = np.full((n, 4), -1), np.zeros((n, 4))
    own[:, 0], share[:, 0] = np.arange(n), 1.0
    pairs = np.concatenate([part.triangle[:, [0, 1]], part.triangle[:, [0, 2]], part.triangle[:, [1, 2]], part.segment])
    a, b = root[pairs[:, 0]], root[pairs[:, 1]]
    length = lengths(part.x[b] - part.x[a])
    longest, total, count = np.zeros(n), np.zeros(n), np.zeros(n)
    for end in (a, b):
        np.maximum.at(longest, end, length)
        np.add.at(total, end, length)
        np.add.at(count, end, 1.0)
    longest, total, count = longest[root], total[root], count[root]
    if len(part.triangle):
        ball = np.maximum(BALL * total / np.maximum(count, 1), part.radius)
        return Points(own, share, ball, ball, longest, longest, _one_sided(root[part.drawn_faces]))
    a, b = pairs[:, 0], pairs[:, 1]
    # between the vertices of a rope, so many that nothing slips through
    thick = np.minimum(part.radius[a], part.radius[b])
    more = np.minimum(np.ceil(length / (3.0 * thick)).astype(int) - 1, MOST_BETWEEN)
    which = np.repeat(np.arange(len(more)), np.maximum(more, 0))
    place = np.concatenate([np.zeros(0), *(np.arange(1, k + 1) / (k + 1) for k in more)])
    between, between_share = np.full((len(which), 4), -1), np.zeros((len(which), 4))
    between[:, 0], between[:, 1] = a[which], b[which]
    between_share[:, 0], between_share[:, 1] = 1.0 - place, place
    ball = np.concatenate([part.radius, part.radius[a][which] * (1.0 - place) + part.radius[b][which] * place])
    return Points(
        np.concatenate([own, between]),
        np.concatenate([share, between_share]),
        ball,
        ball,
        np.concatenate([longest, np.zeros(len(which))]),
        np.concatenate([longest, np.zeros(len(which))]),
    )


def finer(points: Points, part: Part, root: Index, most: float) -> Points:
    """Points of a surface with more of them on its faces, so that these are about so far apart [m] at the most: what is
    finer than its mesh meets them, not only its vertices.
    """
    solid = part.touch is not None
    if not solid and not len(part.triangle):
        return points
    faces, at = part.drawn_faces, part.x[root]
    if solid:
        faces, at = part.outside, (points.weight[:, :, None] * part.x[points.vertex]).sum(axis=1)
    corner = at[faces]
    longest = max_sides(corner)
    parts = longest / most
    many = float((0.5 * parts * (parts + 1.0)).sum())
    if many > MOST_ON_FACES:
        parts *= np.sqrt(MOST_ON_FACES / many)
    steps = np.maximum(np.round(parts).astype(int), 1)
    if steps.max(initial=1) == 1:
        return points
    vertex, share = [], []
    for count in np.unique(steps[steps > 1]):
        i, j = (k.ravel() for k in np.meshgrid(np.arange(count + 1), np.arange(count + 1), indexing="ij"))
        inside = (i + j <= count) & (np.maximum(np.maximum(i, j), count - i - j) < count)
        weight = np.stack([i, j, count - i - j], axis=1)[inside] / count
        own = faces[steps == count]
        vertex.append(np.repeat(own, len(weight), axis=0))
        share.append(np.tile(weight, (len(own), 1)))
    carrier, weight = np.concatenate(vertex), np.concatenate(share)
    place = (weight[:, :, None] * at[carrier]).sum(axis=1)
    once = np.unique(place.round(9), axis=0, return_index=True)[1]  # those of sides are of both faces
    carrier, weight, place = carrier[once], weight[once], place[once]
    none = np.zeros(len(once))
    thick = none if solid else (weight * part.radius[carrier]).sum(axis=1)
    if solid:
        new = carried_by(points.vertex[carrier], part.x, place)
    else:
        new = np.column_stack([carrier, np.full(len(once), -1)]), np.column_stack([weight, none])
    size = BALL * float((longest / steps).max())
    least = np.zeros(len(points.ball)) if solid else part.radius
    return Points(
        np.concatenate([points.vertex, new[0]]),
        np.concatenate([points.weight, new[1]]),
        np.concatenate([points.ball, np.maximum(size, thick)]),
        np.concatenate([np.maximum(np.minimum(points.ball, size), least), np.maximum(size, thick)]),
        np.concatenate([points.edge, none]),
        np.concatenate([points.reach, none]),
        points.sided,
        len(points.ball),
    )


def finest_beside(made: list[Points], parts: list[Part], meets: Flags) -> list[float]:
    """For each body how far its points may be apart [m] for the finest of those it meets (B, B) not to slip between."""
    slips = [ROPE_SLIPS if len(part.segment) else SLIPS for part in parts]
    size = np.array([s * np.quantile(p.ball, 0.1) if len(p.ball) else np.inf for p, s in zip(made, slips, strict=True)])
    other = meets.astype(bool) & ~np.eye(len(made), dtype=bool)
    return [float(size[row].min(initial=np.inf)) for row in other]


def _one_sided(faces: Index) -> bool:
    """Whether faces (F, 3) that share an edge go through it in opposite directions."""
    ways = faces[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
    return len(np.unique(ways, axis=0)) == len(ways)


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
