"""From a shot document to a Model and its opening State."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ..document import Body, ReleaseCue, ReleaseTouch, Shot, SphereShape
from ..errors import GeometryError, InputError
from ..fields import EFFECTS, Setting, Targets
from ..fracture.bonds import bond_strengths, bonds_cut, placed
from ..fracture.build import Resolve, build_pieces, content_key, convex_cells, no_files, shape_mesh
from ..fracture.pieces import Pieces
from ..geometry.mesh import Array, Index, rotation_matrix
from ..layout import written_out
from .model import HOLD_CUE, HOLD_FIXED, HOLD_FREE, HOLD_TOUCH, Hulls, Model, PieceTable, Release, Settings, bond_table
from .rigid.assemblies import first_assemblies
from .rigid.hulls import Hull, ball, convex_core
from .state import State

GetPieces = Callable[[Body], Pieces]
"""Gives a body's pieces; callers that keep built pieces hand in their own."""

QUALITY: dict[str, tuple[int, int]] = {"draft": (1, 12), "standard": (2, 8), "fine": (4, 8)}
"""Contact searches a frame, and substeps per search, at 24 frames a second (scaled for others)."""

WHOLE_BODY_PARTS = 24
"""A whole body that is not convex collides as the hulls of about this many cells."""


@dataclass(frozen=True)
class Prepared:
    """What ``prepare`` hands on: the shot with its groups written out, the model, the opening state, and each body's pieces."""

    shot: Shot
    model: Model
    state: State
    pieces: list[Pieces]


def intervals(quality: str, fps: float) -> tuple[int, int]:
    """Contact searches per frame and substeps per search, so that steps last about as long at any frame rate."""
    searches, substeps = QUALITY[quality]
    per_second = searches * 24.0
    return max(1, round(per_second / fps)), substeps if fps <= per_second else max(2, round(substeps * per_second / fps))


def _body_hulls(body: Body, pieces: Pieces, resolve: Resolve) -> tuple[list[Hull], list[int]]:
    """Collision hulls relative to each piece's centre of mass, in the body's own frame before its size in a group, and the piece
    each belongs to. ``pieces`` at that same size."""
    if isinstance(body.shape, SphereShape) and body.pattern is None and not body.steps and np.ptp(body.place.scale) < 1e-9:
        return [ball(np.zeros(3), body.shape.radius * body.place.scale[0])], [0]
    hulls: list[Hull] = []
    owner: list[int] = []
    for p in range(pieces.count):
        points = pieces.mesh(p).vertices - pieces.center[p]
        try:
            if body.pattern is None:
                parts = _convex_parts(body, points, pieces, resolve)
            else:
                parts = [convex_core(points)]
        except ValueError as exc:
            raise GeometryError(f"piece {p} of {body.name} has no usable collision shape: {exc}", where=body.name) from None
        hulls.extend(parts)
        owner.extend([p] * len(parts))
    return hulls, owner


def _convex_parts(body: Body, points: Array, pieces: Pieces, resolve: Resolve) -> list[Hull]:
    """One hull for a convex whole body, several for a hollow or bent one."""
    from scipy.spatial import ConvexHull, QhullError

    try:
        full = ConvexHull(points).volume
    except QhullError as exc:
        raise ValueError("it is flat") from exc
    if full <= 1.03 * pieces.volume[0]:
        return [convex_core(points)]
    cells = convex_cells(shape_mesh(body, resolve), WHOLE_BODY_PARTS, 7, body.name)
    return [convex_core(cells.mesh(k).vertices - pieces.center[0]) for k in range(cells.count)]


class _HullShop:
    """Makes hulls of each different body once; members of a group share them."""

    def __init__(self, resolve: Resolve) -> None:
        self._resolve = resolve
        self._made: dict[str, tuple[list[Hull], list[int]]] = {}

    def of(self, body: Body, pieces: Pieces) -> tuple[list[Hull], list[int]]:
        """Hulls in world axes at the body's true size; ``pieces`` before its size in a group."""
        key = content_key(body)
        if key not in self._made:
            self._made[key] = _body_hulls(body, pieces, self._resolve)
        hulls, owner = self._made[key]
        turn, f = rotation_matrix(body.place.rotation), body.factor
        return [Hull(f * (x.corners @ turn.T), x.normals @ turn.T if len(x.normals) else x.normals, x.rings, f * x.radius) for x in hulls], owner


