"""Assemblies that press on one another beside cloth, in the system of a step, against dense algebra."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from deforming import cloth, started
from dynaclast.core.solve.deformable.conjugate_gradients import solve_system
from dynaclast.core.solve.deformable.joined_slots import factor_slots, solve_slots
from dynaclast.core.solve.deformable.parts import ROWS
from dynaclast.core.solve.deformable.preconditioner import precondition, prepare_preconditioner
from dynaclast.core.solve.deformable.row_forces import pull_of_rows
from dynaclast.core.solve.deformable.slot_contacts import (
    LET_BE,
    find_coming,
    find_slot_contacts,
    leave_to_substeps,
    look_again_at_contacts,
    pull_of_contacts,
)
from dynaclast.core.solve.deformable.system import POINTS, Group, make_slots, multiply
from playing import played
from shots import box, shot


class Pressed:
    """A small sheet with two boxes on it side by side, and a heavy one that comes down on both, as a step leaves it."""

    def __init__(self) -> None:
        sheet = cloth("it", (0, 0, 0), (0.8, 0.4), (6, 3), matter={"thickness": 0.004}, pins=[CORNERS])
        boxes = [box(name, (x, 0.103, 0), (0.2, 0.2, 0.2)) for name, x in (("a", -0.15), ("b", 0.15))]
        heavy = box("c", (0, 0.36, 0), (0.6, 0.3, 0.3), material={"density": 6000}, velocity=[0, -6, 0])
        self.run = started(shot(sheet, *boxes, heavy, ground={"on": False}, quality="draft"))
        self.run.opening()
        while not self.run.deformable.parts.slots.touch.active.any():  # type: ignore[union-attr]
            self.run.advance()
            assert self.run.state.frame < 8
        self.d = d = self.run.deformable.parts  # type: ignore[union-attr]
        self.n, self.k = len(self.run.state.vertices.position), int(d.slots.used[0])
        self.h = float((d.elements.vertices.mass / d.elements.vertices.heavy).max() ** 0.5)
        count = np.arange(d.scratch.numbers[ROWS], dtype=np.int32), np.arange(d.slots.touch.count[POINTS])
        self.group = Group(np.array([0]), count[0], np.arange(self.k), count[1].astype(np.int32))
        self.given = d.matrix, d.elements.bodies, self.group, d.rows, d.slots, d.pinned

    def times(self, x: np.ndarray) -> np.ndarray:
        """The matrix of the step, times (3 n + 6 k,)."""
        v = self.d.vectors
        v.p[: self.n, :3], v.slot_p[: self.k] = x[: 3 * self.n].reshape(-1, 3), x[3 * self.n :].reshape(-1, 6)
        played(lambda: multiply(*self.given, v.p, v.slot_p, v.q, v.slot_q))
        return np.concatenate([v.q[: self.n, :3].ravel(), v.slot_q[: self.k].ravel()])

    def roughly(self, r: np.ndarray) -> tuple[np.ndarray, float]:
        """What preconditioning makes of forces, and the product with them."""
        v = self.d.vectors
        v.r[: self.n, :3], v.slot_r[: self.k] = r[: 3 * self.n].reshape(-1, 3), r[3 * self.n :].reshape(-1, 6)
        out = played(lambda: precondition(*self.given, v.r, v.z, v.slot_r, v.slot_z))
        return np.concatenate([v.z[: self.n, :3].ravel(), v.slot_z[: self.k].ravel()]), out

    def free(self) -> np.ndarray:
        """(3 n + 6 k,) bool, what is not pinned."""
        return np.concatenate([np.repeat(self.d.pinned[: self.n] == 0, 3), np.ones(6 * self.k, bool)])

    def jacobian(self, q: int) -> np.ndarray:
        """(3 n + 6 k,), how a point of contact opens."""
        touch, place, out = self.d.slots.touch, self.d.slots.place, np.zeros(3 * self.n + 6 * self.k)
        for end, sign in ((0, 1.0), (1, -1.0)):
            if touch.slot[q, end] >= 0:
                at = 3 * self.n + 6 * place[touch.slot[q, end]]
                out[at : at + 6] += sign * np.concatenate([touch.normal[q], touch.jacobian[q, 3 * end : 3 * end + 3]])
        return out


CORNERS: dict[str, Any] = {
    "reach": {"layers": [{"shape": {"kind": "box", "center": [0, 0, 0], "core": [0.79, 1, 0.39]}, "invert": True}]}
}


@pytest.fixture(scope="module")
def pressed() -> Pressed:
    return Pressed()


def _dense(pressed: Pressed) -> np.ndarray:
    return np.array([pressed.times(e) for e in np.eye(3 * pressed.n + 6 * pressed.k)])


def test_contacts_of_assemblies_are_springs_between_them_in_the_matrix(pressed: Pressed) -> None:
    touch = pressed.d.slots.touch
    assert pressed.k == 3 and touch.count[POINTS] >= 4
    whole = _dense(pressed)
    free = pressed.free()
    assert whole[np.ix_(free, free)] == pytest.approx(whole[np.ix_(free, free)].T, abs=1e-9 * np.abs(whole).max())
    active = touch.active.copy()
    touch.active[:] = 0
    without = _dense(pressed)
    touch.active[:] = active
    springs = np.zeros_like(whole)
    for q in np.flatnonzero(active[: touch.count[POINTS]]):
        springs += touch.stiffness[q] * np.outer(pressed.jacobian(q), pressed.jacobian(q))
    assert whole - without == pytest.approx(springs, abs=1e-9 * np.abs(springs).max())


def test_assemblies_that_touch_are_solved_together(pressed: Pressed) -> None:
    d, k = pressed.d, pressed.k
    slots, r, z = d.slots, np.random.default_rng(3).normal(size=(pressed.k, 6)), np.zeros((pressed.k, 6))
    own = _dense(pressed)[3 * pressed.n :, 3 * pressed.n :]
    between = np.abs(own[:6, 6:12]).max(), np.abs(own[:6, 12:]).max(), np.abs(own[6:12, 12:]).max()
    assert max(between) > 1.0
    played(lambda: prepare_preconditioner(*pressed.given, 0))
    assert slots.joined[0] == 6 * k
    played(lambda: solve_slots(slots, pressed.group, r, z))
    assert z.ravel() == pytest.approx(np.linalg.solve(own, r.ravel()), rel=1e-8)
    active = slots.touch.active.copy()
    slots.touch.active[:] = 0
    played(lambda: prepare_preconditioner(*pressed.given, 0))
    assert slots.joined[0] == 0
    played(lambda: solve_slots(slots, pressed.group, r, z))
    apart = _dense(pressed)[3 * pressed.n :, 3 * pressed.n :]
    slots.touch.active[:] = active
    assert z.ravel() == pytest.approx(np.linalg.solve(apart, r.ravel()), rel=1e-8)


@pytest.mark.parametrize(("count", "seed"), [(2, 1), (5, 2), (9, 3)])
def test_a_factor_by_rows_is_that_of_the_dense_matrix(count: int, seed: int) -> None:
    """Of assemblies that touch at random, some of them an animated thing, in any order."""
    rng, slots = np.random.default_rng(seed), make_slots(count + 1, 8)
    group = Group(
        np.zeros(0, np.int64),
        np.zeros(0, np.int32),
        rng.permutation(count).astype(np.int32),
        np.arange(20, dtype=np.int32),
    )
    slots.place[:count] = rng.permutation(count)
    dense, touch = np.zeros((count, 6, count, 6)), slots.touch
    for k in range(count):
        half = rng.normal(size=(6, 6))
        slots.matrix[k] = half @ half.T + 20 * np.eye(6)
        dense[k, :, k] = slots.matrix[k]
    for q in range(20):
        a, b = rng.choice(count, 2, replace=False)
        touch.slot[q] = a, b if q % 4 else -1
        touch.normal[q], touch.jacobian[q], touch.stiffness[q] = (
            rng.normal(size=3),
            rng.normal(size=6),
            rng.uniform(1, 9),
        )
        touch.active[q] = q % 5 > 0
        if touch.active[q]:
            i, u = slots.place[a], np.concatenate([touch.normal[q], touch.jacobian[q, :3]])
            slots.matrix[i] += touch.stiffness[q] * np.outer(u, u)
            dense[i, :, i] += touch.stiffness[q] * np.outer(u, u)
            if touch.slot[q, 1] >= 0:
                j, w = slots.place[b], -np.concatenate([touch.normal[q], touch.jacobian[q, 3:]])
                slots.matrix[j] += touch.stiffness[q] * np.outer(w, w)
                dense[j, :, j] += touch.stiffness[q] * np.outer(w, w)
                dense[i, :, j] += touch.stiffness[q] * np.outer(u, w)
                dense[j, :, i] += touch.stiffness[q] * np.outer(w, u)
    r, z = rng.normal(size=(count, 6)), np.zeros((count, 6))
    played(lambda: factor_slots(slots, group))
    assert slots.joined[0] == 6 * count
    played(lambda: solve_slots(slots, group, r, z))
    assert z.ravel() == pytest.approx(np.linalg.solve(dense.reshape(6 * count, -1), r.ravel()), rel=1e-8)


def test_what_preconditions_is_symmetric_and_positive_and_near_the_inverse(pressed: Pressed) -> None:
    d, free, rng = pressed.d, pressed.free(), np.random.default_rng(4)
    played(lambda: prepare_preconditioner(*pressed.given, 0))
    rough = np.array([pressed.roughly(e)[0] for e in np.eye(len(free))])[np.ix_(free, free)]
    assert rough == pytest.approx(rough.T, abs=1e-6 * np.abs(rough).max())
    assert np.linalg.eigvalsh(rough).min() > 0.0
    whole = _dense(pressed)[np.ix_(free, free)]
    root = np.linalg.cholesky(rough)
    values = np.linalg.eigvalsh(root.T @ whole @ root)
    assert values.min() > 0.01 and values.max() < 8.0
    some = rng.normal(size=len(free)) * free
    there, product = pressed.roughly(some)
    assert product == pytest.approx(some @ there, rel=1e-9)
    assert d.slots.used[0] == pressed.k


def test_iterations_come_to_what_dense_algebra_says(pressed: Pressed) -> None:
    d, v, n, k, free = pressed.d, pressed.d.vectors, pressed.n, pressed.k, pressed.free()
    rng = np.random.default_rng(7)
    d.scratch.base[:n, :3], d.scratch.slot_base[:k] = rng.normal(size=(n, 3)), 50.0 * rng.normal(size=(k, 6))
    v.d[:n], v.slot_d[:k] = 0.0, 0.0
    played(lambda: prepare_preconditioner(*pressed.given, 0))
    played(lambda: pull_of_rows(d, pressed.group))
    before = v.slot_b[:k].copy()
    played(lambda: pull_of_contacts(d, pressed.group))
    touch, pull = d.slots.touch, np.zeros(3 * n + 6 * k)
    for q in np.flatnonzero(touch.active[: touch.count[POINTS]]):
        pull -= touch.stiffness[q] * (touch.gap[q] + touch.passing[q]) * pressed.jacobian(q)
    assert (v.slot_b[:k] - before).ravel() == pytest.approx(pull[3 * n :], abs=1e-9 * np.abs(pull).max())
    force = np.concatenate([v.b[:n, :3].ravel(), v.slot_b[:k].ravel()])
    rough, exact = played(lambda: solve_system(*pressed.given, v, 1e-300, 1e-2, 200))
    assert rough < 15 and not exact
    v.d[:n], v.slot_d[:k] = 0.0, 0.0
    count, exact = played(lambda: solve_system(*pressed.given, v, 1e-300, 0.0, 200))
    assert rough < count < 120 and exact
    there = np.concatenate([v.d[:n, :3].ravel(), v.slot_d[:k].ravel()])
    dense = np.zeros_like(there)
    whole = _dense(pressed)
    dense[free] = np.linalg.solve(whole[np.ix_(free, free)], force[free])
    assert there == pytest.approx(dense, abs=1e-6 * np.abs(dense).max())


def test_what_presses_is_what_ends_inside_and_the_substeps_bring_it_again(pressed: Pressed) -> None:
    d, touch, k, n = pressed.d, pressed.d.slots.touch, pressed.k, pressed.n
    count, rng = int(touch.count[POINTS]), np.random.default_rng(2)
    was = touch.active.copy(), touch.solved.copy(), d.vectors.slot_d[:k].copy()
    way = np.concatenate([np.zeros(3 * n), (0.002 * rng.normal(size=(k, 6))).ravel()])
    d.vectors.slot_d[:k] = way[3 * n :].reshape(-1, 6)
    gaps = np.array([touch.gap[q] + touch.passing[q] + pressed.jacobian(q) @ way for q in range(count)])
    changed = played(lambda: look_again_at_contacts(d, pressed.group))
    assert (touch.active[:count] == (gaps < 0)).all() and 0 < (gaps < 0).sum() < count
    assert changed == (touch.active[:count] != was[0][:count]).sum()
    touch.solved[:count] = touch.active[:count]
    slots, force = d.slots.slot[:k].copy(), np.zeros(3 * n + 6 * k)
    for q in np.flatnonzero(gaps < 0):
        force -= touch.stiffness[q] * gaps[q] * pressed.jacobian(q)
    given = d.scratch.given[slots].copy()
    played(lambda: leave_to_substeps(d, pressed.h))
    taken = given - d.scratch.given[slots]
    for at, f in zip(range(k), force[3 * n :].reshape(-1, 6), strict=True):
        assert taken[at, :3] == pytest.approx(f[:3] / (d.slots.mass[at] * pressed.h**2), rel=1e-9, abs=1e-9)
        assert taken[at, 3:] == pytest.approx(np.linalg.solve(d.slots.inertia[at], f[3:]) / pressed.h**2, rel=1e-6)
    d.scratch.given[slots] = given
    touch.active[:], touch.solved[:], d.vectors.slot_d[:k] = was


def test_contacts_take_part_where_one_side_does_and_would_go_in(pressed: Pressed) -> None:
    """Twin: by the contacts of the interval, where things are and how they go."""
    run, d, h = pressed.run, pressed.d, pressed.h
    constraints, bodies, settings = run.rigid.constraints, run.rigid.bodies, run.model.settings
    contacts, asm, count = constraints.contacts, run.state.assemblies, int(constraints.counts[0])
    kept = [x.copy() for x in d.slots[:3]]
    d.slots.place[:], d.slots.used[0], d.slots.touch.count[POINTS], d.slots.touch.made[:] = -1, 1, 0, 0
    first = int(contacts.body_a[0])
    d.slots.place[first], d.slots.slot[0], d.vectors.slot_d[0] = 0, first, [0.0, -0.004, 0, 0, 0, 0.002]
    asm.velocity[:3], asm.angular_velocity[:3] = [[0, -2, 0], [0, -2, 0], [0, -3, 0]], 0.1
    way = {}
    for a in range(3):
        gain = asm.gravity_scale[a] * settings.gravity + bodies.acceleration[a] + d.scratch.support[a]
        goes = h * (asm.velocity[a] + h * gain), h * (asm.angular_velocity[a] + h * bodies.angular_acceleration[a])
        way[a] = np.concatenate(goes)
    way[first] = d.vectors.slot_d[0].copy()
    taking, found = {first}, []
    for m in range(count):
        a, b = int(contacts.body_a[m]), int(contacts.body_b[m])
        if not {a, b} & taking or not contacts.point_count[m]:
            continue
        ends = []
        for i in range(contacts.point_count[m]):
            j, nn = contacts.normal_jacobian[m, i], contacts.normal[m]
            gap = contacts.start_separation[m, i] + nn @ (bodies.displacement[a] - bodies.displacement[b])
            gap += j[:3] @ bodies.rotation[a] - j[3:6] @ bodies.rotation[b]
            ends.append(gap + nn @ (way[a] - way[b])[:3] + j[:3] @ way[a][3:] - j[3:6] @ way[b][3:])
        if min(ends) < -LET_BE * contacts.size[m]:
            found += [(a, b)] * len(ends)
            taking |= {a, b}
    points = played(lambda: find_slot_contacts(d, bodies, settings, constraints, h))
    assert points == len(found) > 0
    assert [tuple(x) for x in d.slots.touch.slot[:points]] == found
    assert set(d.slots.slot[: d.slots.used[0]].tolist()) == taking
    d.slots.place[:], d.slots.slot[:], d.slots.used[:] = kept[0], kept[1], kept[2]


def test_what_comes_is_seen_though_what_it_meets_still_flees() -> None:
    """A box goes ahead of a heavy one that follows it more slowly, and a sheet may stop it."""
    fled = box("fled", (0, 0, 0), (0.2, 0.2, 0.2), velocity=[7.2, 0, 0])
    follows = box("follows", (-0.26, 0, 0), (0.2, 0.2, 0.2), velocity=[7, 0, 0], material={"density": 6000})
    sheet = cloth("it", (0.5, -3, 0), (0.3, 0.8), (3, 8))
    run = started(shot(fled, follows, sheet, gravity=[0, 0, 0], ground={"on": False}, quality="draft"))
    run.advance()
    assert run.deformable is not None
    d, constraints, bodies = run.deformable.parts, run.rigid.constraints, run.rigid.bodies
    d.scratch.beside[:] = 0
    assert played(lambda: find_coming(d, bodies, constraints, 0.012)) == 0  # it flees
    d.scratch.beside[0] = 1
    assert played(lambda: find_coming(d, bodies, constraints, 0.012)) == 1
    assert played(lambda: find_coming(d, bodies, constraints, 0.004)) == 0  # it does not get there so soon
