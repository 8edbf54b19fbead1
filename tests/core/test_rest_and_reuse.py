"""Rest that lasts, waking that is right, and contact points that are carried along instead of being found again."""

from __future__ import annotations

import numpy as np
import pytest

import scenes
from dynaclast.core.kernels.linalg import quaternion_to_matrix
from dynaclast.core.preflight import preflight
from dynaclast.core.solve.load_paths import LoadPaths
from dynaclast.core.solve.loop import Run, frames
from dynaclast.core.solve.prepare import prepare
from dynaclast.core.solve.rigid.detection import REUSE_SHARE, _reuse_points, make_detection_scratch
from shots import ball, blow, box, footing, pillar, reach_box, run, shot


def pile(rng: np.random.Generator, count: int = 40) -> list[dict]:
    return [
        box(
            f"b{k}",
            (float(rng.uniform(-1, 1)), 0.5 + 0.45 * k, float(rng.uniform(-1, 1))),
            tuple(rng.uniform(0.3, 0.7, 3)),
        )
        for k in range(count)
    ]


def test_heaps_of_boxes_are_asleep_within_three_seconds_of_the_last_fall() -> None:
    """Half of seven heaps within three seconds of the landing; all within three of when a box last went faster than 0.3
    m/s, for one may stand on its edge for a while and then tip over, and within six in all.
    """
    lands = int(np.ceil(24 * np.sqrt(2 * 0.45 * 40 / 9.81))) + 12  # tumbling after the last landing
    took, since = [], []
    for seed in range(3, 10):
        baked = run(*pile(np.random.default_rng(seed)), frames=200)
        took.append(int(np.flatnonzero(np.append(baked.stats["moving"][lands:], 0) == 0)[0]))
        since.append(lands + took[-1] - int(np.flatnonzero(baked.stats["top_speed"] > 0.3)[-1]))
        assert np.diff(baked.stats["energy"]).max() <= 1e-3 * abs(baked.stats["energy"][0])
    assert sorted(took)[3] <= 3 * 24 and max(since) <= 3 * 24 and max(took) <= 6 * 24


def test_a_tap_wakes_what_it_touches_and_a_hit_the_whole_row() -> None:
    row = [box(f"c{k}", (1.001 * k, 0.5, 0)) for k in range(5)]
    for speed, least, most in ((0.4, 0, 1), (6.0, 5, 5)):
        baked = run(
            *row,
            ball(
                "ball",
                (-6.0 if speed > 1 else -1.3, 0.5, 0),
                0.45,
                velocity=[speed, 0, 0],
                material={"rolling": 0.0, "density": 8000 if speed > 1 else 300},
            ),
            frames=60,
        )
        moved = (np.abs(baked.position[-1, :5, 0] - baked.position[0, :5, 0]) > 0.01).sum()
        assert least <= moved <= most


def test_a_sleeper_falls_when_its_support_goes() -> None:
    """A crate sleeps on a pillar; the pillar's hold ends at 2 s."""
    post = box("post", (0, 1, 0), (0.4, 2, 0.4), release={"kind": "cue", "time": 2.0}, velocity=[0, 0, 0])
    crate = box("crate", (0, 2.25, 0), (0.5, 0.5, 0.5))
    kick = {
        "name": "sweep",
        "effect": {"kind": "burst", "speed": 12},
        "reach": reach_box((-1.0, 0.9, 0), (3, 1.4, 3)),
        "cue": {"time": 2.05},
        "targets": ["post"],
    }
    baked = run(post, crate, frames=96, fields=(kick,))
    assert baked.state[40, 1] == 1 and baked.position[40, 1, 1] == pytest.approx(2.25, abs=2e-3)
    assert baked.position[-1, 1, 1] < 1.0


def test_contact_points_carried_along_equal_those_the_bodies_carry() -> None:
    """Reused points are the midpoints of the surface points each body carries, the gap their distance along the normal;
    bodies that moved against each other are refused.
    """
    scene = shot(box("low", (0, 0.5, 0)), box("high", (0.1, 1.5, 0.05)), gravity=[0, -9.81, 0])
    prepared = prepare(scene)
    stepper = Run(prepared.shot, prepared.model, prepared.state)
    stepper.advance()
    state, model = prepared.state, prepared.model
    k = int(np.flatnonzero((state.contact_cache.shape_b >= 0) & (state.contact_cache.point_count > 0))[0])
    con, asm = state.contact_cache, state.assemblies
    a, b = (int(state.piece_assembly[model.hulls.piece[s]]) for s in (con.shape_a[k], con.shape_b[k]))

    def look() -> tuple[int, np.ndarray, np.ndarray]:
        scratch = make_detection_scratch()
        ma, mb, patch = scratch.matrix_a, scratch.matrix_b, scratch.patch
        quaternion_to_matrix(asm.orientation[a], ma)
        quaternion_to_matrix(asm.orientation[b], mb)
        n, _ = _reuse_points(con, k, asm, a, b, 1.0, REUSE_SHARE, scratch)
        want_a = con.point_a[k, :n] @ ma.T + asm.position[a]
        want_b = con.point_b[k, :n] @ mb.T + asm.position[b]
        assert patch.points[:n] == pytest.approx((want_a + want_b) / 2, abs=1e-12)
        assert patch.separations[:n] == pytest.approx((want_a - want_b) @ patch.normal, abs=1e-12)
        return n, patch.points, patch.separations

    assert look()[0] == con.point_count[k]
    asm.position[b, 1] += 0.01  # apart along the normal: still the same points
    n, _, seps = look()
    assert n == con.point_count[k] and abs(seps[:n]).min() > 0.005
    asm.position[b, 0] += 0.01  # slid along the face: found anew
    assert look()[0] == 0


