"""Lees: rays against the wind, past hulls and triangles, against slow twins, and what they do in a run."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.optimize import linprog
from scipy.spatial.transform import Rotation

from deforming import cloth
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.model import Hold
from dynaclast.core.solve.prepare import prepare
from dynaclast.core.solve.shelter import Shelter, axes_across
from shots import ball, box, reach_sphere, shot

IN_SPACE: dict[str, Any] = {"gravity": [0, 0, 0], "ground": {"on": False}}
WIND = np.array([1.0, 0.0, 0.0])


def run_of(*bodies: dict[str, Any], **more: Any) -> Run:
    ready = prepare(shot(*bodies, **IN_SPACE | more))
    return Run(ready.shot, ready.model, ready.state)


def lee_at(run: Run, points: Any, length: float = 10.0, wind: np.ndarray = WIND) -> np.ndarray:
    """At places that are of no piece."""
    run.active_fields.world.refresh()
    center = run.active_fields.world.center
    none = np.full(len(points), -1, np.int64)
    return Shelter(run.model, run.state).lee(np.asarray(points, float), none, none, center, wind, length)


def test_a_lee_begins_at_the_back_of_a_box_and_fades_over_its_length() -> None:
    run = run_of(box("wall", (0, 0, 0), (1, 4, 4)))
    points = [[0.5 + d, y, 0] for d in (1e-6, 2.5, 5.0, 9.9, 11.0) for y in (0, 1.9, 2.1)] + [[-2, 0, 0]]
    got = lee_at(run, points)
    wanted = [s if y < 2 else 0 for s in (1, 0.75, 0.5, 0.01, 0) for y in (0, 1.9, 2.1)] + [0]
    assert got == pytest.approx(wanted, abs=1e-3)


def test_a_wall_that_collides_as_its_triangles_shelters_as_its_hull_does() -> None:
    points = np.random.default_rng(0).uniform(-3, 6, (200, 3))
    lees = []
    for how in ("hull", "exact"):
        wall = box("wall", (0, 0, 0), (1, 4, 4), role="passive", collision=how)
        lees.append(lee_at(run_of(wall, ball("far", (90, 0, 0))), points))
    inside = (np.abs(points) < [0.5, 2, 2]).all(axis=1)
    assert lees[1][~inside] == pytest.approx(lees[0][~inside], abs=2e-3) and (lees[0] > 0).sum() > 20


def test_a_shot_of_cloth_alone_has_no_pieces_to_shelter_or_be_sheltered() -> None:
    wind = {
        "name": "gale",
        "effect": {"kind": "wind", "speed": 9, "direction": [0, 1, 0], "shelter": 5},
        "reach": reach_sphere((0, 0, 0), 1e3),
        "cue": {"kind": "span", "start": 0.0},
    }
    sheets = [cloth(n, (0, y, 0), (1, 1), (4, 4), matter={"weight": 0.1}) for n, y in (("low", 0.0), ("high", 0.4))]
    run = run_of(*sheets, fields=(wind,), frames=1)
    start = run.state.vertices.position.copy()
    run.advance()  # before the lower one comes up to the other
    rise = (run.state.vertices.position - start)[:, 1]
    half = len(rise) // 2
    assert rise[:half].min() > 3 * abs(rise[half:]).max() > 0, "the upper one stands in the lee of the lower"


def test_a_ball_shelters_what_is_behind_its_disc() -> None:
    run = run_of(ball("stone", (0, 0, 0), 1.0))
    assert lee_at(run, [[3, 0, 0], [3, 0.98, 0], [3, 1.02, 0]]) == pytest.approx(
        [0.8, 1 - (3 - np.sqrt(1 - 0.98**2)) / 10, 0], abs=1e-3
    )


def behind_slowly(corners: np.ndarray, point: np.ndarray, wind: np.ndarray, length: float) -> float:
    """The nearest place before a point that is a mean of a hull's corners: the least a for which point - a wind is."""
    n = len(corners)
    equal = np.vstack([np.column_stack([corners.T, wind]), np.append(np.ones(n), 0.0)])
    found = linprog(np.append(np.zeros(n), 1.0), A_eq=equal, b_eq=np.append(point, 1.0), bounds=[(0, None)] * (n + 1))
    return max(0.0, 1.0 - found.fun / length) if found.status == 0 else 0.0


