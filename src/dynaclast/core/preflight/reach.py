"""How many pieces and bonds each field reaches in each body: the figures of the reach grid."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np

from ..arrays import Array, Mask
from ..document import AnchorEffect, FieldItem, Shot
from ..falloff import EvaluationContext, value
from ..falloff.value import color, tinted
from ..fields import BONDS, EFFECTS, PIECES, EffectContext
from ..fields.base import among
from ..fields.samples import VERTICES, at_rest
from ..fracture.bonds import bond_strengths, bonds_cut, placed
from ..fracture.deforming import SurfaceOf, drawn_surface, mass_of
from ..fracture.pieces import Pieces
from ..geometry.sampling import scatter_on
from ..timeline.channels import Keyed, shared_at
from .forecast import bond_graph, broken_by, firings, strengthened
from .still import StillWorld


@dataclass(frozen=True)
class Crossing:
    """One field against one body.

    pieces: how many it reaches (for an anchor: holds); of: all; bonds: how many it reaches; breaks: how many a strain
    would break by itself, every time it falls, on what stays where it is; load_top, strength_low, strength_high [kN]
    over the bonds in reach; vertices: of a body that deforms, whose vertices are counted instead of pieces
    """

    field: str
    body: str
    targeted: bool
    pieces: int
    of: int
    bonds: int
    breaks: int
    load_top: float
    strength_low: float
    strength_high: float
    vertices: bool = False


@dataclass(frozen=True)
class Layout:
    """Everything a shot's fields can act on, where it stands at the start; bodies in order, groups written out.

    piece_center (P, 3), bond_center (B, 3) [m]; strength (B,) [N] before fields; piece_column (P,), bond_column (B,):
    index into columns, the names of single bodies and groups
    """

    piece_center: np.ndarray
    bond_center: np.ndarray
    strength: np.ndarray
    piece_column: np.ndarray
    bond_column: np.ndarray
    columns: list[str]
    mass: np.ndarray
    size: np.ndarray
    world: StillWorld
    evaluation: EvaluationContext


def lay_out(shot: Shot, built: list[Pieces], time: float = 0.0, surface_of: SurfaceOf = drawn_surface) -> Layout:
    """Gather a written-out shot's pieces and bonds as they stand at a time [s], moved by animation alone."""
    columns = list(dict.fromkeys(b.column for b in shot.bodies))
    number = {name: k for k, name in enumerate(columns)}
    world = StillWorld(shot, built, time, surface_of)
    evaluation = EvaluationContext(time, float(shot.timing.fps), shared_at(shot.falloffs, time), world)
    mass, size = [np.zeros(0)], [np.zeros(0)]
    centers, bonds, strength, piece_column, bond_column = (
        [np.zeros((0, 3))],
        [np.zeros((0, 3))],
        [np.zeros(0)],
        [np.zeros(0, int)],
        [np.zeros(0, int)],
    )
    for b, (body, pieces) in enumerate(zip(shot.bodies, built, strict=True)):
        centers.append(world.moved(b, placed(body, pieces.center)))
        mass.append(body.material.density_for(float(pieces.volume.sum())) * pieces.volume)
        size.append(np.cbrt(pieces.volume))
        piece_column.append(np.full(pieces.count, number[body.column]))
        if body.bonds is not None and len(pieces.bond_area):
            keep = ~bonds_cut(body, pieces)
            bonds.append(world.moved(b, placed(body, pieces.bond_center[keep])))
            strength.append(bond_strengths(body, pieces)[keep])
            bond_column.append(np.full(int(keep.sum()), number[body.column]))
    return Layout(
        np.concatenate(centers),
        np.concatenate(bonds),
        np.concatenate(strength),
        np.concatenate(piece_column),
        np.concatenate(bond_column),
        columns,
        np.concatenate(mass),
        np.concatenate(size),
        world,
        evaluation,
    )


def on_pieces(at: Layout, targets: Mask | None = None) -> EffectContext:
    """Pieces as fields find them there, at rest; targets (P,) bool, all unless given."""
    everything = np.ones(len(at.piece_center), bool) if targets is None else targets
    return EffectContext(at_rest(PIECES, at.piece_center, at.mass, at.size), everything, at.evaluation)


def on_bonds(at: Layout) -> EffectContext:
    """All bonds as fields find them there."""
    return EffectContext(at_rest(BONDS, at.bond_center), np.ones(len(at.bond_center), bool), at.evaluation)


