"""Falloffs: where something reaches.

A layer's ``shape`` is what it is made of: a shape in the world, a source that moves or sounds, an expression, or a
memory of what lies beneath it.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, PrivateAttr, field_validator, model_validator

from .base import Direction, Finite, Name, NotNegative, Part, Positive, PositiveVec3, Quaternion, Seed, Share, Vec3
from .expression import read
from .motion import Channel

EDGE = "width of the soft band outside the core [m]"


class Ridden(Part):
    """A shape that may ride on a body: its place is given for the start, and goes where the nearest piece of the body
    goes, or what lies round it of a body that deforms.
    """

    ride: Name | None = Field(None, description="the body it rides on")


class SphereReach(Ridden):
    kind: Literal["sphere"] = "sphere"
    center: Vec3 = Field((0.0, 0.0, 0.0), description="its middle [m]")
    core: NotNegative = Field(1.0, description="radius of the solid core [m]")
    edge: NotNegative = Field(1.0, description=EDGE)


class BoxReach(Ridden):
    kind: Literal["box"] = "box"
    center: Vec3 = Field((0.0, 0.0, 0.0), description="its middle [m]")
    rotation: Quaternion = (0.0, 0.0, 0.0, 1.0)
    core: PositiveVec3 = Field((1.0, 1.0, 1.0), description="size of the solid core: width, height, depth [m]")
    edge: NotNegative = Field(0.0, description=EDGE)


class PlaneReach(Ridden):
    """Everything behind a plane."""

    kind: Literal["plane"] = "plane"
    center: Vec3 = Field((0.0, 0.0, 0.0), description="a point on it [m]")
    normal: Direction = Field((0.0, 1.0, 0.0), description="points out of the core")
    edge: NotNegative = Field(1.0, description="width of the soft band in front of the plane [m]")


class CylinderReach(Ridden):
    """Round its own y axis."""

    kind: Literal["cylinder"] = "cylinder"
    center: Vec3 = Field((0.0, 0.0, 0.0), description="its middle [m]")
    rotation: Quaternion = (0.0, 0.0, 0.0, 1.0)
    core: NotNegative = Field(1.0, description="radius of the solid core [m]")
    height: NotNegative = Field(2.0, description="of the core [m]")
    edge: NotNegative = Field(1.0, description=EDGE)


class CapsuleReach(Ridden):
    """A line along its own y axis with a radius."""

    kind: Literal["capsule"] = "capsule"
    center: Vec3 = Field((0.0, 0.0, 0.0), description="its middle [m]")
    rotation: Quaternion = (0.0, 0.0, 0.0, 1.0)
    core: NotNegative = Field(0.5, description="radius of the solid core [m]")
    height: NotNegative = Field(2.0, description="length of the line [m]")
    edge: NotNegative = Field(1.0, description=EDGE)


class ConeReach(Ridden):
    """Round its own y axis, the tip up; the centre is half way up."""

    kind: Literal["cone"] = "cone"
    center: Vec3 = Field((0.0, 0.0, 0.0), description="half way up [m]")
    rotation: Quaternion = (0.0, 0.0, 0.0, 1.0)
    core: Positive = Field(1.0, description="radius of the core at its foot [m]")
    height: Positive = Field(2.0, description="of the core [m]")
    edge: NotNegative = Field(1.0, description=EDGE)


class TorusReach(Ridden):
    """A ring round its own y axis."""

    kind: Literal["torus"] = "torus"
    center: Vec3 = Field((0.0, 0.0, 0.0), description="its middle [m]")
    rotation: Quaternion = (0.0, 0.0, 0.0, 1.0)
    ring: NotNegative = Field(2.0, description="radius of the ring [m]")
    core: NotNegative = Field(0.5, description="radius of its tube's core [m]")
    edge: NotNegative = Field(0.5, description=EDGE)


class EverywhereReach(Part):
    kind: Literal["everywhere"] = "everywhere"


class MeshReach(Part):
    """Near a body's mesh; inside its surface counts as core. An unbroken body takes it along,
    one that deforms as it is at the time.
    """

    kind: Literal["mesh"] = "mesh"
    body: Name = Field(description="whose mesh it is")
    of: Literal["surface", "vertices"] = Field("surface", description="near its surface, or near its vertices")
    core: NotNegative = Field(0.0, description="distance that still counts as core [m]")
    edge: NotNegative = Field(1.0, description=EDGE)


class PiecesReach(Part):
    """Near the pieces of a body, wherever they are; each counts as a ball of its own size. Of a body that deforms, near
    its vertices.
    """

    kind: Literal["pieces"] = "pieces"
    body: Name = Field(description="a body or a group")
    core: NotNegative = Field(0.0, description="distance from a piece that still counts as core [m]")
    edge: NotNegative = Field(1.0, description=EDGE)


class NoiseReach(Part):
    """Smooth noise in space, between 0 and 1."""

    kind: Literal["noise"] = "noise"
    size: Positive = Field(1.0, description="of its grain [m]")
    rate: NotNegative = Field(0.0, description="how often it changes [1/s]")
    contrast: float = Field(1.0, ge=0, le=20, description="above 1 pushes it towards 0 and 1")
    seed: Seed = 1


class ImageReach(Part):
    """A picture's brightness, projected along the z axis of its frame; black outside it."""

    kind: Literal["image"] = "image"
    picture: str = Field(max_length=20_000_000, description="a PNG file, base64")
    center: Vec3 = Field((0.0, 0.0, 0.0), description="its middle [m]")
    rotation: Quaternion = (0.0, 0.0, 0.0, 1.0)
    size: tuple[Positive, Positive] = Field((2.0, 2.0), description="width and height it is shown at [m]")


