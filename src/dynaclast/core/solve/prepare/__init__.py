"""From a shot document to a Model and its opening State.

Each part of the document is prepared in a file of its own; nothing of this is asked again while the run goes on.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import numpy as np

from ...arrays import Array, Flags, Index
from ...document import AnchorEffect, Body, Shot
from ...errors import InputError
from ...falloff import EvaluationContext
from ...fields import BONDS, EFFECTS, PIECES, EffectContext
from ...fields.samples import at_rest
from ...fracture.build import Resolve, build_pieces, no_files
from ...fracture.pieces import Pieces
from ...fracture.solids import Progress, unheard
from ...layout import written_out
from ...timeline.channels import shared_at
from ..collision import HullShop, pack_hulls
from ..control import reserved
from ..elements import target_masks
from ..inner_faces import inner_faces
from ..model import Hold, Hulls, LoadPath, Model, Settings, linked
from ..rigid.hulls import Hull
from ..state import State
from .motion import drives_of, hold_of, releases
from .opening import opening_state
from .pieces import GetPieces, build_each_once, first_chunks, gather_bonds, piece_table, tier_chunks
from .surfaces import surfaces_of, triangle_meshes_of
from .ties import tie_table
from .timing import intervals

PIECES_SHARE = 0.6
"""Share of the preparation until the pieces are there, where any must be built; the rest goes into their hulls."""

ANCHOR_HOLD = {"fixed": Hold.FIXED, "carried": Hold.DRIVEN, "touch": Hold.TOUCH}


@dataclass(frozen=True)
class Prepared:
    """What ``prepare`` hands on: the shot with its groups written out, the model, the opening state, and each body's
    pieces.
    """

    shot: Shot
    model: Model
    state: State
    pieces: list[Pieces]


@dataclass
class _Held:
    """What holds pieces and strengthens bonds before the first step.

    hold     : (P,) uint8, Hold
    carrier  : (P,) int32, the body whose animation carries a piece, -1 for none
    strength : (B,) float64, [N]
    """

    hold: Flags
    carrier: Index
    strength: Array


def prepare(
    shot: Shot,
    resolve: Resolve = no_files,
    get_pieces: GetPieces | None = None,
    reserve: tuple[str, ...] = (),
    progress: Progress = unheard,
) -> Prepared:
    """Build everything a run needs.

    reserve  : names of bodies that are not in the world until a run is told to throw them
    progress : told the share that is done, 0 to 1

    Raises GeometryError for an unusable mesh, InputError for a shot without bodies.
    """
    shot = written_out(shot, resolve)
    if not shot.bodies:
        raise InputError("the shot has no bodies; add at least one", where="bodies")
    get = get_pieces or partial(build_pieces, resolve=resolve)
    based = build_each_once(shot.bodies, get, partial(_part_of, progress, 0.0, PIECES_SHARE))
    built = [p.scaled(b.factor) for b, p in zip(shot.bodies, based, strict=True)]
    model = build_model(shot, based, built, resolve, reserve, partial(_part_of, progress, PIECES_SHARE, 1.0))
    return Prepared(shot, model, opening_state(model), built)


def _part_of(progress: Progress, low: float, high: float, share: float) -> None:
    progress(low + (high - low) * share)


def build_model(
    shot: Shot,
    based: list[Pieces],
    built: list[Pieces],
    resolve: Resolve = no_files,
    reserve: tuple[str, ...] = (),
    progress: Progress = unheard,
) -> Model:
    """The model of a written-out shot.

    based, built : pieces of each body, before and after its size in a group; there may be none
    """
    body_first = np.cumsum([0] + [p.count for p in built]).astype(np.int32)
    hulls, solid = _hulls(shot, based, body_first, resolve, progress)
    table = piece_table(shot, built)
    bonds = gather_bonds(shot, built, body_first)
    piece_tier = np.concatenate([np.zeros(0, np.int32), *((p.path >= 0).sum(axis=1, dtype=np.int32) for p in built)])
    held = _Held(table.hold, np.where(table.hold == Hold.DRIVEN, table.body, -1).astype(np.int32), bonds.strength)
    _anchor(shot, held, table.rest_center, bonds.center, _masks(shot, table.body, bonds.piece, piece_tier, bonds.tier))
    reserved(held.hold, table.body, [b.name for b in shot.bodies], reserve)
    table = table._replace(hold=held.hold, chunk=first_chunks(built, body_first))
    searches, substeps = intervals(shot.quality, shot.timing.fps)
    ground = shot.ground
    settings = Settings(
        1.0 / (shot.timing.fps * searches),
        substeps,
        np.array(shot.gravity, float),
        int(ground.on),
        float(ground.height),
        float(ground.friction),
        float(ground.bounce),
    )
    ties, tie_names, uncollided = tie_table(shot, built, body_first)
    deformables = None
    if any(b.deforms for b in shot.bodies):
        from .deformables import build_deformables  # what it works with takes a while to load

        deformables = build_deformables(shot, built, body_first, resolve, settings.interval, substeps)
    return Model(
        body_names=[b.name for b in shot.bodies],
        body_first=body_first,
        hulls=hulls,
        inner_faces=inner_faces(hulls, table),
        pieces=table,
        bonds=linked(bonds._replace(strength=held.strength), len(table.mass)),
        settings=settings,
        start_velocity=np.array([b.velocity for b in shot.bodies], float).reshape(-1, 3),
        start_angular_velocity=np.array([b.spin for b in shot.bodies], float).reshape(-1, 3),
        fps=float(shot.timing.fps),
        intervals_per_frame=searches,
        releases=releases(shot),
        load_path=np.array([LoadPath[b.load_path.upper()] for b in shot.bodies], np.uint8),
        drives=drives_of(shot, table),
        ties=ties,
        tie_names=tie_names,
        uncollided=uncollided,
        triangle_meshes=triangle_meshes_of(shot, built, body_first, solid),
        speed_limit=shot.limits.speed,
        angular_speed_limit=shot.limits.spin,
        piece_tier=piece_tier,
        chunks=tier_chunks([p.path for p in built], table.body),
        carrier=held.carrier,
        surfaces=surfaces_of(shot, built),
        target_names=[b.column for b in shot.bodies],
        channels=[(b, channel) for b, body in enumerate(shot.bodies) for channel in body.channels],
        deformables=deformables,
    )


def _hulls(
    shot: Shot, based: list[Pieces], body_first: Index, resolve: Resolve, progress: Progress
) -> tuple[Hulls, int]:
    """Collision hulls of all bodies, those of triangle meshes last, and how many come before these."""
    hulls: list[Hull] = []
    owner: list[int] = []
    solid = 0
    shop = HullShop(resolve)
    bodies = sorted(zip(shot.bodies, based, body_first, strict=False), key=lambda x: x[0].collision == "exact")
    done, most = 0, max(1, sum(p.count for p in based))
    for body, pieces, first in bodies:
        progress(done / most)
        done += pieces.count
        if body.deforms:
            continue
        own, of_piece = shop.of(body, pieces)
        hulls.extend(own)
        owner.extend(int(first) + p for p in of_piece)
        solid += len(own) if body.collision != "exact" else 0
    return pack_hulls(hulls, owner), solid


Masks = Callable[..., dict[str, np.ndarray]]


def _masks(shot: Shot, body: Index, bond_piece: Index, piece_tier: Index, bond_tier: Flags) -> Masks:
    names = [b.column for b in shot.bodies]
    return lambda item: target_masks(item, names, body, bond_piece, piece_tier, bond_tier)


def _anchor(shot: Shot, held: _Held, pieces: Array, bonds: Array, masks: Masks) -> None:
    """Let the shot's fields hold pieces (P, 3) [m] and strengthen bonds (B, 3) [m] before the first step."""
    names = {b.name: k for k, b in enumerate(shot.bodies)}
    evaluation = EvaluationContext(fps=float(shot.timing.fps), shared=shared_at(shot.falloffs, 0.0))
    for item in shot.fields:
        if not item.on:
            continue
        targets, effect = masks(item), EFFECTS[item.effect.kind]
        own = effect.holds(item, EffectContext(at_rest(PIECES, pieces), targets[PIECES], evaluation))
        if own is not None and isinstance(item.effect, AnchorEffect):
            own = own & np.isin(held.hold, (Hold.FREE, Hold.TOUCH, Hold.CUE))
            held.hold[own] = ANCHOR_HOLD[item.effect.hold]
            if item.effect.carrier is not None:
                held.carrier[own] = names[item.effect.carrier]
        factor = effect.strength_factor(item, EffectContext(at_rest(BONDS, bonds), targets[BONDS], evaluation))
        if factor is not None:
            held.strength = held.strength * factor


__all__ = ["GetPieces", "Prepared", "build_model", "intervals", "opening_state", "prepare"]
