"""The list of shots: one menu for all of them, by mouse and by keyboard."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from dynaclast.runtime import Parts

MENU_HANGS_FROM = """button => [...document.querySelectorAll(".el-dropdown-menu")].some(menu => {
    const [a, b] = [menu.getBoundingClientRect(), button.getBoundingClientRect()];
    return a.width && Math.abs(a.right - b.right) < 40 && Math.abs(a.top - b.bottom) < 40;
})"""
"""Whether an open menu stands right below a button."""


def make_shot(page: Page, running: Parts, name: str) -> None:
    made = page.request.post(
        f"{running.address}/api/shots", data={"name": name, "document": {"name": name}}, headers={"X-Dynaclast": "1"}
    )
    assert made.ok


def test_a_shot_is_renamed_doubled_deleted_and_brought_back_from_the_list(page: Page, running: Parts) -> None:
    for name in ("pier", "quay"):
        make_shot(page, running, name)
    page.goto(running.address)
    card = page.get_by_role("listitem").filter(has_text="pier")
    item = page.locator(".el-dropdown-menu__item:visible")
    card.locator("button.menu").click()
    other = page.get_by_role("listitem").filter(has_text="quay").locator("button.menu")
    other.click()  # the menu goes over to it
    page.wait_for_function(MENU_HANGS_FROM, arg=other.element_handle())
    expect(item).to_have_count(3)
    page.keyboard.press("Escape")
    expect(item).to_have_count(0)
    card.locator("button.menu").focus()
    page.keyboard.press("Enter")
    item.get_by_text("rename").click()
    expect(page.get_by_label("name of the shot")).to_be_focused()
    page.keyboard.type(" at night")
    page.keyboard.press("Enter")
    named = page.get_by_role("listitem").filter(has_text="pier at night")
    expect(named).to_have_count(1)
    named.locator("button.menu").click()
    item.get_by_text("duplicate").click()
    copy = page.get_by_role("listitem").filter(has_text="pier at night 2")
    expect(copy).to_have_count(1)
    copy.locator("button.menu").click()
    item.get_by_text("delete").click()
    expect(copy).to_have_count(0)
    page.get_by_test_id("restore-shot").click()
    expect(copy).to_have_count(1)
    expect(page.get_by_role("listitem").filter(has_text="quay")).to_have_count(1)


def test_a_view_in_which_nothing_moves_draws_nothing(page: Page, running: Parts) -> None:
    page.goto(running.address)
    page.evaluate(
        "() => { window.asked = 0; const before = requestAnimationFrame;"
        "window.requestAnimationFrame = (f) => (window.asked++, before.call(window, f)) }"
    )
    page.get_by_test_id("new-shot").click()
    page.get_by_test_id("add-box").click()
    expect(page.get_by_test_id("size")).to_contain_text("2 × 2 × 2 m")
    page.wait_for_timeout(1500)  # the camera comes to rest
    before = page.evaluate("window.asked")
    page.wait_for_timeout(1000)
    assert page.evaluate("window.asked") == before
    view = page.get_by_test_id("view").bounding_box()
    assert view
    page.mouse.move(view["x"] + 300, view["y"] + 300)
    page.mouse.wheel(0, -300)
    page.wait_for_timeout(500)
    assert page.evaluate("window.asked") > before


def test_pulled_to_a_surface_the_first_body_that_has_one_is_taken(page: Page, running: Parts) -> None:
    page.goto(running.address)
    page.get_by_test_id("new-shot").click()
    page.get_by_test_id("add-box").click()
    expect(page.get_by_test_id("size")).to_contain_text("2 × 2 × 2 m")
    page.get_by_test_id("matter-soft").click()
    page.get_by_test_id("step-drive").click()
    page.get_by_test_id("add-attractor").click()
    page.get_by_text("surface", exact=True).click()
    expect(page.locator(".row", has_text="of").filter(has=page.get_by_text("box", exact=True))).not_to_have_count(0)
    expect(page.get_by_role("banner")).to_contain_text("saved")
    expect(page.locator(".problem")).to_have_count(0)
