"""Cloth, soft bodies and ropes that wait to be touched: held until something moving meets them or a field acts."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from deforming import EVERYWHERE, cloth, ends_alike, rope, soft
from dynaclast.core.solve.frame import Frame, PieceState
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.prepare import prepare
from shots import ball, box, reach_sphere, shot

TOUCH = {"kind": "touch"}
FREE_FALL: dict[str, Any] = {"ground": {"on": False}}
WAITING = {
    "cloth": cloth("x", (0, 3, 0), (2, 2), (8, 8), matter={"thickness": 0.02}, release=TOUCH),
    "soft": soft("x", (0, 3, 0), (1, 1, 1), release=TOUCH),
    "rope": rope("x", (-1, 3, 0), (1, 3, 0), segments=10, matter={"radius": 0.05}, release=TOUCH),
}


def baked(*bodies: dict[str, Any], frames: int = 30, **more: Any) -> list[Frame]:
    ready = prepare(shot(*bodies, frames=frames, **more))
    run = Run(ready.shot, ready.model, ready.state)
    return [run.opening(), *(run.advance() for _ in range(frames))]


def released(frames: list[Frame]) -> list[tuple[int, str, dict[str, Any]]]:
    return [(f.index, e["body"], e["cause"]) for f in frames for e in f.events if e["kind"] == "release"]


@pytest.mark.parametrize("kind", sorted(WAITING))
@pytest.mark.parametrize("speed", [2.0, 40.0])
def test_it_is_let_go_as_a_whole_by_what_flies_into_it_and_nothing_moves_before(kind: str, speed: float) -> None:
    high = 3.2 + {"cloth": 0.01, "soft": 0.5, "rope": 0.05}[kind] + speed * 0.25
    stone = ball("stone", (0, high, 0), 0.2, velocity=[0, -speed, 0], gravity=0)
    frames = baked(WAITING[kind], stone, frames=16, **FREE_FALL)
    at = np.array([f.arrays["points/x"] for f in frames])
    ((hit, body, cause),) = released(frames)
    assert (body, cause) == ("x", {"touch": "stone"})
    assert hit in (6, 7)  # a quarter of a second
    assert (at[: hit - 1] == at[0]).all()
    assert (frames[hit - 2].arrays["state/x"] == PieceState.HELD).all()
    assert not (frames[hit + 1].arrays["state/x"] == PieceState.HELD).any()
    end = at[-1] - at[0]
    assert end[:, 1].mean() < -0.02
    assert end[:, 1].max() < 0.0, "what was not hit falls as well"
    assert frames[-1].arrays["position"][0, 1] > high - speed * 16 / 24, "and it slows down the stone"


def test_a_stone_takes_from_it_what_it_gets_as_if_it_had_been_free() -> None:
    stone = ball("stone", (0, 4.2, 0), 0.2, velocity=[0, -8, 0], gravity=0, material={"bounce": 0.0})
    lump = WAITING["soft"] | {"gravity": 0}
    waited = baked(lump, stone, frames=20, **FREE_FALL)
    free = baked(lump | {"release": {"kind": "start"}}, stone, frames=20, **FREE_FALL)
    for name in ("position", "points/x"):
        assert waited[-1].arrays[name] == pytest.approx(free[-1].arrays[name], abs=2e-3)


def test_what_lies_still_on_it_or_flies_past_does_not_let_it_go() -> None:
    past = ball("past", (-3, 4.1, 0), 0.3, velocity=[12, 0, 0], gravity=0)
    post = box("post", (0, 2.2, 0), (0.3, 0.6, 0.3), role="passive")
    frames = baked(WAITING["soft"], past, post, frames=24)
    assert released(frames) == []
    assert (frames[-1].arrays["points/x"] == frames[0].arrays["points/x"]).all()


def test_one_that_falls_on_another_lets_it_go_also_when_both_had_slept() -> None:
    falls = soft("falls", (0, 5, 0), (0.5, 0.5, 0.5), release={"kind": "cue", "time": 2.0})
    frames = baked(WAITING["soft"], falls, frames=72, **FREE_FALL)
    assert [(body, cause) for _, body, cause in released(frames)] == [
        ("falls", {"cue": 2.0}),
        ("x", {"touch": "falls"}),
    ]
    hit = released(frames)[1][0]
    assert 60 <= hit <= 64  # 1.25 m of fall take 0.5 s
    assert frames[-1].arrays["points/x"][:, 1].max() < frames[0].arrays["points/x"][:, 1].max() - 0.2


FIELDS = {
    "wind": ({"kind": "wind", "speed": 10.0, "direction": [0, -1, 0]}, {"kind": "span", "start": 0.25}),
    "burst": ({"kind": "burst", "speed": 3.0}, {"kind": "at", "time": 0.25}),
    "displace": ({"kind": "displace", "offset": [0.2, 0, 0]}, {"kind": "span", "start": 0.25, "ease_in": 0.1}),
}


@pytest.mark.parametrize("kind", sorted(FIELDS))
def test_a_field_lets_go_what_it_acts_on(kind: str) -> None:
    effect, cue = FIELDS[kind]
    far = WAITING["cloth"] | {"name": "far", "place": {"position": [20, 3, 0]}}
    field = {"name": "f", "effect": effect, "cue": cue, "reach": reach_sphere((0, 3, 0), 0.5)}
    frames = baked(WAITING["cloth"], far, frames=14, fields=(field,), **FREE_FALL)
    ((at, body, cause),) = released(frames)
    assert (body, cause) == ("x", {"field": "f"})
    assert at in (6, 7)
    assert (frames[-1].arrays["points/far"] == frames[0].arrays["points/far"]).all()
    assert frames[-1].arrays["points/x"][:, 1].mean() < 2.9


def test_a_strain_on_its_seams_lets_it_go() -> None:
    sheet = WAITING["cloth"] | {
        "pattern": {"kind": "cells", "count": 4, "seed": 1},
        "bonds": {"strength": 1e3, "unit": "kN/m"},
    }
    strain = {"name": "s", "effect": {"kind": "strain", "load": 1.0}, "cue": {"kind": "at", "time": 0.2}}
    frames = baked(sheet, frames=8, fields=(strain | {"reach": EVERYWHERE},), **FREE_FALL)
    assert [(body, cause) for _, body, cause in released(frames)] == [("x", {"field": "s"})]


@pytest.mark.parametrize("part", ["piece", "body"])
def test_a_strain_lets_go_of_the_pieces_whose_seams_it_loads_or_of_the_whole(part: str) -> None:
    """It let go of the whole in either case."""
    sheet = cloth(
        "x",
        (0, 3, 0),
        (2, 2),
        (12, 12),
        pattern={"kind": "cells", "count": 20, "seed": 1},
        bonds={"strength": 1e3, "unit": "kN/m"},
        release=TOUCH | {"part": part},
    )
    strain = {"name": "s", "effect": {"kind": "strain", "load": 1.0}, "cue": {"kind": "at", "time": 0.1}}
    corner = reach_sphere((-1, 3, -1), 0.8)
    frames = baked(sheet, frames=4, fields=(strain | {"reach": corner},), **FREE_FALL)
    start, last = frames[0].arrays["points/x"], frames[-1].arrays["points/x"]
    goes = last[:, 1] < start[:, 1] - 1e-4
    away = np.linalg.norm(start - np.array([-1, 3, -1]), axis=1)
    assert goes[away < 0.8].mean() > 0.6 and goes[away > 1.8].all() == goes[away > 1.8].any() == (part == "body")
    assert goes.mean() < 0.5 or part == "body"


WALL = box(
    "x",
    (0, 3, 0),
    (1, 1, 1),
    pattern={"kind": "cells", "count": 8, "seed": 1},
    bonds={"strength": 1e4},
    release=TOUCH | {"part": "body"},
)
ALL = WAITING | {"rigid": WALL}


@pytest.mark.parametrize("kind", sorted(ALL))
def test_what_is_animated_lets_go_what_it_runs_into(kind: str) -> None:
    arm = box("arm", (-2, 3, 0), (0.3, 1, 1), role="animated", velocity=[3, 0, 0])
    edge = {"cloth": 1.0, "rope": 1.05}.get(kind, 0.5)
    frames = baked(ALL[kind], arm, frames=16, **FREE_FALL)
    ((at, body, cause),) = released(frames)
    assert (body, cause) == ("x", {"touch": "arm"})
    assert at == pytest.approx((2 - 0.15 - edge) / 3 * 24, abs=1)
    name = "position" if kind == "rigid" else "points/x"
    first, before, last = (frames[k].arrays[name][: 8 if kind == "rigid" else None] for k in (0, at - 1, -1))
    moved = last - first
    assert (before == first).all()
    assert moved[:, 1].mean() < -0.05 and moved[:, 0].max() > 0.05


@pytest.mark.parametrize("kind", ["cloth", "soft", "rope"])
def test_what_deforms_lets_go_pieces_it_falls_on(kind: str) -> None:
    place = {"place": {"position": [0, 4.2, 0]}}
    falls = rope("falls", (-1, 4.2, 0), (1, 4.2, 0), segments=10, matter={"radius": 0.05})
    if kind != "rope":
        falls = WAITING[kind] | place | {"name": "falls", "release": {"kind": "start"}}
    frames = baked(WALL, falls, frames=20, **FREE_FALL)
    ((at, body, cause),) = released(frames)
    assert (body, cause) == ("x", {"touch": "falls"})
    gap = {"cloth": 0.69, "soft": 0.2, "rope": 0.65}[kind]
    assert at == pytest.approx(np.sqrt(2 * gap / 9.81) * 24, abs=1.5)
    assert frames[-1].arrays["position"][:8, 1].max() < frames[0].arrays["position"][:8, 1].max() - 0.02


def test_what_stands_on_an_animated_floor_waits_until_that_rises_into_it() -> None:
    keys = [{"time": 0.0, "position": [0, 1, 0]}, {"time": 0.5, "position": [1, 1, 0]}]
    slides = box("floor", (0, 1, 0), (6, 1, 6), role="animated", motion={"keys": keys})
    crate = box("x", (0, 2, 0), release=TOUCH)
    assert released(baked(crate, slides, frames=16, **FREE_FALL)) == []
    keys = [{"time": 0.25, "position": [0, 1, 0]}, {"time": 1.0, "position": [0, 1.5, 0]}]
    rises = slides | {"motion": {"keys": keys}}
    ((at, _, cause),) = released(baked(crate, rises, frames=16, **FREE_FALL))
    assert at in (6, 7) and cause == {"touch": "floor"}


def test_a_run_goes_on_to_the_bit_from_before_the_touch_and_from_after_it() -> None:
    stone = ball("stone", (0.1, 4.2, 0), 0.2, velocity=[0, -4, 0])
    both = shot(WAITING["cloth"], WAITING["rope"] | {"name": "y"}, stone, frames=20, **FREE_FALL)
    assert ends_alike(both, (3, 12))


def test_and_so_it_does_where_something_animated_comes() -> None:
    arm = box("arm", (-2, 3, 0), (0.3, 2, 1), role="animated", velocity=[3, 0, 0])
    wall = WALL | {"name": "w", "place": {"position": [2, 3, 0]}}
    assert ends_alike(shot(WAITING["soft"], wall, arm, frames=30, **FREE_FALL), (6, 11, 24))


def patched(part: str, kind: str = "cloth") -> dict[str, Any]:
    """Broken into slabs along x that hang together by seams, in two chunks of four."""
    slabs = {"kind": "slabs", "axis": [1, 0, 0]}
    of = {"pattern": slabs | {"count": 2}, "breaks": [{"pattern": slabs | {"count": 4}}], "bonds": {"strength": 5.0}}
    of["bonds"]["unit"] = "kN/m" if kind == "cloth" else "kN/m2"
    size = {"cloth": (4, 1), "soft": (4, 0.5, 1)}[kind]
    made = (
        cloth("x", (0, 3, 0), size, (32, 8), matter={"thickness": 0.02})
        if kind == "cloth"
        else soft("x", (0, 3, 0), size, matter={"young": 500.0, "detail": 16})
    )
    return made | of | {"release": TOUCH | {"part": part}, "gravity": 0.2}


@pytest.mark.parametrize("by", ["stone", "arm", "wind"])
@pytest.mark.parametrize("part", ["piece", "chunk", "body"])
def test_of_what_is_broken_the_touched_part_goes(part: str, by: str) -> None:
    at, more = (-1.7, 3.6, 0), {}
    hits = [ball("stone", at, 0.1, velocity=[0, -6, 0], gravity=0)]
    if by == "arm":
        hits = [box("arm", at, (0.1, 0.1, 0.1), role="animated", velocity=[0, -6, 0])]
    elif by == "wind":
        effect = {"kind": "wind", "speed": 5.0, "direction": [0, -1, 0]}
        hits, more = [], {"fields": ({"name": "wind", "effect": effect, "reach": reach_sphere((-1.8, 3, 0), 0.15)},)}
    frames = baked(patched(part), *hits, frames=4, **more, **FREE_FALL)
    first, last = frames[0].arrays["points/x"], frames[-1].arrays["points/x"]
    free = frames[-1].arrays["state/x"] != PieceState.HELD
    table = prepare(shot(patched(part), *hits, frames=4, **more, **FREE_FALL)).model.deformables
    assert table is not None and len(table.piece) == len(first) and len(np.unique(table.piece)) == 8
    number = {"piece": table.piece, "chunk": table.seams.chunks[table.piece, 1], "body": np.zeros(len(free), int)}[part]
    hit = np.argmin(np.linalg.norm(first - [-1.7, 3, 0], axis=1))
    assert (free == (number == number[hit])).all()
    assert (last[~free] == first[~free]).all(), "what waits on stays where it is"
    assert (last[free, 1] - first[free, 1]).mean() < -1e-3
    ((_, body, cause),) = released(frames)[:1]
    assert body == "x" and cause == ({"field": "wind"} if by == "wind" else {"touch": by})


def test_a_soft_body_that_is_broken_goes_piece_by_piece_too_and_the_next_hit_takes_the_next() -> None:
    stones = [
        ball(n, (x, 3.6 + wait, 0), 0.1, velocity=[0, -8, 0], gravity=0)
        for n, x, wait in (("a", -1.8, 0), ("b", 1.8, 2))
    ]
    frames = baked(patched("piece", "soft"), *stones, frames=16, **FREE_FALL)
    told = released(frames)
    assert [cause for _, _, cause in told[:2]] == [{"touch": "a"}, {"touch": "b"}]
    assert told[0][0] <= 3 and told[1][0] == pytest.approx(2.25 / 8 * 24, abs=2)
    between = frames[told[1][0] - 2].arrays["state/x"] != PieceState.HELD
    assert 0.05 < between.mean() < 0.25


def test_what_only_tears_goes_as_a_whole() -> None:
    sheet = WAITING["cloth"] | {"matter": WAITING["cloth"]["matter"] | {"tear": 50.0}}
    stone = ball("stone", (0.7, 3.6, 0.7), 0.1, velocity=[0, -6, 0], gravity=0)
    frames = baked(sheet, stone, frames=6, **FREE_FALL)
    assert not (frames[-1].arrays["state/x"] == PieceState.HELD).any()


def test_a_run_of_patches_goes_on_to_the_bit() -> None:
    stones = [ball(n, (x, 3.6, 0), 0.1, velocity=[0, -4, 0]) for n, x in (("a", -1.8), ("b", 1.0))]
    assert ends_alike(shot(patched("chunk"), *stones, frames=14, **FREE_FALL), (2, 6))
