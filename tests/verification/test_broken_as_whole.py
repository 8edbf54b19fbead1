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


def slid(mover: dict[str, Any], quality: str, **more: Any) -> Baked:
    wall = box("wall", (0, 0.5, 0), (4, 1, 1), material={"friction": 0.1}) | more
    return bake(shot(wall, mover | {"material": {"friction": 0.1}}, quality=quality, frames=22))


MOVERS = {
    "box": box("mover", (-1.5, 1.15, 0), (0.3, 0.3, 0.3), velocity=[3, 0, 0]),
    "askew": box("mover", (-1.5, 1.1, 0.1), (0.3, 0.2, 0.4), velocity=[3, 0, -0.2], spin=[0, 4, 0]),
    "rolling": {
        "name": "mover",
        "shape": {"kind": "sphere", "radius": 0.2},
        "place": {"position": [-1.5, 1.2, 0]},
        "velocity": [2, 0, 0],
        "spin": [0, 0, -10],
    },
}


@pytest.mark.parametrize("quality", ["draft", "standard", "fine"])
@pytest.mark.parametrize("mover", MOVERS)
@pytest.mark.parametrize("count", [9, 60])
def test_what_slides_over_a_bonded_wall_meets_no_edge_where_its_pieces_join(
    mover: str, quality: str, count: int
) -> None:
    """A box hopped 2 to 6 cm over them, and came 30 to 70 % of the way."""
    whole = slid(MOVERS[mover], quality).position[:, -1].astype(float)
    pattern = {"pattern": {"kind": "cells", "count": count, "seed": 5}, "bonds": {"strength": 1e6}}
    broken = slid(MOVERS[mover], quality, **pattern).position[:, -1].astype(float)
    assert whole[-1, 0] - whole[0, 0] > 1.5
    assert broken[:, 0] == pytest.approx(whole[:, 0], abs=0.01)
    assert broken[:, 1] == pytest.approx(whole[:, 1], abs=1e-3)
