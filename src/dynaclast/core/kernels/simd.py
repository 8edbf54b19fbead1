"""Four numbers at a time, in kernels: a point, a force or a row of a block, and 0.

The compiler's own vectorisers are off, and would not see that a row of a block times a vector is one instruction. So
kernels may say so: ``three(x, i)`` is a row of an array with 0 as the fourth number; ``+``, ``-`` and ``*`` take four
numbers by four or by one; ``put`` writes them down. What is written has four columns where it can: it is one store
then, from which the next load is served. Nothing looks whether it has but ``four`` and ``put`` in a rehearsal, in which
these are arrays of four, and which comes before anything is compiled.

Source: Intel 2024, "Intel 64 and IA-32 Architectures Optimization Reference Manual", 3.6.4 (store forwarding).
"""

from __future__ import annotations

import operator
from collections.abc import Callable
from inspect import Parameter, Signature, signature
from typing import Any

import numpy as np
from llvmlite import ir
from numba.core import cgutils, types
from numba.core.datamodel import PrimitiveModel
from numba.core.typing import signature as of_kinds
from numba.core.typing.templates import ConcreteTemplate, infer_global
from numba.extending import _Intrinsic, lower_builtin

from ..arrays import Array

LANES = 4


class FourType(types.Type):  # type: ignore[misc]
    """Of four numbers, in a kernel."""

    def __init__(self) -> None:
        super().__init__("four")


FOUR = FourType()
_PLACE, _LANE, _NUMBER = ir.IntType(64), ir.IntType(32), ir.DoubleType()
_FOUR = ir.VectorType(_NUMBER, LANES)
_NONE, _ZERO = ir.Constant(_FOUR, ir.Undefined), ir.Constant(_FOUR, [0.0] * LANES)
_THREE = ir.Constant(ir.VectorType(ir.IntType(1), LANES), [1, 1, 1, 0])
_ALIGNED = 8
"""Bytes: rows begin anywhere."""


class FourModel(PrimitiveModel):  # type: ignore[misc]
    """How the compiler represents them: groups.models."""

    def __init__(self, manager: Any, kind: Any) -> None:
        super().__init__(manager, kind, _FOUR)


# ---------------------------------------------------------------------------- instructions


def _mixed(builder: Any, a: Any, b: Any, lanes: list[int]) -> Any:
    """Lanes of a (0 to 3) and of b (4 to 7)."""
    return builder.shuffle_vector(a, b, ir.Constant(ir.VectorType(_LANE, len(lanes)), lanes))


def _everywhere(builder: Any, number: Any) -> Any:
    return _mixed(builder, builder.insert_element(_NONE, number, _LANE(0)), _NONE, [0] * LANES)


def _address(context: Any, builder: Any, kind: Any, array: Any, places: list[Any]) -> Any:
    """Of a place in an array, or of where its numbers begin for the first indices."""
    found = context.make_helper(builder, kind, array)
    offset, each = _PLACE(0), _PLACE(1)
    for axis in range(kind.ndim - 1, -1, -1):
        if axis < len(places):
            offset = builder.add(offset, builder.mul(places[axis], each))
        each = builder.mul(each, builder.extract_value(found.shape, axis))
    return builder.gep(found.data, [offset])


def _arithmetic(instruction: str) -> Callable[..., Any]:
    def made(_context: Any, builder: Any, of: Any, values: Any) -> Any:
        a, b = (x if kind == FOUR else _everywhere(builder, x) for kind, x in zip(of.args, values, strict=True))
        return getattr(builder, instruction)(a, b)

    return made


_KINDS = [of_kinds(FOUR, FOUR, FOUR), of_kinds(FOUR, FOUR, types.float64), of_kinds(FOUR, types.float64, FOUR)]
for _operator, _instruction in (
    (operator.add, "fadd"),
    (operator.iadd, "fadd"),
    (operator.sub, "fsub"),
    (operator.isub, "fsub"),
    (operator.mul, "fmul"),
):
    infer_global(_operator)(type(f"_{_operator.__name__}", (ConcreteTemplate,), {"cases": _KINDS}))
    for _kinds in _KINDS:
        lower_builtin(_operator, *_kinds.args)(_arithmetic(_instruction))


