"""How kernels are compiled."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping, Set
from typing import Any

import numpy as np
from numba import typeof
from numba._dispatcher import compute_fingerprint
from numba.core.compiler_lock import global_compiler_lock
from numba.core.registry import CPUDispatcher
from numba.core.types import Integer, int64, unliteral  # type: ignore[attr-defined]

from .compiler import sparing

FUSED = frozenset({"contract", "nsz"})
"""Multiply and add in one instruction; the compiled code, and so the result, stays the same from run to run."""


def _undisturbed(work: Callable[[], Any]) -> Any:
    """What the compiler does, in a thread of its own: who asked may be stopped at any step (jobs.interrupt), and the
    compiler's own tables would stay torn for good.
    """
    if global_compiler_lock.is_locked():  # asked by the compiler itself
        return work()
    out: list[Any] = []
    wrong: list[BaseException] = []

    def run() -> None:
        try:
            with global_compiler_lock:
                out.append(work())
        except BaseException as exc:
            wrong.append(exc)

    thread = threading.Thread(target=run, name="compiler")
    thread.start()
    thread.join()
    if wrong:
        raise wrong[0]
    return out[0]


def widened(kind: Any) -> Any:
    """The type that a kernel takes an argument of this type as."""
    kind = unliteral(kind)
    return int64 if isinstance(kind, Integer) and kind.signed else kind  # type: ignore[attr-defined]


class Kernel(CPUDispatcher):  # type: ignore[misc]
    """A function over arrays, compiled for the types it is called with."""

    inner = False

    def compile(self, sig: Any) -> Any:
        def work() -> Any:
            with sparing(self.inner):
                return CPUDispatcher.compile(self, sig)

        return _undisturbed(work)

    def get_call_template(self, args: Any, kws: Any) -> Any:
        """For calls by kernels. Whole numbers are passed as int64, be they int32 or written out in the call: else a
        kernel would be compiled once more for each way of calling it.
        """
        return super().get_call_template(tuple(widened(x) for x in args), kws)

    @property
    def arguments(self) -> tuple[str, ...]:
        """Their names."""
        return self.py_func.__code__.co_varnames[: self.py_func.__code__.co_argcount]

    def compile_for(self, *args: Any) -> None:
        """Compile for such arguments, without a call."""
        self.compile(tuple(typeof(x) for x in args))


class InnerKernel(Kernel):
    """One that only kernels can call."""

    inner = True

    def __call__(self, *_: Any) -> Any:
        raise TypeError(
            f"{self.__name__} is an inner kernel: Python cannot call it. Call it from a kernel, or take "
            f"inner=True away."
        )


class ApartKernel(InnerKernel):
    """One that is called by where its machine code is: by kernels (apart.call_apart), by Python (direct.DirectCall)."""

    inner = False  # it has machine code of its own

    def address(self, *args: Any) -> int:
        """Where the machine code for such arguments is, compiled or read from disk."""
        return self.code_for(*args)[0]

    def code_for(self, *args: Any) -> tuple[int, tuple[Any, ...]]:
        """That, and the types it takes, worked out once: of a few hundred arrays it takes as long as several frames."""
        known = self.__dict__.setdefault("_addresses", {})
        alike = compute_fingerprint(args)
        if alike not in known:
            known[alike] = self._code_for(args)
        found: tuple[int, tuple[Any, ...]] = known[alike]
        return found

    def _code_for(self, args: tuple[Any, ...]) -> tuple[int, tuple[Any, ...]]:
        kinds = tuple(widened(typeof(x)) for x in args)
        self.compile(kinds)
        made = self.overloads[kinds]  # type: ignore[attr-defined]
        return int(made.library.get_pointer_to_function(made.fndesc.llvm_func_name)), kinds


def kernel(
    function: Callable[..., Any] | None = None,
    *,
    allocates: bool = False,
    inline: bool = False,
    inner: bool = False,
    apart: bool = False,
    fastmath: Set[str] = FUSED,
) -> Any:
    """Compile a function over arrays, once and for all: the machine code is kept beside its source.

    A kernel counts no references to arrays, since every row looked at (``x[i]``) would be counted up and down, in steps
    that stop the processor: the solver's sweeps then take twice as long. So it can make no arrays either: its scratch
    is handed in. The few that are called once a step and make their own say ``allocates``.

    An index counts from the start, never from the end: ``x[-1]`` would reach before the array (compiler.py; a test
    looks for it).

    inline : laid into its callers, and compiled with them
    inner : called by kernels only, so that nothing need be compiled by which Python calls it, which takes as long as a
    small kernel itself
    apart : likewise, but large, and not laid into its callers: they call it by its address; so can Python
    """

    def compiled(f: Callable[..., Any]) -> Any:
        options = {
            "nopython": True,
            "error_model": "numpy",
            "fastmath": set(fastmath),
            "_nrt": allocates,
            "inline": "always" if inline else "never",
        }
        kind = ApartKernel if apart else InnerKernel if inner else Kernel
        made = kind(f, targetoptions=options | {"no_cfunc_wrapper": True, "no_cpython_wrapper": inner or apart})
        made.enable_caching()
        return made

    return compiled if function is None else compiled(function)


def rehearsing() -> bool:
    """Whether kernels are played."""
    return "__call__" in Kernel.__dict__


def rehearse(run: Callable[[], Any], instead: Mapping[Kernel, Callable[..., Any]]) -> dict[Kernel, tuple[Any, ...]]:
    """Run without compiling: kernels are played as plain Python, which is slow, in place of those in ``instead``
    what stands there.
    Returns the kernels that Python called, and with what."""
    calls: dict[Kernel, tuple[Any, ...]] = {}
    depth = 0

    def played(self: Kernel, *args: Any) -> Any:
        nonlocal depth
        if depth == 0:
            calls.setdefault(self, args)
        if self in instead:
            return instead[self](*args)
        depth += 1
        try:
            return self.py_func(*args)
        finally:
            depth -= 1

    real, address = InnerKernel.__call__, ApartKernel.address
    Kernel.__call__ = InnerKernel.__call__ = played  # type: ignore[method-assign]
    ApartKernel.address = lambda self, *_: 0  # type: ignore[method-assign]
    try:
        with np.errstate(all="ignore"):
            run()
    finally:
        del Kernel.__call__
        InnerKernel.__call__, ApartKernel.address = real, address  # type: ignore[method-assign]
    return calls
