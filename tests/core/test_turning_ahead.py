"""Cloth that turns as a whole, what rides on assemblies, and lattices with rows on them: kernels against rotations and
dense algebra.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from deforming import cloth, pin, rope, soft, spin_of, started
from dynaclast.core.kernels.linalg import factor_cholesky
from dynaclast.core.solve.deformable.parts import ROWS
from dynaclast.core.solve.deformable.preconditioner import invert_bodies, prepare_preconditioner
from dynaclast.core.solve.deformable.riding import MOST_CARRIERS, find_carriers, make_riding, ride_along
from dynaclast.core.solve.deformable.system import Group, multiply
from dynaclast.core.solve.deformable.tables import make_rows
from dynaclast.core.solve.deformable.turning_ahead import turn_ahead
from playing import played
from shots import shot


def _ahead(d, h):  # type: ignore[no-untyped-def]
    played(lambda: turn_ahead(d, h))


def _ride(riding, bodies, body, r, z, slot_r, slot_z):  # type: ignore[no-untyped-def]
    played(lambda: factor_cholesky(riding.matrix, 6 * riding.used[0]))
    return played(lambda: ride_along(riding, bodies, body, r, z, slot_r, slot_z))


def _carriers(riding, rows, row, slot, place, mass):  # type: ignore[no-untyped-def]
    return played(lambda: find_carriers(riding, rows, row, slot, place, mass))


SHEET = cloth("it", (0.3, 1, -0.2), (0.6, 0.4), (5, 4))
CORD = rope("it", (0, 1, 0), (1, 1, 0.5), segments=6)


def parts_of(*bodies: dict[str, Any]):  # type: ignore[no-untyped-def]
    run = started(shot(*bodies, gravity=[0, 0, 0], ground={"on": False}))
    return run, run.rigid._beside.parts  # type: ignore[union-attr]


@pytest.mark.parametrize("spin", [(0, 4, 0), (1, -2, 0.5), (0, 0, 200.0), (1e-3, 0.002, 0)])
@pytest.mark.parametrize("flaps", [0.0, 0.1, 0.8])
def test_what_turns_as_a_whole_is_taken_round_its_centre(spin: tuple[float, float, float], flaps: float) -> None:
    """flaps: speed of every other vertex against the rest, as a share of the turn's."""
    run, parts = parts_of(SHEET)
    x, m, h = run.state.vertices.position, run.model.deformables.own_mass, 0.01
    center, v, turn = m @ x / m.sum(), parts.vectors, np.array(spin)
    turns = np.cross(turn, x - center)
    own = np.random.default_rng(1).normal(size=x.shape)
    own -= m @ own / m.sum()
    own *= flaps * np.sqrt((m @ (turns**2).sum(axis=1)) / (m @ (own**2).sum(axis=1)))
    run.state.vertices.velocity[:] = [1, 2, 3] + turns + own
    turn = spin_of(run)
    goes = Rotation.from_rotvec(h * turn).apply(x - center) + center
    _ahead(parts, h)
    if h * np.linalg.norm(turn) < 1e-4 or flaps > 0.5:
        assert not parts.scratch.turned.any() and v.p[: len(x), :3].tolist() == x.tolist()
        return
    assert parts.scratch.turned.all()
    assert v.p[: len(x), :3] == pytest.approx(goes, abs=1e-7) and v.b[: len(x), :3] == pytest.approx(goes - x, abs=1e-7)
    assert v.r[: len(x), :3] == pytest.approx(goes - x - h * np.cross(turn, x - center), abs=1e-7)


def test_each_that_hangs_together_turns_by_itself_and_what_is_held_does_not() -> None:
    pattern = {"pattern": {"kind": "slabs", "count": 2, "axis": [1, 0, 0], "spread": 0.0, "random": 0.0}}
    run, parts = parts_of(
        SHEET | pattern,
        SHEET | {"name": "held", "pins": [pin(0, 1, 0, reach=0.15)]},
        soft("s", (3, 1, 0), (0.4, 0.4, 0.4)),
    )
    x, island = run.state.vertices.position, parts.elements.vertices.island
    run.state.vertices.velocity[:] = 0.0
    body = parts.elements.vertices.body
    own = np.unique(island[body == 0])
    assert len(own) == 2
    one = island == own[0]
    center = x[one].mean(axis=0)
    run.state.vertices.velocity[one] = np.cross([0, 3, 0], x[one] - center)
    run.state.vertices.velocity[body == 1] = np.cross([0, 3, 0], x[body == 1])
    _ahead(parts, 0.01)
    moved = np.abs(parts.vectors.p[: len(x), :3] - x).max(axis=1)
    assert moved[one].max() > 1e-3 and moved[island == own[1]].max() < 1e-12 and moved[body == 1].max() < 1e-12
    assert parts.scratch.turned.tolist() == [1, 0, 0]


