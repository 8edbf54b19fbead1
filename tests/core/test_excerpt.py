"""A part of a bake is that part: its frames, its bodies, its events where they fall in it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dynaclast.core.bake import bake
from dynaclast.core.errors import InputError
from dynaclast.core.formats.excerpt import Excerpt, excerpt
from dynaclast.core.formats.write.scene import export_scene
from dynaclast.core.fracture.build import build_pieces
from shots import ball, blow, footing, pillar, shot

SHOT = shot(
    pillar(release={"kind": "intact"}),
    ball("stone", (3, 4, 0)),
    fields=(footing(), blow(9000, (0, 2, 0), 0.9, 0.25)),
    frames=16,
    maps=[{"name": "wet", "reach": {"layers": [{"shape": {"kind": "everywhere"}}]}}],
)
BUILT = [build_pieces(b) for b in SHOT.bodies]
WHOLE = bake(SHOT)


def part(**what: object) -> tuple:
    return excerpt(SHOT, BUILT, WHOLE, Excerpt(**what))  # type: ignore[arg-type]


def test_all_of_it_is_what_it_was() -> None:
    assert part()[2] is WHOLE


def test_frames_are_taken_by_step_from_first_to_last() -> None:
    _, _, own = part(first=3, last=11, step=4)
    np.testing.assert_array_equal(own.position, WHOLE.position[[3, 7, 11]])
    np.testing.assert_allclose(own.time, np.array([0, 4, 8]) / 24)
    np.testing.assert_array_equal(own.maps["map/wet"], WHOLE.maps["map/wet"][[3, 7, 11]])
    np.testing.assert_array_equal(own.stats["moving"], WHOLE.stats["moving"][[3, 7, 11]])


def test_backwards_is_the_same_from_its_end() -> None:
    _, _, own = part(first=2, last=9, backwards=True)
    np.testing.assert_array_equal(own.orientation, WHOLE.orientation[9:1:-1])
    assert own.time[0] == 0 and (np.diff(own.time) > 0).all()


def test_bodies_are_left_out_with_all_that_is_theirs() -> None:
    scene, built, own = part(bodies=["stone"])
    assert [b.name for b in scene.bodies] == own.body_names == ["stone"] and len(built) == 1
    np.testing.assert_array_equal(own.position[:, 0], WHOLE.position[:, -1])
    assert own.piece_body.tolist() == [0] and own.piece_mass.tolist() == [WHOLE.piece_mass[-1]]
    assert not [e for e in own.events if e["kind"] == "bond_broken"]


def test_an_intact_mesh_is_shown_until_it_breaks_in_the_excerpt_and_not_at_all_after() -> None:
    broke = min(e["frame"] for e in WHOLE.events if e["kind"] == "bond_broken")

    def intact(**what: object) -> np.ndarray:
        scene = export_scene(*part(**what))
        return scene.whole(scene.swaps[0])

    np.testing.assert_array_equal(intact(first=2), np.arange(len(WHOLE.time) - 2) < broke - 2)
    assert not intact(first=broke + 1).any()
    assert not intact(backwards=True).any()
    assert intact(last=broke - 1).all()


@pytest.mark.parametrize(
    ("what", "where"),
    [
        ({"first": 40}, "first"),
        ({"first": 5, "last": 4}, "first"),
        ({"step": 0}, "step"),
        ({"bodies": ["stone", "x"]}, "bodies"),
        ({"bodies": []}, "bodies"),
    ],
)
def test_what_is_not_there_is_refused(what: dict, where: str) -> None:
    with pytest.raises(InputError) as caught:
        part(**what)
    assert caught.value.where == where


def test_arrays_of_what_deforms_go_with_their_body() -> None:
    more = {"points/sail": np.zeros((len(WHOLE.time), 5, 3), np.float32)}
    baked = replace(WHOLE, maps=WHOLE.maps | more)
    _, _, own = excerpt(SHOT, BUILT, baked, Excerpt(bodies=["stone"]))
    assert "points/sail" not in own.maps
