"""Soft matter that tears by stress, without a pattern."""

from __future__ import annotations

from typing import Any

import pytest

from deforming import frames_of, points, soft, started
from dynaclast.core.document import Body, DocumentError, Shot, parse
from dynaclast.core.fracture.deforming import LUMP, as_it_tears, deforming_mesh, drawn_surface, soft_pieces
from dynaclast.core.geometry.mass import signed_volume
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.state import State
from shots import reach_box

LONG, WIDE = 2.0, 0.5
CLAMPED = 1000 * 9.81 * LONG / 1000
"""Stress [kN/m2] where all of the bar hangs."""


def bar(tear: float | None, detail: int = 12, **more: Any) -> dict[str, Any]:
    """Hung by its upper end."""
    matter = {"young": 1000, "detail": detail, "damping": 0.05} | ({} if tear is None else {"tear": tear})
    return (
        soft("bar", (0, 3, 0), (WIDE, LONG, WIDE), matter=matter, pins=[{"reach": reach_box((0, 4, 0), (1, 0.1, 1))}])
        | more
    )


def shot_of(*bodies: dict[str, Any], frames: int = 30, **more: Any) -> Shot:
    return parse({"bodies": list(bodies), "timing": {"frames": frames}, "ground": {"on": False}} | more)


def fallen(shot: Shot) -> bool:
    return bool(points(frames_of(shot), "bar")[-1, :, 1].min() < 0)


@pytest.mark.parametrize("detail", [12, 16])
def test_a_bar_that_hangs_tears_off_where_it_bears_too_much_and_holds_where_it_does_not(detail: int) -> None:
    """The nearest border of lumps lies some way below its upper end, where less hangs."""
    assert fallen(shot_of(bar(0.65 * CLAMPED, detail)))
    assert not fallen(shot_of(bar(0.95 * CLAMPED, detail)))


def test_where_nothing_tears_it_moves_as_what_cannot() -> None:
    whole, could = (frames_of(shot_of(bar(tear), frames=12)) for tear in (None, 100 * CLAMPED))
    low, other = (points(f, "bar")[:, :, 1].min(axis=1) for f in (whole, could))
    assert not any(f.events for f in could)
    assert other - 2 == pytest.approx(low - 2, abs=0.02 * (2 - low).max())


def test_lumps_fill_the_body_and_are_of_a_size_in_cubes() -> None:
    for detail in (8, 16):
        body = Body.model_validate(bar(5, detail))
        mesh = deforming_mesh(body)
        pieces = soft_pieces(body, mesh)
        assert pieces is not None
        assert pieces.volume.sum() == pytest.approx(signed_volume(mesh), rel=1e-6)
        assert pieces.count == pytest.approx(LONG * WIDE**2 / (LUMP * LONG / detail) ** 3, rel=0.2, abs=1)
        assert drawn_surface(body).parts == pieces.count


def test_only_what_can_tear_has_lumps_and_they_are_as_strong_as_it() -> None:
    for plain in (bar(None), bar(5) | {"matter": {"kind": "cloth", "tear": 5}}):
        body = Body.model_validate(plain)
        assert as_it_tears(body, deforming_mesh(body)) is body
    strengths = {}
    for tear in (5.0, 10.0):
        model = started(shot_of(bar(tear), frames=1)).model.deformables
        assert model is not None
        strengths[tear] = model.seams.strength
        assert model.seams.strength == pytest.approx(1000 * tear * model.seams.size)
    assert strengths[10.0] == pytest.approx(2 * strengths[5.0])


def test_a_weight_makes_it_tear_elsewhere() -> None:
    """Twice as strong in the upper half: it parts in the lower, where less than half hangs."""
    weight = {"of": "strength", "reach": reach_box((0, 3.6, 0), (2, 1.2, 2)), "low": 1, "high": 8}
    frames = frames_of(shot_of(bar(0.3 * CLAMPED, 16, weights=[weight]), frames=30))
    opened = [e for f in frames for e in f.events if e["kind"] == "seam_opened"]
    at = points(frames, "bar")
    assert opened and (at[-1, :, 1] < 0).any()
    assert (at[0, at[-1, :, 1] < 0, 1]).max() < 3.2  # what fell was the lower part


def test_pressure_alone_tears_nothing() -> None:
    """A block that stands bears as much at its foot as a hung one at its top."""
    block = soft(
        "bar", (0, LONG / 2, 0), (1, LONG, 1), matter={"young": 1000, "detail": 8, "damping": 0.05, "tear": 15}
    )
    frames = frames_of(shot_of(block, ground={"on": True}))
    assert not any(e["kind"] == "seam_opened" for f in frames for e in f.events)


def test_a_bake_goes_on_from_a_torn_state_to_the_bit() -> None:
    run = started(shot_of(bar(0.5 * CLAMPED, 16), frames=12))
    for _ in range(4):
        run.advance()
    assert run.state.seam_broken.any()
    again = Run(run.shot, run.model, State.unpack(run.state.pack()))
    for _ in range(5):
        one, other = run.advance(), again.advance()
        assert one.events == other.events
        assert (one.arrays["points/bar"] == other.arrays["points/bar"]).all()


def test_what_is_broken_by_a_pattern_parts_along_its_seams_only() -> None:
    with pytest.raises(DocumentError, match=r"matter.tear: a soft body in pieces parts along its seams"):
        shot_of(bar(5, pattern={"kind": "cells", "count": 4}))
