"""What meets at several metres a second, turning, does not sink in: measured on the drawn corners, by code that shares
nothing with the solver.
"""

from __future__ import annotations

import numpy as np
import pytest
from scipy.spatial import ConvexHull
from scipy.spatial.transform import Rotation

from dynaclast.core import document
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.prepare import prepare
from dynaclast.core.solve.rigid.manifold import reduce_to_four
from overlap import Solids
from shots import box, run, shot


def stone(
    name: str, rng: np.random.Generator, at: np.ndarray, stretch: tuple[float, float, float], **more: object
) -> dict:
    """A convex stone of 14 corners about 0.4 m wide."""
    points = rng.normal(size=(14, 3))
    points = 0.2 * points / np.linalg.norm(points, axis=1, keepdims=True) * np.array(stretch)
    hull = ConvexHull(points)
    faces = [
        list(f) if n @ np.cross(points[f[1]] - points[f[0]], points[f[2]] - points[f[0]]) > 0 else [f[0], f[2], f[1]]
        for f, n in zip(hull.simplices.tolist(), hull.equations[:, :3], strict=True)
    ]
    used = {v: k for k, v in enumerate(hull.vertices.tolist())}
    mesh = {"kind": "mesh", "vertices": points[hull.vertices].tolist(), "faces": [[used[v] for v in f] for f in faces]}
    return {
        "name": name,
        "shape": mesh,
        "place": {"position": at.tolist()},
        "material": {"density": 2400, "friction": 0.6, "bounce": 0.1},
        **more,
    }


def test_stones_that_meet_in_the_air() -> None:
    """Sixty pairs, apart from each other; every frame of each."""
    rng = np.random.default_rng(11)
    bodies = []
    for k in range(60):
        at = np.array([6.0 * (k % 8), 0.0, 6.0 * (k // 8)])
        way = rng.normal(size=3)
        way /= np.linalg.norm(way)
        speed, aside = rng.uniform(3, 8), 0.15 * rng.normal(size=3)
        flat = (1.6, 0.35, 1.0) if k % 2 else (1.0, 1.0, 1.0)
        bodies += [
            stone(f"a{k}", rng, at, flat, spin=(5 * rng.normal(size=3)).tolist()),
            stone(
                f"b{k}",
                rng,
                at + way * 0.9 + aside,
                (1.2, 0.8, 1.0),
                velocity=(-speed * way).tolist(),
                spin=(5 * rng.normal(size=3)).tolist(),
            ),
        ]
    scene = {"gravity": [0, 0, 0], "ground": {"on": False}, "timing": {"frames": 14}, "bodies": bodies}
    out = run(*bodies, gravity=[0, 0, 0], ground={"on": False}, frames=14)
    solids = Solids(document.parse(scene))
    deep = [
        max(solids.overlaps(p, q).values(), default=0.0) for p, q in zip(out.position, out.orientation, strict=True)
    ]
    met = np.linalg.norm(np.diff(out.position[:, ::2], axis=0)[-1] * 24, axis=1) > 0.1
    assert met.sum() > 35
    assert max(deep) < 0.006


@pytest.mark.parametrize("bounce", [0.0, 0.4])
def test_boxes_that_land_on_their_corners(bounce: float) -> None:
    """Where corners of one box meet the ground one after the other within a substep, none is driven in by what another
    bounces back.
    """
    rng = np.random.default_rng(3)
    bodies = [
        box(
            f"b{k}",
            (2.0 * (k % 7), 1.0, 2.0 * (k // 7)),
            (0.5, 0.12, 0.35),
            velocity=[0, float(rng.uniform(-9, -5)), 0],
            spin=(6 * rng.normal(size=3)).tolist(),
            material={"bounce": bounce},
            place={"rotation": Rotation.random(random_state=k).as_quat().tolist()},
        )
        for k in range(42)
    ]
    scene = shot(*bodies)
    prepared = prepare(scene)
    going, asm = Run(scene, prepared.model, prepared.state), prepared.state.assemblies
    corners = 0.5 * np.array([[x, y, z] for x in (-0.5, 0.5) for y in (-0.12, 0.12) for z in (-0.35, 0.35)])
    opening = [Rotation.random(random_state=k) for k in range(42)]
    lowest, landed = [], np.zeros(42, bool)
    for _ in range(30):
        going._solve_interval()
        low = np.array(
            [
                ((Rotation.from_quat(asm.orientation[k]) * opening[k]).apply(corners)[:, 1] + asm.position[k, 1]).min()
                for k in range(42)
            ]
        )
        lowest.append(low.min())
        landed |= asm.velocity[:42, 1] > -4.0
    assert landed.all()
    assert min(lowest) > -0.005


def test_of_many_points_those_of_the_side_that_comes_down_are_kept() -> None:
    """A plate over a plane, leaning: its low edge touches, its far edge is 60 mm up; between them a corner is 4 mm up,
    and will be down next.
    """
    points, seps = np.zeros((64, 3)), np.zeros(64)
    points[:6] = 0.3 * np.array([[0, 0, 0], [0, 0, 1], [0.6, 0, 0.5], [1, 0, 0], [1, 0, 1], [0.5, 0, 0]])
    seps[:6] = [0.0, 0.001, 0.004, 0.06, 0.07, 0.03]
    kept = reduce_to_four(points, seps, 6)
    assert kept >= 3 and {0.0, 0.001, 0.004} <= set(seps[:kept].tolist())
