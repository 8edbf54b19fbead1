"""What stands in another body at the opening pose, and how deep."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..arrays import Array, Index
from ..document import Body, Shot
from ..fracture.pieces import Pieces
from ..geometry.rotations import rotation_matrix
from ..solve.collision import HullShop
from ..solve.rigid.hull_overlap import penetration
from ..solve.rigid.hulls import Hull

WORTH_SAYING = 0.02
"""Overlap at the opening pose that is reported, as a share of the smaller piece's size."""
MOST_PAIRS = 4000
"""Pairs of shapes looked at closely between two bodies, those whose bounds share most first."""


@dataclass(frozen=True)
class Overlap:
    """The deepest overlap of two bodies: depth [m], and the pieces of each that meet there."""

    first: str
    second: str
    depth: float
    pieces: tuple[int, int]


@dataclass(frozen=True)
class _Standing:
    """A body's shapes in the world: hulls, the piece of each, bounds (S, 3), and the pieces' sizes (P,)."""

    hulls: list[Hull]
    owner: Index
    lo: Array
    hi: Array
    size: Array


def overlaps(shot: Shot, built: list[Pieces], shop: HullShop) -> list[Overlap]:
    """Deepest overlap between every two bodies that may touch and of which one can move; exact bodies are left out.

    shot : written out; built : the pieces of its bodies
    """
    apart = {frozenset((t.body, t.to)) for t in shot.ties if t.on and t.to and not t.collide}
    rough = [_bounds(body, pieces) for body, pieces in zip(shot.bodies, built, strict=True)]
    lo, hi = (np.array([r[k] for r in rough]).reshape(-1, 3) for k in (0, 1))
    standing: dict[int, _Standing] = {}

    def at(index: int) -> _Standing:
        if index not in standing:
            standing[index] = _stand(shot, built, index, shop)
        return standing[index]

    out: list[Overlap] = []
    order = np.argsort(lo[:, 0], kind="stable")
    for row, i in enumerate(order):
        for j in order[row + 1 :]:
            if lo[j, 0] > hi[i, 0]:
                break
            x, y = shot.bodies[min(i, j)], shot.bodies[max(i, j)]
            if (
                (lo[j] > hi[i]).any()
                or (lo[i] > hi[j]).any()
                or "active" not in (x.role, y.role)
                or "exact" in (x.collision, y.collision)
                or frozenset((x.name, y.name)) in apart
            ):
                continue
            found = _deepest(at(min(i, j)), at(max(i, j)))
            if found is not None:
                out.append(Overlap(x.name, y.name, *found))
    return sorted(out, key=lambda o: -o.depth)


def _bounds(body: Body, pieces: Pieces) -> tuple[Array, Array]:
    at = pieces.vertices @ rotation_matrix(body.place.rotation).T + np.asarray(body.place.position)
    return at.min(axis=0), at.max(axis=0)


def _stand(shot: Shot, built: list[Pieces], index: int, shop: HullShop) -> _Standing:
    body, pieces = shot.bodies[index], built[index]
    hulls, owner = shop.of(body, pieces if body.factor == 1.0 else pieces.scaled(1.0 / body.factor))
    middle = pieces.center @ rotation_matrix(body.place.rotation).T + np.asarray(body.place.position)
    placed = [Hull(h.corners + middle[p], h.normals, h.rings, h.radius) for h, p in zip(hulls, owner, strict=True)]
    lo = np.array([h.corners.min(axis=0) - h.radius for h in placed])
    hi = np.array([h.corners.max(axis=0) + h.radius for h in placed])
    return _Standing(placed, np.asarray(owner), lo, hi, np.cbrt(pieces.volume))


def _deepest(a: _Standing, b: _Standing) -> tuple[float, tuple[int, int]] | None:
    """The deepest pair of two bodies that is worth saying."""
    near = np.flatnonzero(((a.hi > b.lo.min(axis=0)) & (a.lo < b.hi.max(axis=0))).all(axis=1))
    pairs: list[tuple[float, int, int]] = []
    for s in near:
        meet = np.flatnonzero(((b.hi > a.lo[s]) & (b.lo < a.hi[s])).all(axis=1))
        room = np.minimum(b.hi[meet], a.hi[s]) - np.maximum(b.lo[meet], a.lo[s])
        pairs.extend((float(r), int(s), int(t)) for r, t in zip(room.min(axis=1), meet, strict=True))
    best: tuple[float, tuple[int, int]] | None = None
    for room, s, t in sorted(pairs, reverse=True)[:MOST_PAIRS]:  # type: ignore[assignment]
        if best is not None and room <= best[0]:
            break  # no pair is deeper than its bounds
        depth = penetration(a.hulls[s], b.hulls[t])
        p, q = int(a.owner[s]), int(b.owner[t])
        if depth > WORTH_SAYING * min(a.size[p], b.size[q]) and (best is None or depth > best[0]):
            best = depth, (p, q)
    return best
