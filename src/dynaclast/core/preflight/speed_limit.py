"""Fields so strong that the shot's speed limit holds back what they move, as soon as they act."""

from __future__ import annotations

from ..arrays import lengths
from ..document import FieldItem, Shot
from ..fracture.pieces import Pieces
from ..solve.prepare.timing import intervals
from ..timeline.cues import lasts
from .finding import Finding
from .reach import Layout, VertexLayout, arrows, arrows_over


def past_the_limit(
    item: FieldItem, shot: Shot, built: list[Pieces], at: Layout, vertices: VertexLayout
) -> list[Finding]:
    """Whether a field gives anything more speed than the limit, from rest where it stands: at once by a blow, over time
    within an interval. What deforms is kept out of what it touches at any acceleration below that (docs/measured.md).
    """
    name = item.name
    pulls = [arrows(shot, at, name), arrows_over(shot, built, at, vertices, name)[1]]
    most = max((float(lengths(p).max(initial=0.0)) for p in pulls if p is not None), default=0.0)
    at_once = not lasts(item)
    searches, _ = intervals(shot.quality, shot.timing.fps)
    safe = shot.limits.speed * (1.0 if at_once else searches * shot.timing.fps)
    if most <= safe:
        return []
    does, unit = ("gives a speed of", "m/s") if at_once else ("pulls with", "m/s2")
    return [
        Finding(
            "past-limit",
            "check",
            "drive",
            name,
            f"{name} {does} {most:.0f} {unit}: what it moves is held back by the speed limit of "
            f"{shot.limits.speed:g} m/s as soon as it acts.",
            f"Up to {safe:.0f} {unit} it acts in full; or raise the limit",
        )
    ]
