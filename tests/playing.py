"""Kernels played as plain Python."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from dynaclast.core.kernels import rehearse

T = TypeVar("T")


def played(run: Callable[[], T]) -> T:
    """What it returns, with all kernels in it as plain Python: to compile a few of them for all that a step works with
    takes ten seconds and more, and scenes run them compiled.
    """
    out: list[T] = []
    rehearse(lambda: out.append(run()), {})
    return out[0]
