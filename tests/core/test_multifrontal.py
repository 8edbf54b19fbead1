"""Fronts against a dense solve, parts factored anew against all, and bonds' loads against the slow way."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from dynaclast.core.arrays import Array, Index, Mask
from dynaclast.core.solve.multifrontal import LEAF, Multifrontal, fronts_of
from dynaclast.core.solve.statics import Elements, Faces, Structure, bond_loads, elements_of, measure_bonds, sections_of


def heap(count: int, seed: int, flat: bool = False) -> tuple[Array, Faces]:
    """Pieces at random places, each joined to its nearest by faces of all sizes and directions."""
    rng = np.random.default_rng(seed)
    center = rng.random((count, 3)) * ([20, 20, 0.5] if flat else [4, 9, 4])
    far = np.linalg.norm(center[:, None] - center, axis=2)
    near = np.argsort(far, axis=1)[:, 1:6]
    pairs = np.sort(np.stack([np.repeat(np.arange(count), 5), near.ravel()], axis=1), axis=1)
    piece = np.unique(pairs, axis=0).astype(np.int32)
    n, way = len(piece), center[piece[:, 1]] - center[piece[:, 0]]
    normal = way / np.linalg.norm(way, axis=1, keepdims=True)
    long, short = rng.uniform(0.2, 1.0, n), rng.uniform(0.1, 0.2, n)
    first = np.cross(normal, rng.normal(size=(n, 3)))
    first /= np.linalg.norm(first, axis=1, keepdims=True)
    second, area = np.cross(normal, first), long * short
    moment = (area / 12)[:, None, None] * (
        (long**2)[:, None, None] * np.einsum("bi,bj->bij", first, first)
        + (short**2)[:, None, None] * np.einsum("bi,bj->bij", second, second)
    )
    return center, Faces(piece, center[piece].mean(axis=1) + rng.normal(size=(n, 3)) * 0.05, area, normal, moment)


def reaching(piece: Index, active: Mask, moves: Mask) -> Mask:
    """Pieces that bonds lead from to one that cannot move; only these may move."""
    a, b = piece[active].T
    label = connected_components(coo_matrix((np.ones(len(a)), (a, b)), shape=(len(moves),) * 2), directed=False)[1]
    return np.isin(label, label[~moves]) & moves


def dense(elements: Elements, piece: Index, active: Mask, moves: Mask, load: Array) -> Array:
    whole = np.zeros((6 * len(moves), 6 * len(moves)))
    for b in np.flatnonzero(active):
        freedoms = np.concatenate([6 * piece[b, 0] + np.arange(6), 6 * piece[b, 1] + np.arange(6)])
        whole[np.ix_(freedoms, freedoms)] += elements.block[b]
    own = np.repeat(moves, 6)
    out = np.zeros(whole.shape[0])
    out[own] = np.linalg.solve(whole[np.ix_(own, own)], load.ravel()[own])
    return out.reshape(-1, 6)


@pytest.mark.parametrize(("count", "flat"), [(1, False), (5, False), (LEAF + 1, True), (90, False), (160, True)])
def test_a_solution_is_that_of_all_equations_at_once(count: int, flat: bool) -> None:
    center, faces = heap(count, count, flat) if count > 6 else row(count)
    held = np.arange(count) % 31 == 0
    elements = elements_of(center, faces, held)
    active = np.ones(len(faces.piece), bool)
    moves = reaching(faces.piece, active, ~held)
    stiffness = Multifrontal(center, faces.piece)
    changed = stiffness.update(elements.block, active, moves)
    assert (changed == moves).all()
    load = np.random.default_rng(1).normal(size=(count, 6))
    got = stiffness.solve(load, np.ones(count, bool))
    assert got == pytest.approx(dense(elements, faces.piece, active, moves, load), rel=1e-8, abs=1e-9)
    assert not got[~moves].any()


def row(count: int) -> tuple[Array, Faces]:
    center = np.zeros((count, 3))
    center[:, 0] = np.arange(count)
    piece = np.stack([np.arange(count - 1), np.arange(1, count)], axis=1).astype(np.int32)
    n = len(piece)
    second = np.tile(np.diag([0.0, 1.0, 1.0]) / 12, (n, 1, 1))
    return center, Faces(piece, center[piece].mean(axis=1), np.ones(n), np.tile([1.0, 0.0, 0.0], (n, 1)), second)


def test_fronts_take_every_piece_once_and_reach_only_upwards() -> None:
    center, faces = heap(400, 3, flat=True)
    fronts = fronts_of(center, faces.piece)
    assert sorted(np.concatenate(fronts.own)) == list(range(400))
    assert all((fronts.of[edge] > front).all() for front, edge in enumerate(fronts.edge))
    for front, parent in enumerate(fronts.parent):
        assert (parent > front) == bool(len(fronts.edge[front]))
        if parent >= 0:  # what is left is all passed on to the one above
            assert np.isin(fronts.edge[front], [*fronts.own[parent], *fronts.edge[parent]]).all()
    lower = fronts.of[faces.piece].min(axis=1)
    for bond, front in enumerate(lower):
        assert np.isin(faces.piece[bond], [*fronts.own[front], *fronts.edge[front]]).all()
    assert len(fronts.own) > 400 / LEAF and max(map(len, fronts.edge)) < 80  # taken apart, by few


def test_a_piece_with_hundreds_of_neighbours_is_solved_like_any_other() -> None:
    """A core that 300 pieces round it are bonded to, on both sides of wherever it is taken apart."""
    count, rng = 301, np.random.default_rng(6)
    way = rng.normal(size=(count - 1, 3))
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    center = np.concatenate([[[0.0, 0.0, 0.0]], way])
    piece = np.stack([np.zeros(count - 1, int), np.arange(1, count)], axis=1).astype(np.int32)
    moment = 0.01 * (np.eye(3) - np.einsum("bi,bj->bij", way, way))
    faces = Faces(piece, 0.6 * way, np.full(count - 1, 0.1), way, moment)
    held = np.arange(count) == 7
    elements, active = elements_of(center, faces, held), np.ones(count - 1, bool)
    stiffness = Multifrontal(center, piece)
    stiffness.update(elements.block, active, ~held)
    load = rng.normal(size=(count, 6))
    got = stiffness.solve(load, np.ones(count, bool))
    assert got == pytest.approx(dense(elements, piece, active, ~held, load), rel=1e-6, abs=1e-6)


def test_fronts_of_what_nothing_joins_stand_alone() -> None:
    fronts = fronts_of(np.random.default_rng(2).random((50, 3)), np.zeros((0, 2), np.int32))
    assert (fronts.parent == -1).all() and not any(map(len, fronts.edge))


@pytest.mark.parametrize("seed", range(4))
def test_parts_factored_anew_are_to_the_bit_what_all_would_be(seed: int) -> None:
    """Bonds break here and there, pieces are let go and held, and come to hang on nothing."""
    rng = np.random.default_rng(seed)
    center, faces = heap(180, seed, flat=bool(seed % 2))
    piece = faces.piece
    held = rng.random(180) < 0.05
    elements = elements_of(center, faces, held)
    active = np.ones(len(piece), bool)
    going = Multifrontal(center, piece)
    load = rng.normal(size=(180, 6))
    before, moved = None, np.zeros(180, bool)
    for _ in range(6):
        moves = reaching(piece, active, ~held)
        changed = going.update(elements.block, active, moves)
        afresh = Multifrontal(center, piece)
        afresh.update(elements.block, active, moves)
        got = going.solve(load, np.ones(180, bool))
        assert np.array_equal(got, afresh.solve(load, np.ones(180, bool)))
        if before is not None:  # of what hangs together and was not told to have changed nothing differs
            sound = ~parts_with(piece, active, changed | (moved & ~moves))
            assert np.array_equal(got[sound & moves], before[sound & moves])
        before, moved = got, moves
        at = center[rng.integers(180)]
        active = active & (np.linalg.norm(faces.center - at, axis=1) > 1.2)
        if rng.random() < 0.5:
            held = held ^ (np.arange(180) == rng.integers(180))
            elements = elements_of(center, faces, held)


def parts_with(piece: Index, active: Mask, some: Mask) -> Mask:
    """Pieces that hang together with any of these."""
    return some | reaching(piece, active, ~some)


def test_only_what_is_asked_for_is_solved() -> None:
    center, faces = heap(120, 5)
    moves = reaching(faces.piece, np.ones(len(faces.piece), bool), np.arange(120) > 1)
    elements = elements_of(center, faces, ~moves)
    stiffness = Multifrontal(center, faces.piece)
    stiffness.update(elements.block, np.zeros(len(faces.piece), bool), np.zeros(120, bool))
    assert not stiffness.solve(np.ones((120, 6)), np.ones(120, bool)).any()  # nothing moves


def test_a_front_that_rounding_took_below_zero_is_propped_up() -> None:
    """A face with no width resists no turning about itself: two pieces on it may turn freely."""
    center, faces = row(3)
    thin = faces._replace(second_moment=np.zeros((2, 3, 3)))
    elements = elements_of(center, thin, np.arange(3) == 0)
    stiffness = Multifrontal(center, thin.piece)
    stiffness.update(elements.block, np.ones(2, bool), np.arange(3) > 0)
    load = np.zeros((3, 6))
    load[2, 0] = 5.0
    moved = stiffness.solve(load, np.ones(3, bool))
    assert np.isfinite(moved).all() and moved[2, 0] == pytest.approx(5.0 * 1.5)  # lengths of 1/2 and 1


def test_loads_of_some_bonds_are_those_of_all() -> None:
    center, faces = heap(70, 7)
    held = np.arange(70) < 2
    moves = reaching(faces.piece, np.ones(len(faces.piece), bool), ~held)
    elements = elements_of(center, faces, ~moves)
    structure = Structure(faces.piece, elements, ~moves)
    rng = np.random.default_rng(3)
    force, torque = rng.normal(size=(2, 70, 3))
    wanted = bond_loads(faces, sections_of(faces), *structure.solve(force, torque))
    stiffness = Multifrontal(center, faces.piece)
    stiffness.update(elements.block, np.ones(len(faces.piece), bool), moves)
    moved = stiffness.solve(np.concatenate([force, torque], axis=1), np.ones(70, bool))
    rows: Any = np.arange(0, len(faces.piece), 3)
    got = np.full(len(faces.piece), -1.0)
    measure_bonds(rows, moved, elements, faces, sections_of(faces), got)
    assert got[rows] == pytest.approx(wanted[rows], rel=1e-6, abs=1e-9)
    assert (np.delete(got, rows) == -1.0).all()
