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
from scipy.sparse.linalg import splu

from ...arrays import Array, Index, cross
from ...kernels import kernel
from .tables import FactorTable, Hinge, LatticeTable

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


def factored(matrix: sparse.csr_matrix) -> FactorTable:
    """A symmetric positive matrix factored in an order of little fill (minimum degree)."""
    lu = splu(matrix.tocsc(), permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True})
    lower = lu.L.tocsc()
    lower.sort_indices()
    n = matrix.shape[0]
    column = np.repeat(np.arange(n), np.diff(lower.indptr))
    below = lower.indices > column
    start = np.searchsorted(column[below], np.arange(n + 1)).astype(np.int32)
    order = np.empty(n, np.int32)
    order[lu.perm_r] = np.arange(n)
    free = np.full((n, 2), Hinge.FREE, np.int32)
    return FactorTable(
        start, lower.indices[below].astype(np.int32), lower.data[below], lu.U.diagonal(), order, np.zeros(n), free
    )


@kernel(inner=True)
def add_lattice(table: LatticeTable, first: int, last: int, x: Array, v: Array, force: Array) -> None:
    """Forces of cubes first to last.

    x, v  : (N, 3) float64, [m], [m/s]
    force : (N, 3) float64, [N], is added to
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
            f00, f01, f02, f10, f11, f12, f20, f21, f22 = _gradient_of(table, t, x)
            c00, c01, c02 = f11 * f22 - f12 * f21, f12 * f20 - f10 * f22, f10 * f21 - f11 * f20
            c10, c11, c12 = f02 * f21 - f01 * f22, f00 * f22 - f02 * f20, f01 * f20 - f00 * f21
            c20, c21, c22 = f01 * f12 - f02 * f11, f02 * f10 - f00 * f12, f00 * f11 - f01 * f10
            own = OWN_VOLUME * (f00 * c00 + f01 * c01 + f02 * c02) + (1.0 - OWN_VOLUME) * mean
            q = vol * (OWN_VOLUME * lam * (own - 1.0 - mu / lam) + (1.0 - OWN_VOLUME) * pressed)
            m = vol * mu
            p00, p01, p02 = m * f00 + q * c00, m * f01 + q * c01, m * f02 + q * c02
            p10, p11, p12 = m * f10 + q * c10, m * f11 + q * c11, m * f12 + q * c12
            p20, p21, p22 = m * f20 + q * c20, m * f21 + q * c21, m * f22 + q * c22
            if thick > 0.0:  # 2 eta F (rate of Green's strain)
                d00, d01, d02, d10, d11, d12, d20, d21, d22 = _gradient_of(table, t, v)
                e00 = f00 * d00 + f10 * d10 + f20 * d20
                e11 = f01 * d01 + f11 * d11 + f21 * d21
                e22 = f02 * d02 + f12 * d12 + f22 * d22
                e01 = 0.5 * (f00 * d01 + f10 * d11 + f20 * d21 + d00 * f01 + d10 * f11 + d20 * f21)
                e02 = 0.5 * (f00 * d02 + f10 * d12 + f20 * d22 + d00 * f02 + d10 * f12 + d20 * f22)
                e12 = 0.5 * (f01 * d02 + f11 * d12 + f21 * d22 + d01 * f02 + d11 * f12 + d21 * f22)
                s = 2.0 * thick * vol
                p00 += s * (f00 * e00 + f01 * e01 + f02 * e02)
                p01 += s * (f00 * e01 + f01 * e11 + f02 * e12)
                p02 += s * (f00 * e02 + f01 * e12 + f02 * e22)
                p10 += s * (f10 * e00 + f11 * e01 + f12 * e02)
                p11 += s * (f10 * e01 + f11 * e11 + f12 * e12)
                p12 += s * (f10 * e02 + f11 * e12 + f12 * e22)
                p20 += s * (f20 * e00 + f21 * e01 + f22 * e02)
                p21 += s * (f20 * e01 + f21 * e11 + f22 * e12)
                p22 += s * (f20 * e02 + f21 * e12 + f22 * e22)
            for k in range(4):
                i, gx, gy, gz = table.vertex[t, k], g[k, 0], g[k, 1], g[k, 2]
                force[i, 0] -= p00 * gx + p01 * gy + p02 * gz
                force[i, 1] -= p10 * gx + p11 * gy + p12 * gz
                force[i, 2] -= p20 * gx + p21 * gy + p22 * gz


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
        a, b, c, e, f, g, h, i, j = _gradient_of(table, t, d)
        most = max(most, a * a + b * b + c * c + e * e + f * f + g * g + h * h + i * i + j * j)
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
def _gradient_of(
    table: LatticeTable, t: int, x: Array
) -> tuple[float, float, float, float, float, float, float, float, float]:
    """Gradient of a field over a tetrahedron, row by row; of positions, the deformation gradient F."""
    g = table.gradient[t]
    a, b, c, d = table.vertex[t, 0], table.vertex[t, 1], table.vertex[t, 2], table.vertex[t, 3]
    return (
        x[a, 0] * g[0, 0] + x[b, 0] * g[1, 0] + x[c, 0] * g[2, 0] + x[d, 0] * g[3, 0],
        x[a, 0] * g[0, 1] + x[b, 0] * g[1, 1] + x[c, 0] * g[2, 1] + x[d, 0] * g[3, 1],
        x[a, 0] * g[0, 2] + x[b, 0] * g[1, 2] + x[c, 0] * g[2, 2] + x[d, 0] * g[3, 2],
        x[a, 1] * g[0, 0] + x[b, 1] * g[1, 0] + x[c, 1] * g[2, 0] + x[d, 1] * g[3, 0],
        x[a, 1] * g[0, 1] + x[b, 1] * g[1, 1] + x[c, 1] * g[2, 1] + x[d, 1] * g[3, 1],
        x[a, 1] * g[0, 2] + x[b, 1] * g[1, 2] + x[c, 1] * g[2, 2] + x[d, 1] * g[3, 2],
        x[a, 2] * g[0, 0] + x[b, 2] * g[1, 0] + x[c, 2] * g[2, 0] + x[d, 2] * g[3, 0],
        x[a, 2] * g[0, 1] + x[b, 2] * g[1, 1] + x[c, 2] * g[2, 1] + x[d, 2] * g[3, 1],
        x[a, 2] * g[0, 2] + x[b, 2] * g[1, 2] + x[c, 2] * g[2, 2] + x[d, 2] * g[3, 2],
    )


@kernel(inner=True)
def _volume_change(table: LatticeTable, t: int, x: Array) -> float:
    """J of a tetrahedron: its volume over that at rest."""
    f00, f01, f02, f10, f11, f12, f20, f21, f22 = _gradient_of(table, t, x)
    return f00 * (f11 * f22 - f12 * f21) - f01 * (f10 * f22 - f12 * f20) + f02 * (f10 * f21 - f11 * f20)


@kernel(inner=True)
def solve_factored(table: FactorTable, first: int, last: int, r: Array, z: Array, work: Array) -> None:
    """z = A^-1 r of the constant matrix of vertices first to last.

    r, z : (N, 3) float64
    work : (N, 3) float64, scratch
    """
    for k in range(first, last):
        i = table.order[k]
        work[k, 0], work[k, 1], work[k, 2] = r[i, 0], r[i, 1], r[i, 2]
    for k in range(first, last):
        a, b, c = work[k, 0], work[k, 1], work[k, 2]
        for e in range(table.start[k], table.start[k + 1]):
            j, s = table.row[e], table.value[e]
            work[j, 0] -= s * a
            work[j, 1] -= s * b
            work[j, 2] -= s * c
        s = 1.0 / table.pivot[k]
        work[k, 0], work[k, 1], work[k, 2] = s * a, s * b, s * c
    for k in range(last - 1, first - 1, -1):
        a, b, c = work[k, 0], work[k, 1], work[k, 2]
        for e in range(table.start[k], table.start[k + 1]):
            j, s = table.row[e], table.value[e]
            a -= s * work[j, 0]
            b -= s * work[j, 1]
            c -= s * work[j, 2]
        work[k, 0], work[k, 1], work[k, 2] = a, b, c
        i = table.order[k]
        z[i, 0], z[i, 1], z[i, 2] = a, b, c
