"""Groups of arrays come whole to whom they are handed by their address."""

from __future__ import annotations

from typing import NamedTuple

import numba
import numpy as np
import pytest
from llvmlite import ir
from numba.core.registry import cpu_target

from dynaclast.core.kernels import groups, kernel
from dynaclast.core.kernels.compiler import sparing

I1, I8, I32, I64 = (ir.IntType(n) for n in (1, 8, 32, 64))
F32, F64 = ir.FloatType(), ir.DoubleType()
STRUCT = ir.LiteralStructType


class Small(NamedTuple):
    x: np.ndarray
    flag: bool
    y: np.ndarray


class Alike(NamedTuple):
    """All of one type, which is represented as an array of them."""

    a: np.ndarray
    b: np.ndarray
    c: np.ndarray


class Numbers(NamedTuple):
    n: int
    share: float


class Large(NamedTuple):
    """Members of all sizes, so that some begin beyond the end of the one before."""

    first: np.ndarray
    on: bool
    n: int
    table: np.ndarray
    half: np.float32
    small: Small
    off: bool
    alike: Alike
    numbers: Numbers
    last: np.ndarray


@kernel(inner=True)
def _of_small(small, k):
    return small.x[k] - small.y[k] if small.flag else small.y[k] * 0.5


@kernel(inner=True)
def _of_alike(alike, k):
    return alike.a[k] + 10.0 * alike.b[k] + 100.0 * alike.c[k]


@kernel(inner=True)
def _of_large(large, k):
    """Hands on members, and writes into one while it reads the others."""
    total = large.half * large.table[k, 1] + _of_alike(large.alike, k) + large.numbers.share + large.n
    for j in range(large.numbers.n):
        total += _of_small(large.small, j) + large.first[j]
        large.last[j] = total
    return total if large.on and not large.off else -total


@kernel(inner=True)
def _deep(large, k, n):
    """Hands it on as it was handed, to itself."""
    if n == 0:
        return _of_large(large, k)
    return _deep(large, k, n - 1) * 0.5 + large.last[k]


@kernel
def uses(large, times):
    """Groups made anew in each pass of a loop, in one branch or the other, beside one that comes from outside."""
    total = 0.0
    for k in range(times):
        own = Small(large.first, k % 2 == 0, large.small.x)
        total += _of_small(own, k)
        if k > 1:
            own = large.small
        total += 3.0 * _of_small(own, k)
        mixed = Alike(large.last, large.alike.a, large.first)
        total += _of_alike(mixed, k) + _of_large(large, k) + _deep(large, k, 3)
    return total


@kernel(allocates=True)
def counted(large):
    """References to arrays are counted here."""
    total = np.zeros(3)
    own = Alike(total, large.first, large.last)
    for k in range(3):
        total[k] = _of_alike(own, k) + _of_large(large, k)
    return total


def large(on: bool = True) -> Large:
    rng = np.random.default_rng(4)
    x = [rng.normal(size=5) for _ in range(7)]
    return Large(
        x[0],
        on,
        -7,
        rng.normal(size=(5, 2)),
        np.float32(0.25),
        Small(x[1], True, x[2]),
        False,
        Alike(*x[3:6]),
        Numbers(4, 0.125),
        x[6],
    )


@pytest.mark.parametrize("on", [True, False])
def test_kernels_give_what_python_gives_from_groups_in_groups(on: bool) -> None:
    compiled, plain = large(on), large(on)
    slow = {f: f.py_func for f in (_of_small, _of_alike, _of_large, _deep)}
    names = uses.py_func.__globals__
    fast = {f.__name__: names[f.__name__] for f in slow}
    names.update({f.__name__: p for f, p in slow.items()})
    try:
        wanted = uses.py_func(plain, 5), counted.py_func(plain)
    finally:
        names.update(fast)
    assert uses(compiled, 5) == pytest.approx(wanted[0], rel=1e-12)
    assert counted(compiled) == pytest.approx(wanted[1], rel=1e-12)
    assert compiled.last == pytest.approx(plain.last, rel=1e-12)


def test_a_large_group_is_one_number_to_whom_it_is_handed_and_a_small_one_its_members() -> None:
    context = cpu_target.target_context
    whole, few = numba.typeof(large()), numba.typeof(Numbers(1, 2.0))
    with sparing():
        assert len(context.get_arg_packer((whole, few)).argument_types) == 1 + 2
    assert len(context.get_arg_packer((whole, few)).argument_types) > 60, "other packages' functions as ever"


@pytest.mark.parametrize(
    "kind",
    [
        STRUCT([I8, F64, I1, I32]),
        STRUCT([I64, STRUCT([I1, F32, ir.ArrayType(I64, 3)]), I8, I8.as_pointer(), ir.ArrayType(I8, 3), F64]),
        ir.ArrayType(STRUCT([F64, I1]), 4),
        STRUCT([STRUCT([I1]), I1, STRUCT([I32, I1]), I64]),
    ],
    ids=str,
)
def test_members_are_where_the_compiler_puts_them(kind: ir.Type) -> None:
    target = cpu_target.target_context.target_data
    size, multiple, begins = groups.layout(kind)
    assert size == kind.get_abi_size(target) and multiple == kind.get_abi_alignment(target)
    if isinstance(kind, ir.ArrayType):
        assert begins == [k * kind.element.get_abi_size(target) for k in range(kind.count)]
    else:
        assert begins == [kind.get_element_offset(target, k) for k in range(len(kind.elements))]


def test_what_was_put_into_a_value_is_taken_from_it_without_the_value() -> None:
    function = ir.Function(ir.Module(), ir.FunctionType(ir.VoidType(), [F64, F64]), "f")
    builder = ir.IRBuilder(function.append_basic_block())
    first, second = function.args
    made = builder.insert_value(ir.Constant(STRUCT([F64, F64]), ir.Undefined), first, 0)
    made = builder.insert_value(made, second, 1)
    made = builder.insert_value(made, second, 0)
    assert groups.extract_value(builder, made, 0) is second and groups.extract_value(builder, made, [1]) is second
    assert groups.extract_value(builder, ir.Constant(STRUCT([F64]), ir.Undefined), 0).opname == "extractvalue"


def test_of_reads_of_whole_groups_those_stay_that_are_used() -> None:
    pair = STRUCT([F64, F64])
    module = ir.Module()
    function = ir.Function(module, ir.FunctionType(ir.VoidType(), [pair.as_pointer(), pair.as_pointer()]), "f")
    builder = ir.IRBuilder(function.append_basic_block())
    whole, unread = (groups._read(builder, argument, pair) for argument in function.args)
    builder.store(whole, function.args[1])
    half = groups.extract_value(builder, unread, 1)
    builder.store(half, builder.alloca(F64))
    builder.ret_void()
    groups.drop_unread(module)
    left = function.entry_basic_block.instructions
    assert whole in left and half in left and unread not in left
