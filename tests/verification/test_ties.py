"""Ties against closed forms: pendulums, strings, hinge limits and friction, breaking loads."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from shots import ball, box, reach_box, run

G = 9.81


def pendulum(kind: str, degrees: float = 10.0, **more: object) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A 0.2 m cube 2 m below its tie, let go at an angle; gives time, position and energy."""
    a = np.radians(degrees)
    at = np.array([0, 5, 0]) + 2.0 * np.array([np.sin(a), -np.cos(a), 0])
    bob = box(
        "bob",
        tuple(at),
        (0.2, 0.2, 0.2),
        place={"position": at.tolist(), "rotation": [0, 0, float(np.sin(a / 2)), float(np.cos(a / 2))]},
    )
    tie = {"name": "tie", "how": {"kind": kind}, "body": "bob", "point": [0, 5, 0]}
    if kind == "string":
        tie |= {"point": at.tolist(), "to_point": [0, 5, 0]}
    baked = run(bob, ties=[tie], **more)
    return baked.time, baked.position[:, 0].astype(float), baked.stats["energy"]


@pytest.mark.parametrize("kind", ["pin", "hinge", "string"])
def test_pendulum_period(kind: str) -> None:
    """T = 2 pi sqrt((L^2 + s^2 / 6) / (g L)) (1 + a^2 / 16); a string's bob does not turn with it (1 %). Energy stays,
    and the length.
    """
    time, at, energy = pendulum(kind, frames=240)
    falls = np.flatnonzero((at[:-1, 0] > 0) & (at[1:, 0] <= 0))
    crossing = time[falls] + at[falls, 0] / (at[falls, 0] - at[falls + 1, 0]) / 24
    own = 0.0 if kind == "string" else 0.2**2 / 6
    expected = 2 * np.pi * np.sqrt((4 + own) / (G * 2)) * (1 + np.radians(10) ** 2 / 16)
    assert np.diff(crossing) == pytest.approx(expected, rel=0.01)
    assert np.linalg.norm(at - [0, 5, 0], axis=1) == pytest.approx(2.0, abs=1e-4)
    swing = energy[0] - 8 * G * (5 - 2) * 1.0
    assert np.abs(energy - energy[0]).max() < 0.01 * abs(swing) + 0.01


def test_a_double_pendulum_keeps_its_energy() -> None:
    """Two rods let go from level: chaotic, but E stays within 1 % of the 785 J it swings with, and no frame gains more
    than that.
    """
    rods = [
        box("a", (0.5, 6, 0), (1, 0.2, 0.2), material={"density": 1000}),
        box("b", (1.5, 6, 0), (1, 0.2, 0.2), material={"density": 1000}),
    ]
    ties = [
        {"name": "top", "how": {"kind": "pin"}, "body": "a", "point": [0, 6, 0]},
        {"name": "mid", "how": {"kind": "pin"}, "body": "b", "to": "a", "point": [1, 6, 0]},
    ]
    energy = run(*rods, ties=ties, frames=240, ground={"on": False}).stats["energy"]
    assert np.abs(energy - energy[0]).max() < 0.01 * 80 * G


@pytest.mark.parametrize("links", [1, 2, 12])
@pytest.mark.parametrize("end", [1.0, 200.0])
def test_a_chain_never_gains_energy(links: int, end: float) -> None:
    """Links of 0.4 m let go from level, the last one heavier: no frame gains more than 1e-4 of what they can fall by,
    and the ends of a tie stay together (1.25 mm) however they whip.
    """
    mass = 0.4 * 0.01 * 1000.0
    bodies = [
        box(f"l{i}", (0.2 + 0.4 * i, 8, 0), (0.4, 0.1, 0.1), material={"mass": mass * (end if i == links - 1 else 1.0)})
        for i in range(links)
    ]
    ties = [
        {
            "name": f"t{i}",
            "how": {"kind": "pin"},
            "body": f"l{i}",
            "point": [0.4 * i, 8, 0],
            **({"to": f"l{i - 1}"} if i else {}),
        }
        for i in range(links)
    ]
    baked = run(*bodies, ties=ties, frames=120, ground={"on": False})
    falls = G * sum((0.2 + 0.4 * i) * mass * (end if i == links - 1 else 1.0) for i in range(links))
    assert np.diff(baked.stats["energy"]).max() < 1e-4 * falls
    for i in range(links):
        ends = [
            place + Rotation.from_quat(turn).apply([x, 0, 0])
            for place, turn, x in (
                (baked.position[:, k], baked.orientation[:, k], x) for k, x in ((i, -0.2), (i - 1, 0.2)) if k >= 0
            )
        ]
        assert np.linalg.norm(ends[0] - (ends[1] if i else [0, 8, 0]), axis=1).max() < 1.25e-3


def test_what_flies_keeps_its_energy() -> None:
    """Exactly, from the first frame on: it is measured where speed and place are known together."""
    energy = run(ball("b", (0, 10, 0), velocity=[3, 9, 0]), frames=24, ground={"on": False}).stats["energy"]
    assert energy == pytest.approx(energy[0], rel=1e-6)


def test_a_slack_string_lets_fall_and_then_stops() -> None:
    """Free fall until the string of 3 m is taut: y = y0 - g t^2 / 2, then never below (1 mm)."""
    baked = run(
        ball("b", (0, 10, 0)),
        ties=[
            {
                "name": "s",
                "how": {"kind": "string", "length": 3},
                "body": "b",
                "point": [0, 10, 0],
                "to_point": [0, 10, 0],
            }
        ],
        frames=72,
        ground={"on": False},
    )
    y = baked.position[:, 0, 1]
    assert y[12] == pytest.approx(10 - G * 0.25 / 2, rel=0.01)
    assert y.min() >= 7 - 1e-3 and y[-1] == pytest.approx(7, abs=5e-3)


