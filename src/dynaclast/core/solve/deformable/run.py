"""Deformable bodies in a run: the scratch memory of their solver, and what the run asks of it."""

from __future__ import annotations

import numpy as np

from ...arrays import Array, Index, Mask, lengths, sums
from ...fields import Forcing
from ...kernels.direct import DirectCall, WrittenGroups
from ..model import Hold, Model
from ..rigid.constraints import ConstraintSet
from ..rigid.groups import Bodies, Scene
from ..rigid.sleep import Links
from ..state import State
from .contacts import Near, make_near
from .face_contacts import cores_of
from .looked import ASTRAY, CROSSED, PAIRS_MISSED
from .model import DeformableModel
from .nearby import find_nearby
from .parts import FULL, Deformables
from .pushes import Pushes, keep_steady, make_before, pushes, sizes_of
from .rooms import lacks_room_to_meet, with_room_for_contacts, with_room_for_rows, with_room_to_meet
from .shown import Shown
from .sleepers import Sleepers
from .step import step_deformables
from .strides import steps_often
from .support import borne, supported
from .system import FOUND
from .tables import Elements
from .turning import motion_of
from .views import beside_others, make_parts, with_awake

FIELD_WAKES_FROM = 0.02
"""A sleeper wakes where fields change by more than this share of gravity."""
MOST_FURTHER_LOOKS = 3
"""How often an interval is solved again because something was met that had not been looked for."""


def _with_own_numbers(e: Elements) -> Elements:
    """Tables of a run, with columns that channels may change in it."""
    return e._replace(
        vertices=e.vertices._replace(gravity_scale=e.vertices.gravity_scale.copy()),
        points=e.points._replace(friction=e.points.friction.copy()),
    )


