"""Calls of kernels that are compiled apart from their callers."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from numba.core import cgutils, types
from numba.extending import _Intrinsic

from . import Kernel, widened


def _typed(_context: Any, address: Any, kernel: Any, args: Any) -> tuple[Any, Callable[..., Any]]:
    """Of a call, its types and what makes code of it."""
    wanted = tuple(widened(x) for x in args)
    kernel.dispatcher.get_call_template(wanted, {})
    returned = kernel.dispatcher.overloads[wanted].signature.return_type  # type: ignore[attr-defined]

    def made(context: Any, builder: Any, signature: Any, values: Any) -> Any:
        given = signature.args[2].types
        sent = [
            context.cast(builder, builder.extract_value(values[2], k), one, other)
            for k, (one, other) in enumerate(zip(given, wanted, strict=True))
        ]
        kind = context.call_conv.get_function_type(returned, wanted)
        code = builder.inttoptr(values[0], kind.as_pointer())
        status, out = context.call_conv.call_function(builder, code, returned, wanted, sent)
        with cgutils.if_unlikely(builder, status.is_error):
            context.call_conv.return_status_propagate(builder, status)
        return out

    return returned(types.int64, kernel, args), made


class _CallApart(_Intrinsic):  # type: ignore[misc]
    def __call__(self, address: int, kernel: Kernel, args: tuple[Any, ...]) -> Any:  # in a rehearsal
        return kernel(*args)


call_apart = _CallApart("call_apart", _typed)
"""call_apart(address, kernel, args), in a kernel: call another by where its machine code is (``ApartKernel.address``).

What is called otherwise is laid into its caller and optimised with it once more, at every level above. So a large
kernel is compiled once, for itself, and who calls it in no time.
"""
call_apart._register()
