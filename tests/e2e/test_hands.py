"""What hands are used to: choosing many, copying, pasting, taking back; and what nobody may lose by a wrong value."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hands import bring_in
from playwright.sync_api import Page, expect
from test_first_collapse import broken_pillar, new_shot, saved, type_number
from test_tie_and_key import positions

from dynaclast.core.geometry import primitives
from dynaclast.runtime import Parts

AXE = Path(__file__).parents[2] / "ui" / "node_modules" / "axe-core" / "axe.min.js"


def names(page: Page) -> list[str]:
    return [str(t.get_attribute("data-name")) for t in page.locator(".item:visible").all()]


def document_of(page: Page, running: Parts) -> dict[str, Any]:
    """The shot that is open, as it is kept."""
    shot = page.request.get(f"{running.address}/api/shots/{page.url.rsplit('/', 1)[1]}").json()
    return dict(shot["document"])


def test_many_are_chosen_doubled_pasted_elsewhere_and_deleted_as_one(page: Page, running: Parts) -> None:
    new_shot(page, running)
    for kind in ("box", "sphere", "cone"):
        page.get_by_test_id(f"add-{kind}").click()
    page.locator(".item:visible .name").first.click()
    page.locator(".item:visible .name").nth(2).click(modifiers=["Shift"])
    page.keyboard.press("Control+d")
    saved(page)
    assert names(page) == ["box", "sphere", "cone", "box 2", "sphere 2", "cone 2"]
    page.keyboard.press("Control+c")
    new_shot(page, running)
    page.keyboard.press("Control+v")
    saved(page)
    assert names(page) == ["box 2", "sphere 2", "cone 2"]
    page.keyboard.press("Control+a")
    page.keyboard.press("Delete")
    saved(page)
    assert names(page) == []
    page.keyboard.press("Control+z")
    expect(page.locator(".item:visible")).to_have_count(3)


def test_several_are_edited_as_one_and_a_field_is_put_where_the_view_is_clicked(page: Page, running: Parts) -> None:
    new_shot(page, running)
    for kind in ("box", "sphere", "cone"):
        page.get_by_test_id(f"add-{kind}").click()
        expect(page.get_by_test_id("size")).to_be_visible()
    saved(page)
    page.keyboard.press("Escape")
    page.keyboard.press("Control+a")
    expect(page.get_by_test_id("alike")).to_contain_text("3 chosen")
    type_number(page, "position z", "2")
    type_number(page, "density", "700")
    saved(page)
    bodies = document_of(page, running)["bodies"]
    assert [(b["place"]["position"][2], b["material"]["density"]) for b in bodies] == [(2, 700)] * 3
    assert len({b["place"]["position"][0] for b in bodies}) == 3  # they stand beside each other, each where it stood
    page.keyboard.press("Escape")
    page.get_by_test_id("step-drive").click()
    page.get_by_test_id("add-push").click()
    page.get_by_test_id("place-field").click()
    view = page.get_by_test_id("view").bounding_box()
    assert view
    page.mouse.click(view["x"] + view["width"] / 2, view["y"] + view["height"] * 0.9)  # on the ground, in front
    expect(page.get_by_test_id("place-field")).to_have_text("place it by a click")
    saved(page)
    field = document_of(page, running)["fields"][0]
    assert field["reach"]["layers"][0]["shape"]["center"][1] == pytest.approx(0, abs=1e-3)
    assert field["effect"]["direction"] == pytest.approx([0, -1, 0])


def test_a_wall_of_ones_own_is_anchored_struck_and_falls_within_thirty_actions(page: Page, running: Parts) -> None:
    """Counted: every press of the pointer, every number typed, every key."""
    page.goto(running.address)
    actions = 0

    def press(what: str) -> None:
        nonlocal actions
        page.get_by_test_id(what).click()
        actions += 1

    def put(label: str, text: str) -> None:
        nonlocal actions
        type_number(page, label, text)
        actions += 2

    press("new-shot")
    press("add-box")
    expect(page.get_by_test_id("size")).to_contain_text("2 × 2 × 2 m")
    put("size w", "4")
    put("size h", "3")
    put("size d", "40 cm")
    put("position y", "1.5")
    press("step-break")
    press("break-it")
    expect(page.get_by_test_id("break-figures")).to_contain_text(re.compile(r"pieces\d+"))
    press("step-bind")
    press("add-anchor")
    expect(page.get_by_test_id("reach-count")).to_contain_text(re.compile(r"holds [1-9]"))
    press("step-drive")
    press("add-strain")
    expect(page.get_by_test_id("reach-count")).to_contain_text(re.compile(r"reaches [1-9]"))
    put("load", "3 MN")
    put("burst with it", "4")
    saved(page)
    press("bake")
    expect(page.locator(".take").first).to_contain_text("whole", timeout=120_000)
    press("play")
    assert actions <= 30
    shot = page.url.rsplit("/", 1)[1]
    take = page.request.get(f"{running.address}/api/shots/{shot}/takes").json()["takes"][0]["id"]
    place = positions(page, running, take)
    fell = (place[0] - place[-1])[:, 1]
    assert (fell > 0.5).mean() > 0.3  # a good part of it lies lower than it stood
    assert (np.abs(fell) < 0.02).any()  # its foot is held


def test_the_keyboard_alone_leads_from_an_empty_shot_to_a_file(page: Page, running: Parts) -> None:
    page.goto(running.address)
    expect(page.get_by_test_id("new-shot")).to_be_visible()

    def enter(what: str) -> None:
        """Tab until it has the focus, then press it."""
        for _ in range(150):
            if page.evaluate("document.activeElement?.dataset.testid ?? ''") == what:
                return page.keyboard.press("Enter")
            page.keyboard.press("Tab")
        raise AssertionError(f"Tab never comes to {what}")

    enter("new-shot")
    expect(page.get_by_text("Start with something to break")).to_be_visible()
    enter("add-box")
    expect(page.get_by_test_id("size")).to_be_visible()
    for key, what, seen in (
        ("2", "break-it", "break-figures"),
        ("3", "add-anchor", "reach-count"),
        ("4", "add-strain", "reach-count"),
    ):
        page.keyboard.press(key)
        enter(what)
        expect(page.get_by_test_id(seen)).to_be_visible()
    saved(page)
    page.keyboard.press("b")
    expect(page.locator(".take").first).to_contain_text("whole", timeout=120_000)
    page.keyboard.press("6")
    with page.expect_download() as download:
        enter("export-npz")
    assert download.value.suggested_filename.endswith(".npz")


@pytest.mark.parametrize("size", [(1024, 700), (1920, 1080), (2560, 1440)])
def test_most_of_any_screen_is_the_view(page: Page, running: Parts, size: tuple[int, int]) -> None:
    page.set_viewport_size({"width": size[0], "height": size[1]})
    new_shot(page, running)
    page.get_by_test_id("add-box").click()
    expect(page.get_by_test_id("size")).to_be_visible()
    boxes = [page.locator(of).first.bounding_box() for of in (".panel", "[data-testid=view]", "aside.inspector")]
    panel, view, inspector = ((b["x"], b["width"], b["height"]) for b in boxes if b)
    assert panel[0] + panel[1] <= view[0] + 4 and view[0] + view[1] <= inspector[0] + 4
    assert inspector[0] + inspector[1] == pytest.approx(size[0], abs=4)
    assert view[1] > 0.4 * size[0] and view[2] > 0.6 * size[1]
    assert panel[1] >= 230 and inspector[1] >= 230
    page.set_viewport_size({"width": 1280, "height": 800})


def test_a_body_is_renamed_hidden_and_held_in_its_list(page: Page, running: Parts) -> None:
    new_shot(page, running)
    page.get_by_test_id("add-box").click()
    page.locator(".item:visible .name").dblclick()
    page.get_by_label("name of the body").fill("wall")
    page.keyboard.press("Enter")
    saved(page)
    assert names(page) == ["wall"]
    page.locator(".item:visible").hover()
    page.get_by_label("Hide wall (H)").click()
    expect(page.locator(".item.off")).to_have_count(1)
    page.locator(".item:visible .name").click(button="right")
    page.get_by_role("menuitem", name="double").click()
    saved(page)
    assert names(page) == ["wall", "wall 2"]
    page.get_by_test_id("add-tube").click()
    page.keyboard.press("b")  # no field has the focus: this bakes
    expect(page.locator(".take").first).to_contain_text("whole", timeout=90_000)


def test_a_deleted_take_comes_back_and_its_settings_too(page: Page, running: Parts) -> None:
    new_shot(page, running)
    page.get_by_test_id("add-box").click()
    type_number(page, "position y", "3")
    page.locator("h1").click()
    page.keyboard.press("Escape")
    type_number(page, "frames", "8")
    saved(page)
    page.get_by_test_id("bake").click()
    expect(page.locator(".take").first).to_contain_text("whole", timeout=90_000)
    page.get_by_test_id("take-menu-1").click()
    page.get_by_role("menuitem", name="name it, note").click()
    page.get_by_label("name of the take").fill("first fall")
    page.keyboard.press("Enter")
    expect(page.locator(".take")).to_contain_text("first fall")
    page.get_by_test_id("take-menu-1").click()
    page.get_by_role("menuitem", name="delete").click()
    expect(page.locator(".take")).to_have_count(0)
    page.get_by_test_id("restore-take").click()
    expect(page.locator(".take")).to_contain_text("first fall")
    page.get_by_test_id("step-build").click()
    page.locator(".item:visible .name").click()
    type_number(page, "position y", "7")
    saved(page)
    page.get_by_test_id("step-run").click()
    page.get_by_test_id("take-menu-1").click()
    page.get_by_role("menuitem", name="back to its settings").click()
    saved(page)
    expect(page.locator('input[aria-label="position y"]:visible')).to_have_value("3")


def test_a_file_finds_its_size_and_the_view_finds_it(page: Page, running: Parts, tmp_path: Path) -> None:
    """A slab of 3 by 2 by 1 metres, in centimetres, its z up."""
    mesh = primitives.box((300.0, 200.0, 100.0))
    rows = ["v {} {} {}".format(*v) for v in mesh.vertices] + ["f {} {} {}".format(*(f + 1)) for f in mesh.faces]
    (tmp_path / "slab.obj").write_text("\n".join(rows))
    new_shot(page, running)
    bring_in(page, tmp_path / "slab.obj")
    expect(page.get_by_test_id("unit-proposal")).to_contain_text("cm would make it 3 m")
    page.get_by_role("button", name="Take cm").click()
    expect(page.get_by_test_id("size")).to_contain_text("3 × 2 × 1 m")
    page.get_by_test_id("mesh-state").get_by_text("z", exact=True).click()
    expect(page.locator('input[aria-label="position y"]:visible')).to_have_value("0.5")  # stood on the ground
    expect(page.locator(".bar .figures", has_text="m").first).to_have_text(re.compile(r"^(1 m|50 cm|20 cm)$"))
    needle = page.get_by_test_id("compass").locator("g")
    before = needle.get_attribute("transform")
    spot = page.get_by_test_id("compass").bounding_box()
    assert spot
    page.mouse.click(spot["x"] + spot["width"] / 2, spot["y"] + 4)
    expect(needle).not_to_have_attribute("transform", before or "")
    expect(page.locator(".item.chosen")).to_have_count(1)


def test_moves_become_keys_where_that_is_switched_on(page: Page, running: Parts) -> None:
    new_shot(page, running)
    page.get_by_test_id("add-box").click()
    page.get_by_test_id("role-animated").click()
    page.get_by_test_id("auto-key").click()
    page.get_by_test_id("timeline").locator("svg").first.click(position={"x": 500, "y": 40})
    type_number(page, "position x", "4")
    expect(page.locator("[data-testid^=key-box]")).to_have_count(2)
    type_number(page, "rotation y", "540")
    saved(page)
    expect(page.locator('input[aria-label="rotation y"]:visible')).to_have_value("540")
    page.keyboard.press("Home")
    expect(page.locator('input[aria-label="position x"]:visible')).to_have_value("0")
    expect(page.locator('input[aria-label="rotation y"]:visible')).to_have_value("0")


def test_a_wrong_value_stays_at_its_control_and_the_rest_is_saved(page: Page, running: Parts) -> None:
    broken_pillar(page, running)
    choose_times = page.get_by_test_id("cue-kind-hand")
    choose_times.click()
    times = page.get_by_role("textbox", name="times")
    times.fill("1, soon")
    times.blur()
    expect(page.get_by_text("'soon'")).to_be_visible()
    assert times.input_value() == "1, soon"
    times.fill("1, 12 f")
    times.blur()
    saved(page)
    assert times.input_value() == "0.5, 1"
    load = page.locator('input[aria-label="load"]:visible')
    load.fill("two")
    load.blur()
    expect(page.get_by_text("a number is missing")).to_be_visible()
    assert load.input_value() == "two"
    load.press("Escape")
    assert load.input_value() != "two"


@pytest.mark.parametrize("theme", ["dark", "light"])
def test_nothing_serious_stands_in_the_way_of_anyone(page: Page, running: Parts, theme: str) -> None:
    page.goto(running.address)
    page.evaluate(f"localStorage.setItem('theme', '{theme}')")
    broken_pillar(page, running)

    found: list[tuple] = []

    def check(where: str) -> None:
        page.mouse.move(640, 300)  # away from what has hints
        page.wait_for_timeout(800)  # what folds and fades comes to rest
        page.evaluate(AXE.read_text())
        said = page.evaluate("axe.run(document, { resultTypes: ['violations'] })")
        found.extend(
            (where, v["id"], [n["target"] for n in v["nodes"]][:3], v["nodes"][0].get("failureSummary", "")[:300])
            for v in said["violations"]
            if v["impact"] in ("serious", "critical")
        )

    steps = ("build", "break", "bind", "drive", "run", "export")
    for step in steps if theme == "dark" else ("drive",):
        page.get_by_test_id(f"step-{step}").click()
        if step == "drive":
            page.get_by_test_id("add-strain").click()
            page.get_by_test_id("add-vortex").click()
        check(step)
    page.keyboard.press("?")
    check("keys")
    page.goto(running.address)
    expect(page.get_by_test_id("shot-card").first).to_be_visible()
    check("shots")
    assert not found, "\n".join(map(str, found))
