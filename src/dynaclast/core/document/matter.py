"""What a body is made of for the solver: rigid, cloth, soft or rope, and what holds or draws its vertices."""

from __future__ import annotations

import base64
import binascii
import math
import struct
from typing import Annotated, Any, Literal

from pydantic import Field, field_validator, model_validator

from .base import Name, NotNegative, Part, Positive
from .falloffs import StillFalloff
from .presets import PRESETS, PresetName

MOST_YOUNG = 1e9
"""Of a rope [kN/m2]."""


class RigidMatter(Part):
    """Pieces that keep their shape."""

    kind: Literal["rigid"] = "rigid"


class Preset(Part):
    """Base of matter whose numbers a material gives, where they are not given themselves."""

    preset: PresetName | None = Field(None, description="a material that gives the numbers which are not given here")

    @model_validator(mode="before")
    @classmethod
    def _filled(cls, data: Any) -> Any:
        name = data.get("preset") if isinstance(data, dict) else None
        if not isinstance(name, str) or name not in PRESETS:
            return data
        kind = cls.model_fields["kind"].default
        numbers = PRESETS[name].matter.get(kind)
        if numbers is None:
            fit = [n for n, p in PRESETS.items() if kind in p.matter]
            raise ValueError(f"'{name}' is no preset for {kind} matter; these are: {', '.join(fit)}")
        return numbers | data


class ClothMatter(Preset):
    """A sheet: the triangles of the body's mesh, open or closed."""

    kind: Literal["cloth"] = "cloth"
    weight: Positive = Field(0.3, le=1000, description="[kg/m2]")
    thickness: Positive = Field(0.001, le=1, description="that contacts keep [m]")
    stretch: Positive = Field(50.0, le=1e6, description="stiffness along both threads [kN/m]")
    shear: Positive = Field(10.0, le=1e6, description="stiffness against shear [kN/m]")
    bending: NotNegative = Field(1e-4, le=1e5, description="bending stiffness [N m]")
    damping: NotNegative = Field(0.0, le=1, description="time in which stretching is slowed down [s]")
    folds: bool = Field(True, description="whether it meets itself")
    tear: Positive | None = Field(None, le=1e6, description="tension at which it tears [kN/m]; without it, never")


class SoftMatter(Preset):
    """A solid that deforms: a lattice of cubes carries the body's mesh, which must be closed."""

    kind: Literal["soft"] = "soft"
    young: Positive = Field(1000.0, le=1e9, description="Young's modulus [kN/m2]")
    poisson: float = Field(0.4, ge=0, le=0.49, description="Poisson's ratio")
    damping: NotNegative = Field(0.0, le=1, description="time in which deforming is slowed down [s]")
    detail: int = Field(10, ge=1, le=100, description="cubes along the longest side")
    folds: bool = Field(False, description="whether it meets itself")
    tear: Positive | None = Field(
        None, le=1e9, description="stress at which it tears [kN/m2], into lumps of some cubes; without it, never"
    )


