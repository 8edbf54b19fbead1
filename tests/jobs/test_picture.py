"""Pictures for lists: what is seen is where it should be, and the nearer hides the farther."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image

from deforming import cloth, rope
from dynaclast.core.geometry import primitives
from dynaclast.jobs.picture import MOST_FACES, SIZE, draw, draw_mesh
from dynaclast.jobs.take_picture import moment_of, picture_of
from dynaclast.store.assets import PieceCache
from dynaclast.store.database import Store
from shots import box, pillar, shot


def seen(data: bytes) -> np.ndarray:
    return np.asarray(Image.open(io.BytesIO(data)))


def cube(at: tuple[float, float, float], size: float, color: tuple[float, float, float]) -> tuple:
    mesh = primitives.box((size, size, size))
    corners = (mesh.vertices + at)[mesh.faces]
    return corners, np.tile(color, (len(corners), 1))


def test_everything_is_in_the_picture_and_the_rest_is_clear() -> None:
    picture = seen(draw(*cube((40, 7, -3), 2.5, (1, 1, 1))))
    assert picture.shape == (SIZE[1], SIZE[0], 4)
    solid = picture[..., 3] > 0
    rows, columns = np.nonzero(solid)
    assert 0.3 < np.ptp(rows) / SIZE[1] < 1 and np.ptp(columns) / SIZE[0] < 1
    assert not solid[0].any() and not solid[:, 0].any() and not solid[-1].any() and not solid[:, -1].any()


def test_the_nearer_hides_the_farther_whichever_comes_first() -> None:
    far, near = cube((-2, 0, -3), 2, (1, 0, 0)), cube((2, 0.4, 3), 2, (0, 1, 0))
    one = seen(draw(np.concatenate([far[0], near[0]]), np.concatenate([far[1], near[1]])))
    other = seen(draw(np.concatenate([near[0], far[0]]), np.concatenate([near[1], far[1]])))
    np.testing.assert_array_equal(one, other)
    green = (one[..., 1] > 60) & (one[..., 0] < 30)
    red = (one[..., 0] > 60) & (one[..., 1] < 30)
    assert green.sum() > red.sum() > 0


def test_nothing_and_far_too_much_are_pictures_too() -> None:
    assert not seen(draw(np.zeros((0, 3, 3)), np.zeros((0, 3))))[..., 3].any()
    many = np.random.default_rng(1).normal(size=(3 * MOST_FACES, 3, 3))
    assert seen(draw(many, np.ones((len(many), 3)))).shape[2] == 4


def test_a_take_is_shown_a_while_after_most_broke() -> None:
    assert moment_of([]) == 0
    assert moment_of([0, 0, 0]) == 2
    assert moment_of([0, 9, 3, *[0] * 40]) == 13
    assert moment_of([0, 9, 3]) == 2


def test_a_shot_is_drawn_in_the_colours_of_its_bodies_and_without_what_has_ended(store: Store) -> None:
    cache = PieceCache(store)
    red = box("red", (5, 1, 0))
    red["material"] = red.get("material", {}) | {"look": {"color": "#ff0000"}}
    picture = seen(picture_of(shot(pillar(), red), cache))
    is_red = (picture[..., 0] > 60) & (picture[..., 1] < 20) & (picture[..., 3] > 0)
    assert is_red.any() and (picture[..., 3] > 0).sum() > is_red.sum()
    arrays = {
        "position": np.array([[5.0, 1, 0]]),
        "orientation": np.array([[0, 0, 0, 1.0]]),
        "state": np.array([4], np.uint8),
    }
    assert not seen(picture_of(shot(red), cache, arrays))[..., 3].any()


def _middle(picture: np.ndarray, red: bool) -> float:
    """How far down what is red, or is not, lies in a picture."""
    own = (picture[..., 0] > picture[..., 1].astype(int) + 80) == red
    return float(np.nonzero(own & (picture[..., 3] > 0))[0].mean())


def test_what_deforms_is_drawn_where_it_was_at_the_moment_and_not_where_it_has_ended(store: Store) -> None:
    cache = PieceCache(store)
    red = {"look": {"color": "#ff0000"}}
    sheet = cloth("sheet", (0, 0, 0), (2, 2), (1, 1)) | {"material": red}
    scene = shot(box("crate", (0, 2, 0)), sheet)
    own = {"position": np.array([[0.0, 2, 0]]), "orientation": np.array([[0, 0, 0, 1.0]]), "state": np.zeros(1, int)}
    flat = np.array([[-1.0, 0, -1], [1, 0, -1], [-1, 0, 1], [1, 0, 1]])
    low, high = (own | {"points/sheet": flat + [0, y, 0], "state/sheet": np.zeros(4, int)} for y in (0.0, 4.0))
    below, above = seen(picture_of(scene, cache, low)), seen(picture_of(scene, cache, high))
    assert _middle(below, True) > _middle(below, False) and _middle(above, True) < _middle(above, False)
    np.testing.assert_array_equal(below, seen(picture_of(scene, cache)))
    ended = seen(picture_of(scene, cache, low | {"state/sheet": np.full(4, 4)}))
    assert not ((ended[..., 0] > ended[..., 1].astype(int) + 80) & (ended[..., 3] > 0)).any()


def test_ropes_are_seen_however_thin_they_are_and_nets_through(store: Store) -> None:
    cache = PieceCache(store)
    net = {"name": "net", "shape": {"kind": "sheet", "size": [8, 8], "divisions": [4, 4]}, "matter": {"kind": "rope"}}
    line = seen(picture_of(shot(rope("line", (-20, 0, 0), (20, 9, 0), segments=1, matter={"radius": 1e-4})), cache))
    assert 100 < (line[..., 3] > 60).sum() < 4000
    strands = (seen(picture_of(shot(net), cache))[..., 3] > 60).sum()
    whole = (seen(picture_of(shot(net | {"matter": {"kind": "cloth"}}), cache))[..., 3] > 60).sum()
    assert 0.05 * whole < strands < 0.5 * whole


def test_what_is_set_up_is_drawn_without_breaking_it_and_without_what_cannot_be_used(store: Store) -> None:
    class Counted(PieceCache):
        asked: list[object] = []  # noqa: RUF012 - of this test alone

        def get(self, body, progress=None):  # type: ignore[no-untyped-def]
            self.asked.append(body.pattern)
            return super().get(body, progress)

    vertices = [[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]]
    open_mesh = {"kind": "mesh", "vertices": vertices, "faces": [[0, 1, 2], [0, 1, 3], [0, 2, 3], [0, 3, 2]]}
    torn = {"name": "torn", "shape": open_mesh}
    cache = Counted(store)
    assert seen(picture_of(shot(pillar(), torn), cache))[..., 3].any()
    assert cache.asked == [None, None]


def test_a_hole_shows_the_inside_in_a_colour_that_warns() -> None:
    corners, _ = cube((0, 0, 0), 2.0, (1, 1, 1))
    up = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])[:, 1]

    def warned(faces: np.ndarray) -> int:
        rgb = seen(draw_mesh(faces))[..., :3].astype(int)
        return int((rgb[..., 0] > rgb[..., 2] + 60).sum())

    assert warned(corners) < 100  # of 64,000, along edges
    assert warned(corners[up < 1e-9]) > 300  # without its lid
    assert warned(corners[:, ::-1]) > 5000  # turned inside out
