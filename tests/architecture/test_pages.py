"""What the pages say of the project is so."""

from __future__ import annotations

import json
import re
import tomllib
from pathlib import Path

import pytest

from dynaclast import __version__

ROOT = Path(__file__).parents[2]
PAGES = sorted([*ROOT.glob("*.md"), *(ROOT / "docs").glob("*.md")])


def test_every_pinned_package_is_in_the_list_of_licences_with_its_version() -> None:
    listed = dict(re.findall(r"^\| (\S+) \| (\S+) \|", (ROOT / "THIRD-PARTY.md").read_text(), re.MULTILINE))
    for line in (ROOT / "requirements.txt").read_text().splitlines():
        if "==" in line:
            name, version = re.sub(r"\[.*?\]", "", line).split("==")
            assert listed.get(re.sub(r"[-_.]+", "-", name).lower()) == version.split(";")[0].strip(), name
    locked = json.loads((ROOT / "ui" / "package-lock.json").read_text())["packages"]
    for name in json.loads((ROOT / "ui" / "package.json").read_text())["dependencies"]:
        assert listed.get(name) == locked[f"node_modules/{name}"]["version"], name


@pytest.mark.parametrize("page", PAGES, ids=lambda p: p.name)
def test_links_of_a_page_lead_somewhere(page: Path) -> None:
    for target in re.findall(r"\]\(([^)#\s]+)", page.read_text()):
        if "://" not in target:
            assert (page.parent / target).exists(), f"{page.name}: {target}"


def test_files_the_pages_for_developers_name_are_there() -> None:
    places = [ROOT / folder for folder in ("src", "ui/src", "tests", "docs", "bench")]
    for page in ("CONTRIBUTING.md", "docs/architecture.md", "docs/solver.md"):
        for name in re.findall(r"`([\w./-]+\.(?:py|vue|ts|md|json))`", (ROOT / page).read_text()):
            there = (ROOT / name).exists() or any(next(place.rglob(name), None) for place in places)
            assert there, f"{page}: {name}"


def test_the_newest_change_is_of_this_version() -> None:
    version = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]["version"]
    newest = re.search(r"^## (\S+)", (ROOT / "CHANGELOG.md").read_text(), re.MULTILINE)
    assert newest and newest[1] == version


def test_the_program_says_the_version_of_its_package_and_of_its_newest_change() -> None:
    said = re.search(r'^version = "(.+)"$', (ROOT / "pyproject.toml").read_text(), re.MULTILINE)
    newest = re.search(r"^## (\S+)", (ROOT / "CHANGELOG.md").read_text(), re.MULTILINE)
    assert said is not None and newest is not None
    assert __version__ == said[1] == newest[1]
