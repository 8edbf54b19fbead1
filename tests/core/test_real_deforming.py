"""Meshes from outside become cloth and soft bodies as they come: open and closed, crossing themselves, doubled."""

from __future__ import annotations

from functools import cache

import numpy as np
import pytest

from dynaclast.core.document import Shot, parse
from dynaclast.core.geometry.check import report
from dynaclast.core.geometry.mesh import TriMesh, make
from dynaclast.core.solve.loop import Run
from dynaclast.core.solve.prepare import prepare
from scans import scan

ASSET = "a" * 64


@cache
def dragon() -> TriMesh:
    """47,794 triangles; crosses itself in eleven places, a thousand faces lie twice."""
    return scan("dragon 3")


@cache
def cape() -> TriMesh:
    """The upper part of it: open below, 26,000 triangles."""
    mesh = dragon()
    middle = mesh.vertices[mesh.faces].mean(axis=1)[:, 1]
    return make(mesh.vertices, mesh.faces[middle > np.quantile(middle, 0.45)])


def two_metres(mesh: TriMesh, matter: dict, **more: object) -> Shot:
    size = 2.0 / float(np.ptp(mesh.vertices, axis=0).max())
    place = {"position": [0, 2, 0], "scale": [size] * 3}
    body = {"name": "x", "shape": {"kind": "asset", "asset": ASSET}, "place": place, "matter": matter} | more
    return parse({"timing": {"fps": 24, "frames": 2}, "ground": {"on": False}, "bodies": [body]})


@pytest.mark.parametrize("broken", [False, True])
def test_a_closed_scan_becomes_soft_without_repair(broken: bool) -> None:
    assert len(report(dragon())) == 2  # it has its faults
    more = {"pattern": {"kind": "cells", "count": 12}, "bonds": {"strength": 50}} if broken else {}
    ready = prepare(two_metres(dragon(), {"kind": "soft", "detail": 14}, **more), lambda _: dragon())
    deformables = ready.model.deformables
    assert deformables is not None and (deformables.seams.count > 10) == broken
    drawn = deformables.drawn[0]
    at = drawn.points(deformables.start)
    assert len(drawn.faces) >= 47_000 and np.ptp(at, axis=0).max() == pytest.approx(2.0, abs=0.01)
    if broken:
        return
    run = Run(ready.shot, ready.model, ready.state)
    first, second = run.opening(), run.advance()
    fallen = (second.arrays["points/x"] - first.arrays["points/x"])[:, 1]
    assert np.ptp(fallen) < 1e-5 and fallen.mean() == pytest.approx(-0.5 * 9.81 / 24**2, rel=0.1)  # it falls as one


def test_an_open_scan_becomes_cloth_without_repair() -> None:
    ready = prepare(two_metres(cape(), {"kind": "cloth", "weight": 0.3, "folds": False}), lambda _: cape())
    deformables = ready.model.deformables
    assert deformables is not None and len(deformables.drawn[0].faces) > 25_000
    area = deformables.own_mass.sum() / 0.3
    corner = cape().vertices[cape().faces] * (2.0 / np.ptp(cape().vertices, axis=0).max())
    true = 0.5 * np.linalg.norm(np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]), axis=1).sum()
    assert area == pytest.approx(true, rel=1e-6)
