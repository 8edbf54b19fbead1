"""Cloth, soft bodies and ropes in scenes: what holds them, what they touch, that they rest, and go on to the bit."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from test_resume import interrupted

from deforming import EVERYWHERE, cloth, ends_alike, frames_of, pin, points, rope, soft, started
from dynaclast.cli import main
from dynaclast.core.bake import bake
from dynaclast.core.document import parse
from dynaclast.core.errors import DocumentError, GeometryError, InputError
from dynaclast.core.formats.frames import read_baked, write_events, write_frames
from dynaclast.core.geometry.crossings import crossing_pairs
from dynaclast.core.geometry.mesh import make
from dynaclast.core.solve.frame import PieceState
from dynaclast.core.solve.state import State
from shots import ball, box, reach_box, reach_sphere, shot


def mixed(seed: int = 1, **more: Any) -> Any:
    """Something of everything: a cloth over a falling block, a soft body thrown at it, a rope with a weight."""
    rng = np.random.default_rng(seed)
    at = lambda x, y, z: tuple(np.array([x, y, z]) + rng.uniform(-0.1, 0.1, 3))  # noqa: E731
    bodies = [
        cloth("sheet", at(0, 1.6, 0), (1.2, 1.2), (9, 9), matter={"thickness": 0.01, "folds": True}),
        box("block", at(0, 0.9, 0), (0.4, 0.4, 0.4), material={"density": float(10 ** rng.uniform(1.5, 3.5))}),
        soft(
            "lump",
            at(-1.2, 0.6, 0),
            (0.4, 0.4, 0.4),
            velocity=[2, 1, 0],
            matter={"young": float(10 ** rng.uniform(1.5, 4)), "detail": 3},
        ),
        rope("line", (1, 2.4, 0), (1.8, 2.2, 0.1), segments=12, pins=[pin(1, 2.4, 0)]),
        ball("weight", (1.88, 2.2, 0.1), 0.08, material={"mass": float(10 ** rng.uniform(-1, 1.7))}),
    ]
    ties = [{"name": "knot", "how": {"kind": "pin"}, "body": "line", "to": "weight", "point": [1.8, 2.2, 0.1]}]
    wind = {
        "name": "gust",
        "effect": {"kind": "wind", "speed": float(rng.uniform(0, 15)), "direction": [1, 0, 0.3]},
        "reach": EVERYWHERE,
    }
    return shot(*bodies, ties=ties, fields=(wind,), **more)


# ------------------------------------------------------------------------------- to the bit


def test_a_mixed_scene_goes_on_to_the_bit_from_every_kept_state() -> None:
    assert interrupted(mixed(frames=36), every=6) == []


def test_the_same_document_gives_the_same_points_and_files_keep_them(tmp_path: Path) -> None:
    baked = bake(mixed(frames=12))
    again = read_baked(write_frames(bake(mixed(frames=12))), write_events([]))
    names = {"points/sheet", "points/lump", "points/line"}
    assert names <= set(baked.maps)
    for name in names:
        assert baked.maps[name].dtype == np.float32 and baked.maps[name].shape[0] == 13
        assert baked.maps[name].tobytes() == again.maps[name].tobytes()
    assert baked.maps["acted/sheet"].shape[:2] == baked.maps["points/sheet"].shape[:2]


@settings(max_examples=7)
@given(st.integers(0, 10**6), st.sampled_from(["draft", "standard"]))
def test_mixed_scenes_stay_finite_above_the_ground_and_do_not_run_away(seed: int, quality: str) -> None:
    got = frames_of(mixed(seed, frames=30, quality=quality))
    for name in ("sheet", "lump", "line"):
        at = points(got, name)
        assert np.isfinite(at).all() and at[..., 1].min() > (-0.02 if quality == "standard" else -0.03)
        step = np.linalg.norm(np.diff(at, axis=0), axis=2).max()
        assert step * 24 < 40  # what falls two metres and is blown does not come to more


# -------------------------------------------------------------------------- what holds it


def test_pinned_vertices_stay_and_those_on_an_animated_body_ride_on_it() -> None:
    sheet = cloth(
        "sheet",
        (0, 2, 0),
        (1, 1),
        (6, 6),
        pins=[pin(-0.5, 2, -0.5), {"reach": reach_box((0.5, 2, 0), (0.01, 0.1, 2)), "to": "mast"}],
    )
    mast = box("mast", (0.6, 2, 0), (0.1, 0.5, 0.5), role="animated", velocity=[0, 0.5, 0], spin=[0, 1, 0])
    got = frames_of(shot(sheet, mast, frames=24))
    at = points(got, "sheet")
    first = at[0]
    held = np.argmin(((first - [-0.5, 2, -0.5]) ** 2).sum(axis=1))
    assert np.abs(at[:, held] - first[held]).max() < 1e-6
    riding = np.flatnonzero(first[:, 0] > 0.499)
    q, p = got[-1].orientation[0].astype(float), got[-1].position[0].astype(float)
    arm = first[riding] - got[0].position[0]
    turned = arm + 2 * np.cross(q[:3], np.cross(q[:3], arm) + q[3] * arm)
    assert len(riding) == 7 and at[-1, riding] == pytest.approx(turned + p, abs=2e-3)


def test_an_anchor_holds_vertices_before_the_first_step() -> None:
    sheet = cloth("sheet", (0, 2, 0), (1, 1), (6, 6))
    hold = {"name": "hold", "effect": {"kind": "anchor"}, "reach": reach_sphere((-0.5, 2, 0), 0.2)}
    at = points(frames_of(shot(sheet, frames=24, fields=(hold,))), "sheet")
    held = np.linalg.norm(at[0] - [-0.5, 2, 0], axis=1) <= 0.2
    assert held.sum() >= 2 and np.abs(at[-1, held] - at[0, held]).max() < 1e-6
    assert at[-1, :, 1].min() < 1.9


def test_fields_act_on_their_targets_among_vertices_and_say_so() -> None:
    bodies = [cloth("left", (-2, 2, 0), (1, 1), (3, 3)), cloth("right", (2, 2, 0), (1, 1), (3, 3))]
    push = {
        "name": "push",
        "effect": {"kind": "push", "direction": [0, 0, 1], "amount": 3, "unit": "m/s"},
        "cue": {"kind": "at", "time": 0.1},
        "targets": ["left"],
        "reach": EVERYWHERE,
    }
    got = frames_of(shot(*bodies, frames=6, gravity=[0, 0, 0], fields=(push,)))
    assert points(got, "left")[-1, :, 2].mean() > 0.2 and np.abs(points(got, "right")[-1, :, 2].mean()) < 1e-6
    acted = np.array([f.arrays["acted/left"][:, 0] for f in got])
    assert acted.max(axis=1).sum() == 1 and not any(f.arrays["acted/right"].any() for f in got)


def test_vertices_are_kept_below_the_speed_limit_and_an_event_says_so() -> None:
    sheet = cloth("sheet", (0, 40, 0), (1, 1), (3, 3), velocity=[30, 0, 0])
    got = frames_of(shot(sheet, frames=4, gravity=[0, 0, 0], limits={"speed": 10}))
    at = points(got, "sheet").mean(axis=1)
    assert (at[-1] - at[-2])[0] * 24 == pytest.approx(10, rel=0.01)
    said = [e for f in got for e in f.events if e["kind"] == "limit"]
    assert said[0]["body"] == "sheet" and said[0]["vertices"] == 16 and said[0]["value"] == pytest.approx(30, rel=0.01)


# ------------------------------------------------------------------------ what it touches


@pytest.mark.parametrize("quality", ["draft", "standard"])
@pytest.mark.parametrize("speed", [20.0, 200.0])
def test_nothing_is_shot_through_a_plate(speed: float, quality: str) -> None:
    plate = box("plate", (0, 0, 0), (6, 0.02, 6), role="passive")
    thrown = [
        cloth("sheet", (-1.5, 1.0, 0), (1, 1), (8, 8), velocity=[0, -speed, 0], matter={"thickness": 0.005}),
        rope("line", (1, 1, -0.5), (1.5, 1.1, 0.5), velocity=[0, -speed, 0]),
    ]
    got = frames_of(shot(plate, *thrown, frames=12, quality=quality, ground={"on": False}))
    for name in ("sheet", "line"):
        at = points(got, name)
        inside = (np.abs(at[..., [0, 2]]) < 3).all(axis=2)
        assert at[..., 1][inside].min() > -0.01, name


def test_cloth_falls_over_a_ball_without_crossing_itself_and_comes_to_rest() -> None:
    sheet = cloth(
        "sheet",
        (0, 1.2, 0),
        (1.6, 1.6),
        (24, 24),
        matter={"thickness": 0.004, "folds": True},
        material={"friction": 0.4},
    )
    stone = ball("stone", (0, 0.5, 0), 0.45, role="passive", collision="ball", material={"friction": 0.4})
    run = started(shot(sheet, stone, frames=96))
    faces = run.model.deformables.drawn[0].faces  # type: ignore[union-attr]
    got = [run.opening(), *(run.advance() for _ in range(96))]
    at = points(got, "sheet")
    assert all(len(crossing_pairs(make(at[k], faces))) == 0 for k in (12, 24, 48, 96))
    assert np.linalg.norm(at - [0, 0.5, 0], axis=2).min() > 0.445
    assert np.linalg.norm(at[-1] - at[-2], axis=1).mean() * 24 < 0.02
    assert at[-1, :, 1].min() < 0.3  # it hangs down


def test_edges_of_cloth_do_not_cut_off_edges_of_a_box() -> None:
    strip = cloth("strip", (0, 0.46, 0), (1.6, 0.3), (32, 6), matter={"thickness": 0.002, "weight": 1.0})
    block = box("block", (0, 0.2, 0), (0.5, 0.5, 0.6), role="passive")
    run = started(shot(strip, block, frames=60, gravity=[0, -40, 0]))
    faces = run.model.deformables.drawn[0].faces  # type: ignore[union-attr]
    at = points([run.opening(), *(run.advance() for _ in range(60))], "strip")[-1]
    share = np.random.default_rng(1).dirichlet([1, 1, 1], 30)
    spread = np.einsum("sk,fkc->fsc", share, at[faces])
    deep = (np.array([0.25, 0.25, 0.3]) - np.abs(spread - [0, 0.2, 0])).min(axis=2)
    assert deep.max() < 0.004


def test_what_deforms_lies_on_the_very_triangles_of_an_exact_body() -> None:
    bowl = {
        "name": "bowl",
        "role": "passive",
        "collision": "exact",
        "shape": {"kind": "torus", "radius": 0.8, "thickness": 0.3, "segments": 20, "sides": 10},
        "place": {"position": [0, 0.3, 0]},
        "material": {"friction": 0.6},
    }
    sheet = cloth("sheet", (0, 0.9, 0), (2, 2), (12, 12), matter={"thickness": 0.01, "weight": 0.5})
    lump = soft("lump", (0.8, 1.2, 0), (0.3, 0.2, 0.3), matter={"young": 200, "detail": 3, "damping": 0.01})
    got = frames_of(shot(bowl, sheet, lump, frames=30))
    for name, thick in (("sheet", 0.005), ("lump", 0.0)):
        at = points(got, name)[-1]
        ring = np.hypot(np.linalg.norm(at[:, [0, 2]], axis=1) - 0.8, at[:, 1] - 0.3)
        assert ring.min() > 0.3 * np.cos(np.pi / 10) * np.cos(np.pi / 20) - 0.008 + thick, name  # of 10 sides
    assert points(got, "sheet")[-1][:, 1].min() < 0.55 and points(got, "lump")[-1][:, 1].min() > 0.3


def test_ropes_drawn_together_stay_apart_by_their_thickness() -> None:
    lines = [
        rope(
            f"r{k}",
            (-2, 0.3 * np.cos(a), 0.3 * np.sin(a)),
            (2, 0.3 * np.cos(a), 0.3 * np.sin(a)),
            segments=16,
            matter={"radius": 0.03, "young": 1e4},
        )
        for k, a in enumerate(np.linspace(0, 2 * np.pi, 4)[:-1])
    ]
    pull = {
        "name": "pull",
        "effect": {"kind": "attractor", "to": "line", "axis": [1, 0, 0], "strength": 40, "near": 0.05},
        "reach": EVERYWHERE,
    }
    got = frames_of(shot(*lines, frames=48, gravity=[0, 0, 0], fields=(pull,), ground={"on": False}))
    s = np.linspace(0, 16, 321)
    fine = [
        np.stack([[np.interp(s, np.arange(17), at[:, c]) for c in range(3)] for at in points(got, f"r{k}")])
        for k in range(3)
    ]
    for a in range(3):
        for b in range(a):
            for x, y in zip(fine[a], fine[b], strict=True):
                near = np.linalg.norm(x[:, :, None] - y[:, None, :], axis=0).min()
                assert near > 0.054  # a tenth of the thickness at most
    assert np.linalg.norm(points(got, "r0")[-1][:, 1:], axis=1).max() < 0.15  # and they did come together


def test_a_heavy_ball_is_held_by_a_light_cloth_and_pushes_it_down() -> None:
    rim = {"layers": [{"shape": {"kind": "box", "center": [0, 2, 0], "core": [1.58, 9, 1.58]}, "invert": True}]}
    sheet = cloth(
        "net",
        (0, 2, 0),
        (1.6, 1.6),
        (16, 16),
        pins=[{"reach": rim}],
        matter={"weight": 0.5, "thickness": 0.01, "stretch": 60},
    )
    stone = ball("stone", (0.05, 2.4, 0), 0.15, material={"mass": 40})
    got = frames_of(shot(sheet, stone, frames=60))
    y = np.array([f.position[0, 1] for f in got])
    assert y.min() > 1.4 and points(got, "net")[-1, :, 1].min() > y[-1] - 0.25
    assert 1.5 < y[-1] < 2.1


def test_a_soft_body_is_squeezed_and_comes_back() -> None:
    lump = soft(
        "lump", (0, 0.3, 0), (0.6, 0.6, 0.6), matter={"young": 100, "poisson": 0.4, "detail": 4, "damping": 0.02}
    )
    block = box("block", (0, 0.95, 0), (0.5, 0.5, 0.5), material={"mass": 150})
    pull = {
        "name": "lift",
        "effect": {"kind": "gravity", "acceleration": [0, 40, 0]},
        "cue": {"kind": "span", "start": 2.0},
        "targets": ["block"],
        "reach": EVERYWHERE,
    }
    got = frames_of(shot(lump, block, frames=72, fields=(pull,)))
    top = points(got, "lump")[:, :, 1].max(axis=1)
    height = np.array([f.position[0, 1] - 0.25 for f in got])
    assert 0.5 < height[46] < 0.595  # 150 kg on 0.25 to 0.36 m2 of 100 kN/m2: two to four centimetres
    assert top[-1] == pytest.approx(0.6, abs=0.02) and height[-1] > 1.0


# ----------------------------------------------------------------------------------- rest


def test_what_lies_still_sleeps_costs_nothing_and_wakes_when_struck() -> None:
    sheet = cloth("sheet", (0, 0.1, 0), (1, 1), (8, 8), matter={"bending": 1e-3})
    stone = ball("stone", (0, 3.0, 0), 0.2, release={"kind": "cue", "time": 2.0}, material={"mass": 3})
    run = started(shot(sheet, stone, frames=90))
    run.opening()
    asleep = []
    for _ in range(90):
        run.advance()
        asleep.append(bool(run.state.deformables.asleep[0]))
    assert all(asleep[30:47]), "still after a second"
    assert not all(asleep[60:75]), "struck by the stone"
    assert asleep[46] and np.abs(run.state.vertices.velocity).max() < 1.0


def test_what_sleeps_wakes_when_a_field_begins_and_sleeps_again_when_it_ends() -> None:
    sheet = cloth("sheet", (0, 0.05, 0), (1, 1), (5, 5), matter={"bending": 1e-3})
    lift = {
        "name": "lift",
        "effect": {"kind": "gravity", "acceleration": [0, 12, 0]},
        "cue": {"kind": "span", "start": 2.0, "end": 2.5},
        "reach": EVERYWHERE,
    }
    run = started(shot(sheet, frames=110, fields=(lift,)))
    run.opening()
    asleep, high = [], []
    for _ in range(110):
        run.advance()
        asleep.append(bool(run.state.deformables.asleep[0]))
        high.append(float(run.state.vertices.position[:, 1].max()))
    assert asleep[46] and not asleep[52] and high[59] > high[46] + 0.1
    assert asleep[-1] and high[-1] < 0.02


def test_what_falls_on_a_sleeper_that_deforms_wakes_it_and_both_sleep_in_the_end() -> None:
    low = soft("low", (0, 0.2, 0), (0.6, 0.4, 0.6), matter={"young": 300, "detail": 3, "damping": 0.02})
    late = cloth("late", (0, 4.5, 0), (0.8, 0.8), (8, 8), matter={"folds": False, "damping": 0.005})
    run = started(shot(low, late, frames=96, quality="draft"))
    run.opening()
    woken = []
    for _ in range(96):
        run.advance()
        woken.append(run.state.deformables.asleep.tolist())
    assert woken[17][0] == 1, "still before anything comes"
    assert 0 in [row[0] for row in woken[18:40]], "woken by what falls on it"
    first = run.model.deformables.elements.bodies.first  # type: ignore[union-attr]
    middle = np.linalg.norm(run.state.vertices.position[first[1] :, [0, 2]], axis=1) < 0.2
    assert run.state.vertices.position[first[1] :, 1][middle].min() > 0.35, "it lies on the other, not in it"


def test_a_tie_of_a_sleeper_is_left_alone_while_something_else_moves() -> None:
    line = rope("line", (0, 3, 0), (0, 2, 0), segments=6, pins=[pin(0, 3, 0), pin(0, 2, 0)], matter={"damping": 0.05})
    far = cloth("far", (30, 60, 0), (1, 1), (4, 4))
    tie = {"name": "t", "how": {"kind": "pin"}, "body": "line", "point": [0, 2.5, 0]}
    run = started(shot(line, far, ties=[tie], frames=72))
    run.opening()
    asleep = []
    for _ in range(72):
        run.advance()
        asleep.append(run.state.deformables.asleep.tolist())
    assert asleep[-1] == [1, 0]
    assert np.isfinite(run.state.vertices.position).all()


def test_cloth_falls_through_where_a_piece_was_taken_out() -> None:
    table = box("table", (0, 0.5, 0))
    gone = {
        "name": "gone",
        "effect": {"kind": "kill", "what": "remove", "slower": 100, "time": 0.1},
        "targets": ["table"],
        "reach": EVERYWHERE,
    }
    at = points(
        frames_of(shot(table, cloth("sheet", (0, 1.5, 0), (0.6, 0.6), (5, 5)), frames=36, fields=(gone,))), "sheet"
    )
    assert at[-1, :, 1].max() < 0.1


def test_a_sleeping_state_is_packed_and_unpacked_with_its_vertices() -> None:
    run = started(shot(cloth("sheet", (0, 0.05, 0), (1, 1), (4, 4)), frames=24))
    run.opening()
    for _ in range(24):
        run.advance()
    back = State.unpack(run.state.pack())
    assert back.vertices.position.tobytes() == run.state.vertices.position.tobytes()
    assert back.deformables.asleep.tolist() == run.state.deformables.asleep.tolist()


# ------------------------------------------------------------------------------- bad input


@pytest.mark.parametrize(
    ("body", "where", "says"),
    [
        ({"matter": {"kind": "cloth", "thickness": 0}}, "bodies[0].matter.thickness", "greater than 0"),
        ({"matter": {"kind": "soft", "poisson": 0.5}}, "bodies[0].matter.poisson", "0.49"),
        ({"matter": {"kind": "rope", "young": -1}}, "bodies[0].matter.young", "greater than 0"),
        ({"matter": {"kind": "cloth"}, "role": "passive"}, "bodies[0]", "pin its vertices"),
        ({"matter": {"kind": "cloth"}, "role": "passive"}, "bodies[0]", "pin its vertices"),
        ({"matter": {"kind": "cloth"}, "bonds": {"strength": 3}}, "bodies[0]", "in kN/m, or in kN"),
        ({"bonds": {"strength": 3, "unit": "kN/m"}}, "bodies[0]", "in kN/m2, or in kN"),
        ({"matter": {"kind": "soft"}, "pattern": {"kind": "faces"}}, "bodies[0]", "another pattern, or make it cloth"),
        ({"shape": {"kind": "line", "points": [[0, 0, 0], [1, 0, 0]]}}, "bodies[0]", "matter 'rope'"),
        ({"matter": {"kind": "rope"}, "shape": {"kind": "line", "points": [[0, 0, 0]]}}, "bodies[0].shape.points", "2"),
        (
            {"matter": {"kind": "rope"}, "shape": {"kind": "line", "points": [[0, 0, 0], [0, 0, 0]]}},
            "bodies[0].shape",
            "same place",
        ),
        ({"pins": [{"reach": EVERYWHERE}]}, "bodies[0]", "by an anchor"),
        (
            {"matter": {"kind": "soft"}, "pins": [{"reach": EVERYWHERE, "to": "mast"}]},
            "bodies[0].pins[0].to",
            "no body named 'mast'",
        ),
        (
            {"matter": {"kind": "cloth"}, "channels": [{"of": "material.rolling", "keys": [{"time": 0, "value": 0}]}]},
            "bodies[0]",
            "channels",
        ),
    ],
)
def test_what_cannot_be_is_refused_with_its_place(body: dict[str, Any], where: str, says: str) -> None:
    with pytest.raises(DocumentError) as found:
        parse({"bodies": [{"name": "it", "shape": {"kind": "box"}} | body]})
    assert any(where in line and says in line for line in found.value.lines()), found.value.lines()


def test_pins_of_nothing_open_lattices_and_vast_ones_are_refused_in_words() -> None:
    with pytest.raises(InputError, match="hold no vertex"):
        started(shot(cloth("sheet", (0, 1, 0), (1, 1), (2, 2), pins=[pin(9, 9, 9)])))
    open_box = make([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]], [[0, 2, 1], [0, 1, 3], [0, 3, 2]])
    shape = {
        "kind": "mesh",
        "vertices": [*open_box.vertices.tolist(), [0, 0, 2]],
        "faces": [*open_box.faces.tolist(), [0, 1, 4]],
    }
    with pytest.raises(GeometryError):
        started(shot({"name": "it", "matter": {"kind": "soft"}, "shape": shape}))
    skin = {"name": "skin", "matter": {"kind": "cloth"}, "shape": {"kind": "sphere"}, "place": {"position": [0, 2, 0]}}
    assert len(points(frames_of(shot(skin, frames=2)), "skin")[0]) > 100  # a closed mesh may be cloth


def test_a_document_with_cloth_is_checked_and_baked_from_the_command_line(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    file = tmp_path / "flag.json"
    file.write_text(
        json.dumps(
            {"timing": {"frames": 3}, "bodies": [cloth("flag", (0, 2, 0), (1, 1), (3, 3), pins=[pin(-0.5, 2, 0.5)])]}
        )
    )
    assert main(["check", str(file)]) == 0
    assert main(["bake", str(file), "--out", str(tmp_path / "out")]) == 0
    with np.load(tmp_path / "out" / "frames.npz") as z:
        assert z["points/flag"].shape == (4, 16, 3) and z["points/flag"].dtype == np.float32
        assert z["position"].shape == (4, 0, 3)


def test_maps_are_known_at_drawn_vertices() -> None:
    reach = {"layers": [{"shape": {"kind": "box", "center": [5, 0, 0], "core": [10, 99, 99], "edge": 0}}]}
    sheet = cloth("sheet", (0, 3, 0), (2, 1), (8, 4), velocity=[6, 0, 0])
    lump = soft("lump", (-3, 3, 0), (1, 1, 1))
    chart = {"name": "east", "reach": reach}
    document = {"bodies": [sheet, lump, {"name": "box", "shape": {"kind": "box"}}], "maps": [chart]}
    frames = frames_of(parse(document | {"timing": {"frames": 4}, "ground": {"on": False}, "gravity": [0, 0, 0]}))
    for frame in (frames[0], frames[-1]):
        x = frame.arrays["points/sheet"][:, 0]
        clear = np.abs(x) > 1e-3
        assert (frame.arrays["value/east/sheet"][clear] == (x > 0)[clear]).all()
        assert (frame.arrays["value/east/lump"] == 0).all() and "color/east/lump" not in frame.arrays
        assert frame.arrays["map/east"].shape == (1,)
    assert frames[-1].arrays["value/east/sheet"].sum() > frames[0].arrays["value/east/sheet"].sum()
    only = parse(document | {"maps": [chart | {"targets": ["lump"]}], "timing": {"frames": 1}})
    assert (frames_of(only)[0].arrays["value/east/sheet"] == 0).all()


def test_what_a_displacement_reaches_is_shifted_by_so_much_and_stops() -> None:
    right = {"layers": [{"shape": {"kind": "box", "center": [3, 3, 0], "core": [2, 9, 9], "edge": 0}}]}
    shift = {"name": "s", "effect": {"kind": "displace", "offset": [0, 0.5, 0]}, "reach": right}
    shift["cue"] = {"kind": "span", "start": 0.1}
    bodies = [cloth("near", (3, 3, 0), (1, 1), (4, 4)), cloth("far", (0, 3, 0), (1, 1), (4, 4))]
    lump = soft("lump", (3, 5, 0), (0.4, 0.4, 0.4))
    document = {"bodies": [*bodies, lump], "fields": [shift], "gravity": [0, 0, 0], "ground": {"on": False}}
    frames = frames_of(parse(document | {"timing": {"frames": 12}}))
    for name, way in (("near", 0.5), ("far", 0.0), ("lump", 0.5)):
        at = points(frames, name)
        assert (at[-1] - at[0])[:, 1] == pytest.approx(way, abs=0.01)
        assert at[-1] == pytest.approx(at[-2], abs=1e-3)


def test_gravity_and_friction_of_what_deforms_change_over_time_and_wake_it() -> None:
    """Cloth that lies still rises when its gravity turns round; a soft block that slides stops where friction begins;
    and both go on to the bit from a stored state.
    """
    rises = [{"time": 1.5, "value": 1.0, "how": "step"}, {"time": 1.6, "value": -0.5, "how": "step"}]
    sheet = cloth("sheet", (0, 0.01, 0), (0.6, 0.6), (4, 4), channels=[{"of": "gravity", "keys": rises}])
    grips = [{"time": 0.5, "value": 0.0, "how": "step"}, {"time": 0.6, "value": 1.0, "how": "step"}]
    block = soft(
        "block",
        (4, 0.2, 0),
        (0.4, 0.4, 0.4),
        matter={"detail": 2, "young": 5000},
        velocity=[1.5, 0, 0],
        channels=[{"of": "material.friction", "keys": grips}],
    )
    scene = shot(sheet, block, frames=60)
    frames = frames_of(scene)
    lies, slides = points(frames, "sheet").mean(axis=1), points(frames, "block").mean(axis=1)
    assert frames[35].arrays["state/sheet"].max() == PieceState.RESTING
    assert lies[60, 1] - lies[35, 1] == pytest.approx(0.5 * 0.5 * 9.81 * (60 / 24 - 1.6) ** 2, rel=0.05)
    assert slides[12, 0] - 4 == pytest.approx(1.5 * 0.5, rel=0.02) and abs(slides[60, 0] - slides[40, 0]) < 1e-3
    assert ends_alike(scene, (20, 37, 50))
    with pytest.raises(DocumentError, match=r"channels\[0\]: 'material.bounce' of a cloth body cannot change"):
        shot(sheet | {"channels": [{"of": "material.bounce", "keys": rises}]})
