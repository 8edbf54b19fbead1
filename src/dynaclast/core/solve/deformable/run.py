"""Deformable bodies in a run: the scratch memory of their solver, and what the run asks of it."""

from __future__ import annotations

import numpy as np

from ...arrays import Array, Index, Mask, lengths, sums
from ...fields import Forcing
from ...kernels.direct import DirectCall, WrittenGroups
from ...kernels.simd import LANES
from ..model import Hold, Model, Motion
from ..rigid.constraints import ConstraintSet
from ..rigid.groups import Bodies, Scene
from ..state import State
from .chain import make_chain_factor
from .contacts import Near, make_near
from .face_contacts import cores_of
from .groups import make_groups
from .looked import ASTRAY, PAIRS_MISSED, THROWN, make_looked
from .meetings import make_meeting, with_room
from .missed import MOST_TURN
from .model import DeformableModel
from .nearby import find_nearby
from .parts import FULL, Deformables, make_step_scratch
from .pushes import Pushes, keep_steady, make_before, pushes, sizes_of
from .riding import make_riding
from .rotations import make_rotations
from .shown import Shown
from .sleepers import Sleepers
from .step import step_deformables
from .support import supported
from .system import FOUND, Matrix, make_slot_contacts, make_slots, make_vectors
from .tables import Elements, make_rows
from .turning import motion_of

