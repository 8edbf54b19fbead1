"""Fields over time against closed forms: terminal speeds, torques on bodies of any shape, keyed strengths, cues."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from shots import ball, box, pillar, reach_box, reach_sphere, run

QUALITIES = ("draft", "standard", "fine")
G = 9.81
EVERYWHERE = reach_sphere((0, 0, 0), 1e4)
IN_SPACE: dict[str, Any] = {"gravity": [0, 0, 0], "ground": {"on": False}}


def field(effect: dict[str, Any], reach: dict[str, Any] = EVERYWHERE, **more: Any) -> dict[str, Any]:
    return {"name": "field", "effect": effect, "reach": reach, "cue": {"kind": "span", "start": 0.0}} | more


def velocity(baked: Any, piece: int = 0) -> np.ndarray:
    """Velocity (F - 1, 3) [m/s] half way between frames."""
    return np.diff(baked.position[:, piece].astype(float), axis=0) * 24


def turn_rate(baked: Any, piece: int = 0) -> np.ndarray:
    """Angular velocity (F - 1, 3) [rad/s] between frames."""
    from scipy.spatial.transform import Rotation

    turns = Rotation.from_quat(baked.orientation[:, piece].astype(float))
    return (turns[1:] * turns[:-1].inv()).as_rotvec() * 24


@pytest.mark.parametrize("quality", QUALITIES)
@pytest.mark.parametrize("amount", [0.8, 4.5, 11.0])
def test_what_falls_through_drag_comes_to_g_over_c(amount: float, quality: str) -> None:
    """v(t) = g / c (1 - e^(-c t)), from the first step on; position is its integral."""
    drag = field({"kind": "drag", "amount": amount, "turning": 0})
    baked = run(ball("b", (0, 0, 0)), fields=(drag,), ground={"on": False}, frames=96, quality=quality)
    t = baked.time
    fallen = G / amount * (t - (1 - np.exp(-amount * t)) / amount)
    assert velocity(baked)[-1, 1] == pytest.approx(-G / amount * (1 - np.exp(-amount * t[-2:].mean())), rel=2e-4)
    assert -baked.position[:, 0, 1] == pytest.approx(fallen, rel=1e-3, abs=0.03)


def test_drag_leaves_what_lies_still_its_weight() -> None:
    """A block on a slope just steeper than its friction slides, one on a gentler slope stays, drag or not."""
    for friction, slides in ((0.30, True), (0.45, False)):
        tilt = np.deg2rad(20.0)  # tan = 0.364
        turn = [0, 0, float(np.sin(tilt / 2)), float(np.cos(tilt / 2))]
        slope = box("slope", (0, 0, 0), (40, 1, 10), role="passive", place={"rotation": turn})
        at = np.array([-np.sin(tilt), np.cos(tilt)]) * 0.75
        material = {"friction": friction}
        slope["material"] |= material
        block = box("block", (at[0], at[1], 0), (1, 0.5, 1), place={"rotation": turn}, material=material)
        drag = field({"kind": "drag", "amount": 5, "turning": 0})
        baked = run(slope, block, fields=(drag,), ground={"on": False}, frames=48)
        moved = np.linalg.norm(baked.position[-1, 1] - baked.position[0, 1])
        assert moved > 0.05 if slides else moved < 2e-3


ROD = (0.2, 3.0, 0.4)


def about(axis: int, mass: float, size: tuple[float, float, float]) -> float:
    """Moment of inertia of a box about an axis through its centre [kg m2]."""
    others = [size[k] for k in range(3) if k != axis]
    return mass * (others[0] ** 2 + others[1] ** 2) / 12


@pytest.mark.parametrize("axis", [0, 1, 2])
@pytest.mark.parametrize("broken", [False, True])
def test_a_torque_turns_a_rod_by_its_own_inertia(axis: int, broken: bool) -> None:
    """Whole: alpha = T / I about each axis. Of bonded pieces: each feels T, and the whole turns by their sum."""
    torque, mass = 30.0, 1000 * float(np.prod(ROD))
    body = box("rod", (0, 0, 0), ROD)
    pieces = 1
    if broken:
        body["pattern"] = {"kind": "bricks", "size": [0.2, 1.0, 0.4], "offset": 0}
        body["bonds"] = {"strength": 1e6}
        pieces = 3
    direction = [float(k == axis) for k in range(3)]
    spin = field({"kind": "spin", "axis": direction, "amount": torque, "unit": "N m"})
    baked = run(body, fields=(spin,), frames=12, **IN_SPACE)
    wanted = pieces * torque / about(axis, mass, ROD)
    assert turn_rate(baked)[-1, axis] == pytest.approx(wanted * 11.5 / 24, rel=1e-3)
    blow = field({"kind": "spin", "axis": direction, "amount": torque, "unit": "N m"}, cue={"kind": "at", "time": 0.0})
    struck = run(body, fields=(blow,), frames=4, **IN_SPACE)
    assert turn_rate(struck)[-1, axis] == pytest.approx(wanted, rel=1e-3)


@pytest.mark.parametrize("size", [(1.0, 1.0, 1.0), (2.4, 0.3, 0.7)])
def test_a_whole_body_inside_a_vortex_turns_with_it(size: tuple[float, float, float]) -> None:
    """Inside the core all air turns at swirl / core: a body in the middle comes to it as 1 - e^(-grip t)."""
    swirl, core, grip = 6.0, 3.0, 2.0
    whirl = field({"kind": "vortex", "swirl": swirl, "core": core, "grip": grip, "inward": 0, "lift": 0})
    baked = run(box("b", (0, 0, 0), size), fields=(whirl,), frames=48, **IN_SPACE)
    t = baked.time[:-1] + 0.5 / 24
    assert turn_rate(baked)[:, 1] == pytest.approx(swirl / core * (1 - np.exp(-grip * t)), rel=0.02, abs=0.01)
    assert np.abs(baked.position[-1, 0]).max() < 1e-3


def test_a_push_on_half_of_a_body_turns_it() -> None:
    push = field({"kind": "push", "amount": 4, "direction": [0, 0, 1]}, reach_box((5, 0, 0), (10, 9, 9)))
    baked = run(box("b", (0, 0, 0), (2, 1, 1)), fields=(push,), frames=4, **IN_SPACE)
    assert turn_rate(baked)[-1, 1] < -0.2 and velocity(baked)[-1, 2] > 0.2
    whole = field({"kind": "push", "amount": 4, "direction": [0, 0, 1]})
    straight = run(box("b", (0, 0, 0), (2, 1, 1)), fields=(whole,), frames=4, **IN_SPACE)
    assert np.abs(turn_rate(straight)).max() < 1e-6
    assert velocity(straight)[-1, 2] == pytest.approx(4 * 3.5 / 24, rel=1e-4)


@pytest.mark.parametrize("quality", QUALITIES)
def test_a_keyed_strength_gives_its_integral(quality: str) -> None:
    """A push that rises from 0 to 8 m/s2 in half a second gives 2 m/s; one eased in over its whole span as much."""
    keys = [{"time": 0.0, "value": 0.0}, {"time": 0.5, "value": 8.0}]
    rising = field(
        {"kind": "push", "amount": 0, "direction": [1, 0, 0]},
        cue={"kind": "span", "start": 0.0, "end": 0.5},
        channels=[{"of": "effect.amount", "keys": [{**k, "how": "linear"} for k in keys]}],
    )
    baked = run(ball("b", (0, 0, 0)), fields=(rising,), frames=24, quality=quality, **IN_SPACE)
    assert velocity(baked)[-1, 0] == pytest.approx(2.0, rel=1e-4)
    eased = field(
        {"kind": "push", "amount": 8, "direction": [1, 0, 0]},
        cue={"kind": "span", "start": 0.0, "end": 0.5, "ease_in": 0.5},
    )
    baked = run(ball("b", (0, 0, 0)), fields=(eased,), frames=24, quality=quality, **IN_SPACE)
    assert velocity(baked)[-1, 0] == pytest.approx(2.0, rel=1e-3)


def test_a_keyed_gravity_of_a_body_gives_its_integral() -> None:
    channel = {
        "of": "gravity",
        "keys": [{"time": 0.0, "value": 0.0, "how": "linear"}, {"time": 1.0, "value": 1.0, "how": "linear"}],
    }
    baked = run(ball("b", (0, 50, 0), gravity=0, channels=[channel]), ground={"on": False}, frames=24)
    t = 23.5 / 24
    assert velocity(baked)[-1, 1] == pytest.approx(-G * t * t / 2, rel=4e-3)


def test_an_impact_cue_is_called_once_by_a_hit_though_all_falls_asleep_after() -> None:
    """A block falls flat and lies; the field it calls must not be called by that hit again a second later."""
    call = field(
        {"kind": "push", "amount": 1, "direction": [1, 0, 0]},
        cue={"kind": "impact", "above": 0.1, "bodies": ["block"], "rest": 0.4},
    )
    baked = run(box("block", (0, 1.5, 0), (1, 1, 1)), fields=(call,), frames=120)
    called = [e["frame"] for e in baked.events if e["kind"] == "cue"]
    hits = [e["frame"] for e in baked.events if e["kind"] == "impact"]
    assert called and baked.stats["moving"][-1] == 0
    assert len(called) <= len(set(hits)) and called[-1] <= hits[-1] + 1


@pytest.mark.parametrize("effect", [{"kind": "push", "amount": 3}, {"kind": "wind", "speed": 30}])
def test_a_field_over_a_span_frees_what_waits_to_be_touched(effect: dict[str, Any]) -> None:
    reach = reach_sphere((0, 2.5, 0), 0.6)
    late = field(effect, reach, cue={"kind": "span", "start": 0.5})
    baked = run(pillar(release={"kind": "touch", "part": "piece"}), fields=(late,), frames=24)
    freed = [e for e in baked.events if e["kind"] == "release"]
    assert freed and {e["frame"] for e in freed} == {13} and freed[0]["cause"] == {"field": "field"}
    assert 0 < sum(len(e["pieces"]) for e in freed) < 24
    away = field(effect, reach_sphere((30, 0, 0), 1), cue={"kind": "span", "start": 0.5})
    assert not run(pillar(release={"kind": "touch"}), fields=(away,), frames=24).events[1:]
