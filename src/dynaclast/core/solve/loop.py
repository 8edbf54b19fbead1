"""The loop: frames out of a Model and a State.

A frame is a few intervals; each searches contacts once and solves many substeps. If hits of an interval break bonds,
the interval is taken back, the assemblies are parted, and it is solved again: what was hit goes its own way and the
rest keeps the momentum it had, instead of stopping as one block.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any

import numpy as np

from ..document import FieldItem, Shot
from ..fields.stand import number as number_of
from ..geometry.mesh import Array, rotation_matrix
from ..motion import turn_between
from .acting import Acting, Deeds
from .breaking import IMPACT_TIME, impact_loads
from .charts import Charts
from .frame import Frame, piece_positions, snapshot
from .model import HOLD_DRIVEN, HOLD_FROZEN, HOLD_REMOVED, HOLD_TOUCH, Model
from .parting import Parting, kn
from .prepare import targets_of
from .rigid.assemblies import wake, wake_around, wake_one
from .rigid.manifolds import HIT_SHARE, world_inertia
from .rigid.rest import settle
from .rigid.sweep import remember
from .rigid.ties import wake_tied
from .state import Assemblies, Contacts, State
from .wear import lay_on

MOST_RETRIES = 3
"""How often one interval is taken back because bonds broke in it."""
WAKES_FROM = 0.02
"""What sleeps wakes where fields change by more than this share of gravity."""
IMPACT_EVENT_FROM = 0.55
"""Hits slower than this share of the pair's pace are not written down as events."""
TABLE_OF = {
    "gravity": "fall",
    "material.friction": "friction",
    "material.bounce": "bounce",
    "material.rolling": "rolling",
}
"""The column of the table of pieces that a channel of a body sets."""
MOST_IMPACTS = 40
"""Impact events of a frame: the strongest so many."""


