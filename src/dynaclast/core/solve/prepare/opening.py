"""The state a run starts from."""

from __future__ import annotations

import numpy as np

from ...arrays import Index, allocate
from ..deformable.model import DeformableModel
from ..model import Hold, Model, Motion
from ..rigid.assemblies import first_assemblies
from ..state import NOTHING, Assemblies, DeformableBodies, State, Touching, Vertices


def opening_state(model: Model) -> State:
    """The state at frame 0: every body at its place, with its initial velocities."""
    piece_assembly, asm = first_assemblies(
        model.pieces,
        model.bonds,
        model.piece_reach(),
        model.start_velocity[model.pieces.body],
        model.start_angular_velocity[model.pieces.body],
    )
    _turn_about_body(model, piece_assembly, asm)
    count = len(model.bonds.strength)
    ties = len(model.ties.kind)
    state = State(
        0,
        piece_assembly,
        asm,
        np.zeros(count, np.uint8),
        np.zeros(count),
        model.pieces.hold.copy(),
        np.zeros(ties, np.uint8),
        np.zeros((ties, 8)),
    )
    if model.deformables is not None:
        state.vertices, state.touching, state.deformables = opening_vertices(model.deformables)
        ties = len(model.deformables.elements.ties.strength)
        state.vertex_tie_broken, state.vertex_tie_pull = np.zeros(ties, np.uint8), np.zeros((ties, 3))
        seams = model.deformables.seams
        state.seam_broken, state.seam_wear = (seams.strength <= 0.0).astype(np.uint8), np.zeros(seams.count)
        state.vertex_hold = model.deformables.hold[model.deformables.elements.vertices.body]
        state.vertices.velocity[state.vertex_hold != Hold.FREE] = 0.0
    return state


def opening_vertices(deformables: DeformableModel) -> tuple[Vertices, Touching, DeformableBodies]:
    """Deformable bodies at frame 0, touching nothing."""
    vertices = allocate(Vertices, deformables.count)
    vertices.position[:] = vertices.dwell[:] = deformables.start
    vertices.velocity[:] = deformables.start_velocity
    touching = allocate(Touching, len(deformables.elements.points.radius))
    touching.shape[:], touching.face[:], touching.on[:] = NOTHING, -1, NOTHING
    bodies, twists = allocate(DeformableBodies, len(deformables.names)), deformables.elements.twists
    bodies.twist[twists.body] = twists.laid
    return vertices, touching, bodies


def _turn_about_body(model: Model, piece_assembly: Index, asm: Assemblies) -> None:
    """A body turns about its own centre at the start: assemblies off that centre also move."""
    for b in range(len(model.body_names)):
        start = model.start_angular_velocity[b]
        if not start.any():
            continue
        own = np.flatnonzero(model.pieces.body == b)
        if not len(own):  # its vertices are said how to start (prepare/deformables)
            continue
        mass = model.pieces.mass[own]
        middle = (mass[:, None] * model.pieces.rest_center[own]).sum(axis=0) / mass.sum()
        for slot in np.unique(piece_assembly[own]):
            if asm.motion[slot] == Motion.DYNAMIC:
                asm.velocity[slot] += np.cross(start, asm.rest_center[slot] - middle)
