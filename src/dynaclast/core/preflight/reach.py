"""How many pieces and bonds each field reaches in each body: the figures of the reach grid."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..document import Shot
from ..falloff import Moment, value
from ..falloff.value import color, tinted
from ..fields import EFFECTS, Matter, Setting, Targets
from ..fields.base import among, reach_of_bonds, reach_of_pieces
from ..fields.stand import Keyed, shared_at
from ..fracture.bonds import bond_strengths, bonds_cut, placed
from ..fracture.pieces import Pieces
from .still import StillWorld


@dataclass(frozen=True)
class Crossing:
    """One field against one body.

    pieces: how many it reaches (for an anchor: holds); of: all; bonds: how many it reaches; breaks: how many a strain
    would break by itself; load_top, strength_low, strength_high [kN] over the bonds in reach
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


@dataclass(frozen=True)
class Standing:
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
    moment: Moment


def standing(shot: Shot, built: list[Pieces], time: float = 0.0) -> Standing:
    """Gather a written-out shot's pieces and bonds as they stand at a time [s], moved by animation alone."""
    columns = list(dict.fromkeys(b.column for b in shot.bodies))
    number = {name: k for k, name in enumerate(columns)}
    world = StillWorld(shot, built, time)
    moment = Moment(time, float(shot.timing.fps), shared_at(shot.falloffs, time), world)
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
    return Standing(
        np.concatenate(centers),
        np.concatenate(bonds),
        np.concatenate(strength),
        np.concatenate(piece_column),
        np.concatenate(bond_column),
        columns,
        np.concatenate(mass),
        np.concatenate(size),
        moment,
    )


def setting_of(at: Standing) -> Setting:
    """What fields find there: everything at rest."""
    still = np.zeros((len(at.piece_center), 3))
    return Setting(
        at.piece_center,
        at.bond_center,
        at.moment,
        matter=Matter(at.mass, at.size, still, still, still, at.piece_center, still),
    )


def arrows(shot: Shot, at: Standing, name: str) -> np.ndarray | None:
    """What a field would do to each piece (P, 3): an acceleration [m/s2], or of a blow a change of velocity [m/s]; None
    of one that moves nothing.
    """
    item = next((f for f in Keyed(shot.fields).at(at.moment.time) if f.name == name), None)
    if item is None:
        return None
    targets = Targets(among(item.targets, at.columns)[at.piece_column], np.zeros(len(at.bond_center), bool))
    if item.effect.kind == "displace":
        return reach_of_pieces(item, setting_of(at), targets)[:, None] * np.asarray(item.effect.offset)
    effect, setting = EFFECTS[item.effect.kind], setting_of(at)
    push, _ = effect.flow(item, setting, targets)
    return push if push is not None else effect.kick(item, setting, targets)


def charts(shot: Shot, at: Standing) -> dict[str, tuple[np.ndarray, np.ndarray | None]]:
    """The shot's maps where things stand: values (P,), and colours (P, 3) in [0, 1] where the falloff has some of its
    own.
    """
    out: dict[str, tuple[np.ndarray, np.ndarray | None]] = {}
    for m in shot.maps:
        own = among(m.targets, at.columns)[at.piece_column]
        out[m.name] = (
            np.where(own, value(m.reach, at.piece_center, at.moment), 0.0),
            np.where(own[:, None], color(m.reach, at.piece_center, at.moment), 0.0)
            if tinted(m.reach, at.moment)
            else None,
        )
    return out


def crossings(shot: Shot, built: list[Pieces], at: Standing | None = None) -> list[Crossing]:
    """Every field against every body and group, fields in order, then columns."""
    at = at or standing(shot, built)
    out: list[Crossing] = []
    setting = setting_of(at)
    everything = Targets(np.ones(len(at.piece_center), bool), np.ones(len(at.bond_center), bool))
    for item in Keyed(shot.fields).at(at.moment.time):
        effect = EFFECTS[item.effect.kind]
        held = effect.held(item, setting, everything)
        reached = held if held is not None else reach_of_pieces(item, setting, everything) > 0
        near = reach_of_bonds(item, setting, everything) > 0
        load = effect.load(item, setting, everything)
        for k, name in enumerate(at.columns):
            own, bonds = at.piece_column == k, at.bond_column == k
            close = at.strength[near & bonds]
            out.append(
                Crossing(
                    item.name,
                    name,
                    item.on and (item.targets == "all" or name in item.targets),
                    int(reached[own].sum()),
                    int(own.sum()),
                    len(close),
                    int((load > at.strength)[bonds].sum()) if load is not None else 0,
                    float(load[bonds].max(initial=0.0)) / 1000 if load is not None else 0.0,
                    float(close.min()) / 1000 if len(close) else 0.0,
                    float(close.max()) / 1000 if len(close) else 0.0,
                )
            )
    return out