class DeformableRun:
    """The deformable bodies of a run. Scratch holds nothing that a step needs from the one before."""

    def __init__(self, deformables: DeformableModel, model: Model, state: State) -> None:
        self.deformables, self._model, self._state = deformables, model, state
        self._cores, self._contacts = cores_of(model.hulls), 64
        self._numbers: dict[tuple[int, str], float] = {}
        self._longest, self._each = int(deformables.every.max(initial=1)), deformables.every
        self.every = self._longest
        self.groups = WrittenGroups()
        self.sleepers = Sleepers(deformables, model, state, self.groups)
        self.parts = self._parts()
        self.often, self._is_apart = with_awake(self.parts, self.parts.awake[:0]), False
        bodies, slots = len(deformables.names), model.piece_count + 1
        self._before, self._sizes = make_before(bodies, slots), sizes_of(deformables, model)
        self._find_nearby = DirectCall(find_nearby, self.groups)
        self._pushes: Pushes | None = None
        self.shown = Shown(deformables, model, state)
        self._further_looks, self._least_room, self._as_one = 0, 64, False

    def set_number(self, body: int, of: str, value: float, waking: bool) -> None:
        """Give a deformable body a number that a channel of it sets; it wakes where that is another than it had."""
        if self._numbers.get((body, of)) == value:
            return
        self._numbers[body, of] = value
        self._write_number(self.parts.elements, body, of, value)
        if waking:
            self.sleepers.wake(np.array([body]))

    def _write_number(self, e: Elements, body: int, of: str, value: float) -> None:
        if of == "gravity":
            e.vertices.gravity_scale[e.bodies.first[body] : e.bodies.first[body + 1]] = value
        else:
            e.points.friction[e.points.first[body] : e.points.first[body + 1]] = value

    def _parts(self) -> Deformables:
        """All that a step works with, as everything hangs together now."""
        deformables, state = self.deformables, self._state
        tables = deformables.tables
        if deformables.seams.count or state.vertex_hold.any() or (self._each != deformables.every).any():
            tables = deformables.tables_with(state.seam_broken, state.vertex_hold, self._each)
        tables = tables._replace(elements=_with_own_numbers(tables.elements))
        for (body, of), value in self._numbers.items():
            self._write_number(tables.elements, body, of, value)
        return make_parts(tables, self._model, state, self._cores, self._contacts, self.sleepers.awake())

    @property
    def awake(self) -> Index:
        """Bodies (n,) that were awake in the interval."""
        return np.concatenate([self.parts.awake, self.often.awake])

    def _both(self) -> tuple[Deformables, ...]:
        """What those that are awake are solved with."""
        return (self.parts, self.often) if len(self.often.awake) else (self.parts,)

    def _renew(self) -> None:
        """All that a step works with, as everything hangs together now, in the middle of what is being solved."""
        acceleration, looked = self.parts.scratch.acceleration, self.parts.looked
        self.parts = self._parts()._replace(looked=looked)
        self.parts.scratch.acceleration[:] = acceleration
        self.often, self._is_apart = with_awake(self.parts, self.parts.awake[:0]), False

    def look_further(self) -> bool:
        """Whether something was met in the interval just solved that had not been looked for, or there was no room for
        what was met; solved again, it will be met, with a step in every substep where a body was thrown at it.
        """
        missed, crowded = self.parts.looked.missed, self._make_room_for_contacts()
        for parts in self._both():
            if parts.scratch.numbers[FULL]:
                self._least_room, crowded = max(self._least_room, 2 * len(parts.rows.gap)), True
        if lacks_room_to_meet(self.parts):
            self.parts, crowded = with_room_to_meet(self.parts), True
        if len(self.often.awake) and lacks_room_to_meet(self.often):
            self.often, crowded = with_room_to_meet(self.often), True
        astray = self.every > 1 and missed[ASTRAY]
        if not (missed[PAIRS_MISSED] or missed[CROSSED] or astray) or self._further_looks == MOST_FURTHER_LOOKS:
            return crowded
        self._further_looks += 1
        self._as_one |= bool(missed[CROSSED])
        return True

    @property
    def meets_any(self) -> bool:
        """Whether any body meets itself or another."""
        e = self.parts.elements
        return bool(e.meets.any() or e.bodies.apart.any())

    def _make_room_for_contacts(self) -> bool:
        """Make room for contacts of assemblies with one another; whether there was not enough."""
        found = max(int(parts.slots.touch.count[FOUND]) for parts in self._both())
        if found <= self._contacts:
            return False
        self._contacts = found + found // 2
        self.parts = with_room_for_contacts(self.parts, self._contacts)
        self.often = with_room_for_contacts(self.often, self._contacts)
        return True

    def look_as_usual(self) -> None:
        """After an interval for which more was looked for than before."""
        if self._further_looks:
            looked, self._further_looks, self._as_one = self.parts.looked, 0, False
            looked.wider[:], looked.faster[:], looked.thrown_at[:], looked.astray[:] = 0.0, 0.0, 0, 0

    def part(self, seams: Index) -> None:
        """Go on where these seams have just opened."""
        self._renew()
        self.sleepers.wake(np.unique(self.deformables.seams.body[seams]))

    def hold(self, vertices: Mask, hold: Hold) -> None:
        """Freeze vertices (N,) bool where they are, take them out, or let them go."""
        state, body = self._state, self.deformables.elements.vertices.body
        state.vertex_hold[vertices] = hold
        self.shown.forget()
        state.vertices.velocity[vertices] = 0.0
        self._renew()
        self.sleepers.wake(np.unique(body[vertices]))

    def rest(self, vertices: Mask) -> None:
        """Put bodies to sleep of which all vertices (N,) bool are to rest."""
        self.shown.forget()
        self.sleepers.rest(vertices)

    def active(self) -> bool:
        """Whether anything moves."""
        return not self.sleepers.all_asleep()

    def _motion_of(self, forcing: Forcing) -> Array | None:
        return motion_of(
            forcing, self.parts.elements.vertices.island, self.deformables.own_mass, self._state.vertices.position
        )

    def set_acceleration(self, forcing: Forcing) -> None:
        """What fields do to vertices all through the interval."""
        acceleration = self._motion_of(forcing)
        now = self.parts.scratch.acceleration
        now[:] = 0.0 if acceleration is None else self._together(acceleration)
        memory, body = self._state.memory, self.deformables.elements.vertices.body
        felt = memory.get("vertex felt")
        if felt is None:
            if acceleration is None:
                return
            felt = memory["vertex felt"] = np.zeros_like(now)
        g = float(np.linalg.norm(self._model.settings.gravity))
        other = lengths(now - felt) > FIELD_WAKES_FROM * max(g, 1.0)
        self.sleepers.wake(np.unique(body[other]))  # it keeps what it felt when it fell asleep
        felt[:] = np.where((self._state.deformables.asleep[body] == 0)[:, None], now, felt)

    def _together(self, change: Array) -> Array:
        """What vertices (N, 3) get each by itself, as those get it that are joined: the mean by mass."""
        lead, mass = self.parts.elements.vertices.lead, self.deformables.own_mass
        if not len(self._state.seam_broken):
            return change
        total, whole = sums(mass[:, None] * change, lead, len(lead)), sums(mass, lead, len(lead))
        return np.asarray((total / np.where(whole > 0.0, whole, 1.0)[:, None])[lead])

    def step_address(self, scene: Scene, bodies: Bodies, constraints: ConstraintSet) -> int:
        """Where the machine code of a step is (kernels.apart)."""
        given = scene.hulls, scene.pieces, bodies, constraints, scene.settings, self._state.vertex_tie_broken, 0.0, 0
        return step_deformables.address(self.parts, *given)

    def begin_interval(self, scene: Scene, bodies: Bodies) -> None:
        """Find what may be touched in an interval."""
        self.shown.forget()
        self._begin_twist()
        self.parts.looked.seen[:], self.parts.looked.missed[:] = 0, 0
        self.sleepers.wake_by_others(self.parts, lambda asleep: self._near(asleep, scene, bodies))
        awake, hold = self.sleepers.awake(), self._state.vertex_hold
        waits = self.parts.scratch.touches.waits
        waits[:] = ~self.has((hold != Hold.TOUCH) & (hold != Hold.CUE)) if hold.any() else 0
        self._pushes = None
        self._split(awake)
        step = self._longest if self._lasts else 1
        if self._longest > 1:
            self._note_support(step > 1 and len(awake) > 0)
        self._step_each(step)
        self.parts = self._prepared(self.parts, scene, bodies)
        if len(self.often.awake):
            self.often = self._prepared(self.often, scene, bodies)

    def _note_support(self, counts: bool) -> None:
        """What holds assemblies up, where that counts."""
        scratch = self.parts.scratch
        scratch.support[:] = supported(self._model, self._state) if counts else 0.0
        scratch.borne[:] = borne(self._model, self._state, scratch.support) if counts else 0

    def _split(self, awake: Index) -> None:
        """Of bodies (n,), those that step in every substep beside others of which steps last several; where there are
        no such others, they are solved like these.
        """
        settings, often = self._model.settings, np.ones(len(awake), bool)
        if self._longest > 1 and not self._as_one:
            step = settings.interval * self._longest / settings.substeps
            often = steps_often(self.parts, self._model, self._state, awake, step)
        self._lasts = not often.all()
        beside = awake[often if self._lasts else []]
        if len(beside) and not self._is_apart:
            self.often, self._is_apart = beside_others(self.parts, self._model, self._contacts), True
        self.parts = with_awake(self.parts, awake[~often] if self._lasts else awake)
        self.often = with_awake(self.often, beside)

    def _step_each(self, every: int) -> None:
        """Let the steps of those solved with ``parts`` last so many substeps; what was found and touched stays as it
        is.
        """
        each, self.every = self._each.copy(), every
        each[self.parts.awake], each[self.often.awake] = every, 1
        if (each == self._each).all():
            return
        self._each = each
        now, kept = self._parts(), ("slots", "rows", "near", "looked", "meeting", "groups", "scratch", "awake", "here")
        self.parts, self.often = (
            now._replace(**{name: getattr(was, name) for name in kept}) for was in (self.parts, self.often)
        )

    def _prepared(self, parts: Deformables, scene: Scene, bodies: Bodies) -> Deformables:
        """With what may be met in the interval, and room for rows of it."""
        return with_room_for_rows(self._looked(parts, scene, bodies, begins=True), self._least_room)

    def _begin_twist(self) -> None:
        """Nothing is added by twist yet; what no longer holds together, or is held, has none."""
        parts, state = self.parts, self._state
        twists, scratch, bodies = parts.elements.twists, parts.scratch.twist, parts.elements.bodies
        if not len(twists.body):
            return
        scratch.gain[:], scratch.turn[:] = 0.0, 0.0
        whole = np.diff(bodies.leads)[twists.body] == twists.whole
        gone = np.maximum.reduceat(state.vertex_hold == Hold.REMOVED, bodies.first[:-1])[twists.body]
        broken = np.isin(twists.tie, np.flatnonzero(state.vertex_tie_broken)).any(axis=(1, 2))
        broken |= np.isin(twists.holder, np.flatnonzero(state.hold == Hold.REMOVED)).any(axis=1)
        scratch.active[:] = whole & ~gone & ~broken
        state.deformables.twist[twists.body[scratch.active == 0]] = 0.0

    def _near(self, asleep: Index, scene: Scene, bodies: Bodies) -> Near:
        """Points of deformable bodies (n,) that sleep and may meet a shape in an interval."""
        self.parts = self._looked(with_awake(self.parts, asleep), scene, bodies, begins=False)
        return self.parts.near

    def _looked(self, parts: Deformables, scene: Scene, bodies: Bodies, *, begins: bool) -> Deformables:
        """With the points of its bodies that may meet a shape in an interval; as it begins, also each other."""
        given = self.deformables.own_mass, scene.hulls, scene.pieces, bodies, scene.settings, parts.awake, int(begins)
        while True:
            self._find_nearby(parts, self._before, *given)
            found, crowded = int(parts.near.found[0]), lacks_room_to_meet(parts)
            if crowded:
                parts = with_room_to_meet(parts)
            if found > len(parts.near.point):
                parts = parts._replace(near=make_near(found + found // 2))
            elif not crowded:
                return parts

    def change_velocity(self, blow: Forcing) -> None:
        """A blow on vertices."""
        change = self._motion_of(blow)
        if change is None or not change.any():
            return
        change = self._together(change)
        free = self.parts.elements.vertices.pinned == 0
        self._state.vertices.velocity[free] += change[free]
        body = self.deformables.elements.vertices.body
        self.sleepers.wake(np.unique(body[free & (change != 0).any(axis=1)]))

    def touched_by(self, bodies: Mask) -> dict[int, str]:
        """What moved and touched deformable bodies (B,) bool in the interval, by the body's number: its name."""
        by, names, of = self.parts.scratch.touches.body, self._model.body_names, self._model.pieces.body
        return {
            int(b): names[of[by[b] - 1]] if by[b] > 0 else self.deformables.names[-1 - by[b]]
            for b in np.flatnonzero(bodies & (by != 0))
        }

    def touched_vertices(self) -> Mask:
        """Vertices (N,) bool that something which moves touched in the interval."""
        return self.parts.scratch.touches.at != 0

    def touched_pieces(self, pieces: Mask) -> tuple[Mask, str]:
        """Those of pieces (P,) bool that a deformable body touched in the interval, and its name ("": none did)."""
        by = self.parts.scratch.touches.piece
        out = pieces & (by != 0)
        return out, self.deformables.names[by[np.flatnonzero(out)[0]] - 1] if out.any() else ""

    def pushes(self) -> Pushes:
        """What was done to pieces and the ground in the interval just solved."""
        if self._pushes is None:
            self._pushes = pushes(self.parts, self._model, self._state, self._before, self._sizes)
        return self._pushes

    def keep_pushes(self) -> None:
        """At the end of an interval: keep what presses and pulls on pieces steadily."""
        keep_steady(self.parts, self.awake, self._model, self._state, self.pushes(), self._sizes)

    def measure_stillness(self, bodies: Bodies) -> Links:
        """As Sleepers.measure_stillness."""
        return self.sleepers.measure_stillness(self.parts, self.often, bodies)

    def has(self, vertices: Mask) -> Mask:
        """Deformable bodies (B,) bool with any of these vertices (N,) bool."""
        return np.maximum.reduceat(vertices, self.deformables.elements.bodies.first[:-1])

    def overloaded(self) -> list[tuple[int, float]]:
        """Ties of vertices that bore more than they can in this interval, each with its load [N]."""
        pull, strength = self.parts.scratch.pull, self.deformables.elements.ties.strength
        if not len(pull):
            return []
        broken = self._state.vertex_tie_broken
        return [(int(k), float(pull[k])) for k in np.flatnonzero((pull > strength) & (broken == 0))]
