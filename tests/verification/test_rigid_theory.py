"""Closed forms and conservation laws only. Each test states its formula; tolerances are those of the design."""

from __future__ import annotations

import numpy as np
import pytest

from dynaclast.core.bake import bake
from dynaclast.core.formats.frames import Baked
from dynaclast.core.fracture.build import build_pieces
from dynaclast.core.geometry.rotations import rotation_matrix
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.prepare import prepare
from overlap import Solids
from shots import ball, blow, box, footing, pillar, run, shot

G = 9.81


def test_free_fall() -> None:
    """y = y0 + v t - g t^2 / 2 (1 %)."""
    baked = run(ball("a", (0, 50, 0), velocity=[2, 3, 0]), frames=48)
    t = baked.time[-1]
    assert baked.position[-1, 0, 1] - 50 == pytest.approx(3 * t - G * t * t / 2, rel=0.01)
    assert baked.position[-1, 0, 0] == pytest.approx(2 * t, rel=1e-5)


@pytest.mark.parametrize("share", [0.0, 0.5, -0.25])
def test_a_body_falls_by_its_share_of_gravity(share: float) -> None:
    """y = y0 - s g t^2 / 2 (1 %); energy stays, its own share counted."""
    baked = run(ball("a", (0, 50, 0), gravity=share), ball("b", (5, 50, 0)), frames=48)
    t = baked.time[-1]
    assert baked.position[-1, 0, 1] - 50 == pytest.approx(-share * G * t * t / 2, rel=0.01, abs=1e-9)
    assert np.abs(np.diff(baked.stats["energy"])).max() < 1e-3 * abs(baked.stats["energy"][0])


@pytest.mark.parametrize("bounce", [0.3, 0.6, 0.9])
def test_bounce_height(bounce: float) -> None:
    """A ball dropped from h rises to e^2 h (1 % of h)."""
    h = 2.0
    baked = run(ball("a", (0, h + 0.5, 0), material={"bounce": bounce}), frames=60, quality="fine")
    y = baked.position[:, 0, 1] - 0.5
    landing = int(np.argmin(y[: int(0.8 * 24)]))
    assert y[landing + 1 :].max() == pytest.approx(bounce**2 * h, abs=0.01 * h)


@pytest.mark.parametrize(("degrees", "slips"), [(29.5, False), (32.5, True)])
def test_a_block_slips_where_the_slope_exceeds_friction(degrees: float, slips: bool) -> None:
    """It slips beyond tan a = mu; here mu = 0.6, a = 30.96 degrees."""
    a = np.radians(degrees)
    q = [0, 0, float(np.sin(a / 2)), float(np.cos(a / 2))]
    up = np.array([-np.sin(a), np.cos(a), 0])
    ramp = box("ramp", (0, 0, 0), (40, 2, 10), role="passive", place={"rotation": q, "position": [0, 0, 0]})
    block = box("block", tuple(up * 1.5), place={"rotation": q, "position": list(up * 1.5)})
    baked = run(ramp, block, frames=48, ground={"on": False})
    distance = float(np.linalg.norm(baked.position[-1, 1] - baked.position[0, 1]))
    if slips:
        # s = (g sin a - mu g cos a) t^2 / 2
        assert distance == pytest.approx((np.sin(a) - 0.6 * np.cos(a)) * G * 4 / 2, rel=0.1)
    else:
        assert distance < 0.01


def test_free_spin_keeps_angular_momentum_and_energy() -> None:
    """Torque-free: L constant, energy within 0.1 % over 10 s, for a tumbling box (Dzhanibekov axis)."""
    scene = shot(
        box("a", (0, 0, 0), (1, 2, 0.5), spin=[0.02, 0.01, 3.0]), gravity=[0, 0, 0], ground={"on": False}, frames=240
    )
    prepared = prepare(scene)
    state, model = prepared.state, prepared.model

    def measure() -> tuple[np.ndarray, float]:
        m = rotation_matrix(state.assemblies.orientation[0])
        inertia = m @ state.assemblies.inertia[0] @ m.T
        w = state.assemblies.angular_velocity[0]
        return inertia @ w, float(w @ inertia @ w)

    l0, e0 = measure()
    stepper = Run(scene, model, state)
    for _ in range(240):
        stepper.advance()
    l1, e1 = measure()
    assert l1 == pytest.approx(l0, rel=1e-9, abs=1e-9 * np.linalg.norm(l0)) and e1 == pytest.approx(e0, rel=1e-3)


