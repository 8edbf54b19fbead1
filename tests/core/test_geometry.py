from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

import naive
from dynaclast.core.arrays import cross, lengths
from dynaclast.core.errors import GeometryError
from dynaclast.core.geometry import primitives
from dynaclast.core.geometry.check import diagnose, solid
from dynaclast.core.geometry.inside import scatter_inside
from dynaclast.core.geometry.mass import (
    combine,
    mass_properties,
    mass_properties_of_many,
    signed_volume,
    sound_mass_properties,
)
from dynaclast.core.geometry.mesh import TriMesh, make, weld
from dynaclast.core.geometry.rotations import quaternion_product, rotation_matrices, rotation_matrix
from dynaclast.core.geometry.winding import winding_number

SHAPES = {
    "box": primitives.box((1, 2, 3)),
    "sphere": primitives.sphere(1.2, 20),
    "cylinder": primitives.cylinder(0.7, 2.0, 0.5, 24),
    "tube": primitives.tube(2.0, 0.5, 3.0, 0.8, 32),
}


@pytest.mark.parametrize("name", SHAPES)
def test_primitives_are_closed_and_face_outwards(name: str) -> None:
    assert diagnose(SHAPES[name]) == []
    assert signed_volume(SHAPES[name]) > 0


def test_box_mass_properties_are_the_textbook_ones() -> None:
    w, h, d = 1.0, 2.0, 3.0
    props = mass_properties(
        primitives.box((w, h, d)).moved(np.ones(3), np.array([0, 0, 0, 1.0]), np.array([5.0, -2, 7]))
    )
    assert props.volume == pytest.approx(6.0, rel=1e-12)
    assert props.center == pytest.approx([5, -2, 7], abs=1e-9)
    assert props.inertia == pytest.approx(
        np.diag([h * h + d * d, w * w + d * d, w * w + h * h]) * 6 / 12, rel=1e-9, abs=1e-9
    )


@given(st.integers(0, 2**31), st.integers(1, 40))
@settings(max_examples=20, deadline=None)
def test_products_lengths_and_turns_of_many_rows_are_those_of_each_to_the_bit(seed: int, count: int) -> None:
    rng = np.random.default_rng(seed)
    a, b, q = rng.normal(size=(count, 3)), rng.normal(size=(count, 3)), rng.normal(size=(count, 4))
    assert (cross(a, b) == np.cross(a, b)).all() and (cross(a[0], b) == np.cross(a[0], b)).all()
    assert (lengths(a) == np.linalg.norm(a, axis=1)).all() and (lengths(a[:, None]) == lengths(a)[:, None]).all()
    turns = rotation_matrices(q)
    for turn, one in zip(turns, q, strict=True):
        assert (turn == rotation_matrix(one)).all()
    assert np.allclose(turns, Rotation.from_quat(q).as_matrix(), atol=1e-12)
    assert rotation_matrices(q[:0]).shape == (0, 3, 3)


def test_masses_of_many_meshes_are_those_of_each() -> None:
    rng = np.random.default_rng(3)
    meshes = [m.moved(rng.normal(size=3), rng.normal(size=4), np.ones(3)) for m in SHAPES.values()]
    meshes = [TriMesh(m.vertices, m.faces) for m in meshes]
    meshes.insert(2, TriMesh(meshes[0].vertices, meshes[0].faces[:, ::-1].copy()))  # inside out: that of its hull
    first = np.cumsum([0] + [len(m.vertices) for m in meshes])
    faces = np.concatenate([m.faces + k for m, k in zip(meshes, first, strict=False)])
    face_first = np.cumsum([0] + [len(m.faces) for m in meshes])
    vertices = np.concatenate([m.vertices for m in meshes])
    volume, center, inertia = mass_properties_of_many(vertices, faces, first, face_first)
    for k, mesh in enumerate(meshes):
        one = sound_mass_properties(mesh)
        assert volume[k] == pytest.approx(one.volume, rel=1e-12) and center[k] == pytest.approx(one.center, abs=1e-12)
        assert inertia[k] == pytest.approx(one.inertia, rel=1e-10, abs=1e-12 * abs(one.inertia).max())
    assert volume[2] == pytest.approx(volume[0])


def test_combine_of_two_halves_is_the_whole() -> None:
    half = mass_properties(primitives.box((1, 1, 1)))
    centers = np.array([[0.0, 0, 0], [1, 0, 0]])
    total, center, inertia = combine(np.ones(2), centers, np.stack([half.inertia] * 2))
    whole = mass_properties(primitives.box((2, 1, 1)))
    assert total == pytest.approx(2.0) and center == pytest.approx([0.5, 0, 0])
    assert inertia == pytest.approx(whole.inertia, abs=1e-12)


@given(st.integers(0, 2**31), st.integers(0, 2**31))
@settings(max_examples=30, deadline=None)
def test_quaternion_product_is_matrix_product(a: int, b: int) -> None:
    qa, qb = (np.random.default_rng(s).normal(size=4) for s in (a, b))
    qa, qb = qa / np.linalg.norm(qa), qb / np.linalg.norm(qb)
    assert rotation_matrix(quaternion_product(qa, qb)) == pytest.approx(
        rotation_matrix(qa) @ rotation_matrix(qb), abs=1e-12
    )


def test_winding_number_equals_the_slow_sum() -> None:
    points = np.random.default_rng(3).uniform(-2.5, 2.5, (40, 3))
    assert winding_number(SHAPES["tube"], points) == pytest.approx(
        naive.winding(points, SHAPES["tube"].vertices, SHAPES["tube"].faces), abs=1e-9
    )


def test_scattered_points_lie_in_the_wall_of_a_tube() -> None:
    points = scatter_inside(SHAPES["tube"], 500, np.random.default_rng(1))
    radius = np.hypot(points[:, 0], points[:, 2])
    assert len(points) == 500 and radius.min() > 1.0 and radius.max() < 2.0


def test_weld_joins_corners_and_drops_what_becomes_empty() -> None:
    box = SHAPES["box"]
    loose = make(box.vertices[box.faces].reshape(-1, 3), np.arange(36).reshape(-1, 3))
    assert len(weld(loose).vertices) == 8 and diagnose(weld(loose)) == []


def broken(kind: str) -> TriMesh:
    box = SHAPES["box"]
    if kind == "open":
        return make(box.vertices, box.faces[1:])
    if kind == "flipped":
        faces = box.faces.copy()
        faces[0] = faces[0][::-1]
        return make(box.vertices, faces)
    if kind == "flat":
        return make(box.vertices * [1, 0, 1], box.faces)
    ball = primitives.sphere(1.0, 24)  # its side is pushed in and out again on the other side
    return make(ball.vertices - np.where(ball.vertices[:, :1] > 0.6, 2.2, 0.0) * [1, 0, 0], ball.faces)


@pytest.mark.parametrize(
    ("kind", "words"),
    [
        ("open", "it is open: 3 edges"),
        ("flipped", "opposite sides"),
        ("flat", "volume"),
        ("self-crossing", "crosses itself in"),
    ],
)
def test_an_unusable_mesh_is_refused_with_what_and_where(kind: str, words: str) -> None:
    with pytest.raises(GeometryError) as caught:
        solid(broken(kind), "thing")
    assert words in str(caught.value) and caught.value.where == "thing"


def test_an_inside_out_mesh_is_turned_round() -> None:
    mesh, notes = solid(SHAPES["box"].flipped(), "thing")
    assert signed_volume(mesh) > 0 and "inside out" in notes[0]
