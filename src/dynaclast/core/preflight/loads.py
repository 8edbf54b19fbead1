"""What bonds carry before anything happens, by a body's own weight and by what a field would do to it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from ..arrays import Array, Index, Mask, cross
from ..document import Shot
from ..falloff import EvaluationContext
from ..fields import BONDS, EFFECTS, PIECES, EffectContext, Forcing
from ..fields.samples import at_rest
from ..fracture.bonds import bond_strengths, bonds_cut, placed
from ..fracture.pieces import Pieces
from ..geometry.rotations import rotation_matrix
from ..solve.statics import Faces, RigidMotion, Structure, bond_loads, elements_of, inertial_loads, sections_of, weigh
from ..timeline.channels import shared_at


@dataclass(frozen=True)
class Bonded:
    """A body's pieces and bonds, where it opens; B of them that are not cut by hand.

    rows     : (B,) int64, among all bonds of its pieces
    faces    : of the bonds
    strength : (B,) float64, [N], anchors included
    center   : (P, 3) float64, [m]
    mass     : (P,) float64, [kg]
    inertia  : (P, 3, 3) float64, [kg m2]
    held     : (P,) bool
    gravity  : (3,) float64, [m/s2]
    """

    rows: Index
    faces: Faces
    strength: Array
    center: Array
    mass: Array
    inertia: Array
    held: Mask
    gravity: Array

    def carried(self, force: Array, torque: Array) -> Array:
        """Load (B,) [N] of bonds by forces (P, 3) [N] and torques (P, 3) [N m] on pieces. What hangs together and
        nothing holds is balanced by its inertia.
        """
        piece, count = self.faces.piece, len(self.mass)
        graph = coo_matrix((np.ones(len(piece), np.int8), (piece[:, 0], piece[:, 1])), shape=(count, count))
        parts, label = connected_components(graph, directed=False)
        force, torque, still = force.copy(), torque.copy(), self.held.copy()
        for part in range(parts):
            own = np.flatnonzero(label == part)
            if self.held[own].any():
                continue
            f, t = self._resisted(own, force[own], torque[own])
            force[own], torque[own], still[own[0]] = f, t, True
        structure = Structure(piece, elements_of(self.center, self.faces, self.held), still)
        return bond_loads(self.faces, sections_of(self.faces), *structure.solve(force, torque))

    def _resisted(self, own: Index, force: Array, torque: Array) -> tuple[Array, Array]:
        """Forces and torques (n, 3) with what free pieces resist with, hanging together and at rest (d'Alembert)."""
        mass, center, inertia = self.mass[own], self.center[own], self.inertia[own]
        middle = mass @ center / mass.sum()
        arm = center - middle
        square = np.einsum("pi,pi->p", arm, arm)
        whole = inertia.sum(axis=0) + mass @ square * np.eye(3) - np.einsum("p,pi,pj->ij", mass, arm, arm)
        turning = np.linalg.solve(whole, (torque + cross(arm, force)).sum(axis=0))
        motion = RigidMotion(middle, np.zeros(3), force.sum(axis=0) / mass.sum(), turning)
        against = inertial_loads(center, mass, inertia, motion)
        return force + against[0], torque + against[1]

    def weight(self) -> Array:
        """Load (B,) [N] by its own weight, of pieces that hang on held ones; 0 elsewhere."""
        return weigh(self.center, self.mass, self.gravity, self.held, self.faces)

    def driven(self, forcing: Forcing) -> Array:
        """Load (B,) [N] by what a field does to its pieces, its weight besides where it is held."""
        force = np.zeros_like(self.center) if forcing.linear is None else self.mass[:, None] * forcing.linear
        torque = np.zeros_like(self.center) if forcing.torque is None else forcing.torque
        if forcing.angular is not None:
            torque = torque + np.einsum("pij,pj->pi", self.inertia, forcing.angular)
        return self.carried(force + self.mass[:, None] * self.gravity, torque)


def bonded(shot: Shot, built: list[Pieces], index: int) -> Bonded:
    """A body of a written-out shot, as it opens; index : of the body."""
    body, pieces = shot.bodies[index], built[index]
    strength = bond_strengths(body, pieces)
    center, middle = placed(body, pieces.center), placed(body, pieces.bond_center)
    held = np.full(pieces.count, body.role != "active" or body.release.kind in ("touch", "cue"))
    evaluation = EvaluationContext(shared=shared_at(shot.falloffs, 0.0))
    on_pieces = EffectContext(at_rest(PIECES, center), np.ones(pieces.count, bool), evaluation)
    on_bonds = EffectContext(at_rest(BONDS, middle), np.ones(len(strength), bool), evaluation)
    for item in shot.fields:
        if item.on and (item.targets == "all" or body.column in item.targets):
            holds = EFFECTS[item.effect.kind].holds(item, on_pieces)
            factor = EFFECTS[item.effect.kind].strength_factor(item, on_bonds)
            held = held | holds if holds is not None else held
            strength = strength * factor if factor is not None else strength
    cut = np.ones(len(strength), bool) if body.bonds is None else bonds_cut(body, pieces)
    density, turn = body.material.density_for(float(pieces.volume.sum())), rotation_matrix(body.place.rotation)
    faces = Faces(
        pieces.bond_piece,
        middle,
        pieces.bond_area,
        pieces.bond_normal @ turn.T,
        turn @ pieces.bond_second_moment @ turn.T,
    )
    rows = np.flatnonzero(~cut)
    return Bonded(
        rows,
        faces.at(rows),
        strength[rows],
        center,
        density * pieces.volume,
        density * (turn @ pieces.inertia @ turn.T),
        held,
        body.gravity * np.asarray(shot.gravity, float),
    )


def weight_loads(shot: Shot, built: list[Pieces], index: int) -> tuple[Array, Array]:
    """Load by own weight and strength, anchors included, of a body's bonds (B,), (B,) [N] at the start; 0 for bonds cut
    by hand.

    shot : written out; index : of the body
    """
    own = bonded(shot, built, index)
    load, strength = np.zeros(len(built[index].bond_area)), np.zeros(len(built[index].bond_area))
    load[own.rows], strength[own.rows] = own.weight(), own.strength
    return load, strength
