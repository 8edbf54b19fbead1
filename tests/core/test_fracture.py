from __future__ import annotations

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial.transform import Rotation

from dynaclast.core.document import parse
from dynaclast.core.errors import InputError
from dynaclast.core.fracture.bonds import bond_strengths
from dynaclast.core.fracture.build import build_pieces
from dynaclast.core.fracture.build import convex_cells as break_into_cells
from dynaclast.core.fracture.display import drawn, whole_skin
from dynaclast.core.fracture.pieces import Pieces
from dynaclast.core.fracture.sharing import AREA, clip_moments, shared_faces
from dynaclast.core.fracture.solids import solid_of
from dynaclast.core.geometry import primitives
from dynaclast.core.geometry.check import diagnose
from dynaclast.core.geometry.mass import combine, mass_properties, signed_volume
from dynaclast.core.geometry.mesh import TriMesh, make, triangle_normals
from shots import box, reach_sphere


def areas(pieces: Pieces) -> tuple[float, float]:
    """Total skin area and total cut area."""
    offset = np.repeat(pieces.vertex_start[:-1], np.diff(pieces.face_start))[:, None]
    area = triangle_normals(TriMesh(pieces.vertices, pieces.faces + offset))[1]
    return float(area[pieces.skin].sum()), float(area[~pieces.skin].sum())


def _lies_in_both(pieces: Pieces) -> None:
    """Every bond's centre lies within the bounds of both its pieces."""
    grow = 1e-6 * float(np.ptp(pieces.vertices, axis=0).max())
    lo = np.array([pieces.mesh(p).vertices.min(axis=0) for p in range(pieces.count)]) - grow
    hi = np.array([pieces.mesh(p).vertices.max(axis=0) for p in range(pieces.count)]) + grow
    for side in range(2):
        own = pieces.bond_piece[:, side]
        assert ((pieces.bond_center >= lo[own]) & (pieces.bond_center <= hi[own])).all()


def overlap(pieces: Pieces) -> float:
    """Volume shared by any two pieces that are neighbours [m3], by exact intersection."""
    solids = [solid_of(pieces.mesh(p), "piece")[0] for p in range(pieces.count)]
    return max((abs((solids[a] ^ solids[b]).volume()) for a, b in pieces.bond_piece.tolist()), default=0.0)


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
    _lies_in_both(pieces)
    assert (pieces.bond_piece[:, 0] < pieces.bond_piece[:, 1]).all()
    assert len(np.unique(pieces.bond_piece, axis=0)) == len(pieces.bond_piece)


MESHES = {
    "box": primitives.box((1, 2, 0.5)),
    "sphere": primitives.sphere(1, 16),
    "cylinder": primitives.cylinder(0.5, 2, 0.6, 20, 3),
    "tube": primitives.tube(1, 0.3, 2),
    "torus": primitives.torus(1, 0.3, 24, 10),
    "cone": primitives.cone(0.6, 1.5, 18),
    "plate": primitives.sheet((2, 3), 0.04, (3, 3)),
}


@st.composite
def patterns(draw: st.DrawFn) -> dict:
    seed, count = draw(st.integers(0, 2**31 - 1)), draw(st.integers(2, 14))
    axis = draw(st.sampled_from([[1, 0, 0], [0, 1, 0], [0, 0, 1], [0.3, 0.8, -0.5]]))
    return draw(
        st.sampled_from(
            [
                {"kind": "cells", "count": count, "seed": seed},
                {"kind": "cells", "count": count, "seed": seed, "even": 0.7},
                {
                    "kind": "cells",
                    "count": count,
                    "up_to": count + 9,
                    "seed": seed,
                    "crowd": {"by": 12, "reach": reach_sphere((0.2, 0.1, 0), 0.3, 0.5)},
                },
                {"kind": "splinters", "count": count, "seed": seed, "grain": axis, "stretch": 6},
                {"kind": "slabs", "count": min(12, count), "seed": seed, "axis": axis, "spread": 0.4, "random": 0.8},
                {
                    "kind": "radial",
                    "rings": 3,
                    "spokes": 7,
                    "radius": 0.8,
                    "axis": axis,
                    "center": [0.1, 0.1, 0],
                    "random": draw(st.floats(0, 1)),
                    "seed": seed,
                },
                {
                    "kind": "bricks",
                    "size": [0.5, 0.3, 0.4],
                    "offset": 0.5,
                    "jitter": draw(st.floats(0, 0.45)),
                    "seed": seed,
                },
                {
                    "kind": "bricks",
                    "size": [0.6, 0.4, 0.35],
                    "layout": "round",
                    "jitter": draw(st.floats(0, 0.4)),
                    "seed": seed,
                },
            ]
        )
    )


