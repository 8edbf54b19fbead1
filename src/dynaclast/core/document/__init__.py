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
from .references import still_falloffs
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
from .shot import Ground, Limits, Shot, Timing
from .ties import HingeTie, PinTie, SewnTie, StringTie, Tie, TieKind, WeldTie

VERSION = 1

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
