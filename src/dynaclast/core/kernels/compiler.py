"""What the compiler of kernels is spared: work done twice, or for nothing. It makes the same code in half the time.

This reaches into the compiler, whose version is pinned (requirements.txt), only while a kernel of ours is compiled or
read (``sparing``): other packages' functions are compiled as ever. tests/core/test_compiler.py holds both.
"""

from __future__ import annotations

import gc
from collections import defaultdict
from collections.abc import Generator
from contextlib import contextmanager
from typing import Any

from llvmlite import ir
from llvmlite.binding import Linkage, parse_bitcode
from numba.core import config, inline_closurecall
from numba.core.analysis import compute_cfg_from_blocks, compute_use_defs, must_use_alloca
from numba.core.callconv import CPUCallConv
from numba.core.codegen import JITCodeLibrary, JITCPUCodegen
from numba.core.ir import Assign
from numba.core.lowering import Lower
from numba.core.registry import cpu_target
from numba.core.targetconfig import ConfigStack, TargetConfig
from numba.core.types import intp, uintp
from numba.core.types.functions import BaseFunction
from numba.np import arrayobj

from . import groups


class _Library(JITCodeLibrary):  # type: ignore[misc]
    """Code of a function, optimised once, when all it calls has been put beside it. The compiler would also go through
    each function before, and through all once more to find references it need not count; kernels count none.
    """

    def add_ir_module(self, ir_module: ir.Module) -> None:
        groups.drop_unread(ir_module)
        super().add_ir_module(ir_module)

    def _optimize_functions(self, ll_module: Any) -> None:
        ll_module.data_layout = self._codegen._data_layout

    def _optimize_final_module(self) -> None:
        manager, builder = self._codegen._module_pass_manager()
        manager.run(self._final_module, builder)
        self._close()

    def _close(self) -> None:
        """Let this code call its own copies of what it calls. They are made in every kernel anew, not always by the
        same instructions, and the loader would take those that happened to come first: what is computed would hang on
        the order in which kernels were compiled or read.
        """
        self._shared_module = self._final_module.clone()  # what others lay into themselves
        for copied, own in zip(self._shared_module.functions, self._final_module.functions, strict=True):
            if own.is_declaration:
                continue
            if own.linkage == Linkage.external:
                copied.linkage = "linkonce_odr"
            elif own.linkage == Linkage.linkonce_odr:
                own.linkage = "internal"

    # A kernel kept on disk is machine code, and the code it was made from, in case another lays it into itself: that is
    # read only then.
    _unread: bytes | None = None

    def serialize_using_object_code(self) -> Any:
        name, kind, (machine, code) = super().serialize_using_object_code()
        module = self._get_module_for_linking()
        return (
            name,
            kind,
            (machine, code, [x.name for x in (*module.functions, *module.global_variables) if not x.is_declaration]),
        )

    @classmethod
    def _unserialize(cls, codegen: Any, state: Any) -> Any:
        name, kind, data = state
        if kind == _InnerLibrary.KIND:
            inner = _InnerLibrary(codegen, name)
            inner._unread, inner._finalized = data, True
            return inner
        if kind != "object":
            return super()._unserialize(codegen, state)
        self = codegen.create_library(name)
        self.enable_object_caching()
        machine, self._unread, defined = data
        self._set_compiled_object(machine)
        self._finalize_final_module()
        codegen._engine._defined_symbols |= set(defined)
        return self

    def _get_module_for_linking(self) -> Any:
        if self._shared_module is None and self._unread is not None:
            self._shared_module, self._unread = parse_bitcode(self._unread), None
        return super()._get_module_for_linking()


class _InnerLibrary(_Library):
    """Code of a function that only kernels call. It runs as laid into them, so no machine code is made of it."""

    KIND = "inner"

    def _finalize_final_module(self) -> None:
        self._finalize_dynamic_globals()
        self._verify_declare_only_symbols()
        self._finalized = True

    def get_pointer_to_function(self, name: str) -> int:
        return 0

    def serialize_using_object_code(self) -> Any:
        return self.name, self.KIND, self._get_module_for_linking().as_bitcode()


_set_environment = JITCPUCodegen.set_env


def _set_if_there(self: JITCPUCodegen, name: str, environment: Any) -> None:
    """What compiled code has to raise errors with; only where there is machine code, and the name has a place in it."""
    if self._engine.is_symbol_defined(name) and self._engine.get_global_value_address(name):
        _set_environment(self, name, environment)


def _chosen(options: TargetConfig) -> dict[str, Any]:
    return {name: value for name, value in options._values.items() if value != options.options[name].default}


def _same(self: TargetConfig, other: object) -> bool:
    """Whether two sets of options are the same: asked for each call that is typed, so only what differs from its
    default is looked at.
    """
    if not isinstance(other, TargetConfig):
        return NotImplemented
    return self is other or (type(self) is type(other) and _chosen(self) == _chosen(other))