@dataclass(frozen=True)
class VertexLayout:
    """Drawn vertices of bodies that deform, as they open.

    point  : name of a body -> (V, 3) float64, [m], world
    rest   : the same in the shape it rests in, where what holds and weighs is asked
    column : name of a body -> that of its group, or its own
    mass   : name of a body -> [kg], of the whole
    """

    point: dict[str, Array]
    rest: dict[str, Array]
    column: dict[str, str]
    mass: dict[str, float]


def lay_out_vertices(shot: Shot, surface_of: SurfaceOf) -> VertexLayout:
    """Of a written-out shot."""
    soft = [(b, surface_of(b)) for b in shot.bodies if b.deforms]
    return VertexLayout(
        {b.name: placed(b, b.factor * surface.start) for b, surface in soft},
        {b.name: placed(b, b.factor * surface.vertices) for b, surface in soft},
        {b.name: b.column for b, _ in soft},
        {b.name: b.factor**3 * mass_of(b, surface) for b, surface in soft},
    )


def _pull(shot: Shot, name: str, on: EffectContext) -> Array | None:
    """What a field would do to samples at rest (n, 3); None if it moves nothing."""
    item = next((f for f in Keyed(shot.fields).at(on.evaluation.time) if f.name == name), None)
    if item is None:
        return None
    if item.effect.kind == "displace":
        return on.reach_of(item)[:, None] * np.asarray(item.effect.offset)
    effect = EFFECTS[item.effect.kind]
    acceleration = effect.forcing(item, on).linear
    return acceleration if acceleration is not None else effect.blow(item, on).linear


def _targeted(shot: Shot, at: Layout, name: str, columns: Array) -> Mask:
    item = next((f for f in shot.fields if f.name == name), None)
    return among(item.targets if item else [], at.columns)[columns]


def arrows(shot: Shot, at: Layout, name: str) -> Array | None:
    """What a field would do to each piece (P, 3): an acceleration [m/s2], or of a blow a change of velocity [m/s]; None
    of one that moves nothing.
    """
    on = on_pieces(at, _targeted(shot, at, name, at.piece_column))
    return _pull(shot, name, on)


FEW, SPREAD, MOST_ARROWS = 8, 24, 64
"""Bodies of fewer pieces get arrows over their surface instead, so many; what deforms at most so many."""


def arrows_over(shot: Shot, built: list[Pieces], at: Layout, vertices: VertexLayout, name: str) -> tuple[Array, Array]:
    """What a field would do over the surfaces of bodies with few pieces, and at some vertices of what deforms.

    Returns : (n, 3) float64, [m], world, where; (n, 3) float64, as ``arrows``; both empty where it moves nothing
    """
    world = at.world
    number = {column: k for k, column in enumerate(at.columns)}
    points, mass, size, column = [np.zeros((0, 3))], [np.zeros(0)], [np.zeros(0)], [np.zeros(0, int)]
    first = 0
    for b, (body, pieces) in enumerate(zip(shot.bodies, built, strict=True)):
        own = slice(first, first + pieces.count)
        first += pieces.count
        if pieces.count >= FEW or not len(pieces.faces):
            continue
        over = scatter_on(pieces.whole, SPREAD, np.random.default_rng(0))
        points.append(world.moved(b, placed(body, over)))
        mass.append(np.full(SPREAD, at.mass[own].sum()))
        size.append(np.full(SPREAD, at.size[own].max()))
        column.append(np.full(SPREAD, number[body.column]))
    for soft, point in vertices.point.items():
        some = point[np.linspace(0, len(point) - 1, min(len(point), MOST_ARROWS)).astype(int)]
        points.append(some)
        mass.append(np.full(len(some), vertices.mass[soft] / len(point)))
        size.append(np.ones(len(some)))
        column.append(np.full(len(some), number[vertices.column[soft]]))
    where, columns = np.concatenate(points), np.concatenate(column)
    samples = at_rest(PIECES, where, np.concatenate(mass), np.concatenate(size))
    on = EffectContext(samples, _targeted(shot, at, name, columns), at.evaluation)
    pulls = _pull(shot, name, on) if len(where) else None
    return (where, pulls) if pulls is not None else (np.zeros((0, 3)), np.zeros((0, 3)))


def reach_on_vertices(item: FieldItem, at: Layout, vertices: VertexLayout) -> dict[str, Array]:
    """A field's reach (V,), 0 to 1, at drawn vertices of bodies that it targets."""
    out = {}
    for name, point in vertices.point.items():
        targets = np.repeat(among(item.targets, [vertices.column[name]]), len(point))
        out[name] = EffectContext(at_rest(VERTICES, point), targets, at.evaluation).reach_of(item)
    return out


