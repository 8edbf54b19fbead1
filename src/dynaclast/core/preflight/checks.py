"""What will go wrong, said before the run, each with what to do."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..document import Shot, StrainEffect
from ..fracture.pieces import Pieces
from ..geometry.mesh import rotation_matrix
from .loads import weight_loads
from .reach import Crossing, crossings


@dataclass(frozen=True)
class Finding:
    """One finding: which part (step of the work), about what, why it matters, what to do.

    grave: "stop" (a bake would fail) or "check" (it would surprise)
    """

    code: str
    grave: str
    step: str
    about: str
    sentence: str
    remedy: str


def preflight(shot: Shot, built: list[Pieces]) -> list[Finding]:
    """Findings of a shot whose bodies could be built, gravest first."""
    out: list[Finding] = []
    if not shot.bodies:
        return [Finding("no-bodies", "stop", "build", "", "The shot has no bodies, so there is nothing to compute.", "Add a body")]
    if not any(b.role == "active" for b in shot.bodies):
        out.append(Finding("nothing-active", "check", "build", "", "All bodies are passive: nothing can move.", "Make a body active"))
    out.extend(_fields(shot, crossings(shot, built)))
    out.extend(_bodies(shot, built))
    return sorted(out, key=lambda f: f.grave != "stop")


def _fields(shot: Shot, grid: list[Crossing]) -> list[Finding]:
    out: list[Finding] = []
    end = shot.timing.frames / shot.timing.fps
    for item in shot.fields:
        if not item.on:
            continue
        own = [c for c in grid if c.field == item.name and c.targeted]
        if item.effect.kind != "anchor" and item.cue.time >= end:
            out.append(Finding("cue-late", "check", "drive", item.name, f"{item.name} acts at {item.cue.time:g} s, after the last frame at {end:g} s.", "Move the cue earlier or add frames"))
        if not sum(c.pieces for c in own):
            out.append(Finding("reaches-nothing", "check", "drive", item.name, f"{item.name} reaches no piece of its targets.", "Move or widen its reach"))
        elif isinstance(item.effect, StrainEffect) and not any(c.bonds for c in own):
            out.append(Finding("strains-nothing", "check", "drive", item.name, f"{item.name} reaches pieces but no bond, so it can break nothing.", "Give its targets bonds, or widen its reach"))
        elif isinstance(item.effect, StrainEffect) and not any(c.breaks for c in own):
            top, low = max(c.load_top for c in own), min(c.strength_low for c in own if c.bonds)
            out.append(Finding("too-weak", "check", "drive", item.name, f"{item.name} lays at most {top:.0f} kN on bonds of at least {low:.0f} kN: nothing will break.", "Raise the load or weaken the bonds"))
    return out


def _bodies(shot: Shot, built: list[Pieces]) -> list[Finding]:
    out: list[Finding] = []
    seen: set[str] = set()
    for index, (body, pieces) in enumerate(zip(shot.bodies, built, strict=True)):
        if body.role != "active" or body.column in seen:
            continue
        seen.add(body.column)
        if body.load_path == "fail":
            load, strength = weight_loads(shot, built, index)
            over = int((load > strength).sum())
            if over:
                worst = float((load / np.maximum(strength, 1e-9)).max())
                out.append(Finding("overloaded", "check", "bind", body.column, f"{body.column} cannot carry itself: {over} bonds are loaded by its own weight beyond their strength, at worst {worst:.1f} times. It starts to break at once.", "Strengthen its bonds, or anchor more of it"))
        if body.pattern is not None and body.bonds is None and body.release.kind in ("start", "intact"):
            out.append(Finding("no-bonds", "check", "bind", body.column, f"{body.column} is broken into {pieces.count} pieces without bonds: they are loose from the first frame.", "Add bonds"))
        if shot.ground.on:
            low = float((pieces.vertices @ rotation_matrix(body.place.rotation).T)[:, 1].min()) + body.place.position[1]
            size = float(np.cbrt(pieces.volume.sum()))
            if low < shot.ground.height - 0.02 * size:
                out.append(Finding("below-ground", "check", "build", body.column, f"{body.name} reaches {shot.ground.height - low:.2f} m below the ground and will be pushed out.", "Lift it onto the ground"))
    return out