def _pack_hulls(hulls: list[Hull], owner: list[int]) -> Hulls:
    verts = np.concatenate([h.corners for h in hulls])
    normals = np.concatenate([h.normals for h in hulls])
    vert_start = np.cumsum([0] + [len(h.corners) for h in hulls])
    rings = [ring + vert_start[k] for k, h in enumerate(hulls) for ring in h.rings]
    return Hulls(
        np.array(owner, np.int32),
        np.array([h.radius for h in hulls]),
        np.array([np.linalg.norm(h.corners, axis=1).max() + h.radius for h in hulls]),
        vert_start.astype(np.int32),
        np.ascontiguousarray(verts),
        np.cumsum([0] + [len(h.normals) for h in hulls]).astype(np.int32),
        np.ascontiguousarray(normals.reshape(-1, 3)),
        np.cumsum([0] + [len(r) for r in rings]).astype(np.int32),
        np.concatenate(rings).astype(np.int32) if rings else np.zeros(0, np.int32),
    )


def prepare(shot: Shot, resolve: Resolve = no_files, get_pieces: GetPieces | None = None) -> Prepared:
    """Build everything a run needs.

    Raises GeometryError for an unusable mesh, InputError for a shot without bodies.
    """
    shot = written_out(shot, resolve)
    if not shot.bodies:
        raise InputError("the shot has no bodies; add at least one", where="bodies")
    based = [get_pieces(b) for b in shot.bodies] if get_pieces else _each_once(shot.bodies, resolve)
    built = [p.scaled(b.factor) for b, p in zip(shot.bodies, based, strict=True)]
    hulls: list[Hull] = []
    owner: list[int] = []
    body_first = np.cumsum([0] + [p.count for p in built]).astype(np.int32)
    shop = _HullShop(resolve)
    for body, pieces, first in zip(shot.bodies, based, body_first, strict=False):
        h, o = shop.of(body, pieces)
        hulls.extend(h)
        owner.extend(int(first) + p for p in o)
    table = _piece_table(shot, built)
    bond_piece, area, center, strength, tier = _bonds(shot, built, body_first)
    setting = Setting(table.rest, center)
    held = np.concatenate([np.full(p.count, _hold_of(b), np.uint8) for b, p in zip(shot.bodies, built, strict=True)])
    for item in shot.fields:
        if not item.on:
            continue
        targets = targets_of(item.targets, shot, table.body, bond_piece)
        effect = EFFECTS[item.effect.kind]
        hold = effect.held(item, setting, targets)
        if hold is not None:
            held[hold] = HOLD_FIXED
        factor = effect.strengthen(item, setting, targets)
        strength = strength * factor if factor is not None else strength
    table = table._replace(held=held, chunk=_chunks(built, body_first))
    searches, substeps = intervals(shot.quality, shot.timing.fps)
    settings = Settings(
        1.0 / (shot.timing.fps * searches), substeps, np.array(shot.gravity, float),
        int(shot.ground.on), float(shot.ground.height), float(shot.ground.friction), float(shot.ground.bounce),
    )
    packed = _pack_hulls(hulls, owner)
    bonds = bond_table(bond_piece, strength, center, area, tier, len(table.mass))
    model = Model(
        [b.name for b in shot.bodies], body_first, packed, table, bonds, settings,
        np.array([b.velocity for b in shot.bodies], float), np.array([b.spin for b in shot.bodies], float), float(shot.timing.fps), searches,
        releases(shot), np.array([b.load_path == "fail" for b in shot.bodies], np.uint8),
    )
    return Prepared(shot, model, opening_state(model), built)


def _each_once(bodies: list[Body], resolve: Resolve) -> list[Pieces]:
    """Pieces of every body before its size in a group; bodies that are alike share them."""
    made: dict[str, Pieces] = {}
    out = []
    for body in bodies:
        key = content_key(body)
        if key not in made:
            made[key] = build_pieces(body, resolve)
        out.append(made[key])
    return out


def _hold_of(body: Body) -> int:
    if body.role == "passive":
        return HOLD_FIXED
    if isinstance(body.release, ReleaseTouch):
        return HOLD_TOUCH
    return HOLD_CUE if isinstance(body.release, ReleaseCue) else HOLD_FREE


def releases(shot: Shot) -> list[Release]:
    """What each body waits for."""
    out = []
    for body in shot.bodies:
        if isinstance(body.release, ReleaseTouch):
            out.append(Release(body.release.part, np.inf))
        else:
            out.append(Release("body", body.release.time if isinstance(body.release, ReleaseCue) else np.inf))
    return out


