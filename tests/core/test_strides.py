"""Bodies of which steps last several substeps, beside those that take one in every."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deforming import cloth, frames_of, pin, points, rope, soft, started
from dynaclast.core.document import Shot
from dynaclast.core.solve.deformable.looked import CROSSED
from dynaclast.core.solve.deformable.missed import _find_crossed
from dynaclast.core.solve.deformable.run import DeformableRun
from dynaclast.core.solve.deformable.strides import steps_often
from dynaclast.core.solve.loop import Run
from playing import played
from resuming import interrupted
from shots import ball, box, shot

STEP = 1.0 / 96.0


def deformable(run: Run) -> DeformableRun:
    assert run.deformable is not None
    return run.deformable


def often(run: Run) -> set[str]:
    """Names of those that take a step in every substep of the interval that begins."""
    own = deformable(run)
    awake = np.arange(len(own.deformables.names))
    which = steps_often(own.parts, run.model, run.state, awake, STEP)
    return {own.deformables.names[k] for k in awake[which]}


def sheet(name: str, x: float, **more: Any) -> dict[str, Any]:
    return cloth(name, (x, 1, 0), (1, 1), (4, 4), **more)


def cube(name: str, x: float, y: float = 1.0, **more: Any) -> dict[str, Any]:
    return soft(name, (x, y, 0), (0.4, 0.4, 0.4), **more)


# ------------------------------------------------------------------------ who steps how


def test_cloth_by_itself_takes_long_steps_beside_what_is_soft_and_a_rope_that_are_far() -> None:
    line = rope("line", (6, 1, 0), (7, 1, 0))
    assert often(started(shot(sheet("sheet", 0), cube("cube", 3), line))) == {"cube", "line"}
    assert often(started(shot(sheet("sheet", 0), sheet("other", 3)))) == set()
    assert often(started(shot(cube("cube", 3), line))) == {"cube", "line"}


def test_cloth_near_what_is_soft_steps_as_that_does_and_a_rope_near_cloth_as_the_cloth() -> None:
    near = started(shot(sheet("sheet", 0), sheet("far", 9), cube("cube", 0.4, 1.35)))
    assert often(near) == {"sheet", "cube"}
    line = rope("line", (0.4, 1.1, 0), (1.4, 1.1, 0))
    assert often(started(shot(sheet("sheet", 0), line, cube("cube", 9)))) == {"cube"}


def test_what_does_not_meet_goes_by_itself_and_what_is_tied_goes_together() -> None:
    tie = {"name": "knot", "how": {"kind": "pin"}, "body": "sheet", "to": "cube", "point": [0.5, 1, 0.5]}
    assert often(started(shot(sheet("sheet", 0), cube("cube", 5), ties=[tie]))) == {"sheet", "cube"}
    near = sheet("sheet", 0), cube("cube", 0.4, 1.21), sheet("far", 9)
    assert often(started(shot(*near, ties=[tie | {"collide": False, "to": "far"}]))) == {"sheet", "far", "cube"}


@pytest.mark.parametrize(("role", "together"), [("active", True), ("passive", False)])
def test_an_assembly_beside_both_brings_them_together_unless_nothing_moves_it(role: str, together: bool) -> None:
    bar = box("bar", (2, 1.2, 0), (5.0, 0.1, 0.1), role=role)
    run = started(shot(sheet("sheet", 0), cube("cube", 4), bar))
    assert often(run) == ({"sheet", "cube"} if together else {"cube"})


def test_assemblies_that_touched_go_together() -> None:
    stones = [box(f"stone {k}", (0.6 + 0.5 * k, 0.25, 0), (0.5, 0.5, 0.5)) for k in range(7)]
    run = started(shot(cloth("sheet", (0, 0.3, 0), (1, 1), (4, 4)), cube("cube", 4.2, 0.2), *stones, frames=2))
    assert often(run) == {"cube"}, "nothing is known of who touches whom"
    run.advance()
    assert often(run) == {"sheet", "cube"}


def test_what_turns_fast_hurries_only_those_beside_it() -> None:
    wheel = ball("wheel", (0, 1.4, 0), 0.3, spin=[0, 40, 0])
    run = started(shot(sheet("sheet", 0), sheet("far", 9), wheel))
    assert often(run) == {"sheet"}
    run.state.assemblies.angular_velocity[:] *= 0.1
    assert often(run) == set()
    looked = deformable(run).parts.looked
    looked.thrown_at[1] = 1
    assert often(run) == {"far"}
    looked.thrown_at[1], looked.astray[0] = 0, 1
    assert often(run) == {"sheet"}


@settings(max_examples=40)
@given(st.integers(0, 10**9))
def test_groups_are_those_that_a_search_by_hand_finds(seed: int) -> None:
    """Sheets, cubes and stones strewn about: two go together where the balls or boxes that hold what they may reach
    meet; found one from another until nothing is added.
    """
    rng = np.random.default_rng(seed)
    bodies = [sheet(f"s{k}", 0) for k in range(4)] + [cube(f"c{k}", 0) for k in range(2)]
    bodies += [box(f"b{k}", (0, 1, 0), (0.3, 0.3, 0.3)) for k in range(4)]
    for body in bodies:
        body["place"] = {"position": rng.uniform([-3, 1, -2], [3, 4, 2]).tolist()}
    run = started(shot(*bodies))
    own, model, state = deformable(run), run.model, run.state
    state.vertices.velocity[:] = 3.0 * rng.normal(size=(len(state.vertices.velocity), 3))
    e, span, asm = own.parts.elements, model.settings.interval, state.assemblies
    holds: list[tuple[np.ndarray, np.ndarray]] = []
    for b in range(6):
        mine, its = (slice(t.first[b], t.first[b + 1]) for t in (e.bodies, e.points))
        fast = np.linalg.norm(state.vertices.velocity[mine], axis=1).max()
        thick = max((e.points.radius[its] + e.points.reach[its]).max(), e.points.ball[its].max())
        far = thick + span * (fast + (30.0 + 9.81) * span)
        holds.append((state.vertices.position[mine].min(axis=0) - far, state.vertices.position[mine].max(axis=0) + far))
    reach = asm.radius[:4] + span * np.linalg.norm(asm.velocity[:4], axis=1)

    def meet(a: int, b: int) -> bool:
        if a > b:
            return meet(b, a)
        if a > 5:
            return False
        if b < 6:
            return bool((holds[a][0] <= holds[b][1]).all() and (holds[b][0] <= holds[a][1]).all())
        middle = asm.position[b - 6]
        inside = np.maximum(holds[a][0], np.minimum(middle, holds[a][1]))
        return bool(np.linalg.norm(inside - middle) <= reach[b - 6])

    hurried, grows = {4, 5}, True
    while grows:
        more = {k for k in range(10) if k not in hurried and any(meet(k, m) for m in hurried)}
        hurried, grows = hurried | more, bool(more)
    assert often(run) == {own.deformables.names[k] for k in hurried if k < 6}


# ------------------------------------------------------------------------------ solved


def test_cloth_goes_the_same_way_to_the_bit_whatever_else_is_far_from_it() -> None:
    def scene(*others: dict[str, Any]) -> list[dict[str, Any]]:
        corners = [pin(x, 1, z) for x in (-0.5, 0.5) for z in (-0.5, 0.5)]
        falls = ball("falls", (0.1, 1.4, 0.05), 0.12)
        held = cloth("held", (0, 1, 0), (1, 1), (8, 8), pins=corners, matter={"folds": True})
        return [falls, held, *others]

    beside = cube("cube", 6, 0.5), rope("line", (-6, 1, 0), (-6, 1, 1)), ball("lands", (6.05, 1.3, 0), 0.2)
    alone, together = frames_of(shot(*scene(), frames=30)), frames_of(shot(*scene(*beside), frames=30))
    assert (points(alone, "held") == points(together, "held")).all()
    assert (points(together, "cube")[-1] != points(together, "cube")[0]).any()


def test_what_one_steps_gives_to_assemblies_the_other_does_not_take_back() -> None:
    """A stone in a sheet and one on a soft cube, both of which lie still in the end."""
    corners = [pin(x, 1, z) for x in (-0.5, 0.5) for z in (-0.5, 0.5)]
    held = cloth("held", (0, 1, 0), (1, 1), (8, 8), pins=corners)
    bodies = held, cube("cube", 6, 0.2), ball("one", (0, 1.2, 0), 0.1), ball("other", (6, 0.6, 0), 0.15)
    run = started(shot(*bodies, frames=120))
    apart = 0
    for _ in range(120):
        run.advance()
        apart += len(deformable(run).parts.awake) == 1 == len(deformable(run).often.awake)
    assert apart > 20, "both were awake, each solved by itself"
    height = run.state.assemblies.position[:2, 1]
    assert 0.7 < height[0] < 1.1 and height[1] == pytest.approx(0.55, abs=0.02)
    assert np.abs(run.state.assemblies.velocity[:2]).max() < 0.02


def test_nothing_that_a_step_expected_is_known_in_the_next_interval() -> None:
    """Not what a soft body that sleeps now took with it: what cloth has not touched would seem to have strayed."""
    bodies = sheet("sheet", 0), cube("cube", 6, 0.2), ball("falls", (6, 0.6, 0), 0.15)
    run = started(shot(*bodies, frames=8))
    own = deformable(run)
    while not own.parts.scratch.expected.any():
        run.advance()
        assert run.state.frame < 8
    assert own.often.slots.used[0] == 1
    run.state.deformables.asleep[1] = 1
    run.state.assemblies.asleep[0] = 1
    own.begin_interval(run.rigid.scene, run.rigid.bodies)
    assert own.parts.awake.tolist() == [0] and not len(own.often.awake)
    assert not own.parts.scratch.expected.any()


def shoved(speed: float, gap: float, frames: int) -> Shot:
    """A soft cube that a ram drives into a sheet that was out of its reach."""
    outside = {"kind": "box", "center": [0, 0, 0], "core": [0.1, 0.97, 0.97], "edge": 0}
    rim = {"layers": [{"shape": outside, "invert": True}]}
    turned = {"position": [0, 0, 0], "rotation": [0, 0, 0.70710678, 0.70710678]}
    held = cloth("held", (0, 0, 0), (2, 2), (12, 12), pins=[{"reach": rim}], matter={"weight": 1.0}) | {"place": turned}
    pushed = cube("cube", -gap, 0.0, material={"density": 60})
    ram = ball("ram", (-gap - 0.85, 0, 0), 0.3, velocity=[speed, 0, 0], material={"density": 300})
    return shot(held, pushed, ram, gravity=[0, 0, 0], ground={"on": False}, frames=frames)


@pytest.mark.parametrize(("speed", "gap"), [(60.0, 1.2), (40.0, 0.8)])
def test_what_is_thrown_among_those_with_longer_steps_is_met_by_them(
    speed: float, gap: float, monkeypatch: pytest.MonkeyPatch
) -> None:
    crossed, look = [0], DeformableRun.look_further

    def looks(self: DeformableRun) -> bool:
        crossed[0] += int(self.parts.looked.missed[CROSSED])
        return look(self)

    monkeypatch.setattr(DeformableRun, "look_further", looks)
    run = started(shoved(speed, gap, 6))
    for _ in range(6):
        run.advance()
        body, x = deformable(run).deformables.elements.vertices.body, run.state.vertices.position
        sheet_at, cube_at = x[body == 0], x[body == 1]
        beside = np.abs(cube_at[:, 1:]).max(axis=1) < 0.9
        nearest = np.linalg.norm(cube_at[beside, None, 1:] - sheet_at[None, :, 1:], axis=2).argmin(axis=1)
        assert (cube_at[beside, 0] < sheet_at[nearest, 0] + 0.15).all(), "nothing is through"
    assert crossed[0] > 0
    assert cube_at[:, 0].mean() < 0.2, "it is thrown back"


def test_ways_that_cross_are_those_of_bodies_that_were_looked_at_and_meet() -> None:
    run = started(shot(sheet("a", 0), sheet("b", 9), cube("c", 18)))
    d = deformable(run).parts
    looked, every, meets = d.looked, d.elements.bodies.every, d.elements.meets

    def crossed() -> int:
        looked.missed[CROSSED] = 0
        played(lambda: _find_crossed(d))
        return int(looked.missed[CROSSED])

    looked.seen[:] = 1
    looked.box[:, 0], looked.box[:, 1] = 0.0, 1.0
    assert every.tolist() == [4, 4, 1] and crossed() == 2
    looked.box[0, :, 1] += 1.5
    assert crossed() == 1
    looked.seen[1] = 0
    assert crossed() == 0
    looked.seen[1], meets[1, 2], meets[2, 1] = 1, 0, 0
    assert crossed() == 0
    looked.box[0, :, 1] -= 1.5
    assert crossed() == 1


@pytest.mark.parametrize("quality", ["draft", "standard"])
def test_a_run_goes_on_to_the_bit_while_they_come_together_and_part(quality: str) -> None:
    corners = [pin(x, 1, z) for x in (-0.5, 0.5) for z in (-0.5, 0.5)]
    held = cloth("held", (0, 1, 0), (1, 1), (8, 8), pins=corners)
    bodies = [held, cube("cube", 0.3, 1.6), rope("line", (3, 1, 0), (3, 1, 1)), ball("rolls", (-0.2, 1.3, 0), 0.1)]
    assert interrupted(shot(*bodies, frames=16, quality=quality), every=2) == []


def test_a_run_goes_on_to_the_bit_where_one_was_thrown_at_another() -> None:
    assert interrupted(shoved(60.0, 1.2, 4), every=1) == []