def test_a_split_keeps_momentum_and_angular_momentum() -> None:
    """Sum of m v and of r x m v + I w over the parts equals that of the whole (1e-9)."""
    body = box(
        "bar",
        (0, 5, 0),
        (4, 1, 1),
        pattern={"kind": "cells", "count": 30, "seed": 2},
        bonds={"strength": 10, "unit": "kN"},
        velocity=[1, 2, 3],
        spin=[0.5, -0.7, 2.0],
    )
    scene = shot(body, fields=(blow(20, (0, 5, 0), 50),), gravity=[0, 0, 0], ground={"on": False})
    prepared = prepare(scene)
    state, model = prepared.state, prepared.model

    def momenta() -> tuple[np.ndarray, np.ndarray]:
        asm = state.assemblies
        p, angular = np.zeros(3), np.zeros(3)
        for a in np.unique(state.piece_assembly):
            m = rotation_matrix(asm.orientation[a])
            p += asm.mass[a] * asm.velocity[a]
            angular += (
                np.cross(asm.position[a], asm.mass[a] * asm.velocity[a])
                + m @ asm.inertia[a] @ m.T @ asm.angular_velocity[a]
            )
        return p, angular

    stepper = Run(scene, model, state)
    stepper.advance()
    p0, l0 = momenta()
    assert len(np.unique(state.piece_assembly)) == 1
    stepper.fields.act(24)
    assert len(np.unique(state.piece_assembly)) == 30
    p1, l1 = momenta()
    assert p1 == pytest.approx(p0, rel=1e-9) and l1 == pytest.approx(l0, rel=1e-9)


def test_a_tower_of_ten_stands() -> None:
    """Ten cubes for 10 s: lean below 1 mm, all asleep."""
    baked = run(*(box(f"c{k}", (0, 0.5 + k, 0)) for k in range(10)), frames=240)
    top = baked.position[-1, 9]
    assert np.hypot(top[0], top[2]) < 1e-3 and 9.5 - top[1] < 5e-3
    assert (baked.state[-1] == 1).all()


def test_heavy_stands_on_light() -> None:
    """100 : 1 rests within a centimetre and does not creep."""
    baked = run(
        box("light", (0, 0.5, 0), material={"density": 10}),
        box("heavy", (0, 1.5, 0), material={"density": 1000}),
        frames=120,
    )
    assert baked.position[-1, 1] == pytest.approx([0, 1.5, 0], abs=0.01)
    assert np.abs(baked.position[-1] - baked.position[60]).max() < 1e-3


def test_an_island_with_an_anchor_stays_and_the_last_tie_lets_it_fall() -> None:
    """Cut everything but one bond: it stays. Cut that too: only then it falls, and only what hung on it."""
    for cut, falls in ((False, False), (True, True)):
        scene = shot(
            pillar(), fields=(footing(),), frames=12, gravity=[0, G, 0]
        )  # upwards, so that the top has nothing to rest on
        prepared = prepare(scene)
        model, state = prepared.model, prepared.state
        piece = int(np.argmax(model.pieces.rest_center[:, 1]))
        own = model.bonds.link[model.bonds.link_start[piece] : model.bonds.link_start[piece + 1]]
        stepper = Run(scene, model, state)
        load = np.zeros(len(model.bonds.area))
        load[own if cut else own[:-1]] = 1e9
        stepper.bonds.break_overloaded(load, lambda _: [{"field": "hand", "load": 1.0}])
        frames = [stepper.advance() for _ in range(12)]
        moved = np.linalg.norm(frames[-1].position - model.pieces.rest_center, axis=1)
        assert np.delete(moved, piece).max() == pytest.approx(0, abs=1e-6)
        # g t^2 / 2 = 1.23 m for a piece that leaves freely; it may rub along its neighbours
        assert 0.8 < moved[piece] < 1.24 if falls else moved[piece] < 1e-6


