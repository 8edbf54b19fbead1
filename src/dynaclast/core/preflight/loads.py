"""What bonds carry before anything happens: a body's own weight against its bonds' strength."""

from __future__ import annotations

import numpy as np

from ..document import Shot
from ..falloff import Moment
from ..fields import EFFECTS, Setting, Targets
from ..fields.stand import shared_at
from ..fracture.bonds import bond_strengths, bonds_cut, placed
from ..fracture.pieces import Pieces
from ..geometry.mesh import Array
from ..solve.loadpath import weigh


def weight_loads(shot: Shot, built: list[Pieces], index: int) -> tuple[Array, Array]:
    """Load by own weight and strength, anchors included, of a body's bonds (B,), (B,) [N] at the start; 0 for bonds cut
    by hand.

    shot : written out; index : of the body
    """
    body, pieces = shot.bodies[index], built[index]
    strength = bond_strengths(body, pieces)
    load = np.zeros(len(strength))
    if body.bonds is None or not len(strength):
        return load, strength
    center, middle = placed(body, pieces.center), placed(body, pieces.bond_center)
    fixed = np.full(pieces.count, body.role != "active" or body.release.kind in ("touch", "cue"))
    everything = Targets(np.ones(pieces.count, bool), np.ones(len(strength), bool))
    setting = Setting(center, middle, Moment(shared=shared_at(shot.falloffs, 0.0)))
    for item in shot.fields:
        if item.on and (item.targets == "all" or body.column in item.targets):
            held = EFFECTS[item.effect.kind].held(item, setting, everything)
            factor = EFFECTS[item.effect.kind].strengthen(item, setting, everything)
            fixed = fixed | held if held is not None else fixed
            strength = strength * factor if factor is not None else strength
    keep = ~bonds_cut(body, pieces)
    mass = body.gravity * body.material.density_for(float(pieces.volume.sum())) * pieces.volume
    load[keep] = weigh(
        center,
        mass,
        np.asarray(shot.gravity, float),
        fixed,
        pieces.bond_piece[keep],
        middle[keep],
        pieces.bond_area[keep],
    )
    return load, strength
