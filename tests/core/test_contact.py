from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import naive
from dynaclast.core.solve.impact_loads import make_bond_impacts, make_graph_search, spread_load
from dynaclast.core.solve.interval import Stage
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.model import linked
from dynaclast.core.solve.prepare import prepare
from dynaclast.core.solve.prepare.pieces import NO_BONDS
from dynaclast.core.solve.rigid.gjk import hull_distance
from dynaclast.core.solve.rigid.hulls import convex_core
from dynaclast.core.solve.state import State
from shots import ball, box, pillar, run, shot


def cloud(seed: int, offset: float, scale: float) -> np.ndarray:
    rng = np.random.default_rng(seed)
    return scale * (rng.normal(size=(12, 3)) + offset * np.array([1.0, 0.4, -0.3]))


@given(st.integers(0, 10**6), st.floats(0.0, 8.0), st.floats(1e-2, 1e2))
@settings(max_examples=25, deadline=None)
def test_hull_distance_equals_a_quadratic_program(seed: int, offset: float, scale: float) -> None:
    a, b = cloud(seed, 0.0, 1.0), cloud(seed + 1, offset, 1.0)
    assert hull_distance(a * scale, b * scale) / scale == pytest.approx(naive.hull_distance(a, b), abs=2e-5)


def test_a_core_grown_by_its_radius_has_the_faces_of_the_box() -> None:
    corners = np.array([[x, y, z] for x in (-1, 1) for y in (-2, 2) for z in (-0.5, 0.5)], float)
    core = convex_core(corners)
    assert 0 < core.radius < 0.05
    assert core.corners.max(axis=0) + core.radius == pytest.approx([1, 2, 0.5])
    assert len(core.rings) == 6 and all(len(r) == 4 for r in core.rings)
    for normal, ring in zip(core.normals, core.rings, strict=True):
        p = core.corners[ring]
        assert np.cross(p[1] - p[0], p[2] - p[1]) @ normal > 0  # counter-clockwise from outside


def test_a_flat_point_set_has_no_core() -> None:
    with pytest.raises(ValueError):
        convex_core(np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0]]))