@pytest.mark.parametrize("carriers", [1, 2])
def test_riding_adds_the_exact_solution_on_its_motions(carriers: int) -> None:
    run, parts = parts_of(SHEET, CORD | {"name": "cord"})
    rng, n, k, most = np.random.default_rng(carriers), len(run.state.vertices.position), 4, 6 * carriers
    riding = make_riding(n, k)
    riding.used[0], riding.carrier[:carriers] = carriers, [2, 0][:carriers]
    riding.way[:, :, :3] = rng.normal(size=(*riding.way.shape[:2], 3))
    half = rng.normal(size=(most, most))
    whole = half @ half.T + np.eye(most)
    riding.matrix[:most, :most] = whole
    motions = np.zeros((most, 3 * n + 6 * k))
    for j in range(most):
        motions[j, : 3 * n] = riding.way[j, :, :3].ravel()
        motions[j, 3 * n + 6 * riding.carrier[j // 6] + j % 6] = 1.0
    r, slot_r = np.zeros((n, 4)), rng.normal(size=(k, 6))
    r[:, :3] = rng.normal(size=(n, 3))
    z, slot_z = np.zeros((n, 4)), np.zeros((k, 6))
    force = np.concatenate([r[:, :3].ravel(), slot_r.ravel()])
    said = _ride(riding, parts.elements.bodies, np.array([0, 1]), r, z, slot_r, slot_z)
    slow = motions.T @ np.linalg.solve(whole, motions @ force)
    assert np.concatenate([z[:, :3].ravel(), slot_z.ravel()]) == pytest.approx(slow)
    assert said == pytest.approx(force @ slow)


def test_carriers_are_those_that_rows_hold_most_stiffly_against_their_mass() -> None:
    rows, riding = make_rows(6), make_riding(10, 4)
    rows.slot[:] = [7, 7, 5, 9, -1, 5]
    rows.active[:] = [1, 1, 1, 1, 1, 0]
    rows.stiffness[:] = [10, 20, 50, 2, 9, 1e9]
    place = np.full(10, -1, np.int32)
    place[[7, 5, 9]] = [0, 1, 2]
    count = _carriers(
        riding, rows, np.arange(6, dtype=np.int32), np.arange(3, dtype=np.int32), place, np.array([1.0, 10.0, 1.0, 1.0])
    )
    assert count == MOST_CARRIERS == 2 and riding.carrier.tolist() == [0, 1]  # 30 and 5 times; 2 is not stiff
    assert riding.way.shape == (12, 10, 4) and make_riding(10, 1).way.shape == (12, 0, 4)


@pytest.fixture(scope="module")
def stacked() -> tuple[Any, Group]:
    """All that a step works with, of a soft cube on another on the ground, pinned at one vertex, and the system of
    both, made ready by its rows.
    """
    lower = soft("lower", (0, 0.198, 0), (0.4, 0.4, 0.4), matter={"detail": 2}, pins=[pin(-0.2, -0.002, -0.2)])
    upper = soft("upper", (0.1, 0.59, 0.05), (0.4, 0.4, 0.4), matter={"detail": 2})
    run = started(shot(lower, upper, frames=1))
    run.opening()
    run.advance()
    d = run.rigid._beside.parts  # type: ignore[union-attr]
    count = int(d.scratch.numbers[ROWS])
    group = Group(np.arange(2), np.arange(count), np.zeros(0, np.int64), np.zeros(0, np.int32))
    d.rows.active[:count] = 1
    own = d.elements.vertices.body[d.rows.vertex[:count]]
    assert len({tuple(np.unique(b[v >= 0])) for b, v in zip(own, d.rows.vertex[:count], strict=True)}) == 2, "and both"
    played(lambda: prepare_preconditioner(d.matrix, d.elements.bodies, group, d.rows, d.slots, d.pinned, 0))
    return d, group


def test_lattices_are_inverted_with_the_rows_that_hold_them(stacked: tuple[Any, Group]) -> None:
    d, group = stacked
    m, t, v, none = d.matrix, d.elements.bodies, d.vectors, np.zeros((0, 6))
    n = len(d.pinned)
    free = np.flatnonzero(np.repeat(d.pinned == 0, 3))
    assert len(free) == 3 * (n - 1)
    alone = group._replace(row=np.zeros(0, np.int64))
    matrix, inverse, without = np.zeros((3, 3 * n, 3 * n))
    for k in free:
        one = np.zeros((n, 4))
        one[divmod(k, 3)] = 1.0
        played(lambda x=one: multiply(m, t, group, d.rows, d.slots, d.pinned, x, none, v.q, none))
        matrix[:, k] = v.q[:, :3].ravel()
        played(lambda x=one: invert_bodies(m, t, group, d.rows, d.pinned, x, v.z))
        inverse[:, k] = v.z[:, :3].ravel()
        played(lambda x=one: invert_bodies(m, t, alone, d.rows, d.pinned, x, v.z))
        without[:, k] = v.z[:, :3].ravel()
    matrix, inverse, without = (x[np.ix_(free, free)] for x in (matrix, inverse, without))
    assert inverse == pytest.approx(inverse.T, abs=1e-9 * np.abs(inverse).max())
    taken = np.sort(np.linalg.eigvals(inverse @ matrix).real)
    assert 1.0 - 1e-6 < taken[0] and taken[-1] < 6.0
    assert np.linalg.eigvals(without @ matrix).real.max() > 20.0, "without rows: what iterations would have to do"
