"""Forces in bonds: a static solve on the bond graph.

Every piece is a rigid node of six freedoms, every bond an elastic layer in its face: a linear spring at the face's
centre, along its normal with A / L and across it with 0.4 A / L, and against turning with the face's own second moments
of area, I / L about each axis in the face and 0.4 J / L about its normal; L is how far both pieces' centres are from
the face, of pieces that are held 0. The material's stiffness drops out of the forces. Source: direct stiffness method
(Przemieniecki 1968, "Theory of Matrix Structural Analysis"), with rigid offsets from centre to face.

What nothing holds is balanced by its own inertia first (d'Alembert): then it bears itself.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from scipy.sparse import coo_matrix, csc_matrix
from scipy.sparse.linalg import splu

from ..arrays import Array, Index, Mask
from ..kernels import kernel

SHEAR = 0.4
"""Stiffness across the face as a share of that along it: G / E of stone-like materials."""
PRESSED = 10.0
"""A pressed face carries so many times as much as a pulled one: compressive over tensile strength of stone and
concrete.
"""
SHORTEST = 1e-3
"""L is at least this share of a face's size."""
GRIP = 0.6
"""Friction of a pressed face: shear up to this share of the pressure loads no bond (Mohr and Coulomb)."""


class Faces(NamedTuple):
    """Faces of bonds in one frame; B of them.

    piece         : (B, 2) int32
    center        : (B, 3) float64, [m]
    area          : (B,) float64, [m2]
    normal        : (B, 3) float64, unit, from the first piece to the second
    second_moment : (B, 3, 3) float64, [m4], about the centre
    """

    piece: Index
    center: Array
    area: Array
    normal: Array
    second_moment: Array

    def at(self, rows: Index) -> Faces:
        return Faces(self.piece[rows], self.center[rows], self.area[rows], self.normal[rows], self.second_moment[rows])


class Sections(NamedTuple):
    """Faces as the rectangles with their second moments.

    axis : (B, 2, 3) float64, unit, along the long and the short side
    side : (B, 2) float64, [m], the long and the short side
    """

    axis: Array
    side: Array

    def at(self, rows: Index) -> Sections:
        return Sections(self.axis[rows], self.side[rows])


def sections_of(faces: Faces) -> Sections:
    """The sides of a rectangle are sqrt(12 I / A)."""
    size, axes = np.linalg.eigh(faces.second_moment)
    return Sections(
        np.stack([axes[:, :, 2], axes[:, :, 1]], axis=1),
        np.sqrt(np.maximum(12.0 * size[:, [2, 1]] / faces.area[:, None], 1e-18)),
    )


def _cross_matrices(v: Array) -> Array:
    """(n, 3, 3) matrices X with X w = v x w."""
    out = np.zeros((len(v), 3, 3))
    out[:, 0, 1], out[:, 0, 2], out[:, 1, 2] = -v[:, 2], v[:, 1], -v[:, 0]
    out[:, 1, 0], out[:, 2, 0], out[:, 2, 1] = v[:, 2], -v[:, 1], v[:, 0]
    return out


class Elements(NamedTuple):
    """Bonds as elastic layers.

    stiff   : (B, 3, 3) float64, [m], against opening, of a material of modulus 1
    turn    : (B, 3, 3) float64, [m3], against turning
    opening : (B, 3, 12) float64, from the freedoms of both pieces to the opening of the face: theta x r = -[r] theta
    block   : (B, 12, 12) float64, stiffness over the freedoms of both pieces
    """

    stiff: Array
    turn: Array
    opening: Array
    block: Array

    def at(self, rows: Index) -> Elements:
        return Elements(self.stiff[rows], self.turn[rows], self.opening[rows], self.block[rows])


def elements_of(center: Array, faces: Faces, held: Mask) -> Elements:
    """The bonds between pieces of which some are held.

    center : (P, 3) float64, [m]; held : (P,) bool
    """
    piece = faces.piece
    a, b = center[piece[:, 0]], center[piece[:, 1]]
    gives = ~held[piece]  # what is held gives nowhere: of it no length counts
    length = gives[:, 0] * np.abs(np.einsum("bi,bi->b", faces.center - a, faces.normal))
    length += gives[:, 1] * np.abs(np.einsum("bi,bi->b", b - faces.center, faces.normal))
    length = np.maximum(length, SHORTEST * np.sqrt(faces.area))
    across = np.einsum("bi,bj->bij", faces.normal, faces.normal)
    stiff = (faces.area / length)[:, None, None] * (across + SHEAR * (np.eye(3) - across))
    turned = _cross_matrices(faces.normal)  # r x n = -[n] r, so that K = integral (r x n)(r x n)^T = [n] S [n]^T
    bending = turned @ faces.second_moment @ turned.transpose(0, 2, 1)
    polar = np.trace(faces.second_moment, axis1=1, axis2=2)
    turn = (bending + SHEAR * polar[:, None, None] * across) / length[:, None, None]
    opening = np.zeros((len(piece), 3, 12))
    opening[:, :, 0:3], opening[:, :, 6:9] = -np.eye(3), np.eye(3)
    opening[:, :, 3:6], opening[:, :, 9:12] = _cross_matrices(faces.center - a), -_cross_matrices(faces.center - b)
    block = opening.transpose(0, 2, 1) @ (stiff @ opening)
    for i, j, sign in ((3, 3, 1.0), (3, 9, -1.0), (9, 3, -1.0), (9, 9, 1.0)):
        block[:, i : i + 3, j : j + 3] += sign * turn
    return Elements(*map(np.ascontiguousarray, (stiff, turn, opening, block)))


