"""Falloffs: functions of place and time giving a value 0 to 1."""

from .context import EvaluationContext
from .value import value

__all__ = ["EvaluationContext", "value"]
