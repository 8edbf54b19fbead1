"""Falloffs: functions of place giving a value 0 to 1."""

from .value import value

__all__ = ["value"]
