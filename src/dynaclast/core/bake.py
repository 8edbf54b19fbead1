"""A whole bake in memory: document in, arrays and events out."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from .document import Shot
from .formats.frames import Baked
from .fracture.build import Resolve, no_files
from .fracture.deforming import shapes
from .solve.frame import STATE_NAMES, Frame
from .solve.loop import frames
from .solve.model import Model
from .solve.prepare import prepare


def collect(shot: Shot, model: Model, got: list[Frame]) -> Baked:
    """Frames in order as one set of arrays."""
    arrays = {name: np.array([f.arrays[name] for f in got]) for name in got[0].arrays}
    return Baked(
        np.array([f.index / shot.timing.fps for f in got]),
        arrays.pop("position"),
        arrays.pop("orientation"),
        arrays.pop("state"),
        model.pieces.body,
        model.pieces.mass,
        model.body_names,
        STATE_NAMES,
        {key: np.array([f.stats[key] for f in got]) for key in got[0].stats},
        [e for f in got for e in f.events],
        arrays,
        [item.name for item in shot.fields],
        {} if model.deformables is None else shapes({d.name: d for d in model.deformables.drawn}),
    )


def bake(
    shot: Shot,
    *,
    frame_count: int | None = None,
    resolve: Resolve = no_files,
    on_frame: Callable[[Frame, int], None] | None = None,
) -> Baked:
    """Bake a shot from its opening pose.

    frame_count : instead of the document's; on_frame : told each frame and the total
    """
    prepared = prepare(shot, resolve)
    total = shot.timing.frames if frame_count is None else frame_count
    got: list[Frame] = []
    for frame in frames(prepared.shot, prepared.model, prepared.state, total):
        got.append(frame)
        if on_frame:
            on_frame(frame, total)
    return collect(shot, prepared.model, got)