def test_nothing_moves_before_its_cue_and_energy_never_grows_after() -> None:
    scene = shot(
        pillar(),
        box("cap", (0, 3.15, 0), (1.4, 0.3, 1.4)),
        fields=(footing(), blow(1500, (0, 2, 0), 0.9, 0.5)),
        frames=120,
    )
    built = [build_pieces(b) for b in scene.bodies]
    baked = bake(scene)
    assert np.abs(baked.position[:12] - baked.position[0])[:, : built[0].count].max() == 0
    energy = baked.stats["energy"]
    assert np.diff(energy[13:]).max() <= 1e-4 * abs(energy[13])
    assert baked.stats["moving"][-1] == 0
    # at rest no corner is more than 5 mm under the ground, by the pieces' own meshes
    low, first = 0.0, 0
    for pieces in built:
        for p in range(pieces.count):
            turned = (pieces.mesh(p).vertices - pieces.center[p]) @ rotation_matrix(baked.orientation[-1, first + p]).T
            low = min(low, float(turned[:, 1].min() + baked.position[-1, first + p, 1]))
        first += pieces.count
    assert low > -5e-3


def test_loose_pieces_that_tile_are_not_pushed_apart() -> None:
    """A wall of unbonded cells standing on the ground stays where it is (P1)."""
    wall = box(
        "wall", (0, 1, 0), (3, 2, 0.6), pattern={"kind": "cells", "count": 40, "seed": 3}, material={"friction": 0.9}
    )
    baked = run(wall, frames=2, ground={"friction": 0.9})
    assert np.abs(baked.position[2] - baked.position[0]).max() < 0.02 and baked.stats["top_speed"][1:].max() < 0.3


def test_rubble_does_not_sink_into_itself() -> None:
    """A wall of loose cells struck by a ball: overlap of the pieces, by code that shares nothing with the solver."""
    wall = box("wall", (0, 1, 0), (3, 2, 0.5), pattern={"kind": "cells", "count": 60, "seed": 3})
    scene = shot(wall, ball("ball", (0, 1, -2), 0.4, velocity=[0, 0, 9]), frames=150)
    baked, solids = bake(scene), Solids(scene)
    deepest = [
        max(solids.overlaps(baked.position[f].astype(float), baked.orientation[f].astype(float)).values(), default=0.0)
        for f in range(24, 151, 3)
    ]
    assert max(deepest) < 25e-3 and deepest[-1] < 5e-3
    assert (baked.state[-1, :60] == 1).all()


def test_the_same_shot_is_the_same_to_the_bit() -> None:
    one, two = (run(pillar(), fields=(footing(), blow(1500, (0, 2, 0), 0.9, 0.2)), frames=30) for _ in range(2))
    assert (
        one.position.tobytes() == two.position.tobytes()
        and one.orientation.tobytes() == two.orientation.tobytes()
        and one.events == two.events
    )


@pytest.mark.parametrize("scale", [1 / 64, 64.0])
def test_small_and_large_bounce_alike_under_the_same_gravity(scale: float) -> None:
    """What is s times as large moves the square root of s as slow (Froude), down to the last of its bounces (P11)."""

    def of(s: float) -> Baked:
        falls = ball(
            "ball", (0, 1.5 * s, 0), 0.5 * s, velocity=[0.3 * float(np.sqrt(s)), 0, 0], material={"bounce": 0.5}
        )
        return run(
            falls,
            box("floor", (0, -0.1 * s, 0), (9 * s, 0.2 * s, 9 * s), role="passive"),
            frames=40,
            timing={"fps": 24 / float(np.sqrt(s))},
        )

    def peaks(baked: Baked, s: float) -> np.ndarray:
        y = baked.position[:, 0, 1].astype(float) / s - 0.5
        return y[1:-1][(y[1:-1] > y[:-2]) & (y[1:-1] >= y[2:]) & (y[1:-1] > 0.02)]

    one, other = peaks(of(1.0), 1.0), peaks(of(scale), scale)
    assert (
        len(one) >= 2 and len(other) >= 2 and other[:2] == pytest.approx(one[:2], rel=0.15)
    )  # substeps do not shrink with size


@pytest.mark.parametrize("scale", [0.02, 1.0, 50.0])
def test_small_and_large_come_to_rest_alike(scale: float) -> None:
    """Tolerances follow size (P11): a stack scaled by s under gravity g s falls the same way."""
    bodies = [box(f"c{k}", (0.1 * k * scale, (0.5 + 1.05 * k) * scale, 0), (scale,) * 3) for k in range(4)]
    baked = run(*bodies, gravity=[0, -G * scale, 0], frames=96)
    assert (baked.state[-1] == 1).all()
    assert baked.position[-1, 3, 1] / scale == pytest.approx(3.5, abs=0.01)
