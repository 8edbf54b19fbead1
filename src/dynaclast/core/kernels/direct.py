"""Calls by Python of kernels that take hundreds of arrays.

The compiler's own way takes each argument apart at every call, array by array, which takes longer than a small scene
is computed in, and the code that does it is by far the largest part of such a kernel. Here arguments are written down
once as kernels read them (groups.py), and only what is another object than in the call before is written anew. Other
threads of Python go on while such a kernel runs.
"""

from __future__ import annotations

import ctypes
import struct
from collections import Counter
from collections.abc import Iterator
from typing import Any

import numpy as np
from llvmlite import ir

from . import ApartKernel, rehearsing
from .compiler import representation
from .groups import layout, member

ARRAY_WORDS = 5
"""Numbers of an array before its shape and strides: who keeps and who made it, entries, bytes of one, its address."""
FORMATS = {1: "B", 8: "B", 16: "h", 32: "i", 64: "q"}
"""Of whole numbers of so many bits, as ``struct`` has them."""


class _OtherKind(Exception):
    """An array of another kind than the kernel was compiled for."""


def _kind_of(array: np.ndarray) -> tuple[Any, ...]:
    """What of an array its type depends on."""
    flags = array.flags
    return array.dtype, array.ndim, flags.c_contiguous, flags.f_contiguous or flags.c_contiguous, flags.writeable


def _words(array: np.ndarray) -> tuple[int, ...]:
    """An array as kernels have it; they count no references, so nobody keeps it and nobody made it."""
    address = array.__array_interface__["data"][0]
    return 0, 0, array.size, array.itemsize, address, *array.shape, *array.strides


class _Kept:
    """A value, and where in memory it is written."""

    __slots__ = ("_at", "_form", "_kind", "_memory", "_parts", "_value")

    def __init__(self, value: Any, kind: ir.Type, memory: memoryview, at: int) -> None:
        self._memory, self._at, self._value, self._kind = memory, at, None, None
        self._parts: list[_Kept] = []
        self._form = ""
        if isinstance(value, tuple):
            begins = layout(kind)[2]
            self._parts = [_Kept(x, member(kind, k), memory, at + begins[k]) for k, x in enumerate(value)]
        elif isinstance(value, np.ndarray):
            self._kind = _kind_of(value)
            self._form = f"{ARRAY_WORDS + 2 * value.ndim}q"
        elif isinstance(kind, ir.IntType):
            self._form = FORMATS[kind.width]
        else:
            self._form = "d" if isinstance(kind, ir.DoubleType) else "f"
        self.write(value)

    def write(self, value: Any) -> None:
        """Raises _OtherKind."""
        if value is self._value:
            return
        self._value = None  # should it end half-way
        if self._parts:
            for part, one in zip(self._parts, value, strict=True):
                part.write(one)
        elif self._kind is not None:
            if _kind_of(value) != self._kind:
                raise _OtherKind
            struct.pack_into(self._form, self._memory, self._at, *_words(value))
        elif self._form:
            struct.pack_into(self._form, self._memory, self._at, value)
        self._value = value


def _flat(kind: ir.Type, value: Any) -> Iterator[Any]:
    """Numbers that a value is handed on as, where it is no large group; kind: of its representation."""
    if isinstance(value, tuple):
        for k, one in enumerate(value):
            yield from _flat(member(kind, k), one)
    elif isinstance(value, np.ndarray):
        yield from _words(value)
    else:
        yield value


_known: dict[int, tuple[Any, ir.Type, ir.Type]] = {}


def _written_as(kind: Any) -> tuple[ir.Type, ir.Type]:
    """How values of a type lie in memory, and are handed on. There is one object of each type: to look it up by what it
    is made of goes through all of that.
    """
    if id(kind) not in _known:
        model = representation(kind)
        _known[id(kind)] = kind, model.get_value_type(), model.get_argument_type()
    return _known[id(kind)][1:]


