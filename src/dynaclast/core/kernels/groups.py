"""Groups of arrays are handed to kernels by their address.

The compiler would hand on each array of a group by itself, and each array as its address, length and strides: the two
thousand numbers of what deforms, written to the stack and read from it at every call, and put together and taken apart
in the code that has to be optimised. A group is a NamedTuple, so nothing in it is ever replaced: here its members are
written down once, where it is made, and read from there by all who are handed it, one by one as they are used.
"""

from __future__ import annotations

from typing import Any

from llvmlite import ir
from llvmlite.ir.instructions import InsertValue, LoadInstr
from numba.core.callconv import CPUCallConv
from numba.core.datamodel import default_manager
from numba.core.datamodel.manager import DataModelManager
from numba.core.datamodel.models import TupleModel, UniTupleModel
from numba.core.types.containers import NamedTuple, NamedUniTuple

from .simd import FourModel, FourType

LARGE = 16
"""Numbers from which on a group is handed on by its address."""
BYTE = ir.IntType(8)


def layout(kind: ir.Type) -> tuple[int, int, list[int]]:
    """Bytes of a type in memory, what its address is a multiple of, and where its members begin."""
    known: tuple[int, int, list[int]] | None = getattr(kind, "_layout", None)
    if known is not None:
        return known
    if isinstance(kind, ir.BaseStructType):
        size, multiple, begins = 0, 1, []
        for one in kind.elements:
            own, its, _ = layout(one)
            begins.append(-(-size // its) * its)
            size, multiple = begins[-1] + own, max(multiple, its)
        found = -(-size // multiple) * multiple, multiple, begins
    elif isinstance(kind, ir.ArrayType):
        own, multiple, _ = layout(kind.element)
        found = own * kind.count, multiple, [k * own for k in range(kind.count)]
    else:
        own = -(-kind.width // 8) if isinstance(kind, ir.IntType) else 4 if isinstance(kind, ir.FloatType) else 8
        found = own, own, []
    kind._layout = found
    return found


def member(kind: ir.Type, k: int) -> ir.Type:
    """The type of a member."""
    return kind.element if isinstance(kind, ir.ArrayType) else kind.elements[k]


def _is_group(kind: ir.Type) -> bool:
    return isinstance(kind, (ir.BaseStructType, ir.ArrayType))


def _numbers(kind: ir.Type) -> int:
    """Numbers in a type."""
    known = getattr(kind, "_numbers", None)
    if known is not None:
        return int(known)
    if isinstance(kind, ir.ArrayType):
        found = kind.count * _numbers(kind.element)
    else:
        found = sum(_numbers(one) for one in kind.elements) if isinstance(kind, ir.BaseStructType) else 1
    kind._numbers = found
    return found


def _read(builder: ir.IRBuilder, address: Any, kind: ir.Type) -> Any:
    """A value from where it is kept, which it remembers."""
    out = builder.load(address, typ=kind)
    if _is_group(kind):
        out.kept_at = address
    return out


def _keep(builder: ir.IRBuilder, value: Any) -> Any:
    """Where a value is kept; it is written there once, where it is made."""
    known = getattr(value, "kept_at", None)
    if known is not None:
        return known
    here = builder.block
    builder.position_at_start(builder.function.entry_basic_block)
    address = builder.alloca(value.type)
    if isinstance(value, ir.Instruction) and value.opname != "phi":
        builder._block = value.parent
        builder.position_after(value)
        value.kept_at = address
    else:
        builder.position_at_end(here)
    builder.store(value, address)
    builder.position_at_end(here)
    return address


_extract_value = ir.IRBuilder.extract_value


def extract_value(self: ir.IRBuilder, agg: Any, idx: Any, name: str = "") -> Any:
    """A member of a value: as it was put into it, or from where it is kept."""
    at = list(idx) if isinstance(idx, (tuple, list)) else [idx]
    if len(at) == 1:
        while isinstance(agg, InsertValue) and len(agg.indices) == 1:
            if agg.indices[0] == at[0]:
                return agg.value
            agg = agg.aggregate
        address = getattr(agg, "kept_at", None)
        if address is not None:
            kind = member(agg.type, at[0])
            place = ir.Constant(ir.IntType(64), layout(agg.type)[2][at[0]])
            byte = self.gep(self.bitcast(address, BYTE.as_pointer()), [place], inbounds=True, source_etype=BYTE)
            return _read(self, self.bitcast(byte, kind.as_pointer()), kind)
    return _extract_value(self, agg, at, name)


class _ByAddress:
    """Of the models of groups: how large ones are handed on."""

    _is_large = False

    def get_argument_type(self) -> Any:
        kind = self.get_value_type()  # type: ignore[attr-defined]
        self._is_large = _numbers(kind) > LARGE
        return kind.as_pointer() if self._is_large else super().get_argument_type()  # type: ignore[misc]

    def as_argument(self, builder: ir.IRBuilder, value: Any) -> Any:
        return _keep(builder, value) if self._is_large else super().as_argument(builder, value)  # type: ignore[misc]

    def from_argument(self, builder: ir.IRBuilder, value: Any) -> Any:
        if not self._is_large:
            return super().from_argument(builder, value)  # type: ignore[misc]
        return _read(builder, value, self.get_value_type())  # type: ignore[attr-defined]


class _Mixed(_ByAddress, TupleModel):  # type: ignore[misc]
    pass


class _Uniform(_ByAddress, UniTupleModel):  # type: ignore[misc]
    pass


def models() -> DataModelManager:
    """How values are represented in our kernels."""
    out = default_manager.copy()
    out.register(NamedTuple, _Mixed)
    out.register(NamedUniTuple, _Uniform)
    out.register(FourType, FourModel)
    return out


_decorate_function = CPUCallConv.decorate_function


def decorate_function(self: CPUCallConv, fn: Any, args: Any, fe_argtypes: Any, noalias: bool = False) -> None:
    """Say of the addresses of groups that nothing changes what is there, so that it need not be read twice."""
    _decorate_function(self, fn, args, fe_argtypes, noalias)
    for argument in self.get_arguments(fn):
        kind = argument.type
        if isinstance(kind, ir.PointerType) and not kind.is_opaque and _is_group(kind.pointee):
            for word in ("noalias", "captures(none)"):
                argument.add_attribute(word)
            size, multiple, _ = layout(kind.pointee)
            argument.attributes.dereferenceable = size
            argument.attributes.align = multiple


def drop_unread(module: ir.Module) -> None:
    """Leave out reads of groups of which members alone are used."""
    for function in module.functions:
        used = {id(x) for block in function.blocks for one in block.instructions for x in one.operands}
        for block in function.blocks:
            block.instructions = [
                one
                for one in block.instructions
                if not (isinstance(one, LoadInstr) and hasattr(one, "kept_at") and id(one) not in used)
            ]
