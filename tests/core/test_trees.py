"""Trees over triangles, distances by them, insides, edges that stand out, level surfaces: against every triangle."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from dynaclast.core.arrays import Array
from dynaclast.core.errors import GeometryError
from dynaclast.core.falloff.noise import CURL_LENGTH, curl_noise, noise, value_and_slope
from dynaclast.core.geometry import primitives
from dynaclast.core.geometry.inside import inside, scatter_inside
from dynaclast.core.geometry.isosurface import level_surface
from dynaclast.core.geometry.mass import mass_properties, signed_volume
from dynaclast.core.geometry.mesh import TriMesh, make
from dynaclast.core.geometry.tree import LEAF, MeshDistance, Tree, triangle_tree
from dynaclast.core.geometry.winding import winding_number
from dynaclast.core.kernels import kernel
from dynaclast.core.solve.rigid.triangle_meshes import build_triangle_meshes, find_convex_edges

SOLIDS = {
    "box": primitives.box((1, 2, 3)),
    "torus": primitives.torus(1.0, 0.3, 24, 12),
    "tube": primitives.tube(1.0, 0.2, 2.0),
    "ball": primitives.sphere(0.8, 16),
}


@kernel
def slopes(x: float, y: float, z: float, seed: int, out: Array) -> None:
    value_and_slope(x, y, z, seed, out)


def nearest_slowly(point: np.ndarray, triangles: np.ndarray) -> np.ndarray:
    """The nearest point of each triangle (n, 3, 3), by the foot on its plane if it lies within, else on its sides."""

    def dot(u: np.ndarray, v: np.ndarray) -> np.ndarray:
        return np.einsum("...k,...k->...", u, v)[..., None]

    to = np.roll(triangles, -1, axis=1)
    n = np.cross(to[:, 0] - triangles[:, 0], to[:, 1] - triangles[:, 0])
    foot = point - n * dot(point - triangles[:, 0], n) / dot(n, n)
    within = (dot(np.cross(to - triangles, foot[:, None] - triangles), n[:, None]) >= 0).all(axis=1)
    share = np.clip(dot(point - triangles, to - triangles) / dot(to - triangles, to - triangles), 0, 1)
    ends = triangles + share * (to - triangles)
    nearest = np.linalg.norm(ends - point, axis=2).argmin(axis=1)
    return np.where(within, foot, ends[np.arange(len(ends)), nearest])


@given(st.integers(0, 10**6), st.floats(1e-3, 1e3))
@settings(max_examples=120, deadline=None)
def test_the_nearest_point_of_a_triangle_is_that_found_slowly(seed: int, scale: float) -> None:
    rng = np.random.default_rng(seed)
    triangle, point = scale * rng.normal(size=(1, 3, 3)), scale * 2 * rng.normal(size=3)
    found = MeshDistance.of(make(triangle[0], np.array([[0, 1, 2]]))).closest(point[None])[0]
    slow = nearest_slowly(point, triangle)[0]
    assert np.linalg.norm(point - found) == pytest.approx(np.linalg.norm(point - slow), rel=1e-9)
    assert found == pytest.approx(slow, abs=1e-6 * scale)


@pytest.mark.parametrize("count", [1, LEAF, LEAF + 1, 500])
def test_every_triangle_lies_in_one_leaf_and_within_every_box_above_it(count: int) -> None:
    corners = np.random.default_rng(count).normal(size=(count, 3, 3))
    tree = triangle_tree(corners)
    assert sorted(tree.order.tolist()) == list(range(count))
    seen = 0
    work = [(0, tree.lo[0], tree.hi[0])]
    while work:
        node, lo, hi = work.pop()
        assert (tree.lo[node] >= lo).all() and (tree.hi[node] <= hi).all()
        if tree.child[node] < 0:
            own = corners[tree.order[tree.start[node] : tree.start[node] + tree.triangle_count[node]]]
            assert 1 <= len(own) <= LEAF
            assert (own >= tree.lo[node]).all() and (own <= tree.hi[node]).all()
            seen += len(own)
        else:
            work.extend((tree.child[node] + k, tree.lo[node], tree.hi[node]) for k in (0, 1))
    assert seen == count


@pytest.mark.parametrize("name", sorted(SOLIDS))
def test_distance_to_a_solid_is_that_to_its_nearest_triangle_with_the_sign_of_its_inside(name: str) -> None:
    mesh = SOLIDS[name]
    points = np.random.default_rng(1).uniform(-2, 2, (12, 3))
    corners = mesh.vertices[mesh.faces]
    slow = np.array([np.linalg.norm(p - nearest_slowly(p, corners), axis=1).min() for p in points])
    sign = np.where(winding_number(mesh, points) > 0.5, -1, 1)
    asked = MeshDistance.of(mesh)
    assert asked.signed(points, np.inf) == pytest.approx(sign * slow, abs=1e-9)
    assert np.linalg.norm(asked.closest(points) - points, axis=1) == pytest.approx(slow, abs=1e-9)
    assert np.abs(asked.signed(points, 0.4)) == pytest.approx(np.minimum(slow, 0.4), abs=1e-9)


@pytest.mark.parametrize("name", sorted(SOLIDS))
def test_moved_a_mesh_is_asked_as_one_made_anew(name: str) -> None:
    mesh, rng = SOLIDS[name], np.random.default_rng(2)
    vertices = mesh.vertices * [1.4, 0.7, 1.0] + [0.0, 3.0, 0.0] + 0.02 * rng.normal(size=mesh.vertices.shape)
    moved, anew = MeshDistance.of(mesh).moved(vertices), MeshDistance.of(TriMesh(vertices, mesh.faces))
    points = rng.uniform([-2, 1, -2], [2, 5, 2], (200, 3))
    assert moved.signed(points, np.inf) == pytest.approx(anew.signed(points, np.inf), abs=1e-12)
    assert (moved.signed(points, np.inf) < 0).any()
    assert moved.closest(points) == pytest.approx(anew.closest(points), abs=1e-9)
    leaves = moved.tree.child < 0
    assert (moved.tree.hi[leaves] - moved.tree.lo[leaves]).max() == pytest.approx(
        max(np.ptp(vertices[mesh.faces[o]].reshape(-1, 3), axis=0).max() for o in leaf_triangles(moved.tree))
    )


def leaf_triangles(tree: Tree) -> list[np.ndarray]:
    return [tree.order[a : a + n] for a, n, c in zip(tree.start, tree.triangle_count, tree.child, strict=True) if c < 0]


def test_an_open_mesh_has_no_inside() -> None:
    box = SOLIDS["box"]
    sheet = TriMesh(box.vertices, box.faces[:2])
    assert MeshDistance.of(sheet).inside is None
    assert (MeshDistance.of(sheet).signed(np.random.default_rng(0).normal(size=(50, 3)), np.inf) >= 0).all()


@pytest.mark.parametrize("name", sorted(SOLIDS))
def test_points_scattered_in_a_solid_lie_in_it_evenly(name: str) -> None:
    mesh = SOLIDS[name]
    points = scatter_inside(mesh, 4000, np.random.default_rng(3))
    assert len(points) == 4000 and inside(mesh, points).all()
    whole = mass_properties(mesh)
    assert points.mean(axis=0) == pytest.approx(whole.center, abs=0.06)
    second = whole.inertia / whole.volume  # E(r^2) 1 - E(r r^T) about the centre
    off = points - whole.center
    about = (off**2).sum(axis=1).mean() * np.eye(3) - off.T @ off / len(off)
    assert about == pytest.approx(second, abs=0.06 * np.trace(second))


# -------------------------------------------------------------------------------- edges


def test_a_box_has_twelve_edges_that_stand_out_and_its_diagonals_do_not() -> None:
    box = SOLIDS["box"]
    stands = find_convex_edges(box)
    assert stands.sum() == 24  # each on both its sides
    for row, face in enumerate(box.faces):
        for e in range(3):
            along = box.vertices[face[(e + 1) % 3]] - box.vertices[face[e]]
            assert stands[row, e] == ((np.abs(along) > 1e-9).sum() == 1)


def test_edges_of_a_hollow_bend_inwards_and_of_a_hill_outwards() -> None:
    hill = make(np.array([[-1.0, 0, 0], [0, 0.5, -1], [0, 0.5, 1], [1, 0, 0]]), np.array([[0, 2, 1], [1, 2, 3]]))
    hollow = make(hill.vertices * [1, -1, 1], hill.faces)
    shared = [e for e in range(3) if {int(hill.faces[0][e]), int(hill.faces[0][(e + 1) % 3])} == {1, 2}][0]
    assert find_convex_edges(hill)[0, shared] == 1 and find_convex_edges(hollow)[0, shared] == 0
    for mesh in (hill, hollow):  # open edges stand out, whatever the bend
        assert find_convex_edges(mesh).sum() >= 4


@given(st.integers(0, 1000))
@settings(max_examples=20, deadline=None)
def test_which_edges_stand_out_does_not_depend_on_how_a_mesh_is_turned_or_numbered(seed: int) -> None:
    mesh, rng = SOLIDS["torus"], np.random.default_rng(seed)
    order = rng.permutation(len(mesh.faces))
    turned = make(mesh.vertices @ Rotation.random(random_state=seed).as_matrix().T, mesh.faces[order])
    assert (find_convex_edges(turned) == find_convex_edges(mesh)[order]).all()


def test_trees_of_several_bodies_lie_behind_each_other() -> None:
    meshes = [SOLIDS["box"], SOLIDS["ball"], SOLIDS["torus"]]
    out = build_triangle_meshes(7, [2, 5, 6], meshes)
    counts = [len(m.faces) for m in meshes]
    assert out.piece.tolist() == [2, 5, 6]
    assert sorted(out.order.tolist()) == list(range(7, 7 + sum(counts)))
    assert len(out.convex_edge) == sum(counts)
    for root, mesh in zip(out.root, meshes, strict=True):
        assert out.lower[root] == pytest.approx(mesh.vertices.min(axis=0))
        assert out.upper[root] == pytest.approx(mesh.vertices.max(axis=0))


# ------------------------------------------------------------------------- level surfaces


@pytest.mark.parametrize("detail", [24, 48])
def test_the_level_surface_of_a_distance_is_a_ball(detail: int) -> None:
    mesh = level_surface(lambda p: 1 - np.linalg.norm(p - [1, 2, 3], axis=1), 0.25, (1, 2, 3), (3, 3, 3), detail)
    r = np.linalg.norm(mesh.vertices - [1, 2, 3], axis=1)
    assert r == pytest.approx(0.75, abs=0.1 / detail)
    assert signed_volume(mesh) == pytest.approx(4 / 3 * np.pi * 0.75**3, rel=10 / detail**2)


def test_a_level_surface_that_leaves_its_box_is_closed_there() -> None:
    mesh = level_surface(lambda p: np.ones(len(p)), 0.5, (0, 0, 0), (2, 1, 1), 20)
    assert signed_volume(mesh) == pytest.approx(2.0, rel=0.1)
    _, count = np.unique(
        np.sort(mesh.faces[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1), axis=0, return_counts=True
    )
    assert (count == 2).all()


def test_a_level_that_is_nowhere_says_what_to_do() -> None:
    with pytest.raises(GeometryError, match="nowhere above 0.5 in this box"):
        level_surface(lambda p: np.zeros(len(p)), 0.5, (0, 0, 0), (1, 1, 1), 16)


# ---------------------------------------------------------------------------------- noise


@given(st.integers(0, 10**6), st.integers(0, 100))
@settings(max_examples=80, deadline=None)
def test_slopes_of_noise_are_those_of_its_values(place: int, seed: int) -> None:
    point = np.random.default_rng(place).uniform(-40, 40, 3)
    at, beside, small = np.empty(4), np.empty(4), 1e-6
    slopes(*point, seed, at)
    assert 0 <= at[0] < 1
    for k in range(3):
        ahead = point.copy()
        ahead[k] += small
        slopes(*ahead, seed, beside)
        assert (beside[0] - at[0]) / small == pytest.approx(at[k + 1], abs=2e-4)


def test_noise_is_even_differs_by_seed_and_goes_smoothly_over_time() -> None:
    points = np.random.default_rng(2).uniform(-100, 100, (50_000, 3))
    one = noise(points, 1.7, 0.0, 4)
    assert one.mean() == pytest.approx(0.5, abs=0.01)
    assert abs(np.corrcoef(one, noise(points, 1.7, 0.0, 5))[0, 1]) < 0.03
    assert np.abs(noise(points, 1.7, 2.0 + 1e-7, 4) - noise(points, 1.7, 2.0 - 1e-7, 4)).max() < 1e-5
    assert noise(points, 1.7, 0.3, 4) == pytest.approx(one + 0.16308 * (noise(points, 1.7, 1.0, 4) - one), abs=1e-9)


def test_curl_noise_has_typical_length_one() -> None:
    points = np.random.default_rng(5).uniform(-200, 200, (40_000, 3))
    assert np.sqrt((curl_noise(points, 2.3, 0.0, 9) ** 2).sum(axis=1).mean()) == pytest.approx(1.0, rel=0.02)
    assert 0.5 < CURL_LENGTH < 1.5
