"""Which contacts take part in a pass of the velocity solver: listed, so that the others need not be looked at."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ...arrays import Flags, Index, Int, Scalar
from ...kernels import kernel


class Worklist(NamedTuple):
    """Which contacts take part in a pass; C is the room for contacts.

    more   : (C,) int32, those of more than one pass, in order
    listed : (1,) int64, how many these are
    row    : (2 C,) int32, contacts of bodies that can move, body after body; where each begins is said by assembly slot
    flags  : (2, D) uint8, D >= C: taking part in this pass, and in the next
    words  : (2, D / 8) uint64, the same bytes: where nothing takes part is passed over eight by eight
    """

    more: Index
    listed: Index
    row: Index
    flags: Flags
    words: NDArray[np.uint64]


def make_worklist(pairs: int) -> Worklist:
    flags = np.zeros((2, -(-max(pairs, 1) // 8) * 8), np.uint8)
    i4 = np.int32
    return Worklist(np.zeros(pairs, i4), np.zeros(1, np.int64), np.zeros(2 * pairs, i4), flags, flags.view(np.uint64))


@kernel(inner=True)
def list_rows(
    work: Worklist, body_a: Index, body_b: Index, count: int, awake: Index, inv_mass: Scalar, first: Int, rows: Int
) -> None:
    """The contacts of every body that can move, into work.row.

    body_a, body_b : (C,) int32, slots of the first ``count`` contacts
    awake          : (n,) int64, slots that are awake
    first, rows    : (A,) int32, out: where those of a slot begin, and how many they are
    """
    for k in range(len(awake)):
        rows[awake[k]] = 0
    for r in range(count):
        a, b = body_a[r], body_b[r]
        if inv_mass[a] > 0.0:
            rows[a] += 1
        if inv_mass[b] > 0.0:
            rows[b] += 1
    filled = 0
    for k in range(len(awake)):
        a = awake[k]
        first[a] = filled
        filled += rows[a]
        rows[a] = 0
    for r in range(count):
        for side in range(2):
            a = body_a[r] if side == 0 else body_b[r]
            if inv_mass[a] > 0.0:
                work.row[first[a] + rows[a]] = r
                rows[a] += 1


@kernel(inline=True)
def call_neighbours(work: Worklist, first: Int, rows: Int, slot: int, r: int, turn: int) -> None:
    """What touches a body whose velocity changed much takes part in the next pass, and later in this one.

    first, rows : as ``list_rows`` gives them; r : the contact at hand; turn : of work.flags, those of this pass
    """
    for n in range(first[slot], first[slot] + rows[slot]):
        q = work.row[n]
        work.flags[1 - turn, q] = 1
        if q > r:
            work.flags[turn, q] = 1
