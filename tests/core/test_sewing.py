"""Bodies that deform, sewn to others along all that lies near."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from deforming import cloth, frames_of, points, rope, soft, started
from dynaclast.core.document import Shot, parse
from dynaclast.core.errors import DocumentError, InputError
from dynaclast.core.solve.prepare import prepare
from shots import box, shot


def shot_of(*bodies: dict[str, Any], frames: int = 24, **more: Any) -> Shot:
    return parse({"bodies": list(bodies), "timing": {"frames": frames}, "ground": {"on": False}} | more)


def sewn(body: str, to: str | None, within: float = 0.03, breaks: float | None = None, **more: Any) -> dict[str, Any]:
    return {
        "name": "thread",
        "how": {"kind": "sewn", "within": within} | more,
        "body": body,
        "to": to,
        "breaks": breaks,
    }


def frame(**more: Any) -> dict[str, Any]:
    return {
        "name": "frame",
        "role": "passive",
        "shape": {"kind": "box", "size": [2, 0.04, 0.04]},
        "place": {"position": [0, 3, -0.5]},
    } | more


SHEET = cloth("sheet", (0, 3, 0), (1, 1), (8, 8))


def test_a_sheet_hangs_from_a_frame_by_all_its_stitches() -> None:
    run = started(shot_of(SHEET, frame(), ties=[sewn("sheet", "frame")]))
    d = run.model.deformables
    assert d is not None and len(d.ties) == 9
    start = d.elements.vertices.rest
    assert start[d.elements.ties.vertex[:, 0], 2] == pytest.approx(-0.5)
    lowest = []
    for _ in range(24):
        run.advance()
        lowest.append(run.state.vertices.position[:, 1].min())
    edge = run.state.vertices.position[d.elements.ties.vertex[:, 0]]
    assert edge == pytest.approx(start[d.elements.ties.vertex[:, 0]], abs=2e-3)
    assert min(lowest) < 2.1


def test_only_in_reach_and_to_the_world() -> None:
    right = {"layers": [{"shape": {"kind": "box", "center": [0.5, 3, 0], "core": [0.3, 1, 9]}}]}
    run = started(shot_of(SHEET, frame(), ties=[sewn("sheet", "frame", reach=right)]))
    assert len(run.model.deformables.ties) == 2  # type: ignore[union-attr]
    run = started(shot_of(SHEET, ties=[sewn("sheet", None, reach=right)]))
    assert len(run.model.deformables.ties) == 18  # type: ignore[union-attr]
    for _ in range(12):
        run.advance()
    x, start = run.state.vertices.position, run.model.deformables.elements.vertices.rest  # type: ignore[union-attr]
    held = start[:, 0] > 0.36
    assert x[held] == pytest.approx(start[held], abs=2e-3)


def test_slates_ride_on_the_canvas_they_are_sewn_to_and_momentum_is_kept() -> None:
    slates = {
        "name": "slates",
        "shape": {"kind": "box", "size": [1, 0.02, 1]},
        "place": {"position": [0, 3.01, 0]},
        "pattern": {"kind": "bricks", "size": [0.5, 1, 0.5], "offset": 0},
        "material": {"density": 500},
    }
    run = started(shot_of(SHEET, slates, gravity=[0, 0, 0], ties=[sewn("sheet", "slates")]))
    d, pieces = run.model.deformables, run.model.pieces
    assert d is not None and len(pieces.mass) == 4
    rng = np.random.default_rng(4)
    run.state.vertices.velocity[:] = rng.normal(size=run.state.vertices.velocity.shape)
    before = d.own_mass @ run.state.vertices.velocity
    for _ in range(24):
        run.advance()
    asm = run.state.assemblies
    after = d.own_mass @ run.state.vertices.velocity
    after += asm.mass[run.state.piece_assembly] @ asm.velocity[run.state.piece_assembly]
    assert after == pytest.approx(before, abs=1e-9)
    assert np.abs(asm.velocity[run.state.piece_assembly]).max() > 0.003  # they were taken along


def test_stitches_give_way_one_by_one_at_their_strength() -> None:
    heavy = SHEET | {"matter": {"kind": "cloth", "weight": 10, "folds": False}}
    share = 10 * 1.0 * 9.81 / 9 / 1000  # [kN] of each stitch, hanging
    holds = shot_of(heavy, frame(), frames=96, ties=[sewn("sheet", "frame", breaks=20 * share)])
    assert not [e for f in frames_of(holds) for e in f.events]
    parts = shot_of(heavy, frame(), frames=48, ties=[sewn("sheet", "frame", breaks=0.5 * share)])
    events = [e for f in frames_of(parts) for e in f.events]
    assert len(events) == 9 and {e["tie"] for e in events} == {"thread"}
    assert all(e["load"] >= e["strength"] for e in events)


def test_deforming_bodies_are_sewn_to_each_other() -> None:
    other = cloth("other", (1, 3, 0), (1, 1), (8, 8), pins=SHEET.get("pins", []))
    at = points(frames_of(shot_of(SHEET, other, gravity=[0, 0, 0], ties=[sewn("sheet", "other")], frames=4)), "sheet")
    assert np.isfinite(at).all()
    run = started(shot_of(SHEET, other, ties=[sewn("sheet", "other")]))
    ends = run.model.deformables.elements.ties.vertex  # type: ignore[union-attr]
    start = run.model.deformables.elements.vertices.rest  # type: ignore[union-attr]
    assert len(ends) == 9 and start[ends[:, 0]] == pytest.approx(start[ends[:, 1]])


def test_ropes_and_soft_bodies_are_sewn_too() -> None:
    line = rope("line", (-0.5, 3, -0.5), (0.5, 3, -0.5), segments=8)
    lump = soft("lump", (0, 2.88, -0.5), (0.2, 0.2, 0.2))
    ties = [sewn("line", "frame"), sewn("lump", "frame") | {"name": "glue"}]
    at = frames_of(shot_of(line, lump, frame(), ties=ties))
    assert points(at, "line")[-1, :, 1].min() > 2.99
    assert points(at, "lump")[-1, :, 1].max() > 2.95


def test_what_cannot_be_sewn_is_refused() -> None:
    box = {"name": "box", "shape": {"kind": "box"}}
    with pytest.raises(DocumentError, match="only bodies that deform are sewn"):
        shot_of(box, frame(), ties=[sewn("box", "frame")])
    with pytest.raises(
        DocumentError, match="by a pin, or sewn, and a rope welded to what does not deform; not by a weld here"
    ):
        shot_of(SHEET, frame(), ties=[{"name": "w", "how": {"kind": "weld"}, "body": "sheet", "point": [0, 0, 0]}])
    with pytest.raises(InputError, match=r"no vertex of sheet lies within 0.01 m") as found:
        started(shot_of(SHEET, frame(place={"position": [0, 5, 0]}), ties=[sewn("sheet", "frame", 0.01)]))
    assert found.value.where == "ties[0].how.within"


def test_what_can_tear_is_sewn_by_vertices_that_lead() -> None:
    torn = cloth("torn", (1, 3, 0), (1, 1), (8, 8), matter={"tear": 100})
    for ties in ([sewn("sheet", "torn")], [sewn("torn", "sheet")]):
        run = started(shot_of(SHEET, torn, ties=ties, gravity=[0, 0, 0]))
        d = run.model.deformables
        assert d is not None
        ends, lead = d.elements.ties.vertex, d.elements.vertices.lead
        assert len(ends) == 9 and (lead[ends] == ends).all()
        run.state.vertices.velocity[d.elements.vertices.body == 0] = [0, 1.0, 0]
        before = d.own_mass @ run.state.vertices.velocity
        for _ in range(12):
            run.advance()
        moved = run.state.vertices.velocity[d.elements.vertices.body == 1, 1]
        assert d.own_mass @ run.state.vertices.velocity == pytest.approx(before, abs=1e-9)
        assert moved.mean() > 0.1


def test_a_weld_holds_a_rope_with_the_vertices_next_to_it() -> None:
    cord = rope("cord", (0, 3, 0), (2, 3, 0), segments=10, matter={"breaks": 5.0})
    weld = {"name": "weld", "how": {"kind": "weld"}, "body": "cord", "to": "post"}
    post = box("post", (0, 3, 0), (0.2, 0.2, 0.2), role="passive")
    for point, held in (([0.05, 3, 0], [0.0, 0.2]), ([1.0, 3, 0], [0.8, 1.0, 1.2]), ([2, 3, 0], [1.8, 2.0])):
        model = prepare(shot(cord, post, frames=4, ties=[weld | {"point": point}])).model
        assert model.deformables is not None
        e = model.deformables.elements
        at = e.vertices.rest[e.ties.vertex[:, 0]]
        assert sorted(at[:, 0].round(6)) == held
        assert (e.vertices.lead[e.ties.vertex[:, 0]] == e.ties.vertex[:, 0]).all(), (
            "what leads is held, not what follows"
        )
        assert (e.ties.piece == [[-1, 0]]).all()
