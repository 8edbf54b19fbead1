"""Kernels of rigid pieces against slow, obvious twins: bounds, rows, one solve, islands, splitting, what fields add up
to.
"""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import ConvexHull
from scipy.spatial.transform import Rotation

from dynaclast.core.fields import Forcing
from dynaclast.core.solve.interval import Stage
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.prepare import Prepared, prepare
from dynaclast.core.solve.rigid.constraints import _transfer_points, make_constraints, update_inverse_masses
from dynaclast.core.solve.rigid.gjk import PointSet, gjk, make_scratch
from dynaclast.core.solve.rigid.hulls import convex_core, general_core
from shots import ball, box, run, shot


def heap(seed: int = 3, count: int = 14) -> Prepared:
    """Boxes and balls turned and moving anyhow, close together over the ground."""
    rng = np.random.default_rng(seed)
    bodies = []
    for k in range(count):
        at = tuple(rng.uniform([-1, 0.4, -1], [1, 1.6, 1]))
        more = {"velocity": rng.normal(size=3).tolist(), "spin": rng.normal(size=3).tolist()}
        if k % 3:
            bodies.append(
                box(
                    f"b{k}",
                    at,
                    tuple(rng.uniform(0.2, 0.7, 3)),
                    place={"rotation": Rotation.random(random_state=seed + k).as_quat().tolist()},
                    **more,
                )
            )
        else:
            bodies.append(ball(f"b{k}", at, float(rng.uniform(0.1, 0.3)), **more))
    return prepare(shot(*bodies))


def searched(prepared: Prepared) -> Run:
    """A run after its first search for contacts."""
    run = Run(prepared.shot, prepared.model, prepared.state)
    run.rigid.solve(Stage.DETECT, Stage.SOLVE)
    return run


def inertia_of(prepared: Prepared, slot: int) -> np.ndarray:
    """World inertia (3, 3) by turning the tensor of the opening pose."""
    r = Rotation.from_quat(prepared.state.assemblies.orientation[slot]).as_matrix()
    return r @ prepared.state.assemblies.inertia[slot] @ r.T


@given(st.integers(0, 10**6), st.integers(4, 24), st.floats(1e-3, 0.3))
@settings(max_examples=60, deadline=None)
def test_cores_of_few_points_equal_those_of_the_general_way(seed: int, count: int, scale: float) -> None:
    points = scale * np.random.default_rng(seed).normal(size=(count, 3))
    quick, slow = convex_core(points), general_core(points)
    assert quick.radius == pytest.approx(slow.radius, rel=5e-2)
    assert ConvexHull(quick.corners).volume == pytest.approx(ConvexHull(slow.corners).volume, rel=1e-3)
    reach = (quick.corners @ quick.normals.T).max(axis=0) + quick.radius
    assert (points @ quick.normals.T <= reach + 1e-4 * scale).all()  # no corner beyond a face of the collision surface


def test_world_inertia_is_the_turned_tensor_inverted() -> None:
    prepared = heap()
    inv_mass, inv_inertia = (
        np.zeros(len(prepared.state.assemblies.position)),
        np.zeros((len(prepared.state.assemblies.position), 3, 3)),
    )
    update_inverse_masses(prepared.state.assemblies, inv_mass, inv_inertia)
    for slot in range(14):
        assert inv_inertia[slot] @ inertia_of(prepared, slot) == pytest.approx(np.eye(3), abs=1e-9)
        assert inv_mass[slot] * prepared.model.pieces.mass[slot] == pytest.approx(1)


