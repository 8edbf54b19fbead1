"""Device functions against libraries and closed forms: quaternions, matrices, sets, energies, islands."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial.transform import Rotation

from dynaclast.core.geometry.rotations import (
    quaternion_product,
    rotation_matrix,
    rotation_vector_between,
    vector_to_quaternion,
)
from dynaclast.core.kernels import kernel
from dynaclast.core.kernels.linalg import (
    factor_cholesky,
    invert_3x3,
    invert_symmetric_3x3,
    multiply_quaternions,
    multiply_rotated,
    quaternion_to_matrix,
    rotate_quaternion,
    solve_cholesky,
    squared_length,
)
from dynaclast.core.kernels.union_find import find_root, unite
from playing import played

SEEDS = st.integers(0, 10**6)


@kernel
def _solved(a, n, r, z):  # type: ignore[no-untyped-def]
    factor_cholesky(a, n)
    solve_cholesky(a, n, r, z)


@pytest.mark.parametrize("n", [1, 6, 12])
def test_a_positive_system_is_solved_by_its_factor(n: int) -> None:
    """Of the first rows and columns of what may be larger; in place where asked."""
    rng = np.random.default_rng(n)
    half, r = rng.normal(size=(n, n)), rng.normal(size=14)
    whole = np.full((14, 14), 7.0)
    whole[:n, :n] = half @ half.T + np.eye(n)
    slow, factor = np.linalg.solve(whole[:n, :n], r[:n]), whole.copy()
    z = np.zeros(14)
    _solved(factor, n, r, z)
    assert z[:n] == pytest.approx(slow) and not z[n:].any()
    assert np.tril(factor[:n, :n]) == pytest.approx(np.linalg.cholesky(whole[:n, :n]))
    assert (factor[n:] == 7.0).all() and (factor[:, n:] == 7.0).all()
    _solved(whole.copy(), n, r, r)
    assert r[:n] == pytest.approx(slow)


@given(SEEDS)
@settings(max_examples=40)
def test_a_quaternion_as_a_matrix(seed: int) -> None:
    r, out = Rotation.random(random_state=seed), np.empty((3, 3))
    quaternion_to_matrix(r.as_quat(), out)
    assert out == pytest.approx(r.as_matrix(), abs=1e-14)
    assert rotation_matrix(3.0 * r.as_quat()) == pytest.approx(r.as_matrix(), abs=1e-14)


@given(SEEDS, st.floats(0, 12))
@settings(max_examples=40)
def test_turning_a_quaternion_by_a_rotation_vector(seed: int, angle: float) -> None:
    r = Rotation.random(random_state=seed)
    axis = Rotation.random(random_state=seed + 1).as_matrix()[0]
    q = r.as_quat()
    rotate_quaternion(q, *(angle * axis))
    want = Rotation.from_rotvec(angle * axis) * r
    assert np.linalg.norm(q) == pytest.approx(1, abs=1e-14)
    assert Rotation.from_quat(q).as_matrix() == pytest.approx(want.as_matrix(), abs=1e-12)


@pytest.mark.parametrize("angle", [0.0, 1e-13, 1e-9])
def test_the_smallest_turns_lose_nothing(angle: float) -> None:
    q = np.array([0.0, 0.0, 0.0, 1.0])
    rotate_quaternion(q, angle, 0.0, 0.0)
    assert q[0] == pytest.approx(0.5 * angle, rel=1e-9, abs=1e-30)


@given(SEEDS)
@settings(max_examples=40)
def test_products_of_quaternions(seed: int) -> None:
    a, b = (Rotation.random(random_state=seed + k) for k in range(2))
    want = (b * a).as_matrix()
    kernel = multiply_quaternions.py_func(*b.as_quat(), *a.as_quat())
    for q in (kernel, quaternion_product(b.as_quat(), a.as_quat())):
        assert Rotation.from_quat(q).as_matrix() == pytest.approx(want, abs=1e-13)


@given(SEEDS, st.floats(0.0, 3.1))
@settings(max_examples=40)
def test_rotation_vectors_there_and_back(seed: int, angle: float) -> None:
    axis = Rotation.random(random_state=seed).as_matrix()[1]
    first = Rotation.random(random_state=seed + 1).as_quat()
    q = vector_to_quaternion(angle * axis)
    assert Rotation.from_quat(q).as_rotvec() == pytest.approx(angle * axis, abs=1e-9)
    for sign in (1, -1):  # q and -q are one rotation
        between = rotation_vector_between(first, sign * quaternion_product(q, first))
        assert between == pytest.approx(angle * axis, abs=1e-9)


@given(SEEDS)
@settings(max_examples=40)
def test_inverses_of_small_matrices(seed: int) -> None:
    rng = np.random.default_rng(seed)
    m, out = rng.normal(size=(3, 3)), np.empty((3, 3))
    if abs(np.linalg.det(m)) > 1e-3:
        invert_3x3.py_func(m, out)
        assert out @ m == pytest.approx(np.eye(3), abs=1e-9)
    s = m @ m.T + 0.1 * np.eye(3)
    played(lambda: invert_symmetric_3x3(s, out))
    assert out @ s == pytest.approx(np.eye(3), abs=1e-9)


def test_a_singular_matrix_gives_zeros_instead_of_infinities() -> None:
    out = np.full((3, 3), 7.0)
    played(lambda: invert_symmetric_3x3(np.zeros((3, 3)), out))
    assert not out.any()


@given(SEEDS)
@settings(max_examples=20)
def test_a_tensor_turned_times_a_vector(seed: int) -> None:
    rng, r = np.random.default_rng(seed), Rotation.random(random_state=seed).as_matrix()
    tensor, v = rng.normal(size=(3, 3)), rng.normal(size=3)
    assert multiply_rotated.py_func(r, tensor, *v) == pytest.approx(r @ tensor @ r.T @ v, abs=1e-12)
    assert squared_length.py_func(v) == pytest.approx(v @ v)


@given(SEEDS, st.integers(1, 60), st.integers(0, 80))
@settings(max_examples=60)
def test_sets_are_those_of_a_graph_search_and_named_by_their_lowest(seed: int, nodes: int, edges: int) -> None:
    rng = np.random.default_rng(seed)
    pairs = rng.integers(0, nodes, (edges, 2))
    parent = np.arange(nodes, dtype=np.int32)
    for a, b in pairs:
        unite(parent, int(a), int(b))
    graph = coo_matrix((np.ones(edges), (pairs[:, 0], pairs[:, 1])), shape=(nodes, nodes))
    label = connected_components(graph, directed=False)[1]
    for node in range(nodes):
        assert find_root(parent, node) == int(np.flatnonzero(label == label[node])[0])
