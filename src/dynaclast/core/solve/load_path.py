"""How weight flows through bonds to what holds it: a static solve on the bond graph.

Every piece is a rigid node of six freedoms, every bond a linear spring at the middle of its face: along the line
between the pieces' centres with A / L, across it with 0.4 A / L, against turning with (A^2 / 12) / L, the square face's
second moment of area. The material's stiffness drops out of the forces. Source: direct stiffness method (Przemieniecki
1968, "Theory of Matrix Structural Analysis"), with rigid offsets from centre to face.
"""

from __future__ import annotations

import numpy as np
from scipy.sparse import coo_matrix, csc_matrix
from scipy.sparse.linalg import splu

from ..arrays import Array, Index

SHEAR = 0.4
"""Stiffness across the face as a share of that along it: G / E of stone-like materials."""
PRESSED = 10.0
"""A pressed face carries so many times as much as a pulled one: compressive over tensile strength of stone and
concrete.
"""
GRIP = 0.6
"""Friction of a pressed face: shear up to this share of the pressure loads no bond (Mohr and Coulomb)."""


def _cross_matrices(v: Array) -> Array:
    """(n, 3, 3) matrices X with X w = v x w."""
    out = np.zeros((len(v), 3, 3))
    out[:, 0, 1], out[:, 0, 2], out[:, 1, 2] = -v[:, 2], v[:, 1], -v[:, 0]
    out[:, 1, 0], out[:, 2, 0], out[:, 2, 1] = v[:, 2], -v[:, 1], v[:, 0]
    return out


def _stiffness(center: Array, piece: Index, bond_center: Array, area: Array) -> tuple[Array, Array, Array, Array]:
    """Per bond: G (B, 3, 12) from the two pieces' freedoms to the opening of the face, its stiffness (B, 3, 3), its
    stiffness against turning (B,), and the unit line (B, 3) from the first piece to the second.
    """
    a, b = center[piece[:, 0]], center[piece[:, 1]]
    line = b - a
    length = np.linalg.norm(line, axis=1)
    line = line / length[:, None]
    projection = np.einsum("bi,bj->bij", line, line)
    stiff = (area / length)[:, None, None] * (projection + SHEAR * (np.eye(3) - projection))
    g = np.zeros((len(piece), 3, 12))
    g[:, :, 0:3], g[:, :, 6:9] = -np.eye(3), np.eye(3)
    g[:, :, 3:6], g[:, :, 9:12] = (
        _cross_matrices(bond_center - a),
        -_cross_matrices(bond_center - b),
    )  # theta x r = -[r] theta
    return g, stiff, area * area / 12.0 / length, line


def bond_forces(
    center: Array, force: Array, torque: Array, fixed: np.ndarray, piece: Index, bond_center: Array, area: Array
) -> tuple[Array, Array, Array]:
    """Forces in bonds that carry loads on pieces to fixed pieces.

    center (P, 3) [m], force (P, 3) [N] and torque (P, 3) about the centre [N m] on each piece; fixed (P,) bool
    piece (B, 2), bond_center (B, 3) [m], area (B,) [m2]: bonds; every free piece must reach a fixed one by them
    Returns force (B, 3) the second piece exerts on the first through the bond [N], moment (B, 3) likewise, about the
    bond's centre [N m], and the unit line (B, 3) from first to second
    """
    g, stiff, turn, line = _stiffness(center, piece, bond_center, area)
    block = np.einsum("bki,bkl,blj->bij", g, stiff, g)
    for k in range(3):
        for i, j, sign in ((3, 3, 1.0), (3, 9, -1.0), (9, 3, -1.0), (9, 9, 1.0)):
            block[:, i + k, j + k] += sign * turn
    number = np.full(len(center), -1)
    free = np.flatnonzero(~fixed)
    number[free] = np.arange(len(free))
    dof = np.where(number[piece] >= 0, 6 * number[piece], -12)[:, :, None] + np.arange(6)
    dof = dof.reshape(len(piece), 12)
    rows, cols = np.broadcast_arrays(dof[:, :, None], dof[:, None, :])
    keep = (rows >= 0) & (cols >= 0)
    size = 6 * len(free)
    u = np.zeros((len(center), 6))
    if size:
        matrix = csc_matrix(coo_matrix((block[keep], (rows[keep], cols[keep])), shape=(size, size)))
        load = np.concatenate([force[free], torque[free]], axis=1).ravel()
        u[free] = (
            splu(matrix, permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True})
            .solve(load)
            .reshape(-1, 6)
        )
    both = np.concatenate([u[piece[:, 0]], u[piece[:, 1]]], axis=1)
    pull = np.einsum("bij,bj->bi", stiff, np.einsum("bij,bj->bi", g, both))
    moment = turn[:, None] * (both[:, 9:] - both[:, 3:6])
    return pull, moment, line


def bond_loads(pull: Array, moment: Array, line: Array, area: Array) -> Array:
    """Load (B,) [N] that counts against strength: pull at the face's worst edge, or a tenth of the pressure there, with
    what shear friction does not hold.
    """
    along = np.einsum("bi,bi->b", pull, line)
    shear = np.linalg.norm(pull - along[:, None] * line, axis=1)
    edge = 6.0 * np.linalg.norm(moment, axis=1) / np.sqrt(area)
    return np.maximum(np.maximum(along + edge, 0.0), np.maximum(edge - along, 0.0) / PRESSED) + np.maximum(
        0.0, shear - GRIP * np.maximum(0.0, -along)
    )


def weigh(
    center: Array,
    mass: Array,
    gravity: Array,
    fixed: np.ndarray,
    piece: Index,
    bond_center: Array,
    area: Array,
    extra: Array | None = None,
    extra_torque: Array | None = None,
) -> Array:
    """Load (B,) [N] on bonds by the weight of pieces that reach a fixed one; 0 elsewhere.

    extra, extra_torque (P, 3): forces and torques of what rests on the pieces
    """
    out = np.zeros(len(piece))
    if not len(piece):
        return out
    reach = _reaching(len(center), piece, fixed)
    use = reach[piece[:, 0]] & reach[piece[:, 1]] & ~(fixed[piece[:, 0]] & fixed[piece[:, 1]])
    if not use.any():
        return out
    force = mass[:, None] * gravity + (extra if extra is not None else 0.0)
    torque = extra_torque if extra_torque is not None else np.zeros_like(force)
    pull, moment, line = bond_forces(center, force, torque, fixed | ~reach, piece[use], bond_center[use], area[use])
    out[use] = bond_loads(pull, moment, line, area[use])
    return out


def _reaching(count: int, piece: Index, fixed: np.ndarray) -> np.ndarray:
    """Which pieces (P,) bool hang on a fixed piece."""
    from scipy.sparse.csgraph import connected_components

    graph = coo_matrix((np.ones(len(piece), np.int8), (piece[:, 0], piece[:, 1])), shape=(count, count))
    label = connected_components(graph, directed=False)[1]
    held = np.zeros(label.max() + 1, bool)
    held[label[fixed]] = True
    return held[label]
