"""A part of a bake to hand on: some frames, forwards or backwards, and some bodies."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ..document import Shot
from ..errors import InputError
from ..fracture.pieces import Pieces
from .frames import Baked


@dataclass(frozen=True)
class Excerpt:
    """What to hand on.

    first, last : frames, both with; last None is the end
    step        : every so many frames
    backwards   : from the last to the first
    bodies      : names of bodies and groups, None for all
    """

    first: int = 0
    last: int | None = None
    step: int = 1
    backwards: bool = False
    bodies: Collection[str] | None = None

    @property
    def whole(self) -> bool:
        return self == Excerpt()


def _frames(what: Excerpt, count: int) -> np.ndarray:
    last = count - 1 if what.last is None else min(what.last, count - 1)
    if not 0 <= what.first <= last:
        raise InputError(
            f"the take has frames 0 to {count - 1}; there is none from {what.first} to {last}", where="first"
        )
    if what.step < 1:
        raise InputError(f"every so many frames: at least 1, got {what.step}", where="step")
    out = np.arange(what.first, last + 1, what.step)
    return out[::-1] if what.backwards else out


def _events(events: list[dict[str, Any]], frames: np.ndarray, names: set[str]) -> list[dict[str, Any]]:
    """Events as they fall in the excerpt; what broke before it has broken at its begin. Backwards nothing mends: what
    breaks anywhere in it has broken from the begin.
    """
    backwards = len(frames) > 1 and frames[0] > frames[-1]
    out = []
    for event in events:
        if event.get("body") is not None and event["body"] not in names:
            continue
        broke = event["kind"] == "bond_broken"
        if not (broke or frames.min() <= event["frame"] <= frames.max()) or event["frame"] > frames.max():
            continue
        if backwards:
            at = 0 if broke else int(np.searchsorted(-frames, -event["frame"]))
        else:
            at = int(np.searchsorted(frames, event["frame"]))
        out.append(event | {"frame": min(at, len(frames) - 1)})
    return sorted(out, key=lambda e: e["frame"])


def excerpt(shot: Shot, built: list[Pieces], baked: Baked, what: Excerpt) -> tuple[Shot, list[Pieces], Baked]:
    """The part of a bake, with the shot and pieces that belong to it. Its first frame is at 0 s.

    shot : written out
    Raises InputError for frames that are not there and for no bodies.
    """
    if what.whole:
        return shot, built, baked
    frames = _frames(what, len(baked.time))
    there = {b.column for b in shot.bodies}
    wanted = there if what.bodies is None else set(what.bodies)
    if wanted - there:
        known = ", ".join(sorted(there))
        raise InputError(f"the take has no body '{min(wanted - there)}'; it has {known}", where="bodies")
    keep = [k for k, b in enumerate(shot.bodies) if b.column in wanted]
    if not keep:
        raise InputError("choose at least one body of the take", where="bodies")
    pieces = np.flatnonzero(np.isin(baked.piece_body, keep))
    names = {shot.bodies[k].name for k in keep}
    number = np.zeros(len(shot.bodies), np.int32)
    number[keep] = np.arange(len(keep))

    def part(name: str, array: np.ndarray) -> np.ndarray | None:
        kind, _, of = name.partition("/")
        if kind in ("points", "state"):
            return array[frames] if of in names else None
        return array[frames][:, pieces]

    maps = {name: own for name, array in baked.maps.items() if (own := part(name, array)) is not None}
    seconds = float(baked.time[1] - baked.time[0]) if len(baked.time) > 1 else 0.0
    out = replace(
        baked,
        time=np.arange(len(frames)) * seconds * what.step,
        position=baked.position[frames][:, pieces],
        orientation=baked.orientation[frames][:, pieces],
        state=baked.state[frames][:, pieces],
        piece_body=number[baked.piece_body[pieces]],
        piece_mass=baked.piece_mass[pieces],
        body_names=[shot.bodies[k].name for k in keep],
        stats={name: values[frames] for name, values in baked.stats.items()},
        events=_events(baked.events, frames, names),
        maps=maps,
        shapes={name: a for name, a in baked.shapes.items() if name.partition("/")[2] in names},
    )
    fewer = shot.model_copy(update={"bodies": [shot.bodies[k] for k in keep]})
    return fewer, [built[k] for k in keep], out
