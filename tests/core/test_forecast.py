"""What a strain is promised to break is what it breaks, as long as nothing has fallen on anything yet."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from dynaclast.core.bake import bake
from dynaclast.core.document import Shot
from dynaclast.core.fracture.build import build_pieces
from dynaclast.core.layout import written_out
from dynaclast.core.preflight import forecast
from dynaclast.core.preflight.forecast import firings
from dynaclast.core.preflight.reach import crossings
from shots import blow, footing, pillar, shot


def no_mesh(_shape: Any) -> Any:
    raise AssertionError


def foreseen(scene: Shot) -> int:
    scene = written_out(scene, no_mesh)
    built = [build_pieces(b, no_mesh) for b in scene.bodies]
    return sum(c.breaks for c in crossings(scene, built))


def broken(scene: Shot) -> int:
    return int(sum(bake(scene).stats["bonds_broken"]))


def strain(load: float, cue: dict[str, Any], **effect: Any) -> dict[str, Any]:
    field = blow(load, (0, 2, 0), 0.7)
    field["reach"]["layers"][0]["shape"]["edge"] = 1.6
    field["effect"] |= effect
    field["cue"] = cue
    return field


TIERS = [{"pattern": {"kind": "chunks", "count": 5}}]
AT = {"kind": "at", "time": 0.04}
OFTEN = {"kind": "pulse", "start": 0.0, "every": 0.04, "count": 6}


@pytest.mark.parametrize("breaks", [[], TIERS], ids=["one tier", "chunks"])
@pytest.mark.parametrize("load", [300.0, 1400.0, 9000.0])
@pytest.mark.parametrize(
    ("cue", "effect"),
    [(AT, {}), (OFTEN, {}), (OFTEN, {"mode": "wear"}), (OFTEN, {"mode": "wear", "cap": 1500.0})],
    ids=["a blow", "blows", "wear", "capped wear"],
)
def test_a_forecast_is_within_a_twentieth_of_the_bake(
    breaks: list[Any], load: float, cue: dict[str, Any], effect: dict[str, Any]
) -> None:
    """Without weight, so that what has come free stays where it is."""
    body = pillar(breaks=breaks)
    scene = shot(body, fields=(footing(), strain(load, cue, **effect)), frames=8, gravity=[0, 0, 0])
    said, was = foreseen(scene), broken(scene)
    assert said == pytest.approx(was, rel=0.05, abs=1)


def test_ticks_laid_on_as_one_break_as_much(monkeypatch: pytest.MonkeyPatch) -> None:
    """Where there are very many."""
    scene = shot(
        pillar(), fields=(footing(), strain(1.5, {"kind": "pulse", "start": 0, "every": 0.01}, mode="wear")), frames=240
    )
    fine = foreseen(scene)
    monkeypatch.setattr(forecast, "MOST_LOADINGS", 0)
    assert 0 < fine < 78 and foreseen(scene) == pytest.approx(fine, rel=0.05, abs=1)


def test_a_switched_off_strain_and_one_that_never_falls_break_nothing() -> None:
    off = strain(9000.0, AT) | {"on": False}
    late = strain(9000.0, {"kind": "at", "time": 50.0})
    for field in (off, late):
        assert foreseen(shot(pillar(), fields=(footing(), field), frames=8)) == 0


def test_firings_are_those_of_the_run() -> None:
    def count(cue: dict[str, Any], duration: float) -> int:
        scene = shot(pillar(), fields=(strain(1.0, cue),))
        return firings(scene.fields[0], duration)

    assert count({"kind": "at", "time": 2}, 1.9) == 0 and count({"kind": "at", "time": 2}, 2.0) == 1
    assert count({"kind": "hand", "times": [0.5, 1, 7]}, 3) == 2
    assert count({"kind": "pulse", "start": 1, "every": 0.5}, 3) == 5
    assert count({"kind": "pulse", "start": 1, "every": 0.5, "count": 2}, 3) == 2
    assert count({"kind": "pulse", "start": 4, "every": 0.5}, 3) == 0
    assert np.isfinite(count({"kind": "impact", "above": 5}, 3))
