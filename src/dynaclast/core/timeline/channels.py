"""Channels: numbers of a document over time, by their paths."""

from __future__ import annotations

from typing import Any

import numpy as np

from ..document import Channel, SharedFalloff, Stack, set_number
from .keys import bezier_share, eased


def channel_value(channel: Channel, time: float) -> float:
    """What a channel's number is at a time [s]."""
    keys = channel.keys
    k = len(keys) - 1
    while k > 0 and keys[k].time > time:
        k -= 1
    here = keys[k]
    if k == len(keys) - 1 or time <= here.time or here.how == "step":
        return here.value
    there = keys[k + 1]
    if here.how == "smooth":
        return float(eased(np.array([x.time for x in keys]), np.array([[x.value] for x in keys]))(time)[0])
    share = (time - here.time) / (there.time - here.time)
    if here.how == "bezier":
        share = bezier_share(here.curve, share)
    return here.value + share * (there.value - here.value)


class Keyed:
    """Parts of a document with channels, at a time. The copies handed out are changed by the next call."""

    def __init__(self, parts: list[Any]) -> None:
        self._parts = [p.model_copy(deep=True) if p.channels else p for p in parts]

    def at(self, time: float) -> list[Any]:
        for part in self._parts:
            for channel in part.channels:
                set_number(part, channel.of, channel_value(channel, time))
            if part.channels:
                getattr(part, "reach", part)._kept.clear()
        return self._parts


def shared_at(falloffs: list[SharedFalloff], time: float) -> dict[str, Stack]:
    """The shared falloffs by name, as they are at a time."""
    return {f.name: f for f in Keyed(falloffs).at(time)}
