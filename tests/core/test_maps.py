"""Numbers of pieces beside their motion, falloffs with many users, meshes out of falloffs, and fields that cannot
act.
"""

from __future__ import annotations

import numpy as np
import pytest

from dynaclast.__main__ import main as command
from dynaclast.core.bake import bake
from dynaclast.core.document import parse
from dynaclast.core.errors import DocumentError, GeometryError
from dynaclast.core.formats.frames import read_baked, write_events, write_frames
from dynaclast.core.fracture.build import build_pieces, content_key
from dynaclast.core.geometry.mass import signed_volume
from dynaclast.core.layout import with_shared
from dynaclast.core.preflight.faults import faults, refuse, without
from dynaclast.core.preflight.loads import weight_loads
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.prepare import prepare
from dynaclast.core.solve.state import State
from shots import ball, box, footing, reach_sphere, shot


def field(name: str, effect: dict, reach: dict, **more: object) -> dict:
    return {"name": name, "effect": effect, "reach": reach, **more}


def pier(strength: float = 1000, **more: object) -> dict:
    return box(
        "pier",
        (0, 1.5, 0),
        (0.8, 3, 0.8),
        pattern={"kind": "cells", "count": 20, "seed": 4},
        bonds={"strength": strength, "unit": "kN"},
        **more,
    )


def test_a_map_is_its_falloff_at_every_piece_and_a_held_map_keeps_the_most_there_was() -> None:
    layers = [{"shape": {"kind": "sphere", "center": [0, 3, 0], "core": 1, "edge": 1}}]
    scene = shot(
        ball("drop", (0, 3, 0)),
        ball("other", (5, 3, 0)),
        frames=30,
        maps=[
            {"name": "near", "reach": {"layers": layers}},
            {"name": "was near", "reach": {"layers": [*layers, {"shape": {"kind": "hold"}}]}, "targets": ["drop"]},
        ],
    )
    baked = bake(scene)
    place = np.clip(np.linalg.norm(baked.position - [0, 3, 0], axis=2) - 1, 0, 1)
    assert baked.maps["map/near"] == pytest.approx(1 - place**2 * (3 - 2 * place), abs=2e-6)
    assert (baked.maps["map/was near"][:, 0] == 1).all() and baked.maps["map/near"][-1, 0] == 0
    assert (baked.maps["map/was near"][:, 1] == 0).all()


def test_a_map_takes_the_colours_of_its_layers() -> None:
    scene = shot(
        ball("a", (0, 2, 0)),
        ball("b", (9, 2, 0)),
        frames=1,
        maps=[
            {
                "name": "wet",
                "reach": {
                    "layers": [
                        {"shape": {"kind": "sphere", "center": [0, 2, 0], "core": 2, "edge": 0}, "color": "#3366cc"}
                    ]
                },
            }
        ],
    )
    tint = bake(scene).maps["tint/wet"]
    assert tint[0].tolist() == [[0x33, 0x66, 0xCC], [0, 0, 0]]


def test_the_colour_of_a_layer_that_remembers_stays_as_its_value_does() -> None:
    layers = [
        {"shape": {"kind": "sphere", "center": [0, 3, 0], "core": 1, "edge": 0}},
        {"shape": {"kind": "hold"}, "color": "#3366cc"},
    ]
    baked = bake(shot(ball("drop", (0, 3, 0)), frames=30, maps=[{"name": "wet", "reach": {"layers": layers}}]))
    assert baked.position[-1, 0, 1] < 1 and (baked.maps["map/wet"] == 1).all()
    assert (baked.maps["tint/wet"] == [0x33, 0x66, 0xCC]).all()


def test_what_acted_names_the_fields_that_did_at_that_frame_and_no_other() -> None:
    scene = shot(
        pier(),
        ball("stone", (3, 2, 0)),
        frames=12,
        fields=[
            footing(),
            field(
                "pull",
                {"kind": "gravity"},
                reach_sphere((3, 2, 0), 1.0),
                cue={"kind": "span", "start": 0.25},
                targets=["stone"],
            ),
            field(
                "blow",
                {"kind": "strain", "load": 0.001},
                reach_sphere((0, 2, 0), 9.0),
                cue={"kind": "at", "time": 0.125},
            ),
        ],
    )
    baked = bake(scene)
    bits = np.unpackbits(baked.maps["acted"], axis=2, bitorder="little")[:, :, :3].astype(bool)
    held = prepare(scene).state.hold != 0
    assert 0 < held.sum() < 20 and (bits[:, :, 0] == held).all()
    assert bits[:, :-1, 1].sum() == 0 and bits[:, -1, 1].tolist() == [f >= 7 for f in range(13)]
    assert [f for f in range(13) if bits[f, :-1, 2].any()] == [4] and bits[4, :-1, 2].all()
    assert baked.field_names == ["footing", "pull", "blow"]


