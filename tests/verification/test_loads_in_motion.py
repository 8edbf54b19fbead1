"""Everything that acts on pieces flows through their bonds, held or free: against statics and dynamics by hand."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

import naive
from dynaclast.core.preflight.path_loads import path_loads
from dynaclast.core.preflight.reach import lay_out
from dynaclast.core.solve.control import Control, Grip
from dynaclast.core.solve.load_paths import Spans, balance
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.model import Motion
from dynaclast.core.solve.prepare import prepare
from dynaclast.core.solve.statics import Faces, bond_loads, inertial_loads, sections_of, structure_of
from shots import ball, box, reach_box, reach_sphere, run, shot

IN_SPACE: dict[str, Any] = {"gravity": [0, 0, 0], "ground": {"on": False}}
EVERYWHERE = reach_sphere((0, 0, 0), 1e4)
DENSITY = 2000.0


Place = tuple[float, float, float]


def bricks(name: str, at: Place, size: Place, cut: float, **more: Any) -> dict[str, Any]:
    """A bar along its longest side in pieces of one length, which fails under its loads."""
    along = int(np.argmax(size))
    brick = [cut if k == along else float(s) for k, s in enumerate(size)]
    more = {"bonds": {"strength": 1e6, "unit": "kN"}, "load_path": "fail", **more}
    material = {"density": DENSITY} | more.pop("material", {})
    return box(name, at, size, pattern={"kind": "bricks", "size": brick, "offset": 0}, material=material, **more)


def field(effect: dict[str, Any], reach: dict[str, Any] = EVERYWHERE, **more: Any) -> dict[str, Any]:
    return {"name": "field", "effect": effect, "reach": reach, "cue": {"kind": "span", "start": 0.0}} | more


def anchor(center: tuple[float, float, float], core: tuple[float, float, float], **effect: Any) -> dict[str, Any]:
    return {"name": "hold", "effect": {"kind": "anchor", "reinforce": 0, **effect}, "reach": reach_box(center, core)}


def broken(baked: Any) -> list[dict[str, Any]]:
    return [e for e in baked.events if e["kind"] == "bond_broken"]


def strength_of(kn: float) -> dict[str, Any]:
    return {"strength": kn, "unit": "kN"}


@pytest.mark.parametrize("spin", [6.0, 11.0])
@pytest.mark.parametrize(("share", "bursts"), [(0.98, False), (1.02, True)])
def test_a_spinning_rod_parts_in_its_middle_at_the_textbook_speed(spin: float, share: float, bursts: bool) -> None:
    """Tension rho w^2 L^2 / 8 in the middle, of a rod in eight pieces."""
    length, side = 4.0, 0.3
    load = DENSITY * side**2 * spin**2 * length**2 / 8 / 1000
    rod = bricks("rod", (0, 0, 0), (length, side, side), 0.5, spin=[0, spin, 0], bonds=strength_of(load / share))
    baked = run(rod, frames=6, **IN_SPACE)
    assert bool(broken(baked)) == bursts
    if bursts:
        first = broken(baked)[0]
        assert first["pieces"] == [3, 4] and first["load"] == pytest.approx(load, rel=0.005)
        assert [next(iter(c)) for c in first["causes"]] == ["motion"]


@pytest.mark.parametrize(("count", "inner"), [(12, 0.9), (36, 0.7)])
def test_a_spinning_ring_bears_rho_v2(count: int, inner: float) -> None:
    """Sectors of a ring 1 m in outer radius: every joint is pulled with rho w^2 (Ro^3 - Ri^3) / 3 times its height,
    with no bending; of a thin ring rho v^2 over the joint.
    """
    high, spin, half = 0.2, 7.0, np.pi / count
    angle = 2 * np.pi * np.arange(count) / count
    middle = 2 * np.sin(half) / (3 * half) * (1 - inner**3) / (1 - inner**2)
    mass = np.full(count, DENSITY * high * half * (1 - inner**2))

    def around(at: np.ndarray) -> np.ndarray:
        return np.stack([np.cos(at), np.zeros(count), np.sin(at)], axis=1)

    center, edge = middle * around(angle), angle + half
    piece = np.stack([np.arange(count), (np.arange(count) + 1) % count], axis=1).astype(np.int32)
    radial, normal, up = around(edge), around(edge + np.pi / 2), np.array([0.0, 1, 0])
    side, area = 1 - inner, high * (1 - inner)
    moment = area / 12 * (side**2 * np.einsum("bi,bj->bij", radial, radial) + high**2 * np.outer(up, up))
    faces = Faces(piece, (1 + inner) / 2 * radial, np.full(count, area), normal, moment)
    inertia = np.tile(np.eye(3) * 0.01, (count, 1, 1))
    none, still = np.zeros((count, 3)), np.array([0, spin, 0.0])
    resists, twists = inertial_loads(center, mass, inertia, naive.free_motion(center, mass, inertia, still, none, none))
    loads = bond_loads(
        faces, sections_of(faces), *structure_of(center, np.arange(count) == 0, faces, True).solve(resists, twists)
    )
    wanted = DENSITY * spin**2 * (1 - inner**3) / 3 * high
    assert loads == pytest.approx(np.full(count, wanted), rel=1e-6)
    speed = spin * (1 + inner) / 2
    assert wanted == pytest.approx(DENSITY * speed**2 * area, rel=0.02 + side**2 / 12)


@pytest.mark.parametrize("sides", [(0.4, 0.4), (0.6, 0.2), (0.2, 0.6)])
@pytest.mark.parametrize(("share", "breaks"), [(0.97, False), (1.03, True)])
def test_a_mast_breaks_at_its_foot_in_the_wind_that_statics_says(
    sides: tuple[float, float], share: float, breaks: bool
) -> None:
    """A mast of depth d in the wind and width b across it, held at its foot: M = q b l^2 / 2, stress 6 M / (b d^2)."""
    deep, wide = sides
    speed, density, cut, n = 40.0, 1.2, 0.5, 10
    pressure = 0.5 * density * speed**2  # the drag coefficient is 1
    moment = pressure * wide * (cut * (n - 1)) ** 2 / 2
    load = 6 * moment / deep / 1000
    mast = bricks("mast", (0, cut * n / 2, 0), (deep, cut * n, wide), cut, bonds=strength_of(load / share))
    wind = field({"kind": "wind", "speed": speed, "direction": [1, 0, 0], "density": density, "drag": 1.0, "gusts": 0})
    foot = anchor((0, 0.1, 0), (3, 0.4, 3))
    baked = run(mast, fields=(wind, foot), frames=4, gravity=[0, 0, 0], ground={"on": False})
    assert bool(broken(baked)) == breaks
    if breaks:
        assert broken(baked)[0]["pieces"] == [0, 1] and broken(baked)[0]["causes"][0]["field"] == "field"


@pytest.mark.parametrize(("share", "breaks"), [(0.98, False), (1.02, True)])
def test_a_carried_wall_breaks_at_the_acceleration_that_statics_gives(share: float, breaks: bool) -> None:
    """A post on a cart that gains speed evenly: each piece resists with m a; M = rho A a l^2 / 2 at the foot."""
    side, cut, n, way, time = 0.4, 0.5, 8, 3.0, 1.0
    a = 2 * way / time**2
    load = 6 * DENSITY * side**2 * a * (cut * (n - 1)) ** 2 / 2 / side / 1000
    post = bricks("post", (0, cut * n / 2, 0), (side, cut * n, side), cut, bonds=strength_of(load / share))
    curve = [1 / 3, 0.0, 2 / 3, 1 / 3]  # t^2
    keys = [
        {"time": 0.0, "position": [0, -1, 0], "how": "bezier", "curve": curve},
        {"time": time, "position": [way, -1, 0]},
    ]
    cart = box("cart", (0, -1, 0), (1, 0.2, 1), role="animated", motion={"keys": keys})
    hold = anchor((0, 0.1, 0), (3, 0.4, 3), hold="carried", carrier="cart")
    baked = run(post, cart, fields=({**hold, "targets": ["post"]},), frames=20, **IN_SPACE)
    assert bool(broken(baked)) == breaks
    if breaks:
        first = broken(baked)[0]
        assert first["pieces"] == [0, 1] and [next(iter(c)) for c in first["causes"]] == ["motion"]
        assert first["load"] == pytest.approx(load, rel=0.01)


def test_loads_are_balanced_as_newton_and_euler_do_it_slowly() -> None:
    """Of assemblies that spin and are forced, turned anyhow: at the opening pose, piece by piece; one is held."""
    rng = np.random.default_rng(6)
    bodies = []
    for k in range(3):
        turn = Rotation.random(random_state=k).as_quat().tolist()
        spin = rng.normal(size=3).tolist() if k < 2 else [0, 0, 0]
        bodies.append(
            box(
                f"b{k}",
                (4.0 * k, 0, 0),
                (1, 2, 1.5),
                pattern={"kind": "cells", "count": 9, "seed": k},
                bonds=strength_of(1e4),
                load_path="on",
                place={"rotation": turn},
                spin=spin,
            )
        )
    scene = shot(*bodies, fields=({**anchor((8, 0, 0), (0.8, 9, 9)), "targets": ["b2"]},), **IN_SPACE)
    ready = prepare(scene)
    going = Run(ready.shot, ready.model, ready.state)
    for _ in range(5):
        going.advance()
    pieces, asm, slots = ready.model.pieces, ready.state.assemblies, ready.state.piece_assembly
    force, torque = rng.normal(size=(27, 3)) * 500, rng.normal(size=(27, 3)) * 80
    own = np.arange(27)
    spans = Spans(np.array([0, 9, 18, 27]), slots[[0, 9, 18]].astype(np.int64))
    got_force, got_torque, most = np.empty((27, 3)), np.empty((27, 3)), np.empty(3)
    balance(spans, own, asm, pieces, force, torque, True, got_force, got_torque, most)
    for k, a in enumerate(spans.slot):
        mine = np.arange(9 * k, 9 * k + 9)
        turn = Rotation.from_quat(asm.orientation[a]).as_matrix()
        f, t = force[mine] @ turn, torque[mine] @ turn
        if asm.motion[a] == Motion.DYNAMIC:
            center, mass, inertia = pieces.rest_center[mine], pieces.mass[mine], pieces.inertia[mine]
            motion = naive.free_motion(center, mass, inertia, asm.angular_velocity[a] @ turn, f, t)
            more, twist = inertial_loads(center, mass, inertia, motion)
            f, t = f + more, t + twist
        assert got_force[mine] == pytest.approx(f, abs=1e-6) and got_torque[mine] == pytest.approx(t, abs=1e-6)
        assert np.linalg.norm(f, axis=1).max() <= most[k]
    assert asm.motion[slots[18]] == Motion.FIXED


def test_causes_name_what_bears_most_first() -> None:
    """A mast that the wind bends far more than its weight presses it: the wind is named first, the weight after it."""
    mast = bricks("mast", (0, 2, 0), (0.4, 4, 0.4), 0.5, bonds=strength_of(40), material={"density": 700})
    wind = field({"kind": "wind", "speed": 70, "direction": [1, 0, 0], "gusts": 0})
    baked = run(mast, fields=(wind, anchor((0, 0.1, 0), (3, 0.4, 3))), frames=6, ground={"on": False})
    causes = broken(baked)[0]["causes"]
    loads = [c["load"] for c in causes]
    assert causes[0]["field"] == "field" and loads == sorted(loads, reverse=True)
    assert sum(loads) == pytest.approx(broken(baked)[0]["load"], rel=0.02)
    assert sum(c["share"] for c in causes) == pytest.approx(1, abs=1e-3)


def test_a_chimney_that_falls_breaks_in_flight_below_its_middle() -> None:
    """A slender chimney tipping about its foot bends most at a third of its height (V = 0 there), where it breaks
    before it lands.
    """
    high, side, cut = 24.0, 0.8, 1.2
    weight = DENSITY * side**2 * high * 9.81
    # M = W L sin(a) / 27 when it has fallen by a; it shall break at 40 degrees
    load = 6 * weight * high * np.sin(np.deg2rad(40)) / 27 / side / 1000
    lean = np.deg2rad(15.0)
    turn = [0, 0, -float(np.sin(lean / 2)), float(np.cos(lean / 2))]
    at = (np.sin(lean) * high / 2, np.cos(lean) * high / 2 + np.sin(lean) * side / 2 + 0.001, 0)
    stack = bricks(
        "stack", at, (side, high, side), cut, place={"rotation": turn}, bonds=strength_of(load),
        material={"density": DENSITY, "friction": 1.5},
    )  # fmt: skip
    baked = run(stack, frames=90, ground={"on": True, "friction": 1.5})
    first = broken(baked)[0]
    place = (first["pieces"][0] + 1) * cut / high
    assert 0.25 <= place <= 0.5
    tip = baked.position[first["frame"], 19] - baked.position[first["frame"], 0]
    assert np.deg2rad(20) < np.arctan2(tip[0], tip[1]) < np.deg2rad(75)
    assert baked.position[first["frame"], :, 1].max() > 3  # in flight


@pytest.mark.parametrize("unit", [1.0, 500.0])
def test_a_vortex_tears_apart_what_is_bonded_too_weakly(unit: float) -> None:
    """Forty pieces at 1 kN/m2 do not turn as one in a gale of 80 m/s; at 500 times as much they do."""
    body = box(
        "tower",
        (0, 2, 0),
        (1.5, 4, 1.5),
        pattern={"kind": "cells", "count": 40, "seed": 2},
        bonds={"strength": unit, "unit": "kN/m2"},
        load_path="fail",
    )
    gale = field({"kind": "vortex", "swirl": 80, "core": 2, "grip": 0.8})
    baked = run(body, fields=(gale,), frames=36, **IN_SPACE)
    count = len(broken(baked))
    assert count > 60 if unit == 1.0 else count < 60
    if unit == 1.0:
        assert {next(iter(c)) for e in broken(baked) for c in e["causes"]} <= {"field", "motion", "weight", "impact"}


@pytest.mark.parametrize("cue", [{"kind": "span", "start": 0.25}, {"kind": "at", "time": 0.25}])
@pytest.mark.parametrize(("kn", "parts"), [(0.2, True), (4000.0, False)])
def test_a_push_on_half_of_a_bonded_wall_parts_it_or_takes_it_along(
    cue: dict[str, Any], kn: float, parts: bool
) -> None:
    wall = box(
        "wall",
        (0, 0, 0),
        (4, 2, 0.4),
        pattern={"kind": "bricks", "size": [0.5, 0.5, 0.4], "offset": 0},
        bonds=strength_of(kn),
        load_path="fail",
    )
    push = field({"kind": "push", "amount": 4.0, "direction": [0, 0, 1]}, reach_box((5, 0, 0), (9.9, 9, 9)), cue=cue)
    baked = run(wall, fields=(push,), frames=24, **IN_SPACE)
    moved = np.linalg.norm(baked.position[-1] - baked.position[0], axis=1)
    left = baked.position[0, :, 0] < -0.5
    assert bool(broken(baked)) == parts
    assert moved[left].max() < 0.15 if parts else moved[left].min() > 0.01
    assert moved[baked.position[0, :, 0] > 1].min() > 0.2


def test_what_hangs_from_a_tie_pulls_on_the_bonds_it_hangs_by() -> None:
    """A rod of four pieces held at its top, a ball of 500 kg on a string below: the lowest joint bears the ball and one
    piece, the highest all but the held piece.
    """
    side, cut = 0.3, 0.5
    rod = bricks("rod", (0, 5, 0), (side, 2, side), cut, load_path="on", bonds=strength_of(100))
    weight = ball("weight", (0, 2, 0), 0.3, material={"mass": 500})
    string = {
        "name": "string",
        "how": {"kind": "string"},
        "body": "weight",
        "to": "rod",
        "point": [0, 2, 0],
        "to_point": [0, 4.0, 0],
    }
    top = {**anchor((0, 5.9, 0), (1, 0.5, 1)), "targets": ["rod"]}
    baked = run(rod, weight, ties=[string], fields=(top,), frames=60, ground={"on": False})
    own, g = DENSITY * side**2 * cut, 9.81
    shares = baked.maps["load"][-1, :4] * 100e3
    order = np.argsort(-baked.position[0, :4, 1])
    assert shares[order[-1]] == pytest.approx((500 + own) * g, rel=0.02)
    assert shares[order[0]] == pytest.approx((500 + 3 * own) * g, rel=0.02)


def test_a_plank_across_two_trestles_breaks_in_its_middle_under_what_rests_on_it() -> None:
    """Free, not held: on two supports with a stone on its middle it bears W L / 4 and its own weight there."""
    plank = bricks("plank", (0, 1.1, 0), (4, 0.2, 0.6), 0.5, load_path="fail", bonds=strength_of(20.0))
    legs = [box(f"leg {x}", (x, 0.5, 0), (0.3, 1, 0.6), role="passive") for x in (-1.6, 1.6)]
    stone = box("stone", (0, 1.45, 0), (0.4, 0.5, 0.4), material={"density": 5000})
    whole = run({**plank, "bonds": strength_of(2e3)}, *legs, stone, frames=48)
    assert not broken(whole)
    worst = whole.maps["load"][-1, :8] * 2e3
    span, weight, own = 3.2, 5000 * 0.08 * 9.81, DENSITY * 0.2 * 0.6 * 9.81
    # supports are as wide as a leg, the stone as it is: between the two
    most = 6 * (weight * span / 4 + own * span**2 / 8) / 0.2 / 1000
    assert 0.75 * most < worst.max() < 1.02 * most and worst.argmax() in (3, 4)
    falls = run({**plank, "bonds": strength_of(0.6 * most)}, *legs, stone, frames=48)
    assert broken(falls) and set(broken(falls)[0]["pieces"]) & {3, 4}


def in_space(**more: Any) -> Any:
    """A bar of eight pieces along x, half a metre each, floating."""
    bar = bricks("bar", (0, 0, 0), (4, 0.4, 0.4), 0.5, **more)
    return prepare(shot(bar, frames=4, **IN_SPACE))


@pytest.mark.parametrize(("way", "part"), [((-1, 0, 0), 7 / 8), ((0, 1, 0), 7 / 8 * 6 * (3.5 / 2) / 0.4)])
@pytest.mark.parametrize(("share", "breaks"), [(0.98, False), (1.02, True)])
def test_a_grip_at_the_end_of_a_bar_loads_the_bond_beside_it(
    way: tuple[float, float, float], part: float, share: float, breaks: bool
) -> None:
    """Along it the pull is the mass beyond the bond times the acceleration, 7/8 m a; across it, M = 7/8 m a l / 2."""
    target = tuple(np.array([-1.75, 0, 0]) + 0.4 * np.array(way))
    probe = in_space()
    going = Run(probe.shot, probe.model, probe.state)
    going.hands.grip(Grip(0, target))  # type: ignore[arg-type]
    a = float(np.linalg.norm(going.hands.acceleration()[0]))  # type: ignore[index]
    load = part * float(probe.model.pieces.mass.sum()) * a / 1000
    ready = in_space(bonds=strength_of(load / share))
    going = Run(ready.shot, ready.model, ready.state)
    frame = going.advance(Control(grips=(Grip(0, target),)))  # type: ignore[arg-type]
    events = [e for e in frame.events if e["kind"] == "bond_broken"]
    assert bool(events) == breaks
    if breaks:
        assert events[0]["pieces"] == [0, 1] and events[0]["load"] == pytest.approx(load, rel=1e-6)
        assert [next(iter(c)) for c in events[0]["causes"]] == ["grip"]


@pytest.mark.parametrize("quality", ["draft", "standard", "fine"])
@pytest.mark.parametrize(("share", "breaks"), [(0.98, False), (1.02, True)])
def test_a_displacement_of_half_a_bar_pulls_at_its_middle(quality: str, share: float, breaks: bool) -> None:
    """Half of it is set going along it at an acceleration a, so that all goes at a / 2: the middle bears m a / 4."""
    reach = reach_box((3, 0, 0), (6, 9, 9))
    shift = field({"kind": "displace", "offset": [0.3, 0, 0]}, reach)

    def held_to(strength: float) -> Any:
        bar = bricks("bar", (0, 0, 0), (4, 0.4, 0.4), 0.5, bonds=strength_of(strength))
        return prepare(shot(bar, fields=(shift,), quality=quality, frames=1, **IN_SPACE))

    ready = held_to(1e6)
    step = ready.model.settings.interval
    load = float(ready.model.pieces.mass.sum()) * 0.3 / step**2 / 4 / 1000
    ready = held_to(load / share)
    events = [e for e in Run(ready.shot, ready.model, ready.state).advance().events if e["kind"] == "bond_broken"]
    assert bool(events) == breaks
    if breaks:
        assert events[0]["pieces"] == [3, 4] and events[0]["load"] == pytest.approx(load, rel=1e-6)
        assert events[0]["causes"][0]["field"] == "field"


FIELDS_ON_BONDS: dict[str, tuple[dict[str, Any], dict[str, Any]]] = {
    "push over time": ({"kind": "push", "amount": 30, "direction": [1, 0, 0.3]}, {"kind": "span", "start": 0}),
    "push as a blow": ({"kind": "push", "amount": 2, "direction": [1, 0, 0.3]}, {"kind": "at", "time": 0}),
    "burst": ({"kind": "burst", "speed": 3}, {"kind": "at", "time": 0}),
    "spin": ({"kind": "spin", "amount": 900, "unit": "N m", "axis": [0, 1, 0]}, {"kind": "span", "start": 0}),
    "gravity": ({"kind": "gravity", "acceleration": [6, 20, 0]}, {"kind": "span", "start": 0}),
}


@pytest.mark.parametrize("held", [True, False])
@pytest.mark.parametrize("kind", sorted(FIELDS_ON_BONDS))
def test_what_is_foreseen_through_bonds_is_what_the_first_frame_bears(kind: str, held: bool) -> None:
    """Against the run's own load path, held and afloat; the field reaches a part."""
    effect, cue = FIELDS_ON_BONDS[kind]
    acts = field(effect, reach_box((1, 1, 0), (1, 2, 9), 0.8), cue=cue)
    cells = {"kind": "cells", "count": 14, "seed": 4}
    wall = box("wall", (0, 1, 0), (3, 2, 0.4), pattern=cells, bonds={"strength": 900.0}, load_path="on")
    foot = (anchor((0, 0, 0), (9, 0.4, 9)),) if held else ()
    ready = prepare(shot(wall, fields=(acts, *foot), frames=1, ground={"on": False}))
    at = lay_out(ready.shot, ready.pieces)
    foreseen = path_loads(ready.shot, ready.pieces, at, ready.shot.fields[0])[0]
    going = Run(ready.shot, ready.model, ready.state)
    borne: list[tuple[float, float]] = []
    measure = going.load_paths.measure

    def watched(sources: Any = None) -> Any:
        load, ratio = measure(sources)
        worst = int(ratio.argmax())
        borne.append((float(load[worst]), float(load[worst] / ratio[worst])))
        return load, ratio

    going.load_paths.measure = watched  # type: ignore[method-assign]
    going.advance()
    # a blow is borne before the frame's own loads are looked at
    load, strength = borne[0]
    assert foreseen.bonds == ready.model.bond_count and foreseen.rule == "on"
    assert foreseen.load == pytest.approx(load / 1000, rel=0.01)
    assert foreseen.strength == pytest.approx(strength / 1000, rel=1e-6)


def test_what_is_foreseen_goes_by_targets_and_leaves_out_what_is_too_much() -> None:
    cells = {"kind": "cells", "count": 14, "seed": 4}
    bodies = [box(n, (4.0 * k, 1, 0), pattern=cells, bonds={"strength": 5.0}) for k, n in enumerate("abc")]
    push = field({"kind": "push", "amount": 500, "direction": [1, 0, 0]}, reach_box((0, 0, 0), (0.2, 9, 9)))
    ready = prepare(shot(*bodies, fields=({**push, "targets": ["a", "c"]},)))
    at = lay_out(ready.shot, ready.pieces)
    a, c = path_loads(ready.shot, ready.pieces, at, ready.shot.fields[0])
    assert (a.body, c.body) == ("a", "c") and a.over > 0 == c.over and c.load < 1e-9 and a.bonds == c.bonds > 0
    few = path_loads(ready.shot, ready.pieces, at, ready.shot.fields[0], most=20)
    assert [x.bonds for x in few] == [a.bonds, 0]
