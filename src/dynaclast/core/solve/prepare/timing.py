"""How finely time is cut."""

from __future__ import annotations

QUALITY: dict[str, tuple[int, int]] = {"draft": (1, 12), "standard": (2, 8), "fine": (4, 8)}
"""Contact detections a frame, and substeps per detection, at 24 frames a second (scaled for others)."""


def intervals(quality: str, fps: float) -> tuple[int, int]:
    """Contact searches per frame and substeps per search, so that steps last about as long at any frame rate."""
    searches, substeps = QUALITY[quality]
    per_second = searches * 24.0
    return max(1, round(per_second / fps)), substeps if fps <= per_second else max(
        2, round(substeps * per_second / fps)
    )
