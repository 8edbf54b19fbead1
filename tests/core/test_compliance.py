"""Rows solved with exactly, against dense algebra."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deforming import pin, rope, soft, started
from dynaclast.core.document import Shot
from dynaclast.core.solve.deformable.compliance import note_rows
from dynaclast.core.solve.deformable.conjugate_gradients import solve_system
from dynaclast.core.solve.deformable.parts import ITERATIONS, ROWS, STEPS
from dynaclast.core.solve.deformable.preconditioner import precondition, prepare_preconditioner, prepare_riding
from dynaclast.core.solve.deformable.skyline import factor_skyline, make_skyline, solve_skyline
from dynaclast.core.solve.deformable.system import MOST_COMPLIANT, POINTS, Group, multiply
from dynaclast.core.solve.loop import Run
from playing import played
from resuming import interrupted
from shots import ball, box, shot


@settings(max_examples=30)
@given(st.integers(1, 30), st.integers(0, 10**9))
def test_a_skyline_is_factored_and_solved_with_as_the_dense_matrix(n: int, seed: int) -> None:
    rng, matrix = np.random.default_rng(seed), make_skyline(n + int(seed % 3))
    first = np.minimum(4 * rng.integers(0, 8, n), np.arange(n) - np.arange(n) % 4)
    half = np.tril(rng.normal(size=(n, n)))
    half[np.arange(n)[None, :] < first[:, None]] = 0.0
    np.fill_diagonal(half, rng.uniform(1, 2, n))
    matrix.first[:n] = first
    matrix.whole[:n, :n] = np.tril(half @ half.T)
    right = rng.normal(size=n)
    matrix.side.ravel()[:n] = right
    played(lambda: (factor_skyline(matrix, n), solve_skyline(matrix, n)))
    assert np.tril(matrix.whole[:n, :n]) == pytest.approx(half, abs=1e-9)
    assert matrix.side.ravel()[:n] == pytest.approx(np.linalg.solve(half @ half.T, right), rel=1e-6, abs=1e-9)


# ------------------------------------------------------------------------- a step's system


def crate(name: str, x: float, y: float, **more: Any) -> dict[str, Any]:
    return box(name, (x, y, 0.02), (0.2, 0.2, 0.2), **more)


def _on_rubber() -> Shot:
    """Two crates on a soft block, one of them on the other, that rests on the ground."""
    block = soft("block", (0, 0.2, 0), (0.6, 0.4, 0.4), matter={"detail": 3, "young": 200})
    return shot(block, crate("low", 0.05, 0.5), crate("high", 0.1, 0.7), quality="draft", frames=4)


def _in_pieces() -> Shot:
    """A soft block in two pieces, pinned at an end, one pressed by a ball that falls onto both."""
    block = soft(
        "block",
        (0, 0.4, 0),
        (0.6, 0.3, 0.3),
        matter={"detail": 4, "young": 300},
        pattern={"kind": "cells", "count": 3, "seed": 2},
        bonds={"strength": 0},
        pins=[pin(-0.3, 0.4, 0, reach=0.12)],
    )
    return shot(block, ball("falls", (0.02, 0.7, 0), 0.15, velocity=[0, -3, 0]), quality="draft", frames=6)


def _on_ropes() -> Shot:
    """A crate that hangs from a rope and is tied to a soft block, with another rope across it."""
    hung = rope("hung", (0, 1.6, 0), (0, 1.1, 0), segments=6, pins=[pin(0, 1.6, 0)])
    across = rope("across", (-0.4, 1.13, 0.02), (0.4, 1.13, 0.02), segments=7, matter={"radius": 0.02})
    block = soft("block", (0.5, 1, 0), (0.3, 0.3, 0.3), matter={"detail": 2})
    ties = [
        {"name": "a", "how": {"kind": "pin"}, "body": "hung", "to": "low", "point": [0, 1.1, 0]},
        {"name": "b", "how": {"kind": "pin"}, "body": "block", "to": "low", "point": [0.35, 0.85, 0.15]},
    ]
    return shot(hung, across, block, crate("low", 0, 1.0), ties=ties, quality="draft", frames=6)


SCENES = {"on rubber": _on_rubber, "in pieces": _in_pieces, "on ropes": _on_ropes}


class Solved:
    """A step's system as it left it, of all that is awake as one group."""

    def __init__(self, scene: Shot) -> None:
        self.run: Run = started(scene)
        self.run.opening()
        for _ in range(scene.timing.frames):
            self.run.advance()
        self.d = d = self.run.deformable.parts  # type: ignore[union-attr]
        self.n, self.k = len(self.run.state.vertices.position), int(d.slots.used[0])
        rows = np.arange(d.scratch.numbers[ROWS], dtype=np.int32)
        touch = np.arange(d.slots.touch.count[POINTS], dtype=np.int32)
        self.group = Group(d.awake, rows, np.arange(self.k, dtype=np.int32), touch)
        self.given = d.matrix, d.elements.bodies, self.group, d.rows, d.slots, d.pinned
        self.active = int(d.rows.active[rows].sum())
        free = np.isin(np.arange(self.n), d.elements.bodies.leading) & (d.pinned[: self.n] == 0)
        self.free = np.concatenate([np.repeat(free, 3), np.ones(6 * self.k, bool)])

    def _put(self, vertices: np.ndarray, slots: np.ndarray, x: np.ndarray) -> None:
        vertices[: self.n, :3], slots[: self.k] = x[: 3 * self.n].reshape(-1, 3), x[3 * self.n :].reshape(-1, 6)

    def _got(self, vertices: np.ndarray, slots: np.ndarray) -> np.ndarray:
        return np.concatenate([vertices[: self.n, :3].ravel(), slots[: self.k].ravel()])

    def times(self, x: np.ndarray) -> np.ndarray:
        v = self.d.vectors
        self._put(v.p, v.slot_p, x)
        played(lambda: multiply(*self.given, v.p, v.slot_p, v.q, v.slot_q))
        return self._got(v.q, v.slot_q)

    def inverted(self, r: np.ndarray) -> np.ndarray:
        v = self.d.vectors
        self._put(v.r, v.slot_r, r)
        played(lambda: precondition(*self.given, v.r, v.z, v.slot_r, v.slot_z))
        return self._got(v.z, v.slot_z)

    def prepare(self) -> None:
        def ready() -> None:
            prepare_preconditioner(*self.given, MOST_COMPLIANT)
            prepare_riding(*self.given, self.d.vectors)

        played(ready)


