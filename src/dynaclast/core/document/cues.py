"""Cues: when something acts."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from .base import Name, NotNegative, Part, Positive, Seed, Vec3


class Stagger(Part):
    """Pieces start one after another."""

    over: Positive = Field(1.0, description="from the first to the last [s]")
    order: Literal["random", "reach", "direction"] = Field(
        "random", description="at random; where the reach's value is highest first; along a direction"
    )
    direction: Vec3 = Field((1.0, 0.0, 0.0), description="the first pieces lie at its back")
    seed: Seed = 1


class AtCue(Part):
    """A blow at a time; what acts over time goes on from then."""

    kind: Literal["at"] = "at"
    time: float = Field(1.0, ge=0, le=1e5, description="[s]")
    stagger: Stagger | None = Field(None, description="pieces start one after the other instead of together")


class SpanCue(Part):
    """From a time to a time, eased in and out; without an end it goes on."""

    kind: Literal["span"] = "span"
    start: NotNegative = Field(0.0, le=1e5, description="[s]")
    end: NotNegative | None = Field(None, le=1e5, description="[s]")
    ease_in: NotNegative = Field(0.0, description="[s]")
    ease_out: NotNegative = Field(0.0, description="before the end [s]")
    stagger: Stagger | None = Field(None, description="pieces start one after the other instead of together")

    @model_validator(mode="after")
    def _order(self) -> SpanCue:
        if self.end is not None and self.end <= self.start:
            raise ValueError(f"ends at {self.end:g} s, not after its start at {self.start:g} s")
        return self


class PulseCue(Part):
    """Again and again: a blow each time, or on for a while."""

    kind: Literal["pulse"] = "pulse"
    start: NotNegative = Field(0.0, le=1e5, description="[s]")
    every: Positive = Field(0.5, description="[s]")
    count: Annotated[int, Field(ge=1, le=100_000)] | None = Field(None, description="how often; without it, on and on")
    length: NotNegative = Field(0.0, description="how long each lasts [s]; 0 is a blow")
    stagger: Stagger | None = Field(None, description="pieces start one after the other instead of together")


class ImpactCue(Part):
    """When a target is hit: at the hit's place, turned along its normal."""

    kind: Literal["impact"] = "impact"
    above: NotNegative = Field(10.0, description="hits of less force do not count [kN]")
    bodies: list[Name] | None = Field(None, description="only hits on these bodies; without it, on its targets")
    rest: NotNegative = Field(0.5, description="how long it waits before it acts again [s]")
    length: NotNegative = Field(0.0, description="how long it lasts [s]; 0 is a blow")
    most: Annotated[int, Field(ge=1, le=10_000)] | None = Field(None, description="how often at most")


class HandCue(Part):
    """By hand: in a rehearsal, or at the times kept here."""

    kind: Literal["hand"] = "hand"
    times: list[Annotated[float, Field(ge=0, le=1e5)]] = Field(
        default_factory=list, max_length=1000, description="[s], rising"
    )
    length: NotNegative = Field(0.0, description="how long each lasts [s]; 0 is a blow")

    @field_validator("times")
    @classmethod
    def _rising(cls, times: list[float]) -> list[float]:
        if any(b <= a for a, b in zip(times, times[1:], strict=False)):
            raise ValueError(f"times must rise, got {times[:6]}")
        return times


Cue = Annotated[AtCue | SpanCue | PulseCue | ImpactCue | HandCue, Field(discriminator="kind")]
