"""Turning what deforms: what hangs together is turned about its own centre as a rigid body would be."""

from __future__ import annotations

import numpy as np

from ...arrays import Array, Index, cross, sums
from ...fields import Forcing

THIN = 1e-9
"""Second moments of mass below this share of the largest are none: a straight rope cannot be turned about itself."""


def motion_of(forcing: Forcing, together: Index, mass: Array, point: Array) -> Array | None:
    """Accelerations (N, 3) [m/s2], or changes of velocity [m/s] of a blow, of vertices; None where there are none.

    What is given as an angular acceleration or as a torque is given to each thing as its mean by mass over its
    vertices; a torque turns it as its inertia has it. Neither moves its centre of mass.

    together : (N,) int32, by the same number where vertices hang together
    mass     : (N,) float64, [kg]
    point    : (N, 3) float64, [m]
    """
    linear, angular, torque = forcing
    if angular is None and torque is None:
        return linear
    things, of = np.unique(together, return_inverse=True)
    n = len(things)
    whole = sums(mass, of, n)
    center = sums(mass[:, None] * point, of, n) / whole[:, None]
    arm = point - center[of]
    turn = np.zeros((n, 3))
    if angular is not None:
        turn += sums(mass[:, None] * angular, of, n) / whole[:, None]
    if torque is not None:
        mean = sums(mass[:, None] * torque, of, n) / whole[:, None]
        turned = np.flatnonzero((mean != 0.0).any(axis=1))
        turn[turned] += _turned(mean[turned], _inertia(arm, mass, of, n)[turned])
    change = cross(turn[of], arm)
    return change if linear is None else linear + change


def _inertia(arm: Array, mass: Array, of: Index, count: int) -> Array:
    """Inertia (n, 3, 3) [kg m2] of things about their centres."""
    second = sums((mass[:, None, None] * arm[:, :, None] * arm[:, None, :]).reshape(-1, 9), of, count).reshape(-1, 3, 3)
    return np.asarray(np.trace(second, axis1=1, axis2=2)[:, None, None] * np.eye(3) - second)


def _turned(torque: Array, inertia: Array) -> Array:
    """What torques (n, 3) [N m] give of angular acceleration (n, 3) [rad/s2]; none about axes without inertia."""
    moments, axes = np.linalg.eigh(inertia)
    least = THIN * moments[:, -1:]
    given = np.einsum("nij,ni->nj", axes, torque) / np.where(moments > least, moments, np.inf)
    return np.asarray(np.einsum("nij,nj->ni", axes, given))
