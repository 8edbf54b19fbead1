"""Twist of ropes whose ends are held: torque on what holds them, and forces on a rope that is not straight.

A rope has next to no inertia about its own line, so that its twist is spread evenly at all times: E = k/2 a^2, with
k = G J / L and a the angle between the far end and the near one, carried along the line without turning about it
(Bergou et al. 2008, "Discrete elastic rods", doi 10.1145/1399504.1360662, their quasistatic frames). Where the line
bends into the third dimension, that angle changes with it: da/dx gives the forces by which a wound-up rope throws
loops. They are taken as they are at the start of a step: the helix of wave number q that they drive against bending B
and tension T has stiffness B q^4 - M q^3 + T q^2, so that what is explicit is never more than what is implicit, but
where the rope buckles (Greenhill 1883). More torque than buckles the finest helix that its segments can follow it does
not bear: nothing would stop that one.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Flags, Index
from ...kernels import kernel
from ...kernels.linalg import rotate_by
from ..rigid.groups import Bodies
from .tables import BodyTable, SegmentTable, TwistTable

FOLDED = 0.05
"""Segments that turn back on each other, by their cosine from -1, are taken to enclose an angle no sharper."""


class TwistScratch(NamedTuple):
    """What twist adds, K ropes that resist it.

    active : (K,) uint8, whether a rope is whole and held at both ends
    gain   : (N, 3) float64, [m/s2], of vertices in the step
    turn   : (K, 2, 3) float64, [rad/s2], added in it to those of the assemblies that hold its ends
    """

    active: Flags
    gain: Array
    turn: Array


def make_twist_scratch(ropes: int, vertices: int) -> TwistScratch:
    return TwistScratch(np.zeros(ropes, np.uint8), np.zeros((vertices, 3)), np.zeros((ropes, 2, 3)))


@kernel(inner=True)
def _tangent(x: Array, i: int, j: int) -> tuple[float, float, float, float]:
    """Unit vector from a vertex to another, and how far it is [m]."""
    u, v, w = x[j, 0] - x[i, 0], x[j, 1] - x[i, 1], x[j, 2] - x[i, 2]
    far = max(np.sqrt(u * u + v * v + w * w), 1e-12)
    return u / far, v / far, w / far, far


@kernel(inner=True)
def _director(twists: TwistTable, k: int, end: int, bodies: Bodies, h: float) -> tuple[float, float, float]:
    """Where what holds an end of a rope has turned its mark, half a step of h [s] from now."""
    o, p = twists.director[k, end], twists.holder[k, end]
    if p < 0:
        return o[0], o[1], o[2]
    a = bodies.piece_assembly[p]
    q, w = bodies.assemblies.orientation[a], bodies.assemblies.angular_velocity[a]
    u, v, z = rotate_by(q[0], q[1], q[2], q[3], o[0], o[1], o[2])
    half = 0.5 * h
    return u + half * (w[1] * z - w[2] * v), v + half * (w[2] * u - w[0] * z), z + half * (w[0] * v - w[1] * u)


@kernel(inner=True)
def twist_angle(
    x: Array, line: Index, near: tuple[float, float, float], far: tuple[float, float, float], before: float
) -> float:
    """By how much the far end of a line is turned against the near one [rad], as many turns as it had before.

    x         : (N, 3) float64, [m]
    line      : (n,) int32, its vertices along it
    near, far : marks that what holds its ends has turned; of each, what is across the line counts
    """
    tx, ty, tz, _ = _tangent(x, line[0], line[1])
    dx, dy, dz = near
    along = dx * tx + dy * ty + dz * tz
    dx, dy, dz = dx - along * tx, dy - along * ty, dz - along * tz
    for s in range(1, len(line) - 1):
        ux, uy, uz, _ = _tangent(x, line[s], line[s + 1])
        # the shortest turn from the one direction to the other
        share = (dx * ux + dy * uy + dz * uz) / max(1.0 + tx * ux + ty * uy + tz * uz, FOLDED)
        dx, dy, dz = dx - share * (tx + ux), dy - share * (ty + uy), dz - share * (tz + uz)
        tx, ty, tz = ux, uy, uz
    fx, fy, fz = far
    sine = tx * (dy * fz - dz * fy) + ty * (dz * fx - dx * fz) + tz * (dx * fy - dy * fx)
    along = dx * tx + dy * ty + dz * tz
    dx, dy, dz = dx - along * tx, dy - along * ty, dz - along * tz
    angle = np.arctan2(sine, dx * fx + dy * fy + dz * fz)
    return angle + 2.0 * np.pi * np.floor((before - angle) / (2.0 * np.pi) + 0.5)


@kernel(inner=True)
def twist_forces(x: Array, line: Index, torque: float, force: Array) -> None:
    """Add the forces (N, 3) [N] on the vertices of a line (n,) that bears a torque [N m]: -torque da/dx of
    ``twist_angle``, by the curvature binormals of its inner vertices.
    """
    tx, ty, tz, long = _tangent(x, line[0], line[1])
    for s in range(1, len(line) - 1):
        i, j, k = line[s - 1], line[s], line[s + 1]
        ux, uy, uz, far = _tangent(x, j, k)
        over = torque / max(1.0 + tx * ux + ty * uy + tz * uz, FOLDED)
        bx, by, bz = over * (ty * uz - tz * uy), over * (tz * ux - tx * uz), over * (tx * uy - ty * ux)
        for c in range(3):
            b = bx if c == 0 else (by if c == 1 else bz)
            force[i, c] += b / long
            force[j, c] += b / far - b / long
            force[k, c] -= b / far
        tx, ty, tz, long = ux, uy, uz, far


@kernel(inner=True)
def _least_tension(segments: SegmentTable, t: BodyTable, b: int, x: Array) -> float:
    """The least of a rope's segments [N], 0 where one is slack."""
    least = np.inf
    for s in range(t.segment[b], t.segment[b + 1]):
        _, _, _, long = _tangent(x, segments.vertex[s, 0], segments.vertex[s, 1])
        least = min(least, segments.stiffness[s] * (long - segments.length[s]))
    return max(least, 0.0)


