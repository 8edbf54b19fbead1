"""Bodies that open in another shape than they rest in, and letting them settle into one."""

from __future__ import annotations

import base64
from typing import Any

import numpy as np
import pytest

from deforming import cloth, frames_of, pin, points, rope, soft, started
from dynaclast.core.document import Body, Shot, dump, parse
from dynaclast.core.errors import DocumentError, InputError
from dynaclast.core.fracture.bonds import placed
from dynaclast.core.fracture.build import build_pieces
from dynaclast.core.fracture.deforming import drawn_surface, mass_of, opening_points, opening_text, surface_key
from dynaclast.core.preflight.reach import lay_out, lay_out_vertices, pinned_vertices
from dynaclast.core.settling import settle
from shots import shot

HALVES, FIRM = {"kind": "cells", "count": 2}, {"strength": 1}
CORNERS = [pin(-1, 3, -0.5, reach=0.05), pin(1, 3, -0.5, reach=0.05)]


def sheet(**more: Any) -> dict[str, Any]:
    return cloth("sheet", (0, 3, 0), (2, 1), (10, 6), pins=CORNERS) | more


def opened(scene: Shot, name: str, by: np.ndarray) -> Shot:
    """The scene with a body that opens moved vertex by vertex."""
    body = next(b for b in scene.bodies if b.name == name)
    text = opening_text(body, started(scene).model.deformables.start + by)  # type: ignore[union-attr]
    data = dump(scene)
    next(b for b in data["bodies"] if b["name"] == name)["opening"] = {"points": text}
    return parse(data)


def test_places_are_kept_to_a_float_through_turn_and_size() -> None:
    body = Body.model_validate(sheet() | {"place": {"position": [1, 2, 3], "angles": [10, 70, 30], "scale": [2, 1, 3]}})
    x = np.random.default_rng(0).normal(size=(5, 3))
    own = opening_points(body, opening_text(body, x), 5)
    assert placed(body, own) == pytest.approx(x, abs=1e-6)


def test_frame_0_is_the_opening_shape_and_the_shape_at_rest_stays_what_it_was() -> None:
    scene = shot(cloth("sheet", (0, 3, 0), (2, 1), (10, 6)), frames=20, gravity=(0, 0, 0))
    count = len(started(scene).model.deformables.start)  # type: ignore[union-attr]
    wide = np.zeros((count, 3))
    wide[:, 0] = 0.05 * started(scene).model.deformables.start[:, 0]  # type: ignore[union-attr]
    at = points(frames_of(opened(scene, "sheet", wide)), "sheet")
    assert np.ptp(at[0, :, 0]) == pytest.approx(2.1, abs=1e-5)
    assert np.ptp(at[1:, :, 0], axis=1) == pytest.approx(2.0, abs=0.01)  # stretched, it has drawn itself together
    flat = points(frames_of(scene), "sheet")
    assert flat[-1] == pytest.approx(flat[0], abs=1e-9)


def test_pins_hold_the_vertices_they_held_where_these_open() -> None:
    scene = shot(sheet(), frames=3)
    count = len(started(scene).model.deformables.start)  # type: ignore[union-attr]
    moved = opened(scene, "sheet", np.tile([0.0, 0.0, 0.7], (count, 1)))
    was, now = (started(s).model.deformables.elements.vertices.pinned for s in (scene, moved))  # type: ignore[union-attr]
    assert (was == now).all() and now.sum() == 2
    at = points(frames_of(moved), "sheet")
    assert at[-1][now != 0] == pytest.approx(at[0][now != 0], abs=1e-12)
    built = [build_pieces(b) for b in moved.bodies]
    seen = lay_out_vertices(moved, drawn_surface)
    assert (pinned_vertices(moved, lay_out(moved, built), seen)["sheet"] == (now != 0)).all()
    assert seen.point["sheet"] == pytest.approx(at[0], abs=1e-6)


