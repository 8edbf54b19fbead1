"""Seventy small scenes of everything, thrown together at random: nothing is lost, grows, or falls through."""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np
import pytest

from deforming import cloth, rope, soft, started
from dynaclast.core.document import Shot, parse
from dynaclast.core.solve.frame import Frame

SCENES, FRAMES = 70, 8
DEEP = 0.03
"""How deep below the ground a point may be when something has just been thrown at it [m]."""


def scene(seed: int) -> Shot:
    """Three to five bodies over the ground, some in pieces, some pinned, tied or sewn, some struck by fields."""
    rng = np.random.default_rng([seed, 17])
    bodies: list[dict[str, Any]] = []
    for k in range(int(rng.integers(3, 6))):
        at = (*rng.uniform(-0.4, 0.4, 2).round(3), 0.0)
        place = (float(at[0]), float(0.5 + 0.45 * k), float(at[1]))
        speed = {"velocity": [float(v) for v in rng.normal(0, 1.5, 3).round(3)]}
        kind = str(rng.choice(["cloth", "soft", "rope", "box", "ball"], p=[0.3, 0.2, 0.2, 0.15, 0.15]))
        name = f"{kind} {k}"
        if kind == "cloth":
            cells = int(rng.integers(4, 9))
            matter: dict[str, Any] = {"folds": bool(rng.random() < 0.5), "damping": 0.005}
            matter |= {"weight": float(rng.uniform(0.1, 3)), "stretch": float(10 ** rng.uniform(0, 2))}
            body = cloth(name, place, (0.8, 0.8), (cells, cells), matter=matter)
            if rng.random() < 0.4:
                body["matter"]["tear"] = float(rng.uniform(0.05, 1))
            elif rng.random() < 0.4:
                body |= {"pattern": {"kind": "cells", "count": 6, "seed": seed}}
                body |= {"bonds": {"strength": float(rng.uniform(0, 0.3)), "unit": "kN/m"}}
        elif kind == "soft":
            matter = {"detail": 3, "young": float(10 ** rng.uniform(1.5, 3.5)), "damping": 0.01}
            body = soft(name, place, (0.3, 0.25, 0.35), matter=matter)
            if rng.random() < 0.4:
                body |= {"pattern": {"kind": "slabs", "count": 3}, "bonds": {"strength": float(rng.uniform(0, 40))}}
        elif kind == "rope":
            end = (place[0] + 0.9, place[1] + float(rng.uniform(-0.1, 0.1)), place[2])
            matter = {"radius": 0.015, "young": 1e4, "damping": 0.005}
            body = rope(name, place, end, segments=10, matter=matter)
            if rng.random() < 0.5:
                body["matter"]["breaks"] = float(rng.uniform(0.01, 0.5))
        else:
            shape = {"kind": "box", "size": [0.25, 0.2, 0.3]} if kind == "box" else {"kind": "sphere", "radius": 0.14}
            body = {"name": name, "shape": shape, "place": {"position": list(place)}, "material": {"density": 800}}
        if kind in ("cloth", "soft", "rope") and rng.random() < 0.25:
            near = {"kind": "sphere", "center": list(place), "core": 0.15, "edge": 0}
            body["recall"] = [{"reach": {"layers": [{"shape": near}]}, "rate": 3}]
        bodies.append(body | speed)
    if not any(b.get("matter") for b in bodies):
        bodies[0] = rope("rope 0", (0, 0.5, 0), (0.9, 0.5, 0), segments=8)
    first = next(b["name"] for b in bodies if b.get("matter"))
    ties = []
    if rng.random() < 0.4:
        other = next((b["name"] for b in bodies if b["name"] != first), None)
        how: dict[str, Any] = {"kind": "sewn", "within": 2.0} if rng.random() < 0.3 and other else {"kind": "pin"}
        ties.append({"name": "t", "how": how, "body": first, "to": other, "point": [0, 0.6, 0], "breaks": 0.5})
    fields = []
    if rng.random() < 0.5:
        effect = {"kind": str(rng.choice(["wind", "vortex", "attractor", "strain"]))}
        reach = {"layers": [{"shape": {"kind": "sphere", "center": [0, 1, 0], "core": 0.5, "edge": 1.0}}]}
        fields.append({"name": "f", "effect": effect, "reach": reach})
    document = {"bodies": bodies, "ties": ties, "fields": fields, "timing": {"frames": FRAMES}}
    return parse(document | {"quality": str(rng.choice(["draft", "standard"]))})


def ran(seed: int) -> list[Frame]:
    run = started(scene(seed))
    return [run.advance() for _ in range(FRAMES)]


ran_first = cache(ran)
"""The first run of a scene, for both tests of it."""


@pytest.mark.parametrize("start", range(0, SCENES, 10))
def test_nothing_is_lost_grows_or_falls_through(start: int) -> None:
    for seed in range(start, start + 10):
        forced = bool(scene(seed).fields)
        most = None
        for frame in ran_first(seed):
            assert any(name.startswith("points/") for name in frame.arrays)
            for name, array in frame.arrays.items():
                if name.startswith("points/"):
                    assert np.isfinite(array).all(), (seed, name)
                    assert array[:, 1].min() > -DEEP, (seed, name, array[:, 1].min())
            energy = frame.stats["energy"]
            if most is None:
                most = energy
            if not forced:
                assert energy < 1.1 * most + 0.5, (seed, energy, most)  # what was stretched gives it back
                most = max(most, energy)


def test_the_energy_of_a_frame_counts_what_deforms() -> None:
    """Of a sheet and a ball thrown up without touching: m (v^2 / 2 + g h), the same in every frame."""
    sheet = {
        "name": "sheet",
        "matter": {"kind": "cloth", "weight": 0.5},
        "shape": {"kind": "sheet", "size": [2, 1], "divisions": [8, 4]},
        "place": {"position": [0, 5, 0]},
        "velocity": [2, 3, 0],
    }
    ball = {
        "name": "ball",
        "shape": {"kind": "sphere", "radius": 0.2},
        "place": {"position": [5, 3, 0]},
        "velocity": [0, 4, 1],
        "material": {"density": 100},
    }
    run = started(parse({"bodies": [sheet, ball], "timing": {"frames": 12}, "ground": {"on": False}}))
    weight = float(run.model.pieces.mass[0])
    wanted = 1.0 * (0.5 * 13 + 9.81 * 5) + weight * (0.5 * 17 + 9.81 * 3)
    got = [run.opening().stats["energy"], *(run.advance().stats["energy"] for _ in range(12))]
    assert got == pytest.approx([wanted] * 13, rel=0.02)


def test_the_same_scene_gives_the_same_bytes() -> None:
    for seed in range(0, SCENES, 12):
        for one, other in zip(ran_first(seed), ran(seed), strict=True):
            assert one.arrays.keys() == other.arrays.keys() and one.events == other.events
            assert all(one.arrays[name].tobytes() == other.arrays[name].tobytes() for name in one.arrays), seed
