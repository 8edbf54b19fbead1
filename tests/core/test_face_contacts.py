"""Small things on cloth and soft bodies whose cells are larger: they lie on faces, and do not fall between vertices."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.spatial import cKDTree

from deforming import cloth, rope, soft, started
from dynaclast.core.geometry import primitives
from dynaclast.core.kernels import kernel
from dynaclast.core.solve.collision import pack_hulls
from dynaclast.core.solve.deformable.face_contacts import _shares, cores_of, known_side, note_side
from dynaclast.core.solve.inner_faces import is_in_hull
from dynaclast.core.solve.prepare.deformables.contacts import _one_sided, faces_bent_away
from dynaclast.core.solve.rigid.hulls import convex_core
from playing import played
from shots import ball, box, shot


@kernel
def _shared(corner, t, v):  # type: ignore[no-untyped-def]
    return _shares(corner, t, v[0], v[1], v[2])


@kernel
def _inside(hulls, v, spare):  # type: ignore[no-untyped-def]
    return is_in_hull(hulls, 0, v[0], v[1], v[2], spare)


def _note(points, face, behind, s, sides):  # type: ignore[no-untyped-def]
    played(lambda: note_side(points, face, behind, s, sides))


def _known(points, face, s, sides):  # type: ignore[no-untyped-def]
    return played(lambda: known_side(points, face, s, sides))


def test_shares_of_corners_give_the_nearest_point_of_a_plane() -> None:
    rng = np.random.default_rng(4)
    for _ in range(30):
        corner, v, t = rng.normal(size=(3, 6)), rng.normal(size=3), float(rng.random())
        at = corner[:, :3] + t * corner[:, 3:]
        shares = np.array(_shared(corner, t, v))
        normal = np.cross(at[1] - at[0], at[2] - at[0])
        foot = v - normal * (normal @ (v - at[0])) / (normal @ normal)
        assert shares.sum() == pytest.approx(1.0) and shares @ at == pytest.approx(foot, abs=1e-6)


def test_what_lies_in_a_hull_is_behind_all_its_faces() -> None:
    hulls = pack_hulls([convex_core(primitives.box((2, 1, 0.6)).vertices)], [0])
    rng = np.random.default_rng(5)
    for v in rng.uniform(-1.2, 1.2, (200, 3)):
        for spare in (0.0, 0.1):
            assert _inside(hulls, v, spare) == bool((np.abs(v) <= np.array([1, 0.5, 0.3]) + spare).all())


def test_hulls_are_as_wide_as_they_are_where_they_are_narrowest() -> None:
    shapes = [primitives.box((2, 1, 0.6)).vertices + 5.0, primitives.box((0.02, 0.02, 3)).vertices]
    cores = cores_of(pack_hulls([convex_core(v) for v in shapes], [0, 0]))
    assert cores.width == pytest.approx([0.6, 0.02], rel=0.02) and cores.middle[0] == pytest.approx([5, 5, 5])
    sheet, exact = (
        cloth("sheet", (0, 1, 0), (1, 1), (4, 4)),
        box("post", (0, 0.2, 0), role="passive", collision="exact"),
    )
    run = started(shot(sheet, exact, ball("b", (3, 1, 0), 0.2)))
    own = cores_of(run.model.hulls).width
    assert np.isinf(own[1:]).all() and own[0] == pytest.approx(0.4)  # single triangles have none


def test_faces_are_one_sided_where_they_pass_their_edges_in_opposite_ways() -> None:
    assert _one_sided(np.array([[0, 1, 2], [0, 2, 3]]))
    assert not _one_sided(np.array([[0, 1, 2], [0, 3, 2]]))


def test_faces_that_bend_away_are_those_round_a_corner_that_lie_behind_each_other() -> None:
    cube = primitives.box((1, 1, 1))
    pairs = faces_bent_away(cube.vertices, cube.faces)
    corner = cube.vertices[cube.faces]
    normal = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
    slow = {
        (f, g)
        for f in range(12)
        for g in range(12)
        if set(cube.faces[f]) & set(cube.faces[g]) and abs(normal[f] @ normal[g]) < 0.5
    }
    assert {tuple(p) for p in pairs.tolist()} == slow and len(pairs) == len(slow)
    assert len(faces_bent_away(cube.vertices, cube.faces[:, ::-1])) == 0  # seen from inside, it bends in
    alone = corner.reshape(-1, 3)  # each face with points of its own
    assert faces_bent_away(alone, np.arange(36).reshape(12, 3)).tolist() == pairs.tolist()
    ball = primitives.sphere(1.0, 96)
    assert len(faces_bent_away(ball.vertices, ball.faces)) == 0  # it hardly bends from face to face


def trampoline(cells: int) -> dict[str, Any]:
    """Two metres square, held along its border."""
    border = {"layers": [{"shape": {"kind": "box", "center": [0, 1, 0], "core": [0.98, 1, 0.98]}, "invert": True}]}
    return cloth(
        "sheet", (0, 1, 0), (2, 2), (cells, cells), matter={"preset": "canvas", "folds": True}, pins=[{"reach": border}]
    )


def thrown(kind: str, size: float, count: int, speed: float, seed: int) -> list[dict[str, Any]]:
    rng = np.random.default_rng(seed)
    out = []
    for k in range(count):
        x, z = rng.uniform(-0.6, 0.6, 2)
        at = (float(x), 1.05 + size + 0.3 * k, float(z))
        turn = rng.normal(size=4)
        turn /= np.linalg.norm(turn)
        more = {"velocity": [0, -speed, 0], "material": {"density": 800}}
        if kind == "ball":
            out.append(ball(f"b{k}", at, size, **more))
        else:
            out.append(box(f"b{k}", at, (2 * size,) * 3, place={"rotation": turn.tolist()}, **more))
    return out


@pytest.mark.parametrize("quality", ["draft", "standard"])
@pytest.mark.parametrize("speed", [0.0, 20.0])
@pytest.mark.parametrize(
    ("kind", "size", "cells"), [("ball", 0.03, 6), ("box", 0.03, 6), ("ball", 0.07, 12), ("box", 0.05, 18)]
)
def test_small_things_that_fall_on_a_coarse_sheet_stay_on_it(
    kind: str, size: float, cells: int, speed: float, quality: str
) -> None:
    """None passes through it; they may leave over its border."""
    things, frames = thrown(kind, size, 4, speed, 11), 36 if speed else 72
    run = started(shot(trampoline(cells), *things, ground={"on": False}, quality=quality, frames=frames))
    last = np.array([b["place"]["position"] for b in things])
    for frame in range(frames):
        at = run.advance().arrays["position"].astype(float)
        for k in np.flatnonzero((at[:, 1] < 0.6) & (last[:, 1] >= 0.6)):
            assert np.abs(last[k, [0, 2]]).max() > 0.9, (frame, things[k]["name"])
        last = at


@pytest.mark.parametrize(
    ("kind", "size", "speed", "broken"),
    [("ball", 0.03, 0.0, False), ("ball", 0.03, 0.0, True), ("box", 0.04, 12.0, False), ("ball", 0.1, 12.0, True)],
)
def test_small_things_that_fall_on_a_soft_body_do_not_sink_into_it(
    kind: str, size: float, speed: float, broken: bool
) -> None:
    """On a block 1.5 m wide of cubes of 25 cm, whole and in pieces that hold."""
    more = {"pattern": {"kind": "cells", "count": 5}, "bonds": {"strength": 1e5}} if broken else {}
    block = soft("block", (0, 0.25, 0), (1.5, 0.5, 1.5), matter={"preset": "rubber", "detail": 6}, **more)
    things = thrown(kind, size, 4, speed, 5)
    run = started(shot(block, *things, frames=32))
    for _ in range(32):
        at = run.advance().arrays["position"]
    on = np.abs(at[:, [0, 2]]).max(axis=1) < 0.7
    assert on.sum() >= 2 and at[on, 1].min() > 0.5 + 0.5 * size


FINE: dict[str, dict[str, Any]] = {
    "flake": cloth("o", (0.13, 1.15, 0.11), (0.12, 0.12), (4, 4), matter={"preset": "canvas"}),
    "cube": soft("o", (0.13, 1.15, 0.11), (0.1, 0.1, 0.1), matter={"preset": "rubber", "detail": 3}),
    "cord": rope("o", (0.05, 1.15, 0.12), (0.45, 1.15, 0.13), segments=10, matter={"radius": 0.008}),
    "cord across": rope("o", (0.5, 1.15, -0.6), (-0.4, 1.15, 0.5), segments=24, matter={"radius": 0.008}),
}


@pytest.mark.parametrize("under", ["cloth", "soft"])
@pytest.mark.parametrize("over", sorted(FINE))
def test_fine_things_that_deform_lie_on_coarse_ones(over: str, under: str) -> None:
    """Above cells of 40 cm, by no more than the balls of what lies there and of the points that were put on them."""
    foot = {"reach": {"layers": [{"shape": {"kind": "box", "center": [0, 0.4, 0], "core": [2, 0.12, 2]}}]}}
    block = soft("block", (0, 0.7, 0), (2, 0.6, 2), matter={"preset": "rubber", "detail": 5}, pins=[foot])
    run = started(shot(trampoline(5) if under == "cloth" else block, FINE[over], ground={"on": False}, frames=40))
    for _ in range(40):
        at = run.advance().arrays["points/o"]
    assert 0.97 < at[:, 1].min() < 1.06


def test_points_on_faces_are_no_farther_apart_than_finer_things_ask_for() -> None:
    """On flat cloth they tile it; of a solid each lies where its tetrahedron says."""
    for coarse in (cloth("c", (0, 1, 0), (2, 2), (3, 3)), soft("c", (0, 1, 0), (2, 1, 1), matter={"detail": 2})):
        cord = rope("r", (0, 3, 0), (1, 3, 0), matter={"radius": 0.05})
        run = started(shot(coarse, cord))
        assert run.model.deformables is not None
        points, x = run.model.deformables.elements.points, run.model.deformables.elements.vertices.rest
        own = points.between != 0
        share = points.weight[:, :, None] * x[np.maximum(points.vertex, 0)]
        at = share.sum(axis=1)
        assert points.weight.sum(axis=1) == pytest.approx(1.0)
        mesh = at[: points.first[1]]
        gap = cKDTree(mesh).query(mesh, k=2)[0][:, 1]
        assert own.sum() > 60 and gap.max() < 0.3 * 1.2
        if coarse["matter"]["kind"] == "cloth":
            assert np.ptp(mesh[:, 1]) < 1e-9
        else:  # on its surface
            off = np.abs(mesh - [0, 1, 0]) - [1, 0.5, 0.5]
            assert np.abs(off.max(axis=1)).max() < 1e-9


def test_what_meets_nothing_finer_has_no_more_points() -> None:
    run = started(shot(cloth("a", (0, 1, 0), (2, 2), (8, 8)), cloth("b", (0, 2, 0), (2, 2), (8, 8))))
    assert run.model.deformables is not None and not run.model.deformables.elements.points.between.any()


def test_a_ball_lies_on_the_middle_of_a_face_as_on_a_table() -> None:
    """All corners of the face are pinned: it is as hard as its contact."""
    everywhere = {"layers": [{"shape": {"kind": "sphere", "core": 9}}]}
    sheet = cloth("sheet", (0, 1, 0), (2, 2), (2, 2), matter={"thickness": 0.01}, pins=[{"reach": everywhere}])
    run = started(shot(sheet, ball("b", (0.6, 1.13, 0.2), 0.1, material={"rolling": 0.05}), ground={"on": False}))
    for _ in range(60):
        frame = run.advance()
    assert frame.arrays["position"][0, 1] == pytest.approx(1 + 0.005 + 0.1, abs=1e-3)


def test_what_others_press_through_comes_back_to_its_side() -> None:
    """A ball of 60 kg is let down on one of 60 g: that is pressed through the sheet, and yet stays above it."""
    small, great = ball("small", (0.1, 1.03, 0.1), 0.03), ball("great", (0.1, 1.27, 0.1), 0.2, material={"mass": 60})
    run = started(shot(trampoline(8), small, great, ground={"on": False}, frames=72))
    for _ in range(72):
        frame = run.advance()
        assert frame.arrays["position"][:, 1].min() > 0.6


def test_on_which_side_a_hull_touches_is_known_of_a_face_and_of_those_beside_it_alone() -> None:
    """A sheet of 4 by 1 cells, folded in the middle, may lie with either side on one and the same hull."""
    run = started(shot(cloth("sheet", (0, 1, 0), (4, 1), (4, 1))))
    points = run.model.deformables.elements.points  # type: ignore[union-attr]
    sides = run.state.touching.sides
    assert sides.shape == (10, 8) and not sides.any()
    x = run.state.vertices.position[points.face].mean(axis=1)[:, 0]
    left, right = int(np.argmin(x)), int(np.argmax(x))
    _note(points, left, False, 6, sides)
    _note(points, right, True, 6, sides)
    _note(points, right, True, 6, sides)
    assert np.count_nonzero(sides) == 6
    corners = [set(f) for f in points.face.tolist()]
    for f in range(len(points.face)):
        due = 1 if corners[f] & corners[left] else -1 if corners[f] & corners[right] else 0
        assert _known(points, f, 6, sides) == due and _known(points, f, 7, sides) == 0
    for s in range(20, 40):  # a corner has room for eight
        _note(points, left, True, s, sides)
    assert [_known(points, left, s, sides) for s in (6, 20, 26, 27, 39)] == [1, -1, -1, 0, 0]


@pytest.mark.parametrize(("count", "seed"), [(47, 11), (30, 5)])
def test_a_sheet_that_folds_on_narrow_pieces_stays_above_them_with_both_its_sides(count: int, seed: int) -> None:
    """A crate slides away under it and leaves it in folds, on a pier that is bonded and does not move."""
    pier = box("pier", (0, 0.3, 0), (3.1, 0.6, 1.7), bonds={"strength": 1e5})
    pier["pattern"] = {"kind": "cells", "count": count, "seed": seed}
    crate = box("crate", (0.7, 0.92, 0.1), (0.5, 0.6, 0.45), velocity=[-3.3, 0, 0])
    run = started(shot(pier, crate, cloth("sheet", (0.4, 1.6, 0), (1.7, 1.3), (19, 15)), quality="fine", frames=30))
    for frame in range(30):
        run.advance()
        x = run.state.vertices.position
        over = (np.abs(x[:, 0]) < 1.5) & (np.abs(x[:, 2]) < 0.8)
        assert x[over, 1].min() > 0.6 - 0.003, frame


def test_a_small_stone_and_a_free_sheet_keep_their_momentum() -> None:
    sheet = cloth("sheet", (0, 0, 0), (2, 2), (5, 5), matter={"weight": 0.4})
    stone = ball("stone", (0.13, 0.2, 0.31), 0.04, velocity=[1, -9, 0], material={"mass": 0.3})
    run = started(shot(sheet, stone, gravity=[0, 0, 0], ground={"on": False}, frames=12))
    mass = run.model.deformables.own_mass  # type: ignore[union-attr]

    def momentum() -> np.ndarray:
        return np.asarray(mass @ run.state.vertices.velocity + 0.3 * run.state.assemblies.velocity[0])

    before = momentum()
    for _ in range(12):
        run.advance()
        assert momentum() == pytest.approx(before, abs=1e-9 * 2.7)
    assert run.state.assemblies.velocity[0, 1] > -6  # it was met


@pytest.mark.parametrize(
    ("detail", "count", "above", "quality"),
    [
        (2, 12, 0.02, "draft"),
        (2, 12, 0.02, "standard"),
        (2, 12, 0.02, "fine"),
        (4, 12, 0.0, "standard"),
        (4, 30, 0.05, "draft"),
        (3, 80, -0.003, "draft"),
    ],
)
def test_a_soft_body_lies_still_on_a_bonded_body_of_small_pieces(
    detail: int, count: int, above: float, quality: str
) -> None:
    """As on a whole one. Corners of pieces that stood a hair inside, near its border, were taken to have come through
    its sides, and threw it thirty metres up.
    """
    block = box("block", (0, 0.5, 0), (1.2, 1, 1.2), bonds={"strength": 1e4})
    block["pattern"] = {"kind": "cells", "count": count, "seed": detail}
    pad = soft("pad", (0.05, 1.2 + above, 0.03), (0.5, 0.4, 0.4), matter={"detail": detail, "young": 100.0})
    run = started(shot(block, pad, quality=quality))
    run.opening()
    energy = [run.advance().stats["energy"] for _ in range(24)]
    assert max(np.diff(energy)) < 25.0 and energy[-1] < energy[0] + 5.0  # J, of 8,000; what it springs back by
    lowest = run.state.vertices.position[:, 1].min()
    assert 0.98 < lowest < 1.001 and np.abs(run.state.vertices.velocity).max() < 0.4
