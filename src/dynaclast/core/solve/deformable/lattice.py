"""Soft bodies: a lattice of cubes, six tetrahedra each, that carries the drawn surface.

Energy of a tetrahedron (Smith et al. 2018, doi 10.1145/3180491, in the two-term form of Macklin and Mueller 2021, doi
10.1145/3487983.3488289): V (mu/2 (|F|^2 - 3) + lam/2 (J* - 1 - mu/lam)^2), where J* is a twentieth the tetrahedron's
own change of volume and the rest its cube's: plain tetrahedra lock where matter hardly gives in volume. With lam larger
by mu than Lame's second number, small strains are Hooke's.

The matrix is constant: mass over the square of the step, and V (mu + 3 lam) g g' of the gradients g, which bounds the
second derivative, so that it is factored once (Liu et al. 2017, doi 10.1145/2990496). Forces are exact, so rest is the
true equilibrium; what is overestimated is inertia against deforming fast.
"""

from __future__ import annotations

from itertools import permutations

import numpy as np
from scipy import sparse

from ...arrays import Array, Index, cross
from ...kernels import kernel
from ...kernels.simd import cross_three, four, put, three, total
from .tables import LatticeTable

OWN_VOLUME = 0.05
"""Share of a tetrahedron's own change of volume."""
BOUND = 3.0
"""How often lam counts in the constant matrix."""
MOST_CHANGE = 0.5
"""The most that a deformation gradient changes in a step: there, forces are no longer what they were."""
LEAST_VOLUME = 0.1
VISCOUS_BOUND = 4.0
"""How often viscosity counts there, over the step."""


def tetrahedra_of(cells: Index) -> tuple[Index, Index]:
    """Vertices and tetrahedra of a set of cubes of a grid.

    cells   : (C, 3) int, places of the cubes
    Returns : (V, 3) int, places of the corners that are used; (C, 6, 4) int, tetrahedra round each long diagonal (Kuhn)
    """
    paths = []
    for order in permutations(range(3)):
        at, path = np.zeros(3, int), [np.zeros(3, int)]
        for axis in order:
            at = at.copy()
            at[axis] = 1
            path.append(at)
        odd = np.linalg.det(np.eye(3)[list(order)]) < 0
        paths.append([path[0], path[2], path[1], path[3]] if odd else path)
    odd = cells % 2 == 1  # every second cube along each axis is mirrored, so that no direction is preferred
    corner = np.where(odd[:, None, None, :], 1 - np.array(paths), np.array(paths)) + cells[:, None, None, :]
    turned = odd.sum(axis=1) % 2 == 1
    corner[turned] = corner[turned][:, :, [0, 2, 1, 3]]
    used, tets = np.unique(corner.reshape(-1, 3), axis=0, return_inverse=True)
    return used, tets.reshape(len(cells), 6, 4)


def boundary(tets: Index) -> tuple[Index, Index]:
    """Tetrahedra (F,) of those of (T, 4) with a face on the outside, and these faces (F, 3), facing outwards."""
    faces = np.concatenate([tets[:, [1, 2, 3]], tets[:, [0, 3, 2]], tets[:, [0, 1, 3]], tets[:, [0, 2, 1]]])
    _, first, count = np.unique(np.sort(faces, axis=1), axis=0, return_index=True, return_counts=True)
    outer = np.sort(first[count == 1])
    return outer % len(tets), faces[outer]


def shape_gradients(x: Array, tets: Index) -> tuple[Array, Array]:
    """Gradients (T, 4, 3) [1/m] of the shape functions, and volumes (T,) [m3]."""
    edges = np.stack([x[tets[:, k]] - x[tets[:, 0]] for k in (1, 2, 3)], axis=1)
    inverse = np.linalg.inv(edges)  # columns: gradients of vertices 1, 2, 3
    rest = np.swapaxes(inverse, 1, 2)
    return np.concatenate([-rest.sum(axis=1, keepdims=True), rest], axis=1), np.linalg.det(edges) / 6.0


def lame(young: float, poisson: float) -> tuple[float, float]:
    """mu and lam [N/m2] of the energy, by Young's modulus [N/m2] and Poisson's ratio."""
    mu = young / (2 * (1 + poisson))
    return mu, young * poisson / ((1 + poisson) * (1 - 2 * poisson)) + mu


def stiffness_bound(count: int, tets: Index, gradient: Array, weight: Array) -> sparse.csr_matrix:
    """Sum of weight (T,) times g g' over tetrahedra: (V, V)."""
    value = weight[:, None, None] * np.einsum("tac,tbc->tab", gradient, gradient)
    row = np.broadcast_to(tets[:, :, None], value.shape)
    column = np.broadcast_to(tets[:, None, :], value.shape)
    return sparse.coo_matrix((value.ravel(), (row.ravel(), column.ravel())), shape=(count, count)).tocsr()


