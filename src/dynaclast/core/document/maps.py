"""Maps: a number on every piece, by a falloff, frame by frame."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from .base import Name, Part
from .falloffs import Falloff

Ramp = Literal["ember", "tide", "moss", "slate"]


class WeightMap(Part):
    """What a falloff is at every piece: seen as colour, kept with each frame of a take, and exported with it.

    With layers that remember it is a wet or a burnt map.
    """

    name: Name = Field(description="unique among maps")
    reach: Falloff = Field(description="the falloff whose value is kept for every piece")
    targets: Literal["all"] | list[Name] = Field(
        "all", description="names of bodies and groups, or all; elsewhere it is 0"
    )
    ramp: Ramp = Field("ember", description="colours it is shown in, where the falloff's layers have none of their own")


__all__ = ["Ramp", "WeightMap"]