def test_weight_that_is_only_seen_is_what_the_static_solve_says_and_breaks_nothing() -> None:
    scene = shot(pier(0.5, load_path="on"), fields=[footing()], frames=2)
    prepared = prepare(scene)
    load, strength = weight_loads(prepared.shot, prepared.pieces, 0)
    want = np.zeros(20)
    for (p, q), share in zip(prepared.pieces[0].bond_piece, load / strength, strict=True):
        want[p], want[q] = max(want[p], share), max(want[q], share)
    baked = bake(scene)
    assert want.max() > 1 and baked.maps["load"][0] == pytest.approx(np.minimum(want, 10), rel=1e-5)
    assert not baked.stats["bonds_broken"].any()
    assert bake(shot(pier(0.5, load_path="fail"), fields=[footing()], frames=2)).stats["bonds_broken"].any()


def test_maps_go_on_from_a_stored_state_to_the_bit_and_read_back_the_same() -> None:
    scene = shot(
        ball("drop", (0, 2, 0), velocity=[1, 0, 0]),
        frames=16,
        fields=[field("g", {"kind": "gravity"}, reach_sphere((0, 2, 0), 2.0))],
        maps=[
            {
                "name": "trail",
                "reach": {
                    "layers": [
                        {"shape": {"kind": "sphere", "center": [0, 2, 0], "core": 0.2, "edge": 0.6}},
                        {"shape": {"kind": "trail", "fall": 0.4}},
                    ]
                },
            }
        ],
    )
    straight, halted = prepare(scene), prepare(scene)
    one, first = Run(scene, straight.model, straight.state), Run(scene, halted.model, halted.state)
    whole = [one.opening(), *(one.advance() for _ in range(16))]
    half = [first.opening(), *(first.advance() for _ in range(7))]
    second = Run(scene, halted.model, State.unpack(halted.state.pack()))
    for got, want in zip([*half, *(second.advance() for _ in range(9))], whole, strict=True):
        assert {k: v.tobytes() for k, v in got.maps.items()} == {k: v.tobytes() for k, v in want.maps.items()}
    assert 0 < whole[12].maps["map/trail"][0] < whole[4].maps["map/trail"][0]
    baked = bake(scene)
    back = read_baked(write_frames(baked), write_events(baked.events))
    assert back.field_names == ["g"] and {k: v.tobytes() for k, v in back.maps.items()} == {
        k: v.tobytes() for k, v in baked.maps.items()
    }


# ---------------------------------------------------------------- falloffs with many users


def shared_scene(**body: object) -> dict:
    wall = {
        "name": "wall",
        "shape": {"kind": "box", "size": [4, 2, 0.4]},
        "place": {"position": [5, 1, 0], "rotation": [0, 1, 0, 0]},
        "bonds": {"strength": 100},
        **body,
    }
    return {
        "falloffs": [
            {
                "name": "spot",
                "strength": 0.9,
                "layers": [{"shape": {"kind": "sphere", "center": [6.5, 1, 0], "core": 0.4, "edge": 0.8}}],
            }
        ],
        "bodies": [wall],
    }


def test_a_shared_falloff_crowds_a_break_where_it_is_in_the_world() -> None:
    """The wall is turned half round, so that the world's +x end is its own -x end."""
    own = {"layers": [{"shape": {"kind": "sphere", "center": [-1.5, 0, 0], "core": 0.4, "edge": 0.8}}], "strength": 0.9}
    used = with_shared(
        parse(shared_scene(pattern={"kind": "cells", "count": 60, "crowd": {"by": 20, "reach": {"use": "spot"}}}))
    ).bodies[0]
    alone = parse(shared_scene(pattern={"kind": "cells", "count": 60, "crowd": {"by": 20, "reach": own}})).bodies[0]
    a, b = build_pieces(used), build_pieces(alone)
    assert (
        a.center == pytest.approx(b.center, abs=1e-9)
        and a.size[a.center[:, 0] < -1].mean() < 0.6 * a.size[a.center[:, 0] > 0].mean()
    )


def test_a_changed_or_moved_use_of_a_shared_falloff_is_another_break_and_another_strength() -> None:
    base = shared_scene(pattern={"kind": "cells", "count": 9, "crowd": {"reach": {"use": "spot"}}})
    keys = {content_key(with_shared(parse(base)).bodies[0])}
    base["falloffs"][0]["strength"] = 0.5
    keys.add(content_key(with_shared(parse(base)).bodies[0]))
    base["bodies"][0]["place"]["position"] = [4, 1, 0]
    keys.add(content_key(with_shared(parse(base)).bodies[0]))
    assert len(keys) == 3
    strong = prepare(
        parse(
            shared_scene(
                pattern={"kind": "cells", "count": 30},
                bonds={"strength": 100, "by_reach": {"reach": {"use": "spot"}, "low": 1, "high": 1 + 1 / 0.9}},
            )
        )
    )
    plain = prepare(parse(shared_scene(pattern={"kind": "cells", "count": 30})))
    factor = strong.model.bonds.strength / plain.model.bonds.strength
    assert factor.max() == pytest.approx(2.0, abs=0.02) and factor.min() == pytest.approx(1.0)


