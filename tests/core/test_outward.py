"""Directions of contact lead out of what hangs together, not out of a face between two of its pieces."""

from __future__ import annotations

import numpy as np
import pytest

from dynaclast.core.kernels import kernel
from dynaclast.core.solve.model import Hulls
from dynaclast.core.solve.prepare import prepare
from dynaclast.core.solve.rigid.groups import make_world_shapes
from dynaclast.core.solve.rigid.manifold import make_patch
from dynaclast.core.solve.rigid.narrow_phase import collide_hulls
from dynaclast.core.solve.rigid.outward import AS_FOUND, NOTHING, Interior, least_penetration_outward, open_face_instead
from shots import ball, box, shot

HALVES = {"kind": "slabs", "count": 2, "axis": [1, 0, 0], "spread": 0.0, "random": 0.0}
NEAR = np.array([0, 0, 0, 9.0])


@kernel
def _instead(hulls, world, inside, s, direction, at):  # type: ignore[no-untyped-def]
    return open_face_instead(hulls, world, inside, s, direction[0], direction[1], direction[2], at)


@kernel
def _outward(hulls, world, inside, s, t):  # type: ignore[no-untyped-def]
    return least_penetration_outward(hulls, world, inside, s, t)


class Two:
    """A wall of two pieces, x < 0 and x > 0, in one assembly or apart, and something beside it."""

    def __init__(self, *others: dict, together: bool = True) -> None:
        wall = box("wall", (0, 0.5, 0), (2, 1, 1), bonds={"strength": 1e6}, pattern=HALVES)
        ready = prepare(shot(wall, *others))
        model, state = ready.model, ready.state
        self.hulls: Hulls = model.hulls
        self.inside = Interior(model.inner_faces, state.piece_assembly.copy())
        if not together:
            self.inside.piece_assembly[0] = len(state.assemblies.mass) - 1
        center = model.pieces.rest_center[self.hulls.piece]
        self.world = make_world_shapes(self.hulls)
        self.world.vertices[:] = self.hulls.vertices + np.repeat(center, np.diff(self.hulls.vertex_start), axis=0)
        self.world.normals[:], self.world.center[:] = self.hulls.normals, center
        self.right = int(np.argmax(center[:2, 0]))

    def move(self, shape: int, by: np.ndarray) -> None:
        rows = slice(self.hulls.vertex_start[shape], self.hulls.vertex_start[shape + 1])
        self.world.vertices[rows] += by
        self.world.center[shape] += by

    def instead(self, direction: tuple[float, float, float], at: tuple[float, float, float]) -> np.ndarray | int:
        """What serves for a direction out of the right piece: a normal, or one of the signs."""
        d, r = np.array(direction) / np.linalg.norm(direction), self.hulls.radius[self.right]
        core = np.array(at, float) + [r if at[0] == 0 else 0, -r if at[1] == 1 else 0, -r if at[2] == 0.5 else 0]
        face = _instead(self.hulls, self.world, self.inside, self.right, d, core)
        return face if face < 0 else self.hulls.normals[face].round(6)

    def collide(self, s: int, t: int):  # type: ignore[no-untyped-def]
        patch = make_patch()
        patch.normal[:] = self.world.center[s] - self.world.center[t]
        patch.normal[:] /= 4 * np.linalg.norm(patch.normal)
        count = collide_hulls(self.hulls, self.world, self.inside, s, t, False, 0.05, NEAR, patch)
        return count, patch


UP, DOWN, BACK = [0, 1, 0], [0, -1, 0], [0, 0, 1]


