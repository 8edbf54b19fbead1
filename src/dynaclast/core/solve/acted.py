"""Which fields acted on which pieces and vertices in a frame, as bits."""

from __future__ import annotations

import numpy as np

from ..arrays import Mask
from ..document import FieldItem, Shot
from ..falloff import EvaluationContext
from ..fields import EFFECTS, PIECES, EffectContext
from ..fields.samples import at_rest
from .model import Hold, Model
from .state import State


class Acted:
    """What fields acted on since it was last asked, and what anchors hold.

    counts  : samples of each movable space
    targets : of each field that is on, pieces (P,) bool
    """

    def __init__(
        self,
        shot: Shot,
        model: Model,
        state: State,
        counts: dict[str, int],
        targets: dict[str, Mask],
        evaluation: EvaluationContext,
    ) -> None:
        self._state = state
        self._bit = {item.name: k for k, item in enumerate(shot.fields)}
        self._acted = {name: np.zeros((count, len(shot.fields)), bool) for name, count in counts.items()}
        self._held_by = self._anchored(shot, model, targets, evaluation)
        self._marked = True
        # what is held while nothing else acts, and the bits of that
        self._held_alone: tuple[np.ndarray, dict[str, np.ndarray]] | None = None

    def _anchored(self, shot: Shot, model: Model, targets: dict[str, Mask], evaluation: EvaluationContext) -> Mask:
        """Which anchors hold which pieces (P, fields) bool."""
        out = np.zeros((model.piece_count, len(shot.fields)), bool)
        held = np.isin(model.pieces.hold, (Hold.FIXED, Hold.DRIVEN, Hold.TOUCH))
        samples = at_rest(PIECES, model.pieces.rest_center)
        for item in shot.fields:
            if item.on and item.effect.kind == "anchor":
                own = EFFECTS["anchor"].holds(item, EffectContext(samples, targets[item.name], evaluation))
                out[:, self._bit[item.name]] = held if own is None else held & own
        return out

    def mark(self, item: FieldItem, space: str, samples: Mask) -> None:
        """Note that a field acts on samples (n,) bool in this frame."""
        self._acted[space][:, self._bit[item.name]] |= samples
        self._marked = True

    def take(self) -> dict[str, np.ndarray]:
        """A bit for every field that acted on a sample since the last time this was asked, or holds it now: (n, b)
        uint8 by movable space, the first field in the first byte's lowest bit.
        """
        hold, alone = self._state.hold, self._held_alone
        if alone is not None and not self._marked and np.array_equal(alone[0], hold):
            return dict(alone[1])
        holds = self._held_by & (hold != Hold.FREE)[:, None]
        out = {name: np.packbits(acted, axis=1, bitorder="little") for name, acted in self._acted.items()}
        out[PIECES] = np.packbits(self._acted[PIECES] | holds, axis=1, bitorder="little")
        self._held_alone = None if self._marked else (hold.copy(), out)
        for acted in self._acted.values() if self._marked else ():
            acted[:] = False
        self._marked = False
        return dict(out)
