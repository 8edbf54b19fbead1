"""What one piece went through in a take: what loaded it, what acted on it, what became of it."""

from __future__ import annotations

import json
from typing import Any, NamedTuple

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.arrays import Array, Flags
from ..core.errors import InputError
from .blobs import unpack, unsqueeze
from .models import ChunkRow

OF_PIECES = ("kill", "release", "limit", "bond_broken", "impact", "tie_broken")
"""Kinds of events whose ``pieces`` are numbered as in the frames."""


class Trace(NamedTuple):
    """
    position : (F, 3) float32, m, world
    state    : (F,) uint8
    load     : (F,) float32, of the worst of its bonds by its strength; empty where the take keeps none
    acted    : (F, n) uint8, a bit for every field of the shot; n is 0 where the take keeps none
    events   : those that name the piece, in order of time
    """

    position: Array
    state: Flags
    load: Array
    acted: Flags
    events: list[dict[str, Any]]


def of_piece(session: Session, take_id: str, piece: int) -> Trace:
    """The trace of a piece through all frames that are kept, chunk by chunk. Raises InputError where the take has no
    such piece, or no frames.
    """
    rows = session.execute(
        select(ChunkRow.data, ChunkRow.events).where(ChunkRow.take_id == take_id).order_by(ChunkRow.first)
    ).yield_per(8)
    parts: dict[str, list[Any]] = {"position": [], "state": [], "load": [], "acted": []}
    events: list[dict[str, Any]] = []
    for data, text in rows:
        arrays, _ = unpack(unsqueeze(data))
        count = arrays["position"].shape[1]
        if not 0 <= piece < count:
            raise InputError(f"the take has {count} pieces, so there is no piece {piece}", where="piece")
        for name, found in parts.items():
            if name in arrays:
                found.append(arrays[name][:, piece].copy())
        events += [e for e in json.loads(text) if e["kind"] in OF_PIECES and piece in e.get("pieces", ())]
    if not parts["state"]:
        raise InputError("this take has no frames yet", where=take_id)
    frames = sum(map(len, parts["state"]))
    load: Array = np.concatenate(parts["load"]) if parts["load"] else np.zeros(0)
    acted: Flags = np.concatenate(parts["acted"]) if parts["acted"] else np.zeros((frames, 0), np.uint8)
    return Trace(np.concatenate(parts["position"]), np.concatenate(parts["state"]), load, acted, events)


def spans(values: Flags, value: int) -> list[tuple[int, int]]:
    """First and last of each run of a value in (n,)."""
    at = np.flatnonzero(np.diff(values == value, prepend=False, append=False))
    return [(int(a), int(b) - 1) for a, b in at.reshape(-1, 2)]
