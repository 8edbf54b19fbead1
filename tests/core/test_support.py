"""Cloth on what stands on something: it lies on it as on the ground, not a step's fall inside."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from deforming import cloth, started
from dynaclast.core.solve.deformable.support import BORNE, borne, supported
from shots import box, shot


def crates(count: int) -> list[dict[str, Any]]:
    return [box(f"crate {k}", (0, 0.25 + 0.5 * k, 0), (0.8, 0.5, 0.8)) for k in range(count)]


@pytest.mark.parametrize("quality", ["draft", "standard", "fine"])
@pytest.mark.parametrize("count", [1, 3])
def test_cloth_lies_on_crates_that_stand_on_the_ground_as_thick_as_it_is(count: int, quality: str) -> None:
    top = 0.5 * count
    sheet = cloth("sheet", (0, top + 0.02, 0), (0.6, 0.6), (8, 8), matter={"thickness": 0.004})
    run = started(shot(*crates(count), sheet, quality=quality))
    frames = [run.opening(), *(run.advance() for _ in range(24))]
    y = np.array([f.arrays["points/sheet"][:, 1] for f in frames[12:]])
    assert top - 0.004 < y.min() and y.max() < top + 0.004 and abs(y.mean() - top - 0.002) < 0.001  # 5 mm in, before
    assert frames[-1].position[:, 1] == pytest.approx(0.25 + 0.5 * np.arange(count), abs=0.001)


def test_what_holds_up_is_what_gravity_asks_and_nothing_in_free_fall() -> None:
    hung = box("hung", (3, 2, 0), (0.3, 0.3, 0.3))
    tie = {"name": "string", "how": {"kind": "string"}, "body": "hung", "point": [3, 2.1, 0], "to_point": [3, 3, 0]}
    falls = box("falls", (6, 20, 0), (0.3, 0.3, 0.3))
    sheet = cloth("sheet", (-3, 3, 0), (0.6, 0.6), (3, 3))
    run = started(shot(*crates(2), hung, falls, sheet, ties=[tie]))
    run.opening()
    for _ in range(6):
        run.advance()
    held = supported(run.model, run.state)[run.state.piece_assembly]
    for piece in range(3):
        assert held[piece] == pytest.approx([0, 9.81, 0], abs=0.15)
    assert held[3] == pytest.approx([0, 0, 0])
    bears = borne(run.model, run.state, supported(run.model, run.state))[run.state.piece_assembly]
    assert bears.tolist() == [True, True, True, False]


@pytest.mark.parametrize(
    ("support", "bears"),
    [
        ([0, 9.81 * (1 - 0.9 * BORNE), 0], True),
        ([0, 9.81 * (1 - 1.1 * BORNE), 0], False),
        ([9.81 * 0.9 * BORNE, 9.81, 0], True),
        ([9.81 * 1.1 * BORNE, 9.81, 0], False),
        ([0, -9.81, 0], False),
    ],
)
def test_what_is_held_up_but_for_a_tenth_of_its_weight_is_borne(support: list[float], bears: bool) -> None:
    run = started(shot(*crates(1), cloth("sheet", (3, 3, 0), (0.6, 0.6), (3, 3))))
    given = np.tile(np.array(support, float), (len(run.state.assemblies.mass), 1))
    assert borne(run.model, run.state, given)[0] == bears
    weightless = run.state.assemblies._replace(gravity_scale=np.zeros(len(given)))
    run.state.assemblies = weightless
    assert not borne(run.model, run.state, given).any(), "what weighs nothing can be shaken"


def test_a_stone_thrown_on_cloth_on_a_crate_gives_it_no_more_than_its_momentum() -> None:
    """What held the crate up before does not push the cloth up."""
    sheet = cloth("sheet", (0, 0.51, 0), (0.6, 0.6), (8, 8), matter={"thickness": 0.004})
    stone = box("stone", (0.05, 1.0, 0), (0.15, 0.15, 0.15), velocity=[0, -4.0, 0])
    run = started(shot(*crates(1), sheet, stone))
    run.opening()
    energy = [run.advance().stats["energy"] for _ in range(30)]
    assert max(np.diff(energy)) < 0.02 * (energy[0] - energy[-1])
    assert run.state.vertices.position[:, 1].min() > 0.49
