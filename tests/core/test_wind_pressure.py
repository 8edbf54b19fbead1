"""What a wind presses on cloth and soft bodies as they open, against what can be said in closed form."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from deforming import EVERYWHERE, cloth, rope, soft
from dynaclast.core.fracture.build import build_pieces
from dynaclast.core.fracture.deforming import drawn_surface
from dynaclast.core.preflight.pressure import wind_pressures
from dynaclast.core.preflight.reach import lay_out, lay_out_vertices
from shots import reach_sphere, shot

FULL = 0.5 * 1.2 * 1.3 * 20.0**2
"""Pressure [Pa] where air of 1.2 kg/m3 meets a face squarely at 20 m/s."""


def pressures(*bodies: dict[str, Any], **more: Any) -> dict[str, np.ndarray]:
    air = {"speed": 20.0, "direction": [0, -1, 0], "density": 1.2, "drag": 1.3, "gusts": 0, "lift": 1}
    wind = {"name": "wind", "effect": {"kind": "wind"} | air, "reach": EVERYWHERE} | more
    scene = shot(*bodies, fields=[wind], frames=1)
    at = lay_out(scene, [build_pieces(b) for b in scene.bodies])
    return wind_pressures(scene, scene.fields[0], at, lay_out_vertices(scene, drawn_surface), drawn_surface)


@pytest.mark.parametrize("lean", [0.0, 30.0, 60.0])
def test_a_sheet_bears_pressure_by_how_squarely_it_faces_the_wind(lean: float) -> None:
    leaning = cloth("x", (0, 3, 0), (1, 1), (3, 3), place={"position": [0, 3, 0], "angles": [lean, 0, 0]})
    assert pressures(leaning)["x"] == pytest.approx(np.full(16, FULL * np.cos(np.radians(lean))))


def test_a_cube_bears_it_on_the_side_it_comes_from() -> None:
    cube = soft("x", (0, 3, 0), (1, 1, 1))
    found = pressures(cube)["x"]
    height = lay_out_vertices(shot(cube, frames=1), drawn_surface).point["x"][:, 1]
    assert (found[height < 3.4] == 0).all() and found[height > 3.4].max() > 0.3 * FULL


def test_it_fades_with_reach_and_leaves_alone_what_is_not_meant_and_ropes() -> None:
    sheet = cloth("x", (0, 3, 0), (1, 1), (3, 3))
    got = pressures(sheet, rope("y", (0, 5, 0), (1, 5, 0)), reach=reach_sphere((-0.5, 3, -0.5), 0.1))
    assert set(got) == {"x"} and (got["x"] > 0).sum() == 1
    assert (pressures(sheet, cloth("z", (5, 3, 0), (1, 1), (2, 2)), targets=["z"])["x"] == 0).all()
