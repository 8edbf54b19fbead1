"""The shipped shots are examples: each reads, holds up in preflight, and shows what it is for in its first moments."""

from __future__ import annotations

import importlib.util
from pathlib import Path

import numpy as np
import pytest

from dynaclast.core import document
from dynaclast.core.bake import bake
from dynaclast.core.document import Shot
from dynaclast.core.layout import written_out
from dynaclast.core.preflight import preflight
from resuming import interrupted
from shots import built_once

SHOTS = {p.stem: p for p in (Path(__file__).parents[2] / "demo").glob("*.json")}


def read(name: str) -> Shot:
    return document.parse_json(SHOTS[f"skerry-light-{name}"].read_bytes())


@pytest.mark.parametrize("name", sorted(SHOTS))
def test_every_demo_shot_reads_and_passes_preflight(name: str) -> None:
    shot = document.parse_json(SHOTS[name].read_bytes())
    assert shot.name.startswith("Skerry Light: ") and document.parse(document.dump(shot)) == shot
    whole = written_out(shot)
    assert preflight(whole, [built_once(b).scaled(b.factor) for b in whole.bodies]) == []


LONG_ENOUGH, DEFORMING, MANY = 32, 10, 16
"""Frames, in which most demo shots have broken and fall; of those in which something deforms, or of many bodies."""


@pytest.mark.parametrize("name", sorted(SHOTS))
def test_every_demo_shot_goes_on_from_every_chunk(name: str) -> None:
    scene = document.parse_json(SHOTS[name].read_bytes())
    most = LONG_ENOUGH if len(scene.bodies) < 5 else MANY
    most = DEFORMING if any(b.deforms for b in scene.bodies) else most
    scene.timing.frames = min(scene.timing.frames, most)
    assert interrupted(scene, every=most // 2) == []


def test_the_documents_are_what_their_maker_writes() -> None:
    path = Path(__file__).parents[2] / "demo" / "make.py"
    spec = importlib.util.spec_from_file_location("make", path)
    assert spec and spec.loader
    made = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(made)
    assert {f"skerry-light-{name}" for name in made.SHOTS} == set(SHOTS)
    for name, make in made.SHOTS.items():
        path = SHOTS[f"skerry-light-{name}"]
        assert made.written(make, *made.settled_in(path)) == path.read_text(), name
        assert set(made.SETTLED.get(name, ([], []))[0]) <= set(made.settled_in(path)[0]), name


def test_the_boathouse_waits_for_the_squall() -> None:
    baked = bake(read("boathouse"), frame_count=22)
    assert np.abs(baked.position[17] - baked.position[0]).max() == 0 and baked.stats["moving"][22] > 200
    assert {e["kind"] for e in baked.events} >= {"cue", "release", "bond_broken"}


def test_the_pane_breaks_where_the_stone_hits_it_and_the_others_stand() -> None:
    baked = bake(read("lantern-glass"), frame_count=8)
    struck = {e["body"] for e in baked.events if e["kind"] == "bond_broken"}
    assert struck == {"pane 1"} and all(
        c.get("impact") == "thrown stone" for e in baked.events if e["kind"] == "bond_broken" for c in e["causes"]
    )


def test_only_rocks_that_are_touched_roll() -> None:
    baked = bake(read("rocks"), frame_count=30)
    told = {e["body"] for e in baked.events if e["kind"] == "release"}
    moved = np.linalg.norm(baked.position[-1] - baked.position[0], axis=1) > 1e-3
    assert 0 < len(told) < 60 and {baked.body_names[baked.piece_body[p]] for p in np.flatnonzero(moved)} <= told | {
        "great stone"
    }


def test_the_undercut_tower_comes_down_by_its_own_weight() -> None:
    baked = bake(read("undercut-tower"), frame_count=110)
    first = {e["frame"] for e in baked.events if e["kind"] == "bond_broken" and "field" in e["causes"][0]}
    assert first == {25}
    after = [e for e in baked.events if e["kind"] == "bond_broken" and 25 < e["frame"] < 50]
    why = [next(iter(e["causes"][0])) for e in after]
    assert len(after) > 5 and set(why) <= {"weight", "motion", "impact"}
    assert sum(w == "weight" for w in why) > 0.3 * len(why)
    top = baked.position[:, np.argmax(baked.position[0, :, 1]), 1]
    assert top[40] > 0.95 * top[0] and top[110] < 0.6 * top[0]  # it leans for a while before it falls


def test_the_mooring_ropes_part_one_after_the_other_each_at_its_load() -> None:
    shot = read("mooring")
    baked = bake(shot, frame_count=56)
    parted = [(e["frame"], e["body"], e["load"]) for e in baked.events if e["kind"] == "seam_opened"]
    assert [name for _, name, _ in parted] == ["rope 1", "rope 2", "rope 3"]
    assert len({frame for frame, _, _ in parted}) == 3
    for (_, name, load), bears in zip(parted, (3.0, 4.5, 7.0), strict=True):
        assert bears < load < 1.4 * bears, name


def test_the_mast_leans_with_the_wind_that_walks_round_it() -> None:
    baked = bake(read("rubber-mast"), frame_count=40)
    points = baked.maps["points/mast"]
    tip = points[:, points[0, :, 1] > 3.99].mean(axis=1)
    first, later = tip[14] - tip[0], tip[38] - tip[0]
    assert first[0] > 0.3 and abs(first[2]) < first[0]
    assert later[2] > 0.3 and later[0] < 0.5 * first[0]
    foot = points[:, points[0, :, 1] < 0.15]
    assert np.abs(foot - foot[0]).max() < 0.02


def test_the_figurehead_comes_off_from_the_side_that_is_reached_first() -> None:
    baked = bake(read("figurehead"), frame_count=40)
    points = baked.maps["points/figurehead"]
    moved = np.linalg.norm(points[-1] - points[0], axis=1)
    near = points[0, :, 0] < -0.9
    far = points[0, :, 0] > 0.9
    assert (moved[near] > 0.3).mean() > 0.5 and moved[far].max() < 0.5
