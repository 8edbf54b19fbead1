"""Cloth, soft bodies and ropes from an empty shot, by hand; what comes of it is read from the take."""

from __future__ import annotations

import re
from base64 import b64decode
from io import BytesIO

import numpy as np
import pytest
from hands import choose
from playwright.sync_api import Page, expect
from test_drive import seek
from test_first_collapse import new_shot, saved, type_number
from test_hands import document_of
from test_tie_and_key import baked

from dynaclast.runtime import Parts


def arrays_of(page: Page, running: Parts, take: str) -> dict[str, np.ndarray]:
    """A take's arrays, as exported."""
    data = page.request.get(f"{running.address}/api/takes/{take}/export?format=npz").body()
    with np.load(BytesIO(data)) as z:
        return {name: z[name] for name in z.files}


def frames(page: Page, count: int) -> None:
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    type_number(page, "frames", str(count))
    saved(page)


class Hand:
    """Presses and types, and counts it."""

    def __init__(self, page: Page) -> None:
        self.page, self.actions = page, 0

    def press(self, what: str) -> None:
        self.page.get_by_test_id(what).click()
        self.actions += 1

    def put(self, label: str, text: str) -> None:
        type_number(self.page, label, text)
        self.actions += 2


def test_a_strip_of_canvas_is_drawn_onto_a_bell_and_clings(page: Page, running: Parts) -> None:
    new_shot(page, running)
    hand = Hand(page)
    hand.press("add-cylinder")
    expect(page.get_by_test_id("size")).to_be_visible()
    hand.press("role-passive")
    hand.press("add-sheet")
    expect(page.get_by_test_id("size")).to_contain_text("3 ×")
    hand.press("matter-cloth")
    expect(page.get_by_test_id("size")).to_contain_text("625 vertices")
    expect(page.locator('input[aria-label="thickness"]:visible')).to_have_count(1)  # its matter's
    hand.put("depth", "0.4")
    hand.put("facets d", "4")
    hand.put("rotation x", "90")
    hand.put("position x", "0")
    hand.put("position y", "1.3")
    hand.put("position z", "1")
    hand.press("step-drive")
    hand.press("add-attractor")
    expect(page.get_by_test_id("reach-count")).to_contain_text("vertices")  # then all stands where it stays
    surface = page.locator("label.el-radio-button", has_text=re.compile("^surface$"))
    surface.click()
    expect(surface).to_have_class(re.compile("is-active"))
    choose(page, page.locator('.row:has(.label:text-is("of"))'), "cylinder")
    hand.put("strength", "40")
    expect(page.get_by_test_id("reach-count")).to_contain_text(re.compile(r"of 125 vertices"))
    frames(page, 24)
    assert hand.actions < 40
    take, _ = baked(page, running)
    points = arrays_of(page, running, take)["points/sheet"]
    away = np.hypot(points[..., 0], points[..., 2]) - 0.75
    assert (away[0] < 0.1).mean() < 0.1
    assert (away[-1] < 0.1).mean() > 0.9  # it lies on the bell's side, all round its middle


def test_a_rope_between_two_ends_hangs_and_its_pins_are_counted(page: Page, running: Parts) -> None:
    new_shot(page, running)
    page.get_by_test_id("add-line").click()
    expect(page.get_by_test_id("rope-length")).to_contain_text("3 m long")
    type_number(page, "slack", "10")
    expect(page.get_by_test_id("rope-length")).to_contain_text("3.3 m long")
    page.get_by_test_id("step-bind").click()
    page.get_by_test_id("pin-ends").click()
    expect(page.get_by_text("2 of 41 vertices")).to_be_visible()
    frames(page, 12)
    take, _ = baked(page, running)
    found = arrays_of(page, running, take)
    points = found["points/rope"]
    assert (found["state/rope"][0] == 0).sum() == 2  # what the view says is pinned is held
    assert np.abs(points[-1][[0, -1]] - points[0][[0, -1]]).max() < 1e-6
    long = np.linalg.norm(np.diff(points, axis=1), axis=2).sum(axis=1)
    assert long == pytest.approx(np.full(len(long), 3.3), rel=0.01)


