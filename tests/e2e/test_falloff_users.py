"""One falloff with many users, maps seen before and in a take, a mesh out of a falloff, the library, and a field that
cannot act.
"""

from __future__ import annotations

from io import BytesIO

import numpy as np
from hands import choose
from playwright.sync_api import Page, expect
from test_drive import balls
from test_first_collapse import broken_pillar, new_shot, saved, type_number
from test_tie_and_key import baked

from dynaclast.runtime import Parts


def arrays(page: Page, running: Parts, take: str) -> dict[str, np.ndarray]:
    with np.load(BytesIO(page.request.get(f"{running.address}/api/takes/{take}/export?format=npz").body())) as z:
        return {k: z[k] for k in z.files}


def test_a_falloff_crowds_a_break_and_makes_a_map_that_the_take_keeps(page: Page, running: Parts) -> None:
    broken_pillar(page, running)
    page.get_by_test_id("step-drive").click()
    page.keyboard.press("Escape")
    page.get_by_test_id("add-falloff").click()
    for label, value in (
        ("centre x", "0"),
        ("centre y", "5"),
        ("centre z", "0"),
        ("core radius", "0.6"),
        ("edge width", "0.8"),
    ):
        type_number(page, label, value)
    page.get_by_test_id("add-map").click()
    expect(page.get_by_test_id("map-figures")).to_contain_text("of 30 pieces")
    page.get_by_test_id("ramp-tide").click()
    saved(page)
    before = page.get_by_test_id("map-figures").inner_text()
    page.get_by_test_id("step-break").click()
    page.locator(".item:visible", has_text="box").first.click()
    page.get_by_role("button", name="crowd by a falloff").click()
    choose(page, page.get_by_test_id("use-crowding"), "falloff")
    saved(page)
    page.get_by_test_id("step-drive").click()
    page.locator(".shared", has_text="map").click()
    expect(page.get_by_test_id("map-figures")).not_to_have_text(before)  # more of the pieces lie up there now
    page.locator(".shared", has_text="2 users").click()
    expect(page.locator(".inspector")).to_contain_text("break of box")
    take, _ = baked(page, running)
    got = arrays(page, running, take)
    place = np.clip((np.linalg.norm(got["position"][0] - [0, 5, 0], axis=1) - 0.6) / 0.8, 0, 1)
    np.testing.assert_allclose(got["map/map"][0], 1 - place**2 * (3 - 2 * place), atol=2e-5)
    assert got["field_names"].tolist() == ["anchor", "strain"] and got["acted"].max() >= 2
    page.get_by_test_id("map-map").click()
    expect(page.locator(".legend")).to_contain_text("map")
    page.get_by_test_id("see-fields").click()
    expect(page.locator(".legend")).to_contain_text("breaks")


def test_a_mesh_is_made_out_of_a_falloff_and_goes_with_its_size(page: Page, running: Parts) -> None:
    new_shot(page, running)
    page.get_by_test_id("step-drive").click()
    page.get_by_test_id("add-falloff").click()
    for label, value in (("centre y", "2"), ("core radius", "1"), ("edge width", "1")):
        type_number(page, label, value)
    page.get_by_test_id("make-mesh").click()
    expect(page.get_by_test_id("size")).to_contain_text("3 × 3 × 3 m")  # the smooth edge is half way at one half
    type_number(page, "level", "0.9")
    expect(page.get_by_test_id("size")).not_to_contain_text("3 × 3 × 3 m")
    saved(page)


def test_a_field_is_kept_in_the_library_and_one_that_cannot_act_holds_the_bake_until_told(
    page: Page, running: Parts
) -> None:
    balls(page, running)
    page.get_by_test_id("add-drag").click()
    page.get_by_test_id("keep-field").click()
    expect(page.get_by_test_id("keep-field")).to_have_text("Keep it anew")
    balls(page, running)
    page.get_by_test_id("bring-drag").click()
    expect(page.get_by_test_id("reach-count")).to_contain_text("reaches 2 of 2")
    for cell in (0, 1):
        page.locator(".cell").nth(cell).click()
    saved(page)
    page.keyboard.press("b")
    expect(page.get_by_test_id("faulty")).to_contain_text("drag cannot act: it has no targets")
    expect(page.locator(".take")).to_have_count(0)
    page.get_by_test_id("bake-without").click()
    expect(page.locator(".take").first).to_contain_text("whole")
    page.get_by_test_id("step-drive").click()
    page.get_by_label("Take it out of the library").click()
    expect(page.get_by_test_id("bring-drag")).to_have_count(0)
