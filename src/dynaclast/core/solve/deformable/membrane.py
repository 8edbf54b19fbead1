"""Stretch and shear of cloth: Saint Venant and Kirchhoff's material on triangles, written in squared lengths of edges.

Green's strain E of a triangle follows from how the squares of its edges changed, d_k = l_k^2 - L_k^2, linearly: for an
edge (x, y) of the flat triangle, x^2 Exx + y^2 Eyy + xy 2Exy = d / 2. So the energy A/2 E:D:E is 1/2 d'Cd. Its gradient
by an edge u_k is 2 s_k u_k with s = C d; its second derivative 4 C_kl u_k u_l' + 2 s_k, of which the last counts where
it is positive, so that the matrix is.

Source: Delingette 2008, "Triangular springs for modeling nonlinear membranes" (doi 10.1109/TVCG.2007.70431).
"""

from __future__ import annotations

import numpy as np

from ...arrays import Array, Index, cross, lengths
from ...kernels import kernel
from .tables import MembraneTable

EDGES = ((1, 2), (2, 0), (0, 1))
"""First and last vertex of each edge of a triangle."""


def membrane_stiffness(corner: Array, warp: Array, stretch: Array, shear: Array) -> tuple[Array, Array]:
    """What a triangle resists by.

    corner  : (T, 3, 3) float64, [m], corners at rest
    warp    : (T, 3) float64, unit, direction of the first thread in the triangle's plane; the second lies across
    stretch : (T, 2) float64, [N/m], along both
    shear   : (T,) float64, [N/m]
    Returns : length2 (T, 3) [m2] and stiffness (T, 3, 3) [N/m3] of MembraneTable, for corners in this order
    """
    edge = np.stack([corner[:, b] - corner[:, a] for a, b in EDGES], axis=1)
    normal = cross(edge[:, 2], -edge[:, 1])
    double = lengths(normal)
    weft = cross(normal / double[:, None], warp)
    x, y = np.einsum("tkc,tc->tk", edge, warp), np.einsum("tkc,tc->tk", edge, weft)
    of_strain = np.stack([x * x, y * y, x * y], axis=2)  # squares of edges change by twice this times the strain
    strain = 0.5 * np.linalg.inv(of_strain)
    material = np.zeros((len(corner), 3, 3))
    material[:, 0, 0], material[:, 1, 1], material[:, 2, 2] = stretch[:, 0], stretch[:, 1], shear
    area = 0.5 * double[:, None, None]
    return (edge**2).sum(axis=2), area * np.swapaxes(strain, 1, 2) @ material @ strain


