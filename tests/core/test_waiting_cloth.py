"""Cloth, soft bodies and ropes that wait for their cue: held till then, whatever pushes, and free from then on."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from deforming import cloth, ends_alike, points, rope, soft
from dynaclast.core.document import parse
from dynaclast.core.errors import DocumentError
from dynaclast.core.solve.frame import PieceState
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.prepare import prepare
from shots import ball, shot

FREE_FALL: dict[str, Any] = {"ground": {"on": False}}
AT_HALF = {"kind": "cue", "time": 0.5}
BODIES = {
    "cloth": cloth("x", (0, 5, 0), (1, 1), (6, 6), release=AT_HALF),
    "soft": soft("x", (0, 5, 0), (1, 1, 1), release=AT_HALF),
    "rope": rope("x", (0, 5, 0), (1, 5, 0), segments=8, release=AT_HALF),
}


@pytest.mark.parametrize("kind", sorted(BODIES))
def test_it_stands_until_its_cue_and_then_falls_freely(kind: str) -> None:
    ready = prepare(shot(BODIES[kind], frames=24, **FREE_FALL))
    run = Run(ready.shot, ready.model, ready.state)
    frames = [run.opening(), *(run.advance() for _ in range(24))]
    at = np.array([f.arrays["points/x"] for f in frames])
    assert (at[:13] == at[0]).all() and (frames[5].arrays["state/x"] == PieceState.HELD).all()
    free = prepare(shot({**BODIES[kind], "release": {"kind": "start"}}, frames=12, **FREE_FALL))
    other = Run(free.shot, free.model, free.state)
    assert at[13:] == pytest.approx(points([other.advance() for _ in range(12)], "x"), abs=1e-5), "as free ones do"
    found = [(f.index, e) for f in frames for e in f.events if e["kind"] == "release"]
    assert [(k, e["body"], e["cause"]) for k, e in found] == [(13, "x", {"cue": 0.5})]
    assert len(found[0][1]["vertices"]) == ready.model.deformables.count  # type: ignore[union-attr]


def test_what_flies_into_it_before_its_cue_does_not_move_it_and_after_it_does() -> None:
    sheet = cloth("x", (0, 5, 0), (2, 2), (10, 10), release=AT_HALF, matter={"thickness": 0.02})
    stone = ball("stone", (0, 5.6, 0), 0.2, velocity=[0, -6, 0])
    ready = prepare(shot(sheet, stone, frames=22, **FREE_FALL))
    run = Run(ready.shot, ready.model, ready.state)
    at = np.array([points([run.advance()], "x")[0] for _ in range(22)])
    assert (at[:12] == at[0]).all() and np.abs(at[-1] - at[0]).max() > 0.3
    high = ready.state.assemblies.position[0, 1]
    assert high > at[-1, :, 1].min() - 0.3, "it lies on the sheet, or was thrown back by it"


def test_a_run_goes_on_from_before_its_cue_and_from_after_it() -> None:
    assert ends_alike(shot(BODIES["cloth"], frames=20, **FREE_FALL), (6, 16))


def test_another_release_is_refused_with_what_there_is() -> None:
    with pytest.raises(DocumentError, match="from a time on, or when it is touched"):
        parse({"bodies": [cloth("x", (0, 5, 0), (1, 1), (6, 6), release={"kind": "intact"})]})
