"""Checks made before a run."""

from .checks import Finding, preflight

__all__ = ["Finding", "preflight"]
