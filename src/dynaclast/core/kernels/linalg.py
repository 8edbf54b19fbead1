"""Quaternions, 3 x 3 matrices and 3-vectors inside kernels: device functions, one formula each.

Quaternions are x, y, z, w. Sums are written as they are rounded: regrouping one changes the frames of every shot.
"""

from __future__ import annotations

import numpy as np

from ..arrays import Array
from . import kernel


@kernel
def quaternion_to_matrix(q: Array, out: Array) -> None:
    """Rotation matrix of a unit quaternion.

    q   : (4,) float64
    out : (3, 3) float64
    """
    x, y, z, w = q[0], q[1], q[2], q[3]
    out[0, 0] = 1 - 2 * (y * y + z * z)
    out[0, 1] = 2 * (x * y - z * w)
    out[0, 2] = 2 * (x * z + y * w)
    out[1, 0] = 2 * (x * y + z * w)
    out[1, 1] = 1 - 2 * (x * x + z * z)
    out[1, 2] = 2 * (y * z - x * w)
    out[2, 0] = 2 * (x * z - y * w)
    out[2, 1] = 2 * (y * z + x * w)
    out[2, 2] = 1 - 2 * (x * x + y * y)


@kernel
def rotate_quaternion(q: Array, x: float, y: float, z: float) -> None:
    """Turn a quaternion by a rotation vector about world axes, in place.

    q       : (4,) float64, unit before and after
    x, y, z : float, [rad]
    Source  : exponential map; Diebel 2006, "Representing Attitude", eq. 214
    """
    angle = np.sqrt(x * x + y * y + z * z)
    if angle < 1e-12:
        sx, sy, sz, c = 0.5 * x, 0.5 * y, 0.5 * z, 1.0
    else:
        k = np.sin(0.5 * angle) / angle
        sx, sy, sz, c = k * x, k * y, k * z, np.cos(0.5 * angle)
    qx, qy, qz, qw = q[0], q[1], q[2], q[3]
    nx = c * qx + sx * qw + sy * qz - sz * qy
    ny = c * qy - sx * qz + sy * qw + sz * qx
    nz = c * qz + sx * qy - sy * qx + sz * qw
    nw = c * qw - sx * qx - sy * qy - sz * qz
    length = np.sqrt(nx * nx + ny * ny + nz * nz + nw * nw)
    q[0], q[1], q[2], q[3] = nx / length, ny / length, nz / length, nw / length


@kernel(inner=True)
def multiply_rotated(m: Array, tensor: Array, x: float, y: float, z: float) -> tuple[float, float, float]:
    """R T R^T v, for a tensor of the opening frame and a vector of the world.

    In scalars: matrix products of this size go through a library call that costs more than the arithmetic.

    m       : (3, 3) float64, the rotation R
    tensor  : (3, 3) float64, T
    x, y, z : float, the vector v, world frame
    Returns : three floats, world frame
    """
    bx = m[0, 0] * x + m[1, 0] * y + m[2, 0] * z
    by = m[0, 1] * x + m[1, 1] * y + m[2, 1] * z
    bz = m[0, 2] * x + m[1, 2] * y + m[2, 2] * z
    cx = tensor[0, 0] * bx + tensor[0, 1] * by + tensor[0, 2] * bz
    cy = tensor[1, 0] * bx + tensor[1, 1] * by + tensor[1, 2] * bz
    cz = tensor[2, 0] * bx + tensor[2, 1] * by + tensor[2, 2] * bz
    return (
        m[0, 0] * cx + m[0, 1] * cy + m[0, 2] * cz,
        m[1, 0] * cx + m[1, 1] * cy + m[1, 2] * cz,
        m[2, 0] * cx + m[2, 1] * cy + m[2, 2] * cz,
    )


@kernel(inner=True)
def invert_3x3(m: Array, out: Array) -> None:
    """Inverse by cofactors.

    m, out : (3, 3) float64, m regular
    """
    a, b, c = m[0, 0], m[0, 1], m[0, 2]
    d, e, f = m[1, 0], m[1, 1], m[1, 2]
    g, h, i = m[2, 0], m[2, 1], m[2, 2]
    det = a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g)
    out[0, 0], out[0, 1], out[0, 2] = (e * i - f * h) / det, (c * h - b * i) / det, (b * f - c * e) / det
    out[1, 0], out[1, 1], out[1, 2] = (f * g - d * i) / det, (a * i - c * g) / det, (c * d - a * f) / det
    out[2, 0], out[2, 1], out[2, 2] = (d * h - e * g) / det, (b * g - a * h) / det, (a * e - b * d) / det


