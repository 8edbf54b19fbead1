"""The first collapse, as an artist does it: every step through the real interface."""

from __future__ import annotations

import itertools
import re
from pathlib import Path

import numpy as np
import pytest
import trimesh
from hands import bring_in
from playwright.sync_api import Page, expect
from pxr import Usd, UsdGeom

from dynaclast.core.geometry import primitives
from dynaclast.runtime import Parts


def number(page: Page, label: str) -> str:
    return page.get_by_label(label, exact=True).first.input_value()


def type_number(page: Page, label: str, text: str) -> None:
    field = page.locator(f'input[aria-label="{label}"]:visible').first
    field.fill(text)
    field.press("Enter")


def saved(page: Page) -> None:
    expect(page.get_by_test_id("save-state")).to_have_text("saved")


def frame(page: Page) -> int:
    return int(re.findall(r"\d+", page.locator(".head b").inner_text())[0])


def new_shot(page: Page, running: Parts) -> None:
    page.goto(running.address)
    page.get_by_test_id("new-shot").click()
    expect(page.get_by_text("Start with something to break")).to_be_visible()


def broken_pillar(page: Page, running: Parts) -> None:
    """A new shot with a tall box of 30 cells, an anchor and a strain."""
    new_shot(page, running)
    page.get_by_test_id("add-box").click()
    expect(page.get_by_test_id("size")).to_contain_text("2 × 2 × 2 m")
    type_number(page, "size h", "2*3 m")
    type_number(page, "position y", "3")
    expect(page.get_by_test_id("size")).to_contain_text("2 × 6 × 2 m")
    page.get_by_test_id("step-break").click()
    page.get_by_test_id("break-it").click()
    type_number(page, "count", "30")
    expect(page.get_by_test_id("break-figures")).to_contain_text("pieces30")
    page.get_by_test_id("step-bind").click()
    page.get_by_test_id("add-anchor").click()
    expect(page.get_by_test_id("reach-count")).to_contain_text(re.compile(r"holds [1-9]\d* of 30"))
    page.get_by_test_id("step-drive").click()
    page.get_by_test_id("add-strain").click()
    expect(page.get_by_test_id("reach-count")).to_contain_text(re.compile(r"reaches [1-9]"))
    type_number(page, "load", "3 MN")
    expect(page.get_by_text(re.compile(r"breaks [1-9]\d* of \d+ bonds"))).to_be_visible()
    saved(page)


def test_mesh_files_come_in_by_pick_and_by_drop_and_bad_ones_are_explained(
    page: Page, running: Parts, tmp_path: Path
) -> None:
    new_shot(page, running)
    torus = trimesh.creation.torus(1.5, 0.4, major_sections=48, minor_sections=24)
    torus.export(tmp_path / "ring.obj")
    bring_in(page, tmp_path / "ring.obj")
    expect(page.get_by_test_id("size")).to_contain_text("3.8 × 3.8 × 0.8 m")
    assert float(number(page, "position y")) == pytest.approx(1.9, abs=0.02)  # it stands on the ground
    data = list(trimesh.Trimesh(*_tube()).export(file_type="stl"))
    page.evaluate(
        """(bytes) => {
            const transfer = new DataTransfer();
            transfer.items.add(new File([new Uint8Array(bytes)], "pipe.stl"));
            const view = document.querySelector("[data-testid=view]").parentElement;
            view.dispatchEvent(new DragEvent("drop", { dataTransfer: transfer, bubbles: true }));
        }""",
        data,
    )
    expect(page.locator(".item:visible", has_text="pipe")).to_be_visible()
    (tmp_path / "open.obj").write_text("v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 1 4 3\n")
    bring_in(page, tmp_path / "open.obj")
    expect(page.get_by_test_id("defect").first).to_contain_text("It is open: 3 edges")
    (tmp_path / "noise.glb").write_bytes(b"\x00\x01" * 50)
    bring_in(page, tmp_path / "noise.glb")
    expect(page.get_by_test_id("import-problem")).to_contain_text("cannot be read as GLB")
    expect(page.locator(".item:visible")).to_have_count(3)  # nothing was lost
    page.get_by_test_id("step-break").click()
    page.locator(".item:visible", has_text="ring").click()
    page.get_by_test_id("break-it").click()
    expect(page.get_by_test_id("break-figures")).to_contain_text(re.compile(r"pieces\d+"))


