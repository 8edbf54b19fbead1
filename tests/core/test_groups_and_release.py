"""Groups written out, and bodies that wait: for a touch, a field, or a cue."""

from __future__ import annotations

import numpy as np
import pytest

from dynaclast.core.document import Shot, parse
from dynaclast.core.errors import InputError
from dynaclast.core.layout import members, written_out
from dynaclast.core.solve.prepare import prepare
from shots import ball, blow, box, run

CELLS = {"kind": "cells", "count": 8, "seed": 2}


def group(layout: dict, **more: object) -> Shot:
    ground = box("slope", (0, 0, 0), (10, 1, 10), role="passive")
    return parse(
        {
            "bodies": [ground],
            "groups": [{"name": "crates", "body": box("crate", (0, 2, 0), (0.4, 0.4, 0.4)), "layout": layout, **more}],
        }
    )


def places(made: list) -> np.ndarray:
    return np.array([m.place.position for m in made])


def test_line_grid_and_ring_stand_where_they_should() -> None:
    scene = group({"kind": "line", "count": 4, "step": [1, 0.5, 0]})
    assert places(members(scene.groups[0], scene)) == pytest.approx(
        np.array([[0, 2, 0], [1, 2.5, 0], [2, 3, 0], [3, 3.5, 0]])
    )
    scene = group({"kind": "grid", "count": [2, 3, 2], "step": [1, 1, 1]})
    at = places(members(scene.groups[0], scene))
    assert (
        len(at) == 12 and at.mean(axis=0) == pytest.approx([0, 3, 0]) and np.ptp(at, axis=0) == pytest.approx([1, 2, 1])
    )
    scene = group({"kind": "ring", "count": 6, "radius": 3})
    at = places(members(scene.groups[0], scene))
    assert np.hypot(at[:, 0], at[:, 2]) == pytest.approx(3) and at.mean(axis=0) == pytest.approx([0, 2, 0])


@pytest.mark.parametrize(
    "layout",
    [
        {"kind": "surface", "body": "slope", "inside": {"kind": "sphere", "center": [0, 90, 0], "core": 1}},
        {"kind": "surface", "inside": {"kind": "sphere", "center": [0, 5, 0], "core": 1}},
    ],
)
@pytest.mark.parametrize("count", [1, 500])
def test_a_scatter_over_nothing_ends_and_says_where_nothing_is(layout: dict, count: int) -> None:
    scene = group({**layout, "count": count, "gap": 0.01})
    try:
        made = members(scene.groups[0], scene)
    except InputError as exc:
        assert exc.where in ("groups.crates.layout.inside", "groups.crates.layout.gap")
        assert "nothing" in exc.message or "fit" in exc.message
    else:
        assert len(made) == count


@pytest.mark.parametrize(
    "layout",
    [
        {"kind": "volume", "count": 60, "inside": {"kind": "sphere", "center": [0, 5, 0], "core": 3}, "gap": 0.05},
        {"kind": "surface", "count": 60, "body": "slope", "gap": 0.02},
        {"kind": "surface", "count": 40, "inside": {"kind": "box", "center": [0, 0, 0], "core": [9, 2, 9]}},
    ],
)
def test_scattered_members_keep_their_gap_and_their_place(layout: dict) -> None:
    scene = group(layout, size=[0.5, 1.5], turn=3.0, seed=3)
    made = members(scene.groups[0], scene)
    at, factor = places(made), np.array([m.factor for m in made])
    reach = factor * 0.2 * np.sqrt(3)
    apart = np.linalg.norm(at[:, None] - at[None], axis=2) - reach[:, None] - reach[None] + 1e9 * np.eye(len(at))
    assert apart.min() >= layout.get("gap", 0.0) - 1e-9 and 0.5 <= factor.min() < factor.max() <= 1.5
    if layout["kind"] == "surface":
        top = 0.5 if layout.get("body") else 0.0
        assert at[:, 1] - 0.2 * factor == pytest.approx(top, abs=1e-9)  # each stands on its own foot
    assert [m.place for m in members(scene.groups[0], scene)] == [m.place for m in made]


def test_too_many_members_are_refused_in_words() -> None:
    scene = group({"kind": "volume", "count": 500, "inside": {"kind": "sphere", "core": 0.5}})
    with pytest.raises(InputError, match="of 500 members of crates fit"):
        written_out(scene)


def test_members_share_hulls_and_weigh_by_their_size() -> None:
    scene = group({"kind": "grid", "count": [3, 1, 3], "step": [1, 1, 1]}, size=[0.5, 2.0])
    prepared = prepare(scene)
    factor = np.array([b.factor for b in prepared.shot.bodies[1:]])
    assert (
        prepared.model.pieces.mass[1:] == pytest.approx(1000 * 0.4**3 * factor**3)
        and prepared.model.body_names[1] == "crates.0001"
    )


def test_total_mass_decides_the_density() -> None:
    baked = run(box("a", (0, 1, 0), (1, 2, 1), material={"mass": 50.0}, pattern=CELLS), frames=1)
    assert baked.piece_mass.sum() == pytest.approx(50.0)


def wall(part: str) -> dict:
    return box(
        "wall",
        (0, 1.5, 0),
        (3, 1, 0.4),
        pattern={"kind": "bricks", "size": [0.5, 0.5, 0.4], "offset": 0},
        breaks=[{"pattern": {"kind": "slabs", "count": 2, "axis": [1, 0, 0]}}],
        bonds={"strength": 5e4},
        release={"kind": "touch", "part": part},
    )


@pytest.mark.parametrize(("part", "least", "most"), [("piece", 1, 6), ("chunk", 2, 8), ("body", 24, 24)])
def test_only_what_is_touched_goes(part: str, least: int, most: int) -> None:
    baked = run(
        wall(part), ball("stone", (0.2, 1.6, -2), 0.15, velocity=[0, 1.5, 14], material={"density": 3000}), frames=24
    )
    free = baked.state[-1, :24] != 0
    told = [e for e in baked.events if e["kind"] == "release"]
    assert least <= free.sum() <= most and told and told[0]["cause"] == {"touch": "stone"}
    assert sorted(p for e in told for p in e["pieces"]) == np.flatnonzero(free).tolist()
    assert baked.state[2, :24].max() == 0 and baked.position[-1, 24, 2] < 3.0  # held until then; the stone was slowed


def test_a_field_touches_too_and_a_cue_lets_go() -> None:
    crate = box("crate", (0, 3, 0), pattern=CELLS, release={"kind": "touch", "part": "piece"})
    baked = run(
        crate,
        fields=(
            {
                "name": "puff",
                "effect": {"kind": "burst", "speed": 2},
                "reach": blow(1, (0.4, 3.4, 0.4), 0.5)["reach"],
                "cue": {"time": 0.5},
            },
        ),
        frames=24,
    )
    free = baked.state[-1] != 0
    assert (
        0 < free.sum() < 8
        and [e["cause"] for e in baked.events if e["kind"] == "release"] == [{"field": "puff"}]
        and baked.state[11].max() == 0
    )
    baked = run(
        box("crate", (0, 3, 0), pattern=CELLS, bonds={"strength": 900}, release={"kind": "cue", "time": 0.5}), frames=24
    )
    fall = baked.position[:, 0, 1] - baked.position[0, 0, 1]
    assert (fall[:13] == 0).all() and fall[24] == pytest.approx(-9.81 * 0.5**2 / 2, rel=0.05)
    assert [e["cause"] for e in baked.events if e["kind"] == "release"] == [{"cue": 0.5}]
