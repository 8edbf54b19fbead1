"""Letting bodies that deform settle before a shot: where they come to rest is where they open."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

import numpy as np

from .arrays import Array, lengths
from .document import AnchorEffect, Body, FieldItem, Opening, Shot
from .errors import InputError
from .fracture.build import Resolve, no_files
from .fracture.deforming import opening_text
from .layout import written_out
from .solve.deformable.seam_loads import SeamLoads
from .solve.loop import Run
from .solve.prepare import prepare

STILL = 0.0015
"""A body is at rest where its vertices go no faster than this share of the speed that a fall through its size gives,
but for a few that may still creep: this share of them must, over so long [s]."""
MOST, OVER = 0.9, 0.5
LEAST_GRAVITY = 0.1
SLOWED = 4.0
"""Share of the speed that is lost each second meanwhile [1/s]; it changes where things come to rest only where they
could rest in more than one place."""
LONGEST = 30.0
"""Seconds that are waited for rest."""


@dataclass(frozen=True)
class Settled:
    """How a settling ended.

    openings : of each body; seconds: of the shot's time, it took; rests: whether all of it came to rest
    loads    : of each body in pieces that cannot tear besides, what its seams bear then (Q,) [N], as
               preflight.seams has them
    ties     : of each tie that ends on these bodies, where its point (3,) [m] is then: it is asked where they open
    """

    openings: dict[str, Opening]
    seconds: float
    rests: bool
    loads: dict[str, Array] = field(default_factory=dict)
    ties: dict[str, Array] = field(default_factory=dict)


def settle(
    shot: Shot,
    names: Iterable[str],
    *,
    with_fields: bool = False,
    resolve: Resolve = no_files,
    tell: Callable[[float], None] | None = None,
) -> Settled:
    """Let what deforms come to rest while all else stands, and take that as the opening shape of some bodies and of
    those tied to them.

    names       : bodies; with_fields: whether fields act, as they do from the start; anchors always do
    tell        : told the share done, 0 to 1, after each frame; may raise to stop it
    Raises InputError where a body is none that deforms, and what ``prepare`` raises.
    """
    use = _tied(shot, names)
    prepared = prepare(standing(written_out(shot, resolve), with_fields), resolve)
    deformables = prepared.model.deformables
    assert deformables is not None
    deformables.seams.strength[deformables.seams.strength > 0.0] = np.inf
    run = Run(prepared.shot, prepared.model, prepared.state)
    first = deformables.elements.bodies.first
    slots = {name: slice(first[k], first[k + 1]) for k, name in enumerate(deformables.names) if name in use}
    run.opening()
    top, done, rests = 0.0, 0.0, False
    most, over = int(LONGEST * shot.timing.fps), max(1, round(OVER * shot.timing.fps))
    g, start = max(float(np.linalg.norm(shot.gravity)), LEAST_GRAVITY), deformables.start
    fast = {name: np.sqrt(2.0 * g * np.ptp(start[own], axis=0).max()) for name, own in slots.items()}
    then = [run.state.vertices.position.copy()]
    for frame in range(1, most + 1):
        run.advance()
        then = [*then[-over:], run.state.vertices.position.copy()]
        # how far each has been from here, so that what swings and comes back does not seem to stand
        way = np.max([lengths(then[-1] - x) for x in then[:-1]], axis=0)
        way *= shot.timing.fps / (len(then) - 1)
        share = max(float(np.quantile(way[own], MOST)) / fast[name] for name, own in slots.items())
        top, rests = max(top, share), bool(frame > over and share < STILL)
        calm = np.log(top / max(share, STILL)) / np.log(top / STILL) if top > STILL else 0.0
        done = max(done, frame / most, min(0.98, float(calm)))
        if tell:
            tell(done)
        if rests:
            break
    bodies = {b.name: b for b in prepared.shot.bodies}
    drawn = {d.name: d for d in deformables.drawn}
    x = run.state.vertices.position
    openings = {}
    for name, own in slots.items():
        body, seen = bodies[name], drawn[name]
        at = seen.points(x) if seen.carrier is not None else None
        openings[name] = Opening(
            points=opening_text(body, x[own]), drawn=None if at is None else opening_text(body, at)
        )
    loads = _seam_loads(run, [n for n in slots if bodies[n].pattern and not getattr(bodies[n].matter, "tear", None)])
    ends = deformables.elements.ties.vertex[:, 0]
    ties = {t.name: x[v] for t, v in zip(deformables.ties, ends, strict=True) if t.how.kind != "sewn"}
    ties = {t.name: ties[t.name] for t in shot.ties if t.name in ties and {t.body, t.to} & use}
    return Settled(openings, run.state.frame / shot.timing.fps, rests, loads, ties)


def _seam_loads(run: Run, names: list[str]) -> dict[str, Array]:
    """What seams of these bodies bear now [N]."""
    deformables, parts = run.model.deformables, run.deformable
    assert deformables is not None and parts is not None
    if not names or not deformables.seams.count:
        return {}
    load = SeamLoads(deformables).measure(parts.parts, run.state)
    return {n: load[deformables.seams.body == deformables.names.index(n)] for n in names}


def standing(shot: Shot, with_fields: bool) -> Shot:
    """A written-out shot with all rigid things where they open, and what slows down what deforms."""
    bodies = [b if b.deforms else _fixed(b) for b in shot.bodies]
    soft = {b.name for b in bodies if b.deforms}
    calm = [b.model_copy(update={"velocity": (0.0, 0.0, 0.0)}) if b.deforms else b for b in bodies]
    ties = [t.model_copy(update={"breaks": None}) for t in shot.ties if t.on and {t.body, t.to} & soft]
    fields = [f for f in shot.fields if f.on and (with_fields or isinstance(f.effect, AnchorEffect))]
    slowing = FieldItem.model_validate(
        {
            "name": "settling",
            "effect": {"kind": "drag", "amount": SLOWED},
            "reach": {"layers": [{"shape": {"kind": "everywhere"}}]},
            "targets": sorted({b.column for b in bodies if b.deforms}),
        }
    )
    return shot.model_copy(update={"bodies": calm, "ties": ties, "fields": [*fields, slowing], "maps": []})


def _fixed(body: Body) -> Body:
    """A rigid body that only stands there."""
    out = body.model_copy(
        update={
            "role": "passive",
            "motion": None,
            "channels": [],
            "velocity": (0.0, 0.0, 0.0),
            "spin": (0.0, 0.0, 0.0),
            "load_path": "off",
        }
    )
    out._factor, out._group = body._factor, body._group
    return out


def _tied(shot: Shot, names: Iterable[str]) -> set[str]:
    """Bodies that deform with all such that are tied to them."""
    soft = {b.name for b in shot.bodies if b.deforms}
    out = set(names)
    if not out or (wrong := sorted(out - soft)):
        raise InputError(
            f"{wrong[0] if out else 'nothing'} is no single body that deforms; choose cloth, a soft body or a rope "
            "that is in no group",
            where=wrong[0] if out else "",
        )
    while True:
        more = {
            end
            for t in shot.ties
            if t.on and {t.body, t.to} & out
            for end in (t.body, t.to)
            if end in soft and end not in out
        }
        if not more:
            return out
        out |= more