class SoundReach(Part):
    """How loud a recording is at the time, the same everywhere."""

    kind: Literal["sound"] = "sound"
    recording: str = Field(max_length=40_000_000, description="a WAV file, base64")
    start: Finite = Field(0.0, description="when it starts to sound [s]")
    window: Positive = Field(0.05, description="loudness is taken over so long [s]")
    gain: NotNegative = Field(1.0, description="1: its loudest moment is 1")


class ExpressionReach(Part):
    """A formula over what lies beneath and where the point is; docs/expressions.md has the language."""

    kind: Literal["expression"] = "expression"
    text: str = Field("value", min_length=1, max_length=1000, description="the formula")
    seed: Seed = 1

    @field_validator("text")
    @classmethod
    def _reads(cls, text: str) -> str:
        read(text)
        return text


class Stroke(Part):
    """One stroke of a brush: everything within its radius of a line counts once, however often the line passes."""

    points: list[Vec3] = Field(min_length=1, max_length=2000, description="the line it was drawn along [m]")
    radius: Positive = Field(0.1, le=1000, description="how far from the line it reaches [m]")
    soft: Share = Field(0.5, description="share of the radius over which it fades")
    strength: Share = Field(1.0, description="how much is added or removed, or the value that is set")
    how: Literal["add", "remove", "set"] = Field("add", description="what it does to the value beneath")
    mirror: Literal["x", "y", "z"] | None = Field(
        None, description="the same on the other side, across the middle along this axis of the layer's frame"
    )


class PaintedReach(Part):
    """Painted by brush over what lies beneath: strokes one after the other, in a frame of their own."""

    kind: Literal["painted"] = "painted"
    center: Vec3 = Field((0.0, 0.0, 0.0), description="middle of the frame its strokes are in [m]")
    rotation: Quaternion = (0.0, 0.0, 0.0, 1.0)
    strokes: list[Stroke] = Field(default_factory=list, max_length=1000, description="in the order they were drawn")


class TrailReach(Part):
    """Follows what lies beneath, at most so fast."""

    kind: Literal["trail"] = "trail"
    rise: NotNegative = Field(0.0, description="time from 0 to 1 [s]")
    fall: NotNegative = Field(1.0, description="time from 1 to 0 [s]")


class DelayReach(Part):
    """What lay beneath a while ago."""

    kind: Literal["delay"] = "delay"
    by: NotNegative = Field(0.5, le=60, description="[s]")


class HoldReach(Part):
    """The most there ever was beneath."""

    kind: Literal["hold"] = "hold"


