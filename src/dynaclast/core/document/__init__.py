"""The shot document: one JSON object that says everything a bake needs.

Metres, kilograms, seconds; y up, right-handed. Angles are quaternions or radians; loads and strengths are given in kN.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any, Literal

from pydantic import BaseModel, Field, ValidationError, model_validator

from ..errors import DocumentError
from .base import Finite, Name, Part, Seed, Share, Vec3
from .bodies import (
    Body,
    GridLayout,
    Group,
    Layout,
    LineLayout,
    Look,
    Material,
    Place,
    RingLayout,
    SurfaceScatter,
    VolumeScatter,
)
from .channels import checked, number_at, set_number
from .cues import AtCue, Cue, HandCue, ImpactCue, PulseCue, SpanCue, Stagger
from .falloffs import (
    BoxReach,
    CapsuleReach,
    ConeReach,
    CylinderReach,
    DelayReach,
    EverywhereReach,
    ExpressionReach,
    Falloff,
    HoldReach,
    ImageReach,
    Layer,
    LayerShape,
    MeshReach,
    NoiseReach,
    PaintedReach,
    PiecesReach,
    PlaneReach,
    ReachShape,
    SharedFalloff,
    SoundReach,
    SphereReach,
    Stack,
    Standing,
    StillFalloff,
    Stroke,
    TorusReach,
    TrailReach,
    not_still,
)
from .fields import (
    OVER_TIME,
    AnchorEffect,
    AttractorEffect,
    BurstEffect,
    DisplaceEffect,
    DragEffect,
    Effect,
    FieldItem,
    GravityEffect,
    KillEffect,
    PathTravel,
    PushEffect,
    RideTravel,
    RoundTravel,
    SpinEffect,
    StrainEffect,
    TurbulenceEffect,
    VortexEffect,
    WindEffect,
)
from .maps import Ramp, WeightMap
from .matter import ClothMatter, Matter, Opening, Pins, Recall, RigidMatter, RopeMatter, SoftMatter, VertexWeight
from .motion import Channel, Motion, NumberKey, PlaceKey
from .patterns import (
    AllPieces,
    Bonds,
    BreakStep,
    BricksPattern,
    CellsPattern,
    Choice,
    ChunksPattern,
    Crowd,
    CutPattern,
    FacesPattern,
    LargerPieces,
    ListedPieces,
    Pattern,
    PiecesInReach,
    RadialPattern,
    Release,
    ReleaseCue,
    ReleaseIntact,
    ReleaseStart,
    ReleaseTouch,
    Roughness,
    SlabsPattern,
    SplintersPattern,
    StrengthReach,
)
from .shapes import (
    AssetShape,
    BoxShape,
    ConeShape,
    CylinderShape,
    Decimate,
    DisplaceMesh,
    FalloffShape,
    FileShape,
    FillHoles,
    LineShape,
    MakeSolid,
    MeshShape,
    MeshStep,
    ScaleMesh,
    Shape,
    SheetShape,
    SphereShape,
    Subdivide,
    TorusShape,
    TubeShape,
    Unify,
    Weld,
)
from .ties import HingeTie, PinTie, SewnTie, StringTie, Tie, TieKind, WeldTie

VERSION = 1


class Timing(Part):
    fps: float = Field(24.0, ge=1, le=240, description="frames a second")
    frames: int = Field(240, ge=1, le=2000, description="frames computed after the opening pose")


class Ground(Part):
    """The solid ground plane."""

    on: bool = Field(True, description="whether there is ground")
    height: Finite = Field(0.0, description="[m]")
    friction: float = Field(0.7, ge=0, le=5, description="of the ground, mixed with that of what touches it")
    bounce: Share = Field(0.05, description="share of the speed kept by a hit on the ground")


class Limits(Part):
    """Where a run is kept from running away; an event tells when one acts."""

    speed: float = Field(500.0, gt=0, le=1e5, description="fastest a piece may go [m/s]")
    spin: float = Field(200.0, gt=0, le=1e4, description="fastest it may turn [rad/s]")


class Shot(Part):
    """One scene: bodies, fields, time, and how carefully to compute."""

    version: Literal[1] = Field(1, description="of the document's form")
    name: Name = Field("Untitled shot", description="of the shot")
    note: str = Field("", max_length=400, description="what it is for, in a line or two")
    timing: Timing = Field(default_factory=Timing, description="frames, and frames a second")
    quality: Literal["draft", "standard", "fine"] = Field(
        "standard", description="draft to look, fine for steep piles and thin things"
    )
    gravity: Vec3 = Field((0.0, -9.81, 0.0), description="[m/s2]")
    ground: Ground = Field(default_factory=Ground, description="the plane everything falls on")
    seed: Seed = Field(1, description="of all that is drawn at random and has no seed of its own")
    bodies: list[Body] = Field(default_factory=list, max_length=2000, description="what is there, once each")
    groups: list[Group] = Field(default_factory=list, max_length=200, description="many bodies made from one")
    ties: list[Tie] = Field(
        default_factory=list, max_length=500, description="what joins bodies to each other or to the world"
    )
    fields: list[FieldItem] = Field(default_factory=list, max_length=200, description="what happens, where and when")
    falloffs: list[SharedFalloff] = Field(
        default_factory=list, max_length=200, description="falloffs with names, for many users"
    )
    maps: list[WeightMap] = Field(
        default_factory=list, max_length=32, description="numbers on pieces by a falloff, kept with every frame"
    )
    limits: Limits = Field(default_factory=Limits, description="speeds above which things are held back")

    @model_validator(mode="after")
    def _names(self) -> Shot:
        parts: tuple[tuple[str, list[Any]], ...] = (
            ("bodies and groups", [*self.bodies, *self.groups]),
            ("fields", self.fields),
            ("ties", self.ties),
            ("falloffs", self.falloffs),
            ("maps", self.maps),
        )
        for kind, items in parts:
            seen: set[str] = set()
            for item in items:
                if item.name in seen:
                    raise ValueError(f"{kind}: the name '{item.name}' is used twice; names must differ")
                seen.add(item.name)
        known = {b.name for b in self.bodies} | {g.name for g in self.groups}
        for row, field in enumerate(self.fields):
            if field.targets != "all":
                for name in field.targets:
                    if name not in known:
                        raise ValueError(f"fields[{row}].targets: there is no body or group named '{name}'")
        alone = {body.name for body in self.bodies}
        for row, tie in enumerate(self.ties):
            for key, end in (("body", tie.body), ("to", tie.to)):
                if end is not None and end not in alone:
                    raise ValueError(f"ties[{row}].{key}: there is no body named '{end}'")
        _check_references(self)
        for row, group in enumerate(self.groups):
            over = group.layout.body if isinstance(group.layout, SurfaceScatter) else None
            if over is not None and over not in alone:
                raise ValueError(f"groups[{row}].layout.body: there is no body named '{over}'")
        return self


def _check_references(shot: Shot) -> None:
    """What fields and falloffs name must be there, and what channels set must be a number that may be so."""
    columns = {b.name for b in shot.bodies} | {g.name for g in shot.groups}
    roles = {body.name: body.role for body in shot.bodies}
    shared = {f.name for f in shot.falloffs}
    names = {f.name for f in shot.fields}

    def body(where: str, name: str | None, animated: bool = False) -> None:
        if name is not None and name not in (roles if animated else columns):
            raise ValueError(f"{where}: there is no body named '{name}'")
        if animated and name is not None and roles[name] != "animated":
            raise ValueError(f"{where}: '{name}' is not animated")

    deforms = {b.name for b in shot.bodies if b.deforms} | {g.name for g in shot.groups if g.body.deforms}

    ropes = {b.name for b in shot.bodies if b.matter.kind == "rope"}
    ropes |= {g.name for g in shot.groups if g.body.matter.kind == "rope"}

    def surface(where: str, name: str | None) -> None:
        body(where, name)
        if name in ropes:
            raise ValueError(f"{where}: '{name}' is a rope, which has no surface; take its vertices (shape 'pieces')")

    def stack(where: str, layers: list[Layer]) -> None:
        for k, layer in enumerate(layers):
            shape = layer.shape
            body(f"{where}.layers[{k}].shape.ride", getattr(shape, "ride", None))
            (surface if shape.kind == "mesh" else body)(f"{where}.layers[{k}].shape.body", getattr(shape, "body", None))

    for row, item in enumerate(shot.fields):
        at = f"fields[{row}]"
        if item.reach.use is not None and item.reach.use not in shared:
            raise ValueError(f"{at}.reach.use: there is no falloff named '{item.reach.use}'")
        stack(f"{at}.reach", item.reach.layers)
        body(f"{at}.effect.carrier", getattr(item.effect, "carrier", None), animated=True)
        surface(f"{at}.effect.body", getattr(item.effect, "body", None))
        body(f"{at}.travel.body", getattr(item.travel, "body", None))
        if item.aim is not None and (item.aim == item.name or item.aim not in columns | names):
            raise ValueError(f"{at}.aim: there is no other field or body named '{item.aim}'")
        if isinstance(item.cue, ImpactCue):
            for name in item.cue.bodies or []:
                body(f"{at}.cue.bodies", name)
        _check_channels(at, item)
    for row, falloff in enumerate(shot.falloffs):
        stack(f"falloffs[{row}]", falloff.layers)
        _check_channels(f"falloffs[{row}]", falloff)
    for kind, items in (("bodies", shot.bodies), ("groups", [g.body for g in shot.groups])):
        for row, one in enumerate(items):
            holding: list[tuple[str, Sequence[Pins | Recall]]] = [("pins", one.pins), ("recall", one.recall)]
            for part, holds in holding:
                for k, hold in enumerate(holds):
                    at = f"{kind}[{row}]{'.body' if kind == 'groups' else ''}.{part}[{k}].to"
                    if hold.to is not None and hold.to not in roles:
                        raise ValueError(f"{at}: there is no body named '{hold.to}'")
                    if hold.to in deforms:
                        raise ValueError(f"{at}: '{hold.to}' deforms itself; tie the two by a tie")
    for row, tie in enumerate(shot.ties):
        soft = tie.body in deforms or tie.to in deforms
        if soft and tie.how.kind not in ("pin", "sewn"):
            raise ValueError(f"ties[{row}].how: a body that deforms is tied by a pin, or sewn, not by a {tie.how.kind}")
        if not soft and tie.how.kind == "sewn":
            raise ValueError(f"ties[{row}].how: only bodies that deform are sewn; tie rigid ones by a pin or a weld")
    for row, chart in enumerate(shot.maps):
        if chart.reach.use is not None and chart.reach.use not in shared:
            raise ValueError(f"maps[{row}].reach.use: there is no falloff named '{chart.reach.use}'")
        stack(f"maps[{row}].reach", chart.reach.layers)
        for name in chart.targets if chart.targets != "all" else []:
            if name not in columns:
                raise ValueError(f"maps[{row}].targets: there is no body or group named '{name}'")
    for kind, items in (("bodies", shot.bodies), ("groups", [g.body for g in shot.groups])):
        for row, one in enumerate(items):
            if one.channels:
                _check_channels(f"{kind}[{row}]{'.body' if kind == 'groups' else ''}", one)
    layers = {f.name: f.layers for f in shot.falloffs}
    users: list[tuple[str, list[Part]]] = [
        ("bodies", [*shot.bodies]),
        ("groups", [g.body for g in shot.groups]),
        ("ties", [*shot.ties]),
    ]
    for kind, parts in users:
        for row, user in enumerate(parts):
            for place, still in still_falloffs(user):
                if still.use is None:
                    continue
                at = f"{kind}[{row}]{'.body' if kind == 'groups' else ''}.{place}.use"
                if still.use not in layers:
                    raise ValueError(f"{at}: there is no falloff named '{still.use}'")
                if (problem := not_still(layers[still.use])) is not None:
                    raise ValueError(f"{at}: '{still.use}' cannot be used here: {problem}")


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


_UNIONS = {
    "shape",
    "pattern",
    "effect",
    "of",
    "layout",
    "release",
    "guide",
    "inside",
    "steps",
    "how",
    "cue",
    "travel",
    "matter",
}
"""Keys whose value is one of several kinds: in pydantic's places the kind follows them, and is no key of the
document.
"""


def place_of(loc: tuple[Any, ...]) -> str:
    """Where in a document a validation error is, such as ``bodies[0].shape.size[1]``."""
    text, key = "", ""
    for part in loc:
        if isinstance(part, int):
            text += f"[{part}]"
        elif key in _UNIONS or "[" in str(part) or "-" in str(part):
            key = ""
        else:
            text += f".{part}" if text else str(part)
            key = str(part)
    return text


def sentence_of(error: Any) -> str:
    """A validation error in words."""
    kind, given, ctx = error["type"], error.get("input"), error.get("ctx", {})
    shown = json.dumps(given, default=str)
    shown = shown if len(shown) <= 60 else shown[:57] + "..."
    if kind == "missing":
        return "is missing"
    if kind == "extra_forbidden":
        return "is not a key of the shot document; see `./dynaclast schema`"
    if kind == "value_error":
        return str(ctx.get("error", error["msg"]))
    if kind == "union_tag_not_found":
        return "needs a 'kind'"
    text = error["msg"][:1].lower() + error["msg"][1:]
    return f"{text}, got {shown}"


def parse(data: Any) -> Shot:
    """Check a decoded JSON value and give the shot.

    Raises DocumentError with one (where, sentence) per problem.
    """
    if not isinstance(data, dict):
        raise DocumentError([("", f"a shot document is a JSON object, got {type(data).__name__}")])
    version = data.get("version", VERSION)
    if version != VERSION:
        raise DocumentError([("version", f"this program reads version {VERSION}, the document says {version!r}")])
    try:
        return Shot.model_validate(data)
    except ValidationError as exc:
        raise DocumentError([(place_of(e["loc"]), sentence_of(e)) for e in exc.errors()]) from None


def parse_json(text: str | bytes) -> Shot:
    """Like ``parse``, from JSON text."""
    try:
        data = json.loads(text)
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError) as exc:
        raise DocumentError([("", f"not valid JSON: {exc}")]) from None
    return parse(data)


def completed(data: dict[str, Any]) -> dict[str, Any]:
    """A document as it is kept, with what an older program had no word for as its default, and its old words as ours.

    Raises DocumentError where it is none.
    """
    return dump(parse(data))


def dump(shot: Shot) -> dict[str, Any]:
    """The shot as plain JSON values."""
    return shot.model_dump(mode="json")


def schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of the shot document."""
    out = Shot.model_json_schema()
    out["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    out["title"] = "Dynaclast shot document"
    return out


__all__ = [
    "AllPieces",
    "AnchorEffect",
    "AssetShape",
    "AtCue",
    "AttractorEffect",
    "Body",
    "Bonds",
    "BoxReach",
    "BoxShape",
    "BreakStep",
    "BricksPattern",
    "BurstEffect",
    "CapsuleReach",
    "CellsPattern",
    "Channel",
    "Choice",
    "ClothMatter",
    "ChunksPattern",
    "ConeReach",
    "ConeShape",
    "Crowd",
    "Cue",
    "CutPattern",
    "CylinderReach",
    "CylinderShape",
    "Decimate",
    "DelayReach",
    "DisplaceEffect",
    "DisplaceMesh",
    "DragEffect",
    "Effect",
    "EverywhereReach",
    "ExpressionReach",
    "FacesPattern",
    "Falloff",
    "FalloffShape",
    "FieldItem",
    "FileShape",
    "FillHoles",
    "Finite",
    "GravityEffect",
    "GridLayout",
    "Ground",
    "Group",
    "HandCue",
    "HingeTie",
    "HoldReach",
    "ImageReach",
    "ImpactCue",
    "KillEffect",
    "LargerPieces",
    "Layer",
    "LayerShape",
    "Layout",
    "Limits",
    "LineLayout",
    "LineShape",
    "ListedPieces",
    "Look",
    "MakeSolid",
    "Material",
    "Matter",
    "MeshReach",
    "MeshShape",
    "MeshStep",
    "Motion",
    "Name",
    "NoiseReach",
    "NumberKey",
    "OVER_TIME",
    "Opening",
    "PaintedReach",
    "Part",
    "PathTravel",
    "Pattern",
    "PiecesInReach",
    "PiecesReach",
    "PinTie",
    "Pins",
    "Place",
    "PlaceKey",
    "PlaneReach",
    "PulseCue",
    "PushEffect",
    "RadialPattern",
    "Ramp",
    "ReachShape",
    "Recall",
    "Release",
    "ReleaseCue",
    "ReleaseIntact",
    "ReleaseStart",
    "ReleaseTouch",
    "RideTravel",
    "RigidMatter",
    "RingLayout",
    "RopeMatter",
    "Roughness",
    "RoundTravel",
    "ScaleMesh",
    "Seed",
    "Shape",
    "Share",
    "SewnTie",
    "SharedFalloff",
    "SheetShape",
    "Shot",
    "SlabsPattern",
    "SoftMatter",
    "SoundReach",
    "SpanCue",
    "SphereReach",
    "SphereShape",
    "SpinEffect",
    "SplintersPattern",
    "Stack",
    "Stagger",
    "Standing",
    "StillFalloff",
    "StrainEffect",
    "StrengthReach",
    "StringTie",
    "Stroke",
    "Subdivide",
    "SurfaceScatter",
    "Tie",
    "TieKind",
    "Timing",
    "TorusReach",
    "TorusShape",
    "TrailReach",
    "TubeShape",
    "TurbulenceEffect",
    "Unify",
    "VERSION",
    "Vec3",
    "VertexWeight",
    "VolumeScatter",
    "VortexEffect",
    "WeightMap",
    "Weld",
    "VertexWeight",
    "WeldTie",
    "WindEffect",
    "checked",
    "completed",
    "dump",
    "not_still",
    "number_at",
    "parse",
    "parse_json",
    "place_of",
    "schema",
    "sentence_of",
    "set_number",
    "still_falloffs",
]
