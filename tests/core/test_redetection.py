"""When contact points are looked for again within an interval: what may touch is never passed over."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from dynaclast.core.arrays import Array
from dynaclast.core.document import PathTravel
from dynaclast.core.geometry.rotations import quaternion_product, rotation_matrix, vector_to_quaternion
from dynaclast.core.kernels import kernel
from dynaclast.core.solve.rigid.redetection import _may_touch
from dynaclast.core.timeline.travel import along_path


@kernel
def may_touch(normal: Array, x: float, y: float, z: float, far: float, gap: float) -> bool:
    return _may_touch(normal, x, y, z, far, gap)


@given(st.integers(0, 10**6))
@settings(max_examples=200, deadline=None)
def test_what_may_touch_is_what_the_least_gap_after_the_motion_says(seed: int) -> None:
    """Two convex bodies a gap apart along a normal: moved by d and turned so that no surface goes farther than ``far``,
    the gap is at least gap + n . d - far.
    """
    rng = np.random.default_rng(seed)
    normal = rng.normal(size=3)
    normal /= np.linalg.norm(normal)
    d, far, gap = 0.1 * rng.normal(size=3), abs(0.1 * rng.normal()), abs(0.2 * rng.normal())
    assert may_touch(normal, *d, far, gap) == (gap + normal @ d - far < 0)
    assert may_touch(np.zeros(3), *d, far, gap) == (gap - np.linalg.norm(d) - far < 0)


@given(st.integers(0, 10**6))
@settings(max_examples=60, deadline=None)
def test_nothing_that_touches_after_a_motion_was_said_not_to(seed: int) -> None:
    """Two clouds of points as bodies: where any corner of one has passed the other's plane, it may touch."""
    rng = np.random.default_rng(seed)
    a, b = rng.normal(size=(12, 3)), rng.normal(size=(12, 3))
    normal = rng.normal(size=3)
    normal /= np.linalg.norm(normal)
    gap = 0.05
    a = a + normal * (gap - (a @ normal).min() + (b @ normal).max())  # a lies a gap beyond b
    turn, middle = Rotation.from_rotvec(0.04 * rng.normal(size=3)), a.mean(axis=0)
    shift = 0.05 * rng.normal(size=3)
    moved = turn.apply(a - middle) + middle + shift
    far = np.linalg.norm(turn.as_rotvec()) * np.linalg.norm(a - middle, axis=1).max()
    touches = (moved @ normal).min() < (b @ normal).max()
    assert not touches or may_touch(normal, *shift, far, gap)


# ----------------------------------------------------------------------- ways and turns


def path(**more: object) -> PathTravel:
    return PathTravel.model_validate({"points": [[0, 0, 0], [4, 0, 0], [4, 2, 0]], "start": 1.0, "time": 3.0, **more})


def test_a_straight_path_goes_evenly_from_its_start_to_its_end_and_stays() -> None:
    way = path(smooth=False)
    for time, wanted in (
        (0, (0, 0, 0)),
        (1, (0, 0, 0)),
        (2, (2, 0, 0)),
        (3, (4, 0, 0)),
        (3.5, (4, 1, 0)),
        (9, (4, 2, 0)),
    ):
        assert along_path(way, time) == pytest.approx(wanted, abs=0.35)
    assert along_path(way, 9.0) == pytest.approx([4, 2, 0])


def test_a_rounded_path_starts_and_ends_gently() -> None:
    way = path()
    times = np.linspace(0.5, 4.5, 801)
    at = np.array([along_path(way, t) for t in times])
    speed = np.linalg.norm(np.diff(at, axis=0), axis=1) / np.diff(times)
    assert at[0] == pytest.approx([0, 0, 0]) and at[-1] == pytest.approx([4, 2, 0])
    assert np.abs(np.diff(at, axis=0)).max() < 0.05  # no jump
    assert speed[times[:-1] < 1.02].max() < 0.2 and speed[times[:-1] > 3.98].max() < 0.2


@given(st.integers(0, 10**6))
@settings(max_examples=60, deadline=None)
def test_turns_as_vectors_quaternions_and_matrices_are_the_same(seed: int) -> None:
    rng = np.random.default_rng(seed)
    v, w = rng.normal(size=3) * rng.choice([1e-9, 0.1, 3.0]), rng.normal(size=3)
    one, two = vector_to_quaternion(v), vector_to_quaternion(w)
    assert rotation_matrix(one) == pytest.approx(Rotation.from_rotvec(v).as_matrix(), abs=1e-9)
    both = rotation_matrix(quaternion_product(one[None], two[None])[0])
    assert both == pytest.approx(rotation_matrix(one) @ rotation_matrix(two), abs=1e-9)
