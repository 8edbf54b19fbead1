"""What bodies collide as: the hulls of their pieces."""

from __future__ import annotations

import numpy as np
from scipy.spatial import ConvexHull, QhullError

from ..arrays import Array, lengths
from ..document import Body, FacesPattern, SphereShape
from ..errors import GeometryError
from ..fracture.build import Resolve, content_key, convex_cells, shape_mesh
from ..fracture.pieces import Pieces
from ..geometry.mesh import TriMesh, triangle_normals
from ..geometry.rotations import rotation_matrix
from .model import Hulls
from .rigid.hull_overlap import deeper_than
from .rigid.hulls import Hull, ball, convex_core

WHOLE_BODY_PARTS = 24
"""A whole body that is not convex collides as the hulls of about this many cells."""
FEWER_PARTS = 6
"""And a piece of a broken one, where asked for, as this many."""


CONVEX_WITHIN = 1.03
"""A piece counts as convex where its hull has no more than so many times its volume."""
CONVEX_WHOLE = 1.0001
"""And a whole body's pieces, where its hull has no more than so many times theirs."""
OPENING_OVERLAP = 0.005, 0.05
"""How deep the hull of a broken body's piece may stand in those of its neighbours before it is taken as several: [m],
and as a share of its size.
"""
PARTS = (4, 8, 16, 32)
"""As the hulls of so many cells: the fewest that keep to it, or the most."""


def _body_hulls(body: Body, pieces: Pieces, resolve: Resolve) -> tuple[list[Hull], list[int]]:
    """Collision hulls relative to each piece's centre of mass, in the body's own frame before its size in a group, and
    the piece each belongs to. ``pieces`` at that same size.
    """
    if body.collision == "exact":
        meshes = [pieces.mesh(p) for p in range(pieces.count)]
        return [
            Hull(c, n[None], [np.arange(3)], 0.0)
            for p, m in enumerate(meshes)
            for c, n in zip(m.vertices[m.faces] - pieces.center[p], triangle_normals(m)[0], strict=True)
        ], [p for p, m in enumerate(meshes) for _ in m.faces]
    if (
        body.collision in ("auto", "ball")
        and isinstance(body.shape, SphereShape)
        and body.pattern is None
        and not body.steps
        and np.ptp(body.place.scale) < 1e-9
    ):
        return [ball(np.zeros(3), body.shape.radius * body.place.scale[0])], [0]
    by_piece: list[list[Hull]] = []
    for p in range(pieces.count):
        points = pieces.mesh(p).vertices - pieces.center[p]
        try:
            parts = _piece_hulls(body, p, points, pieces, resolve)
        except ValueError as exc:
            raise GeometryError(
                f"piece {p} of {body.name} has no usable collision shape: {exc}", where=body.name
            ) from None
        by_piece.append(parts)
    if body.collision == "auto" and pieces.count > 1 and not isinstance(body.pattern, FacesPattern):
        _part_where_deep(by_piece, pieces, body.name)
    return [h for own in by_piece for h in own], [p for p, own in enumerate(by_piece) for _ in own]


def _part_where_deep(by_piece: list[list[Hull]], pieces: Pieces, name: str) -> None:
    """Takes pieces that are not convex as several hulls, in place, where one would stand deep in its neighbours."""
    if ConvexHull(pieces.vertices).volume <= CONVEX_WHOLE * pieces.volume.sum():
        return
    lo, hi = np.zeros((pieces.count, 3)), np.zeros((pieces.count, 3))
    bent = []
    for p in range(pieces.count):
        points = pieces.mesh(p).vertices
        lo[p], hi[p] = points.min(axis=0), points.max(axis=0)
        if ConvexHull(points).volume > CONVEX_WITHIN * pieces.volume[p]:
            bent.append(p)
    for p in bent:
        near = np.flatnonzero(((lo < hi[p]) & (hi > lo[p])).all(axis=1))
        others = [_moved(h, pieces.center[q] - pieces.center[p]) for q in near if q != p for h in by_piece[q]]
        most = min(OPENING_OVERLAP[0], OPENING_OVERLAP[1] * float(pieces.size[p]))
        if not any(deeper_than(most, h, other) for h in by_piece[p] for other in others):
            continue
        for count in PARTS:
            try:
                by_piece[p] = _hulls_of_cells(pieces.mesh(p), count, pieces.center[p], name)
            except (GeometryError, ValueError):  # it cannot be cut so, or a cell is flat: what there is must do
                break
            if not any(deeper_than(most, h, other) for h in by_piece[p] for other in others):
                break


def _moved(hull: Hull, by: Array) -> Hull:
    return Hull(hull.corners + by, hull.normals, hull.rings, hull.radius)


