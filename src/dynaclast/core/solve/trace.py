"""What loads the bonds of one piece at a frame of a run, and from where."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..document import Shot
from .load_paths import BondLoad
from .loop import Run
from .model import LoadPath, Model
from .state import State


def loads_at(shot: Shot, model: Model, state: State, frame: int, piece: int) -> list[BondLoad]:
    """Loads on the bonds that a piece has when a frame begins, of all that acts on its assembly then but hits; the
    fullest bond first. Bodies whose load path is off are followed too, which changes nothing in how they move.

    state : at the frame before or any earlier, advanced in place
    """
    run = Run(shot, replace(model, load_path=np.maximum(model.load_path, np.uint8(LoadPath.ON))), state)
    if frame == 0:
        run.opening()
        return run.load_paths.loads_on(piece)
    while state.frame < frame - 1:
        run.advance()
    run.load_paths.watch(piece)
    run.advance()
    return run.load_paths.watched