class Structure:
    """Pieces joined by bonds, some of them held, ready to be loaded again and again.

    Every free piece must reach a held one by bonds.
    """

    def __init__(self, piece: Index, elements: Elements, held: Mask) -> None:
        """piece : (B, 2) int32; held : (P,) bool."""
        self._piece, self._elements, self._free = piece, elements, np.flatnonzero(~held)
        self._factor = self._factored(len(held)) if len(self._free) else None

    def _factored(self, count: int) -> object:
        """The stiffness matrix of the free pieces, factored."""
        number = np.full(count, -1)
        number[self._free] = np.arange(len(self._free))
        freedom = np.where(number[self._piece] >= 0, 6 * number[self._piece], -12)[:, :, None] + np.arange(6)
        freedom = freedom.reshape(len(self._piece), 12)
        rows, columns = np.broadcast_arrays(freedom[:, :, None], freedom[:, None, :])
        keep, size = (rows >= 0) & (columns >= 0), 6 * len(self._free)
        matrix = csc_matrix(coo_matrix((self._elements.block[keep], (rows[keep], columns[keep])), shape=(size, size)))
        return splu(matrix, permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True})

    def solve(self, force: Array, torque: Array) -> tuple[Array, Array]:
        """Forces in bonds that carry loads on pieces to held pieces.

        force   : (P, 3) float64, [N]
        torque  : (P, 3) float64, [N m], about each piece's centre
        Returns : (B, 3) [N], force the second piece exerts on the first through the bond; (B, 3) [N m], moment
                  likewise, about the face's centre
        """
        u = np.zeros((len(force), 6))
        if self._factor is not None:
            load = np.concatenate([force[self._free], torque[self._free]], axis=1).ravel()
            u[self._free] = self._factor.solve(load).reshape(-1, 6)  # type: ignore[attr-defined]
        both = np.concatenate([u[self._piece[:, 0]], u[self._piece[:, 1]]], axis=1)
        stiff, turn, opening, _ = self._elements
        pull = (stiff @ (opening @ both[:, :, None]))[:, :, 0]
        return pull, (turn @ (both[:, 9:] - both[:, 3:6])[:, :, None])[:, :, 0]


def structure_of(center: Array, held: Mask, faces: Faces, floats: bool = False) -> Structure:
    """Pieces with centres (P, 3) [m] of which some are held (P,) bool. floats: nothing really holds them: what is
    called held is a place to count from.
    """
    gives = np.zeros(len(center), bool) if floats else held
    return Structure(faces.piece, elements_of(center, faces, gives), held)


def bond_loads(faces: Faces, sections: Sections, pull: Array, moment: Array) -> Array:
    """Load (B,) [N] that counts against strength: the greatest stress on the face, times its area. Of these the worst:
    tension at the worst edge, a tenth of the pressure there, and shear with torsion that friction does not hold.

    pull, moment : (B, 3), as ``Structure.solve`` gives them
    Source       : beam bending sigma = M c / I about both axes; torsion of a rectangle of sides a > b,
                   T (3 a + 1.8 b) / (a b)^2 (Young, Budynas and Sadegh 2012, "Roark's Formulas", table 10.7)
    """
    out = np.zeros(len(pull))
    load_faces(faces, sections, np.ascontiguousarray(pull), np.ascontiguousarray(moment), out)
    return out


@kernel
def load_faces(faces: Faces, sections: Sections, pull: Array, moment: Array, out: Array) -> None:
    for b in range(len(out)):
        out[b] = _face_load(faces.normal[b], sections.axis[b], sections.side[b], pull[b], moment[b])


