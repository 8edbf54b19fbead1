"""Build and break, as an artist does it: a bad mesh mended, tiers, a scatter, a radial break."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
from hands import bring_in, choose
from playwright.sync_api import Page, expect
from test_first_collapse import new_shot, saved, type_number

from dynaclast.core.geometry import primitives
from dynaclast.runtime import Parts


def pick(page: Page, dx: float = 0.5, dy: float = 0.5, **more: list) -> None:
    view = page.get_by_test_id("view").bounding_box()
    assert view
    page.get_by_test_id("view").locator("canvas").click(
        position={"x": view["width"] * dx, "y": view["height"] * dy}, **more
    )


def torn_buoy(folder: Path) -> Path:
    """A ball with two holes and a face that looks the other way."""
    ball = primitives.sphere(1.0, 20)
    faces = np.delete(ball.faces, [4, 5, 60], axis=0)
    faces[90] = faces[90][::-1]
    rows = ["v {} {} {}".format(*v) for v in ball.vertices] + ["f {} {} {}".format(*(f + 1)) for f in faces]
    (folder / "buoy.obj").write_text("\n".join(rows))
    return folder / "buoy.obj"


def test_a_bad_mesh_is_seen_reported_mended_and_undone(page: Page, running: Parts, tmp_path: Path) -> None:
    new_shot(page, running)
    bring_in(page, torn_buoy(tmp_path))
    expect(page.get_by_test_id("import-notes")).to_contain_text("OBJ says no unit: read as metres")
    expect(page.get_by_test_id("defect").first).to_contain_text("It is open")
    expect(page.get_by_test_id("defect").nth(1)).to_contain_text("opposite sides")
    expect(page.locator(".item:visible", has_text="buoy")).to_contain_text("unusable")
    page.get_by_test_id("mend-fill").first.click()
    expect(page.get_by_test_id("defect").first).not_to_contain_text("It is open")
    page.get_by_test_id("mend-unify").first.click()
    expect(page.get_by_text("Closed and clean: a solid.")).to_be_visible()
    expect(page.get_by_test_id("size")).to_contain_text("2 × 2 × 2 m")
    saved(page)
    page.get_by_test_id("undo").click()
    expect(page.get_by_test_id("defect").first).to_contain_text("opposite sides")
    page.get_by_test_id("redo").click()
    expect(page.get_by_text("Closed and clean: a solid.")).to_be_visible()


def test_a_mesh_is_mended_by_one_click_that_one_undo_takes_back(page: Page, running: Parts, tmp_path: Path) -> None:
    new_shot(page, running)
    bring_in(page, torn_buoy(tmp_path))
    expect(page.get_by_test_id("defect")).to_have_count(2)
    page.get_by_test_id("mend").click()
    expect(page.get_by_text("Closed and clean: a solid.")).to_be_visible()
    expect(page.get_by_test_id("step-did").last).to_have_text("2 holes closed")
    saved(page)
    page.get_by_test_id("undo").click()
    expect(page.get_by_test_id("defect")).to_have_count(2)
    expect(page.get_by_test_id("step-did")).to_have_count(0)


def test_chosen_pieces_are_broken_again_and_their_part_is_weighed(page: Page, running: Parts) -> None:
    new_shot(page, running)
    page.get_by_test_id("add-box").click()
    page.get_by_test_id("step-break").click()
    page.get_by_test_id("break-it").click()
    type_number(page, "count", "12")
    expect(page.get_by_test_id("break-figures")).to_contain_text("pieces12")
    pick(page)
    expect(page.get_by_test_id("piece-card")).to_contain_text(re.compile(r"piece \d+ · .* m · "))
    pick(page, 0.5, 0.58, modifiers=["Shift"])
    page.get_by_test_id("break-again").click()
    expect(page.get_by_test_id("break-step-0")).to_be_visible()
    expect(page.get_by_text("tier 2", exact=True)).to_be_visible()
    count = int(re.findall(r"pieces(\d+)", page.get_by_test_id("break-figures").inner_text().replace("\n", ""))[0])
    assert count >= 12 + 5
    page.get_by_role("slider", name="explode tier 2").press("End")
    page.get_by_role("slider", name="explode tier 2").press("Home")
    # going back to the first step and changing it recomputes what follows
    type_number(page, "seed", "7")
    expect(page.get_by_test_id("break-figures")).not_to_contain_text(f"pieces{count}smallest0", timeout=5000)
    page.get_by_test_id("step-bind").click()
    type_number(page, "strength", "500")
    type_number(page, "tier 2", "90")
    pick(page)
    expect(page.get_by_test_id("part-holding")).to_contain_text(re.compile(r"\d+ bonds hold.*kN.*its weight.*kN", re.S))
    page.get_by_test_id("cut-bonds").click()
    expect(page.get_by_test_id("part-holding")).to_contain_text("0 bonds hold")
    expect(page.get_by_test_id("cut-bonds")).to_contain_text("Mend the")
    page.get_by_test_id("release-intact").click()
    saved(page)


def test_a_scatter_stays_one_group_and_bakes(page: Page, running: Parts) -> None:
    new_shot(page, running)
    page.get_by_test_id("add-sphere").click()
    type_number(page, "radius", "0.3")
    page.get_by_test_id("many-volume").click()
    expect(page.get_by_text("12 members")).to_be_visible()
    type_number(page, "count", "40")
    type_number(page, "size to", "1.8")
    expect(page.get_by_text("40 members")).to_be_visible()
    expect(page.get_by_test_id("size")).to_contain_text("40 ×")
    page.keyboard.press("Escape")
    type_number(page, "frames", "10")
    saved(page)
    page.get_by_test_id("bake").click()
    expect(page.get_by_text("whole · 10 of 10 frames")).to_be_visible(timeout=60_000)


def test_glass_breaks_radially_and_a_bad_setting_is_told_at_its_place(page: Page, running: Parts) -> None:
    new_shot(page, running)
    page.get_by_test_id("add-box").click()
    type_number(page, "size d", "0.06")
    choose(page, page.get_by_test_id("material"), "glass")
    expect(page.locator('input[aria-label="density"]:visible')).to_have_value("2500")
    page.get_by_test_id("step-break").click()
    page.get_by_test_id("break-radial").click()
    expect(page.get_by_test_id("break-figures")).to_contain_text("pieces72")
    type_number(page, "smallest", "0.5 m")
    expect(page.get_by_test_id("break-problem")).to_contain_text("would be smaller than 0.5 m")
    type_number(page, "smallest", "0")
    expect(page.get_by_test_id("break-figures")).to_contain_text("pieces72")
