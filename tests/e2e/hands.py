"""What a hand does to controls."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import Locator, Page


def choose(page: Page, of: Locator, word: str) -> None:
    """One of a list that opens."""
    of.locator(".el-select__wrapper").or_(of).last.click()
    page.locator(".el-select-dropdown:visible .el-select-dropdown__item").get_by_text(word, exact=True).click()


def bring_in(page: Page, *files: Path) -> None:
    """Mesh files, by the button."""
    page.get_by_test_id("bring-in").locator("input[type=file]").set_input_files(list(files))