FIELD_WAKES_FROM = 0.02
"""A sleeper wakes where fields change by more than this share of gravity."""
MOST_FURTHER_LOOKS = 3
"""How often an interval is solved again because something was met that had not been looked for."""
ROWS_EACH = 8
"""Room for rows of each pair of a point and a shape that are near: the point's, and of edges that begin there."""


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
        self.every = deformables.every
        self.groups = WrittenGroups()
        self.sleepers = Sleepers(deformables, model, state, self.groups)
        self.parts = self._parts()
        bodies, slots = len(deformables.names), model.piece_count + 1
        self._before, self._sizes = make_before(bodies, slots), sizes_of(deformables, model)
        self._find_nearby = DirectCall(find_nearby, self.groups)
        self._pushes: Pushes | None = None
        self.shown = Shown(deformables, model, state)
        self._further_looks, self._least_room = 0, 64

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
        if deformables.seams.count or state.vertex_hold.any() or self.every != deformables.every:
            tables = deformables.tables_with(state.seam_broken, state.vertex_hold, self.every)
        e, bodies = _with_own_numbers(tables.elements), len(deformables.names)
        for (body, of), value in self._numbers.items():
            self._write_number(e, body, of, value)
        n, nodes, slots = deformables.count, len(tables.levels.mass), self._model.piece_count + 1
        points, f = len(e.points.radius), np.zeros
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
            f((n, LANES)),
            f((n, LANES)),
            f((n, 3, 3)),
            f((nodes, LANES)),
            f((nodes, LANES)),
        )
        scratch = make_step_scratch(e, self._model.piece_count)
        return Deformables(
            e,
            matrix,
            make_slots(slots, self._contacts),
            make_vectors(nodes, slots),
            make_rows(64),
            make_near(64),
            make_looked(bodies, points, len(self._model.hulls.piece), slots),
            self._cores,
            self._model.inner_faces,
            make_meeting(e, 64, 64),
            make_groups(bodies, slots),
            scratch,
            state.vertices,
            state.touching,
            still,
            state.deformables.twist,
            state.deformables.asleep,
            self.sleepers.awake(),
        )

    def _renew(self) -> None:
        """All that a step works with, as everything hangs together now, in the middle of what is being solved."""
        acceleration, looked = self.parts.scratch.acceleration, self.parts.looked
        self.parts = self._parts()._replace(looked=looked)
        self.parts.scratch.acceleration[:] = acceleration

    def _step_each(self, every: int) -> None:
        """Let a step last so many substeps of rigid bodies; what was found and touched stays as it is."""
        if every == self.every:
            return
        self.every, was = every, self.parts
        kept = "slots", "rows", "near", "looked", "meeting", "groups", "scratch", "awake"
        self.parts = self._parts()._replace(**{name: getattr(was, name) for name in kept})

    def look_further(self) -> bool:
        """Whether something was met in the interval just solved that had not been looked for, or there was no room for
        what was met; solved again, it will be met, with a step in every substep where a body was thrown at it.
        """
        crowded, missed = self._make_room_to_meet(), self.parts.looked.missed
        if self.parts.scratch.numbers[FULL]:
            self._least_room, crowded = 2 * len(self.parts.rows.gap), True
        crowded |= self._make_room_for_contacts()
        astray = self.every > 1 and missed[ASTRAY]
        if not (missed[PAIRS_MISSED] or astray) or self._further_looks == MOST_FURTHER_LOOKS:
            return crowded
        self._further_looks += 1
        if missed[THROWN] or astray:
            self._step_each(1)
        return True

    @property
    def meets_any(self) -> bool:
        """Whether any body meets itself or another."""
        e = self.parts.elements
        return bool(e.meets.any() or e.bodies.apart.any())

    def _make_room_to_meet(self) -> bool:
        """Make room for all pairs that may meet; whether there was not enough."""
        meeting, (points, segments) = self.parts.meeting, self.parts.meeting.most
        if points <= len(meeting.point) and segments <= len(meeting.segment):
            return False
        wanted = (points, len(meeting.point)), (segments, len(meeting.segment))
        meeting = with_room(meeting, *(int(n + n // 2) if n > room else room for n, room in wanted))
        self.parts = self.parts._replace(meeting=meeting)
        return True

    def _make_room_for_contacts(self) -> bool:
        """Make room for contacts of assemblies with one another; whether there was not enough."""
        slots, found = self.parts.slots, int(self.parts.slots.touch.count[FOUND])
        if found <= self._contacts:
            return False
        self._contacts = found + found // 2
        self.parts = self.parts._replace(slots=slots._replace(touch=make_slot_contacts(self._contacts)))
        return True

    def look_as_usual(self) -> None:
        """After an interval for which more was looked for than before."""
        if self._further_looks:
            self._further_looks = 0
            self.parts.looked.wider[:], self.parts.looked.faster[:] = 0.0, 0.0

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
        self.parts.looked.seen[:], self.parts.looked.missed[ASTRAY] = 0, 0
        self.sleepers.wake_by_others(self.parts, lambda asleep: self._look(asleep, scene, bodies, begins=False))
        parts, awake, hold = self.parts, self.sleepers.awake(), self._state.vertex_hold
        waits = parts.scratch.touches.waits
        waits[:] = ~self.has((hold != Hold.TOUCH) & (hold != Hold.CUE)) if hold.any() else 0
        self._pushes = None
        if self.deformables.every > 1 and len(awake):
            parts.scratch.support[:] = supported(self._model, self._state)
        near = self._look(awake, scene, bodies, begins=True)
        if not self._further_looks:
            self._step_each(1 if self._turns_fast(near) else self.deformables.every)
        parts, meeting = self.parts, self.parts.meeting
        found = int(near.found[0])
        room = len(parts.elements.ties.strength) + len(parts.elements.points.radius) + ROWS_EACH * found
        room = max(room + len(meeting.point) + len(meeting.segment), self._least_room)
        rows, scratch = parts.rows, parts.scratch
        if room > len(rows.gap):
            rows = make_rows(room + room // 4)
            most = len(rows.gap) + len(self.deformables.names) + len(scratch.given)
            scratch = scratch._replace(group_of=np.zeros(most, np.int32))
        self.parts = parts._replace(rows=rows, scratch=scratch, awake=awake)

    def _turns_fast(self, near: Near) -> bool:
        """Whether something near turns far in a step, as an interval begins."""
        settings, asm = self._model.settings, self._state.assemblies
        step = settings.interval * self.deformables.every / settings.substeps
        fast = (asm.motion == Motion.DYNAMIC) & (lengths(asm.angular_velocity) * step > MOST_TURN)
        if self.deformables.every == 1 or not fast.any():
            return False
        piece = self._model.hulls.piece[near.shape[: near.found[0]]]
        return bool(fast[self._state.piece_assembly[piece]].any())

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

    def _look(self, awake: Index, scene: Scene, bodies: Bodies, *, begins: bool) -> Near:
        """Points of deformable bodies that may meet a shape in an interval; as it begins, also each other."""
        given = self.deformables.own_mass, scene.hulls, scene.pieces, bodies, scene.settings, awake, int(begins)
        while True:
            self._find_nearby(self.parts, self._before, *given)
            near, crowded = self.parts.near, self._make_room_to_meet()
            found = int(near.found[0])
            if found > len(near.point):
                self.parts = self.parts._replace(near=make_near(found + found // 2))
            elif not crowded:
                return near

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
        keep_steady(self.parts, self._model, self._state, self.pushes(), self._sizes)

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
