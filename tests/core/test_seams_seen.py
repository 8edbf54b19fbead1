"""Seams as they are shown before a run: those that a run has, where their pieces meet."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from deforming import cloth, soft, started
from dynaclast.core.document import Body
from dynaclast.core.errors import InputError
from dynaclast.core.fracture.bonds import placed
from dynaclast.core.fracture.deforming import drawn_surface, opening_text
from dynaclast.core.preflight.seams import lattice_edges, seams_seen
from dynaclast.core.settling import settle
from shots import shot

FOUR = {"kind": "cells", "count": 4}
BONDS = {"strength": 5.0, "unit": "kN/m"}
HALVES = {"kind": "slabs", "axis": [0, 0, 1], "count": 2, "spread": 0, "random": 0}
SHEET = cloth("x", (0, 3, 0), (2, 1), (12, 8), pattern=FOUR, bonds=BONDS)
CUBE = soft("x", (0, 3, 0), (1, 1, 1), pattern=FOUR, bonds={"strength": 80.0})
BODIES = {"sheet": SHEET, "sheet that tears": SHEET | {"matter": SHEET["matter"] | {"tear": 9.0}}, "cube": CUBE}


@pytest.mark.parametrize("kind", ["sheet", "cube"])
def test_seams_shown_are_those_of_the_run(kind: str) -> None:
    scene = shot(BODIES[kind], frames=1)
    seen, seams = seams_seen(scene, scene.bodies[0]), started(scene).model.deformables.seams  # type: ignore[union-attr]
    assert (seen.piece == seams.piece).all() and len(seen.piece) >= 3
    assert seen.strength == pytest.approx(seams.strength) and seen.size == pytest.approx(seams.size)
    assert seen.strength == pytest.approx((5000.0 if kind == "sheet" else 80000.0) * seen.size)


@pytest.mark.parametrize("kind", sorted(BODIES))
def test_lines_of_seams_lie_where_their_pieces_meet(kind: str) -> None:
    scene = shot(BODIES[kind], frames=1)
    seen, x = seams_seen(scene, scene.bodies[0]), drawn_surface(scene.bodies[0]).vertices
    assert set(seen.of.tolist()) == set(range(len(seen.piece)))
    ends = x[seen.line]
    long = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1)
    assert (long > 0).all()
    if kind != "cube":  # along borders of patches, each of which is as long as the seam
        assert np.bincount(seen.of, long) == pytest.approx(seen.size)
    for q in range(len(seen.piece)):  # every end is a place that more than one piece has
        for end in np.unique(seen.line[seen.of == q]):
            assert (np.linalg.norm(x - x[end], axis=1) < 1e-9).sum() > 1 or kind == "cube"


def test_what_is_cut_by_hand_has_no_strength_and_is_mended() -> None:
    scene = shot(SHEET, frames=1)
    pair = seams_seen(scene, scene.bodies[0]).piece[1].tolist()
    cut = shot(SHEET | {"bonds": BONDS | {"cut": [pair]}}, frames=1)
    seen = seams_seen(cut, cut.bodies[0])
    assert seen.strength[1] == 0 and (np.delete(seen.strength, 1) > 0).all()
    assert started(cut).state.seam_broken.tolist() == [k == 1 for k in range(len(seen.piece))]


@pytest.mark.parametrize("change", [{"pattern": None, "bonds": None}, {"matter": {"kind": "rigid"}}])
def test_what_has_no_seams_says_so(change: dict[str, Any]) -> None:
    body = SHEET | change
    if body["matter"]["kind"] == "rigid":
        body = {"name": "x", "shape": {"kind": "box"}}
    with pytest.raises(InputError, match="break it by a pattern"):
        seams_seen(shot(body, frames=1), Body.model_validate(body))


def test_settled_seams_say_what_they_bear() -> None:
    """Two patches, one below the other, hung by the upper: their seam bears the weight of the lower."""
    hung = cloth(
        "x",
        (0, 2, 0),
        (1, 2),
        (4, 8),
        place={"position": [0, 2, 0], "angles": [90, 0, 0]},
        pins=[{"reach": {"layers": [{"shape": {"kind": "box", "center": [0, 3, 0], "core": [3, 0.1, 3], "edge": 0}}]}}],
        pattern=HALVES,
        bonds=BONDS,
        matter={"weight": 2.0},
    )
    got = settle(shot(hung, frames=5, ground={"on": False}), ["x"])
    below = 2.0 * 1.0 * 1.0 * 9.81
    assert got.rests and got.loads["x"].sum() == pytest.approx(below, rel=0.15)


def test_the_lattice_of_a_soft_body_is_its_cubes() -> None:
    body = Body.model_validate(soft("x", (5, 3, 1), (2, 1, 1), matter={"detail": 2}, place={"angles": [0, 0, 30]}))
    edges, cubes = lattice_edges(body)
    assert cubes == 2 and len(edges) == 20  # two cubes share a face
    way = edges[:, 1] - edges[:, 0]
    assert np.linalg.norm(way, axis=1) == pytest.approx(np.ones(20)) and (np.abs(way) > 1e-9).sum() == 20
    assert np.ptp(edges.reshape(-1, 3), axis=0) == pytest.approx([2, 1, 1])
    stretched = Body.model_validate(body.model_dump() | {"opening": opening_of(body, 2.0)})
    assert np.ptp(lattice_edges(stretched)[0].reshape(-1, 3), axis=0) == pytest.approx([4, 2, 2])


def opening_of(body: Body, size: float) -> dict[str, str]:
    """An opening shape that is larger by a factor."""
    start = started(shot(body.model_dump(mode="json"), frames=1)).model.deformables.start  # type: ignore[union-attr]
    middle = np.asarray(body.place.position)
    drawn = placed(body, drawn_surface(body).vertices)
    text = [opening_text(body, middle + size * (x - middle)) for x in (start, drawn)]
    return {"points": text[0], "drawn": text[1]}
