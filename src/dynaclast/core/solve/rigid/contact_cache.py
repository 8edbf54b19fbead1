"""Upkeep of the contact cache: an entry keeps its place from detection to detection, the last entries fill gaps."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ...arrays import Flags, Index
from ...kernels import kernel
from ..model import Hulls, Motion
from ..state import Assemblies, ContactCache
from .groups import Bodies

NEW, KNOWN, DORMANT, LATE = range(4)
"""What an entry is to a detection: of a new pair; remembered; of a pair that neither side of which is awake; of a new
pair that was found within the interval.
"""
UNSEEN = 1.0
"""The penetration allowance, else never above 0, of an entry whose pair was not looked at yet: it is still new where a
detection begins again."""


class Pairing(NamedTuple):
    """Scratch of ``match_cache`` for at most K entries.

    table : (2^n,) int32, entries by the hash of their pairs, -1 where empty; 2^n > 2 K
    keys  : (2^n,) int64, the number that stands for the pair at each place of the table
    pair  : (K,) int32, each entry's pair, -1 where it has none
    gaps  : (K,) int32, entries that are forgotten
    """

    table: Index
    keys: Index
    pair: Index
    gaps: Index


def make_pairing(room: int) -> Pairing:
    size = max(16, 2 << (2 * room + 2).bit_length())
    return Pairing(
        np.zeros(size, np.int32), np.zeros(size, np.int64), np.zeros(room, np.int32), np.zeros(room, np.int32)
    )


class Pairs(NamedTuple):
    """Pairs that the broad phase found, and what they are to the cache.

    shape_a : (N,) int32
    shape_b : (N,) int32, GROUND for the ground
    entry   : (N,) int64, entry of the cache of each pair
    ordered : (N,) int64, entries with those first of which one side is asleep
    known   : (K,) uint8, of each entry of the cache: NEW, KNOWN or DORMANT
    """

    shape_a: Index
    shape_b: Index
    entry: Index
    ordered: Index
    known: Flags


def make_pairs(pairs: int, entries: int) -> Pairs:
    i4, i8 = np.int32, np.int64
    return Pairs(
        np.zeros(pairs, i4), np.zeros(pairs, i4), np.zeros(pairs, i8), np.zeros(pairs, i8), np.zeros(entries, np.uint8)
    )


@kernel(inner=True)
def _hash(a: int, b: int, mask: int) -> tuple[int, int]:
    """Where to look for a pair in a table of mask + 1 places (Fibonacci hashing, Knuth 1973), and the number that
    stands for the pair.
    """
    key = (np.int64(a) << np.int64(32)) + np.int64(b)
    h = np.uint64(key) * np.uint64(0x9E3779B97F4A7C15)
    return np.int64((h >> np.uint64(32)) & np.uint64(mask)), key  # type: ignore[return-value]


@kernel
def match_cache(
    pairs: Pairs, found: int, hulls: Hulls, bodies: Bodies, cache: ContactCache, count: int, scratch: Pairing
) -> int:
    """Bring the cache, of which the first ``count`` entries are in use, up to date for the first ``found`` pairs.

    Dormant entries stay, all others without a pair are forgotten. Writes pairs.entry and pairs.known; cache and known
    have room for count + found.
    Returns : how many entries there are then
    """
    bits = 4
    while (1 << bits) < 2 * count + 2:
        bits += 1
    mask = (1 << bits) - 1
    for h in range(mask + 1):
        scratch.table[h] = -1
    for k in range(count + found):
        scratch.pair[k] = -1
    for k in range(count):
        h, key = _hash(cache.shape_a[k], cache.shape_b[k], mask)
        while scratch.table[h] >= 0:
            h = (h + 1) & mask
        scratch.table[h], scratch.keys[h] = k, key
    _recall(pairs, found, cache, mask, scratch)
    gaps = 0
    for k in range(count):
        if scratch.pair[k] >= 0:
            continue
        if _is_dormant(cache, k, hulls, bodies.piece_assembly, bodies.assemblies):
            pairs.known[k] = DORMANT
            cache.impact_impulse[k] = 0.0
        else:
            scratch.gaps[gaps] = k
            gaps += 1
    first, count = _enter_new(pairs, found, cache, count, gaps, scratch)
    return _close_gaps(pairs, cache, count, first, gaps, scratch)


@kernel(inner=True)
def _recall(pairs: Pairs, found: int, cache: ContactCache, mask: int, scratch: Pairing) -> None:
    """Find the entries of pairs that are remembered; -1 for others."""
    for n in range(found):
        h, key = _hash(pairs.shape_a[n], pairs.shape_b[n], mask)
        pairs.entry[n] = -1
        while scratch.table[h] >= 0:
            if scratch.keys[h] == key:
                k = scratch.table[h]
                pairs.entry[n] = k
                scratch.pair[k] = n
                pairs.known[k] = NEW if cache.penetration_allowance[k] > 0.0 else KNOWN
                if cache.point_count[k] == 0:
                    clear_impulses(cache, k)
                break
            h = (h + 1) & mask


@kernel(inner=True)
def _enter_new(
    pairs: Pairs, found: int, cache: ContactCache, count: int, gaps: int, scratch: Pairing
) -> tuple[int, int]:
    """Give new pairs entries, gaps first; returns the first gap that is left, and how many entries there are."""
    first = 0
    for n in range(found):
        if pairs.entry[n] >= 0:
            continue
        if first < gaps:
            k = scratch.gaps[first]
            first += 1
        else:
            k = count
            count += 1
        pairs.entry[n] = k
        scratch.pair[k] = n
        pairs.known[k] = NEW
        enter_pair(cache, k, pairs.shape_a[n], pairs.shape_b[n])
    return first, count


@kernel(inner=True)
def enter_pair(cache: ContactCache, k: int, shape_a: int, shape_b: int) -> None:
    """Entry k is of a pair that was not looked at yet."""
    cache.shape_a[k], cache.shape_b[k] = shape_a, shape_b
    cache.penetration_allowance[k], cache.penetration[k], cache.impact_impulse[k] = UNSEEN, 0.0, 0.0
    cache.point_count[k] = cache.feature[k] = 0
    for c in range(3):
        cache.normal[k, c] = cache.normal_a[k, c] = cache.normal_b[k, c] = 0.0
        for i in range(4):
            cache.point_a[k, i, c] = cache.point_b[k, i, c] = 0.0
    clear_impulses(cache, k)


@kernel(inner=True)
def _close_gaps(pairs: Pairs, cache: ContactCache, count: int, first: int, gaps: int, scratch: Pairing) -> int:
    """Move the last entries into the gaps; returns how many entries are left."""
    while first < gaps:  # gaps ascend: the last one is closed first where the last entries are gaps themselves
        count -= 1
        if scratch.gaps[gaps - 1] == count:
            gaps -= 1
            continue
        k = scratch.gaps[first]
        first += 1
        _move_entry(cache, count, k)
        pairs.known[k] = pairs.known[count]
        if scratch.pair[count] >= 0:
            pairs.entry[scratch.pair[count]] = k
    return count


@kernel(inline=True)
def _is_dormant(cache: ContactCache, k: int, hulls: Hulls, piece_assembly: Index, asm: Assemblies) -> bool:
    """Whether neither side of the pair is awake, and what they know of each other is still of use."""
    a = piece_assembly[hulls.piece[cache.shape_a[k]]]
    if cache.shape_b[k] < 0:
        return asm.asleep[a] != 0 and asm.motion[a] == Motion.DYNAMIC
    b = piece_assembly[hulls.piece[cache.shape_b[k]]]
    held_a, held_b = asm.motion[a] != Motion.DYNAMIC, asm.motion[b] != Motion.DYNAMIC
    still = (held_a or asm.asleep[a] != 0) and (held_b or asm.asleep[b] != 0)
    driven = asm.motion[a] == Motion.KINEMATIC or asm.motion[b] == Motion.KINEMATIC
    return still and a != b and not (held_a and held_b) and not driven


@kernel(inline=True)
def clear_impulses(cache: ContactCache, k: int) -> None:
    for c in range(3):
        cache.mean_force[k, c] = 0.0
    for c in range(4):
        cache.normal_impulse[k, c] = cache.total_impulse[k, c] = 0.0
        cache.friction_impulse[k, c] = 0.0


@kernel(inner=True)
def _move_entry(cache: ContactCache, k: int, n: int) -> None:
    """Entry k of the cache becomes entry n."""
    cache.shape_a[n], cache.shape_b[n] = cache.shape_a[k], cache.shape_b[k]
    cache.penetration_allowance[n], cache.penetration[n] = cache.penetration_allowance[k], cache.penetration[k]
    cache.impact_impulse[n] = cache.impact_impulse[k]
    cache.point_count[n], cache.feature[n] = cache.point_count[k], cache.feature[k]
    for c in range(3):
        cache.normal[n, c], cache.mean_force[n, c] = cache.normal[k, c], cache.mean_force[k, c]
        cache.normal_a[n, c] = cache.normal_a[k, c]
        cache.normal_b[n, c] = cache.normal_b[k, c]
    for c in range(4):
        cache.normal_impulse[n, c], cache.total_impulse[n, c] = cache.normal_impulse[k, c], cache.total_impulse[k, c]
        cache.friction_impulse[n, c] = cache.friction_impulse[k, c]
    for i in range(cache.point_count[k]):
        for c in range(3):
            cache.point_a[n, i, c] = cache.point_a[k, i, c]
            cache.point_b[n, i, c] = cache.point_b[k, i, c]


@kernel(inner=True)
def sleeping_pairs_first(pairs: Pairs, found: int, hulls: Hulls, bodies: Bodies, cache: ContactCache) -> int:
    """The entries of the first ``found`` pairs into pairs.ordered, those first of which one side is asleep, since what
    they wake must be paired anew. Returns how many these are.
    """
    asm = bodies.assemblies
    first, n = 0, 0
    for turn in range(2):
        for x in range(found):
            k = pairs.entry[x]
            a = bodies.piece_assembly[hulls.piece[cache.shape_a[k]]]
            calls = (
                cache.shape_b[k] >= 0
                and asm.asleep[a] != asm.asleep[bodies.piece_assembly[hulls.piece[cache.shape_b[k]]]]
            )
            if calls == (turn == 0):
                pairs.ordered[n] = k
                n += 1
        if turn == 0:
            first = n
    return first
