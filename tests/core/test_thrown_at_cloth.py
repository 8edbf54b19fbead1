"""What is thrown at cloth, and cloth that is thrown: neither passes through what was not looked for."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from deforming import cloth, rope, soft, started
from dynaclast.core.document import Shot
from dynaclast.core.solve.deformable.looked import PAIRS_MISSED, THROWN
from dynaclast.core.solve.deformable.missed import find_missed
from dynaclast.core.solve.deformable.system import POINTS
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.model import Hold
from playing import played
from resuming import interrupted
from shots import ball, box, shot

QUALITIES = ("draft", "standard", "fine")
UPRIGHT = [0.0, 0.0, 2**-0.5, 2**-0.5]
"""Turns a sheet so that it faces along x."""


def sheet(x: float, cells: int = 16) -> dict[str, Any]:
    """A sheet of 2 m across x, held all round."""
    inside = {"shape": {"kind": "box", "center": [x, 0, 0], "core": [2, 1.99, 1.99]}, "invert": True}
    made = cloth("sheet", (x, 0, 0), (2, 2), (cells, cells), pins=[{"reach": {"layers": [inside]}}])
    made["place"]["rotation"] = UPRIGHT
    return made


def in_space(*bodies: dict[str, Any], quality: str, frames: int = 6) -> Shot:
    return shot(*bodies, frames=frames, gravity=[0, 0, 0], ground={"on": False}, quality=quality)


def billiards(speed: float, distance: float) -> list[dict[str, Any]]:
    """A ball hits one like it, which rests so far before a sheet."""
    bouncy = {"bounce": 1.0, "friction": 0.0}
    one = ball("one", (-0.35, 0, 0), 0.1, velocity=[speed, 0, 0], material=bouncy)
    return [one, ball("other", (0, 0, 0), 0.1, material=bouncy), sheet(0.1 + distance)]


@pytest.mark.parametrize("quality", QUALITIES)
@pytest.mark.parametrize(("speed", "distance"), [(12.0, 0.04), (21.0, 0.11), (36.0, 0.08), (60.0, 0.4)])
def test_what_a_hit_throws_at_a_sheet_is_caught(speed: float, distance: float, quality: str) -> None:
    run = started(in_space(*billiards(speed, distance), quality=quality))
    for _ in range(6):
        arrays = run.advance().arrays
        assert arrays["position"][1, 0] < arrays["points/sheet"][:, 0].max()
    assert arrays["position"][1, 0] < 0.1 + distance


@pytest.mark.parametrize(("quality", "x"), [("draft", 1.3), ("standard", 0.7), ("fine", 0.35)])
def test_a_sheet_that_sleeps_wakes_and_catches_what_gets_there_before_what_hit_it_could(quality: str, x: float) -> None:
    """What is heavy throws what is light up to twice as fast as it goes itself."""
    bouncy = {"bounce": 1.0, "friction": 0.0}
    heavy = ball("heavy", (-0.25, 0, 0), 0.1, velocity=[30, 0, 0], material=bouncy | {"density": 8000})
    run = started(in_space(heavy, ball("light", (0, 0, 0), 0.1, material=bouncy), sheet(x), quality=quality))
    asleep = run.state.deformables.asleep
    asleep[0] = 1
    for _ in range(6):
        arrays = run.advance().arrays
        assert arrays["position"][1, 0] < arrays["points/sheet"][:, 0].max() + 0.1  # the heavy one presses behind it
    assert not asleep[0]


def struck(kind: str, x: float) -> dict[str, Any]:
    if kind == "sheet":
        return sheet(x)
    if kind == "rope":
        return rope("sheet", (x, -1, 0), (x, 1, 0), matter={"radius": 0.015})
    return soft("sheet", (x + 0.03, 0, 0), (0.06, 0.6, 0.6), matter={"young": 200.0})


@pytest.mark.parametrize("quality", QUALITIES)
@pytest.mark.parametrize("kind", ["sheet", "rope", "soft"])
@pytest.mark.parametrize(
    ("density", "thick", "speed", "gap", "stands"),
    [(1500.0, 0.02, 45.0, 0.08, True), (9000.0, 0.012, 33.0, 0.15, True), (3000.0, 0.025, 70.0, 0.06, False)],
)
def test_what_a_ball_strikes_is_not_pressed_through_a_plate_behind_it(
    density: float, thick: float, speed: float, gap: float, stands: bool, kind: str, quality: str
) -> None:
    face = 0.1 + gap + (0.06 if kind == "soft" else 0.0)
    of = {"role": "passive"} if stands else {"material": {"density": 7800}}
    plate = box("plate", (face + thick / 2, 0, 0), (thick, 3, 3), **of)
    one = ball("one", (-0.25, 0, 0), 0.1, velocity=[speed, 0, 0], material={"density": density})
    run = started(in_space(one, struck(kind, 0.1), plate, quality=quality))
    for _ in range(6):
        arrays = run.advance().arrays
        into = arrays["points/sheet"][:, 0].max() - (arrays["position"][1, 0] - thick / 2)
        assert into < 0.004


@pytest.mark.parametrize("quality", ["draft", "standard"])
def test_a_run_goes_on_to_the_bit_from_where_a_sheet_caught_what_was_thrown(quality: str) -> None:
    assert interrupted(in_space(*billiards(24.0, 0.1), quality=quality), every=1) == []


def test_nothing_is_solved_again_where_nothing_was_missed() -> None:
    falls = [ball("falls", (0, 1.2, 0), 0.1), cloth("below", (0, 1, 0), (1, 1), (8, 8))]
    run = started(shot(*falls, frames=40))
    assert run.deformable is not None
    for _ in range(40):
        run.advance()
        assert not run.deformable.parts.looked.missed.any()


def test_fields_go_on_acting_on_vertices_in_the_interval_in_which_some_are_let_go() -> None:
    run = started(shot(cloth("sheet", (0, 1, 0), (1, 1), (3, 3)), gravity=[0, 0, 0]))
    assert run.deformable is not None
    run.deformable.parts.scratch.acceleration[:] = 3.0
    run.deformable.hold(np.arange(16) < 4, Hold.FROZEN)
    run.deformable.hold(np.arange(16) < 4, Hold.FREE)
    assert (run.deformable.parts.scratch.acceleration == 3.0).all()


# --------------------------------------------------------------------------------- twin


def scattered(seed: int) -> Run:
    """Sheets and stones that have just been looked at, and have gone anywhere since."""
    stones = [box(f"stone {k}", (1.2 * (k % 3), 1.6 + 0.5 * k, 0.3 * k), (0.3, 0.2, 0.25)) for k in range(6)]
    sheets = [cloth("a", (0, 1, 0), (1, 1), (5, 5)), cloth("b", (4, 2, 0), (1, 1), (4, 4))]
    run = started(shot(*stones, *sheets, gravity=[0, 0, 0]))
    rng, state = np.random.default_rng(seed), run.state
    assert run.deformable is not None
    state.deformables.asleep[1] = seed % 2
    state.vertices.velocity[:] = rng.normal(size=state.vertices.velocity.shape)
    state.assemblies.velocity[:] = 5.0 * rng.normal(size=state.assemblies.velocity.shape)
    run.deformable.begin_interval(run.rigid.scene, run.rigid.bodies)
    state.deformables.asleep[1] = seed % 2
    return run


def on_the_way(one: np.ndarray, other: np.ndarray) -> float:
    """How near the origin a straight way leads [m]."""
    way = other - one
    t = np.clip(-one @ way / max(way @ way, 1e-300), 0.0, 1.0)
    return float(np.linalg.norm(one + t * way))


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize("every", [1, 4])
def test_what_was_missed_is_what_brute_force_finds(seed: int, every: int) -> None:
    run = scattered(seed)
    assert run.deformable is not None and run.model.deformables is not None
    parts, state, model = run.deformable.parts, run.state, run.model
    points, body, looked = parts.elements.points, parts.elements.vertices.body, parts.looked
    rng, hulls, span = np.random.default_rng(50 + seed), model.hulls, model.settings.interval
    near = set(list(zip(parts.near.point.tolist(), parts.near.shape.tolist(), strict=True))[: int(parts.near.found[0])])
    began, centers = state.vertices.position.copy(), looked.center.copy()
    across = 2.0 * (np.array([[0, 1, 0], [4, 2, 0]])[rng.integers(2, size=len(centers))] - centers)
    state.assemblies.position[: len(centers)] += across + 0.5 * rng.normal(size=across.shape)
    state.vertices.position[:] += 0.6 * rng.normal(size=began.shape) * (state.deformables.asleep[body] == 0)[:, None]
    thrown = (rng.uniform(size=len(state.assemblies.mass)) < 0.5).astype(np.uint8)
    parts.elements.bodies.every[:] = every
    given = run.rigid.scene.pieces, run.rigid.bodies, thrown, span
    played(lambda: find_missed(parts, hulls, *given))
    missed: set[tuple[int, int]] = set()
    breaking = 0
    into: set[int] = set()
    for s, p in enumerate(hulls.piece):
        slot = state.piece_assembly[p]
        now = state.assemblies.position[slot]  # each is one piece, and has not turned
        went = float(np.linalg.norm(now - centers[s]))
        for i in range(len(points.radius)):
            v = points.vertex[i, 0]
            if points.between[i]:
                continue
            breaks_in = every > 1 and thrown[slot] and went > looked.far[s]
            if (i, s) in near and not breaks_in:
                continue
            meets = on_the_way(began[v] - centers[s], state.vertices.position[v] - now)
            if meets <= hulls.bound[s] + points.radius[i] + points.reach[i]:
                missed.add((i, s))
                breaking += bool(breaks_in)
                into |= {int(body[v])} if breaks_in else set()
    assert len(missed) == looked.missed[PAIRS_MISSED] > 0
    assert breaking == looked.missed[THROWN]
    assert into == set(np.flatnonzero(looked.thrown_at).tolist())
    state.vertices.position[:], state.assemblies.position[: len(centers)] = began, centers
    parts.elements.bodies.every[:] = run.model.deformables.every
    run.deformable.look_further()
    run.deformable.begin_interval(run.rigid.scene, run.rigid.bodies)
    wider: set[tuple[int, int]] = set()
    for near_now in (parts.near for parts in (run.deformable.parts, run.deformable.often) if len(parts.awake)):
        pairs = zip(near_now.point.tolist(), near_now.shape.tolist(), strict=True)
        wider |= set(list(pairs)[: int(near_now.found[0])])
    assert missed <= wider
    hurried = run.deformable.parts.elements.bodies.every == 1
    assert hurried[list(into)].all() and (into or not hurried.any())


# --------------------------------------------------------- pressed against it by others

HELD = {"friction": 0.3}


def crate(bounce: float) -> dict[str, Any]:
    return box("other", (0, 0, 0), (0.25, 0.2, 0.3), material=HELD | {"bounce": bounce})


def drum(bounce: float) -> dict[str, Any]:
    kind = {"kind": "cylinder", "radius": 0.14, "height": 0.3}
    return {"name": "other", "shape": kind, "place": {"position": [0, 0, 0]}, "material": HELD | {"bounce": bounce}}


def slab(bounce: float) -> dict[str, Any]:
    return box("other", (0, 0, 0), (0.1, 0.3, 0.3), material=HELD | {"bounce": bounce})


def driven(
    quality: str, other: Any, bounce: float, speed: float, distance: float, aside: float, cells: int, density: float
) -> Shot:
    """A heavy box hits what is light and so far before a sheet, and goes on."""
    matter = HELD | {"bounce": bounce, "density": density}
    ram = box("ram", (-0.6, aside, 0), (0.4, 0.4, 0.4), velocity=[speed, 0, 0], material=matter)
    return in_space(ram, other(bounce), sheet(0.2 + distance, cells), quality=quality, frames=8)


@pytest.mark.parametrize(
    ("quality", "other", "bounce", "speed", "distance", "aside", "cells", "density"),
    [
        ("draft", crate, 0.8, 15.0, 0.05, 0.02, 23, 2600),
        ("fine", crate, 0.3, 33.0, 0.21, 0.04, 23, 2600),
        ("standard", drum, 0.0, 12.0, 0.05, 0.0, 20, 2600),
        ("draft", drum, 0.5, 18.0, 0.12, 0.03, 27, 4000),
        ("fine", slab, 0.2, 30.0, 0.3, 0.05, 18, 1500),
        ("standard", slab, 1.0, 22.0, 0.1, 0.0, 20, 2600),
    ],
)
def test_what_is_heavy_does_not_drive_what_is_light_through_a_sheet(
    quality: str, other: Any, bounce: float, speed: float, distance: float, aside: float, cells: int, density: float
) -> None:
    run = started(driven(quality, other, bounce, speed, distance, aside, cells, density))
    furthest = 0.0
    for _ in range(8):
        arrays = run.advance().arrays
        furthest = max(furthest, float(arrays["position"][1, 0]))
        assert arrays["position"][1, 0] < arrays["points/sheet"][:, 0].max()
    assert furthest > 0.2 + distance  # the sheet gave way, and held


@pytest.mark.parametrize("quality", QUALITIES)
def test_a_press_that_is_animated_drives_nothing_through_a_sheet(quality: str) -> None:
    press = box("press", (-0.5, 0, 0), (0.4, 0.6, 0.6), role="animated", velocity=[3, 0, 0])
    run = started(in_space(press, crate(0.0), sheet(0.25, 20), quality=quality, frames=7))
    for _ in range(7):
        arrays = run.advance().arrays
        assert arrays["position"][1, 0] < arrays["points/sheet"][:, 0].max()
    assert 0.69 < arrays["position"][1, 0] < 0.71  # pushed along, by half of both from 0.375 m


@pytest.mark.parametrize("quality", QUALITIES)
def test_what_presses_through_something_keeps_momentum_and_gains_no_energy(quality: str) -> None:
    loose = sheet(0.25, 20)
    del loose["pins"]
    ram = box("ram", (-0.6, 0.02, 0.03), (0.4, 0.3, 0.5), velocity=[14, 0, 0], material=HELD | {"density": 2600})
    run = started(in_space(ram, crate(0.0), loose, quality=quality, frames=10))
    assert run.deformable is not None and run.model.deformables is not None
    asm, mass, pressed = run.state.assemblies, run.model.deformables.own_mass, 0
    began, energy = asm.mass[0] * 14.0, 0.5 * asm.mass[0] * 14.0**2
    for _ in range(10):
        now = run.advance().stats["energy"]
        momentum = asm.mass @ asm.velocity + mass @ run.state.vertices.velocity
        assert np.abs(momentum - [began, 0, 0]).max() < 1e-9 * began
        assert now < energy * (1.0 + 1e-4)
        energy = now
        pressed += int(run.deformable.parts.slots.touch.count[POINTS])
    assert pressed


def test_what_is_pressed_against_a_sheet_goes_on_to_the_bit_after_a_resume() -> None:
    assert interrupted(driven("standard", crate, 0.8, 25.0, 0.2, 0.02, 20, 2600), every=2) == []
