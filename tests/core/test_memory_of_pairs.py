"""The memory of pairs stays in place from search to search: against a dictionary that is written anew each time. And
what a search is made in: room and order.
"""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.prepare import prepare
from dynaclast.core.solve.rigid.broad import carry_over, make_pairing, put_in_order, widest
from dynaclast.core.solve.rigid.interval import make_found
from dynaclast.core.solve.rigid.manifolds import make_near, make_rows
from dynaclast.core.solve.state import Contacts, no_contacts
from shots import box, shot

BODIES, ROOM = 14, 400


def _mark(con: Contacts, k: int, value: float) -> None:
    """Fill entry k with numbers that tell it from all others."""
    con.count[k] = 1 + int(value) % 4
    con.feature[k] = int(value)
    for x in (con.axis, con.face, con.face_b, con.push, con.rub, con.local, con.local_b):
        x[k] = value
    con.slack[k] = con.depth[k] = con.hit[k] = value


def _told(con: Contacts, k: int) -> set[float]:
    n = con.count[k]
    parts = (
        con.axis[k],
        con.face[k],
        con.face_b[k],
        con.push[k],
        con.rub[k],
        con.local[k, :n],
        con.local_b[k, :n],
        con.slack[k],
        con.depth[k],
    )
    return {float(v) for x in parts for v in np.ravel(x)}


@pytest.mark.parametrize("seed", range(6))
def test_entries_are_kept_moved_and_forgotten_as_in_a_dictionary(seed: int) -> None:
    rng = np.random.default_rng(seed)
    prepared = prepare(shot(*[box(f"b{k}", (2 * k, 1, 0), (1, 1, 1)) for k in range(BODIES)]))
    hulls, state = prepared.model.hulls, prepared.state
    asm, con, known, scratch = state.assemblies, no_contacts(ROOM), np.zeros(ROOM, np.uint8), make_pairing(ROOM)
    kept: dict[tuple[int, int], float] = {}
    rested: set[tuple[int, int]] = set()
    count, marks = 0, 0.0
    for _ in range(40):
        asm.asleep[:BODIES] = rng.random(BODIES) < 0.4
        pairs = [
            (a, b)
            for a in range(BODIES)
            for b in (-1, *range(a + 1, BODIES))
            if rng.random() < 0.3 and not (asm.asleep[a] and (b < 0 or asm.asleep[b]))
        ]
        fresh = len(pairs)
        a, b = (np.array([p[i] for p in pairs], np.int32) for i in range(2))
        which = np.full(fresh, -7, np.int64)
        count = carry_over(a, b, fresh, hulls, state.piece_assembly, asm, con, count, known, which, scratch)

        resting = {p for p in kept if p not in pairs and asm.asleep[p[0]] and (p[1] < 0 or asm.asleep[p[1]])}
        entries = [(int(con.a[k]), int(con.b[k])) for k in range(count)]
        assert sorted(entries) == sorted({*pairs, *resting})
        assert [entries[k] for k in which] == pairs
        for k, pair in enumerate(entries):
            assert known[k] == (2 if pair in resting else 1 if pair in kept else 0)
            if pair in kept:
                assert _told(con, k) == {kept[pair]}
                assert con.hit[k] == (0.0 if pair in resting | rested else kept[pair])
            else:
                assert (
                    con.count[k] == 0
                    and not con.push[k].any()
                    and not con.rub[k].any()
                    and con.slack[k] == con.hit[k] == 0.0
                )
        kept, rested = {p: v for p, v in kept.items() if p in resting}, resting
        for k in which:
            marks += 1.0
            _mark(con, int(k), marks)
            kept[entries[k]] = marks


def test_what_no_longer_touches_presses_no_more() -> None:
    prepared = prepare(shot(box("a", (0, 1, 0), (1, 1, 1)), box("b", (2, 1, 0), (1, 1, 1))))
    con, known, which = no_contacts(8), np.zeros(8, np.uint8), np.zeros(1, np.int64)
    pair = np.array([0], np.int32), np.array([1], np.int32)
    args = prepared.model.hulls, prepared.state.piece_assembly, prepared.state.assemblies, con
    assert carry_over(*pair, 1, *args, 0, known, which, make_pairing(8)) == 1
    con.push[0], con.rub[0], con.axis[0] = 3.0, 3.0, 3.0  # points were found, then none
    assert carry_over(*pair, 1, *args, 1, known, which, make_pairing(8)) == 1
    assert known[0] == 1 and not con.push[0].any() and not con.rub[0].any() and con.axis[0].all()


def test_room_made_on_the_way_changes_no_frame() -> None:
    """A run that starts with room for four pairs grows many times, its searches made anew each time; its frames are
    those of one that never grows.
    """
    rng = np.random.default_rng(8)
    rows = [box(f"r{k}", (0.62 * k, 0.3, 0), (0.6, 0.6, 0.6)) for k in range(12)]
    heap = [
        box(
            f"b{k}",
            tuple(rng.uniform([-1, 3 + 0.2 * k, -1], [7, 4 + 0.2 * k, 1])),
            tuple(rng.uniform(0.2, 0.6, 3)),
            velocity=[0, -6, 0],
        )
        for k in range(40)
    ]
    scene = shot(*rows, *heap)
    one, other = prepare(scene), prepare(scene)
    roomy, tight = Run(scene, one.model, one.state), Run(scene, other.model, other.state)
    tight._room = 4
    tight._found, tight._rows, tight._near = make_found(4, 0), make_rows(4), make_near(4)
    for _ in range(30):
        a, b = roomy.advance(), tight.advance()
        assert (
            a.position.tobytes() == b.position.tobytes()
            and a.orientation.tobytes() == b.orientation.tobytes()
            and a.events == b.events
        )
    assert tight._room > 100
    assert one.state.pack() == other.state.pack()


@given(st.integers(0, 10**6), st.integers(0, 60))
@settings(max_examples=60, deadline=None)
def test_shapes_are_put_in_order_from_any_order_before(seed: int, count: int) -> None:
    rng = np.random.default_rng(seed)
    lo = np.round(rng.normal(size=(count, 3)), 1)  # equals among them
    order = rng.permutation(count).astype(np.int32)
    put_in_order.py_func(lo, 1, order)
    assert order.tolist() == np.lexsort((np.arange(count), lo[:, 1])).tolist()
    if count:
        assert widest.py_func(lo, count) == int(np.argmax(np.ptp(lo, axis=0)))
