"""Overlap at the opening pose, against closed forms and a linear program; and what preflight makes of it."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.optimize import linprog
from scipy.spatial import ConvexHull

from dynaclast.core import document
from dynaclast.core.fracture.build import build_pieces, no_files
from dynaclast.core.geometry import primitives
from dynaclast.core.preflight import preflight
from dynaclast.core.solve.collision import HullShop, outlines, pack_hulls
from dynaclast.core.solve.inner_faces import nothing_inside
from dynaclast.core.solve.rigid.groups import make_world_shapes
from dynaclast.core.solve.rigid.hull_overlap import deeper_than, penetration
from dynaclast.core.solve.rigid.hulls import Hull, ball, convex_core
from dynaclast.core.solve.rigid.manifold import make_patch
from dynaclast.core.solve.rigid.narrow_phase import collide_hulls
from dynaclast.core.solve.rigid.outward import Interior
from overlap import depth
from shots import box


def by_directions(a: Hull, b: Hull, rng: np.random.Generator) -> float:
    """Least overlap over very many directions: never below the true one, and near it."""
    d = rng.normal(size=(200_000, 3))
    d /= np.linalg.norm(d, axis=1, keepdims=True)
    return float(((a.corners @ d.T).max(axis=0) - (b.corners @ d.T).min(axis=0)).min() + a.radius + b.radius)


def meet(a: Hull, b: Hull) -> bool:
    """Whether two cores share a point: a linear program over both sets of corners."""
    n, m = len(a.corners), len(b.corners)
    rows = np.zeros((5, n + m))
    rows[:3, :n], rows[:3, n:] = a.corners.T, -b.corners.T
    rows[3, :n] = rows[4, n:] = 1.0
    return linprog(np.zeros(n + m), A_eq=rows, b_eq=[0, 0, 0, 1, 1]).status == 0


@pytest.mark.parametrize("seed", range(12))
def test_depth_of_random_hulls(seed: int) -> None:
    rng = np.random.default_rng(seed)
    a = convex_core(rng.normal(size=(14, 3)))
    b = convex_core(rng.normal(size=(9, 3)) + rng.normal(size=3) * 1.2)
    depth = penetration(a, b)
    around = by_directions(a, b, rng)
    assert depth <= max(0.0, around) + 1e-12
    if meet(a, b):
        assert depth > 0 and around <= depth * 1.05 + 1e-3
    elif depth == 0:
        assert around < 0.02


def test_depth_of_boxes_and_balls() -> None:
    cube = convex_core(np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], float))
    moved = Hull(cube.corners + [1.7, 0.2, 0.1], cube.normals, cube.rings, cube.radius)
    assert penetration(cube, moved) == pytest.approx(0.3, abs=1e-9)
    assert penetration(cube, Hull(cube.corners + [2.001, 0, 0], cube.normals, cube.rings, cube.radius)) == 0
    assert penetration(ball(np.zeros(3), 1.0), ball(np.array([1.5, 0, 0]), 0.75)) == pytest.approx(0.25)


def test_preflight_names_the_deepest_pair_and_its_depth() -> None:
    scene = document.parse(
        {
            "bodies": [box("crate", (0, 0.5, 0)), box("shelf", (0.9, 0.5, 0)), box("far", (1.91, 0.5, 0))],
            "ground": {"on": True},
        }
    )
    found = [f for f in preflight(scene, [build_pieces(b) for b in scene.bodies]) if f.code == "overlap"]
    assert len(found) == 1 and "10.0 cm deep" in found[0].sentence and found[0].about == "crate"


def test_a_tie_in_the_air_and_a_still_animated_body_are_said() -> None:
    scene = document.parse(
        {
            "bodies": [box("crate", (0, 0.5, 0)), box("deck", (5, 0.5, 0)) | {"role": "animated"}],
            "ties": [
                {"name": "rope", "how": {"kind": "pin"}, "body": "crate", "point": [0, 4, 0]},
                {"name": "idle", "how": {"kind": "weld"}, "body": "deck", "point": [5, 1, 0]},
            ],
        }
    )
    codes = {f.code: f.about for f in preflight(scene, [build_pieces(b) for b in scene.bodies])}
    assert codes == {"tie-far": "rope", "tie-idle": "idle", "stands-still": "deck"}


@pytest.mark.parametrize("collision", ["hull", "parts", "box", "ball"])
def test_outlines_lie_on_the_collision_surface(collision: str) -> None:
    shape = {"kind": "tube", "radius": 1.0, "wall": 0.3, "height": 1.0, "segments": 24}
    body = document.parse({"bodies": [{"name": "ring", "shape": shape, "collision": collision}]}).bodies[0]
    pieces = build_pieces(body)
    hulls, _ = HullShop(no_files).of(body, pieces)
    assert len(hulls) > 8 if collision == "parts" else len(hulls) == 1
    ends = outlines(hulls).reshape(-1, 3)
    if collision == "ball":
        assert np.abs(np.linalg.norm(ends, axis=1) - hulls[0].radius).max() < 1e-9
        return
    volume = sum(ConvexHull(h.corners).volume for h in hulls)
    assert np.abs(ends).max(axis=0) == pytest.approx([1, 0.5, 1], abs=0.01)
    assert volume < 0.75 * 2 * 2 * 1 if collision == "parts" else volume > 2.8


@pytest.mark.parametrize("seed", range(4))
def test_contact_points_reach_as_deep_as_the_hulls_overlap(seed: int) -> None:
    """Of overlapping cores the solver's way out is never shorter than the least one, and seldom much longer; its points
    hold what lies deepest.
    """
    rng = np.random.default_rng(seed)
    ratios = []
    while len(ratios) < 12:
        a, b = (convex_core(rng.normal(size=(n, 3)) * rng.uniform(0.3, 1.0, 3)) for n in (12, 10))
        out = rng.normal(size=3)
        out /= np.linalg.norm(out)
        hulls = pack_hulls([a, b], [0, 1])
        corners, other = hulls.vertices.copy(), hulls.vertex_start[1]
        corners[other:] += out * ((a.corners @ out).max() - (b.corners @ out).min() - rng.uniform(0.02, 0.2))
        true = depth(corners[:other], corners[other:])
        if true == 0.0:
            continue
        patch, world = make_patch(), make_world_shapes(hulls)
        nothing = Interior(nothing_inside(hulls), np.arange(2, dtype=np.int32))
        patch.normal[:], world.vertices[:], world.normals[:] = -out / 4, corners, hulls.normals
        count = collide_hulls(hulls, world, nothing, 0, 1, False, 1.0, np.array([0, 0, 0, 9.0]), patch)
        axis = patch.normal
        assert count > 0 and np.linalg.norm(axis) == pytest.approx(1.0)
        along = float((corners[:other] @ -axis).max() - (corners[other:] @ -axis).min())
        found = -(patch.separations[:count].min() + a.radius + b.radius)
        assert found == pytest.approx(along, abs=1e-9) or found <= along + 1e-9
        assert found >= true - 1.2 * (a.radius + b.radius)
        ratios.append(along / true)
    assert min(ratios) > 1 - 1e-9 and np.median(ratios) < 1.02 and np.quantile(ratios, 0.75) < 2


@pytest.mark.parametrize("seed", range(6))
def test_deeper_than_is_told_as_the_depth_has_it(seed: int) -> None:
    rng = np.random.default_rng(100 + seed)
    for _ in range(20):
        a = convex_core(rng.normal(size=(10, 3)))
        b = convex_core(rng.normal(size=(8, 3)) + rng.normal(size=3) * 1.5)
        most = abs(rng.normal()) * 0.3
        assert deeper_than(most, a, b) == (penetration(a, b) > most)


def deepest_of_neighbours(body: document.Body) -> tuple[float, int, int]:
    """Deepest overlap of the shapes of two pieces of a body, how many shapes there are, and how many pieces."""
    pieces = build_pieces(body)
    hulls, owner = HullShop(no_files).of(body, pieces)
    at = [Hull(h.corners + pieces.center[p], h.normals, h.rings, h.radius) for h, p in zip(hulls, owner, strict=True)]
    deep = [penetration(at[i], at[j]) for i in range(len(at)) for j in range(i + 1, len(at)) if owner[i] != owner[j]]
    return max(deep), len(hulls), pieces.count


def parts_of(body: document.Body) -> int:
    return len(HullShop(no_files).of(body, build_pieces(body))[0])


def test_a_ring_round_a_rod_is_taken_as_parts_since_its_hull_would_hold_the_rod() -> None:
    """One mesh of two shells: slabs across cut it into rings and rods."""
    ring, rod = primitives.tube(1.0, 0.2, 2.0), primitives.cylinder(0.4, 2.0)
    both = {
        "kind": "mesh",
        "vertices": np.concatenate([ring.vertices, rod.vertices]).tolist(),
        "faces": np.concatenate([ring.faces, rod.faces + len(ring.vertices)]).tolist(),
    }
    slabs = {"kind": "slabs", "count": 3, "axis": [0, 1, 0], "spread": 0}
    made = box("pipe", (0, 0, 0), pattern=slabs) | {"shape": both}
    body, plain = (document.parse({"bodies": [made | {"collision": c}]}).bodies[0] for c in ("auto", "hull"))
    before, hulls, pieces = deepest_of_neighbours(plain)
    after, parts, _ = deepest_of_neighbours(body)
    assert (hulls, pieces) == (6, 6) and before > 0.4
    kept = build_pieces(body)
    for array in kept.arrays().values():  # as they come back from the store
        array.setflags(write=False)
    assert len(HullShop(no_files).of(body, kept)[0]) == parts_of(body)
    assert parts >= 3 + 3 * 4 and after <= 0.005


def test_convex_pieces_stay_one_hull_each() -> None:
    body = document.parse({"bodies": [box("b", (0, 0, 0), pattern={"kind": "cells", "count": 12})]}).bodies[0]
    deep, hulls, pieces = deepest_of_neighbours(body)
    assert hulls == pieces and deep < 1e-3