def test_a_rope_is_drawn_by_clicks_on_the_ground(page: Page, running: Parts) -> None:
    new_shot(page, running)
    page.get_by_test_id("add-line").click()
    expect(page.get_by_test_id("rope-length")).to_be_visible()
    page.get_by_test_id("draw-rope").click()
    view = page.get_by_test_id("view").bounding_box()
    assert view
    for x, y in ((0.3, 0.8), (0.5, 0.9), (0.7, 0.8)):
        page.mouse.click(view["x"] + x * view["width"], view["y"] + y * view["height"])
    expect(page.get_by_test_id("drawing")).to_contain_text("3 points")
    page.get_by_test_id("drawn").click()
    saved(page)
    rope = document_of(page, running)["bodies"][0]
    points = np.array(rope["shape"]["points"])
    assert points.shape == (3, 3) and points[:, 1] == pytest.approx(np.full(3, 1.5 * 0.01), abs=1e-4)
    page.keyboard.press("Control+z")
    expect(page.get_by_test_id("rope-length")).to_contain_text("3 m long, 2 points")
    saved(page)
    assert len(document_of(page, running)["bodies"][0]["shape"]["points"]) == 2


def test_a_mast_of_rubber_is_held_at_its_foot_and_leans_as_the_wind_walks_round_it(page: Page, running: Parts) -> None:
    new_shot(page, running)
    hand = Hand(page)
    hand.press("add-box")
    expect(page.get_by_test_id("size")).to_contain_text("2 × 2 × 2 m")
    for label, text in (("size w", "0.3"), ("size h", "4"), ("size d", "0.3"), ("position y", "2")):
        hand.put(label, text)
    hand.press("matter-soft")
    expect(page.get_by_test_id("size")).to_contain_text("vertices")
    hand.put("stiffness", "3000")
    expect(page.get_by_test_id("leads-to")).to_contain_text("longer under its own weight")
    hand.put("detail", "16")
    hand.press("step-bind")
    hand.press("pin-foot")
    expect(page.get_by_text(re.compile(r"^\d+ of \d+ vertices$")).first).to_be_visible()
    hand.press("step-drive")
    hand.press("add-wind")
    hand.put("speed", "30")
    hand.press("key-direction")
    assert seek(page, 0.1) == 24
    hand.actions += 1
    hand.put("direction z", "1")
    hand.put("direction x", "0")
    frames(page, 48)
    assert hand.actions < 40
    take, _ = baked(page, running)
    points = arrays_of(page, running, take)["points/box"]
    tip = points[:, points[0, :, 1] > 3.9].mean(axis=1) - points[0, points[0, :, 1] > 3.9].mean(axis=0)
    foot = points[:, points[0, :, 1] < 0.1]
    first, last = tip[4:16].mean(axis=0), tip[36:].mean(axis=0)  # along x at first, later along z too
    assert first[0] > 2 * abs(first[2]) and last[2] > 0.3 > 10 * abs(first[2])
    assert np.abs(foot - foot[0]).max() < 0.05


def test_ropes_in_a_bundle_are_drawn_together_by_a_field(page: Page, running: Parts) -> None:
    new_shot(page, running)
    hand = Hand(page)
    hand.press("add-line")
    expect(page.get_by_test_id("rope-length")).to_be_visible()
    hand.press("many-line")
    hand.put("count", "5")
    hand.put("step x", "0")
    hand.put("step z", "0.4")
    hand.put("gravity", "0")
    hand.press("step-drive")
    hand.press("add-attractor")
    expect(page.get_by_test_id("reach-count")).to_contain_text("of 205 vertices")
    hand.put("core radius", "6")
    hand.put("strength", "60")
    frames(page, 24)
    assert hand.actions < 40
    take, _ = baked(page, running)
    arrays = arrays_of(page, running, take)
    every = np.stack([arrays[n] for n in sorted(arrays) if n.startswith("points/")], axis=1)
    assert every.shape[1:3] == (5, 41)
    apart = every.mean(axis=2)[:, :, 2].std(axis=1)  # across the bundle
    assert apart[0] == pytest.approx(0.4 * np.sqrt(2), abs=0.01) and apart.min() < 0.4 * apart[0]


def test_a_soft_body_is_pulled_off_and_goes_back_to_its_place(page: Page, running: Parts) -> None:
    new_shot(page, running)
    hand = Hand(page)
    hand.press("add-sphere")
    expect(page.get_by_test_id("size")).to_be_visible()
    hand.put("radius", "0.4")
    hand.put("position y", "2")
    hand.put("gravity", "0")
    hand.press("matter-soft")
    expect(page.get_by_test_id("size")).to_contain_text("vertices")
    hand.press("step-bind")
    hand.press("add-recall")
    hand.put("rate", "6")
    hand.press("show-recall-0")
    expect(page.get_by_test_id("legend-weight")).to_contain_text("6 1/s")
    hand.press("step-drive")
    hand.press("add-push")
    hand.put("amount", "5")
    hand.put("core radius", "2")
    hand.put("at", "0.2")
    frames(page, 60)
    assert hand.actions < 40
    take, _ = baked(page, running)
    middle = arrays_of(page, running, take)["points/sphere"].mean(axis=1)
    away = np.linalg.norm(middle - middle[0], axis=1)
    assert away.max() > 0.3 and away[-1] < 0.05 * away.max()  # off it goes, and back


