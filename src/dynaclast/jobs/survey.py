"""What a shot contains before a run, and what its fields would do: reach counts, findings, arrows, maps.

Bodies that are built are known by the name of their drawing from then on, also after a restart.
"""

from __future__ import annotations

import hashlib
from collections.abc import Hashable
from dataclasses import asdict
from typing import Any

import numpy as np

from ..core.document import Body, FieldItem, Shot, WeightMap
from ..core.errors import DynaclastError
from ..core.falloff import EvaluationContext, value
from ..core.falloff.weights import weights_at
from ..core.fields.pose import pose_of
from ..core.fracture.build import content_key
from ..core.fracture.deforming import Surface, drawn_surface, surface_key
from ..core.fracture.display import drawing_key
from ..core.fracture.pieces import Pieces
from ..core.layout import members, with_shared
from ..core.preflight import Finding, preflight
from ..core.preflight.path_loads import path_loads
from ..core.preflight.pressure import wind_pressures
from ..core.preflight.reach import (
    arrows,
    arrows_over,
    crossings,
    lay_out,
    lay_out_vertices,
    map_on_vertices,
    maps_at,
    on_pieces,
    pinned_vertices,
    reach_on_vertices,
    with_vertices,
)
from ..core.preflight.still import StillWorld
from ..core.remembered import Remembered
from ..core.solve.collision import HullShop
from ..core.timeline.channels import Keyed, shared_at
from .builds import Build, Builds

AT_ONCE = 0.4
"""Seconds a build may take to be answered in the same request."""
PATIENCE = 3600.0
"""Seconds a build may take where its pieces are needed."""
MOST_BYTES = 200_000_000
"""Of surfaces of bodies that deform, remembered."""


def _bytes_of(_key: Hashable, surface: Surface) -> int:
    own = surface.vertices.nbytes + surface.faces.nbytes + surface.lines.nbytes
    return own + (0 if surface.pieces is None else sum(x.nbytes for x in surface.pieces.arrays().values()))


def drawing_name(body: Body) -> str:
    """What names a body's drawing: its pieces and how their cut faces look."""
    if body.deforms:
        return surface_key(body)
    look = drawing_key(body)
    return content_key(body) + ("-" + hashlib.sha256(look.encode()).hexdigest()[:12] if look else "")


