"""What is animated does not stop: it breaks out of a held body what it runs into, and no more than its speed says."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from deforming import ends_alike
from dynaclast.core.bake import Baked
from shots import ball, box, reach_box, run, shot

BRICKS = {"kind": "bricks", "size": [0.6, 0.3, 0.3], "offset": 0}
FOOT = {"name": "foot", "effect": {"kind": "anchor"}, "reach": reach_box((0, 0, 0), (9, 0.35, 9))}


def wall(**more: Any) -> dict[str, Any]:
    return box("wall", (0, 1.5, 0), (3, 3, 0.3), pattern=BRICKS, bonds={"strength": 500}) | more


def arm(speed: float, at: tuple[float, float, float] = (0.0, 2.1, 1.0), **more: Any) -> dict[str, Any]:
    return box("arm", at, (0.5, 0.5, 0.5), role="animated", velocity=[0, 0, -speed]) | more


def swept(speed: float, *, frames: int, **more: Any) -> Baked:
    return run(wall(**more), arm(speed), frames=frames, fields=(FOOT,), gravity=[0, 0, 0])


def crossed(baked: Baked, half: float = 0.25, high: float = 2.1) -> np.ndarray:
    """Bricks whose rest shape the arm's way overlaps well."""
    at = baked.position[0, :-1]
    return (np.abs(at[:, 0]) < 0.3 + half - 0.02) & (np.abs(at[:, 1] - high) < 0.15 + half - 0.02)


@pytest.mark.parametrize("follows", ["off", "fail"])
@pytest.mark.parametrize("speed", [0.25, 2.0])
def test_a_slow_arm_takes_out_what_lies_in_its_way(speed: float, follows: str) -> None:
    baked = swept(speed, frames=round(24 * 1.6 / speed), load_path=follows)
    hit, moved = crossed(baked), np.linalg.norm(baked.position[-1, :-1] - baked.position[0, :-1], axis=1) > 0.05
    assert hit.sum() == 2 and moved[hit].all()
    foot = baked.position[0, :-1, 1] < 0.3
    assert not moved[foot].any(), "what is anchored stays"
    assert baked.position[-1, :-1][hit, 2].max() < -0.1, "nothing of it is left behind in the arm's way"
    first = next(e for e in baked.events if e["kind"] == "bond_broken")
    assert first["causes"][0]["impact"] == "arm" and first["load"] >= first["strength"]
    assert first["frame"] == pytest.approx((1.0 - 0.4) / speed * 24, abs=1.5)
    if follows == "off" and speed < 1.0:  # nothing but what was met comes loose
        assert moved.sum() <= hit.sum() + 2


def test_a_fast_arm_tears_out_more_than_a_slow_one() -> None:
    """A brick of 54 kg that is given v asks for 54 v / 0.02 N of its own bonds, twice that of one to another such."""
    baked = {v: swept(v, frames=round(24 * 0.7 / v) + 1, load_path="off") for v in (1.0, 12.0, 60.0)}
    broken = {v: [e for e in b.events if e["kind"] == "bond_broken"] for v, b in baked.items()}
    assert len(broken[1.0]) == len(broken[12.0]) == 7  # the own bonds of two bricks, one above the other
    by_arm = [e["load"] for e in broken[60.0] if e["causes"][0]["impact"] == "arm"]  # not what is thrown about after
    assert max(by_arm) == pytest.approx(2.0 * 54 * 60.0 / 0.02 / 1000, rel=0.01) and len(by_arm) > 20