@given(st.integers(3, 30), st.integers(0, 10**6))
@settings(max_examples=40, deadline=None)
def test_spreading_a_hit_equals_the_slow_twin(pieces: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    pairs = np.unique(np.sort(rng.integers(0, pieces, (3 * pieces, 2)), axis=1), axis=0)
    pairs = pairs[pairs[:, 0] != pairs[:, 1]].astype(np.int32)
    if not len(pairs):
        return
    count = len(pairs)
    table = linked(NO_BONDS._replace(piece=pairs), pieces)
    broken = (rng.random(count) < 0.2).astype(np.uint8)
    out, search = make_bond_impacts(count), make_graph_search(pieces)
    first, floor = int(rng.integers(pieces)), 3.0
    spread_load(first, 100.0, floor, 7, table, broken, out, search)
    assert out.load == pytest.approx(naive.spread_load(first, 100.0, floor, pairs, broken, pieces))
    assert (out.blame[out.load > 0] == 7).all() and not search.reached.any()


def test_pairs_found_are_all_that_touch() -> None:
    """Against brute force: every pair of overlapping or near hulls is among the pairs of the sweep."""
    rng = np.random.default_rng(5)
    bodies = [box(f"b{k}", tuple(rng.uniform(0, 3, 3) + [0, 2, 0]), tuple(rng.uniform(0.3, 0.8, 3))) for k in range(40)]
    prepared = prepare(shot(*bodies))
    run = Run(shot(*bodies), prepared.model, prepared.state)
    run.rigid.solve(Stage.DETECT, Stage.SOLVE)
    contacts = run.state.contact_cache
    found = {(int(a), int(b)) for a, b in zip(contacts.shape_a, contacts.shape_b, strict=True)}
    hulls, rest = prepared.model.hulls, prepared.model.pieces.rest_center
    for i in range(40):
        for j in range(i + 1, 40):
            a, b = (hulls.vertices[hulls.vertex_start[k] : hulls.vertex_start[k + 1]] + rest[k] for k in (i, j))
            if hull_distance(a, b) <= hulls.radius[i] + hulls.radius[j]:
                assert (i, j) in found


def test_a_state_survives_packing_and_goes_on_to_the_same_frames() -> None:
    scene = shot(pillar(), ball("stone", (0, 2, -3), velocity=[0, 0, 40], material={"density": 3000}))
    straight, halted = prepare(scene), prepare(scene)
    one = Run(scene, straight.model, straight.state)
    whole = [one.advance() for _ in range(14)]
    first = Run(scene, halted.model, halted.state)
    for _ in range(7):
        first.advance()
    resumed = Run(scene, halted.model, State.unpack(halted.state.pack()))
    for want in whole[7:]:
        got = resumed.advance()
        assert got.index == want.index and got.events == want.events
        assert (
            got.position.tobytes() == want.position.tobytes()
            and got.orientation.tobytes() == want.orientation.tobytes()
        )
    assert sum(f.stats["bonds_broken"] for f in whole) > 0


def test_a_hit_runs_down_a_long_line_without_pressing_its_bodies_into_each_other() -> None:
    """Seventy boxes side by side take one sweep a substep; where the hit changes speeds they are swept on. Momentum
    stays what the ball brought.
    """
    count = 70
    line = [box(f"b{k}", (0.5 * k, 1, 0), (0.5, 0.5, 0.5)) for k in range(count)]
    hitter = ball("hitter", (0.5 * count + 0.6, 1, 0), 0.5, velocity=[-6, 0, 0], material={"density": 8000})
    out = run(*line, hitter, gravity=[0, 0, 0], ground={"on": False}, frames=8)
    gaps = np.diff(out.position[:, :count, 0], axis=1) - 0.5
    assert gaps[2:].min() > -5e-3
    middle = out.position[:, :, 0] @ out.piece_mass / out.piece_mass.sum()
    assert np.diff(middle)[-3:] * 24 == pytest.approx(-6 * out.piece_mass[-1] / out.piece_mass.sum(), rel=1e-3)


def test_a_box_slides_from_triangle_to_triangle_without_sinking() -> None:
    """Over a finely divided exact floor what it slides on changes within every interval."""
    floor = {
        "name": "floor",
        "role": "passive",
        "collision": "exact",
        "shape": {"kind": "box", "size": [10, 1, 4]},
        "place": {"position": [0, -0.5, 0]},
        "steps": [{"kind": "subdivide", "times": 4}],
    }
    out = run(box("b", (-4, 0.15, 0.1), (0.3, 0.3, 0.3), velocity=[4, 0, 0]), floor, ground={"on": False}, frames=40)
    assert np.abs(out.position[:, 0, 1] - 0.15).max() < 3e-3
    assert out.position[-1, 0, 0] == pytest.approx(-4 + 16 / (2 * 0.6 * 9.81), abs=0.05)  # v^2 / (2 mu g)


def test_a_hit_is_forgotten_once_what_met_has_parted() -> None:
    """One hit may fall on both sides of the end of an interval, so its impulse is kept for the next; no longer, or the
    next hit would count it again.
    """
    slope = box("slope", (0, 0, 0), (4, 1, 4), role="passive", place={"rotation": [0, 0, 0.3826834, 0.9238795]})
    scene = shot(
        slope, ball("b", (-0.95, 0.95, 0), 0.5, velocity=[6, -6, 0], material={"bounce": 0.5}), ground={"on": False}
    )
    prepared = prepare(scene)
    run = Run(scene, prepared.model, prepared.state)
    hits, parted = [], 0
    for _ in range(12):
        run._solve_interval()
        contacts = run.state.contact_cache
        hits.append(contacts.impact_impulse.max(initial=0.0))
        parted += int((contacts.point_count == 0).sum())
    assert max(hits) > 0.0 and parted > 0  # it was hit, and went on to be near without touching
    assert sum(h > 0.0 for h in hits) <= 2
