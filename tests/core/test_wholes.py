"""What iterations leave over of the balance of cloth as a whole, against dense algebra."""

from __future__ import annotations

import numpy as np
import pytest

from deforming import cloth, started
from dynaclast.core.solve.deformable.parts import ROWS
from dynaclast.core.solve.deformable.system import Group, multiply
from dynaclast.core.solve.deformable.wholes import balance_wholes
from playing import played
from shots import shot


def _balance(d, body, row, slot):  # type: ignore[no-untyped-def]
    played(lambda: balance_wholes(d, Group(body, row, slot, np.zeros(0, np.int32))))


def _multiply(d, body, row, slot):  # type: ignore[no-untyped-def]
    v, t, group = d.vectors, d.elements.bodies, Group(body, row, slot, np.zeros(0, np.int32))
    played(lambda: multiply(d.matrix, t, group, d.rows, d.slots, d.pinned, v.p, v.slot_p, v.q, v.slot_q))


class Lying:
    """A sheet that lies on the ground and slides there, as it is after a step, with forces left over at random."""

    def __init__(self, seed: int, **more: object) -> None:
        sheet = cloth("it", (0.2, 0.0012, -0.1), (0.5, 0.4), (5, 4), matter={"thickness": 0.002}, velocity=[1, 0, 0.5])
        self.run = started(shot(sheet | more, ground={"on": True, "friction": 0.3, "height": 0.0}))
        self.run.opening()
        for _ in range(3):
            self.run.advance()
        self.d = self.run.rigid._beside.parts  # type: ignore[union-attr]
        rows = np.arange(self.d.scratch.numbers[ROWS], dtype=np.int32)
        self.group = np.array([0]), rows, np.zeros(0, np.int32)
        self.x, self.n = self.run.state.vertices.position, len(self.run.state.vertices.position)
        self.left = np.random.default_rng(seed).normal(size=(self.n, 3)) + [0.3, 0, -0.1]
        self.d.vectors.r[: self.n, :3], self.d.vectors.d[: self.n] = self.left, 0.0

    def motions(self) -> np.ndarray:
        """(6, n, 3), of the whole about its centre of mass."""
        m = self.d.elements.vertices.heavy
        arm = self.x - m @ self.x / m.sum()
        turns = [np.cross(e, arm) for e in np.eye(3)]
        return np.array([*(np.broadcast_to(e, arm.shape) for e in np.eye(3)), *turns])

    def times(self, way: np.ndarray) -> np.ndarray:
        """A way, (n, 3)."""
        self.d.vectors.p[: self.n, :3] = way
        _multiply(self.d, *self.group)
        return self.d.vectors.q[: self.n, :3].copy()


@pytest.mark.parametrize("seed", range(3))
def test_what_is_left_has_no_sum_and_no_moment_any_more(seed: int) -> None:
    it = Lying(seed)
    d, z, m = it.d, it.motions(), it.d.elements.vertices.heavy
    assert len(it.group[1]) >= it.n and d.rows.active[it.group[1]].all()
    _balance(d, *it.group)
    way, left = d.vectors.d[: it.n, :3].copy(), d.vectors.r[: it.n, :3].copy()
    whole = np.einsum("inc,n,jnc->ij", z, m, z)
    for c in it.group[1]:
        i, normal = d.rows.vertex[c, 0], d.rows.normal[c]
        k, t = d.rows.stiffness[c], d.rows.tangential[c]
        at = z[:, i] * d.rows.weight[c, 0]
        whole += at @ (t * np.eye(3) + (k - t) * np.outer(normal, normal)) @ at.T
    straight = np.einsum("i,inc->nc", np.linalg.solve(whole, np.einsum("inc,nc->i", z, it.left)), z)
    pull = it.times(straight)
    slow = (straight * it.left).sum() / (straight * pull).sum() * straight
    assert way == pytest.approx(slow, abs=1e-4 * np.abs(slow).max())
    assert left == pytest.approx(it.left - it.times(way), abs=1e-9 * np.abs(it.left).max())
    before, after = (np.einsum("inc,nc->i", z, f) for f in (it.left, left))
    assert np.abs(before).min() > 1e-2 and np.abs(after).max() < 5e-3 * np.abs(before).max()


def test_what_is_pinned_or_touches_nothing_is_left_as_it_is() -> None:
    corner = {"reach": {"layers": [{"shape": {"kind": "sphere", "center": [0.45, 0, 0.1], "core": 0.05}}]}}
    pinned = Lying(1, pins=[corner])
    _balance(pinned.d, *pinned.group)
    assert not pinned.d.vectors.d[: pinned.n].any()
    free = Lying(1)
    _balance(free.d, free.group[0], np.zeros(0, np.int32), free.group[2])
    assert not free.d.vectors.d[: free.n].any() and free.d.vectors.r[: free.n, :3].tolist() == free.left.tolist()
