"""All that a step of deformable bodies works with."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Flags, Index
from ...kernels.simd import LANES
from ..model import InnerFaces
from ..state import Touching, Vertices
from .contacts import Near
from .face_contacts import Cores
from .groups import Groups
from .looked import Looked
from .meetings import Meeting
from .system import Matrix, Slots, Vectors
from .tables import Elements, Rows
from .twist import TwistScratch, make_twist_scratch

ROWS, ITERATIONS, STEPS, FULL = range(4)
"""Places in StepScratch.numbers."""


class Touches(NamedTuple):
    """What was touched in an interval, by what that moves, and how hard.

    body  : (B,) int32, of deformable bodies: 1 + the piece that touched each, or -1 less another of them; 0 nothing
    piece : (P,) int32, of pieces: 1 + the deformable body that touched each; 0 none
    at    : (N,) uint8, vertices that something which moves touched
    waits : (B,) uint8, whether a deformable body waits itself: then it is held, and touches nothing
    push  : (C, 3) float64, [N s], on points by shapes and the ground, over the interval
    on    : (C,) int32, the shape that pushed each hardest in a step, or GROUND, or NOTHING; most (C,), so hard [N]
    pull  : (X, 3) float64, [N s], on the vertex of a tie by what it is tied to
    """

    body: Index
    piece: Index
    at: Flags
    waits: Flags
    push: Array
    on: Index
    most: Array
    pull: Array


class StepScratch(NamedTuple):
    """Room for a step.

    way          : (N, 3) float64, [m], how vertices would go by themselves
    acceleration : (N, 3) float64, [m/s2], by fields, the same all through the interval
    point        : (C, 3) float64, [m], where points are; point_way (C, 3), as way
    base         : (N, 4) float64, [N], of the system without rows, the last column 0
    slot_base    : (K, 6) float64
    given        : (A, 6) float64, [m/s2], [rad/s2], what assemblies get in the step
    support      : (A, 3) float64, [m/s2], what holds assemblies up in the interval, as far as it is known before
    borne        : (A,) uint8, whether that is all of their weight
    pressed      : (A,) float64, [N], greatest force of a step of the interval on what sleeps
    touches      : what moves and touched something in the interval
    twist        : what twist of ropes adds
    pull         : (X,) float64, [N], greatest load of each tie's end in the interval
    numbers      : (4,) int64: rows of the last step, iterations since the start, steps, and whether there was no more
                   room for rows in the interval
    goal         : (N, 3) float64, [m], where recall draws vertices in the step; goal_way (N, 3), [m], how far that goes
    matrix3      : (3, 3) float64, scratch; corner (4, 6), as face_rows
    parent       : (N + K,) int32, of groups (momentum.py); held (N + K,) uint8, which of these something holds
    total        : (N + K, 23) float64, of groups, over the square of the step: force, mass, centre, torque and then
                   turn, inertia (9), angular momentum, and what is lost
    turned       : (B,) uint8, whether a body turns as a whole in the step (turning_ahead.py)
    wholes       : (N, 10) float64, of what hangs together (wholes.py); resists (N, 6, 6) float64, [N/m], [N], [N m]
    squeezed     : (N,) float64, [m], how far an assembly would drive a vertex by itself; squeezed_by (N,) int32, which
    linear       : (N, 3) float64, [m], where cloth and ropes are linearised
    beside       : (A,) uint8, which assemblies are near deformable bodies in the interval
    expected     : (A, 4) float64, [m], where a step took what it touched, and how wide that is; 0 what it did not touch
    grounded     : (C,) uint8, which points have a row with the ground in the step
    group_of     : as find_groups
    """

    way: Array
    acceleration: Array
    point: Array
    point_way: Array
    base: Array
    slot_base: Array
    given: Array
    support: Array
    borne: Flags
    pressed: Array
    touches: Touches
    twist: TwistScratch
    pull: Array
    numbers: Index
    goal: Array
    goal_way: Array
    matrix3: Array
    corner: Array
    parent: Index
    held: Flags
    total: Array
    turned: Flags
    wholes: Array
    resists: Array
    squeezed: Array
    squeezed_by: Index
    linear: Array
    beside: Flags
    expected: Array
    grounded: Flags
    group_of: Index


def make_step_scratch(e: Elements, pieces: int) -> StepScratch:
    """Room for steps of such elements, with so many pieces of rigid bodies."""
    n, points, bodies, slots = len(e.vertices.body), len(e.points.radius), len(e.bodies.solver), pieces + 1
    f = np.zeros
    return StepScratch(
        f((n, 3)),
        f((n, 3)),
        f((points, 3)),
        f((points, 3)),
        f((n, LANES)),
        f((slots, 6)),
        f((slots, 6)),
        f((slots, 3)),
        f(slots, np.uint8),
        f(slots),
        Touches(
            f(bodies, np.int32),
            f(pieces, np.int32),
            f(n, np.uint8),
            f(bodies, np.uint8),
            f((points, 3)),
            f(points, np.int32),
            f(points),
            f((len(e.ties.strength), 3)),
        ),
        make_twist_scratch(len(e.twists.body), n),
        f(len(e.ties.strength)),
        f(4, np.int64),
        e.vertices.rest.copy(),
        f((n, 3)),
        f((3, 3)),
        f((4, 6)),
        f(n + slots, np.int32),
        f(n + slots, np.uint8),
        f((n + slots, 23)),
        f(bodies, np.uint8),
        f((n, 10)),
        f((n, 6, 6)),
        f(n),
        f(n, np.int32),
        f((n, 3)),
        f(slots, np.uint8),
        f((slots, 4)),
        f(points, np.uint8),
        f(64 + bodies + slots, np.int32),
    )


class Deformables(NamedTuple):
    """All that a step works with: of the bodies that are awake, of which ``here`` (B,) uint8 is 1."""

    elements: Elements
    matrix: Matrix
    slots: Slots
    vectors: Vectors
    rows: Rows
    near: Near
    looked: Looked
    cores: Cores
    inner: InnerFaces
    meeting: Meeting
    groups: Groups
    scratch: StepScratch
    vertices: Vertices
    touching: Touching
    pinned: Flags
    twisted: Array
    asleep: Flags
    awake: Index
    here: Flags
