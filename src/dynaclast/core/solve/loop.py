"""The loop: frames out of a Model and a State.

A frame is a few intervals; each detects contacts once and solves many substeps. If impacts of an interval break bonds,
the interval is taken back, the assemblies are parted, and it is solved again: what was hit goes its own way and the
rest keeps the momentum it had, instead of stopping as one block.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any, Protocol

import numpy as np

from ..arrays import Index
from ..document import Shot
from ..fields import PIECES, VERTICES
from .bonds import Bonds, Hits
from .control import RECORD, Control, Hands, Recording, record, recording_of, written_in
from .deformable.pushes import struck_pieces
from .deformable.run import DeformableRun
from .events import EventLog
from .field_actions import ActiveFields
from .field_effects import FieldEffects, Joins
from .frame import Frame, snapshot
from .impacts import Impacts
from .kinematics import BodyChannels, Kinematics, with_own_columns
from .limits import Limits
from .load_paths import LoadPaths
from .maps import RunMaps
from .model import Model
from .releases import Releases
from .rigid.run import RigidRun
from .seams import Seams
from .state import State, copied, put_back
from .sweeps import Ahead
from .tie_breaks import TieBreaks

MOST_RETRIES = 3
"""How often one interval is taken back because bonds broke in it."""


COUNTED = ("bonds_broken", "seams_opened")
"""Numbers of a frame that count what happened in it."""


class Matter(Protocol):
    """One kind of matter in a run."""

    def active(self) -> bool:
        """Whether any of it moves. An interval is solved while anything does, of whatever kind."""


class Run:
    """A run in progress: objects of one subject each over one State, and their order."""

    def __init__(self, shot: Shot, model: Model, state: State) -> None:
        model = with_own_columns(model)
        self.model, self.state = model, state
        self.log = EventLog(model, state)
        self.deformable = DeformableRun(model.deformables, model, state) if model.deformables else None
        self.rigid = RigidRun(model, state, self.deformable)
        self.matter: list[Matter] = [m for m in (self.rigid, self.deformable) if m is not None]
        self.bonds = Bonds(model, state, self.rigid, self.log)
        self.seams: Seams | None = None
        if model.deformables is not None and self.deformable is not None:
            self.seams = Seams(model.deformables, state, self.deformable, self.log)
        self.releases = Releases(model, state, self.rigid, self.deformable, self.bonds, self.log)
        self.tie_breaks = TieBreaks(model, state, self.rigid, self.log)
        self.kinematics = Kinematics(model, state, self.rigid)
        self.load_paths = LoadPaths(model, state, self.bonds, self.kinematics)
        self.channels = BodyChannels(model, state, self.deformable)
        self.impacts = Impacts(model, state, self.rigid, self.deformable, self.log)
        self.limits = Limits(model, state, self.log)
        self.hands = Hands(model, state, self.rigid)
        self._moved = True
        self._unchanged: Frame | None = None
        self._read(written_in(shot, recording_of(state)) if RECORD in state.memory else shot)
        if state.frame:
            self.channels.apply(state.frame * model.intervals_per_frame - 1, waking=False)

    def _read(self, shot: Shot) -> None:
        """Let the run go by a document: the one it began with, or with what was done to it since."""
        model, state = self.model, self.state
        self.shot = shot
        self.active_fields = ActiveFields(shot, model, state)
        self.fields = FieldEffects(
            self.active_fields,
            model,
            state,
            self.rigid,
            self.deformable,
            Joins(self.bonds, self.seams, self.load_paths, self.releases),
            self.log,
        )
        self.maps = RunMaps(shot, model, state)
        self.channels.read(shot)
        self._hears_impacts = any(item.on and item.cue.kind == "impact" for item in shot.fields)

    @property
    def recording(self) -> Recording:
        """What was done to the run from outside so far, by frame."""
        return recording_of(self.state)

    def _take(self, control: Control) -> None:
        """Do what comes from outside, and record it. Raises InputError where it cannot be done; then nothing is."""
        frame = self.state.frame + 1
        shot = written_in(self.shot, {frame: control}) if control.numbers or control.fired else None
        self.hands.check(control)
        for throw in control.thrown:
            self.hands.throw(throw)
        for grip in control.grips:
            self.hands.grip(grip)
        record(self.state, frame, control)
        if shot is not None:
            self._read(shot)

    # ------------------------------------------------------------------------------ frames

    def opening(self) -> Frame:
        """Frame 0."""
        self.channels.apply(0)
        if self.load_paths.followed:
            self.load_paths.measure()
        return self._taken([])

    def _taken(self, events: list[dict[str, Any]]) -> Frame:
        """The state as a frame."""
        frame = snapshot(self.model, self.state, events, self._more_arrays())
        if self.deformable is not None:
            opened = float(sum(e["kind"] == "seam_opened" for e in events))
            more = self.deformable.shown.stats(self.deformable.parts)
            more["energy"] += frame.stats["energy"]
            frame.stats.update(more | {"seams_opened": opened})
        return frame

    def advance(self, control: Control | None = None) -> Frame:
        """Compute the next frame; ``control``: what is done from outside at its start."""
        if control:
            self._take(control)
            self._moved = True
        per_frame = self.model.intervals_per_frame
        self.limits.begin_frame()
        for k in range(per_frame):
            number = self.state.frame * per_frame + k
            self.channels.apply(number)
            self.releases.release_due(number)
            self.kinematics.aim(number)
            if len(self.rigid.kinematic):
                ahead = Ahead(self.model, self.state, self.rigid.kinematic)
                self.releases.release_ahead(ahead)
                self.bonds.break_ahead(ahead)
            gripped = self.hands.acceleration()
            acting = self.fields.act(number, gripped)
            if k == 0:
                hands = None if gripped is None else self.hands.pull(gripped)
                self.load_paths.follow(acting, hands, moved=self._moved or len(self.rigid.kinematic) > 0)
                self._moved = False
            solved = self._solve_interval()
            self._moved |= solved
            if solved and self._hears_impacts:
                self.fields.fire_impact_cues(number, self.impacts)
        self.impacts.write_down()
        events = self.log.take()
        self.state.frame += 1
        return self._frame(events)

    def _frame(self, events: list[dict[str, Any]]) -> Frame:
        quiet = not events and not self._active()
        if self._unchanged is not None and quiet:  # nothing can have moved
            still = self._unchanged
            return replace(still, index=self.state.frame, arrays=still.arrays | self._more_arrays())
        frame = self._taken(events)
        rests = not frame.stats["moving"] and not len(self.rigid.kinematic)
        nothing = {name: 0.0 for name in COUNTED if name in frame.stats}
        self._unchanged = replace(frame, stats=frame.stats | nothing, events=[]) if rests else None
        return frame

    def _more_arrays(self) -> dict[str, np.ndarray]:
        """More numbers of every piece at the end of the frame."""
        deformable = self.deformable
        out = {} if deformable is None else dict(deformable.shown.arrays(deformable.parts))
        if self.load_paths.followed:
            out["load"] = self.load_paths.piece_share().astype(np.float32)
        if self.shot.fields:
            acted = self.active_fields.acted.take()
            out["acted"] = acted[PIECES]
            if self.deformable is not None:
                out |= self.deformable.shown.bits("acted", acted[VERTICES])
        return out | self.maps.at(self.state.frame / self.model.fps)

    # --------------------------------------------------------------------------- intervals

    def _active(self) -> bool:
        return any(matter.active() for matter in self.matter)

    def _solve_interval(self) -> bool:
        """Solve an interval, again where what it does changes what hangs together. Returns whether anything moved."""
        state, rigid = self.state, self.rigid
        rigid.wake_joined()
        if not self._active():
            return False
        awake: Index = np.zeros(0, np.int64)
        waiting = self.releases.waiting_for_touch()
        can_break = bool(self.model.bond_count) and not state.bond_broken.all()
        for attempt in range(MOST_RETRIES + 1):
            if attempt:  # bonds have broken, or what was touched was let go
                rigid.wake_joined()
            before = copied(self._moving()) if can_break or waiting or self._can_miss() else None
            awake = self._solve_looking(before)
            if before is None:
                break
            last = attempt == MOST_RETRIES
            if waiting and not last and (touch := self.releases.touched()):
                self._take_back(before)
                self.releases.release_after_touch(touch)
                continue
            found = self.bonds.impact_load(self._hits()) if can_break else None
            if found is None:
                break
            if not last:
                self._take_back(before)
            self.bonds.break_by_impacts(*found)
        self.impacts.store()
        self.kinematics.arrive()
        self.limits.apply(awake)
        self.tie_breaks.break_overloaded()
        if self.deformable is None:
            rigid.fall_asleep(awake)
            return True
        self.tie_breaks.break_vertex_ties(self.deformable)
        self.deformable.look_as_usual()
        self.deformable.keep_pushes()
        self.deformable.sleepers.wake_pressed(self.deformable.parts)
        links = self.deformable.measure_stillness(rigid.bodies)
        self.deformable.sleepers.fall_asleep(self.deformable.awake, rigid.fall_asleep(awake, links))
        if self.seams:
            self.seams.open_by_tension()
        return True

    def _can_miss(self) -> bool:
        """Whether a deformable body may meet what was not looked for."""
        return self.deformable is not None and (self.model.piece_count > 0 or self.deformable.meets_any)

    def _solve_looking(self, before: tuple[Any, ...] | None) -> Index:
        """Solve an interval; again, with a look further round, where a deformable body met what was not looked for."""
        while True:
            awake = self.rigid.solve()
            if self.deformable is None or before is None or not self.deformable.look_further():
                return awake
            self._take_back(before)

    def _moving(self) -> tuple[Any, ...]:
        """What an interval changes, the contact cache last."""
        state = self.state
        return state.assemblies, state.vertices, state.touching, state.deformables, state.contact_cache

    def _hits(self) -> Hits | None:
        """Hits on pieces by what deforms, in the interval just solved."""
        return None if self.deformable is None else struck_pieces(self.deformable.pushes(), self.deformable.deformables)

    def _take_back(self, before: tuple[Any, ...]) -> None:
        """To the start of an interval that is to be solved again."""
        *moving, self.state.contact_cache = before
        put_back(self._moving()[:-1], tuple(moving))
        self.rigid.place_everything()  # what slept was perhaps woken, and moved


def frames(
    shot: Shot, model: Model, state: State, until: int, should_stop: Callable[[], bool] | None = None
) -> Iterator[Frame]:
    """Frames ``state.frame + 1`` to ``until``; the state is advanced in place. A fresh state first gives its opening
    frame 0.
    """
    run = Run(shot, model, state)
    if state.frame == 0:
        yield run.opening()
    while state.frame < until:
        if should_stop and should_stop():
            return
        yield run.advance()
