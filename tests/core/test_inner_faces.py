"""What passes from piece to piece of what hangs together is not held by the faces between them."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from deforming import rope, soft, started
from dynaclast.core.kernels import kernel
from dynaclast.core.solve.inner_faces import BEYOND, inner_faces, leads_inside, shapes_beside
from dynaclast.core.solve.loop import Run
from shots import box, shot


@kernel
def _leads(inner, hulls, piece_assembly, s, f):  # type: ignore[no-untyped-def]
    return leads_inside(inner, hulls, piece_assembly, s, f)


def wall(count: int = 40, seed: int = 4, **more: Any) -> dict[str, Any]:
    out = box("wall", (0, 0.5, 0), (2.0, 1.0, 0.5), bonds={"strength": 1e5})
    return out | {"pattern": {"kind": "cells", "count": count, "seed": seed}} | more


def run_of(*bodies: dict[str, Any], **more: Any) -> Run:
    run = started(shot(*bodies, **more))
    run.opening()
    return run


def test_hulls_beside_each_are_those_of_its_body_whose_bounds_touch() -> None:
    run = run_of(wall(), wall(12, 7, name="other", place={"position": [0, 1.5, 0]}), box("alone", (5, 1, 0)))
    hulls, pieces = run.model.hulls, run.model.pieces
    count, body = len(hulls.piece), pieces.body[hulls.piece]
    bounds = []
    for s in range(count):
        core = hulls.vertices[hulls.vertex_start[s] : hulls.vertex_start[s + 1]] + pieces.rest_center[hulls.piece[s]]
        spare = hulls.radius[s] + BEYOND[0] * hulls.bound[s]
        bounds.append((core.min(axis=0) - spare, core.max(axis=0) + spare))
    slow = [
        (s, t)
        for s in range(count)
        for t in range(count)
        if t != s
        and body[t] == body[s]
        and (bounds[t][0] <= bounds[s][1]).all()
        and (bounds[s][0] <= bounds[t][1]).all()
    ]
    assert [tuple(p) for p in shapes_beside(hulls, pieces).tolist()] == slow and len(slow) > 4 * count


@pytest.mark.parametrize("pattern", [{"kind": "cells", "count": 40, "seed": 4}, {"kind": "slabs", "count": 5}])
def test_faces_inside_are_those_that_do_not_lie_on_the_surface(pattern: dict[str, Any]) -> None:
    run = run_of(wall() | {"pattern": pattern})
    hulls, pieces = run.model.hulls, run.model.pieces
    inner, told = inner_faces(hulls, pieces), [0, 0]
    for s in range(len(hulls.piece)):
        for f in range(hulls.face_start[s], hulls.face_start[s + 1]):
            corner = hulls.vertices[hulls.ring[hulls.ring_start[f] : hulls.ring_start[f + 1]]]
            at = corner.mean(axis=0) + hulls.radius[s] * hulls.normals[f] + pieces.rest_center[hulls.piece[s]]
            outside = (np.abs(at - [0, 0.5, 0]) > np.array([1.0, 0.5, 0.25]) - 1e-4).any()
            covers = inner.shape[inner.first[f] : inner.first[f + 1]]
            if np.ptp(corner, axis=0).max() > 0.1 * hulls.bound[s]:  # slivers may be taken for open
                assert outside == (len(covers) == 0)
                told[int(outside)] += 1
            assert s not in covers and len(set(covers.tolist())) == len(covers)
    assert min(told) > 5


def test_they_lead_inside_as_long_as_all_that_covers_them_is_of_the_same_assembly() -> None:
    run = run_of(wall())
    hulls, joined = run.model.hulls, run.rigid.bodies.piece_assembly
    inner = inner_faces(hulls, run.model.pieces)
    s = 7
    faces = range(hulls.face_start[s], hulls.face_start[s + 1])
    covered = [f for f in faces if inner.first[f] < inner.first[f + 1]]
    assert len(covered) > 2
    for f in faces:
        assert _leads(inner, hulls, joined, s, f) == (f in covered)
    for f in covered:
        parted = joined.copy()
        parted[hulls.piece[inner.shape[inner.first[f]]]] += 1
        assert not _leads(inner, hulls, parted, s, f)


THINGS = {
    "rope": rope("thing", (-0.75, 1.02, 0), (-0.25, 1.02, 0.02), segments=16, matter={"radius": 0.02}),
    "soft": soft("thing", (-0.5, 1.11, 0), (0.4, 0.2, 0.3), matter={"young": 50.0, "detail": 4}),
    "very soft": soft("thing", (-0.5, 1.11, 0), (0.4, 0.2, 0.3), matter={"young": 8.0, "detail": 3}),
}


@pytest.mark.parametrize("quality", ["draft", "standard", "fine"])
@pytest.mark.parametrize("kind", THINGS)
def test_what_slides_over_a_bonded_wall_slides_as_over_a_whole_one(kind: str, quality: str) -> None:
    thing = THINGS[kind] | {"velocity": [2.0, 0.0, 0.0]}
    thing["material"] = thing.get("material", {}) | {"friction": 0.1}
    went = []
    for block in (wall(), box("wall", (0, 0.5, 0), (2.0, 1.0, 0.5))):
        block = block | {"role": "active", "material": {"friction": 0.1}}
        run = run_of(thing, block, quality=quality)
        frames = [run.advance() for _ in range(14)]
        went.append(np.array([f.arrays["points/thing"].mean(axis=0) for f in frames]))
        assert max(np.linalg.norm(run.state.vertices.velocity, axis=1)) < 2.5
    far, wanted = (x[-1, 0] - x[0, 0] for x in went)
    assert wanted > 0.5 and 0.8 * wanted < far < 1.1 * wanted
    assert went[0][:, 1] == pytest.approx(went[1][:, 1], abs=0.01)
