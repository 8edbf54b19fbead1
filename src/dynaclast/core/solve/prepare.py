"""From a shot document to a Model and its opening State."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ..document import Body, FieldItem, ReleaseCue, ReleaseTouch, Shot
from ..errors import InputError
from ..falloff import Moment
from ..fields import EFFECTS, Setting, Targets
from ..fields.base import among
from ..fields.stand import shared_at
from ..fracture.bonds import bond_strengths, bonds_cut, placed
from ..fracture.build import Resolve, build_pieces, content_key, no_files
from ..fracture.pieces import Pieces
from ..geometry.mesh import Array, Index, TriMesh, rotation_matrix, weld
from ..geometry.tree import MeshDistance
from ..layout import written_out
from ..motion import Drive, Path
from .collision import HullShop, pack_hulls
from .model import (
    HOLD_CUE,
    HOLD_DRIVEN,
    HOLD_FIXED,
    HOLD_FREE,
    HOLD_TOUCH,
    TIE_HINGE,
    TIE_PIN,
    TIE_STRING,
    TIE_WELD,
    Model,
    PieceTable,
    Release,
    Settings,
    Sheets,
    TieTable,
    bond_table,
)
from .rigid.assemblies import first_assemblies
from .rigid.hulls import Hull
from .rigid.sheets import build_sheets
from .state import State

GetPieces = Callable[[Body], Pieces]
"""Gives a body's pieces; callers that keep built pieces hand in their own."""

QUALITY: dict[str, tuple[int, int]] = {"draft": (1, 12), "standard": (2, 8), "fine": (4, 8)}
"""Contact searches a frame, and substeps per search, at 24 frames a second (scaled for others)."""


@dataclass(frozen=True)
class Prepared:
    """What ``prepare`` hands on: the shot with its groups written out, the model, the opening state, and each body's
    pieces.
    """

    shot: Shot
    model: Model
    state: State
    pieces: list[Pieces]