@pytest.mark.parametrize(
    ("falloff", "said"),
    [
        ({"name": "other", "layers": [{"shape": {"kind": "everywhere"}}]}, "no falloff named 'spot'"),
        (
            {"name": "spot", "layers": [{"shape": {"kind": "everywhere"}}, {"shape": {"kind": "hold"}}]},
            "cannot be used here",
        ),
    ],
)
def test_a_use_that_cannot_be_says_where(falloff: dict, said: str) -> None:
    doc = shared_scene(pattern={"kind": "cells", "crowd": {"reach": {"use": "spot"}}})
    doc["falloffs"] = [falloff]
    with pytest.raises(DocumentError) as caught:
        parse(doc)
    assert said in str(caught.value.lines()) and "bodies[0].pattern.crowd.reach.use" in str(caught.value.lines())


# ------------------------------------------------------------------- meshes out of falloffs


def test_the_mesh_of_a_sphere_falloff_is_a_ball_that_breaks_and_is_closed_where_the_box_cuts_it() -> None:
    reach = {"layers": [{"shape": {"kind": "sphere", "core": 0.5, "edge": 1.0}, "profile": "linear"}]}
    body = {
        "name": "b",
        "shape": {"kind": "falloff", "reach": reach, "level": 0.5, "size": [3, 3, 3], "detail": 48},
        "pattern": {"kind": "cells", "count": 12},
    }
    pieces = build_pieces(parse({"bodies": [body]}).bodies[0])
    assert pieces.count == 12 and pieces.volume.sum() == pytest.approx(
        4 / 3 * np.pi, rel=0.01
    )  # level 0.5 lies half way across the edge, at 1 m
    body["shape"]["center"], body["pattern"] = [1.5, 0, 0], None  # type: ignore[index]
    half = build_pieces(parse({"bodies": [body]}).bodies[0])
    assert signed_volume(half.mesh(0)) == pytest.approx(2 / 3 * np.pi, rel=0.03)
    body["shape"]["center"] = [9, 0, 0]  # type: ignore[index]
    with pytest.raises(GeometryError, match="nowhere above 0.5"):
        build_pieces(parse({"bodies": [body]}).bodies[0])


# ---------------------------------------------------------------------- fields that cannot act


BAD = {
    "no targets": field("f", {"kind": "drag"}, reach_sphere((0, 0, 0), 5), targets=[]),
    "no size": field("f", {"kind": "drag"}, {"layers": [{"shape": {"kind": "sphere", "core": 0, "edge": 0}}]}),
    "no number": field(
        "f", {"kind": "drag"}, {"layers": [{"shape": {"kind": "expression", "text": "sqrt(-1 - distance)"}}]}
    ),
    "not a PNG": field("f", {"kind": "drag"}, {"layers": [{"shape": {"kind": "image", "picture": "AAAA"}}]}),
}


@pytest.mark.parametrize("said", list(BAD))
def test_a_field_that_cannot_act_is_refused_with_the_reason_or_left_out(said: str) -> None:
    scene = shot(
        box("b", (0, 1, 0)), fields=[field("good", {"kind": "drag"}, reach_sphere((0, 0, 0), 5)), BAD[said]], frames=1
    )
    found = faults(scene)
    assert [(f.row, f.field) for f in found] == [(1, "f")] and said in found[0].why
    with pytest.raises(DocumentError, match=said):
        refuse(found, "bake without it")
    rest = without(scene, found)
    assert not faults(rest) and [f.on for f in rest.fields] == [True, False]


def test_the_bake_command_refuses_or_leaves_out(tmp_path, capsys) -> None:  # noqa: ANN001
    (tmp_path / "s.json").write_text(shot(box("b", (0, 1, 0)), fields=[BAD["no targets"]], frames=1).model_dump_json())
    assert command(["bake", str(tmp_path / "s.json"), "--out", str(tmp_path / "o")]) == 2
    assert "fields[0]: f cannot act: it has no targets" in capsys.readouterr().err
    assert command(["bake", str(tmp_path / "s.json"), "--out", str(tmp_path / "o"), "--without-faulty"]) == 0
    assert "left out: f: it has no targets" in capsys.readouterr().err and (tmp_path / "o" / "frames.npz").is_file()
