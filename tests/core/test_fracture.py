from __future__ import annotations

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from dynaclast.core.fracture.cells import break_into_cells
from dynaclast.core.fracture.pieces import Pieces
from dynaclast.core.fracture.sharing import clip_area
from dynaclast.core.geometry import primitives
from dynaclast.core.geometry.check import diagnose
from dynaclast.core.geometry.mass import combine, mass_properties
from dynaclast.core.geometry.mesh import TriMesh, make, triangle_normals


def areas(pieces: Pieces) -> tuple[float, float]:
    """Total skin area and total cut area."""
    offset = np.repeat(pieces.vertex_start[:-1], np.diff(pieces.face_start))[:, None]
    area = triangle_normals(TriMesh(pieces.vertices, pieces.faces + offset))[1]
    return float(area[pieces.skin].sum()), float(area[~pieces.skin].sum())


def check(mesh: TriMesh, pieces: Pieces) -> None:
    """What must hold of any break: closed, nothing lost or doubled, skin kept, bonds are the shared faces."""
    whole = mass_properties(mesh)
    for p in range(pieces.count):
        defects = [d for d in diagnose(pieces.mesh(p), crossings=False) if d.kind != "flat"]
        assert not defects, f"piece {p}: {defects}"
    total, center, inertia = combine(pieces.volume, pieces.center, pieces.inertia)
    assert total == pytest.approx(whole.volume, rel=1e-6)
    assert center == pytest.approx(whole.center, abs=1e-6 * mesh.size())
    assert inertia == pytest.approx(whole.inertia, rel=1e-6, abs=1e-6 * whole.volume * mesh.size() ** 2)
    skin, cut = areas(pieces)
    assert skin == pytest.approx(float(triangle_normals(mesh)[1].sum()), rel=1e-6)
    assert pieces.bond_area.sum() == pytest.approx(cut / 2, rel=1e-6)
    assert (pieces.bond_piece[:, 0] < pieces.bond_piece[:, 1]).all()
    assert len(np.unique(pieces.bond_piece, axis=0)) == len(pieces.bond_piece)


@given(st.sampled_from(["box", "sphere", "cylinder", "tube"]), st.integers(2, 40), st.integers(0, 2**31 - 1), st.floats(1e-2, 1e2))
@settings(max_examples=16, deadline=None)
def test_pieces_fill_the_source_and_bonds_are_their_shared_faces(kind: str, count: int, seed: int, scale: float) -> None:
    mesh = {"box": primitives.box((1, 2, 0.5)), "sphere": primitives.sphere(1, 16), "cylinder": primitives.cylinder(0.5, 2), "tube": primitives.tube(1, 0.3, 2)}[kind]
    mesh = make(mesh.vertices * scale, mesh.faces)
    pieces = break_into_cells(mesh, count, seed)
    assert pieces.count >= count
    check(mesh, pieces)


def test_a_bent_mesh_of_5000_triangles_breaks_into_500_pieces() -> None:
    torus = trimesh.creation.torus(2.0, 0.7, major_sections=64, minor_sections=40)
    mesh = make(torus.vertices, torus.faces)
    assert len(mesh.faces) > 5000
    pieces = break_into_cells(mesh, 500, 1)
    assert pieces.count >= 500
    check(mesh, pieces)


def test_a_cell_in_several_parts_becomes_several_pieces() -> None:
    """Two towers on a plate: a slab between two seeds cuts both towers with one cell."""
    plate = trimesh.creation.box((4, 0.4, 1))
    left, right = (trimesh.creation.box((0.6, 4, 0.6), transform=trimesh.transformations.translation_matrix((x, 2, 0))) for x in (-1.5, 1.5))
    joined = trimesh.boolean.union([plate, left, right], engine="manifold")
    mesh = make(joined.vertices, joined.faces)
    several = 0
    for seed in range(6):
        pieces = break_into_cells(mesh, 3, seed)
        several += pieces.count > 3
        check(mesh, pieces)
    assert several


def test_the_same_seed_gives_the_same_pieces_and_another_seed_others() -> None:
    mesh = primitives.box((1, 1, 1))
    one, two, other = (break_into_cells(mesh, 12, s) for s in (5, 5, 6))
    assert all((a == b).all() for a, b in zip(one.arrays().values(), two.arrays().values(), strict=True))
    assert not np.array_equal(one.center, other.center)


def test_clipping_two_triangles_gives_their_overlap() -> None:
    a = np.array([[0.0, 0], [2, 0], [0, 2]])
    b = np.array([[0.0, 0], [1, 0], [0, 1]])
    out = np.zeros(2)
    assert clip_area(a, b, out) == pytest.approx(0.5) and out == pytest.approx([1 / 3, 1 / 3])
    assert clip_area(a, b + 5.0, out) == 0.0
    assert clip_area(a, np.array([[1.0, 1], [3, 1], [1, 3]]), out) == pytest.approx(0.0)
