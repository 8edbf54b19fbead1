"""Shapes a document can name, surfaces of falloffs, and expressions: against closed forms."""

from __future__ import annotations

import math

import numpy as np
import pytest

from dynaclast.core.errors import GeometryError
from dynaclast.core.falloff.formula import formula, is_number
from dynaclast.core.geometry import primitives
from dynaclast.core.geometry.check import diagnose
from dynaclast.core.geometry.isosurface import level_surface
from dynaclast.core.geometry.mass import mass_properties, signed_volume
from dynaclast.core.geometry.mesh import TriMesh


def ngon(radius: float, sides: int) -> float:
    """Area of a regular polygon [m2]."""
    return 0.5 * sides * radius**2 * math.sin(2 * math.pi / sides)


def frustum(low: float, high: float, height: float, sides: int) -> float:
    """Volume between two regular polygons [m3]."""
    return height / 3 * (ngon(low, sides) + ngon(high, sides) + ngon(math.sqrt(low * high), sides))


SHAPES = {
    "box": (primitives.box((1.2, 0.7, 2.1), (2, 3, 1)), 1.2 * 0.7 * 2.1),
    "sheet": (primitives.sheet((2.0, 3.0), 0.1), 0.6),
    "cylinder": (primitives.cylinder(0.8, 2.0, segments=20), 2 * ngon(0.8, 20)),
    "tapered cylinder": (primitives.cylinder(0.8, 2.0, taper=0.25, segments=20), frustum(0.8, 0.2, 2.0, 20)),
    "cone": (primitives.cone(0.9, 1.5, segments=16, divisions=3), 0.5 * ngon(0.9, 16)),
    "tube": (primitives.tube(1.0, 0.2, 3.0, segments=24), 3 * (ngon(1.0, 24) - ngon(0.8, 24))),
}


@pytest.mark.parametrize("name", SHAPES)
def test_a_shape_is_closed_looks_outwards_and_has_the_volume_of_its_formula(name: str) -> None:
    mesh, volume = SHAPES[name]
    assert diagnose(mesh) == []
    assert signed_volume(mesh) == pytest.approx(volume, rel=1e-9)
    assert mesh.vertices.mean(axis=0)[[0, 2]] == pytest.approx([0, 0], abs=1e-12)  # upright, about the axis


@pytest.mark.parametrize(("segments", "share"), [(16, 0.10), (64, 0.007)])
def test_round_shapes_come_to_the_round_ones_volume(segments: int, share: float) -> None:
    ball = signed_volume(primitives.sphere(1.3, segments)) / (4 / 3 * math.pi * 1.3**3)
    ring = signed_volume(primitives.torus(2.0, 0.4, segments, segments)) / (2 * math.pi**2 * 2.0 * 0.4**2)
    assert 1 - share < ball < 1 and 1 - share < ring < 1


def test_a_ring_spins_about_its_axis_as_the_textbook_says() -> None:
    """I = m (R^2 + 3/4 r^2) about the axis, m (R^2 / 2 + 5/8 r^2) across it."""
    found = mass_properties(primitives.torus(2.0, 0.5, 96, 48))
    about, across = found.inertia[1, 1] / found.volume, found.inertia[0, 0] / found.volume
    assert about == pytest.approx(4 + 0.75 * 0.25, rel=5e-3) and across == pytest.approx(2 + 0.625 * 0.25, rel=5e-3)


def test_the_surface_of_a_falloff_is_where_it_has_the_level() -> None:
    def value(points: np.ndarray) -> np.ndarray:
        return np.clip(1.5 - np.linalg.norm(points - [1, 2, 3], axis=1), 0, 1)

    ball = level_surface(value, 0.5, (1, 2, 3), (3, 3, 3), 40)
    assert signed_volume(ball) == pytest.approx(4 / 3 * math.pi, rel=0.01)
    assert np.linalg.norm(ball.vertices - [1, 2, 3], axis=1) == pytest.approx(1.0, abs=0.01)
    half = level_surface(value, 0.5, (1, 2, 4), (3, 3, 2), 40)  # the box ends at its middle: cut clean and closed
    assert signed_volume(half) == pytest.approx(2 / 3 * math.pi, rel=0.02)
    assert diagnose(half) == []
    with pytest.raises(GeometryError, match=r"nowhere above 0\.9"):
        level_surface(lambda p: np.full(len(p), 0.2), 0.9, (0, 0, 0), (1, 1, 1), 10)


EXPRESSIONS = {
    "x + 2*y - z/4": lambda x, y, z: x + 2 * y - z / 4,
    "min(x, min(y, z))": min,
    "clamp(x, 0.2, 0.7)": lambda x, y, z: min(max(x, 0.2), 0.7),
    "mix(x, y, 0.25)": lambda x, y, z: x + 0.25 * (y - x),
    "step(0.5, x)": lambda x, y, z: float(x >= 0.5),
    "smooth(0, 1, x)": lambda x, y, z: x * x * (3 - 2 * x),
    "sqrt(x*x + y*y) / 2": lambda x, y, z: math.hypot(x, y) / 2,
    "(x < y) * z": lambda x, y, z: (x < y) * z,
    "abs(sin(6*x)) * 0.5": lambda x, y, z: abs(math.sin(6 * x)) * 0.5,
    "x % 0.3": lambda x, y, z: x % 0.3,
}


@pytest.mark.parametrize("text", EXPRESSIONS)
def test_an_expression_gives_what_plain_arithmetic_does(text: str) -> None:
    rng = np.random.default_rng(2)
    points = rng.uniform(0, 1, (40, 3))
    got = formula(text, {"x": points[:, 0], "y": points[:, 1], "z": points[:, 2]}, 40)
    wanted = [min(1.0, max(0.0, EXPRESSIONS[text](*p))) for p in points.tolist()]
    assert got == pytest.approx(wanted, abs=1e-12)


def test_what_is_no_number_counts_as_nothing_and_what_is_endless_as_all() -> None:
    names = {"x": np.array([-1.0, 0.0, 4.0])}
    assert formula("sqrt(x)", names, 3).tolist() == [0.0, 0.0, 1.0]
    assert formula("1 / x", names, 3).tolist() == [0.0, 1.0, 0.25]
    assert is_number("sqrt(x)", names, 3) and not is_number("sqrt(x)", {"x": np.array([-1.0, -2.0])}, 2)


def test_a_mesh_that_looks_inwards_has_a_negative_volume() -> None:
    mesh = primitives.box((1, 2, 3))
    assert signed_volume(TriMesh(mesh.vertices, mesh.faces[:, ::-1])) == pytest.approx(-6)
