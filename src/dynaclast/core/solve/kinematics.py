"""Bodies that an animation moves, and numbers of bodies over time."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from itertools import pairwise

import numpy as np

from ..arrays import Array
from ..document import Shot
from ..geometry.rotations import rotation_matrix, rotation_vector_between
from ..timeline.channels import channel_value
from ..timeline.drive import Drive
from .deformable.run import DeformableRun
from .model import Hold, Model, Motion
from .rigid.assemblies import wake, wake_around
from .rigid.run import RigidRun
from .state import State

STILL = 1e-9
"""What is wanted to move slower than this [m/s], [rad/s] stands."""

COLUMN_OF = {
    "gravity": "gravity_scale",
    "material.friction": "friction",
    "material.bounce": "restitution",
    "material.rolling": "rolling",
}
"""The column of the table of pieces that a channel of a body sets."""


class Kinematics:
    """What is animated in a run."""

    def __init__(self, model: Model, state: State, rigid: RigidRun) -> None:
        self._model, self._state, self._rigid = model, state, rigid
        self._drives = [(b, drive) for b, drive in enumerate(model.drives) if drive is not None]
        self._position, self._orientation = np.zeros((0, 3)), np.zeros((0, 4))
        self._held: list[tuple[int, Drive]] = []
        self._number = 0

    def aim(self, number: int) -> None:
        """Give what is animated the velocities that take it to where its keys want it at the end of interval
        ``number``.
        """
        model, state = self._model, self._state
        asm, interval = state.assemblies, model.settings.interval
        self._held, self._number = [], number
        if not self._drives:
            return
        slots: list[int] = []
        positions: list[Array] = []
        orientations: list[Array] = []
        for b, drive in self._drives:
            place, turn = drive.at((number + 1) * interval)
            m = rotation_matrix(turn)
            own = np.flatnonzero((model.carrier == b) & (state.hold == Hold.DRIVEN))
            for slot in np.unique(state.piece_assembly[own]):
                to = place + m @ (asm.rest_center[slot] - drive.pivot)
                velocity = (to - asm.position[slot]) / interval
                angular = rotation_vector_between(asm.orientation[slot], turn) / interval
                moves = bool(np.abs(velocity).max() > STILL or np.abs(angular).max() > STILL)
                if asm.motion[slot] == Motion.KINEMATIC and not moves:
                    self._rigid.place_everything()  # it stops here: its shapes are placed once more
                asm.motion[slot] = Motion.KINEMATIC if moves else Motion.FIXED
                asm.velocity[slot], asm.angular_velocity[slot] = (velocity, angular) if moves else (0.0, 0.0)
                self._held.append((int(slot), drive))
                if moves:
                    slots.append(int(slot))
                    positions.append(to)
                    orientations.append(turn if turn @ asm.orientation[slot] >= 0 else -turn)
        self._rigid.set_kinematic(np.array(slots, np.int64))
        self._position = np.array(positions).reshape(-1, 3)
        self._orientation = np.array(orientations).reshape(-1, 4)

    def accelerations(self) -> Iterator[tuple[int, Array, Array]]:
        """Slots that an animation holds, with their acceleration (3,) [m/s2] and angular acceleration (3,) [rad/s2]
        from the last interval to this one. What moves in the first interval is taken to have moved before.
        """
        interval, number = self._model.settings.interval, max(self._number, 1)
        for slot, drive in self._held:
            rest = self._state.assemblies.rest_center[slot]
            places, turns = [], []
            for k in (-1, 0, 1):
                place, turn = drive.at((number + k) * interval)
                places.append(place + rotation_matrix(turn) @ (rest - drive.pivot))
                turns.append(turn)
            spin = [rotation_vector_between(a, b) for a, b in pairwise(turns)]
            yield slot, (places[2] - 2.0 * places[1] + places[0]) / interval**2, (spin[1] - spin[0]) / interval**2

    def arrive(self) -> None:
        """Put what is animated where it was aimed at: substeps come there but for rounding."""
        asm, slots = self._state.assemblies, self._rigid.kinematic
        asm.position[slots], asm.orientation[slots] = self._position, self._orientation


class BodyChannels:
    """Numbers of bodies that change over time: they change the run's own tables of pieces and of what deforms."""

    def __init__(self, model: Model, state: State, deformable: DeformableRun | None) -> None:
        self._model, self._state, self._deformable = model, state, deformable
        self._deforming = {} if model.deformables is None else {int(b): k for k, b in enumerate(model.deformables.body)}
        self._channels = model.channels

    def read(self, shot: Shot) -> None:
        """Take the channels of a document whose numbers were changed in the run."""
        self._channels = [(b, channel) for b, body in enumerate(shot.bodies) for channel in body.channels]

    def apply(self, number: int, waking: bool = True) -> None:
        """Give bodies the numbers their channels have half way through an interval; what then weighs otherwise wakes
        (not where a stored run goes on: it woke when it was computed).
        """
        model = self._model
        for body, channel in self._channels:
            now = channel_value(channel, (number + 0.5) * model.settings.interval)
            if self._deformable is not None and body in self._deforming:
                self._deformable.set_number(self._deforming[body], channel.of, now, waking)
                continue
            column = getattr(model.pieces, COLUMN_OF[channel.of])
            own = np.arange(model.body_first[body], model.body_first[body + 1])
            if column[own[0]] == now:
                continue
            column[own] = now
            if channel.of == "gravity":
                self._weigh_anew(own, waking)
            elif waking:
                state = self._state
                for slot in np.unique(state.piece_assembly[own]):  # it, and what lies on it or it lies on
                    wake_around(slot, model.hulls.piece, state.piece_assembly, state.contact_cache, state.assemblies)

    def _weigh_anew(self, pieces: np.ndarray, waking: bool) -> None:
        model, state = self._model, self._state
        asm = state.assemblies
        for slot in np.unique(state.piece_assembly[pieces]):
            together = state.piece_assembly == slot
            mass = model.pieces.mass[together]
            asm.gravity_scale[slot] = mass @ model.pieces.gravity_scale[together] / mass.sum()
            if waking and asm.motion[slot] == Motion.DYNAMIC:
                wake(int(slot), asm)


def with_own_columns(model: Model) -> Model:
    """The model with columns that channels may change in the run."""
    own = {name: getattr(model.pieces, name).copy() for name in COLUMN_OF.values()}
    return replace(model, pieces=model.pieces._replace(**own))
