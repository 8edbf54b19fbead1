"""Ties and keys, as an artist sets them: a string placed in the view gives way, a keyed deck carries what lies on
it.
"""

from __future__ import annotations

import re
from io import BytesIO

import numpy as np
from hands import choose
from playwright.sync_api import Page, expect
from test_build_and_break import pick
from test_first_collapse import new_shot, saved, type_number

from dynaclast.runtime import Parts


def baked(page: Page, running: Parts) -> tuple[str, dict]:
    """Bake, wait for the end; the take's id and its events by kind."""
    page.keyboard.press("b")
    expect(page.locator(".take").first).to_contain_text("whole")
    shot = page.url.rsplit("/", 1)[1]
    take = page.request.get(f"{running.address}/api/shots/{shot}/takes").json()["takes"][0]["id"]
    events = page.request.get(f"{running.address}/api/takes/{take}/events?after=-1").json()["events"]
    return take, {e["kind"]: e for e in events}


def positions(page: Page, running: Parts, take: str) -> np.ndarray:
    """(F, P, 3) of a take, as exported."""
    data = page.request.get(f"{running.address}/api/takes/{take}/export?format=npz").body()
    return np.load(BytesIO(data))["position"]


def test_a_string_placed_in_the_view_snaps_at_its_load(page: Page, running: Parts) -> None:
    new_shot(page, running)
    page.get_by_test_id("add-box").click()
    type_number(page, "position y", "4")
    saved(page)
    page.get_by_test_id("step-bind").click()
    page.keyboard.press("0")
    page.wait_for_timeout(900)  # the camera comes to rest
    page.get_by_test_id("add-string").click()
    pick(page)
    expect(page.get_by_text("the string's other end")).to_be_visible()
    pick(page, 0.97, 0.9)  # on the ground
    expect(page.get_by_label("other end y", exact=True)).to_have_value("0")
    choose(page, page.get_by_test_id("tie-to"), "the world")
    type_number(page, "other end y", "9")
    page.get_by_text("at a load", exact=True).click()
    type_number(page, "load", "5 kN")
    expect(page.get_by_test_id("tie-string").first).to_be_visible()
    saved(page)
    page.keyboard.press("Escape")
    _, events = baked(page, running)
    assert (
        events["tie_broken"]["tie"] == "string" and events["tie_broken"]["load"] > events["tie_broken"]["strength"] == 5
    )
    expect(page.locator(".moment").first).to_contain_text("string gave way")
    page.get_by_test_id("step-bind").click()
    page.locator(".lane-name", has_text="string").click()
    expect(page.get_by_test_id("tie-gave-way")).to_contain_text("of 5")
    page.keyboard.press("Delete")
    expect(page.locator(".lane-name", has_text="string")).to_have_count(0)
    page.get_by_test_id("undo").click()
    expect(page.locator(".lane-name", has_text="string")).to_have_count(1)


def test_a_body_is_keyed_and_carries_another(page: Page, running: Parts) -> None:
    new_shot(page, running)
    page.get_by_test_id("add-sheet").click()
    type_number(page, "thickness", "0.2")
    type_number(page, "position y", "1")
    page.get_by_test_id("role-animated").click()
    page.get_by_test_id("put-key").click()
    timeline = page.get_by_test_id("timeline").bounding_box()
    assert timeline
    page.get_by_test_id("timeline").locator("svg").first.click(position={"x": timeline["width"] / 2, "y": 40})
    at = int(re.findall(r"\d+", page.locator(".head b").inner_text())[0])
    assert 110 < at < 130
    type_number(page, "position y", "2.5")  # with keys, moving sets one
    expect(page.get_by_test_id("put-key")).to_have_text(f"Key at f {at} is set")
    expect(page.locator("[data-testid^=key-sheet]")).to_have_count(2)
    saved(page)
    page.get_by_test_id("add-box").click()
    type_number(page, "size w", "1")
    type_number(page, "position x", "0")  # not beside it, but on it
    type_number(page, "position y", "2.12")
    saved(page)
    take, _ = baked(page, running)
    place = positions(page, running, take)
    assert abs(place[at, 0, 1] - 2.5) < 1e-3 and abs(place[0, 0, 1] - 1.0) < 1e-6
    assert abs(place[-1, 1, 1] - place[0, 1, 1] - 1.5) < 0.03  # the box rode up with it
    page.get_by_test_id("undo").click()
    saved(page)
