"""A run, gone on from states it stored on its way."""

from __future__ import annotations

from dynaclast.core.document import Shot
from dynaclast.core.solve.frame import Frame
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.prepare import prepare
from dynaclast.core.solve.state import State
from shots import built_once


def same(one: Frame, other: Frame) -> bool:
    arrays = one.arrays.keys() == other.arrays.keys() and all(
        one.arrays[name].tobytes() == other.arrays[name].tobytes() for name in one.arrays
    )
    return arrays and one.events == other.events and one.stats == other.stats


def interrupted(scene: Shot, every: int) -> list[str]:
    """Run a shot, go on from the state after every so many frames up to the next one kept; what differs, in words."""
    ready = prepare(scene, get_pieces=built_once)
    going = Run(ready.shot, ready.model, ready.state)
    going.opening()
    kept: dict[int, bytes] = {}
    frames = [None]
    for frame in range(1, scene.timing.frames + 1):
        frames.append(going.advance())
        if frame % every == 0 or frame == scene.timing.frames:
            kept[frame] = going.state.pack()
    out = []
    for frame, packed in kept.items():
        later = Run(ready.shot, ready.model, State.unpack(packed))
        until = min(frame + every, scene.timing.frames)
        for k in range(frame + 1, until + 1):
            if not same(later.advance(), frames[k]):
                out.append(f"gone on from {frame}, frame {k} differs")
                break
        else:
            if later.state.pack() != kept[until]:
                out.append(f"gone on from {frame}, the state after {until} differs")
    return out
