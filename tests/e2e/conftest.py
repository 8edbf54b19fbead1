"""The real application in a folder of its own, and a browser looking at it."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, expect, sync_playwright

from dynaclast.mariadb import free_port
from dynaclast.runtime import Parts

FLAGS = [
    "--no-sandbox",
    "--disable-gpu-rasterization",  # there is none, and pages are drawn faster without; WebGL is drawn as ever
    "--disable-gpu-compositing",
    "--use-gl=angle",
    "--use-angle=gl-egl",
    "--ignore-gpu-blocklist",
    "--enable-unsafe-swiftshader",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-quic",
    "--webgl-antialiasing-mode=none",  # software would draw every point four times
    "--no-first-run",
    "--no-default-browser-check",
]

PATIENCE = 60_000
"""Milliseconds after which something is taken to be stuck: other tests run beside these and take both processors."""

expect.set_options(timeout=PATIENCE)


@pytest.fixture(scope="session")
def running(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Parts]:
    parts = Parts(tmp_path_factory.mktemp("app"))
    parts.start({"web": free_port()})  # another group of tests starts beside this one
    yield parts
    parts.stop()


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        out = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=FLAGS)
        yield out
        out.close()


@pytest.fixture(scope="session")
def context(browser: Browser) -> Iterator[BrowserContext]:
    """One for all tests: what it has loaded once, and compiled, is at hand for the next."""
    out = browser.new_context(
        viewport={"width": 1280, "height": 800}, accept_downloads=True, device_scale_factor=0.5, reduced_motion="reduce"
    )
    yield out
    out.close()


@pytest.fixture(scope="session")
def errors() -> list[str]:
    """Of scripts in the page of a test."""
    return []


@pytest.fixture(scope="session")
def tab(context: BrowserContext, errors: list[str]) -> Page:
    """One for all tests: what a page has compiled is at hand for the next of its process."""
    out = context.new_page()
    out.set_default_timeout(PATIENCE)
    out.on("pageerror", lambda e: errors.append(str(e)))
    # what cannot be drawn is said there alone
    out.on("console", lambda m: errors.append(m.text) if m.type == "error" and "THREE" in m.text else None)
    return out


@pytest.fixture
def page(tab: Page, context: BrowserContext, running: Parts, errors: list[str]) -> Iterator[Page]:
    """A page that remembers nothing, and fails the test if a script or a shader fails."""
    errors.clear()
    yield tab
    for each in context.pages:
        each.goto(f"http://127.0.0.1:{running.web_port}/mark.svg")
        each.evaluate("localStorage.clear(); sessionStorage.clear()")
        if each is not tab:
            each.close()
    context.clear_cookies()
    assert not errors