def test_recall_draws_back_to_the_shape_at_rest() -> None:
    everywhere = {"layers": [{"shape": {"kind": "everywhere"}}]}
    recalled = cloth("sheet", (0, 3, 0), (2, 1), (6, 4), recall=[{"reach": everywhere, "rate": 5.0}])
    scene = shot(recalled, frames=48, gravity=(0, 0, 0))
    count = len(started(scene).model.deformables.start)  # type: ignore[union-attr]
    at = points(frames_of(opened(scene, "sheet", np.tile([0.0, 0.5, 0.0], (count, 1)))), "sheet")
    assert at[0, 0, 1] == pytest.approx(3.5, abs=1e-6) and at[-1, :, 1] == pytest.approx(3.0, abs=0.01)


def test_vertices_that_ride_keep_where_they_open_on_their_body() -> None:
    cart = {
        "name": "cart",
        "role": "animated",
        "shape": {"kind": "box", "size": [0.2, 0.2, 0.2]},
        "place": {"position": [-1, 3, -0.5]},
        "velocity": [1, 0, 0],
    }
    rides = cloth("sheet", (0, 3, 0), (2, 1), (6, 4), pins=[pin(-1, 3, -0.5, reach=0.05, to="cart")])
    scene = shot(cart, rides, frames=12, gravity=(0, 0, 0))
    count = len(started(scene).model.deformables.start)  # type: ignore[union-attr]
    at = points(frames_of(opened(scene, "sheet", np.tile([0.0, 0.2, 0.0], (count, 1)))), "sheet")
    corner = int(np.argmin(np.linalg.norm(at[0] - [-1, 3.2, -0.5], axis=1)))
    assert at[-1, corner] == pytest.approx([-0.5, 3.2, -0.5], abs=1e-6)


def test_an_opening_shape_of_another_mesh_is_said_with_what_to_do() -> None:
    text = base64.b64encode(np.zeros((4, 3), "<f4").tobytes()).decode()
    for make in (lambda b: started(shot(b)), lambda b: drawn_surface(Body.model_validate(b))):
        with pytest.raises(InputError, match=r"4 vertices, but has 77 now; let it settle again"):
            make(sheet(opening={"points": text}))  # type: ignore[no-untyped-call]


@pytest.mark.parametrize("text", ["$$$", "AAAA", base64.b64encode(np.full(3, np.nan, "<f4").tobytes()).decode(), ""])
def test_an_opening_shape_that_is_no_list_of_places_is_refused(text: str) -> None:
    with pytest.raises(DocumentError, match="let the body settle again") as told:
        parse({"bodies": [sheet(opening={"points": text})]})
    assert told.value.problems[0][0].endswith("opening.points")


def test_only_what_deforms_opens_in_another_shape() -> None:
    box = {"name": "box", "shape": {"kind": "box"}, "opening": {"points": "AAAAAAAAAAAAAAAA"}}
    with pytest.raises(DocumentError, match="only cloth, soft and rope"):
        parse({"bodies": [box]})


def test_the_opening_shape_names_the_drawing_and_not_the_mass() -> None:
    scene = shot(sheet(), frames=1)
    stretched = opened(scene, "sheet", np.random.default_rng(1).normal(size=(77, 3)))
    one, other = scene.bodies[0], stretched.bodies[0]
    assert surface_key(one) != surface_key(other)
    assert mass_of(one, drawn_surface(one)) == mass_of(other, drawn_surface(other))


# ------------------------------------------------------------------------------------ settling


def with_openings(scene: Shot, openings: dict[str, Any]) -> Shot:
    data = dump(scene)
    for body in data["bodies"]:
        if body["name"] in openings:
            body["opening"] = openings[body["name"]].model_dump(mode="json")
    return parse(data)


