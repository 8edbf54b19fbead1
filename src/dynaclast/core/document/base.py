"""Building blocks of the document: ranges, vectors, and the strict base class."""

from __future__ import annotations

import math
from typing import Annotated, Self

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator

Finite = Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6)]
Positive = Annotated[float, Field(gt=0, le=1e9, allow_inf_nan=False)]
NotNegative = Annotated[float, Field(ge=0, le=1e9, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Seed = Annotated[
    int, Field(ge=0, le=2**31 - 1, description="of what is drawn at random: the same number, the same result")
]
Vec3 = tuple[Finite, Finite, Finite]
PositiveVec3 = tuple[Positive, Positive, Positive]
Name = Annotated[str, Field(min_length=1, max_length=80)]


def _unit(value: tuple[float, ...]) -> tuple[float, ...]:
    length = math.sqrt(sum(x * x for x in value))
    if abs(length - 1.0) > 1e-3:
        raise ValueError(f"must be a unit quaternion (length 1), got length {length:.4g}")
    return value


def _long(value: tuple[float, ...]) -> tuple[float, ...]:
    if math.sqrt(sum(x * x for x in value)) < 1e-9:
        raise ValueError("must not have zero length; give a direction such as [0, 1, 0]")
    return value


Quaternion = Annotated[
    tuple[Finite, Finite, Finite, Finite], AfterValidator(_unit), Field(description="unit quaternion x, y, z, w")
]
Direction = Annotated[tuple[Finite, Finite, Finite], AfterValidator(_long)]


def turned(angles: tuple[float, float, float]) -> tuple[float, float, float, float]:
    """The unit quaternion x, y, z, w of turns about the world's x, then y, then z [degrees]."""
    (sx, cx), (sy, cy), (sz, cz) = ((math.sin(a / 2), math.cos(a / 2)) for a in map(math.radians, angles))
    return (
        sx * cy * cz - cx * sy * sz,
        cx * sy * cz + sx * cy * sz,
        cx * cy * sz - sx * sy * cz,
        cx * cy * cz + sx * sy * sz,
    )


class Part(BaseModel):
    """Base of every part of the document: unknown keys are errors, not silence, and numbers are finite."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Turned(Part):
    """Something with a rotation, which may be said in angles."""

    rotation: Quaternion = Field((0.0, 0.0, 0.0, 1.0), description="unit quaternion x, y, z, w")
    angles: Vec3 | None = Field(
        None,
        description="the rotation as turns about x, then y, then z of the world [degrees], as they were typed; where "
        "they are given they are the rotation",
    )

    @model_validator(mode="after")
    def _by_angles(self) -> Self:
        if self.angles is not None:
            object.__setattr__(self, "rotation", turned(self.angles))
        return self