def test_a_hinge_stops_at_its_limit_and_stays_on_its_axis() -> None:
    door = box("door", (0.5, 3, 0), (1, 0.2, 0.2))
    tie = {
        "name": "h",
        "how": {"kind": "hinge", "axis": [0, 0, 1], "limits": [-0.5, 0.1]},
        "body": "door",
        "point": [0, 3, 0],
    }
    baked = run(door, ties=[tie], frames=120, ground={"on": False})
    angle = 2 * np.arctan2(baked.orientation[:, 0, 2], baked.orientation[:, 0, 3])
    assert angle.min() > -0.501 and angle[-1] == pytest.approx(-0.5, abs=1e-3)
    assert np.abs(baked.orientation[:, 0, :2]).max() < 1e-6
    assert baked.state_names[baked.state[-1, 0]] == "resting"


@pytest.mark.parametrize(("torque", "turns"), [(1.05, False), (0.9, True)])
def test_hinge_friction_holds_a_level_arm(torque: float, turns: bool) -> None:
    """It holds up to m g L / 2."""
    arm = box("arm", (0.5, 3, 0), (1, 0.2, 0.2), material={"density": 1000})
    tie = {
        "name": "h",
        "how": {"kind": "hinge", "axis": [0, 0, 1], "friction": torque * 40 * G * 0.5},
        "body": "arm",
        "point": [0, 3, 0],
    }
    baked = run(arm, ties=[tie], frames=24, ground={"on": False})
    assert (baked.position[-1, 0, 1] < 2.98) == turns


@pytest.mark.parametrize(("share", "breaks"), [(0.95, True), (1.05, False)])
def test_a_weld_breaks_under_the_load_of_a_cantilever(share: float, breaks: bool) -> None:
    """Load = m g + m g L / size; L from the weld to the centre, size the piece's."""
    held, out = (
        box("held", (0, 3, 0), (1, 0.5, 0.5), role="passive"),
        box("out", (1, 3, 0), (1, 0.5, 0.5), material={"density": 2000}),
    )
    weight = 500 * G
    strength = share * (weight + weight * 0.5 / np.cbrt(0.25)) / 1000
    baked = run(
        held,
        out,
        ties=[
            {
                "name": "w",
                "how": {"kind": "weld"},
                "body": "out",
                "to": "held",
                "point": [0.5, 3, 0],
                "breaks": strength,
            }
        ],
        frames=36,
        ground={"on": False},
    )
    broken = [e for e in baked.events if e["kind"] == "tie_broken"]
    assert bool(broken) == breaks
    if breaks:
        assert broken[0]["tie"] == "w" and broken[0]["load"] > broken[0]["strength"] and baked.position[-1, 1, 1] < 2
    else:
        assert baked.position[-1, 1] == pytest.approx(baked.position[0, 1], abs=1e-3)


def test_a_tie_keeps_momentum() -> None:
    """Two bodies joined by a pin and spinning in free space: momentum and angular momentum stay (1e-9 and 0.1 %)."""
    pair = [
        box("a", (-0.5, 5, 0), (1, 0.3, 0.3), spin=[0, 3, 1], gravity=0),
        box("b", (0.5, 5, 0), (1, 0.3, 0.3), velocity=[0, 0.4, 1], gravity=0),
    ]
    baked = run(
        *pair,
        ties=[{"name": "p", "how": {"kind": "pin"}, "body": "a", "to": "b", "point": [0, 5, 0]}],
        frames=96,
        ground={"on": False},
    )
    center = (baked.position * baked.piece_mass[None, :, None]).sum(axis=1) / baked.piece_mass.sum()
    step = np.diff(center, axis=0)
    assert np.abs(step - step[0]).max() < 1e-6  # float32 frames


@pytest.mark.parametrize("what", ["remove", "freeze"])
@pytest.mark.parametrize("kind", ["string", "pin", "hinge", "weld"])
def test_what_a_kill_takes_out_holds_nothing_and_what_it_freezes_does(kind: str, what: str) -> None:
    """A load that rests asleep under a bracket falls as freely as a stone from when that goes."""
    bracket, load = box("bracket", (0, 3, 0), (0.2, 0.2, 0.2)), box("load", (0, 1.8, 0), (0.4, 0.4, 0.4))
    tie = {"name": "tie", "how": {"kind": kind}, "body": "load", "to": "bracket", "point": [0, 2, 0]}
    if kind == "string":
        tie["to_point"] = [0, 2.9, 0]
    wall = {"name": "wall", "how": {"kind": "weld"}, "body": "bracket", "point": [0, 3, 0]}
    gone = {
        "name": "gone",
        "effect": {"kind": "kill", "what": what, "age": 0.05},
        "reach": reach_box((0, 3, 0), (0.3, 0.3, 0.3)),
        "cue": {"kind": "span", "start": 1.5},
    }
    baked = run(bracket, load, ties=[tie, wall], fields=[gone], ground={"on": False}, frames=60)
    (killed,) = [e["frame"] for e in baked.events if e["kind"] == "kill"]
    assert baked.state_names[baked.state[30, 1]] == "resting"
    low = baked.position[:, 1, 1].astype(float)
    assert low[:killed] == pytest.approx(1.8, abs=1e-4)
    if what == "freeze":
        assert low == pytest.approx(1.8, abs=1e-4)
    else:
        assert low[-1] - low[-2] == pytest.approx(-G * (60.5 - killed) / 24**2, rel=0.03)
