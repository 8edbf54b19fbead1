"""Fields that cannot act, whatever the run: a bake refuses them, or leaves them out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..document import FieldItem, Layer, Shot
from ..errors import DocumentError, DynaclastError
from ..falloff import EvaluationContext, value
from ..falloff.formula import is_number
from ..falloff.value import layers_of, names_at
from ..timeline.channels import shared_at

LOOK_AT = np.random.default_rng(12).uniform(-20.0, 20.0, (64, 3))
"""Points at which an expression is tried."""


@dataclass(frozen=True)
class Fault:
    """A field of the shot that cannot act: its row, its name, and why."""

    row: int
    field: str
    why: str


def faults(shot: Shot) -> list[Fault]:
    """Fields that are on and cannot act: without targets, with a reach of no size, a damaged picture or recording, or
    an expression that is no number anywhere.
    """
    shared = shared_at(shot.falloffs, 0.0)
    moment = EvaluationContext(fps=float(shot.timing.fps), shared=shared)
    out = []
    for row, item in enumerate(shot.fields):
        why = _why(item, moment) if item.on else None
        if why is not None:
            out.append(Fault(row, item.name, why))
    return out


def _why(item: FieldItem, moment: EvaluationContext) -> str | None:
    if item.targets == [] or item.tiers == [] or item.states == []:
        return "it has no targets"
    layers = layers_of(item.reach, moment).layers
    if all(_no_size(layer) for layer in layers):
        return "its reach has no size"
    for k, layer in enumerate(layers):
        if layer.shape.kind == "expression" and not is_number(
            layer.shape.text,
            names_at(LOOK_AT, np.full(len(LOOK_AT), 0.5), layers_of(item.reach, moment), moment, layer.shape.seed),
            len(LOOK_AT),
        ):
            return f"the expression of layer {k + 1} is no number at any point that was tried"
    try:
        value(item.reach, LOOK_AT[:1], moment)
    except DynaclastError as exc:
        return exc.message
    return None


def _no_size(layer: Layer) -> bool:
    """A shape without core and edge, which holds no point."""
    shape = layer.shape
    return (
        shape.kind in ("sphere", "cylinder", "capsule", "torus")
        and shape.core == 0
        and shape.edge == 0
        and not layer.invert
    )


def without(shot: Shot, found: list[Fault]) -> Shot:
    """The shot with these fields switched off."""
    rows = {f.row for f in found}
    return shot.model_copy(
        update={
            "fields": [
                item.model_copy(update={"on": False}) if k in rows else item for k, item in enumerate(shot.fields)
            ]
        }
    )


def refuse(found: list[Fault], how: str) -> None:
    """Raise DocumentError naming the fields; ``how`` says how to bake without them."""
    if found:
        raise DocumentError(
            [(f"fields[{f.row}]", f"{f.field} cannot act: {f.why}. Mend it, switch it off, or {how}") for f in found]
        )
