"""Slow is not still: what is out of balance, however little, goes on; what is held up lies still."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from deforming import EVERYWHERE, started
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.rigid.assemblies import wake_one
from shots import ball, box, run, shot

G = 9.81


def turned(angle: float) -> dict[str, Any]:
    """A place turned about z [rad]."""
    return {"rotation": [0, 0, float(np.sin(angle / 2)), float(np.cos(angle / 2))]}


def on_its_edge(high: float, side: float, past: float) -> dict[str, Any]:
    """A block that stands on its lower right edge with its centre ``past`` [m] beyond it."""
    reach = np.hypot(high, side) / 2
    lean = np.arctan2(side, high) + np.arcsin(past / reach)
    at = (past, np.sqrt(reach**2 - past**2), 0)
    return box("block", at, (side, high, side), place=turned(-lean), material={"friction": 1.2})


@pytest.mark.parametrize(("high", "side"), [(3.0, 0.6), (18.0, 0.9), (0.3, 0.1)])
@pytest.mark.parametrize("share", [0.004, 0.05, 0.4])
def test_a_block_past_its_edge_falls_over(high: float, side: float, share: float) -> None:
    """It starts as slowly as g share; it must be down after the time that its exponential start takes, twice over."""
    past = share * side
    rate = np.sqrt(0.75 * G / high)
    frames = int(24 * 2.0 * (np.arccosh(0.5 * high / past) / rate + 0.5))
    baked = run(on_its_edge(high, side, past), frames=frames, ground={"friction": 1.2})
    assert baked.position[-1, 0, 1] < 0.6 * side + 0.01 * high
    assert baked.stats["moving"][-1] == 0


@pytest.mark.parametrize("share", [-0.05, -0.3])
def test_a_block_short_of_its_edge_falls_back(share: float) -> None:
    """It rocks, and each time its feet meet it loses what Housner 1963 says; a squat one is soon still."""
    baked = run(on_its_edge(1.0, 0.6, share * 0.6), frames=144, ground={"friction": 1.2})
    assert baked.position[-1, 0, 1] == pytest.approx(0.5, abs=1e-3) and baked.stats["moving"][-1] == 0


@pytest.mark.parametrize("angle", [0.003, 0.02])
@pytest.mark.parametrize("how", ["string", "pin"])
def test_a_pendulum_that_swings_a_little_goes_on(how: str, angle: float) -> None:
    """2 m long, for eight seconds: its swing keeps its size, and its time."""
    long = 2.0
    at = (long * np.sin(angle), 5 - long * np.cos(angle), 0)
    tie: dict[str, Any] = {
        "name": "rope",
        "how": {"kind": how},
        "body": "bob",
        "point": list(at),
        "to_point": [0, 5, 0],
    }
    if how == "pin":
        tie = {"name": "rope", "how": {"kind": "pin"}, "body": "bob", "point": [0, 5, 0]}
    baked = run(ball("bob", at, 0.1), ties=[tie], frames=192, ground={"on": False})
    x = baked.position[:, 0, 0].astype(float)
    last = x[-80:]
    assert np.ptp(last) > 0.9 * 2 * long * np.sin(angle)
    crossings = np.flatnonzero(np.diff(np.sign(x)) != 0)
    period = 2 * np.diff(crossings).mean() / 24
    assert period == pytest.approx(2 * np.pi * np.sqrt(long / G), rel=0.03)


def test_a_door_turns_on_along_its_easy_hinge() -> None:
    door = box("door", (0.5, 1, 0), (1, 2, 0.05), spin=[0, 0.02, 0], velocity=[0, 0, -0.01])
    hinge = {"name": "hinge", "how": {"kind": "hinge", "axis": [0, 1, 0]}, "body": "door", "point": [0, 1, 0]}
    baked = run(door, ties=[hinge], frames=240, ground={"on": False})
    turn = Rotation.from_quat(baked.orientation[-1, 0].astype(float)).as_rotvec()[1]
    assert abs(turn) == pytest.approx(0.02 * 10, rel=0.05)


@pytest.mark.parametrize("speed", [1e-4, 3e-3])
def test_two_that_touch_drift_on_in_empty_space(speed: float) -> None:
    pair = [box(f"b{k}", (0, 1.0 * k, 0), velocity=[speed, 0, 0]) for k in range(2)]
    baked = run(*pair, frames=96, gravity=[0, 0, 0], ground={"on": False})
    assert baked.position[-1, :, 0] == pytest.approx(speed * 4, rel=1e-3)


@pytest.mark.parametrize(("over", "slides"), [(1.03, True), (0.97, False)])
@pytest.mark.parametrize("angle", [12.0, 30.0])
def test_a_block_on_a_slope_slides_where_it_is_too_steep(angle: float, over: float, slides: bool) -> None:
    """a = g (sin - mu cos), from rest; below the angle of friction it lies still."""
    tilt = np.deg2rad(angle)
    friction = float(np.tan(tilt) / over)
    slope = box("slope", (0, 0, 0), (60, 1, 6), role="passive", place=turned(tilt), material={"friction": friction})
    up = np.array([-np.sin(tilt), np.cos(tilt)]) * 0.75
    block = box("block", (up[0], up[1], 0), (1, 0.5, 1), place=turned(tilt), material={"friction": friction})
    baked = run(slope, block, frames=72, ground={"on": False})
    moved = float(np.linalg.norm(baked.position[-1, 1] - baked.position[0, 1]))
    wanted = 0.5 * G * (np.sin(tilt) - friction * np.cos(tilt)) * 9
    assert moved == pytest.approx(wanted, rel=0.1) if slides else moved < 1e-3


def test_a_dry_laid_wall_stands_still_and_falls_asleep() -> None:
    bricks = [
        box(f"b{row}-{k}", (0.4 * k + 0.12 * (row % 2), 0.1 + 0.2 * row, 0), (0.4, 0.2, 0.2))
        for row in range(14)
        for k in range(16)
    ]
    baked = run(*bricks, frames=240)
    assert np.linalg.norm(baked.position - baked.position[0], axis=2).max() < 1e-3
    assert baked.stats["moving"][72:].max() == 0


@pytest.mark.parametrize("seed", [1, 2])
def test_a_heap_falls_asleep_within_three_seconds_of_its_last_fall(seed: int) -> None:
    rng = np.random.default_rng(seed)
    turns = Rotation.random(80, random_state=seed).as_quat()
    bodies = [
        box(
            f"b{k}",
            (rng.uniform(-0.8, 0.8), 0.4 + 0.3 * k, rng.uniform(-0.8, 0.8)),
            tuple(rng.uniform(0.25, 0.6, 3)),
            place={"rotation": turns[k].tolist()},
        )
        for k in range(80)
    ]
    baked = run(*bodies, frames=230)
    fast = np.linalg.norm(np.diff(baked.position, axis=0), axis=2).max(axis=1) * 24 > 0.5
    landed = int(np.flatnonzero(fast)[-1])
    assert landed < 150 and baked.stats["moving"][landed + 72 :].max(initial=0) == 0


def test_a_number_of_friction_that_changes_wakes_what_lies_there() -> None:
    """A floor that turns to ice under a sleeping block, on a slope: the block slides from then on."""
    tilt = np.deg2rad(15.0)
    ice = {
        "of": "material.friction",
        "keys": [{"time": 0.0, "value": 0.8, "how": "step"}, {"time": 2.0, "value": 0.0, "how": "step"}],
    }
    slope = box("slope", (0, 0, 0), (60, 1, 6), role="passive", place=turned(tilt), channels=[ice])
    up = np.array([-np.sin(tilt), np.cos(tilt)]) * 0.75
    block = box("block", (up[0], up[1], 0), (1, 0.5, 1), place=turned(tilt), material={"friction": 0.8})
    baked = run(slope, block, frames=96, ground={"on": False})
    moved = np.linalg.norm(baked.position[:, 1] - baked.position[0, 1], axis=1)
    assert moved[47] < 1e-3 and baked.stats["moving"][40] == 0
    assert moved[-1] > 0.5


def test_what_is_tied_to_something_that_swings_stays_awake() -> None:
    """A post stands still on the ground while a bob swings from it: it must feel the pull at once, so it does not sleep
    before the bob does.
    """
    post = box("post", (0, 1, 0), (1, 2, 1), material={"density": 4000})
    bob = ball("bob", (1.5, 2.0, 0), 0.15)
    tie = {
        "name": "rope",
        "how": {"kind": "pin"},
        "body": "bob",
        "to": "post",
        "point": [0.7, 2.0, 0],
        "collide": False,
    }
    baked = run(post, bob, ties=[tie], frames=96)
    moving = baked.state_names.index("moving")
    assert (baked.state[24:, 1] == moving).all() and np.ptp(baked.position[60:, 1, 0]) > 0.5
    assert (baked.state[24:, 0] == moving).all()
    assert np.abs(baked.position[:, 0] - baked.position[0, 0]).max() < 2e-3


def pressing(going: Run, piece: int) -> float:
    """Sum of the steady contact forces on a piece, up or down [N]."""
    pieces, cache = going.model.hulls.piece, going.state.contact_cache
    one, other = pieces[cache.shape_a], np.where(cache.shape_b >= 0, pieces[cache.shape_b], -1)
    return float(np.abs(cache.mean_force[(one == piece) | (other == piece), 1]).sum())


@pytest.mark.parametrize("quality", ["draft", "standard", "fine"])
def test_what_rests_on_something_awake_weighs_on_it_and_no_more(quality: str) -> None:
    """A stone that slept on a slab that a rolling ball kept awake gave way to nothing: between it and the ground the
    slab was pressed by forces that grew for seconds, and broke by what was said to be weight.
    """
    slab = box("slab", (0, 0.3, 0), (4, 0.6, 2), pattern={"kind": "cells", "count": 24, "seed": 5})
    slab |= {"bonds": {"strength": 400}, "load_path": "fail"}
    stone = ball("stone", (-1.2, 0.75, 0.2), 0.15)
    rolls = ball("rolls", (1.5, 0.75, 0.5), 0.15, velocity=[-0.2, 0, 0], material={"rolling": 0})
    going = started(shot(slab, stone, rolls, frames=120, quality=quality))
    piece = going.model.piece_count - 2
    for frame in range(96):
        going.advance()
        if frame > 36:
            assert pressing(going, piece) == pytest.approx(going.model.pieces.mass[piece] * G, rel=0.03)
    assert not going.state.bond_broken.any()


def test_it_does_not_sleep_on_what_is_awake_and_wakes_before_it_is_a_vice() -> None:
    """What is below may sleep: what trembles on top does not keep a heap awake."""
    low, high = box("low", (0, 0.25, 0), (1, 0.5, 1)), box("high", (0, 0.65, 0), (0.4, 0.3, 0.4))
    going = started(shot(low, high, frames=96))
    slot, asm = going.state.piece_assembly, going.state.assemblies
    for _ in range(48):
        going.advance()
    assert list(asm.asleep[slot]) == [1, 1]
    for _ in range(3):  # kept awake, as by something that rolls on it
        for _ in range(10):
            wake_one(np.int64(slot[0]), asm)
            going.advance()
            assert not asm.asleep[slot[0]]
        assert not asm.asleep[slot[1]] or pressing(going, int(slot[1])) < 1.03 * going.model.pieces.mass[1] * G
    for _ in range(24):
        going.advance()
    assert list(asm.asleep[slot]) == [1, 1]
    wake_one(np.int64(slot[1]), asm)
    going.advance()
    assert list(asm.asleep[slot]) == [1, 0]


def test_what_a_field_puts_to_rest_stays_so_on_what_is_awake_and_is_told_once() -> None:
    slab = box("slab", (0, 0.3, 0), (4, 0.6, 2), pattern={"kind": "cells", "count": 10, "seed": 3})
    stones = [ball(f"s{k}", (0.4 * k - 1.2, 0.75, -0.5), 0.1) for k in range(3)]
    rolls = ball("rolls", (1.5, 0.75, 0.5), 0.15, velocity=[-0.3, 0, 0], material={"rolling": 0})
    end = {"name": "end", "effect": {"kind": "kill", "what": "rest", "slower": 0.5, "time": 0.2}, "reach": EVERYWHERE}
    end["targets"] = ["s0", "s1", "s2"]
    going = started(shot(slab | {"bonds": {"strength": 400}}, *stones, rolls, frames=30, fields=(end,)))
    told = [e["body"] for _ in range(30) for e in going.advance().events if e["kind"] == "kill"]
    assert sorted(told) == ["s0", "s1", "s2"]
    slot = going.state.piece_assembly
    assert going.state.assemblies.asleep[slot[10:13]].all() and not going.state.assemblies.asleep[slot[13]]