def _tube() -> tuple[np.ndarray, np.ndarray]:
    mesh = primitives.tube(1.0, 0.3, 2.0, segments=24)
    return mesh.vertices, mesh.faces


def test_a_body_is_moved_in_the_view_and_by_numbers_and_every_edit_can_be_undone(page: Page, running: Parts) -> None:
    new_shot(page, running)
    page.get_by_test_id("add-box").click()
    expect(page.get_by_test_id("size")).to_be_visible()
    saved(page)
    page.wait_for_timeout(400)
    view = page.get_by_test_id("view").bounding_box()
    assert view
    middle = (view["x"] + view["width"] / 2, view["y"] + view["height"] / 2)
    before = [number(page, f"position {a}") for a in "xyz"]
    moved = before
    for dx, dy in itertools.product(
        (10, 0, 20, -10), (-80, -65, -95)
    ):  # the upward rod of the handles, somewhere near the middle
        page.mouse.move(middle[0] + dx, middle[1] + dy)
        page.wait_for_timeout(120)
        page.mouse.down()
        page.mouse.move(middle[0] + dx, middle[1] + dy - 60, steps=6)
        page.mouse.up()
        moved = [number(page, f"position {a}") for a in "xyz"]
        if moved != before:
            break
    assert float(moved[1]) > float(before[1])
    saved(page)
    page.get_by_test_id("undo").click()
    expect(page.get_by_label("position y", exact=True)).to_have_value(before[1])
    page.get_by_test_id("redo").click()
    expect(page.get_by_label("position y", exact=True)).to_have_value(moved[1])
    type_number(page, "scale x", "1.5")
    expect(page.get_by_test_id("size")).to_contain_text("3 × 2 × 2 m")
    type_number(page, "rotation y", "45")
    saved(page)
    page.reload()  # undo survives
    page.locator(".item:visible", has_text="box").click()
    expect(page.get_by_label("rotation y", exact=True)).to_have_value("45")
    page.keyboard.press("Escape")
    for _ in range(2):
        page.keyboard.press("Control+z")
    page.locator(".item:visible", has_text="box").click()
    expect(page.get_by_label("scale x", exact=True)).to_have_value("1")


def test_a_number_that_makes_no_sense_is_explained_beside_its_field(page: Page, running: Parts) -> None:
    new_shot(page, running)
    page.get_by_test_id("add-box").click()
    type_number(page, "density", "heavy")
    expect(page.get_by_text("a number is missing")).to_be_visible()
    type_number(page, "bounce", "1.4")
    expect(page.get_by_text("must be at most 1")).to_be_visible()
    assert number(page, "bounce") in ("0.1", "1.4")


