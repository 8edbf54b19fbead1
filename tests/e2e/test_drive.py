"""Driving a collapse: a vortex placed and keyed, a falloff shared, targets narrowed, keys moved on the cue sheet; the
result read from the take.
"""

from __future__ import annotations

import re

import numpy as np
from hands import choose
from playwright.sync_api import Page, expect
from test_first_collapse import new_shot, saved, type_number
from test_tie_and_key import baked, positions

from dynaclast.runtime import Parts


def seek(page: Page, share: float) -> int:
    """Click the run strip at a share of its length; the frame it gives."""
    timeline = page.get_by_test_id("timeline").bounding_box()
    assert timeline
    page.get_by_test_id("timeline").locator("svg").first.click(
        position={"x": 8 + (timeline["width"] - 16) * share, "y": 40}
    )
    return int(re.findall(r"\d+", page.locator(".head b").inner_text())[0])


def balls(page: Page, running: Parts) -> None:
    """Two bodies beside each other, without weight."""
    new_shot(page, running)
    for k, name in enumerate(("sphere", "sphere 2")):
        page.get_by_test_id("step-build").click()
        page.get_by_test_id("add-sphere").click()
        type_number(page, "radius", "0.2")
        type_number(page, "position x", str(1.5 - 3 * k))
        type_number(page, "position y", "3")
        type_number(page, "gravity", "0")
        expect(page.locator(".item:visible", has_text=name).first).to_be_visible()
    saved(page)
    page.get_by_test_id("step-drive").click()
    page.keyboard.press("Escape")


def test_a_vortex_is_placed_keyed_and_narrowed(page: Page, running: Parts) -> None:
    balls(page, running)
    page.get_by_test_id("add-vortex").click()
    for label, value in (
        ("centre x", "0"),
        ("centre y", "3"),
        ("centre z", "0"),
        ("core radius", "4"),
        ("edge width", "1"),
        ("inward", "0"),
        ("lift", "0"),
        ("swirl", "4"),
        ("core", "1.5"),
    ):
        type_number(page, label, value)
    expect(page.get_by_test_id("reach-count")).to_contain_text("reaches 2 of 2")
    expect(page.get_by_test_id("expected")).to_contain_text("turns a second in the core")
    page.locator(".cell").nth(1).click()  # the second body is left out
    expect(page.get_by_test_id("reach-count")).to_contain_text("reaches 1 of 1")
    seek(page, 0.0)
    page.get_by_test_id("key-swirl").click()
    at = seek(page, 0.5)
    type_number(page, "swirl", "0")  # keyed, so a key at the playhead
    pegs = page.locator("[data-testid='peg-vortex-effect.swirl']")
    expect(pegs).to_have_count(2)
    saved(page)
    take, _ = baked(page, running)
    place = positions(page, running, take)
    speed = np.linalg.norm(np.diff(place, axis=0), axis=2) * 24
    assert speed[20:40, 0].max() > 2 and (place[:, 1] == place[0, 1]).all()
    assert speed[-1, 0] < speed[30, 0] and abs(at - 120) <= 1
    # the keys on the cue sheet: chosen with a box, moved, deleted, undone
    page.get_by_test_id("step-drive").click()
    box = pegs.last.bounding_box()
    assert box
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x - 180, y, steps=8)
    page.mouse.up()
    expect(page.get_by_test_id("take-chip")).to_contain_text("out of date")
    moved = pegs.last.bounding_box()
    assert moved and abs(moved["x"] - box["x"] + 180) < 12
    saved(page)
    page.keyboard.press("Delete")
    expect(pegs).to_have_count(1)
    saved(page)
    page.get_by_test_id("undo").click()
    expect(pegs).to_have_count(2)


def test_one_falloff_is_shared_by_two_fields_and_pasted_into_another_shot(page: Page, running: Parts) -> None:
    balls(page, running)
    page.get_by_test_id("add-push").click()
    for label, value in (
        ("centre x", "1.5"),
        ("centre y", "3"),
        ("centre z", "0"),
        ("core radius", "0.5"),
        ("edge width", "0.5"),
    ):
        type_number(page, label, value)
    expect(page.get_by_test_id("reach-count")).to_contain_text("reaches 1 of 2")
    page.get_by_test_id("share-reach").click()
    page.keyboard.press("Escape")
    page.get_by_test_id("add-spin").click()
    choose(page, page.get_by_test_id("reach-use"), "push reach")
    expect(page.get_by_test_id("reach-count")).to_contain_text("reaches 1 of 2")
    page.get_by_role("button", name="Open push reach").click()
    type_number(page, "core radius", "5")  # for both at once
    for name in ("push", "spin"):
        page.locator(".lane-name", has_text=re.compile(f"^{name}$")).click()
        expect(page.get_by_test_id("reach-count")).to_contain_text("reaches 2 of 2")
    saved(page)
    take, events = baked(page, running)
    assert events["cue"]["field"] in ("push", "spin")
    place = positions(page, running, take)
    assert ((place[40] - place[0])[:, 0] > 1).all()
    page.get_by_test_id("step-drive").click()
    page.locator(".lane-name", has_text=re.compile("^push$")).click()
    page.get_by_test_id("copy-field").click()
    balls(page, running)
    page.get_by_test_id("paste-field").click()
    expect(page.get_by_test_id("reach-count")).to_contain_text("reaches 2 of 2")
    expect(page.locator(".shared")).to_contain_text("push reach")
    saved(page)


def test_a_formula_says_where_it_is_wrong_and_the_rest_goes_on(page: Page, running: Parts) -> None:
    balls(page, running)
    page.get_by_test_id("add-wind").click()
    page.get_by_test_id("add-layer").click()
    page.get_by_test_id("layer-expression").click()
    formula = page.get_by_label("formula")
    formula.fill("value * (x >")
    formula.blur()
    expect(page.get_by_test_id("save-state")).to_have_text("saved, but for one value")
    expect(page.get_by_text("at character 13")).to_be_visible()
    formula.fill("value * (x > 0)")
    formula.blur()
    saved(page)
    expect(page.get_by_test_id("reach-count")).to_contain_text("reaches 1 of 2")