def test_a_figure_is_blown_away_flake_by_flake(page: Page, running: Parts) -> None:
    new_shot(page, running)
    hand = Hand(page)
    hand.press("add-torus")
    expect(page.get_by_test_id("size")).to_be_visible()
    hand.press("matter-cloth")
    expect(page.get_by_test_id("size")).to_contain_text("vertices")
    hand.put("gravity", "0")
    hand.press("step-break")
    hand.press("break-faces")
    hand.press("step-bind")
    page.get_by_role("button", name="Bond the pieces").click()
    hand.put("strength", "0.5")
    hand.press("step-drive")
    hand.press("add-strain")
    hand.put("core radius", "1.5")
    hand.put("load", "60")
    hand.put("at", "0.1")
    hand.press("add-vortex")
    hand.put("core radius", "0.8")
    frames(page, 24)
    assert hand.actions < 40
    take, events = baked(page, running)
    assert events["seam_opened"]["body"] == "torus"
    points = arrays_of(page, running, take)["points/torus"]
    flakes = points.reshape(len(points), -1, 3, 3).mean(axis=2)  # each has three vertices of its own
    apart = np.linalg.norm(flakes - flakes.mean(axis=1, keepdims=True), axis=2).mean(axis=1)
    assert apart.max() > 2 * apart[0] and len(np.unique(flakes[-1].round(3), axis=0)) == flakes.shape[1]
    page.keyboard.press("End")
    expect(page.get_by_test_id("torn")).not_to_have_text("0")


def test_what_is_painted_is_pinned_and_the_settled_shape_is_the_opening_frame(page: Page, running: Parts) -> None:
    new_shot(page, running)
    page.get_by_test_id("add-sheet").click()
    expect(page.get_by_test_id("size")).to_be_visible()
    page.get_by_test_id("matter-cloth").click()
    expect(page.get_by_test_id("size")).to_contain_text("625 vertices")
    type_number(page, "rotation x", "90")
    type_number(page, "position y", "4")
    page.get_by_test_id("step-bind").click()
    page.keyboard.press("0")
    page.wait_for_timeout(900)  # the camera comes to rest
    page.get_by_test_id("pin-painted").click()
    type_number(page, "size", "0.5")
    view = page.get_by_test_id("view").bounding_box()
    assert view
    at = [(view["x"] + x * view["width"], view["y"] + 0.42 * view["height"]) for x in (0.48, 0.5, 0.52)]
    page.mouse.move(*at[0])
    expect(page.get_by_test_id("brush")).to_be_visible()
    page.mouse.down()
    for x, y in at:
        page.mouse.move(x, y)
    page.mouse.up()
    expect(page.get_by_text("1 stroke", exact=True)).to_be_visible()
    counted = page.get_by_text(re.compile(r"^\d+ of 625 vertices$"))
    expect(counted).to_be_visible()
    pinned = int(counted.inner_text().split()[0])
    assert 10 < pinned < 300
    page.get_by_test_id("settle").click()
    expect(page.get_by_test_id("as-made")).to_be_visible(timeout=60_000)
    frames(page, 3)
    opening = document_of(page, running)["bodies"][0]["opening"]["points"]
    take, _ = baked(page, running)
    found = arrays_of(page, running, take)
    assert (found["state/sheet"][0] == 0).sum() == pinned  # what the view says is pinned is held
    own = np.frombuffer(b64decode(opening), "<f4").reshape(-1, 3)
    assert np.ptp(own[:, 1]) > 0.005  # no longer flat as it was made
    turned = np.stack([own[:, 0], 4 - own[:, 2], own[:, 1]], axis=1)  # 90 degrees about x, then up
    assert found["points/sheet"][0] == pytest.approx(turned, abs=1e-5)
    page.get_by_test_id("step-bind").click()
    for _ in range(2):
        page.keyboard.press("Control+z")  # frames, then the settled shape
        page.wait_for_timeout(300)
        saved(page)
    assert document_of(page, running)["bodies"][0]["opening"] is None
