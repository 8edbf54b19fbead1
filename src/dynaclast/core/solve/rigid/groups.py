"""What kernels of the solver are handed, in groups: the scene, its bodies, shapes where they are now."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Array, Index
from ..model import Hulls, InnerFaces, Model, PieceTable, Settings, TriangleMeshes
from ..state import Assemblies, State


class Scene(NamedTuple):
    """What stays the same in a run (of pieces, channels may change friction and the like between intervals).

    uncollided : (N, 2) int32, bodies that do not touch
    """

    hulls: Hulls
    inner_faces: InnerFaces
    pieces: PieceTable
    meshes: TriangleMeshes
    uncollided: Index
    settings: Settings


class Bodies(NamedTuple):
    """What moves, by assembly slot (A).

    piece_assembly       : (P,) int32, slot of each piece
    acceleration         : (A, 3) float64, [m/s2], by fields, the same all through the interval
    angular_acceleration : (A, 3) float64, [rad/s2], likewise
    inv_mass             : (A,) float64, [1/kg], 0 for what is fixed, kinematic or asleep
    inv_inertia          : (A, 3, 3) float64, [1/(kg m2)], world frame, likewise
    displacement         : (A, 3) float64, [m], since the start of the interval
    rotation             : (A, 3) float64, [rad], likewise, as the sum of rotation vectors
    kinematic            : (K,) int64, slots that an animation moves
    """

    assemblies: Assemblies
    piece_assembly: Index
    acceleration: Array
    angular_acceleration: Array
    inv_mass: Array
    inv_inertia: Array
    displacement: Array
    rotation: Array
    kinematic: Index


class WorldShapes(NamedTuple):
    """Shapes where they are now, world frame.

    vertices  : (N, 3) float64, [m], as Hulls.vertices
    normals   : (F, 3) float64
    center    : (S, 3) float64, [m], centre of mass of each shape's piece
    lower     : (S, 3) float64, [m], bounds over the interval
    upper     : (S, 3) float64, [m]
    placed_at : (S,) int64, the mid-interval detection each was last placed for
    """

    vertices: Array
    normals: Array
    center: Array
    lower: Array
    upper: Array
    placed_at: Index


def make_world_shapes(hulls: Hulls) -> WorldShapes:
    shapes, f = len(hulls.piece), np.zeros
    return WorldShapes(
        np.zeros_like(hulls.vertices),
        np.zeros_like(hulls.normals),
        f((shapes, 3)),
        f((shapes, 3)),
        f((shapes, 3)),
        f(shapes, np.int64),
    )


def scene_of(model: Model, state: State) -> Scene:
    """The scene of a run; pieces are held as the state says."""
    pieces = model.pieces._replace(hold=state.hold)
    return Scene(model.hulls, model.inner_faces, pieces, model.triangle_meshes, model.uncollided, model.settings)


def bodies_of(state: State) -> Bodies:
    """The bodies of a state, with room for what an interval works out of them."""
    slots, f = len(state.assemblies.mass), np.zeros
    return Bodies(
        state.assemblies,
        state.piece_assembly,
        f((slots, 3)),
        f((slots, 3)),
        f(slots),
        f((slots, 3, 3)),
        f((slots, 3)),
        f((slots, 3)),
        f(0, np.int64),
    )
