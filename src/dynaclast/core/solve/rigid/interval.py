"""An interval from its search to its last substep: find pairs and where they touch, solve until pairs want to be looked
at again, look, go on.

One kernel, since what Python does between kernels would take longer than some of them.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...geometry.mesh import Array, Index
from ...kernels import kernel
from ..model import Flags, Hulls, PieceTable, Settings, Sheets, TieTable
from ..state import Assemblies, Contacts
from .again import make_ready
from .broad import Pairing, carry_over, find_pairs, place_shapes, put_in_order, widest
from .manifolds import Near, Rows, build_rows, world_inertia
from .search import Scratch, find_contacts, make_search_scratch, sleepers_first
from .sweep import Moves, make_moves, solve_interval
from .ties import TieRows, gather_ties

SEARCH, SEARCH_AGAIN, SOLVE, DONE = range(4)
"""Where an interval stands: before its search; before that again, since sleepers woke; before its substeps; at its
end.
"""

BLOCK = 16
"""Pairs are looked at and made rows of in blocks: what was read of a pair is still at hand."""


class Work(NamedTuple):
    """What an interval is worked out on, S shapes, A slots. Nothing in it is needed from one interval to the next but
    the bounds and corners of what stands still.

    lo, hi (S, 3): swept bounds [m]; wverts, wnormals, wcenter: corners, face normals and centres in the world;
    placed_at (S,) int64: the look they are of order (3, S) int32: shapes along each axis, exact bodies left out; active
    (S,) uint8 inv_mass (A,), inv_inertia (A, 3, 3): as the solver sees them; moved, turned (A, 3): since the start of
    the interval; turned_at (A,) int64: the look an inertia is of live (A,) int64: slots that are awake, the first so
    many turn (3, 3), arms (11, 3), search, moves: scratch
    """

    lo: Array
    hi: Array
    wverts: Array
    wnormals: Array
    wcenter: Array
    placed_at: Index
    order: Index
    active: Flags
    inv_mass: Array
    inv_inertia: Array
    moved: Array
    turned: Array
    turned_at: Index
    live: Index
    turn: Array
    arms: Array
    search: Scratch
    moves: Moves


def make_work(hulls: Hulls, first_sheet: int, slots: int, center: Array) -> Work:
    """center (S, 3): where shapes are, by which they are put in order for a start."""
    shapes, f, i8 = len(hulls.piece), np.zeros, np.int64
    order = np.argsort(center[:first_sheet], axis=0, kind="stable").T.astype(np.int32, order="C")
    return Work(
        f((shapes, 3)),
        f((shapes, 3)),
        np.zeros_like(hulls.verts),
        np.zeros_like(hulls.normals),
        f((shapes, 3)),
        f(shapes, i8),
        order,
        f(first_sheet, np.uint8),
        f(slots),
        f((slots, 3, 3)),
        f((slots, 3)),
        f((slots, 3)),
        f(slots, i8),
        f(slots, i8),
        f((3, 3)),
        f((11, 3)),
        make_search_scratch(),
        make_moves(slots),
    )


class Found(NamedTuple):
    """What the search finds. pair_a, pair_b (N,) int32: shapes whose bounds meet; which (N,) int64: where they stand in
    the memory of pairs, sorted: with those first that have one side asleep; points (K, 4, 3), seps (K, 4): contact
    points of entries of the memory [m]; known (K,) uint8: as ``carry_over`` fills it; again (N,) int32, again_pairs
    (N,) int64: what is looked at again within the interval.
    """

    pair_a: Index
    pair_b: Index
    which: Index
    sorted: Index
    again: Index
    again_pairs: Index
    points: Array
    seps: Array
    known: Flags


def make_found(pairs: int, entries: int) -> Found:
    i4, i8 = np.int32, np.int64
    return Found(
        np.zeros(pairs, i4),
        np.zeros(pairs, i4),
        np.zeros(pairs, i8),
        np.zeros(pairs, i8),
        np.zeros(pairs, i4),
        np.zeros(pairs, i8),
        np.zeros((entries, 4, 3)),
        np.zeros((entries, 4)),
        np.zeros(entries, np.uint8),
    )


@kernel(inner=True)
def _find_live(asm: Assemblies, live):
    """Slots (A,) that are awake and free to move, into live; returns how many."""
    n = 0
    for a in range(len(asm.alive)):
        if asm.alive[a] == 1 and asm.held[a] == 0 and asm.asleep[a] == 0:
            live[n] = a
            n += 1
    return n


@kernel
def run_interval(
    hulls: Hulls,
    pieces: PieceTable,
    piece_asm,
    apart,
    asm: Assemblies,
    driven,
    con: Contacts,
    count,
    pairing: Pairing,
    found: Found,
    rows: Rows,
    n_rows,
    near: Near,
    n_near,
    ties: TieTable,
    tie_broken,
    tie_push,
    tie_rows: TieRows,
    settings: Settings,
    sheets: Sheets,
    push,
    twist,
    work: Work,
    everything,
    stage,
    until,
):
    """From one stage of an interval (SEARCH, SEARCH_AGAIN, SOLVE) until another (SOLVE, DONE).

    con : the memory of pairs, of which the first ``count`` entries are in use, with its pairing
    everything : 1 where shapes that stand still must be placed too
    push, twist (A, 3): what fields add, as acceleration [m/s2] and angular acceleration [rad/s2]
    Returns the stage reached, and how many pairs, entries of the memory, rows, near pairs, ties and live slots there
    are. Where there is no room for so many pairs (found and rows for as many, con and pairing for as many more
    entries), it stops at the search: make room and go on.
    """
    n_ties, fresh = 0, 0
    while stage < SOLVE:
        place_shapes(
            hulls,
            pieces,
            piece_asm,
            asm,
            everything,
            work.wverts,
            work.wnormals,
            work.wcenter,
            work.lo,
            work.hi,
            settings,
            push,
            work.turn,
        )
        everything = 0
        axis = np.int64(widest(work.lo, np.int64(sheets.first)))
        put_in_order(work.lo, axis, work.order[axis])
        fresh = np.int64(
            find_pairs(
                hulls,
                pieces,
                piece_asm,
                apart,
                asm,
                settings,
                sheets,
                work.lo,
                work.hi,
                axis,
                work.order[axis],
                work.active,
                found.pair_a,
                found.pair_b,
            )
        )
        if fresh > len(found.pair_a) or fresh > len(rows.a) or count + fresh > len(con.a):
            return stage, fresh, count, n_rows, n_near, n_ties, 0
        count = np.int64(
            carry_over(
                found.pair_a, found.pair_b, fresh, hulls, piece_asm, asm, con, count, found.known, found.which, pairing
            )
        )
        sleepers = sleepers_first(found.which[:fresh], hulls, piece_asm, asm, con, found.sorted)
        woke = find_contacts(
            hulls,
            pieces,
            piece_asm,
            asm,
            con,
            found.known,
            found.sorted[:sleepers],
            np.int64(0),
            settings.interval,
            settings,
            sheets,
            work.wverts,
            work.wnormals,
            work.wcenter,
            work.placed_at,
            found.points,
            found.seps,
            work.search,
        )
        if woke and stage == SEARCH:  # sleepers that woke take part in this very interval
            stage = SEARCH_AGAIN
            continue
        world_inertia(asm, work.inv_mass, work.inv_inertia)
        work.moved[:, :] = 0.0
        work.turned[:, :] = 0.0
        n_rows, n_near, first = np.int64(0), np.int64(0), sleepers
        for x in range(0, fresh, BLOCK):
            which, last = found.which[x : min(x + BLOCK, fresh)], first
            for k in which:
                if last < fresh and found.sorted[last] == k:
                    last += 1
            find_contacts(
                hulls,
                pieces,
                piece_asm,
                asm,
                con,
                found.known,
                found.sorted[first:last],
                np.int64(0),
                settings.interval,
                settings,
                sheets,
                work.wverts,
                work.wnormals,
                work.wcenter,
                work.placed_at,
                found.points,
                found.seps,
                work.search,
            )
            first = last
            n_rows, n_near = build_rows(
                hulls,
                pieces,
                piece_asm,
                asm,
                con,
                which,
                found.again[:0],
                settings,
                found.points,
                found.seps,
                work.inv_mass,
                work.inv_inertia,
                work.moved,
                work.turned,
                work.arms,
                rows,
                n_rows,
                near,
                n_near,
            )
        stage = SOLVE
    if until == SOLVE:
        return stage, fresh, count, n_rows, n_near, n_ties, 0
    n_ties = gather_ties(ties, tie_broken, tie_push, piece_asm, asm, work.inv_mass, tie_rows)
    live = work.live[: _find_live(asm, work.live)]
    step, stale, regroup = (
        np.int64(0),
        np.int64(0),
        np.int64(1),
    )  # not literals: the solver would be compiled once more for them
    work.placed_at[:] = 0
    work.turned_at[:] = 0
    while True:
        step, stale = solve_interval(
            asm,
            live,
            driven,
            rows,
            n_rows,
            near,
            n_near,
            ties,
            tie_rows,
            n_ties,
            work.inv_mass,
            work.inv_inertia,
            settings,
            push,
            twist,
            work.moved,
            work.turned,
            work.moves,
            step,
            found.again,
            found.again[:stale],
            regroup,
        )
        if stale == 0:
            return np.int64(DONE), fresh, count, n_rows, n_near, n_ties, len(live)
        span = settings.interval * (1.0 - step / settings.substeps)
        had = n_rows
        for x in range(0, stale, BLOCK):
            again, pairs = found.again[x : min(x + BLOCK, stale)], found.again_pairs[x : min(x + BLOCK, stale)]
            make_ready(
                rows, near, again, asm, con, step, work.turned_at, work.inv_mass, work.inv_inertia, work.turn, pairs
            )
            find_contacts(
                hulls,
                pieces,
                piece_asm,
                asm,
                con,
                found.known,
                pairs,
                step,
                span,
                settings,
                sheets,
                work.wverts,
                work.wnormals,
                work.wcenter,
                work.placed_at,
                found.points,
                found.seps,
                work.search,
            )
            n_rows, n_near = build_rows(
                hulls,
                pieces,
                piece_asm,
                asm,
                con,
                pairs,
                again,
                settings,
                found.points,
                found.seps,
                work.inv_mass,
                work.inv_inertia,
                work.moved,
                work.turned,
                work.arms,
                rows,
                n_rows,
                near,
                n_near,
            )
        regroup = np.int64(n_rows > had)
