"""Pairs found within an interval: what an impact throws meets what was out of its reach when the interval began."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from dynaclast.core.document import Shot
from dynaclast.core.solve.interval import PAIRS
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.prepare import prepare
from dynaclast.core.solve.rigid import run as rigid_run
from resuming import interrupted, same
from shots import ball, box, built_once, shot

QUALITIES = ("draft", "standard", "fine")


def billiards(speed: float, distance: float, thin: dict[str, Any], quality: str) -> Shot:
    """In empty space: a ball hits one like it, which rests that far before something thin."""
    bouncy = {"bounce": 1.0, "friction": 0.0}
    one = ball("one", (-0.35, 0, 0), 0.1, velocity=[speed, 0, 0], material=bouncy)
    other = ball("other", (0.0, 0, 0), 0.1, material=bouncy)
    thin = thin | {"place": {"position": [0.1 + distance, 0, 0]}}
    return shot(one, other, thin, frames=12, gravity=[0, 0, 0], ground={"on": False}, quality=quality)


PLATE = box("plate", (0, 0, 0), (0.02, 3, 3), role="passive")
GRID = PLATE | {"collision": "exact"}
SCREEN = GRID | {"shape": {"kind": "box", "size": [0.02, 3, 3], "divisions": [1, 90, 90]}}
DOOR = box("door", (0, 0, 0), (0.02, 3, 3), material={"mass": 2000})


THROWN = [(15.0, 0.05), (28.0, 0.17), (50.0, 0.3)]
CASES = [
    pytest.param(*thrown, thin, quality, id=f"{name}-{thrown[0]}-{quality}")
    for k, quality in enumerate(QUALITIES)
    for name, thin in (("hull", PLATE), ("triangles", GRID), ("many", SCREEN), ("heavy", DOOR))
    for thrown in ([THROWN[k]] if name == "many" else THROWN)
]


@pytest.mark.parametrize(("speed", "distance", "thin", "quality"), CASES)
def test_what_is_thrown_by_a_hit_does_not_pass_through_what_was_far_off(
    speed: float, distance: float, thin: dict[str, Any], quality: str
) -> None:
    ready = prepare(billiards(speed, distance, thin, quality), get_pieces=built_once)
    going = Run(ready.shot, ready.model, ready.state)
    for _ in range(12):
        x = going.advance().arrays["position"][:, 0]
        assert x[1] + 0.1 < x[2] - 0.01 + 0.004
        assert x[0] + 0.1 < x[1] - 0.1 + 0.004


def crowd(count: int = 60) -> Shot:
    """Small stones fall fast onto a heap."""
    rng = np.random.default_rng(5)
    stones = []
    for k in range(count):
        size = rng.uniform(0.08, 0.24, 3)
        at = [0.3 * (k % 4), 0.15 + 0.3 * (k // 16) + (4.0 if k >= 32 else 0.0), 0.3 * (k // 4 % 4)]
        at = [float(x) for x in np.add(at, rng.uniform(-0.02, 0.02, 3))]
        turn = rng.normal(size=4)
        turned = {"rotation": (turn / np.linalg.norm(turn)).tolist()}
        fast = {"velocity": [0, -14, 0]} if k >= 32 else {}
        stones.append(box(f"stone {k}", at, tuple(size.tolist()), place=turned, **fast))
    return shot(*stones, frames=20)


def test_no_pair_is_found_twice_and_they_are_what_room_there_is_or_not(monkeypatch: pytest.MonkeyPatch) -> None:
    frames, late = [], 0
    for room in (rigid_run.FIRST_ROOM, 1):
        monkeypatch.setattr(rigid_run, "FIRST_ROOM", room)
        ready = prepare(crowd(), get_pieces=built_once)
        going = Run(ready.shot, ready.model, ready.state)
        frames.append([going.opening()])
        solve = going.rigid.solve

        def counted(*args: Any, going: Run = going, solve: Any = solve) -> Any:
            nonlocal late
            out = solve(*args)
            rigid, entries = going.rigid, going.state.contact_cache
            pairs, found = rigid._pairs, int(rigid._numbers[PAIRS])
            both = list(zip(pairs.shape_a[:found].tolist(), pairs.shape_b[:found].tolist(), strict=True))
            assert len(set(both)) == found
            of_entries = list(zip(entries.shape_a.tolist(), entries.shape_b.tolist(), strict=True))
            assert [of_entries[k] for k in pairs.entry[:found]] == both and len(set(of_entries)) == len(of_entries)
            late += found - int(rigid._scratch.searched.found[0])
            return out

        monkeypatch.setattr(going.rigid, "solve", counted)
        frames[-1] += [going.advance() for _ in range(20)]
    assert late > 40
    assert all(same(one, other) for one, other in zip(*frames, strict=True))


def test_a_run_goes_on_to_the_bit_from_the_middle_of_a_crash() -> None:
    assert interrupted(crowd(), every=3) == []
