"""Parts of the solver of rigid bodies: constraints against dense algebra, passes against a slow twin, sleep."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

import naive
from dynaclast.core.arrays import Index, Int, Scalar
from dynaclast.core.kernels import kernel
from dynaclast.core.solve.interval import Stage
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.model import Motion
from dynaclast.core.solve.prepare import prepare
from dynaclast.core.solve.rigid.contact_solver import iterate_contacts
from dynaclast.core.solve.rigid.energy import kinetic_energy
from dynaclast.core.solve.rigid.islands import find_islands
from dynaclast.core.solve.rigid.redetection import _may_touch, _relative_motion
from dynaclast.core.solve.rigid.sleep import SLEEP_AFTER
from dynaclast.core.solve.rigid.worklist import Worklist, list_rows, make_worklist
from shots import ball, box, run, shot


def heap(seed: int, count: int = 9) -> Run:
    """Boxes and balls close together over the ground, with their constraints of a first detection."""
    rng = np.random.default_rng(seed)
    bodies = []
    for k in range(count):
        at = tuple(rng.uniform([-0.8, 0.2, -0.8], [0.8, 1.2, 0.8]))
        more = {"velocity": rng.normal(size=3).tolist(), "spin": rng.normal(size=3).tolist()}
        more["material"] = {"bounce": float(rng.choice([0.0, 0.5])), "friction": float(rng.uniform(0.1, 0.9))}
        if k % 3:
            turn = {"rotation": Rotation.random(random_state=seed + k).as_quat().tolist()}
            bodies.append(box(f"b{k}", at, tuple(rng.uniform(0.3, 0.7, 3)), place=turn, **more))
        else:
            bodies.append(ball(f"b{k}", at, float(rng.uniform(0.15, 0.3)), **more))
    prepared = prepare(shot(*bodies))
    going = Run(prepared.shot, prepared.model, prepared.state)
    going.rigid.solve(Stage.DETECT, Stage.SOLVE)
    return going


@given(st.integers(0, 10**4))
@settings(max_examples=12, deadline=None)
def test_a_pass_over_all_contacts_equals_the_slow_twin(seed: int) -> None:
    going = heap(seed)
    rigid, asm = going.rigid, going.state.assemblies
    contacts, n = rigid.constraints.contacts, rigid.contact_count
    assert n > 3
    rng = np.random.default_rng(seed)
    contacts.iterations[:n] = 3
    rigid.constraints.work.more[:n], rigid.constraints.work.listed[0] = np.arange(n), n
    contacts.normal_impulse[:n] = np.where(np.arange(4) < contacts.point_count[:n, None], rng.uniform(0, 3, (n, 4)), 0)
    contacts.friction_impulse[:n] = rng.normal(size=(n, 2))
    contacts.target_velocity[:n] = rng.choice([0.0, 0.7], (n, 4))
    h = 1 / 384
    twin = naive.Contacts.of(contacts, n, rigid.bodies)
    velocity, angular = asm.velocity.copy(), asm.angular_velocity.copy()
    for iteration in range(3):
        iterate_contacts.py_func(rigid.constraints, rigid.bodies, rigid._scratch.rigid.islands, h, iteration, 0)
        twin.iterate(velocity, angular, rigid.bodies, h, first=iteration == 0)
    assert asm.velocity == pytest.approx(velocity, rel=1e-9, abs=1e-9)
    assert asm.angular_velocity == pytest.approx(angular, rel=1e-9, abs=1e-9)
    assert contacts.normal_impulse[:n] == pytest.approx(twin.normal, rel=1e-9, abs=1e-9)
    assert contacts.friction_impulse[:n] == pytest.approx(twin.friction, rel=1e-9, abs=1e-9)
    load = contacts.normal_impulse[:n].sum(axis=1)
    assert (load >= 0).all()


@kernel
def listed(
    work: Worklist, a: Index, b: Index, count: int, awake: Index, inv_mass: Scalar, first: Int, rows: Int
) -> None:
    list_rows(work, a, b, count, awake, inv_mass, first, rows)


@given(st.integers(0, 10**4))
@settings(max_examples=30, deadline=None)
def test_the_contacts_of_every_body_that_moves_are_listed(seed: int) -> None:
    rng = np.random.default_rng(seed)
    slots, count = 9, int(rng.integers(0, 30))
    a, b = rng.integers(0, slots, (2, count)).astype(np.int32)
    inv_mass = rng.choice([0.0, 1.0], slots)
    awake = np.flatnonzero(inv_mass > 0)
    work, first, rows = make_worklist(count), np.full(slots, 77, np.int32), np.full(slots, 77, np.int32)
    listed(work, a, b, count, awake, inv_mass, first, rows)
    for slot in awake:
        own = [r for r in range(count) for end in (a, b) if end[r] == slot]
        assert work.row[first[slot] : first[slot] + rows[slot]].tolist() == own


def test_in_a_later_pass_only_what_touches_what_changed_takes_part() -> None:
    going = heap(3, 30)
    rigid, asm = going.rigid, going.state.assemblies
    solver, islands, n = rigid.constraints, rigid._scratch.rigid.islands, rigid.contact_count
    contacts, work = solver.contacts, solver.work
    contacts.iterations[:n], work.listed[0] = 1, 0
    moves = rigid.bodies.inv_mass > 0
    awake = np.flatnonzero(moves)
    listed(work, contacts.body_a, contacts.body_b, n, awake, rigid.bodies.inv_mass, islands.first_row, islands.rows)
    iterate_contacts.py_func(solver, rigid.bodies, islands, 1 / 384, 0, 0)
    called = np.flatnonzero(work.flags[1, :n])
    ends = np.stack([contacts.body_a[:n], contacts.body_b[:n]], axis=1)
    complete = [s for s in awake if np.isin(np.flatnonzero((ends == s).any(axis=1)), called).all()]
    assert 0 < len(called) and np.isin(ends[called], complete).any(axis=1).all()  # all contacts of some bodies
    before = asm.velocity.copy()
    keep = called[: len(called) // 2]
    work.flags[1] = 0
    work.flags[1, keep] = 1
    iterate_contacts.py_func(solver, rigid.bodies, islands, 1 / 384, 1, 0)
    changed = np.flatnonzero((asm.velocity != before).any(axis=1))
    assert set(changed) <= set(ends[np.unique(np.concatenate([keep, np.flatnonzero(work.flags[0, :n])]))].ravel())
    work.flags[:] = 0
    before = asm.velocity.tobytes()
    assert iterate_contacts.py_func(solver, rigid.bodies, islands, 1 / 384, 2, 0) == (False, False)
    assert asm.velocity.tobytes() == before  # nothing called, nothing done


@kernel
def islands_found(solver, tied, bodies, awake, first, islands):  # type: ignore[no-untyped-def]
    return find_islands(solver, tied, bodies, awake, first, islands)


@kernel
def passed(solver, bodies, islands, h, iteration, opens):  # type: ignore[no-untyped-def]
    return iterate_contacts(solver, bodies, islands, h, iteration, opens)


def test_an_island_that_bore_nothing_opens_until_a_pass_changes_nothing() -> None:
    """And by itself: the heap beside it, which bears something, takes the passes of its size."""
    boxes = [box(f"b{k}", (5 * (k % 2), 0.25 + 0.5 * (k // 2), 0), (0.5, 0.5, 0.5)) for k in range(10)]
    prepared = prepare(shot(*boxes))
    going = Run(prepared.shot, prepared.model, prepared.state)
    rigid, asm = going.rigid, going.state.assemblies
    rigid.solve(Stage.DETECT, Stage.SOLVE)
    solver, islands, n = rigid.constraints, rigid._scratch.rigid.islands, rigid.contact_count
    contacts, awake = solver.contacts, np.flatnonzero(rigid.bodies.inv_mass > 0)
    lie_right = asm.position[contacts.body_a[:n], 0] > 2
    contacts.normal_impulse[np.flatnonzero(lie_right)[0], 0] = 1e-9
    found = islands_found(solver, rigid.tied, rigid.bodies, awake, 0, islands)
    assert found == 6 and (contacts.opening[:n][lie_right] == 0).all() and (contacts.opening[:n][~lie_right] > 99).all()
    h, passes, opening = 1 / 384, 0, True
    asm.velocity[awake, 1] -= 9.81 * h
    while opening:
        _, opening = passed(solver, rigid.bodies, islands, h, passes, 1)
        passes += 1
    assert 20 < passes < 20_000
    left = awake[asm.position[awake, 0] < 2]
    assert np.abs(asm.velocity[left]).max() < 1e-6 < np.abs(asm.velocity[np.setdiff1d(awake, left)]).max()
    borne = np.sort(contacts.normal_impulse[:n][~lie_right].sum(axis=1))
    assert borne == pytest.approx(125 * 9.81 * h * np.arange(1, 6), rel=1e-5)


def test_joints_hold_with_the_effective_mass_of_dense_algebra() -> None:
    """Point mass = (J M^-1 J^T)^-1 of two bodies turned anyhow."""
    turn = Rotation.random(random_state=3).as_quat().tolist()
    bodies = box("a", (0, 3, 0), (1, 0.4, 0.6), place={"rotation": turn}), box("b", (1.2, 3, 0), (0.8, 0.5, 0.3))
    tie = {"name": "w", "how": {"kind": "weld"}, "body": "a", "to": "b", "point": [0.6, 3.1, 0.1], "collide": True}
    prepared = prepare(shot(*bodies, ties=[tie]))
    going = Run(prepared.shot, prepared.model, prepared.state)
    going.advance()
    asm, joints = prepared.state.assemblies, going.rigid.tied.constraints
    a, b = int(joints.body_a[0]), int(joints.body_b[0])
    inverse = np.zeros((12, 12))
    for k, slot in enumerate((a, b)):
        r = Rotation.from_quat(asm.orientation[slot]).as_matrix()
        inverse[6 * k : 6 * k + 3, 6 * k : 6 * k + 3] = np.eye(3) / asm.mass[slot]
        inverse[6 * k + 3 : 6 * k + 6, 6 * k + 3 : 6 * k + 6] = np.linalg.inv(r @ asm.inertia[slot] @ r.T)

    def cross(v: np.ndarray) -> np.ndarray:
        return np.array([[0, -v[2], v[1]], [v[2], 0, -v[0]], [-v[1], v[0], 0]])

    point = np.hstack([np.eye(3), -cross(joints.arm_a[0]), -np.eye(3), cross(joints.arm_b[0])])
    turning = np.hstack([np.zeros((3, 3)), np.eye(3), np.zeros((3, 3)), -np.eye(3)])
    assert joints.point_mass[0] == pytest.approx(np.linalg.inv(point @ inverse @ point.T), rel=2e-3)
    assert joints.rotation_mass[0] == pytest.approx(np.linalg.inv(turning @ inverse @ turning.T), rel=2e-3, abs=1e-3)
    assert np.abs(joints.position_error[0]).max() < 1e-4 and np.abs(joints.rotation_error[0]).max() < 1e-4


@given(st.integers(0, 10**6))
@settings(max_examples=20, deadline=None)
def test_kinetic_energy_is_that_of_the_turned_tensor(seed: int) -> None:
    state = prepare(shot(box("b", (0, 2, 0), (1, 0.3, 0.6)))).state
    asm, rng = state.assemblies, np.random.default_rng(seed)
    asm.orientation[0] = Rotation.random(random_state=seed).as_quat()
    asm.velocity[0], asm.angular_velocity[0] = rng.normal(size=3), rng.normal(size=3)
    r = Rotation.from_quat(asm.orientation[0]).as_matrix()
    w = asm.angular_velocity[0]
    want = 0.5 * asm.mass[0] * asm.velocity[0] @ asm.velocity[0] + 0.5 * w @ (r @ asm.inertia[0] @ r.T) @ w
    assert kinetic_energy.py_func(asm, 0) == pytest.approx(want, rel=1e-12)


def test_relative_motion_counts_from_when_the_points_were_found() -> None:
    moved, turned = np.array([[1.0, 0, 0], [0.2, 0, 0]]), np.array([[0, 0, 0.3], [0, 0.4, 0]])
    reference = np.array([0.5, 0, 0, 0, 0, 0.1, 0, 0.4, 0])
    x, y, z, far = _relative_motion.py_func(reference, np.array([2.0, 5.0]), 0, 1, moved, turned)
    assert (x, y, z) == pytest.approx((0.3, 0, 0)) and far == pytest.approx(2 * 0.2)


@pytest.mark.parametrize(
    ("normal", "move", "far", "gap", "meets"),
    [
        ((0, 1, 0), (0, -0.3, 0), 0.0, 0.2, True),
        ((0, 1, 0), (0, -0.1, 0), 0.0, 0.2, False),
        ((0, 1, 0), (9, 0.1, 0), 0.0, 0.2, False),  # along the surface nothing comes nearer
        ((0, 1, 0), (0, 0.1, 0), 0.4, 0.2, True),  # but turning may
        ((0, 0, 0), (0.3, 0, 0), 0.0, 0.2, True),  # without a normal in whatever direction
        ((0, 0, 0), (0.1, 0, 0), 0.0, 0.2, False),
    ],
)
def test_whether_two_surfaces_may_meet(normal: tuple, move: tuple, far: float, gap: float, meets: bool) -> None:
    assert bool(_may_touch.py_func(np.array(normal, float), *move, far, gap)) == meets


def test_a_still_box_falls_asleep_after_its_time_and_a_moving_one_does_not() -> None:
    baked = run(box("still", (0, 0.5, 0)), box("sliding", (5, 0.5, 0), velocity=[9, 0, 0]), frames=24)
    asleep = np.flatnonzero(baked.state[:, 0] == 1)
    assert SLEEP_AFTER * 24 <= asleep[0] <= SLEEP_AFTER * 24 + 3
    assert not (baked.state[:18, 1] == 1).any()


def test_what_sleeps_together_wakes_together() -> None:
    """Three boxes stacked sleep as one island; a stone that falls on the uppermost wakes all, one beside it none."""
    stack = [box(f"s{k}", (0, 0.5 + k, 0)) for k in range(3)]
    beside = box("beside", (4, 0.5, 0))
    stone = ball("stone", (0, 9, 0), 0.4, material={"density": 4000})
    baked = run(*stack, beside, stone, frames=40)
    hit = int(np.flatnonzero(baked.state[:, 4] == 2)[0]) + int(np.sqrt(2 * 5.6 / 9.81) * 24)
    assert (baked.state[hit - 4, :4] == 1).all()
    assert (baked.state[hit - 2 : hit + 3, :3] == 2).any(axis=0).all()
    assert (baked.state[hit - 4 :, 3] == 1).all()


def test_slots_know_how_they_move() -> None:
    bodies = box("free", (0, 0.5, 0)), box("wall", (3, 0.5, 0), role="passive")
    lift = box("lift", (6, 0.5, 0), role="animated", velocity=[0, 1, 0])
    prepared = prepare(shot(*bodies, lift))
    going = Run(prepared.shot, prepared.model, prepared.state)
    going.advance()
    motion = prepared.state.assemblies.motion
    assert motion.tolist() == [Motion.DYNAMIC, Motion.FIXED, Motion.KINEMATIC, Motion.FIXED]
    assert going.rigid.kinematic.tolist() == [2] and going.rigid.active()
