"""What will go wrong, said before the run, each with what to do."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache, partial

import numpy as np

from ..document import AtCue, FieldItem, HandCue, ImpactCue, Shot, StrainEffect
from ..errors import GeometryError
from ..fields import EFFECTS
from ..fields.base import among
from ..fracture.build import no_files
from ..fracture.deforming import SurfaceOf, drawn_surface
from ..fracture.pieces import Pieces
from ..geometry.rotations import rotation_matrix
from ..solve.collision import HullShop
from ..timeline.channels import Keyed
from .deforming import deforming_findings, twist_findings
from .faults import faults
from .finding import Finding
from .loads import weight_loads
from .overlap import overlaps
from .reach import Layout, VertexLayout, crossings, lay_out, lay_out_vertices, on_pieces, reach_on_vertices
from .speed_limit import past_the_limit

HEAVY_EXACT = 200_000
"""Triangles above which an exact body is said to be slow."""


def preflight(
    shot: Shot, built: list[Pieces], shop: HullShop | None = None, surface_of: SurfaceOf | None = None
) -> list[Finding]:
    """Findings of a written-out shot whose bodies could be built, gravest first; ``shop`` keeps hulls from one call to
    the next, and whoever keeps surfaces hands in ``surface_of``.
    """
    out: list[Finding] = []
    if not shot.bodies:
        return [
            Finding(
                "no-bodies",
                "stop",
                "build",
                "",
                "The shot has no bodies, so there is nothing to compute.",
                "Add a body",
            )
        ]
    if not any(b.role == "active" for b in shot.bodies):
        out.append(
            Finding(
                "nothing-active",
                "check",
                "build",
                "",
                "No body is active: nothing is moved by physics.",
                "Make a body active",
            )
        )
    shop = shop or HullShop(no_files)
    out.extend(_fields(shot, built, surface_of or partial(drawn_surface, resolve=shop.resolve)))
    solid, pieces = _rigid(shot, built)
    out.extend(_bodies(solid, pieces))
    out.extend(deforming_findings(shot, shop.resolve))
    out.extend(twist_findings(shot, built, shop.resolve))
    out.extend(_overlapping(solid, pieces, shop))
    out.extend(_ties(solid, pieces))
    return sorted(out, key=lambda f: f.grave != "stop")


def _rigid(shot: Shot, built: list[Pieces]) -> tuple[Shot, list[Pieces]]:
    """The shot without what deforms, which has no pieces."""
    deforms = {b.name for b in shot.bodies if b.deforms}
    if not deforms:
        return shot, built
    ties = [tie for tie in shot.ties if not {tie.body, tie.to} & deforms]
    bodies = [b for b in shot.bodies if not b.deforms]
    pieces = [p for b, p in zip(shot.bodies, built, strict=True) if not b.deforms]
    return shot.model_copy(update={"bodies": bodies, "ties": ties}), pieces


FORCES = ("vortex", "wind", "attractor", "burst", "push", "turbulence", "gravity")
"""Fields whose strength is known before a run."""
LOOKS = 9
"""Times over a field's cue at which it is looked whether it reaches something, where it or what it rides on moves."""


def _first(item: FieldItem) -> float:
    """When a cue acts first [s]; 0 for one that waits for a hit or a hand."""
    cue = item.cue
    return (
        cue.time
        if isinstance(cue, AtCue)
        else cue.times[0]
        if isinstance(cue, HandCue) and cue.times
        else getattr(cue, "start", 0.0)
    )


def _ever(shot: Shot, laid_out: Callable[[float], Layout], vertices: VertexLayout) -> dict[str, int]:
    """The most pieces and vertices each field reaches at any of some times of its cue, where they stand until moved by
    animation.
    """
    end = shot.timing.frames / shot.timing.fps
    out: dict[str, int] = {}
    asked: dict[float, list[FieldItem]] = {}
    for item in shot.fields:
        last = getattr(item.cue, "end", None) or end
        moves = (
            item.travel is not None
            or bool(item.channels)
            or item.reach.use is not None
            or any(layer.shape.kind in ("expression", "noise", "sound") for layer in item.reach.layers)
            or any(b.role == "animated" for b in shot.bodies)
        )
        for time in np.linspace(_first(item), max(_first(item), min(last, end)), LOOKS) if moves else [0.0]:
            asked.setdefault(round(float(time), 6), []).append(item)
    for time, items in asked.items():
        at = laid_out(time)
        for item in Keyed(items).at(time):
            on = on_pieces(at, among(item.targets, at.columns)[at.piece_column])
            held = EFFECTS[item.effect.kind].holds(item, on)
            count = int((on.reach_of(item) > 0 if held is None else held).sum())
            count += sum(int((near > 0).sum()) for near in reach_on_vertices(item, at, vertices).values())
            out[item.name] = max(out.get(item.name, 0), count)
    return out