def broken(mesh: TriMesh, pattern: dict, breaks: list[dict] = [], scale: float = 1.0) -> Pieces:  # noqa: B006
    body = parse(
        {
            "bodies": [
                {
                    "name": "it",
                    "shape": {"kind": "mesh", "vertices": mesh.vertices.tolist(), "faces": mesh.faces.tolist()},
                    "place": {"scale": [scale] * 3},
                    "pattern": pattern,
                    "breaks": breaks,
                }
            ]
        }
    ).bodies[0]
    return build_pieces(body)


@given(st.sampled_from(sorted(MESHES)), patterns(), st.sampled_from([0.02, 1.0, 200.0]))
@settings(max_examples=16, deadline=None)
def test_pieces_fill_the_source_and_bonds_are_their_shared_faces(kind: str, pattern: dict, scale: float) -> None:
    mesh = MESHES[kind]
    pieces = broken(mesh, pattern if scale == 1.0 else {"kind": "cells", "count": 20, "seed": 1}, scale=scale)
    mesh = make(mesh.vertices * scale, mesh.faces)
    check(mesh, pieces)
    assert overlap(pieces) <= 1e-9 * abs(signed_volume(mesh))


@given(
    patterns(),
    patterns(),
    st.sampled_from(
        [
            {"kind": "all"},
            {"kind": "larger", "size": 0.35},
            {"kind": "reach", "reach": reach_sphere((0, 0.5, 0), 0.6)},
            {"kind": "pieces", "pieces": [0, 1]},
        ]
    ),
)
@settings(max_examples=12, deadline=None)
def test_nested_tiers_partition_their_parents(first: dict, second: dict, of: dict) -> None:
    mesh = MESHES["box"]
    parents = broken(mesh, first)
    try:
        pieces = broken(mesh, first, [{"of": of, "pattern": second | ({"crowd": None} if "crowd" in second else {})}])
    except InputError as exc:
        assert "no piece" in exc.message  # nothing there is larger, or inside
        return
    check(mesh, pieces)
    for chunk in np.unique(pieces.path[:, 0]):
        assert pieces.volume[pieces.path[:, 0] == chunk].sum() == pytest.approx(parents.volume[chunk], rel=1e-6)
    same = pieces.path[pieces.bond_piece[:, 0], 0] == pieces.path[pieces.bond_piece[:, 1], 0]
    assert ((pieces.bond_tier == 2) == same).all() and (pieces.bond_tier[~same] == 1).all()


def test_chunks_hang_together_and_make_a_coarser_tier() -> None:
    fine = broken(MESHES["box"], {"kind": "cells", "count": 80, "seed": 3})
    for how in ({"count": 5}, {"guide": {"kind": "slabs", "count": 4, "axis": [0, 1, 0]}}):
        pieces = broken(
            MESHES["box"], {"kind": "cells", "count": 80, "seed": 3}, [{"pattern": {"kind": "chunks", **how}}]
        )
        assert pieces.count == fine.count and len(np.unique(pieces.path[:, 0])) == (5 if "count" in how else 4)
        assert set(pieces.bond_tier.tolist()) == {1, 2} and pieces.bond_area.sum() == pytest.approx(
            fine.bond_area.sum()
        )
        if "count" in how:
            inner = pieces.bond_piece[pieces.bond_tier == 2]
            graph = coo_matrix((np.ones(len(inner)), (inner[:, 0], inner[:, 1])), shape=(80, 80))
            assert connected_components(graph, directed=False)[0] == 5


