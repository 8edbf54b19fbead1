"""The contact cache stays in place from detection to detection: against a dictionary that is written anew each
time. And what a detection is made in: room and order.
"""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.prepare import prepare
from dynaclast.core.solve.rigid.broad_phase import sort_along, widest_axis
from dynaclast.core.solve.rigid.constraints import make_constraints
from dynaclast.core.solve.rigid.contact_cache import DORMANT, KNOWN, NEW, UNSEEN, make_pairing, make_pairs, match_cache
from dynaclast.core.solve.rigid.detection import make_contact_points
from dynaclast.core.solve.rigid.groups import bodies_of
from dynaclast.core.solve.state import ContactCache, make_contact_cache
from shots import box, shot

BODIES, ROOM = 14, 400


def _mark(con: ContactCache, k: int, value: float) -> None:
    """Fill entry k with numbers that tell it from all others."""
    con.point_count[k] = 1 + int(value) % 4
    con.feature[k] = int(value)
    for x in (
        con.normal,
        con.normal_a,
        con.normal_b,
        con.normal_impulse,
        con.friction_impulse,
        con.point_a,
        con.point_b,
    ):
        x[k] = value
    con.penetration_allowance[k], con.penetration[k], con.impact_impulse[k] = -value, value, value


def _told(con: ContactCache, k: int) -> set[float]:
    n = con.point_count[k]
    parts = (
        con.normal[k],
        con.normal_a[k],
        con.normal_b[k],
        con.normal_impulse[k],
        con.friction_impulse[k],
        con.point_a[k, :n],
        con.point_b[k, :n],
        -con.penetration_allowance[k],
        con.penetration[k],
    )
    return {float(v) for x in parts for v in np.ravel(x)}


@pytest.mark.parametrize("seed", range(6))
def test_entries_are_kept_moved_and_forgotten_as_in_a_dictionary(seed: int) -> None:
    rng = np.random.default_rng(seed)
    prepared = prepare(shot(*[box(f"b{k}", (2 * k, 1, 0), (1, 1, 1)) for k in range(BODIES)]))
    hulls, state = prepared.model.hulls, prepared.state
    asm, con, scratch, bodies = state.assemblies, make_contact_cache(ROOM), make_pairing(ROOM), bodies_of(state)
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
        found = make_pairs(fresh, ROOM)
        found.shape_a[:], found.shape_b[:] = ([p[i] for p in pairs] for i in range(2))
        count = match_cache(found, fresh, hulls, bodies, con, count, scratch)
        which, known = found.entry, found.known

        resting = {p for p in kept if p not in pairs and asm.asleep[p[0]] and (p[1] < 0 or asm.asleep[p[1]])}
        entries = [(int(con.shape_a[k]), int(con.shape_b[k])) for k in range(count)]
        assert sorted(entries) == sorted({*pairs, *resting})
        assert [entries[k] for k in which] == pairs
        for k, pair in enumerate(entries):
            assert known[k] == (DORMANT if pair in resting else KNOWN if pair in kept else NEW)
            if pair in kept:
                assert _told(con, k) == {kept[pair]}
                assert con.impact_impulse[k] == (0.0 if pair in resting | rested else kept[pair])
            else:
                assert (
                    con.point_count[k] == 0
                    and not con.normal_impulse[k].any()
                    and not con.friction_impulse[k].any()
                    and con.penetration_allowance[k] == UNSEEN
                    and con.impact_impulse[k] == 0.0
                )
        if rng.random() < 0.3:  # a detection that begins again: what was new and not looked at is new still
            again = known[:count].copy()
            count = match_cache(found, fresh, hulls, bodies, con, count, scratch)
            assert [(int(con.shape_a[k]), int(con.shape_b[k])) for k in range(count)] == entries
            assert known[:count].tolist() == again.tolist()
        kept, rested = {p: v for p, v in kept.items() if p in resting}, resting
        for k in which:
            marks += 1.0
            _mark(con, int(k), marks)
            kept[entries[k]] = marks


def test_what_no_longer_touches_presses_no_more() -> None:
    prepared = prepare(shot(box("a", (0, 1, 0), (1, 1, 1)), box("b", (2, 1, 0), (1, 1, 1))))
    con, found = make_contact_cache(8), make_pairs(1, 8)
    found.shape_a[0], found.shape_b[0] = 0, 1
    args = prepared.model.hulls, bodies_of(prepared.state), con
    assert match_cache(found, 1, *args, 0, make_pairing(8)) == 1
    con.penetration_allowance[0] = 0.0
    con.normal_impulse[0], con.friction_impulse[0], con.normal[0] = 3.0, 3.0, 3.0  # points were found, then none
    assert match_cache(found, 1, *args, 1, make_pairing(8)) == 1
    assert found.known[0] == KNOWN
    assert not con.normal_impulse[0].any() and not con.friction_impulse[0].any() and con.normal[0].all()


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
    rigid = tight.rigid
    rigid._room, rigid.constraints = 4, make_constraints(4)
    rigid._pairs, rigid._points = make_pairs(4, 0), make_contact_points(0)
    for _ in range(30):
        a, b = roomy.advance(), tight.advance()
        assert (
            a.position.tobytes() == b.position.tobytes()
            and a.orientation.tobytes() == b.orientation.tobytes()
            and a.events == b.events
        )
    assert rigid._room > 100
    assert one.state.pack() == other.state.pack()


@given(st.integers(0, 10**6), st.integers(0, 60))
@settings(max_examples=60, deadline=None)
def test_shapes_are_put_in_order_from_any_order_before(seed: int, count: int) -> None:
    rng = np.random.default_rng(seed)
    lo = np.round(rng.normal(size=(count, 3)), 1)  # equals among them
    order = rng.permutation(count).astype(np.int32)
    sort_along.py_func(lo, 1, order)
    assert order.tolist() == np.lexsort((np.arange(count), lo[:, 1])).tolist()
    if count:
        assert widest_axis.py_func(lo, count) == int(np.argmax(np.ptp(lo, axis=0)))