@kernel(inner=True)
def invert_symmetric_3x3(m: Array, out: Array) -> None:
    """Inverse of a symmetric positive matrix by cofactors; zeros where it is singular.

    m, out : (3, 3) float64; of m the upper triangle is read
    """
    write_inverse_3x3(m[0, 0], m[0, 1], m[0, 2], m[1, 1], m[1, 2], m[2, 2], out)


@kernel(inner=True)
def write_inverse_3x3(a: float, b: float, c: float, d: float, e: float, f: float, out: Array) -> None:
    """The same of a matrix whose upper triangle is a, b, c, d, e, f, row by row."""
    p, q, r = d * f - e * e, c * e - b * f, b * e - c * d
    det = a * p + b * q + c * r
    s = 1.0 / det if det > 0.0 else 0.0
    out[0, 0], out[0, 1], out[0, 2] = p * s, q * s, r * s
    out[1, 0], out[1, 1], out[1, 2] = q * s, (a * f - c * c) * s, (b * c - a * e) * s
    out[2, 0], out[2, 1], out[2, 2] = r * s, (b * c - a * e) * s, (a * d - b * b) * s


@kernel(inner=True)
def multiply_quaternions(
    bx: float, by: float, bz: float, bw: float, ax: float, ay: float, az: float, aw: float
) -> tuple[float, float, float, float]:
    """b a, the rotation a followed by b; all in scalars x, y, z, w."""
    return (
        bw * ax + bx * aw + by * az - bz * ay,
        bw * ay - bx * az + by * aw + bz * ax,
        bw * az + bx * ay - by * ax + bz * aw,
        bw * aw - bx * ax - by * ay - bz * az,
    )


@kernel(inner=True)
def squared_length(v: Array) -> float:
    """v . v

    v : (3,) float64
    """
    return v[0] * v[0] + v[1] * v[1] + v[2] * v[2]


@kernel(inline=True)
def multiply(m: Array, x: float, y: float, z: float) -> tuple[float, float, float]:
    """A matrix (3, 3) times a vector."""
    return (
        m[0, 0] * x + m[0, 1] * y + m[0, 2] * z,
        m[1, 0] * x + m[1, 1] * y + m[1, 2] * z,
        m[2, 0] * x + m[2, 1] * y + m[2, 2] * z,
    )


@kernel(inline=True)
def rotate_by(qx: float, qy: float, qz: float, qw: float, x: float, y: float, z: float) -> tuple[float, float, float]:
    """A vector turned by a unit quaternion."""
    tx, ty, tz = 2.0 * (qy * z - qz * y), 2.0 * (qz * x - qx * z), 2.0 * (qx * y - qy * x)
    return x + qw * tx + qy * tz - qz * ty, y + qw * ty + qz * tx - qx * tz, z + qw * tz + qx * ty - qy * tx


@kernel(inner=True)
def factor_cholesky(a: Array, n: int) -> None:
    """Cholesky's factor of a positive matrix, the first n rows and columns of a, in place of its lower half."""
    for j in range(n):
        for k in range(j):
            for i in range(j, n):
                a[i, j] -= a[i, k] * a[j, k]
        s = np.sqrt(max(a[j, j], 1e-300))
        for i in range(j, n):
            a[i, j] /= s


@kernel(inner=True)
def solve_cholesky(a: Array, n: int, r: Array, z: Array) -> None:
    """z (n,), which may be r, of the matrix that a is the factor of, for r (n,)."""
    for i in range(n):
        s = r[i]
        for k in range(i):
            s -= a[i, k] * z[k]
        z[i] = s / a[i, i]
    for i in range(n - 1, -1, -1):
        s = z[i]
        for k in range(i + 1, n):
            s -= a[k, i] * z[k]
        z[i] = s / a[i, i]