def test_bounds_hold_where_every_corner_goes_within_the_interval() -> None:
    prepared = heap()
    run = searched(prepared)
    asm, hulls, step = prepared.state.assemblies, prepared.model.hulls, prepared.model.settings.interval
    for s in range(len(hulls.piece)):
        own = hulls.vertices[hulls.vertex_start[s] : hulls.vertex_start[s + 1]]
        a = hulls.piece[s]
        turn = Rotation.from_quat(asm.orientation[a])
        assert run.rigid._scratch.world.vertices[hulls.vertex_start[s] : hulls.vertex_start[s + 1]] == pytest.approx(
            turn.apply(own) + asm.position[a], abs=1e-9
        )
        for share in (0.0, 0.5, 1.0):
            time = share * step
            went = (
                (Rotation.from_rotvec(time * asm.angular_velocity[a]) * turn).apply(own)
                + asm.position[a]
                + time * asm.velocity[a]
                + 0.5 * time**2 * prepared.model.settings.gravity
            )
            assert (went - hulls.radius[s] >= run.rigid._scratch.world.lower[s] - 1e-9).all() and (
                went + hulls.radius[s] <= run.rigid._scratch.world.upper[s] + 1e-9
            ).all()


def test_rows_say_what_their_points_do() -> None:
    """Arms, effective masses and speeds of approach of every contact point, from the bodies' states."""
    prepared = heap()
    run = searched(prepared)
    rows, asm = run.rigid.constraints.contacts, prepared.state.assemblies
    ground = len(asm.position) - 1
    assert run.rigid.contact_count > 10
    for r in range(run.rigid.contact_count):
        a, b, n = rows.body_a[r], rows.body_b[r], rows.normal[r]
        for i in range(rows.point_count[r]):
            speed, stiff = np.zeros(3), 0.0
            for slot, sign in ((a, 1.0), (b, -1.0)):
                if slot == ground:
                    continue
                arm = rows.point[r, i] - asm.position[slot]
                speed += sign * (asm.velocity[slot] + np.cross(asm.angular_velocity[slot], arm))
                lever = np.cross(arm, n)
                stiff += (
                    1 / prepared.model.pieces.mass[slot] + lever @ np.linalg.inv(inertia_of(prepared, slot)) @ lever
                )
            assert rows.approach_velocity[r, i] == pytest.approx(speed @ n, abs=1e-9)
            assert rows.normal_mass[r, i] == pytest.approx(1 / stiff, rel=1e-9)
        frame = np.array([n, rows.tangent[r, 0], rows.tangent[r, 1]])
        assert frame @ frame.T == pytest.approx(np.eye(3), abs=1e-9)


@pytest.mark.parametrize("whirl", [0.0, 9.0])
def test_an_interval_changes_momentum_by_the_impulses_it_tells_and_no_more(whirl: float) -> None:
    """Over loose bodies: change of momentum = weight x time + what the ground gave; between bodies nothing is lost,
    also where they turn so fast that pairs are looked at again on the way.
    """
    prepared = heap()
    prepared.state.assemblies.angular_velocity[:14] = whirl * np.random.default_rng(5).normal(size=(14, 3))
    run = searched(prepared)
    asm, rows, model = prepared.state.assemblies, run.rigid.constraints.contacts, prepared.model
    before = (model.pieces.mass[:, None] * asm.velocity[:14]).sum(axis=0)
    run.rigid.solve(Stage.SOLVE, Stage.DONE)
    change = (model.pieces.mass[:, None] * asm.velocity[:14]).sum(axis=0) - before
    weight = model.pieces.mass.sum() * model.settings.gravity * model.settings.interval
    ground = sum(
        rows.total_impulse[r].sum() for r in range(run.rigid.contact_count) if rows.body_b[r] == len(asm.position) - 1
    )
    assert change[1] == pytest.approx(weight[1] + ground, rel=1e-6)
    assert np.abs(rows.reference_motion[: run.rigid.contact_count]).any() or not whirl  # some were looked at again
    if whirl:
        return
    for r in range(run.rigid.contact_count):  # and afterwards nothing that touches still comes nearer
        a, b = rows.body_a[r], rows.body_b[r]
        for i in range(rows.point_count[r]):
            if rows.normal_impulse[r, i] > 0 and b == len(asm.position) - 1:
                arm = rows.point[r, i] - asm.position[a]
                assert rows.normal[r] @ (asm.velocity[a] + np.cross(asm.angular_velocity[a], arm)) > -0.35


