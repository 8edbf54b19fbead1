"""How long a bake still takes: by what the same frames took in the shot's last take, or by what they took so far.

What a frame takes depends on what falls in it, which nobody knows before it was baked once. Artists bake a shot again
and again, so the last take tells most.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from ..core.arrays import Array
from .models import ChunkRow, TakeRow

TRUSTED = 2.0
"""Seconds of frames computed from which on they count more than the last take's."""
KNOWN = 0.02
"""Share of the preparation from which on it tells how long the rest takes."""
RECENT = 24
"""Frames by which the rest of a first take is judged."""


def frame_seconds(chunks: Sequence[tuple[int, int, float]]) -> Array:
    """Seconds of each frame (F,), from chunks in order: first frame, count, seconds."""
    each = [np.full(count, seconds / count) for _, count, seconds in chunks]
    return np.concatenate([np.zeros(0), *each])


def seconds_left(own: Array, total: int, before: Array | None) -> float | None:
    """Seconds that frames still take; None where nothing is known.

    own    : (F,) float64, [s], of the frames computed, 0 the first of them; total: the last frame
    before : (G,) float64, [s], of the frames of an earlier take; None where there is none
    """
    done = len(own)
    if before is not None and before[1:].sum() > 0.0:  # those of before 0.13 do not say what they took
        if len(before) <= total:  # it was shorter: what follows goes on as its end
            before = np.concatenate([before, np.full(total + 1 - len(before), before[-RECENT:].mean())])
        was = float(before[1:done].sum())  # the opening pose is no frame to judge by
        pace = (float(own[1:].sum()) + TRUSTED) / (was + TRUSTED)
        return float(before[max(done, 1) : total + 1].sum()) * pace
    if done < 2:
        return None
    rest, recent = total + 1 - done, own[1:][-RECENT:]
    return rest * float(recent.mean())


def _of(session: Session, take_id: str) -> Array:
    rows = session.execute(
        select(ChunkRow.first, ChunkRow.count, ChunkRow.seconds)
        .where(ChunkRow.take_id == take_id)
        .order_by(ChunkRow.first)
    )
    return frame_seconds([(first, count, seconds) for first, count, seconds in rows])


def left_of(session: Session, row: TakeRow) -> float | None:
    """Seconds that a bake under way still takes, its preparation counted in; None where nothing is known yet."""
    earlier = session.scalar(
        select(TakeRow)
        .where(TakeRow.shot_id == row.shot_id, TakeRow.number < row.number, TakeRow.frames_done > 0)
        .order_by(TakeRow.number.desc())
        .limit(1)
    )
    before = _of(session, earlier.id) if earlier else None
    frames = seconds_left(_of(session, row.id), row.frames_total, before)
    if frames is None or row.frames_done >= 0:
        return frames
    whole = row.preparing / row.prepared if row.prepared > KNOWN else earlier.preparing if earlier else 0.0
    return whole * (1.0 - row.prepared) + frames
