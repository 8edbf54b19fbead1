"""Rotations as unit quaternions x, y, z, w, as matrices and as rotation vectors, outside kernels."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from ..arrays import Array


def rotation_matrix(q: ArrayLike) -> Array:
    """(3, 3) rotation of a quaternion x, y, z, w; the quaternion is normalised first."""
    x, y, z, w = np.asarray(q, dtype=np.float64) / np.linalg.norm(np.asarray(q))
    return np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )


def quaternion_product(a: Array, b: Array) -> Array:
    """Product of quaternions x, y, z, w, broadcast over leading axes: b first, then a."""
    ax, ay, az, aw = np.moveaxis(np.asarray(a), -1, 0)
    bx, by, bz, bw = np.moveaxis(np.asarray(b), -1, 0)
    return np.stack(
        [
            aw * bx + ax * bw + ay * bz - az * by,
            aw * by - ax * bz + ay * bw + az * bx,
            aw * bz + ax * by - ay * bx + az * bw,
            aw * bw - ax * bx - ay * by - az * bz,
        ],
        axis=-1,
    )


def vector_to_quaternion(vector: Array) -> Array:
    """The quaternion (4,) of a rotation vector (3,) [rad]."""
    angle = float(np.linalg.norm(vector))
    if angle < 1e-15:
        return np.array([0.0, 0.0, 0.0, 1.0])
    return np.concatenate([np.sin(angle / 2) * vector / angle, [np.cos(angle / 2)]])


def rotation_vector_between(a: Array, b: Array) -> Array:
    """The rotation vector (3,) [rad] that takes orientation a to orientation b, the short way."""
    q = quaternion_product(b, a * [-1, -1, -1, 1])
    q = -q if q[3] < 0 else q
    sine = float(np.linalg.norm(q[:3]))
    return np.zeros(3) if sine < 1e-15 else q[:3] / sine * 2.0 * float(np.arctan2(sine, q[3]))