def test_preflight_says_what_cannot_carry_itself() -> None:
    beam = box(
        "beam",
        (0, 3, 0),
        (6, 0.5, 0.5),
        pattern={"kind": "bricks", "size": [0.5, 0.5, 0.5], "offset": 0},
        bonds={"strength": 100, "unit": "kN"},
        load_path="fail",
    )
    scene = shot(
        beam,
        fields=({"name": "root", "effect": {"kind": "anchor"}, "reach": reach_box((-2.75, 3, 0), (0.3, 0.3, 0.3))},),
    )
    found = [f for f in preflight(scene, prepare(scene).pieces) if f.code == "overloaded"]
    assert found and "cannot carry itself" in found[0].sentence
    scene = shot(
        pillar(load_path="fail"),
        fields=({"name": "root", "effect": {"kind": "anchor"}, "reach": reach_box((0, 0, 0), (2, 1, 2))},),
    )
    assert not [f for f in preflight(scene, prepare(scene).pieces) if f.code == "overloaded"]


def test_a_ball_that_spins_on_its_spot_comes_to_rest() -> None:
    baked = run(ball("ball", (0, 0.5, 0), spin=[0, 0.8, 0]), frames=120)
    assert baked.state[-1, 0] == 1 and np.abs(baked.position[-1, 0] - [0, 0.5, 0]).max() < 1e-3


def test_a_heap_that_lands_at_once_gains_no_energy_as_it_stops() -> None:
    """A thousand boxes into a bin: impulses of the landing, applied again in the next substep, must not throw anything
    up.
    """
    heap = scenes.pile1000()
    prepared = prepare(heap)
    energy = [f.stats["energy"] for f in frames(heap, prepared.model, prepared.state, 20)]
    assert np.diff(energy).max() < 1e-4 * abs(energy[0])


GRAVITY = {"of": "gravity", "keys": [{"time": 0, "value": 1, "how": "step"}, {"time": 1.0, "value": 10, "how": "step"}]}
LATER = {
    "it is worn": (
        (),
        (blow(300, (0, 1.5, 0), 2.0, 0.8) | {"effect": {"kind": "strain", "mode": "wear", "load": 300}},),
    ),
    "it is struck": ((ball("stone", (0, 2, 9), 0.3, velocity=[0, 2, -9], gravity=0),), ()),
    "it is broken": ((), (blow(2000, (0, 2, 0), 0.9, 1.0),)),
    "the wind rises": (
        (),
        (
            {
                "name": "gale",
                "effect": {"kind": "wind", "speed": 90},
                "reach": reach_box((0, 2, 0), (9, 9, 9)),
                "cue": {"kind": "span", "start": 0.9, "end": 2.0},
            },
        ),
    ),
    "it weighs more": ((), ()),
}


@pytest.mark.parametrize("what", sorted(LATER))
def test_loads_at_rest_are_asked_for_again_as_soon_as_anything_is_otherwise(
    what: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The same frames as where they are followed in every frame."""
    more, fields = LATER[what]
    heavier = {"channels": [GRAVITY]} if what == "it weighs more" else {}
    scene = shot(pillar(load_path="fail", **heavier), *more, fields=(footing(), *fields), frames=36)
    asked: list[bool] = []
    alike = LoadPaths._all_alike

    def counted(self: LoadPaths, before: tuple[np.ndarray, ...]) -> bool:
        asked.append(alike(self, before))
        return asked[-1]

    def ran() -> list[tuple]:
        ready = prepare(scene)
        all_frames = frames(ready.shot, ready.model, ready.state, 36)
        return [({k: v.tobytes() for k, v in f.arrays.items()}, f.events) for f in all_frames]

    monkeypatch.setattr(LoadPaths, "_all_alike", counted)
    spared = ran()
    monkeypatch.setattr(LoadPaths, "_all_alike", lambda *_: False)
    assert spared == ran()
    assert sum(asked) > 10 or what == "it is struck"  # a stone that flies is solved in every interval
    assert spared[1] != spared[-1]