@kernel(inner=True)
def add_lattice(table: LatticeTable, first: int, last: int, x: Array, v: Array, force: Array) -> None:
    """Forces of cubes first to last.

    x, v  : (N, 3 or more) float64, [m], [m/s]
    force : (N, 4) float64, [N], the last column 0, is added to
    """
    for c in range(first, last):
        a, z = table.cell_start[c], table.cell_start[c + 1]
        mu, lam, thick = table.mu[c], table.lam[c], table.viscosity[c]
        whole, mean = 0.0, 0.0
        for t in range(a, z):
            whole += table.volume[t]
            mean += table.volume[t] * _volume_change(table, t, x)
        mean /= whole
        pressed = lam * (mean - 1.0 - mu / lam)
        for t in range(a, z):
            g, vol = table.gradient[t], table.volume[t]
            f0, f1, f2 = _gradient_of(table, t, x)
            c0, c1, c2 = cross_three(f1, f2), cross_three(f2, f0), cross_three(f0, f1)  # the cofactors
            own = OWN_VOLUME * total(f0 * c0) + (1.0 - OWN_VOLUME) * mean
            q = vol * (OWN_VOLUME * lam * (own - 1.0 - mu / lam) + (1.0 - OWN_VOLUME) * pressed)
            m = vol * mu
            p0, p1, p2 = f0 * m + c0 * q, f1 * m + c1 * q, f2 * m + c2 * q
            if thick > 0.0:  # 2 eta F (rate of Green's strain)
                d0, d1, d2 = _gradient_of(table, t, v)
                s = 2.0 * thick * vol
                e00, e11, e22 = s * total(f0 * d0), s * total(f1 * d1), s * total(f2 * d2)
                e01, e02 = 0.5 * s * total(f0 * d1 + d0 * f1), 0.5 * s * total(f0 * d2 + d0 * f2)
                e12 = 0.5 * s * total(f1 * d2 + d1 * f2)
                p0 = p0 + f0 * e00 + f1 * e01 + f2 * e02
                p1 = p1 + f0 * e01 + f1 * e11 + f2 * e12
                p2 = p2 + f0 * e02 + f1 * e12 + f2 * e22
            for k in range(4):
                i = table.vertex[t, k]
                put(four(force, i) - p0 * g[k, 0] - p1 * g[k, 1] - p2 * g[k, 2], force, i)


def cube_stresses(table: LatticeTable, cubes: Index, x: Array) -> tuple[Array, Array]:
    """Mean first Piola-Kirchhoff stress (n, 3, 3) [N/m2] of cubes (n,), without viscosity, and the mean cofactor
    (n, 3, 3) of their deformation gradients, which takes areas at rest to those of now.
    """
    t = table.cell_start[cubes][:, None] + np.arange(6)
    volume = table.volume[t]
    share = volume / volume.sum(axis=1, keepdims=True)
    f = np.einsum("ctki,ctkj->ctij", x[table.vertex[t]], table.gradient[t])
    columns = np.swapaxes(f, 2, 3)
    cofactor = np.stack([cross(columns[:, :, k - 2], columns[:, :, k - 1]) for k in range(3)], axis=-1)
    change = np.einsum("cti,cti->ct", f[:, :, :, 0], cofactor[:, :, :, 0])
    mean = (share * change).sum(axis=1, keepdims=True)
    mu, lam = table.mu[cubes][:, None], table.lam[cubes][:, None]
    own = OWN_VOLUME * change + (1.0 - OWN_VOLUME) * mean
    pressed = lam * (OWN_VOLUME * (own - 1.0) + (1.0 - OWN_VOLUME) * (mean - 1.0)) - mu
    stress = mu[:, :, None, None] * f + pressed[:, :, None, None] * cofactor
    return np.einsum("ct,ctij->cij", share, stress), np.einsum("ct,ctij->cij", share, cofactor)


@kernel(inner=True)
def safe_share(table: LatticeTable, first: int, last: int, x: Array, rigid: Array, d: Array, y: Array) -> float:
    """How much of a step's deforming the cubes first to last can take: no gradient that changes by more than
    MOST_CHANGE, and nothing pressed below LEAST_VOLUME of what it was at rest that is not so already.

    x     : (N, 3) float64, [m]
    rigid : (N, 3) float64, [m], displacements that deform nothing; d (N, 3) float64, [m], beyond these
    y     : (N, 3) float64, scratch
    """
    most = 0.0
    for t in range(table.cell_start[first], table.cell_start[last]):
        d0, d1, d2 = _gradient_of(table, t, d)
        most = max(most, total(d0 * d0 + d1 * d1 + d2 * d2))
    share = min(1.0, MOST_CHANGE / np.sqrt(max(most, 1e-300)))
    for _ in range(4):
        pressed = False
        for t in range(table.cell_start[first], table.cell_start[last]):
            for k in range(4):
                n = table.vertex[t, k]
                for r in range(3):
                    y[n, r] = x[n, r] + rigid[n, r] + share * d[n, r]
            now = _volume_change(table, t, y)
            if now < LEAST_VOLUME and now < _volume_change(table, t, x):
                pressed = True
                break
        if not pressed:
            break
        share *= 0.5
    return share


@kernel(inner=True)
def _gradient_of(table: LatticeTable, t: int, x: Array) -> tuple[Array, Array, Array]:
    """Gradient of a field (N, 3 or more) over a tetrahedron, by columns of four numbers (simd.py), the last 0; of
    positions, the deformation gradient F.
    """
    g, n = table.gradient[t], table.vertex[t]
    a, b, c, d = three(x, n[0]), three(x, n[1]), three(x, n[2]), three(x, n[3])
    return (
        a * g[0, 0] + b * g[1, 0] + c * g[2, 0] + d * g[3, 0],
        a * g[0, 1] + b * g[1, 1] + c * g[2, 1] + d * g[3, 1],
        a * g[0, 2] + b * g[1, 2] + c * g[2, 2] + d * g[3, 2],
    )


@kernel(inner=True)
def _volume_change(table: LatticeTable, t: int, x: Array) -> float:
    """J of a tetrahedron: its volume over that at rest."""
    f0, f1, f2 = _gradient_of(table, t, x)
    return total(f0 * cross_three(f1, f2))