def _targeted(item: FieldItem, shot: Shot) -> set[str]:
    """Names of bodies and groups that are a field's targets."""
    return {b.column for b in shot.bodies} if item.targets == "all" else set(item.targets)


def _reached(item: FieldItem, shot: Shot) -> str:
    """What its targets are made of, of which it could reach some."""
    deform = {b.deforms for b in shot.bodies if b.column in _targeted(item, shot)}
    return "piece or vertex" if len(deform) == 2 else "vertex" if deform == {True} else "piece"


def _fields(shot: Shot, built: list[Pieces], surface_of: SurfaceOf) -> list[Finding]:
    laid_out = cache(lambda time: lay_out(shot, built, time, surface_of))
    grid = crossings(shot, built, laid_out(0.0))
    vertices = lay_out_vertices(shot, surface_of)
    out: list[Finding] = []
    end = shot.timing.frames / shot.timing.fps
    ever = _ever(shot, laid_out, vertices)
    broken = {f.field: f.why for f in faults(shot)}
    for item in shot.fields:
        if not item.on:
            continue
        own = [c for c in grid if c.field == item.name and c.targeted]
        if item.name in broken:
            out.append(
                Finding(
                    "cannot-act",
                    "stop",
                    "drive",
                    item.name,
                    f"{item.name} cannot act: {broken[item.name]}.",
                    "Give it targets in the reach grid" if "targets" in broken[item.name] else "Change its reach",
                )
            )
            continue
        if item.effect.kind != "anchor" and _first(item) >= end:
            out.append(
                Finding(
                    "cue-late",
                    "check",
                    "drive",
                    item.name,
                    f"{item.name} acts at {_first(item):g} s, after the last frame at {end:g} s.",
                    "Move the cue earlier or add frames",
                )
            )
        if item.effect.kind == "kill" or isinstance(item.cue, ImpactCue):
            continue  # what comes in later, or where a hit falls, is not known before
        if item.effect.kind in FORCES and _first(item) < end:
            out.extend(past_the_limit(item, shot, built, laid_out(_first(item)), vertices))
        if not ever.get(item.name, 0):
            out.append(
                Finding(
                    "reaches-nothing",
                    "check",
                    "drive",
                    item.name,
                    f"{item.name} reaches no {_reached(item, shot)} of its targets.",
                    "Move or widen its reach",
                )
            )
        elif isinstance(item.effect, StrainEffect) and item.travel is None and not item.channels:
            if not any(c.bonds for c in own):
                out.append(
                    Finding(
                        "strains-nothing",
                        "check",
                        "drive",
                        item.name,
                        f"{item.name} reaches pieces but no bond, so it can break nothing.",
                        "Give its targets bonds, or widen its reach",
                    )
                )
            elif item.effect.mode == "blow" and not any(c.breaks for c in own):
                top, low = max(c.load_top for c in own), min(c.strength_low for c in own if c.bonds)
                out.append(
                    Finding(
                        "too-weak",
                        "check",
                        "drive",
                        item.name,
                        f"{item.name} lays at most {top:.0f} kN on bonds of at least {low:.0f} kN: nothing will break.",
                        "Raise the load or weaken the bonds",
                    )
                )
    return out


