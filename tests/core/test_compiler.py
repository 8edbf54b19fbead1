"""What the compiler is spared must not change what it makes."""

from __future__ import annotations

import ast
import gc
import math
from collections.abc import Iterator
from pathlib import Path
from types import SimpleNamespace
from typing import NamedTuple

import numba
import numpy as np
import pytest
from llvmlite import ir
from llvmlite.binding import Linkage
from numba.core import inline_closurecall
from numba.core.caching import NullCache
from numba.core.callconv import CPUCallConv
from numba.core.compiler import Flags
from numba.core.lowering import Lower
from numba.core.registry import cpu_target
from numba.core.types.functions import BaseFunction
from numba.np import arrayobj

import dynaclast.core
from dynaclast.core.kernels import compiler, kernel, rehearse
from dynaclast.core.kernels.apart import call_apart
from dynaclast.core.kernels.compiler import sparing


@kernel(inner=True)
def _twice(x):
    return 2.0 * x


@kernel
def mixed(a, k, flag):
    """Calls of one operator with many types: each must be typed for its own."""
    total = 0.0
    for i in range(len(a)):
        total += a[i] * k + _twice(a[i]) - (i % 3) / 2
        if flag and i > k:
            total -= math.floor(a[i]) ** 2
    return total + np.sqrt(k + 1) + (k << 1) + (flag and k > 2)


@kernel(inner=True)
def _scaled(x, n):
    return x * n


@kernel
def scaled_often(x, counts, far):
    return _scaled(x, 3) + _scaled(x, counts[0]) + _scaled(x, len(counts)) + _scaled(x, far[0])


@kernel(inner=True)
def _down(x, n):
    """Calls itself, so that it cannot be laid into its callers whole."""
    if n <= 0:
        return x
    return _down(math.sin(x), n - 1) + x * _down(x + 1.0, n - 2)


@kernel
def calls_down(x, n):
    return _down(x, n) * _down(2.0 * x, n + 1)


@kernel(allocates=True)
def sorted_copy(a):
    return np.sort(a.copy())


class _Pair(NamedTuple):
    first: np.ndarray
    second: np.ndarray


@kernel(inner=True)
def _least(pair, most):
    """Variables of every kind: made in a branch, in a loop and before either, taken over from pass to pass."""
    first, found, late = pair.first, most, 0.0
    for i in range(len(first)):
        each = first[i]
        if each > 0.0:
            twice = 2.0 * each
            if twice > most:
                continue
            found = twice - found
            for j in range(i):
                shift = pair.second[j] - each
                late += shift * twice
        else:
            late -= each
    return found + late


@kernel
def ways(pair, most, times):
    total = 0.0
    for _ in range(times):
        one = _Pair(pair.second, pair.first)
        total = total + _least(one, most) if total > 3.0 else _least(pair, most) - total
    return total


@kernel(apart=True)
def _far(pair, n, x):
    pair.second[n] = x
    return n, pair.first[n] * x


@kernel
def calls_far(pair, address, counts):
    total = 0.0
    for k in range(len(counts)):
        n, product = call_apart(address, _far, (pair, counts[k], 0.5))
        total += n + product
    return total


def plain(a, k, flag):
    return numba.njit(mixed.py_func, error_model="numpy", fastmath={"contract", "nsz"})(a, k, flag)


def test_whole_numbers_of_any_kind_are_passed_to_one_specialisation() -> None:
    """A literal, an int32 of an array, a length and an int64; what does not fit in an int32 stays whole."""
    scaled_often._cache, _scaled._cache = NullCache(), NullCache()  # compiled here, not read from an earlier run
    assert scaled_often(0.5, np.array([7, 1], np.int32), np.array([2**40])) == 0.5 * (3 + 7 + 2 + 2**40)
    assert [str(sig[1]) for sig in _scaled.overloads] == ["int64"]


@pytest.mark.parametrize("dtype", [np.float64, np.float32, np.int32])
@pytest.mark.parametrize("flag", [True, False])
def test_kernels_give_what_the_plain_compiler_gives(dtype, flag):
    a = (np.random.default_rng(1).normal(size=40) * 10).astype(dtype)
    inner = _twice
    try:
        globals()["_twice"] = numba.njit(_twice.py_func)
        want = plain(a, 3, flag)
    finally:
        globals()["_twice"] = inner
    assert mixed(a, 3, flag) == pytest.approx(want, rel=1e-6)