def test_the_whole_line_from_break_to_export(page: Page, running: Parts, tmp_path: Path) -> None:
    broken_pillar(page, running)
    page.get_by_test_id("step-break").click()
    page.get_by_role("slider", name="explode tier 1").press("End")
    page.get_by_role("slider", name="explode tier 1").press("Home")
    page.get_by_test_id("bake").click()
    expect(page.get_by_test_id("cancel")).to_contain_text(re.compile("Waiting|Preparing|Baking"))
    expect(page.get_by_test_id("bake")).to_be_visible(timeout=60_000)
    expect(page.get_by_text("whole · 240 of 240 frames")).to_be_visible()
    expect(page.locator(".moment", has_text="strain acts")).to_be_visible()
    # step, scrub, play, loop
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    assert frame(page) == 2
    lane = page.get_by_test_id("timeline").bounding_box()
    assert lane
    page.mouse.click(lane["x"] + lane["width"] / 2, lane["y"] + 40)
    assert 116 <= frame(page) <= 124
    broken = int(page.locator(".happened b").first.inner_text())
    assert broken > 5
    page.keyboard.press("Home")
    page.get_by_test_id("play").click()
    page.wait_for_timeout(900)
    page.get_by_test_id("play").click()
    at = frame(page)
    assert at > 3
    page.wait_for_timeout(300)
    assert frame(page) == at  # paused
    page.keyboard.press("End")
    assert frame(page) == 240
    page.get_by_test_id("play").click()  # from the end it starts over
    page.wait_for_timeout(500)
    page.get_by_test_id("play").click()
    assert 0 < frame(page) < 120
    # a picked piece says its numbers
    page.keyboard.press("Home")
    view = page.get_by_test_id("view").bounding_box()
    assert view
    page.wait_for_timeout(300)
    page.mouse.click(view["x"] + view["width"] / 2, view["y"] + view["height"] / 2)
    expect(page.locator(".card")).to_contain_text(re.compile(r"piece \d+ · .*kg|piece \d+ · .* t"))
    # and what it went through: the fields that acted, what its bonds bear, and the piece at the other end of one
    trace = page.get_by_test_id("trace")
    expect(trace).to_contain_text(re.compile(r", piece \d+"))
    bond = page.get_by_test_id("trace-bond").first
    expect(bond).to_contain_text(re.compile(r"[\d.]+ of [\d.,]+ kN"))
    beyond = bond.get_by_role("button").inner_text()
    bond.get_by_role("button").click()
    expect(trace).to_contain_text(re.compile(rf", {beyond}(?!\d)"))
    expect(page.get_by_test_id("trace-bond").first).to_be_visible()
    # hand it on
    page.get_by_test_id("step-export").click()
    for kind in ("usdc", "glb"):
        with page.expect_download() as download:
            page.get_by_test_id(f"export-{kind}").click()
        download.value.save_as(tmp_path / f"take.{kind}")
    stage = Usd.Stage.Open(str(tmp_path / "take.usdc"))
    meshes = [p for p in stage.Traverse() if p.IsA(UsdGeom.Mesh)]
    assert len(meshes) == 30 and stage.GetEndTimeCode() == 240
    assert (tmp_path / "take.glb").read_bytes()[:4] == b"glTF"


def test_cancel_keeps_what_is_done_and_a_changed_shot_is_marked_out_of_date(page: Page, running: Parts) -> None:
    broken_pillar(page, running)
    page.keyboard.press("Escape")
    type_number(page, "frames", "2000")
    saved(page)
    page.get_by_test_id("bake").click()
    expect(page.get_by_test_id("cancel")).to_contain_text(re.compile(r"Baking ([5-9]|\d\d+) / 2000"))
    page.get_by_test_id("cancel").click()
    expect(page.get_by_text(re.compile(r"stopped · \d+ of 2000 frames"))).to_be_visible()
    page.keyboard.press("End")
    assert frame(page) >= 5
    type_number(page, "frames", "100")
    expect(page.get_by_test_id("take-chip")).to_contain_text("out of date")
    expect(page.get_by_text("timing has changed")).to_be_visible()


def test_two_tabs_the_second_is_told(page: Page, running: Parts) -> None:
    new_shot(page, running)
    other = page.context.new_page()
    other.goto(page.url)
    other.get_by_test_id("add-sphere").click()
    saved(other)
    page.get_by_test_id("add-box").click()
    expect(page.get_by_text("Nothing is overwritten until you choose")).to_be_visible()
    page.get_by_test_id("settle-theirs").click()
    expect(page.locator(".item:visible", has_text="sphere")).to_be_visible()
    expect(page.locator(".item:visible", has_text="box")).to_have_count(0)


def test_everything_is_there_after_closing_and_starting_again(page: Page, running: Parts) -> None:
    broken_pillar(page, running)
    page.keyboard.press("Escape")
    type_number(page, "frames", "12")
    saved(page)
    page.get_by_test_id("bake").click()
    expect(page.get_by_text("whole · 12 of 12 frames")).to_be_visible(timeout=60_000)
    where = page.url.split("/shot/")[1]
    page.goto("about:blank")
    port = running.web_port
    running.stop()
    running.start({"web": port})
    page.goto(f"{running.address}/shot/{where}")
    expect(page.get_by_text("whole · 12 of 12 frames")).to_be_visible()
    for _ in range(50):  # frames come in blocks
        page.keyboard.press("End")
        if frame(page) == 12:
            break
        page.wait_for_timeout(100)
    assert frame(page) == 12
    page.get_by_test_id("undo").click()
    page.keyboard.press("Escape")
    expect(page.locator('input[aria-label="frames"]:visible')).to_have_value("240")


def test_an_unknown_shot_is_explained(page: Page, running: Parts) -> None:
    page.goto(f"{running.address}/shot/nothing")
    expect(page.get_by_text("this shot does not exist any more")).to_be_visible()