@kernel(inner=True)
def _push_end(bodies: Bodies, a: int, torque: float, tx: float, ty: float, tz: float, turn: Array) -> None:
    """Give an assembly a torque about a direction."""
    m, out = bodies.inv_inertia[a], bodies.angular_acceleration[a]
    for c in range(3):
        turn[c] = torque * (m[c, 0] * tx + m[c, 1] * ty + m[c, 2] * tz)
        out[c] += turn[c]


@kernel(inner=True)
def _yields(bodies: Bodies, a: int, tx: float, ty: float, tz: float) -> float:
    """How easily an assembly is turned about a direction [1/(kg m2)]."""
    m = bodies.inv_inertia[a]
    return (
        tx * (m[0, 0] * tx + m[0, 1] * ty + m[0, 2] * tz)
        + ty * (m[1, 0] * tx + m[1, 1] * ty + m[1, 2] * tz)
        + tz * (m[2, 0] * tx + m[2, 1] * ty + m[2, 2] * tz)
    )


@kernel(inner=True)
def _take_back(twists: TwistTable, t: BodyTable, here: Flags, bodies: Bodies, out: TwistScratch) -> None:
    """Take back what was given in the last step."""
    for k in range(len(twists.body)):
        b = twists.body[k]
        if not here[b]:
            continue
        out.gain[t.first[b] : t.first[b + 1], :] = 0.0
        for end in range(2):
            if twists.holder[k, end] >= 0:
                a = bodies.piece_assembly[twists.holder[k, end]]
                for c in range(3):
                    bodies.angular_acceleration[a, c] -= out.turn[k, end, c]
            out.turn[k, end, :] = 0.0


@kernel(inner=True)
def twist_ropes(
    twists: TwistTable,
    t: BodyTable,
    here: Flags,
    mass: Array,
    x: Array,
    segments: SegmentTable,
    h: float,
    bodies: Bodies,
    angle: Array,
    out: TwistScratch,
) -> None:
    """What twist gives vertices at x (N, 3) [m] of mass (N,) [kg] in a step of h [s]; assemblies are given theirs.

    here  : (B,) uint8, whether the step is one of each body
    angle  : (B,) float64, [rad], how far each is twisted, in and out
    """
    _take_back(twists, t, here, bodies, out)
    for k in range(len(twists.body)):
        b = twists.body[k]
        if not out.active[k] or not here[b]:
            continue
        line = t.leading[t.leads[b] : t.leads[b + 1]]
        near, far = _director(twists, k, 0, bodies, h), _director(twists, k, 1, bodies, h)
        angle[b] = twist_angle(x, line, near, far, angle[b])
        sx, sy, sz, _ = _tangent(x, line[0], line[1])
        ex, ey, ez, _ = _tangent(x, line[len(line) - 2], line[len(line) - 1])
        # half a step on it is twisted by what is given here too: then no step gives it energy
        yields, stiff = 0.0, twists.stiffness[k]
        if twists.tie[k, 0, 0] >= 0 and twists.holder[k, 0] >= 0:
            yields += _yields(bodies, bodies.piece_assembly[twists.holder[k, 0]], sx, sy, sz)
        if twists.tie[k, 1, 0] >= 0 and twists.holder[k, 1] >= 0:
            yields += _yields(bodies, bodies.piece_assembly[twists.holder[k, 1]], ex, ey, ez)
        torque = stiff * angle[b] / (1.0 + 0.25 * h * h * stiff * yields)
        most = twists.bending[k] * twists.finest[k] + _least_tension(segments, t, b, x) / twists.finest[k]
        torque = min(max(torque, -most), most)
        twist_forces(x, line, torque, out.gain)
        for i in line:
            for c in range(3):
                out.gain[i, c] /= mass[i]
        for end in range(2):  # what is pinned rides, and gives nothing back
            p = twists.holder[k, end]
            if p >= 0 and twists.tie[k, end, 0] >= 0:
                a = bodies.piece_assembly[p]
                if end == 0:
                    _push_end(bodies, a, torque, sx, sy, sz, out.turn[k, 0])
                else:
                    _push_end(bodies, a, -torque, ex, ey, ez, out.turn[k, 1])
