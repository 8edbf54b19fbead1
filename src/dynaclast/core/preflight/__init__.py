"""Checks made before a run."""

from .checks import preflight
from .finding import Finding

__all__ = ["Finding", "preflight"]