def _piece_hulls(body: Body, p: int, points: Array, pieces: Pieces, resolve: Resolve) -> list[Hull]:
    """What piece p collides as; points (n, 3) its corners from its centre of mass."""
    lo, hi = points.min(axis=0), points.max(axis=0)
    if body.collision == "ball":
        return [ball(0.5 * (lo + hi), 0.5 * float((hi - lo).max()))]
    if body.collision == "box":
        return [
            convex_core(np.array([[x, y, z] for x in (lo[0], hi[0]) for y in (lo[1], hi[1]) for z in (lo[2], hi[2])]))
        ]
    if body.collision == "parts" or (body.collision == "auto" and body.pattern is None):
        return _convex_parts(body, p, points, pieces, resolve)
    return [convex_core(points)]


def _convex_parts(body: Body, p: int, points: Array, pieces: Pieces, resolve: Resolve) -> list[Hull]:
    """One hull for a convex piece, several for a hollow or bent one."""
    try:
        full = ConvexHull(points).volume
    except QhullError as exc:
        raise ValueError("it is flat") from exc
    if full <= CONVEX_WITHIN * pieces.volume[p]:
        return [convex_core(points)]
    whole = pieces.count == 1
    mesh = shape_mesh(body, resolve) if whole else pieces.mesh(p)
    return _hulls_of_cells(mesh, WHOLE_BODY_PARTS if whole else FEWER_PARTS, pieces.center[p], body.name)


def _hulls_of_cells(mesh: TriMesh, count: int, center: Array, name: str) -> list[Hull]:
    """Hulls of about so many cells of a mesh, from a centre (3,) [m]."""
    cells = convex_cells(mesh, count, 7, name)
    return [convex_core(cells.mesh(k).vertices - center) for k in range(cells.count)]


class HullShop:
    """Makes the hulls of each different body once; members of a group share them, and so do callers that share the
    shop, which keeps the last ``most``.
    """

    def __init__(self, resolve: Resolve, most: int = 1_000_000) -> None:
        self.resolve = resolve
        self._most = most
        self._made: dict[tuple[str, str], tuple[list[Hull], list[int]]] = {}

    def of(self, body: Body, pieces: Pieces) -> tuple[list[Hull], list[int]]:
        """Hulls in world axes at the body's true size; ``pieces`` before its size in a group."""
        key = (content_key(body), body.collision)
        if key not in self._made:
            self._made[key] = _body_hulls(body, pieces, self.resolve)
            while len(self._made) > self._most:
                self._made.pop(next(iter(self._made)))
        hulls, owner = self._made[key]
        turn, f = rotation_matrix(body.place.rotation), body.factor
        return [
            Hull(f * (x.corners @ turn.T), x.normals @ turn.T if len(x.normals) else x.normals, x.rings, f * x.radius)
            for x in hulls
        ], owner


def pack_hulls(hulls: list[Hull], owner: list[int]) -> Hulls:
    """Hulls as arrays; ``owner``: the piece of each."""
    vertex_start = np.cumsum([0] + [len(h.corners) for h in hulls])
    rings = [ring + vertex_start[k] for k, h in enumerate(hulls) for ring in h.rings]
    bound = [lengths(h.corners).max() + h.radius for h in hulls]
    vertices = np.concatenate([np.zeros((0, 3)), *(h.corners for h in hulls)])
    normals = np.concatenate([np.zeros((0, 3)), *(h.normals.reshape(-1, 3) for h in hulls)])
    return Hulls(
        np.array(owner, np.int32),
        np.array([h.radius for h in hulls], float),
        np.array(bound, float),
        vertex_start.astype(np.int32),
        np.ascontiguousarray(vertices),
        np.cumsum([0] + [len(h.normals) for h in hulls]).astype(np.int32),
        np.ascontiguousarray(normals),
        np.cumsum([0] + [len(r) for r in rings]).astype(np.int32),
        np.concatenate(rings).astype(np.int32) if rings else np.zeros(0, np.int32),
    )


def outlines(hulls: list[Hull], rounds: int = 24) -> Array:
    """Edges of the collision surface, segments (N, 6) from point to point, in the frame of the hulls; balls as three
    circles.
    """
    parts: list[Array] = [np.zeros((0, 6))]
    turn = np.linspace(0, 2 * np.pi, rounds + 1)
    for hull in hulls:
        if len(hull.corners) == 1:
            circle = hull.radius * np.stack([np.cos(turn), np.sin(turn), np.zeros_like(turn)], axis=1)
            for k in range(3):
                line = hull.corners[0] + np.roll(circle, k, axis=1)
                parts.append(np.concatenate([line[:-1], line[1:]], axis=1))
            continue
        for normal, ring in zip(hull.normals, hull.rings, strict=True):
            line = hull.corners[np.append(ring, ring[0])] + hull.radius * normal
            parts.append(np.concatenate([line[:-1], line[1:]], axis=1))
    return np.concatenate(parts)