def test_faces_of_open_and_closed_meshes_become_closed_flakes_that_fit() -> None:
    for mesh in (MESHES["sphere"], make(*_open_tent()), primitives.cylinder(0.14, 6.4, 1, 10, 10)):
        for rough in (0.0, 0.9):
            pieces = broken(mesh, {"kind": "faces", "thickness": 0.01, "rough": rough, "seed": 4})
            assert pieces.count == len(mesh.faces)
            for p in range(pieces.count):
                assert not diagnose(pieces.mesh(p), crossings=False)
            assert np.linalg.eigvalsh(pieces.inertia).min() > 0
            edges = np.sort(
                np.concatenate([mesh.faces[:, [0, 1]], mesh.faces[:, [1, 2]], mesh.faces[:, [2, 0]]]), axis=1
            )
            inner = (np.unique(edges, axis=0, return_counts=True)[1] == 2).sum()
            assert len(pieces.bond_area) == inner


def _open_tent() -> tuple[list, list]:
    return [[-1, 0, -1], [0, 1, -1], [1, 0, -1], [-1, 0, 1], [0, 1, 1], [1, 0, 1]], [
        [0, 4, 1],
        [0, 3, 4],
        [1, 5, 2],
        [1, 4, 5],
    ]


def test_crowding_makes_more_and_smaller_pieces_where_the_falloff_is_high() -> None:
    pieces = broken(
        MESHES["plate"],
        {"kind": "cells", "count": 200, "seed": 2, "crowd": {"by": 30, "reach": reach_sphere((0.5, 0, 0.5), 0.3, 0.2)}},
    )
    near = np.linalg.norm(pieces.center - [0.5, 0, 0.5], axis=1) < 0.3
    assert near.sum() > 50 and np.median(pieces.volume[near]) < 0.3 * np.median(pieces.volume[~near])


def test_drawing_rough_cuts_and_joints_keeps_pieces_closed_and_the_skin_where_it_was() -> None:
    body = parse(
        {
            "bodies": [
                box(
                    "wall",
                    (0, 0, 0),
                    (2, 1, 0.4),
                    pattern={"kind": "bricks", "size": [0.5, 0.25, 0.4], "gap": 0.02},
                    roughness={"size": 0.2, "depth": 0.02},
                )
            ]
        }
    ).bodies[0]
    pieces = build_pieces(body)
    shown = drawn(body, pieces)
    assert shown.count == pieces.count and len(shown.faces) > 4 * len(pieces.faces)
    assert not any(diagnose(shown.mesh(p), crossings=False) for p in range(shown.count))
    assert np.abs(np.ptp(shown.vertices, axis=0) - [2, 1, 0.4]).max() < 1e-9
    whole = whole_skin(pieces)
    assert abs(signed_volume(whole)) == pytest.approx(
        0.8, rel=1e-9
    )  # the intact mesh put together from the pieces' skin


@pytest.mark.parametrize(
    ("more", "where", "words"),
    [
        (
            {"pattern": {"kind": "cells", "count": 60, "smallest": 0.5}},
            "pattern.smallest",
            "would be smaller than 0.5 m",
        ),
        ({"pattern": {"kind": "bricks", "size": [0.01, 0.01, 0.01]}}, "pattern.size", "Use larger bricks"),
        (
            {
                "pattern": {"kind": "cells", "count": 4},
                "breaks": [{"of": {"kind": "pieces", "pieces": [99]}, "pattern": {"kind": "slabs"}}],
            },
            "breaks[0].of",
            "no piece 99",
        ),
        (
            {
                "pattern": {"kind": "cells", "count": 4},
                "breaks": [{"of": {"kind": "larger", "size": 50}, "pattern": {"kind": "slabs"}}],
            },
            "breaks[0].of",
            "no piece",
        ),
        (
            {"pattern": {"kind": "cells", "count": 2}, "breaks": [{"pattern": {"kind": "slabs", "count": 2}}] * 4},
            "breaks[3].of",
            "at most 4 tiers",
        ),
    ],
)
def test_a_break_that_cannot_be_is_refused_with_its_place(more: dict, where: str, words: str) -> None:
    with pytest.raises(InputError, match=words) as caught:
        build_pieces(parse({"bodies": [box("b", (0, 0, 0), (1, 1, 1), **more)]}).bodies[0])
    assert caught.value.where == where