def _chunks(built: list[Pieces], body_first: Index) -> Index:
    """Tier-1 chunk of every piece (P,), numbered over all bodies by their lowest piece."""
    out = []
    for pieces, first in zip(built, body_first, strict=False):
        _, lowest, back = np.unique(pieces.path[:, 0], return_index=True, return_inverse=True)
        out.append(first + lowest[back.reshape(-1)])
    return np.concatenate(out).astype(np.int32)


def opening_state(model: Model) -> State:
    """The state at frame 0: every body at its place, with its initial velocity and spin."""
    piece_asm, asm = first_assemblies(
        model.pieces, model.bonds, piece_reach(model), model.start_velocity[model.pieces.body], model.start_spin[model.pieces.body]
    )
    _turn_together(model, piece_asm, asm)
    count = len(model.bonds.strength)
    return State(0, piece_asm, asm, np.zeros(count, np.uint8), np.zeros(count), model.pieces.held.copy())


def _turn_together(model: Model, piece_asm: Index, asm: object) -> None:
    """A body's spin is about the body's own centre: assemblies off that centre also move."""
    for b in range(len(model.body_names)):
        spin = model.start_spin[b]
        if not spin.any():
            continue
        own = np.flatnonzero(model.pieces.body == b)
        mass = model.pieces.mass[own]
        middle = (mass[:, None] * model.pieces.rest[own]).sum(axis=0) / mass.sum()
        for slot in np.unique(piece_asm[own]):
            if not asm.held[slot]:
                asm.vel[slot] += np.cross(spin, asm.rest[slot] - middle)


def piece_reach(model: Model) -> Array:
    """Farthest surface point of each piece from its centre of mass (P,) [m]."""
    out = np.zeros(model.piece_count)
    np.maximum.at(out, model.hulls.piece, model.hulls.bound)
    return out


def _piece_table(shot: Shot, built: list[Pieces]) -> PieceTable:
    rows: dict[str, list[Array]] = {k: [] for k in PieceTable._fields}
    for index, (body, pieces) in enumerate(zip(shot.bodies, built, strict=True)):
        turn = rotation_matrix(body.place.rotation)
        mat, n = body.material, pieces.count
        density = mat.density_for(float(pieces.volume.sum()))
        rows["body"].append(np.full(n, index, np.int32))
        rows["mass"].append(density * pieces.volume)
        rows["inertia"].append(density * (turn @ pieces.inertia @ turn.T))
        rows["rest"].append(pieces.center @ turn.T + np.asarray(body.place.position))
        rows["size"].append(np.cbrt(pieces.volume))
        for key, val in (("friction", mat.friction), ("bounce", mat.bounce), ("rolling", mat.rolling), ("fall", body.gravity)):
            rows[key].append(np.full(n, float(val)))
        rows["held"].append(np.zeros(n, np.uint8))
        rows["chunk"].append(np.zeros(n, np.int32))
    return PieceTable(*(np.ascontiguousarray(np.concatenate(rows[k])) for k in PieceTable._fields))


def _bonds(shot: Shot, built: list[Pieces], body_first: Index) -> tuple[Index, Array, Array, Array, np.ndarray]:
    """Bonds of all bodies but those cut by hand: pieces (B, 2), area (B,), centre (B, 3), strength (B,) [N], tier (B,)."""
    piece, area, center, strength, tier = [np.zeros((0, 2), np.int32)], [np.zeros(0)], [np.zeros((0, 3))], [np.zeros(0)], [np.zeros(0, np.uint8)]
    for body, pieces, first in zip(shot.bodies, built, body_first, strict=False):
        if body.bonds is None or not len(pieces.bond_area):
            continue
        keep = ~bonds_cut(body, pieces)
        piece.append(pieces.bond_piece[keep] + np.int32(first))
        area.append(pieces.bond_area[keep])
        center.append(placed(body, pieces.bond_center[keep]))
        strength.append(bond_strengths(body, pieces)[keep])
        tier.append(pieces.bond_tier[keep])
    return np.concatenate(piece), np.concatenate(area), np.concatenate(center), np.concatenate(strength), np.concatenate(tier)


def targets_of(targets: str | list[str], shot: Shot, piece_body: Index, bond_piece: Index) -> Targets:
    """Which pieces and bonds a field's targets are."""
    if targets == "all":
        return Targets(np.ones(len(piece_body), bool), np.ones(len(bond_piece), bool))
    chosen = np.array([b.column in targets for b in shot.bodies])
    pieces = chosen[piece_body]
    return Targets(pieces, pieces[bond_piece[:, 0]] if len(bond_piece) else np.zeros(0, bool))