@pytest.mark.parametrize(
    "body",
    [
        sheet(),
        rope("line", (-1, 3, 0), (1, 3, 0), segments=16, pins=[pin(-1, 3, 0), pin(1, 3, 0)]),
        soft("cube", (0, 0.5, 0), (1, 1, 1), matter={"young": 40, "detail": 3}),
        soft(
            "halves", (0, 0.5, 0), (1, 1, 1), matter={"young": 40, "detail": 3}, pattern=HALVES, bonds={"strength": 1}
        ),
    ],
    ids=lambda b: b["name"],
)
def test_what_has_settled_opens_at_rest(body: dict[str, Any]) -> None:
    scene = shot(body, frames=24)
    told: list[float] = []
    got = settle(scene, [body["name"]], tell=told.append)
    assert got.rests and told == sorted(told) and 0 < told[-1] <= 1
    at = points(frames_of(with_openings(scene, got.openings)), body["name"])
    unsettled = points(frames_of(scene), body["name"])
    # what opens at rest stays there, but for a twentieth of the way it would go otherwise
    assert np.linalg.norm(at - at[0], axis=2).max() < 0.05 * np.linalg.norm(unsettled - unsettled[0], axis=2).max()
    surface = drawn_surface(with_openings(scene, got.openings).bodies[0])
    assert surface.start.shape == surface.vertices.shape


def test_everything_rigid_stands_while_it_settles() -> None:
    ball = {"name": "ball", "shape": {"kind": "sphere", "radius": 0.5}, "place": {"position": [0, 1.5, 0]}}
    cover = cloth("cover", (0, 2.05, 0), (2, 2), (12, 12))
    got = settle(shot(ball, cover, frames=5), ["cover"])
    body = Body.model_validate(cover)
    own = opening_points(body, got.openings["cover"].points, 169) + [0, 2.05, 0]
    away = np.linalg.norm(own - [0, 1.5, 0], axis=1)
    assert away.min() > 0.49 and own[:, 1].max() > 1.9  # it hangs over a ball that itself would have fallen


def test_fields_act_only_when_asked_and_seams_hold() -> None:
    wind = {
        "name": "up",
        "effect": {"kind": "gravity", "acceleration": [0, 19.62, 0]},
        "reach": {"layers": [{"shape": {"kind": "everywhere"}}]},
    }
    weak = sheet(pattern={"kind": "cells", "count": 4}, bonds={"strength": 1e-6, "unit": "kN/m"})
    scene = shot(weak, fields=[wind], frames=5, ground={"on": False})
    body = scene.bodies[0]
    count = len(drawn_surface(body).vertices)
    low = opening_points(body, settle(scene, ["sheet"]).openings["sheet"].points, count)
    high = opening_points(body, settle(scene, ["sheet"], with_fields=True).openings["sheet"].points, count)
    assert low[:, 1].min() < -0.9 and high[:, 1].max() > 0.9 and abs(high[:, 1].max() + low[:, 1].min()) < 0.05


def test_what_is_tied_settles_along_and_strangers_do_not() -> None:
    line = rope("line", (0, 3, 0), (1, 3, 0), segments=8, pins=[pin(0, 3, 0)])
    tail = rope("tail", (1, 3, 0), (2, 3, 0), segments=8)
    other = rope("other", (0, 3, 3), (1, 3, 3), segments=8, pins=[pin(0, 3, 3)])
    tie = {"name": "knot", "body": "line", "to": "tail", "point": [1, 3, 0], "how": {"kind": "pin"}, "breaks": 1e-9}
    scene = shot(line, tail, other, ties=[tie], frames=5)
    got = settle(scene, ["line"])
    assert set(got.openings) == {"line", "tail"} and got.rests
    assert got.ties["knot"] == pytest.approx([0, 2, 0], abs=0.1)  # the end of a metre that hangs from its pin
    data = dump(with_openings(scene, got.openings))
    data["ties"][0] |= {"point": got.ties["knot"].tolist(), "breaks": None}
    again = frames_of(parse(data))
    at = np.array([[points(again, n)[f][k] for n, k in (("line", -1), ("tail", 0))] for f in (0, 5)])
    assert np.ptp(at, axis=1) == pytest.approx(np.zeros((2, 3)), abs=2e-3)  # the same two ends are tied as before
    assert max(f.stats["stretch"] for f in again) < 0.02
    with pytest.raises(InputError, match="no single body that deforms"):
        settle(shot(line, frames=5), ["nobody"])


def test_stopping_is_asked_every_frame() -> None:
    class Enough(Exception):
        pass

    def stop(share: float) -> None:
        raise Enough

    with pytest.raises(Enough):
        settle(shot(sheet(), frames=5), ["sheet"], tell=stop)
