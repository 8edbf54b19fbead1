"""What is read off deformable bodies frame by frame, against what can be said of them in closed form."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from deforming import cloth, frames_of, pin, points, rope, soft, started
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.prepare import prepare
from dynaclast.core.solve.state import copied
from shots import shot

HUNG = {"reach": {"layers": [{"shape": {"kind": "box", "center": [0, 3, 0], "core": [9, 0.1, 9], "edge": 0}}]}}
NO_GROUND: dict[str, Any] = {"ground": {"on": False}}


def hung_rope(load: float, **more: Any) -> dict[str, Any]:
    """A metre of rope that hangs from a pin, and stretches by so much under its own weight at the top."""
    young = 1000.0 * 9.81 * 1.0 / load / 1000.0  # density g l / strain, in kN/m2
    matter = {"radius": 0.01, "young": young, "damping": 0.05, **more}
    out = rope("x", (0, 3, 0), (0, 2, 0), segments=20, matter=matter, pins=[pin(0, 3, 0)])
    return out | {"material": {"density": 1000.0}}


def test_stretch_is_that_of_the_most_stretched_segment() -> None:
    frames = frames_of(shot(hung_rope(0.02), frames=96, **NO_GROUND))
    at = points(frames, "x")
    long = np.linalg.norm(np.diff(at, axis=1), axis=2) * 20  # segments of a twentieth of a metre
    assert [f.stats["stretch"] for f in frames] == pytest.approx(np.maximum(long.max(axis=1) - 1, 0), abs=1e-5)
    assert frames[0].stats["stretch"] == 0 and frames[-1].stats["stretch"] == pytest.approx(0.0195, rel=0.05)


def halves(strength: float, **matter: float) -> dict[str, Any]:
    """Two patches of a square metre, one below the other, hung by the upper; strength of their seam [kN/m]."""
    return cloth(
        "x",
        (0, 2, 0),
        (1, 2),
        (4, 8),
        place={"position": [0, 2, 0], "angles": [90, 0, 0]},
        pins=[HUNG],
        pattern={"kind": "slabs", "axis": [0, 0, 1], "count": 2, "spread": 0, "random": 0},
        bonds={"strength": strength, "unit": "kN/m"},
        matter={"weight": 2.0} | matter,
    )


def test_every_frame_has_the_same_numbers_and_counts_what_opened() -> None:
    weak = halves(0.005)
    frames = frames_of(shot(weak, frames=24, **NO_GROUND))
    keys = [set(f.stats) for f in frames]
    assert all(k == keys[0] for k in keys) and {"deforming", "stretch", "seams_opened"} <= keys[0]
    opened = [f.stats["seams_opened"] for f in frames]
    assert sum(opened) == 1 == sum(e["kind"] == "seam_opened" for f in frames for e in f.events)
    tension = np.array([f.arrays["tension/x"] for f in frames])
    assert (tension[opened.index(1.0) :] == 0).all()


def test_tension_is_the_share_of_its_strength_that_a_seam_bears() -> None:
    below = 2.0 * 1.0 * 1.0 * 9.81  # N, of the lower patch
    held = halves(4 * below / 1000.0, damping=0.05)
    last = frames_of(shot(held, frames=120, **NO_GROUND))[-1]
    tension, at = last.arrays["tension/x"], last.arrays["points/x"]
    along = np.abs(at[:, 1] - 2.0) < 0.05  # the seam's vertices
    assert tension[along] == pytest.approx(np.full(along.sum(), 255 / 4), rel=0.15)
    assert along.sum() == 10 and (tension[~along] == 0).all()


def test_what_cannot_part_has_no_tension_and_what_touches_says_where() -> None:
    sheet = cloth("x", (0, 0.05, 0), (1, 1), (5, 5))
    cube = soft("cube", (3, 0.5, 0), (1, 1, 1))
    frames = frames_of(shot(sheet, cube, frames=36))
    assert not any(name.startswith("tension/") for name in frames[0].arrays)
    assert (frames[0].arrays["touch/x"] == 0).all() and (frames[-1].arrays["touch/x"] == 1).all()
    foot = frames[-1].arrays["points/cube"][:, 1] < 0.01
    assert (frames[-1].arrays["touch/cube"][foot] == 1).all() and (frames[-1].arrays["touch/cube"][~foot] == 0).all()


def test_readings_are_the_same_after_a_resume() -> None:
    tearing = cloth("x", (0, 2, 0), (1, 1), (6, 6), matter={"tear": 0.02}, pins=[pin(-0.5, 2, -0.5, reach=0.1)])
    scene = shot(tearing, frames=20)
    run = started(scene)
    run.opening()
    for _ in range(9):
        run.advance()
    other = prepare(scene)
    again = Run(other.shot, other.model, copied(run.state))
    for _ in range(4):
        a, b = run.advance(), again.advance()
        assert a.stats == b.stats
        for name in ("tension/x", "touch/x"):
            assert (a.arrays[name] == b.arrays[name]).all()
    assert max(a.arrays["tension/x"]) > 0
