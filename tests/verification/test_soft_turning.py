"""Soft bodies turn as their inertia has them, however stiff they are."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from deforming import momenta, pin, soft, spin_of, started
from shots import ball, box, shot

EMPTY: dict[str, Any] = {"gravity": [0, 0, 0], "ground": {"on": False}}


@pytest.mark.parametrize("quality", ["draft", "standard", "fine"])
@pytest.mark.parametrize("young", [1e3, 1e5, 1e7])
def test_a_bar_on_a_hinge_swings_as_a_physical_pendulum(quality: str, young: float) -> None:
    """T = 2 pi sqrt(I / (m g l)), with the inertia of the lattice about the hinge, for small swings."""
    lean = 0.08
    side, down = np.array([np.cos(lean), np.sin(lean), 0]), np.array([np.sin(lean), -np.cos(lean), 0])
    top = np.array([0, 3.0, 0])
    bar = soft(
        "bar",
        tuple(top + 0.4 * down),
        (0.1, 0.8, 0.1),
        matter={"young": young, "poisson": 0.3, "detail": 8},
        place={"position": list(top + 0.4 * down), "rotation": [0, 0, np.sin(lean / 2), np.cos(lean / 2)]},
        pins=[pin(*(top - 0.05 * side), reach=0.06)],
    )
    run = started(shot(bar, quality=quality, ground={"on": False}))
    deformables = run.model.deformables
    assert deformables is not None
    m, x = deformables.own_mass, deformables.start
    hinge = x[deformables.elements.vertices.pinned != 0].mean(axis=0)
    off = (x - hinge)[:, :2]
    middle = m @ off / m.sum()
    half = np.pi * np.sqrt(m @ (off**2).sum(axis=1) / (m.sum() * 9.81 * np.linalg.norm(middle)))
    way = []
    for _ in range(60):
        run.advance()
        way.append((m @ run.state.vertices.position / m.sum() - hinge)[0])
    at = np.array(way)
    change = np.flatnonzero(np.diff(np.sign(at)))
    crossing = (change + 1 + at[change] / (at[change] - at[change + 1])) / 24.0
    assert len(crossing) >= 3
    assert np.diff(crossing).mean() == pytest.approx(half, rel=0.015)
    assert np.abs(at).max() < 1.1 * abs(middle[0])


@pytest.mark.parametrize("quality", ["draft", "standard", "fine"])
def test_a_blow_beside_its_middle_turns_it_and_no_momentum_is_lost(quality: str) -> None:
    turned = []
    for young in (3e3, 3e4, 3e5):
        cube = soft("cube", (0, 2, 0), (0.4, 0.4, 0.4), matter={"young": young}, material={"friction": 0.0})
        stone = ball("stone", (-0.5, 2.12, 0), 0.1, velocity=[6, 0, 0], material={"mass": 15, "friction": 0.0})
        run = started(shot(cube, stone, quality=quality, **EMPTY))
        before = momenta(run)
        for _ in range(24):
            run.advance()
        after = momenta(run)
        np.testing.assert_allclose(after[0], before[0], atol=1e-9 * 90)
        np.testing.assert_allclose(after[1], before[1], atol=3e-4 * 90 * 2)
        given = (before[0] - 15 * run.state.assemblies.velocity[0])[0]  # to the cube, 12 cm above its middle
        inertia = run.model.deformables.own_mass.sum() * 0.16 / 6  # type: ignore[union-attr]
        turned.append(spin_of(run)[2] / (-0.12 * given / inertia))
    # the lattice's inertia is larger than the cube's, lumped at its vertices as it is; and the cube gives way
    assert 0.6 < min(turned) and max(turned) < 1.1


def test_what_swings_inside_takes_nothing_from_its_turning() -> None:
    """A rubber block that starts with a spin, and is struck so that it trembles, turns on for a second."""
    block = soft("block", (0, 2, 0), (0.2, 0.6, 0.4), matter={"young": 2e4, "detail": 6}, spin=[2, 0.5, -3])
    run = started(shot(block, **EMPTY))
    rng = np.random.default_rng(1)
    run.state.vertices.velocity[:] += rng.normal(size=run.state.vertices.velocity.shape)
    before = momenta(run)
    for _ in range(24):
        run.advance()
    after = momenta(run)
    np.testing.assert_allclose(after[0], before[0], atol=1e-8)
    np.testing.assert_allclose(after[1], before[1], rtol=1e-6, atol=1e-6)


@pytest.mark.parametrize("young", [1e3, 1e5])
def test_a_block_past_its_edge_falls_over_as_fast_as_a_rigid_one(young: float) -> None:
    """On a hinge at its lower edge, leaning by 0.2: theta'' = (m g l / I) sin(theta - theta0), integrated finely."""
    lean = 0.55
    turn = {"rotation": [0, 0, -np.sin(lean / 2), np.cos(lean / 2)]}
    right = np.array([np.cos(lean), -np.sin(lean), 0])
    up = np.array([np.sin(lean), np.cos(lean), 0])
    edge = np.array([0, 2.0, 0])
    middle = edge - 0.2 * right + 0.5 * up
    block = soft(
        "block",
        tuple(middle),
        (0.4, 1.0, 0.4),
        matter={"young": young, "detail": 5},
        place={"position": list(middle)} | turn,
        pins=[pin(0, 2, z, reach=0.02) for z in (-0.2, 0, 0.2)],
    )
    run = started(shot(block, ground={"on": False}))
    deformables = run.model.deformables
    assert deformables is not None
    m, x = deformables.own_mass, deformables.start
    pinned = deformables.elements.vertices.pinned != 0
    assert pinned.sum() == 3
    hinge = x[pinned].mean(axis=0)
    off = (x - hinge)[:, :2]
    rate = m.sum() * 9.81 * np.linalg.norm(m @ off / m.sum()) / (m @ (off**2).sum(axis=1))
    angle, speed, h = np.arctan2(*(m @ off / m.sum())), 0.0, 1e-4
    frames = 9
    for _ in range(int(frames / 24 / h)):
        speed += h * rate * np.sin(angle)
        angle += h * speed
    for _ in range(frames):
        run.advance()
    now = (m @ run.state.vertices.position / m.sum() - hinge)[:2]
    assert np.arctan2(*now) == pytest.approx(angle, rel=0.03)


@pytest.mark.parametrize("quality", ["draft", "standard"])
def test_a_block_that_leans_too_far_falls_over_on_the_ground_as_a_rigid_one(quality: str) -> None:
    """However stiff: what tips over starts with a small part of its weight, and iterations must not leave that over."""
    lean = 0.5
    turn = {"rotation": [0, 0, -np.sin(lean / 2), np.cos(lean / 2)]}
    right, up = np.array([np.cos(lean), -np.sin(lean), 0]), np.array([np.sin(lean), np.cos(lean), 0])
    middle = 0.5 * up - 0.2 * right + [0, 0.002, 0]
    more: dict[str, Any] = {"place": {"position": list(middle)} | turn}
    rough = {"density": 1000.0, "friction": 0.9}
    rigid = started(shot(box("b", tuple(middle), (0.4, 1, 0.4), material=rough, **more), ground={"friction": 0.9}))
    for _ in range(12):
        rigid.advance()
    q = rigid.state.assemblies.orientation[rigid.state.piece_assembly[0]]
    fallen = 2 * np.arctan2(abs(q[2]), q[3])
    for young in (1e4, 1e6):
        body = soft("b", tuple(middle), (0.4, 1, 0.4), matter={"young": young, "detail": 5}, material=rough, **more)
        run = started(shot(body, quality=quality, ground={"friction": 0.9}))
        deformables = run.model.deformables
        assert deformables is not None
        m, start = deformables.own_mass, deformables.start
        for _ in range(12):
            run.advance()
        x = run.state.vertices.position
        spread = (x - m @ x / m.sum()).T @ (m[:, None] * (start - m @ start / m.sum()))
        turned = np.arctan2(spread[0, 1] - spread[1, 0], spread[0, 0] + spread[1, 1])
        assert turned == pytest.approx(fallen, rel=0.12)