class RopeMatter(Preset):
    """A line, or the edges of a mesh: round, as dense as the body's material."""

    kind: Literal["rope"] = "rope"
    radius: Positive = Field(0.01, le=10, description="[m]")
    young: Positive = Field(1e6, le=MOST_YOUNG, description="Young's modulus of its section [kN/m2]")
    working_load: Positive | None = Field(
        None, le=1e9, description="a load by which its stiffness is given instead: 'young' follows from it [kN]"
    )
    working_stretch: Positive = Field(0.02, le=1, description="share by which it is longer under its working load")
    bending: NotNegative = Field(0.0, le=1e9, description="bending stiffness [N m2]; a limp rope has none")
    twist: NotNegative = Field(
        0.0,
        le=1e9,
        description="stiffness against twisting, torque for a radian over a metre [N m2]; felt where both ends are "
        "held together with the vertices next to them: welded, sewn or pinned",
    )
    turns: float = Field(0.0, ge=-1e4, le=1e4, description="by which it is wound up at the start")
    damping: NotNegative = Field(0.0, le=1, description="time in which stretching is slowed down [s]")
    folds: bool = Field(True, description="whether it meets itself")
    breaks: Positive | None = Field(None, le=1e9, description="load at which it breaks [kN]; without it, never")

    @model_validator(mode="after")
    def _twisted(self) -> RopeMatter:
        if self.twist and not self.bending:
            raise ValueError("twist: what resists twisting resists bending; give 'bending' too, about as much")
        if self.turns and not self.twist:
            raise ValueError("turns: without 'twist' nothing winds up; give it, or no turns")
        return self

    @model_validator(mode="after")
    def _by_its_load(self) -> RopeMatter:
        if self.working_load is not None:
            young = self.working_load / (math.pi * self.radius**2 * self.working_stretch)
            if young > MOST_YOUNG:
                least = math.sqrt(self.working_load / (math.pi * MOST_YOUNG * self.working_stretch))
                raise ValueError(
                    f"working_stretch: at a radius of {self.radius:g} m this asks for a modulus of {young:.3g} kN/m2, "
                    f"more than {MOST_YOUNG:g}: let it stretch more, or be thicker than {least:.3g} m"
                )
            self.young = young
        return self


Matter = Annotated[RigidMatter | ClothMatter | SoftMatter | RopeMatter, Field(discriminator="kind")]


class Pins(Part):
    """Vertices that stay where they are, or ride on a body."""

    reach: StillFalloff = Field(description="in the world at the start")
    cut: float = Field(0.5, gt=0, le=1, description="vertices where the value is at least this are pinned")
    to: Name | None = Field(
        None,
        description="the body they ride on, at its nearest piece; an active one they hold as it does them; without it, "
        "the world",
    )


class Recall(Part):
    """A weighted pull back to the shape at rest, without swinging: where that was at the start, or as a body takes it
    along.
    """

    reach: StillFalloff = Field(description="in the world at the start: the value is the weight")
    rate: Positive = Field(2.0, le=1000, description="where the value is 1, what is away comes back at this rate [1/s]")
    to: Name | None = Field(None, description="the body that takes the shape along, by its nearest piece")


class VertexWeight(Part):
    """A number of its matter that differs from place to place: by a factor from low where a falloff is 0 to high where
    it is 1. Several multiply.
    """

    of: Literal["stiffness", "thickness", "strength"] = Field(
        description="stiffness: against stretch, shear and bending; thickness: that contacts keep; strength: at which "
        "it tears, breaks, or its seams open"
    )
    reach: StillFalloff = Field(description="in the world at the start")
    low: Positive = Field(1.0, le=1000, description="value where the falloff is 0")
    high: Positive = Field(4.0, le=1000, description="value where the falloff is 1")


class Opening(Part):
    """Where the vertices of a body that deforms stand at the start, where that is not the shape they rest in."""

    points: str = Field(
        max_length=40_000_000,
        description="where the vertices that are computed stand: float32 x, y, z [m] in the body's own frame before "
        "its size, base64; made by letting it settle",
    )
    drawn: str | None = Field(
        None,
        max_length=40_000_000,
        description="the same of the vertices that are drawn, where these are others (soft bodies)",
    )

    @field_validator("points", "drawn")
    @classmethod
    def _reads(cls, value: str | None) -> str | None:
        if value is None:
            return None
        try:
            data = base64.b64decode(value, validate=True)
        except (binascii.Error, ValueError):
            raise ValueError("is not base64; let the body settle again") from None
        if not data or len(data) % 12:
            raise ValueError("must be x, y and z of every vertex as float32; let the body settle again")
        if not all(map(math.isfinite, struct.unpack(f"<{len(data) // 4}f", data))):
            raise ValueError("has a number that is not finite; let the body settle again")
        return value
