"""What bonds carry before anything happens: a body's own weight against its bonds' strength."""

from __future__ import annotations

import numpy as np

from ..arrays import Array
from ..document import Shot
from ..falloff import EvaluationContext
from ..fields import BONDS, EFFECTS, PIECES, EffectContext
from ..fields.samples import at_rest
from ..fracture.bonds import bond_strengths, bonds_cut, placed
from ..fracture.pieces import Pieces
from ..geometry.rotations import rotation_matrix
from ..solve.statics import Faces, weigh
from ..timeline.channels import shared_at


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
    evaluation = EvaluationContext(shared=shared_at(shot.falloffs, 0.0))
    on_pieces = EffectContext(at_rest(PIECES, center), np.ones(pieces.count, bool), evaluation)
    on_bonds = EffectContext(at_rest(BONDS, middle), np.ones(len(strength), bool), evaluation)
    for item in shot.fields:
        if item.on and (item.targets == "all" or body.column in item.targets):
            held = EFFECTS[item.effect.kind].holds(item, on_pieces)
            factor = EFFECTS[item.effect.kind].strength_factor(item, on_bonds)
            fixed = fixed | held if held is not None else fixed
            strength = strength * factor if factor is not None else strength
    keep = ~bonds_cut(body, pieces)
    mass = body.gravity * body.material.density_for(float(pieces.volume.sum())) * pieces.volume
    turn = rotation_matrix(body.place.rotation)
    faces = Faces(
        pieces.bond_piece,
        middle,
        pieces.bond_area,
        pieces.bond_normal @ turn.T,
        turn @ pieces.bond_second_moment @ turn.T,
    )
    load[keep] = weigh(center, mass, np.asarray(shot.gravity, float), fixed, faces.at(np.flatnonzero(keep)))
    return load, strength
