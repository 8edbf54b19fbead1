"""What fields do in one interval, over every index space they act on.

``ActiveFields.actions`` gives the accelerations of everything that acts over time, and the blows that fall;
field_effects carries them out. What fields must remember between intervals is in the state's memory.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..arrays import Array, Mask, cross, lengths
from ..document import (
    OVER_TIME,
    AtCue,
    DisplaceEffect,
    FieldItem,
    ImpactCue,
    KillEffect,
    Shot,
    SpanCue,
    Stack,
    StrainEffect,
)
from ..falloff import EvaluationContext
from ..falloff.sources import REMEMBERS
from ..falloff.value import layers_of, value
from ..fields import BONDS, EFFECTS, PIECES, VERTICES, EffectContext, Forcing
from ..fields.pose import Pose, pose_at_impact, pose_of
from ..fields.samples import Samples, at_rest
from ..geometry.rotations import vector_to_quaternion
from ..timeline.channels import Keyed
from ..timeline.cues import begins, delays, fires, spans, weight
from .acted import Acted
from .actions import Actions, Blow
from .elements import Elements, JoinedSpace, Space, targets_of
from .impacts import Impact
from .live_world import LiveWorld
from .model import Model, Motion
from .state import State


class Steady(NamedTuple):
    """What a field does over time to one space while nothing moves."""

    forcing: Forcing
    reached: Mask


def _spreads(item: FieldItem) -> bool:
    """Whether a field acts on bodies of one piece at points spread in them; what differs piece by piece does not."""
    return EFFECTS[item.effect.kind].over_volume and not vars(item.effect).get("noise", 0.0)


class Moment(NamedTuple):
    """When a field acts in an interval, on the samples of one space, n of them.

    fired : (n,) bool, for which a blow falls; None where it falls for none
    share : (n,) float64, of the interval that it acts; None where it does not
    """

    fired: Mask | None
    share: Array | None


class Call(NamedTuple):
    """The last impact that called a field, as the state remembers it."""

    time: float
    calls: float
    place: Array
    normal: Array


def _is_keyed(item: FieldItem, falloff: Stack) -> bool:
    return bool(item.channels) or bool(vars(falloff).get("channels"))


def _stands(item: FieldItem, falloff: Stack) -> bool:
    """Whether a field is in one place all the time, unless an impact calls it."""
    moves = item.travel is not None or item.aim is not None or _is_keyed(item, falloff)
    rides = any(vars(x.shape).get("ride") or x.shape.kind in ("mesh", "pieces") for x in falloff.layers)
    return not moves and not rides


def _is_steady(item: FieldItem, falloff: Stack) -> bool:
    """Whether a field does the same in every interval in which nothing moves."""
    moves = item.travel is not None or item.aim is not None
    keyed = _is_keyed(item, falloff)
    counts = item.effect.kind in ("kill", "displace", "turbulence")
    gusty = item.effect.kind == "wind" and item.effect.gusts > 0
    in_time = any(
        x.shape.kind in ("expression", "sound", *REMEMBERS) or vars(x.shape).get("rate", 0.0) > 0
        for x in falloff.layers
    )
    return not (moves or keyed or counts or gusty or in_time) and isinstance(item.cue, (AtCue, SpanCue))


class ActiveFields:
    """The fields of a run that act in it."""

    def __init__(self, shot: Shot, model: Model, state: State) -> None:
        self._model, self._state = model, state
        self._items = [item for item in shot.fields if item.on and item.effect.kind != "anchor"]
        self._keyed, self._shared = Keyed(self._items), Keyed(shot.falloffs)
        self._all = Keyed([f for f in shot.fields if f.on])
        self._aims = any(item.aim is not None for item in self._items)
        self._targets = {item.name: targets_of(item, model) for item in shot.fields if item.on}
        self._aimed = {(name, space): bool(m.any()) for name, of in self._targets.items() for space, m in of.items()}
        self.world = LiveWorld(model, state)
        wind = any(item.effect.kind == "wind" for item in self._items)
        self._elements = Elements(model, state, self.world, exposed=wind)
        self._delay: dict[tuple[str, str], Array] = {}
        self._start = {PIECES: model.pieces.rest_center}  # of samples of movable spaces
        if model.deformables is not None:
            self._start[VERTICES] = model.deformables.start
        self._fps = float(shot.timing.fps)
        shared = {f.name: f for f in shot.falloffs}
        start = EvaluationContext(shared=shared)
        counts = {space.name: space.count for space in self._elements.movable}
        self.acted = Acted(shot, model, state, counts, {n: of[PIECES] for n, of in self._targets.items()}, start)
        falloffs = [(item, layers_of(item.reach, start)) for item in self._items]
        self._steady = {item.name for item, falloff in falloffs if _is_steady(item, falloff)}
        self._poses: dict[str, Pose | None] = {item.name: None for item, falloff in falloffs if _stands(item, falloff)}
        self._kept: dict[tuple[str, str], Steady] = {}  # what steady fields do while nothing moves
        self._remembers = {
            item.name for item, falloff in falloffs if any(x.shape.kind in REMEMBERS for x in falloff.layers)
        }

    def __bool__(self) -> bool:
        return bool(self._items)

    @property
    def _step(self) -> float:
        return self._model.settings.interval

    # ---------------------------------------------------------------------------- contexts

    def _call(self, item: FieldItem) -> Call | None:
        known = self._state.memory.get(f"{item.name}:impact")
        return None if known is None else Call(float(known[0]), float(known[1]), known[2:5], known[5:8])

    def _remember_call(self, item: FieldItem, call: Call) -> None:
        row = np.concatenate([[call.time, call.calls], call.place, call.normal])
        self._state.memory[f"{item.name}:impact"] = row

    def _shared_at(self, time: float) -> dict[str, Stack]:
        return {f.name: f for f in self._shared.at(time)}

    def _targets_now(self, item: FieldItem, space: Space) -> Mask:
        """A field's targets in a space that do what it asks for at the moment."""
        targets = self._targets[item.name][space.name]
        return targets if item.states is None else targets & space.doing(item.states)

    def _delays(self, item: FieldItem, space: str = PIECES) -> Array:
        """How much later a field acts on each sample of a movable space (n,) [s]."""
        stagger = vars(item.cue).get("stagger")
        rest = self._start[space]
        if stagger is None:
            return self._delay.setdefault(("", space), np.zeros(len(rest)))
        if (item.name, space) not in self._delay:
            reach = value(item.reach, rest, EvaluationContext(shared=self._shared_at(0.0)))
            self._delay[item.name, space] = delays(stagger, self._targets[item.name][space], reach, rest)
        return self._delay[item.name, space]

    def _moments(self, item: FieldItem, number: int) -> dict[str, Moment]:
        """When a field acts in an interval, by movable space."""
        step, time, call, out = self._step, number * self._step, self._call(item), {}
        for space in self._elements.movable:
            delay = self._delays(item, space.name)
            found = spans(item, time, step, float(delay.max(initial=0.0)), None if call is None else call.time)
            share = weight(found, time, step, delay) if found else None
            out[space.name] = Moment(
                fires(item, number, step, delay), share if share is not None and share.any() else None
            )
        return out

    def _reach(self, item: FieldItem, on: EffectContext, space: Space) -> Array:
        """Falloff values (n,) at the samples of a space; falloffs that remember do so by a key of their own."""
        key = f"{item.name}:{space.key}"
        evaluation = on.evaluation
        if item.name in self._remembers:
            last = self._state.memory.get(f"{key}:time")
            since = 0.0 if last is None else evaluation.time - float(last[0])
            self._state.memory[f"{key}:time"] = np.array([evaluation.time])
            evaluation = evaluation._replace(key=key, step=since)
        else:
            evaluation = evaluation._replace(memory=None)
        return on._replace(evaluation=evaluation, reach=None).reach_of(item)

    # ------------------------------------------------------------------------- an interval

    def actions(self, number: int, quiet: bool = False) -> Actions:
        """What the fields do in interval ``number``; quiet: nothing moves at its start."""
        if not quiet:
            self._kept.clear()
        step = self._step
        time = number * step
        out = Actions()
        busy: list[tuple[FieldItem, dict[str, Moment]]] = []
        middle = time + 0.5 * step  # what changes over the interval is taken as it is half way through
        for item in self._keyed.at(middle):
            moments = self._moments(item, number)
            fired = any(m.fired is not None for m in moments.values())
            acts = any(m.share is not None for m in moments.values())
            # a displacement that must be let go
            speeds = (self._state.memory.get(f"{item.name}:{of}speed") for of in ("", "v:"))
            releases = any(moved is not None and moved.any() for moved in speeds)
            if fired or acts or item.name in self._remembers or releases:
                busy.append((item, moments))
            if acts and begins(item, number, step):
                out.started.append(item)
        if not busy:
            return out
        self.world.refresh()
        evaluation = EvaluationContext(time, self._fps, self._shared_at(middle), self.world)
        origins = {f.name: pose_of(f, evaluation).origin for f in self._all.at(middle)} if self._aims else {}
        samples = {space.name: space.samples(number) for space in self._elements.movable}
        own = evaluation._replace(memory=self._state.memory)
        for item, moments in busy:
            if isinstance(item.effect, DisplaceEffect):
                continue  # by itself, at the end of the interval
            whole = all(m.fired is None and (m.share is None or bool((m.share == 1.0).all())) for m in moments.values())
            acts = any(m.share is not None for m in moments.values())
            lasts = whole and acts and quiet and item.name in self._steady
            if any(m.fired is not None for m in moments.values()):
                samples |= {s.name: s.samples(number) for s in self._elements.joined if s.name not in samples}
            pose = self._pose(item, own, origins)
            self._act(item, moments, own, pose, samples, lasts, out)
        self._displace(number, out)
        return out

    def _pose(self, item: FieldItem, evaluation: EvaluationContext, origins: dict[str, Array]) -> Pose:
        call = self._call(item)
        if call is not None and isinstance(item.cue, ImpactCue):
            return pose_at_impact(item, call.place, call.normal, evaluation)
        if item.name not in self._poses:
            return pose_of(item, evaluation, origins)
        pose = self._poses[item.name]
        if pose is None:
            pose = self._poses[item.name] = pose_of(item, evaluation, origins)
        return pose

    def _act(
        self,
        item: FieldItem,
        moments: dict[str, Moment],
        evaluation: EvaluationContext,
        pose: Pose,
        samples: dict[str, Samples],
        lasts: bool,
        out: Actions,
    ) -> None:
        """One field: blows, ticks, ends and accelerations are added to out. samples: of movable spaces, and where a
        blow falls of those that join them.
        """
        kills, remembers = isinstance(item.effect, KillEffect), item.name in self._remembers
        on = {
            space.name: EffectContext(samples[space.name], self._targets_now(item, space), evaluation, pose, self._step)
            for space in self._elements.spaces
            if space.name in samples
        }
        acting = [
            space
            for space in self._elements.movable
            if moments[space.name].share is not None and self._aimed[item.name, space.name]
        ]
        if lasts and all((item.name, space.name) in self._kept for space in acting):
            for space in acting:
                kept = self._kept[item.name, space.name]
                self.acted.mark(item, space.name, kept.reached)
                out.add(item, space.name, kept.forcing)
            return
        here: dict[str, Array] = {}
        fired = any(m.fired is not None for m in moments.values())
        if fired or kills or remembers:
            here = {space.name: self._reach(item, on[space.name], space) for space in self._elements.movable}
        if fired:
            none = {name: np.zeros(len(reach), bool) for name, reach in here.items()}
            falls = {name: none[name] if m.fired is None else m.fired for name, m in moments.items()}
            struck = {name: on[name]._replace(reach=reach * falls[name]) for name, reach in here.items()}
            self._blow(item, on | struck, falls, out)
        if kills:
            share = moments[PIECES].share
            if share is not None:
                self._kill(item, here[PIECES], share, out)
            if VERTICES in moments and (share := moments[VERTICES].share) is not None:
                out.vertex_ends.append((item, (here[VERTICES] >= 0.5) & (share > 0)))
            return
        for space in acting:
            name, share = space.name, moments[space.name].share
            assert share is not None
            done = self._over_time(item, on[name], space, share, here[name] if remembers else None)
            self.acted.mark(item, name, done.reached)
            out.add(item, name, done.forcing)
            if lasts:
                self._kept[item.name, name] = done

    def _over_time(self, item: FieldItem, on: EffectContext, space: Space, share: Array, here: Array | None) -> Steady:
        """Acceleration where things are half way through the step: with the straight runs around it a leapfrog, which
        keeps energy (Hairer, Lubich and Wanner 2003, "Geometric numerical integration illustrated by the
        Stoermer-Verlet method").

        share : (n,) float64, of the step that the field acts
        here  : (n,) float64, reach worked out already, of falloffs that remember
        """
        effect = EFFECTS[item.effect.kind]
        halfway = on.samples.point + 0.5 * self._step * on.samples.velocity
        later = on.evaluation._replace(time=on.evaluation.time + 0.5 * self._step, memory=None)
        before = self._before(item, space, on) if effect.remembers else None
        on = on._replace(points=halfway, evaluation=later, before=before)
        on = on._replace(reach=share * (here if here is not None else on.reach_of(item)))
        forcing = effect.forcing(item, on)
        if space is self._elements.pieces and here is None and _spreads(item):
            forcing = self._over_volume(item, on, share, forcing)
        if effect.remembers and forcing.linear is not None:
            key = f"{item.name}:{space.key}:before"
            self._state.memory[key], self._state.memory[f"{key} at"] = forcing.linear, np.array([on.evaluation.time])
        return Steady(forcing, on.reach_of(item) > 0)

    def _before(self, item: FieldItem, space: Space, on: EffectContext) -> Array | None:
        """What a field gave (n, 3) [m/s2] in the last interval; None where it did not act then."""
        key = f"{item.name}:{space.key}:before"
        last = self._state.memory.get(f"{key} at")
        if last is None or abs(on.evaluation.time + 0.5 * self._step - last[0] - self._step) > 0.25 * self._step:
            return None
        return self._state.memory[key]

    def _over_volume(self, item: FieldItem, on: EffectContext, share: Array, forcing: Forcing) -> Forcing:
        """A forcing over pieces (P, 3), with that of bodies of one piece by points spread in them: the mean of what it
        does there, and its moment.

        share : (P,) float64, of the step that it acts
        """
        volume = self._elements.volume
        piece = volume.piece
        if not len(piece) or forcing.linear is None:
            return forcing
        samples, arm = volume.samples(on.samples)
        row = np.repeat(piece, 6)
        at = None if on.points is None else samples.point + 0.5 * self._step * samples.velocity
        spread = on._replace(samples=samples, targets=on.targets[row], points=at, reach=None)
        spread = spread._replace(reach=share[row] * spread.reach_of(item))
        done = EFFECTS[item.effect.kind].forcing(item, spread).linear
        assert done is not None
        force = (samples.mass / 6.0)[:, None] * done
        linear, torque = forcing.linear.copy(), np.zeros((len(on.samples), 3))
        linear[piece] = done.reshape(-1, 6, 3).mean(axis=1)
        torque[piece] = cross(arm, force).reshape(-1, 6, 3).sum(axis=1)
        return forcing._replace(linear=linear) + Forcing(torque=torque)

    # ------------------------------------------------------------------------------- blows

    def _blow(self, item: FieldItem, on: dict[str, EffectContext], fired: dict[str, Mask], out: Actions) -> None:
        """A blow or a tick; fired (n,) bool: the samples of movable spaces for which it falls."""
        effect, strains = EFFECTS[item.effect.kind], isinstance(item.effect, StrainEffect)
        blow = Blow(item)
        for space in self._elements.joined:
            if strains:
                on = on | {space.name: self._strained(item, on[space.name], space, fired[space.of])}
            load = effect.load(item, on[space.name])
            if load is not None:
                blow.loads[space.name] = load
        if isinstance(item.effect, StrainEffect) and item.effect.mode == "wear":
            out.ticks.append((item, {name: self._capped(item, name, load) for name, load in blow.loads.items()}))
            return
        for moved in self._elements.movable:
            name = moved.name
            if not strains and on[name].reach is not None:
                self.acted.mark(item, name, on[name].reach_of(item) > 0)
            blow.changes[name] = effect.blow(item, on[name])
        out.blows.append(blow)

    def _strained(self, item: FieldItem, on: EffectContext, space: JoinedSpace, fired: Mask) -> EffectContext:
        """The context of a strain over what is joined, with its reach; what it strains is marked."""
        reach = self._reach(item, on, space)
        if len(reach) and not fired.all():
            reach = reach * space.any_of(fired)
        self.acted.mark(item, space.of, space.ends(reach > 0))
        return on._replace(reach=reach)

    def _capped(self, item: FieldItem, space: str, load: Array) -> Array:
        """A tick's load (n,), cut where the field has given all that it may."""
        assert isinstance(item.effect, StrainEffect)
        cap = item.effect.cap
        if cap is None:
            return load
        key = f"{item.name}:laid" if space == BONDS else f"{item.name}:laid:{space}"
        laid = self._state.memory.setdefault(key, np.zeros(len(load)))
        load = np.minimum(load, np.maximum(0.0, 1000.0 * cap - laid))
        laid += load
        return load

    def blow_at_impact(self, item: FieldItem, number: int) -> Actions:
        """The blow of a field that an impact of interval ``number`` has just called."""
        out = Actions()
        self.world.refresh()
        time = (number + 1) * self._step
        evaluation = EvaluationContext(time, self._fps, self._shared_at(time), self.world, self._state.memory)
        call = self._call(item)
        assert call is not None
        pose = pose_at_impact(item, call.place, call.normal, evaluation)
        on = {
            space.name: EffectContext(space.samples(None), self._targets_now(item, space), evaluation, pose, self._step)
            for space in self._elements.spaces
        }
        for space in self._elements.movable:
            on[space.name] = on[space.name]._replace(reach=on[space.name].reach_of(item))
        self._blow(item, on, {s.name: np.ones(s.count, bool) for s in self._elements.movable}, out)
        return out

    def _heard(self, item: FieldItem, cue: ImpactCue) -> tuple[Mask, set[int]]:
        """Hits on which pieces (P,) bool, and on which deformable bodies, call a field."""
        table = self._model.deformables
        if cue.bodies is None:
            hit = self._targets[item.name].get(VERTICES)
            own = [] if table is None or hit is None else np.unique(table.elements.vertices.body[hit]).tolist()
            return self._targets[item.name][PIECES], set(own)
        pieces = np.zeros(self._model.piece_count, bool)
        for name in cue.bodies:
            pieces[self.world.own(name)] = True
        names = [] if table is None else [self._model.target_names[b] for b in table.body]
        return pieces, {k for k, name in enumerate(names) if name in cue.bodies}

    def called_by(self, number: int, impacts: list[Impact]) -> list[tuple[FieldItem, bool]]:
        """Fields that impacts of interval ``number`` call; with each, whether it acts in a blow."""
        time = (number + 1) * self._step
        out = []
        for item in self._items:
            cue = item.cue
            if not isinstance(cue, ImpactCue):
                continue
            heard, deforming = self._heard(item, cue)
            last = self._call(item)
            if last is not None and (time - last.time < cue.rest or (cue.most is not None and last.calls >= cue.most)):
                continue
            loud = [
                impact
                for impact in impacts
                if impact.force >= 1000.0 * cue.above
                and (any(p is not None and heard[p] for p in impact.pieces) or impact.deformable in deforming)
            ]
            best = max(loud, key=lambda impact: impact.force, default=None)
            if best is None:
                continue
            first = best.pieces[0]
            normal = best.normal if first is not None and heard[first] else -best.normal
            count = 1.0 if last is None else last.calls + 1.0
            self._remember_call(item, Call(time, count, best.place, normal))
            out.append((item, item.effect.kind not in OVER_TIME and cue.length <= 0))
        return out

    # ------------------------------------------------------------------- kill and displace

    def _kill(self, item: FieldItem, reach: Array, share: Array, out: Actions) -> None:
        """Count how long things have been slow, and how long inside; a thing of several pieces is inside with half of
        its mass.

        reach : (P,) float64; share : (P,) float64, of the step that the field acts
        """
        effect, model, state, step = item.effect, self._model, self._state, self._step
        assert isinstance(effect, KillEffect)
        asm, slot = state.assemblies, state.piece_assembly
        slots = len(asm.mass)
        inside_mass = np.bincount(slot, model.pieces.mass * (reach >= 0.5) * (share > 0), slots)
        within = inside_mass >= 0.5 * np.bincount(slot, model.pieces.mass, slots)
        within &= np.bincount(slot, minlength=slots) > 0
        speed = lengths(asm.velocity) + lengths(asm.angular_velocity) * asm.radius
        slow = state.memory.setdefault(f"{item.name}:slow", np.zeros(slots))
        age = state.memory.setdefault(f"{item.name}:age", np.zeros(slots))
        free = (asm.alive == 1) & (asm.motion == Motion.DYNAMIC)
        slow[:] = np.where(within & (speed < effect.slower), slow + step, 0.0)
        age[:] = np.where(within, age + step, 0.0)
        due = free & within & ((slow >= effect.time) & (speed < effect.slower) | (age >= (effect.age or np.inf)))
        if effect.what == "rest":
            due &= asm.asleep == 0
        out.ends.append((item, due[slot]))
        state.memory[f"{item.name}:inside"] = within[slot].astype(float)
        self.acted.mark(item, PIECES, within[slot])

    def _displace(self, number: int, out: Actions) -> None:
        """Velocity that carries things along with the change of their displacement over the interval."""
        step, time = self._step, (number + 1) * self._step
        items = [item for item in self._keyed.at(time) if isinstance(item.effect, DisplaceEffect)]
        if not items:
            return
        evaluation = EvaluationContext(time, self._fps, self._shared_at(time), self.world, self._state.memory)
        for item in items:
            for space in self._elements.movable:
                moved = self._displace_one(item, space, number * step, evaluation, out)
                self.acted.mark(item, space.name, moved)
                if item.effect.wakes:
                    out.releases.append((item, space.name, moved))

    def _displace_one(
        self, item: FieldItem, space: Space, start: float, evaluation: EvaluationContext, out: Actions
    ) -> Mask:
        """One field over one space from time ``start`` [s]; returns what it moves (n,) bool."""
        state, step, effect, count = self._state, self._step, item.effect, space.count
        assert isinstance(effect, DisplaceEffect)
        call, name = self._call(item), item.name if space.name == PIECES else f"{item.name}:v"
        here = self.world.center if space.name == PIECES else state.vertices.position
        delay = self._delays(item, space.name)
        found = spans(item, start, step, float(delay.max(initial=0.0)), None if call is None else call.time)
        level = weight(found, start, step, delay)
        targets = self._targets_now(item, space)
        if call is not None:
            pose = pose_at_impact(item, call.place, call.normal, evaluation)
        else:
            pose = pose_of(item, evaluation)
        # where a thing is by itself, not where the field has put it
        shift = state.memory.setdefault(f"{name}:shift", np.zeros((count, 3)))
        speed = state.memory.setdefault(f"{name}:speed", np.zeros((count, 6)))
        home = EffectContext(at_rest(space.name, here - shift), targets, evaluation, pose)
        f = self._reach(item, home, space) * level
        wanted = f[:, None] * np.asarray(effect.offset)
        before = state.memory.setdefault(f"{name}:value", np.zeros(count))
        axis = np.asarray(effect.axis, float)
        turn = vector_to_quaternion(effect.angle * axis / np.linalg.norm(axis))[:3]
        turn = turn / max(float(np.linalg.norm(turn)), 1e-12) * effect.angle
        now = np.concatenate([(wanted - shift) / step, ((f - before) / step)[:, None] * turn], axis=1)
        now[~targets | (level == 0)] = 0.0  # after its cue it lets go: nothing is put back
        change = now - speed
        moved: Mask = np.any(np.abs(now) > 1e-9, axis=1)
        shift[:], before[:], speed[:] = wanted, f, now
        own = Forcing(change[:, :3], change[:, 3:])
        out.displaced[space.name] = out.displaced.get(space.name, Forcing()) + own
        if space.name == PIECES:
            out.displacing.append((item, own))
        return moved

    def innermost(self, item: FieldItem, others: list[FieldItem], samples: Mask, of: str = "") -> Mask:
        """Of samples (n,) bool a kill wants, those for which no smaller region of another kill counts instead.

        of : "" for pieces, "v:" for vertices
        """
        out = samples.copy()
        own = self._state.memory[f"{item.name}:{of}inside"].sum()
        for other in others:
            inside = self._state.memory.get(f"{other.name}:{of}inside")
            if other is item or inside is None:
                continue
            mine, theirs = self._volume(item), self._volume(other)
            if theirs < mine or (theirs == mine and inside.sum() < own):
                out &= inside < 0.5
        return out

    def _volume(self, item: FieldItem) -> float:
        """How large a region is, roughly: the volume of a box round its first shape, the edge included [m3]."""
        shape = layers_of(item.reach, EvaluationContext(shared=self._shared_at(0.0))).layers[0].shape
        core = getattr(shape, "core", np.inf)
        sizes = np.atleast_1d(np.asarray(core, float)) + (0.0 if np.ndim(core) else getattr(shape, "edge", 0.0))
        return float(np.prod(sizes)) if sizes.size == 3 else float((2 * sizes[0]) ** 3)
