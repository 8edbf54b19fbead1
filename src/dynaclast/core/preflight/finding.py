"""What preflight says about a part of a shot."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Finding:
    """One finding: which part (step of the work), about what, why it matters, what to do.

    grave: "stop" (a bake would fail) or "check" (it would surprise)
    """

    code: str
    grave: str
    step: str
    about: str
    sentence: str
    remedy: str
