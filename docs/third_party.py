"""Write THIRD-PARTY.md: what ships with Dynaclast or is installed by it, with versions and licences.

From the lock files: requirements.txt with what these packages require in turn, and ui/package-lock.json without what
only builds the interface. Run as ``.venv/bin/python docs/third_party.py``.
"""

from __future__ import annotations

import json
import re
from importlib import metadata
from pathlib import Path

ROOT = Path(__file__).parents[1]
HEAD = """# What others made

Dynaclast runs on these packages; their licences are theirs. Written by `docs/third_party.py` from the lock files.

The interface's fonts (Hanken Grotesk, Geist Mono) are shipped as files under the SIL Open Font License 1.1, from the
packages named below. The database is the server of Debian's package `mariadb-server-core` (GPL-2.0), a program of its
own. Pictures of the interface are taken with Debian's `chromium-headless-shell`, used by the tests alone. Python
packages are installed by `uv` (MIT or Apache-2.0), which does no more than that.
"""


def python_packages() -> list[tuple[str, str, str]]:
    """Name, version and licence of every Python package the application needs."""
    lines = (ROOT / "requirements.txt").read_text().splitlines()
    waiting = [line.split("==")[0].split("[")[0].strip() for line in lines if line.strip() and line[0] != "#"]
    found: dict[str, tuple[str, str, str]] = {}
    while waiting:
        name = waiting.pop()
        key = re.sub(r"[-_.]+", "-", name).lower()
        if key in found:
            continue
        try:
            package = metadata.distribution(name)
        except metadata.PackageNotFoundError:  # for another system
            continue
        found[key] = (key, package.version, python_licence(package.metadata))
        for need in package.requires or []:
            if "extra ==" not in need:
                waiting.append(re.split(r"[\s;<>=!~(\[]", need)[0])
    return sorted(found.values())


def python_licence(said: metadata.PackageMetadata) -> str:
    """The licence as the package names it: its expression, else its classifier, else the first words of its text."""
    if expression := said.get("License-Expression"):
        return expression
    for classifier in said.get_all("Classifier") or []:
        if classifier.startswith("License :: OSI Approved :: "):
            return classifier.rsplit(" :: ", 1)[1]
    return " ".join((said.get("License") or "see the package").split())[:40]


def interface_packages() -> list[tuple[str, str, str]]:
    """Name, version and licence of every npm package that is in the built interface."""
    packages = json.loads((ROOT / "ui" / "package-lock.json").read_text())["packages"]
    return sorted(
        (path.rsplit("node_modules/", 1)[1], entry["version"], entry.get("license", "see the package"))
        for path, entry in packages.items()
        if path and not entry.get("dev") and not entry.get("optional") and not entry.get("devOptional")
    )


def table(title: str, packages: list[tuple[str, str, str]]) -> str:
    rows = "\n".join(f"| {name} | {version} | {licence} |" for name, version, licence in packages)
    return f"\n## {title}\n\n| package | version | licence |\n| --- | --- | --- |\n{rows}\n"


def page() -> str:
    return HEAD + table("Python", python_packages()) + table("Interface", interface_packages())


if __name__ == "__main__":
    (ROOT / "THIRD-PARTY.md").write_text(page())
