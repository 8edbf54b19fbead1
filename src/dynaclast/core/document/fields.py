"""Fields: effect, reach, cue and targets."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from .base import Name, NotNegative, Part
from .falloffs import Falloff


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
    targets: Literal["all"] | list[Name] = Field("all", description="names of bodies and groups, or all")