def test_strengths_follow_tier_size_falloff_and_cuts() -> None:
    body = parse(
        {
            "bodies": [
                box(
                    "b",
                    (5, 0, 0),
                    (2, 1, 1),
                    pattern={"kind": "cells", "count": 6, "seed": 1},
                    breaks=[{"pattern": {"kind": "cells", "count": 4}}],
                    bonds={
                        "strength": 300,
                        "tiers": [80],
                        "by_reach": {"reach": reach_sphere((5, 0, 0), 0.01), "low": 2.0, "high": 9.0},
                    },
                )
            ]
        }
    ).bodies[0]
    pieces = build_pieces(body)
    want = np.where(pieces.bond_tier == 1, 300e3, 80e3) * pieces.bond_area * 2.0
    assert bond_strengths(body, pieces) == pytest.approx(want)
    first = tuple(int(x) for x in pieces.bond_piece[0])
    body.bonds.cut = [first[::-1]]
    body.bonds.by_size = 1.0
    got = bond_strengths(body, pieces)
    smaller = pieces.size[pieces.bond_piece].min(axis=1)
    assert got[0] == 0.0 and got[1:] == pytest.approx((want * smaller / smaller.mean())[1:])


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
    left, right = (
        trimesh.creation.box((0.6, 4, 0.6), transform=trimesh.transformations.translation_matrix((x, 2, 0)))
        for x in (-1.5, 1.5)
    )
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
    out, polygon, other = np.zeros(6), np.empty((10, 2)), np.empty((10, 2))
    assert clip_moments(a, b, polygon, other, out) == pytest.approx(0.5) == out[AREA]
    # a right triangle of legs 1: first moments A / 3, second ones 1 / 12, 1 / 12, 1 / 24
    assert out == pytest.approx([1 / 2, 1 / 6, 1 / 6, 1 / 12, 1 / 12, 1 / 24])
    assert clip_moments(a, b + 5.0, polygon, other, out) == 0.0
    assert clip_moments(a, np.array([[1.0, 1], [3, 1], [1, 3]]), polygon, other, out) == pytest.approx(0.0)


@pytest.mark.parametrize("seed", range(6))
def test_a_shared_face_has_the_normal_and_the_moments_of_its_rectangle(seed: int) -> None:
    """Two boxes side by side, turned anyhow: normal from the lower to the higher piece, I = A side^2 / 12 along each
    side, 0 across.
    """
    rng = np.random.default_rng(seed)
    size, (high, deep) = rng.uniform(0.5, 2, 3), rng.uniform(0.3, 1.0, 2)
    one, two = primitives.box((size[0], high, deep)), primitives.box((size[1], high, deep))
    turn, at = Rotation.random(random_state=seed).as_matrix(), rng.uniform(-30, 30, 3)
    shift = np.array([0.5 * (size[0] + size[1]), 0, 0])
    corners = np.concatenate([one.vertices[one.faces], two.vertices[two.faces] + shift]) @ turn.T + at
    piece = np.repeat([0, 1], [len(one.faces), len(two.faces)]).astype(np.int32)
    if seed % 2:  # the other way round
        corners, piece = corners[::-1].copy(), np.sort(piece)
    got = shared_faces(corners, piece, 2, 3.0)
    assert got.piece.tolist() == [[0, 1]] and got.area == pytest.approx([high * deep])
    assert got.normal[0] == pytest.approx(turn[:, 0] * (-1 if seed % 2 else 1), abs=1e-6)
    assert got.center[0] == pytest.approx(turn @ [0.5 * size[0], 0, 0] + at, abs=1e-6)
    local = turn.T @ got.second_moment[0] @ turn
    area = high * deep
    assert local == pytest.approx(np.diag([0, area * high**2 / 12, area * deep**2 / 12]), abs=1e-6)