def _hash(self: TargetConfig) -> int:
    return hash(frozenset(_chosen(self)))


def _as_it_is(context: Any, builder: Any, kind: Any, index: Any, size: Any) -> Any:
    """An index as it stands: kernels count no places from the end, so that every index need not be looked at whether it
    is negative.
    """
    return context.cast(builder, index, kind, intp if kind.signed else uintp)


_type_call = BaseFunction.get_call_type


def _remembered(self: BaseFunction, context: Any, args: tuple[Any, ...], kws: dict[str, Any]) -> Any:
    """The signature of a built-in function called with these types. The compiler tries all it knows of each (a sum may
    be one of texts, lists, dates) wherever the function is called; here once for the same types. What it compiles for a
    call is left to it.
    """
    if kws:
        return _type_call(self, context, args, kws)
    known = self.__dict__.setdefault("_known_calls", {})
    key = (args, ConfigStack.top_or_none())
    signature = known.get(key)
    if signature is None:
        signature = _type_call(self, context, args, kws)
        keys: dict[Any, Any] = self._impl_keys  # type: ignore[attr-defined]
        if signature is not None and keys.get(signature.args) is self.typing_key:
            known[key] = signature
    return signature


_find_of_one_block = Lower._find_singly_assigned_variable


def _find_singly_assigned(self: Lower) -> None:
    """Which variables are values, and need no place on the stack. The compiler takes those that one block makes and
    uses; all others it writes and reads whole, wherever they are named, groups of a hundred arrays too, and to take
    that apart again was most of what optimising took. Here also those that are assigned once, in a block through which
    every way to their uses leads.
    """
    _find_of_one_block(self)
    if self.context.enable_nrt or self.func_ir.func_id.is_generator:
        return  # a variable that is counted is given up in places where it need not have been made
    blocks = self.func_ir.blocks
    before, on_stack = compute_cfg_from_blocks(blocks).dominators(), must_use_alloca(blocks)
    made, used = defaultdict(list), defaultdict(list)
    for label, block in blocks.items():
        for assigned in block.find_insts(Assign):
            made[assigned.target.name].append(label)
    for label, names in compute_use_defs(blocks).usemap.items():
        for name in names:
            used[name].append(label)
    for name, at in made.items():
        once = len(at) == 1 and name not in on_stack
        if once and all(at[0] in before[k] and at[0] < k for k in used[name]):  # blocks are written in this order
            self._singly_assigned_vars.add(name)


class _UncopiedIR:
    """In place of ``copy`` in the compiler's module that lays functions into their callers: it copies the callee twice
    to keep it as it was, though it was made for this very call.
    """

    @staticmethod
    def deepcopy(what: Any) -> Any:
        return what


_depth = 0
_models = groups.models()


def representation(kind: Any) -> Any:
    """Of values of a type, in our kernels."""
    return _models[kind]


@contextmanager
def sparing(inner: bool = False) -> Generator[None]:
    """Let the compiler skip all that while one of our kernels is compiled or read. Outside it is as its makers mean it.

    What it skips is decided in the middle of the compiler, where it offers no choice: so names in its modules are put
    aside for as long as that takes. It holds the compiler's own lock all the while, so nobody else compiles meanwhile.

    inner : whether what is compiled or read is called by kernels only

    It also makes many small objects that point at each other and frees few: looking for garbage takes a third of its
    time. Its two vectorisers find nothing to gain in these kernels and take a quarter of the time to compile them.
    """
    global _depth
    codegen = cpu_target.target_context.codegen()
    outer, codegen._library_class = codegen._library_class, _InnerLibrary if inner else _Library
    _depth += 1
    if _depth > 1:
        try:
            yield
        finally:
            codegen._library_class = outer
            _depth -= 1
        return
    places = (
        (JITCPUCodegen, "set_env", _set_if_there),
        (TargetConfig, "__eq__", _same),
        (TargetConfig, "__hash__", _hash),
        (BaseFunction, "get_call_type", _remembered),
        (arrayobj, "fix_integer_index", _as_it_is),
        (Lower, "_find_singly_assigned_variable", _find_singly_assigned),
        (inline_closurecall, "copy", _UncopiedIR),
        (cpu_target.target_context, "data_model_manager", _models),
        (CPUCallConv, "decorate_function", groups.decorate_function),
        (ir.IRBuilder, "extract_value", groups.extract_value),
        (config, "LOOP_VECTORIZE", 0),
        (config, "SLP_VECTORIZE", 0),
    )
    before = [getattr(owner, name) for owner, name, _ in places]
    collecting = gc.isenabled()
    gc.disable()
    for owner, name, ours in places:
        setattr(owner, name, ours)
    try:
        yield
    finally:
        for (owner, name, _), theirs in zip(places, before, strict=True):
            setattr(owner, name, theirs)
        codegen._library_class = outer
        if collecting:
            gc.enable()
        _depth -= 1
