"""Keys: where an animated body stands, and what any number of a field is, over time."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, field_validator

from .base import Finite, Part, Share, Turned, Vec3

How = Literal["step", "linear", "smooth", "bezier"]


class PlaceKey(Turned):
    """Where a body stands at a time, and how it goes on from there. Where all keys of a motion have angles, the angles
    run from key to key: 0 to 720 turns twice.
    """

    time: float = Field(ge=0, le=1e5, description="[s]")
    position: Vec3 = Field(description="[m]")
    how: How = Field(
        "smooth",
        description="to the next key: step holds, linear goes straight, smooth runs through the keys without a kink, "
        "bezier follows its curve",
    )
    curve: tuple[Share, float, Share, float] = Field(
        (0.4, 0.0, 0.6, 1.0),
        description="the two handles of a bezier key, x1, y1, x2, y2: shares of the time and of the way to the "
        "next key",
    )


class Motion(Part):
    """A path on keys; before the first and after the last the body stands still."""

    keys: list[PlaceKey] = Field(
        min_length=1, max_length=500, description="where it stands at which time, in the order of their times"
    )

    @field_validator("keys")
    @classmethod
    def _rising(cls, keys: list[PlaceKey]) -> list[PlaceKey]:
        for row, (a, b) in enumerate(zip(keys, keys[1:], strict=False)):
            if b.time <= a.time:
                raise ValueError(
                    f"times must grow from key to key, but key {row + 1} is at {b.time:g} s after one at {a.time:g} s"
                )
        return keys


class NumberKey(Part):
    """What a number is at a time, and how it goes on from there."""

    time: float = Field(ge=0, le=1e5, description="[s]")
    value: Finite = Field(description="of the number at that time")
    how: How = Field("smooth", description="as of a place key")
    curve: tuple[Share, float, Share, float] = Field(
        (0.4, 0.0, 0.6, 1.0),
        description="of a key that goes on by a curve: where it leaves (x, y) and arrives (x, y), as shares of the way",
    )


class Channel(Part):
    """A number over time; before the first key and after the last it stands still."""

    of: str = Field(
        min_length=1,
        max_length=120,
        description="which number, from the thing the channel belongs to: effect.load, reach.layers.0.shape.center.1",
    )
    keys: list[NumberKey] = Field(min_length=1, max_length=500, description="in the order of their times")

    @field_validator("keys")
    @classmethod
    def _in_order(cls, keys: list[NumberKey]) -> list[NumberKey]:
        for row, (a, b) in enumerate(zip(keys, keys[1:], strict=False)):
            if b.time <= a.time:
                raise ValueError(
                    f"times must grow from key to key, but key {row + 1} is at {b.time:g} s after one at {a.time:g} s"
                )
        return keys
