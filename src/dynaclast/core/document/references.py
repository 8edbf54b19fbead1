"""What one part of a shot document says of another: names must be there, and of a kind that will do."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, Any

from .base import Part
from .bodies import Body, SurfaceScatter
from .channels import checked
from .cues import ImpactCue
from .falloffs import Layer, SharedFalloff, StillFalloff, not_still
from .fields import FieldItem
from .matter import Pins, Recall
from .ties import Tie

if TYPE_CHECKING:
    from .shot import Shot


def check_references(shot: Shot) -> None:
    """Raise ValueError, naming place and name, where a part names what is not there or will not do."""
    _different_names(shot)
    References(shot).check()


def _different_names(shot: Shot) -> None:
    parts: tuple[tuple[str, Sequence[Any]], ...] = (
        ("bodies and groups", [*shot.bodies, *shot.groups]),
        ("fields", shot.fields),
        ("ties", shot.ties),
        ("falloffs", shot.falloffs),
        ("maps", shot.maps),
    )
    for kind, items in parts:
        seen: set[str] = set()
        for item in items:
            if item.name in seen:
                raise ValueError(f"{kind}: the name '{item.name}' is used twice; names must differ")
            seen.add(item.name)


class References:
    """The names of a shot, by what they are of."""

    def __init__(self, shot: Shot) -> None:
        self._shot = shot
        whole: list[tuple[str, Body]] = [(b.name, b) for b in shot.bodies]
        whole += [(g.name, g.body) for g in shot.groups]
        self._columns = {name for name, _ in whole}
        self._roles = {body.name: body.role for body in shot.bodies}
        self._deform = {name for name, body in whole if body.deforms}
        self._ropes = {name for name, body in whole if body.matter.kind == "rope"}
        self._falloffs = {f.name: f.layers for f in shot.falloffs}

    def check(self) -> None:
        self._targets()
        self._tied()
        for row, item in enumerate(self._shot.fields):
            self._field(f"fields[{row}]", item)
        for row, falloff in enumerate(self._shot.falloffs):
            self._layers(f"falloffs[{row}]", falloff.layers)
            _check_channels(f"falloffs[{row}]", falloff)
        for at, body in self._bodies():
            self._held(f"{at}.pins", body.pins)
            self._held(f"{at}.recall", body.recall)
        self._ties()
        self._maps()
        for at, body in self._bodies():
            if body.channels:
                _check_channels(at, body)
        self._still()
        self._layouts()

    def _bodies(self) -> Iterator[tuple[str, Body]]:
        """Bodies and those that groups are made of, each with its place in the document."""
        for row, body in enumerate(self._shot.bodies):
            yield f"bodies[{row}]", body
        for row, group in enumerate(self._shot.groups):
            yield f"groups[{row}].body", group.body

    # ------------------------------------------------------------------------------- names

    def _thing(self, where: str, name: str | None) -> None:
        """A body or a group."""
        if name is not None and name not in self._columns:
            raise ValueError(f"{where}: there is no body named '{name}'")

    def _animated(self, where: str, name: str | None) -> None:
        if name is None:
            return
        if name not in self._roles:
            raise ValueError(f"{where}: there is no body named '{name}'")
        if self._roles[name] != "animated":
            raise ValueError(f"{where}: '{name}' is not animated")

    def _surface(self, where: str, name: str | None) -> None:
        """One that has a surface."""
        self._thing(where, name)
        if name in self._ropes:
            raise ValueError(f"{where}: '{name}' is a rope, which has no surface; take its vertices (shape 'pieces')")

    def _layers(self, where: str, layers: list[Layer]) -> None:
        for k, layer in enumerate(layers):
            shape, at = layer.shape, f"{where}.layers[{k}].shape"
            self._thing(f"{at}.ride", getattr(shape, "ride", None))
            named = self._surface if shape.kind == "mesh" else self._thing
            named(f"{at}.body", getattr(shape, "body", None))

    def _used(self, where: str, use: str | None) -> None:
        if use is not None and use not in self._falloffs:
            raise ValueError(f"{where}.use: there is no falloff named '{use}'")

    # ------------------------------------------------------------------------------- parts

    def _targets(self) -> None:
        for row, item in enumerate(self._shot.fields):
            for name in item.targets if item.targets != "all" else []:
                if name not in self._columns:
                    raise ValueError(f"fields[{row}].targets: there is no body or group named '{name}'")

    def _tied(self) -> None:
        for row, tie in enumerate(self._shot.ties):
            for key, end in (("body", tie.body), ("to", tie.to)):
                if end is not None and end not in self._roles:
                    raise ValueError(f"ties[{row}].{key}: there is no body named '{end}'")

    def _field(self, at: str, item: FieldItem) -> None:
        self._used(f"{at}.reach", item.reach.use)
        self._layers(f"{at}.reach", item.reach.layers)
        self._animated(f"{at}.effect.carrier", getattr(item.effect, "carrier", None))
        self._surface(f"{at}.effect.body", getattr(item.effect, "body", None))
        self._thing(f"{at}.travel.body", getattr(item.travel, "body", None))
        others = self._columns | {f.name for f in self._shot.fields}
        if item.aim is not None and (item.aim == item.name or item.aim not in others):
            raise ValueError(f"{at}.aim: there is no other field or body named '{item.aim}'")
        if isinstance(item.cue, ImpactCue):
            for name in item.cue.bodies or []:
                self._thing(f"{at}.cue.bodies", name)
        _check_channels(at, item)

    def _held(self, where: str, holds: Sequence[Pins | Recall]) -> None:
        for k, hold in enumerate(holds):
            if hold.to is not None and hold.to not in self._roles:
                raise ValueError(f"{where}[{k}].to: there is no body named '{hold.to}'")
            if hold.to in self._deform:
                raise ValueError(f"{where}[{k}].to: '{hold.to}' deforms itself; tie the two by a tie")

    def _ties(self) -> None:
        for row, tie in enumerate(self._shot.ties):
            soft, how = tie.body in self._deform or tie.to in self._deform, tie.how.kind
            if soft and how not in ("pin", "sewn") and not (how == "weld" and self._clamps(tie)):
                raise ValueError(
                    f"ties[{row}].how: a body that deforms is tied by a pin, or sewn, and a rope welded to what does "
                    f"not deform; not by a {how} here"
                )
            if not soft and how == "sewn":
                raise ValueError(
                    f"ties[{row}].how: only bodies that deform are sewn; tie rigid ones by a pin or a weld"
                )

    def _clamps(self, tie: Tie) -> bool:
        """Whether a tie holds a rope to the world, or to what does not deform."""
        ends = {tie.body, tie.to}
        return len(ends & self._ropes) == 1 and len(ends & self._deform) == 1

    def _maps(self) -> None:
        for row, chart in enumerate(self._shot.maps):
            self._used(f"maps[{row}].reach", chart.reach.use)
            self._layers(f"maps[{row}].reach", chart.reach.layers)
            for name in chart.targets if chart.targets != "all" else []:
                if name not in self._columns:
                    raise ValueError(f"maps[{row}].targets: there is no body or group named '{name}'")

    def _still(self) -> None:
        """Falloffs that bodies and ties use need no run."""
        users: list[tuple[str, Part]] = [*self._bodies()]
        users += [(f"ties[{row}]", tie) for row, tie in enumerate(self._shot.ties)]
        for at, user in users:
            for place, still in still_falloffs(user):
                if still.use is None:
                    continue
                self._used(f"{at}.{place}", still.use)
                if (problem := not_still(self._falloffs[still.use])) is not None:
                    raise ValueError(f"{at}.{place}.use: '{still.use}' cannot be used here: {problem}")

    def _layouts(self) -> None:
        for row, group in enumerate(self._shot.groups):
            over = group.layout.body if isinstance(group.layout, SurfaceScatter) else None
            if over is not None and over not in self._roles:
                raise ValueError(f"groups[{row}].layout.body: there is no body named '{over}'")


def still_falloffs(part: Part, place: str = "") -> list[tuple[str, StillFalloff]]:
    """Falloffs of a body that need no run, each with where it is."""
    out: list[tuple[str, StillFalloff]] = []
    for key in type(part).model_fields:
        found = getattr(part, key)
        here = f"{place}.{key}" if place else key
        if isinstance(found, StillFalloff):
            out.append((here, found))
        elif isinstance(found, Part):
            out.extend(still_falloffs(found, here))
        elif isinstance(found, list):
            for k, one in enumerate(found):
                if isinstance(one, Part):
                    out.extend(still_falloffs(one, f"{here}[{k}]"))
    return out


def _check_channels(where: str, part: FieldItem | SharedFalloff | Body) -> None:
    seen: set[str] = set()
    keys = {c.of: [(key.time, key.value) for key in c.keys] for c in part.channels}
    for k, channel in enumerate(part.channels):
        if channel.of in seen:
            raise ValueError(f"{where}.channels[{k}]: '{channel.of}' has a channel already")
        seen.add(channel.of)
        try:
            vector, _, place = channel.of.rpartition(".")
            beside = {p: keys[p] for c in "012" if place in "012" and (p := f"{vector}.{c}") in keys and c != place}
            checked(part.model_copy(update={"channels": []}), channel.of, keys[channel.of], beside)
        except ValueError as exc:
            raise ValueError(f"{where}.channels[{k}].of: {exc}") from None