# ------------------------------------------------------------------------------ operations

_WIDEST = {types.Integer: types.int64, types.IntegerLiteral: types.int64, types.Float: types.float64}


class _Operation(_Intrinsic):  # type: ignore[misc]
    def __init__(self, twin: Callable[..., Any], returns: Any, make: Callable[..., Any]) -> None:
        self._twin = twin

        def typed(_context: Any, *kinds: Any) -> tuple[Any, Callable[..., Any]]:
            def made(context: Any, builder: Any, of: Any, values: Any) -> Any:
                out = make(context, builder, of.args, values)
                return context.get_dummy_value() if out is None else out

            return returns(*(_WIDEST.get(type(x), x) for x in kinds)), made

        given = [Parameter("_", Parameter.POSITIONAL_ONLY), *signature(twin).parameters.values()]
        typed.__signature__ = Signature(given)  # type: ignore[attr-defined]
        super().__init__(twin.__name__, typed)
        self.__doc__ = twin.__doc__
        self._register()

    def __call__(self, *args: Any) -> Any:  # in a rehearsal
        return self._twin(*args)


def _operation(make: Callable[..., Any], returns: Any = FOUR) -> Callable[[Callable[..., Any]], Any]:
    """An operation: its plain twin, and what makes its instructions."""
    return lambda twin: _Operation(twin, returns, make)


def _load(context: Any, builder: Any, kinds: Any, values: Any) -> Any:
    pointer = _FOUR.as_pointer()
    kind = ir.FunctionType(_FOUR, [pointer, _LANE, _THREE.type, _FOUR])
    load = cgutils.get_or_insert_function(builder.module, kind, "llvm.masked.load.v4f64.p0v4f64")
    begin = builder.bitcast(_address(context, builder, kinds[0], values[0], values[1:]), pointer)
    return builder.call(load, [begin, _LANE(_ALIGNED), _THREE, _ZERO])


@_operation(_load)
def three(x: Array, i: int) -> Array:
    """The first three numbers of row i of x (n, 3 or more) float64, and 0."""
    return np.append(x[i, :3], 0.0)


@_operation(_load)
def block_row(m: Array, i: int, r: int) -> Array:
    """Row r of block i of m (n, 3, 3) float64, and 0."""
    return np.append(m[i, r], 0.0)


def _wide(x: Array) -> Array:
    """An array, where its rows are of four numbers; says so where they are not."""
    if x.shape[1:] != (LANES,):
        raise ValueError(f"four numbers are no row of an array {x.shape}: give it {LANES} columns")
    return x


def _load_four(context: Any, builder: Any, kinds: Any, values: Any) -> Any:
    begin = _address(context, builder, kinds[0], values[0], values[1:])
    out = builder.load(builder.bitcast(begin, _FOUR.as_pointer()))
    out.align = _ALIGNED
    return out


@_operation(_load_four)
def four(x: Array, i: int) -> Array:
    """Row i of x (n, 4) float64."""
    return np.array(_wide(x)[i])


def _put(context: Any, builder: Any, kinds: Any, values: Any) -> None:
    begin = _address(context, builder, kinds[1], values[1], values[2:])
    builder.store(values[0], builder.bitcast(begin, _FOUR.as_pointer())).align = _ALIGNED


@_operation(_put, types.void)
def put(a: Array, x: Array, i: int) -> None:
    """Write four numbers down as row i of x (n, 4) float64."""
    _wide(x)[i] = a


