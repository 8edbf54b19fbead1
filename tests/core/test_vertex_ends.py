"""Kills on deformable bodies: what hangs together comes to rest, is frozen, or is taken out."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from deforming import EVERYWHERE, cloth, points, soft, started
from dynaclast.core.document import Shot, parse
from dynaclast.core.solve.frame import PieceState
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.state import State

SLABS = {"kind": "slabs", "count": 4, "axis": [0, 0, 1], "spread": 0, "random": 0}


def kill(what: str, reach: Any = EVERYWHERE, **more: Any) -> dict[str, Any]:
    effect = {"kind": "kill", "what": what} | more
    return {"name": "end", "effect": effect, "reach": reach, "cue": {"kind": "span"}}


def falling(*fields: dict[str, Any], frames: int = 12, ground: bool = False, **more: Any) -> Shot:
    strip = cloth("c", (0, 3, 0), (0.4, 1.6), (4, 16), pattern=SLABS) | more
    return parse({"bodies": [strip], "fields": list(fields), "timing": {"frames": frames}, "ground": {"on": ground}})


def advanced(shot: Shot) -> tuple[Run, list[Any]]:
    run = started(shot)
    return run, [run.opening(), *(run.advance() for _ in range(shot.timing.frames))]


def test_frozen_pieces_stay_where_they_are_and_others_fall_on() -> None:
    half = {"layers": [{"shape": {"kind": "box", "center": [0, 2.7, 0.4], "core": [9, 0.3, 0.8]}}]}
    run, frames = advanced(falling(kill("freeze", half, age=0.01)))
    at, what = points(frames, "c"), frames[-1].arrays["state/c"]
    frozen = what == PieceState.FROZEN
    assert (at[0, frozen, 2] > -1e-6).all() and (what[~frozen] == PieceState.MOVING).all()
    assert frozen.sum() == 2 * 25
    assert at[-1, frozen, 1].min() > 2.4 and at[-1, ~frozen, 1].max() < 2.0
    still = np.abs(np.diff(at[-4:, frozen], axis=0))
    assert still.max() == 0
    event = next(e for f in frames for e in f.events if e["kind"] == "kill")
    assert event["field"] == "end" and event["what"] == "freeze" and event["body"] == "c"
    assert len(event["vertices"]) in (25, 50)


def test_what_is_taken_out_is_touched_by_nothing() -> None:
    lid: dict[str, Any] = cloth("lid", (0, 0.6, 0), (1, 1), (10, 10), matter={"folds": True, "thickness": 0.01})
    box: dict[str, Any] = soft("box", (0, 0.2, 0), (0.4, 0.4, 0.4), matter={"young": 300})
    shot = {"bodies": [lid, box], "timing": {"frames": 24}}
    held = parse(shot)
    top = points(advanced(held)[1], "lid")[-1, :, 1].max()
    gone = kill("remove", age=0.01) | {"targets": ["box"]}
    run, frames = advanced(parse(shot | {"fields": [gone]}))
    assert (frames[-1].arrays["state/box"] == PieceState.REMOVED).all()
    assert top > 0.3 and points(frames, "lid")[-1, :, 1].max() < 0.1


def test_what_is_slow_long_enough_ends_and_what_is_fast_does_not() -> None:
    slow = falling(kill("freeze", slower=0.5, time=0.2), frames=12, gravity=0.0)
    frames = advanced(slow)[1]
    first = next(f.index for f in frames if (f.arrays["state/c"] == PieceState.FROZEN).any())
    assert first == pytest.approx(0.2 * 24, abs=1.01)
    fast = falling(kill("freeze", slower=0.5, time=0.2), velocity=[0, -2, 0])
    assert not any((f.arrays["state/c"] == PieceState.FROZEN).any() for f in advanced(fast)[1])


def test_a_whole_body_comes_to_rest() -> None:
    run, frames = advanced(falling(kill("rest", slower=9, time=0.05), frames=6))
    assert run.state.deformables.asleep.all()
    assert (frames[-1].arrays["state/c"] == PieceState.RESTING).all()


def test_a_smaller_kill_inside_a_larger_one_counts() -> None:
    small = {"layers": [{"shape": {"kind": "box", "center": [0, 3, 0.6], "core": [1, 1, 0.41]}}]}
    large = {"layers": [{"shape": {"kind": "box", "center": [0, 3, 0], "core": [9, 9, 9]}}]}
    fields = [kill("remove", large, age=0.01), kill("freeze", small, age=0.01) | {"name": "inner"}]
    frames = advanced(falling(*fields, frames=4, gravity=0.0))[1]
    what, at = frames[-1].arrays["state/c"], points(frames, "c")[0]
    assert (what[at[:, 2] > 0.45] == PieceState.FROZEN).all()
    assert (what[at[:, 2] < 0.35] == PieceState.REMOVED).all()


def test_a_bake_goes_on_after_a_kill_to_the_bit() -> None:
    half = {"layers": [{"shape": {"kind": "box", "center": [0, 2.7, 0.4], "core": [9, 0.3, 0.8]}}]}
    run = started(falling(kill("freeze", half, age=0.01)))
    for _ in range(9):
        run.advance()
    assert run.state.vertex_hold.any()
    again = Run(run.shot, run.model, State.unpack(run.state.pack()))
    for _ in range(3):
        one, other = run.advance(), again.advance()
        assert (one.arrays["points/c"] == other.arrays["points/c"]).all()
        assert (one.arrays["state/c"] == other.arrays["state/c"]).all()