@kernel(allocates=True)
def measure_bonds(rows: Index, moved: Array, elements: Elements, faces: Faces, sections: Sections, out: Array) -> None:
    """Loads of some bonds by what their pieces give way.

    rows  : (m,) int64, the bonds
    moved : (P, 6) float64, [m], [rad], of a material of modulus 1
    out   : (B,) float64, [N], out, at these rows
    """
    both, opened, pull, turned, moment = np.empty(12), np.empty(3), np.empty(3), np.empty(3), np.empty(3)
    for b in rows:
        p, q = faces.piece[b, 0], faces.piece[b, 1]
        for k in range(6):
            both[k], both[6 + k] = moved[p, k], moved[q, k]
        for i in range(3):
            opened[i], turned[i] = 0.0, both[9 + i] - both[3 + i]
            for k in range(12):
                opened[i] += elements.opening[b, i, k] * both[k]
        for i in range(3):
            pull[i], moment[i] = 0.0, 0.0
            for k in range(3):
                pull[i] += elements.stiff[b, i, k] * opened[k]
                moment[i] += elements.turn[b, i, k] * turned[k]
        out[b] = _face_load(faces.normal[b], sections.axis[b], sections.side[b], pull, moment)


@kernel(inner=True)
def _face_load(normal: Array, axis: Array, side: Array, pull: Array, moment: Array) -> float:
    along, twist, first, second = 0.0, 0.0, 0.0, 0.0
    for i in range(3):
        along += pull[i] * normal[i]
        twist += moment[i] * normal[i]
        first += axis[0, i] * moment[i]
        second += axis[1, i] * moment[i]
    shear = 0.0
    for i in range(3):
        shear += (pull[i] - along * normal[i]) ** 2
    long, short = side[0], side[1]
    # a moment about the short side's axis bends along the long one: 6 M / side; of both, that of an oval, since which
    # way the sides of a nearly square face look its second moments do not say
    edge = 6.0 * np.sqrt((second / long) ** 2 + (first / short) ** 2)
    across = np.sqrt(shear) + abs(twist) * (3.0 + 1.8 * short / long) / short
    pressed = max(0.0, -along)
    return max(max(0.0, along + edge), max((edge - along) / PRESSED, across - GRIP * pressed))


class RigidMotion(NamedTuple):
    """How pieces that hang together move as one, about a point.

    origin               : (3,) float64, [m]
    angular_velocity     : (3,) float64, [rad/s]
    acceleration         : (3,) float64, [m/s2], of the origin
    angular_acceleration : (3,) float64, [rad/s2]
    """

    origin: Array
    angular_velocity: Array
    acceleration: Array
    angular_acceleration: Array


def inertial_loads(center: Array, mass: Array, inertia: Array, motion: RigidMotion) -> tuple[Array, Array]:
    """Forces (P, 3) [N] and torques (P, 3) [N m] by which pieces resist a motion (d'Alembert, Newton and Euler).

    center  : (P, 3) float64, [m]
    mass    : (P,) float64, [kg]
    inertia : (P, 3, 3) float64, [kg m2], of each piece about its centre
    """
    arm, w = center - motion.origin, motion.angular_velocity
    acceleration = motion.acceleration + np.cross(motion.angular_acceleration, arm) + np.cross(w, np.cross(w, arm))
    momentum = inertia @ w
    return -mass[:, None] * acceleration, -(inertia @ motion.angular_acceleration) - np.cross(w, momentum)


def weigh(center: Array, mass: Array, gravity: Array, held: Mask, faces: Faces) -> Array:
    """Load (B,) [N] on bonds by the weight of pieces that reach a held one; 0 elsewhere.

    center  : (P, 3) float64, [m]; mass : (P,) float64, [kg]; held : (P,) bool
    gravity : (3,) float64, [m/s2]
    """
    out, piece = np.zeros(len(faces.piece)), faces.piece
    if not len(piece):
        return out
    reach = _reaching(len(center), piece, held)
    use = np.flatnonzero(reach[piece[:, 0]] & reach[piece[:, 1]] & ~(held[piece[:, 0]] & held[piece[:, 1]]))
    if not len(use):
        return out
    force, own = mass[:, None] * gravity, faces.at(use)
    pull, moment = structure_of(center, held | ~reach, own).solve(force, np.zeros_like(force))
    out[use] = bond_loads(own, sections_of(own), pull, moment)
    return out


def _reaching(count: int, piece: Index, held: Mask) -> Mask:
    """Which pieces (P,) bool hang on a held piece."""
    from scipy.sparse.csgraph import connected_components

    graph = coo_matrix((np.ones(len(piece), np.int8), (piece[:, 0], piece[:, 1])), shape=(count, count))
    label = connected_components(graph, directed=False)[1]
    hangs = np.zeros(label.max() + 1, bool)
    hangs[label[held]] = True
    return hangs[label]
