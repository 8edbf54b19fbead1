"""What comes from outside into a run: recorded, written into the document, replayed to the same bits."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pytest

from dynaclast.core.document import Shot
from dynaclast.core.errors import InputError
from dynaclast.core.solve.control import (
    Control,
    Grip,
    Recording,
    Throw,
    from_json,
    recording_of,
    replayed,
    to_json,
    written_in,
)
from dynaclast.core.solve.frame import Frame, PieceState
from dynaclast.core.solve.loop import Run, frames
from dynaclast.core.solve.prepare import Prepared, prepare
from dynaclast.core.solve.state import State
from shots import ball, box, footing, pillar, reach_box, reach_sphere, shot


def scene(**more: object) -> Shot:
    """A pillar with a blow by hand, a crate in a breeze, and stones that weigh what a channel says."""
    blow = {
        "name": "blow",
        "effect": {"kind": "strain", "load": 3000, "burst": 2},
        "reach": reach_sphere((0, 2, 0), 1.5),
        "cue": {"kind": "hand"},
    }
    breeze = {
        "name": "breeze",
        "effect": {"kind": "push", "amount": 0.5, "direction": [1, 0, 0]},
        "reach": {"layers": [{"shape": {"kind": "everywhere"}}]},
        "cue": {"kind": "span", "start": 0.0},
        "targets": ["crate"],
    }
    bodies = pillar(), box("crate", (3, 0.5, 0)), ball("stone", (-3, 4, 0), 0.3)
    return shot(*bodies, fields=(footing(), blow, breeze), frames=20, **more)


DONE: Recording = {
    4: Control(numbers={"fields.breeze.effect.amount": 6.0}),
    7: Control(fired=("blow",)),
    9: Control(numbers={"bodies.stone.gravity": -1.0, "fields.blow.effect.load": 9000.0}),
    13: Control(numbers={"fields.breeze.effect.amount": -4.0}, fired=("blow",)),
}


def run_with(prepared: Prepared, recording: Recording, until: int) -> Iterator[Frame]:
    run = Run(prepared.shot, prepared.model, prepared.state)
    for frame, control in replayed(recording):
        if frame > until:
            return
        yield run.advance(control)


def same(one: Frame, other: Frame) -> bool:
    arrays = all(one.arrays[k].tobytes() == other.arrays[k].tobytes() for k in one.arrays)
    return arrays and one.index == other.index and one.events == other.events and one.stats == other.stats


@pytest.mark.parametrize("quality", ["draft", "standard"])
def test_a_run_with_a_recording_is_the_bake_of_the_document_with_it_written_in(quality: str) -> None:
    document = scene(quality=quality)
    live = list(run_with(prepare(document), DONE, 20))
    kept = prepare(written_in(document, DONE))
    baked = list(frames(kept.shot, kept.model, kept.state, 20))[1:]
    assert all(same(a, b) for a, b in zip(live, baked, strict=True))
    plain = prepare(document)
    untouched = list(frames(plain.shot, plain.model, plain.state, 20))[1:]
    assert same(live[2], untouched[2]) and not same(live[19], untouched[19])
    assert sum(f.stats["bonds_broken"] for f in live[6:8]) > 0  # the blow fell in the frame it was fired at
    assert live[19].position[25, 1] > untouched[19].position[25, 1] + 1  # the stone was turned back


def test_the_recording_is_in_the_state_and_outlives_a_restart() -> None:
    document = scene()
    whole = list(run_with(prepare(document), DONE, 20))
    halted = prepare(document)
    list(run_with(halted, DONE, 5))
    state = State.unpack(halted.state.pack())
    assert recording_of(state) == {f: c for f, c in DONE.items() if f <= 5}
    resumed = Run(document, halted.model, state)
    assert resumed.recording == recording_of(state)
    for want in whole[5:]:
        assert same(resumed.advance(DONE.get(want.index)), want)
    assert resumed.recording == DONE


def test_what_is_thrown_comes_in_where_and_as_fast_as_it_was_thrown_and_hits() -> None:
    """Ballistic until it hits: x = x0 + v t - g t^2 / 2, and g t h / 2 more by semi-implicit substeps of h."""
    document = shot(box("wall", (0, 1, 0), (0.4, 2, 2)), ball("stone", (9, 9, 9), 0.25), frames=16)
    prepared = prepare(document, reserve=("stone",))
    run = Run(prepared.shot, prepared.model, prepared.state)
    first = run.opening()
    assert first.state[1] == PieceState.REMOVED
    assert run.advance().state[1] == PieceState.REMOVED
    throw = Throw("stone", (-4.0, 1.0, 0.0), (20.0, 2.0, 0.0), (0.0, 3.0, 0.0))
    got = [run.advance(Control(thrown=(throw,))), *(run.advance() for _ in range(12))]
    time = np.arange(1, 4) / 24
    fall = 0.5 * 9.81 * time * (time + 1 / (24 * 16))
    want = np.stack([-4 + 20 * time, 1 + 2 * time - fall], axis=1)
    assert np.array([f.position[1, :2] for f in got[:3]]) == pytest.approx(want, abs=2e-4)
    assert got[-1].position[0, 0] > 0.05  # the wall was hit
    assert prepared.state.assemblies.mass[1] == pytest.approx(prepared.model.pieces.mass[1])
    again = prepare(document, reserve=("stone",))
    recorded = from_json(to_json(run.recording))
    assert recorded == run.recording
    repeated = list(run_with(again, recorded, 14))
    assert all(same(a, b) for a, b in zip(repeated[1:], got, strict=True))


def test_a_grip_holds_a_piece_where_it_is_wanted_and_lets_go() -> None:
    """Critically damped: after a second less than a thousandth of the way is left, and nothing swings past."""
    prepared = prepare(shot(box("crate", (0, 0.5, 0))))
    run = Run(prepared.shot, prepared.model, prepared.state)
    way = [run.advance(Control(grips=(Grip(0, (2.0, 3.0, 0.0)),))), *(run.advance() for _ in range(35))]
    path = np.array([f.position[0] for f in way])
    assert path[-1] == pytest.approx([2, 3, 0], abs=4e-3) and path[:, 0].max() < 2.01
    assert (np.diff(path[:20, 0]) > 0).all()
    fallen = [run.advance(Control(grips=(Grip(0, None),))), *(run.advance() for _ in range(4))][-1]
    assert fallen.position[0, 1] == pytest.approx(3 - 0.5 * 9.81 * (5 / 24) ** 2, abs=0.02)


def test_a_grip_of_a_bonded_piece_carries_its_whole_assembly_without_turning_it() -> None:
    prepared = prepare(shot(pillar(), gravity=[0, 0, 0], ground={"on": False}))
    run = Run(prepared.shot, prepared.model, prepared.state)
    before = run.opening().position
    piece = int(np.argmax(before[:, 1]))
    target = before[piece] + [1.0, 0.0, 0.5]
    frame = [run.advance(Control(grips=(Grip(piece, tuple(target.tolist())),))), *(run.advance() for _ in range(30))][
        -1
    ]
    assert frame.position - before == pytest.approx(np.tile([1.0, 0.0, 0.5], (24, 1)), abs=5e-3)
    assert np.abs(frame.orientation - [0, 0, 0, 1]).max() < 1e-6


@pytest.mark.parametrize(
    ("control", "says"),
    [
        (Control(fired=("gale",)), "no field 'gale'"),
        (Control(fired=("breeze",)), "no cue by hand"),
        (Control(numbers={"fields.breeze.effect.colour": 1.0}), "no 'colour'"),
        (Control(numbers={"fields.gale.effect.amount": 1.0}), "no 'gale'"),
        (Control(numbers={"ground.height": 1.0}), "must begin with"),
        (Control(numbers={"fields.breeze.effect.amount": float("nan")}), "must be a number"),
        (Control(thrown=(Throw("stone", (0, 1, 0)),)), "not in the reserve"),
        (Control(thrown=(Throw("nobody", (0, 1, 0)),)), "no body 'nobody'"),
        (Control(grips=(Grip(99, (0, 0, 0)),)), "no piece 99"),
    ],
)
def test_what_cannot_be_done_says_so_and_is_not_recorded(control: Control, says: str) -> None:
    prepared = prepare(scene())
    run = Run(prepared.shot, prepared.model, prepared.state)
    with pytest.raises(InputError, match=says):
        run.advance(control)
    assert run.recording == {} and run.advance().index == 1


@pytest.mark.parametrize(
    "wrong",
    [
        Control(thrown=(Throw("stone", (0, 5, 0)),), grips=(Grip(99, (0, 0, 0)),)),
        Control(thrown=(Throw("stone", (0, 5, 0)), Throw("stone", (0, 6, 0)))),
        Control(thrown=(Throw("stone", (0, float("nan"), 0)),)),
        Control(grips=(Grip(0, (0, 0, 0)), Grip(0, (0, float("inf"), 0)))),
    ],
)
def test_where_a_part_of_it_cannot_be_done_nothing_is(wrong: Control) -> None:
    prepared = prepare(shot(box("crate", (0, 0.5, 0)), ball("stone", (9, 9, 9), 0.25)), reserve=("stone",))
    run = Run(prepared.shot, prepared.model, prepared.state)
    before = prepared.state.pack()
    with pytest.raises(InputError):
        run.advance(wrong)
    assert prepared.state.pack() == before


def test_a_body_that_is_not_there_cannot_be_kept_in_reserve() -> None:
    with pytest.raises(InputError, match="no body 'boulder'"):
        prepare(scene(), reserve=("boulder",))


def test_what_is_written_into_a_document_leaves_the_document_alone() -> None:
    document = scene()
    before = document.model_dump_json()
    kept = written_in(document, DONE)
    assert document.model_dump_json() == before
    breeze = next(f for f in kept.fields if f.name == "breeze")
    keys = [(k.time, k.value, k.how) for k in breeze.channels[0].keys]
    assert keys == [(0.0, 0.5, "step"), (0.125, 6.0, "step"), (0.5, -4.0, "step")]
    assert next(f for f in kept.fields if f.name == "blow").cue.times == [0.25, 0.5]
    assert Shot.model_validate(kept.model_dump(mode="json")).fields[1].cue.times == [0.25, 0.5]


def test_a_number_of_a_falloff_that_others_use_changes_them_all() -> None:
    shared = {"name": "near", **reach_box((0, 0, 0), (1, 1, 1))}
    push = {"name": "push", "effect": {"kind": "push", "amount": 3, "direction": [0, 0, 1]}, "reach": {"use": "near"}}
    push |= {"cue": {"kind": "span", "start": 0.0}}
    document = shot(box("crate", (4, 0.5, 0), material={"friction": 0.0}), fields=(push,), falloffs=[shared], frames=12)
    recording = {5: Control(numbers={"falloffs.near.layers.0.shape.center.0": 4.0})}
    live = list(run_with(prepare(document), recording, 12))
    assert live[3].position[0, 2] == 0.0 and live[-1].position[0, 2] > 0.05
    kept = prepare(written_in(document, recording))
    baked = list(frames(kept.shot, kept.model, kept.state, 12))[1:]
    assert all(same(a, b) for a, b in zip(live, baked, strict=True))