class Surveyor:
    """Looks at shots, by pieces that are built or being built."""

    def __init__(self, builds: Builds, hulls: HullShop) -> None:
        self._builds, self._hulls = builds, hulls
        self._surfaces: Remembered[Surface] = Remembered(MOST_BYTES, _bytes_of)

    # ----------------------------------------------------------------------------- bodies

    def ask(self, body: Body, patience: float = AT_ONCE) -> Pieces | Build:
        """The body's pieces, or its build under way. Raises what the build raised."""
        if body.deforms:
            self.surface(body)
        got = self._builds.ask(body, patience)
        if not isinstance(got, Build):
            self._builds.cache.remember_drawings({drawing_name(body): body})
        return got

    def built(self, body: Body) -> Pieces:
        """The body's pieces, however long they take."""
        got = self.ask(body, PATIENCE)
        while isinstance(got, Build):
            got = self.ask(body, PATIENCE)
        return got

    def surface(self, body: Body) -> Surface:
        """What is drawn of a body that deforms. Raises what making it raised."""
        key = surface_key(body)
        known = self._surfaces.get(key)
        return known if known is not None else self._surfaces.put(key, drawn_surface(body, self._builds.cache.resolve))

    def body_of(self, drawing: str) -> Body:
        """The body that a drawing is of. Raises NotFound."""
        return self._builds.cache.drawn_body(drawing)

    def make_fetchable(self, shot: Shot) -> None:
        """Make sure the pieces of all bodies of a shot can be fetched."""
        shot = with_shared(shot)
        for body in [*shot.bodies, *(g.body for g in shot.groups)]:
            self.built(body)

    # ----------------------------------------------------------------------------- survey

    def survey(self, shot: Shot, frame: int, field: str | None, weighs: str = "", shows: str = "") -> dict[str, Any]:
        """Reach grid, preflight and per-piece reach of a shot at a frame; the arrows of a field, what is weighed of a
        body, a map on vertices.

        Bodies still being built are left out, and a field whose falloff cannot be worked out says so instead of
        reaching anything.
        """
        whole, pieces, bad = self._what_is_built(with_shared(shot))
        world = StillWorld(whole, pieces, surface_of=self.surface)
        good, wrong = _fields_that_work(whole, world)
        whole = whole.model_copy(update={"fields": good, "maps": _maps_that_work(whole, world)})
        at = lay_out(whole, pieces, frame / whole.timing.fps, self.surface)
        findings = bad + wrong
        if whole.bodies or not bad:
            findings += preflight(whole, pieces, self._hulls, self.surface)
        keyed = Keyed(whole.fields).at(at.evaluation.time)
        on = on_pieces(at)
        values = {item.name: on.reach_of(item).round(3).tolist() for item in keyed}
        poses = {f.name: pose_of(f, at.evaluation) for f in keyed if f.travel is not None or f.aim is not None}
        pulls = arrows(whole, at, field) if field else None
        vertices = lay_out_vertices(whole, self.surface)
        none = np.zeros((0, 3))
        over, spread = arrows_over(whole, pieces, at, vertices, field) if field else (none, none)
        chosen = next((item for item in keyed if item.name == field), None)
        near = reach_on_vertices(chosen, at, vertices) if chosen else {}
        presses = wind_pressures(whole, chosen, at, vertices, self.surface) if chosen else {}
        pinned = pinned_vertices(whole, at, vertices)
        maps = maps_at(whole, at).items()
        mapped = map_on_vertices(whole, shows, at, vertices)
        weighed = next((b for b in whole.bodies if b.name == weighs and b.name in vertices.rest), None)
        weights = weights_at(weighed, vertices.rest[weighs], at.evaluation) if weighed else {}
        return {
            "crossings": [asdict(c) for c in with_vertices(crossings(whole, pieces, at), keyed, at, vertices)],
            "findings": [asdict(f) for f in findings],
            "values": values,
            "bodies": [[b.name, p.count] for b, p in zip(whole.bodies, pieces, strict=True)],
            "vertices": {
                name: {
                    "count": len(held),
                    "pinned": np.flatnonzero(held).tolist(),
                    "reach": near[name].round(3).tolist() if name in near else [],
                    **_mapped(mapped.get(name)),
                    "pressure": presses[name].round(2).tolist() if name in presses else [],
                }
                for name, held in pinned.items()
            },
            "weights": {name: v.round(3).tolist() for name, v in weights.items()},
            "loads": [asdict(x) for x in path_loads(whole, pieces, at, chosen)] if chosen else [],
            "maps": {
                name: {
                    "values": v.round(3).tolist(),
                    "tint": [] if c is None else np.rint(255 * c).astype(int).tolist(),
                }
                for name, (v, c) in maps
            },
            "arrows": [] if pulls is None else pulls.round(4).tolist(),
            "spread": np.hstack([over, spread]).round(4).tolist(),
            "stands": {
                name: {"turn": pose.rotation.ravel().tolist(), "shift": pose.shift.tolist()}
                for name, pose in poses.items()
            },
        }

    def _what_is_built(self, shot: Shot) -> tuple[Shot, list[Pieces], list[Finding]]:
        """The shot with groups written out and only what could be built, its pieces, and a finding for the rest."""
        bad: list[Finding] = []
        good = shot.model_copy(update={"bodies": [], "groups": []})
        made: dict[str, Pieces] = {}
        drawn: dict[str, Body] = {}

        def usable(body: Body, name: str) -> bool:
            try:
                if body.deforms:
                    self.surface(body)
                got = self._builds.ask(body, AT_ONCE)
            except DynaclastError as exc:
                step = "break" if exc.where.startswith(("pattern", "breaks")) else "build"
                remedy = "Change the break" if step == "break" else "Mend or replace its mesh"
                bad.append(Finding("unusable", "stop", step, name, _sentence(exc), remedy))
                return False
            if isinstance(got, Build):
                return False
            made[content_key(body)] = got
            drawn[drawing_name(body)] = body
            return True

        good.bodies.extend(b for b in shot.bodies if usable(b, b.name))
        for group in shot.groups:
            if not usable(group.body, group.name):
                continue
            try:
                good.bodies.extend(members(group, shot, self._builds.cache.resolve))
            except DynaclastError as exc:
                bad.append(Finding("no-room", "stop", "build", group.name, _sentence(exc), "Change its layout"))
        self._builds.cache.remember_drawings(drawn)
        return good, [made[content_key(b)].scaled(b.factor) for b in good.bodies], bad


def _mapped(found: tuple[np.ndarray, np.ndarray | None] | None) -> dict[str, Any]:
    """A map at vertices, as it is sent: values, and colours as three bytes each."""
    values, tint = found if found is not None else (np.zeros(0), None)
    return {
        "map": values.round(3).tolist(),
        "tint": [] if tint is None else np.rint(255 * tint).astype(int).ravel().tolist(),
    }


def _sentence(exc: DynaclastError) -> str:
    return exc.message[:1].upper() + exc.message[1:] + "."


def _fields_that_work(shot: Shot, world: StillWorld) -> tuple[list[FieldItem], list[Finding]]:
    """Fields whose falloffs can be asked, and a finding for each other: a damaged picture, a body that is not built."""
    good: list[FieldItem] = []
    bad: list[Finding] = []
    context = EvaluationContext(shared=shared_at(shot.falloffs, 0.0), world=world)
    for item in shot.fields:
        try:
            value(item.reach, np.zeros((1, 3)), context)
            good.append(item)
        except (DynaclastError, KeyError) as exc:
            said = exc.message if isinstance(exc, DynaclastError) else "it asks for a body that is not there yet"
            sentence = f"{item.name} cannot be worked out: {said}."
            bad.append(Finding("bad-falloff", "stop", "drive", item.name, sentence, "Change its reach"))
    return good, bad


def _maps_that_work(shot: Shot, world: StillWorld) -> list[WeightMap]:
    """Maps whose falloffs can be asked; the others say so in their own inspector by having no values."""
    context = EvaluationContext(shared=shared_at(shot.falloffs, 0.0), world=world)
    out = []
    for m in shot.maps:
        try:
            value(m.reach, np.zeros((1, 3)), context)
            out.append(m)
        except (DynaclastError, KeyError):
            continue
    return out