@pytest.mark.parametrize("seed", range(3))
def test_rays_past_turned_pieces_equal_a_linear_program(seed: int) -> None:
    rng = np.random.default_rng(seed)
    pattern = {"kind": "cells", "count": 6, "seed": seed}
    turn = Rotation.random(random_state=seed).as_quat().tolist()
    run = run_of(box("block", (0, 0, 0), (2, 1.5, 1), pattern=pattern, place={"rotation": turn}, spin=[1, 2, 0.5]))
    for _ in range(8):
        run.advance()
    wind = rng.normal(size=3)
    wind /= np.linalg.norm(wind)
    points = rng.uniform(-2.5, 2.5, (40, 3))
    got = lee_at(run, points, 6.0, wind)
    model, state, center = run.model, run.state, run.active_fields.world.center
    slow = np.zeros(len(points))
    for s, p in enumerate(model.hulls.piece):
        q = Rotation.from_quat(state.assemblies.orientation[state.piece_assembly[p]])
        own = model.hulls.vertices[model.hulls.vertex_start[s] : model.hulls.vertex_start[s + 1]]
        corners = q.apply(own) + center[p]
        slow = np.maximum(slow, [behind_slowly(corners, x, wind, 6.0) for x in points])
    # hulls are rounded by a hundredth of their size, which the linear program leaves out
    near = np.abs(got - slow) < 0.02
    assert near.mean() > 0.85 and (got > 0).any() and (slow == 0).any()


def test_axes_across_are_square_to_the_wind_and_each_other() -> None:
    for seed in range(20):
        wind = Rotation.random(random_state=seed).apply(WIND)
        frame = np.vstack([wind, axes_across(wind)])
        assert frame @ frame.T == pytest.approx(np.eye(3), abs=1e-12)


def test_a_sheet_shelters_what_is_behind_it_and_not_itself() -> None:
    upright = {"position": [0, 0, 0], "rotation": [0, 0, float(np.sqrt(0.5)), float(np.sqrt(0.5))]}
    sheet = cloth(
        "sail",
        (0, 0, 0),
        (2, 2),
        (6, 6),
        pattern={"kind": "cells", "count": 4},
        bonds={"strength": 9.0, "unit": "kN/m"},
    )
    run = run_of(sheet | {"place": upright}, ball("far", (50, 0, 0)))
    assert lee_at(run, [[1, 0.3, 0.2], [1, 1.3, 0], [-1, 0, 0]]) == pytest.approx([0.9, 0, 0], abs=1e-6)
    own = Shelter(run.model, run.state).of_vertices(run.active_fields.world.center, WIND, 10.0)
    assert (own == 0).all()


def test_what_stands_behind_another_is_not_blown_away() -> None:
    """Of two equal crates one behind the other the first is driven off by the wind, until it meets the other; without
    shelter both go alike.
    """
    wind = {
        "name": "gale",
        "effect": {"kind": "wind", "speed": 12, "direction": [1, 0, 0], "gusts": 0},
        "reach": reach_sphere((0, 0, 0), 1e3),
        "cue": {"kind": "span", "start": 0.0},
    }
    light = {"material": {"density": 20}}
    for shelter, goes in ((0.0, True), (40.0, False)):
        effect = wind["effect"] | {"shelter": shelter}  # type: ignore[operator]
        crates = box("first", (0, 0, 0), **light), box("second", (8, 0, 0), **light)
        run = run_of(*crates, fields=({**wind, "effect": effect},), frames=12)
        for _ in range(12):
            run.advance()
        way = run.state.assemblies.position[:2, 0] - [0, 8]
        assert way[0] > 0.2
        assert way[1] == pytest.approx(way[0], rel=1e-6) if goes else way[1] < 0.1 * way[0]


def test_what_was_taken_out_shelters_nothing() -> None:
    run = run_of(box("wall", (0, 0, 0), (1, 4, 4)), ball("far", (90, 0, 0)))
    run.state.hold[0] = Hold.REMOVED
    assert lee_at(run, [[3, 0, 0]]) == pytest.approx([0])
