"""Crashes: what is heavy is not thrown back by what is light, momentum is kept, and a heavy load stands."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.model import Motion
from dynaclast.core.solve.prepare import prepare
from shots import ball, box, run, shot

QUALITIES = ("draft", "standard", "fine")


def stack(count: int) -> list[dict[str, Any]]:
    """Slabs of 500 kg, half a metre high, on the ground."""
    return [box(f"slab {k}", (0, 0.25 + 0.5 * k, 0), (1, 0.5, 1)) for k in range(count)]


HEAVIER = [
    (ratio, count, most, quality)
    for ratio, count, most in ((20, 3, 0.03), (150, 5, 0.03), (800, 4, 0.03), (1500, 8, 0.05))
    for quality in QUALITIES
    if ratio < 1000 or quality != "fine"
]


@pytest.mark.parametrize(("ratio", "count", "most", "quality"), HEAVIER)
def test_a_heavy_body_that_falls_on_light_ones_is_not_thrown_back(
    ratio: float, count: int, most: float, quality: str
) -> None:
    """Bounce 0: it leaves with next to none of the speed it came with, and no energy is gained."""
    speed, top = 6.0, 0.5 * count
    heavy = box("heavy", (0, top + 0.6, 0), velocity=[0, -speed, 0], material={"mass": 500 * ratio})
    baked = run(*stack(count), heavy, frames=36, quality=quality)
    up = np.diff(baked.position[:, -1, 1].astype(float)) * 24
    assert up.max() <= most * speed
    assert np.diff(baked.stats["energy"]).max() <= 1e-3 * baked.stats["energy"][0]
    assert baked.position[-1, -1, 1] == pytest.approx(top + 0.5, abs=0.015)


@pytest.mark.parametrize("ratio", [2500, 5000])
def test_a_very_heavy_body_stands_on_eight_light_ones(ratio: float) -> None:
    heavy = box("heavy", (0, 4.5, 0), material={"mass": 500 * ratio})
    baked = run(*stack(8), heavy, frames=120)
    assert abs(baked.position[-1, -1, 1] - 4.5) <= 5e-3 and baked.stats["moving"][-1] == 0


@pytest.mark.parametrize(
    ("ratio", "count", "size", "quality"),
    [(300, 8, 0.5, "standard"), (500, 8, 0.5, "standard"), (1700, 8, 0.5, "standard"), (900, 5, 0.3, "draft")],
)
def test_a_tower_that_something_heavy_has_landed_on_does_not_sway(
    ratio: float, count: int, size: float, quality: str
) -> None:
    """Dropped by 10 cm. What is not solved to the end gives like a spring, and a tower of springs sways for ever."""
    cubes = [box(f"cube {k}", (0, size * (k + 0.5), 0), (size, size, size)) for k in range(count)]
    heavy = box(
        "heavy", (0, size * (count + 0.5) + 0.1, 0), (size, size, size), material={"mass": 1000 * size**3 * ratio}
    )
    baked = run(*cubes, heavy, frames=36, quality=quality)
    way = baked.position[-1] - baked.position[0]
    assert baked.stats["moving"][-1] == 0
    assert np.abs(way[:, [0, 2]]).max() < 5e-3 and way[-1, 1] == pytest.approx(-0.1, abs=5e-3)
    assert np.diff(baked.stats["energy"]).max() <= 1e-4 * baked.stats["energy"][0]


def test_a_heavy_body_that_falls_on_many_columns_gains_nothing() -> None:
    """64 cubes that all touch it, or what it lies on: more contacts than what is otherwise a small island."""
    size, gap = 0.4, 0.02
    x = (size + gap) * (np.arange(4) - 1.5)
    cubes = [
        box(f"cube {i} {j} {k}", (x[i], size * (k + 0.5), x[j]), (size, size, size))
        for i in range(4)
        for j in range(4)
        for k in range(4)
    ]
    heavy = box("heavy", (0, 4 * size + 0.6, 0), (1.7, 1.0, 1.7), velocity=[0, -6, 0], material={"mass": 64_000})
    baked = run(*cubes, heavy, frames=24)
    assert (np.diff(baked.position[:, -1, 1].astype(float)) * 24).max() <= 0.03 * 6.0
    assert np.diff(baked.stats["energy"]).max() <= 1e-4 * baked.stats["energy"][0]
    assert baked.stats["moving"][-1] == 0 and baked.position[-1, -1, 1] == pytest.approx(4 * size + 0.5, abs=5e-3)


def momenta(run: Run) -> tuple[np.ndarray, np.ndarray]:
    """Momentum [kg m/s] and angular momentum about the origin [kg m2/s] of all that can move."""
    asm = run.state.assemblies
    own = np.flatnonzero((asm.alive == 1) & (asm.motion == Motion.DYNAMIC))
    turn = Rotation.from_quat(asm.orientation[own]).as_matrix()
    inertia = turn @ asm.inertia[own] @ turn.transpose(0, 2, 1)
    p = asm.mass[own, None] * asm.velocity[own]
    spin = np.einsum("nij,nj->ni", inertia, asm.angular_velocity[own])
    return p.sum(axis=0), np.cross(asm.position[own], p).sum(axis=0) + spin.sum(axis=0)


def cells(name: str, at: tuple[float, float, float], count: int, **more: Any) -> dict[str, Any]:
    """A block of loose pieces, 2 m long."""
    return box(name, at, (2, 2, 2), pattern={"kind": "cells", "count": count, "seed": count}, **more)


CRASHES = {
    "blocks": [
        cells("a", (-2.6, 0.5, 0.2), 50, velocity=[9, 0, 0]),
        cells("b", (2.6, -0.5, 0), 40, velocity=[-7, 0, 1]),
    ],
    "ball into a wall": [
        box("wall", (0, 0, 0), (4, 3, 0.4), pattern={"kind": "cells", "count": 90, "seed": 4}),
        ball("ball", (1.2, 0.7, -3), 0.5, velocity=[0, 0, 18], material={"density": 5000}),
    ],
    "spinning": [cells("c", (0, 0, 0), 60, spin=[1, 3, 0]), ball("d", (0.6, 4, 0), 0.6, velocity=[0, -14, 0])],
}


@pytest.mark.parametrize("name", CRASHES)
def test_a_crash_in_empty_space_keeps_momentum_and_angular_momentum(name: str) -> None:
    scene = shot(*CRASHES[name], frames=48, gravity=[0, 0, 0], ground={"on": False})
    ready = prepare(scene)
    going = Run(ready.shot, ready.model, ready.state)
    going.opening()
    before, turning = momenta(going)
    asm = ready.state.assemblies
    whole = float((asm.mass * np.linalg.norm(asm.velocity, axis=1)).sum())
    energy = [going.advance().stats["energy"] for _ in range(48)]
    after, turns = momenta(going)
    assert np.linalg.norm(after - before) < 1e-9 * whole
    assert np.linalg.norm(turns - turning) < 5e-3 * np.linalg.norm(turning)
    assert energy[-1] < energy[0] * 0.99 and np.diff(energy).max() <= 1e-7 * energy[0]  # they met


@pytest.mark.parametrize("bounce", [0.0, 0.6])
@pytest.mark.parametrize("seed", [3, 8])
def test_free_bodies_that_collide_keep_their_momentum(bounce: float, seed: int) -> None:
    """A swarm of boxes and balls of all masses that fly into each other in empty space."""
    rng = np.random.default_rng(seed)
    bodies = []
    for k in range(14):
        at = rng.uniform(-2, 2, 3)
        more: dict[str, Any] = {
            "velocity": (-2.0 * at + rng.normal(size=3)).tolist(),
            "spin": rng.normal(size=3).tolist(),
            "material": {"density": float(10 ** rng.uniform(2, 4)), "bounce": bounce},
        }
        if k % 3:
            more["place"] = {"rotation": Rotation.random(random_state=seed + k).as_quat().tolist()}
            bodies.append(box(f"b{k}", tuple(at), tuple(rng.uniform(0.3, 0.8, 3)), **more))
        else:
            bodies.append(ball(f"b{k}", tuple(at), 0.3, **more))
    # far from one another at the start, so that nothing overlaps
    for body in bodies:
        body["place"]["position"] = (2.5 * np.array(body["place"]["position"])).tolist()
    baked = run(*bodies, frames=96, gravity=[0, 0, 0], ground={"on": False})
    mass = baked.piece_mass
    place = (mass[:, None] * baked.position.astype(float)).sum(axis=1) / mass.sum()
    speed = np.diff(place, axis=0) * 24
    assert np.abs(speed - speed[0]).max() < 2e-5  # positions are kept in single precision
    single = np.diff(baked.position.astype(float), axis=0) * 24
    assert (np.abs(single - single[0]).max(axis=(1, 2)) > 0.1).any()  # they did collide


def test_what_lands_on_a_corner_is_not_pressed_into_the_ground() -> None:
    """200 loose pieces as a cube that lands on a corner at 10 m/s: what the whole of it pushes on stays out."""
    turn = np.array([0.36, 0.15, 0.36, 0.85])
    cube = box(
        "cube",
        (0, 1.9, 0),
        (2, 2, 2),
        pattern={"kind": "cells", "count": 200, "seed": 9},
        place={"rotation": (turn / np.linalg.norm(turn)).tolist()},
        velocity=[0, -10, 0],
    )
    baked = run(cube, frames=24)
    assert baked.stats["overlap"].max() < 0.02
