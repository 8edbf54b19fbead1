"""All that a step of deformable bodies works with, for all of them, or for some beside the others."""

from __future__ import annotations

import numpy as np

from ...arrays import Flags, Index
from ...kernels.simd import LANES
from ..model import Model
from ..state import State
from .chain import make_chain_factor
from .contacts import make_near
from .face_contacts import Cores
from .groups import make_groups
from .looked import make_looked
from .meetings import make_meeting
from .parts import Deformables, make_step_scratch
from .riding import make_riding
from .rotations import make_rotations
from .system import Matrix, make_compliance, make_slots, make_vectors
from .tables import Solver, Tables, make_rows


def make_parts(tables: Tables, model: Model, state: State, cores: Cores, contacts: int, awake: Index) -> Deformables:
    """Room for steps of all bodies.

    contacts : int, of assemblies with one another, that there is room for
    awake    : (n,) int64, bodies
    """
    e, slots = tables.elements, model.piece_count + 1
    bodies, n, nodes, points, f = (
        len(e.bodies.solver),
        len(e.vertices.lead),
        len(tables.levels.mass),
        len(e.points.radius),
        np.zeros,
    )
    follows = e.vertices.lead != np.arange(n)
    still = np.concatenate([e.vertices.pinned | follows, np.zeros(nodes - n, np.uint8)]).astype(np.uint8)
    matrix = Matrix(
        tables.scalar,
        tables.pattern,
        tables.levels,
        tables.factor,
        f((len(tables.pattern.column), 3, 3)),
        f((nodes, 3, 3)),
        f((nodes, 3, 3)),
        make_chain_factor(n),
        make_rotations(n),
        e.vertices.island,
        f((n, LANES)),
        f((2, 3, 3)),
        make_riding(n, slots),
        make_compliance(bool((e.bodies.solver != Solver.LEVELS).any())),
        f((n, LANES)),
        f((n, LANES)),
        f((n, 3, 3)),
        f((nodes, LANES)),
        f((nodes, LANES)),
    )
    scratch = make_step_scratch(e, model.piece_count)
    return Deformables(
        e,
        matrix,
        make_slots(slots, contacts),
        make_vectors(nodes, slots),
        make_rows(64),
        make_near(64),
        make_looked(bodies, points, len(model.hulls.piece), slots),
        cores,
        model.inner_faces,
        make_meeting(e, 64, 64),
        make_groups(bodies, slots),
        scratch,
        state.vertices,
        state.touching,
        still,
        state.deformables.twist,
        state.deformables.asleep,
        awake,
        here_of(bodies, awake),
    )


def here_of(bodies: int, awake: Index) -> Flags:
    """(B,) uint8, 1 of those that are awake (n,)."""
    out = np.zeros(bodies, np.uint8)
    out[awake] = 1
    return out


def with_awake(parts: Deformables, awake: Index) -> Deformables:
    """The same, to solve these bodies (n,)."""
    if np.array_equal(awake, parts.awake):
        return parts
    return parts._replace(awake=awake, here=here_of(len(parts.here), awake))


def beside_others(parts: Deformables, model: Model, contacts: int) -> Deformables:
    """Room for steps of some of the bodies beside steps of the others, which last otherwise: what they touch, and who
    they are, is their own, and so is what is known of a step afterwards. Nobody is awake.
    """
    slots, own = model.piece_count + 1, make_step_scratch(parts.elements, model.piece_count)
    return parts._replace(
        slots=make_slots(slots, contacts),
        rows=make_rows(64),
        near=make_near(64),
        meeting=make_meeting(parts.elements, 64, 64),
        groups=make_groups(len(parts.elements.bodies.solver), slots),
        scratch=parts.scratch._replace(
            support=own.support,
            borne=own.borne,
            numbers=own.numbers,
            beside=own.beside,
            grounded=own.grounded,
            group_of=own.group_of,
        ),
        awake=parts.awake[:0],
        here=np.zeros_like(parts.here),
    )