def pinned_vertices(shot: Shot, at: Layout, vertices: VertexLayout) -> dict[str, Mask]:
    """Which drawn vertices (V,) are pinned, by the same falloffs and cuts as a run has them."""
    out = {}
    for body in (b for b in shot.bodies if b.name in vertices.point):
        point = vertices.rest[body.name]
        held = [value(pins.reach, point, at.evaluation) >= pins.cut for pins in body.pins]
        out[body.name] = np.any(held, axis=0) if held else np.zeros(len(point), bool)
    return out


def with_vertices(
    found: list[Crossing], items: Iterable[FieldItem], at: Layout, vertices: VertexLayout
) -> list[Crossing]:
    """Crossings with what deforms, whose vertices count as pieces do; an anchor holds those at its cut or above."""
    if not vertices.point:
        return found
    counts: dict[tuple[str, str], list[int]] = {}
    for item in items:
        for name, reach in reach_on_vertices(item, at, vertices).items():
            held = reach >= item.effect.cut if isinstance(item.effect, AnchorEffect) else reach > 0
            own = counts.setdefault((item.name, vertices.column[name]), [0, 0])
            own[0] += int(held.sum())
            own[1] += len(reach)
    return [
        replace(c, pieces=counts[c.field, c.body][0], of=counts[c.field, c.body][1], vertices=True)
        if (c.field, c.body) in counts
        else c
        for c in found
    ]


def maps_at(shot: Shot, at: Layout) -> dict[str, tuple[np.ndarray, np.ndarray | None]]:
    """The shot's maps where things stand: values (P,), and colours (P, 3) in [0, 1] where the falloff has some of its
    own.
    """
    out: dict[str, tuple[np.ndarray, np.ndarray | None]] = {}
    for m in shot.maps:
        own = among(m.targets, at.columns)[at.piece_column]
        out[m.name] = (
            np.where(own, value(m.reach, at.piece_center, at.evaluation), 0.0),
            np.where(own[:, None], color(m.reach, at.piece_center, at.evaluation), 0.0)
            if tinted(m.reach, at.evaluation)
            else None,
        )
    return out


def map_on_vertices(
    shot: Shot, name: str, at: Layout, vertices: VertexLayout
) -> dict[str, tuple[np.ndarray, np.ndarray | None]]:
    """A map (V,) at drawn vertices of bodies that deform and that it targets, where they open, and its colours (V, 3)
    in [0, 1] where it has some, by the bodies' names; none where there is no such map.
    """
    found = next((m for m in shot.maps if m.name == name), None)
    out: dict[str, tuple[np.ndarray, np.ndarray | None]] = {}
    for body, point in vertices.point.items():
        if found is not None and among(found.targets, [vertices.column[body]])[0]:
            tint = color(found.reach, point, at.evaluation) if tinted(found.reach, at.evaluation) else None
            out[body] = value(found.reach, point, at.evaluation), tint
    return out


def crossings(shot: Shot, built: list[Pieces], at: Layout | None = None) -> list[Crossing]:
    """Every field against every body and group, fields in order, then columns."""
    at = at or lay_out(shot, built)
    out: list[Crossing] = []
    pieces, joined = on_pieces(at), on_bonds(at)
    items = Keyed(shot.fields).at(at.evaluation.time)
    strength = at.strength * strengthened(items, joined, at.bond_column, at.columns)
    graph = None
    duration = shot.timing.frames / shot.timing.fps
    for item in items:
        effect = EFFECTS[item.effect.kind]
        held = effect.holds(item, pieces)
        reached = held if held is not None else pieces.reach_of(item) > 0
        near = joined.reach_of(item) > 0
        load = effect.load(item, joined)
        breaks = np.zeros(len(strength), bool)
        if load is not None and item.on:
            graph = graph or bond_graph(shot, built, strength)
            targeted = among(item.targets, at.columns)[at.bond_column]
            breaks = broken_by(item, load, graph, targeted, firings(item, duration))
        for k, name in enumerate(at.columns):
            own, bonds = at.piece_column == k, at.bond_column == k
            close = strength[near & bonds]
            out.append(
                Crossing(
                    item.name,
                    name,
                    item.on and (item.targets == "all" or name in item.targets),
                    int(reached[own].sum()),
                    int(own.sum()),
                    len(close),
                    int(breaks[bonds].sum()),
                    float(load[bonds].max(initial=0.0)) / 1000 if load is not None else 0.0,
                    float(close.min()) / 1000 if len(close) else 0.0,
                    float(close.max()) / 1000 if len(close) else 0.0,
                )
            )
    return out
