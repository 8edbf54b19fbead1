"""Falloff layers: kernel against plain functions, blend formulas, expressions, sources and memory."""

from __future__ import annotations

import base64
import io

import numpy as np
import pytest
from PIL import Image
from scipy.io import wavfile

from dynaclast.core.document import Falloff, SharedFalloff
from dynaclast.core.document.expression import ExpressionError, read
from dynaclast.core.errors import InputError
from dynaclast.core.falloff import EvaluationContext, value
from dynaclast.core.falloff.profile import BLEND, profile_value
from dynaclast.core.falloff.shapes import across_edge
from dynaclast.core.falloff.value import color
from dynaclast.core.geometry import primitives
from dynaclast.core.geometry.tree import MeshDistance

POINTS = np.random.default_rng(7).uniform(-4, 4, (3000, 3))
TURN = [0.1825742, 0.3651484, 0.5477226, 0.7302967]
SHAPES = [
    {"kind": "sphere", "center": [1, 0, 0], "core": 1, "edge": 2},
    {"kind": "box", "center": [0, 1, 0], "rotation": TURN, "core": [2, 3, 1], "edge": 1.5},
    {"kind": "plane", "normal": [1, 2, 0], "edge": 2},
    {"kind": "cylinder", "rotation": TURN, "core": 1, "height": 3, "edge": 1},
    {"kind": "capsule", "rotation": TURN, "core": 0.5, "height": 3, "edge": 2},
    {"kind": "cone", "rotation": TURN, "core": 2, "height": 3, "edge": 1},
    {"kind": "torus", "rotation": TURN, "ring": 2, "core": 0.5, "edge": 0.7},
    {"kind": "everywhere"},
]


def falloff(*layers: dict, **more: object) -> Falloff:
    return Falloff.model_validate({"layers": list(layers), **more})


@pytest.mark.parametrize("shape", SHAPES, ids=lambda s: s["kind"])
@pytest.mark.parametrize(
    "profile", ["linear", "smooth", "sharp", "round", [[0, 1], [0.3, 0.9], [0.6, 0.2], [1, 0]]], ids=str
)
def test_the_kernel_gives_what_the_plain_functions_give(shape: dict, profile: object) -> None:
    one = falloff({"shape": shape, "profile": profile})
    plain = profile_value(one.layers[0].profile, across_edge(one.layers[0].shape, POINTS))
    assert value(one, POINTS) == pytest.approx(plain, abs=1e-12)


@pytest.mark.parametrize(
    "shape", [s for s in SHAPES if s["kind"] not in ("everywhere", "plane")], ids=lambda s: s["kind"]
)
def test_distance_outside_a_core_is_that_to_its_nearest_point(shape: dict) -> None:
    """Against points sampled from the inside of the core."""
    from dynaclast.core.falloff.shapes import DISTANCE

    one = falloff({"shape": shape}).layers[0].shape
    cloud = np.random.default_rng(1).uniform(-5, 5, (400_000, 3))
    inside = cloud[DISTANCE[one.kind](one, cloud) <= 0]
    asked = POINTS[:60]
    d = DISTANCE[one.kind](one, asked)
    nearest = np.array([np.sqrt(((inside - p) ** 2).sum(axis=1).min()) for p in asked])
    out = d > 0.15
    assert (nearest[out] >= d[out] - 1e-9).all() and (nearest[out] - d[out]).max() < 0.25


def test_blend_modes_are_the_published_ones() -> None:
    """W3C Compositing and Blending, level 1, with both layers opaque; then half opacity."""
    a, b = 0.3, 0.6
    wanted = {
        "normal": b,
        "max": 0.6,
        "min": 0.3,
        "add": 0.9,
        "subtract": 0.0,
        "multiply": 0.18,
        "screen": 0.72,
        "overlay": 0.36,
    }
    assert set(wanted) == set(BLEND)
    for blend, result in wanted.items():
        for opacity in (1.0, 0.5):
            two = falloff(
                {"shape": {"kind": "everywhere"}, "high": a},
                {"shape": {"kind": "everywhere"}, "high": b, "blend": blend, "opacity": opacity},
            )
            assert value(two, POINTS[:3]) == pytest.approx(np.full(3, a + opacity * (result - a)))