def test_a_turning_arm_breaks_out_what_its_end_reaches_and_one_that_passes_by_nothing() -> None:
    beam = {"shape": {"kind": "box", "size": [4, 0.2, 0.2]}, "velocity": [0, 0, 0], "spin": [0, 2.0, 0]}
    beam |= {"place": {"position": [3.2, 2.4, 0.0], "rotation": [0, 0.7071068, 0, 0.7071068]}}
    baked = run(wall(load_path="off"), arm(0) | beam, frames=30, fields=(FOOT,), gravity=[0, 0, 0])
    broken = [e for e in baked.events if e["kind"] == "bond_broken"]
    early = {p for e in broken if e["frame"] == broken[0]["frame"] for p in e["pieces"]}
    assert early and all(baked.position[0, p, 0] > 0.5 and abs(baked.position[0, p, 1] - 2.4) < 0.7 for p in early)
    aside = run(wall(), arm(2.0, (1.9, 2.1, 1.0)), frames=36, fields=(FOOT,))
    assert not [e for e in aside.events if e["kind"] == "bond_broken"]


def test_what_overlaps_from_the_start_or_only_touches_breaks_nothing() -> None:
    leaves = arm(-0.5, (0, 2.1, 0.1))
    rubs = arm(0.0, (0, 3.25, 0), velocity=[0.5, 0, 0])
    for body in (leaves, rubs):
        baked = run(wall(), body, frames=24, fields=(FOOT,))
        assert not [e for e in baked.events if e["kind"] == "bond_broken"]


def test_what_is_not_held_is_pushed_as_before() -> None:
    baked = run(wall(bonds={"strength": 1e7}), arm(2.0), frames=48, gravity=[0, 0, 0], ground={"on": False})
    assert not [e for e in baked.events if e["kind"] == "bond_broken"]
    assert baked.position[-1, :-1, 2].max() < -0.5


def test_a_ball_of_triangles_does_so_too() -> None:
    striker = ball("arm", (0, 2.1, 1.0), 0.4, role="animated", velocity=[0, 0, -3.0], collision="exact")
    baked = run(wall(), striker, frames=16, fields=(FOOT,), gravity=[0, 0, 0])
    moved = np.linalg.norm(baked.position[-1, :-1] - baked.position[0, :-1], axis=1) > 0.05
    assert moved[crossed(baked, half=0.2)].all()


def test_a_run_goes_on_to_the_bit_from_before_and_after() -> None:
    assert ends_alike(shot(wall(load_path="fail"), arm(3.0), frames=16, fields=(FOOT,)), (3, 5, 10))


CARRIED = {"name": "ride", "effect": {"kind": "anchor", "hold": "carried", "carrier": "sled"}}


def driven(
    *others: dict[str, Any],
    velocity: tuple[float, float, float] = (0, 0, 2.0),
    frames: int = 30,
    fields: tuple[dict[str, Any], ...] = (),
) -> Baked:
    """A wall on a sled."""
    sled = box("sled", (0, 0.1, 0), (4, 0.2, 1), role="animated", velocity=list(velocity))
    ride = CARRIED | {"reach": reach_box((0, 0.3, 0), (9, 0.35, 9))}
    body = wall(load_path="off", place={"position": [0, 1.7, 0]})
    return run(body, sled, *others, frames=frames, fields=(ride, *fields), gravity=[0, 0, 0], ground={"on": False})


@pytest.mark.parametrize("collision", ["auto", "exact"])
def test_what_is_carried_breaks_at_what_is_fixed_in_its_way(collision: str) -> None:
    post = box("post", (0, 2, 1.0), (0.4, 3, 0.4), role="passive", collision=collision)
    baked = driven(post)
    broken = [e for e in baked.events if e["kind"] == "bond_broken"]
    assert broken and broken[0]["causes"][0]["impact"] == "post"
    assert broken[0]["frame"] == pytest.approx((1.0 - 0.2 - 0.15) / 2.0 * 24, abs=1.5)
    at = baked.position[0, :-2]
    hit = (np.abs(at[:, 0]) < 0.4) & (at[:, 1] > 0.8)
    foot = at[:, 1] < 0.5
    way = (baked.position[-1] - baked.position[0])[:-2, 2]
    assert way[foot] == pytest.approx(2.0 * 30 / 24, abs=1e-4), "what is held to the sled goes with it"
    assert (way[hit] < 2.0).all(), "the post stops what it meets"