class Run(Parting):
    """A run in progress: the steps over one State."""

    def __init__(self, shot: Shot, model: Model, state: State) -> None:
        if model.channels:  # they change the run's own tables
            model = replace(
                model,
                pieces=model.pieces._replace(
                    **{name: getattr(model.pieces, name).copy() for name in TABLE_OF.values()}
                ),
            )
        self.shot = shot
        super().__init__(model, state)
        self._targets = (np.zeros((0, 3)), np.zeros((0, 4)))
        self._limited: set[tuple[int, str]] = set()
        self._still: Frame | None = None
        self._hit_before = np.zeros(0)
        self._drives = [b for b, drive in enumerate(model.drives) if drive is not None]
        targets = {item.name: targets_of(item, model) for item in shot.fields if item.on}
        self._acting = Acting(shot, model, state, targets)
        self._charts = Charts(shot, model, state)
        if state.frame:
            self._tune(state.frame * model.intervals_per_frame - 1, waking=False)
        self._calls = any(item.on and item.cue.kind == "impact" for item in shot.fields)

    # ------------------------------------------------------------------------------ a frame

    def advance(self) -> Frame:
        """Compute the next frame."""
        events: list[dict[str, Any]] = []
        per_frame = self.model.intervals_per_frame
        impacts: list[tuple[Array, ...]] = []
        self._limited.clear()
        if self._weighed:
            self._weigh(events)
        for k in range(per_frame):
            number = self.state.frame * per_frame + k
            self._tune(number)
            self._release_due(number, events)
            self._drive(number)
            self._act(number, events)
            self._interval(events, impacts)
            if self._calls:
                self._call_by_hits(number, events)
        events.extend(self._impacts(impacts))
        self.state.frame += 1
        if (
            self._still is not None and not events and not len(self._live()) and not len(self._driven)
        ):  # nothing can have moved
            return replace(self._still, index=self.state.frame, maps=self._maps())
        out = replace(snapshot(self.model, self.state, events), maps=self._maps())
        self._still = (
            replace(out, stats=out.stats | {"bonds_broken": 0.0}, events=[])
            if not out.stats["moving"] and not len(self._driven)
            else None
        )
        return out

    def _tune(self, number: int, waking: bool = True) -> None:
        """Give bodies the numbers their channels have at the start of an interval; what then weighs otherwise wakes
        (not where a stored run goes on: it woke when it was computed).
        """
        model, asm = self.model, self.state.assemblies
        for body, channel in model.channels:
            table = getattr(model.pieces, TABLE_OF[channel.of])
            own = np.arange(model.body_first[body], model.body_first[body + 1])
            now = number_of(channel, number * model.settings.interval)
            if table[own[0]] == now:
                continue
            table[own] = now
            if channel.of != "gravity":
                continue
            for slot in np.unique(self.state.piece_assembly[own]):
                together = self.state.piece_assembly == slot
                asm.fall[slot] = (
                    model.pieces.mass[together] @ model.pieces.fall[together] / model.pieces.mass[together].sum()
                )
                if waking and not asm.held[slot]:
                    wake(int(slot), asm)

    def opening(self) -> Frame:
        """Frame 0."""
        self._tune(0)
        if self._weighed:
            self._weight_loads(self.model.load_path[self.model.pieces.body[self.model.bonds.piece[:, 0]]])
        return replace(snapshot(self.model, self.state, []), maps=self._maps())

    def _maps(self) -> dict[str, np.ndarray]:
        """More numbers of every piece at the end of the frame."""
        out: dict[str, np.ndarray] = {}
        if self._weighed:
            out["load"] = self.state.memory.get("load share", np.zeros(self.model.piece_count)).astype(np.float32)
        if self.shot.fields:
            out["acted"] = self._acting.take_acted()
        return out | self._charts.at(self.state.frame / self.model.fps)

    # ------------------------------------------------------------------------------- fields

    def _act(self, number: int, events: list[dict[str, Any]]) -> None:
        """Let the fields act in an interval: blows at its start, accelerations all through it."""
        self._push = self._twist = None
        if not self._acting:
            return
        deeds = self._acting.act(number, quiet=not len(self._live()) and not len(self._driven))
        for item in deeds.started:
            events.append(self._note("cue", field=item.name, effect=item.effect.kind))
        self._carry_out(deeds, events)
        self._push, self._twist = deeds.push, deeds.twist
        self._feel()
        for item, pieces in deeds.ends:
            self._end(item, self._acting.innermost(item, [i for i, _ in deeds.ends], pieces), events)

    def _carry_out(self, deeds: Deeds, events: list[dict[str, Any]]) -> None:
        """Blows and ticks: let go what they touch, break what they break, then push what is free."""
        model, state = self.model, self.state
        load = np.zeros(len(model.bonds.area))
        shares: list[tuple[str, Array]] = []
        touched = np.zeros(len(model.pieces.mass), bool) if deeds.frees is None else deeds.frees.copy()
        first = ""
        for item, own, kick, whirl in deeds.blows:
            first = first or item.name
            events.append(self._note("cue", field=item.name, effect=item.effect.kind))
            if own is not None:
                shares.append((item.name, own))
                load += own
            for change in (kick, whirl):
                if change is not None:
                    touched |= (change != 0).any(axis=1)
        touched[model.bonds.piece[load > 0].ravel()] = True
        if touched.any():
            self._release(touched, {"field": first or "displace"}, events)
        if shares:
            gives, total = lay_on(model, state.bond_broken, state.bond_wear, load)
            self._break(
                np.where(gives, total, 0.0),
                lambda b: [{"field": name, "load": kn(own[b])} for name, own in shares if own[b] > 0],
                events,
            )
        for item, own in deeds.ticks:
            events.append(self._note("cue", field=item.name, effect="strain"))
            self._wear(item.name, own, events)
        for _, _, kick, whirl in deeds.blows:
            if kick is not None or whirl is not None:
                self._kick(kick, whirl)
        if deeds.kicks is not None:
            self._kick(deeds.kicks, deeds.whirls)

    def _wear(self, name: str, load: Array, events: list[dict[str, Any]]) -> None:
        """A tick of wear: what is laid on stays."""
        model, state = self.model, self.state
        gives, total = lay_on(model, state.bond_broken, state.bond_wear, load)
        whole = np.maximum(model.bonds.strength, 1e-9)
        state.bond_wear[:] = np.where(gives, 0.0, np.minimum(total / whole, 1.0))
        self._break(
            np.where(gives, np.maximum(total, whole * (1 + 1e-12)), 0.0),
            lambda b: [{"field": name, "load": kn(total[b])}],
            events,
        )

    def _feel(self) -> None:
        """Wake what sleeps where fields now act otherwise than when it fell asleep."""
        state = self.state
        asm = state.assemblies
        push, twist = self._aggregate()
        felt = state.memory.get("felt")
        if felt is None:
            if self._push is None and self._twist is None:
                return
            felt = state.memory["felt"] = np.zeros((len(asm.pos), 3))
        g = float(np.linalg.norm(self.model.settings.gravity))
        other = np.linalg.norm(push - felt, axis=1) + np.linalg.norm(twist, axis=1) * asm.radius
        for slot in np.flatnonzero((asm.asleep == 1) & (asm.alive == 1) & (other > WAKES_FROM * max(g, 1.0))):
            wake_one(slot, asm)
        felt[:] = np.where((asm.asleep == 1)[:, None], felt, push)

    def _end(self, item: FieldItem, pieces: np.ndarray, events: list[dict[str, Any]]) -> None:
        """Put to rest, freeze or take out whole assemblies (pieces (P,) bool)."""
        state = self.state
        asm = state.assemblies
        for slot in np.unique(state.piece_assembly[pieces]):
            own = np.flatnonzero(state.piece_assembly == slot)
            if item.effect.what != "rest":
                wake_around(slot, self.model.hulls.piece, state.piece_assembly, state.contacts, asm)
                state.held[own] = HOLD_FROZEN if item.effect.what == "freeze" else HOLD_REMOVED
                asm.held[slot], asm.inv_mass[slot], asm.inv_inertia[slot] = 1, 0.0, 0.0
                self._stale = True
            else:
                asm.asleep[slot], asm.island[slot] = 1, slot
            asm.vel[slot] = asm.spin[slot] = 0.0
            body = self.model.body_names[self.model.pieces.body[own[0]]]
            events.append(self._note("kill", field=item.name, what=item.effect.what, body=body, pieces=own.tolist()))

    def _call_by_hits(self, number: int, events: list[dict[str, Any]]) -> None:
        """Fields that wait for a hit act at once where it fell."""
        rows, n, contacts, model = self._rows, self._row_count, self.state.contacts, self.model
        hits = []
        for r in range(n):
            met = rows.approach[r] < -HIT_SHARE * rows.pace[r]
            if not met.any():
                continue
            impulse = float(rows.total[r][met].sum())
            if impulse > 0:
                impulse += float(self._hit_before[r])
                k = rows.pair[r]
                q = int(model.hulls.piece[contacts.b[k]]) if contacts.b[k] >= 0 else None
                hits.append(
                    {
                        "pieces": [int(model.hulls.piece[contacts.a[k]]), q],
                        "force": impulse / IMPACT_TIME,
                        "place": rows.point[r, 0].copy(),
                        "normal": rows.normal[r].copy(),
                    }
                )
        if not hits:
            return
        for item, blow in self._acting.hit(number, hits):
            if blow:
                self._carry_out(self._acting.blow_at_hit(item, number), events)
            else:
                events.append(self._note("cue", field=item.name, effect=item.effect.kind))

    def _kick(self, kick: Array | None, whirl: Array | None = None) -> None:
        """Give pieces (P, 3) [m/s] of velocity and (P, 3) [rad/s] of spin; an assembly takes the sum of its pieces'
        momenta, and the mean of their spins by mass.
        """
        asm, pieces = self.state.assemblies, self._pieces
        if whirl is not None:
            for slot in np.unique(self.state.piece_assembly[(whirl != 0).any(axis=1)]):
                if not asm.held[slot]:
                    wake(int(slot), asm)
                    own = np.flatnonzero(self.state.piece_assembly == slot)
                    asm.spin[slot] += (pieces.mass[own, None] * whirl[own]).sum(axis=0) / pieces.mass[own].sum()
        if kick is None:
            return
        moved = np.flatnonzero((kick != 0).any(axis=1))
        center = piece_positions(self.model, self.state)
        for slot in np.unique(self.state.piece_assembly[moved]):
            if asm.held[slot]:
                continue
            wake(int(slot), asm)
            own = moved[self.state.piece_assembly[moved] == slot]
            impulse = pieces.mass[own, None] * kick[own]
            asm.vel[slot] += impulse.sum(axis=0) * asm.inv_mass[slot]
            if asm.pieces[slot] > 1:
                world_inertia(asm, self._work.inv_mass, self._work.inv_inertia)
                asm.spin[slot] += self._work.inv_inertia[slot] @ np.cross(center[own] - asm.pos[slot], impulse).sum(
                    axis=0
                )

    # ----------------------------------------------------------------------------- interval

    def _interval(self, events: list[dict[str, Any]], impacts: list[tuple[Array, ...]]) -> None:
        model, state = self.model, self.state
        asm = state.assemblies
        waiting = bool((state.held == HOLD_TOUCH).any())
        intact = (bool(len(state.bond_broken)) and not state.bond_broken.all()) or waiting
        for attempt in range(MOST_RETRIES + 1):
            if len(model.ties.kind) and wake_tied(model.ties, state.tie_broken, state.piece_assembly, asm):
                self._stale = True
            live = self._live()
            if not len(live) and not len(self._driven):
                return
            before = (
                (Assemblies(*(x.copy() for x in asm)), Contacts(*(x.copy() for x in state.contacts)))
                if intact
                else None
            )
            live = self._touch()
            contacts = state.contacts
            if before is None:
                break
            if waiting and attempt < MOST_RETRIES:
                touched = self._touched(contacts)
                if touched.any():
                    self._go_back(before)
                    self._release(touched, {"touch": self._toucher(contacts, touched)}, events)
                    continue
            if not len(state.bond_broken):
                break
            load, strongest, blame = (
                np.zeros(len(state.bond_broken)),
                np.zeros(len(state.bond_broken)),
                np.zeros(len(state.bond_broken), np.int32),
            )
            reached, depth, queue = (
                np.zeros(len(state.held), np.uint8),
                np.zeros(len(state.held), np.int32),
                np.zeros(len(state.held), np.int32),
            )
            hits = impact_loads(
                self._rows,
                self._row_count,
                contacts,
                model.hulls,
                model.pieces.body,
                state.piece_assembly,
                asm,
                model.bonds,
                state.bond_broken,
                0.02 * float(model.bonds.strength.min()) + 1.0,
                load,
                blame,
                strongest,
                reached,
                depth,
                queue,
            )
            if not hits:
                break
            gives, load = lay_on(model, state.bond_broken, state.bond_wear, load)
            if not gives.any():
                break
            load = np.where(gives, load, 0.0)
            if attempt < MOST_RETRIES:
                self._go_back(before)
            self._break(load, lambda b: [self._hit_cause(blame[b], load[b])], events)  # noqa: B023
        if self._calls:
            self._hit_before = contacts.hit[self._rows.pair[: self._row_count]].copy()
        impulse = np.empty(self._row_count)
        if remember(self._rows, self._row_count, contacts, IMPACT_EVENT_FROM, impulse):
            impacts.append(self._hardest(impulse))
        asm.pos[self._driven], asm.rot[self._driven] = self._targets
        self._keep_in_limits(live, events)
        self._break_ties(events)
        if settle(
            asm,
            live,
            self._rows,
            self._row_count,
            model.settings,
            self._tie_rows,
            self._tie_count,
            self._parent,
            self._marks,
        ):
            self._stale = True  # sleepers' shapes are placed once more, where they came to lie

    def _go_back(self, before: tuple[Assemblies, Contacts]) -> None:
        """To the start of an interval that is to be taken again."""
        asm, self.state.contacts = before
        for now, then in zip(self.state.assemblies, asm, strict=True):
            now[:] = then

    def _drive(self, number: int) -> None:
        """Give what is animated the speeds that take it to where its keys want it at the end of this interval."""
        model, state = self.model, self.state
        asm, interval = state.assemblies, model.settings.interval
        slots: list[int] = []
        places: list[Array] = []
        turns: list[Array] = []
        for b in self._drives:
            drive = model.drives[b]
            place, turn = drive.at((number + 1) * interval)
            m = rotation_matrix(turn)
            own = np.flatnonzero((model.carried_by == b) & (state.held == HOLD_DRIVEN))
            for slot in np.unique(state.piece_assembly[own]):
                to = place + m @ (asm.rest[slot] - drive.pivot)
                go, lean = (to - asm.pos[slot]) / interval, turn_between(asm.rot[slot], turn) / interval
                moves = bool(np.abs(go).max() > 1e-9 or np.abs(lean).max() > 1e-9)
                if asm.held[slot] == 2 and not moves:
                    self._stale = True  # it stops here: its shapes are placed once more
                asm.held[slot] = 2 if moves else 1
                asm.vel[slot], asm.spin[slot] = (go, lean) if moves else (0.0, 0.0)
                if moves:
                    slots.append(int(slot))
                    places.append(to)
                    turns.append(turn if turn @ asm.rot[slot] >= 0 else -turn)
        self._driven = np.array(slots, np.int64)
        self._targets = (np.array(places).reshape(-1, 3), np.array(turns).reshape(-1, 4))

    def _keep_in_limits(self, live: np.ndarray, events: list[dict[str, Any]]) -> None:
        """Slow down what runs away, and write it down once a frame and body."""
        model, asm = self.model, self.state.assemblies
        for values, most, what in ((asm.vel, model.most_speed, "speed"), (asm.spin, model.most_spin, "spin")):
            if max(values.max(), -values.min()) * np.sqrt(3.0) <= most:  # nothing can be too fast
                continue
            size = np.linalg.norm(values[live], axis=1)
            for slot, now in zip(live[size > most], size[size > most], strict=True):
                values[slot] *= most / now
                body = int(model.pieces.body[slot])
                if (body, what) not in self._limited:
                    self._limited.add((body, what))
                    events.append(
                        self._note(
                            "limit",
                            body=model.body_names[body],
                            pieces=[int(slot)],
                            what=what,
                            value=round(float(now), 3),
                            limit=most,
                        )
                    )

    def _hardest(self, impulse: Array) -> tuple[Array, ...]:
        """The hardest hits of an interval by their impulses (R,), at most as many as are kept of a frame: impulse [N
        s], pieces (-1: the ground), speed [m/s], place.
        """
        rows, contacts, piece = self._rows, self.state.contacts, self.model.hulls.piece
        hard = np.flatnonzero(impulse > 0.0)
        hard = hard[np.argsort(-impulse[hard], kind="stable")[:MOST_IMPACTS]]
        a, b = contacts.a[rows.pair[hard]], contacts.b[rows.pair[hard]]
        return (
            np.round(impulse[hard], 3),
            piece[a],
            np.where(b >= 0, piece[b], -1),
            -rows.approach[hard].min(axis=1),
            rows.point[hard, 0].copy(),
        )

    def _impacts(self, impacts: list[tuple[Array, ...]]) -> list[dict[str, Any]]:
        """The events of a frame's hardest hits."""
        if not impacts:
            return []
        impulse, one, other, speed, place = (np.concatenate(x) for x in zip(*impacts, strict=True))
        hard = np.argsort(-impulse, kind="stable")[:MOST_IMPACTS]
        names, body = [*self.model.body_names, "ground"], [*self.model.pieces.body.tolist(), -1]
        columns = (impulse[hard], one[hard], other[hard], np.round(speed[hard], 3), np.round(place[hard], 4))
        return [
            self._note(
                "impact",
                pieces=[p, q if q >= 0 else None],
                bodies=[names[body[p]], names[body[q]]],
                impulse=strength,
                speed=fast,
                place=at,
            )
            for strength, p, q, fast, at in zip(*(x.tolist() for x in columns), strict=True)
        ]


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
