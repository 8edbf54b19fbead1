"""Turning of soft bodies as a whole: against the dense matrices it is short for."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from deforming import pin, soft, started
from dynaclast.core.kernels import kernel
from dynaclast.core.solve.deformable.parts import Deformables
from dynaclast.core.solve.deformable.rotations import let_turn, move_as_rigid, prepare_rotations, take_torque, turn_on
from dynaclast.core.solve.deformable.tables import Hinge
from shots import shot


@kernel
def _prepare(turns, factor, rows, stays, island, leading, body, span, pinned, x, work):  # type: ignore[no-untyped-def]
    prepare_rotations(turns, factor, rows, stays, island, leading, body, span, pinned, x, work)


@kernel
def _turns(turns, island, leading, x, out, r, z):  # type: ignore[no-untyped-def]
    let_turn(turns, island, leading, x, out)
    turn_on(turns, island, leading, r, z)


@kernel
def _torque(turns, stays, island, leading, pinned, force):  # type: ignore[no-untyped-def]
    take_torque(turns, stays, island, leading, pinned, force)


@kernel
def _rigid(turns, factor, stays, island, leading, pinned, d, out):  # type: ignore[no-untyped-def]
    move_as_rigid(turns, factor, stays, island, leading, pinned, d, out)


HALVES = {"pattern": {"kind": "planes", "planes": [{"point": [0, 2, 0], "normal": [1, 0, 0]}]}}
BODIES: dict[str, tuple[dict[str, Any], int]] = {
    "free": ({}, 3),
    "at a point": ({"pins": [pin(-0.3, 2.2, -0.1)]}, 3),
    "on a line": ({"pins": [pin(-0.3, 2.2, 0, reach=0.11)]}, 1),
    "at a face": ({"pins": [pin(-0.3, 2, 0, reach=0.3)]}, 0),
    "drawn back": ({"recall": [{"reach": {"layers": [{"shape": {"kind": "everywhere"}}]}, "rate": 3}]}, 3),
}


class Case:
    """A soft body somewhat deformed, with its matrices in full."""

    def __init__(self, more: dict[str, Any]) -> None:
        body = soft("it", (0, 2, 0), (0.6, 0.4, 0.2), matter={"detail": 3, "young": 500}, **more)
        run = started(shot(body, gravity=[0, 0, 0]))
        run.advance()
        assert run.deformable is not None
        d: Deformables = run.deformable.parts
        self.d, m, n = d, d.matrix, len(d.elements.vertices.mass)
        rng = np.random.default_rng(3)
        self.x = run.state.vertices.position + 0.01 * rng.normal(size=(n, 3))
        self.stays, self.n, self.leading = m.levels.mass[:n].copy(), n, d.elements.bodies.leading
        self.pinned = d.pinned[:n]
        work = np.zeros((n, 4))
        _prepare(m.turns, m.factor, m.rows, self.stays, m.island, self.leading, 0, (0, n), self.pinned, self.x, work)
        dense = np.zeros((n, n))
        for i in range(n):
            for k in range(m.rows.start[i], m.rows.start[i + 1]):
                dense[i, m.rows.column[k]] += m.rows.value[k]
        self.free = np.repeat(self.pinned == 0, 3)
        self.a = np.kron(dense, np.eye(3))[np.ix_(self.free, self.free)]
        self.mass = np.repeat(self.stays, 3)[self.free]

    def axes(self) -> np.ndarray:
        """Axes (k, 3) about which it can turn."""
        a, b = self.d.matrix.factor.hinge[0]
        if a == Hinge.HELD:
            return np.zeros((0, 3))
        if a == b:
            return np.eye(3)
        along = self.x[b] - self.x[a]
        return np.asarray(along / np.linalg.norm(along))[None]

    def small_turns(self) -> np.ndarray:
        """Displacements (3 n', k) of what is free by a small turn about each axis."""
        a = self.d.matrix.factor.hinge[0, 0]
        middle = self.x[a] if a >= 0 else self.stays @ self.x / self.stays.sum()
        turns = [np.cross(axis, self.x - middle).ravel()[self.free] for axis in self.axes()]
        return np.array(turns).reshape(-1, int(self.free.sum())).T

    def whole(self, part: np.ndarray) -> np.ndarray:
        out = np.zeros(3 * self.n)
        out[self.free] = part
        return out.reshape(-1, 3)


@pytest.mark.parametrize("name", BODIES)
def test_the_matrix_leaves_turning_to_mass_alone_and_is_inverted_exactly(name: str) -> None:
    more, axes = BODIES[name]
    case = Case(more)
    turn = case.small_turns()
    assert turn.shape[1] == axes == len(case.axes())
    stiff = case.a - np.diag(case.mass)
    push = stiff @ turn
    b = case.a - push @ np.linalg.inv(turn.T @ push) @ push.T if axes else case.a
    np.testing.assert_allclose(b @ turn, case.mass[:, None] * turn, atol=1e-6 * np.abs(push).max(initial=1))
    assert np.linalg.eigvalsh(b).min() > 0.0
    rng = np.random.default_rng(8)
    x, r = rng.normal(size=(2, int(case.free.sum())))
    out, z = np.zeros((2, case.n, 4))
    out[:, :3], z[:, :3] = case.whole(case.a @ x), case.whole(np.linalg.solve(case.a, r))
    m = case.d.matrix
    if m.turns.able[0]:
        _turns(m.turns, m.island, case.leading, case.whole(x), out, case.whole(r), z)
    np.testing.assert_allclose(out[:, :3].ravel()[case.free], b @ x, rtol=1e-7, atol=1e-7 * np.abs(b @ x).max())
    want = np.linalg.solve(b, r)
    np.testing.assert_allclose(z[:, :3].ravel()[case.free], want, rtol=1e-6, atol=1e-8 * np.abs(want).max())


@pytest.mark.parametrize("name", [n for n in BODIES if BODIES[n][1]])
def test_what_would_turn_is_taken_from_inner_forces_and_nothing_else(name: str) -> None:
    case = Case(BODIES[name][0])
    turn, m = case.small_turns(), case.d.matrix
    force = np.random.default_rng(2).normal(size=(case.n, 3))
    want = force.ravel()[case.free]
    heavy = case.mass[:, None] * turn
    want = want - heavy @ np.linalg.solve(turn.T @ heavy, turn.T @ want)
    total = force.sum(axis=0)
    _torque(m.turns, case.stays, m.island, case.leading, case.pinned, force)
    np.testing.assert_allclose(force.ravel()[case.free], want, atol=1e-9)
    assert np.abs(turn.T @ force.ravel()[case.free]).max() < 1e-9
    if name == "free":
        np.testing.assert_allclose(force.sum(axis=0), total, atol=1e-9)


@pytest.mark.parametrize("name", BODIES)
def test_motion_as_one_is_found_whole_and_what_is_left_has_no_momentum(name: str) -> None:
    case = Case(BODIES[name][0])
    turn, m, rng = case.small_turns(), case.d.matrix, np.random.default_rng(6)

    def rigid(d: np.ndarray) -> np.ndarray:
        out = np.zeros((case.n, 3))
        _rigid(m.turns, m.factor, case.stays, m.island, case.leading, case.pinned, d, out)
        return out

    one = case.whole(turn @ rng.normal(size=turn.shape[1]))
    if m.factor.hinge[0, 0] == Hinge.FREE:
        one += [0.3, -0.1, 0.2]
    np.testing.assert_allclose(rigid(one), one, atol=1e-12)
    d = case.whole(rng.normal(size=int(case.free.sum())))
    left = (d - rigid(d)).ravel()[case.free]
    np.testing.assert_allclose(turn.T @ (case.mass * left), 0.0, atol=1e-7 * case.mass.sum())
    if m.factor.hinge[0, 0] == Hinge.FREE:
        np.testing.assert_allclose((case.mass * left).reshape(-1, 3).sum(axis=0), 0.0, atol=1e-9 * case.mass.sum())


def test_pieces_that_have_parted_turn_each_about_itself() -> None:
    body = soft(
        "it", (0, 2, 0), (0.8, 0.4, 0.4), matter={"detail": 4}, pattern={"kind": "cells", "count": 2, "seed": 1}
    )
    run = started(shot(body, gravity=[0, 0, 0], ground={"on": False}))
    run.advance()
    assert run.deformable is not None
    d = run.deformable.parts
    v, m = d.elements.vertices, d.matrix
    assert len(np.unique(v.island[d.elements.bodies.leading])) == 2
    way = np.zeros_like(run.state.vertices.position)
    x, spins = run.state.vertices.position, ([1.0, 0, 2], [0, -3.0, 0])
    leading, n = d.elements.bodies.leading, len(x)
    work = np.zeros((n, 4))
    pinned = d.pinned[:n]
    _prepare(m.turns, m.factor, m.rows, m.levels.mass, m.island, leading, 0, (0, n), pinned, x, work)
    for island, spin in zip(np.unique(v.island[leading]), spins, strict=True):
        own = leading[v.island[leading] == island]
        middle = v.mass[own] @ x[own] / v.mass[own].sum()
        way[own] = np.cross(spin, x[own] - middle)
    out = np.zeros_like(way)
    _rigid(m.turns, m.factor, m.levels.mass, m.island, leading, pinned, way, out)
    np.testing.assert_allclose(out[leading], way[leading], atol=1e-12)
