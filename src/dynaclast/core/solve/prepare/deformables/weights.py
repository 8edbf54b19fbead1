"""Numbers of deformable matter that differ from place to place."""

from __future__ import annotations

from ....arrays import Array
from ....document import Shot, VertexWeight
from ....falloff import EvaluationContext
from ....falloff.weights import factors
from ....timeline.channels import shared_at


class Weights:
    """The weights of a body: factors at points of the world at the start."""

    def __init__(self, shot: Shot, weights: list[VertexWeight]) -> None:
        self._weights = weights
        self._evaluation = EvaluationContext(fps=float(shot.timing.fps), shared=shared_at(shot.falloffs, 0.0))

    def __call__(self, of: str, x: Array) -> Array:
        """Factors (n,) on this number at points (n, 3) [m]."""
        return factors(self._weights, of, x, self._evaluation)
