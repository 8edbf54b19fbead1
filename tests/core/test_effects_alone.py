"""Every effect alone, over samples that nothing else moves: its law, its units, its step against many small ones."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dynaclast.core.document import FieldItem
from dynaclast.core.falloff import EvaluationContext
from dynaclast.core.fields import EFFECTS
from dynaclast.core.fields.base import EffectContext, Forcing, differing, per_mass
from dynaclast.core.fields.moving import critical_acceleration, towards
from dynaclast.core.fields.pose import pose_at_impact, pose_of
from dynaclast.core.fields.samples import PIECES, Samples

EVERYWHERE = {"layers": [{"shape": {"kind": "everywhere"}}]}
STEP = 1 / 48


def item(effect: dict[str, Any], **more: Any) -> FieldItem:
    return FieldItem.model_validate({"name": "f", "effect": effect, "reach": EVERYWHERE, **more})


def samples(seed: int = 0, count: int = 40, **more: Any) -> Samples:
    """Things of many masses that move and turn anyhow within a few metres of the origin."""
    rng = np.random.default_rng(seed)
    velocity = rng.normal(size=(count, 3)) * 3
    made = {
        "space": PIECES,
        "point": rng.uniform(-3, 3, (count, 3)),
        "mass": 10 ** rng.uniform(-1, 4, count),
        "size": rng.uniform(0.1, 1, count),
        "velocity": velocity,
        "angular_velocity": rng.normal(size=(count, 3)),
        "gravity": np.tile([0.0, -9.81, 0.0], (count, 1)),
        "midpoint_velocity": velocity,
    }
    return Samples(**(made | more))


def over(on: Samples, step: float = STEP, time: float = 0.0, **more: Any) -> EffectContext:
    return EffectContext(on, np.ones(len(on), bool), EvaluationContext(time=time), step=step, **more)


def forcing(effect: dict[str, Any], on: Samples, step: float = STEP, time: float = 0.0, **more: Any) -> Forcing:
    asked = item(effect)
    return EFFECTS[asked.effect.kind].forcing(asked, over(on, step, time, **more))


def blow(effect: dict[str, Any], on: Samples) -> Forcing:
    asked = item(effect)
    return EFFECTS[asked.effect.kind].blow(asked, over(on))


def linear(effect: dict[str, Any], on: Samples, step: float = STEP, **more: Any) -> np.ndarray:
    out = forcing(effect, on, step, **more).linear
    assert out is not None
    return out


# --------------------------------------------------------------------------------- blows


@pytest.mark.parametrize("kind", ["burst", "push"])
def test_a_blow_in_newton_seconds_is_shared_by_mass_and_one_in_metres_is_not(kind: str) -> None:
    on = samples()
    amount = {"burst": "speed", "push": "amount"}[kind]
    by_speed, by_force = blow({"kind": kind, amount: 7.0}, on), blow({"kind": kind, amount: 7.0, "unit": "N"}, on)
    assert by_speed.linear is not None and by_force.linear is not None
    assert np.linalg.norm(by_speed.linear, axis=1) == pytest.approx(7.0)
    assert np.linalg.norm(by_force.linear, axis=1) * on.mass == pytest.approx(7.0)


def test_a_burst_goes_away_from_its_origin_and_a_negative_one_towards_it() -> None:
    on = samples()
    out, back = (blow({"kind": "burst", "speed": s}, on).linear for s in (2.0, -2.0))
    assert out is not None and back is not None
    away = on.point / np.linalg.norm(on.point, axis=1, keepdims=True)
    assert out == pytest.approx(2.0 * away) and back == pytest.approx(-out)


def test_what_lies_on_the_origin_of_a_burst_stays_there() -> None:
    on = samples(point=np.zeros((40, 3)))
    assert not np.any(blow({"kind": "burst", "speed": 3.0}, on).linear)


@given(st.floats(0, 1), st.integers(0, 1000), st.integers(1, 300))
@settings(max_examples=40, deadline=None)
def test_what_differs_from_piece_to_piece_stays_within_its_share_and_is_the_seed_s(
    noise: float, seed: int, count: int
) -> None:
    made = differing(count, noise, seed)
    assert (np.abs(made - 1) <= noise).all() and (made == differing(count, noise, seed)).all()
    assert noise < 1e-6 or count < 3 or (made != differing(count, noise, seed + 1)).any()


def test_a_spin_in_newton_metres_is_a_torque_and_one_in_radians_a_velocity() -> None:
    on = samples()
    turn, torque = (blow({"kind": "spin", "axis": [0, 3, 4], "amount": 5, "unit": u}, on) for u in ("rad/s", "N m"))
    assert turn.linear is None and turn.torque is None and torque.angular is None
    assert turn.angular == pytest.approx(np.tile([0, 3, 4], (40, 1)))
    assert torque.torque == pytest.approx(np.tile([0, 3, 4], (40, 1)))


def test_a_strain_loads_by_its_reach_and_bursts_only_if_asked() -> None:
    asked = item({"kind": "strain", "load": 30})
    effect, on = EFFECTS["strain"], over(samples(), reach=np.linspace(0, 1, 40))
    assert effect.load(asked, on) == pytest.approx(np.linspace(0, 30_000, 40))
    assert effect.blow(asked, on).linear is None
    burst = effect.blow(item({"kind": "strain", "load": 30, "burst": 4}), on).linear
    assert np.linalg.norm(burst, axis=1) == pytest.approx(np.linspace(0, 4, 40))


def test_an_anchor_holds_at_its_cut_and_strengthens_below_it_without_a_jump() -> None:
    asked = item({"kind": "anchor", "cut": 0.6, "reinforce": 3})
    f = np.linspace(0, 1, 41)
    on = over(samples(count=41), reach=f)
    assert (EFFECTS["anchor"].holds(asked, on) == (f >= 0.6)).all()
    factor = EFFECTS["anchor"].strength_factor(asked, on)
    assert factor[0] == 1.0 and factor[-1] == pytest.approx(2.8)
    assert np.diff(factor).min() >= 0 and np.diff(factor).max() < 0.1


def test_only_targets_are_acted_on() -> None:
    on = samples()
    targets = np.arange(40) % 3 == 0
    asked = item({"kind": "push", "amount": 2.0})
    out = EFFECTS["push"].blow(asked, EffectContext(on, targets)).linear
    assert out is not None and ((out != 0).any(axis=1) == targets).all()


def test_forcings_add_up_part_by_part_and_say_on_what_they_act() -> None:
    one = np.zeros((4, 3))
    one[1] = 1.0
    both = Forcing(linear=one) + Forcing(linear=one, torque=one[::-1])
    assert both.angular is None and both.linear == pytest.approx(2 * one)
    acts = both.acts()
    assert acts is not None and acts.tolist() == [False, True, True, False]
    assert (Forcing() + Forcing()).acts() is None


# ------------------------------------------------------------------------------ over time


@given(st.floats(0.01, 400), st.floats(1e-3, 0.5), st.integers(0, 99))
@settings(max_examples=60, deadline=None)
def test_a_grip_over_one_step_is_that_of_a_thousand(rate: float, step: float, seed: int) -> None:
    rng = np.random.default_rng(seed)
    wanted, v = rng.normal(size=(5, 3)), rng.normal(size=(5, 3))
    slow = v.copy()
    for _ in range(4000):
        slow += step / 4000 * rate * (wanted - slow)
    once = v + step * towards(wanted, v, np.full(5, rate), step)
    assert once == pytest.approx(slow, abs=2e-3 * (1 + rate * step) * np.abs(wanted - v).max())
    assert (np.abs(wanted - once) <= np.abs(wanted - v) + 1e-12).all()  # never passes by


@given(st.floats(0.1, 60), st.floats(1e-3, 0.3), st.integers(0, 99))
@settings(max_examples=40, deadline=None)
def test_critical_damping_over_one_step_is_that_of_a_thousand(w: float, step: float, seed: int) -> None:
    rng = np.random.default_rng(seed)
    to, v = rng.normal(size=(3, 3)), rng.normal(size=(3, 3))
    x, slow, small = -to, v.copy(), step / 4_000
    for _ in range(4_000):
        slow = slow + small * (-w * w * x - 2 * w * slow)
        x = x + small * slow
    once = v + step * critical_acceleration(to, v, np.full(3, w), step)
    assert once == pytest.approx(slow, abs=1e-3 * (1 + w) * max(1.0, w))


@pytest.mark.parametrize("amount", [0.3, 5.0, 80.0])
@pytest.mark.parametrize("step", [1 / 96, 1 / 24])
def test_drag_takes_its_share_of_the_speed_whatever_the_step(amount: float, step: float) -> None:
    on = samples(gravity=np.zeros((40, 3)))
    out = forcing({"kind": "drag", "amount": amount, "turning": 2 * amount}, on, step)
    assert out.linear is not None and out.angular is not None
    assert on.velocity + step * out.linear == pytest.approx(on.velocity * np.exp(-amount * step))
    assert on.angular_velocity + step * out.angular == pytest.approx(on.angular_velocity * np.exp(-2 * amount * step))


@pytest.mark.parametrize("c", [0.5, 6.0, 40.0])
def test_drag_with_weight_comes_to_the_speed_at_which_they_balance(c: float) -> None:
    """The step is split: first weight, then drag; still it ends at g / c exactly."""
    g, step = np.array([0.0, -9.81, 0.0]), 1 / 24
    v = np.zeros((1, 3))
    for _ in range(int(20 / c / step) + 50):
        on = samples(count=1, velocity=v, midpoint_velocity=v, gravity=g[None])
        v = v + step * (linear({"kind": "drag", "amount": c}, on, step) + g)
    assert v[0] == pytest.approx(g / c, rel=1e-6)


@pytest.mark.parametrize("radius", [0.2, 0.99, 1.01, 4.0])
def test_a_vortex_takes_things_to_its_speed_at_their_radius(radius: float) -> None:
    still = np.zeros((1, 3))
    on = samples(count=1, point=np.array([[radius, 0.7, 0.0]]), velocity=still, midpoint_velocity=still)
    out = linear({"kind": "vortex", "swirl": 8, "core": 1, "grip": 50, "inward": 3, "lift": 2}, on, 1.0)
    assert out[0] == pytest.approx([-3.0, 2.0, -8.0 * min(radius, 1 / radius)], rel=1e-9)


def test_a_vortex_about_any_axis_is_that_about_another_turned() -> None:
    from scipy.spatial.transform import Rotation

    turn = Rotation.from_rotvec([0.4, -1.1, 0.3]).as_matrix()
    one = samples()
    other = replace(
        one,
        point=one.point @ turn.T,
        velocity=one.velocity @ turn.T,
        midpoint_velocity=one.velocity @ turn.T,
        gravity=one.gravity @ turn.T,
    )
    for contain in (0.0, 3.0):
        effect = {"kind": "vortex", "swirl": 5, "core": 0.8, "inward": 2, "lift": 1, "contain": contain}
        a = linear(effect | {"axis": [0, 1, 0]}, one)
        b = linear(effect | {"axis": (turn @ [0, 1, 0]).tolist()}, other)
        assert b == pytest.approx(a @ turn.T, abs=1e-9)


@pytest.mark.parametrize(
    ("law", "wanted"), [("constant", 10.0), ("linear", 40.0), ("inverse", 2.5), ("inverse-square", 0.625)]
)
@pytest.mark.parametrize("unit", ["m/s2", "N"])
def test_attractors_pull_by_their_law(law: str, wanted: float, unit: str) -> None:
    on = samples(count=1, point=np.array([[0.0, 0.0, 4.0]]), mass=np.array([8.0]))
    out = linear({"kind": "attractor", "strength": 10, "law": law, "unit": unit}, on)
    assert out[0] == pytest.approx([0, 0, -wanted / (8.0 if unit == "N" else 1.0)])


def test_attractors_to_a_line_pull_across_it_and_negative_ones_push_away() -> None:
    on = samples()
    out = linear({"kind": "attractor", "to": "line", "axis": [1, 0, 0], "strength": -3}, on)
    across = on.point * [0, 1, 1]
    assert out == pytest.approx(3 * across / np.linalg.norm(across, axis=1, keepdims=True))


@given(st.floats(0.5, 20), st.floats(0.5, 60), st.integers(0, 50))
@settings(max_examples=30, deadline=None)
def test_nothing_is_pulled_faster_than_the_top_speed(top: float, strength: float, seed: int) -> None:
    on = samples(seed)
    out = linear({"kind": "attractor", "strength": strength, "top_speed": top}, on)
    way = -on.point / np.linalg.norm(on.point, axis=1, keepdims=True)
    before = np.einsum("ij,ij->i", on.velocity, way)
    after = np.einsum("ij,ij->i", on.velocity + STEP * out, way)
    assert (after <= np.maximum(before, top) + 1e-9).all() and (after >= before - 1e-9).all()


def test_turbulence_has_the_size_it_is_given_and_goes_as_time_goes() -> None:
    on = samples(count=4000, point=np.random.default_rng(1).uniform(-50, 50, (4000, 3)))
    one, later = (linear({"kind": "turbulence", "strength": 6, "size": 1.5, "rate": 0.5}, on, time=t) for t in (0, 1))
    assert np.sqrt((one**2).sum(axis=1).mean()) == pytest.approx(6.0, rel=0.05)
    assert np.linalg.norm(later - one, axis=1).mean() > 1.0
    again = linear({"kind": "turbulence", "strength": 6, "size": 1.5, "rate": 0.5}, on)
    assert again.tobytes() == one.tobytes()


def test_wind_on_what_turns_its_size_to_it_is_half_rho_c_a_w_squared() -> None:
    still = np.zeros((40, 3))
    on = samples(velocity=still, midpoint_velocity=still)
    out = linear({"kind": "wind", "speed": 12, "drag": 1.3, "density": 1.1}, on, 1e-9)
    assert out[:, 0] * on.mass == pytest.approx(0.5 * 1.1 * 1.3 * on.size**2 * 144, rel=1e-6)
    assert np.abs(out[:, 1:]).max() == 0.0


def test_wind_over_any_step_never_takes_things_past_the_air() -> None:
    light = samples(mass=np.full(40, 1e-4))
    for step in (1 / 96, 1 / 24, 1.0):
        after = light.velocity + step * linear({"kind": "wind", "speed": 9}, light, step)
        air = np.array([9.0, 0, 0])
        assert (np.linalg.norm(after - air, axis=1) <= np.linalg.norm(light.velocity - air, axis=1) + 1e-9).all()


def test_gusts_come_and_go_about_the_mean_speed() -> None:
    still = np.zeros((1, 3))
    on = samples(count=1, velocity=still, midpoint_velocity=still)
    plain = linear({"kind": "wind", "speed": 10}, on, 1e-9)[0, 0]
    asked = {"kind": "wind", "speed": 10, "gusts": 0.5, "gust_time": 0.2}
    gusty = np.array([linear(asked, on, 1e-9, time=t)[0, 0] for t in np.linspace(0, 60, 600)])
    speed = 10 * np.sqrt(gusty / plain)
    assert speed.min() >= 5.0 - 1e-6 and speed.max() <= 15.0 + 1e-6 and speed.std() > 1.0
    assert speed.mean() == pytest.approx(10.0, rel=0.1)


def test_a_gravity_is_an_acceleration_by_the_reach() -> None:
    f = np.linspace(0, 1, 40)
    out = linear({"kind": "gravity", "acceleration": [1, -2, 3]}, samples(), reach=f)
    assert out == pytest.approx(f[:, None] * [1.0, -2.0, 3.0])


def test_per_mass_divides_forces_alone() -> None:
    mass = np.array([2.0, 5.0])
    assert per_mass("N m", mass) == pytest.approx([0.5, 0.2]) and per_mass("rad/s", mass) == pytest.approx([1, 1])


# ----------------------------------------------------------------------------------- poses


def test_round_a_point_a_field_comes_back_after_a_turn() -> None:
    reach = {"layers": [{"shape": {"kind": "sphere", "center": [2, 0, 0], "core": 1}}]}
    round_it = {"kind": "round", "center": [0, 0, 0], "axis": [0, 1, 0], "rate": 0.25, "turning": True}
    asked = item({"kind": "push", "direction": [1, 0, 0]}, reach=reach, travel=round_it)
    quarter, turn = (pose_of(asked, EvaluationContext(time=t)) for t in (1.0, 4.0))
    assert quarter.origin == pytest.approx([0, 0, -2]) and quarter.direction == pytest.approx([0, 0, -1])
    assert turn.origin == pytest.approx([2, 0, 0]) and turn.direction == pytest.approx([1, 0, 0])
    assert quarter.to_document(quarter.origin[None])[0] == pytest.approx([2, 0, 0])
    aside = item({"kind": "push"}, reach=reach, travel=round_it | {"turning": False})
    unturned = pose_of(aside, EvaluationContext(time=1.0))
    assert unturned.origin == pytest.approx([0, 0, -2]) and unturned.direction == pytest.approx([1, 0, 0])


@given(st.integers(0, 10_000))
@settings(max_examples=40, deadline=None)
def test_at_a_hit_a_field_stands_along_its_normal(seed: int) -> None:
    rng = np.random.default_rng(seed)
    normal = rng.normal(size=3)
    normal /= np.linalg.norm(normal)
    reach = {"layers": [{"shape": {"kind": "sphere", "center": rng.normal(size=3).tolist(), "core": 1}}]}
    pose = pose_at_impact(item({"kind": "push", "direction": [0, 1, 0]}, reach=reach), rng.normal(size=3), normal)
    assert pose.direction == pytest.approx(normal, abs=1e-9)
    assert pose.rotation @ pose.rotation.T == pytest.approx(np.eye(3), abs=1e-12)
    assert np.linalg.det(pose.rotation) == pytest.approx(1.0)


@pytest.mark.parametrize("normal", [(0, 1, 0), (0, -1, 0)])
def test_at_a_hit_from_above_or_below_the_turn_is_defined(normal: tuple[float, float, float]) -> None:
    pose = pose_at_impact(item({"kind": "push", "direction": [0, 1, 0]}), np.zeros(3), np.array(normal, float))
    assert pose.direction == pytest.approx(normal) and np.linalg.det(pose.rotation) == pytest.approx(1.0)


def test_a_field_aims_at_another_and_at_nothing_where_both_are_in_one_place() -> None:
    asked = item({"kind": "push", "direction": [1, 0, 0]}, aim="other")
    aimed = pose_of(asked, EvaluationContext(), {"other": np.array([0.0, 0.0, 5.0])})
    assert aimed.direction == pytest.approx([0, 0, 1])
    same = pose_of(asked, EvaluationContext(), {"other": np.zeros(3)})
    assert same.direction == pytest.approx([1, 0, 0])
