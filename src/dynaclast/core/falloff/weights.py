"""What is weighed of a body that deforms: one source for the run and for what is shown."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, get_args

import numpy as np

from ..arrays import Array
from ..document import Body, VertexWeight
from .context import EvaluationContext
from .value import value

NUMBERS = get_args(VertexWeight.model_fields["of"].annotation)


def factors(weights: list[VertexWeight], of: str, x: Array, evaluation: EvaluationContext) -> Array:
    """Factors (n,) on a number of its matter at points (n, 3) [m], of the world and the shape at rest."""
    out = np.ones(len(x))
    for weight in weights:
        if weight.of == of and len(x):
            out *= weight.low + value(weight.reach, x, evaluation) * (weight.high - weight.low)
    return out


def recall_rates(body: Body, x: Array, evaluation: EvaluationContext) -> Array:
    """Rates (n,) [1/s] at which points (n, 3) [m] are drawn back."""
    out = np.zeros(len(x))
    for pull in body.recall:
        out = np.maximum(out, pull.rate * value(pull.reach, x, evaluation))
    return out


def weights_at(body: Body, x: Array, evaluation: EvaluationContext) -> dict[str, Array]:
    """All that is weighed at points (n, 3) [m]: of each pins, recall and weight the value of its falloff, as pins.0,
    recall.0, weights.0; and what comes of all: pins (the greatest value), recall [1/s], and factors by their numbers.
    """
    parts: dict[str, Sequence[Any]] = {"pins": body.pins, "recall": body.recall, "weights": body.weights}
    out = {f"{name}.{k}": value(p.reach, x, evaluation) for name, some in parts.items() for k, p in enumerate(some)}
    if body.pins:
        out["pins"] = np.max([out[f"pins.{k}"] for k in range(len(body.pins))], axis=0)
    if body.recall:
        out["recall"] = recall_rates(body, x, evaluation)
    for of in NUMBERS:
        if any(w.of == of for w in body.weights):
            out[of] = factors(body.weights, of, x, evaluation)
    return out
