"""Pieces of cloth, soft bodies and ropes: how they come about, what holds them together, and how they part."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deforming import EVERYWHERE, cloth, frames_of, pin, points, rope, soft, started
from dynaclast.core.bake import bake
from dynaclast.core.document import Body, Shot, parse
from dynaclast.core.errors import GeometryError, InputError
from dynaclast.core.formats.frames import read_baked, write_events, write_frames
from dynaclast.core.formats.write.scene import export_scene
from dynaclast.core.formats.write.usd import write_usd
from dynaclast.core.fracture.deforming import deforming_mesh, drawn_surface
from dynaclast.core.fracture.patches import patches, split
from dynaclast.core.fracture.pieces import no_pieces
from dynaclast.core.geometry import primitives
from dynaclast.core.geometry.mass import signed_volume
from dynaclast.core.geometry.mesh import borders_of, creased
from dynaclast.core.geometry.sampling import scatter_on
from dynaclast.core.solve.deformable.model import Seams
from dynaclast.core.solve.deformable.seam_loads import _flows, _rotations
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.state import State

SLABS = {"kind": "slabs", "count": 4, "axis": [0, 0, 1], "spread": 0, "random": 0}


def held(z: float) -> dict[str, Any]:
    """Pins everything at this z."""
    shape = {"kind": "box", "center": [0, 3, z], "core": [9, 9, 0.02]}
    return {"reach": {"layers": [{"shape": shape}]}}


def strip(strength: float, **more: Any) -> dict[str, Any]:
    """A strip along z in four patches, pinned at its end z = -0.8, of 1 kg/m2."""
    matter = {"weight": 1.0, "damping": 0.02} | more.pop("matter", {})
    bonds = {"strength": strength, "unit": "kN/m"}
    return (
        cloth("strip", (0, 3, 0), (0.4, 1.6), (4, 16), matter=matter, pins=[held(-0.8)], pattern=SLABS, bonds=bonds)
        | more
    )


def shot_of(*bodies: dict[str, Any], frames: int = 48, **more: Any) -> Shot:
    return parse({"bodies": list(bodies), "timing": {"frames": frames}, "ground": {"on": False}} | more)


def pulled(*bodies: dict[str, Any], per_second: float, seconds: float = 2.0) -> Shot:
    """Without weight, drawn along z by an acceleration that grows."""
    push = {"name": "pull", "effect": {"kind": "push", "direction": [0, 0, 1], "amount": 0}, "reach": EVERYWHERE}
    keys = [{"time": 0, "value": 0, "how": "linear"}, {"time": seconds, "value": per_second * seconds}]
    push["cue"] = {"kind": "span", "start": 0, "end": 99}
    push["channels"] = [{"of": "effect.amount", "keys": keys}]
    frames = int(24 * seconds)
    return shot_of(*bodies, frames=frames, gravity=[0, 0, 0], fields=[push])


def opened(frames: list[Any]) -> list[dict[str, Any]]:
    return [e for f in frames for e in f.events if e["kind"] == "seam_opened"]


def seams_of(run: Run) -> Seams:
    assert run.model.deformables is not None
    return run.model.deformables.seams


# ------------------------------------------------------------------------------ patches


def sheet_body(pattern: dict[str, Any], **more: Any) -> Body:
    return Body.model_validate(
        cloth("sheet", (0, 0, 0), (2, 1), (20, 10), pattern=pattern, bonds={"strength": 1, "unit": "kN/m"}) | more
    )


def patched(body: Body) -> tuple[np.ndarray, Any]:
    mesh = deforming_mesh(body)
    return patches(body, mesh, borders_of(mesh))


@pytest.mark.parametrize(
    "pattern",
    [
        {"kind": "cells", "count": 12},
        {"kind": "cells", "count": 12, "even": 1},
        {"kind": "splinters", "count": 9, "grain": [0, 0, 1]},
        {"kind": "radial", "axis": [0, 1, 0], "rings": 3, "spokes": 7},
        {"kind": "bricks", "size": [0.5, 0.3, 0.25]},
        {"kind": "faces"},
    ],
)
def test_patches_cover_the_sheet_and_each_hangs_together(pattern: dict[str, Any]) -> None:
    body = sheet_body(pattern)
    mesh = deforming_mesh(body)
    label, pieces = patched(body)
    assert len(label) == len(mesh.faces) and set(label) == set(range(pieces.count))
    assert (pieces.size**2).sum() == pytest.approx(2.0)
    border = borders_of(mesh)
    for p in range(pieces.count):  # by a walk, slowly
        own = set(np.flatnonzero(label == p).tolist())
        reached, queue = set(), [min(own)]
        while queue:
            f = queue.pop()
            reached.add(f)
            for a, b in border.face.tolist():
                for here, other in ((a, b), (b, a)):
                    if here == f and other in own and other not in reached:
                        queue.append(other)
        assert reached == own
    between = label[border.face[:, 0]] != label[border.face[:, 1]]
    assert pieces.bond_area.sum() == pytest.approx(border.length[between].sum())


def test_slabs_of_a_sheet_meet_along_its_width() -> None:
    body = sheet_body({"kind": "slabs", "count": 4, "axis": [1, 0, 0], "spread": 0, "random": 0})
    _, pieces = patched(body)
    assert pieces.count == 4 and pieces.bond_piece.tolist() == [[0, 1], [1, 2], [2, 3]]
    assert pieces.bond_area == pytest.approx(1.0)
    assert pieces.bond_center[:, 0] == pytest.approx([-0.5, 0.0, 0.5])


def test_patches_break_again_and_gather_in_tiers() -> None:
    again = {"pattern": {"kind": "cells", "count": 3}, "of": {"kind": "pieces", "pieces": [0]}}
    body = sheet_body({"kind": "slabs", "count": 2, "axis": [1, 0, 0], "spread": 0}, breaks=[again])
    _, finer = patched(body)
    assert finer.count == 4 and sorted(finer.path[:, 0]) == [0, 0, 0, 1]
    inside = finer.path[finer.bond_piece, 0]
    assert (finer.bond_tier == np.where(inside[:, 0] == inside[:, 1], 2, 1)).all()
    gather = {"pattern": {"kind": "clusters", "count": 3}}
    body = sheet_body({"kind": "cells", "count": 20}, breaks=[gather])
    _, chunks = patched(body)
    assert len(np.unique(chunks.path[:, 0])) == 3 and set(chunks.bond_tier) == {1, 2}


def test_what_cannot_be_patched_is_refused() -> None:
    body = sheet_body({"kind": "cells", "count": 12, "smallest": 0.6})
    with pytest.raises(GeometryError, match="smaller"):
        patched(body)
    fine = sheet_body({"kind": "faces"}, shape={"kind": "sheet", "size": [2, 2], "divisions": [60, 60]})
    with pytest.raises(InputError, match="limit is 5000"):
        patched(fine)


def test_points_on_a_surface_fall_by_area() -> None:
    mesh = primitives.flat_sheet((3.0, 1.0), (3, 1))
    at = scatter_on(mesh, 20_000, np.random.default_rng(1))
    assert at[:, 1] == pytest.approx(0)
    assert np.histogram(at[:, 0], bins=3, range=(-1.5, 1.5))[0] == pytest.approx(6667, rel=0.05)


@settings(max_examples=30, deadline=None)
@given(st.integers(1, 9), st.integers(0, 2**31 - 1))
def test_split_meshes_are_the_same_mesh(pieces: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    element = np.array([rng.choice(12, 3, replace=False) for _ in range(20)])
    piece = rng.integers(0, pieces, 20)
    origin, own = split(element, piece)
    assert (origin[own] == element).all()
    used = np.unique(element)
    assert (origin[: len(used)] == used).all()  # first one for each
    pairs = {(int(v), int(p)) for e, p in zip(element, piece, strict=True) for v in e}
    assert len(origin) == len(pairs)
    for a in range(20):
        for b in range(20):
            same = np.isin(own[a], own[b]).any()
            assert same == (piece[a] == piece[b] and np.isin(element[a], element[b]).any())


# -------------------------------------------------------------------------------- holding


@pytest.mark.parametrize(
    "whole",
    [
        cloth("c", (0, 3, 0), (1, 1), (8, 8), pins=[pin(-0.5, 3, -0.5)], matter={"bending": 1e-3}),
        rope("c", (0, 3, 0), (2, 3, 0), segments=12, pins=[pin(0, 3, 0)], matter={"bending": 0.1}),
    ],
)
def test_what_could_part_and_does_not_moves_as_if_it_could_not(whole: dict[str, Any]) -> None:
    word = "tear" if whole["matter"]["kind"] == "cloth" else "breaks"
    plain = points(frames_of(shot_of(whole, frames=12)), "c")
    run = started(shot_of(whole | {"matter": whole["matter"] | {word: 1e5}}, frames=12))
    assert run.model.deformables is not None
    start = run.model.deformables.elements.vertices.rest
    origin = np.argmin(((start[:, None] - plain[0][None]) ** 2).sum(axis=2), axis=1)
    for k in range(1, 13):
        now = run.advance().arrays["points/c"]
        assert now == pytest.approx(plain[k][origin], abs=1e-6)
        assert (now == now[run.deformable.parts.elements.vertices.lead]).all()  # type: ignore[union-attr]


def test_a_soft_body_in_pieces_that_hold_is_as_stiff_as_a_whole_one() -> None:
    bar: dict[str, Any] = soft("b", (0, 3, 0), (0.8, 0.2, 0.2), matter={"detail": 16, "young": 500, "damping": 0.05})
    bar["pins"] = [{"reach": {"layers": [{"shape": {"kind": "box", "center": [-0.4, 3, 0], "core": [0.02, 9, 9]}}]}}]
    low = []
    for more in ({}, {"pattern": {"kind": "slabs", "count": 4, "axis": [1, 0, 0], "spread": 0}}):
        bonds = {"bonds": {"strength": 1e6}} if more else {}
        low.append(points(frames_of(shot_of(bar | more | bonds, frames=48)), "b")[-1, :, 1].min())
    assert low[1] == pytest.approx(low[0], abs=0.01 * (3 - low[0]))


def test_no_bonds_no_seams_and_cut_ones_are_open() -> None:
    free = strip(1.0)
    del free["bonds"]
    run = started(shot_of(free))
    assert run.state.seam_broken.all()
    run.advance()
    assert run.advance().arrays["points/strip"][:, 1].min() < 3 - 0.01
    run = started(shot_of(strip(1.0, bonds={"strength": 1, "unit": "kN/m", "cut": [[1, 2]]})))
    assert run.state.seam_broken.tolist() == [0, 1, 0]


def test_strength_is_by_length_tier_and_anchors() -> None:
    tiers = {"strength": 2, "unit": "kN/m", "tiers": [0.5]}
    again = {"pattern": {"kind": "slabs", "count": 2, "axis": [1, 0, 0], "spread": 0, "random": 0}}
    seams = seams_of(started(shot_of(strip(1.0, bonds=tiers, breaks=[again]))))
    long = seams.tier == 2
    assert seams.strength[long] == pytest.approx(500 * seams.size[long])
    assert seams.strength[~long] == pytest.approx(2000 * seams.size[~long])
    strong = {"kind": "anchor", "cut": 1.0, "reinforce": 3.0}
    anchor = {"name": "strong", "effect": strong, "reach": {"layers": [{"shape": {"kind": "everywhere"}}]}}
    anchored = seams_of(started(shot_of(strip(1.0), fields=[anchor])))
    assert anchored.strength == pytest.approx(4 * 1000 * 0.4)


# --------------------------------------------------------------------------------- loads


def test_seams_bear_what_hangs_from_them() -> None:
    run = started(shot_of(strip(100.0), gravity=[0, 0, 9.81], frames=72))
    for _ in range(72):
        run.advance()
    assert run.seams is not None and run.deformable is not None
    load = run.seams._loads.measure(run.deformable.parts, run.state)
    below = 0.8 - seams_of(run).center[:, 2]
    assert load == pytest.approx(1.0 * 0.4 * below * 9.81, rel=0.03)


def test_segments_of_a_rope_bear_what_hangs_from_them() -> None:
    line = rope("r", (0, 5, 0), (0, 3, 0), segments=20, pins=[pin(0, 5, 0)], matter={"breaks": 9, "damping": 0.05})
    run = started(shot_of(line, frames=72))
    for _ in range(72):
        run.advance()
    assert run.seams is not None and run.deformable is not None
    load = run.seams._loads.measure(run.deformable.parts, run.state)
    mass = run.model.deformables.own_mass.sum() / 2.0 * 9.81  # type: ignore[union-attr]
    upper = seams_of(run).center[:, 1] + 0.05 - 3.0  # of the two segments at a seam, the upper bears more
    assert load == pytest.approx(mass * upper, rel=0.02)


def test_pieces_of_a_soft_body_bear_what_hangs_from_them() -> None:
    bar: dict[str, Any] = soft("b", (0, 3, 0), (0.4, 1.2, 0.4), matter={"detail": 12, "young": 2000, "damping": 0.05})
    bar["pins"] = [{"reach": {"layers": [{"shape": {"kind": "box", "center": [0, 3.6, 0], "core": [1, 0.05, 1]}}]}}]
    bar |= {"pattern": SLABS | {"axis": [0, 1, 0]}, "bonds": {"strength": 500}}
    run = started(shot_of(bar, frames=72))
    for _ in range(72):
        run.advance()
    assert run.seams is not None and run.deformable is not None
    load = run.seams._loads.measure(run.deformable.parts, run.state)
    below = 1000 * 0.16 * (seams_of(run).center[:, 1] - 2.4) * 9.81
    assert load == pytest.approx(below, rel=0.03)


def test_pieces_of_a_soft_body_weigh_what_their_solids_do() -> None:
    ring: dict[str, Any] = soft("r", (0, 3, 0), (1, 1, 1), matter={"detail": 9})
    ring |= {"shape": {"kind": "torus", "radius": 0.5, "thickness": 0.18}, "bonds": {"strength": 5}}
    for more in ({}, {"pattern": {"kind": "cells", "count": 40}}):
        run = started(shot_of(ring | more))
        volume = signed_volume(deforming_mesh(run.shot.bodies[0]))
        assert run.model.deformables is not None
        assert run.model.deformables.own_mass.sum() == pytest.approx(1000 * volume)
        given = started(shot_of(ring | more | {"material": {"mass": 7}})).model.deformables
        assert given is not None and given.own_mass.sum() == pytest.approx(7)


def test_flows_add_up_and_go_round_as_little_as_can_be() -> None:
    link = np.array([[0, 1], [1, 2], [2, 3], [3, 0]])
    left = np.array([[1.0, 0, 0], [0, 0, 0], [-1.0, 0, 0], [0, 0, 0]])
    flow = _flows(link, left)
    total = np.zeros((4, 3))
    np.add.at(total, link[:, 0], flow)
    np.add.at(total, link[:, 1], -flow)
    assert total == pytest.approx(left, abs=1e-6)
    assert flow[:, 0] == pytest.approx([0.5, 0.5, -0.5, -0.5], abs=1e-6)


def test_rotations_are_found_of_flat_sets_too() -> None:
    rng = np.random.default_rng(2)
    want = np.linalg.qr(rng.normal(size=(3, 3)))[0]
    want *= np.sign(np.linalg.det(want))
    flat = np.c_[rng.normal(size=(9, 2)), np.zeros(9)]
    flat -= flat.mean(axis=0)
    spread = flat.T @ (flat @ want.T)
    assert _rotations(spread[None])[0] == pytest.approx(want, abs=1e-9)


# -------------------------------------------------------------------------------- opening


def test_a_seam_opens_at_its_strength() -> None:
    strength, per_second = 0.02, 30.0  # [kN/m]; the lowest seam of those most loaded: the first
    frames = frames_of(pulled(strip(strength), per_second=per_second))
    first = opened(frames)[0]
    load = 1000 * strength / (1.0 * 1.2)  # acceleration at which 1.2 m of 1 kg/m2 load the first seam so much
    assert first["pieces"] == [0, 1] and first["causes"][0]["tension"]
    assert first["frame"] / 24 * per_second == pytest.approx(load, rel=0.05)
    assert first["load"] >= first["strength"] == pytest.approx(0.4 * strength)
    assert not opened(
        frames_of(
            pulled(strip(1.02 * strength * first["load"] / first["strength"]), per_second=0.98 * load, seconds=1.0)
        )
    )
    assert sum(f.stats["bonds_broken"] for f in frames) == len(opened(frames))


def test_what_bears_evenly_parts_at_one_place() -> None:
    line = rope("r", (0, 3, -1), (0, 3, 1), segments=20, matter={"breaks": 0.02, "young": 1e6, "radius": 0.005})
    line["pins"] = [pin(0, 3, -1), pin(0, 3, 1)]
    run = started(shot_of(line, gravity=[0, 0, 0], frames=8))
    run.state.vertices.position[:, 2] *= 1.0003  # taut all along, by a little more than it bears
    frames = [run.advance() for _ in range(8)]
    assert len(opened(frames)) == 1


def test_tears_go_on_at_their_tips_and_the_mesh_stays_whole() -> None:
    sheet = cloth("c", (0, 3, 0), (1, 1), (12, 12), matter={"weight": 0.3, "tear": 0.3, "folds": True})
    sheet["pins"] = [held(-0.5), held(0.5)]
    ball = {"name": "ball", "shape": {"kind": "sphere", "radius": 0.12}, "material": {"mass": 40}}
    ball |= {"place": {"position": [0.05, 3.4, 0.02]}, "velocity": [0, -5, 0]}
    run = started(shot_of(sheet, ball, frames=24))
    frames = [run.advance() for _ in range(24)]
    count = len(opened(frames))
    assert 5 < count < 0.5 * seams_of(run).count
    assert frames[-1].position[0, 1] < 1.5  # through
    at = frames[-1].arrays["points/c"]
    assert np.isfinite(at).all()
    state, lead = run.state, run.deformable.parts.elements.vertices.lead  # type: ignore[union-attr]
    assert (state.vertices.position == state.vertices.position[lead]).all()
    d = run.model.deformables
    assert d is not None
    mass = run.deformable.parts.elements.vertices.mass  # type: ignore[union-attr]
    assert mass.sum() == pytest.approx(0.3) and (mass[lead] > 0).all()
    faces = d.drawn[0].faces
    assert (faces == drawn_surface(run.shot.bodies[0]).faces).all()
    side = np.linalg.norm(at[faces] - at[np.roll(faces, 1, axis=1)], axis=2)
    assert side.max() < 1.5 * np.sqrt(2) / 12  # no triangle drawn across a tear


def test_a_bake_goes_on_from_a_torn_state_to_the_bit() -> None:
    sheet = cloth("c", (0, 3, 0), (1, 1), (8, 8), matter={"weight": 0.3, "tear": 0.2}, pins=[held(-0.5), held(0.5)])
    ball = {"name": "ball", "shape": {"kind": "sphere", "radius": 0.12}, "material": {"mass": 40}}
    ball |= {"place": {"position": [0.05, 3.3, 0.02]}, "velocity": [0, -5, 0]}
    shot = shot_of(sheet, ball, frames=12)
    run = started(shot)
    for _ in range(6):
        run.advance()
    assert run.state.seam_broken.any()
    again = Run(run.shot, run.model, State.unpack(run.state.pack()))
    for _ in range(4):
        one, other = run.advance(), again.advance()
        assert one.events == other.events
        assert (one.arrays["points/c"] == other.arrays["points/c"]).all()


def test_pieces_of_a_soft_body_part_and_lie_on_each_other() -> None:
    bar: dict[str, Any] = soft("b", (0, 0.6, 0), (0.3, 1.2, 0.3), matter={"detail": 8, "young": 500, "damping": 0.02})
    bar |= {"pattern": SLABS | {"count": 3, "axis": [0, 1, 0]}}
    run = started(shot_of(bar, frames=48, ground={"on": True}))
    assert run.state.seam_broken.all() and run.model.deformables is not None
    for _ in range(48):
        run.advance()
    start, x = run.model.deformables.elements.vertices.rest, run.state.vertices.position
    for p, (low, high) in enumerate(((0.0, 0.4), (0.4, 0.8), (0.8, 1.2))):
        own = (start[:, 1] > low + 0.05) & (start[:, 1] < high - 0.05)
        assert x[own, 1].mean() == pytest.approx(start[own, 1].mean(), abs=0.02), p  # they stand on one another


def test_pieces_that_have_parted_can_be_thrown_apart_and_do_not_pass_through_each_other() -> None:
    bar: dict[str, Any] = soft("b", (0, 3, 0), (1.2, 0.3, 0.3), matter={"detail": 12, "young": 500, "damping": 0.02})
    bar |= {"pattern": SLABS | {"count": 2, "axis": [1, 0, 0]}}
    run = started(shot_of(bar, gravity=[0, 0, 0], frames=24))
    start = run.model.deformables.elements.vertices.rest  # type: ignore[union-attr]
    left = start[:, 0] < -0.1
    run.state.vertices.velocity[left] = [2.0, 0, 0]
    for _ in range(24):
        run.advance()
    x, v = run.state.vertices.position, run.state.vertices.velocity
    right = start[:, 0] > 0.1
    assert x[left, 0].max() < x[right, 0].min()
    assert v[right, 0].mean() > 0.5  # it was pushed


def test_creased_meshes_have_smooth_parts_of_their_own() -> None:
    box = creased(primitives.box((1, 1, 1), (2, 2, 2)))
    assert len(box.vertices) == 6 * 9 and len(box.faces) == 6 * 8
    ball = primitives.sphere(1.0, 24)
    assert len(creased(ball).vertices) == len(ball.vertices)


# --------------------------------------------------------------------------------- fields


def strain(load: float, **more: Any) -> dict[str, Any]:
    effect = {"kind": "strain", "load": load} | more.pop("effect", {})
    return {"name": "blow", "effect": effect, "reach": EVERYWHERE, "cue": {"kind": "at", "time": 0.2}} | more


def test_a_strain_opens_seams_that_bear_less() -> None:
    weightless = {"gravity": [0, 0, 0], "frames": 8}
    assert not opened(frames_of(shot_of(strip(1.0), fields=[strain(0.39)], **weightless)))
    events = opened(frames_of(shot_of(strip(1.0), fields=[strain(0.41)], **weightless)))
    assert len(events) == 3 and {e["frame"] for e in events} == {5}
    assert events[0]["causes"] == [{"field": "blow", "load": 0.41, "share": 1.0}]


def test_a_strain_reaches_only_its_targets_and_its_place() -> None:
    near = {"layers": [{"shape": {"kind": "sphere", "center": [0, 3, -0.4], "core": 0.1, "edge": 0}}]}
    events = opened(frames_of(shot_of(strip(1.0), fields=[strain(5, reach=near)], gravity=[0, 0, 0], frames=8)))
    assert [e["pieces"] for e in events] == [[0, 1]]
    other = cloth("other", (0, 1, 0), (1, 1), (2, 2))
    shot = shot_of(strip(1.0), other, fields=[strain(5, targets=["other"])], gravity=[0, 0, 0], frames=8)
    assert not opened(frames_of(shot))


def test_wear_adds_up_as_of_bonds() -> None:
    ticks = strain(0.1, effect={"mode": "wear"}, cue={"kind": "pulse", "start": 0.0, "every": 1 / 12})
    run = started(shot_of(strip(1.0), fields=[ticks], gravity=[0, 0, 0], frames=24))
    worn = []
    for _ in range(12):
        run.advance()
        worn.append(run.state.seam_wear.max())
    assert worn[:7:2] == pytest.approx([0.25, 0.5, 0.75, 1.0]) and run.state.seam_broken.all()  # 0.1 of 0.4 kN each


def test_a_burst_drives_patches_apart() -> None:
    middle = {"layers": [{"shape": {"kind": "sphere", "center": [0, 3, -0.5], "core": 9, "edge": 0}}]}
    blow = strain(5, effect={"burst": 3.0}, reach=middle)
    frames = frames_of(shot_of(strip(1.0), fields=[blow], gravity=[0, 0, 0], frames=12))
    at = points(frames, "strip")
    assert np.ptp(at[-1, :, 2]) > np.ptp(at[0, :, 2]) + 0.3


def test_torn_pieces_keep_their_momentum() -> None:
    sheet = cloth("c", (0, 3, 0), (1, 1), (6, 6), matter={"weight": 0.3, "tear": 0.001, "stretch": 5})
    run = started(shot_of(sheet, gravity=[0, 0, 0], frames=12))
    rng = np.random.default_rng(3)
    lead = run.deformable.parts.elements.vertices.lead  # type: ignore[union-attr]
    run.state.vertices.velocity[:] = rng.normal(size=run.state.vertices.velocity.shape)[lead]
    mass = run.model.deformables.own_mass  # type: ignore[union-attr]
    before = mass @ run.state.vertices.velocity
    for _ in range(12):
        run.advance()
    assert run.state.seam_broken.sum() > 10
    assert mass @ run.state.vertices.velocity == pytest.approx(before, abs=1e-9)


def test_a_bake_says_which_faces_and_lines_its_points_have() -> None:
    line = rope("r", (2, 3, 0), (2, 1, 0), segments=4, matter={"breaks": 1})
    whole = rope("w", (3, 3, 0), (3, 1, 0), segments=4)
    lump: dict[str, Any] = soft("s", (-2, 3, 0), (0.4, 0.4, 0.4), matter={"detail": 2})
    lump |= {"pattern": {"kind": "cells", "count": 3}, "bonds": {"strength": 5}}
    shot = shot_of(strip(1.0), line, whole, lump, frames=2)
    baked = bake(shot)
    assert set(baked.shapes) == {"faces/strip", "lines/r", "lines/w", "faces/s"}
    for body in shot.bodies:
        surface = drawn_surface(body)
        assert (baked.shapes.get(f"faces/{body.name}", surface.faces) == surface.faces).all()
        assert (baked.shapes.get(f"lines/{body.name}", surface.lines) == surface.lines).all()
        count = baked.maps[f"points/{body.name}"].shape[1]
        used = np.unique(np.concatenate([surface.faces.ravel(), surface.lines.ravel()]))
        assert (used == np.arange(count)).all()
    again = read_baked(write_frames(baked), write_events(baked.events))
    assert (again.shapes["faces/strip"] == baked.shapes["faces/strip"]).all() and "faces/s" not in again.maps
    out = export_scene(shot, [no_pieces()] * 4, baked)
    curves = {d.name: d.curves() for d in out.deforming if len(d.lines)}
    assert curves["r"][1] == [2, 2, 2, 2] and curves["w"][1] == [5]
    assert curves["w"][0].tolist() == [0, 1, 2, 3, 4]
    stage = write_usd(out)
    assert stage


def test_seams_are_numbered_over_all_bodies() -> None:
    line = rope("r", (2, 3, 0), (2, 1, 0), segments=4, matter={"breaks": 1})
    run = started(shot_of(strip(1.0), line))
    seams = seams_of(run)
    assert seams.body.tolist() == [0, 0, 0, 1, 1, 1]
    start = run.model.deformables.elements.vertices.rest  # type: ignore[union-attr]
    assert start[seams.link[:, 0]] == pytest.approx(start[seams.link[:, 1]])
    assert seams.piece[3:].tolist() == [[4, 5], [5, 6], [6, 7]]
    assert run.seams is not None and run.seams._pieces(4) == [1, 2]
    assert replace(seams).count == 6
