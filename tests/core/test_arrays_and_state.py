"""Tuples of columns, and the state as one walk over whatever it holds."""

from __future__ import annotations

import importlib
import pkgutil
import re
from dataclasses import dataclass, field, fields
from typing import Any, NamedTuple

import numpy as np
import pytest
import zstandard

import dynaclast.core.solve
from dynaclast.core.arrays import Entry, Flag, Int, Mat3, Scalar, Vec3, allocate, entries
from dynaclast.core.errors import InputError
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.prepare import prepare
from dynaclast.core.solve.state import ContactCache, State, copied, put_back
from shots import ball, box, footing, pillar, shot


class Some(NamedTuple):
    """A tuple of columns.

    number : (n,) int32
    place  : (n, 3) float64, [m]
    turn   : (n, 3, 3) float64
    set    : (n,) uint8
    share  : (n,) float64
    """

    number: Int
    place: Vec3
    turn: Mat3
    set: Flag
    share: Scalar


@pytest.mark.parametrize("count", [0, 1, 7])
def test_columns_are_made_as_the_fields_say(count: int) -> None:
    made = allocate(Some, count)
    shapes = [(count,), (count, 3), (count, 3, 3), (count,), (count,)]
    assert [x.shape for x in made] == shapes
    assert [x.dtype.name for x in made] == ["int32", "float64", "float64", "uint8", "float64"]
    assert not any(x.any() for x in made) and all(x.flags.c_contiguous for x in made)
    assert entries(Some)["turn"] == Entry(np.float64, (3, 3))


def tuples_of_columns() -> list[type]:
    """All tuples of columns of the solver."""
    out = []
    for module in pkgutil.walk_packages(dynaclast.core.solve.__path__, "dynaclast.core.solve."):
        for thing in vars(importlib.import_module(module.name)).values():
            if isinstance(thing, type) and hasattr(thing, "_fields") and thing.__module__ == module.name:
                try:
                    entries(thing)
                except (AttributeError, NameError):
                    continue
                out.append(thing)
    return out


@pytest.mark.parametrize("kind", tuples_of_columns(), ids=lambda k: k.__name__)
def test_every_column_is_explained_with_its_shape_and_type(kind: type) -> None:
    """One array a line in the docstring: name, shape, type as allocated."""
    said = {m[1]: m for m in re.finditer(r"^ +(\w+) +: \((\w+(?: \+ 1)?),?([^)]*)\) (\w+)", kind.__doc__ or "", re.M)}
    for name, entry in entries(kind).items():
        assert name in said, f"{kind.__name__}.{name} is not explained"
        inner = tuple(int(x) for x in said[name][3].replace(",", " ").split())
        assert inner == entry.shape and said[name][4] == np.dtype(entry.dtype).name, f"{kind.__name__}.{name}"


def moving() -> Run:
    """A run in the middle of things, with contacts, breaks and memory."""
    gust = {"name": "gust", "effect": {"kind": "wind"}, "reach": {"layers": [{"shape": {"kind": "everywhere"}}]}}
    scene = shot(pillar(), ball("stone", (0, 2, -2), velocity=[0, 0, 30]), fields=(footing(), gust), frames=12)
    prepared = prepare(scene)
    run = Run(prepared.shot, prepared.model, prepared.state)
    for _ in range(6):
        run.advance()
    return run


def leaves(part: Any) -> list[np.ndarray]:
    if isinstance(part, np.ndarray):
        return [part]
    if isinstance(part, dict):
        return [x for v in part.values() for x in leaves(v)]
    if isinstance(part, tuple):
        return [x for v in part for x in leaves(v)]
    if isinstance(part, State):
        return [x for f in fields(part) for x in leaves(getattr(part, f.name))]
    return []


def test_a_copy_holds_the_same_and_shares_nothing() -> None:
    state = moving().state
    other = state.copy()
    assert len(leaves(state)) > 40
    for a, b in zip(leaves(state), leaves(other), strict=True):
        assert a.dtype == b.dtype and a.tobytes() == b.tobytes() and not np.shares_memory(a, b)
    other.assemblies.position[:] += 1
    other.memory["felt"][:] = 9
    assert state.assemblies.position.tobytes() != other.assemblies.position.tobytes()
    assert not (state.memory["felt"] == 9).all()


def test_packing_keeps_every_array_number_and_memory() -> None:
    state = moving().state
    state.memory["a key: with / signs.and dots"] = np.arange(4.0)
    back = State.unpack(state.pack())
    assert back.frame == state.frame == 6
    assert sorted(back.memory) == sorted(state.memory) and len(state.memory) > 2
    assert state.pack() == back.pack()
    for name in ContactCache._fields:
        assert getattr(back.contact_cache, name).tobytes() == getattr(state.contact_cache, name).tobytes()


def test_what_another_version_packed_is_refused_with_a_sentence() -> None:
    import io

    out = io.BytesIO()
    np.savez(out, frame=3)
    with pytest.raises(InputError, match="another version"):
        State.unpack(zstandard.ZstdCompressor().compress(out.getvalue()))


def test_putting_back_restores_in_place() -> None:
    run = moving()
    asm = run.state.assemblies
    before = copied(asm)
    held = asm.position
    run.advance()
    assert held.tobytes() != before.position.tobytes()
    put_back(asm, before)
    assert held is asm.position and all(a.tobytes() == b.tobytes() for a, b in zip(asm, before, strict=True))


def test_an_interval_taken_back_leaves_no_trace() -> None:
    """Solved, taken back and solved again, an interval gives the very same bits."""
    run = moving()
    before = copied(run._moving())
    run.rigid.solve()
    first = copied(run._moving())
    run._take_back(before)
    run.rigid.solve()
    again = run._moving()
    for a, b in zip(leaves(first), leaves(again), strict=True):
        assert a.tobytes() == b.tobytes()


@dataclass
class Extra(State):
    """A state with a part that the walk was never told of."""

    cloth: Some = field(default_factory=lambda: allocate(Some, 3))


def test_a_part_added_to_the_state_is_copied_without_a_line_for_it() -> None:
    plain = prepare(shot(box("b", (0, 1, 0)))).state
    state = Extra(**{f.name: getattr(plain, f.name) for f in fields(plain)})
    state.cloth.place[:] = 4.0
    other = copied(state)
    assert isinstance(other, Extra) and (other.cloth.place == 4).all()
    assert not np.shares_memory(other.cloth.place, state.cloth.place)
    assert len(state.pack()) > len(plain.pack())