def _bodies(shot: Shot, built: list[Pieces]) -> list[Finding]:
    out: list[Finding] = []
    seen: set[str] = set()
    for index, (body, pieces) in enumerate(zip(shot.bodies, built, strict=True)):
        if body.column in seen:
            continue
        seen.add(body.column)
        if body.role == "animated" and body.motion is None and not any(body.velocity) and not any(body.spin):
            out.append(
                Finding(
                    "stands-still",
                    "check",
                    "build",
                    body.column,
                    f"{body.column} is animated but has no keys, velocity or spin: it stands still.",
                    "Give it keys, or make it passive",
                )
            )
        if body.collision == "exact" and len(pieces.faces) > HEAVY_EXACT:
            out.append(
                Finding(
                    "exact-heavy",
                    "check",
                    "build",
                    body.column,
                    f"{body.column} collides as its {len(pieces.faces):,} triangles, which takes memory and time.",
                    "Thin its mesh, or collide as parts",
                )
            )
        if body.role != "active":
            continue
        if body.load_path == "fail":
            load, strength = weight_loads(shot, built, index)
            over = int((load > strength).sum())
            if over:
                worst = float((load / np.maximum(strength, 1e-9)).max())
                out.append(
                    Finding(
                        "overloaded",
                        "check",
                        "bind",
                        body.column,
                        f"{body.column} cannot carry itself: {over} bonds are loaded by its own weight beyond their "
                        f"strength, at worst {worst:.1f} times. It starts to break at once.",
                        "Strengthen its bonds, or anchor more of it",
                    )
                )
        if body.pattern is not None and body.bonds is None and body.release.kind in ("start", "intact"):
            out.append(
                Finding(
                    "no-bonds",
                    "check",
                    "bind",
                    body.column,
                    f"{body.column} is broken into {pieces.count} pieces without bonds: they are loose from the "
                    f"first frame.",
                    "Add bonds",
                )
            )
        if shot.ground.on:
            low = float((pieces.vertices @ rotation_matrix(body.place.rotation).T)[:, 1].min()) + body.place.position[1]
            size = float(np.cbrt(pieces.volume.sum()))
            if low < shot.ground.height - 0.02 * size:
                out.append(
                    Finding(
                        "below-ground",
                        "check",
                        "build",
                        body.column,
                        f"{body.name} reaches {shot.ground.height - low:.2f} m below the ground and will be "
                        f"pushed out.",
                        "Lift it onto the ground",
                    )
                )
    return out


def _overlapping(shot: Shot, built: list[Pieces], shop: HullShop) -> list[Finding]:
    """The deepest overlap of each pair of columns at the opening pose."""
    column = {b.name: b.column for b in shot.bodies}
    count = {b.name: p.count for b, p in zip(shot.bodies, built, strict=True)}
    out: list[Finding] = []
    seen: set[frozenset[str]] = set()
    try:
        deep = overlaps(shot, built, shop)
    except GeometryError as exc:
        return [
            Finding(
                "no-shape",
                "stop",
                "build",
                exc.where,
                exc.message[:1].upper() + exc.message[1:] + ".",
                "Mend its mesh, or collide as a box",
            )
        ]
    for found in deep:
        pair = frozenset((column[found.first], column[found.second]))
        if pair in seen:
            continue
        seen.add(pair)
        first, second = (
            name if count[name] == 1 else f"piece {p} of {name}"
            for name, p in ((found.first, found.pieces[0]), (found.second, found.pieces[1]))
        )
        out.append(
            Finding(
                "overlap",
                "check",
                "build",
                column[found.first],
                f"{first[:1].upper() + first[1:]} stands {_length(found.depth)} deep in {second} at the start. They "
                f"are eased apart, not thrown, but it will be seen.",
                "Move one of them",
            )
        )
    return out


def _ties(shot: Shot, built: list[Pieces]) -> list[Finding]:
    """Ties whose ends hang in the air, and ties between things none of which can move."""
    out: list[Finding] = []
    number = {b.name: k for k, b in enumerate(shot.bodies)}
    for tie in shot.ties:
        if not tie.on:
            continue
        ends = [(tie.body, tie.point)] + ([(tie.to, tie.to_point or tie.point)] if tie.to else [])
        if any(name not in number for name, _ in ends):
            continue  # a body that could not be built is reported as such
        for name, point in ends:
            body, pieces = shot.bodies[number[name]], built[number[name]]
            local = (np.asarray(point) - np.asarray(body.place.position)) @ rotation_matrix(body.place.rotation)
            lo, hi = pieces.vertices.min(axis=0), pieces.vertices.max(axis=0)
            away = float(np.linalg.norm(np.maximum(np.maximum(lo - local, local - hi), 0.0)))
            if away > 0.25 * float(np.linalg.norm(hi - lo)):
                out.append(
                    Finding(
                        "tie-far",
                        "check",
                        "bind",
                        tie.name,
                        f"{tie.name} is tied to {name} at a point {_length(away)} away from it.",
                        "Move the point onto the body",
                    )
                )
        if all(shot.bodies[number[name]].role != "active" for name, _ in ends):
            out.append(
                Finding(
                    "tie-idle",
                    "check",
                    "bind",
                    tie.name,
                    f"{tie.name} ties nothing that can move.",
                    "Tie an active body",
                )
            )
    return out


def _length(metres: float) -> str:
    return (
        f"{metres:.2f} m" if metres >= 1 else f"{100 * metres:.1f} cm" if metres >= 0.01 else f"{1000 * metres:.2g} mm"
    )
