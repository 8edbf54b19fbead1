"""Falloffs: functions of place and time giving a value 0 to 1."""

from .moment import Moment
from .value import value

__all__ = ["Moment", "value"]
