"""Fields at work: what they do to pieces and bonds in one interval.

``Acting.act`` gives the accelerations of everything that acts over time, and the blows that fall; the loop carries them
out. What fields must remember between intervals is in the state's memory.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

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
from ..falloff import Moment
from ..falloff.sources import REMEMBERS
from ..falloff.value import layers_of, value
from ..fields import EFFECTS, Matter, Setting, Targets
from ..fields.base import reach_of_bonds, reach_of_pieces
from ..fields.stand import Keyed, moved_to, stand_of
from ..geometry.mesh import Array
from ..motion import turn_by
from .frame import bond_positions
from .model import HOLD_DRIVEN, HOLD_FIXED, HOLD_FREE, HOLD_TOUCH, Model
from .state import State
from .timing import begins, delays, fires, spans, weight
from .world import Facing, LiveWorld


@dataclass
class Deeds:
    """What fields do in an interval.

    push, twist (P, 3): accelerations; None where nothing acts over time
    blows: (item, load (B,) [N] or None, kick (P, 3) or None, whirl (P, 3) or None); ticks of wear: (item, load (B,)
    [N]) kicks (P, 3): change of velocity of displaced pieces, whirls of their spin; frees (P,) bool: what waits and is
    to be let go ends: (item, pieces (P,) bool) that a kill ends
    """

    push: Array | None = None
    twist: Array | None = None
    blows: list[tuple[FieldItem, Array | None, Array | None, Array | None]] = field(default_factory=list)
    ticks: list[tuple[FieldItem, Array]] = field(default_factory=list)
    kicks: Array | None = None
    whirls: Array | None = None
    frees: np.ndarray | None = None
    ends: list[tuple[FieldItem, np.ndarray]] = field(default_factory=list)
    started: list[FieldItem] = field(default_factory=list)


Standing = tuple[Array | None, Array | None, np.ndarray]


def _steady(item: FieldItem, falloff: Stack) -> bool:
    """Whether a field does the same in every interval in which nothing moves."""
    changes = (
        item.travel is not None
        or item.aim is not None
        or item.channels
        or getattr(falloff, "channels", None)
        or item.effect.kind in ("kill", "displace", "turbulence")
    )
    gusty = item.effect.kind == "wind" and item.effect.gusts > 0
    in_time = any(
        x.shape.kind in ("expression", "sound", *REMEMBERS) or getattr(x.shape, "rate", 0.0) > 0 for x in falloff.layers
    )
    return not (changes or gusty or in_time) and isinstance(item.cue, (AtCue, SpanCue))


class Acting:
    """The fields of a run."""

    def __init__(self, shot: Shot, model: Model, state: State, targets: dict[str, Targets]) -> None:
        self._model, self._state = model, state
        self._items = [item for item in shot.fields if item.on and item.effect.kind != "anchor"]
        self._keyed, self._shared = Keyed(self._items), Keyed(shot.falloffs)
        self._all = Keyed([f for f in shot.fields if f.on])
        self._aims = any(item.aim is not None for item in self._items)
        self._targets = targets
        self.world = LiveWorld(model, state)
        self._facing: Facing | None = None
        self._delay: dict[str, Array] = {}
        self._fps = float(shot.timing.fps)
        self._bit = {item.name: k for k, item in enumerate(shot.fields)}
        self._acted = np.zeros((model.piece_count, len(shot.fields)), bool)
        self._held_by = self._anchored(shot)
        shared = {f.name: f for f in shot.falloffs}
        start = Moment(shared=shared)
        self._steady = {item.name for item in self._items if _steady(item, layers_of(item.reach, start))}
        self._standing: dict[str, Standing] = {}  # what steady fields do while nothing moves
        self._remembers = {
            item.name
            for item in self._items
            if any(x.shape.kind in REMEMBERS for x in layers_of(item.reach, start).layers)
        }

    def _anchored(self, shot: Shot) -> np.ndarray:
        """Which anchors hold which pieces (P, fields) bool."""
        out = np.zeros_like(self._acted)
        held = np.isin(self._model.pieces.held, (HOLD_FIXED, HOLD_DRIVEN, HOLD_TOUCH))
        setting = Setting(self._model.pieces.rest, np.zeros((0, 3)), Moment(shared={f.name: f for f in shot.falloffs}))
        for item in shot.fields:
            if item.on and item.effect.kind == "anchor":
                own = EFFECTS["anchor"].held(item, setting, Targets(self._targets[item.name].pieces, np.zeros(0, bool)))
                out[:, self._bit[item.name]] = held if own is None else held & own
        return out

    def _mark(self, item: FieldItem, pieces: np.ndarray) -> None:
        """Note that a field acts on pieces (P,) bool in this frame."""
        self._acted[:, self._bit[item.name]] |= pieces

    def take_acted(self) -> np.ndarray:
        """A bit for every field that acted on a piece since the last time this was asked, or holds it now: (P, n)
        uint8, the first field in the first byte's lowest bit.
        """
        holds = self._held_by & (self._state.held != HOLD_FREE)[:, None]
        out = np.packbits(self._acted | holds, axis=1, bitorder="little")
        self._acted[:] = False
        return out

    def __bool__(self) -> bool:
        return bool(self._items)

    # --------------------------------------------------------------------------------------

    def act(self, number: int, quiet: bool = False) -> Deeds:
        """What the fields do in interval ``number``; quiet: nothing moves at its start."""
        if not quiet:
            self._standing.clear()
        step = self._model.settings.interval
        time = number * step
        out = Deeds()
        busy: list[tuple[FieldItem, np.ndarray | None, Array | None]] = []
        items = self._keyed.at(time)
        for item in items:
            delay = self._delays(item)
            fired = fires(item, number, step, delay)
            called = self._state.memory.get(f"{item.name}:impact")
            found = spans(item, time, step, float(delay.max(initial=0.0)), called)
            share = weight(found, time, step, delay) if found else None
            share = share if share is not None and share.any() else None
            moved = self._state.memory.get(f"{item.name}:speed")  # a displacement that must be let go
            if (
                fired is not None
                or share is not None
                or item.name in self._remembers
                or (moved is not None and moved.any())
            ):
                busy.append((item, fired, share))
            if share is not None and begins(item, number, step):
                out.started.append(item)
        if not busy:
            return out
        self.world.refresh()
        shared = {f.name: f for f in self._shared.at(time)}
        moment = Moment(time, self._fps, shared, self.world)
        origins = {f.name: stand_of(f, moment).origin for f in self._all.at(time)} if self._aims else {}
        bonds = bond_positions(self._model, self._state)
        matter = self._matter(number)
        for item, fired, share in busy:
            lasts = quiet and fired is None and item.name in self._steady and bool((share == 1.0).all())
            if lasts and item.name in self._standing:
                push, twist, reached = self._standing[item.name]
                self._mark(item, reached)
            else:
                push, twist, reached = self._one(item, fired, share, moment, origins, bonds, matter, step, out)
                if lasts:
                    self._standing[item.name] = push, twist, reached
            if push is not None:
                out.push = push if out.push is None else out.push + push
            if twist is not None:
                out.twist = twist if out.twist is None else out.twist + twist
        self._displace(number, out)
        return out

    def _one(
        self,
        item: FieldItem,
        fired: np.ndarray | None,
        share: Array | None,
        moment: Moment,
        origins: dict[str, Array],
        bonds: Array,
        matter: Matter,
        step: float,
        out: Deeds,
    ) -> Standing:
        """Acceleration and angular acceleration (P, 3) by one field, None for none, and the pieces (P,) bool they act
        on. Blows, ticks and ends are added.
        """
        nothing = None, None, np.zeros(self._model.piece_count, bool)
        if isinstance(item.effect, DisplaceEffect):
            return nothing  # by itself, at the end of the interval
        targets = self._now(item)
        called = self._state.memory.get(f"{item.name}:impact")
        own = replace(moment, memory=self._state.memory)
        stand = (
            moved_to(item, called[2:5], called[5:8], moment)
            if called is not None and isinstance(item.cue, ImpactCue)
            else stand_of(item, own, origins)
        )
        setting = Setting(self.world.center, bonds, own, stand, matter, step)
        effect = EFFECTS[item.effect.kind]
        kills, remembers = isinstance(item.effect, KillEffect), item.name in self._remembers
        at_pieces = (
            self._reach(item, setting, targets, "p", step) if fired is not None or kills or remembers else np.zeros(0)
        )
        if fired is not None:
            self._blow(item, replace(setting, pieces=at_pieces * fired), targets, fired, out, step)
        if share is None:
            return nothing
        if kills:
            self._kill(item, at_pieces, share, step, out)
            return nothing
        # acceleration where things are half way through the step: with the straight runs around it a leapfrog, which
        # keeps energy (Hairer, Lubich and Wanner 2003, "Geometric numerical integration illustrated by the
        # Stoermer-Verlet method")
        halfway = matter.start + 0.5 * step * matter.velocity
        later = replace(setting, piece_center=halfway, moment=replace(own, time=own.time + 0.5 * step, memory=None))
        later = replace(later, pieces=share * (at_pieces if remembers else reach_of_pieces(item, later, targets)))
        reached = later.pieces > 0
        self._mark(item, reached)
        return *effect.flow(item, later, targets), reached

    def _blow(
        self, item: FieldItem, setting: Setting, targets: Targets, fired: np.ndarray, out: Deeds, step: float
    ) -> None:
        effect = EFFECTS[item.effect.kind]
        if setting.pieces is not None and not isinstance(item.effect, StrainEffect):
            self._mark(item, setting.pieces > 0)
        if isinstance(item.effect, StrainEffect):
            ends = self._model.bonds.piece
            at_bonds = self._reach(item, setting, targets, "b", step)
            if len(ends) and not fired.all():
                at_bonds = at_bonds * (fired[ends[:, 0]] | fired[ends[:, 1]])
            setting = replace(setting, bonds=at_bonds)
            strained = np.zeros(self._model.piece_count, bool)
            strained[ends[at_bonds > 0].ravel()] = True
            self._mark(item, strained)
            if item.effect.mode == "wear":
                out.ticks.append((item, self._capped(item, effect.load(item, setting, targets))))
                return
        out.blows.append(
            (
                item,
                effect.load(item, setting, targets),
                effect.kick(item, setting, targets),
                effect.whirl(item, setting, targets),
            )
        )

    def _capped(self, item: FieldItem, load: Array) -> Array:
        """A tick's load (B,), cut where the field has laid all on a bond that it may."""
        cap = item.effect.cap
        if cap is None:
            return load
        laid = self._state.memory.setdefault(f"{item.name}:laid", np.zeros(len(load)))
        load = np.minimum(load, np.maximum(0.0, 1000.0 * cap - laid))
        laid += load
        return load

    def blow_at_hit(self, item: FieldItem, number: int) -> Deeds:
        """The blow of a field that a hit has just called."""
        step = self._model.settings.interval
        out = Deeds()
        self.world.refresh()
        time = (number + 1) * step
        moment = Moment(time, self._fps, {f.name: f for f in self._shared.at(time)}, self.world, self._state.memory)
        called = self._state.memory[f"{item.name}:impact"]
        setting = Setting(
            self.world.center,
            bond_positions(self._model, self._state),
            moment,
            moved_to(item, called[2:5], called[5:8], moment),
            self._matter(None),
            step,
        )
        targets = self._now(item)
        everyone = np.ones(self._model.piece_count, bool)
        self._blow(item, replace(setting, pieces=reach_of_pieces(item, setting, targets)), targets, everyone, out, step)
        return out

    # --------------------------------------------------------------------------------------

    def _reach(self, item: FieldItem, setting: Setting, targets: Targets, where: str, step: float) -> Array:
        """Values at pieces or bonds; falloffs that remember do so by a key of their own."""
        key = f"{item.name}:{where}"
        moment = setting.moment
        if item.name in self._remembers:
            last = self._state.memory.get(f"{key}:time")
            since = 0.0 if last is None else moment.time - float(last[0])
            self._state.memory[f"{key}:time"] = np.array([moment.time])
            moment = replace(moment, key=key, step=since)
        else:
            moment = replace(moment, memory=None)
        own = replace(setting, moment=moment, pieces=None, bonds=None)
        return reach_of_pieces(item, own, targets) if where == "p" else reach_of_bonds(item, own, targets)

    def _now(self, item: FieldItem) -> Targets:
        """A field's targets that do what it asks for at the moment."""
        targets = self._targets[item.name]
        if item.states is None:
            return targets
        asm, slot = self._state.assemblies, self._state.piece_assembly
        held, asleep = asm.held[slot] != 0, asm.asleep[slot] != 0
        doing = np.zeros(len(held), bool)
        for state, mask in (("held", held), ("resting", asleep & ~held), ("moving", ~held & ~asleep)):
            if state in item.states:
                doing |= mask
        ends = self._model.bonds.piece
        return Targets(targets.pieces & doing, targets.bonds & doing[ends[:, 0]] if len(ends) else targets.bonds)

    def _delays(self, item: FieldItem) -> Array:
        stagger = getattr(item.cue, "stagger", None)
        if stagger is None:
            return self._delay.setdefault("", np.zeros(self._model.piece_count))
        if item.name not in self._delay:
            use, rest = self._targets[item.name].pieces, self._model.pieces.rest
            self._delay[item.name] = delays(
                stagger, use, value(item.reach, rest, Moment(shared={f.name: f for f in self._shared.at(0.0)})), rest
            )
        return self._delay[item.name]

    def _matter(self, number: int | None) -> Matter:
        """Pieces as they are; number: the interval that starts, None within one, where nothing is said of how they will
        move.
        """
        model, state = self._model, self._state
        asm, slot = state.assemblies, state.piece_assembly
        arm = self.world.center - asm.pos[slot]
        velocity = asm.vel[slot] + np.cross(asm.spin[slot], arm)
        halfway = velocity + 0.5 * model.settings.interval * (0.0 if number is None else self._likely(velocity, number))
        if self._facing is None and any(item.effect.kind == "wind" for item in self._items):
            self._facing = Facing(model, state)
        gravity = model.pieces.fall[:, None] * model.settings.gravity
        return Matter(
            model.pieces.mass,
            model.pieces.size,
            velocity,
            asm.spin[slot],
            gravity,
            self.world.center,
            halfway,
            self._facing,
        )

    def _likely(self, velocity: Array, number: int) -> Array:
        """Acceleration (P, 3) that pieces are likely to have: what they had over the last interval, a jump by a blow or
        a hit left out.
        """
        memory, step = self._state.memory, self._model.settings.interval
        before, last = memory.get("speed"), memory.get("speed at")
        memory["speed"], memory["speed at"] = velocity.copy(), np.array([number])
        if before is None or last[0] != number - 1:
            memory.pop("usual", None)
            return np.zeros_like(velocity)
        change = (velocity - before) / step
        usual = memory.get("usual")
        memory["usual"] = change
        if usual is None:
            return np.zeros_like(velocity)
        jump = np.linalg.norm(change - usual, axis=1) > 0.5 * (
            np.linalg.norm(change, axis=1) + np.linalg.norm(usual, axis=1)
        )
        return np.where(jump[:, None], 0.0, 1.5 * change - 0.5 * usual)

    # --------------------------------------------------------------------------------------

    def _kill(self, item: FieldItem, at_pieces: Array, share: Array, step: float, out: Deeds) -> None:
        """Count how long things have been slow, and how long inside; a thing of several pieces is inside with half of
        its mass.
        """
        effect, model, state = item.effect, self._model, self._state
        assert isinstance(effect, KillEffect)
        asm, slot = state.assemblies, state.piece_assembly
        slots = len(asm.pos)
        within = np.bincount(slot, model.pieces.mass * (at_pieces >= 0.5) * (share > 0), slots) >= 0.5 * np.bincount(
            slot, model.pieces.mass, slots
        )
        within &= np.bincount(slot, minlength=slots) > 0
        speed = np.linalg.norm(asm.vel, axis=1) + np.linalg.norm(asm.spin, axis=1) * asm.radius
        slow = state.memory.setdefault(f"{item.name}:slow", np.zeros(slots))
        age = state.memory.setdefault(f"{item.name}:age", np.zeros(slots))
        live = (asm.alive == 1) & (asm.held == 0)
        slow[:] = np.where(within & (speed < effect.slower), slow + step, 0.0)
        age[:] = np.where(within, age + step, 0.0)
        due = live & within & ((slow >= effect.time) & (speed < effect.slower) | (age >= (effect.age or np.inf)))
        if effect.what == "rest":
            due &= asm.asleep == 0
        out.ends.append((item, due[slot]))
        state.memory[f"{item.name}:inside"] = within[slot].astype(float)
        self._mark(item, within[slot])

    def _displace(self, number: int, out: Deeds) -> None:
        """Velocity that carries pieces along with the change of their displacement over the interval."""
        step = self._model.settings.interval
        items = [item for item in self._keyed.at((number + 1) * step) if isinstance(item.effect, DisplaceEffect)]
        if not items:
            return
        model, state = self._model, self._state
        time = (number + 1) * step
        shared = {f.name: f for f in self._shared.at(time)}
        moment = Moment(time, self._fps, shared, self.world, state.memory)
        for item in items:
            effect = item.effect
            delay = self._delays(item)
            called = state.memory.get(f"{item.name}:impact")
            level = weight(
                spans(item, number * step, step, float(delay.max(initial=0.0)), called), number * step, step, delay
            )
            targets = self._now(item)
            stand = moved_to(item, called[2:5], called[5:8], moment) if called is not None else stand_of(item, moment)
            setting = Setting(self.world.center, np.zeros((0, 3)), moment, stand)
            # where a piece stands by itself, not where the field has put it
            shift = state.memory.setdefault(f"{item.name}:shift", np.zeros((model.piece_count, 3)))
            speed = state.memory.setdefault(f"{item.name}:speed", np.zeros((model.piece_count, 6)))
            home = replace(setting, piece_center=self.world.center - shift)
            f = self._reach(item, home, Targets(targets.pieces, np.zeros(0, bool)), "p", step) * level
            wanted = f[:, None] * np.asarray(effect.offset)
            before = state.memory.setdefault(f"{item.name}:value", np.zeros(model.piece_count))
            turn = turn_by(effect.angle * np.asarray(effect.axis, float) / np.linalg.norm(effect.axis))[:3]
            turn = turn / max(np.linalg.norm(turn), 1e-12) * effect.angle
            now = np.concatenate([(wanted - shift) / step, ((f - before) / step)[:, None] * turn], axis=1)
            now[~targets.pieces | (level == 0)] = 0.0  # after its cue it lets go: nothing is put back
            change = now - speed
            moved = (np.abs(now) > 1e-9).any(axis=1)
            shift[:], before[:], speed[:] = wanted, f, now
            out.kicks = change[:, :3] if out.kicks is None else out.kicks + change[:, :3]
            out.whirls = change[:, 3:] if out.whirls is None else out.whirls + change[:, 3:]
            self._mark(item, moved)
            if effect.wakes:
                out.frees = moved if out.frees is None else out.frees | moved

    # --------------------------------------------------------------------------------------

    def hit(self, number: int, hits: list[dict[str, Any]]) -> list[tuple[FieldItem, bool]]:
        """Fields that hits of interval ``number`` call: hits have pieces (two, or one and None), force [N], place (3,),
        normal (3,). With each, whether it acts in a blow.
        """
        step = self._model.settings.interval
        time = (number + 1) * step
        out = []
        for item in self._items:
            cue = item.cue
            if not isinstance(cue, ImpactCue):
                continue
            mask = self._targets[item.name].pieces
            if cue.bodies is not None:
                mask = np.zeros(self._model.piece_count, bool)
                for name in cue.bodies:
                    mask[self.world.own(name)] = True
            known = self._state.memory.get(f"{item.name}:impact")
            if known is not None and (time - known[0] < cue.rest or (cue.most is not None and known[1] >= cue.most)):
                continue
            best = max(
                (
                    h
                    for h in hits
                    if h["force"] >= 1000.0 * cue.above and any(p is not None and mask[p] for p in h["pieces"])
                ),
                key=lambda h: h["force"],
                default=None,
            )
            if best is None:
                continue
            first = best["pieces"][0]
            normal = best["normal"] if first is not None and mask[first] else -best["normal"]
            self._state.memory[f"{item.name}:impact"] = np.concatenate(
                [[time, 1.0 if known is None else known[1] + 1.0], best["place"], normal]
            )
            out.append((item, item.effect.kind not in OVER_TIME and cue.length <= 0))
        return out

    def innermost(self, item: FieldItem, others: list[FieldItem], pieces: np.ndarray) -> np.ndarray:
        """Of pieces (P,) bool a kill wants, those for which no smaller region of another kill counts instead."""
        out = pieces.copy()
        own = self._state.memory[f"{item.name}:inside"].sum()
        for other in others:
            inside = self._state.memory.get(f"{other.name}:inside")
            if other is item or inside is None:
                continue
            if self._volume(other) < self._volume(item) or (
                self._volume(other) == self._volume(item) and inside.sum() < own
            ):
                out &= inside < 0.5
        return out

    def _volume(self, item: FieldItem) -> float:
        """How large a region is, roughly: the volume of a box round its first shape, the edge included [m3]."""
        shape = layers_of(item.reach, Moment(shared={f.name: f for f in self._shared.at(0.0)})).layers[0].shape
        core = getattr(shape, "core", np.inf)
        sizes = np.atleast_1d(np.asarray(core, float)) + (0.0 if np.ndim(core) else getattr(shape, "edge", 0.0))
        return float(np.prod(sizes)) if sizes.size == 3 else float((2 * sizes[0]) ** 3)
