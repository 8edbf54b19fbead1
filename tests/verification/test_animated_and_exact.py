"""Animated bodies push as walls would; exact bodies are their triangles."""

from __future__ import annotations

import numpy as np
import pytest

from dynaclast.core.document import parse
from dynaclast.core.timeline.keys import Path
from shots import ball, box, run


def keys(*rows: tuple[float, list[float]], how: str = "linear") -> dict:
    return {"keys": [{"time": t, "position": p, "how": how} for t, p in rows]}


def test_a_piston_pushes_a_box_and_leaves_it() -> None:
    """The box keeps to the piston's face while pushed, and slides v^2 / (2 mu g) after it stops (2 %)."""
    piston = box("piston", (-2, 0.5, 0), role="animated", motion=keys((0, [-2, 0.5, 0]), (1, [0, 0.5, 0])))
    baked = run(
        piston,
        box("box", (-0.9, 0.5, 0), material={"bounce": 0, "friction": 0.6}),
        frames=60,
        ground={"friction": 0.6, "bounce": 0},
    )
    piston_x, box_x = baked.position[:, 0, 0], baked.position[:, 1, 0]
    assert np.allclose(piston_x[:25], -2 + 2 * baked.time[:25], atol=1e-5) and np.allclose(piston_x[25:], 0, atol=1e-6)
    assert np.allclose((box_x - piston_x)[4:24], 1.0, atol=3e-3)
    assert box_x[-1] - 1.0 == pytest.approx(2**2 / (2 * 0.6 * 9.81), rel=0.03)
    assert baked.state_names[baked.state[-1, 1]] == "resting"


def test_a_slow_lift_carries_what_sleeps_on_it() -> None:
    lift = box("lift", (0, 0.25, 0), (3, 0.5, 3), role="animated", motion=keys((2, [0, 0.25, 0]), (6, [0, 0.65, 0])))
    baked = run(lift, box("box", (0, 1, 0)), frames=180)
    y = baked.position[:, 1, 1]
    assert baked.state_names[baked.state[44, 1]] == "resting" and y[44] == pytest.approx(1.0, abs=1e-3)
    assert y[96] == pytest.approx(1.2, abs=3e-3) and y[-1] == pytest.approx(1.4, abs=2e-3)


def test_what_stands_on_a_turntable_turns_with_it() -> None:
    """w = 1 rad/s at 1 m needs mu > w^2 r / g = 0.1; it slips only while it is taken along."""
    table = box("table", (0, 0.25, 0), (6, 0.5, 6), role="animated", spin=[0, 1, 0])
    baked = run(table, box("box", (1, 0.75, 0), (0.5, 0.5, 0.5)), frames=96)
    turn = np.unwrap(np.arctan2(-baked.position[:, 1, 2], baked.position[:, 1, 0]))
    assert np.diff(turn)[24:] * 24 == pytest.approx(1.0, abs=0.01)
    angle = 2 * np.arctan2(baked.orientation[-1, 0, 1], baked.orientation[-1, 0, 3])
    assert angle % (2 * np.pi) == pytest.approx(baked.time[-1] % (2 * np.pi), abs=1e-5)


@pytest.mark.parametrize(("how", "quarter"), [("step", 0.0), ("linear", 0.25), ("smooth", 0.15625), ("bezier", 0.129)])
def test_keys_are_joined_as_they_say(how: str, quarter: float) -> None:
    """At a quarter of the time: held; straight; 3 t^2 - 2 t^3 (level ends); the curve (.42, 0, .58, 1) from the CSS
    easing tables.
    """
    shot = parse(
        {
            "bodies": [
                box(
                    "a",
                    (0, 0, 0),
                    role="animated",
                    motion={
                        "keys": [
                            {"time": 1, "position": [0, 0, 0], "how": how, "curve": [0.42, 0, 0.58, 1]},
                            {"time": 3, "position": [4, 0, 0]},
                        ]
                    },
                )
            ]
        }
    )
    path = Path.of(shot.bodies[0].motion)
    assert path.at(1.5)[0][0] == pytest.approx(4 * quarter, abs=0.005)
    assert path.at(0)[0][0] == 0 and path.at(9)[0][0] == 4


# ------------------------------------------------------------------------------------ exact


