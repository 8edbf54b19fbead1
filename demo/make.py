"""Writes the demo shots as documents. Run it again after changing it: `python demo/make.py`."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from pathlib import Path

HERE = Path(__file__).parent
sys.path[:0] = [str(HERE), str(HERE.parent / "src")]

import deforming_shots  # noqa: E402
import shore_shots  # noqa: E402
import tower_shots  # noqa: E402
import weather_shots  # noqa: E402

SHOTS = tower_shots.SHOTS | shore_shots.SHOTS | weather_shots.SHOTS | deforming_shots.SHOTS
SETTLED = deforming_shots.SETTLED


def settled(name: str, make: Callable[[], dict]) -> tuple[dict[str, dict], dict[str, list[float]]]:
    """The shapes that bodies of a shot open in where it says so, as they come to rest without its fields, and where its
    ties are then.
    """
    from dynaclast.core.document import parse
    from dynaclast.core.settling import settle

    if name not in SETTLED:
        return {}, {}
    names, gravity = SETTLED[name]
    found = settle(parse(make() | {"gravity": gravity}), names)
    openings = {body: found.openings[body].model_dump(mode="json") for body in sorted(found.openings)}
    return openings, {tie: point.round(5).tolist() for tie, point in found.ties.items()}


def settled_in(path: Path) -> tuple[dict[str, dict], dict[str, list[float]]]:
    """The same of a shot that is written."""
    made = json.loads(path.read_text())
    openings = {b["name"]: b["opening"] for b in made["bodies"] if "opening" in b}
    return openings, {t["name"]: t["point"] for t in made.get("ties", [])} if openings else {}


def written(make: Callable[[], dict], openings: dict[str, dict], points: dict[str, list[float]]) -> str:
    """A shot's document as text, with what it is for as its note."""
    made = make()
    for body in made["bodies"]:
        if body["name"] in openings:
            body["opening"] = openings[body["name"]]
    for tie in made.get("ties", []):
        tie["point"] = points.get(tie["name"], tie["point"])
    note = " ".join((make.__doc__ or "").split())
    return json.dumps({"version": made.pop("version"), "name": made.pop("name"), "note": note, **made}, indent=1) + "\n"


if __name__ == "__main__":
    for name, make in SHOTS.items():
        (HERE / f"skerry-light-{name}.json").write_text(written(make, *settled(name, make)))
