"""What holds vertices from the start, and what draws them back to it: pins, anchors, recall."""

from __future__ import annotations

import numpy as np

from ....arrays import Array, Index, Mask
from ....document import AnchorEffect, Body, Shot
from ....errors import InputError
from ....falloff import EvaluationContext, value
from ....fields.base import among
from ....fields.pose import pose_of
from ....fracture.pieces import Pieces
from ....timeline.channels import shared_at
from ..ties import nearest_piece
from .part import Part


def hold(shot: Shot, body: Body, part: Part, built: list[Pieces], body_first: Index) -> None:
    """Pins and recall of a body."""
    evaluation = EvaluationContext(fps=float(shot.timing.fps), shared=shared_at(shot.falloffs, 0.0))
    names = {b.name: k for k, b in enumerate(shot.bodies)}

    def take_along(by: Index, own: Mask, name: str | None, x: Array) -> None:
        """Let vertices (V,) at x (V, 3) go along with the nearest piece of a body of this name, if there is one."""
        if name is not None:
            b = names[name]
            for i in np.flatnonzero(own):
                by[i] = body_first[b] + nearest_piece(shot.bodies[b], built[b], x[i])

    def pin(own: Mask, name: str | None) -> None:
        """Pin vertices (V,) to the world or a body of this name; an active one is held by them as they are by it."""
        own &= ~part.pinned & (part.tied_to < 0)
        if name is not None and shot.bodies[names[name]].role == "active":
            take_along(part.tied_to, own, name, part.start)
            return
        part.pinned |= own
        take_along(part.carried_by, own, name, part.start)

    for k, pins in enumerate(body.pins):
        own = value(pins.reach, part.x, evaluation) >= pins.cut
        if not own.any():
            raise InputError(
                f"these pins of {body.name} hold no vertex; move their reach or widen it",
                where=f"{body.name}.pins[{k}]",
            )
        pin(own, pins.to)
    for item in shot.fields:
        if item.on and isinstance(item.effect, AnchorEffect) and among(item.targets, [body.column])[0]:
            reach = value(item.reach, pose_of(item, evaluation).to_document(part.start), evaluation)
            pin(reach >= item.effect.cut, item.effect.carrier)
    for recall in body.recall:
        rate = recall.rate * value(recall.reach, part.x, evaluation)
        own = rate > part.recall  # of several the fastest draws
        part.recall[own], part.drawn_by[own] = rate[own], -1
        take_along(part.drawn_by, own, recall.to, part.x)