def bowl(n: int = 24) -> dict:
    """A solid paraboloid bowl, y = 0.05 r^2 over a square of 12 m, as one mesh."""
    line = np.linspace(-6, 6, n)
    x, z = np.meshgrid(line, line, indexing="ij")
    top = np.stack([x, 0.05 * (x**2 + z**2), z], axis=-1).reshape(-1, 3)
    low = top.copy()
    low[:, 1] = -1
    faces = []
    for i in range(n - 1):
        for j in range(n - 1):
            a, b, c, d = i * n + j, (i + 1) * n + j, (i + 1) * n + j + 1, i * n + j + 1
            faces += [[a, c, b], [a, d, c], [b + n * n, c + n * n, a + n * n], [c + n * n, d + n * n, a + n * n]]
    ring = (
        [i * n for i in range(n)]
        + [(n - 1) * n + j for j in range(1, n)]
        + [i * n + n - 1 for i in range(n - 2, -1, -1)]
        + list(range(n - 2, 0, -1))
    )
    for a, b in zip(ring, [*ring[1:], ring[0]], strict=True):
        faces += [[a, b, b + n * n], [a, b + n * n, a + n * n]]
    return {
        "name": "bowl",
        "role": "passive",
        "collision": "exact",
        "shape": {"kind": "mesh", "vertices": np.concatenate([top, low]).tolist(), "faces": faces},
    }


def test_things_come_to_rest_in_an_exact_bowl() -> None:
    """Everything slides together at the bottom, sleeps, stays above the surface (5 mm) and gains no energy."""
    things = [
        box(f"c{k}", (x, 3 + 0.8 * k, z), (0.5, 0.5, 0.5))
        for k, (x, z) in enumerate([(0, 0), (2, 1), (-2, 2), (1, -3)])
    ]
    baked = run(bowl(), *things, ball("b", (2.5, 4, -2), 0.4), frames=288, ground={"on": False})
    at = baked.position[-1, 1:]
    assert np.hypot(at[:, 0], at[:, 2]).max() < 2.5 and (baked.state[-1, 1:] == 1).all()
    assert (at[:, 1] - 0.05 * (at[:, 0] ** 2 + at[:, 2] ** 2) > 0.2).all()
    assert np.diff(baked.stats["energy"]).max() < 1e-4 * baked.stats["energy"][0]


def test_a_fast_ball_does_not_pass_an_exact_sheet() -> None:
    baked = run(
        box("wall", (0, 1, 0), (0.02, 4, 4), role="passive", collision="exact"),
        ball("b", (-5, 1, 0), 0.1, velocity=[200, 0, 0]),
        frames=12,
    )
    assert baked.position[-1, 1, 0] < -0.1


def test_a_ball_rolls_over_seams_without_catching() -> None:
    """A flat floor of many triangles rolls as the plane does: the speed lost over 4 m differs by less than 1 %."""
    n = 30
    line = np.linspace(-5, 5, n)
    x, z = np.meshgrid(line, line, indexing="ij")
    floor = {
        "name": "floor",
        "role": "passive",
        "collision": "exact",
        "shape": {"kind": "box", "size": [10, 1, 10]},
        "place": {"position": [0, -0.5, 0]},
        "steps": [{"kind": "subdivide", "times": 4}],
    }
    flat = run(ball("b", (-4, 0.3, 0.137), 0.3, velocity=[4, 0, 0], material={"bounce": 0}), frames=36)
    seams = run(
        ball("b", (-4, 0.3, 0.137), 0.3, velocity=[4, 0, 0], material={"bounce": 0}),
        floor,
        frames=36,
        ground={"on": False, "friction": 0.7},
    )
    assert seams.position[-1, 0, 0] == pytest.approx(flat.position[-1, 0, 0], rel=0.01)
    assert np.abs(seams.position[:, 0, 1] - 0.3).max() < 2e-3 and abs(seams.position[-1, 0, 2] - 0.137) < 0.01


@pytest.mark.parametrize("collision", ["ball", "box", "hull", "parts"])
def test_a_body_collides_as_it_is_told(collision: str) -> None:
    """A cone of 1 m lands: as a ball it stands half its width up, else on its base."""
    cone = {
        "name": "cone",
        "shape": {"kind": "cone", "radius": 0.5, "height": 1},
        "place": {"position": [0, 1.2, 0]},
        "collision": collision,
    }
    baked = run(cone, frames=72)
    y = baked.position[-1, 0, 1]
    assert y == pytest.approx(0.25, abs=0.02) if collision != "ball" else 0.2 < y < 0.8


def test_what_runs_away_is_slowed_and_told() -> None:
    baked = run(ball("b", (0, 50, 0), velocity=[300, 0, 0]), frames=4, limits={"speed": 100})
    event = next(e for e in baked.events if e["kind"] == "limit")
    assert event["what"] == "speed" and event["body"] == "b" and event["limit"] == 100
    assert baked.stats["top_speed"][-1] <= 100.001
