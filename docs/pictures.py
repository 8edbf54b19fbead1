"""The pictures in docs/screenshots, taken from the running demo: `python docs/pictures.py [NAME ...]` while
`./dynaclast demo` runs.
"""

from __future__ import annotations

import json
import re
import sys
import tempfile
import urllib.request
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

HERE = Path(__file__).parent
GL = ["--no-sandbox", "--use-gl=angle", "--use-angle=gl-egl", "--ignore-gpu-blocklist", "--enable-unsafe-swiftshader"]
STRIP_LEFT, STRIP_WIDE, STRIP_HIGH = 197, 1076, 705
"""Where the run strip lies in a picture of 1280 x 800."""


def step(page: Page, name: str) -> None:
    page.get_by_test_id(f"step-{name}").click()
    page.wait_for_timeout(700)


def choose(page: Page, name: str) -> None:
    page.locator(
        ".item:visible, .anchor:visible, .shared:visible, button:visible", has_text=re.compile(rf"^\s*{name}")
    ).first.click()
    page.wait_for_timeout(1200)


def press(page: Page, words: str) -> None:
    page.locator("button:visible", has_text=re.compile(rf"^{words}$")).first.click()
    page.wait_for_timeout(1500)


def seek(page: Page, share: float) -> None:
    page.mouse.click(STRIP_LEFT + STRIP_WIDE * share, STRIP_HIGH)
    page.wait_for_timeout(1500)


def chosen(at: str, name: str) -> Callable[[Page], None]:
    """In a step, with one thing chosen."""

    def act(page: Page) -> None:
        step(page, at)
        choose(page, name)

    return act


def played(share: float, then: str = "run") -> Callable[[Page], None]:
    """A take, so far on its way, in Run or another step."""

    def act(page: Page) -> None:
        step(page, "run")
        seek(page, share)
        if then != "run":
            step(page, then)

    return act


def breaking(page: Page) -> None:
    chosen("break", "tower")(page)
    slider = page.get_by_test_id("explode").first
    slider.scroll_into_view_if_needed()
    place = slider.bounding_box()
    assert place
    page.mouse.click(place["x"] + 0.35 * place["width"], place["y"] + place["height"] / 2)
    page.wait_for_timeout(1500)


def bind(page: Page) -> None:
    chosen("bind", "tower")(page)
    press_choice(page, "weight")
    page.wait_for_timeout(2500)


def light(page: Page) -> None:
    """A piece is picked, and traced."""
    page.get_by_label("Light theme").click()
    played(0.08)(page)
    page.mouse.click(630, 330)
    page.get_by_test_id("trace-bond").first.wait_for()


def painted(page: Page) -> None:
    """The flag, with its worn end shown and the brush taken."""
    chosen("bind", "flag")(page)
    page.get_by_test_id("paint-weights-0").scroll_into_view_if_needed()
    page.get_by_test_id("paint-weights-0").click()
    page.wait_for_timeout(1500)


def tense(page: Page) -> None:
    played(0.6)(page)
    press_choice(page, "tension")


def press_choice(page: Page, word: str) -> None:
    page.locator("label.el-radio-button", has_text=re.compile(rf"^{word}$")).first.click()
    page.wait_for_timeout(1500)


def soaked(page: Page) -> None:
    played(0.55)(page)
    press_choice(page, "soaked")


def mend(page: Page) -> None:
    """A breakwater of our own making, with a hole and a face turned round."""
    path = Path(tempfile.mkdtemp()) / "breakwater.obj"
    path.write_text(_faulty())
    page.get_by_test_id("bring-in").locator("input[type=file]").set_input_files(path)
    page.get_by_test_id("defect").first.wait_for()
    page.wait_for_timeout(2500)


def _faulty() -> str:
    """A wall of steps as OBJ: 12 blocks long, each a little lower, open in one place."""
    rows: list[str] = []
    outline = [(0, 0), (6, 0), *((6 - 0.5 * (k // 2), 0.4 + 0.2 * ((k + 1) // 2)) for k in range(23)), (0, 3)]
    count = len(outline)
    for z in (-0.8, 0.8):
        rows += [f"v {x} {y} {z}" for x, y in outline]
    for k in range(count):
        n = (k + 1) % count
        if k != 9:
            rows.append(
                f"f {k + 1} {n + 1} {count + n + 1} {count + k + 1}"
                if k != 12
                else f"f {k + 1} {count + k + 1} {count + n + 1} {n + 1}"
            )
    fan = [f"f {a} {b} {c}" for a, b, c in _ears(outline)]
    turned = [f"f {count + c} {count + b} {count + a}" for a, b, c in _ears(outline)]
    return "\n".join(rows + turned + fan)


def _ears(outline: list[tuple[float, float]]) -> list[tuple[int, int, int]]:
    """Triangles (corners from 1) of a staircase: each step down to the foot."""
    last = len(outline)
    return [(1, k + 1, k) for k in range(3, last)] + [(1, 3, 2)]


PICTURES: dict[str, tuple[str, Callable[[Page], None]]] = {
    "build": ("lower tower", chosen("build", "tower")),
    "break": ("lower tower", breaking),
    "bind": ("lower tower", bind),
    "run": ("lower tower", played(0.36)),
    "run-light": ("lower tower", light),
    "export": ("lower tower", played(0.3, "export")),
    "drive": ("gnawing waves", chosen("drive", "waves")),
    "map": ("gnawing waves", soaked),
    "layers": ("sea stack", chosen("drive", r"stack\s*\d")),
    "flag": ("signal flag", tense),
    "figurehead": ("figurehead", played(0.55)),
    "brush": ("signal flag", painted),
    "tarpaulin": ("tarpaulin", played(0.6)),
    "group": ("rocks round the skerry", chosen("build", "rocks east")),
    "ties": ("Light: the bell", chosen("bind", "stay")),
    "keys": ("turning gale", chosen("drive", "gale")),
    "waterspout": ("waterspout", played(0.5)),
    "mend": ("", mend),
    "shots": ("", lambda page: page.wait_for_timeout(500)),
}
"""File, the end of the shot's name, and what is done there; a new shot and the list of shots need none."""


def main(names: list[str]) -> None:
    address = json.loads((HERE.parent / "runtime" / "running.json").read_text())["address"]
    shots = {s["name"]: s["id"] for s in json.load(urllib.request.urlopen(f"{address}/api/shots"))["shots"]}
    with sync_playwright() as play:
        browser = play.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=GL)
        for name in names or PICTURES:
            shot, act = PICTURES[name]
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.add_init_script("localStorage.setItem('met', 'true')")  # whoever comes again is not shown round
            page.goto(
                address if not shot else f"{address}/shot/{next(i for s, i in shots.items() if s.endswith(shot))}"
            )
            if name == "mend":
                page.get_by_test_id("new-shot").click()
            page.wait_for_timeout(4000 if shot else 1000)
            act(page)
            page.mouse.move(640, 40)
            page.wait_for_timeout(500)
            page.screenshot(path=HERE / "screenshots" / f"{name}.png")
            if name == "mend":  # the list of shots is that of the demo
                urllib.request.urlopen(
                    urllib.request.Request(
                        f"{address}/api/shots/{page.url.rsplit('/', 1)[1]}",
                        method="DELETE",
                        headers={"X-Dynaclast": "1"},
                    )
                ).close()
            page.close()
            print(name, flush=True)
        browser.close()


if __name__ == "__main__":
    main(sys.argv[1:])
