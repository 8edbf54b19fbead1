"""Ties: what joins bodies to each other or to the world."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from .base import Direction, Finite, Name, NotNegative, Part, Positive, Vec3
from .falloffs import StillFalloff


class PinTie(Part):
    """A point of one body stays at a point of the other; both turn freely about it."""

    kind: Literal["pin"] = "pin"


class StringTie(Part):
    """The two points never get farther apart than a length; nearer they are free."""

    kind: Literal["string"] = "string"
    length: Positive | None = Field(None, description="[m]; without it, the distance at the start")


class HingeTie(Part):
    """A pin that turns about one axis only."""

    kind: Literal["hinge"] = "hinge"
    axis: Direction = Field((0.0, 0.0, 1.0), description="in the world at the start")
    limits: tuple[Finite, Finite] | None = Field(
        None, description="how far the first body may turn about the axis from where it starts, least and most [rad]"
    )
    friction: NotNegative = Field(0.0, description="torque that resists turning [N m]")

    @model_validator(mode="after")
    def _ordered(self) -> HingeTie:
        if self.limits is not None and not self.limits[0] <= 0.0 <= self.limits[1]:
            raise ValueError(f"limits must be least <= 0 <= most, since the body starts at 0; got {list(self.limits)}")
        return self


class WeldTie(Part):
    """The two bodies keep their places and turns to each other; a rope keeps its place and direction: the vertices next
    to where it is tied are held too, and what turns there twists it.
    """

    kind: Literal["weld"] = "weld"


class SewnTie(Part):
    """Stitches: all vertices of a body that deforms which lie near the other body are pinned to it, each by itself:
    slates on a canvas, a canvas on a frame, a fender on a hull.
    """

    kind: Literal["sewn"] = "sewn"
    within: Positive = Field(0.05, le=10, description="how near the other body a vertex must lie [m]")
    reach: StillFalloff | None = Field(
        None, description="in the world at the start: only where the value is at least a half"
    )


TieKind = Annotated[PinTie | StringTie | HingeTie | WeldTie | SewnTie, Field(discriminator="kind")]


class Tie(Part):
    """A constraint between two bodies, or between a body and the world, with the load at which it gives way."""

    name: Name = Field(description="unique among ties")
    on: bool = Field(True, description="switched off it is not there")
    how: TieKind = Field(description="what kind of joint it is")
    body: Name = Field(description="it is tied at the piece nearest to the point")
    point: Vec3 = Field(description="where it is tied, in the world at the start [m]")
    to: Name | None = Field(None, description="the other body; without it, the world")
    to_point: Vec3 | None = Field(
        None, description="the string's other end, in the world at the start [m]; without it, the same point"
    )
    breaks: Positive | None = Field(
        None, description="load at which it, or each stitch, gives way [kN]; without it, it never does"
    )
    collide: bool = Field(False, description="whether the two bodies also touch each other")

    @model_validator(mode="before")
    @classmethod
    def _nowhere(cls, data: Any) -> Any:
        """What is sewn has no point of its own."""
        how = data.get("how") if isinstance(data, dict) else None
        kind = how.get("kind") if isinstance(how, dict) else getattr(how, "kind", None)
        return {"point": (0.0, 0.0, 0.0)} | data if kind == "sewn" else data

    @model_validator(mode="after")
    def _ends(self) -> Tie:
        if self.to == self.body:
            raise ValueError(f"ties '{self.body}' to itself; give another body, or none for the world")
        if self.how.kind == "string" and self.to_point is None:
            raise ValueError("a string needs 'to_point', its other end")
        if self.how.kind != "string" and self.to_point is not None:
            raise ValueError(f"only a string has two ends; a {self.how.kind} is tied at 'point'")
        return self
