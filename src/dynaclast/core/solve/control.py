"""What comes from outside into a run while it goes on, recorded by frame and replayable to the same bits.

Numbers and fired cues are written into the run's own copy of the document, as a channel's step keys and as times of a
cue by hand; so a run with a recording is the bake of the document with these written in (``written_in``). Throws and
grips have no place in a document: they are done to the state.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import asdict, dataclass, field
from typing import Any

import numpy as np

from ..arrays import Array, Flags, Index
from ..document import Channel, HandCue, NumberKey, Shot, number_at
from ..errors import InputError
from ..fields.moving import critical_acceleration
from .frame import piece_positions
from .model import Hold, Model, Motion
from .rigid.assemblies import wake
from .rigid.run import RigidRun
from .state import State

GRIP_RATE = 12.0
"""How fast a grip draws a piece to where it is wanted [1/s], critically damped."""
RECORD = "control"
"""Key of the state's memory under which the recording is kept."""
PARTS = ("fields", "falloffs", "bodies")
"""Parts of a document whose numbers may change in a run."""


@dataclass(frozen=True)
class Throw:
    """A body of the reserve comes into the world.

    position         : (3,) [m], of its centre of mass
    velocity         : (3,) [m/s]
    angular_velocity : (3,) [rad/s]
    """

    body: str
    position: tuple[float, float, float]
    velocity: tuple[float, float, float] = (0.0, 0.0, 0.0)
    angular_velocity: tuple[float, float, float] = (0.0, 0.0, 0.0)


@dataclass(frozen=True)
class Grip:
    """A piece is drawn to a place (3,) [m] from this frame on; None lets it go."""

    piece: int
    target: tuple[float, float, float] | None


@dataclass(frozen=True)
class Control:
    """What is done at the start of one frame.

    numbers : value by path: fields.NAME.PATH, falloffs.NAME.PATH or bodies.NAME.PATH
    fired   : names of fields whose cue by hand fires
    """

    numbers: dict[str, float] = field(default_factory=dict)
    fired: tuple[str, ...] = ()
    thrown: tuple[Throw, ...] = ()
    grips: tuple[Grip, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.numbers or self.fired or self.thrown or self.grips)


Recording = dict[int, Control]
"""Controls by the frame that they were given to: that the run then computed."""


def to_json(recording: Recording) -> str:
    return json.dumps({str(frame): asdict(control) for frame, control in sorted(recording.items())})


def from_json(text: str) -> Recording:
    """What ``to_json`` gave."""
    out: Recording = {}
    for frame, c in json.loads(text).items():
        thrown = tuple(
            Throw(t["body"], *(_three(t[k]) for k in ("position", "velocity", "angular_velocity"))) for t in c["thrown"]
        )
        grips = tuple(Grip(g["piece"], None if g["target"] is None else _three(g["target"])) for g in c["grips"])
        out[int(frame)] = Control(dict(c["numbers"]), tuple(c["fired"]), thrown, grips)
    return out


def _three(values: Any) -> tuple[float, float, float]:
    x, y, z = (float(v) for v in values)
    return x, y, z


def recording_of(state: State) -> Recording:
    """What was done in the run so far."""
    kept = state.memory.get(RECORD)
    return {} if kept is None else from_json(kept.tobytes().decode())


def record(state: State, frame: int, control: Control) -> None:
    text = to_json(recording_of(state) | {frame: control}).encode()
    kept: Any = np.frombuffer(text, np.uint8).copy()
    state.memory[RECORD] = kept


# ------------------------------------------------------------------------------ the document


def written_in(shot: Shot, recording: Recording) -> Shot:
    """The shot with the numbers and fired cues of a recording written into it. Throws and grips are left out.

    Raises InputError for a field, path or cue that is not there.
    """
    out = shot.model_copy(deep=True)
    for frame, control in sorted(recording.items()):
        time = (frame - 1) / float(shot.timing.fps)  # it was given before that frame was computed
        for path, value in control.numbers.items():
            _write_number(out, path, value, time)
        for name in control.fired:
            _fire(out, name, time)
    return out


def _part(shot: Shot, path: str) -> tuple[Any, str]:
    """The part of a document a path begins at, and the rest of the path."""
    kind, _, rest = path.partition(".")
    name, _, of = rest.partition(".")
    if kind not in PARTS or not of:
        raise InputError(f"'{path}' must begin with {', '.join(PARTS)}, a name and a number of it", where=path)
    found = next((p for p in getattr(shot, kind) if p.name == name), None)
    if found is None:
        raise InputError(f"there is no '{name}' in {kind}", where=path)
    return found, of


def _write_number(shot: Shot, path: str, value: float, time: float) -> None:
    part, of = _part(shot, path)
    try:
        before = number_at(part, of)
    except ValueError as exc:
        raise InputError(str(exc), where=path) from None
    if not np.isfinite(value):
        raise InputError(f"'{path}' must be a number, got {value}", where=path)
    channel = next((c for c in part.channels if c.of == of), None)
    if channel is None:
        keys = [NumberKey(time=0.0, value=before, how="step")] if time > 0 else []
        channel = Channel.model_construct(of=of, keys=keys)
        part.channels.append(channel)
    keys = [k for k in channel.keys if k.time < time]
    if keys:
        keys[-1] = keys[-1].model_copy(update={"how": "step"})
    channel.keys = [*keys, NumberKey(time=time, value=value, how="step")]


