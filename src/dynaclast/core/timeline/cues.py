"""When cues act: firings and spans, piece by piece where they are staggered."""

from __future__ import annotations

import numpy as np

from ..arrays import Array
from ..document import OVER_TIME, AtCue, FieldItem, HandCue, ImpactCue, PulseCue, SpanCue, Stagger

HAIR = 1e-9


def delays(stagger: Stagger | None, use: np.ndarray, reach: Array, center: Array) -> Array:
    """How much later each piece (P,) acts [s]; use (P,) bool: the field's targets; reach (P,), center (P, 3) at the
    start.
    """
    out = np.zeros(len(use))
    if stagger is None or not use.any():
        return out
    own = np.flatnonzero(use)
    if stagger.order == "random":
        share = np.random.default_rng(stagger.seed).random(len(own))
    else:
        rank = -reach[own] if stagger.order == "reach" else center[own] @ np.asarray(stagger.direction)
        span = float(np.ptp(rank))
        share = (rank - rank.min()) / span if span > 0 else np.zeros(len(own))
    out[own] = stagger.over * share
    return out


def _starts(cue: PulseCue | HandCue, before: float, after: float) -> list[float]:
    """Times a cue starts at, between two times."""
    if isinstance(cue, HandCue):
        return [t for t in cue.times if before - HAIR <= t <= after + HAIR]
    first = max(0, int(np.ceil((before - cue.start) / cue.every - HAIR)))
    last = int(np.floor((after - cue.start) / cue.every + HAIR))
    if cue.count is not None:
        last = min(last, cue.count - 1)
    return [cue.start + k * cue.every for k in range(first, last + 1)]


def lasts(item: FieldItem) -> bool:
    """Whether a field acts over time, not in blows."""
    cue = item.cue
    return item.effect.kind in OVER_TIME or isinstance(cue, SpanCue) or vars(cue).get("length", 0.0) > 0


def fires(item: FieldItem, number: int, step: float, delay: Array) -> np.ndarray | None:
    """Pieces (P,) bool for which a blow falls in interval ``number``; None where it falls for none."""
    cue = item.cue
    if lasts(item) or isinstance(cue, (SpanCue, ImpactCue)):
        return None
    late = float(delay.max(initial=0.0))
    starts = [cue.time] if isinstance(cue, AtCue) else _starts(cue, number * step - late - step, (number + 1) * step)
    out = np.zeros(len(delay), bool)
    for start in starts:
        out |= np.floor((start + delay) / step + HAIR) == number
    return out if out.any() else None


def spans(
    item: FieldItem, time: float, step: float, late: float, called: float | None
) -> list[tuple[float, float, float, float]]:
    """Spans (start, end, ease in, ease out) that may touch the interval from ``time``; called: when an impact
    last called it [s].
    """
    cue = item.cue
    over = item.effect.kind in OVER_TIME
    if isinstance(cue, AtCue):
        return [(cue.time, np.inf, 0.0, 0.0)] if over else []
    if isinstance(cue, SpanCue):
        return [(cue.start, np.inf if cue.end is None else cue.end, cue.ease_in, cue.ease_out)]
    length = cue.length if cue.length > 0 else (step if over else 0.0)
    if length <= 0:
        return []
    if isinstance(cue, ImpactCue):
        return [(called, called + length, 0.0, 0.0)] if called is not None else []
    return [(t, t + length, 0.0, 0.0) for t in _starts(cue, time - late - length, time + step)]


def weight(found: list[tuple[float, float, float, float]], time: float, step: float, delay: Array) -> Array:
    """Share (P,) of the interval that the spans are on, their easing included."""
    for start, end, ease_in, ease_out in found:
        if start <= time - HAIR and end >= time + step + HAIR and ease_in <= 0 and ease_out <= 0 and not delay.any():
            return np.ones(len(delay))  # on all the while, as most are
    out = np.zeros(len(delay))
    for start, end, ease_in, ease_out in found:
        lo, hi = np.maximum(time, start + delay), np.minimum(time + step, end + delay)
        middle = 0.5 * (lo + hi)
        level = np.ones(len(delay))
        if ease_in > 0:
            level = np.clip((middle - start - delay) / ease_in, 0.0, 1.0)
        if ease_out > 0 and np.isfinite(end):
            level = np.minimum(level, np.clip((end + delay - middle) / ease_out, 0.0, 1.0))
        level = level * level * (3.0 - 2.0 * level)
        out = np.maximum(out, np.maximum(hi - lo, 0.0) / step * level)
    return np.where(out > HAIR, out, 0.0)


def begins(item: FieldItem, number: int, step: float) -> bool:
    """Whether a cue that acts over time starts in this interval."""
    return any(np.floor(s / step + HAIR) == number for s, _, _, _ in spans(item, number * step, step, 0.0, None))