def intervals(quality: str, fps: float) -> tuple[int, int]:
    """Contact searches per frame and substeps per search, so that steps last about as long at any frame rate."""
    searches, substeps = QUALITY[quality]
    per_second = searches * 24.0
    return max(1, round(per_second / fps)), substeps if fps <= per_second else max(
        2, round(substeps * per_second / fps)
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
    solid = 0
    body_first = np.cumsum([0] + [p.count for p in built]).astype(np.int32)
    shop = HullShop(resolve)
    for body, pieces, first in sorted(
        zip(shot.bodies, based, body_first, strict=False), key=lambda x: x[0].collision == "exact"
    ):
        h, o = shop.of(body, pieces)
        hulls.extend(h)
        owner.extend(int(first) + p for p in o)
        solid += len(h) if body.collision != "exact" else 0
    table = _piece_table(shot, built)
    bond_piece, area, center, strength, tier = _bonds(shot, built, body_first)
    shared = shared_at(shot.falloffs, 0.0)
    setting = Setting(table.rest, center, Moment(fps=float(shot.timing.fps), shared=shared))
    held = np.concatenate([np.full(p.count, _hold_of(b), np.uint8) for b, p in zip(shot.bodies, built, strict=True)])
    columns = [b.column for b in shot.bodies]
    piece_tier = np.concatenate([(p.path >= 0).sum(axis=1) for p in built])
    names = {b.name: k for k, b in enumerate(shot.bodies)}
    carried_by = np.where(held == HOLD_DRIVEN, table.body, -1).astype(np.int32)
    for item in shot.fields:
        if not item.on:
            continue
        targets = _targets(item, columns, table.body, bond_piece, piece_tier, tier)
        effect = EFFECTS[item.effect.kind]
        hold = effect.held(item, setting, targets)
        if hold is not None:
            hold &= (held == HOLD_FREE) | (held == HOLD_TOUCH) | (held == HOLD_CUE)
            held[hold] = {"fixed": HOLD_FIXED, "carried": HOLD_DRIVEN, "touch": HOLD_TOUCH}[item.effect.hold]
            if item.effect.carrier is not None:
                carried_by[hold] = names[item.effect.carrier]
        factor = effect.strengthen(item, setting, targets)
        strength = strength * factor if factor is not None else strength
    table = table._replace(held=held, chunk=_chunks(built, body_first))
    searches, substeps = intervals(shot.quality, shot.timing.fps)
    settings = Settings(
        1.0 / (shot.timing.fps * searches),
        substeps,
        np.array(shot.gravity, float),
        int(shot.ground.on),
        float(shot.ground.height),
        float(shot.ground.friction),
        float(shot.ground.bounce),
    )
    packed = pack_hulls(hulls, owner)
    sheets = _sheets(shot, built, body_first, solid)
    ties, tie_names, apart = _ties(shot, built, body_first)
    bonds = bond_table(bond_piece, strength, center, area, tier, len(table.mass))
    model = Model(
        [b.name for b in shot.bodies],
        body_first,
        packed,
        table,
        bonds,
        settings,
        np.array([b.velocity for b in shot.bodies], float),
        np.array([b.spin for b in shot.bodies], float),
        float(shot.timing.fps),
        searches,
        releases(shot),
        np.array([("off", "on", "fail").index(b.load_path) for b in shot.bodies], np.uint8),
        _drives(shot, table),
        ties,
        tie_names,
        apart,
        sheets,
        shot.limits.speed,
        shot.limits.spin,
        piece_tier,
        _tier_chunks(built, table.body),
        carried_by,
        _surfaces(shot, built),
        columns,
        [(b, channel) for b, body in enumerate(shot.bodies) for channel in body.channels],
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
    if body.role != "active":
        return HOLD_FIXED if body.role == "passive" else HOLD_DRIVEN
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
            out.append(
                Release("body", body.release.time) if isinstance(body.release, ReleaseCue) else Release("piece", np.inf)
            )
    return out


def _drives(shot: Shot, table: PieceTable) -> list[Drive | None]:
    """How each animated body moves."""
    out: list[Drive | None] = []
    for b, body in enumerate(shot.bodies):
        if body.role != "animated":
            out.append(None)
        elif body.motion is not None:
            out.append(Drive(np.asarray(body.place.position, float), Path.of(body.motion), np.zeros(3), np.zeros(3)))
        else:
            own = table.body == b
            middle = (table.mass[own, None] * table.rest[own]).sum(axis=0) / table.mass[own].sum()
            out.append(Drive(middle, None, np.asarray(body.velocity, float), np.asarray(body.spin, float)))
    return out


def _sheets(shot: Shot, built: list[Pieces], body_first: Index, first: int) -> Sheets:
    """Trees over the triangles of exact bodies, whose shapes come last."""
    pieces: list[int] = []
    meshes: list[TriMesh] = []
    for body, own, start in zip(shot.bodies, built, body_first, strict=False):
        if body.collision == "exact":
            turn = rotation_matrix(body.place.rotation)
            for p in range(own.count):
                m = own.mesh(p)
                pieces.append(int(start) + p)
                meshes.append(TriMesh((m.vertices - own.center[p]) @ turn.T, m.faces))
    return build_sheets(first, pieces, meshes)


def nearest_piece(body: Body, pieces: Pieces, point: Array) -> int:
    """The piece of a body nearest to a point of the world: by its bounds in the body's frame, then by its centre."""
    local = (np.asarray(point) - np.asarray(body.place.position)) @ rotation_matrix(body.place.rotation)
    best, least = 0, (np.inf, np.inf)
    for p in range(pieces.count):
        v = pieces.mesh(p).vertices
        away = float(np.linalg.norm(np.maximum(np.maximum(v.min(axis=0) - local, local - v.max(axis=0)), 0.0)))
        rank = (round(away, 9), float(np.linalg.norm(pieces.center[p] - local)))
        if rank < least:
            best, least = p, rank
    return best


def _ties(shot: Shot, built: list[Pieces], body_first: Index) -> tuple[TieTable, list[str], Index]:
    """The ties that are on, their names, and the pairs of bodies (N, 2) they keep from touching."""
    number = {body.name: b for b, body in enumerate(shot.bodies)}
    kinds = {"pin": TIE_PIN, "string": TIE_STRING, "hinge": TIE_HINGE, "weld": TIE_WELD}
    use = [t for t in shot.ties if t.on]
    n = len(use)
    piece, point, axis = np.full((n, 2), -1, np.int32), np.zeros((n, 2, 3)), np.tile([0.0, 1.0, 0.0], (n, 1))
    low, high, friction, length, breaks = (
        np.full(n, -np.inf),
        np.full(n, np.inf),
        np.zeros(n),
        np.zeros(n),
        np.full(n, np.inf),
    )
    apart = []
    for i, tie in enumerate(use):
        point[i, 0] = tie.point
        point[i, 1] = tie.to_point if tie.to_point is not None else tie.point
        for end, name in ((0, tie.body), (1, tie.to)):
            if name is not None:
                b = number[name]
                piece[i, end] = body_first[b] + nearest_piece(shot.bodies[b], built[b], point[i, end])
        if tie.how.kind == "hinge":
            axis[i] = np.asarray(tie.how.axis) / np.linalg.norm(tie.how.axis)
            friction[i] = tie.how.friction
            if tie.how.limits is not None:
                low[i], high[i] = tie.how.limits
        if tie.how.kind == "string":
            length[i] = tie.how.length if tie.how.length is not None else np.linalg.norm(point[i, 0] - point[i, 1])
        if tie.breaks is not None:
            breaks[i] = 1000.0 * tie.breaks
        if tie.to is not None and not tie.collide:
            apart.append((number[tie.body], number[tie.to]))
    table = TieTable(
        np.array([kinds[t.how.kind] for t in use], np.uint8), piece, point, axis, low, high, friction, length, breaks
    )
    return table, [t.name for t in use], np.array(apart, np.int32).reshape(-1, 2)


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
        model.pieces,
        model.bonds,
        piece_reach(model),
        model.start_velocity[model.pieces.body],
        model.start_spin[model.pieces.body],
    )
    _turn_together(model, piece_asm, asm)
    count = len(model.bonds.strength)
    ties = len(model.ties.kind)
    return State(
        0,
        piece_asm,
        asm,
        np.zeros(count, np.uint8),
        np.zeros(count),
        model.pieces.held.copy(),
        np.zeros(ties, np.uint8),
        np.zeros((ties, 8)),
    )


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
        for key, val in (
            ("friction", mat.friction),
            ("bounce", mat.bounce),
            ("rolling", mat.rolling),
            ("fall", body.gravity),
        ):
            rows[key].append(np.full(n, float(val)))
        rows["held"].append(np.zeros(n, np.uint8))
        rows["chunk"].append(np.zeros(n, np.int32))
    return PieceTable(*(np.ascontiguousarray(np.concatenate(rows[k])) for k in PieceTable._fields))


def _bonds(shot: Shot, built: list[Pieces], body_first: Index) -> tuple[Index, Array, Array, Array, np.ndarray]:
    """Bonds of all bodies but those cut by hand: pieces (B, 2), area (B,), centre (B, 3), strength (B,) [N], tier
    (B,).
    """
    piece, area, center, strength, tier = (
        [np.zeros((0, 2), np.int32)],
        [np.zeros(0)],
        [np.zeros((0, 3))],
        [np.zeros(0)],
        [np.zeros(0, np.uint8)],
    )
    for body, pieces, first in zip(shot.bodies, built, body_first, strict=False):
        if body.bonds is None or not len(pieces.bond_area):
            continue
        keep = ~bonds_cut(body, pieces)
        piece.append(pieces.bond_piece[keep] + np.int32(first))
        area.append(pieces.bond_area[keep])
        center.append(placed(body, pieces.bond_center[keep]))
        strength.append(bond_strengths(body, pieces)[keep])
        tier.append(pieces.bond_tier[keep])
    return (
        np.concatenate(piece),
        np.concatenate(area),
        np.concatenate(center),
        np.concatenate(strength),
        np.concatenate(tier),
    )


def _targets(
    item: FieldItem, columns: list[str], piece_body: Index, bond_piece: Index, piece_tier: Index, bond_tier: np.ndarray
) -> Targets:
    """Which pieces and bonds a field's targets are."""
    chosen = among(item.targets, columns)
    pieces = chosen[piece_body]
    bonds = pieces[bond_piece[:, 0]] if len(bond_piece) else np.zeros(0, bool)
    if item.tiers is not None:
        pieces = pieces & np.isin(piece_tier, item.tiers)
        bonds = bonds & np.isin(bond_tier, item.tiers)
    return Targets(pieces, bonds)


def targets_of(item: FieldItem, model: Model) -> Targets:
    """Which pieces and bonds a field's targets are, in a model."""
    return _targets(item, model.columns, model.pieces.body, model.bonds.piece, model.piece_tier, model.bonds.tier)


def _tier_chunks(built: list[Pieces], piece_body: Index) -> Index:
    """Chunk of every piece on every tier (P, T + 1), numbered over all bodies; tier 0 is the body, and a piece made on
    an earlier tier is its own chunk from there on.
    """
    depth = max((p.path.shape[1] for p in built), default=0)
    path = np.full((len(piece_body), depth), -1, np.int64)
    first = 0
    for pieces in built:
        path[first : first + pieces.count, : pieces.path.shape[1]] = pieces.path
        first += pieces.count
    out = np.zeros((len(piece_body), depth + 1), np.int32)
    out[:, 0] = piece_body
    for level in range(1, depth + 1):
        rows = np.stack([out[:, level - 1].astype(np.int64), path[:, level - 1]], axis=1)
        _, back = np.unique(rows, axis=0, return_inverse=True)
        out[:, level] = back.reshape(-1)
    return out


def surface_of(body: Body, pieces: Pieces) -> MeshDistance:
    """The original surface of a body as it stands at the start, without cut faces, ready to be asked how far points are
    from it.
    """
    offset = np.repeat(pieces.vertex_start[:-1], np.diff(pieces.face_start))[:, None]
    skin = pieces.skin.astype(bool)
    faces = (pieces.faces + offset)[skin if skin.any() else slice(None)]
    return MeshDistance.of(weld(TriMesh(placed(body, pieces.vertices), faces.astype(np.int32))))


def _surfaces(shot: Shot, built: list[Pieces]) -> dict[str, MeshDistance]:
    """Meshes that fields and falloffs ask about, as they stand at the start."""
    stacks = [*shot.falloffs, *(f.reach for f in shot.fields), *(m.reach for m in shot.maps)]
    asked = {layer.shape.body for stack in stacks for layer in stack.layers if layer.shape.kind == "mesh"}
    asked |= {f.effect.body for f in shot.fields if getattr(f.effect, "body", None) is not None}
    out: dict[str, MeshDistance] = {}
    for body, pieces in zip(shot.bodies, built, strict=True):
        if body.name not in asked and body.column not in asked or body.column in out:
            continue
        out[body.column] = surface_of(body, pieces)
    return out
