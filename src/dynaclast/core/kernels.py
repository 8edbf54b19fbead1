"""How kernels are compiled."""

from __future__ import annotations

from collections.abc import Callable, Set
from typing import Any

import numba

FUSED = frozenset({"contract", "nsz"})
"""Multiply and add in one instruction; the compiled code, and so the result, stays the same from run to run."""


def kernel(function: Callable[..., Any] | None = None, *, allocates: bool = False, inline: bool = False, fastmath: Set[str] = FUSED) -> Any:
    """Compile a function over arrays, once and for all: the machine code is kept beside its source.

    A kernel counts no references to arrays, since every row looked at (``x[i]``) would be counted up and down, in steps that stop the processor:
    the solver's sweeps then take twice as long. So it can make no arrays either: its scratch is handed in. The few that are called
    once a step and make their own say ``allocates``.

    inline : laid into its callers, and compiled with them
    """

    def compiled(f: Callable[..., Any]) -> Any:
        return numba.njit(cache=True, error_model="numpy", fastmath=set(fastmath), _nrt=allocates, inline="always" if inline else "never")(f)

    return compiled if function is None else compiled(function)