def _add_block(context: Any, builder: Any, kinds: Any, values: Any) -> None:
    begin, to = (_address(context, builder, kinds[k], values[k], [values[k + 1]]) for k in (0, 3))
    scale, pointer = _everywhere(builder, values[2]), _FOUR.as_pointer()
    for first in (0, LANES):
        one, other = (builder.bitcast(builder.gep(x, [_PLACE(first)]), pointer) for x in (begin, to))
        a, b = builder.load(one), builder.load(other)
        a.align = b.align = _ALIGNED
        builder.store(builder.fadd(builder.fmul(scale, a), b), other).align = _ALIGNED
    one, other = (builder.gep(x, [_PLACE(2 * LANES)]) for x in (begin, to))
    builder.store(builder.fadd(builder.fmul(values[2], builder.load(one)), builder.load(other)), other)


@_operation(_add_block, types.void)
def add_block(m: Array, i: int, scale: float, out: Array, o: int) -> None:
    """out[o] += scale m[i]: blocks (3, 3) float64, eight numbers of nine four by four."""
    out[o] += scale * m[i]


@_operation(lambda _context, builder, _kinds, values: _everywhere(builder, values[0]))
def everywhere(number: float) -> Array:
    """A number, four times."""
    return np.full(LANES, number)


def _spread(_context: Any, builder: Any, _kinds: Any, values: Any) -> Any:
    return _everywhere(builder, builder.extract_element(values[0], values[1]))


@_operation(_spread)
def spread(a: Array, k: int) -> Array:
    """One of four numbers, four times."""
    return np.full(LANES, a[k])


@_operation(lambda _context, builder, _kinds, values: builder.extract_element(values[0], values[1]), types.float64)
def lane(a: Array, k: int) -> float:
    """One of four numbers."""
    return float(a[k])


def _sums(_context: Any, builder: Any, _kinds: Any, values: Any) -> Any:
    a, b, c = values
    u = builder.fadd(_mixed(builder, a, b, [0, 4, 2, 6]), _mixed(builder, a, b, [1, 5, 3, 7]))
    v = builder.fadd(_mixed(builder, c, _ZERO, [0, 4, 2, 6]), _mixed(builder, c, _ZERO, [1, 5, 3, 7]))
    return builder.fadd(_mixed(builder, u, v, [0, 1, 4, 5]), _mixed(builder, u, v, [2, 3, 6, 7]))


@_operation(_sums)
def sums(a: Array, b: Array, c: Array) -> Array:
    """What each adds up to, and 0."""
    return np.array([a.sum(), b.sum(), c.sum(), 0.0])


def _total(_context: Any, builder: Any, _kinds: Any, values: Any) -> Any:
    two = builder.fadd(values[0], _mixed(builder, values[0], _NONE, [2, 3, 0, 1]))
    return builder.fadd(builder.extract_element(two, _LANE(0)), builder.extract_element(two, _LANE(1)))


@_operation(_total, types.float64)
def total(a: Array) -> float:
    """What four numbers add up to."""
    return float(a.sum())


def _cross(_context: Any, builder: Any, _kinds: Any, values: Any) -> Any:
    (a, p), (b, q) = (
        (_mixed(builder, x, _NONE, [1, 2, 0, 3]), _mixed(builder, x, _NONE, [2, 0, 1, 3])) for x in values
    )
    return builder.fsub(builder.fmul(a, q), builder.fmul(p, b))


@_operation(_cross)
def cross_three(a: Array, b: Array) -> Array:
    """The vector product of the first three, and 0."""
    return np.append(np.cross(a[:3], b[:3]), 0.0)


def _clear(context: Any, builder: Any, kinds: Any, values: Any) -> None:
    begin, end = (_address(context, builder, kinds[0], values[0], [x]) for x in values[1:])
    size = builder.sub(builder.ptrtoint(end, _PLACE), builder.ptrtoint(begin, _PLACE))
    cgutils.memset(builder, builder.bitcast(begin, ir.IntType(8).as_pointer()), size, 0)


@_operation(_clear, types.void)
def clear(x: Array, begin: int, end: int) -> None:
    """Fill x (n, ...) with 0 from begin to end, in one go: a slice is filled row by row."""
    x[begin:end] = 0
