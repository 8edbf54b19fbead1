"""Fields and falloffs that follow what deforms: by its surface, its vertices, and what carries a point along."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from deforming import EVERYWHERE, cloth, pin, rope, soft, started
from dynaclast.core import document
from dynaclast.core.errors import DocumentError
from dynaclast.core.falloff import EvaluationContext, value
from dynaclast.core.geometry import primitives
from dynaclast.core.geometry.rotations import best_rotation, quaternion_of, rotation_matrix
from dynaclast.core.preflight.still import StillWorld
from dynaclast.core.solve.field_actions import ActiveFields
from dynaclast.core.solve.live_world import LiveWorld
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.model import Hold
from dynaclast.core.solve.prepare import prepare
from dynaclast.core.solve.state import State
from shots import box, shot

TURN = Rotation.from_rotvec([0.4, -1.1, 0.7]).as_matrix()
SHIFT = np.array([3.0, 1.0, -2.0])
SHEET = cloth("sheet", (0, 2, 0), (2, 1), (6, 4))
LINE = rope("line", (-1, 1, 0), (1, 1.5, 0), segments=8)
LUMP = soft("lump", (4, 1, 0), (1, 0.6, 0.8))


def near(kind: str, body: str, core: float, edge: float = 0.0) -> dict[str, Any]:
    shape = {"kind": kind, "body": body, "core": core, "edge": edge}
    return {"layers": [{"shape": shape, "profile": "linear"}]}


@pytest.mark.parametrize("rank", [0, 1, 2, 3])
def test_the_best_rotation_is_the_one_that_points_were_turned_by(rank: int) -> None:
    rng = np.random.default_rng(rank)
    then = rng.normal(size=(12, rank)) @ rng.normal(size=(rank, 3))
    then -= then.mean(axis=0)
    turn = best_rotation(then, then @ TURN.T)
    assert then @ turn.T == pytest.approx(then @ TURN.T, abs=1e-12)
    assert turn @ turn.T == pytest.approx(np.eye(3), abs=1e-12)
    assert np.linalg.det(turn) == pytest.approx(1.0)
    if rank >= 2:
        assert turn == pytest.approx(TURN, abs=1e-9)  # a mirror image fits flat points as well, and is none
        assert rotation_matrix(quaternion_of(turn)) == pytest.approx(TURN, abs=1e-9)


def test_what_has_no_finite_place_turns_nothing() -> None:
    then = np.eye(3) - 1 / 3
    assert (best_rotation(then, np.where(then > 0, np.nan, then)) == np.eye(3)).all()
    assert (best_rotation(then, np.zeros((3, 3))) == np.eye(3)).all()


def test_a_line_is_turned_by_the_least_angle_also_straight_back() -> None:
    along = np.outer(np.linspace(-1, 1, 5), [1.0, 2.0, 2.0])
    assert best_rotation(along, along) == pytest.approx(np.eye(3))
    assert Rotation.from_matrix(best_rotation(along, along @ TURN.T)).magnitude() == pytest.approx(
        np.arccos(along[4] @ TURN @ along[4] / (along[4] @ along[4]))
    )
    back = best_rotation(along, -along)
    assert along @ back.T == pytest.approx(-along)
    assert np.linalg.det(back) == pytest.approx(1.0)


@pytest.mark.parametrize("name", ["sheet", "line", "lump"])
def test_a_point_is_carried_along_rigidly_by_what_lies_round_it(name: str) -> None:
    run = started(shot(SHEET, LINE, LUMP))
    world = LiveWorld(run.model, run.state)
    where = run.model.deformables.start[run.model.deformables.drawn[["sheet", "line", "lump"].index(name)].first]
    point = where + [0.05, 0.1, -0.2] if name != "line" else where
    assert world.carried(name, point)[0] == pytest.approx(point)
    x = run.state.vertices.position
    x[:] = x @ TURN.T + SHIFT
    there, turn = world.carried(name, point)
    assert there == pytest.approx(TURN @ point + SHIFT)
    if name != "line":
        assert rotation_matrix(turn) == pytest.approx(TURN, abs=1e-9)


@pytest.mark.parametrize("name", ["sheet", "lump"])
def test_a_falloff_round_what_deforms_goes_by_its_triangles_as_they_are_now(name: str) -> None:
    run = started(shot(SHEET, LUMP))
    drawn = next(d for d in run.model.deformables.drawn if d.name == name)
    world = LiveWorld(run.model, run.state)
    assert len(world.surface(name)[0].mesh.faces) == len(drawn.faces)
    x = run.state.vertices.position
    x[:] = (x * [1.3, 1.0, 0.8]) @ TURN.T + SHIFT  # neither where it was nor of the same shape
    world.refresh()
    points = SHIFT + TURN @ [2.0, 2.0, 0.0] + np.random.default_rng(3).uniform(-4, 4, (60, 3))
    corners = drawn.points(x)[drawn.faces]
    reach = document.Falloff.model_validate(near("mesh", name, 0.0, 8.0))
    got = value(reach, points, EvaluationContext(world=world))
    weights = np.random.default_rng(4).dirichlet([0.4, 0.4, 0.4], 400)
    samples = np.einsum("sk,fkc->fsc", weights, corners)
    slow = np.linalg.norm(points[:, None] - samples.reshape(-1, 3)[None], axis=2).min(axis=1)
    outside = got < 1.0  # in a closed one, it is 1
    assert outside.sum() > 40
    assert 8.0 * (1.0 - got[outside]) == pytest.approx(slow[outside], abs=0.03)
    assert (8.0 * (1.0 - got[outside]) <= slow[outside] + 1e-9).all()


def test_vertices_of_a_rope_and_of_a_group_are_reached_round_without_those_that_are_gone() -> None:
    pair = {
        "name": "pair",
        "body": SHEET | {"name": "of pair"},
        "layout": {"kind": "line", "count": 2, "step": [0, 0, 5]},
    }
    run = started(shot(LINE, groups=[pair]))
    world = LiveWorld(run.model, run.state)
    points, size = world.pieces("line")
    assert points == pytest.approx(run.model.deformables.start[:9])
    assert (size == 0).all()
    assert len(world.pieces("pair")[0]) == 2 * 35
    run.state.vertex_hold[2:5] = Hold.REMOVED
    world.refresh()
    assert len(world.pieces("line")[0]) == 6
    run.state.vertex_hold[9 : 9 + 7] = Hold.REMOVED
    world.refresh()
    assert len(world.surface("pair")[0].mesh.faces) == 48 - 12  # one row of cells of the first sheet


def follower(**more: Any) -> dict[str, Any]:
    return {"name": "draws", "effect": {"kind": "attractor", "strength": 6.0}, "reach": EVERYWHERE} | more


def test_pieces_are_drawn_to_the_nearest_point_of_a_sheet_wherever_it_has_got_to() -> None:
    draws = follower(effect={"kind": "attractor", "strength": 6.0, "to": "surface", "body": "sheet"}, targets=["chip"])
    scene = shot(
        cloth("sheet", (0, 4, 0), (2, 1), (6, 4), pins=[pin(0, 4, 0, reach=9.0)], release={"kind": "start"}),
        box("chip", (0.3, 1, 0.1), (0.1, 0.1, 0.1)),
        fields=(draws,),
        gravity=(0, 0, 0),
        frames=2,
    )
    ready = prepare(scene)
    run = Run(ready.shot, ready.model, ready.state)
    run.opening()
    run.advance()
    up = run.state.assemblies.velocity[0].copy()
    assert up[1] > 0.1
    assert abs(up[0]) < 1e-9  # straight below it
    shifted = Run(ready.shot, ready.model, State.unpack(prepare(scene).state.pack()))
    shifted.state.vertices.position[:] += [5.3, 0, 0]
    shifted.opening()
    fields = ActiveFields(ready.shot, ready.model, shifted.state)
    fields.world.refresh()
    mesh, turn, offset = fields.world.surface("sheet")
    assert offset == pytest.approx(np.zeros(3))
    assert mesh.closest(np.array([[0.3, 1.0, 0.1]]))[0] == pytest.approx([4.3, 4.0, 0.1])


def scene_that_follows(frames: int = 16) -> document.Shot:
    """A lump that is thrown, with a wind round it and an eddy that rides on it; a sheet that draws chips to itself."""
    ride = {"kind": "sphere", "center": [0, 2, 0], "core": 1.0, "edge": 0.5, "ride": "lump"}
    return shot(
        soft("lump", (0, 2, 0), (0.6, 0.6, 0.6), velocity=[4, 3, 0], spin=[0, 0, 5]),
        cloth("sheet", (2, 3, 0), (1, 1), (5, 5), pins=[pin(2.5, 3, 0.5), pin(2.5, 3, -0.5)]),
        rope("line", (-2, 3, 0), (-1, 3, 0), segments=6, pins=[pin(-2, 3, 0)]),
        *(box(f"chip {k}", (0.9 * k, 0.2, 0.4), (0.1, 0.1, 0.1)) for k in range(4)),
        fields=(
            {"name": "gust", "effect": {"kind": "wind", "speed": 20}, "reach": near("mesh", "lump", 0.5, 0.5)},
            {"name": "eddy", "effect": {"kind": "vortex", "swirl": 9.0}, "reach": {"layers": [{"shape": ride}]}},
            follower(effect={"kind": "attractor", "strength": 9.0, "to": "surface", "body": "sheet"}),
            {
                "name": "round",
                "effect": {"kind": "push", "amount": 3},
                "reach": near("pieces", "line", 0.3, 0.6),
                "travel": {"kind": "ride", "body": "sheet"},
                "cue": {"kind": "span", "start": 0.1},
            },
        ),
        frames=frames,
    )


def test_what_follows_what_deforms_goes_on_to_the_bit_from_any_state() -> None:
    ready = prepare(scene_that_follows())
    run = Run(ready.shot, ready.model, ready.state)
    run.opening()
    kept, frames = [], []
    for _ in range(16):
        kept.append(run.state.pack())
        frames.append(run.advance())
    for k in (3, 9):
        later = Run(ready.shot, ready.model, State.unpack(kept[k]))
        for frame in frames[k:]:
            again = later.advance()
            assert all(again.arrays[name].tobytes() == frame.arrays[name].tobytes() for name in frame.arrays)
    names = [f.name for f in ready.shot.fields]
    acted = np.zeros(len(names), bool)
    for frame in frames:
        for name, bits in frame.arrays.items():
            if name.startswith("acted"):
                acted |= np.unpackbits(bits, axis=-1, bitorder="little")[..., : len(names)].any(
                    axis=tuple(range(bits.ndim - 1))
                )
    assert acted.all()


def test_a_pull_that_rides_on_a_lump_moves_what_the_lump_comes_to() -> None:
    ride = {"kind": "sphere", "center": [0, 2, 0], "core": 1.2, "edge": 0, "ride": "lump"}
    eddy = {
        "name": "eddy",
        "effect": {"kind": "gravity", "acceleration": [0, 0, 2]},
        "reach": {"layers": [{"shape": ride}]},
    }

    def moved(**more: Any) -> np.ndarray:
        lump = soft("lump", (0, 2, 0), (0.4, 0.4, 0.4), gravity=0, **more)
        chips = [box(f"chip {k}", (2.0 * k, 2, 0.7), (0.1, 0.1, 0.1), gravity=0) for k in range(3)]
        run = started(shot(lump, *chips, fields=(eddy | {"targets": [f"chip {k}" for k in range(3)]},), frames=12))
        run.opening()
        for _ in range(12):
            run.advance()
        return run.state.assemblies.velocity[:3, 2]

    still, thrown = moved(), moved(velocity=[8, 0, 0])
    assert still[0] == pytest.approx(1.0, rel=0.01)  # half a second
    assert still[1:] == pytest.approx([0, 0])
    passed = 2.0 / 8.0 * np.array([1.0, 2.0, 1.0]) * np.sqrt(1.2**2 - 0.72**2)  # 2 m/s2 for as long as it is near
    assert thrown == pytest.approx(passed, rel=0.15)


def test_before_a_run_it_stands_where_it_opens() -> None:
    scene = shot(SHEET | {"place": {"position": [0, 2, 0], "rotation": [0, 0, 0.7071, 0.7071]}}, LUMP)
    world = StillWorld(scene, prepare(scene).pieces)
    mesh, _, _ = world.surface("sheet")
    assert np.ptp(mesh.mesh.vertices, axis=0) == pytest.approx([0, 2, 1], abs=1e-3)
    points, size = world.pieces("lump")
    assert points.mean(axis=0) == pytest.approx([4, 1, 0])
    assert len(points) == len(primitives.box((1, 1, 1)).vertices)
    assert (size == 0).all()
    there, turn = world.carried("lump", np.array([4.0, 1, 0]))
    assert there == pytest.approx([4, 1, 0])
    assert turn == pytest.approx([0, 0, 0, 1])


@pytest.mark.parametrize(
    ("place", "field"),
    [
        ("fields[0].reach.layers[0].shape.body", {"reach": near("mesh", "line", 0.1)}),
        ("fields[0].effect.body", {"effect": {"kind": "attractor", "to": "surface", "body": "line"}}),
    ],
)
def test_a_rope_has_no_surface_to_follow(place: str, field: dict[str, Any]) -> None:
    with pytest.raises(DocumentError, match=r"'line' is a rope, which has no surface; take its vertices") as caught:
        shot(LINE, fields=(follower(**field),))
    assert place in str(caught.value)
