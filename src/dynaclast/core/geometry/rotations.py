"""Rotations as unit quaternions x, y, z, w, as matrices and as rotation vectors, outside kernels."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import ArrayLike
from scipy.spatial.transform import Rotation

from ..arrays import Array, lengths


def rotation_matrix(q: ArrayLike) -> Array:
    """(3, 3) rotation of a quaternion x, y, z, w; the quaternion is normalised first."""
    x, y, z, w = np.asarray(q, dtype=np.float64).tolist()
    length = math.sqrt(x * x + y * y + z * z + w * w)
    x, y, z, w = x / length, y / length, z / length, w / length
    return np.array(_rows(x, y, z, w))


def rotation_matrices(q: Array) -> Array:
    """(n, 3, 3) rotations of quaternions (n, 4), each to the bit that of ``rotation_matrix``."""
    x, y, z, w = (q / lengths(q)[:, None]).T
    return np.ascontiguousarray(np.moveaxis(np.array(_rows(x, y, z, w)), -1, 0))


def _rows(x: Any, y: Any, z: Any, w: Any) -> list[list[Any]]:
    return [
        [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
        [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
        [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
    ]


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


def quaternion_of(rotation: Array) -> Array:
    """The quaternion (4,) of a rotation (3, 3)."""
    return np.asarray(Rotation.from_matrix(rotation).as_quat())


THIN = 1e-6
"""Spread of points across their longest direction, as a share of that along it, under which they are a line."""


def best_rotation(then: Array, now: Array) -> Array:
    """The rotation (3, 3) that takes vectors (n, 3) nearest to others (n, 3), by least squares; of vectors along one
    line the shortest that turns this, and none of a single point or where one has no finite place (Kabsch 1976).
    """
    if not (then.any() and now.any() and np.isfinite(now).all()):
        return np.eye(3)
    _, spread, along = np.linalg.svd(then, full_matrices=False)
    if len(spread) < 2 or spread[1] <= THIN * spread[0]:
        return shortest_turn(along[0], now.T @ (then @ along[0]))
    u, _, v = np.linalg.svd(now.T @ then)
    return (u * [1.0, 1.0, np.sign(np.linalg.det(u @ v))]) @ v


def shortest_turn(one: Array, other: Array) -> Array:
    """The rotation (3, 3) by the least angle that turns one direction (3,) into another (3,), of any length."""
    a, length = one / np.linalg.norm(one), float(np.linalg.norm(other))
    if length == 0.0:
        return np.eye(3)
    b = other / length
    cosine = float(a @ b)
    if cosine < -1.0 + 1e-12:  # straight back: about any axis across
        across = np.cross(a, np.eye(3)[np.argmin(np.abs(a))])
        across /= np.linalg.norm(across)
        return 2.0 * np.outer(across, across) - np.eye(3)
    x, y, z = np.cross(a, b)
    cross = np.array([[0.0, -z, y], [z, 0.0, -x], [-y, x, 0.0]])
    return np.eye(3) + cross + cross @ cross / (1.0 + cosine)