ReachShape = Annotated[SphereReach | BoxReach | PlaneReach, Field(discriminator="kind")]
"""Shapes that bodies are scattered in."""
LayerShape = Annotated[
    SphereReach
    | BoxReach
    | PlaneReach
    | CylinderReach
    | CapsuleReach
    | ConeReach
    | TorusReach
    | EverywhereReach
    | MeshReach
    | PiecesReach
    | NoiseReach
    | ImageReach
    | SoundReach
    | ExpressionReach
    | PaintedReach
    | TrailReach
    | DelayReach
    | HoldReach,
    Field(discriminator="kind"),
]
Blend = Literal["normal", "max", "min", "add", "subtract", "multiply", "screen", "overlay"]


class Layer(Part):
    """One step of a falloff."""

    shape: LayerShape = Field(description="a shape, a source, a formula, or a memory of what lies beneath")
    profile: Literal["linear", "smooth", "sharp", "round"] | list[tuple[Share, Share]] = Field(
        "smooth",
        description="value across the edge: a named curve, or points (place, value), place 0 at the core and 1 at "
        "the outer limit",
    )
    low: Share = Field(0.0, description="its least value")
    high: Share = Field(1.0, description="its greatest value")
    invert: bool = Field(False, description="turned inside out: 1 where it was 0")
    blend: Blend = Field("normal", description="how it is laid over what is beneath")
    opacity: Share = Field(1.0, description="share of it that is laid over what is beneath")
    color: str | None = Field(
        None, pattern=r"^#[0-9a-fA-F]{6}$", description="laid over the colour beneath where the layer's value is high"
    )
    color_blend: Blend = Field("normal", description="how its colour is laid over what is beneath")
    color_opacity: Share = Field(1.0, description="share of its colour that is laid over what is beneath")

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


class Stack(Part):
    """Layers laid one over the other, first at the bottom; then scaled and cut to limits."""

    layers: list[Layer] = Field(
        default_factory=list, max_length=16, description="from the first up, each laid over those before"
    )
    strength: float = Field(1.0, ge=0, le=100, description="the value is multiplied by this, then cut to the limits")
    _kept: dict[Any, Any] = PrivateAttr(default_factory=dict)
    """What was worked out from the layers, for as long as these very layers stand."""
    limits: tuple[Share, Share] = Field((0.0, 1.0), description="least and greatest value")

    @field_validator("limits")
    @classmethod
    def _limits(cls, value: tuple[float, float]) -> tuple[float, float]:
        if value[0] > value[1]:
            raise ValueError(f"must be least, then greatest; got {list(value)}")
        return value


class Falloff(Stack):
    """A function of place and time giving a value 0 to 1: of its own, or one of the shot's shared falloffs."""

    use: Name | None = Field(None, description="the shared falloff it is; then it has no layers of its own")

    @model_validator(mode="after")
    def _one(self) -> Falloff:
        if (self.use is None) == (not self.layers):
            raise ValueError("needs layers, or 'use' with the name of a shared falloff, and not both")
        return self


class Standing(Part):
    """Where a body stands."""

    position: Vec3 = Field(description="where it stands [m]")
    rotation: Quaternion


class StillFalloff(Falloff):
    """A falloff of a pattern, a choice, a bond's strength or a mesh: it needs no world, time or memory."""

    given: Stack | None = Field(None, description="layers of the shared falloff it is; filled in by the program")
    stands: Standing | None = Field(
        None, description="where its body stands, when those layers are in the world; filled in by the program"
    )

    @model_validator(mode="after")
    def _alone(self) -> StillFalloff:
        if (problem := not_still(self.layers)) is not None:
            raise ValueError(problem)
        return self


def not_still(layers: list[Layer]) -> str | None:
    """Why layers cannot be asked without a world that moves; None where they can."""
    for k, layer in enumerate(layers):
        if (
            layer.shape.kind in ("mesh", "pieces", "sound", "trail", "delay", "hold")
            or getattr(layer.shape, "ride", None) is not None
        ):
            return (
                f"layers[{k}]: '{layer.shape.kind}' here would need a world that moves; use a shape that stands, "
                f"noise, a picture or an expression"
            )
    return None


class SharedFalloff(Stack):
    """A falloff with a name, for many users; changing it changes all of them."""

    name: Name = Field(description="unique among falloffs")
    layers: list[Layer] = Field(
        min_length=1, max_length=16, description="from the first up, each laid over those before"
    )
    channels: list[Channel] = Field(default_factory=list, max_length=100, description="numbers of it over time")