@pytest.fixture(scope="module", params=SCENES)
def solved(request: pytest.FixtureRequest) -> Solved:
    return Solved(SCENES[request.param]())


def test_what_preconditions_is_the_inverse_of_the_matrix_with_all_its_rows(solved: Solved) -> None:
    assert solved.active >= 3
    solved.prepare()
    assert solved.d.matrix.compliance.used[0] == solved.active
    rng = np.random.default_rng(7)
    for _ in range(4):
        r = rng.normal(size=len(solved.free)) * solved.free
        got = solved.times(solved.inverted(r))
        assert got[solved.free] == pytest.approx(r[solved.free], abs=1e-6 * np.abs(r).max())
    one, other = (rng.normal(size=len(solved.free)) * solved.free for _ in range(2))
    both = one @ solved.inverted(other), other @ solved.inverted(one)
    assert both[0] == pytest.approx(both[1], rel=1e-6)
    assert one @ solved.inverted(one) > 0


def test_the_system_is_solved_in_one_iteration_and_one_that_finds_nothing_left(solved: Solved) -> None:
    d, v, rng = solved.d, solved.d.vectors, np.random.default_rng(3)
    want = rng.normal(size=len(solved.free)) * solved.free
    solved._put(v.b, v.slot_b, solved.times(want))
    v.d[:], v.slot_d[:] = 0.0, 0.0

    def solve() -> tuple[int, bool]:
        prepare_preconditioner(*solved.given, MOST_COMPLIANT)
        return solve_system(*solved.given, v, 0.0, 0.0, 60)

    iterations, exact = played(solve)
    assert exact and iterations <= 3
    got = solved._got(v.d, v.slot_d)
    assert got[solved.free] == pytest.approx(want[solved.free], abs=1e-6 * np.abs(want).max())
    assert d.matrix.riding.used[0] == 0


def test_with_too_many_rows_or_none_that_press_all_is_as_without() -> None:
    own = Solved(_on_rubber())
    bodies, rows = own.d.elements.bodies, own.d.rows
    more = np.zeros(MOST_COMPLIANT + 1, np.int32)
    pressing = int(np.flatnonzero(rows.active)[0])
    more[:] = pressing
    for count, most, used in (
        (MOST_COMPLIANT, MOST_COMPLIANT, MOST_COMPLIANT),
        (MOST_COMPLIANT + 1, MOST_COMPLIANT, 0),
        (7, 7, 7),
        (8, 7, 0),
    ):
        given = own.d.matrix, bodies, own.group._replace(row=more[:count]), rows, most
        assert played(lambda given=given: note_rows(*given)) == (used > 0)  # type: ignore[misc]
        assert own.d.matrix.compliance.used[0] == used
    rows.active[:] = 0
    assert not played(lambda: note_rows(own.d.matrix, bodies, own.group, rows, MOST_COMPLIANT))
    own.prepare()
    r = np.random.default_rng(1).normal(size=len(own.free)) * own.free
    assert own.times(own.inverted(r))[own.free] == pytest.approx(r[own.free], abs=1e-6)


@pytest.mark.parametrize("name", SCENES)
def test_a_step_takes_few_iterations_and_a_run_goes_on_to_the_bit(name: str) -> None:
    scene = SCENES[name]()
    run = started(scene)
    for _ in range(scene.timing.frames):
        run.advance()
    numbers = run.deformable.parts.scratch.numbers  # type: ignore[union-attr]
    assert numbers[ITERATIONS] < 16 * numbers[STEPS]
    assert interrupted(scene, every=2) == []