def test_limits_strength_and_low_high() -> None:
    one = falloff({"shape": SHAPES[0], "low": 0.2, "high": 0.6}, strength=2.0, limits=[0.1, 0.9])
    bare = value(falloff({"shape": SHAPES[0]}), POINTS)
    assert value(one, POINTS) == pytest.approx(np.clip(2 * (0.2 + 0.4 * bare), 0.1, 0.9))


def test_shared_falloffs_are_used_by_name() -> None:
    reef = SharedFalloff.model_validate({"name": "reef", "layers": [{"shape": SHAPES[1]}]})
    assert value(Falloff(use="reef", strength=0.5), POINTS, EvaluationContext(shared={"reef": reef})) == pytest.approx(
        0.5 * value(falloff({"shape": SHAPES[1]}), POINTS)
    )


# -------------------------------------------------------------------------------- expressions


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("1 - 2 * 0.25", 0.5),
        ("0.5 ^ 2 ^ 1", 0.25),
        ("-0.5 + 1", 0.5),
        ("(1 + 2) / 6", 0.5),
        ("7 % 4 / 6", 0.5),
        ("0.25 if 2 > 3 else 0.75", 0.75),
        ("not (1 and 0)", 1),
        ("clamp(9, 0, 0.5)", 0.5),
        ("smooth(0, 2, 1)", 0.5),
        ("step(1, 2)", 1),
        ("mix(0, 1, 0.3)", 0.3),
        ("min(0.4, max(0.1, 0.2))", 0.2),
        ("sqrt(-1)", 0),
        ("1 / 0", 1),
        ("log(0)", 0),
        ("abs(-0.5)", 0.5),
        ("frame / 48", 0.5),
        ("time", 1),
        ("pi / 4", np.pi / 4),
        ("seed / 10", 0.3),
    ],
)
def test_expressions_mean_what_arithmetic_says(text: str, wanted: float) -> None:
    one = falloff({"shape": {"kind": "expression", "text": text, "seed": 3}})
    assert value(one, POINTS[:2], EvaluationContext(time=1.0)) == pytest.approx([wanted, wanted])


def test_expressions_see_place_and_what_lies_beneath() -> None:
    two = falloff(
        {"shape": SHAPES[0]}, {"shape": {"kind": "expression", "text": "value * (y > 1) + 0.1 * (distance < 1)"}}
    )
    beneath, away = value(falloff({"shape": SHAPES[0]}), POINTS), np.linalg.norm(POINTS - [1, 0, 0], axis=1)
    assert value(two, POINTS) == pytest.approx(np.clip(beneath * (POINTS[:, 1] > 1) + 0.1 * (away < 1), 0, 1))


@pytest.mark.parametrize(
    ("text", "at"),
    [
        ("value +", 7),
        ("valu", 0),
        ("sin(1, 2)", 0),
        ("(1", 2),
        ("3 $ 4", 2),
        ("1 2", 2),
        ("__import__('os')", 11),
        ("value.real", 5),
        ("(" * 200, 60),
        ("-" * 200, 60),
    ],
)
def test_errors_point_at_the_character(text: str, at: int) -> None:
    with pytest.raises(ExpressionError) as error:
        read(text)
    assert abs(error.value.at - at) <= 1


# ------------------------------------------------------------------------------------ sources


