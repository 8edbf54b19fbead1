"""Islands of moving bodies, their passes, and the forces that contacts and ties lay on pieces."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from dynaclast.core.solve.contact_forces import add_contact_forces, add_tie_forces
from dynaclast.core.solve.frame import piece_positions
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.prepare import prepare
from dynaclast.core.solve.rigid.islands import CALM_ITERATIONS, ITERATIONS_OF, UNEVEN_ITERATIONS
from shots import ball, box, shot

G = 9.81


def going(*bodies: dict[str, Any], frames: int = 1, **more: Any) -> Run:
    ready = prepare(shot(*bodies, frames=frames + 1, **more))
    run = Run(ready.shot, ready.model, ready.state)
    run.opening()
    for _ in range(frames):
        run.advance()
    return run


def towers(heights: list[int], mass: float = 500.0) -> list[dict[str, Any]]:
    return [
        box(f"t{k}-{row}", (3.0 * k, 0.25 + 0.5 * row, 0), (1, 0.5, 1), material={"mass": mass})
        for k, high in enumerate(heights)
        for row in range(high)
    ]


def test_islands_are_the_connected_parts_of_what_touches() -> None:
    """Against scipy's connected components; the ground joins nothing."""
    run = going(*towers([3, 1, 5, 2]))
    contacts, n = run.rigid.constraints.contacts, run.rigid.contact_count
    ground = run.model.piece_count
    pairs = np.stack([contacts.body_a[:n], contacts.body_b[:n]], axis=1)
    pairs = pairs[(pairs != ground).all(axis=1)]
    count, label = connected_components(
        coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(ground, ground)), directed=False
    )
    island = run.rigid._scratch.rigid.islands.island[:ground]
    assert count == 4
    for k in range(count):
        own = np.flatnonzero(label == k)
        assert (island[own] == own.min()).all()


def test_small_islands_take_more_passes_and_uneven_ones_most() -> None:
    def passes(run: Run) -> set[int]:
        return set(run.rigid.constraints.contacts.iterations[: run.rigid.contact_count].tolist())

    sliding = box("slides", (0.2, 1.7, 0), (0.4, 0.4, 0.4), velocity=[2, 0, 0], material={"mass": 300})
    small = going(*towers([3]), sliding)
    assert passes(small) == {ITERATIONS_OF[0][1]}
    uneven = going(*towers([3]), box("heavy", (0, 2.3, 0), velocity=[0, -3, 0], material={"mass": 9000}), frames=3)
    assert passes(uneven) == {UNEVEN_ITERATIONS}


def test_a_large_island_that_lies_still_is_solved_to_the_end() -> None:
    bricks = [
        box(f"b{row}-{k}", (0.4 * k + 0.1 * (row % 2), 0.1 + 0.2 * row, 0), (0.4, 0.2, 0.2))
        for row in range(9)
        for k in range(9)
    ]
    run = going(*bricks, frames=4)
    n = run.rigid.contact_count
    assert n > ITERATIONS_OF[-1][0]
    assert (run.rigid.constraints.contacts.iterations[:n] == CALM_ITERATIONS).all()


def forces(run: Run) -> tuple[np.ndarray, np.ndarray]:
    """Forces and torques of contacts and ties on all pieces."""
    model, state = run.model, run.state
    center = piece_positions(model, state)
    force, torque = np.zeros_like(center), np.zeros_like(center)
    add_contact_forces(
        state.contact_cache, model.hulls.piece, state.piece_assembly, state.assemblies, center, force, torque
    )
    add_tie_forces(model, state, center, force, torque)
    return force, torque


def test_steady_contacts_bear_what_rests_and_hand_it_on() -> None:
    """A tower of four: each is held up by its weight, and the lowest passes all of it to the ground."""
    run = going(*towers([4], mass=200.0), frames=24)
    force, torque = forces(run)
    assert force[:, 1] == pytest.approx(np.full(4, 200 * G), rel=1e-3)  # from below, less what stands above
    assert np.abs(force[:, [0, 2]]).max() < 1.0 and np.abs(torque).max() < 5.0


def test_a_contact_pushes_where_it_touches() -> None:
    """A beam on a support at a quarter of its length, held up at its end: moments by hand."""
    beam = box("beam", (0, 1.1, 0), (4, 0.2, 0.4), material={"mass": 100})
    post = [box(f"p{x}", (x, 0.5, 0), (0.1, 1, 0.4), role="passive") for x in (-1.0, 1.9)]
    run = going(beam, *post, frames=36)
    force, torque = forces(run)
    share = 100 * G * 1.9 / 2.9  # on the post at -1
    assert force[0, 1] == pytest.approx(100 * G, rel=5e-3) and abs(torque[0, 2]) < 0.02 * 100 * G
    assert -force[1, 1] == pytest.approx(share, rel=0.05)
    assert -force[1:, 1].sum() == pytest.approx(100 * G, rel=5e-3)


def test_an_impact_is_no_steady_contact() -> None:
    """In the interval in which a ball lands its contact lays nothing on pieces; hits have a rule of their own."""
    ready = prepare(shot(ball("b", (0, 0.62, 0), velocity=[0, -6, 0]), frames=3))
    run = Run(ready.shot, ready.model, ready.state)
    run.opening()
    run.advance()
    hit = run.state.contact_cache.impact_impulse
    assert hit.max() > 0 and forces(run)[0][:, 1].max() < 0.3 * run.model.pieces.mass[0] * G * 24


@pytest.mark.parametrize("kind", ["string", "pin", "weld"])
def test_ties_pull_with_the_weight_that_hangs_on_them(kind: str) -> None:
    tie: dict[str, Any] = {"name": "tie", "how": {"kind": kind}, "body": "bob", "to": "beam", "point": [0.3, 4.5, 0]}
    if kind == "string":
        tie |= {"point": [0.3, 3.2, 0], "to_point": [0.3, 4.5, 0]}
    beam = box("beam", (0, 4.6, 0), (2, 0.2, 0.2), role="passive")
    bob = box("bob", (0.3, 3.0, 0), (0.4, 0.4, 0.4), material={"mass": 80})
    run = going(beam, bob, ties=[tie], frames=72, ground={"on": False})
    force, torque = forces(run)
    assert force[1, 1] == pytest.approx(80 * G, rel=0.03) and force[0, 1] == pytest.approx(-80 * G, rel=0.03)
    # about the beam's centre the weight hangs 0.3 m to the side
    assert torque[0, 2] == pytest.approx(-0.3 * 80 * G, rel=0.08)