@given(st.integers(0, 10**6), st.floats(0.1, 0.9))
@settings(max_examples=25, deadline=None)
def test_splitting_parts_what_a_graph_search_parts_and_keeps_every_momentum(seed: int, share: float) -> None:
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    scene = shot(
        box(
            "wall",
            (0, 3, 0),
            (3, 2, 0.5),
            pattern={"kind": "cells", "count": 24, "seed": seed % 7},
            bonds={"strength": 10},
            velocity=[1, -2, 0.5],
            spin=[0.3, 2, -1],
        ),
        gravity=[0, 0, 0],
    )
    prepared = prepare(scene)
    run = Run(scene, prepared.model, prepared.state)
    model, state, asm = prepared.model, prepared.state, prepared.state.assemblies
    mass = model.pieces.mass

    def momenta() -> tuple[np.ndarray, np.ndarray]:
        linear, angular = np.zeros(3), np.zeros(3)
        for slot in np.unique(state.piece_assembly):
            p = asm.mass[slot] * asm.velocity[slot]
            r = Rotation.from_quat(asm.orientation[slot]).as_matrix()
            linear += p
            angular += np.cross(asm.position[slot], p) + r @ asm.inertia[slot] @ r.T @ asm.angular_velocity[slot]
        return linear, angular

    before = momenta()
    state.bond_broken[:] = np.random.default_rng(seed).random(len(state.bond_broken)) < share
    run.rigid.part(np.array([0]))
    ends = model.bonds.piece[state.bond_broken == 0]
    count, label = connected_components(
        coo_matrix((np.ones(len(ends)), (ends[:, 0], ends[:, 1])), shape=(24, 24)), directed=False
    )
    assert len(np.unique(state.piece_assembly)) == count
    for k in range(count):
        own = np.flatnonzero(label == k)
        slot = state.piece_assembly[own[0]]
        assert (
            (state.piece_assembly[own] == slot).all()
            and asm.mass[slot] == pytest.approx(mass[own].sum())
            and asm.piece_count[slot] == len(own)
        )
        center = (mass[own, None] * model.pieces.rest_center[own]).sum(axis=0) / mass[own].sum()
        assert asm.rest_center[slot] == pytest.approx(center)
    for was, now in zip(before, momenta(), strict=True):
        assert now == pytest.approx(was, rel=1e-9, abs=1e-9 * np.abs(was).max())


def test_what_fields_do_to_pieces_adds_up_to_the_assembly() -> None:
    scene = shot(
        box("wall", (0, 3, 0), (3, 2, 0.5), pattern={"kind": "cells", "count": 20}, bonds={"strength": 1e5}),
        box("crate", (9, 1, 0)),
    )
    prepared = prepare(scene)
    run = Run(scene, prepared.model, prepared.state)
    rng = np.random.default_rng(1)
    linear, angular = rng.normal(size=(21, 3)), rng.normal(size=(21, 3))
    push, twist = run.rigid.gather(Forcing(linear, angular))
    mass, rest, asm = prepared.model.pieces.mass, prepared.model.pieces.rest_center, prepared.state.assemblies
    for slot, own in ((0, np.arange(20)), (20, np.array([20]))):
        force = mass[own, None] * linear[own]
        assert push[slot] == pytest.approx(force.sum(axis=0) / mass[own].sum())
        torque = np.cross(rest[own] - asm.rest_center[slot], force).sum(axis=0)
        mean = (mass[own, None] * angular[own]).sum(axis=0) / mass[own].sum()
        assert twist[slot] == pytest.approx(np.linalg.solve(inertia_of(prepared, slot), torque) + mean, abs=1e-9)


