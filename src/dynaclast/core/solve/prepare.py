"""From a shot document to a Model and its opening State."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ..document import Body, Shot, SphereShape
from ..errors import GeometryError, InputError
from ..fields import EFFECTS, Setting, Targets
from ..fracture.build import Resolve, build_pieces, no_files, shape_mesh
from ..fracture.cells import break_into_cells
from ..fracture.pieces import Pieces
from ..geometry.mesh import Array, Index, rotation_matrix
from .model import Hulls, Model, PieceTable, Settings, bond_table
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
    """What ``prepare`` hands on: the model, the opening state, and each body's pieces."""

    model: Model
    state: State
    pieces: list[Pieces]


def intervals(quality: str, fps: float) -> tuple[int, int]:
    """Contact searches per frame and substeps per search, so that steps last about as long at any frame rate."""
    searches, substeps = QUALITY[quality]
    per_second = searches * 24.0
    return max(1, round(per_second / fps)), substeps if fps <= per_second else max(2, round(substeps * per_second / fps))


def _body_hulls(body: Body, pieces: Pieces, resolve: Resolve) -> tuple[list[Hull], list[int]]:
    """Collision hulls relative to each piece's centre of mass, and the piece each belongs to."""
    if isinstance(body.shape, SphereShape) and body.pattern is None and np.ptp(body.place.scale) < 1e-9:
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
    cells = break_into_cells(shape_mesh(body, resolve), WHOLE_BODY_PARTS, 7, name=body.name)
    return [convex_core(cells.mesh(k).vertices - pieces.center[0]) for k in range(cells.count)]


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
    if not shot.bodies:
        raise InputError("the shot has no bodies; add at least one", where="bodies")
    built = [get_pieces(b) if get_pieces else build_pieces(b, resolve) for b in shot.bodies]
    hulls: list[Hull] = []
    owner: list[int] = []
    body_first = np.cumsum([0] + [p.count for p in built]).astype(np.int32)
    for body, pieces, first in zip(shot.bodies, built, body_first, strict=False):
        h, o = _body_hulls(body, pieces, resolve)
        turn = rotation_matrix(body.place.rotation)
        hulls.extend(Hull(x.corners @ turn.T, x.normals @ turn.T if len(x.normals) else x.normals, x.rings, x.radius) for x in h)
        owner.extend(int(first) + p for p in o)
    table = _piece_table(shot, built)
    bond_piece, area, center, strength = _bonds(shot, built, body_first)
    setting = Setting(table.rest, center)
    held = np.concatenate([np.full(p.count, b.role == "passive") for b, p in zip(shot.bodies, built, strict=True)])
    for item in shot.fields:
        if not item.on:
            continue
        targets = targets_of(item.targets, shot, table.body, bond_piece)
        effect = EFFECTS[item.effect.kind]
        hold = effect.held(item, setting, targets)
        held = held | hold if hold is not None else held
        factor = effect.strengthen(item, setting, targets)
        strength = strength * factor if factor is not None else strength
    table = table._replace(held=held.astype(np.uint8))
    searches, substeps = intervals(shot.quality, shot.timing.fps)
    settings = Settings(
        1.0 / (shot.timing.fps * searches), substeps, np.array(shot.gravity, float),
        int(shot.ground.on), float(shot.ground.height), float(shot.ground.friction), float(shot.ground.bounce),
    )
    packed = _pack_hulls(hulls, owner)
    bonds = bond_table(bond_piece, strength, center, area, len(table.mass))
    model = Model(
        [b.name for b in shot.bodies], body_first, packed, table, bonds, settings,
        np.array([b.velocity for b in shot.bodies], float), np.array([b.spin for b in shot.bodies], float), float(shot.timing.fps), searches,
    )
    return Prepared(model, opening_state(model), built)


def opening_state(model: Model) -> State:
    """The state at frame 0: every body at its place, with its initial velocity and spin."""
    piece_asm, asm = first_assemblies(
        model.pieces, model.bonds, piece_reach(model), model.start_velocity[model.pieces.body], model.start_spin[model.pieces.body]
    )
    _turn_together(model, piece_asm, asm)
    return State(0, piece_asm, asm, np.zeros(len(model.bonds.strength), np.uint8), np.zeros(len(model.bonds.strength)))


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
        rows["body"].append(np.full(n, index, np.int32))
        rows["mass"].append(mat.density * pieces.volume)
        rows["inertia"].append(mat.density * (turn @ pieces.inertia @ turn.T))
        rows["rest"].append(pieces.center @ turn.T + np.asarray(body.place.position))
        rows["size"].append(np.cbrt(pieces.volume))
        for key, val in (("friction", mat.friction), ("bounce", mat.bounce), ("rolling", mat.rolling)):
            rows[key].append(np.full(n, float(val)))
        rows["held"].append(np.zeros(n, np.uint8))
    return PieceTable(*(np.ascontiguousarray(np.concatenate(rows[k])) for k in PieceTable._fields))


def _bonds(shot: Shot, built: list[Pieces], body_first: Index) -> tuple[Index, Array, Array, Array]:
    """Bonds of all bodies: pieces (B, 2), area (B,), centre (B, 3), strength (B,) [N]."""
    piece, area, center, strength = [np.zeros((0, 2), np.int32)], [np.zeros(0)], [np.zeros((0, 3))], [np.zeros(0)]
    for body, pieces, first in zip(shot.bodies, built, body_first, strict=False):
        if body.bonds is None or not len(pieces.bond_area):
            continue
        piece.append(pieces.bond_piece + np.int32(first))
        area.append(pieces.bond_area)
        center.append(pieces.bond_center @ rotation_matrix(body.place.rotation).T + np.asarray(body.place.position))
        per = pieces.bond_area if body.bonds.unit == "kN/m2" else np.ones(len(pieces.bond_area))
        strength.append(1000.0 * body.bonds.strength * per)
    return np.concatenate(piece), np.concatenate(area), np.concatenate(center), np.concatenate(strength)


def targets_of(targets: str | list[str], shot: Shot, piece_body: Index, bond_piece: Index) -> Targets:
    """Which pieces and bonds a field's targets are."""
    if targets == "all":
        return Targets(np.ones(len(piece_body), bool), np.ones(len(bond_piece), bool))
    chosen = np.array([b.name in targets for b in shot.bodies])
    pieces = chosen[piece_body]
    return Targets(pieces, pieces[bond_piece[:, 0]] if len(bond_piece) else np.zeros(0, bool))