class WrittenGroups:
    """Large groups of arrays, as kernels read them. Calls that share these write a group down once for all of them; the
    calls then follow one another in one thread.
    """

    def __init__(self) -> None:
        self._known: dict[tuple[int, int], tuple[_Kept, np.ndarray, Any]] = {}

    def place_of(self, value: tuple[Any, ...], kind: Any, whole: ir.Type, number: int) -> tuple[_Kept, np.ndarray]:
        """Where a group is written.

        kind   : its type, of which there is one object alone; whole: as it lies in memory
        number : of groups of this type in the same call, which lie apart
        """
        key = id(kind), number
        if key not in self._known:
            memory = np.zeros(layout(whole)[0] // 8 + 1, np.int64)
            self._known[key] = _Kept(value, whole, memory.data.cast("B"), 0), memory, kind
        return self._known[key][:2]


class DirectCall:
    """A kernel to be called again and again with mostly the same arguments. It keeps those of its last call alive."""

    def __init__(self, kernel: ApartKernel, groups: WrittenGroups | None = None) -> None:
        """groups: that it shares with other calls"""
        self.kernel = kernel
        self._groups = groups or WrittenGroups()
        self._given: tuple[Any, ...] = ()
        self._numbers: list[Any] = []
        self._code: Any = None

    def __call__(self, *args: Any) -> int:
        """Returns the whole number that the kernel does, 0 where it returns nothing."""
        if rehearsing():
            return int(self.kernel(*args) or 0)
        try:
            self._write(args)
        except _OtherKind:
            self._begin(args)
            self._write(args)
        self._out[0] = 0
        status = self._code(self._out, self._out, *self._numbers)
        if status not in (0, -2):  # of what returns, and of what returns nothing
            raise RuntimeError(f"{self.kernel.__name__} ended with status {status}")
        return self._out[0]

    def _begin(self, args: tuple[Any, ...]) -> None:
        """Write everything down."""
        address, kinds = self.kernel.code_for(*args)
        self._out = (ctypes.c_int64 * 2)()
        self._kept: list[_Kept | None] = []
        self._memory: list[np.ndarray] = []
        self._shape: list[ir.Type] = []
        self._at: list[int] = []
        formats: list[Any] = []
        seen: Counter[int] = Counter()
        for value, kind in zip(args, kinds, strict=True):
            whole, handed = _written_as(kind)
            self._shape.append(whole)
            self._at.append(len(formats))
            if isinstance(value, tuple) and isinstance(handed, ir.PointerType):
                kept, memory = self._groups.place_of(value, kind, whole, seen[id(kind)])
                seen[id(kind)] += 1
                kept.write(value)
                self._memory.append(memory)
                self._kept.append(kept)
                flat: list[Any] = [memory.ctypes.data]
            else:
                self._kept.append(None)
                flat = list(_flat(whole, value))
            formats += [ctypes.c_double if isinstance(x, float) else ctypes.c_int64 for x in flat]
            self._numbers[self._at[-1] :] = flat
        self._given = args
        pointer = ctypes.POINTER(ctypes.c_int64)
        self._code = ctypes.CFUNCTYPE(ctypes.c_int32, pointer, pointer, *formats)(address)

    def _write(self, args: tuple[Any, ...]) -> None:
        """Write down what is another object than in the call before. Raises _OtherKind."""
        if not self._given:
            raise _OtherKind
        for k, (value, before) in enumerate(zip(args, self._given, strict=True)):
            kept = self._kept[k]
            if kept is not None:
                kept.write(value)  # also where it is as before: another call may have written there since
                continue
            if value is before:
                continue
            if isinstance(value, np.ndarray) and _kind_of(value) != _kind_of(before):
                raise _OtherKind
            flat = list(_flat(self._shape[k], value))
            self._numbers[self._at[k] : self._at[k] + len(flat)] = flat
        self._given = args
