"""Where each pattern cuts: counts, directions and sizes that the document asks for, and chunks within chunks."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import ConvexHull

from dynaclast.core.document import BreakStep, parse
from dynaclast.core.errors import GeometryError, InputError
from dynaclast.core.fracture import tiers
from dynaclast.core.fracture.build import build_pieces, content_key
from dynaclast.core.fracture.patterns import IN_SOLID, _seeds, cells, count_of, regions
from dynaclast.core.fracture.pieces import Pieces, as_it_is
from dynaclast.core.fracture.tiers import chosen
from dynaclast.core.geometry import primitives
from dynaclast.core.geometry.mesh import triangle_normals
from shots import box, reach_sphere

BOX = (4.0, 2.0, 1.0)


def body(pattern: dict[str, Any] | None, size: tuple[float, float, float] = BOX, **more: Any) -> Any:
    asked = {"pattern": pattern} if pattern else {}
    return parse({"bodies": [box("it", (0, 0, 0), size, **asked, **more)]}).bodies[0]


def broken(pattern: dict[str, Any], size: tuple[float, float, float] = BOX, **more: Any) -> Pieces:
    return build_pieces(body(pattern, size, **more))


def cut_normals(pieces: Pieces) -> np.ndarray:
    """Unit normals (n, 3) of all cut triangles."""
    corners, _ = pieces.corners()
    flat = corners[~pieces.skin]
    normal = np.cross(flat[:, 1] - flat[:, 0], flat[:, 2] - flat[:, 0])
    length = np.linalg.norm(normal, axis=1)
    return normal[length > 1e-9] / length[length > 1e-9, None]


def extent(pieces: Pieces, piece: int) -> np.ndarray:
    return np.ptp(pieces.mesh(piece).vertices, axis=0)


# ------------------------------------------------------------------------------------------------- cells


@given(st.integers(2, 40), st.integers(0, 30), st.integers(0, 10**6))
@settings(max_examples=40, deadline=None)
def test_a_count_between_two_numbers_is_drawn_by_the_seed(low: int, more: int, seed: int) -> None:
    pattern = body({"kind": "cells", "count": low, "up_to": low + more, "seed": seed}).pattern
    assert low <= count_of(pattern) <= low + more and count_of(pattern) == count_of(pattern)


def test_every_count_between_two_numbers_comes_up() -> None:
    counts = {count_of(body({"kind": "cells", "count": 5, "up_to": 9, "seed": s}).pattern) for s in range(60)}
    assert counts == {5, 6, 7, 8, 9}


@pytest.mark.parametrize("count", [2, 17, 90])
def test_a_convex_solid_breaks_into_as_many_cells_as_asked_for_and_each_is_convex(count: int) -> None:
    pieces = broken({"kind": "cells", "count": count, "seed": 4})
    assert pieces.count == count
    for p in range(count):
        assert ConvexHull(pieces.mesh(p).vertices).volume == pytest.approx(pieces.volume[p], rel=1e-6)


def test_cells_are_what_lies_nearest_to_their_seed() -> None:
    mesh, pattern = primitives.box(BOX), body({"kind": "cells", "count": 30, "seed": 8, "even": 0.3}).pattern
    seeds = _seeds(mesh, 30, 8, 0.3, None, IN_SOLID)
    rng = np.random.default_rng(0)
    for own, corners in enumerate(cells(pattern, mesh)):
        inner = rng.dirichlet(np.ones(len(corners)), 20) @ corners
        assert (np.argmin(np.linalg.norm(inner[:, None] - seeds, axis=2), axis=1) == own).all()


def test_evenness_brings_sizes_together() -> None:
    spread = [
        np.std(broken({"kind": "cells", "count": 60, "seed": 3, "even": even}).volume) / (8.0 / 60)
        for even in (0.0, 0.5, 1.0)
    ]
    assert spread[0] > spread[1] > spread[2] and spread[2] < 0.5 * spread[0]


def test_evenness_keeps_the_crowd() -> None:
    crowd = {"by": 20, "reach": reach_sphere((-1.5, 0, 0), 0.6, 0.2)}
    for even in (0.0, 1.0):
        pieces = broken({"kind": "cells", "count": 120, "seed": 1, "even": even, "crowd": crowd})
        near = np.linalg.norm(pieces.center - [-1.5, 0, 0], axis=1) < 0.6
        assert np.median(pieces.volume[near]) < 0.35 * np.median(pieces.volume[~near])


# ---------------------------------------------------------------------------------------- splinters, slabs, radial


@pytest.mark.parametrize("grain", [(1, 0, 0), (0, 1, 0), (0.6, 0.0, 0.8)])
def test_splinters_are_long_along_the_grain(grain: tuple[float, float, float]) -> None:
    pieces = broken({"kind": "splinters", "count": 60, "seed": 5, "grain": grain, "stretch": 8}, (3, 3, 3))
    along = np.array([np.ptp(pieces.mesh(p).vertices @ np.array(grain)) for p in range(pieces.count)])
    across = np.array(
        [np.ptp(pieces.mesh(p).vertices @ np.cross(grain, [0.36, 0.48, -0.8])) for p in range(pieces.count)]
    )
    assert np.median(along / across) > 3.0
    assert np.median(np.abs(cut_normals(pieces) @ np.array(grain))) < 0.25  # cuts run along it


def test_a_stretch_of_one_is_cells() -> None:
    plain = broken({"kind": "splinters", "count": 40, "seed": 5, "stretch": 1}, (3, 3, 3))
    sides = np.array([np.sort(extent(plain, p)) for p in range(plain.count)])
    assert np.median(sides[:, 2] / sides[:, 0]) < 2.0


@given(st.integers(2, 20), st.sampled_from([(1, 0, 0), (0, 1, 0), (0, 0, 1)]), st.floats(0, 1), st.integers(0, 999))
@settings(max_examples=20, deadline=None)
def test_slabs_are_so_many_and_cut_across_their_axis(count: int, axis: tuple, random: float, seed: int) -> None:
    pieces = broken({"kind": "slabs", "count": count, "axis": axis, "spread": 0, "random": random, "seed": seed})
    assert pieces.count == count
    assert np.abs(cut_normals(pieces) @ np.array(axis)) == pytest.approx(1.0)
    thick = np.array([extent(pieces, p) @ np.array(axis) for p in range(count)])
    even = BOX[int(np.argmax(axis))] / count
    assert thick.sum() == pytest.approx(even * count)
    assert np.abs(thick - even).max() <= 0.9 * random * even + 1e-9  # two neighbouring cuts, 0.45 of a slab each


@pytest.mark.parametrize("spread", [0.1, 0.5])
def test_cuts_of_slabs_lean_no_farther_than_asked(spread: float) -> None:
    pieces = broken({"kind": "slabs", "count": 12, "axis": (1, 0, 0), "spread": spread, "seed": 2}, (40, 2, 1))
    lean = np.arccos(np.clip(np.abs(cut_normals(pieces)[:, 0]), 0, 1))
    assert lean.max() <= spread + 1e-6 and lean.max() > 0.5 * spread


def test_a_perfect_web_has_rings_and_spokes() -> None:
    asked = {"kind": "radial", "rings": 4, "spokes": 9, "radius": 2.0, "growth": 1.5, "random": 0.0, "axis": (0, 0, 1)}
    pieces = broken(asked, (8, 8, 0.1))
    assert pieces.count == 4 * 9
    r = np.linalg.norm(pieces.center[:, :2], axis=1)
    assert (np.diff(np.sort(r).reshape(4, 9), axis=1) < 0.35).all()  # each ring at one distance, but for the corners
    assert np.abs(cut_normals(pieces)[:, 2]).max() < 1e-9  # straight through along the axis
    angle = np.sort(np.arctan2(pieces.center[:, 1], pieces.center[:, 0]) % (2 * np.pi))
    inner = np.argsort(np.linalg.norm(pieces.center[:, :2], axis=1))[:9]
    steps = np.diff(np.sort(np.arctan2(pieces.center[inner, 1], pieces.center[inner, 0])))
    assert steps == pytest.approx(2 * np.pi / 9, abs=1e-6) and len(angle) == 36


def test_rings_grow_outwards_as_asked() -> None:
    pieces = broken(
        {"kind": "radial", "rings": 3, "spokes": 16, "radius": 1.9, "growth": 2.0, "random": 0.0}, (8, 8, 0.1)
    )
    r = np.sort(np.linalg.norm(pieces.center[:, :2], axis=1)).reshape(3, 16).mean(axis=1)
    assert r[1] - r[0] > 1.3 * r[0]


def test_a_torn_web_is_uneven_and_still_whole() -> None:
    even, torn = (
        broken({"kind": "radial", "rings": 4, "spokes": 12, "radius": 2, "random": x, "seed": 3}, (4, 4, 0.1))
        for x in (0.0, 1.0)
    )
    assert torn.volume.sum() == pytest.approx(even.volume.sum(), rel=1e-9)
    assert len(np.unique(np.round(even.volume, 9))) < 12 and len(np.unique(np.round(torn.volume, 9))) > 44


# ------------------------------------------------------------------------------------------------ bricks


def test_straight_bricks_lie_in_courses_in_running_bond() -> None:
    pieces = broken({"kind": "bricks", "size": [0.5, 0.25, 1.0], "offset": 0.5})
    assert np.abs(np.abs(cut_normals(pieces)).max(axis=1) - 1).max() < 1e-9  # all cuts along the axes
    course = np.round((pieces.center[:, 1] + 1.0) / 0.25 - 0.5).astype(int)
    assert np.bincount(course).tolist() == [8, 9] * 4  # every other course is shifted and begins with a half
    whole = [p for p in range(pieces.count) if abs(extent(pieces, p)[0] - 0.5) < 1e-9]
    assert len(whole) == 4 * 8 + 4 * 7
    for p in whole:
        assert extent(pieces, p) == pytest.approx([0.5, 0.25, 1.0])


@pytest.mark.parametrize("offset", [0.25, 0.5, 0.75])
def test_the_offset_shifts_every_other_course(offset: float) -> None:
    pieces = broken({"kind": "bricks", "size": [0.5, 0.5, 1.0], "offset": offset})
    for course in range(4):
        rows = np.abs(pieces.center[:, 1] - (-0.75 + 0.5 * course)) < 0.01
        ends = np.sort([pieces.mesh(p).vertices[:, 0].max() for p in np.flatnonzero(rows)])[:-1]
        beyond = (ends + 2.0) % 0.5
        wanted = offset * 0.5 if course % 2 else 0.0
        assert np.minimum(np.abs(beyond - wanted), 0.5 - np.abs(beyond - wanted)).max() < 1e-9


def test_uneven_joints_stay_within_their_share_of_a_brick() -> None:
    jitter = 0.2
    pieces = broken({"kind": "bricks", "size": [0.5, 0.5, 1.0], "offset": 0.0, "jitter": jitter, "seed": 9})
    ends = np.array([pieces.mesh(p).vertices[:, 0].max() for p in range(pieces.count)]) + 2.0
    ends = ends[ends < 3.99]
    off = np.abs(ends / 0.5 - np.round(ends / 0.5))
    assert off.max() <= jitter + 1e-9 and off.max() > 0.5 * jitter


def test_bricks_in_depth_stand_in_rows() -> None:
    pieces = broken({"kind": "bricks", "size": [1.0, 1.0, 0.25], "offset": 0.0})
    assert pieces.count == 4 * 2 * 4
    assert np.unique(np.round(pieces.center[:, 2], 6)) == pytest.approx([-0.375, -0.125, 0.125, 0.375])


def test_round_bricks_are_wedges_round_the_axis() -> None:
    made = parse(
        {
            "bodies": [
                {
                    "name": "tower",
                    "shape": {"kind": "tube", "radius": 2.0, "wall": 0.4, "height": 1.5, "segments": 96},
                    "pattern": {"kind": "bricks", "size": [0.8, 0.5, 0.4], "layout": "round", "offset": 0.5},
                }
            ]
        }
    ).bodies[0]
    pieces = build_pieces(made)
    number = round(2 * np.pi * 2.0 / 0.8)
    assert pieces.count == 3 * number
    course = np.round((pieces.center[:, 1] - pieces.center[:, 1].min()) / 0.5).astype(int)
    step = 2 * np.pi / number
    first = [
        np.sort(np.arctan2(pieces.center[course == k, 2], pieces.center[course == k, 0]) % step)[number // 2]
        for k in range(3)
    ]
    assert abs(abs(first[0] - first[1]) - step / 2) < 0.05 * step and abs(first[0] - first[2]) < 0.05 * step
    assert np.hypot(pieces.center[:, 0], pieces.center[:, 2]).std() < 0.01


def test_a_joint_never_runs_along_the_solid_s_own_face() -> None:
    """A length that divides the solid evenly: its ends are no cuts."""
    pieces = broken({"kind": "bricks", "size": [1.0, 1.0, 1.0], "offset": 0.0}, (3, 1, 1))
    assert pieces.count == 3 and pieces.skin.sum() > 0
    corners, owner = pieces.corners()
    area = 0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    cut_area = np.bincount(owner[~pieces.skin], area[~pieces.skin])
    assert np.sort(cut_area) == pytest.approx([1, 1, 2])


# ------------------------------------------------------------------------------------------- tiers and choices


def test_chunks_are_numbered_tier_by_tier() -> None:
    again = [{"pattern": {"kind": "slabs", "count": 3, "axis": [1, 0, 0], "spread": 0}}]
    pieces = broken({"kind": "slabs", "count": 2, "axis": [0, 1, 0], "spread": 0}, breaks=again)
    assert pieces.path.tolist() == [[a, b, -1, -1] for a in (0, 1) for b in (0, 1, 2)]
    assert (pieces.tier == 2).all()


def test_chosen_pieces_alone_are_broken_again() -> None:
    again = [{"of": {"kind": "pieces", "pieces": [1]}, "pattern": {"kind": "slabs", "count": 4, "axis": [1, 0, 0]}}]
    pieces = broken({"kind": "slabs", "count": 3, "axis": [0, 1, 0]}, breaks=again)
    assert pieces.tier.tolist() == [1, 2, 2, 2, 2, 1]
    assert len({tuple(p) for p in pieces.path.tolist()}) == 6


def test_every_chosen_piece_breaks_in_its_own_way() -> None:
    again = [{"pattern": {"kind": "cells", "count": 6, "seed": 2}}]
    pieces = broken({"kind": "slabs", "count": 2, "axis": [0, 1, 0], "spread": 0, "random": 0}, breaks=again)
    one, two = (np.sort(pieces.volume[pieces.path[:, 0] == c]) for c in (0, 1))
    assert np.abs(one - two).max() > 0.01


@pytest.mark.parametrize(
    ("choice", "picked"),
    [
        ({"kind": "all"}, [0, 1, 2, 3]),
        ({"kind": "pieces", "pieces": [3, 1]}, [1, 3]),
        ({"kind": "larger", "size": 1.2}, [0, 1, 2, 3]),
        ({"kind": "reach", "reach": reach_sphere((-2, 0, 0), 1.0), "above": 0.5}, [0]),
    ],
)
def test_choices_pick_the_pieces_they_name(choice: dict[str, Any], picked: list[int]) -> None:
    made = body(
        {"kind": "slabs", "count": 4, "axis": [1, 0, 0], "spread": 0, "random": 0},
        breaks=[{"of": choice, "pattern": {"kind": "slabs"}}],
    )
    pieces = build_pieces(body({"kind": "slabs", "count": 4, "axis": [1, 0, 0], "spread": 0, "random": 0}))
    assert np.flatnonzero(chosen(pieces, made.breaks[0].of, "breaks[0]")).tolist() == picked


def test_a_choice_of_nothing_says_where_it_stands() -> None:
    far = {"kind": "reach", "reach": reach_sphere((90, 0, 0), 1.0)}
    made = body({"kind": "slabs", "count": 4}, breaks=[{"of": far, "pattern": {"kind": "slabs"}}])
    with pytest.raises(InputError, match="move its reach") as said:
        build_pieces(made)
    assert said.value.where == "breaks[0].of"


def test_too_many_pieces_are_refused_while_they_are_cut(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(tiers, "MOST_PIECES", 40)
    across = {"kind": "slabs", "count": 5, "axis": [1, 0, 0]}
    for pattern, again, where in (
        ({"kind": "slabs", "count": 41}, [], "pattern"),
        ({"kind": "slabs", "count": 9}, [{"pattern": across}], "breaks[0].pattern"),
    ):
        with pytest.raises(InputError, match="40") as said:
            broken(pattern | {"spread": 0}, breaks=again)
        assert said.value.where == where


def test_chunks_of_a_guide_hold_what_falls_into_its_regions() -> None:
    guide = {"kind": "slabs", "count": 4, "axis": [1, 0, 0], "spread": 0, "random": 0}
    pieces = broken({"kind": "cells", "count": 80, "seed": 6}, breaks=[{"pattern": {"kind": "chunks", "guide": guide}}])
    quarter = np.clip(np.floor(pieces.center[:, 0] + 2.0), 0, 3)
    for chunk in np.unique(pieces.path[:, 0]):
        assert len(np.unique(quarter[pieces.path[:, 0] == chunk])) == 1
    differ = quarter[pieces.bond_piece[:, 0]] != quarter[pieces.bond_piece[:, 1]]
    assert (pieces.bond_tier == np.where(differ, 1, 2)).all()


def test_more_chunks_than_pieces_leave_each_piece_its_own() -> None:
    pieces = broken({"kind": "cells", "count": 6}, breaks=[{"pattern": {"kind": "clusters", "count": 50}}])
    assert len(np.unique(pieces.path[:, 0])) == 6


def test_progress_grows_to_the_end_and_may_stop_the_work() -> None:
    class Enough(Exception):
        pass

    seen: list[float] = []
    made = body(
        {"kind": "cells", "count": 64, "seed": 1},
        breaks=[{"pattern": {"kind": "slabs", "count": 2, "axis": [1, 0, 0]}}],
    )
    build_pieces(made, progress=seen.append)
    assert seen == sorted(seen) and seen[0] < 0.1 and 0.9 < seen[-1] <= 1.0

    def stop(done: float) -> None:
        if done > 0.2:
            raise Enough

    with pytest.raises(Enough):
        build_pieces(made, progress=stop)


# ------------------------------------------------------------------------------------------ keys and containers


def test_the_key_of_pieces_changes_with_what_decides_them_and_with_nothing_else() -> None:
    base = body({"kind": "cells", "count": 6, "seed": 1})
    key = content_key(base)
    same = base.model_copy(update={"name": "other", "material": body(None, material={"density": 7}).material})
    assert content_key(same) == key
    for pattern in ({"kind": "cells", "count": 6, "seed": 2}, {"kind": "slabs", "count": 6}, None):
        assert content_key(body(pattern)) != key
    assert content_key(body({"kind": "cells", "count": 6, "seed": 1}, (4, 2, 1.5))) != key


def test_scaled_pieces_are_those_of_the_scaled_body() -> None:
    pieces = broken({"kind": "cells", "count": 9, "seed": 3}).scaled(0.25)
    other = broken({"kind": "cells", "count": 9, "seed": 3}, (1, 0.5, 0.25))
    assert pieces.volume.sum() == pytest.approx(other.volume.sum())
    for mine, again in zip(
        pieces.arrays().values(), Pieces.from_arrays(pieces.arrays()).arrays().values(), strict=True
    ):
        assert mine.tobytes() == again.tobytes()
    for p in range(pieces.count):
        normal, area = triangle_normals(pieces.mesh(p))
        assert (area[:, None] * normal).sum(axis=0) == pytest.approx(np.zeros(3), abs=1e-9)


def test_a_mesh_in_any_state_can_be_drawn_as_one_piece() -> None:
    open_mesh = primitives.box((1, 1, 1))
    torn = type(open_mesh)(open_mesh.vertices, open_mesh.faces[:-2])
    shown = as_it_is(torn)
    assert shown.count == 1 and shown.skin.all() and shown.volume[0] > 0
    with pytest.raises(GeometryError, match="not a clean closed solid|open"):
        build_pieces(
            parse(
                {
                    "bodies": [
                        {
                            "name": "torn",
                            "shape": {"kind": "mesh", "vertices": torn.vertices.tolist(), "faces": torn.faces.tolist()},
                            "pattern": {"kind": "cells", "count": 3},
                        }
                    ]
                }
            ).bodies[0]
        )


@pytest.mark.parametrize("kind", ["cells", "splinters", "radial", "slabs", "bricks"])
def test_regions_cover_the_solid_and_nowhere_overlap(kind: str) -> None:
    """Points scattered in the solid lie in exactly one region."""
    mesh = primitives.box(BOX)
    found, count = regions(body({"kind": kind}).pattern, mesh)
    points = np.random.default_rng(2).uniform(-0.499, 0.499, (4000, 3)) * BOX
    covered = np.zeros(len(points), int)
    total = 0
    for region in found:
        total += 1
        raw = region.to_mesh64()
        corners = np.asarray(raw.vert_properties)[:, :3][np.asarray(raw.tri_verts)]
        normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        inside = np.ones(len(points), bool)
        for n, c in zip(normal, corners[:, 0], strict=True):
            inside &= (points - c) @ n <= 1e-12
        covered += inside
    assert total == count
    assert (covered == 1).mean() > 0.9999


def test_documents_of_before_that_say_clusters_mean_chunks() -> None:
    old, new = (
        broken({"kind": "cells", "count": 20}, breaks=[{"pattern": {"kind": kind, "count": 4}}])
        for kind in ("clusters", "chunks")
    )
    np.testing.assert_array_equal(old.path, new.path)
    step = BreakStep.model_validate({"pattern": {"kind": "clusters", "count": 4}})
    assert step.model_dump()["pattern"]["kind"] == "chunks"
