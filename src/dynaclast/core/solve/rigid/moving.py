"""What a substep does to places, turns and speeds apart from contacts: weight, fields, and going on."""

from __future__ import annotations

import numpy as np

from ...kernels import kernel
from ..state import Assemblies
from .assemblies import rotation


@kernel
def turn_by(q, x, y, z):
    """Turn quaternion q by the rotation vector (x, y, z) [rad], world axes."""
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
def through(m, tensor, x, y, z):
    """The tensor (3, 3) of the opening frame, turned by m, times a world vector. In scalars: matrix products of this
    size go through a library call that costs more than the arithmetic.
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


@kernel
def move(asm: Assemblies, live, h, moved, turned, shift, tilt, push, m, q):
    """Advance positions and orientations; free spin keeps its angular momentum (midpoint rule). m (3, 3), q (4,)
    scratch.

    Over an interval a push (A, 3) [m/s2] gives a T^2 / 2, as in a leapfrog, however many substeps there are.
    """
    for k in range(len(live)):
        a = live[k]
        for c in range(3):
            d = h * asm.vel[a, c] + (shift[a, c] - 0.5 * h * h * push[a, c])
            asm.pos[a, c] += d
            moved[a, c] += d
        w = asm.spin[a]
        fast = w[0] * w[0] + w[1] * w[1] + w[2] * w[2]
        if fast < 1e-3:
            turn_by(asm.rot[a], h * w[0] + tilt[a, 0], h * w[1] + tilt[a, 1], h * w[2] + tilt[a, 2])
            for c in range(3):
                turned[a, c] += h * w[c] + tilt[a, c]
            continue
        rotation(asm.rot[a], m)
        lx, ly, lz = through(m, asm.inertia[a], w[0], w[1], w[2])
        for c in range(4):
            q[c] = asm.rot[a, c]
        turn_by(q, 0.5 * h * w[0], 0.5 * h * w[1], 0.5 * h * w[2])
        rotation(q, m)
        mx, my, mz = through(m, asm.inv_inertia[a], lx, ly, lz)
        tx, ty, tz = h * mx + tilt[a, 0], h * my + tilt[a, 1], h * mz + tilt[a, 2]
        turn_by(asm.rot[a], tx, ty, tz)
        turned[a, 0] += tx
        turned[a, 1] += ty
        turned[a, 2] += tz
        rotation(asm.rot[a], m)
        w[0], w[1], w[2] = through(m, asm.inv_inertia[a], lx, ly, lz)


@kernel(inner=True)
def move_driven(asm: Assemblies, driven, h, moved, turned):
    """What an animation moves keeps its speed."""
    for k in range(len(driven)):
        a = driven[k]
        turn_by(asm.rot[a], h * asm.spin[a, 0], h * asm.spin[a, 1], h * asm.spin[a, 2])
        for c in range(3):
            asm.pos[a, c] += h * asm.vel[a, c]
            moved[a, c] += h * asm.vel[a, c]
            turned[a, c] += h * asm.spin[a, c]


@kernel(inner=True)
def speed_up(asm: Assemblies, live, h, gravity, push, twist):
    """What weight and fields give in a substep."""
    for k in range(len(live)):
        a = live[k]
        for c in range(3):
            asm.vel[a, c] += h * asm.fall[a] * gravity[c]
            asm.vel[a, c] += h * push[a, c]
            asm.spin[a, c] += h * twist[a, c]
