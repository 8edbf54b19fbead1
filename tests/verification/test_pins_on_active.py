"""What is pinned to an active body holds it as it is held: Newton's third law, statics, and what falls off.

Before, pinned vertices went along and pulled nothing; they also pushed what they rode on, which flew away with them.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from deforming import cloth, momenta, pin, rope, soft, started
from dynaclast.core.bake import bake
from dynaclast.core.solve.frame import PieceState
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.prepare import prepare
from dynaclast.core.solve.state import State
from shots import box, reach_box, shot

EMPTY: dict[str, Any] = {"gravity": [0, 0, 0], "ground": {"on": False}}


def flag(kind: str, inside: float, **more: Any) -> dict[str, Any]:
    """Something a metre long, of which an end is pinned to a pole of 0.2 m round the origin, so far inside it [m]."""
    left = 0.1 - inside
    if kind == "cloth":
        out = cloth("flag", (left + 0.5, 2, 0), (1, 0.6), (10, 6))
    elif kind == "rope":
        out = rope("flag", (left, 2, 0), (left + 1, 2, 0), matter={"radius": 0.01})
    else:
        out = soft("flag", (left + 0.5, 2, 0), (1, 0.2, 0.2), matter={"young": 100.0, "poisson": 0.3})
    return out | {"pins": [{"reach": reach_box((left, 2, 0), (0.01, 1, 1)), "to": "pole"}]} | more


def removed(name: str, start: float) -> dict[str, Any]:
    """A kill that takes out a body, from a time on [s]."""
    kill = {"kind": "kill", "what": "remove", "age": 0.05}
    reach = reach_box((0, 2, 0), (9, 9, 9))
    return {"name": "gone", "effect": kill, "reach": reach, "targets": [name], "cue": {"kind": "span", "start": start}}


@pytest.mark.parametrize("quality", ["draft", "standard", "fine"])
@pytest.mark.parametrize("inside", [0.0, 0.05])
@pytest.mark.parametrize("kind", ["cloth", "rope", "soft"])
def test_a_flag_and_the_pole_it_is_pinned_to_keep_their_momentum_in_empty_space(
    kind: str, inside: float, quality: str
) -> None:
    pole = box("pole", (0, 2, 0), (0.2, 0.6, 0.2), material={"mass": 2.0})
    run = started(shot(pole, flag(kind, inside, velocity=[0, 0, 3.0]), quality=quality, **EMPTY))
    run.opening()
    before, _ = momenta(run)
    given = 0.5 * 3.0 * np.linalg.norm(before)
    for _ in range(12):
        frame = run.advance()
        assert frame.stats["energy"] <= given * (1 + 1e-9)
        assert momenta(run)[0] == pytest.approx(before, abs=1e-9 * np.linalg.norm(before))
    assert np.linalg.norm(momenta(run)[0]) > 0.1 and np.linalg.norm(run.state.assemblies.velocity[0]) > 0.01
    assert (frame.arrays["state/flag"] == PieceState.HELD).sum() > 0


@pytest.mark.parametrize("pieces", [1, 8])
def test_a_box_hangs_by_the_pins_of_a_cloth_and_stretches_it_by_its_weight(pieces: int) -> None:
    """Strain m g / (E t w) of the cloth, hung from the world along one side and pinned to the box along the other."""
    sheet = cloth("sheet", (0, 2, 0), (0.5, 1.0), (4, 8), matter={"stretch": 20.0, "weight": 0.05, "damping": 0.05})
    sheet["place"]["rotation"] = [0.7071067811865476, 0, 0, 0.7071067811865476]  # it hangs
    sheet["pins"] = [
        {"reach": reach_box((0, 2.5, 0), (1, 0.01, 1))},
        {"reach": reach_box((0, 1.5, 0), (1, 0.01, 1)), "to": "load"},
    ]
    load = box("load", (0, 1.4, 0), (0.5, 0.2, 0.2), material={"mass": 20.0})
    if pieces > 1:
        load |= {"pattern": {"kind": "cells", "count": pieces, "seed": 2}, "bonds": {"strength": 1e6}}
    baked = bake(shot(load, sheet, frames=72, ground={"on": False}))
    strain = 20.0 * 9.81 / (20e3 * 0.5)
    sunk = baked.position[0, :, 1] - baked.position[-12:, :, 1].mean(axis=0)
    assert sunk == pytest.approx(strain, rel=0.06)  # 20 mm; its ends cannot narrow, which makes it a little stiffer


def test_a_heavy_flag_drags_a_light_body_along_and_a_light_one_hardly() -> None:
    """They end at the common speed, each by its share of the mass."""
    for weight in (0.05, 5.0):
        pole = box("pole", (0, 2, 0), (0.2, 0.2, 0.2), material={"mass": 1.0})
        own = flag("rope", 0.0, velocity=[4.0, 0, 0], material={"mass": weight})
        run = started(shot(pole, own, **EMPTY))
        for _ in range(24):
            run.advance()
        common = 4.0 * weight / (1.0 + weight)
        assert run.state.assemblies.velocity[0, 0] == pytest.approx(common, rel=0.3)


def test_flakes_that_part_stay_at_their_pins_each() -> None:
    pole = box("pole", (0, 2, 0), (0.2, 0.6, 0.2), material={"mass": 50.0}, velocity=[0, 0, 6.0])
    leaves = flag("cloth", 0.0, pattern={"kind": "faces"}, bonds={"strength": 0.0, "unit": "kN/m"})
    run = started(shot(pole, leaves, **EMPTY))
    first = run.opening().arrays["points/flag"]
    pinned = np.flatnonzero(np.abs(first[:, 0] - 0.1) < 0.01)
    for _ in range(8):
        frame = run.advance()
    moved = frame.arrays["points/flag"][pinned] - first[pinned]
    assert len(pinned) > 15 and np.abs(moved[:, 2] - 2.0).max() < 0.03  # 6 m/s for a third of a second
    loose = frame.arrays["points/flag"][first[:, 0] > 0.35] - first[first[:, 0] > 0.35]
    assert np.abs(loose[:, 2]).max() < 0.2


def test_what_hangs_by_pins_falls_when_the_cloth_is_taken_out_and_goes_on_to_the_bit_from_any_state() -> None:
    sheet = cloth("sheet", (0, 2, 0), (1, 1), (6, 6), pins=[pin(-0.5, 2, -0.5), pin(0.5, 2, -0.5)])
    sheet["pins"].append({"reach": reach_box((0, 2, 0.5), (2, 1, 0.01)), "to": "load"})
    load = box("load", (0, 2, 0.6), (0.4, 0.2, 0.2), material={"mass": 3.0})
    scene = shot(load, sheet, fields=[removed("sheet", 0.4)], frames=20, ground={"on": False})
    run = started(scene)
    frames = [run.opening(), *(run.advance() for _ in range(8))]
    carry = run.state.pack()
    frames += [run.advance() for _ in range(12)]
    speed = 24.0 * (frames[20].position[0, 1] - frames[19].position[0, 1])
    assert speed < -3.0  # it hung by a metre of cloth, and falls for a third of a second
    ready = prepare(scene)
    again = Run(ready.shot, ready.model, State.unpack(carry))
    for frame in frames[9:]:
        other = again.advance()
        assert other.position.tobytes() == frame.position.tobytes()
        assert other.arrays["points/sheet"].tobytes() == frame.arrays["points/sheet"].tobytes()


@pytest.mark.parametrize("held", ["pins", "tie"])
def test_cloth_falls_when_the_body_it_hangs_from_is_taken_out(held: str) -> None:
    rail = box("rail", (0, 3, 0), (1.2, 0.1, 0.1))
    sheet = cloth("sheet", (0, 2.95, 0.5), (1, 1), (6, 6))
    ties: list[dict[str, Any]] = [{"name": "wall", "how": {"kind": "weld"}, "body": "rail", "point": [0, 3, 0]}]
    if held == "pins":
        sheet["pins"] = [{"reach": reach_box((0, 2.95, 0), (2, 1, 0.01)), "to": "rail"}]
    else:
        ties.append({"name": "nails", "how": {"kind": "sewn", "within": 0.1}, "body": "sheet", "to": "rail"})
    baked = bake(shot(rail, sheet, ties=ties, fields=[removed("rail", 1.0)], frames=48, ground={"on": False}))
    (killed,) = [e["frame"] for e in baked.events if e["kind"] == "kill"]
    top = baked.maps["points/sheet"][:, :, 1].max(axis=1)
    assert top[: killed + 1].min() > 2.9
    assert top[-1] < 2.95 - 0.5 * 9.81 * ((47 - killed) / 24) ** 2 + 0.3
