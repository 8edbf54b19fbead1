"""Repairs and other steps of meshes: each mends what it says, and harms nothing else."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from dynaclast.core.document import parse
from dynaclast.core.errors import GeometryError
from dynaclast.core.falloff import value
from dynaclast.core.geometry import primitives
from dynaclast.core.geometry.check import diagnose, report, solid
from dynaclast.core.geometry.inside import inside
from dynaclast.core.geometry.mass import signed_volume
from dynaclast.core.geometry.mesh import TriMesh, make, weld
from dynaclast.core.geometry.steps import apply_steps
from dynaclast.core.geometry.winding import winding_number
from shots import box

BALL = primitives.sphere(1.0, 24)


def after(mesh: TriMesh, *steps: dict) -> TriMesh:
    return apply_steps(mesh, parse({"bodies": [box("b", (0, 0, 0), steps=list(steps))]}).bodies[0].steps, value)


def kinds(mesh: TriMesh) -> set[str]:
    return {d.kind for d in report(mesh)}


def test_holes_are_found_where_they_are_and_filled() -> None:
    holed = make(BALL.vertices, np.delete(BALL.faces, [5, 6, 100, 101, 102], axis=0))
    defect = report(holed)[0]
    assert defect.kind == "open" and len(defect.marks) == defect.count and "fill" in defect.mends
    assert np.linalg.norm(defect.marks.reshape(-1, 3), axis=1) == pytest.approx(1.0, abs=0.02)  # on the surface
    filled = after(holed, {"kind": "fill"})
    assert kinds(filled) == set() and signed_volume(filled) == pytest.approx(signed_volume(BALL), rel=0.01)


def test_flipped_inside_out_doubled_and_empty_faces_are_unified() -> None:
    faces = BALL.faces.copy()
    faces[::3] = faces[::3, ::-1]
    faces = np.concatenate([faces, faces[:4], [[0, 0, 1]]])
    bad = make(BALL.vertices, faces)
    assert {"flipped", "doubled", "zero-area"} <= kinds(bad)
    assert kinds(after(bad, {"kind": "unify"})) == set()
    assert signed_volume(after(BALL.flipped(), {"kind": "unify"})) == pytest.approx(signed_volume(BALL))
    assert kinds(BALL.flipped()) == {"inside-out"}


def test_scattered_vertices_weld() -> None:
    rng = np.random.default_rng(2)
    soup = make(
        BALL.vertices[BALL.faces].reshape(-1, 3) + rng.uniform(-2e-5, 2e-5, (3 * len(BALL.faces), 3)),
        np.arange(3 * len(BALL.faces)).reshape(-1, 3),
    )
    assert "open" in kinds(soup) and kinds(after(soup, {"kind": "weld", "distance": 1e-4})) == set()


def two_balls() -> TriMesh:
    return make(
        np.concatenate([BALL.vertices, BALL.vertices + [0.8, 0, 0]]),
        np.concatenate([BALL.faces, BALL.faces + len(BALL.vertices)]),
    )


TWO_BALLS = 2 * 4 / 3 * np.pi - np.pi / 12 * (4 + 0.8) * (2 - 0.8) ** 2


def test_shells_that_cross_are_joined_and_that_is_told() -> None:
    assert kinds(two_balls()) == {"crossing", "shells"}
    made, notes = solid(two_balls(), "made")
    assert signed_volume(made) == pytest.approx(TWO_BALLS, rel=0.03)
    assert not diagnose(made) and any("joined into one" in note for note in notes)


def test_shells_that_cross_are_joined_too_where_all_is_inside_out() -> None:
    made, notes = solid(two_balls().flipped(), "made")
    assert signed_volume(made) == pytest.approx(TWO_BALLS, rel=0.03) and not diagnose(made)
    assert any("joined into one" in note for note in notes)


def test_welding_a_clean_mesh_joins_as_asked_but_for_what_would_make_it_cross_itself() -> None:
    near = make(BALL.vertices.copy(), BALL.faces)
    near.vertices[BALL.faces[40, 1]] = (
        0.999 * near.vertices[BALL.faces[40, 0]] + 0.001 * near.vertices[BALL.faces[40, 1]]
    )
    assert not kinds(near)
    joined = after(near, {"kind": "weld", "distance": 1e-3})
    assert len(joined.vertices) == len(near.vertices) - 1 and not kinds(joined)
    rough = after(BALL, {"kind": "weld", "distance": 0.15})
    assert not {"self-crossing", "open", "flipped"} & kinds(rough)


def test_a_shell_inside_another_that_looks_inwards_stays_a_hollow() -> None:
    inner = make(0.5 * BALL.vertices, BALL.faces[:, ::-1])
    hollow = make(
        np.concatenate([BALL.vertices, inner.vertices]), np.concatenate([BALL.faces, inner.faces + len(BALL.vertices)])
    )
    assert signed_volume(solid(hollow, "hollow")[0]) == pytest.approx(0.875 * signed_volume(BALL))
    beside = make(
        hollow.vertices + np.where(np.arange(len(hollow.vertices)) < len(BALL.vertices), 0, 0.7)[:, None] * [1, 0, 0],
        hollow.faces,
    )
    made, _ = solid(beside, "beside")  # the hollow breaks through the wall
    assert not diagnose(made) and 0.8 * signed_volume(BALL) < signed_volume(made) < 0.99 * signed_volume(BALL)


def test_a_torn_mesh_becomes_one_clean_solid() -> None:
    torn = make(two_balls().vertices, two_balls().faces[:-30])
    made, _ = solid(after(torn, {"kind": "solid", "detail": 48}), "made")
    assert signed_volume(made) == pytest.approx(TWO_BALLS, rel=0.06)
    assert not diagnose(made)


def test_subdivide_decimate_and_scale_keep_the_shape() -> None:
    tube = primitives.tube(1, 0.3, 2, 1, 16)
    fine = after(tube, {"kind": "subdivide", "times": 2})
    assert (
        len(fine.faces) == 16 * len(tube.faces)
        and signed_volume(fine) == pytest.approx(signed_volume(tube), rel=1e-9)
        and not diagnose(fine)
    )
    less = after(primitives.sphere(1, 64), {"kind": "decimate", "keep": 0.25})
    assert 0.2 < len(less.faces) / len(primitives.sphere(1, 64).faces) < 0.35 and not diagnose(less)
    assert signed_volume(less) == pytest.approx(4 / 3 * np.pi, rel=0.03)
    assert signed_volume(after(tube, {"kind": "scale", "by": [2, 1, 0.5]})) == pytest.approx(signed_volume(tube))
    with pytest.raises(GeometryError, match="Subdivide fewer times"):
        after(primitives.sphere(1, 256), {"kind": "subdivide", "times": 4})
    with pytest.raises(GeometryError, match="closed mesh"):
        after(make(BALL.vertices, BALL.faces[1:]), {"kind": "decimate"})


def test_steps_do_not_change_their_input() -> None:
    mesh = weld(BALL)
    mesh.vertices.setflags(write=False)
    mesh.faces.setflags(write=False)
    for kind in ("weld", "fill", "unify", "subdivide", "decimate", "scale"):
        after(mesh, {"kind": kind})


def test_inside_by_parity_equals_the_winding_number_also_on_lines_through_edges() -> None:
    torus = trimesh.creation.torus(2.0, 0.7)
    for mesh in (make(torus.vertices, torus.faces), primitives.box((2, 2, 2), (2, 2, 2)), primitives.tube(1, 0.3, 2)):
        lo, hi = mesh.bounds()
        points = np.concatenate(
            [np.random.default_rng(1).uniform(lo, hi, (800, 3)), [[0.0, 0.1, 0.0], [0.5, 0.1, 0.5], [0.0, 0.1, 0.5]]]
        )
        assert (inside(mesh, points) == (winding_number(mesh, points) > 0.5)).all()


def test_a_mesh_is_displaced_by_a_falloff_along_its_normals_and_by_an_offset() -> None:
    ball = primitives.sphere(1.0, 32)
    everywhere = {"layers": [{"shape": {"kind": "everywhere"}}]}
    grown = after(ball, {"kind": "displace", "reach": everywhere, "by": 0.5})
    assert np.linalg.norm(grown.vertices, axis=1) == pytest.approx(1.5, abs=1e-3)
    top = {"layers": [{"shape": {"kind": "plane", "center": [0, 0.5, 0], "normal": [0, -1, 0], "edge": 0}}]}
    moved = after(ball, {"kind": "displace", "reach": top, "by": 0, "offset": [0, 2, 0]})
    up = ball.vertices[:, 1] >= 0.5
    assert up.any() and moved.vertices - ball.vertices == pytest.approx(np.where(up[:, None], [0, 2, 0], 0))
    corner = after(primitives.box((1, 1, 1)), {"kind": "displace", "reach": everywhere, "by": 0.1})
    assert np.abs(corner.vertices) == pytest.approx(
        0.5 + 0.1 / np.sqrt(3)
    )  # doubled corners of a box move together, out along the diagonal