def test_variables_made_on_any_way_through_are_what_python_makes_them():
    ways._cache, _least._cache = NullCache(), NullCache()
    rng = np.random.default_rng(3)
    want: list[float] = []
    for times in range(4):
        pair, most = _Pair(rng.normal(size=9), rng.normal(size=9)), float(rng.uniform(0, 3))
        rehearse(lambda pair=pair, most=most, times=times: want.append(ways(pair, most, times)), {})
        assert ways(pair, most, times) == pytest.approx(want.pop(), rel=1e-12)


def test_what_is_assigned_once_has_no_place_on_the_stack(monkeypatch):
    """A group of a hundred arrays that is written and read whole wherever it is named takes minutes to optimise."""
    placed = []
    plain_alloca = Lower.alloca

    def alloca(self, name, type):  # noqa: A002 - as it is called
        placed.append(name)
        return plain_alloca(self, name, type)

    monkeypatch.setattr(Lower, "alloca", alloca)
    fresh = kernel(_least.py_func)
    fresh._cache = NullCache()
    fresh.compile_for(_Pair(np.ones(3), np.ones(3)), 1.0)
    assert not {"pair", "first", "each", "twice", "most"} & set(placed)
    assert {x.split(".")[0] for x in placed} >= {"late", "found"}


def test_one_compiled_apart_is_called_by_its_address_and_not_laid_in():
    calls_far._cache, _far._cache = NullCache(), NullCache()
    pair, counts = _Pair(np.array([4.0, 6.0]), np.zeros(2)), np.array([1, 0], np.int32)
    address = _far.address(pair, 0, 0.5)
    assert calls_far(pair, address, counts) == 1 + 3.0 + 0 + 2.0 and list(pair.second) == [0.5, 0.5]
    assert _far.address(pair, 1, 0.0) == address and len(_far.overloads) == 1
    assert _far.address(pair, np.int32(7), 0.0) == address and len(_far.overloads) == 1  # another kind of whole number
    made = next(iter(calls_far.overloads.values())).library._final_module
    assert not any("_far" in f.name and "calls_far" not in f.name for f in made.functions)
    with pytest.raises(TypeError, match="inner kernel"):
        _far(pair, 0, 0.5)
    said: list[float] = []
    rehearse(lambda: said.append(calls_far(pair, _far.address(pair, 0, 0.5), counts)), {})
    assert said == [6.0]


def test_one_that_makes_arrays_beside_one_that_does_not():
    a = np.array([3.0, 1.0, 2.0])
    assert list(sorted_copy(a)) == [1.0, 2.0, 3.0]
    assert list(a) == [3.0, 1.0, 2.0]


def test_options_are_the_same_by_what_they_say():
    with sparing():
        a, b = Flags(), Flags()
        assert a == b and hash(a) == hash(b)
        a.nrt = False  # what it is anyway
        assert a == b and hash(a) == hash(b)
        a.nrt = True
        assert a != b
        b.nrt = True
        assert a == b and a != "a text"


def theirs(a):
    """As another package may write it: places from the end, arrays made, a callee laid in, loops worth vectorising."""
    total = np.zeros(3)
    for i in range(1, len(a) + 1):
        total += a[-i] * np.array([0.0, 1.0, 2.0])
    return total, a[-1, -1], a[::-1].copy(), [x for x in a[:, 0] if x > 0]


def test_functions_of_other_packages_are_compiled_as_ever_before_and_after_ours():
    a = np.arange(12.0).reshape(4, 3) - 3.0
    want = theirs(a)
    before = numba.njit(theirs)
    for got in (before(a), (kernel(mixed.py_func).compile_for(np.ones(3), 1, True), numba.njit(theirs)(a))[1]):
        for x, y in zip(got, want, strict=True):
            np.testing.assert_array_equal(np.asarray(x), np.asarray(y))
    bounds = numba.njit(lambda x, i: x[i], boundscheck=True)
    assert bounds(a[:, 0], -1) == a[-1, 0]
    with pytest.raises(IndexError):
        bounds(a[:, 0], 4)