@kernel(inner=True)
def add_membrane(
    table: MembraneTable, first: int, last: int, x: Array, damping: float, force: Array, blocks: Array
) -> None:
    """Forces of triangles first to last, and their part of the matrix above the diagonal.

    x       : (N, 3) float64, [m]
    damping : float, by how much the stiffness counts more, 1 without damping
    force   : (N, 3) float64, [N], is added to
    blocks  : (E, 3, 3) float, [N/m], is added to
    """
    for t in range(first, last):
        a, b, c = table.vertex[t, 0], table.vertex[t, 1], table.vertex[t, 2]
        ax, ay, az = x[a, 0], x[a, 1], x[a, 2]
        bx, by, bz = x[b, 0], x[b, 1], x[b, 2]
        cx, cy, cz = x[c, 0], x[c, 1], x[c, 2]
        ux, uy, uz = cx - bx, cy - by, cz - bz
        vx, vy, vz = ax - cx, ay - cy, az - cz
        wx, wy, wz = bx - ax, by - ay, bz - az
        du = ux * ux + uy * uy + uz * uz - table.length2[t, 0]
        dv = vx * vx + vy * vy + vz * vz - table.length2[t, 1]
        dw = wx * wx + wy * wy + wz * wz - table.length2[t, 2]
        s = table.stiffness[t]
        uu, uv, uw, vv, vw, ww = s[0, 0], s[0, 1], s[0, 2], s[1, 1], s[1, 2], s[2, 2]
        su = 2.0 * (uu * du + uv * dv + uw * dw)
        sv = 2.0 * (uv * du + vv * dv + vw * dw)
        sw = 2.0 * (uw * du + vw * dv + ww * dw)
        force[a, 0] += sw * wx - sv * vx
        force[a, 1] += sw * wy - sv * vy
        force[a, 2] += sw * wz - sv * vz
        force[b, 0] += su * ux - sw * wx
        force[b, 1] += su * uy - sw * wy
        force[b, 2] += su * uz - sw * wz
        force[c, 0] += sv * vx - su * ux
        force[c, 1] += sv * vy - su * uy
        force[c, 2] += sv * vz - su * uz
        # K_ab = 4 (C_vu v - C_wu w) u' ... : what an edge's change does to a vertex, times the edge
        f = 4.0 * damping
        # of vertex a: +v, -w; of b: -u, +w; of c: +u, -v. Columns: what vertex a feels of u, v, w
        aux, auy, auz = f * (uv * vx - uw * wx), f * (uv * vy - uw * wy), f * (uv * vz - uw * wz)
        avx, avy, avz = f * (vv * vx - vw * wx), f * (vv * vy - vw * wy), f * (vv * vz - vw * wz)
        awx, awy, awz = f * (vw * vx - ww * wx), f * (vw * vy - ww * wy), f * (vw * vz - ww * wz)
        bux, buy, buz = f * (uw * wx - uu * ux), f * (uw * wy - uu * uy), f * (uw * wz - uu * uz)
        bvx, bvy, bvz = f * (vw * wx - uv * ux), f * (vw * wy - uv * uy), f * (vw * wz - uv * uz)
        tu, tv, tw = damping * max(su, 0.0), damping * max(sv, 0.0), damping * max(sw, 0.0)
        m = blocks[table.block[t, 0]]  # a, b
        m[0, 0] += awx * wx - aux * ux - tw
        m[0, 1] += awx * wy - aux * uy
        m[0, 2] += awx * wz - aux * uz
        m[1, 0] += awy * wx - auy * ux
        m[1, 1] += awy * wy - auy * uy - tw
        m[1, 2] += awy * wz - auy * uz
        m[2, 0] += awz * wx - auz * ux
        m[2, 1] += awz * wy - auz * uy
        m[2, 2] += awz * wz - auz * uz - tw
        m = blocks[table.block[t, 1]]  # a, c
        m[0, 0] += aux * ux - avx * vx - tv
        m[0, 1] += aux * uy - avx * vy
        m[0, 2] += aux * uz - avx * vz
        m[1, 0] += auy * ux - avy * vx
        m[1, 1] += auy * uy - avy * vy - tv
        m[1, 2] += auy * uz - avy * vz
        m[2, 0] += auz * ux - avz * vx
        m[2, 1] += auz * uy - avz * vy
        m[2, 2] += auz * uz - avz * vz - tv
        m = blocks[table.block[t, 2]]  # b, c
        m[0, 0] += bux * ux - bvx * vx - tu
        m[0, 1] += bux * uy - bvx * vy
        m[0, 2] += bux * uz - bvx * vz
        m[1, 0] += buy * ux - bvy * vx
        m[1, 1] += buy * uy - bvy * vy - tu
        m[1, 2] += buy * uz - bvy * vz
        m[2, 0] += buz * ux - bvz * vx
        m[2, 1] += buz * uy - bvz * vy
        m[2, 2] += buz * uz - bvz * vz - tu


@kernel(inner=True)
def length_changes(table: MembraneTable, t: int, x: Array) -> tuple[float, float, float]:
    """By how much the squares of a triangle's edges changed [m2]."""
    d0, d1, d2 = -table.length2[t, 0], -table.length2[t, 1], -table.length2[t, 2]
    a, b, c = table.vertex[t, 0], table.vertex[t, 1], table.vertex[t, 2]
    for k in range(3):
        d0 += (x[c, k] - x[b, k]) ** 2
        d1 += (x[a, k] - x[c, k]) ** 2
        d2 += (x[b, k] - x[a, k]) ** 2
    return d0, d1, d2


@kernel
def membrane_energy(table: MembraneTable, x: Array, out: Array) -> None:
    """Energy of every triangle.

    x   : (N, 3) float64, [m]
    out : (T,) float64, [J]
    """
    for t in range(len(table.vertex)):
        d0, d1, d2 = length_changes(table, t, x)
        s = table.stiffness[t]
        out[t] = 0.5 * (s[0, 0] * d0 * d0 + s[1, 1] * d1 * d1 + s[2, 2] * d2 * d2)
        out[t] += s[0, 1] * d0 * d1 + s[0, 2] * d0 * d2 + s[1, 2] * d1 * d2


def ascending(faces: Index) -> Index:
    """Triangles (T, 3) with their vertices in ascending order."""
    return np.sort(faces, axis=1).astype(np.int32)
