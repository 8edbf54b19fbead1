"""A body that is broken and holds together goes as one that is not broken."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from deforming import EVERYWHERE
from dynaclast.core.bake import bake
from dynaclast.core.formats.frames import Baked
from shots import box, shot

EMPTY: dict[str, Any] = {"gravity": [0, 0, 0], "ground": {"on": False}}
PATTERNS = {
    "cells": {"kind": "cells", "count": 40, "seed": 3},
    "few": {"kind": "cells", "count": 5, "seed": 1},
    "slabs": {"kind": "slabs", "count": 6},
}


def middle(baked: Baked) -> np.ndarray:
    """Centre of mass (F, 3) of all pieces [m]."""
    mass = baked.piece_mass
    return np.einsum("p,fpc->fc", mass / mass.sum(), baked.position.astype(float))


def blown(wind: dict[str, Any], strength: float | None = 1e6, **more: Any) -> Baked:
    body = box("block", (0, 1, 0), (1.0, 0.7, 0.5)) | more
    if "pattern" in more and strength is not None:
        body |= {"bonds": {"strength": strength}}
    field = {"name": "wind", "effect": {"kind": "wind"} | wind, "reach": EVERYWHERE}
    return bake(shot(body, fields=[field], frames=24, **EMPTY))


@pytest.mark.parametrize("wind", [{"speed": 25}, {"speed": 40, "direction": [0.6, 0, 0.8], "lift": 0}])
@pytest.mark.parametrize("pattern", PATTERNS)
def test_a_bonded_body_meets_the_wind_with_its_outside_only(pattern: str, wind: dict[str, Any]) -> None:
    """Faces between its pieces are not in it: forty pieces were blown four times as fast as one."""
    whole, broken = middle(blown(wind)), middle(blown(wind, pattern=PATTERNS[pattern]))
    far = np.linalg.norm(whole[-1] - whole[0])
    assert far > 0.15
    assert broken - broken[0] == pytest.approx(whole - whole[0], abs=0.05 * far)


def test_pieces_that_come_apart_meet_it_with_all_their_faces() -> None:
    together = middle(blown({"speed": 25}, pattern=PATTERNS["cells"]))
    apart = middle(blown({"speed": 25}, strength=None, pattern=PATTERNS["cells"]))
    assert apart[-1, 0] - apart[0, 0] > 2.0 * (together[-1, 0] - together[0, 0])