@pytest.mark.parametrize(
    ("direction", "at", "serves"),
    [
        ((0, 1, 0), (0.5, 1, 0), AS_FOUND),  # out of the top
        ((0, 1, 0), (0, 1, 0), AS_FOUND),  # out of the top at its rim
        ((-1, 0, 0), (0, 1, 0), UP),  # over the rim into the other piece
        ((-1, 1, 0), (0, 1, 0), UP),
        ((-0.1, 1, 0), (0, 1, 0), UP),
        ((-1, 0, 0), (0, 0.5, 0), NOTHING),  # out of the face between them
        ((0, 1, 1), (0.5, 1, 0.5), AS_FOUND),  # out of an edge of both
        ((0, 1, 1), (0, 1, 0.5), AS_FOUND),  # where it ends
        ((-1, 0.9, 1), (0, 1, 0.5), BACK),
        ((-1, 1, 0.9), (0, 1, 0.5), UP),
        ((1, 1, 0), (1, 1, 0), AS_FOUND),  # at the far end there is no other piece
    ],
)
def test_the_open_face_at_a_rim_serves_instead(direction, at, serves) -> None:  # type: ignore[no-untyped-def]
    found = Two().instead(direction, at)
    assert found == serves if isinstance(serves, int) else found.tolist() == serves
    assert Two(together=False).instead(direction, at) == AS_FOUND


@pytest.mark.parametrize("far", [0.001, 0.01, 0.03])
@pytest.mark.parametrize("low", [-0.002, 0.0, 0.002])
def test_what_lies_on_one_piece_does_not_touch_the_rim_of_the_next(far: float, low: float) -> None:
    two = Two(box("crate", (-0.15 - far, 1.1 + low, 0), (0.3, 0.2, 0.3)))
    count, patch = two.collide(2, two.right)
    assert count == 0 and not patch.normal.any() and 0 < patch.separations[0] < 0.05
    count, patch = two.collide(2, 1 - two.right)
    assert count == 4 and patch.normal == pytest.approx(UP) and patch.separations[:4] == pytest.approx(low)
    apart = Two(box("crate", (-0.15 - far, 1.1 + low, 0), (0.3, 0.2, 0.3)), together=False)
    assert apart.collide(2, apart.right)[0] > 0  # two stones that lie side by side: the next may stop it


@pytest.mark.parametrize("far", [0.01, 0.05, 0.1])
def test_what_has_sunk_in_over_the_rim_is_held_up_not_back(far: float) -> None:
    """Least overlap leads out of the face between the pieces."""
    two = Two(box("crate", (-0.15 + far, 1.1, 0), (0.3, 0.2, 0.3)))
    two.move(2, np.array([0, -0.02, 0]))
    count, patch = two.collide(2, two.right)
    assert count > 0 and patch.normal == pytest.approx(UP)
    assert patch.separations[:count].min() == pytest.approx(-0.02, abs=1e-6)


def test_a_ball_beside_the_rim_rolls_on() -> None:
    for far in (0.02, 0.003, 0.0):  # just over where both meet, too
        two = Two(ball("ball", (-far, 1.2, 0), 0.2))
        count, patch = two.collide(2, 1 - two.right)
        assert count == 1 and patch.normal == pytest.approx(UP)
        assert patch.separations[0] == pytest.approx(0, abs=1e-6) and patch.points[0] == pytest.approx([-far, 1, 0])
        count, patch = two.collide(two.right, 2)  # within the rounding of both they both hold it
        assert count == (1 if far == 0 else 0)
        assert patch.normal == pytest.approx(DOWN if far == 0 else [0, 0, 0])


def test_what_is_behind_an_open_face_is_held_by_another_side() -> None:
    two = Two(box("crate", (0.2, 1.1, 0), (0.3, 0.2, 0.3)))
    for low, out in ((-0.02, UP), (-0.3, DOWN), (-0.9, UP)):  # the wall's top; the crate's own bottom; its own top
        two.move(2, np.array([0, low, 0]))
        face = _outward(two.hulls, two.world, two.inside, two.right, 2)
        owned = two.hulls.face_start[2] <= face
        assert two.hulls.normals[face].tolist() == out and owned == (low != -0.02)
        two.move(2, np.array([0, -low, 0]))


def test_a_broken_body_sinks_into_another_by_its_open_faces_too() -> None:
    """The same from the other side: the wall lies on a post under its joint."""
    two = Two(box("post", (-0.1 - 0.001, -0.5, 0), (0.2, 1, 0.2)))
    assert two.collide(two.right, 2)[0] == 0
    count, patch = two.collide(1 - two.right, 2)
    assert count == 4 and patch.normal == pytest.approx(UP)
