"""What deforms gives to what it lands on the very momentum it loses, whatever of a step was left unsolved."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from deforming import cloth, rope, soft, started
from dynaclast.core.solve.deformable.run import DeformableRun
from dynaclast.core.solve.model import GROUND
from dynaclast.core.solve.state import NOTHING
from shots import ball, box, shot

FALLING = {
    "cloth": lambda: cloth("b", (0.1, 1.2, 0.05), (1.7, 1.3), (22, 18), velocity=[0.8, -1, 0]),
    "soft": lambda: soft("b", (0.1, 1.0, 0), (0.5, 0.4, 0.6), velocity=[0.8, 0, 0]),
    "rope": lambda: rope("b", (-0.9, 0.8, 0), (0.9, 0.9, 0.1), velocity=[0, -2, 0.5]),
}
CRATE = box("crate", (0, 0.25, 0), (1.0, 0.5, 1.0), role="passive", material={"friction": 0.4})


@pytest.mark.parametrize("quality", ["draft", "standard", "fine"])
@pytest.mark.parametrize("kind", FALLING)
def test_pushes_on_what_stands_still_sum_up_to_the_momentum_lost(
    kind: str, quality: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    run = started(shot(CRATE, FALLING[kind](), frames=20, quality=quality))
    deformables = run.model.deformables
    assert deformables is not None
    mass, interval = deformables.own_mass, run.model.settings.interval
    seen: list[tuple[np.ndarray, np.ndarray]] = []
    begin = DeformableRun.begin_interval

    def begins(self: DeformableRun, *given: Any) -> None:
        touches = self.parts.scratch.touches
        seen.append((mass @ run.state.vertices.velocity, touches.push[touches.on != NOTHING].sum(axis=0)))
        begin(self, *given)

    monkeypatch.setattr(DeformableRun, "begin_interval", begins)
    for _ in range(20):
        run.advance()
    weight, most = mass.sum() * np.asarray(run.model.settings.gravity), 0.0
    for (before, _), (after, push) in zip(seen, seen[1:], strict=False):
        gained = after - before - interval * weight
        most = max(most, float(np.linalg.norm(gained)))
        assert push == pytest.approx(gained, abs=0.02 * mass.sum()), "to 2 cm/s"
    assert most > 0.3 * mass.sum()  # it was stopped by it


@pytest.mark.parametrize("quality", ["draft", "fine"])
def test_a_canvas_that_falls_gives_no_more_than_it_has_and_breaks_no_stone(quality: str) -> None:
    """0.8 kg at 4 m/s broke bonds of 20 kN by what one solution left over at a contact of 5e5 N/m."""
    quay = box(
        "quay",
        (0, 0.3, 0),
        (4, 0.6, 2),
        pattern={"kind": "cells", "count": 40, "seed": 3},
        bonds={"strength": 400},
        load_path="fail",
    )
    crate = box("crate", (0.8, 0.82, 0.1), (0.6, 0.4, 0.5), velocity=[-4, 0, 0])
    stone = ball("stone", (-1.2, 0.75, 0), 0.15)
    sheet = cloth("sheet", (0.6, 1.3, 0), (1.6, 1.4), (24, 24))
    run = started(shot(quay, crate, stone, sheet, frames=24, quality=quality))
    assert run.model.deformables is not None
    mass = float(run.model.deformables.own_mass.sum())
    hits = [e for _ in range(24) for e in run.advance().events if e["kind"] == "impact" and "sheet" in e["bodies"]]
    assert hits
    # on the quay it falls by 0.7 m at most; the crate, at 4 m/s, is met by other parts of it again and again
    assert max(e["impulse"] for e in hits) < mass * (np.sqrt(2 * 9.81 * 0.7) + 4.0)
    assert not run.state.bond_broken.any()


@pytest.mark.parametrize(("x", "z"), [(0.0, 0.003), (0.0, 0.01), (0.018, 0.01), (-0.02, 0.02)])
def test_a_canvas_that_lands_across_corners_does_not_tear_pieces_apart(x: float, z: float) -> None:
    """An edge that comes down across a corner 3 mm from its upright edge is on top, however deep it would go. Driven
    out sideways it pulled a piece down and its neighbour up, by up to six times what the canvas gave them together.
    """
    wall = box("wall", (0, 0.4, 0), (1.2, 0.8, 0.3), pattern={"kind": "cells", "count": 12, "seed": 4})
    sheet = cloth("sheet", (x, 0.9, z), (1.5, 0.9), (20, 12), matter={"preset": "canvas"})
    run = started(shot(wall | {"bonds": {"strength": 1e5}}, sheet, frames=8))
    solve, found = run._solve_interval, []

    def noted() -> bool:
        solved = solve()
        found.append(run.deformable.pushes().force)  # type: ignore[union-attr]
        return solved

    run._solve_interval = noted  # type: ignore[method-assign]
    for _ in range(8):
        run.advance()
    landed = [force for force in found if len(force)][:2]
    assert len(landed) == 2
    for force in landed:
        assert np.linalg.norm(force, axis=1).sum() < 1.8 * np.linalg.norm(force.sum(axis=0))


@pytest.mark.parametrize(("quality", "aside"), [("draft", 0.02), ("standard", 0.1)])
def test_canvas_over_a_crate_lies_on_the_ground_and_does_not_fall_into_it_by_turns(quality: str, aside: float) -> None:
    """What came loose in a solution was let go after it, and fell in by g h^2 before it was held again; so did what
    only the last solution, which leaves nothing over, let fall.
    """
    crate = box("crate", (aside, 0.2, 0), (0.45, 0.4, 0.5))
    run = started(shot(crate, cloth("c", (0, 0.45, 0.03), (1.3, 1.2), (26, 24)), frames=60, quality=quality))
    lowest = 1.0
    for frame in range(60):
        run.advance()
        if frame >= 30:
            lowest = min(lowest, float(run.state.vertices.position[:, 1].min()))
    assert lowest > -1e-3
    assert np.linalg.norm(run.state.vertices.velocity, axis=1).mean() < 0.06  # it sways by 1 to 5 cm/s, as it falls


def anything(seed: int) -> list[dict[str, Any]]:
    """A slab, bonded or whole, and some things of any matter that fall on it."""
    rng = np.random.default_rng(seed)
    pattern = {"pattern": {"kind": "cells", "count": 12, "seed": seed}, "bonds": {"strength": 1e5}, "load_path": "on"}
    out = [box("base", (0, 0.3, 0), (2.4, 0.6, 1.6), **(pattern if rng.random() < 0.6 else {}))]
    for k in range(int(rng.integers(2, 6))):
        x, y, z = rng.uniform(-0.9, 0.9), 0.9 + 0.35 * k, rng.uniform(-0.5, 0.5)
        kinds = [
            lambda x=x, y=y, z=z, k=k: box(f"b{k}", (x, y, z), tuple(rng.uniform(0.15, 0.4, 3))),
            lambda x=x, y=y, z=z, k=k: ball(f"o{k}", (x, y, z), 0.1, material={"rolling": 0.02}),
            lambda x=x, y=y, z=z, k=k: cloth(f"c{k}", (x, y, z), (0.8, 0.7), (10, 9)),
            lambda x=x, y=y, z=z, k=k: soft(f"s{k}", (x, y, z), (0.3, 0.25, 0.35), matter={"young": 500, "detail": 3}),
            lambda x=x, y=y, z=z, k=k: rope(f"r{k}", (x - 0.4, y, z), (x + 0.4, y, z), segments=10),
        ]
        out.append(kinds[int(rng.integers(0, 5))]())
    return out


@pytest.mark.parametrize(("seed", "quality"), [(20, "draft"), (21, "standard"), (22, "fine")])
def test_when_all_has_come_to_rest_the_ground_bears_what_all_weighs(seed: int, quality: str) -> None:
    run = started(shot(*anything(seed), frames=120, quality=quality))
    deformables, g = run.model.deformables, 9.81
    weight = g * (run.model.pieces.mass.sum() + (deformables.own_mass.sum() if deformables is not None else 0.0))
    for frame in range(120):
        run.advance()
        if frame >= 100:
            cache, touching = run.state.contact_cache, run.state.touching
            borne = cache.mean_force[(cache.shape_b < 0) & (cache.point_count > 0), 1].sum()
            borne += touching.push[touching.on == GROUND, 1].sum()
            assert borne == pytest.approx(weight, rel=2e-3)