class Standing:
    """A world of one ball-shaped mesh, shifted and turned, and three pieces."""

    mesh = MeshDistance.of(primitives.sphere(1.0, 24))

    def carried(self, body: str, point: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        return point + [0, 2, 0], np.array([0.0, 0, np.sin(np.pi / 4), np.cos(np.pi / 4)])

    def pieces(self, body: str) -> tuple[np.ndarray, np.ndarray]:
        return np.array([[0.0, 0, 0], [2, 0, 0], [0, 3, 0]]), np.array([1.0, 0.5, 0.2])

    def surface(self, body: str) -> tuple[MeshDistance, np.ndarray, np.ndarray]:
        return self.mesh, np.array([0.0, 0, 0, 1]), np.array([1.0, 0, 0])


def test_distance_to_a_mesh_and_to_pieces() -> None:
    moment = EvaluationContext(world=Standing())
    near = falloff({"shape": {"kind": "mesh", "body": "b", "core": 0.5, "edge": 2}, "profile": "linear"})
    d = np.linalg.norm(POINTS - [1, 0, 0], axis=1) - 1
    assert value(near, POINTS, moment) == pytest.approx(1 - np.clip((d - 0.5) / 2, 0, 1), abs=0.01)
    around = falloff({"shape": {"kind": "pieces", "body": "b", "edge": 1.5}, "profile": "linear"})
    middle, size = Standing().pieces("b")
    d = (np.linalg.norm(POINTS[:, None] - middle, axis=2) - 0.5 * size).min(axis=1)
    assert value(around, POINTS, moment) == pytest.approx(1 - np.clip(d / 1.5, 0, 1))
    ridden = falloff({"shape": {"kind": "box", "center": [1, 0, 0], "core": [2, 1, 1], "edge": 0, "ride": "b"}})
    put = falloff({"shape": {"kind": "box", "center": [1, 2, 0], "core": [1, 2, 1], "edge": 0}})
    assert (value(ridden, POINTS, moment) == value(put, POINTS)).all()


def test_mesh_distance_is_that_of_every_triangle() -> None:
    mesh = primitives.torus(1.5, 0.5, 24, 12)
    asked = POINTS[:80] / 2
    corners = mesh.vertices[mesh.faces]
    u, v = np.meshgrid(np.linspace(0, 1, 40), np.linspace(0, 1, 40))
    keep = u + v <= 1
    samples = (
        corners[:, 0, None]
        + u[keep][:, None] * (corners[:, 1] - corners[:, 0])[:, None]
        + v[keep][:, None] * (corners[:, 2] - corners[:, 0])[:, None]
    ).reshape(-1, 3)
    slow = np.array([np.sqrt(((samples - p) ** 2).sum(axis=1).min()) for p in asked])
    got = MeshDistance.of(mesh).signed(asked, 100.0)
    assert np.abs(np.abs(got) - slow).max() < 0.01
    inside = np.hypot(np.hypot(asked[:, 0], asked[:, 2]) - 1.5, asked[:, 1]) < 0.45
    assert (got[inside] < 0).all()


def test_a_picture_and_a_recording() -> None:
    ramp = np.tile(np.linspace(0, 255, 64).astype(np.uint8), (32, 1))
    ramp[:16] //= 2
    held = io.BytesIO()
    Image.fromarray(ramp).save(held, "PNG")
    one = falloff({"shape": {"kind": "image", "picture": base64.b64encode(held.getvalue()).decode(), "size": [4, 2]}})
    assert value(one, np.array([[0.0, -0.5, 9], [1.0, 0.5, -3], [5, 0, 0]])) == pytest.approx(
        [0.5, 0.375, 0.0], abs=0.02
    )
    rate = 8000
    t = np.arange(2 * rate) / rate
    wave = np.where(t < 1, 0.25, 1.0) * np.sin(2 * np.pi * 200 * t)
    held = io.BytesIO()
    wavfile.write(held, rate, (wave * 32000).astype(np.int16))
    loud = falloff({"shape": {"kind": "sound", "recording": base64.b64encode(held.getvalue()).decode(), "start": 1.0}})
    assert [
        float(value(loud, POINTS[:1], EvaluationContext(time=x))[0]) for x in (0.5, 1.5, 2.5, 3.5)
    ] == pytest.approx([0, 0.25, 1, 0], abs=0.01)
    for samples in (np.zeros(0, np.int16), np.array([0.1, np.nan], np.float32)):
        held = io.BytesIO()
        wavfile.write(held, rate, samples)
        with pytest.raises(InputError, match="no sound"):
            value(
                falloff({"shape": {"kind": "sound", "recording": base64.b64encode(held.getvalue()).decode()}}),
                POINTS[:1],
            )
    for kind, key in (("image", "picture"), ("sound", "recording")):
        with pytest.raises(InputError):
            value(falloff({"shape": {"kind": kind, key: "bm90IG9uZQ=="}}), POINTS[:1])


# ------------------------------------------------------------------------------------- memory


@pytest.mark.parametrize("steps", [24, 48, 192])
def test_memory_does_not_depend_on_how_often_it_is_asked(steps: int) -> None:
    """Something at 1 from 0 to 1 s, gone after: a trail rises over 0.5 s and falls over 2 s, a delay of 0.5 s follows,
    a hold stays.
    """

    def beneath(t: float) -> dict:
        return {"shape": {"kind": "everywhere"}, "high": 1.0 if t < 1.0 - 1e-9 else 0.0}

    asked = {
        "trail": [(0.25, 0.5), (0.75, 1.0), (2.0, 0.5), (3.5, 0.0)],
        "delay": [(0.25, 0.0), (1.0, 1.0), (1.25, 1.0), (2.0, 0.0)],
        "hold": [(0.5, 1.0), (3.5, 1.0)],
    }
    more = {"trail": {"rise": 0.5, "fall": 2.0}, "delay": {"by": 0.5}, "hold": {}}
    for kind, rows in asked.items():
        memory: dict[str, np.ndarray] = {}
        seen = []
        for k in range(4 * steps + 1):
            t = k / steps
            moment = EvaluationContext(time=t, memory=memory, key="me", step=1 / steps if k else 0.0)
            seen.append(
                float(value(falloff(beneath(t), {"shape": {"kind": kind, **more[kind]}}), POINTS[:1], moment)[0])
            )
        for when, wanted in rows:
            assert seen[round(when * steps)] == pytest.approx(wanted, abs=2.01 / steps), (kind, when)


def test_colours_are_laid_by_their_own_blend() -> None:
    one = falloff(
        {"shape": {"kind": "everywhere"}, "color": "#800000"},
        {"shape": {"kind": "everywhere"}, "high": 0.5, "color": "#0000ff", "color_blend": "add"},
    )
    assert color(one, POINTS[:1])[0] == pytest.approx([128 / 255, 0, 0.5], abs=1e-9)


COLOR_BLENDS = {
    "normal": lambda a, b: b,
    "max": max,
    "min": min,
    "add": lambda a, b: a + b,
    "subtract": lambda a, b: a - b,
    "multiply": lambda a, b: a * b,
    "screen": lambda a, b: 1 - (1 - a) * (1 - b),
    "overlay": lambda a, b: 2 * a * b if a < 0.5 else 1 - 2 * (1 - a) * (1 - b),
}


@pytest.mark.parametrize("how", COLOR_BLENDS)
@pytest.mark.parametrize("cover", [1.0, 0.4])
def test_colours_are_laid_over_each_other_by_their_blend(how: str, cover: float) -> None:
    """Channel by channel, W3C Compositing and Blending, as far as the layer covers."""
    below, above = (0x33, 0x99, 0xE0), (0x80, 0xCC, 0x20)
    everywhere = {"kind": "everywhere"}
    stack = falloff(
        {"shape": everywhere, "color": "#3399e0"},
        {"shape": everywhere, "color": "#80cc20", "color_blend": how, "color_opacity": cover},
    )
    wanted = []
    for a, b in zip(below, above, strict=True):
        a, b = a / 255, b / 255
        wanted.append(a + cover * (min(1.0, max(0.0, COLOR_BLENDS[how](a, b))) - a))
    assert color(stack, np.zeros((1, 3)))[0] == pytest.approx(wanted, abs=1e-12)
