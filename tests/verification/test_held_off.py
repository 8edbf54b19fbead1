"""Nothing is pulled or shot through what it touches, however hard, and momentum is kept while it is held off."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from deforming import EVERYWHERE, cloth, frames_of, points, rope, soft, started
from shots import ball, box, reach_box, shot

IN_SPACE: dict[str, Any] = {"gravity": [0, 0, 0], "ground": {"on": False}}
KINDS = {
    "cloth": cloth("it", (0, 1, 0), (1, 1), (12, 12), matter={"preset": "canvas"}),
    "soft": soft("it", (0, 1.2, 0), (0.4, 0.3, 0.4), matter={"young": 200, "detail": 6}),
    "rope": rope("it", (-0.5, 1, 0), (0.5, 1, 0), segments=20),
}


@pytest.mark.parametrize("quality", ["draft", "fine"])
@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("pull", [1e3, 1e5])
def test_nothing_is_pulled_through_a_plate_of_a_centimetre(kind: str, pull: float, quality: str) -> None:
    plate = box("plate", (0, 0.9, 0), (4, 0.01, 4), role="passive")
    down = {"kind": "push", "direction": [0, -1, 0], "amount": pull}
    field = {"name": "pull", "effect": down, "reach": EVERYWHERE, "cue": {"kind": "span", "start": 0.1, "end": 9}}
    it = points(
        frames_of(shot(KINDS[kind], plate, frames=12, fields=(field,), ground={"on": False}, quality=quality)), "it"
    )
    assert np.isfinite(it).all() and it[-1, :, 1].min() > 0.9


@pytest.mark.parametrize("quality", ["draft", "standard", "fine"])
@pytest.mark.parametrize("speed", [40.0, 180.0])
def test_a_soft_block_that_hits_a_free_plate_pushes_it_and_keeps_momentum(speed: float, quality: str) -> None:
    it = soft("it", (0, 2, 0), (0.4, 0.4, 0.4), matter={"young": 200, "detail": 6}, velocity=[0, -speed, 0])
    plate = box("plate", (0, 1, 0), (2, 0.05, 2), material={"density": 2500})
    run = started(shot(it, plate, frames=8, quality=quality, limits={"speed": 1000}, **IN_SPACE))
    assert run.deformable is not None
    mass, asm, v = run.deformable.deformables.own_mass, run.state.assemblies, run.state.vertices

    def momentum() -> np.ndarray:
        return np.asarray(mass @ v.velocity + asm.mass[0] * asm.velocity[0])

    before, energy = momentum(), 0.5 * mass.sum() * speed**2
    for _ in range(8):
        run.advance()
        assert momentum() == pytest.approx(before, abs=1e-9 * abs(before[1]))
        now = 0.5 * float(mass @ (v.velocity**2).sum(axis=1)) + 0.5 * asm.mass[0] * float((asm.velocity[0] ** 2).sum())
        assert now < energy * (1 + 1e-9)
    turn = Rotation.from_quat(asm.orientation[0]).inv()
    local = turn.apply(v.position - asm.position[0])
    assert (np.abs(local[:, [0, 2]]).max(axis=1) < 1).any() and local[np.abs(local[:, 0]) < 1, 1].min() > -0.025
    assert asm.velocity[0, 1] < -0.05 * speed


@pytest.mark.parametrize("quality", ["draft", "fine"])
@pytest.mark.parametrize("speed", [40.0, 200.0])
@pytest.mark.parametrize("kind", ["soft", "cloth"])
def test_a_ball_does_not_fly_through_what_is_held(kind: str, speed: float, quality: str) -> None:
    if kind == "soft":
        foot = [{"reach": reach_box((0, 1.7, 0), (2, 0.1, 2))}]
        target = soft("it", (0, 2, 0), (0.6, 0.6, 0.3), matter={"young": 500, "detail": 8}, pins=foot)
    else:
        upright = {"position": [0, 2, 0], "rotation": [0.70710678, 0, 0, 0.70710678]}
        rim = ((0.5, 2, 0, 0.02, 1), (-0.5, 2, 0, 0.02, 1), (0, 2.5, 0, 1, 0.02), (0, 1.5, 0, 1, 0.02))
        pins = [{"reach": reach_box((x, y, z), (w, h, 1))} for x, y, z, w, h in rim]
        target = cloth("it", (0, 2, 0), (1, 1), (16, 16), matter={"preset": "canvas"}, place=upright, pins=pins)
    flies = ball("ball", (0, 2.05, -1), 0.08, velocity=[0, 0, speed], material={"mass": 4 if kind == "soft" else 1})
    frames = frames_of(shot(target, flies, frames=8, quality=quality, **IN_SPACE))
    at = frames[-1].arrays["position"][0]
    assert at[2] < points(frames, "it")[-1, :, 2].max()  # none of it is behind