def test_what_is_carried_past_it_or_stands_on_its_sled_stays_whole() -> None:
    beside = box("post", (2.2, 2, 1.0), (0.4, 3, 0.4), role="passive")
    for velocity in ((0, 0, 2.0), (0, 1.0, 0)):
        baked = driven(beside, velocity=velocity, frames=20)
        assert not [e for e in baked.events if e["kind"] == "bond_broken"]


def sledded(name: str, z: float, speed: float, spin: float = 0.0) -> tuple[list[dict[str, Any]], dict[str, Any]]:
    """A wall on a sled of its own, and the field that holds it there."""
    sled = box(f"{name} sled", (0, 0.1, z), (4, 0.2, 0.5), role="animated", velocity=[0, 0, speed], spin=[0, spin, 0])
    ride = {"name": f"{name} ride", "effect": {"kind": "anchor", "hold": "carried", "carrier": f"{name} sled"}}
    ride |= {"reach": reach_box((0, 0.3, 0), (9, 0.35, 99)), "targets": [name]}
    body = wall(load_path="off", place={"position": [0, 1.7, z]}) | {"name": name}
    return [body, sled], ride


@pytest.mark.parametrize(("one", "other"), [(1.5, -0.5), (3.0, 1.0)])
def test_two_that_are_carried_break_at_each_other_by_the_speed_between_them(one: float, other: float) -> None:
    near, hold = sledded("near", 0.0, one)
    far, hold_far = sledded("far", 1.3, other)
    baked = run(*near, *far, frames=24, fields=(hold, hold_far), gravity=[0, 0, 0], ground={"on": False})
    broken = [e for e in baked.events if e["kind"] == "bond_broken"]
    assert {e["body"] for e in broken} == {"near", "far"}
    assert broken[0]["frame"] == pytest.approx((1.3 - 0.3) / (one - other) * 24, abs=1.5)
    assert {e["causes"][0].get("impact") for e in broken if e["frame"] == broken[0]["frame"]} <= {"near", "far"}


def test_two_that_are_carried_side_by_side_stay_whole() -> None:
    turning, hold = sledded("near", 0.0, 3.0, spin=0.8)
    baked = run(*turning, frames=24, fields=(hold,), gravity=[0, 0, 0], ground={"on": False})
    assert not [e for e in baked.events if e["kind"] == "bond_broken"]
    straight = [sledded(n, z, 3.0) for n, z in (("near", 0.0), ("far", 0.45))]
    bodies, holds = [b for s, _ in straight for b in s], tuple(h for _, h in straight)
    baked = run(*bodies, frames=24, fields=holds, gravity=[0, 0, 0], ground={"on": False})
    assert not [e for e in baked.events if e["kind"] == "bond_broken"]


def test_what_was_taken_out_is_in_nobodys_way() -> None:
    post = box("post", (0, 2, 1.0), (0.4, 3, 0.4), material={"density": 9000})
    gone = {"name": "gone", "effect": {"kind": "kill", "what": "remove", "time": 0.0}, "targets": ["post"]}
    gone |= {"reach": {"layers": [{"shape": {"kind": "everywhere"}}]}}
    baked = driven(post, fields=(gone,))
    assert not [e for e in baked.events if e["kind"] == "bond_broken"]


def test_what_is_set_down_hard_breaks_at_the_ground() -> None:
    hook = box("hook", (0, 6, 0), (0.5, 0.5, 0.5), role="animated", velocity=[0, -3.0, 0])
    ride = {"name": "ride", "effect": {"kind": "anchor", "hold": "carried", "carrier": "hook"}}
    ride |= {"reach": reach_box((0, 5.5, 0), (9, 0.7, 9))}
    body = wall(load_path="off", place={"position": [0, 4.0, 0]})
    baked = run(body, hook, frames=28, fields=(ride,), gravity=[0, 0, 0])
    broken = [e for e in baked.events if e["kind"] == "bond_broken"]
    assert broken[0]["causes"][0]["impact"] == "ground"
    assert broken[0]["frame"] == pytest.approx(2.5 / 3.0 * 24, abs=1.5)
