"""The shot document: one JSON value that says everything a bake needs.

Metres, kilograms, seconds, newtons (kN where the name says so), y up, right-handed; rotations are
unit quaternions x, y, z, w. Bodies and fields are referred to by name, so a document can be
read and compared without tools. ``version`` grows by one whenever an old document would mean something
else; ``parse`` brings older ones up to date.
"""

from __future__ import annotations

import json
import math
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator, model_validator

from .errors import DocumentError

VERSION = 1

Finite = Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6)]
Positive = Annotated[float, Field(gt=0, le=1e9, allow_inf_nan=False)]
NotNegative = Annotated[float, Field(ge=0, le=1e9, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Vec3 = tuple[Finite, Finite, Finite]
PositiveVec3 = tuple[Positive, Positive, Positive]
Quaternion = tuple[Finite, Finite, Finite, Finite]
Name = Annotated[str, Field(min_length=1, max_length=80)]


class Part(BaseModel):
    """Base of every part of the document: unknown keys are errors, not silence."""

    model_config = ConfigDict(extra="forbid")


# ---------------------------------------------------------------------------------- shapes


class BoxShape(Part):
    """A box centred on its origin."""

    kind: Literal["box"] = "box"
    size: PositiveVec3 = Field((1.0, 1.0, 1.0), description="width, height, depth [m]")


class SphereShape(Part):
    """A sphere centred on its origin."""

    kind: Literal["sphere"] = "sphere"
    radius: Positive = Field(0.5, description="[m]")
    segments: int = Field(24, ge=6, le=256, description="facets round the equator")


class CylinderShape(Part):
    """An upright cylinder centred on its origin."""

    kind: Literal["cylinder"] = "cylinder"
    radius: Positive = Field(0.5, description="radius at the foot [m]")
    height: Positive = Field(1.0, description="[m]")
    taper: float = Field(1.0, ge=0.05, le=20, description="radius at the top as a share of the foot's")
    segments: int = Field(32, ge=3, le=512)


class TubeShape(Part):
    """An upright hollow cylinder centred on its origin."""

    kind: Literal["tube"] = "tube"
    radius: Positive = Field(1.0, description="outer radius at the foot [m]")
    wall: Positive = Field(0.2, description="wall thickness [m]")
    height: Positive = Field(2.0, description="[m]")
    taper: float = Field(1.0, ge=0.05, le=20, description="outer radius at the top as a share of the foot's")
    segments: int = Field(48, ge=3, le=512)

    @model_validator(mode="after")
    def _hollow(self) -> TubeShape:
        if self.wall >= self.radius * min(1.0, self.taper):
            raise ValueError(f"wall ({self.wall} m) must be thinner than the smallest outer radius ({self.radius * min(1.0, self.taper):g} m)")
        return self


class MeshShape(Part):
    """A triangle mesh written into the document."""

    kind: Literal["mesh"] = "mesh"
    vertices: list[Vec3] = Field(min_length=4, max_length=2_000_000, description="(V, 3) [m]")
    faces: list[tuple[int, int, int]] = Field(min_length=4, max_length=4_000_000, description="(F, 3) indices into vertices, counter-clockwise seen from outside")

    @model_validator(mode="after")
    def _in_range(self) -> MeshShape:
        count = len(self.vertices)
        for row, face in enumerate(self.faces):
            if min(face) < 0 or max(face) >= count:
                raise ValueError(f"faces[{row}] is {list(face)} but there are {count} vertices (0 to {count - 1})")
        return self


class FileShape(Part):
    """A mesh file beside the document (OBJ, STL, PLY, GLB, glTF)."""

    kind: Literal["file"] = "file"
    path: str = Field(min_length=1, max_length=400, description="relative to the document")
    scale: Positive = Field(1.0, description="metres per unit of the file")


class AssetShape(Part):
    """A mesh kept in the application's store."""

    kind: Literal["asset"] = "asset"
    asset: str = Field(min_length=8, max_length=64, description="content hash of the stored mesh")


Shape = Annotated[
    BoxShape | SphereShape | CylinderShape | TubeShape | MeshShape | FileShape | AssetShape,
    Field(discriminator="kind"),
]

# ---------------------------------------------------------------------------------- bodies


class Place(Part):
    """Where a body stands: scaled first, then turned, then moved."""

    position: Vec3 = Field((0.0, 0.0, 0.0), description="[m]")
    rotation: Quaternion = Field((0.0, 0.0, 0.0, 1.0), description="unit quaternion x, y, z, w")
    scale: PositiveVec3 = Field((1.0, 1.0, 1.0), description="applied before anything is computed")

    @field_validator("rotation")
    @classmethod
    def _unit(cls, value: Quaternion) -> Quaternion:
        length = math.sqrt(sum(x * x for x in value))
        if abs(length - 1.0) > 1e-3:
            raise ValueError(f"must be a unit quaternion (length 1), got length {length:.4g}")
        return value


class Look(Part):
    """How a body is drawn; never changes what is computed."""

    color: str = Field("#9aa5a3", pattern=r"^#[0-9a-fA-F]{6}$")
    roughness: Share = 0.85


class Material(Part):
    """What a body is made of."""

    density: Positive = Field(2400.0, description="[kg/m3]")
    friction: float = Field(0.6, ge=0, le=5, description="Coulomb coefficient")
    bounce: Share = Field(0.1, description="share of the speed kept by a hit; above 1 would make energy")
    rolling: Share = Field(0.01, description="rolling resistance: share of the contact's lever arm")
    look: Look = Field(default_factory=Look)


class CellsPattern(Part):
    """Convex cells grown from scattered seeds (Voronoi)."""

    kind: Literal["cells"] = "cells"
    count: int = Field(60, ge=2, le=5000, description="how many cells")
    seed: int = Field(1, ge=0, le=2**31 - 1)


class Bonds(Part):
    """What joins the pieces of a body."""

    strength: NotNegative = Field(400.0, description="in the unit below")
    unit: Literal["kN/m2", "kN"] = Field("kN/m2", description="per area of the shared face, or the same for every bond")


class Body(Part):
    """One thing in a shot."""

    name: Name
    role: Literal["active", "passive"] = Field("active", description="active: moved by physics; passive: only collided with")
    shape: Shape
    place: Place = Field(default_factory=Place)
    material: Material = Field(default_factory=Material)
    pattern: CellsPattern | None = Field(None, description="how the body is broken; without one it stays whole")
    bonds: Bonds | None = Field(None, description="what joins the pieces; without it they are free from the start")
    velocity: Vec3 = Field((0.0, 0.0, 0.0), description="at the start [m/s]")
    spin: Vec3 = Field((0.0, 0.0, 0.0), description="at the start, about the centre of mass [rad/s]")


# --------------------------------------------------------------------------------- falloffs


class SphereReach(Part):
    kind: Literal["sphere"] = "sphere"
    center: Vec3 = (0.0, 0.0, 0.0)
    core: NotNegative = Field(1.0, description="radius of the solid core [m]")
    edge: NotNegative = Field(1.0, description="width of the soft band outside the core [m]")


class BoxReach(Part):
    kind: Literal["box"] = "box"
    center: Vec3 = (0.0, 0.0, 0.0)
    rotation: Quaternion = (0.0, 0.0, 0.0, 1.0)
    core: PositiveVec3 = Field((1.0, 1.0, 1.0), description="size of the solid core: width, height, depth [m]")
    edge: NotNegative = Field(0.0, description="width of the soft band outside the core [m]")


class PlaneReach(Part):
    """Everything behind a plane."""

    kind: Literal["plane"] = "plane"
    center: Vec3 = (0.0, 0.0, 0.0)
    normal: Vec3 = Field((0.0, 1.0, 0.0), description="points out of the core")
    edge: NotNegative = Field(1.0, description="width of the soft band in front of the plane [m]")

    @field_validator("normal")
    @classmethod
    def _length(cls, value: Vec3) -> Vec3:
        if math.sqrt(sum(x * x for x in value)) < 1e-9:
            raise ValueError("must not have zero length; give a direction such as [0, 1, 0]")
        return value


ReachShape = Annotated[SphereReach | BoxReach | PlaneReach, Field(discriminator="kind")]


class Layer(Part):
    """One step of a falloff."""

    shape: ReachShape
    profile: Literal["linear", "smooth", "sharp", "round"] | list[tuple[Share, Share]] = Field(
        "smooth", description="value across the edge: a named curve, or points (place, value), place 0 at the core and 1 at the outer limit"
    )
    invert: bool = False
    blend: Literal["normal", "max", "min", "add", "subtract", "multiply", "screen", "overlay"] = "normal"
    opacity: Share = 1.0

    @field_validator("profile")
    @classmethod
    def _rising(cls, value: Any) -> Any:
        if isinstance(value, list):
            if len(value) < 2:
                raise ValueError("needs at least two points, such as [[0, 1], [1, 0]]")
            places = [p for p, _ in value]
            if any(b <= a for a, b in zip(places, places[1:], strict=False)):
                raise ValueError(f"places must grow from point to point, got {places}")
        return value


class Falloff(Part):
    """A function of place giving a value 0 to 1; layers are laid one over the other, first at the bottom."""

    layers: list[Layer] = Field(min_length=1, max_length=16)


# ----------------------------------------------------------------------------------- fields


class AnchorEffect(Part):
    """Holds pieces before the first step; strengthens bonds where the value is below the cut."""

    kind: Literal["anchor"] = "anchor"
    cut: float = Field(0.5, gt=0, le=1, description="held where the falloff's value is at least this")
    reinforce: NotNegative = Field(4.0, description="below the cut, bond strength is multiplied by 1 + reinforce * value")


class StrainEffect(Part):
    """One blow: adds load to every bond in reach."""

    kind: Literal["strain"] = "strain"
    load: NotNegative = Field(500.0, description="load on a bond where the value is 1 [kN]")
    burst: float = Field(0.0, ge=-200, le=200, description="speed given to the pieces it sets free, away from the centre [m/s]")


class BurstEffect(Part):
    """One radial blow: speed away from the reach's centre, the same for light and heavy."""

    kind: Literal["burst"] = "burst"
    speed: float = Field(5.0, ge=-200, le=200, description="where the value is 1 [m/s]; negative pulls in")


Effect = Annotated[AnchorEffect | StrainEffect | BurstEffect, Field(discriminator="kind")]


class AtCue(Part):
    """Acts once, at a time."""

    kind: Literal["at"] = "at"
    time: float = Field(1.0, ge=0, le=1e5, description="[s]")


class FieldItem(Part):
    """Something that acts: effect, reach, cue, targets."""

    name: Name
    on: bool = True
    effect: Effect
    reach: Falloff
    cue: AtCue = Field(default_factory=AtCue, description="when it acts; an anchor holds from the start and has no use for it")
    targets: Literal["all"] | list[Name] = Field("all", description="names of bodies, or all")


# ------------------------------------------------------------------------------------- shot


class Timing(Part):
    fps: float = Field(24.0, ge=1, le=240, description="frames a second")
    frames: int = Field(240, ge=1, le=2000, description="frames computed after the opening pose")


class Ground(Part):
    """The solid ground plane."""

    on: bool = True
    height: Finite = Field(0.0, description="[m]")
    friction: float = Field(0.7, ge=0, le=5)
    bounce: Share = 0.05


class Shot(Part):
    """One scene: bodies, fields, time, and how carefully to compute."""

    version: Literal[1] = VERSION
    name: Name = "Untitled shot"
    timing: Timing = Field(default_factory=Timing)
    quality: Literal["draft", "standard", "fine"] = "standard"
    gravity: Vec3 = Field((0.0, -9.81, 0.0), description="[m/s2]")
    ground: Ground = Field(default_factory=Ground)
    seed: int = Field(1, ge=0, le=2**31 - 1)
    bodies: list[Body] = Field(default_factory=list, max_length=2000)
    fields: list[FieldItem] = Field(default_factory=list, max_length=200)

    @model_validator(mode="after")
    def _names(self) -> Shot:
        for kind, items in (("bodies", self.bodies), ("fields", self.fields)):
            seen: set[str] = set()
            for item in items:
                if item.name in seen:
                    raise ValueError(f"{kind}: the name '{item.name}' is used twice; names must differ")
                seen.add(item.name)
        known = {body.name for body in self.bodies}
        for row, field in enumerate(self.fields):
            if field.targets != "all":
                for name in field.targets:
                    if name not in known:
                        raise ValueError(f"fields[{row}].targets: there is no body named '{name}'")
        return self


def _place(loc: tuple[Any, ...]) -> str:
    text = ""
    for part in loc:
        if isinstance(part, int):
            text += f"[{part}]"
        elif part in {"box", "sphere", "cylinder", "tube", "mesh", "file", "asset", "cells", "anchor", "strain", "burst", "plane", "at"} or "[" in str(part) or "-" in str(part):
            continue  # the name of a variant, not a key of the document
        else:
            text += f".{part}" if text else str(part)
    return text


def _sentence(error: Any) -> str:
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
        raise DocumentError([(_place(e["loc"]), _sentence(e)) for e in exc.errors()]) from None


def parse_json(text: str | bytes) -> Shot:
    """Like ``parse``, from JSON text."""
    try:
        data = json.loads(text)
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError) as exc:
        raise DocumentError([("", f"not valid JSON: {exc}")]) from None
    return parse(data)


def dump(shot: Shot) -> dict[str, Any]:
    """The shot as plain JSON values."""
    return shot.model_dump(mode="json")


def schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of the shot document."""
    out = Shot.model_json_schema()
    out["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    out["title"] = "Dynaclast shot document"
    return out
