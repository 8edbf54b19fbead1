"""Falloffs: where something reaches."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, field_validator

from .base import Direction, NotNegative, Part, PositiveVec3, Quaternion, Share, Vec3


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
    normal: Direction = Field((0.0, 1.0, 0.0), description="points out of the core")
    edge: NotNegative = Field(1.0, description="width of the soft band in front of the plane [m]")


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