def _fire(shot: Shot, name: str, time: float) -> None:
    item = next((f for f in shot.fields if f.name == name), None)
    if item is None:
        raise InputError(f"there is no field '{name}'", where=name)
    if not isinstance(item.cue, HandCue):
        raise InputError(f"{name} has no cue by hand, so it cannot be fired", where=name)
    times = sorted({*item.cue.times, time})
    item.cue = item.cue.model_copy(update={"times": times})


# --------------------------------------------------------------------------------- the hands


class Hands:
    """Throws and grips of a run."""

    def __init__(self, model: Model, state: State, rigid: RigidRun) -> None:
        self._model, self._state, self._rigid = model, state, rigid

    def check(self, control: Control) -> None:
        """Raises InputError where a throw or a grip cannot be done."""
        for what in (*control.thrown, *control.grips):
            if not all(np.isfinite(v).all() for v in vars(what).values() if isinstance(v, tuple)):
                raise InputError("places and velocities must be numbers", where=str(getattr(what, "body", "piece")))
        names = [throw.body for throw in control.thrown]
        for name in names:
            self._own(name)
            if names.count(name) > 1:
                raise InputError(f"{name} is one body and cannot be thrown twice", where=name)
        for grip in control.grips:
            if not 0 <= grip.piece < self._model.piece_count:
                raise InputError(f"there is no piece {grip.piece}", where="piece")

    def _own(self, name: str) -> Index:
        """The pieces of a body of the reserve. Raises InputError where it is not in the reserve."""
        model, state = self._model, self._state
        if name not in model.body_names:
            raise InputError(f"there is no body '{name}'", where=name)
        own = np.flatnonzero(model.pieces.body == model.body_names.index(name))
        if len(np.unique(state.piece_assembly[own])) != 1 or (state.hold[own] != Hold.REMOVED).any():
            raise InputError(f"{name} is not in the reserve, or was thrown already", where=name)
        return own

    def throw(self, throw: Throw) -> None:
        """Bring a body of the reserve into the world. Raises InputError where it is not in the reserve."""
        own, state = self._own(throw.body), self._state
        asm, slot = state.assemblies, int(state.piece_assembly[own[0]])
        state.hold[own] = Hold.FREE
        asm.position[slot], asm.orientation[slot] = throw.position, (0.0, 0.0, 0.0, 1.0)
        self._rigid.part(own[:1])  # nothing holds it any more: its mass is counted anew
        asm.velocity[slot], asm.angular_velocity[slot] = throw.velocity, throw.angular_velocity
        self._rigid.place_everything()

    def grip(self, grip: Grip) -> None:
        """Begin, move or end a grip of a piece that is there."""
        gripped = self._gripped()
        gripped.pop(grip.piece, None)
        if grip.target is not None:
            gripped[grip.piece] = np.asarray(grip.target, float)
        memory = self._state.memory
        memory["grip piece"] = np.array(sorted(gripped), float)
        memory["grip target"] = np.array([gripped[p] for p in sorted(gripped)], float).reshape(-1, 3)

    def _gripped(self) -> dict[int, Array]:
        memory = self._state.memory
        pieces, targets = memory.get("grip piece"), memory.get("grip target")
        if pieces is None or targets is None:
            return {}
        return {int(p): t for p, t in zip(pieces, targets, strict=True)}

    def acceleration(self) -> Array | None:
        """What grips do to pieces in an interval (P, 3) [m/s2], on top of everything else; None where nothing is
        gripped. What is gripped is awake.
        """
        gripped = self._gripped()
        if not gripped:
            return None
        model, state, step = self._model, self._state, self._model.settings.interval
        asm, center = state.assemblies, piece_positions(model, state)
        out = np.zeros((model.piece_count, 3))
        for piece, target in gripped.items():
            slot = int(state.piece_assembly[piece])
            if asm.motion[slot] != Motion.DYNAMIC:
                continue
            wake(slot, asm)
            velocity = asm.velocity[slot] + np.cross(asm.angular_velocity[slot], center[piece] - asm.position[slot])
            to = (target - center[piece])[None]
            pull = critical_acceleration(to, velocity[None], np.array([GRIP_RATE]), step)[0]
            out[state.piece_assembly == slot] = pull - asm.gravity_scale[slot] * model.settings.gravity
        return out

    def pull(self, acceleration: Array) -> tuple[Array, Array]:
        """Forces [N] and torques [N m] of grips on pieces (P, 3), (P, 3): each holds its piece, which takes the rest of
        its assembly along without a turn.

        acceleration : (P, 3) float64, [m/s2], as ``acceleration`` gives it
        """
        model, state = self._model, self._state
        asm, center = state.assemblies, piece_positions(model, state)
        force, torque = np.zeros_like(acceleration), np.zeros_like(acceleration)
        # of several grips in one assembly the last has it
        for slot, piece in {int(state.piece_assembly[p]): p for p in self._gripped()}.items():
            force[piece] = asm.mass[slot] * acceleration[piece]
            torque[piece] = -np.cross(center[piece] - asm.position[slot], force[piece])
        return force, torque


def replayed(recording: Recording) -> Iterator[tuple[int, Control]]:
    """Frames from 1 on with what is done at each, to be given to ``Run.advance`` one after the other."""
    frame = 1
    while True:
        yield frame, recording.get(frame, Control())
        frame += 1


def reserved(hold: Flags, body: Any, names: list[str], reserve: tuple[str, ...]) -> None:
    """Take the pieces of bodies in the reserve out of the world: hold (P,) uint8 in place, body (P,) int32.

    Raises InputError for a body that is not there.
    """
    for name in reserve:
        if name not in names:
            raise InputError(f"there is no body '{name}' to keep in reserve", where=name)
        hold[body == names.index(name)] = Hold.REMOVED