def test_what_is_put_aside_in_the_compiler_is_put_back_also_after_a_failure():
    codegen = cpu_target.target_context.codegen()

    def found() -> tuple:
        return (
            codegen._library_class,
            cpu_target.target_context.data_model_manager,
            CPUCallConv.decorate_function,
            ir.IRBuilder.extract_value,
            Flags.__eq__,
            Flags.__hash__,
            BaseFunction.get_call_type,
            arrayobj.fix_integer_index,
            inline_closurecall.copy,
            Lower._find_singly_assigned_variable,
            numba.config.LOOP_VECTORIZE,
            numba.config.SLP_VECTORIZE,
            gc.isenabled(),
        )

    before = found()
    with sparing(), sparing():
        assert all(x != y for x, y in zip(found()[:10], before[:10], strict=True))
    assert found() == before

    @kernel
    def wrong(x):
        return x.nothing_like_it

    with pytest.raises(numba.TypingError):
        wrong(np.ones(3))
    assert found() == before


def test_an_inner_kernel_says_that_python_cannot_call_it():
    with pytest.raises(TypeError, match="_twice is an inner kernel"):
        _twice(1.0)


def test_code_kept_on_disk_is_read_again_for_those_who_lay_it_in():
    fresh = kernel(mixed.py_func)
    fresh._cache = NullCache()  # compiled here, not read from an earlier run
    fresh.compile_for(np.ones(3), 1, True)
    kept = next(iter(fresh.overloads.values())).library.serialize_using_object_code()
    with sparing():
        read = cpu_target.target_context.codegen().unserialize_library(kept)
    assert read._shared_module is None
    names = {f.name for f in read._get_module_for_linking().functions if not f.is_declaration}
    assert any("mixed" in name for name in names)


def test_code_calls_its_own_copies_whichever_kernel_was_loaded_first():
    fresh = kernel(calls_down.py_func)
    fresh._cache = NullCache()
    fresh.compile_for(1.0, 9)
    library = next(iter(fresh.overloads.values())).library
    made = {f.name: f.linkage for f in library._final_module.functions if not f.is_declaration}
    assert {linkage for name, linkage in made.items() if "5_down" in name} == {Linkage.internal}
    assert {f.linkage for f in library._get_module_for_linking().functions if f.name in made} == {Linkage.linkonce_odr}


def test_a_name_without_a_place_is_left_alone():
    """Machine code kept on disk by an older program may name what this one makes no machine code of."""

    class Engine:
        def is_symbol_defined(self, _name: str) -> bool:
            return True

        def get_global_value_address(self, _name: str) -> int:
            return 0

    compiler._set_if_there(SimpleNamespace(_engine=Engine()), "nowhere", object())  # would end the program


def _decorated(tree: ast.Module) -> Iterator[ast.FunctionDef]:
    for node in ast.walk(tree):
        if isinstance(node, ast.FunctionDef) and any(
            isinstance(x, ast.Name) and x.id == "kernel" for d in node.decorator_list for x in ast.walk(d)
        ):
            yield node


def test_no_kernel_counts_places_from_the_end():
    """Kernels are compiled without looking whether an index is negative."""
    seen = 0
    for file in sorted(Path(dynaclast.core.__file__).parent.rglob("*.py")):
        for function in _decorated(ast.parse(file.read_text())):
            seen += 1
            for node in ast.walk(function):
                if isinstance(node, ast.Subscript):
                    for part in node.slice.elts if isinstance(node.slice, ast.Tuple) else [node.slice]:
                        assert not (isinstance(part, ast.UnaryOp) and isinstance(part.op, ast.USub)), (
                            f"{file.name}, {function.name}, line {node.lineno}"
                        )
    assert seen > 50


def test_a_rehearsal_plays_kernels_as_python_and_says_what_was_called():
    fresh = kernel(mixed.py_func)
    calls = rehearse(lambda: fresh(np.ones(2), 1, False), instead={_twice: lambda _: 5.0})
    assert list(calls) == [fresh] and fresh.signatures == []
    assert calls[fresh][1:] == (1, False)
    with pytest.raises(TypeError):
        _twice(1.0)


def test_the_garbage_collector_is_as_it_was():
    kernel(mixed.py_func)(np.ones(2, np.float32), 2, True)
    assert gc.isenabled()
    gc.disable()
    try:
        kernel(mixed.py_func)(np.ones(2, np.int32), 2, True)
        assert not gc.isenabled()
    finally:
        gc.enable()