def test_what_a_row_did_goes_to_the_nearest_new_points_and_outlives_a_time_without_any() -> None:
    rows = make_constraints(1).contacts
    spot = np.array([[0.0, 0, 0], [1, 0, 0], [0.1, 0, 0], [9, 9, 9]])
    did = np.array(
        [[5.0, -2.0, 0.0], [3.0, -0.5, -1.0], [0.0, -4.0, 0.0], [0.0, 0.0, 0.0]]
    )  # impulse, speed of meeting, speed wanted
    _transfer_points(rows, 0, spot, did)  # no points now: the first place keeps it
    assert (
        rows.total_impulse[0].tolist() == [8, 0, 0, 0]
        and rows.approach_velocity[0, 0] == -4
        and rows.target_velocity[0, 0] == -1
    )
    kept = np.stack([rows.total_impulse[0], rows.approach_velocity[0], rows.target_velocity[0]], axis=1)
    for left, count in ((did, 2), (kept, 2)):
        rows.point_count[0], rows.point[0, :2] = count, [[0, 0, 0], [1, 0, 0]]
        rows.total_impulse[0], rows.approach_velocity[0], rows.target_velocity[0] = 0.0, [-0.1, -0.1, 0, 0], 0.0
        _transfer_points(rows, 0, spot, left)
        assert rows.total_impulse[0].sum() == 8 and rows.approach_velocity[0].min() == -4
    _transfer_points(rows, 0, spot, np.zeros((4, 3)))  # nothing was done: the new points keep their own
    assert rows.total_impulse[0].sum() == 8 and rows.approach_velocity[0].min() == -4


def test_distance_of_broken_pieces_is_proved_by_its_own_direction() -> None:
    """A distance is right if the hulls are as far apart along its direction as the two points it names: no plane can
    part them farther. Faces of neighbours being parallel, the simplex often goes flat here.
    """
    model = prepare(
        shot(
            box(
                "wall",
                (0, 2, 0),
                (4, 3, 0.6),
                pattern={"kind": "cells", "count": 60, "seed": 2},
                bonds={"strength": 10},
            )
        )
    ).model
    hulls, scratch, rng = model.hulls, make_scratch(), np.random.default_rng(1)
    cores = [
        np.ascontiguousarray(hulls.vertices[hulls.vertex_start[s] : hulls.vertex_start[s + 1]])
        for s in range(len(hulls.piece))
    ]
    for trial in range(6000):
        i, j = rng.integers(0, len(cores), 2)
        a, b = cores[i], cores[j] @ Rotation.random(random_state=trial).as_matrix().T if trial % 2 else cores[j]
        toward = hulls.normals[rng.integers(hulls.face_start[i], hulls.face_start[i + 1])]
        beside = 0.1 * rng.normal(size=3)
        b = np.ascontiguousarray(
            b
            + toward * ((a @ toward).max() - (b @ toward).min() + 10 ** rng.uniform(-5, -1.5))
            + beside
            - beside @ toward * toward
        )
        axis, witness = 0.05 * rng.normal(size=3) - toward, np.zeros((3, 3))
        distance = gjk(PointSet(a, 0, len(a)), PointSet(b, 0, len(b)), np.inf, axis, witness, scratch)
        assert distance > 0.0
        assert (a @ axis).min() - (b @ axis).max() == pytest.approx(distance, abs=1e-7)
        assert np.linalg.norm(witness[0] - witness[1]) == pytest.approx(distance, abs=1e-9)


def test_what_a_hit_sends_aside_within_an_interval_does_not_sink_into_its_neighbour() -> None:
    """The box rests 8 mm beside a held wall, too far to count as touching; the ball that hits it comes at 200 mm an
    interval.
    """
    held = box("wall", (1.008, 1, 0), (1, 2, 2), role="passive")
    out = run(
        box("b", (0, 1, 0)),
        held,
        ball("hitter", (-1.555, 1, 0), 0.3, velocity=[10, 0, 0], material={"density": 8000}),
        gravity=[0, 0, 0],
        frames=12,
    )
    turns = Rotation.from_quat(out.orientation[:, 0]).as_matrix()
    foremost = out.position[:, 0, 0] + 0.5 * np.abs(turns[:, 0]).sum(axis=1)
    assert foremost.max() > 0.505  # it got there
    assert foremost.max() < 0.508 + 5e-3  # within the substep of the hit itself it cannot be stopped
